// Package archive writes everything a shop has as one open archive, and reads it
// in again: a zip of JSON (a file a table, a row a line), photographs, and
// the readings once more as CSV for spreadsheets.
package archive

import (
	"archive/zip"
	"bufio"
	"bytes"
	"cmp"
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/url"
	"slices"
	"time"

	"elvat/core/cells"
	"elvat/internal/picture"
	"elvat/internal/store"
)

// Format is the name and version of the archive; format1 the one before, which is
// still read in.
const (
	Format  = "elvat-archive/2"
	format1 = "elvat-archive/1"
)

// Bounds of what is read in. Assumption.
const (
	mostRow     = 16 << 20
	mostPicture = 32 << 20
	mostRatio   = 400 // of what unpacks to what is packed; JSON packs to a tenth
	mostOfAll   = 60  // the same of the whole archive
	smallEntry  = 1 << 20
	smallAll    = 1 << 30
	mostEntries = 500_000
)

// manifest is the first entry: what this is, and how many rows there are.
type manifest struct {
	Format string `json:"format"`
	About  string `json:"about"`
}

const about = "Everything a shop keeps in Elvat. tables/NAME.json: one row a line. photographs/CALL-ID.jpg: the pictures named in tables/images.json. " +
	"readings.csv: the readings again, for spreadsheets; it is not read in. Passphrases, sessions and customers' links stay behind."

// stamped is the time of all entries: the same data gives the same bytes.
var stamped = time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)

func create(z *zip.Writer, name string, method uint16) (io.Writer, error) {
	return z.CreateHeader(&zip.FileHeader{Name: name, Method: method, Modified: stamped})
}

// Export writes the archive.
func Export(ctx context.Context, s *store.Store, to io.Writer) error {
	return export(ctx, s.ReadTables, to)
}

// ExportSite writes what is kept of one site and its calls, in the same form. It is for the
// customer whose data it is, and is not read in.
func ExportSite(ctx context.Context, s *store.Store, site int64, to io.Writer) error {
	return export(ctx, func(ctx context.Context, each func(*store.Table, []byte) error, image func(int64, string, []byte) error) error {
		return s.ReadSite(ctx, site, each, image)
	}, to)
}

type reading func(ctx context.Context, each func(*store.Table, []byte) error, image func(int64, string, []byte) error) error

func export(ctx context.Context, read reading, to io.Writer) error {
	z := zip.NewWriter(to)
	head, err := json.MarshalIndent(manifest{Format, about}, "", "  ")
	if err != nil {
		return err
	}
	w, err := create(z, "elvat.json", zip.Deflate)
	if err != nil {
		return err
	}
	if _, err := w.Write(append(head, '\n')); err != nil {
		return err
	}
	at := ""
	var sheet sheet
	err = read(ctx, func(t *store.Table, row []byte) error {
		if t.Name != at {
			if w, err = create(z, "tables/"+t.Name+".json", zip.Deflate); err != nil {
				return err
			}
			at = t.Name
		}
		if t.Name == "parts" {
			if err := sheet.add(row); err != nil {
				return err
			}
		}
		_, err := w.Write(append(row, '\n'))
		return err
	}, func(call int64, id string, picture []byte) error {
		w, err := create(z, imageName(call, id), zip.Store)
		if err != nil {
			return err
		}
		_, err = w.Write(picture)
		return err
	})
	if err != nil {
		return err
	}
	if w, err = create(z, "readings.csv", zip.Deflate); err != nil {
		return err
	}
	return errors.Join(sheet.write(w), z.Close())
}

// imageName is where a picture lies.
func imageName(call int64, id string) string {
	return fmt.Sprintf("photographs/%d-%s.jpg", call, url.PathEscape(id))
}

// sheet is the readings as CSV. Cells that a spreadsheet would take for a
// formula get a leading apostrophe.
type sheet struct{ rows bytes.Buffer }

func (s *sheet) add(row []byte) error {
	var r struct {
		Call     int64  `json:"call_id"`
		Kind     string `json:"kind"`
		Document struct {
			At        string          `json:"at"`
			Reading   json.RawMessage `json:"reading"`
			Doubtful  bool            `json:"doubtful"`
			Withdrawn bool            `json:"withdrawn"`
			Overtaken bool            `json:"overtaken"`
		} `json:"document"`
	}
	if err := json.Unmarshal(row, &struct {
		Kind *string `json:"kind"`
	}{&r.Kind}); err != nil || r.Kind != "reading" {
		return err
	}
	var what struct {
		At   string `json:"at"`
		Half string `json:"half"`
		Tool string `json:"tool"`
	}
	if err := json.Unmarshal(row, &r); err != nil {
		return err
	}
	d := &r.Document
	if err := json.Unmarshal(d.Reading, &what); err != nil {
		return err
	}
	w := csv.NewWriter(&s.rows)
	line := cells.Row(
		fmt.Sprint(r.Call),
		d.At,
		what.At,
		what.Half,
		what.Tool,
		bit(d.Withdrawn || d.Overtaken),
		bit(d.Doubtful),
		string(d.Reading),
	)
	if err := w.Write(line); err != nil {
		return err
	}
	w.Flush()
	return w.Error()
}

func bit(is bool) string {
	if is {
		return "1"
	}
	return "0"
}

func (s *sheet) write(to io.Writer) error {
	if _, err := io.WriteString(to, "call,taken_at,at,half,tool,withdrawn,doubtful,reading\n"); err != nil {
		return err
	}
	_, err := s.rows.WriteTo(to)
	return err
}

// Import reads an archive into an empty database, all of it or nothing. Errors
// name the entry and the row.
func Import(ctx context.Context, s *store.Store, from io.ReaderAt, size int64) error {
	z, err := zip.NewReader(from, size)
	if err != nil {
		return fmt.Errorf("not a zip archive: %w", err)
	}
	if err := sane(z, uint64(size)); err != nil {
		return err
	}
	entries := map[string]*zip.File{}
	for _, f := range z.File {
		if entries[f.Name] != nil {
			return fmt.Errorf("%s: stands in the archive twice", f.Name)
		}
		if f.UncompressedSize64 > smallEntry && f.UncompressedSize64/mostRatio > f.CompressedSize64 {
			return fmt.Errorf(
				"%s: unpacks to %d bytes from %d: that is no archive of Elvat's",
				f.Name,
				f.UncompressedSize64,
				f.CompressedSize64,
			)
		}
		entries[f.Name] = f
	}
	var head manifest
	data, err := whole(entries["elvat.json"], "elvat.json", smallEntry)
	if err != nil {
		return err
	}
	if err := json.Unmarshal(data, &head); err != nil || head.Format != Format && head.Format != format1 {
		return fmt.Errorf("elvat.json: format %q, want %q", head.Format, Format)
	}
	write, name := s.WriteTables, imageName
	if head.Format == format1 {
		write, name = s.WriteTables1, func(id int64, _ string) string { return fmt.Sprintf("photographs/%d.jpg", id) }
	}
	image := func(call int64, id string) ([]byte, error) {
		at := name(call, id)
		data, err := whole(entries[at], at, mostPicture)
		if err != nil {
			return nil, err
		}
		clean, err := picture.Kept(data, picture.OfPeople)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", at, err)
		}
		return clean, nil
	}
	return write(ctx, func(w *store.Writer) error {
		for _, t := range w.Tables() {
			f := entries["tables/"+t.Name+".json"]
			if f == nil {
				continue // it had no rows
			}
			if err := table(w, t.Name, f, image); err != nil {
				return err
			}
		}
		return nil
	})
}

// sane reports an archive that unpacks to more than its size can stand for, taken together,
// or whose entries share the same bytes.
func sane(z *zip.Reader, size uint64) error {
	if len(z.File) > mostEntries {
		return fmt.Errorf("%d entries are too many", len(z.File))
	}
	type span struct {
		from, to uint64
		name     string
	}
	spans, all := make([]span, 0, len(z.File)), uint64(0)
	for _, f := range z.File {
		at, err := f.DataOffset()
		if err != nil {
			return fmt.Errorf("%s: %w", f.Name, err)
		}
		spans = append(spans, span{uint64(at), uint64(at) + f.CompressedSize64, f.Name})
		if f.UncompressedSize64 > 1<<48 {
			return fmt.Errorf("%s: nothing is that large", f.Name)
		}
		if all += f.UncompressedSize64; all > smallAll && all/mostOfAll > size {
			return fmt.Errorf("%s: with it the archive unpacks to more than %d MB: that is no archive of Elvat's", f.Name, all>>20)
		}
	}
	slices.SortFunc(spans, func(a, b span) int { return cmp.Compare(a.from, b.from) })
	for i := 1; i < len(spans); i++ {
		if spans[i].from < spans[i-1].to {
			return fmt.Errorf("%s: shares its bytes with %s", spans[i].name, spans[i-1].name)
		}
	}
	return nil
}

func table(w *store.Writer, name string, f *zip.File, image func(int64, string) ([]byte, error)) error {
	r, err := f.Open()
	if err != nil {
		return fmt.Errorf("%s: %w", f.Name, err)
	}
	defer r.Close()
	lines := bufio.NewScanner(io.LimitReader(r, int64(f.UncompressedSize64)))
	lines.Buffer(make([]byte, 64<<10), mostRow)
	for n := 1; lines.Scan(); n++ {
		if err := w.Write(name, lines.Bytes(), image); err != nil {
			return fmt.Errorf("%s, row %d: %w", f.Name, n, err)
		}
	}
	if err := lines.Err(); err != nil {
		return fmt.Errorf("%s: %w", f.Name, err)
	}
	return nil
}

// whole is an entry of at most so many bytes.
func whole(f *zip.File, name string, most uint64) ([]byte, error) {
	if f == nil {
		return nil, fmt.Errorf("%s: is not in the archive", name)
	}
	if f.UncompressedSize64 > most {
		return nil, fmt.Errorf("%s: %d bytes are too many", name, f.UncompressedSize64)
	}
	r, err := f.Open()
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	data, err := io.ReadAll(io.LimitReader(r, int64(most)))
	return data, errors.Join(err, r.Close())
}
