//go:build dqlite

package cluster_test

import (
	"fmt"
	"log/slog"
	"net"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/internal/cluster"
	"elvat/internal/demo"
	"elvat/internal/shops"
	"elvat/internal/store"
)

// free is an address of this machine that nothing listens at.
func free(t testing.TB) string {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	return l.Addr().String()
}

func quiet() *slog.Logger {
	if os.Getenv("ELVAT_LOG") != "" {
		return slog.New(slog.NewTextHandler(os.Stderr, nil))
	}
	return slog.New(slog.DiscardHandler)
}

// nodes starts so many machines of a cluster on this one.
func nodes(t testing.TB, n int) []*cluster.Node {
	var all []*cluster.Node
	folder := t.TempDir()
	var first string
	for i := range n {
		own, at := filepath.Join(folder, fmt.Sprint(i)), free(t)
		o := cluster.Options{Folder: own, Address: at, Log: quiet()}
		if i == 0 {
			first = at
			require.NoError(t, cluster.MakeKeys(own, at, time.Now()))
		} else {
			require.NoError(t, os.Mkdir(own, 0o700))
			require.NoError(t, cluster.Invite(filepath.Join(folder, "0"), at, filepath.Join(own, "node.pem"), time.Now()))
			o.Join = []string{first}
		}
		one, err := cluster.Start(t.Context(), o)
		require.NoError(t, err)
		all = append(all, one)
		t.Cleanup(func() { one.Close() }) //nolint:errcheck // the others may be gone
	}
	return all
}

// TestShops: a shop's database is in the cluster, whichever machine is asked.
func TestShops(t *testing.T) {
	all := nodes(t, 3)
	start := time.Now()
	s, err := all[0].Open(t.Context(), "north")
	require.NoError(t, err)
	t.Logf("opened after %v", time.Since(start))
	start = time.Now()
	require.NoError(t, demo.Fill(t.Context(), s, time.Now()))
	t.Logf("filled after %v", time.Since(start))
	defer s.Close()
	other, err := all[2].Open(t.Context(), "north")
	require.NoError(t, err)
	defer other.Close()
	one, err := s.Sums(t.Context())
	require.NoError(t, err)
	two, err := other.Sums(t.Context())
	require.NoError(t, err)
	require.NoError(t, store.Differ(one, two))
	hits, err := other.Search(t.Context(), "bindery", 10)
	require.NoError(t, err)
	assert.NotEmpty(t, hits)
	require.NoError(t, other.IntegrityCheck(t.Context()))

	file := filepath.Join(t.TempDir(), "backup.db")
	start = time.Now()
	require.NoError(t, other.Backup(t.Context(), file))
	t.Logf("copied after %v", time.Since(start))
	plain, err := store.Open(t.Context(), file)
	require.NoError(t, err)
	defer plain.Close()
	three, err := plain.Sums(t.Context())
	require.NoError(t, err)
	require.NoError(t, store.Differ(one, three), "a backup holds what the cluster does")

	k, err := all[1].Shops(t.Context(), nil, quiet())
	require.NoError(t, err)
	defer k.End()
	require.NoError(t, k.Make(t.Context(), shops.Shop{Name: "south", Title: "South", Hosts: []string{"south.example"}}, func(to *store.Store) error {
		return plain.CopyInto(t.Context(), to)
	}))
	got, err := k.Reached(t.Context(), "south.example")
	require.NoError(t, err)
	again, err := k.Open(t.Context(), got)
	require.NoError(t, err)
	defer again.Close()
	four, err := again.Sums(t.Context())
	require.NoError(t, err)
	require.NoError(t, store.Differ(one, four), "and a shop that is put back from it as well")
	members, err := all[2].Members(t.Context())
	require.NoError(t, err)
	t.Log(members)
	assert.Len(t, members, 3)
}
