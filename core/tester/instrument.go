package tester

import (
	"fmt"
	"slices"

	"elvat/core/circuit"
	"elvat/core/network"
)

// An instrument is one tester that is put on an outlet, and all that there is to know
// of it: each has a file of its own, and adding one is adding that file and its row in
// instruments.
type instrument interface {
	// name is what the trade calls it, in a sentence.
	name() string
	// fits reports why it does not go into the device; nil where it does.
	fits(v *circuit.Device) error
	// modes are the ways in which it can be set; one, without a name, for most.
	modes() []Mode
	// puts is what it connects at the outlet, one after the other, while it is read.
	// just: on hot and neutral only.
	puts(c *Condition, o circuit.Outlet, mode Mode, just bool) []func(*network.Case)
	// show reads it into r, which has its place, tool and mode.
	show(c *Condition, o circuit.Outlet, r *Reading)
	// keys are the values that a reading of it may have, and which of them it must.
	keys() (may, must []string)
	// check reports what the device cannot have shown, or that nothing was read.
	check(r *Reading, v *circuit.Device) error
	// draw puts what it says of the three voltages into d.
	draw(r *Reading, k Constants, d *Delta)
	// pin is what it says of the ground pin.
	pin(r *Reading, k Constants) GroundPin
	// words say what it showed.
	words(r *Reading) []string
	// agrees holds what was seen against what was predicted, as far as this tester
	// tells them apart.
	agrees(predicted, seen *Reading, k Constants) bool
}

// instruments are the testers that are put on an outlet.
var instruments = map[Tool]instrument{
	Plug: plugTester{}, PlugButton: plugButton{}, DeviceButton: deviceButton{}, Meter: meter{}, Sensor: sensor{}, Lamp: testLamp{}, Analyzer: loadTester{},
}

// otherNames are those of the tools that are put on no outlet.
var otherNames = map[Tool]string{Ohms: "ohms", Clamp: "clamp", Told: "customer's word", Indicator: "light of the GFCI", Act: "act", Hint: "look from outside", Eyes: "eyes", Fixed: "repair"}

// Name is what the trade calls the tool, in a sentence.
func (t Tool) Name() string {
	if i, ok := instruments[t]; ok {
		return i.name()
	}
	return otherNames[t]
}

// simple is what most testers have in common.
type simple struct{}

func (simple) fits(*circuit.Device) error            { return nil }
func (simple) modes() []Mode                         { return []Mode{""} }
func (simple) draw(*Reading, Constants, *Delta)      {}
func (simple) pin(*Reading, Constants) GroundPin     { return PinNotShown }
func (simple) words(*Reading) []string               { return nil }
func (simple) check(*Reading, *circuit.Device) error { return nil }

// needsGroundSlot refuses a device that a plug with a ground pin does not enter.
func needsGroundSlot(v *circuit.Device, kind string) error {
	if !v.HasGroundSlot() {
		return fmt.Errorf("a %s tester does not go into a two-slot device; use meter or sensor", kind)
	}
	return nil
}

// fitsAt is fits for an outlet of the condition's circuit.
func (c *Condition) fitsAt(o circuit.Outlet, tool Tool) error {
	i, ok := instruments[tool]
	if !ok {
		return fmt.Errorf("tool %q is not put on an outlet; use one of %v", tool, AtOutlets)
	}
	v, _ := c.bench.Model.Wired.Circuit.Device(o.Device)
	if v == nil {
		return fmt.Errorf("no such device")
	}
	return i.fits(v)
}

// Agrees holds the reading against its prediction: lamps and levels by name, volts by
// how they are drawn, buttons by what tripped. Of GFCIs in a row any may win the race.
func (r *Reading) Agrees(predicted *Reading) bool {
	i, ok := instruments[r.Tool]
	return ok && i.agrees(predicted, r, Default)
}

// tripsAgree is Agrees for what tripped.
func tripsAgree(predicted, seen *Reading) bool {
	if len(predicted.Tripped) == 0 {
		return len(seen.Tripped) == 0
	}
	other := func(name string) bool { return !slices.Contains(predicted.Tripped, name) }
	return len(seen.Tripped) > 0 && !slices.ContainsFunc(seen.Tripped, other)
}

// sides are the three voltages of a drawing, in the order of circuit.Pairs.
func (d *Delta) sides() [3]*Side { return [3]*Side{&d.HotNeutral, &d.HotGround, &d.NeutralGround} }

func nothingRead(something bool) error {
	if !something {
		return fmt.Errorf("nothing was read")
	}
	return nil
}

// onPoints reports whether the tool was put on points of an opened box.
func (r *Reading) onPoints() bool { return r.Between != nil || r.Point != "" }
