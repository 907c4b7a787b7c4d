package tester

import (
	"fmt"
	"math/cmplx"
	"strings"

	"elvat/core/circuit"
	"elvat/core/network"
)

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
	v, err := dead.varied(c.Variation)
	if err != nil {
		return Reads{}, err
	}
	still := dead.Settle(v)
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
	dead.twins = map[*network.Variation]*network.Variation{}
	b.dead = dead
	return dead, nil
}

// varied is the same faults on this bench, worked out once.
func (b *Bench) varied(of *network.Variation) (*network.Variation, error) {
	if v := b.twins[of]; v != nil {
		return v, nil
	}
	again := of.Again
	if again == nil {
		again = func(m *network.Model) (*network.Variation, error) { return m.Vary(of.Faults) }
	}
	v, err := again(b.Model)
	if err != nil {
		return nil, err
	}
	b.twins[of] = v
	return v, nil
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
