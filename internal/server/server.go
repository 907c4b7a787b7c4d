// Package server answers the routes of api/openapi.yaml: it translates between
// the contract, the store and the core, and decides nothing itself.
package server

import (
	"errors"
	"io/fs"
	"log/slog"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"elvat/internal/api"
	"elvat/internal/meterlink"
	"elvat/internal/store"
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
}

// New is the whole application as one handler.
func New(c Config) http.Handler {
	e := echo.NewWithConfig(echo.Config{Logger: c.Log})
	e.HTTPErrorHandler = echo.ProblemDetailsHTTPErrorHandler(false)
	e.Use(
		requestLog(c.Log),
		middleware.Recover(),
		middleware.SecureWithConfig(middleware.SecureConfig{
			XFrameOptions: "DENY", ContentTypeNosniff: "nosniff", ReferrerPolicy: "same-origin",
			// Styles set by scripts are needed for drawing; scripts only from here.
			ContentSecurityPolicy: "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; frame-ancestors 'none'",
		}),
		middleware.BodyLimit(maxBody),
		explain,
	)
	calls := &calls{store: c.Store, shop: c.Shop, meter: c.Meter, now: c.Now, tracer: c.Tracer, engines: newEngines()}
	api.RegisterHandlers(e, api.NewStrictHandler(calls, nil))
	e.GET("/api/*", func(*echo.Context) error { return echo.ErrNotFound })
	e.GET("/*", frontEnd(c.Front))
	return e
}

// requestLog writes one line a request.
func requestLog(log *slog.Logger) echo.MiddlewareFunc {
	return middleware.RequestLoggerWithConfig(middleware.RequestLoggerConfig{
		HandleError: true, LogMethod: true, LogURIPath: true, LogStatus: true, LogLatency: true,
		LogValuesFunc: func(c *echo.Context, v middleware.RequestLoggerValues) error {
			level, args := slog.LevelInfo, []any{"method", v.Method, "path", v.URIPath, "status", v.Status, "took", v.Latency}
			if v.Error != nil && v.Status >= http.StatusInternalServerError {
				level, args = slog.LevelError, append(args, "error", v.Error)
			}
			log.Log(c.Request().Context(), level, "request", args...)
			return nil
		},
	})
}

// explain turns what the store and the core refuse into problem documents.
func explain(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		err := next(c)
		var bad badInput
		var silent meterError
		var shut gateShut
		switch {
		case err == nil:
			return nil
		case errors.Is(err, store.ErrNotFound):
			return &echo.ProblemError{Status: http.StatusNotFound, Title: "Not found", Detail: "There is no such call, stop or reading here. It may have been removed: go back to the day's calls."}
		case errors.As(err, &shut):
			return &echo.ProblemError{Status: http.StatusConflict, Title: "The gate is shut", Detail: shut.Error()}
		case errors.As(err, &bad):
			return &echo.ProblemError{Status: http.StatusUnprocessableEntity, Title: "Cannot be right", Detail: bad.Error()}
		case errors.Is(err, errNoMeter):
			return &echo.ProblemError{Status: http.StatusConflict, Title: "No meter", Detail: err.Error()}
		case errors.As(err, &silent):
			return &echo.ProblemError{Status: http.StatusBadGateway, Title: "The meter", Detail: silent.Error()}
		case errors.Is(err, store.ErrNothingToUndo):
			return &echo.ProblemError{Status: http.StatusConflict, Title: "Nothing to undo", Detail: err.Error()}
		}
		return err
	}
}

// badInput is an error the user can mend.
type badInput struct{ error }

// meterError is what went wrong between here and the instrument.
type meterError struct{ error }

var errNoMeter = errors.New("no meter is on the wire: start Elvat with --meter HOST:PORT, or type the values")

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
		r := c.Request()
		if file, err := fs.Stat(front, r.URL.Path[1:]); err != nil || file.IsDir() {
			r.URL.Path = "/"
			c.Response().Header().Set("Cache-Control", "no-cache")
		} else {
			// Built files carry a hash of their content in their names.
			c.Response().Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		}
		files.ServeHTTP(c.Response(), r)
		return nil
	}
}
