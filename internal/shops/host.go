package shops

import (
	"context"
	"crypto/tls"
	_ "embed" // the page of who is refused
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"log/slog"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"

	"elvat/internal/server"
	"elvat/internal/store"
	"elvat/internal/trust"
)

// An App is the application of one shop.
type App interface {
	http.Handler
	// Daily does what is due once a day.
	Daily(ctx context.Context) error
	Close()
}

// Config is what a Host is made of.
type Config struct {
	Keeper Keeper
	// Make makes a shop's application on its database.
	Make func(s Shop, kept *store.Store, own *trust.Authority) (App, error)
	// Idle is how long a shop that nobody asks for stays open, Most how many are open at once.
	Idle time.Duration
	Most int
	Log  *slog.Logger
}

// A Host serves every shop of a keeper by the name it is reached by.
type Host struct {
	Config

	mu     sync.Mutex
	open   map[string]*opened
	shows  map[string]*shows
	stop   context.CancelFunc
	ends   sync.WaitGroup
	closed bool
}

// An opened shop. Its fields but those of ready are guarded by the host's lock.
type opened struct {
	shop  Shop
	ready chan struct{} // closed when app, store and err are what they are
	app   App
	store *store.Store
	err   error

	users  int
	last   time.Time
	ending bool          // nobody comes in any more
	gone   chan struct{} // closed when it is closed
}

// New begins to serve; it is to be closed.
func New(c Config) *Host {
	ctx, stop := context.WithCancel(context.Background())
	h := &Host{Config: c, open: map[string]*opened{}, shows: map[string]*shows{}, stop: stop}
	h.ends.Go(func() { h.sweep(ctx) })
	h.ends.Go(func() { h.daily(ctx) })
	return h
}

// Close closes every shop, once what is asked of it is answered.
func (h *Host) Close() {
	h.stop()
	h.mu.Lock()
	h.closed = true
	var all []*opened
	for _, o := range h.open {
		h.end(o)
		all = append(all, o)
	}
	h.mu.Unlock()
	for _, o := range all {
		<-o.gone
	}
	h.ends.Wait()
}

var (
	errMany     = errors.New("too many shops are busy: try again in a moment")
	errStopping = closed{"the machine is being stopped"}
	errNoShop   = errors.New("the shop's database could not be opened: who runs this machine finds the reason in its log")
)

// ServeHTTP has the shop answer that the request's host name leads to.
func (h *Host) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	s, err := h.Keeper.Reached(r.Context(), r.Host)
	if err == nil && r.TLS != nil && r.TLS.ServerName != "" {
		// A connection that was made to one shop is not used for another, whose key it never saw.
		if to, err := h.Keeper.Reached(r.Context(), r.TLS.ServerName); err != nil || to.Name != s.Name {
			refuse(w, r, http.StatusMisdirectedRequest, "other-shop", "this connection was made to another shop")
			return
		}
	}
	if err == nil && s.Closed != "" {
		err = closed{s.Closed}
	}
	var o *opened
	if err == nil {
		o, err = h.enter(r.Context(), s)
	}
	var shut closed
	switch {
	case errors.Is(err, ErrNoHost):
		refuse(w, r, http.StatusMisdirectedRequest, "no-such-shop", "no shop is reached by this name: look at the address once more, or ask the shop for its own")
	case errors.As(err, &shut):
		refuse(w, r, http.StatusServiceUnavailable, "shop-closed", shut.Error())
	case errors.Is(err, errMany):
		refuse(w, r, http.StatusServiceUnavailable, "busy", errMany.Error())
	case err != nil:
		if r.Context().Err() == nil {
			h.Log.Error("shop", "shop", s.Name, "error", err)
		}
		refuse(w, r, http.StatusServiceUnavailable, "shop-unreadable", errNoShop.Error())
	default:
		defer h.leave(o)
		o.app.ServeHTTP(w, r)
	}
}

// againIn is when who is refused may come again, in seconds.
const againIn = 5

//go:embed refused.html
var refusedPage string

var refusedTemplate = template.Must(template.New("refused").Parse(refusedPage))

// refuse says why a shop does not answer: a page to who opens one, a problem document to a
// program.
func refuse(w http.ResponseWriter, r *http.Request, status int, code, detail string) {
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("X-Content-Type-Options", "nosniff")
	if status == http.StatusServiceUnavailable {
		w.Header().Set("Retry-After", strconv.Itoa(againIn))
	}
	if r.Header.Get("Sec-Fetch-Mode") == "navigate" || strings.HasPrefix(r.Header.Get("Accept"), "text/html") {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.Header().Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'none'")
		w.WriteHeader(status)
		_ = refusedTemplate.Execute(w, map[string]any{ // who asked has gone
			"Says": strings.ToUpper(detail[:1]) + detail[1:] + ".", "Again": status == http.StatusServiceUnavailable, "In": againIn,
		})
		return
	}
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(map[string]any{ // who asked has gone
		"type": "urn:elvat:problem:" + code, "title": http.StatusText(status), "status": status, "detail": detail,
	})
}

// openAgain is how soon a shop that could not be opened is tried again.
const openAgain = 5 * time.Second

// enter is the opened shop, opened now where it was not; leave is to be called.
func (h *Host) enter(ctx context.Context, s Shop) (*opened, error) {
	for {
		h.mu.Lock()
		if h.closed {
			h.mu.Unlock()
			return nil, errStopping
		}
		o := h.open[s.Name]
		switch {
		case o == nil:
			if !h.room() {
				h.mu.Unlock()
				return nil, errMany
			}
			o = &opened{shop: s, ready: make(chan struct{}), gone: make(chan struct{}), users: 1}
			h.open[s.Name] = o
			h.mu.Unlock()
			o.err = h.start(o)
			close(o.ready)
		case !o.ending && o.shop.Version != s.Version:
			h.end(o)
			fallthrough
		case o.ending:
			h.mu.Unlock()
			if err := until(ctx, o.gone); err != nil {
				return nil, err
			}
			continue
		default:
			o.users++
			h.mu.Unlock()
			if err := until(ctx, o.ready); err != nil {
				h.leave(o)
				return nil, err
			}
		}
		if o.err == nil {
			return o, nil
		}
		h.leave(o)
		return nil, o.err
	}
}

func until(ctx context.Context, what <-chan struct{}) error {
	select {
	case <-what:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// room reports whether one more may be open; the one that nobody asked for longest makes way.
func (h *Host) room() bool {
	if len(h.open) < h.Most {
		return true
	}
	var idle *opened
	for _, o := range h.open {
		if o.users == 0 && !o.ending && (idle == nil || o.last.Before(idle.last)) {
			idle = o
		}
	}
	if idle != nil {
		h.end(idle)
	}
	return idle != nil
}

// start opens the shop. What it is opened for may be given up meanwhile; it is open then for
// who comes next.
func (h *Host) start(o *opened) (err error) {
	defer func() {
		if what := recover(); what != nil {
			err = fmt.Errorf("opening %s: %v", o.shop.Name, what)
		}
	}()
	kept, err := h.Keeper.Open(context.Background(), o.shop)
	if err != nil {
		return err
	}
	own, err := h.Keeper.Trust(o.shop)
	if err == nil {
		o.app, err = h.Make(o.shop, kept, own)
	}
	if err != nil {
		return errors.Join(err, kept.Close())
	}
	o.store = kept
	return nil
}

func (h *Host) leave(o *opened) {
	h.mu.Lock()
	defer h.mu.Unlock()
	o.users--
	o.last = time.Now()
	if o.ending && o.users == 0 {
		h.finish(o)
	}
}

// end lets nobody in any more, and closes the shop once the last has left.
func (h *Host) end(o *opened) {
	if o.ending {
		return
	}
	o.ending = true
	if o.users == 0 {
		h.finish(o)
	}
}

// finish closes it beside: the lock is held here.
func (h *Host) finish(o *opened) {
	h.ends.Go(func() {
		<-o.ready
		if o.err == nil {
			o.app.Close()
			if err := o.store.Close(); err != nil {
				h.Log.Error("closing", "shop", o.shop.Name, "error", err)
			}
		}
		h.mu.Lock()
		delete(h.open, o.shop.Name)
		h.mu.Unlock()
		close(o.gone)
	})
}

// sweepEvery is how often it is looked which shops are to be closed. Assumption.
const sweepEvery = time.Second

// sweep closes shops that nobody asks for, and those whose settings are others by now.
func (h *Host) sweep(ctx context.Context) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(sweepEvery):
		}
		h.mu.Lock()
		names := make([]Shop, 0, len(h.open))
		for _, o := range h.open {
			long := h.Idle
			if o.users == 0 && isDone(o.ready) && o.err != nil {
				long = openAgain
			}
			if o.users == 0 && time.Since(o.last) > long {
				h.end(o)
			} else if !o.ending {
				names = append(names, o.shop)
			}
		}
		h.mu.Unlock()
		for _, was := range names {
			s, err := h.Keeper.Get(ctx, was.Name)
			if err == nil && s.Version == was.Version && s.Closed == "" || err != nil && !errors.Is(err, ErrUnknown) {
				continue
			}
			h.mu.Lock()
			if o := h.open[was.Name]; o != nil {
				h.end(o)
			}
			h.mu.Unlock()
		}
	}
}

func isDone(c <-chan struct{}) bool {
	select {
	case <-c:
		return true
	default:
		return false
	}
}

// dailyEvery is how often it is looked whose day is over. Assumption.
const dailyEvery = 10 * time.Minute

// daily does what is due once a day for every shop, one after the other, opened for it where it
// is not: a shop that nobody asks for is backed up as well.
func (h *Host) daily(ctx context.Context) {
	done := map[string]time.Time{}
	for {
		all, err := h.Keeper.All(ctx)
		if err != nil && ctx.Err() == nil {
			h.Log.Error("shops", "error", err)
		}
		for _, s := range all {
			if ctx.Err() != nil {
				return
			}
			if s.Closed != "" || time.Since(done[s.Name]) < 24*time.Hour {
				continue
			}
			if err := h.Day(ctx, s); errors.Is(err, errMany) {
				continue // at the next round
			} else if err != nil && ctx.Err() == nil {
				h.Log.Error("what is due once a day; it is tried again tomorrow", "shop", s.Name, "error", err)
			}
			done[s.Name] = time.Now()
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(dailyEvery):
		}
	}
}

// Day does for one shop what is due once a day.
func (h *Host) Day(ctx context.Context, s Shop) error {
	o, err := h.enter(ctx, s)
	if err != nil {
		return err
	}
	defer h.leave(o)
	return o.app.Daily(ctx)
}

// Open is how many shops are open.
func (h *Host) Open() int {
	h.mu.Lock()
	defer h.mu.Unlock()
	return len(h.open)
}

// TLS shows each shop's own certificate to who names it, and counts the connection as that
// shop's. Who names none gets none.
func (h *Host) TLS() *tls.Config {
	return &tls.Config{
		MinVersion: tls.VersionTLS12, CipherSuites: server.Ciphers,
		GetConfigForClient: func(hello *tls.ClientHelloInfo) (*tls.Config, error) {
			s, err := h.Keeper.Reached(hello.Context(), hello.ServerName)
			if err != nil {
				return nil, err
			}
			if !server.For(hello.Conn, s.Name) {
				return nil, fmt.Errorf("%s: as many connections as there may be", s.Name)
			}
			return h.shown(s)
		},
	}
}

// shownFor is how soon a certificate that was put in a shop's folder is seen. Assumption.
const shownFor = time.Minute

// shown is what a shop shows over TLS. It is made once: a session that a client resumes is bound
// to it.
func (h *Host) shown(s Shop) (*tls.Config, error) {
	h.mu.Lock()
	was := h.shows[s.Name]
	h.mu.Unlock()
	if was != nil && was.version == s.Version && time.Since(was.at) < shownFor {
		return was.config, nil
	}
	config, err := h.Keeper.TLS(s)
	if err != nil {
		return nil, err
	}
	config = config.Clone()
	config.CipherSuites = server.Ciphers
	h.mu.Lock()
	defer h.mu.Unlock()
	h.shows[s.Name] = &shows{s.Version, time.Now(), config}
	return config, nil
}

// shows is what a shop shows over TLS, and since when.
type shows struct {
	version string
	at      time.Time
	config  *tls.Config
}
