// Package supply says what to take along to a call from what is likely to be
// wrong there, and what a van lacks of it.
package supply

import (
	"cmp"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/fault"
	"elvat/core/makeup"
	"elvat/core/parts"
	"elvat/core/wire"
)

// A Need is something a call is likely to use up.
type Need struct {
	Code        string  `json:"code"`
	Item        string  `json:"item"`
	Count       float64 `json:"count"`
	Unit        string  `json:"unit,omitempty"`
	Probability float64 `json:"probability"` // that what is wrong asks for it
	Why         string  `json:"why"`         // the likeliest of what asks for it
}

// A part is a need of one fault.
type part struct {
	parts.Item
	count float64
}

// Probability from which something is worth carrying in; below it, the van's
// own stock has to do. Assumption.
const worthTaking = 0.05

// jumperFeet of each colour are cut for one box: a jumper, and some to spare.
// Assumption; the jumper itself is 6 in (NEC 300.14, from memory).
const jumperFeet = 1

// cableSpare is what a new cable is cut longer than the old one, in feet.
// Assumption.
const cableSpare = 6

// List is what the suspects ask for, most probable first. conditions tell where
// a device has to stand the weather.
func List(c *circuit.Circuit, r *diagnosis.Result, conditions diagnosis.Conditions) []Need {
	needs := []Need{}
	for _, s := range r.Suspects {
		asked := map[string]bool{}
		for _, f := range s.Faults {
			for _, p := range mends(c, f, conditions) {
				i := slices.IndexFunc(needs, func(n Need) bool { return n.Code == p.Code })
				if i < 0 {
					i = len(needs)
					needs = append(needs, Need{Code: p.Code, Item: p.Words, Unit: p.Unit, Why: s.Name + " " + s.Place})
				}
				needs[i].Count = max(needs[i].Count, p.count)
				if !asked[p.Code] {
					needs[i].Probability += s.Probability
					asked[p.Code] = true
				}
			}
		}
	}
	needs = slices.DeleteFunc(needs, func(n Need) bool { return n.Probability < worthTaking })
	for i := range needs {
		needs[i].Probability = min(needs[i].Probability, 0.99) // never certain
	}
	slices.SortStableFunc(needs, func(a, b Need) int { return cmp.Compare(b.Probability, a.Probability) })
	return needs
}

// mends are what putting the fault right uses up.
func mends(c *circuit.Circuit, f circuit.Fault, conditions diagnosis.Conditions) []part {
	site := fault.Site(c, []circuit.Fault{f})
	box := c.Box(site)
	outdoors := slices.Contains(conditions.Boxes[site], diagnosis.Outdoors)
	gauge := wire.For(c.Breaker.Amps)
	if line := c.LineCable(site); gauge == 0 && line != nil {
		gauge = line.AWG
	}
	var jumpers []part
	for _, colour := range []string{"black", "white", "green"} {
		jumpers = append(jumpers, part{parts.Jumper(gauge, colour), jumperFeet})
	}
	levers := part{parts.Lever(3), 3}
	plate := part{parts.WallPlate([]parts.Face{parts.Duplex}, "standard"), 1}
	switch {
	case f.Kind == circuit.GFCIFault && f.State == "tripped", f.Kind == circuit.BreakerAt && f.State != "failed":
		return nil // reset: nothing is used up
	case f.Kind == circuit.GFCIFault && f.State == "line-load-swapped":
		return append(jumpers, part{parts.Label, 1})
	case f.Kind == circuit.GFCIFault && site == circuit.Panel, f.Kind == circuit.BreakerAt:
		return []part{{breaker(c), 1}}
	case f.Kind == circuit.GFCIFault:
		return []part{device(c, "gfci", outdoors), plate, {parts.Label, 2}}
	case c.Cable(site) != nil:
		cable := c.Cable(site)
		return []part{
			{parts.Cable("NM", cable.AWG, len(cable.Conductors)-1), cable.Feet + cableSpare},
			levers,
		}
	case site == circuit.Panel:
		return jumpers
	case box == nil || len(box.Devices) == 0:
		return append(jumpers, levers)
	}
	kind := "receptacle"
	if slices.ContainsFunc(box.Devices, func(v circuit.Device) bool { return v.Kind == circuit.GFCI && onDevice(v, f) }) {
		kind = "gfci"
	}
	all := append(jumpers, levers, device(c, kind, outdoors))
	if box.Material == circuit.Metal && !box.Bonded || f.Pair == circuit.NeutralGround {
		all = append(all, part{parts.GroundScrew, 1})
	}
	return all
}

// onDevice reports whether the fault sits on the device's own terminals.
func onDevice(v circuit.Device, f circuit.Fault) bool {
	return f.At == v.ID || strings.HasPrefix(f.At, v.ID+".") || strings.HasPrefix(f.To, v.ID+".")
}

// device is what fits the circuit: 15 A does on 20 A circuits too, since a
// duplex counts as two receptacles (NEC 210.21(B), from memory); a GFCI is
// bought as the circuit's.
func device(c *circuit.Circuit, kind string, outdoors bool) part {
	yes := true
	v := makeup.Device{Kind: kind, Amps: min(c.Breaker.Amps, 15), TamperResistant: &yes}
	if kind == "gfci" {
		v.Amps = min(c.Breaker.Amps, 20)
	}
	if outdoors {
		v.WeatherResistant = &yes
	}
	return part{v.Item(), 1}
}

func breaker(c *circuit.Circuit) parts.Item {
	kind := map[circuit.Protection]string{circuit.GFCIBreaker: "GFCI", circuit.AFCIBreaker: "AFCI", circuit.DualBreaker: "AFCI and GFCI"}[c.Breaker.Protection]
	return parts.NewBreaker(c.Breaker.Amps, max(c.Breaker.Poles, 1), kind)
}

// A Stocked item is what a van has of it.
type Stocked struct {
	Van, Item string
	Count     float64
}

// A Use is a part used up, and the van it comes off; from nowhere that is counted
// where Van is empty.
type Use struct {
	Van   string
	Item  string
	Unit  string
	Count float64
}

// firstVan is whose stock is used where the shop has named no van.
const firstVan = "Van 1"

// Vans are those that carry anything, in their order; the first where none does.
func Vans(stock []Stocked) []string {
	all := []string{}
	for _, s := range stock {
		if s.Van != "" && !slices.Contains(all, s.Van) {
			all = append(all, s.Van)
		}
	}
	if len(all) == 0 {
		all = []string{firstVan}
	}
	return all
}

// VanFor is the van that parts come from: that which parts of the call came from
// before, else that which has most of them; "" where none has any.
func VanFor(materials []makeup.Material, stock []Stocked, used []string) string {
	share := map[string]float64{} // of the materials that each has
	var vans []string
	for _, s := range stock {
		if s.Van == "" {
			continue
		}
		if !slices.Contains(vans, s.Van) {
			vans = append(vans, s.Van)
			if slices.Contains(used, s.Van) {
				share[s.Van] += float64(len(materials)) + 1
			}
		}
		for _, m := range materials {
			if m.Item == s.Item {
				share[s.Van] += min(max(s.Count, 0), m.Count) / m.Count
			}
		}
	}
	slices.Sort(vans)
	best := ""
	for _, v := range vans {
		if share[v] > share[best] {
			best = v
		}
	}
	return best
}

// Take says where what is used up comes from: the van that is named, else VanFor.
// No van gives more than it has: what it lacks was bought, or never counted.
func Take(materials []makeup.Material, stock []Stocked, van string, used []string) []Use {
	if van == "" {
		van = VanFor(materials, stock, used)
	}
	have := map[string]float64{}
	for _, s := range stock {
		if s.Van == van {
			have[s.Item] += max(s.Count, 0)
		}
	}
	var all []Use
	for _, m := range materials {
		there := min(have[m.Item], m.Count)
		have[m.Item] -= there
		if van != "" && there > 0 {
			all = append(all, Use{van, m.Item, m.Unit, there})
		}
		if rest := m.Count - there; rest > 1e-9 {
			all = append(all, Use{"", m.Item, m.Unit, rest})
		}
	}
	return all
}

// Materials are the needs as a make-up would use them up.
func Materials(needs []Need) []makeup.Material {
	all := make([]makeup.Material, len(needs))
	for i, n := range needs {
		all[i] = makeup.Material{Code: n.Code, Item: n.Item, Count: n.Count, Unit: n.Unit}
	}
	return all
}

// A Pick is a need held against what is there.
type Pick struct {
	Need
	Have  float64 `json:"have"`
	Short float64 `json:"short"` // to be fetched before driving
}

// Against holds the needs against what a van has, by item.
func Against(needs []Need, have map[string]float64) []Pick {
	picks := make([]Pick, 0, len(needs))
	for _, n := range needs {
		there := max(have[n.Item], 0)
		picks = append(picks, Pick{Need: n, Have: there, Short: max(n.Count-there, 0)})
	}
	return picks
}

// Together adds what another call asks for to what is taken along for a day; why is that call.
// What several ask for is needed if any of them does.
func Together(all, more []Pick, why string) []Pick {
	for _, p := range more {
		i := slices.IndexFunc(all, func(have Pick) bool { return have.Item == p.Item && have.Unit == p.Unit })
		if i < 0 {
			p.Why = why
			all = append(all, p)
			continue
		}
		have := &all[i]
		have.Count += p.Count
		have.Probability = 1 - (1-have.Probability)*(1-p.Probability)
		have.Short = max(0, have.Count-have.Have)
		if !strings.Contains(have.Why, why) {
			have.Why += ", " + why
		}
	}
	slices.SortStableFunc(all, func(a, b Pick) int { return cmp.Compare(b.Probability, a.Probability) })
	return all
}
