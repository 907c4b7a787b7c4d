// Package network solves branch circuits as electrical networks: phasors at
// one frequency, rms, against earth.
//
// Contacts and conductors are branches with a current of their own, so that a
// thousandth of an ohm and a floating conductor's gigaohms meet in one system
// without losing digits: modified nodal analysis (Ho, Ruehli and Brennan, IEEE
// Transactions on Circuits and Systems 22, 1975). A prepared network answers what a
// fault or a tester changes by a correction on a handful of ports, see Case: a change
// of low rank by the formula of Sherman, Morrison and Woodbury (Hager, SIAM Review 31,
// 1989). Sources from memory.
package network

// A Node is a point of the network; Earth is the reference.
type Node int

// Earth is the reference node.
const Earth Node = -1

// A Branch is a small resistance, with a source in it where EMF is not zero.
// Its current flows from A to B; EMF raises B above A.
type Branch struct {
	A, B Node
	Ohms float64
	EMF  complex128
}

// A Shunt is a large impedance between two nodes: a conductance and a
// capacitance side by side.
type Shunt struct {
	A, B    Node
	Siemens float64
	Farads  float64
}

// A Network is any network of branches and shunts.
type Network struct {
	Nodes    int
	Branches []Branch
	Shunts   []Shunt
	Hz       float64
}

// admittance is that of the shunt at angular frequency w.
func (s Shunt) admittance(w float64) complex128 { return complex(s.Siemens, w*s.Farads) }
