package diagnosis

import (
	"errors"
	"fmt"
	"runtime"
	"runtime/debug"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"elvat/core/circuit"
	"elvat/core/fault"
	"elvat/core/network"
)

// A hypothesis is one way the circuit could be wrong.
type hypothesis struct {
	faults []circuit.Fault
	beside []Unrecorded // what nobody recorded and is so
	name   string
	site   string
	sites  []string // of each fault
	weight float64
	why    []string // what raised or lowered the weight
	keys   []string // the rows of the table in it, where they are asked for
	// nuisance: alone it is no cause of anything; its weight is the odds that it
	// is so, whatever is wrong.
	nuisance bool
}

// sound reports whether nothing is to be put right.
func (h *hypothesis) sound() bool { return len(h.faults) == 0 && (len(h.beside) == 0 || h.nuisance) }

// An openPlace is where a connection can let go, or be loose.
type openPlace struct {
	at      string
	factors []Weight
}

// catalogue enumerates the single faults of a circuit, and the few
// compositions the trade has a name for because they kill.
type catalogue struct {
	c          *circuit.Circuit
	w          *circuit.Wired
	table      *Weights
	conditions Conditions
	all        []hypothesis
	places     []openPlace
	ohms       []float64         // of loose connections
	keys       map[Weight]string // rows of the table, where they are asked for
}

// enumerate lists every hypothesis of the circuit; the first is that nothing
// is wrong. Faults that do the same to the network are kept once, by the place
// named first.
func enumerate(
	model *network.Model,
	table *Weights,
	conditions Conditions,
) ([]hypothesis, []*network.Variation, map[string]int, []openPlace, error) {
	k := &catalogue{c: model.Wired.Circuit, w: model.Wired, table: table, conditions: conditions, ohms: looseOhms}
	k.faults()
	k.unrecorded()
	var kept []hypothesis
	var variations []*network.Variation
	seen := map[string]int{}
	varied, err := varyAll(model, k.all)
	if err != nil {
		return nil, nil, nil, nil, err
	}
	for i, h := range k.all {
		v := varied[i]
		if len(h.beside) == 0 {
			// A fault by two names is one; what nobody recorded is another matter,
			// though it does the same.
			effect := effectOf(v)
			if _, known := seen[effect]; known {
				continue
			}
			seen[effect] = len(kept)
		}
		kept, variations = append(kept, h), append(variations, v)
	}
	places := slices.DeleteFunc(k.places, func(p openPlace) bool {
		open := func(h hypothesis) bool {
			return len(h.faults) == 1 && h.faults[0].Kind == circuit.Open && h.faults[0].At == p.at
		}
		return !slices.ContainsFunc(kept, open)
	})
	return kept, variations, seen, places, nil
}

// varyAll works out all variations, on as many workers as there are processors.
func varyAll(model *network.Model, all []hypothesis) ([]*network.Variation, error) {
	varied, errs := make([]*network.Variation, len(all)), make([]error, len(all))
	inParallel(len(all), func() func(i int) {
		return func(i int) { varied[i], errs[i] = vary(model, all[i].faults, all[i].beside) }
	})
	return varied, errors.Join(errs...)
}

// inParallel calls what worker returns with every number below n, on as many
// workers as there are processors. A panic of one is the caller's, who may have a way on.
func inParallel(n int, worker func() func(i int)) {
	var next atomic.Int64
	var all sync.WaitGroup
	var panicked atomic.Value
	defer func() {
		if what := panicked.Load(); what != nil {
			panic(what)
		}
	}()
	for range min(runtime.GOMAXPROCS(0), n) {
		do := worker()
		all.Go(func() {
			defer func() {
				if what := recover(); what != nil {
					panicked.CompareAndSwap(nil, fmt.Sprintf("%v\n%s", what, debug.Stack()))
				}
			}()
			for i := int(next.Add(1)) - 1; i < n; i = int(next.Add(1)) - 1 {
				do(i)
			}
		})
	}
	all.Wait()
}

// faults lists every fault, after nothing wrong.
func (k *catalogue) faults() {
	k.add(nil, k.table.NothingWrong)
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
}

// effectOf names what a variation does to the network.
func effectOf(v *network.Variation) string {
	return fmt.Sprint(v.Opened, v.Loose, v.Bridged, guardStates(v.Guards))
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
		if key := k.keys[f]; key != "" {
			h.keys = append(h.keys, key)
		}
	}
	k.all = append(k.all, h)
}

// with is a fault's own weight and what multiplies it.
func with(own Weight, factors ...[]Weight) []Weight {
	return append([]Weight{own}, slices.Concat(factors...)...)
}

func one(f circuit.Fault) []circuit.Fault { return []circuit.Fault{f} }

// gone adds the place open, and loose.
func (k *catalogue) gone(at string, factors ...Weight) {
	k.add(one(circuit.Fault{Kind: circuit.Open, At: at}), factors...)
	loose := append(slices.Clone(factors), k.table.LooseOf)
	loose = append(loose, k.complained(WarmOrScorched, ComesAndGoes, Dimming)...)
	k.places = append(k.places, openPlace{at, loose})
	for _, ohms := range k.ohms {
		k.add(one(circuit.Fault{Kind: circuit.Resistive, At: at, Ohms: ohms}), loose...)
	}
}

func (k *catalogue) breaker() {
	dead := k.complained(PartDead)
	k.add(
		one(circuit.Fault{Kind: circuit.BreakerAt, At: circuit.Panel, State: "tripped"}),
		with(k.table.BreakerTripped, dead)...)
	k.add(one(circuit.Fault{Kind: circuit.BreakerAt, At: circuit.Panel, State: "off"}), with(k.table.BreakerOff, dead)...)
	if k.c.Breaker.Protection.SeesGroundFaults() {
		k.guard(circuit.Panel)
	}
}

func (k *catalogue) cable(cable *circuit.Cable) {
	for _, conductor := range cable.Conductors {
		for _, at := range []string{cable.To, cable.From} {
			end := circuit.Point{Kind: circuit.CableEndPoint, Owner: cable.ID, At: at, Conductor: conductor}
			factors := with(k.table.OpenEnd, k.termination(at, k.onDevice(at)))
			for range min(k.carriesOn(at), mostCarried) {
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
			k.swap(cable.ID+"@"+at, pair, with(k.table.SwapCableEnd, k.slip(at))...)
		}
	}
}

// mostCarried is how many cables fed through a device raise its weight. Assumption.
const mostCarried = 2

// carriesOn counts the cables that a device in the box feeds through itself.
func (k *catalogue) carriesOn(at string) int {
	if box := k.c.Box(at); box == nil || box.Makeup != circuit.FeedThrough || len(box.Devices) != 1 {
		return 0
	}
	return len(k.c.Outgoing(at))
}

// onDevice reports whether the cables in the box land on a device's own terminals.
func (k *catalogue) onDevice(at string) bool {
	box := k.c.Box(at)
	return box != nil && len(box.Devices) == 1 && (box.Makeup == circuit.FeedThrough || len(k.c.Outgoing(at)) == 0)
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
			k.gone(at, with(k.table.OpenJumper, k.termination(box.ID, true))...)
		}
	}
	for _, half := range circuit.Halves {
		for _, conductor := range []circuit.Conductor{circuit.Hot, circuit.Neutral, circuit.Ground} {
			if conductor == circuit.Ground && !v.HasGroundSlot() {
				continue
			}
			factors := with(k.table.OpenSlot, k.complained(ComesAndGoes, HalfDead))
			if k.conditions.has(box.ID, Worn) {
				factors = append(factors, k.table.WornSlots)
			}
			k.gone(v.ID+"."+string(half)+"."+string(conductor), factors...)
		}
	}
	if v.Kind == circuit.Receptacle {
		if v.Tab.Hot == circuit.TabIntact {
			k.gone(v.ID+".tab.hot", with(k.table.OpenTab, k.complained(ComesAndGoes, HalfDead))...)
		}
		if v.Tab.Neutral == circuit.TabIntact {
			k.gone(v.ID+".tab.neutral", with(k.table.OpenTab, k.complained(ComesAndGoes, HalfDead))...)
		}
	}
	for _, pair := range circuit.Pairs {
		k.swap(v.ID, pair, with(k.table.SwapDevice, k.slip(box.ID), k.complained(TesterSays))...)
	}
	k.bonds(box, v)
	k.protection(box, v)
}

// protection lists how a GFCI fails, and what it would trip on.
func (k *catalogue) protection(box *circuit.Box, v *circuit.Device) {
	if v.Kind == circuit.GFCI {
		k.guard(v.ID, k.failing(box.ID)...)
		k.add(one(circuit.Fault{Kind: circuit.GFCIFault, At: v.ID, State: "line-load-swapped"}),
			with(k.table.LineLoadSwapped, k.slip(box.ID), k.complained(WillNotReset))...)
	}
	if !hasGuards(k.c) {
		return
	}
	k.add(
		one(circuit.Fault{Kind: circuit.Leak, At: v.ID, Ohms: leakOhms}),
		with(k.table.Leak, k.damp(box.ID), k.complained(TripsAtTimes, WillNotReset))...)
	if v.ID == box.Devices[0].ID {
		k.add(
			one(circuit.Fault{Kind: circuit.Touching, At: box.ID, Pair: circuit.NeutralGround, Ohms: 0.05}),
			with(k.table.Touching, k.slip(box.ID), k.complained(TripsAtTimes, WillNotReset))...)
	}
}

// guard lists how what compares currents fails; failing raises what is no mere trip.
func (k *catalogue) guard(at string, failing ...Weight) {
	state := func(state string, factors ...Weight) {
		k.add(one(circuit.Fault{Kind: circuit.GFCIFault, At: at, State: state}), factors...)
	}
	state("tripped", with(k.table.GFCITripped, k.complained(OneDead, PartDead, OffUnnoticed))...)
	state("dead", with(k.table.GFCIDead, k.complained(WillNotReset), failing)...)
	state("no-trip", with(k.table.GFCINoTrip, k.complained(DoesNotTrip), failing)...)
}

// damp lists what raises the weight of a leak in the box.
func (k *catalogue) damp(box string) []Weight {
	if k.conditions.has(box, Outdoors) {
		return []Weight{k.table.OutdoorsLeak}
	}
	return nil
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
	factors := with(bootleg, k.slip(box.ID))
	k.add(one(bond(circuit.NeutralGround)), factors...)
	k.add(one(bond(circuit.HotNeutral)), k.table.Short)
	k.add(one(bond(circuit.HotGround)), k.table.Short)

	reverse := []circuit.Fault{{Kind: circuit.Swapped, At: v.ID, Pair: circuit.HotNeutral}, bond(circuit.NeutralGround)}
	if !grounded {
		k.add(reverse, append(factors, k.table.ReverseBootleg)...)
		return
	}
	// With a sound ground this is a short; it lives only where the ground is open too.
	if line := k.c.LineCable(box.ID); line != nil {
		open := circuit.Fault{Kind: circuit.Open, At: line.ID + "@" + box.ID + "." + string(circuit.Ground)}
		k.add(append(reverse, open), append(factors, k.table.ReverseBootleg, k.table.GroundOpenToo)...)
	}
}

func (k *catalogue) splices(box *circuit.Box) {
	for _, name := range k.landings(box) {
		if strings.Contains(name, ".splice:") {
			k.gone(name, with(k.table.OpenSplice, k.termination(box.ID, false))...)
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
				k.add(one(circuit.Fault{Kind: circuit.Moved, At: from.String(), To: to}), with(k.table.Moved, k.slip(box.ID))...)
			}
		}
	}
}
