package job

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func panelOf(n int) Directory {
	var d Directory
	for i := range n {
		d = append(d, DirectoryRow{Breaker: fmt.Sprint(i + 1)})
	}
	return d
}

func looked(dead bool, off ...string) Entry {
	return Entry{Kind: Halved, Breakers: off, WentDead: &dead}
}

// TestSearchBreaker goes through what is asked: first what must not go off, then halves.
func TestSearchBreaker(t *testing.T) {
	asked := Entry{Kind: MustStay}
	written := Directory{
		{Breaker: "1", Serves: "Range"}, {Breaker: "3", Serves: "Aviary porch, heat lamps"}, {Breaker: "5"}, {Breaker: "7", Serves: "Freezer"},
	}
	for _, row := range []struct {
		name  string
		d     Directory
		j     Journal
		off   []string
		left  int
		found string
		why   string
	}{
		{"what must stay comes first", panelOf(8), nil, []string{}, 8, "", "First what must not go off"},
		{"then half of them, and why", panelOf(8), Journal{asked}, []string{"1", "2", "3", "4"}, 8, "", "8 may be it. With these 4 off"},
		{"dead: it is one of them", panelOf(8), Journal{asked, looked(true, "1", "2", "3", "4")}, []string{"1", "2"}, 4, "", "4 may be it"},
		{"live: it is one of the rest", panelOf(8), Journal{asked, looked(false, "1", "2", "3", "4")}, []string{"5", "6"}, 4, "", "4 may be it"},
		{"one is left", panelOf(2), Journal{asked, looked(true, "1")}, []string{}, 1, "1", "Breaker 1 is the one"},
		{"a room of the run is written there", written, Journal{asked}, []string{"3"}, 4, "", "likeliest"},
		{"what must stay is not proposed", written, Journal{{Kind: MustStay, Breakers: []string{"3", "7"}}}, []string{"1", "5"}, 4, "", "4 may be it"},
		{"only that is left", panelOf(2), Journal{{Kind: MustStay, Breakers: []string{"2"}}, looked(false, "1")}, []string{}, 1, "2", "Breaker 2"},
		{"both left must stay", panelOf(3), Journal{{Kind: MustStay, Breakers: []string{"2", "3"}}, looked(false, "1")}, []string{}, 2, "", "Ask who it serves"},
		{"answers that cannot both be", panelOf(2), Journal{asked, looked(false, "1"), looked(false, "2")}, []string{}, 0, "", "None of the breakers here"},
		{"one taken back does not count", panelOf(2), Journal{asked, {Kind: Halved, Breakers: []string{"1"}, WentDead: new(bool), Withdrawn: true}}, []string{"1"}, 2, "", "likeliest"},
	} {
		s := row.j.SearchBreaker(row.d, "", []string{"Aviary porch"})
		assert.Equal(t, row.off, s.Off, row.name)
		assert.Len(t, s.Left, row.left, row.name)
		assert.Equal(t, row.found, s.Found, row.name)
		assert.Contains(t, s.Why, row.why, row.name)
	}
	s := Journal{asked}.SearchBreaker(panelOf(20), "11", nil)
	assert.Contains(t, s.Off, "11", "what the run says is looked at first")
	assert.Equal(t, "11", s.Left[0])
}

// TestSearchFinds plays panels at random: every breaker is found, in about as many looks as
// halving takes (information theory: log2 of the breakers), and what must stay on stays on.
func TestSearchFinds(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 15))
	looks, ideal, n := 0.0, 0.0, 300
	for range n {
		d := panelOf(4 + r.IntN(39))
		is := d[r.IntN(len(d))].Breaker
		var stay []string
		for _, row := range d {
			if row.Breaker != is && r.IntN(8) == 0 {
				stay = append(stay, row.Breaker)
			}
		}
		j := Journal{{Kind: MustStay, Breakers: stay}}
		for s := j.SearchBreaker(d, "", nil); s.Found == ""; s = j.SearchBreaker(d, "", nil) {
			if len(s.Off) == 0 { // only what must stay is left beside it
				t.Fatalf("%v of %d: stuck at %+v", is, len(d), s)
			}
			for _, b := range s.Off {
				assert.NotContains(t, stay, b)
			}
			j = append(j, looked(slices.Contains(s.Off, is), s.Off...))
			looks++
			if looks > 1e5 {
				t.Fatal("no end")
			}
		}
		assert.Equal(t, is, j.SearchBreaker(d, "", nil).Found)
		ideal += math.Log2(float64(len(d)))
	}
	assert.Less(t, looks/ideal, 1.25, "looks against halving")
	t.Logf("%.2f looks a panel, halving takes %.2f", looks/float64(n), ideal/float64(n))
}

// TestSaysNew: the entries of finding a breaker, and a dead test said in one tap.
func TestSaysNew(t *testing.T) {
	c := run(t, false)
	silent := &DeadVolts{SensorSilent: true, Below: 1}
	twelve := &DeadVolts{SensorSilent: true, Below: 12}
	for _, row := range []struct {
		e     Entry
		words string
		wrong string
	}{
		{Entry{Kind: DeadTest, Box: "B1", Stage: Installed, Dead: silent}, "ground, each below 1 V", ""},
		{Entry{Kind: DeadTest, Box: "B1", Stage: Installed, Dead: twelve}, "", "at most 1 V"},
		{Entry{Kind: Thrown, Breaker: "7"}, "Breaker 7 off, to see what it feeds", ""},
		{Entry{Kind: Thrown}, "", "breaker: is missing"},
		{Entry{Kind: Died, Breaker: "7", Outlets: []string{"R1"}}, "Went dead with breaker 7: 1 outlet", ""},
		{Entry{Kind: Died, Breaker: "7"}, "Went dead with breaker 7", ""},
		{Entry{Kind: MustStay}, "Nothing here must stay on", ""},
		{Entry{Kind: MustStay, Breakers: []string{"3", "7"}}, "Must not go off: breaker 3, 7", ""},
		{Entry{Kind: MustStay, Breakers: []string{" "}}, "", "one has no name"},
		{looked(true, "1", "3"), "Dead with breaker 1, 3 off", ""},
		{looked(false, "1"), "Still live with breaker 1 off", ""},
		{Entry{Kind: Halved, Breakers: []string{"1"}}, "", "was the outlet dead"},
		{Entry{Kind: HandedOver, Who: "a", To: "b", Signature: "M 1 2 L 30 40.5M 5 5 L 6 6"}, "Handed over by a to b", ""},
		{Entry{Kind: HandedOver, Who: "a", To: "b", Signature: `M 1 2"/><script>`}, "", "a point is none"},
		{Entry{Kind: HandedOver, Who: "a", To: "b", Signature: "M 1 900"}, "", "outside its field"},
		{Entry{Kind: HandedOver, Who: "a", To: "b", Signature: "M 1 NaN"}, "", "a point is none"},
		{Entry{Kind: HandedOver, Who: "a", To: "b", Signature: strings.Repeat("M 1 1 L 2 2", 4000)}, "", "too long"},
	} {
		err := row.e.Check(c)
		if row.wrong != "" {
			assert.ErrorContains(t, err, row.wrong)
			continue
		}
		assert.NoError(t, err, row.words)
		assert.Contains(t, row.e.Words(c.LabelOf), row.words)
	}
}
