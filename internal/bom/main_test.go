package main

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestWrite: the list of a binary names its modules by what packages are called elsewhere, in the
// format's own words, and the licences of both sides stand in one text.
func TestWrite(t *testing.T) {
	folder := t.TempDir()
	binary, web := filepath.Join(folder, "elvat"), filepath.Join(folder, "web.json")
	out, err := exec.CommandContext(t.Context(), "go", "build", "-o", binary, ".").CombinedOutput() // itself
	require.NoError(t, err, string(out))
	require.NoError(t, os.WriteFile(web, []byte(`{"bomFormat":"CycloneDX","specVersion":"1.5","components":[{"type":"library","name":"react","version":"19","licenses":[{"license":{"id":"MIT"}}]}]}`), 0o600))
	require.NoError(t, write(binary, web))
	var bom struct {
		BOMFormat   string `json:"bomFormat"`
		SpecVersion string `json:"specVersion"`
		Components  []struct {
			Name, Purl string
			Licenses   []struct{ License struct{ ID string } }
		}
	}
	data, err := os.ReadFile(binary + ".cdx.json")
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(data, &bom))
	assert.Equal(t, "CycloneDX", bom.BOMFormat)
	assert.NotEmpty(t, bom.SpecVersion)
	found := ""
	for _, c := range bom.Components {
		require.NotEmpty(t, c.Licenses, c.Name)
		if c.Name == "github.com/CycloneDX/cyclonedx-go" {
			found = c.Purl + " " + c.Licenses[0].License.ID
		}
	}
	assert.Regexp(t, `^pkg:golang/github.com/CycloneDX/cyclonedx-go@v0\.\S+ Apache-2.0$`, found)
	text, err := os.ReadFile(filepath.Join(folder, "licences.txt"))
	require.NoError(t, err)
	assert.Contains(t, string(text), "react")
	require.Error(t, write(binary, filepath.Join(folder, "none.json")))
}
