package tester

import (
	"fmt"
	"math"
	"math/cmplx"
	"slices"

	"elvat/core/circuit"
	"elvat/core/network"
)

// Constants are how the testers load the circuit and where their displays
// change. All are modelling assumptions and can be set; Default holds the
// usual ones.
type Constants struct {
	PlugLampOhms float64 // between each pair of slots
	LitVolts     float64 // a lamp is lit at this or more
	HighZOhms    float64
	LowZOhms     float64
	StrongVolts  float64 // sensor, volts to earth
	FaintVolts   float64
	LampOhms     float64 // test lamp, hot to neutral
	OverVolts    float64
	BrightVolts  float64
	DimVolts     float64
	ButtonOhms   float64 // a plug tester's, hot to ground; a GFCI's own, load hot to line neutral

	AnalyzerOhms             float64 // its pulses
	AnalyzerDropAmps         float64 // to which the drop is scaled
	AnalyzerPresentVolts     float64 // over this a voltage counts as there
	AnalyzerLeastVolts       float64 // below this nothing is measured
	AnalyzerMostNeutralVolts float64 // neutral to ground; above this no single ohms
	AnalyzerMostOhms         float64 // of the ground; above this no single ohms
	OpenOhms                 float64 // an ohmmeter calls more than this open
}

// Default are the values every part of the product uses unless told otherwise.
var Default = Constants{
	PlugLampOhms: 100e3, LitVolts: 75,
	HighZOhms: 10e6, LowZOhms: 3e3,
	StrongVolts: 80, FaintVolts: 20,
	LampOhms: 240, OverVolts: 135, BrightVolts: 100, DimVolts: 30,
	ButtonOhms:   15e3,
	AnalyzerOhms: 8, AnalyzerDropAmps: 15, AnalyzerPresentVolts: 80, AnalyzerLeastVolts: 100,
	AnalyzerMostNeutralVolts: 20, AnalyzerMostOhms: 1000,
	OpenOhms: 1e6,
}

// A Bench is a prepared circuit on which faults are tried and testers are put.
// It is not safe for concurrent use.
type Bench struct {
	Model     *network.Model
	Constants Constants

	known network.Node // the known ground a long lead goes to
	fault *network.Case
	dead  *Bench                                    // the same circuit with the breaker off, for ohms; nil until asked
	twins map[*network.Variation]*network.Variation // of the dead one: live variations as they are there
	now   Condition
}

// NewBench prepares the circuit, without the faults its file names.
func NewBench(c *circuit.Circuit) (*Bench, error) {
	model, err := network.NewModel(c, network.Default)
	if err != nil {
		return nil, err
	}
	id, _ := model.Wired.Find("panel.ground")
	return &Bench{Model: model, Constants: Default, known: network.Node(id), fault: model.Base.NewCase()}, nil
}

// Fork is a bench of the same circuit that can be used at the same time.
func (b *Bench) Fork() *Bench {
	return &Bench{Model: b.Model, Constants: b.Constants, known: b.known, fault: b.Model.Base.NewCase()}
}

// A Condition is the circuit with certain faults, after everything has tripped
// that trips by itself.
type Condition struct {
	Variation *network.Variation
	Tripped   []string

	bench  *Bench
	mark   int
	solver *network.Case
}

// Try puts the faults on the circuit. The condition is good until the next Try.
func (b *Bench) Try(faults []circuit.Fault) (*Condition, error) {
	v, err := b.Model.Vary(faults)
	if err != nil {
		return nil, err
	}
	return b.Settle(v), nil
}

// Settle is Try for a variation worked out before.
func (b *Bench) Settle(v *network.Variation) *Condition {
	tripped := b.Model.Settle(b.fault, v)
	b.now = Condition{Variation: v, Tripped: tripped, bench: b, mark: b.fault.Mark(), solver: b.fault}
	return &b.now
}

// Outlets lists both halves of every device, in the order of the file.
func (b *Bench) Outlets() []circuit.Outlet { return b.Model.Wired.Outlets }

// Outlet finds one half of a device.
func (b *Bench) Outlet(device string, half circuit.Half) (circuit.Outlet, bool) {
	return b.Model.Wired.Outlet(device, half)
}

// Outlet finds one half of a device.
func (c *Condition) Outlet(device string, half circuit.Half) (circuit.Outlet, bool) {
	return c.bench.Outlet(device, half)
}

// Unread marks a value that a tester cannot have, such as any to a ground
// slot that is not there.
var Unread = math.NaN()

// on solves the condition with the tester that put connects.
func (c *Condition) on(put func(*network.Case)) *network.Case {
	c.solver.Truncate(c.mark)
	put(c.solver)
	c.solver.Solve()
	return c.solver
}

// off takes the tester off again.
func (c *Condition) off() {
	c.solver.Truncate(c.mark)
	c.solver.Solve()
}

func node(id circuit.PointID) network.Node { return network.Node(id) }

// LampVolts are the volts over the three lamps of a plug tester, in the order
// of circuit.Pairs.
func (c *Condition) LampVolts(o circuit.Outlet) (volts [3]float64) {
	h, n, g := node(o.Hot), node(o.Neutral), node(o.Ground)
	s := c.on(func(s *network.Case) { c.lampsOn(s, o) })
	return [3]float64{s.Volts(h, n), s.Volts(h, g), s.Volts(n, g)}
}

// MeterVolts is what a meter of the given resistance shows for one of
// VoltNames; Unread where there is no such slot.
func (c *Condition) MeterVolts(o circuit.Outlet, name int, mode Mode) float64 {
	h, n, g, e := node(o.Hot), node(o.Neutral), node(o.Ground), c.bench.known
	if usesGround[name] && !o.HasGround {
		return Unread
	}
	probes := [6][2]network.Node{{h, n}, {h, g}, {n, g}, {h, e}, {n, e}, {g, e}}[name]
	s := c.on(func(s *network.Case) { s.Connect(probes[0], probes[1], c.bench.modeOhms(mode)) })
	return s.Volts(probes[0], probes[1])
}

func (b *Bench) modeOhms(m Mode) float64 {
	if m == LowZ {
		return b.Constants.LowZOhms
	}
	return b.Constants.HighZOhms
}

// SensorVolts are the volts to earth that a sensor feels at the hot, neutral
// and ground slot: the slot's or the yoke's, whichever is higher.
func (c *Condition) SensorVolts(o circuit.Outlet) (volts [3]float64) {
	c.off()
	yoke := c.solver.Volts(node(o.Yoke), network.Earth)
	for i, slot := range []circuit.PointID{o.Hot, o.Neutral, o.Ground} {
		volts[i] = max(yoke, c.solver.Volts(node(slot), network.Earth))
	}
	if !o.HasGround {
		volts[2] = Unread
	}
	return volts
}

// TestLampVolts are the volts over a test lamp from hot to neutral.
func (c *Condition) TestLampVolts(o circuit.Outlet) float64 {
	h, n := node(o.Hot), node(o.Neutral)
	s := c.on(func(s *network.Case) { s.Connect(h, n, c.bench.Constants.LampOhms) })
	return s.Volts(h, n)
}

// YokeVolts are the volts to earth of the device's yoke, nothing plugged in.
func (c *Condition) YokeVolts(o circuit.Outlet) float64 {
	c.off()
	return c.solver.Volts(node(o.Yoke), network.Earth)
}

// Lit says whether a lamp shows.
func (k Constants) Lit(volts float64) Lit {
	if volts >= k.LitVolts {
		return IsLit
	}
	return IsDark
}

// Level says how a sensor answers.
func (k Constants) Level(volts float64) Level {
	switch {
	case volts >= k.StrongVolts:
		return Strong
	case volts >= k.FaintVolts:
		return Faint
	default:
		return None
	}
}

// Glow says how a test lamp burns.
func (k Constants) Glow(volts float64) Glow {
	switch {
	case volts >= k.OverVolts:
		return Over
	case volts >= k.BrightVolts:
		return Bright
	case volts >= k.DimVolts:
		return Dim
	default:
		return Off
	}
}

// Read is everything the tool shows at the outlet. Reading a two-slot device
// with a plug tester is an error.
func (c *Condition) Read(o circuit.Outlet, tool Tool, mode Mode) (Reading, error) {
	r := Reading{At: o.Device, Half: o.Half, Tool: tool, Mode: mode}
	if err := c.fitsAt(o, tool); err != nil {
		return r, fmt.Errorf("%s: %w", o.Device, err)
	}
	instruments[tool].show(c, o, &r)
	return r, nil
}

// noteTrips records what the tester now on the circuit trips.
func (c *Condition) noteTrips(r *Reading) {
	for _, name := range c.trips() {
		if !slices.Contains(r.Tripped, name) {
			r.Tripped = append(r.Tripped, name)
		}
	}
}

// roundVolts keeps a tenth of a millivolt: finer than any meter.
func roundVolts(v float64) float64 { return math.Round(v*1e4) / 1e4 }

// ReadAll is what the tools show at every outlet, in the order of the file;
// nil tools means all, an empty device or half all of them. A tool that cannot
// be put on an outlet is passed over, but for the one device and tool asked for.
func (c *Condition) ReadAll(device string, half circuit.Half, tools []Tool) ([]Reading, error) {
	just := device != "" && len(tools) == 1
	if tools == nil {
		tools = AtOutlets
	}
	var all []Reading
	for _, o := range c.bench.Outlets() {
		if device != "" && o.Device != device || half != "" && o.Half != half {
			continue
		}
		for _, tool := range tools {
			if !just && c.fitsAt(o, tool) != nil || tool == DeviceButton && o.Half == circuit.Bottom && half == "" {
				continue
			}
			modes := []Mode{""}
			if i, ok := instruments[tool]; ok {
				modes = i.modes()
			}
			for _, mode := range modes {
				r, err := c.Read(o, tool, mode)
				if err != nil {
					return nil, err
				}
				all = append(all, r)
			}
		}
	}
	return all, nil
}

// OppositeLeg reports whether the outlet is fed from the second leg of the
// service, in a circuit where nothing is wrong.
func (c *Condition) OppositeLeg(o circuit.Outlet) bool {
	c.off()
	return real(c.solver.Voltage(node(o.Hot), node(o.Neutral))) < 0
}

// Foresee is what putting the tester on the outlet trips, and the most current,
// in amperes, that it leaves to flow through a person from a yoke or a metal box
// to earth. JustHotNeutral: a meter is put on that pair only.
func (c *Condition) Foresee(
	o circuit.Outlet,
	tool Tool,
	mode Mode,
	justHotNeutral bool,
) (tripped []string, amps float64) {
	put := func(do func(*network.Case)) {
		c.on(do)
		amps = max(amps, c.touchAmps())
		c.solver.Solve()
		for _, name := range c.trips() {
			if !slices.Contains(tripped, name) {
				tripped = append(tripped, name)
			}
		}
	}
	if tool == "" { // as it is without a tester
		put(func(*network.Case) {})
		return tripped, amps
	}
	i, ok := instruments[tool]
	if !ok {
		return nil, 0
	}
	for _, do := range i.puts(c, o, mode, justHotNeutral) {
		put(do)
	}
	if tool == DeviceButton {
		tripped = c.DeviceButton(o.Device)
	}
	return tripped, amps
}

// touchAmps is the most that flows through a body from a yoke or a metal box to
// earth, one at a time, with whatever is on now.
func (c *Condition) touchAmps() float64 {
	most := 0.0
	w := c.bench.Model.Wired
	for _, o := range w.Outlets {
		if o.Half != circuit.Top {
			continue
		}
		at := []network.Node{node(o.Yoke)}
		c.solver.Solve()
		v := c.solver.Volts(at[0], network.Earth)
		if v < 0.4 { // too little for half a milliampere through a body
			continue
		}
		var row [1]complex128
		c.solver.Impedances(at, [][]complex128{row[:]})
		most = max(most, v/cmplx.Abs(row[0]+bodyOhms))
	}
	return most
}
