package desk

import (
	"errors"
	"strings"

	corecall "elvat/core/call"
	"elvat/internal/kept"
)

// A Refusal is a kind of error that who asks is told of, as RFC 9457 says a problem.
type Refusal struct {
	Is     func(error) bool
	Code   string // stable: programs go by it
	Status int    // of HTTP
	Title  string
	Detail func(error) string
}

// Refuse is a refusal by its parts.
func Refuse(is func(error) bool, code string, status int, title string, detail func(error) string) Refusal {
	return Refusal{is, code, status, title, detail}
}

// Being is an error that is the target, or holds it.
func Being(target error) func(error) bool {
	return func(err error) bool { return errors.Is(err, target) }
}

// Of is an error of a type.
func Of[E error](err error) bool {
	_, ok := errors.AsType[E](err)
	return ok
}

// Inner is what the error of that type says, without what it is wrapped in.
func Inner[E error](err error) string {
	e, _ := errors.AsType[E](err)
	return e.Error()
}

// Saying is the same sentence for all of a kind.
func Saying(text string) func(error) string { return func(error) string { return text } }

// Sentence is an error as one.
func Sentence(err error) string {
	text := err.Error()
	return strings.ToUpper(text[:1]) + text[1:] + "."
}

// Refusals are those of a desk; the first that an error is counts.
var Refusals = []Refusal{
	{Being(corecall.ErrUsedElsewhere), "id-used-before", 409, "Used before", Saying(Sentence(corecall.ErrUsedElsewhere))},
	{Being(corecall.ErrNothingLeft), "nothing-to-undo", 409, "Nothing to take back", error.Error},
	{Being(kept.ErrMoved), "changed-meanwhile", 409, "Changed meanwhile", Saying("Others are changing this at the same moment: try again.")},
	{Being(ErrOther), "other-version", 412, "Another version", Saying(Sentence(ErrOther))},
	{
		func(err error) bool { return errors.Is(err, kept.ErrNotFound) || errors.Is(err, corecall.ErrNotFound) }, "not-found", 404, "Not found",
		Saying("There is no such call, stop or reading here. It may have been removed: go back to the day's calls."),
	},
	{Of[corecall.GateShut], "gate-shut", 409, "The gate is shut", error.Error},
	{Of[corecall.NotAllowed], "not-allowed", 403, "Forbidden", error.Error},
	{Of[corecall.BadInput], "cannot-be-right", 422, "Cannot be right", Inner[corecall.BadInput]},
	{Of[BadInput], "cannot-be-right", 422, "Cannot be right", Inner[BadInput]},
}
