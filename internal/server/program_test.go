package server_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/job"
	"elvat/internal/api"
)

// TestAProgramPassesNoGate: a token of an electrician's opens no gate and takes no finding on, by no
// route; what a helper did without a signal and an electrician takes on names both.
func TestAProgramPassesNoGate(t *testing.T) {
	o := newOffice(t)
	w := o.ask(job.Electrician, "POST", "/api/v1/tokens", `{ "name": "the robot", "role": "electrician" }`)
	require.Equal(t, 201, w.Code, w.Body)
	var made struct{ Token string }
	require.NoError(t, json.Unmarshal(w.Body.Bytes(), &made))
	by := func(path, body string) (int, string) {
		w := o.ask("", "POST", path, body, "Authorization", "Bearer "+made.Token)
		return w.Code, w.Body.String()
	}
	const pass = `"entry":{"kind":"override","gate":"open","box":"B3","who":"A","standing":"licensed","reason":"alone"}`
	const accept = `"entry":{"kind":"accepted","box":"B3","finding":"f","text":"t","who":"A","standing":"licensed","reason":"alone"}`
	const waiting = `{"calls":{},"commands":[{"id":%q,"call":3,"n":1,"madeAt":"2026-05-04T11:00:00Z","seen":0,"doing":{"do":"add-entry","id":%q,%s}}]}`
	for n, entry := range []string{pass, accept} {
		code, body := by("/api/v1/calls/3/journal", fmt.Sprintf(`{"id":"program-j-%04d",%s}`, n, entry))
		assert.Equal(t, 403, code, body)
		assert.Contains(t, body, "not by a program")
		code, body = by("/api/v1/calls/3/commands", fmt.Sprintf(`{"commands":[{"id":"program-c-%04d","doing":{"do":"add-entry","id":"program-e-%04d",%s}}]}`, n, n, entry))
		assert.Equal(t, 200, code, body)
		assert.Contains(t, body, `"status":403`)
		code, body = by("/api/v1/sync", fmt.Sprintf(waiting, fmt.Sprintf("program-s-%04d", n), fmt.Sprintf("program-f-%04d", n), entry))
		assert.Equal(t, 200, code, body)
		assert.Contains(t, body, "qualified person only")
		code, body = by(fmt.Sprintf("/api/v1/decisions/program-s-%04d", n), `{"take":true}`)
		assert.Equal(t, 403, code, "a program takes nothing on: %s", body)
	}
	// A helper's phone brings it; a person takes it on.
	w = o.ask(job.Helper, "POST", "/api/v1/sync", fmt.Sprintf(waiting, "helper-s-0001", "helper-f-0001", pass))
	require.Equal(t, 200, w.Code, w.Body)
	require.Contains(t, w.Body.String(), "qualified person only")
	w = o.ask(job.Electrician, "POST", "/api/v1/decisions/helper-s-0001", `{"take":true}`)
	require.Equal(t, 200, w.Code, w.Body)
	w = o.ask(job.Electrician, "GET", "/api/v1/calls/3/report", "")
	var report api.Report
	require.NoError(t, json.Unmarshal(w.Body.Bytes(), &report))
	assert.Contains(t, strings.Join(report.Overrides, "\n"), "Entered by The helper, taken on by The electrician.")
	w = o.ask(job.Electrician, "GET", "/api/v1/events", "")
	assert.Contains(t, w.Body.String(), "entered by The helper")
	assert.NotContains(t, w.Body.String(), "program-")
}
