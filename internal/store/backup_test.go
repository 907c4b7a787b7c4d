package store_test

import (
	"context"
	"database/sql"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/call"
	"elvat/internal/store"
)

// TestBackup: made while writes go on, it is one moment of the database, sound
// and whole; what is in its way is not overwritten.
func TestBackup(t *testing.T) {
	s, _, _ := withCall(t)
	ctx := t.Context()
	stop := make(chan struct{})
	wrote := make(chan int)
	go func() {
		n := 0
		for {
			select {
			case <-stop:
				wrote <- n
				return
			default:
			}
			// Two at once: a backup has both or none of them.
			err := s.InTransaction(context.WithoutCancel(ctx), func(ctx context.Context) error {
				for _, half := range []string{"a", "b"} {
					if err := s.AddMove(ctx, store.Move{ID: fmt.Sprintf("r%05d%s", n, half), Van: "Van 1", Item: "plate", Count: 1, At: noon}); err != nil {
						return err
					}
				}
				return nil
			})
			if err == nil {
				n++
			}
		}
	}()
	folder := t.TempDir()
	for i := range 5 {
		require.NoError(t, s.Backup(ctx, filepath.Join(folder, fmt.Sprintf("b%d.db", i))))
	}
	close(stop)
	assert.Positive(t, <-wrote)
	for i := range 5 {
		copied := open(t, filepath.Join(folder, fmt.Sprintf("b%d.db", i)))
		stock, err := copied.Stock(ctx)
		require.NoError(t, err)
		for _, h := range stock { // none where it was made before the first
			assert.Zero(t, int(h.Count)%2, "one moment")
		}
		require.NoError(t, copied.IntegrityCheck(ctx))
		require.NoError(t, copied.Close())
	}
	require.ErrorContains(t, s.Backup(ctx, filepath.Join(folder, "b0.db")), "already")

	to := open(t, filepath.Join(t.TempDir(), "of-another.db"))
	require.NoError(t, s.CopyInto(ctx, to))
	was, err := s.Sums(ctx)
	require.NoError(t, err)
	is, err := to.Sums(ctx)
	require.NoError(t, err)
	require.NoError(t, store.Differ(was, is), "a copy holds the same")
	require.ErrorIs(t, s.CopyInto(ctx, to), store.ErrNotEmpty)
	_, err = to.AddSite(ctx, store.Site{Name: "One more", CreatedAt: noon})
	require.NoError(t, err)
	is, err = to.Sums(ctx)
	require.NoError(t, err)
	require.ErrorContains(t, store.Differ(was, is), "sites")
}

// TestRestore: a backup is put in the place of a file that nobody has open; what was there stays.
func TestRestore(t *testing.T) {
	asFile(t)
	s, id, path := withCall(t)
	ctx := t.Context()
	backup := filepath.Join(t.TempDir(), "b.db")
	require.NoError(t, s.Backup(ctx, backup))
	_, err := store.Restore(ctx, backup, path, noon)
	require.ErrorIs(t, err, store.ErrInUse, "the database is open")
	require.NoError(t, s.Close())
	kept, err := store.Restore(ctx, backup, path, noon)
	require.NoError(t, err)
	assert.FileExists(t, kept, "what was there")
	_, err = open(t, path).Call(ctx, id)
	require.NoError(t, err)
	_, err = open(t, kept).Call(ctx, id)
	require.NoError(t, err)
}

func TestBackupsOfAFolder(t *testing.T) {
	s, _, _ := withCall(t)
	folder := filepath.Join(t.TempDir(), "not", "there", "yet")
	all, err := store.Backups(folder)
	require.NoError(t, err)
	assert.Empty(t, all)
	for i := range 5 {
		require.NoError(t, s.BackupInto(t.Context(), folder, 3, noon.Add(time.Duration(i)*time.Hour), ""))
	}
	require.NoError(t, os.WriteFile(filepath.Join(folder, "elvat-of-somebody.db"), nil, 0o600))
	all, err = store.Backups(folder)
	require.NoError(t, err)
	require.Len(t, all, 3)
	assert.Equal(t, noon.Add(4*time.Hour).Truncate(time.Second), all[0].At, "newest first")
	info, err := os.Stat(filepath.Join(folder, all[0].Name))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm(), "for the shop alone")
}

// TestDamaged: a file that is no sound database any more is named as such,
// left as it is, never backed up over a sound one, and replaced by restore.
func TestDamaged(t *testing.T) {
	asFile(t)
	s, _, path := withCall(t)
	ctx := t.Context()
	for i := range 400 {
		require.NoError(
			t,
			s.AddMove(ctx, store.Move{ID: fmt.Sprint("r", i), Van: "Van 1", Item: strings.Repeat("x", 200), Count: 1, At: noon}),
		)
	}
	backup := filepath.Join(t.TempDir(), "sound.db")
	require.NoError(t, s.Backup(ctx, backup))
	require.NoError(t, s.Close())
	sound, err := os.ReadFile(path)
	require.NoError(t, err)
	for _, row := range []struct {
		name   string
		damage func([]byte) []byte
	}{
		{"not a database", func([]byte) []byte { return []byte(strings.Repeat("this is a letter\n", 500)) }},
		{"cut short", func(b []byte) []byte { return b[:len(b)/3] }},
		{"pages overwritten", func(b []byte) []byte {
			for i := 4096; i < len(b); i++ {
				b[i] = 0xa5
			}
			return b
		}},
	} {
		t.Run(row.name, func(t *testing.T) {
			damaged := row.damage(append([]byte{}, sound...))
			require.NoError(t, os.WriteFile(path, damaged, 0o600))
			require.Error(t, store.Check(ctx, path))
			_, err := store.Restore(ctx, path, backup+"-other", noon)
			require.ErrorContains(t, err, "nothing was changed")
			again, err := store.Open(ctx, path)
			if err == nil { // its first pages are sound
				err = again.IntegrityCheck(ctx)
				require.Error(t, again.Backup(ctx, filepath.Join(t.TempDir(), "b.db")), "no backup of what is damaged")
				require.NoError(t, again.Close())
			}
			require.ErrorIs(t, err, store.ErrDamaged)
			assert.ErrorContains(t, err, "elvat restore", "what to do")
			kept, err := store.Restore(ctx, backup, path, noon)
			require.NoError(t, err)
			was, err := os.ReadFile(kept)
			require.NoError(t, err)
			assert.Equal(t, damaged, was, "the damaged file is kept as it was")
			require.NoError(t, os.Remove(kept))
			back, err := store.Open(ctx, path)
			require.NoError(t, err)
			stock, err := back.Stock(ctx)
			require.NoError(t, err)
			assert.EqualValues(t, 400, stock[0].Count)
			require.NoError(t, back.Close())
		})
	}
	empty := filepath.Join(t.TempDir(), "other.db")
	db, err := sql.Open("sqlite", empty)
	require.NoError(t, err)
	_, err = db.Exec("CREATE TABLE letters (x)")
	require.NoError(t, err)
	require.NoError(t, db.Close())
	require.ErrorContains(t, store.Check(ctx, empty), "not a database of Elvat")
}

// TestFull: when the disk takes nothing more, what was acknowledged stays, the
// error says so, and once there is room work goes on.
func TestFull(t *testing.T) {
	asFile(t)
	s, id, path := withCall(t)
	ctx := t.Context()
	require.NoError(t, s.Close())
	s, err := store.OpenLimited(ctx, path, 120) // pages: as full as a disk can be
	require.NoError(t, err)
	acknowledged := 0
	long := strings.Repeat("x", 500)
	add := func(s *store.Store) error {
		return s.AddMove(
			ctx,
			store.Move{ID: fmt.Sprintf("r%04d", acknowledged), Van: "Van 1", Item: long, Count: 1, At: noon},
		)
	}
	for ; acknowledged < 5000; acknowledged++ {
		if err = add(s); err != nil {
			break
		}
	}
	require.ErrorIs(t, store.Cause(err), store.ErrFull)
	assert.ErrorContains(t, store.Cause(err), "what was saved before is safe")
	stock, err := s.Stock(ctx)
	require.NoError(t, err)
	assert.EqualValues(t, acknowledged, stock[0].Count)
	require.NoError(t, s.IntegrityCheck(ctx))
	require.NoError(t, s.Close())
	s = open(t, path)
	require.NoError(t, add(s), "room was made")
	_, err = s.Call(ctx, id)
	require.NoError(t, err)
}

// TestFrozen: a frozen database takes no write until it is thawed, says why, and can be read and
// copied; frozen twice it is thawed once.
func TestFrozen(t *testing.T) {
	s, id, _ := withCall(t)
	ctx := t.Context()
	was, err := s.Sums(ctx)
	require.NoError(t, err)
	for range 2 {
		require.NoError(t, s.Freeze(ctx, "it is 'being' moved"))
	}
	_, err = s.AddSite(ctx, store.Site{Name: "New", CreatedAt: noon})
	require.Error(t, err)
	_, err = try(s, id, call.Command{ID: "command-frozen", At: noon, Do: lamp("reading-1", "R1")})
	require.Error(t, err)
	require.ErrorContains(t, s.Set(ctx, "house", []byte("{}")), "it is 'being' moved")
	to := open(t, filepath.Join(t.TempDir(), "copy.db"))
	require.NoError(t, s.CopyInto(ctx, to))
	is, err := to.Sums(ctx)
	require.NoError(t, err)
	require.NoError(t, store.Differ(was, is))
	_, err = to.AddSite(ctx, store.Site{Name: "New", CreatedAt: noon})
	require.NoError(t, err, "the copy takes writes")
	require.NoError(t, s.Thaw(ctx))
	_, err = s.AddSite(ctx, store.Site{Name: "New", CreatedAt: noon})
	require.NoError(t, err)
}
