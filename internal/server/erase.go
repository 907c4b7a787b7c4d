package server

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"time"

	corecall "elvat/core/call"
	"elvat/internal/api"
	"elvat/internal/archive"
	"elvat/internal/desk"
	"elvat/internal/store"
)

// EraseSite takes out what is kept of the customer of a house.
func (s *calls) EraseSite(ctx context.Context, r api.EraseSiteRequestObject) (api.EraseSiteResponseObject, error) {
	if err := s.erase(ctx, r.Site); err != nil {
		return nil, err
	}
	about(ctx, "house %d", r.Site)
	now, err := s.siteNow(ctx, r.Site)
	return api.EraseSite200JSONResponse{SiteNowJSONResponse: now}, err
}

func (s *calls) erase(ctx context.Context, site int64) error {
	by := desk.CallerOf(ctx)
	a := corecall.Action{Do: "erase", What: "erased what is kept of the customer", Device: by.Device, Person: by.Person, At: s.now(), ArrivedAt: s.now()}
	if err := s.store.EraseSite(ctx, site, a, s.now()); err != nil {
		return err
	}
	s.freshener.ask()
	return nil
}

// ExportSite is all that is kept of one house and its calls.
func (s *calls) ExportSite(ctx context.Context, r api.ExportSiteRequestObject) (api.ExportSiteResponseObject, error) {
	if _, err := s.store.Site(ctx, r.Site); err != nil {
		return nil, err
	}
	f, size, err := s.written(func(w io.Writer) error { return archive.ExportSite(ctx, s.store, r.Site, w) })
	if err != nil {
		return nil, err
	}
	about(ctx, "house %d", r.Site)
	return api.ExportSite200ApplicationoctetStreamResponse{
		Body: f, ContentLength: size,
		Headers: api.ExportSite200ResponseHeaders{ContentDisposition: fmt.Sprintf(`attachment; filename="elvat-house-%d.zip"`, r.Site)},
	}, nil
}

// keepNoLonger erases once a day what is kept of customers at whose houses nobody was for as
// many years as the shop set.
func (s *calls) keepNoLonger(ctx context.Context, log *slog.Logger) {
	for {
		if err := s.eraseOld(ctx); err != nil && ctx.Err() == nil {
			log.Error("what is kept too long was not erased; it is tried again tomorrow", "error", err)
		}
		if _, err := s.store.SweepPictures(ctx, s.now()); err != nil && ctx.Err() == nil {
			log.Error("photographs that nothing refers to; it is tried again tomorrow", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(24 * time.Hour):
		}
	}
}

func (s *calls) eraseOld(ctx context.Context) error {
	rules, err := s.access.doorRules(ctx)
	if err != nil || rules.KeepYears == 0 {
		return err
	}
	sites, err := s.store.ToErase(ctx, s.now().AddDate(-rules.KeepYears, 0, 0))
	if err != nil {
		return err
	}
	for _, site := range sites {
		if err := s.erase(ctx, site); err != nil {
			return err
		}
		e := store.Event{What: "customer-erased", About: fmt.Sprintf("house %d, kept for %d years", site, rules.KeepYears)}
		if err := s.access.noteOf(ctx, e); err != nil {
			return err
		}
	}
	return nil
}
