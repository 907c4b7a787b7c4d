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

// likelihoods of a reading at each supply level, as logs. Only a meter notices
// the level. Levels are those at the outlet: what lies on the other leg goes down
// where this one goes up.
func (e Errors) likelihoods(r *tester.Reading, s *shown, k tester.Constants, levels, out []float64) {
	p := 1.0
	switch r.Tool {
	case tester.Plug:
		for i, lit := range r.Lamps.All() {
			if lit != "" {
				p *= e.lampLikelihood(k.Lit(s.lamps[i]), lit)
			}
		}
	case tester.Sensor:
		for i, seen := range r.Slots.All() {
			if seen != "" {
				p *= e.levelLikelihood(k.Level(s.sensor[i]), seen)
			}
		}
	case tester.Lamp:
		p = e.glowLikelihood(k.Glow(s.lamp), r.Glow)
	case tester.Told:
		if p = e.ToldOutlet; s.works(k) == *r.Works {
			p = 1 - e.ToldOutlet
		}
	case tester.Meter:
		for l, level := range levels {
			out[l] = e.meterLikelihood(r, s, level)
		}
		return
	}
	log := math.Log(p)
	for l := range out {
		out[l] = log
	}
}

// meterLikelihood is the log likelihood of what a meter read.
func (e Errors) meterLikelihood(r *tester.Reading, s *shown, level float64) float64 {
	log, predicted := 0.0, s.meter(r.Mode)
	for i, seen := range r.Volts.All() {
		if seen != nil {
			if r.Mode == tester.HighZ && s.ghost[i] {
				continue // by itself: how far ghosts come up is one unknown for the call
			}
			log += math.Log(e.voltsLikelihood(predicted[i]*level, *seen, e.voltsBound(s, r.Mode, i)))
		}
	}
	return log
}

func (e Errors) lampLikelihood(predicted, seen tester.Lit) float64 {
	if predicted == seen {
		return 1 - e.Lamp
	}
	return e.Lamp
}

func (e Errors) glowLikelihood(predicted, seen tester.Glow) float64 {
	if predicted == seen {
		return 1 - e.Glow
	}
	return e.Glow / float64(len(tester.Glows)-1)
}

// levelLikelihood blurs faint into its neighbours, which blur into faint more
// easily than into each other.
func (e Errors) levelLikelihood(predicted, seen tester.Level) float64 {
	switch {
	case predicted == tester.Faint && seen == tester.Faint:
		return 1 - 2*e.FaintBlurs
	case predicted == tester.Faint:
		return e.FaintBlurs
	case predicted == seen:
		return 1 - e.Slot
	case seen == tester.Faint:
		return e.Slot * 0.8
	default:
		return e.Slot * 0.2
	}
}

// voltsLikelihood is a density per volt: a bell whose stated bound is two
// standard deviations, and a flat share for what goes wrong otherwise.
func (e Errors) voltsLikelihood(predicted, seen, bound float64) float64 {
	sigma := bound / 2
	z := (seen - predicted) / sigma
	const anything = 250 // volts
	return (1-e.VoltsWild)*math.Exp(-z*z/2)/(sigma*math.Sqrt(2*math.Pi)) + e.VoltsWild/anything
}

// ghostScales are how far ghosts come up against what the model says, one for
// the whole call: it hangs on how the cables lie, on what leaks, and on whether
// something plugged in drains them. Weights: assumption.
var ghostScales = []struct{ scale, share float64 }{{0.03, 0.15}, {0.3, 0.15}, {0.6, 0.2}, {1, 0.25}, {1.5, 0.15}, {2.2, 0.1}}

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

// voltsBound is how far a meter may be from what is predicted. A ghost depends
// on how cables lie and on the weather, so nothing is read from its exact value.
func (e Errors) voltsBound(s *shown, mode tester.Mode, i int) float64 {
	predicted := s.meter(mode)[i]
	if mode == tester.HighZ && s.ghost[i] {
		return e.GhostShare*predicted + min(e.GhostPlus, ghostSteep*predicted) + e.VoltsPlus
	}
	return e.VoltsShare*predicted + e.VoltsPlus
}

// fits reports whether the reading is what the hypothesis predicts, within
// the meter's bounds at the supply level.
func (e Errors) fits(r *tester.Reading, s *shown, level float64, k tester.Constants) bool {
	switch r.Tool {
	case tester.Plug:
		for i, lit := range r.Lamps.All() {
			if lit != "" && lit != k.Lit(s.lamps[i]) {
				return false
			}
		}
	case tester.Sensor:
		for i, seen := range r.Slots.All() {
			if seen != "" && seen != k.Level(s.sensor[i]) {
				return false
			}
		}
	case tester.Lamp:
		return r.Glow == k.Glow(s.lamp)
	case tester.Told:
		return s.works(k) == *r.Works
	case tester.Meter:
		predicted := s.meter(r.Mode)
		for i, seen := range r.Volts.All() {
			if seen == nil {
				continue
			}
			if r.Mode == tester.HighZ && s.ghost[i] && *seen <= 2.5*predicted[i]+5 {
				continue
			}
			if math.Abs(*seen-predicted[i]*level) > 1.5*e.voltsBound(s, r.Mode, i) {
				return false
			}
		}
	}
	return true
}

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
