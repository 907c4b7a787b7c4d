package tester_test

import (
	"fmt"
	"maps"
	"math"
	"math/cmplx"
	"math/rand/v2"
	"os/exec"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/draw"
	"elvat/core/tester"
)

// This file says the circuit model once more, independently of the product's
// expansion, faults and network: it writes a SPICE deck straight from a
// circuit with its faults and a tester on it, for ngspice (a general circuit
// simulator) to solve.

// A contact is a resistance between two named points.
type contact struct {
	a, b string
	ohms float64
	open bool
}

// A pole is one of a device that compares currents; the last is the neutral's.
type pole struct{ line, load string }

type guard struct {
	name          string
	poles         []pole
	tripped, dead bool
	noTrip        bool
}

// An again is one circuit with its faults and what was put on it, written once more.
type again struct {
	c        *circuit.Circuit
	prefix   string // of its nodes
	contacts []contact
	inner    map[string]*contact // slot contacts, tabs, whole conductors
	bridges  []contact
	breaker  bool // closed
	guards   []guard
	lines    *strings.Builder
	n        *int
}

const (
	atTermination = 0.001
	atSlot        = 0.002
	atTab         = 0.0005
	atBreaker     = 0.003
	atPole        = 0.003
)

func (k *again) node(point string) string {
	if point == "0" {
		return "0"
	}
	return k.prefix + strings.NewReplacer("@", "_", ".", "_", ":", "_").Replace(point)
}

func (k *again) element(kind, a, b string, value float64) {
	*k.n++
	fmt.Fprintf(k.lines, "%s%d %s %s %.12g\n", kind, *k.n, k.node(a), k.node(b), value)
}

func (k *again) resistor(a, b string, ohms float64) { k.element("R", a, b, ohms) }

// terminal is where the wire lands on the device: first or line, second or load.
func terminal(v circuit.Device, wire string, second bool) string {
	switch {
	case wire == "ground":
		return v.ID + ".ground"
	case v.Kind == circuit.GFCI && second:
		return v.ID + ".load." + wire
	case v.Kind == circuit.GFCI:
		return v.ID + ".line." + wire
	case second:
		return v.ID + "." + wire + ".2"
	default:
		return v.ID + "." + wire + ".1"
	}
}

// wiring spells a box's make-up out.
func (k *again) wiring(box circuit.Box) (pairs [][2]string) {
	if box.Wiring != nil {
		for _, pair := range box.Wiring {
			pairs = append(pairs, [2]string{inBox(pair[0], box.ID), inBox(pair[1], box.ID)})
		}
		return pairs
	}
	var line string
	var out []string
	has := map[string]bool{}
	onLoad := map[string]bool{}
	for _, w := range k.c.Cables {
		end := w.ID + "@" + box.ID
		switch box.ID {
		case w.To:
			line = end
		case w.From:
			out = append(out, end)
			onLoad[end] = slices.Contains(box.Load, w.ID)
		default:
			continue
		}
		for _, wire := range w.Conductors {
			has[end+"."+string(wire)] = true
		}
	}
	join := func(a, b string) { pairs = append(pairs, [2]string{a, b}) }
	single := len(box.Devices) == 1
	for _, wire := range []string{"hot", "hot2", "neutral", "ground"} {
		splice := box.ID + ".splice:" + wire
		lands := wire != "hot2"
		straight := lands && single && len(out) == 0 && !(wire == "ground" && box.Bonded)
		through := lands && single && wire != "ground" && box.Makeup == circuit.FeedThrough
		spliced := false
		for _, end := range append([]string{line}, out...) {
			if !has[end+"."+wire] {
				continue
			}
			switch {
			case straight || through && end == line:
				join(end+"."+wire, terminal(box.Devices[0], wire, false))
			case through || onLoad[end] && (wire == "hot" || wire == "neutral"):
				i := max(0, slices.IndexFunc(box.Devices, func(v circuit.Device) bool { return v.Kind == circuit.GFCI }))
				join(end+"."+wire, terminal(box.Devices[i], wire, true))
			default:
				join(end+"."+wire, splice)
				spliced = true
			}
		}
		if lands && (spliced || wire == "ground" && box.Bonded) {
			for _, v := range box.Devices {
				join(splice, terminal(v, wire, false))
			}
		}
		if wire == "ground" && box.Bonded {
			join(splice, box.ID+".box")
		}
	}
	return pairs
}

func inBox(point, box string) string {
	if strings.HasPrefix(point, "splice:") {
		return box + "." + point
	}
	return point
}

func (k *again) device(id string) circuit.Device {
	for _, box := range k.c.Boxes {
		for _, v := range box.Devices {
			if v.ID == id {
				return v
			}
		}
	}
	return circuit.Device{}
}

// build makes the contacts and lets the faults act on them.
func (k *again) build() {
	k.inner, k.breaker = map[string]*contact{}, k.c.Breaker.On
	protected := k.c.Breaker.Protection == circuit.GFCIBreaker || k.c.Breaker.Protection == circuit.DualBreaker
	if protected {
		g := guard{name: "panel", poles: []pole{{"panel.line.hot", "panel.hot"}}}
		if k.c.Breaker.Poles == 2 {
			g.poles = append(g.poles, pole{"panel.line.hot2", "panel.hot2"})
		}
		g.poles = append(g.poles, pole{"bar", "panel.neutral"})
		k.guards = append(k.guards, g)
	}
	for _, w := range k.c.Cables {
		for _, wire := range w.Conductors {
			name := w.ID + "." + string(wire)
			k.inner[name] = &contact{a: w.ID + "@" + w.From + "." + string(wire), b: w.ID + "@" + w.To + "." + string(wire)}
			if w.From == "panel" {
				k.contacts = append(k.contacts, contact{a: w.ID + "@panel." + string(wire), b: "panel." + string(wire)})
			}
		}
	}
	for _, box := range k.c.Boxes {
		for _, p := range k.wiring(box) {
			k.contacts = append(k.contacts, contact{a: p[0], b: p[1]})
		}
		for _, v := range box.Devices {
			if v.Kind == circuit.GFCI {
				k.guards = append(k.guards, guard{name: v.ID, tripped: v.Tripped, poles: []pole{
					{v.ID + ".line.hot", v.ID + ".load.hot"}, {v.ID + ".line.neutral", v.ID + ".load.neutral"},
				}})
			}
			for _, wire := range []string{"hot", "neutral"} {
				if v.Kind == circuit.Receptacle {
					k.inner[v.ID+".tab."+wire] = &contact{
						a:    terminal(v, wire, false),
						b:    terminal(v, wire, true),
						open: wire == "hot" && v.Tab.Hot == circuit.TabRemoved,
					}
				}
				k.inner[v.ID+".top."+wire] = &contact{a: terminal(v, wire, v.Kind == circuit.GFCI), b: v.ID + ".top." + wire}
				k.inner[v.ID+".bottom."+wire] = &contact{a: terminal(v, wire, true), b: v.ID + ".bottom." + wire}
			}
			for _, half := range []string{"top", "bottom"} {
				if v.Slots != 2 {
					k.inner[v.ID+"."+half+".ground"] = &contact{a: v.ID + ".ground", b: v.ID + "." + half + ".ground"}
				}
			}
		}
	}
	for _, f := range k.c.Faults {
		k.rearrange(f)
	}
	for _, f := range k.c.Faults {
		k.interrupt(f)
	}
	for _, end := range k.c.State.Separated {
		for i := range k.contacts {
			if strings.HasPrefix(k.contacts[i].a, end+".") || strings.HasPrefix(k.contacts[i].b, end+".") {
				k.contacts[i].open = true
			}
		}
	}
	for _, p := range k.c.State.Joined {
		k.bridges = append(k.bridges, contact{a: p[0], b: p[1], ohms: 0.001})
	}
	for _, f := range k.c.Faults {
		k.bridge(f)
	}
}

func (k *again) relabel(to map[string]string) {
	for i := range k.contacts {
		if p, ok := to[k.contacts[i].a]; ok {
			k.contacts[i].a = p
		}
		if p, ok := to[k.contacts[i].b]; ok {
			k.contacts[i].b = p
		}
	}
}

func (k *again) rearrange(f circuit.Fault) {
	one, other, _ := strings.Cut(string(f.Pair), "-")
	v := k.device(f.At)
	switch {
	case f.Kind == circuit.Swapped && strings.Contains(f.At, "@"):
		k.relabel(map[string]string{f.At + "." + one: f.At + "." + other, f.At + "." + other: f.At + "." + one})
	case f.Kind == circuit.Swapped:
		to := map[string]string{}
		for _, second := range []bool{true, false} { // the one ground exchanges with the first
			to[terminal(v, one, second)], to[terminal(v, other, second)] = terminal(v, other, second), terminal(v, one, second)
		}
		k.relabel(to)
	case f.Kind == circuit.Moved:
		box := f.At[strings.Index(f.At, "@")+1 : strings.LastIndex(f.At, ".")]
		moved := false
		for i := range k.contacts {
			if t := &k.contacts[i]; t.a == f.At || t.b == f.At {
				t.a, t.b, t.open = f.At, inBox(f.To, box), moved
				moved = true
			}
		}
	case f.Kind == circuit.GFCIFault && f.State == "line-load-swapped":
		to := map[string]string{}
		for _, wire := range []string{"hot", "neutral"} {
			to[terminal(v, wire, false)], to[terminal(v, wire, true)] = terminal(v, wire, true), terminal(v, wire, false)
		}
		k.relabel(to)
	}
}

func (k *again) interrupt(f circuit.Fault) {
	switch f.Kind {
	case circuit.Open, circuit.Resistive:
		var hit []*contact
		if inner := k.inner[f.At]; inner != nil {
			hit = append(hit, inner)
		} else {
			for i := range k.contacts {
				if k.contacts[i].a == f.At || k.contacts[i].b == f.At {
					hit = append(hit, &k.contacts[i])
				}
			}
		}
		for _, t := range hit {
			t.open = t.open || f.Kind == circuit.Open
			t.ohms += f.Ohms
		}
	case circuit.BreakerAt:
		k.breaker = false
	case circuit.GFCIFault:
		for i := range k.guards {
			g := &k.guards[i]
			if g.name != f.At {
				continue
			}
			g.tripped = g.tripped || f.State == "tripped"
			g.noTrip = g.noTrip || f.State == "no-trip"
			g.dead = g.dead || f.State == "dead"
			if f.State == "line-load-swapped" && k.device(f.At).Generation != circuit.Legacy {
				g.dead = true // locked out: its face is dead too
				for _, half := range []string{".top.", ".bottom."} {
					k.inner[f.At+half+"hot"].open, k.inner[f.At+half+"neutral"].open = true, true
				}
			}
		}
	}
}

func (k *again) bridge(f circuit.Fault) {
	one, other, _ := strings.Cut(string(f.Pair), "-")
	at, onLoad := strings.CutSuffix(f.At, ".load")
	switch f.Kind {
	case circuit.Bonded:
		v := k.device(at)
		k.bridges = append(k.bridges, contact{a: terminal(v, one, onLoad), b: terminal(v, other, onLoad), ohms: f.Ohms})
	case circuit.Touching:
		v := k.c.Box(f.At).Devices[0]
		k.bridges = append(k.bridges, contact{a: terminal(v, one, false), b: terminal(v, other, false), ohms: f.Ohms})
	case circuit.Leak:
		v := k.device(at)
		k.bridges = append(
			k.bridges,
			contact{a: terminal(v, "hot", v.Kind == circuit.GFCI), b: v.ID + ".ground", ohms: f.Ohms},
		)
	}
}

// A setting is how a copy is solved.
type setting struct {
	tripped []string
	probe   []contact
	// between: sources dead, one ampere driven from the first point to the second.
	between *[2]string
	opened  string // a guard whose poles are open for a question
	dc      bool   // breaker off, no capacitances
}

// write puts the copy's elements into the deck.
func (k *again) write(o setting) {
	volts := k.c.Supply.Volts
	if o.between != nil {
		volts = 0
		fmt.Fprintf(k.lines, "I%s %s %s AC 1\n", k.prefix, k.node(o.between[1]), k.node(o.between[0]))
	}
	bar := "panel.neutral"
	for _, g := range k.guards {
		if g.name == "panel" {
			bar = "bar"
		}
	}
	closed := k.breaker && !o.dc && !slices.Contains(o.tripped, "panel")
	points := map[string]bool{
		"panel.hot":     true,
		"panel.neutral": true,
		"panel.ground":  true,
		"panel.hot2":    true,
		bar:             true,
	}
	for i, wire := range []string{"hot", "hot2"}[:k.c.Breaker.Poles] {
		sign := []float64{1, -1}[i]
		fmt.Fprintf(k.lines, "V%s%s %s %s AC %g\n", k.prefix, wire, k.node("leg."+wire), k.node("xfmr"), sign*volts)
		k.resistor("leg."+wire, "mains."+wire, 0.02)
		to := "panel." + wire
		if bar == "bar" {
			to = "panel.line." + wire
		}
		points["mains."+wire], points[to] = true, true
		if closed {
			k.ammeter("breaker"+wire, "mains."+wire, to, atBreaker)
		}
	}
	k.resistor("xfmr", bar, 0.02)
	k.resistor("xfmr", "0", 5)
	k.resistor(bar, "panel.ground", 0.001)
	k.resistor("panel.ground", "0", 25)
	for _, g := range k.guards {
		open := g.tripped || g.dead || slices.Contains(o.tripped, g.name) || o.opened == g.name
		for i, p := range g.poles {
			points[p.line], points[p.load] = true, true
			if !open {
				k.ammeter(fmt.Sprint("pole", g.name, i), p.line, p.load, atPole)
			}
		}
		k.resistor(g.poles[0].line, g.poles[len(g.poles)-1].line, 40e3)
	}
	for _, t := range k.contacts {
		points[t.a], points[t.b] = true, true
		if !t.open {
			k.resistor(t.a, t.b, atTermination+t.ohms)
		}
	}
	for name, t := range k.inner {
		points[t.a], points[t.b] = true, true
		own := atSlot
		if strings.Contains(name, ".tab.") {
			own = atTab
		} else if w := k.c.Cable(strings.SplitN(name, ".", 2)[0]); w != nil {
			// ASTM B258 diameter, 100 % IACS copper at 25 C.
			mils := 5 * math.Pow(92, (36-float64(w.AWG))/39)
			own = 10.371 / (mils * mils) * (1 + 0.00393*5) * w.Feet
		}
		switch {
		case t.open:
		case own != atSlot && own != atTab:
			k.ammeter("in"+strings.ReplaceAll(name, ".", "_"), t.a, t.b, own+t.ohms)
		default:
			k.resistor(t.a, t.b, own+t.ohms)
		}
	}
	for _, t := range append(k.bridges, o.probe...) {
		points[t.a], points[t.b] = true, true
		k.resistor(t.a, t.b, t.ohms)
	}
	for _, box := range k.c.Boxes {
		for _, v := range box.Devices {
			points[v.ID+".ground"] = true
			if box.Material == circuit.Metal {
				points[box.ID+".box"] = true
				k.resistor(v.ID+".ground", box.ID+".box", 0.1)
			}
		}
	}
	for _, l := range k.c.Loads {
		if l.On {
			k.resistor(l.At+"."+string(l.Half)+".hot", l.At+"."+string(l.Half)+".neutral", 120*120/l.Watts)
		}
	}
	for _, w := range k.c.Cables {
		for _, at := range []string{w.From, w.To} {
			for i, one := range w.Conductors {
				end := w.ID + "@" + at + "."
				points[end+string(one)] = true
				if o.dc {
					continue
				}
				k.element("C", end+string(one), "0", w.Feet/2*10e-12)
				for _, other := range w.Conductors[:i] {
					farads := 10e-12
					if one == circuit.Ground || other == circuit.Ground {
						farads = 20e-12
					}
					k.element("C", end+string(one), end+string(other), w.Feet/2*farads)
				}
			}
		}
	}
	for p := range points {
		k.resistor(p, "0", 10e9)
	}
}

// ammeter is a resistance whose current can be asked for by name.
func (k *again) ammeter(name, a, b string, ohms float64) {
	fmt.Fprintf(k.lines, "V%s%s %s %s AC 0\n", k.prefix, name, k.node(a), k.node(b+"~"+name))
	k.resistor(b+"~"+name, b, ohms)
}

// A deck is many copies solved at once by ngspice.
type deck struct {
	lines  strings.Builder
	n      int
	copies int
	ask    []string // what to print
	pairs  [][2]int // voltages asked for, as places in ask; -1 is earth
}

// add writes the circuit once more.
func (d *deck) add(c *circuit.Circuit, o setting) *again {
	d.copies++
	k := &again{c: c, prefix: fmt.Sprintf("x%d_", d.copies), lines: &d.lines, n: &d.n}
	k.build()
	k.write(o)
	return k
}

func (d *deck) place(what string) int {
	if what == "v(0)" {
		return -1
	}
	d.ask = append(d.ask, what)
	return len(d.ask) - 1
}

// volts asks for the voltage between two points of a copy.
func (d *deck) volts(k *again, a, b string) int {
	d.pairs = append(d.pairs, [2]int{d.place("v(" + k.node(a) + ")"), d.place("v(" + k.node(b) + ")")})
	return len(d.pairs) - 1
}

// amps asks for the current through an ammeter.
func (d *deck) amps(k *again, name string) int {
	d.pairs = append(d.pairs, [2]int{d.place("i(v" + k.prefix + name + ")"), -1})
	return len(d.pairs) - 1
}

var answered = regexp.MustCompile(`(?m)^([vi]\(\S+\)) = ([-+.\de]+),([-+.\de]+)`)

// solve runs ngspice and returns the phasors asked for.
func (d *deck) solve(t testing.TB) []complex128 {
	var whole strings.Builder
	whole.WriteString("* testers on drawn circuits\n" + d.lines.String() + ".control\nset numdgt=11\nac lin 1 60 60\n")
	for _, n := range slices.Compact(slices.Sorted(slices.Values(d.ask))) {
		fmt.Fprintf(&whole, "print %s\n", n)
	}
	whole.WriteString("quit\n.endc\n.end\n")
	cmd := exec.Command("ngspice", "-b")
	cmd.Stdin = strings.NewReader(whole.String())
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, string(out))
	at := map[string]complex128{}
	for _, f := range answered.FindAllStringSubmatch(string(out), -1) {
		re, err := strconv.ParseFloat(f[2], 64)
		require.NoError(t, err)
		im, err := strconv.ParseFloat(f[3], 64)
		require.NoError(t, err)
		at[f[1]] = complex(re, im)
	}
	of := func(place int) complex128 {
		if place < 0 {
			return 0
		}
		v, ok := at[strings.ToLower(d.ask[place])]
		require.True(t, ok, "ngspice did not answer for %s", d.ask[place])
		return v
	}
	var phasors []complex128
	for _, p := range d.pairs {
		phasors = append(phasors, of(p[0])-of(p[1]))
	}
	return phasors
}

// An item is a circuit with something put on it, to be followed through its trips.
type item struct {
	c       *circuit.Circuit
	probe   []contact
	before  []string // tripped before it was put on
	tripped []string
	near    bool // a margin of less than 2 %: not compared
	done    bool
}

// follow opens what trips and solves again until nothing more does.
func follow(t testing.TB, items []*item) {
	for range 6 {
		var d deck
		var checks []func([]complex128)
		for _, it := range items {
			if !it.done {
				checks = append(checks, it.ask(&d))
			}
		}
		if len(checks) == 0 {
			return
		}
		phasors := d.solve(t)
		for _, check := range checks {
			check(phasors)
		}
	}
	require.Fail(t, "trips do not settle")
}

// ask puts the questions that decide the next trips; the answer takes them.
func (it *item) ask(d *deck) func([]complex128) {
	now := append(slices.Clone(it.before), it.tripped...)
	k := d.add(it.c, setting{tripped: now, probe: it.probe})
	type question struct {
		name            string
		supply, neutral int
		poles           []int
		breaker         []int
	}
	var all []question
	if k.breaker && !slices.Contains(now, "panel") {
		q := question{name: "panel", supply: -1}
		for _, wire := range []string{"hot", "hot2"}[:it.c.Breaker.Poles] {
			q.breaker = append(q.breaker, d.amps(k, "breaker"+wire))
		}
		all = append(all, q)
	}
	for _, g := range k.guards {
		if g.tripped || g.dead || g.noTrip || slices.Contains(now, g.name) {
			continue
		}
		last := g.poles[len(g.poles)-1]
		q := question{name: g.name, supply: d.volts(k, g.poles[0].line, last.line)}
		for i := range g.poles {
			q.poles = append(q.poles, d.amps(k, fmt.Sprint("pole", g.name, i)))
		}
		dead := d.add(it.c, setting{tripped: now, probe: it.probe, opened: g.name, between: &[2]string{last.load, last.line}})
		q.neutral = d.volts(dead, last.load, last.line)
		all = append(all, q)
	}
	return func(v []complex128) {
		var trips []string
		over := func(value, limit float64) bool {
			it.near = it.near || math.Abs(value-limit) < 0.02*limit
			return value >= limit
		}
		for _, q := range all {
			if q.supply < 0 {
				for _, i := range q.breaker {
					if over(cmplx.Abs(v[i]), 5*it.c.Breaker.Amps) && !slices.Contains(trips, q.name) {
						trips = append(trips, q.name)
					}
				}
				continue
			}
			var sum complex128
			for _, i := range q.poles {
				sum += v[i]
			}
			if !over(cmplx.Abs(v[q.supply]), 85) {
				continue
			}
			unbalanced := over(cmplx.Abs(sum), 0.005)
			grounded := !over(cmplx.Abs(v[q.neutral]), 4)
			if (unbalanced || grounded) && !slices.Contains(trips, q.name) {
				trips = append(trips, q.name)
			}
		}
		it.tripped, it.done = append(it.tripped, trips...), len(trips) == 0
	}
}

// A check is one number of the product's to be compared.
type check struct {
	words   string
	ours    float64
	theirs  func([]complex128) float64
	allowed float64 // beside 0.1 %
}

var everyKind = []circuit.FaultKind{
	circuit.Open, circuit.Resistive, circuit.Swapped, circuit.Bonded, circuit.Moved, circuit.BreakerAt,
	circuit.Touching, circuit.Leak, circuit.GFCIFault, circuit.GFCIFault, circuit.GFCIFault,
}

// TestTestersAgainstNgspice puts every tester on outlets of drawn circuits of
// every element with faults of every kind, and compares each voltage, current,
// resistance and trip with ngspice's on a deck written independently of the
// product.
func TestTestersAgainstNgspice(t *testing.T) {
	const circuits, perDeck = 504, 2
	var mu sync.Mutex
	count := map[string]int{}
	t.Run("circuits", func(t *testing.T) {
		for first := uint64(0); first < circuits; first += perDeck {
			t.Run(fmt.Sprint(first), func(t *testing.T) {
				t.Parallel()
				var drawn []*circuit.Circuit
				for seed := first; seed < first+perDeck; seed++ {
					r := rand.New(rand.NewPCG(seed, 3))
					c := draw.Circuit(r, draw.Options{Boxes: 1 + r.IntN(5), Plain: seed%6 == 0})
					c.Faults = draw.Faults(r, c, int(seed%3), everyKind...)
					drawn = append(drawn, c)
				}
				of := compare(t, drawn, first)
				mu.Lock()
				defer mu.Unlock()
				for _, c := range drawn {
					tally(count, c)
				}
				for what, n := range of {
					count[what] += n
				}
			})
		}
	})
	for _, what := range slices.Sorted(maps.Keys(count)) {
		t.Logf("%-32s %d", what, count[what])
	}
	for _, kind := range everyKind {
		assert.Greater(t, count["fault "+string(kind)], 10, "faults of kind %s", kind)
	}
	for _, what := range []string{"GFCI receptacle", "GFCI breaker", "two-pole", "removed tab", "metal box", "separated end", "load side cable", "trips compared", "trips that happened"} {
		assert.Greater(t, count[what], 10, what)
	}
}

// tally counts the elements and faults of a circuit.
func tally(count map[string]int, c *circuit.Circuit) {
	count["circuits"]++
	add := func(what string, is bool) {
		if is {
			count[what]++
		}
	}
	add("GFCI breaker", c.Breaker.Protection.SeesGroundFaults())
	add("two-pole", c.Breaker.Poles == 2)
	add("separated end", len(c.State.Separated) > 0)
	add("joined points", len(c.State.Joined) > 0)
	for _, box := range c.Boxes {
		add("metal box", box.Material == circuit.Metal)
		add("metal box, bonded", box.Bonded)
		add("several devices in a box", len(box.Devices) > 1)
		add("load side cable", len(box.Load) > 0)
		for _, v := range box.Devices {
			add("GFCI receptacle", v.Kind == circuit.GFCI)
			add("GFCI receptacle, legacy", v.Generation == circuit.Legacy)
			add("two-slot", v.Slots == 2)
			add("removed tab", v.Tab.Hot == circuit.TabRemoved)
		}
	}
	for _, w := range c.Cables {
		add("cable without ground", !w.Has(circuit.Ground))
		add("cable with hot2", w.Has(circuit.Hot2))
	}
	for _, f := range c.Faults {
		count["fault "+string(f.Kind)]++
	}
}

// compare follows the circuits' own trips, then puts testers on one outlet of
// each; it returns how many of what were compared.
func compare(t *testing.T, drawn []*circuit.Circuit, first uint64) map[string]int {
	count := map[string]int{}
	bare := make([]*item, len(drawn))
	for i, c := range drawn {
		bare[i] = &item{c: c}
	}
	follow(t, bare)
	var d deck
	var checks []check
	var pressed []*item
	var predicted []func() []string
	for i, c := range drawn {
		if bare[i].near {
			continue
		}
		p := placed{t: t, d: &d, c: c, before: bare[i].tripped, r: rand.New(rand.NewPCG(first+uint64(i), 4))}
		p.condition = condition(t, c, c.Faults...)
		count["trips compared"]++
		count["trips that happened"] += len(bare[i].tripped)
		if !assert.ElementsMatch(t, bare[i].tripped, p.condition.Tripped, "what trips by itself; faults %v", c.Faults) {
			continue
		}
		p.putTesters()
		checks = append(checks, p.checks...)
		pressed, predicted = append(pressed, p.pressed...), append(predicted, p.predicted...)
	}
	phasors := d.solve(t)
	for _, q := range checks {
		theirs := q.theirs(phasors)
		assert.InDelta(t, theirs, q.ours, max(q.allowed, 0.001*theirs), q.words)
		count["values compared"]++
	}
	follow(t, pressed)
	for i, it := range pressed {
		if it.near {
			continue
		}
		count["trips compared"]++
		count["trips that happened"] += len(it.tripped)
		assert.ElementsMatch(t, it.tripped, predicted[i](), "what a tester trips: %v; faults %v", it.probe, it.c.Faults)
	}
	return count
}

// placed is one outlet of a circuit on which testers are put.
type placed struct {
	t         *testing.T
	d         *deck
	c         *circuit.Circuit
	before    []string
	r         *rand.Rand
	condition *tester.Condition
	checks    []check
	pressed   []*item
	predicted []func() []string
}

func (p *placed) on(probe ...contact) *again {
	return p.d.add(p.c, setting{tripped: p.before, probe: probe})
}

func (p *placed) ask(words string, ours float64, k *again, a, b string) {
	at := p.d.volts(k, a, b)
	p.checks = append(
		p.checks,
		check{
			fmt.Sprintf("%s, %s to %s; faults %v", words, a, b, p.c.Faults),
			ours,
			func(v []complex128) float64 { return cmplx.Abs(v[at]) },
			0.001,
		},
	)
}

// press follows what a tester trips.
func (p *placed) press(predicted func() []string, probe ...contact) {
	p.pressed = append(p.pressed, &item{c: p.c, probe: probe, before: p.before})
	p.predicted = append(p.predicted, predicted)
}

func (p *placed) putTesters() {
	k := p.condition
	outlets := bench(p.t, p.c).Outlets()
	o := outlets[p.r.IntN(len(outlets))]
	slot := func(wire string) string { return o.Device + "." + string(o.Half) + "." + wire }
	across := func(a, b string, ohms float64) contact { return contact{a: a, b: b, ohms: ohms} }

	bare := p.on()
	p.ask("yoke", k.YokeVolts(o), bare, o.Device+".ground", "0")
	yoke := p.d.volts(bare, o.Device+".ground", "0")
	for i, wire := range []string{"hot", "neutral"} {
		at := p.d.volts(bare, slot(wire), "0")
		p.checks = append(
			p.checks,
			check{
				fmt.Sprintf("sensor at %s; faults %v", slot(wire), p.c.Faults),
				k.SensorVolts(o)[i],
				func(v []complex128) float64 {
					return max(cmplx.Abs(v[at]), cmplx.Abs(v[yoke]))
				},
				0.001,
			},
		)
	}
	p.points(bare)
	p.ask("test lamp", k.TestLampVolts(o), p.on(across(slot("hot"), slot("neutral"), 240)), slot("hot"), slot("neutral"))
	if o.HasGround {
		three := []contact{
			across(slot("hot"), slot("neutral"), 100e3),
			across(slot("hot"), slot("ground"), 100e3),
			across(slot("neutral"), slot("ground"), 100e3),
		}
		lamps, plug := k.LampVolts(o), p.on(three...)
		p.ask("lamp", lamps[0], plug, slot("hot"), slot("neutral"))
		p.ask("lamp", lamps[1], plug, slot("hot"), slot("ground"))
		p.ask("lamp", lamps[2], plug, slot("neutral"), slot("ground"))
		p.press(
			func() []string { return k.PlugButton(o) },
			append(slices.Clone(three), across(slot("hot"), slot("ground"), 15e3))...)
		p.analyze(o, slot, three)
	}
	if v := bare.device(o.Device); v.Kind == circuit.GFCI {
		p.press(func() []string { return k.DeviceButton(v.ID) }, across(v.ID+".load.hot", v.ID+".line.neutral", 15e3))
	}
	probes := [][2]string{
		{slot("hot"), slot("neutral")}, {slot("hot"), slot("ground")}, {slot("neutral"), slot("ground")},
		{slot("hot"), "panel.ground"}, {slot("neutral"), "panel.ground"}, {slot("ground"), "panel.ground"},
	}
	for _, n := range p.r.Perm(len(probes))[:2] {
		a, b := probes[n][0], probes[n][1]
		if !o.HasGround && (a == slot("ground") || b == slot("ground")) {
			continue
		}
		for mode, ohms := range map[tester.Mode]float64{tester.HighZ: 10e6, tester.LowZ: 3e3} {
			p.ask("meter "+string(mode), k.MeterVolts(o, n, mode), p.on(across(a, b, ohms)), a, b)
		}
	}
	if o.HasGround {
		p.press(func() []string {
			r, err := k.ReadPoints(tester.Meter, tester.LowZ, slot("hot"), slot("ground"))
			require.NoError(p.t, err)
			return r.Tripped
		}, across(slot("hot"), slot("ground"), 3e3))
	}
}

// points puts sensor, clamp and ohmmeter on a cable's end.
func (p *placed) points(bare *again) {
	k := p.condition
	cable := p.c.Cables[p.r.IntN(len(p.c.Cables))]
	end := cable.ID + "@" + cable.To
	ours, err := k.PointVolts(end + ".hot")
	require.NoError(p.t, err)
	p.ask("sensor on a bare end", ours, bare, end+".hot", "0")

	sum := []int{}
	for _, wire := range cable.Conductors {
		if bare.inner[cable.ID+"."+string(wire)].open {
			continue
		}
		at := p.d.amps(bare, "in"+cable.ID+"_"+string(wire))
		sum = append(sum, at)
		ours, err := k.AmpsAt(end + "." + string(wire))
		require.NoError(p.t, err)
		p.checks = append(
			p.checks,
			check{
				fmt.Sprintf("clamp on %s %s; faults %v", end, wire, p.c.Faults),
				ours,
				func(v []complex128) float64 { return cmplx.Abs(v[at]) },
				1e-6,
			},
		)
	}
	ours, err = k.AmpsAt(end)
	require.NoError(p.t, err)
	p.checks = append(
		p.checks,
		check{fmt.Sprintf("clamp on %s; faults %v", end, p.c.Faults), ours, func(v []complex128) float64 {
			var all complex128
			for _, at := range sum {
				all += v[at]
			}
			return cmplx.Abs(all)
		}, 1e-6},
	)

	a, b := end+".hot", end+".neutral"
	reads, err := k.OhmsBetween(a, b)
	require.NoError(p.t, err)
	dead := p.d.add(p.c, setting{tripped: p.before, between: &[2]string{a, b}, dc: true})
	at := p.d.volts(dead, a, b)
	value := reads.Value
	if reads.Open {
		value = math.Inf(1)
	}
	p.checks = append(
		p.checks,
		check{fmt.Sprintf("ohms %s to %s; faults %v", a, b, p.c.Faults), value, func(v []complex128) float64 {
			if ohms := cmplx.Abs(v[at]); ohms <= 1e6 {
				return ohms
			}
			return math.Inf(1)
		}, 1e-5},
	)
}

// analyze is a load tester by its own definition, from three decks.
func (p *placed) analyze(o circuit.Outlet, slot func(string) string, three []contact) {
	got := p.condition.Analyze(o)
	var at [3][3]int // by deck, then pair
	for i, extra := range [][]contact{nil, {{a: slot("hot"), b: slot("neutral"), ohms: 8}}, {{a: slot("hot"), b: slot("ground"), ohms: 8}}} {
		k := p.on(append(slices.Clone(three), extra...)...)
		at[i] = [3]int{
			p.d.volts(k, slot("hot"), slot("neutral")),
			p.d.volts(k, slot("hot"), slot("ground")),
			p.d.volts(k, slot("neutral"), slot("ground")),
		}
	}
	p.checks = append(p.checks, check{fmt.Sprintf("load tester at %s %s: %+v; faults %v", o.Device, o.Half, got.Wiring, p.c.Faults), 0, func(v []complex128) float64 {
		hn, hg, ng := v[at[0][0]], v[at[0][1]], v[at[0][2]]
		off := 0.0
		differ := func(ours *float64, theirs float64, given bool) {
			switch {
			case math.Abs(cmplx.Abs(hn)-100) < 2 || math.Abs(cmplx.Abs(hg)-100) < 2 || math.Abs(cmplx.Abs(ng)-20) < 0.4:
				// at a threshold either is right
			case (ours != nil) != given:
				off = max(off, 1)
			case given:
				off = max(off, (math.Abs(*ours-theirs)-1e-5)/max(theirs, 0.01))
			}
		}
		there := cmplx.Abs(hn) >= 100
		amps := cmplx.Abs(v[at[1][0]]) / 8
		loop, neutral := cmplx.Abs(v[at[1][0]]-hn)/amps, cmplx.Abs(v[at[1][2]]-ng)/amps
		hot := loop - neutral
		ground := cmplx.Abs(v[at[2][1]]-hg)/(cmplx.Abs(v[at[2][1]])/8) - hot
		each := there && cmplx.Abs(hg) >= 100 && cmplx.Abs(ng) <= 20 && ground <= 1000
		differ(got.Volts, cmplx.Abs(hn), there)
		differ(got.Ohms.HotNeutral, loop, there)
		differ(got.DropPercent, 1500*loop/cmplx.Abs(hn), there)
		differ(got.Ohms.Hot, hot, each)
		differ(got.Ohms.Neutral, neutral, each)
		differ(got.Ohms.Ground, ground, each)
		if off <= 0.001 {
			return 0
		}
		return off
	}, 0})
}
