package diagnosis

import (
	"cmp"
	"fmt"
	"slices"

	"elvat/core/circuit"
	"elvat/core/tester"
)

// convinced is the probability that nothing is wrong any more from which one
// hands over, once all that was wrong is read again. Assumption.
const convinced = 0.9

// finished reports whether nothing is left to look for but what was not read yet.
func (w *weighed) finished(r *Result) bool {
	return len(w.readings) > 0 && r.Sound >= convinced && len(w.line.found) == 0
}

// unproven are the halves at which nothing was read since something was put
// right, nor read right before: a second fault may show there only. The nearest
// along the run comes first.
func (w *weighed) unproven() []Test {
	order := w.e.circuit.Order()
	here := slices.Index(order, w.standsAt())
	away := func(box string) int {
		d := slices.Index(order, box) - here
		return max(d, -d)
	}
	var tests []Test
	for _, half := range circuit.Halves {
		for _, box := range order {
			for _, v := range w.e.circuit.Box(box).Devices {
				tools := []tester.Tool{tester.Plug}
				if !v.HasGroundSlot() {
					tools[0] = tester.Meter
				} else if w.toldDead(v.ID, half) {
					tools = append(tools, tester.Lamp) // what did not run must run: lamps light through many ohms
				}
				for _, tool := range tools {
					t := Test{Do: DoReading, At: v.ID, Half: half, Tool: tool}
					if tool == tester.Meter {
						t.Mode = tester.HighZ
					}
					o := w.now.outlet(v.ID, half)
					if w.proven(v.ID, half, tool) || w.skipped(&t) || w.taken(&t) || !w.permitted(w.now, o, tool) {
						continue
					}
					t.Minutes = w.minutesOf(&t) + w.walk(v.ID)
					w.expect(&t, w.now, o, w.causes())
					tests = append(tests, t)
				}
			}
		}
		if len(tests) > 0 {
			break
		}
	}
	if len(tests) == 0 {
		return nil
	}
	// What tells most for its minutes; where nothing tells anything, the nearest.
	worth := func(t Test) float64 {
		if t.GainBits < worthBits/10 {
			return 0
		}
		return t.GainBits / t.Minutes
	}
	slices.SortStableFunc(tests, func(a, b Test) int {
		return cmp.Or(cmp.Compare(worth(b), worth(a)), cmp.Compare(away(w.boxOf(a.At)), away(w.boxOf(b.At))))
	})
	t := tests[0]
	t.Why = "Not read right yet on this call: a second fault may show there only."
	w.tellOutcomes(&t, w.causes(), w.shows)
	w.foresee(&t)
	return []Test{t}
}

// toldDead reports whether the customer said that nothing runs there.
func (w *weighed) toldDead(device string, half circuit.Half) bool {
	return slices.ContainsFunc(w.readings, func(r tester.Reading) bool {
		return r.Tool == tester.Told && r.At == device && r.Half == half && r.Works != nil && !*r.Works
	})
}

// uncleared is what lamps that read right cannot clear: a ground where none is
// drawn may be faked. The sensor tells whether it is live; the ohms between
// neutral and ground on the dead circuit whether it comes from the neutral.
func (w *weighed) uncleared(with ...tester.Tool) []Test {
	for i := range w.e.circuit.Boxes {
		box := &w.e.circuit.Boxes[i]
		if !w.groundDoubted(box.ID) {
			continue
		}
		for j := range box.Devices {
			v := &box.Devices[j]
			if !v.HasGroundSlot() || !w.readsGround(v.ID) {
				continue
			}
			slot := v.ID + "." + string(circuit.Top) + "."
			tests := []Test{
				{Do: DoReading, At: v.ID, Half: circuit.Top, Tool: tester.Sensor},
				{Do: DoReading, At: v.ID, Half: circuit.Top, Tool: tester.Ohms, Between: &[2]string{slot + string(circuit.Neutral), slot + string(circuit.Ground)}},
			}
			for n := range tests {
				t := &tests[n]
				if !slices.Contains(with, t.Tool) || w.taken(t) || w.skipped(t) ||
					t.Tool == tester.Ohms && !slices.Contains(w.e.settings.Tools, tester.Meter) {
					continue
				}
				t.Minutes = w.minutesOf(t) + w.walk(v.ID)
				w.expect(t, w.now, w.now.outlet(v.ID, circuit.Top), w.causes())
				t.Why = "Lamps show a ground there and none is known to be there: faked from the neutral, or by conduit. " + t.Why
				w.tellOutcomes(t, w.causes(), w.shows)
				return []Test{*t}
			}
		}
	}
	return nil
}

// underLoad is the load tester at the ends of the run, where it is carried: a
// loose joint shows on no lamp, and one at the end carries through all before it.
func (w *weighed) underLoad() []Test {
	if !slices.Contains(w.tools(), tester.Analyzer) {
		return nil
	}
	for _, id := range w.e.circuit.Order() {
		box := w.e.circuit.Box(id)
		v := &box.Devices[0]
		o := w.now.outlet(v.ID, circuit.Top)
		t := Test{Do: DoReading, At: v.ID, Half: circuit.Top, Tool: tester.Analyzer}
		if len(w.e.circuit.Outgoing(id)) > 0 || w.taken(&t) || w.skipped(&t) || !w.permitted(w.now, o, tester.Analyzer) {
			continue
		}
		t.Minutes = w.minutesOf(&t) + w.walk(v.ID)
		w.expect(&t, w.now, o, w.causes())
		t.Why = "The end of the run under load: a loose joint on the way shows on no lamp, and here as ohms."
		w.tellOutcomes(&t, w.causes(), w.shows)
		w.foresee(&t)
		return []Test{t}
	}
	return nil
}

// pointsToHeat reports whether complaint or loads speak of heat or dimming, where a
// load tester is thought of while the search goes on; or whether it was used already.
func (w *weighed) pointsToHeat() bool {
	c := w.e.settings.Conditions
	heavy := c.Since == SinceHeavy || c.Complaint == WarmOrScorched || c.Complaint == Dimming
	for _, all := range c.Boxes {
		heavy = heavy || slices.Contains(all, Warm)
	}
	return heavy || slices.ContainsFunc(w.readings, func(r tester.Reading) bool { return r.Tool == tester.Analyzer })
}

// readsGround reports whether lamps showed a ground at the device.
func (w *weighed) readsGround(device string) bool {
	return slices.ContainsFunc(w.since(), func(r tester.Reading) bool {
		return r.At == device && r.Tool == tester.Plug && !r.Doubtful && r.Lamps.HotGround == tester.IsLit
	})
}

// disputed is the check that explains a reading which fits nothing wrong, though
// nothing is probably wrong: another tester on the same half. One from before
// something was put right counts where that does not explain it: that the same
// tester reads right there now may be the misreading.
func (w *weighed) disputed() []Test {
	for i := len(w.readings) - 1; i >= 0; i-- {
		r := &w.readings[i]
		if !keptByOutlet(r) || r.Doubtful || r.Tool == tester.Told || w.judged[i].fits(healthy, w.level) ||
			i < w.line.mendedAt && w.explained(i) {
			continue
		}
		tool, mode := tester.Meter, tester.HighZ
		if r.Tool == tester.Meter {
			tool, mode = tester.Lamp, ""
		}
		t := Test{Do: DoReading, At: r.At, Half: r.Half, Tool: tool, Mode: mode}
		o := w.now.outlet(r.At, r.Half)
		if w.checked(i) || w.taken(&t) || w.skipped(&t) || !w.permitted(w.now, o, tool) || !slices.Contains(w.tools(), tool) {
			continue
		}
		t.Minutes = w.minutesOf(&t) + w.walk(r.At)
		w.expect(&t, w.now, o, w.causes())
		t.Why = fmt.Sprintf(
			"The %s read there what a sound circuit does not show: this tells whether it was misread.",
			r.Tool.Name(),
		)
		w.tellOutcomes(&t, w.causes(), w.shows)
		w.foresee(&t)
		return []Test{t}
	}
	return nil
}

// explained reports whether something that is no fault, as what was plugged in
// then, fits both the reading and all that was read on the half since.
func (w *weighed) explained(reading int) bool {
	of := &w.readings[reading]
	return slices.ContainsFunc(w.order, func(h int) bool {
		if w.probability[h] < negligible || !w.e.hypotheses[h].sound() {
			return false
		}
		for i := reading; i < len(w.readings); i++ {
			r := &w.readings[i]
			if r.At == of.At && r.Half == of.Half && keptByOutlet(r) && !w.judged[i].fits(h, w.level) {
				return false
			}
		}
		return true
	})
}

// checked reports whether another tester was put on the half after the reading.
func (w *weighed) checked(reading int) bool {
	of := &w.readings[reading]
	return slices.ContainsFunc(w.readings[reading+1:], func(r tester.Reading) bool {
		return r.At == of.At && r.Half == of.Half && r.Tool != of.Tool && keptByOutlet(&r) && r.Tool != tester.Told
	})
}

// proven reports whether a tester was put on the half since something was last
// put right, or read right before.
func (w *weighed) proven(device string, half circuit.Half, by tester.Tool) bool {
	for i := range w.readings {
		v := &w.line.all[i]
		r := v.reading
		if r.At != device || r.Half != half || !keptByOutlet(r) || r.Tool == tester.Told || r.Doubtful {
			continue
		}
		// A plug tester does not load what it is put on, and a lamp does not see the ground.
		if by == tester.Lamp && r.Tool == tester.Plug || by == tester.Plug && r.Tool == tester.Lamp {
			continue
		}
		if i >= w.before || w.readsRight(v) {
			return true
		}
	}
	return false
}

// readsRight reports whether the reading is what a sound circuit shows.
func (w *weighed) readsRight(v *evidence) bool {
	s, err := w.e.stageOf(v.reading.State, v.loadsOff, known{beside: v.known.beside})
	if err != nil {
		return false
	}
	o := s.outlet(v.reading.At, v.reading.Half)
	if o < 0 {
		return false
	}
	s.predict([]int{o}, []int{healthy})
	by := instruments[v.reading.Tool]
	return by == nil ||
		by.fits(w.e.settings.Errors, v.reading, &s.shown[o][healthy], s.levelAt(o, w.level), s.bench.Constants)
}

// finish makes sure that there is always something to do, and says when it is done.
func (w *weighed) finish(tests []Test, r *Result) []Test {
	again := slices.ContainsFunc(tests, func(t Test) bool { return t.Again })
	urgent := slices.ContainsFunc(r.Hidden, func(d Danger) bool { return d.Urgent && !d.Shown })
	if w.finished(r) && !again && !urgent {
		if !w.powered() {
			return append([]Test{w.powerOn()}, tests...)
		}
		if unproven := slices.Concat(w.disputed(), w.uncleared(tester.Sensor, tester.Ohms), w.unproven(), w.underLoad()); len(
			unproven,
		) > 0 {
			return append(unproven[:1], except(tests, unproven[:1])...)
		}
		return append([]Test{w.done(r)}, tests...)
	}
	if len(tests) == 0 {
		tests = w.lastResort(r)
	}
	if len(tests) == 0 {
		tests = []Test{w.done(r)}
	}
	return tests
}

// powerOn is what comes before anything can be proven.
func (w *weighed) powerOn() Test {
	return Test{
		Do: DoAct, Act: tester.ResetBreaker, Site: circuit.Panel, Minutes: w.e.settings.Minutes.ToPanel,
		Say: "Everything closed up: breaker on, then read again what was wrong",
		Why: "Nothing is proven with the power off. Reset the GFCIs: they come out of the box tripped.",
	}
}

// done hands over, with what stays unexcluded.
func (w *weighed) done(r *Result) Test {
	t := Test{Do: DoDone, Say: "Nothing is left to look for: hand over"}
	t.Why = fmt.Sprintf("Nothing more is wrong with %s.", percent(r.Sound))
	if r.Sound < convinced {
		t.Why = "No test that is left tells more. Say what stays open, and who looks at it next."
	}
	open := 0
	for _, d := range r.Hidden {
		if !d.Shown {
			open++
		}
	}
	if open > 0 {
		t.Why += fmt.Sprintf(" Dangers that no reading excludes: %d.", open)
	}
	return t
}

// lastResort is what is left where no test is expected to tell anything: the
// reading in question again, then the boxes not looked into yet.
func (w *weighed) lastResort(r *Result) []Test {
	var tests []Test
	if c := r.Conflict; c != nil && c.Reading >= 0 {
		for i, at := range w.place {
			q := &w.readings[i]
			if at == c.Reading && keptByOutlet(q) && q.Tool != tester.Told && !w.line.repeated[w.line.all[i].key] {
				t := Test{Do: DoReading, At: q.At, Half: q.Half, Tool: q.Tool, Mode: q.Mode, Again: true, Why: c.Why}
				t.Minutes = w.minutesOf(&t) + w.walk(q.At)
				t.Say = fmt.Sprintf("%s at %s, %s half, once more", t.toolWords(), w.e.place(t.At), t.Half)
				tests = append(tests, t)
			}
		}
	}
	if r.Sound >= convinced {
		return tests
	}
	suspicion := w.bySite()
	order := append(w.e.circuit.Order(), circuit.Panel)
	slices.SortStableFunc(order, func(a, b string) int { return cmp.Compare(suspicion[b], suspicion[a]) })
	for _, site := range order {
		t := w.opening(site, suspicion[site])
		if !slices.Contains(w.line.looked, site) && !w.skipped(&t) {
			tests = append(tests, t)
		}
	}
	return tests[:min(len(tests), keepTests)]
}
