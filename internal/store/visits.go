package store

import (
	"context"
	"database/sql"
	"errors"
	"time"
)

// A Visit is a customer's link to a call.
type Visit struct {
	Call      int64
	MadeAt    time.Time
	ExpiresAt time.Time
}

// AddVisit keeps a link under its token, and withdraws earlier ones of the call.
func (s *Store) AddVisit(ctx context.Context, token string, v Visit) error {
	return s.inTransaction(ctx, func(ctx context.Context) error {
		if err := s.EndVisits(ctx, v.Call); err != nil {
			return err
		}
		_, err := s.on(ctx).ExecContext(ctx, "INSERT INTO visits (token, call_id, made_at, expires_at) VALUES (?, ?, ?, ?)", hashed(token), v.Call, stamp(v.MadeAt), stamp(v.ExpiresAt))
		return err
	})
}

// EndVisits withdraws the links of a call.
func (s *Store) EndVisits(ctx context.Context, call int64) error {
	_, err := s.on(ctx).ExecContext(ctx, "UPDATE visits SET withdrawn = 1 WHERE call_id = ?", call)
	return err
}

// Visit is the link with the token, as long as it is in force.
func (s *Store) Visit(ctx context.Context, token string, now time.Time) (Visit, error) {
	return scanVisit(s.on(ctx).QueryRowContext(ctx, "SELECT call_id, made_at, expires_at FROM visits WHERE token = ? AND NOT withdrawn AND expires_at > ?", hashed(token), stamp(now)))
}

// VisitOf is the link of a call that is in force; ErrNotFound where none is.
func (s *Store) VisitOf(ctx context.Context, call int64, now time.Time) (Visit, error) {
	return scanVisit(s.on(ctx).QueryRowContext(ctx, "SELECT call_id, made_at, expires_at FROM visits WHERE call_id = ? AND NOT withdrawn AND expires_at > ?", call, stamp(now)))
}

func scanVisit(row *sql.Row) (Visit, error) {
	var v Visit
	var made, expires string
	err := row.Scan(&v.Call, &made, &expires)
	if errors.Is(err, sql.ErrNoRows) {
		return v, ErrNotFound
	}
	if err != nil {
		return v, err
	}
	if v.MadeAt, err = time.Parse(time.RFC3339Nano, made); err == nil {
		v.ExpiresAt, err = time.Parse(time.RFC3339Nano, expires)
	}
	return v, err
}

// AddAnswer keeps what a customer answered. One that is there already is left.
func (s *Store) AddAnswer(ctx context.Context, call int64, e Entry) error {
	document, err := compact(e.Document)
	if err != nil {
		return err
	}
	_, err = s.on(ctx).ExecContext(ctx, `INSERT INTO answers (id, call_id, entry, at, document)
		VALUES (?, ?, (SELECT coalesce(max(entry), 0) + 1 FROM answers WHERE call_id = ?), ?, ?) ON CONFLICT (id) DO NOTHING`, e.ID, call, call, stamp(e.At), document)
	return err
}

// Answers lists what a customer answered about the call, in order.
func (s *Store) Answers(ctx context.Context, call int64) ([]Entry, error) {
	return s.entries(ctx, "SELECT id, at, document, 0 FROM answers WHERE call_id = ? ORDER BY entry", call)
}
