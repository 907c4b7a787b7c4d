//go:build dqlite

package cluster

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"time"

	"github.com/canonical/go-dqlite/client"

	"elvat/internal/store"
)

// sumsAt are those of a database's tables as one machine has them itself, looked through first. A
// machine may be some moments behind the others.
func (c *Client) sumsAt(ctx context.Context, database, address string) (sums map[string]string, err error) {
	folder, err := os.MkdirTemp("", "elvat-copy-")
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(folder)) }()
	if err := c.dump(ctx, address, database, filepath.Join(folder, "copy")); err != nil {
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

// Compare looks through every shop's database, and the one that lists them, on every machine that
// has data, and reports what is not sound or not the same; told is told of each shop that is.
func (k *Keeper) Compare(ctx context.Context, told func(shop string, machines int)) error {
	members, err := k.client.Members(ctx)
	if err != nil {
		return err
	}
	members = slices.DeleteFunc(members, func(m Member) bool { return m.Role == client.Spare.String() })
	if err := k.client.compare(ctx, directoryDB, members); err != nil {
		return fmt.Errorf("the directory: %w", err)
	}
	k.mu.Lock()
	all := slices.Clone(k.all)
	k.mu.Unlock()
	for _, e := range all {
		if err := k.client.compare(ctx, e.database, members); err != nil {
			return fmt.Errorf("%s: %w", e.Name, err)
		}
		told(e.Name, len(members))
	}
	return nil
}

func (c *Client) compare(ctx context.Context, database string, members []Member) error {
	for end := time.Now().Add(behind); ; {
		err := c.compareOnce(ctx, database, members)
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

func (c *Client) compareOnce(ctx context.Context, database string, members []Member) error {
	var first map[string]string
	for _, m := range members {
		sums, err := c.sumsAt(ctx, database, m.Address)
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
