package diagnosis

import (
	"fmt"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/fault"
	"elvat/core/tester"
)

// hintOdds are how often a look from outside answers where it should, and where
// it should not. A metal box or plate screens the sensor. Assumption.
var hintOdds = map[tester.HintName]struct{ hit, metal, alarm float64 }{
	tester.LivePlate: {0.80, 0.40, 0.05},
	tester.WarmPlate: {0.70, 0.70, 0.03},
	tester.Wiggle:    {0.50, 0.50, 0.05},
}

// hintsProposed are those proposed unasked: each one paid in the paired trial
// (docs/accuracy.md).
var hintsProposed = []tester.HintName{tester.LivePlate}

// hinted is the likelihood of the answer, where p is how likely a yes is.
func hinted(p float64, yes bool) float64 {
	if yes {
		return p
	}
	return 1 - p
}

// hints is how likely the hypothesis makes a yes at the box.
func (e *Engine) hints(name tester.HintName, site string, h int, s *stage) float64 {
	odds := hintOdds[name]
	hit := odds.hit
	if box := e.circuit.Box(site); box.Material == circuit.Metal {
		hit = odds.metal
	}
	if e.hintHolds(name, site, h, s) {
		return hit
	}
	return odds.alarm
}

func (e *Engine) hintHolds(name tester.HintName, site string, h int, s *stage) bool {
	switch name {
	case tester.LivePlate:
		c := s.settled(h)
		for _, point := range e.conductorsIn(site) {
			if v, err := c.PointVolts(point); err == nil && v >= tester.Default.StrongVolts {
				return true
			}
		}
		return false
	case tester.WarmPlate:
		return e.looseIn(site, h, s, func(f circuit.Fault) bool {
			watts, _ := e.heat(f.Ohms)
			return f.Kind == circuit.Resistive && watts >= warmWatts
		})
	default:
		return e.looseIn(
			site,
			h,
			s,
			func(f circuit.Fault) bool { return f.Kind == circuit.Resistive || f.Kind == circuit.Open },
		)
	}
}

// conductorsIn are the ends of conductors in the box that can be live.
func (e *Engine) conductorsIn(site string) []string {
	var all []string
	for _, cable := range e.circuit.Cables {
		for _, k := range cable.Conductors {
			if k != circuit.Ground && (cable.From == site || cable.To == site) {
				all = append(all, cable.ID+"@"+site+"."+string(k))
			}
		}
	}
	return all
}

func (e *Engine) looseIn(site string, h int, s *stage, is func(circuit.Fault) bool) bool {
	faults := slices.Concat(s.known.faults, e.hypotheses[h].faults)
	for i, f := range faults {
		if is(f) && fault.Site(e.circuit, faults[i:]) == site {
			return true
		}
	}
	return false
}

// hintTests proposes to hold the sensor to a closed plate where its slots are
// probably dead: whether a live conductor still ends in the box tells at which
// end of a cable an open hot is.
func (w *weighed) hintTests(causes []cause) []Test {
	var tests []Test
	suspicion := w.bySite()
	for _, name := range hintsProposed {
		if !slices.Contains(w.e.settings.Tools, tester.Sensor) {
			break
		}
		for i := range w.e.circuit.Boxes {
			box := &w.e.circuit.Boxes[i]
			o := w.now.outlet(box.Devices[0].ID, circuit.Top)
			t := Test{Do: DoReading, Tool: tester.Hint, Hint: name, Site: box.ID}
			if suspicion[box.ID] < leastHint || w.taken(&t) || w.skipped(&t) || !w.likelyDead(box.Devices[0].ID) {
				continue
			}
			t.Minutes = w.e.settings.Minutes.Hint
			if w.standsAt() != box.ID {
				t.Minutes += w.e.settings.Minutes.Walk
			}
			w.expect(&t, w.now, o, causes)
			t.Say = fmt.Sprintf("Sensor to the closed plate at %s", w.e.circuit.LabelOf(box.ID))
			t.Why = "Nothing is opened. A live conductor that still ends in there sets it off. " + t.Why
			tests = append(tests, t)
		}
	}
	return tests
}

// leastHint is the suspicion from which a look from outside is thought of. Assumption.
const leastHint = 0.05

// hintWords words an answer to a hint.
func hintWords(t *Test, yes bool) string {
	r := tester.Reading{Tool: tester.Hint, Hint: t.Hint, Site: t.Site, Yes: &yes}
	return strings.TrimSpace(r.Words(nil))
}
