package tester

import (
	"fmt"
	"slices"
	"strings"

	"elvat/core/circuit"
)

// Act is no instrument: something was done that changes what is read from
// then on, and whose outcome is evidence itself.
const Act Tool = "act"

// Hint is a look or a feel from outside, at a closed box: yes or no.
const Hint Tool = "hint"

// An ActName says what was done.
type ActName string

// The acts.
const (
	// UnplugAll: nothing but the tester is plugged in anywhere on the run from here on.
	UnplugAll ActName = "unplug-all"
	// SwitchesOn: every wall switch near is on.
	SwitchesOn ActName = "switches-on"
	// AllGFCIs: reset was pressed on every GFCI of the house.
	AllGFCIs ActName = "reset-gfcis"
	// ResetBreaker: the breaker fully off, then on, once.
	ResetBreaker ActName = "reset-breaker"
	// Reset: the reset of one GFCI of the run.
	Reset ActName = "reset"
	// Plugged: something that nobody had recorded turned out to be plugged in.
	Plugged ActName = "plugged"
	// FindBox: an outlet or a junction that nobody drew was looked for along a
	// cable. One that was found is drawn into the run, and is no evidence any more.
	FindBox ActName = "find-box"
)

// Acts lists them.
var Acts = []ActName{UnplugAll, SwitchesOn, AllGFCIs, ResetBreaker, Reset, Plugged, FindBox}

// A HintName says what was looked for from outside.
type HintName string

// The hints. None opens a box or touches a conductor.
const (
	// LivePlate: the sensor held to the closed plate answers, so that some
	// conductor in the box is live.
	LivePlate HintName = "live-plate"
	// WarmPlate: the plate is warm to a hand-held thermometer under a known load.
	WarmPlate HintName = "warm-plate"
	// Wiggle: a lamp plugged in there flickers when the plug is moved. Never
	// where the plate is warm.
	Wiggle HintName = "wiggle"
)

// Hints lists them.
var Hints = []HintName{LivePlate, WarmPlate, Wiggle}

// maxWatts bounds what is said to be plugged in. Assumption.
const maxWatts = 2400

// checkAct checks what was done.
func (r *Reading) checkAct(c *circuit.Circuit) error {
	if err := r.onlyAct(); err != nil {
		return err
	}
	switch r.Act {
	case Reset:
		if v, _ := c.Device(r.At); r.At != circuit.Panel && (v == nil || v.Kind != circuit.GFCI) {
			return fmt.Errorf("act: reset: at %q: no such GFCI on this circuit", r.At)
		}
		if r.Held == nil {
			return fmt.Errorf("act: reset: held is missing: whether it held")
		}
	case ResetBreaker:
		if r.Held == nil {
			return fmt.Errorf("act: reset-breaker: held is missing: whether it held")
		}
	case Plugged:
		if v, _ := c.Device(r.At); v == nil {
			return fmt.Errorf("act: plugged: at %q: no such device on this circuit", r.At)
		}
		if r.Half == "" {
			r.Half = circuit.Top
		}
		if !slices.Contains(circuit.Halves, r.Half) {
			return fmt.Errorf("act: plugged: %s: half %q, want top or bottom", r.At, r.Half)
		}
		if r.Watts == nil || *r.Watts <= 0 || *r.Watts > maxWatts {
			return fmt.Errorf("act: plugged: %s: watts: more than 0, at most %d", r.At, maxWatts)
		}
	case FindBox:
		if c.Cable(r.At) == nil {
			return fmt.Errorf("act: find-box: at %q: no such cable on this circuit", r.At)
		}
		if r.Found == nil {
			return fmt.Errorf("act: find-box: found is missing: what was found along the cable, [] for nothing")
		}
	case UnplugAll, SwitchesOn, AllGFCIs:
	default:
		return fmt.Errorf("act: %q is none of %q", r.Act, Acts)
	}
	if !slices.Contains([]ActName{Reset, Plugged, FindBox}, r.Act) && r.At != "" {
		return fmt.Errorf("act: %s: at does not go with it", r.Act)
	}
	if r.Act != Reset && r.Act != ResetBreaker && r.Held != nil {
		return fmt.Errorf("act: %s: held does not go with it", r.Act)
	}
	if r.Act != AllGFCIs && (r.Found != nil && r.Act != FindBox || r.CameBack != nil) {
		return fmt.Errorf("act: %s: found and cameBack do not go with it", r.Act)
	}
	if r.Found != nil && len(r.Found.Faults) > 0 {
		return fmt.Errorf(
			"act: %s: found: %s, not faults",
			r.Act,
			map[ActName]string{AllGFCIs: "names of GFCIs that had tripped", FindBox: "what was found along the cable"}[r.Act],
		)
	}
	for _, id := range r.CameBack {
		if v, _ := c.Device(id); v == nil {
			return fmt.Errorf("act: cameBack: %q: no such device on this circuit", id)
		}
	}
	return r.checkState(c)
}

func (r *Reading) onlyAct() error {
	other := *r
	other.Tool, other.Act, other.At, other.Half, other.Held, other.Found, other.CameBack, other.Watts = "", "", "", "", nil, nil, nil, nil
	other.State, other.Doubtful, other.Skipped = nil, false, false
	if !other.empty() {
		return fmt.Errorf("act: no tester's values go with it")
	}
	return nil
}

// empty reports whether the reading has no value at all.
func (r *Reading) empty() bool {
	return r.At == "" && r.Half == "" && r.Mode == "" && r.Lamps == nil && r.Volts == nil && r.Slots == nil && r.Glow == "" &&
		r.DropPercent == nil && r.Wiring == "" && r.Ohms == nil && r.Point == "" && r.Level == "" && r.Between == nil && r.Reads == nil &&
		r.Amps == nil && r.Site == "" && r.Found == nil && r.Faults == nil && r.Works == nil && r.Asked == "" && r.Answer == "" &&
		r.Act == "" && r.Held == nil && r.CameBack == nil && r.Watts == nil && r.Hint == "" && r.Yes == nil &&
		r.Tripped == nil
}

// checkHint checks a look from outside.
func (r *Reading) checkHint(c *circuit.Circuit) error {
	other := *r
	other.Tool, other.Site, other.Hint, other.Yes, other.State, other.Doubtful, other.Skipped = "", "", "", nil, nil, false, false
	switch {
	case !other.empty():
		return fmt.Errorf("hint: no tester's values go with it")
	case c.Box(r.Site) == nil:
		return fmt.Errorf("hint: site %q is no box of this circuit", r.Site)
	case !slices.Contains(Hints, r.Hint):
		return fmt.Errorf("hint: %q is none of %q", r.Hint, Hints)
	case r.Yes == nil:
		return fmt.Errorf("hint: %s: yes is missing: true or false", r.Hint)
	}
	return r.checkState(c)
}

// checkSkipped checks a reading that was asked for and not taken: that it says
// which one is enough.
func (r *Reading) checkSkipped(c *circuit.Circuit) error {
	if r.At != "" && r.At != circuit.Panel && (r.Act != FindBox || c.Cable(r.At) == nil) {
		if v, _ := c.Device(r.At); v == nil {
			return fmt.Errorf("skipped: at %q: no such device on this circuit", r.At)
		}
	}
	if r.Site != "" && r.Site != circuit.Panel && c.Box(r.Site) == nil {
		return fmt.Errorf("skipped: site %q is neither a box of this circuit nor the panel", r.Site)
	}
	if r.Half == "" && r.At != "" && r.Tool != DeviceButton && r.Tool != Act {
		r.Half = circuit.Top
	}
	if r.Tool == Meter && r.Mode == "" {
		r.Mode = HighZ
	}
	return nil
}

// actWords says what was done and what came of it.
func (r *Reading) actWords(c *circuit.Circuit) string {
	held := func(what string) string {
		if *r.Held {
			return what + ": it held"
		}
		return what + ": it did not hold"
	}
	switch r.Act {
	case UnplugAll:
		return "everything unplugged or switched off"
	case SwitchesOn:
		return "every wall switch on"
	case ResetBreaker:
		return held("breaker off and on")
	case Reset:
		return held("reset pressed")
	case Plugged:
		return fmt.Sprintf("about %.0f W plugged in there", *r.Watts)
	case FindBox:
		if len(r.Found.Names) == 0 {
			return "no outlet or junction that nobody drew was found along the cable"
		}
		return "found along the cable, and not drawn yet: " + strings.Join(r.Found.Names, ", ")
	}
	text := "all GFCIs reset: none had tripped"
	if r.Found != nil && len(r.Found.Names) > 0 {
		text = "all GFCIs reset: tripped were " + strings.Join(r.Found.Names, ", ")
	}
	if len(r.CameBack) > 0 {
		text += "; came back: " + strings.Join(c.SayAll(r.CameBack), ", ")
	}
	return text
}
