// Package sums works the small figures of the trade, each with its formula, its
// source and sensible pickers: box fill, voltage drop, trip time, leakage, heat
// in a contact, strip and jumper lengths, spacers, wall plate, ratings.
package sums

import (
	"fmt"
	"math"
	"slices"

	"elvat/core/makeup"
	"elvat/core/nec"
	"elvat/core/network"
	"elvat/core/units"
	"elvat/core/wire"
)

// A Choice is one value of a picker.
type Choice struct {
	Value float64 `json:"value"`
	Words string  `json:"words"`
}

// A Field is one thing a sum asks.
type Field struct {
	Key     string   `json:"key"`
	Words   string   `json:"words"`
	Unit    string   `json:"unit,omitempty"`
	Choices []Choice `json:"choices"` // usual values; others may be typed where Free
	Free    bool     `json:"free"`
	Usual   float64  `json:"usual"`
	Least   float64  `json:"least"`
	Most    float64  `json:"most"`
}

// A Line is one figure of an answer.
type Line struct {
	Words string `json:"words"`
	Value string `json:"value"` // with its unit
	Main  bool   `json:"main,omitempty"`
}

// An Answer is what a sum comes to.
type Answer struct {
	Lines   []Line `json:"lines"`
	Working string `json:"working"` // the formula with its numbers
	Says    string `json:"says"`    // what it means for the work
	Over    bool   `json:"over"`    // past a limit
	// Share is how much of the limit it is; 0 where there is none.
	Share float64 `json:"share,omitempty"`
}

// A Sum is one of the figures.
type Sum struct {
	Key     string  `json:"key"`
	Words   string  `json:"words"`
	Formula string  `json:"formula"`
	Source  string  `json:"source"`
	Fields  []Field `json:"fields"`

	work func(values) Answer
}

type values map[string]float64

// All are the sums in the order in which they are shown.
func All() []Sum {
	return []Sum{fill, drop, tripTime, leakage, heat, strip, spacers, plate, ratings}
}

// Find is the sum with the key.
func Find(key string) (Sum, error) {
	all := All()
	if i := slices.IndexFunc(all, func(s Sum) bool { return s.Key == key }); i >= 0 {
		return all[i], nil
	}
	return Sum{}, fmt.Errorf("sum %q: no such sum", key)
}

// Work answers the sum; what is absent is as usual.
func (s Sum) Work(given map[string]float64) (Answer, error) {
	v := values{}
	for _, f := range s.Fields {
		value, ok := given[f.Key]
		if !ok {
			value = f.Usual
		}
		if math.IsNaN(value) || value < f.Least || value > f.Most {
			return Answer{}, fmt.Errorf("%s: %g is out of bounds, %g to %g", f.Words, value, f.Least, f.Most)
		}
		if !f.Free && !slices.ContainsFunc(f.Choices, func(c Choice) bool { return c.Value == value }) {
			return Answer{}, fmt.Errorf("%s: %g is none of what it can be", f.Words, value)
		}
		v[f.Key] = value
	}
	for key := range given {
		if _, ok := v[key]; !ok {
			return Answer{}, fmt.Errorf("%s: asks nothing called %q", s.Words, key)
		}
	}
	return s.work(v), nil
}

// In is the sum asked and answered in a system of units. What is asked in metric is worked
// in US units; a usual value stands for the very one it was rounded from.
func (s Sum) In(system units.System) Sum {
	if system != units.Metric {
		return s
	}
	us, work := s.Fields, s.work
	metric := func(value float64, unit string) float64 { return units.Shown(units.InMetric(value, unit)) }
	s.Fields = slices.Clone(us)
	for i := range s.Fields {
		f := &s.Fields[i]
		_, f.Unit = units.InMetric(0, us[i].Unit)
		if f.Unit == us[i].Unit {
			continue
		}
		f.Usual, f.Least, f.Most = metric(f.Usual, us[i].Unit), metric(f.Least, us[i].Unit), metric(f.Most, us[i].Unit)
		f.Choices = slices.Clone(f.Choices)
		for j, c := range f.Choices {
			value := metric(c.Value, us[i].Unit)
			said := units.Metric.Say(c.Words)
			if said == c.Words {
				said = fmt.Sprint(value)
			}
			f.Choices[j] = Choice{value, said}
		}
	}
	s.work = func(v values) Answer {
		in := values{}
		for _, f := range us {
			one, _ := units.InMetric(1, f.Unit)
			in[f.Key] = v[f.Key] / one
			for _, known := range append([]Choice{{Value: f.Usual}, {Value: f.Least}, {Value: f.Most}}, f.Choices...) {
				if metric(known.Value, f.Unit) == v[f.Key] {
					in[f.Key] = known.Value
				}
			}
		}
		return work(in)
	}
	return s
}

func count(key, words string, usual, most float64) Field {
	f := Field{Key: key, Words: words, Usual: usual, Most: most, Free: true}
	for n := 0.0; n <= 3; n++ {
		f.Choices = append(f.Choices, Choice{n, fmt.Sprint(n)})
	}
	return f
}

func number(key, words, unit string, usual, least, most float64, choices ...float64) Field {
	f := Field{Key: key, Words: words, Unit: unit, Usual: usual, Least: least, Most: most, Free: true}
	for _, c := range choices {
		f.Choices = append(f.Choices, Choice{c, fmt.Sprint(c)})
	}
	return f
}

func choose(key, words string, usual float64, choices ...Choice) Field {
	f := Field{Key: key, Words: words, Usual: usual, Least: math.Inf(-1), Most: math.Inf(1), Choices: choices}
	f.Least, f.Most = choices[0].Value, choices[0].Value
	for _, c := range choices {
		f.Least, f.Most = min(f.Least, c.Value), max(f.Most, c.Value)
	}
	return f
}

func gauges(key, words string, usual float64, of ...wire.Gauge) Field {
	var choices []Choice
	for _, g := range of {
		choices = append(choices, Choice{float64(g), fmt.Sprintf("%d AWG", g)})
	}
	return choose(key, words, usual, choices...)
}

func inches(key, words string, usual, most float64) Field {
	f := Field{Key: key, Words: words, Unit: units.Inch, Usual: usual, Most: most, Free: true}
	for n := range 9 {
		f.Choices = append(f.Choices, Choice{float64(n) / 16, makeup.Fraction(float64(n) / 16)})
	}
	return f
}

// cables are the kinds a box-fill sum counts; each has a ground besides.
var cables = []struct {
	key, words string
	gauge      wire.Gauge
	insulated  int
}{{"c142", "14-2 cables", 14, 2}, {"c143", "14-3 cables", 14, 3}, {"c122", "12-2 cables", 12, 2}, {"c123", "12-3 cables", 12, 3}, {"c102", "10-2 cables", 10, 2}}

var fill = Sum{
	Key: "fill", Words: "Box fill", Formula: "conductors + clamps once + 2 for each device + grounds once, each of the volume of its gauge",
	Source: "NEC 314.16(B) and its table (from memory); jumpers do not count", Fields: fillFields(), work: workFill,
}

func fillFields() []Field {
	var fields []Field
	for _, c := range cables {
		usual := 0.0
		if c.key == "c122" {
			usual = 3
		}
		fields = append(fields, count(c.key, c.words, usual, 20))
	}
	editions := []Choice{}
	for _, e := range nec.Editions {
		editions = append(editions, Choice{float64(e), fmt.Sprint(e)})
	}
	volume := number("volume", "Volume of the box", units.CubicInch, 18, 1, 500, 14, 18, 20.3, 22.5)
	for _, b := range wire.MetalBoxes {
		volume.Choices = append(volume.Choices, Choice{float64(b.Volume), fmt.Sprintf("metal, %s: %g\u00a0in³", b.Size, b.Volume)})
	}
	return append(
		fields,
		count("devices", "Devices", 1, 6),
		choose("clamps", "Clamps inside", 0, Choice{0, "none"}, Choice{1, "some"}),
		volume,
		choose("edition", "Edition", float64(nec.Usual), editions...),
	)
}

func workFill(v values) Answer {
	c := nec.Contents{Clamps: v["clamps"] > 0}
	for _, kind := range cables {
		for range int(v[kind.key]) {
			c.Grounds = append(c.Grounds, kind.gauge)
			c.Insulated = append(c.Insulated, slices.Repeat([]wire.Gauge{kind.gauge}, kind.insulated)...)
		}
	}
	if len(c.Insulated) > 0 {
		c.Devices = slices.Repeat([]wire.Gauge{nec.Largest(c.Insulated)}, int(v["devices"]))
	}
	items, total := nec.Book{Edition: nec.Edition(v["edition"])}.Fill(c)
	a := Answer{Over: float64(total) > v["volume"]+1e-9, Share: float64(total) / v["volume"]}
	for i, item := range items {
		a.Lines = append(
			a.Lines,
			Line{Words: item.What, Value: fmt.Sprintf("%g x %g\u00a0in³ = %g\u00a0in³", item.Count, item.Each, item.In3)},
		)
		if i > 0 {
			a.Working += " + "
		}
		a.Working += fmt.Sprint(float64(item.In3))
	}
	a.Working += fmt.Sprintf(" = %g\u00a0in³", total)
	a.Lines = append(a.Lines, Line{"Needed", fmt.Sprintf("%g\u00a0in³", total), true})
	a.Says = fmt.Sprintf("It fits: %.4g\u00a0in³ are left.", v["volume"]-float64(total))
	if a.Over {
		a.Says = fmt.Sprintf(
			"Too full by %.4g\u00a0in³: a larger box, an extension ring, or fewer conductors.",
			float64(total)-v["volume"],
		)
	}
	return a
}

var drop = Sum{
	Key: "drop", Words: "Voltage drop", Formula: "drop = 2 x one way x ohms per length x amperes",
	Source: "Conductor resistance at 75 C as NEC chapter 9 table 8 (from memory); 3 % on a branch, 5 % with the feeder: informational notes to 210.19 and 215.2 (from memory)",
	Fields: []Field{
		gauges(
			"gauge",
			"Wire",
			12,
			14,
			12,
			10,
			8,
		), number("feet", "One way", units.Foot, 50, 1, 2000, 25, 50, 75, 100, 150), number("amps", "Load", "A", 15, 0, 60, 8, 12, 15, 16, 20),
		number("volts", "Supply", "V", 120, 90, 260, 120, 240),
	},
	work: func(v values) Answer {
		ohms := wire.Gauge(v["gauge"]).OhmsPerFoot(wire.AsTabled)
		volts := 2 * v["feet"] * ohms * v["amps"]
		percent := 100 * volts / v["volts"]
		a := Answer{
			Lines: []Line{
				{"Drop", fmt.Sprintf("%.2f V", volts), false},
				{"Of the supply", fmt.Sprintf("%.1f %%", percent), true},
				{"Loop", fmt.Sprintf("%.2f ohm", 2*v["feet"]*ohms), false},
			},
			Working: fmt.Sprintf("2 x %g\u00a0ft x %.3f ohm / 1000\u00a0ft x %g A = %.2f V", v["feet"], 1000*ohms, v["amps"], volts),
			Says:    "Under 3 %: nothing to do.", Over: percent > 3, Share: percent / 3,
		}
		if percent > 3 {
			a.Says = "Over 3 %: advice of the code, not a rule. A thicker wire or a shorter way."
		}
		if percent > 5 {
			a.Says = "Over 5 %: it deserves a look. A reading above this sum points at a loose connection."
		}
		return a
	},
}

var tripTime = Sum{
	Key: "trip", Words: "Trip time of a GFCI", Formula: "seconds = (20 / mA) to the power 1.43", Source: "UL 943, Class A, the longest allowed (from memory)",
	Fields: []Field{number("mA", "Fault current", "mA", 8, 0.1, 100000, 4, 6, 8, 20, 120, 264)},
	work: func(v values) Answer {
		mA := v["mA"]
		switch {
		case mA < 1000*network.ClassALeast:
			return Answer{
				Lines:   []Line{{"Longest time", "does not trip", true}},
				Working: fmt.Sprintf("%g mA is under 4 mA", mA),
				Says:    "A Class A device must not trip below 4 mA.",
			}
		case mA < 1000*network.ClassAMost:
			return Answer{
				Lines:   []Line{{"Longest time", "may or may not trip", true}},
				Working: fmt.Sprintf("%g mA lies between 4 and 6 mA", mA),
				Says:    "Between 4 and 6 mA a device may trip or not.",
			}
		}
		s := network.GFCITripSeconds(mA / 1000)
		working := fmt.Sprintf("(20 / %g)^1.43 = %.3g s", mA, s)
		if mA > 264 {
			working = fmt.Sprintf("%g mA is above 264 mA: 25 ms", mA)
		}
		return Answer{
			Lines: []Line{
				{"Longest time", fmt.Sprintf("%.3g s", s), true},
			}, Working: working,
			Says: "It says how long it may take, not how much current: that is whatever flows.",
		}
	},
}

// Leakage limits of appliances, in milliamperes. Source: UL 101 (from memory).
const (
	cordLeak  = 0.5
	fixedLeak = 0.75
)

var leakage = Sum{
	Key: "leakage", Words: "Leakage on one GFCI", Formula: "mA = 0.5 x cord-connected + 0.75 x fixed appliances + 120 V x 2 pi 60 Hz x 30 pF per foot",
	Source: "The most each appliance may leak: UL 101 (from memory); cable capacitance: modelling assumption; Class A trips at 4 to 6 mA: UL 943 (from memory)",
	Fields: []Field{
		count("cord", "Cord-connected appliances", 3, 50),
		count("fixed", "Fixed appliances", 0, 20),
		number("feet", "Cable behind it", units.Foot, 100, 0, 5000, 50, 100, 200, 400),
	},
	work: func(v values) Answer {
		capacitance := 1000 * 120 * 2 * math.Pi * 60 * (network.Default.ToGroundFarads + network.Default.ToEarthFarads) * v["feet"]
		total := cordLeak*v["cord"] + fixedLeak*v["fixed"] + capacitance
		a := Answer{
			Lines: []Line{
				{"Appliances, at most", fmt.Sprintf("%.2f mA", cordLeak*v["cord"]+fixedLeak*v["fixed"]), false}, {"Cable", fmt.Sprintf("%.2f mA", capacitance), false},
				{"Together, at most", fmt.Sprintf("%.2f mA", total), true},
			},
			Working: fmt.Sprintf("0.5 x %g + 0.75 x %g + %.2f = %.2f mA", v["cord"], v["fixed"], capacitance, total),
			Says:    "Under 4 mA: sound appliances do not trip it. If it trips, something leaks.", Over: total >= 4, Share: total / 4,
		}
		if a.Over {
			a.Says = "4 mA or more: it can trip with nothing wrong. Split the loads over more GFCIs."
		}
		return a
	},
}

var heat = Sum{
	Key: "heat", Words: "Heat in a contact", Formula: "W = I x I x R", Source: "Joule's law",
	Fields: []Field{
		number("ohms", "Contact", "ohm", 0.1, 0, 100, 0.01, 0.05, 0.1, 0.5),
		number("amps", "Load", "A", 12, 0, 60, 5, 8, 12, 15),
	},
	work: func(v values) Answer {
		w := v["amps"] * v["amps"] * v["ohms"]
		a := Answer{
			Lines: []Line{
				{"Heat", fmt.Sprintf("%.3g W", w), true},
				{"Lost there", fmt.Sprintf("%.3g V", v["amps"]*v["ohms"]), false},
			},
			Working: fmt.Sprintf(
				"%g x %g x %g = %.3g W",
				v["amps"],
				v["amps"],
				v["ohms"],
				w,
			),
			Says: "Little: a sound contact stays near this.", Over: w >= warm, Share: w / warm,
		}
		if a.Over {
			a.Says = "As much as a small lamp, inside a box: it browns, smells and gets worse. Stop using it."
		}
		return a
	},
}

// warm is the heat from which a contact in a closed box is taken for dangerous,
// in watts. Assumption.
const warm = 5

var strip = Sum{
	Key: "strip", Words: "Strip and jumper lengths", Formula: "wire = jumpers x length", Source: "Common practice, no source; a device's or connector's own gauge wins. Free wire of 6\u00a0in: NEC 300.14 (from memory)",
	Fields: []Field{
		choose(
			"way",
			"Goes on by",
			0,
			stripChoices()...), count("jumpers", "Jumpers", 3, 40), number("inches", "Length of each", units.Inch, 6, 1, 60, 6, 8, 10),
	},
	work: func(v values) Answer {
		w := makeup.StripWays[int(v["way"])]
		return Answer{
			Lines: []Line{
				{"Strip", makeup.Fraction(float64(w.Inches)) + units.Join + units.Inch, true},
				{"Wire for jumpers", fmt.Sprintf("%.3g\u00a0ft", v["jumpers"]*v["inches"]/12), false},
			},
			Working: fmt.Sprintf(
				"%g x %g\u00a0in = %.3g\u00a0ft",
				v["jumpers"],
				v["inches"],
				v["jumpers"]*v["inches"]/12,
			),
			Says: w.How + ". Too long leaves bare copper, too short puts insulation under the screw.",
		}
	},
}

func stripChoices() []Choice {
	var choices []Choice
	for i, w := range makeup.StripWays {
		choices = append(choices, Choice{float64(i), w.Words})
	}
	return choices
}

var spacers = Sum{
	Key: "spacers", Words: "Spacers under the yoke", Formula: "layers = setback / (1/16\u00a0in), rounded up", Source: "Layer of 1/16\u00a0in: assumption; a box more than 1/4\u00a0in back, or at all in wood, wants an extender: NEC 314.20 (from memory)",
	Fields: []Field{
		inches("setback", "Box behind the wall's face", 0.125, 3),
		choose("wall", "Wall", 0, Choice{0, "does not burn"}, Choice{1, "wood"}),
	},
	work: func(v values) Answer {
		n := makeup.Layers(wire.Inches(v["setback"]))
		a := Answer{
			Lines: []Line{
				{"Layers", fmt.Sprint(n), true},
			}, Working: fmt.Sprintf("%s\u00a0in / (1/16\u00a0in) = %d", makeup.Fraction(v["setback"]), n),
			Says: "Until the yoke bears hard at the wall plane.", Over: v["setback"] > float64(nec.MostSetback) || v["wall"] == 1 && v["setback"] > 0,
			Share: v["setback"] / float64(nec.MostSetback),
		}
		if a.Over {
			a.Says = "A box extender first: the box itself is too far back."
		}
		return a
	},
}

var plate = Sum{
	Key: "plate", Words: "Wall plate", Formula: "opening + 2 x gap within the plate", Source: "Plates 2 3/4\u00a0in x 4 1/2\u00a0in, 3 1/8\u00a0in x 4 7/8\u00a0in, 3 1/2\u00a0in x 5 1/4\u00a0in (from memory); a gap over 1/8\u00a0in is filled: NEC 314.21 (from memory)",
	Fields: []Field{inches("gap", "Gap round the box", 0.25, 3)},
	work: func(v values) Answer {
		p, fits := makeup.PlateFor(wire.Inches(v["gap"]))
		if !fits {
			return Answer{
				Lines:   []Line{{"Plate", "none covers it", true}},
				Working: "wider than the largest plate",
				Says:    "Fill and finish the wall first.",
				Over:    true,
			}
		}
		a := Answer{
			Lines: []Line{
				{
					"Plate",
					fmt.Sprintf("%s, %s\u00a0in x %s\u00a0in", p.Name, makeup.Fraction(float64(p.Width)), makeup.Fraction(float64(p.Height))),
					true,
				},
			},
			Working: fmt.Sprintf(
				"2 1/4\u00a0in + 2 x %s\u00a0in is within %s\u00a0in",
				makeup.Fraction(v["gap"]),
				makeup.Fraction(float64(p.Width)),
			),
			Says: "The gap is within what the code leaves open.", Over: v["gap"] > float64(nec.MostGap), Share: v["gap"] / float64(nec.MostGap),
		}
		if a.Over {
			a.Says = "Fill the gap as well: the plate hides it, and does not close it."
		}
		return a
	},
}

var ratings = Sum{
	Key: "ratings", Words: "Ratings", Formula: "receptacle and wire by the breaker", Source: "NEC 210.21(B), 240.4(D) (from memory)",
	Fields: []Field{
		choose("breaker", "Breaker", 20, Choice{15, "15 A"}, Choice{20, "20 A"}, Choice{30, "30 A"}),
		choose(
			"alone",
			"On the circuit",
			0,
			Choice{0, "two or more receptacles, a duplex being two"},
			Choice{1, "a single receptacle, alone"},
		),
	},
	work: func(v values) Answer {
		least, most := nec.Book{Edition: nec.Usual}.Ratings(v["breaker"], v["alone"] == 1)
		text := fmt.Sprintf("%g A", least.Required)
		if most.Required > least.Required {
			text = fmt.Sprintf("%g or %g A", least.Required, most.Required)
		}
		return Answer{
			Lines: []Line{
				{"Receptacle", text, true},
				{"Wire, at least", fmt.Sprintf("%d AWG copper", wire.For(v["breaker"])), false},
			},
			Working: least.Why, Says: "Every length of wire on the circuit, not only the one in this box. " + nec.Adopted,
		}
	},
}
