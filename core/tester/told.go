package tester

import (
	"fmt"
	"slices"

	"elvat/core/circuit"
)

// Told is no instrument either: what the customer says, on the phone. Of an
// outlet: whether what is plugged in works. Or an answer to a question.
const Told Tool = "told"

// A Question is put to the customer before driving. Each answer is evidence.
type Question string

// The questions about the circuit as a whole; those about one outlet are asked
// by naming it.
const (
	// ResetGFCIs: press reset on every GFCI once, also in other rooms. Did one click in?
	ResetGFCIs Question = "reset-gfcis"
	// CycleBreaker: the breaker fully off, then on, once.
	CycleBreaker Question = "cycle-breaker"
)

// An Answer to a question.
type Answer string

// The answers.
const (
	NothingChanged Answer = "no-change" // nothing was tripped; nothing came back
	CameBack       Answer = "came-back"
	WillNotHold    Answer = "will-not-hold" // trips again, or will not reset
)

// Answers lists them, in the order in which they are offered.
var Answers = []Answer{NothingChanged, CameBack, WillNotHold}

// Questions lists them.
var Questions = []Question{ResetGFCIs, CycleBreaker}

// checkTold checks what a customer said.
func (r *Reading) checkTold(c *circuit.Circuit) error {
	other := r.Lamps != nil || r.Volts != nil || r.Slots != nil || r.Glow != "" || r.DropPercent != nil || r.Wiring != "" || r.Ohms != nil ||
		r.Point != "" || r.Between != nil || r.Reads != nil || r.Amps != nil || r.Level != "" || r.Mode != "" || r.Tripped != nil ||
		r.Site != "" || r.Found != nil || r.Faults != nil
	switch {
	case other:
		return fmt.Errorf("told: no tester's values go with it")
	case r.Asked != "" && (r.At != "" || r.Works != nil):
		return fmt.Errorf("told: asked and at do not go together")
	case r.Asked != "" && !slices.Contains(Questions, r.Asked):
		return fmt.Errorf("told: asked: %q is none of %q", r.Asked, Questions)
	case r.Asked != "" && !slices.Contains(Answers, r.Answer):
		return fmt.Errorf("told: answer: %q is none of %q", r.Answer, Answers)
	case r.Asked != "":
		return r.checkState(c)
	case r.Answer != "":
		return fmt.Errorf("told: an answer without what was asked")
	case r.Works == nil:
		return fmt.Errorf("told: works is missing: whether what is plugged in works")
	}
	if v, _ := c.Device(r.At); v == nil {
		return fmt.Errorf("told: at %q: no such device on this circuit", r.At)
	}
	if r.Half == "" {
		r.Half = circuit.Top
	}
	if !slices.Contains(circuit.Halves, r.Half) {
		return fmt.Errorf("told: %s: half %q, want top or bottom", r.At, r.Half)
	}
	return r.checkState(c)
}

// Works reports whether an appliance of a lamp's size would run in the outlet.
func (c *Condition) Works(o circuit.Outlet) bool {
	glow := c.bench.Constants.Glow(c.TestLampVolts(o))
	return glow == Bright || glow == Over
}
