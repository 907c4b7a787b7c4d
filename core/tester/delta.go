package tester

import (
	"elvat/core/circuit"
	"elvat/core/network"
)

// A Side says what lies between two slots of an outlet, for drawing.
type Side string

// What a side of a delta can be.
const (
	SideUnread Side = ""
	SideNone   Side = "none"
	SideGhost  Side = "ghost" // a ghost voltage or a dip: neither nothing nor line voltage
	SideLine   Side = "line"
	SideOver   Side = "over"
)

// A Delta is what is known of one outlet: three sides, in the order of
// circuit.Pairs, and which of its corners a sensor or a long lead found live.
type Delta struct {
	HotNeutral    Side     `json:"hotNeutral,omitempty"`
	HotGround     Side     `json:"hotGround,omitempty"`
	NeutralGround Side     `json:"neutralGround,omitempty"`
	Live          []string `json:"live,omitempty"` // hot, neutral, ground
	Volts         *Volts   `json:"volts,omitempty"`
}

// ghostVolts is what a meter's lead or a common neutral's drop stays below;
// from here on a voltage is drawn. Assumption.
const ghostVolts = 5

// lineLow is the least that is drawn as line voltage: below range B of ANSI
// C84.1 (from memory), so that a sagging outlet still shows as one.
const lineLow = 100

// A SideFrom is the least voltage at which a side is drawn so.
type SideFrom struct {
	Volts float64 `json:"volts"`
	Side  Side    `json:"side"`
}

// Sides are the steps of Side, from nothing up.
func (k Constants) Sides() []SideFrom {
	return []SideFrom{{0, SideNone}, {ghostVolts, SideGhost}, {lineLow, SideLine}, {k.OverVolts, SideOver}}
}

// Side says how a voltage between two slots is drawn.
func (k Constants) Side(volts float64) Side {
	side := SideNone
	for _, step := range k.Sides() {
		if volts >= step.Volts {
			side = step.Side
		}
	}
	return side
}

// Delta is the reading as drawn.
func (r *Reading) Delta(k Constants) Delta {
	var d Delta
	if r.Skipped || !r.valued() {
		return d
	}
	if i, ok := instruments[r.Tool]; ok && !r.onPoints() {
		i.draw(r, k, &d)
	}
	return d
}

// Blank reports whether the reading drew nothing.
func (d Delta) Blank() bool {
	return d.HotNeutral == "" && d.HotGround == "" && d.NeutralGround == "" && d.Live == nil && d.Volts == nil
}

// Merge draws the newer delta over the older one.
func (d Delta) Merge(newer Delta) Delta {
	for _, side := range []struct{ old, new *Side }{
		{&d.HotNeutral, &newer.HotNeutral}, {&d.HotGround, &newer.HotGround}, {&d.NeutralGround, &newer.NeutralGround},
	} {
		if *side.new != SideUnread {
			*side.old = *side.new
		}
	}
	if newer.Live != nil {
		d.Live = newer.Live
	}
	if newer.Volts != nil {
		d.Volts = newer.Volts
	}
	return d
}

// A GroundPin is what a reading says of the ground pin of its outlet.
type GroundPin int

// What a reading can say of a ground pin.
const (
	PinNotShown GroundPin = iota
	PinDead               // the pin was looked at and is not live
	PinMayBeLive
	PinLive
)

// pinVolts is the least voltage to a known ground at which a pin counts as
// live: the limit of safe touch voltage in dry places, 50 V ac (IEC 60364-4-41,
// from memory).
const pinVolts = 50

// GroundPin says whether the ground pin, and with it every metal case plugged
// in there, could be live. Lamps cannot tell which of neutral and ground is the
// live one when the lamp between them is lit.
func (r *Reading) GroundPin(k Constants) GroundPin {
	if r.Skipped {
		return PinNotShown
	}
	i, ok := instruments[r.Tool]
	if !ok || r.onPoints() {
		return PinNotShown
	}
	return i.pin(r, k)
}

// bodyOhms is a body's resistance (common practice, no source).
const bodyOhms = 1000

// LiveYoke reports whether the yoke, and all metal joined to it, is dangerous
// to touch: a body from there to earth gets more than the limit of safe touch
// voltage. A yoke that floats near a live wire is felt by a sensor, and is not.
func (c *Condition) LiveYoke(o circuit.Outlet) bool { return c.TouchVolts(o) >= pinVolts }

// TouchVolts are the volts over a body from the yoke to earth.
func (c *Condition) TouchVolts(o circuit.Outlet) float64 {
	yoke := node(o.Yoke)
	return c.on(func(s *network.Case) { s.Connect(yoke, network.Earth, bodyOhms) }).Volts(yoke, network.Earth)
}
