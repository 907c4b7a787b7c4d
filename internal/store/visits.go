package store

import (
	"context"
	"time"

	"elvat/internal/kept"
	"elvat/internal/store/db"
)

// A LinkKind is what a customer's link shows; a Visit is such a link.
type (
	LinkKind = kept.LinkKind
	Visit    = kept.Visit
)

// Kinds of link.
const (
	BeforeVisit = kept.BeforeVisit
	OfResult    = kept.OfResult
)

func visitOf(r db.VisitRow) Visit {
	return Visit{Call: r.CallID, MadeAt: instant(r.MadeAt), ExpiresAt: instant(r.ExpiresAt)}
}

// AddVisit keeps a link under its token, and withdraws earlier ones of its kind and call.
func (s *Store) AddVisit(ctx context.Context, token string, kind LinkKind, v Visit) error {
	return s.InTransaction(ctx, func(ctx context.Context) error {
		if err := s.EndVisits(ctx, v.Call, kind); err != nil {
			return err
		}
		return s.q(ctx).
			AddVisit(ctx, db.AddVisitParams{Token: hashed(token), CallID: v.Call, MadeAt: stamp(v.MadeAt), ExpiresAt: stamp(v.ExpiresAt), OfResult: int64(kind)})
	})
}

// EndVisits withdraws the links of a kind of a call.
func (s *Store) EndVisits(ctx context.Context, call int64, kind LinkKind) error {
	return s.q(ctx).EndVisits(ctx, db.EndVisitsParams{CallID: call, OfResult: int64(kind)})
}

// Visit is the link with the token, as long as it is in force.
func (s *Store) Visit(ctx context.Context, token string, kind LinkKind, now time.Time) (Visit, error) {
	r, err := s.q(ctx).Visit(ctx, db.VisitParams{Token: hashed(token), ExpiresAt: stamp(now), OfResult: int64(kind)})
	return visitOf(r), found(err)
}

// VisitOf is the link of a call that is in force; ErrNotFound where none is.
func (s *Store) VisitOf(ctx context.Context, call int64, kind LinkKind, now time.Time) (Visit, error) {
	r, err := s.q(ctx).VisitOf(ctx, db.VisitOfParams{CallID: call, ExpiresAt: stamp(now), OfResult: int64(kind)})
	return visitOf(db.VisitRow(r)), found(err)
}
