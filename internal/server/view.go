package server

import (
	"context"
	"fmt"
	"slices"

	corecall "elvat/core/call"
	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/runs"
	"elvat/core/tester"
	"elvat/internal/api"
	"elvat/internal/store"
)

// state is a call with all that follows from what is stored of it.
type state struct {
	call    store.Call
	record  *corecall.Record
	circuit *circuit.Circuit
	*corecall.View
	now       *tester.State // of the circuit; nil: as its file says
	stateLeft []string      // what was said of it and cannot be
	place     diagnosis.Conditions
	order     runs.Map
	settings  diagnosis.Settings
	asked     string // names what the diagnosis was worked out from
	pending   bool   // it is not worked out yet
}

// load reads a call and works out where it stands.
func (s *calls) load(ctx context.Context, id int64) (*state, error) {
	at, err := s.store.Load(ctx, id)
	if err != nil {
		return nil, err
	}
	return s.see(ctx, at)
}

// see works out where a call stands.
func (s *calls) see(ctx context.Context, at *store.Snapshot) (*state, error) {
	r := at.Record
	v := &state{call: at.Call, record: r, circuit: r.Circuit, place: r.Place(), order: r.Map()}
	v.now, v.stateLeft = r.State()
	evidence, err := r.Evidence()
	if err != nil {
		return nil, fmt.Errorf("call %d: %w", r.ID, err)
	}
	v.View = &corecall.View{Evidence: evidence}
	if err := s.loadPractice(ctx, v); err != nil {
		return nil, fmt.Errorf("call %d: %w", r.ID, err)
	}
	if err := s.diagnose(ctx, v); err != nil {
		return nil, fmt.Errorf("call %d: %w", r.ID, err)
	}
	if v.View, err = r.Now(evidence, v.Result); err != nil {
		return nil, fmt.Errorf("call %d: %w", r.ID, err)
	}
	return v, nil
}

// loadPractice reads how the shop weighs things, and what its boxes taught.
func (s *calls) loadPractice(ctx context.Context, v *state) error {
	practice, err := s.practice(ctx)
	if err != nil {
		return err
	}
	if v.settings, err = practice.Settings(); err != nil {
		return err
	}
	learned, err := s.learned(ctx)
	if err != nil {
		return err
	}
	v.settings.Learn(&learned.Learned, practice)
	v.settings.Sessions = true
	v.settings.Conditions = v.record.Known()
	return nil
}

// question is what the diagnosis is worked out from.
func (v *state) question() question {
	return question{v.circuit, v.order, v.settings, slices.Concat(v.InForce, v.Skipped), v.now}
}

// halves is what is known of each half that was read.
func (v *state) halves() []api.HalfFound {
	found := []api.HalfFound{}
	for _, h := range v.Halves() {
		found = append(found, api.HalfFound{Device: h.Device, Half: api.Half(h.Half), Delta: h.Delta})
	}
	return found
}

// lines are the readings as the contract shows them, newest first.
func (v *state) lines() []api.StoredReading {
	all := []api.StoredReading{}
	for _, l := range slices.Backward(v.Lines) {
		entry := api.StoredReading{
			Id:        l.ID,
			TakenAt:   l.At,
			Withdrawn: l.Withdrawn,
			Doubtful:  l.Doubtful,
			Reading:   l.Reading,
			Delta:     l.Delta,
			Says:      l.Reading.Line(v.circuit),
		}
		if state := l.Reading.State.Words(v.circuit); state != "" {
			entry.State = &state
		}
		if l.Problem != "" {
			entry.Problem = &l.Problem
		}
		all = append(all, entry)
	}
	return all
}

// alikeShown is how many of what cannot be told apart a screen names.
const alikeShown = 5

// view is the call as the contract shows it.
func (v *state) view() api.Call {
	b := v.circuit.Breaker
	return api.Call{
		Pending: v.pending, Id: v.call.ID, Title: v.record.Title, Complaint: v.record.Complaint, CreatedAt: v.call.CreatedAt,
		CautionsReadAt: v.record.CautionsReadAt, Phases: v.Facts.Strip(), Move: v.record.Move(v.View), Nearest: v.record.Nearest(v.View),
		Breaker: api.Breaker{Label: b.Label, Amps: b.Amps, Poles: b.Poles, Protection: string(b.Protection)},
		Stops:   v.circuit.Stops(), Halves: v.halves(), Readings: v.lines(),
		Diagnosis: v.Result.Short(alikeShown),
		State:     v.state(), Loads: append([]circuit.Load{}, v.circuit.Loads...),
		Sweep: diagnosis.SweepOf(v.circuit, v.InForce, v.record.Changed).Hold(v.Result.Hidden), Changed: v.record.Changed,
		Found: diagnosis.StillThere(v.circuit, v.InForce), Conditions: v.place, Map: v.order, WorkBox: v.WorkBox,
		StateProblems: append([]string{}, v.stateLeft...),
		Version:       v.record.Version, Site: v.call.Site, SiteName: v.call.SiteName, Run: v.call.Run, Reported: v.Facts.Reported,
	}
}

// state is what was said of the circuit's now; what is absent is as its file says.
func (v *state) state() api.State {
	if v.now == nil {
		return api.State{}
	}
	return *v.now
}

func (v *state) summary() api.CallSummary {
	return api.CallSummary{
		Id: v.call.ID, Title: v.record.Title, Complaint: v.record.Complaint, CreatedAt: v.call.CreatedAt,
		Phases: v.Facts.Strip(), HoldUp: v.Facts.HoldUp(), Outlets: v.Facts.Outlets, Readings: len(v.InForce),
		Danger: v.Facts.Danger(), Settled: v.Result.Settled, HandedOver: v.Facts.HandedOver,
	}
}
