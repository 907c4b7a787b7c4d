package makeup

import (
	"math/rand/v2"
	"testing"

	"elvat/core/practice"
)

// BenchmarkPlan plans and proves boxes drawn at random, one after another.
func BenchmarkPlan(b *testing.B) {
	var boxes []*Box
	for seed := range uint64(64) {
		box := drawBox(rand.New(rand.NewPCG(seed, 5)))
		if box.Check() == nil {
			boxes = append(boxes, box)
		}
	}
	b.ResetTimer()
	for i := 0; b.Loop(); i++ {
		if _, err := Make(boxes[i%len(boxes)], practice.Shop{}, nil); err != nil {
			b.Fatal(err)
		}
	}
}
