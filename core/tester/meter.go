package tester

import (
	"fmt"
	"math"

	"elvat/core/circuit"
	"elvat/core/network"
)

// meter is the voltmeter, in one of two modes, which differ in what they load.
type meter struct{ simple }

func (meter) name() string { return "meter" }

func (meter) modes() []Mode { return []Mode{HighZ, LowZ} }

func (meter) puts(c *Condition, o circuit.Outlet, mode Mode, just bool) []func(*network.Case) {
	h, n, g, ohms := node(o.Hot), node(o.Neutral), node(o.Ground), c.bench.modeOhms(mode)
	between := func(a, b network.Node) func(*network.Case) {
		return func(s *network.Case) { s.Connect(a, b, ohms) }
	}
	if just || !o.HasGround {
		return []func(*network.Case){between(h, n)}
	}
	return []func(*network.Case){between(h, n), between(h, g), between(n, g)}
}

func (meter) show(c *Condition, o circuit.Outlet, r *Reading) {
	r.Volts = &Volts{}
	for i := range VoltNames {
		if v := c.MeterVolts(o, i, r.Mode); !math.IsNaN(v) {
			r.Volts.Set(i, roundVolts(v))
			c.noteTrips(r)
		}
	}
}

func (meter) keys() (may, must []string) {
	return []string{"volts", "mode", "tripped"}, []string{"volts", "mode"}
}

func (meter) check(r *Reading, v *circuit.Device) error {
	if r.Mode != HighZ && r.Mode != LowZ {
		return fmt.Errorf("mode %q, want high-z or low-z", r.Mode)
	}
	if r.Volts.Unloaded != nil {
		return fmt.Errorf("volts is an object, one value a pair")
	}
	something := false
	for i, x := range r.Volts.All() {
		if x == nil {
			continue
		}
		if *x < 0 || *x > maxVolts {
			return fmt.Errorf("%s: %v V is no reading", VoltNames[i], *x)
		}
		if !v.HasGroundSlot() && usesGround[i] {
			return fmt.Errorf("%s: the device has no ground slot", VoltNames[i])
		}
		something = true
	}
	return nothingRead(something)
}

func (meter) draw(r *Reading, k Constants, d *Delta) {
	all := r.Volts.All()
	for i, side := range d.sides() {
		if all[i] != nil {
			*side = k.Side(*all[i])
		}
	}
	for i, name := range slotNames {
		if v := all[3+i]; v != nil && *v >= k.StrongVolts {
			d.Live = append(d.Live, name)
		}
	}
	d.Volts = r.Volts
}

func (meter) pin(r *Reading, _ Constants) GroundPin {
	v := r.Volts
	switch {
	case v.GroundEarth != nil && *v.GroundEarth >= pinVolts:
		return PinLive
	case v.GroundEarth != nil:
		return PinDead
	case v.NeutralGround != nil && *v.NeutralGround >= pinVolts:
		return PinMayBeLive
	}
	return PinNotShown
}

func (meter) words(r *Reading) []string {
	var parts []string
	for i, v := range r.Volts.All() {
		if v != nil {
			parts = append(parts, fmt.Sprintf("%s %.0f V", pairWords[i], *v))
		}
	}
	return parts
}

func (meter) agrees(predicted, seen *Reading, k Constants) bool {
	want, got := predicted.Volts.All(), seen.Volts.All()
	some := false
	for i := range got {
		if got[i] == nil || want[i] == nil {
			continue
		}
		some = true
		if k.Side(*got[i]) != k.Side(*want[i]) {
			return false
		}
	}
	return some
}
