// Package shops serves many shops from one process: which there are and by which names they are
// reached, each opened when somebody asks for it and closed when nobody does any more. What one
// shop has — its database, people, keys, backups, bounds — no other comes near.
package shops

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"net"
	"net/url"
	"regexp"
	"runtime"
	"slices"
	"strings"

	"golang.org/x/net/idna"

	"elvat/core/strict"
	"elvat/internal/store"
	"elvat/internal/trust"
)

// A Shop is one of those that a process serves.
type Shop struct {
	Name  string   `json:"-"`     // what it is kept under: letters a to z, digits and hyphens
	Title string   `json:"title"` // shown above the day's calls
	Hosts []string `json:"hosts"` // by which it is reached
	// Addresses are those of the machines that serve it, where there is more than one: a browser
	// goes on at another when one does not answer. Their hosts lie below one name, as
	// https://one.north.example and https://two.north.example do, or cookies do not reach them.
	Addresses []string `json:"addresses,omitempty"`
	// Closed is why nobody is served for a while; "" where the shop is open.
	Closed string `json:"closed,omitempty"`
	Most   Most   `json:"most,omitzero"`
	// Version changes whenever anything of this does: what was opened by another is opened anew.
	Version string `json:"-"`
}

// Most are the bounds of one shop; zeros: the usual ones.
type Most struct {
	Megabytes int `json:"megabytes,omitempty"` // of its database
	AtWork    int `json:"atWork,omitempty"`    // requests that are worked on at once
}

// usualMegabytes holds some fifteen years of five vans with their photographs. Assumption.
const usualMegabytes = 8 << 10

// pageSize is SQLite's, by which the size of a database is bounded.
const pageSize = 4096

// Work is how many requests may be worked on at once.
func (m Most) Work() int {
	if m.AtWork == 0 {
		return max(2, runtime.GOMAXPROCS(0))
	}
	return m.AtWork
}

// Pages are how many the database may have.
func (m Most) Pages() int {
	if m.Megabytes == 0 {
		m.Megabytes = usualMegabytes
	}
	return m.Megabytes << 20 / pageSize
}

// What can be wrong with a shop that is asked for.
var (
	ErrUnknown = errors.New("no shop of that name")
	ErrNoHost  = errors.New("no shop is reached by this name")
	ErrThere   = errors.New("there is a shop of that name already")
)

// closed is why a shop serves nobody just now.
type closed struct{ why string }

func (c closed) Error() string { return "this shop is closed for a while: " + c.why }

// A Keeper is where shops are kept: a folder of this machine, or a cluster of several.
type Keeper interface {
	// All are the shops there are, by name.
	All(ctx context.Context) ([]Shop, error)
	// Get is one by its name, ErrUnknown where there is none; Reached one by a host name, ErrNoHost.
	Get(ctx context.Context, name string) (Shop, error)
	Reached(ctx context.Context, host string) (Shop, error)
	// Open opens what the shop has written down.
	Open(ctx context.Context, s Shop) (*store.Store, error)
	// Backups is the folder of the shop's backups.
	Backups(s Shop) string
	// Trust is the shop's own authority, nil where it has none; TLS is what it shows of itself.
	Trust(s Shop) (*trust.Authority, error)
	TLS(s Shop) (*tls.Config, error)
}

// A Directory is a keeper whose shops can be made, changed, closed and removed while they are
// served.
type Directory interface {
	Keeper
	// Make makes a new shop with what fill puts into its database; nil: nothing.
	Make(ctx context.Context, s Shop, fill func(*store.Store) error) error
	Change(ctx context.Context, name string, change func(*Shop)) error
	// Close closes a shop to everybody: from when it returns, nothing is written any more.
	Close(ctx context.Context, name, why string) error
	Reopen(ctx context.Context, name string) error
	// Remove takes a shop away for good, once archive has archived it.
	Remove(ctx context.Context, name string, archive func(*store.Store) error) error
	// Place is what commands take as --db for the shop.
	Place(name string) string
}

// Move moves a shop to where shops are kept in another way: out of a folder into a cluster, back,
// or between clusters. It is closed where it is, copied row by row, compared table by table, open
// there, and taken away where it was. Where that fails before, it is open where it was. Keys and
// backups stay behind: they are a machine's.
func Move(ctx context.Context, name string, from, to Directory) (err error) {
	s, err := from.Get(ctx, name)
	if err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	if _, err := to.Get(ctx, name); !errors.Is(err, ErrUnknown) {
		return errors.Join(fmt.Errorf("%s: %w", name, ErrThere), err)
	}
	err = from.Close(ctx, name, "it is being moved")
	if err == nil {
		err = copied(ctx, s, from, to)
	}
	if err != nil {
		return errors.Join(fmt.Errorf("%s stays where it is: %w", name, err), from.Reopen(context.WithoutCancel(ctx), name))
	}
	return from.Remove(ctx, name, func(*store.Store) error { return nil })
}

func copied(ctx context.Context, s Shop, from, to Directory) (err error) {
	was, err := from.Open(ctx, s)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, was.Close()) }()
	return to.Make(ctx, s, func(is *store.Store) error {
		if err := was.CopyInto(ctx, is); err != nil {
			return err
		}
		return store.Same(ctx, was, is)
	})
}

var named = regexp.MustCompile(`^[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?$`)

// Check reports what of a shop cannot be.
func (s *Shop) Check() error {
	if !named.MatchString(s.Name) {
		return fmt.Errorf("name %q: letters a to z, digits and hyphens, at most 63", s.Name)
	}
	if err := strict.Name("title", s.Title); err != nil {
		return err
	}
	if len(s.Hosts) == 0 {
		return errors.New("hosts: by which name is the shop reached, such as north.example?")
	}
	for i, host := range s.Hosts {
		plain, err := HostName(host)
		if err != nil {
			return fmt.Errorf("hosts: %w", err)
		}
		s.Hosts[i] = plain
	}
	slices.Sort(s.Hosts)
	s.Hosts = slices.Compact(s.Hosts)
	for i, address := range s.Addresses {
		u, err := url.Parse(address)
		if err != nil || u.Host == "" || u.Scheme != "https" && u.Scheme != "http" || strings.Trim(u.Path, "/") != "" {
			return fmt.Errorf("addresses: %q is none such as https://one.north.example", address)
		}
		host, err := HostName(u.Host)
		if err != nil || !slices.Contains(s.Hosts, host) {
			return fmt.Errorf("addresses: %s is at none of the names that the shop is reached by", address)
		}
		s.Addresses[i] = u.Scheme + "://" + strings.ToLower(u.Host)
	}
	if s.Most.Megabytes < 0 || s.Most.AtWork < 0 {
		return errors.New("most: none of it is below zero")
	}
	return nil
}

// HostName is a host name as it is compared: in small letters, without the port.
func HostName(host string) (string, error) {
	if name, _, err := net.SplitHostPort(host); err == nil {
		host = name
	}
	plain, err := idna.Lookup.ToASCII(strings.TrimSuffix(strings.ToLower(strings.TrimSpace(host)), "."))
	if err != nil || plain == "" || strings.ContainsAny(plain, "*/: ") || net.ParseIP(plain) != nil {
		return "", fmt.Errorf("%q is no host name", host)
	}
	return plain, nil
}

// clone is one whose hosts are its own.
func (s Shop) clone() Shop {
	s.Hosts, s.Addresses = slices.Clone(s.Hosts), slices.Clone(s.Addresses)
	return s
}

// Taken reports the first host name by which two shops would be reached.
func Taken(all []Shop, s Shop) error {
	for _, other := range all {
		if other.Name == s.Name {
			continue
		}
		for _, host := range s.Hosts {
			if slices.Contains(other.Hosts, host) {
				return fmt.Errorf("hosts: %s leads to %s already", host, other.Name)
			}
		}
	}
	return nil
}
