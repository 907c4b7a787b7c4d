package circuit_test

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/fault"
)

// FuzzParse: whatever is read is either refused in one line, or a circuit that
// can be wired, written and read again.
func FuzzParse(f *testing.F) {
	f.Add([]byte(sample))
	f.Add(
		[]byte(
			`{ "format": "elvat-circuit/1", "breaker": { "amps": 20, "poles": 2, "protection": "gfci" }, "cables": [ { "id": "W1", "from": "panel", "to": "B1", "awg": 12, "feet": 3, "conductors": ["hot", "hot2", "neutral"] } ], "boxes": [ { "id": "B1", "material": "metal", "bonded": true, "makeup": "pigtail", "devices": [ { "id": "G1", "kind": "gfci", "amps": 20, "generation": "legacy" }, { "id": "R1", "kind": "receptacle", "amps": 15, "slots": 2, "tab": { "hot": "removed" } } ] } ] }`,
		),
	)
	f.Add(
		[]byte(
			`{ "format": "elvat-circuit/1", "breaker": { "amps": 20 }, "cables": [ { "id": "W1", "from": "panel", "to": "B1", "awg": 14, "feet": 3, "conductors": ["hot", "neutral", "ground"] } ], "boxes": [ { "id": "B1", "devices": [ { "id": "R1", "kind": "receptacle", "amps": 15 } ], "wiring": [ ["W1@B1.hot", "splice:a"], ["splice:a", "R1.hot.1"] ] } ], "faults": [ { "kind": "moved", "at": "W1@B1.hot", "to": "R1.neutral.1" }, { "kind": "open", "at": "splice:a" } ], "state": { "separated": ["W1@B1"], "joined": [["W1@B1.hot", "R1.hot.2"]] } }`,
		),
	)
	f.Add([]byte(`{"format":"elvat-circuit/1","breaker":{"amps":1e400}}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		c, err := circuit.Parse(data)
		if err != nil {
			assert.NotContains(t, err.Error(), "\n")
			return
		}
		if _, err := fault.Wire(c, c.Faults); err != nil {
			assert.NotContains(t, err.Error(), "\n")
		}
		written, err := c.Encode()
		require.NoError(t, err)
		again, err := circuit.Parse(written)
		require.NoError(t, err, string(written))
		twice, err := again.Encode()
		require.NoError(t, err)
		assert.True(t, bytes.Equal(written, twice))
	})
}

// hostile are megabytes of JSON made to be slow to refuse.
func hostile() map[string][]byte {
	head, tail := `{ "format": "elvat-circuit/1", "breaker": { "amps": 20 }, `, ` }`
	fill := func(before, each, after string) []byte {
		n := (1<<20 - len(before) - len(after)) / len(each)
		return []byte(before + strings.TrimSuffix(strings.Repeat(each, n), ",") + after)
	}
	return map[string][]byte{
		"boxes":  fill(head+`"boxes": [`, `{"id":"B","devices":[]},`, `]`+tail),
		"cables": fill(head+`"cables": [`, `{"id":"W","from":"panel","to":"B","awg":12,"feet":1,"conductors":["hot"]},`, `]`+tail),
		"faults": fill(head+`"faults": [`, `{"kind":"open","at":"splice:hot"},`, `]`+tail),
		"joined": fill(head+`"state": {"joined": [`, `["splice:a","splice:b"],`, `]}`+tail),
		"depth":  fill(head+`"boxes": `, `[`, ``),
		"text":   fill(head+`"name": "`, `x`, `"`),
	}
}

func TestHostileMegabytesAreRefused(t *testing.T) {
	for name, data := range hostile() {
		_, err := circuit.Parse(data)
		assert.Error(t, err, name)
	}
}

func BenchmarkHostileMegabyte(b *testing.B) {
	for name, data := range hostile() {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				if _, err := circuit.Parse(data); err == nil {
					b.Fatal("taken")
				}
			}
		})
	}
}
