package tester

import (
	"math/cmplx"

	"elvat/core/circuit"
	"elvat/core/network"
)

// A Face is what every tester that is put on an outlet's slots shows there, in
// volts. It is what LampVolts, MeterVolts, SensorVolts and TestLampVolts give
// one by one, worked out from one look at the network.
type Face struct {
	Lamps  [3]float64 // in the order of circuit.Pairs
	High   [6]float64 // a meter's, in the order of VoltNames
	Low    [6]float64
	Sensor [3]float64
	Lamp   float64
	Yoke   float64
	Touch  float64 // over a body from the yoke to earth
}

// Places among the nodes of a face.
const (
	atHot = iota
	atNeutral
	atGround
	atKnown
	atYoke
	faceNodes
)

// pairsOf are the places that each of VoltNames compares.
var pairsOf = [6][2]int{
	{atHot, atNeutral},
	{atHot, atGround},
	{atNeutral, atGround},
	{atHot, atKnown},
	{atNeutral, atKnown},
	{atGround, atKnown},
}

// Face looks at the outlet with every tester.
func (c *Condition) Face(o circuit.Outlet) (f Face) {
	f.Sensor = c.SensorVolts(o) // leaves the case solved without a tester
	f.Yoke = c.solver.Volts(node(o.Yoke), network.Earth)
	nodes := []network.Node{node(o.Hot), node(o.Neutral), node(o.Ground), c.bench.known, node(o.Yoke)}
	var open [faceNodes]complex128
	for i, at := range nodes {
		open[i] = c.solver.Voltage(at, network.Earth)
	}
	var rows [faceNodes][faceNodes]complex128
	z := [][]complex128{rows[0][:], rows[1][:], rows[2][:], rows[3][:], rows[4][:]}
	c.solver.Impedances(nodes, z)

	volts := func(p [2]int) complex128 { return open[p[0]] - open[p[1]] }
	ohms := func(p, q [2]int) complex128 {
		return z[p[0]][q[0]] - z[p[0]][q[1]] - z[p[1]][q[0]] + z[p[1]][q[1]]
	}
	loaded := func(p [2]int, load float64) float64 {
		r := complex(load, 0)
		return cmplx.Abs(volts(p) * r / (r + ohms(p, p)))
	}
	for i, p := range pairsOf {
		if usesGround[i] && !o.HasGround {
			f.High[i], f.Low[i] = Unread, Unread
			continue
		}
		f.High[i], f.Low[i] = loaded(p, c.bench.Constants.HighZOhms), loaded(p, c.bench.Constants.LowZOhms)
	}
	f.Lamp = loaded(pairsOf[0], c.bench.Constants.LampOhms)
	body := complex(bodyOhms, 0)
	f.Touch = cmplx.Abs(open[atYoke] * body / (body + z[atYoke][atYoke]))
	// Three lamps at once: (R + Z) i = V over the three pairs of slots.
	var m [3][4]complex128
	for i := range 3 {
		for j := range 3 {
			m[i][j] = ohms(pairsOf[i], pairsOf[j])
		}
		m[i][i] += complex(c.bench.Constants.PlugLampOhms, 0)
		m[i][3] = volts(pairsOf[i])
	}
	for k := range 3 { // the lamps' own resistance keeps the pivots large
		for i := range 3 {
			if i == k {
				continue
			}
			by := m[i][k] / m[k][k]
			for j := k; j < 4; j++ {
				m[i][j] -= by * m[k][j]
			}
		}
	}
	for i := range 3 {
		f.Lamps[i] = cmplx.Abs(m[i][3]/m[i][i]) * c.bench.Constants.PlugLampOhms
	}
	return f
}

// LiveYoke reports whether the yoke, and all metal joined to it, is dangerous to touch.
func (f *Face) LiveYoke() bool { return f.Touch >= pinVolts }
