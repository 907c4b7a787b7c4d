package archive_test

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"elvat/internal/archive"
	"elvat/internal/store"
)

// FuzzImport: whatever an archive holds, it is refused by a reason and nothing of it stays, or
// read in whole: then the file is sound, every call opens, and it goes out again. An archive
// is fuzzed as its entries, one a line: what a zip's own checks refuse teaches nothing.
func FuzzImport(f *testing.F) {
	folder := f.TempDir()
	empty := filepath.Join(folder, "empty.db")
	s, err := store.Open(f.Context(), empty)
	require.NoError(f, err)
	require.NoError(f, s.Close())
	template, err := os.ReadFile(empty)
	require.NoError(f, err)
	f.Add("sites", `{"id": 1, "name": "a", "address": "", "notes": "", "created_at": 1777896000000}`, "panels", `{"id": 1, "site_id": 1, "name": "p", "directory": [], "version": 0}`)
	f.Add("calls", `{"id": 1, "run_id": 1, "title": "x", "created_at": 1, "version": 1, "stale": 1}`, "parts", `{"call_id": 1, "kind": "call", "id": "", "n": 0, "document": {"title":"x","complaint":""}}`)
	f.Add("actions", `{"id": 1, "call_id": 1, "command": "c", "doing": "rename", "what": "", "device": "", "person": "", "at": 1, "arrived_at": 1, "undoes": "", "changed": 1, "made": null}`,
		"changes", `{"action": 1, "n": 0, "kind": "call", "id": "", "path": "title", "next": "", "before": "\"x\"", "after": "\"y\""}`)
	f.Add("settings", `{"name": "house", "value": "{}"}`, "people", `{"id": 1, "name": "A", "role": "helper", "created_at": 1, "withdrawn": 0}`)
	f.Add("summaries", `{"call_id": 1, "document": {}, "handed_over": 0, "question": "", "build": "", "answer": "H4sIAAAAAAAA"}`, "search", `{"rowid": 1, "title": "x", "body": "y"}`)

	f.Fuzz(func(t *testing.T, one, first, two, second string) {
		if len(one)+len(two) > 200 || strings.ContainsAny(one+two, "\x00") {
			return
		}

		path := filepath.Join(t.TempDir(), "x.db")
		require.NoError(t, os.WriteFile(path, template, 0o600))
		s, err := store.Open(t.Context(), path)
		require.NoError(t, err)
		defer s.Close()
		data := zipped(t, [2]string{"elvat.json", `{"format":"elvat-archive/2"}`}, [2]string{"tables/" + one + ".json", first}, [2]string{"tables/" + two + ".json", second})
		if err := archive.Import(t.Context(), s, bytes.NewReader(data), int64(len(data))); err != nil {
			sites, err := s.Sites(t.Context(), 0, 9)
			require.NoError(t, err)
			require.Empty(t, sites)
			return
		}
		require.NoError(t, s.IntegrityCheck(t.Context()))
		var out bytes.Buffer
		require.NoError(t, archive.Export(t.Context(), s, &out))
	})
}
