package tester_test

import (
	"fmt"
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

// BenchmarkOneHypothesis puts a fault on, follows its trips, and puts one plug
// tester on one outlet, at two lengths of run: the cost is flat in it.
func BenchmarkOneHypothesis(b *testing.B) {
	for _, boxes := range []int{12, 40} {
		b.Run(fmt.Sprint(boxes, " boxes"), func(b *testing.B) {
			c := draw.Circuit(rand.New(rand.NewPCG(12, 12)), draw.Options{Boxes: boxes, Plain: true})
			bench, err := tester.NewBench(c)
			require.NoError(b, err)
			v, err := bench.Model.Vary([]circuit.Fault{{Kind: circuit.Open, At: "W6@B6.neutral"}})
			require.NoError(b, err)
			o := bench.Outlets()[10]
			bench.Settle(v).LampVolts(o) // responses are worked out when first asked for
			for b.Loop() {
				bench.Settle(v).LampVolts(o)
			}
		})
	}
}

// BenchmarkOneHypothesisBehindGFCI is the same where currents are compared.
func BenchmarkOneHypothesisBehindGFCI(b *testing.B) {
	bench, err := tester.NewBench(behindGFCI(b))
	require.NoError(b, err)
	v, err := bench.Model.Vary([]circuit.Fault{{Kind: circuit.Open, At: "W3@B3.neutral"}})
	require.NoError(b, err)
	o, _ := bench.Outlet("R3", circuit.Top)
	bench.Settle(v).LampVolts(o)
	for b.Loop() {
		bench.Settle(v).LampVolts(o)
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
