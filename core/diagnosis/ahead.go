package diagnosis

import (
	"cmp"
	"slices"

	"elvat/core/circuit"
)

// What to do next is what is expected to cost the fewest minutes in the end,
// looking two tests ahead: after the second, boxes are taken to be opened in
// the order of suspicion. Minutes of opening a faulty box count nothing, since
// it has to be opened whatever is done before.
const (
	// callback is what it costs to leave while something is still wrong, in
	// minutes: the way back, and starting anew. Assumption.
	callback = 45
	// disturbs is what opening a sound box costs on top, in minutes: pulling a
	// device can let go a push-in, so its neighbours are read again. Assumption.
	disturbs = 6
	// widely is how many tests are looked at as a second one.
	widely = 16
	// likelyCause is the probability from which a cause is looked ahead for.
	likelyCause = 1e-3
	// rarely is the share below which things that can be seen are taken as one.
	rarely = 0.01
)

// A planner works out the minutes that are expected to be spent: the expected cost to
// go, by looking two tests ahead and then opening boxes in the order of minutes for
// probability (decision-theoretic troubleshooting: Heckerman, Breese and Rommelse,
// Communications of the ACM 38, 1995; from memory).
type planner struct {
	sites  []string  // where something is put right: boxes, the panel, acts
	cost   []float64 // of each
	boxes  []bool    // whether it is opened dead
	dead   float64   // what the first box opened costs on top
	causes [][]int   // where each is found; none where nothing is wrong
	tests  []forecast
	second []int // the tests looked at as a second one

	// Scratch of opening, which is asked some thousand times.
	suspicion, found []float64
	order, rank      []int
}

// A forecast is what a test shows of each cause.
type forecast struct {
	minutes float64     // once there
	box     string      // where it is taken
	chance  [][]float64 // by what is seen, then by cause
}

// lookAhead fills in the minutes expected of each test.
func (w *weighed) lookAhead(tests []Test, causes []cause) {
	p := &planner{}
	if w.e.settings.Sessions && !w.line.sessions {
		p.dead = w.e.settings.Minutes.Dead
	}
	var belief []float64
	kept := []int{}
	for i, c := range causes {
		if c.p < likelyCause {
			continue
		}
		var at []int
		for _, remedy := range c.remedies {
			at = append(at, p.site(w, remedy))
		}
		p.causes, belief, kept = append(p.causes, at), append(belief, c.p), append(kept, i)
	}
	if len(kept) == 0 {
		return
	}
	here := w.standsAt()
	for i := range tests {
		t := &tests[i]
		f := forecast{}
		if t.seen != nil {
			f.minutes, f.box = w.minutesOf(t), w.boxOf(t.At)
			if t.Do == DoMap || t.Do == DoAsk || t.Do == DoAct {
				f.minutes, f.box = t.Minutes, w.standsAt() // the way there is in it
			}
			f.chance = chances(t.seen, causes, kept)
		}
		p.tests = append(p.tests, f)
	}
	walk := w.e.settings.Minutes.Walk
	order := []int{}
	p.each(len(tests), func(q *planner, i int) {
		if tests[i].seen != nil {
			tests[i].Ahead = q.after(i, belief, here, walk, func(b []float64, _ string) float64 { return q.opening(b) })
		}
	})
	for i := range tests {
		if tests[i].seen != nil {
			order = append(order, i)
		}
		if tests[i].remedy != "" {
			p.site(w, tests[i].remedy) // so that all workers know it
		}
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(tests[a].Ahead, tests[b].Ahead) })
	p.second = order[:min(len(order), widely)]
	p.each(len(tests), func(q *planner, i int) {
		then := func(b []float64, at string) float64 { return q.best(b, at, walk) }
		t := &tests[i]
		switch {
		case t.seen != nil && slices.Contains(q.second, i):
			t.Ahead = q.after(i, belief, here, walk, then)
		case t.remedy != "":
			t.Ahead = q.open(slices.Index(q.sites, t.remedy), belief, then)
		}
		t.Ahead = rounded(t.Ahead)
	})
}

// each calls do with every number below n, each worker with a planner of its
// own to scribble on.
func (p *planner) each(n int, do func(q *planner, i int)) {
	inParallel(n, func() func(i int) {
		q := *p
		q.suspicion, q.found, q.order, q.rank = nil, nil, nil, nil
		return func(i int) { do(&q, i) }
	})
}

// site is the place of the site among those of the planner.
func (p *planner) site(w *weighed, name string) int {
	i := slices.Index(p.sites, name)
	if i >= 0 {
		return i
	}
	minutes := w.e.settings.Minutes
	open := minutes.Open
	if w.e.settings.Sessions {
		open = minutes.Look
	}
	cost, box := open+minutes.Walk+disturbs, true
	switch {
	case name == circuit.Panel:
		cost = open + minutes.ToPanel + disturbs
	case w.e.circuit.Box(name) == nil:
		cost, box = w.actMinutes(name), false
	}
	p.sites, p.cost, p.boxes = append(p.sites, name), append(p.cost, cost), append(p.boxes, box)
	return len(p.sites) - 1
}

// chances turns a joint distribution into that of what is seen given each
// cause; what is seen rarely is taken as one.
func chances(joint [][]float64, causes []cause, kept []int) [][]float64 {
	var out [][]float64
	rare := make([]float64, len(kept))
	anyRare := false
	total := 0.0
	for _, c := range causes {
		total += c.p
	}
	for o := range joint[0] {
		sum := 0.0
		for c := range joint {
			sum += joint[c][o]
		}
		into := rare
		if sum >= rarely*total {
			into = make([]float64, len(kept))
			out = append(out, into)
		} else {
			anyRare = true
		}
		for i, c := range kept {
			into[i] += joint[c][o] / causes[c].p
		}
	}
	if anyRare {
		out = append(out, rare)
	}
	return out
}

// after is what is expected once the test is taken and what then says is done.
func (p *planner) after(
	test int,
	belief []float64,
	at string,
	walk float64,
	then func(b []float64, at string) float64,
) float64 {
	f := &p.tests[test]
	minutes := f.minutes
	if f.box != at {
		minutes += walk
	}
	cost := minutes * sum(belief)
	b := make([]float64, len(belief))
	for _, chance := range f.chance {
		for c := range b {
			b[c] = belief[c] * chance[c]
		}
		cost += then(b, f.box)
	}
	return cost
}

// best is what is expected of the best second step.
func (p *planner) best(belief []float64, at string, walk float64) float64 {
	least := p.opening(belief)
	if least == 0 {
		return 0
	}
	for _, test := range p.second {
		least = min(least, p.after(test, belief, at, walk, func(b []float64, _ string) float64 { return p.opening(b) }))
	}
	return least
}

// open is what is expected once the site is opened: its minutes are spent for
// nothing where nothing is wrong there.
func (p *planner) open(site int, belief []float64, then func(b []float64, at string) float64) float64 {
	b := slices.Clone(belief)
	for c, at := range p.causes {
		if slices.Contains(at, site) {
			b[c] = 0
		}
	}
	cost := p.cost[site] * sum(b)
	if p.boxes[site] {
		cost += p.dead * sum(b)
	}
	return cost + then(b, p.sites[site])
}

// opening is what is expected when sites are opened in the order of suspicion
// until what is wrong is found, or until going home is the smaller loss.
func (p *planner) opening(belief []float64) float64 {
	n := len(p.sites)
	if len(p.order) != n {
		p.suspicion, p.found = make([]float64, n), make([]float64, n)
		p.order, p.rank = make([]int, n), make([]int, n)
	}
	suspicion, found, order, rank := p.suspicion, p.found, p.order, p.rank
	clear(suspicion)
	clear(found)
	left, faulty := 0.0, 0.0
	for c, at := range p.causes {
		left += belief[c]
		if len(at) > 0 {
			faulty += belief[c]
		}
		for _, s := range at {
			suspicion[s] += belief[c]
		}
	}
	for s := range order {
		order[s] = s
	}
	slices.SortFunc(order, func(a, b int) int {
		return cmp.Or(cmp.Compare(suspicion[b]/p.cost[b], suspicion[a]/p.cost[a]), cmp.Compare(a, b))
	})
	for i, s := range order {
		rank[s] = i
	}
	for c, at := range p.causes {
		if len(at) == 0 {
			continue
		}
		first := rank[at[0]]
		for _, s := range at[1:] {
			first = min(first, rank[s])
		}
		found[first] += belief[c] // with the site at this place of the order
	}
	least, spent, dead := callback*faulty, 0.0, p.dead
	for i, s := range order {
		left, faulty = left-found[i], faulty-found[i]
		spent += p.cost[s] * max(left, 0)
		if p.boxes[s] {
			spent += dead * max(left, 0)
			dead = 0
		}
		least = min(least, spent+callback*max(faulty, 0))
	}
	return least
}

func sum(x []float64) float64 {
	total := 0.0
	for _, v := range x {
		total += v
	}
	return total
}

// standsAt is the box where the last reading was taken.
func (w *weighed) standsAt() string {
	return w.line.lastAt
}

func (w *weighed) boxOf(device string) string { return w.e.boxOf(device) }

func (e *Engine) boxOf(device string) string {
	if _, box := e.circuit.Device(device); box != nil {
		return box.ID
	}
	return ""
}
