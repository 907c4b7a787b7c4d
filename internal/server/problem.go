package server

import (
	"errors"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	corecall "elvat/core/call"
	"elvat/internal/store"
)

// badInput is an error the user can mend.
type badInput struct{ error }

// meterError is what went wrong between here and the instrument.
type meterError struct{ error }

var errNoMeter = errors.New("no meter is on the wire: start Elvat with --meter HOST:PORT, or type the values")

// problemType begins the type of every problem: a stable code follows.
const problemType = "urn:elvat:problem:"

// A refusal is a kind of error that who asks is told of.
type refusal struct {
	is     func(error) bool
	code   string // stable: programs go by it
	status int
	title  string
	detail func(error) string
}

func being(target error) func(error) bool {
	return func(err error) bool { return errors.Is(err, target) }
}

func of[E error](err error) bool {
	_, ok := errors.AsType[E](err)
	return ok
}

func saying(text string) func(error) string { return func(error) string { return text } }

// refusals are all of them; the first that an error is counts.
var refusals = []refusal{
	{being(errNoVisit), "link-not-in-force", http.StatusNotFound, "Not in force", error.Error},
	{being(store.ErrFull), "disk-full", http.StatusInsufficientStorage, "Disk full", saying(capital(store.ErrFull))},
	{being(store.ErrDamaged), "database-damaged", http.StatusInternalServerError, "Database damaged", saying(capital(store.ErrDamaged))},
	{being(corecall.ErrUsedElsewhere), "id-used-before", http.StatusConflict, "Used before", saying(capital(corecall.ErrUsedElsewhere))},
	{being(corecall.ErrNothingLeft), "nothing-to-undo", http.StatusConflict, "Nothing to take back", error.Error},
	{being(store.ErrMoved), "changed-meanwhile", http.StatusConflict, "Changed meanwhile", saying("Others are changing this at the same moment: try again.")},
	{being(errOther), "other-version", http.StatusPreconditionFailed, "Another version", saying(capital(errOther))},
	{
		func(err error) bool { return errors.Is(err, store.ErrNotFound) || errors.Is(err, corecall.ErrNotFound) }, "not-found", http.StatusNotFound, "Not found",
		saying("There is no such call, stop or reading here. It may have been removed: go back to the day's calls."),
	},
	{of[corecall.GateShut], "gate-shut", http.StatusConflict, "The gate is shut", error.Error},
	{of[corecall.NotAllowed], "not-allowed", http.StatusForbidden, http.StatusText(http.StatusForbidden), error.Error},
	{of[corecall.BadInput], "cannot-be-right", http.StatusUnprocessableEntity, "Cannot be right", inner[corecall.BadInput]},
	{of[badInput], "cannot-be-right", http.StatusUnprocessableEntity, "Cannot be right", inner[badInput]},
	{being(errNoMeter), "no-meter", http.StatusConflict, "No meter", error.Error},
	{of[meterError], "meter-silent", http.StatusBadGateway, "The meter", inner[meterError]},
}

// inner is what the error of that kind says, without what it is wrapped in.
func inner[E error](err error) string {
	e, _ := errors.AsType[E](err)
	return e.Error()
}

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
		if r.is(err) {
			return &echo.ProblemError{Type: problemType + r.code, Status: r.status, Title: r.title, Detail: r.detail(err)}
		}
	}
	return nil
}

// capital is an error as a sentence.
func capital(err error) string {
	text := err.Error()
	return strings.ToUpper(text[:1]) + text[1:] + "."
}
