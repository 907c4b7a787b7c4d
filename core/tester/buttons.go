package tester

import (
	"slices"

	"elvat/core/circuit"
	"elvat/core/network"
)

// lampsOn puts the three lamps of a plug tester between the slots.
func (c *Condition) lampsOn(s *network.Case, o circuit.Outlet) {
	h, n, g := node(o.Hot), node(o.Neutral), node(o.Ground)
	ohms := c.bench.Constants.PlugLampOhms
	s.Connect(h, n, ohms)
	s.Connect(h, g, ohms)
	s.Connect(n, g, ohms)
}

// trips lists what trips with the tester that is on, until nothing more does.
// It leaves the tripped devices open.
func (c *Condition) trips() []string {
	tripped := []string{}
	for {
		now := c.bench.Model.Trips(c.solver, c.Variation, append(slices.Clone(c.Tripped), tripped...))
		if len(now) == 0 {
			return tripped
		}
		for _, name := range now {
			c.bench.Model.Open(c.solver, name)
		}
		tripped = append(tripped, now...)
		c.solver.Solve()
	}
}

// PlugButton is what trips when a plug tester's button is pressed: it leaks
// from hot slot to ground slot.
func (c *Condition) PlugButton(o circuit.Outlet) []string {
	c.on(func(s *network.Case) {
		c.lampsOn(s, o)
		s.Connect(node(o.Hot), node(o.Ground), c.bench.Constants.ButtonOhms)
	})
	return c.trips()
}

// DeviceButton is what trips when a GFCI's own button is pressed: it leaks
// from load hot to line neutral, and needs no ground.
func (c *Condition) DeviceButton(device string) []string {
	for i := range c.bench.Model.Wired.Guards {
		g := &c.bench.Model.Wired.Guards[i]
		if g.Name != device {
			continue
		}
		c.on(func(s *network.Case) {
			s.Connect(node(g.LoadHot), node(g.LineNeutral), c.bench.Constants.ButtonOhms)
		})
		return c.trips()
	}
	return []string{}
}

// Powered reports whether a GFCI's electronics have the voltage they need to
// trip, and to be reset.
func (c *Condition) Powered(device string) bool {
	c.off()
	for i := range c.bench.Model.Wired.Guards {
		if g := &c.bench.Model.Wired.Guards[i]; g.Name == device {
			return c.solver.Volts(node(g.LineHot), node(g.LineNeutral)) >= c.bench.Model.Constants.GFCISupplyVolts
		}
	}
	return true
}
