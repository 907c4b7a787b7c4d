package network_test

import (
	"math"
	"math/cmplx"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/draw"
	"elvat/core/fault"
	"elvat/core/network"
)

// dense is the plain reference: every node and branch current in one full
// matrix, Gauss with full row pivoting, no corrections.
func dense(net *network.Network) []complex128 {
	n := net.Nodes + len(net.Branches)
	m := make([][]complex128, n)
	for i := range m {
		m[i] = make([]complex128, n+1)
	}
	add := func(row, col network.Node, v complex128) {
		if row >= 0 && col >= 0 {
			m[row][col] += v
		}
	}
	for _, s := range net.Shunts {
		y := complex(s.Siemens, 2*math.Pi*net.Hz*s.Farads)
		add(s.A, s.A, y)
		add(s.B, s.B, y)
		add(s.A, s.B, -y)
		add(s.B, s.A, -y)
	}
	for i, b := range net.Branches {
		current := network.Node(net.Nodes + i)
		add(b.A, current, 1)
		add(b.B, current, -1)
		add(current, b.A, 1)
		add(current, b.B, -1)
		add(current, current, complex(-b.Ohms, 0))
		m[current][n] = -b.EMF
	}
	for k := range n {
		best := k
		for i := k; i < n; i++ {
			if cmplx.Abs(m[i][k]) > cmplx.Abs(m[best][k]) {
				best = i
			}
		}
		m[k], m[best] = m[best], m[k]
		for i := k + 1; i < n; i++ {
			if f := m[i][k] / m[k][k]; f != 0 {
				for j := k; j <= n; j++ {
					m[i][j] -= f * m[k][j]
				}
			}
		}
	}
	x := make([]complex128, n)
	for i := n - 1; i >= 0; i-- {
		x[i] = m[i][n]
		for j := i + 1; j < n; j++ {
			x[i] -= m[i][j] * x[j]
		}
		x[i] /= m[i][i]
	}
	return x
}

// TestCorrectionsAgainstDense puts faults on the prepared base as corrections
// and solves the same network whole.
func TestCorrectionsAgainstDense(t *testing.T) {
	kinds := append([]circuit.FaultKind{circuit.Touching, circuit.Leak, circuit.GFCIFault}, plainKinds...)
	for seed := range uint64(60) {
		r := rand.New(rand.NewPCG(seed, 2))
		c := draw.Circuit(r, draw.Options{Boxes: 1 + r.IntN(4), Plain: seed%2 == 0})
		faults := draw.Faults(r, c, 1+r.IntN(3), kinds...)

		w, err := fault.Wire(c, faults)
		require.NoError(t, err)
		plan := network.Build(w, network.Default)
		want := dense(&plan.Network)

		m, err := network.NewModel(c, network.Default)
		require.NoError(t, err)
		v, err := m.Vary(faults)
		require.NoError(t, err)
		k := m.Base.NewCase()
		v.Put(k)
		k.Solve()
		for n, name := range plan.Names {
			got := k.Voltage(network.Node(n), network.Earth)
			// 1e-6 relative, and ten microvolts where the true voltage is nothing.
			assert.InDelta(
				t,
				0,
				cmplx.Abs(got-want[n]),
				1e-6*cmplx.Abs(want[n])+1e-5,
				"seed %d, %s, faults %v",
				seed,
				name,
				faults,
			)
		}
	}
}

func TestDividerByHand(t *testing.T) {
	// 120 V over 1 + 2 + 3 ohm: 20, 40 and 60 V (Ohm's law).
	net := network.Network{Nodes: 2, Hz: 60, Branches: []network.Branch{
		{A: network.Earth, B: 0, Ohms: 1, EMF: 120}, {A: 0, B: 1, Ohms: 2}, {A: 1, B: network.Earth, Ohms: 3},
	}}
	base, err := network.Prepare(&net)
	require.NoError(t, err)
	k := base.NewCase()
	k.Solve()
	assert.InDelta(t, 100, k.Volts(0, network.Earth), 1e-9)
	assert.InDelta(t, 60, k.Volts(1, network.Earth), 1e-9)
	assert.InDelta(t, 20, real(k.Current(1)), 1e-9)

	k.Connect(1, network.Earth, 6) // 3 and 6 in parallel are 2: 120 V over 5 ohm
	k.Solve()
	assert.InDelta(t, 48, k.Volts(1, network.Earth), 1e-9)
	k.Open(1)
	k.Solve()
	assert.InDelta(t, 120, k.Volts(0, network.Earth), 1e-9)
	assert.Zero(t, k.Current(1))
	k.Reset()
	assert.InDelta(t, 3*3/6.0, real(k.Impedance(1, network.Earth)), 1e-9, "3 ohm in parallel with 1 + 2")
}

func TestCapacitiveDividerByHand(t *testing.T) {
	// 1 nF from 120 V, 3 nF to earth: a quarter of it (handbook: capacitive divider).
	net := network.Network{Nodes: 2, Hz: 60,
		Branches: []network.Branch{{A: network.Earth, B: 0, Ohms: 1e-3, EMF: 120}},
		Shunts:   []network.Shunt{{A: 0, B: 1, Farads: 1e-9}, {A: 1, B: network.Earth, Farads: 3e-9}},
	}
	base, err := network.Prepare(&net)
	require.NoError(t, err)
	k := base.NewCase()
	k.Solve()
	assert.InDelta(t, 30, k.Volts(1, network.Earth), 1e-6)
}

func TestFloatingNodeHasNoAnswer(t *testing.T) {
	_, err := network.Prepare(&network.Network{Nodes: 1, Hz: 60})
	assert.ErrorContains(t, err, "no unique solution")
}

// oneOutlet is a 15 A circuit with 50 ft of 14 AWG to a single duplex.
func oneOutlet() *circuit.Circuit {
	c := circuit.New("one outlet")
	c.Breaker.Amps = 15
	if err := c.AddStop(circuit.NewStop{After: circuit.Panel, AWG: 14, Feet: 50, Ground: true}); err != nil {
		panic(err)
	}
	return c
}

func TestBreakerTripsOnAShort(t *testing.T) {
	for _, row := range []struct {
		name    string
		faults  []circuit.Fault
		tripped []string
	}{
		{"sound", nil, nil},
		{"short at the device", []circuit.Fault{{Kind: circuit.Bonded, At: "R1", Pair: circuit.HotNeutral, Ohms: 0.02}}, []string{circuit.Panel}},
		{"bootleg on a sound ground is only a second path", []circuit.Fault{{Kind: circuit.Bonded, At: "R1", Pair: circuit.NeutralGround, Ohms: 0.02}}, nil},
		{"reverse bootleg with a sound ground is a short", []circuit.Fault{
			{Kind: circuit.Swapped, At: "R1", Pair: circuit.HotNeutral},
			{Kind: circuit.Bonded, At: "R1", Pair: circuit.NeutralGround, Ohms: 0.02},
		}, []string{circuit.Panel}},
		{"reverse bootleg with the ground open is none", []circuit.Fault{
			{Kind: circuit.Swapped, At: "R1", Pair: circuit.HotNeutral},
			{Kind: circuit.Open, At: "W1.ground"},
			{Kind: circuit.Bonded, At: "R1", Pair: circuit.NeutralGround, Ohms: 0.02},
		}, nil},
	} {
		t.Run(row.name, func(t *testing.T) {
			m, err := network.NewModel(oneOutlet(), network.Default)
			require.NoError(t, err)
			v, err := m.Vary(row.faults)
			require.NoError(t, err)
			assert.Equal(t, row.tripped, m.Settle(m.Base.NewCase(), v))
		})
	}
}

func BenchmarkPrepare40Boxes(b *testing.B) {
	c := draw.Circuit(rand.New(rand.NewPCG(40, 40)), draw.Options{Boxes: 40, Plain: true})
	for b.Loop() {
		if _, err := network.NewModel(c, network.Default); err != nil {
			b.Fatal(err)
		}
	}
}
