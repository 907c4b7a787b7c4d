// Package phone is a shop's desk on what lies on the phone: the calls in hand work there
// without a signal, by the same code as on the server. What is done is kept as commands until
// the shop has them; what comes back from the shop is the record they are then put on again.
package phone

import (
	"cmp"
	"context"
	"encoding/json"
	"maps"
	"slices"
	"strconv"
	"sync"
	"time"

	"elvat/core/call"
	"elvat/internal/api"
	"elvat/internal/desk"
	"elvat/internal/kept"
)

// A Phone is what lies on it, and the desk on that.
type Phone struct {
	*desk.Desk
	Who desk.Caller // who works on it

	mu     sync.Mutex
	shared kept.Shared
	calls  map[int64]*held
	heads  map[int64]kept.Head // of all calls of the shop's that lie here, opened or not
	past   map[int64]*kept.Snapshot
	idle   []func() // what is worked out ahead
	n      int64    // of the command made last
	// What the shop calls the calls that were begun here.
	numbers   map[int64]int64
	decisions []api.Decision
	// said is what was set here and the shop does not know yet, by the name of the setting.
	said map[string]Said
}

// Said is something that was set on the phone, as the request that sets it at the shop.
type Said struct {
	ID    string          `json:"id"`
	Path  string          `json:"path"`
	Body  json.RawMessage `json:"body"`
	Name  string          `json:"name"`
	Value json.RawMessage `json:"value"`
}

// held is a call in hand: as the shop has it, and as it is here.
type held struct {
	packed  kept.Packed
	base    *kept.Snapshot
	now     *kept.Snapshot
	waiting []kept.Waiting
	past    []int64
}

// What the shop answers to a sync.
type (
	SyncAnswer = api.SyncAnswer
	SyncResult = api.SyncResult
)

// New is a phone with nothing on it yet.
func New(now func() time.Time, who desk.Caller) *Phone {
	p := &Phone{Who: who, calls: map[int64]*held{}, heads: map[int64]kept.Head{}, past: map[int64]*kept.Snapshot{}, numbers: map[int64]int64{}, said: map[string]Said{}}
	p.Desk = desk.New(book{p}, now)
	p.Apart = true
	p.WhenIdle(func(do func()) { p.idle = append(p.idle, do) })
	return p
}

// Idle works something out ahead, where there is something; a phone has one processor, and
// whoever taps would wait for it. It reports whether there is more.
func (p *Phone) Idle() bool {
	if len(p.idle) == 0 {
		return false
	}
	do := p.idle[0]
	p.idle = p.idle[1:]
	do()
	return len(p.idle) > 0
}

// Share takes what the shop set and has.
func (p *Phone) Share(s kept.Shared) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.shared = s
	p.Shop, p.Tracer = s.Shop, s.Tracer
	for _, said := range p.said {
		p.set(said.Name, said.Value)
	}
}

func (p *Phone) set(name string, value []byte) {
	if p.shared.Settings == nil {
		p.shared.Settings = map[string]json.RawMessage{}
	}
	p.shared.Settings[name] = value
}

// SaidHere is what was set here and the shop does not know yet.
func (p *Phone) SaidHere() []Said {
	p.mu.Lock()
	defer p.mu.Unlock()
	return slices.AppendSeq([]Said{}, maps.Values(p.said))
}

// Say puts back what was set when the phone was put away.
func (p *Phone) Say(all []Said) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, s := range all {
		p.said[s.Name] = s
		p.set(s.Name, s.Value)
	}
}

// Heard takes off what the shop knows by now.
func (p *Phone) Heard(id string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	maps.DeleteFunc(p.said, func(_ string, s Said) bool { return s.ID == id })
}

// Take puts a call as the shop has it on the phone. What waits is put on it again, in the
// order of making; what the record does not take any more waits for a decision.
func (p *Phone) Take(c kept.Packed) error {
	base, err := c.Open()
	if err != nil {
		return err
	}
	h := &held{packed: c, base: base}
	past := map[int64]*kept.Snapshot{}
	for i := range c.Past {
		if past[c.Past[i].ID], err = c.Past[i].Open(); err != nil {
			return err
		}
		h.past = append(h.past, c.Past[i].ID)
	}
	p.mu.Lock()
	maps.Copy(p.past, past)
	if before := p.calls[c.ID]; before != nil {
		h.waiting = before.waiting
	}
	p.calls[c.ID] = h
	p.heads[c.ID] = HeadOf(&c)
	p.mu.Unlock()
	p.settle(h)
	return nil
}

// HeadOf is what is at hand of a call without opening it.
func HeadOf(c *kept.Packed) kept.Head {
	h := kept.Head{ID: c.ID, Version: c.Version, Run: c.Run, Site: c.Site, SiteName: c.SiteName, CreatedAt: c.CreatedAt}
	if c.Answer != nil {
		h.Summary = c.Answer.Summary
	}
	return h
}

// summary is what lists show of a call, where nothing was done on it here and it need not be
// opened for that; nil elsewhere.
func (p *Phone) summary(id int64) json.RawMessage {
	p.mu.Lock()
	defer p.mu.Unlock()
	if h := p.calls[id]; h != nil && (len(h.waiting) > 0 || h.now.Version != h.base.Version) {
		return nil
	}
	return p.heads[id].Summary
}

// settle puts what waits on the record as the shop has it, as it was done in the first place.
func (p *Phone) settle(h *held) {
	p.mu.Lock()
	now := *h.base
	h.now = &now
	waiting := slices.Clone(h.waiting)
	p.mu.Unlock()
	for _, w := range waiting {
		err := p.put(w)
		p.mu.Lock()
		for i := range h.waiting {
			if h.waiting[i].ID == w.ID {
				h.waiting[i].Refused = ""
				if err != nil { // it is not on the record; the shop is told of it all the same
					h.waiting[i].Refused = err.Error()
				}
			}
		}
		p.mu.Unlock()
	}
}

// put does once more what waits.
func (p *Phone) put(w kept.Waiting) error {
	do, err := call.ParseDoing(w.Doing)
	if err != nil {
		return err
	}
	by := p.Who
	by.Person = w.Person
	ctx := by.In(context.Background())
	c := p.Command(ctx, do)
	c.ID, c.At, c.Seen = w.ID, w.MadeAt, w.Seen
	_, err = p.Do(ctx, w.Call, c, nil)
	return err
}

// keep makes what came of a command the record as it is here.
func (h *held) keep(next *call.Record, a *call.Action) *kept.Snapshot {
	after := *h.now
	after.Version++
	after.Stale = true
	next.Version = after.Version
	last := &next.Log[len(next.Log)-1]
	last.ID, last.ArrivedAt = after.Version, a.ArrivedAt
	after.Record = next
	h.now = &after
	return h.now
}

// Waiting is what the shop does not have yet, in the order of making.
func (p *Phone) Waiting() []kept.Waiting {
	p.mu.Lock()
	defer p.mu.Unlock()
	all := []kept.Waiting{}
	for _, h := range p.calls {
		all = append(all, h.waiting...)
	}
	slices.SortStableFunc(all, func(a, b kept.Waiting) int { return cmp.Compare(a.N, b.N) })
	return all
}

// Upward is what of it goes to the shop: what somebody else did before their session ended
// waits until they sign in again, and is not put down to who works here now.
func (p *Phone) Upward() []kept.Waiting {
	return slices.DeleteFunc(p.Waiting(), func(w kept.Waiting) bool { return w.Person != p.Who.Person })
}

// Versions are the calls on the phone, each with the version of the shop's that it has.
func (p *Phone) Versions() map[string]int64 {
	p.mu.Lock()
	defer p.mu.Unlock()
	all := map[string]int64{}
	for id, h := range p.heads {
		all[strconv.FormatInt(id, 10)] = h.Version
	}
	return all
}

// Lay notes which of the shop's calls lie here, without opening them.
func (p *Phone) Lay(heads []kept.Head) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, h := range heads {
		p.heads[h.ID] = h
	}
}

// Opened are the calls that were taken up: what is new of them is taken at once.
func (p *Phone) Opened() []int64 {
	p.mu.Lock()
	defer p.mu.Unlock()
	return slices.Sorted(maps.Keys(p.calls))
}

// Synced takes what the shop answered: what it has waits no more, what it does not take says
// why, and the calls are as it has them, with what still waits on top.
func (p *Phone) Synced(a api.SyncAnswer) error {
	p.arrived(a.Results)
	p.Share(a.Shared)
	p.mu.Lock()
	p.decisions = a.Decisions
	p.mu.Unlock()
	for _, c := range a.Calls {
		if err := p.Take(c); err != nil {
			return err
		}
	}
	for _, id := range a.Gone {
		p.Drop(id)
	}
	p.again()
	return nil
}

// arrived takes off what waits all that the shop has written down; what it did not carry out
// needs a decision there, which everybody sees. A call that was begun here gets its number.
func (p *Phone) arrived(results []api.SyncResult) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, r := range results {
		for id, h := range p.calls {
			i := slices.IndexFunc(h.waiting, func(w kept.Waiting) bool { return w.ID == r.Id })
			if i < 0 {
				continue
			}
			h.waiting = slices.Delete(h.waiting, i, i+1)
			if id < 0 && r.Call != nil && *r.Call > 0 {
				p.numbered(id, *r.Call)
			}
			break
		}
	}
}

// numbered moves a call that was begun here to the shop's number for it.
func (p *Phone) numbered(from, to int64) {
	h := p.calls[from]
	delete(p.calls, from)
	p.numbers[from], p.calls[to] = to, h
	for i := range h.waiting {
		h.waiting[i].Call = to
	}
	h.base.ID, h.now.ID, h.packed.ID = to, to, to
	// Until the shop's own record comes it is the one from here, and is asked for.
	h.base.Version = 0
}

// again settles every call on which something waits: the shop may have taken some of it off.
func (p *Phone) again() {
	p.mu.Lock()
	var all []*held
	for _, h := range p.calls {
		if h.now.Version != h.base.Version || len(h.waiting) > 0 {
			all = append(all, h)
		}
	}
	p.mu.Unlock()
	for _, h := range all {
		p.settle(h)
	}
}

// Restore puts back what waited when the phone was put away.
func (p *Phone) Restore(waiting []kept.Waiting) {
	p.mu.Lock()
	for _, w := range waiting {
		if to := p.numbers[w.Call]; to != 0 {
			w.Call = to
		}
		if w.Call < 0 && p.calls[w.Call] == nil {
			p.calls[w.Call] = p.newHeld(w)
		}
		if h := p.calls[w.Call]; h != nil && !h.waits(w.ID) {
			h.waiting = append(h.waiting, w)
		}
		p.n = max(p.n, w.N)
	}
	p.mu.Unlock()
	p.again()
}

// waits reports whether a command does already.
func (h *held) waits(id string) bool {
	return slices.ContainsFunc(h.waiting, func(w kept.Waiting) bool { return w.ID == id })
}

// Calls are those on the phone, the newest first: those begun here before all others.
func (p *Phone) Calls() []int64 {
	p.mu.Lock()
	defer p.mu.Unlock()
	all := map[int64]bool{}
	for id := range p.calls {
		all[id] = true
	}
	for id := range p.heads {
		all[id] = true
	}
	return slices.SortedFunc(maps.Keys(all), func(a, b int64) int {
		if a < 0 != (b < 0) {
			return cmp.Compare(a, b)
		}
		return cmp.Compare(max(b, -b), max(a, -a))
	})
}

// Numbers are what the shop calls the calls that were begun here: a page that was open on one
// goes on.
func (p *Phone) Numbers() map[int64]int64 {
	p.mu.Lock()
	defer p.mu.Unlock()
	return maps.Clone(p.numbers)
}

// Renumber takes them up again after the phone was put away.
func (p *Phone) Renumber(numbers map[int64]int64) {
	p.mu.Lock()
	defer p.mu.Unlock()
	maps.Copy(p.numbers, numbers)
}

// Decisions are what everybody at the shop is asked to decide, as of the last contact.
func (p *Phone) Decisions() []api.Decision {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.decisions
}

// Drop takes a call off the phone, unless something of it waits.
func (p *Phone) Drop(id int64) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if h := p.calls[id]; h == nil || len(h.waiting) == 0 {
		delete(p.calls, id)
		delete(p.heads, id)
	}
}
