package store

import (
	"compress/gzip"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/call"
	"elvat/internal/store/migrations"
)

// TestFromBeforeTheSiteBook: a database of the version before the site book is
// brought up to date with nothing lost: each call has a house of its own, and
// its directory hangs on that house's panel.
func TestFromBeforeTheSiteBook(t *testing.T) {
	ctx := t.Context()
	path := filepath.Join(t.TempDir(), "old.db")
	db, err := sql.Open("sqlite", "file:"+path)
	require.NoError(t, err)
	require.NoError(t, migrations.UpTo(ctx, db, 5))
	run, err := os.ReadFile("../demo/circuits/bindery.json")
	require.NoError(t, err)
	box, err := os.ReadFile("../demo/boxes/bindery-B3.json")
	require.NoError(t, err)
	for _, statement := range []string{
		`INSERT INTO calls (id, title, complaint, created_at, state, directory) VALUES
			(3, 'Bindery', 'dead', '2026-05-04T12:00:00Z', '{"breakerOn":false}', '[{"breaker":"9","serves":"press"}]'), (7, 'Porch', 'hums', '2026-05-05T12:00:00Z', NULL, NULL)`,
		`INSERT INTO readings (id, call_id, entry, taken_at, document) VALUES ('r1', 3, 1, '2026-05-04T12:01:00Z', '{ "tool": "lamp" }')`,
		`INSERT INTO journal (id, call_id, entry, at, document) VALUES ('j1', 3, 1, '2026-05-04T12:02:00Z', '{ "kind": "note", "text": "two  spaces" }')`,
		`INSERT INTO photographs (call_id, box, taken_at, image) VALUES (3, 'B3', '2026-05-04T12:03:00Z', x'ffd8')`,
	} {
		_, err := db.Exec(statement)
		require.NoError(t, err, statement)
	}
	for _, call := range []int{3, 7} {
		_, err := db.Exec(
			"INSERT INTO circuits (call_id, document, created_at) VALUES (?, ?, '2026-05-04T12:00:00Z')",
			call,
			string(run),
		)
		require.NoError(t, err)
	}
	_, err = db.Exec("INSERT INTO boxes (call_id, box, document) VALUES (3, 'B3', ?)", string(box))
	require.NoError(t, err)
	require.NoError(t, db.Close())

	s, err := Open(ctx, path)
	require.NoError(t, err)
	defer s.Close()
	for id, title := range map[int64]string{3: "Bindery", 7: "Porch"} {
		call, err := s.Call(ctx, id)
		require.NoError(t, err)
		panel, err := s.PanelOfRun(ctx, call.Run)
		require.NoError(t, err)
		site, err := s.Site(ctx, panel.Site)
		require.NoError(t, err)
		assert.Equal(t, title, site.Name)
	}
	at, err := s.Load(ctx, 3)
	require.NoError(t, err)
	assert.Equal(t, new(false), at.Record.Said.BreakerOn)
	assert.Equal(t, "press", at.Record.Directory[0].Serves)
	assert.JSONEq(t, `{"tool":"lamp"}`, string(at.Record.Readings[0].Document))
	assert.Equal(t, "two  spaces", at.Record.Journal[0].Text)
	pulled, ok := at.Record.PulledAt("B3")
	require.True(t, ok)
	picture, err := s.Image(ctx, 3, pulled.ID)
	require.NoError(t, err)
	assert.Equal(t, []byte{0xff, 0xd8}, picture)
	stale, err := s.Stale(ctx)
	require.NoError(t, err)
	assert.Len(t, stale, 2, "they are summed up anew")

	// What comes after is counted on from there.
	id, err := s.AddSite(ctx, Site{Name: "Mill", CreatedAt: time.Now()})
	require.NoError(t, err)
	assert.Greater(t, id, int64(7))
	require.NoError(t, s.IntegrityCheck(ctx))
	broken, err := s.db.Query("PRAGMA foreign_key_check")
	require.NoError(t, err)
	assert.False(t, broken.Next(), "what is referred to is there")
	require.NoError(t, broken.Close())
}

// TestFromBeforeRecords: a database that the version before wrote, with something of
// everything in it, is brought up to date with nothing lost.
func TestFromBeforeRecords(t *testing.T) {
	ctx := t.Context()
	packed, err := os.Open("testdata/version-8.db.gz")
	require.NoError(t, err)
	defer packed.Close()
	unpacked, err := gzip.NewReader(packed)
	require.NoError(t, err)
	data, err := io.ReadAll(unpacked)
	require.NoError(t, err)
	path := filepath.Join(t.TempDir(), "then.db")
	require.NoError(t, os.WriteFile(path, data, 0o600))
	require.NoError(t, Check(ctx, path))
	s, err := Open(ctx, path)
	require.NoError(t, err)
	defer s.Close()
	require.NoError(t, s.IntegrityCheck(ctx))
	broken, err := s.db.Query("PRAGMA foreign_key_check")
	require.NoError(t, err)
	assert.False(t, broken.Next())
	require.NoError(t, broken.Close())

	at, err := s.Load(ctx, 1)
	require.NoError(t, err)
	r := at.Record
	assert.Equal(t, "Aviary porch", r.Title)
	assert.Equal(t, "Tannery Yard 3", at.SiteName)
	assert.NotNil(t, r.CautionsReadAt)
	assert.Equal(t, "5", r.Circuit.Breaker.Label)
	assert.Equal(t, new(false), r.Said.BreakerOn)
	assert.True(t, r.Conditions.Old)
	assert.Equal(t, []string{"B3"}, r.Order.Unsure)
	assert.Equal(t, []string{"R3"}, r.Changed)
	require.Len(t, r.Readings, 2)
	assert.True(t, r.Readings[0].Doubtful)
	assert.False(t, r.Readings[0].Withdrawn)
	assert.True(t, r.Readings[1].Withdrawn)
	require.Len(t, r.Journal, 5)
	assert.Equal(t, "two  spaces", r.Journal[1].Text)
	assert.True(t, r.Journal[1].Withdrawn)
	assert.NotNil(t, r.Boxes[0].MadeAt)
	require.Len(t, r.Used, 4)
	assert.Equal(t, "Van 1", r.Used[3].Van)
	require.Len(t, r.Answers, 1)
	require.Len(t, r.Conflicts, 1)
	assert.Equal(t, "run: breaker label", r.Conflicts[0].Words(r.Circuit))
	assert.Equal(t, `"3"`, string(r.Conflicts[0].Theirs))
	assert.Equal(t, `"5"`, string(r.Conflicts[0].Mine))
	image, err := s.Image(ctx, 1, r.Pictures[0].ID)
	require.NoError(t, err)
	assert.Equal(t, []byte{0xff, 0xd8}, image[:2])
	last, back := r.Undoable("", "")
	assert.Nil(t, last, "steps from before cannot be taken back")
	assert.Nil(t, back)
	assert.Greater(t, len(r.Log), 15, "but what they were is kept")
	require.ErrorIs(t, s.UsedElsewhere(ctx, "v8-command-1", 2), call.ErrUsedElsewhere, "and a command sent again is known")
	answer, err := s.Answer(ctx, 4)
	require.ErrorIs(t, err, ErrNotFound, "%v", answer)
	stock, err := s.Stock(ctx)
	require.NoError(t, err)
	assert.Contains(t, stock, Have{Van: "Van 1", Item: "wall plate", Count: 9})
	lines, err := s.CallLines(ctx, true, 0, 9)
	require.NoError(t, err)
	assert.Len(t, lines, 3, "what was handed over is so")
	hits, err := s.Search(ctx, "heat", 9)
	require.NoError(t, err)
	assert.NotEmpty(t, hits)
}

// TestSchemaIsWritten: schema.sql, which the queries are generated from, is what the
// migrations make, and the generated code is of it and of queries.sql. To write them
// anew: make generate.
func TestSchemaIsWritten(t *testing.T) {
	s, err := Open(t.Context(), filepath.Join(t.TempDir(), "x.db"))
	require.NoError(t, err)
	defer s.Close()
	schema, err := migrations.Schema(t.Context(), s.db)
	require.NoError(t, err)
	written, err := os.ReadFile("schema.sql")
	require.NoError(t, err)
	assert.Equal(t, schema, string(written))
	queries, err := os.ReadFile("queries.sql")
	require.NoError(t, err)
	sum := sha256.Sum256([]byte(schema + string(queries)))
	of, err := os.ReadFile("db/generated-from.sha256")
	require.NoError(t, err)
	assert.Equal(t, hex.EncodeToString(sum[:]), strings.TrimSpace(string(of)), "run make generate")
}
