package desk

import (
	"context"
	"encoding/json"

	corecall "elvat/core/call"
	"elvat/core/makeup"
	"elvat/core/newrun"
	"elvat/internal/api"
	"elvat/internal/kept"
)

// Kinds are what could hang in a box of the call instead.
func (d *Desk) Kinds(ctx context.Context, call int64, box string) ([]makeup.Choice, error) {
	at, err := d.Book.Load(ctx, call)
	if err != nil {
		return nil, err
	}
	shop, err := d.House(ctx)
	if err != nil {
		return nil, err
	}
	p, err := at.Record.Planned(box, shop)
	if err != nil {
		return nil, err
	}
	all, err := makeup.Choices(p.Makeup, shop, at.Record.Circuit)
	if err != nil {
		// The run was changed since: the kinds are planned in the box by itself.
		all, err = makeup.Choices(p.Makeup, shop, nil)
	}
	return all, err
}

// NewRuns are the new runs that are planned on the call.
func (d *Desk) NewRuns(ctx context.Context, call int64) ([]api.NewRunNow, error) {
	at, err := d.Book.Load(ctx, call)
	if err != nil {
		return nil, err
	}
	all := []api.NewRunNow{}
	for i := range at.Record.NewRuns {
		now, err := d.NewRunAt(ctx, at, at.Record.NewRuns[i].ID)
		if err != nil {
			return nil, err
		}
		all = append(all, now)
	}
	return all, nil
}

// NewRun is one of them.
func (d *Desk) NewRun(ctx context.Context, call int64, id string) (api.NewRunNow, error) {
	at, err := d.Book.Load(ctx, call)
	if err != nil {
		return api.NewRunNow{}, err
	}
	return d.NewRunAt(ctx, at, id)
}

// NewRunAt is a new run with its plan. What cannot be planned says why, and keeps what was ordered.
func (d *Desk) NewRunAt(ctx context.Context, at *kept.Snapshot, id string) (api.NewRunNow, error) {
	n := at.Record.NewRun(id)
	if n == nil {
		return api.NewRunNow{}, corecall.ErrNotFound
	}
	shop, err := d.House(ctx)
	if err != nil {
		return api.NewRunNow{}, err
	}
	now := api.NewRunNow{
		Order: *n.Order, Done: append([]string{}, n.Done...), Accepted: append([]corecall.Accepted{}, n.Accepted...), Open: []string{}, LaidAt: n.LaidAt, Version: at.Record.Version,
	}
	for _, part := range newrun.Parts {
		now.Parts = append(now.Parts, struct {
			Part  string `json:"part"`
			Words string `json:"words"`
		}{string(part), newrun.PartWords[part]})
	}
	plan, err := at.Record.PlanOf(n.Order, shop)
	if err != nil {
		why := err.Error()
		now.Wrong = &why
		now.Gate = n.Gate(&newrun.Plan{})
		now.Gate.Open = false
		return now, nil
	}
	now.Plan, now.Open, now.Gate = plan, n.Open(plan), n.Gate(plan)
	return now, nil
}

// SuggestNewRun is what is known on the call of a new run to a box, or from one.
func (d *Desk) SuggestNewRun(ctx context.Context, call int64, start api.NewRunStart) (newrun.Order, error) {
	at, err := d.Book.Load(ctx, call)
	if err != nil {
		return newrun.Order{}, err
	}
	shop, err := d.House(ctx)
	if err != nil {
		return newrun.Order{}, err
	}
	return *at.Record.Suggest(Or(start.Box, ""), Or(start.From, ""), Or(start.Grounded, false), shop), nil
}

// FillLaid has a new call be about what was laid: the run as it was planned, its boxes made up.
func (d *Desk) FillLaid(ctx context.Context, begin *corecall.Begin, order json.RawMessage) error {
	o, err := newrun.Parse(order)
	if err != nil {
		return bad(err)
	}
	shop, err := d.House(ctx)
	if err != nil {
		return err
	}
	plan, err := newrun.Make(o, shop, nil)
	if err != nil {
		return bad(err)
	}
	if begin.Title == "" {
		begin.Title = plan.Name
	}
	if begin.Circuit, err = plan.Circuit.Encode(); err != nil {
		return err
	}
	for _, m := range plan.Boxes {
		box, err := m.Box.Encode()
		if err != nil {
			return err
		}
		begin.Made = append(begin.Made, box)
	}
	return nil
}
