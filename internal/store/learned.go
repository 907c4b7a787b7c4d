package store

import (
	"context"
	"fmt"
	"time"
)

// A Looked is what was seen in one opened box of a call.
type Looked struct {
	Call     int64
	Document []byte
}

// LookedInto lists what opened boxes showed since then, newest first, as far as
// it stands; at most so many.
func (s *Store) LookedInto(ctx context.Context, since time.Time, most int) ([]Looked, error) {
	rows, err := s.on(ctx).QueryContext(ctx, `SELECT call_id, document FROM readings
		WHERE json_extract(document, '$.tool') = 'eyes' AND taken_at > ? AND NOT withdrawn ORDER BY taken_at DESC LIMIT ?`, stamp(since), most)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []Looked
	for rows.Next() {
		var l Looked
		var document string
		if err := rows.Scan(&l.Call, &document); err != nil {
			return nil, err
		}
		l.Document = []byte(document)
		all = append(all, l)
	}
	return all, rows.Err()
}

// LookedMark changes whenever what LookedInto lists may have.
func (s *Store) LookedMark(ctx context.Context) (string, error) {
	var n, withdrawn int64
	var last string
	err := s.on(ctx).QueryRowContext(ctx, `SELECT count(*), coalesce(sum(withdrawn), 0), coalesce(max(taken_at), '') FROM readings
		WHERE json_extract(document, '$.tool') = 'eyes'`).Scan(&n, &withdrawn, &last)
	return fmt.Sprint(n, " ", withdrawn, " ", last), err
}
