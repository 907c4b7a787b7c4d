package diagnosis_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/draw"
	"elvat/core/fault"
	"elvat/core/tester"
)

func siteProbability(r *diagnosis.Result, site string) float64 {
	for _, s := range r.Sites {
		if s.Site == site {
			return s.Probability
		}
	}
	return 0
}

// TestEyes: a box that was opened and found sound hands its suspicion on; what
// was found is still there until it is put right.
func TestEyes(t *testing.T) {
	c := bindery(t)
	open := circuit.Fault{Kind: circuit.Open, At: "W3@B3.neutral"}
	readings := taken(t, c, []circuit.Fault{open}, plug, "R2", "R3", "R4")
	before := diagnose(t, c, readings)
	assert.Equal(t, "B2", before.Sites[0].Site)

	looked := append(readings, tester.Reading{Tool: tester.Eyes, Site: "B2", Found: &tester.Found{}})
	sound := diagnose(t, c, looked)
	assert.Less(t, siteProbability(sound, "B2"), siteProbability(before, "B2")/5)
	assert.Equal(t, "B3", sound.Sites[0].Site)

	found := append(
		looked,
		tester.Reading{Tool: tester.Eyes, Site: "B3", Found: &tester.Found{Faults: []circuit.Fault{open}}},
	)
	seen := diagnose(t, c, found)
	assert.Greater(t, siteProbability(seen, "B3"), 0.95)
	require.NotEmpty(t, seen.Suspects)
	assert.Contains(t, seen.Suspects[0].Faults, open)

	still := diagnosis.StillThere(c, found)
	require.Len(t, still, 1)
	assert.Equal(t, "open neutral at Press, end of the cable from Bench", still[0].Words)

	fixed := append(found, tester.Reading{Tool: tester.Fixed, Faults: []circuit.Fault{open}})
	assert.Empty(t, diagnosis.StillThere(c, fixed))
	after := diagnose(t, c, fixed)
	assert.Equal(t, "nothing wrong", after.Suspects[0].Name)
	proved := append(fixed, taken(t, c, nil, plug, "R3", "R4")...)
	end := diagnose(t, c, proved)
	assert.Equal(t, "nothing wrong", end.Suspects[0].Name)
	assert.Greater(t, end.Suspects[0].Probability, after.Suspects[0].Probability)
}

// TestStillWrongAfterTheFix: readings after a fix are evidence about another
// circuit, so what is still dead points at a second fault.
func TestStillWrongAfterTheFix(t *testing.T) {
	c := bindery(t)
	open := circuit.Fault{Kind: circuit.Open, At: "W3@B3.neutral"}
	second := circuit.Fault{Kind: circuit.Swapped, At: "R4", Pair: circuit.HotNeutral}
	both := []circuit.Fault{open, second}
	readings := taken(t, c, both, plug, "R2", "R3", "R4")
	readings = append(readings,
		tester.Reading{Tool: tester.Eyes, Site: "B3", Found: &tester.Found{Faults: both[:1]}},
		tester.Reading{Tool: tester.Fixed, Faults: both[:1]})
	readings = append(readings, taken(t, c, both[1:], plug, "R3", "R4")...)
	got := diagnose(t, c, readings)
	assert.Equal(t, "reversed polarity", got.Suspects[0].Name)
	assert.Contains(t, []string{"B4", "B3"}, got.Suspects[0].Site)
}

// TestFinds: what could be found in a box is what is wrong in that box alone,
// also where a second fault elsewhere belongs to the explanation.
func TestFinds(t *testing.T) {
	c := bindery(t)
	both := []circuit.Fault{
		{Kind: circuit.Swapped, At: "R1", Pair: circuit.HotNeutral},
		{Kind: circuit.Swapped, At: "R4", Pair: circuit.HotNeutral},
	}
	got := diagnose(t, c, taken(t, c, both, tester.AtOutlets[:1], "R1", "R2", "R3", "R4", "R5"))
	opened := 0
	for _, next := range got.Next {
		if next.Do != diagnosis.DoOpen || next.Site != "B1" && next.Site != "B4" {
			continue
		}
		opened++
		require.NotEmpty(t, next.Finds, next.Say)
		assert.Contains(t, next.Finds[0].Words, "reversed polarity")
		for _, find := range next.Finds {
			for _, f := range find.Faults {
				assert.Equal(t, next.Site, fault.Site(c, []circuit.Fault{f}), "%s", find.Words)
			}
		}
	}
	assert.NotZero(t, opened)
}

// TestForgettingPairs: an engine that was asked many different things gives the
// same answer as a fresh one.
func TestForgettingPairs(t *testing.T) {
	c := bindery(t)
	long := engine(t, c)
	r := rand.New(rand.NewPCG(9, 9))
	for range 40 {
		faults := draw.Faults(r, c, 2, circuit.Open, circuit.Swapped)
		_, err := long.Diagnose(taken(t, c, faults, plug, "R1", "R3", "R4", "R5"))
		require.NoError(t, err)
	}
	readings := taken(t, c, draw.Faults(r, c, 2, circuit.Open), plug, "R2", "R3", "R4")
	got, err := long.Diagnose(readings)
	require.NoError(t, err)
	assert.Equal(t, diagnose(t, c, readings).Suspects, got.Suspects)
}

// TestPutRight: where something was mended, each place once.
func TestPutRight(t *testing.T) {
	c := circuit.New("run")
	for _, after := range []string{circuit.Panel, "B1"} {
		require.NoError(t, c.AddStop(circuit.NewStop{After: after, Ground: true}))
	}
	fixed := func(faults ...circuit.Fault) tester.Reading {
		return tester.Reading{Tool: tester.Fixed, Faults: faults}
	}
	for _, row := range []struct {
		readings []tester.Reading
		want     []string
	}{
		{nil, nil},
		{[]tester.Reading{{Tool: tester.Eyes, Site: "B1", Found: &tester.Found{Faults: []circuit.Fault{{Kind: circuit.Open, At: "W1@B1.hot"}}}}}, nil},
		{[]tester.Reading{fixed(circuit.Fault{Kind: circuit.Open, At: "W1@B1.hot"})}, []string{"B1"}},
		{[]tester.Reading{fixed(circuit.Fault{Kind: circuit.Open, At: "W1@B1.hot"}, circuit.Fault{Kind: circuit.Open, At: "W2@B1.neutral"}), fixed(circuit.Fault{Kind: circuit.Open, At: "W2@B2.neutral"})}, []string{"B1", "B2"}},
		{[]tester.Reading{fixed(circuit.Fault{Kind: circuit.BreakerAt, At: circuit.Panel, State: "tripped"})}, []string{circuit.Panel}},
	} {
		assert.Equal(t, row.want, diagnosis.PutRight(c, row.readings))
	}
}

// TestTelling: what goes on paper is what fits and says something.
func TestTelling(t *testing.T) {
	evidence := []diagnosis.Evidence{
		{Words: "fits", Fits: true, Bits: 1},
		{Words: "says nothing", Fits: true, Bits: 0.1},
		{Words: "against", Bits: 3},
	}
	assert.Equal(t, []string{"fits"}, diagnosis.Telling(evidence))
	for range 20 {
		evidence = append(evidence, diagnosis.Evidence{Words: "more", Fits: true, Bits: 2})
	}
	assert.Len(t, diagnosis.Telling(evidence), 8)
}

// TestWhyAfterEyes: what eyes found is held against its cause in a sentence like any reading.
func TestWhyAfterEyes(t *testing.T) {
	c := bindery(t)
	open := circuit.Fault{Kind: circuit.Open, At: "W3@B3.neutral"}
	engine, err := diagnosis.NewEngine(c, diagnosis.Defaults())
	require.NoError(t, err)
	for _, found := range []*tester.Found{{Faults: []circuit.Fault{open}}, {}} {
		all, err := engine.Why([]tester.Reading{{Tool: tester.Eyes, Site: "B3", Found: found}}, []circuit.Fault{open}, nil)
		require.NoError(t, err)
		require.Len(t, all, 1)
		assert.NotEmpty(t, all[0].Words)
	}
}
