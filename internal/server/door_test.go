package server_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"testing/fstest"
	"time"

	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"

	contract "elvat/api"
	"elvat/core/job"
	"elvat/internal/api"
	"elvat/internal/demo"
	"elvat/internal/server"
	"elvat/internal/store"
)

// link makes a customer's link to a call of the office's and returns its path under the API.
func (o *office) link(call int) string {
	w := o.ask(job.Electrician, "POST", fmt.Sprintf("/api/v1/calls/%d/visit", call), "{}")
	require.Equal(o.t, 201, w.Code, w.Body)
	var made struct{ Path string }
	require.NoError(o.t, json.Unmarshal(w.Body.Bytes(), &made))
	return "/api/v1/visits/" + strings.TrimPrefix(made.Path, "/visit/")
}

// TestLastElectrician: two electricians who take each other's role at the same moment leave
// one of them in charge; and a change of one column leaves the others as they are, whatever
// comes between.
func TestLastElectrician(t *testing.T) {
	for range 12 {
		path := filepath.Join(t.TempDir(), "shop.db")
		s, err := store.Open(t.Context(), path)
		require.NoError(t, err)
		handler := serverOf(t, server.Config{Store: s, Front: fstest.MapFS{}, Now: func() time.Time { return noon }, Log: slog.New(slog.DiscardHandler), SignIn: true})
		var cookies [2]string
		for i := range cookies {
			name := fmt.Sprintf("Person %d", i+1)
			p, err := server.NewPerson(name, "electrician", passphrase, noon)
			require.NoError(t, err)
			_, err = s.AddPerson(t.Context(), p)
			require.NoError(t, err)
			w := send(t, handler, "", "POST", "/api/v1/session", fmt.Sprintf(`{"name":%q,"passphrase":%q}`, name, passphrase))
			require.Equal(t, 200, w.Code, w.Body)
			cookies[i], _, _ = strings.Cut(w.Header().Get("Set-Cookie"), ";")
		}
		var all sync.WaitGroup
		for i := range cookies {
			all.Go(func() {
				send(t, handler, cookies[i], "PATCH", fmt.Sprintf("/api/v1/people/%d", 2-i), []string{`{"role":"helper"}`, `{"withdrawn":true}`}[i])
			})
		}
		all.Wait()
		people, err := s.People(t.Context())
		require.NoError(t, err)
		left := 0
		for _, p := range people {
			if p.Role == "electrician" && !p.Withdrawn {
				left++
			}
		}
		assert.GreaterOrEqual(t, left, 1, "somebody is left in charge")
		require.NoError(t, s.Close())
	}
}

// TestWithdrawnStays: a passphrase or role that is changed while access is withdrawn does not
// bring it back.
func TestWithdrawnStays(t *testing.T) {
	o := newOffice(t)
	for i := range 8 {
		require.Equal(t, 200, o.ask(job.Electrician, "PATCH", "/api/v1/people/2", `{"withdrawn":false,"passphrase":"`+passphrase+`"}`).Code)
		w := o.signIn(fmt.Sprintf("10.20.0.%d:1", i), "The helper", passphrase)
		require.Equal(t, 200, w.Code, w.Body)
		cookie, _, _ := strings.Cut(w.Header().Get("Set-Cookie"), ";")
		var all sync.WaitGroup
		all.Go(func() {
			o.ask("", "PUT", "/api/v1/session/passphrase", `{"old":"`+passphrase+`","new":"weir lantern marten end"}`, "Cookie", cookie)
		})
		all.Go(func() { o.ask(job.Electrician, "PATCH", "/api/v1/people/2", `{"role":"office"}`) })
		all.Go(func() { o.ask(job.Electrician, "PATCH", "/api/v1/people/2", `{"withdrawn":true}`) })
		all.Wait()
		p, err := o.store.Person(t.Context(), 2)
		require.NoError(t, err)
		assert.True(t, p.Withdrawn)
		assert.Equal(t, 401, o.ask("", "GET", "/api/v1/calls", "", "Cookie", cookie).Code)
	}
}

// send asks a handler as a browser with that cookie does.
func send(t *testing.T, h http.Handler, cookie, method, path, body string, headers ...string) *httptest.ResponseRecorder {
	r := httptest.NewRequestWithContext(t.Context(), method, path, strings.NewReader(body))
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("Cookie", cookie)
	for i := 0; i+1 < len(headers); i += 2 {
		r.Header.Set(headers[i], headers[i+1])
	}
	w := httptest.NewRecorder()
	h.ServeHTTP(w, r)
	return w
}

// TestCustomersLink: what came through a customer's link against the shop. Each row was an
// attack.
func TestCustomersLink(t *testing.T) {
	o := newOffice(t)
	at := o.link(3)
	answer := func(id, text string) *httptest.ResponseRecorder {
		return o.ask("", "POST", at+"/answers", fmt.Sprintf(`{"id":%q,"answer":%s}`, id, text))
	}
	require.Equal(t, 201, answer("answer-0001", `{"kind":"danger"}`).Code)
	for _, row := range []struct{ name, answer, says string }{
		{"fields of another kind", `{"kind":"danger","text":"` + strings.Repeat("x", 1000) + `"}`, "nothing else"},
		{"a guard in a note", `{"kind":"note","text":"x","guard":"` + strings.Repeat("x", 1000) + `"}`, "nothing else"},
		{"signs without end", `{"kind":"danger","signs":["heat"` + strings.Repeat(`,"heat"`, 900) + `]}`, "signs"},
		{"a text without end", `{"kind":"note","text":"` + strings.Repeat("x", 3000) + `"}`, "characters"},
	} {
		w := answer("answer-0002", row.answer)
		assert.Equal(t, 422, w.Code, row.name)
		assert.Contains(t, w.Body.String(), row.says, row.name)
	}
	assert.Equal(t, 413, answer("answer-0003", `{"kind":"note","text":"`+strings.Repeat("x", 3<<20)+`"}`).Code, "8 KB and no more")

	// The same id again does nothing, whatever comes with it.
	dead := func(id, device string) *httptest.ResponseRecorder {
		return answer(id, `{"kind":"outlet","works":false,"device":"`+device+`"}`)
	}
	require.Equal(t, 201, dead("answer-0004", "R3").Code)
	before, err := o.store.Load(t.Context(), 3)
	require.NoError(t, err)
	for range 5 {
		require.Equal(t, 201, dead("answer-0004", "R4").Code)
	}
	after, err := o.store.Load(t.Context(), 3)
	require.NoError(t, err)
	assert.Equal(t, before.Record.Version, after.Record.Version)
	assert.Len(t, after.Record.Readings, len(before.Record.Readings))

	// Thirty pictures at once are twelve.
	var small bytes.Buffer
	_, err = small.Write(pngOf(t))
	require.NoError(t, err)
	var all sync.WaitGroup
	for i := range 30 {
		all.Go(func() {
			o.ask("", "POST", fmt.Sprintf("%s/pictures?id=picture-%04d", at, i), small.String(), "Content-Type", "application/octet-stream")
		})
	}
	all.Wait()
	after, err = o.store.Load(t.Context(), 3)
	require.NoError(t, err)
	assert.Len(t, after.Record.Pictures, 12)

	// Asked too often, it is held back; others are not.
	slowed := 0
	for range 200 {
		if o.ask("", "GET", at, "").Code == 429 {
			slowed++
		}
	}
	assert.Greater(t, slowed, 50)
	assert.Equal(t, 200, o.ask(job.Office, "GET", "/api/v1/calls/3", "").Code)
}

func pngOf(t *testing.T) []byte { return []byte(pictureBomb(t, 1, 1)) }

// TestLinkEndsAtHandOver: once the call is handed over its report stands, whatever the
// customer still sends.
func TestLinkEndsAtHandOver(t *testing.T) {
	o := newOffice(t)
	at := o.link(3)
	require.Equal(t, 201, o.ask("", "POST", at+"/answers", `{"id":"answer-0001","answer":{"kind":"danger"}}`).Code)
	passed := `{"id":"override-9","entry":{"kind":"override","gate":"hand-over","who":"Ada","standing":"licensed","reason":"customer leaves"}}`
	require.Equal(t, 201, o.ask(job.Electrician, "POST", "/api/v1/calls/3/journal", passed).Code)
	require.Equal(t, 201, o.ask(job.Electrician, "POST", "/api/v1/calls/3/journal", `{"id":"handed-0001","entry":{"kind":"handed-over","who":"Ada","to":"Bo"}}`).Code)
	report := o.ask(job.Office, "GET", "/api/v1/calls/3/report", "").Body.String()
	for _, row := range [][2]string{
		{"GET", ""}, {"POST", "/answers"}, {"POST", "/pictures?id=picture-0001"},
	} {
		media := "application/json"
		if strings.HasPrefix(row[1], "/pictures") {
			media = "application/octet-stream"
		}
		w := o.ask("", row[0], at+row[1], `{"id":"answer-0002","answer":{"kind":"danger","signs":["heat"]}}`, "Content-Type", media)
		assert.Equal(t, 404, w.Code, row)
	}
	assert.Equal(t, report, o.ask(job.Office, "GET", "/api/v1/calls/3/report", "").Body.String())
	// Nor by what a phone brings in the customer's name.
	sync := `{"calls":{},"commands":[{"id":"forged-0001","call":3,"n":1,"madeAt":"2026-05-04T11:00:00Z","seen":0,"doing":{"do":"answer","id":"forged-0001","answer":{"kind":"danger","signs":["heat"]}}}]}`
	assert.Equal(t, 200, o.ask(job.Helper, "POST", "/api/v1/sync", sync).Code)
	assert.Equal(t, report, o.ask(job.Office, "GET", "/api/v1/calls/3/report", "").Body.String())
}

// TestOnlyThatCall: a customer's page and a link to a result name nothing of another call, run
// or tenant of the same house.
func TestOnlyThatCall(t *testing.T) {
	o := newOffice(t)
	for id := int64(1); id <= 3; id++ {
		page := o.ask("", "GET", o.link(int(id)), "").Body.String()
		for other := int64(1); other <= 3; other++ {
			at, err := o.store.Load(t.Context(), other)
			require.NoError(t, err)
			if other == id {
				assert.Contains(t, page, at.Title)
				continue
			}
			assert.NotContains(t, page, at.Title)
			for _, b := range at.Record.Circuit.Boxes {
				if len(b.Label) > 3 {
					assert.NotContains(t, page, `"`+b.Label+`"`)
				}
			}
		}
	}
}

// TestFresh: what reaches far asks for the passphrase once more after ten minutes, from the
// contract; a program cannot give it. Giving it counts wrong ones as a sign-in does.
func TestFresh(t *testing.T) {
	o := newOffice(t)
	token := o.ask(job.Electrician, "POST", "/api/v1/tokens", `{"name":"robot","role":"electrician"}`)
	require.Equal(t, 201, token.Code)
	var made struct{ Token string }
	require.NoError(t, json.Unmarshal(token.Body.Bytes(), &made))
	operations, err := contract.Operations()
	require.NoError(t, err)
	o.now = o.now.Add(11 * time.Minute)
	fresh := 0
	for _, op := range operations {
		if !op.Fresh {
			continue
		}
		fresh++
		path := pathValues.Replace(op.Path)
		w := o.ask(job.Electrician, op.Method, path, "{}")
		assert.Equal(t, 403, w.Code, op.ID)
		assert.Contains(t, w.Body.String(), "urn:elvat:problem:passphrase-again", op.ID)
		w = o.ask("", op.Method, path, "{}", "Authorization", "Bearer "+made.Token)
		assert.Equal(t, 403, w.Code, op.ID)
		assert.NotContains(t, w.Body.String(), "passphrase-again", "%s: a program is not asked", op.ID)
	}
	require.Greater(t, fresh, 15)
	assert.Equal(t, 200, o.ask(job.Electrician, "GET", "/api/v1/calls", "").Code, "work goes on")
	give := func(phrase string) int {
		return o.ask(job.Electrician, "POST", "/api/v1/session/fresh", fmt.Sprintf(`{"passphrase":%q}`, phrase)).Code
	}
	assert.Equal(t, 422, give("heron kiln thistle wear"))
	assert.Equal(t, 200, o.ask(job.Electrician, "GET", "/api/v1/calls", "").Code, "a slip ends nothing")
	assert.Equal(t, 200, give(passphrase))
	assert.Equal(t, 201, o.ask(job.Electrician, "POST", "/api/v1/backups", "").Code)
	o.now = o.now.Add(11 * time.Minute)
	for range 5 {
		give("guess guess guess")
	}
	assert.Equal(t, 429, give(passphrase), "guessing is held back here too")
}

// TestTwoShopsOnOneMachine: two databases on one machine have cookies of their own: a browser is
// signed in to both, and neither takes the other's for its own.
func TestTwoShopsOnOneMachine(t *testing.T) {
	one, two := newOffice(t), newOffice(t)
	first, _, _ := strings.Cut(one.cookies[job.Helper], "=")
	second, _, _ := strings.Cut(two.cookies[job.Helper], "=")
	assert.NotEqual(t, first, second)
	both := one.cookies[job.Helper] + "; " + two.cookies[job.Helper]
	assert.Equal(t, 200, one.ask("", "GET", "/api/v1/calls", "", "Cookie", both).Code)
	assert.Equal(t, 200, two.ask("", "GET", "/api/v1/calls", "", "Cookie", both).Code)
	assert.Equal(t, 401, two.ask("", "GET", "/api/v1/calls", "", "Cookie", one.cookies[job.Helper]).Code)
}

// TestOwnSessions: one sees where one is signed in, ends one, and sees nobody else's.
func TestOwnSessions(t *testing.T) {
	o := newOffice(t)
	elsewhere := o.signIn("198.51.100.7:1", "The helper", passphrase)
	cookie, _, _ := strings.Cut(elsewhere.Header().Get("Set-Cookie"), ";")
	var all []api.OwnSession
	require.NoError(t, json.Unmarshal(o.ask(job.Helper, "GET", "/api/v1/sessions", "").Body.Bytes(), &all))
	require.Len(t, all, 2)
	for _, n := range all {
		if n.This {
			continue
		}
		assert.Equal(t, "198.51.100.7", n.Place)
		assert.Equal(t, 404, o.ask(job.Electrician, "DELETE", fmt.Sprintf("/api/v1/sessions/%d", n.Id), "").Code, "not another's")
		assert.Equal(t, 200, o.ask(job.Helper, "DELETE", fmt.Sprintf("/api/v1/sessions/%d", n.Id), "").Code)
	}
	assert.Equal(t, 401, o.ask("", "GET", "/api/v1/calls", "", "Cookie", cookie).Code)
	assert.Equal(t, 200, o.ask(job.Helper, "GET", "/api/v1/calls", "").Code)
}

// TestShortSessions: where the shop asks for them, a session ends after half an hour without
// use, and after twelve hours whatever is done.
func TestShortSessions(t *testing.T) {
	o := newOffice(t)
	require.Equal(t, 200, o.ask(job.Electrician, "PUT", "/api/v1/door", `{"secondFactor":false,"keepYears":0,"shortSessions":true}`).Code)
	get := func(role job.Role) int { return o.ask(role, "GET", "/api/v1/calls", "").Code }
	for range 24 {
		o.now = o.now.Add(25 * time.Minute)
		require.Equal(t, 200, get(job.Helper))
	}
	assert.Equal(t, 401, get(job.Office), "not used")
	for range 5 {
		o.now = o.now.Add(25 * time.Minute)
		get(job.Helper)
	}
	assert.Equal(t, 401, get(job.Helper), "twelve hours")
}

// TestEvents: what the contract says is to be written down is, with who and from where, and so
// are gates, findings and hand-overs, with the account beside the typed name.
func TestEvents(t *testing.T) {
	o := newOffice(t)
	operations, err := contract.Operations()
	require.NoError(t, err)
	named := 0
	for _, op := range operations {
		if op.Event != "" {
			named++
		}
		if op.Fresh && op.ID != "beginCode" && op.ID != "beginPasskey" {
			assert.NotEmpty(t, op.Event, "%s reaches far and leaves no trace", op.ID)
		}
	}
	require.Greater(t, named, 20)
	o.signIn("203.0.113.9:1", "The office", "wrong wrong wrong")
	o.ask(job.Electrician, "POST", "/api/v1/people", `{"name":"New","role":"helper","passphrase":"mill quill sorrel oriel"}`)
	o.ask(job.Helper, "POST", "/api/v1/people", `{"name":"Not","role":"helper","passphrase":"mill quill sorrel oriel"}`)
	o.link(3)
	o.ask(job.Electrician, "POST", "/api/v1/calls/3/journal", `{"id":"override-1","entry":{"kind":"override","box":"B3","gate":"open","who":"A. Typed","standing":"licensed","reason":"alone"}}`)
	for range 2 { // taken back, and brought back another way
		o.ask(job.Electrician, "POST", "/api/v1/calls/3/undo", "{}")
	}
	o.ask(job.Electrician, "PATCH", "/api/v1/calls/3/journal/override-1", `{"withdrawn":false}`)
	o.ask(job.Electrician, "GET", "/api/v1/archive", "")
	var all []api.Event
	require.NoError(t, json.Unmarshal(o.ask(job.Electrician, "GET", "/api/v1/events", "").Body.Bytes(), &all))
	lines := []string{}
	for _, e := range all {
		call := int64(0)
		if e.Call != nil {
			call = *e.Call
		}
		lines = append(lines, fmt.Sprintf("%s|%s|%s|%d|%s", e.What, e.Person, e.Place, call, e.About))
	}
	for _, want := range []string{
		"signed-in|The helper|10.0.0.1|0|", "sign-in-failed||203.0.113.9|0|The office", "person-added|The electrician|192.0.2.1|0|New, helper",
		"link-made|The electrician|192.0.2.1|3|", "gate-passed|The electrician|192.0.2.1|3|open B3, as A. Typed", "archive-taken|The electrician|192.0.2.1|0|",
	} {
		assert.Contains(t, lines, want)
	}
	assert.NotContains(t, strings.Join(lines, "\n"), "Not,", "what was refused did not happen")
	assert.Equal(t, 2, strings.Count(strings.Join(lines, "\n"), "gate-passed"), "whenever it comes into force")
	assert.Equal(t, 403, o.ask(job.Helper, "GET", "/api/v1/events", "").Code)
	csv := o.ask(job.Electrician, "GET", "/api/v1/events.csv", "").Body.String()
	assert.Contains(t, csv, "gate-passed,The electrician,192.0.2.1,3")
}

// TestSecondFactor: the passphrase alone opens nothing where there is a second factor; each
// code is good once, and guessing it is held back. Codes are made here by another program's
// library for RFC 6238 as it is used by those who make them.
func TestSecondFactor(t *testing.T) {
	o := newOffice(t)
	o.now = time.Now().Truncate(30 * time.Second) // a session of now, at the beginning of a step
	w := o.signIn("10.9.0.1:1", "The electrician", passphrase)
	o.cookies[job.Electrician], _, _ = strings.Cut(w.Header().Get("Set-Cookie"), ";")
	var begun struct{ Ticket, Key string }
	require.NoError(t, json.Unmarshal(o.ask(job.Electrician, "POST", "/api/v1/factors/code", "").Body.Bytes(), &begun))
	code := func() string {
		code, err := totp.GenerateCode(begun.Key, o.now)
		require.NoError(t, err)
		return code
	}
	add := func(code string) *httptest.ResponseRecorder {
		return o.ask(job.Electrician, "PUT", "/api/v1/factors/code", fmt.Sprintf(`{"ticket":%q,"code":%q,"name":"phone"}`, begun.Ticket, code))
	}
	assert.Equal(t, 422, add("000000").Code)
	require.Equal(t, 200, add(code()).Code)
	var recovery struct{ Codes []string }
	require.NoError(t, json.Unmarshal(o.ask(job.Electrician, "POST", "/api/v1/factors/recovery", "").Body.Bytes(), &recovery))
	require.Len(t, recovery.Codes, 8)

	half := func(from string) api.Session {
		w := o.signIn(from, "The electrician", passphrase)
		require.Equal(t, 200, w.Code, w.Body)
		assert.NotContains(t, w.Header().Get("Set-Cookie"), "__Host-elvat-", "no session yet")
		var s api.Session
		require.NoError(t, json.Unmarshal(w.Body.Bytes(), &s))
		require.NotNil(t, s.Ticket)
		assert.Empty(t, s.Name)
		return s
	}
	finish := func(ticket, field, value string) *httptest.ResponseRecorder {
		return o.ask("", "POST", "/api/v1/session/second", fmt.Sprintf(`{"ticket":%q,%q:%q}`, ticket, field, value))
	}
	assert.Equal(t, 401, finish(*half("10.9.0.2:1").Ticket, "code", code()).Code, "the code that set it up is used up")
	o.now = o.now.Add(30 * time.Second)
	s := half("10.9.0.3:1")
	assert.Equal(t, []string{"code", "recovery"}, *s.Factors)
	assert.Equal(t, 401, finish(*s.Ticket, "code", "123456").Code)
	assert.Equal(t, 401, finish("nobody-has-this-ticket", "code", code()).Code)
	done := finish(*s.Ticket, "code", code())
	require.Equal(t, 200, done.Code, done.Body)
	assert.Contains(t, done.Header().Get("Set-Cookie"), "__Host-elvat-")
	assert.Equal(t, 401, finish(*s.Ticket, "code", code()).Code, "a ticket is good once")
	assert.Equal(t, 401, finish(*half("10.9.0.4:1").Ticket, "code", code()).Code, "and a code")
	lower := strings.ToLower(recovery.Codes[0])
	require.Equal(t, 200, finish(*half("10.9.0.5:1").Ticket, "recovery", lower).Code)
	o.now = o.now.Add(20 * time.Second)
	assert.Equal(t, 401, finish(*half("10.9.0.6:1").Ticket, "recovery", lower).Code, "good once")
	o.now = o.now.Add(time.Minute)
	for i := range 5 {
		finish(*half(fmt.Sprintf("10.9.1.%d:1", i)).Ticket, "code", fmt.Sprintf("%06d", i))
		o.now = o.now.Add(5 * time.Second)
	}
	assert.Equal(t, 429, finish(*half("10.9.0.7:1").Ticket, "code", code()).Code, "closed for the right one too")
	o.now = o.now.Add(16 * time.Minute)
	s = half("10.9.0.8:1")
	o.now = o.now.Add(6 * time.Minute)
	assert.Equal(t, 401, finish(*s.Ticket, "code", code()).Code, "too late")
	events := o.store
	all, err := events.Events(t.Context(), 0, 50)
	require.NoError(t, err)
	assert.Contains(t, fmt.Sprint(all), "recovery-used")
	assert.Contains(t, fmt.Sprint(all), "second-factor-failed")
}

// TestSecondFactorWanted: where the shop asks for one, an electrician without sees the page of
// their own and nothing else; a helper goes on.
func TestSecondFactorWanted(t *testing.T) {
	o := newOffice(t)
	require.Equal(t, 200, o.ask(job.Electrician, "PUT", "/api/v1/door", `{"secondFactor":true,"keepYears":0,"shortSessions":false}`).Code)
	for path, want := range map[string]int{"/api/v1/calls": 403, "/api/v1/people": 403, "/api/v1/archive": 403, "/api/v1/factors": 200, "/api/v1/session": 200, "/api/v1/sessions": 200} {
		assert.Equal(t, want, o.ask(job.Electrician, "GET", path, "").Code, path)
	}
	assert.Equal(t, 200, o.ask(job.Helper, "GET", "/api/v1/calls", "").Code)
	assert.Equal(t, 422, o.ask(job.Helper, "POST", "/api/v1/factors/recovery", "").Code, "they stand in for a factor that there is")
}

// TestNobodyElsesDoor: whoever guesses somebody's passphrase closes the door for strange
// browsers, not for those the person signed in with; an IPv6 network is one place; and what
// takes time for one person does not hold up another.
func TestNobodyElsesDoor(t *testing.T) {
	o := newOffice(t)
	in := o.signIn("10.7.0.1:1", "The helper", passphrase)
	known := ""
	for _, cookie := range in.Header().Values("Set-Cookie") {
		if strings.Contains(cookie, "-known-") {
			known, _, _ = strings.Cut(cookie, ";")
			assert.Contains(t, cookie, "HttpOnly")
		}
	}
	require.NotEmpty(t, known)
	for i := range 40 {
		o.signIn(fmt.Sprintf("10.8.%d.1:1", i), "The helper", "guess guess guess")
	}
	assert.Equal(t, 429, o.signIn("10.9.9.1:1", "The helper", passphrase).Code, "closed for strangers")
	body := fmt.Sprintf(`{"name":"The helper","passphrase":%q}`, passphrase)
	ask := func(cookie, body string) int {
		r := httptest.NewRequestWithContext(t.Context(), "POST", "/api/v1/session", strings.NewReader(body))
		r.Header.Set("Content-Type", "application/json")
		r.Header.Set("Cookie", cookie)
		r.RemoteAddr = "10.9.9.2:1"
		w := httptest.NewRecorder()
		o.handler.ServeHTTP(w, r)
		return w.Code
	}
	assert.Equal(t, 200, ask(known, body), "not for who was here before")
	assert.Equal(t, 429, ask(strings.Replace(known, "=", "=A", 1), body), "which is not to be forged")
	for range 5 {
		ask(known, strings.Replace(body, passphrase, "wrong wrong wrong", 1))
	}
	assert.Equal(t, 429, ask(known, body), "and is counted too")

	slow := 0
	for i := range 40 {
		if o.signIn(fmt.Sprintf("[2001:db8:1:2::%x]:1", i+1), fmt.Sprintf("nobody %d", i), passphrase).Code == 429 {
			slow++
		}
	}
	assert.Greater(t, slow, 20, "a network of 64 bits is one place")
	assert.Equal(t, 401, o.signIn("[2001:db8:1:3::1]:1", "nobody at all", passphrase).Code, "another is another")
}

// TestProxies: what came through a proxy that nobody named is refused on a machine where nobody
// signs in; behind one that was named everybody signs in, nothing else comes through, and the
// address is that which the proxy saw.
func TestProxies(t *testing.T) {
	loop := withDemo(t)
	ask := func(h http.Handler, from string, headers ...string) *httptest.ResponseRecorder {
		r := httptest.NewRequestWithContext(t.Context(), "GET", "/api/v1/calls", nil)
		r.Host, r.RemoteAddr = "localhost", from
		for i := 0; i+1 < len(headers); i += 2 {
			r.Header.Add(headers[i], headers[i+1])
		}
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		return w
	}
	for _, header := range []string{"Forwarded", "X-Forwarded-For", "X-Forwarded-Host", "X-Forwarded-Proto", "Via", "X-Real-Ip"} {
		assert.Equal(t, 403, ask(loop.handler, "127.0.0.1:9", header, "192.0.2.7").Code, header)
	}
	assert.Equal(t, 200, ask(loop.handler, "127.0.0.1:9").Code)
	for site, want := range map[string]int{"cross-site": 403, "same-site": 403, "same-origin": 200, "none": 200} {
		assert.Equal(t, want, ask(loop.handler, "127.0.0.1:9", "Sec-Fetch-Site", site).Code, "a GET of a page of another site: %s", site)
	}
	s, err := store.Open(t.Context(), filepath.Join(t.TempDir(), "shop.db"))
	require.NoError(t, err)
	defer s.Close()
	const secret = "a secret that is long enough for it"
	var out bytes.Buffer
	behind := func(p *server.Proxy) http.Handler {
		return serverOf(t, server.Config{Store: s, Front: fstest.MapFS{}, Now: time.Now, Log: slog.New(slog.NewTextHandler(&out, nil)), SignIn: true, Proxy: p})
	}
	listed := behind(&server.Proxy{From: []netip.Prefix{netip.MustParsePrefix("10.1.0.0/16")}})
	both := behind(&server.Proxy{From: []netip.Prefix{netip.MustParsePrefix("10.1.0.0/16")}, Secret: secret})
	for _, row := range []struct {
		name    string
		handler http.Handler
		from    string
		headers []string
		want    int
	}{
		{"from the proxy", listed, "10.1.2.3:9", []string{"X-Forwarded-For", "6.6.6.6, 192.0.2.7"}, 401},
		{"past it", listed, "10.2.0.1:9", []string{"X-Forwarded-For", "192.0.2.7"}, 403},
		{"without its secret", both, "10.1.2.3:9", nil, 403},
		{"with another", both, "10.1.2.3:9", []string{"Elvat-Proxy-Secret", "guess"}, 403},
		{"with it", both, "10.1.2.3:9", []string{"Elvat-Proxy-Secret", secret, "X-Forwarded-For", "192.0.2.8"}, 401},
		{"with it, from elsewhere", both, "10.2.0.1:9", []string{"Elvat-Proxy-Secret", secret}, 403},
	} {
		assert.Equal(t, row.want, ask(row.handler, row.from, row.headers...).Code, row.name)
	}
	assert.Contains(t, out.String(), "from=192.0.2.7")
	assert.NotContains(t, out.String(), "6.6.6.6", "what a stranger wrote before the proxy counts for nothing")
	assert.NotContains(t, out.String(), secret)
}

// TestLog: the log names who asked and from where, and no link by which somebody could ask.
func TestLog(t *testing.T) {
	var out bytes.Buffer
	s, err := store.Open(t.Context(), filepath.Join(t.TempDir(), "shop.db"))
	require.NoError(t, err)
	defer s.Close()
	require.NoError(t, demo.Fill(t.Context(), s, noon))
	p, err := server.NewPerson("Ada Reyes", "electrician", passphrase, noon)
	require.NoError(t, err)
	_, err = s.AddPerson(t.Context(), p)
	require.NoError(t, err)
	h := serverOf(t, server.Config{Store: s, Front: fstest.MapFS{}, Now: func() time.Time { return noon }, Log: slog.New(slog.NewTextHandler(&out, nil)), SignIn: true})
	w := send(t, h, "", "POST", "/api/v1/session", fmt.Sprintf(`{"name":"Ada Reyes","passphrase":%q}`, passphrase))
	cookie, _, _ := strings.Cut(w.Header().Get("Set-Cookie"), ";")
	send(t, h, cookie, "GET", "/api/v1/calls", "")
	const token = "NOBODYMAYREADTHISTOKENINANYLOG234567"
	for _, path := range []string{
		"/visit/" + token, "/api/v1/visits/" + token, "/api/v1/visits/" + token + "/answers", "/api/visits/" + token, "//visit//" + token, "/VISIT/" + token,
		"/result/" + token, "/api/v1/results/" + token + "/pictures/1", "/gfci/" + token, "/api/v1/guards/" + token, "/x/y/" + token, "/api/v2/anything/" + token + "/x",
	} {
		send(t, h, "", "GET", path, "")
	}
	assert.NotContains(t, out.String(), token)
	assert.Contains(t, out.String(), `person="Ada Reyes"`)
	assert.Contains(t, out.String(), "from=192.0.2.1")
	assert.NotContains(t, out.String(), passphrase)
	assert.NotContains(t, strings.ToLower(out.String()), strings.ToLower(strings.SplitN(cookie, "=", 2)[1]))
}

// TestErased: what was erased stands nowhere in the files any more, as bytes; what was done
// stays, and a phone gets the call anew.
func TestErased(t *testing.T) {
	o := newOffice(t)
	const secret = "Quillfeather"
	change := fmt.Sprintf(`{"name":"%[1]s house","address":"1 %[1]s Lane","notes":"the dog %[1]s"}`, secret)
	require.Equal(t, 200, o.ask(job.Electrician, "PATCH", "/api/v1/sites/1", change).Code)
	for i, ask := range [][3]string{
		{"PATCH", "", `{"title":"%[1]s press","complaint":"%[1]s says it hums"}`}, {"POST", "/journal", `{"id":"note-0001","entry":{"kind":"note","text":"ask %[1]s"}}`},
		{"POST", "/stops", `{"after":"panel","label":"%[1]s room"}`}, {"PUT", "/directory", `[{"breaker":"7","amps":20,"serves":"%[1]s room"}]`},
		{"POST", "/journal", `{"id":"found-0001","entry":{"kind":"found","box":"B3","text":"loose neutral at %[1]s room"}}`},
	} {
		w := o.ask(job.Helper, ask[0], "/api/v1/calls/3"+ask[1], fmt.Sprintf(ask[2], secret))
		require.Less(t, w.Code, 300, "%d: %s", i, w.Body)
	}
	at := o.link(3)
	for id, answer := range []string{`{"kind":"danger"}`, `{"kind":"note","text":"I am ` + secret + `"}`} {
		require.Equal(t, 201, o.ask("", "POST", at+"/answers", fmt.Sprintf(`{"id":"answer-%04d","answer":%s}`, id, answer)).Code)
	}
	require.Equal(t, 201, o.ask("", "POST", at+"/pictures?id=picture-0001", string(pngOf(t)), "Content-Type", "application/octet-stream").Code)
	require.Contains(t, o.ask(job.Office, "GET", "/api/v1/search?q="+secret, "").Body.String(), secret)
	taken := o.ask(job.Electrician, "GET", "/api/v1/sites/1/export", "")
	require.Equal(t, 200, taken.Code)
	assert.Greater(t, taken.Body.Len(), 3000)
	before, err := o.store.Load(t.Context(), 3)
	require.NoError(t, err)

	require.Equal(t, 403, o.ask(job.Helper, "POST", "/api/v1/sites/1/erase", "").Code)
	w := o.ask(job.Electrician, "POST", "/api/v1/sites/1/erase", "")
	require.Equal(t, 200, w.Code, w.Body)
	assert.Contains(t, w.Body.String(), "erasedAt")
	after, err := o.store.Load(t.Context(), 3)
	require.NoError(t, err)
	assert.Len(t, after.Record.Readings, len(before.Record.Readings), "what was measured stays")
	assert.Greater(t, after.Record.Version, before.Record.Version)
	found := ""
	for _, e := range after.Record.Journal {
		if e.Kind == job.WasFound {
			found = e.Text
		}
	}
	assert.Contains(t, found, "loose neutral at B", "what was found stays, without the name of the room")
	assert.Empty(t, after.Record.Pictures)
	assert.Equal(t, 404, o.ask("", "GET", at, "").Code)
	assert.NotContains(t, o.ask(job.Office, "GET", "/api/v1/search?q="+secret, "").Body.String(), secret)
	assert.Equal(t, 200, o.ask(job.Office, "GET", "/api/v1/calls/3/papers/report.pdf", "").Code)
	assert.Equal(t, 409, o.ask(job.Electrician, "POST", "/api/v1/calls/3/undo", "{}").Code, "nothing brings it back")
	files, err := filepath.Glob(filepath.Join(filepath.Dir(o.path), "shop.db*"))
	require.NoError(t, err)
	for _, file := range files {
		if info, err := os.Stat(file); err != nil || info.IsDir() {
			continue
		}
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		assert.NotContains(t, strings.ToLower(string(data)), strings.ToLower(secret), file)
	}
}

// TestKeptNoLonger: where the shop set for how long customers' data are kept, what is older goes
// by itself, and what is not stays.
func TestKeptNoLonger(t *testing.T) {
	path := filled(t)
	s, err := store.Open(t.Context(), path)
	require.NoError(t, err)
	defer s.Close()
	require.NoError(t, s.Set(t.Context(), "door", []byte(`{"keepYears":2}`)))
	start := func(now time.Time) {
		c := server.Config{Store: s, Front: fstest.MapFS{}, Now: func() time.Time { return now }, Log: slog.New(slog.DiscardHandler)}
		c.Backups = server.Backups{Folder: path + "-backups", Every: 24 * time.Hour, Keep: 1}
		app, err := server.New(c)
		require.NoError(t, err)
		defer app.Close()
		time.Sleep(300 * time.Millisecond)
	}
	start(noon.AddDate(1, 11, 0))
	site, err := s.Site(t.Context(), 1)
	require.NoError(t, err)
	require.Nil(t, site.ErasedAt)
	for range 20 {
		start(noon.AddDate(2, 1, 0))
		if site, err = s.Site(t.Context(), 1); site.ErasedAt != nil {
			break
		}
	}
	require.NoError(t, err)
	require.NotNil(t, site.ErasedAt)
	assert.Equal(t, "Erased, house 1", site.Name)
	events, err := s.Events(t.Context(), 0, 9)
	require.NoError(t, err)
	assert.Equal(t, "customer-erased", events[0].What)
	due, err := s.DueGFCIs(t.Context(), noon.AddDate(9, 0, 0), 9)
	require.NoError(t, err)
	assert.Empty(t, due, "nobody is asked for a test there")
}

// TestEveryTextHasABound: every text of every request of the contract, one by one, too long.
// The list comes from the contract: what is added to it is asked here.
func TestEveryTextHasABound(t *testing.T) {
	o := newOffice(t)
	data, err := os.ReadFile("../../api/openapi.yaml")
	require.NoError(t, err)
	var doc map[string]any
	require.NoError(t, yaml.Unmarshal(data, &doc))
	schemas := doc["components"].(map[string]any)["schemas"].(map[string]any)
	asked := 0
	for path, item := range doc["paths"].(map[string]any) {
		for method, op := range item.(map[string]any) {
			operation, ok := op.(map[string]any)
			if !ok || operation["requestBody"] == nil {
				continue
			}
			content := operation["requestBody"].(map[string]any)["content"].(map[string]any)
			media, ok := content["application/json"].(map[string]any)
			if !ok {
				continue
			}
			for _, body := range tooLong(schemas, media["schema"], 0) {
				text, err := json.Marshal(body)
				require.NoError(t, err)
				w := o.ask(job.Electrician, strings.ToUpper(method), pathValues.Replace(path), string(text))
				asked++
				assert.Contains(t, []int{400, 401, 403, 404, 409, 413, 422, 429}, w.Code, "%s %s: %.200s", method, path, text)
				assert.Less(t, w.Body.Len(), 2000, "it is not said back")
			}
		}
	}
	require.Greater(t, asked, 120)
	require.NoError(t, o.store.IntegrityCheck(t.Context()))
}

// tooLong are documents of the schema, in each of which one text is too long.
func tooLong(schemas map[string]any, schema any, depth int) (all []any) {
	s, ok := schema.(map[string]any)
	if !ok || depth > 6 {
		return nil
	}
	if ref, ok := s["$ref"].(string); ok {
		return tooLong(schemas, schemas[strings.TrimPrefix(ref, "#/components/schemas/")], depth+1)
	}
	switch s["type"] {
	case "string":
		return []any{strings.Repeat("x", 40_000)}
	case "array":
		for _, one := range tooLong(schemas, s["items"], depth+1) {
			all = append(all, []any{one})
		}
	default:
		properties, _ := s["properties"].(map[string]any)
		for name, property := range properties {
			if name == "circuit" { // a whole file, bounded by itself
				continue
			}
			for _, one := range tooLong(schemas, property, depth+1) {
				all = append(all, map[string]any{name: one})
			}
		}
	}
	return all
}

// TestMemory: eighty large pictures at once, and bodies that never end, do not take the machine
// down: a real connection each, as they came.
func TestMemory(t *testing.T) {
	o := newOffice(t)
	at := o.link(3)
	require.Equal(t, 201, o.ask("", "POST", at+"/answers", `{"id":"answer-0001","answer":{"kind":"danger"}}`).Code)
	live := httptest.NewUnstartedServer(o.handler)
	server.Harden(live.Config)
	live.Start()
	defer live.Close()
	var most atomic.Uint64
	stop := make(chan struct{})
	var watch sync.WaitGroup
	watch.Go(func() {
		for {
			select {
			case <-stop:
				return
			case <-time.After(5 * time.Millisecond):
				var m runtime.MemStats
				runtime.ReadMemStats(&m)
				most.Store(max(most.Load(), m.HeapInuse+m.StackInuse))
			}
		}
	})
	var before runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	large := bytes.Repeat([]byte{0xff, 0xd8, 0xff, 0xe0}, 1<<20)
	var all sync.WaitGroup
	for i := range 80 {
		all.Go(func() {
			for _, path := range []string{at + fmt.Sprintf("/pictures?id=picture-%04d", i), fmt.Sprintf("/api/v1/calls/3/pictures?id=own-picture-%04d&phase=prove", i)} {
				r, err := http.NewRequestWithContext(t.Context(), "POST", live.URL+path, bytes.NewReader(large[:4<<20-1]))
				if err != nil {
					return
				}
				r.Host = "localhost"
				r.Header.Set("Content-Type", "application/octet-stream")
				r.Header.Set("Cookie", o.cookies[job.Helper])
				if w, err := http.DefaultClient.Do(r); err == nil {
					_, _ = io.Copy(io.Discard, w.Body)
					w.Body.Close()
				}
			}
		})
	}
	all.Wait()
	close(stop)
	watch.Wait()
	grown := int64(most.Load()) - int64(before.HeapInuse)
	t.Logf("%d MB at most beyond what there was", grown>>20)
	assert.Less(t, grown, int64(300<<20))
}

// TestConnections: of one address so many connections and no more; what is closed makes room.
func TestConnections(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	bounded := server.Limit(l, nil, server.MostConnections)
	defer bounded.Close()
	accepted := make(chan net.Conn, 2000)
	go func() {
		for {
			c, err := bounded.Accept()
			if err != nil {
				close(accepted)
				return
			}
			accepted <- c
		}
	}()
	open := 0
	var dialled []net.Conn
	for range 1010 {
		c, err := net.Dial("tcp", l.Addr().String())
		require.NoError(t, err)
		dialled = append(dialled, c)
	}
	deadline := time.After(5 * time.Second)
	for open < 1000 {
		select {
		case <-accepted:
			open++
		case <-deadline:
			t.Fatalf("%d were accepted", open)
		}
	}
	select {
	case <-accepted:
		t.Fatal("one more than there may be")
	case <-time.After(200 * time.Millisecond):
	}
	for _, c := range dialled {
		c.Close()
	}
}

// TestEnteredBySomebodyElse: what a shared browser kept goes in for the person who entered it,
// and waits while somebody else is signed in.
func TestEnteredBySomebodyElse(t *testing.T) {
	o := newOffice(t)
	note := `{"id":"note-0001","entry":{"kind":"note","text":"dusty"}}`
	by := func(role job.Role, person string) int {
		return o.ask(role, "POST", "/api/v1/calls/3/journal", note, "Elvat-Person", person).Code
	}
	assert.Equal(t, 401, by(job.Electrician, "The%20helper"))
	assert.Equal(t, 401, by(job.Electrician, "%zz"))
	assert.Equal(t, 201, by(job.Helper, "The%20helper"))
	up := `{"calls":{},"commands":[{"id":"waits-0001","call":3,"n":1,"person":"The helper","madeAt":"2026-05-04T11:00:00Z","seen":0,"doing":{"do":"add-entry","id":"note-0002","entry":{"kind":"note","text":"damp"}}}]}`
	assert.Equal(t, 401, o.ask(job.Electrician, "POST", "/api/v1/sync", up).Code)
	assert.Equal(t, 200, o.ask(job.Helper, "POST", "/api/v1/sync", up).Code)
	at, err := o.store.Load(t.Context(), 3)
	require.NoError(t, err)
	for _, e := range at.Record.Journal {
		assert.False(t, e.Kind == job.Note && e.Text == "damp" && at.Record.Log[len(at.Record.Log)-1].Person != "The helper")
	}
}

// TestMediaTypes: a body of another kind than the contract names is not looked at.
func TestMediaTypes(t *testing.T) {
	o := newOffice(t)
	const body = `{"id":"note-0001","entry":{"kind":"note","text":"dusty"}}`
	for media, want := range map[string]int{
		"application/json": 201, "application/json; charset=utf-8": 201, "application/xml": 415, "text/xml": 415, "application/x-www-form-urlencoded": 415,
		"multipart/form-data; boundary=x": 415, "text/plain": 415, "": 415, "application/json, text/plain": 415,
	} {
		assert.Equal(t, want, o.ask(job.Helper, "POST", "/api/v1/calls/3/journal", body, "Content-Type", media).Code, media)
	}
}
