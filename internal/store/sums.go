package store

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"maps"
	"math"
	"math/big"
	"slices"
	"strings"
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
	return fmt.Sprintf("%d rows, %064x", n, sum.Mod(sum, new(big.Int).Lsh(big.NewInt(1), 256))), rows.Err()
}

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

// SameArchived reports what of a database is not in another that its archive was read into;
// passphrases, which no archive holds, are left out.
func SameArchived(ctx context.Context, was, is *Store) error {
	one, err := was.Sums(ctx)
	if err != nil {
		return err
	}
	other, err := is.Sums(ctx)
	if err != nil {
		return err
	}
	in := func(name string, _ string) bool {
		return name == "people" || !slices.ContainsFunc(Tables, func(t Table) bool { return t.Name == name })
	}
	maps.DeleteFunc(one, in)
	maps.DeleteFunc(other, in)
	return Differ(one, other)
}
