package diagnosis

import (
	"math"
	"slices"
	"strings"

	"elvat/core/tester"
)

// byMeter weighs volts: a bell round what is predicted at the supply's level, with a
// flat share for what goes wrong otherwise. Of a ghost little is believed.
type byMeter struct{}

func (byMeter) say(t *Test) string {
	if len(t.Pairs) == 1 {
		return "Meter on " + string(t.Mode) + ", hot to neutral"
	}
	return "Meter on " + string(t.Mode)
}

func (byMeter) likelihood(e Errors, r *tester.Reading, s *shown, _ tester.Constants, levels, out []float64) {
	for l, level := range levels {
		out[l] = e.meterLikelihood(r, s, level)
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

// voltsLikelihood is a density per volt: a bell whose stated bound is two
// standard deviations, and a flat share for what goes wrong otherwise.
func (e Errors) voltsLikelihood(predicted, seen, bound float64) float64 {
	sigma := bound / 2
	z := (seen - predicted) / sigma
	const anything = 250 // volts
	return (1-e.VoltsWild)*math.Exp(-z*z/2)/(sigma*math.Sqrt(2*math.Pi)) + e.VoltsWild/anything
}

// voltsBound is how far a meter may be from what is predicted. A ghost depends
// on how cables lie and on the weather, so nothing is read from its exact value.
func (e Errors) voltsBound(s *shown, mode tester.Mode, i int) float64 {
	predicted := s.meter(mode)[i]
	if mode == tester.HighZ && s.ghost[i] {
		return e.GhostShare*predicted + min(e.GhostPlus, ghostSteep*predicted) + e.VoltsPlus
	}
	return e.VoltsShare*predicted + e.VoltsPlus
}

func (byMeter) fits(e Errors, r *tester.Reading, s *shown, level float64, _ tester.Constants) bool {
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
	return true
}

func (byMeter) code(r *tester.Reading, s *shown, _ tester.Constants) string {
	var b strings.Builder
	for i, v := range r.Volts.All() {
		if v != nil {
			b.WriteString(s.bin(r.Mode, i))
		}
	}
	return b.String()
}

func (byMeter) fill(p *tester.Reading, s *shown, level float64, like *tester.Reading, _ tester.Constants) {
	p.Volts = &tester.Volts{}
	values := s.meter(p.Mode)
	for i, v := range values {
		if math.IsNaN(v) || like != nil && like.Volts != nil && like.Volts.All()[i] == nil {
			continue
		}
		p.Volts.Set(i, v*level)
	}
	p.Round()
}

func (byMeter) outcomes(e Errors, t *Test, seen func(h int) *shown, _ tester.Constants) *outcomes {
	return distinct(e.VoltsWild, func(h int) string {
		var key strings.Builder
		for i, name := range tester.VoltNames {
			if len(t.Pairs) > 0 && !slices.Contains(t.Pairs, name) {
				continue
			}
			key.WriteString(seen(h).bin(t.Mode, i))
		}
		return key.String()
	})
}
