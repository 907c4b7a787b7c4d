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
	for config, made := range map[string]struct{ file, before string }{
		"config.yaml": {"api.gen.go", ""},
		"server.yaml": {"server.gen.go", "//go:build !js\n\n"}, // not for the phone
	} {
		out, elsewhere := filepath.Join(t.TempDir(), made.file), filepath.Join(t.TempDir(), config)
		settings, err := os.ReadFile(config)
		require.NoError(t, err)
		settings = []byte(strings.Replace(string(settings), "output: "+made.file, "output: "+out, 1))
		require.NoError(t, os.WriteFile(elsewhere, settings, 0o600))
		generate := exec.CommandContext(t.Context(), "go", "tool", "oapi-codegen", "-config", elsewhere, "../../api/openapi.yaml")
		said, err := generate.CombinedOutput()
		require.NoError(t, err, string(said))
		want, err := os.ReadFile(out)
		require.NoError(t, err)
		got, err := os.ReadFile(made.file)
		require.NoError(t, err)
		assert.True(t, made.before+string(want) == string(got), "%s is not what api/openapi.yaml generates: run make generate", made.file)
	}
}
