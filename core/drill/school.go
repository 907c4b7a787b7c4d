package drill

import (
	"fmt"
	"slices"

	"elvat/core/circuit"
	"elvat/core/tester"
)

// A Lesson is something wrong at the one outlet of the tester's school.
type Lesson struct {
	Key   string `json:"key"`
	Words string `json:"words"`

	faults []circuit.Fault
}

// Lessons are what can be wrong there.
var Lessons = []Lesson{
	{"sound", "Nothing is wrong", nil},
	{"open-ground", "Open ground", []circuit.Fault{{Kind: circuit.Open, At: "W2@B2.ground"}}},
	{"open-neutral", "Open neutral", []circuit.Fault{{Kind: circuit.Open, At: "W2@B2.neutral"}}},
	{"open-hot", "Open hot", []circuit.Fault{{Kind: circuit.Open, At: "W2@B2.hot"}}},
	{"reversed", "Hot and neutral exchanged", []circuit.Fault{{Kind: circuit.Swapped, At: "R2", Pair: circuit.HotNeutral}}},
	{"hot-ground", "Hot and ground exchanged", []circuit.Fault{{Kind: circuit.Swapped, At: "R2", Pair: circuit.HotGround}}},
	{"neutral-ground", "Neutral and ground exchanged", []circuit.Fault{{Kind: circuit.Swapped, At: "R2", Pair: circuit.NeutralGround}}},
	{"bootleg", "Open ground, faked from the neutral", []circuit.Fault{{Kind: circuit.Open, At: "W2@B2.ground"}, {Kind: circuit.Bonded, At: "R2", Pair: circuit.NeutralGround, Ohms: 0.02}}},
	{"reversed-bootleg", "The same, hot and neutral exchanged", []circuit.Fault{
		{Kind: circuit.Open, At: "W2@B2.ground"}, {Kind: circuit.Swapped, At: "R2", Pair: circuit.HotNeutral}, {Kind: circuit.Bonded, At: "R2", Pair: circuit.NeutralGround, Ohms: 0.02},
	}},
	{"loose-neutral", "Neutral loose, 40 ohms", []circuit.Fault{{Kind: circuit.Resistive, At: "W2@B2.neutral", Ohms: 40}}},
	{"loose-hot", "Hot loose, 2 ohms", []circuit.Fault{{Kind: circuit.Resistive, At: "W2@B2.hot", Ohms: 2}}},
	{"loose-ground", "Ground loose, 500 ohms", []circuit.Fault{{Kind: circuit.Resistive, At: "W2@B2.ground", Ohms: 500}}},
	{"two-opens", "Ground and neutral both open", []circuit.Fault{{Kind: circuit.Open, At: "W2@B2.ground"}, {Kind: circuit.Open, At: "W2@B2.neutral"}}},
}

// Seen is what one tester shows at the outlet, and why.
type Seen struct {
	Tool  tester.Tool    `json:"tool"`
	Mode  tester.Mode    `json:"mode,omitempty"`
	Name  string         `json:"name"`
	Says  string         `json:"says"`
	Delta tester.Delta   `json:"delta"`
	As    tester.Reading `json:"-"`
	// Hides: what is wrong does not show in it.
	Hides bool   `json:"hides"`
	Why   string `json:"why"`
}

// A Class is what all testers show of a lesson, with the load on or off.
type Class struct {
	Lesson Lesson  `json:"lesson"`
	Load   float64 `json:"load"` // watts plugged in at the other half; 0: nothing
	Seen   []Seen  `json:"seen"`
	// Volts of a perfect meter: hot to neutral, hot to ground, neutral to ground, then each to a
	// known ground; and of the metal.
	Volts [6]float64 `json:"volts"`
	Yoke  float64    `json:"yoke"`
	// Live: the metal is dangerous to touch.
	Live bool `json:"live"`
}

// SchoolLoads can be switched on at the school's outlet, in watts.
var SchoolLoads = []float64{0, 5, 60, 1500}

// Teach shows what every tester shows.
func Teach(key string, watts float64) (*Class, error) {
	at := slices.IndexFunc(Lessons, func(l Lesson) bool { return l.Key == key })
	if at < 0 {
		return nil, fmt.Errorf("lesson: %q is none", key)
	}
	if !slices.Contains(SchoolLoads, watts) {
		return nil, fmt.Errorf("load: %g W is none of %v", watts, SchoolLoads)
	}
	c := circuit.New("school")
	for _, n := range []circuit.NewStop{{After: circuit.Panel, Label: "first", AWG: 14, Feet: 30, Ground: true}, {After: "B1", Label: "bench", AWG: 14, Feet: 30, Ground: true}} {
		if err := c.AddStop(n); err != nil {
			return nil, err
		}
	}
	if watts > 0 {
		if err := c.AddLoad("R2", circuit.Bottom, watts); err != nil {
			return nil, err
		}
	}
	sound, _, err := atBench(c, nil)
	if err != nil {
		return nil, err
	}
	seen, class, err := atBench(c, Lessons[at].faults)
	if err != nil {
		return nil, err
	}
	class.Lesson, class.Load, class.Seen = Lessons[at], watts, seen
	for i := range seen {
		s := &seen[i]
		s.Hides = at > 0 && s.As.Agrees(&sound[i].As) && !drops(&s.As, &sound[i].As)
		s.Why = why(s, class)
	}
	return class, nil
}

// drops reports whether a load tester shows more of a drop than on the sound outlet.
func drops(is, sound *tester.Reading) bool {
	if is.DropPercent == nil || sound.DropPercent == nil || is.DropPercent.Value == nil || sound.DropPercent.Value == nil {
		return false
	}
	return *is.DropPercent.Value > *sound.DropPercent.Value+3
}

// atBench is what every tester shows at the top half of the bench's outlet.
func atBench(c *circuit.Circuit, faults []circuit.Fault) ([]Seen, *Class, error) {
	bench, err := tester.NewBench(c)
	if err != nil {
		return nil, nil, err
	}
	k, err := bench.Try(faults)
	if err != nil {
		return nil, nil, err
	}
	o, _ := k.Outlet("R2", circuit.Top)
	face := k.Face(o)
	class := &Class{Yoke: face.Yoke, Live: face.LiveYoke(), Volts: face.High}
	var all []Seen
	for _, row := range []struct {
		tool tester.Tool
		mode tester.Mode
		name string
	}{
		{tester.Plug, "", "Three-lamp tester"}, {tester.Meter, tester.HighZ, "Meter, high impedance"}, {tester.Meter, tester.LowZ, "Meter, low impedance"},
		{tester.Sensor, "", "Non-contact sensor"}, {tester.Lamp, "", "Test lamp"}, {tester.Analyzer, "", "Load tester"},
	} {
		r, err := k.Read(o, row.tool, row.mode)
		if err != nil {
			return nil, nil, err
		}
		r.Tripped = nil
		r.Round()
		s := Seen{Tool: row.tool, Mode: row.mode, Name: row.name, Says: r.Words(c), Delta: r.Delta(tester.Default), As: r}
		all = append(all, s)
	}
	return all, class, nil
}

// why says why a tester shows what it shows.
func why(s *Seen, c *Class) string {
	switch {
	case s.Tool == tester.Plug && s.Hides && c.Live:
		return "The lamps compare slots with each other. All three stand as they should to each other, and all of it is moved: the metal is live against the earth, of which no lamp knows."
	case s.Tool == tester.Plug && s.Hides:
		return "A lamp draws next to nothing: a joint that carries no current still carries its voltage, and a neutral passes for a ground."
	case s.Tool == tester.Meter && s.Mode == tester.HighZ && s.Hides:
		return "It draws microamperes: the voltage is there until something is asked of it."
	case s.Tool == tester.Meter && s.Mode == tester.HighZ:
		return "It takes what an open wire picks up from its neighbour for a voltage; held to a known ground it tells which wire is the live one."
	case s.Tool == tester.Meter:
		return "It draws some milliamperes: what is only picked up falls away, what has a source behind it stays. Into an open ground it pushes that current through the metal."
	case s.Tool == tester.Sensor:
		return "It feels volts against the earth, one slot at a time, and close wires together: it finds live metal, and tells nothing of a missing neutral or ground."
	case s.Tool == tester.Lamp && s.Hides:
		return "It burns from hot to neutral, whichever is which, and asks half an ampere: grounds do not come into it."
	case s.Tool == tester.Lamp:
		return "Half an ampere is asked of both wires: what is loose or open shows."
	}
	return "It asks some fifteen amperes for a moment: a loose joint shows as a drop. Into an open ground its pulse stands on the metal."
}
