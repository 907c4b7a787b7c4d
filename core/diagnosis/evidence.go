package diagnosis

import (
	"math"
	"slices"

	"elvat/core/tester"
)

// shown is what every tester shows at one outlet under one hypothesis, in volts.
type shown struct {
	lamps  [3]float64
	high   [6]float64
	low    [6]float64
	sensor [3]float64
	lamp   float64
	ghost  [6]bool // of high: a voltage with no power behind it
	yoke   bool    // dangerous to touch
	short  bool    // what is wrong trips the breaker
	known  bool    // worked out
}

// ghostShare is how much of a high-impedance voltage a low-impedance meter
// leaves of one that has power behind it. Assumption.
const ghostShare = 0.7

// leastGhost is the voltage below which a ghost is none: where nothing drives
// one, a meter shows nothing, and that is sure. Assumption.
const leastGhost = 1

// ghostSteep is how fast the doubt about a ghost sets in, per volt of it: where
// nothing drives one, a meter shows nothing, and that is sure. Assumption.
const ghostSteep = 4

// markGhosts finds the voltages that a small load drains.
func (s *shown) markGhosts() {
	for i := range s.high {
		s.ghost[i] = s.high[i] >= leastGhost && s.low[i] < ghostShare*s.high[i]
	}
}

// works reports whether what is plugged in would run.
func (s *shown) works(k tester.Constants) bool {
	glow := k.Glow(s.lamp)
	return glow == tester.Bright || glow == tester.Over
}

func (s *shown) meter(mode tester.Mode) *[6]float64 {
	if mode == tester.LowZ {
		return &s.low
	}
	return &s.high
}

// voltBins part meter readings into what an electrician would call different.
var voltBins = []float64{2, 6, 15, 30, 50, 70, 85, 100, 108, 114, 130, 160, 200, 230}

// bin names what a meter shows; all ghosts are one.
func (s *shown) bin(mode tester.Mode, i int) string {
	volts := s.meter(mode)[i]
	n, _ := slices.BinarySearch(voltBins, volts)
	switch {
	case math.IsNaN(volts):
		return "-"
	case mode == tester.HighZ && s.ghost[i] && n > 0:
		return "ghost"
	}
	return string(rune('A' + n))
}

// levels are the supply levels, relative to nominal, over which meter readings
// are averaged: that divides out what the utility delivers today.
var levels = func() (out []float64) {
	for step := -8; step <= 6; step++ {
		out = append(out, 1+0.01*float64(step))
	}
	return out
}()

// levelPrior is the log weight of each supply level.
func (e *Engine) levelPrior() []float64 {
	out := make([]float64, len(e.levels))
	sum := 0.0
	for i, level := range levels {
		z := (level - 1) / e.settings.Errors.Level
		out[i] = -z * z / 2
		sum += math.Exp(out[i])
	}
	for i := len(levels); i < len(out); i++ {
		out[i] = math.Log(e.settings.Weights.SupplyOff.Value * sum)
	}
	return out
}

// ghostScales are how far ghosts come up against what the model says, one for
// the whole call: it hangs on how the cables lie, on what leaks, and on whether
// something plugged in drains them. Weights: assumption.
var ghostScales = []struct{ scale, share float64 }{
	{0.03, 0.15},
	{0.3, 0.15},
	{0.6, 0.2},
	{1, 0.25},
	{1.5, 0.15},
	{2.2, 0.1},
}

// Of a ghost at its scale: the spread, and the share that is anything. Assumption.
const (
	ghostSpread = 0.3
	ghostPlus   = 4 // volts
	ghostWild   = 0.1
)

// ghosts are the log likelihoods of the ghosts among a meter's values at each
// scale; nil where there are none.
func (e Errors) ghosts(r *tester.Reading, s *shown) []float64 {
	var logs []float64
	for i, seen := range r.Volts.All() {
		if seen == nil || r.Mode != tester.HighZ || !s.ghost[i] {
			continue
		}
		if logs == nil {
			logs = make([]float64, len(ghostScales))
		}
		for g, of := range ghostScales {
			is := min(s.high[i]*of.scale, 120)
			sigma := ghostSpread*is + min(ghostPlus, 1+s.high[i]*ghostSteep)
			z := (*seen - is) / sigma
			logs[g] += math.Log((1-ghostWild)*math.Exp(-z*z/2)/(sigma*math.Sqrt(2*math.Pi)) + ghostWild/150)
		}
	}
	return logs
}

// legends are the ways in which a plug tester's legend can be read wrongly
// throughout: two lamps taken for each other.
var legends = [][3]int{{1, 0, 2}, {0, 2, 1}, {2, 1, 0}}

// logSum is log(sum(exp(x))).
func logSum(x []float64) float64 {
	top := slices.Max(x)
	if math.IsInf(top, -1) {
		return top
	}
	sum := 0.0
	for _, v := range x {
		sum += math.Exp(v - top)
	}
	return top + math.Log(sum)
}
