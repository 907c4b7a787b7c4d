package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/binary"
	"errors"
	"fmt"
	"maps"
	"math"
	"math/big"
	"net/url"
	"slices"
	"strings"
	"sync"
)

// Sums are a sum of every table's rows, by its name: two databases that hold the same have the
// same, whatever engine keeps them and in whatever order the rows lie.
func (s *Store) Sums(ctx context.Context) (sums map[string]string, err error) {
	err = s.Snapshot(ctx, func(ctx context.Context) error {
		tables, err := s.tables(ctx)
		if err != nil {
			return err
		}
		sums = map[string]string{}
		for _, t := range tables {
			if sums[t], err = s.sumOf(ctx, t); err != nil {
				return fmt.Errorf("table %s: %w", t, Cause(err))
			}
		}
		return nil
	})
	return sums, err
}

// SumsOf are those of a database file as it is, together with the log beside it. It is looked
// through first: ErrDamaged where it is not sound.
func SumsOf(ctx context.Context, path string) (map[string]string, error) {
	db, err := sql.Open("sqlite", "file:"+(&url.URL{Path: path}).EscapedPath()+"?_pragma=query_only(ON)")
	if err != nil {
		return nil, err
	}
	s := &Store{db: db, path: path, prepared: &sync.Map{}}
	if err := s.IntegrityCheck(ctx); err != nil {
		return nil, errors.Join(fmt.Errorf("%s: %w", path, err), s.Close())
	}
	sums, err := s.Sums(ctx)
	return sums, errors.Join(err, s.Close())
}

// tables are those that hold what was written down: not the steps that made them, and not what
// the search keeps of its words.
func (s *Store) tables(ctx context.Context) (all []string, err error) {
	rows, err := s.on(ctx).QueryContext(ctx, `SELECT name FROM sqlite_schema
		WHERE type = 'table' AND name NOT LIKE 'search\_%' ESCAPE '\' AND name NOT LIKE 'goose%' AND (name NOT LIKE 'sqlite\_%' ESCAPE '\' OR name = 'sqlite_sequence') ORDER BY name`)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var name string
		if err := rows.Scan(&name); err != nil {
			return nil, err
		}
		all = append(all, name)
	}
	return all, rows.Err()
}

// columnsOf are those of a table that are written to: a search has a number beside them.
func columnsOf(table string) string {
	if table == "search" {
		return "rowid, title, body"
	}
	return "*"
}

func (s *Store) sumOf(ctx context.Context, table string) (string, error) {
	rows, err := s.on(ctx).QueryContext(ctx, "SELECT "+columnsOf(table)+" FROM "+quoted(table))
	if err != nil {
		return "", err
	}
	defer rows.Close()
	columns, err := rows.Columns()
	if err != nil {
		return "", err
	}
	values, into := make([]any, len(columns)), make([]any, len(columns))
	for i := range values {
		into[i] = &values[i]
	}
	n, sum, one := 0, new(big.Int), new(big.Int)
	for rows.Next() {
		if err := rows.Scan(into...); err != nil {
			return "", err
		}
		row := sha256.New()
		for _, v := range values {
			row.Write(encoded(v))
		}
		sum.Add(sum, one.SetBytes(row.Sum(nil)))
		n++
	}
	return inWords(n, sum), rows.Err()
}

func inWords(rows int, sum *big.Int) string {
	return fmt.Sprintf("%d rows, %064x", rows, new(big.Int).Mod(sum, new(big.Int).Lsh(big.NewInt(1), 256)))
}

// emptySum is that of a table without rows.
var emptySum = inWords(0, new(big.Int))

// encoded is a value of SQLite so that no two are the same.
func encoded(v any) []byte {
	sized := func(kind byte, data []byte) []byte {
		return append(binary.AppendUvarint([]byte{kind}, uint64(len(data))), data...)
	}
	switch v := v.(type) {
	case nil:
		return []byte{'n'}
	case int64:
		return binary.BigEndian.AppendUint64([]byte{'i'}, uint64(v))
	case float64:
		return binary.BigEndian.AppendUint64([]byte{'f'}, math.Float64bits(v))
	case string:
		return sized('t', []byte(v))
	case []byte:
		return sized('b', v)
	default:
		return sized('?', fmt.Append(nil, v))
	}
}

// Differ reports which tables of two databases do not hold the same; nil where all do.
func Differ(one, other map[string]string) error {
	var differ []string
	for _, t := range slices.Sorted(maps.Keys(one)) {
		if one[t] != other[t] {
			differ = append(differ, fmt.Sprintf("%s (%s; %s)", t, one[t], other[t]))
		}
	}
	for _, t := range slices.Sorted(maps.Keys(other)) {
		if _, there := one[t]; !there {
			differ = append(differ, t+" (there in the second only)")
		}
	}
	if differ == nil {
		return nil
	}
	return fmt.Errorf("the databases differ in %s", strings.Join(differ, ", "))
}

// Same reports which tables of two databases do not hold the same; nil where all do.
func Same(ctx context.Context, one, other *Store) error {
	return same(ctx, one, other, func(string) bool { return true })
}

// SameArchived reports what of a database is not in another that its archive was read into;
// passphrases, which no archive holds, are left out.
func SameArchived(ctx context.Context, was, is *Store) error {
	return same(ctx, was, is, func(name string) bool {
		return name != "people" && slices.ContainsFunc(Tables, func(t Table) bool { return t.Name == name })
	})
}

func same(ctx context.Context, one, other *Store, counts func(table string) bool) error {
	var both [2]map[string]string
	for i, s := range []*Store{one, other} {
		sums, err := s.Sums(ctx)
		if err != nil {
			return err
		}
		maps.DeleteFunc(sums, func(table, _ string) bool { return !counts(table) })
		both[i] = sums
	}
	return Differ(both[0], both[1])
}

// Freeze has the database refuse every write, whichever machine asks, until Thaw: it can be copied
// then, and nothing is acknowledged that the copy does not have. why is what the refusal says.
func (s *Store) Freeze(ctx context.Context, why string) error {
	return s.InTransaction(ctx, func(ctx context.Context) error {
		if err := s.thaw(ctx); err != nil {
			return err
		}
		tables, err := s.tables(ctx)
		if err != nil {
			return err
		}
		for _, t := range tables {
			if t == "search" || strings.HasPrefix(t, "sqlite_") {
				continue // written to with the others only
			}
			for _, how := range []string{"INSERT", "UPDATE", "DELETE"} {
				statement := fmt.Sprintf(
					"CREATE TRIGGER %s BEFORE %s ON %s BEGIN SELECT RAISE(ABORT, '%s'); END",
					quoted(frozen+t+"_"+strings.ToLower(how)), how, quoted(t), strings.ReplaceAll(why, "'", "''"),
				)
				if err := s.define(ctx, statement); err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// frozen begins the names of the triggers that keep a database as it is.
const frozen = "frozen_"

// define changes what the database is made of, in the transaction of the context. It is not prepared
// before: another connection does not see yet what was changed in this one.
func (s *Store) define(ctx context.Context, statement string) error {
	tx, ok := ctx.Value(transactionKey{}).(*sql.Tx)
	if !ok {
		return errors.New("no transaction is open")
	}
	_, err := tx.ExecContext(ctx, statement)
	return err
}

// Thaw takes writes again.
func (s *Store) Thaw(ctx context.Context) error { return s.InTransaction(ctx, s.thaw) }

func (s *Store) thaw(ctx context.Context) error {
	rows, err := s.on(ctx).QueryContext(ctx, `SELECT name FROM sqlite_schema WHERE type = 'trigger' AND name LIKE 'frozen\_%' ESCAPE '\'`)
	if err != nil {
		return err
	}
	var names []string
	for rows.Next() {
		var name string
		if err := rows.Scan(&name); err != nil {
			return errors.Join(err, rows.Close())
		}
		names = append(names, name)
	}
	if err := errors.Join(rows.Err(), rows.Close()); err != nil {
		return err
	}
	for _, name := range names {
		if err := s.define(ctx, "DROP TRIGGER "+quoted(name)); err != nil {
			return err
		}
	}
	return nil
}
