package server

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	corecall "elvat/core/call"
	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/runs"
	"elvat/core/tester"
	"elvat/core/visit"
	"elvat/internal/api"
	"elvat/internal/store"
)

// state is a call with all that follows from what is stored of it.
type state struct {
	call     store.Call
	revision store.Revision
	circuit  *circuit.Circuit
	record   corecall.Record
	*corecall.View
	now       *tester.State // of the circuit; nil: as its file says
	stateLeft []string      // what was said of it and cannot be
	changed   []string
	place     diagnosis.Conditions
	order     runs.Map
	settings  diagnosis.Settings
	entryIDs  []string
	asked     string // names what the diagnosis was worked out from
	site      int64
	siteName  string
	said      []time.Time // when the customer's answers were given
}

// loadAnswers reads what the customer said before the visit.
func (s *calls) loadAnswers(ctx context.Context, v *state) error {
	kept, err := s.store.Answers(ctx, v.call.ID)
	if err != nil {
		return err
	}
	for _, k := range kept {
		var a visit.Answer
		if err := json.Unmarshal(k.Document, &a); err != nil {
			return fmt.Errorf("call %d, stored answer %s: %w", v.call.ID, k.ID, err)
		}
		v.record.Answers, v.said = append(v.record.Answers, a), append(v.said, k.At)
	}
	panel, err := s.store.PanelOfRun(ctx, v.call.Run)
	if err != nil {
		return err
	}
	site, err := s.store.Site(ctx, panel.Site)
	v.siteName, v.site = site.Name, site.ID
	return err
}

// load reads a call and works out where it stands.
func (s *calls) load(ctx context.Context, id int64) (*state, error) {
	call, err := s.store.Call(ctx, id)
	if err != nil {
		return nil, err
	}
	return s.loadCall(ctx, call)
}

func (s *calls) loadCall(ctx context.Context, call store.Call) (*state, error) {
	v := &state{call: call}
	var err error
	if v.revision, err = s.store.Circuit(ctx, call.ID); err != nil {
		return nil, err
	}
	if v.circuit, err = circuit.Parse(v.revision.Document); err != nil {
		return nil, fmt.Errorf("call %d, stored run: %w", call.ID, err)
	}
	v.record.Circuit, v.record.CautionsRead = v.circuit, call.CautionsReadAt != nil
	if err := s.loadRecord(ctx, v); err != nil {
		return nil, fmt.Errorf("call %d: %w", call.ID, err)
	}
	evidence, err := v.record.Evidence()
	if err != nil {
		return nil, fmt.Errorf("call %d: %w", call.ID, err)
	}
	v.View = &corecall.View{Evidence: evidence}
	kept, err := tester.ReadState(call.State)
	if err != nil {
		return nil, fmt.Errorf("call %d, its state: %w", call.ID, err)
	}
	v.now, v.stateLeft = kept.Fit(v.circuit)
	if v.changed, err = s.store.Changed(ctx, call.ID); err != nil {
		return nil, err
	}
	if err := s.loadPlace(ctx, v); err != nil {
		return nil, fmt.Errorf("call %d: %w", call.ID, err)
	}
	if err := s.loadAnswers(ctx, v); err != nil {
		return nil, err
	}
	if err := s.diagnose(ctx, v); err != nil {
		return nil, fmt.Errorf("call %d: %w", call.ID, err)
	}
	if v.View, err = v.record.Now(evidence, v.Result); err != nil {
		return nil, fmt.Errorf("call %d: %w", call.ID, err)
	}
	return v, nil
}

// loadPlace reads what is known of the place and of the order of the boxes,
// and the shop's practice. What is no longer on the run is left out.
func (s *calls) loadPlace(ctx context.Context, v *state) error {
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
	if v.call.Conditions != nil {
		if err := json.Unmarshal(v.call.Conditions, &v.place); err != nil {
			return err
		}
	}
	if v.call.Map != nil {
		if err := json.Unmarshal(v.call.Map, &v.order); err != nil {
			return err
		}
	}
	v.place, v.order = v.place.On(v.circuit), v.order.On(v.circuit)
	v.settings.Conditions = v.place
	for _, device := range v.changed {
		if _, box := v.circuit.Device(device); box != nil {
			v.settings.Conditions = v.settings.Conditions.With(box.ID, diagnosis.Worked)
		}
	}
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
		entry := api.StoredReading{Id: l.ID, TakenAt: l.At, Withdrawn: l.Withdrawn, Doubtful: l.Doubtful, Reading: l.Reading, Delta: l.Delta}
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
		Id: v.call.ID, Title: v.call.Title, Complaint: v.call.Complaint, CreatedAt: v.call.CreatedAt,
		CautionsReadAt: v.call.CautionsReadAt, Phases: v.Facts.Strip(),
		Breaker: api.Breaker{Label: b.Label, Amps: b.Amps, Poles: b.Poles, Protection: string(b.Protection)},
		Stops:   v.circuit.Stops(), Halves: v.halves(), Readings: v.lines(),
		CanUndoRun: v.revision.Earlier, Diagnosis: v.Result.Short(alikeShown),
		State: v.state(), Loads: append([]circuit.Load{}, v.circuit.Loads...),
		Sweep: diagnosis.SweepOf(v.circuit, v.InForce, v.changed), Changed: v.changed,
		Found: diagnosis.StillThere(v.circuit, v.InForce), Conditions: v.place, Map: v.order, WorkBox: v.WorkBox,
		StateProblems: append([]string{}, v.stateLeft...),
		Version:       v.call.Version, SiteName: v.siteName, Run: v.call.Run, Reported: v.Facts.Reported,
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
		Id: v.call.ID, Title: v.call.Title, Complaint: v.call.Complaint, CreatedAt: v.call.CreatedAt,
		Phases: v.Facts.Strip(), HoldUp: v.Facts.HoldUp(), Outlets: v.Facts.Outlets, Readings: len(v.InForce),
		Danger: v.Facts.LiveGround != "" || v.Facts.Reported != "", Settled: v.Result.Settled, HandedOver: v.Facts.HandedOver,
	}
}
