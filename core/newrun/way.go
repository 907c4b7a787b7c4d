package newrun

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/makeup"
	"elvat/core/nec"
	"elvat/core/parts"
	"elvat/core/practice"
	"elvat/core/wire"
)

// A Method is what a stretch is wired in.
type Method string

// Methods.
const (
	NM      Method = "NM"      // nonmetallic-sheathed cable
	UF      Method = "UF"      // underground feeder cable, for damp and wet places
	Conduit Method = "conduit" // single wires in conduit
)

// words are the method as it is asked for.
func (m Method) words(g wire.Gauge) string {
	switch m {
	case Conduit:
		return fmt.Sprintf("%d AWG THWN-2 wires in conduit", g)
	default:
		return fmt.Sprintf("%s cable %d-2 with ground", string(m), g)
	}
}

// A Stretch is what leads to one outlet.
type Stretch struct {
	Outlet string   `json:"outlet"`
	From   string   `json:"from"` // an outlet, a box of the run, or the panel
	Feet   float64  `json:"feet"`
	Method Method   `json:"method"`
	Words  string   `json:"words"`
	Why    []Reason `json:"why"`
	Legs   []Laid   `json:"legs"`
	// BuyFeet is what is cut off for it, with what stands free at both ends and what goes
	// round corners.
	BuyFeet float64 `json:"buyFeet"`
	// FreeIn is what is left free in each box, from the sheath, or from where it comes out of
	// the conduit.
	FreeIn wire.Inches `json:"freeIn"`
}

// A Laid leg is how one leg of the way is laid.
type Laid struct {
	Leg
	Words     string        `json:"words"`
	Do        []string      `json:"do"`
	Holes     int           `json:"holes,omitempty"`
	HoleIn    wire.Inches   `json:"holeIn,omitempty"`
	EdgeIn    wire.Inches   `json:"edgeIn,omitempty"` // from the hole's rim to the nearest edge, bored in the middle
	Guards    int           `json:"guards,omitempty"` // steel plates
	Fasteners []wire.Inches `json:"fasteners,omitempty"`
	Pipe      *Pipe         `json:"pipe,omitempty"`
}

// A Pipe is the conduit of a leg.
type Pipe struct {
	Kind    wire.Tubing `json:"kind"`
	Size    string      `json:"size"`
	Fill    float64     `json:"fill"`     // share of its inside
	Most    float64     `json:"mostFill"` // that it may be
	Working string      `json:"working"`
	Degrees float64     `json:"degrees"`
	Bodies  int         `json:"bodies,omitempty"` // conduit bodies at which wire is pulled
	Bent    []Bent      `json:"bent"`
	size    wire.TradeSize
}

// Figures of the way.
// Source: NEC 300.4, 334.30, 358.30, 352.30, 300.14 (from memory); the rest as said.
const (
	holeIn      wire.Inches = 0.75 // for one cable. Common practice, no source
	edgeIn      wire.Inches = 1.25
	joistIn     wire.Inches = 9.25 // a 2 by 10, where nobody measured. Assumption
	studIn      wire.Inches = 3.5
	spacingIn   wire.Inches = 16
	cableEvery  wire.Inches = 54
	cableEnd    wire.Inches = 12
	smallBoxEnd wire.Inches = 8
	pipeEnd     wire.Inches = 36
	emtEvery    wire.Inches = 120
	pvcEvery    wire.Inches = 36
	pullDegrees             = 360
	stickFeet               = 10
	freeIn      wire.Inches = 8   // from the sheath: 6 in is the least, and 3 in past the face. Common practice, no source
	endFeet                 = 1.5 // that stand free at a box, and a little more
	panelFeet               = 5   // from the knockout round the panel to the breaker. Assumption
	slack                   = 0.1 // for corners and what is not straight. Assumption
	guardFeet               = 12  // of guard strip by an attic's hatch: 6 ft each way
	joistShare              = 3   // a hole in a joist is at most a third of its depth; residential code R502.8 (from memory)
)

// stretches lays every stretch of the run.
func (p *planner) stretches() error {
	for i := range p.o.Outlets {
		v := &p.o.Outlets[i]
		s := Stretch{Outlet: v.ID, From: p.o.after(i), Feet: v.feet(), FreeIn: freeIn, Why: []Reason{}}
		s.Method = p.method(v, &s)
		s.Words = fmt.Sprintf("%s, %s\u00a0ft", s.Method.words(p.plan.Conductor.AWG), figure(s.Feet))
		s.BuyFeet = math.Ceil(s.Feet*(1+slack) + 2*endFeet)
		if s.From == circuit.Panel {
			s.BuyFeet += panelFeet
		}
		for j := range v.Way {
			laid, err := p.lay(v, j, s.Method)
			if err != nil {
				return fmt.Errorf("outlets[%d].way[%d]: %w", i, j, err)
			}
			s.Legs = append(s.Legs, laid)
		}
		p.pulls(v, &s)
		p.plan.Stretches = append(p.plan.Stretches, s)
	}
	return nil
}

// conduit is the kind of conduit that the leg goes in; empty: none.
func (p *planner) conduit(l *Leg) wire.Tubing {
	switch {
	case l.Conduit != "":
		return l.Conduit
	case l.By == Surface || l.By == Masonry:
		return wire.EMT
	case p.house.Exposed == practice.ExposedPipe && (l.By == OpenJoists || l.By == CrawlSpace):
		return wire.EMT
	default:
		return ""
	}
}

func damp(l *Leg) bool { return l.Exposure == nec.Damp || l.Exposure == nec.Wet }

// method is what the stretch is wired in, and why.
func (p *planner) method(v *Outlet, s *Stretch) Method {
	all, wet, piped := true, false, false
	for i := range v.Way {
		kind := p.conduit(&v.Way[i])
		all = all && kind != ""
		piped = piped || kind != ""
		wet = wet || damp(&v.Way[i])
	}
	switch {
	case all:
		why := "The way is in conduit from end to end: single wires pull easier than cable"
		if wet {
			why += ", and these are listed for wet places"
		}
		s.Why = append(s.Why, p.because(nec.WetRaceway, why))
		if p.house.Exposed == practice.ExposedPipe {
			s.Why = append(s.Why, Reason{Text: p.house.Says("exposed"), Practice: trade})
		}
		return Conduit
	case wet:
		s.Why = append(s.Why, p.because(nec.NotForCable, "Part of the way is damp or wet, where NM is not for: UF goes all of it"))
		return UF
	default:
		s.Why = append(s.Why, p.because(nec.CableSupport, "The way is dry and in or along the framing"))
		if piped {
			s.Why = append(s.Why, p.because(nec.ConduitFill, "Where it is open to knocks it goes in a piece of conduit as it is"))
		}
		return NM
	}
}

// lay lays one leg.
func (p *planner) lay(v *Outlet, at int, method Method) (Laid, error) {
	leg := v.Way[at]
	l := Laid{Leg: leg, Do: []string{}}
	if kind := p.conduit(&leg); kind != "" {
		if err := p.layPipe(&l, kind, method); err != nil {
			return l, err
		}
	} else {
		if len(leg.Bends) > 0 {
			return l, fmt.Errorf("bends: they are of conduit; the leg goes as cable")
		}
		p.layCable(v, &l)
	}
	l.Words = fmt.Sprintf("%s, %s\u00a0ft", upper(byWords[leg.By]), figure(leg.Feet))
	if leg.Across {
		l.Words += ", across the framing"
	}
	return l, nil
}

var byWords = map[By]string{
	OpenJoists: "open joists", Attic: "attic", CrawlSpace: "crawl space", Surface: "on the surface", FinishedWall: "inside a finished wall", Masonry: "on masonry",
}

func (p *planner) layCable(v *Outlet, l *Laid) {
	depth := l.DepthIn
	if depth == 0 {
		depth = joistIn
		if l.By == FinishedWall {
			depth = studIn
		}
	}
	bored := l.Across && l.By != Attic
	if bored || l.By == FinishedWall && l.Plates > 0 {
		l.HoleIn, l.EdgeIn = holeIn, (depth-holeIn)/2
	}
	if bored {
		spacing := l.SpacingIn
		if spacing == 0 {
			spacing = spacingIn
		}
		l.Holes = int(math.Floor(l.Feet*12/float64(spacing) + 1e-9))
		l.Do = append(l.Do, fmt.Sprintf("Bore %s of %s\u00a0in in the middle of the %s: %s\u00a0in are left to the edge.", many(l.Holes, "hole", "holes"), sixteenth(holeIn), framing(l.By), sixteenth(l.EdgeIn)))
		if l.EdgeIn < edgeIn-1e-9 {
			l.Guards = 2 * l.Holes
			l.Do = append(l.Do, fmt.Sprintf("%d steel plates: less than 1 1/4\u00a0in is left to either edge.", l.Guards))
		}
		if l.By != FinishedWall && holeIn > depth/joistShare {
			p.trade(makeup.Finding{
				Code: "joist-too-shallow", Severity: makeup.Must, At: []string{v.ID},
				Text: fmt.Sprintf("A hole of 3/4\u00a0in is more than a third of a joist %s\u00a0in deep: it is not bored without who answers for the building.", sixteenth(depth)),
				Fix:  "Along the joists, or on a running board under them where that is allowed.",
			})
		}
	}
	switch {
	case l.By == FinishedWall:
		if l.Plates > 0 {
			l.Holes += l.Plates
			l.Do = append(l.Do, fmt.Sprintf("Bore %s; close the hole with fire-rated sealant round the cable.", many(l.Plates, "plate or fire block", "plates or fire blocks")))
		}
		l.Do = append(l.Do, "Fish it: inside a finished wall it needs no staples.")
	case l.By == Attic && l.Across:
		l.Fasteners = spaced(l.Feet, cableEnd, cableEvery)
		l.Do = append(l.Do, fmt.Sprintf("Across the joists between guard strips as high as the cable: everywhere where stairs lead up, within 6\u00a0ft of the hatch where none do; stapled every 4 1/2\u00a0ft (%d).", len(l.Fasteners)))
	case bored:
		l.Do = append(l.Do, "Through the holes it is supported; staple it within 12\u00a0in of the box, 8\u00a0in where the box has no clamp.")
	default:
		l.Fasteners = spaced(l.Feet, cableEnd, cableEvery)
		l.Do = append(l.Do, fmt.Sprintf("Along the side of the framing, 1 1/4\u00a0in from its edge, stapled every 4 1/2\u00a0ft (%d), flat and not driven in.", len(l.Fasteners)))
	}
	if l.By == CrawlSpace || l.By == Attic {
		p.caution(v.ID, l.By)
	}
}

func framing(by By) string {
	if by == FinishedWall {
		return "studs"
	}
	return "joists"
}

// layPipe sizes the conduit of a leg, straps it and works its bends.
func (p *planner) layPipe(l *Laid, kind wire.Tubing, method Method) error {
	g := p.plan.Conductor.AWG
	var areas []wire.SquareInches
	what := ""
	if method == Conduit {
		for range 3 * max(1, l.Bundled) {
			areas = append(areas, g.Insulated())
		}
		what = fmt.Sprintf("%d x %.4f in²", len(areas), float64(g.Insulated()))
	} else {
		areas = append(areas, wire.CableArea(string(method), g))
		what = fmt.Sprintf("one flat cable as a circle of its width, %.3f in²", float64(areas[0]))
	}
	size, fill, err := kind.Least(areas)
	if err != nil {
		return err
	}
	l.Conduit = kind
	pipe := &Pipe{Kind: kind, Size: size.Name, Fill: fill, Most: wire.MostFill(len(areas)), Bent: []Bent{}, size: size}
	pipe.Working = fmt.Sprintf("%s / %.3f in² = %.0f %%; at most %.0f %%", what, float64(size.Inside), 100*fill, 100*pipe.Most)
	for _, b := range l.Bends {
		bent := b.Work(size)
		pipe.Degrees += bent.Degrees
		pipe.Bent = append(pipe.Bent, bent)
	}
	l.Pipe = pipe
	every, topic := emtEvery, "every 10\u00a0ft"
	if kind == wire.PVC {
		every, topic = pvcEvery, "every 3\u00a0ft"
	}
	l.Fasteners = spaced(l.Feet, pipeEnd, every)
	l.Do = append(l.Do, fmt.Sprintf("%s %s\u00a0in, strapped within 3\u00a0ft of every box and %s: %s.", pipeWords[kind], size.Name, topic, many(len(l.Fasteners), "strap", "straps")))
	if l.Exposure == nec.Wet {
		l.Do = append(l.Do, "Fittings listed as raintight; its inside is a wet place.")
	}
	if method != Conduit {
		l.Do = append(l.Do, "The cable goes through it as it is; a bushing or fitting where it enters.")
	}
	if l.By == Masonry {
		l.Do = append(l.Do, "Straps on masonry anchors. Eye protection, and no dust breathed, where masonry is drilled.")
	}
	return nil
}

var pipeWords = map[wire.Tubing]string{wire.EMT: "EMT", wire.PVC: "PVC conduit"}

// pulls counts the bends between the points at which wire is pulled, and puts a conduit body
// where there would be more than four quarter bends.
func (p *planner) pulls(v *Outlet, s *Stretch) {
	turned := 0.0
	for i := range s.Legs {
		pipe := s.Legs[i].Pipe
		if pipe == nil {
			turned = 0
			continue
		}
		for _, b := range pipe.Bent {
			if turned+b.Degrees > pullDegrees+1e-9 {
				pipe.Bodies++
				turned = 0
			}
			turned += b.Degrees
		}
		if pipe.Bodies > 0 {
			p.code(nec.ConduitBends, makeup.Finding{
				Code: "too-many-bends", Severity: makeup.Must, At: []string{v.ID}, Cured: true,
				Text: fmt.Sprintf("More than 360° of bends between two pulls on the way to %s.", v.name()),
				Fix:  fmt.Sprintf("%d conduit body in between, its cover accessible; none of its bends is pulled round.", pipe.Bodies),
			})
		}
	}
}

// spaced are the places, in inches from the start, at which a length is fastened so that one
// lies within end of each of its ends and none is farther than every from the next.
func spaced(feet float64, end, every wire.Inches) []wire.Inches {
	length := wire.Inches(feet * 12)
	if length <= 2*end {
		return []wire.Inches{length / 2}
	}
	between := length - 2*end
	n := int(math.Ceil(float64(between/every) - 1e-9))
	all := []wire.Inches{end}
	for i := 1; i <= n; i++ {
		all = append(all, end+between*wire.Inches(i)/wire.Inches(n))
	}
	return all
}

// sixteenth writes inches to the sixteenth, as they stand on a rule.
func sixteenth(v wire.Inches) string { return parts.Fraction(float64(v)) }

// caution is what can hurt on the way.
func (p *planner) caution(at string, by By) {
	text := "A crawl space: no power near water, light that hangs on a GFCI, a mask against dust and droppings, and somebody who knows that one is in there."
	if by == Attic {
		text = "An attic: tread on the joists only, mind heat and nails, a mask against insulation; recessed lamps stay free of it."
	}
	if !slices.ContainsFunc(p.plan.Findings, func(f makeup.Finding) bool { return f.Text == text }) {
		p.trade(makeup.Finding{Code: "way-hurts", Severity: makeup.Note, At: []string{at}, Text: text, Fix: "Old insulation or pipe lagging may hold asbestos: it is left alone until somebody who may has looked."})
	}
}

func many(n int, one, more string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, more)
}

func upper(phrase string) string {
	if phrase == "" {
		return phrase
	}
	return strings.ToUpper(phrase[:1]) + phrase[1:]
}
