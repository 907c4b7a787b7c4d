// Package circuit describes a branch circuit as it is built: breaker, cables,
// boxes, devices and loads, the file format elvat-circuit/1, and the expansion
// of a make-up into single terminations.
package circuit

import "elvat/core/wire"

// Format is the name and version of the circuit file.
const Format = "elvat-circuit/1"

// Panel is the name of the root of every circuit.
const Panel = "panel"

// A Circuit is one branch circuit from its breaker to its last outlet, with
// what is plugged in, what is wrong with it and the state it was left in.
type Circuit struct {
	Format  string  `json:"format"`
	Name    string  `json:"name"`
	Supply  Supply  `json:"supply"`
	Breaker Breaker `json:"breaker"`
	Cables  []Cable `json:"cables"`
	Boxes   []Box   `json:"boxes"`
	Loads   []Load  `json:"loads,omitempty"`
	Faults  []Fault `json:"faults,omitempty"`
	State   State   `json:"state,omitzero"`
}

// Supply is the source of one leg at the service.
type Supply struct {
	Volts float64 `json:"volts"` // rms, leg to neutral; 120
	Hz    float64 `json:"hz"`    // 60
}

// Protection is what a breaker does beyond overcurrent.
type Protection string

// Kinds of breaker protection.
const (
	NoProtection Protection = "none"
	GFCIBreaker  Protection = "gfci"
	AFCIBreaker  Protection = "afci"
	DualBreaker  Protection = "dual"
	// UnknownProtection is that of a breaker nobody has looked at. It is modelled as a plain
	// one, and nothing is concluded from that.
	UnknownProtection Protection = "unknown"
)

// SeesGroundFaults reports whether the breaker compares hot and neutral.
func (p Protection) SeesGroundFaults() bool { return p == GFCIBreaker || p == DualBreaker }

// Breaker is the circuit's overcurrent device in the panel.
type Breaker struct {
	Label      string     `json:"label"` // as written in the directory
	Amps       float64    `json:"amps"`
	Poles      int        `json:"poles"` // 1, or 2 feeding hot and hot2 from opposite legs
	Protection Protection `json:"protection"`
	On         bool       `json:"on"`
	// Tripped is set by a reading's state and by a breaker fault, never by the file.
	Tripped bool `json:"-"`
}

// A Conductor is one wire of a cable, named by what it should carry.
type Conductor string

// The conductors a cable can have.
const (
	Hot     Conductor = "hot"
	Hot2    Conductor = "hot2" // the second ungrounded conductor of a 3-wire cable
	Neutral Conductor = "neutral"
	Ground  Conductor = "ground"
)

// Conductors lists all kinds, in the order they are drawn and solved.
var Conductors = []Conductor{Hot, Hot2, Neutral, Ground}

// A Cable runs from the end nearer the panel to the next box.
type Cable struct {
	ID         string      `json:"id"`
	From       string      `json:"from"` // "panel" or a box
	To         string      `json:"to"`   // a box
	AWG        wire.Gauge  `json:"awg"`
	Feet       float64     `json:"feet"`
	Conductors []Conductor `json:"conductors"`
}

// Has reports whether the cable carries the conductor.
func (c Cable) Has(k Conductor) bool {
	for _, have := range c.Conductors {
		if have == k {
			return true
		}
	}
	return false
}

// Material is what a box is made of.
type Material string

// Box materials.
const (
	Plastic Material = "plastic"
	Metal   Material = "metal"
)

// Makeup is the shorthand for how a box is wired.
type Makeup string

// The two ways to make up a box.
const (
	FeedThrough Makeup = "feed-through" // the device's terminals carry everything downstream
	Pigtail     Makeup = "pigtail"      // splices, with one jumper to each device
)

// A Box holds devices and the ends of cables. It has either a Makeup or its
// Wiring spelled out.
type Box struct {
	ID       string      `json:"id"`
	Label    string      `json:"label"`
	Material Material    `json:"material"`
	Bonded   bool        `json:"bonded,omitempty"` // metal box joined to the ground splice
	Makeup   Makeup      `json:"makeup,omitempty"`
	Load     []string    `json:"load,omitempty"` // pigtail: outgoing cables on the GFCI's load terminals
	Wiring   [][2]string `json:"wiring,omitempty"`
	Devices  []Device    `json:"devices"`
}

// DeviceKind says what a device is.
type DeviceKind string

// Kinds of device.
const (
	Receptacle DeviceKind = "receptacle" // a duplex
	GFCI       DeviceKind = "gfci"
)

// Generation tells GFCI receptacles made before lock-out was required.
type Generation string

// GFCI generations.
const (
	Current Generation = ""
	Legacy  Generation = "legacy"
)

// TabState says whether the link between a duplex's halves is there.
type TabState string

// States of a tab.
const (
	TabIntact  TabState = ""
	TabRemoved TabState = "removed"
)

// Tabs are the two break-off links of a duplex.
type Tabs struct {
	Hot     TabState `json:"hot,omitempty"`
	Neutral TabState `json:"neutral,omitempty"`
}

// A Device is a receptacle or GFCI on its yoke.
type Device struct {
	ID         string     `json:"id"`
	Kind       DeviceKind `json:"kind"`
	Amps       float64    `json:"amps"`
	Tripped    bool       `json:"tripped,omitempty"`
	Slots      int        `json:"slots,omitempty"` // 3, or 2 without a ground slot
	Tab        Tabs       `json:"tab,omitzero"`
	Generation Generation `json:"generation,omitempty"`
}

// Half is the top or bottom outlet of a duplex.
type Half string

// The halves of a duplex.
const (
	Top    Half = "top"
	Bottom Half = "bottom"
)

// Halves in the order in which they are read.
var Halves = []Half{Top, Bottom}

// A Load is an appliance plugged into one half of a device.
type Load struct {
	ID    string  `json:"id"`
	At    string  `json:"at"` // a device
	Half  Half    `json:"half,omitempty"`
	Watts float64 `json:"watts"` // at 120 V
	On    bool    `json:"on"`
}

// A Pair names two kinds of conductor, such as "hot-neutral".
type Pair string

// The pairs a fault can concern.
const (
	HotNeutral    Pair = "hot-neutral"
	HotGround     Pair = "hot-ground"
	NeutralGround Pair = "neutral-ground"
)

// Pairs in the order in which they are read.
var Pairs = []Pair{HotNeutral, HotGround, NeutralGround}

// Ends are the two conductors of the pair.
func (p Pair) Ends() (a, b Conductor) {
	switch p {
	case HotNeutral:
		return Hot, Neutral
	case HotGround:
		return Hot, Ground
	default:
		return Neutral, Ground
	}
}

// FaultKind is what is wrong.
type FaultKind string

// Kinds of fault. Their meaning is in package fault.
const (
	Open      FaultKind = "open"
	Resistive FaultKind = "resistive"
	Swapped   FaultKind = "swapped"
	Moved     FaultKind = "moved"
	Bonded    FaultKind = "bonded"
	Touching  FaultKind = "touching"
	Leak      FaultKind = "leak"
	GFCIFault FaultKind = "gfci"
	BreakerAt FaultKind = "breaker"
)

// A Fault is one thing wrong at one place.
type Fault struct {
	Kind  FaultKind `json:"kind"`
	At    string    `json:"at"`
	Pair  Pair      `json:"pair,omitempty"`
	To    string    `json:"to,omitempty"`    // moved: where it landed
	Ohms  float64   `json:"ohms,omitempty"`  // resistive, bonded, touching, leak
	State string    `json:"state,omitempty"` // gfci, breaker
}

// State is what was taken apart or joined for a test.
type State struct {
	Separated []string    `json:"separated,omitempty"` // cable ends such as "W2@B1"
	Joined    [][2]string `json:"joined,omitempty"`    // points joined for a continuity test
	// TrippedKnown says that the devices' Tripped is what was seen when a
	// reading was taken: it overrides what a gfci fault says.
	TrippedKnown bool `json:"-"`
}

// Box returns the box named id, nil when there is none.
func (c *Circuit) Box(id string) *Box {
	for i := range c.Boxes {
		if c.Boxes[i].ID == id {
			return &c.Boxes[i]
		}
	}
	return nil
}

// Cable returns the cable named id, nil when there is none.
func (c *Circuit) Cable(id string) *Cable {
	for i := range c.Cables {
		if c.Cables[i].ID == id {
			return &c.Cables[i]
		}
	}
	return nil
}

// Device returns the device named id and the box it sits in, nil when there is none.
func (c *Circuit) Device(id string) (*Device, *Box) {
	for i := range c.Boxes {
		for j := range c.Boxes[i].Devices {
			if c.Boxes[i].Devices[j].ID == id {
				return &c.Boxes[i].Devices[j], &c.Boxes[i]
			}
		}
	}
	return nil, nil
}

// LineCable is the cable that feeds the box, nil when none does.
func (c *Circuit) LineCable(box string) *Cable {
	for i := range c.Cables {
		if c.Cables[i].To == box {
			return &c.Cables[i]
		}
	}
	return nil
}

// Outgoing lists the cables that leave the box, or the panel, for boxes beyond.
func (c *Circuit) Outgoing(box string) []*Cable {
	var out []*Cable
	for i := range c.Cables {
		if c.Cables[i].From == box {
			out = append(out, &c.Cables[i])
		}
	}
	return out
}

// LabelOf is what people call a box: its label, or its name where it has none.
func (c *Circuit) LabelOf(box string) string {
	if box == Panel {
		return "the panel"
	}
	if b := c.Box(box); b != nil && b.Label != "" {
		return b.Label
	}
	// Its mark only where another would be called the same.
	stem := Stem(box)
	for i := range c.Boxes {
		if other := c.Boxes[i].ID; other != box && Stem(other) == stem {
			return box
		}
	}
	return stem
}

// GroundArrives reports whether every cable from the panel to the box carries
// a ground.
func (c *Circuit) GroundArrives(box string) bool {
	for box != Panel {
		cable := c.LineCable(box)
		if cable == nil || !cable.Has(Ground) {
			return false
		}
		box = cable.From
	}
	return true
}

// Clone is a deep copy.
func (c *Circuit) Clone() *Circuit {
	d := *c
	d.Cables = append([]Cable(nil), c.Cables...)
	for i := range d.Cables {
		d.Cables[i].Conductors = append([]Conductor(nil), d.Cables[i].Conductors...)
	}
	d.Boxes = append([]Box(nil), c.Boxes...)
	for i := range d.Boxes {
		b := &d.Boxes[i]
		b.Load = append([]string(nil), b.Load...)
		b.Wiring = append([][2]string(nil), b.Wiring...)
		b.Devices = append([]Device(nil), b.Devices...)
	}
	d.Loads = append([]Load(nil), c.Loads...)
	d.Faults = append([]Fault(nil), c.Faults...)
	d.State.Separated = append([]string(nil), c.State.Separated...)
	d.State.Joined = append([][2]string(nil), c.State.Joined...)
	return &d
}
