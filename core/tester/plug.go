package tester

import (
	"fmt"
	"strings"

	"elvat/core/circuit"
	"elvat/core/network"
)

// plugTester is the three-lamp tester: a lamp between each two slots.
type plugTester struct{ simple }

func (plugTester) name() string { return "plug tester" }

func (plugTester) fits(v *circuit.Device) error { return needsGroundSlot(v, "plug") }

func (plugTester) puts(c *Condition, o circuit.Outlet, _ Mode, _ bool) []func(*network.Case) {
	return []func(*network.Case){func(s *network.Case) { c.lampsOn(s, o) }}
}

func (plugTester) show(c *Condition, o circuit.Outlet, r *Reading) {
	k, v := c.bench.Constants, c.LampVolts(o)
	r.Lamps = &Lamps{k.Lit(v[0]), k.Lit(v[1]), k.Lit(v[2])}
	c.noteTrips(r)
}

func (plugTester) keys() (may, must []string) {
	return []string{"lamps", "tripped"}, []string{"lamps"}
}

func (plugTester) check(r *Reading, _ *circuit.Device) error {
	something := false
	for i, lit := range r.Lamps.All() {
		if lit != "" && lit != IsLit && lit != IsDark {
			return fmt.Errorf("lamp %s: %q, want lit or dark", circuit.Pairs[i], lit)
		}
		something = something || lit != ""
	}
	return nothingRead(something)
}

func (plugTester) draw(r *Reading, _ Constants, d *Delta) {
	for i, lit := range r.Lamps.All() {
		switch lit {
		case IsLit:
			*d.sides()[i] = SideLine
		case IsDark:
			*d.sides()[i] = SideNone
		}
	}
}

func (plugTester) pin(r *Reading, _ Constants) GroundPin {
	if r.Lamps.NeutralGround == IsLit {
		return PinMayBeLive
	}
	return PinNotShown
}

func (plugTester) words(r *Reading) []string {
	lit, dark := []string{}, []string{}
	for i, l := range r.Lamps.All() {
		switch l {
		case IsLit:
			lit = append(lit, pairWords[i])
		case IsDark:
			dark = append(dark, pairWords[i])
		}
	}
	if len(lit) == 0 && len(dark) == 3 {
		return []string{"all lamps dark"}
	}
	var parts []string
	if len(lit) > 0 {
		parts = append(parts, strings.Join(lit, ", ")+" lit")
	}
	if len(dark) > 0 {
		parts = append(parts, strings.Join(dark, ", ")+" dark")
	}
	return parts
}

func (plugTester) agrees(predicted, seen *Reading, _ Constants) bool {
	return *predicted.Lamps == *seen.Lamps && len(seen.Tripped) == 0
}

// plugButton is the button of a three-lamp tester: a leak from hot to ground.
type plugButton struct{ simple }

func (plugButton) name() string { return "plug tester's button" }

func (plugButton) fits(v *circuit.Device) error { return needsGroundSlot(v, "plug") }

func (plugButton) puts(c *Condition, o circuit.Outlet, _ Mode, _ bool) []func(*network.Case) {
	return []func(*network.Case){func(s *network.Case) {
		c.lampsOn(s, o)
		s.Connect(node(o.Hot), node(o.Ground), c.bench.Constants.ButtonOhms)
	}}
}

func (plugButton) show(c *Condition, o circuit.Outlet, r *Reading) { r.Tripped = c.PlugButton(o) }

func (plugButton) keys() (may, must []string) {
	return []string{"lamps", "tripped"}, []string{"tripped"}
}

func (plugButton) agrees(predicted, seen *Reading, _ Constants) bool {
	return tripsAgree(predicted, seen)
}

// deviceButton is a GFCI's own: from its load hot to its line neutral.
type deviceButton struct{ simple }

func (deviceButton) name() string { return "device's own button" }

func (deviceButton) fits(v *circuit.Device) error {
	if v.Kind != circuit.GFCI {
		return fmt.Errorf("only a GFCI has a button")
	}
	return nil
}

// puts nothing: what the button joins is inside the device.
func (deviceButton) puts(*Condition, circuit.Outlet, Mode, bool) []func(*network.Case) { return nil }

func (deviceButton) show(c *Condition, o circuit.Outlet, r *Reading) {
	r.Half, r.Tripped = "", c.DeviceButton(o.Device)
}

func (deviceButton) keys() (may, must []string) { return []string{"tripped"}, []string{"tripped"} }

func (deviceButton) agrees(predicted, seen *Reading, _ Constants) bool {
	return tripsAgree(predicted, seen)
}
