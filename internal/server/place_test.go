package server_test

import (
	"encoding/json"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
)

// TestPlace: what is known of the place and of the order is kept, is evidence,
// and outlives a restart and a stop that is taken off.
func TestPlace(t *testing.T) {
	s := withDemo(t)
	before := s.call(200, "GET", "/api/v1/calls/3", "")
	c := s.call(200, "PUT", "/api/v1/calls/3/conditions", `{ "complaint": "part-dead", "boxes": { "B3": ["warm"] } }`)
	assert.Equal(t, diagnosis.PartDead, c.Conditions.Complaint)
	assert.NotEqual(t, before.Diagnosis.Sites, c.Diagnosis.Sites)
	c = s.call(
		200,
		"PUT",
		"/api/v1/calls/3/map",
		`{ "unsure": ["B7"], "clues": [ { "kind": "fed-from", "box": "B7", "with": "B5" } ] }`,
	)
	require.NotEmpty(t, c.Diagnosis.Places)
	c = s.call(200, "DELETE", "/api/v1/calls/3/stops/B7", "")
	assert.Empty(t, c.Map.Unsure, "what is of a stop that is gone is left out")
	c = s.call(200, "POST", "/api/v1/calls/3/undo", "")
	assert.Equal(t, []string{"B7"}, c.Map.Unsure, "and counts again when it is back")
}

// TestDoubt: a reading marked doubtful is kept as it is and counts little.
func TestDoubt(t *testing.T) {
	s := withDemo(t)
	c := s.call(200, "GET", "/api/v1/calls/3", "")
	odd := c.Readings[1]
	doubted := s.call(200, "PATCH", "/api/v1/calls/3/readings/"+odd.Id, `{ "doubtful": true }`)
	assert.True(t, doubted.Readings[1].Doubtful)
	assert.NotEqual(t, c.Diagnosis.Suspects[0].Probability, doubted.Diagnosis.Suspects[0].Probability)
	trusted := s.call(200, "PATCH", "/api/v1/calls/3/readings/"+odd.Id, `{ "doubtful": false }`)
	assert.Equal(t, c.Diagnosis, trusted.Diagnosis)
}

// TestWhy: the readings in force are held against a suspect, and against that
// nothing is wrong.
func TestWhy(t *testing.T) {
	s := withDemo(t)
	c := s.call(200, "GET", "/api/v1/calls/3", "")
	faults, err := json.Marshal(map[string]any{"faults": c.Diagnosis.Suspects[0].Faults})
	require.NoError(t, err)
	for _, body := range []string{string(faults), `{ "faults": [] }`} {
		w := s.ask("POST", "/api/v1/calls/3/why", body)
		require.Equal(t, 200, w.Code, w.Body.String())
		var evidence []diagnosis.Evidence
		require.NoError(t, json.Unmarshal(w.Body.Bytes(), &evidence))
		assert.Len(t, evidence, 6)
	}
}

// TestPractice: what the shop sets is what its diagnoses rest on.
func TestPractice(t *testing.T) {
	s := withDemo(t)
	before := s.call(200, "GET", "/api/v1/calls/3", "")
	w := s.ask(
		"PUT",
		"/api/v1/practice",
		`{ "weights": { "carriesOn": 30 }, "minutes": { "open": 60 }, "tools": ["plug", "sensor"] }`,
	)
	require.Equal(t, 200, w.Code, w.Body.String())
	after := s.call(200, "GET", "/api/v1/calls/3", "")
	assert.NotEqual(t, before.Diagnosis.Sites, after.Diagnosis.Sites)
	for _, next := range after.Diagnosis.Next {
		assert.NotContains(t, []string{"meter", "lamp"}, string(next.Tool), "not carried")
	}
	var sheet diagnosis.PracticeSheet
	require.NoError(t, json.Unmarshal(s.ask("GET", "/api/v1/practice", "").Body.Bytes(), &sheet))
	for _, row := range sheet.Minutes {
		if row.Key == "open" {
			assert.InDelta(t, 60, row.Value, 0)
			assert.InDelta(t, 8, row.Usual, 0)
		}
	}
	require.Equal(t, 200, s.ask("PUT", "/api/v1/practice", `{}`).Code)
	assert.Equal(t, before.Diagnosis, s.call(200, "GET", "/api/v1/calls/3", "").Diagnosis, "as usual again")
}

func TestPlaceRefusals(t *testing.T) {
	s := withDemo(t)
	for _, row := range []struct{ method, path, body, want string }{
		{"PUT", "/api/v1/calls/3/conditions", `{ "complaint": "odd" }`, "complaint"},
		{"PUT", "/api/v1/calls/3/conditions", `{ "boxes": { "B99": ["warm"] } }`, "B99"},
		{"PUT", "/api/v1/calls/3/map", `{ "unsure": ["B99"] }`, "B99"},
		{"PUT", "/api/v1/calls/3/map", `{ "clues": [ { "kind": "hunch", "box": "B1" } ] }`, "clues[0]"},
		{"PUT", "/api/v1/practice", `{ "weights": { "openEnd": -1 } }`, "out of bounds"},
		{"PUT", "/api/v1/practice", `{ "tools": ["crystal"] }`, "crystal"},
		{"POST", "/api/v1/calls/3/why", `{ "faults": [ { "kind": "open", "at": "W99@B1.hot" } ] }`, "none of the suspects"},
		{"POST", "/api/v1/calls/3/readings", `{ "id": "reading-0001", "reading": { "tool": "told", "asked": "why", "answer": "no-change" } }`, "asked"},
		{"POST", "/api/v1/calls/3/readings", `{ "id": "reading-0001", "reading": { "tool": "told", "at": "R1" } }`, "works is missing"},
		{"POST", "/api/v1/calls/3/readings", `{ "id": "reading-0001", "reading": { "at": "R1", "tool": "lamp", "glow": "off", "works": true } }`, "what a customer told"},
	} {
		w := s.ask(row.method, row.path, row.body)
		assert.GreaterOrEqual(t, w.Code, 400, row.body)
		assert.Less(t, w.Code, 500, row.body)
		assert.Contains(t, w.Body.String(), row.want, row.body)
	}
}

// TestLearning: what opened boxes showed is counted, corrects nothing while they
// are few, is handed out, and is counted anew when the shop says so.
func TestLearning(t *testing.T) {
	s := withDemo(t)
	sheet := func(method, path string) diagnosis.PracticeSheet {
		w := s.ask(method, path, "")
		require.Equal(t, 200, w.Code, w.Body.String())
		var p diagnosis.PracticeSheet
		require.NoError(t, json.Unmarshal(w.Body.Bytes(), &p))
		return p
	}
	before := sheet("GET", "/api/v1/practice").Learning
	post := func(code int, method, path, body string) {
		w := s.ask(method, path, body)
		require.Equal(t, code, w.Code, w.Body.String())
	}
	post(
		201,
		"POST",
		"/api/v1/calls/2/readings",
		`{ "id": "reading-9001", "reading": { "tool": "eyes", "site": "B3", "found": [ { "kind": "swapped", "at": "R3", "pair": "hot-neutral" } ] } }`,
	)
	after := sheet("GET", "/api/v1/practice")
	assert.Equal(t, before.Boxes+1, after.Learning.Boxes)
	assert.Equal(t, 20, after.Learning.Least)
	w := s.ask("GET", "/api/v1/practice/learning", "")
	require.Equal(t, 200, w.Code)
	assert.Contains(t, w.Body.String(), `"swapDevice":1`)
	post(200, "PATCH", "/api/v1/calls/2/readings/reading-9001", `{ "withdrawn": true }`)
	assert.Equal(t, before.Boxes, sheet("GET", "/api/v1/practice").Learning.Boxes, "what is taken back does not count")
	post(200, "PATCH", "/api/v1/calls/2/readings/reading-9001", `{ "withdrawn": false }`)
	forgotten := sheet("DELETE", "/api/v1/practice/learning")
	assert.Zero(t, forgotten.Learning.Boxes)
	assert.NotEmpty(t, forgotten.Learning.Since)
	assert.Zero(t, sheet("GET", "/api/v1/practice").Learning.Boxes)
}

// TestActsOnACall: an act is entered like a reading, changes what is proposed, and
// what was skipped is not asked for again.
func TestActsOnACall(t *testing.T) {
	s := withDemo(t)
	c := s.call(
		201,
		"POST",
		"/api/v1/calls/1/readings",
		`{ "id": "reading-9101", "reading": { "tool": "act", "act": "unplug-all" } }`,
	)
	assert.Equal(t, "unplug-all", string(c.Readings[0].Reading.Act))
	first := c.Diagnosis.Next[0]
	skip := fmt.Sprintf(
		`{ "id": "reading-9102", "reading": { "tool": %q, "at": %q, "half": %q, "skipped": true } }`,
		first.Tool,
		first.At,
		first.Half,
	)
	if first.Mode != "" {
		skip = fmt.Sprintf(
			`{ "id": "reading-9102", "reading": { "tool": %q, "at": %q, "half": %q, "mode": %q, "skipped": true } }`,
			first.Tool,
			first.At,
			first.Half,
			first.Mode,
		)
	}
	c = s.call(201, "POST", "/api/v1/calls/1/readings", skip)
	for _, next := range c.Diagnosis.Next {
		assert.False(t, next.At == first.At && next.Half == first.Half && next.Tool == first.Tool && next.Mode == first.Mode)
	}
	assert.Empty(t, c.Halves, "nothing was read")
}

// TestBadActsAreRefused: with the place of what is wrong, and the call as it was.
func TestBadActsAreRefused(t *testing.T) {
	s := withDemo(t)
	before := s.call(200, "GET", "/api/v1/calls/2", "")
	for i, row := range []struct{ reading, want string }{
		{`{ "tool": "act", "act": "dance" }`, "dance"},
		{`{ "tool": "act", "act": "reset", "at": "R1", "held": true }`, "no such GFCI"},
		{`{ "tool": "act", "act": "reset", "at": "G2" }`, "held is missing"},
		{`{ "tool": "act", "act": "plugged", "at": "R1", "half": "top", "watts": 99999 }`, "watts"},
		{`{ "tool": "act", "act": "reset-gfcis", "found": [], "cameBack": ["R77"] }`, "R77"},
		{`{ "tool": "hint", "hint": "smell", "site": "B2", "yes": true }`, "smell"},
		{`{ "tool": "hint", "hint": "live-plate", "site": "B77", "yes": true }`, "B77"},
		{`{ "tool": "hint", "hint": "live-plate", "site": "B2" }`, "yes is missing"},
		{`{ "tool": "plug", "at": "R77", "half": "top", "skipped": true }`, "R77"},
	} {
		w := s.ask(
			"POST",
			"/api/v1/calls/2/readings",
			fmt.Sprintf(`{ "id": "reading-93%02d", "reading": %s }`, i, row.reading),
		)
		assert.Contains(t, []int{400, 422}, w.Code, row.reading)
		assert.Contains(t, w.Body.String(), row.want, row.reading)
	}
	after := s.call(200, "GET", "/api/v1/calls/2", "")
	assert.Equal(t, before.Readings, after.Readings, "nothing was entered")
	assert.Equal(t, before.Diagnosis.Suspects, after.Diagnosis.Suspects)
}

// TestWhatIsPluggedInStays: said once, it is the state of all that is read from
// then on, and is taken back like a reading.
func TestWhatIsPluggedInStays(t *testing.T) {
	s := withDemo(t)
	before := s.call(200, "GET", "/api/v1/calls/3", "")
	plugged := s.call(
		201,
		"POST",
		"/api/v1/calls/3/readings",
		`{ "id": "reading-9401", "reading": { "tool": "act", "act": "plugged", "at": "R4", "half": "top", "watts": 60 } }`,
	)
	assert.Len(t, plugged.Readings, len(before.Readings)+1)
	again := s.call(200, "GET", "/api/v1/calls/3", "")
	assert.Equal(t, plugged.Diagnosis, again.Diagnosis, "asked again it is the same")
	back := s.call(200, "PATCH", "/api/v1/calls/3/readings/reading-9401", `{ "withdrawn": true }`)
	assert.Equal(t, before.Diagnosis.Suspects, back.Diagnosis.Suspects)
}

// TestANewCallKnowsWhatBoxesTaught: nobody has to open the practice for the
// weights to be corrected; from twenty boxes on a new call is diagnosed with them.
func TestANewCallKnowsWhatBoxesTaught(t *testing.T) {
	s := withDemo(t)
	fresh := func() float64 {
		made := s.call(201, "POST", "/api/v1/calls", `{ "title": "Gilding room", "complaint": "an outlet is dead" }`)
		path := fmt.Sprintf("/api/v1/calls/%d", made.Id)
		for _, after := range []string{circuit.Panel, "B1"} {
			s.call(
				201,
				"POST",
				path+"/stops",
				fmt.Sprintf(`{ "after": %q, "label": "behind %s", "ground": true }`, after, after),
			)
		}
		c := s.call(
			201,
			"POST",
			path+"/readings",
			reading(
				fmt.Sprintf("reading-97%02d", made.Id),
				"R2",
				`{ "hotNeutral": "lit", "hotGround": "dark", "neutralGround": "lit" }`,
			),
		)
		p := 0.0
		for _, suspect := range c.Diagnosis.Suspects {
			for _, f := range suspect.Faults {
				if f.Kind == circuit.Swapped && f.At == "R2" && len(suspect.Faults) == 1 {
					p += suspect.Probability
				}
			}
		}
		return p
	}
	before := fresh()
	for i := range 20 {
		w := s.ask(
			"POST",
			"/api/v1/calls/2/readings",
			fmt.Sprintf(
				`{ "id": "reading-96%02d", "reading": { "tool": "eyes", "site": "B3", "found": [ { "kind": "swapped", "at": "R3", "pair": "hot-neutral" } ] } }`,
				i,
			),
		)
		require.Equal(t, 201, w.Code, w.Body.String())
	}
	assert.Greater(t, fresh(), before+0.01)
}

// TestDrawnBeforeWorkedOut: an outlet added is answered before the suspects are worked
// out, and whoever asks next has them.
func TestDrawnBeforeWorkedOut(t *testing.T) {
	s := withDemo(t)
	c := s.call(201, "POST", "/api/v1/calls", `{ "title": "Glaze store", "complaint": "dead" }`)
	call := fmt.Sprintf("/api/v1/calls/%d", c.Id)
	s.call(201, "POST", call+"/stops", `{ "after": "panel", "label": "Door", "ground": true }`)
	c = s.call(201, "POST", call+"/stops", `{ "after": "B1", "label": "Sink", "ground": true }`)
	assert.True(t, c.Pending)
	assert.Len(t, c.Stops, 2)
	assert.Empty(t, c.Diagnosis.Suspects)
	c = s.call(200, "GET", call, "")
	assert.False(t, c.Pending)
	assert.NotEmpty(t, c.Diagnosis.Suspects)
	s.call(
		201,
		"POST",
		call+"/readings",
		`{ "id": "pending-0001", "reading": { "tool": "plug", "at": "R1", "half": "top", "lamps": { "hotNeutral": "dark", "hotGround": "dark", "neutralGround": "dark" } } }`,
	)
	c = s.call(201, "POST", call+"/stops", `{ "after": "B2", "label": "Kiln", "ground": true }`)
	assert.True(t, c.Pending)
	assert.NotEmpty(t, s.call(200, "GET", call, "").Diagnosis.Suspects)
}
