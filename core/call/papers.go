package call

import (
	"slices"
	"time"

	"elvat/core/job"
	"elvat/core/practice"
	"elvat/core/sitebook"
	"elvat/core/supply"
)

// Source is what the report and the other papers of the call are made from. came is
// when the call came in, past are the earlier calls about the run in their order.
// Whose shop it is, is the caller's to add.
func (r *Record) Source(v *View, came time.Time, past []sitebook.Call, shop practice.Shop) (*job.Source, error) {
	src := &job.Source{
		Title: r.Title, Complaint: r.Complaint, CreatedAt: came, Circuit: r.Circuit, Journal: r.Journal, Checks: v.Checks, Leading: v.Leading(), Hazards: r.Hazards(),
	}
	for _, l := range v.Lines {
		if !l.Withdrawn {
			src.Readings = append(src.Readings, sitebook.Taken{At: l.At, Reading: l.Reading, AsFound: v.AsFound(l.At)})
		}
	}
	own, err := r.Past()
	if err != nil {
		return nil, err
	}
	own.ID, own.Title, own.At = r.ID, r.Title, came
	if src.Guards, err = sitebook.Register(r.Circuit, append(slices.Clip(past), own), came); err != nil {
		return nil, err
	}
	for i := range r.Boxes {
		id := r.Boxes[i].ID
		if r.Circuit.Box(id) == nil {
			continue // of a stop that was taken off the run
		}
		b, err := r.Planned(id, shop)
		if err != nil {
			return nil, err
		}
		src.Boxes = append(src.Boxes, job.MadeBox{Box: id, Label: r.Circuit.LabelOf(id), Plan: b.Plan, Made: b.MadeAt != nil, Done: b.Done})
	}
	return src, nil
}

// Words are all that the call can be found by, but for the names of its house.
func (r *Record) Words() []string {
	lines := []string{r.Complaint}
	for i := range r.Journal {
		lines = append(lines, r.Journal[i].Words(r.Circuit.LabelOf))
	}
	for i := range r.Answers {
		lines = append(lines, r.Answers[i].Words(r.LabelOf, nil))
	}
	return lines
}

// Picks are what to take along and from which van; none once the call is handed over.
// The vans are all that carry anything, that one first.
func (r *Record) Picks(v *View, stock []supply.Stocked) (picks []supply.Pick, vans []string) {
	needs := []supply.Need{}
	if !v.Facts.HandedOver {
		needs = supply.List(r.Circuit, v.Result, r.Place())
	}
	vans = supply.Vans(stock)
	van := supply.VanFor(supply.Materials(needs), stock, r.Vans())
	if i := slices.Index(vans, van); i > 0 {
		vans = append([]string{van}, slices.Delete(vans, i, i+1)...)
	}
	have := map[string]float64{}
	for _, s := range stock {
		if s.Van == vans[0] {
			have[s.Item] += s.Count
		}
	}
	return supply.Against(needs, have), vans
}
