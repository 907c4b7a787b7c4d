package tester_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/draw"
	"elvat/core/tester"
)

// TestFace: one look shows what each tester shows that is put on by itself.
func TestFace(t *testing.T) {
	kinds := []circuit.FaultKind{
		circuit.Open,
		circuit.Open,
		circuit.Swapped,
		circuit.Bonded,
		circuit.Resistive,
		circuit.Moved,
		circuit.GFCIFault,
		circuit.Leak,
	}
	for seed := range uint64(60) {
		r := rand.New(rand.NewPCG(seed, 5))
		c := draw.Circuit(r, draw.Options{Boxes: 1 + r.IntN(6)})
		b := bench(t, c)
		k, err := b.Try(draw.Faults(r, c, 1+r.IntN(2), kinds...))
		require.NoError(t, err)
		near := func(want, got float64, what string) {
			if want == want || got == got { // both unread is the same
				assert.InDelta(t, want, got, 1e-3+1e-6*want, "seed %d, %s", seed, what)
			}
		}
		for _, o := range b.Outlets() {
			f := k.Face(o)
			for i, name := range tester.VoltNames {
				near(k.MeterVolts(o, i, tester.HighZ), f.High[i], name)
				near(k.MeterVolts(o, i, tester.LowZ), f.Low[i], name)
			}
			lamps, slots := k.LampVolts(o), k.SensorVolts(o)
			for i := range 3 {
				near(lamps[i], f.Lamps[i], "lamp")
				near(slots[i], f.Sensor[i], "slot")
			}
			near(k.TestLampVolts(o), f.Lamp, "test lamp")
			near(k.YokeVolts(o), f.Yoke, "yoke")
			near(k.TouchVolts(o), f.Touch, "touch")
		}
	}
}
