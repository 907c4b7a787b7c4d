// Package day puts the calls of a van into an order: what is urgent first, what was promised
// for a time at that time, and as little driving and waiting as can be. It says what will be
// late before it is.
package day

import (
	"fmt"
	"math"
	"slices"
	"time"

	"elvat/core/forecast"
	"elvat/core/strict"
)

// Format is the name and version of the day's file.
const Format = "elvat-day/1"

// A Clock is a time of the day, in minutes since midnight.
type Clock float64

// String writes it as clocks show it.
func (c Clock) String() string {
	m := int(math.Round(float64(c)))
	return fmt.Sprintf("%02d:%02d", m/60%24, m%60)
}

// took is how long something takes, as people say it.
func took(minutes float64) string {
	if m := int(math.Round(minutes)); m >= 120 {
		return fmt.Sprintf("%d h %02d min", m/60, m%60)
	}
	return fmt.Sprintf("%.0f min", minutes)
}

// ClockOn is the time on the clocks of a zone; nil where it was not that day.
func ClockOn(date string, at *time.Time, zone *time.Location) *Clock {
	if at == nil || at.In(zone).Format(time.DateOnly) != date {
		return nil
	}
	local := at.In(zone)
	return new(Clock(60*local.Hour() + local.Minute()))
}

// MarshalText writes it as clocks show it.
func (c Clock) MarshalText() ([]byte, error) { return []byte(c.String()), nil }

// UnmarshalText reads 08:30.
func (c *Clock) UnmarshalText(text []byte) error {
	var h, m int
	if n, err := fmt.Sscanf(string(text)+" ", "%d:%d ", &h, &m); err != nil || n != 2 || h < 0 || h > 23 || m < 0 || m > 59 || len(text) < 4 || len(text) > 5 {
		return fmt.Errorf("%q is no time of the day: 08:30", text)
	}
	*c = Clock(60*h + m)
	return nil
}

// A Point is where a house is, in degrees.
type Point struct {
	Lat float64 `json:"lat"`
	Lon float64 `json:"lon"`
}

func (p *Point) check(place string) error {
	if p != nil && (!(math.Abs(p.Lat) <= 90) || !(math.Abs(p.Lon) <= 180)) {
		return fmt.Errorf("%s: %g, %g is no place on earth", place, p.Lat, p.Lon)
	}
	return nil
}

// A Stop is a call as the day is planned by it.
type Stop struct {
	ID      string           `json:"id"`
	Title   string           `json:"title,omitempty"`
	Minutes forecast.Minutes `json:"minutes"`
	// From and To are the window that was promised for the arrival; nil: none was.
	From *Clock `json:"from,omitempty"`
	To   *Clock `json:"to,omitempty"`
	// Urgent: heat, smell or water. Such calls come before all others, and are not waited for
	// until a window opens.
	Urgent bool   `json:"urgent,omitempty"`
	At     *Point `json:"at,omitempty"`
	// Travel is how many minutes the drive there takes, as somebody said; nil: by distance.
	Travel *float64 `json:"travel,omitempty"`
	// Arrived and Done are when somebody came and went: what was, not what is planned. The
	// Minutes of a stop that goes on are what is left of it: from now, or from Arrived where
	// nobody says what time it is.
	Arrived *Clock `json:"arrived,omitempty"`
	Done    *Clock `json:"done,omitempty"`
}

// A Day is what there is to do with one van.
type Day struct {
	Format string  `json:"format"`
	Date   string  `json:"date,omitempty"` // 2026-05-04
	Van    string  `json:"van,omitempty"`
	Starts Clock   `json:"starts"`
	Ends   Clock   `json:"ends"`
	Base   *Point  `json:"base,omitempty"` // where the van stands in the morning
	MPH    float64 `json:"mph,omitempty"`  // as it drives on the average; zero: usual
	Stops  []Stop  `json:"stops"`
	// Keep: the order of the stops is the one wanted.
	Keep bool `json:"keep,omitempty"`
	// Now is what time it is. Once somebody arrived anywhere, nobody comes to the rest before it;
	// until then the sheet is as it was printed the evening before.
	Now *Clock `json:"now,omitempty"`
}

// Bounds and usual values. Assumption.
const (
	mostStops   = 40
	mostMinutes = 24 * 60
	usualMPH    = 22.0
	// detour is the drive by road against the straight line, and perDrive what parking and
	// finding the door add to each, in minutes.
	detour   = 1.3
	perDrive = 4.0
	// unknownDrive is a drive of which nothing is known, in minutes.
	unknownDrive = 20.0
	earthMiles   = 3958.8
)

// Parse reads a day. Errors name the place and what is wrong there.
func Parse(data []byte) (*Day, error) {
	d := &Day{}
	if err := strict.Unmarshal(data, d); err != nil {
		return nil, fmt.Errorf("day: %w", err)
	}
	if err := d.Check(); err != nil {
		return nil, fmt.Errorf("day: %w", err)
	}
	return d, nil
}

// Check reports the first thing that is wrong, naming the place.
func (d *Day) Check() error {
	switch {
	case d.Format != Format:
		return fmt.Errorf("format: want %q, have %q", Format, d.Format)
	case d.Ends <= d.Starts:
		return fmt.Errorf("ends: %s is not after %s, when it starts", d.Ends, d.Starts)
	case d.MPH < 0 || d.MPH > 80:
		return fmt.Errorf("mph: %g is out of bounds, 0 to 80", d.MPH)
	case len(d.Stops) > mostStops:
		return fmt.Errorf("stops: %d of them; at most %d", len(d.Stops), mostStops)
	}
	if err := d.Base.check("base"); err != nil {
		return err
	}
	seen := map[string]bool{}
	for i := range d.Stops {
		s, place := &d.Stops[i], fmt.Sprintf("stops[%d]", i)
		m := s.Minutes
		switch {
		case s.ID == "" || seen[s.ID]:
			return fmt.Errorf("%s.id: %q is missing, or there already", place, s.ID)
		case !(m.Usual >= 0 && m.Usual <= mostMinutes && m.Least >= 0 && m.Least <= m.Usual && m.Most >= m.Usual && m.Most <= 4*mostMinutes):
			return fmt.Errorf("%s.minutes: %g, between %g and %g: not in that order, or out of bounds", place, m.Usual, m.Least, m.Most)
		case s.From != nil && s.To != nil && *s.To < *s.From:
			return fmt.Errorf("%s.to: %s is before %s, when the window opens", place, *s.To, *s.From)
		case s.Done != nil && (s.Arrived == nil || *s.Done < *s.Arrived):
			return fmt.Errorf("%s.done: nobody arrived before it", place)
		case s.Travel != nil && !(*s.Travel >= 0 && *s.Travel <= mostMinutes):
			return fmt.Errorf("%s.travel: %g is out of bounds, 0 to %d", place, *s.Travel, mostMinutes)
		}
		if err := s.At.check(place + ".at"); err != nil {
			return err
		}
		seen[s.ID] = true
	}
	return nil
}

// Miles is the straight line between two places, along the earth.
func Miles(a, b Point) float64 {
	rad := math.Pi / 180
	h := func(x float64) float64 { s := math.Sin(x / 2); return s * s }
	v := h((b.Lat-a.Lat)*rad) + math.Cos(a.Lat*rad)*math.Cos(b.Lat*rad)*h((b.Lon-a.Lon)*rad)
	return 2 * earthMiles * math.Asin(min(1, math.Sqrt(v)))
}

// How a drive's minutes are known.
const (
	Asked      = "asked"
	ByDistance = "distance"
	Assumed    = "assumed"
)

// drive is how long it takes to stop i from where the van is: -1 is the base.
func (d *Day) drive(from, i int) (minutes float64, how string) {
	s := &d.Stops[i]
	at := d.Base
	if from >= 0 {
		at = d.Stops[from].At
	}
	switch {
	case s.Travel != nil:
		return *s.Travel, Asked
	case at != nil && s.At != nil:
		mph := d.MPH
		if mph == 0 {
			mph = usualMPH
		}
		return perDrive + Miles(*at, *s.At)*detour/mph*60, ByDistance
	case from < 0 && d.Base == nil:
		return 0, Assumed // the day begins there
	default:
		return unknownDrive, Assumed
	}
}

// A Planned stop is when the van is there.
type Planned struct {
	ID     string  `json:"id"`
	Drive  float64 `json:"drive"`  // minutes from the stop before
	How    string  `json:"how"`    // its minutes are known: asked, distance, assumed
	Wait   float64 `json:"wait"`   // minutes until the window opens
	Starts Clock   `json:"starts"` // is there, and begins
	Ends   Clock   `json:"ends"`   // by the usual minutes
	// Early and Late are when it begins if all before it take the least, and the most.
	Early Clock `json:"early"`
	Late  Clock `json:"late"`
	// Slack is how many minutes later it could begin and keep what was promised; negative: it is late.
	Slack *float64 `json:"slack,omitempty"`
	// Trouble says what is not kept, and what may not be.
	Trouble []string `json:"trouble"`
}

// A Sheet is a day in an order.
type Sheet struct {
	Format string    `json:"format"`
	Date   string    `json:"date,omitempty"`
	Van    string    `json:"van,omitempty"`
	Stops  []Planned `json:"stops"`
	Ends   Clock     `json:"ends"` // of the last
	Over   float64   `json:"over"` // minutes beyond the day's end
	Drive  float64   `json:"drive"`
	Wait   float64   `json:"wait"`
	Late   float64   `json:"late"` // minutes, all of them together
	Cost   float64   `json:"cost"` // what the order was chosen by
	Method string    `json:"method"`
	Gaps   []Gap     `json:"gaps"`
}

// A Gap is time in which nothing is to be done.
type Gap struct {
	After string  `json:"after"` // the stop before it; empty: before the first
	From  Clock   `json:"from"`
	To    Clock   `json:"to"`
	Min   float64 `json:"minutes"`
	At    *Point  `json:"at,omitempty"` // where the van is
}

// SheetFormat is the name and version of a planned day.
const SheetFormat = "elvat-day-sheet/1"

// What a minute counts when orders are compared. Assumption: a promise that is not kept weighs
// most, then the evening, then driving, then waiting.
const (
	lateCost  = 6.0
	overCost  = 3.0
	driveCost = 1.0
	waitCost  = 0.5
)

// mostExact is how many stops are ordered by looking at every order that can be best.
const mostExact = 12

// Plan orders the stops.
func (d *Day) Plan() Sheet {
	if !slices.ContainsFunc(d.Stops, func(s Stop) bool { return s.Arrived != nil }) {
		fresh := *d
		fresh.Now, d = nil, &fresh
	}
	order := make([]int, len(d.Stops))
	for i := range order {
		order[i] = i
	}
	method := "as it was ordered by hand"
	switch {
	case d.Keep:
		slices.SortStableFunc(order, func(a, b int) int { return d.came(a) - d.came(b) })
	case len(d.Stops) <= mostExact:
		order, method = d.exact(), "the best of all orders"
	default:
		order, method = d.near(), "cheapest insertion, bettered by moving one stop and by turning stretches round"
	}
	sheet := d.sheet(order)
	sheet.Method = method
	return sheet
}

// state is how far a day is.
type state struct {
	at   int // the last stop; -1: the base
	time float64
	cost float64
}

// opens is when work can begin there at the earliest. What may burn is not put off to an hour.
func (s *Stop) opens() float64 {
	if s.From == nil || s.Urgent {
		return 0
	}
	return float64(*s.From)
}

// Ranks of stops: those where somebody was come first, as they came to them, then what may
// burn, then all others.
const (
	rankUrgent = 2 * mostMinutes
	rankOther  = 3 * mostMinutes
)

// came ranks a stop by when somebody came there; the others are after all of them.
func (d *Day) came(i int) int {
	if at := d.Stops[i].Arrived; at != nil {
		return int(*at)
	}
	return rankOther
}

func (d *Day) rank(i int) int {
	if d.Stops[i].Arrived == nil && d.Stops[i].Urgent {
		return rankUrgent
	}
	return d.came(i)
}

// left is when a stop where somebody came is left.
func (d *Day) left(s *Stop, minutes float64) float64 {
	if s.Done != nil {
		return float64(*s.Done)
	}
	return d.leaves(float64(*s.Arrived)) + minutes
}

// leaves is when the van can drive on.
func (d *Day) leaves(time float64) float64 {
	if d.Now != nil {
		return max(time, float64(*d.Now))
	}
	return time
}

// step goes on to a stop.
func (d *Day) step(s state, i int) state {
	stop := &d.Stops[i]
	if stop.Arrived != nil {
		return state{i, d.left(stop, stop.Minutes.Usual), s.cost}
	}
	drive, _ := d.drive(s.at, i)
	begins := d.leaves(s.time) + drive
	cost := s.cost + driveCost*drive
	if opens := stop.opens(); begins < opens {
		cost += waitCost * (opens - begins)
		begins = opens
	}
	if stop.To != nil && begins > float64(*stop.To) {
		cost += lateCost * (begins - float64(*stop.To))
	}
	return state{i, begins + stop.Minutes.Usual, cost}
}

// over is what a day's end past its hour costs.
func (d *Day) over(time float64) float64 { return overCost * max(0, time-float64(d.Ends)) }

// cost of an order.
func (d *Day) cost(order []int) float64 {
	s := state{at: -1, time: float64(d.Starts)}
	for _, i := range order {
		s = d.step(s, i)
	}
	return s.cost + d.over(s.time)
}

// exact is the cheapest order in which nothing comes before what ranks before it: for every set of stops and
// every last one of it, all that is neither later nor dearer than another is gone on with.
func (d *Day) exact() []int {
	n := len(d.Stops)
	if n == 0 {
		return nil
	}
	before := make([]int, n) // the stops that come before each, whatever it costs
	for i := range n {
		for k := range n {
			if d.rank(k) < d.rank(i) {
				before[i] |= 1 << k
			}
		}
	}
	type label struct {
		state
		before *label
	}
	sets := make([][]*label, 1<<n)
	begin := &label{state: state{at: -1, time: float64(d.Starts)}}
	sets[0] = []*label{begin}
	for set := range sets {
		for _, l := range sets[set] {
			for i := range n {
				if set&(1<<i) != 0 || set&before[i] != before[i] {
					continue
				}
				next := &label{d.step(l.state, i), l}
				to := set | 1<<i
				if slices.ContainsFunc(sets[to], func(o *label) bool { return o.at == next.at && o.time <= next.time && o.cost <= next.cost }) {
					continue
				}
				sets[to] = append(slices.DeleteFunc(sets[to], func(o *label) bool { return o.at == next.at && o.time >= next.time && o.cost >= next.cost }), next)
			}
		}
	}
	best := slices.MinFunc(sets[len(sets)-1], func(a, b *label) int {
		x, y := a.cost+d.over(a.time), b.cost+d.over(b.time)
		switch {
		case x < y:
			return -1
		case x > y:
			return 1
		default:
			return 0
		}
	})
	var order []int
	for l := best; l.before != nil; l = l.before {
		order = append(order, l.at)
	}
	slices.Reverse(order)
	return order
}

// near is a good order of many stops.
func (d *Day) near() []int {
	all := make([]int, len(d.Stops))
	for i := range all {
		all[i] = i
	}
	slices.SortStableFunc(all, func(a, b int) int { return d.rank(a) - d.rank(b) })
	var order []int
	for _, i := range all {
		order = d.insert(order, i)
	}
	for better := true; better; {
		better = false
		now := d.cost(order)
		try := func(other []int) bool {
			if d.inRank(other) && d.cost(other) < now-1e-9 {
				order, now, better = other, d.cost(other), true
				return true
			}
			return false
		}
		for i := range order {
			for j := range order {
				moved := slices.Delete(slices.Clone(order), i, i+1)
				try(slices.Insert(moved, min(j, len(moved)), order[i]))
				if i < j {
					turned := slices.Clone(order)
					slices.Reverse(turned[i : j+1])
					try(turned)
				}
			}
		}
	}
	return order
}

func (d *Day) inRank(order []int) bool {
	return slices.IsSortedFunc(order, func(a, b int) int { return d.rank(a) - d.rank(b) })
}

// insert puts a stop where it costs least.
func (d *Day) insert(order []int, i int) []int {
	best, least := append(slices.Clone(order), i), math.Inf(1)
	for at := 0; at <= len(order); at++ {
		with := slices.Insert(slices.Clone(order), at, i)
		if c := d.cost(with); d.inRank(with) && c < least {
			best, least = with, c
		}
	}
	return best
}

// leastGap is the time worth filling, in minutes. Assumption.
const leastGap = 20

// sheet is the day in the order.
func (d *Day) sheet(order []int) Sheet {
	sheet := Sheet{Format: SheetFormat, Date: d.Date, Van: d.Van, Stops: []Planned{}, Gaps: []Gap{}, Ends: d.Starts, Cost: d.cost(order)}
	s := state{at: -1, time: float64(d.Starts)}
	early, late := s.time, s.time
	for k, i := range order {
		stop := &d.Stops[i]
		p := Planned{ID: stop.ID, Trouble: []string{}, How: Asked}
		if stop.Arrived != nil {
			s = d.step(s, i)
			p.Starts, p.Early, p.Late, p.Ends = *stop.Arrived, *stop.Arrived, *stop.Arrived, Clock(s.time)
			if stop.To != nil && p.Starts > *stop.To {
				p.Trouble = append(p.Trouble, fmt.Sprintf("came %s after the window that was promised closed, %s", took(float64(p.Starts-*stop.To)), *stop.To))
			}
			early, late = d.left(stop, stop.Minutes.Least), d.left(stop, stop.Minutes.Most)
			sheet.Stops = append(sheet.Stops, p)
			sheet.Ends = p.Ends
			continue
		}
		p.Drive, p.How = d.drive(s.at, i)
		leaves := d.leaves(s.time)
		there := leaves + p.Drive
		early, late = d.leaves(early)+p.Drive, d.leaves(late)+p.Drive
		opens := stop.opens()
		p.Wait = max(0, opens-there)
		early, late = max(early, opens), max(late, opens)
		p.Starts, p.Early, p.Late = Clock(there+p.Wait), Clock(early), Clock(late)
		p.Ends = p.Starts + Clock(stop.Minutes.Usual)
		if stop.To != nil {
			slack := float64(*stop.To - p.Starts)
			p.Slack = &slack
			switch {
			case slack < 0:
				sheet.Late -= slack
				p.Trouble = append(p.Trouble, fmt.Sprintf("%s after the window that was promised closes, %s", took(-slack), *stop.To))
			case p.Late > *stop.To:
				p.Trouble = append(p.Trouble, fmt.Sprintf("late if the calls before it take long: %s at the most, promised until %s", p.Late, *stop.To))
			}
		}
		if stop.From != nil && p.Starts < *stop.From {
			p.Trouble = append(p.Trouble, fmt.Sprintf("before the window that was promised opens, %s: say so by telephone", *stop.From))
		}
		if p.Ends > d.Ends {
			p.Trouble = append(p.Trouble, fmt.Sprintf("ends %s after the day does", took(float64(p.Ends-d.Ends))))
		}
		if stop.Urgent && k > 0 && d.rank(order[k-1]) == rankOther {
			p.Trouble = append(p.Trouble, "heat, smell or water, and others come before it")
		}
		if p.Wait >= leastGap {
			g := Gap{From: Clock(there), To: p.Starts, Min: p.Wait, At: stop.At}
			if s.at >= 0 {
				g.After = d.Stops[s.at].ID
			}
			sheet.Gaps = append(sheet.Gaps, g)
		}
		sheet.Drive, sheet.Wait = sheet.Drive+p.Drive, sheet.Wait+p.Wait
		early, late = early+stop.Minutes.Least, late+stop.Minutes.Most
		s = d.step(s, i)
		sheet.Stops = append(sheet.Stops, p)
		sheet.Ends = p.Ends
	}
	sheet.Over = max(0, float64(sheet.Ends-d.Ends))
	if rest := float64(d.Ends - sheet.Ends); rest >= leastGap {
		g := Gap{From: sheet.Ends, To: d.Ends, Min: rest, At: d.Base}
		if n := len(order); n > 0 {
			g.After, g.At = d.Stops[order[n-1]].ID, d.Stops[order[n-1]].At
		}
		sheet.Gaps = append(sheet.Gaps, g)
	}
	return sheet
}

// A Near thing is something short that can be done on the way, such as a GFCI's test that is due.
type Near struct {
	ID string
	At *Point
}

// minutesOfTest is what a short thing on the way takes, once there. Assumption.
const minutesOfTest = 15

// Proposed are the things that fit into a gap, nearest first: there, done, and back within it.
// What has no place on the map is not proposed.
func (d *Day) Proposed(g Gap, all []Near) []Near {
	if g.At == nil {
		return nil
	}
	there := func(n Near) float64 {
		mph := d.MPH
		if mph == 0 {
			mph = usualMPH
		}
		return perDrive + Miles(*g.At, *n.At)*detour/mph*60
	}
	var fit []Near
	for _, n := range all {
		if n.At != nil && 2*there(n)+minutesOfTest <= g.Min {
			fit = append(fit, n)
		}
	}
	slices.SortStableFunc(fit, func(a, b Near) int {
		x, y := there(a), there(b)
		switch {
		case x < y:
			return -1
		case x > y:
			return 1
		default:
			return 0
		}
	})
	return fit
}
