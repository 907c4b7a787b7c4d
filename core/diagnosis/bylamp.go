package diagnosis

import (
	"math"
	"slices"

	"elvat/core/tester"
)

// byLamp weighs how a test lamp burns.
type byLamp struct{}

func (byLamp) say(*Test) string { return "Test lamp" }

func (byLamp) likelihood(e Errors, r *tester.Reading, s *shown, k tester.Constants, _, out []float64) {
	levelled(math.Log(e.glowLikelihood(k.Glow(s.lamp), r.Glow)), out)
}

func (e Errors) glowLikelihood(predicted, seen tester.Glow) float64 {
	if predicted == seen {
		return 1 - e.Glow
	}
	return e.Glow / float64(len(tester.Glows)-1)
}

func (byLamp) fits(_ Errors, r *tester.Reading, s *shown, _ float64, k tester.Constants) bool {
	return r.Glow == k.Glow(s.lamp)
}

func (byLamp) code(_ *tester.Reading, s *shown, k tester.Constants) string {
	return string(k.Glow(s.lamp))
}

func (byLamp) fill(p *tester.Reading, s *shown, _ float64, _ *tester.Reading, k tester.Constants) {
	p.Glow = k.Glow(s.lamp)
}

func (byLamp) outcomes(e Errors, _ *Test, seen func(h int) *shown, k tester.Constants) *outcomes {
	return &outcomes{count: len(tester.Glows), predict: func(h int) int {
		return slices.Index(tester.Glows, k.Glow(seen(h).lamp))
	}, blur: func(predicted, seen int) float64 {
		return e.glowLikelihood(tester.Glows[predicted], tester.Glows[seen])
	}}
}
