//go:build dqlite

package cluster

import (
	"context"
	"database/sql/driver"
	"errors"
	"fmt"
	"io"
	"net"
	"strings"
	"sync"
	"time"

	dqlite "github.com/canonical/go-dqlite/driver"

	"elvat/internal/kept"
)

// How long things may take before another machine is tried. Assumption, far above what was
// measured: a write takes some milliseconds.
const (
	callTakes    = 1500 * time.Millisecond // one question and its answer
	attemptTakes = 700 * time.Millisecond  // to find out who leads
	// leadTakes is how long a machine waits for one to lead: longer than it takes to choose one.
	// One that is cut off says so then, and who asks goes on at another.
	leadTakes = 2 * time.Second
	busyFor   = 10 * time.Second // while another writes to the same database
)

// A connector opens connections to a database of the cluster, at whichever machine leads. What
// the library's own leave open is closed here: nothing waits without end for a machine that is
// paused; a write begins as one, and waits while another is at it; what was asked to be written
// is written in a transaction, and where it is not known whether it was, that is said; what is
// read is read at a machine that led when it was asked.
type connector struct {
	name   string
	pages  int // that the database may have; 0: no bound
	inner  *dqlite.Driver
	leader leaders
}

// leaders tells which machine leads now: asked of a majority after confirm was called.
type leaders interface {
	confirm(ctx context.Context) (string, error)
}

type dialledKey struct{}

// dialled is told every address that is dialled for a connection; the last is the leader's.
type dialled struct{ last string }

// Connect opens a connection to the leader.
func (c *connector) Connect(ctx context.Context) (driver.Conn, error) {
	ctx, cancel := context.WithTimeout(ctx, leadTakes)
	defer cancel()
	at := &dialled{}
	made, err := c.inner.OpenConnector(c.name)
	if err != nil {
		return nil, err
	}
	inner, err := made.Connect(context.WithValue(ctx, dialledKey{}, at))
	if err != nil {
		return nil, errors.Join(kept.ErrNobody, err)
	}
	one, ok := inner.(*dqlite.Conn)
	if !ok {
		return nil, errors.New("the driver of the cluster has changed")
	}
	opened := &conn{Conn: one, at: at.last, leader: c.leader}
	if c.pages > 0 { // SQLite keeps the bound with the connection
		if _, err := opened.ExecContext(ctx, fmt.Sprintf("PRAGMA max_page_count = %d", c.pages), nil); err != nil {
			return nil, errors.Join(err, opened.Close())
		}
	}
	return opened, nil
}

// Driver is the library's.
func (c *connector) Driver() driver.Driver { return c.inner }

type conn struct {
	*dqlite.Conn
	at     string // the machine that it was opened to
	leader leaders
	in     bool // a transaction is open
	broken bool
}

var (
	_ driver.ExecerContext  = (*conn)(nil)
	_ driver.QueryerContext = (*conn)(nil)
	_ driver.ConnBeginTx    = (*conn)(nil)
	_ driver.Validator      = (*conn)(nil)
)

// IsValid reports whether it may be used again.
func (c *conn) IsValid() bool { return !c.broken && !c.in }

// refusal is an answer of the database that it does not do what was asked.
type refusal struct{ of dqlite.Error }

func (r refusal) Error() string { return r.of.Error() }

// Code is SQLite's.
func (r refusal) Code() int { return r.of.Code }

// seen notes what an error says about the connection, and passes it on.
func (c *conn) seen(err error) error {
	if of, ok := errors.AsType[dqlite.Error](err); ok {
		return refusal{of}
	}
	if err != nil {
		c.broken = true
	}
	return err
}

func (c *conn) exec(ctx context.Context, query string, args []driver.NamedValue) (driver.Result, error) {
	result, err := c.Conn.ExecContext(ctx, query, args)
	return result, c.seen(err)
}

// current reports driver.ErrBadConn where the connection is not to the machine that leads now:
// database/sql takes another then. A machine that was paused or cut off thinks that it leads for
// a moment longer.
func (c *conn) current(ctx context.Context) error {
	at, err := c.leader.confirm(ctx)
	if err != nil {
		return err
	}
	if at != c.at {
		c.broken = true
		return driver.ErrBadConn
	}
	return nil
}

// begin begins a transaction. One that writes waits while another does.
func (c *conn) begin(ctx context.Context, readOnly bool) error {
	how := "BEGIN IMMEDIATE"
	if readOnly {
		if err := c.current(ctx); err != nil {
			return err
		}
		how = "BEGIN"
	}
	wait, end := time.Millisecond, time.Now().Add(busyFor)
	for {
		_, err := c.exec(ctx, how, nil)
		if err == nil {
			c.in = true
			return nil
		}
		if !isBusy(err) || time.Now().After(end) {
			return err
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(wait):
		}
		wait = min(2*wait, 20*time.Millisecond)
	}
}

func isBusy(err error) bool {
	of, ok := errors.AsType[refusal](err)
	return ok && of.Code()&0xff == dqlite.ErrBusy
}

// end ends it; of a commit that is not answered nobody knows whether it was carried out.
func (c *conn) end(how string) error {
	c.in = false
	ctx, cancel := context.WithTimeout(context.Background(), callTakes)
	defer cancel()
	_, err := c.exec(ctx, how, nil)
	if err == nil {
		return nil
	}
	_, known := errors.AsType[refusal](err)
	if how == "COMMIT" && known {
		// It was refused, and is open still.
		if _, problem := c.exec(ctx, "ROLLBACK", nil); problem != nil {
			c.broken = true
		}
		return err
	}
	c.broken = true
	if how == "COMMIT" {
		return errors.Join(kept.ErrUnsure, lost{err})
	}
	return err
}

// lost is an error of a connection that database/sql may not take for one that is safe to do over.
type lost struct{ error }

// BeginTx begins a transaction.
func (c *conn) BeginTx(ctx context.Context, how driver.TxOptions) (driver.Tx, error) {
	if err := c.begin(ctx, how.ReadOnly); err != nil {
		return nil, err
	}
	return transaction{c}, nil
}

type transaction struct{ c *conn }

func (t transaction) Commit() error   { return t.c.end("COMMIT") }
func (t transaction) Rollback() error { return t.c.end("ROLLBACK") }

// reads reports whether the query writes nothing.
func reads(query string) bool {
	word := strings.ToUpper(firstWord(query))
	return word == "SELECT" || word == "PRAGMA" || word == "EXPLAIN"
}

// firstWord is the first word of a query, behind comments.
func firstWord(query string) string {
	for {
		query = strings.TrimLeft(query, " \t\r\n")
		if !strings.HasPrefix(query, "--") {
			break
		}
		_, query, _ = strings.Cut(query, "\n")
	}
	if i := strings.IndexAny(query, " \t\r\n("); i >= 0 {
		query = query[:i]
	}
	return query
}

// alone runs do in a transaction of its own where none is open.
func (c *conn) alone(ctx context.Context, do func() error) error {
	if c.in {
		return do()
	}
	if err := c.begin(ctx, false); err != nil {
		return err
	}
	if err := do(); err != nil {
		_ = c.end("ROLLBACK") // the connection is broken where that fails
		return err
	}
	return c.end("COMMIT")
}

// sqliteRow is SQLite's code for an answer that has a row.
const sqliteRow = 100

// ExecContext carries a query out.
func (c *conn) ExecContext(ctx context.Context, query string, args []driver.NamedValue) (result driver.Result, err error) {
	switch strings.ToUpper(firstWord(query)) {
	case "BEGIN", "COMMIT", "ROLLBACK", "END": // of a connection that who asks has to themselves
		return c.exec(ctx, query, args)
	case "PRAGMA":
		result, err := c.exec(ctx, query, args)
		if of, ok := errors.AsType[refusal](err); ok && of.Code() == sqliteRow {
			return driver.RowsAffected(0), nil // it was set, and says so
		}
		return result, err
	}
	err = c.alone(ctx, func() error {
		result, err = c.exec(ctx, query, args)
		return err
	})
	return result, err
}

// QueryContext asks for rows. What writes and answers with rows is taken in before it is
// committed: the library replicates what an Exec did, and of a commit.
func (c *conn) QueryContext(ctx context.Context, query string, args []driver.NamedValue) (driver.Rows, error) {
	return c.query(ctx, reads(query), func() (driver.Rows, error) { return c.Conn.QueryContext(ctx, query, args) })
}

func (c *conn) query(ctx context.Context, reads bool, ask func() (driver.Rows, error)) (rows driver.Rows, err error) {
	if reads {
		if !c.in {
			if err := c.current(ctx); err != nil {
				return nil, err
			}
		}
		rows, err := ask()
		if err != nil {
			return nil, c.seen(err)
		}
		return &checked{rows, c}, nil
	}
	err = c.alone(ctx, func() error {
		rows, err = ask()
		if err != nil {
			return c.seen(err)
		}
		rows, err = taken(&checked{rows, c})
		return err
	})
	return rows, err
}

// checked are rows that note what goes wrong with them.
type checked struct {
	driver.Rows
	c *conn
}

func (r *checked) Next(into []driver.Value) error {
	err := r.calmly(func() error { return r.Rows.Next(into) })
	if err != nil && !errors.Is(err, io.EOF) {
		return r.c.seen(err)
	}
	return err
}

func (r *checked) Close() error { return r.c.seen(r.calmly(r.Rows.Close)) }

// calmly turns a panic into a bad connection: the library makes rows without the logger that it
// calls when the machine is lost while they are read.
func (r *checked) calmly(do func() error) (err error) {
	defer func() {
		if what := recover(); what != nil {
			err = driver.ErrBadConn
		}
	}()
	return do()
}

// taken are all rows, read to the end.
func taken(from driver.Rows) (driver.Rows, error) {
	all := &rows{columns: from.Columns()}
	for {
		row := make([]driver.Value, len(all.columns))
		err := from.Next(row)
		if errors.Is(err, io.EOF) {
			return all, from.Close()
		}
		if err != nil {
			return nil, errors.Join(err, from.Close())
		}
		all.rows = append(all.rows, row)
	}
}

type rows struct {
	columns []string
	rows    [][]driver.Value
}

func (r *rows) Columns() []string { return r.columns }
func (r *rows) Close() error      { return nil }

func (r *rows) Next(into []driver.Value) error {
	if len(r.rows) == 0 {
		return io.EOF
	}
	copy(into, r.rows[0])
	r.rows = r.rows[1:]
	return nil
}

// Prepare prepares a query.
func (c *conn) Prepare(query string) (driver.Stmt, error) {
	return c.PrepareContext(context.Background(), query)
}

// PrepareContext prepares a query.
func (c *conn) PrepareContext(ctx context.Context, query string) (driver.Stmt, error) {
	made, err := c.Conn.PrepareContext(ctx, query)
	if err != nil {
		return nil, c.seen(err)
	}
	inner, ok := made.(*dqlite.Stmt)
	if !ok {
		return nil, errors.New("the driver of the cluster has changed")
	}
	return &stmt{inner, c, reads(query)}, nil
}

type stmt struct {
	*dqlite.Stmt
	c     *conn
	reads bool
}

// ExecContext carries it out.
func (s *stmt) ExecContext(ctx context.Context, args []driver.NamedValue) (result driver.Result, err error) {
	err = s.c.alone(ctx, func() error {
		result, err = s.Stmt.ExecContext(ctx, args)
		return s.c.seen(err)
	})
	return result, err
}

// QueryContext asks for its rows.
func (s *stmt) QueryContext(ctx context.Context, args []driver.NamedValue) (driver.Rows, error) {
	return s.c.query(ctx, s.reads, func() (driver.Rows, error) { return s.Stmt.QueryContext(ctx, args) })
}

// impatient is a connection on which every answer comes in time, or none does: a machine that is
// paused holds its connections open and says nothing.
type impatient struct {
	net.Conn
	mu  sync.Mutex
	end time.Time // as who uses it set it
}

// SetDeadline sets when what goes on has to be over.
func (c *impatient) SetDeadline(end time.Time) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.end = end
	return nil
}

func (c *impatient) soon() time.Time {
	c.mu.Lock()
	defer c.mu.Unlock()
	soon := time.Now().Add(callTakes)
	if !c.end.IsZero() && c.end.Before(soon) {
		return c.end
	}
	return soon
}

// Read reads what comes in time.
func (c *impatient) Read(p []byte) (int, error) {
	if err := c.Conn.SetReadDeadline(c.soon()); err != nil {
		return 0, err
	}
	return c.Conn.Read(p)
}

// Write writes what is taken in time.
func (c *impatient) Write(p []byte) (int, error) {
	if err := c.Conn.SetWriteDeadline(c.soon()); err != nil {
		return 0, err
	}
	return c.Conn.Write(p)
}
