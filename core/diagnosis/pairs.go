package diagnosis

import (
	"cmp"
	"fmt"
	"math"
	"slices"

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

// pair is two of the single faults, or three where c is not zero.
type pair struct{ a, b, c int }

// members are the single faults of the pair.
func (p pair) members() []int {
	if p.c == 0 {
		return []int{p.a, p.b}
	}
	return []int{p.a, p.b, p.c}
}

// pairOf puts single faults in order; one alone is no pair.
func pairOf(members []int) pair {
	members = slices.Sorted(slices.Values(members))
	p := pair{a: members[0], b: members[1]}
	if len(members) > 2 {
		p.c = members[2]
	}
	return p
}

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
	slices.SortFunc(best, func(x, y pair) int {
		return cmp.Or(cmp.Compare(x.a, y.a), cmp.Compare(x.b, y.b), cmp.Compare(x.c, y.c))
	})
	best = slices.Compact(best)
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

type scored struct {
	pair
	score float64
}

// bestPairs lists the pairs that score best, and where three faults are looked
// for the best threes with the pairs in them.
func (e *Engine) bestPairs(scores []score) []pair {
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
				best = append(best, scored{pair{a: a, b: b}, v})
			}
		}
	}
	best = bestOf(best, mostPairs)
	pairs := make([]pair, len(best))
	for i, s := range best {
		pairs[i] = s.pair
	}
	if e.settings.Three {
		pairs = append(pairs, e.bestThrees(scores, best[:min(len(best), threesFrom)], base, top)...)
	}
	return pairs
}

func bestOf(all []scored, most int) []scored {
	slices.SortFunc(all, func(x, y scored) int {
		return cmp.Or(cmp.Compare(y.score, x.score), cmp.Compare(x.a, y.a), cmp.Compare(x.b, y.b), cmp.Compare(x.c, y.c))
	})
	return all[:min(len(all), most)]
}

// Threes are made of so many of the best pairs, and so many are kept.
const (
	threesFrom = 40
	mostThrees = 100
)

// bestThrees adds one more fault to the best pairs. A reading that the third
// changes as well as the pair is guessed to show the better of the two.
func (e *Engine) bestThrees(scores []score, pairs []scored, base, top float64) []pair {
	var best []scored
	for _, p := range pairs {
		for c := 1; c < len(scores); c++ {
			if !e.compatible(p.a, c) || !e.compatible(p.b, c) {
				continue
			}
			v := p.score + scores[c].total - base + e.threePrior - e.pairPrior
			for i, differs := range scores[c].differs {
				a, b := scores[p.a].differs[i], scores[p.b].differs[i]
				if !differs || !a && !b {
					continue
				}
				x, y := math.Inf(-1), scores[c].by[i]
				if a {
					x = scores[p.a].by[i]
				}
				if b {
					x = max(x, scores[p.b].by[i])
				}
				v += max(x, y) - x - y + scores[healthy].by[i]
			}
			if v >= top-pairReach {
				best = append(best, scored{pairOf([]int{p.a, p.b, c}), v})
			}
		}
	}
	var threes []pair
	for _, s := range bestOf(best, mostThrees) {
		// The pairs in it as well: they are what is left once one is put right.
		threes = append(threes, s.pair, pair{a: s.a, b: s.b}, pair{a: s.a, b: s.c}, pair{a: s.b, b: s.c})
	}
	return threes
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
	h := hypothesis{weight: 1, why: []string{"two faults at once"}, site: e.hypotheses[p.a].site}
	prior := e.pairPrior
	if p.c != 0 {
		h.why[0], prior = "three faults at once", e.threePrior
	}
	for _, m := range p.members() {
		one := &e.hypotheses[m]
		h.faults, h.sites, h.why = append(h.faults, one.faults[0]), append(h.sites, one.sites...), append(h.why, one.why[0])
		h.weight *= one.weight
		prior += e.prior[m]
	}
	h.name = fault.Name(e.circuit, h.faults)
	slices.Sort(h.sites)
	h.sites = slices.Compact(h.sites)
	e.pairs[p] = len(e.hypotheses)
	e.hypotheses = append(e.hypotheses, h)
	e.prior = append(e.prior, prior)
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
