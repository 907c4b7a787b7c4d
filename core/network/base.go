package network

import (
	"math"
	"sync/atomic"
)

// kclScale weighs the current balances against the branch equations, so that
// a pivot is taken from a balance (exact ones) rather than from a small
// resistance: that is what keeps the tiny currents of floating conductors exact.
const kclScale = 1e3

// A Base is a network solved once, from which Cases are answered. It computes
// the response to each port when first asked; Cases of one Base may be used at
// the same time.
type Base struct {
	net      *Network
	lu       *factors
	at       []complex128 // the solution: node voltages, then branch currents
	byNode   []atomic.Pointer[[]complex128]
	byBranch []atomic.Pointer[[]complex128]
}

// Prepare factors the network and solves it as it is.
func Prepare(net *Network) (*Base, error) {
	n, size := net.Nodes, net.Nodes+len(net.Branches)
	rows := make([][]entry, size)
	add := func(row, col Node, v complex128) {
		if row == Earth || col == Earth {
			return
		}
		for k := range rows[row] {
			if rows[row][k].col == int(col) {
				rows[row][k].value += v
				return
			}
		}
		rows[row] = append(rows[row], entry{int(col), v})
	}
	w := 2 * math.Pi * net.Hz
	for _, s := range net.Shunts {
		y := s.admittance(w) * kclScale
		add(s.A, s.A, y)
		add(s.B, s.B, y)
		add(s.A, s.B, -y)
		add(s.B, s.A, -y)
	}
	b := &Base{
		net: net, at: make([]complex128, size),
		byNode: make([]atomic.Pointer[[]complex128], n), byBranch: make([]atomic.Pointer[[]complex128], len(net.Branches)),
	}
	for i, br := range net.Branches {
		current := Node(n + i)
		add(br.A, current, kclScale)
		add(br.B, current, -kclScale)
		add(current, br.A, 1)
		add(current, br.B, -1)
		add(current, current, complex(-br.Ohms, 0))
	}
	var err error
	if b.lu, err = factor(rows); err != nil {
		return nil, err
	}
	work := make([]complex128, size)
	for i, br := range net.Branches {
		work[n+i] = -br.EMF
	}
	b.lu.solve(work, b.at)
	return b, nil
}

// fromNode is the response of the whole network to one ampere into the node.
func (b *Base) fromNode(a Node) []complex128 {
	if x := b.byNode[a].Load(); x != nil {
		return *x
	}
	return b.respond(&b.byNode[a], int(a), kclScale)
}

// fromBranch is the response of the whole network to one volt in the branch.
func (b *Base) fromBranch(i int) []complex128 {
	if x := b.byBranch[i].Load(); x != nil {
		return *x
	}
	return b.respond(&b.byBranch[i], b.net.Nodes+i, -1)
}

// respond keeps the response; two that work it out at once find the same.
func (b *Base) respond(keep *atomic.Pointer[[]complex128], row int, v complex128) []complex128 {
	x, work := make([]complex128, len(b.at)), make([]complex128, len(b.at))
	work[row] = v
	b.lu.solve(work, x)
	keep.Store(&x)
	return x
}
