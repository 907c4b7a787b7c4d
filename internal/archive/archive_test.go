package archive_test

import (
	"archive/zip"
	"bytes"
	"compress/flate"
	"database/sql"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"hash/crc32"
	"image"
	"image/jpeg"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/call"
	"elvat/core/job"
	"elvat/core/price"
	"elvat/core/tester"
	"elvat/internal/archive"
	"elvat/internal/demo"
	"elvat/internal/kept"
	"elvat/internal/server"
	"elvat/internal/store"
)

var noon = time.Date(2026, 5, 4, 12, 0, 0, 123456789, time.UTC)

func open(t *testing.T) (*store.Store, string) {
	path := filepath.Join(t.TempDir(), "shop.db")
	s, err := store.Open(t.Context(), path)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return s, path
}

// full is a shop with something in every table.
func full(t *testing.T) (*store.Store, string) {
	s, path := open(t)
	ctx := t.Context()
	require.NoError(t, demo.Fill(ctx, s, noon))
	list := price.Usual()
	_, err := s.Issue(ctx, "invoice-1", 2, 0, noon, func(int64) (*price.Document, error) {
		return list.InvoiceFor(price.About{At: noon, Subject: "Loft"}, price.Work{Minutes: 30})
	})
	require.NoError(t, err)
	require.NoError(t, server.Summarize(ctx, s, func() time.Time { return noon }, func(int) {}))
	require.NoError(t, s.Set(ctx, "practice", []byte(`{"qualified":true}`)))
	_, err = s.AddPerson(ctx, store.Person{Name: "Ada", Role: "helper", Passphrase: "secret hash", CreatedAt: noon})
	require.NoError(t, err)
	require.NoError(t, s.AddEvent(ctx, store.Event{At: time.Now(), What: "signed-in", Person: "Ada", Call: 1}))
	require.NoError(t, s.SignIn(ctx, "session token", 1, store.Session{CreatedAt: noon, FreshAt: noon}))
	for i, do := range []call.Doing{
		&call.AddReading{ID: "odd-reading", Reading: []byte(`{"tool":"meter","at":"R3","half":"top","mode":"high-z","volts":{"hotNeutral":120.10}}`)},
		&call.SetChanged{Device: "R3", Changed: true}, &call.SetState{State: &tester.State{BreakerOn: new(false)}}, &call.SetState{},
		&call.AddEntry{ID: "odd-entry", Entry: job.Entry{Kind: job.Note, Text: "<b>&\u2028 \"x\""}}, &call.AddPicture{ID: "../p/ q?", Box: "B3", Phase: "prove"},
		&call.UsePart{ID: "used-part", Item: "wall plate", Count: 2},
	} {
		at, err := s.Load(ctx, 2)
		require.NoError(t, err)
		next, a, err := at.Record.Decide(
			call.Command{ID: fmt.Sprintf("command-%02d", i), At: noon, Device: "d", Do: do},
			call.House{},
		)
		require.NoError(t, err)
		a.ArrivedAt = noon
		_, err = s.Keep(ctx, at, next, a, photograph(t))
		require.NoError(t, err)
	}
	require.NoError(t, s.Arrive(ctx, []kept.Arrived{{
		Waiting: kept.Waiting{Call: 1, ID: "late-command", MadeAt: noon, Doing: []byte(`{"do":"remove-stop","box":"B99"}`), Refused: "no such box"},
		Device:  "phone", Person: "Ada", ArrivedAt: noon,
	}}))
	require.NoError(t, server.Summarize(ctx, s, func() time.Time { return noon }, func(int) {}))
	return s, path
}

// photograph is one as it is kept.
func photograph(t *testing.T) []byte {
	var out bytes.Buffer
	require.NoError(t, jpeg.Encode(&out, image.NewGray(image.Rect(0, 0, 9, 7)), nil))
	return out.Bytes()
}

func export(t *testing.T, s *store.Store) []byte {
	var out bytes.Buffer
	require.NoError(t, archive.Export(t.Context(), s, &out))
	return out.Bytes()
}

// TestRoundTrip: out and in and out again gives the same bytes, and every row of
// every table is as it was, but for secrets.
func TestRoundTrip(t *testing.T) {
	s, path := full(t)
	first := export(t, s)
	assert.Equal(t, first, export(t, s), "the same data, the same bytes")
	again, copied := open(t)
	require.NoError(t, archive.Import(t.Context(), again, bytes.NewReader(first), int64(len(first))))
	assert.Equal(t, first, export(t, again))
	require.NoError(t, again.IntegrityCheck(t.Context()))

	// By another way than the archive's own: table by table through SQL.
	db, err := sql.Open("sqlite", path)
	require.NoError(t, err)
	defer db.Close()
	_, err = db.Exec("ATTACH ? AS copied", copied)
	require.NoError(t, err)
	for _, table := range store.Tables {
		columns := strings.Join(table.Columns, ", ")
		if table.Name == "people" {
			columns = "id, name, role, created_at, withdrawn"
		}
		var rows, differ int
		require.NoError(t, db.QueryRow("SELECT count(*) FROM main."+table.Name).Scan(&rows))
		assert.Positive(t, rows, "%s: nothing to compare", table.Name)
		for _, pair := range [][2]string{{"main", "copied"}, {"copied", "main"}} {
			require.NoError(
				t,
				db.QueryRow(fmt.Sprintf("SELECT count(*) FROM (SELECT %s FROM %s.%s EXCEPT SELECT %s FROM %s.%s)", columns, pair[0], table.Name, columns, pair[1], table.Name)).
					Scan(&differ),
			)
			assert.Zero(t, differ, "%s: rows of %s that %s lacks", table.Name, pair[0], pair[1])
		}
	}
	// Every table of the database is in the archive, or is known to stay behind.
	behind := []string{"feeds", "tickets", "sessions", "browsers", "failures", "factors", "visits", "tokens", "goose_db_version"}
	tables, err := db.Query(
		"SELECT name FROM sqlite_schema WHERE type = 'table' AND name NOT LIKE 'sqlite_%' AND name NOT LIKE 'search_%'",
	)
	require.NoError(t, err)
	defer tables.Close()
	known := strings.Join(behind, " ")
	for _, table := range store.Tables {
		known += " " + table.Name
	}
	for tables.Next() {
		var name string
		require.NoError(t, tables.Scan(&name))
		assert.Contains(t, strings.Fields(known), name)
	}
	hits, err := again.Search(t.Context(), "bindery", 5)
	require.NoError(t, err)
	assert.NotEmpty(t, hits, "what is worked out is there too")
	require.ErrorIs(t, archive.Import(t.Context(), again, bytes.NewReader(first), int64(len(first))), store.ErrNotEmpty)
}

// TestOpen: the archive is plain JSON, CSV and JPEG, and holds no secret.
func TestOpen(t *testing.T) {
	s, path := full(t)
	db, err := sql.Open("sqlite", path)
	require.NoError(t, err)
	_, err = db.Exec(
		`INSERT INTO parts VALUES (2, 'reading', 'formula', 99, '{"at":"2026-05-04T12:00:00Z","reading":{"at":"=R3","tool":"meter"}}')`,
	)
	require.NoError(t, err)
	require.NoError(t, db.Close())
	data := export(t, s)
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	entries := map[string]string{}
	for _, f := range z.File {
		r, err := f.Open()
		require.NoError(t, err)
		text, err := io.ReadAll(r)
		require.NoError(t, err)
		entries[f.Name] = string(text)
	}
	var reading struct {
		Document struct {
			Reading struct {
				Volts struct{ HotNeutral json.Number }
			}
		}
	}
	lines := strings.Split(strings.TrimSpace(entries["tables/parts.json"]), "\n")
	require.NoError(t, json.Unmarshal([]byte(lines[len(lines)-1]), &struct{}{}), "a row a line")
	readings := 0
	for _, line := range lines {
		if strings.Contains(line, `"kind": "reading"`) {
			readings++
		}
		if strings.Contains(line, "odd-reading") {
			require.NoError(t, json.Unmarshal([]byte(line), &reading), "a document is JSON, not text")
		}
	}
	assert.Equal(t, json.Number("120.10"), reading.Document.Reading.Volts.HotNeutral, "to the digit")
	rows, err := csv.NewReader(strings.NewReader(entries["readings.csv"])).ReadAll()
	require.NoError(t, err)
	assert.Len(t, rows, 1+readings)
	assert.Contains(t, entries["readings.csv"], "'=R3", "no formula for a spreadsheet")
	assert.Equal(
		t,
		string(photograph(t)),
		entries["photographs/2-..%2Fp%2F%20q%3F.jpg"],
		"no name leads out of the folder",
	)
	for name, text := range entries {
		assert.NotContains(t, text, "secret hash", name)
		assert.NotContains(t, text, "session token", name)
	}
}

// zipped is an archive of the entries given.
func zipped(t *testing.T, entries ...[2]string) []byte {
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for _, e := range entries {
		w, err := z.Create(e[0])
		require.NoError(t, err)
		_, err = io.WriteString(w, e[1])
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return out.Bytes()
}

// TestRefused: what is no archive, or a hostile one, is named and changes nothing.
func TestRefused(t *testing.T) {
	head := [2]string{"elvat.json", `{"format":"elvat-archive/2"}`}
	site := `{"id": 1, "name": "a", "address": "", "notes": "", "created_at": 1777896000000}`
	for _, row := range []struct {
		name string
		data []byte
		says string
	}{
		{"no zip", []byte("hello"), "not a zip archive"},
		{"another zip", zipped(t, [2]string{"a.txt", "b"}), "elvat.json: is not in the archive"},
		{"another format", zipped(t, [2]string{"elvat.json", `{"format":"elvat-archive/9"}`}), "elvat-archive/9"},
		{"unknown column", zipped(t, head, [2]string{"tables/sites.json", strings.Replace(site, `"id"`, `"colour": 1, "id"`, 1)}), "tables/sites.json, row 1: colour: there is no such column"},
		{"a name that is SQL", zipped(t, head, [2]string{"tables/sites.json", strings.Replace(site, `"notes"`, `"notes); DROP TABLE calls; --"`, 1)}), "row 1"},
		{"missing column", zipped(t, head, [2]string{"tables/sites.json", site + "\n" + `{"id": 2}`}), "row 2: name: is missing"},
		{"not JSON", zipped(t, head, [2]string{"tables/sites.json", "{"}), "row 1"},
		{"a list for a value", zipped(t, head, [2]string{"tables/sites.json", strings.Replace(site, `"a"`, `["a"]`, 1)}), "row 1: name: a plain value"},
		{"refers to nothing", zipped(t, head, [2]string{"tables/panels.json", `{"id": 1, "site_id": 7, "name": "p", "directory": [], "version": 0}`}), "FOREIGN KEY"},
		{"a picture that is missing", zipped(t, head, [2]string{"tables/images.json", `{"call_id": 1, "id": "p"}`}), "photographs/1-p.jpg: is not in the archive"},
		{"a time that is none", zipped(t, head, [2]string{"tables/sites.json", strings.Replace(site, "1777896000000", `"noon"`, 1)}), "constraint failed"},
		{"twice", zipped(t, head, head), "twice"},
		{"a bomb", bomb(t, head, 200<<20), "no archive of Elvat's"},
		{"a row without end", zipped(t, head, [2]string{"tables/sites.json", strings.Repeat(" ab,", 5<<20)}), "tables/sites.json"},
	} {
		t.Run(row.name, func(t *testing.T) {
			s, _ := open(t)
			require.ErrorContains(t, archive.Import(t.Context(), s, bytes.NewReader(row.data), int64(len(row.data))), row.says)
			sites, err := s.Sites(t.Context(), 0, 10)
			require.NoError(t, err)
			assert.Empty(t, sites, "all of it or nothing")
		})
	}
}

// bomb is an archive whose table unpacks to so many zeros.
func bomb(t *testing.T, head [2]string, size int) []byte {
	var packed bytes.Buffer
	w, err := flate.NewWriter(&packed, flate.BestCompression)
	require.NoError(t, err)
	zeros := make([]byte, 1<<20)
	sum := crc32.NewIEEE()
	for range size / len(zeros) {
		_, err := w.Write(zeros)
		require.NoError(t, err)
		sum.Write(zeros)
	}
	require.NoError(t, w.Close())
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	first, err := z.Create(head[0])
	require.NoError(t, err)
	_, err = io.WriteString(first, head[1])
	require.NoError(t, err)
	raw, err := z.CreateRaw(
		&zip.FileHeader{
			Name:               "tables/sites.json",
			Method:             zip.Deflate,
			CRC32:              sum.Sum32(),
			CompressedSize64:   uint64(packed.Len()),
			UncompressedSize64: uint64(size),
		},
	)
	require.NoError(t, err)
	_, err = packed.WriteTo(raw)
	require.NoError(t, err)
	require.NoError(t, z.Close())
	return out.Bytes()
}

// TestOfTheFormatBefore: an archive that the version before wrote is read in whole.
func TestOfTheFormatBefore(t *testing.T) {
	data, err := os.ReadFile("testdata/elvat-archive-1.zip")
	require.NoError(t, err)
	s, _ := open(t)
	ctx := t.Context()
	require.NoError(t, archive.Import(ctx, s, bytes.NewReader(data), int64(len(data))))
	at, err := s.Load(ctx, 1)
	require.NoError(t, err)
	assert.Equal(t, "5", at.Record.Circuit.Breaker.Label)
	assert.Len(t, at.Record.Readings, 2)
	assert.Len(t, at.Record.Conflicts, 1)
	picture, err := s.Image(ctx, 1, at.Record.Pictures[0].ID)
	require.NoError(t, err)
	assert.Equal(t, []byte{0xff, 0xd8}, picture[:2])
	again, err := s.Load(ctx, 6)
	require.NoError(t, err)
	assert.Greater(t, len(again.Record.Readings), 30)
	require.NoError(t, s.IntegrityCheck(ctx))
	require.ErrorIs(t, archive.Import(ctx, s, bytes.NewReader(data), int64(len(data))), store.ErrNotEmpty)
	damaged := bytes.Replace(data, []byte("elvat.json"), []byte("elvat.xson"), 2)
	empty, _ := open(t)
	require.Error(t, archive.Import(ctx, empty, bytes.NewReader(damaged), int64(len(damaged))))
}

// rewritten is the archive with one entry changed.
func rewritten(t *testing.T, data []byte, name string, change func(string) string) []byte {
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	var all [][2]string
	changed := false
	for _, f := range z.File {
		r, err := f.Open()
		require.NoError(t, err)
		text, err := io.ReadAll(r)
		require.NoError(t, err)
		if f.Name == name {
			was := string(text)
			text = []byte(change(was))
			changed = string(text) != was
		}
		all = append(all, [2]string{f.Name, string(text)})
	}
	require.True(t, changed, "%s: nothing was changed", name)
	return zipped(t, all...)
}

// TestCrafted: an archive is anybody's file. What no shop can have written is refused by its
// place, and nothing of it stays.
func TestCrafted(t *testing.T) {
	s, _ := full(t)
	whole := export(t, s)
	swap := func(old, with string) func(string) string {
		return func(text string) string { return strings.Replace(text, old, with, 1) }
	}
	for _, row := range []struct {
		name, entry string
		change      func(string) string
		says        string
	}{
		{"a part of a kind there is not", "tables/parts.json", swap(`"kind": "run"`, `"kind": "people (passphrase)"`), "there is no such part"},
		{"a run that is none", "tables/parts.json", swap(`"format":"elvat-circuit/1"`, `"format":"elvat-circuit/7"`), "circuit"},
		{"a call without its run", "tables/parts.json", swap(`"kind": "run"`, `"kind": "changed"`), "has no run"},
		{"a title without end", "tables/calls.json", swap(`"title": "`, `"title": "`+strings.Repeat("x", 40<<10)), "title: "},
		{"a text without end", "tables/parts.json", swap(`"complaint":"`, `"complaint":"`+strings.Repeat("x", 3<<20)), "document.complaint: "},
		{"an action without end", "tables/actions.json", swap(`"what": "`, `"what": "`+strings.Repeat("x", 40<<10)), "what: "},
		{"a role there is not", "tables/people.json", swap(`"helper"`, `"owner"`), "owner"},
		{"a setting there is not", "tables/settings.json", swap(`"practice"`, `"sessions"`), `no setting "sessions"`},
		{"a setting that is none", "tables/settings.json", swap(`{\"qualified\":true}`, `{`), "not valid JSON"},
		{"a picture that is none", "photographs/2-..%2Fp%2F%20q%3F.jpg", func(string) string { return "GIF89a" }, "not a JPEG"},
		{"a directory that is none", "tables/panels.json", func(text string) string {
			return strings.Replace(text, `"directory": [`, `"directory": [7, `, 1)
		}, "directory"},
		{"an answer that is none", "tables/summaries.json", swap(`"answer": "H4s`, `"answer": "H4sA`), "tables/summaries.json"},
		{"what arrived is none", "tables/arrived.json", swap(`"document": {`, `"document": [{`), "tables/arrived.json"},
	} {
		t.Run(row.name, func(t *testing.T) {
			data := rewritten(t, whole, row.entry, row.change)
			empty, _ := open(t)
			err := archive.Import(t.Context(), empty, bytes.NewReader(data), int64(len(data)))
			require.ErrorContains(t, err, row.says)
			assert.Less(t, len(err.Error()), 400)
			sites, err := empty.Sites(t.Context(), 0, 10)
			require.NoError(t, err)
			assert.Empty(t, sites, "all of it or nothing")
		})
	}
}

// TestCraftedLog: a log that names columns, tables or statements where it should name places of
// a document takes nothing along when it is undone.
func TestCraftedLog(t *testing.T) {
	s, _ := full(t)
	data := export(t, s)
	for _, path := range []string{`title\" = (SELECT passphrase FROM people), \"title`, `]. = 1; ATTACH '/tmp/x' AS x; --`, `title' || (SELECT token FROM tokens) || '`} {
		forged := rewritten(t, data, "tables/changes.json", func(text string) string {
			return strings.ReplaceAll(text, `"path": ""`, `"path": "`+path+`"`)
		})
		into, file := open(t)
		if archive.Import(t.Context(), into, bytes.NewReader(forged), int64(len(forged))) != nil {
			continue // refused: as good
		}
		for id := int64(1); id <= 3; id++ {
			at, err := into.Load(t.Context(), id)
			require.NoError(t, err)
			for i := range 5 {
				next, a, err := at.Record.Decide(call.Command{ID: fmt.Sprintf("undo-%d-%04d", id, i), At: noon, Do: &call.Undo{}}, call.House{})
				if err != nil || a == nil {
					break
				}
				if at, err = into.Keep(t.Context(), at, next, a, nil); err != nil {
					break
				}
				assert.NotContains(t, at.Title, "secret hash")
			}
		}
		require.NoError(t, into.IntegrityCheck(t.Context()))
		names, err := filepath.Glob(filepath.Join(filepath.Dir(file), "*"))
		require.NoError(t, err)
		for _, name := range names {
			assert.Contains(t, filepath.Base(name), "shop.db", "no other file was written")
		}
	}
}

// TestSharedBytes: entries that stand on the same bytes, and an archive that unpacks to more
// than all its bytes can stand for.
func TestSharedBytes(t *testing.T) {
	head := [2]string{"elvat.json", `{"format":"elvat-archive/2"}`}
	data := zipped(t, head, [2]string{"photographs/1-a.jpg", strings.Repeat("x", 5000)}, [2]string{"photographs/1-b.jpg", strings.Repeat("x", 5000)})
	// The central directory says where each begins: the last is led to where the one before is.
	directory := bytes.LastIndex(data, []byte("PK\x01\x02"))
	before := bytes.LastIndex(data[:directory], []byte("PK\x01\x02"))
	copy(data[directory+42:directory+46], data[before+42:before+46])
	s, _ := open(t)
	require.ErrorContains(t, archive.Import(t.Context(), s, bytes.NewReader(data), int64(len(data))), "shares its bytes")
	var packed bytes.Buffer
	w, err := flate.NewWriter(&packed, flate.BestSpeed)
	require.NoError(t, err)
	zeros := make([]byte, 30<<20)
	_, err = w.Write(zeros)
	require.NoError(t, errors.Join(err, w.Close()))
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for i := range 40 {
		raw, err := z.CreateRaw(&zip.FileHeader{
			Name: fmt.Sprintf("photographs/1-%d.jpg", i), Method: zip.Deflate, CRC32: crc32.ChecksumIEEE(zeros),
			CompressedSize64: uint64(packed.Len()), UncompressedSize64: uint64(len(zeros)),
		})
		require.NoError(t, err)
		_, err = raw.Write(packed.Bytes())
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	large := out.Bytes()
	require.ErrorContains(t, archive.Import(t.Context(), s, bytes.NewReader(large), int64(len(large))), "no archive of Elvat's")
}

// TestWhatWasHidden: what stands in a picture beside the picture stays behind.
func TestWhatWasHidden(t *testing.T) {
	s, _ := full(t)
	where := []byte("\xff\xe1\x00\x14Exif\x00\x00 51.5N 0.1W ")
	data := rewritten(t, export(t, s), "photographs/2-..%2Fp%2F%20q%3F.jpg", func(text string) string {
		return text[:2] + string(where) + text[2:] + "<script>"
	})
	into, _ := open(t)
	require.NoError(t, archive.Import(t.Context(), into, bytes.NewReader(data), int64(len(data))))
	kept, err := into.Image(t.Context(), 2, "../p/ q?")
	require.NoError(t, err)
	assert.NotContains(t, string(kept), "Exif")
	assert.NotContains(t, string(kept), "script")
}
