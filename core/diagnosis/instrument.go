package diagnosis

import (
	"fmt"

	"elvat/core/tester"
)

// An instrument is how a tester's readings at an outlet are weighed: its error model,
// and what it can show. Those here are predicted once for each outlet and kept
// (shown); each has a file of its own. What is asked of every hypothesis anew (buttons,
// a load tester, points of an opened box) is in asked.go.
type instrument interface {
	// likelihood is that of the reading, as a log, at each supply level. Only a meter
	// notices the level. Levels are those at the outlet: what lies on the other leg goes
	// down where this one goes up.
	likelihood(e Errors, r *tester.Reading, s *shown, k tester.Constants, levels, out []float64)
	// fits reports whether the reading is what the hypothesis predicts, within the
	// tester's bounds at the supply level.
	fits(e Errors, r *tester.Reading, s *shown, level float64, k tester.Constants) bool
	// code names what the tester would show of the values that the reading has.
	code(r *tester.Reading, s *shown, k tester.Constants) string
	// fill gives the reading the values that the hypothesis predicts; those that like
	// has, where it is not nil.
	fill(p *tester.Reading, s *shown, level float64, like *tester.Reading, k tester.Constants)
	// outcomes are what it can show of the hypotheses, and how one is taken for another.
	outcomes(e Errors, t *Test, seen func(h int) *shown, k tester.Constants) *outcomes
	// say is how it is proposed.
	say(t *Test) string
}

// instruments are those whose predictions are kept by outlet.
var instruments = map[tester.Tool]instrument{
	tester.Plug: byPlug{}, tester.Sensor: bySensor{}, tester.Lamp: byLamp{}, tester.Meter: byMeter{}, tester.Told: byWord{},
}

// keptByOutlet reports whether what the tester shows is kept by outlet.
func keptByOutlet(r *tester.Reading) bool {
	_, ok := instruments[r.Tool]
	return ok && !r.OnPoints() && r.Asked == ""
}

// otherSay is how the other testers are proposed.
var otherSay = map[tester.Tool]string{
	tester.PlugButton: "Plug tester's button", tester.DeviceButton: "The GFCI's own button", tester.Analyzer: "Load tester", tester.Ohms: "Ohmmeter",
}

// toolWords is how the test's tester is proposed.
func (t *Test) toolWords() string {
	if i, ok := instruments[t.Tool]; ok {
		return i.say(t)
	}
	return otherSay[t.Tool]
}

// levelled gives every supply level the same likelihood.
func levelled(log float64, out []float64) {
	for l := range out {
		out[l] = log
	}
}

// fill gives the reading the values that the hypothesis predicts at the outlet;
// those that like has, where it is not nil.
func (s *stage) fill(p *tester.Reading, outlet, h int, level float64, like *tester.Reading) {
	s.predict([]int{outlet}, []int{h})
	if i, ok := instruments[p.Tool]; ok {
		i.fill(p, &s.shown[outlet][h], level, like, s.bench.Constants)
	}
}

// errNoDevice is about a reading at what is not on the run.
func errNoDevice(at string) error { return fmt.Errorf("at %q: no such device on this circuit", at) }
