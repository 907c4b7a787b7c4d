package diagnosis_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
)

// TestLearned: nothing below twenty boxes; from then on what is found more often
// than the table expects weighs more, what never is found less, by no more than
// the bound, and what the shop has set itself stays.
func TestLearned(t *testing.T) {
	c := bindery(t)
	reversed := []circuit.Fault{{Kind: circuit.Swapped, At: "R2", Pair: circuit.HotNeutral}}
	pushIns := diagnosis.Conditions{Boxes: map[string][]diagnosis.Condition{"B2": {diagnosis.PushIn}}}
	pushIn := []circuit.Fault{{Kind: circuit.Open, At: "W2@B2.hot"}}
	var l diagnosis.Learned
	weights := func(p diagnosis.Practice) diagnosis.Weights {
		s, err := p.Settings()
		require.NoError(t, err)
		s.Learn(&l, p)
		return s.Weights
	}
	usual := diagnosis.DefaultWeights
	for n := range 19 {
		require.NoError(t, l.Add(c, diagnosis.Conditions{}, reversed))
		assert.Equal(t, n+1, l.Boxes)
	}
	assert.Equal(t, usual, weights(diagnosis.Practice{}), "nineteen boxes change nothing")
	require.NoError(t, l.Add(c, diagnosis.Conditions{}, reversed))
	got := weights(diagnosis.Practice{})
	// Found 20 times where the table, by its own shares, expects few: (20 + 6) over (expected + 6).
	want := usual.SwapDevice.Value * (20 + 6) / (l.Expected["swapDevice"] + 6)
	assert.InDelta(t, want, got.SwapDevice.Value, 1e-9)
	assert.Greater(t, got.SwapDevice.Value, usual.SwapDevice.Value)
	assert.Less(t, got.OpenEnd.Value, usual.OpenEnd.Value, "never found")
	assert.Equal(t, usual.TwoFaults, got.TwoFaults, "shares are not learned")
	set := diagnosis.Practice{Weights: map[string]float64{"swapDevice": 0.3}}
	assert.InDelta(t, 0.3, weights(set).SwapDevice.Value, 0)

	for range 200 {
		require.NoError(t, l.Add(c, pushIns, pushIn))
	}
	got = weights(diagnosis.Practice{})
	assert.Greater(t, got.PushIn.Value, usual.PushIn.Value, "a condition learns as a kind does")
	assert.LessOrEqual(t, got.PushIn.Value, 5*usual.PushIn.Value)
	before := l.Boxes
	require.NoError(t, l.Add(c, pushIns, []circuit.Fault{{Kind: circuit.Moved, At: "W2@B2.hot", To: "B2.nowhere"}}))
	assert.Equal(t, before, l.Boxes, "what the table does not list is left out")

	sheet, err := diagnosis.Practice{}.Sheet(&l)
	require.NoError(t, err)
	assert.True(t, sheet.Learning.Used)
	for _, row := range sheet.Weights {
		if row.Key == "swapDevice" {
			assert.InDelta(t, 20, row.Found, 0)
			assert.NotZero(t, row.Learned)
		}
	}
}

// TestLearnedIsBounded: whatever is found, however often, no weight moves by
// more than five times, none becomes nothing, and the order of finds is the same
// to it.
func TestLearnedIsBounded(t *testing.T) {
	c := bindery(t)
	finds := []circuit.Fault{
		{Kind: circuit.Open, At: "W2@B2.hot"}, {Kind: circuit.Open, At: "W3@B3.neutral"}, {Kind: circuit.Swapped, At: "R2", Pair: circuit.HotNeutral},
		{Kind: circuit.Bonded, At: "R4", Pair: circuit.NeutralGround}, {Kind: circuit.Open, At: "R1.ground"},
	}
	usual := rows(t, nil)
	for _, times := range []int{1, 4, 5, 40, 300} {
		var forward, backward diagnosis.Learned
		for i := range finds {
			for range times {
				require.NoError(t, forward.Add(c, diagnosis.Conditions{}, finds[i:i+1]))
				require.NoError(t, backward.Add(c, diagnosis.Conditions{}, finds[len(finds)-1-i:len(finds)-i]))
			}
		}
		assert.Equal(t, forward.Boxes, backward.Boxes)
		assert.Equal(t, forward.Found, backward.Found, "the order is the same to it")
		got := rows(t, &forward)
		for key, value := range usual {
			if forward.Boxes < 20 {
				assert.InDelta(t, value, got[key], 0, "%s with %d boxes", key, forward.Boxes)
			}
			assert.GreaterOrEqual(t, got[key], value/5-1e-12, key)
			assert.LessOrEqual(t, got[key], value*5+1e-12, key)
		}
	}
}

// rows are the weights by their keys, as they stand after what was learned.
func rows(t *testing.T, l *diagnosis.Learned) map[string]float64 {
	s, err := diagnosis.Practice{}.Settings()
	require.NoError(t, err)
	if l != nil {
		s.Learn(l, diagnosis.Practice{})
	}
	data, err := json.Marshal(s.Weights)
	require.NoError(t, err)
	var all map[string]struct{ Value float64 }
	require.NoError(t, json.Unmarshal(data, &all))
	require.NotEmpty(t, all)
	values := map[string]float64{}
	for key, w := range all {
		values[key] = w.Value
	}
	return values
}
