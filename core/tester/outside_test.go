package tester_test

import (
	"fmt"
	"math"
	"math/cmplx"
	"math/rand/v2"
	"os/exec"
	"regexp"
	"slices"
	"strconv"
	"strings"
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

// A contact is a termination between two named points.
type contact struct {
	a, b string
	ohms float64
	open bool
}

// A copy is one circuit with its faults in one state, in a deck that may hold many.
type copyOf struct {
	c        *circuit.Circuit
	name     string // prefix of its nodes
	contacts []contact
	inner    map[string]*contact // slot contacts, tabs, whole conductors
	bridges  []contact
	breaker  bool // closed
	lines    *strings.Builder
	n        *int
}

const (
	atTermination = 0.001
	atSlot        = 0.002
	atTab         = 0.0005
	atBreaker     = 0.003
)

func (k *copyOf) node(point string) string {
	if point == "0" {
		return "0"
	}
	return k.name + strings.NewReplacer("@", "_", ".", "_", ":", "_").Replace(point)
}

func (k *copyOf) element(kind, a, b string, value float64) {
	*k.n++
	fmt.Fprintf(k.lines, "%s%d %s %s %.12g\n", kind, *k.n, k.node(a), k.node(b), value)
}

func (k *copyOf) resistor(a, b string, ohms float64) { k.element("R", a, b, ohms) }

// wiring spells a box's make-up out.
func (k *copyOf) wiring(box circuit.Box) (pairs [][2]string) {
	if box.Wiring != nil {
		for _, p := range box.Wiring {
			pairs = append(pairs, [2]string{inBox(p[0], box.ID), inBox(p[1], box.ID)})
		}
		return pairs
	}
	var line string
	var out []string
	has := map[string]bool{}
	for _, w := range k.c.Cables {
		end := w.ID + "@" + box.ID
		switch box.ID {
		case w.To:
			line = end
		case w.From:
			out = append(out, end)
		default:
			continue
		}
		for _, wire := range w.Conductors {
			has[end+"."+string(wire)] = true
		}
	}
	join := func(a, b string) { pairs = append(pairs, [2]string{a, b}) }
	for _, wire := range []string{"hot", "neutral", "ground"} {
		splice := box.ID + ".splice:" + wire
		terminal := func(v circuit.Device, n string) string {
			if wire == "ground" {
				return v.ID + ".ground"
			}
			return v.ID + "." + wire + "." + n
		}
		single := len(box.Devices) == 1
		straight := single && len(out) == 0 && !(wire == "ground" && box.Bonded)
		through := single && wire != "ground" && box.Makeup == circuit.FeedThrough
		anything := false
		for _, end := range append([]string{line}, out...) {
			if !has[end+"."+wire] {
				continue
			}
			anything = true
			switch {
			case straight || through && end == line:
				join(end+"."+wire, terminal(box.Devices[0], "1"))
			case through:
				join(end+"."+wire, terminal(box.Devices[0], "2"))
			default:
				join(end+"."+wire, splice)
			}
		}
		if !straight && !through && (anything || wire == "ground" && box.Bonded) {
			for _, v := range box.Devices {
				join(splice, terminal(v, "1"))
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

// build makes the contacts and lets the faults act on them.
func (k *copyOf) build() {
	k.inner, k.breaker = map[string]*contact{}, k.c.Breaker.On
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
			for _, wire := range []string{"hot", "neutral"} {
				k.inner[v.ID+".tab."+wire] = &contact{a: v.ID + "." + wire + ".1", b: v.ID + "." + wire + ".2"}
				k.inner[v.ID+".top."+wire] = &contact{a: v.ID + "." + wire + ".1", b: v.ID + ".top." + wire}
				k.inner[v.ID+".bottom."+wire] = &contact{a: v.ID + "." + wire + ".2", b: v.ID + ".bottom." + wire}
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
}

func (k *copyOf) relabel(to map[string]string) {
	for i := range k.contacts {
		if p, ok := to[k.contacts[i].a]; ok {
			k.contacts[i].a = p
		}
		if p, ok := to[k.contacts[i].b]; ok {
			k.contacts[i].b = p
		}
	}
}

func (k *copyOf) rearrange(f circuit.Fault) {
	one, other, _ := strings.Cut(string(f.Pair), "-")
	switch {
	case f.Kind == circuit.Swapped && strings.Contains(f.At, "@"):
		k.relabel(map[string]string{f.At + "." + one: f.At + "." + other, f.At + "." + other: f.At + "." + one})
	case f.Kind == circuit.Swapped && other == "ground":
		k.relabel(map[string]string{f.At + "." + one + ".1": f.At + ".ground", f.At + "." + one + ".2": f.At + ".ground", f.At + ".ground": f.At + "." + one + ".1"})
	case f.Kind == circuit.Swapped:
		to := map[string]string{}
		for _, n := range []string{".1", ".2"} {
			to[f.At+"."+one+n], to[f.At+"."+other+n] = f.At+"."+other+n, f.At+"."+one+n
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
	}
}

func (k *copyOf) interrupt(f circuit.Fault) {
	switch f.Kind {
	case circuit.Open, circuit.Resistive:
		var hit []*contact
		if inner := k.inner[f.At]; inner != nil {
			hit = append(hit, inner)
		} else {
			at := f.At
			if strings.HasPrefix(at, "splice:") {
				at = "" // never drawn without its box
			}
			for i := range k.contacts {
				if k.contacts[i].a == at || k.contacts[i].b == at {
					hit = append(hit, &k.contacts[i])
				}
			}
		}
		for _, t := range hit {
			t.open = t.open || f.Kind == circuit.Open
			t.ohms += f.Ohms
		}
	case circuit.Bonded:
		one, other, _ := strings.Cut(string(f.Pair), "-")
		b := f.At + "." + other + ".1"
		if other == "ground" {
			b = f.At + ".ground"
		}
		k.bridges = append(k.bridges, contact{a: f.At + "." + one + ".1", b: b, ohms: f.Ohms})
	case circuit.BreakerAt:
		k.breaker = false
	}
}

// write puts the copy's elements into the deck.
func (k *copyOf) write() {
	fmt.Fprintf(k.lines, "V%s %sleg %sxfmr AC %g\n", k.name, k.name, k.name, k.c.Supply.Volts)
	k.resistor("leg", "mains", 0.02)
	k.resistor("xfmr", "panel.neutral", 0.02)
	k.resistor("xfmr", "0", 5)
	k.resistor("panel.neutral", "panel.ground", 0.001)
	k.resistor("panel.ground", "0", 25)
	if k.breaker {
		k.resistor("mains", "panel.hot", atBreaker)
	}
	points := map[string]bool{"panel.hot": true, "panel.neutral": true, "panel.ground": true, "mains": true}
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
		if !t.open {
			k.resistor(t.a, t.b, own+t.ohms)
		}
	}
	for _, t := range k.bridges {
		points[t.a], points[t.b] = true, true
		k.resistor(t.a, t.b, t.ohms)
	}
	for _, box := range k.c.Boxes {
		for _, v := range box.Devices {
			points[v.ID+".ground"] = true
		}
		if box.Material == circuit.Metal {
			points[box.ID+".box"] = true
			for _, v := range box.Devices {
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

// A deck is many copies solved at once by ngspice.
type deck struct {
	lines  strings.Builder
	n      int
	copies int
	ask    []string
}

// add writes the circuit once more, with the breaker as given and a tester's
// resistances on it; it returns the names of its nodes.
func (d *deck) add(c *circuit.Circuit, tripped bool, probe ...contact) func(point string) string {
	d.copies++
	k := &copyOf{c: c, name: fmt.Sprintf("x%d", d.copies), lines: &d.lines, n: &d.n}
	k.build()
	k.breaker = k.breaker && !tripped
	k.write()
	for _, p := range probe {
		k.resistor(p.a, p.b, p.ohms)
	}
	return k.node
}

// want asks for the voltage between two nodes.
func (d *deck) want(a, b string) int {
	d.ask = append(d.ask, a, b)
	return len(d.ask)/2 - 1
}

var answered = regexp.MustCompile(`(?m)^v\((\S+)\) = ([-+.\de]+),([-+.\de]+)`)

// solve runs ngspice and returns the magnitudes of the voltages asked for.
func (d *deck) solve(t testing.TB) []float64 {
	var whole strings.Builder
	whole.WriteString("* testers on drawn circuits\n" + d.lines.String() + ".control\nset numdgt=9\nac lin 1 60 60\n")
	nodes := slices.Compact(slices.Sorted(slices.Values(d.ask)))
	for _, n := range nodes {
		if n != "0" {
			fmt.Fprintf(&whole, "print v(%s)\n", n)
		}
	}
	whole.WriteString("quit\n.endc\n.end\n")
	cmd := exec.Command("ngspice", "-b")
	cmd.Stdin = strings.NewReader(whole.String())
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, string(out))
	at := map[string]complex128{"0": 0}
	for _, f := range answered.FindAllStringSubmatch(string(out), -1) {
		re, err := strconv.ParseFloat(f[2], 64)
		require.NoError(t, err)
		im, err := strconv.ParseFloat(f[3], 64)
		require.NoError(t, err)
		at[f[1]] = complex(re, im)
	}
	var volts []float64
	for i := 0; i < len(d.ask); i += 2 {
		a, ok := at[strings.ToLower(d.ask[i])]
		require.True(t, ok, "ngspice did not answer for %s: %s", d.ask[i], regexp.MustCompile("(?mi)^.*"+d.ask[i]+".*$").FindAllString(string(out), 3))
		b, ok := at[strings.ToLower(d.ask[i+1])]
		require.True(t, ok, "ngspice did not answer for %s", d.ask[i+1])
		volts = append(volts, cmplx.Abs(a-b))
	}
	return volts
}

// asked is one number of the product's to be compared.
type asked struct {
	circuit *circuit.Circuit
	words   string
	ours    float64
	at      int // in the deck's answers
}

// TestTestersAgainstNgspice puts every tester on outlets of drawn circuits
// with drawn faults, and compares each voltage with ngspice's on a deck that
// is written independently of the product.
func TestTestersAgainstNgspice(t *testing.T) {
	const circuits, perDeck = 200, 2
	kinds := []circuit.FaultKind{circuit.Open, circuit.Resistive, circuit.Swapped, circuit.Bonded, circuit.Moved, circuit.BreakerAt}
	for first := uint64(0); first < circuits; first += perDeck {
		t.Run(fmt.Sprint(first), func(t *testing.T) {
			t.Parallel()
			drawn := make([]*circuit.Circuit, perDeck)
			for i := range drawn {
				seed := first + uint64(i)
				r := rand.New(rand.NewPCG(seed, 3))
				drawn[i] = draw.Circuit(r, draw.Options{Boxes: 1 + r.IntN(6), Plain: true})
				drawn[i].Faults = draw.Faults(r, drawn[i], int(seed%3), kinds...)
			}
			tripped := trips(t, drawn)
			var d deck
			var all []asked
			for i, c := range drawn {
				r := rand.New(rand.NewPCG(first+uint64(i), 4))
				all = append(all, putTesters(t, &d, c, tripped[i], r)...)
			}
			volts := d.solve(t)
			for _, q := range all {
				allowed := max(0.001, 0.001*volts[q.at])
				assert.InDelta(t, volts[q.at], q.ours, allowed, "%s; faults %v", q.words, q.circuit.Faults)
			}
		})
	}
}

// trips finds out which breakers trip at once: 5 times the rating through the contact.
func trips(t testing.TB, drawn []*circuit.Circuit) []bool {
	var d deck
	for _, c := range drawn {
		node := d.add(c, false)
		d.want(node("mains"), node("panel.hot"))
	}
	tripped := make([]bool, len(drawn))
	for i, volts := range d.solve(t) {
		k := &copyOf{c: drawn[i]}
		k.build()
		tripped[i] = k.breaker && volts/atBreaker >= 5*drawn[i].Breaker.Amps
	}
	return tripped
}

func putTesters(t testing.TB, d *deck, c *circuit.Circuit, tripped bool, r *rand.Rand) (all []asked) {
	k := condition(t, c, c.Faults...)
	assert.Equal(t, tripped, slices.Contains(k.Tripped, circuit.Panel), "breaker trips; faults %v", c.Faults)
	outlets := bench(t, c).Outlets()
	o := outlets[r.IntN(len(outlets))]
	slot := func(wire string) string { return o.Device + "." + string(o.Half) + "." + wire }
	yoke := o.Device + ".ground"
	ask := func(words string, ours float64, node func(string) string, a, b string) {
		all = append(all, asked{c, fmt.Sprintf("%s at %s %s", words, o.Device, o.Half), ours, d.want(node(a), node(b))})
	}

	bare := d.add(c, tripped)
	sensor := k.SensorVolts(o)
	if !o.HasGround {
		// The higher of slot and yoke is the sensor's; with the yoke at earth it is the slot's.
		ask("yoke", k.YokeVolts(o), bare, yoke, "0")
	} else {
		ask("yoke", k.YokeVolts(o), bare, yoke, "0")
		ask("sensor at ground", sensor[2], bare, slot("ground"), "0")
	}
	if k.YokeVolts(o) < 1 {
		ask("sensor at hot", max(sensor[0], 0), bare, slot("hot"), "0")
	}
	if o.HasGround {
		plug := d.add(c, tripped, contact{a: slot("hot"), b: slot("neutral"), ohms: 100e3}, contact{a: slot("hot"), b: slot("ground"), ohms: 100e3}, contact{a: slot("neutral"), b: slot("ground"), ohms: 100e3})
		lamps := k.LampVolts(o)
		ask("lamp hot-neutral", lamps[0], plug, slot("hot"), slot("neutral"))
		ask("lamp hot-ground", lamps[1], plug, slot("hot"), slot("ground"))
		ask("lamp neutral-ground", lamps[2], plug, slot("neutral"), slot("ground"))
	}
	lamp := d.add(c, tripped, contact{a: slot("hot"), b: slot("neutral"), ohms: 240})
	ask("test lamp", k.TestLampVolts(o), lamp, slot("hot"), slot("neutral"))
	probes := [][2]string{{slot("hot"), slot("neutral")}, {slot("hot"), slot("ground")}, {slot("neutral"), slot("ground")}, {slot("hot"), "panel.ground"}, {slot("neutral"), "panel.ground"}, {slot("ground"), "panel.ground"}}
	for _, n := range r.Perm(len(probes))[:3] {
		if !o.HasGround && strings.Contains(probes[n][0]+probes[n][1], "."+string(o.Half)+".ground") {
			continue
		}
		for mode, ohms := range map[tester.Mode]float64{tester.HighZ: 10e6, tester.LowZ: 3e3} {
			meter := d.add(c, tripped, contact{a: probes[n][0], b: probes[n][1], ohms: ohms})
			ask(fmt.Sprintf("meter %s %s", mode, tester.VoltNames[n]), k.MeterVolts(o, n, mode), meter, probes[n][0], probes[n][1])
		}
	}
	return all
}
