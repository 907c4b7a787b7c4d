//go:build dqlite

package store_test

import (
	"context"
	"crypto/sha256"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"testing"
	"time"

	"elvat/internal/cluster"
	"elvat/internal/store"
)

// TestMain has databases be those of a cluster of one machine, but for files that are there.
func TestMain(m *testing.M) { os.Exit(onCluster(m)) }

func onCluster(m *testing.M) int {
	folder, err := os.MkdirTemp("", "elvat-cluster")
	if err != nil {
		panic(err)
	}
	defer os.RemoveAll(folder)
	const at = "127.0.0.1:19471"
	if err := cluster.MakeKeys(filepath.Join(folder, "node"), at, time.Now()); err != nil {
		panic(err)
	}
	node, err := cluster.Start(context.Background(), cluster.Options{Folder: filepath.Join(folder, "node"), Address: at, Log: slog.New(slog.DiscardHandler)})
	if err != nil {
		panic(err)
	}
	opened = func(ctx context.Context, path string) (*store.Store, error) {
		if _, err := os.Stat(path); err == nil {
			return store.Open(ctx, path)
		}
		return node.Open(ctx, fmt.Sprintf("test_%x", sha256.Sum256([]byte(path))))
	}
	code := m.Run()
	if err := node.Close(); err != nil {
		panic(err)
	}
	return code
}
