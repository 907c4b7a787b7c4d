// Package migrations holds the steps by which a database is brought up to date, and
// what they make of an empty one. It knows nothing of the queries, which are generated
// from that.
package migrations

import (
	"bytes"
	"context"
	"database/sql"
	"embed"
	"io/fs"
	"strings"
	"testing/fstest"
	"time"

	"github.com/pressly/goose/v3"
)

// Files are the steps, as goose wants them.
//
//go:embed *.sql
var Files embed.FS

// tries bounds how often a step is taken again because another machine took it at the same time.
const tries = 20

// Up brings the database up to date. Of a file, it gives back to the disk what that left empty;
// where several machines may open one database at once, the first that takes a step has it.
func Up(ctx context.Context, db *sql.DB, file bool) error {
	var from fs.FS = Files
	if !file {
		var err error
		if from, err = older(); err != nil {
			return err
		}
	}
	provider, err := goose.NewProvider(goose.DialectSQLite3, db, from)
	if err != nil {
		return err
	}
	steps, err := provider.Up(ctx)
	for n := 0; err != nil && !file && n < tries && ctx.Err() == nil; n++ {
		time.Sleep(100 * time.Millisecond)
		steps, err = provider.Up(ctx)
	}
	if err != nil || len(steps) == 0 || !file {
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

// newer is what SQLite takes from 3.42 on only; a cluster's is Debian's, 3.40. There the index is
// written anew when something is erased (Store.EraseSite).
const newer = "INSERT INTO search (search, rank) VALUES ('secure-delete', 1);\n"

// older are the steps without it.
func older() (fs.FS, error) {
	all := fstest.MapFS{}
	names, err := fs.Glob(Files, "*.sql")
	if err != nil {
		return nil, err
	}
	for _, name := range names {
		data, err := Files.ReadFile(name)
		if err != nil {
			return nil, err
		}
		all[name] = &fstest.MapFile{Data: bytes.ReplaceAll(data, []byte(newer), nil)}
	}
	return all, nil
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
