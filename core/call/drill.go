package call

import (
	"encoding/json"
	"errors"
	"slices"

	"elvat/core/circuit"
	"elvat/core/drill"
	"elvat/core/job"
	"elvat/core/strict"
	"elvat/core/tester"
)

// drillPart is the document of TheDrill.
type drillPart struct {
	Scene json.RawMessage `json:"scene"` // elvat-drill/1
	Steps []drill.Step    `json:"steps"`
}

func (r *Record) openDrill(p Part) error {
	var k drillPart
	if err := strict.Unmarshal(p.Document, &k); err != nil {
		return err
	}
	scene, err := drill.Parse(k.Scene)
	r.Drill = &drill.Drill{Scene: scene, Steps: k.Steps}
	return err
}

// Silent reports whether the diagnosis has nothing to say: a drill is on, and nobody asked for
// advice since anything was done.
func (r *Record) Silent() bool {
	if r.Drill == nil || r.Drill.Advised() {
		return false
	}
	_, over := r.Drill.Over()
	return !over
}

// drill makes the call one to learn on: what is known of it is what the scene says is.
func (b *Begin) drill(d *draft) error {
	scene, err := drill.Parse(b.Scene)
	if err != nil {
		return BadInput{err}
	}
	document, err := scene.Encode()
	if err != nil {
		return err
	}
	b.Title, b.Complaint, b.Made, b.Appointment = scene.Name, scene.Complaint.Words, nil, nil
	if b.Circuit, err = scene.Circuit.Encode(); err != nil {
		return err
	}
	b.Conditions = &scene.Conditions
	if scene.Map.Unsure != nil {
		b.Order = &scene.Map
	}
	return d.set(Key{Kind: TheDrill}, drillPart{Scene: document, Steps: []drill.Step{}})
}

// step keeps what was done in the drill.
func (d *draft) step(s *drill.Step) error {
	var k drillPart
	if err := strict.Unmarshal(d.doc(Key{Kind: TheDrill}), &k); err != nil {
		return err
	}
	s.At = d.c.At
	k.Steps = append(k.Steps, *s)
	return d.set(Key{Kind: TheDrill}, k)
}

// mostDeeds bounds a drill. Assumption.
const mostDeeds = 300

// putOn is a reading in a drill: the tester is put on, and shows what the model says.
func (c *AddReading) putOn(d *draft) error {
	if _, there := d.r.parts[Key{AReading, c.ID}]; there {
		return nil // it was put on already
	}
	var ask tester.Reading
	if err := strict.Unmarshal(c.Reading, &ask); err != nil {
		return BadInput{err}
	}
	if len(d.r.Drill.Steps) >= mostDeeds {
		return bad("%d things were done in this drill, and it takes no more: give it up", mostDeeds)
	}
	step, err := d.r.Drill.Put(ask, drill.ProofOf(d.r.Journal, d.r.Circuit))
	if err != nil {
		return BadInput{err}
	}
	if step.Stop == nil {
		shown, err := json.Marshal(step.Reading)
		if err != nil {
			return err
		}
		run, err := d.run()
		if err != nil {
			return err
		}
		if _, err := tester.ParseOne(shown, run); err != nil {
			return BadInput{err}
		}
		if err := d.addReading(c.ID, shown); err != nil {
			return err
		}
	}
	return d.step(step)
}

// inDrill is an entry in a drill: what is measured comes from the model. One that has nothing to do
// with that is as on any call.
func (d *draft) inDrill(e *job.Entry) error {
	var step *drill.Step
	var err error
	switch e.Kind {
	case job.BreakerOff:
		step, err = d.r.Drill.Do(drill.Off)
	case job.BreakerOn:
		step, err = d.r.Drill.Do(drill.On)
	case job.DeadTest:
		e.Dead, step, err = d.r.Drill.Dead(e.Box)
	case job.HandedOver:
		step, err = d.r.Drill.HandItOver()
	case job.Override, job.Accepted, job.SecondSource:
		return bad("%s: in a drill nobody passes a gate by name", e.Kind)
	case job.Proven:
		volts := 120.0
		e.Volts = &volts
		return nil
	default:
		return nil
	}
	if err != nil {
		return BadInput{err}
	}
	return d.step(step)
}

// DoInDrill is what is done in a drill and on no other call: ask for advice, wire a box by hand,
// give up.
type DoInDrill struct {
	What  drill.Deed   `json:"what"`
	Box   string       `json:"box,omitempty"`
	Wired *drill.Wired `json:"wired,omitempty"`
}

func (c *DoInDrill) what(r *Record) string {
	switch c.What {
	case drill.Wire:
		return "wired " + r.Circuit.LabelOf(c.Box) + " by hand"
	case drill.Advice:
		return "asked for advice"
	}
	return "gave the drill up"
}

func (c *DoInDrill) decide(d *draft) error {
	if d.r.Drill == nil {
		return bad("what: this is a call, and no drill")
	}
	if c.What != drill.Wire {
		if c.What != drill.Advice && c.What != drill.GiveUp {
			return bad("what: %q is none of %q", c.What, []drill.Deed{drill.Advice, drill.GiveUp, drill.Wire})
		}
		step, err := d.r.Drill.Do(c.What)
		if err != nil {
			return BadInput{err}
		}
		return d.step(step)
	}
	if c.Wired == nil {
		return bad("wired: what lands where?")
	}
	if missing := drill.ProofOf(d.r.Journal, d.r.Circuit)(c.Box, job.ToConductors); len(missing) > 0 {
		return bad("the wires are not proven dead with the device out: %s", missing[0])
	}
	was := d.r.Drill.Found(c.Box)
	step, err := d.r.Drill.Judge(c.Box, c.Wired)
	if err != nil {
		return BadInput{err}
	}
	if step.Judged.Right && len(was) > 0 {
		fixed, err := json.Marshal(tester.Reading{Tool: tester.Fixed, Faults: was})
		if err != nil {
			return err
		}
		if err := d.addReading("fixed-"+d.c.ID, fixed); err != nil {
			return err
		}
	}
	return d.step(step)
}

// errDone: what a drill counts cannot be taken back, as on the job.
var errDone = errors.New("in a drill nothing is taken back: what was done is done")

// OpenedInDrill are the boxes that were opened in the drill.
func (r *Record) OpenedInDrill() []string {
	all := []string{}
	for _, s := range r.Drill.Steps {
		if s.Do == drill.PutOn && s.Reading.Tool == tester.Eyes && s.Stop == nil && s.Reading.Site != circuit.Panel && !slices.Contains(all, s.Reading.Site) {
			all = append(all, s.Reading.Site)
		}
	}
	return all
}
