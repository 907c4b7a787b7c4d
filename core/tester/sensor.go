package tester

import (
	"fmt"
	"slices"

	"elvat/core/circuit"
	"elvat/core/network"
)

// sensor is the non-contact one, slot by slot. It loads nothing.
type sensor struct{ simple }

func (sensor) name() string { return "sensor" }

func (sensor) puts(*Condition, circuit.Outlet, Mode, bool) []func(*network.Case) { return nil }

func (sensor) show(c *Condition, o circuit.Outlet, r *Reading) {
	k, v := c.bench.Constants, c.SensorVolts(o)
	r.Slots = &Slots{Hot: k.Level(v[0]), Neutral: k.Level(v[1])}
	if o.HasGround {
		r.Slots.Ground = k.Level(v[2])
	}
}

func (sensor) keys() (may, must []string) { return []string{"slots", "tripped"}, []string{"slots"} }

func (sensor) check(r *Reading, v *circuit.Device) error {
	something := false
	for i, level := range r.Slots.All() {
		if level != "" && !slices.Contains(Levels, level) {
			return fmt.Errorf("%s slot: %q, want strong, faint or none", slotNames[i], level)
		}
		if level != "" && i == 2 && !v.HasGroundSlot() {
			return fmt.Errorf("the device has no ground slot")
		}
		something = something || level != ""
	}
	return nothingRead(something)
}

func (sensor) draw(r *Reading, _ Constants, d *Delta) {
	for i, level := range r.Slots.All() {
		if level == Strong {
			d.Live = append(d.Live, slotNames[i])
		}
	}
}

func (sensor) pin(r *Reading, _ Constants) GroundPin {
	switch s := r.Slots; {
	case s.Ground == Strong:
		return PinLive
	case s.Ground == Faint:
		return PinMayBeLive
	case s.Ground == None:
		return PinDead
	case s.Neutral == None || s.Hot == None:
		return PinDead // nor would it be silent there
	case s.Neutral == Strong:
		return PinMayBeLive // a live yoke sets a sensor off at every slot
	}
	return PinNotShown
}

func (sensor) words(r *Reading) []string {
	var parts []string
	for i, level := range r.Slots.All() {
		if level != "" {
			parts = append(parts, fmt.Sprintf("%s slot %s", slotNames[i], level))
		}
	}
	return parts
}

func (sensor) agrees(predicted, seen *Reading, _ Constants) bool {
	return *predicted.Slots == *seen.Slots
}
