// Package tester says what each tester shows when it is put on the slots of a
// device, and holds the file format of readings, elvat-readings/1.
package tester

import (
	"fmt"
	"math"
	"slices"

	"elvat/core/circuit"
	"elvat/core/strict"
)

// Format is the name and version of the readings file.
const Format = "elvat-readings/1"

// A Tool is a tester.
type Tool string

// The testers.
const (
	Plug   Tool = "plug"   // three-lamp tester
	Meter  Tool = "meter"  // voltmeter, in one of two modes
	Sensor Tool = "sensor" // non-contact sensor, slot by slot
	Lamp   Tool = "lamp"   // test lamp, hot to neutral
)

// Tools in the order in which they are used.
var Tools = []Tool{Plug, Meter, Sensor, Lamp}

// A Mode is how a meter loads what it measures.
type Mode string

// Meter modes.
const (
	HighZ Mode = "high-z"
	LowZ  Mode = "low-z" // drains ghost voltages
)

// Lit is what one lamp of a plug tester shows; empty when not read.
type Lit string

// Lamp states.
const (
	IsLit  Lit = "lit"
	IsDark Lit = "dark"
)

// Lamps are those of a plug tester, by the pair of slots each compares. What a
// maker's legend calls the pattern is no part of a reading.
type Lamps struct {
	HotNeutral    Lit `json:"hotNeutral,omitempty"`
	HotGround     Lit `json:"hotGround,omitempty"`
	NeutralGround Lit `json:"neutralGround,omitempty"`
}

// Volts are a meter's, rms; nil where not measured. The last three are
// against a known ground by a long lead.
type Volts struct {
	HotNeutral    *float64 `json:"hotNeutral,omitempty"`
	HotGround     *float64 `json:"hotGround,omitempty"`
	NeutralGround *float64 `json:"neutralGround,omitempty"`
	HotEarth      *float64 `json:"hotEarth,omitempty"`
	NeutralEarth  *float64 `json:"neutralEarth,omitempty"`
	GroundEarth   *float64 `json:"groundEarth,omitempty"`
}

// All lists the six values in the order of VoltNames.
func (v *Volts) All() []*float64 {
	return []*float64{v.HotNeutral, v.HotGround, v.NeutralGround, v.HotEarth, v.NeutralEarth, v.GroundEarth}
}

// set stores the value number i of VoltNames.
func (v *Volts) set(i int, x float64) {
	*[]**float64{&v.HotNeutral, &v.HotGround, &v.NeutralGround, &v.HotEarth, &v.NeutralEarth, &v.GroundEarth}[i] = &x
}

// Round cuts volts to the tenth that a handheld meter shows.
func (r *Reading) Round() {
	if r.Volts == nil {
		return
	}
	for _, v := range r.Volts.All() {
		if v != nil {
			*v = math.Round(*v*10) / 10
		}
	}
}

// VoltNames are the keys of Volts, in order.
var VoltNames = []string{"hotNeutral", "hotGround", "neutralGround", "hotEarth", "neutralEarth", "groundEarth"}

// A Level is how strongly a sensor answers; empty when not held there.
type Level string

// Sensor levels.
const (
	Strong Level = "strong"
	Faint  Level = "faint"
	None   Level = "none"
)

// Levels from nothing up.
var Levels = []Level{None, Faint, Strong}

// Slots are the sensor's answers at the three slots.
type Slots struct {
	Hot     Level `json:"hot,omitempty"`
	Neutral Level `json:"neutral,omitempty"`
	Ground  Level `json:"ground,omitempty"`
}

// All lists the three levels: hot, neutral, ground.
func (s Slots) All() [3]Level { return [3]Level{s.Hot, s.Neutral, s.Ground} }

// All lists the three lamps in the order of circuit.Pairs.
func (l Lamps) All() [3]Lit { return [3]Lit{l.HotNeutral, l.HotGround, l.NeutralGround} }

// A Glow is how bright a test lamp burns.
type Glow string

// Lamp glows.
const (
	Off    Glow = "off"
	Dim    Glow = "dim"
	Bright Glow = "bright"
	Over   Glow = "over"
)

// Glows from dark to too bright.
var Glows = []Glow{Off, Dim, Bright, Over}

// A Reading is what one tester showed at one half of a device. Values that
// were not read are left out.
type Reading struct {
	At    string       `json:"at"`
	Half  circuit.Half `json:"half,omitempty"` // top unless said
	Tool  Tool         `json:"tool"`
	Mode  Mode         `json:"mode,omitempty"` // meter; high-z unless said
	Lamps *Lamps       `json:"lamps,omitempty"`
	Volts *Volts       `json:"volts,omitempty"`
	Slots *Slots       `json:"slots,omitempty"`
	Glow  Glow         `json:"glow,omitempty"`
	// Tripped names what putting the tester on tripped.
	Tripped []string `json:"tripped,omitempty"`
	State   *State   `json:"state,omitempty"`
}

// State is what the circuit was in when a reading was taken, where that
// differs from the circuit's file. What is nil is as the file says.
type State struct {
	BreakerOn *bool       `json:"breakerOn,omitempty"`
	LoadsOn   []string    `json:"loadsOn,omitzero"`
	Tripped   []string    `json:"tripped,omitzero"`
	Separated []string    `json:"separated,omitzero"`
	Joined    [][2]string `json:"joined,omitzero"`
}

type file struct {
	Format   string    `json:"format"`
	Readings []Reading `json:"readings"`
}

// Parse reads a readings file and checks it against the circuit.
func Parse(data []byte, c *circuit.Circuit) ([]Reading, error) {
	var f file
	if err := strict.Unmarshal(data, &f); err != nil {
		return nil, fmt.Errorf("readings: %w", err)
	}
	if f.Format != Format {
		return nil, fmt.Errorf("readings: format: %q, want %q", f.Format, Format)
	}
	for i := range f.Readings {
		if err := f.Readings[i].Check(c); err != nil {
			return nil, fmt.Errorf("readings[%d]: %w", i, err)
		}
	}
	return f.Readings, nil
}

// ParseOne reads a single reading and checks it against the circuit.
func ParseOne(data []byte, c *circuit.Circuit) (Reading, error) {
	var r Reading
	if err := strict.Unmarshal(data, &r); err != nil {
		return r, fmt.Errorf("reading: %w", err)
	}
	if err := r.Check(c); err != nil {
		return r, fmt.Errorf("reading: %w", err)
	}
	return r, nil
}

// Document is the readings file of the given readings.
func Document(readings []Reading) any {
	if readings == nil {
		readings = []Reading{}
	}
	return file{Format: Format, Readings: readings}
}

// maxVolts is beyond any reading in a dwelling. Assumption.
const maxVolts = 1000

// Check fills in what is understood (top half, high-z) and reports what the
// circuit cannot have shown: a device that is not there, a value that is none.
func (r *Reading) Check(c *circuit.Circuit) error {
	v, _ := c.Device(r.At)
	if v == nil {
		return fmt.Errorf("at %q: no such device on this circuit", r.At)
	}
	if r.Half == "" {
		r.Half = circuit.Top
	}
	if !slices.Contains(circuit.Halves, r.Half) {
		return fmt.Errorf("%s: half %q, want top or bottom", r.At, r.Half)
	}
	if !slices.Contains(Tools, r.Tool) {
		return fmt.Errorf("%s: tool %q is not known; use plug, meter, sensor or lamp", r.At, r.Tool)
	}
	if r.Tool == Meter && r.Mode == "" {
		r.Mode = HighZ
	}
	if err := r.checkKeys(); err != nil {
		return fmt.Errorf("%s, %s: %w", r.At, r.Tool, err)
	}
	if err := r.checkValues(v); err != nil {
		return fmt.Errorf("%s, %s: %w", r.At, r.Tool, err)
	}
	return r.checkState(c)
}

func (r *Reading) checkKeys() error {
	for _, key := range []struct {
		name  string
		given bool
		of    Tool
	}{
		{"lamps", r.Lamps != nil, Plug},
		{"volts", r.Volts != nil, Meter},
		{"mode", r.Mode != "", Meter},
		{"slots", r.Slots != nil, Sensor},
		{"glow", r.Glow != "", Lamp},
	} {
		if key.given && key.of != r.Tool {
			return fmt.Errorf("%s is what a %s shows", key.name, key.of)
		}
		if !key.given && key.of == r.Tool {
			return fmt.Errorf("%s is missing", key.name)
		}
	}
	return nil
}

func (r *Reading) checkValues(v *circuit.Device) error {
	something := false
	switch r.Tool {
	case Plug:
		if !v.HasGroundSlot() {
			return fmt.Errorf("a plug tester does not go into a two-slot device; use meter or sensor")
		}
		for i, lit := range r.Lamps.All() {
			if lit != "" && lit != IsLit && lit != IsDark {
				return fmt.Errorf("lamp %s: %q, want lit or dark", circuit.Pairs[i], lit)
			}
			something = something || lit != ""
		}
	case Meter:
		if r.Mode != HighZ && r.Mode != LowZ {
			return fmt.Errorf("mode %q, want high-z or low-z", r.Mode)
		}
		for i, x := range r.Volts.All() {
			if x == nil {
				continue
			}
			if *x < 0 || *x > maxVolts {
				return fmt.Errorf("%s: %v V is no reading", VoltNames[i], *x)
			}
			if !v.HasGroundSlot() && usesGround[i] {
				return fmt.Errorf("%s: the device has no ground slot", VoltNames[i])
			}
			something = true
		}
	case Sensor:
		for i, level := range r.Slots.All() {
			if level != "" && !slices.Contains(Levels, level) {
				return fmt.Errorf("%s slot: %q, want strong, faint or none", slotNames[i], level)
			}
			if level != "" && i == 2 && !v.HasGroundSlot() {
				return fmt.Errorf("the device has no ground slot")
			}
			something = something || level != ""
		}
	case Lamp:
		if !slices.Contains(Glows, r.Glow) {
			return fmt.Errorf("glow %q, want off, dim, bright or over", r.Glow)
		}
		something = true
	}
	if !something {
		return fmt.Errorf("nothing was read")
	}
	return nil
}

var (
	slotNames  = [3]string{"hot", "neutral", "ground"}
	usesGround = [6]bool{1: true, 2: true, 5: true}
)

func (r *Reading) checkState(c *circuit.Circuit) error {
	if r.State == nil {
		return nil
	}
	if _, err := r.State.On(c); err != nil {
		return fmt.Errorf("%s: state: %w", r.At, err)
	}
	return nil
}

// On is the circuit in the state; c itself when s is nil.
func (s *State) On(c *circuit.Circuit) (*circuit.Circuit, error) {
	if s == nil {
		return c, nil
	}
	d := c.Clone()
	if s.BreakerOn != nil {
		d.Breaker.On = *s.BreakerOn
	}
	if s.LoadsOn != nil {
		for i := range d.Loads {
			d.Loads[i].On = false
		}
		for _, id := range s.LoadsOn {
			i := slices.IndexFunc(d.Loads, func(l circuit.Load) bool { return l.ID == id })
			if i < 0 {
				return nil, fmt.Errorf("loadsOn: no load %s on this circuit", id)
			}
			d.Loads[i].On = true
		}
	}
	if s.Tripped != nil {
		if err := setTripped(d, s.Tripped); err != nil {
			return nil, err
		}
	}
	if s.Separated != nil {
		d.State.Separated = s.Separated
	}
	if s.Joined != nil {
		d.State.Joined = s.Joined
	}
	return d, d.Check()
}

func setTripped(c *circuit.Circuit, names []string) error {
	c.State.TrippedKnown = true
	c.Breaker.Tripped = false
	for i := range c.Boxes {
		for j := range c.Boxes[i].Devices {
			c.Boxes[i].Devices[j].Tripped = false
		}
	}
	for _, name := range names {
		if name == circuit.Panel {
			c.Breaker.Tripped = true
			continue
		}
		v, _ := c.Device(name)
		if v == nil || v.Kind != circuit.GFCI {
			return fmt.Errorf("tripped: %s is no GFCI of this circuit", name)
		}
		v.Tripped = true
	}
	return nil
}
