// Package server answers the routes of api/openapi.yaml: it translates between
// the contract, the store and the core, and decides nothing itself.
package server

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"mime"
	"net/http"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	contract "elvat/api"
	"elvat/internal/api"
	"elvat/internal/desk"
	"elvat/internal/meterlink"
	"elvat/internal/store"
	"elvat/internal/trust"
)

// maxBody bounds what one request may carry: a circuit file of the largest
// run there can be is far below it.
const maxBody = 4 << 20

// Config is what a server is made of.
type Config struct {
	Store *store.Store
	Shop  string           // whose calls these are
	Meter *meterlink.Meter // the instrument on the wire; nil where there is none
	Log   *slog.Logger
	Front fs.FS            // the built front end, index.html at its top
	Now   func() time.Time // the clock
	// Tracer says that a simulated transmitter and receiver are at hand.
	Tracer bool
	// Trust is the page that makes a phone trust the shop's own authority; nil where it has none.
	Trust http.Handler
	// SignIn says that everybody has to: the server is reached from elsewhere.
	SignIn bool
	// Proxy stands before this server and ends TLS; nil where none does.
	Proxy   *Proxy
	Backups Backups // Every zero: none are made by themselves
	// Addresses are all that the shop is reached by, such as https://north.example: a browser that
	// one does not answer goes on at another. Empty where there is but one.
	Addresses []string
	// AtWork is how many requests are worked on at once, so that one shop of many leaves the
	// processors to the others; 0: no bound.
	AtWork int
	// Prepared bounds what several shops keep prepared for their next question; nil: each by itself.
	Prepared *desk.Pool
}

// around is what a test puts around every operation of the contract.
var around []api.StrictMiddlewareFunc

// A Server is the whole application as one handler, with what it does beside
// the requests.
type Server struct {
	http.Handler
	calls   *calls
	backups Backups
	stop    context.CancelFunc
	done    sync.WaitGroup
}

// Daily does what is due once a day, for who has no time of their own: the backup, where the
// newest is old enough and something was written since, and what is kept too long is erased.
func (s *Server) Daily(ctx context.Context) error {
	_, swept := s.calls.store.SweepPictures(ctx, s.calls.now())
	return errors.Join(s.calls.eraseOld(ctx), swept, s.backups.makeDue(ctx, s.calls.store, s.calls.now()))
}

// Close ends what is done beside the requests, and waits for it.
func (s *Server) Close() {
	s.stop()
	s.calls.freshener.close()
	s.calls.Desk.Close()
	s.done.Wait()
}

// New makes the application. It is to be closed before its store is.
func New(c Config) (*Server, error) {
	// As it is kept: in milliseconds.
	now := func() time.Time { return c.Now().UTC().Truncate(time.Millisecond) }
	operations, err := contract.Operations()
	if err != nil {
		return nil, err
	}
	routes := map[string]contract.Operation{}
	for _, o := range operations {
		routes[o.Method+" "+o.Route()] = o
	}
	door := newDoor(c, now, routes)
	access, err := newAccess(c.Store, now, c.SignIn, door)
	if err != nil {
		return nil, err
	}
	access.addresses = c.Addresses
	e := echo.NewWithConfig(echo.Config{Logger: c.Log})
	e.HTTPErrorHandler = echo.ProblemDetailsHTTPErrorHandler(false)
	// A page of another site may not have a browser change anything here, signed
	// in or not.
	foreign := http.NewCrossOriginProtection()
	foreign.SetDenyHandler(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/problem+json")
		w.WriteHeader(http.StatusForbidden)
		io.WriteString(
			w,
			`{"type":"about:blank","title":"Another site","status":403,"detail":"This came from a page of another site, and was refused."}`,
		) //nolint:errcheck // nobody is left to tell
	}))
	ours := ""
	for _, address := range c.Addresses {
		if err := foreign.AddTrustedOrigin(address); err != nil {
			return nil, fmt.Errorf("address %s: %w", address, err)
		}
		ours += " " + address
	}
	secure := middleware.SecureConfig{
		XFrameOptions: "DENY", ContentTypeNosniff: "nosniff", ReferrerPolicy: "no-referrer",
		// Styles set by scripts are needed for drawing; scripts only from here.
		ContentSecurityPolicy: "default-src 'self'; script-src 'self' 'wasm-unsafe-eval'; connect-src 'self'" + ours + "; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'",
	}
	if c.SignIn {
		// For this name alone: what else lies under it is not ours to bind.
		secure.HSTSMaxAge, secure.HSTSExcludeSubdomains = 365*24*3600, true
	}
	e.Use(
		requestLog(c.Log, door),
		patient,
		whole(c.Log),
		middleware.SecureWithConfig(secure),
		headers,
		amongAddresses(c.Addresses),
		echo.WrapMiddleware(foreign.Handler),
		middleware.BodyLimit(maxBody),
		explain,
		door.open,
		access.check,
		door.take,
		access.noted,
	)
	calls := newCalls(c, now, access)
	e.Use(calls.inUnits)
	api.RegisterHandlers(e, api.NewStrictHandler(calls, around))
	e.GET(base+"/*", func(*echo.Context) error { return echo.ErrNotFound })
	// A page that was open when the program was replaced asks where it used to.
	e.Any("/api/*", func(c *echo.Context) error {
		u := *c.Request().URL
		u.Path = base + strings.TrimPrefix(u.Path, "/api")
		return c.Redirect(http.StatusPermanentRedirect, u.RequestURI())
	})
	if c.Trust == nil {
		c.Trust = http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
			http.Error(w, "This shop has no authority of its own that a phone could trust: elvat tls make makes one, see docs/operations.md.", http.StatusNotFound)
		})
	}
	e.GET(trust.Path, echo.WrapHandler(c.Trust))
	e.GET(trust.Path+"/*", echo.WrapHandler(c.Trust))
	e.GET("/*", frontEnd(c.Front))
	ctx, stop := context.WithCancel(context.Background())
	s := &Server{Handler: e, calls: calls, backups: c.Backups, stop: stop}
	calls.freshener.run(calls, c.Log)
	calls.freshener.ask()
	// What phones brought before the machine went down is carried out now.
	if err := calls.intake.Resume(ctx); err != nil {
		c.Log.Error("what phones brought waits for their next visit", "error", err)
	}
	if c.Backups.Every > 0 && !c.Backups.Asked {
		s.done.Go(func() { calls.keepNoLonger(ctx, c.Log) })
		s.done.Go(func() { c.Backups.keepMaking(ctx, c.Store, c.Log, c.Now) })
	}
	return s, nil
}

// amongAddresses lets a page of one address of the shop ask at another: with the cookies that the
// browser has for that, and for no other page.
func amongAddresses(addresses []string) echo.MiddlewareFunc {
	if len(addresses) == 0 {
		return func(next echo.HandlerFunc) echo.HandlerFunc { return next }
	}
	return middleware.CORSWithConfig(middleware.CORSConfig{
		AllowOrigins: addresses, AllowCredentials: true, MaxAge: 3600,
		AllowMethods:  []string{http.MethodGet, http.MethodPost, http.MethodPut, http.MethodPatch, http.MethodDelete},
		AllowHeaders:  []string{"Content-Type", "Elvat-Device", "Elvat-Person", "Elvat-Sent-At", "Elvat-Made-At", "Idempotency-Key", "If-Match"},
		ExposeHeaders: []string{"ETag", "Location", "Content-Disposition", "Retry-After"},
	})
}

// headers are those that no setting of the library has.
func headers(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		h := c.Response().Header()
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		h.Set("Cross-Origin-Resource-Policy", "same-origin")
		h.Set("Permissions-Policy", "geolocation=(), microphone=(), camera=(self)")
		return next(c)
	}
}

// requestLog writes one line a request: what was asked, by whom and from where.
func requestLog(log *slog.Logger, d *door) echo.MiddlewareFunc {
	return middleware.RequestLoggerWithConfig(middleware.RequestLoggerConfig{
		HandleError: true, LogMethod: true, LogURIPath: true, LogStatus: true, LogLatency: true,
		LogValuesFunc: func(c *echo.Context, v middleware.RequestLoggerValues) error {
			level, args := slog.LevelInfo, []any{
				"method", v.Method, "path", unlinked(v.URIPath), "status", v.Status, "took", v.Latency, "from", d.from(c.Request()).String(),
			}
			if who, ok := c.Get(askingKey).(*asking); ok && who.person != "" {
				args = append(args, "person", who.person)
			}
			if v.Error != nil && v.Status >= http.StatusInternalServerError {
				level, args = slog.LevelError, append(args, "error", v.Error)
			}
			log.Log(c.Request().Context(), level, "request", args...)
			return nil
		},
	})
}

// linked are the parts of a path after which the token of a link or a label stands.
var linked = []string{"visit", "visits", "result", "results", "guards", "gfci"}

// longest is how long a part of a path may be that is no token. Assumption.
const longestPlain = 24

// unlinked is a path without the tokens of links, wherever in it one stands: who reads the
// log may not use it.
func unlinked(path string) string {
	parts := strings.FieldsFunc(path, func(r rune) bool { return r == '/' || r == '\\' })
	for i, part := range parts {
		before := ""
		if i > 0 {
			before = strings.ToLower(parts[i-1])
		}
		if slices.Contains(linked, before) || len(part) > longestPlain && !strings.Contains(part, ".") {
			parts[i] = "…"
		}
	}
	return "/" + strings.Join(parts, "/")
}

// frontEnd serves the built front end; any other path is the application's own
// and gets its page.
func frontEnd(front fs.FS) echo.HandlerFunc {
	files := http.FileServerFS(front)
	_, missing := fs.Stat(front, "index.html")
	return func(c *echo.Context) error {
		if missing != nil {
			return &echo.ProblemError{
				Status: http.StatusServiceUnavailable, Title: "No front end",
				Detail: "This binary was built without its front end. Run make build, and start it again.",
			}
		}
		r, h := c.Request(), c.Response().Header()
		path := r.URL.Path[1:]
		// Built files carry a hash of their content in their names; what has none is asked for anew.
		hashed := strings.HasPrefix(path, "assets/")
		if hashed {
			h.Set("Cache-Control", "public, max-age=31536000, immutable")
		} else {
			h.Set("Cache-Control", "no-cache")
		}
		switch file, err := fs.Stat(front, path); {
		case err != nil && hashed:
			h.Set("Cache-Control", "no-store")
			return echo.ErrNotFound // the page of another version asks: it is not the application
		case err != nil || file.IsDir():
			r.URL.Path = "/"
		case path == "index.html":
			r.URL.Path = "/" // the library would lead away from its name
		}
		if _, err := fs.Stat(front, path+".br"); err == nil && strings.Contains(r.Header.Get("Accept-Encoding"), "br") {
			h.Set("Content-Type", mime.TypeByExtension(filepath.Ext(path)))
			h.Set("Content-Encoding", "br")
			h.Add("Vary", "Accept-Encoding")
			r.URL.Path += ".br"
		}
		files.ServeHTTP(c.Response(), r)
		return nil
	}
}
