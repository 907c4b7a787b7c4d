package diagnosis

import (
	"math"
	"strings"

	"elvat/core/tester"
)

// byPlug weighs three lamps: each is misread by itself.
type byPlug struct{}

func (byPlug) say(*Test) string { return "Plug tester" }

func (byPlug) likelihood(e Errors, r *tester.Reading, s *shown, k tester.Constants, _, out []float64) {
	p := 1.0
	for i, lit := range r.Lamps.All() {
		if lit != "" {
			p *= e.lampLikelihood(k.Lit(s.lamps[i]), lit)
		}
	}
	levelled(math.Log(p), out)
}

func (e Errors) lampLikelihood(predicted, seen tester.Lit) float64 {
	if predicted == seen {
		return 1 - e.Lamp
	}
	return e.Lamp
}

func (byPlug) fits(_ Errors, r *tester.Reading, s *shown, _ float64, k tester.Constants) bool {
	for i, lit := range r.Lamps.All() {
		if lit != "" && lit != k.Lit(s.lamps[i]) {
			return false
		}
	}
	return true
}

func (byPlug) code(r *tester.Reading, s *shown, k tester.Constants) string {
	var b strings.Builder
	for i, lit := range r.Lamps.All() {
		if lit != "" {
			b.WriteString(string(k.Lit(s.lamps[i])))
		}
	}
	return b.String()
}

func (byPlug) fill(p *tester.Reading, s *shown, _ float64, like *tester.Reading, k tester.Constants) {
	p.Lamps = &tester.Lamps{
		HotNeutral:    k.Lit(s.lamps[0]),
		HotGround:     k.Lit(s.lamps[1]),
		NeutralGround: k.Lit(s.lamps[2]),
	}
	if like == nil || like.Lamps == nil {
		return
	}
	for i, lamp := range []*tester.Lit{&p.Lamps.HotNeutral, &p.Lamps.HotGround, &p.Lamps.NeutralGround} {
		if like.Lamps.All()[i] == "" {
			*lamp = ""
		}
	}
}

func (byPlug) outcomes(e Errors, _ *Test, seen func(h int) *shown, k tester.Constants) *outcomes {
	return &outcomes{count: 8, predict: func(h int) int {
		kind := 0
		for i := range 3 {
			if k.Lit(seen(h).lamps[i]) == tester.IsLit {
				kind |= 1 << i
			}
		}
		return kind
	}, blur: func(predicted, seen int) float64 {
		p := 1.0
		for i := range 3 {
			if (predicted^seen)>>i&1 == 1 {
				p *= e.Lamp
			} else {
				p *= 1 - e.Lamp
			}
		}
		return p
	}}
}
