package makeup

import (
	"fmt"
	"slices"

	"elvat/core/circuit"
)

// farOf and farDevice name what stands at the far end of a cable where the run
// is not known.
func farOf(cable string) string     { return "far-" + cable }
func farDevice(cable string) string { return "outlet-" + cable }

// model is the circuit round the box: the panel on the line cable, and one
// outlet at the end of each other, with the given devices and wiring in the
// box. Where no line is known the first cable stands for it.
func (b *Box) model(devices []circuit.Device, wiring [][2]string) *circuit.Circuit {
	c := circuit.New("box " + b.ID)
	c.Breaker.Amps, c.Breaker.Poles, c.Breaker.Protection = b.Breaker.Amps, b.Breaker.Poles, b.Breaker.Protection
	if !b.boxHasTwoHots() {
		c.Breaker.Poles = 1 // a switched hot is of the same circuit
	}
	if !b.protectionKnown() {
		c.Breaker.Protection = circuit.NoProtection
	}
	leg := b.switchLeg()
	line := 0
	for i := range b.Cables {
		if b.Cables[i].Role == Line {
			line = i
			break
		}
	}
	box := circuit.Box{ID: b.ID, Label: b.ID, Material: b.Box.Material, Devices: devices, Wiring: slices.Clone(b.closed(wiring))}
	if box.Wiring == nil {
		box.Wiring = [][2]string{}
	}
	c.Boxes = append(c.Boxes, box)
	for i := range b.Cables {
		in := &b.Cables[i]
		cable := circuit.Cable{
			ID:         in.ID,
			From:       circuit.Panel,
			To:         b.ID,
			AWG:        in.AWG,
			Feet:       circuit.AssumedFeet,
			Conductors: slices.Clone(in.Conductors),
		}
		if i != line {
			cable.From, cable.To = b.ID, farOf(in.ID)
			far := circuit.Box{ID: cable.To, Label: far(in), Material: circuit.Plastic, Makeup: circuit.FeedThrough}
			far.Devices = []circuit.Device{{ID: farDevice(in.ID), Kind: circuit.Receptacle, Amps: 15, Slots: 3}}
			if in == leg { // the wall switch is on
				c.State.Joined = append(c.State.Joined, [2]string{in.ID + "@" + cable.To + ".hot", in.ID + "@" + cable.To + ".hot2"})
			}
			switch {
			case in.switchLoop():
				far.Devices, far.Makeup, far.Wiring = nil, "", [][2]string{}
			case !in.Has(circuit.Ground):
				far.Devices[0].Slots = 2
			}
			c.Boxes = append(c.Boxes, far)
		}
		if in == leg && in.Role == Line {
			c.Breaker.Poles = 1
			c.State.Joined = append(c.State.Joined, [2]string{"panel.hot", "panel.hot2"}) // the wall switch is on
		}
		c.Cables = append(c.Cables, cable)
	}
	return c
}

func far(c *Cable) string {
	if c.Serves != "" {
		return c.Serves
	}
	return "end of " + c.ID
}

// onRun is the call's circuit with the given devices and wiring in the box, or
// the model round the box where no run is given.
func (b *Box) onRun(
	run *circuit.Circuit,
	devices []circuit.Device,
	wiring [][2]string,
	raceway bool,
) (*circuit.Circuit, error) {
	var c *circuit.Circuit
	if run == nil {
		c = b.model(devices, wiring)
	} else {
		c = run.Clone()
		c.Faults, c.State = nil, circuit.State{}
		box := c.Box(b.ID)
		if box == nil {
			return nil, fmt.Errorf("box %s: not on the run", b.ID)
		}
		if err := b.Agrees(c); err != nil {
			return nil, err
		}
		box.Material, box.Bonded, box.Makeup, box.Load = b.Box.Material, false, "", nil
		box.Devices, box.Wiring = devices, slices.Clone(b.closed(wiring))
		c.Loads = slices.DeleteFunc(c.Loads, func(l circuit.Load) bool { v, _ := c.Device(l.At); return v == nil })
		for i := range c.Cables {
			known := slices.IndexFunc(b.Cables, func(in Cable) bool { return in.ID == c.Cables[i].ID })
			if known >= 0 {
				c.Cables[i].AWG, c.Cables[i].Conductors = b.Cables[known].AWG, slices.Clone(b.Cables[known].Conductors)
			}
		}
	}
	c.Breaker.On = true
	if raceway {
		line := c.LineCable(b.ID)
		if !line.Has(circuit.Ground) {
			line.Conductors = append(line.Conductors, circuit.Ground)
			box := c.Box(b.ID)
			box.Wiring = append(box.Wiring, [2]string{line.ID + "@" + b.ID + ".ground", b.ID + ".box"})
		}
	}
	return c, c.Check()
}

// Agrees reports a cable of the box that the run does not have there, or the
// other way round.
func (b *Box) Agrees(c *circuit.Circuit) error {
	there := map[string]bool{}
	for _, cable := range c.Cables {
		if cable.From != b.ID && cable.To != b.ID {
			continue
		}
		there[cable.ID] = true
		i := slices.IndexFunc(b.Cables, func(in Cable) bool { return in.ID == cable.ID })
		if i < 0 {
			return fmt.Errorf("cable %s: on the run it ends in %s, and is not in the box", cable.ID, b.ID)
		}
		if fed := cable.To == b.ID; fed != (b.Cables[i].Role == Line) && b.Cables[i].Role != Unknown {
			return fmt.Errorf(
				"cable %s: on the run it is the %s of %s; correct the run or the box",
				cable.ID,
				map[bool]string{true: "feed", false: "way on"}[fed],
				b.ID,
			)
		}
	}
	for i := range b.Cables {
		if !there[b.Cables[i].ID] {
			return fmt.Errorf("cable %s: on the run it does not come to %s", b.Cables[i].ID, b.ID)
		}
	}
	return nil
}
