package trial

import (
	"fmt"
	"io"
	"maps"
	"slices"
	"sync"
)

// A Report sums cases up.
type Report struct {
	Title                  string
	Cases, Solved          int
	Minutes, Walk, Bound   float64
	Sessions, WalkSessions float64
	Spent                  Spent
	Readings, Repeated     int
	Boxes, WalkBoxes       int
	FirstRight, FirstNear  int
	LiveYokes, Unlisted    int
	Deciles                [10]Decile
	Kinds                  map[string]*Kind
	// Forecasts were made at every stage of the cases, Within of them held.
	Forecasts, Within int
}

// A Kind sums up the cases of one kind of fault.
type Kind struct {
	Cases, FirstRight, FirstNear int
	Minutes, Walk                float64
	Calls, Right                 int
	Said                         float64
}

// A Decile is how often calls of about one probability were right.
type Decile struct {
	Calls, Right int
	Said         float64 // sum of the probabilities
}

// Add adds a case.
func (r *Report) Add(o Outcome) {
	r.Cases++
	r.Minutes, r.Walk, r.Bound = r.Minutes+o.Minutes, r.Walk+o.Walk, r.Bound+o.Bound
	r.Sessions, r.WalkSessions = r.Sessions+o.Sessions, r.WalkSessions+o.WalkSessions
	r.LiveYokes, r.Unlisted = r.LiveYokes+o.LiveYokes, r.Unlisted+o.Unlisted
	r.Boxes, r.WalkBoxes = r.Boxes+o.Boxes, r.WalkBoxes+o.WalkBoxes
	r.Readings, r.Repeated = r.Readings+o.Readings, r.Repeated+o.Repeated
	r.Spent.add(o.Spent)
	if r.Kinds == nil {
		r.Kinds = map[string]*Kind{}
	}
	k := r.Kinds[o.Kind]
	if k == nil {
		k = &Kind{}
		r.Kinds[o.Kind] = k
	}
	k.Cases++
	k.Minutes, k.Walk = k.Minutes+o.Minutes, k.Walk+o.Walk
	if o.Solved {
		r.Solved++
	}
	if o.FirstRight {
		r.FirstRight++
		k.FirstRight++
	}
	if o.FirstNear {
		r.FirstNear++
		k.FirstNear++
	}
	for _, stage := range o.Stages {
		m, took := stage.Told.Diagnosis(), o.Minutes-stage.Spent
		r.Forecasts++
		if took >= m.Least && took <= m.Most {
			r.Within++
		}
	}
	for _, c := range o.Calls {
		d := &r.Deciles[min(9, int(c.Probability*10))]
		d.Calls++
		d.Said += c.Probability
		k.Calls++
		k.Said += c.Probability
		if c.Right {
			d.Right++
			k.Right++
		}
	}
}

func (s *Spent) add(o Spent) {
	s.Readings, s.Walking, s.Acts = s.Readings+o.Readings, s.Walking+o.Walking, s.Acts+o.Acts
	s.Right, s.OtherEnd, s.Elsewhere = s.Right+o.Right, s.OtherEnd+o.OtherEnd, s.Elsewhere+o.Elsewhere
	s.CalledBack += o.CalledBack
}

// Run draws and solves the cases of a seed, on as many workers as told;
// progress is called after each, from one goroutine at a time. The report does
// not depend on the number of workers.
func Run(cases int, seed uint64, workers int, progress func(done int)) (*Report, error) {
	title := fmt.Sprintf("%d cases, %.0f %% of them with two faults", cases, 100*shareOfTwo)
	return run(title, cases, workers, progress, func(i int) (Outcome, error) {
		each := seedOf(seed, i)
		k, err := Draw(each)
		if err != nil {
			return Outcome{}, err
		}
		return k.Solve(each)
	})
}

// RunRough is Run on cases of which not everything is known.
func RunRough(cases int, seed uint64, workers int, source Source, progress func(done int)) (*Report, error) {
	title := fmt.Sprintf("%d rough cases: belief and truth differ", cases)
	return run(title, cases, workers, progress, func(i int) (Outcome, error) {
		each := seedOf(seed, i)
		k, err := DrawRough(each)
		if err != nil {
			return Outcome{}, err
		}
		if i%roughOutside != 0 || source == nil {
			return k.Solve(each, Simulated)
		}
		return k.Solve(each, source)
	})
}

// RunFiles plays the cases of a folder.
func RunFiles(files []File, workers int, progress func(done int)) (*Report, error) {
	return run(
		fmt.Sprintf("%d cases from files", len(files)),
		len(files),
		workers,
		progress,
		func(i int) (Outcome, error) { return files[i].Play() },
	)
}

func run(
	title string,
	cases, workers int,
	progress func(done int),
	solve func(i int) (Outcome, error),
) (*Report, error) {
	outcomes := make([]Outcome, cases)
	errs := make([]error, cases)
	var mu sync.Mutex
	done := 0
	jobs := make(chan int)
	var all sync.WaitGroup
	for range max(1, workers) {
		all.Go(func() {
			for i := range jobs {
				outcomes[i], errs[i] = solve(i)
				mu.Lock()
				done++
				progress(done)
				mu.Unlock()
			}
		})
	}
	for i := range cases {
		jobs <- i
	}
	close(jobs)
	all.Wait()
	r := &Report{Title: title}
	for i := range outcomes {
		if errs[i] != nil {
			return nil, fmt.Errorf("case %d: %w", i, errs[i])
		}
		r.Add(outcomes[i])
	}
	return r, nil
}

// seedOf is the seed of one case: the cases of two seeds have nothing in common.
func seedOf(seed uint64, i int) uint64 { return seed<<32 + uint64(i) }

// leastKind is how many cases a kind must have to be printed.
const leastKind = 30

// Write prints the report.
func (r *Report) Write(w io.Writer) {
	n := float64(max(1, r.Cases))
	fmt.Fprintf(w, "%s\n\n", r.Title)
	fmt.Fprintf(w, "%-34s %8s %8s %8s\n", "a case", "followed", "walked", "bound")
	fmt.Fprintf(w, "%-34s %8.1f %8.1f %8.1f\n", "minutes", r.Minutes/n, r.Walk/n, r.Bound/n)
	fmt.Fprintf(w, "%-34s %8.3f %8.2f %8.2f\n", "of the walk's minutes", r.Minutes/r.Walk, 1.0, r.Bound/r.Walk)
	fmt.Fprintf(w, "%-34s %8.3f %8.2f\n", "the same, sharing dead sessions", r.Sessions/r.WalkSessions, 1.0)
	fmt.Fprintf(w, "%-34s %8.2f %8.2f\n\n", "boxes opened", float64(r.Boxes)/n, float64(r.WalkBoxes)/n)
	fmt.Fprintf(
		w,
		"minutes a case: right boxes %.1f, other end of the cable %.1f, wrong elsewhere %.1f, readings %.1f, walking %.1f, acts %.1f, called back %.1f\n\n",
		r.Spent.Right/n,
		r.Spent.OtherEnd/n,
		r.Spent.Elsewhere/n,
		r.Spent.Readings/n,
		r.Spent.Walking/n,
		r.Spent.Acts/n,
		r.Spent.CalledBack/n,
	)
	fmt.Fprintf(w, "solved                                     %5.1f %%\n", 100*float64(r.Solved)/n)
	fmt.Fprintf(w, "first box opened was a faulty one          %5.1f %%\n", 100*float64(r.FirstRight)/n)
	fmt.Fprintf(w, "or the other end of the faulty cable       %5.1f %%\n", 100*float64(r.FirstNear)/n)
	fmt.Fprintf(w, "readings taken %d, of those repeated without doubt %d\n\n", r.Readings, r.Repeated)
	fmt.Fprintf(w, "minutes forecast %d times, within what was said to hold 80 %%: %.0f %%\n", r.Forecasts, 100*float64(r.Within)/float64(max(1, r.Forecasts)))
	fmt.Fprintf(w, "devices with live metal %d, of those never listed %d\n\n", r.LiveYokes, r.Unlisted)
	fmt.Fprintf(w, "%-14s %6s %8s %8s\n", "called", "boxes", "said", "true")
	for i, d := range r.Deciles {
		if d.Calls == 0 {
			continue
		}
		fmt.Fprintf(
			w,
			"%3d to %3d %%   %6d %6.0f %% %6.0f %%\n",
			10*i,
			10*(i+1),
			d.Calls,
			100*d.Said/float64(d.Calls),
			100*float64(d.Right)/float64(d.Calls),
		)
	}
	fmt.Fprintf(w, "\n%-28s %6s %9s %7s %8s %6s %6s\n", "kind", "cases", "of walk", "right", "or near", "said", "true")
	for _, name := range slices.Sorted(maps.Keys(r.Kinds)) {
		k := r.Kinds[name]
		if k.Cases < min(leastKind, r.Cases/10) {
			continue
		}
		c, calls := float64(k.Cases), float64(max(1, k.Calls))
		fmt.Fprintf(
			w,
			"%-28s %6d %9.2f %5.0f %% %6.0f %% %4.0f %% %4.0f %%\n",
			name,
			k.Cases,
			k.Minutes/k.Walk,
			100*float64(k.FirstRight)/c,
			100*float64(k.FirstNear)/c,
			100*k.Said/calls,
			100*float64(k.Right)/calls,
		)
	}
}
