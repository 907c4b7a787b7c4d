package drill

import (
	"math"
	"math/rand/v2"
	"slices"

	"elvat/core/circuit"
	"elvat/core/draw"
	"elvat/core/tester"
)

// A Theme is what a scene trains.
type Theme string

// Themes.
const (
	Patterns      Theme = "patterns"       // what three lamps tell
	Masking       Theme = "masking"        // what they hide
	HalfDead      Theme = "half-dead"      // one half of an outlet
	GFCIs         Theme = "gfci"           // tripped, dead, wired the wrong way round
	Loads         Theme = "loads"          // something plugged in behind an open neutral
	Bootlegs      Theme = "bootlegs"       // a ground that is none
	Ungrounded    Theme = "ungrounded"     // no ground arrives anywhere
	SharedNeutral Theme = "shared-neutral" // two legs, one neutral
	Loose         Theme = "loose"          // joints that carry a voltage and no current
	UnknownOrder  Theme = "unknown-order"  // what feeds what is not known
	TwoFaults     Theme = "two-faults"
)

// Themes in the order in which they are learned.
var Themes = []Theme{Patterns, HalfDead, GFCIs, Ungrounded, Masking, Loads, Bootlegs, Loose, UnknownOrder, SharedNeutral, TwoFaults}

// Where a voltage is taken for another. Assumption.
const (
	deadBelow = 20.0
	weakBelow = 105.0
	overAbove = 128.0
	tingles   = 30.0 // on the ground slot or the yoke
)

// A look is what every tester shows at every outlet, sound and as it is.
type look struct {
	outlets   []circuit.Outlet
	sound, is []tester.Face
}

func see(c *circuit.Circuit) (*look, error) {
	bench, err := tester.NewBench(c)
	if err != nil {
		return nil, err
	}
	l := &look{outlets: bench.Outlets()}
	for _, row := range []struct {
		faults []circuit.Fault
		to     *[]tester.Face
	}{{nil, &l.sound}, {c.Faults, &l.is}} {
		k, err := bench.Try(row.faults)
		if err != nil {
			return nil, err
		}
		for _, o := range l.outlets {
			*row.to = append(*row.to, k.Face(o))
		}
	}
	return l, nil
}

// lampsDiffer reports whether the plug tester shows something else than on a sound circuit.
func (l *look) lampsDiffer(i int) bool {
	if !l.outlets[i].HasGround {
		return false
	}
	for k := range l.is[i].Lamps {
		if tester.Default.Lit(l.is[i].Lamps[k]) != tester.Default.Lit(l.sound[i].Lamps[k]) {
			return true
		}
	}
	return false
}

// differs reports whether a meter or the sensor shows something else.
func (l *look) differs(i int) bool {
	for k := range l.is[i].High {
		if math.Abs(l.is[i].High[k]-l.sound[i].High[k]) > 10 {
			return true
		}
	}
	for k := range l.is[i].Sensor {
		if math.Abs(l.is[i].Sensor[k]-l.sound[i].Sensor[k]) > tingles {
			return true
		}
	}
	return false
}

// taken reports whether the plug tester takes the outlet for sound.
func (l *look) taken(i int) bool {
	is := l.is[i].Lamps
	return l.outlets[i].HasGround && is[0] > weakBelow && is[1] > weakBelow && is[2] < deadBelow
}

// where are the outlets of which it holds.
func (l *look) where(holds func(int) bool) []int {
	var all []int
	for i := range l.outlets {
		if holds(i) {
			all = append(all, i)
		}
	}
	return all
}

// a way makes scenes of a theme.
type way struct {
	circuit func(r *rand.Rand, level int) *circuit.Circuit
	hide    func(r *rand.Rand, c *circuit.Circuit, level int) []Hidden
	// noticed are the outlets that somebody would complain of so that it is a scene of the
	// theme; none: it is not one.
	noticed func(l *look) []int
}

// boxes of a level.
func boxes(r *rand.Rand, level int) int { return 2 + level + r.IntN(1+level) }

func plain(r *rand.Rand, level int) *circuit.Circuit {
	c := draw.Circuit(r, draw.Options{Boxes: boxes(r, level), Plain: true})
	for i := range c.Boxes {
		if len(c.Outgoing(c.Boxes[i].ID)) > 1 {
			c.Boxes[i].Makeup = circuit.Pigtail // one wire to a screw
		}
	}
	return c
}

// guarded is one with a GFCI, which protects what follows it.
func guarded(r *rand.Rand, level int) *circuit.Circuit {
	for {
		c := plain(r, level)
		box := some(r, c.Boxes)
		if len(c.Outgoing(box.ID)) != 1 || len(box.Devices) != 1 {
			continue
		}
		at := c.Box(box.ID)
		at.Makeup = circuit.FeedThrough
		at.Devices[0].Kind, at.Devices[0].Tab = circuit.GFCI, circuit.Tabs{}
		if c.Check() == nil {
			return c
		}
	}
}

// multiwire is one of two legs that share a neutral: outlets hang on them in turn, and something
// is plugged in on both.
func multiwire(r *rand.Rand, level int) *circuit.Circuit {
	for {
		c := plain(r, level)
		c.Breaker.Poles = 2
		for i := range c.Cables {
			c.Cables[i].Conductors = []circuit.Conductor{circuit.Hot, circuit.Hot2, circuit.Neutral, circuit.Ground}
		}
		for i := range c.Boxes {
			box := &c.Boxes[i]
			box.Makeup, box.Wiring = "", [][2]string{}
			join := func(a, b string) { box.Wiring = append(box.Wiring, [2]string{a, b}) }
			for _, cable := range append([]*circuit.Cable{c.LineCable(box.ID)}, c.Outgoing(box.ID)...) {
				for _, k := range cable.Conductors {
					join(cable.ID+"@"+box.ID+"."+string(k), "splice:"+string(k))
				}
			}
			leg := []circuit.Conductor{circuit.Hot, circuit.Hot2}[i%2]
			for k := range box.Devices {
				v := &box.Devices[k]
				v.Slots = 3
				join("splice:"+string(leg), v.First(circuit.Hot))
				join("splice:neutral", v.First(circuit.Neutral))
				join("splice:ground", v.First(circuit.Ground))
			}
			if box.Bonded {
				join("splice:ground", box.ID+".box")
				box.Bonded = false
			}
		}
		legs := [2]float64{some(r, []float64{40, 60, 100}), some(r, []float64{300, 600, 1000})}
		ok := len(c.Boxes) > 1
		for i, watts := range legs {
			ok = ok && c.AddLoad(c.Boxes[len(c.Boxes)-1-i].Devices[0].ID, some(r, circuit.Halves), watts) == nil
		}
		if ok && c.Check() == nil {
			return c
		}
	}
}

func bare(r *rand.Rand, level int) *circuit.Circuit {
	c := plain(r, level)
	for i := range c.Cables {
		c.Cables[i].Conductors = slices.DeleteFunc(c.Cables[i].Conductors, func(k circuit.Conductor) bool { return k == circuit.Ground })
	}
	for i := range c.Boxes {
		c.Boxes[i].Bonded = false
		for k := range c.Boxes[i].Devices {
			c.Boxes[i].Devices[k].Slots = 2 + r.IntN(2)
		}
	}
	return c
}

func some[T any](r *rand.Rand, of []T) T { return of[r.IntN(len(of))] }

func aDevice(r *rand.Rand, c *circuit.Circuit) *circuit.Device {
	return &some(r, c.Boxes).Devices[0]
}

// anEnd is the end of a conductor in a box.
func anEnd(r *rand.Rand, c *circuit.Circuit, k circuit.Conductor) string {
	cable := some(r, c.Cables)
	end := cable.To
	if cable.From != circuit.Panel && r.IntN(2) == 0 {
		end = cable.From
	}
	return cable.ID + "@" + end + "." + string(k)
}

func open(r *rand.Rand, c *circuit.Circuit, k circuit.Conductor) Hidden {
	return hidden(c, circuit.Fault{Kind: circuit.Open, At: anEnd(r, c, k)})
}

func swapped(r *rand.Rand, c *circuit.Circuit) Hidden {
	return hidden(c, circuit.Fault{Kind: circuit.Swapped, At: aDevice(r, c).ID, Pair: circuit.HotNeutral})
}

// anyOf is one of the plain faults.
func anyOf(r *rand.Rand, c *circuit.Circuit, _ int) []Hidden {
	switch r.IntN(4) {
	case 0:
		return []Hidden{open(r, c, circuit.Hot)}
	case 1:
		return []Hidden{open(r, c, circuit.Neutral)}
	case 2:
		return []Hidden{open(r, c, circuit.Ground)}
	default:
		return []Hidden{swapped(r, c)}
	}
}

// fakedGround joins neutral and ground at a device where no ground arrives.
func fakedGround(r *rand.Rand, c *circuit.Circuit, level int) []Hidden {
	v := aDevice(r, c)
	_, box := c.Device(v.ID)
	if !v.HasGroundSlot() || c.GroundArrives(box.ID) {
		return nil
	}
	faults := []circuit.Fault{{Kind: circuit.Bonded, At: v.ID, Pair: circuit.NeutralGround, Ohms: 0.02}}
	if r.IntN(4) < level {
		faults = append([]circuit.Fault{{Kind: circuit.Swapped, At: v.ID, Pair: circuit.HotNeutral}}, faults...)
	}
	return []Hidden{hidden(c, faults...)}
}

func lamps(l *look) []int { return l.where(l.lampsDiffer) }
func meter(l *look) []int { return l.where(l.differs) }

// unseen are outlets where something is wrong that the plug tester takes for sound.
func unseen(l *look) []int {
	return l.where(func(i int) bool { return l.taken(i) && l.differs(i) })
}

// oneHalf are halves that are dead where the other half is not.
func oneHalf(l *look) []int {
	return l.where(func(i int) bool {
		other := slices.IndexFunc(l.outlets, func(o circuit.Outlet) bool {
			return o.Device == l.outlets[i].Device && o.Half != l.outlets[i].Half
		})
		return l.is[i].Lamp < deadBelow && other >= 0 && l.is[other].Lamp > weakBelow
	})
}

var waysOf = map[Theme]way{
	Patterns: {plain, anyOf, lamps},
	Masking: {plain, func(r *rand.Rand, c *circuit.Circuit, level int) []Hidden {
		if r.IntN(3) > 0 {
			return fakedGround(r, c, level)
		}
		return []Hidden{hidden(c, circuit.Fault{Kind: circuit.Swapped, At: aDevice(r, c).ID, Pair: circuit.NeutralGround})}
	}, unseen},
	HalfDead: {plain, func(r *rand.Rand, c *circuit.Circuit, _ int) []Hidden {
		v := aDevice(r, c)
		slot := some(r, []string{"top.hot", "bottom.hot", "top.neutral", "bottom.neutral"})
		return []Hidden{hidden(c, circuit.Fault{Kind: circuit.Open, At: v.ID + "." + slot})}
	}, oneHalf},
	GFCIs: {guarded, func(r *rand.Rand, c *circuit.Circuit, level int) []Hidden {
		v := aDevice(r, c)
		if v.Kind != circuit.GFCI || v.Tripped {
			return nil
		}
		states := []string{"tripped", "dead", "line-load-swapped"}
		return []Hidden{hidden(c, circuit.Fault{Kind: circuit.GFCIFault, At: v.ID, State: states[r.IntN(min(1+level, len(states)))]})}
	}, lamps},
	Loads: {plain, func(r *rand.Rand, c *circuit.Circuit, _ int) []Hidden {
		return []Hidden{open(r, c, circuit.Neutral)}
	}, func(l *look) []int { // hot and neutral are both live there: a load ties them together
		return l.where(func(i int) bool { return l.is[i].High[0] < deadBelow && l.is[i].High[4] > weakBelow })
	}},
	Bootlegs: {bare, fakedGround, unseen},
	Ungrounded: {bare, func(r *rand.Rand, c *circuit.Circuit, _ int) []Hidden {
		return []Hidden{some(r, []func(*rand.Rand, *circuit.Circuit) Hidden{
			swapped,
			func(r *rand.Rand, c *circuit.Circuit) Hidden { return open(r, c, circuit.Hot) },
			func(r *rand.Rand, c *circuit.Circuit) Hidden { return open(r, c, circuit.Neutral) },
		})(r, c)}
	}, meter},
	SharedNeutral: {multiwire, func(r *rand.Rand, c *circuit.Circuit, _ int) []Hidden {
		return []Hidden{open(r, c, circuit.Neutral)}
	}, func(l *look) []int {
		return l.where(func(i int) bool { return l.is[i].High[0] > overAbove })
	}},
	Loose: {plain, func(r *rand.Rand, c *circuit.Circuit, level int) []Hidden {
		k := some(r, []circuit.Conductor{circuit.Hot, circuit.Neutral})
		ohms := math.Round(100*math.Exp(math.Log(0.4)+r.Float64()*math.Log(50/float64(level)))) / 100
		return []Hidden{hidden(c, circuit.Fault{Kind: circuit.Resistive, At: anEnd(r, c, k), Ohms: ohms})}
	}, func(l *look) []int { // under the load tester's amperes it gives way
		return l.where(func(i int) bool { return l.sound[i].Lamp-l.is[i].Lamp > 3 || l.sound[i].Low[0]-l.is[i].Low[0] > 3 })
	}},
	UnknownOrder: {plain, anyOf, lamps},
	TwoFaults: {plain, func(r *rand.Rand, c *circuit.Circuit, level int) []Hidden {
		one, two := anyOf(r, c, level), anyOf(r, c, level)
		if one[0].Sites[0] == two[0].Sites[0] {
			return nil
		}
		return append(one, two...)
	}, lamps},
}
