// Package newrun plans a new circuit, or the way on of one that is there, from what is to
// be served and how one gets there: breaker, conductor, cable or conduit, holes, supports and
// bends, boxes with their make-up, the panel's steps, parts, minutes, and what the testers
// will show when it is done. What the code says stands in our words, from memory; what is
// adopted where the work is done wins.
package newrun

import (
	"fmt"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/makeup"
	"elvat/core/nec"
	"elvat/core/practice"
	"elvat/core/strict"
	"elvat/core/wire"
)

// Format is the name and version of what is ordered, PlanFormat of the plan made of it.
const (
	Format     = "elvat-newrun/1"
	PlanFormat = "elvat-newrun-plan/1"
)

// An Order is what a new run is to serve, where, and how one gets there.
type Order struct {
	Format  string      `json:"format"`
	ID      string      `json:"id"`
	Name    string      `json:"name,omitempty"`
	Edition nec.Edition `json:"edition,omitempty"` // zero: the shop's
	// From is the panel, for a circuit of its own, or the box of the call's run that is
	// extended.
	From    string         `json:"from,omitempty"` // empty: the panel
	Outlets []Outlet       `json:"outlets"`
	Panel   PanelFacts     `json:"panel,omitzero"`
	Remove  []Removal      `json:"remove,omitempty"`
	House   practice.House `json:"practice,omitzero"`
}

// Extends reports whether the run hangs on one that is there.
func (o *Order) Extends() bool { return o.From != circuit.Panel }

// A Kind is what an outlet is for.
type Kind string

// Kinds of use.
const (
	Laundry      Kind = "laundry"
	Refrigerator Kind = "refrigerator"
	Freezer      Kind = "freezer"
	SumpPump     Kind = "sump-pump"
	Bathroom     Kind = "bathroom"
	Workshop     Kind = "workshop"
	Countertop   Kind = "countertop"
	Garage       Kind = "garage"
	Appliance    Kind = "appliance" // one, by its watts
	General      Kind = "general"
)

// Kinds in the order in which they are offered.
var Kinds = []Kind{Laundry, Refrigerator, Freezer, SumpPump, Bathroom, Workshop, Countertop, Garage, Appliance, General}

// An Outlet is one box of the new run, and the way that its cable takes from the one before.
type Outlet struct {
	ID    string    `json:"id"`
	Label string    `json:"label,omitempty"`
	After string    `json:"after,omitempty"` // the outlet that it hangs on; empty: the one before, or where the run comes from
	For   Kind      `json:"for"`
	What  string    `json:"what,omitempty"`  // in words: the guillotine
	Watts float64   `json:"watts,omitempty"` // at 120 V, by its nameplate; zero: as usual for its kind
	Place nec.Place `json:"place,omitzero"`
	// Continuous: it runs three hours or more. Fixed: it is fastened in place. Motor: the
	// largest part of it is a motor.
	Continuous bool `json:"continuous,omitempty"`
	Fixed      bool `json:"fixed,omitempty"`
	Motor      bool `json:"motor,omitempty"`
	Wall       Wall `json:"wall,omitempty"` // what its box goes into; empty: as the last leg of the way says
	// Device is the kind of device where it is chosen: receptacle, gfci, single, usb, smart,
	// afci, afci-gfci; empty: as its use and the code ask.
	Device string `json:"device,omitempty"`
	Way    []Leg  `json:"way"`
	// Replaces is the box of the call's run that this outlet takes the place of.
	Replaces string `json:"replaces,omitempty"`
}

// A Wall is what a box goes into.
type Wall string

// Walls.
const (
	OpenFrame  Wall = "open-frame"
	Finished   Wall = "finished"
	OnSurface  Wall = "surface"
	OnMasonry  Wall = "masonry"
	OnOutdoors Wall = "outdoors"
)

// Walls in the order in which they are offered.
var Walls = []Wall{OpenFrame, Finished, OnSurface, OnMasonry, OnOutdoors}

// By is how a stretch of the way goes.
type By string

// Ways of going.
const (
	OpenJoists   By = "open-joists"
	Attic        By = "attic"
	CrawlSpace   By = "crawl-space"
	Surface      By = "surface"
	FinishedWall By = "finished-wall"
	Masonry      By = "masonry"
)

// Bys in the order in which they are offered.
var Bys = []By{OpenJoists, Attic, CrawlSpace, FinishedWall, Surface, Masonry}

// A Leg is a stretch of the way. What is nil or zero is as usual.
type Leg struct {
	By       By           `json:"by"`
	Feet     float64      `json:"feet"`
	Exposure nec.Exposure `json:"exposure,omitempty"` // empty: dry
	// Across: through the framing, not along it. DepthIn and SpacingIn are of the joists or
	// studs.
	Across    bool        `json:"across,omitempty"`
	DepthIn   wire.Inches `json:"depthIn,omitempty"`
	SpacingIn wire.Inches `json:"spacingIn,omitempty"`
	// Plates is how many plates or fire blocks a finished wall has in the way.
	Plates int `json:"plates,omitempty"`
	// Conduit says that it goes in conduit: emt or pvc; empty: as the way asks.
	Conduit wire.Tubing `json:"conduit,omitempty"`
	Bends   []Bend      `json:"bends,omitempty"`
	// AirC is the hottest that the air gets; zero: 30, or 50 in an attic. Bundled is how many
	// cables lie together with it for more than 24 in, itself counted; zero: one.
	AirC    wire.Celsius `json:"airC,omitempty"`
	Bundled int          `json:"bundled,omitempty"`
}

// PanelFacts are what is known of the panel; nil is not known.
type PanelFacts struct {
	Breaker string `json:"breaker,omitempty"` // the number that the new one gets
	Free    *int   `json:"free,omitempty"`    // spaces
	// Room says whether a licensed person has summed up the service's load with the new one.
	Room *bool `json:"room,omitempty"`
	// Flush says that the panel sits flush in a finished wall.
	Flush bool `json:"flush,omitempty"`
}

// A Removal is a cable that the new run leaves without a purpose.
type Removal struct {
	Cable string `json:"cable"`
	From  string `json:"from"` // where its feeding end is, in words
	To    string `json:"to"`
	How   How    `json:"how"`
}

// How a cable is removed.
type How string

// Ways to remove one.
const (
	TakenOut How = "out"
	LeftDead How = "left"
)

// Bounds of one order. Assumption.
const (
	mostOutlets  = 24
	mostLegs     = 12
	mostBends    = 12
	mostRemovals = 40
	mostLegFeet  = 500
)

// Parse reads an order. Errors name the place and what is wrong there.
func Parse(data []byte) (*Order, error) { return parse(data, strict.Unmarshal) }

// Reopen is Parse of an order that was kept.
func Reopen(data []byte) (*Order, error) { return parse(data, strict.Reread) }

func parse(data []byte, read func([]byte, any) error) (*Order, error) {
	o := &Order{}
	if err := read(data, o); err != nil {
		return nil, fmt.Errorf("new run: %w", err)
	}
	if err := o.Check(); err != nil {
		return nil, fmt.Errorf("new run: %w", err)
	}
	return o, nil
}

// Check reports the first thing that is wrong with the order, naming the place. What is empty
// gets what it stands for.
func (o *Order) Check() error {
	if o.Format != Format {
		return fmt.Errorf("format: want %q, have %q", Format, o.Format)
	}
	if err := checkName("id", o.ID); err != nil {
		return err
	}
	if o.Edition != 0 {
		if err := o.Edition.Check(); err != nil {
			return err
		}
	}
	if o.From == "" {
		o.From = circuit.Panel
	}
	switch {
	case len(o.Outlets) == 0:
		return fmt.Errorf("outlets: there is none; a run serves at least one")
	case len(o.Outlets) > mostOutlets:
		return fmt.Errorf("outlets: %d of them; at most %d", len(o.Outlets), mostOutlets)
	case len(o.Remove) > mostRemovals:
		return fmt.Errorf("remove: %d of them; at most %d", len(o.Remove), mostRemovals)
	case len(o.Panel.Breaker) > 20:
		return fmt.Errorf("panel.breaker: %q is longer than 20 characters", o.Panel.Breaker)
	case o.Panel.Free != nil && (*o.Panel.Free < 0 || *o.Panel.Free > 84):
		return fmt.Errorf("panel.free: %d is out of bounds, 0 to 84", *o.Panel.Free)
	}
	seen := map[string]bool{}
	for i := range o.Outlets {
		place := fmt.Sprintf("outlets[%d]", i)
		if err := o.Outlets[i].check(place, seen); err != nil {
			return err
		}
		seen[o.Outlets[i].ID] = true
	}
	for i, r := range o.Remove {
		switch {
		case r.Cable == "" || r.From == "" || r.To == "":
			return fmt.Errorf("remove[%d]: cable, from and to say which cable it is", i)
		case !slices.Contains([]How{TakenOut, LeftDead}, r.How):
			return fmt.Errorf("remove[%d].how: %q is none of %v", i, r.How, []How{TakenOut, LeftDead})
		}
	}
	return o.House.Check()
}

func checkName(place, name string) error {
	if name == "" || len(name) > 20 || strings.ContainsAny(name, ".@: \t\n") || name == circuit.Panel {
		return fmt.Errorf("%s: %q is no name: letters, digits and dashes", place, name)
	}
	return nil
}

// deviceKinds are the devices that can be chosen; empty: as asked.
var deviceKinds = append([]string{""}, makeup.DeviceKinds...)

func (v *Outlet) check(place string, before map[string]bool) error {
	if err := checkName(place+".id", v.ID); err != nil {
		return err
	}
	switch {
	case before[v.ID]:
		return fmt.Errorf("%s.id: %q is there already", place, v.ID)
	case v.After != "" && !before[v.After]:
		return fmt.Errorf("%s.after: %q is not an outlet that stands before it", place, v.After)
	case !slices.Contains(Kinds, v.For):
		return fmt.Errorf("%s.for: %q is none of %v", place, v.For, Kinds)
	case v.Watts < 0 || v.Watts > 20000 || v.Watts != v.Watts:
		return fmt.Errorf("%s.watts: %g is out of bounds, 0 to 20000", place, v.Watts)
	case v.For == Appliance && v.Watts == 0:
		return fmt.Errorf("%s.watts: an appliance is planned by its watts, which are on its nameplate", place)
	case v.Wall != "" && !slices.Contains(Walls, v.Wall):
		return fmt.Errorf("%s.wall: %q is none of %v", place, v.Wall, Walls)
	case !slices.Contains(deviceKinds, v.Device):
		return fmt.Errorf("%s.device: %q is none of %v", place, v.Device, deviceKinds[1:])
	case len(v.Replaces) > 40:
		return fmt.Errorf("%s.replaces: %q is no box", place, v.Replaces)
	case len(v.Way) == 0:
		return fmt.Errorf("%s.way: there is none; say how its cable gets there", place)
	case len(v.Way) > mostLegs:
		return fmt.Errorf("%s.way: %d legs; at most %d", place, len(v.Way), mostLegs)
	}
	if err := v.Place.Check(); err != nil {
		return fmt.Errorf("%s.place.%w", place, err)
	}
	for i := range v.Way {
		if err := v.Way[i].check(fmt.Sprintf("%s.way[%d]", place, i)); err != nil {
			return err
		}
	}
	return nil
}

func (l *Leg) check(place string) error {
	switch {
	case !slices.Contains(Bys, l.By):
		return fmt.Errorf("%s.by: %q is none of %v", place, l.By, Bys)
	case !(l.Feet > 0) || l.Feet > mostLegFeet:
		return fmt.Errorf("%s.feet: %g is out of bounds, above 0 to %d", place, l.Feet, mostLegFeet)
	case l.Exposure != "" && !slices.Contains(nec.Exposures, l.Exposure):
		return fmt.Errorf("%s.exposure: %q is none of %v", place, l.Exposure, nec.Exposures)
	case l.DepthIn != 0 && !(l.DepthIn >= 1.5 && l.DepthIn <= 24):
		return fmt.Errorf("%s.depthIn: %g is out of bounds, 1.5 to 24", place, float64(l.DepthIn))
	case l.SpacingIn != 0 && !(l.SpacingIn >= 8 && l.SpacingIn <= 96):
		return fmt.Errorf("%s.spacingIn: %g is out of bounds, 8 to 96", place, float64(l.SpacingIn))
	case l.Plates < 0 || l.Plates > 20:
		return fmt.Errorf("%s.plates: %d is out of bounds, 0 to 20", place, l.Plates)
	case l.Conduit != "" && !slices.Contains(wire.Tubings, l.Conduit):
		return fmt.Errorf("%s.conduit: %q is none of %v", place, l.Conduit, wire.Tubings)
	case l.AirC != 0 && !(l.AirC >= -40 && l.AirC <= 80):
		return fmt.Errorf("%s.airC: %g is out of bounds, -40 to 80", place, float64(l.AirC))
	case l.Bundled < 0 || l.Bundled > 30:
		return fmt.Errorf("%s.bundled: %d is out of bounds, 0 to 30", place, l.Bundled)
	case len(l.Bends) > mostBends:
		return fmt.Errorf("%s.bends: %d of them; at most %d", place, len(l.Bends), mostBends)
	}
	for i := range l.Bends {
		if err := l.Bends[i].check(fmt.Sprintf("%s.bends[%d]", place, i)); err != nil {
			return err
		}
	}
	return nil
}

// after is what the outlet at i hangs on: an outlet, or where the run comes from.
func (o *Order) after(i int) string {
	switch {
	case o.Outlets[i].After != "":
		return o.Outlets[i].After
	case i == 0:
		return o.From
	default:
		return o.Outlets[i-1].ID
	}
}

// name is what people call the outlet.
func (v *Outlet) name() string {
	switch {
	case v.Label != "":
		return v.Label
	case v.What != "":
		return v.What
	default:
		return v.ID
	}
}

// feet is how far the outlet's cable goes.
func (v *Outlet) feet() float64 {
	sum := 0.0
	for i := range v.Way {
		sum += v.Way[i].Feet
	}
	return sum
}
