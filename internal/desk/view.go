package desk

import (
	"context"
	"fmt"
	"slices"

	corecall "elvat/core/call"
	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/forecast"
	"elvat/core/runs"
	"elvat/core/safety"
	"elvat/core/tester"
	"elvat/internal/api"
	"elvat/internal/kept"
)

// A State is a call with all that follows from what is stored of it.
type State struct {
	Call    kept.Call
	Record  *corecall.Record
	Circuit *circuit.Circuit
	*corecall.View
	now       *tester.State // of the circuit; nil: as its file says
	stateLeft []string      // what was said of it and cannot be
	place     diagnosis.Conditions
	order     runs.Map
	settings  diagnosis.Settings
	Asked     string           // names what the diagnosis was worked out from
	Pending   bool             // it is not worked out yet
	Minutes   forecast.Minutes // that the rest of the call is expected to take
}

// Load reads a call and works out where it stands.
func (d *Desk) Load(ctx context.Context, id int64) (*State, error) {
	at, err := d.Book.Load(ctx, id)
	if err != nil {
		return nil, err
	}
	return d.See(ctx, at)
}

// See works out where a call stands.
func (d *Desk) See(ctx context.Context, at *kept.Snapshot) (*State, error) {
	r := at.Record
	v := &State{Call: at.Call, Record: r, Circuit: r.Circuit, place: r.Place(), order: r.Map()}
	v.now, v.stateLeft = r.State()
	evidence, err := r.Evidence()
	if err != nil {
		return nil, fmt.Errorf("call %d: %w", r.ID, err)
	}
	v.View = &corecall.View{Evidence: evidence}
	if err := d.loadPractice(ctx, v); err != nil {
		return nil, fmt.Errorf("call %d: %w", r.ID, err)
	}
	if err := d.diagnose(ctx, v); err != nil {
		return nil, fmt.Errorf("call %d: %w", r.ID, err)
	}
	if v.View, err = r.Now(evidence, v.Result); err != nil {
		return nil, fmt.Errorf("call %d: %w", r.ID, err)
	}
	if v.Minutes, err = d.Expected(ctx, v); err != nil {
		return nil, fmt.Errorf("call %d: %w", r.ID, err)
	}
	return v, nil
}

// loadPractice reads how the shop weighs things, and what its boxes taught.
func (d *Desk) loadPractice(ctx context.Context, v *State) error {
	practice, err := d.Practice(ctx)
	if err != nil {
		return err
	}
	if v.settings, err = practice.Settings(); err != nil {
		return err
	}
	if of := v.Record.Drill; of != nil { // no shop's own weights: all learn on the same
		v.settings = of.Scene.Settings()
		v.settings.Conditions = v.Record.Known()
		return nil
	}
	learned, err := d.Learned(ctx)
	if err != nil {
		return err
	}
	v.settings.Learn(&learned.Learned, practice)
	v.settings.Sessions = true
	v.settings.Conditions = v.Record.Known()
	return nil
}

// question is what the diagnosis is worked out from.
func (v *State) question() question {
	return question{v.Circuit, v.order, v.settings, slices.Concat(v.InForce, v.Skipped), v.now}
}

// halves is what is known of each half that was read.
func (v *State) halves() []api.HalfFound {
	found := []api.HalfFound{}
	for _, h := range v.Halves() {
		found = append(found, api.HalfFound{Device: h.Device, Half: api.Half(h.Half), Delta: h.Delta})
	}
	return found
}

// lines are the readings as the contract shows them, newest first.
func (v *State) lines() []api.StoredReading {
	all := []api.StoredReading{}
	for _, l := range slices.Backward(v.Lines) {
		entry := api.StoredReading{
			Id:        l.ID,
			TakenAt:   l.At,
			Withdrawn: l.Withdrawn,
			Doubtful:  l.Doubtful,
			Reading:   l.Reading,
			Delta:     l.Delta,
			Says:      l.Reading.Line(v.Circuit),
		}
		if state := l.Reading.State.Words(v.Circuit); state != "" {
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

// Shown is the call as the contract shows it.
func (v *State) Shown() api.Call {
	b := v.Circuit.Breaker
	return api.Call{
		Drill:   v.drill(),
		Pending: v.Pending, Id: v.Call.ID, Title: v.Record.Title, Complaint: v.Record.Complaint, CreatedAt: v.Call.CreatedAt,
		CautionsReadAt: v.Record.CautionsReadAt, Phases: v.Facts.Strip(), Move: v.Record.Move(v.View), Nearest: v.Record.Nearest(v.View),
		Breaker: api.Breaker{Label: b.Label, Amps: b.Amps, Poles: b.Poles, Protection: string(b.Protection)},
		Stops:   v.Circuit.Stops(), Halves: v.halves(), Readings: v.lines(),
		Diagnosis: v.Result.Short(alikeShown),
		State:     v.state(), Loads: append([]circuit.Load{}, v.Circuit.Loads...),
		Sweep: diagnosis.SweepOf(v.Circuit, v.InForce, v.Record.Changed).Hold(v.Result.Hidden), Changed: v.Record.Changed,
		Found: diagnosis.StillThere(v.Circuit, v.InForce), Conditions: v.place, Map: v.order, WorkBox: v.WorkBox,
		StateProblems: append([]string{}, v.stateLeft...),
		Appointment:   &v.Record.Appointment, Urgent: new(v.Record.Urgent()), Minutes: &v.Minutes,
		Version: v.Record.Version, Site: v.Call.Site, SiteName: v.Call.SiteName, Run: v.Call.Run, Reported: v.Facts.Reported,
		Hazards: append([]safety.Hazard{}, v.Record.Hazards()...),
	}
}

// state is what was said of the circuit's now; what is absent is as its file says.
func (v *State) state() api.State {
	if v.now == nil {
		return api.State{}
	}
	return *v.now
}

// Summary is what lists show of the call.
func (v *State) Summary() api.CallSummary {
	return api.CallSummary{
		Id: v.Call.ID, Title: v.Record.Title, Complaint: v.Record.Complaint, CreatedAt: v.Call.CreatedAt,
		Phases: v.Facts.Strip(), HoldUp: v.Facts.HoldUp(), Outlets: v.Facts.Outlets, Readings: len(v.InForce),
		Danger: v.Facts.Danger(), Settled: v.Result.Settled, HandedOver: v.Facts.HandedOver,
		Site: &v.Call.Site, SiteName: &v.Call.SiteName, Appointment: &v.Record.Appointment, Urgent: new(v.Record.Urgent()),
		Minutes: &v.Minutes,
	}
}
