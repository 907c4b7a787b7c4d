package call

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/job"
	"elvat/core/tester"
)

// A View is what follows from a record: what screens and papers show of the call.
type View struct {
	*Evidence
	Result *diagnosis.Result
	Stays  []job.Stays // what must not go off unseen, with its GFCI
	Checks []job.Check // the readings that prove the work; none where nothing was touched
	Gates  []job.Gate  // of every box: recorded and in question first, then along the run
	// WorkBox is the box in work: made up last, else opened dead, else the
	// likeliest; "" for none.
	WorkBox string
	Facts   job.Facts

	circuit *circuit.Circuit
	journal job.Journal
}

// Now works out what follows from the record, its evidence, and what the diagnosis
// made of that.
func (r *Record) Now(e *Evidence, result *diagnosis.Result) (*View, error) {
	v := &View{Evidence: e, Result: result, circuit: r.Circuit, journal: r.Journal}
	var err error
	if v.Checks, v.Stays, err = r.checks(e); err != nil {
		return nil, err
	}
	v.Gates = r.gates(result)
	v.WorkBox = v.workBox()
	v.Facts = r.facts(v)
	return v, nil
}

// checks are the readings that prove the work; stays what must not go off unseen.
func (r *Record) checks(e *Evidence) (checks []job.Check, stays []job.Stays, err error) {
	touched := r.Touched(e)
	for _, id := range touched {
		b := r.box(id)
		if b == nil || b.Makeup == nil {
			continue
		}
		for _, stay := range b.Makeup.MustStayOn(r.Circuit) {
			stays = append(stays, job.Stays(stay))
		}
	}
	if len(touched) > 0 {
		checks, err = job.Checks(r.Circuit, touched, stays, e.sinceFixed())
	}
	return checks, stays, err
}

// inQuestion is the probability from which a box's gates come before those of
// the rest of the run. Assumption.
const inQuestion = 0.2

func (r *Record) gates(result *diagnosis.Result) []job.Gate {
	var boxes []string
	add := func(id string) {
		if r.Circuit.Box(id) != nil && !slices.Contains(boxes, id) {
			boxes = append(boxes, id)
		}
	}
	for i := range r.Boxes {
		add(r.Boxes[i].ID)
	}
	for _, s := range result.Sites {
		if s.Probability > inQuestion {
			add(s.Site)
		}
	}
	for _, entry := range r.Journal {
		add(entry.Box)
	}
	for _, id := range r.Circuit.Order() {
		add(id)
	}
	gates := []job.Gate{}
	for _, id := range boxes {
		both := r.Journal.BoxGates(r.Circuit, id)
		gates = append(gates, both[:]...)
	}
	return gates
}

func (v *View) workBox() string {
	if v.Made != "" {
		return v.Made
	}
	box := ""
	for _, g := range v.Gates {
		if g.Gate == job.ToOpen && g.Open {
			box = g.Box
		}
	}
	for _, s := range v.Result.Sites {
		if box == "" && v.circuit.Box(s.Site) != nil {
			box = s.Site
		}
	}
	return box
}

// facts are what decides the phase the call is in.
func (r *Record) facts(v *View) job.Facts {
	c := r.Circuit
	f := job.Facts{
		Reported:     r.reported(),
		CautionsRead: r.CautionsReadAt != nil, Settled: v.Result.Settled, Read: len(v.Halves()),
		Leading: v.Result.Leading(c),
	}
	for i := range c.Boxes {
		f.Outlets += len(c.Boxes[i].Devices)
		f.Halves += len(c.Boxes[i].Devices) * len(circuit.Halves)
	}
	if v.Made != "" {
		f.MadeUp = c.LabelOf(v.Made)
	} else if len(v.Checks) > 0 {
		f.MadeUp = "The fault"
	}
	if len(v.Result.Sites) > 0 {
		f.Box = c.LabelOf(v.Result.Sites[0].Site)
	}
	for _, k := range v.Checks {
		switch k.Status {
		case job.Differs:
			f.Differ++
		case job.NotRead:
			f.Left++
		}
	}
	f.HandedOver = r.HandedOver()
	for _, entry := range r.Journal {
		f.DeadRecorded = f.DeadRecorded || entry.Kind == job.MadeUp && !entry.Withdrawn
	}
	begun := false
	for _, g := range v.Gates {
		label := c.LabelOf(g.Box)
		switch {
		case g.Gate == job.ToOpen && g.Open:
			f.Working, begun = label, true
			f.Conductors = false
		case g.Gate == job.ToConductors && label == f.Working:
			f.Conductors = g.Open
			if len(g.Missing) > 0 {
				f.DeadMissing = g.Missing[0]
			}
		case g.Gate == job.ToOpen && !begun && label == f.Box && len(g.Missing) > 0 && r.Journal.Begun():
			f.DeadMissing = g.Missing[0]
		}
	}
	for _, danger := range v.Result.Hidden {
		if _, box := c.Device(danger.At); danger.Urgent && danger.Name == diagnosis.LiveGroundPin && box != nil {
			f.LiveGround = c.LabelOf(box.ID)
			break
		}
	}
	return f
}

// mostSure is the most that is said of a probability: a diagnosis is never
// certain. Assumption.
const mostSure = 0.99

// A Cause is what the call says was wrong.
type Cause struct {
	Words string // "" where nothing is said
	// Faults and Beside are what the readings are held against for it.
	Faults []circuit.Fault
	Beside []diagnosis.Unrecorded
}

// Cause is what eyes found and nobody has put right since, and what was said in words of
// an opened box. Where nothing was found it says so, and what the readings point at.
func (v *View) Cause() Cause {
	var k Cause
	var words []string
	seen := map[string]time.Time{} // when eyes last looked into a box
	for _, l := range v.Lines {
		if l.Reading.Tool == tester.Eyes && !l.Withdrawn && !l.Reading.Skipped && l.At.After(seen[l.Reading.Site]) {
			seen[l.Reading.Site] = l.At
		}
	}
	// Of a box the last that was said counts: what eyes saw, or words.
	inWords := func(box string) *job.Entry {
		if e := lastSaid(v.journal, box); e != nil && !e.At.Before(seen[box]) {
			return e
		}
		return nil
	}
	looked := slices.DeleteFunc(slices.Clone(v.InForce), func(r tester.Reading) bool {
		return r.Tool == tester.Eyes && inWords(r.Site) != nil
	})
	for _, f := range diagnosis.StillThere(v.circuit, looked) {
		k.Faults, words = append(k.Faults, f.Fault), append(words, f.Words)
	}
	for i := range v.journal {
		if e := &v.journal[i]; e.Kind == job.WasFound && inWords(e.Box) == e {
			words = append(words, e.Text+" at "+v.circuit.LabelOf(e.Box))
		}
	}
	if len(words) > 0 {
		k.Words = "found: " + strings.Join(words, "; ")
		return k
	}
	if len(v.Result.Suspects) == 0 || !v.Result.Suspects[0].IsCause() {
		return k
	}
	first := v.Result.Suspects[0]
	return Cause{
		Words:  fmt.Sprintf("what it was is not recorded; the readings point at %s %s", first.Name, first.Place),
		Faults: first.Faults,
		Beside: first.Beside,
	}
}

// Leading is what the readings point at while nothing was made up; "" for nothing.
func (v *View) Leading() string {
	if len(v.Result.Suspects) == 0 || v.Made != "" {
		return ""
	}
	first := v.Result.Suspects[0]
	return fmt.Sprintf("%s %s (%s)", first.Name, first.Place, sure(first.Probability))
}

func sure(p float64) string { return fmt.Sprintf("%.0f %%", 100*min(p, mostSure)) }
