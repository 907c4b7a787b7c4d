package diagnosis

import (
	"fmt"
	"math"

	"elvat/core/tester"
)

// byWord weighs what a customer says of an outlet: whether it works.
type byWord struct{}

func (byWord) say(*Test) string { return "" } // it is asked in a sentence of its own

func (byWord) likelihood(e Errors, r *tester.Reading, s *shown, k tester.Constants, _, out []float64) {
	p := e.ToldOutlet
	if s.works(k) == *r.Works {
		p = 1 - e.ToldOutlet
	}
	levelled(math.Log(p), out)
}

func (byWord) fits(_ Errors, r *tester.Reading, s *shown, _ float64, k tester.Constants) bool {
	return s.works(k) == *r.Works
}

func (byWord) code(_ *tester.Reading, s *shown, k tester.Constants) string {
	return fmt.Sprint(s.works(k))
}

func (byWord) fill(p *tester.Reading, s *shown, _ float64, _ *tester.Reading, k tester.Constants) {
	works := s.works(k)
	p.Works = &works
}

func (byWord) outcomes(e Errors, _ *Test, seen func(h int) *shown, k tester.Constants) *outcomes {
	return &outcomes{count: 2, predict: func(h int) int {
		if seen(h).works(k) {
			return 1
		}
		return 0
	}, blur: func(predicted, seen int) float64 {
		if predicted == seen {
			return 1 - e.ToldOutlet
		}
		return e.ToldOutlet
	}}
}
