package network

import (
	"elvat/core/circuit"
)

// A Plan is the network of a wired circuit and where its parts are in it.
// Points of the circuit are nodes of the same number.
type Plan struct {
	Network
	BranchOf []int    // by joint of the circuit; -1 for joints that are open
	Names    []string // of every node; the circuit's points first
}

// Node is the node of a point of the circuit.
func (p *Plan) Node(id circuit.PointID) Node { return Node(id) }

// Build makes the network of a circuit with whatever was applied to it.
func Build(w *circuit.Wired, k Constants) *Plan {
	// Names the panel needs even where nothing lands on them yet.
	bar, ground := Node(w.Bar()), Node(w.ID("panel.ground"))
	p := &Plan{Names: append([]string(nil), w.Names...), BranchOf: make([]int, len(w.Joints))}
	p.Nodes, p.Hz = len(p.Names), w.Circuit.Supply.Hz
	transformer := p.node("transformer.neutral")

	volts := w.Circuit.Supply.Volts
	for i, contact := range w.Breaker {
		emf := complex(volts, 0)
		if i == 1 {
			emf = -emf // the opposite leg
		}
		p.branch(transformer, Node(w.Joints[contact].A), k.SourceOhms, emf)
	}
	p.branch(transformer, bar, k.ServiceNeutralOhms, 0)
	p.branch(bar, ground, k.MainBondingJumperOhms, 0)
	p.resistor(transformer, Earth, k.TransformerEarthOhms)
	p.resistor(ground, Earth, k.ElectrodeOhms)

	for i, j := range w.Joints {
		if j.Open {
			p.BranchOf[i] = -1
			continue
		}
		p.BranchOf[i] = p.branch(Node(j.A), Node(j.B), k.jointOhms(w, j)+j.Ohms, 0)
	}
	for _, b := range w.Bridges {
		p.resistor(Node(b.A), Node(b.B), b.Ohms)
	}
	for _, g := range w.Guards {
		p.resistor(Node(g.LineHot), Node(g.LineNeutral), k.GFCIBurdenOhms)
	}
	p.loads(w, k)
	p.coupling(w, k)
	for n := range p.Nodes {
		p.resistor(Node(n), Earth, k.LeakOhms)
	}
	return p
}

func (p *Plan) node(name string) Node {
	p.Names = append(p.Names, name)
	p.Nodes++
	return Node(p.Nodes - 1)
}

func (p *Plan) branch(a, b Node, ohms float64, emf complex128) int {
	p.Branches = append(p.Branches, Branch{A: a, B: b, Ohms: ohms, EMF: emf})
	return len(p.Branches) - 1
}

func (p *Plan) resistor(a, b Node, ohms float64) {
	p.Shunts = append(p.Shunts, Shunt{A: a, B: b, Siemens: 1 / ohms})
}

func (p *Plan) capacitor(a, b Node, farads float64) {
	p.Shunts = append(p.Shunts, Shunt{A: a, B: b, Farads: farads})
}

// jointOhms is the resistance of a sound joint.
func (k Constants) jointOhms(w *circuit.Wired, j circuit.Joint) float64 {
	switch j.Kind {
	case circuit.SlotContact:
		return k.SlotContactOhms
	case circuit.Tab:
		return k.TabOhms
	case circuit.Pole:
		return k.PoleOhms
	case circuit.YokeScrews:
		return k.YokeScrewOhms
	case circuit.BreakerContact:
		return k.BreakerContactOhms
	case circuit.WholeConductor:
		cable := w.Circuit.Cables[j.Cable]
		return cable.Feet * cable.AWG.OhmsPerFoot(k.Conductor)
	default:
		return k.TerminationOhms
	}
}

func (p *Plan) loads(w *circuit.Wired, k Constants) {
	for _, load := range w.Circuit.Loads {
		if !load.On {
			continue
		}
		if o, ok := w.Outlet(load.At, load.Half); ok {
			p.resistor(Node(o.Hot), Node(o.Neutral), k.LoadVolts*k.LoadVolts/load.Watts)
		}
	}
}

// coupling lumps half of each cable's capacitance at each of its ends.
func (p *Plan) coupling(w *circuit.Wired, k Constants) {
	for _, cable := range w.Circuit.Cables {
		for _, at := range []string{cable.From, cable.To} {
			var ends []Node
			var kinds []circuit.Conductor
			for _, c := range circuit.Conductors {
				if !cable.Has(c) {
					continue
				}
				id, _ := w.Find(cable.ID + "@" + at + "." + string(c))
				ends, kinds = append(ends, Node(id)), append(kinds, c)
				p.capacitor(Node(id), Earth, cable.Feet/2*k.ToEarthFarads)
			}
			for i := range ends {
				for j := range i {
					farads := k.HotNeutralFarads
					if kinds[i] == circuit.Ground {
						farads = k.ToGroundFarads
					}
					p.capacitor(ends[i], ends[j], cable.Feet/2*farads)
				}
			}
		}
	}
}
