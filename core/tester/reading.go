// Package tester says what each tester shows when it is put on the slots of a
// device, and holds the file format of readings, elvat-readings/1.
package tester

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"

	jsonv2 "github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"elvat/core/circuit"
	"elvat/core/strict"
)

// Format is the name and version of the readings file.
const Format = "elvat-readings/1"

// A Tool is a tester.
type Tool string

// The testers.
const (
	Plug         Tool = "plug"          // three-lamp tester
	PlugButton   Tool = "plug-button"   // its button: a leak from hot to ground
	DeviceButton Tool = "device-button" // a GFCI's own button
	Meter        Tool = "meter"         // voltmeter, in one of two modes
	Sensor       Tool = "sensor"        // non-contact sensor, slot by slot
	Lamp         Tool = "lamp"          // test lamp, hot to neutral
	Analyzer     Tool = "analyzer"      // load tester
	Ohms         Tool = "ohms"          // between two points, dead
	Clamp        Tool = "clamp"         // amperes in a conductor, or the sum of a cable's

	// Eyes is no instrument: a box was opened dead, looked into, and every
	// conductor tugged.
	Eyes Tool = "eyes"
	// Fixed is no reading: from here on the faults named are gone.
	Fixed Tool = "fixed"
)

// Tools in the order in which they are used.
var Tools = []Tool{Plug, PlugButton, DeviceButton, Meter, Sensor, Lamp, Analyzer, Ohms, Clamp}

// AtOutlets are the tools that are put on an outlet.
var AtOutlets = []Tool{Plug, PlugButton, DeviceButton, Meter, Sensor, Lamp, Analyzer}

// Plugs are the testers that a hand puts into the outlet by their plug, button and all: they
// have no business where a ground pin or a yoke may be live.
var Plugs = []Tool{Plug, PlugButton, Analyzer}

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
	// Unloaded is a load tester's one figure, hot to neutral, given instead.
	Unloaded *Maybe `json:"-"`
}

// MarshalJSON writes the object of a meter's values, or an analyzer's number.
func (v Volts) MarshalJSON() ([]byte, error) {
	if v.Unloaded != nil {
		return json.Marshal(v.Unloaded)
	}
	type plain Volts
	return json.Marshal(plain(v))
}

// UnmarshalJSONFrom reads either.
func (v *Volts) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	if d.PeekKind() == '0' {
		v.Unloaded = &Maybe{}
		return jsonv2.UnmarshalDecode(d, &v.Unloaded.Value)
	}
	type plain Volts
	return jsonv2.UnmarshalDecode(d, (*plain)(v))
}

// A Maybe is a number that a tester may be unable to give; it is written as
// null then.
type Maybe struct{ Value *float64 }

// MarshalJSON writes the number or null.
func (m Maybe) MarshalJSON() ([]byte, error) { return json.Marshal(m.Value) }

// UnmarshalJSONFrom reads the number.
func (m *Maybe) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	return jsonv2.UnmarshalDecode(d, &m.Value)
}

// AnalyzedOhms are what a load tester makes of its pulses; nil where it cannot
// tell.
type AnalyzedOhms struct {
	Hot        *float64 `json:"hot"`
	Neutral    *float64 `json:"neutral"`
	Ground     *float64 `json:"ground"`
	HotNeutral *float64 `json:"hotNeutral"` // the loop
}

// MarshalJSON writes null where nothing could be measured.
func (o AnalyzedOhms) MarshalJSON() ([]byte, error) {
	if o == (AnalyzedOhms{}) {
		return []byte("null"), nil
	}
	type plain AnalyzedOhms
	return json.Marshal(plain(o))
}

// A Wiring is a load tester's verdict, in the words of the six lamp patterns.
type Wiring string

// The verdicts of a load tester.
const (
	WiringCorrect            Wiring = "correct"
	WiringOpenGround         Wiring = "open-ground"
	WiringOpenNeutral        Wiring = "open-neutral"
	WiringOpenHot            Wiring = "open-hot"
	WiringHotGroundReversed  Wiring = "hot-ground-reversed"
	WiringHotNeutralReversed Wiring = "hot-neutral-reversed"
	WiringUnknown            Wiring = "unknown"
)

// Wirings lists them.
var Wirings = []Wiring{
	WiringCorrect,
	WiringOpenGround,
	WiringOpenNeutral,
	WiringOpenHot,
	WiringHotGroundReversed,
	WiringHotNeutralReversed,
	WiringUnknown,
}

// Reads is what a meter shows between two points: volts, or ohms, which can be open.
type Reads struct {
	Value float64
	Open  bool
}

// MarshalJSON writes the number, or "open".
func (r Reads) MarshalJSON() ([]byte, error) {
	if r.Open {
		return []byte(`"open"`), nil
	}
	return json.Marshal(r.Value)
}

// UnmarshalJSONFrom reads a number or "open".
func (r *Reads) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	if d.PeekKind() != '"' {
		return jsonv2.UnmarshalDecode(d, &r.Value)
	}
	var word string
	if err := jsonv2.UnmarshalDecode(d, &word); err != nil {
		return err
	}
	if word != "open" {
		return fmt.Errorf("%q, want a number or \"open\"", word)
	}
	r.Open = true
	return nil
}

// Found is what eyes found in a box: nothing, or faults; or the names of the
// GFCIs that had tripped when all were reset.
type Found struct {
	Faults []circuit.Fault
	Names  []string // not nil where it is about GFCIs
}

// MarshalJSON writes the faults, or false; or the names.
func (f Found) MarshalJSON() ([]byte, error) {
	if f.Names != nil {
		return json.Marshal(f.Names)
	}
	if len(f.Faults) == 0 {
		return []byte("false"), nil
	}
	return json.Marshal(f.Faults)
}

// UnmarshalJSONFrom reads false, a list of faults, or a list of names; an
// empty list is one of names.
func (f *Found) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	if d.PeekKind() == '[' {
		raw, err := d.ReadValue()
		if err != nil {
			return err
		}
		var names []string
		if jsonv2.Unmarshal(raw, &names) == nil {
			f.Names = names
			return nil
		}
		return jsonv2.Unmarshal(raw, &f.Faults, d.Options())
	}
	if d.PeekKind() == 't' || d.PeekKind() == 'f' {
		var something bool
		if err := jsonv2.UnmarshalDecode(d, &something); err != nil {
			return err
		}
		if something {
			return errors.New("say what was found: a list of faults, or false")
		}
		return nil
	}
	return jsonv2.UnmarshalDecode(d, &f.Faults)
}

// All lists the six values in the order of VoltNames.
func (v *Volts) All() []*float64 {
	return []*float64{v.HotNeutral, v.HotGround, v.NeutralGround, v.HotEarth, v.NeutralEarth, v.GroundEarth}
}

// Set stores the value number i of VoltNames.
func (v *Volts) Set(i int, x float64) {
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

// Exchanged are the lamps with each taken for the one at that place.
func (l Lamps) Exchanged(by [3]int) *Lamps {
	all := l.All()
	return &Lamps{HotNeutral: all[by[0]], HotGround: all[by[1]], NeutralGround: all[by[2]]}
}

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

// A Reading is what one tester showed, at one half of a device or on named
// points of an opened box. Values that were not read are left out.
type Reading struct {
	At    string       `json:"at,omitempty"`
	Half  circuit.Half `json:"half,omitempty"` // top unless said
	Tool  Tool         `json:"tool"`
	Mode  Mode         `json:"mode,omitempty"` // meter; high-z unless said
	Lamps *Lamps       `json:"lamps,omitempty"`
	Volts *Volts       `json:"volts,omitempty"`
	Slots *Slots       `json:"slots,omitempty"`
	Glow  Glow         `json:"glow,omitempty"`

	DropPercent *Maybe        `json:"dropPercent,omitempty"` // analyzer, scaled to 15 A
	Wiring      Wiring        `json:"wiring,omitempty"`      // analyzer
	Ohms        *AnalyzedOhms `json:"ohms,omitempty"`        // analyzer

	Point   string     `json:"point,omitempty"`   // sensor: a bare conductor end; clamp: a conductor's or a cable's end
	Level   Level      `json:"level,omitempty"`   // sensor on a point
	Between *[2]string `json:"between,omitempty"` // meter or ohms on two points
	Reads   *Reads     `json:"reads,omitempty"`   // what it shows there
	Amps    *float64   `json:"amps,omitempty"`    // clamp

	Site   string          `json:"site,omitempty"`   // eyes: a box, or the panel
	Found  *Found          `json:"found,omitempty"`  // eyes
	Faults []circuit.Fault `json:"faults,omitempty"` // fixed

	Light *Light `json:"light,omitempty"` // of a GFCI's face

	Works  *bool    `json:"works,omitempty"` // told, of an outlet
	Asked  Question `json:"asked,omitempty"` // told, of the circuit
	Answer Answer   `json:"answer,omitempty"`

	Act      ActName  `json:"act,omitempty"`     // act
	Held     *bool    `json:"held,omitempty"`    // act: whether what was reset held
	CameBack []string `json:"cameBack,omitzero"` // act: devices that work now
	Watts    *float64 `json:"watts,omitempty"`   // act: of what is plugged in
	Hint     HintName `json:"hint,omitempty"`    // hint
	Yes      *bool    `json:"yes,omitempty"`     // hint

	// Skipped marks a reading that was asked for and not taken, since the place
	// cannot be reached: it says nothing, and is not asked for again.
	Skipped bool `json:"skipped,omitempty"`

	// Doubtful marks a reading that whoever took it does not trust: it counts little.
	Doubtful bool `json:"doubtful,omitempty"`

	// Tripped names what putting the tester on, or pressing the button, tripped.
	Tripped []string `json:"tripped,omitzero"`
	State   *State   `json:"state,omitempty"`
}

// OnPoints reports whether the reading was taken on named points instead of an outlet.
func (r *Reading) OnPoints() bool { return r.Point != "" || r.Between != nil }

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

// maxReadings bounds the work one file can ask for. Assumption.
const maxReadings = 2000

// Parse reads a readings file and checks it against the circuit.
func Parse(data []byte, c *circuit.Circuit) ([]Reading, error) {
	var f file
	if err := strict.Unmarshal(data, &f); err != nil {
		return nil, fmt.Errorf("readings: %w", err)
	}
	if f.Format != Format {
		return nil, fmt.Errorf("readings: format: %q, want %q", f.Format, Format)
	}
	if len(f.Readings) > maxReadings {
		return nil, fmt.Errorf("readings: %d of them; at most %d", len(f.Readings), maxReadings)
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

// ReadState reads a state alone, as it was kept; nothing is no state.
func ReadState(data []byte) (*State, error) {
	if len(data) == 0 {
		return nil, nil
	}
	s := &State{}
	return s, strict.Reread(data, s)
}

// ParseState reads a state alone, and checks it against the circuit; nothing
// is no state.
func ParseState(data []byte, c *circuit.Circuit) (*State, error) {
	s, err := ReadState(data)
	if err != nil || s == nil {
		return nil, err
	}
	_, err = s.On(c)
	return s, err
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

// Fit is what of the state can be on the circuit, and in words what cannot: a
// load or a GFCI that is no longer on the run takes nothing else with it, least of
// all a breaker that is off.
func (s *State) Fit(c *circuit.Circuit) (fit *State, left []string) {
	if s == nil {
		return nil, nil
	}
	fit = &State{}
	try := func(words string, change func(*State)) {
		more := *fit
		change(&more)
		if _, err := more.On(c); err != nil {
			left = append(left, words)
			return
		}
		*fit = more
	}
	if s.BreakerOn != nil {
		try("the breaker", func(f *State) { f.BreakerOn = s.BreakerOn })
	}
	each := func(words string, names []string, of func(*State) *[]string) {
		if names == nil {
			return
		}
		try(words, func(f *State) { *of(f) = []string{} })
		for _, name := range names {
			try(words+" "+name, func(f *State) { *of(f) = append(slices.Clone(*of(f)), name) })
		}
	}
	each("load", s.LoadsOn, func(f *State) *[]string { return &f.LoadsOn })
	each("GFCI", s.Tripped, func(f *State) *[]string { return &f.Tripped })
	each("cable end", s.Separated, func(f *State) *[]string { return &f.Separated })
	for _, pair := range s.Joined {
		try("join of "+pair[0]+" and "+pair[1], func(f *State) { f.Joined = append(slices.Clone(f.Joined), pair) })
	}
	return fit, left
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
