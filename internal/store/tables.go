package store

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
)

// A Table is one as it goes into an archive and comes out of it.
type Table struct {
	Name      string
	Columns   []string
	Documents []string // columns that hold JSON, which is laid open
	Left      []string // columns that stay behind: secrets, and images, which go beside
	binary    []string // columns of bytes, as base64
	order     string
}

// Tables are all that an archive holds, in an order in which they can be read
// in: what is referred to comes first. Sessions, links and failed sign-ins stay
// behind, and what is worked out from the rest is made anew, but for summaries
// and diagnoses, which would take hours.
var Tables = []Table{
	{Name: "settings", Columns: []string{"name", "value"}},
	{Name: "people", Columns: []string{"id", "name", "role", "passphrase", "created_at", "withdrawn"}, Left: []string{"passphrase"}},
	{Name: "sites", Columns: []string{"id", "name", "address", "notes", "created_at"}},
	{Name: "panels", Columns: []string{"id", "site_id", "name", "directory", "version"}, Documents: []string{"directory"}},
	{Name: "runs", Columns: []string{"id", "panel_id", "name"}},
	{Name: "installs", Columns: []string{"run_id", "device", "installed_at"}, order: "run_id, device"},
	{Name: "gfcis", Columns: []string{"run_id", "device", "label", "serves", "installed_at", "tested_at", "held", "due_at"}, order: "run_id, device"},
	{Name: "calls", Columns: []string{"id", "run_id", "title", "created_at", "version", "stale"}},
	{Name: "parts", Columns: []string{"call_id", "kind", "id", "n", "document"}, Documents: []string{"document"}, order: "call_id, n, kind, id"},
	{Name: "images", Columns: []string{"call_id", "id", "image"}, Left: []string{"image"}, order: "call_id, id"},
	{Name: "stock", Columns: []string{"id", "call_id", "van", "item", "unit", "count", "at", "withdrawn"}, order: "id"},
	{Name: "actions", Columns: []string{"id", "call_id", "command", "doing", "what", "device", "person", "at", "arrived_at", "undoes", "changed", "made"}},
	{Name: "changes", Columns: []string{"action", "n", "kind", "id", "path", "next", "before", "after"}, order: "action, n"},
	{Name: "arrived", Columns: []string{"n", "command", "call_id", "document", "device", "person", "role", "arrived_at", "refused", "settled_at", "settled_by"}, Documents: []string{"document"}},
	{Name: "summaries", Columns: []string{"call_id", "document", "handed_over", "question", "build", "answer"}, Documents: []string{"document"}, binary: []string{"answer"}, order: "call_id"},
	{Name: "search", Columns: []string{"rowid", "title", "body"}, order: "rowid"},
}

// NoPassphrase stands for that of a person who came out of an archive: nobody
// signs in with it until another is set.
const NoPassphrase = ""

// ReadTables hands out every row of every table, as one JSON object, all as they
// are at one moment.
func (s *Store) ReadTables(
	ctx context.Context,
	each func(t *Table, row []byte) error,
	image func(call int64, id string, picture []byte) error,
) error {
	tx, err := s.db.BeginTx(ctx, &sql.TxOptions{ReadOnly: true})
	if err != nil {
		return err
	}
	defer tx.Rollback() //nolint:errcheck // nothing was written
	for i := range Tables {
		if err := readTable(ctx, tx, &Tables[i], each); err != nil {
			return fmt.Errorf("table %s: %w", Tables[i].Name, Cause(err))
		}
	}
	rows, err := tx.QueryContext(ctx, "SELECT call_id, id, image FROM images ORDER BY call_id, id")
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var call int64
		var id string
		var picture []byte
		if err := rows.Scan(&call, &id, &picture); err != nil {
			return err
		}
		if err := image(call, id, picture); err != nil {
			return err
		}
	}
	return rows.Err()
}

// kept are the columns that go into an archive.
func (t *Table) kept() []string {
	return slices.DeleteFunc(slices.Clone(t.Columns), func(c string) bool { return slices.Contains(t.Left, c) })
}

func readTable(ctx context.Context, tx *sql.Tx, t *Table, each func(*Table, []byte) error) error {
	columns := t.kept()
	order := t.order
	if order == "" {
		order = columns[0]
	}
	rows, err := tx.QueryContext(ctx, "SELECT "+strings.Join(columns, ", ")+" FROM "+t.Name+" ORDER BY "+order)
	if err != nil {
		return err
	}
	defer rows.Close()
	values := make([]any, len(columns))
	into := make([]any, len(columns))
	for i := range values {
		into[i] = &values[i]
	}
	var row bytes.Buffer
	e := json.NewEncoder(&row)
	e.SetEscapeHTML(false)
	for rows.Next() {
		if err := rows.Scan(into...); err != nil {
			return err
		}
		row.Reset()
		for i, v := range values {
			row.WriteString(map[bool]string{true: "{", false: ", "}[i == 0] + `"` + columns[i] + `": `)
			if text, ok := v.(string); ok && slices.Contains(t.Documents, columns[i]) {
				v = json.RawMessage(text)
			}
			if raw, ok := v.([]byte); ok {
				v = base64.StdEncoding.EncodeToString(raw)
			}
			if err := e.Encode(v); err != nil {
				return err
			}
			row.Truncate(row.Len() - 1) // the newline
		}
		row.WriteString("}")
		if err := each(t, row.Bytes()); err != nil {
			return err
		}
	}
	return rows.Err()
}

// ErrNotEmpty means that an archive was to be read into a database that holds
// something.
var ErrNotEmpty = errors.New("there are calls or sites in the database already: an archive is read into an empty one")

// A Writer reads an archive in, all of it or nothing.
type Writer struct {
	ctx    context.Context
	tx     *sql.Tx
	tables []Table
}

// Tables are those that it writes, in an order in which they can be read in.
func (w *Writer) Tables() []Table { return w.tables }

// WriteTables hands a writer to do, and keeps what it wrote if all of it holds
// together.
func (s *Store) WriteTables(ctx context.Context, do func(*Writer) error) error {
	return s.InTransaction(ctx, func(ctx context.Context) error {
		tx := ctx.Value(transactionKey{}).(*sql.Tx)
		var full bool
		if err := tx.QueryRowContext(ctx, "SELECT EXISTS (SELECT 1 FROM calls) OR EXISTS (SELECT 1 FROM sites)").Scan(&full); err != nil {
			return err
		}
		if full {
			return ErrNotEmpty
		}
		if _, err := tx.ExecContext(ctx, "PRAGMA defer_foreign_keys = ON"); err != nil {
			return err
		}
		return Cause(do(&Writer{ctx, tx, Tables}))
	})
}

// Write stores a row of the named table, given as one JSON object. Columns that
// are not the table's, and those that are missing, are errors.
func (w *Writer) Write(name string, row []byte, image func(call int64, id string) ([]byte, error)) error {
	i := slices.IndexFunc(w.tables, func(t Table) bool { return t.Name == name })
	if i < 0 {
		return fmt.Errorf("table %s: there is no such table", name)
	}
	t := &w.tables[i]
	var fields map[string]json.RawMessage
	if err := json.Unmarshal(row, &fields); err != nil {
		return err
	}
	columns := t.kept()
	args := make([]any, 0, len(t.Columns))
	for _, column := range columns {
		raw, ok := fields[column]
		if !ok {
			return fmt.Errorf("%s: is missing", column)
		}
		delete(fields, column)
		v, err := t.value(column, raw)
		if err != nil {
			return fmt.Errorf("%s: %w", column, err)
		}
		args = append(args, v)
	}
	for column := range fields {
		return fmt.Errorf("%s: there is no such column", column)
	}
	switch name {
	case "photographs": // of the first format
		id, ok := args[slices.Index(columns, "id")].(int64)
		if !ok {
			return errors.New("id: not a number")
		}
		picture, err := image(id, "")
		if err != nil {
			return err
		}
		columns, args = append(columns, "image"), append(args, picture)
	case "images":
		call, ok := args[slices.Index(columns, "call_id")].(int64)
		id, text := args[slices.Index(columns, "id")].(string)
		if !ok || !text {
			return errors.New("call_id, id: not a number and a text")
		}
		picture, err := image(call, id)
		if err != nil {
			return err
		}
		columns, args = append(columns, "image"), append(args, picture)
	case "people":
		columns, args = append(columns, "passphrase"), append(args, NoPassphrase)
	}
	_, err := w.tx.ExecContext(
		w.ctx,
		"INSERT INTO "+name+" ("+strings.Join(columns, ", ")+") VALUES (?"+strings.Repeat(", ?", len(columns)-1)+")",
		args...)
	return err
}

// value is a field as the database keeps it.
func (t *Table) value(column string, raw json.RawMessage) (any, error) {
	if slices.Contains(t.Documents, column) && string(raw) != "null" {
		return compact(raw)
	}
	var v any
	d := json.NewDecoder(bytes.NewReader(raw))
	d.UseNumber() // whole numbers stay whole
	if err := d.Decode(&v); err != nil {
		return nil, err
	}
	if text, ok := v.(string); ok && slices.Contains(t.binary, column) {
		return base64.StdEncoding.DecodeString(text)
	}
	switch v.(type) {
	case map[string]any, []any:
		return nil, errors.New("a plain value is wanted")
	}
	return plain(v), nil
}

func plain(v any) any {
	n, ok := v.(json.Number)
	if !ok {
		return v
	}
	if whole, err := n.Int64(); err == nil {
		return whole
	}
	f, _ := n.Float64() // it was written by Export, or the column refuses it
	return f
}
