package server

import (
	"encoding/json"
	"sync"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/runs"
	"elvat/core/tester"
)

// keepEngines is how many calls stay prepared; one more drops the one used
// longest ago.
const keepEngines = 16

// engines keeps diagnoses prepared, one a call, as long as its run and practice are unchanged.
type engines struct {
	mu    sync.Mutex
	used  int64
	calls map[int64]*prepared
}

type prepared struct {
	key  string // what it was prepared for
	used int64

	mu     sync.Mutex // an engine works for one at a time
	engine *diagnosis.Ensemble
	// The last answer, with the readings it was worked out from: work that adds
	// none asks again and again.
	asked string
	last  *diagnosis.Result
}

// A question is all that a diagnosis is worked out from.
type question struct {
	call, revision int64
	circuit        *circuit.Circuit
	order          runs.Map
	settings       diagnosis.Settings
	readings       []tester.Reading
	now            *tester.State
}

// key names what an engine is prepared for: the same run, order, practice and
// conditions of the place.
func (q *question) key() string {
	rest, _ := json.Marshal(struct { // plain values cannot fail
		Revision int64
		Order    runs.Map
		Settings diagnosis.Settings
	}{q.revision, q.order, q.settings})
	return string(rest)
}

func newEngines() *engines { return &engines{calls: map[int64]*prepared{}} }

// diagnose weighs the readings. The result is shared: it is not to be changed.
func (e *engines) diagnose(q question) (result *diagnosis.Result, err error) {
	asked, err := json.Marshal(struct {
		Readings []tester.Reading
		Now      *tester.State
	}{q.readings, q.now})
	if err != nil {
		return nil, err
	}
	err = e.with(q, func(p *prepared) error {
		if p.last != nil && p.asked == string(asked) {
			result = p.last
			return nil
		}
		result, err = p.engine.DiagnoseNow(q.readings, q.now)
		if err == nil {
			p.asked, p.last = string(asked), result
		}
		return err
	})
	return result, err
}

// why holds the readings against one suspect.
func (e *engines) why(q question, faults []circuit.Fault) (evidence []diagnosis.Evidence, err error) {
	err = e.with(q, func(p *prepared) error {
		evidence, err = p.engine.Why(q.readings, faults)
		return err
	})
	return evidence, err
}

func (e *engines) with(q question, do func(*prepared) error) error {
	p := e.of(q.call, q.key())
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.engine == nil {
		engine, err := diagnosis.NewEnsemble(q.circuit, q.order, q.settings)
		if err != nil {
			return err
		}
		p.engine = engine
	}
	return do(p)
}

func (e *engines) of(call int64, key string) *prepared {
	e.mu.Lock()
	defer e.mu.Unlock()
	e.used++
	p := e.calls[call]
	if p == nil || p.key != key {
		p = &prepared{key: key}
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
