package server

import (
	"bytes"
	"errors"
	"io"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"elvat/core/units"
)

// inUnits has every answer say its quantities in the shop's units: sentences are made
// in US units and turned here, once, for all.
func (s *calls) inUnits(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if !strings.HasPrefix(c.Request().URL.Path, base+"/") {
			return next(c)
		}
		say := func(text string) string {
			if !strings.Contains(text, units.Join) {
				return text
			}
			shop, err := s.House(c.Request().Context())
			if err != nil {
				return text
			}
			return shop.Units.Say(text)
		}
		to := c.Response()
		held := &saidIn{ResponseWriter: to}
		err := func() error {
			c.SetResponse(echo.NewResponse(held, c.Echo().Logger))
			defer c.SetResponse(to) // also where next panics: the error is answered on the response itself
			return next(c)
		}()
		if held.holds && err == nil {
			to.WriteHeader(held.status)
			io.WriteString(to, say(held.body.String())) //nolint:errcheck // nobody is left to tell
		}
		if p, ok := errors.AsType[*echo.ProblemError](err); ok {
			p.Detail = say(p.Detail)
		}
		return err
	}
}

// saidIn holds an answer back while it is JSON; all else passes.
type saidIn struct {
	http.ResponseWriter
	holds, begun bool
	status       int
	body         bytes.Buffer
}

func (w *saidIn) WriteHeader(status int) {
	if w.begun {
		return
	}
	w.begun, w.status = true, status
	if strings.Contains(w.Header().Get("Content-Type"), "json") && w.Header().Get("Content-Length") == "" {
		w.holds = true
		return
	}
	w.ResponseWriter.WriteHeader(status)
}

func (w *saidIn) Write(p []byte) (int, error) {
	w.WriteHeader(http.StatusOK)
	if w.holds {
		return w.body.Write(p)
	}
	return w.ResponseWriter.Write(p)
}

// Unwrap lets what streams reach the writer beneath.
func (w *saidIn) Unwrap() http.ResponseWriter { return w.ResponseWriter }
