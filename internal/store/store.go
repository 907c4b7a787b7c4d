// Package store keeps calls, their circuits and their readings in SQLite.
// A write that returned without an error is on the disk.
package store

import (
	"bytes"
	"context"
	"database/sql"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"strings"
	"time"

	"github.com/pressly/goose/v3"
	_ "modernc.org/sqlite" // the driver
)

//go:embed migrations/*.sql
var migrations embed.FS

// tables are the migrations as goose wants them: at the top of a file system.
var tables = func() fs.FS {
	sub, err := fs.Sub(migrations, "migrations")
	if err != nil {
		panic(err) // the folder is embedded above
	}
	return sub
}()

// ErrNotFound means that there is no such call, reading or revision.
var ErrNotFound = errors.New("not found")

// ErrNothingToUndo means that a run is back at its first revision.
var ErrNothingToUndo = errors.New("the run has no change to take back")

// A Store is an open database file.
type Store struct{ db *sql.DB }

// Open opens the database file, creating it or bringing its tables up to date
// where needed.
func Open(ctx context.Context, path string) (*Store, error) { return OpenLimited(ctx, path, 0) }

// OpenLimited is Open for a file that may grow to so many pages at most, as on a
// disk that is full then; 0: no bound.
func OpenLimited(ctx context.Context, path string, pages int) (*Store, error) {
	pragmas := url.Values{"_pragma": {"journal_mode(WAL)", "synchronous(FULL)", "foreign_keys(ON)", "busy_timeout(5000)"}, "_txlock": {"immediate"}}
	if pages > 0 {
		pragmas.Add("_pragma", fmt.Sprintf("max_page_count(%d)", pages))
	}
	db, err := sql.Open("sqlite", "file:"+(&url.URL{Path: path}).EscapedPath()+"?"+pragmas.Encode())
	if err != nil {
		return nil, fmt.Errorf("database %s: %w", path, err)
	}
	provider, err := goose.NewProvider(goose.DialectSQLite3, db, tables)
	if err == nil {
		_, err = provider.Up(ctx)
	}
	if err != nil {
		return nil, errors.Join(fmt.Errorf("database %s: %w", path, Cause(err)), db.Close())
	}
	return &Store{db}, nil
}

// Close closes the file.
func (s *Store) Close() error { return s.db.Close() }

// A Call is a service call.
type Call struct {
	ID             int64
	Title          string
	Complaint      string
	CreatedAt      time.Time
	CautionsReadAt *time.Time
	State          []byte // the circuit's now; nil: as its file says
	Conditions     []byte // of the place; nil: none known
	Map            []byte // what is known of the order of the boxes; nil: all of it
	Run            int64  // of the site book
	Version        int64  // the last action on it
}

// A Reading is one as it was entered.
type Reading struct {
	ID        string
	TakenAt   time.Time
	Document  []byte
	Withdrawn bool
	Doubtful  bool
}

// AddCall stores a new call with the first revision of its run.
func (s *Store) AddCall(ctx context.Context, call Call, circuit []byte) (int64, error) {
	var id int64
	err := s.inTransaction(ctx, func(ctx context.Context) error {
		row := s.on(ctx).QueryRowContext(ctx, "INSERT INTO calls (title, complaint, created_at, cautions_read_at, run_id, conditions, map) VALUES (?, ?, ?, ?, ?, ?, ?) RETURNING id",
			call.Title, call.Complaint, stamp(call.CreatedAt), stampOrNull(call.CautionsReadAt), call.Run, textOrNull(call.Conditions), textOrNull(call.Map))
		if err := row.Scan(&id); err != nil {
			return err
		}
		return s.AddCircuit(ctx, id, circuit, call.CreatedAt)
	})
	return id, err
}

// Call returns one call.
func (s *Store) Call(ctx context.Context, id int64) (Call, error) {
	return scanCall(s.on(ctx).QueryRowContext(ctx, `SELECT id, title, complaint, created_at, cautions_read_at, state, conditions, map, run_id, version
		FROM calls WHERE id = ?`, id))
}

func scanCall(row interface{ Scan(...any) error }) (Call, error) {
	var call Call
	var created string
	var cautions, state, conditions, order sql.NullString
	err := row.Scan(&call.ID, &call.Title, &call.Complaint, &created, &cautions, &state, &conditions, &order, &call.Run, &call.Version)
	if errors.Is(err, sql.ErrNoRows) {
		return call, ErrNotFound
	}
	if err != nil {
		return call, err
	}
	for _, kept := range []struct {
		from sql.NullString
		to   *[]byte
	}{{state, &call.State}, {conditions, &call.Conditions}, {order, &call.Map}} {
		if kept.from.Valid {
			*kept.to = []byte(kept.from.String)
		}
	}
	if call.CreatedAt, err = time.Parse(time.RFC3339Nano, created); err != nil {
		return call, err
	}
	if cautions.Valid {
		at, err := time.Parse(time.RFC3339Nano, cautions.String)
		if err != nil {
			return call, err
		}
		call.CautionsReadAt = &at
	}
	return call, nil
}

// UpdateCall stores title, complaint and when the cautions were read.
func (s *Store) UpdateCall(ctx context.Context, call Call) error {
	return s.mustChange(s.on(ctx).ExecContext(ctx, "UPDATE calls SET title = ?, complaint = ?, cautions_read_at = ? WHERE id = ?",
		call.Title, call.Complaint, stampOrNull(call.CautionsReadAt), call.ID))
}

// SetState stores the state the call's circuit is in now; nil: as its file says.
func (s *Store) SetState(ctx context.Context, call int64, state []byte) error {
	return s.mustChange(s.on(ctx).ExecContext(ctx, "UPDATE calls SET state = ? WHERE id = ?", textOrNull(state), call))
}

// SetChanged stores that a device was changed lately, or that it was not.
func (s *Store) SetChanged(ctx context.Context, call int64, device string, changed bool) error {
	statement := "DELETE FROM changed_devices WHERE call_id = ? AND device = ?"
	if changed {
		statement = "INSERT INTO changed_devices (call_id, device) VALUES (?, ?) ON CONFLICT DO NOTHING"
	}
	_, err := s.on(ctx).ExecContext(ctx, statement, call, device)
	return err
}

// Changed lists the devices known to have been changed lately.
func (s *Store) Changed(ctx context.Context, call int64) ([]string, error) {
	rows, err := s.on(ctx).QueryContext(ctx, "SELECT device FROM changed_devices WHERE call_id = ? ORDER BY device", call)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	devices := []string{}
	for rows.Next() {
		var device string
		if err := rows.Scan(&device); err != nil {
			return nil, err
		}
		devices = append(devices, device)
	}
	return devices, rows.Err()
}

// Setting is what the shop set under the name; nil where it set nothing.
func (s *Store) Setting(ctx context.Context, name string) ([]byte, error) {
	var value string
	err := s.on(ctx).QueryRowContext(ctx, "SELECT value FROM settings WHERE name = ?", name).Scan(&value)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return []byte(value), err
}

// Set stores what the shop sets under the name.
func (s *Store) Set(ctx context.Context, name string, value []byte) error {
	_, err := s.on(ctx).ExecContext(ctx, "INSERT INTO settings (name, value) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET value = excluded.value", name, string(value))
	return err
}

// AddCircuit stores a new revision of the call's run.
func (s *Store) AddCircuit(ctx context.Context, call int64, document []byte, at time.Time) error {
	kept, err := compact(document)
	if err != nil {
		return err
	}
	_, err = s.on(ctx).ExecContext(ctx, "INSERT INTO circuits (call_id, document, created_at) VALUES (?, ?, ?)", call, kept, stamp(at))
	return err
}

// A Revision is a stored state of a call's run.
type Revision struct {
	ID       int64
	Document []byte
	Earlier  bool // there is one to go back to
}

// Circuit is the call's run as it is now.
func (s *Store) Circuit(ctx context.Context, call int64) (Revision, error) {
	var r Revision
	var document string
	err := s.on(ctx).QueryRowContext(ctx, `SELECT id, document, EXISTS (
		SELECT 1 FROM circuits earlier WHERE earlier.call_id = c.call_id AND NOT earlier.withdrawn AND earlier.id < c.id)
		FROM circuits c WHERE call_id = ? AND NOT withdrawn ORDER BY id DESC LIMIT 1`, call).Scan(&r.ID, &document, &r.Earlier)
	if errors.Is(err, sql.ErrNoRows) {
		return r, ErrNotFound
	}
	r.Document = []byte(document)
	return r, err
}

// UndoCircuit withdraws the latest revision of the call's run.
func (s *Store) UndoCircuit(ctx context.Context, call int64) error {
	return s.inTransaction(ctx, func(ctx context.Context) error {
		var id, earlier int64
		err := s.on(ctx).QueryRowContext(ctx, "SELECT max(id), count(*) - 1 FROM circuits WHERE call_id = ? AND NOT withdrawn HAVING count(*) > 0", call).Scan(&id, &earlier)
		if errors.Is(err, sql.ErrNoRows) {
			return ErrNotFound
		}
		if err != nil {
			return err
		}
		if earlier == 0 {
			return ErrNothingToUndo
		}
		_, err = s.on(ctx).ExecContext(ctx, "UPDATE circuits SET withdrawn = 1 WHERE id = ?", id)
		return err
	})
}

// AddReading stores a reading. One that is there already is left as it is.
func (s *Store) AddReading(ctx context.Context, call int64, r Reading) error {
	document, err := compact(r.Document)
	if err != nil {
		return err
	}
	result, err := s.on(ctx).ExecContext(ctx, `INSERT INTO readings (id, call_id, entry, taken_at, document)
		VALUES (?, ?, (SELECT coalesce(max(entry), 0) + 1 FROM readings WHERE call_id = ?), ?, ?) ON CONFLICT (id) DO NOTHING`,
		r.ID, call, call, stamp(r.TakenAt), document)
	return s.same(ctx, result, err, "readings", r.ID, call, string(document))
}

// same refuses what was not entered because its id is there already, unless it is
// the same thing on the same call, sent twice.
func (s *Store) same(ctx context.Context, result sql.Result, err error, table, id string, call int64, document string) error {
	if err != nil {
		return err
	}
	if n, err := result.RowsAffected(); err != nil || n > 0 {
		return err
	}
	var is bool
	if err := s.on(ctx).QueryRowContext(ctx, "SELECT call_id = ? AND document = ? FROM "+table+" WHERE id = ?", call, document, id).Scan(&is); err != nil {
		return err
	}
	if !is {
		return ErrUsedElsewhere
	}
	return nil
}

// AddReadings stores the readings of a new call at once, where none was stored
// before: history comes in by the million.
func (s *Store) AddReadings(ctx context.Context, call int64, all []Reading) error {
	const columns = 5
	for first := 0; first < len(all); first += 100 {
		some := all[first:min(first+100, len(all))]
		args := make([]any, 0, columns*len(some))
		for i, r := range some {
			args = append(args, r.ID, call, first+i+1, stamp(r.TakenAt), string(r.Document))
		}
		if _, err := s.on(ctx).ExecContext(ctx, "INSERT INTO readings (id, call_id, entry, taken_at, document) VALUES (?, ?, ?, ?, ?)"+strings.Repeat(", (?, ?, ?, ?, ?)", len(some)-1), args...); err != nil {
			return err
		}
	}
	return nil
}

// InTransaction runs do's writes as one: all are kept, or none.
func (s *Store) InTransaction(ctx context.Context, do func(context.Context) error) error {
	return s.inTransaction(ctx, do)
}

// Readings lists the call's readings in the order of entry, those taken back
// included.
func (s *Store) Readings(ctx context.Context, call int64) ([]Reading, error) {
	rows, err := s.on(ctx).QueryContext(ctx, "SELECT id, taken_at, document, withdrawn, doubtful FROM readings WHERE call_id = ? ORDER BY entry", call)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var readings []Reading
	for rows.Next() {
		var r Reading
		var at, document string
		if err := rows.Scan(&r.ID, &at, &document, &r.Withdrawn, &r.Doubtful); err != nil {
			return nil, err
		}
		r.Document = []byte(document)
		if r.TakenAt, err = time.Parse(time.RFC3339Nano, at); err != nil {
			return nil, err
		}
		readings = append(readings, r)
	}
	return readings, rows.Err()
}

// WithdrawReading takes a reading back, or puts it back in force.
func (s *Store) WithdrawReading(ctx context.Context, call int64, id string, withdrawn bool) error {
	return s.mustChange(s.on(ctx).ExecContext(ctx, "UPDATE readings SET withdrawn = ? WHERE call_id = ? AND id = ?", withdrawn, call, id))
}

// DoubtReading marks a reading doubtful, or trusts it again.
func (s *Store) DoubtReading(ctx context.Context, call int64, id string, doubtful bool) error {
	return s.mustChange(s.on(ctx).ExecContext(ctx, "UPDATE readings SET doubtful = ? WHERE call_id = ? AND id = ?", doubtful, call, id))
}

// SetConditions keeps what is known of the place.
func (s *Store) SetConditions(ctx context.Context, call int64, conditions []byte) error {
	return s.mustChange(s.on(ctx).ExecContext(ctx, "UPDATE calls SET conditions = ? WHERE id = ?", string(conditions), call))
}

// SetMap keeps what is known of the order of the boxes.
func (s *Store) SetMap(ctx context.Context, call int64, order []byte) error {
	return s.mustChange(s.on(ctx).ExecContext(ctx, "UPDATE calls SET map = ? WHERE id = ?", string(order), call))
}

func (s *Store) mustChange(result sql.Result, err error) error {
	if err != nil {
		return err
	}
	n, err := result.RowsAffected()
	if err == nil && n == 0 {
		return ErrNotFound
	}
	return err
}

// handle is what statements run on: the database, or the transaction that the
// context carries.
type handle interface {
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
	QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row
	ExecContext(ctx context.Context, query string, args ...any) (sql.Result, error)
}

type transactionKey struct{}

func (s *Store) on(ctx context.Context) handle {
	if tx, ok := ctx.Value(transactionKey{}).(*sql.Tx); ok {
		return tx
	}
	return s.db
}

// inTransaction runs do in one transaction: that of the context where there is one.
func (s *Store) inTransaction(ctx context.Context, do func(context.Context) error) error {
	if _, ok := ctx.Value(transactionKey{}).(*sql.Tx); ok {
		return do(ctx)
	}
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	if err := do(context.WithValue(ctx, transactionKey{}, tx)); err != nil {
		return errors.Join(err, tx.Rollback())
	}
	return tx.Commit()
}

// compact is a JSON document without white space between its parts.
func compact(document []byte) (string, error) {
	var out bytes.Buffer
	if err := json.Compact(&out, document); err != nil {
		return "", err
	}
	return out.String(), nil
}

func stamp(t time.Time) string { return t.UTC().Format(time.RFC3339Nano) }

func textOrNull(document []byte) any {
	if document == nil {
		return nil
	}
	return string(document)
}

func stampOrNull(t *time.Time) any {
	if t == nil {
		return nil
	}
	return stamp(*t)
}
