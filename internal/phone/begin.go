package phone

import (
	"context"
	"slices"

	"elvat/core/call"
	"elvat/internal/api"
	"elvat/internal/desk"
	"elvat/internal/kept"
)

// newHeld is a call that is begun here by the command: the shop has nothing of it yet.
func (p *Phone) newHeld(w kept.Waiting) *held {
	at := kept.Call{ID: w.Call, Run: w.Call, CreatedAt: w.MadeAt, Stale: true}
	if do, err := call.ParseDoing(w.Doing); err == nil {
		if b, is := do.(*call.Begin); is {
			at.Title, at.SiteName = b.Title, b.Title // as the shop will call the new house
		}
	}
	if w.Place != nil {
		at.Site, at.Panel = w.Place.Site, w.Place.Panel
		if w.Place.Run != 0 {
			at.Run = w.Place.Run
		}
		for _, h := range p.heads {
			if h.Site == at.Site && at.Site != 0 {
				at.SiteName = h.SiteName
			}
		}
	}
	empty := func() *kept.Snapshot {
		empty, _ := kept.Empty(at) // what has no parts can be opened
		return empty
	}
	return &held{packed: kept.Packed{Call: at}, base: empty(), now: empty(), waiting: []kept.Waiting{w}}
}

// begun is the command that began the call here; "" where the shop has it.
func (h *held) begun() string {
	if h.base.ID >= 0 || len(h.waiting) == 0 {
		return ""
	}
	return h.waiting[0].ID
}

// begin starts a call without the shop, under a number of the phone's own.
func (p *Phone) begin(ctx context.Context, a *asked) (any, error) {
	return beginning(p, ctx, a, func(b api.NewCall) (call.Begin, api.NewCall, error) {
		begin, err := desk.BeginOf(b)
		return begin, b, err
	})
}

// beginDrill is begin for a call to learn on.
func (p *Phone) beginDrill(ctx context.Context, a *asked) (any, error) {
	return beginning(p, ctx, a, func(b api.NewDrill) (call.Begin, api.NewCall, error) {
		begin, err := p.BeginDrill(ctx, b)
		return begin, api.NewCall{}, err
	})
}

// beginning carries out once what is asked to begin.
func beginning[T any](p *Phone, ctx context.Context, a *asked, of func(T) (call.Begin, api.NewCall, error)) (any, error) {
	b, err := into[T](a)
	if err != nil {
		return nil, err
	}
	by := desk.CallerOf(ctx)
	if err := desk.CheckID(by.Command); err != nil {
		return nil, err
	}
	if id := p.begunBy(by.Command); id != 0 {
		return p.Call(ctx, id)
	}
	begin, on, err := of(b)
	if err != nil {
		return nil, err
	}
	return p.beginAs(ctx, begin, on)
}

// beginAs begins it on what is said of its place.
func (p *Phone) beginAs(ctx context.Context, begin call.Begin, b api.NewCall) (any, error) {
	by := desk.CallerOf(ctx)
	place := kept.Place{Site: desk.Or(b.Site, 0), Panel: desk.Or(b.Panel, 0), Run: desk.Or(b.Run, 0)}
	if place.Run != 0 && begin.Circuit == nil {
		last := p.lastOf(place.Run)
		if last == nil {
			return nil, ErrElsewhere // what is known of the run is not on the phone
		}
		if begin.Title == "" {
			begin.Title = last.Title
		}
		if err := desk.StartFrom(&begin, last, p.Now()); err != nil {
			return nil, err
		}
		place.Site, place.Panel = last.Site, last.Panel
	}
	if b.Laid != nil {
		if err := p.FillLaid(ctx, &begin, *b.Laid); err != nil {
			return nil, err
		}
	}
	if err := desk.FillBegin(&begin); err != nil {
		return nil, err
	}
	doing, err := call.FormatDoing(&begin)
	if err != nil {
		return nil, err
	}
	at := p.Now()
	p.mu.Lock()
	id := -at.UnixMilli()
	for p.calls[id] != nil || p.numbers[id] != 0 {
		id--
	}
	p.n++
	h := p.newHeld(kept.Waiting{Call: id, N: p.n, Begun: by.Command, ID: by.Command, Person: by.Person, MadeAt: at, Doing: doing, Place: &place})
	p.calls[id] = h
	p.mu.Unlock()
	p.settle(h)
	return p.Call(ctx, id)
}

// begunBy is the call that the command began here; 0 where it began none.
func (p *Phone) begunBy(command string) int64 {
	p.mu.Lock()
	defer p.mu.Unlock()
	for id, h := range p.calls {
		if h.begun() == command {
			return id
		}
	}
	return 0
}

// lastOf is the newest call of the run that is on the phone; nil where none is.
func (p *Phone) lastOf(run int64) *kept.Snapshot {
	p.mu.Lock()
	defer p.mu.Unlock()
	var all []*kept.Snapshot
	for _, h := range p.calls {
		if h.base.Run == run {
			all = append(all, h.now)
		}
	}
	if len(all) == 0 {
		return nil
	}
	return slices.MaxFunc(all, func(a, b *kept.Snapshot) int { return a.CreatedAt.Compare(b.CreatedAt) })
}
