package call

import (
	"fmt"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/job"
	"elvat/core/tester"
)

// A Move is the next thing to do on a call, whatever screen one is on: a person who only
// ever makes it does the job in its safe order.
type Move struct {
	Kind   MoveKind   `json:"kind"`
	Words  string     `json:"words"`
	Why    string     `json:"why,omitempty"` // in a sentence or two; empty where the words say it
	Screen MoveScreen `json:"screen"`        // where it is made
	Box    string     `json:"box,omitempty"`
	// At, Half and Tool are the reading that is to be taken; empty for none.
	At   string       `json:"at,omitempty"`
	Half circuit.Half `json:"half,omitempty"`
	Tool tester.Tool  `json:"tool,omitempty"`
	Mode tester.Mode  `json:"mode,omitempty"`
	// Act comes before that reading; empty for none.
	Act tester.ActName `json:"act,omitempty"`
	// UnderWay: the work is; the diagnosis has had its say, and stands aside.
	UnderWay bool `json:"underWay,omitempty"`
}

// underWay are the moves of work that is.
var underWay = []MoveKind{LookIn, MakeItUp, SwitchOn, NextCall}

// MoveKind says what kind of move it is.
type MoveKind string

// MoveScreen says where a move is made.
type MoveScreen string

// Kinds of moves, in the order of a call, and the screens on which they are made.
const (
	CautionsNext MoveKind = "cautions"
	DrawRun      MoveKind = "draw-run"
	Exclude      MoveKind = "exclude" // a danger that is not excluded
	Diagnose     MoveKind = "diagnose"
	SwitchOff    MoveKind = "breaker-off"
	ProveDead    MoveKind = "prove-dead"
	LookIn       MoveKind = "look-in"
	MakeItUp     MoveKind = "make-up"
	SwitchOn     MoveKind = "breaker-on"
	ProveWork    MoveKind = "prove"
	GoBack       MoveKind = "back" // it is not proven: into the diagnosis again
	HandItOver   MoveKind = "hand-over"
	NextCall     MoveKind = "next-call"

	OnCall     MoveScreen = "call"
	OnDead     MoveScreen = "dead"
	OnBox      MoveScreen = "box"
	OnProve    MoveScreen = "prove"
	OnHandOver MoveScreen = "hand-over"
	OnDay      MoveScreen = "day"
)

// Move is the next move of the call. A danger that the readings do not exclude comes
// before all else while the power is on; work begun on a box goes on from where it is.
func (r *Record) Move(v *View) Move {
	m := r.move(v)
	m.UnderWay = slices.Contains(underWay, m.Kind)
	return m
}

func (r *Record) move(v *View) Move {
	f := &v.Facts
	state, _ := r.State()
	off := state != nil && state.BreakerOn != nil && !*state.BreakerOn
	box := v.WorkBox
	switch f.Now() {
	case job.Complaint:
		if !f.CautionsRead {
			return Move{Kind: CautionsNext, Words: "Read the cautions", Screen: OnCall}
		}
		return Move{Kind: DrawRun, Words: "Draw the run", Screen: OnCall}
	case job.HandOver:
		if f.HandedOver {
			return Move{Kind: NextCall, Words: "Next call", Screen: OnDay}
		}
	}
	if m, ok := r.moveToHazard(off); ok {
		return m
	}
	if !off && len(v.Result.Next) > 0 && v.Result.Next[0].Do == diagnosis.DoPowerOff {
		// What a reading shows is not excluded any more: it goes off.
		return r.toOpen(v.Result.Next[0])
	}
	if !off {
		for _, d := range v.Result.Hidden {
			if d.Urgent && !v.cannot(d) {
				m := Move{Kind: Exclude, Words: r.LabelOf(d.At) + ": " + strings.ToLower(d.Do[:1]) + d.Do[1:], Why: d.Why, Screen: OnCall, At: d.At, Tool: d.Tool}
				if m.Half = v.otherHalf(d.At, d.Tool); m.Half == "" {
					m.Half = circuit.Top
				}
				if len(v.Result.Next) > 0 && v.Result.Next[0].Act == tester.UnplugAll && !d.Shown {
					// A load behind an open neutral looks just like it, and is the likelier by far.
					m.Act, m.Why = tester.UnplugAll, v.Result.Next[0].Caution
					m.Words = "Unplug everything on the run, then the sensor at " + r.LabelOf(d.At)
				}
				return m
			}
		}
	}
	switch f.Now() {
	case job.HandOver:
		return Move{Kind: HandItOver, Words: "Hand it over", Screen: OnHandOver}
	case job.Prove:
		return r.moveToProve(f, off)
	case job.MakeUp:
		if r.FoundIn(box) == "" {
			return Move{Kind: LookIn, Words: "Look in: what was it?", Screen: OnBox, Box: box}
		}
		return Move{Kind: MakeItUp, Words: "Make it up: " + f.Working, Screen: OnBox, Box: box}
	case job.OpenBox:
		return Move{Kind: ProveDead, Words: "Device out, prove the wires dead", Screen: OnDead, Box: box}
	}
	if off {
		return Move{Kind: ProveDead, Words: "Prove it dead: " + r.Circuit.LabelOf(box), Screen: OnDead, Box: box}
	}
	if f.Now() == job.Dead {
		return Move{Kind: SwitchOff, Words: "Breaker off, to open " + f.Box, Screen: OnDead, Box: box}
	}
	if len(v.Result.Next) == 0 {
		return Move{Kind: Diagnose, Words: "Read the outlets", Screen: OnCall}
	}
	t := v.Result.Next[0]
	if t.Do == diagnosis.DoOpen {
		return r.toOpen(t)
	}
	m := Move{Kind: Diagnose, Words: t.Say, Screen: OnCall}
	if t.Do == diagnosis.DoReading {
		m.At, m.Half, m.Tool, m.Mode, m.Why = t.At, t.Half, t.Tool, t.Mode, t.Why
	}
	return m
}

// moveToHazard is the move while a hazard stands: the breaker off and locked out, then its place
// proven dead, then a look. Nothing is energized, proven or handed over before.
func (r *Record) moveToHazard(off bool) (Move, bool) {
	standing := r.Standing()
	if len(standing) == 0 {
		return Move{}, false
	}
	h := &standing[0]
	m := Move{Kind: SwitchOff, Words: h.FirstMove(r.Circuit), Why: h.Why(r.Circuit), Screen: OnDead}
	if r.Circuit.Box(h.Place) == nil {
		if off && h.Place == "" {
			m.Kind, m.Words, m.Screen = LookIn, "Look for it with the power off: "+h.Words(r.Circuit), OnCall
		}
		return m, true
	}
	m.Box = h.Place
	if !off {
		return m, true
	}
	gates := r.Journal.BoxGates(r.Circuit, h.Place)
	m.Kind, m.Words = ProveDead, "Prove it dead: "+r.Circuit.LabelOf(h.Place)
	if gates[0].Open {
		m.Kind, m.Words, m.Screen = LookIn, "Open it and look: "+h.Words(r.Circuit), OnBox
	}
	return m, true
}

// toOpen is switching off, to open the box of the test where it names one.
func (r *Record) toOpen(t diagnosis.Test) Move {
	m := Move{Kind: SwitchOff, Words: t.Say, Screen: OnDead}
	if r.Circuit.Box(t.Site) != nil { // not the panel, nor a cable
		m.Box = t.Site
	}
	return m
}

func (r *Record) moveToProve(f *job.Facts, off bool) Move {
	switch {
	case f.Differ > 0:
		return Move{Kind: GoBack, Words: "Not proven: back into the diagnosis", Screen: OnCall}
	case off:
		return Move{Kind: SwitchOn, Words: "Plate on, then breaker on", Screen: OnProve}
	case f.Left == 1:
		return Move{Kind: ProveWork, Words: "Prove it: the last reading", Screen: OnProve}
	}
	return Move{Kind: ProveWork, Words: fmt.Sprintf("Prove it: %d readings", f.Left), Screen: OnProve}
}

// cannot reports whether the reading that would exclude the danger was asked for and could
// not be taken: the danger stands, and the way on is not blocked by it.
func (v *View) cannot(d diagnosis.Danger) bool {
	return slices.ContainsFunc(v.Skipped, func(r tester.Reading) bool { return r.At == d.At && r.Tool == d.Tool })
}

// otherHalf is the half of the device that is not read with the tool while its other one
// is; "" where neither or both are.
func (v *View) otherHalf(device string, tool tester.Tool) circuit.Half {
	read := map[circuit.Half]bool{}
	for _, r := range v.InForce {
		if r.At == device && r.Tool == tool {
			read[r.Half] = true
		}
	}
	switch {
	case read[circuit.Top] && !read[circuit.Bottom]:
		return circuit.Bottom
	case read[circuit.Bottom] && !read[circuit.Top]:
		return circuit.Top
	}
	return ""
}

// A Near is an outlet to read on the way.
type Near struct {
	At    string       `json:"at"` // a device
	Half  circuit.Half `json:"half"`
	Label string       `json:"label"`
}

// Nearest is the outlet with a half not read yet that is the shortest walk away, along the
// cables from where the last reading was taken; from the panel where nothing was read. One
// that a plug tester must not go into, and one that cannot be reached, is none. Nil for none.
func (r *Record) Nearest(v *View) *Near {
	sweep := diagnosis.SweepOf(r.Circuit, v.InForce, r.Changed).Hold(v.Result.Hidden)
	here := circuit.Panel
	for i := range v.Lines {
		if _, box := r.Circuit.Device(v.Lines[i].Reading.At); box != nil && !v.Lines[i].Withdrawn {
			here = box.ID
		}
	}
	var best *Near
	least := 0.0
	for _, at := range sweep.Left {
		_, box := r.Circuit.Device(at)
		skipped := slices.ContainsFunc(v.Skipped, func(s tester.Reading) bool { return s.At == at })
		if box == nil || skipped || slices.Contains(sweep.Held, at) {
			continue
		}
		if feet := r.Circuit.FeetBetween(here, box.ID); best == nil || feet < least {
			least = feet
			best = &Near{At: at, Half: v.otherHalf(at, tester.Plug), Label: r.Circuit.LabelOf(box.ID)}
		}
	}
	if best != nil && best.Half == "" {
		best.Half = circuit.Top
	}
	return best
}
