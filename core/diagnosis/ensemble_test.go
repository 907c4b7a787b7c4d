package diagnosis_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/runs"
	"elvat/core/tester"
)

// line is boxes one behind the other.
func line(t testing.TB, n int) *circuit.Circuit {
	c := circuit.New("line")
	after := circuit.Panel
	for range n {
		require.NoError(t, c.AddStop(circuit.NewStop{After: after, Ground: true}))
		after = c.Boxes[len(c.Boxes)-1].ID
	}
	return c
}

func ensemble(t testing.TB, c *circuit.Circuit, m runs.Map) *diagnosis.Ensemble {
	x, err := diagnosis.NewEnsemble(c, m, diagnosis.Defaults())
	require.NoError(t, err)
	return x
}

// TestKnownOrder: with nothing unsure an ensemble is one engine.
func TestKnownOrder(t *testing.T) {
	c := bindery(t)
	readings := taken(t, c, []circuit.Fault{{Kind: circuit.Open, At: "W3@B3.neutral"}}, plug, "R3", "R2")
	got, err := ensemble(t, c, runs.Map{}).Diagnose(readings)
	require.NoError(t, err)
	assert.Equal(t, diagnose(t, c, readings), got)
}

// TestUnknownOrder: a box taken for the last in line turns out, by what dies
// together, to sit between the others; the fault is looked for at its true
// neighbours.
func TestUnknownOrder(t *testing.T) {
	c := line(t, 4)
	// As it truly runs: panel, B1, B4, B2, B3.
	m := runs.Map{Unsure: []string{"B2", "B3", "B4"}}
	true4 := runs.Run{From: map[string]string{"B1": circuit.Panel, "B4": "B1", "B2": "B4", "B3": "B2"}}
	is, err := true4.On(c)
	require.NoError(t, err)
	fault := []circuit.Fault{{Kind: circuit.Open, At: "W4@B4.neutral"}}
	readings := taken(t, is, fault, plug, "R1", "R2", "R3", "R4")

	guess, err := ensemble(t, c, m).Diagnose(readings)
	require.NoError(t, err)
	m.Clues = []runs.Clue{{Kind: runs.DiesWith, Box: "B2", With: "B4"}, {Kind: runs.DiesWith, Box: "B3", With: "B4"}}
	told, err := ensemble(t, c, m).Diagnose(readings)
	require.NoError(t, err)

	of := func(r *diagnosis.Result, sites ...string) float64 {
		sum := 0.0
		for _, s := range r.Sites {
			for _, site := range sites {
				if s.Site == site {
					sum += s.Probability
				}
			}
		}
		return sum
	}
	assert.Greater(t, of(told, "B4", "B1"), of(guess, "B4", "B1"))
	assert.Greater(t, of(told, "B4", "B1"), 0.7)
	require.Len(t, told.Places, 4)
	assert.True(t, told.Places[0].Sure, "nothing was said to be unsure of B1")
	assert.Equal(t, "B1", told.Places[3].Feeds[0].From)
	sum := 0.0
	for _, s := range told.Suspects {
		sum += s.Probability
	}
	assert.InDelta(t, 1, sum+told.Unexplained, 0.1, "what is cut off is little")
}

// TestMappingCompetes: where it is not known what hangs on a GFCI, tripping it
// is among what is proposed, with what each outcome would mean.
func TestMappingCompetes(t *testing.T) {
	c := line(t, 3)
	gfci := true
	require.NoError(t, c.ChangeStop("B1", circuit.StopChange{GFCI: &gfci}))
	m := runs.Map{
		Unsure: []string{"B2", "B3"},
		Clues:  []runs.Clue{{Kind: runs.Distance, Box: "B2", With: circuit.Panel, Feet: 5}},
	}
	dead := taken(t, c, []circuit.Fault{{Kind: circuit.Open, At: "W2@B2.hot"}}, plug, "R1", "R2", "R3")
	got, err := ensemble(t, c, m).Diagnose(dead)
	require.NoError(t, err)
	found := false
	for _, next := range got.Next {
		if next.Do == diagnosis.DoMap && next.At == "R1" {
			found = true
			assert.GreaterOrEqual(t, len(next.Outcomes), 2)
			assert.Contains(t, next.Outcomes[0].Words, "dead")
		}
	}
	assert.True(t, found, "%v", got.Next)
}

// TestPlaceOfAReadingIsAClue: a reading on a cable's end in a box is only
// possible where the cable runs there.
func TestPlaceOfAReadingIsAClue(t *testing.T) {
	c := line(t, 3)
	m := runs.Map{Unsure: []string{"B3"}}
	at := tester.Sensor
	strong := []tester.Reading{{Tool: at, Point: "W3@B1.hot", Level: tester.Strong}}
	got, err := ensemble(t, c, m).Diagnose(strong)
	require.NoError(t, err)
	assert.Equal(t, "B1", got.Places[2].Feeds[0].From)
	assert.True(t, got.Places[2].Sure)
}

func BenchmarkEightBoxesOfUnknownOrder(b *testing.B) {
	c := line(b, 8)
	m := runs.Map{}
	for _, box := range c.Boxes {
		m.Unsure = append(m.Unsure, box.ID)
	}
	readings := taken(b, c, []circuit.Fault{{Kind: circuit.Open, At: "W5@B5.neutral"}}, plug, "R8", "R3")
	for b.Loop() {
		if _, err := ensemble(b, c, m).Diagnose(readings); err != nil {
			b.Fatal(err)
		}
	}
}
