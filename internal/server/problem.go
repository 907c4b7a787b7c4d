package server

import (
	"errors"
	"net/http"

	"github.com/labstack/echo/v5"

	"elvat/internal/desk"
	"elvat/internal/kept"
	"elvat/internal/store"
)

// badInput is an error the user can mend.
type badInput struct{ error }

// meterError is what went wrong between here and the instrument.
type meterError struct{ error }

var errNoMeter = errors.New("no meter is on the wire: start Elvat with --meter HOST:PORT, or type the values")

// problemType begins the type of every problem: a stable code follows.
const problemType = "urn:elvat:problem:"

// refusals are those of the desk and what only a server refuses; the first that an error is counts.
var refusals = append([]desk.Refusal{
	desk.Refuse(desk.Being(errNoVisit), "link-not-in-force", http.StatusNotFound, "Not in force", error.Error),
	desk.Refuse(desk.Being(store.ErrFull), "disk-full", http.StatusInsufficientStorage, "Disk full", desk.Saying(desk.Sentence(store.ErrFull))),
	desk.Refuse(
		desk.Being(store.ErrDamaged), "database-damaged", http.StatusInternalServerError, "Database damaged",
		desk.Saying(desk.Sentence(store.ErrDamaged)),
	),
	desk.Refuse(desk.Of[badInput], "cannot-be-right", http.StatusUnprocessableEntity, "Cannot be right", desk.Inner[badInput]),
	desk.Refuse(desk.Of[stale], "passphrase-again", http.StatusForbidden, "Your passphrase once more", desk.Inner[stale]),
	desk.Refuse(desk.Being(errNoMeter), "no-meter", http.StatusConflict, "No meter", error.Error),
	desk.Refuse(desk.Of[meterError], "meter-silent", http.StatusBadGateway, "The meter", desk.Inner[meterError]),
}, desk.Refusals...)

// explain turns what the store and the core refuse into problem documents.
func explain(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		err := next(c)
		if err == nil {
			return nil
		}
		if p := problem(err); p != nil {
			return p
		}
		if kept.Lost(err) { // no refusal: the same is worth another try, here or at another machine
			c.Response().Header().Set("Retry-After", "1")
			says := kept.ErrNobody
			if errors.Is(err, kept.ErrUnsure) {
				says = kept.ErrUnsure
			}
			return &echo.ProblemError{
				Type: problemType + "ask-again", Status: http.StatusServiceUnavailable, Title: "Ask again", Detail: says.Error(),
			}
		}
		return store.Cause(err)
	}
}

// problem is what who asks is told of an error; nil where it is none of theirs.
func problem(err error) *echo.ProblemError {
	err = store.Cause(err)
	if no, ok := errors.AsType[refused](err); ok {
		return &echo.ProblemError{
			Type:   problemType + no.code(),
			Status: no.status,
			Title:  http.StatusText(no.status),
			Detail: no.Error(),
		}
	}
	for _, r := range refusals {
		if r.Is(err) {
			return &echo.ProblemError{Type: problemType + r.Code, Status: r.Status, Title: r.Title, Detail: r.Detail(err)}
		}
	}
	return nil
}
