package diagnosis_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
)

// TestThreeFaults: three at once are looked for where asked, and what is left
// once one of them is put right.
func TestThreeFaults(t *testing.T) {
	c := bindery(t)
	truth := []circuit.Fault{
		{Kind: circuit.Open, At: "W3@B3.ground"},
		{Kind: circuit.Swapped, At: "R5", Pair: circuit.HotNeutral},
		{Kind: circuit.Open, At: "R1.bottom.hot"},
	}
	readings := taken(t, c, truth, plug, "R1", "R2", "R3", "R4", "R5")
	p := map[bool]float64{}
	for _, three := range []bool{false, true} {
		settings := diagnosis.Defaults()
		settings.Three = three
		e, err := diagnosis.NewEngine(c, settings)
		require.NoError(t, err)
		got, err := e.Diagnose(readings)
		require.NoError(t, err)
		for _, s := range got.Suspects {
			if len(s.Faults)+len(s.Beside) == 3 { // a half that is dead may hang on a switch
				p[three] += s.Probability
			}
		}
		if three {
			assert.Equal(t, 3, len(got.Suspects[0].Faults)+len(got.Suspects[0].Beside))
			assert.Less(t, got.Unexplained, 0.2)
			again, err := e.Diagnose(readings)
			require.NoError(t, err)
			assert.Equal(t, got, again)
		}
	}
	assert.Zero(t, p[false])
	assert.Greater(t, p[true], 0.5)
}
