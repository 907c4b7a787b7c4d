package server_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/job"
	"elvat/internal/api"
	"elvat/internal/demo"
	"elvat/internal/meterlink"
	"elvat/internal/server"
	"elvat/internal/store"
)

var noon = time.Date(2026, 5, 4, 12, 0, 0, 0, time.UTC)

// shop is a server on a database of its own.
type shop struct {
	t       *testing.T
	handler http.Handler
	store   *store.Store
}

func open(t *testing.T, path string) *shop { return openWith(t, path, nil) }

func openWith(t *testing.T, path string, meter *meterlink.Meter) *shop {
	s, err := store.Open(t.Context(), path)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	front := fstest.MapFS{"index.html": {Data: []byte("<title>Elvat</title>")}, "assets/app-1.js": {Data: []byte("//")},
		"sw.js": {Data: []byte("self")}, "assets/phone-1.wasm": {Data: []byte("long")}, "assets/phone-1.wasm.br": {Data: []byte("short")},
	}
	config := server.Config{
		Store: s, Shop: "A shop", Meter: meter, Tracer: true, Front: front, Now: func() time.Time { return noon },
		Log: slog.New(slog.NewTextHandler(io.Discard, nil)), Backups: server.Backups{Folder: path + "-backups", Keep: 2},
	}
	return &shop{t, serverOf(t, config), s}
}

// serverOf is a server reached as this machine, closed at the end of the test.
func serverOf(t *testing.T, c server.Config) http.Handler {
	app, err := server.New(c)
	require.NoError(t, err)
	t.Cleanup(app.Close)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Host == "example.com" { // what httptest says
			r.Host = "localhost"
		}
		app.ServeHTTP(w, r)
	})
}

func newShop(t *testing.T) *shop { return open(t, filepath.Join(t.TempDir(), "shop.db")) }

func withDemo(t *testing.T) *shop { return open(t, filled(t)) }

// demonstration is the demo's database with one person of each role, filled once for all tests.
var demonstration = sync.OnceValues(func() ([]byte, error) {
	folder, err := os.MkdirTemp("", "elvat-filled")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(folder)
	path := filepath.Join(folder, "shop.db")
	ctx := context.Background()
	s, err := store.Open(ctx, path)
	if err != nil {
		return nil, err
	}
	err = demo.Fill(ctx, s, noon)
	for _, role := range job.Roles {
		p, problem := server.NewPerson("The "+string(role), string(role), passphrase, noon)
		_, added := s.AddPerson(ctx, p)
		err = errors.Join(err, problem, added)
	}
	if err := errors.Join(err, s.Close()); err != nil {
		return nil, err
	}
	return os.ReadFile(path)
})

// filled is a copy of it for one test.
func filled(t *testing.T) string {
	data, err := demonstration()
	require.NoError(t, err)
	path := filepath.Join(t.TempDir(), "shop.db")
	require.NoError(t, os.WriteFile(path, data, 0o600))
	return path
}

func (s *shop) ask(method, path, body string) *httptest.ResponseRecorder {
	return s.askAs("", method, path, body)
}

// askAs asks as one of several devices.
func (s *shop) askAs(device, method, path, body string) *httptest.ResponseRecorder {
	r := httptest.NewRequestWithContext(s.t.Context(), method, path, strings.NewReader(body))
	if device != "" {
		r.Header.Set("Elvat-Device", device)
	}
	r.Header.Set("Content-Type", "application/json")
	if strings.HasSuffix(path, "/circuit") || strings.Contains(path, "/pictures?") {
		r.Header.Set("Content-Type", "application/octet-stream")
	}
	w := httptest.NewRecorder()
	s.handler.ServeHTTP(w, r)
	return w
}

// call asks for something that answers with a call.
func (s *shop) call(status int, method, path, body string) api.Call {
	s.t.Helper()
	w := s.ask(method, path, body)
	require.Equal(s.t, status, w.Code, w.Body.String())
	var c api.Call
	require.NoError(s.t, json.Unmarshal(w.Body.Bytes(), &c))
	return c
}

func reading(id, at, lamps string) string {
	return fmt.Sprintf(`{ "id": %q, "reading": { "at": %q, "half": "top", "tool": "plug", "lamps": %s } }`, id, at, lamps)
}

const openNeutral = `{ "hotNeutral": "dark", "hotGround": "lit", "neutralGround": "dark" }`

func TestACallFromNothing(t *testing.T) {
	s := newShop(t)
	c := s.call(201, "POST", "/api/v1/calls", `{ "title": " Sail loft ", "complaint": "dead" }`)
	assert.Equal(t, "Sail loft", c.Title)
	assert.Nil(t, c.CautionsReadAt)
	assert.Equal(t, "complaint", string(c.Phases[0].Phase))
	assert.Equal(t, "now", c.Phases[0].State)

	at := fmt.Sprintf("/api/v1/calls/%d", c.Id)
	c = s.call(200, "POST", at+"/cautions", "")
	assert.Equal(t, noon, *c.CautionsReadAt)
	c = s.call(200, "PUT", at+"/breaker", `{ "label": "14", "amps": 15 }`)
	assert.Equal(t, 15.0, c.Breaker.Amps)
	c = s.call(201, "POST", at+"/stops", `{ "after": "panel", "label": "Hatch" }`)
	c = s.call(
		201,
		"POST",
		at+"/stops",
		`{ "after": "B1", "label": "Table", "feet": 22, "ground": false, "slots": 2, "awg": 12 }`,
	)
	require.Len(t, c.Stops, 2)
	assert.Equal(t, "B1", c.Stops[1].From)
	assert.Equal(t, 22.0, c.Stops[1].Cable.Feet)
	assert.EqualValues(t, 12, c.Stops[1].Cable.AWG)
	assert.False(t, c.Stops[1].Ground)
	assert.Equal(t, 2, c.Stops[1].Devices[0].Slots)
	c = s.call(200, "PATCH", at+"/stops/B2", `{ "label": "Bench", "slots": 3, "makeup": "pigtail" }`)
	assert.Equal(t, "Bench", c.Stops[1].Label)
	c = s.call(200, "DELETE", at+"/stops/B2", "")
	assert.Len(t, c.Stops, 1)
	c = s.call(200, "POST", at+"/undo", "")
	assert.Len(t, c.Stops, 2)

	c = s.call(201, "POST", at+"/readings", reading("reading-0001", "R1", openNeutral))
	require.Len(t, c.Readings, 1)
	assert.Equal(t, "open neutral", c.Diagnosis.Suspects[0].Name)
	assert.Equal(t, "as found", phaseNow(c))
	require.Len(t, c.Halves, 1)

	c = s.call(200, "PATCH", at+"/readings/reading-0001", `{ "withdrawn": true }`)
	assert.True(t, c.Readings[0].Withdrawn)
	assert.Empty(t, c.Halves)
	c = s.call(200, "PATCH", at, `{ "complaint": "all dead" }`)
	assert.Equal(t, "all dead", c.Complaint)
}

func phaseNow(c api.Call) string {
	for _, p := range c.Phases {
		if p.State == "now" {
			return string(p.Phase)
		}
	}
	return ""
}

// TestRefusals: bad input gets a problem document that names the place.
func TestRefusals(t *testing.T) {
	s := withDemo(t)
	broken := strings.Repeat("x", 5<<20)
	for _, row := range []struct {
		name, method, path, body string
		status                   int
		detail                   string
	}{
		{"no such call", "GET", "/api/v1/calls/77", "", 404, "no such call"},
		{"a call that is no number", "GET", "/api/v1/calls/abc", "", 400, ""},
		{"no such route", "GET", "/api/v1/nothing", "", 404, ""},
		{"a call without a name", "POST", "/api/v1/calls", `{ "title": "  ", "complaint": "" }`, 422, "title: a call needs a name"},
		{"not JSON", "POST", "/api/v1/calls", `{ "title": `, 400, ""},
		{"wrong type", "POST", "/api/v1/calls", `{ "title": 7 }`, 400, ""},
		{"a name taken away", "PATCH", "/api/v1/calls/1", `{ "title": "" }`, 422, "title: a call needs a name"},
		{"a call from a broken file", "POST", "/api/v1/calls", `{ "title": "", "complaint": "", "circuit": "{ \"formt\": 1 }" }`, 422, `unknown key "formt"`},
		{"a circuit with an orphan", "PUT", "/api/v1/calls/1/circuit", `{ "format": "elvat-circuit/1", "breaker": { "amps": 20 }, "boxes": [ { "id": "B1", "devices": [] } ] }`, 422, "box B1: no cable reaches it"},
		{"a circuit that is no JSON", "PUT", "/api/v1/calls/1/circuit", "{\n\n,", 422, "line 3"},
		{"a circuit for no call", "PUT", "/api/v1/calls/77/circuit", `{ "format": "elvat-circuit/1", "breaker": { "amps": 20 } }`, 404, "no such call"},
		{"a file far too large", "PUT", "/api/v1/calls/1/circuit", broken, 413, ""},
		{"a stop after nothing", "POST", "/api/v1/calls/1/stops", `{ "after": "B77" }`, 422, `after "B77": no such box`},
		{"a stop of no wire", "POST", "/api/v1/calls/1/stops", `{ "after": "B1", "awg": 13 }`, 422, "13 AWG is no building wire"},
		{"a change of nothing", "PATCH", "/api/v1/calls/1/stops/B77", `{}`, 422, "box B77: not on this circuit"},
		{"feet below nothing", "PATCH", "/api/v1/calls/1/stops/B1", `{ "feet": -1 }`, 422, "cable W1: feet: -1 is impossible"},
		{"a breaker of no amps", "PUT", "/api/v1/calls/1/breaker", `{ "label": "", "amps": 0 }`, 422, "breaker.amps: 0 is impossible"},
		{"a reading of no device", "POST", "/api/v1/calls/1/readings", reading("reading-0001", "R77", openNeutral), 422, `at "R77": no such device`},
		{"a reading of no call", "POST", "/api/v1/calls/77/readings", reading("reading-0001", "R1", openNeutral), 404, "no such call"},
		{"a lamp neither lit nor dark", "POST", "/api/v1/calls/1/readings", reading("reading-0001", "R2", `{ "hotNeutral": "blue" }`), 422, `lamp hot-neutral: "blue"`},
		{"an unknown key in a reading", "POST", "/api/v1/calls/1/readings", reading("reading-0001", "R2", `{ "top": "lit" }`), 422, `lamps: unknown key "top"`},
		{"a reading without a name of its own", "POST", "/api/v1/calls/1/readings", reading("x", "R2", openNeutral), 422, "id: between 8 and 64"},
		{"no such reading", "PATCH", "/api/v1/calls/1/readings/none-at-all", `{ "withdrawn": true }`, 404, "no such call, stop or reading"},
		{"a state of no load", "PUT", "/api/v1/calls/1/state", `{ "loadsOn": ["L9"] }`, 422, "loadsOn: no load L9"},
		{"a state with what is no GFCI tripped", "PUT", "/api/v1/calls/1/state", `{ "tripped": ["R2"] }`, 422, "tripped: R2 is no GFCI"},
		{"a state of no call", "PUT", "/api/v1/calls/77/state", `{}`, 404, "no such call"},
		{"a load at nothing", "POST", "/api/v1/calls/1/loads", `{ "at": "R9", "half": "top", "watts": 60 }`, 422, "plugged in at R9"},
		{"a load of no watts", "POST", "/api/v1/calls/1/loads", `{ "at": "R2", "half": "top", "watts": 0 }`, 422, "watts: 0 is impossible"},
		{"no such load", "DELETE", "/api/v1/calls/1/loads/L9", "", 422, "load L9: not on this circuit"},
		{"a changed device that is none", "PUT", "/api/v1/calls/1/changed/R9", `{ "changed": true }`, 422, "device R9: not on this circuit"},
		{"two lamps for one pair", "PUT", "/api/v1/lamps", `{ "lamps": ["hotNeutral", "hotNeutral", "hotGround"] }`, 422, "each of the three stands for another pair"},
		{"a lamp for no pair", "PUT", "/api/v1/lamps", `{ "lamps": ["hotNeutral", "green", "hotGround"] }`, 422, `"green" is no pair`},
		{"no meter", "POST", "/api/v1/calls/1/meter", `{ "at": "R2", "half": "top", "pair": "hotNeutral" }`, 409, "no meter is on the wire"},
		{"bringing back nothing", "POST", "/api/v1/calls/1/redo", "", 409, "nothing left to take back"},
	} {
		t.Run(row.name, func(t *testing.T) {
			w := s.ask(row.method, row.path, row.body)
			assert.Equal(t, row.status, w.Code, w.Body.String())
			assert.Contains(t, w.Header().Get("Content-Type"), "application/problem+json")
			var p api.Problem
			require.NoError(t, json.Unmarshal(w.Body.Bytes(), &p))
			assert.Equal(t, row.status, p.Status)
			assert.NotEmpty(t, p.Title)
			assert.Contains(t, p.Detail, row.detail)
		})
	}
	before := s.call(200, "GET", "/api/v1/calls/1", "")
	assert.Len(t, before.Stops, 4, "what was refused changed nothing")
	assert.Empty(t, before.Readings)
}

// TestSentTwice: a reading whose answer was lost is sent again, and counts once.
func TestSentTwice(t *testing.T) {
	s := withDemo(t)
	first := s.call(201, "POST", "/api/v1/calls/1/readings", reading("reading-0001", "R2", openNeutral))
	again := s.call(201, "POST", "/api/v1/calls/1/readings", reading("reading-0001", "R2", openNeutral))
	assert.Equal(t, first, again)
}

func TestCircuitFileThereAndBack(t *testing.T) {
	s := withDemo(t)
	w := s.ask("GET", "/api/v1/calls/3/circuit", "")
	require.Equal(t, 200, w.Code)
	assert.Contains(t, w.Header().Get("Content-Disposition"), "attachment")
	c, err := circuit.Parse(w.Body.Bytes())
	require.NoError(t, err)
	assert.Len(t, c.Boxes, 9)
	made, err := json.Marshal(map[string]string{"title": "", "complaint": "", "circuit": w.Body.String()})
	require.NoError(t, err)
	got := s.call(201, "POST", "/api/v1/calls", string(made))
	assert.Equal(t, c.Name, got.Title, "named after the circuit where no name was given")
	assert.Len(t, got.Stops, 9)
	w2 := s.ask("GET", fmt.Sprintf("/api/v1/calls/%d/circuit", got.Id), "")
	assert.JSONEq(t, w.Body.String(), w2.Body.String())
}

// TestAStateThatCannotBe: what was said of a load that is gone is named and left
// out; that the breaker is off stays.
func TestAStateThatCannotBe(t *testing.T) {
	s := withDemo(t)
	s.call(201, "POST", "/api/v1/calls/3/loads", `{ "at": "R5", "half": "bottom", "watts": 900 }`)
	c := s.call(200, "PUT", "/api/v1/calls/3/state", `{ "breakerOn": false, "loadsOn": ["L2"] }`)
	require.Empty(t, c.StateProblems)
	c = s.call(200, "DELETE", "/api/v1/calls/3/loads/L2", "")
	require.NotNil(t, c.State.BreakerOn)
	assert.False(t, *c.State.BreakerOn)
	require.Len(t, c.StateProblems, 1)
	assert.Equal(t, "load L2", c.StateProblems[0])
	c = s.call(200, "PUT", "/api/v1/calls/3/state", `{ "breakerOn": true }`)
	assert.Empty(t, c.StateProblems)
}

// TestReadingsOutliveTheirStop: taking a stop off loses no reading at it.
func TestReadingsOutliveTheirStop(t *testing.T) {
	s := withDemo(t)
	before := s.call(200, "GET", "/api/v1/calls/3", "")
	without := s.call(200, "DELETE", "/api/v1/calls/3/stops/B6", "")
	require.Len(t, without.Readings, len(before.Readings))
	left := 0
	for _, r := range without.Readings {
		if r.Problem != nil {
			left++
			assert.Contains(t, *r.Problem, "no such device")
			assert.Equal(t, "R6", r.Reading.At)
		}
	}
	assert.Equal(t, 1, left)
	after := s.call(200, "POST", "/api/v1/calls/3/undo", "")
	assert.Greater(t, after.Version, before.Version)
	assert.Equal(t, "Took back: took a stop off", after.Redo.What)
	after.Version, after.Redo = before.Version, before.Redo
	assert.Equal(t, before, after)
}

func TestTheDay(t *testing.T) {
	s := withDemo(t)
	w := s.ask("GET", "/api/v1/calls", "")
	require.Equal(t, 200, w.Code)
	var list []api.CallSummary
	require.NoError(t, json.Unmarshal(w.Body.Bytes(), &list))
	require.Len(t, list, 6, "three in hand, and what was done there before")
	for i, c := range list {
		assert.Equal(t, i >= 3, c.HandedOver)
	}
	assert.Equal(t, "Bindery, upper floor", list[0].Title, "newest first")
	assert.True(t, list[0].Danger)
	assert.Equal(t, "Open Enlarger: prove it dead first", list[1].HoldUp)
	assert.Equal(t, "Standing cautions not read", list[2].HoldUp)
	var basics api.Basics
	require.NoError(t, json.Unmarshal(s.ask("GET", "/api/v1/basics", "").Body.Bytes(), &basics))
	assert.Equal(t, "A shop", basics.Shop)
	assert.Contains(t, basics.Gauges, 14)
}

// TestAllIsThereAfterARestart, as it was acknowledged.
func TestAllIsThereAfterARestart(t *testing.T) {
	path := filepath.Join(t.TempDir(), "shop.db")
	first := open(t, path)
	require.NoError(t, demo.Fill(t.Context(), first.store, noon))
	said := first.call(201, "POST", "/api/v1/calls/3/readings", reading("reading-0001", "R4", openNeutral))
	require.NoError(t, first.store.Close())
	assert.Equal(t, said, open(t, path).call(200, "GET", "/api/v1/calls/3", ""))
}

// TestAtOnce: many hands on one call lose nothing.
func TestAtOnce(t *testing.T) {
	s := withDemo(t)
	var all sync.WaitGroup
	for i := range 12 {
		all.Go(func() {
			assert.Equal(
				t,
				201,
				s.ask("POST", "/api/v1/calls/1/readings", reading(fmt.Sprintf("reading-%04d", i), "R2", openNeutral)).Code,
			)
		})
		all.Go(func() {
			assert.Equal(t, 201, s.ask("POST", "/api/v1/calls/1/stops", `{ "after": "B1" }`).Code)
		})
	}
	all.Wait()
	c := s.call(200, "GET", "/api/v1/calls/1", "")
	assert.Len(t, c.Readings, 12)
	assert.Len(t, c.Stops, 4+12)
}

// TestMoreCallsThanArePrepared: a call whose preparation was dropped is as
// right as before.
func TestMoreCallsThanArePrepared(t *testing.T) {
	s := withDemo(t)
	before := s.call(200, "GET", "/api/v1/calls/3", "")
	for range 20 {
		s.call(201, "POST", "/api/v1/calls", `{ "title": "x", "complaint": "" }`)
	}
	assert.Equal(t, before, s.call(200, "GET", "/api/v1/calls/3", ""))
}

func TestFrontEnd(t *testing.T) {
	s := newShop(t)
	for _, row := range []struct{ path, contains, cache string }{
		{"/", "<title>Elvat", "no-cache"},
		{"/calls/3", "<title>Elvat", "no-cache"},
		{"/assets", "<title>Elvat", "no-cache"},
		{"/../../etc/passwd", "<title>Elvat", "no-cache"},
		{"/assets/app-1.js", "//", "immutable"},
		{"/sw.js", "self", "no-cache"},
		{"/index.html", "<title>Elvat", "no-cache"},
	} {
		w := s.ask("GET", row.path, "")
		assert.Equal(t, 200, w.Code, row.path)
		assert.Contains(t, w.Body.String(), row.contains, row.path)
		assert.Contains(t, w.Header().Get("Cache-Control"), row.cache, row.path)
		assert.Contains(t, w.Header().Get("Content-Security-Policy"), "default-src 'self'", row.path)
	}
}

// TestFrontEndOfAnotherVersion: what is missing is no page, and what is packed is sent so.
func TestFrontEndOfAnotherVersion(t *testing.T) {
	s := newShop(t)
	assert.Equal(t, 404, s.ask("GET", "/assets/app-0.js", "").Code)
	for _, row := range []struct{ accepts, body, encoding string }{{"gzip", "long", ""}, {"gzip, br", "short", "br"}} {
		r := httptest.NewRequestWithContext(t.Context(), "GET", "/assets/phone-1.wasm", nil)
		r.Header.Set("Accept-Encoding", row.accepts)
		w := httptest.NewRecorder()
		s.handler.ServeHTTP(w, r)
		assert.Equal(t, 200, w.Code)
		assert.Equal(t, row.body, w.Body.String())
		assert.Equal(t, row.encoding, w.Header().Get("Content-Encoding"))
		assert.Equal(t, "application/wasm", w.Header().Get("Content-Type"))
		assert.Contains(t, w.Header().Get("Cache-Control"), "immutable")
	}
}

func TestFrontEndNeverBuilt(t *testing.T) {
	s := newShop(t)
	bare := serverOf(
		t,
		server.Config{
			Store: s.store,
			Front: fstest.MapFS{".keep": {}},
			Now:   time.Now,
			Log:   slog.New(slog.NewTextHandler(io.Discard, nil)),
		},
	)
	w := httptest.NewRecorder()
	bare.ServeHTTP(w, httptest.NewRequestWithContext(t.Context(), "GET", "/", nil))
	assert.Equal(t, http.StatusServiceUnavailable, w.Code)
	assert.Contains(t, w.Body.String(), "make build")
}

func TestRequestLog(t *testing.T) {
	var log strings.Builder
	s := newShop(t)
	handler := serverOf(
		t,
		server.Config{Store: s.store, Front: fstest.MapFS{}, Now: time.Now, Log: slog.New(slog.NewTextHandler(&log, nil))},
	)
	handler.ServeHTTP(httptest.NewRecorder(), httptest.NewRequestWithContext(t.Context(), "GET", "/api/v1/calls/9", nil))
	assert.Contains(t, log.String(), "method=GET")
	assert.Contains(t, log.String(), "path=/api/v1/calls/9")
	assert.Contains(t, log.String(), "status=404")
}

// TestState: what the circuit is in now is kept, goes into what is to be read
// next, and loses what is no longer there.
func TestState(t *testing.T) {
	s := withDemo(t)
	c := s.call(200, "GET", "/api/v1/calls/3", "")
	assert.Nil(t, c.State.BreakerOn)
	require.Len(t, c.Loads, 1)
	c = s.call(200, "PUT", "/api/v1/calls/3/state", `{ "breakerOn": false, "loadsOn": [] }`)
	assert.False(t, *c.State.BreakerOn)
	assert.Empty(t, c.State.LoadsOn)
	for _, next := range c.Diagnosis.Next {
		assert.NotEqual(t, "reading", next.Do, "nothing to read on a dead circuit")
	}
	c = s.call(
		201,
		"POST",
		"/api/v1/calls/3/readings",
		`{ "id": "reading-0001", "reading": { "at": "R4", "tool": "lamp", "glow": "off", "state": { "breakerOn": false } } }`,
	)
	assert.False(t, *c.Readings[0].Reading.State.BreakerOn)

	c = s.call(201, "POST", "/api/v1/calls/3/loads", `{ "at": "R5", "half": "bottom", "watts": 900 }`)
	require.Len(t, c.Loads, 2)
	s.call(200, "PUT", "/api/v1/calls/3/state", `{ "loadsOn": ["L2"] }`)
	c = s.call(200, "DELETE", "/api/v1/calls/3/loads/L2", "")
	assert.Empty(t, c.State.LoadsOn, "what is gone is on no more")
	c = s.call(200, "PUT", "/api/v1/calls/3/state", `{}`)
	assert.Equal(t, api.State{}, c.State)
}

func TestSweepAndLamps(t *testing.T) {
	s := withDemo(t)
	basics := func() (b api.Basics) {
		require.NoError(t, json.Unmarshal(s.ask("GET", "/api/v1/basics", "").Body.Bytes(), &b))
		return b
	}
	assert.Empty(t, basics().Lamps)
	w := s.ask("PUT", "/api/v1/lamps", `{ "lamps": ["neutralGround", "hotGround", "hotNeutral"] }`)
	require.Equal(t, 200, w.Code, w.Body.String())
	assert.Equal(t, []api.BasicsLamps{"neutralGround", "hotGround", "hotNeutral"}, basics().Lamps)

	c := s.call(200, "GET", "/api/v1/calls/1", "")
	assert.Equal(t, []string{"R2", "R3", "R4"}, c.Sweep.Left)
	assert.Len(t, c.Sweep.Needs, 1, "the two-slot face")
	for i, half := range []string{"top", "bottom"} {
		body := fmt.Sprintf(
			`{ "id": "reading-%04d", "reading": { "at": "R2", "half": %q, "tool": "plug", "lamps": { "hotNeutral": "lit", "hotGround": "lit", "neutralGround": "dark" } } }`,
			i,
			half,
		)
		c = s.call(201, "POST", "/api/v1/calls/1/readings", body)
	}
	assert.Equal(t, []string{"R3", "R4"}, c.Sweep.Left)
	assert.Equal(t, "R2", c.Sweep.Needs[1].At)
	c = s.call(200, "PUT", "/api/v1/calls/1/changed/R3", `{ "changed": true }`)
	assert.Equal(t, []string{"R3"}, c.Changed)
}

// TestProtectionIsShown on the run: what hangs on a GFCI, and what it names.
func TestProtectionIsShown(t *testing.T) {
	c := withDemo(t).call(200, "GET", "/api/v1/calls/2", "")
	protected := map[string][]string{}
	for _, stop := range c.Stops {
		protected[stop.Label] = stop.Protected
		assert.NotEmpty(t, stop.Points, stop.Label)
	}
	assert.Equal(t, []string{"G2"}, protected["Enlarger"])
	assert.Equal(t, []string{"G2"}, protected["Print dryer"])
	assert.Empty(t, protected["Drying line"])
}

// TestMeter: one value at a time from the instrument, its probes moved where it
// is the simulated one.
func TestMeter(t *testing.T) {
	faulty, err := demo.Circuit(demo.MeterOn)
	require.NoError(t, err)
	simulated, err := meterlink.NewSimulated(faulty, "R1", rand.New(rand.NewPCG(1, 2)))
	require.NoError(t, err)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	go simulated.Serve(ctx, l)
	meter := &meterlink.Meter{Address: l.Addr().String(), Timeout: time.Second}
	defer meter.Close()
	s := openWith(t, filepath.Join(t.TempDir(), "shop.db"), meter)
	require.NoError(t, demo.Fill(t.Context(), s.store, noon))
	take := func(at, pair string) api.Taken {
		w := s.ask("POST", "/api/v1/calls/3/meter", fmt.Sprintf(`{ "at": %q, "half": "top", "pair": %q }`, at, pair))
		require.Equal(t, 200, w.Code, w.Body.String())
		var taken api.Taken
		require.NoError(t, json.Unmarshal(w.Body.Bytes(), &taken))
		return taken
	}
	assert.InDelta(t, 120, take("R1", "hotNeutral").Volts, 1)
	assert.Less(t, take("R4", "hotNeutral").Volts, 5.0, "behind the hidden fault")
	assert.Greater(t, take("R4", "neutralEarth").Volts, 100.0, "with something switched on behind the open neutral")
	assert.Equal(
		t,
		422,
		s.ask("POST", "/api/v1/calls/3/meter", `{ "at": "R99", "half": "top", "pair": "hotNeutral" }`).Code,
	)
	stop()
	require.Eventually(t, func() bool {
		w := s.ask("POST", "/api/v1/calls/3/meter", `{ "at": "R1", "half": "top", "pair": "hotNeutral" }`)
		return w.Code == http.StatusBadGateway && strings.Contains(w.Body.String(), "meter at")
	}, 5*time.Second, 20*time.Millisecond)
}
