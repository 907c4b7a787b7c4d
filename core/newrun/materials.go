package newrun

import (
	"fmt"
	"math"
	"slices"

	"elvat/core/circuit"
	"elvat/core/makeup"
	"elvat/core/parts"
	"elvat/core/wire"
)

// A Material is what is used up, or has to be carried.
type Material = makeup.Material

type needs struct {
	p   *planner
	all []Material
}

func (n *needs) add(step string, item parts.Item, count float64) {
	if count <= 0 {
		return
	}
	price := count * n.p.shop.Prices.OfItem(item)
	i := slices.IndexFunc(n.all, func(m Material) bool { return m.Code == item.Code })
	if i < 0 {
		n.all = append(n.all, Material{Code: item.Code, Item: item.Words, Count: count, Unit: item.Unit, Group: item.Group, Price: price, Steps: []string{step}})
		return
	}
	m := &n.all[i]
	if item.Group != parts.Tool {
		m.Count, m.Price = m.Count+count, m.Price+price
	}
	if !slices.Contains(m.Steps, step) {
		m.Steps = append(m.Steps, step)
	}
}

// merge adds what a box's own plan uses, under the step that makes it up.
func (n *needs) merge(step string, m Material) {
	i := slices.IndexFunc(n.all, func(have Material) bool { return have.Code == m.Code })
	if i < 0 {
		m.Steps = []string{step}
		n.all = append(n.all, m)
		return
	}
	if m.Group != parts.Tool {
		n.all[i].Count, n.all[i].Price = n.all[i].Count+m.Count, n.all[i].Price+m.Price
	}
	if !slices.Contains(n.all[i].Steps, step) {
		n.all[i].Steps = append(n.all[i].Steps, step)
	}
}

// materials are the things that the steps use.
func (p *planner) materials() {
	n := &needs{p: p}
	g := p.plan.Conductor.AWG
	n.add("look", parts.Testers, 1)
	for i := range p.plan.Boxes {
		m := &p.plan.Boxes[i]
		set := "set:" + m.Outlet
		n.add(set, m.Set.part(), 1)
		switch m.Set.Wall {
		case Finished:
			n.add(set, parts.Saw, 1)
		case OnMasonry:
			n.add(set, parts.Anchor, 2)
			n.add(set, parts.HammerBit, 1)
		case OnOutdoors:
			n.add(set, parts.Sealant, 1)
			n.add(set, parts.BoxScrew, 2)
		case OnSurface:
			n.add(set, parts.BoxScrew, 2)
		}
		for _, one := range m.Plan.Materials {
			if one.Group == parts.Plate && m.Set.Size != "" {
				n.add("make-up:"+m.Outlet, parts.RaisedCover, one.Count)
				continue
			}
			n.merge("make-up:"+m.Outlet, one)
		}
	}
	if p.plan.There != nil {
		for _, one := range p.plan.There.Plan.Materials {
			n.merge(StartStep, one)
		}
	}
	for i := range p.plan.Stretches {
		n.stretch(&p.plan.Stretches[i], g)
	}
	n.add("check", parts.Ohmmeter, 1)
	n.add("prove", parts.Testers, 1)
	if b := &p.plan.Breaker; b.New {
		n.add("panel-main", parts.Lock, 1)
		n.add("panel-dead", parts.Testers, 1)
		n.add("panel-enter", parts.PanelConnector, 1)
		n.add("panel-breaker", parts.NewBreaker(b.Amps, 1, protects[b.Protection]), 1)
		n.add("panel-breaker", parts.Torque, 1)
	}
	for i, r := range p.o.Remove {
		step := fmt.Sprintf("remove:%d", i)
		if r.How == LeftDead {
			n.add(step, parts.Cap, 4)
			n.add(step, parts.BlankPlate, 1)
			n.add(step, parts.WireLabel, 2)
		}
		n.add(step, parts.Testers, 1)
	}
	n.add("directory", parts.DirectoryLabel, 1)
	slices.SortStableFunc(n.all, func(a, b Material) int {
		return slices.Index(parts.Groups, a.Group) - slices.Index(parts.Groups, b.Group)
	})
	p.plan.Materials = n.all
	for i := range n.all {
		p.plan.Parts += n.all[i].Price
	}
}

func (n *needs) stretch(s *Stretch, g wire.Gauge) {
	pull := "pull:" + s.Outlet
	switch s.Method {
	case Conduit:
		for _, colour := range []string{"black", "white", "green"} {
			n.add(pull, parts.Jumper(g, colour), s.BuyFeet)
		}
	default:
		n.add(pull, parts.Cable(string(s.Method), g, 2), s.BuyFeet)
		n.add(pull, parts.Staple, 2) // one by each box
	}
	n.add(pull, parts.WireLabel, 2)
	if s.From != circuit.Panel && !n.p.o.Extends() {
		n.add(pull, parts.Stripper, 1)
	}
	for i := range s.Legs {
		leg := &s.Legs[i]
		step := fmt.Sprintf("way:%s:%d", s.Outlet, i)
		if leg.Holes > 0 {
			n.add(step, parts.Drill, 1)
		}
		n.add(step, parts.SteelPlate, float64(leg.Guards))
		if leg.By == FinishedWall {
			n.add(step, parts.FishTape, 1)
			if leg.Plates > 0 {
				n.add(step, parts.FireSealant, 1)
			}
		}
		pipe := leg.Pipe
		if pipe == nil {
			n.add(step, parts.Staple, float64(len(leg.Fasteners)))
			if leg.By == Attic && leg.Across {
				n.add(step, parts.RunningBoard, 2*min(leg.Feet, guardFeet))
			}
			continue
		}
		part := func(what string) parts.Item { return parts.ConduitPart(what, pipe.Kind, pipe.Size) }
		sticks := math.Ceil(leg.Feet / stickFeet)
		n.add(step, parts.Conduit(pipe.Kind, pipe.Size), sticks*stickFeet)
		n.add(step, part("coupling"), sticks-1)
		n.add(step, part("connector"), float64(2+2*pipe.Bodies))
		n.add(step, part("strap"), float64(len(leg.Fasteners)))
		n.add(step, part("body"), float64(pipe.Bodies))
		if s.Method != Conduit {
			n.add(step, part("bushing"), 2)
		}
		n.add(step, parts.Saw, 1)
		if leg.By == Masonry {
			n.add(step, parts.Anchor, float64(len(leg.Fasteners)))
			n.add(step, parts.HammerBit, 1)
		}
		elbows := 0
		for _, b := range pipe.Bent {
			if pipe.Kind == wire.PVC && (b.Shape == Ninety || b.Shape == BackToBack) {
				elbows++
			}
		}
		n.add(step, parts.ConduitPart("elbow", pipe.Kind, pipe.Size), float64(elbows))
		if len(pipe.Bent) > elbows {
			n.add(fmt.Sprintf("bend:%s:%d:0", s.Outlet, i), parts.Bender, 1)
		}
	}
}
