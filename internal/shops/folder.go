package shops

import (
	"context"
	"crypto/tls"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"sync"
	"time"

	"elvat/internal/objects"
	"elvat/internal/store"
	"elvat/internal/trust"
)

// A Folder keeps shops on this machine: a folder each, with the shop's database and what belongs
// to it, and shop.json, which says how it is reached. Shops are made, changed and removed while
// the folder is served.
type Folder struct {
	Path string
	// Fallback is shown over TLS by shops that have neither a certificate nor an authority of
	// their own; nil: they make one that nobody vouches for.
	Fallback *tls.Config

	mu     sync.Mutex
	known  map[string]known
	reads  int
	hosts  map[string]string // names of shops
	listed time.Time
}

// known is a shop as it was read last, and from what.
type known struct {
	Shop
	from fs.FileInfo
}

// is reports whether it was read from the very file.
func (k known) is(file fs.FileInfo) bool {
	return k.from != nil && os.SameFile(k.from, file) && k.from.ModTime().Equal(file.ModTime()) && k.from.Size() == file.Size()
}

// What lies in a shop's folder: how it is reached, and its database.
const (
	SettingsFile = "shop.json"
	DatabaseFile = "shop.db"
)

// Database is the file of the shop's database: what is done with one shop's is done with it.
func (f *Folder) Database(name string) string { return filepath.Join(f.Path, name, DatabaseFile) }

func (f *Folder) settings(name string) string { return filepath.Join(f.Path, name, SettingsFile) }

// Backups is the folder of the shop's backups.
func (f *Folder) Backups(s Shop) string { return f.Database(s.Name) + "-backups" }

// All are the shops there are. One whose settings cannot be read is an error beside the others.
func (f *Folder) All(ctx context.Context) ([]Shop, error) {
	entries, err := os.ReadDir(f.Path)
	if err != nil {
		return nil, err
	}
	var all []Shop
	var wrong error
	for _, e := range entries {
		if !e.IsDir() || !named.MatchString(e.Name()) {
			continue
		}
		s, err := f.Get(ctx, e.Name())
		switch {
		case errors.Is(err, ErrUnknown): // another folder
		case err != nil:
			wrong = errors.Join(wrong, err)
		default:
			all = append(all, s)
		}
	}
	return all, wrong
}

// Get is one by its name.
func (f *Folder) Get(_ context.Context, name string) (Shop, error) {
	if !named.MatchString(name) {
		return Shop{}, ErrUnknown
	}
	path := f.settings(name)
	info, err := os.Stat(path)
	if errors.Is(err, fs.ErrNotExist) {
		return Shop{}, ErrUnknown
	}
	if err != nil {
		return Shop{}, err
	}
	f.mu.Lock()
	was := f.known[name]
	f.mu.Unlock()
	if was.is(info) {
		return was.clone(), nil
	}
	data, err := os.ReadFile(path)
	if err != nil {
		return Shop{}, err
	}
	s := Shop{Name: name}
	if err := json.Unmarshal(data, &s); err != nil {
		return s, fmt.Errorf("%s: %w", path, err)
	}
	if err := s.Check(); err != nil {
		return s, fmt.Errorf("%s: %w", path, err)
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	if now := f.known[name]; now.is(info) {
		return now.clone(), nil // another read it as well
	}
	f.reads++
	s.Version = strconv.Itoa(f.reads)
	if f.known == nil {
		f.known = map[string]known{}
	}
	f.known[name] = known{s, info}
	return s.clone(), nil
}

// listAgain is how soon the folder is looked through once more for a name that nobody had.
const listAgain = time.Second

// Reached is the shop that a host name leads to.
func (f *Folder) Reached(ctx context.Context, host string) (Shop, error) {
	plain, err := HostName(host)
	if err != nil {
		return Shop{}, ErrNoHost
	}
	for _, again := range []bool{false, true} {
		name, err := f.named(ctx, plain, again)
		if err != nil {
			return Shop{}, err
		}
		if name == "" {
			continue
		}
		s, err := f.Get(ctx, name)
		if errors.Is(err, ErrUnknown) {
			continue
		}
		if err != nil {
			return Shop{}, err
		}
		if slices.Contains(s.Hosts, plain) {
			return s, nil
		}
	}
	return Shop{}, ErrNoHost
}

// named is the shop that the host led to when the folder was last looked through.
func (f *Folder) named(ctx context.Context, host string, again bool) (string, error) {
	f.mu.Lock()
	name, old := f.hosts[host], f.hosts == nil || again && time.Since(f.listed) >= listAgain
	if old {
		f.listed = time.Now() // who else asks meanwhile does not look as well
	}
	f.mu.Unlock()
	if !old {
		return name, nil
	}
	all, err := f.All(ctx)
	if len(all) == 0 && err != nil {
		return "", err
	}
	hosts := map[string]string{}
	for _, s := range all { // by name: where two say the same, the first has it
		for _, h := range s.Hosts {
			if _, there := hosts[h]; !there {
				hosts[h] = s.Name
			}
		}
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	f.hosts = hosts
	return hosts[host], nil
}

// Open opens the shop's database.
func (f *Folder) Open(ctx context.Context, s Shop) (*store.Store, error) {
	kept, err := store.OpenLimited(ctx, f.Database(s.Name), s.Most.Pages())
	if err != nil {
		return nil, err
	}
	return objects.Told(kept, filepath.Join(f.Path, objects.File), s.Name)
}

// Trust is the shop's own authority, beside its database; nil where it has none.
func (f *Folder) Trust(s Shop) (*trust.Authority, error) {
	authority, err := trust.Beside(f.Database(s.Name)).Open()
	if errors.Is(err, trust.ErrNone) {
		return nil, nil
	}
	return authority, err
}

// TLS is what the shop shows of itself: one of its own authority, a certificate that was put beside
// its database, that of the whole machine, or one that nobody vouches for.
func (f *Folder) TLS(s Shop) (*tls.Config, error) {
	authority, err := f.Trust(s)
	if err != nil {
		return nil, err
	}
	if authority != nil {
		return authority.Config(time.Now), nil
	}
	database := f.Database(s.Name)
	given := trust.Files{Certificate: database + "-tls.crt", Key: database + "-tls.key"}
	if f.Fallback != nil {
		if _, err := os.Stat(given.Certificate); errors.Is(err, fs.ErrNotExist) {
			return f.Fallback, nil
		}
	}
	// Of a shop in a cluster this machine may have nothing yet.
	if err := os.MkdirAll(filepath.Dir(database), 0o700); err != nil {
		return nil, err
	}
	if err := given.SelfSign(s.Hosts[0], time.Now()); err != nil {
		return nil, err
	}
	return given.Serve()
}

// Place is what commands take as --db for the shop.
func (f *Folder) Place(name string) string { return f.Database(name) }

// Make makes a new shop with an empty database, or with what fill puts into it; nil: nothing.
func (f *Folder) Make(ctx context.Context, s Shop, fill func(*store.Store) error) error {
	if err := f.may(ctx, &s); err != nil {
		return err
	}
	if err := os.Mkdir(filepath.Join(f.Path, s.Name), 0o700); errors.Is(err, fs.ErrExist) {
		return fmt.Errorf("%s: %w", s.Name, ErrThere)
	} else if err != nil {
		return err
	}
	made, err := store.Open(ctx, f.Database(s.Name))
	if err == nil {
		if fill != nil {
			err = fill(made)
		}
		err = errors.Join(err, made.Close())
	}
	if err != nil {
		return errors.Join(err, os.RemoveAll(filepath.Join(f.Path, s.Name)))
	}
	return f.write(s)
}

// Change has the shop be reached by other names, titled otherwise, closed or opened.
func (f *Folder) Change(ctx context.Context, name string, change func(*Shop)) error {
	s, err := f.Get(ctx, name)
	if err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	change(&s)
	if err := f.may(ctx, &s); err != nil {
		return err
	}
	return f.write(s)
}

// may reports what of the shop cannot be, beside the others.
func (f *Folder) may(ctx context.Context, s *Shop) error {
	if err := s.Check(); err != nil {
		return err
	}
	all, err := f.All(ctx)
	if err != nil {
		return err
	}
	return Taken(all, *s)
}

// Note writes down how a shop is reached, beside what this machine has of it: of a shop that is kept
// elsewhere, so that its backups here say what they are of.
func (f *Folder) Note(s Shop) error {
	if err := os.MkdirAll(filepath.Join(f.Path, s.Name), 0o700); err != nil {
		return err
	}
	return f.write(s)
}

// Forget takes away how a shop is reached; what else this machine has of it, as its backups, stays.
func (f *Folder) Forget(name string) error { return os.Remove(f.settings(name)) }

// write has the settings be there whole or not at all.
func (f *Folder) write(s Shop) error {
	data, err := json.MarshalIndent(s, "", "  ")
	if err != nil {
		return err
	}
	part, err := os.CreateTemp(filepath.Join(f.Path, s.Name), "."+SettingsFile+"-*") // its owner's alone
	if err != nil {
		return err
	}
	_, err = part.Write(append(data, '\n'))
	if err := errors.Join(err, part.Sync(), part.Close()); err != nil {
		return errors.Join(err, os.Remove(part.Name()))
	}
	return os.Rename(part.Name(), f.settings(s.Name))
}

// letGo is how long a process that serves the folder takes at most to close a shop: what it is
// answering is answered first.
const letGo = 30 * time.Second

// Close closes the shop to everybody, and waits until whoever serves it has let go of its
// database. Phones and browsers keep what they have, and send it once it is open again.
func (f *Folder) Close(ctx context.Context, name, why string) error {
	if why == "" {
		return errors.New("why is the shop closed?")
	}
	if err := f.Change(ctx, name, func(s *Shop) { s.Closed = why }); err != nil {
		return err
	}
	for end := time.Now().Add(letGo); ; {
		err := store.Unused(ctx, f.Database(name))
		if !errors.Is(err, store.ErrInUse) || time.Now().After(end) {
			return err
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(200 * time.Millisecond):
		}
	}
}

// Reopen opens a closed shop again.
func (f *Folder) Reopen(ctx context.Context, name string) error {
	return f.Change(ctx, name, func(s *Shop) { s.Closed = "" })
}

// Move moves a shop with all that it has into another folder, served by another process or on
// another disk. It is closed here before, copied, checked, opened there, and taken away here;
// where that fails before, it is open here as it was.
func (f *Folder) Move(ctx context.Context, name string, to *Folder) (err error) {
	s, err := f.Get(ctx, name)
	if err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	if err := to.may(ctx, &s); err != nil {
		return fmt.Errorf("%s: %w", to.Path, err)
	}
	from, there := filepath.Join(f.Path, name), filepath.Join(to.Path, name)
	if _, err := os.Lstat(there); !errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("%s: %w", there, ErrThere)
	}
	if err := f.Close(ctx, name, "it is being moved"); err != nil {
		return errors.Join(err, f.Reopen(ctx, name))
	}
	part := filepath.Join(to.Path, ".moving-"+name)
	arrived := false
	defer func() {
		if err != nil && !arrived {
			err = errors.Join(fmt.Errorf("%s stays where it is: %w", name, err), os.RemoveAll(part), f.Reopen(context.WithoutCancel(ctx), name))
		}
	}()
	if err := os.RemoveAll(part); err != nil { // of a machine that went down in the middle
		return err
	}
	if err := os.CopyFS(part, os.DirFS(from)); err != nil {
		return err
	}
	if err := private(part); err != nil {
		return err
	}
	if err := sameTables(ctx, f.Database(name), filepath.Join(part, DatabaseFile)); err != nil {
		return err
	}
	if err := os.Rename(part, there); err != nil {
		return err
	}
	arrived = true
	if err := to.Change(ctx, name, func(there *Shop) { there.Closed = s.Closed }); err != nil {
		return err
	}
	return os.RemoveAll(from)
}

// private has everything below be its owner's alone, and on the disk.
func private(folder string) error {
	return filepath.WalkDir(folder, func(path string, d fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case d.IsDir():
			return os.Chmod(path, 0o700)
		}
		file, err := os.OpenFile(path, os.O_RDWR, 0)
		if err != nil {
			return err
		}
		return errors.Join(file.Chmod(0o600), file.Sync(), file.Close())
	})
}

// sameTables checks a copy: that it is a sound database, and holds what the other does.
func sameTables(ctx context.Context, one, other string) error {
	was, err := store.SumsOf(ctx, one)
	if err != nil {
		return err
	}
	is, err := store.SumsOf(ctx, other)
	if err != nil {
		return err
	}
	return store.Differ(was, is)
}

// Remove takes a shop away for good, once archive has archived it: where that fails, nothing is
// removed.
func (f *Folder) Remove(ctx context.Context, name string, archive func(*store.Store) error) error {
	if err := f.Close(ctx, name, "it is being removed"); err != nil {
		return errors.Join(err, f.Reopen(ctx, name))
	}
	s, err := store.Open(ctx, f.Database(name))
	if err == nil {
		err = errors.Join(archive(s), s.Close())
	}
	if err != nil {
		return errors.Join(fmt.Errorf("%s was not removed: %w", name, err), f.Reopen(context.WithoutCancel(ctx), name))
	}
	return os.RemoveAll(filepath.Join(f.Path, name))
}
