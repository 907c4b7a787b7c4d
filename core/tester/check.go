package tester

import (
	"fmt"
	"slices"
	"strings"

	"elvat/core/circuit"
)

// Bounds beyond which a value is a slip of the finger. Assumptions.
const (
	maxVolts = 1000
	maxOhms  = 1e9
	maxAmps  = 1000
)

// takes tells where each tool is put.
var takes = map[Tool]struct{ outlet, point, between bool }{
	Plug: {outlet: true}, PlugButton: {outlet: true}, DeviceButton: {outlet: true},
	Meter: {outlet: true, between: true}, Sensor: {outlet: true, point: true},
	Lamp: {outlet: true}, Analyzer: {outlet: true}, Ohms: {between: true}, Clamp: {point: true},
}

// Check fills in what is understood (top half, high-z) and reports what the
// circuit cannot have shown: a device that is not there, a value that is none.
func (r *Reading) Check(c *circuit.Circuit) error {
	if r.Skipped {
		return r.checkSkipped(c)
	}
	switch r.Tool {
	case Act:
		return r.checkAct(c)
	case Hint:
		return r.checkHint(c)
	}
	if r.Act != "" || r.Held != nil || r.CameBack != nil || r.Watts != nil || r.Hint != "" || r.Yes != nil || r.Found != nil && r.Found.Names != nil && r.Tool != Eyes {
		return fmt.Errorf("%s: %s: act, held, cameBack, watts, hint and yes are no tester's", r.place(), r.Tool)
	}
	if r.Tool == Eyes || r.Tool == Fixed {
		return r.checkLooked(c)
	}
	if r.Tool == Told {
		return r.checkTold(c)
	}
	if r.Works != nil || r.Asked != "" || r.Answer != "" {
		return fmt.Errorf("%s: %s: works, asked and answer are what a customer told", r.place(), r.Tool)
	}
	put, known := takes[r.Tool]
	if !known {
		return fmt.Errorf("%s: tool %q is not known; use one of %v", r.place(), r.Tool, Tools)
	}
	if r.Tool == Meter && r.Mode == "" {
		r.Mode = HighZ
	}
	var err error
	switch {
	case r.Between != nil && put.between:
		err = r.checkBetween(c)
	case r.Point != "" && put.point:
		err = r.checkPoint(c)
	case r.Between != nil || r.Point != "":
		err = fmt.Errorf("the tool is put on an outlet, not on points")
	case !put.outlet && put.between:
		err = fmt.Errorf("between is missing: the two points measured")
	case !put.outlet:
		err = fmt.Errorf("point is missing: a conductor's end such as W2@B1.hot, or a cable's such as W2@B1")
	default:
		return r.checkAtOutlet(c)
	}
	if err == nil {
		err = r.checkTripped(c)
	}
	if err != nil {
		return fmt.Errorf("%s: %w", r.Tool, err)
	}
	return r.checkState(c)
}

// checkLooked checks what was found in a box, or what was put right.
func (r *Reading) checkLooked(c *circuit.Circuit) error {
	if r.Point != "" || r.Between != nil || r.Reads != nil || r.Amps != nil || r.Level != "" || r.Mode != "" || r.Tripped != nil {
		return fmt.Errorf("%s: no tester's values go with it", r.Tool)
	}
	if err := r.onlyPointKeys(); err != nil {
		return fmt.Errorf("%s: no tester's values go with it", r.Tool)
	}
	faults := r.Faults
	if r.Tool == Eyes {
		switch {
		case r.Site != circuit.Panel && c.Box(r.Site) == nil:
			return fmt.Errorf("eyes: site %q is neither a box of this circuit nor the panel", r.Site)
		case r.Found == nil:
			return fmt.Errorf("eyes: found is missing: false, or a list of faults")
		case r.Faults != nil:
			return fmt.Errorf("eyes: what was found is called found")
		}
		r.Found.Names = nil // an empty list is nothing found
		faults = r.Found.Faults
	} else if r.Site != "" || r.Found != nil || len(faults) == 0 {
		return fmt.Errorf("fixed: wants faults, and nothing else")
	}
	for i, f := range faults {
		if err := c.CheckFault(f); err != nil {
			return fmt.Errorf("%s: faults[%d]: %w", r.Tool, i, err)
		}
	}
	return r.checkState(c)
}

// place names the reading in errors.
func (r *Reading) place() string {
	switch {
	case r.At != "":
		return r.At
	case r.Point != "":
		return r.Point
	case r.Between != nil:
		return r.Between[0]
	default:
		return "reading"
	}
}

func (r *Reading) checkAtOutlet(c *circuit.Circuit) error {
	v, _ := c.Device(r.At)
	if v == nil {
		return fmt.Errorf("at %q: no such device on this circuit", r.At)
	}
	if r.Half == "" && r.Tool != DeviceButton {
		r.Half = circuit.Top
	}
	if r.Half != "" && !slices.Contains(circuit.Halves, r.Half) {
		return fmt.Errorf("%s: half %q, want top or bottom", r.At, r.Half)
	}
	for _, check := range []func() error{
		r.checkKeys,
		func() error { return r.checkValues(v) },
		func() error { return r.checkTripped(c) },
	} {
		if err := check(); err != nil {
			return fmt.Errorf("%s, %s: %w", r.At, r.Tool, err)
		}
	}
	return r.checkState(c)
}

// checkKeys makes sure that the reading has the values of its tool and no other's.
func (r *Reading) checkKeys() error {
	for _, key := range []struct {
		name   string
		given  bool
		of     []Tool
		wanted bool // without it the reading says nothing
	}{
		{"lamps", r.Lamps != nil, []Tool{Plug, PlugButton}, r.Tool == Plug},
		{"volts", r.Volts != nil, []Tool{Meter, Analyzer}, r.Tool == Meter},
		{"mode", r.Mode != "", []Tool{Meter}, true},
		{"slots", r.Slots != nil, []Tool{Sensor}, true},
		{"glow", r.Glow != "", []Tool{Lamp}, true},
		{"tripped", r.Tripped != nil, Tools, r.Tool == PlugButton || r.Tool == DeviceButton},
		{"dropPercent", r.DropPercent != nil, []Tool{Analyzer}, false},
		{"wiring", r.Wiring != "", []Tool{Analyzer}, false},
		{"ohms", r.Ohms != nil, []Tool{Analyzer}, false},
		{"level", r.Level != "", nil, false},
		{"reads", r.Reads != nil, nil, false},
		{"amps", r.Amps != nil, nil, false},
	} {
		own := slices.Contains(key.of, r.Tool)
		switch {
		case key.given && !own && len(key.of) > 0:
			return fmt.Errorf("%s is what a %s shows", key.name, key.of[0])
		case key.given && !own:
			return fmt.Errorf("%s is shown on points, not at an outlet", key.name)
		case !key.given && own && key.wanted:
			return fmt.Errorf("%s is missing", key.name)
		}
	}
	return nil
}

func (r *Reading) checkValues(v *circuit.Device) error {
	something := false
	switch r.Tool {
	case Plug, PlugButton, Analyzer:
		if !v.HasGroundSlot() {
			return fmt.Errorf("a %s tester does not go into a two-slot device; use meter or sensor", map[bool]string{true: "load", false: "plug"}[r.Tool == Analyzer])
		}
	case DeviceButton:
		if v.Kind != circuit.GFCI {
			return fmt.Errorf("only a GFCI has a button")
		}
	}
	switch r.Tool {
	case Plug:
		for i, lit := range r.Lamps.All() {
			if lit != "" && lit != IsLit && lit != IsDark {
				return fmt.Errorf("lamp %s: %q, want lit or dark", circuit.Pairs[i], lit)
			}
			something = something || lit != ""
		}
	case Meter:
		return r.checkVolts(v)
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
	case Analyzer:
		return r.checkAnalyzer()
	default:
		something = true // a button: what tripped, which may be nothing
	}
	if !something {
		return fmt.Errorf("nothing was read")
	}
	return nil
}

func (r *Reading) checkVolts(v *circuit.Device) error {
	if r.Mode != HighZ && r.Mode != LowZ {
		return fmt.Errorf("mode %q, want high-z or low-z", r.Mode)
	}
	if r.Volts.Unloaded != nil {
		return fmt.Errorf("volts is an object, one value a pair")
	}
	something := false
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
	if !something {
		return fmt.Errorf("nothing was read")
	}
	return nil
}

func (r *Reading) checkAnalyzer() error {
	if r.Volts != nil && r.Volts.Unloaded == nil {
		return fmt.Errorf("volts is one number, hot to neutral without its pulse")
	}
	if r.Wiring != "" && !slices.Contains(Wirings, r.Wiring) {
		return fmt.Errorf("wiring %q, want one of %v", r.Wiring, Wirings)
	}
	if r.Ohms != nil && *r.Ohms == (AnalyzedOhms{}) {
		r.Ohms = nil // none given is the same as null
	}
	something := r.Wiring != ""
	within := func(name string, x *float64, most float64) error {
		if x == nil {
			return nil
		}
		something = true
		if *x < 0 || *x > most {
			return fmt.Errorf("%s: %v is no reading", name, *x)
		}
		return nil
	}
	if r.Volts != nil {
		if err := within("volts", r.Volts.Unloaded.Value, maxVolts); err != nil {
			return err
		}
	}
	if r.DropPercent != nil {
		if err := within("dropPercent", r.DropPercent.Value, 1000); err != nil {
			return err
		}
	}
	if r.Ohms != nil {
		for i, x := range r.Ohms.all() {
			if err := within("ohms."+ohmNames[i], x, maxOhms); err != nil {
				return err
			}
		}
	}
	if !something {
		return fmt.Errorf("nothing was read")
	}
	return nil
}

var ohmNames = [4]string{"hot", "neutral", "ground", "hotNeutral"}

func (o *AnalyzedOhms) all() [4]*float64 {
	return [4]*float64{o.Hot, o.Neutral, o.Ground, o.HotNeutral}
}

// onlyPointKeys makes sure that a reading on points has none of the outlets' values.
func (r *Reading) onlyPointKeys() error {
	if r.At != "" || r.Half != "" || r.Lamps != nil || r.Volts != nil || r.Slots != nil || r.Glow != "" ||
		r.DropPercent != nil || r.Wiring != "" || r.Ohms != nil {
		return fmt.Errorf("a reading on points has no outlet's values")
	}
	return nil
}

func (r *Reading) checkBetween(c *circuit.Circuit) error {
	if err := r.onlyPointKeys(); err != nil {
		return err
	}
	for _, name := range r.Between {
		if err := single(c, name); err != nil {
			return fmt.Errorf("between: %w", err)
		}
	}
	switch {
	case r.Between[0] == r.Between[1]:
		return fmt.Errorf("between: %s twice", r.Between[0])
	case r.Reads == nil:
		return fmt.Errorf("reads is missing")
	case r.Tool == Meter && r.Mode != HighZ && r.Mode != LowZ:
		return fmt.Errorf("mode %q, want high-z or low-z", r.Mode)
	case r.Tool == Meter && (r.Reads.Open || r.Reads.Value < 0 || r.Reads.Value > maxVolts):
		return fmt.Errorf("reads: no voltage")
	case r.Tool == Ohms && (r.Mode != "" || r.Reads.Value < 0 || r.Reads.Value > maxOhms):
		return fmt.Errorf("reads: no resistance")
	}
	return nil
}

func (r *Reading) checkPoint(c *circuit.Circuit) error {
	if err := r.onlyPointKeys(); err != nil {
		return err
	}
	if r.Tool == Sensor {
		if !slices.Contains(Levels, r.Level) {
			return fmt.Errorf("level %q, want strong, faint or none", r.Level)
		}
		return single(c, r.Point)
	}
	if r.Amps == nil || *r.Amps < 0 || *r.Amps > maxAmps {
		return fmt.Errorf("amps: no reading")
	}
	if strings.Contains(r.Point, "@") && !strings.Contains(r.Point, ".") {
		_, err := c.ParseCableEnd(r.Point)
		return err
	}
	p, err := c.ParsePoint(r.Point, "")
	if err == nil && p.Kind != circuit.CableEndPoint && p.Kind != circuit.ConductorPoint {
		err = fmt.Errorf("%s: a clamp goes around a conductor or a cable", r.Point)
	}
	return err
}

// single makes sure that a probe can be put on the point.
func single(c *circuit.Circuit, name string) error {
	p, err := c.ParsePoint(name, "")
	if err == nil && (p.Kind == circuit.ConductorPoint || p.Kind == circuit.TabPoint) {
		err = fmt.Errorf("%s is no single place", name)
	}
	return err
}

// checkTripped makes sure that what tripped can.
func (r *Reading) checkTripped(c *circuit.Circuit) error {
	for _, name := range r.Tripped {
		if v, _ := c.Device(name); name != circuit.Panel && (v == nil || v.Kind != circuit.GFCI) {
			return fmt.Errorf("tripped: %s is no GFCI of this circuit", name)
		}
	}
	return nil
}
