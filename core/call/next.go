package call

import (
	"fmt"
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
	Screen MoveScreen `json:"screen"` // where it is made
	Box    string     `json:"box,omitempty"`
	// At, Half and Tool are the reading that is to be taken; empty for none.
	At   string       `json:"at,omitempty"`
	Half circuit.Half `json:"half,omitempty"`
	Tool tester.Tool  `json:"tool,omitempty"`
}

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
	if !off {
		for _, d := range v.Result.Hidden {
			if d.Urgent {
				return Move{Kind: Exclude, Words: r.LabelOf(d.At) + ": " + strings.ToLower(d.Do[:1]) + d.Do[1:], Screen: OnCall, At: d.At, Tool: d.Tool}
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
	if t.Do == diagnosis.DoOpen || t.Do == diagnosis.DoPowerOff {
		m := Move{Kind: SwitchOff, Words: t.Say, Screen: OnDead}
		if r.Circuit.Box(t.Site) != nil { // not the panel, nor a cable
			m.Box = t.Site
		}
		return m
	}
	m := Move{Kind: Diagnose, Words: t.Say, Screen: OnCall}
	if t.Do == diagnosis.DoReading {
		m.At, m.Half, m.Tool = t.At, t.Half, t.Tool
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
