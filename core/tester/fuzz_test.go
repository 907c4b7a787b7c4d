package tester_test

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/tester"
)

// everyReading is one reading of each tool, as in the circuit model.
var everyReading = []string{
	`{ "at": "R2", "half": "top", "tool": "plug", "lamps": { "hotNeutral": "lit", "hotGround": "lit", "neutralGround": "dark" } }`,
	`{ "at": "R2", "half": "top", "tool": "plug-button", "tripped": ["G1"] }`,
	`{ "at": "G1", "tool": "device-button", "tripped": [] }`,
	`{ "at": "R2", "half": "top", "tool": "meter", "mode": "high-z", "volts": { "hotNeutral": 119.8, "hotGround": 119.9, "groundEarth": 0 } }`,
	`{ "at": "R2", "half": "bottom", "tool": "sensor", "slots": { "hot": "strong", "neutral": "none", "ground": "none" } }`,
	`{ "at": "R2", "half": "top", "tool": "lamp", "glow": "bright" }`,
	`{ "at": "R2", "half": "top", "tool": "analyzer", "volts": 119.8, "dropPercent": 3.1, "wiring": "correct", "ohms": { "hot": 0.12, "neutral": 0.10, "ground": 0.11, "hotNeutral": 0.22 } }`,
	`{ "at": "R2", "half": "top", "tool": "analyzer", "volts": null, "dropPercent": null, "wiring": "open-hot", "ohms": null }`,
	`{ "tool": "sensor", "point": "W2@B1.hot", "level": "strong" }`,
	`{ "tool": "meter", "mode": "high-z", "between": ["W2@B1.hot", "W2@B1.ground"], "reads": 119.7 }`,
	`{ "tool": "ohms", "between": ["W2@B1.hot", "W2@B1.neutral"], "reads": "open" }`,
	`{ "tool": "ohms", "between": ["W2@B1.hot", "R2.hot.1"], "reads": 0.05 }`,
	`{ "tool": "eyes", "site": "B1", "found": false }`,
	`{ "tool": "eyes", "site": "panel", "found": [ { "kind": "open", "at": "W1@panel.hot" } ] }`,
	`{ "tool": "fixed", "faults": [ { "kind": "open", "at": "W2@B1.neutral" } ] }`,
	`{ "tool": "clamp", "point": "W2@B1.neutral", "amps": 1.5 }`,
	`{ "tool": "clamp", "point": "W2@B1", "amps": 0.004, "state": { "breakerOn": true, "loadsOn": [], "tripped": ["G1"], "separated": ["W2@B1"], "joined": [["W2@B1.hot", "W2@B1.neutral"]] } }`,
}

func TestEveryReadingThereAndBack(t *testing.T) {
	c := behindGFCI(t)
	got, err := tester.Parse(document(strings.Join(everyReading, ",")), c)
	require.NoError(t, err)
	written, err := json.Marshal(tester.Document(got))
	require.NoError(t, err)
	again, err := tester.Parse(written, c)
	require.NoError(t, err)
	assert.Equal(t, got, again)
	for i, reading := range everyReading {
		var one struct{ Readings []json.RawMessage }
		require.NoError(t, json.Unmarshal(written, &one))
		var in, out map[string]any
		require.NoError(t, json.Unmarshal([]byte(reading), &in))
		require.NoError(t, json.Unmarshal(one.Readings[i], &out))
		for key, value := range in {
			if value != nil {
				assert.Equal(t, value, out[key], "%s of %s", key, reading)
			}
		}
	}
}

func TestReadingsThatCannotBe(t *testing.T) {
	c := behindGFCI(t)
	for _, row := range []struct{ reading, want string }{
		{`{ "at": "R2", "tool": "plug-button" }`, "R2, plug-button: tripped is missing"},
		{`{ "at": "R2", "tool": "plug-button", "tripped": ["R2"] }`, "tripped: R2 is no GFCI"},
		{`{ "at": "R2", "tool": "device-button", "tripped": [] }`, "only a GFCI has a button"},
		{`{ "at": "R2", "tool": "analyzer" }`, "nothing was read"},
		{`{ "at": "R2", "tool": "analyzer", "volts": { "hotNeutral": 3 } }`, "volts is one number"},
		{`{ "at": "R2", "tool": "analyzer", "wiring": "magic" }`, `wiring "magic"`},
		{`{ "at": "R2", "tool": "analyzer", "ohms": { "hot": -1, "neutral": null, "ground": null, "hotNeutral": null } }`, "ohms.hot: -1 is no reading"},
		{`{ "at": "R2", "tool": "meter", "volts": 120 }`, "volts is an object"},
		{`{ "tool": "ohms" }`, "ohms: between is missing"},
		{`{ "tool": "ohms", "between": ["W2@B1.hot", "W2@B1.hot"], "reads": 3 }`, "W2@B1.hot twice"},
		{`{ "tool": "ohms", "between": ["W2@B1.hot", "Q.hot"], "reads": 3 }`, "nothing in the file is named Q"},
		{`{ "tool": "ohms", "between": ["W2@B1.hot", "W2.hot"], "reads": 3 }`, "W2.hot is no single place"},
		{`{ "tool": "ohms", "between": ["W2@B1.hot", "W2@B1.neutral"] }`, "reads is missing"},
		{`{ "tool": "ohms", "between": ["W2@B1.hot", "W2@B1.neutral"], "reads": "shut" }`, `"shut", want a number`},
		{`{ "tool": "meter", "between": ["W2@B1.hot", "W2@B1.neutral"], "reads": "open" }`, "reads: no voltage"},
		{`{ "tool": "plug", "point": "W2@B1.hot" }`, "put on an outlet, not on points"},
		{`{ "tool": "eyes", "site": "B9", "found": false }`, `eyes: site "B9" is neither a box`},
		{`{ "tool": "eyes", "site": "B1" }`, "eyes: found is missing"},
		{`{ "tool": "eyes", "site": "B1", "found": true }`, "say what was found"},
		{`{ "tool": "eyes", "site": "B1", "found": [ { "kind": "open", "at": "W9@B1.hot" } ] }`, "no cable W9"},
		{`{ "tool": "eyes", "site": "B1", "found": false, "glow": "dim" }`, "no tester's values go with it"},
		{`{ "tool": "fixed" }`, "fixed: wants faults"},
		{`{ "tool": "clamp" }`, "clamp: point is missing"},
		{`{ "tool": "clamp", "point": "R2.hot.1", "amps": 1 }`, "a clamp goes around a conductor or a cable"},
		{`{ "tool": "clamp", "point": "W2@B1", "amps": -1 }`, "amps: no reading"},
		{`{ "tool": "sensor", "point": "W2@B1.hot", "level": "loud" }`, `level "loud"`},
		{`{ "at": "R2", "tool": "sensor", "point": "W2@B1.hot", "level": "none" }`, "a reading on points has no outlet's values"},
	} {
		_, err := tester.Parse(document(row.reading), c)
		require.Error(t, err, row.reading)
		assert.Contains(t, err.Error(), row.want, row.reading)
	}
}

// FuzzParse: whatever is read is either refused in one line, or readings that
// are written and read again the same.
func FuzzParse(f *testing.F) {
	c := behindGFCI(f)
	for _, reading := range everyReading {
		f.Add(document(reading))
	}
	f.Add([]byte(`{ "format": "elvat-readings/1", "readings": [ null, {} ] }`))
	f.Fuzz(func(t *testing.T, data []byte) {
		got, err := tester.Parse(data, c)
		if err != nil {
			assert.NotContains(t, err.Error(), "\n")
			return
		}
		written, err := json.Marshal(tester.Document(got))
		require.NoError(t, err)
		again, err := tester.Parse(written, c)
		require.NoError(t, err, string(written))
		twice, err := json.Marshal(tester.Document(again))
		require.NoError(t, err)
		assert.JSONEq(t, string(written), string(twice))
	})
}

func hostileReadings() []byte {
	each := `{"at":"R2","tool":"lamp","glow":"dim","state":{"loadsOn":["L"]}},`
	return document(strings.TrimSuffix(strings.Repeat(each, 1<<20/len(each)), ","))
}

func TestHostileMegabyteOfReadings(t *testing.T) {
	_, err := tester.Parse(hostileReadings(), behindGFCI(t))
	assert.ErrorContains(t, err, "at most")
}

func BenchmarkHostileMegabyteOfReadings(b *testing.B) {
	c, data := behindGFCI(b), hostileReadings()
	for b.Loop() {
		if _, err := tester.Parse(data, c); err == nil {
			b.Fatal("taken")
		}
	}
}
