//go:build !dqlite

package main

import (
	"context"
	"crypto/tls"
	"log/slog"

	"github.com/spf13/cobra"

	"elvat/internal/cluster"
	"elvat/internal/shops"
	"elvat/internal/store"
)

// What a build without the engine says of clusters.

func startNode(context.Context, manyOptions, *tls.Config, *slog.Logger) (shops.Keeper, func() error, error) {
	return nil, nil, cluster.ErrNoCluster
}

func shopsOfCluster(context.Context, string) (shops.Directory, func() error, error) {
	return nil, nil, cluster.ErrNoCluster
}

func storeInCluster(context.Context, string, string) (*store.Store, func() error, error) {
	return nil, nil, cluster.ErrNoCluster
}

func restoreIntoCluster(*cobra.Command, string, string, string) error { return cluster.ErrNoCluster }

func clusterMembers(context.Context, string) ([]cluster.Member, error) {
	return nil, cluster.ErrNoCluster
}

func compareMembers(context.Context, string, func(string, int)) error { return cluster.ErrNoCluster }
func drainMember(context.Context, string, string) error               { return cluster.ErrNoCluster }
func removeMember(context.Context, string, string) error              { return cluster.ErrNoCluster }

func restoreAll(*cobra.Command, string, string, func(shop, backup string)) error {
	return cluster.ErrNoCluster
}

func demoCluster() *cobra.Command {
	return &cobra.Command{Use: "demo", Short: "Three machines on this one: " + cluster.ErrNoCluster.Error(), RunE: func(*cobra.Command, []string) error { return cluster.ErrNoCluster }}
}
