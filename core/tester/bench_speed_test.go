package tester_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/draw"
	"elvat/core/tester"
)

// BenchmarkOneTester is one plug tester at one outlet of a 12-box run under
// one fault, on a prepared bench.
func BenchmarkOneTester(b *testing.B) {
	c := draw.Circuit(rand.New(rand.NewPCG(12, 12)), draw.Options{Boxes: 12, Plain: true})
	bench, err := tester.NewBench(c)
	require.NoError(b, err)
	k, err := bench.Try([]circuit.Fault{{Kind: circuit.Open, At: "W6@B6.neutral"}})
	require.NoError(b, err)
	o := bench.Outlets()[10]
	for b.Loop() {
		k.LampVolts(o)
	}
}

// BenchmarkOneTesterFromNothing builds and solves the circuit for each question.
func BenchmarkOneTesterFromNothing(b *testing.B) {
	c := draw.Circuit(rand.New(rand.NewPCG(12, 12)), draw.Options{Boxes: 12, Plain: true})
	for b.Loop() {
		bench, err := tester.NewBench(c)
		require.NoError(b, err)
		k, err := bench.Try([]circuit.Fault{{Kind: circuit.Open, At: "W6@B6.neutral"}})
		require.NoError(b, err)
		k.LampVolts(bench.Outlets()[10])
	}
}
