package diagnosis

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"elvat/core/circuit"
	"elvat/core/tester"
)

// outcomes are what a reading can turn out as, and how a prediction blurs into them.
type outcomes struct {
	count   int
	predict func(h int) int // what the hypothesis shows
	blur    func(predicted, seen int) float64
	kept    []int32 // by hypothesis: one more than what it shows, 0 where not asked yet
	wrong   float64 // of distinct ones: the share taken for another; 0 for others
}

// of is the outcome that the hypothesis predicts.
func (o *outcomes) of(h int) int {
	for len(o.kept) <= h {
		o.kept = append(o.kept, make([]int32, h+1-len(o.kept))...)
	}
	if o.kept[h] == 0 {
		o.kept[h] = int32(o.predict(h)) + 1
	}
	return int(o.kept[h]) - 1
}

// blurred turns the probabilities of what is predicted into those of what is seen.
func (o *outcomes) blurred(predicted []float64) []float64 {
	row := make([]float64, o.count)
	for is, p := range predicted {
		if p == 0 {
			continue
		}
		for seen := range row {
			row[seen] += p * o.blur(is, seen)
		}
	}
	return row
}

// asked is a reading that can be taken on a stage.
type asked struct {
	outlet int
	tool   tester.Tool
	mode   tester.Mode
	to     string // the second point of an ohmmeter, or what is asked
}

// outcomes of a reading. They do not depend on what was read before, so they
// are worked out once for each hypothesis.
func (w *weighed) outcomes(t *Test, s *stage, outlet int) *outcomes {
	key := asked{outlet, t.Tool, t.Mode, string(t.Hint) + strings.Join(t.Pairs, "+")}
	if t.Between != nil {
		key.to = t.Between[0] + t.Between[1]
	}
	if t.Asked != "" {
		key.to = string(t.Asked)
	}
	if s.kinds[key] == nil {
		if t.Asked == "" && t.Tool != tester.Hint {
			w.at(s, outlet)
		}
		s.kinds[key] = w.e.outcomesOf(t, s, outlet)
	}
	return s.kinds[key]
}

func (e *Engine) outcomesOf(t *Test, s *stage, outlet int) *outcomes {
	errors, k := e.settings.Errors, s.bench.Constants
	seen := func(h int) *shown { return &s.shown[outlet][h] }
	if t.Asked != "" {
		return &outcomes{count: len(tester.Answers), predict: func(h int) int {
			return slices.Index(tester.Answers, e.wouldAnswer(t.Asked, h, s))
		}, blur: func(predicted, seen int) float64 {
			return errors.toldLikelihood(tester.Answers[predicted], tester.Answers[seen])
		}}
	}
	if by, ok := instruments[t.Tool]; ok {
		return by.outcomes(errors, t, seen, k)
	}
	switch t.Tool {
	case tester.Hint:
		// Whether it holds is certain under a hypothesis; how it answers is not.
		odds := hintOdds[t.Hint]
		hit := odds.hit
		if e.circuit.Box(t.Site).Material == circuit.Metal {
			hit = odds.metal
		}
		return &outcomes{count: 2, predict: func(h int) int {
			if e.hintHolds(t.Hint, t.Site, h, s) {
				return 1
			}
			return 0
		}, blur: func(predicted, seen int) float64 {
			p := []float64{odds.alarm, hit}[predicted]
			if seen == 1 {
				return p
			}
			return 1 - p
		}}
	case tester.Ohms:
		return distinct(errors.VoltsWild, func(h int) string {
			reads, err := s.settled(h).OhmsBetween(t.Between[0], t.Between[1])
			if err != nil || reads.Open {
				return "open"
			}
			return fmt.Sprint(math.Round(math.Log(reads.Value+errors.OhmsPlus) / math.Log(1+2*errors.OhmsShare)))
		})
	default:
		o := s.bench.Outlets()[outlet]
		return distinct(errors.Trip, func(h int) string { return askedCode(t.Tool, s.settled(h), o) })
	}
}

// askedCode puts a tester on the outlet whose predictions are not kept.
func askedCode(tool tester.Tool, c *tester.Condition, o circuit.Outlet) string {
	switch tool {
	case tester.PlugButton:
		return strings.Join(c.PlugButton(o), "+")
	case tester.DeviceButton:
		return strings.Join(c.DeviceButton(o.Device), "+")
	}
	a := c.Analyze(o)
	code := string(a.Wiring)
	for _, x := range []*float64{a.Ohms.HotNeutral, a.Ohms.Neutral, a.Ohms.Ground} {
		if x == nil {
			code += " -"
		} else {
			code += " " + strconv.FormatFloat(*x, 'g', 1, 64)
		}
	}
	return code
}

// through are the outcomes of what is left of each hypothesis.
func (o *outcomes) through(left []int) *outcomes {
	return &outcomes{count: o.count, wrong: o.wrong, blur: o.blur, predict: func(h int) int { return o.of(left[h]) }}
}

// among narrows distinct outcomes to those that the causes predict, in their
// order: what was asked of other hypotheses before must not matter.
func (o *outcomes) among(causes []cause) *outcomes {
	if o.wrong == 0 {
		return o
	}
	local := map[int]int{}
	for _, c := range causes {
		for _, h := range c.members {
			if kind := o.of(h); !has(local, kind) {
				local[kind] = len(local)
			}
		}
	}
	n := len(local)
	return &outcomes{count: n, predict: func(h int) int {
		if kind := o.of(h); has(local, kind) {
			return local[kind]
		}
		return -1
	}, blur: func(predicted, seen int) float64 {
		switch {
		case n == 1:
			return 1
		case predicted == seen:
			return 1 - o.wrong
		default:
			return o.wrong / float64(n-1)
		}
	}}
}

func has(m map[int]int, k int) bool {
	_, ok := m[k]
	return ok
}

// distinct takes the distinct predictions as what can be seen; each is taken
// for one of the others with the probability wrong.
func distinct(wrong float64, code func(h int) string) *outcomes {
	index := map[string]int{}
	return &outcomes{wrong: wrong, predict: func(h int) int {
		key := code(h)
		if _, known := index[key]; !known {
			index[key] = len(index)
		}
		return index[key]
	}}
}
