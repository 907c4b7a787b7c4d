package server_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/job"
	"elvat/internal/api"
)

// looks is all of a call that people see, without what undoing itself changes.
func looks(s *shop, call string) string {
	c := s.call(200, "GET", call, "")
	c.Undo, c.Redo, c.Version = nil, nil, 0
	kept := c.Readings[:0]
	for _, r := range c.Readings {
		if !r.Withdrawn { // what was taken back is still shown, struck out
			kept = append(kept, r)
		}
	}
	c.Readings = kept
	w := get[api.Work](s, 200, "GET", call+"/work", "")
	lines := w.Journal[:0]
	for _, l := range w.Journal {
		if !l.Entry.Withdrawn {
			lines = append(lines, l)
		}
	}
	w.Journal, w.Version = lines, 0
	w.Directory = nil // of the house: undo on a call leaves it, and what is searched in it
	w.Search = job.Search{}
	text, err := json.Marshal(struct {
		Call api.Call
		Work api.Work
	}{c, w})
	require.NoError(s.t, err)
	return string(text)
}

// drawn is a row of things that may be done on the first call of the demo.
func drawn(r *rand.Rand, of string) func() (method, path, body string) {
	stop := func() string { return fmt.Sprintf("B%d", 1+r.IntN(4)) }
	n := 0
	id := func() string { n++; return fmt.Sprintf("%s-%04d", of, n) }
	steps := []func() (method, path, body string){
		func() (string, string, string) {
			return "POST", "/readings", fmt.Sprintf(
				`{ "id": %q, "reading": { "at": "R%d", "half": "top", "tool": "lamp", "glow": "bright" } }`,
				id(),
				1+r.IntN(4),
			)
		},
		func() (string, string, string) {
			return "PATCH", "/stops/" + stop(), fmt.Sprintf(`{ "feet": %d }`, 5+r.IntN(60))
		},
		func() (string, string, string) {
			return "PUT", "/breaker", fmt.Sprintf(`{ "label": "%d", "amps": 15 }`, 1+r.IntN(30))
		},
		func() (string, string, string) {
			return "PUT", "/state", fmt.Sprintf(`{ "breakerOn": %t }`, r.IntN(2) == 0)
		},
		func() (string, string, string) {
			return "PUT", "/conditions", fmt.Sprintf(`{ "boxes": { %q: ["worn"] } }`, stop())
		},
		func() (string, string, string) {
			return "POST", "/journal", fmt.Sprintf(`{ "id": %q, "entry": { "kind": "note", "text": "%d" } }`, id(), n)
		},
		func() (string, string, string) {
			return "POST", "/journal", fmt.Sprintf(
				`{ "id": %q, "entry": { "kind": "traced", "way": "tracer", "breaker": "%d" } }`,
				id(),
				1+r.IntN(12),
			)
		},
		func() (string, string, string) {
			return "POST", "/used", fmt.Sprintf(
				`{ "id": %q, "van": "Van 1", "item": "wall plate", "unit": "", "count": 1 }`,
				id(),
			)
		},
		func() (string, string, string) {
			return "PUT", fmt.Sprintf("/changed/R%d", 1+r.IntN(4)), fmt.Sprintf(`{ "changed": %t }`, r.IntN(2) == 0)
		},
	}
	return func() (string, string, string) { return steps[r.IntN(len(steps))]() }
}

// TestWhateverWasDone on a call, taken back step by step, it looks as it did at
// each step, and brought back it does again.
func TestWhateverWasDone(t *testing.T) {
	s := withDemo(t)
	const call = "/api/v1/calls/1"
	s.call(200, "POST", call+"/cautions", "")
	start := s.call(200, "GET", call, "").Version
	draw := drawn(rand.New(rand.NewPCG(3, 9)), "random")
	seen := []string{looks(s, call)}
	version := start
	for len(seen) < 20 {
		method, path, body := draw()
		w := s.ask(method, call+path, body)
		require.Less(t, w.Code, 300, "%s %s: %s", method, path, w.Body)
		if now := s.call(200, "GET", call, "").Version; now != version { // what changed nothing is no step
			version = now
			seen = append(seen, looks(s, call))
		}
	}
	for i := len(seen) - 2; i >= 0; i-- {
		s.call(200, "POST", call+"/undo", "")
		assert.JSONEq(t, seen[i], looks(s, call), "step %d taken back", i+1)
	}
	for i := 1; i < len(seen); i++ {
		s.call(200, "POST", call+"/redo", "")
		assert.JSONEq(t, seen[i], looks(s, call), "step %d brought back", i)
	}
}
