package makeup

import (
	"fmt"
	"slices"

	"elvat/core/circuit"
)

// FromRun is a box as the run knows it, before anyone has looked into it. What
// the run does not tell is left open. sure says whether it is known which cable
// feeds the box.
func FromRun(run *circuit.Circuit, id string, sure bool) (*Box, error) {
	there := run.Box(id)
	if there == nil {
		return nil, fmt.Errorf("box %s: not on the run", id)
	}
	b := &Box{Format: BoxFormat, ID: id, Box: Enclosure{Material: there.Material}, Cables: []Cable{}}
	b.Breaker = Breaker{Amps: run.Breaker.Amps, Poles: run.Breaker.Poles, Protection: ProtectionUnknown}
	if run.Breaker.Protection != circuit.NoProtection {
		b.Breaker.Protection = run.Breaker.Protection // a plain one is what a run is drawn with
	}
	if len(run.Boxes) > 1 {
		others := true
		b.Breaker.OtherOutlets = &others
	}
	if there.Bonded {
		bonded := true
		b.Box.Bonded = &bonded
	}
	for _, cable := range run.Cables {
		c := Cable{
			ID:         cable.ID,
			AWG:        cable.AWG,
			Conductors: slices.Clone(cable.Conductors),
			Role:       Unknown,
			Protect:    ProtectUnknown,
		}
		switch id {
		case cable.To:
			c.Serves = run.LabelOf(cable.From)
			if sure {
				c.Role = Line
			}
		case cable.From:
			c.Serves = run.LabelOf(cable.To)
			if sure {
				c.Role = Outgoing
			}
		default:
			continue
		}
		b.Cables = append(b.Cables, c)
	}
	slices.SortStableFunc(b.Cables, func(x, y Cable) int {
		switch {
		case x.Role == y.Role:
			return 0
		case x.Role == Line:
			return -1
		default:
			return 1
		}
	})
	if len(there.Devices) == 0 {
		return b, b.Check()
	}
	v := there.Devices[0]
	b.Existing = &Existing{
		ID:         v.ID,
		Kind:       v.Kind,
		Slots:      v.Slots,
		Tab:        v.Tab,
		Generation: v.Generation,
		Wiring:     slices.Clone(there.Wiring),
	}
	if there.Wiring != nil && len(there.Devices) > 1 {
		b.Existing.Wiring = nil // it names the other devices, of which nothing more is known
	}
	b.Device = &Device{ID: v.ID, Kind: string(v.Kind), Amps: v.Amps, Slots: v.Slots, Tab: v.Tab}
	for _, other := range there.Devices[1:] {
		b.Others = append(
			b.Others,
			Device{ID: other.ID, Kind: string(other.Kind), Amps: other.Amps, Slots: other.Slots, Tab: other.Tab},
		)
	}
	return b, b.Check()
}
