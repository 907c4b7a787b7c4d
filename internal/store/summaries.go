package store

import (
	"bytes"
	"compress/gzip"
	"context"
	"database/sql"
	"errors"
	"io"
	"time"

	"elvat/internal/kept"
	"elvat/internal/store/db"
)

// A CallLine is a call in a list: its summary, worked out when it was last changed.
type CallLine struct {
	ID      int64
	Summary []byte
}

// CallLines lists calls with their summaries: those in hand, or those handed
// over, newest first, older than the given one where it is not zero.
func (s *Store) CallLines(ctx context.Context, handedOver bool, before int64, most int) ([]CallLine, error) {
	rows, err := s.q(ctx).CallLines(ctx, db.CallLinesParams{Over: bit(handedOver), Before: before, Most: int64(most)})
	return each(rows, err, lineOf)
}

// Versions are the calls in hand, or those handed over, that began since then: each with the
// last action on it, the newest so many.
func (s *Store) Versions(ctx context.Context, handedOver bool, since time.Time, most int) (map[int64]int64, error) {
	rows, err := s.q(ctx).Versions(ctx, db.VersionsParams{Over: bit(handedOver), Since: stamp(since), Most: int64(most)})
	all := map[int64]int64{}
	for _, r := range rows {
		all[r.ID] = r.Version
	}
	return all, err
}

// CallLinesOfSite lists the calls at a site, newest first.
func (s *Store) CallLinesOfSite(ctx context.Context, site int64, most int) ([]CallLine, error) {
	rows, err := s.q(ctx).CallLinesOfSite(ctx, db.CallLinesOfSiteParams{SiteID: site, Limit: int64(most)})
	return each(rows, err, func(r db.CallLinesOfSiteRow) CallLine { return lineOf(db.CallLinesRow(r)) })
}

func lineOf(r db.CallLinesRow) CallLine { return CallLine{r.CallID, []byte(r.Document)} }

// Stale lists calls whose summary is older than their last change.
func (s *Store) Stale(ctx context.Context) ([]int64, error) { return s.q(ctx).Stale(ctx) }

// SetStale marks the calls in hand: something that all summaries rest on changed.
func (s *Store) SetStale(ctx context.Context) error { return s.q(ctx).SetStale(ctx) }

// A Summary is what the lists and the search show of a call.
type Summary struct {
	Call       Call // as it was worked out from
	Document   []byte
	HandedOver bool
	Words      string // all that the call can be found by
	GFCIs      []GFCI // of its run; nil: a newer call tells
	Answer     Answer
}

// An Answer is what came of a question to the diagnosis.
type Answer = kept.Answer

// SetSummary keeps it, unless the call was changed since it was worked out. Of a
// call one answer is kept, whatever was asked in between.
func (s *Store) SetSummary(ctx context.Context, m Summary) error {
	answer, err := packed(m.Answer.Result)
	if err != nil {
		return err
	}
	return s.InTransaction(ctx, func(ctx context.Context) error {
		q := s.q(ctx)
		if n, err := q.Fresh(ctx, db.FreshParams{ID: m.Call.ID, Version: m.Call.Version}); n == 0 || err != nil {
			return err
		}
		if err := q.SetSummary(ctx, db.SetSummaryParams{
			CallID: m.Call.ID, Document: string(m.Document), HandedOver: bit(m.HandedOver), Question: m.Answer.Question, Build: m.Answer.Build, Answer: answer,
		}); err != nil {
			return err
		}
		if err := s.index(ctx, 2*m.Call.ID, m.Call.Title, m.Words); err != nil {
			return err
		}
		if m.GFCIs == nil {
			return nil
		}
		return s.setGFCIs(ctx, m.Call.Run, m.GFCIs)
	})
}

// Answer is the answer that is kept of a call; ErrNotFound where none is.
func (s *Store) Answer(ctx context.Context, call int64) (Answer, error) {
	r, err := s.q(ctx).Answer(ctx, call)
	if errors.Is(err, sql.ErrNoRows) || err == nil && len(r.Answer) == 0 {
		return Answer{}, ErrNotFound
	}
	if err != nil {
		return Answer{}, err
	}
	result, err := unpacked(r.Answer)
	return Answer{Summary: []byte(r.Document), Question: r.Question, Build: r.Build, Result: result, HandedOver: r.HandedOver != 0}, err
}

// packed is data as it is kept: an answer packs to a tenth.
func packed(data []byte) ([]byte, error) {
	var out bytes.Buffer
	w := gzip.NewWriter(&out)
	_, err := w.Write(data)
	err = errors.Join(err, w.Close())
	return out.Bytes(), err
}

// mostAnswer bounds what an answer unpacks to. Assumption.
const mostAnswer = 64 << 20

// unpacked is what was packed; what was kept before it was packed is as it is.
func unpacked(data []byte) ([]byte, error) {
	if !bytes.HasPrefix(data, []byte{0x1f, 0x8b}) {
		return data, nil
	}
	r, err := gzip.NewReader(bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	return io.ReadAll(io.LimitReader(r, mostAnswer))
}
