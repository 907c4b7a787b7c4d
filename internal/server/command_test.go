package server_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/internal/api"
)

// sent asks with headers of its own.
func (s *shop) sent(method, path, body string, headers map[string]string) *httptest.ResponseRecorder {
	s.t.Helper()
	r := httptest.NewRequestWithContext(s.t.Context(), method, path, strings.NewReader(body))
	r.Header.Set("Content-Type", "application/json")
	for name, value := range headers {
		r.Header.Set(name, value)
	}
	w := httptest.NewRecorder()
	s.handler.ServeHTTP(w, r)
	return w
}

// TestSentTwiceIsDoneOnce: a command that comes again is not done again, whatever it
// is; its id with something else, or on another call, is refused.
func TestSentTwiceIsDoneOnce(t *testing.T) {
	for _, row := range []struct{ name, method, path, body string }{
		{"a stop", "POST", "/stops", `{ "after": "B1", "label": "Gluing bench", "ground": true }`},
		{"a load", "POST", "/loads", `{ "at": "R5", "half": "bottom", "watts": 900 }`},
		{"the breaker", "PUT", "/breaker", `{ "label": "12", "amps": 15 }`},
		{"a part used", "POST", "/used", `{ "id": "used-1234", "van": "", "item": "lever, 3-wire", "unit": "", "count": 58 }`},
		{"a reading", "POST", "/readings", `{ "id": "reading-1234", "reading": { "at": "R4", "tool": "lamp", "glow": "off" } }`},
		{"an entry", "POST", "/journal", `{ "id": "entry-12345", "entry": { "kind": "note", "text": "rang twice" } }`},
		{"taking back", "POST", "/undo", `{}`},
	} {
		t.Run(row.name, func(t *testing.T) {
			s := withDemo(t)
			s.call(200, "PUT", "/api/v1/calls/3/state", `{ "breakerOn": true }`) // there is something to take back
			s.call(200, "PUT", "/api/v1/calls/3/breaker", `{ "label": "9", "amps": 20 }`)
			once := map[string]string{"Idempotency-Key": "command-" + strings.ReplaceAll(row.name, " ", "-")}
			first := s.sent(row.method, "/api/v1/calls/3"+row.path, row.body, once)
			require.Less(t, first.Code, 300, first.Body.String())
			before := s.call(200, "GET", "/api/v1/calls/3", "")
			again := s.sent(row.method, "/api/v1/calls/3"+row.path, row.body, once)
			assert.Equal(t, first.Code, again.Code, again.Body.String())
			assert.Equal(t, before, s.call(200, "GET", "/api/v1/calls/3", ""))
			assert.Equal(
				t,
				409,
				s.sent("PUT", "/api/v1/calls/3/conditions", `{ "old": true }`, once).Code,
				"with something else",
			)
			assert.Equal(t, 409, s.sent(row.method, "/api/v1/calls/1"+row.path, row.body, once).Code, "on another call")
		})
	}
	s := withDemo(t)
	assert.Equal(
		t,
		422,
		s.sent(
			"PUT",
			"/api/v1/calls/3/breaker",
			`{ "label": "9", "amps": 20 }`,
			map[string]string{"Idempotency-Key": "short"},
		).Code,
	)
	stops := len(s.call(200, "GET", "/api/v1/calls/3", "").Stops)
	for range 2 { // two of them on purpose
		s.call(201, "POST", "/api/v1/calls/3/stops", `{ "after": "B1", "ground": true }`)
	}
	assert.Len(t, s.call(200, "GET", "/api/v1/calls/3", "").Stops, stops+2)
}

// TestTakenWhenItWasDone: what comes late has the time of doing, by the clock of
// this machine, and stands where it belongs.
func TestTakenWhenItWasDone(t *testing.T) {
	s := withDemo(t)
	now := s.call(201, "POST", "/api/v1/calls/3/readings", `{ "id": "reading-now1", "reading": { "at": "R4", "tool": "lamp", "glow": "off" } }`).Readings[0].TakenAt
	at := func(d time.Duration) string { return now.Add(d).Format(time.RFC3339Nano) }
	enter := func(id string, headers map[string]string) *httptest.ResponseRecorder {
		return s.sent(
			"POST",
			"/api/v1/calls/3/readings",
			`{ "id": "`+id+`", "reading": { "at": "R4", "half": "bottom", "tool": "lamp", "glow": "off" } }`,
			headers,
		)
	}
	for i, row := range []struct {
		name       string
		made, sent string
		want       time.Duration // against now
		code       int
	}{
		{"an hour ago", at(-time.Hour), at(0), -time.Hour, 201},
		{"by a clock that is ten minutes fast", at(10*time.Minute - time.Hour), at(10 * time.Minute), -time.Hour, 201},
		{"by a clock that is a day slow", at(-25 * time.Hour), at(-24 * time.Hour), -time.Hour, 201},
		{"no word of when it was sent", at(-2 * time.Hour), "", -2 * time.Hour, 201},
		{"in the time to come", at(time.Hour), at(0), 0, 201},
		{"last year", at(-400 * 24 * time.Hour), at(0), 0, 422},
		{"no time", "noon", "", 0, 422},
		{"sent at no time", at(0), "noon", 0, 422},
	} {
		id := "reading-at-" + string(rune('a'+i))
		w := enter(id, map[string]string{"Elvat-Made-At": row.made, "Elvat-Sent-At": row.sent})
		require.Equal(t, row.code, w.Code, "%s: %s", row.name, w.Body)
		if row.code != http.StatusCreated {
			continue
		}
		var c api.Call
		require.NoError(t, json.Unmarshal(w.Body.Bytes(), &c))
		for _, r := range c.Readings {
			if r.Id == id {
				assert.WithinDuration(t, now.Add(row.want), r.TakenAt, time.Second, row.name)
			}
		}
		for i := 1; i < len(c.Readings); i++ {
			assert.False(t, c.Readings[i].TakenAt.After(c.Readings[i-1].TakenAt), "newest first, by when they were taken")
		}
	}
}

// TestSeveralAtOnce: what a device did out of reach comes in one request, in its
// order, each with a result of its own; sent again nothing is done twice.
func TestSeveralAtOnce(t *testing.T) {
	s := withDemo(t)
	const body = `{ "commands": [
		{ "id": "batch-0001", "madeAt": "2026-05-04T11:58:00Z", "doing": { "do": "add-reading", "id": "reading-b001", "reading": { "at": "R4", "half": "top", "tool": "lamp", "glow": "off" } } },
		{ "id": "batch-0002", "doing": { "do": "set-breaker", "label": "12", "amps": 15 } },
		{ "id": "batch-0003", "doing": { "do": "remove-stop", "box": "B99" } },
		{ "id": "batch-0004", "doing": { "do": "dance" } },
		{ "id": "short", "doing": { "do": "undo" } },
		{ "id": "batch-0005", "madeAt": "2020-01-01T00:00:00Z", "doing": { "do": "undo" } },
		{ "id": "batch-0006", "doing": { "do": "begin", "title": "Mill", "circuit": {} } },
		{ "id": "batch-0007", "doing": { "do": "add-entry", "id": "entry-b001", "entry": { "kind": "handed-over", "who": "Ada", "to": "Bo" } } },
		{ "id": "batch-0008", "doing": { "do": "add-stop", "after": "B1", "label": "Gluing bench" } }
	] }`
	send := func() api.CommandResults {
		w := s.sent(
			"POST",
			"/api/v1/calls/3/commands",
			body,
			map[string]string{"Elvat-Sent-At": "2026-05-04T12:00:00Z", "Elvat-Device": "phone"},
		)
		require.Equal(t, 200, w.Code, w.Body.String())
		var out api.CommandResults
		require.NoError(t, json.Unmarshal(w.Body.Bytes(), &out))
		return out
	}
	out := send()
	require.Len(t, out.Results, 9)
	for i, want := range []struct {
		status int
		says   string
	}{{200, ""}, {200, ""}, {422, "B99"}, {422, "dance"}, {422, "id: between"}, {422, "too long ago"}, {422, "request of its own"}, {409, "not yet"}, {200, ""}} {
		r := out.Results[i]
		assert.Equal(t, want.status == 200, r.Done, r.Id)
		if want.status != 200 {
			assert.Equal(t, want.status, *r.Status, r.Id)
			assert.Contains(t, *r.Detail, want.says, r.Id)
		}
	}
	assert.Equal(t, "12", out.Call.Breaker.Label)
	assert.Equal(t, "reading-b001", out.Call.Readings[0].Id)
	assert.Equal(t, noon.Add(-2*time.Minute), out.Call.Readings[0].TakenAt)
	again := send()
	assert.Equal(t, out.Call, again.Call, "nothing is done twice")
	for i := range out.Results {
		assert.Equal(t, out.Results[i].Done, again.Results[i].Done)
	}
	assert.Equal(t, 404, s.sent("POST", "/api/v1/calls/99/commands", `{ "commands": [] }`, nil).Code)
}

// TestMadeOnce: a call, a site or a person of the shop asked for twice is made once.
func TestMadeOnce(t *testing.T) {
	s := withDemo(t)
	for _, row := range []struct{ path, body string }{
		{"/api/v1/calls", `{ "title": "Mill", "complaint": "dead" }`}, {"/api/v1/sites", `{ "name": "Kiln Row 2" }`},
		{"/api/v1/sites/1/panels", `{ "name": "Cellar" }`}, {"/api/v1/stock", `{ "id": "stock-0001", "van": "Van 3", "item": "wall plate", "unit": "", "count": 4 }`},
	} {
		once := map[string]string{"Idempotency-Key": "made" + strings.ReplaceAll(row.path, "/", "-")}
		first := s.sent("POST", row.path, row.body, once)
		require.Equal(t, 201, first.Code, "%s: %s", row.path, first.Body)
		again := s.sent("POST", row.path, row.body, once)
		assert.Equal(t, 201, again.Code)
		assert.JSONEq(t, first.Body.String(), again.Body.String(), row.path)
		assert.Equal(
			t,
			409,
			s.sent("POST", "/api/v1/calls/1/loads", `{ "at": "R1", "half": "top", "watts": 100 }`, once).Code,
			"%s: its id with something else",
			row.path,
		)
	}
}

// TestStandardHeaders: a version as ETag, strictly held where that is asked for, and
// where to find what was made.
func TestStandardHeaders(t *testing.T) {
	s := withDemo(t)
	first := s.ask("GET", "/api/v1/calls/3", "")
	tag := first.Header().Get("ETag")
	require.Regexp(t, `^"\d+"$`, tag)
	assert.Equal(t, tag, s.ask("GET", "/api/v1/calls/3/work", "").Header().Get("ETag"))
	assert.Equal(t, tag, s.ask("GET", "/api/v1/calls/3/boxes/B3", "").Header().Get("ETag"))
	strict := map[string]string{"If-Match": tag, "Prefer": "handling=strict"}
	changed := s.sent("PUT", "/api/v1/calls/3/breaker", `{ "label": "12", "amps": 15 }`, strict)
	require.Equal(t, 200, changed.Code, changed.Body.String())
	assert.NotEqual(t, tag, changed.Header().Get("ETag"))
	stale := s.sent("PUT", "/api/v1/calls/3/breaker", `{ "label": "9", "amps": 15 }`, strict)
	assert.Equal(t, 412, stale.Code)
	assert.Contains(t, stale.Body.String(), "urn:elvat:problem:other-version")
	assert.Empty(t, stale.Header().Get("ETag"))
	for _, row := range []struct{ path, body, location string }{
		{"/api/v1/calls", `{ "title": "Mill", "complaint": "" }`, "/api/v1/calls/7"}, {"/api/v1/sites", `{ "name": "Kiln Row" }`, "/api/v1/sites/3"},
		{"/api/v1/calls/3/journal", `{ "id": "entry-loc1", "entry": { "kind": "note", "text": "x" } }`, "/api/v1/calls/3/journal/entry-loc1"},
	} {
		w := s.sent("POST", row.path, row.body, nil)
		require.Equal(t, 201, w.Code, w.Body.String())
		assert.Equal(t, row.location, w.Header().Get("Location"))
	}
	for _, row := range []struct {
		method, path, body, code string
		status                   int
	}{
		{"GET", "/api/v1/calls/99", "", "not-found", 404}, {"POST", "/api/v1/calls/1/redo", "", "nothing-to-undo", 409},
		{"PUT", "/api/v1/calls/3/breaker", `{ "label": "9", "amps": -5 }`, "cannot-be-right", 422}, {"GET", "/api/v1/visits/none", "", "link-not-in-force", 404},
		{"POST", "/api/v1/calls/3/boxes/B3/made", "", "gate-shut", 409}, {"POST", "/api/v1/calls/3/meter", `{ "at": "R1", "half": "top", "pair": "hotNeutral" }`, "no-meter", 409},
	} {
		w := s.sent(row.method, row.path, row.body, nil)
		assert.Equal(t, row.status, w.Code, w.Body.String())
		assert.Contains(t, w.Body.String(), `"urn:elvat:problem:`+row.code+`"`, row.path)
	}
	// A page from before an upgrade finds its way.
	old := s.ask("POST", "/api/calls/3/undo", "")
	assert.Equal(t, 308, old.Code)
	assert.Equal(t, "/api/v1/calls/3/undo", old.Header().Get("Location"))
	page := get[[]api.SiteLine](s, 200, "GET", "/api/v1/sites?limit=1", "")
	require.Len(t, page, 1)
	next := get[[]api.SiteLine](s, 200, "GET", fmt.Sprintf("/api/v1/sites?limit=1&before=%d", page[0].Id), "")
	assert.Less(t, next[0].Id, page[0].Id)
	assert.Equal(t, 422, s.ask("GET", "/api/v1/sites?limit=99", "").Code)
}
