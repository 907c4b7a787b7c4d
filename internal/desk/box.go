package desk

import (
	"context"
	"slices"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/internal/api"
	"elvat/internal/kept"
)

// Box is one box of a call.
func (d *Desk) Box(ctx context.Context, call int64, id string) (api.OpenedBox, error) {
	at, err := d.Book.Load(ctx, call)
	if err != nil {
		return api.OpenedBox{}, err
	}
	return d.BoxAt(ctx, at, id)
}

// BoxAt is what was recorded of a box, or what the run knows of it, with its plan.
func (d *Desk) BoxAt(ctx context.Context, at *kept.Snapshot, id string) (api.OpenedBox, error) {
	shop, err := d.House(ctx)
	if err != nil {
		return api.OpenedBox{}, err
	}
	r := at.Record
	p, err := r.Planned(id, shop)
	if err != nil {
		return api.OpenedBox{}, err
	}
	now := api.OpenedBox{
		Label: r.Circuit.LabelOf(
			id,
		),
		Recorded: p.Recorded, MadeAt: p.MadeAt, Box: *p.Makeup, Landings: [][2]string{}, Places: p.Makeup.Places(), Plan: *p.Plan,
		Done: append([]string{}, p.Done...), Version: r.Version, Open: []string{}, Accepted: append([]string{}, r.Journal.Accepted(id)...),
		Ticked: r.Ticked(id),
	}
	for _, f := range p.Plan.Open(p.Done) {
		if !slices.Contains(now.Accepted, f.Key) {
			now.Open = append(now.Open, f.Key)
		}
	}
	if found := r.FoundIn(id); found != "" {
		now.Found = &found
	}
	now.Landings = append(now.Landings, p.Makeup.Landings()...)
	if k, ok := r.PulledAt(id); ok {
		now.Photograph = &k.ID
	}
	return now, nil
}

// Cause is what the call says was wrong, with what speaks for it.
func (d *Desk) Cause(v *State) (string, []string) {
	k := v.Cause()
	if len(k.Faults) == 0 { // in words, or none: no reading was weighed for it
		return k.Words, nil
	}
	why, err := d.engines.why(v.question(), k.Faults, k.Beside)
	if err != nil {
		return k.Words, nil // what was found need not be among what is weighed
	}
	return k.Words, diagnosis.Telling(why)
}

// Why holds the readings of a call one by one against a suspect; no faults: nothing is wrong.
func (d *Desk) Why(ctx context.Context, call int64, faults []circuit.Fault, beside *[]diagnosis.Unrecorded) ([]diagnosis.Evidence, error) {
	v, err := d.Load(ctx, call)
	if err != nil {
		return nil, err
	}
	if len(faults) == 0 {
		faults = nil
	}
	evidence, err := d.engines.why(v.question(), faults, Or(beside, nil))
	if err != nil {
		return nil, bad(err)
	}
	return evidence, nil
}
