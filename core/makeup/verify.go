package makeup

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/words"
)

// Verify reports every rule of terminations that the wiring breaks: conductors
// of different kinds joined, an end without a place, more wires on a terminal
// than it takes, a feed on LOAD, two grounds on one screw, a push-in where none
// may be. It looks at the finished wiring alone, not at how it was made.
func Verify(b *Box, pairs [][2]string, strips []Strip) []string {
	v := verifier{b: b, pairs: pairs, joined: newNets(pairs), wires: map[string]int{}}
	for _, pair := range pairs {
		v.wires[pair[0]]++
		v.wires[pair[1]]++
	}
	v.mixed()
	v.places()
	v.terminals()
	v.switches()
	v.feed()
	v.sides()
	v.metals(pairs)
	for _, s := range strips {
		if s.How == words.English.Say(howPushIn) && !b.pushInAllowed(s.Point) {
			v.say("%s: a push-in on anything but 14 AWG solid copper", s.Point)
		}
	}
	return v.problems
}

type verifier struct {
	b        *Box
	pairs    [][2]string
	joined   *nets
	wires    map[string]int
	problems []string
}

func (v *verifier) say(format string, args ...any) {
	v.problems = append(v.problems, fmt.Sprintf(format, args...))
}

// kindOf is the conductor a point is made for; "" for splices.
func (v *verifier) kindOf(point string) circuit.Conductor {
	if owner, k, ok := strings.Cut(point, "."); ok && strings.Contains(owner, "@") {
		return circuit.Conductor(k)
	}
	if strings.HasSuffix(point, ".box") {
		return circuit.Ground
	}
	if v.b.switchAt(point) != nil {
		if strings.HasSuffix(point, ".ground") {
			return circuit.Ground
		}
		return circuit.Hot
	}
	for _, d := range v.b.devices() {
		built := d.asBuilt()
		for _, t := range built.Terminals() {
			if point == d.ID+"."+t.Name {
				return t.Takes
			}
		}
	}
	return ""
}

func (v *verifier) mixed() {
	var switched, legs []string
	for i := range v.b.Cables {
		if c := &v.b.Cables[i]; c.Has(circuit.Hot2) && c.Hot2 == SwitchLeg {
			switched = append(switched, c.ID+"@"+v.b.ID+".hot2")
		} else if c.Has(circuit.Hot2) {
			legs = append(legs, c.ID+"@"+v.b.ID+".hot2")
		}
	}
	for _, s := range switched {
		for _, leg := range legs {
			if v.joined.same(s, leg) {
				v.say("%s joins a switched hot and another leg, %s", s, leg)
			}
		}
	}
	nets := v.joined.byRoot()
	for _, root := range slices.Sorted(maps.Keys(nets)) { // the same words each time
		names := nets[root]
		var kind circuit.Conductor
		ends := func(k string) bool {
			return slices.ContainsFunc(names, func(n string) bool { return strings.Contains(n, "@") && strings.HasSuffix(n, k) })
		}
		otherLeg := ends(".hot2") && !ends(".hot") // a device may hang on either leg
		for _, name := range names {
			k := v.kindOf(name)
			if otherLeg && k == circuit.Hot {
				k = circuit.Hot2
			}
			if k == circuit.Hot2 && slices.ContainsFunc(names, func(n string) bool { return v.isSecond(n) }) {
				k = circuit.Hot // the half the second hot feeds
			}
			switch {
			case k == "":
			case kind == "":
				kind = k
			case kind != k:
				v.say("%s joins %s and %s", strings.Join(names, ", "), kind, k)
				return
			}
		}
	}
}

// isSecond reports a hot terminal of a device whose halves are fed apart.
func (v *verifier) isSecond(point string) bool {
	for _, d := range v.b.devices() {
		if d.Tab.Hot == circuit.TabRemoved && (point == d.ID+".hot.1" || point == d.ID+".hot.2") {
			return true
		}
	}
	return false
}

func (v *verifier) places() {
	for i := range v.b.Cables {
		for _, k := range v.b.Cables[i].Conductors {
			if end := v.b.Cables[i].ID + "@" + v.b.ID + "." + string(k); v.wires[end] == 0 {
				v.say("%s has no place", end)
			}
		}
	}
}

func (v *verifier) terminals() {
	for _, d := range v.b.devices() {
		built := d.asBuilt()
		for _, t := range built.Terminals() {
			name, takes := d.ID+"."+t.Name, d.takes()
			if t.Takes == circuit.Ground {
				takes = 1
			}
			if v.wires[name] > takes {
				v.say("%s: %d wires on a terminal that takes %d", name, v.wires[name], takes)
			}
		}
	}
}

// sides reports a cable whose hot and neutral hang on different sides of a GFCI: the first
// load on it trips the device.
func (v *verifier) sides() {
	on := newNets(v.b.closed(v.pairs))
	for _, d := range v.b.devices() {
		if !d.IsGFCI() {
			continue
		}
		for i := range v.b.Cables {
			c := &v.b.Cables[i]
			hot := on.same(c.ID+"@"+v.b.ID+".hot", d.ID+".load.hot")
			neutral := on.same(c.ID+"@"+v.b.ID+".neutral", d.ID+".load.neutral")
			if c.Has(circuit.Neutral) && c.Has(circuit.Hot) && hot != neutral {
				v.say("%s: hot and neutral on different sides of %s", c.ID, d.ID)
			}
		}
	}
}

// metals reports aluminium on a terminal that is not listed for it.
func (v *verifier) metals(pairs [][2]string) {
	for _, pair := range pairs {
		for i, end := range pair {
			owner, _, _ := strings.Cut(end, "@")
			at := slices.IndexFunc(v.b.Cables, func(c Cable) bool { return c.ID == owner && c.Material == aluminum })
			if at < 0 || strings.HasPrefix(pair[1-i], "splice:") {
				continue
			}
			if d := v.b.deviceAt(pair[1-i]); d == nil || !d.Aluminum {
				v.say("%s: aluminium on %s, which is not listed for it", end, pair[1-i])
			}
		}
	}
}

func (v *verifier) feed() {
	for i := range v.b.Cables {
		if v.b.Cables[i].Role != Line {
			continue
		}
		for _, d := range v.b.devices() {
			if d.IsGFCI() && v.joined.same(v.b.Cables[i].ID+"@"+v.b.ID+".hot", d.ID+".load.hot") {
				v.say("%s is fed on LOAD", d.ID)
			}
		}
	}
}

// pushInAllowed reports whether the wire at the point may go into a push-in hole.
func (b *Box) pushInAllowed(point string) bool {
	owner, _, _ := strings.Cut(point, "@")
	if c := b.cable(owner); c != nil {
		return c.AWG == 14 && !c.Stranded && c.Material != aluminum
	}
	return b.jumperGauge() == 14
}
