// Package forecast says how long a call will take: from the complaint alone, as readings
// come, and corrected by what past calls really took. A forecast is a range, never a figure
// to be held to.
package forecast

import (
	"math"

	"elvat/core/diagnosis"
)

// Told is what a diagnosis tells of the minutes ahead.
type Told struct {
	Bits float64 // entropy of where it is
	// Elsewhere is the probability that no box of the run is opened for it.
	Elsewhere float64
}

// Of is what the result tells.
func Of(r *diagnosis.Result) Told {
	var t Told
	for _, s := range r.Weights {
		if s.Site == diagnosis.Elsewhere {
			t.Elsewhere += s.Probability
		}
		if s.Probability > 0 {
			t.Bits -= s.Probability * math.Log2(s.Probability)
		}
	}
	return t
}

// Minutes are what something will take: what is expected, and what eight of ten lie between.
type Minutes struct {
	Usual float64 `json:"usual"`
	Least float64 `json:"least"`
	Most  float64 `json:"most"`
}

// Plus is one after the other. What varies in one is taken to have nothing to do with what
// varies in the other.
func (m Minutes) Plus(n Minutes) Minutes {
	down := math.Hypot(m.Usual-m.Least, n.Usual-n.Least)
	up := math.Hypot(m.Most-m.Usual, n.Most-n.Usual)
	usual := m.Usual + n.Usual
	return Minutes{usual, max(0, usual-down), usual + up}
}

// Times is so many times as long.
func (m Minutes) Times(factor float64) Minutes {
	return Minutes{m.Usual * factor, m.Least * factor, m.Most * factor}
}

// byBits are the minutes until the fault is found, by the entropy of where it is. The ranges are
// the shortest that hold eight of ten at every stage of 400 drawn cases and of 400 of which not
// everything is known, taken together (seeds that no check uses). Nearly all of a range is the
// box that has to be opened in any case, and a second one.
var byBits = []struct {
	bits float64
	m    Minutes
}{
	{0, Minutes{11, 8, 15.8}},
	{0.9, Minutes{11.5, 8, 15.3}},
	{1.2, Minutes{12, 8, 18.4}},
	{1.7, Minutes{12.6, 8, 19.2}},
	{2.1, Minutes{13.2, 8.2, 20}},
	{2.8, Minutes{15, 8.5, 22}},
	{3.6, Minutes{16.5, 9, 25}},
	{6, Minutes{20, 10, 34}},
}

// Where it may be put right without a box, by a reset or by unplugging, it may take a minute;
// where that is likely, it is the rule.
const (
	perhapsNoBox = 0.04
	likelyNoBox  = 0.3
)

var noBox = Minutes{5.3, 0.3, 12.5}

// Diagnosis is how long it takes until the fault is found.
func (t Told) Diagnosis() Minutes {
	if t.Elsewhere > likelyNoBox {
		return noBox
	}
	m := t.byBits()
	if t.Elsewhere > perhapsNoBox {
		m.Least = 1
	}
	return m
}

func (t Told) byBits() Minutes {
	rows := byBits
	if t.Bits <= rows[0].bits {
		return rows[0].m
	}
	for i := 1; i < len(rows); i++ {
		a, b := rows[i-1], rows[i]
		if t.Bits > b.bits && i < len(rows)-1 {
			continue
		}
		x := min(1, (t.Bits-a.bits)/(b.bits-a.bits))
		mix := func(from, to float64) float64 { return from + x*(to-from) }
		return Minutes{mix(a.m.Usual, b.m.Usual), mix(a.m.Least, b.m.Least), mix(a.m.Most, b.m.Most)}
	}
	return rows[len(rows)-1].m
}

// What a call takes beside the diagnosis. Assumption, all of them, until past calls correct
// the sum.
var (
	comeIn   = Minutes{10, 6, 18} // cautions, questions, what to cover
	eachBox  = Minutes{25, 15, 45}
	proof    = Minutes{6, 4, 12} // and a minute for each outlet
	handOver = Minutes{10, 6, 18}
)

// A Left is what is still to do on a call.
type Left struct {
	Arrived bool
	Told    *Told     // nil: the fault is found
	Boxes   int       // still to be made up; one at least where nothing is found yet
	Outlets int       // to be proven
	Planned []Minutes // of new runs that are not laid
	Done    bool
}

// Call is how long the rest of a call takes.
func (l Left) Call() Minutes {
	var m Minutes
	if l.Done {
		return m
	}
	if !l.Arrived {
		m = m.Plus(comeIn)
	}
	if l.Told != nil {
		m = m.Plus(l.Told.Diagnosis())
	}
	for range l.Boxes {
		m = m.Plus(eachBox)
	}
	for _, p := range l.Planned {
		m = m.Plus(p)
	}
	if l.Boxes > 0 || l.Outlets > 0 {
		m = m.Plus(proof).Plus(Minutes{1, 0.5, 2}.Times(float64(l.Outlets)))
	}
	return m.Plus(handOver)
}

// A Past call is what was expected of it when it began, and what it took.
type Past struct {
	Expected Minutes
	Took     float64
}

// A Correction is what past calls teach: by how much the shop's calls are longer than
// expected, and how wide they scatter.
type Correction struct {
	Calls  int     `json:"calls"`
	Factor float64 `json:"factor"` // 1: as expected
	Widen  float64 `json:"widen"`  // of the range; 1: as expected
}

// prior is how many calls "as expected" count as, before any was counted. Assumption.
const prior = 8

// z80 is how many standard deviations on either side eight of ten lie within.
const z80 = 1.2816

// Learn works out the correction, by the logarithms of what calls took against what was
// expected of them. The usual and the range are shrunk towards "as expected" where few are known.
func Learn(past []Past) Correction {
	c := Correction{Factor: 1, Widen: 1}
	var sum float64
	for _, p := range past {
		if p.Took > 0 && p.Expected.Usual > 0 {
			c.Calls++
			sum += math.Log(p.Took / p.Expected.Usual)
		}
	}
	if c.Calls == 0 {
		return c
	}
	n := float64(c.Calls)
	shift := sum / (n + prior)
	c.Factor = math.Exp(shift)
	// How far off they were, in what was expected to be one standard deviation.
	var off float64
	for _, p := range past {
		if p.Took <= 0 || p.Expected.Usual <= 0 {
			continue
		}
		side := math.Log(max(p.Expected.Most/p.Expected.Usual, 1.05))
		d := math.Log(p.Took/p.Expected.Usual) - shift
		if d < 0 {
			side = math.Log(max(p.Expected.Usual/max(p.Expected.Least, 1), 1.05))
		}
		off += (d * z80 / side) * (d * z80 / side)
	}
	c.Widen = math.Sqrt((off + prior) / (n + prior))
	return c
}

// Of corrects a forecast.
func (c Correction) Of(m Minutes) Minutes {
	if m.Usual <= 0 || c.Factor == 0 {
		return m
	}
	usual := m.Usual * c.Factor
	spread := func(ratio float64) float64 { return math.Exp(math.Log(max(ratio, 1)) * c.Widen) }
	return Minutes{usual, usual / spread(m.Usual/max(m.Least, 1)), usual * spread(m.Most/m.Usual)}
}
