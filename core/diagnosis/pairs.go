package diagnosis

import (
	"cmp"
	"math"
	mathbits "math/bits"
	"slices"
	"strings"

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

// universe is the hypotheses that matter for the readings: those of the
// catalogue, the loose joints whose ohms the readings tell, and the pairs that
// could explain them. It depends on the readings alone, not on what was asked
// before; pairs that joined earlier only save work.
func (e *Engine) universe(all []*judged, line *timeline, loose []int) ([]int, error) {
	order := make([]int, e.singles, e.singles+len(loose)+mostPairs)
	for h := range order {
		order[h] = h
	}
	order = append(order, loose...)
	if len(all) == 0 {
		return order, nil
	}
	best := e.bestPairs(e.scores(all, order, line))
	slices.SortFunc(best, func(x, y pair) int {
		return cmp.Or(cmp.Compare(x.a, y.a), cmp.Compare(x.b, y.b), cmp.Compare(x.c, y.c))
	})
	best = slices.Compact(best)
	for _, p := range best {
		if _, known := e.pairs[p]; !known {
			e.join(p)
		}
		order = append(order, e.pairs[p])
	}
	return order, nil
}

// forget drops the pairs, and what was worked out for them, once there are many.
func (e *Engine) forget() {
	if len(e.hypotheses)-e.singles <= keepPairs {
		return
	}
	for _, h := range e.hypotheses[e.singles:] {
		delete(e.index, elementsKey(h.faults, h.beside))
	}
	e.hypotheses, e.prior, e.priorFound = e.hypotheses[:e.singles], e.prior[:e.singles], e.priorFound[:e.singles]
	clear(e.pairs)
	clear(e.judged)
	clear(e.left)
	clear(e.remedy)
	// A call has few states; those of what was known in others go.
	clear(e.states)
}

// A score is how a single hypothesis stands to the readings at the likeliest
// supply level.
type score struct {
	h       int
	total   float64   // prior and all readings
	by      []float64 // each reading
	differs []uint64  // from what the sound circuit shows: a bit for each reading
}

func (e *Engine) scores(all []*judged, order []int, line *timeline) []score {
	k := len(e.levels)
	prior := e.priors(line)
	best, l := math.Inf(-1), 0
	scratch := make([]float64, len(order))
	for level := range k {
		for n, h := range order {
			scratch[n] = prior[h]
			for _, j := range all {
				scratch[n] += j.logs[h*k+level]
			}
		}
		if v := logSum(scratch) + e.levelPrior()[level]; v > best {
			best, l = v, level
		}
	}
	words := (len(all) + 63) / 64
	scores := make([]score, len(order))
	flat, bits := make([]float64, len(order)*len(all)), make([]uint64, len(order)*words)
	for n, h := range order {
		s := score{h: h, total: prior[h], by: flat[n*len(all) : (n+1)*len(all)], differs: bits[n*words : (n+1)*words]}
		for i, j := range all {
			s.by[i] = j.logs[h*k+l]
			s.total += s.by[i]
			if j.codes[h] != j.codes[healthy] {
				s.differs[i/64] |= 1 << (i % 64)
			}
		}
		scores[n] = s
	}
	return scores
}

// priors are the log weights of the hypotheses before any reading, or once a
// fault was found those of what else is wrong; what is known to be so is no
// further hypothesis.
func (e *Engine) priors(line *timeline) []float64 {
	if len(line.found)+len(line.putRight) == 0 && len(line.now.known.beside) == 0 {
		return e.prior
	}
	prior := e.prior
	if len(line.found)+len(line.putRight) > 0 {
		prior = e.priorFound
	}
	out := slices.Clone(prior)
	known := e.allKnown(slices.Concat(line.found, line.putRight))
	for h := range out {
		hyp := &e.hypotheses[h]
		if slices.ContainsFunc(hyp.faults, func(f circuit.Fault) bool {
			return slices.ContainsFunc(known, func(g circuit.Fault) bool { return same(f, g) })
		}) {
			out[h] = math.Inf(-1)
		}
	}
	return out
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
	sound := scores[healthy].by
	for _, v := range sound {
		base += v
	}
	top := math.Inf(-1)
	for i := range scores {
		top = max(top, scores[i].total)
	}
	// What goes with a fault and changes nothing that was read is no pair to weigh.
	sorted := slices.DeleteFunc(slices.Clone(scores), func(s score) bool {
		changes := func(bits uint64) bool { return bits != 0 }
		return s.h == healthy || math.IsInf(s.total, -1) ||
			e.hypotheses[s.h].nuisance && !slices.ContainsFunc(s.differs, changes)
	})
	slices.SortFunc(sorted, func(x, y score) int { return cmp.Or(cmp.Compare(y.total, x.total), cmp.Compare(x.h, y.h)) })
	most := max(e.pairPrior, -e.prior[healthy])
	var best []scored
	for i := range sorted {
		a := &sorted[i]
		for j := i + 1; j < len(sorted); j++ {
			b := &sorted[j]
			v := a.total + b.total - base
			if v+most < top-pairReach-overlapMost {
				break
			}
			for word, bits := range a.differs {
				for both := bits & b.differs[word]; both != 0; both &= both - 1 {
					n := word*64 + mathbits.TrailingZeros64(both)
					v += sound[n] - min(a.by[n], b.by[n])
				}
			}
			if v+most < top-pairReach {
				continue
			}
			v += e.beside(a.h, b.h)
			if v >= top-pairReach && e.compatible(a.h, b.h) {
				best = append(best, scored{pairOf([]int{a.h, b.h}), v})
			}
		}
	}
	best = bestOf(best, mostPairs)
	pairs := make([]pair, len(best))
	for i, s := range best {
		pairs[i] = s.pair
	}
	if e.settings.Three {
		by := map[int]*score{}
		for i := range scores {
			by[scores[i].h] = &scores[i]
		}
		pairs = append(pairs, e.bestThrees(by, sorted, best[:min(len(best), threesFrom)], base, top)...)
	}
	return pairs
}

// beside is what a pair weighs beside the weights of its two, as a log.
func (e *Engine) beside(a, b int) float64 {
	if e.hypotheses[a].nuisance || e.hypotheses[b].nuisance {
		return -e.prior[healthy] // each nuisance has the odds of being so in it
	}
	return e.pairPrior
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
func (e *Engine) bestThrees(by map[int]*score, singles []score, pairs []scored, base, top float64) []pair {
	var best []scored
	sound := by[healthy].by
	for _, p := range pairs {
		for n := range singles {
			c := &singles[n]
			if !e.compatible(p.a, c.h) || !e.compatible(p.b, c.h) || len(e.hypotheses[c.h].beside) > 0 {
				continue
			}
			v := p.score + c.total - base + e.threePrior - e.pairPrior
			a, b := by[p.a], by[p.b]
			for i := range c.by {
				bit := uint64(1) << (i % 64)
				inA, inB := a.differs[i/64]&bit != 0, b.differs[i/64]&bit != 0
				if c.differs[i/64]&bit == 0 || !inA && !inB {
					continue
				}
				x, y := math.Inf(-1), c.by[i]
				if inA {
					x = a.by[i]
				}
				if inB {
					x = max(x, b.by[i])
				}
				v += max(x, y) - x - y + sound[i]
			}
			if v >= top-pairReach {
				best = append(best, scored{pairOf([]int{p.a, p.b, c.h}), v})
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

// compatible reports whether two hypotheses are two faults at two places, or a
// fault with something nobody recorded; not the same place twice, or one of the
// named compositions with more added.
func (e *Engine) compatible(a, b int) bool {
	one, other := &e.hypotheses[a], &e.hypotheses[b]
	if len(one.beside) > len(other.beside) {
		one, other = other, one
	}
	switch {
	case len(one.beside) > 0:
		return len(one.faults) == 0 && len(other.faults) == 0 && one.beside[0].Kind != other.beside[0].Kind
	case len(other.beside) > 0:
		return len(other.faults) == 0 && len(one.faults) > 0
	default:
		return len(one.faults) == 1 && len(other.faults) == 1 && one.faults[0].At != other.faults[0].At
	}
}

// join makes the pair a hypothesis.
func (e *Engine) join(p pair) {
	h := hypothesis{weight: 1, why: []string{"two faults at once"}}
	prior, found := e.pairPrior, 0.0
	if p.c != 0 {
		h.why[0], prior = "three faults at once", e.threePrior
	}
	nuisances := 0
	for _, m := range p.members() {
		one := &e.hypotheses[m]
		if h.site == "" {
			h.site = one.site
		}
		h.faults, h.beside = append(h.faults, one.faults...), append(h.beside, one.beside...)
		h.sites, h.why = append(h.sites, one.sites...), append(h.why, one.why[0])
		h.weight *= one.weight
		prior += e.prior[m]
		found += e.priorFound[m]
		if one.nuisance {
			nuisances++
			found -= e.priorFound[healthy]
		}
	}
	if nuisances > 0 {
		prior += -e.pairPrior - e.prior[healthy]
		h.why[0] = "with something nobody recorded"
	}
	h.nuisance = nuisances == len(p.members())
	h.name = e.nameFor(&h)
	slices.Sort(h.sites)
	h.sites = slices.Compact(h.sites)
	key := elementsKey(h.faults, h.beside)
	if at, known := e.index[key]; known {
		e.pairs[p] = at
		return
	}
	e.pairs[p] = e.addHypothesis(h)
	e.prior, e.priorFound = append(e.prior, prior), append(e.priorFound, found)
}

// nameFor is what the trade calls the hypothesis; what only goes with a fault
// is no part of it.
func (e *Engine) nameFor(h *hypothesis) string {
	var names []string
	if len(h.faults) > 0 {
		names = append(names, fault.Name(e.circuit, h.faults))
	}
	for _, u := range h.beside {
		if len(h.faults) == 0 || u.Kind == Switched || u.Kind == GFCIElsewhere || u.Kind == BoxUndrawn {
			names = append(names, u.name())
		}
	}
	return strings.Join(names, " and ")
}
