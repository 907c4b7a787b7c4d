package server

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"strconv"
	"time"

	corecall "elvat/core/call"
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

// Sync takes what a phone did without a signal: all of it is written down first, then each is
// carried out once, by its id. What the record does not take waits, visible to all, for a
// decision. The answer is what the phone lacks.
func (s *calls) Sync(ctx context.Context, r api.SyncRequestObject) (api.SyncResponseObject, error) {
	out := api.SyncAnswer{Results: []api.SyncResult{}, Calls: []kept.Packed{}, Gone: []int64{}}
	if len(r.Body.Commands) > mostBrought {
		return nil, badInput{fmt.Errorf("commands: %d at once; at most %d", len(r.Body.Commands), mostBrought)}
	}
	by := desk.CallerOf(ctx)
	for _, c := range r.Body.Commands {
		if by.Person != "" && c.Person != "" && c.Person != by.Person {
			return nil, refused{http.StatusUnauthorized, fmt.Errorf("what was done as %s goes up once they sign in here", c.Person)}
		}
	}
	if err := s.intake.Arrive(ctx, r.Body.Commands); err != nil {
		return nil, err
	}
	if err := s.intake.Resume(ctx); err != nil {
		return nil, err // nothing that a person could mend: it is tried again, here or when it is sent again
	}
	for _, c := range r.Body.Commands {
		became, err := s.intake.Became(ctx, c)
		if err != nil {
			return nil, err
		}
		result := api.SyncResult{Id: c.ID, Done: became.Refused == ""}
		if became.Refused != "" {
			result.Detail = &became.Refused
		}
		if became.Call != 0 {
			result.Call = &became.Call
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
		mine, err := s.store.DrillsOf(ctx, by.Person, drillsOnPhone)
		if err != nil {
			return err
		}
		for _, d := range mine {
			wanted[d.ID] = d.Version
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
			p, err := s.packedFor(ctx, id, mine)
			if err != nil {
				return err
			}
			out.Calls = append(out.Calls, p)
		}
		if out.Shared, err = s.shared(ctx); err != nil {
			return err
		}
		out.Decisions, err = s.decisions(ctx)
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

// drillsOnPhone is how many of one's own drills lie on a phone, the newest. Assumption.
const drillsOnPhone = 40

// packedFor is a call, or a drill, as it goes to a phone.
func (s *calls) packedFor(ctx context.Context, id int64, mine []kept.Drill) (kept.Packed, error) {
	if !kept.IsDrill(id) {
		return s.packed(ctx, id)
	}
	at, err := s.store.Load(ctx, id)
	if err != nil {
		return kept.Packed{}, err
	}
	p := kept.Pack(at)
	for _, d := range mine {
		if d.ID == id {
			p.Drill = d.Result
		}
	}
	return p, nil
}

// mostDecisions bounds how many are shown at once. Assumption.
const mostDecisions = 200

// decisions are what waits for one, as everybody sees it.
func (s *calls) decisions(ctx context.Context) ([]api.Decision, error) {
	all, err := s.store.Decisions(ctx, mostDecisions)
	shown := make([]api.Decision, 0, len(all))
	for i := range all {
		a := &all[i]
		d := api.Decision{Id: a.ID, Call: max(a.Call, 0), At: a.MadeAt, By: cmp.Or(a.Person, "somebody here"), What: "something that this version does not know", Why: a.Refused}
		if do, problem := corecall.ParseDoing(a.Doing); problem == nil {
			d.What = corecall.Name(do)
			if at, problem := s.store.Load(ctx, a.Call); problem == nil {
				d.What = corecall.Words(do, at.Record)
			}
		}
		shown = append(shown, d)
	}
	return shown, err
}

// Decide tries once more what was not taken, or lets go of it.
func (s *calls) Decide(ctx context.Context, r api.DecideRequestObject) (api.DecideResponseObject, error) {
	by := desk.CallerOf(ctx)
	a, err := s.store.Arrived(ctx, r.Decision)
	if err != nil {
		return nil, err
	}
	if a.Settled || a.Refused == "" {
		return nil, store.ErrNotFound
	}
	if r.Body.Take {
		// As it was done and by whom, on the say of who decides.
		a.Role, a.Decider = string(by.ActsAs()), by.Person
		if err := s.intake.Try(ctx, &a); err != nil {
			return nil, err
		}
	} else if err := s.store.SettleArrived(ctx, a.ID, cmp.Or(by.Person, "somebody here"), s.now()); err != nil {
		return nil, err
	}
	left, err := s.decisions(ctx)
	return api.Decide200JSONResponse(left), err
}

// refusedFor is why a command is not taken; passes where that has nothing to do with it and
// it is tried again. What nobody foresaw is a reason too: it must not hold up what comes after.
func refusedFor(ctx context.Context, err error) (why string, passes bool) {
	p := problem(err)
	switch {
	case ctx.Err() != nil, errors.Is(err, kept.ErrMoved), store.OfDatabase(err), p != nil && p.Status >= http.StatusInternalServerError:
		return "", true
	case p == nil:
		return "Elvat could not carry it out: " + err.Error(), false
	}
	return p.Detail, false
}
