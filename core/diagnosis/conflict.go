package diagnosis

import (
	"elvat/core/tester"
	"fmt"
	"slices"
)

// A Conflict says that the readings do not go together, and which of them is
// most likely wrong.
type Conflict struct {
	Why string `json:"why"`
	// Reading is the place, among all that was entered, of the reading most
	// likely wrong; -1 where none by itself stands out.
	Reading int    `json:"reading"`
	Words   string `json:"words"` // names it
}

// contradicted is the probability of an explanation outside the catalogue from
// which the readings are said to contradict each other. Assumption.
const contradicted = 0.2

// conflict leaves out each reading in turn, and holds how well the others go
// together against how well all do.
func (w *weighed) conflict() *Conflict {
	if i := w.impossible(); i >= 0 {
		c := &Conflict{Reading: w.place[i], Words: w.e.readingWords(&w.readings[i])}
		c.Why = fmt.Sprintf(
			"Nothing in the catalogue shows what %s showed: %s. Take it again, or mark it doubtful.",
			c.Words,
			w.readings[i].Words(w.e.circuit),
		)
		return c
	}
	if len(w.readings) < 2 {
		return nil
	}
	worst, gain := -1, 0.0
	var all, without []float64
	together := 0.0
	k := len(w.e.levels)
	for i, j := range w.judged {
		if w.readings[i].Doubtful || w.fitted(i) || w.readings[i].GroundPin(tester.Default) == tester.PinLive {
			continue // what a likely hypothesis fits contradicts nothing; a live pin is believed
		}
		if all == nil {
			all = w.logWeights()
			without, together = make([]float64, len(all)), logSum(all)
		}
		for n, h := range w.order {
			for l := range k {
				without[n*k+l] = all[n*k+l] - j.logs[h*k+l]
			}
		}
		// How much likelier the others are by themselves, this one being anything.
		if g := logSum(without) + j.overall - together; g > gain+1e-9 {
			worst, gain = i, g
		}
	}
	c := &Conflict{Reading: -1}
	switch {
	case worst >= 0:
		c.Reading, c.Words = w.place[worst], w.e.readingWords(&w.readings[worst])
		c.Why = fmt.Sprintf(
			"The readings contradict each other. Most likely wrong is %s: take it again, or mark it doubtful.",
			c.Words,
		)
		if w.unexplained >= contradicted {
			c.Why = fmt.Sprintf(
				"Nothing in the catalogue explains all readings. Most likely wrong is %s: take it again, or mark it doubtful.",
				c.Words,
			)
		}
	case w.unexplained >= contradicted:
		c.Why = "Nothing in the catalogue explains all readings, and no one of them stands out as wrong. Three faults at once, a second circuit in a box, or a run that is drawn wrong could."
	default:
		return nil
	}
	return c
}

// logWeights are those of the hypotheses at each supply level.
func (w *weighed) logWeights() []float64 {
	prior := w.e.levelPrior()
	k := len(w.e.levels)
	all := make([]float64, len(w.order)*k)
	for n, h := range w.order {
		for l := range k {
			v := w.priors[h] + prior[l]
			for _, j := range w.judged {
				v += j.logs[h*k+l]
			}
			all[n*k+l] = v
		}
	}
	return all
}

// impossible is a reading that no hypothesis fits, newest first; -1 where
// there is none.
func (w *weighed) impossible() int {
	for i := len(w.readings) - 1; i >= 0; i-- {
		fits := func(h int) bool {
			return slices.ContainsFunc(w.e.levels, func(level float64) bool { return w.judged[i].fits(h, level) })
		}
		if !w.readings[i].Doubtful && !slices.ContainsFunc(w.order, fits) {
			return i
		}
	}
	return -1
}

// likely is the probability from which a hypothesis counts when readings are
// said to contradict each other. Assumption.
const likely = 0.01

// fitted reports whether any likely hypothesis fits the reading.
func (w *weighed) fitted(reading int) bool {
	return slices.ContainsFunc(
		w.order,
		func(h int) bool { return w.probability[h] >= likely && w.judged[reading].fits(h, w.level) },
	)
}
