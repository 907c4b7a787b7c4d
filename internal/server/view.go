package server

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/job"
	"elvat/core/runs"
	"elvat/core/strict"
	"elvat/core/tester"
	"elvat/core/visit"
	"elvat/internal/api"
	"elvat/internal/store"
)

// state is a call with all that follows from what is stored of it.
type state struct {
	call      store.Call
	revision  store.Revision
	circuit   *circuit.Circuit
	readings  []api.StoredReading // in the order of entry
	inForce   []tester.Reading
	skipped   []tester.Reading // asked for and not taken
	now       *tester.State    // of the circuit; nil: as its file says
	stateLeft []error          // why some of what was said of it cannot be
	changed   []string
	place     diagnosis.Conditions
	order     runs.Map
	settings  diagnosis.Settings
	result    *diagnosis.Result
	facts     job.Facts
	journal   job.Journal
	entryIDs  []string
	boxes     []string // recorded
	stay      []job.Stays
	checks    []job.Check
	made      string    // the box made up last, "" for none
	madeAt    time.Time // readings from before are of the run as it was found
	asked     string    // names what the diagnosis was worked out from
	site      int64
	siteName  string
	answers   []visit.Answer // of the customer, in their order
	said      []time.Time    // when
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
		v.answers, v.said = append(v.answers, a), append(v.said, k.At)
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
	stored, err := s.store.Readings(ctx, call.ID)
	if err != nil {
		return nil, err
	}
	if v.made, v.madeAt, err = s.store.LastMade(ctx, call.ID); err != nil {
		return nil, err
	}
	for _, r := range stored {
		if err := v.add(r); err != nil {
			return nil, fmt.Errorf("call %d, stored reading %s: %w", call.ID, r.ID, err)
		}
	}
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
	if err := s.loadWork(ctx, v); err != nil {
		return nil, err
	}
	v.facts = v.whatIsKnown()
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
	return question{v.circuit, v.order, v.settings, slices.Concat(v.inForce, v.skipped), v.now}
}

// add takes a stored reading in. One that the run has no place for any more
// is kept, with the reason, and left out of account.
func (v *state) add(r store.Reading) error {
	entry := api.StoredReading{Id: r.ID, TakenAt: r.TakenAt, Withdrawn: r.Withdrawn, Doubtful: r.Doubtful}
	reading, err := tester.ParseOne(r.Document, v.circuit)
	if err != nil {
		why := err.Error()
		entry.Problem = &why
		if err := strict.Unmarshal(r.Document, &reading); err != nil {
			return err
		}
	}
	if entry.Problem == nil && v.made != "" && r.TakenAt.Before(v.madeAt) {
		why := fmt.Sprintf("as found, before %s was made up anew", v.circuit.LabelOf(v.made))
		entry.Problem = &why
	}
	reading.Doubtful = reading.Doubtful || r.Doubtful
	entry.Reading, entry.Delta = reading, reading.Delta(tester.Default)
	v.readings = append(v.readings, entry)
	switch {
	case r.Withdrawn || entry.Problem != nil:
	case reading.Skipped:
		v.skipped = append(v.skipped, reading)
	default:
		v.inForce = append(v.inForce, reading)
	}
	return nil
}

func (v *state) whatIsKnown() job.Facts {
	f := job.Facts{Reported: visit.Reported(v.circuit, v.answers), CautionsRead: v.call.CautionsReadAt != nil, Settled: v.result.Settled, Read: len(v.halves())}
	for _, box := range v.circuit.Boxes {
		f.Outlets += len(box.Devices)
		f.Halves += len(box.Devices) * len(circuit.Halves)
	}
	if v.made != "" {
		f.MadeUp = v.circuit.LabelOf(v.made)
	}
	f.Leading = v.result.Leading(v.circuit)
	if len(v.result.Sites) > 0 {
		f.Box = v.circuit.LabelOf(v.result.Sites[0].Site)
	}
	v.workFacts(&f)
	for _, danger := range v.result.Hidden {
		if _, box := v.circuit.Device(danger.At); danger.Urgent && danger.Name == diagnosis.LiveGroundPin && box != nil {
			f.LiveGround = v.circuit.LabelOf(box.ID)
			break
		}
	}
	return f
}

// halves is what is known of each half that was read, later readings over
// earlier ones.
func (v *state) halves() []api.HalfFound {
	found := []api.HalfFound{}
	for _, r := range v.inForce {
		if r.At == "" || r.Delta(tester.Default).Blank() {
			continue // of an opened box, or of a button
		}
		half := api.Half(r.Half)
		i := slices.IndexFunc(found, func(h api.HalfFound) bool { return h.Device == r.At && h.Half == half })
		if i < 0 {
			i = len(found)
			found = append(found, api.HalfFound{Device: r.At, Half: half})
		}
		found[i].Delta = found[i].Delta.Merge(r.Delta(tester.Default))
	}
	return found
}

// alikeShown is how many of what cannot be told apart a screen names.
const alikeShown = 5

// view is the call as the contract shows it.
func (v *state) view() api.Call {
	b := v.circuit.Breaker
	readings := slices.Clone(v.readings)
	slices.Reverse(readings)
	if readings == nil {
		readings = []api.StoredReading{}
	}
	return api.Call{
		Id: v.call.ID, Title: v.call.Title, Complaint: v.call.Complaint, CreatedAt: v.call.CreatedAt,
		CautionsReadAt: v.call.CautionsReadAt, Phases: v.facts.Strip(),
		Breaker: api.Breaker{Label: b.Label, Amps: b.Amps, Poles: b.Poles, Protection: string(b.Protection)},
		Stops:   v.circuit.Stops(), Halves: v.halves(), Readings: readings,
		CanUndoRun: v.revision.Earlier, Diagnosis: v.result.Short(alikeShown),
		State: v.state(), Loads: append([]circuit.Load{}, v.circuit.Loads...),
		Sweep: diagnosis.SweepOf(v.circuit, v.inForce, v.changed), Changed: v.changed,
		Found: diagnosis.StillThere(v.circuit, v.inForce), Conditions: v.place, Map: v.order, WorkBox: v.workBox(),
		StateProblems: problems(v.stateLeft),
		Version:       v.call.Version, SiteName: v.siteName, Run: v.call.Run, Reported: v.facts.Reported,
	}
}

func problems(errs []error) []string {
	words := []string{}
	for _, err := range errs {
		words = append(words, err.Error())
	}
	return words
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
		Phases: v.facts.Strip(), HoldUp: v.facts.HoldUp(), Outlets: v.facts.Outlets, Readings: len(v.inForce),
		Danger: v.facts.LiveGround != "" || v.facts.Reported != "", Settled: v.result.Settled, HandedOver: v.facts.HandedOver,
	}
}
