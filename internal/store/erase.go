package store

import (
	"context"
	"fmt"
	"time"

	"elvat/core/call"
	"elvat/internal/store/db"
)

// EraseSite takes out of the database what it says of the customer of a site: name, address,
// notes, panels, photographs, answers, links, and of each call what call.Record.Erase leaves
// out, together with the log that could bring it back. The record of the work stays. a is
// written down as done on each call: phones fetch it anew.
func (s *Store) EraseSite(ctx context.Context, site int64, a call.Action, at time.Time) error {
	var refs [][]byte
	err := s.InTransaction(ctx, func(ctx context.Context) error {
		refs = nil
		q := s.q(ctx)
		name := fmt.Sprintf("%s, house %d", call.Erased, site)
		if err := changed(q.ErasedSite(ctx, db.ErasedSiteParams{Name: name, ErasedAt: new(stamp(at)), ID: site})); err != nil {
			return err
		}
		calls, err := q.CallsOfSite(ctx, site)
		if err != nil {
			return err
		}
		for _, id := range calls {
			of, err := s.refsOf(ctx, id)
			if err != nil {
				return err
			}
			refs = append(refs, of...)
			if err := s.eraseCall(ctx, id, a); err != nil {
				return fmt.Errorf("call %d: %w", id, err)
			}
		}
		for _, erase := range []func() error{
			func() error { return q.ErasePanels(ctx, site) },
			func() error { return q.EraseRuns(ctx, db.EraseRunsParams{Name: call.Erased, SiteID: site}) },
			func() error { return q.EraseGFCIs(ctx, site) },
			func() error { return q.PanelActions(ctx, site) },
			func() error { return s.indexSite(ctx, site) },
		} {
			if err := erase(); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return err
	}
	if err := s.removeUnused(ctx, refs); err != nil {
		return fmt.Errorf("the customer is erased; a photograph could not be removed now, and is within a day: %w", err)
	}
	if s.path == "" {
		// A cluster cuts its log off itself; its index leaves words behind until it is written anew.
		_, err := s.on(ctx).ExecContext(ctx, "INSERT INTO search (search) VALUES ('optimize')")
		return err
	}
	// What was written to the log of the file before goes with it.
	_, err = s.db.ExecContext(ctx, "PRAGMA wal_checkpoint(TRUNCATE)")
	return err
}

func (s *Store) eraseCall(ctx context.Context, id int64, a call.Action) error {
	at, err := s.Load(ctx, id)
	if err != nil {
		return err
	}
	parts, err := at.Record.Erase()
	if err != nil {
		return err
	}
	q := s.q(ctx)
	for _, erase := range []func(context.Context, int64) error{q.EraseParts, q.EraseImages} {
		if err := erase(ctx, id); err != nil {
			return err
		}
	}
	for _, of := range []func(context.Context, *int64) error{q.EraseChanges, q.EraseActions, q.EraseArrived} {
		if err := of(ctx, &id); err != nil {
			return err
		}
	}
	for _, erase := range []func(context.Context, int64) error{q.EraseVisits, q.EraseSummary} {
		if err := erase(ctx, id); err != nil {
			return err
		}
	}
	for _, p := range parts {
		if _, err := q.AddPart(ctx, db.AddPartParams{CallID: id, Kind: string(p.Kind), ID: p.ID, N: int64(p.N), Document: string(p.Document)}); err != nil {
			return err
		}
	}
	if err := q.TitleCall(ctx, db.TitleCallParams{Title: call.Erased, ID: id}); err != nil {
		return err
	}
	a.Command = "" // one for each call
	version, err := s.addAction(ctx, id, &a)
	if err != nil {
		return err
	}
	if _, err := q.MoveCall(ctx, db.MoveCallParams{Version: version, ID: id, Was: at.Version}); err != nil {
		return err
	}
	return s.index(ctx, 2*id, call.Erased, "")
}

// ToErase are the sites at which there was no call since then, and whose data were not erased
// yet.
func (s *Store) ToErase(ctx context.Context, since time.Time) ([]int64, error) {
	return s.q(ctx).ToErase(ctx, stamp(since))
}
