package store

import (
	"context"
	"database/sql"
	"time"
)

// A Move is parts put on a van (count above zero) or used up on a call (below).
type Move struct {
	ID    string
	Call  int64 // 0: none
	Box   string
	Van   string
	Item  string
	Unit  string
	Count float64
	At    time.Time
}

// AddMove keeps a move. One that is there already is left as it is.
func (s *Store) AddMove(ctx context.Context, m Move) error {
	_, err := s.on(ctx).ExecContext(ctx, "INSERT INTO stock (id, call_id, box, van, item, unit, count, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT (id) DO NOTHING",
		m.ID, sql.NullInt64{Int64: m.Call, Valid: m.Call != 0}, m.Box, m.Van, m.Item, m.Unit, m.Count, stamp(m.At))
	return err
}

// Moved reports whether there is a move of that id.
func (s *Store) Moved(ctx context.Context, id string) (is bool, err error) {
	err = s.on(ctx).QueryRowContext(ctx, "SELECT EXISTS (SELECT 1 FROM stock WHERE id = ?)", id).Scan(&is)
	return is, err
}

// A Have is what a van has of an item; below zero where more was used than put on.
type Have struct {
	Van, Item, Unit string
	Count           float64
}

// Stock is what every van has, or the named one.
func (s *Store) Stock(ctx context.Context, van string) ([]Have, error) {
	return s.haves(ctx, "SELECT van, item, unit, sum(count) FROM stock WHERE NOT withdrawn AND (? = '' OR van = ?) GROUP BY van, item, unit ORDER BY van, item", van, van)
}

// Used is what was used up on the call.
func (s *Store) Used(ctx context.Context, call int64) ([]Have, error) {
	return s.haves(ctx, "SELECT van, item, unit, -sum(count) FROM stock WHERE NOT withdrawn AND call_id = ? GROUP BY van, item, unit ORDER BY item", call)
}

func (s *Store) haves(ctx context.Context, query string, args ...any) ([]Have, error) {
	rows, err := s.on(ctx).QueryContext(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	all := []Have{}
	for rows.Next() {
		var h Have
		if err := rows.Scan(&h.Van, &h.Item, &h.Unit, &h.Count); err != nil {
			return nil, err
		}
		all = append(all, h)
	}
	return all, rows.Err()
}
