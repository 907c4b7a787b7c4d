package diagnosis

import (
	"fmt"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/fault"
	"elvat/core/network"
)

// A hypothesis is one way the circuit could be wrong.
type hypothesis struct {
	faults []circuit.Fault
	name   string
	site   string
	sites  []string // of each fault
	weight float64
	why    []string // what raised or lowered the weight
}

// catalogue enumerates the single faults of a circuit, and the few
// compositions the trade has a name for because they kill.
type catalogue struct {
	c     *circuit.Circuit
	w     *circuit.Wired
	table *Weights
	all   []hypothesis
}

// enumerate lists every hypothesis of the circuit; the first is that nothing
// is wrong. Faults that do the same to the network are kept once, by the place
// named first.
func enumerate(model *network.Model, table *Weights) ([]hypothesis, []*network.Variation, error) {
	k := &catalogue{c: model.Wired.Circuit, w: model.Wired, table: table}
	k.add(nil, table.NothingWrong)
	k.breaker()
	for i := range k.c.Cables {
		k.cable(&k.c.Cables[i])
	}
	for i := range k.c.Boxes {
		box := &k.c.Boxes[i]
		for j := range box.Devices {
			k.device(box, &box.Devices[j])
		}
		k.splices(box)
		k.moved(box)
	}
	var kept []hypothesis
	var variations []*network.Variation
	seen := map[string]bool{}
	for _, h := range k.all {
		v, err := model.Vary(h.faults)
		if err != nil {
			return nil, nil, err
		}
		same := fmt.Sprint(v.Opened, v.Loose, v.Bridged, guardStates(v.Guards))
		if seen[same] {
			continue
		}
		seen[same] = true
		kept, variations = append(kept, h), append(variations, v)
	}
	return kept, variations, nil
}

// guardStates tells apart faults that open nothing, such as one that cannot trip.
func guardStates(guards []circuit.Guard) string {
	var b strings.Builder
	for _, g := range guards {
		fmt.Fprint(&b, g.Tripped, g.Dead, g.NoTrip)
	}
	return b.String()
}

// add keeps a hypothesis; its weight is the product of the factors.
func (k *catalogue) add(faults []circuit.Fault, factors ...Weight) {
	h := hypothesis{faults: faults, name: fault.Name(k.c, faults), site: fault.Site(k.c, faults), weight: 1}
	if h.site != "" {
		h.sites = []string{h.site}
	}
	for _, f := range factors {
		h.weight *= f.Value
		h.why = append(h.why, f.Why)
	}
	k.all = append(k.all, h)
}

func one(f circuit.Fault) []circuit.Fault { return []circuit.Fault{f} }

// gone adds the place open, and loose.
func (k *catalogue) gone(at string, factors ...Weight) {
	k.add(one(circuit.Fault{Kind: circuit.Open, At: at}), factors...)
	for _, ohms := range looseOhms {
		k.add(one(circuit.Fault{Kind: circuit.Resistive, At: at, Ohms: ohms}), append(slices.Clone(factors), k.table.LooseOf)...)
	}
}

func (k *catalogue) breaker() {
	k.add(one(circuit.Fault{Kind: circuit.BreakerAt, At: circuit.Panel, State: "tripped"}), k.table.BreakerTripped)
	k.add(one(circuit.Fault{Kind: circuit.BreakerAt, At: circuit.Panel, State: "off"}), k.table.BreakerOff)
	if k.c.Breaker.Protection.SeesGroundFaults() {
		k.guard(circuit.Panel)
	}
}

func (k *catalogue) cable(cable *circuit.Cable) {
	for _, conductor := range cable.Conductors {
		for _, at := range []string{cable.To, cable.From} {
			end := circuit.Point{Kind: circuit.CableEndPoint, Owner: cable.ID, At: at, Conductor: conductor}
			factors := []Weight{k.table.OpenEnd}
			if k.carriesOn(cable, at) {
				factors = append(factors, k.table.CarriesOn)
			}
			k.gone(end.String(), factors...)
		}
		k.gone(cable.ID+"."+string(conductor), k.table.OpenCable)
	}
	for _, pair := range circuit.Pairs {
		a, b := pair.Ends()
		if !cable.Has(a) || !cable.Has(b) {
			continue
		}
		for _, at := range []string{cable.To, cable.From} {
			k.swap(cable.ID+"@"+at, pair, k.table.SwapCableEnd)
		}
	}
}

// carriesOn reports whether the cable's end lands on a device that feeds
// others through it.
func (k *catalogue) carriesOn(cable *circuit.Cable, at string) bool {
	box := k.c.Box(at)
	return box != nil && box.Makeup == circuit.FeedThrough && len(box.Devices) == 1 && len(k.c.Outgoing(at)) > 0
}

func (k *catalogue) swap(at string, pair circuit.Pair, factors ...Weight) {
	if pair != circuit.HotNeutral {
		factors = append(factors, k.table.SwapGround)
	}
	k.add(one(circuit.Fault{Kind: circuit.Swapped, At: at, Pair: pair}), factors...)
}

func (k *catalogue) device(box *circuit.Box, v *circuit.Device) {
	for _, t := range v.Terminals() {
		at := v.ID + "." + t.Name
		id, _ := k.w.Find(at)
		if wires := len(k.w.TerminationsAt(id)); wires > 0 {
			k.gone(at, k.table.OpenJumper)
		}
	}
	for _, half := range circuit.Halves {
		for _, conductor := range []circuit.Conductor{circuit.Hot, circuit.Neutral, circuit.Ground} {
			if conductor == circuit.Ground && !v.HasGroundSlot() {
				continue
			}
			k.gone(v.ID+"."+string(half)+"."+string(conductor), k.table.OpenSlot)
		}
	}
	if v.Kind == circuit.Receptacle {
		if v.Tab.Hot == circuit.TabIntact {
			k.gone(v.ID+".tab.hot", k.table.OpenTab)
		}
		if v.Tab.Neutral == circuit.TabIntact {
			k.gone(v.ID+".tab.neutral", k.table.OpenTab)
		}
	}
	for _, pair := range circuit.Pairs {
		k.swap(v.ID, pair, k.table.SwapDevice)
	}
	k.bonds(box, v)
	k.protection(box, v)
}

// protection lists how a GFCI fails, and what it would trip on.
func (k *catalogue) protection(box *circuit.Box, v *circuit.Device) {
	if v.Kind == circuit.GFCI {
		k.guard(v.ID)
		k.add(one(circuit.Fault{Kind: circuit.GFCIFault, At: v.ID, State: "line-load-swapped"}), k.table.LineLoadSwapped)
	}
	if !hasGuards(k.c) {
		return
	}
	k.add(one(circuit.Fault{Kind: circuit.Leak, At: v.ID, Ohms: leakOhms}), k.table.Leak)
	if v.ID == box.Devices[0].ID {
		k.add(one(circuit.Fault{Kind: circuit.Touching, At: box.ID, Pair: circuit.NeutralGround, Ohms: 0.05}), k.table.Touching)
	}
}

// guard lists how what compares currents fails.
func (k *catalogue) guard(at string) {
	for _, f := range []struct {
		state  string
		weight Weight
	}{{"tripped", k.table.GFCITripped}, {"dead", k.table.GFCIDead}, {"no-trip", k.table.GFCINoTrip}} {
		k.add(one(circuit.Fault{Kind: circuit.GFCIFault, At: at, State: f.state}), f.weight)
	}
}

// leakOhms is a leak that trips a GFCI: 8 mA at 120 V. Assumption.
const leakOhms = 15e3

func (k *catalogue) bonds(box *circuit.Box, v *circuit.Device) {
	bond := func(pair circuit.Pair) circuit.Fault {
		return circuit.Fault{Kind: circuit.Bonded, At: v.ID, Pair: pair, Ohms: 0.02}
	}
	bootleg, grounded := k.table.BootlegNoGround, k.c.GroundArrives(box.ID)
	if grounded {
		bootleg = k.table.Bootleg
	}
	k.add(one(bond(circuit.NeutralGround)), bootleg)
	k.add(one(bond(circuit.HotNeutral)), k.table.Short)
	k.add(one(bond(circuit.HotGround)), k.table.Short)

	reverse := []circuit.Fault{{Kind: circuit.Swapped, At: v.ID, Pair: circuit.HotNeutral}, bond(circuit.NeutralGround)}
	if !grounded {
		k.add(reverse, bootleg, k.table.ReverseBootleg)
		return
	}
	// With a sound ground this is a short; it lives only where the ground is open too.
	if line := k.c.LineCable(box.ID); line != nil {
		open := circuit.Fault{Kind: circuit.Open, At: line.ID + "@" + box.ID + "." + string(circuit.Ground)}
		k.add(append(reverse, open), bootleg, k.table.ReverseBootleg, k.table.GroundOpenToo)
	}
}

func (k *catalogue) splices(box *circuit.Box) {
	for _, name := range k.landings(box) {
		if strings.Contains(name, ".splice:") {
			k.gone(name, k.table.OpenSplice)
		}
	}
}

// landings lists the points of a box where a conductor could land by mistake:
// its splices and the first terminals of its devices, where something lands.
func (k *catalogue) landings(box *circuit.Box) []string {
	var names []string
	for _, pair := range k.c.Pairs(box) {
		for _, name := range pair {
			p, err := k.c.ParsePoint(name, box.ID)
			if err != nil || p.Kind != circuit.SplicePoint && p.Kind != circuit.TerminalPoint {
				continue
			}
			if !slices.Contains(names, p.String()) {
				names = append(names, p.String())
			}
		}
	}
	return names
}

// moved lands each conductor end of the box on each wrong splice or terminal.
func (k *catalogue) moved(box *circuit.Box) {
	landings := k.landings(box)
	for _, pair := range k.c.Pairs(box) {
		for i, name := range pair {
			from, err := k.c.ParsePoint(name, box.ID)
			if err != nil || from.Kind != circuit.CableEndPoint {
				continue
			}
			right, err := k.c.ParsePoint(pair[1-i], box.ID)
			if err != nil {
				continue
			}
			for _, to := range landings {
				p, err := k.c.ParsePoint(to, box.ID)
				if err != nil || p == right || p.Conductor == from.Conductor && p.Kind == circuit.TerminalPoint {
					continue
				}
				k.add(one(circuit.Fault{Kind: circuit.Moved, At: from.String(), To: to}), k.table.Moved)
			}
		}
	}
}
