// Package forecast says how long a call will take: from the complaint alone, as readings
// come, and corrected by what past calls really took. A forecast is a range, never a figure
// to be held to.
package forecast

import (
	"math"

	"elvat/core/diagnosis"
)

// Told is what a diagnosis tells of the minutes ahead.
type Told struct {
	Ahead    float64 // minutes expected until the fault is found
	Bits     float64 // entropy of where it is
	Outlets  int
	Readings int // taken so far
}

// Of is what the result tells.
func Of(r *diagnosis.Result, outlets, readings int) Told {
	t := Told{Outlets: outlets, Readings: readings}
	if len(r.Next) > 0 {
		t.Ahead = r.Next[0].Minutes + r.Next[0].Ahead
	}
	for _, s := range r.Weights {
		if s.Probability > 0 {
			t.Bits -= s.Probability * math.Log2(s.Probability)
		}
	}
	return t
}
