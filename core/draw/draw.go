// Package draw makes up branch circuits and faults at random, for checks that
// want many of them. All randomness is handed in, so a seed names a circuit.
package draw

import (
	"fmt"
	"math/rand/v2"

	"elvat/core/circuit"
	"elvat/core/wire"
)

// Options say what a drawn circuit may hold.
type Options struct {
	Boxes int // how many; at least one
	// Plain keeps to duplex receptacles on a single-pole breaker.
	Plain bool
}

// Circuit draws a circuit without faults. It passes Check.
func Circuit(r *rand.Rand, o Options) *circuit.Circuit {
	d := drawer{r: r, plain: o.Plain, c: circuit.New(fmt.Sprintf("drawn, %d boxes", o.Boxes))}
	d.breaker()
	for n := 1; n <= max(o.Boxes, 1); n++ {
		d.box(n)
	}
	d.loads()
	if !o.Plain {
		d.loadSides()
		d.state()
	}
	return d.c
}

type drawer struct {
	r     *rand.Rand
	plain bool
	c     *circuit.Circuit
}

// chance is true in p of all cases.
func (d *drawer) chance(p float64) bool { return d.r.Float64() < p }

func pick[T any](r *rand.Rand, from ...T) T { return from[r.IntN(len(from))] }

func (d *drawer) breaker() {
	b := &d.c.Breaker
	b.Label, b.Amps = fmt.Sprint(1+d.r.IntN(30)), pick(d.r, 15.0, 20)
	if d.plain {
		return
	}
	if d.chance(0.2) {
		b.Poles = 2
	}
	if d.chance(0.25) {
		b.Protection = pick(d.r, circuit.GFCIBreaker, circuit.DualBreaker, circuit.AFCIBreaker)
	}
}

// box adds a box behind the panel or one of the last few boxes.
func (d *drawer) box(n int) {
	from := circuit.Panel
	if n > 1 {
		from = d.c.Boxes[max(0, n-2-d.r.IntN(2)*d.r.IntN(3))].ID
	}
	cable := circuit.Cable{
		ID: fmt.Sprint("W", n), From: from, To: fmt.Sprint("B", n),
		AWG: wire.Gauge(12), Feet: float64(3 + d.r.IntN(60)),
		Conductors: d.conductors(from),
	}
	if d.c.Breaker.Amps == 15 && d.chance(0.8) {
		cable.AWG = 14
	}
	box := circuit.Box{
		ID: cable.To, Label: fmt.Sprint("Stop ", n), Material: circuit.Plastic,
		Makeup: pick(d.r, circuit.FeedThrough, circuit.FeedThrough, circuit.Pigtail),
	}
	if d.chance(0.2) {
		box.Material, box.Bonded = circuit.Metal, d.chance(0.7)
	}
	box.Devices = append(box.Devices, d.device(fmt.Sprint("R", n), cable.Has(circuit.Ground)))
	if d.chance(0.1) {
		box.Devices = append(box.Devices, d.device(fmt.Sprint("S", n), cable.Has(circuit.Ground)))
	}
	d.c.Cables, d.c.Boxes = append(d.c.Cables, cable), append(d.c.Boxes, box)
}

func (d *drawer) conductors(from string) []circuit.Conductor {
	ground := d.c.GroundArrives(from) && d.chance(0.92)
	all := []circuit.Conductor{circuit.Hot}
	feeds := d.c.LineCable(from)
	if d.c.Breaker.Poles == 2 && (feeds == nil || feeds.Has(circuit.Hot2)) && d.chance(0.8) {
		all = append(all, circuit.Hot2)
	}
	all = append(all, circuit.Neutral)
	if ground {
		all = append(all, circuit.Ground)
	}
	return all
}

func (d *drawer) device(id string, grounded bool) circuit.Device {
	v := circuit.Device{ID: id, Kind: circuit.Receptacle, Amps: 15, Slots: 3}
	if !grounded && d.chance(0.5) {
		v.Slots = 2
	}
	if d.plain {
		return v
	}
	switch {
	case v.Slots == 3 && d.chance(0.25):
		v.Kind, v.Amps = circuit.GFCI, 20
		if d.chance(0.15) {
			v.Tripped = true
		}
		if d.chance(0.3) {
			v.Generation = circuit.Legacy
		}
	case d.chance(0.1):
		v.Tab.Hot = circuit.TabRemoved
	}
	return v
}

// loadSides puts some outgoing cables of a pigtailed GFCI on its load terminals.
func (d *drawer) loadSides() {
	for i := range d.c.Boxes {
		box := &d.c.Boxes[i]
		if box.Devices[0].Kind != circuit.GFCI || box.Makeup != circuit.Pigtail {
			continue
		}
		for _, cable := range d.c.Outgoing(box.ID) {
			if d.chance(0.6) {
				box.Load = append(box.Load, cable.ID)
			}
		}
	}
}

// state takes a cable end apart on some circuits, and joins two of its
// conductors on some of those.
func (d *drawer) state() {
	if !d.chance(0.15) {
		return
	}
	cable := pick(d.r, d.c.Cables...)
	end := cable.ID + "@" + pick(d.r, cable.From, cable.To)
	d.c.State.Separated = []string{end}
	if d.chance(0.4) {
		d.c.State.Joined = [][2]string{{end + ".hot", end + ".neutral"}}
	}
}

func (d *drawer) loads() {
	for i := range d.c.Boxes {
		if !d.chance(0.3) {
			continue
		}
		v := d.c.Boxes[i].Devices[0]
		d.c.Loads = append(d.c.Loads, circuit.Load{
			ID: fmt.Sprint("L", len(d.c.Loads)+1), At: v.ID, Half: pick(d.r, circuit.Top, circuit.Bottom),
			Watts: pick(d.r, 5.0, 40, 60, 150, 600, 1200), On: d.chance(0.7),
		})
	}
}

// Faults draws n faults that can be on the circuit, of the kinds given.
func Faults(r *rand.Rand, c *circuit.Circuit, n int, kinds ...circuit.FaultKind) []circuit.Fault {
	var faults []circuit.Fault
	for tries := 0; len(faults) < n && tries < 1000; tries++ {
		f := one(r, c, pick(r, kinds...))
		if c.CheckFault(f) == nil && Lands(c, f) {
			faults = append(faults, f)
		}
	}
	return faults
}

// Lands reports whether a fault at a termination has one to act on.
func Lands(c *circuit.Circuit, f circuit.Fault) bool {
	w, err := circuit.Wire(c)
	if err != nil {
		return false
	}
	switch f.Kind {
	case circuit.Open, circuit.Resistive:
		joints, err := w.JointsAt(f.At)
		return err == nil && len(joints) > 0
	case circuit.Moved:
		p, _ := c.ParsePoint(f.At, "")
		_, err := w.Lookup(f.To, p.At)
		return err == nil
	default:
		return true
	}
}

func one(r *rand.Rand, c *circuit.Circuit, kind circuit.FaultKind) circuit.Fault {
	box := &c.Boxes[r.IntN(len(c.Boxes))]
	v := &box.Devices[r.IntN(len(box.Devices))]
	cable := &c.Cables[r.IntN(len(c.Cables))]
	k := pick(r, cable.Conductors...)
	end := cable.ID + "@" + pick(r, cable.From, cable.To)
	f := circuit.Fault{Kind: kind}
	switch kind {
	case circuit.Open, circuit.Resistive:
		f.At = pick(r,
			end+"."+string(k), end+"."+string(k), cable.ID+"."+string(k),
			v.ID+"."+pick(r, v.Terminals()...).Name,
			v.ID+"."+string(pick(r, circuit.Halves...))+"."+string(pick(r, circuit.Hot, circuit.Neutral, circuit.Ground)),
			v.ID+".tab."+string(pick(r, circuit.Hot, circuit.Neutral)),
			box.ID+".splice:"+string(pick(r, circuit.Hot, circuit.Neutral, circuit.Ground)))
		if kind == circuit.Resistive {
			f.Ohms = pick(r, 0.5, 2, 20, 200)
		}
	case circuit.Swapped:
		f.At, f.Pair = pick(r, v.ID, v.ID, end), pick(r, circuit.Pairs...)
	case circuit.Moved:
		f.At = cable.ID + "@" + cable.To + "." + string(k)
		to := c.Box(cable.To)
		if pairs := c.Pairs(to); len(pairs) > 0 {
			f.To = pick(r, pairs...)[r.IntN(2)]
		}
	case circuit.Bonded:
		f.At, f.Pair, f.Ohms = v.ID, pick(r, circuit.Pairs...), 0.02
		if v.Kind == circuit.GFCI && r.IntN(2) == 0 {
			f.At += ".load"
		}
	case circuit.Touching:
		f.At, f.Pair, f.Ohms = box.ID, pick(r, circuit.Pairs...), 0.05
	case circuit.Leak:
		f.At, f.Ohms = v.ID, pick(r, 5e3, 15e3, 30e3, 100e3)
	case circuit.GFCIFault:
		f.At, f.State = v.ID, pick(r, "no-trip", "dead", "tripped", "line-load-swapped")
	case circuit.BreakerAt:
		f.At, f.State = circuit.Panel, pick(r, "off", "tripped")
	}
	return f
}
