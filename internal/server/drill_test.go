package server_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/drill"
	"elvat/core/job"
	"elvat/internal/api"
	"elvat/internal/kept"
)

// TestDrillsLieApart: a drill answers as any call does, and nothing that lists, searches or learns
// from calls comes across it; its readings are the model's, its advice is asked for.
func TestDrillsLieApart(t *testing.T) {
	o := newOffice(t)
	before := as[[]api.CallSummary](o, job.Helper, "GET", "/api/v1/calls", "")
	practice := as[json.RawMessage](o, job.Electrician, "GET", "/api/v1/practice", "")
	call := as[api.Call](o, job.Helper, "POST", "/api/v1/drills", `{"theme":"patterns","level":1,"seed":1}`, "Idempotency-Key", "command-drill-1")
	again := as[api.Call](o, job.Helper, "POST", "/api/v1/drills", `{"theme":"patterns","level":1,"seed":1}`, "Idempotency-Key", "command-drill-1")
	assert.Equal(t, call.Id, again.Id, "sent twice, begun once")
	at := fmt.Sprintf("/api/v1/calls/%d", call.Id)
	require.NotNil(t, call.Drill)
	as[api.Call](o, job.Helper, "POST", at+"/cautions", "")
	lied := fmt.Sprintf(`{"id":"reading-one","reading":{"tool":"sensor","at":%q,"half":%q,"slots":{"hot":"none"}}}`, call.Drill.At, call.Drill.Half)
	read := as[api.Call](o, job.Helper, "POST", at+"/readings", lied)
	assert.Contains(t, read.Readings[0].Says, "neutral slot strong", "what the model shows, not what was typed")
	assert.Empty(t, read.Diagnosis.Suspects)
	assert.Empty(t, read.Diagnosis.Hidden)
	assert.Empty(t, read.WorkBox, "nothing tells which box")
	advised := as[api.Call](o, job.Helper, "POST", at+"/drill", `{"what":"advice"}`)
	assert.NotEmpty(t, advised.Diagnosis.Suspects)

	stopped := as[api.Call](o, job.Helper, "POST", at+"/readings", `{"id":"reading-two","reading":{"tool":"eyes","site":"B3","found":false}}`)
	require.NotNil(t, stopped.Drill.Stopped)
	assert.Equal(t, drill.Touched, stopped.Drill.Stopped.Danger)
	score := as[drill.Score](o, job.Helper, "GET", at+"/drill", "")
	assert.Zero(t, score.Points)
	assert.Len(t, score.Replay, 3)
	refused := o.ask(job.Helper, "POST", at+"/readings", `{"id":"reading-three","reading":{"tool":"plug","at":"R1"}}`)
	assert.Equal(t, http.StatusUnprocessableEntity, refused.Code)
	assert.Contains(t, refused.Body.String(), "the drill is over")

	sheet := as[api.DrillSheet](o, job.Helper, "GET", "/api/v1/drills", "")
	assert.Len(t, sheet.Shipped, 60)
	require.Len(t, sheet.Mine, 1)
	assert.Equal(t, call.Id, sheet.Mine[0].Call)
	assert.Equal(t, drill.Dangerous, sheet.Mistakes[0].Kind, "the gravest first")
	assert.Empty(t, as[api.DrillSheet](o, job.Electrician, "GET", "/api/v1/drills", "").Mine, "each has their own")
	people := as[[]api.DrillPerson](o, job.Electrician, "GET", "/api/v1/drills/people", "")
	require.Len(t, people, 2, "the demo's own, and the helper's")
	assert.Equal(t, 1, people[0].Drills)
	assert.Equal(t, http.StatusForbidden, o.ask(job.Helper, "GET", "/api/v1/drills/people", "").Code)

	assert.Equal(t, before, as[[]api.CallSummary](o, job.Helper, "GET", "/api/v1/calls", ""))
	assert.JSONEq(t, string(practice), string(as[json.RawMessage](o, job.Electrician, "GET", "/api/v1/practice", "")), "nothing was learned from it")
	for _, path := range []string{"/report", "/result", "/quote"} {
		w := o.ask(job.Electrician, "GET", at+path, "")
		assert.GreaterOrEqual(t, w.Code, 400, "%s: a drill has no papers", path)
	}
}

// TestASceneOfTheShops is made from a call, its names taken out, and begun from its file.
func TestASceneOfTheShops(t *testing.T) {
	o := newOffice(t)
	nothing := o.ask(job.Electrician, "POST", "/api/v1/drills/scene", `{"call":3}`)
	assert.Equal(t, http.StatusUnprocessableEntity, nothing.Code)
	assert.Contains(t, nothing.Body.String(), "nothing was found on that call")
	hidden := `{"call":3,"hidden":[{"kind":"open","at":"W2@B2.neutral"}]}`
	w := o.ask(job.Electrician, "POST", "/api/v1/drills/scene", hidden)
	require.Equal(t, http.StatusOK, w.Code, w.Body)
	for _, name := range []string{"Bindery", "Standing press", "Glue pot", "Sewing"} {
		assert.NotContains(t, w.Body.String(), name)
	}
	s, err := drill.Parse(w.Body.Bytes())
	require.NoError(t, err)
	body, err := json.Marshal(map[string]string{"scene": w.Body.String()})
	require.NoError(t, err)
	call := as[api.Call](o, job.Electrician, "POST", "/api/v1/drills", string(body))
	assert.Equal(t, s.Name, call.Title)
	bad := o.ask(job.Electrician, "POST", "/api/v1/drills", `{"theme":"magic"}`)
	assert.Equal(t, http.StatusUnprocessableEntity, bad.Code)
	assert.Contains(t, bad.Body.String(), `theme: \"magic\" is none of`)
	assert.Contains(t, o.ask(job.Electrician, "POST", "/api/v1/calls/3/drill", `{"what":"advice"}`).Body.String(), "this is a call, and no drill")
}

// TestSchool: every lesson has every tester, and what hides is said to.
func TestSchool(t *testing.T) {
	o := newOffice(t)
	class := as[api.SchoolClass](o, job.Helper, "GET", "/api/v1/school?lesson=reversed-bootleg&load=0", "")
	assert.True(t, class.Live)
	hides := func(name string) bool {
		return slices.ContainsFunc(class.Seen, func(s drill.Seen) bool { return strings.HasPrefix(s.Name, name) && s.Hides })
	}
	assert.True(t, hides("Three-lamp"))
	assert.False(t, hides("Non-contact"))
	assert.Equal(t, http.StatusUnprocessableEntity, o.ask(job.Helper, "GET", "/api/v1/school?lesson=magic&load=0", "").Code)
}

// TestDrillFromAPhone: what was done in a drill without a signal is carried out once when it comes,
// and what comes after its end is let go of: nobody is asked to decide on it.
func TestDrillFromAPhone(t *testing.T) {
	o := newOffice(t)
	call := as[api.Call](o, job.Helper, "POST", "/api/v1/drills", `{"theme":"patterns","level":1,"seed":1}`)
	at := fmt.Sprintf("/api/v1/calls/%d", call.Id)
	var commands []string
	for i, doing := range []string{
		`{"do":"read-cautions"}`,
		`{"do":"add-reading","id":"phone-reading-1","reading":{"tool":"sensor","at":"R3","half":"bottom"}}`,
		`{"do":"do-in-drill","what":"give-up"}`,
		`{"do":"add-reading","id":"phone-reading-2","reading":{"tool":"plug","at":"R3","half":"bottom"}}`,
	} {
		commands = append(commands, fmt.Sprintf(`{"call":%d,"id":"phone-command-%d","n":%d,"madeAt":%q,"seen":1,"doing":%s}`, call.Id, i, i+1, o.now.Format("2006-01-02T15:04:05Z07:00"), doing))
	}
	body := fmt.Sprintf(`{"calls":{},"commands":[%s]}`, strings.Join(commands, ","))
	for range 2 { // sent again, since the answer was lost
		answer := as[api.SyncAnswer](o, job.Helper, "POST", "/api/v1/sync", body, "Elvat-Device", "helpers-phone")
		assert.Empty(t, answer.Decisions)
		assert.True(t, slices.ContainsFunc(answer.Calls, func(p kept.Packed) bool { return p.ID == call.Id }), "one's own drills lie on one's phone")
	}
	assert.Len(t, as[drill.Score](o, job.Helper, "GET", at+"/drill", "").Replay, 2)
	others := as[api.SyncAnswer](o, job.Electrician, "POST", "/api/v1/sync", `{"calls":{},"commands":[]}`, "Elvat-Device", "anothers-phone")
	assert.False(t, slices.ContainsFunc(others.Calls, func(p kept.Packed) bool { return p.ID == call.Id }))
}
