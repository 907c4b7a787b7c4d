package server_test

import (
	"encoding/json"
	"net/http/httptest"
	"os"
	"os/exec"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/internal/desk"

	corecall "elvat/core/call"
	"elvat/core/job"
)

// TestExamplesOfTheDocs: the examples of docs/api.md run as they stand there, against a
// server that is signed in to, with a token; and the page names all that can be done.
func TestExamplesOfTheDocs(t *testing.T) {
	page, err := os.ReadFile("../../docs/api.md")
	require.NoError(t, err)
	for _, name := range corecall.Names() {
		assert.Contains(t, string(page), "`"+name+"`")
	}
	o := newOffice(t)
	w := o.ask(job.Electrician, "POST", "/api/v1/tokens", `{ "name": "the examples", "role": "helper" }`)
	require.Equal(t, 201, w.Code, w.Body)
	var made struct{ Token string }
	require.NoError(t, json.Unmarshal(w.Body.Bytes(), &made))
	listening := httptest.NewServer(o.handler)
	defer listening.Close()
	examples := regexp.MustCompile("(?s)```sh\n(.*?)```").FindAllStringSubmatch(string(page), -1)
	wants := []string{"Inspector's list", `"name":"open neutral"`, "\"done\":true\n\"done\":true"}
	require.Len(t, examples, len(wants))
	for i, example := range examples {
		cmd := exec.CommandContext(t.Context(), "bash", "-euo", "pipefail", "-c", example[1])
		cmd.Env = append(cmd.Environ(), "ELVAT="+listening.URL, "TOKEN="+made.Token)
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, "%s\n%s", example[1], out)
		assert.Contains(t, string(out), wants[i], example[1])
	}
}

// TestRefusalsAreListed: every code that a refusal can carry stands in docs/api.md.
func TestRefusalsAreListed(t *testing.T) {
	page, err := os.ReadFile("../../docs/api.md")
	require.NoError(t, err)
	source, err := os.ReadFile("problem.go")
	require.NoError(t, err)
	codes := regexp.MustCompile(`, "([a-z-]+)", http\.Status`).FindAllStringSubmatch(string(source), -1)
	for _, r := range desk.Refusals {
		codes = append(codes, []string{"", r.Code})
	}
	require.Greater(t, len(codes), 10)
	for _, code := range codes {
		assert.Contains(t, string(page), "`"+code[1]+"`")
	}
}
