package server

import (
	"bytes"
	"context"
	"crypto/subtle"
	"errors"
	"fmt"
	"io"
	"mime"
	"net"
	"net/http"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/labstack/echo/v5"
	"golang.org/x/time/rate"

	contract "elvat/api"
	"elvat/core/job"
	"elvat/core/strict"
)

// Bounds of what comes in before anything of it is believed. Assumption.
const (
	mostFromStrangers = 8 << 10 // of a body that no person of the shop sends, but a picture
	mostPictureSent   = 2 << 20 // of a customer's picture; browsers send some 600 KB
	smallBody         = 64 << 10
	bodiesAtOnce      = 8 // larger than that, of the shop's people
	picturesAtOnce    = 2 // of customers
	bodyWaits         = 10 * time.Second
	bodyTakes         = 20 * time.Second
	// Of one link, and of one address over all links: a page with its pictures at once, then
	// two requests a second.
	linkBurst, linkEvery = 120, time.Second / 2
	// Of a customer's pictures, taken or not: to look at one takes time.
	pictureBurst, pictureEvery = 20, 10 * time.Second
)

// A Proxy stands before the server and speaks for who asks.
type Proxy struct {
	From   []netip.Prefix // where it asks from
	Secret string         // what it says in Elvat-Proxy-Secret; "" where the address is enough
}

// proxySecret is the header in which the proxy proves that it is one.
const proxySecret = "Elvat-Proxy-Secret"

// is reports whether the request comes from the proxy.
func (p *Proxy) is(r *http.Request) bool {
	if p == nil {
		return false
	}
	at, err := netip.ParseAddrPort(r.RemoteAddr)
	if err != nil {
		return false
	}
	listed := len(p.From) == 0 || p.lists(at.Addr())
	return listed && (p.Secret == "" || subtle.ConstantTimeCompare([]byte(r.Header.Get(proxySecret)), []byte(p.Secret)) == 1)
}

// lists reports whether the address is one that the proxy asks from.
func (p *Proxy) lists(a netip.Addr) bool {
	return slices.ContainsFunc(p.From, func(from netip.Prefix) bool { return from.Contains(a.Unmap()) })
}

// forwarded reports whether something between says that it passes the request on.
func forwarded(h http.Header) bool {
	for name := range h {
		if name == "Forwarded" || name == "Via" || strings.HasPrefix(name, "X-Forwarded-") || name == "X-Real-Ip" {
			return true
		}
	}
	return false
}

// A door is what every request passes before the application.
type door struct {
	signIn   bool
	proxy    *Proxy
	now      func() time.Time
	routes   map[string]contract.Operation // by method and route
	byLink   *limits
	byPlace  *limits
	shown    *limits       // customers' pictures, by link
	people   chan struct{} // slots for large bodies
	visitors chan struct{} // and for customers' pictures
	// addresses are those of the shop, whose pages may ask here.
	addresses []string
	work      chan struct{} // for what is worked on; nil: no bound
}

func newDoor(c Config, now func() time.Time, routes map[string]contract.Operation) *door {
	var work chan struct{}
	if c.AtWork > 0 {
		work = make(chan struct{}, c.AtWork)
	}
	return &door{
		work: work, addresses: c.Addresses,
		signIn: c.SignIn, proxy: c.Proxy, now: now, routes: routes,
		byLink: newLimits(linkEvery, linkBurst), byPlace: newLimits(linkEvery, 2*linkBurst),
		shown:  newLimits(pictureEvery, pictureBurst),
		people: make(chan struct{}, bodiesAtOnce), visitors: make(chan struct{}, picturesAtOnce),
	}
}

var (
	errForwarded = refused{
		http.StatusForbidden,
		errors.New("this came through a proxy that Elvat was not told of: start it with --behind-proxy, see docs/operations.md"),
	}
	errNotForwarded = refused{http.StatusForbidden, errors.New("this did not come through the proxy that Elvat stands behind")}
	errOtherName    = refused{
		http.StatusMisdirectedRequest,
		errors.New("this machine is reached as localhost only while nobody has to sign in"),
	}
	errOtherSite = refused{http.StatusForbidden, errors.New("a page of another site asked for this, and was refused")}
	errBusy      = refused{http.StatusServiceUnavailable, errors.New("too much is being sent at once: try again in a moment")}
	errSlower    = refused{http.StatusTooManyRequests, errors.New("too much was asked for in too short a time: wait a minute")}
)

// open refuses what comes from where nobody should ask: through a proxy nobody named, by
// another name while nobody signs in, or for a page of another site.
func (d *door) open(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		switch {
		case d.proxy == nil && !d.signIn && forwarded(r.Header):
			return errForwarded
		case d.proxy != nil && !d.proxy.is(r):
			return errNotForwarded
		case !d.signIn && !ofThisMachine(r.Host):
			return errOtherName
		}
		site, ours := r.Header.Get("Sec-Fetch-Site"), slices.Contains(d.addresses, r.Header.Get("Origin"))
		if strings.HasPrefix(r.URL.Path, "/api/") && (site == "cross-site" || site == "same-site" && !ours) {
			return errOtherSite
		}
		return next(c)
	}
}

// ofThisMachine reports whether the name is the machine's own: one that a stranger points
// here would open everything to their pages.
func ofThisMachine(host string) bool {
	if name, _, err := net.SplitHostPort(host); err == nil {
		host = name
	}
	ip := net.ParseIP(strings.Trim(host, "[]"))
	return host == "localhost" || ip != nil && ip.IsLoopback()
}

// from is the address that the request comes from; invalid where it has none.
func (d *door) from(r *http.Request) netip.Addr {
	at := r.RemoteAddr
	if d.proxy.is(r) {
		// The last is what the proxy itself saw; what stands before, anybody may have written.
		all := strings.Split(strings.Join(r.Header.Values("X-Forwarded-For"), ","), ",")
		at = strings.TrimSpace(all[len(all)-1])
	}
	if addr, err := netip.ParseAddrPort(at); err == nil {
		return addr.Addr().Unmap()
	}
	addr, err := netip.ParseAddr(at)
	if err != nil {
		return netip.Addr{}
	}
	return addr.Unmap()
}

// place is where the request comes from, as far as one party has it to itself.
func (d *door) place(r *http.Request) string { return network(d.from(r)) }

// network is an address, or the 64 bits of an IPv6 network.
func network(a netip.Addr) string {
	a = a.WithZone("")
	if a.Is6() {
		p, err := a.Prefix(64)
		if err == nil {
			return p.String()
		}
	}
	return a.String()
}

// take bounds what a request may ask and carry, once it is known who asks.
func (d *door) take(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		op, ok := d.routes[c.Request().Method+" "+c.Path()]
		if !ok {
			return next(c)
		}
		picture := op.Access == job.Anybody && strings.Contains(op.Path, "/pictures")
		if err := d.often(c, picture && op.Method == http.MethodPost); err != nil {
			return err
		}
		most, slots := int64(maxBody), d.people
		switch {
		case picture:
			most, slots = mostPictureSent, d.visitors
		case op.Access == job.Anybody:
			most = mostFromStrangers
		}
		leave, err := d.body(c, op.Takes, most, slots)
		if err != nil {
			return err
		}
		defer leave()
		if d.work != nil {
			leave, err := enter(c.Request().Context(), d.work)
			if err != nil {
				return err
			}
			defer leave()
		}
		return next(c)
	}
}

// often refuses who uses a customer's link too often, or shows too many pictures by it.
func (d *door) often(c *echo.Context, shows bool) error {
	token := c.Param("token")
	if token == "" {
		return nil
	}
	if !d.byLink.allow(token, d.now()) || !d.byPlace.allow(d.place(c.Request()), d.now()) || shows && !d.shown.allow(token, d.now()) {
		return errSlower
	}
	return nil
}

// body bounds the body of a request: of which kind it is, how long, how many large ones are
// taken in at once, and how long its texts are.
func (d *door) body(c *echo.Context, takes []string, most int64, slots chan struct{}) (leave func(), err error) {
	r, leave := c.Request(), func() {}
	if r.ContentLength > most {
		return nil, echo.ErrStatusRequestEntityTooLarge
	}
	media, _, err := mime.ParseMediaType(r.Header.Get("Content-Type"))
	if len(takes) > 0 && r.ContentLength != 0 && (err != nil || !slices.Contains(takes, media)) {
		return nil, echo.ErrUnsupportedMediaType
	}
	r.Body = http.MaxBytesReader(nil, r.Body, most)
	if r.ContentLength > smallBody || r.ContentLength < 0 {
		if leave, err = enter(r.Context(), slots); err != nil {
			return nil, err
		}
		// Who holds a slot sends at once, or lets go of it. Not every server can be told.
		_ = http.NewResponseController(c.Response()).SetReadDeadline(time.Now().Add(bodyTakes))
	}
	if media != "application/json" {
		return leave, nil
	}
	data, err := wholly(r.Body)
	if err == nil {
		if long := strict.Bounded(data); long != nil {
			err = badInput{long}
		}
	}
	if err != nil {
		leave()
		return nil, err
	}
	r.Body = io.NopCloser(bytes.NewReader(data))
	return leave, nil
}

// wholly is all of a body. It grows by what comes and not by doubling: a body that is said to be
// large may be empty, and many come at once.
func wholly(body io.Reader) ([]byte, error) {
	var pieces [][]byte
	for {
		piece := make([]byte, smallBody)
		read, err := io.ReadFull(body, piece)
		pieces = append(pieces, piece[:read])
		switch {
		case errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF):
			if len(pieces) == 1 {
				return pieces[0], nil
			}
			return slices.Concat(pieces...), nil
		case err != nil:
			return nil, unread(err)
		}
	}
}

// unread is why a body was not taken in whole.
func unread(err error) error {
	if _, ok := errors.AsType[*http.MaxBytesError](err); ok {
		return echo.ErrStatusRequestEntityTooLarge
	}
	return badInput{fmt.Errorf("the request did not arrive whole: %w", err)}
}

// enter waits for one of the slots; leave gives it back.
func enter(ctx context.Context, slots chan struct{}) (leave func(), err error) {
	wait := time.NewTimer(bodyWaits)
	defer wait.Stop()
	select {
	case slots <- struct{}{}:
		return func() { <-slots }, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	case <-wait.C:
		return nil, errBusy
	}
}

// limits are rates by name. It forgets those that were not used of late: there are never
// more than twice as many as it holds.
type limits struct {
	every time.Duration
	burst int

	mu       sync.Mutex
	now, was map[string]*rate.Limiter
}

func newLimits(every time.Duration, burst int) *limits {
	return &limits{every: every, burst: burst, now: map[string]*rate.Limiter{}}
}

// mostNamed is how many names limits hold before the older are forgotten. Assumption.
const mostNamed = 4096

// allow counts one more of the name.
func (l *limits) allow(name string, at time.Time) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	one := l.now[name]
	if one == nil {
		if one = l.was[name]; one == nil {
			one = rate.NewLimiter(rate.Every(l.every), l.burst)
		}
		if len(l.now) >= mostNamed {
			l.was, l.now = l.now, map[string]*rate.Limiter{}
		}
		l.now[name] = one
	}
	return one.AllowN(at, 1)
}

// patient cuts off who takes nothing of an answer for a while: each piece has its own time.
func patient(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		w := c.Response()
		c.SetResponse(&patientWriter{w, http.NewResponseController(w)})
		return next(c)
	}
}

// pieceTakes is how long one piece of an answer may take; tests do not wait so long. Assumption.
var pieceTakes = 30 * time.Second

type patientWriter struct {
	http.ResponseWriter
	to *http.ResponseController
}

func (w *patientWriter) Write(piece []byte) (int, error) {
	_ = w.to.SetWriteDeadline(time.Now().Add(pieceTakes)) // a recorder has none
	return w.ResponseWriter.Write(piece)
}

// Unwrap is what the library looks for.
func (w *patientWriter) Unwrap() http.ResponseWriter { return w.ResponseWriter }
