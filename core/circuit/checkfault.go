package circuit

import (
	"fmt"
	"slices"
	"strings"
)

// checkFaults makes sure every fault of the file can be.
func (c *Circuit) checkFaults() error {
	for i, f := range c.Faults {
		if err := c.CheckFault(f); err != nil {
			return fmt.Errorf("faults[%d]: %w", i, err)
		}
	}
	return nil
}

// faultKeys tells which further keys each kind of fault has.
var faultKeys = map[FaultKind]struct{ pair, to, ohms, state bool }{
	Open:      {},
	Resistive: {ohms: true},
	Swapped:   {pair: true},
	Moved:     {to: true},
	Bonded:    {pair: true, ohms: true},
	Touching:  {pair: true, ohms: true},
	Leak:      {ohms: true},
	GFCIFault: {state: true},
	BreakerAt: {state: true},
}

// CheckFault reports why a fault cannot be on this circuit.
func (c *Circuit) CheckFault(f Fault) error {
	keys, known := faultKeys[f.Kind]
	if !known {
		return fmt.Errorf(
			"kind %q is not known; use open, resistive, swapped, moved, bonded, touching, leak, gfci, breaker",
			string(f.Kind),
		)
	}
	switch {
	case f.At == "":
		return fmt.Errorf("%s: has no place (at)", f.Kind)
	case f.Pair != "" && !keys.pair:
		return fmt.Errorf("%s at %s: has no pair", f.Kind, f.At)
	case f.To != "" && !keys.to:
		return fmt.Errorf("%s at %s: has no to", f.Kind, f.At)
	case f.State != "" && !keys.state:
		return fmt.Errorf("%s at %s: has no state", f.Kind, f.At)
	case f.Ohms != 0 && !keys.ohms:
		return fmt.Errorf("%s at %s: has no ohms", f.Kind, f.At)
	case keys.pair && !slices.Contains(Pairs, f.Pair):
		return fmt.Errorf("%s at %s: pair %q, want hot-neutral, hot-ground or neutral-ground", f.Kind, f.At, string(f.Pair))
	case keys.ohms && (!within(f.Ohms, 0, maxOhms) || f.Ohms == 0):
		return fmt.Errorf("%s at %s: ohms: %v is impossible", f.Kind, f.At, f.Ohms)
	}
	var err error
	switch f.Kind {
	case Open, Resistive:
		_, err = c.ParsePoint(f.At, "")
	case Swapped:
		err = c.checkSwap(f)
	case Moved:
		err = c.checkMove(f)
	case Touching:
		if box := c.Box(f.At); box == nil {
			err = fmt.Errorf("%s is no box of the file", f.At)
		} else if len(box.Devices) == 0 {
			err = fmt.Errorf("box %s has no device to touch", f.At)
		}
	case Bonded, Leak:
		err = c.checkAtDevice(f)
	case GFCIFault:
		v, _ := c.Device(f.At)
		if (v == nil || v.Kind != GFCI) && !(f.At == Panel && c.Breaker.Protection.SeesGroundFaults()) {
			return fmt.Errorf("gfci: %s is no GFCI of the file", f.At)
		}
		if f.At == Panel {
			err = oneOf("state", f.State, "no-trip", "dead", "tripped")
		} else {
			err = oneOf("state", f.State, "no-trip", "dead", "tripped", "line-load-swapped")
		}
	case BreakerAt:
		if f.At != Panel {
			return fmt.Errorf("breaker: at %s, want %s", f.At, Panel)
		}
		err = oneOf("state", f.State, "off", "tripped")
	}
	if err != nil {
		return fmt.Errorf("%s: %w", f.Kind, err)
	}
	return nil
}

func (c *Circuit) checkSwap(f Fault) error {
	if !strings.Contains(f.At, "@") {
		if v, _ := c.Device(f.At); v == nil {
			return fmt.Errorf("%s is neither a device nor a cable end", f.At)
		}
		return nil
	}
	end, err := c.ParseCableEnd(f.At)
	if err != nil {
		return err
	}
	a, b := f.Pair.Ends()
	for _, k := range []Conductor{a, b} {
		if !c.Cable(end.Owner).Has(k) {
			return fmt.Errorf("%s: cable %s has no %s", f.At, end.Owner, k)
		}
	}
	return nil
}

func (c *Circuit) checkMove(f Fault) error {
	from, err := c.ParsePoint(f.At, "")
	if err != nil {
		return err
	}
	if from.Kind != CableEndPoint {
		return fmt.Errorf("%s: only a conductor end moves", f.At)
	}
	to, err := c.ParsePoint(f.To, from.At)
	if err != nil {
		return err
	}
	if c.boxOf(to) != from.At {
		return fmt.Errorf("%s: moved to %s, which is in another box", f.At, f.To)
	}
	if !to.Lands() || to == from {
		return fmt.Errorf("%s: cannot land on %s", f.At, f.To)
	}
	return nil
}

func (c *Circuit) checkAtDevice(f Fault) error {
	id, onLoad := strings.CutSuffix(f.At, ".load")
	v, _ := c.Device(id)
	switch {
	case v == nil:
		return fmt.Errorf("%s is no device of the file", f.At)
	case onLoad && (v.Kind != GFCI || f.Kind != Bonded):
		return fmt.Errorf("%s: only a GFCI has a load side to bond at", f.At)
	}
	return nil
}
