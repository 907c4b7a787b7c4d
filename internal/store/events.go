package store

import (
	"context"
	"math"
	"time"

	"elvat/internal/store/db"
)

// An Event is something that a shop may have to answer for. It is written down once and not
// edited by anybody.
type Event struct {
	ID     int64
	At     time.Time
	What   string // its code
	Person string // who, as signed in; "" where nobody is
	Place  string // from where, as a network address
	Call   int64  // of which call; 0 for none
	About  string // whom or what, by number where there is one
}

// EventsStay is how long they are kept; the database itself lets none go before.
const EventsStay = 730 * 24 * time.Hour

// AddEvent writes one down, and lets go of what is too old.
func (s *Store) AddEvent(ctx context.Context, e Event) error {
	return s.InTransaction(ctx, func(ctx context.Context) error {
		// By the clock of the machine, as the database's own rule has it.
		if err := s.q(ctx).ForgetEvents(ctx, stamp(time.Now().Add(-EventsStay-time.Hour))); err != nil {
			return err
		}
		return s.q(ctx).AddEvent(ctx, db.AddEventParams{
			At: stamp(e.At), What: e.What, Person: e.Person, Place: e.Place, CallID: numbered(e.Call), About: e.About,
		})
	})
}

// Events lists the newest before the given one, 0 for all.
func (s *Store) Events(ctx context.Context, before int64, most int) ([]Event, error) {
	if before == 0 {
		before = math.MaxInt64
	}
	rows, err := s.q(ctx).Events(ctx, db.EventsParams{Before: before, Most: int64(most)})
	return each(rows, err, func(r db.Event) Event {
		e := Event{ID: r.ID, At: instant(r.At), What: r.What, Person: r.Person, Place: r.Place, About: r.About}
		if r.CallID != nil {
			e.Call = *r.CallID
		}
		return e
	})
}
