package tester

import (
	"fmt"
	"slices"

	"elvat/core/circuit"
)

// Indicator is the light on a GFCI's face. It is no instrument: lights mean different
// things by device, so that what one means is said by whoever has that device's own sheet,
// once for each kind of device, and is never assumed.
const Indicator Tool = "light"

// A Light is what the light on a GFCI's face showed.
type Light struct {
	Colour string  `json:"colour,omitempty"` // one of LightColours; empty where it is off
	Shows  Shows   `json:"shows"`
	Kind   string  `json:"kind,omitempty"`  // of device, as people call it
	Means  Meaning `json:"means,omitempty"` // by that device's own sheet; empty: nobody said
}

// Shows is whether a light burns.
type Shows string

// What a light does.
const (
	LightOff      Shows = "off"
	LightOn       Shows = "on"
	LightBlinking Shows = "blinking"
)

// AllShows lists them; LightColours what a light can be.
var (
	AllShows     = []Shows{LightOff, LightOn, LightBlinking}
	LightColours = []string{"green", "red", "amber", "white", "blue"}
)

// A Meaning is what a device's sheet says of what its light shows.
type Meaning string

// The meanings.
const (
	MeansReady     Meaning = "ready"     // power at LINE, and reset
	MeansTripped   Meaning = "tripped"   // power at LINE, and tripped
	MeansNoPower   Meaning = "no-power"  // too little at LINE for it to work
	MeansFailed    Meaning = "failed"    // it failed its own test: replace it
	MeansExchanged Meaning = "exchanged" // LINE and LOAD exchanged
)

// Meanings lists them in the order in which they are offered.
var Meanings = []Meaning{MeansReady, MeansTripped, MeansNoPower, MeansFailed, MeansExchanged}

// meaningWords say what a device tells by its light.
var meaningWords = map[Meaning]string{
	MeansReady: "power, and reset", MeansTripped: "tripped", MeansNoPower: "no power at LINE",
	MeansFailed: "failed its own test", MeansExchanged: "LINE and LOAD exchanged",
}

// Words says the meaning in a sentence.
func (m Meaning) Words() string { return meaningWords[m] }

// longestKind bounds what people call a kind of device. Assumption.
const longestKind = 60

// Check reports what is out of bounds of a light, naming it.
func (l *Light) Check() error {
	switch {
	case !slices.Contains(AllShows, l.Shows):
		return fmt.Errorf("light: shows: %q is none of %q", l.Shows, AllShows)
	case l.Shows == LightOff && l.Colour != "":
		return fmt.Errorf("light: colour: one that is off has none")
	case l.Shows != LightOff && !slices.Contains(LightColours, l.Colour):
		return fmt.Errorf("light: colour: %q is none of %q", l.Colour, LightColours)
	case l.Means != "" && !slices.Contains(Meanings, l.Means):
		return fmt.Errorf("light: means: %q is none of %q", l.Means, Meanings)
	case l.Means != "" && l.Kind == "":
		return fmt.Errorf("light: kind is missing: a light means something by a kind of device only")
	case len([]rune(l.Kind)) > longestKind:
		return fmt.Errorf("light: kind: longer than %d characters", longestKind)
	}
	return nil
}

// checkLight checks what the light of a GFCI showed.
func (r *Reading) checkLight(c *circuit.Circuit) error {
	if r.Half != "" {
		return fmt.Errorf("light: it is on a device, not on a half or a point")
	}
	other := r.Lamps != nil || r.Volts != nil || r.Slots != nil || r.Glow != "" || r.DropPercent != nil || r.Wiring != "" || r.Ohms != nil ||
		r.Point != "" || r.Between != nil || r.Reads != nil || r.Amps != nil || r.Level != "" || r.Mode != "" || r.Tripped != nil ||
		r.Site != "" || r.Found != nil || r.Faults != nil || r.Works != nil || r.Asked != "" || r.Answer != ""
	switch v, _ := c.Device(r.At); {
	case other:
		return fmt.Errorf("light: no tester's values go with it")
	case v == nil:
		return fmt.Errorf("light: at %q: no such device on this circuit", r.At)
	case v.Kind != circuit.GFCI:
		return fmt.Errorf("light: %s is no GFCI", r.At)
	case r.Light == nil:
		return fmt.Errorf("light is missing: what it shows")
	}
	if err := r.Light.Check(); err != nil {
		return err
	}
	return r.checkState(c)
}

// words say what the light showed, and what it was said to mean.
func (l *Light) words() string {
	if l == nil {
		return "" // what it would show is not predicted: only the device's sheet says
	}
	shows := l.Colour + " " + string(l.Shows)
	if l.Shows == LightOff {
		shows = "no light"
	}
	if l.Means == "" {
		return shows + "; what it means was not said"
	}
	return fmt.Sprintf("%s; by the sheet of “%s”: %s", shows, l.Kind, l.Means.Words())
}

// Indicates reports which meanings hold of a GFCI. Several can: one that failed its own
// test may have power and be tripped, and which of these its light tells, only its sheet says.
func (c *Condition) Indicates(device string) []Meaning {
	var all []Meaning
	powered := c.Powered(device)
	for _, g := range c.Variation.Guards {
		if g.Name != device {
			continue
		}
		tripped := g.Tripped || slices.Contains(c.Tripped, device)
		switch {
		case !powered:
			all = append(all, MeansNoPower)
		case tripped:
			all = append(all, MeansTripped)
		case !g.Dead:
			all = append(all, MeansReady)
		}
		if g.Dead || g.NoTrip {
			all = append(all, MeansFailed)
		}
	}
	if slices.ContainsFunc(c.Variation.Faults, func(f circuit.Fault) bool {
		return f.Kind == circuit.GFCIFault && f.At == device && f.State == "line-load-swapped"
	}) {
		all = append(all, MeansExchanged)
	}
	return all
}
