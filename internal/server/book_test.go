package server_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/tester"
	"elvat/internal/api"
	"elvat/internal/demo"
	"elvat/internal/server"
	"elvat/internal/store"
)

// get asks for something that answers with JSON.
func get[T any](s *shop, status int, method, path, body string) (v T) {
	s.t.Helper()
	w := s.ask(method, path, body)
	require.Equal(s.t, status, w.Code, "%s %s: %s", method, path, w.Body)
	require.NoError(s.t, json.Unmarshal(w.Body.Bytes(), &v))
	return v
}

// TestSiteBook: what the demo's house has been through.
func TestSiteBook(t *testing.T) {
	s := withDemo(t)
	sites := get[[]api.SiteLine](s, 200, "GET", "/api/v1/sites", "")
	require.Len(t, sites, 1)
	assert.Equal(t, 6, sites[0].Calls)
	site := get[api.SiteBook](s, 200, "GET", "/api/v1/sites/1", "")
	require.Len(t, site.Panels, 1)
	assert.Len(t, site.Panels[0].Runs, 3)
	assert.Len(t, site.Calls, 6)
	assert.True(t, site.Calls[0].CreatedAt.After(site.Calls[5].CreatedAt), "newest first")
	require.Len(t, site.Gfcis, 1)
	g := site.Gfcis[0]
	assert.Equal(t, "Wash sink", g.Label)
	assert.Equal(t, 1, *g.Years)
	assert.True(t, *g.Held)
	assert.False(t, g.Due, "tested on the call in hand")

	run := get[api.RunBook](s, 200, "GET", "/api/v1/runs/2", "")
	assert.Equal(t, "Loft darkroom", run.Name)
	for _, o := range run.Outlets {
		if o.Label != "Print dryer" {
			continue
		}
		var found, left []string
		for _, l := range o.Lines {
			if l.Half != circuit.Top {
				continue
			}
			found = append(found, string(l.Found.HotGround))
			if l.Left != nil {
				left = append(left, string(l.Left.HotGround))
			}
		}
		assert.Equal(t, []string{"line", "none", "line"}, found, "sound, then no ground, then sound again")
		assert.Equal(t, []string{"line", "line"}, left)
	}

	call := s.call(200, "GET", "/api/v1/calls/2", "")
	require.NotEmpty(t, call.Past)
	for _, p := range call.Past {
		assert.Contains(t, []int64{4, 5}, p.Call)
	}
	due := get[[]api.Guard](s, 200, "GET", "/api/v1/tests-due", "")
	assert.Empty(t, due)

	run = get[api.RunBook](s, 200, "PUT", "/api/v1/runs/2/gfcis/G2", `{ "installedAt": "2014-03-01" }`)
	assert.Equal(t, 12, *run.Gfcis[0].Years)
	assert.Equal(t, 422, s.ask("PUT", "/api/v1/runs/2/gfcis/G2", `{ "installedAt": "2999-03-01" }`).Code)
	run = get[api.RunBook](s, 200, "PUT", "/api/v1/runs/2/gfcis/G2", `{}`)
	assert.Nil(t, run.Gfcis[0].InstalledAt)

	site = get[api.SiteBook](s, 200, "PATCH", "/api/v1/sites/1", `{ "name": "Tannery Yard", "notes": "the goose bites" }`)
	assert.Equal(t, "the goose bites", site.Notes)
	assert.Equal(t, 422, s.ask("PATCH", "/api/v1/sites/1", `{ "name": " " }`).Code)
	hits := get[[]api.Hit](s, 200, "GET", "/api/v1/search?q=goose", "")
	require.Len(t, hits, 1)
	assert.True(t, hits[0].Site)
	hits = get[[]api.Hit](s, 200, "GET", "/api/v1/search?q=ground+twisted", "")
	require.Len(t, hits, 1, "what was noted on a call")
	assert.Equal(t, int64(5), hits[0].Id)
}

// TestDirectoryOfAPanel: from CSV and back, named where it is wrong.
func TestDirectoryOfAPanel(t *testing.T) {
	s := withDemo(t)
	put := func(csv string) *httptest.ResponseRecorder {
		r := httptest.NewRequestWithContext(t.Context(), "PUT", "/api/v1/panels/1/directory.csv", strings.NewReader(csv))
		r.Header.Set("Content-Type", "application/octet-stream")
		w := httptest.NewRecorder()
		s.handler.ServeHTTP(w, r)
		return w
	}
	w := put("breaker,amps,serves\n3,20,Kiln\n5,15,\"Loft, east\"\n")
	require.Equal(t, 200, w.Code, w.Body)
	assert.Contains(t, s.ask("GET", "/api/v1/panels/1/directory.csv", "").Body.String(), "5,15,\"Loft, east\",no")
	w = put("3,20,Kiln\n3,15,Loft\n")
	assert.Equal(t, 422, w.Code)
	assert.Contains(t, w.Body.String(), "breaker 3 stands there twice")
	work := get[api.Work](s, 200, "GET", "/api/v1/calls/1/work", "")
	assert.Len(t, work.Directory, 2, "the call sees the panel's")
	site := get[api.SiteBook](s, 201, "POST", "/api/v1/sites/1/panels", `{ "name": "Loft subpanel" }`)
	require.Len(t, site.Panels, 2)
	site = get[api.SiteBook](
		s,
		200,
		"PUT",
		fmt.Sprintf("/api/v1/panels/%d", site.Panels[1].Id),
		`{ "name": "Attic", "directory": [{ "breaker": "1", "serves": "fan" }] }`,
	)
	assert.Equal(t, "Attic", site.Panels[1].Name)
	assert.Equal(t, 404, s.ask("PUT", "/api/v1/panels/77", `{ "name": "x", "directory": [] }`).Code)
}

// TestStartFromWhatIsKnown: a new call on a run has its map, its lasting
// conditions and the last readings beside it, and none of them as evidence.
func TestStartFromWhatIsKnown(t *testing.T) {
	s := withDemo(t)
	s.call(
		200,
		"PUT",
		"/api/v1/calls/2/conditions",
		`{ "complaint": "dead", "old": true, "boxes": { "B5": ["outdoors", "warm"] } }`,
	)
	s.call(200, "PUT", "/api/v1/calls/2/state", `{ "breakerOn": false }`)
	before := s.call(200, "GET", "/api/v1/calls/2", "")
	call := s.call(
		201,
		"POST",
		"/api/v1/calls",
		fmt.Sprintf(`{ "title": "", "complaint": "again", "run": %d }`, before.Run),
	)
	assert.Equal(t, before.Run, call.Run)
	assert.Equal(t, before.Site, call.Site)
	assert.Equal(t, "Loft darkroom", call.Title)
	assert.Equal(t, before.Stops, call.Stops)
	assert.Equal(
		t,
		diagnosis.Conditions{Old: true, Boxes: map[string][]diagnosis.Condition{"B5": {diagnosis.Outdoors}}},
		call.Conditions,
	)
	assert.Equal(t, tester.State{}, call.State)
	assert.Empty(t, call.Readings)
	assert.Empty(t, call.Halves)
	assert.Greater(t, len(call.Past), 8)

	other := s.call(
		201,
		"POST",
		"/api/v1/calls",
		fmt.Sprintf(`{ "title": "Cellar", "complaint": "", "site": %d }`, before.Site),
	)
	assert.NotEqual(t, before.Run, other.Run)
	assert.Equal(t, before.Site, other.Site)
	alone := s.call(201, "POST", "/api/v1/calls", `{ "title": "Elsewhere", "complaint": "" }`)
	assert.NotEqual(t, before.Site, alone.Site, "a house of its own")
	assert.Equal(t, 404, s.ask("POST", "/api/v1/calls", `{ "title": "x", "complaint": "", "run": 999 }`).Code)
	assert.Equal(t, 404, s.ask("POST", "/api/v1/calls", `{ "title": "x", "complaint": "", "panel": 999 }`).Code)
}

// TestParts: what is likely needed against what the van has; what is used up goes
// off it, once, and comes back with undo.
func TestParts(t *testing.T) {
	s := withDemo(t)
	call := s.call(200, "GET", "/api/v1/calls/3", "")
	require.NotEmpty(t, call.Picks)
	assert.Contains(t, call.Picks[0].Item, "lever")
	assert.Zero(t, call.Picks[0].Short)
	levers := func() float64 {
		for _, h := range get[[]api.Have](s, 200, "GET", "/api/v1/stock", "") {
			if h.Van == "Van 1" && h.Item == "lever, 3-wire" {
				return h.Count
			}
		}
		return 0
	}
	require.Equal(t, 60.0, levers())
	use := `{ "id": "used-0001", "van": "Van 1", "item": "lever, 3-wire", "unit": "", "count": 58 }`
	s.call(201, "POST", "/api/v1/calls/3/used", use)
	call = s.call(201, "POST", "/api/v1/calls/3/used", use)
	require.Len(t, call.Used, 1, "sent twice, used once")
	assert.Equal(t, 2.0, levers())
	assert.Equal(t, 1.0, call.Picks[0].Short)
	s.call(200, "POST", "/api/v1/calls/3/undo", "")
	assert.Equal(t, 60.0, levers())
	call = s.call(
		201,
		"POST",
		"/api/v1/calls/3/used",
		`{ "id": "used-0002", "van": "Van 1", "item": "lever, 3-wire", "unit": "", "count": 65 }`,
	)
	require.Len(t, call.Used, 2)
	assert.Zero(t, levers(), "no van gives more than it has")
	assert.Equal(
		t,
		[]api.Have{{Item: "lever, 3-wire", Count: 5}, {Van: "Van 1", Item: "lever, 3-wire", Count: 60}},
		call.Used,
		"the rest was bought, or never counted",
	)
	assert.NotContains(t, call.Vans, "")
	call = s.call(200, "POST", "/api/v1/calls/3/undo", "")
	assert.Empty(t, call.Used)
	assert.Equal(t, 60.0, levers())
	get[[]api.Have](
		s,
		201,
		"POST",
		"/api/v1/stock",
		`{ "id": "load-0001", "van": "Van 1", "item": "lever, 3-wire", "unit": "", "count": 10 }`,
	)
	assert.Equal(t, 70.0, levers())
	for _, bad := range []string{`{ "id": "load-0002", "van": "", "item": "x", "unit": "", "count": 1 }`, `{ "id": "load-0002", "van": "v", "item": "x", "unit": "", "count": 0 }`, `{ "id": "x", "van": "v", "item": "x", "unit": "", "count": 1 }`} {
		assert.Equal(t, 422, s.ask("POST", "/api/v1/stock", bad).Code, bad)
	}
}

// from asks as one of two devices, having seen the given version.
func (s *shop) from(device string, seen int64, method, path, body string) api.Call {
	s.t.Helper()
	r := httptest.NewRequestWithContext(s.t.Context(), method, path, strings.NewReader(body))
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("Elvat-Device", device)
	r.Header.Set("If-Match", fmt.Sprintf(`"%d"`, seen))
	w := httptest.NewRecorder()
	s.handler.ServeHTTP(w, r)
	require.Less(s.t, w.Code, 300, "%s %s: %s", method, path, w.Body)
	var c api.Call
	require.NoError(s.t, json.Unmarshal(w.Body.Bytes(), &c))
	return c
}

// TestTwoDevices: what two devices set without having seen each other's is
// merged; what both set is in force once, with the other to choose.
func TestTwoDevices(t *testing.T) {
	s := withDemo(t)
	const call = "/api/v1/calls/2"
	start := s.from("tablet", 0, "PUT", call+"/conditions", `{ "old": true }`).Version

	// Different things: both are there, and there is nothing to choose.
	s.from("tablet", start, "PUT", call+"/conditions", `{ "old": true, "boxes": { "B3": ["warm"] } }`)
	c := s.from("phone", start, "PUT", call+"/conditions", `{ "boxes": { "B4": ["worn"] } }`)
	assert.Equal(
		t,
		diagnosis.Conditions{Boxes: map[string][]diagnosis.Condition{"B3": {diagnosis.Warm}, "B4": {diagnosis.Worn}}},
		c.Conditions,
	)
	assert.Empty(t, c.Conflicts)
	s.from("tablet", start, "PATCH", call+"/stops/B3", `{ "label": "Big enlarger" }`)
	c = s.from("phone", start, "PATCH", call+"/stops/B4", `{ "feet": 33 }`)
	assert.Empty(t, c.Conflicts)
	assert.Contains(t, fmt.Sprint(c.Stops), "Big enlarger")

	// The same thing.
	now := c.Version
	s.from("tablet", now, "PUT", call+"/breaker", `{ "label": "6", "amps": 15 }`)
	c = s.from("phone", now, "PUT", call+"/breaker", `{ "label": "8", "amps": 15 }`)
	require.Len(t, c.Conflicts, 1)
	k := c.Conflicts[0]
	assert.Equal(
		t,
		[]string{"run: breaker label", "8", "6", "device phon", "device tabl"},
		[]string{k.Words, k.Mine, k.Theirs, k.MyName, k.TheirName},
	)
	assert.Equal(t, "8", c.Breaker.Label, "the later one is in force")
	assert.Equal(t, 422, s.ask("POST", fmt.Sprintf("%s/conflicts/%s", call, k.Id), `{ "take": "both" }`).Code)
	c = s.from("tablet", c.Version, "POST", fmt.Sprintf("%s/conflicts/%s", call, k.Id), `{ "take": "theirs" }`)
	assert.Equal(t, "6", c.Breaker.Label)
	assert.Empty(t, c.Conflicts)
	assert.Equal(
		t,
		404,
		s.ask("POST", fmt.Sprintf("%s/conflicts/%s", call, k.Id), `{ "take": "mine" }`).Code,
		"settled once",
	)

	// Each document that is set as a whole.
	for _, row := range []struct{ path, one, other, words, took string }{
		{"/state", `{ "breakerOn": false }`, `{ "breakerOn": true }`, "state of the circuit: breakerOn", "false"},
		{"/conditions", `{ "complaint": "dead" }`, `{ "complaint": "trips" }`, "place: complaint", "dead"},
	} {
		before := c.Version
		s.from("tablet", before, "PUT", call+row.path, row.one)
		c = s.from("phone", before, "PUT", call+row.path, row.other)
		require.Len(t, c.Conflicts, 1, row.path)
		assert.Equal(t, row.words, c.Conflicts[0].Words)
		assert.Equal(t, row.took, c.Conflicts[0].Theirs)
		c = s.from(
			"phone",
			c.Version,
			"POST",
			fmt.Sprintf("%s/conflicts/%s", call, c.Conflicts[0].Id),
			`{ "take": "theirs" }`,
		)
		assert.Empty(t, c.Conflicts)
	}
	assert.False(t, *c.State.BreakerOn)
	assert.Equal(t, diagnosis.OneDead, c.Conditions.Complaint)
	before := c.Version
	s.from("tablet", before, "PATCH", call, `{ "complaint": "hums" }`)
	c = s.from("phone", before, "PATCH", call, `{ "complaint": "buzzes" }`)
	require.Len(t, c.Conflicts, 1)
	c = s.from("phone", c.Version, "POST", fmt.Sprintf("%s/conflicts/%s", call, c.Conflicts[0].Id), `{ "take": "theirs" }`)
	assert.Equal(t, "hums", c.Complaint)

	// Steps ticked on both: none is lost.
	put := func(device string, seen int64, steps string) []string {
		r := httptest.NewRequestWithContext(
			t.Context(),
			"PUT",
			call+"/boxes/B3/steps",
			strings.NewReader(`{ "done": `+steps+` }`),
		)
		r.Header.Set("Content-Type", "application/json")
		r.Header.Set("Elvat-Device", device)
		r.Header.Set("If-Match", fmt.Sprintf(`"%d"`, seen))
		w := httptest.NewRecorder()
		s.handler.ServeHTTP(w, r)
		require.Equal(t, 200, w.Code, w.Body)
		var b api.OpenedBox
		require.NoError(t, json.Unmarshal(w.Body.Bytes(), &b))
		return b.Done
	}
	put("tablet", c.Version, `["first"]`)
	assert.ElementsMatch(t, []string{"first", "second"}, put("phone", c.Version, `["second"]`))
	// Who has seen the other's sets what it sets.
	c = s.call(200, "GET", call, "")
	c = s.from("tablet", c.Version, "PUT", call+"/breaker", `{ "label": "9", "amps": 15 }`)
	c = s.from("phone", c.Version, "PUT", call+"/breaker", `{ "label": "10", "amps": 15 }`)
	assert.Empty(t, c.Conflicts)
}

// TestUndoOfACall: across everything, in words, after a restart too.
func TestUndoOfACall(t *testing.T) {
	path := filepath.Join(t.TempDir(), "shop.db")
	s := open(t, path)
	require.NoError(t, demo.Fill(t.Context(), s.store, noon))
	before := s.call(200, "GET", "/api/v1/calls/3", "")
	assert.Nil(
		t,
		s.call(201, "POST", "/api/v1/calls", `{ "title": "Mill", "complaint": "" }`).Undo,
		"that a call was begun is not taken back",
	)
	assert.Equal(t, 409, s.ask("POST", "/api/v1/calls/7/undo", "").Code)
	assert.Equal(t, 404, s.ask("POST", "/api/v1/calls/99/undo", "").Code)
	c := s.call(201, "POST", "/api/v1/calls/3/readings", reading("reading-0001", "R4", openNeutral))
	assert.Equal(t, "reading, plug at Paper store", c.Undo.What)
	s.call(200, "PUT", "/api/v1/calls/3/breaker", `{ "label": "12", "amps": 20 }`)
	require.NoError(t, s.store.Close())
	s = open(t, path)
	c = s.call(200, "POST", "/api/v1/calls/3/undo", "")
	assert.Equal(t, before.Breaker, c.Breaker)
	assert.Equal(t, "Took back: breaker", c.Redo.What)
	c = s.call(200, "POST", "/api/v1/calls/3/undo", "")
	assert.Equal(t, before.Diagnosis, c.Diagnosis, "the evidence is gone with the reading")
	assert.Equal(t, before.Undo, c.Undo)
	s.call(200, "POST", "/api/v1/calls/3/redo", "")
	c = s.call(200, "POST", "/api/v1/calls/3/redo", "")
	assert.Equal(t, "12", c.Breaker.Label)
	assert.Nil(t, c.Redo)
}

// TestVisit: the customer's link leads to one call and nothing else, runs out,
// and what is answered is evidence.
func TestVisit(t *testing.T) {
	s := withDemo(t)
	link := get[api.VisitLink](s, 201, "POST", "/api/v1/calls/2/visit", "")
	token := strings.TrimPrefix(link.Path, "/visit/")
	assert.Greater(t, len(token), 50, "nobody guesses it")
	at := "/api/v1/visits/" + token
	n := 0
	answer := func(status int, body string) api.Visit {
		t.Helper()
		n++
		return get[api.Visit](s, status, "POST", at+"/answers", fmt.Sprintf(`{ "id": "answer-%04d", "answer": %s }`, n, body))
	}
	page := get[api.Visit](s, 200, "GET", at, "")
	assert.Equal(t, api.VisitStageDanger, page.Stage)
	text, err := json.Marshal(page)
	require.NoError(t, err)
	for _, secret := range []string{"Tannery", "goose", "gate", "Bindery", "enlarger is on", "breaker", "probab"} {
		assert.NotContains(t, string(text), secret, "nothing else of the shop")
	}
	answer(422, `{ "kind": "reset", "guard": "2.G2", "result": "came-back" }`)
	answer(201, `{ "kind": "danger" }`)
	page = answer(201, `{ "kind": "outlet", "device": "R5", "works": false }`)
	assert.Equal(t, api.VisitStageResets, page.Stage)
	assert.Equal(t, "2.G2", page.Next)
	page = answer(201, `{ "kind": "reset", "guard": "2.G2", "result": "will-not-hold" }`)
	assert.Equal(t, api.VisitStageDone, page.Stage)
	page = answer(201, `{ "kind": "outlet", "device": "R5", "half": "top", "works": true }`)
	assert.Len(t, page.Answers, 4)
	again := get[api.Visit](
		s,
		201,
		"POST",
		at+"/answers",
		fmt.Sprintf(`{ "id": "answer-%04d", "answer": { "kind": "note", "text": "x" } }`, n),
	)
	assert.Len(t, again.Answers, 4, "sent twice, answered once")

	call := s.call(200, "GET", "/api/v1/calls/2", "")
	told := 0
	for _, r := range call.Readings {
		if r.Reading.Tool == tester.Told && !r.Withdrawn {
			told++
			assert.Nil(t, r.Problem)
		}
	}
	assert.Equal(t, 3, told, "both halves, the later word on the one; and the reset")
	assert.Equal(t, "Wash sink", call.Stops[1].Label)
	assert.Contains(t, fmt.Sprint(call.Answers), "Drying line: dead")
	assert.NotNil(t, call.VisitUntil)
	assert.Equal(t, "reading, plug at Eaves", call.Undo.What, "what the customer said is not the shop's to take back")

	var picture bytes.Buffer
	img := image.NewGray(image.Rect(0, 0, 30, 20))
	img.Set(3, 3, color.White)
	require.NoError(t, jpeg.Encode(&picture, img, nil))
	send := func(id string) *httptest.ResponseRecorder {
		r := httptest.NewRequestWithContext(t.Context(), "POST", at+"/pictures?id="+id, bytes.NewReader(picture.Bytes()))
		r.Header.Set("Content-Type", "application/octet-stream")
		w := httptest.NewRecorder()
		s.handler.ServeHTTP(w, r)
		return w
	}
	require.Equal(t, 201, send("picture-01").Code)
	require.Equal(t, 201, send("picture-01").Code)
	page = get[api.Visit](s, 200, "GET", at, "")
	assert.Equal(t, 1, page.Pictures, "sent twice, kept once")
	for i := 2; i <= 12; i++ {
		require.Equal(t, 201, send(fmt.Sprintf("picture-m%02d", i)).Code)
	}
	assert.Equal(t, 422, send("picture-m13").Code, "more than there is a use for")

	// What can hurt ends everything, and stands on the call before all else.
	page = answer(201, `{ "kind": "danger", "signs": ["smell", "heat"], "box": "B3" }`)
	assert.Equal(t, api.VisitStageStayAway, page.Stage)
	answer(422, `{ "kind": "breaker", "result": "came-back" }`)
	assert.Equal(t, 422, send("picture-02").Code)
	call = s.call(200, "GET", "/api/v1/calls/2", "")
	assert.Equal(t, "smell, heat at Enlarger", call.Reported)
	assert.Contains(t, call.Conditions.Boxes["B3"], diagnosis.Warm)
	list := get[[]api.CallSummary](s, 200, "GET", "/api/v1/calls", "")
	assert.Contains(t, list[1].HoldUp, "The customer reports smell, heat at Enlarger")
	assert.True(t, list[1].Danger)

	assert.Equal(t, 404, s.ask("GET", "/api/v1/visits/"+strings.ToLower(token), "").Code)
	second := get[api.VisitLink](s, 201, "POST", "/api/v1/calls/2/visit", "")
	assert.Equal(t, 404, s.ask("GET", at, "").Code, "another took its place")
	s.call(200, "DELETE", "/api/v1/calls/2/visit", "")
	w := s.ask("GET", strings.Replace(second.Path, "/visit/", "/api/v1/visits/", 1), "")
	assert.Equal(t, 404, w.Code)
	assert.Contains(t, w.Body.String(), "Ask the shop for another")
}

// TestBackupsHere: made and fetched over the contract, and nothing else is.
func TestBackupsHere(t *testing.T) {
	s := withDemo(t)
	made := get[api.Backups](s, 201, "POST", "/api/v1/backups", "")
	require.Len(t, made.All, 1)
	w := s.ask("GET", "/api/v1/backups/"+made.All[0].Name, "")
	assert.Equal(t, "SQLite format 3\x00", w.Body.String()[:16])
	for _, path := range []string{"../shop.db", "..%2fshop.db", "shop.db", "elvat-*.db"} {
		assert.NotEqual(t, 200, s.ask("GET", "/api/v1/backups/"+path, "").Code, path)
	}
	w = s.ask("GET", "/api/v1/archive", "")
	assert.Equal(t, 200, w.Code)
	assert.Equal(t, "PK\x03\x04", w.Body.String()[:4])
	left, err := filepath.Glob(made.Folder + "/archive-*")
	require.NoError(t, err)
	assert.Empty(t, left, "nothing is left of what was sent")
}

// TestFullDisk: the person is told what happened and what to do; what was
// acknowledged is there.
func TestFullDisk(t *testing.T) {
	path := filepath.Join(t.TempDir(), "shop.db")
	first := open(t, path)
	require.NoError(t, demo.Fill(t.Context(), first.store, noon))
	require.NoError(t, first.store.Close())
	kept, err := store.OpenLimited(t.Context(), path, 260)
	require.NoError(t, err)
	t.Cleanup(func() { kept.Close() })
	s := &shop{
		t,
		serverOf(
			t,
			server.Config{
				Store: kept,
				Front: fstest.MapFS{},
				Now:   func() time.Time { return noon },
				Log:   slog.New(slog.DiscardHandler),
			},
		),
		kept,
	}
	acknowledged := 0
	var w *httptest.ResponseRecorder
	for range 3000 {
		note := fmt.Sprintf(
			`{ "id": "note-%05d", "entry": { "kind": "note", "text": "%s" } }`,
			acknowledged,
			strings.Repeat("x", 3000),
		)
		if w = s.ask("POST", "/api/v1/calls/1/journal", note); w.Code != 201 {
			break
		}
		acknowledged++
	}
	assert.Equal(t, http.StatusInsufficientStorage, w.Code, w.Body)
	assert.Contains(t, w.Body.String(), "The disk is full")
	work := get[api.Work](s, 200, "GET", "/api/v1/calls/1/work", "")
	assert.Len(t, work.Journal, acknowledged)
}
