package store

import (
	"context"
	"time"

	"elvat/core/call"
	"elvat/internal/kept"
	"elvat/internal/store/db"
)

// A Move is parts put on a van. What is used up is a part of a call's record.
type Move struct {
	ID    string
	Van   string
	Item  string
	Unit  string
	Count float64
	At    time.Time
}

// AddMove keeps a move. An id that came before is call.ErrUsedElsewhere.
func (s *Store) AddMove(ctx context.Context, m Move) error {
	rows, err := s.q(ctx).
		AddMove(ctx, db.AddMoveParams{ID: m.ID, Van: m.Van, Item: m.Item, Unit: m.Unit, Count: m.Count, At: stamp(m.At)})
	if err == nil && rows == 0 {
		return call.ErrUsedElsewhere
	}
	return err
}

// A Have is what a van has of an item.
type Have = kept.Have

// Stock is what every van has.
func (s *Store) Stock(ctx context.Context) ([]Have, error) {
	rows, err := s.q(ctx).Stock(ctx)
	return each(rows, err, func(r db.StockRow) Have { return Have(r) })
}

// Used is what was used up on the call.
func (s *Store) Used(ctx context.Context, call int64) ([]Have, error) {
	rows, err := s.q(ctx).Used(ctx, &call)
	return each(rows, err, func(r db.UsedRow) Have { return Have(r) })
}
