package supply

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/makeup"
)

func run(t *testing.T) *circuit.Circuit {
	c := circuit.New("Glass shed")
	c.Breaker.Amps = 20
	for _, stop := range []circuit.NewStop{{After: circuit.Panel, Label: "Bench", GFCI: true, Ground: true, AWG: 12, Feet: 40}, {After: "B1", Label: "Grinder", Ground: true, AWG: 12, Feet: 15}} {
		require.NoError(t, c.AddStop(stop))
	}
	c.Boxes[0].Devices[0].ID, c.Boxes[1].Devices[0].ID = "G1", "R2"
	return c
}

func suspects(all ...diagnosis.Suspect) *diagnosis.Result { return &diagnosis.Result{Suspects: all} }

func one(p float64, faults ...circuit.Fault) diagnosis.Suspect {
	return diagnosis.Suspect{Name: "x", Faults: faults, Probability: p}
}

func items(needs []Need) (names []string) {
	for _, n := range needs {
		names = append(names, n.Item)
	}
	return names
}

// TestWhatEachFaultNeeds: common practice, no source.
func TestWhatEachFaultNeeds(t *testing.T) {
	c := run(t)
	for _, row := range []struct {
		name  string
		fault circuit.Fault
		want  []string
	}{
		{"worn-out GFCI", circuit.Fault{Kind: circuit.GFCIFault, At: "G1", State: "dead"}, []string{"20 A GFCI receptacle, tamper-resistant", "wall plate", "marking label"}},
		{"tripped: a reset uses nothing up", circuit.Fault{Kind: circuit.GFCIFault, At: "G1", State: "tripped"}, nil},
		{"line and load exchanged", circuit.Fault{Kind: circuit.GFCIFault, At: "G1", State: "line-load-swapped"}, []string{"12 AWG black", "12 AWG white", "12 AWG green", "marking label"}},
		{"a wire that let go", circuit.Fault{Kind: circuit.Open, At: "W2@B2.hot"}, []string{"15 A duplex receptacle, tamper-resistant", "lever, 3-wire", "12 AWG black", "12 AWG white", "12 AWG green"}},
		{"inside a cable", circuit.Fault{Kind: circuit.Open, At: "W2.hot"}, []string{"NM cable 12-2 with ground", "lever, 3-wire"}},
		{"at the panel", circuit.Fault{Kind: circuit.Open, At: "W1@panel.neutral"}, []string{"12 AWG black", "12 AWG white", "12 AWG green"}},
		{"a breaker that is off", circuit.Fault{Kind: circuit.BreakerAt, At: "panel", State: "off"}, nil},
		{"bootleg", circuit.Fault{Kind: circuit.Bonded, At: "R2", Pair: circuit.NeutralGround}, []string{"15 A duplex receptacle, tamper-resistant", "lever, 3-wire", "12 AWG black", "12 AWG white", "12 AWG green", "ground screw, 10-32"}},
	} {
		assert.ElementsMatch(t, row.want, items(List(c, suspects(one(1, row.fault)), diagnosis.Conditions{})), row.name)
	}
	outdoors := diagnosis.Conditions{Boxes: map[string][]diagnosis.Condition{"B1": {diagnosis.Outdoors}}}
	assert.Contains(t, items(List(c, suspects(one(1, circuit.Fault{Kind: circuit.GFCIFault, At: "G1", State: "dead"})), outdoors)),
		"20 A GFCI receptacle, tamper-resistant, weather-resistant", "406.9 (from memory)")
}

// TestList: needs of several suspects add up by probability, none is certain,
// and what is hardly likely stays at home.
func TestList(t *testing.T) {
	c := run(t)
	open := circuit.Fault{Kind: circuit.Open, At: "W2@B2.hot"}
	cable := circuit.Fault{Kind: circuit.Open, At: "W2.hot"}
	needs := List(
		c,
		suspects(
			one(0.7, open),
			one(0.29, cable),
			one(0.01, circuit.Fault{Kind: circuit.GFCIFault, At: "G1", State: "dead"}),
		),
		diagnosis.Conditions{},
	)
	assert.Equal(t, "lever, 3-wire", needs[0].Item, "asked for by both")
	assert.InDelta(t, 0.99, needs[0].Probability, 1e-9)
	assert.NotContains(t, items(needs), "20 A GFCI receptacle, tamper-resistant")
	for _, n := range needs {
		if n.Unit == "ft" && strings.Contains(n.Item, "cable") {
			assert.Equal(t, 21.0, n.Count, "the old cable's 15 ft, and some to spare")
		}
	}
	twice := List(c, suspects(one(1, open, circuit.Fault{Kind: circuit.Open, At: "W1@B1.hot"})), diagnosis.Conditions{})
	assert.LessOrEqual(t, twice[0].Probability, 0.99, "two faults of one suspect count once, and nothing is certain")
	picks := Against(needs, map[string]float64{"lever, 3-wire": 2, "12 AWG black": -4})
	assert.Equal(t, 1.0, picks[0].Short)
	for _, p := range picks[1:] {
		assert.Equal(t, p.Count, p.Short, "a van that owes has none")
	}
	assert.Empty(t, List(c, suspects(one(1)), diagnosis.Conditions{}), "nothing wrong, nothing needed")
}

// TestTake: the van is the one named, or used on the call before, or that has
// most; none gives more than it has.
func TestTake(t *testing.T) {
	levers := makeup.Material{Item: "lever, 3-wire", Count: 3}
	plate := makeup.Material{Item: "wall plate", Count: 1}
	stock := []Stocked{
		{"Van 1", "lever, 3-wire", 2},
		{"Van 2", "lever, 3-wire", 40},
		{"Van 2", "wall plate", 5},
		{"", "wall plate", -9},
		{"Van 3", "wall plate", -2},
	}
	for _, row := range []struct {
		name      string
		materials []makeup.Material
		van       string
		used      []string
		want      []Use
	}{
		{"that which has most", []makeup.Material{levers, plate}, "", nil, []Use{{"Van 2", "lever, 3-wire", "", 3}, {"Van 2", "wall plate", "", 1}}},
		{"that of the call", []makeup.Material{levers, plate}, "", []string{"Van 1"}, []Use{{"Van 1", "lever, 3-wire", "", 2}, {"", "lever, 3-wire", "", 1}, {"", "wall plate", "", 1}}},
		{"that which is named", []makeup.Material{levers}, "Van 1", []string{"Van 2"}, []Use{{"Van 1", "lever, 3-wire", "", 2}, {"", "lever, 3-wire", "", 1}}},
		{"one that owes has none", []makeup.Material{plate}, "Van 3", nil, []Use{{"", "wall plate", "", 1}}},
		{"the same item twice", []makeup.Material{levers, levers}, "Van 1", nil, []Use{{"Van 1", "lever, 3-wire", "", 2}, {"", "lever, 3-wire", "", 1}, {"", "lever, 3-wire", "", 3}}},
		{"no van has any", []makeup.Material{{Item: "smart receptacle", Count: 1}}, "", nil, []Use{{"", "smart receptacle", "", 1}}},
		{"nothing used", nil, "", nil, nil},
	} {
		assert.Equal(t, row.want, Take(row.materials, stock, row.van, row.used), row.name)
	}
}

// TestPicksAndUseMeet: what is taken along for a fault and what its make-up uses up
// are the same items.
func TestPicksAndUseMeet(t *testing.T) {
	c := run(t)
	picked := items(List(c, suspects(one(1, circuit.Fault{Kind: circuit.Open, At: "W2@B2.hot"})), diagnosis.Conditions{}))
	for _, item := range []string{makeup.JumperItem(12, "black"), makeup.JumperItem(12, "white"), makeup.JumperItem(12, "green")} {
		assert.Contains(t, picked, item)
	}
}

// TestTogether: two calls that ask for the same thing want both, and it is likelier wanted than
// by either alone.
func TestTogether(t *testing.T) {
	pick := func(item string, count, p, have float64) Pick {
		return Pick{Need: Need{Item: item, Count: count, Probability: p}, Have: have, Short: max(0, count-have)}
	}
	all := Together(nil, []Pick{pick("lever", 2, 0.5, 3), pick("box", 1, 0.6, 0)}, "Loft")
	all = Together(all, []Pick{pick("lever", 2, 0.5, 3)}, "Porch")
	assert.Len(t, all, 2)
	assert.Equal(t, "lever", all[0].Item, "wanted with 75 %")
	assert.InDelta(t, 0.75, all[0].Probability, 1e-9)
	assert.Equal(t, 4.0, all[0].Count)
	assert.Equal(t, 1.0, all[0].Short)
	assert.Equal(t, "Loft, Porch", all[0].Why)
	assert.Equal(t, "Loft", all[1].Why)
}
