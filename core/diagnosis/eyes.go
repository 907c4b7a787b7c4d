package diagnosis

import (
	"cmp"
	"slices"

	"elvat/core/circuit"
	"elvat/core/fault"
	"elvat/core/tester"
)

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

// after is the reading as it speaks of what was so before acts settled some of
// it: left tells what remains of each hypothesis.
func (j *judged) after(left []int, k int) *judged {
	if left == nil {
		return j
	}
	n := len(j.codes)
	moved := &judged{logs: make([]float64, len(j.logs)), overall: j.overall, codes: make([]string, n)}
	rows := func(from []float64, wide int) []float64 {
		if from == nil {
			return nil
		}
		from = longer(from, n*wide)
		to := make([]float64, n*wide)
		for h := range n {
			copy(to[h*wide:(h+1)*wide], from[left[h]*wide:(left[h]+1)*wide])
		}
		return to
	}
	moved.logs = rows(j.logs, k)
	moved.ghosts, moved.legends = rows(j.ghosts, len(ghostScales)), rows(j.legends, len(legends))
	for h := range n {
		moved.codes[h] = j.codes[left[h]]
	}
	moved.fits = func(h int, level float64) bool { return j.fits(left[h], level) }
	return moved
}

// How often what is wrong is overlooked: where something else was found in the
// box, one stops looking; and a conductor broken inside its cable is seen at
// neither end, only by a test of the cable. Assumption.
const (
	overlookedBeside = 0.1
	overlookedCable  = 0.3
)

// eyes is what opening a box and looking says of a hypothesis, beside what was
// found there.
func (e *Engine) eyes(r *tester.Reading, h *hypothesis, k known) answer {
	p, something := 1.0, false
	foundHere := len(r.Found.Faults) > 0
	for i, f := range h.faults {
		where := fault.Site(e.circuit, h.faults[i:])
		cable := e.circuit.Cable(where)
		switch {
		case slices.ContainsFunc(r.Found.Faults, func(g circuit.Fault) bool { return same(g, f) }):
		case where == r.Site && foundHere:
			p, something = p*overlookedBeside, true
		case where == r.Site:
			p, something = p*e.settings.Errors.Eyes, true
		case cable != nil && (cable.To == r.Site || cable.From == r.Site):
			p, something = p*overlookedCable, true
		}
	}
	if something {
		return flat("something", p, false)
	}
	return flat("nothing", p, true)
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
