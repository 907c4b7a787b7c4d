package makeup

import (
	"fmt"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/nec"
	"elvat/core/parts"
	"elvat/core/practice"
	"elvat/core/wire"
	"elvat/core/words"
)

// A Strip is how far a wire's end is bared, and how it goes on.
type Strip struct {
	Point  string      `json:"point"` // the wire's end, or the terminal its jumper lands on
	Inches wire.Inches `json:"inches"`
	How    string      `json:"how"` // how it goes on, in words
	code   string      // the same as a code of core/words
}

func stripped(point string, inches wire.Inches, code string) Strip {
	return Strip{point, inches, words.English.Say(code), code}
}

// How a wire goes on, as codes of core/words.
const (
	howHook    = "how.hook"
	howClamp   = "how.clamp"
	howPushIn  = "how.pushIn"
	howLever   = "how.lever"
	howTwist   = "how.twist"
	howStab    = "how.stab"
	howBoxPost = "how.boxPost"
)

// Strip lengths. Common practice, no source; a device's or connector's own
// gauge wins.
const (
	stripHook  wire.Inches = 0.75
	stripClamp wire.Inches = 0.625
	stripPush  wire.Inches = 0.625
	stripLever wire.Inches = 0.4375
	stripTwist wire.Inches = 0.625
	stripStab  wire.Inches = 0.5
)

// A StripWay is a way a wire goes on, with how far it is bared.
type StripWay struct {
	Words  string
	Inches wire.Inches
	How    string
}

// StripWays are all of them.
var StripWays = []StripWay{
	{"a hook round a screw", stripHook, saidHow(howHook)}, {"a clamp plate", stripClamp, saidHow(howClamp)}, {"a push-in hole", stripPush, "14 AWG solid copper only"},
	{"a lever", stripLever, saidHow(howLever)}, {"a twisted connector", stripTwist, saidHow(howTwist)}, {"a push-in splice", stripStab, saidHow(howStab)},
}

func saidHow(code string) string { return upper(words.English.Say(code)) }

// jumperGauge is the circuit's: that of the breaker, or of the feed where it is
// thicker.
func (b *Box) jumperGauge() wire.Gauge {
	g := wire.For(b.Breaker.Amps)
	for i := range b.Cables {
		if b.Cables[i].Role == Line && (g == 0 || b.Cables[i].AWG < g) {
			g = b.Cables[i].AWG
		}
	}
	return g
}

// onTerminal is how a wire of the gauge goes on the device's terminals.
func (w *wiring) onTerminal(v *Device, point string, ground bool) Strip {
	s := stripped(point, stripHook, howHook)
	if ground {
		return s
	}
	switch {
	case v.Terminals == clamp && w.house.Hook == practice.Clamp:
		w.says("hook")
		s = stripped(point, stripClamp, howClamp)
	case v.Terminals == lever:
		s = stripped(point, stripLever, howLever)
	case v.Terminals == pushIn && w.house.PushIn == practice.PushInOn14 && w.l.b.pushInAllowed(point):
		w.says("pushIn")
		s = stripped(point, stripPush, howPushIn)
	}
	if s.code != howHook && v.StripIn > 0 {
		s.Inches = v.StripIn
	}
	return s
}

func (w *wiring) inSplice(point string) Strip {
	switch w.house.Splice {
	case practice.Twisted:
		return stripped(point, stripTwist, howTwist)
	case practice.PushInSplice:
		return stripped(point, stripStab, howStab)
	default:
		return stripped(point, stripLever, howLever)
	}
}

// deviceAt is the device whose terminal the point is.
func (b *Box) deviceAt(point string) *Device {
	owner, _, _ := strings.Cut(point, ".")
	for _, v := range b.devices() {
		if v.ID == owner {
			return v
		}
	}
	return nil
}

// parts lists splices, jumpers and how every end is stripped, from the pairs.
func (w *wiring) parts() (splices []Splice, jumpers []Jumper, strips []Strip) {
	b := w.l.b
	splices, jumpers, strips = []Splice{}, []Jumper{}, []Strip{}
	for _, pair := range w.pairs {
		from, to := pair[0], pair[1]
		k := w.carries(pair)
		cable := strings.Contains(from, "@")
		if cable {
			strips = append(strips, w.stripAt(from, to, k))
		}
		spliced := from
		if strings.HasPrefix(to, "splice:") {
			spliced = to
		}
		if strings.HasPrefix(spliced, "splice:") {
			i := slices.IndexFunc(splices, func(s Splice) bool { return s.Name == spliced })
			if i < 0 {
				splices = append(splices, Splice{Name: spliced, Conductor: k})
				i = len(splices) - 1
			}
			other := from
			if spliced == from {
				other = to
			}
			splices[i].Conductors = append(splices[i].Conductors, other)
		}
		if !cable {
			jumpers = append(
				jumpers,
				Jumper{Conductor: k, AWG: b.jumperGauge(), Inches: jumperIn, From: from, To: to, Colour: jumperColour(k, to)},
			)
			// Both its ends are bared, each to the gauge of what it goes into.
			for i, end := range []string{from, to} {
				if strings.HasPrefix(end, "splice:") {
					other := []string{to, from}[i]
					strips = append(strips, w.inSplice(other+"@"+end))
				} else {
					strips = append(strips, w.stripAt(end, end, k))
				}
			}
		}
	}
	for i := range splices {
		s := &splices[i]
		s.AWG = w.gaugeOf(s)
		item, n := w.connector(s)
		s.said = w.connectorSaid(s, item, n)
		s.Connector = item.Words
		if n > 1 {
			s.Connector = fmt.Sprintf("%d x %s, linked", n, item.Words)
		}
	}
	if len(splices) > 0 {
		w.says("splice")
	}
	return splices, jumpers, strips
}

func (w *wiring) stripAt(point, at string, k circuit.Conductor) Strip {
	if v := w.l.b.deviceAt(at); v != nil {
		return w.onTerminal(v, point, k == circuit.Ground)
	}
	if w.l.b.switchAt(at) != nil {
		return stripped(point, stripHook, howHook)
	}
	if strings.HasSuffix(at, ".box") {
		return stripped(point, stripHook, howBoxPost)
	}
	return w.inSplice(point)
}

// gaugeOf is the thickest wire in the splice.
func (w *wiring) gaugeOf(s *Splice) wire.Gauge {
	g := w.l.b.jumperGauge()
	for _, name := range s.Conductors {
		owner, _, _ := strings.Cut(name, "@")
		if c := w.l.b.cable(owner); c != nil {
			g = min(g, c.AWG)
		}
	}
	return g
}

// hasAluminum reports whether an aluminium wire is in the splice.
func (l *look) hasAluminum(s *Splice) bool {
	return slices.ContainsFunc(s.Conductors, func(end string) bool {
		owner, _, cable := strings.Cut(end, "@")
		return cable && slices.ContainsFunc(l.b.Cables, func(c Cable) bool { return c.ID == owner && c.Material == aluminum })
	})
}

// Ports that lever connectors and push-in splices come with. Common practice,
// no source.
var (
	leverPorts = []int{2, 3, 5}
	stabPorts  = []int{2, 3, 4, 6, 8}
)

// connector is what joins a splice, and how many of it: more wires than it has ports for
// take several, with a link between them.
func (w *wiring) connector(s *Splice) (parts.Item, int) {
	wires := len(s.Conductors)
	if w.l.hasAluminum(s) {
		return parts.BothMetals(max(2, wires)), 1
	}
	if wires == 1 {
		return parts.Cap, 1
	}
	of, ports := parts.Lever, leverPorts
	switch w.house.Splice {
	case practice.Twisted:
		return parts.Twisted(wires, s.AWG), 1
	case practice.PushInSplice:
		of, ports = parts.PushInSplice, stabPorts
	}
	for _, n := range ports {
		if wires <= n {
			return of(n), 1
		}
	}
	most := ports[len(ports)-1]
	return of(most), (wires - 2 + most - 3) / (most - 2)
}

// connectorSaid names what joins the splice, as it is said in the steps.
func (w *wiring) connectorSaid(s *Splice, item parts.Item, n int) words.Said {
	if item.Code == parts.Cap.Code {
		return words.Of("connector.cap")
	}
	takes := fmt.Sprint(len(s.Conductors))
	one := words.Of("connector.twisted", takes, fmt.Sprint(s.AWG))
	switch _, ports, _ := strings.Cut(item.Words, ", "); {
	case w.l.hasAluminum(s):
		one = words.Of("connector.bothMetals", takes)
	case w.house.Splice == practice.PushInSplice:
		one = words.Of("connector.pushIn", ports)
	case w.house.Splice != practice.Twisted:
		one = words.Of("connector.lever", ports)
	}
	if n > 1 {
		return words.Of("connector.linked", fmt.Sprint(n), one)
	}
	return one
}

func jumperColour(k circuit.Conductor, to string) string {
	switch k {
	case circuit.Hot:
		return "black"
	case circuit.Hot2:
		return "red"
	case circuit.Neutral:
		return "white"
	default:
		if strings.HasSuffix(to, ".box") {
			return "bare"
		}
		return "green"
	}
}

// Fill is the box-fill sum.
type Fill struct {
	Items       []nec.FillItem   `json:"items"`
	RequiredIn3 wire.CubicInches `json:"requiredIn3"`
	AvailableIn wire.CubicInches `json:"availableIn3"`
	Known       bool             `json:"known"` // the box's volume is
	OK          bool             `json:"ok"`
	Section     string           `json:"section"`
	Edition     nec.Edition      `json:"edition"`
	WaysOut     []string         `json:"waysOut,omitempty"`
}

// fill sums up what is in the box, with the chosen devices as they are wired, or those
// that are there now.
func (l *look) fill(w *wiring) Fill {
	b := l.b
	c := nec.Contents{Clamps: b.Box.Clamps > 0, Fittings: b.Box.Fittings}
	for i := range b.Cables {
		in := &b.Cables[i]
		for _, k := range in.Conductors {
			if k == circuit.Ground {
				c.Grounds = append(c.Grounds, in.AWG)
			} else {
				c.Insulated = append(c.Insulated, in.AWG)
			}
		}
	}
	for _, p := range b.Box.Passing {
		for range p.Count {
			c.Passing = append(c.Passing, p.AWG)
		}
	}
	for _, v := range b.devices() {
		for range v.gangs() {
			c.Devices = append(c.Devices, w.largestOn(v.ID, nec.Largest(c.Insulated)))
		}
	}
	for i := range b.Switches {
		c.Devices = append(c.Devices, w.largestOn(b.Switches[i].ID, nec.Largest(c.Insulated)))
	}
	if len(b.devices()) == 0 && b.Existing != nil && len(c.Insulated) > 0 {
		c.Devices = append(c.Devices, nec.Largest(c.Insulated))
	}
	f := Fill{AvailableIn: b.Box.VolumeIn3, Section: l.book.Cite(nec.BoxFill).Section, Edition: l.book.Edition}
	f.Items, f.RequiredIn3 = l.book.Fill(c)
	if f.Items == nil {
		f.Items = []nec.FillItem{}
	}
	if f.AvailableIn == 0 && b.Box.Size != "" {
		f.AvailableIn, _ = wire.VolumeOf(b.Box.Size)
	}
	f.Known = f.AvailableIn > 0
	f.OK = f.Known && f.RequiredIn3 <= f.AvailableIn+1e-9
	if !f.Known {
		l.ask("box.volumeIn3", "What volume is marked in the box, or what size of metal box is it?")
		return f
	}
	if !f.OK {
		short := f.RequiredIn3 - f.AvailableIn
		f.WaysOut = []string{
			fmt.Sprintf(
				"A box of at least %g\u00a0in³",
				f.RequiredIn3,
			), fmt.Sprintf("An extension ring or surface box that adds %g\u00a0in³", short),
			"Fewer conductors: a cable ended elsewhere",
		}
		l.code(nec.BoxFill, Finding{
			Code: "box-overfull", Severity: Must, At: []string{b.ID}, Text: fmt.Sprintf("The box is too full: %g of %g\u00a0in³.", f.RequiredIn3, f.AvailableIn),
			Fix: strings.Join(f.WaysOut, "; ") + ".",
		})
	}
	return f
}

// gangs is how many gangs the device is wide: what takes more than 30 A wants two.
// Assumption for what does not say.
func (v *Device) gangs() int {
	switch {
	case v.Gangs > 0:
		return v.Gangs
	case v.Amps >= 30:
		return 2
	default:
		return 1
	}
}

// largestOn is the thickest wire that lands on the device as it is planned; otherwise
// where nothing is planned.
func (w *wiring) largestOn(id string, otherwise wire.Gauge) wire.Gauge {
	var on []wire.Gauge
	for _, pair := range w.pairs {
		for i, end := range pair {
			if !strings.HasPrefix(end, id+".") {
				continue
			}
			owner, _, cable := strings.Cut(pair[1-i], "@")
			at := slices.IndexFunc(w.l.b.Cables, func(c Cable) bool { return cable && c.ID == owner })
			if at >= 0 {
				on = append(on, w.l.b.Cables[at].AWG)
			} else if g := w.l.b.jumperGauge(); g != 0 {
				on = append(on, g)
			}
		}
	}
	if len(on) == 0 {
		return otherwise
	}
	return nec.Largest(on)
}

// outlet is the device as it is bought.
func (v *Device) outlet() parts.Outlet {
	is := func(told *bool) bool { return told != nil && *told }
	return parts.Outlet{
		Kind: v.Kind, Amps: v.Amps, TwoSlot: v.Slots == 2, Heavy: v.Grade == "heavy", Tamper: is(v.TamperResistant), Weather: is(v.WeatherResistant),
		Aluminum: v.Aluminum,
	}
}

// Words name the device as it is asked for over a counter.
func (v *Device) Words() string { return v.outlet().Item().Words }
