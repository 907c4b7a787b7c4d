package diagnosis

import (
	"fmt"
	"math"
	"slices"

	"elvat/core/circuit"
	"elvat/core/network"
	"elvat/core/tester"
)

// An Unrecorded is something that the circuit on file does not say and that is
// no fault to repair, but explains readings.
type Unrecorded struct {
	Kind  UnrecordedKind `json:"kind"`
	At    string         `json:"at,omitempty"`   // a device; a cable; "panel" for the whole run
	Half  circuit.Half   `json:"half,omitempty"` // of a device; empty for both
	Watts float64        `json:"watts,omitempty"`
	State string         `json:"state,omitempty"`
}

// An UnrecordedKind says what nobody recorded.
type UnrecordedKind string

// What nobody recorded.
const (
	UnrecordedLoad UnrecordedKind = "unrecorded-load" // something plugged in, of about so many watts
	Switched       UnrecordedKind = "switched"        // a wall switch that is off ahead of a half, a device or the run
	GFCIElsewhere  UnrecordedKind = "gfci-elsewhere"  // a GFCI ahead that is not on the run as drawn; state tripped or dead
	GroundKind     UnrecordedKind = "ground-kind"     // another ground than drawn; state none or conduit
	SupplyLevel    UnrecordedKind = "supply"          // off its nominal; state low or high
	BoxUndrawn     UnrecordedKind = "box-undrawn"     // an outlet or junction along a cable, in which a conductor let go; state which
)

// States of what nobody recorded.
const (
	StateTripped = "tripped"
	StateDead    = "dead"
	StateNone    = "none"
	StateConduit = "conduit"
	StateLow     = "low"
	StateHigh    = "high"
)

// Elsewhere is the site of what is put right outside the boxes of this run: at
// a wall switch, a GFCI in another room, the service.
const Elsewhere = "elsewhere"

// Watts of what may be plugged in: electronics of a few watts, a lamp, a
// heater. Assumption.
const (
	fewWatts    = 8
	lampWatts   = 60
	heaterWatts = 1200
)

// A PluggedSize is something that people find plugged in, and about its watts.
type PluggedSize struct {
	Watts float64 `json:"watts"`
	Words string  `json:"words"`
}

// PluggedSizes are those offered, and those thought of.
var PluggedSizes = []PluggedSize{
	{fewWatts, "a charger, a clock"},
	{lampWatts, "a lamp"},
	{heaterWatts, "a heater, a kettle"},
}

// conduitOhms is a metal raceway from a device's yoke back to the panel. Assumption.
const conduitOhms = 0.1

// words names it in a sentence.
func (u Unrecorded) words(c *circuit.Circuit) string {
	place := func() string {
		if _, box := c.Device(u.At); box != nil {
			return c.LabelOf(box.ID)
		}
		return u.At
	}
	switch {
	case u.Kind == UnrecordedLoad && u.Watts >= heaterWatts:
		return "a heavy load plugged in at " + place() + " that nobody recorded"
	case u.Kind == UnrecordedLoad:
		return "something plugged in that nobody recorded"
	case u.Kind == Switched && u.At == circuit.Panel:
		return "a wall switch that is off ahead of the run"
	case u.Kind == Switched && u.Half != "":
		return fmt.Sprintf("a wall switch that is off ahead of the %s half at %s", u.Half, place())
	case u.Kind == Switched:
		return "a wall switch that is off ahead of " + place()
	case u.Kind == GFCIElsewhere && u.State == StateDead:
		return "a dead GFCI elsewhere, not on this run as it is drawn"
	case u.Kind == GFCIElsewhere:
		return "a tripped GFCI elsewhere, not on this run as it is drawn"
	case u.Kind == GroundKind && u.State == StateConduit:
		return "grounded by metal conduit or armour"
	case u.Kind == GroundKind:
		return "no ground wire in this run"
	case u.Kind == BoxUndrawn:
		return fmt.Sprintf("an open %s in an outlet or junction that nobody drew, %s", u.State, u.where(c))
	case u.State == StateHigh:
		return "supply above its nominal"
	default:
		return "supply below its nominal"
	}
}

// IsCause reports whether something is to be put right by the suspect: a fault, a
// switch, a GFCI elsewhere, the supply. What is plugged in is none by itself.
func (s *Suspect) IsCause() bool {
	return len(s.Faults) > 0 || slices.ContainsFunc(s.Beside, func(u Unrecorded) bool {
		return u.Kind == Switched || u.Kind == GFCIElsewhere || u.Kind == BoxUndrawn || u.Kind == SupplyLevel ||
			u.Kind == GroundKind && u.State == StateNone
	})
}

// where tells its place after its name.
func (u Unrecorded) where(c *circuit.Circuit) string {
	if cable := c.Cable(u.At); u.Kind == BoxUndrawn {
		return fmt.Sprintf("between %s and %s", c.LabelOf(cable.From), c.LabelOf(cable.To))
	}
	return u.words(c)
}

// name is what the trade calls it where it is the cause.
func (u Unrecorded) name() string {
	switch {
	case u.Kind == UnrecordedLoad:
		return "something plugged in"
	case u.Kind == Switched:
		return "wall switch off"
	case u.Kind == GFCIElsewhere && u.State == StateDead:
		return "dead GFCI elsewhere"
	case u.Kind == GFCIElsewhere:
		return "tripped GFCI elsewhere"
	case u.Kind == GroundKind && u.State == StateConduit:
		return "grounded by conduit"
	case u.Kind == GroundKind:
		return "no ground wire"
	case u.Kind == BoxUndrawn:
		return "open " + u.State + " in a box nobody drew"
	case u.State == StateHigh:
		return "supply high"
	default:
		return "supply low"
	}
}

// Opens are the faults that do the same to the terminations.
func (u Unrecorded) Opens(c *circuit.Circuit) []circuit.Fault {
	open := func(at string) circuit.Fault { return circuit.Fault{Kind: circuit.Open, At: at} }
	switch u.Kind {
	case Switched:
		if u.At == circuit.Panel {
			return []circuit.Fault{open(c.LineCable(c.Order()[0]).ID + "@" + circuit.Panel + ".hot")}
		}
		if u.Half != "" {
			return []circuit.Fault{open(u.At + "." + string(u.Half) + ".hot")}
		}
		return []circuit.Fault{open(u.At + ".top.hot"), open(u.At + ".bottom.hot")}
	case GFCIElsewhere:
		cable := c.Cable(u.At)
		var all []circuit.Fault
		for _, k := range cable.Conductors {
			if k != circuit.Ground {
				all = append(all, open(cable.ID+"@"+cable.From+"."+string(k)))
			}
		}
		return all
	case BoxUndrawn:
		return []circuit.Fault{open(u.At + "." + u.State)}
	case GroundKind:
		if u.State != StateNone {
			return nil
		}
		var all []circuit.Fault
		for _, cable := range c.Cables {
			if cable.Has(circuit.Ground) {
				all = append(all, open(cable.ID+"."+string(circuit.Ground)))
			}
		}
		return all
	}
	return nil
}

// put adds to the variation what no fault of the catalogue does.
func (u Unrecorded) put(m *network.Model, v *network.Variation) {
	w := m.Wired
	switch {
	case u.Kind == UnrecordedLoad:
		if o, ok := w.Outlet(u.At, u.Half); ok {
			volts := m.Constants.LoadVolts
			v.Bridged = append(
				v.Bridged,
				network.Bridged{A: network.Node(o.Hot), B: network.Node(o.Neutral), Ohms: volts * volts / u.Watts},
			)
		}
	case u.Kind == GroundKind && u.State == StateConduit:
		panel, _ := w.Find("panel.ground")
		for _, o := range w.Outlets {
			_, box := w.Circuit.Device(o.Device)
			if o.Half == circuit.Top && !w.Circuit.GroundArrives(box.ID) {
				v.Bridged = append(v.Bridged, network.Bridged{A: network.Node(o.Yoke), B: network.Node(panel), Ohms: conduitOhms})
			}
		}
	}
}

// vary works out what faults and what nobody recorded change together.
func vary(m *network.Model, faults []circuit.Fault, beside []Unrecorded) (*network.Variation, error) {
	all := faults
	for _, u := range beside {
		all = append(slices.Clip(all), u.Opens(m.Wired.Circuit)...)
	}
	v, err := m.Vary(all)
	if err != nil {
		return nil, err
	}
	v.Faults = faults
	if len(beside) > 0 {
		v.Again = func(other *network.Model) (*network.Variation, error) { return vary(other, faults, beside) }
	}
	for _, u := range beside {
		u.put(m, v)
	}
	return v, nil
}

// unrecorded lists what could be so beside the faults: each alone, or with a
// fault as a pair.
func (k *catalogue) unrecorded() {
	var unsure []Weight
	if k.conditions.Ground == GroundUnknown {
		unsure = []Weight{k.table.DrawingUnsure}
	}
	for i := range k.c.Boxes {
		box := &k.c.Boxes[i]
		for j := range box.Devices {
			v := &box.Devices[j]
			for _, load := range []struct {
				watts float64
				odds  Weight
			}{{lampWatts, k.table.PluggedIn}, {heaterWatts, k.table.HeaterPluggedIn}} {
				k.nuisance(Unrecorded{Kind: UnrecordedLoad, At: v.ID, Half: circuit.Bottom, Watts: load.watts}, load.odds)
			}
			known := k.knownSwitched(box.ID)
			for _, half := range circuit.Halves {
				k.beside(
					Unrecorded{Kind: Switched, At: v.ID, Half: half},
					with(k.table.SwitchedHalf, k.complained(ComesAndGoes, HalfDead), unsure, known)...)
			}
			k.beside(Unrecorded{Kind: Switched, At: v.ID}, with(k.table.SwitchedOutlet, k.complained(OneDead), unsure)...)
		}
	}
	if len(k.c.Boxes) == 0 {
		return
	}
	k.beside(Unrecorded{Kind: Switched, At: circuit.Panel}, with(k.table.SwitchedRun, k.complained(PartDead), unsure)...)
	for i := range k.c.Cables {
		cable := &k.c.Cables[i]
		tripped := k.table.ElsewhereMidRun
		if cable.From == circuit.Panel {
			tripped = k.table.Elsewhere
		} else {
			// It feeds a run of outlets rather than one: by how much hangs on it.
			tripped.Value *= float64(k.beyond(cable.To)) / float64(len(k.c.Boxes))
		}
		raised := k.complained(OneDead, PartDead, OffUnnoticed)
		k.beside(Unrecorded{Kind: GFCIElsewhere, At: cable.ID, State: StateTripped}, with(tripped, raised, unsure)...)
		k.beside(
			Unrecorded{Kind: GFCIElsewhere, At: cable.ID, State: StateDead},
			with(k.table.ElsewhereDead, k.complained(WillNotReset), unsure)...)
		for _, conductor := range cable.Conductors {
			k.beside(Unrecorded{Kind: BoxUndrawn, At: cable.ID, State: string(conductor)}, with(k.table.BoxUndrawn, unsure)...)
		}
	}
	k.grounds()
}

// beyond counts the boxes that are fed through the box, itself included.
func (k *catalogue) beyond(box string) int {
	n := 1
	for _, out := range k.c.Outgoing(box) {
		n += k.beyond(out.To)
	}
	return n
}

// grounds lists other grounds than drawn.
func (k *catalogue) grounds() {
	drawn, missing := false, false
	for i := range k.c.Cables {
		drawn = drawn || k.c.Cables[i].Has(circuit.Ground)
		missing = missing || !k.c.Cables[i].Has(circuit.Ground)
	}
	var older []Weight
	if k.conditions.Old {
		older = []Weight{k.table.OldGround}
	}
	none, conduit := k.table.GroundNotWire, k.table.GroundConduit
	switch k.conditions.Ground {
	case GroundUnknown:
		none, conduit = k.table.GroundUnknown, k.table.ConduitUnknown
	case GroundWire, GroundByConduit, GroundNone:
		return // it is known
	}
	if drawn {
		k.beside(Unrecorded{Kind: GroundKind, State: StateNone}, with(none, older)...)
	}
	if missing {
		if !slices.ContainsFunc(k.c.Boxes, func(b circuit.Box) bool { return b.Material == circuit.Metal }) {
			conduit.Value *= k.table.PlasticConduit.Value
		}
		k.nuisance(Unrecorded{Kind: GroundKind, State: StateConduit}, conduit)
	}
}

// knownGround is what is said of the ground where it differs from the drawing.
func knownGround(c Conditions) []Unrecorded {
	switch c.Ground {
	case GroundNone:
		return []Unrecorded{{Kind: GroundKind, State: StateNone}}
	case GroundByConduit:
		return []Unrecorded{{Kind: GroundKind, State: StateConduit}}
	default:
		return nil
	}
}

// beside adds something nobody recorded that is a cause by itself.
func (k *catalogue) beside(u Unrecorded, factors ...Weight) {
	k.addBeside(nil, u, factors...)
}

// nuisance adds something that is no cause by itself: its weight is the odds
// that it is so, whatever else is wrong.
func (k *catalogue) nuisance(u Unrecorded, odds Weight) {
	k.addBeside(nil, u, odds)
	k.all[len(k.all)-1].nuisance = true
}

func (k *catalogue) addBeside(base *hypothesis, u Unrecorded, factors ...Weight) {
	h := hypothesis{weight: 1, beside: []Unrecorded{u}, name: u.name()}
	if base != nil {
		h.faults, h.name, h.site, h.sites, h.weight, h.why = base.faults, base.name, base.site, base.sites, base.weight, slices.Clone(
			base.why,
		)
	} else if u.Kind == Switched || u.Kind == GFCIElsewhere {
		h.site, h.sites = Elsewhere, []string{Elsewhere}
	} else if u.Kind == BoxUndrawn {
		h.site, h.sites = u.At, []string{u.At}
	} else if u.Kind == GroundKind && u.State == StateNone {
		h.site = k.c.Order()[0]
		h.sites = []string{h.site}
	}
	for _, f := range factors {
		h.weight *= f.Value
		h.why = append(h.why, f.Why)
	}
	k.all = append(k.all, h)
}

// loadsBeyond adds to every fault that leaves a neutral floating the same with
// something plugged in beyond it: through that the neutral comes up to the
// hot's voltage, which lamps show as hot and ground exchanged. Its place beyond
// the break shows nowhere, so one stands for all; its watts show on a meter.
func (e *Engine) loadsBeyond(s *stage) {
	table, k := &e.settings.Weights, s.bench.Constants
	var all []int
	for h := range e.hypotheses {
		faults := e.hypotheses[h].faults
		if len(faults) == 1 && len(e.hypotheses[h].beside) == 0 && faults[0].Kind == circuit.Open &&
			openedConductor(e.circuit, faults[0]) == circuit.Neutral {
			all = append(all, h)
		}
	}
	outlets := make([]int, len(s.bench.Outlets()))
	for o := range outlets {
		outlets[o] = o
	}
	s.predict(outlets, all)
	cat := &catalogue{c: e.circuit, w: s.bench.Model.Wired, table: table, conditions: e.settings.Conditions}
	for _, h := range all {
		var floating []circuit.Outlet
		devices := map[string]bool{}
		for o, outlet := range s.bench.Outlets() {
			seen := &s.shown[o][h]
			if seen.lamps[hotNeutral] < k.LitVolts && seen.lamps[neutralGround] < k.LitVolts && seen.sensor[0] >= k.StrongVolts {
				floating = append(floating, outlet)
				devices[outlet.Device] = true
			}
		}
		if len(floating) < 2 {
			continue // the tester is where the load would be
		}
		none := 1.0
		for range devices {
			none *= 1 - table.PluggedBeyond.Value
		}
		at := floating[len(floating)-1]
		base := e.hypotheses[h]
		for _, load := range []struct {
			watts float64
			share Weight
		}{{fewWatts, table.FewWatts}, {lampWatts, table.LampWatts}} {
			p := Weight{Value: (1 - none) / none * load.share.Value, Why: table.PluggedBeyond.Why}
			cat.addBeside(&base, Unrecorded{Kind: UnrecordedLoad, At: at.Device, Half: at.Half, Watts: load.watts}, p)
		}
	}
	for i := range cat.all {
		e.addHypothesis(cat.all[i])
	}
}

// openedConductor is what an open place interrupts.
func openedConductor(c *circuit.Circuit, f circuit.Fault) circuit.Conductor {
	p, err := c.ParsePoint(f.At, "")
	if err != nil {
		return ""
	}
	if p.Kind == circuit.SplicePoint {
		return circuit.Conductor(p.Name)
	}
	return p.Conductor
}

// besideWords tells what goes with a fault.
func besideWords(c *circuit.Circuit, beside []Unrecorded) string {
	text := ""
	for _, u := range beside {
		text += ", with " + u.words(c)
	}
	return text
}

// off reports whether the level is a supply off its nominal, and which way.
func off(level float64) string {
	switch {
	case level < levels[0]-1e-9:
		return StateLow
	case level > levels[len(levels)-1]+1e-9:
		return StateHigh
	default:
		return ""
	}
}

// Bounds of what a level can be, as a share of nominal, and how many beside the
// usual ones are thought of. A lost neutral puts up to twice the voltage on one
// leg. Assumption.
const (
	leastLevel  = 0.15
	mostLevel   = 2.05
	mostOff     = 6
	sameLevel   = 0.012
	leastOfLine = 15 // volts; less is no line voltage
)

// levelsFor are the supply levels that the readings are held against: the usual
// ones, and those outside them that a meter read.
func levelsFor(c *circuit.Circuit, all []evidence) []float64 {
	grid := slices.Clone(levels)
	add := func(v float64) {
		level := math.Round(200*v/c.Supply.Volts) / 200
		if v < leastOfLine || level < leastLevel || level > mostLevel || len(grid) >= len(levels)+mostOff {
			return
		}
		if !slices.ContainsFunc(grid, func(l float64) bool { return math.Abs(l-level) < sameLevel }) {
			grid = append(grid, level)
		}
	}
	for i := range all {
		r := all[i].reading
		switch {
		case r.Volts != nil && r.Volts.Unloaded != nil && r.Volts.Unloaded.Value != nil:
			add(*r.Volts.Unloaded.Value)
		case r.Volts != nil && r.Volts.HotNeutral != nil:
			add(*r.Volts.HotNeutral)
		case r.Volts != nil && r.Volts.HotGround != nil:
			add(*r.Volts.HotGround)
		}
	}
	return grid
}

// runsAt is how many watts are known to run in the state.
func runsAt(c *circuit.Circuit, state *tester.State) float64 {
	on, err := state.On(c)
	if err != nil {
		return 0
	}
	watts := 0.0
	for _, l := range on.Loads {
		if l.On {
			watts += l.Watts
		}
	}
	return watts
}

// knownSwitched raises the wall switch of a half where one is known to hang on one.
func (k *catalogue) knownSwitched(box string) []Weight {
	if k.conditions.has(box, SwitchedThere) {
		return []Weight{k.table.SwitchedKnown}
	}
	return nil
}
