package contract

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/job"
)

// TestOperations: each says who may, looking asks for less than changing, and
// what is open to anybody is named here, so that nothing is by oversight.
func TestOperations(t *testing.T) {
	all, err := Operations()
	require.NoError(t, err)
	ids := map[string]bool{}
	open := []string{}
	for _, o := range all {
		assert.False(t, ids[o.ID], "%s stands there twice", o.ID)
		ids[o.ID] = true
		if o.Access == job.Anybody {
			open = append(open, o.ID)
			assert.Regexp(t, `^/api/v1/(session$|session/second$|session/second/passkey$|session/carried$|health$|visits/\{token\}|results/\{token\}|guards/\{token\}|feeds/\{token\}|words/\{language\}$)`, o.Path)
			continue
		}
		if o.Access == job.Read && o.Method != "GET" {
			assert.Contains(t, []string{"askWhy", "suggestNewRun", "workSum"}, o.ID, "%s %s changes something", o.Method, o.Path)
		}
		if strings.HasPrefix(o.Path, "/api/v1/people") || strings.HasPrefix(o.Path, "/api/v1/backups") ||
			strings.HasPrefix(o.Path, "/api/v1/archive") {
			assert.Equal(t, job.Manage, o.Access, o.ID)
		}
	}
	assert.ElementsMatch(t, []string{"getVisit", "answerVisit", "picturesOfVisit", "getResult", "getResultPicture", "getGuard", "readFeed", "getSession", "signIn", "finishSignIn", "askPasskey", "getWords", "carrySession", "getHealth"}, open)
	assert.Equal(t, "/api/v1/calls/:call/boxes/:box", Operation{Path: "/api/v1/calls/{call}/boxes/{box}"}.Route())

	kept := text
	defer func() { text = kept }()
	for _, row := range []struct{ contract, says string }{
		{"paths: { /x: { get: { operationId: look } } }", `GET /x: x-access: ""`},
		{"paths: { /x: { post: { operationId: do, x-access: everybody } } }", `"everybody"`},
		{"paths: [", "yaml"},
	} {
		text = []byte(row.contract)
		_, err := Operations()
		assert.ErrorContains(t, err, row.says)
	}
}
