package day

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/forecast"
)

func clock(text string) *Clock {
	var c Clock
	if err := c.UnmarshalText([]byte(text)); err != nil {
		panic(err)
	}
	return &c
}

// drawn is a day of n stops in a town of some ten miles across.
func drawn(r *rand.Rand, n int) *Day {
	point := func() *Point { return &Point{44 + r.Float64()*0.15, -73 + r.Float64()*0.2} }
	d := &Day{Format: Format, Starts: *clock("08:00"), Ends: *clock("17:00"), Base: point(), Stops: []Stop{}}
	for i := range n {
		usual := 30 + r.Float64()*90
		s := Stop{ID: fmt.Sprint("C", i), Minutes: forecast.Minutes{Usual: usual, Least: usual * 0.7, Most: usual * 1.5}, At: point(), Urgent: r.IntN(8) == 0}
		if r.IntN(2) == 0 {
			from := Clock(480 + 60*r.IntN(7))
			to := from + 120
			s.From, s.To = &from, &to
		}
		if r.IntN(5) == 0 {
			travel := float64(5 + r.IntN(30))
			s.Travel = &travel
		}
		if r.IntN(6) == 0 { // somebody was there already
			arrived := Clock(500 + r.IntN(120))
			s.Arrived, d.Now = &arrived, clock("10:30")
		}
		d.Stops = append(d.Stops, s)
	}
	return d
}

// cheapest is the least cost over all orders that can be, tried one by one.
func cheapest(d *Day) float64 {
	best := math.Inf(1)
	order := make([]int, 0, len(d.Stops))
	used := make([]bool, len(d.Stops))
	var try func()
	try = func() {
		if len(order) == len(d.Stops) {
			if d.inRank(order) {
				best = min(best, d.cost(order))
			}
			return
		}
		for i := range used {
			if !used[i] {
				used[i], order = true, append(order, i)
				try()
				used[i], order = false, order[:len(order)-1]
			}
		}
	}
	try()
	return best
}

// TestBestOrder holds the planned order against every other one.
func TestBestOrder(t *testing.T) {
	for seed := range uint64(60) {
		d := drawn(rand.New(rand.NewPCG(seed, 1)), 1+int(seed%7))
		require.NoError(t, d.Check())
		s := d.Plan()
		assert.InDelta(t, cheapest(d), s.Cost, 1e-6, "seed %d, %d stops", seed, len(d.Stops))
		assert.Len(t, s.Stops, len(d.Stops))
	}
}

// TestManyStops: the way for many stops is held against the exact one for as many as that can.
func TestManyStops(t *testing.T) {
	worst := 1.0
	for seed := range uint64(8) {
		d := drawn(rand.New(rand.NewPCG(seed, 2)), mostExact)
		exact, near := d.cost(d.exact()), d.cost(d.near())
		assert.LessOrEqual(t, exact, near+1e-6)
		worst = max(worst, near/exact)
	}
	t.Logf("twelve stops by insertion and bettering: at most %.1f %% above the best", 100*(worst-1))
	many := drawn(rand.New(rand.NewPCG(9, 2)), 25)
	s := many.Plan()
	assert.Len(t, s.Stops, 25)
	assert.Contains(t, s.Method, "insertion")
}

func TestSheet(t *testing.T) {
	m := func(usual float64) forecast.Minutes {
		return forecast.Minutes{Usual: usual, Least: usual * 0.5, Most: usual * 2}
	}
	drive := 20.0
	base := Day{Format: Format, Starts: *clock("08:00"), Ends: *clock("16:00")}
	for _, row := range []struct {
		name   string
		stops  []Stop
		keep   bool
		order  []string
		says   string // of the last stop's trouble
		gaps   int
		starts string // of the last
	}{
		{"a promise is kept", []Stop{{ID: "a", Minutes: m(60)}, {ID: "b", Minutes: m(60), From: clock("08:00"), To: clock("08:10")}}, false, []string{"b", "a"}, "", 1, "09:20"},
		{"what is urgent comes first", []Stop{{ID: "a", Minutes: m(60), From: clock("08:00"), To: clock("08:10")}, {ID: "b", Minutes: m(60), Urgent: true}}, false, []string{"b", "a"}, "70 min after the window that was promised closes, 08:10", 1, "09:20"},
		{"what may burn does not wait for its window", []Stop{{ID: "a", Minutes: m(60), Urgent: true, From: clock("14:00"), To: clock("15:00")}}, false, []string{"a"}, "before the window that was promised opens, 14:00: say so by telephone", 1, "08:00"},
		{"by hand, and urgent last", []Stop{{ID: "a", Minutes: m(60)}, {ID: "b", Minutes: m(30), Urgent: true}}, true, []string{"a", "b"}, "others come before it", 1, "09:20"},
		{"too much for the day", []Stop{{ID: "a", Minutes: m(300)}, {ID: "b", Minutes: m(300)}}, true, []string{"a", "b"}, "ends 2 h 20 min after the day does", 0, "13:20"},
		{"may get late", []Stop{{ID: "a", Minutes: m(60)}, {ID: "b", Minutes: m(60), To: clock("09:30")}}, true, []string{"a", "b"}, "late if the calls before it take long: 10:20 at the most", 1, "09:20"},
		{"a drive that was asked", []Stop{{ID: "a", Minutes: m(60)}, {ID: "b", Minutes: m(60), Travel: &drive}}, true, []string{"a", "b"}, "", 1, "09:20"},
		{"what was comes before what is planned", []Stop{
			{ID: "a", Minutes: m(60)}, {ID: "b", Minutes: m(60), Urgent: true}, {ID: "c", Minutes: m(60), Arrived: clock("08:40"), Done: clock("09:30")},
			{ID: "d", Minutes: m(30), Arrived: clock("09:40")},
		}, false, []string{"c", "d", "b", "a"}, "", 1, "11:50"},
		{"a hand's order holds for what is left", []Stop{{ID: "a", Minutes: m(60)}, {ID: "b", Minutes: m(60), To: clock("08:30"), Arrived: clock("09:00")}}, true, []string{"b", "a"}, "", 1, "10:20"},
		{"a wait in between", []Stop{{ID: "a", Minutes: m(60)}, {ID: "b", Minutes: m(60), From: clock("13:00")}}, true, []string{"a", "b"}, "", 2, "13:00"},
	} {
		t.Run(row.name, func(t *testing.T) {
			d := base
			d.Stops, d.Keep = row.stops, row.keep
			require.NoError(t, d.Check())
			s := d.Plan()
			var order []string
			for _, p := range s.Stops {
				order = append(order, p.ID)
			}
			assert.Equal(t, row.order, order)
			last := s.Stops[len(s.Stops)-1]
			if row.says == "" {
				assert.Empty(t, last.Trouble)
			} else {
				assert.Contains(t, fmt.Sprint(last.Trouble), row.says)
			}
			assert.Len(t, s.Gaps, row.gaps)
			assert.Equal(t, row.starts, last.Starts.String())
			assert.LessOrEqual(t, last.Early, last.Starts)
			assert.GreaterOrEqual(t, last.Late, last.Starts)
		})
	}
}

// TestNow: once the day has begun nobody comes anywhere before it is now.
func TestNow(t *testing.T) {
	d := Day{Format: Format, Starts: *clock("08:00"), Ends: *clock("16:00"), Now: clock("11:00"), Stops: []Stop{
		{ID: "next", Minutes: forecast.Minutes{Usual: 60, Least: 30, Most: 90}, To: clock("10:00")},
		{ID: "was", Minutes: forecast.Minutes{Usual: 60, Least: 30, Most: 90}, To: clock("08:30"), Arrived: clock("09:00"), Done: clock("09:50")},
	}}
	require.NoError(t, d.Check())
	s := d.Plan()
	assert.Equal(t, "was", s.Stops[0].ID)
	assert.Equal(t, "09:50", s.Stops[0].Ends.String())
	assert.Equal(t, []string{"came 30 min after the window that was promised closed, 08:30"}, s.Stops[0].Trouble)
	assert.Equal(t, "11:20", s.Stops[1].Starts.String(), "20 minutes of drive from now on")
	assert.Contains(t, fmt.Sprint(s.Stops[1].Trouble), "80 min after the window that was promised closes")
	d.Stops[1].Done = nil
	assert.Equal(t, "12:00", d.Plan().Stops[0].Ends.String(), "an hour is left of it")
	d.Stops[1].Arrived = nil
	assert.Equal(t, "08:00", d.Plan().Stops[0].Starts.String(), "the day has not begun")
	d.Stops[1].Done = clock("09:50")
	assert.ErrorContains(t, d.Check(), "stops[1].done: nobody arrived before it")
}

func TestMiles(t *testing.T) {
	for _, row := range []struct {
		a, b  Point
		miles float64
	}{
		// One degree along a meridian is about 69 statute miles; along a parallel, that by the
		// cosine of its latitude (textbooks of navigation).
		{Point{40, -75}, Point{41, -75}, 69.1},
		{Point{60, 10}, Point{60, 11}, 34.5},
		{Point{0, 0}, Point{0, 0}, 0},
	} {
		assert.InDelta(t, row.miles, Miles(row.a, row.b), 0.1)
	}
}

func TestProposed(t *testing.T) {
	d := &Day{MPH: 30}
	g := Gap{Min: 45, At: &Point{44, -73}}
	fit := d.Proposed(g, []Near{{"far", &Point{44.5, -73}}, {"near", &Point{44.01, -73}}, {"nearer", &Point{44.005, -73}}, {"nowhere", nil}})
	require.Len(t, fit, 2)
	assert.Equal(t, "nearer", fit[0].ID)
	assert.Empty(t, d.Proposed(Gap{Min: 45}, fit), "nobody knows where the van is")
}

func TestBadDays(t *testing.T) {
	for _, row := range []struct{ file, says string }{
		{`{}`, `day: format: want "elvat-day/1"`},
		{`{"format":"elvat-day/1","starts":"8","ends":"17:00","stops":[]}`, `no time of the day`},
		{`{"format":"elvat-day/1","starts":"17:00","ends":"08:00","stops":[]}`, "ends: 08:00 is not after 17:00"},
		{`{"format":"elvat-day/1","starts":"08:00","ends":"17:00","stops":[{"id":"a","minutes":{"usual":60,"least":70,"most":90}}]}`, "stops[0].minutes: 60, between 70 and 90"},
		{`{"format":"elvat-day/1","starts":"08:00","ends":"17:00","stops":[{"id":"a","minutes":{"usual":60,"least":50,"most":90}},{"id":"a","minutes":{"usual":60,"least":50,"most":90}}]}`, `stops[1].id: "a" is missing, or there already`},
		{`{"format":"elvat-day/1","starts":"08:00","ends":"17:00","stops":[{"id":"a","minutes":{"usual":60,"least":50,"most":90},"from":"12:00","to":"11:00"}]}`, "stops[0].to: 11:00 is before 12:00"},
		{`{"format":"elvat-day/1","starts":"08:00","ends":"17:00","base":{"lat":99,"lon":0},"stops":[]}`, "base: 99, 0 is no place on earth"},
	} {
		_, err := Parse([]byte(row.file))
		assert.ErrorContains(t, err, row.says)
	}
}

func BenchmarkTwelveStops(b *testing.B) {
	d := drawn(rand.New(rand.NewPCG(3, 3)), mostExact)
	for b.Loop() {
		d.exact()
	}
}
