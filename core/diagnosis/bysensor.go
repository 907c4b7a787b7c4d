package diagnosis

import (
	"math"
	"slices"
	"strings"

	"elvat/core/tester"
)

// bySensor weighs a sensor, slot by slot: what is faint is easily taken for another.
type bySensor struct{}

func (bySensor) say(*Test) string { return "Sensor on the slots" }

func (bySensor) likelihood(e Errors, r *tester.Reading, s *shown, k tester.Constants, _, out []float64) {
	p := 1.0
	for i, seen := range r.Slots.All() {
		if seen != "" {
			p *= e.levelLikelihood(k.Level(s.sensor[i]), seen)
		}
	}
	levelled(math.Log(p), out)
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

func (bySensor) fits(_ Errors, r *tester.Reading, s *shown, _ float64, k tester.Constants) bool {
	for i, seen := range r.Slots.All() {
		if seen != "" && seen != k.Level(s.sensor[i]) {
			return false
		}
	}
	return true
}

func (bySensor) code(r *tester.Reading, s *shown, k tester.Constants) string {
	var b strings.Builder
	for i, level := range r.Slots.All() {
		if level != "" {
			b.WriteString(string(k.Level(s.sensor[i])))
		}
	}
	return b.String()
}

func (bySensor) fill(p *tester.Reading, s *shown, _ float64, _ *tester.Reading, k tester.Constants) {
	p.Slots = &tester.Slots{Hot: k.Level(s.sensor[0]), Neutral: k.Level(s.sensor[1])}
	if !math.IsNaN(s.sensor[2]) {
		p.Slots.Ground = k.Level(s.sensor[2])
	}
}

func (bySensor) outcomes(e Errors, _ *Test, seen func(h int) *shown, k tester.Constants) *outcomes {
	return &outcomes{count: 27, predict: func(h int) int {
		kind := 0
		for i, v := range seen(h).sensor {
			level := tester.None
			if !math.IsNaN(v) {
				level = k.Level(v)
			}
			kind += slices.Index(tester.Levels, level) * []int{1, 3, 9}[i]
		}
		return kind
	}, blur: func(predicted, seen int) float64 {
		p := 1.0
		for range 3 {
			p *= e.levelLikelihood(tester.Levels[predicted%3], tester.Levels[seen%3])
			predicted, seen = predicted/3, seen/3
		}
		return p
	}}
}
