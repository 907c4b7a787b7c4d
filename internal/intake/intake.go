// Package intake takes what phones bring: all of it is written down first, then each command is
// carried out once, by its id, in the order of making. What the record does not take by then
// waits for a decision, with the reason; nothing is thrown away.
package intake

import (
	"cmp"
	"context"
	"errors"
	"sync"

	corecall "elvat/core/call"
	"elvat/core/job"
	"elvat/internal/desk"
	"elvat/internal/kept"
)

// A Ledger is where what arrived is written down.
type Ledger interface {
	// Arrive writes all of it down or nothing; what is there already stays as it is.
	Arrive(ctx context.Context, all []kept.Arrived) error
	// Untried are those that were not carried out yet, in their order.
	Untried(ctx context.Context) ([]kept.Arrived, error)
	// Arrived is one that is not on the record; kept.ErrNotFound where it is, or never came.
	Arrived(ctx context.Context, command string) (kept.Arrived, error)
	TakeArrived(ctx context.Context, command string) error
	RefuseArrived(ctx context.Context, command, why string, on int64) error
	// Begun is the call that the command began; kept.ErrNotFound where it began none.
	Begun(ctx context.Context, command string) (int64, error)
}

// An Intake takes what phones bring.
type Intake struct {
	Ledger Ledger
	Desk   *desk.Desk
	// Begin starts a call under a number of the shop's.
	Begin func(context.Context, corecall.Begin, kept.Place) (int64, error)
	// Refused is why an error means that the record does not take a command; passes where that
	// has nothing to do with the command, and it is tried again.
	Refused func(context.Context, error) (why string, passes bool)

	mu sync.Mutex // one after the other
}

// Arrive writes down what came, by this machine's clock, before any of it is carried out.
func (in *Intake) Arrive(ctx context.Context, commands []kept.Waiting) error {
	by := desk.CallerOf(ctx)
	all := make([]kept.Arrived, 0, len(commands))
	for _, c := range commands {
		if err := desk.CheckID(c.ID); err != nil {
			return err
		}
		c.Refused = "" // the phone's own guess
		a := kept.Arrived{Waiting: c, Device: by.Device, Person: by.Person, Role: string(by.ActsAs()), ArrivedAt: in.Desk.Now()}
		made, err := by.Sent(c.MadeAt)
		if err != nil {
			a.Refused, _ = in.Refused(ctx, err)
		} else {
			a.MadeAt = made
		}
		all = append(all, a)
	}
	if len(all) == 0 {
		return nil
	}
	return in.Ledger.Arrive(ctx, all)
}

// Resume carries out what arrived and was not yet: just now, or before the machine went down.
func (in *Intake) Resume(ctx context.Context) error {
	in.mu.Lock()
	defer in.mu.Unlock()
	all, err := in.Ledger.Untried(ctx)
	if err != nil {
		return err
	}
	for i := range all {
		if err := in.Try(ctx, &all[i]); err != nil {
			if _, passes := in.Refused(ctx, err); passes {
				return err
			}
		}
	}
	return nil
}

// Try carries one out. What the record does not take is noted with the reason, and said.
func (in *Intake) Try(ctx context.Context, a *kept.Arrived) error {
	on, err := in.carryOut(ctx, a)
	if err == nil {
		return in.Ledger.TakeArrived(ctx, a.ID)
	}
	if why, passes := in.Refused(ctx, err); !passes {
		if kept.IsDrill(on) { // nobody is asked to decide on what was only learned
			return in.Ledger.TakeArrived(ctx, a.ID)
		}
		if problem := in.Ledger.RefuseArrived(ctx, a.ID, why, on); problem != nil {
			return problem
		}
	}
	return err
}

// ErrNotBegun is said of what was done on a call that the shop did not take.
var ErrNotBegun = desk.BadInput{Err: errors.New("the call that it was done on was not begun here: decide on that first")}

var errOfItsOwn = desk.BadInput{Err: errors.New("do: this has a request of its own")}

func (in *Intake) carryOut(ctx context.Context, a *kept.Arrived) (on int64, err error) {
	by := desk.Caller{Device: a.Device, Person: a.Person, Role: job.Role(a.Role), Command: a.ID, Made: a.MadeAt, Seen: a.Seen, Decider: a.Decider}
	ctx = by.In(ctx)
	on = max(a.Call, 0)
	do, err := corecall.ParseDoing(a.Doing)
	if err != nil {
		return on, desk.BadInput{Err: err}
	}
	switch do := do.(type) {
	case *corecall.Begin:
		place := kept.Place{}
		if a.Place != nil {
			place = *a.Place
		}
		id, err := in.Begin(ctx, *do, place)
		if errors.Is(err, kept.ErrNotFound) {
			// The house was taken out of the book meanwhile: the call has one of its own.
			id, err = in.Begin(ctx, *do, kept.Place{})
		}
		return id, err
	case *corecall.GiveAnswer:
		return on, errOfItsOwn
	}
	if on == 0 {
		if on, err = in.Ledger.Begun(ctx, a.Begun); err != nil {
			return 0, ErrNotBegun
		}
	}
	_, err = in.Desk.Do(ctx, on, in.Desk.Command(ctx, do), nil)
	return on, err
}

// What is what became of a command.
type What struct {
	Refused string // why it is not on the record; "" where it is
	Call    int64  // the shop's number for a call that the phone has one of its own for; 0 elsewhere
}

// Became is what became of a command that a phone sent.
func (in *Intake) Became(ctx context.Context, c kept.Waiting) (w What, err error) {
	a, err := in.Ledger.Arrived(ctx, c.ID)
	switch {
	case err == nil:
		w.Refused = cmp.Or(a.Refused, "somebody decided to let go of it")
	case !errors.Is(err, kept.ErrNotFound):
		return w, err
	}
	if c.Call >= 0 {
		return w, nil
	}
	w.Call, err = in.Ledger.Begun(ctx, cmp.Or(c.Begun, c.ID))
	if errors.Is(err, kept.ErrNotFound) {
		err = nil
	}
	return w, err
}
