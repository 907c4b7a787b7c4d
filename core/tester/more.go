package tester

import (
	"fmt"
	"math"
	"math/cmplx"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/network"
)

// puts the three lamps of a plug tester between the slots.
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

// An Analysis is what a load tester shows; nil where it cannot tell.
type Analysis struct {
	Volts, DropPercent *float64
	Ohms               AnalyzedOhms
	Wiring             Wiring
}

// Analyze puts a load tester on the outlet: its three lamps' worth of load,
// then a pulse of current from hot to neutral, and one from hot to ground.
func (c *Condition) Analyze(o circuit.Outlet) Analysis {
	k := c.bench.Constants
	h, n, g := node(o.Hot), node(o.Neutral), node(o.Ground)
	s := c.on(func(s *network.Case) { c.lampsOn(s, o) })
	hn, hg, ng := s.Voltage(h, n), s.Voltage(h, g), s.Voltage(n, g)
	a := Analysis{Wiring: k.wiring(cmplx.Abs(hn), cmplx.Abs(hg), cmplx.Abs(ng))}
	if cmplx.Abs(hn) < k.AnalyzerLeastVolts {
		return a
	}
	a.Volts = number(cmplx.Abs(hn))

	s = c.on(func(s *network.Case) {
		c.lampsOn(s, o)
		s.Connect(h, n, k.AnalyzerOhms)
	})
	amps := s.Volts(h, n) / k.AnalyzerOhms
	loop := cmplx.Abs(s.Voltage(h, n)-hn) / amps
	neutral := cmplx.Abs(s.Voltage(n, g)-ng) / amps
	a.Ohms.HotNeutral = number(loop)
	a.DropPercent = number(100 * k.AnalyzerDropAmps * loop / cmplx.Abs(hn))
	if cmplx.Abs(hg) < k.AnalyzerLeastVolts || cmplx.Abs(ng) > k.AnalyzerMostNeutralVolts {
		return a
	}

	s = c.on(func(s *network.Case) {
		c.lampsOn(s, o)
		s.Connect(h, g, k.AnalyzerOhms)
	})
	hot := loop - neutral
	ground := cmplx.Abs(s.Voltage(h, g)-hg)/(s.Volts(h, g)/k.AnalyzerOhms) - hot
	if ground <= k.AnalyzerMostOhms {
		a.Ohms.Hot, a.Ohms.Neutral, a.Ohms.Ground = number(hot), number(neutral), number(ground)
	}
	return a
}

// number keeps six digits after the point, far beyond any tester's.
func number(x float64) *float64 {
	x = math.Round(x*1e6) / 1e6
	return &x
}

// wiring is the verdict by which of the three voltages are there.
func (k Constants) wiring(hn, hg, ng float64) Wiring {
	present := func(v float64) bool { return v > k.AnalyzerPresentVolts }
	switch [3]bool{present(hn), present(hg), present(ng)} {
	case [3]bool{true, true, false}:
		return WiringCorrect
	case [3]bool{true, false, false}:
		return WiringOpenGround
	case [3]bool{false, true, false}:
		return WiringOpenNeutral
	case [3]bool{false, false, false}:
		return WiringOpenHot
	case [3]bool{false, true, true}:
		return WiringHotGroundReversed
	case [3]bool{true, false, true}:
		return WiringHotNeutralReversed
	default:
		return WiringUnknown
	}
}

// pointNode is the node of a named point.
func (b *Bench) pointNode(name string) (network.Node, error) {
	id, err := b.Model.Wired.Lookup(name, "")
	return node(id), err
}

// PointVolts are a named point's volts to earth, as a sensor held to a bare
// conductor end feels them.
func (c *Condition) PointVolts(point string) (float64, error) {
	at, err := c.bench.pointNode(point)
	if err != nil {
		return 0, err
	}
	c.off()
	return c.solver.Volts(at, network.Earth), nil
}

// VoltsBetween is what a meter shows between two named points.
func (c *Condition) VoltsBetween(a, b string, mode Mode) (float64, error) {
	from, err := c.bench.pointNode(a)
	if err != nil {
		return 0, err
	}
	to, err := c.bench.pointNode(b)
	if err != nil {
		return 0, err
	}
	s := c.on(func(s *network.Case) { s.Connect(from, to, c.bench.modeOhms(mode)) })
	return s.Volts(from, to), nil
}

// OhmsBetween is what an ohmmeter shows between two named points with the
// breaker off: direct current, no capacitance. Open is above 1 megohm.
func (c *Condition) OhmsBetween(a, b string) (Reads, error) {
	dead, err := c.bench.deadBench()
	if err != nil {
		return Reads{}, err
	}
	from, err := dead.pointNode(a)
	if err != nil {
		return Reads{}, err
	}
	to, err := dead.pointNode(b)
	if err != nil {
		return Reads{}, err
	}
	still, err := dead.Try(c.Variation.Faults)
	if err != nil {
		return Reads{}, err
	}
	for _, name := range c.Tripped {
		dead.Model.Open(still.solver, name)
	}
	ohms := real(still.solver.Impedance(from, to))
	if ohms > c.bench.Constants.OpenOhms {
		return Reads{Open: true}, nil
	}
	return Reads{Value: *number(ohms)}, nil
}

// deadBench is the same circuit with the breaker off, at zero frequency.
func (b *Bench) deadBench() (*Bench, error) {
	if b.dead != nil {
		return b.dead, nil
	}
	off := b.Model.Wired.Circuit.Clone()
	off.Breaker.On = false
	off.Supply.Hz = 0
	dead, err := NewBench(off)
	if err != nil {
		return nil, err
	}
	b.dead = dead
	return dead, nil
}

// AmpsAt is what a clamp shows around a conductor ("W2@B1.hot"), or the vector
// sum around all conductors of a cable ("W2@B1").
func (c *Condition) AmpsAt(point string) (float64, error) {
	cable, conductor, _ := strings.Cut(point, ".")
	cable, _, _ = strings.Cut(cable, "@")
	w := c.bench.Model.Wired.Circuit.Cable(cable)
	if w == nil {
		return 0, fmt.Errorf("%s: no cable %s in the file", point, cable)
	}
	c.off()
	var sum complex128
	for i, j := range c.bench.Model.Wired.Joints {
		if j.Kind != circuit.WholeConductor || c.bench.Model.Wired.Circuit.Cables[j.Cable].ID != cable {
			continue
		}
		if conductor != "" && conductor != string(j.Of) {
			continue
		}
		if branch := c.bench.Model.Plan.BranchOf[i]; branch >= 0 {
			sum += c.solver.Current(branch)
		}
	}
	return cmplx.Abs(sum), nil
}

// ReadPoints is what the tool shows on named points: sensor or clamp on one,
// meter or ohms between two.
func (c *Condition) ReadPoints(tool Tool, mode Mode, points ...string) (Reading, error) {
	r := Reading{Tool: tool}
	var err error
	var v float64
	switch {
	case tool == Sensor && len(points) == 1:
		r.Point = points[0]
		v, err = c.PointVolts(points[0])
		r.Level = c.bench.Constants.Level(v)
	case tool == Clamp && len(points) == 1:
		r.Point = points[0]
		v, err = c.AmpsAt(points[0])
		r.Amps = number(v)
	case tool == Meter && len(points) == 2:
		r.Between, r.Mode = &[2]string{points[0], points[1]}, mode
		v, err = c.VoltsBetween(points[0], points[1], mode)
		r.Reads = &Reads{Value: roundVolts(v)}
		if err == nil {
			if tripped := c.trips(); len(tripped) > 0 {
				r.Tripped = tripped
			}
		}
	case tool == Ohms && len(points) == 2:
		r.Between = &[2]string{points[0], points[1]}
		var reads Reads
		reads, err = c.OhmsBetween(points[0], points[1])
		r.Reads = &reads
	default:
		return r, fmt.Errorf("%s: one point for sensor and clamp, two for meter and ohms", tool)
	}
	return r, err
}
