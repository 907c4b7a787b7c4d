package server

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"runtime/debug"
	"sync"
	"time"

	"elvat/core/sitebook"
	"elvat/internal/api"
	"elvat/internal/desk"
	"elvat/internal/store"
)

// A freshener works out the summaries of changed calls beside the requests, so
// that nobody waits for them.
type freshener struct {
	wake chan struct{}
	stop chan struct{}
	done sync.WaitGroup
	// working holds back all but one: what one sums up the others find done.
	working sync.Mutex
}

func newFreshener() *freshener {
	return &freshener{wake: make(chan struct{}, 1), stop: make(chan struct{})}
}

// ask has the summaries of changed calls worked out soon. The store knows which
// they are: nothing of it is lost with the process.
func (f *freshener) ask() {
	select {
	case f.wake <- struct{}{}:
	default: // it is awake
	}
}

// freshenAfter is how long summaries wait for whoever made the change to have their
// answer first; a list that is asked for meanwhile works them out at once. Assumption.
const freshenAfter = 400 * time.Millisecond

// run works until stop is called.
func (f *freshener) run(s *calls, log *slog.Logger) {
	f.done.Go(func() {
		for {
			select {
			case <-f.stop:
				return
			case <-f.wake:
				select {
				case <-f.stop:
					return
				case <-time.After(freshenAfter):
				}
				if err := s.freshen(context.Background(), true); err != nil {
					log.Error("summaries", "error", err)
				}
			}
		}
	})
}

func (f *freshener) close() {
	close(f.stop)
	f.done.Wait()
}

// freshen works out all summaries that are older than their call. Where another
// is at it already, who need not have the very latest does not wait.
func (s *calls) freshen(ctx context.Context, wait bool) error {
	stale, err := s.store.Stale(ctx)
	if err != nil || len(stale) == 0 {
		return err
	}
	if !s.freshener.working.TryLock() {
		if !wait {
			return nil
		}
		s.freshener.working.Lock()
	}
	defer s.freshener.working.Unlock()
	if stale, err = s.store.Stale(ctx); err != nil {
		return err
	}
	var failed error // one that cannot be read keeps no other from being summed up
	for _, id := range stale {
		if err := s.refreshed(ctx, id); err != nil {
			failed = errors.Join(failed, fmt.Errorf("call %d: %w", id, err))
		}
	}
	return failed
}

// refreshed is refresh, where a record that cannot even be worked on is an error as well: beside
// the requests it would take the process with it, and with that every other shop's.
func (s *calls) refreshed(ctx context.Context, id int64) (err error) {
	defer func() {
		if what := recover(); what != nil {
			err = fmt.Errorf("%v\n%s", what, debug.Stack())
		}
	}()
	return s.refresh(ctx, id)
}

// refresh works out a call's summary and keeps it.
func (s *calls) refresh(ctx context.Context, id int64) error {
	v, err := s.Load(ctx, id)
	if err != nil {
		return err
	}
	result, err := json.Marshal(v.Result)
	if err != nil {
		return err
	}
	summary, err := json.Marshal(v.Summary())
	if err != nil {
		return err
	}
	m := store.Summary{
		Call:       v.Call,
		Document:   summary,
		HandedOver: v.Facts.HandedOver,
		Answer:     store.Answer{Question: v.Asked, Build: desk.Build, Result: result},
	}
	m.Words = sitebook.Words(v.Circuit, append(v.Record.Words(), v.Call.SiteName)...)
	if m.GFCIs, err = s.register(ctx, v); err != nil {
		return err
	}
	return s.store.SetSummary(ctx, m)
}

// register lists the GFCIs of the call's run; nil where a newer call tells.
func (s *calls) register(ctx context.Context, v *desk.State) ([]store.GFCI, error) {
	run, err := s.store.Run(ctx, v.Call.Run)
	if err != nil || run.LastCall != v.Call.ID {
		return nil, err
	}
	past, err := s.Past(ctx, v.Call.Run, 0)
	if err != nil {
		return nil, err
	}
	guards, err := sitebook.Register(v.Circuit, past, v.Call.CreatedAt)
	if err != nil {
		return nil, err
	}
	all := []store.GFCI{}
	for _, g := range guards {
		all = append(
			all,
			store.GFCI{
				Run:         v.Call.Run,
				Device:      g.Device,
				Label:       g.Label,
				Serves:      g.Serves,
				InstalledAt: g.InstalledAt,
				TestedAt:    g.TestedAt,
				Held:        g.Held,
				DueAt:       g.DueAt,
			},
		)
	}
	return all, nil
}

// mostListed bounds a page of a list. Assumption.
const (
	mostListed     = 50
	mostInHand     = 300
	handedOverShow = 20
)

// page is what is asked for of a list: those before a number, so many at most.
func page(before *int64, limit *int) (from int64, most int, err error) {
	from, most = desk.Or(before, 0), desk.Or(limit, mostListed)
	if from < 0 || most < 1 || most > mostListed {
		return 0, 0, badInput{fmt.Errorf("before, limit: a number from the list, and 1 to %d", mostListed)}
	}
	return from, most, nil
}

// ListCalls shows the calls in hand and the newest handed over.
func (s *calls) ListCalls(ctx context.Context, r api.ListCallsRequestObject) (api.ListCallsResponseObject, error) {
	if err := s.freshen(ctx, true); err != nil {
		return nil, err
	}
	before, most, err := page(r.Params.Before, r.Params.Limit)
	if err != nil {
		return nil, err
	}
	var lines []store.CallLine
	if before != 0 {
		if lines, err = s.store.CallLines(ctx, true, before, most); err != nil {
			return nil, err
		}
	} else {
		inHand, err := s.store.CallLines(ctx, false, 0, mostInHand)
		if err != nil {
			return nil, err
		}
		over, err := s.store.CallLines(ctx, true, 0, handedOverShow)
		if err != nil {
			return nil, err
		}
		lines = append(inHand, over...)
	}
	list, err := summaries(lines)
	return api.ListCalls200JSONResponse(list), err
}

func summaries(lines []store.CallLine) ([]api.CallSummary, error) {
	list := make([]api.CallSummary, len(lines))
	for i, l := range lines {
		if err := json.Unmarshal(l.Summary, &list[i]); err != nil {
			return nil, fmt.Errorf("call %d, stored summary: %w", l.ID, err)
		}
	}
	return list, nil
}

// Summarize works out the summaries of all calls that lack one, many in one
// transaction: for a history that has just come in. said is told how many are left.
func Summarize(ctx context.Context, kept *store.Store, now func() time.Time, said func(left int)) error {
	const batch = 500
	s := newCalls(Config{Store: kept}, now, nil)
	stale, err := kept.Stale(ctx)
	if err != nil {
		return err
	}
	for len(stale) > 0 {
		said(len(stale))
		some := stale[:min(batch, len(stale))]
		err := kept.InTransaction(ctx, func(ctx context.Context) error {
			for _, id := range some {
				if err := s.refresh(ctx, id); err != nil {
					return fmt.Errorf("call %d: %w", id, err)
				}
			}
			return nil
		})
		if err != nil {
			return err
		}
		stale = stale[len(some):]
	}
	return nil
}
