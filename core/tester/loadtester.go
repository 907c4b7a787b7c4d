package tester

import (
	"fmt"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/network"
)

// loadTester pulses a load between hot and neutral and measures the drop.
type loadTester struct{ simple }

func (loadTester) name() string { return "load tester" }

func (loadTester) fits(v *circuit.Device) error { return needsGroundSlot(v, "load") }

// puts its lamps: its pulses are too short to trip anything.
func (loadTester) puts(c *Condition, o circuit.Outlet, _ Mode, _ bool) []func(*network.Case) {
	return []func(*network.Case){func(s *network.Case) { c.lampsOn(s, o) }}
}

func (t loadTester) show(c *Condition, o circuit.Outlet, r *Reading) {
	a := c.Analyze(o)
	r.Volts, r.DropPercent = &Volts{Unloaded: &Maybe{a.Volts}}, &Maybe{a.DropPercent}
	r.Wiring, r.Ohms = a.Wiring, &a.Ohms
	c.on(t.puts(c, o, "", false)[0])
	c.noteTrips(r)
}

func (loadTester) keys() (may, must []string) {
	return []string{"volts", "dropPercent", "wiring", "ohms", "tripped"}, nil
}

func (loadTester) check(r *Reading, _ *circuit.Device) error { return r.checkAnalyzer() }

func (loadTester) draw(r *Reading, _ Constants, d *Delta) {
	if drawn, ok := wiringDrawn[r.Wiring]; ok {
		d.HotNeutral, d.HotGround, d.NeutralGround = drawn[0], drawn[1], drawn[2]
	}
}

// wiringDrawn are a load tester's verdicts as the voltages they stand for.
var wiringDrawn = map[Wiring][3]Side{
	WiringCorrect:            {SideLine, SideLine, SideNone},
	WiringOpenGround:         {SideLine, SideNone, SideNone},
	WiringOpenNeutral:        {SideNone, SideLine, SideNone},
	WiringOpenHot:            {SideNone, SideNone, SideNone},
	WiringHotGroundReversed:  {SideNone, SideLine, SideLine},
	WiringHotNeutralReversed: {SideLine, SideNone, SideLine},
}

func (loadTester) words(r *Reading) []string {
	var parts []string
	if r.Volts != nil && r.Volts.Unloaded != nil && r.Volts.Unloaded.Value != nil {
		parts = append(parts, fmt.Sprintf("%.1f V", *r.Volts.Unloaded.Value))
	}
	if r.Wiring != "" {
		parts = append(parts, "verdict "+strings.ReplaceAll(string(r.Wiring), "-", " "))
	}
	if r.DropPercent != nil && r.DropPercent.Value != nil {
		parts = append(parts, fmt.Sprintf("%.1f %% drop at 15 A", *r.DropPercent.Value))
	}
	if r.Ohms != nil {
		for _, o := range []struct {
			name string
			ohms *float64
		}{{"hot", r.Ohms.Hot}, {"neutral", r.Ohms.Neutral}, {"ground", r.Ohms.Ground}} {
			if o.ohms != nil {
				parts = append(parts, fmt.Sprintf("%s %.2f ohm", o.name, *o.ohms))
			}
		}
	}
	return parts
}

// agrees by its verdict: how much drops, hangs on what else runs.
func (loadTester) agrees(predicted, seen *Reading, _ Constants) bool {
	return seen.Wiring != "" && predicted.Wiring == seen.Wiring
}

func (r *Reading) checkAnalyzer() error {
	if r.Volts != nil && r.Volts.Unloaded == nil {
		return fmt.Errorf("volts is one number, hot to neutral without its pulse")
	}
	if r.Wiring != "" && !slices.Contains(Wirings, r.Wiring) {
		return fmt.Errorf("wiring %q, want one of %v", r.Wiring, Wirings)
	}
	if r.Ohms != nil && *r.Ohms == (AnalyzedOhms{}) {
		r.Ohms = nil // none given is the same as null
	}
	something := r.Wiring != ""
	within := func(name string, x *float64, most float64) error {
		if x == nil {
			return nil
		}
		something = true
		if *x < 0 || *x > most {
			return fmt.Errorf("%s: %v is no reading", name, *x)
		}
		return nil
	}
	if r.Volts != nil {
		if err := within("volts", r.Volts.Unloaded.Value, maxVolts); err != nil {
			return err
		}
	}
	if r.DropPercent != nil {
		if err := within("dropPercent", r.DropPercent.Value, 1000); err != nil {
			return err
		}
	}
	if r.Ohms != nil {
		for i, x := range r.Ohms.all() {
			if err := within("ohms."+ohmNames[i], x, maxOhms); err != nil {
				return err
			}
		}
	}
	if !something {
		return fmt.Errorf("nothing was read")
	}
	return nil
}

var ohmNames = [4]string{"hot", "neutral", "ground", "hotNeutral"}

func (o *AnalyzedOhms) all() [4]*float64 {
	return [4]*float64{o.Hot, o.Neutral, o.Ground, o.HotNeutral}
}
