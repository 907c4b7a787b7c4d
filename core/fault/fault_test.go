package fault_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/fault"
)

func run(t *testing.T, makeup circuit.Makeup) *circuit.Circuit {
	c := circuit.New("run")
	for _, stop := range []circuit.NewStop{
		{After: circuit.Panel, Label: "Press", Ground: true}, {After: "B1", Label: "Bench", Ground: true}, {After: "B2", Label: "Sink", Ground: true},
	} {
		require.NoError(t, c.AddStop(stop))
	}
	for i := range c.Boxes {
		c.Boxes[i].Makeup = makeup
	}
	return c
}

func TestNamesAndPlaces(t *testing.T) {
	c := run(t, circuit.Pigtail)
	hn := circuit.HotNeutral
	for _, row := range []struct {
		faults            []circuit.Fault
		name, site, place string
	}{
		{nil, "nothing wrong", "", ""},
		{[]circuit.Fault{{Kind: circuit.Open, At: "W2@B1.neutral"}}, "open neutral", "B1", "at Press, end of the cable to Bench"},
		{[]circuit.Fault{{Kind: circuit.Open, At: "W2@B2.ground"}}, "open ground", "B2", "at Bench, end of the cable from Press"},
		{[]circuit.Fault{{Kind: circuit.Open, At: "W2.hot"}}, "open hot", "W2", "inside the cable from Press to Bench"},
		{[]circuit.Fault{{Kind: circuit.Open, At: "W1@panel.hot"}}, "open hot", "panel", "at the panel, end of the cable to Press"},
		{[]circuit.Fault{{Kind: circuit.Resistive, At: "R2.top.hot", Ohms: 2}}, "loose hot", "B2", "at Bench, hot slot contact of the top half"},
		{[]circuit.Fault{{Kind: circuit.Open, At: "R2.tab.neutral"}}, "open neutral", "B2", "at Bench, neutral tab"},
		{[]circuit.Fault{{Kind: circuit.Open, At: "B2.splice:hot"}}, "open hot", "B2", "at Bench, the hot splice"},
		{[]circuit.Fault{{Kind: circuit.Swapped, At: "R1", Pair: hn}}, "reversed polarity", "B1", "at Press"},
		{[]circuit.Fault{{Kind: circuit.Swapped, At: "W3@B3", Pair: hn}}, "reversed polarity", "B3", "at Sink, end of the cable from Bench"},
		{[]circuit.Fault{{Kind: circuit.Bonded, At: "R3", Pair: circuit.NeutralGround}}, "bootleg ground", "B3", "at Sink"},
		{[]circuit.Fault{{Kind: circuit.Swapped, At: "R3", Pair: hn}, {Kind: circuit.Bonded, At: "R3", Pair: circuit.NeutralGround}}, "reverse bootleg", "B3", "at Sink"},
		{[]circuit.Fault{{Kind: circuit.Swapped, At: "R3", Pair: circuit.HotGround}}, "hot and ground reversed", "B3", "at Sink"},
		{[]circuit.Fault{{Kind: circuit.BreakerAt, At: circuit.Panel, State: "tripped"}}, "breaker tripped", "panel", "in the panel"},
		{[]circuit.Fault{{Kind: circuit.Moved, At: "W2@B2.hot", To: "B2.splice:neutral"}}, "hot landed on the neutral splice", "B2", "at Bench, end of the cable from Press"},
	} {
		assert.Equal(t, row.name, fault.Name(c, row.faults))
		assert.Equal(t, row.site, fault.Site(c, row.faults), row.name)
		assert.Equal(t, row.place, fault.Place(c, row.faults), row.name)
	}
}

// lands lists where the joint of a named point ends up.
func lands(w *circuit.Wired, point string) []string {
	id, _ := w.Find(point)
	var on []string
	for _, i := range w.TerminationsAt(id) {
		j := w.Joints[i]
		other := j.A
		if other == id {
			other = j.B
		}
		on = append(on, w.Names[other])
	}
	return on
}

func TestWhereWiresLand(t *testing.T) {
	for _, row := range []struct {
		name   string
		faults []circuit.Fault
		want   map[string]string
	}{
		{"at a device what feeds on through it stays right", []circuit.Fault{{Kind: circuit.Swapped, At: "R2", Pair: circuit.HotNeutral}},
			map[string]string{"W2@B2.hot": "R2.neutral.1", "W3@B2.hot": "R2.neutral.2", "W2@B2.neutral": "R2.hot.1"}},
		{"at a cable end all that the cable serves is exchanged", []circuit.Fault{{Kind: circuit.Swapped, At: "W3@B2", Pair: circuit.HotNeutral}},
			map[string]string{"W3@B2.hot": "R2.neutral.2", "W3@B2.neutral": "R2.hot.2", "W2@B2.hot": "R2.hot.1"}},
		{"in file order each swap takes what then lands there", []circuit.Fault{
			{Kind: circuit.Swapped, At: "R3", Pair: circuit.HotGround}, {Kind: circuit.Swapped, At: "R3", Pair: circuit.HotNeutral},
		}, map[string]string{"W3@B3.hot": "R3.ground", "W3@B3.ground": "R3.neutral.1", "W3@B3.neutral": "R3.hot.1"}},
		{"moved", []circuit.Fault{{Kind: circuit.Moved, At: "W3@B2.neutral", To: "splice:ground"}}, map[string]string{"W3@B2.neutral": "B2.splice:ground"}},
	} {
		t.Run(row.name, func(t *testing.T) {
			w, err := fault.Wire(run(t, circuit.FeedThrough), row.faults)
			require.NoError(t, err)
			for point, want := range row.want {
				assert.Equal(t, []string{want}, lands(w, point), point)
			}
		})
	}
}

func TestAFaultThatHasNothingToActOn(t *testing.T) {
	_, err := fault.Wire(run(t, circuit.FeedThrough), []circuit.Fault{{Kind: circuit.Open, At: "B1.splice:hot"}})
	assert.ErrorContains(t, err, "open at B1.splice:hot: B1.splice:hot: nothing lands there")
}
