package server

import (
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"runtime/debug"

	"github.com/labstack/echo/v5"
)

// errPanicked is the error that a panic of a handler becomes.
var errPanicked = errors.New("the handler panicked")

// whole makes sure that an answer is whole or says that it is not: a panic becomes an error, which is
// answered as 500, and an answer that had begun when something went wrong is cut off, so that nobody
// takes the beginning of a file for the file.
func whole(log *slog.Logger) echo.MiddlewareFunc {
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) (err error) {
			first := c.Response() // what a middleware put in its place is not put back by a panic
			defer func() {
				what := recover()
				if what == http.ErrAbortHandler { //nolint:errorlint // as the library compares it
					panic(what)
				}
				if what != nil {
					c.SetResponse(first)
					first.Header().Set("Cache-Control", "no-store")
					err = fmt.Errorf("%w: %v\n%s", errPanicked, what, debug.Stack())
				}
				if err == nil {
					return
				}
				if to, problem := echo.UnwrapResponse(first); problem == nil && to.Committed {
					log.ErrorContext(c.Request().Context(), "answer cut off", "path", unlinked(c.Request().URL.Path), "error", err)
					panic(http.ErrAbortHandler)
				}
			}()
			return next(c)
		}
	}
}
