package store

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
)

// copyTo writes a copy to a new file.
func (s *Store) copyTo(ctx context.Context, path string) error {
	if s.path != "" {
		_, err := s.db.ExecContext(ctx, "VACUUM INTO ?", path)
		return err
	}
	to, err := Open(ctx, path)
	if err != nil {
		return err
	}
	return errors.Join(s.CopyInto(ctx, to), to.Close())
}

// Bounds of what is copied in one transaction: a cluster has to take it in at once. Assumption.
const (
	mostCopiedRows  = 500
	mostCopiedBytes = 1 << 20
	// mostValues are those of one statement: more are asked and answered in one go, and a cluster
	// takes 255 at most.
	mostValues = 250
)

// CopyInto copies every row of every table, as they are at one moment, into an empty database,
// whichever engine keeps either; ErrNotEmpty where that holds something. What fails in the middle
// leaves it half filled: it is not to be used then. Both hold the same after (Sums).
func (s *Store) CopyInto(ctx context.Context, to *Store) error {
	sums, err := to.Sums(ctx)
	if err != nil {
		return err
	}
	for table, sum := range sums {
		if table != "sqlite_sequence" && sum != emptySum {
			return fmt.Errorf("table %s: %w", table, ErrNotEmpty)
		}
	}
	return s.Snapshot(ctx, func(ctx context.Context) error {
		tables, err := s.tables(ctx)
		if err != nil {
			return err
		}
		// What is referred to comes first.
		slices.SortStableFunc(tables, func(a, b string) int { return rank(a) - rank(b) })
		for _, t := range tables {
			if err := s.copyTable(ctx, t, to); err != nil {
				return fmt.Errorf("table %s: %w", t, Cause(err))
			}
		}
		return nil
	})
}

// rank is where a table stands: those of archives in their order, then the others.
func rank(table string) int {
	if i := slices.IndexFunc(Tables, func(t Table) bool { return t.Name == table }); i >= 0 {
		return i
	}
	if table == "sqlite_sequence" {
		return len(Tables) + 1 // it was written by all the others
	}
	return len(Tables)
}

func (s *Store) copyTable(ctx context.Context, table string, to *Store) error {
	rows, err := s.on(ctx).QueryContext(ctx, "SELECT "+columnsOf(table)+" FROM "+quoted(table))
	if err != nil {
		return err
	}
	defer rows.Close()
	columns, err := rows.Columns()
	if err != nil {
		return err
	}
	one := "(?" + strings.Repeat(", ?", len(columns)-1) + ")"
	insert := "INSERT INTO " + quoted(table) + " (" + quoted(columns...) + ") VALUES " + one
	atOnce := max(1, mostValues/len(columns))
	outside := context.WithValue(ctx, transactionKey{}, nil) // of the other database
	if table == "sqlite_sequence" {
		if _, err := to.on(outside).ExecContext(outside, "DELETE FROM sqlite_sequence"); err != nil {
			return err
		}
	}
	var batch [][]any
	size := 0
	flush := func() error {
		if len(batch) == 0 {
			return nil
		}
		err := to.InTransaction(outside, func(ctx context.Context) error {
			for some := range slices.Chunk(batch, atOnce) {
				statement := insert + strings.Repeat(", "+one, len(some)-1)
				if _, err := to.on(ctx).ExecContext(ctx, statement, slices.Concat(some...)...); err != nil {
					return err
				}
			}
			return nil
		})
		batch, size = nil, 0
		return err
	}
	for rows.Next() {
		values, into := make([]any, len(columns)), make([]any, len(columns))
		for i := range values {
			into[i] = &values[i]
		}
		if err := rows.Scan(into...); err != nil {
			return err
		}
		batch = append(batch, values)
		for _, v := range values {
			size += len(encoded(v))
		}
		if len(batch) >= mostCopiedRows || size >= mostCopiedBytes {
			if err := flush(); err != nil {
				return err
			}
		}
	}
	return errors.Join(rows.Err(), flush())
}

// CopyFile copies a database file, such as a backup, into an empty database and compares. The
// file may be an older version's: what is brought up to date is a copy.
func CopyFile(ctx context.Context, path string, to *Store) (err error) {
	folder, err := os.MkdirTemp("", "elvat-copy-")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(folder)) }()
	plain := filepath.Join(folder, "plain.db")
	if err := copyFile(path, plain); err != nil {
		return err
	}
	from, err := Open(ctx, plain)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, from.Close()) }()
	if err := from.CopyInto(ctx, to); err != nil {
		return err
	}
	return Same(ctx, from, to)
}
