package makeup

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/practice"
)

// FuzzParse: whatever stands in a box file, it is refused with a reason or
// planned, and a box that was read is written and read back the same.
func FuzzParse(f *testing.F) {
	for seed := range uint64(12) {
		data, err := drawBox(rand.New(rand.NewPCG(seed, 9))).Encode()
		require.NoError(f, err)
		f.Add(data)
	}
	f.Add([]byte(`{`))
	f.Add(
		[]byte(
			`{ "format": "elvat-box/1", "id": "B1", "breaker": { "amps": 20 }, "box": {}, "cables": [], "device": { "id": "D1", "kind": "gfci", "amps": 20 } }`,
		),
	)
	f.Add(
		[]byte(
			`{ "format": "elvat-box/1", "id": "B1", "breaker": { "amps": 20 }, "box": {}, "cables": [], "existing": { "kind": "gfci", "wiring": [["B1.box", "B1.box"]] } }`,
		),
	)
	f.Fuzz(func(t *testing.T, data []byte) {
		b, err := Parse(data)
		if err != nil {
			assert.NotEmpty(t, err.Error())
			return
		}
		_, err = Make(b, practice.Shop{}, nil)
		require.NoError(t, err)
		again, err := b.Encode()
		require.NoError(t, err)
		back, err := Parse(again)
		require.NoError(t, err, string(again))
		assert.Equal(t, b, back)
	})
}
