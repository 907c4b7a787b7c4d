package makeup

import (
	"fmt"

	"elvat/core/circuit"
)

// settled is a copy of the box in which what the new device takes over from the old one
// is written down: the state of its tabs, unless it was said that they stay whole.
func (b *Box) settled() *Box {
	c := *b
	if b.Device == nil {
		return &c
	}
	v := *b.Device
	c.Device = &v
	if v.Kind != "receptacle" || v.Whole || v.Tab != (circuit.Tabs{}) {
		return &c
	}
	if b.Existing != nil {
		v.Tab = b.Existing.Tab
	}
	if b.switchLeg() != nil {
		v.Tab.Hot = circuit.TabRemoved // the switched half hangs on a hot of its own
	}
	return &c
}

// switchLoop reports a cable that goes to a wall switch and back: a steady hot out, the
// switched hot home, and no neutral.
func (c *Cable) switchLoop() bool {
	return c.Role == Outgoing && c.Has(circuit.Hot2) && c.Hot2 == SwitchLeg && !c.Has(circuit.Neutral)
}

// switchLeg is the cable that brings a hot from a wall switch: the feed, else one that goes
// to the switch and back, without a neutral or with one. Nil for none.
func (b *Box) switchLeg() *Cable {
	var leg *Cable
	for i := range b.Cables {
		c := &b.Cables[i]
		if !c.Has(circuit.Hot2) || c.Hot2 != SwitchLeg || c.Role == Unknown {
			continue
		}
		if c.Role == Line {
			return c
		}
		if leg == nil || c.switchLoop() && !leg.switchLoop() {
			leg = c
		}
	}
	return leg
}

// switched is the half that hangs on the wall switch: as told, else as its wires land
// now, else the lower one.
func (b *Box) switched() circuit.Half {
	if b.Existing == nil {
		return circuit.Bottom
	}
	if b.Existing.Switched != "" {
		return b.Existing.Switched
	}
	if leg := b.switchLeg(); leg != nil {
		joined := newNets(b.landings())
		if joined.same(leg.ID+"@"+b.ID+".hot2", b.oldName()+".hot.1") {
			return circuit.Top
		}
	}
	return circuit.Bottom
}

// hangsOnSwitch reports whether a half of what is there hangs on a wall switch.
func (b *Box) hangsOnSwitch() bool {
	return b.switchLeg() != nil || b.Existing != nil && b.Existing.Switched != ""
}

// steady and apart are the hot terminals of a device whose tab is broken: the one on the
// feed, and the one on the other hot.
func (w *wiring) steady(d *circuit.Device) string {
	if w.swapped(d) {
		return d.Second(circuit.Hot)
	}
	return d.First(circuit.Hot)
}

func (w *wiring) other(d *circuit.Device) string {
	if w.swapped(d) {
		return d.First(circuit.Hot)
	}
	return d.Second(circuit.Hot)
}

// swapped reports that the upper half hangs on the wall switch.
func (w *wiring) swapped(d *circuit.Device) bool {
	return d.Kind == circuit.Receptacle && d.Tab.Hot == circuit.TabRemoved && w.secondHot() != nil &&
		w.l.b.switchLeg() != nil && w.l.b.switched() == circuit.Top
}

// halves says what becomes of a switched half, and what is not known of a broken tab.
func (l *look) halves() {
	b := l.b
	v := b.Device
	if v == nil {
		return
	}
	here := []string{v.ID}
	split := v.Kind == "receptacle" && v.Tab.Hot == circuit.TabRemoved
	switch {
	case !b.hangsOnSwitch():
		return
	case !split:
		l.trade(Finding{
			Code: "switched-half-lost", Severity: Must, At: here,
			Text: fmt.Sprintf(
				"The %s half hung on a wall switch. %s: that half stays on, and the switch does nothing any more; a lamp that was switched by it no longer is.",
				b.switched(), whyWhole(v),
			),
			Fix: "A duplex with its tab broken here, protected from ahead; or a named person takes on that the switch no longer works.",
		})
	case b.switchLeg() == nil:
		l.ask("cables.hot2", "Which wire comes from the wall switch? Until known that half has no hot of its own.")
		l.trade(Finding{
			Code: "switched-half-lost", Severity: Must, At: here,
			Text: fmt.Sprintf("The %s half hangs on a wall switch, and which wire comes from it is not told.", b.switched()),
			Fix:  "Find it: switch on and off, meter on each hot, then dead again. Say which cable brings it.",
		})
	case b.Existing == nil || b.Existing.Switched == "" && !b.switchedSeen():
		l.ask("existing.switched", "Which half hangs on the wall switch? Until known the lower one.")
	}
}

// switchedSeen reports whether the record of what lands where shows the switched half.
func (b *Box) switchedSeen() bool {
	return newNets(b.landings()).has(b.switchLeg().ID + "@" + b.ID + ".hot2")
}

func whyWhole(v *Device) string {
	switch {
	case v.IsGFCI():
		return "A GFCI has no tab"
	case v.Kind == "receptacle":
		return "The tab is left whole"
	default:
		return "The new device has one hot"
	}
}
