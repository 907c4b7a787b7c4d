package objects_test

import (
	"bytes"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"image"
	"image/jpeg"
	"io/fs"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/johannesboyne/gofakes3"
	"github.com/johannesboyne/gofakes3/backend/s3mem"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/call"
	"elvat/internal/archive"
	"elvat/internal/demo"
	"elvat/internal/objects"
	"elvat/internal/store"
)

// storage is an object storage that others wrote, in memory; down while fails says so.
func storage(t *testing.T) (settings *objects.Settings, fails *atomic.Bool) {
	held, fails := s3mem.New(), &atomic.Bool{}
	require.NoError(t, held.CreateBucket("pictures"))
	serves := gofakes3.New(held).Server()
	at := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if fails.Load() {
			http.Error(w, "down", http.StatusForbidden) // 5xx would be asked again for seconds
			return
		}
		serves.ServeHTTP(w, r)
	}))
	t.Cleanup(at.Close)
	return &objects.Settings{Endpoint: strings.TrimPrefix(at.URL, "http://"), Bucket: "pictures", Region: "us-east-1", Prefix: "elvat", Key: "k", Secret: "s", Plain: true}, fails
}

func count(t *testing.T, b *objects.Bucket) (n int) {
	require.NoError(t, b.Each(t.Context(), time.Now().Add(time.Hour), func(string) error {
		n++
		return nil
	}))
	return n
}

func jpg(t *testing.T, shade uint8) []byte {
	picture := image.NewGray(image.Rect(0, 0, 32, 24))
	for i := range picture.Pix {
		picture.Pix[i] = shade * 37
	}
	var out bytes.Buffer
	require.NoError(t, jpeg.Encode(&out, picture, nil))
	return out.Bytes()
}

func sumOf(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

func TestBucket(t *testing.T) {
	settings, _ := storage(t)
	b, err := settings.Of("north")
	require.NoError(t, err)
	other, err := settings.Of("south")
	require.NoError(t, err)
	ctx, picture := t.Context(), jpg(t, 1)
	of := sumOf(picture)
	_, err = b.Get(ctx, of)
	require.ErrorIs(t, err, fs.ErrNotExist)
	for range 2 {
		require.NoError(t, b.Put(ctx, of, picture))
	}
	got, err := b.Get(ctx, of)
	require.NoError(t, err)
	assert.Equal(t, picture, got)
	_, err = other.Get(ctx, of)
	require.ErrorIs(t, err, fs.ErrNotExist, "another shop does not see it, knowing its name")
	assert.Equal(t, 1, count(t, b))
	assert.Zero(t, count(t, other))
	for _, name := range []string{"", "../north", strings.ToUpper(of), of + "0", of[:63] + "/"} {
		_, err := b.Get(ctx, name)
		assert.ErrorContains(t, err, "no SHA-256", name)
	}
	require.NoError(t, b.Remove(ctx, of))
	require.NoError(t, b.Remove(ctx, of))
	assert.Zero(t, count(t, b))
}

func TestSettings(t *testing.T) {
	for _, c := range []struct{ text, wrong string }{
		{`{"endpoint": "s3.example:443", "bucket": "b", "key": "k", "secret": "s"}`, ""},
		{`{"endpoint": "s3.example:443"}`, "endpoint and bucket"},
		{`{"endpoint": "s3.example:443", "bucket": "b", "passphrase": "x"}`, "passphrase"},
		{`[]`, "pictures.json"},
	} {
		path := filepath.Join(t.TempDir(), objects.File)
		require.NoError(t, os.WriteFile(path, []byte(c.text), 0o644))
		_, err := objects.Read(path)
		if c.wrong != "" {
			assert.ErrorContains(t, err, c.wrong)
			continue
		}
		require.NoError(t, err)
		info, err := os.Stat(path)
		require.NoError(t, err)
		assert.Equal(t, fs.FileMode(0o600), info.Mode(), "it holds a key")
	}
	none, err := objects.Read(filepath.Join(t.TempDir(), objects.File))
	require.NoError(t, err)
	assert.Nil(t, none)
}

// a shop whose pictures are kept in the storage, with pictures of the demo's calls.
func shop(t *testing.T, b *objects.Bucket) aShop {
	path := filepath.Join(t.TempDir(), "shop.db")
	s, err := store.Open(t.Context(), path)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	if b != nil {
		s.KeepPictures(b)
	}
	require.NoError(t, demo.Fill(t.Context(), s, time.Now()))
	return aShop{s, path}
}

type aShop struct {
	*store.Store
	path string
}

// exec carries a statement out beside the store.
func (s aShop) exec(t *testing.T, statement string, args ...any) {
	db, err := sql.Open("sqlite", s.path)
	require.NoError(t, err)
	defer db.Close()
	done, err := db.Exec(statement, args...)
	require.NoError(t, err)
	n, err := done.RowsAffected()
	require.NoError(t, err)
	require.EqualValues(t, 1, n)
}

// shown are all photographs of the shop, as its archive has them.
func shown(t *testing.T, s *store.Store) map[string]string {
	all := map[string]string{}
	require.NoError(t, s.ReadTables(t.Context(), func(*store.Table, []byte) error { return nil }, func(call int64, id string, picture []byte) error {
		all[fmt.Sprint(call, " ", id)] = sumOf(picture)
		one, err := s.Image(t.Context(), call, id)
		require.NoError(t, err)
		assert.Equal(t, picture, one)
		return nil
	}))
	return all
}

// picture adds one to the first call, as the record has it.
func picture(t *testing.T, s aShop, id string, data []byte) {
	s.exec(t, "INSERT INTO parts (call_id, kind, id, n, document) VALUES (1, 'picture', ?, 999, '{\"box\": \"\", \"phase\": \"prove\", \"at\": \"2026-05-04T12:00:00Z\"}')", id)
	require.NoError(t, s.KeepImage(t.Context(), 1, id, data))
}

func TestPicturesElsewhere(t *testing.T) {
	settings, fails := storage(t)
	b, err := settings.Of("north")
	require.NoError(t, err)
	s := shop(t, nil)
	ctx := t.Context()
	for i := range 4 {
		picture(t, s, fmt.Sprintf("picture-%d", i), jpg(t, uint8(i%3))) // the last is the first once more
	}
	was := shown(t, s.Store)
	require.GreaterOrEqual(t, len(was), 4)

	// Into the storage, and goes on where it was cut off.
	s.KeepPictures(b)
	moved, err := s.MovePictures(ctx, b)
	require.NoError(t, err)
	assert.Equal(t, len(was), moved)
	moved, err = s.MovePictures(ctx, b)
	require.NoError(t, err)
	assert.Zero(t, moved, "it was done")
	assert.Equal(t, was, shown(t, s.Store), "by the same rights, the same pictures")
	distinct := map[string]bool{}
	for _, sum := range was {
		distinct[sum] = true
	}
	assert.Equal(t, len(distinct), count(t, b), "the same picture is kept once")
	picture(t, s, "picture-new", jpg(t, 200))
	assert.Equal(t, len(distinct)+1, count(t, b))

	// An archive has them all; read in elsewhere they are in that shop's own place.
	var out bytes.Buffer
	require.NoError(t, archive.Export(ctx, s.Store, &out))
	south, err := settings.Of("south")
	require.NoError(t, err)
	again, err := store.Open(ctx, filepath.Join(t.TempDir(), "again.db"))
	require.NoError(t, err)
	defer again.Close()
	again.KeepPictures(south)
	require.NoError(t, archive.Import(ctx, again, bytes.NewReader(out.Bytes()), int64(out.Len())))
	assert.Equal(t, shown(t, s.Store), shown(t, again))
	assert.Equal(t, count(t, b), count(t, south))

	// What is not reached is an error, and no picture; nothing is written down without it.
	fails.Store(true)
	_, err = s.Image(ctx, 1, "picture-0")
	require.Error(t, err)
	require.Error(t, s.KeepImage(ctx, 1, "picture-0", jpg(t, 3)))
	fails.Store(false)

	// What was changed where it lies is not shown.
	of := sumOf(jpg(t, 200))
	require.NoError(t, b.Remove(ctx, of))
	_, err = s.Image(ctx, 1, "picture-new")
	require.ErrorIs(t, err, store.ErrPicture)
	require.NoError(t, b.Put(ctx, of, jpg(t, 201)))
	_, err = s.Image(ctx, 1, "picture-new")
	require.ErrorIs(t, err, store.ErrPicture)
	require.NoError(t, b.Remove(ctx, of))
	require.NoError(t, b.Put(ctx, of, jpg(t, 200)))

	// What nothing refers to goes, once it is not being kept just now.
	require.NoError(t, b.Put(ctx, sumOf([]byte("left over")), []byte("left over")))
	removed, err := s.SweepPictures(ctx, time.Now())
	require.NoError(t, err)
	assert.Zero(t, removed, "it may be about to be referred to")
	removed, err = s.SweepPictures(ctx, time.Now().Add(25*time.Hour))
	require.NoError(t, err)
	assert.Equal(t, 1, removed)

	// Back into the database, and the storage is not asked any more.
	now := shown(t, s.Store)
	s.KeepPictures(nil)
	_, err = s.MovePictures(ctx, b)
	require.NoError(t, err)
	fails.Store(true)
	assert.Equal(t, now, shown(t, s.Store))
}

// TestErased: a customer's photographs go from the storage too, but for one that another shows.
func TestErased(t *testing.T) {
	settings, _ := storage(t)
	b, err := settings.Of("north")
	require.NoError(t, err)
	s := shop(t, b)
	first, err := s.Call(t.Context(), 1)
	require.NoError(t, err)
	for i := range 3 {
		picture(t, s, fmt.Sprintf("picture-%d", i), jpg(t, uint8(i)))
	}
	require.Equal(t, 3, count(t, b))
	site, err := s.AddSite(t.Context(), store.Site{Name: "Another house", CreatedAt: time.Now()})
	require.NoError(t, err)
	panel, err := s.AddPanel(t.Context(), store.Panel{Site: site, Name: "Main panel"})
	require.NoError(t, err)
	run, err := s.AddRun(t.Context(), panel, "Loft")
	require.NoError(t, err)
	s.exec(t, "INSERT INTO calls (id, run_id, title, created_at) VALUES (9000, ?, 'Loft', 1)", run)
	s.exec(t, "INSERT INTO images (call_id, id, image) SELECT 9000, id, image FROM images WHERE id = 'picture-1'")
	require.NoError(t, s.EraseSite(t.Context(), first.Site, call.Action{Do: "erase", What: "erased", At: time.Now(), ArrivedAt: time.Now()}, time.Now()))
	assert.Equal(t, 1, count(t, b))
	_, err = b.Get(t.Context(), sumOf(jpg(t, 1)))
	require.NoError(t, err)
}

// settings as they are written by hand stay readable.
func TestSettingsAsWritten(t *testing.T) {
	data, err := json.Marshal(objects.Settings{Endpoint: "s3.example:443", Bucket: "b", Key: "k", Secret: "s"})
	require.NoError(t, err)
	assert.JSONEq(t, `{"endpoint": "s3.example:443", "bucket": "b", "key": "k", "secret": "s"}`, string(data))
}

var _ store.Pictures = (*objects.Bucket)(nil)
