package api

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestGeneratedIsCurrent: what is committed is what the contract generates.
// (The front end's types are checked the same way by npm run check.)
func TestGeneratedIsCurrent(t *testing.T) {
	out, config := filepath.Join(t.TempDir(), "api.gen.go"), filepath.Join(t.TempDir(), "config.yaml")
	settings, err := os.ReadFile("config.yaml")
	require.NoError(t, err)
	elsewhere := strings.Replace(string(settings), "output: api.gen.go", "output: "+out, 1)
	require.NoError(t, os.WriteFile(config, []byte(elsewhere), 0o600))
	generate := exec.CommandContext(t.Context(), "go", "tool", "oapi-codegen", "-config", config, "../../api/openapi.yaml")
	said, err := generate.CombinedOutput()
	require.NoError(t, err, string(said))
	want, err := os.ReadFile(out)
	require.NoError(t, err)
	got, err := os.ReadFile("api.gen.go")
	require.NoError(t, err)
	assert.True(t, string(want) == string(got), "api.gen.go is not what api/openapi.yaml generates: run make generate")
}
