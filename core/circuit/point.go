package circuit

import (
	"fmt"
	"strings"
)

// A PointKind says what a point of the circuit is.
type PointKind uint8

// Kinds of point.
const (
	CableEndPoint  PointKind = iota // W2@B1.neutral
	ConductorPoint                  // W2.neutral, a whole conductor
	TerminalPoint                   // R1.hot.1, G2.line.hot, R1.ground
	SlotPoint                       // R1.top.hot
	TabPoint                        // R1.tab.hot
	SplicePoint                     // splice:NAME, or B1.splice:NAME outside its box
	MetalPoint                      // B1.box
	BarPoint                        // panel.neutral
)

// A Point is the parsed name of a place where something lands, parts or touches.
type Point struct {
	Kind      PointKind
	Owner     string    // the cable, device or box
	At        string    // cable ends: the box or panel the end is in
	Conductor Conductor // all but splices, metal boxes
	Name      string    // terminals: what follows the device's name; slots: the half; splices: their name
}

// String is the canonical form of the point.
func (p Point) String() string {
	switch p.Kind {
	case CableEndPoint:
		return p.Owner + "@" + p.At + "." + string(p.Conductor)
	case ConductorPoint, BarPoint:
		return p.Owner + "." + string(p.Conductor)
	case SlotPoint:
		return p.Owner + "." + p.Name + "." + string(p.Conductor)
	case TabPoint:
		return p.Owner + ".tab." + string(p.Conductor)
	case SplicePoint:
		return p.Owner + "." + splicePrefix + p.Name
	case MetalPoint:
		return p.Owner + ".box"
	default:
		return p.Owner + "." + p.Name
	}
}

const splicePrefix = "splice:"

// receptacleTerminals and gfciTerminals name a device's terminals and what
// should land on each.
var (
	receptacleTerminals = []Terminal{
		{"hot.1", Hot},
		{"hot.2", Hot},
		{"neutral.1", Neutral},
		{"neutral.2", Neutral},
		{"ground", Ground},
	}
	gfciTerminals = []Terminal{
		{"line.hot", Hot},
		{"line.neutral", Neutral},
		{"load.hot", Hot},
		{"load.neutral", Neutral},
		{"ground", Ground},
	}
)

// A Terminal is a place on a device where wires land.
type Terminal struct {
	Name  string
	Takes Conductor
}

// Terminals lists the device's terminals, first (or line) before second (or load).
func (v *Device) Terminals() []Terminal {
	if v.Kind == GFCI {
		return gfciTerminals
	}
	return receptacleTerminals
}

// First is the device's first (or line) terminal for the conductor.
func (v *Device) First(k Conductor) string { return v.ID + "." + v.terminal(k, true) }

// Second is the device's second (or load) terminal for the conductor.
func (v *Device) Second(k Conductor) string { return v.ID + "." + v.terminal(k, false) }

func (v *Device) terminal(k Conductor, first bool) string {
	switch {
	case k == Ground:
		return "ground"
	case v.Kind == GFCI && first:
		return "line." + string(k)
	case v.Kind == GFCI:
		return "load." + string(k)
	case first:
		return string(k) + ".1"
	default:
		return string(k) + ".2"
	}
}

// ParsePoint reads a point's name. Inside a box, splices are written without
// the box; elsewhere box is "" and a bare splice is found where only one box
// has it by that name.
func (c *Circuit) ParsePoint(name, box string) (Point, error) {
	if rest, ok := strings.CutPrefix(name, splicePrefix); ok {
		return c.spliceByName(rest, name, box)
	}
	owner, rest, ok := strings.Cut(name, ".")
	if !ok || rest == "" {
		return Point{}, fmt.Errorf(
			"%q is not a point: write a cable end (W1@B1.hot), a terminal (R1.hot.1), a splice (splice:hot) or a box (B1.box)",
			name,
		)
	}
	if id, at, isEnd := strings.Cut(owner, "@"); isEnd {
		cable := c.Cable(id)
		if cable == nil {
			return Point{}, fmt.Errorf("%s: no cable %s in the file", name, id)
		}
		if at != cable.From && at != cable.To {
			return Point{}, fmt.Errorf("%s: cable %s has no end at %s", name, id, at)
		}
		return c.onCable(name, cable, Point{Kind: CableEndPoint, Owner: id, At: at, Conductor: Conductor(rest)})
	}
	if owner == Panel {
		switch k := Conductor(rest); k {
		case Hot, Hot2, Neutral, Ground:
			return Point{Kind: BarPoint, Owner: Panel, Conductor: k}, nil
		}
		return Point{}, fmt.Errorf("%s: the panel has hot, hot2, neutral and ground", name)
	}
	if cable := c.Cable(owner); cable != nil {
		return c.onCable(name, cable, Point{Kind: ConductorPoint, Owner: owner, Conductor: Conductor(rest)})
	}
	if b := c.Box(owner); b != nil {
		if rest == "box" {
			if b.Material != Metal {
				return Point{}, fmt.Errorf("%s: box %s is not metal", name, owner)
			}
			return Point{Kind: MetalPoint, Owner: owner}, nil
		}
		if s, isSplice := strings.CutPrefix(rest, splicePrefix); isSplice && s != "" {
			return Point{Kind: SplicePoint, Owner: owner, Name: s}, nil
		}
		return Point{}, fmt.Errorf("%s: box %s has no such point", name, owner)
	}
	if v, _ := c.Device(owner); v != nil {
		return onDevice(name, v, rest)
	}
	return Point{}, fmt.Errorf("%s: nothing in the file is named %s", name, owner)
}

func (c *Circuit) spliceByName(splice, name, box string) (Point, error) {
	if splice == "" {
		return Point{}, fmt.Errorf("%q: the splice has no name", name)
	}
	if box != "" {
		return Point{Kind: SplicePoint, Owner: box, Name: splice}, nil
	}
	var in []string
	for i := range c.Boxes {
		for _, pair := range c.Pairs(&c.Boxes[i]) {
			if pair[0] == name || pair[1] == name {
				in = append(in, c.Boxes[i].ID)
				break
			}
		}
	}
	switch len(in) {
	case 1:
		return Point{Kind: SplicePoint, Owner: in[0], Name: splice}, nil
	case 0:
		return Point{}, fmt.Errorf("%s: no box has a splice of that name", name)
	default:
		return Point{}, fmt.Errorf("%s: boxes %s each have one; write %s.%s", name, strings.Join(in, ", "), in[0], name)
	}
}

func (c *Circuit) onCable(name string, cable *Cable, p Point) (Point, error) {
	switch p.Conductor {
	case Hot, Hot2, Neutral, Ground:
	default:
		return Point{}, fmt.Errorf(
			"%s: %q is no conductor; a cable has hot, hot2, neutral, ground",
			name,
			string(p.Conductor),
		)
	}
	if !cable.Has(p.Conductor) {
		return Point{}, fmt.Errorf("%s: cable %s has no %s", name, cable.ID, p.Conductor)
	}
	return p, nil
}

func onDevice(name string, v *Device, rest string) (Point, error) {
	for _, t := range v.Terminals() {
		if t.Name == rest {
			return Point{Kind: TerminalPoint, Owner: v.ID, Name: rest, Conductor: t.Takes}, nil
		}
	}
	part, k, _ := strings.Cut(rest, ".")
	conductor := Conductor(k)
	switch {
	case (part == string(Top) || part == string(Bottom)) && (conductor == Hot || conductor == Neutral || conductor == Ground && v.HasGroundSlot()):
		return Point{Kind: SlotPoint, Owner: v.ID, Name: part, Conductor: conductor}, nil
	case part == "tab" && v.Kind == Receptacle && (conductor == Hot || conductor == Neutral):
		return Point{Kind: TabPoint, Owner: v.ID, Conductor: conductor}, nil
	}
	names := make([]string, 0, len(v.Terminals()))
	for _, t := range v.Terminals() {
		names = append(names, t.Name)
	}
	return Point{}, fmt.Errorf(
		"%s: %s %s has no such point; its terminals are %s",
		name,
		v.Kind,
		v.ID,
		strings.Join(names, ", "),
	)
}

// HasGroundSlot reports whether a plug with a ground pin enters.
func (v *Device) HasGroundSlot() bool { return v.Slots != 2 }

// Say is what people call a thing of the circuit: a device by its box, a cable by where
// it goes, a load by its watts and place, a point by what it is of. A name that is none
// is said as it stands.
func (c *Circuit) Say(name string) string {
	if c == nil {
		return name
	}
	if name == Panel || c.Box(name) != nil {
		return c.LabelOf(name)
	}
	if v, box := c.Device(name); v != nil {
		return c.LabelOf(box.ID)
	}
	if cable := c.Cable(name); cable != nil {
		return fmt.Sprintf("the cable from %s to %s", c.LabelOf(cable.From), c.LabelOf(cable.To))
	}
	for _, l := range c.Loads {
		if l.ID == name {
			return fmt.Sprintf("%g W at %s", l.Watts, c.Say(l.At))
		}
	}
	if end, err := c.ParseCableEnd(name); err == nil {
		return c.endWords(end)
	}
	p, err := c.ParsePoint(name, "")
	if err != nil {
		return name
	}
	switch p.Kind {
	case CableEndPoint:
		return fmt.Sprintf("the %s of %s", p.Conductor, c.endWords(p))
	case ConductorPoint:
		return fmt.Sprintf("the %s of %s", p.Conductor, c.Say(p.Owner))
	case SplicePoint:
		return fmt.Sprintf("the %s splice at %s", p.Name, c.LabelOf(p.Owner))
	case MetalPoint:
		return "the box at " + c.LabelOf(p.Owner)
	case TerminalPoint, SlotPoint, TabPoint:
		kind := map[PointKind]string{TerminalPoint: "terminal", SlotPoint: "slot", TabPoint: "tab"}[p.Kind]
		return fmt.Sprintf("the %s %s at %s", p.Conductor, kind, c.Say(p.Owner))
	}
	return name
}

// SayAll are several of them.
func (c *Circuit) SayAll(names []string) []string {
	all := make([]string, len(names))
	for i, name := range names {
		all[i] = c.Say(name)
	}
	return all
}

// endWords is the end of a cable in a box.
func (c *Circuit) endWords(end Point) string {
	cable := c.Cable(end.Owner)
	if end.At == cable.To {
		return fmt.Sprintf("the cable from %s, at %s", c.LabelOf(cable.From), c.LabelOf(end.At))
	}
	return fmt.Sprintf("the cable to %s, at %s", c.LabelOf(cable.To), c.LabelOf(end.At))
}
