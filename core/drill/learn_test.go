package drill

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/runs"
	"elvat/core/tester"
)

var noon = time.Date(2026, 5, 4, 12, 0, 0, 0, time.UTC)

// TestScheduled: the intervals of SM-2 (P. A. Wozniak, 1990): one day, six, then the last times
// the ease of before; a lapse begins anew. The ease by its formula: a 5 adds 0.1, a 4 nothing, a 3
// takes 0.14.
func TestScheduled(t *testing.T) {
	c := Card{Theme: Patterns, Level: 1, Ease: firstEase}
	at := noon
	for i, row := range []struct {
		r          Result
		q          int
		days, ease float64
		level      int
	}{
		{Result{Solved: true, Best: 10, Minutes: 10, Level: 1}, 5, 1, 2.6, 2},
		{Result{Solved: true, Best: 8, Minutes: 10, Level: 2}, 4, 6, 2.6, 3},
		{Result{Solved: true, Best: 5, Minutes: 10, Level: 3}, 3, 16, 2.46, 3},
		{Result{Solved: true, Best: 10, Minutes: 10, Level: 3}, 5, 39, 2.56, 4},
		{Result{Solved: false, Level: 4}, 1, 1, 2.56, 3},
		{Result{Danger: Touched, Level: 3}, 0, 1, 2.56, 2},
		{Result{Solved: true, Best: 10, Minutes: 10, Level: 2, Counted: map[string]int{"asked": 1}}, 3, 1, 2.42, 2},
	} {
		row.r.At = at
		assert.Equal(t, row.q, row.r.Quality(), "%d", i)
		c.review(&row.r)
		assert.InDelta(t, row.days, c.Days, 1e-9, "%d", i)
		assert.InDelta(t, row.ease, c.Ease, 1e-9, "%d", i)
		assert.Equal(t, row.level, c.Level, "%d", i)
		assert.Equal(t, at.Add(time.Duration(row.days*24)*time.Hour), *c.DueAt)
		at = *c.DueAt
	}
}

// TestPlan: what is due comes before what was never done, and that before what is not due yet.
func TestPlan(t *testing.T) {
	results := []Result{
		{At: noon.Add(-time.Hour), Theme: Patterns, Level: 1, Solved: true, Best: 1, Minutes: 1, Counted: map[string]int{"little": 2}},
		{At: noon.Add(-72 * time.Hour), Theme: Loose, Level: 2, Danger: LiveYoke, Counted: map[string]int{"dangerous": 1, "little": 1}},
	}
	plan := Plan(results, noon)
	require.Len(t, plan, len(Themes))
	assert.Equal(t, Loose, plan[0].Theme, "due")
	assert.Equal(t, HalfDead, plan[1].Theme, "then what was never done, in its order")
	assert.Equal(t, Patterns, plan[len(plan)-1].Theme, "not due before tomorrow")
	tallies := Tallies(results)
	require.Len(t, tallies, 2)
	assert.Equal(t, []any{Dangerous, 1}, []any{tallies[0].Kind, tallies[0].Count}, "the gravest first")
	assert.Equal(t, 3, tallies[1].Count)
	assert.Equal(t, plan[0].Words, Themes[7].Name())
}

// TestSchoolsLessons: facts of the trade, common practice, no source, but for the first, which the
// words of the lessons are about: which tester hides which fault.
func TestSchoolsLessons(t *testing.T) {
	hides := func(key string, load float64) map[string]bool {
		c, err := Teach(key, load)
		require.NoError(t, err)
		all := map[string]bool{"live": c.Live}
		for _, s := range c.Seen {
			all[s.Name] = s.Hides
			assert.NotEmpty(t, s.Why)
		}
		return all
	}
	const lamps, high, sensor, lamp, load = "Three-lamp tester", "Meter, high impedance", "Non-contact sensor", "Test lamp", "Load tester"
	assert.Equal(t, map[string]bool{"live": false, lamps: false, high: false, "Meter, low impedance": false, sensor: false, lamp: false, load: false}, hides("sound", 0))
	for _, row := range []struct {
		key    string
		hide   []string
		show   []string
		isLive bool
	}{
		{"bootleg", []string{lamps, sensor, lamp}, nil, false},
		{"reversed-bootleg", []string{lamps, lamp}, []string{sensor, high}, true},
		{"loose-hot", []string{lamps, high, sensor, lamp}, []string{load}, false},
		{"open-ground", []string{sensor, lamp}, []string{lamps, load}, false},
		{"hot-ground", nil, []string{lamps, high, sensor}, true},
	} {
		is := hides(row.key, 0)
		for _, name := range row.hide {
			assert.True(t, is[name], "%s hides %s", name, row.key)
		}
		for _, name := range row.show {
			assert.False(t, is[name], "%s shows %s", name, row.key)
		}
		assert.Equal(t, row.isLive, is["live"], row.key)
	}
	_, err := Teach("sound", 7)
	assert.ErrorContains(t, err, "load: 7 W is none of")
}

// TestPlugAndButton: live metal and an open ground stop who did not ask first, and let go on who did.
func TestPlugAndButton(t *testing.T) {
	scene := func(faults ...circuit.Fault) *Drill {
		c := circuit.New("bench")
		require.NoError(t, c.AddStop(circuit.NewStop{After: circuit.Panel, Label: "near", AWG: 12, Feet: 20, Ground: true}))
		require.NoError(t, c.AddStop(circuit.NewStop{After: "B1", Label: "far", AWG: 12, Feet: 20, Ground: true}))
		s, err := From(c, diagnosis.Conditions{}, runs.Map{}, faults)
		require.NoError(t, err)
		return &Drill{Scene: s, Exact: true}
	}
	reversed := []circuit.Fault{
		{Kind: circuit.Open, At: "W2@B2.ground"}, {Kind: circuit.Swapped, At: "R2", Pair: circuit.HotNeutral}, {Kind: circuit.Bonded, At: "R2", Pair: circuit.NeutralGround, Ohms: 0.02},
	}
	d := scene(reversed...)
	step := putOn(t, d, tester.Reading{Tool: tester.Plug, At: "R2", Half: circuit.Top})
	require.NotNil(t, step.Stop)
	assert.Equal(t, LiveYoke, step.Stop.Danger)
	assert.InDelta(t, 0.12, step.Stop.Amps, 0.001, "120 V through 1,000 ohms")
	d = scene(reversed...)
	putOn(t, d, tester.Reading{Tool: tester.Sensor, At: "R2", Half: circuit.Top})
	assert.Nil(t, putOn(t, d, tester.Reading{Tool: tester.Plug, At: "R2", Half: circuit.Top}).Stop, "it was asked first")

	d = scene(circuit.Fault{Kind: circuit.Open, At: "W1@B1.ground"})
	step = putOn(t, d, tester.Reading{Tool: tester.PlugButton, At: "R2", Half: circuit.Top})
	require.NotNil(t, step.Stop)
	assert.Equal(t, Button, step.Stop.Danger)
	// 120 V over the button's 15,000 ohms beside a lamp's 100,000, and a body of 1,000: 8.5 mA.
	assert.InDelta(t, 0.0085, step.Stop.Amps, 0.0005)
	d = scene(circuit.Fault{Kind: circuit.Open, At: "W2@B2.hot"})
	assert.Nil(t, putOn(t, d, tester.Reading{Tool: tester.PlugButton, At: "R1", Half: circuit.Top}).Stop, "a ground that arrives carries it away")

	step, err := d.Put(tester.Reading{Tool: tester.Eyes, Site: "B1"}, unproven)
	require.NoError(t, err)
	assert.Equal(t, Touched, step.Stop.Danger)
	_, err = d.Put(tester.Reading{Tool: tester.Fixed}, proven)
	require.ErrorIs(t, err, ErrByHand)
}

// TestHiddenLoad: what is plugged in and was not written down stays on, whatever is said of the
// loads, until everything is unplugged.
func TestHiddenLoad(t *testing.T) {
	c := circuit.New("bench")
	require.NoError(t, c.AddStop(circuit.NewStop{After: circuit.Panel, Label: "near", AWG: 12, Feet: 20, Ground: true}))
	require.NoError(t, c.AddLoad("R1", circuit.Top, 60))
	s, err := From(c, diagnosis.Conditions{}, runs.Map{}, []circuit.Fault{{Kind: circuit.Open, At: "W1@B1.neutral"}})
	require.NoError(t, err)
	s.Plugged = []Plugged{{At: "R1", Half: circuit.Bottom, Watts: 300}}
	d := &Drill{Scene: s, Exact: true}
	neutral := func() float64 {
		step := putOn(t, d, tester.Reading{Tool: tester.Meter, At: "R1", Half: circuit.Top, State: &tester.State{LoadsOn: []string{}}})
		return *step.Reading.Volts.NeutralEarth
	}
	assert.Greater(t, neutral(), 100.0, "the hot comes through it")
	putOn(t, d, tester.Reading{Tool: tester.Act, Act: tester.UnplugAll})
	assert.Less(t, neutral(), 20.0)
}
