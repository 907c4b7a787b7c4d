package shops_test

import (
	"bytes"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/internal/server"
	"elvat/internal/shops"
	"elvat/internal/store"
	"elvat/internal/trust"
)

// app answers with the shop's title, and knows what is done with it.
type app struct {
	title  string
	days   *atomic.Int64
	open   *atomic.Int64
	answer func(http.ResponseWriter, *http.Request)
	closed atomic.Bool
}

func (a *app) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if a.closed.Load() {
		http.Error(w, "closed under somebody who asks", http.StatusTeapot)
		return
	}
	if a.answer != nil {
		a.answer(w, r)
	}
	io.WriteString(w, a.title) //nolint:errcheck // a recorder
}

func (a *app) Daily(context.Context) error {
	a.days.Add(1)
	return nil
}

func (a *app) Close() {
	a.closed.Store(true)
	a.open.Add(-1)
}

// a house of apps, and what is known of them.
type house struct {
	*shops.Host
	days, open atomic.Int64
	answer     func(http.ResponseWriter, *http.Request)
}

func served(t testing.TB, c shops.Config, answer func(http.ResponseWriter, *http.Request)) *house {
	h := &house{answer: answer}
	if c.Log == nil {
		c.Log = slog.New(slog.DiscardHandler)
	}
	if c.Make == nil {
		c.Make = func(s shops.Shop, _ *store.Store, _ *trust.Authority) (shops.App, error) {
			h.open.Add(1)
			return &app{title: s.Title, days: &h.days, open: &h.open, answer: h.answer}, nil
		}
	}
	h.Host = shops.New(c)
	t.Cleanup(h.Close)
	return h
}

func get(h http.Handler, host string) *httptest.ResponseRecorder {
	w := httptest.NewRecorder()
	r := httptest.NewRequest("GET", "http://"+host+"/api/v1/basics", nil)
	h.ServeHTTP(w, r)
	return w
}

// TestHost: each is opened when it is asked for, closed when nobody does, and what is changed
// while it is served holds from then on.
func TestHost(t *testing.T) {
	f := folder(t, "north", "south")
	h := served(t, shops.Config{Keeper: f, Idle: time.Millisecond, Most: 10}, nil)
	require.Eventually(t, func() bool { return h.days.Load() == 2 }, 20*time.Second, 10*time.Millisecond, "what is due once a day is done without anybody asking")
	require.Eventually(t, func() bool { return h.Open() == 0 && h.open.Load() == 0 }, 20*time.Second, 10*time.Millisecond, "nobody asks: all are closed")
	for host, is := range map[string]string{"north.example": "The north", "SOUTH.example:8443": "The south"} {
		w := get(h, host)
		assert.Equal(t, http.StatusOK, w.Code)
		assert.Equal(t, is, w.Body.String())
	}
	w := get(h, "east.example")
	assert.Equal(t, http.StatusMisdirectedRequest, w.Code)

	require.NoError(t, f.Change(t.Context(), "north", func(s *shops.Shop) { s.Title = "Another" }))
	assert.Equal(t, "Another", get(h, "north.example").Body.String())

	require.NoError(t, f.Close(t.Context(), "north", "it is being mended"), "who serves it lets go of it")
	w = get(h, "north.example")
	assert.Equal(t, http.StatusServiceUnavailable, w.Code)
	assert.NotEmpty(t, w.Header().Get("Retry-After"))
	assert.Contains(t, w.Body.String(), "it is being mended")
	assert.Equal(t, "The south", get(h, "south.example").Body.String())
	r := httptest.NewRequest("GET", "http://north.example/", nil)
	r.Header.Set("Sec-Fetch-Mode", "navigate")
	page := httptest.NewRecorder()
	h.ServeHTTP(page, r)
	assert.Contains(t, page.Header().Get("Content-Type"), "text/html")
	assert.Contains(t, page.Body.String(), "it is being mended")
	require.NoError(t, f.Reopen(t.Context(), "north"))
	assert.Equal(t, "Another", get(h, "north.example").Body.String())
}

// TestMost: only so many are open at once; the one that nobody asked for longest makes way, and
// none that is asked something.
func TestMost(t *testing.T) {
	f := folder(t, "a", "b", "c")
	hold, held := make(chan struct{}), make(chan struct{}, 2)
	h := served(t, shops.Config{Keeper: f, Idle: time.Hour, Most: 2}, func(_ http.ResponseWriter, r *http.Request) {
		if r.Header.Get("Hold") != "" {
			held <- struct{}{}
			<-hold
		}
	})
	require.Eventually(t, func() bool { return h.days.Load() == 3 }, 20*time.Second, 10*time.Millisecond)
	var all sync.WaitGroup
	for _, host := range []string{"a.example", "b.example"} {
		all.Go(func() {
			r := httptest.NewRequest("GET", "http://"+host+"/", nil)
			r.Header.Set("Hold", "1")
			w := httptest.NewRecorder()
			h.ServeHTTP(w, r)
			assert.Equal(t, http.StatusOK, w.Code)
		})
		<-held
	}
	require.Eventually(t, func() bool {
		w := get(h, "c.example")
		return w.Code == http.StatusServiceUnavailable && strings.Contains(w.Body.String(), "too many shops are busy")
	}, 5*time.Second, 10*time.Millisecond)
	close(hold)
	all.Wait()
	assert.Equal(t, "The c", get(h, "c.example").Body.String())
	assert.LessOrEqual(t, h.Open(), 3, "one of them is being closed")
}

// TestDamage: one that cannot be opened, or whose application breaks, keeps no other from being
// served, and says nothing of why to strangers.
func TestDamage(t *testing.T) {
	f := folder(t, "broken", "panics", "sound")
	require.NoError(t, os.WriteFile(f.Database("broken"), bytes.Repeat([]byte("no database "), 1000), 0o600))
	var log bytes.Buffer
	var mu sync.Mutex
	var open, days atomic.Int64
	h := shops.New(shops.Config{
		Keeper: f, Idle: time.Hour, Most: 10, Log: slog.New(slog.NewTextHandler(&locked{&mu, &log}, nil)),
		Make: func(s shops.Shop, _ *store.Store, _ *trust.Authority) (shops.App, error) {
			if s.Name == "panics" {
				panic("a record that nobody foresaw")
			}
			open.Add(1)
			return &app{title: s.Title, days: &days, open: &open}, nil
		},
	})
	defer h.Close()
	for _, name := range []string{"broken", "panics"} {
		w := get(h, name+".example")
		assert.Equal(t, http.StatusServiceUnavailable, w.Code, name)
		assert.NotContains(t, w.Body.String(), f.Path)
	}
	assert.Equal(t, "The sound", get(h, "sound.example").Body.String())
	mu.Lock()
	defer mu.Unlock()
	assert.Contains(t, log.String(), "damaged")
	assert.Contains(t, log.String(), "nobody foresaw")
}

type locked struct {
	mu *sync.Mutex
	to io.Writer
}

func (l *locked) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.to.Write(p)
}

// TestManyAtOnce: whoever asks is answered by an open application of the right shop, however
// shops are opened, closed, changed and made to make way for each other meanwhile.
func TestManyAtOnce(t *testing.T) {
	names := []string{"a", "b", "c", "d", "e"}
	f := folder(t, names...)
	h := served(t, shops.Config{Keeper: f, Idle: time.Nanosecond, Most: 3}, nil)
	var all sync.WaitGroup
	var answered, busy atomic.Int64
	for range 16 {
		all.Go(func() {
			for range 60 {
				name := names[rand.IntN(len(names))]
				w := get(h, name+".example")
				switch w.Code {
				case http.StatusOK:
					answered.Add(1)
					assert.Equal(t, "The "+name, w.Body.String())
				case http.StatusServiceUnavailable:
					busy.Add(1)
				default:
					t.Errorf("%s: %d %s", name, w.Code, w.Body)
				}
				if rand.IntN(10) == 0 {
					assert.NoError(t, f.Change(t.Context(), name, func(s *shops.Shop) { s.Most.AtWork = rand.IntN(9) }))
				}
			}
		})
	}
	all.Wait()
	assert.Positive(t, answered.Load())
	h.Close()
	assert.Zero(t, h.open.Load(), "each that was opened was closed")
	assert.Equal(t, http.StatusServiceUnavailable, get(h, "a.example").Code)
}

// real serves the application itself.
func real(t testing.TB, f *shops.Folder) *shops.Host {
	front := fstest.MapFS{"index.html": {Data: []byte("<!doctype html>")}}
	h := shops.New(shops.Config{
		Keeper: f, Idle: time.Hour, Most: 10, Log: slog.New(slog.DiscardHandler),
		Make: func(s shops.Shop, kept *store.Store, own *trust.Authority) (shops.App, error) {
			c := server.Config{
				Store: kept, Shop: s.Title, Log: slog.New(slog.DiscardHandler), Front: front, Now: time.Now, SignIn: true, AtWork: s.Most.Work(),
				Backups: server.Backups{Folder: f.Backups(s), Every: 24 * time.Hour, Keep: 3, Asked: true},
			}
			if own != nil {
				c.Trust = own.Handler(s.Title, "")
			}
			return server.New(c)
		},
	})
	t.Cleanup(h.Close)
	return h
}

// person lets somebody sign in at the shop.
func person(t testing.TB, f *shops.Folder, shop, name, passphrase string) {
	s, err := store.Open(t.Context(), f.Database(shop))
	require.NoError(t, err)
	p, err := server.NewPerson(name, "electrician", passphrase, time.Now())
	require.NoError(t, err)
	_, err = s.AddPerson(t.Context(), p)
	require.NoError(t, errors.Join(err, s.Close()))
}

const ours = "long river copper lamp"

func signIn(h http.Handler, host, name, passphrase string) *httptest.ResponseRecorder {
	r := httptest.NewRequest("POST", "https://"+host+"/api/v1/session", strings.NewReader(fmt.Sprintf(`{"name": %q, "passphrase": %q}`, name, passphrase)))
	r.Header.Set("Content-Type", "application/json")
	w := httptest.NewRecorder()
	h.ServeHTTP(w, r)
	return w
}

// TestApart: people, sessions and what is on record of one shop are nothing to another, also
// where somebody is called the same.
func TestApart(t *testing.T) {
	f := folder(t, "north", "south")
	filled(t, f, "north")
	person(t, f, "north", "Ada", ours)
	person(t, f, "south", "Ada", "quiet harbor velvet moon")
	h := real(t, f)
	in := signIn(h, "north.example", "Ada", ours)
	require.Equal(t, http.StatusOK, in.Code, in.Body)
	assert.Equal(t, http.StatusUnauthorized, signIn(h, "south.example", "Ada", ours).Code)
	for _, host := range []string{"north.example", "south.example"} {
		r := httptest.NewRequest("GET", "https://"+host+"/api/v1/calls", nil)
		for _, c := range in.Result().Cookies() {
			r.AddCookie(c)
		}
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		if host == "north.example" {
			assert.Equal(t, http.StatusOK, w.Code, w.Body)
			assert.Greater(t, w.Body.Len(), 1000)
		} else {
			assert.Equal(t, http.StatusUnauthorized, w.Code)
		}
	}
	// Who guesses at one door is held up there, and nobody at another.
	for range 40 {
		signIn(h, "south.example", "Ada", "wrong wrong wrong")
	}
	assert.Equal(t, http.StatusTooManyRequests, signIn(h, "south.example", "Ada", "wrong wrong wrong").Code)
	assert.Equal(t, http.StatusOK, signIn(h, "north.example", "Ada", ours).Code)
}

// TestDaily: a backup of a shop that nobody asks for, and no second one of what was not written
// to since.
func TestDaily(t *testing.T) {
	f := folder(t, "north")
	filled(t, f, "north")
	h := real(t, f)
	s, err := f.Get(t.Context(), "north")
	require.NoError(t, err)
	backups := func() []store.BackupFile {
		all, err := store.Backups(f.Backups(s))
		require.NoError(t, err)
		return all
	}
	require.Eventually(t, func() bool { return len(backups()) == 1 }, 20*time.Second, 20*time.Millisecond)
	require.NoError(t, h.Day(t.Context(), s))
	assert.Len(t, backups(), 1)
	// Two days later, without a word written.
	old := backups()[0]
	at := time.Now().Add(-48 * time.Hour)
	named := strings.Replace(old.Name, old.At.Format("20060102-150405"), at.UTC().Format("20060102-150405"), 1)
	require.NoError(t, os.Rename(f.Backups(s)+"/"+old.Name, f.Backups(s)+"/"+named))
	for _, end := range []string{"", "-wal"} {
		if err := os.Chtimes(f.Database("north")+end, at, at.Add(-time.Hour)); err != nil {
			require.ErrorIs(t, err, os.ErrNotExist)
		}
	}
	require.NoError(t, h.Day(t.Context(), s))
	assert.Len(t, backups(), 1, "nothing was written since")
	require.NoError(t, os.Chtimes(f.Database("north"), time.Now(), time.Now()))
	require.NoError(t, h.Day(t.Context(), s))
	assert.Len(t, backups(), 2)
}

// TestOwnKeys: each shop shows a certificate of its own over TLS, vouched for by its own
// authority, and a connection to one is no way to another.
func TestOwnKeys(t *testing.T) {
	f := folder(t, "north", "south")
	own, err := trust.Beside(f.Database("north")).Make("North", []string{"north.example"}, time.Now())
	require.NoError(t, err)
	h := real(t, f)
	at := httptest.NewUnstartedServer(h)
	at.TLS = h.TLS()
	at.StartTLS()
	defer at.Close()
	// httptest puts a certificate of its own there, which who names no shop would get.
	shown := func(name string) (*tls.Conn, error) {
		return tls.Dial("tcp", at.Listener.Addr().String(), &tls.Config{ServerName: name, InsecureSkipVerify: true})
	}
	for name, vouched := range map[string]bool{"north.example": true, "south.example": false} {
		c, err := shown(name)
		require.NoError(t, err)
		leaf := c.ConnectionState().PeerCertificates[0]
		assert.NoError(t, leaf.VerifyHostname(name))
		assert.Equal(t, vouched, leaf.CheckSignatureFrom(own.Certificate) == nil, name)
		require.NoError(t, c.Close())
	}
	_, err = shown("east.example")
	require.Error(t, err, "a shop that there is not has no certificate")
	client := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{ServerName: "south.example", InsecureSkipVerify: true}}}
	r, err := http.NewRequest("GET", at.URL+"/api/v1/basics", nil)
	require.NoError(t, err)
	for host, status := range map[string]int{"south.example": http.StatusUnauthorized, "north.example": http.StatusMisdirectedRequest} {
		r.Host = host
		w, err := client.Do(r)
		require.NoError(t, err)
		w.Body.Close()
		assert.Equal(t, status, w.StatusCode, host)
	}
}
