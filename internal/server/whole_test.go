package server

import (
	"io"
	"io/fs"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	contract "elvat/api"
	"elvat/internal/api"
	"elvat/internal/store"
)

// begins writes half of an answer and panics.
type begins struct{}

func (begins) VisitAny(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", "application/octet-stream")
	w.WriteHeader(http.StatusOK)
	io.WriteString(w, "the first half") //nolint:errcheck // it is cut off
	panic("in the middle")
}

// tornFS panics when a file of the front end is read.
type tornFS struct{ fstest.MapFS }

func (t tornFS) Stat(name string) (fs.FileInfo, error) {
	if strings.HasPrefix(name, "assets/torn") {
		panic("front end: " + name)
	}
	return t.MapFS.Stat(name)
}

var parameter = regexp.MustCompile(`\{[^}]+\}`)

// TestPanics: wherever a handler panics, who asks reads 500 with a problem document, or sees the
// answer cut off where it had begun; nobody reads 200 with nothing behind it.
func TestPanics(t *testing.T) {
	const before, after = "before the work", "after the work"
	where, reached := "", 0
	around = []api.StrictMiddlewareFunc{func(next api.StrictHandlerFunc, _ string) api.StrictHandlerFunc {
		return func(c *echo.Context, request any) (any, error) {
			reached++
			if where == after {
				_, _ = next(c, request)
			}
			panic(where)
		}
	}}
	defer func() { around = nil }()
	s, err := store.Open(t.Context(), filepath.Join(t.TempDir(), "shop.db"))
	require.NoError(t, err)
	defer s.Close()
	app, err := New(Config{
		Store: s, Front: tornFS{fstest.MapFS{"index.html": {Data: []byte("page")}}}, Now: time.Now, Log: slog.New(slog.NewTextHandler(io.Discard, nil)),
		Trust: http.HandlerFunc(func(http.ResponseWriter, *http.Request) { panic("trust") }),
	})
	require.NoError(t, err)
	defer app.Close()
	ask := func(method, path, body string) *httptest.ResponseRecorder {
		r := httptest.NewRequestWithContext(t.Context(), method, path, strings.NewReader(body))
		r.Host = "localhost"
		r.Header.Set("Content-Type", "application/json")
		w := httptest.NewRecorder()
		app.ServeHTTP(w, r)
		return w
	}
	problem := func(w *httptest.ResponseRecorder, of string) {
		assert.Equal(t, 500, w.Code, of)
		assert.Contains(t, w.Header().Get("Content-Type"), "application/problem+json", of)
		assert.Contains(t, w.Body.String(), `"status":500`, of)
		assert.NotContains(t, w.Body.String(), "the work", "%s: what went wrong inside stays in the log", of)
	}
	operations, err := contract.Operations()
	require.NoError(t, err)
	for _, where = range []string{before, after} {
		was := reached
		for _, o := range operations {
			n := reached
			w := ask(o.Method, "/api/v1"+strings.TrimPrefix(parameter.ReplaceAllString(o.Path, "1"), "/api/v1"), "{}")
			if reached > n {
				problem(w, where+": "+o.ID)
			}
		}
		assert.Greater(t, reached-was, len(operations)/2, "most operations are reached")
	}
	torn := ask("GET", "/assets/torn.js", "")
	problem(torn, "a file")
	assert.Equal(t, "no-store", torn.Header().Get("Cache-Control"), "no browser keeps the error for the file")
	problem(ask("GET", "/trust", ""), "a page of its own")

	// An answer that has begun is no whole one.
	e := echo.New()
	e.Use(whole(slog.New(slog.NewTextHandler(io.Discard, nil))))
	e.GET("/", func(c *echo.Context) error { return begins{}.VisitAny(c.Response()) })
	e.GET("/error", func(c *echo.Context) error {
		io.WriteString(c.Response(), "the first half") //nolint:errcheck // it is cut off
		return io.ErrUnexpectedEOF
	})
	server := httptest.NewServer(e)
	defer server.Close()
	for _, path := range []string{"/", "/error"} {
		r, err := http.Get(server.URL + path) //nolint:noctx // a server of the test's own
		if err == nil {
			_, err = io.ReadAll(r.Body)
			r.Body.Close()
		}
		assert.Error(t, err, path)
	}
}
