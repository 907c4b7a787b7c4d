package diagnosis

import (
	"cmp"
	"slices"

	"elvat/core/circuit"
	"elvat/core/fault"
	"elvat/core/tester"
)

// seen are the readings that show something: all but what was put right.
func seen(readings []tester.Reading) []tester.Reading {
	return slices.DeleteFunc(slices.Clone(readings), func(r tester.Reading) bool { return r.Tool == tester.Fixed })
}

// fixedIn lists all that was put right.
func fixedIn(readings []tester.Reading) []circuit.Fault {
	var fixed []circuit.Fault
	for _, r := range readings {
		fixed = append(fixed, r.Faults...)
	}
	return fixed
}

// A Find is what could be found in one box: all that a hypothesis has wrong
// there, and nothing it has wrong elsewhere.
type Find struct {
	Faults []circuit.Fault `json:"faults"`
	Words  string          `json:"words"`
}

// Least probability of a find that is offered, and how many are. Assumption.
const (
	leastFind = 0.01
	mostFinds = 5
)

// finds lists what could be found in each box and the panel, likeliest first.
func (w *weighed) finds() map[string][]Find {
	type find struct {
		Find
		p float64
	}
	index := map[string]*find{}
	bySite := map[string][]*find{}
	for _, h := range w.order {
		if w.probability[h] < negligible {
			continue
		}
		for _, site := range w.e.hypotheses[h].sites {
			here := w.e.at(w.e.hypotheses[h].faults, site)
			words := fault.Name(w.e.circuit, here) + " " + w.e.placeOf(here)
			f := index[site+words]
			if f == nil {
				f = &find{Find: Find{Faults: here, Words: words}}
				index[site+words] = f
				bySite[site] = append(bySite[site], f)
			}
			f.p += w.probability[h]
		}
	}
	finds := map[string][]Find{}
	for site, all := range bySite {
		slices.SortStableFunc(all, func(a, b *find) int { return cmp.Compare(b.p, a.p) })
		for _, f := range all[:min(len(all), mostFinds)] {
			if f.p >= leastFind {
				finds[site] = append(finds[site], f.Find)
			}
		}
	}
	return finds
}

// at are those of the faults that are at the site.
func (e *Engine) at(faults []circuit.Fault, site string) []circuit.Fault {
	var here []circuit.Fault
	for i, f := range faults {
		if fault.Site(e.circuit, faults[i:]) == site {
			here = append(here, f)
		}
	}
	return here
}

// A FoundFault is something seen in an opened box, with what people call it.
type FoundFault struct {
	Fault circuit.Fault `json:"fault"`
	Words string        `json:"words"`
}

// StillThere lists what eyes found and nobody has put right since.
func StillThere(c *circuit.Circuit, readings []tester.Reading) []FoundFault {
	fixed, open := fixedIn(readings), []FoundFault{}
	for _, r := range readings {
		if r.Found == nil {
			continue
		}
		for _, f := range r.Found.Faults {
			if !slices.ContainsFunc(fixed, func(g circuit.Fault) bool { return same(f, g) }) {
				one := []circuit.Fault{f}
				open = append(open, FoundFault{f, fault.Name(c, one) + " " + fault.Place(c, one)})
			}
		}
	}
	return open
}

// same reports whether two faults are the same thing at the same place; how
// many ohms a loose connection has does not tell them apart.
func same(a, b circuit.Fault) bool {
	a.Ohms, b.Ohms = 0, 0
	return a == b
}

// without maps each hypothesis to what is left of it once the faults are gone;
// nil where nothing was put right.
func (e *Engine) without(fixed []circuit.Fault) []int {
	if len(fixed) == 0 {
		return nil
	}
	gone := func(f circuit.Fault) bool {
		return slices.ContainsFunc(fixed, func(g circuit.Fault) bool { return same(f, g) })
	}
	fixed = e.allKnown(fixed)
	left := make([]int, len(e.hypotheses))
	for h := range e.hypotheses {
		left[h] = h
		if h < e.singles && len(e.hypotheses[h].faults) > 0 && !slices.ContainsFunc(e.hypotheses[h].faults, func(f circuit.Fault) bool { return !gone(f) }) {
			left[h] = healthy
		}
	}
	for p, h := range e.pairs {
		still := slices.DeleteFunc(p.members(), func(m int) bool { return left[m] == healthy })
		switch len(still) {
		case len(p.members()):
		case 0:
			left[h] = healthy
		case 1:
			left[h] = still[0]
		default:
			if pair, known := e.pairs[pairOf(still)]; known {
				left[h] = pair
			} else {
				left[h] = still[0]
			}
		}
	}
	return left
}

// after is the reading as taken once something was put right.
func (j *judged) after(left []int) *judged {
	if left == nil {
		return j
	}
	k := len(levels)
	moved := &judged{logs: make([]float64, len(j.logs)), overall: j.overall, codes: make([]string, len(j.codes))}
	for h := range j.codes {
		copy(moved.logs[h*k:(h+1)*k], j.logs[left[h]*k:(left[h]+1)*k])
		moved.codes[h] = j.codes[left[h]]
	}
	moved.fits = func(h int, level float64) bool { return j.fits(left[h], level) }
	return moved
}

// eyes is what opening a box and looking says of a hypothesis. A conductor
// broken inside its cable is not seen.
func (e *Engine) eyes(r *tester.Reading, h *hypothesis) answer {
	here := e.at(h.faults, r.Site)
	overlooked := e.settings.Errors.Eyes
	if len(r.Found.Faults) == 0 {
		if len(here) == 0 {
			return flat("nothing", 1, true)
		}
		return flat("something", overlooked, false)
	}
	for _, f := range e.allKnown(r.Found.Faults) {
		if !slices.ContainsFunc(here, func(g circuit.Fault) bool { return same(f, g) }) {
			// It was seen: a hypothesis without it must be very wrong.
			return flat("something", overlooked/100, false)
		}
	}
	return flat("something", 1-overlooked, true)
}

// PutRight lists the boxes, or the panel, where something was put right.
func PutRight(c *circuit.Circuit, readings []tester.Reading) []string {
	var sites []string
	for _, f := range fixedIn(readings) {
		if site := fault.Site(c, []circuit.Fault{f}); site != "" && !slices.Contains(sites, site) {
			sites = append(sites, site)
		}
	}
	return sites
}
