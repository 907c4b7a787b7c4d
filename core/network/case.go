package network

import "math/cmplx"

// A Case is a prepared network with some branches opened or made resistive and
// some nodes connected: what a fault and a tester change. Each change is a
// port: an opened branch is a source in series with it that brings its
// current to nothing, a connection is a current between its nodes. Solving
// means solving for those sources alone.
//
// A Case is reused: Reset it, or Truncate back to a Mark to take a tester off
// and put another on.
type Case struct {
	base  *Base
	ports []port
	x     []complex128 // strength of each port's source
	m     []complex128 // the small system, row by row, factored
	pivot []int        // rows exchanged at each step
	level []complex128 // what each row was multiplied by
	ready bool         // m is factored for these ports
	live  bool         // and x is for the sources of the network
	keep  []port       // put aside while another question is asked
	reach []complex128 // scratch of Impedances
}

type port struct {
	branch int // of a series port, else -1
	a, b   Node
	ohms   float64
	open   bool
}

// NewCase is a Case with nothing changed.
func (b *Base) NewCase() *Case { return &Case{base: b} }

// Reset takes every change back.
func (c *Case) Reset() { c.ports, c.ready = c.ports[:0], false }

// Mark is the present number of changes, for Truncate.
func (c *Case) Mark() int { return len(c.ports) }

// Truncate takes back the changes made since the mark.
func (c *Case) Truncate(mark int) {
	if mark != len(c.ports) {
		c.ports, c.ready = c.ports[:mark], false
	}
}

// Open interrupts the branch.
func (c *Case) Open(branch int) {
	c.ready = false
	for i := range c.ports {
		if c.ports[i].branch == branch {
			c.ports[i].open = true
			return
		}
	}
	c.ports = append(c.ports, port{branch: branch, open: true})
}

// AddOhms puts a resistance in series with the branch.
func (c *Case) AddOhms(branch int, ohms float64) {
	c.ready = false
	for i := range c.ports {
		if c.ports[i].branch == branch {
			c.ports[i].ohms += ohms
			return
		}
	}
	c.ports = append(c.ports, port{branch: branch, ohms: ohms})
}

// Connect puts a resistance between two nodes.
func (c *Case) Connect(a, b Node, ohms float64) {
	c.ready = false
	c.ports = append(c.ports, port{branch: -1, a: a, b: b, ohms: ohms})
}

// response of what port p looks at (its branch's current, or the voltage
// between its nodes) in a solution vector of the base.
func (c *Case) response(p *port, v []complex128) complex128 {
	if p.branch >= 0 {
		return v[c.base.net.Nodes+p.branch]
	}
	return nodeIn(v, p.a) - nodeIn(v, p.b)
}

func nodeIn(v []complex128, a Node) complex128 {
	if a == Earth {
		return 0
	}
	return v[a]
}

// transfer is what port p sees of a unit source at port q.
func (c *Case) transfer(p, q *port) complex128 {
	if q.branch >= 0 {
		return c.response(p, c.base.fromBranch(q.branch))
	}
	var t complex128
	if q.a != Earth {
		t = c.response(p, c.base.fromNode(q.a))
	}
	if q.b != Earth {
		t -= c.response(p, c.base.fromNode(q.b))
	}
	return t
}

// Solve finds the strength of the ports' sources.
func (c *Case) Solve() {
	if c.ready && c.live {
		return
	}
	c.x = c.x[:0]
	for i := range c.ports {
		c.x = append(c.x, -c.response(&c.ports[i], c.base.at))
	}
	c.factor()
	c.substitute()
	c.live = true
}

// factor makes the small system of the ports and factors it, LU with partial
// pivoting (Golub and Van Loan, Matrix Computations, chapter 3; from memory), so that each further right-hand side costs a substitution only.
func (c *Case) factor() {
	if c.ready {
		return
	}
	n := len(c.ports)
	if cap(c.m) < n*n {
		c.m = make([]complex128, n*n)
	}
	m := c.m[:n*n]
	c.pivot, c.level = c.pivot[:0], c.level[:0]
	for i := range n {
		p := &c.ports[i]
		// An open branch: no current. A resistive one: its source is minus
		// the drop, x + R i = 0. A connection: its voltage is minus the drop,
		// v + R x = 0.
		scale := complex128(1)
		if p.branch >= 0 && !p.open {
			scale = complex(p.ohms, 0)
		}
		largest := 0.0
		for j := range n {
			v := scale * c.transfer(p, &c.ports[j])
			if i == j {
				switch {
				case p.branch < 0:
					v += complex(p.ohms, 0)
				case !p.open:
					v++
				}
			}
			m[i*n+j] = v
			largest = max(largest, abs1(v))
		}
		// Rows differ by a dozen powers of ten; level them before pivoting.
		level := complex(1/largest, 0)
		for j := range n {
			m[i*n+j] *= level
		}
		c.level = append(c.level, scale*level)
	}
	for k := range n {
		best := k
		for i := k + 1; i < n; i++ {
			if abs1(m[i*n+k]) > abs1(m[best*n+k]) {
				best = i
			}
		}
		c.pivot = append(c.pivot, best)
		if best != k {
			for j := range n {
				m[k*n+j], m[best*n+j] = m[best*n+j], m[k*n+j]
			}
		}
		for i := k + 1; i < n; i++ {
			if m[i*n+k] == 0 {
				continue
			}
			f := m[i*n+k] / m[k*n+k]
			m[i*n+k] = f
			for j := k + 1; j < n; j++ {
				m[i*n+j] -= f * m[k*n+j]
			}
		}
	}
	c.ready = true
}

// substitute solves the factored system for the right-hand side in c.x, given
// as minus what each port sees without any of them.
func (c *Case) substitute() {
	n, m := len(c.ports), c.m
	for i := range n {
		c.x[i] *= c.level[i]
	}
	for k, best := range c.pivot {
		c.x[k], c.x[best] = c.x[best], c.x[k]
	}
	for k := range n {
		for i := k + 1; i < n; i++ {
			if f := m[i*n+k]; f != 0 {
				c.x[i] -= f * c.x[k]
			}
		}
	}
	for i := n - 1; i >= 0; i-- {
		v := c.x[i]
		for j := i + 1; j < n; j++ {
			v -= m[i*n+j] * c.x[j]
		}
		c.x[i] = v / m[i*n+i]
	}
}

// abs1 is a cheap size for choosing pivots.
func abs1(v complex128) float64 {
	r, i := real(v), imag(v)
	if r < 0 {
		r = -r
	}
	if i < 0 {
		i = -i
	}
	return r + i
}

// seen is what a port would see in the solved case.
func (c *Case) seen(p *port) complex128 {
	v := c.response(p, c.base.at)
	for j := range c.ports {
		v += c.transfer(p, &c.ports[j]) * c.x[j]
	}
	return v
}

// Voltage from node a to node b in the solved case, rms phasor.
func (c *Case) Voltage(a, b Node) complex128 {
	p := port{branch: -1, a: a, b: b}
	return c.seen(&p)
}

// Volts is the magnitude of Voltage.
func (c *Case) Volts(a, b Node) float64 { return cmplx.Abs(c.Voltage(a, b)) }

// Current in the branch from its A to its B in the solved case.
func (c *Case) Current(branch int) complex128 {
	for i := range c.ports {
		if c.ports[i].branch == branch && c.ports[i].open {
			return 0
		}
	}
	p := port{branch: branch}
	return c.seen(&p)
}

// Impedance between two nodes with all sources dead. It leaves the case
// solved for that question, so Solve again before asking for voltages.
func (c *Case) Impedance(a, b Node) complex128 {
	probe := port{branch: -1, a: a, b: b}
	c.unit(&probe)
	z := c.transfer(&probe, &probe)
	for j := range c.ports {
		z += c.transfer(&probe, &c.ports[j]) * c.x[j]
	}
	return z
}

// unit solves for a unit source at the probe alone, all others dead.
func (c *Case) unit(probe *port) {
	c.live = false
	c.x = c.x[:0]
	for i := range c.ports {
		c.x = append(c.x, -c.transfer(&c.ports[i], probe))
	}
	c.factor()
	c.substitute()
}

// Impedances fills z with what a unit current into each of the nodes, out at
// earth, does at each of them, all sources dead: a Thevenin equivalent seen from
// several nodes at once, with which any small load on them is worked out
// without solving again. It leaves the case solved for that question. The
// small system is factored once for all of them (Sherman-Morrison-Woodbury).
func (c *Case) Impedances(nodes []Node, z [][]complex128) {
	n := len(c.ports)
	if cap(c.reach) < n*len(nodes) {
		c.reach = make([]complex128, n*len(nodes))
	}
	reach := c.reach[:n*len(nodes)] // by node, then port: what the node sees of it
	for i, at := range nodes {
		p := port{branch: -1, a: at, b: Earth}
		for j := range c.ports {
			reach[i*n+j] = c.transfer(&p, &c.ports[j])
		}
	}
	for j, from := range nodes {
		probe := port{branch: -1, a: from, b: Earth}
		c.unit(&probe)
		for i, at := range nodes {
			v := c.transfer(&port{branch: -1, a: at, b: Earth}, &probe)
			for k := range n {
				v += reach[i*n+k] * c.x[k]
			}
			z[i][j] = v
		}
	}
}
