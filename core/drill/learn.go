package drill

import (
	"cmp"
	"math"
	"slices"
	"time"
)

// A Result is what is kept of a drill that is over.
type Result struct {
	At      time.Time      `json:"at"`
	Name    string         `json:"name"`
	Theme   Theme          `json:"theme,omitempty"`
	Level   int            `json:"level,omitempty"`
	Seed    uint64         `json:"seed,omitempty"`
	Points  int            `json:"points"`
	Minutes float64        `json:"minutes"`
	Best    float64        `json:"best"`
	Walk    float64        `json:"walk"`
	Solved  bool           `json:"solved"`
	Danger  Danger         `json:"danger,omitempty"`
	Counted map[string]int `json:"mistakes"`
}

// Result is what is kept of it.
func (d *Drill) Result(s *Score) Result {
	r := Result{
		Name: d.Scene.Name, Theme: d.Scene.Theme, Level: d.Scene.Level, Seed: d.Scene.Seed, Points: s.Points,
		Minutes: s.Minutes, Best: s.Best, Walk: s.Walk, Solved: s.Solved, Counted: s.Counted,
	}
	if last, over := d.Over(); over {
		r.At = last.At
	}
	if s.Stop != nil {
		r.Danger = s.Stop.Danger
	}
	return r
}

// Quality grades a result from 0 to 5, as the scheduler asks: an act that hurts is 0, what was
// left wrong 1; from 3 on it was recalled. Where the grades lie is an assumption.
func (r *Result) Quality() int {
	switch {
	case r.Danger != "":
		return 0
	case !r.Solved:
		return 1
	}
	pace, q := 1.0, 3
	if r.Minutes > 0 {
		pace = r.Best / r.Minutes
	}
	switch {
	case pace >= 0.9:
		q = 5
	case pace >= 0.7:
		q = 4
	}
	if r.Counted[string(AskedHelp)] > 0 {
		q = 3
	}
	if r.Counted[string(WiredWrong)] > 0 {
		q = min(q, 4)
	}
	return q
}

// A Card is when a theme is due again.
type Card struct {
	Theme  Theme      `json:"theme"`
	Words  string     `json:"words"`
	Done   int        `json:"done"`
	LastAt *time.Time `json:"lastAt,omitempty"`
	DueAt  *time.Time `json:"dueAt,omitempty"` // nil: never done, and due at once
	Level  int        `json:"level"`           // to train at next
	// Ease of the scheduler, and how often in a row it was recalled.
	Ease float64 `json:"ease"`
	Run  int     `json:"run"`
	Days float64 `json:"days"`
}

// Where every card begins, and what its ease never falls below.
const (
	firstEase = 2.5
	leastEase = 1.3
)

// review moves the card on by the scheduler SM-2: P. A. Wozniak, Optimization of learning, 1990,
// its formulas I(1) = 1, I(2) = 6, I(n) = I(n-1) EF, EF' = EF + 0.1 - (5-q) (0.08 + (5-q) 0.02).
func (c *Card) review(r *Result) {
	q := r.Quality()
	c.Done++
	at := r.At
	c.LastAt = &at
	if q < 3 {
		c.Run, c.Days = 0, 1
		c.Level = max(1, r.Level-1)
	} else {
		c.Run++
		switch c.Run {
		case 1:
			c.Days = 1
		case 2:
			c.Days = 6
		default:
			c.Days = math.Round(c.Days * c.Ease)
		}
		c.Level = max(1, r.Level)
		if q >= 4 {
			c.Level = min(lastLevel, r.Level+1)
		}
		c.Ease = max(leastEase, c.Ease+0.1-float64(5-q)*(0.08+float64(5-q)*0.02))
	}
	due := at.Add(time.Duration(c.Days*24) * time.Hour)
	c.DueAt = &due
}

// themeWords say what each theme trains.
var themeWords = map[Theme]string{
	Patterns: "What three lamps tell", HalfDead: "One half of an outlet dead", GFCIs: "GFCIs: tripped, dead, the wrong way round",
	Ungrounded: "A house without grounds", Masking: "What lamps hide", Loads: "Loads behind an open neutral", Bootlegs: "A ground that is none",
	Loose: "Joints that carry a voltage and no current", UnknownOrder: "What feeds what is not known", SharedNeutral: "Two legs, one neutral", TwoFaults: "Two faults at once",
}

// Name is what people call the theme.
func (t Theme) Name() string { return themeWords[t] }

// Plan is what to train next, from the results in any order: what is due longest first, then what
// was never done in the order in which it is learned, then what is not due yet.
func Plan(results []Result, now time.Time) []Card {
	sorted := slices.SortedFunc(slices.Values(results), func(a, b Result) int { return a.At.Compare(b.At) })
	cards := make([]Card, len(Themes))
	for i, theme := range Themes {
		cards[i] = Card{Theme: theme, Words: theme.Name(), Level: 1, Ease: firstEase}
		for k := range sorted {
			if sorted[k].Theme == theme {
				cards[i].review(&sorted[k])
			}
		}
	}
	rank := func(c *Card) int {
		switch {
		case c.DueAt == nil:
			return 1
		case c.DueAt.After(now):
			return 2
		}
		return 0
	}
	slices.SortStableFunc(cards, func(a, b Card) int {
		if ra, rb := rank(&a), rank(&b); ra != rb || ra == 1 {
			return cmp.Compare(ra, rb)
		}
		return a.DueAt.Compare(*b.DueAt)
	})
	return cards
}

// A Tally is how often a kind of mistake was made.
type Tally struct {
	Kind   Mistake `json:"kind"`
	Words  string  `json:"words"`
	Count  int     `json:"count"`
	Lately int     `json:"lately"` // in the last of them
}

// lately is how many drills count as such. Assumption.
const lately = 5

// Tallies counts mistakes by kind, the gravest first; none that were not made.
func Tallies(results []Result) []Tally {
	sorted := slices.SortedFunc(slices.Values(results), func(a, b Result) int { return b.At.Compare(a.At) })
	all := []Tally{}
	for _, row := range Mistakes {
		t := Tally{Kind: row.Kind, Words: row.Words}
		for i := range sorted {
			n := sorted[i].Counted[string(row.Kind)]
			t.Count += n
			if i < lately {
				t.Lately += n
			}
		}
		if t.Count > 0 {
			all = append(all, t)
		}
	}
	return all
}
