//go:build dqlite

package cluster

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"github.com/canonical/go-dqlite/client"

	"elvat/internal/store"
)

// SumsAt are those of a shop's tables as one machine has them itself, looked through first; "" in
// place of a shop's name: of the directory. A machine may be some moments behind the others.
func (k *Keeper) SumsAt(ctx context.Context, shop, address string) (sums map[string]string, err error) {
	database := directoryDB
	if shop != "" {
		e, ok := k.named(shop)
		if !ok {
			return nil, fmt.Errorf("%s: no such shop", shop)
		}
		database = e.database
	}
	folder, err := os.MkdirTemp("", "elvat-copy-")
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(folder)) }()
	if err := k.client.dump(ctx, address, database, filepath.Join(folder, "copy")); err != nil {
		return nil, fmt.Errorf("%s: %w", address, err)
	}
	return store.SumsOf(ctx, filepath.Join(folder, "copy"))
}

// dump writes what a machine itself has of a database to a file, with its log beside it.
func (c *Client) dump(ctx context.Context, address, database, path string) error {
	ctx, cancel := context.WithTimeout(ctx, busyFor)
	defer cancel()
	one, err := client.New(ctx, address, client.WithDialFunc(c.dial))
	if err != nil {
		return err
	}
	defer one.Close()
	files, err := one.Dump(ctx, database)
	if err != nil {
		return err
	}
	for _, f := range files {
		end := ""
		if f.Name != database {
			end = "-wal"
		}
		if err := os.WriteFile(path+end, f.Data, 0o600); err != nil {
			return err
		}
	}
	return nil
}

// behind is how long a machine may take to have what the others have. Assumption.
const behind = 20 * time.Second

// Compare looks through every shop's database on every machine that has data, and reports what is
// not sound or not the same; told is told of each that is.
func (k *Keeper) Compare(ctx context.Context, told func(shop string, machines int)) error {
	members, err := k.client.Members(ctx)
	if err != nil {
		return err
	}
	all, err := k.All(ctx)
	if err != nil {
		return err
	}
	for _, s := range all {
		if err := k.compare(ctx, s.Name, members); err != nil {
			return fmt.Errorf("%s: %w", s.Name, err)
		}
		n := 0
		for _, m := range members {
			if m.Role != client.Spare.String() {
				n++
			}
		}
		told(s.Name, n)
	}
	return nil
}

func (k *Keeper) compare(ctx context.Context, shop string, members []Member) error {
	for end := time.Now().Add(behind); ; {
		err := k.compareOnce(ctx, shop, members)
		if err == nil || time.Now().After(end) {
			return err
		}
		select { // who is behind catches up, and what is being written is written
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(500 * time.Millisecond):
		}
	}
}

func (k *Keeper) compareOnce(ctx context.Context, shop string, members []Member) error {
	var first map[string]string
	for _, m := range members {
		if m.Role == client.Spare.String() {
			continue
		}
		sums, err := k.SumsAt(ctx, shop, m.Address)
		if err != nil {
			return err
		}
		if first == nil {
			first = sums
		} else if err := store.Differ(first, sums); err != nil {
			return fmt.Errorf("%s and %s: %w", members[0].Address, m.Address, err)
		}
	}
	return nil
}
