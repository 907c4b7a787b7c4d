package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"time"
)

// An OpenedBox is what was recorded of an opened box.
type OpenedBox struct {
	Document []byte // elvat-box/1
	Done     []string
	MadeAt   *time.Time // as planned; nil: not yet
}

// Box is what was recorded of the box; ErrNotFound where nothing was.
func (s *Store) Box(ctx context.Context, call int64, box string) (OpenedBox, error) {
	var b OpenedBox
	var document, done string
	var made sql.NullString
	err := s.on(ctx).QueryRowContext(ctx, "SELECT document, done, "+madeAt+" FROM boxes WHERE call_id = ? AND box = ?", call, box).Scan(&document, &done, &made)
	if errors.Is(err, sql.ErrNoRows) {
		return b, ErrNotFound
	}
	if err != nil {
		return b, err
	}
	b.Document = []byte(document)
	if err := json.Unmarshal([]byte(done), &b.Done); err != nil {
		return b, err
	}
	if made.Valid {
		at, err := time.Parse(time.RFC3339Nano, made.String)
		if err != nil {
			return b, err
		}
		b.MadeAt = &at
	}
	return b, nil
}

// SetBox records what is in the box and what is to go in.
func (s *Store) SetBox(ctx context.Context, call int64, box string, document []byte) error {
	kept, err := compact(document)
	if err != nil {
		return err
	}
	_, err = s.on(ctx).ExecContext(ctx, "INSERT INTO boxes (call_id, box, document) VALUES (?, ?, ?) ON CONFLICT (call_id, box) DO UPDATE SET document = excluded.document",
		call, box, kept)
	return err
}

// SetSteps records which steps of the plan are done.
func (s *Store) SetSteps(ctx context.Context, call int64, box string, done []string) error {
	data, err := json.Marshal(done)
	if err != nil {
		return err
	}
	return s.mustChange(s.on(ctx).ExecContext(ctx, "UPDATE boxes SET done = ? WHERE call_id = ? AND box = ?", string(data), call, box))
}

// madeAt is when a box was made up, null once that change of the run was taken back.
const madeAt = "CASE WHEN EXISTS (SELECT 1 FROM circuits WHERE id = boxes.made_by AND NOT withdrawn) THEN boxes.made_at END"

// SetMade records that the box was made up as planned, by the latest change of the run.
func (s *Store) SetMade(ctx context.Context, call int64, box string, at time.Time) error {
	return s.mustChange(s.on(ctx).ExecContext(ctx, `UPDATE boxes SET made_at = ?, made_by = (
		SELECT max(id) FROM circuits WHERE call_id = boxes.call_id AND NOT withdrawn) WHERE call_id = ? AND box = ?`, stamp(at), call, box))
}

// Pulled is the phase of a picture of a pulled device: it is the record of what
// landed where in its box.
const Pulled = "pulled"

// Photograph is the latest picture of the box; id zero where there is none.
func (s *Store) Photograph(ctx context.Context, call int64, box string) (id int64, image []byte, err error) {
	err = s.on(ctx).QueryRowContext(ctx, "SELECT id, image FROM photographs WHERE call_id = ? AND box = ? AND phase = 'pulled' AND NOT withdrawn ORDER BY id DESC LIMIT 1", call, box).Scan(&id, &image)
	if errors.Is(err, sql.ErrNoRows) {
		return 0, nil, nil
	}
	return id, image, err
}
