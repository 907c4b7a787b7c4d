package store

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"strings"
	"time"
)

// Pictures are kept in the database, or in an object storage that several machines reach: there
// under their own SHA-256, so that none is kept twice and none can be another than it was.
type Pictures interface {
	// Put keeps the picture; one that is there already stays as it is.
	Put(ctx context.Context, sum string, picture []byte) error
	// Get is the picture; an error that is fs.ErrNotExist where there is none.
	Get(ctx context.Context, sum string) ([]byte, error)
	Remove(ctx context.Context, sum string) error
	// Each hands out those that were put before a time.
	Each(ctx context.Context, before time.Time, do func(sum string) error) error
}

// KeepPictures has photographs be kept there from now on; those in the database stay until
// MovePictures. Nil: in the database.
func (s *Store) KeepPictures(p Pictures) { s.pictures = p }

// elsewhere begins what stands in the database for a picture that is not in it: its SHA-256
// follows, as text. No image begins so: each is drawn anew as JPEG before it is kept.
const elsewhere = "elvat-picture-sha256:"

func refTo(sum string) []byte { return []byte(elsewhere + sum) }

// refOf is the SHA-256 of a picture that is kept elsewhere; false where this is the picture.
func refOf(kept []byte) (string, bool) {
	sum, ok := strings.CutPrefix(string(kept[:min(len(kept), len(elsewhere)+2*sha256.Size)]), elsewhere)
	return sum, ok && len(kept) == len(elsewhere)+2*sha256.Size
}

func sumOfPicture(picture []byte) string {
	sum := sha256.Sum256(picture)
	return hex.EncodeToString(sum[:])
}

// away keeps a picture where pictures are kept, and is what stands for it in the database. It is
// kept before anything refers to it: what is cut off between leaves a picture that nobody asks for.
func (s *Store) away(ctx context.Context, picture []byte) ([]byte, error) {
	if s.pictures == nil || picture == nil {
		return picture, nil
	}
	sum := sumOfPicture(picture)
	if err := s.pictures.Put(ctx, sum, picture); err != nil {
		return nil, fmt.Errorf("photograph: %w", err)
	}
	return refTo(sum), nil
}

// ErrPicture means that a photograph is not where it was kept, or is another there.
var ErrPicture = errors.New("the photograph is not where it was kept")

// picture is one that was kept.
func (s *Store) picture(ctx context.Context, kept []byte) ([]byte, error) {
	sum, ok := refOf(kept)
	if !ok {
		return kept, nil
	}
	if s.pictures == nil {
		return nil, fmt.Errorf("%w: in an object storage that this machine is not told of", ErrPicture)
	}
	picture, err := s.pictures.Get(ctx, sum)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil, ErrPicture
	case err != nil:
		return nil, fmt.Errorf("photograph: %w", err)
	case sumOfPicture(picture) != sum:
		return nil, fmt.Errorf("%w: what is there has another SHA-256", ErrPicture)
	}
	return picture, nil
}

// MovePictures moves every photograph to where KeepPictures says, or into the database where that
// says nothing, one after the other; from is where those are that are in neither. It goes on where
// it was cut off. moved is how many were.
func (s *Store) MovePictures(ctx context.Context, from Pictures) (moved int, err error) {
	type row struct {
		call int64
		id   string
	}
	var all []row
	rows, err := s.on(ctx).QueryContext(ctx, "SELECT call_id, id FROM images ORDER BY call_id, id")
	if err != nil {
		return 0, err
	}
	for rows.Next() {
		var r row
		if err := rows.Scan(&r.call, &r.id); err != nil {
			return 0, errors.Join(err, rows.Close())
		}
		all = append(all, r)
	}
	if err := errors.Join(rows.Err(), rows.Close()); err != nil {
		return 0, err
	}
	source := &Store{pictures: from}
	for _, r := range all {
		var kept []byte
		if err := s.on(ctx).QueryRowContext(ctx, "SELECT image FROM images WHERE call_id = ? AND id = ?", r.call, r.id).Scan(&kept); err != nil {
			return moved, err
		}
		picture, err := source.picture(ctx, kept)
		if err != nil {
			return moved, fmt.Errorf("call %d, picture %s: %w", r.call, r.id, err)
		}
		next, err := s.away(ctx, picture)
		if err != nil {
			return moved, err
		}
		if bytes.Equal(next, kept) {
			continue
		}
		if _, err := s.on(ctx).ExecContext(ctx, "UPDATE images SET image = ? WHERE call_id = ? AND id = ? AND image = ?", next, r.call, r.id, kept); err != nil {
			return moved, err
		}
		moved++
	}
	return moved, nil
}

// youngest is how old a picture has to be before one that nothing refers to goes: what is being
// kept just now is put before it is referred to. Assumption.
const youngest = 24 * time.Hour

// SweepPictures removes what is kept elsewhere and nothing refers to any more: pictures of erased
// customers, and those whose keeping was cut off. removed is how many.
func (s *Store) SweepPictures(ctx context.Context, now time.Time) (removed int, err error) {
	if s.pictures == nil {
		return 0, nil
	}
	err = s.pictures.Each(ctx, now.Add(-youngest), func(sum string) error {
		var shown bool
		if err := s.on(ctx).QueryRowContext(ctx, "SELECT EXISTS (SELECT 1 FROM images WHERE image = ?)", refTo(sum)).Scan(&shown); err != nil || shown {
			return err
		}
		removed++
		return s.pictures.Remove(ctx, sum)
	})
	return removed, err
}

// removeUnused removes pictures that a call showed and no other does. What is not reached is
// removed by the next sweep.
func (s *Store) removeUnused(ctx context.Context, refs [][]byte) error {
	var failed error
	for _, ref := range refs {
		sum, ok := refOf(ref)
		if !ok || s.pictures == nil {
			continue
		}
		var shown bool
		if err := s.on(ctx).QueryRowContext(ctx, "SELECT EXISTS (SELECT 1 FROM images WHERE image = ?)", ref).Scan(&shown); err != nil {
			return err
		}
		if !shown {
			failed = errors.Join(failed, s.pictures.Remove(ctx, sum))
		}
	}
	return failed
}

// refsOf are what stands in the database for the pictures of a call that are kept elsewhere.
func (s *Store) refsOf(ctx context.Context, call int64) (refs [][]byte, err error) {
	rows, err := s.on(ctx).QueryContext(ctx, "SELECT image FROM images WHERE call_id = ? AND length(image) = ?", call, len(elsewhere)+2*sha256.Size)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var ref []byte
		if err := rows.Scan(&ref); err != nil {
			return nil, err
		}
		refs = append(refs, ref)
	}
	return refs, rows.Err()
}
