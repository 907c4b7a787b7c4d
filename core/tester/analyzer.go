package tester

import (
	"math"
	"math/cmplx"

	"elvat/core/circuit"
	"elvat/core/network"
)

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
