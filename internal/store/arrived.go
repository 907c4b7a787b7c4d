package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"time"

	"elvat/core/call"
	"elvat/internal/kept"
	"elvat/internal/store/db"
)

// Arrive writes down what came from a phone, all of it or nothing; what is there already
// stays as it is.
func (s *Store) Arrive(ctx context.Context, all []kept.Arrived) error {
	return s.InTransaction(ctx, func(ctx context.Context) error {
		for i := range all {
			a := &all[i]
			document, err := json.Marshal(a.Waiting)
			if err != nil {
				return err
			}
			if err := s.q(ctx).Arrive(ctx, db.ArriveParams{
				Command: a.ID, CallID: numbered(a.Call), Document: string(document), Device: a.Device, Person: a.Person, Role: a.Role,
				ArrivedAt: stamp(a.ArrivedAt), Refused: a.Refused,
			}); err != nil {
				return err
			}
		}
		return nil
	})
}

// numbered is the shop's number of a call; nil where it has none yet, and of a drill, which is none:
// that stands in the document.
func numbered(id int64) *int64 {
	if id <= 0 || kept.IsDrill(id) {
		return nil
	}
	return &id
}

func arrivedOf(r db.Arrived) (a kept.Arrived, err error) {
	err = json.Unmarshal([]byte(r.Document), &a.Waiting)
	if r.CallID != nil {
		a.Call = *r.CallID
	}
	a.Device, a.Person, a.Role, a.ArrivedAt, a.Refused, a.Settled = r.Device, r.Person, r.Role, instant(r.ArrivedAt), r.Refused, r.SettledAt != nil
	return a, err
}

func arrivedAll(rows []db.Arrived, err error) ([]kept.Arrived, error) {
	if err != nil {
		return nil, err
	}
	all := make([]kept.Arrived, len(rows))
	for i, r := range rows {
		if all[i], err = arrivedOf(r); err != nil {
			return nil, err
		}
	}
	return all, nil
}

// Untried are the commands that arrived and were not carried out yet, in the order in which
// they were made on their phones.
func (s *Store) Untried(ctx context.Context) ([]kept.Arrived, error) {
	return arrivedAll(s.q(ctx).ArrivedOpen(ctx))
}

// Decisions are the commands that the record does not take, oldest first.
func (s *Store) Decisions(ctx context.Context, most int64) ([]kept.Arrived, error) {
	return arrivedAll(s.q(ctx).Decisions(ctx, most))
}

// Arrived is one that came and is not on the record; ErrNotFound where it is, or never came.
func (s *Store) Arrived(ctx context.Context, command string) (kept.Arrived, error) {
	row, err := s.q(ctx).ArrivedOne(ctx, command)
	if err != nil {
		return kept.Arrived{}, found(err)
	}
	return arrivedOf(row)
}

// TakeArrived lets go of what is on the record by now.
func (s *Store) TakeArrived(ctx context.Context, command string) error {
	return s.q(ctx).TakeArrived(ctx, command)
}

// RefuseArrived notes why the record does not take it, and on which call it was to be.
func (s *Store) RefuseArrived(ctx context.Context, command, why string, on int64) error {
	return s.q(ctx).RefuseArrived(ctx, db.RefuseArrivedParams{Refused: why, CallID: numbered(on), Command: command})
}

// SettleArrived notes that somebody let go of it; ErrNotFound where nothing waits under the id.
func (s *Store) SettleArrived(ctx context.Context, command, by string, at time.Time) error {
	now := stamp(at)
	return changed(s.q(ctx).SettleArrived(ctx, db.SettleArrivedParams{SettledAt: &now, SettledBy: by, Command: command}))
}

// Begun is the call that the command began; ErrNotFound where it began none.
func (s *Store) Begun(ctx context.Context, command string) (int64, error) {
	if n, err := s.q(ctx).DrillBy(ctx, command); err == nil {
		return kept.FirstDrill + n, nil
	} else if !errors.Is(err, sql.ErrNoRows) {
		return 0, err
	}
	was, err := s.q(ctx).ActionOf(ctx, command)
	switch {
	case err == nil && (was.Doing != call.Name(&call.Begin{}) || was.CallID == nil), errors.Is(err, sql.ErrNoRows):
		return 0, ErrNotFound
	case err != nil:
		return 0, err
	}
	return *was.CallID, nil
}
