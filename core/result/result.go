// Package result is what a customer sees after the visit: what was wrong, why it mattered,
// each outlet before and after, what is left, and what they test themselves; and what the
// code on a GFCI's label opens. It says nothing that the report does not.
package result

import (
	"slices"
	"strings"
	"time"

	"elvat/core/circuit"
	"elvat/core/job"
	"elvat/core/tester"
)

// A Result is the customer's page.
type Result struct {
	Shop       string    `json:"shop"`
	Title      string    `json:"title"`
	FinishedAt time.Time `json:"finishedAt"`
	By         string    `json:"by"`
	Standing   string    `json:"standing"`
	Wrong      []string  `json:"wrong"` // what was found, without its evidence
	Why        []string  `json:"why"`   // codes of core/words: why each mattered
	Outlets    []Outlet  `json:"outlets"`
	Left       []string  `json:"left"`  // findings that are open, gates that a person passed
	Tests      []job.Due `json:"tests"` // to do, with the day of the next
	Guards     []Guard   `json:"guards"`
}

// An Outlet is a half before and after the work; After is nil where it was not read again.
type Outlet struct {
	Label  string        `json:"label"`
	Half   circuit.Half  `json:"half"`
	Before *tester.Delta `json:"before,omitempty"`
	After  *tester.Delta `json:"after,omitempty"`
}

// A Guard is a GFCI with what goes dead when it trips, by the names people use.
type Guard struct {
	Device string   `json:"device"` // or "panel": the breaker
	Label  string   `json:"label"`
	Holds  []string `json:"holds"`
}

// Of makes the page from the report of a call.
func Of(r job.Report, c *circuit.Circuit) Result {
	res := Result{
		Shop: r.Shop, Title: r.Title, FinishedAt: r.FinishedAt, By: r.By, Standing: r.Standing,
		Wrong: []string{}, Why: []string{}, Left: []string{}, Tests: append([]job.Due{}, r.Due...), Guards: Guards(c),
	}
	for _, line := range r.Cause {
		if !strings.HasPrefix(line, " ") { // its evidence is the report's
			res.Wrong = append(res.Wrong, line)
		}
	}
	res.compare(r)
	for _, f := range r.OpenFindings {
		res.Left = append(res.Left, f.Text+" "+f.Fix)
	}
	res.Left = append(res.Left, r.Overrides...)
	return res
}

// compare puts each half before and after the work beside each other, those that changed
// first, and says why what was found there mattered.
func (res *Result) compare(r job.Report) {
	res.Outlets = []Outlet{}
	at := func(label string, half circuit.Half) *Outlet {
		i := slices.IndexFunc(res.Outlets, func(o Outlet) bool { return o.Label == label && o.Half == half })
		if i < 0 {
			res.Outlets = append(res.Outlets, Outlet{Label: label, Half: half})
			i = len(res.Outlets) - 1
		}
		return &res.Outlets[i]
	}
	for i := range r.AsFound {
		o := &r.AsFound[i]
		if o.Half == "" {
			continue
		}
		at(o.Label, o.Half).Before = &o.Delta
		if why := whyItMattered(o.Delta); why != "" && !slices.Contains(res.Why, why) {
			res.Why = append(res.Why, why)
		}
	}
	for i := range r.Proven {
		if p := &r.Proven[i]; p.Half != "" && p.Seen != nil {
			at(p.Label, p.Half).After = p.Seen
		}
	}
	slices.SortStableFunc(res.Outlets, func(a, b Outlet) int { return weight(b) - weight(a) })
}

// weight brings to the front what was wrong, then what was read twice.
func weight(o Outlet) int {
	w := 0
	if o.Before != nil && whyItMattered(*o.Before) != "" {
		w += 2
	}
	if o.Before != nil && o.After != nil {
		w++
	}
	return w
}

// whyItMattered is the code of why what was found could hurt or did not work; "" for
// nothing wrong, or too little known of it.
func whyItMattered(d tester.Delta) string {
	if slices.Contains(d.Live, "ground") || slices.Contains(d.Live, "neutral") {
		return "why.live"
	}
	if d.HotNeutral == tester.SideOver {
		return "why.over"
	}
	lit := func(s tester.Side) bool { return s == tester.SideLine || s == tester.SideOver }
	switch {
	case d.HotNeutral == "" || d.HotGround == "":
		return ""
	case lit(d.HotNeutral) && lit(d.HotGround):
		return ""
	case lit(d.HotNeutral) && lit(d.NeutralGround):
		return "why.reversed"
	case lit(d.HotNeutral):
		return "why.openGround"
	case lit(d.HotGround):
		return "why.openNeutral"
	}
	return "why.dead"
}

// Guards are the GFCIs of a run with what each holds, in the order of the run.
func Guards(c *circuit.Circuit) []Guard {
	all := []Guard{}
	w, err := circuit.Wire(c)
	if err != nil {
		return all // a circuit that passed Check can be wired
	}
	feeds := w.Feeds()
	of := func(device, label string) *Guard {
		i := slices.IndexFunc(all, func(g Guard) bool { return g.Device == device })
		if i < 0 {
			all = append(all, Guard{Device: device, Label: label, Holds: []string{}})
			i = len(all) - 1
		}
		return &all[i]
	}
	for _, id := range c.Order() {
		for _, v := range c.Box(id).Devices {
			if v.Kind == circuit.GFCI {
				of(v.ID, c.LabelOf(id))
			}
			for _, name := range feeds.Guards(v.Second(circuit.Hot)) {
				label := c.LabelOf(id)
				g := of(name, "the panel, breaker "+c.Breaker.Label)
				if _, box := c.Device(name); box != nil {
					g.Label = c.LabelOf(box.ID)
				}
				if !slices.Contains(g.Holds, label) {
					g.Holds = append(g.Holds, label)
				}
			}
		}
	}
	return all
}
