package sums

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/makeup"
	"elvat/core/practice"
	"elvat/core/units"
)

// TestAnswers against handbook figures, from memory where a table is named.
func TestAnswers(t *testing.T) {
	for _, row := range []struct {
		key    string
		given  map[string]float64
		want   string
		over   bool
		source string
	}{
		{"fill", nil, "20.25\u00a0in³", true, "three 12-2 cables and a GFCI in 18 in3: NEC handbook kind"},
		{"fill", map[string]float64{"volume": 21}, "20.25\u00a0in³", false, "the same in 4 square x 1 1/2"},
		{"fill", map[string]float64{"c122": 0, "c142": 2, "clamps": 1, "volume": 14}, "16\u00a0in³", true, "8 + 2 + 4 + 2 by table 314.16(B)(1)"},
		{"fill", map[string]float64{"c122": 5, "edition": 2017, "volume": 30}, "29.25\u00a0in³", false, "ten conductors, a device, grounds as one"},
		{"drop", nil, "2.4 %", false, "NEC chapter 9 table 8: 12 AWG 1.93 ohm per 1000 ft; 2 x 50 x 1.93 / 1000 x 15 = 2.90 V"},
		{"drop", map[string]float64{"gauge": 14, "feet": 100, "amps": 12}, "6.1 %", true, "table 8: 14 AWG 3.07 ohm; 7.37 V"},
		{"drop", map[string]float64{"gauge": 10, "feet": 100, "amps": 20}, "4.0 %", true, "table 8: 10 AWG 1.21 ohm; 4.84 V"},
		{"trip", map[string]float64{"mA": 6}, "5.59 s", false, "UL 943: 5.6 s at 6 mA"},
		{"trip", map[string]float64{"mA": 264}, "0.025 s", false, "UL 943: 25 ms at 264 mA"},
		{"trip", map[string]float64{"mA": 4000}, "0.025 s", false, "UL 943: no less than 25 ms above 264 mA"},
		{"trip", map[string]float64{"mA": 3}, "does not trip", false, "UL 943: none below 4 mA"},
		{"trip", map[string]float64{"mA": 5}, "may or may not trip", false, "UL 943"},
		{"leakage", map[string]float64{"cord": 4, "fixed": 2, "feet": 0}, "3.50 mA", false, "UL 101: 0.5 and 0.75 mA"},
		{"leakage", map[string]float64{"cord": 8, "feet": 0}, "4.00 mA", true, "UL 101"},
		{"heat", nil, "14.4 W", true, "0.1 ohm at 12 A"},
		{"heat", map[string]float64{"ohms": 0.01}, "1.44 W", false, "Joule"},
		{"strip", map[string]float64{"way": 0}, "3/4\u00a0in", false, "common practice, no source"},
		{"strip", map[string]float64{"way": 3}, "7/16\u00a0in", false, "common practice, no source"},
		{"spacers", nil, "2", false, "1/8 in by 1/16 in"},
		{"spacers", map[string]float64{"setback": 0.5}, "8", true, "NEC 314.20"},
		{"spacers", map[string]float64{"wall": 1}, "2", true, "NEC 314.20, wood"},
		{"plate", map[string]float64{"gap": 0.0625}, "standard, 2 3/4\u00a0in x 4 1/2\u00a0in", false, "plate sizes from memory"},
		{"plate", map[string]float64{"gap": 0.5}, "large, 3 1/2\u00a0in x 5 1/4\u00a0in", true, "plate sizes from memory"},
		{"plate", map[string]float64{"gap": 2}, "none covers it", true, ""},
		{"ratings", nil, "15 or 20 A", false, "NEC table 210.21(B)(3)"},
		{"ratings", map[string]float64{"alone": 1}, "20 A", false, "NEC 210.21(B)(1)"},
		{"ratings", map[string]float64{"breaker": 15}, "15 A", false, "NEC table 210.21(B)(3)"},
	} {
		s, err := Find(row.key)
		require.NoError(t, err)
		a, err := s.Work(row.given)
		require.NoError(t, err, row.source)
		main := ""
		for _, line := range a.Lines {
			if line.Main {
				main = line.Value
			}
		}
		assert.Equal(t, row.want, main, "%s %v: %s", row.key, row.given, row.source)
		assert.Equal(t, row.over, a.Over, "%s %v", row.key, row.given)
		assert.NotEmpty(t, a.Says)
		assert.NotEmpty(t, a.Working)
	}
}

func TestEverySumCanBeShown(t *testing.T) {
	seen := map[string]bool{}
	for _, s := range All() {
		assert.False(t, seen[s.Key])
		seen[s.Key] = true
		assert.NotEmpty(t, s.Formula+s.Source, s.Key)
		for _, f := range s.Fields {
			assert.NotEmpty(t, f.Words)
			for _, c := range f.Choices {
				_, err := s.Work(map[string]float64{f.Key: c.Value})
				assert.NoError(t, err, "%s: %s %v", s.Key, f.Key, c)
			}
		}
	}
}

func TestBadSums(t *testing.T) {
	_, err := Find("gold")
	assert.ErrorContains(t, err, "gold")
	for _, row := range []struct {
		given map[string]float64
		says  string
	}{
		{map[string]float64{"feet": -1}, "One way: -1"}, {map[string]float64{"gauge": 13}, "Wire: 13"}, {map[string]float64{"colour": 1}, "colour"}, {map[string]float64{"amps": math.NaN()}, "Load"},
	} {
		_, err := drop.Work(row.given)
		assert.ErrorContains(t, err, row.says)
	}
}

// TestDropAgainstTheTable: 2 x feet x ohm per 1000 ft x amperes, with the
// resistances of NEC chapter 9 table 8 (uncoated copper, solid, 75 C; from memory).
func TestDropAgainstTheTable(t *testing.T) {
	table := map[float64]float64{14: 3.07, 12: 1.93, 10: 1.21, 8: 0.764}
	for gauge, ohms := range table {
		for _, feet := range []float64{10, 50, 120, 400} {
			for _, amps := range []float64{1, 12, 16} {
				a, err := drop.Work(map[string]float64{"gauge": gauge, "feet": feet, "amps": amps})
				require.NoError(t, err)
				want := 2 * feet * ohms / 1000 * amps
				var got float64
				_, err = fmt.Sscanf(a.Lines[0].Value, "%f V", &got)
				require.NoError(t, err)
				assert.InDelta(t, want, got, 0.01*want+0.006, "%g AWG, %g ft, %g A", gauge, feet, amps)
				assert.Equal(t, 100*want/120 > 3.05, a.Over && 100*want/120 > 3.05)
			}
		}
	}
}

// TestTripTimesAgainstTheStandard: UL 943, (20 / I) to the power 1.43 (from memory).
func TestTripTimesAgainstTheStandard(t *testing.T) {
	for mA, seconds := range map[float64]float64{6: 5.59, 10: 2.69, 20: 1, 40: 0.371, 100: 0.1, 264: 0.025} {
		a, err := tripTime.Work(map[string]float64{"mA": mA})
		require.NoError(t, err)
		var got float64
		_, err = fmt.Sscanf(a.Lines[0].Value, "%f s", &got)
		require.NoError(t, err)
		assert.InEpsilon(t, seconds, got, 0.01, "%g mA", mA)
	}
}

// TestFillAgreesWithTheOpenedBox: the sum and the plan count the same.
func TestFillAgreesWithTheOpenedBox(t *testing.T) {
	twelve := []circuit.Conductor{circuit.Hot, circuit.Neutral, circuit.Ground}
	for n := 1; n <= 6; n++ {
		b := &makeup.Box{
			Format:  makeup.BoxFormat,
			ID:      "B1",
			Breaker: makeup.Breaker{Amps: 20},
			Box:     makeup.Enclosure{VolumeIn3: 30},
			Device:  &makeup.Device{ID: "D1", Kind: "receptacle", Amps: 15},
		}
		for i := range n {
			role := makeup.Outgoing
			if i == 0 {
				role = makeup.Line
			}
			b.Cables = append(b.Cables, makeup.Cable{ID: fmt.Sprintf("W%d", i+1), Role: role, AWG: 12, Conductors: twelve})
		}
		require.NoError(t, b.Check())
		p, err := makeup.Make(b, practice.Shop{}, nil)
		require.NoError(t, err)
		a, err := fill.Work(map[string]float64{"c122": float64(n), "volume": 30})
		require.NoError(t, err)
		assert.Equal(t, fmt.Sprintf("%g\u00a0in³", p.Fill.RequiredIn3), a.Lines[len(a.Lines)-1].Value)
		assert.Equal(t, !p.Fill.OK, a.Over)
	}
}

// TestMetric: asked and answered in metric, a sum comes to the same as in US units.
func TestMetric(t *testing.T) {
	for _, c := range []struct {
		sum  string
		in   map[string]float64
		main string
		why  string
	}{
		{"fill", map[string]float64{"volume": 295}, "332" + units.Join + "cm³", "20.25 in3 in 18"},
		{"drop", map[string]float64{"feet": 15.24}, "2.4 %", "50 ft of 12 AWG at 15 A: chapter 9 table 8, from memory"},
		{"strip", map[string]float64{"way": 0}, "19" + units.Join + "mm", "3/4\u00a0in"},
		{"spacers", map[string]float64{"setback": 6.4}, "4", "1/4 in"},
		{"plate", map[string]float64{"gap": 6.4}, "", "1/4 in each side"},
		{"heat", map[string]float64{"amps": 12, "ohms": 0.1}, "14.4 W", "no length in it"},
	} {
		sum, err := Find(c.sum)
		require.NoError(t, err)
		metric := sum.In(units.Metric)
		for _, f := range metric.Fields {
			assert.NotContains(t, []string{units.Foot, units.Inch, units.CubicInch}, f.Unit, c.sum)
			assert.GreaterOrEqual(t, f.Usual, f.Least, f.Key)
			for _, choice := range f.Choices {
				_, err := metric.Work(map[string]float64{f.Key: choice.Value})
				require.NoError(t, err, "%s: %s", c.sum, choice.Words)
			}
		}
		a, err := metric.Work(c.in)
		require.NoError(t, err, c.why)
		for _, l := range a.Lines {
			if l.Main && c.main != "" {
				assert.Equal(t, c.main, units.Metric.Say(l.Value), c.why)
			}
		}
		// As usual, both come to the same.
		us, err := sum.Work(nil)
		require.NoError(t, err)
		usual, err := metric.Work(nil)
		require.NoError(t, err)
		assert.Equal(t, us, usual, c.sum)
		_, err = sum.In(units.US).Work(nil)
		require.NoError(t, err)
	}
	full, err := Find("fill")
	require.NoError(t, err)
	a, err := full.In(units.Metric).Work(map[string]float64{"volume": 229, "c122": 0, "c142": 2})
	require.NoError(t, err)
	assert.False(t, a.Over, "seven times 2 in3 fill 14 in3, which rounds to 229 cm3, to the brim")
}
