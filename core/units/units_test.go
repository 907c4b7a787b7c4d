package units

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestTables: the metric columns that the code's own tables print beside the US ones
// (NEC 314.16(A) and (B), 300.14, 314.20, from memory).
func TestTables(t *testing.T) {
	for _, row := range []struct{ us, metric string }{
		{"18_in³", "295_cm³"},
		{"20.3_in³", "333_cm³"},
		{"12.5_in³", "205_cm³"},
		{"2_in³", "32.8_cm³"},
		{"2.25_in³", "36.9_cm³"},
		{"2.5_in³", "41_cm³"},
		{"5_in³", "81.9_cm³"},
		{"1/4_in", "6.4_mm"}, // the code says 6
		{"1/8_in", "3.2_mm"},
		{"6_ft", "1.8_m"},
		{"5 1/2_ft", "1.7_m"},
		{"0.5_ft", "0.15_m"},
		{"2 3/4_in x 4 1/2_in", "70_mm x 114_mm"},
		{"3 x 6_in", "3 x 152_mm"},
		{"9 + 4.5 = 13.5_in³", "147 + 73.7 = 221_cm³"},
		{"14 to 18_lbf in", "14 to 18_lbf in (1.6 to 2_N·m)"},
		{"14 a 18_lbf pulg", "14 a 18_lbf pulg (1.6 a 2_N·m)"},
		{"de 5/8_pulg", "de 16_mm"},
		{"18.5 of 14_in³", "303 of 229_cm³"},
		{"12 AWG, 6_in, 14-2", "12 AWG, 152_mm, 14-2"},
		{"a box 6 in deep, said by hand", "a box 6 in deep, said by hand"},
		{"1/0_in", "0_mm"},
	} {
		spaced := func(s string) string { return strings.ReplaceAll(s, "_", Join) }
		assert.Equal(t, spaced(row.metric), Metric.Say(spaced(row.us)))
		assert.Equal(t, spaced(row.us), US.Say(spaced(row.us)))
	}
}

func TestSystem(t *testing.T) {
	require.NoError(t, US.Check())
	require.NoError(t, Metric.Check())
	require.ErrorContains(t, System("imperial").Check(), "units")
	v, unit := InMetric(100, "A")
	assert.Equal(t, 100.0, v)
	assert.Equal(t, "A", unit)
	assert.Equal(t, "7.5"+Join+"ft", Of(7.5, Foot))
}
