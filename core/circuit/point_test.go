package circuit_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
)

// points is a circuit with a receptacle, a GFCI and a metal box.
func points(t *testing.T) *circuit.Circuit {
	c, err := circuit.Parse([]byte(`{
  "format": "elvat-circuit/1", "name": "points", "breaker": { "label": "1", "amps": 20 },
  "cables": [
    { "id": "W1", "from": "panel", "to": "B1", "awg": 12, "feet": 10, "conductors": ["hot", "neutral", "ground"] },
    { "id": "W2", "from": "B1", "to": "B2", "awg": 12, "feet": 10, "conductors": ["hot", "neutral"] }
  ],
  "boxes": [
    { "id": "B1", "label": "One", "material": "metal", "bonded": true, "makeup": "pigtail", "devices": [ { "id": "R1", "kind": "receptacle", "amps": 15 } ] },
    { "id": "B2", "label": "Two", "devices": [ { "id": "G2", "kind": "gfci", "amps": 20 } ] }
  ] }`))
	require.NoError(t, err)
	return c
}

func TestPoints(t *testing.T) {
	c := points(t)
	for _, row := range []struct{ name, box, canonical string }{
		{"W2@B1.neutral", "", "W2@B1.neutral"},
		{"W1@panel.hot", "", "W1@panel.hot"},
		{"panel.neutral", "", "panel.neutral"},
		{"W2.hot", "", "W2.hot"},
		{"R1.hot.2", "", "R1.hot.2"},
		{"R1.ground", "", "R1.ground"},
		{"G2.load.neutral", "", "G2.load.neutral"},
		{"R1.top.hot", "", "R1.top.hot"},
		{"R1.tab.neutral", "", "R1.tab.neutral"},
		{"splice:hot", "B1", "B1.splice:hot"},
		{"splice:hot", "", "B1.splice:hot"},
		{"B1.splice:neutral", "", "B1.splice:neutral"},
		{"B1.box", "", "B1.box"},
	} {
		p, err := c.ParsePoint(row.name, row.box)
		require.NoError(t, err, row.name)
		assert.Equal(t, row.canonical, p.String())
	}
}

func TestPointsThatAreNone(t *testing.T) {
	c := points(t)
	for _, row := range []struct{ name, want string }{
		{"", "is not a point"},
		{"R1", "is not a point"},
		{"Q9.hot", "nothing in the file is named Q9"},
		{"W9@B1.hot", "no cable W9"},
		{"W1@B2.hot", "cable W1 has no end at B2"},
		{"W2@B1.ground", "cable W2 has no ground"},
		{"W1@B1.red", `"red" is no conductor`},
		{"R1.line.hot", "receptacle R1 has no such point; its terminals are hot.1"},
		{"G2.hot.1", "gfci G2 has no such point; its terminals are line.hot"},
		{"G2.tab.hot", "no such point"},
		{"panel.box", "the panel has hot, hot2, neutral and ground"},
		{"B2.box", "box B2 is not metal"},
		{"B1.lid", "box B1 has no such point"},
		{"splice:", "has no name"},
		{"splice:purple", "no box has a splice of that name"},
		{"splice:hot2", "no box has a splice of that name"},
	} {
		_, err := c.ParsePoint(row.name, "")
		require.Error(t, err, row.name)
		assert.Contains(t, err.Error(), row.want, row.name)
	}
}

func TestWiredAgain(t *testing.T) {
	c := points(t)
	w, err := circuit.Wire(c)
	require.NoError(t, err)
	assert.Len(t, w.Outlets, 4, "both halves of two devices")
	assert.Len(t, w.Guards, 1)
	at, err := w.JointsAt("B1.splice:hot")
	require.NoError(t, err)
	assert.Len(t, at, 3, "line, outgoing and the jumper")
	one, err := w.JointsAt("R1.top.hot")
	require.NoError(t, err)
	require.Len(t, one, 1)
	assert.Equal(t, circuit.SlotContact, w.Joints[one[0]].Kind)

	d := w.Copy()
	d.Joints[one[0]].Open = true
	assert.False(t, w.Joints[one[0]].Open, "a copy's faults are its own")
	d.Trip([]string{"G2"})
	assert.True(t, d.Guards[0].Tripped)
	assert.False(t, w.Guards[0].Tripped)
}
