package runs_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/runs"
)

// aviary is boxes one behind the other, all of unknown order.
func aviary(t testing.TB, n int) (*circuit.Circuit, runs.Map) {
	c := circuit.New("aviary")
	after := circuit.Panel
	m := runs.Map{}
	for range n {
		require.NoError(t, c.AddStop(circuit.NewStop{After: after, Ground: true}))
		after = c.Boxes[len(c.Boxes)-1].ID
		m.Unsure = append(m.Unsure, after)
	}
	return c, m
}

func feeds(t *testing.T, c *circuit.Circuit, m runs.Map, box string) runs.Place {
	all, err := runs.Possible(c, m)
	require.NoError(t, err)
	for _, p := range runs.Places(c, all) {
		if p.Box == box {
			return p
		}
	}
	t.Fatal("no such box")
	return runs.Place{}
}

// TestCountedByHand: with two boxes of unknown order there are three ways: one
// behind the other, the other way round, and both from the panel. By the
// weights stated (the file's guess 3 each, a second home run 0.05): 9, 1 and 3 x
// 0.05, to be divided by their sum.
func TestCountedByHand(t *testing.T) {
	c, m := aviary(t, 2)
	all, err := runs.Possible(c, m)
	require.NoError(t, err)
	require.Len(t, all, 3)
	sum := 9 + 1 + 3*0.05
	for i, want := range []float64{9 / sum, 1 / sum, 0.15 / sum} {
		assert.InDelta(t, want, all[i].Weight, 1e-9)
	}
}

// TestClues: what goes dead with what, what is counted and what is seen decides
// the order (common practice, no source).
func TestClues(t *testing.T) {
	for _, row := range []struct {
		name  string
		clues []runs.Clue
		box   string
		from  string
		sure  bool
	}{
		{"nothing known: the guess", nil, "B3", "B2", false},
		{"seen", []runs.Clue{{Kind: runs.FedFrom, Box: "B3", With: "B1"}}, "B3", "B1", true},
		{"turned round", []runs.Clue{
			{Kind: runs.DiesWith, Box: "B1", With: "B2"}, {Kind: runs.DiesWith, Box: "B2", With: "B3"}, {Kind: runs.StaysWith, Box: "B3", With: "B1"},
			{Kind: runs.StaysWith, Box: "B3", With: "B2"},
		}, "B1", "B2", false},
		{"a branch", []runs.Clue{
			{Kind: runs.CableCount, Box: "B1", Count: 3}, {Kind: runs.CableCount, Box: "B2", Count: 1}, {Kind: runs.CableCount, Box: "B3", Count: 1},
		}, "B3", "B1", true},
		{"near one, far from the other", []runs.Clue{
			{Kind: runs.Distance, Box: "B3", With: "B1", Feet: 4}, {Kind: runs.Distance, Box: "B3", With: "B2", Feet: 90},
		}, "B3", "B1", false},
		{"cannot be", []runs.Clue{{Kind: runs.CannotBe, Box: "B3", With: "B2"}, {Kind: runs.CannotBe, Box: "B3", With: circuit.Panel}}, "B3", "B1", true},
	} {
		t.Run(row.name, func(t *testing.T) {
			c, m := aviary(t, 3)
			m.Clues = row.clues
			p := feeds(t, c, m, row.box)
			assert.Equal(t, row.from, p.Feeds[0].From)
			assert.Equal(t, row.sure, p.Sure, "%v", p.Feeds)
		})
	}
}

func TestSureStaysSure(t *testing.T) {
	c, _ := aviary(t, 4)
	all, err := runs.Possible(c, runs.Map{})
	require.NoError(t, err)
	require.Len(t, all, 1)
	d, err := all[0].On(c)
	require.NoError(t, err)
	assert.Equal(t, c, d)
}

func TestEightBoxes(t *testing.T) {
	c, m := aviary(t, 8)
	m.Clues = []runs.Clue{{Kind: runs.DiesWith, Box: "B8", With: "B2"}}
	all, err := runs.Possible(c, m)
	require.NoError(t, err)
	total := 0.0
	for _, r := range all {
		total += r.Weight
	}
	assert.InDelta(t, 1, total, 1e-9)
	again, err := runs.Possible(c, m)
	require.NoError(t, err)
	assert.Equal(t, all, again, "the same map, the same ways")
	some := runs.Sample(all, 10)
	assert.LessOrEqual(t, len(some), 10)
	for _, r := range some {
		_, err := r.On(c)
		assert.NoError(t, err)
	}
}

func TestBadMaps(t *testing.T) {
	c, _ := aviary(t, 2)
	for text, want := range map[string]string{
		`{"format":"elvat-map/2"}`:                                                       `format: "elvat-map/2"`,
		`{"format":"elvat-map/1","unsure":["B9"]}`:                                       `unsure: no box "B9"`,
		`{"format":"elvat-map/1","order":[]}`:                                            "order",
		`{"format":"elvat-map/1","clues":[{"kind":"hunch","box":"B1"}]}`:                 "clues[0]: kind",
		`{"format":"elvat-map/1","clues":[{"kind":"fed-from","box":"B1","with":"B1"}]}`:  "the box itself",
		`{"format":"elvat-map/1","clues":[{"kind":"cable-count","box":"B1","count":0}]}`: "count",
		`{"format":"elvat-map/1","clues":[{"kind":"distance","box":"B1","with":"B2"}]}`:  "feet",
	} {
		_, err := runs.Parse([]byte(text), c)
		assert.ErrorContains(t, err, want)
	}
}

func BenchmarkEightBoxesOfUnknownOrder(b *testing.B) {
	c, m := aviary(b, 8)
	for b.Loop() {
		if _, err := runs.Possible(c, m); err != nil {
			b.Fatal(err)
		}
	}
}

func TestSure(t *testing.T) {
	c := circuit.New("run")
	for _, after := range []string{circuit.Panel, "B1", "B2"} {
		require.NoError(t, c.AddStop(circuit.NewStop{After: after, Ground: true}))
	}
	m := runs.Map{Unsure: []string{"B2"}}
	assert.False(t, m.Sure(c, "B2"), "what feeds it is open")
	assert.False(t, m.Sure(c, "B1"), "and so is whether it feeds it")
	assert.True(t, m.Sure(c, "B3"))
	assert.True(t, runs.Map{}.Sure(c, "B2"))
}
