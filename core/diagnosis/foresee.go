package diagnosis

import (
	"fmt"
	"slices"

	"elvat/core/tester"
)

// What is likely enough to be said before a test is taken: that it trips
// something, and that it puts a current on metal. Assumption.
const (
	saidTrips   = 0.1
	saidCurrent = 1e-4
	// mostTouch is the current through a person from which a test has to say so,
	// in amperes: half a milliampere is felt.
	mostTouch = 0.0005
	foreseen  = 60 // hypotheses that are simulated
)

// foresee simulates the test before it is taken, under whatever may be wrong:
// what it trips, and what it could send through somebody who touches metal.
func (w *weighed) foresee(t *Test) {
	if t.Do != DoReading && t.Do != DoSeparate || t.Tool == tester.Ohms || t.Tool == tester.Hint ||
		t.Tool == tester.Sensor ||
		t.At == "" {
		return
	}
	s := t.stage
	if s == nil {
		s = w.now
	}
	s.extend(len(w.e.hypotheses))
	o := s.outlet(t.At, t.Half)
	if o < 0 {
		return
	}
	trips, touched, p := map[string]float64{}, false, 0.0
	for _, h := range w.likeliestFirst() {
		c := s.settled(h)
		tripped, amps := c.Foresee(s.bench.Outlets()[o], t.Tool, t.Mode, len(t.Pairs) > 0)
		for _, name := range tripped {
			trips[name] += w.probability[h]
		}
		touched = touched || amps > mostTouch && w.probability[h] >= saidCurrent
		p += w.probability[h]
	}
	for _, g := range s.bench.Model.Wired.Guards {
		if p > 0 && trips[g.Name] >= saidTrips*p {
			t.Trips = append(t.Trips, g.Name)
		}
	}
	if len(t.Trips) > 0 && t.Tool != tester.PlugButton && t.Tool != tester.DeviceButton {
		t.Say += fmt.Sprintf(". It trips the GFCI at %s", w.e.place(t.Trips[0]))
	}
	switch {
	case touched:
		t.Grave = true
		t.Caution = "Touch no plate, no ground pin and no metal plugged in on this run while the tester is on: where a ground is open, it carries the tester's current."
	case t.Tool != tester.DeviceButton:
		t.Caution = "Touch no metal on this run while the tester is on."
	}
}

// likeliestFirst are the hypotheses that are foreseen.
func (w *weighed) likeliestFirst() []int {
	if w.foreseen == nil {
		for _, h := range w.order {
			if w.probability[h] >= saidCurrent {
				w.foreseen = append(w.foreseen, h)
			}
		}
		slices.SortStableFunc(w.foreseen, func(a, b int) int {
			switch {
			case w.probability[a] > w.probability[b]:
				return -1
			case w.probability[a] < w.probability[b]:
				return 1
			default:
				return 0
			}
		})
		w.foreseen = w.foreseen[:min(len(w.foreseen), foreseen)]
	}
	return w.foreseen
}
