// Package migrations holds the steps by which a database is brought up to date, and
// what they make of an empty one. It knows nothing of the queries, which are generated
// from that.
package migrations

import (
	"context"
	"database/sql"
	"embed"
	"strings"

	"github.com/pressly/goose/v3"
)

// Files are the steps, as goose wants them.
//
//go:embed *.sql
var Files embed.FS

// Up brings the database up to date, and gives back to the disk what that left empty.
func Up(ctx context.Context, db *sql.DB) error {
	provider, err := goose.NewProvider(goose.DialectSQLite3, db, Files)
	if err != nil {
		return err
	}
	steps, err := provider.Up(ctx)
	if err != nil || len(steps) == 0 {
		return err
	}
	var empty int
	if err := db.QueryRowContext(ctx, "PRAGMA freelist_count").Scan(&empty); err != nil || empty < emptyPages {
		return err
	}
	// It needs as much room again for a moment. Where there is none, the file stays as
	// large as it is, and sound: new rows go into what is empty.
	_, _ = db.ExecContext(ctx, "VACUUM")
	return nil
}

// emptyPages is from how many on it is worth while: 4 MB. Assumption.
const emptyPages = 1000

// UpTo brings it to the given step and no further.
func UpTo(ctx context.Context, db *sql.DB, version int64) error {
	provider, err := goose.NewProvider(goose.DialectSQLite3, db, Files)
	if err == nil {
		_, err = provider.UpTo(ctx, version)
	}
	return err
}

// Schema is every table and index of a database as SQLite has it.
func Schema(ctx context.Context, db *sql.DB) (string, error) {
	rows, err := db.QueryContext(ctx, `SELECT sql FROM sqlite_schema WHERE sql IS NOT NULL AND name NOT LIKE 'sqlite_%' AND name NOT LIKE 'search_%' AND name NOT LIKE 'goose%'
		ORDER BY type DESC, name`)
	if err != nil {
		return "", err
	}
	defer rows.Close()
	var out strings.Builder
	for rows.Next() {
		var statement string
		if err := rows.Scan(&statement); err != nil {
			return "", err
		}
		out.WriteString(statement + ";\n\n")
	}
	return out.String(), rows.Err()
}
