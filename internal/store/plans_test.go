package store

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestQueriesFindTheirRows: no query goes through all of a table that grows with the
// shop's years. Those that may are named, with why.
func TestQueriesFindTheirRows(t *testing.T) {
	may := map[string]string{
		"Stock": "it sums all there is on the vans", "Filled": "one row is enough for it", "Sites": "newest first, so many",
		"People": "a handful", "AddPerson": "of sessions too", "SignOutEverywhere": "of sessions", "Sessions": "of sessions",
		"ForgetFailures": "those of a day", "LookedMark": "a count over an index of its own", "ArrivedOpen": "what arrived just now, and what waits for a decision", "Decisions": "the same", "AddCall": "of what waits for a decision", "EraseArrived": "the same, once in years", "ToErase": "once a day", "Invoices": "newest first, so many", "Feeds": "one a van",
	}
	s, err := Open(t.Context(), filepath.Join(t.TempDir(), "x.db"))
	require.NoError(t, err)
	defer s.Close()
	queries, err := os.ReadFile("queries.sql")
	require.NoError(t, err)
	named := regexp.MustCompile(`(?s)-- name: (\w+) :\w+\n(.*?);\n`).FindAllStringSubmatch(string(queries), -1)
	require.Greater(t, len(named), 60)
	for _, q := range named {
		sql := regexp.MustCompile(`sqlc\.arg\(\w+\)`).ReplaceAllString(q[2], "?")
		rows, err := s.db.Query("EXPLAIN QUERY PLAN "+sql, make([]any, strings.Count(sql, "?"))...)
		require.NoError(t, err, q[1])
		for rows.Next() {
			var id, parent, unused int
			var detail string
			require.NoError(t, rows.Scan(&id, &parent, &unused, &detail))
			whole := strings.HasPrefix(detail, "SCAN ") && !strings.Contains(detail, "USING") && !strings.Contains(detail, "VIRTUAL") && detail != "SCAN CONSTANT ROW"
			assert.False(t, whole && may[q[1]] == "", "%s: %s", q[1], detail)
		}
		require.NoError(t, rows.Close())
	}
}
