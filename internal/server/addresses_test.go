package server_test

import (
	"encoding/json"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/job"
	"elvat/internal/server"
)

// two is a shop with two addresses, and somebody signed in at the first.
func two(t *testing.T) *office {
	o := newOffice(t)
	o.handler = serverOf(t, server.Config{
		Store: o.store, Front: fstest.MapFS{"index.html": {Data: []byte("<title>Elvat</title>")}}, Now: func() time.Time { return o.now },
		Log: slog.New(slog.DiscardHandler), SignIn: true, Addresses: []string{"https://one.north.example", "https://two.north.example"},
	})
	return o
}

// carry uses a ticket at the second address, and is the cookie that it gives there.
func (o *office) carry(ticket string) (cookie string, status int) {
	body, err := json.Marshal(map[string]string{"ticket": ticket})
	require.NoError(o.t, err)
	r := httptest.NewRequest("POST", "https://two.north.example/api/v1/session/carried", strings.NewReader(string(body)))
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("Origin", "https://one.north.example")
	r.Header.Set("Sec-Fetch-Site", "same-site")
	w := httptest.NewRecorder()
	o.handler.ServeHTTP(w, r)
	cookie, _, _ = strings.Cut(w.Header().Get("Set-Cookie"), ";")
	return cookie, w.Code
}

func (o *office) ticket() string {
	var made struct{ Ticket string }
	w := o.ask(job.Helper, "POST", "/api/v1/session/ticket", "")
	require.Equal(o.t, http.StatusCreated, w.Code, w.Body)
	require.NoError(o.t, json.Unmarshal(w.Body.Bytes(), &made))
	return made.Ticket
}

// TestCarried: a session goes along to another address once, within a minute, as the same person;
// it lives no longer than the one that it comes from, and ends with it.
func TestCarried(t *testing.T) {
	o := two(t)
	at := func(cookie string) int { return send(t, o.handler, cookie, "GET", "/api/v1/calls", "").Code }
	ticket := o.ticket()
	there, status := o.carry(ticket)
	require.Equal(t, http.StatusOK, status)
	assert.Equal(t, http.StatusOK, at(there))
	assert.Equal(t, http.StatusForbidden, send(t, o.handler, there, "GET", "/api/v1/people", "").Code, "a helper there as well")
	_, status = o.carry(ticket)
	assert.Equal(t, http.StatusUnprocessableEntity, status, "a ticket is used once")
	_, status = o.carry("made up")
	assert.Equal(t, http.StatusUnprocessableEntity, status)

	late := o.ticket()
	o.now = o.now.Add(2 * time.Minute)
	_, status = o.carry(late)
	assert.Equal(t, http.StatusUnprocessableEntity, status, "within a minute")

	// Carried again later: the session of before goes on.
	again, status := o.carry(o.ticket())
	require.Equal(t, http.StatusOK, status)
	assert.Equal(t, http.StatusOK, at(o.cookies[job.Helper]))
	// Signing out at the one ends it at the other, whichever it is.
	require.Equal(t, http.StatusOK, send(t, o.handler, again, "DELETE", "/api/v1/session", "").Code)
	for _, cookie := range []string{again, there, o.cookies[job.Helper]} {
		assert.Equal(t, http.StatusUnauthorized, at(cookie))
	}
}

// TestAmongAddresses: a page of one of the shop's addresses may ask at another, with the cookies
// of that; a page of any other may not, however near its name is.
func TestAmongAddresses(t *testing.T) {
	o := two(t)
	for _, c := range []struct {
		origin, site string
		may          bool
	}{
		{"https://one.north.example", "same-site", true},
		{"https://three.north.example", "same-site", false},
		{"http://one.north.example", "cross-site", false},
		{"https://one.north.example.evil.example", "cross-site", false},
		{"null", "cross-site", false},
	} {
		w := o.ask(job.Electrician, "GET", "/api/v1/calls", "", "Origin", c.origin, "Sec-Fetch-Site", c.site)
		allowed := w.Header().Get("Access-Control-Allow-Origin")
		if c.may {
			assert.Equal(t, http.StatusOK, w.Code, c.origin)
			assert.Equal(t, c.origin, allowed)
			assert.Equal(t, "true", w.Header().Get("Access-Control-Allow-Credentials"))
		} else {
			assert.Equal(t, http.StatusForbidden, w.Code, c.origin)
			assert.Empty(t, allowed, c.origin)
		}
		changed := o.ask(job.Electrician, "POST", "/api/v1/calls", `{"title":"Loft","complaint":""}`, "Origin", c.origin, "Sec-Fetch-Site", c.site)
		assert.Equal(t, c.may, changed.Code == http.StatusCreated, "%s: %d", c.origin, changed.Code)
		asked := httptest.NewRequest("OPTIONS", "https://two.north.example/api/v1/calls", nil)
		asked.Header.Set("Origin", c.origin)
		asked.Header.Set("Access-Control-Request-Method", "POST")
		asked.Header.Set("Access-Control-Request-Headers", "content-type,elvat-device,idempotency-key")
		before := httptest.NewRecorder()
		o.handler.ServeHTTP(before, asked)
		assert.Equal(t, c.may, before.Header().Get("Access-Control-Allow-Origin") == c.origin, c.origin)
	}
	page := o.ask(job.Electrician, "GET", "/", "")
	assert.Contains(t, page.Header().Get("Content-Security-Policy"), "connect-src 'self' https://one.north.example https://two.north.example;")
	health := send(t, o.handler, "", "GET", "/api/v1/health", "")
	assert.JSONEq(t, `{"answers":true}`, health.Body.String())
}
