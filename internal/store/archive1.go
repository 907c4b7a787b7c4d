package store

import (
	"context"
	"database/sql"
	"errors"
	"os"
	"path/filepath"

	"elvat/internal/store/migrations"
)

// version1 is the migration whose tables an archive of the first format has.
const version1 = 8

// tables1 are those of an elvat-archive/1, in an order in which they can be read in.
var tables1 = []Table{
	{Name: "settings", Columns: []string{"name", "value"}},
	{Name: "people", Columns: []string{"id", "name", "role", "passphrase", "created_at", "withdrawn"}, Left: []string{"passphrase"}},
	{Name: "sites", Columns: []string{"id", "name", "address", "notes", "created_at"}},
	{Name: "panels", Columns: []string{"id", "site_id", "name", "directory"}, Documents: []string{"directory"}},
	{Name: "runs", Columns: []string{"id", "panel_id", "name"}},
	{Name: "installs", Columns: []string{"run_id", "device", "installed_at"}, order: "run_id, device"},
	{Name: "gfcis", Columns: []string{"run_id", "device", "label", "serves", "installed_at", "tested_at", "held", "due_at"}, order: "run_id, device"},
	{Name: "calls", Columns: []string{"id", "run_id", "title", "complaint", "created_at", "cautions_read_at", "state", "conditions", "map", "version", "stale"}, Documents: []string{"state", "conditions", "map"}},
	{Name: "circuits", Columns: []string{"id", "call_id", "document", "created_at", "withdrawn"}, Documents: []string{"document"}},
	{Name: "readings", Columns: []string{"id", "call_id", "entry", "taken_at", "document", "withdrawn", "doubtful"}, Documents: []string{"document"}, order: "call_id, entry"},
	{Name: "journal", Columns: []string{"id", "call_id", "entry", "at", "document", "withdrawn"}, Documents: []string{"document"}, order: "call_id, entry"},
	{Name: "answers", Columns: []string{"id", "call_id", "entry", "at", "document"}, Documents: []string{"document"}, order: "call_id, entry"},
	{Name: "boxes", Columns: []string{"call_id", "box", "document", "done", "made_at", "made_by"}, Documents: []string{"document", "done"}, order: "call_id, box"},
	{Name: "changed_devices", Columns: []string{"call_id", "device"}, order: "call_id, device"},
	{Name: "photographs", Columns: []string{"id", "call_id", "box", "phase", "taken_at", "withdrawn", "sent_as", "image"}, Left: []string{"image"}},
	{Name: "stock", Columns: []string{"id", "call_id", "box", "van", "item", "unit", "count", "at", "withdrawn"}, order: "id"},
	{Name: "conflicts", Columns: []string{"id", "call_id", "at", "document", "path", "theirs", "mine", "their_name", "my_name", "settled_at"}},
	{Name: "actions", Columns: []string{"id", "call_id", "what", "device", "person", "at", "undoes", "undone", "command"}},
	{Name: "changes", Columns: []string{"id", "action", "kind", "key", "was"}},
	{Name: "summaries", Columns: []string{"call_id", "document", "handed_over", "diagnosis"}, Documents: []string{"document"}, order: "call_id"},
	{Name: "diagnoses", Columns: []string{"key", "result"}, Documents: []string{"result"}, order: "key"},
	{Name: "search", Columns: []string{"rowid", "title", "body"}, order: "rowid"},
}

// WriteTables1 is WriteTables for an elvat-archive/1: its tables are read into a
// database of that time beside this one, which is brought up to date as any old
// database is, and copied over.
func (s *Store) WriteTables1(ctx context.Context, do func(*Writer) error) (err error) {
	folder, err := os.MkdirTemp("", "elvat-archive")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(folder)) }()
	path := filepath.Join(folder, "then.db")
	if err := writeThen(ctx, path, do); err != nil {
		return err
	}
	then, err := Open(ctx, path)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, then.Close()) }()
	return s.WriteTables(ctx, func(w *Writer) error {
		images := func(call int64, id string) ([]byte, error) { return then.Image(ctx, call, id) }
		return then.ReadTables(
			ctx,
			func(t *Table, row []byte) error { return w.Write(t.Name, row, images) },
			func(int64, string, []byte) error { return nil },
		)
	})
}

func writeThen(ctx context.Context, path string, do func(*Writer) error) (err error) {
	db, err := sql.Open("sqlite", "file:"+path+"?_pragma=foreign_keys(ON)")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, db.Close()) }()
	if err := migrations.UpTo(ctx, db, version1); err != nil {
		return err
	}
	tx, err := db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "PRAGMA defer_foreign_keys = ON"); err != nil {
		return errors.Join(err, tx.Rollback())
	}
	if err := do(&Writer{ctx: ctx, tx: tx, tables: tables1}); err != nil {
		return errors.Join(err, tx.Rollback())
	}
	return tx.Commit()
}
