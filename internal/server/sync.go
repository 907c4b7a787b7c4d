package server

import (
	"context"
	"encoding/json"
	"errors"
	"maps"
	"strconv"
	"time"

	"elvat/internal/api"
	"elvat/internal/desk"
	"elvat/internal/kept"
	"elvat/internal/store"
)

// onPhone is how long a call that was handed over stays on phones.
const onPhone = 14 * 24 * time.Hour

// shared are the settings that a phone needs; who works there has lamps of their own.
func (s *calls) shared(ctx context.Context) (kept.Shared, error) {
	all := kept.Shared{Shop: s.Shop, Tracer: s.Tracer, Settings: map[string]json.RawMessage{}}
	for _, name := range []string{
		desk.HouseSetting, desk.PracticeSetting, desk.LearnedSetting, desk.LightsSetting, desk.ExampleSetting, desk.LampsOf(ctx),
	} {
		value, err := s.store.Setting(ctx, name)
		if err != nil {
			return all, err
		}
		if value != nil {
			all.Settings[name] = value
		}
	}
	stock, err := s.store.Stock(ctx)
	all.Stock = stock
	return all, err
}

// packed is a call as it goes to a phone.
func (s *calls) packed(ctx context.Context, id int64) (kept.Packed, error) {
	at, err := s.store.Load(ctx, id)
	if err != nil {
		return kept.Packed{}, err
	}
	p := kept.Pack(at)
	if p.Guards, err = s.store.GFCIsOfSite(ctx, at.Site); err != nil {
		return p, err
	}
	answer, err := s.store.Answer(ctx, id)
	switch {
	case err == nil && !at.Stale:
		p.Answer = &answer
	case err != nil && !errors.Is(err, store.ErrNotFound):
		return p, err
	}
	for kind, until := range map[store.LinkKind]**time.Time{store.BeforeVisit: &p.VisitUntil, store.OfResult: &p.ResultUntil} {
		link, err := s.store.VisitOf(ctx, id, kind, s.now())
		if err == nil {
			*until = &link.ExpiresAt
		} else if !errors.Is(err, store.ErrNotFound) {
			return p, err
		}
	}
	past, err := s.store.CallsOfRun(ctx, at.Run, id, desk.MostPast)
	if err != nil {
		return p, err
	}
	for _, before := range past {
		earlier, err := s.store.LoadPast(ctx, before)
		if err != nil {
			return p, err
		}
		one := kept.Pack(earlier)
		one.Log = nil
		p.Past = append(p.Past, one)
	}
	return p, nil
}

// Sync takes what a phone did without a signal, each once by its id, and answers with what
// it lacks. What cannot be done stays with the phone, which shows why.
func (s *calls) Sync(ctx context.Context, r api.SyncRequestObject) (api.SyncResponseObject, error) {
	by := desk.CallerOf(ctx)
	out := api.SyncAnswer{Results: []api.SyncResult{}, Calls: []kept.Packed{}, Gone: []int64{}}
	for _, c := range r.Body.Commands {
		sent := api.Command{Id: c.ID, Doing: c.Doing, MadeAt: &c.MadeAt, Seen: &c.Seen}
		result := api.SyncResult{Id: c.ID, Done: true}
		if err := s.DoOne(ctx, by, c.Call, sent); err != nil {
			p := problem(err)
			if p == nil {
				return nil, err // nothing that a person could mend: all that is left is sent again
			}
			result.Done, result.Detail = false, &p.Detail
		}
		out.Results = append(out.Results, result)
	}
	// Whether a call is in hand stands in its summary.
	if err := s.freshen(ctx, true); err != nil {
		return nil, err
	}
	err := s.store.Snapshot(ctx, func(ctx context.Context) error {
		wanted, err := s.forPhones(ctx)
		if err != nil {
			return err
		}
		for id := range r.Body.Calls {
			number, err := strconv.ParseInt(id, 10, 64)
			if err != nil {
				return badInput{errors.New("calls: " + id + " is no number of a call")}
			}
			if _, ok := wanted[number]; !ok {
				out.Gone = append(out.Gone, number)
			}
		}
		for id, version := range wanted {
			if r.Body.Calls[strconv.FormatInt(id, 10)] == version {
				continue
			}
			p, err := s.packed(ctx, id)
			if err != nil {
				return err
			}
			out.Calls = append(out.Calls, p)
		}
		out.Shared, err = s.shared(ctx)
		return err
	})
	return api.Sync200JSONResponse(out), err
}

// forPhones are the calls that lie on phones, each with its version: those in hand, and those
// handed over of late.
func (s *calls) forPhones(ctx context.Context) (map[int64]int64, error) {
	all, err := s.store.Versions(ctx, false, time.Time{}, mostInHand)
	if err != nil {
		return nil, err
	}
	over, err := s.store.Versions(ctx, true, s.now().Add(-onPhone), mostInHand)
	maps.Copy(all, over)
	return all, err
}
