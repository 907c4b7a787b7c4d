package store_test

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/call"
	"elvat/core/circuit"
	"elvat/internal/store"
)

var noon = time.Date(2026, 5, 4, 12, 0, 0, 123_000_000, time.UTC)

// opened opens a database at the path: a file, or in a test run with the cluster (make
// test-cluster) a database of that.
var opened = store.Open

// asFile has the test's databases be files whatever the others' are: it is about them.
func asFile(t *testing.T) {
	was := opened
	opened = store.Open
	t.Cleanup(func() { opened = was })
}

func open(t *testing.T, path string) *store.Store {
	s, err := opened(t.Context(), path)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return s
}

// aRun is a run of a site of its own.
func aRun(t *testing.T, s *store.Store, title string) int64 {
	t.Helper()
	site, err := s.AddSite(t.Context(), store.Site{Name: title + " house", CreatedAt: noon})
	require.NoError(t, err)
	panel, err := s.AddPanel(t.Context(), store.Panel{Site: site, Name: "Main panel"})
	require.NoError(t, err)
	run, err := s.AddRun(t.Context(), panel, title)
	require.NoError(t, err)
	return run
}

// loft is a run of two outlets.
func loft(t *testing.T) []byte {
	c := circuit.New("Loft")
	require.NoError(t, c.AddStop(circuit.NewStop{After: circuit.Panel, Label: "Press", Ground: true}))
	require.NoError(t, c.AddStop(circuit.NewStop{After: "B1", Label: "Rack", Ground: true}))
	document, err := c.Encode()
	require.NoError(t, err)
	return document
}

func begin(t *testing.T, s *store.Store, id string, run int64, at time.Time) int64 {
	t.Helper()
	made, err := s.Begin(t.Context(), call.Command{ID: id, At: at}, at, func(context.Context) (int64, *call.Begin, error) {
		return run, &call.Begin{Title: "Loft", Complaint: "dead", Circuit: loft(t)}, nil
	})
	require.NoError(t, err)
	return made
}

func withCall(t *testing.T) (*store.Store, int64, string) {
	path := filepath.Join(t.TempDir(), "a shop's #1.db") // names people give
	s := open(t, path)
	return s, begin(t, s, "begin-0001", aRun(t, s, "Loft"), noon), path
}

var commands int

// try carries a doing out and keeps it.
func try(s *store.Store, id int64, c call.Command) (*store.Snapshot, error) {
	at, err := s.Load(context.Background(), id)
	if err != nil {
		return nil, err
	}
	next, a, err := at.Record.Decide(c, call.House{})
	if err != nil || a == nil {
		return at, err
	}
	a.ArrivedAt = c.At
	return s.Keep(context.Background(), at, next, a, nil)
}

func do(t *testing.T, s *store.Store, id int64, d call.Doing) *store.Snapshot {
	t.Helper()
	commands++
	at, err := try(s, id, call.Command{ID: fmt.Sprintf("command-%d", commands), At: noon, Do: d})
	require.NoError(t, err)
	return at
}

func lamp(id, device string) *call.AddReading {
	return &call.AddReading{
		ID:      id,
		Reading: json.RawMessage(`{"at":"` + device + `","half":"top","tool":"lamp","glow":"bright"}`),
	}
}

// set keeps a directory as the site book does.
func set(t *testing.T, s *store.Store, panel int64, directory string) {
	t.Helper()
	commands++
	_, err := s.Do(
		t.Context(),
		call.Action{Command: fmt.Sprintf("command-%d", commands), Do: "panel directory", At: noon, ArrivedAt: noon},
		func(ctx context.Context, action int64) (int64, error) {
			return 0, s.SetDirectory(ctx, action, panel, []byte(directory))
		},
	)
	require.NoError(t, err)
}

// TestRecords: what is kept is what was decided, after the file was opened again too.
func TestRecords(t *testing.T) {
	s, id, path := withCall(t)
	ctx := t.Context()
	do(t, s, id, lamp("reading-0001", "R1"))
	do(t, s, id, &call.MarkReading{ID: "reading-0001", Doubtful: new(true)})
	do(t, s, id, &call.Rename{Title: new("Attic")})
	do(t, s, id, &call.SetChanged{Device: "R2", Changed: true})
	do(t, s, id, &call.SetChanged{Device: "R2", Changed: false})
	do(t, s, id, &call.SetDirectory{Directory: nil})
	do(t, s, id, &call.UsePart{ID: "used-0001", Item: "wall plate", Count: 2})
	last := do(t, s, id, &call.Undo{})
	require.NoError(t, s.Close())
	s = open(t, path)
	at, err := s.Load(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, last.Call, at.Call)
	assert.Equal(t, "Attic", at.Title)
	assert.Equal(t, last.Record.Parts(), at.Record.Parts())
	assert.Equal(t, last.Record.Version, at.Record.Version)
	require.Len(t, at.Record.Log, 8)
	for i, a := range at.Record.Log {
		was := last.Record.Log[i]
		for j := range was.Changes {
			if c := &was.Changes[j]; c.Path == "" && c.Was == nil {
				c.Is = nil // it is the part itself
			}
		}
		assert.Equal(t, was, a, "what was done is kept as it was done")
	}
	used, err := s.Used(ctx, id)
	require.NoError(t, err)
	assert.Empty(t, used, "taken back, it counts no more")
	at = do(t, s, id, &call.Redo{})
	used, err = s.Used(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, []store.Have{{Item: "wall plate", Count: 2}}, used)
	_, back := at.Record.Undoable("", "")
	assert.Nil(t, back)
	_, err = s.Load(ctx, 99)
	assert.ErrorIs(t, err, store.ErrNotFound)
	_, err = s.Call(ctx, 99)
	assert.ErrorIs(t, err, store.ErrNotFound)
}

// TestOnce: a command is kept once, whatever it is; its id with something else, or on
// another call, is refused; and so is what an entry's id belongs to.
func TestOnce(t *testing.T) {
	s, id, _ := withCall(t)
	ctx := t.Context()
	first, err := s.Call(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, id, begin(t, s, "begin-0001", first.Run, noon), "begun once")
	other := begin(t, s, "begin-0002", first.Run, noon.Add(time.Hour))
	assert.NotEqual(t, id, other)
	c := call.Command{ID: "command-once", At: noon, Do: lamp("reading-0001", "R1")}
	_, err = try(s, id, c)
	require.NoError(t, err)
	again, err := try(s, id, c)
	require.NoError(t, err)
	assert.Len(t, again.Record.Readings, 1)
	_, err = try(s, other, c)
	require.ErrorIs(t, err, call.ErrUsedElsewhere, "the command on another call")
	_, err = try(s, other, call.Command{ID: "command-else", At: noon, Do: lamp("reading-0001", "R1")})
	require.ErrorIs(t, err, call.ErrUsedElsewhere, "the reading on another call")
	require.ErrorIs(t, s.UsedElsewhere(ctx, "command-once", other), call.ErrUsedElsewhere)
	require.NoError(t, s.UsedElsewhere(ctx, "command-once", id))
	require.NoError(t, s.UsedElsewhere(ctx, "never used", id))
	_, err = s.Begin(ctx, call.Command{ID: "command-once", At: noon}, noon, nil)
	require.ErrorIs(t, err, call.ErrUsedElsewhere)

	add := func(command, do string) (int64, error) {
		return s.Do(
			ctx,
			call.Action{Command: command, Do: do, At: noon, ArrivedAt: noon},
			func(ctx context.Context, _ int64) (int64, error) {
				return s.AddSite(ctx, store.Site{Name: "Mill", CreatedAt: noon})
			},
		)
	}
	made, err := add("site-0001", "new site")
	require.NoError(t, err)
	twice, err := add("site-0001", "new site")
	require.NoError(t, err)
	assert.Equal(t, made, twice)
	_, err = add("site-0001", "new panel")
	require.ErrorIs(t, err, call.ErrUsedElsewhere)
	require.NoError(t, s.AddMove(ctx, store.Move{ID: "m", Van: "Van 1", Item: "plate", Count: 3, At: noon}))
	require.ErrorIs(
		t,
		s.AddMove(ctx, store.Move{ID: "m", Van: "Van 1", Item: "plate", Count: 3, At: noon}),
		call.ErrUsedElsewhere,
	)
}

// TestMoved: two who decided on the same record: one is kept, the other told to
// decide anew; many at once all come through that way, and none is lost.
func TestMoved(t *testing.T) {
	s, id, _ := withCall(t)
	ctx := t.Context()
	at, err := s.Load(ctx, id)
	require.NoError(t, err)
	keep := func(at *store.Snapshot, command string, d call.Doing) error {
		next, a, err := at.Record.Decide(call.Command{ID: command, At: noon, Do: d}, call.House{})
		require.NoError(t, err)
		a.ArrivedAt = noon
		_, err = s.Keep(ctx, at, next, a, nil)
		return err
	}
	require.NoError(t, keep(at, "command-a", lamp("reading-a001", "R1")))
	require.ErrorIs(t, keep(at, "command-b", lamp("reading-b001", "R1")), store.ErrMoved)
	again, err := s.Load(ctx, id)
	require.NoError(t, err)
	assert.Len(t, again.Record.Readings, 1, "nothing of the other is there")

	// The directory is the house's: another call's change of it counts too.
	other := begin(t, s, "begin-0002", at.Run, noon)
	theirs, err := s.Load(ctx, other)
	require.NoError(t, err)
	require.NoError(t, keep(again, "command-c", &call.SetDirectory{Directory: directory("loft")}))
	require.ErrorIs(t, keep(theirs, "command-d", &call.SetDirectory{Directory: directory("press")}), store.ErrMoved)
	theirs, err = s.Load(ctx, other)
	require.NoError(t, err)
	assert.Equal(t, "loft", theirs.Record.Directory[0].Serves)
	last, _ := theirs.Record.Undoable("", "")
	assert.Nil(t, last, "it is not this call's to take back")

	var all sync.WaitGroup
	for i := range 20 {
		all.Go(func() {
			for {
				_, err := try(
					s,
					id,
					call.Command{ID: fmt.Sprintf("command-many-%d", i), At: noon, Do: lamp(fmt.Sprintf("reading-many-%d", i), "R2")},
				)
				if err == nil {
					return
				}
				if !assert.ErrorIs(t, err, store.ErrMoved) {
					return
				}
			}
		})
	}
	all.Wait()
	again, err = s.Load(ctx, id)
	require.NoError(t, err)
	assert.Len(t, again.Record.Readings, 21)
}

// TestCallsOfRun lists them, newest first.
func TestCallsOfRun(t *testing.T) {
	s, id, _ := withCall(t)
	ctx := t.Context()
	first, err := s.Call(ctx, id)
	require.NoError(t, err)
	second := begin(t, s, "begin-0002", first.Run, noon.Add(time.Hour))
	third := begin(t, s, "begin-0003", first.Run, noon.Add(-time.Hour))
	for before, want := range map[int64][]int64{0: {second, id, third}, second: {id, third}, id: {third}, third: {}} {
		all, err := s.CallsOfRun(ctx, first.Run, before, 10)
		require.NoError(t, err)
		assert.Equal(t, want, append([]int64{}, all...), "before %d", before)
	}
	r, err := s.Run(ctx, first.Run)
	require.NoError(t, err)
	assert.Equal(
		t,
		store.Run{
			ID:        first.Run,
			Panel:     first.Panel,
			Name:      "Loft",
			Calls:     3,
			LastCall:  second,
			LastAt:    noon.Add(time.Hour),
			LastTitle: "Loft",
		},
		r,
	)
}

// TestCheckedByType: SQLite keeps anything anywhere; these columns do not.
func TestCheckedByType(t *testing.T) {
	asFile(t)
	s, id, path := withCall(t)
	require.NoError(t, s.Close())
	db, err := sql.Open("sqlite", path)
	require.NoError(t, err)
	defer db.Close()
	for _, statement := range []string{
		"UPDATE calls SET created_at = '2026-05-04T12:00:00Z'", "UPDATE calls SET stale = 2", "UPDATE parts SET document = x'7b7d'", "UPDATE actions SET at = 1.5", "UPDATE sites SET name = NULL",
	} {
		_, err := db.Exec(statement)
		assert.ErrorContains(t, err, "constraint failed", statement)
	}
	_ = id
}

func TestSettings(t *testing.T) {
	s, _, path := withCall(t)
	ctx := t.Context()
	require.NoError(t, s.Set(ctx, "lamps", []byte(`["a"]`)))
	require.NoError(t, s.Set(ctx, "lamps", []byte(`["b"]`)))
	require.NoError(t, s.Close())
	again := open(t, path)
	lamps, err := again.Setting(ctx, "lamps")
	require.NoError(t, err)
	assert.Equal(t, `["b"]`, string(lamps))
	none, err := again.Setting(ctx, "never set")
	require.NoError(t, err)
	assert.Nil(t, none)
}

// TestDurable: a commit is on the disk when it returns (SQLite's own pragmas:
// WAL with synchronous FULL), and a copy of the files taken without closing
// the store holds it.
func TestDurable(t *testing.T) {
	asFile(t)
	s, id, path := withCall(t)
	do(t, s, id, lamp("reading-0001", "R1"))
	copied := filepath.Join(t.TempDir(), "copy.db")
	for _, suffix := range []string{"", "-wal"} {
		data, err := os.ReadFile(path + suffix)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(copied+suffix, data, 0o600))
	}
	at, err := open(t, copied).Load(t.Context(), id)
	require.NoError(t, err)
	assert.Len(t, at.Record.Readings, 1)

	db, err := sql.Open("sqlite", path)
	require.NoError(t, err)
	defer db.Close()
	var mode string
	require.NoError(t, db.QueryRow("PRAGMA journal_mode").Scan(&mode))
	assert.Equal(t, "wal", mode)
}

func TestFileThatIsNoDatabase(t *testing.T) {
	path := filepath.Join(t.TempDir(), "notes.db")
	require.NoError(
		t,
		os.WriteFile(
			path,
			[]byte(
				"shopping list, and a good deal more of it than fits a header of a hundred bytes, so that it is read as a page",
			),
			0o600,
		),
	)
	_, err := store.Open(t.Context(), path)
	assert.ErrorContains(t, err, path)
	kept, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Contains(t, string(kept), "shopping list", "and it is left alone")
}

// TestPrivateFiles: the database and what SQLite keeps beside it are their owner's alone, also
// where they were there before and could be read by all.
func TestPrivateFiles(t *testing.T) {
	path := filepath.Join(t.TempDir(), "shop.db")
	s, err := store.Open(t.Context(), path)
	require.NoError(t, err)
	require.NoError(t, s.Set(t.Context(), "practice", []byte("{}")))
	modes := func() (all []string) {
		names, err := filepath.Glob(path + "*")
		require.NoError(t, err)
		for _, name := range names {
			info, err := os.Stat(name)
			require.NoError(t, err)
			all = append(all, info.Mode().Perm().String())
		}
		return all
	}
	assert.Equal(t, []string{"-rw-------", "-rw-------", "-rw-------"}, modes(), "the file, its log and its index")
	for _, end := range []string{"", "-wal", "-shm"} {
		require.NoError(t, os.Chmod(path+end, 0o644))
	}
	again, err := store.Open(t.Context(), path)
	require.NoError(t, err)
	assert.Equal(t, []string{"-rw-------", "-rw-------", "-rw-------"}, modes())
	require.NoError(t, again.Close())
	require.NoError(t, s.Close())
}
