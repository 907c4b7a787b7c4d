package fault

import (
	"fmt"
	"strings"

	"elvat/core/circuit"
)

// Name is what the trade calls the faults together.
func Name(c *circuit.Circuit, faults []circuit.Fault) string {
	switch {
	case len(faults) == 0:
		return "nothing wrong"
	case isReverseBootleg(faults):
		return "reverse bootleg"
	}
	names := make([]string, len(faults))
	for i, f := range faults {
		names[i] = nameOne(c, f)
	}
	return strings.Join(names, " and ")
}

// isReverseBootleg finds hot and neutral exchanged with neutral and ground
// joined at the same device, with or without an open ground above it.
func isReverseBootleg(faults []circuit.Fault) bool {
	swapped, bonded := "", ""
	for _, f := range faults {
		switch {
		case f.Kind == circuit.Swapped && f.Pair == circuit.HotNeutral:
			swapped = f.At
		case f.Kind == circuit.Bonded && f.Pair == circuit.NeutralGround:
			bonded = f.At
		}
	}
	return swapped != "" && swapped == bonded
}

func nameOne(c *circuit.Circuit, f circuit.Fault) string {
	switch f.Kind {
	case circuit.Open:
		return "open " + conductorAt(c, f.At)
	case circuit.Resistive:
		return "loose " + conductorAt(c, f.At)
	case circuit.Swapped:
		switch f.Pair {
		case circuit.HotNeutral:
			return "reversed polarity"
		case circuit.HotGround:
			return "hot and ground reversed"
		default:
			return "neutral and ground exchanged"
		}
	case circuit.Bonded:
		if f.Pair == circuit.NeutralGround {
			return "bootleg ground"
		}
		return "short, " + strings.ReplaceAll(string(f.Pair), "-", " to ")
	case circuit.Moved:
		return fmt.Sprintf("%s landed on %s", conductorAt(c, f.At), landing(c, f))
	case circuit.Touching:
		return "bare wire touching, " + strings.ReplaceAll(string(f.Pair), "-", " to ")
	case circuit.Leak:
		return "leakage to ground"
	case circuit.GFCIFault:
		switch f.State {
		case "no-trip":
			return "GFCI that cannot trip"
		case "dead":
			return "dead GFCI"
		case "line-load-swapped":
			return "line and load exchanged"
		default:
			return "tripped GFCI"
		}
	case circuit.BreakerAt:
		return "breaker " + f.State
	}
	return string(f.Kind)
}

func conductorAt(c *circuit.Circuit, at string) string {
	p, err := c.ParsePoint(at, "")
	if err != nil {
		return "connection"
	}
	if p.Kind == circuit.SplicePoint {
		return strings.TrimSuffix(p.Name, "2")
	}
	return strings.TrimSuffix(string(p.Conductor), "2")
}

// landing names the wrong place a moved conductor is on.
func landing(c *circuit.Circuit, f circuit.Fault) string {
	from, err := c.ParsePoint(f.At, "")
	if err != nil {
		return f.To
	}
	to, err := c.ParsePoint(f.To, from.At)
	switch {
	case err != nil:
		return f.To
	case to.Kind == circuit.SplicePoint:
		return "the " + to.Name + " splice"
	case to.Kind == circuit.MetalPoint:
		return "the box"
	case to.Kind == circuit.CableEndPoint:
		return fmt.Sprintf("the %s of cable %s", to.Conductor, to.Owner)
	default:
		return fmt.Sprintf("the %s terminal", to.Conductor)
	}
}

// Site is the box, the cable or the panel that a fault is in: where one has to
// look for it.
func Site(c *circuit.Circuit, faults []circuit.Fault) string {
	if len(faults) == 0 {
		return ""
	}
	f := faults[0]
	if c.Box(f.At) != nil || f.At == circuit.Panel {
		return f.At
	}
	if _, box := c.Device(strings.TrimSuffix(f.At, ".load")); box != nil {
		return box.ID
	}
	if end, err := c.ParseCableEnd(f.At); err == nil {
		return end.At
	}
	p, err := c.ParsePoint(f.At, "")
	if err != nil {
		return ""
	}
	switch p.Kind {
	case circuit.CableEndPoint:
		return p.At
	case circuit.TerminalPoint, circuit.SlotPoint, circuit.TabPoint:
		_, box := c.Device(p.Owner)
		return box.ID
	default:
		return p.Owner // a splice's or metal box's box, a bar's panel, a whole conductor's cable
	}
}

// Place says in words where the first of the faults is.
func Place(c *circuit.Circuit, faults []circuit.Fault) string {
	if len(faults) == 0 {
		return ""
	}
	f := faults[0]
	if f.Kind == circuit.BreakerAt {
		return "in the panel"
	}
	if end, err := c.ParseCableEnd(f.At); err == nil {
		return atEnd(c, end)
	}
	if p, err := c.ParsePoint(f.At, ""); err == nil {
		switch p.Kind {
		case circuit.CableEndPoint:
			return atEnd(c, p)
		case circuit.ConductorPoint:
			cable := c.Cable(p.Owner)
			return fmt.Sprintf("inside the cable from %s to %s", c.LabelOf(cable.From), c.LabelOf(cable.To))
		case circuit.SlotPoint:
			return fmt.Sprintf("at %s, %s slot contact of the %s half", c.LabelOf(Site(c, faults)), p.Conductor, p.Name)
		case circuit.TabPoint:
			return fmt.Sprintf("at %s, %s tab", c.LabelOf(Site(c, faults)), p.Conductor)
		case circuit.SplicePoint:
			return fmt.Sprintf("at %s, the %s splice", c.LabelOf(p.Owner), p.Name)
		case circuit.TerminalPoint:
			return fmt.Sprintf("at %s, %s", c.LabelOf(Site(c, faults)), terminalWords(p))
		}
	}
	return "at " + c.LabelOf(Site(c, faults))
}

// terminalWords says which terminal, in the words printed or seen on devices.
func terminalWords(p circuit.Point) string {
	switch part, rest, _ := strings.Cut(p.Name, "."); {
	case p.Conductor == circuit.Ground:
		return "the ground screw"
	case rest == "2":
		return fmt.Sprintf("the second %s terminal", p.Conductor)
	case rest == "1":
		return fmt.Sprintf("the first %s terminal", p.Conductor)
	default:
		return fmt.Sprintf("the %s terminal, %s side", p.Conductor, part)
	}
}

func atEnd(c *circuit.Circuit, end circuit.Point) string {
	cable := c.Cable(end.Owner)
	if end.At == cable.To {
		return fmt.Sprintf("at %s, end of the cable from %s", c.LabelOf(end.At), c.LabelOf(cable.From))
	}
	return fmt.Sprintf("at %s, end of the cable to %s", c.LabelOf(end.At), c.LabelOf(cable.To))
}
