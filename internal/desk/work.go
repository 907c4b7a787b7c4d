package desk

import (
	"context"
	"slices"

	corecall "elvat/core/call"
	"elvat/core/circuit"
	"elvat/core/job"
	"elvat/internal/api"
	"elvat/internal/kept"
)

// Work is the work on a call.
func (d *Desk) Work(ctx context.Context, id int64) (api.Work, error) {
	at, err := d.Book.Load(ctx, id)
	if err != nil {
		return api.Work{}, err
	}
	return d.WorkAt(ctx, at)
}

// WorkAt is the work as of the snapshot.
func (d *Desk) WorkAt(ctx context.Context, at *kept.Snapshot) (api.Work, error) {
	v, err := d.See(ctx, at)
	if err != nil {
		return api.Work{}, err
	}
	r := v.Record
	shop, err := d.House(ctx)
	if err != nil {
		return api.Work{}, err
	}
	open, err := r.Open(shop)
	if err != nil {
		return api.Work{}, err
	}
	w := api.Work{
		Journal: []api.JournalLine{}, Gates: v.Gates, Checks: append([]job.Check{}, v.Checks...), HandOver: r.Journal.HandOver(v.Checks, open, len(r.Standing())),
		Directory: r.PanelDirectory(), Search: r.Search(), Pictures: []api.Picture{}, Tracer: d.Tracer, Stays: []string{}, Version: r.Version,
	}
	for i, e := range r.Journal {
		w.Journal = append(w.Journal, api.JournalLine{Id: r.EntryIDs[i], Entry: e, Words: e.Words(v.Circuit.LabelOf)})
		if e.Kind == job.HandedOver && !e.Withdrawn {
			w.HandedOver = &e.At
		}
	}
	slices.Reverse(w.Journal)
	labels, err := d.Labels(ctx, v, nil)
	if err != nil {
		return w, err
	}
	w.Labels = make([]struct {
		Device string `json:"device"`
		Label  string `json:"label"`
		Path   string `json:"path"`
	}, 0)
	for _, l := range labels {
		if l.Code != "" {
			w.Labels = append(w.Labels, struct {
				Device string `json:"device"`
				Label  string `json:"label"`
				Path   string `json:"path"`
			}{l.Device, l.At, l.Code})
		}
	}
	for _, stay := range v.Stays {
		w.Stays = append(w.Stays, stay.Device)
	}
	for _, p := range r.Pictures {
		if !p.Withdrawn {
			w.Pictures = append(w.Pictures, api.Picture{Id: p.ID, Box: p.Box, Phase: p.Phase, TakenAt: p.At})
		}
	}
	return w, nil
}

// Source gathers what a report is made from.
func (d *Desk) Source(ctx context.Context, v *State) (*job.Source, error) {
	if v.Record.Drill != nil {
		return nil, errNoPapers
	}
	past, err := d.Past(ctx, v.Call.Run, v.Call.ID)
	if err != nil {
		return nil, err
	}
	shop, err := d.House(ctx)
	if err != nil {
		return nil, err
	}
	src, err := v.Record.Source(v.View, v.Call.CreatedAt, past, shop)
	if err == nil {
		src.Shop = d.Shop
	}
	return src, err
}

// Report is what the report of a call says.
func (d *Desk) Report(ctx context.Context, call int64) (job.Report, error) {
	v, err := d.Load(ctx, call)
	if err != nil {
		return job.Report{}, err
	}
	src, err := d.Source(ctx, v)
	if err != nil {
		return job.Report{}, err
	}
	return src.Report(), nil
}

// Caption says of what a picture is.
func (v *State) Caption(p corecall.Picture) string {
	caption := p.Phase
	if p.Phase == corecall.Pulled {
		caption = "The pulled device"
	}
	if p.Box != "" {
		caption += ", " + v.Circuit.LabelOf(p.Box)
	}
	return caption
}

// Labels are those for the outlets, each GFCI's with the path that opens its page.
func (d *Desk) Labels(ctx context.Context, v *State, markings []string) ([]job.Label, error) {
	all := job.Labels(v.Circuit, markings)
	if d.Code == nil {
		return all, nil
	}
	for i := range all {
		if all[i].Kind == circuit.GFCI {
			code, err := d.Code(ctx, v.Call.Run, all[i].Device)
			if err != nil {
				return nil, err
			}
			all[i].Code = "/gfci/" + code
		}
	}
	return all, nil
}
