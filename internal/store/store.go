// Package store keeps what a shop has in SQLite: the records of its calls and what
// was done on them, the site book, the people. It decides nothing.
// A write that returned without an error is on the disk.
package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"sync"
	"time"

	_ "modernc.org/sqlite" // the driver

	"elvat/internal/kept"
	"elvat/internal/store/db"
	"elvat/internal/store/migrations"
)

//go:generate go run ./write

// ErrNotFound means that there is no such thing.
var ErrNotFound = kept.ErrNotFound

// A Store is an open database file.
type Store struct {
	db       *sql.DB
	path     string    // of its file; "" where another engine keeps it
	prepared *sync.Map // of *sql.Stmt, by query
	pictures Pictures  // where photographs are kept; nil: in the database
}

// Open opens the database file, creating it or bringing its tables up to date
// where needed.
func Open(ctx context.Context, path string) (*Store, error) { return OpenLimited(ctx, path, 0) }

// OpenLimited is Open for a file that may grow to so many pages at most, as on a
// disk that is full then; 0: no bound.
func OpenLimited(ctx context.Context, path string, pages int) (*Store, error) {
	pragmas := url.Values{
		"_pragma": {"journal_mode(WAL)", "synchronous(FULL)", "foreign_keys(ON)", "busy_timeout(5000)", "secure_delete(ON)"},
		"_txlock": {"immediate"},
	}
	if pages > 0 {
		pragmas.Add("_pragma", fmt.Sprintf("max_page_count(%d)", pages))
	}
	if err := private(path); err != nil {
		return nil, fmt.Errorf("database %s: %w", path, err)
	}
	db, err := sql.Open("sqlite", "file:"+(&url.URL{Path: path}).EscapedPath()+"?"+pragmas.Encode())
	if err != nil {
		return nil, fmt.Errorf("database %s: %w", path, err)
	}
	return open(ctx, db, "database "+path, path)
}

// OpenOn opens a database that another engine than plain SQLite keeps; it is called so in errors.
// What a file alone can be asked, such as to be copied page by page, is done row by row.
func OpenOn(ctx context.Context, db *sql.DB, called string) (*Store, error) {
	return open(ctx, db, called, "")
}

// open brings the tables up to date; path is that of a file, "" on another engine.
func open(ctx context.Context, db *sql.DB, called, path string) (*Store, error) {
	if err := migrations.Up(ctx, db, path != ""); err != nil {
		return nil, errors.Join(fmt.Errorf("%s: %w", called, Cause(err)), db.Close())
	}
	return &Store{db: db, path: path, prepared: &sync.Map{}}, nil
}

// private has the file, and what SQLite keeps beside it, be their owner's alone, also where
// they were there before; SQLite makes the others as it finds the first.
func private(path string) error {
	f, err := os.OpenFile(path, os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return err
	}
	if err := f.Close(); err != nil {
		return err
	}
	for _, end := range beside {
		if err := os.Chmod(path+end, 0o600); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	return nil
}

// Close closes the file.
func (s *Store) Close() error {
	statements{s.db, nil, s.prepared}.close()
	return s.db.Close()
}

type transactionKey struct{}

func (s *Store) on(ctx context.Context) db.DBTX {
	tx, _ := ctx.Value(transactionKey{}).(*sql.Tx)
	return statements{s.db, tx, s.prepared}
}

// q are the queries, in the transaction that the context carries.
func (s *Store) q(ctx context.Context) *db.Queries { return db.New(s.on(ctx)) }

// InTransaction runs do's writes as one: all are kept, or none.
func (s *Store) InTransaction(ctx context.Context, do func(context.Context) error) error {
	return s.within(ctx, nil, do)
}

// Snapshot runs do's reads on the database as it is at one moment, whatever is
// written meanwhile.
func (s *Store) Snapshot(ctx context.Context, do func(context.Context) error) error {
	return s.within(ctx, &sql.TxOptions{ReadOnly: true}, do)
}

// within runs do in one transaction: that of the context where there is one.
func (s *Store) within(ctx context.Context, how *sql.TxOptions, do func(context.Context) error) error {
	if _, ok := ctx.Value(transactionKey{}).(*sql.Tx); ok {
		return do(ctx)
	}
	tx, err := s.db.BeginTx(ctx, how)
	if err != nil {
		return err
	}
	if err := do(context.WithValue(ctx, transactionKey{}, tx)); err != nil {
		return errors.Join(err, tx.Rollback())
	}
	return tx.Commit()
}

// found is err with what the library calls a missing row as ErrNotFound.
func found(err error) error {
	if errors.Is(err, sql.ErrNoRows) {
		return ErrNotFound
	}
	return err
}

// changed is ErrNotFound where no row was.
func changed(rows int64, err error) error {
	if err == nil && rows == 0 {
		return ErrNotFound
	}
	return err
}

// each turns rows into what they stand for.
func each[From, To any](rows []From, err error, to func(From) To) ([]To, error) {
	all := make([]To, len(rows))
	for i, r := range rows {
		all[i] = to(r)
	}
	return all, err
}

// stamp is a time as it is kept: milliseconds since 1970.
func stamp(t time.Time) int64 { return t.UnixMilli() }

func stampOrNull(t *time.Time) *int64 {
	if t == nil {
		return nil
	}
	return new(stamp(*t))
}

func instant(ms int64) time.Time { return time.UnixMilli(ms).UTC() }

func instantOrNil(ms *int64) *time.Time {
	if ms == nil {
		return nil
	}
	return new(instant(*ms))
}

func bit(is bool) int64 {
	if is {
		return 1
	}
	return 0
}

// Setting is what the shop set under the name; nil where it set nothing.
func (s *Store) Setting(ctx context.Context, name string) ([]byte, error) {
	value, err := s.q(ctx).Setting(ctx, name)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return []byte(value), err
}

// Set stores what the shop sets under the name.
func (s *Store) Set(ctx context.Context, name string, value []byte) error {
	return s.q(ctx).Set(ctx, db.SetParams{Name: name, Value: string(value)})
}
