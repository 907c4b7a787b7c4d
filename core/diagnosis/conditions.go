package diagnosis

import (
	"fmt"
	"maps"
	"slices"

	"elvat/core/circuit"
	"elvat/core/safety"
	"elvat/core/strict"
)

// A Condition is something known of a box, beside its circuit, that makes some
// faults there likelier.
type Condition string

// The conditions of a box.
const (
	PushIn   Condition = "push-in"  // wires held by push-in terminals
	Outdoors Condition = "outdoors" // or damp
	Worked   Condition = "worked"   // work done there lately, by anyone
	Heavy    Condition = "heavy"    // heaters, vacuum cleaners and the like plugged in
	Warm     Condition = "warm"     // warm, buzzing or scorched
	Worn     Condition = "worn"     // plugs sit loose
	// SwitchedThere: half of an outlet hangs on a wall switch; SwitchThere: a switch sits in
	// the box, which opening it has to know.
	SwitchedThere Condition = "switched-half"
	SwitchThere   Condition = "switch"
)

// ConditionsOfABox lists them.
var ConditionsOfABox = []Condition{PushIn, Outdoors, Worked, Heavy, Warm, Worn, SwitchedThere, SwitchThere}

// A Complaint is what the customer says is wrong.
type Complaint string

// The complaints.
const (
	NoComplaint    Complaint = ""
	OneDead        Complaint = "dead"          // one outlet dead
	PartDead       Complaint = "part-dead"     // half of a room, or more, dead
	ComesAndGoes   Complaint = "intermittent"  // one half of a duplex dead, or comes and goes
	TesterSays     Complaint = "tester"        // a tester or an inspector says open ground, reversed
	TwoSlots       Complaint = "two-slot"      // old two-slot outlets
	WillNotReset   Complaint = "no-reset"      // a GFCI will not reset
	TripsAtTimes   Complaint = "trips"         // a GFCI trips now and then
	DoesNotTrip    Complaint = "no-trip"       // a GFCI does not trip when tested
	WarmOrScorched Complaint = "warm"          // warm, buzzing, scorched
	OffUnnoticed   Complaint = "off-unnoticed" // a freezer or pump went off unnoticed
	HalfDead       Complaint = "half-dead"     // one half of a duplex is dead
	Dimming        Complaint = "dimming"       // lamps dim when something starts
)

// Complaints lists them in the order in which they are offered.
var Complaints = []Complaint{
	NoComplaint, OneDead, PartDead, ComesAndGoes, TesterSays, TwoSlots, WillNotReset, TripsAtTimes, DoesNotTrip, WarmOrScorched, OffUnnoticed, HalfDead, Dimming,
}

// A Ground is what the run is grounded by, as far as it is known.
type Ground string

// What a run can be grounded by.
const (
	GroundAsDrawn   Ground = ""        // nobody said otherwise
	GroundWire      Ground = "wire"    // seen
	GroundByConduit Ground = "conduit" // metal conduit or listed armour
	GroundNone      Ground = "none"
	GroundUnknown   Ground = "unknown"
)

// Grounds lists them.
var Grounds = []Ground{GroundAsDrawn, GroundWire, GroundByConduit, GroundNone, GroundUnknown}

// Since is what went before the complaint.
type Since string

// What can go before a complaint.
const (
	SinceNothing Since = ""
	SinceStorm   Since = "storm"   // surges and lightning kill GFCIs
	SincePainter Since = "painter" // or other work that took plates and devices off
	SinceHeavy   Since = "heavy"   // something heavy was plugged in
)

// Sinces lists them.
var Sinces = []Since{SinceNothing, SinceStorm, SincePainter, SinceHeavy}

// Conditions are what is known of the place beside its circuit.
type Conditions struct {
	Complaint Complaint              `json:"complaint,omitempty"`
	Old       bool                   `json:"old,omitempty"` // wiring and devices of thirty years or more
	Ground    Ground                 `json:"ground,omitempty"`
	Since     Since                  `json:"since,omitempty"` // what went before the complaint
	Boxes     map[string][]Condition `json:"boxes,omitempty"`
	// Hazards stand on the run: nobody has looked at them yet.
	Hazards []safety.Hazard `json:"hazards,omitempty"`
}

// ConditionsFormat is the name and version of the conditions file.
const ConditionsFormat = "elvat-conditions/1"

// ParseConditions reads a conditions file and checks it against the circuit.
func ParseConditions(data []byte, c *circuit.Circuit) (Conditions, error) {
	var f struct {
		Format string `json:"format"`
		Conditions
	}
	if err := strict.Unmarshal(data, &f); err != nil {
		return Conditions{}, err
	}
	if f.Format != ConditionsFormat {
		return Conditions{}, fmt.Errorf("format: %q, want %q", f.Format, ConditionsFormat)
	}
	return f.Conditions, f.Conditions.Check(c)
}

// Check reports the first thing that is not known, or not on the circuit.
func (c Conditions) Check(on *circuit.Circuit) error {
	if !slices.Contains(Complaints, c.Complaint) {
		return fmt.Errorf("complaint: %q is none of %q", c.Complaint, Complaints[1:])
	}
	if !slices.Contains(Grounds, c.Ground) {
		return fmt.Errorf("ground: %q is none of %q", c.Ground, Grounds[1:])
	}
	if !slices.Contains(Sinces, c.Since) {
		return fmt.Errorf("since: %q is none of %q", c.Since, Sinces[1:])
	}
	for i := range c.Hazards {
		if err := c.Hazards[i].Check(on); err != nil {
			return fmt.Errorf("hazards[%d]: %w", i, err)
		}
	}
	for id, all := range c.Boxes {
		if on.Box(id) == nil {
			return fmt.Errorf("boxes: no box %q on this circuit", id)
		}
		for _, condition := range all {
			if !slices.Contains(ConditionsOfABox, condition) {
				return fmt.Errorf("boxes.%s: %q is none of %q", id, condition, ConditionsOfABox)
			}
		}
	}
	return nil
}

func (c Conditions) has(box string, condition Condition) bool {
	return slices.Contains(c.Boxes[box], condition)
}

// termination lists what raises the weight of a termination that lets go or
// turns loose in the box. OnDevice: it lands on a device's own terminal.
func (k *catalogue) termination(box string, onDevice bool) []Weight {
	var factors []Weight
	raise := func(when bool, w Weight) {
		if when {
			factors = append(factors, w)
		}
	}
	t, c := k.table, k.conditions
	raise(onDevice && c.has(box, PushIn), t.PushIn)
	raise(onDevice && c.has(box, Heavy), t.HeavyLoads)
	raise(c.has(box, Warm), t.WarmBox)
	raise(c.has(box, Outdoors), t.Corrosion)
	raise(c.has(box, Worked), t.WorkedEnds)
	raise(c.Old, t.Age)
	raise(onDevice && c.Since == SinceHeavy, t.HeavyLoads)
	raise(onDevice && c.Since == SincePainter, t.WorkedEnds)
	return factors
}

// slip lists what raises the weight of a wiring mistake in the box.
func (k *catalogue) slip(box string) []Weight {
	if k.conditions.has(box, Worked) || k.conditions.Since == SincePainter {
		return []Weight{k.table.WorkedSlips}
	}
	return nil
}

// failing lists what raises the weight of a GFCI that fails in the box.
func (k *catalogue) failing(box string) []Weight {
	var factors []Weight
	if k.conditions.has(box, Outdoors) {
		factors = append(factors, k.table.OutdoorsGFCI)
	}
	if k.conditions.Old {
		factors = append(factors, k.table.Age)
	}
	if k.conditions.Since == SinceStorm {
		factors = append(factors, k.table.Storm)
	}
	return factors
}

// complained multiplies the weight by what the complaint makes likelier.
func (k *catalogue) complained(likelier ...Complaint) []Weight {
	if k.conditions.Complaint != NoComplaint && slices.Contains(likelier, k.conditions.Complaint) {
		return []Weight{k.table.Complaint}
	}
	return nil
}

// On leaves out what is of boxes that are not on the circuit any more.
func (c Conditions) On(on *circuit.Circuit) Conditions {
	left := map[string][]Condition{}
	for id, all := range c.Boxes {
		if on.Box(id) != nil && len(all) > 0 {
			left[id] = all
		}
	}
	c.Boxes = left
	return c
}

// With are the conditions with one more of a box.
func (c Conditions) With(box string, condition Condition) Conditions {
	if c.has(box, condition) {
		return c
	}
	boxes := maps.Clone(c.Boxes)
	if boxes == nil {
		boxes = map[string][]Condition{}
	}
	boxes[box] = append(slices.Clone(boxes[box]), condition)
	c.Boxes = boxes
	return c
}
