package diagnosis

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/tester"
)

// Evidence is what one reading says of one suspect.
type Evidence struct {
	Reading int    `json:"reading"` // its place among the readings
	Words   string `json:"words"`   // a sentence
	Fits    bool   `json:"fits"`
	// Bits is how much likelier the reading is under the suspect than over all
	// that could be wrong, by their weights before any reading, as a power of
	// two: above zero it speaks for it.
	Bits float64 `json:"bits"`
	// Seen and Predicted are the same kind of drawing, side by side; both blank
	// for what has no slots.
	Seen      tester.Delta `json:"seen"`
	Predicted tester.Delta `json:"predicted"`
}

// tells is how many bits a reading must be worth to speak for or against. Assumption.
const tells = 0.5

// Why holds the readings one by one against the suspect that has the faults and
// what nobody recorded beside them: those since something was last put right, for
// before it there was more wrong.
func (e *Engine) Why(readings []tester.Reading, faults []circuit.Fault, beside []Unrecorded) ([]Evidence, error) {
	w, err := e.weigh(readings)
	if err != nil {
		return nil, err
	}
	// What was found belongs to every suspect.
	faults = slices.DeleteFunc(
		slices.Clone(faults),
		func(f circuit.Fault) bool { return slices.Contains(w.line.found, f) },
	)
	h := -1
	for _, other := range w.order {
		if is := &e.hypotheses[other]; slices.Equal(is.faults, faults) && slices.Equal(is.beside, beside) &&
			(h < 0 || w.probability[other] > w.probability[h]) {
			h = other
		}
	}
	if h < 0 {
		return nil, fmt.Errorf("faults: none of the suspects has just these")
	}
	all := []Evidence{}
	for i := w.before; i < len(w.judged); i++ {
		r, j := &w.readings[i], w.judged[i]
		over, under := j.overall, w.under(j, h)
		v := Evidence{
			Reading: w.place[i],
			Fits:    j.fits(h, w.level),
			Bits:    rounded((under - over) / math.Ln2),
			Seen:    r.Delta(tester.Default),
		}
		predicted := e.predicted(&w.line.all[i], h, w.level)
		v.Predicted = predicted.Delta(tester.Default)
		should := cmp.Or(e.foretold(&w.line.all[i], h), predicted.Words(e.circuit), j.codes[h])
		v.Words = e.sentence(r, should, v)
		all = append(all, v)
	}
	return all, nil
}

// under is the log likelihood of the reading under the hypothesis at the
// likeliest supply level.
func (w *weighed) under(j *judged, h int) float64 {
	return j.logs[h*len(w.e.levels)+slices.Index(w.e.levels, w.level)]
}

// predicted is the reading as the hypothesis would have it, as far as its
// values are kept; the zero reading of that tool otherwise.
func (e *Engine) predicted(v *evidence, h int, level float64) tester.Reading {
	r := v.reading
	p := tester.Reading{At: r.At, Half: r.Half, Tool: r.Tool, Mode: r.Mode}
	s, err := e.stageOf(r.State, v.loadsOff, v.known)
	if left := e.leftOf(v.gone); left != nil {
		h = left[h]
	}
	if err != nil || r.OnPoints() {
		return p
	}
	outlet := s.outlet(r.At, r.Half)
	if outlet < 0 {
		return p
	}
	s.fill(&p, outlet, h, level, r)
	return p
}

// foretold says what an act, a question or a look from outside would bring about under the
// hypothesis; "" for a tester that is put on an outlet.
func (e *Engine) foretold(v *evidence, h int) string {
	r := v.reading
	s, err := e.stageOf(r.State, v.loadsOff, v.known)
	if err != nil {
		return ""
	}
	if left := e.leftOf(v.gone); left != nil {
		h = left[h]
	}
	switch {
	case r.Tool == tester.Hint:
		yes := e.hints(r.Hint, r.Site, h, s) > 0.5
		return (&tester.Reading{Tool: tester.Hint, Hint: r.Hint, Yes: &yes}).Words(e.circuit)
	case r.Tool == tester.Told && r.Asked != "":
		return (&tester.Reading{Tool: tester.Told, Asked: r.Asked, Answer: e.wouldAnswer(r.Asked, h, s)}).Words(e.circuit)
	case r.Tool != tester.Act:
		return ""
	}
	switch r.Act {
	case tester.Reset, tester.ResetBreaker:
		held := e.wouldHold(r, h, s)
		return (&tester.Reading{Tool: tester.Act, Act: r.Act, Held: &held}).Words(e.circuit)
	case tester.AllGFCIs:
		if e.tripsToReset(h) {
			return "one of the GFCIs had tripped"
		}
		return "no GFCI had tripped"
	case tester.FindBox:
		if e.undrawn(h, r.At) {
			return "an outlet or junction that nobody drew is there"
		}
		return "no outlet or junction that nobody drew is there"
	}
	return ""
}

// sentence says what the reading speaks for.
func (e *Engine) sentence(r *tester.Reading, should string, v Evidence) string {
	where := e.readingWords(r)
	where = strings.ToUpper(where[:1]) + where[1:]
	doubt := ""
	if r.Doubtful {
		doubt = " It is marked doubtful and counts little."
	}
	switch {
	case v.Fits && v.Bits >= tells:
		return fmt.Sprintf("%s: %s. That speaks for it: %s.%s", where, r.Words(e.circuit), times(v.Bits, "likelier"), doubt)
	case v.Bits <= -tells:
		return fmt.Sprintf("%s: %s. That speaks against it: it would make it %s.%s", where, r.Words(e.circuit), should, doubt)
	case v.Fits:
		return fmt.Sprintf("%s: %s. That fits, as it does others.%s", where, r.Words(e.circuit), doubt)
	default:
		return fmt.Sprintf("%s: %s. It would make it %s, but others fit no better.%s", where, r.Words(e.circuit), should, doubt)
	}
}

// times says a power of two in words.
func times(bits float64, what string) string {
	n := math.Exp2(math.Abs(bits))
	if n >= 100 {
		return "over 100 times " + what
	}
	if n >= 10 {
		return fmt.Sprintf("%.0f times %s", n, what)
	}
	return fmt.Sprintf("%.1f times %s", n, what)
}

// An Outcome is something that a proposed test can turn out as.
type Outcome struct {
	Words       string       `json:"words"` // what is seen
	Delta       tester.Delta `json:"delta"`
	Probability float64      `json:"probability"`
	Then        string       `json:"then"` // what it would mean
}

// Outcomes less probable than leastOutcome are not told, nor more than mostOutcomes.
const (
	leastOutcome = 0.02
	mostOutcomes = 4
	thenCauses   = 2
)

// tellOutcomes fills in what each outcome of the test would mean.
func (w *weighed) tellOutcomes(t *Test, causes []cause, find finder) {
	if t.seen != nil {
		w.tellSeen(t, causes, find)
		return
	}
	if t.remedy == "" {
		return
	}
	found, total, rest := 0.0, 0.0, make([]float64, len(causes))
	for c := range causes {
		total += causes[c].p
		if slices.Contains(causes[c].remedies, t.remedy) {
			found += causes[c].p
		} else {
			rest[c] = causes[c].p
		}
	}
	t.Outcomes = []Outcome{}
	if total > 0 {
		found /= total // what is too unlikely to be a cause is left out on both sides
	}
	yes, then, no := "something wrong in there", "Put it right, then read again what was wrong.", "all sound in there"
	if t.Do == DoAct {
		yes, then, no = "it comes back", "That was it: read again what was wrong.", "nothing comes back"
	}
	if found >= leastOutcome {
		t.Outcomes = append(t.Outcomes, Outcome{Words: yes, Probability: rounded(found), Then: then})
	}
	if 1-found >= leastOutcome {
		t.Outcomes = append(t.Outcomes, Outcome{Words: no, Probability: rounded(1 - found), Then: w.meaning(rest, causes)})
	}
}

// A finder words what is seen as number o of a test, with a drawing of it;
// false where nothing left would show it.
type finder func(t *Test, o int) (tester.Delta, string, bool)

// shows words it by the likeliest hypothesis that would show it.
func (w *weighed) shows(t *Test, o int) (tester.Delta, string, bool) {
	if t.Asked != "" {
		r := tester.Reading{Tool: tester.Told, Asked: t.Asked, Answer: tester.Answers[o]}
		return tester.Delta{}, r.Words(w.e.circuit), true
	}
	if t.Tool == tester.Hint {
		return tester.Delta{}, hintWords(t, o == 1), true
	}
	outlet := t.stage.outlet(t.At, t.Half)
	causes := w.causes()
	kinds := w.outcomes(t, t.stage, outlet).among(causes)
	h := w.likeliest(causes, func(h int) bool { return kinds.of(h) == o })
	if h < 0 {
		return tester.Delta{}, "", false
	}
	r := tester.Reading{At: t.At, Half: t.Half, Tool: t.Tool, Mode: t.Mode}
	t.stage.fill(&r, outlet, h, w.level, nil)
	words := r.Words(w.e.circuit)
	if words == "" {
		words = w.askedWords(t, outlet, h)
	}
	return r.Delta(tester.Default), words, true
}

func (w *weighed) tellSeen(t *Test, causes []cause, find finder) {
	if len(t.seen) == 0 {
		return
	}
	t.Outcomes = []Outcome{}
	total := 0.0
	for _, c := range causes {
		total += c.p
	}
	for o := range t.seen[0] {
		p, by := 0.0, make([]float64, len(causes))
		for c := range causes {
			by[c] = t.seen[c][o]
			p += by[c]
		}
		if p < leastOutcome {
			continue
		}
		delta, words, ok := find(t, o)
		if !ok {
			continue
		}
		t.Outcomes = append(
			t.Outcomes,
			Outcome{Delta: delta, Probability: rounded(p / total), Words: words, Then: w.meaning(by, causes)},
		)
	}
	slices.SortFunc(t.Outcomes, func(a, b Outcome) int {
		return cmp.Or(cmp.Compare(b.Probability, a.Probability), cmp.Compare(a.Words, b.Words), cmp.Compare(a.Then, b.Then))
	})
	t.Outcomes = t.Outcomes[:min(len(t.Outcomes), mostOutcomes)]
}

// likeliest is the most probable hypothesis of the causes that is as asked; -1
// where none is.
func (w *weighed) likeliest(causes []cause, is func(h int) bool) int {
	best := -1
	for _, c := range causes {
		for _, h := range c.members {
			if is(h) && (best < 0 || w.probability[h] > w.probability[best]) {
				best = h
			}
		}
	}
	return best
}

// askedWords is what a tester whose predictions are not kept would show.
func (w *weighed) askedWords(t *Test, outlet, h int) string {
	condition := t.stage.bench.Settle(t.stage.variations[h])
	var r tester.Reading
	var err error
	if t.Between != nil {
		r, err = condition.ReadPoints(t.Tool, t.Mode, t.Between[:]...)
	} else {
		r, err = condition.Read(t.stage.bench.Outlets()[outlet], t.Tool, t.Mode)
	}
	if err != nil {
		return "nothing to be read"
	}
	return r.Words(w.e.circuit)
}

// meaning names the causes that lead where the weights are as given.
func (w *weighed) meaning(by []float64, causes []cause) string {
	total := sum(by)
	if total == 0 {
		return "None of these."
	}
	order := make([]int, len(by))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(by[b], by[a]) })
	var parts []string
	for _, c := range order[:min(len(order), thenCauses)] {
		if p := by[c] / total; p >= inQuestion || len(parts) == 0 {
			parts = append(parts, fmt.Sprintf("%s, %s", w.words(causes[c]), percent(p)))
		}
	}
	text := strings.Join(parts, "; ")
	return strings.ToUpper(text[:1]) + text[1:] + "."
}

// What is told of the evidence for a cause on paper: readings that fit and say
// something, and not more than are read. Assumption.
const (
	tellingBits = 0.3
	mostTold    = 8
)

// Telling are the readings that speak for a cause, in words, for a report.
func Telling(evidence []Evidence) []string {
	var told []string
	for _, e := range evidence {
		if e.Fits && e.Bits > tellingBits && len(told) < mostTold {
			told = append(told, e.Words)
		}
	}
	return told
}
