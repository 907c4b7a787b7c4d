package server_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/diagnosis"
)

// TestPlace: what is known of the place and of the order is kept, is evidence,
// and outlives a restart and a stop that is taken off.
func TestPlace(t *testing.T) {
	s := withDemo(t)
	before := s.call(200, "GET", "/api/calls/3", "")
	c := s.call(200, "PUT", "/api/calls/3/conditions", `{ "complaint": "part-dead", "boxes": { "B3": ["warm"] } }`)
	assert.Equal(t, diagnosis.PartDead, c.Conditions.Complaint)
	assert.NotEqual(t, before.Diagnosis.Sites, c.Diagnosis.Sites)
	c = s.call(200, "PUT", "/api/calls/3/map", `{ "unsure": ["B7"], "clues": [ { "kind": "fed-from", "box": "B7", "with": "B5" } ] }`)
	require.NotEmpty(t, c.Diagnosis.Places)
	c = s.call(200, "DELETE", "/api/calls/3/stops/B7", "")
	assert.Empty(t, c.Map.Unsure, "what is of a stop that is gone is left out")
	c = s.call(200, "POST", "/api/calls/3/circuit/undo", "")
	assert.Equal(t, []string{"B7"}, c.Map.Unsure, "and counts again when it is back")
}

// TestDoubt: a reading marked doubtful is kept as it is and counts little.
func TestDoubt(t *testing.T) {
	s := withDemo(t)
	c := s.call(200, "GET", "/api/calls/3", "")
	odd := c.Readings[1]
	doubted := s.call(200, "PATCH", "/api/calls/3/readings/"+odd.Id, `{ "doubtful": true }`)
	assert.True(t, doubted.Readings[1].Doubtful)
	assert.NotEqual(t, c.Diagnosis.Suspects[0].Probability, doubted.Diagnosis.Suspects[0].Probability)
	trusted := s.call(200, "PATCH", "/api/calls/3/readings/"+odd.Id, `{ "doubtful": false }`)
	assert.Equal(t, c.Diagnosis, trusted.Diagnosis)
}

// TestWhy: the readings in force are held against a suspect, and against that
// nothing is wrong.
func TestWhy(t *testing.T) {
	s := withDemo(t)
	c := s.call(200, "GET", "/api/calls/3", "")
	faults, err := json.Marshal(map[string]any{"faults": c.Diagnosis.Suspects[0].Faults})
	require.NoError(t, err)
	for _, body := range []string{string(faults), `{ "faults": [] }`} {
		w := s.ask("POST", "/api/calls/3/why", body)
		require.Equal(t, 200, w.Code, w.Body.String())
		var evidence []diagnosis.Evidence
		require.NoError(t, json.Unmarshal(w.Body.Bytes(), &evidence))
		assert.Len(t, evidence, 6)
	}
}

// TestPractice: what the shop sets is what its diagnoses rest on.
func TestPractice(t *testing.T) {
	s := withDemo(t)
	before := s.call(200, "GET", "/api/calls/3", "")
	w := s.ask("PUT", "/api/practice", `{ "weights": { "carriesOn": 30 }, "minutes": { "open": 60 }, "tools": ["plug", "sensor"] }`)
	require.Equal(t, 200, w.Code, w.Body.String())
	after := s.call(200, "GET", "/api/calls/3", "")
	assert.NotEqual(t, before.Diagnosis.Sites, after.Diagnosis.Sites)
	for _, next := range after.Diagnosis.Next {
		assert.NotContains(t, []string{"meter", "lamp"}, string(next.Tool), "not carried")
	}
	var sheet diagnosis.PracticeSheet
	require.NoError(t, json.Unmarshal(s.ask("GET", "/api/practice", "").Body.Bytes(), &sheet))
	for _, row := range sheet.Minutes {
		if row.Key == "open" {
			assert.InDelta(t, 60, row.Value, 0)
			assert.InDelta(t, 8, row.Usual, 0)
		}
	}
	require.Equal(t, 200, s.ask("PUT", "/api/practice", `{}`).Code)
	assert.Equal(t, before.Diagnosis, s.call(200, "GET", "/api/calls/3", "").Diagnosis, "as usual again")
}

func TestPlaceRefusals(t *testing.T) {
	s := withDemo(t)
	for _, row := range []struct{ method, path, body, want string }{
		{"PUT", "/api/calls/3/conditions", `{ "complaint": "odd" }`, "complaint"},
		{"PUT", "/api/calls/3/conditions", `{ "boxes": { "B99": ["warm"] } }`, "B99"},
		{"PUT", "/api/calls/3/map", `{ "unsure": ["B99"] }`, "B99"},
		{"PUT", "/api/calls/3/map", `{ "clues": [ { "kind": "hunch", "box": "B1" } ] }`, "clues[0]"},
		{"PUT", "/api/practice", `{ "weights": { "openEnd": -1 } }`, "out of bounds"},
		{"PUT", "/api/practice", `{ "tools": ["crystal"] }`, "crystal"},
		{"POST", "/api/calls/3/why", `{ "faults": [ { "kind": "open", "at": "W99@B1.hot" } ] }`, "none of the suspects"},
		{"POST", "/api/calls/3/readings", `{ "id": "reading-0001", "reading": { "tool": "told", "asked": "why", "answer": "no-change" } }`, "asked"},
		{"POST", "/api/calls/3/readings", `{ "id": "reading-0001", "reading": { "tool": "told", "at": "R1" } }`, "works is missing"},
		{"POST", "/api/calls/3/readings", `{ "id": "reading-0001", "reading": { "at": "R1", "tool": "lamp", "glow": "off", "works": true } }`, "what a customer told"},
	} {
		w := s.ask(row.method, row.path, row.body)
		assert.GreaterOrEqual(t, w.Code, 400, row.body)
		assert.Less(t, w.Code, 500, row.body)
		assert.Contains(t, w.Body.String(), row.want, row.body)
	}
}
