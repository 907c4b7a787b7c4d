package store

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"elvat/core/merge"
)

// ErrNothingLeft means that no action of the call is left to take back, or to
// bring back.
var ErrNothingLeft = errors.New("there is nothing left to take back")

// An Action is one thing a person did: all of it is on the disk, or nothing is;
// and it can be taken back as a whole.
type Action struct {
	ID     int64
	Call   int64  // 0: of no call
	What   string // in a few words
	Device string // which browser
	Person string // "" where nobody signs in
	At     time.Time
	// Command is the id of what the browser asked for; "" where it names none.
	Command string
}

// ErrUsedElsewhere means that an id came with something else before.
var ErrUsedElsewhere = errors.New("this id was used for something else: each thing that is done needs one of its own")

// errDone means that the command was carried out before.
var errDone = errors.New("done before")

// once reports errDone where the command was carried out before, and
// ErrUsedElsewhere where its id belongs to another one. what is a prefix.
func (s *Store) once(ctx context.Context, a Action, what string) error {
	if a.Command == "" {
		return nil
	}
	var call sql.NullInt64
	var was string
	err := s.on(ctx).QueryRowContext(ctx, "SELECT call_id, what FROM actions WHERE command = ?", a.Command).Scan(&call, &was)
	switch {
	case errors.Is(err, sql.ErrNoRows):
		return nil
	case err != nil:
		return err
	case call.Int64 != a.Call || !strings.HasPrefix(was, what):
		return ErrUsedElsewhere
	}
	return errDone
}

// unlessDone is nil where it was done before.
func unlessDone(err error) error {
	if errors.Is(err, errDone) {
		return nil
	}
	return err
}

// Do runs do as one action. Store methods called with do's context are part of
// it. An action that changed nothing leaves no trace. One whose command was
// carried out before is not done again.
func (s *Store) Do(ctx context.Context, a Action, do func(context.Context) error) error {
	return unlessDone(s.inTransaction(ctx, func(ctx context.Context) error {
		if err := s.once(ctx, a, a.What); err != nil {
			return err
		}
		return s.act(ctx, a, nil, do)
	}))
}

func (s *Store) act(ctx context.Context, a Action, undoes *int64, do func(context.Context) error) error {
	tx := s.on(ctx)
	call := sql.NullInt64{Int64: a.Call, Valid: a.Call != 0}
	var id int64
	if err := tx.QueryRowContext(ctx, "INSERT INTO actions (call_id, what, device, person, at, undoes, command) SELECT ?, ?, ?, ?, ?, ?, ? WHERE ? IS NULL OR EXISTS (SELECT 1 FROM calls WHERE id = ?) RETURNING id",
		call, a.What, a.Device, a.Person, stamp(a.At), undoes, sql.NullString{String: a.Command, Valid: a.Command != ""}, call, call).Scan(&id); err != nil {
		if errors.Is(err, sql.ErrNoRows) {
			return ErrNotFound
		}
		return err
	}
	if _, err := tx.ExecContext(ctx, "UPDATE present SET action = ?", id); err != nil {
		return err
	}
	if err := do(ctx); err != nil {
		return err
	}
	var changed int
	if err := tx.QueryRowContext(ctx, "SELECT count(*) FROM changes WHERE action = ?", id).Scan(&changed); err != nil {
		return err
	}
	last, args := "UPDATE calls SET version = ?, stale = 1 WHERE id = ?", []any{id, a.Call}
	if changed == 0 {
		last, args = "DELETE FROM actions WHERE id = ?", []any{id}
	}
	if _, err := tx.ExecContext(ctx, last, args...); err != nil {
		return err
	}
	_, err := tx.ExecContext(ctx, "UPDATE present SET action = NULL")
	return err
}

// A table that undo knows: its key, whether rows are withdrawn where others are
// removed, so that what was entered stays to be seen, and which columns are
// documents in which several people set fields.
type undone struct {
	key       []string
	withdraw  bool
	documents []string
}

var undoable = map[string]undone{
	"circuits": {[]string{"id"}, true, nil}, "readings": {[]string{"id"}, true, nil}, "journal": {[]string{"id"}, true, nil},
	"photographs": {[]string{"id"}, true, nil}, "stock": {[]string{"id"}, true, nil},
	"changed_devices": {[]string{"call_id", "device"}, false, nil}, "boxes": {[]string{"call_id", "box"}, false, []string{"document", "done"}},
	"calls": {[]string{"id"}, false, []string{"state", "conditions", "map"}},
}

// ofTheHouse are the tables that belong to the house and outlive the call: what
// was learned of its panel on a call is not unlearned with that call's undo.
var ofTheHouse = []string{"panels"}

// Undo takes back the last action on the call that is in force, whoever did it.
func (s *Store) Undo(ctx context.Context, a Action) error {
	return unlessDone(s.inTransaction(ctx, func(ctx context.Context) error {
		if err := s.once(ctx, a, "Took back: "); err != nil {
			return err
		}
		last, _, err := s.Undoable(ctx, a.Call)
		if err != nil {
			return err
		}
		if last == nil {
			return ErrNothingLeft
		}
		a.What = "Took back: " + last.What
		if err := s.act(ctx, a, &last.ID, func(ctx context.Context) error { return s.revert(ctx, last.ID) }); err != nil {
			return err
		}
		_, err = s.on(ctx).ExecContext(ctx, "UPDATE actions SET undone = 1 WHERE id = ?", last.ID)
		return err
	}))
}

// Redo brings back what was taken back last, unless something was done since.
func (s *Store) Redo(ctx context.Context, a Action) error {
	return unlessDone(s.inTransaction(ctx, func(ctx context.Context) error {
		if err := s.once(ctx, a, "Brought back: "); err != nil {
			return err
		}
		_, back, err := s.Undoable(ctx, a.Call)
		if err != nil {
			return err
		}
		if back == nil {
			return ErrNothingLeft
		}
		tx := s.on(ctx)
		var undoes int64
		if err := tx.QueryRowContext(ctx, "SELECT undoes FROM actions WHERE id = ?", back.ID).Scan(&undoes); err != nil {
			return err
		}
		// It is written down as undoing the undoing, and never offered itself.
		a.What = "Brought back: " + strings.TrimPrefix(back.What, "Took back: ")
		if err := s.act(ctx, a, &back.ID, func(ctx context.Context) error { return s.revert(ctx, back.ID) }); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "UPDATE actions SET undone = 1 WHERE id = ? OR undoes = ?", back.ID, back.ID); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, "UPDATE actions SET undone = 0 WHERE id = ?", undoes)
		return err
	}))
}

// Customer is the device of who answers through a customer's link. What was said
// there is not the shop's to take back.
const Customer = "customer"

// Undoable is the action that Undo would take back, and the taking back that
// Redo would reverse; nil where there is none.
func (s *Store) Undoable(ctx context.Context, call int64) (last, back *Action, err error) {
	if last, err = s.action(ctx, "SELECT id, what, device, person, at FROM actions WHERE call_id = ? AND undoes IS NULL AND NOT undone AND device <> ? ORDER BY id DESC LIMIT 1", call, Customer); err != nil {
		return nil, nil, err
	}
	back, err = s.action(ctx, `SELECT id, what, device, person, at FROM actions WHERE call_id = ?1 AND undoes IS NOT NULL AND NOT undone
		AND id > coalesce((SELECT max(id) FROM actions WHERE call_id = ?1 AND undoes IS NULL AND NOT undone AND device <> ?2), 0) ORDER BY id DESC LIMIT 1`, call, Customer)
	return last, back, err
}

func (s *Store) action(ctx context.Context, query string, args ...any) (*Action, error) {
	var a Action
	var at string
	err := s.on(ctx).QueryRowContext(ctx, query, args...).Scan(&a.ID, &a.What, &a.Device, &a.Person, &at)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	a.At, err = time.Parse(time.RFC3339Nano, at)
	return &a, err
}

type change struct {
	id        int64
	kind, key string
	was       sql.NullString
}

// revert takes back what the action set, and nothing else: what others set since,
// in the same row or the same document, stays.
func (s *Store) revert(ctx context.Context, action int64) error {
	rows, err := s.on(ctx).QueryContext(ctx, "SELECT id, kind, key, was FROM changes WHERE action = ? ORDER BY id DESC", action)
	if err != nil {
		return err
	}
	var all []change
	for rows.Next() {
		var c change
		if err := rows.Scan(&c.id, &c.kind, &c.key, &c.was); err != nil {
			return errors.Join(err, rows.Close())
		}
		all = append(all, c)
	}
	if err := errors.Join(rows.Err(), rows.Close()); err != nil {
		return err
	}
	for _, c := range all {
		if err := s.putBack(ctx, c); err != nil {
			return fmt.Errorf("%s %s: %w", c.kind, c.key, err)
		}
	}
	return nil
}

func (s *Store) putBack(ctx context.Context, c change) error {
	if slices.Contains(ofTheHouse, c.kind) {
		return nil
	}
	table, ok := undoable[c.kind]
	if !ok {
		return errors.New("no such table")
	}
	key, err := values(c.key)
	if err != nil {
		return err
	}
	where := strings.Join(table.key, " = ? AND ") + " = ?"
	if !c.was.Valid { // it was not there
		statement := "DELETE FROM " + c.kind + " WHERE " + where
		if table.withdraw {
			statement = "UPDATE " + c.kind + " SET withdrawn = 1 WHERE " + where
		}
		_, err := s.on(ctx).ExecContext(ctx, statement, key...)
		return err
	}
	was, err := columns(c.was.String)
	if err != nil {
		return err
	}
	names := slices.Sorted(maps.Keys(was))
	now, err := s.row(ctx, c.kind, names, where, key)
	if err != nil {
		return err
	}
	if now == nil { // it was taken away
		args := make([]any, len(names))
		for i, name := range names {
			args[i] = was[name]
		}
		_, err = s.on(ctx).ExecContext(ctx, "INSERT INTO "+c.kind+" ("+strings.Join(names, ", ")+") VALUES (?"+strings.Repeat(", ?", len(names)-1)+")", args...)
		return err
	}
	set, err := s.setBy(ctx, c, now)
	if err != nil {
		return err
	}
	var sets []string
	var args []any
	for _, name := range names {
		v, err := takenBack(was[name], set[name], now[name], slices.Contains(table.documents, name))
		if err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		// All of them, also those that stay: a taking back leaves its trace, so that
		// it can be brought back, even where nothing of it is left to take back.
		sets, args = append(sets, name+" = ?"), append(args, v)
	}
	_, err = s.on(ctx).ExecContext(ctx, "UPDATE "+c.kind+" SET "+strings.Join(sets, ", ")+" WHERE "+where, append(args, key...)...)
	return err
}

// row is the row as it is, nil where there is none; text, numbers and nulls as
// the triggers write them.
func (s *Store) row(ctx context.Context, kind string, names []string, where string, key []any) (map[string]any, error) {
	var pairs []string
	for _, name := range names {
		pairs = append(pairs, "'"+name+"', "+name)
	}
	var text string
	err := s.on(ctx).QueryRowContext(ctx, "SELECT json_object("+strings.Join(pairs, ", ")+") FROM "+kind+" WHERE "+where, key...).Scan(&text)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	return columns(text)
}

// setBy is the row as the change left it: as it was before the next change of it,
// or as it is.
func (s *Store) setBy(ctx context.Context, c change, now map[string]any) (map[string]any, error) {
	var next sql.NullString
	err := s.on(ctx).QueryRowContext(ctx, "SELECT was FROM changes WHERE kind = ? AND key = ? AND id > ? ORDER BY id LIMIT 1", c.kind, c.key, c.id).Scan(&next)
	if errors.Is(err, sql.ErrNoRows) || err == nil && !next.Valid {
		return now, nil
	}
	if err != nil {
		return nil, err
	}
	return columns(next.String)
}

// takenBack is a column without what was set: as it was, where it is still as it
// was set; in a document field by field; else as it is.
func takenBack(was, set, now any, document bool) (any, error) {
	switch {
	case was == set:
		return now, nil
	case now == set:
		return was, nil
	case !document:
		return now, nil
	}
	var texts [3][]byte
	empty := "{}"
	for i, v := range []any{set, was, now} {
		if text, ok := v.(string); ok {
			texts[i] = []byte(text)
			if strings.HasPrefix(text, "[") {
				empty = "[]"
			}
		}
	}
	for i := range texts {
		if texts[i] == nil { // no document is one in which nothing is set
			texts[i] = []byte(empty)
		}
	}
	merged, _, err := merge.Three(texts[0], texts[1], texts[2])
	return string(merged), err
}

// values and columns read what the triggers wrote: whole numbers stay whole.
func values(array string) ([]any, error) {
	var all []any
	if err := exactly(array, &all); err != nil {
		return nil, err
	}
	for i := range all {
		all[i] = plain(all[i])
	}
	return all, nil
}

func columns(object string) (map[string]any, error) {
	var all map[string]any
	if err := exactly(object, &all); err != nil {
		return nil, err
	}
	for name := range all {
		all[name] = plain(all[name])
	}
	return all, nil
}

func exactly(text string, to any) error {
	d := json.NewDecoder(bytes.NewReader([]byte(text)))
	d.UseNumber()
	return d.Decode(to)
}

func plain(v any) any {
	n, ok := v.(json.Number)
	if !ok {
		return v
	}
	if whole, err := n.Int64(); err == nil {
		return whole
	}
	f, _ := n.Float64() // SQLite wrote it
	return f
}

// since is the last action of another device that changed rows of the kind
// after the given one; nil where there is none.
func (s *Store) since(ctx context.Context, where, device string, args ...any) (*Action, error) {
	return s.action(ctx, "SELECT a.id, a.what, a.device, a.person, a.at FROM changes c JOIN actions a ON a.id = c.action WHERE "+where+
		" AND a.device <> ? ORDER BY c.id DESC LIMIT 1", append(args, device)...)
}

// AsOf is a column of a row as it was after the given action, and which other
// device changed the row last since: nil, nil where none did.
func (s *Store) AsOf(ctx context.Context, kind string, key []any, column string, action int64, device string) (was []byte, since *Action, err error) {
	at, err := json.Marshal(key)
	if err != nil {
		return nil, nil, err
	}
	since, err = s.since(ctx, "c.kind = ? AND c.key = ? AND c.action > ?", device, kind, string(at), action)
	if err != nil || since == nil {
		return nil, nil, err
	}
	var first sql.NullString
	if err := s.on(ctx).QueryRowContext(ctx, "SELECT was FROM changes WHERE kind = ? AND key = ? AND action > ? ORDER BY id LIMIT 1", kind, string(at), action).Scan(&first); err != nil || !first.Valid {
		return nil, since, err
	}
	row, err := columns(first.String)
	if err != nil {
		return nil, nil, err
	}
	if text, ok := row[column].(string); ok {
		was = []byte(text)
	}
	return was, since, nil
}

// CircuitAsOf is the call's run as it was after the given action, and which
// other device changed it last since: nil, nil where none did.
func (s *Store) CircuitAsOf(ctx context.Context, call, action int64, device string) (was []byte, since *Action, err error) {
	since, err = s.since(ctx, "a.call_id = ? AND c.kind = 'circuits' AND c.action > ?", device, call, action)
	if err != nil || since == nil {
		return nil, nil, err
	}
	// The newest revision that was there then and in force: not added since, and
	// not withdrawn, or withdrawn since.
	var document string
	err = s.on(ctx).QueryRowContext(ctx, `SELECT document FROM circuits r WHERE call_id = ?1
		AND NOT EXISTS (SELECT 1 FROM changes c WHERE c.kind = 'circuits' AND c.key = json_array(r.id) AND c.was IS NULL AND c.action > ?2)
		AND NOT coalesce((SELECT json_extract(c.was, '$.withdrawn') FROM changes c WHERE c.kind = 'circuits' AND c.key = json_array(r.id) AND c.was IS NOT NULL AND c.action > ?2 ORDER BY c.id LIMIT 1), r.withdrawn)
		ORDER BY id DESC LIMIT 1`, call, action).Scan(&document)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, since, nil
	}
	return []byte(document), since, err
}

// A Conflict is a value that two devices set differently, neither having seen
// the other's.
type Conflict struct {
	ID        int64
	Call      int64
	At        time.Time
	Document  string // which: "box B2", "state"
	Path      string // within it
	Theirs    []byte // nil: taken away
	Mine      []byte // in force
	TheirName string
	MyName    string
}

// AddConflict keeps one to be settled.
func (s *Store) AddConflict(ctx context.Context, c Conflict) error {
	_, err := s.on(ctx).ExecContext(ctx, "INSERT INTO conflicts (call_id, at, document, path, theirs, mine, their_name, my_name) VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
		c.Call, stamp(c.At), c.Document, c.Path, textOrNull(c.Theirs), textOrNull(c.Mine), c.TheirName, c.MyName)
	return err
}

// Conflicts lists those of the call that nobody settled yet.
func (s *Store) Conflicts(ctx context.Context, call int64) ([]Conflict, error) {
	rows, err := s.on(ctx).QueryContext(ctx, "SELECT id, call_id, at, document, path, theirs, mine, their_name, my_name FROM conflicts WHERE call_id = ? AND settled_at IS NULL ORDER BY id", call)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []Conflict
	for rows.Next() {
		var c Conflict
		var at string
		var theirs, mine sql.NullString
		if err := rows.Scan(&c.ID, &c.Call, &at, &c.Document, &c.Path, &theirs, &mine, &c.TheirName, &c.MyName); err != nil {
			return nil, err
		}
		if theirs.Valid {
			c.Theirs = []byte(theirs.String)
		}
		if mine.Valid {
			c.Mine = []byte(mine.String)
		}
		if c.At, err = time.Parse(time.RFC3339Nano, at); err != nil {
			return nil, err
		}
		all = append(all, c)
	}
	return all, rows.Err()
}

// SettleConflict takes it off the list.
func (s *Store) SettleConflict(ctx context.Context, call, id int64, at time.Time) error {
	return s.mustChange(s.on(ctx).ExecContext(ctx, "UPDATE conflicts SET settled_at = ? WHERE call_id = ? AND id = ? AND settled_at IS NULL", stamp(at), call, id))
}
