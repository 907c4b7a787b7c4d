//go:build dqlite

package cluster_test

import (
	"bytes"
	"context"
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
	sites, err := s.Sites(t.Context(), 0, 1)
	require.NoError(t, err)
	hits, err := other.Search(t.Context(), sites[0].Name, 10)
	require.NoError(t, err)
	assert.NotEmpty(t, hits, "its words are found as in a file")
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

// aShop is a shop of the cluster with the demo's calls.
func aShop(t *testing.T, n *cluster.Node, name string) (*cluster.Keeper, *store.Store) {
	k, err := n.Shops(t.Context(), nil, quiet())
	require.NoError(t, err)
	t.Cleanup(func() { k.End() }) //nolint:errcheck // the cluster ends as well
	require.NoError(t, k.Make(t.Context(), shops.Shop{Name: name, Title: name, Hosts: []string{name + ".example"}}, func(s *store.Store) error {
		return demo.Fill(t.Context(), s, time.Now())
	}))
	s, err := k.Open(t.Context(), shops.Shop{Name: name})
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return k, s
}

func roles(t *testing.T, n *cluster.Node) map[string]string {
	members, err := n.Members(t.Context())
	require.NoError(t, err)
	all := map[string]string{}
	for _, m := range members {
		all[m.Address] = m.Role
	}
	return all
}

func leads(t *testing.T, n *cluster.Node) string {
	members, err := n.Members(t.Context())
	require.NoError(t, err)
	for _, m := range members {
		if m.Leader {
			return m.Address
		}
	}
	return ""
}

// TestReplaced: the machine that leads is drained and removed while the others are asked, and
// another takes its place; what is in the cluster stays.
func TestReplaced(t *testing.T) {
	all := nodes(t, 4)
	k, s := aShop(t, all[3], "north")
	was, err := s.Sums(t.Context())
	require.NoError(t, err)
	require.Eventually(t, func() bool { // three voters and one that stands by
		n := map[string]int{}
		for _, role := range roles(t, all[3]) {
			n[role]++
		}
		return n["voter"] == 3
	}, 30*time.Second, 200*time.Millisecond)
	old := leads(t, all[3])
	require.NotEmpty(t, old)
	require.NoError(t, all[3].Drain(t.Context(), old))
	assert.Equal(t, "spare", roles(t, all[3])[old])
	assert.NotEqual(t, old, leads(t, all[3]))
	require.NoError(t, all[3].Remove(t.Context(), old))
	assert.NotContains(t, roles(t, all[3]), old)
	require.ErrorContains(t, all[3].Remove(t.Context(), old), "not in the cluster")
	require.Eventually(t, func() bool {
		n := 0
		for _, role := range roles(t, all[3]) {
			if role == "voter" {
				n++
			}
		}
		return n == 3
	}, 30*time.Second, 200*time.Millisecond, "another votes in its place")
	is, err := s.Sums(t.Context())
	require.NoError(t, err)
	require.NoError(t, store.Differ(was, is))
	sound := 0
	require.NoError(t, k.Compare(t.Context(), func(string, int) { sound++ }))
	assert.Equal(t, 1, sound)
}

// TestMovedBetweenClusters: a shop goes from one cluster to another while things are written to
// it; what was acknowledged is there, once, and nothing is taken where it no longer is.
func TestMovedBetweenClusters(t *testing.T) {
	one, other := nodes(t, 1), nodes(t, 1)
	from, s := aShop(t, one[0], "north")
	to, err := other[0].Shops(t.Context(), nil, quiet())
	require.NoError(t, err)
	defer to.End()
	var acknowledged []string
	refused := 0
	stop, done := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(done)
		at, moved := s, false
		for n := 0; ; n++ {
			id := fmt.Sprintf("move-%05d", n)
			for {
				// What was written and not acknowledged is there when it is sent again.
				err := at.AddMove(t.Context(), store.Move{ID: id, Van: "Van 1", Item: "plate", Count: 1, At: time.Now()})
				if err == nil {
					break
				}
				refused++
				if _, err := to.Get(t.Context(), "north"); err == nil && !moved {
					if there, err := to.Open(t.Context(), shops.Shop{Name: "north"}); err == nil {
						at, moved = there, true
						defer there.Close()
					}
				}
				time.Sleep(5 * time.Millisecond)
			}
			acknowledged = append(acknowledged, id)
			select {
			case <-stop:
				return
			default:
			}
		}
	}()
	time.Sleep(300 * time.Millisecond)
	require.NoError(t, shops.Move(t.Context(), "north", from, to))
	time.Sleep(300 * time.Millisecond)
	close(stop)
	<-done
	_, err = from.Get(t.Context(), "north")
	require.ErrorIs(t, err, shops.ErrUnknown)
	there, err := to.Open(t.Context(), shops.Shop{Name: "north"})
	require.NoError(t, err)
	defer there.Close()
	stock, err := there.Stock(t.Context())
	require.NoError(t, err)
	have := 0.0
	for _, h := range stock {
		if h.Van == "Van 1" && h.Item == "plate" && h.Unit == "" {
			have = h.Count
		}
	}
	assert.InDelta(t, float64(len(acknowledged)), have, 0)
	t.Logf("%d acknowledged, %d times refused meanwhile", len(acknowledged), refused)

	// Where it cannot be, it stays, open.
	require.NoError(t, from.Make(t.Context(), shops.Shop{Name: "north", Title: "n", Hosts: []string{"n.example"}}, nil))
	require.ErrorIs(t, shops.Move(t.Context(), "north", to, from), shops.ErrThere)
	got, err := to.Get(t.Context(), "north")
	require.NoError(t, err)
	assert.Empty(t, got.Closed)
}

// TestPutBack: a shop goes on with what a backup holds, in a database of its own; what there was
// is still in the cluster.
func TestPutBack(t *testing.T) {
	n := nodes(t, 1)
	k, s := aShop(t, n[0], "north")
	was, err := s.Sums(t.Context())
	require.NoError(t, err)
	file := filepath.Join(t.TempDir(), "backup.db")
	require.NoError(t, s.Backup(t.Context(), file))
	_, err = s.AddSite(t.Context(), store.Site{Name: "Entered after", CreatedAt: time.Now()})
	require.NoError(t, err)
	before, err := k.Get(t.Context(), "north")
	require.NoError(t, err)
	old, err := k.PutBack(t.Context(), "north", func(to *store.Store) error { return store.CopyFile(t.Context(), file, to) })
	require.NoError(t, err)
	after, err := k.Get(t.Context(), "north")
	require.NoError(t, err)
	assert.NotEqual(t, before.Version, after.Version, "who has it open opens it anew")
	again, err := k.Open(t.Context(), after)
	require.NoError(t, err)
	defer again.Close()
	is, err := again.Sums(t.Context())
	require.NoError(t, err)
	require.NoError(t, store.Differ(was, is))
	kept, err := n[0].Open(t.Context(), old)
	require.NoError(t, err)
	defer kept.Close()
	hits, err := kept.Search(t.Context(), "entered after", 3)
	require.NoError(t, err)
	assert.Len(t, hits, 1)
}

// TestAllRestored: a cluster is lost with all its machines but for one's folder; from the backups
// there every shop goes on in a new cluster, reached as before.
func TestAllRestored(t *testing.T) {
	folder := t.TempDir()
	at := free(t)
	require.NoError(t, cluster.MakeKeys(folder, at, time.Now()))
	lost, err := cluster.Start(t.Context(), cluster.Options{Folder: folder, Address: at, Log: quiet()})
	require.NoError(t, err)
	k, err := lost.Shops(t.Context(), nil, quiet())
	require.NoError(t, err)
	was := map[string]map[string]string{}
	for _, name := range []string{"north", "south"} {
		s := shops.Shop{Name: name, Title: "The " + name, Hosts: []string{name + ".example"}}
		require.NoError(t, k.Make(t.Context(), s, func(s *store.Store) error { return demo.Fill(t.Context(), s, time.Now()) }))
		kept, err := k.Open(t.Context(), s)
		require.NoError(t, err)
		for range 2 { // the newest counts
			_, err = kept.AddSite(t.Context(), store.Site{Name: "The " + name + " house", CreatedAt: time.Now()})
			require.NoError(t, err)
			require.NoError(t, kept.BackupInto(t.Context(), k.Backups(s), 9, time.Now(), ""))
			time.Sleep(1100 * time.Millisecond) // backups have the second in their names
		}
		was[name], err = kept.Sums(t.Context())
		require.NoError(t, err)
		require.NoError(t, kept.Close())
	}
	gone := shops.Shop{Name: "gone", Title: "Gone", Hosts: []string{"gone.example"}}
	require.NoError(t, k.Make(t.Context(), gone, nil))
	require.NoError(t, k.Remove(t.Context(), "gone", func(*store.Store) error { return nil }))
	require.NoError(t, k.End())
	require.NoError(t, lost.Close())

	again := nodes(t, 1)[0]
	to, err := again.Shops(t.Context(), nil, quiet())
	require.NoError(t, err)
	defer to.End()
	told := map[string]string{}
	plain := func(path string) (string, error) { return path, nil }
	for range 2 { // the second time they are there
		require.NoError(t, to.RestoreAll(t.Context(), folder, plain, func(shop, backup string) { told[shop] += backup + ";" }))
	}
	assert.Regexp(t, `^elvat-\S+\.db;;$`, told["north"])
	assert.NotContains(t, told, "gone", "it was removed before")
	for name := range was {
		s, err := to.Reached(t.Context(), name+".example")
		require.NoError(t, err)
		assert.Equal(t, "The "+name, s.Title)
		kept, err := to.Open(t.Context(), s)
		require.NoError(t, err)
		is, err := kept.Sums(t.Context())
		require.NoError(t, err)
		require.NoError(t, store.Differ(was[name], is))
		require.NoError(t, kept.Close())
	}
	require.ErrorContains(t, to.RestoreAll(t.Context(), t.TempDir(), plain, nil), "shops")
}

// TestBound: a shop's database grows no further than it may, says so, and what was there before
// stays; another shop goes on.
func TestBound(t *testing.T) {
	n := nodes(t, 1)
	k, other := aShop(t, n[0], "south")
	small := shops.Shop{Name: "north", Title: "North", Hosts: []string{"north.example"}, Most: shops.Most{Megabytes: 1}}
	require.NoError(t, k.Make(t.Context(), small, nil))
	s, err := k.Open(t.Context(), small)
	require.NoError(t, err)
	defer s.Close()
	require.NoError(t, s.Set(t.Context(), "house", []byte("{}")))
	big := bytes.Repeat([]byte("x"), 200_000)
	for i := 0; i < 10 && err == nil; i++ {
		err = s.Set(t.Context(), fmt.Sprint("practice ", i), big)
	}
	require.ErrorIs(t, store.Cause(err), store.ErrFull)
	kept, err := s.Setting(t.Context(), "house")
	require.NoError(t, err)
	assert.Equal(t, "{}", string(kept))
	require.NoError(t, s.IntegrityCheck(t.Context()))
	require.NoError(t, other.Set(t.Context(), "house", big))
}

// TestKeys: nobody without a key of the cluster's authority is let in, and no key is overwritten.
func TestKeys(t *testing.T) {
	n := nodes(t, 1)
	at := leads(t, n[0])
	stranger := t.TempDir()
	require.NoError(t, cluster.MakeKeys(stranger, at, time.Now()))
	require.ErrorContains(t, cluster.MakeKeys(stranger, at, time.Now()), "is there already")
	require.ErrorContains(t, cluster.Invite(t.TempDir(), at, filepath.Join(t.TempDir(), "k"), time.Now()), "authority is not here")
	require.ErrorContains(t, cluster.Invite(stranger, "nowhere", filepath.Join(t.TempDir(), "k"), time.Now()), "not an address")
	// As if the stranger had been in the cluster: it knows where it is.
	require.NoError(t, os.Mkdir(filepath.Join(stranger, "data"), 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(stranger, "data", "cluster.yaml"), []byte("- Address: "+at+"\n  ID: 1\n  Role: 0\n"), 0o600))
	c, err := cluster.Connect(stranger)
	require.NoError(t, err)
	defer c.Close()
	ctx, cancel := context.WithTimeout(t.Context(), 3*time.Second)
	defer cancel()
	_, err = c.Members(ctx)
	require.Error(t, err)
	_, err = c.Open(ctx, "north")
	require.Error(t, err)
	_, err = cluster.Start(t.Context(), cluster.Options{Folder: t.TempDir(), Address: free(t), Log: quiet()})
	require.ErrorContains(t, err, "this machine has no key")
}
