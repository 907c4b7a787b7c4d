//go:build dqlite

package main

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"elvat/internal/cluster"
	"elvat/internal/sealed"
	"elvat/internal/shops"
	"elvat/internal/store"
)

// startNode starts this machine's node and hands out the shops of the cluster.
func startNode(ctx context.Context, o manyOptions, fallback *tls.Config, log *slog.Logger) (shops.Keeper, func() error, error) {
	if o.node == "" {
		return nil, nil, errors.New("--node: at which address do the other machines of the cluster reach this one, such as 10.0.0.1:9000?")
	}
	node, err := cluster.Start(ctx, cluster.Options{Folder: o.cluster, Address: o.node, Join: o.join, Log: log})
	if err != nil {
		return nil, nil, err
	}
	k, err := node.Shops(ctx, fallback, log)
	if err != nil {
		return nil, nil, errors.Join(err, node.Close())
	}
	return k, func() error { return errors.Join(k.End(), node.Close()) }, nil
}

// shopsOfCluster reaches the cluster that the folder's node belongs to.
func shopsOfCluster(ctx context.Context, folder string) (shops.Directory, func() error, error) {
	k, done, err := keeperOf(ctx, folder)
	if err != nil {
		return nil, nil, err
	}
	return k, done, nil
}

func keeperOf(ctx context.Context, folder string) (*cluster.Keeper, func() error, error) {
	c, err := cluster.Connect(folder)
	if err != nil {
		return nil, nil, err
	}
	k, err := c.Shops(ctx, nil, slog.New(slog.DiscardHandler))
	if err != nil {
		return nil, nil, errors.Join(err, c.Close())
	}
	return k, func() error { return errors.Join(k.End(), c.Close()) }, nil
}

// withKeeper has something done with the cluster's shops.
func withKeeper(ctx context.Context, folder string, do func(*cluster.Keeper) error) error {
	k, done, err := keeperOf(ctx, folder)
	if err != nil {
		return err
	}
	return errors.Join(do(k), done())
}

func storeInCluster(ctx context.Context, folder, shop string) (*store.Store, func() error, error) {
	d, done, err := shopsOfCluster(ctx, folder)
	if err != nil {
		return nil, nil, err
	}
	s, err := d.Get(ctx, shop)
	if err != nil {
		return nil, nil, errors.Join(fmt.Errorf("%s: %w", shop, err), done())
	}
	kept, err := d.Open(ctx, s)
	if err != nil {
		return nil, nil, errors.Join(err, done())
	}
	return kept, func() error { return errors.Join(kept.Close(), done()) }, nil
}

// restoreIntoCluster has a shop of the cluster go on with what a backup holds; one that there is
// not is made by elvat shops make first.
func restoreIntoCluster(cmd *cobra.Command, backup, folder, shop string) error {
	ctx := cmd.Context()
	if err := store.Check(ctx, backup); err != nil {
		return fmt.Errorf("nothing was changed: %w", err)
	}
	return withKeeper(ctx, folder, func(k *cluster.Keeper) error {
		was, err := k.PutBack(ctx, shop, func(to *store.Store) error { return store.CopyFile(ctx, backup, to) })
		if err != nil {
			return fmt.Errorf("nothing was changed: %w", err)
		}
		_, err = fmt.Fprintf(cmd.OutOrStdout(), "%s goes on with %s; what was there is kept in the cluster as %s\n", shop, backup, was)
		return err
	})
}

// restoreAll restores all shops of a node's folder; the passphrase is asked for once, where backups
// are encrypted.
func restoreAll(cmd *cobra.Command, folder, from string, told func(shop, backup string)) (err error) {
	beside, err := os.MkdirTemp(folder, "elvat-unsealed-")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(beside)) }()
	passphrase := ""
	opened := func(path string) (string, error) {
		is, err := sealed.Is(path)
		if err != nil || !is {
			return path, err
		}
		if passphrase == "" {
			if passphrase, err = readPassphrase(cmd); err != nil {
				return "", err
			}
		}
		plain := filepath.Join(beside, "plain")
		if err := os.Remove(plain); err != nil && !errors.Is(err, os.ErrNotExist) {
			return "", err
		}
		return plain, sealed.Opened(path, plain, passphrase)
	}
	return withKeeper(cmd.Context(), folder, func(k *cluster.Keeper) error { return k.RestoreAll(cmd.Context(), from, opened, told) })
}

func clusterMembers(ctx context.Context, folder string) (all []cluster.Member, err error) {
	err = withCluster(folder, func(c *cluster.Client) error {
		all, err = c.Members(ctx)
		return err
	})
	return all, err
}

func compareMembers(ctx context.Context, folder string, told func(string, int)) error {
	return withKeeper(ctx, folder, func(k *cluster.Keeper) error { return k.Compare(ctx, told) })
}

func drainMember(ctx context.Context, folder, address string) error {
	return withCluster(folder, func(c *cluster.Client) error { return c.Drain(ctx, address) })
}

func removeMember(ctx context.Context, folder, address string) error {
	return withCluster(folder, func(c *cluster.Client) error { return c.Remove(ctx, address) })
}

func withCluster(folder string, do func(*cluster.Client) error) error {
	c, err := cluster.Connect(folder)
	if err != nil {
		return err
	}
	return errors.Join(do(c), c.Close())
}
