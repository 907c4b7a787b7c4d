package tester_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/tester"
)

// TestLine: whatever was read is said in one line, with what and what it showed.
func TestLine(t *testing.T) {
	c := circuit.New("two outlets")
	require.NoError(t, c.AddStop(circuit.NewStop{After: circuit.Panel, Label: "Door", Ground: true, GFCI: true}))
	require.NoError(t, c.AddStop(circuit.NewStop{After: "B1", Label: "Bench", Ground: true}))
	at := `"at": "R1", "half": "top" }`
	for _, row := range []struct{ reading, want string }{
		{`{ "tool": "plug", "lamps": { "hotNeutral": "lit", "hotGround": "dark", "neutralGround": "dark" }, ` + at,
			"Plug tester: hot to neutral lit; hot to ground, neutral to ground dark"},
		{`{ "tool": "plug", "lamps": { "hotNeutral": "dark", "hotGround": "dark", "neutralGround": "dark" }, ` + at,
			"Plug tester: all lamps dark"},
		{`{ "tool": "plug", "skipped": true, ` + at, "Asked for, not taken: cannot reach it"},
		{`{ "tool": "meter", "mode": "low-z", "volts": { "hotNeutral": 2.12, "hotGround": 119.6, "neutralGround": 118 }, ` + at,
			"Meter, low-z: 2.1 / 120 / 118 V"},
		{`{ "tool": "meter", "mode": "high-z", "volts": { "hotNeutral": 119, "neutralEarth": 0.4 }, ` + at,
			"Meter: 119 / · / · V, to known ground · / 0.4 / · V"},
		{`{ "tool": "sensor", "slots": { "hot": "strong", "neutral": "none", "ground": "none" }, ` + at,
			"Sensor: hot slot strong; neutral slot none; ground slot none"},
		{`{ "tool": "lamp", "glow": "dim", ` + at, "Test lamp: lamp dim"},
		{`{ "tool": "device-button", "tripped": [], "at": "G1" }`, "Device's own button: nothing tripped"},
		{`{ "tool": "plug-button", "tripped": ["G1"], ` + at, "Plug tester's button: G1 tripped"},
		{`{ "tool": "ohms", "between": ["W2@B2.hot", "W2@B2.neutral"], "reads": "open" }`, "Ohms, W2@B2.hot to W2@B2.neutral: open"},
		{`{ "tool": "eyes", "site": "B2", "found": [] }`, "Opened: all sound"},
		{`{ "tool": "eyes", "site": "B2", "found": [{ "kind": "swapped", "at": "R1", "pair": "hot-neutral" }] }`, "Opened: found swapped at R1"},
		{`{ "tool": "fixed", "faults": [{ "kind": "swapped", "at": "R1", "pair": "hot-neutral" }] }`, "Put right: swapped at R1"},
		{`{ "tool": "light", "at": "G1", "light": { "colour": "red", "shows": "blinking", "kind": "ivory, two lights", "means": "failed" } }`,
			"Light of the GFCI: red blinking; by the sheet of “ivory, two lights”: failed its own test"},
		{`{ "tool": "light", "at": "G1", "light": { "shows": "off" } }`, "Light of the GFCI: no light; what it means was not said"},
		{`{ "tool": "hint", "hint": "warm-plate", "site": "B2", "yes": false }`, "From outside: the plate is cool"},
		{`{ "tool": "told", "at": "R1", "works": false }`, "Customer: dead"},
		{`{ "tool": "told", "asked": "reset-gfcis", "answer": "came-back" }`, "GFCIs reset: it came back"},
		{`{ "tool": "act", "act": "reset-gfcis", "found": [], "cameBack": [] }`, "All GFCIs reset: none had tripped"},
	} {
		r, err := tester.ParseOne([]byte(row.reading), c)
		require.NoError(t, err, row.reading)
		assert.Equal(t, row.want, r.Line(nil), row.reading)
	}
}

// TestLightsAreChecked: a light means something by a kind of device only, on a GFCI only.
func TestLightsAreChecked(t *testing.T) {
	c := circuit.New("two outlets")
	require.NoError(t, c.AddStop(circuit.NewStop{After: circuit.Panel, Label: "Door", Ground: true, GFCI: true}))
	require.NoError(t, c.AddStop(circuit.NewStop{After: "B1", Label: "Bench", Ground: true}))
	for _, row := range []struct{ reading, says string }{
		{`{ "tool": "light", "at": "R1", "light": { "shows": "off" } }`, "R1 is no GFCI"},
		{`{ "tool": "light", "at": "G9", "light": { "shows": "off" } }`, "no such device"},
		{`{ "tool": "light", "at": "G1" }`, "light is missing"},
		{`{ "tool": "light", "at": "G1", "half": "top", "light": { "shows": "off" } }`, "not on a half"},
		{`{ "tool": "light", "at": "G1", "glow": "off", "light": { "shows": "off" } }`, "no tester's values"},
		{`{ "tool": "light", "at": "G1", "light": { "shows": "pulsing" } }`, "shows"},
		{`{ "tool": "light", "at": "G1", "light": { "shows": "on" } }`, "colour"},
		{`{ "tool": "light", "at": "G1", "light": { "shows": "off", "colour": "red" } }`, "colour"},
		{`{ "tool": "light", "at": "G1", "light": { "shows": "off", "means": "tripped" } }`, "kind is missing"},
		{`{ "tool": "light", "at": "G1", "light": { "shows": "off", "means": "broken", "kind": "ivory" } }`, "means"},
		{`{ "tool": "lamp", "at": "R1", "glow": "off", "light": { "shows": "off" } }`, "light is what the face of a GFCI shows"},
	} {
		_, err := tester.ParseOne([]byte(row.reading), c)
		assert.ErrorContains(t, err, row.says, row.reading)
	}
}

func TestStateWords(t *testing.T) {
	off := false
	for _, row := range []struct {
		state *tester.State
		want  string
	}{
		{nil, ""}, {&tester.State{}, ""},
		{&tester.State{BreakerOn: &off, Tripped: []string{"G1"}}, "breaker off; G1 tripped"},
		{&tester.State{LoadsOn: []string{}}, "nothing switched on"},
		{&tester.State{LoadsOn: []string{"L1", "L2"}, Separated: []string{"W2@B1"}}, "on: L1, L2; W2@B1 taken off"},
		{&tester.State{Joined: [][2]string{{"W2@B2.hot", "W2@B2.neutral"}}}, "W2@B2.hot and W2@B2.neutral joined"},
	} {
		assert.Equal(t, row.want, row.state.Words(nil))
	}
}
