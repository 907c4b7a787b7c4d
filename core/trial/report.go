package trial

import (
	"fmt"
	"io"
	"sync"
)

// A Report sums cases up.
type Report struct {
	Cases                 int
	Minutes, Walk, Bound  float64
	Boxes, WalkBoxes      int
	FirstRight, FirstNear int
	LiveYokes, Unlisted   int
	Deciles               [10]Decile
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
	r.LiveYokes, r.Unlisted = r.LiveYokes+o.LiveYokes, r.Unlisted+o.Unlisted
	r.Boxes, r.WalkBoxes = r.Boxes+o.Boxes, r.WalkBoxes+o.WalkBoxes
	if o.FirstRight {
		r.FirstRight++
	}
	if o.FirstNear {
		r.FirstNear++
	}
	for _, c := range o.Calls {
		d := &r.Deciles[min(9, int(c.Probability*10))]
		d.Calls++
		d.Said += c.Probability
		if c.Right {
			d.Right++
		}
	}
}

// Run draws and solves the cases of a seed, on as many workers as told;
// progress is called after each, from one goroutine at a time. The report does
// not depend on the number of workers.
func Run(cases int, seed uint64, workers int, progress func(done int)) (*Report, error) {
	outcomes := make([]Outcome, cases)
	errs := make([]error, cases)
	var mu sync.Mutex
	done := 0
	jobs := make(chan int)
	var all sync.WaitGroup
	for range max(1, workers) {
		all.Go(func() {
			for i := range jobs {
				each := seedOf(seed, i)
				k, err := Draw(each)
				if err == nil {
					outcomes[i], err = k.Solve(each)
				}
				errs[i] = err
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
	r := &Report{}
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

// Write prints the report.
func (r *Report) Write(w io.Writer) {
	n := float64(max(1, r.Cases))
	fmt.Fprintf(w, "%d cases, %.0f %% of them with two faults\n\n", r.Cases, 100*shareOfTwo)
	fmt.Fprintf(w, "%-34s %8s %8s %8s\n", "a case", "followed", "walked", "bound")
	fmt.Fprintf(w, "%-34s %8.1f %8.1f %8.1f\n", "minutes", r.Minutes/n, r.Walk/n, r.Bound/n)
	fmt.Fprintf(w, "%-34s %8.2f %8.2f %8.2f\n", "of the walk's minutes", r.Minutes/r.Walk, 1.0, r.Bound/r.Walk)
	fmt.Fprintf(w, "%-34s %8.2f %8.2f\n\n", "boxes opened", float64(r.Boxes)/n, float64(r.WalkBoxes)/n)
	fmt.Fprintf(w, "first box opened was a faulty one          %5.1f %%\n", 100*float64(r.FirstRight)/n)
	fmt.Fprintf(w, "or the other end of the faulty cable       %5.1f %%\n\n", 100*float64(r.FirstNear)/n)
	fmt.Fprintf(w, "devices with live metal %d, of those never listed %d\n\n", r.LiveYokes, r.Unlisted)
	fmt.Fprintf(w, "%-14s %6s %8s %8s\n", "called", "boxes", "said", "true")
	for i, d := range r.Deciles {
		if d.Calls == 0 {
			continue
		}
		fmt.Fprintf(w, "%3d to %3d %%   %6d %6.0f %% %6.0f %%\n", 10*i, 10*(i+1), d.Calls, 100*d.Said/float64(d.Calls), 100*float64(d.Right)/float64(d.Calls))
	}
}
