package job

import (
	"fmt"

	"elvat/core/circuit"
)

// A GateName says what a gate stands before.
type GateName string

// Gates of a call.
const (
	ToOpen       GateName = "open"       // taking the cover and the device off
	ToConductors GateName = "conductors" // touching wires, making up
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
	Missing []string `json:"missing"`        // in the order in which it is done
	Next    Task     `json:"next,omitempty"` // what the first of them asks for
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
	live                                    string // what was found live
	open, conductors                        *Entry // overrides
}

// BoxGates are the two gates of a box. The order of proof is live, dead, live:
// breaker off and secured; testers proven on a live source; no voltage on all
// three pairs of both halves and from each hot slot to an independent ground;
// testers proven again; and the same again at the wires with the device out.
// A second source, or the breaker on again, closes them.
// Source: NFPA 70E 120.5, 120.6 in its 2024 edition (from memory).
func (j Journal) BoxGates(c *circuit.Circuit, box string) [2]Gate {
	var p progress
	for _, e := range j.standing() {
		p.take(c, box, e)
	}
	open := Gate{Gate: ToOpen, Box: box, Missing: []string{}}
	need := func(g *Gate, ok bool, task Task, what string) {
		if ok {
			return
		}
		g.Missing = append(g.Missing, what)
		if g.Next == "" {
			g.Next = task
		}
	}
	need(&open, p.live == "", Stop, p.live)
	need(&open, p.off, SwitchOff, "breaker off and secured")
	need(&open, p.before, ProveTester, "testers proven on a live source")
	need(&open, p.dead, TestSlots, "no voltage on all pairs of both halves, and from each hot slot to an independent ground")
	need(&open, p.after, ProveTester, "testers proven again")
	conductors := Gate{Gate: ToConductors, Box: box, Missing: []string{}}
	if len(open.Missing) > 0 && p.open == nil {
		conductors.Missing = append(conductors.Missing, "the box opened dead")
	}
	need(&conductors, p.out, TestWires, "no voltage at the wires with the device out")
	need(&conductors, p.afterOut, ProveTester, "testers proven again after that")
	open.pass(p.open)
	conductors.pass(p.conductors)
	return [2]Gate{open, conductors}
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
	switch e.Kind {
	case BreakerOff:
		p.off = true
	case BreakerOn:
		*p = progress{}
	case Proven:
		switch {
		case p.out:
			p.afterOut = true
		case p.dead:
			p.after = true
		case p.off:
			p.before = true
		}
	case DeadTest:
		if e.Box != box {
			return
		}
		if live := e.Live(c); live != "" {
			*p = progress{off: p.off, live: "something is live: " + live}
			return
		}
		switch {
		case e.Stage == Installed && p.before:
			p.dead, p.live = true, ""
		case e.Stage == DeviceOut && (p.after || p.open != nil):
			p.out = true
		}
	case SecondSource:
		if e.Box == box {
			*p = progress{live: "a second source was found: " + e.Text}
		}
	case Override:
		if e.Box != box {
			return
		}
		switch e.Gate {
		case ToOpen:
			p.open = &e
		case ToConductors:
			p.conductors = &e
		}
	}
}

// HandOver is the gate before the call is handed over.
func (j Journal) HandOver(checks []Check) Gate {
	g := Gate{Gate: ToHandOver, Missing: []string{}}
	if len(checks) == 0 {
		g.Missing = append(g.Missing, "nothing was made up or put right yet")
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
	if differ > 0 {
		verb := map[bool]string{true: " differs", false: " differ"}[differ == 1]
		g.Missing = append(g.Missing, plural(differ, "reading")+" that"+verb+" from what is predicted")
	}
	if left > 0 {
		g.Missing = append(g.Missing, plural(left, "reading")+" not taken yet")
	}
	var by *Entry
	for _, e := range j.standing() {
		if e.Kind == Override && e.Gate == ToHandOver {
			by = &e
		}
	}
	g.pass(by)
	return g
}

// Overrides lists every gate passed by a person.
func (j Journal) Overrides() []Entry {
	var all []Entry
	for _, e := range j.standing() {
		if e.Kind == Override {
			all = append(all, e)
		}
	}
	return all
}

// Words say in a sentence what was done, for the journal and the report.
func (e *Entry) Words(label func(box string) string) string {
	switch e.Kind {
	case BreakerOff:
		return "Breaker off, secured: " + map[string]string{"lock": "locked", "tag": "tagged", "in-sight": "in sight of who works"}[e.Secured]
	case BreakerOn:
		return "Breaker on"
	case Proven:
		return fmt.Sprintf("%s proven on %s: %.0f V", upper(e.Tester), e.Source, *e.Volts)
	case DeadTest:
		stage := "at the slots"
		if e.Stage == DeviceOut {
			stage = "at the wires, device out"
		}
		return fmt.Sprintf("%s tested for voltage %s: all pairs of both halves, and each hot to an independent ground", label(e.Box), stage)
	case SecondSource:
		return "Second source in " + label(e.Box) + ": " + e.Text
	case Override:
		where := ""
		if e.Box != "" {
			where = " at " + label(e.Box)
		}
		return fmt.Sprintf("Gate %q%s passed by %s (%s): %s", e.Gate, where, e.Who, e.Standing, e.Reason)
	case Traced:
		return fmt.Sprintf("Breaker %s found by %s", e.Breaker, e.Way)
	case Died:
		n := plural(len(e.Outlets), "outlet")
		if e.Hidden != "" {
			n += ", and " + e.Hidden
		}
		return "Went dead with the breaker: " + n
	case Marking:
		return "Marked: " + e.Text
	case Part:
		if e.Count > 0 {
			return fmt.Sprintf("Used: %g x %s", e.Count, e.Text)
		}
		return "Used: " + e.Text
	case MadeUp:
		return label(e.Box) + " made up as planned"
	case HandedOver:
		return fmt.Sprintf("Handed over by %s to %s", e.Who, e.To)
	default:
		return e.Text
	}
}
