package diagnosis

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"elvat/core/circuit"
	"elvat/core/fault"
)

// Two faults at once are too many to keep all: a circuit of 12 boxes has some
// 300,000 pairs. Which of them could matter is found from the single faults:
// where only one of a pair changes what a reading shows, the pair shows what
// that one shows, and its score is exact; where both do, the better of the two
// is taken as a guess. The best by that score join the hypotheses and are
// simulated like any other.
const (
	// mostPairs is how many join at one diagnosis.
	mostPairs = 300
	// pairReach is how far below the best score, as a log, a pair may be. Assumption.
	pairReach = 8
	// keepPairs is how many an engine remembers; more than that, and all are
	// forgotten and join anew as they are wanted.
	keepPairs = 3000
	// likelyPair is the probability from which a pair decides what to test. Assumption.
	likelyPair = 1e-3
)

// pair is two of the single faults.
type pair struct{ a, b int }

// universe is the hypotheses that matter for the readings: the single faults,
// and the pairs that could explain them. It depends on the readings alone, not
// on what was asked before; pairs that joined earlier only save work.
func (e *Engine) universe(all []*judged) ([]int, error) {
	order := make([]int, e.singles)
	for h := range order {
		order[h] = h
	}
	if len(all) == 0 {
		return order, nil
	}
	best := e.bestPairs(e.scores(all))
	slices.SortFunc(best, func(x, y pair) int { return cmp.Or(cmp.Compare(x.a, y.a), cmp.Compare(x.b, y.b)) })
	for _, p := range best {
		if _, known := e.pairs[p]; !known {
			if err := e.join(p); err != nil {
				return nil, err
			}
		}
		order = append(order, e.pairs[p])
	}
	return order, nil
}

// forget drops the pairs, and what was worked out for them, once there are many.
func (e *Engine) forget() {
	if len(e.pairs) <= keepPairs {
		return
	}
	e.hypotheses, e.prior = e.hypotheses[:e.singles], e.prior[:e.singles]
	clear(e.pairs)
	clear(e.judged)
	for _, s := range e.states {
		s.variations = s.variations[:e.singles]
		for o := range s.shown {
			s.shown[o] = s.shown[o][:min(len(s.shown[o]), e.singles)]
		}
		clear(s.kinds)
	}
}

// A score is how a single fault stands to the readings at the likeliest supply level.
type score struct {
	total   float64   // prior and all readings
	by      []float64 // each reading
	differs []bool    // from what the healthy circuit shows
}

func (e *Engine) scores(all []*judged) []score {
	k := len(levels)
	byLevel := make([]float64, k)
	scratch := make([]float64, e.singles)
	for l := range k {
		for h := range e.singles {
			scratch[h] = e.prior[h]
			for _, j := range all {
				scratch[h] += j.logs[h*k+l]
			}
		}
		byLevel[l] = logSum(scratch) + e.settings.Errors.levelPrior()[l]
	}
	l := slices.Index(byLevel, slices.Max(byLevel))
	scores := make([]score, e.singles)
	for h := range scores {
		s := score{total: e.prior[h], by: make([]float64, len(all)), differs: make([]bool, len(all))}
		for i, j := range all {
			s.by[i] = j.logs[h*k+l]
			s.total += s.by[i]
			s.differs[i] = j.codes[h] != j.codes[healthy]
		}
		scores[h] = s
	}
	return scores
}

// healthy is the hypothesis that nothing is wrong.
const healthy = 0

// bestPairs lists the pairs that score best.
func (e *Engine) bestPairs(scores []score) []pair {
	type scored struct {
		pair
		score float64
	}
	base := 0.0
	for _, v := range scores[healthy].by {
		base += v
	}
	var best []scored
	top := math.Inf(-1)
	for _, s := range scores {
		top = max(top, s.total)
	}
	for a := 1; a < len(scores); a++ {
		for b := a + 1; b < len(scores); b++ {
			v := scores[a].total + scores[b].total - base + e.pairPrior
			if v < top-pairReach-overlapMost {
				continue
			}
			for i, differs := range scores[a].differs {
				if differs && scores[b].differs[i] {
					x, y := scores[a].by[i], scores[b].by[i]
					v += max(x, y) - x - y + scores[healthy].by[i]
				}
			}
			if v < top-pairReach {
				continue
			}
			if e.compatible(a, b) {
				best = append(best, scored{pair{a, b}, v})
			}
		}
	}
	slices.SortFunc(best, func(x, y scored) int {
		return cmp.Or(cmp.Compare(y.score, x.score), cmp.Compare(x.a, y.a), cmp.Compare(x.b, y.b))
	})
	best = best[:min(len(best), mostPairs)]
	pairs := make([]pair, len(best))
	for i, s := range best {
		pairs[i] = s.pair
	}
	return pairs
}

// overlapMost bounds what readings that both faults change can add to a score:
// a pair that needs more is far from explaining anything.
const overlapMost = 60

// compatible reports whether two hypotheses are two faults at two places, not
// the same place twice or one of the named compositions with more added.
func (e *Engine) compatible(a, b int) bool {
	one, other := e.hypotheses[a].faults, e.hypotheses[b].faults
	return len(one) == 1 && len(other) == 1 && one[0].At != other[0].At
}

// join makes the pair a hypothesis, on every stage there is.
func (e *Engine) join(p pair) error {
	a, b := &e.hypotheses[p.a], &e.hypotheses[p.b]
	faults := []circuit.Fault{a.faults[0], b.faults[0]}
	h := hypothesis{
		faults: faults, name: fault.Name(e.circuit, faults), sites: append(slices.Clone(a.sites), b.sites...), site: a.site,
		weight: a.weight * b.weight, why: []string{"two faults at once", a.why[0], b.why[0]},
	}
	slices.Sort(h.sites)
	h.sites = slices.Compact(h.sites)
	e.pairs[p] = len(e.hypotheses)
	e.hypotheses = append(e.hypotheses, h)
	e.prior = append(e.prior, e.prior[p.a]+e.prior[p.b]+e.pairPrior)
	for _, s := range e.states {
		if err := s.extend(e.hypotheses); err != nil {
			return fmt.Errorf("%s: %w", h.name, err)
		}
	}
	return nil
}

// extend works out the variations of the hypotheses that the stage does not
// have yet.
func (s *stage) extend(all []hypothesis) error {
	for h := len(s.variations); h < len(all); h++ {
		v, err := s.bench.Model.Vary(all[h].faults)
		if err != nil {
			// The first fault leaves the second nothing to act on: it is the first alone.
			v, err = s.bench.Model.Vary(all[h].faults[:1])
		}
		if err != nil {
			return err
		}
		s.variations = append(s.variations, v)
	}
	return nil
}
