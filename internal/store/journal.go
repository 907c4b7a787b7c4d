package store

import (
	"context"
	"database/sql"
	"errors"
	"time"
)

// An Entry is one line of a call's journal as it was entered.
type Entry struct {
	ID        string
	At        time.Time
	Document  []byte
	Withdrawn bool
}

// AddEntry stores an entry. One that is there already is left as it is.
func (s *Store) AddEntry(ctx context.Context, call int64, e Entry) error {
	document, err := compact(e.Document)
	if err != nil {
		return err
	}
	result, err := s.on(ctx).ExecContext(ctx, `INSERT INTO journal (id, call_id, entry, at, document)
		VALUES (?, ?, (SELECT coalesce(max(entry), 0) + 1 FROM journal WHERE call_id = ?), ?, ?) ON CONFLICT (id) DO NOTHING`,
		e.ID, call, call, stamp(e.At), document)
	return s.same(ctx, result, err, "journal", e.ID, call, string(document))
}

// Journal lists the call's entries in order, those taken back included.
func (s *Store) Journal(ctx context.Context, call int64) ([]Entry, error) {
	return s.entries(ctx, "SELECT id, at, document, withdrawn FROM journal WHERE call_id = ? ORDER BY entry", call)
}

func (s *Store) entries(ctx context.Context, query string, args ...any) ([]Entry, error) {
	rows, err := s.on(ctx).QueryContext(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []Entry
	for rows.Next() {
		var e Entry
		var at, document string
		if err := rows.Scan(&e.ID, &at, &document, &e.Withdrawn); err != nil {
			return nil, err
		}
		e.Document = []byte(document)
		if e.At, err = time.Parse(time.RFC3339Nano, at); err != nil {
			return nil, err
		}
		all = append(all, e)
	}
	return all, rows.Err()
}

// WithdrawEntry takes an entry back, or puts it back in force.
func (s *Store) WithdrawEntry(ctx context.Context, call int64, id string, withdrawn bool) error {
	return s.mustChange(s.on(ctx).ExecContext(ctx, "UPDATE journal SET withdrawn = ? WHERE call_id = ? AND id = ?", withdrawn, call, id))
}

// Boxes lists the boxes recorded on the call.
func (s *Store) Boxes(ctx context.Context, call int64) ([]string, error) {
	rows, err := s.on(ctx).QueryContext(ctx, "SELECT box FROM boxes WHERE call_id = ? ORDER BY box", call)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []string
	for rows.Next() {
		var box string
		if err := rows.Scan(&box); err != nil {
			return nil, err
		}
		all = append(all, box)
	}
	return all, rows.Err()
}

// A Picture is a photograph of a call without its image.
type Picture struct {
	ID      int64
	SentAs  string // by who sent it; "" where nobody said
	Box     string // "" where it is of no box
	Phase   string // or "pulled", of the pulled device
	TakenAt time.Time
}

// AddPicture keeps a photograph taken at a phase of the call. One that was sent
// before is left as it is.
func (s *Store) AddPicture(ctx context.Context, call int64, p Picture, image []byte) (int64, error) {
	var id int64
	sent := sql.NullString{String: p.SentAs, Valid: p.SentAs != ""}
	err := s.on(ctx).QueryRowContext(ctx, `INSERT INTO photographs (call_id, box, phase, taken_at, image, sent_as) VALUES (?, ?, ?, ?, ?, ?)
		ON CONFLICT (sent_as) DO NOTHING RETURNING id`, call, p.Box, p.Phase, stamp(p.TakenAt), image, sent).Scan(&id)
	if errors.Is(err, sql.ErrNoRows) { // it was kept the first time
		err = s.on(ctx).QueryRowContext(ctx, "SELECT id FROM photographs WHERE sent_as = ?", sent).Scan(&id)
	}
	return id, err
}

// Pictures lists the call's photographs in the order in which they were taken.
func (s *Store) Pictures(ctx context.Context, call int64) ([]Picture, error) {
	rows, err := s.on(ctx).QueryContext(ctx, "SELECT id, coalesce(sent_as, ''), box, phase, taken_at FROM photographs WHERE call_id = ? AND NOT withdrawn ORDER BY id", call)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []Picture
	for rows.Next() {
		var p Picture
		var at string
		if err := rows.Scan(&p.ID, &p.SentAs, &p.Box, &p.Phase, &at); err != nil {
			return nil, err
		}
		if p.TakenAt, err = time.Parse(time.RFC3339Nano, at); err != nil {
			return nil, err
		}
		all = append(all, p)
	}
	return all, rows.Err()
}

// Image is a photograph of the call.
func (s *Store) Image(ctx context.Context, call, id int64) ([]byte, error) {
	var image []byte
	err := s.on(ctx).QueryRowContext(ctx, "SELECT image FROM photographs WHERE call_id = ? AND id = ?", call, id).Scan(&image)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNotFound
	}
	return image, err
}

// WithdrawPicture takes a photograph back, or shows it again.
func (s *Store) WithdrawPicture(ctx context.Context, call, id int64, withdrawn bool) error {
	return s.mustChange(s.on(ctx).ExecContext(ctx, "UPDATE photographs SET withdrawn = ? WHERE call_id = ? AND id = ?", withdrawn, call, id))
}
