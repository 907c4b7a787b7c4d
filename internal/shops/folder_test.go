package shops_test

import (
	"errors"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/internal/demo"
	"elvat/internal/shops"
	"elvat/internal/store"
)

func folder(t testing.TB, names ...string) *shops.Folder {
	f := &shops.Folder{Path: t.TempDir()}
	for _, name := range names {
		require.NoError(t, f.Make(t.Context(), shops.Shop{Name: name, Title: "The " + name, Hosts: []string{name + ".example"}}, nil))
	}
	return f
}

// filled has the shop hold the demo's calls.
func filled(t testing.TB, f *shops.Folder, name string) {
	s, err := store.Open(t.Context(), f.Database(name))
	require.NoError(t, err)
	require.NoError(t, demo.Fill(t.Context(), s, time.Now()))
	require.NoError(t, s.Close())
}

// sums are those of the shop's tables.
func sums(t testing.TB, f *shops.Folder, name string) map[string]string {
	s, err := store.Open(t.Context(), f.Database(name))
	require.NoError(t, err)
	defer s.Close()
	all, err := s.Sums(t.Context())
	require.NoError(t, err)
	return all
}

// TestNames: what a shop may be called, and reached by. Host names are compared as RFC 4343 has
// them, without regard to case; ports and a last dot are no part of them (from memory).
func TestNames(t *testing.T) {
	for _, c := range []struct {
		name, host, is string
		wrong          string
	}{
		{"north", "north.example", "north.example", ""},
		{"n", "North.Example:8443", "north.example", ""},
		{"north-2", "north.example.", "north.example", ""},
		{"north", "bücher.example", "xn--bcher-kva.example", ""}, // RFC 3492's own example of a name
		{"North", "north.example", "", `name "North"`},
		{"../north", "north.example", "", "name"},
		{"-north", "north.example", "", "name"},
		{"", "north.example", "", "name"},
		{"north", "", "", "is no host name"},
		{"north", "192.0.2.7", "", "is no host name"},
		{"north", "*.example", "", "is no host name"},
		{"north", "a b.example", "", "is no host name"},
	} {
		s := shops.Shop{Name: c.name, Title: "North", Hosts: []string{c.host}}
		err := s.Check()
		if c.wrong != "" {
			assert.ErrorContains(t, err, c.wrong, "%+v", c)
			continue
		}
		require.NoError(t, err, "%+v", c)
		assert.Equal(t, []string{c.is}, s.Hosts)
	}
}

// TestFolder: shops are made, found by their names, and changed; two are not reached by one name.
func TestFolder(t *testing.T) {
	f, ctx := folder(t, "north", "south"), t.Context()
	all, err := f.All(ctx)
	require.NoError(t, err)
	require.Len(t, all, 2)
	s, err := f.Reached(ctx, "SOUTH.example:8443")
	require.NoError(t, err)
	assert.Equal(t, "The south", s.Title)
	for _, host := range []string{"east.example", "", "..", "192.0.2.1", "north.example.evil.example"} {
		_, err := f.Reached(ctx, host)
		assert.ErrorIs(t, err, shops.ErrNoHost, host)
	}
	assert.ErrorContains(t, f.Make(ctx, shops.Shop{Name: "east", Hosts: []string{"east.example", "North.example"}}, nil), "north.example leads to north already")
	assert.ErrorIs(t, f.Make(ctx, shops.Shop{Name: "north", Hosts: []string{"new.example"}}, nil), shops.ErrThere)
	assert.ErrorContains(t, f.Make(ctx, shops.Shop{Name: "east"}, nil), "by which name")

	require.NoError(t, f.Change(ctx, "south", func(s *shops.Shop) { s.Hosts = []string{"coast.example"} }))
	_, err = f.Reached(ctx, "south.example")
	require.ErrorIs(t, err, shops.ErrNoHost)
	require.Eventually(t, func() bool {
		s, err := f.Reached(ctx, "coast.example")
		return err == nil && s.Name == "south"
	}, 5*time.Second, 50*time.Millisecond)
	assert.ErrorIs(t, f.Change(ctx, "west", func(*shops.Shop) {}), shops.ErrUnknown)

	// Settings that somebody spoilt by hand are named; the other shops are there.
	require.NoError(t, os.WriteFile(filepath.Join(f.Path, "north", "shop.json"), []byte(`{"hosts": 3}`), 0o600))
	all, err = f.All(ctx)
	assert.ErrorContains(t, err, filepath.Join("north", "shop.json"))
	assert.Len(t, all, 1)
}

// TestMove: a shop arrives with all it has, or stays as it was.
func TestMove(t *testing.T) {
	f, to, ctx := folder(t, "north", "south"), folder(t), t.Context()
	filled(t, f, "north")
	key := f.Database("north") + "-tls.key"
	require.NoError(t, os.WriteFile(key, []byte("a key"), 0o644))
	was := sums(t, f, "north")
	require.NoError(t, f.Move(ctx, "north", to))
	assert.Equal(t, was, sums(t, to, "north"))
	assert.NoDirExists(t, filepath.Join(f.Path, "north"))
	info, err := os.Stat(to.Database("north") + "-tls.key")
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode(), "a key is its owner's alone wherever it comes from")
	s, err := to.Get(ctx, "north")
	require.NoError(t, err)
	assert.Empty(t, s.Closed, "it is open there")

	require.NoError(t, to.Make(ctx, shops.Shop{Name: "other", Title: "Other", Hosts: []string{"south.example"}}, nil))
	assert.ErrorContains(t, f.Move(ctx, "south", to), "south.example leads to other already")
	s, err = f.Get(ctx, "south")
	require.NoError(t, err)
	assert.Empty(t, s.Closed, "it is open here as it was")

	// A database that is damaged is not moved: the copy would be as well.
	require.NoError(t, os.WriteFile(f.Database("south"), []byte("no database at all, of some length"), 0o600))
	assert.ErrorContains(t, f.Move(ctx, "south", &shops.Folder{Path: t.TempDir()}), "stays where it is")
	assert.DirExists(t, filepath.Join(f.Path, "south"))
	s, err = f.Get(ctx, "south")
	require.NoError(t, err)
	assert.Empty(t, s.Closed)
}

// TestRemove: nothing is removed that is not archived.
func TestRemove(t *testing.T) {
	f, ctx := folder(t, "north"), t.Context()
	full := errors.New("the disk is full")
	require.ErrorIs(t, f.Remove(ctx, "north", func(*store.Store) error { return full }), full)
	s, err := f.Get(ctx, "north")
	require.NoError(t, err)
	assert.Empty(t, s.Closed)
	require.NoError(t, f.Remove(ctx, "north", func(*store.Store) error { return nil }))
	assert.NoDirExists(t, filepath.Join(f.Path, "north"))
}
