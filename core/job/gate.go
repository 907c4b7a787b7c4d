package job

import (
	"slices"
	"strconv"
	"strings"

	"elvat/core/circuit"
	"elvat/core/makeup"
	"elvat/core/words"
)

// A GateName says what a gate stands before.
type GateName string

// Gates of a call.
const (
	ToOpen       GateName = "open"       // taking the cover and the device off
	ToConductors GateName = "conductors" // touching wires, making up
	ToMakeUp     GateName = "make-up"    // what must be mended first
	ToLay        GateName = "lay"        // counting a new run as laid
	ToHandOver   GateName = "hand-over"
)

// Gates in their order.
var Gates = []GateName{ToOpen, ToConductors, ToHandOver}

// A Gate is open when the facts before it are there, or when a named qualified
// person took it on themselves.
type Gate struct {
	Gate    GateName `json:"gate"`
	Box     string   `json:"box,omitempty"`
	Open    bool     `json:"open"`
	Missing []string `json:"missing"` // in the order in which it is done
	// SaidMissing is the same as codes, from which any language says it.
	SaidMissing []words.Said `json:"saidMissing"`
	Next        Task         `json:"next,omitempty"` // what the first of them asks for
	// Device is the one to be tested next; each device of a box is proven by itself.
	Device string `json:"device,omitempty"`
	// By is the override that opens it, nil where the facts do.
	By *Entry `json:"by,omitempty"`
}

// A Task is what moves the proof of a box on.
type Task string

// Tasks of the proof.
const (
	SwitchOff   Task = "switch-off"
	ProveTester Task = "prove-testers"
	TestSlots   Task = "test-slots"
	TestWires   Task = "test-wires"
	Stop        Task = "stop" // something is live: find what feeds it
)

// Journal is what was done on a call, in the order of entry.
type Journal []Entry

// standing are the entries in force.
func (j Journal) standing() Journal {
	var s Journal
	for _, e := range j {
		if !e.Withdrawn {
			s = append(s, e)
		}
	}
	return s
}

// Begun reports whether anything in force was entered.
func (j Journal) Begun() bool { return len(j.standing()) > 0 }

// live-dead-live for one box, as far as it has come.
type progress struct {
	off, before, dead, after, out, afterOut bool
	by                                      string      // the tester that was proven
	tested                                  []string    // devices of the box that no voltage was found on
	live                                    *words.Said // what was found live
	open, conductors                        *Entry      // overrides
}

// BoxGates are the two gates of a box. The order of proof is live, dead, live:
// breaker off and secured; testers proven on a live source; no voltage on all
// three pairs of both halves and from each hot slot to an independent ground;
// testers proven again; and the same again at the wires with the device out.
// A second source, or the breaker on again, closes them.
// Source: NFPA 70E 120.5, 120.6 in its 2024 edition (from memory).
func (j Journal) BoxGates(c *circuit.Circuit, box string) [2]Gate {
	var p progress
	for _, e := range j {
		switch {
		case !e.Withdrawn:
			p.take(c, box, e)
		case e.voids(c, box):
			// Taken back, a sign of voltage voids the proof all the same: the next proof opens the gate.
			p = progress{}
		}
	}
	open := gate(ToOpen, box)
	need := func(g *Gate, ok bool, task Task, what words.Said) {
		if ok {
			return
		}
		g.lacks(what)
		if g.Next == "" {
			g.Next = task
		}
	}
	if p.live != nil {
		need(&open, false, Stop, *p.live)
	}
	need(&open, p.off, SwitchOff, words.Of("gate.off"))
	need(&open, p.before, ProveTester, words.Of("gate.before"))
	if next, n, of := p.untested(c, box); of > 1 && !p.dead {
		need(&open, false, TestSlots, words.Of("gate.deadDevice", strconv.Itoa(n), strconv.Itoa(of)))
		open.Device = next
	} else {
		need(&open, p.dead, TestSlots, words.Of("gate.dead"))
		open.Device = next
	}
	need(&open, p.after, ProveTester, words.Of("gate.after"))
	conductors := gate(ToConductors, box)
	if len(open.Missing) > 0 && p.open == nil {
		conductors.lacks(words.Of("gate.opened"))
	}
	need(&conductors, p.out, TestWires, words.Of("gate.wires"))
	need(&conductors, p.afterOut, ProveTester, words.Of("gate.afterWires"))
	open.pass(p.open)
	conductors.pass(p.conductors)
	return [2]Gate{open, conductors}
}

// voids reports whether an entry that was taken back was a sign of voltage in the box: it voids the
// proof for good, since it was seen.
func (e *Entry) voids(c *circuit.Circuit, box string) bool {
	switch e.Kind {
	case BreakerOn:
		return true
	case SecondSource:
		return e.Box == box
	case DeadTest:
		return e.Box == box && e.Dead != nil && e.Live(c) != ""
	}
	return false
}

// untested returns the first device of the box that is not proven dead, its number, and how many
// there are; "" where all are, or where the box has none.
func (p *progress) untested(c *circuit.Circuit, box string) (device string, n, of int) {
	b := c.Box(box)
	if b == nil {
		return "", 0, 0
	}
	for i := range b.Devices {
		if !slices.Contains(p.tested, b.Devices[i].ID) {
			return b.Devices[i].ID, i + 1, len(b.Devices)
		}
	}
	return "", 0, len(b.Devices)
}

// proves takes in that a tester was proven on a live source. The one that tests is proven before
// and after, itself: another one begins the proof anew. Before the breaker goes off counts.
// Source: NFPA 70E 120.5 (from memory).
func (p *progress) proves(tester string) {
	tester = strings.ToLower(strings.TrimSpace(tester))
	if p.before && p.by != tester {
		*p = progress{off: p.off, live: p.live, open: p.open, conductors: p.conductors}
	}
	p.by = tester
	switch {
	case p.out:
		p.afterOut = true
	case p.dead:
		p.after = true
	default:
		p.before = true
	}
}

// deadAt takes in that no voltage was found on the device, at its slots.
func (p *progress) deadAt(c *circuit.Circuit, e *Entry) {
	device := e.Device
	b := c.Box(e.Box)
	if device == "" && b != nil && len(b.Devices) == 1 {
		device = b.Devices[0].ID
	}
	if !slices.Contains(p.tested, device) {
		p.tested = append(p.tested, device)
	}
	p.live = nil
	next, _, _ := p.untested(c, e.Box)
	p.dead = next == ""
}

// gate is one that nothing is missing of.
func gate(name GateName, box string) Gate {
	return Gate{Gate: name, Box: box, Missing: []string{}, SaidMissing: []words.Said{}}
}

func (g *Gate) lacks(what words.Said) {
	g.Missing = append(g.Missing, words.English.Render(what))
	g.SaidMissing = append(g.SaidMissing, what)
}

// pass opens the gate where nothing is missing, or someone took it on.
func (g *Gate) pass(by *Entry) {
	g.Open = len(g.Missing) == 0
	if !g.Open && by != nil {
		g.Open, g.By = true, by
	}
}

// take moves the proof of one box on by an entry.
func (p *progress) take(c *circuit.Circuit, box string, e Entry) {
	k, ok := kinds[e.Kind]
	if !ok || k.moves == nil || k.ofBox && e.Box != box {
		return
	}
	k.moves(p, c, &e)
}

// Accepted are the keys of the findings of a box that a named person took on.
func (j Journal) Accepted(box string) []string {
	var all []string
	for _, e := range j.standing() {
		if e.Kind == Accepted && e.Box == box {
			all = append(all, e.Finding)
		}
	}
	return all
}

// MakeUp is the gate before a box is made up: nothing that must be mended is left open,
// unless it was accepted.
func (j Journal) MakeUp(box string, open []makeup.Finding) Gate {
	g := gate(ToMakeUp, box)
	accepted := j.Accepted(box)
	for _, f := range open {
		if !slices.Contains(accepted, f.Key) {
			g.lacks(words.Of("gate.mend", f.Text))
		}
	}
	g.pass(nil)
	return g
}

// HandOver is the gate before the call is handed over. open counts what must be mended
// in its boxes and is neither mended nor accepted; hazards, those that nobody has looked at.
func (j Journal) HandOver(checks []Check, open, hazards int) Gate {
	g := gate(ToHandOver, "")
	g.counts("gate.hazards", hazards)
	if len(checks) == 0 {
		g.lacks(words.Of("gate.nothingYet"))
	}
	left, differ := 0, 0
	for _, k := range checks {
		switch k.Status {
		case NotRead:
			left++
		case Differs:
			differ++
		}
	}
	g.counts("gate.differs", differ)
	g.counts("gate.left", left)
	g.counts("gate.findings", open)
	var by *Entry
	for _, e := range j.standing() {
		if e.Kind == Override && e.Gate == ToHandOver && hazards == 0 { // nobody's word ends a hazard
			by = &e
		}
	}
	g.pass(by)
	return g
}

// counts says how many readings stand in the way; nothing where none do.
func (g *Gate) counts(code string, n int) {
	switch {
	case n == 1:
		g.lacks(words.Of(code + ".one"))
	case n > 1:
		g.lacks(words.Of(code+".many", strconv.Itoa(n)))
	}
}

// Overrides lists every gate passed, and every finding taken on, by a person.
func (j Journal) Overrides() []Entry {
	var all []Entry
	for _, e := range j.standing() {
		if e.Kind == Override || e.Kind == Accepted {
			all = append(all, e)
		}
	}
	return all
}
