//go:build dqlite

package cluster_test

import (
	"context"
	"fmt"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"elvat/internal/store"
)

// BenchmarkCluster is what three machines on this one take in and give out: a write is a row in a
// transaction of its own, acknowledged by a majority; a read is one row, after a majority said who
// leads. Each of the databases has so many clients.
func BenchmarkCluster(b *testing.B) {
	all := nodes(b, 3)
	for _, c := range []struct{ databases, clients int }{{1, 1}, {1, 8}, {16, 16}, {64, 64}} {
		shops := make([]*store.Store, c.databases)
		for i := range shops {
			var err error
			shops[i], err = all[i%3].Open(b.Context(), fmt.Sprintf("bench_%d_%d_%d", c.databases, c.clients, i))
			require.NoError(b, err)
		}
		var n atomic.Int64
		run := func(name string, do func(context.Context, *store.Store, int64) error) {
			b.Run(fmt.Sprintf("%s/databases=%d/clients=%d", name, c.databases, c.clients), func(b *testing.B) {
				b.SetParallelism((c.clients + 1) / 2) // two processors
				b.RunParallel(func(pb *testing.PB) {
					for pb.Next() {
						i := n.Add(1)
						if err := do(b.Context(), shops[int(i)%len(shops)], i); err != nil {
							b.Error(err)
						}
					}
				})
				b.ReportMetric(float64(b.N)/b.Elapsed().Seconds(), "per-s")
			})
		}
		run("write", func(ctx context.Context, s *store.Store, i int64) error {
			return s.AddMove(ctx, store.Move{ID: fmt.Sprintf("m%d-%d", c.databases, i), Van: "Van 1", Item: "plate", Count: 1, At: time.Now()})
		})
		run("read", func(ctx context.Context, s *store.Store, _ int64) error {
			_, err := s.Setting(ctx, "house")
			return err
		})
		for _, s := range shops {
			require.NoError(b, s.Close())
		}
	}
}
