package call

import (
	"encoding/json"
	"slices"
	"strings"

	"elvat/core/diagnosis"
	"elvat/core/job"
	"elvat/core/makeup"
	"elvat/core/parts"
	"elvat/core/practice"
	"elvat/core/price"
	"elvat/core/supply"
)

// KeepQuote keeps a quote that was worked out for the call. One that was accepted stands until
// another is kept, which has to be accepted anew.
type KeepQuote struct {
	Document json.RawMessage `json:"document"` // elvat-quote/1
}

func (*KeepQuote) what(*Record) string { return "quote" }

func (c *KeepQuote) decide(d *draft) error {
	q, err := price.ParseDocument(c.Document)
	if err != nil {
		return BadInput{err}
	}
	if q.Paper != price.Quote || q.Accepted != nil {
		return bad("document: it is no quote, or it says itself that it is accepted")
	}
	return d.set(Key{Kind: TheQuote}, q)
}

// AcceptQuote keeps that the customer accepted it, by name and signature.
type AcceptQuote struct {
	By        string `json:"by"`
	Signature string `json:"signature,omitempty"` // a path, as on the hand-over
}

func (*AcceptQuote) what(*Record) string { return "quote accepted" }

func (c *AcceptQuote) decide(d *draft) error {
	q := d.r.Quote
	if q == nil {
		return bad("quote: there is none to accept")
	}
	if q.Accepted != nil {
		return nil
	}
	by := strings.TrimSpace(c.By)
	if by == "" {
		return bad("by: who accepts it?")
	}
	if q.Until != nil && d.c.At.After(*q.Until) {
		return bad("quote: it held until %s; a new one is made", q.Until.Format("2006-01-02"))
	}
	if c.Signature != "" {
		if _, err := job.Strokes(c.Signature); err != nil {
			return BadInput{err}
		}
	}
	accepted := *q
	accepted.Accepted = &price.Accepted{By: by, At: d.c.At, Signature: c.Signature}
	return d.set(Key{Kind: TheQuote}, accepted)
}

// costs are what things cost the shop, by what they are called: those of the plans, then those
// of the catalogue.
type costs struct {
	shop  practice.Shop
	known map[string]price.Used
}

func (k *costs) take(all []makeup.Material) {
	for _, m := range all {
		if m.Count > 0 {
			k.known[m.Item] = price.Used{Code: m.Code, Words: m.Item, Unit: m.Unit, Group: m.Group, Cost: m.Price / m.Count}
		}
	}
}

func (k *costs) of(words, unit string, count float64) price.Used {
	u, ok := k.known[words]
	if !ok {
		all := append(slices.Clone(parts.Catalogue()), k.shop.Items...)
		if i := slices.IndexFunc(all, func(item parts.Item) bool { return item.Words == words }); i >= 0 {
			u = price.Used{Code: all[i].Code, Group: all[i].Group, Cost: k.shop.Prices.OfItem(all[i])}
		}
	}
	u.Words, u.Unit, u.Count = words, unit, count
	return u
}

// Charged is what a call comes to: what is planned, what was used, and what would come if this
// or that is wrong.
type Charged struct {
	Planned, Done price.Work
	Cases         []price.Case
}

// mostCases are named on a quote, and leastCase is the probability from which. Assumption.
const (
	mostCases = 4
	leastCase = 0.02
)

// Charged works out what the call comes to. expected are the minutes of what is left.
func (r *Record) Charged(v *View, shop practice.Shop, expected float64) (Charged, error) {
	var c Charged
	k := &costs{shop: shop, known: map[string]price.Used{}}
	c.Planned.CallOut, c.Done.CallOut = true, true
	c.Planned.Minutes, c.Done.Minutes = expected, r.Appointment.Took()
	add := func(all []makeup.Material) {
		k.take(all)
		for _, m := range all {
			if m.UsedUp() {
				c.Planned.Parts = append(c.Planned.Parts, k.of(m.Item, m.Unit, m.Count))
			}
		}
	}
	planned := false
	for i := range r.Boxes {
		if r.Circuit.Box(r.Boxes[i].ID) == nil {
			continue
		}
		p, err := r.Planned(r.Boxes[i].ID, shop)
		if err != nil {
			return c, err
		}
		k.take(p.Plan.Materials)
		if r.Boxes[i].MadeAt == nil && p.Plan.Stopped == "" {
			planned = true
			add(p.Plan.Materials)
		}
	}
	for i := range r.NewRuns {
		p, err := r.PlanOf(r.NewRuns[i].Order, shop)
		if err != nil {
			continue // what cannot be planned has no price yet
		}
		k.take(p.Materials)
		if r.NewRuns[i].LaidAt == nil {
			planned = true
			add(p.Materials)
		}
	}
	for _, u := range r.Used {
		if u.Withdrawn || u.Count <= 0 {
			continue
		}
		used := k.of(u.Item, u.Unit, u.Count)
		c.Done.Parts, c.Planned.Parts = append(c.Done.Parts, used), append(c.Planned.Parts, used)
	}
	if planned || len(r.Used) > 0 || r.found() {
		return c, nil
	}
	for i := range v.Result.Suspects {
		s := &v.Result.Suspects[i]
		if len(c.Cases) == mostCases || s.Probability < leastCase {
			break
		}
		alone := *v.Result
		alone.Suspects = []diagnosis.Suspect{*s}
		alone.Suspects[0].Probability = 1
		one := price.Case{Words: s.Name + ", " + s.Place, Probability: min(s.Probability, mostSure)}
		for _, m := range supply.Materials(supply.List(r.Circuit, &alone, r.Known())) {
			if m.UsedUp() {
				one.Work.Parts = append(one.Work.Parts, k.of(m.Item, m.Unit, m.Count))
			}
		}
		c.Cases = append(c.Cases, one)
	}
	return c, nil
}
