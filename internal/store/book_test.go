package store_test

import (
	"database/sql"
	"errors"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/call"
	"elvat/core/job"
	"elvat/core/tester"
	"elvat/internal/store"
)

func directory(serves string) job.Directory {
	return job.Directory{{Breaker: "4", Amps: 20, Serves: serves}}
}

func TestSearch(t *testing.T) {
	s, id, _ := withCall(t)
	ctx := t.Context()
	call, err := s.Call(ctx, id)
	require.NoError(t, err)
	require.NoError(
		t,
		s.SetSummary(
			ctx,
			store.Summary{Call: call, Document: []byte(`{"n":1}`), Words: "Étagère behind the kiln, GFCI will not reset"},
		),
	)
	site, err := s.AddSite(
		ctx,
		store.Site{Name: "Heron Mews 4", Address: "behind the mill", Notes: "ring twice", CreatedAt: noon},
	)
	require.NoError(t, err)
	panel, err := s.AddPanel(ctx, store.Panel{Site: site, Name: "Cellar panel"})
	require.NoError(t, err)
	set(t, s, panel, `[{"breaker":"4","serves":"glue kettle"}]`)
	for _, row := range []struct {
		q    string
		want []int64 // calls above zero, sites below
	}{
		{"kiln", []int64{id}}, {"GFCI kiln", []int64{id}}, {"etag", []int64{id}}, {"behind", []int64{id, -site}}, {"loft", []int64{id, -1}},
		{"kettle", []int64{-site}}, {"cellar mill", []int64{-site}}, {"twice", []int64{-site}}, {"kiln kettle", nil}, {"", nil}, {"  ", nil},
		{`"`, nil}, {`kiln" OR "`, nil}, {"kiln*", []int64{id}}, {"title:loft", nil}, {"NEAR(kiln reset)", nil}, {"'; DROP TABLE calls; --", nil}, {"\x00kiln", []int64{id}}, {"kiln AND", nil},
	} {
		hits, err := s.Search(ctx, row.q, 10)
		require.NoError(t, err, row.q)
		var got []int64
		for _, h := range hits {
			if h.Site {
				h.ID = -h.ID
			}
			got = append(got, h.ID)
		}
		assert.ElementsMatch(t, row.want, got, row.q)
	}
	hits, err := s.Search(ctx, "kiln", 10)
	require.NoError(t, err)
	assert.Contains(t, hits[0].Part, store.HitStart+"kiln"+store.HitEnd)
}

func TestSummaries(t *testing.T) {
	s, id, _ := withCall(t)
	ctx := t.Context()
	kept, err := s.Call(ctx, id)
	require.NoError(t, err)
	_, err = s.Answer(ctx, id)
	require.ErrorIs(t, err, store.ErrNotFound)
	g := store.GFCI{Device: "G1", Label: "Loom", Serves: 3, DueAt: noon}
	answer := store.Answer{Question: "q1", Build: "b", Result: []byte(`{"suspects":[]}`)}
	require.NoError(
		t,
		s.SetSummary(ctx, store.Summary{Call: kept, Document: []byte(`{"n":1}`), Answer: answer, GFCIs: []store.GFCI{g}}),
	)
	stale, err := s.Stale(ctx)
	require.NoError(t, err)
	assert.Empty(t, stale)
	again, err := s.Answer(ctx, id)
	require.NoError(t, err)
	answer.Summary = []byte(`{"n":1}`)
	assert.Equal(t, answer, again)
	do(t, s, id, &call.SetState{State: &tester.State{BreakerOn: new(false)}})
	require.NoError(
		t,
		s.SetSummary(ctx, store.Summary{Call: kept, Document: []byte(`{"n":2}`)}),
		"worked out from what is no more",
	)
	lines, err := s.CallLines(ctx, false, 0, 9)
	require.NoError(t, err)
	require.Len(t, lines, 1)
	assert.Equal(t, `{"n":1}`, string(lines[0].Summary), "not kept")
	kept, err = s.Call(ctx, id)
	require.NoError(t, err)
	assert.True(t, kept.Stale)
	require.NoError(
		t,
		s.SetSummary(
			ctx,
			store.Summary{
				Call:       kept,
				Document:   []byte(`{"n":3}`),
				HandedOver: true,
				Answer:     store.Answer{Question: "q2", Result: []byte(`{}`)},
			},
		),
	)
	again, err = s.Answer(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, "q2", again.Question, "one a call: nobody asks the other any more")
	assert.True(t, again.HandedOver)
	over, err := s.CallLines(ctx, true, id+1, 9)
	require.NoError(t, err)
	assert.Len(t, over, 1)

	due, err := s.DueGFCIs(ctx, noon, 9)
	require.NoError(t, err)
	require.Len(t, due, 1)
	assert.Equal(t, "Loft house", due[0].SiteAt)
	assert.Nil(t, due[0].InstalledAt)
	at := noon.AddDate(-3, 0, 0)
	require.NoError(t, s.SetInstalled(ctx, kept.Run, "G1", &at))
	of, err := s.GFCIsOfSite(ctx, due[0].Site)
	require.NoError(t, err)
	assert.Equal(t, at, *of[0].InstalledAt)
	require.NoError(t, s.SetInstalled(ctx, kept.Run, "G1", nil))
	due, err = s.DueGFCIs(ctx, noon.Add(-time.Hour), 9)
	require.NoError(t, err)
	assert.Empty(t, due, "not yet")
}

func TestPeople(t *testing.T) {
	s, _, _ := withCall(t)
	ctx := t.Context()
	id, err := s.AddPerson(ctx, store.Person{Name: "Ada", Role: "electrician", Passphrase: "hash", CreatedAt: noon})
	require.NoError(t, err)
	_, err = s.AddPerson(ctx, store.Person{Name: "ada", Role: "helper", CreatedAt: noon})
	require.ErrorIs(t, err, store.ErrTaken, "whatever the case")
	require.NoError(t, s.SignIn(ctx, "token", id, store.Session{CreatedAt: noon, FreshAt: noon, Place: "192.0.2.1", Browser: "one"}))
	p, session, err := s.SignedIn(ctx, "token")
	require.NoError(t, err)
	assert.Equal(t, "Ada", p.Name)
	assert.Equal(t, noon, session.CreatedAt)
	_, _, err = s.SignedIn(ctx, "other")
	require.ErrorIs(t, err, store.ErrNotFound)
	all, err := s.SessionsOf(ctx, id)
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.Equal(t, "192.0.2.1", all[0].Place)
	require.ErrorIs(t, s.EndSession(ctx, id+1, all[0].ID), store.ErrNotFound, "not another's")
	require.NoError(t, s.ChangePerson(ctx, id, store.PersonChange{Role: new("helper")}, nil))
	_, _, err = s.SignedIn(ctx, "token")
	require.ErrorIs(t, err, store.ErrNotFound, "another role ends the sessions")
	require.ErrorIs(t, s.ChangePerson(ctx, id, store.PersonChange{Passphrase: "new", Was: "older"}, nil), store.ErrMoved)
	no := errors.New("nobody is left")
	require.ErrorIs(t, s.ChangePerson(ctx, id, store.PersonChange{Withdrawn: new(true)}, func([]store.Person) error { return no }), no)
	p, err = s.Person(ctx, id)
	require.NoError(t, err)
	assert.False(t, p.Withdrawn, "what is refused is not set")
	for i := range 3 {
		require.NoError(t, s.Failed(ctx, "ADA", "", noon.Add(time.Duration(i)*time.Minute), noon.Add(-time.Hour)))
	}
	for browser, want := range map[string]int{"": 2, "a known one": 0} {
		n, err := s.Failures(ctx, "ada", browser, noon.Add(time.Minute))
		require.NoError(t, err)
		assert.Equal(t, want, n)
	}
	require.NoError(t, s.ClearFailures(ctx, "Ada"))

	require.NoError(t, s.AddVisit(ctx, "link-1", store.BeforeVisit, store.Visit{Call: 1, MadeAt: noon, ExpiresAt: noon.Add(time.Hour)}))
	_, err = s.Visit(ctx, "link-1", store.BeforeVisit, noon)
	require.NoError(t, err)
	_, err = s.Visit(ctx, "link-1", store.BeforeVisit, noon.Add(time.Hour))
	require.ErrorIs(t, err, store.ErrNotFound, "run out")
	_, err = s.Visit(ctx, "link-1", store.OfResult, noon)
	assert.ErrorIs(t, err, store.ErrNotFound, "it opens nothing of another kind")
	require.NoError(t, s.AddVisit(ctx, "link-2", store.BeforeVisit, store.Visit{Call: 1, MadeAt: noon, ExpiresAt: noon.Add(time.Hour)}))
	_, err = s.Visit(ctx, "link-1", store.BeforeVisit, noon)
	require.ErrorIs(t, err, store.ErrNotFound, "another took its place")
}

// TestEventsStand: what happened is not edited, and not let go before its time, by whatever
// statement.
func TestEventsStand(t *testing.T) {
	path := filepath.Join(t.TempDir(), "shop.db")
	s, err := store.Open(t.Context(), path)
	require.NoError(t, err)
	defer s.Close()
	require.NoError(t, s.AddEvent(t.Context(), store.Event{At: time.Now().Add(-store.EventsStay - 48*time.Hour), What: "signed-in", Person: "Old"}))
	for range 3 {
		require.NoError(t, s.AddEvent(t.Context(), store.Event{At: time.Now(), What: "signed-in", Person: "Ada", Call: 3}))
	}
	all, err := s.Events(t.Context(), 0, 9)
	require.NoError(t, err)
	require.Len(t, all, 3, "what is older than two years has gone by itself")
	db, err := sql.Open("sqlite", path)
	require.NoError(t, err)
	defer db.Close()
	for _, statement := range []string{"UPDATE events SET person = 'Bo'", "DELETE FROM events", "DELETE FROM events WHERE id = 3"} {
		_, err = db.Exec(statement)
		require.Error(t, err, statement)
	}
	older, err := s.Events(t.Context(), all[1].ID, 9)
	require.NoError(t, err)
	assert.Equal(t, all[2:], older)
}
