package newrun

import (
	"fmt"
	"slices"

	"elvat/core/circuit"
	"elvat/core/makeup"
	"elvat/core/parts"
	"elvat/core/wire"
)

// An Enclosure is the box that is set for an outlet.
type Enclosure struct {
	Words    string           `json:"words"`
	Wall     Wall             `json:"wall"`
	Material circuit.Material `json:"material"`
	Size     string           `json:"size,omitempty"` // of a standard metal box
	Volume   wire.CubicInches `json:"volumeIn3"`
	Mount    string           `json:"mount"`
}

// Volumes of plastic boxes for one device, as they are moulded in: usual ones, from memory.
// The largest is two gangs wide with a ring for one.
var (
	nailedIn3  = []wire.CubicInches{18, 20.3, 22.5, 32}
	cutInIn3   = []wire.CubicInches{14, 18, 20, 32}
	outdoorIn3 = []wire.CubicInches{18.3, 30.5}
	// squareSizes are of metal boxes that conduit goes into.
	squareSizes = []string{"4 square x 1 1/2", "4 square x 2 1/8", "4 11/16 square x 2 1/8"}
)

// raisedIn is what a raised cover adds to the depth. From memory.
const raisedIn wire.Inches = 0.5

// wall is what the outlet's box goes into.
func (p *planner) wall(v *Outlet) Wall {
	switch {
	case v.Wall != "":
		return v.Wall
	case v.Place.IsOutdoors():
		return OnOutdoors
	}
	switch v.Way[len(v.Way)-1].By {
	case FinishedWall:
		return Finished
	case Surface:
		return OnSurface
	case Masonry:
		return OnMasonry
	default:
		return OpenFrame
	}
}

// piped reports whether the outlet's cable comes in conduit, or one that leaves it does.
func (p *planner) piped(i int) bool {
	last := &p.o.Outlets[i].Way[len(p.o.Outlets[i].Way)-1]
	if p.conduit(last) != "" {
		return true
	}
	for j := range p.o.Outlets {
		if p.o.after(j) == p.o.Outlets[i].ID && p.conduit(&p.o.Outlets[j].Way[0]) != "" {
			return true
		}
	}
	return false
}

// enclosure is the least box that has the room.
func (p *planner) enclosure(i int, needs wire.CubicInches) Enclosure {
	wall := p.wall(&p.o.Outlets[i])
	e := Enclosure{Wall: wall, Material: circuit.Plastic}
	of := func(sizes []wire.CubicInches) wire.CubicInches {
		for _, in3 := range sizes {
			if in3 >= needs-1e-9 {
				return in3
			}
		}
		return sizes[len(sizes)-1]
	}
	switch {
	case wall == OnOutdoors:
		e.Material, e.Volume, e.Mount = circuit.Metal, of(outdoorIn3), "screwed"
		e.Words = fmt.Sprintf("weatherproof metal box, %g\u00a0in³", e.Volume)
	case p.piped(i) || wall == OnSurface || wall == OnMasonry:
		e.Material, e.Mount = circuit.Metal, "screwed"
		if wall != OnMasonry {
			e.Wall = OnSurface // conduit comes to it on the surface, whatever the wall is
		}
		for _, size := range squareSizes {
			e.Size = size
			e.Volume, _ = wire.VolumeOf(size)
			if e.Volume >= needs-1e-9 {
				break
			}
		}
		e.Words = fmt.Sprintf("metal box, %s\u00a0in, %g\u00a0in³, with a raised cover", e.Size, e.Volume)
	case wall == Finished:
		e.Volume, e.Mount = of(cutInIn3), "ears"
		e.Words = fmt.Sprintf("old-work plastic box, %g\u00a0in³, held by its ears", e.Volume)
	default:
		e.Volume, e.Mount = of(nailedIn3), "nailed"
		e.Words = fmt.Sprintf("new-work plastic box, %g\u00a0in³, nailed to the framing", e.Volume)
	}
	return e
}

// part is the box over a counter.
func (e *Enclosure) part() parts.Item { return parts.NewBox(e.Volume, string(e.Material)) }

// box chooses an outlet's box, plans its make-up and puts it into the run.
func (p *planner) box(c *circuit.Circuit, i int) (Made, error) {
	v := &p.o.Outlets[i]
	b, err := makeup.FromRun(c, v.ID, true)
	if err != nil {
		return Made{}, err
	}
	b.Edition, b.Place, b.Practice = p.book.Edition, p.placeOf(i), p.o.House
	others := len(p.o.Outlets) > 1 || p.o.Extends()
	b.Breaker = makeup.Breaker{Amps: p.plan.Breaker.Amps, Poles: 1, Protection: p.plan.Breaker.Protection, OtherOutlets: &others}
	for k := range b.Cables {
		p.cable(&b.Cables[k], i)
	}
	b.Device = p.device(i)
	m := Made{Outlet: v.ID, Label: v.name(), Set: p.enclosure(i, 0)}
	b.Box = m.Set.asFound()
	plan, err := makeup.Make(b, p.shop, c)
	if err != nil {
		return m, err
	}
	m.Set = p.enclosure(i, plan.Fill.RequiredIn3)
	b.Box = m.Set.asFound()
	if plan, err = makeup.Make(b, p.shop, c); err != nil {
		return m, err
	}
	if err := b.Apply(c, plan); err != nil {
		return m, err
	}
	m.Box, m.Plan = b, plan
	return m, nil
}

// asFound is the box as it is once it is set.
func (e *Enclosure) asFound() makeup.Enclosure {
	no, flush, closed := false, wire.Inches(0), wire.Inches(0)
	in := makeup.Enclosure{Material: e.Material, VolumeIn3: e.Volume, Size: e.Size, Mount: e.Mount, Loose: &no, SetbackIn: &flush, GapIn: &closed}
	if deep, ok := wire.DepthOf(e.Size); ok && e.Size != "" {
		deep += raisedIn
		in.DepthIn = &deep
	}
	switch e.Wall {
	case OnMasonry, OnOutdoors:
		in.Wall = "masonry"
	case OpenFrame, OnSurface:
		in.Wall = "wood"
	default:
		in.Wall = "gypsum"
	}
	return in
}

// cable says of a cable of the box what is known of it because it is new.
func (p *planner) cable(c *makeup.Cable, i int) {
	sheath, face := freeIn, wire.Inches(4)
	c.FromSheathIn, c.PastFaceIn, c.Condition, c.Material = &sheath, &face, "sound", "copper"
	owner := i
	if c.Role != makeup.Line {
		owner = slices.IndexFunc(p.o.Outlets, func(v Outlet) bool { return cableID(v.ID) == c.ID })
	}
	c.Insulation = map[circuit.Conductor]string{circuit.Hot: "black", circuit.Neutral: "white", circuit.Ground: "bare"}
	way := p.o.Outlets[owner].Way
	all := !slices.ContainsFunc(way, func(l Leg) bool { return p.conduit(&l) == "" })
	switch {
	case all:
		c.Type = "conduit"
		c.Insulation[circuit.Ground] = "green"
	case slices.ContainsFunc(way, func(l Leg) bool { return damp(&l) }):
		c.Type = string(UF)
	default:
		c.Type = string(NM)
	}
	if c.Role == makeup.Line {
		return
	}
	v := &p.o.Outlets[owner]
	place := p.placeOf(owner)
	c.Serves, c.ServesPlace, c.ServesLoad = v.name(), &place, uses[v.For].load
	if load := makeup.LoadIn(v.What); load != makeup.UnknownLoad {
		c.ServesLoad = load
	}
	c.Protect = makeup.ProtectNo
	if p.onLoad(owner) {
		c.Protect = makeup.ProtectYes
	}
}

// device is what hangs in the outlet's box.
func (p *planner) device(i int) *makeup.Device {
	v, g := &p.o.Outlets[i], &p.guards[i]
	yes := true
	wet := p.placeOf(i).IsOutdoors() || v.Place.Exposure != "" && v.Place.Exposure != "dry"
	d := &makeup.Device{ID: deviceID(v.ID), Kind: v.Device, Slots: 3, Terminals: "clamp", TamperResistant: &yes, WeatherResistant: &wet, Whole: true}
	breaker := p.plan.Breaker.Amps
	alone := len(p.o.Outlets) == 1 && !p.o.Extends()
	switch {
	case d.Kind != "":
	case g.Device:
		d.Kind = "gfci"
	case uses[v.For].single && alone:
		d.Kind = "single"
	default:
		d.Kind = "receptacle"
	}
	d.Amps = 15
	if breaker >= 20 && (uses[v.For].amps >= 20 || alone || v.Watts > cordAndPlug*15*volts || d.Kind == "gfci") {
		d.Amps = breaker
	}
	if d.Kind == "gfci" || d.Kind == "afci-gfci" {
		d.Amps, d.Whole = min(d.Amps, 20), false
	}
	if v.For == Workshop || v.For == Garage || v.Watts >= 1000 {
		d.Grade = "heavy"
	}
	return d
}

// startBox plans the box that the run is extended from, with the cable that is new in it.
func (p *planner) startBox(c *circuit.Circuit, opened []*makeup.Box) error {
	from := p.o.From
	b, err := makeup.FromRun(c, from, true)
	if err != nil {
		return err
	}
	if at := slices.IndexFunc(opened, func(b *makeup.Box) bool { return b.ID == from }); at >= 0 {
		known := *opened[at]
		fresh := b.Cables
		known.Cables = slices.Clone(known.Cables)
		for _, cable := range fresh {
			if !slices.ContainsFunc(known.Cables, func(have makeup.Cable) bool { return have.ID == cable.ID }) {
				known.Cables = append(known.Cables, cable)
			}
		}
		if known.Device == nil {
			known.Device = b.Device
		}
		b = &known
	} else {
		p.ask("from", fmt.Sprintf("What is in the box at %s? Until it was opened, its room and its make-up are not known.", p.run.LabelOf(from)))
	}
	for k := range b.Cables {
		if owner := slices.IndexFunc(p.o.Outlets, func(v Outlet) bool { return cableID(v.ID) == b.Cables[k].ID }); owner >= 0 {
			p.cable(&b.Cables[k], owner)
		}
	}
	plan, err := makeup.Make(b, p.shop, c)
	if err != nil {
		return err
	}
	m := &Made{Outlet: from, Label: p.run.LabelOf(from), Box: b, Plan: plan}
	p.plan.There = m
	p.take(m)
	if plan.Proof == nil {
		return nil
	}
	return b.Apply(c, plan)
}
