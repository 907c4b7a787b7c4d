package makeup

import (
	"slices"

	"elvat/core/circuit"
	"elvat/core/nec"
	"elvat/core/practice"
	"elvat/core/wire"
	"elvat/core/words"
)

// A Splice joins wires in the box.
type Splice struct {
	Name       string            `json:"name"` // splice:hot
	Conductor  circuit.Conductor `json:"conductor"`
	Conductors []string          `json:"conductors"` // what is in it: ends of cables, and where its jumpers go
	AWG        wire.Gauge        `json:"gauge"`
	Connector  string            `json:"connector"`
	said       words.Said
}

// A Jumper is a short wire from a splice to a terminal, or between two.
type Jumper struct {
	Conductor circuit.Conductor `json:"conductor"`
	AWG       wire.Gauge        `json:"gauge"`
	Inches    wire.Inches       `json:"inches"`
	From      string            `json:"from"`
	To        string            `json:"to"`
	Colour    string            `json:"colour"`
}

// jumperIn is the least length of a jumper. Common practice, no source: as
// much free wire as NEC 300.14 asks of a conductor.
const jumperIn wire.Inches = 6

// wiring is the plan of what lands where.
type wiring struct {
	l     *look
	house practice.House
	pairs [][2]string
	load  []*Cable // on the GFCI's LOAD
	said  []string // choices of the house the plan turned on
	// behind says that the other devices in the box hang on the GFCI's LOAD.
	behind bool
}

func (w *wiring) says(key string) {
	if s := w.house.Says(key); !slices.Contains(w.said, s) {
		w.said = append(w.said, s)
	}
}

func (w *wiring) join(a, b string) { w.pairs = append(w.pairs, [2]string{a, b}) }

func (w *wiring) end(c *Cable, k circuit.Conductor) string {
	return c.ID + "@" + w.l.b.ID + "." + string(k)
}

func splice(name string) string { return "splice:" + name }

func (c *Cable) short() bool {
	return c.FromSheathIn != nil && *c.FromSheathIn < nec.LeastFromSheath ||
		c.PastFaceIn != nil && *c.PastFaceIn < nec.LeastPastFace
}

// viaSplice reports whether a cable's conductor may not or should not land on a terminal
// itself: it is short, it is aluminium and the terminal is not listed for it, or it is
// stranded and would go under a hook.
func (w *wiring) viaSplice(c *Cable, k circuit.Conductor, terminal string) bool {
	v := w.l.b.deviceAt(terminal)
	switch {
	case c.short():
		return true
	case c.Material == aluminum:
		return v == nil || !v.Aluminum
	case c.Stranded && w.l.b.switchAt(terminal) != nil:
		return true
	case c.Stranded && v != nil:
		return w.onTerminal(v, w.end(c, k), k == circuit.Ground).code == howHook
	}
	return false
}

// land puts a cable's conductor on a terminal, by way of a splice with a jumper where it
// cannot land there itself.
func (w *wiring) land(c *Cable, k circuit.Conductor, terminal string) {
	if w.viaSplice(c, k, terminal) {
		longer := splice(c.ID + "-" + string(k))
		w.join(w.end(c, k), longer)
		w.join(longer, terminal)
		return
	}
	w.join(w.end(c, k), terminal)
}

// plan wires the box. The line is known, and nothing stops it.
func (w *wiring) plan() {
	b := w.l.b
	if len(b.devices()) == 0 {
		return
	}
	w.sides()
	w.behind = b.Device != nil && b.Device.IsGFCI() && len(b.Others) > 0 &&
		!slices.ContainsFunc(b.Others, func(v Device) bool { return v.IsGFCI() || w.halfElsewhere(&v) }) &&
		w.house.Load != practice.LoadOwn
	for _, k := range []circuit.Conductor{circuit.Neutral, circuit.Hot} {
		w.poles(k)
	}
	w.seconds()
	w.grounds()
	// Ground, then neutral, then hot; line then load: the order in which it is made up.
	order := map[circuit.Conductor]int{circuit.Ground: 0, circuit.Neutral: 1, circuit.Hot: 2, circuit.Hot2: 3}
	slices.SortStableFunc(w.pairs, func(x, y [2]string) int { return order[w.carries(x)] - order[w.carries(y)] })
}

// halfElsewhere reports a device one half of which hangs on a hot that does not come
// through the GFCI: with its neutral on LOAD the first lamp on it would trip.
func (w *wiring) halfElsewhere(v *Device) bool {
	return v.Tab.Hot == circuit.TabRemoved && w.secondHot() != nil
}

// carries is the conductor that a termination is of.
func (w *wiring) carries(pair [2]string) circuit.Conductor {
	joined := newNets(w.pairs)
	for i := range w.l.b.Cables {
		c := &w.l.b.Cables[i]
		for _, k := range c.Conductors {
			if joined.same(pair[0], w.end(c, k)) {
				return k
			}
		}
	}
	for _, v := range w.l.b.devices() {
		d := v.asBuilt()
		for _, t := range d.Terminals() {
			if pair[0] == v.ID+"."+t.Name || pair[1] == v.ID+"."+t.Name {
				return t.Takes
			}
		}
	}
	return circuit.Ground
}

// poles wires one conductor of line, outgoing cables and devices.
func (w *wiring) poles(k circuit.Conductor) {
	b := w.l.b
	devices := b.devices()
	line := w.l.line
	var through, switched []*Cable // carried on from the feed, past a switch or not
	for i := range b.Cables {
		c := &b.Cables[i]
		switch {
		case c == line, !c.Has(k), slices.Contains(w.load, c):
		case k == circuit.Hot && b.switchOf(c) != nil:
			switched = append(switched, c)
		default:
			through = append(through, c)
		}
	}
	v := devices[0]
	d := v.asBuilt()
	split := d.Kind == circuit.Receptacle &&
		(k == circuit.Hot && d.Tab.Hot == circuit.TabRemoved || k == circuit.Neutral && d.Tab.Neutral == circuit.TabRemoved)
	if w.spliced(k, through, split) || len(switched) > 0 {
		name := splice(string(k))
		if line.Has(k) {
			w.join(w.end(line, k), name)
		}
		for _, c := range through {
			w.join(w.end(c, k), name)
		}
		for i, v := range devices {
			if i > 0 && w.behind {
				continue
			}
			d := v.asBuilt()
			first := d.First(k)
			if k == circuit.Hot {
				first = w.steady(&d)
			}
			w.join(name, first)
			if w.apart(&d, k) {
				w.join(name, d.Second(k))
			}
		}
		for _, c := range switched {
			w.switched(c, name)
		}
	} else {
		if line.Has(k) {
			first := d.First(k)
			if k == circuit.Hot {
				first = w.steady(&d)
			}
			w.land(line, k, first)
		}
		for _, c := range through {
			to := d.Second(k)
			if v.IsGFCI() {
				to = d.First(k) // the second wire under the clamp of LINE
			}
			w.land(c, k, to)
		}
	}
	if len(w.load) > 0 || w.behind {
		w.onLoad(v, k)
	}
}

// apart reports a broken tab whose second half has no hot of its own: it is fed
// from the same splice, so that no half is dead.
func (w *wiring) apart(d *circuit.Device, k circuit.Conductor) bool {
	if d.Kind != circuit.Receptacle {
		return false
	}
	return k == circuit.Neutral && d.Tab.Neutral == circuit.TabRemoved ||
		k == circuit.Hot && d.Tab.Hot == circuit.TabRemoved && w.secondHot() == nil
}

// secondHot is the cable whose second hot is to feed one half: from a wall switch, else
// the feed's other leg.
func (w *wiring) secondHot() *Cable {
	if leg := w.l.b.switchLeg(); leg != nil {
		return leg
	}
	if w.l.line.Has(circuit.Hot2) {
		return w.l.line
	}
	return nil
}

// spliced decides between a splice with jumpers and the device's own terminals.
func (w *wiring) spliced(k circuit.Conductor, through []*Cable, split bool) bool {
	b := w.l.b
	v := b.devices()[0]
	shared := k == circuit.Neutral &&
		slices.ContainsFunc(b.Cables, func(c Cable) bool { return c.Has(circuit.Hot2) && c.Hot2 != SwitchLeg })
	wires := 1 + len(through)
	switch {
	case len(b.devices()) > 1 && !w.behind:
		return true
	case split && (k == circuit.Neutral || w.secondHot() == nil):
		return true
	case len(through) == 0:
		return false
	case shared:
		return true
	case split, v.onePole():
		w.said = append(w.said, "The device has one terminal for each conductor: what goes on is spliced.")
		return true
	}
	w.says("device")
	switch {
	case w.house.Device == practice.AlwaysPigtail, w.house.Device == practice.PigtailAt3 && len(b.Cables) >= 3:
		return true
	case v.IsGFCI():
		return wires > v.takes()
	default:
		return len(through) > v.takes()
	}
}

// onLoad lands the protected cables on LOAD.
func (w *wiring) onLoad(v *Device, k circuit.Conductor) {
	d := v.asBuilt()
	var ends []*Cable
	var others []string // devices and switches in the same box that it protects
	for _, c := range w.load {
		switch {
		case !c.Has(k):
		case k == circuit.Hot && w.l.b.switchOf(c) != nil:
			s := w.l.b.switchOf(c)
			others = append(others, s.ID+switchFed)
			w.land(c, k, s.ID+switchGoesOn)
		default:
			ends = append(ends, c)
		}
	}
	if w.behind {
		for i := range w.l.b.Others {
			o := w.l.b.Others[i].asBuilt()
			others = append(others, o.First(k))
			if w.apart(&o, k) {
				others = append(others, o.Second(k))
			}
		}
	}
	if n := len(ends) + len(others); n > v.takes() ||
		n > 1 && (w.house.Device != practice.FeedThrough || len(others) > 0) {
		name := splice("load-" + string(k))
		for _, c := range ends {
			w.join(w.end(c, k), name)
		}
		w.join(name, d.Second(k))
		for _, at := range others {
			w.join(name, at)
		}
		return
	}
	for _, c := range ends {
		w.land(c, k, d.Second(k))
	}
	for _, at := range others {
		w.join(d.Second(k), at)
	}
}

// seconds gives every second hot a place: those from a wall switch with one another, and
// those of another leg, never the two together.
func (w *wiring) seconds() {
	b := w.l.b
	var switched, legs []*Cable
	for i := range b.Cables {
		c := &b.Cables[i]
		switch {
		case !c.Has(circuit.Hot2):
		case c.Hot2 == SwitchLeg:
			switched = append(switched, c)
		default:
			legs = append(legs, c)
		}
	}
	var halves []string // fed by a second hot alone
	if from := w.secondHot(); from != nil {
		for _, v := range b.devices() {
			if d := v.asBuilt(); d.Kind == circuit.Receptacle && d.Tab.Hot == circuit.TabRemoved {
				halves = append(halves, w.other(&d))
			}
		}
		if from.Hot2 == SwitchLeg {
			w.second("switched", switched, halves)
			w.second(string(circuit.Hot2), legs, nil)
			return
		}
	}
	w.second("switched", switched, nil)
	w.second(string(circuit.Hot2), legs, halves)
}

// second joins second hots of one kind, and the halves that hang on them.
func (w *wiring) second(name string, ends []*Cable, halves []string) {
	if len(ends) == 1 && len(halves) == 1 {
		w.land(ends[0], circuit.Hot2, halves[0])
		return
	}
	for _, c := range ends {
		w.join(w.end(c, circuit.Hot2), splice(name))
	}
	for _, half := range halves {
		w.join(splice(name), half)
	}
}

// grounds joins every ground wire, each device and a metal box; where no ground
// arrives each ground wire is capped by itself, so that none is carried on.
func (w *wiring) grounds() {
	b := w.l.b
	var ends []*Cable
	for i := range b.Cables {
		if b.Cables[i].Has(circuit.Ground) {
			ends = append(ends, &b.Cables[i])
		}
	}
	unknownLine := w.l.line == nil
	if !w.l.grounded && !unknownLine {
		for _, c := range ends {
			w.join(w.end(c, circuit.Ground), splice(c.ID+"-ground"))
		}
		return
	}
	if len(ends) == 0 && !w.l.raceway {
		return
	}
	metal := b.Box.Material == circuit.Metal
	name := splice(string(circuit.Ground))
	var to []string
	for _, v := range b.devices() {
		if metal && w.house.MetalBox == practice.Yoke && v.SelfGrounding {
			w.says("metalBox")
			continue // its listed contacts bond it to the box
		}
		if metal {
			w.says("metalBox")
		}
		to = append(to, v.ID+".ground")
	}
	for i := range b.Switches {
		to = append(to, b.Switches[i].ID+".ground")
	}
	if metal {
		to = append(to, b.ID+".box")
	}
	if len(ends)+len(to) <= 2 && len(ends) <= 1 {
		switch {
		case len(ends) == 1 && len(to) == 1:
			w.land(ends[0], circuit.Ground, to[0])
			return
		case len(ends) == 0 && len(to) == 2:
			w.join(to[0], to[1])
			return
		case len(ends) == 0:
			return
		}
	}
	for _, c := range ends {
		w.join(w.end(c, circuit.Ground), name)
	}
	for _, at := range to {
		w.join(name, at)
	}
}
