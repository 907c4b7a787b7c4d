//go:build dqlite

package cluster

import (
	"database/sql/driver"
	"testing"

	"github.com/stretchr/testify/assert"

	"elvat/internal/kept"
)

// lostRows panic as the library's do when the machine is lost while they are read.
type lostRows struct{}

func (lostRows) Columns() []string         { return []string{"n"} }
func (lostRows) Close() error              { panic("no logger") }
func (lostRows) Next([]driver.Value) error { panic("no logger") }

// TestRowsThatPanic: a machine that is lost while rows are read is a bad connection, which is not
// used again, and an error that is worth another try.
func TestRowsThatPanic(t *testing.T) {
	for name, read := range map[string]func(*checked) error{
		"next":  func(r *checked) error { return r.Next(make([]driver.Value, 1)) },
		"close": func(r *checked) error { return r.Close() },
		"all":   func(r *checked) error { _, err := taken(r); return err },
	} {
		c := &conn{}
		err := read(&checked{lostRows{}, c})
		assert.ErrorIs(t, err, driver.ErrBadConn, name)
		assert.True(t, kept.Lost(err), name)
		assert.False(t, c.IsValid(), name)
	}
}
