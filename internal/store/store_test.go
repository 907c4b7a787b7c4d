package store_test

import (
	"database/sql"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/internal/store"
)

var noon = time.Date(2026, 5, 4, 12, 0, 0, 123456789, time.UTC)

func open(t *testing.T, path string) *store.Store {
	s, err := store.Open(t.Context(), path)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return s
}

// onRun is the call on a run of a site of its own.
func onRun(t *testing.T, s *store.Store, call store.Call) store.Call {
	t.Helper()
	site, err := s.AddSite(t.Context(), store.Site{Name: call.Title + " house", CreatedAt: noon})
	require.NoError(t, err)
	panel, err := s.AddPanel(t.Context(), store.Panel{Site: site, Name: "Main panel"})
	require.NoError(t, err)
	call.Run, err = s.AddRun(t.Context(), panel, call.Title)
	require.NoError(t, err)
	return call
}

func withCall(t *testing.T) (*store.Store, int64, string) {
	path := filepath.Join(t.TempDir(), "a shop's #1.db") // names people give
	s := open(t, path)
	id, err := s.AddCall(t.Context(), onRun(t, s, store.Call{Title: "Loft", Complaint: "dead", CreatedAt: noon}), []byte(`{"v":1}`))
	require.NoError(t, err)
	return s, id, path
}

func TestCalls(t *testing.T) {
	s, id, path := withCall(t)
	ctx := t.Context()
	call, err := s.Call(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, store.Call{ID: id, Title: "Loft", Complaint: "dead", CreatedAt: noon, Run: call.Run}, call)

	read := noon.Add(time.Minute)
	call.Title, call.CautionsReadAt = "Attic", &read
	require.NoError(t, s.UpdateCall(ctx, call))
	later := store.Call{Title: "Attic again", CreatedAt: noon.Add(time.Hour), Run: call.Run}
	second, err := s.AddCall(ctx, later, []byte(`{}`))
	require.NoError(t, err)
	require.NoError(t, s.Close())

	s = open(t, path)
	all, err := s.CallsOfRun(ctx, call.Run, 0, 10)
	require.NoError(t, err)
	require.Len(t, all, 2)
	assert.Equal(t, second, all[0].ID, "newest first")
	assert.Equal(t, call, all[1], "as it was written, after the file was opened again")
	all, err = s.CallsOfRun(ctx, call.Run, second, 10)
	require.NoError(t, err)
	assert.Equal(t, []store.Call{call}, all, "what came in before")
}

func TestNotFound(t *testing.T) {
	s, id, _ := withCall(t)
	ctx := t.Context()
	_, err := s.Call(ctx, 99)
	assert.ErrorIs(t, err, store.ErrNotFound)
	_, err = s.Circuit(ctx, 99)
	assert.ErrorIs(t, err, store.ErrNotFound)
	assert.ErrorIs(t, s.UpdateCall(ctx, store.Call{ID: 99}), store.ErrNotFound)
	assert.ErrorIs(t, s.UndoCircuit(ctx, 99), store.ErrNotFound)
	assert.ErrorIs(t, s.WithdrawReading(ctx, id, "none", true), store.ErrNotFound)
	assert.Error(t, s.AddReading(ctx, 99, store.Reading{ID: "r", Document: []byte("{}"), TakenAt: noon}), "a reading of no call")
	assert.Error(t, s.AddCircuit(ctx, 99, []byte("{}"), noon), "a run of no call")
}

func TestRevisions(t *testing.T) {
	s, id, _ := withCall(t)
	ctx := t.Context()
	now := func() store.Revision {
		r, err := s.Circuit(ctx, id)
		require.NoError(t, err)
		return r
	}
	assert.False(t, now().Earlier)
	assert.ErrorIs(t, s.UndoCircuit(ctx, id), store.ErrNothingToUndo)
	for _, document := range []string{`{"v":2}`, `{"v":3}`} {
		require.NoError(t, s.AddCircuit(ctx, id, []byte(document), noon))
	}
	assert.Equal(t, `{"v":3}`, string(now().Document))
	assert.True(t, now().Earlier)
	require.NoError(t, s.UndoCircuit(ctx, id))
	assert.Equal(t, `{"v":2}`, string(now().Document))
	require.NoError(t, s.AddCircuit(ctx, id, []byte(`{"v":4}`), noon))
	require.NoError(t, s.UndoCircuit(ctx, id))
	assert.Equal(t, `{"v":2}`, string(now().Document), "what was undone stays undone")
	require.NoError(t, s.UndoCircuit(ctx, id))
	assert.Equal(t, `{"v":1}`, string(now().Document))
}

func TestReadings(t *testing.T) {
	s, id, _ := withCall(t)
	ctx := t.Context()
	for i, name := range []string{"z", "a", "m"} {
		require.NoError(t, s.AddReading(ctx, id, store.Reading{ID: name, TakenAt: noon.Add(time.Duration(i)), Document: []byte(`{"n":"` + name + `"}`)}))
	}
	require.NoError(t, s.AddReading(ctx, id, store.Reading{ID: "z", TakenAt: noon.Add(time.Hour), Document: []byte(`{"n":"z"}`)}))
	require.ErrorIs(t, s.AddReading(ctx, id, store.Reading{ID: "z", TakenAt: noon, Document: []byte(`{"n":"another"}`)}), store.ErrUsedElsewhere, "refused, not swallowed")
	require.NoError(t, s.WithdrawReading(ctx, id, "a", true))
	all, err := s.Readings(ctx, id)
	require.NoError(t, err)
	require.Len(t, all, 3, "the same name again is the same reading")
	assert.Equal(t, store.Reading{ID: "z", TakenAt: noon, Document: []byte(`{"n":"z"}`)}, all[0], "in the order of entry")
	assert.Equal(t, []string{"z", "a", "m"}, []string{all[0].ID, all[1].ID, all[2].ID})
	assert.True(t, all[1].Withdrawn, "taken back, not lost")
	require.NoError(t, s.WithdrawReading(ctx, id, "a", false))
}

// TestDurable: a commit is on the disk when it returns (SQLite's own pragmas:
// WAL with synchronous FULL), and a copy of the files taken without closing
// the store holds it.
func TestDurable(t *testing.T) {
	s, id, path := withCall(t)
	require.NoError(t, s.AddReading(t.Context(), id, store.Reading{ID: "r", TakenAt: noon, Document: []byte(`{}`)}))
	copied := filepath.Join(t.TempDir(), "copy.db")
	for _, suffix := range []string{"", "-wal"} {
		data, err := os.ReadFile(path + suffix)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(copied+suffix, data, 0o600))
	}
	all, err := open(t, copied).Readings(t.Context(), id)
	require.NoError(t, err)
	assert.Len(t, all, 1)

	db, err := sql.Open("sqlite", path)
	require.NoError(t, err)
	defer db.Close()
	var mode string
	require.NoError(t, db.QueryRow("PRAGMA journal_mode").Scan(&mode))
	assert.Equal(t, "wal", mode)
}

func TestFileThatIsNoDatabase(t *testing.T) {
	path := filepath.Join(t.TempDir(), "notes.db")
	require.NoError(t, os.WriteFile(path, []byte("shopping list, and a good deal more of it than fits a header of a hundred bytes, so that it is read as a page"), 0o600))
	_, err := store.Open(t.Context(), path)
	assert.ErrorContains(t, err, path)
	kept, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Contains(t, string(kept), "shopping list", "and it is left alone")
}

func TestStateChangedSettings(t *testing.T) {
	s, id, path := withCall(t)
	ctx := t.Context()
	require.NoError(t, s.SetState(ctx, id, []byte(`{"breakerOn":false}`)))
	assert.ErrorIs(t, s.SetState(ctx, 99, nil), store.ErrNotFound)
	for _, device := range []string{"R2", "R1", "R2"} {
		require.NoError(t, s.SetChanged(ctx, id, device, true))
	}
	require.NoError(t, s.SetChanged(ctx, id, "R1", false))
	assert.Error(t, s.SetChanged(ctx, 99, "R1", true))
	require.NoError(t, s.Set(ctx, "lamps", []byte(`["a"]`)))
	require.NoError(t, s.Set(ctx, "lamps", []byte(`["b"]`)))
	require.NoError(t, s.Close())

	again := open(t, path)
	call, err := again.Call(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, `{"breakerOn":false}`, string(call.State))
	require.NoError(t, again.SetState(ctx, id, nil))
	call, err = again.Call(ctx, id)
	require.NoError(t, err)
	assert.Nil(t, call.State)
	changed, err := again.Changed(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, []string{"R2"}, changed)
	lamps, err := again.Setting(ctx, "lamps")
	require.NoError(t, err)
	assert.Equal(t, `["b"]`, string(lamps))
	none, err := again.Setting(ctx, "never set")
	require.NoError(t, err)
	assert.Nil(t, none)
}

// TestBoxes: what was recorded of an opened box, its pictures, and when it was
// made up, which is undone with the change of the run that did it.
func TestBoxes(t *testing.T) {
	ctx := t.Context()
	s := open(t, filepath.Join(t.TempDir(), "shop.db"))
	call, err := s.AddCall(ctx, onRun(t, s, store.Call{Title: "Loft", CreatedAt: noon}), []byte(`{"first":1}`))
	require.NoError(t, err)
	_, err = s.Box(ctx, call, "B1")
	require.ErrorIs(t, err, store.ErrNotFound)
	require.ErrorIs(t, s.SetSteps(ctx, call, "B1", []string{"Strip"}), store.ErrNotFound, "no box, no steps")
	require.NoError(t, s.SetBox(ctx, call, "B1", []byte(`{"a":1}`)))
	require.NoError(t, s.SetSteps(ctx, call, "B1", []string{"Strip"}))
	require.NoError(t, s.SetBox(ctx, call, "B1", []byte(`{"a":2}`)))
	b, err := s.Box(ctx, call, "B1")
	require.NoError(t, err)
	assert.Equal(t, `{"a":2}`, string(b.Document))
	assert.Equal(t, []string{"Strip"}, b.Done, "steps done stay when the record is corrected")
	assert.Nil(t, b.MadeAt)

	lastMade := func() (last string, at time.Time) {
		for _, name := range []string{"B1", "B2"} {
			if b, err := s.Box(ctx, call, name); err == nil && b.MadeAt != nil && b.MadeAt.After(at) {
				last, at = name, *b.MadeAt
			}
		}
		return last, at
	}
	made, _ := lastMade()
	assert.Empty(t, made)
	require.NoError(t, s.AddCircuit(ctx, call, []byte(`{"second":1}`), noon))
	require.NoError(t, s.SetMade(ctx, call, "B1", noon))
	made, at := lastMade()
	assert.Equal(t, "B1", made)
	assert.Equal(t, noon, at)
	require.NoError(t, s.SetBox(ctx, call, "B2", []byte(`{}`)))
	require.NoError(t, s.AddCircuit(ctx, call, []byte(`{"third":1}`), noon))
	require.NoError(t, s.SetMade(ctx, call, "B2", noon.Add(time.Hour)))
	made, _ = lastMade()
	assert.Equal(t, "B2", made, "the later one")
	require.NoError(t, s.UndoCircuit(ctx, call))
	made, _ = lastMade()
	assert.Equal(t, "B1", made, "undone with its change of the run")

	id, picture, err := s.Photograph(ctx, call, "B1")
	require.NoError(t, err)
	assert.Zero(t, id)
	assert.Nil(t, picture)
	for _, p := range []string{"one", "two"} {
		_, err := s.AddPicture(ctx, call, store.Picture{Box: "B1", Phase: store.Pulled, TakenAt: noon}, []byte(p))
		require.NoError(t, err)
	}
	id, picture, err = s.Photograph(ctx, call, "B1")
	require.NoError(t, err)
	assert.NotZero(t, id)
	assert.Equal(t, "two", string(picture), "the latest")
	assert.Error(t, s.SetBox(ctx, 99, "B1", []byte(`{}`)), "no such call")
}

// TestJournalAndPictures: entries are kept in their order, once, and taken back
// without being lost; pictures belong to a phase.
func TestJournalAndPictures(t *testing.T) {
	s, call, path := withCall(t)
	ctx := t.Context()
	for i, id := range []string{"entry-b", "entry-a", "entry-b"} {
		require.NoError(t, s.AddEntry(ctx, call, store.Entry{ID: id, At: noon.Add(time.Duration(i) * time.Minute), Document: []byte(`{"id":"` + id + `"}`)}))
	}
	require.ErrorIs(t, s.AddEntry(ctx, call, store.Entry{ID: "entry-b", At: noon, Document: []byte(`{"id":"another"}`)}), store.ErrUsedElsewhere)
	all, err := s.Journal(ctx, call)
	require.NoError(t, err)
	require.Len(t, all, 2, "sent again, entered once")
	assert.Equal(t, "entry-b", all[0].ID, "in the order of entry")
	assert.Equal(t, noon, all[0].At)
	require.NoError(t, s.WithdrawEntry(ctx, call, "entry-a", true))
	require.ErrorIs(t, s.WithdrawEntry(ctx, call, "entry-z", true), store.ErrNotFound)
	require.ErrorIs(t, s.WithdrawEntry(ctx, 99, "entry-a", true), store.ErrNotFound, "of another call")

	kept, err := s.Call(ctx, call)
	require.NoError(t, err)
	panel, err := s.PanelOfRun(ctx, kept.Run)
	require.NoError(t, err)
	assert.Equal(t, `[]`, string(panel.Directory))
	require.NoError(t, s.SetDirectory(ctx, panel.ID, []byte(`[ {"breaker":"4"} ]`)))
	require.ErrorIs(t, s.SetDirectory(ctx, 99, []byte(`[]`)), store.ErrNotFound)

	id, err := s.AddPicture(ctx, call, store.Picture{Box: "B1", Phase: "prove", TakenAt: noon}, []byte("jpeg"))
	require.NoError(t, err)
	_, err = s.AddPicture(ctx, call, store.Picture{Box: "B1", Phase: store.Pulled, TakenAt: noon}, []byte("pulled"))
	require.NoError(t, err)
	pictures, err := s.Pictures(ctx, call)
	require.NoError(t, err)
	require.Len(t, pictures, 2)
	assert.Equal(t, store.Picture{ID: id, Box: "B1", Phase: "prove", TakenAt: noon}, pictures[0])
	_, pulled, err := s.Photograph(ctx, call, "B1")
	require.NoError(t, err)
	assert.Equal(t, "pulled", string(pulled), "the pulled device's is the one of the box")
	image, err := s.Image(ctx, call, id)
	require.NoError(t, err)
	assert.Equal(t, "jpeg", string(image))
	_, err = s.Image(ctx, 99, id)
	require.ErrorIs(t, err, store.ErrNotFound, "of another call")
	require.NoError(t, s.WithdrawPicture(ctx, call, id, true))
	pictures, err = s.Pictures(ctx, call)
	require.NoError(t, err)
	assert.Len(t, pictures, 1)

	// All of it is there after the file is closed and opened again.
	require.NoError(t, s.Close())
	again := open(t, path)
	all, err = again.Journal(ctx, call)
	require.NoError(t, err)
	assert.Equal(t, []bool{false, true}, []bool{all[0].Withdrawn, all[1].Withdrawn})
	panel, err = again.Panel(ctx, panel.ID)
	require.NoError(t, err)
	assert.Equal(t, `[{"breaker":"4"}]`, string(panel.Directory), "without white space")
	boxes, err := again.Boxes(ctx, call)
	require.NoError(t, err)
	assert.Empty(t, boxes)
}
