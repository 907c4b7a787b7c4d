package call

import (
	"bytes"
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"

	"elvat/core/circuit"
	"elvat/core/drill"
	"elvat/core/job"
	"elvat/core/makeup"
	"elvat/core/merge"
	"elvat/core/practice"
	"elvat/core/supply"
	"elvat/core/tester"
)

type material = makeup.Material

// A PlannedBox is an opened box with its plan.
type PlannedBox struct {
	Box
	Recorded bool
	Plan     *makeup.Plan
}

// Planned is what was recorded of a box, or what the run knows of it, with its plan.
func (r *Record) Planned(id string, shop practice.Shop) (*PlannedBox, error) {
	if r.Circuit.Box(id) == nil {
		return nil, ErrNotFound
	}
	p := &PlannedBox{Box: Box{ID: id}}
	if b := r.box(id); b != nil {
		p.Box, p.Recorded = *b, true
	} else {
		var err error
		if p.Makeup, err = makeup.FromRun(r.Circuit, id, r.Order == nil || r.Order.Sure(r.Circuit, id)); err != nil {
			return nil, err
		}
	}
	plan, err := makeup.Make(p.Makeup, shop, r.Circuit)
	if err != nil {
		// The run was changed since: the box is planned by itself, and says so.
		reason := err
		if plan, err = makeup.Make(p.Makeup, shop, nil); err != nil {
			return nil, err
		}
		plan.Disagrees(reason)
	}
	p.Plan = plan
	p.Done = plan.Codes(p.Done)
	return p, nil
}

// keepBox makes sure that there is a record of the box to hang something on.
func (d *draft) keepBox(id string) (*PlannedBox, error) {
	p, err := d.r.Planned(id, d.house.Shop)
	if err != nil || p.Recorded {
		return p, err
	}
	document, err := p.Makeup.Encode()
	if err != nil {
		return nil, err
	}
	return p, d.set(Key{ABox, id}, boxPart{Makeup: document})
}

// SetBox records what is in a box and what is to go in.
type SetBox struct {
	Box    string          `json:"box"`
	Makeup json.RawMessage `json:"makeup"` // elvat-box/1
}

func (c *SetBox) what(r *Record) string { return "recorded " + r.Circuit.LabelOf(c.Box) }

func (c *SetBox) decide(d *draft) error {
	b, err := makeup.Parse(c.Makeup)
	if err != nil {
		return BadInput{err}
	}
	if b.ID != c.Box || d.r.Circuit.Box(c.Box) == nil {
		return bad("box %s: the document is of box %s, or the run has no such box", c.Box, b.ID)
	}
	if err := b.Agrees(d.r.Circuit); err != nil {
		return BadInput{err}
	}
	document, err := b.Encode()
	if err != nil {
		return err
	}
	return d.mergeBox(c.Box, func(k *boxPart) { k.Makeup = document })
}

// mergeBox sets something in a box's part as its screen had it, and joins that with
// what others set since.
func (d *draft) mergeBox(id string, set func(*boxPart)) error {
	return mergePart(d, Key{ABox, id}, checkBox, set)
}

func checkBox(data []byte) error {
	var k boxPart
	if err := json.Unmarshal(data, &k); err != nil {
		return err
	}
	_, err := makeup.Reopen(k.Makeup)
	return err
}

// SetSteps records which steps of the plan are done.
type SetSteps struct {
	Box  string   `json:"box"`
	Done []string `json:"done"`
}

func (*SetSteps) what(*Record) string { return "steps done" }

// mostSteps is more than a plan has. Assumption.
const mostSteps = 100

func (c *SetSteps) decide(d *draft) error {
	if len(c.Done) > mostSteps {
		return bad("done: more steps than a plan has")
	}
	p, err := d.keepBox(c.Box)
	if err != nil {
		return err
	}
	if err := d.mergeBox(c.Box, func(k *boxPart) {
		if k.Makeup == nil { // it was recorded since
			k.Makeup = d.makeupOf(c.Box)
		}
		k.Done = p.Plan.Codes(c.Done)
	}); err != nil {
		return err
	}
	var now boxPart
	if err := json.Unmarshal(d.doc(Key{ABox, c.Box}), &now); err != nil {
		return err
	}
	for _, g := range d.r.shut(c.Box) {
		for _, step := range p.Plan.Steps {
			if step.Needs == string(g.Gate) && slices.Contains(now.Done, step.Code) &&
				!slices.Contains(p.Done, step.Code) {
				return GateShut{g, d.r.Circuit.LabelOf(c.Box)}
			}
		}
	}
	return nil
}

func (d *draft) makeupOf(box string) json.RawMessage {
	var k boxPart
	_ = json.Unmarshal(d.doc(Key{ABox, box}), &k) // it was read when the record was opened
	return k.Makeup
}

// Open counts what must be mended in the boxes that were looked into, and is neither
// mended nor accepted.
func (r *Record) Open(shop practice.Shop) (int, error) {
	n := 0
	for i := range r.Boxes {
		if r.Circuit.Box(r.Boxes[i].ID) == nil {
			continue // of a stop that was taken off the run
		}
		p, err := r.Planned(r.Boxes[i].ID, shop)
		if err != nil {
			return 0, err
		}
		n += len(r.Journal.MakeUp(p.ID, p.Plan.Open(p.Done)).Missing)
	}
	return n, nil
}

// Ticked are the steps of a box's plan that what was recorded shows done: what proves it
// dead, and the photograph of the pulled device.
func (r *Record) Ticked(id string) []string {
	all := []string{}
	gates := r.Journal.BoxGates(r.Circuit, id)
	if len(gates[0].Missing) == 0 {
		all = append(all, "dead")
	}
	if _, pulled := r.PulledAt(id); pulled {
		all = append(all, "pull")
	}
	if len(gates[1].Missing) == 0 {
		all = append(all, "dead-again")
	}
	return all
}

// FoundIn is what was found in the box, as it was said last; "" where nobody said.
func (r *Record) FoundIn(id string) string {
	found, seen := "", time.Time{}
	for i := range r.Readings {
		k := &r.Readings[i]
		if k.Withdrawn || !bytes.Contains(k.Document, []byte(tester.Eyes)) || k.At.Before(seen) {
			continue
		}
		// One that no longer fits the run says nothing of the box, nor does one that was not taken.
		reading, err := tester.ParseOne(k.Document, r.Circuit)
		if err == nil && reading.Tool == tester.Eyes && reading.Site == id && !reading.Skipped {
			found, seen = strings.TrimPrefix(strings.TrimPrefix(reading.Line(r.Circuit), "Opened: "), "found "), k.At
		}
	}
	if e := lastSaid(r.Journal, id); e != nil && !e.At.Before(seen) {
		return e.Text
	}
	return found
}

// lastSaid is the entry that says last in words what was in the box; nil for none.
func lastSaid(j job.Journal, box string) *job.Entry {
	var last *job.Entry
	for i := range j {
		if e := &j[i]; e.Kind == job.WasFound && e.Box == box && !e.Withdrawn && (last == nil || !e.At.Before(last.At)) {
			last = e
		}
	}
	return last
}

// MakeUp puts the plan of a box into the run. What was read before is of the run as
// it was found: it is kept, and no evidence any more.
type MakeUp struct {
	Box string `json:"box"`
}

func (c *MakeUp) what(*Record) string { return "made up " + c.Box }

func (c *MakeUp) decide(d *draft) error {
	if d.r.Drill != nil {
		return BadInput{drill.ErrByHand}
	}
	p, err := d.keepBox(c.Box)
	if err != nil {
		return err
	}
	if shut := d.r.shut(c.Box); len(shut) > 0 {
		return GateShut{shut[0], d.r.Circuit.LabelOf(c.Box)}
	}
	if gate := d.r.Journal.MakeUp(c.Box, p.Plan.Open(p.Done)); !gate.Open {
		return GateShut{gate, d.r.Circuit.LabelOf(c.Box)}
	}
	made := job.Entry{Kind: job.MadeUp, Box: c.Box, At: d.c.At}
	d.takenOn(&made)
	if d.house.Cause != nil {
		if made.Text, made.Evidence, err = d.house.Cause(); err != nil {
			return err
		}
	}
	if err := d.edit(func(run *circuit.Circuit) error { return p.Makeup.Apply(run, p.Plan) }); err != nil {
		return err
	}
	var k boxPart
	if err := json.Unmarshal(d.doc(Key{ABox, c.Box}), &k); err != nil {
		return err
	}
	k.MadeAt = &d.c.At
	if err := d.set(Key{ABox, c.Box}, k); err != nil {
		return err
	}
	id := "made-up-" + d.c.ID
	if err := d.use(id, c.Box, "", p.Plan.UsedUp()); err != nil {
		return err
	}
	return d.set(Key{AnEntry, id}, made)
}

// use keeps what was used up, each off the van that has it.
func (d *draft) use(id, box, van string, materials []material) error {
	if d.doc(Key{AUsed, id + "-0"}) != nil {
		return nil // it was sent before
	}
	for i, t := range supply.Take(materials, d.house.Stock, van, d.r.Vans()) {
		used := Used{Van: t.Van, Item: t.Item, Unit: t.Unit, Count: t.Count, At: d.c.At, Box: box}
		if err := d.set(Key{AUsed, fmt.Sprintf("%s-%d", id, i)}, used); err != nil {
			return err
		}
	}
	return nil
}

// same reports whether two documents say the same.
func same(a, b json.RawMessage) (bool, error) {
	var parts [2]any
	for i, data := range []json.RawMessage{a, b} {
		if err := json.Unmarshal(data, &parts[i]); err != nil {
			return false, err
		}
	}
	return reflect.DeepEqual(parts[0], parts[1]), nil
}

// markAs is the document with the field true, or without it.
func markAs(document json.RawMessage, field string, is bool) (json.RawMessage, error) {
	if !is {
		return merge.Set(document, field, nil)
	}
	return merge.Set(document, field, json.RawMessage("true"))
}
