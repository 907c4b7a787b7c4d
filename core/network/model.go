package network

import (
	"fmt"
	"math/cmplx"
	"slices"
	"sync"

	"elvat/core/circuit"
	"elvat/core/fault"
)

// A Model is a circuit as it should be, prepared, to which faults are put as
// variations.
type Model struct {
	Wired     *circuit.Wired // with the circuit's state, without faults
	Plan      *Plan
	Base      *Base
	Constants Constants

	untouched *circuit.Wired // before any state was applied: what faults start from
}

// NewModel prepares the circuit without the faults its file names. The circuit
// must have passed Check.
func NewModel(c *circuit.Circuit, k Constants) (*Model, error) {
	untouched, err := circuit.Wire(c)
	if err != nil {
		return nil, err
	}
	untouched.Bar() // so that its name is known before copies are made
	m := &Model{Constants: k, untouched: untouched, Wired: untouched.Copy()}
	if err := fault.Apply(m.Wired, nil); err != nil {
		return nil, err
	}
	m.Plan = Build(m.Wired, k)
	if m.Base, err = Prepare(&m.Plan.Network); err != nil {
		return nil, fmt.Errorf("%s: %w", c.Name, err)
	}
	return m, nil
}

// A Variation is what a set of faults changes in the healthy network.
type Variation struct {
	Faults []circuit.Fault
	// Again works the same out on another model, where more than the faults was
	// changed; nil where Vary does.
	Again   func(*Model) (*Variation, error)
	Opened  []int // branches
	Loose   []Loose
	Bridged []Bridged
	Guards  []circuit.Guard
}

// Loose is a resistance that a fault adds to a branch.
type Loose struct {
	Branch int
	Ohms   float64
}

// Bridged is a connection that a fault makes.
type Bridged struct {
	A, B Node
	Ohms float64
}

var spare sync.Pool // of *circuit.Wired

// Vary works out what the faults change.
func (m *Model) Vary(faults []circuit.Fault) (*Variation, error) {
	// A diagnosis asks for some thousand: the copy that a fault is put on is used again.
	spent, _ := spare.Get().(*circuit.Wired)
	w := m.untouched.CopyOn(spent)
	defer spare.Put(w)
	if err := fault.Apply(w, faults); err != nil {
		return nil, err
	}
	v := &Variation{Faults: faults, Guards: w.Guards}
	for i, is := range w.Joints {
		was, branch := m.Wired.Joints[i], m.Plan.BranchOf[i]
		landsElsewhere := is.A != was.A || is.B != was.B
		switch {
		case branch < 0:
			// Open as it should be; no fault closes it.
		case is.Open || landsElsewhere:
			v.Opened = append(v.Opened, branch)
			if !is.Open {
				v.Bridged = append(v.Bridged, Bridged{Node(is.A), Node(is.B), m.Constants.jointOhms(w, is) + is.Ohms})
			}
		case is.Ohms != was.Ohms:
			v.Loose = append(v.Loose, Loose{branch, is.Ohms - was.Ohms})
		}
	}
	// The joins of the state come last, and are in the base already.
	for _, b := range w.Bridges[:len(w.Bridges)-len(m.Wired.Bridges)] {
		v.Bridged = append(v.Bridged, Bridged{Node(b.A), Node(b.B), b.Ohms})
	}
	return v, nil
}

// Put makes the variation's changes on the case.
func (v *Variation) Put(c *Case) {
	for _, branch := range v.Opened {
		c.Open(branch)
	}
	for _, l := range v.Loose {
		c.AddOhms(l.Branch, l.Ohms)
	}
	for _, b := range v.Bridged {
		c.Connect(b.A, b.B, b.Ohms)
	}
}

// Settle puts the variation on an empty case, solves it, opens what trips,
// and solves again until nothing more does. It returns the names of what
// tripped, the panel's breaker as "panel".
func (m *Model) Settle(c *Case, v *Variation) []string {
	c.Reset()
	v.Put(c)
	var tripped []string
	for {
		c.Solve()
		now := m.Trips(c, v, tripped)
		if len(now) == 0 {
			return tripped
		}
		for _, name := range now {
			m.Open(c, name)
		}
		tripped = append(tripped, now...)
	}
}

// Settled is the network of the circuit with the faults its file names, after
// everything has tripped that trips by itself.
func Settled(c *circuit.Circuit, k Constants) (*Plan, error) {
	m, err := NewModel(c, k)
	if err != nil {
		return nil, err
	}
	v, err := m.Vary(c.Faults)
	if err != nil {
		return nil, err
	}
	tripped := m.Settle(m.Base.NewCase(), v)
	w, err := fault.Wire(c, c.Faults)
	if err != nil {
		return nil, err
	}
	w.Trip(tripped)
	return Build(w, k), nil
}

// Open interrupts what has the name: a GFCI's poles, or the breaker.
func (m *Model) Open(c *Case, name string) {
	for _, g := range m.Wired.Guards {
		if g.Name == name {
			m.openJoints(c, g.Poles)
		}
	}
	if name == circuit.Panel {
		m.openJoints(c, m.Wired.Breaker)
	}
}

func (m *Model) openJoints(c *Case, joints []int) {
	for _, j := range joints {
		if branch := m.Plan.BranchOf[j]; branch >= 0 {
			c.Open(branch)
		}
	}
}

// Trips names what the solved case trips, other than what already has.
func (m *Model) Trips(c *Case, v *Variation, already []string) []string {
	var now []string
	if !slices.Contains(already, circuit.Panel) && m.overloaded(c) {
		now = append(now, circuit.Panel)
	}
	for i := range v.Guards {
		g := &v.Guards[i]
		if g.Tripped || g.Dead || g.NoTrip || slices.Contains(already, g.Name) || slices.Contains(now, g.Name) {
			continue
		}
		if m.seesFault(c, g) {
			now = append(now, g.Name)
		}
	}
	return now
}

// overloaded reports whether a pole of the breaker trips at once.
func (m *Model) overloaded(c *Case) bool {
	limit := m.Constants.BreakerTripMultiple * m.Wired.Circuit.Breaker.Amps
	for _, j := range m.Wired.Breaker {
		if branch := m.Plan.BranchOf[j]; branch >= 0 && cmplx.Abs(c.Current(branch)) >= limit {
			return true
		}
	}
	return false
}

// seesFault reports whether a latched GFCI trips: its electronics are
// supplied, and its poles' currents do not cancel or its load neutral is
// grounded.
func (m *Model) seesFault(c *Case, g *circuit.Guard) bool {
	k := m.Constants
	if c.Volts(Node(g.LineHot), Node(g.LineNeutral)) < k.GFCISupplyVolts {
		return false
	}
	var sum complex128
	for _, pole := range g.Poles {
		if branch := m.Plan.BranchOf[pole]; branch >= 0 {
			sum += c.Current(branch)
		}
	}
	if cmplx.Abs(sum) >= k.GFCITripAmps {
		return true
	}
	return m.groundedNeutral(c, g)
}

// groundedNeutral is what the device's second transformer finds: with its own
// poles open and sources dead, a low resistance between its two neutrals.
func (m *Model) groundedNeutral(c *Case, g *circuit.Guard) bool {
	c.keep = append(c.keep[:0], c.ports...)
	m.openJoints(c, g.Poles)
	z := c.Impedance(Node(g.LoadNeutral), Node(g.LineNeutral))
	c.ports, c.ready = append(c.ports[:0], c.keep...), false
	c.Solve()
	return cmplx.Abs(z) < m.Constants.GFCIGroundedNeutralOhm
}
