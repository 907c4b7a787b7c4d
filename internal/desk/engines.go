package desk

import (
	"encoding/hex"
	"encoding/json"
	"hash/fnv"
	"slices"
	"sync"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/runs"
	"elvat/core/tester"
)

// keepEngines is how many runs stay prepared; one more drops the one used
// longest ago.
const keepEngines = 16

// engines keeps diagnoses prepared, one a run as it is known, its practice and place.
type engines struct {
	mu   sync.Mutex
	used int64
	runs map[string]*prepared
	// What came of the questions asked last, by all that they follow from.
	known map[string]*diagnosis.Result
	order []string // of known, the newest last

	pool    *Pool
	warming chan struct{} // holds back all but one that is prepared ahead
	ahead   sync.WaitGroup
	idle    func(func()) // does something when there is time; nil: beside the requests
}

// keepAnswers is how many answers are kept at hand.
const keepAnswers = 64

// answered is what came of a question; nil where it is not at hand.
func (e *engines) answered(question string) *diagnosis.Result {
	e.mu.Lock()
	defer e.mu.Unlock()
	return e.known[question]
}

// remember keeps an answer at hand.
func (e *engines) remember(question string, r *diagnosis.Result) {
	e.mu.Lock()
	defer e.mu.Unlock()
	if _, there := e.known[question]; there {
		return
	}
	e.known[question] = r
	if e.order = append(e.order, question); len(e.order) > keepAnswers {
		delete(e.known, e.order[0])
		e.order = e.order[1:]
	}
}

type prepared struct {
	used int64

	mu     sync.Mutex // an engine works for one at a time
	engine *diagnosis.Ensemble
	// What it was asked last, and the second half of the answer; nil where that was given.
	asked string
	next  func() *diagnosis.Result
}

// A question is all that a diagnosis is worked out from.
type question struct {
	circuit  *circuit.Circuit
	order    runs.Map
	settings diagnosis.Settings
	readings []tester.Reading
	now      *tester.State
}

// key names what an engine is prepared for: the same run, order, practice and
// conditions of the place, whichever call they are of.
func (q *question) key() (string, error) {
	run, err := q.circuit.Encode()
	if err != nil {
		return "", err
	}
	all, err := json.Marshal(struct {
		Run      string
		Order    runs.Map
		Settings diagnosis.Settings
	}{string(run), q.order, q.settings})
	return string(all), err
}

// content names a question by all that its answer follows from.
func (q *question) content() (string, error) {
	key, err := q.key()
	if err != nil {
		return "", err
	}
	all, err := json.Marshal(struct {
		Key      string
		Readings []tester.Reading
		Now      *tester.State
	}{key, q.readings, q.now})
	sum := fnv.New128a()
	sum.Write(all)
	return hex.EncodeToString(sum.Sum(nil)), err
}

func newEngines() *engines {
	return &engines{runs: map[string]*prepared{}, known: map[string]*diagnosis.Result{}, warming: make(chan struct{}, 1)}
}

// prepare has the run of a call that somebody looks at ready before they enter a
// reading: the first would wait for it. One is prepared at a time, beside the requests;
// who comes meanwhile does without.
func (e *engines) prepare(q question) error {
	key, err := q.key()
	if err != nil {
		return err
	}
	e.mu.Lock()
	p := e.runs[key]
	e.mu.Unlock()
	if p != nil {
		return nil // it is, or somebody is at it
	}
	select {
	case e.warming <- struct{}{}:
	default:
		return nil
	}
	do := func() {
		defer func() { <-e.warming }()
		// What cannot be weighed is told to who asks for it; here it may not end the process.
		defer func() { _ = recover() }()
		if asked, err := q.content(); err == nil {
			_, _ = e.diagnose(q, asked)
		}
	}
	if e.idle != nil {
		e.idle(do)
	} else {
		e.ahead.Go(do)
	}
	return nil
}

// close waits for what is prepared ahead.
func (e *engines) close() {
	e.ahead.Wait()
	e.pool.leave(e)
}

// diagnose weighs the readings; asked names the question. The result is shared: it
// is not to be changed.
func (e *engines) diagnose(q question, asked string) (result *diagnosis.Result, err error) {
	err = e.with(q, func(p *prepared) error {
		// Whoever waited here may find that another asked the same.
		if result = e.answered(asked); result != nil {
			return nil
		}
		if result = p.second(asked); result == nil {
			result, err = p.engine.DiagnoseNow(q.readings, q.now)
		}
		if err == nil {
			e.remember(asked, result)
		}
		return err
	})
	return result, err
}

// suspects is the first half of diagnose, for who rather sees that than waits; asked once
// more, it is the whole.
func (e *engines) suspects(q question, asked string) (result *diagnosis.Result, whole bool, err error) {
	err = e.with(q, func(p *prepared) error {
		result = e.answered(asked)
		if result == nil {
			if result = p.second(asked); result != nil {
				e.remember(asked, result)
			}
		}
		if whole = result != nil; whole {
			return nil
		}
		result, p.next, err = p.engine.Suspects(q.readings, q.now)
		p.asked = asked
		return err
	})
	return result, whole, err
}

// second is the whole answer, where its first half was the last thing that the engine was
// asked for.
func (p *prepared) second(asked string) *diagnosis.Result {
	next := p.next
	p.next = nil
	if next == nil || p.asked != asked {
		return nil
	}
	return next()
}

// why holds the readings against one suspect.
func (e *engines) why(
	q question,
	faults []circuit.Fault,
	beside []diagnosis.Unrecorded,
) (evidence []diagnosis.Evidence, err error) {
	err = e.with(q, func(p *prepared) error {
		p.next = nil // the engine is asked something else
		evidence, err = p.engine.Why(q.readings, faults, beside)
		return err
	})
	return evidence, err
}

func (e *engines) with(q question, do func(*prepared) error) error {
	key, err := q.key()
	if err != nil {
		return err
	}
	p := e.of(key)
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

func (e *engines) of(key string) *prepared {
	e.mu.Lock()
	e.used++
	p := e.runs[key]
	added := p == nil
	if added {
		p = &prepared{}
		e.runs[key] = p
	}
	p.used = e.used
	if len(e.runs) > keepEngines {
		e.dropOldest()
	}
	e.mu.Unlock()
	if added {
		e.pool.bound(e)
	}
	return p
}

// dropOldest lets go of the run that was asked for longest ago; the lock is held.
func (e *engines) dropOldest() {
	oldest := ""
	for key, q := range e.runs {
		if oldest == "" || q.used < e.runs[oldest].used {
			oldest = key
		}
	}
	delete(e.runs, oldest)
}

// A Pool bounds how many runs several desks keep prepared in all. One that has many makes way
// before one that has few: no shop takes them all. Nil bounds nothing.
type Pool struct {
	Most int // of some 15 MB each, as measured on the demo's circuits

	mu    sync.Mutex
	desks []*engines
}

// bound has the desks be within the bound after one added a run.
func (p *Pool) bound(added *engines) {
	if p == nil {
		return
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if !slices.Contains(p.desks, added) {
		p.desks = append(p.desks, added)
	}
	all := 0
	most, has := (*engines)(nil), 0
	for _, e := range p.desks {
		e.mu.Lock()
		n := len(e.runs)
		e.mu.Unlock()
		all += n
		if n > has || n == has && e != added {
			most, has = e, n
		}
	}
	if all > p.Most {
		most.mu.Lock()
		most.dropOldest()
		most.mu.Unlock()
	}
}

// leave has the pool count a desk no longer.
func (p *Pool) leave(e *engines) {
	if p == nil {
		return
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	p.desks = slices.DeleteFunc(p.desks, func(other *engines) bool { return other == e })
}
