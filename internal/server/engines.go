package server

import (
	"sync"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/tester"
)

// keepEngines is how many calls stay prepared; one more drops the one used
// longest ago.
const keepEngines = 16

// engines keeps diagnoses prepared, one a call, as long as its run is unchanged.
type engines struct {
	mu    sync.Mutex
	used  int64
	calls map[int64]*prepared
}

type prepared struct {
	revision int64
	used     int64

	mu     sync.Mutex // an engine works for one at a time
	engine *diagnosis.Engine
}

func newEngines() *engines { return &engines{calls: map[int64]*prepared{}} }

// diagnose weighs the readings on the revision of the call's run, which is now
// in the given state.
func (e *engines) diagnose(call, revision int64, c *circuit.Circuit, readings []tester.Reading, now *tester.State) (*diagnosis.Result, error) {
	p := e.of(call, revision)
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.engine == nil {
		engine, err := diagnosis.NewEngine(c, diagnosis.Defaults())
		if err != nil {
			return nil, err
		}
		p.engine = engine
	}
	return p.engine.DiagnoseNow(readings, now)
}

func (e *engines) of(call, revision int64) *prepared {
	e.mu.Lock()
	defer e.mu.Unlock()
	e.used++
	p := e.calls[call]
	if p == nil || p.revision != revision {
		p = &prepared{revision: revision}
		e.calls[call] = p
	}
	p.used = e.used
	if len(e.calls) > keepEngines {
		oldest := call
		for id, other := range e.calls {
			if other.used < e.calls[oldest].used {
				oldest = id
			}
		}
		delete(e.calls, oldest)
	}
	return p
}
