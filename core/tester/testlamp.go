package tester

import (
	"fmt"
	"slices"

	"elvat/core/circuit"
	"elvat/core/network"
)

// testLamp is a lamp from hot to neutral, which draws enough to tell a ghost from a
// supply.
type testLamp struct{ simple }

func (testLamp) name() string { return "test lamp" }

func (testLamp) puts(c *Condition, o circuit.Outlet, _ Mode, _ bool) []func(*network.Case) {
	return []func(*network.Case){func(s *network.Case) {
		s.Connect(node(o.Hot), node(o.Neutral), c.bench.Constants.LampOhms)
	}}
}

func (testLamp) show(c *Condition, o circuit.Outlet, r *Reading) {
	r.Glow = c.bench.Constants.Glow(c.TestLampVolts(o))
	c.noteTrips(r)
}

func (testLamp) keys() (may, must []string) { return []string{"glow", "tripped"}, []string{"glow"} }

func (testLamp) check(r *Reading, _ *circuit.Device) error {
	if !slices.Contains(Glows, r.Glow) {
		return fmt.Errorf("glow %q, want off, dim, bright or over", r.Glow)
	}
	return nil
}

func (testLamp) draw(r *Reading, _ Constants, d *Delta) {
	d.HotNeutral = map[Glow]Side{Off: SideNone, Dim: SideGhost, Bright: SideLine, Over: SideOver}[r.Glow]
}

func (testLamp) words(r *Reading) []string { return []string{"lamp " + string(r.Glow)} }

func (testLamp) agrees(predicted, seen *Reading, _ Constants) bool {
	return predicted.Glow == seen.Glow
}
