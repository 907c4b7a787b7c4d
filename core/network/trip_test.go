package network_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"elvat/core/network"
)

func TestTripSeconds(t *testing.T) {
	const source = "UL 943, (20/I)^1.43 s with I in mA (from memory)"
	for _, row := range []struct{ milliamps, seconds float64 }{
		{6, 5.59}, {20, 1}, {264, 0.025},
	} {
		assert.InEpsilon(
			t,
			row.seconds,
			network.GFCITripSeconds(row.milliamps/1000),
			0.01,
			"%v mA: %s",
			row.milliamps,
			source,
		)
	}
	assert.True(t, math.IsInf(network.GFCITripSeconds(0.0059), 1), "below 6 mA it need not trip")
	assert.GreaterOrEqual(t, network.Default.GFCITripAmps, network.ClassALeast, "Class A: 4 to 6 mA (UL 943, from memory)")
	assert.LessOrEqual(t, network.Default.GFCITripAmps, network.ClassAMost)
}
