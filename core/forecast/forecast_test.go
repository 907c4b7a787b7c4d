package forecast

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestDiagnosis(t *testing.T) {
	last := Minutes{}
	for bits := 0.0; bits < 9; bits += 0.1 {
		m := Told{Bits: bits}.Diagnosis()
		assert.LessOrEqual(t, m.Least, m.Usual)
		assert.LessOrEqual(t, m.Usual, m.Most)
		assert.GreaterOrEqual(t, m.Usual, last.Usual, "the less is known the longer, at %g bits", bits)
		last = m
	}
}

func TestCall(t *testing.T) {
	open := &Told{Bits: 2}
	for _, row := range []struct {
		name            string
		shorter, longer Left
	}{
		{"before and after arriving", Left{Arrived: true, Told: open, Boxes: 1}, Left{Told: open, Boxes: 1}},
		{"found", Left{Arrived: true, Boxes: 1}, Left{Arrived: true, Told: open, Boxes: 1}},
		{"one box and two", Left{Told: open, Boxes: 1}, Left{Told: open, Boxes: 2}},
		{"made up", Left{Arrived: true, Outlets: 4}, Left{Arrived: true, Boxes: 1, Outlets: 4}},
		{"with a new circuit", Left{Told: open, Boxes: 1}, Left{Told: open, Boxes: 1, Planned: []Minutes{{200, 150, 300}}}},
		{"done", Left{Done: true, Boxes: 3}, Left{Arrived: true}},
	} {
		a, b := row.shorter.Call(), row.longer.Call()
		assert.Less(t, a.Usual, b.Usual, row.name)
		assert.Less(t, a.Most, b.Most, row.name)
	}
	// Of what does not hang together the spread adds by its squares.
	m := Minutes{20, 17, 24}.Plus(Minutes{10, 6, 13})
	assert.Equal(t, Minutes{30, 25, 35}, m)
}

// TestLearn has a shop whose calls take half as long again and scatter twice as wide: the
// corrected range holds four fifths of them, and little is learned from little.
func TestLearn(t *testing.T) {
	r := rand.New(rand.NewPCG(18, 3))
	expected := Minutes{60, 45, 80}
	took := func() float64 {
		d := r.NormFloat64() / z80
		side := math.Log(80.0 / 60)
		if d < 0 {
			side = math.Log(60.0 / 45)
		}
		return 60 * 1.5 * math.Exp(2*d*side)
	}
	assert.Equal(t, Correction{Factor: 1, Widen: 1}, Learn(nil))
	one := Learn([]Past{{expected, 90}})
	assert.Greater(t, one.Factor, 1.0)
	assert.Less(t, one.Factor, 1.1, "one call is no rule")
	var past []Past
	for range 300 {
		past = append(past, Past{expected, took()})
	}
	c := Learn(past)
	assert.InDelta(t, 1.5, c.Factor, 0.1)
	assert.InDelta(t, 2, c.Widen, 0.25)
	m := c.Of(expected)
	within := 0
	const more = 4000
	for range more {
		if v := took(); v >= m.Least && v <= m.Most {
			within++
		}
	}
	assert.InDelta(t, 0.8, float64(within)/more, 0.05)
	assert.Zero(t, c.Of(Minutes{}))
}
