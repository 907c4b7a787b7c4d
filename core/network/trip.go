package network

import "math"

// Limits of a Class A ground-fault interrupter in amperes: below the first it
// must not trip, from the second on it must.
// Source: UL 943 (from memory).
const (
	ClassALeast = 0.004
	ClassAMost  = 0.006
)

// shortestTrip is the least time that the standard asks a device to be quick in.
const shortestTrip = 0.025

// GFCITripSeconds is the longest a Class A device may take to trip at a ground
// fault of the given amperes; infinite below what it must trip at, and never less than
// the 25 ms it is given above 264 mA.
// Source: UL 943, (20 / I)^1.43 with I in milliamperes up to 264 mA (from memory).
func GFCITripSeconds(amps float64) float64 {
	if amps < ClassAMost {
		return math.Inf(1)
	}
	return max(math.Pow(20/(amps*1000), 1.43), shortestTrip)
}
