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
	if r.Skipped {
		return d
	}
	sides := [3]*Side{&d.HotNeutral, &d.HotGround, &d.NeutralGround}
	switch r.Tool {
	case Plug:
		for i, lit := range r.Lamps.All() {
			switch lit {
			case IsLit:
				*sides[i] = SideLine
			case IsDark:
				*sides[i] = SideNone
			}
		}
	case Meter:
		all := r.Volts.All()
		for i, side := range sides {
			if all[i] != nil {
				*side = k.Side(*all[i])
			}
		}
		for i, name := range slotNames {
			if v := all[3+i]; v != nil && *v >= k.StrongVolts {
				d.Live = append(d.Live, name)
			}
		}
		d.Volts = r.Volts
	case Sensor:
		for i, level := range r.Slots.All() {
			if level == Strong {
				d.Live = append(d.Live, slotNames[i])
			}
		}
	case Analyzer:
		if drawn, ok := wiringDrawn[r.Wiring]; ok {
			d.HotNeutral, d.HotGround, d.NeutralGround = drawn[0], drawn[1], drawn[2]
		}
	case Lamp:
		d.HotNeutral = map[Glow]Side{Off: SideNone, Dim: SideGhost, Bright: SideLine, Over: SideOver}[r.Glow]
	}
	return d
}

// wiringDrawn are a load tester's verdicts as the voltages they stand for.
var wiringDrawn = map[Wiring][3]Side{
	WiringCorrect:            {SideLine, SideLine, SideNone},
	WiringOpenGround:         {SideLine, SideNone, SideNone},
	WiringOpenNeutral:        {SideNone, SideLine, SideNone},
	WiringOpenHot:            {SideNone, SideNone, SideNone},
	WiringHotGroundReversed:  {SideNone, SideLine, SideLine},
	WiringHotNeutralReversed: {SideLine, SideNone, SideLine},
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
	switch r.Tool {
	case Plug:
		if r.Lamps.NeutralGround == IsLit {
			return PinMayBeLive
		}
	case Sensor:
		switch {
		case r.Slots.Ground == Strong:
			return PinLive
		case r.Slots.Ground == Faint:
			return PinMayBeLive
		case r.Slots.Ground == None:
			return PinDead
		case r.Slots.Neutral == None || r.Slots.Hot == None:
			return PinDead // nor would it be silent there
		case r.Slots.Neutral == Strong:
			return PinMayBeLive // a live yoke sets a sensor off at every slot
		}
	case Meter:
		v := r.Volts
		switch {
		case v.GroundEarth != nil && *v.GroundEarth >= pinVolts:
			return PinLive
		case v.GroundEarth != nil:
			return PinDead
		case v.NeutralGround != nil && *v.NeutralGround >= pinVolts:
			return PinMayBeLive
		}
	}
	return PinNotShown
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
