package sealed

import (
	"bytes"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestSealed: what was sealed opens with its passphrase and no other, and a byte changed
// anywhere opens nothing.
func TestSealed(t *testing.T) {
	folder := t.TempDir()
	at := func(name string) string { return filepath.Join(folder, name) }
	plain := bytes.Repeat([]byte("Aviary porch, the Harts, 12 Mill Lane. "), 5000)
	require.NoError(t, os.WriteFile(at("a"), plain, 0o600))
	require.NoError(t, File(at("a"), at("a.age"), "heron kiln thistle weir"))
	data, err := os.ReadFile(at("a.age"))
	require.NoError(t, err)
	assert.NotContains(t, string(data), "Mill Lane")
	for name, want := range map[string]bool{"a": false, "a.age": true} {
		is, err := Is(at(name))
		require.NoError(t, err)
		assert.Equal(t, want, is)
	}
	require.NoError(t, Opened(at("a.age"), at("b"), "heron kiln thistle weir"))
	again, err := os.ReadFile(at("b"))
	require.NoError(t, err)
	assert.Equal(t, plain, again)
	require.ErrorIs(t, Opened(at("a.age"), at("c"), "heron kiln thistle wier"), ErrPassphrase)
	assert.NoFileExists(t, at("c"))
	data[len(data)/2] ^= 1
	require.NoError(t, os.WriteFile(at("d.age"), data, 0o600))
	require.Error(t, Opened(at("d.age"), at("d"), "heron kiln thistle weir"))
	assert.NoFileExists(t, at("d"), "half of it is not left behind")
	require.Error(t, File(at("a"), at("a.age"), "x"), "what is there is not overwritten")
}
