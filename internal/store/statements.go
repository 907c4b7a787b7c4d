package store

import (
	"context"
	"database/sql"
	"sync"
)

// statements runs queries that were prepared once: to parse one takes longer than to
// carry it out. In a transaction they are those of its connection.
type statements struct {
	db  *sql.DB
	tx  *sql.Tx // nil outside of one
	all *sync.Map
}

// of is the prepared query.
func (s statements) of(ctx context.Context, query string) (*sql.Stmt, error) {
	kept, ok := s.all.Load(query)
	if !ok {
		made, err := s.PrepareContext(ctx, query)
		if err != nil {
			return nil, err
		}
		var there bool
		if kept, there = s.all.LoadOrStore(query, made); there {
			if err := made.Close(); err != nil {
				return nil, err
			}
		}
	}
	stmt, _ := kept.(*sql.Stmt)
	if s.tx != nil {
		stmt = s.tx.StmtContext(ctx, stmt)
	}
	return stmt, nil
}

// ExecContext carries the query out.
func (s statements) ExecContext(ctx context.Context, query string, args ...any) (sql.Result, error) {
	stmt, err := s.of(ctx, query)
	if err != nil {
		return nil, err
	}
	return stmt.ExecContext(ctx, args...)
}

// PrepareContext prepares the query for the database, whatever transaction there is.
func (s statements) PrepareContext(ctx context.Context, query string) (*sql.Stmt, error) {
	return s.db.PrepareContext(context.WithoutCancel(ctx), query)
}

// QueryContext asks for rows.
func (s statements) QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error) {
	stmt, err := s.of(ctx, query)
	if err != nil {
		return nil, err
	}
	return stmt.QueryContext(ctx, args...)
}

// QueryRowContext asks for one row.
func (s statements) QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row {
	stmt, err := s.of(ctx, query)
	if err != nil { // the row says so: it cannot be prepared there either
		if s.tx != nil {
			return s.tx.QueryRowContext(ctx, query, args...)
		}
		return s.db.QueryRowContext(ctx, query, args...)
	}
	return stmt.QueryRowContext(ctx, args...)
}

// close lets go of them.
func (s statements) close() {
	s.all.Range(func(_, kept any) bool {
		if stmt, ok := kept.(*sql.Stmt); ok {
			stmt.Close() //nolint:errcheck // the database is closed next
		}
		return true
	})
}
