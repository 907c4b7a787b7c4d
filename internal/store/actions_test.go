package store_test

import (
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/internal/store"
)

// act does something on the call as a device.
func act(t *testing.T, s *store.Store, call int64, device, what string, do func(context.Context) error) {
	t.Helper()
	require.NoError(t, s.Do(t.Context(), store.Action{Call: call, What: what, Device: device, At: noon}, do))
}

// sight is all of a call that undo can touch.
func sight(t *testing.T, s *store.Store, id int64) string {
	t.Helper()
	ctx := t.Context()
	call, err := s.Call(ctx, id)
	require.NoError(t, err)
	circuit, err := s.Circuit(ctx, id)
	require.NoError(t, err)
	seen := []string{call.Title, call.Complaint, string(call.State), string(call.Conditions), string(call.Map), string(circuit.Document)}
	readings, err := s.Readings(ctx, id)
	require.NoError(t, err)
	for _, r := range readings {
		if !r.Withdrawn {
			seen = append(seen, r.ID, map[bool]string{true: "doubtful"}[r.Doubtful])
		}
	}
	journal, err := s.Journal(ctx, id)
	require.NoError(t, err)
	for _, e := range journal {
		if !e.Withdrawn {
			seen = append(seen, e.ID)
		}
	}
	boxes, err := s.Boxes(ctx, id)
	require.NoError(t, err)
	for _, name := range boxes {
		b, err := s.Box(ctx, id, name)
		require.NoError(t, err)
		made := ""
		if b.MadeAt != nil {
			made = "made"
		}
		seen = append(seen, name, string(b.Document), strings.Join(b.Done, ","), made)
	}
	changed, err := s.Changed(ctx, id)
	require.NoError(t, err)
	pictures, err := s.Pictures(ctx, id)
	require.NoError(t, err)
	for _, p := range pictures {
		seen = append(seen, p.Phase)
	}
	used, err := s.Used(ctx, id)
	require.NoError(t, err)
	for _, u := range used {
		seen = append(seen, u.Item)
	}
	return strings.Join(append(seen, changed...), "|")
}

// TestUndo: every kind of change is taken back, one by one to the beginning, and
// brought back, after the file was closed and opened again too.
func TestUndo(t *testing.T) {
	s, id, path := withCall(t)
	panel, err := s.PanelOfRun(t.Context(), 1)
	require.NoError(t, err)
	steps := []func(context.Context) error{
		func(ctx context.Context) error {
			return s.AddReading(ctx, id, store.Reading{ID: "r1", TakenAt: noon, Document: []byte(`{}`)})
		},
		func(ctx context.Context) error { return s.DoubtReading(ctx, id, "r1", true) },
		func(ctx context.Context) error { return s.WithdrawReading(ctx, id, "r1", true) },
		func(ctx context.Context) error { return s.AddCircuit(ctx, id, []byte(`{"v":2}`), noon) },
		func(ctx context.Context) error { return s.UndoCircuit(ctx, id) },
		func(ctx context.Context) error { return s.SetState(ctx, id, []byte(`{"breakerOn":false}`)) },
		func(ctx context.Context) error { return s.SetConditions(ctx, id, []byte(`{"old":true}`)) },
		func(ctx context.Context) error { return s.SetMap(ctx, id, []byte(`{}`)) },
		func(ctx context.Context) error {
			return s.UpdateCall(ctx, store.Call{ID: id, Title: "Attic", Complaint: "dim"})
		},
		func(ctx context.Context) error { return s.SetBox(ctx, id, "B1", []byte(`{"a":1}`)) },
		func(ctx context.Context) error { return s.SetBox(ctx, id, "B1", []byte(`{"a":2}`)) },
		func(ctx context.Context) error { return s.SetSteps(ctx, id, "B1", []string{"x", "y"}) },
		func(ctx context.Context) error { return s.SetChanged(ctx, id, "R1", true) },
		func(ctx context.Context) error { return s.SetChanged(ctx, id, "R1", false) },
		func(ctx context.Context) error { // a breaker found: what is learned of the panel stays with the house
			return errors.Join(s.SetDirectory(ctx, panel.ID, []byte(`[{"breaker":"9"}]`)), s.AddEntry(ctx, id, store.Entry{ID: "e0", At: noon, Document: []byte(`{}`)}))
		},
		func(ctx context.Context) error {
			_, err := s.AddPicture(ctx, id, store.Picture{Phase: "prove", TakenAt: noon}, []byte("x"))
			return err
		},
		func(ctx context.Context) error { // a make-up: several at once
			return errors.Join(s.AddCircuit(ctx, id, []byte(`{"v":3}`), noon), s.SetMade(ctx, id, "B1", noon),
				s.AddEntry(ctx, id, store.Entry{ID: "e1", At: noon, Document: []byte(`{}`)}),
				s.AddMove(ctx, store.Move{ID: "m1", Call: id, Van: "v", Item: "lever", Count: -2, At: noon}))
		},
	}
	seen := []string{sight(t, s, id)}
	for i, step := range steps {
		act(t, s, id, "a", "step", step)
		seen = append(seen, sight(t, s, id))
		if i > 0 {
			assert.NotEqual(t, seen[i], seen[i+1], "step %d shows", i)
		}
	}
	undo := func(way func(context.Context, store.Action) error) error {
		return way(t.Context(), store.Action{Call: id, Device: "b", At: noon})
	}
	for range 2 { // down and up, and down and up again
		for i := len(steps) - 1; i >= 0; i-- {
			require.NoError(t, undo(s.Undo))
			require.Equal(t, seen[i], sight(t, s, id), "step %d taken back", i)
		}
		require.ErrorIs(t, undo(s.Undo), store.ErrNothingLeft)
		kept, err := s.PanelOfRun(t.Context(), 1)
		require.NoError(t, err)
		require.JSONEq(t, `[{"breaker":"9"}]`, string(kept.Directory))
		require.NoError(t, s.Close())
		s = open(t, path)
		for i := range steps {
			require.NoError(t, undo(s.Redo))
			require.Equal(t, seen[i+1], sight(t, s, id), "step %d brought back", i)
		}
		require.ErrorIs(t, undo(s.Redo), store.ErrNothingLeft)
	}
	require.NoError(t, undo(s.Undo))
	act(t, s, id, "a", "another way", func(ctx context.Context) error { return s.SetState(ctx, id, []byte(`{"breakerOn":true}`)) })
	require.ErrorIs(t, undo(s.Redo), store.ErrNothingLeft, "something else was done since")
}

// TestUndoLeavesWhatOthersSet: in the same row, and in the same document.
func TestUndoLeavesWhatOthersSet(t *testing.T) {
	for _, row := range []struct {
		name         string
		mine, theirs func(ctx context.Context, s *store.Store, id int64) error
		want         string // complaint, conditions
		again        string // brought back
	}{
		{
			"the complaint corrected, then the customer says that it is warm",
			func(ctx context.Context, s *store.Store, id int64) error {
				return s.UpdateCall(ctx, store.Call{ID: id, Title: "Attic", Complaint: "dim"})
			},
			func(ctx context.Context, s *store.Store, id int64) error {
				return s.SetConditions(ctx, id, []byte(`{"boxes":{"B1":["warm"]}}`))
			},
			`|{"boxes":{"B1":["warm"]}}`, `dim|{"boxes":{"B1":["warm"]}}`,
		},
		{
			"two fields of one document",
			func(ctx context.Context, s *store.Store, id int64) error {
				return s.SetConditions(ctx, id, []byte(`{"old":true}`))
			},
			func(ctx context.Context, s *store.Store, id int64) error {
				return s.SetConditions(ctx, id, []byte(`{"boxes":{"B1":["warm"]},"old":true}`))
			},
			`|{"boxes":{"B1":["warm"]}}`, `|{"boxes":{"B1":["warm"]},"old":true}`,
		},
		{
			"the same value: what was set since stands",
			func(ctx context.Context, s *store.Store, id int64) error {
				return s.UpdateCall(ctx, store.Call{ID: id, Title: "Attic", Complaint: "dim"})
			},
			func(ctx context.Context, s *store.Store, id int64) error {
				return s.UpdateCall(ctx, store.Call{ID: id, Title: "Attic", Complaint: "dim, and warm"})
			},
			"dim, and warm|", "dim, and warm|",
		},
	} {
		t.Run(row.name, func(t *testing.T) {
			s, id, _ := withCall(t)
			call, err := s.Call(t.Context(), id)
			require.NoError(t, err)
			complaint := call.Complaint
			act(t, s, id, "a", "mine", func(ctx context.Context) error { return row.mine(ctx, s, id) })
			act(t, s, id, store.Customer, "theirs", func(ctx context.Context) error { return row.theirs(ctx, s, id) })
			is := func() string {
				call, err := s.Call(t.Context(), id)
				require.NoError(t, err)
				return strings.TrimPrefix(call.Complaint, complaint) + "|" + string(call.Conditions)
			}
			require.NoError(t, s.Undo(t.Context(), store.Action{Call: id, Device: "a", At: noon}))
			assert.Equal(t, row.want, is())
			require.NoError(t, s.Redo(t.Context(), store.Action{Call: id, Device: "a", At: noon}))
			assert.Equal(t, row.again, is())
		})
	}
}

func TestActions(t *testing.T) {
	s, id, _ := withCall(t)
	ctx := t.Context()
	failed := errors.New("no")
	err := s.Do(ctx, store.Action{Call: id, What: "half", At: noon}, func(ctx context.Context) error {
		return errors.Join(s.SetState(ctx, id, []byte(`{"half":true}`)), failed)
	})
	require.ErrorIs(t, err, failed)
	call, err := s.Call(ctx, id)
	require.NoError(t, err)
	assert.Nil(t, call.State, "all of it, or nothing")
	require.ErrorIs(t, s.Do(ctx, store.Action{Call: 99, At: noon}, func(context.Context) error { return nil }), store.ErrNotFound)

	act(t, s, id, "a", "looked", func(context.Context) error { return nil })
	last, _, err := s.Undoable(ctx, id)
	require.NoError(t, err)
	assert.Nil(t, last, "what changed nothing is nothing to take back")
	act(t, s, id, store.Customer, "answer", func(ctx context.Context) error {
		return s.AddAnswer(ctx, id, store.Entry{ID: "a1", At: noon, Document: []byte(`{"kind":"danger"}`)})
	})
	last, _, err = s.Undoable(ctx, id)
	require.NoError(t, err)
	assert.Nil(t, last, "what the customer said is not the shop's to take back")
	after, err := s.Call(ctx, id)
	require.NoError(t, err)
	assert.Greater(t, after.Version, call.Version)
	stale, err := s.Stale(ctx)
	require.NoError(t, err)
	assert.Contains(t, stale, id)
}

// TestAsOf: what a device saw is found again after others went on.
func TestAsOf(t *testing.T) {
	s, id, _ := withCall(t)
	ctx := t.Context()
	state := func(device, document string) int64 {
		act(t, s, id, device, "state", func(ctx context.Context) error { return s.SetState(ctx, id, []byte(document)) })
		call, err := s.Call(ctx, id)
		require.NoError(t, err)
		return call.Version
	}
	first := state("a", `{"n":1}`)
	second := state("b", `{"n":2}`)
	third := state("b", `{"n":3}`)
	key := []any{id}
	for _, row := range []struct {
		seen   int64
		device string
		was    string
		by     string
	}{
		{first, "a", `{"n":1}`, "b"}, {second, "a", `{"n":2}`, "b"}, {third, "a", "", ""}, {second, "b", "", ""},
	} {
		was, since, err := s.AsOf(ctx, "calls", key, "state", row.seen, row.device)
		require.NoError(t, err)
		assert.Equal(t, row.was, string(was), row)
		if row.by == "" {
			assert.Nil(t, since, row)
			continue
		}
		require.NotNil(t, since, row)
		assert.Equal(t, row.by, since.Device)
	}

	run := func(device, document string) int64 {
		act(t, s, id, device, "run", func(ctx context.Context) error { return s.AddCircuit(ctx, id, []byte(document), noon) })
		call, err := s.Call(ctx, id)
		require.NoError(t, err)
		return call.Version
	}
	start := run("a", `{"r":1}`)
	run("b", `{"r":2}`)
	was, since, err := s.CircuitAsOf(ctx, id, start, "a")
	require.NoError(t, err)
	assert.Equal(t, `{"r":1}`, string(was))
	assert.Equal(t, "b", since.Device)
	act(t, s, id, "b", "undo", func(ctx context.Context) error { return s.UndoCircuit(ctx, id) })
	act(t, s, id, "b", "undo", func(ctx context.Context) error { return s.UndoCircuit(ctx, id) })
	was, _, err = s.CircuitAsOf(ctx, id, start, "a")
	require.NoError(t, err)
	assert.Equal(t, `{"r":1}`, string(was), "withdrawn since, but in force then")

	require.NoError(t, s.AddConflict(ctx, store.Conflict{Call: id, At: noon, Document: "run", Path: "breaker.amps", Theirs: []byte("15"), Mine: []byte("20"), TheirName: "b", MyName: "a"}))
	open, err := s.Conflicts(ctx, id)
	require.NoError(t, err)
	require.Len(t, open, 1)
	assert.Equal(t, "15", string(open[0].Theirs))
	require.NoError(t, s.SettleConflict(ctx, id, open[0].ID, noon))
	require.ErrorIs(t, s.SettleConflict(ctx, id, open[0].ID, noon), store.ErrNotFound, "once")
}

// TestSearch: any words, in any order and case, with or without accents, as
// beginnings; and nothing typed is taken for a query.
func TestSearch(t *testing.T) {
	s, id, _ := withCall(t)
	ctx := t.Context()
	call, err := s.Call(ctx, id)
	require.NoError(t, err)
	require.NoError(t, s.SetSummary(ctx, store.Summary{Call: call, Document: []byte(`{"n":1}`), Words: "Étagère behind the kiln, GFCI will not reset"}))
	site, err := s.AddSite(ctx, store.Site{Name: "Heron Mews 4", Address: "behind the mill", Notes: "ring twice", CreatedAt: noon})
	require.NoError(t, err)
	panel, err := s.AddPanel(ctx, store.Panel{Site: site, Name: "Cellar panel"})
	require.NoError(t, err)
	require.NoError(t, s.SetDirectory(ctx, panel, []byte(`[{"breaker":"4","serves":"glue kettle"}]`)))
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
	call, err := s.Call(ctx, id)
	require.NoError(t, err)
	require.NoError(t, s.SetDiagnosis(ctx, "k1", []byte(`{}`)))
	g := store.GFCI{Device: "G1", Label: "Loom", Serves: 3, DueAt: noon}
	require.NoError(t, s.SetSummary(ctx, store.Summary{Call: call, Document: []byte(`{"n":1}`), Diagnosis: "k1", GFCIs: []store.GFCI{g}}))
	stale, err := s.Stale(ctx)
	require.NoError(t, err)
	assert.Empty(t, stale)
	act(t, s, id, "a", "state", func(ctx context.Context) error { return s.SetState(ctx, id, []byte(`{}`)) })
	require.NoError(t, s.SetSummary(ctx, store.Summary{Call: call, Document: []byte(`{"n":2}`)}), "worked out from what is no more")
	lines, err := s.CallLines(ctx, false, 0, 9)
	require.NoError(t, err)
	require.Len(t, lines, 1)
	assert.Equal(t, `{"n":1}`, string(lines[0].Summary), "not kept")
	call, err = s.Call(ctx, id)
	require.NoError(t, err)
	require.NoError(t, s.SetSummary(ctx, store.Summary{Call: call, Document: []byte(`{"n":3}`), HandedOver: true, Diagnosis: "k2"}))
	kept, err := s.Diagnosis(ctx, "k1")
	require.NoError(t, err)
	assert.Nil(t, kept, "nobody asks that any more")
	over, err := s.CallLines(ctx, true, id+1, 9)
	require.NoError(t, err)
	assert.Len(t, over, 1)

	due, err := s.DueGFCIs(ctx, noon, 9)
	require.NoError(t, err)
	require.Len(t, due, 1)
	assert.Equal(t, "Loft house", due[0].SiteAt)
	assert.Nil(t, due[0].InstalledAt)
	at := noon.AddDate(-3, 0, 0)
	require.NoError(t, s.SetInstalled(ctx, call.Run, "G1", &at))
	of, err := s.GFCIsOfSite(ctx, due[0].Site)
	require.NoError(t, err)
	assert.Equal(t, at, *of[0].InstalledAt)
	require.NoError(t, s.SetInstalled(ctx, call.Run, "G1", nil))
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
	require.NoError(t, s.SignIn(ctx, "token", id, noon))
	p, began, _, err := s.SignedIn(ctx, "token")
	require.NoError(t, err)
	assert.Equal(t, "Ada", p.Name)
	assert.Equal(t, noon, began)
	_, _, _, err = s.SignedIn(ctx, "other")
	require.ErrorIs(t, err, store.ErrNotFound)
	p.Role = "helper"
	require.NoError(t, s.UpdatePerson(ctx, p))
	_, _, _, err = s.SignedIn(ctx, "token")
	require.ErrorIs(t, err, store.ErrNotFound, "another role ends the sessions")
	for i := range 3 {
		require.NoError(t, s.Failed(ctx, "ADA", noon.Add(time.Duration(i)*time.Minute), noon.Add(-time.Hour)))
	}
	n, err := s.Failures(ctx, "ada", noon.Add(time.Minute))
	require.NoError(t, err)
	assert.Equal(t, 2, n)
	require.NoError(t, s.ClearFailures(ctx, "Ada"))

	require.NoError(t, s.AddVisit(ctx, "link-1", store.Visit{Call: 1, MadeAt: noon, ExpiresAt: noon.Add(time.Hour)}))
	_, err = s.Visit(ctx, "link-1", noon)
	require.NoError(t, err)
	_, err = s.Visit(ctx, "link-1", noon.Add(time.Hour))
	require.ErrorIs(t, err, store.ErrNotFound, "run out")
	require.NoError(t, s.AddVisit(ctx, "link-2", store.Visit{Call: 1, MadeAt: noon, ExpiresAt: noon.Add(time.Hour)}))
	_, err = s.Visit(ctx, "link-1", noon)
	require.ErrorIs(t, err, store.ErrNotFound, "another took its place")
}
