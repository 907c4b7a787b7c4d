package wire

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestResistanceAgainstTheTable(t *testing.T) {
	const source = "NEC chapter 9 table 8, uncoated copper, solid (from memory)"
	for _, row := range []struct {
		gauge           Gauge
		ohmsPerThousand float64
	}{
		{18, 7.77}, {16, 4.89}, {14, 3.07}, {12, 1.93}, {10, 1.21}, {8, 0.764},
	} {
		got := 1000 * row.gauge.OhmsPerFoot(AsTabled)
		assert.InEpsilon(t, row.ohmsPerThousand, got, 0.01, "%d AWG: %s", row.gauge, source)
	}
}

func TestDiameterAgainstTheStandard(t *testing.T) {
	for _, row := range []struct {
		gauge  Gauge
		inches float64
	}{
		{18, 0.0403}, {16, 0.0508}, {14, 0.0641}, {12, 0.0808}, {10, 0.1019}, {8, 0.1285}, {6, 0.1620},
	} {
		assert.InDelta(t, row.inches, float64(row.gauge.Diameter()), 0.00006,
			"%d AWG: ASTM B258, diameter in inches (from memory)", row.gauge)
	}
}

func TestResistanceRisesWithTemperature(t *testing.T) {
	// Copper gains about 21.6 % from 20 to 75 C: 55 K at 0.393 % (handbook value, from memory).
	assert.InEpsilon(t, 1.216, Gauge(12).OhmsPerFoot(75)/Gauge(12).OhmsPerFoot(20), 0.001)
}

func TestGaugesThatAreNotMade(t *testing.T) {
	assert.NoError(t, Gauge(12).Check())
	for _, g := range []Gauge{13, 0, -2, 40} {
		assert.ErrorContains(t, g.Check(), "no building wire")
	}
}

func TestBoxes(t *testing.T) {
	// NEC table 314.16(A) (from memory).
	for _, row := range []struct {
		size string
		in3  CubicInches
	}{{"3 x 2 x 1 1/2", 7.5}, {"3 x 2 x 2 1/2", 12.5}, {"3 x 2 x 3 1/2", 18}, {"4 x 2 1/8 x 1 7/8", 13}, {"4 square x 1 1/2", 21}, {"4 square x 2 1/8", 30.3}, {"4 11/16 square x 2 1/8", 42}} {
		v, err := VolumeOf(row.size)
		assert.NoError(t, err)
		assert.Equal(t, row.in3, v, row.size)
	}
	for _, row := range []struct {
		as  string
		in3 CubicInches
	}{
		{"3x2x2 3/4", 14}, {"3 x 2 x 2-3/4", 14}, {"3X2X2.75", 14}, {`3" x 2" x 2-3/4"`, 14}, {"3 × 2 × 2¾", 14}, {"3 by 2 by 2 3/4 in.", 14},
		{"3x2x2½", 12.5}, {"3 x 2 x 2 1/2 inches", 12.5}, {"3*2*2", 10}, {"  3x2x3-1/2 ", 18}, {"4x2-1/8x1-7/8", 13}, {"4 x 2.125 x 1.875", 13},
		{"4 sq x 1 1/2", 21}, {"4 square x 1-1/2", 21}, {`4" sq. x 2-1/8"`, 30.3}, {"4x4x2 1/8", 30.3}, {"4-11/16 square x 2 1/8", 42}, {"4 11/16 x 4 11/16 x 1.5", 29.5},
	} {
		v, err := VolumeOf(row.as)
		assert.NoError(t, err, row.as)
		assert.Equal(t, row.in3, v, row.as)
	}
	for _, size := range []string{"", "x", "3x2", "3x2x9", "3x2x2x2", "big", "3x2x2 3/0", "-3x2x2"} {
		_, err := VolumeOf(size)
		assert.ErrorContains(t, err, "give the volume", size)
	}
	// NEC 240.4(D), copper and aluminium (from memory).
	for g, amps := range map[Gauge][2]float64{18: {7, 0}, 16: {10, 0}, 14: {15, 0}, 12: {20, 15}, 10: {30, 25}, 8: {0, 0}} {
		assert.Equal(t, amps, [2]float64{g.MostAmps(), g.MostAmpsAluminum()}, "%d AWG", g)
	}
	_, err := VolumeOf("round")
	assert.ErrorContains(t, err, `"round"`)
	// NEC table 314.16(B)(1), 240.4(D), table 310.16 at 60 C (from memory).
	assert.Equal(t, CubicInches(2.25), Gauge(12).Fill())
	assert.Equal(t, 20.0, Gauge(12).MostAmps())
	for amps, g := range map[float64]Gauge{15: 14, 20: 12, 25: 10, 30: 10, 40: 8, 50: 6, 55: 6, 60: 0, 200: 0} {
		assert.Equal(t, g, For(amps))
	}
}
