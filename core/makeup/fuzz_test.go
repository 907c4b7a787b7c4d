package makeup

import (
	"encoding/json"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/practice"
	"elvat/core/strict"
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

// FuzzPlan: a plan of whatever can be planned names only what is in the box, says the same when
// it is made again, and its proof ends.
func FuzzPlan(f *testing.F) {
	for seed := range uint64(24) {
		data, err := drawBox(rand.New(rand.NewPCG(seed, 31))).Encode()
		require.NoError(f, err)
		f.Add(data)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		b, err := Parse(data)
		if err != nil {
			return
		}
		one, err := Make(b, practice.Shop{}, nil)
		require.NoError(t, err)
		two, err := Make(b, practice.Shop{}, nil)
		require.NoError(t, err)
		first, err := json.Marshal(one)
		require.NoError(t, err)
		second, err := json.Marshal(two)
		require.NoError(t, err)
		assert.Equal(t, string(first), string(second), "the same box, the same plan")
		require.NoError(t, strict.Sound(first))
	})
}
