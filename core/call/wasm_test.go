package call

import (
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// digest names a record by all that is kept of it.
func digest(t testing.TB, r *Record) string {
	data, err := json.Marshal(struct {
		Parts []Part
		Log   []Action
	}{r.Parts(), r.Log})
	require.NoError(t, err)
	return fmt.Sprintf("%x", sha256.Sum256(data))
}

// replays plays some histories and carries their commands out once more: the same
// commands give the same record.
func replays(t *testing.T) (records []string) {
	for seed := range uint64(4) {
		h := newHistory(t, seed)
		h.play(t, 50)
		again := begun(t)
		for _, c := range h.sent {
			next, a, err := again.Decide(c, theHouse)
			require.NoError(t, err, "%s %s", c.ID, Name(c.Do))
			require.NotNil(t, a)
			next.keptAs(int64(len(next.Log)))
			again = next
		}
		assert.Equal(t, digest(t, h.record), digest(t, again))
		records = append(records, fmt.Sprintf("record %d %s", seed, digest(t, again)))
	}
	return records
}

// TestReplay gives the same record on the server and in WebAssembly.
func TestReplay(t *testing.T) {
	records := replays(t)
	if runtime.GOARCH == "wasm" {
		fmt.Println(strings.Join(records, "\n")) // for who runs it there
		return
	}
	root, err := exec.CommandContext(t.Context(), "go", "env", "GOROOT").Output()
	require.NoError(t, err)
	run := filepath.Join(strings.TrimSpace(string(root)), "lib", "wasm", "go_js_wasm_exec")
	cmd := exec.CommandContext(t.Context(), "go", "test", "-count=1", "-run", "^TestReplay$", "-v", "-exec", run, ".")
	cmd.Env = append(cmd.Environ(), "GOOS=js", "GOARCH=wasm")
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s", out)
	assert.Equal(t, records, regexp.MustCompile(`record \d+ \w{64}`).FindAllString(string(out), -1), "%s", out)
}
