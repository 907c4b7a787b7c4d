package store

import (
	"context"
	"crypto/rand"
	"database/sql"
	"encoding/json"
	"errors"
	"time"

	"elvat/core/call"
	"elvat/internal/kept"
	"elvat/internal/store/db"
)

// Drills lie in a table of their own: nothing that lists, searches, counts or learns from calls
// comes across one.

// BeginDrill begins one; the same command begins one drill.
func (s *Store) BeginDrill(ctx context.Context, c call.Command, arrived time.Time, begin *call.Begin) (int64, error) {
	if c.ID == "" {
		c.ID = rand.Text()
	}
	var id int64
	err := s.InTransaction(ctx, func(ctx context.Context) error {
		n, err := s.q(ctx).DrillBy(ctx, c.ID)
		if err == nil {
			id = kept.FirstDrill + n
			return nil
		}
		if !errors.Is(err, sql.ErrNoRows) {
			return err
		}
		if n, err = s.q(ctx).AddDrill(ctx, db.AddDrillParams{Command: c.ID, Person: c.Person, BegunAt: stamp(c.At), Packed: "{}"}); err != nil {
			return err
		}
		id = kept.FirstDrill + n
		at := kept.Call{ID: id, Run: id, Title: begin.Title, CreatedAt: c.At, SiteName: begin.Title}
		empty, err := kept.Empty(at)
		if err != nil {
			return err
		}
		c.Do = begin
		next, a, err := empty.Record.Decide(c, call.House{})
		if err != nil {
			return err
		}
		a.ArrivedAt = arrived
		_, err = s.keepDrill(ctx, empty, next)
		return err
	})
	return id, err
}

func (s *Store) loadDrill(ctx context.Context, id int64) (*Snapshot, error) {
	row, err := s.q(ctx).Drill(ctx, id-kept.FirstDrill)
	if err != nil {
		return nil, found(err)
	}
	var p kept.Packed
	if err := json.Unmarshal([]byte(row.Packed), &p); err != nil {
		return nil, err
	}
	return p.Open()
}

// keepDrill writes down what came of a command.
func (s *Store) keepDrill(ctx context.Context, before *Snapshot, next *call.Record) (*Snapshot, error) {
	after := &Snapshot{Call: before.Call, Record: next, PanelVersion: before.PanelVersion}
	after.Version++
	next.Version = after.Version
	last := &next.Log[len(next.Log)-1]
	last.ID = after.Version
	packed, err := json.Marshal(kept.Pack(after))
	if err != nil {
		return nil, err
	}
	n, err := s.q(ctx).KeepDrill(ctx, db.KeepDrillParams{Packed: string(packed), Next: after.Version, ID: before.ID - kept.FirstDrill, Version: before.Version})
	if err == nil && n == 0 {
		err = ErrMoved
	}
	return after, err
}

// drillOf is a row of a list.
func drillOf(id int64, person string, begunAt, version int64, result *string) kept.Drill {
	d := kept.Drill{ID: kept.FirstDrill + id, Person: person, BegunAt: instant(begunAt), Version: version}
	if result != nil {
		d.Result = json.RawMessage(*result)
	}
	return d
}

// DrillsOf are the newest of a person, the newest first.
func (s *Store) DrillsOf(ctx context.Context, person string, most int) ([]kept.Drill, error) {
	rows, err := s.q(ctx).DrillsOf(ctx, db.DrillsOfParams{Person: person, Limit: int64(most)})
	return each(rows, err, func(r db.DrillsOfRow) kept.Drill { return drillOf(r.ID, r.Person, r.BegunAt, r.Version, r.Result) })
}

// Drills are the newest of all.
func (s *Store) Drills(ctx context.Context, most int) ([]kept.Drill, error) {
	rows, err := s.q(ctx).Drills(ctx, int64(most))
	return each(rows, err, func(r db.DrillsRow) kept.Drill { return drillOf(r.ID, r.Person, r.BegunAt, r.Version, r.Result) })
}

// SetDrillResult keeps what came of a drill that is over.
func (s *Store) SetDrillResult(ctx context.Context, id int64, result []byte) error {
	text := string(result)
	return s.q(ctx).SetDrillResult(ctx, db.SetDrillResultParams{Result: &text, ID: id - kept.FirstDrill})
}
