package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	sqlite3 "modernc.org/sqlite/lib"

	"elvat/internal/sealed"
)

// What can go wrong with the file itself.
var (
	// ErrFull means that the disk took nothing more: what was to be written is
	// not there, and what was written before is.
	ErrFull = errors.New(
		"the disk is full: nothing of this was saved. Make room, then do it again; what was saved before is safe",
	)
	// ErrDamaged means that the file is no longer a sound database.
	ErrDamaged = errors.New(
		"the database file is damaged. Stop Elvat, keep the file as it is, and put the newest backup in its place with elvat restore",
	)
)

// Cause tells a full disk and a damaged file from other errors: it is joined to
// them, so that errors.Is finds it.
func Cause(err error) error {
	var e coded
	if !errors.As(err, &e) {
		return err
	}
	switch e.Code() & 0xff { // the primary code
	case sqlite3.SQLITE_FULL:
		return errors.Join(ErrFull, err)
	case sqlite3.SQLITE_CORRUPT, sqlite3.SQLITE_NOTADB:
		return errors.Join(ErrDamaged, err)
	case sqlite3.SQLITE_IOERR:
		if e.Code() == sqlite3.SQLITE_IOERR_WRITE { // a quota, or a limit of the file's size
			return errors.Join(ErrFull, err)
		}
	}
	return err
}

// coded is an error of SQLite, whichever engine it comes from.
type coded interface {
	error
	Code() int
}

// OfDatabase reports an error of the database itself, whatever was asked of it.
func OfDatabase(err error) bool {
	var e coded
	return errors.As(err, &e)
}

// Backup writes a copy of the database to a new file, while work goes on, and
// checks it before it gets its name.
func (s *Store) Backup(ctx context.Context, to string) (err error) {
	if _, err := os.Stat(to); !errors.Is(err, os.ErrNotExist) {
		return fmt.Errorf("backup %s: there is a file of that name already", to)
	}
	part := to + ".part"
	defer func() {
		if err != nil {
			err = fmt.Errorf("backup %s: %w", to, errors.Join(Cause(err), removeIfThere(part)))
		}
	}()
	if err := removeIfThere(part); err != nil {
		return err
	}
	if err := s.copyTo(ctx, part); err != nil {
		return err
	}
	if err := Check(ctx, part); err != nil {
		return err
	}
	if err := flush(part); err != nil {
		return err
	}
	return os.Rename(part, to)
}

// SealedBackup is Backup, encrypted with the passphrase. It is checked before it is sealed.
func (s *Store) SealedBackup(ctx context.Context, to, passphrase string) error {
	plain := to + ".plain"
	if err := removeIfThere(plain); err != nil { // of a machine that went down in the middle
		return err
	}
	if err := s.Backup(ctx, plain); err != nil {
		return err
	}
	err := sealed.File(plain, to, passphrase)
	return errors.Join(err, os.Remove(plain))
}

// Check reports whether the file is a sound database of Elvat, without changing it.
func Check(ctx context.Context, path string) error {
	if _, err := os.Stat(path); err != nil {
		return err
	}
	db, err := sql.Open("sqlite", "file:"+(&url.URL{Path: path}).EscapedPath()+"?mode=ro&immutable=1")
	if err != nil {
		return err
	}
	defer db.Close()
	var says string
	if err := db.QueryRowContext(ctx, "PRAGMA integrity_check(1)").Scan(&says); err != nil {
		return fmt.Errorf("%s: %w", path, Cause(err))
	}
	if says != "ok" {
		return fmt.Errorf("%s: %w (%s)", path, ErrDamaged, says)
	}
	var tables int
	if err := db.QueryRowContext(ctx, "SELECT count(*) FROM sqlite_schema WHERE name IN ('calls', 'goose_db_version')").Scan(&tables); err != nil {
		return fmt.Errorf("%s: %w", path, err)
	}
	if tables != 2 {
		return fmt.Errorf("%s: not a database of Elvat", path)
	}
	return nil
}

// IntegrityCheck has SQLite look through the whole open database.
func (s *Store) IntegrityCheck(ctx context.Context) error {
	var says string
	if err := s.db.QueryRowContext(ctx, "PRAGMA integrity_check(1)").Scan(&says); err != nil {
		return Cause(err)
	}
	if says != "ok" {
		return fmt.Errorf("%w (%s)", ErrDamaged, says)
	}
	return nil
}

// ErrInUse means that another process has the database open.
var ErrInUse = errors.New("the database is in use: stop Elvat first")

// beside is what SQLite keeps next to a database.
var beside = []string{"", "-wal", "-shm"}

// Restore puts the backup in the database's place. What was there, damaged or
// not, is kept beside it under the name returned, "" where there was nothing.
func Restore(ctx context.Context, backup, path string, now time.Time) (kept string, err error) {
	if err := Check(ctx, backup); err != nil {
		return "", fmt.Errorf("nothing was changed: %w", err)
	}
	if err := Unused(ctx, path); err != nil {
		return "", fmt.Errorf("nothing was changed: %s: %w", path, err)
	}
	part := path + ".part"
	if err := copyFile(backup, part); err != nil {
		return "", fmt.Errorf("nothing was changed: %w", errors.Join(err, removeIfThere(part)))
	}
	if _, err := os.Stat(path); err == nil {
		kept = path + ".before-" + now.UTC().Format("20060102-150405")
		for _, end := range beside {
			if err := os.Rename(path+end, kept+end); err != nil && !errors.Is(err, os.ErrNotExist) {
				return kept, err
			}
		}
	}
	return kept, os.Rename(part, path)
}

// Unused reports whether nobody has the database open, ErrInUse where somebody has. A file that is no
// database can be used by nobody.
func Unused(ctx context.Context, path string) error {
	if _, err := os.Stat(path); errors.Is(err, os.ErrNotExist) {
		return nil
	}
	db, err := sql.Open(
		"sqlite",
		"file:"+(&url.URL{Path: path}).EscapedPath()+"?_pragma=busy_timeout(200)&_pragma=locking_mode(EXCLUSIVE)&_txlock=exclusive",
	)
	if err != nil {
		return err
	}
	defer db.Close()
	tx, err := db.BeginTx(ctx, nil)
	if err == nil {
		return tx.Rollback()
	}
	var e coded
	if errors.As(err, &e) && e.Code()&0xff == sqlite3.SQLITE_BUSY {
		return ErrInUse
	}
	if errors.Is(Cause(err), ErrDamaged) {
		return nil
	}
	return err
}

func copyFile(from, to string) (err error) {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.OpenFile(to, os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	_, err = io.Copy(out, in)
	return errors.Join(err, out.Sync(), out.Close())
}

func flush(path string) error {
	f, err := os.OpenFile(path, os.O_RDWR, 0)
	if err != nil {
		return err
	}
	return errors.Join(f.Sync(), f.Close(), os.Chmod(path, 0o600))
}

func removeIfThere(path string) error {
	if err := os.Remove(path); err != nil && !errors.Is(err, os.ErrNotExist) {
		return err
	}
	return nil
}

// A BackupFile is one of the backups in a folder.
type BackupFile struct {
	Name  string
	At    time.Time
	Bytes int64
}

// backupName is the name of a backup made at the time.
func backupName(at time.Time) string { return "elvat-" + at.UTC().Format("20060102-150405") + ".db" }

// Backups lists the backups in a folder, newest first; none where there is no folder.
func Backups(folder string) ([]BackupFile, error) {
	names, err := filepath.Glob(filepath.Join(folder, "elvat-*.db*"))
	if err != nil {
		return nil, err
	}
	slices.Sort(names)
	var all []BackupFile
	for i := len(names) - 1; i >= 0; i-- { // names sort as times do
		name := filepath.Base(names[i])
		at, err := time.Parse("20060102-150405", strings.TrimSuffix(strings.TrimSuffix(strings.TrimPrefix(name, "elvat-"), sealed.Ending), ".db"))
		if err != nil {
			continue // of another origin
		}
		info, err := os.Stat(names[i])
		if err != nil {
			return nil, err
		}
		all = append(all, BackupFile{name, at, info.Size()})
	}
	return all, nil
}

// BackupInto makes a backup in the folder, encrypted where there is a passphrase, and removes
// the oldest beyond the number to keep.
func (s *Store) BackupInto(ctx context.Context, folder string, keep int, now time.Time, passphrase string) error {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return err
	}
	to := filepath.Join(folder, backupName(now))
	if passphrase == "" {
		if err := s.Backup(ctx, to); err != nil {
			return err
		}
	} else if err := s.SealedBackup(ctx, to+sealed.Ending, passphrase); err != nil {
		return err
	}
	all, err := Backups(folder)
	if err != nil {
		return err
	}
	for _, old := range all[min(keep, len(all)):] {
		if err := os.Remove(filepath.Join(folder, old.Name)); err != nil {
			return err
		}
	}
	return nil
}

// WrittenAt is when the database was last written to, as its files tell; where it is no file, when
// something was last done that is on record.
func (s *Store) WrittenAt(ctx context.Context) (latest time.Time, err error) {
	if s.path == "" {
		var ms int64
		err := s.on(ctx).QueryRowContext(ctx, "SELECT max((SELECT coalesce(max(arrived_at), 0) FROM actions), (SELECT coalesce(max(at), 0) FROM events))").Scan(&ms)
		return instant(ms), err
	}
	for _, end := range []string{"", "-wal"} {
		info, err := os.Stat(s.path + end)
		switch {
		case errors.Is(err, os.ErrNotExist):
		case err != nil:
			return latest, err
		case info.ModTime().After(latest):
			latest = info.ModTime()
		}
	}
	return latest, nil
}
