package draw_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/draw"
)

func TestDrawnCircuitsAreSound(t *testing.T) {
	kinds := []circuit.FaultKind{
		circuit.Open, circuit.Resistive, circuit.Swapped, circuit.Moved, circuit.Bonded, circuit.Touching, circuit.Leak, circuit.GFCIFault, circuit.BreakerAt,
	}
	seen := map[circuit.FaultKind]bool{}
	for seed := range uint64(300) {
		r := rand.New(rand.NewPCG(seed, 0))
		c := draw.Circuit(r, draw.Options{Boxes: 1 + int(seed%20), Plain: seed%2 == 0})
		require.Len(t, c.Boxes, 1+int(seed%20))
		c.Faults = draw.Faults(r, c, 2, kinds...)
		require.NoError(t, c.Check(), "seed %d", seed)
		for _, f := range c.Faults {
			seen[f.Kind] = true
		}
		data, err := c.Encode()
		require.NoError(t, err)
		again, err := circuit.Parse(data)
		require.NoError(t, err, "seed %d", seed)
		assert.Equal(t, c, again, "seed %d: what is written is what is read", seed)
	}
	assert.Len(t, seen, len(kinds))
}

func TestASeedNamesACircuit(t *testing.T) {
	draw7 := func() *circuit.Circuit {
		return draw.Circuit(rand.New(rand.NewPCG(7, 7)), draw.Options{Boxes: 9})
	}
	assert.Equal(t, draw7(), draw7())
}
