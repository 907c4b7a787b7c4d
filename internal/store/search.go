package store

import (
	"context"
	"slices"
	"strings"
)

func (s *Store) index(ctx context.Context, row int64, title, body string) error {
	if _, err := s.on(ctx).ExecContext(ctx, "DELETE FROM search WHERE rowid = ?", row); err != nil {
		return err
	}
	_, err := s.on(ctx).ExecContext(ctx, "INSERT INTO search (rowid, title, body) VALUES (?, ?, ?)", row, title, body)
	return err
}

// indexSite makes a site findable by its name, address, notes, panels and what
// their breakers serve.
func (s *Store) indexSite(ctx context.Context, site int64) error {
	r, err := s.q(ctx).SiteWords(ctx, site)
	if err != nil {
		return err
	}
	return s.index(ctx, 2*site+1, r.Name, r.Words)
}

// A Hit is a call or a site that the search found.
type Hit struct {
	Site  bool
	ID    int64
	Title string
	Part  string // of what was found, the words between HitStart and HitEnd
}

// Marks around the found words: no text holds them.
const (
	HitStart = "\x02"
	HitEnd   = "\x03"
)

// mostWords bounds what one search looks for. Assumption.
const mostWords = 12

// Search finds calls and sites that have all the words, each at least the
// beginning of one: those named so first, the newest of each first.
func (s *Store) Search(ctx context.Context, words string, most int) ([]Hit, error) {
	var terms []string
	for _, word := range strings.Fields(words) {
		if len(terms) == mostWords {
			break
		}
		// Within quotes a term is plain text: nothing of it is taken for a query.
		terms = append(terms, `"`+strings.ReplaceAll(strings.ReplaceAll(word, `"`, `""`), "\x00", "")+`"*`)
	}
	if len(terms) == 0 {
		return []Hit{}, nil
	}
	// Newest first costs nothing however much is found; by relevance every one
	// found would have to be weighed.
	all := []Hit{}
	for _, within := range []string{"{title} : ", ""} {
		hits, err := s.hits(ctx, within+"("+strings.Join(terms, " ")+")", most)
		if err != nil {
			return nil, err
		}
		for _, h := range hits {
			known := slices.ContainsFunc(all, func(other Hit) bool { return other.Site == h.Site && other.ID == h.ID })
			if !known && len(all) < most {
				all = append(all, h)
			}
		}
	}
	return all, nil
}

func (s *Store) hits(ctx context.Context, query string, most int) ([]Hit, error) {
	rows, err := s.on(ctx).
		QueryContext(ctx, `SELECT rowid, title, snippet(search, 1, ?, ?, '…', 12) FROM search WHERE search MATCH ? ORDER BY rowid DESC LIMIT ?`,
			HitStart, HitEnd, query, most)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	all := []Hit{}
	for rows.Next() {
		var h Hit
		var row int64
		if err := rows.Scan(&row, &h.Title, &h.Part); err != nil {
			return nil, err
		}
		h.ID, h.Site = row/2, row%2 == 1
		all = append(all, h)
	}
	return all, rows.Err()
}
