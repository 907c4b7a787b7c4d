package tester_test

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/tester"
)

func document(reading string) []byte {
	return []byte(`{ "format": "elvat-readings/1", "readings": [ ` + reading + ` ] }`)
}

func TestParse(t *testing.T) {
	c := threeOutlets(t)
	got, err := tester.Parse(document(`
		{ "at": "R1", "half": "bottom", "tool": "plug", "lamps": { "hotNeutral": "lit", "hotGround": "lit", "neutralGround": "dark" } },
		{ "at": "R1", "tool": "meter", "volts": { "hotNeutral": 119.8 } },
		{ "at": "R2", "tool": "sensor", "slots": { "hot": "strong" } },
		{ "at": "R2", "tool": "lamp", "glow": "bright", "state": { "breakerOn": true } }`), c)
	require.NoError(t, err)
	require.Len(t, got, 4)
	assert.Equal(t, circuit.Bottom, got[0].Half)
	assert.Equal(t, circuit.Top, got[1].Half, "top unless said")
	assert.Equal(t, tester.HighZ, got[1].Mode, "high-z unless said")
	assert.Equal(t, 119.8, *got[1].Volts.HotNeutral)
	assert.Nil(t, got[1].Volts.HotGround, "what was not read stays unread")

	written, err := json.Marshal(tester.Document(got))
	require.NoError(t, err)
	again, err := tester.Parse(written, c)
	require.NoError(t, err)
	assert.Equal(t, got, again)
}

func TestReadingErrorsNameThePlace(t *testing.T) {
	c := threeOutlets(t)
	c.Boxes[2].Devices[0].Slots = 2
	for _, row := range []struct{ reading, want string }{
		{`{ "at": "R9", "tool": "plug", "lamps": { "hotNeutral": "lit" } }`, `readings[0]: at "R9": no such device`},
		{`{ "at": "R1", "tool": "crystal ball" }`, `R1: tool "crystal ball" is not known`},
		{`{ "at": "R1", "half": "left", "tool": "lamp", "glow": "dim" }`, `half "left", want top or bottom`},
		{`{ "at": "R1", "tool": "plug" }`, "R1, plug: lamps is missing"},
		{`{ "at": "R1", "tool": "plug", "lamps": {} }`, "R1, plug: nothing was read"},
		{`{ "at": "R1", "tool": "plug", "lamps": { "hotNeutral": "yellow" } }`, `lamp hot-neutral: "yellow", want lit or dark`},
		{`{ "at": "R1", "tool": "plug", "lamps": { "hotNeutral": "lit" }, "glow": "dim" }`, "R1, plug: glow is what a lamp shows"},
		{`{ "at": "R1", "tool": "plug", "lamps": { "top": "lit" } }`, `readings[0].lamps: unknown key "top"`},
		{`{ "at": "R3", "tool": "plug", "lamps": { "hotNeutral": "lit" } }`, "does not go into a two-slot device"},
		{`{ "at": "R1", "tool": "meter", "mode": "magic", "volts": { "hotNeutral": 1 } }`, `mode "magic"`},
		{`{ "at": "R1", "tool": "meter", "volts": { "hotNeutral": -1 } }`, "hotNeutral: -1 V is no reading"},
		{`{ "at": "R3", "tool": "meter", "volts": { "hotGround": 1 } }`, "hotGround: the device has no ground slot"},
		{`{ "at": "R1", "tool": "sensor", "slots": { "hot": "loud" } }`, `hot slot: "loud", want strong, faint or none`},
		{`{ "at": "R1", "tool": "lamp", "glow": "purple" }`, `glow "purple"`},
		{`{ "at": "R1", "tool": "lamp", "glow": "dim", "state": { "loadsOn": ["L7"] } }`, "state: loadsOn: no load L7"},
		{`{ "at": "R1", "tool": "lamp", "glow": "dim", "state": { "tripped": ["R1"] } }`, "tripped: R1 is no GFCI"},
		{`{ "at": "R1", "tool": "lamp", "glow": "dim", "state": { "separated": ["W7@B1"] } }`, "no cable W7"},
	} {
		_, err := tester.Parse(document(row.reading), c)
		require.Error(t, err, row.reading)
		assert.Contains(t, err.Error(), row.want, row.reading)
	}
	_, err := tester.Parse([]byte(`{ "format": "other", "readings": [] }`), c)
	assert.ErrorContains(t, err, `format: "other"`)
}

func TestStates(t *testing.T) {
	c := withLoad(threeOutlets(t), "R3")
	off := false
	got, err := (&tester.State{BreakerOn: &off, LoadsOn: []string{}}).On(c)
	require.NoError(t, err)
	assert.False(t, got.Breaker.On)
	assert.False(t, got.Loads[0].On)
	assert.True(t, c.Breaker.On, "the circuit itself is left as it was")

	separated, err := (&tester.State{Separated: []string{"W2@B1"}}).On(c)
	require.NoError(t, err)
	assert.Equal(t, lamps(dark, dark, dark), *read(t, condition(t, separated), "R2", tester.Plug, "").Lamps)
	assert.Equal(t, lamps(lit, lit, dark), *read(t, condition(t, separated), "R1", tester.Plug, "").Lamps)
}

// TestActsAndHints: what was done, and what was felt from outside, with the
// errors that name what is missing or does not belong.
func TestActsAndHints(t *testing.T) {
	c := circuit.New("acts")
	require.NoError(t, c.AddStop(circuit.NewStop{After: circuit.Panel, Label: "Door", Ground: true, GFCI: true}))
	require.NoError(t, c.AddStop(circuit.NewStop{After: "B1", Label: "Bench", Ground: true}))
	for _, good := range []string{
		`{ "tool": "act", "act": "unplug-all" }`, `{ "tool": "act", "act": "switches-on" }`,
		`{ "tool": "act", "act": "reset-gfcis", "found": [], "cameBack": [] }`,
		`{ "tool": "act", "act": "reset-gfcis", "found": ["kitchen counter"], "cameBack": ["R1"] }`,
		`{ "tool": "act", "act": "reset-breaker", "held": false }`, `{ "tool": "act", "act": "reset", "at": "G1", "held": true }`,
		`{ "tool": "act", "act": "plugged", "at": "R1", "watts": 60 }`,
		`{ "tool": "hint", "hint": "live-plate", "site": "B2", "yes": true }`,
		`{ "tool": "plug", "at": "R1", "skipped": true }`, `{ "tool": "eyes", "site": "B2", "found": [] }`,
	} {
		r, err := tester.ParseOne([]byte(good), c)
		require.NoError(t, err, good)
		assert.NotEmpty(t, r.Words(nil), good)
		again, err := json.Marshal(r)
		require.NoError(t, err)
		back, err := tester.ParseOne(again, c)
		require.NoError(t, err, string(again))
		assert.Equal(t, r, back, "what is written is read the same")
	}
	for _, bad := range []struct{ reading, want string }{
		{`{ "tool": "act", "act": "dance" }`, `"dance" is none of`},
		{`{ "tool": "act", "act": "reset", "at": "R1", "held": true }`, `at "R1": no such GFCI`},
		{`{ "tool": "act", "act": "reset", "at": "G1" }`, "held is missing"},
		{`{ "tool": "act", "act": "reset-breaker" }`, "held is missing"},
		{`{ "tool": "act", "act": "find-box", "at": "W9", "found": [] }`, `"W9": no such cable`},
		{`{ "tool": "act", "act": "find-box", "at": "W1" }`, "found is missing"},
		{`{ "tool": "act", "act": "find-box", "at": "W1", "found": [ { "kind": "open", "at": "R1.hot.1" } ] }`, "not faults"},
		{`{ "tool": "act", "act": "unplug-all", "held": true }`, "held does not go with it"},
		{`{ "tool": "act", "act": "unplug-all", "at": "G1" }`, "at does not go with it"},
		{`{ "tool": "act", "act": "switches-on", "found": ["x"] }`, "found and cameBack do not go with it"},
		{`{ "tool": "act", "act": "reset-gfcis", "cameBack": ["R9"] }`, `"R9": no such device`},
		{`{ "tool": "act", "act": "reset-gfcis", "found": [ { "kind": "open", "at": "R1.hot.1" } ] }`, "names of GFCIs"},
		{`{ "tool": "act", "act": "plugged", "at": "R1" }`, "watts: more than 0"},
		{`{ "tool": "act", "act": "unplug-all", "glow": "off" }`, "no tester's values"},
		{`{ "tool": "hint", "hint": "live-plate", "site": "B9", "yes": true }`, `"B9" is no box`},
		{`{ "tool": "hint", "hint": "smell", "site": "B2", "yes": true }`, `"smell" is none of`},
		{`{ "tool": "hint", "hint": "wiggle", "site": "B2" }`, "yes is missing"},
		{`{ "tool": "plug", "at": "R9", "skipped": true }`, `at "R9": no such device`},
		{`{ "tool": "lamp", "at": "R1", "glow": "off", "held": true }`, "are no tester's"},
	} {
		_, err := tester.ParseOne([]byte(bad.reading), c)
		assert.ErrorContains(t, err, bad.want, bad.reading)
	}
}

// TestStateFits: of a state that cannot be, as much as can.
func TestStateFits(t *testing.T) {
	c := circuit.New("loft")
	require.NoError(t, c.AddStop(circuit.NewStop{After: circuit.Panel, Ground: true, GFCI: true}))
	require.NoError(t, c.AddStop(circuit.NewStop{After: "B1", Ground: true}))
	require.NoError(t, c.AddLoad("R1", circuit.Top, 60))
	off := false
	for _, row := range []struct {
		is, want tester.State
		left     string
	}{
		{tester.State{BreakerOn: &off}, tester.State{BreakerOn: &off}, ""},
		{tester.State{BreakerOn: &off, LoadsOn: []string{"L1", "L7"}}, tester.State{BreakerOn: &off, LoadsOn: []string{"L1"}}, "load L7"},
		{tester.State{LoadsOn: []string{"L7"}, Tripped: []string{"G9", "G1"}}, tester.State{LoadsOn: []string{}, Tripped: []string{"G1"}}, "load L7, GFCI G9"},
		{tester.State{Separated: []string{"W9@B9"}, Joined: [][2]string{{"R1.hot.1", "R8.hot.1"}}}, tester.State{Separated: []string{}}, "cable end W9@B9, join of R1.hot.1 and R8.hot.1"},
	} {
		fit, left := row.is.Fit(c)
		assert.Equal(t, row.want, *fit)
		assert.Equal(t, row.left, strings.Join(left, ", "))
		_, err := fit.On(c)
		require.NoError(t, err)
	}
	var none *tester.State
	fit, left := none.Fit(c)
	assert.Nil(t, fit)
	assert.Empty(t, left)
}
