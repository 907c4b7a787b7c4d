package phone

import (
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"elvat/core/call"
	"elvat/internal/desk"
	"elvat/internal/kept"
)

// ErrElsewhere means that the call is not on the phone: the shop has it.
var ErrElsewhere = errors.New("this call is not on the phone: it takes a signal to see it")

// book is the phone as the desk's Book.
type book struct{ p *Phone }

func (b book) held(id int64) (*held, error) {
	if h := b.p.calls[id]; h != nil {
		return h, nil
	}
	return nil, ErrElsewhere
}

func (b book) Load(_ context.Context, id int64) (*kept.Snapshot, error) {
	b.p.mu.Lock()
	defer b.p.mu.Unlock()
	h, err := b.held(id)
	if err != nil {
		return nil, err
	}
	return h.now, nil
}

func (b book) LoadPast(_ context.Context, id int64) (*kept.Snapshot, error) {
	b.p.mu.Lock()
	defer b.p.mu.Unlock()
	if at := b.p.past[id]; at != nil {
		return at, nil
	}
	return nil, kept.ErrNotFound
}

func (b book) Keep(
	ctx context.Context,
	at *kept.Snapshot,
	next *call.Record,
	a *call.Action,
	_ []byte,
) (*kept.Snapshot, error) {
	c, ok := desk.CommandOf(ctx)
	if !ok {
		return nil, errors.New("a command is kept by what it does")
	}
	doing, err := call.FormatDoing(c.Do)
	if err != nil {
		return nil, err
	}
	b.p.mu.Lock()
	defer b.p.mu.Unlock()
	h, err := b.held(at.ID)
	if err != nil {
		return nil, err
	}
	if h.now.Version != at.Version {
		return nil, kept.ErrMoved
	}
	if !h.waits(c.ID) { // else it is put on the shop's record once more
		b.p.n++
		w := kept.Waiting{Call: at.ID, N: b.p.n, ID: c.ID, Person: c.Person, MadeAt: c.At, Seen: h.base.Version, Doing: doing}
		if at.ID < 0 {
			w.Begun = h.begun()
		}
		h.waiting = append(h.waiting, w)
	}
	return h.keep(next, a), nil
}

func (book) UsedElsewhere(context.Context, string, int64) error { return nil }

func (b book) CallsOfRun(_ context.Context, run, before int64, most int) ([]int64, error) {
	b.p.mu.Lock()
	defer b.p.mu.Unlock()
	for _, h := range b.p.calls {
		if h.base.Run == run && (before == 0 || h.base.ID == before) {
			return slices.Clone(h.past[:min(most, len(h.past))]), nil
		}
	}
	return nil, nil
}

func (b book) Setting(_ context.Context, name string) ([]byte, error) {
	b.p.mu.Lock()
	defer b.p.mu.Unlock()
	return b.p.shared.Settings[name], nil
}

// Set sets it here; the request that asked for it goes to the shop.
func (b book) Set(ctx context.Context, name string, value []byte) error {
	b.p.mu.Lock()
	defer b.p.mu.Unlock()
	asked, _ := ctx.Value(askedKey{}).(Request)
	b.p.said[name] = Said{ID: asked.Command, Path: asked.Path, Body: asked.Body, Name: name, Value: value}
	b.p.set(name, value)
	return nil
}

// DrillsOf are those that lie here, whoever they are of: one person works on a phone.
func (b book) DrillsOf(_ context.Context, _ string, most int) ([]kept.Drill, error) {
	b.p.mu.Lock()
	defer b.p.mu.Unlock()
	all := []kept.Drill{}
	for id, h := range b.p.calls {
		if h.now.Record.Drill != nil {
			all = append(all, kept.Drill{ID: id, BegunAt: h.now.CreatedAt, Version: h.now.Version, Result: h.packed.Drill})
		}
	}
	slices.SortFunc(all, func(a, c kept.Drill) int { return c.BegunAt.Compare(a.BegunAt) })
	return all[:min(most, len(all))], nil
}

// SetDrillResult keeps it until the shop has worked it out for itself.
func (b book) SetDrillResult(_ context.Context, id int64, result []byte) error {
	b.p.mu.Lock()
	defer b.p.mu.Unlock()
	if h := b.p.calls[id]; h != nil {
		h.packed.Drill = result
	}
	return nil
}

// used adds up what was used on a record, by van, item and unit.
func used(r *call.Record) map[[3]string]float64 {
	sums := map[[3]string]float64{}
	for _, u := range r.Used {
		if !u.Withdrawn {
			sums[[3]string{u.Van, u.Item, u.Unit}] += u.Count
		}
	}
	return sums
}

func haves(sums map[[3]string]float64) []kept.Have {
	all := []kept.Have{}
	for k, n := range sums {
		all = append(all, kept.Have{Van: k[0], Item: k[1], Unit: k[2], Count: n})
	}
	slices.SortFunc(all, func(a, b kept.Have) int {
		if c := strings.Compare(a.Item, b.Item); c != 0 {
			return c
		}
		return strings.Compare(a.Van+a.Unit, b.Van+b.Unit)
	})
	return all
}

// Stock is what the vans had, less what was used here since.
func (b book) Stock(context.Context) ([]kept.Have, error) {
	b.p.mu.Lock()
	defer b.p.mu.Unlock()
	stock := slices.Clone(b.p.shared.Stock)
	for _, h := range b.p.calls {
		before := used(h.base.Record)
		for k, n := range used(h.now.Record) {
			more := n - before[k]
			if more == 0 {
				continue
			}
			at := slices.IndexFunc(stock, func(s kept.Have) bool { return s.Van == k[0] && s.Item == k[1] && s.Unit == k[2] })
			if at < 0 {
				at = len(stock)
				stock = append(stock, kept.Have{Van: k[0], Item: k[1], Unit: k[2]})
			}
			stock[at].Count -= more
		}
	}
	return stock, nil
}

func (b book) Used(_ context.Context, id int64) ([]kept.Have, error) {
	b.p.mu.Lock()
	defer b.p.mu.Unlock()
	h, err := b.held(id)
	if err != nil {
		return nil, err
	}
	return haves(used(h.now.Record)), nil
}

func (b book) Answer(_ context.Context, id int64) (kept.Answer, error) {
	b.p.mu.Lock()
	defer b.p.mu.Unlock()
	if h := b.p.calls[id]; h != nil && h.packed.Answer != nil {
		return *h.packed.Answer, nil
	}
	return kept.Answer{}, kept.ErrNotFound
}

func (b book) VisitOf(_ context.Context, id int64, kind kept.LinkKind, now time.Time) (kept.Visit, error) {
	b.p.mu.Lock()
	defer b.p.mu.Unlock()
	h, err := b.held(id)
	if err != nil {
		return kept.Visit{}, err
	}
	until := h.packed.VisitUntil
	if kind == kept.OfResult {
		until = h.packed.ResultUntil
	}
	if until == nil || !until.After(now) {
		return kept.Visit{}, kept.ErrNotFound
	}
	return kept.Visit{Call: id, ExpiresAt: *until}, nil
}

func (b book) GFCIsOfSite(_ context.Context, site int64) ([]kept.DueGFCI, error) {
	b.p.mu.Lock()
	defer b.p.mu.Unlock()
	for _, h := range b.p.calls {
		if h.base.Site == site {
			return h.packed.Guards, nil
		}
	}
	return nil, nil
}

// Snapshot needs no more: what is read is replaced, never changed.
func (book) Snapshot(ctx context.Context, do func(context.Context) error) error { return do(ctx) }
