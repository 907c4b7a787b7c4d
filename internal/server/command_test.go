package server_test

import (
	"encoding/json"
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
			s.call(200, "PUT", "/api/calls/3/state", `{ "breakerOn": true }`) // there is something to take back
			s.call(200, "PUT", "/api/calls/3/breaker", `{ "label": "9", "amps": 20 }`)
			once := map[string]string{"Elvat-Command": "command-" + strings.ReplaceAll(row.name, " ", "-")}
			first := s.sent(row.method, "/api/calls/3"+row.path, row.body, once)
			require.Less(t, first.Code, 300, first.Body.String())
			before := s.call(200, "GET", "/api/calls/3", "")
			again := s.sent(row.method, "/api/calls/3"+row.path, row.body, once)
			assert.Equal(t, first.Code, again.Code, again.Body.String())
			assert.Equal(t, before, s.call(200, "GET", "/api/calls/3", ""))
			assert.Equal(t, 409, s.sent("PUT", "/api/calls/3/conditions", `{ "old": true }`, once).Code, "with something else")
			assert.Equal(t, 409, s.sent(row.method, "/api/calls/1"+row.path, row.body, once).Code, "on another call")
		})
	}
	s := withDemo(t)
	assert.Equal(t, 422, s.sent("PUT", "/api/calls/3/breaker", `{ "label": "9", "amps": 20 }`, map[string]string{"Elvat-Command": "short"}).Code)
	stops := len(s.call(200, "GET", "/api/calls/3", "").Stops)
	for range 2 { // two of them on purpose
		s.call(201, "POST", "/api/calls/3/stops", `{ "after": "B1", "ground": true }`)
	}
	assert.Len(t, s.call(200, "GET", "/api/calls/3", "").Stops, stops+2)
}

// TestTakenWhenItWasDone: what comes late has the time of doing, by the clock of
// this machine, and stands where it belongs.
func TestTakenWhenItWasDone(t *testing.T) {
	s := withDemo(t)
	now := s.call(201, "POST", "/api/calls/3/readings", `{ "id": "reading-now1", "reading": { "at": "R4", "tool": "lamp", "glow": "off" } }`).Readings[0].TakenAt
	at := func(d time.Duration) string { return now.Add(d).Format(time.RFC3339Nano) }
	enter := func(id string, headers map[string]string) *httptest.ResponseRecorder {
		return s.sent("POST", "/api/calls/3/readings", `{ "id": "`+id+`", "reading": { "at": "R4", "half": "bottom", "tool": "lamp", "glow": "off" } }`, headers)
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
