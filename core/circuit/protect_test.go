package circuit_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
)

func TestWhatIsProtected(t *testing.T) {
	c := circuit.New("protected")
	for _, stop := range []circuit.NewStop{
		{After: circuit.Panel, Ground: true}, {After: "B1", Ground: true, GFCI: true}, {After: "B2", Ground: true}, {After: "B2", Ground: true},
	} {
		require.NoError(t, c.AddStop(stop))
	}
	protected := func() map[string][]string {
		got := map[string][]string{}
		for _, s := range c.Stops() {
			got[s.Box] = s.Protected
		}
		return got
	}
	assert.Equal(t, map[string][]string{"B1": {}, "B2": {}, "B3": {"G1"}, "B4": {"G1"}}, protected())

	c.Boxes[1].Makeup, c.Boxes[1].Load = circuit.Pigtail, []string{"W3"}
	require.NoError(t, c.Check())
	assert.Equal(
		t,
		map[string][]string{"B1": {}, "B2": {}, "B3": {"G1"}, "B4": {}},
		protected(),
		"what is spliced with the line is not",
	)

	c.Breaker.Protection = circuit.GFCIBreaker
	c.Boxes[1].Devices[0].Tripped = true
	assert.Equal(t, []string{"panel", "G1"}, protected()["B3"], "tripped or not")
	assert.Equal(t, []string{"panel"}, protected()["B1"])
}

func TestSplitDevices(t *testing.T) {
	c, err := circuit.Parse([]byte(`{
  "format": "elvat-circuit/1", "name": "split", "breaker": { "label": "1", "amps": 20, "poles": 2 },
  "cables": [ { "id": "W1", "from": "panel", "to": "B1", "awg": 12, "feet": 30, "conductors": ["hot", "hot2", "neutral", "ground"] },
    { "id": "W2", "from": "B1", "to": "B2", "awg": 12, "feet": 30, "conductors": ["hot", "neutral", "ground"] } ],
  "boxes": [ { "id": "B1", "label": "Both", "devices": [ { "id": "R1", "kind": "receptacle", "amps": 15, "tab": { "hot": "removed" } } ],
    "wiring": [ ["W1@B1.hot", "R1.hot.1"], ["W1@B1.hot2", "R1.hot.2"], ["W1@B1.neutral", "R1.neutral.1"], ["W1@B1.ground", "R1.ground"], ["R1.hot.1", "W2@B1.hot"] ] },
    { "id": "B2", "label": "One", "devices": [ { "id": "R2", "kind": "receptacle", "amps": 15 } ] } ] }`))
	require.NoError(t, err)
	stops := c.Stops()
	assert.Equal(t, []string{"R1"}, stops[0].Split)
	assert.Empty(t, stops[1].Split)
	w, err := circuit.Wire(c)
	require.NoError(t, err)
	f := w.Feeds()
	assert.Equal(t, circuit.Hot2, f.Leg("R1.bottom.hot"))
	assert.Equal(t, circuit.Hot, f.Leg("R2.bottom.hot"))
	assert.Empty(t, f.Leg("R2.top.neutral"))
}

func TestLoads(t *testing.T) {
	c := circuit.New("loads")
	require.NoError(t, c.AddStop(circuit.NewStop{After: circuit.Panel, Ground: true}))
	require.NoError(t, c.AddLoad("R1", circuit.Bottom, 60))
	assert.Equal(t, []circuit.Load{{ID: "L1", At: "R1", Half: circuit.Bottom, Watts: 60, On: true}}, c.Loads)
	assert.ErrorContains(t, c.Clone().AddLoad("R9", circuit.Top, 60), "plugged in at R9")
	assert.ErrorContains(t, c.Clone().AddLoad("R1", circuit.Top, 0), "watts: 0 is impossible")
	require.NoError(t, c.RemoveLoad("L1"))
	assert.Empty(t, c.Loads)
	assert.ErrorContains(t, c.RemoveLoad("L1"), "not on this circuit")
}

func TestGFCIPutInAndTakenOut(t *testing.T) {
	c := circuit.New("gfci")
	require.NoError(t, c.AddStop(circuit.NewStop{After: circuit.Panel, Ground: true}))
	yes, no := true, false
	require.NoError(t, c.ChangeStop("B1", circuit.StopChange{GFCI: &yes}))
	assert.Equal(t, circuit.GFCI, c.Boxes[0].Devices[0].Kind)
	require.NoError(t, c.ChangeStop("B1", circuit.StopChange{GFCI: &no}))
	assert.Equal(t, circuit.Receptacle, c.Boxes[0].Devices[0].Kind)
}
