// Package desk shows a call and has things done on it, on the server and on a phone without a
// signal alike: the same commands, the same answers. What it works on is kept by a Book.
package desk

import (
	"context"
	"errors"
	"fmt"
	"time"

	corecall "elvat/core/call"
	"elvat/core/circuit"
	"elvat/core/forecast"
	"elvat/core/job"
	"elvat/core/visit"
	"elvat/internal/api"
	"elvat/internal/kept"
)

// A Book keeps calls and what is known beside them.
type Book interface {
	// Load reads a call with its record; LoadPast no more of it than the history of its run
	// is told from.
	Load(ctx context.Context, call int64) (*kept.Snapshot, error)
	LoadPast(ctx context.Context, call int64) (*kept.Snapshot, error)
	// Keep writes down what came of a command; kept.ErrMoved where the record is another by now.
	Keep(ctx context.Context, at *kept.Snapshot, next *corecall.Record, a *corecall.Action, image []byte) (*kept.Snapshot, error)
	// UsedElsewhere reports a command's id that was used on another call.
	UsedElsewhere(ctx context.Context, command string, call int64) error
	// CallsOfRun are the newest calls about a run, before the given one where that is not 0.
	CallsOfRun(ctx context.Context, run, before int64, most int) ([]int64, error)
	// Setting is what the shop set under the name; nil where it set nothing.
	Setting(ctx context.Context, name string) ([]byte, error)
	Set(ctx context.Context, name string, value []byte) error
	Stock(ctx context.Context) ([]kept.Have, error)
	Used(ctx context.Context, call int64) ([]kept.Have, error)
	// Answer is what was worked out before; kept.ErrNotFound where nothing is.
	Answer(ctx context.Context, call int64) (kept.Answer, error)
	VisitOf(ctx context.Context, call int64, kind kept.LinkKind, now time.Time) (kept.Visit, error)
	GFCIsOfSite(ctx context.Context, site int64) ([]kept.DueGFCI, error)
	// DrillsOf are the newest drills of a person, the newest first; SetDrillResult keeps what came of one.
	DrillsOf(ctx context.Context, person string, most int) ([]kept.Drill, error)
	SetDrillResult(ctx context.Context, id int64, result []byte) error
	// Snapshot runs do's reads on what is kept at one moment.
	Snapshot(ctx context.Context, do func(context.Context) error) error
}

// A Desk is where calls are worked on.
type Desk struct {
	Book   Book
	Shop   string // whose calls these are; may be empty
	Meter  bool   // an instrument is on the wire
	Tracer bool   // a transmitter and receiver are simulated
	Now    func() time.Time
	// Changed is told that a call was; may be nil.
	Changed func()
	// Code names a GFCI on its label; nil where labels have none.
	Code func(ctx context.Context, run int64, device string) (string, error)
	// Apart: this desk is one of several that work apart; what is added here has names that
	// nobody else makes.
	Apart bool
	// NewID names a command that came without a name.
	NewID func() string

	engines *engines
}

// New makes a desk on a book.
func New(b Book, now func() time.Time) *Desk { return &Desk{Book: b, Now: now, engines: newEngines()} }

// Share has what is kept prepared be bounded together with other desks; before anything is asked.
func (d *Desk) Share(p *Pool) { d.engines.pool = p }

// WhenIdle has what is worked out ahead done by do, when there is time, instead of beside the
// requests.
func (d *Desk) WhenIdle(do func(func())) { d.engines.idle = do }

// Close waits for what is worked out ahead.
func (d *Desk) Close() { d.engines.close() }

func (d *Desk) changed() {
	if d.Changed != nil {
		d.Changed()
	}
}

// A BadInput is an error that who asks can mend.
type BadInput struct{ Err error }

func (b BadInput) Error() string { return b.Err.Error() }

// Unwrap is what is wrong.
func (b BadInput) Unwrap() error { return b.Err }

func bad(err error) error { return BadInput{err} }

// A Caller is who a request comes from.
type Caller struct {
	Device string // which browser, as it names itself; "" where it does not
	Seen   int64  // version of the call that was on its screen; 0: not said
	Strict bool   // and nothing is to be done on another
	Person string // signed in; "" where nobody has to
	// Command is the id of what is asked for, made by the browser; "" where it
	// names none. Made is when it was done there, by this machine's clock.
	Command string
	Made    time.Time
	Role    job.Role
	Program bool                               // by a token that a person gave it
	Decider string                             // who took it on, where it waited for a decision
	Sent    func(time.Time) (time.Time, error) // a time of the device's clock, by this machine's
}

// ActsAs is the role in which what is asked for is done: a program passes no gate, whoever gave it
// its token, for that is a person's to take on.
func (c Caller) ActsAs() job.Role {
	if c.Program {
		return c.Role.With(job.Helper)
	}
	return c.Role
}

type commandKey struct{}

// CommandOf is what Keep writes down.
func CommandOf(ctx context.Context) (corecall.Command, bool) {
	c, ok := ctx.Value(commandKey{}).(corecall.Command)
	return c, ok
}

type callerKey struct{}

// In is the context of what the caller asks.
func (c Caller) In(ctx context.Context) context.Context {
	return context.WithValue(ctx, callerKey{}, c)
}

// CallerOf is who asks.
func CallerOf(ctx context.Context) Caller {
	c, _ := ctx.Value(callerKey{}).(Caller)
	return c
}

// Command is what is asked for, as the core has it.
func (d *Desk) Command(ctx context.Context, do corecall.Doing) corecall.Command {
	by := CallerOf(ctx)
	return corecall.Command{
		ID:     by.Command,
		At:     d.At(ctx),
		Seen:   by.Seen,
		Device: by.Device,
		Person: by.Person,
		Role:   by.ActsAs(), Program: by.Program, Decider: by.Decider,
		Do: do,
	}
}

// At is when what is asked for was done: offline that may be long before it arrives.
func (d *Desk) At(ctx context.Context) time.Time {
	if made := CallerOf(ctx).Made; !made.IsZero() {
		return made
	}
	return d.Now()
}

// mostTries bounds how often a command is worked out anew because another came
// between. Assumption.
const mostTries = 20

// Where a machine of several is lost in the middle, a command is tried again for so long, that
// often: another takes over meanwhile. Assumption.
const (
	tryFor   = 2 * time.Second
	tryAgain = 100 * time.Millisecond
)

// ErrOther means that who asks wanted another version than there is.
var ErrOther = errors.New("the call has changed since that version: get it again")

// Do carries a command out on a call: it is worked out on the record as it is, beside
// the database, and written down if that is still so; else worked out anew.
func (d *Desk) Do(ctx context.Context, id int64, c corecall.Command, image []byte) (*kept.Snapshot, error) {
	if c.ID == "" {
		c.ID = d.NewID()
	}
	end := time.Now().Add(tryFor)
	for tries := 0; tries < mostTries; {
		after, err := d.once(ctx, id, &c, image)
		switch {
		case errors.Is(err, kept.ErrMoved):
			tries++
		case kept.Lost(err) && time.Now().Before(end):
			select {
			case <-ctx.Done():
				return nil, err
			case <-time.After(tryAgain):
			}
		default:
			return after, err
		}
	}
	return nil, kept.ErrMoved
}

// once is one try of Do; kept.ErrMoved where another came between.
func (d *Desk) once(ctx context.Context, id int64, c *corecall.Command, image []byte) (*kept.Snapshot, error) {
	at, err := d.Book.Load(ctx, id)
	if err != nil {
		return nil, err
	}
	if by := CallerOf(ctx); by.Strict && by.Seen != 0 && by.Seen != at.Record.Version {
		return nil, ErrOther
	}
	house, err := d.houseOf(ctx, at, c.Do)
	if err != nil {
		return nil, err
	}
	if d.Apart {
		corecall.Fix(c, at.Record)
	}
	next, a, err := at.Record.Decide(*c, house)
	if err != nil {
		return nil, errors.Join(d.Book.UsedElsewhere(ctx, c.ID, id), err)
	}
	if a == nil {
		return at, nil // it was done before, or there is nothing to do
	}
	a.ArrivedAt = d.Now()
	after, err := d.Book.Keep(context.WithValue(ctx, commandKey{}, *c), at, next, a, image)
	if err == nil {
		d.changed()
	}
	return after, err
}

// houseOf is what the command needs to know beside the record.
func (d *Desk) houseOf(ctx context.Context, at *kept.Snapshot, do corecall.Doing) (h corecall.House, err error) {
	switch do.(type) {
	case *corecall.MakeUp:
		h.Cause = func() (string, []string, error) {
			v, err := d.See(ctx, at)
			if err != nil {
				return "", nil, err
			}
			words, evidence := d.Cause(v)
			return words, evidence, nil
		}
	case *corecall.MarkClock:
		h.Expected = func() (forecast.Minutes, error) {
			v, err := d.See(ctx, at)
			if err != nil {
				return forecast.Minutes{}, err
			}
			return d.Expected(ctx, v)
		}
	case *corecall.GiveAnswer, *corecall.AddPicture:
		if h.Guards, err = d.GuardsOf(ctx, at); err != nil {
			return h, err
		}
	}
	switch do.(type) {
	case *corecall.MakeUp, *corecall.UsePart, *corecall.LayRun:
		found, err := d.Book.Stock(ctx)
		if err != nil {
			return h, err
		}
		h.Stock = Stocked(found)
	}
	h.Shop, err = d.House(ctx)
	return h, err
}

// DoOne carries out a command as it is sent among others.
func (d *Desk) DoOne(ctx context.Context, by Caller, call int64, sent api.Command) error {
	if err := CheckID(sent.Id); err != nil {
		return err
	}
	do, err := corecall.ParseDoing(sent.Doing)
	if err != nil {
		return bad(err)
	}
	switch do.(type) {
	case *corecall.Begin, *corecall.GiveAnswer, *corecall.AddPicture:
		return bad(errors.New("do: this has a request of its own"))
	}
	by.Command, by.Made = sent.Id, time.Time{}
	if sent.Seen != nil {
		by.Seen = *sent.Seen
	}
	if sent.MadeAt != nil {
		if by.Made, err = by.Sent(*sent.MadeAt); err != nil {
			return err
		}
	}
	_, err = d.Do(ctx, call, d.Command(by.In(ctx), do), nil)
	return err
}

// CheckID checks the id that who sends something made for it.
func CheckID(id string) error {
	if err := corecall.CheckID(id); err != nil {
		return bad(err)
	}
	return nil
}

// Circuit is the call's run as it is now.
func (d *Desk) Circuit(ctx context.Context, call int64) (*circuit.Circuit, error) {
	at, err := d.Book.Load(ctx, call)
	if err != nil {
		return nil, err
	}
	return at.Record.Circuit, nil
}

// GuardsOf are the GFCIs that a customer is led to: those of the call's own run by name, and
// the others of the house, where the site book knows any, as one without a name.
func (d *Desk) GuardsOf(ctx context.Context, at *kept.Snapshot) ([]visit.Guard, error) {
	known, err := d.Book.GFCIsOfSite(ctx, at.Site)
	if err != nil {
		return nil, err
	}
	c := at.Record.Circuit
	var all []visit.Guard
	for i := range c.Boxes { // as the run is now, should the register lag behind
		for _, d := range c.Boxes[i].Devices {
			if d.Kind == circuit.GFCI {
				all = append(
					all,
					visit.Guard{Key: fmt.Sprintf("%d.%s", at.Run, d.ID), Label: c.LabelOf(c.Boxes[i].ID), Of: at.Title, Own: true},
				)
			}
		}
	}
	for _, g := range known {
		if g.Run != at.Run && g.Device != circuit.Panel {
			return append(all, visit.Guard{Key: visit.Elsewhere}), nil
		}
	}
	return all, nil
}
