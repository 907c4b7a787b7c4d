package trial

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
)

// line is three boxes in line with an open neutral at the middle one.
func line(t *testing.T, at string) *Case {
	c := circuit.New("line")
	for _, after := range []string{circuit.Panel, "B1", "B2"} {
		require.NoError(t, c.AddStop(circuit.NewStop{After: after, Ground: true}))
	}
	k := &Case{Circuit: c, Faults: []circuit.Fault{{Kind: circuit.Open, At: at}}}
	shown, err := k.complaints()
	require.NoError(t, err)
	k.Start = []circuit.Outlet{shown[0][0]}
	return k
}

// TestTheRuleByHand: 8.5 minutes a box with the way there, 11 for the panel
// (the product's own assumptions): from the last box that shows something,
// upstream.
func TestTheRuleByHand(t *testing.T) {
	for _, row := range []struct {
		at          string
		walk, bound float64
		boxes       int
	}{
		{"W3@B3.neutral", 8.5, 8.5, 1},
		{"W2@B2.neutral", 17, 8.5, 2},
		{"W2@B1.neutral", 25.5, 8.5, 3},
		{"W1@panel.neutral", 25.5 + 11, 11, 4},
	} {
		got := line(t, row.at).byTheRule(diagnosis.DefaultMinutes)
		assert.InDelta(t, row.walk, got.Walk, 1e-9, row.at)
		assert.InDelta(t, row.bound, got.Bound, 1e-9, row.at)
		assert.Equal(t, row.boxes, got.WalkBoxes, row.at)
	}
}

func TestOtherEnd(t *testing.T) {
	k := line(t, "W2@B1.neutral")
	assert.True(t, k.otherEnd("B2"))
	assert.True(t, k.otherEnd("B1"))
	assert.False(t, k.otherEnd("B3"))
}

func TestDrawnCases(t *testing.T) {
	two := 0
	for seed := range uint64(40) {
		k, err := Draw(seed)
		require.NoError(t, err)
		c := k.Circuit.Clone()
		c.Faults = k.Faults
		require.NoError(t, c.Check())
		shown, err := k.complaints()
		require.NoError(t, err)
		require.Len(t, k.Start, len(k.Faults))
		for i := range k.Faults {
			assert.Contains(t, shown[i], k.Start[i], "the complaint is of an outlet that shows something")
		}
		if len(k.Faults) == 2 {
			two++
		}
	}
	assert.NotZero(t, two)
	assert.Less(t, two, 25)
}

func TestSeedsShareNoCase(t *testing.T) {
	seen := map[uint64]bool{}
	for seed := range uint64(3) {
		for i := range 1000 {
			assert.False(t, seen[seedOf(seed, i)])
			seen[seedOf(seed, i)] = true
		}
	}
}

// TestLiveGroundBehindADeadOutlet: hot and ground exchanged at the panel look
// like a dead run; every ground pin on it is live, and is listed before the
// panel is opened.
func TestLiveGroundBehindADeadOutlet(t *testing.T) {
	k, err := Draw(seedOf(2, 202))
	require.NoError(t, err)
	require.Equal(t, []circuit.Fault{{Kind: circuit.Swapped, At: "W1@panel", Pair: circuit.HotGround}}, k.Faults)
	out, err := k.Solve(seedOf(2, 202))
	require.NoError(t, err)
	assert.Equal(t, 3, out.LiveYokes)
	assert.Zero(t, out.Unlisted)
}

// TestBetterThanTheRule on a small population; the figures of the large one are
// in docs/performance.md.
func TestBetterThanTheRule(t *testing.T) {
	progress := 0
	r, err := Run(24, 1, 2, func(int) { progress++ })
	require.NoError(t, err)
	assert.Equal(t, 24, r.Cases)
	assert.Equal(t, 24, progress)
	assert.Less(t, r.Minutes, 0.85*r.Walk)
	assert.GreaterOrEqual(t, r.Minutes, r.Bound, "nobody beats the bound")
	assert.Greater(t, r.FirstNear, 20)
	again, err := Run(24, 1, 1, func(int) {})
	require.NoError(t, err)
	assert.Equal(t, r, again, "the same seed, the same report")
	var out bytes.Buffer
	r.Write(&out)
	assert.Contains(t, out.String(), "of the walk's minutes")
	assert.Contains(t, out.String(), "90 to 100 %")
}
