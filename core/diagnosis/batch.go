package diagnosis

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"elvat/core/circuit"
	"elvat/core/tester"
)

// A further reading is worth its while in a batch from this many bits on, on
// top of what is read before it; and so many are proposed. Assumption.
const (
	batchBits = 0.05
	mostBatch = 3
)

// batches lists what else is worth reading at the stop of the first test, and
// what is worth reading before the power goes off, where the first test needs
// it off: afterwards those readings are gone.
func (w *weighed) batches(next []Test) (here, beforeOff []Test) {
	here, beforeOff = []Test{}, []Test{}
	if len(next) == 0 || len(w.all) == 0 {
		return here, beforeOff
	}
	first := next[0]
	live := func(t Test) bool { return t.Do == DoReading && t.Tool != tester.Ohms && t.Tool != tester.Hint }
	if !live(first) {
		return here, w.greedy(nil, func(t Test) bool { return live(t) })
	}
	box := w.boxOf(first.At)
	return w.greedy(&first, func(t Test) bool { return live(t) && w.boxOf(t.At) == box }), beforeOff
}

// greedy picks readings one by one, each for what it adds to those before.
func (w *weighed) greedy(first *Test, permitted func(Test) bool) []Test {
	belief := make([][]float64, 1) // by what was seen so far, then by cause
	belief[0] = make([]float64, len(w.allCauses))
	for c := range w.allCauses {
		if w.allCauses[c].p >= likelyCause {
			belief[0][c] = w.allCauses[c].p
		}
	}
	// What excludes a danger is weighed by one order of the boxes alone: where several are possible
	// it says nothing of the causes of all.
	if first != nil && len(first.seen) == len(w.allCauses) {
		belief = w.split(belief, first)
	}
	picked := []Test{}
	for len(picked) < mostBatch {
		best, gain := -1, batchBits
		for i, t := range w.all {
			again := func(p Test) bool { return p.Say == t.Say }
			if t.GainBits < gain || !permitted(t) || first != nil && again(*first) || slices.ContainsFunc(picked, again) {
				continue
			}
			if g := w.adds(belief, &w.all[i]); g > gain+1e-9 {
				best, gain = i, g
			}
		}
		if best < 0 {
			break
		}
		t := w.all[best]
		t.GainBits, t.Outcomes = rounded(gain), nil
		belief = w.split(belief, &t)
		picked = append(picked, t)
	}
	return picked
}

// given is the probability of what is seen for a cause.
func (w *weighed) given(t *Test, c, seen int) float64 { return t.seen[c][seen] / w.allCauses[c].p }

// split parts the beliefs by what the reading shows; what is seen rarely is left out.
func (w *weighed) split(beliefs [][]float64, t *Test) [][]float64 {
	var out [][]float64
	for _, b := range beliefs {
		for o := range t.seen[0] {
			part := make([]float64, len(b))
			for c := range b {
				part[c] = b[c] * w.given(t, c, o)
			}
			if sum(part) >= rarely {
				out = append(out, part)
			}
		}
	}
	return out
}

// adds is the information, in bits, that the reading adds to the beliefs.
func (w *weighed) adds(beliefs [][]float64, t *Test) float64 {
	bits := 0.0
	for _, b := range beliefs {
		joint := make([][]float64, 0, len(b))
		for c := range b {
			if b[c] == 0 {
				continue // too unlikely to read anything for
			}
			row := make([]float64, len(t.seen[c]))
			for o := range row {
				row[o] = b[c] * w.given(t, c, o)
			}
			joint = append(joint, row)
		}
		bits += sum(b) * information(joint)
	}
	return bits
}

// readingHelps reports whether a reading at some outlet still saves more than
// it costs, against opening boxes in the order of suspicion.
func (w *weighed) readingHelps(tests []Test, causes []cause) bool {
	trial := slices.Clone(tests)
	w.lookAhead(trial, causes)
	if len(trial) == 0 {
		return false
	}
	return slices.MinFunc(trial, func(a, b Test) int { return cmp.Compare(a.Ahead, b.Ahead) }).Do == DoReading
}

// mostSeparations is how many cable ends are thought of. Assumption.
const mostSeparations = 2

// separations proposes to take a cable's end apart where something trips
// whenever it is switched on: the half of the run that is left holds, or trips
// again.
func (w *weighed) separations(causes []cause) []Test {
	if !w.e.settings.Qualified {
		return nil
	}
	trips := 0.0
	first := w.e.circuit.Boxes[0].Devices[0].ID
	outlet := w.now.outlet(first, circuit.Top)
	for h, seen := range w.at(w.now, outlet) {
		if w.counts(h) && seen.short {
			trips += w.probability[h]
		}
	}
	if trips < worthDead {
		return nil
	}
	suspicion := w.bySite()
	type end struct {
		cable *circuit.Cable
		off   float64 // how far the suspicion beyond it is from half of all
	}
	var ends []end
	for i := range w.e.circuit.Cables {
		cable := &w.e.circuit.Cables[i]
		if cable.From == circuit.Panel {
			continue
		}
		beyond := 0.0
		for site, p := range suspicion {
			if w.e.circuit.Box(site) != nil && slices.Contains(w.e.circuit.Upstream(site), cable.To) {
				beyond += p
			}
		}
		ends = append(ends, end{cable, math.Abs(beyond - 0.5)})
	}
	slices.SortStableFunc(ends, func(a, b end) int { return cmp.Compare(a.off, b.off) })
	var tests []Test
	on := true
	for _, e := range ends[:min(len(ends), mostSeparations)] {
		at := e.cable.ID + "@" + e.cable.From
		s, err := w.e.stageOf(&tester.State{BreakerOn: &on, Separated: []string{at}}, w.line.now.loadsOff, w.line.now.known)
		if err != nil {
			continue
		}
		device := w.e.circuit.Box(e.cable.From).Devices[0]
		o := s.outlet(device.ID, circuit.Top)
		tool := tester.Plug
		if !device.HasGroundSlot() {
			tool = tester.Lamp
		}
		t := Test{Do: DoSeparate, At: device.ID, Half: circuit.Top, Tool: tool, Separated: at}
		t.Minutes = w.minutesOf(&t) + w.walk(device.ID)
		w.expect(&t, s, o, causes)
		t.Say = fmt.Sprintf(
			"Power off and proven dead: take the cable to %s apart at %s and cap its ends; close up, power on, and read there whether it holds",
			w.e.circuit.LabelOf(e.cable.To),
			w.e.circuit.LabelOf(e.cable.From),
		)
		tests = append(tests, t)
	}
	return tests
}
