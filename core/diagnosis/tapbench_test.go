package diagnosis_test

import (
	"testing"

	"elvat/core/circuit"
	"elvat/core/tester"
)

// BenchmarkTap is one reading more on a prepared engine, again and again, every
// second contradicting the one before.
func BenchmarkTap(b *testing.B) {
	c := line(b, 9)
	one := taken(
		b,
		c,
		[]circuit.Fault{{Kind: circuit.Open, At: "W5@B5.neutral"}},
		plug,
		"R9",
		"R2",
		"R5",
		"R4",
		"R6",
		"R7",
		"R8",
		"R3",
	)
	other := taken(b, c, nil, plug, "R9", "R2", "R5", "R4", "R6", "R7", "R8", "R3")
	e := engine(b, c)
	n := 0
	for b.Loop() {
		readings := []tester.Reading{}
		for i := range 1 + n%16 {
			if i%2 == 0 {
				readings = append(readings, one[i%len(one)])
			} else {
				readings = append(readings, other[i%len(other)])
			}
		}
		n++
		if _, err := e.Diagnose(readings); err != nil {
			b.Fatal(err)
		}
	}
}
