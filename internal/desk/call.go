package desk

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"runtime/debug"
	"slices"
	"strings"
	"time"

	corecall "elvat/core/call"
	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/sitebook"
	"elvat/core/supply"
	"elvat/internal/api"
	"elvat/internal/kept"
)

// Call is the call as it is now.
func (d *Desk) Call(ctx context.Context, id int64) (api.Call, error) {
	var now api.Call
	err := d.Book.Snapshot(ctx, func(ctx context.Context) error {
		at, err := d.Book.Load(ctx, id)
		if err == nil {
			now, err = d.CallAt(ctx, at)
		}
		return err
	})
	return now, err
}

// CallAt is the call with what stands beside it: what is known from before, what
// can be taken back, and what to take along.
func (d *Desk) CallAt(ctx context.Context, at *kept.Snapshot) (api.Call, error) {
	v, err := d.See(ctx, at)
	if err != nil {
		return api.Call{}, err
	}
	if !v.Facts.HandedOver && v.Record.Drill == nil {
		if err := d.engines.prepare(v.question()); err != nil {
			return api.Call{}, err
		}
	}
	now := v.Shown()
	past, err := d.Past(ctx, v.Call.Run, v.Call.ID)
	if err != nil {
		return now, err
	}
	now.Past = sitebook.Last(v.Circuit, past)
	now.Answers = []api.Answered{}
	for i := range v.Record.Answers {
		now.Answers = append(
			now.Answers,
			api.Answered{At: v.Record.AnsweredAt[i], Words: v.Record.Answers[i].Words(v.Record.LabelOf, nil)},
		)
	}
	now.Conflicts = conflicts(v.Record)
	by := CallerOf(ctx)
	last, back := v.Record.Undoable(by.Device, by.Person)
	if v.Record.Drill == nil {
		now.Undo, now.Redo = done(last), done(back)
	}
	for kind, until := range map[kept.LinkKind]**time.Time{kept.BeforeVisit: &now.VisitUntil, kept.OfResult: &now.ResultUntil} {
		link, err := d.Book.VisitOf(ctx, v.Call.ID, kind, d.Now())
		if err == nil {
			*until = &link.ExpiresAt
		} else if !errors.Is(err, kept.ErrNotFound) {
			return now, err
		}
	}
	return now, d.supplies(ctx, v, &now)
}

// conflicts are those of the call that wait to be settled, in words.
func conflicts(r *corecall.Record) []api.DataConflict {
	all := []api.DataConflict{}
	for _, k := range r.Conflicts {
		if k.SettledAt == nil {
			all = append(
				all,
				api.DataConflict{
					Id:        k.ID,
					At:        k.At,
					Words:     k.Words(r.Circuit),
					Theirs:    said(k.Theirs),
					Mine:      said(k.Mine),
					TheirName: k.TheirName,
					MyName:    k.MyName,
				},
			)
		}
	}
	return all
}

// said is a value as people write it.
func said(value []byte) string {
	var text string
	if value == nil {
		return "taken away"
	}
	if json.Unmarshal(value, &text) == nil {
		return text
	}
	return string(value)
}

// done is an action as it is offered to be taken back.
func done(a *corecall.Action) *api.Done {
	if a == nil {
		return nil
	}
	by := ""
	if a.Person != "" || a.Device != "" {
		by = a.Name()
	}
	return &api.Done{Id: a.Command, What: a.What, At: a.At, By: by}
}

// supplies are what to take along on the call, and what it used up.
func (d *Desk) supplies(ctx context.Context, v *State, now *api.Call) error {
	found, err := d.Book.Stock(ctx)
	if err != nil {
		return err
	}
	used, err := d.Book.Used(ctx, v.Call.ID)
	if err != nil {
		return err
	}
	now.Used = Haves(used)
	now.Picks, now.Vans = v.Record.Picks(v.View, Stocked(found))
	return nil
}

// Stocked is what vans have, as supply reckons with it.
func Stocked(had []kept.Have) []supply.Stocked {
	all := make([]supply.Stocked, len(had))
	for i, h := range had {
		all[i] = supply.Stocked{Van: h.Van, Item: h.Item, Count: h.Count}
	}
	return all
}

// Haves are what vans have, as the contract says it.
func Haves(had []kept.Have) []api.Have {
	all := make([]api.Have, len(had))
	for i, h := range had {
		all[i] = api.Have{Van: h.Van, Item: h.Item, Unit: h.Unit, Count: h.Count}
	}
	return all
}

// Build tells binaries apart: answers of another one are worked out anew.
var Build = func() string {
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return ""
	}
	for _, setting := range info.Settings {
		if setting.Key == "vcs.revision" {
			return setting.Value
		}
	}
	return info.Main.Version
}()

// diagnose weighs the readings, or looks up what came of them. The answer kept of a
// call that was handed over stands as it was, whatever the program has learned since.
func (d *Desk) diagnose(ctx context.Context, v *State) (err error) {
	if v.Record.Silent() { // whoever learns asks for advice, or does without
		v.Result = diagnosis.NotYet()
		return nil
	}
	q := v.question()
	if v.Asked, err = q.content(); err != nil {
		return err
	}
	if v.Result = d.engines.answered(v.Asked); v.Result != nil {
		return nil
	}
	found, err := d.Book.Answer(ctx, v.Call.ID)
	if err != nil && !errors.Is(err, kept.ErrNotFound) {
		return err
	}
	if err == nil && !v.Call.Stale && (found.HandedOver || found.Build == Build && found.Question == v.Asked) {
		v.Result = &diagnosis.Result{}
		if err := json.Unmarshal(found.Result, v.Result); err != nil {
			return fmt.Errorf("stored diagnosis: %w", err)
		}
		d.engines.remember(v.Asked, v.Result)
		return nil
	}
	switch ctx.Value(laterKey{}) {
	case nothingYet:
		v.Result, v.Pending = diagnosis.NotYet(), true
		return nil
	case suspectsYet:
		var whole bool
		v.Result, whole, err = d.engines.suspects(q, v.Asked)
		v.Pending = !whole
		return err
	}
	v.Result, err = d.engines.diagnose(q, v.Asked)
	return err
}

// laterKey marks a request that is answered before all of the diagnosis is worked out, where
// that is not at hand: it is worked out meanwhile, for who asks next.
type laterKey struct{}

// What is told at once.
type later int

const (
	nothingYet  later = iota + 1
	suspectsYet       // who is suspect is told at once, what to do later
)

// Later marks the context of who waits for nothing of the diagnosis.
func Later(ctx context.Context) context.Context {
	return context.WithValue(ctx, laterKey{}, nothingYet)
}

// IsLater reports whether the context is marked so.
func IsLater(ctx context.Context) bool { return ctx.Value(laterKey{}) == nothingYet }

// Staged marks the context of who wants to see the suspects before the next move: the answer
// is pending, and asked for once more it is whole.
func Staged(ctx context.Context) context.Context {
	return context.WithValue(ctx, laterKey{}, suspectsYet)
}

// MostPast bounds how many earlier calls of a run are looked through. Assumption.
const MostPast = 40

// Past reads the calls about a run in their order, the given one and later ones
// left out where before is not zero.
func (d *Desk) Past(ctx context.Context, run, before int64) ([]sitebook.Call, error) {
	found, err := d.Book.CallsOfRun(ctx, run, before, MostPast)
	if err != nil {
		return nil, err
	}
	slices.Reverse(found)
	all := make([]sitebook.Call, 0, len(found))
	for _, id := range found {
		at, err := d.Book.LoadPast(ctx, id)
		if err != nil {
			return nil, err
		}
		c, err := PastOf(at)
		if err != nil {
			return nil, fmt.Errorf("call %d: %w", id, err)
		}
		all = append(all, c)
	}
	return all, nil
}

// PastOf is the call as the history of its run has it.
func PastOf(at *kept.Snapshot) (sitebook.Call, error) {
	past, err := at.Record.Past()
	past.ID, past.Title, past.At = at.ID, at.Title, at.CreatedAt
	return past, err
}

// StartFrom has a new call start from what the last one left of its run: the map, and what
// stays true of the place.
func StartFrom(begin *corecall.Begin, last *kept.Snapshot, now time.Time) error {
	past, err := PastOf(last)
	if err != nil {
		return err
	}
	left, carried := sitebook.Carry(last.Record.Circuit, last.Record.Conditions, past, now)
	begin.Conditions, begin.Order = &carried, last.Record.Order
	begin.Circuit, err = left.Encode()
	return err
}

// BeginOf is the call that a request asks for.
func BeginOf(b api.NewCall) (corecall.Begin, error) {
	begin := corecall.Begin{Title: strings.TrimSpace(b.Title), Complaint: strings.TrimSpace(b.Complaint), Appointment: b.Appointment}
	if b.Circuit == nil {
		return begin, nil
	}
	c, err := circuit.Parse([]byte(*b.Circuit))
	if err != nil {
		return begin, bad(err)
	}
	begin.Circuit, begin.Title = []byte(*b.Circuit), cmp.Or(begin.Title, c.Name)
	return begin, nil
}

// FillBegin gives a new call what it needs and nobody said.
func FillBegin(b *corecall.Begin) (err error) {
	if b.Title == "" {
		return bad(errors.New("title: a call needs a name, such as the room or the customer"))
	}
	if b.Circuit == nil {
		b.Circuit, err = circuit.Unseen(b.Title).Encode()
	}
	return err
}
