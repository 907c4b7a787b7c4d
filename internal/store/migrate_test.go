package store

import (
	"database/sql"
	"path/filepath"
	"testing"
	"time"

	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestFromBeforeTheSiteBook: a database of the version before the site book is
// brought up to date with nothing lost: each call has a house of its own, and
// its directory hangs on that house's panel.
func TestFromBeforeTheSiteBook(t *testing.T) {
	ctx := t.Context()
	path := filepath.Join(t.TempDir(), "old.db")
	db, err := sql.Open("sqlite", "file:"+path)
	require.NoError(t, err)
	provider, err := goose.NewProvider(goose.DialectSQLite3, db, tables)
	require.NoError(t, err)
	_, err = provider.UpTo(ctx, 5)
	require.NoError(t, err)
	for _, statement := range []string{
		`INSERT INTO calls (id, title, complaint, created_at, state, directory) VALUES
			(3, 'Bindery', 'dead', '2026-05-04T12:00:00Z', '{"breakerOn":false}', '[{"breaker":"9","serves":"press"}]'), (7, 'Porch', 'hums', '2026-05-05T12:00:00Z', NULL, NULL)`,
		`INSERT INTO circuits (call_id, document, created_at) VALUES (3, '{' || char(10) || '  "name": "Bindery",  "feet": 1.50 }', '2026-05-04T12:00:00Z'), (7, '{}', '2026-05-05T12:00:00Z')`,
		`INSERT INTO readings (id, call_id, entry, taken_at, document) VALUES ('r1', 3, 1, '2026-05-04T12:01:00Z', '{ "tool": "lamp" }')`,
		`INSERT INTO journal (id, call_id, entry, at, document) VALUES ('j1', 3, 1, '2026-05-04T12:02:00Z', '{ "kind": "note", "text": "two  spaces" }')`,
		`INSERT INTO boxes (call_id, box, document) VALUES (3, 'B1', '{ "id": "B1" }')`,
		`INSERT INTO photographs (call_id, box, taken_at, image) VALUES (3, 'B1', '2026-05-04T12:03:00Z', x'ffd8')`,
	} {
		_, err := db.Exec(statement)
		require.NoError(t, err, statement)
	}
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
	call, err := s.Call(ctx, 3)
	require.NoError(t, err)
	assert.Equal(t, `{"breakerOn":false}`, string(call.State))
	panel, err := s.PanelOfRun(ctx, call.Run)
	require.NoError(t, err)
	assert.Equal(t, `[{"breaker":"9","serves":"press"}]`, string(panel.Directory))
	circuit, err := s.Circuit(ctx, 3)
	require.NoError(t, err)
	assert.Equal(t, `{"name":"Bindery","feet":1.50}`, string(circuit.Document), "the same, without white space between its parts")
	readings, err := s.Readings(ctx, 3)
	require.NoError(t, err)
	assert.Equal(t, `{"tool":"lamp"}`, string(readings[0].Document))
	journal, err := s.Journal(ctx, 3)
	require.NoError(t, err)
	assert.Equal(t, `{"kind":"note","text":"two  spaces"}`, string(journal[0].Document))
	_, picture, err := s.Photograph(ctx, 3, "B1")
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
