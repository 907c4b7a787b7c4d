package makeup

import (
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/parts"
	"elvat/core/practice"
	"elvat/core/wire"
)

// A Material is what the make-up uses up, or what has to be carried for it.
type Material struct {
	Code  string      `json:"code,omitempty"`
	Item  string      `json:"item"`
	Count float64     `json:"count"`
	Unit  string      `json:"unit"` // "", or ft
	Group parts.Group `json:"group,omitempty"`
	Price float64     `json:"price,omitempty"` // dollars, all of it
	// Steps are the codes of the steps that use it.
	Steps []string `json:"steps,omitempty"`
}

// UsedUp reports whether it stays in the wall: tools go back into the van.
func (m *Material) UsedUp() bool { return m.Group != parts.Tool }

// UsedUp are the materials without the tools.
func (p *Plan) UsedUp() []Material {
	var all []Material
	for _, m := range p.Materials {
		if m.UsedUp() {
			all = append(all, m)
		}
	}
	return all
}

// JumperItem names wire for jumpers as it is carried.
func JumperItem(g wire.Gauge, colour string) string { return parts.Jumper(g, colour).Words }

// list gathers materials.
type list struct {
	all    []Material
	prices practice.Prices
}

func (l *list) add(step string, item parts.Item, n float64) {
	if n <= 0 {
		return
	}
	price := n * l.prices.OfItem(item)
	i := slices.IndexFunc(l.all, func(m Material) bool { return m.Code == item.Code })
	if i < 0 {
		l.all = append(l.all, Material{item.Code, item.Words, n, item.Unit, item.Group, price, []string{step}})
		return
	}
	m := &l.all[i]
	if item.Group != parts.Tool {
		m.Count, m.Price = m.Count+n, m.Price+price
	}
	if !slices.Contains(m.Steps, step) {
		m.Steps = append(m.Steps, step)
	}
}

// materials are the things that the steps use, per piece and with their size, and the
// tools to carry.
func (w *wiring) materials(p *Plan, prices practice.Prices) []Material {
	l := &list{all: []Material{}, prices: prices}
	if len(w.l.b.devices()) == 0 && p.Stopped != "" && !w.l.onlyLineUnknown() {
		return l.all
	}
	for i := range p.Steps {
		w.uses(l, p, &p.Steps[i])
	}
	slices.SortStableFunc(l.all, func(a, b Material) int {
		return slices.Index(parts.Groups, a.Group) - slices.Index(parts.Groups, b.Group)
	})
	return l.all
}

// uses adds what one step uses.
func (w *wiring) uses(l *list, p *Plan, s *Step) {
	kind, _, _ := strings.Cut(s.Code, ":")
	add := func(item parts.Item, n float64) { l.add(s.Code, item, n) }
	b := w.l.b
	switch kind {
	case "dead":
		add(parts.Testers, 1)
		add(parts.Lock, 1)
		if w.house.DeadTest == practice.AddsLamp {
			add(parts.TestLamp, 1)
		}
	case "dead-again", "find-dead", "find-live", "power":
		add(parts.Testers, 1)
		if kind == "find-dead" {
			add(parts.Ohmmeter, 1)
		}
	case "find-stay-off":
		add(parts.Ohmmeter, 1)
	case "find-part":
		add(parts.Cap, float64(len(s.Points)))
		add(parts.Screwdriver, 1)
	case "find-label":
		add(parts.WireLabel, 2)
	case "pull":
		add(parts.Camera, 1)
		add(parts.Screwdriver, 1)
		add(parts.WireLabel, float64(w.ends()))
		if b.Existing != nil && b.Existing.Plate == "painted" {
			add(parts.Knife, 1)
		}
	case "look-over":
		for _, v := range b.devices() {
			add(v.Item(), 1)
		}
	case "break-tab", "break-tab-neutral":
		add(parts.Pliers, 1)
	case "strip":
		add(parts.Stripper, 1)
		if slices.ContainsFunc(w.l.findings, func(f Finding) bool { return f.Code == "colour-misleads" }) {
			add(parts.ColourTape, 1)
		}
	case "join":
		w.joins(l, p, s)
	case "land":
		add(parts.Pliers, 1)
		w.bonds(l, s)
	case "jumper":
		for _, j := range p.Jumpers {
			if slices.Contains(s.Points, j.From) && slices.Contains(s.Points, j.To) {
				add(parts.Jumper(j.AWG, j.Colour), float64(j.Inches)/12)
			}
		}
		w.bonds(l, s)
	case "torque":
		add(parts.Torque, 1)
	case "fold":
		if w.house.Tape == practice.TapeAlways || w.house.Tape == practice.TapeInMetal && b.Box.Material == circuit.Metal {
			add(parts.Tape, 1)
		}
		add(parts.Spacer, float64(b.spacers()*b.yokes()))
		add(parts.Driver, 1)
		if behind := b.Box.SetbackIn; behind != nil && *behind > 0 {
			if screw, ok := parts.DeviceScrew(*behind); ok {
				add(screw, float64(2*b.yokes()))
			}
		}
	case "plate":
		w.plates(l, p, s)
	default:
		w.mends(l, p, s, kind)
	}
}

// ends counts the ends of wires in the box.
func (w *wiring) ends() int {
	n := 0
	for i := range w.l.b.Cables {
		n += len(w.l.b.Cables[i].Conductors)
	}
	return n
}

// joins are the connector of a splice, and its jumpers.
func (w *wiring) joins(l *list, p *Plan, s *Step) {
	i := slices.IndexFunc(p.Splices, func(x Splice) bool { return slices.Contains(s.Points, x.Name) })
	if i < 0 {
		return
	}
	item, n := w.connector(&p.Splices[i])
	l.add(s.Code, item, float64(n))
	for _, j := range p.Jumpers {
		if j.From == p.Splices[i].Name || j.To == p.Splices[i].Name {
			l.add(s.Code, parts.Jumper(j.AWG, j.Colour), float64(j.Inches)/12)
		}
	}
	w.bonds(l, s)
}

// bonds adds the screw that a wire to the metal box lands under.
func (w *wiring) bonds(l *list, s *Step) {
	if slices.ContainsFunc(s.Points, func(point string) bool { return strings.HasSuffix(point, ".box") }) {
		l.add(s.Code, parts.GroundScrew, 1)
		l.add(s.Code, parts.Tap, 1)
	}
}

// face is what the plate leaves open for the device.
func (v *Device) face() parts.Face {
	switch v.Kind {
	case "receptacle":
		return parts.Duplex
	case "single":
		return parts.Single
	default:
		return parts.Rectangular
	}
}

// plates are the plate by gangs, faces and size, a cover where the place asks for one, and
// what is stuck on.
func (w *wiring) plates(l *list, p *Plan, s *Step) {
	var faces []parts.Face
	for _, v := range w.l.b.devices() {
		for range v.gangs() {
			faces = append(faces, v.face())
		}
	}
	for range w.l.b.Switches {
		faces = append(faces, parts.Toggle)
	}
	if p.Requires.Cover.Required {
		l.add(s.Code, parts.Cover(p.Requires.Cover.Kind, len(faces)), 1)
	} else {
		size := "standard"
		if gap := w.l.b.Box.GapIn; gap != nil {
			if plate, fits := PlateFor(*gap); fits {
				size = plate.Name
			}
		}
		l.add(s.Code, parts.WallPlate(faces, size), 1)
	}
	l.add(s.Code, parts.Label, float64(len(p.Markings)))
	l.add(s.Code, parts.Screwdriver, 1)
}

// mends are what the steps that put the box right use.
func (w *wiring) mends(l *list, p *Plan, s *Step, kind string) {
	b := w.l.b
	gangs := max(1, b.yokes())
	add := func(item parts.Item, n float64) { l.add(s.Code, item, n) }
	switch kind {
	case "mend-box-loose":
		add(parts.BoxScrew, 2)
		add(parts.Screwdriver, 1)
		if b.Box.Mount == "nailed" {
			add(parts.NewBox(max(b.Box.VolumeIn3, p.Fill.RequiredIn3), string(b.Box.Material)), 1)
		}
	case "mend-box-recessed":
		add(parts.Extender(gangs), 1)
	case "mend-wall-gap":
		if slices.Contains(repaired, b.Box.Wall) || b.Box.Wall == "" {
			add(parts.Compound, 1)
		} else {
			add(parts.Filler, 1)
		}
	case "mend-box-overfull":
		add(parts.NewBox(p.Fill.RequiredIn3, string(b.Box.Material)), 1)
	case "mend-wires":
		add(parts.Sleeve, 1)
		add(parts.Stripper, 1)
	case "mend-flooded":
		for i := range b.Cables {
			c := &b.Cables[i]
			feet := usualRun
			if b.Place.RunFeet != nil {
				feet = *b.Place.RunFeet
			}
			wires := 0
			for _, k := range c.Conductors {
				if k != circuit.Ground {
					wires++
				}
			}
			add(parts.Cable("NM", c.AWG, wires), feet)
		}
		add(w.newBreaker(b.Breaker.Amps, w.protects()), 1)
	case "mend-conductor-breaker":
		for i := range b.Cables {
			if most := b.Cables[i].mostAmps(); most > 0 && most < b.Breaker.Amps {
				add(w.newBreaker(most, w.protects()), 1)
				return
			}
		}
	case "mend-afci-required":
		protects := "AFCI"
		if b.Breaker.Protection.SeesGroundFaults() {
			protects = "AFCI and GFCI"
		}
		add(w.newBreaker(b.Breaker.Amps, protects), 1)
	}
}

// protects is what the breaker that is there protects from, in the trade's letters.
func (w *wiring) protects() string {
	return map[circuit.Protection]string{
		circuit.GFCIBreaker: "GFCI", circuit.AFCIBreaker: "AFCI", circuit.DualBreaker: "AFCI and GFCI",
	}[w.l.b.Breaker.Protection]
}

func (w *wiring) newBreaker(amps float64, protects string) parts.Item {
	return parts.NewBreaker(amps, max(1, w.l.b.Breaker.Poles), protects)
}

// Item is the device in the catalogue.
func (v *Device) Item() parts.Item { return v.outlet().Item() }
