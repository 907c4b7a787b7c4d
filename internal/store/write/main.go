// Command write writes schema.sql, generates the queries from it with sqlc, and keeps
// what they were generated from. It is run by make generate.
package main

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"log"
	"os"
	"os/exec"
	"path/filepath"

	_ "modernc.org/sqlite" // the driver

	"elvat/internal/store/migrations"
)

// sqlc is the generator. It is built when it is needed, and no part of the product.
const sqlc = "github.com/sqlc-dev/sqlc/cmd/sqlc@v1.30.0"

func main() {
	if err := write(context.Background()); err != nil {
		log.Fatal(err)
	}
}

func write(ctx context.Context) (err error) {
	folder, err := os.MkdirTemp("", "elvat-schema")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(folder)) }()
	db, err := sql.Open("sqlite", "file:"+filepath.Join(folder, "x.db"))
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, db.Close()) }()
	if err := migrations.Up(ctx, db, true); err != nil {
		return err
	}
	schema, err := migrations.Schema(ctx, db)
	if err != nil {
		return err
	}
	queries, err := os.ReadFile("queries.sql")
	if err != nil {
		return err
	}
	sum := sha256.Sum256([]byte(schema + string(queries)))
	of := hex.EncodeToString(sum[:]) + "\n"
	if was, err := os.ReadFile("db/generated-from.sha256"); err == nil && string(was) == of {
		return nil // nothing has changed, and sqlc takes minutes to build
	}
	if err := os.WriteFile("schema.sql", []byte(schema), 0o644); err != nil {
		return err
	}
	run := exec.CommandContext(ctx, "go", "run", sqlc, "generate")
	run.Stdout, run.Stderr = os.Stdout, os.Stderr
	if err := run.Run(); err != nil {
		return err
	}
	return os.WriteFile("db/generated-from.sha256", []byte(of), 0o644)
}
