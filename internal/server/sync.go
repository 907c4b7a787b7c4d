package server

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"maps"
	"net/http"
	"strconv"
	"time"

	corecall "elvat/core/call"
	"elvat/core/job"
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
	if err := s.arrive(ctx, r.Body.Commands); err != nil {
		return nil, err
	}
	if err := s.resume(ctx); err != nil {
		return nil, err // nothing that a person could mend: it is tried again, here or when it is sent again
	}
	for _, c := range r.Body.Commands {
		result, err := s.became(ctx, c)
		if err != nil {
			return nil, err
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

// arrive writes down what came, by this machine's clock, before any of it is carried out.
func (s *calls) arrive(ctx context.Context, commands []kept.Waiting) error {
	by := desk.CallerOf(ctx)
	all := make([]kept.Arrived, 0, len(commands))
	for _, c := range commands {
		if err := desk.CheckID(c.ID); err != nil {
			return err
		}
		c.Refused = "" // the phone's own guess
		a := kept.Arrived{Waiting: c, Device: by.Device, Person: by.Person, Role: string(by.Role), ArrivedAt: s.now()}
		made, err := by.Sent(c.MadeAt)
		if err != nil {
			a.Refused = problem(err).Detail
		} else {
			a.MadeAt = made
		}
		all = append(all, a)
	}
	if len(all) == 0 {
		return nil
	}
	return s.store.Arrive(ctx, all)
}

// resume carries out what arrived and was not yet: just now, or before the machine went down.
func (s *calls) resume(ctx context.Context) error {
	s.taking.Lock() // one after the other, in the order of making
	defer s.taking.Unlock()
	all, err := s.store.Untried(ctx)
	if err != nil {
		return err
	}
	for i := range all {
		if err := s.take(ctx, &all[i]); err != nil {
			return err
		}
	}
	return nil
}

// errNotBegun is said of what was done on a call that the shop did not take.
var errNotBegun = badInput{errors.New("the call that it was done on was not begun here: decide on that first")}

// take carries one out. What the record does not take is noted with the reason; an error is
// what has nothing to do with it.
func (s *calls) take(ctx context.Context, a *kept.Arrived) error {
	on, err := s.carryOut(ctx, a)
	if err == nil {
		return s.store.TakeArrived(ctx, a.ID)
	}
	why, passes := refusedFor(ctx, err)
	if passes {
		return err
	}
	return s.store.RefuseArrived(ctx, a.ID, why, on)
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

func (s *calls) carryOut(ctx context.Context, a *kept.Arrived) (on int64, err error) {
	by := desk.Caller{Device: a.Device, Person: a.Person, Role: job.Role(a.Role), Command: a.ID, Made: a.MadeAt, Seen: a.Seen}
	ctx = by.In(ctx)
	do, err := corecall.ParseDoing(a.Doing)
	if err != nil {
		return max(a.Call, 0), badInput{err}
	}
	switch do := do.(type) {
	case *corecall.Begin:
		place := kept.Place{}
		if a.Place != nil {
			place = *a.Place
		}
		id, err := s.begin(ctx, *do, place)
		if errors.Is(err, store.ErrNotFound) {
			// The house was taken out of the book meanwhile: the call has one of its own.
			id, err = s.begin(ctx, *do, kept.Place{})
		}
		return id, err
	case *corecall.GiveAnswer:
		return max(a.Call, 0), badInput{errors.New("do: this has a request of its own")}
	}
	if on = a.Call; on <= 0 {
		if on, err = s.store.Begun(ctx, a.Begun); err != nil {
			return 0, errNotBegun
		}
	}
	_, err = s.Do(ctx, on, s.Command(ctx, do), nil)
	return on, err
}

// became is what became of a command that a phone sent.
func (s *calls) became(ctx context.Context, c kept.Waiting) (api.SyncResult, error) {
	result := api.SyncResult{Id: c.ID, Done: true}
	a, err := s.store.Arrived(ctx, c.ID)
	switch {
	case err == nil:
		result.Done, result.Detail = false, &a.Refused
	case !errors.Is(err, store.ErrNotFound):
		return result, err
	}
	if c.Call >= 0 {
		return result, nil
	}
	id, err := s.store.Begun(ctx, cmp.Or(c.Begun, c.ID))
	if errors.Is(err, store.ErrNotFound) {
		return result, nil
	}
	result.Call = &id
	return result, err
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
		a.Role = string(by.Role)
		on, err := s.carryOut(ctx, &a)
		if err == nil {
			err = s.store.TakeArrived(ctx, a.ID)
		} else if why, passes := refusedFor(ctx, err); !passes {
			err = errors.Join(s.store.RefuseArrived(ctx, a.ID, why, on), err)
		}
		if err != nil {
			return nil, err
		}
	} else if err := s.store.SettleArrived(ctx, a.ID, cmp.Or(by.Person, "somebody here"), s.now()); err != nil {
		return nil, err
	}
	left, err := s.decisions(ctx)
	return api.Decide200JSONResponse(left), err
}
