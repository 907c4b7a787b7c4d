package diagnosis_test

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/draw"
	"elvat/core/tester"
)

// TestTwoFaults: two at once, at places that hide nothing of each other and at
// places that do, are found as a pair.
func TestTwoFaults(t *testing.T) {
	devices := []string{"R1", "R2", "R3", "R4", "R5"}
	open := func(at string) circuit.Fault { return circuit.Fault{Kind: circuit.Open, At: at} }
	reversed := func(at string) circuit.Fault {
		return circuit.Fault{Kind: circuit.Swapped, At: at, Pair: circuit.HotNeutral}
	}
	for _, row := range []struct {
		name   string
		faults []circuit.Fault
		sites  []string
	}{
		{"apart", []circuit.Fault{open("R5.ground"), reversed("R1")}, []string{"B1"}},
		{"a reversal behind an open ground", []circuit.Fault{open("W3@B3.ground"), reversed("R4")}, []string{"B4"}},
		{"two reversals", []circuit.Fault{reversed("R2"), reversed("R4")}, []string{"B2", "B4"}},
		{"an open neutral behind a reversed cable end", []circuit.Fault{{Kind: circuit.Swapped, At: "W3@B2", Pair: circuit.HotNeutral}, open("W4@B4.neutral")}, []string{"B3"}},
	} {
		t.Run(row.name, func(t *testing.T) {
			c := bindery(t)
			got := diagnose(t, c, taken(t, c, row.faults, []tester.Tool{tester.Plug, tester.Meter, tester.Sensor}, devices...))
			first := got.Suspects[0]
			assert.Len(t, first.Faults, 2, "%s %s", first.Name, first.Place)
			assert.Contains(t, first.Why, "fits all")
			assert.Contains(t, first.Why, "two faults at once")
			for _, site := range row.sites {
				i := slices.IndexFunc(got.Sites, func(s diagnosis.Site) bool { return s.Site == site })
				require.GreaterOrEqual(t, i, 0, "%v", got.Sites)
				assert.Greater(t, got.Sites[i].Probability, 0.25, "%s: %v", site, got.Sites)
			}
		})
	}
}

// TestMoreReadingsMorePairs: the pairs that joined at one diagnosis do not
// change what a fresh engine makes of the same readings.
func TestMoreReadingsMorePairs(t *testing.T) {
	c := bindery(t)
	faults := []circuit.Fault{
		{Kind: circuit.Open, At: "W4@B3.neutral"},
		{Kind: circuit.Swapped, At: "R1", Pair: circuit.HotNeutral},
	}
	readings := taken(t, c, faults, []tester.Tool{tester.Plug, tester.Sensor}, "R1", "R3", "R4")
	grown := engine(t, c)
	for n := range readings {
		_, err := grown.Diagnose(readings[:n])
		require.NoError(t, err)
	}
	step, err := grown.Diagnose(readings)
	require.NoError(t, err)
	fresh := diagnose(t, c, readings)
	assert.Equal(t, fresh.Suspects[0].Name, step.Suspects[0].Name)
	assert.InDelta(t, fresh.Suspects[0].Probability, step.Suspects[0].Probability, 0.05)
	assert.InDelta(t, fresh.Sites[0].Probability, step.Sites[0].Probability, 0.05)
}

// TestOneFaultStaysOne: where one fault explains everything, two do not push it aside.
func TestOneFaultStaysOne(t *testing.T) {
	c := bindery(t)
	r := rand.New(rand.NewPCG(3, 3))
	for range 10 {
		faults := draw.Faults(r, c, 1, circuit.Open, circuit.Swapped)
		got := diagnose(t, c, taken(t, c, faults, []tester.Tool{tester.Plug, tester.Meter}, "R1", "R2", "R3", "R4", "R5"))
		assert.LessOrEqual(t, len(got.Suspects[0].Faults), 1, "%v taken for %v", faults, got.Suspects[0].Faults)
	}
}

// TestAlikeNamesOtherSuspects: a fault is not said to be untold from itself with
// a second one that shows nowhere.
func TestAlikeNamesOtherSuspects(t *testing.T) {
	c := bindery(t)
	open := []circuit.Fault{{Kind: circuit.Open, At: "W3@B2.neutral"}}
	got := diagnose(t, c, taken(t, c, open, plug, "R2", "R3"))
	require.Equal(t, open, got.Suspects[0].Faults)
	assert.NotEmpty(t, got.Suspects[0].Alike)
	for _, other := range got.Suspects[0].Alike {
		assert.NotContains(t, other, open[0])
	}
}

// BenchmarkTwentyReadings is one and two faults on a 12-box run with 20 readings.
func BenchmarkTwentyReadings(b *testing.B) {
	c := draw.Circuit(rand.New(rand.NewPCG(12, 12)), draw.Options{Boxes: 12, Plain: true})
	var devices []string
	for _, box := range c.Boxes {
		devices = append(devices, box.Devices[0].ID)
	}
	faults := draw.Faults(rand.New(rand.NewPCG(5, 5)), c, 2, circuit.Open, circuit.Swapped)
	readings := taken(b, c, faults, []tester.Tool{tester.Plug, tester.Sensor}, devices...)[:20]
	for b.Loop() {
		if _, err := engine(b, c).Diagnose(readings); err != nil {
			b.Fatal(err)
		}
	}
}

// TestHistoryDoesNotMatter: what was asked before changes nothing of an answer.
func TestHistoryDoesNotMatter(t *testing.T) {
	c := bindery(t)
	one := taken(t, c, []circuit.Fault{{Kind: circuit.Open, At: "W3@B2.hot"}}, plug, "R1", "R3")
	other := taken(
		t,
		c,
		[]circuit.Fault{{Kind: circuit.Swapped, At: "R4", Pair: circuit.HotNeutral}},
		[]tester.Tool{tester.Plug, tester.Meter},
		"R2",
		"R4",
	)
	e := engine(t, c)
	for _, readings := range [][]tester.Reading{other, one, nil, one[:1], other[:2], one} {
		got, err := e.Diagnose(readings)
		require.NoError(t, err)
		assert.Equal(t, diagnose(t, c, readings), got)
	}
}
