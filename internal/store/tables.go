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

	"elvat/core/job"
	"elvat/core/practice"
	"elvat/core/strict"
)

// A Table is one as it goes into an archive and comes out of it.
type Table struct {
	Name      string
	Columns   []string
	Documents []string // columns that hold JSON, which is laid open
	Left      []string // columns that stay behind: secrets, and images, which go beside
	binary    []string // columns of bytes, as base64
	late      []string // columns that archives of before do not have
	order     string
}

// Tables are all that an archive holds, in an order in which they can be read
// in: what is referred to comes first. Sessions, links and failed sign-ins stay
// behind, and what is worked out from the rest is made anew, but for summaries
// and diagnoses, which would take hours.
var Tables = []Table{
	{Name: "settings", Columns: []string{"name", "value"}},
	{Name: "people", Columns: []string{"id", "name", "role", "passphrase", "created_at", "withdrawn"}, Left: []string{"passphrase"}},
	{Name: "sites", Columns: []string{"id", "name", "address", "notes", "created_at", "erased_at", "telephone", "lat", "lon"}, late: []string{"erased_at", "telephone", "lat", "lon"}},
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
	{Name: "invoices", Columns: []string{"number", "paper", "call_id", "of", "command", "at", "document"}, Documents: []string{"document"}, order: "number"},
	{Name: "drills", Columns: []string{"id", "command", "person", "begun_at", "version", "packed", "result"}, Documents: []string{"packed"}, order: "id"},
	{Name: "events", Columns: []string{"id", "at", "what", "person", "place", "call_id", "about"}},
	{Name: "summaries", Columns: []string{"call_id", "document", "handed_over", "question", "build", "answer"}, Documents: []string{"document"}, binary: []string{"answer"}, order: "call_id"},
	{Name: "search", Columns: []string{"rowid", "title", "body"}, order: "rowid"},
}

// NoPassphrase stands for that of a person who came out of an archive: nobody
// signs in with it until another is set.
const NoPassphrase = ""

// callsOfSite and runsOfSite are those of one site, the first parameter.
const (
	runsOfSite  = "(SELECT r.id FROM runs r JOIN panels p ON p.id = r.panel_id WHERE p.site_id = ?1)"
	callsOfSite = "(SELECT c.id FROM calls c WHERE c.run_id IN " + runsOfSite + ")"
)

// ofSite says which rows of a table are of one site. Tables that are not here are of none.
var ofSite = map[string]string{
	"sites": "id = ?1", "panels": "site_id = ?1", "runs": "id IN " + runsOfSite, "installs": "run_id IN " + runsOfSite, "gfcis": "run_id IN " + runsOfSite,
	"calls": "id IN " + callsOfSite, "parts": "call_id IN " + callsOfSite, "images": "call_id IN " + callsOfSite, "stock": "call_id IN " + callsOfSite,
	"actions": "call_id IN " + callsOfSite, "changes": "action IN (SELECT a.id FROM actions a WHERE a.call_id IN " + callsOfSite + ")",
	"arrived": "call_id IN " + callsOfSite, "events": "call_id IN " + callsOfSite, "invoices": "call_id IN " + callsOfSite, "summaries": "call_id IN " + callsOfSite,
}

// ReadTables hands out every row of every table, as one JSON object, all as they
// are at one moment.
func (s *Store) ReadTables(
	ctx context.Context,
	each func(t *Table, row []byte) error,
	image func(call int64, id string, picture []byte) error,
) error {
	return s.readTables(ctx, 0, each, image)
}

// ReadSite is ReadTables of what is kept of one site and its calls.
func (s *Store) ReadSite(
	ctx context.Context,
	site int64,
	each func(t *Table, row []byte) error,
	image func(call int64, id string, picture []byte) error,
) error {
	return s.readTables(ctx, site, each, image)
}

func (s *Store) readTables(
	ctx context.Context,
	site int64,
	each func(t *Table, row []byte) error,
	image func(call int64, id string, picture []byte) error,
) error {
	tx, err := s.db.BeginTx(ctx, &sql.TxOptions{ReadOnly: true})
	if err != nil {
		return err
	}
	defer tx.Rollback() //nolint:errcheck // nothing was written
	var args []any
	if site != 0 {
		args = append(args, site)
	}
	for i := range Tables {
		where, of := "", ofSite[Tables[i].Name]
		switch {
		case site != 0 && of == "":
			continue
		case site != 0:
			where = " WHERE " + of
		}
		if err := readTable(ctx, tx, &Tables[i], where, args, each); err != nil {
			return fmt.Errorf("table %s: %w", Tables[i].Name, Cause(err))
		}
	}
	images := "SELECT call_id, id, image FROM images"
	if site != 0 {
		images += " WHERE " + ofSite["images"]
	}
	rows, err := tx.QueryContext(ctx, images+" ORDER BY call_id, id", args...)
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
		if picture, err = s.picture(ctx, picture); err == nil {
			err = image(call, id, picture)
		}
		if err != nil {
			return err
		}
	}
	return rows.Err()
}

// kept are the columns that go into an archive.
func (t *Table) kept() []string {
	return slices.DeleteFunc(slices.Clone(t.Columns), func(c string) bool { return slices.Contains(t.Left, c) })
}

func readTable(ctx context.Context, tx *sql.Tx, t *Table, where string, args []any, each func(*Table, []byte) error) error {
	columns := t.kept()
	order := t.order
	if order == "" {
		order = columns[0]
	}
	rows, err := tx.QueryContext(ctx, "SELECT "+quoted(columns...)+" FROM "+quoted(t.Name)+where+" ORDER BY "+order, args...)
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
	away   func(context.Context, []byte) ([]byte, error)
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
		if err := do(&Writer{ctx, tx, Tables, s.away}); err != nil {
			return Cause(err)
		}
		return s.readable(ctx)
	})
}

// readable reports what of all that was written cannot be read as what it stands for: an
// archive is anybody's file until then.
func (s *Store) readable(ctx context.Context) error {
	tx := ctx.Value(transactionKey{}).(*sql.Tx)
	ids, err := column[int64](ctx, tx, "SELECT id FROM calls ORDER BY id")
	if err != nil {
		return err
	}
	for _, id := range ids {
		at, err := s.Load(ctx, id)
		if errors.Is(err, ErrNotFound) {
			err = fmt.Errorf("tables/calls.json: call %d hangs on no run of a panel of a site", id)
		}
		if err != nil {
			return err
		}
		if at.Record.Circuit == nil {
			return fmt.Errorf("tables/parts.json: call %d has no run", id)
		}
		if _, err := s.Answer(ctx, id); err != nil && !errors.Is(err, ErrNotFound) {
			return fmt.Errorf("tables/summaries.json: call %d: %w", id, err)
		}
	}
	if _, err := s.Untried(ctx); err != nil {
		return fmt.Errorf("tables/arrived.json: %w", err)
	}
	if _, err := s.Decisions(ctx, -1); err != nil {
		return fmt.Errorf("tables/arrived.json: %w", err)
	}
	directories, err := column[string](ctx, tx, "SELECT directory FROM panels")
	if err != nil {
		return err
	}
	for _, text := range directories {
		var d job.Directory
		if err := json.Unmarshal([]byte(text), &d); err != nil {
			return fmt.Errorf("tables/panels.json: %w", err)
		}
	}
	return nil
}

// column is the only column of what is asked for.
func column[T any](ctx context.Context, tx *sql.Tx, query string) (all []T, err error) {
	rows, err := tx.QueryContext(ctx, query)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var one T
		if err := rows.Scan(&one); err != nil {
			return nil, err
		}
		all = append(all, one)
	}
	return all, rows.Err()
}

// sound reports a row that no shop can have written: texts without end, a role there is not, a
// setting of another name.
func (w *Writer) sound(name string, row []byte) error {
	var k struct {
		Name  string `json:"name"`
		Role  string `json:"role"`
		Value string `json:"value"`
	}
	switch name {
	case "summaries":
		return nil // what was worked out is long; it is read below
	case "people":
		if err := json.Unmarshal(row, &k); err != nil {
			return err
		}
		if err := job.Role(k.Role).Check(); err != nil {
			return err
		}
	case "settings":
		if err := json.Unmarshal(row, &k); err != nil {
			return err
		}
		if !slices.Contains(settings, k.Name) && !strings.HasPrefix(k.Name, "lamps of ") {
			return fmt.Errorf("name: there is no setting %q", k.Name)
		}
		return soundSetting(k.Name, []byte(k.Value))
	}
	return strict.Sound(row)
}

// soundSetting checks the value of a setting: a document as text, but for two.
func soundSetting(name string, value []byte) error {
	switch name {
	case "label-key", "instance":
		if len(value) == 0 || len(value) > strict.MostName || strings.ContainsFunc(string(value), func(r rune) bool { return r <= ' ' || r > '~' }) {
			return fmt.Errorf("value: %s is none", name)
		}
		return nil
	case "house":
		var shop practice.Shop
		if err := json.Unmarshal(value, &shop); err != nil {
			return fmt.Errorf("value: %w", err)
		}
		return shop.Check()
	}
	if !json.Valid(value) {
		return errors.New("value: not valid JSON")
	}
	return strict.Sound(value)
}

// settings are the names under which a shop keeps what it set; those of lamps are a person's.
var settings = []string{"house", "practice", "learned", "lights", "lamps", "example", "label-key", "instance", "door", "prices", "day", "clocks"}

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
	if err := w.sound(t.Name, row); err != nil {
		return err
	}
	var columns []string
	args := make([]any, 0, len(t.Columns))
	for _, column := range t.kept() {
		raw, ok := fields[column]
		if !ok && slices.Contains(t.late, column) {
			continue // as the database has it where nothing is said
		}
		if !ok {
			return fmt.Errorf("%s: is missing", column)
		}
		delete(fields, column)
		v, err := t.value(column, raw)
		if err != nil {
			return fmt.Errorf("%s: %w", column, err)
		}
		columns, args = append(columns, column), append(args, v)
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
		if err == nil {
			picture, err = w.away(w.ctx, picture)
		}
		if err != nil {
			return err
		}
		columns, args = append(columns, "image"), append(args, picture)
	case "people":
		columns, args = append(columns, "passphrase"), append(args, NoPassphrase)
	}
	_, err := w.tx.ExecContext(
		w.ctx,
		"INSERT INTO "+quoted(t.Name)+" ("+quoted(columns...)+") VALUES (?"+strings.Repeat(", ?", len(columns)-1)+")",
		args...)
	return err
}

// quoted are names of tables or columns as they stand in a statement. They come from this
// package's own lists and from nowhere else; quoted they are names whatever they are.
func quoted(names ...string) string {
	all := make([]string, len(names))
	for i, name := range names {
		all[i] = `"` + strings.ReplaceAll(name, `"`, `""`) + `"`
	}
	return strings.Join(all, ", ")
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
