// Package runs works out the ways a circuit could run where the order of its
// boxes is not known: which box is fed from which, each way with its weight.
package runs

import (
	"cmp"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/strict"
)

// A Kind of clue about the order.
type Kind string

// The kinds of clue.
const (
	DiesWith   Kind = "dies-with"   // box goes dead when with is opened, or a cable in it is capped
	StaysWith  Kind = "stays-with"  // box stays live then
	TripsWith  Kind = "trips-with"  // box goes dead when the GFCI in with trips
	StaysOn    Kind = "stays-on"    // box stays live then
	CableCount Kind = "cable-count" // so many cables are in the box
	Distance   Kind = "distance"    // so many feet between box and with
	CannotBe   Kind = "cannot-be"   // box is not fed straight from with
	FedFrom    Kind = "fed-from"    // box is fed straight from with: seen
)

// Kinds lists them.
var Kinds = []Kind{DiesWith, StaysWith, TripsWith, StaysOn, CableCount, Distance, CannotBe, FedFrom}

// A Clue is something seen about the order.
type Clue struct {
	Kind  Kind    `json:"kind"`
	Box   string  `json:"box"`
	With  string  `json:"with,omitempty"` // another box, or "panel"
	Count int     `json:"count,omitempty"`
	Feet  float64 `json:"feet,omitempty"`
}

// A Map is what is known of the order.
type Map struct {
	// Unsure are the boxes of which it is not known what feeds them; the
	// circuit's file says what is taken for likeliest.
	Unsure []string `json:"unsure,omitempty"`
	Clues  []Clue   `json:"clues,omitempty"`
}

// Format is the name and version of the map's file.
const Format = "elvat-map/1"

// Parse reads a map and checks it against the circuit.
func Parse(data []byte, c *circuit.Circuit) (Map, error) {
	var f struct {
		Format string `json:"format"`
		Map
	}
	if err := strict.Unmarshal(data, &f); err != nil {
		return Map{}, err
	}
	if f.Format != Format {
		return Map{}, fmt.Errorf("format: %q, want %q", f.Format, Format)
	}
	return f.Map, f.Map.Check(c)
}

// Check reports the first thing that is not on the circuit or makes no sense.
func (m Map) Check(c *circuit.Circuit) error {
	for _, id := range m.Unsure {
		if c.Box(id) == nil {
			return fmt.Errorf("unsure: no box %q on this circuit", id)
		}
	}
	for i, clue := range m.Clues {
		if err := clue.check(c); err != nil {
			return fmt.Errorf("clues[%d]: %w", i, err)
		}
	}
	return nil
}

func (k Clue) check(c *circuit.Circuit) error {
	wantsWith := k.Kind != CableCount
	switch {
	case !slices.Contains(Kinds, k.Kind):
		return fmt.Errorf("kind: %q is none of %q", k.Kind, Kinds)
	case c.Box(k.Box) == nil:
		return fmt.Errorf("box: no box %q on this circuit", k.Box)
	case wantsWith && k.With != circuit.Panel && c.Box(k.With) == nil:
		return fmt.Errorf("with: no box %q on this circuit", k.With)
	case !wantsWith && k.With != "":
		return fmt.Errorf("with: a %s is of one box", k.Kind)
	case k.With == k.Box:
		return fmt.Errorf("with: the box itself")
	case (k.Kind == CableCount) != (k.Count > 0) || k.Count > mostCables:
		return fmt.Errorf("count: a %s wants between 1 and %d cables, other clues none", CableCount, mostCables)
	case (k.Kind == Distance) != (k.Feet > 0) || k.Feet > mostFeet:
		return fmt.Errorf("feet: a %s wants between 0 and %d feet, other clues none", Distance, mostFeet)
	}
	return nil
}

// Bounds beyond which a clue is a slip of the finger. Assumptions.
const (
	mostCables = 9
	mostFeet   = 1000
)

// Sure reports whether it is known what feeds the box, and that what hangs on
// it does.
func (m Map) Sure(c *circuit.Circuit, box string) bool {
	return !slices.Contains(m.Unsure, box) && !slices.ContainsFunc(c.Outgoing(box), func(out *circuit.Cable) bool {
		return slices.Contains(m.Unsure, out.To)
	})
}

// On leaves out what is of boxes that are not on the circuit any more.
func (m Map) On(c *circuit.Circuit) Map {
	var left Map
	for _, id := range m.Unsure {
		if c.Box(id) != nil {
			left.Unsure = append(left.Unsure, id)
		}
	}
	for _, clue := range m.Clues {
		if clue.check(c) == nil {
			left.Clues = append(left.Clues, clue)
		}
	}
	return left
}

// A Run is one way the circuit could run.
type Run struct {
	From   map[string]string // what feeds each box
	Weight float64           // of all ways together 1
}

// How likely a way is before any clue, and how often a clue misleads. All are
// assumptions, after common practice: one cable leaves the panel, most boxes
// pass power on to one other, and cables are not longer than they need be.
const (
	branches   = 0.25 // for a second cable onward, and again for each more
	homeRuns   = 0.05 // for each cable more that leaves the panel
	guessed    = 3    // what the file says, over any other
	feetScale  = 20.0 // feet by which a longer cable is e times less likely
	typical    = 20.0 // feet, where no distance is known
	misleads   = 0.02 // share of clues on what goes dead that are wrong
	miscounted = 0.05 // share of cables counted wrong
	chains     = 4
	steps      = 4000 // of each chain
	restarts   = 7    // the seed: the same map gives the same runs
	keepRuns   = 2000
)

// sampler walks over the ways.
type sampler struct {
	c      *circuit.Circuit
	m      Map
	boxes  []string
	parent []int // of each box; -1 the panel
	free   []int // unsure boxes
	file   []int
	feet   map[[2]int]float64
	clues  []clue
}

type clue struct {
	kind      Kind
	box, with int
	count     int
}

// Possible lists the ways the circuit could run, likeliest first: one where
// nothing is unsure. They are found by walking from way to way, each step
// feeding one unsure box from elsewhere (Metropolis); all that are met are
// weighed exactly, against each other.
func Possible(c *circuit.Circuit, m Map) ([]Run, error) {
	if err := m.Check(c); err != nil {
		return nil, err
	}
	s := newSampler(c, m)
	met := map[string]float64{}
	s.note(met)
	if len(s.free) > 0 {
		for chain := range chains {
			copy(s.parent, s.file)
			s.walk(rand.New(rand.NewPCG(restarts, uint64(chain))), met)
		}
	}
	return s.list(met), nil
}

func newSampler(c *circuit.Circuit, m Map) *sampler {
	s := &sampler{c: c, m: m, feet: map[[2]int]float64{}}
	index := map[string]int{circuit.Panel: -1}
	for i, box := range c.Boxes {
		index[box.ID] = i
		s.boxes = append(s.boxes, box.ID)
	}
	for i, box := range c.Boxes {
		s.file = append(s.file, index[c.LineCable(box.ID).From])
		if slices.Contains(m.Unsure, box.ID) {
			s.free = append(s.free, i)
		}
	}
	s.parent = slices.Clone(s.file)
	for _, k := range m.Clues {
		box, with := index[k.Box], index[k.With]
		if k.Kind == Distance {
			s.feet[[2]int{min(box, with), max(box, with)}] = k.Feet
			continue
		}
		s.clues = append(s.clues, clue{k.Kind, box, with, k.Count})
	}
	return s
}

// above reports whether power to the box comes through the other.
func (s *sampler) above(box, other int) bool {
	for at := s.parent[box]; ; at = s.parent[at] {
		if at == other {
			return true
		}
		if at < 0 {
			return false
		}
	}
}

// weight is the log of how likely the present way is.
func (s *sampler) weight() float64 {
	log := 0.0
	onward := make([]int, len(s.boxes))
	home := 0
	for box, from := range s.parent {
		if from < 0 {
			home++
		} else {
			onward[from]++
		}
		if !slices.Contains(s.free, box) {
			continue
		}
		if from == s.file[box] {
			log += math.Log(guessed)
		}
		feet, known := s.feet[[2]int{min(box, from), max(box, from)}]
		if !known {
			feet = typical
		}
		log -= feet / feetScale
	}
	log += float64(max(0, home-1)) * math.Log(homeRuns)
	for _, n := range onward {
		log += float64(max(0, n-1)) * math.Log(branches)
	}
	for _, k := range s.clues {
		log += s.clue(k, onward)
	}
	return log
}

func (s *sampler) clue(k clue, onward []int) float64 {
	agrees := func(is bool, wrong float64) float64 {
		if is {
			return math.Log(1 - wrong)
		}
		return math.Log(wrong)
	}
	switch k.kind {
	case DiesWith, TripsWith:
		return agrees(s.above(k.box, k.with), misleads)
	case StaysWith, StaysOn:
		return agrees(!s.above(k.box, k.with), misleads)
	case CableCount:
		return agrees(onward[k.box]+1 == k.count, miscounted)
	case CannotBe:
		return agrees(s.parent[k.box] != k.with, misleads/100)
	default:
		return agrees(s.parent[k.box] == k.with, misleads/100)
	}
}

func (s *sampler) key() string {
	var b strings.Builder
	for _, from := range s.parent {
		b.WriteByte(byte(from + 2))
	}
	return b.String()
}

func (s *sampler) note(met map[string]float64) float64 {
	key := s.key()
	if w, known := met[key]; known {
		return w
	}
	w := s.weight()
	met[key] = w
	return w
}

func (s *sampler) walk(r *rand.Rand, met map[string]float64) {
	at := s.note(met)
	for range steps {
		box := s.free[r.IntN(len(s.free))]
		before := slices.Clone(s.parent)
		from := r.IntN(len(s.boxes)+1) - 1
		switch {
		case from == box:
			continue
		case from >= 0 && s.above(from, box):
			// It is fed through the box itself: the two change places.
			if !slices.Contains(s.free, from) {
				continue
			}
			s.parent[from] = s.parent[box]
			s.parent[box] = from
			if s.cyclic(from) || s.cyclic(box) {
				copy(s.parent, before)
				continue
			}
		default:
			s.parent[box] = from
		}
		w := s.note(met)
		if w >= at || r.Float64() < math.Exp(w-at) {
			at = w
		} else {
			copy(s.parent, before)
		}
	}
}

func (s *sampler) cyclic(box int) bool {
	at := box
	for range s.boxes {
		if at = s.parent[at]; at < 0 {
			return false
		}
	}
	return true
}

func (s *sampler) list(met map[string]float64) []Run {
	keys := make([]string, 0, len(met))
	top := math.Inf(-1)
	for key, w := range met {
		keys = append(keys, key)
		top = max(top, w)
	}
	slices.SortFunc(keys, func(a, b string) int { return cmp.Or(cmp.Compare(met[b], met[a]), cmp.Compare(a, b)) })
	keys = keys[:min(len(keys), keepRuns)]
	total := 0.0
	for _, key := range keys {
		total += math.Exp(met[key] - top)
	}
	list := make([]Run, len(keys))
	for i, key := range keys {
		list[i] = Run{From: map[string]string{}, Weight: math.Exp(met[key]-top) / total}
		for box := range s.boxes {
			from := circuit.Panel
			if at := int(key[box]) - 2; at >= 0 {
				from = s.boxes[at]
			}
			list[i].From[s.boxes[box]] = from
		}
	}
	return list
}

// On is the circuit as it would be in this way: each box keeps its cable, fed
// from elsewhere. A box that passes power on through a ground it does not have
// keeps its conductors; the reader of the run sees them.
func (r Run) On(c *circuit.Circuit) (*circuit.Circuit, error) {
	d := c.Clone()
	for i := range d.Cables {
		d.Cables[i].From = r.From[d.Cables[i].To]
	}
	return d, d.Check()
}

// A Feed is what may feed a box.
type Feed struct {
	From        string  `json:"from"`
	Probability float64 `json:"probability"`
}

// sure is the probability from which a feed is drawn as sure.
const sure = 0.95

// leastFeed is the probability below which a feed is not worth naming.
const leastFeed = 0.02

// A Place is how sure it is what feeds a box.
type Place struct {
	Box   string `json:"box"`
	Sure  bool   `json:"sure"`
	Feeds []Feed `json:"feeds"` // likeliest first
}

// Places tells for each box how sure it is what feeds it.
func Places(c *circuit.Circuit, all []Run) []Place {
	places := []Place{}
	for _, box := range c.Boxes {
		by := map[string]float64{}
		for _, r := range all {
			by[r.From[box.ID]] += r.Weight
		}
		p := Place{Box: box.ID}
		for from, w := range by {
			if w >= leastFeed {
				p.Feeds = append(p.Feeds, Feed{from, math.Round(w*1e6) / 1e6})
			}
		}
		slices.SortFunc(p.Feeds, func(a, b Feed) int {
			return cmp.Or(cmp.Compare(b.Probability, a.Probability), cmp.Compare(a.From, b.From))
		})
		p.Sure = p.Feeds[0].Probability >= sure
		places = append(places, p)
	}
	return places
}

// Sample is at most n of the ways that stand for all: the likeliest where few
// hold nearly everything, else drawn evenly by weight.
func Sample(all []Run, n int) []Run {
	covered := 0.0
	for _, r := range all[:min(n, len(all))] {
		covered += r.Weight
	}
	if covered >= sure || len(all) <= n {
		return all[:min(n, len(all))]
	}
	var out []Run
	sum, next := 0.0, 0.5/float64(n)
	for _, r := range all {
		sum += r.Weight
		hits := 0
		for next <= sum && next < 1 {
			hits++
			next += 1 / float64(n)
		}
		if hits > 0 {
			out = append(out, Run{From: r.From, Weight: float64(hits) / float64(n)})
		}
	}
	return out
}
