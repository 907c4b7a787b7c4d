package trial

import (
	"math/rand/v2"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/draw"
)

// How often faults are met where they are drawn without regard to the
// diagnosis' own weights: out of a hundred. Assumption, after common practice:
// terminations let go or turn loose far more often than anything else.
var apart = []struct {
	share float64
	fault func(r *rand.Rand, c *circuit.Circuit, box *circuit.Box, v *circuit.Device) circuit.Fault
}{
	{60, func(r *rand.Rand, c *circuit.Circuit, box *circuit.Box, _ *circuit.Device) circuit.Fault {
		return circuit.Fault{Kind: circuit.Open, At: anEnd(r, c, box)}
	}},
	{10, func(r *rand.Rand, c *circuit.Circuit, box *circuit.Box, _ *circuit.Device) circuit.Fault {
		return circuit.Fault{Kind: circuit.Resistive, At: anEnd(r, c, box), Ohms: []float64{2, 20, 200, 2000}[r.IntN(4)]}
	}},
	{8, func(_ *rand.Rand, _ *circuit.Circuit, _ *circuit.Box, v *circuit.Device) circuit.Fault {
		return circuit.Fault{Kind: circuit.Swapped, At: v.ID, Pair: circuit.HotNeutral}
	}},
	{4, func(r *rand.Rand, c *circuit.Circuit, box *circuit.Box, _ *circuit.Device) circuit.Fault {
		return circuit.Fault{Kind: circuit.Swapped, At: aCable(r, c, box).ID + "@" + box.ID, Pair: circuit.HotNeutral}
	}},
	{7, func(r *rand.Rand, _ *circuit.Circuit, _ *circuit.Box, v *circuit.Device) circuit.Fault {
		half := circuit.Halves[r.IntN(2)]
		return circuit.Fault{Kind: circuit.Open, At: v.ID + "." + string(half) + "." + []string{"hot", "neutral"}[r.IntN(2)]}
	}},
	{4, func(_ *rand.Rand, _ *circuit.Circuit, _ *circuit.Box, v *circuit.Device) circuit.Fault {
		return circuit.Fault{Kind: circuit.Open, At: v.ID + ".ground"}
	}},
	{4, func(_ *rand.Rand, _ *circuit.Circuit, _ *circuit.Box, v *circuit.Device) circuit.Fault {
		return circuit.Fault{Kind: circuit.Bonded, At: v.ID, Pair: circuit.NeutralGround, Ohms: 0.02}
	}},
	{1, func(_ *rand.Rand, _ *circuit.Circuit, _ *circuit.Box, v *circuit.Device) circuit.Fault {
		return circuit.Fault{Kind: circuit.Bonded, At: v.ID, Pair: circuit.HotNeutral, Ohms: 0.02}
	}},
	{2, func(r *rand.Rand, c *circuit.Circuit, box *circuit.Box, v *circuit.Device) circuit.Fault {
		return circuit.Fault{Kind: circuit.Moved, At: aCable(r, c, box).ID + "@" + box.ID + ".neutral", To: v.ID + ".hot.1"}
	}},
}

// drawApart draws n faults that can be on the circuit, each at a box as likely
// as what is known of it makes it by common practice.
func drawApart(r *rand.Rand, c *circuit.Circuit, known diagnosis.Conditions, n int) []circuit.Fault {
	var faults []circuit.Fault
	for len(faults) < n {
		total := 0.0
		for _, row := range apart {
			total += row.share
		}
		u := r.Float64() * total
		row := 0
		for u >= apart[row].share {
			u -= apart[row].share
			row++
		}
		box := aBox(r, c, known)
		f := apart[row].fault(r, c, box, &box.Devices[r.IntN(len(box.Devices))])
		if c.CheckFault(f) == nil && draw.Lands(c, f) {
			faults = append(faults, f)
		}
	}
	return faults
}

// aBox draws a box: by common practice likelier where push-ins, heavy loads,
// work done lately, warmth or cables fed through a device are.
func aBox(r *rand.Rand, c *circuit.Circuit, known diagnosis.Conditions) *circuit.Box {
	return &c.Boxes[pick(r, boxWeights(c, known))]
}

// boxWeights are how likely something is wrong in each box. Assumption, after
// common practice; no table of the diagnosis.
func boxWeights(c *circuit.Circuit, known diagnosis.Conditions) []float64 {
	raises := map[diagnosis.Condition]float64{
		diagnosis.PushIn: 4, diagnosis.Heavy: 2.5, diagnosis.Worked: 3, diagnosis.Outdoors: 1.5, diagnosis.Warm: 5, diagnosis.Worn: 1.5,
	}
	weights := make([]float64, len(c.Boxes))
	for i, box := range c.Boxes {
		weights[i] = 1
		for _, condition := range known.Boxes[box.ID] {
			weights[i] *= raises[condition]
		}
		if box.Makeup == circuit.FeedThrough && len(c.Outgoing(box.ID)) > 0 {
			weights[i] *= 1.5
		}
	}
	return weights
}

func aCable(r *rand.Rand, c *circuit.Circuit, box *circuit.Box) *circuit.Cable {
	if out := c.Outgoing(box.ID); len(out) > 0 && r.IntN(2) == 0 {
		return c.Cable(out[r.IntN(len(out))].ID)
	}
	return c.LineCable(box.ID)
}

func anEnd(r *rand.Rand, c *circuit.Circuit, box *circuit.Box) string {
	cable := aCable(r, c, box)
	return cable.ID + "@" + box.ID + "." + string(cable.Conductors[r.IntN(len(cable.Conductors))])
}
