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
	if r.Act != "" || r.Held != nil || r.CameBack != nil || r.Watts != nil || r.Hint != "" || r.Yes != nil ||
		r.Found != nil && r.Found.Names != nil && r.Tool != Eyes {
		return fmt.Errorf("%s: %s: act, held, cameBack, watts, hint and yes are no tester's", r.place(), r.Tool)
	}
	if r.Tool == Indicator {
		return r.checkLight(c)
	}
	if r.Light != nil {
		return fmt.Errorf("%s: %s: light is what the face of a GFCI shows", r.place(), r.Tool)
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
	if r.Point != "" || r.Between != nil || r.Reads != nil || r.Amps != nil || r.Level != "" || r.Mode != "" ||
		r.Tripped != nil {
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
	may, must := instruments[r.Tool].keys()
	for _, key := range []struct {
		name  string
		given bool
	}{
		{"lamps", r.Lamps != nil}, {"volts", r.Volts != nil}, {"mode", r.Mode != ""}, {"slots", r.Slots != nil}, {"glow", r.Glow != ""},
		{"tripped", r.Tripped != nil}, {"dropPercent", r.DropPercent != nil}, {"wiring", r.Wiring != ""}, {"ohms", r.Ohms != nil},
		{"level", r.Level != ""}, {"reads", r.Reads != nil}, {"amps", r.Amps != nil},
	} {
		switch {
		case key.given && !slices.Contains(may, key.name):
			if of := shownBy(key.name); of != "" {
				return fmt.Errorf("%s is what a %s shows", key.name, of)
			}
			return fmt.Errorf("%s is shown on points, not at an outlet", key.name)
		case !key.given && slices.Contains(must, key.name):
			return fmt.Errorf("%s is missing", key.name)
		}
	}
	return nil
}

// shownBy is the first tool at outlets that shows the value; "" for none.
func shownBy(key string) Tool {
	for _, tool := range AtOutlets {
		if may, _ := instruments[tool].keys(); slices.Contains(may, key) {
			return tool
		}
	}
	return ""
}

func (r *Reading) checkValues(v *circuit.Device) error {
	i := instruments[r.Tool]
	if err := i.fits(v); err != nil {
		return err
	}
	return i.check(r, v)
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
