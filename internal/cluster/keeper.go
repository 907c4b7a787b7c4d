//go:build dqlite

package cluster

import (
	"context"
	"crypto/tls"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"elvat/internal/kept"
	"elvat/internal/objects"
	"elvat/internal/shops"
	"elvat/internal/store"
	"elvat/internal/trust"
)

// directoryDB is the database that says which shops the cluster has. No shop's is called so.
const directoryDB = "directory_"

// directoryTables are its tables: a row a shop, and a number that is another after every change.
const directoryTables = `
CREATE TABLE IF NOT EXISTS shops (
    name     TEXT NOT NULL PRIMARY KEY,
    database TEXT NOT NULL UNIQUE, -- a shop that is put back from a backup has another one
    document TEXT NOT NULL,
    version  INTEGER NOT NULL
) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS changes (id INTEGER PRIMARY KEY CHECK (id = 1), n INTEGER NOT NULL);
INSERT INTO changes (id, n) VALUES (1, 0) ON CONFLICT DO NOTHING;
`

// A Keeper keeps shops in the cluster: a database each, and one that says which there are.
type Keeper struct {
	client *Client
	notes  bool // this machine is one of the cluster, and makes backups
	db     *sql.DB
	local  *shops.Folder // what a shop has on this machine: its backups and its keys
	log    *slog.Logger

	mu    sync.Mutex
	seen  int64 // the number that the shops were read at; below zero: they were not
	all   []entry
	stop  context.CancelFunc
	ended sync.WaitGroup
}

// An entry is a shop and its database.
type entry struct {
	shops.Shop
	database string
}

// lookEvery is how often it is looked whether the directory has changed. Assumption.
const lookEvery = time.Second

// Shops are the shops of the cluster, served by this machine.
func (n *Node) Shops(ctx context.Context, fallback *tls.Config, log *slog.Logger) (*Keeper, error) {
	return n.shops(ctx, fallback, log, true)
}

// Shops are the shops of the cluster. fallback is what is shown over TLS by one that has no keys
// of its own on this machine; nil: it makes some.
func (c *Client) Shops(ctx context.Context, fallback *tls.Config, log *slog.Logger) (*Keeper, error) {
	return c.shops(ctx, fallback, log, false)
}

func (c *Client) shops(ctx context.Context, fallback *tls.Config, log *slog.Logger, notes bool) (*Keeper, error) {
	k := &Keeper{
		client: c, notes: notes, db: c.db(directoryDB, 0), log: log, seen: -1,
		local: &shops.Folder{Path: filepath.Join(c.folder, "shops"), Fallback: fallback},
	}
	err := k.first(ctx)
	for end := time.Now().Add(startTakes); kept.Lost(err) && time.Now().Before(end) && ctx.Err() == nil; err = k.first(ctx) {
		time.Sleep(lookEvery) // no machine leads yet, or none that is reached
	}
	if err != nil {
		return nil, errors.Join(err, k.db.Close())
	}
	inside, stop := context.WithCancel(context.Background())
	k.stop = stop
	k.ended.Go(func() {
		for {
			select {
			case <-inside.Done():
				return
			case <-time.After(lookEvery):
			}
			if err := k.look(inside); err != nil && inside.Err() == nil {
				log.Warn("the directory of shops is as it was when it was last read", "error", err)
			}
		}
	})
	return k, nil
}

// first reads the directory, made where there is none.
func (k *Keeper) first(ctx context.Context) error {
	if err := k.made(ctx); err != nil {
		return err
	}
	return k.look(ctx)
}

// made has the directory's tables be there.
func (k *Keeper) made(ctx context.Context) error {
	var there int
	err := k.db.QueryRowContext(ctx, "SELECT count(*) FROM sqlite_schema WHERE name IN ('shops', 'changes')").Scan(&there)
	if err != nil || there == 2 {
		return err
	}
	_, err = k.db.ExecContext(ctx, directoryTables)
	return err
}

// End ends looking.
func (k *Keeper) End() error {
	k.stop()
	k.ended.Wait()
	return k.db.Close()
}

// look reads the shops again where they have changed.
func (k *Keeper) look(ctx context.Context) error {
	var n int64
	if err := k.db.QueryRowContext(ctx, "SELECT n FROM changes").Scan(&n); err != nil {
		return err
	}
	k.mu.Lock()
	same := n == k.seen
	k.mu.Unlock()
	if same {
		return nil
	}
	all, err := read(ctx, k.db)
	if err != nil {
		return err
	}
	k.mu.Lock()
	was := k.all
	k.all, k.seen = all, n
	k.mu.Unlock()
	return k.note(ctx, was, all)
}

// note writes down beside this machine's backups what shops they are of: in a cluster that is lost
// nobody else says so.
func (k *Keeper) note(ctx context.Context, was, all []entry) error {
	if !k.notes {
		return nil
	}
	noted, err := k.local.All(ctx)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	for _, s := range noted {
		if !slices.ContainsFunc(all, func(e entry) bool { return e.Name == s.Name }) {
			if err := k.local.Forget(s.Name); err != nil {
				return err
			}
		}
	}
	for _, e := range all {
		if slices.ContainsFunc(was, func(w entry) bool { return w.Name == e.Name && w.Version == e.Version }) {
			continue
		}
		if err := k.local.Note(e.Shop); err != nil {
			return err
		}
	}
	return nil
}

// RestoreAll makes every shop that the folder of a node knows of, such as one of a cluster that is
// lost, anew from its newest backup there; those that this cluster has already stay. opened is a
// backup as a plain database file, where it was encrypted. told is told of each, with no backup of
// one that stays.
func (k *Keeper) RestoreAll(ctx context.Context, from string, opened func(path string) (string, error), told func(shop, backup string)) error {
	folder := &shops.Folder{Path: filepath.Join(from, "shops")}
	all, err := folder.All(ctx)
	if err != nil {
		return err
	}
	if len(all) == 0 {
		return fmt.Errorf("%s: no shops are known there", folder.Path)
	}
	for _, s := range all {
		if _, there := k.named(s.Name); there {
			told(s.Name, "")
			continue
		}
		backups, err := store.Backups(folder.Backups(s))
		if err != nil {
			return err
		}
		if len(backups) == 0 {
			return fmt.Errorf("%s: no backup in %s", s.Name, folder.Backups(s))
		}
		path, err := opened(filepath.Join(folder.Backups(s), backups[0].Name))
		if err != nil {
			return fmt.Errorf("%s: %w", s.Name, err)
		}
		if err := store.Check(ctx, path); err != nil {
			return fmt.Errorf("%s: %w", s.Name, err)
		}
		s.Closed = ""
		if err := k.Make(ctx, s, func(to *store.Store) error { return store.CopyFile(ctx, path, to) }); err != nil {
			return fmt.Errorf("%s: %w", s.Name, err)
		}
		told(s.Name, backups[0].Name)
	}
	return nil
}

// querier is a database, or a transaction on it.
type querier interface {
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
}

func read(ctx context.Context, from querier) ([]entry, error) {
	rows, err := from.QueryContext(ctx, "SELECT name, database, document, version FROM shops ORDER BY name")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []entry
	for rows.Next() {
		var e entry
		var document string
		var version int64
		if err := rows.Scan(&e.Name, &e.database, &document, &version); err != nil {
			return nil, err
		}
		if err := json.Unmarshal([]byte(document), &e.Shop); err != nil {
			return nil, fmt.Errorf("shop %s: %w", e.Name, err)
		}
		e.Version = strconv.FormatInt(version, 10)
		all = append(all, e)
	}
	return all, rows.Err()
}

// All are the shops there are.
func (k *Keeper) All(context.Context) ([]shops.Shop, error) {
	k.mu.Lock()
	defer k.mu.Unlock()
	all := make([]shops.Shop, len(k.all))
	for i, e := range k.all {
		all[i] = e.Shop
	}
	return all, nil
}

func (k *Keeper) find(is func(entry) bool) (entry, bool) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if i := slices.IndexFunc(k.all, is); i >= 0 {
		return k.all[i], true
	}
	return entry{}, false
}

func (k *Keeper) named(name string) (entry, bool) {
	return k.find(func(e entry) bool { return e.Name == name })
}

// Get is one by its name.
func (k *Keeper) Get(_ context.Context, name string) (shops.Shop, error) {
	if e, ok := k.named(name); ok {
		return e.Shop, nil
	}
	return shops.Shop{}, shops.ErrUnknown
}

// Reached is the shop that a host name leads to.
func (k *Keeper) Reached(_ context.Context, host string) (shops.Shop, error) {
	plain, err := shops.HostName(host)
	if err != nil {
		return shops.Shop{}, shops.ErrNoHost
	}
	if e, ok := k.find(func(e entry) bool { return slices.Contains(e.Hosts, plain) }); ok {
		return e.Shop, nil
	}
	return shops.Shop{}, shops.ErrNoHost
}

// Open opens the shop's database.
func (k *Keeper) Open(ctx context.Context, s shops.Shop) (*store.Store, error) {
	e, ok := k.named(s.Name)
	if !ok {
		return nil, shops.ErrUnknown
	}
	kept, err := k.client.openLimited(ctx, e.database, e.Most.Pages())
	if err != nil {
		return nil, err
	}
	return objects.Told(kept, filepath.Join(k.client.folder, objects.File), s.Name)
}

// Backups is the folder of the shop's backups on this machine.
func (k *Keeper) Backups(s shops.Shop) string { return k.local.Backups(s) }

// Trust is the authority that the shop has on this machine; nil where it has none.
func (k *Keeper) Trust(s shops.Shop) (*trust.Authority, error) { return k.local.Trust(s) }

// TLS is what the shop shows of itself on this machine.
func (k *Keeper) TLS(s shops.Shop) (*tls.Config, error) { return k.local.TLS(s) }

// change changes the directory: do is handed all shops as they are then.
func (k *Keeper) change(ctx context.Context, do func(tx *sql.Tx, all []entry, n int64) error) error {
	tx, err := k.db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	err = func() error {
		if _, err := tx.ExecContext(ctx, "UPDATE changes SET n = n + 1"); err != nil {
			return err
		}
		var n int64
		if err := tx.QueryRowContext(ctx, "SELECT n FROM changes").Scan(&n); err != nil {
			return err
		}
		all, err := read(ctx, tx)
		if err != nil {
			return err
		}
		return do(tx, all, n)
	}()
	if err != nil {
		return errors.Join(err, tx.Rollback())
	}
	if err := tx.Commit(); err != nil {
		return err
	}
	return k.look(ctx)
}

func put(ctx context.Context, tx *sql.Tx, e entry, n int64) error {
	document, err := json.Marshal(e.Shop)
	if err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, `INSERT INTO shops (name, database, document, version) VALUES (?, ?, ?, ?)
		ON CONFLICT (name) DO UPDATE SET database = excluded.database, document = excluded.document, version = excluded.version`,
		e.Name, e.database, string(document), n)
	return err
}

// Make makes a new shop with an empty database, or with what fill puts into it; nil: nothing. It
// is in the directory once it is whole.
func (k *Keeper) Make(ctx context.Context, s shops.Shop, fill func(*store.Store) error) error {
	if err := s.Check(); err != nil {
		return err
	}
	if e, there := k.named(s.Name); there {
		return fmt.Errorf("%s: %w", e.Name, shops.ErrThere)
	}
	database := fresh(s.Name)
	if err := k.fill(ctx, database, fill); err != nil {
		return err
	}
	return k.change(ctx, func(tx *sql.Tx, all []entry, n int64) error {
		if slices.ContainsFunc(all, func(e entry) bool { return e.Name == s.Name }) {
			return fmt.Errorf("%s: %w", s.Name, shops.ErrThere)
		}
		if err := shops.Taken(only(all), s); err != nil {
			return err
		}
		return put(ctx, tx, entry{s, database}, n)
	})
}

// fresh is the name of a database that there is not.
func fresh(shop string) string {
	return strings.ReplaceAll(shop, "-", "_") + "_" + strconv.FormatInt(time.Now().UnixNano(), 36)
}

func only(all []entry) []shops.Shop {
	out := make([]shops.Shop, len(all))
	for i, e := range all {
		out[i] = e.Shop
	}
	return out
}

func (k *Keeper) fill(ctx context.Context, database string, fill func(*store.Store) error) error {
	s, err := k.client.Open(ctx, database)
	if err != nil {
		return err
	}
	if fill != nil {
		err = fill(s)
	}
	return errors.Join(err, s.Close())
}

// Change has the shop be reached by other names, titled otherwise, closed or opened.
func (k *Keeper) Change(ctx context.Context, name string, do func(*shops.Shop)) error {
	return k.change(ctx, func(tx *sql.Tx, all []entry, n int64) error {
		i := slices.IndexFunc(all, func(e entry) bool { return e.Name == name })
		if i < 0 {
			return fmt.Errorf("%s: %w", name, shops.ErrUnknown)
		}
		do(&all[i].Shop)
		if err := all[i].Check(); err != nil {
			return err
		}
		if err := shops.Taken(only(all), all[i].Shop); err != nil {
			return err
		}
		return put(ctx, tx, all[i], n)
	})
}

// PutBack has the shop go on with what fill puts into a new database, as from a backup; who is at
// work goes on with that. What was there stays in the cluster under the name returned.
func (k *Keeper) PutBack(ctx context.Context, name string, fill func(*store.Store) error) (was string, err error) {
	e, ok := k.named(name)
	if !ok {
		return "", fmt.Errorf("%s: %w", name, shops.ErrUnknown)
	}
	database := fresh(name)
	if err := k.fill(ctx, database, fill); err != nil {
		return "", err
	}
	was = e.database
	return was, k.change(ctx, func(tx *sql.Tx, all []entry, n int64) error {
		i := slices.IndexFunc(all, func(e entry) bool { return e.Name == name })
		if i < 0 {
			return fmt.Errorf("%s: %w", name, shops.ErrUnknown)
		}
		all[i].database = database
		return put(ctx, tx, all[i], n)
	})
}

// Close closes the shop to everybody, and has its database take no write any more, whichever
// machine has not heard of it yet.
func (k *Keeper) Close(ctx context.Context, name, why string) error {
	if why == "" {
		return errors.New("why is the shop closed?")
	}
	if err := k.Change(ctx, name, func(s *shops.Shop) { s.Closed = why }); err != nil {
		return err
	}
	return k.with(ctx, name, func(s *store.Store) error { return s.Freeze(ctx, "the shop is closed for a while: "+why) })
}

// Reopen opens a closed shop again.
func (k *Keeper) Reopen(ctx context.Context, name string) error {
	if err := k.with(ctx, name, func(s *store.Store) error { return s.Thaw(ctx) }); err != nil {
		return err
	}
	return k.Change(ctx, name, func(s *shops.Shop) { s.Closed = "" })
}

// with has something done with the shop's database.
func (k *Keeper) with(ctx context.Context, name string, do func(*store.Store) error) error {
	e, ok := k.named(name)
	if !ok {
		return fmt.Errorf("%s: %w", name, shops.ErrUnknown)
	}
	s, err := k.client.Open(ctx, e.database)
	if err != nil {
		return err
	}
	return errors.Join(do(s), s.Close())
}

// Remove takes a shop away for good, once archive has archived it: where that fails, nothing is
// removed.
func (k *Keeper) Remove(ctx context.Context, name string, archive func(*store.Store) error) error {
	if err := k.Close(ctx, name, "it is being removed"); err != nil {
		return err
	}
	if err := k.with(ctx, name, archive); err != nil {
		return errors.Join(fmt.Errorf("%s was not removed: %w", name, err), k.Reopen(context.WithoutCancel(ctx), name))
	}
	return k.drop(ctx, name)
}

// drop takes a shop out of the directory, and empties its database: the engine has no way to
// remove one.
func (k *Keeper) drop(ctx context.Context, name string) error {
	e, ok := k.named(name)
	if !ok {
		return fmt.Errorf("%s: %w", name, shops.ErrUnknown)
	}
	if err := k.change(ctx, func(tx *sql.Tx, _ []entry, _ int64) error {
		_, err := tx.ExecContext(ctx, "DELETE FROM shops WHERE name = ?", name)
		return err
	}); err != nil {
		return err
	}
	return k.empty(ctx, e.database)
}

// empty drops all that a database is made of, at once: until then it stays as closed as it was.
func (k *Keeper) empty(ctx context.Context, database string) (err error) {
	db := k.client.db(database, 0)
	defer func() { err = errors.Join(err, db.Close()) }()
	rows, err := db.QueryContext(ctx, `SELECT type, name FROM sqlite_schema WHERE type = 'trigger'
		OR type = 'table' AND name NOT LIKE 'sqlite\_%' ESCAPE '\' AND name NOT LIKE 'search\_%' ESCAPE '\' ORDER BY type DESC, rowid DESC`)
	if err != nil {
		return err
	}
	var drop []string
	for rows.Next() {
		var kind, name string
		if err := rows.Scan(&kind, &name); err != nil {
			return errors.Join(err, rows.Close())
		}
		drop = append(drop, "DROP "+strings.ToUpper(kind)+` "`+strings.ReplaceAll(name, `"`, `""`)+`"`)
	}
	if err := errors.Join(rows.Err(), rows.Close()); err != nil {
		return err
	}
	tx, err := db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	for _, statement := range append([]string{"PRAGMA defer_foreign_keys = ON"}, drop...) {
		if _, err := tx.ExecContext(ctx, statement); err != nil {
			return errors.Join(fmt.Errorf("%s: %w", statement, err), tx.Rollback())
		}
	}
	return tx.Commit()
}

// Place is what commands take as --db for the shop.
func (k *Keeper) Place(name string) string { return prefix + k.client.folder + ":" + name }

var _ shops.Directory = (*Keeper)(nil)
