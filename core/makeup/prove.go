package makeup

import (
	"fmt"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/nec"
	"elvat/core/tester"
)

// A Proof is what the testers will show, worked out on the circuit model, and
// whether that is as it should be.
type Proof struct {
	Outlets []Proven `json:"outlets"`
	Good    bool     `json:"good"`
}

// Proven is one half of a device at the box or downstream of it.
type Proven struct {
	At        string       `json:"at"`
	Half      circuit.Half `json:"half"`
	Label     string       `json:"label"`
	Delta     tester.Delta `json:"delta"`
	Protected []string     `json:"protected"` // by which GFCIs
	Behind    []string     `json:"behind"`    // the same as people name them
	Says      string       `json:"says"`      // "as it should be", or what is not
	Problems  []string     `json:"problems"`
}

// Words of what can be wrong with an outlet.
const (
	Dead        = "dead"
	Reversed    = "hot and neutral exchanged"
	NoGround    = "no ground, and no GFCI ahead of it"
	LivePin     = "live ground pin"
	Unprotected = "not protected by a GFCI"
	GoesOff     = "must not go off, and hangs on a GFCI"
	TripsAtOnce = "trips by itself"
	Unbonded    = "metal box not bonded"
)

// wants is what an outlet should be like.
type wants struct {
	protected bool
	stays     bool // must not hang on the GFCI of the box
	marked    bool // three slots without a ground, marked so and protected
	grounded  bool
}

// Limits of a sound outlet, in volts: below range B of ANSI C84.1 (from
// memory) it counts as dead; touch voltage in dry places, IEC 60364-4-41 (from
// memory).
const (
	leastLine = 100
	mostTouch = 50
	// mostBoxOhms is what a bonded box is below, to the panel's ground. Assumption.
	mostBoxOhms = 5
)

// prove solves the circuit and reads every outlet of the box and beyond.
func (l *look) prove(c *circuit.Circuit, load []*Cable) (*Proof, []tester.Reading, error) {
	bench, err := tester.NewBench(c)
	if err != nil {
		return nil, nil, err
	}
	condition, err := bench.Try(nil)
	if err != nil {
		return nil, nil, err
	}
	wired, err := circuit.Wire(c)
	if err != nil {
		return nil, nil, err
	}
	feeds := wired.Feeds()
	proof := &Proof{Good: true, Outlets: []Proven{}}
	readings := []tester.Reading{}
	tripped := slices.Clone(condition.Tripped)
	for _, o := range bench.Outlets() {
		_, box := c.Device(o.Device)
		if !slices.Contains(c.Upstream(box.ID), l.b.ID) {
			continue
		}
		device, _ := c.Device(o.Device)
		if o.Half == circuit.Bottom && l.oneHalf(o.Device) {
			continue // there is none
		}
		p := Proven{At: o.Device, Half: o.Half, Label: c.LabelOf(box.ID), Problems: []string{}}
		p.Protected = append([]string{}, feeds.Guards(faceTerminal(device, o.Half))...)
		p.Behind = make([]string, len(p.Protected))
		for i, guard := range p.Protected {
			p.Behind[i] = l.labelOf(guard)
		}
		p.Problems = l.outletProblems(condition, o, p.Protected, l.wantsOf(c, device, box, load))
		if slices.ContainsFunc(
			tripped,
			func(name string) bool { return name == circuit.Panel || slices.Contains(p.Protected, name) },
		) {
			p.Problems = append(p.Problems, TripsAtOnce)
		}
		if box.ID == l.b.ID && box.Material == circuit.Metal && l.grounded {
			ohms, err := condition.OhmsBetween(box.ID+".box", "panel.ground")
			if err != nil || ohms.Open || ohms.Value > mostBoxOhms {
				p.Problems = append(p.Problems, Unbonded)
			}
		}
		p.Says = "As it should be"
		if len(p.Problems) > 0 {
			proof.Good = false
			p.Says = p.Problems[0]
		}
		shown, err := predict(condition, device, o, l.grounded && c.GroundArrives(box.ID))
		if err != nil {
			return nil, nil, err
		}
		for i := range shown {
			p.Delta = p.Delta.Merge(shown[i].Delta(tester.Default))
		}
		readings = append(readings, shown...)
		proof.Outlets = append(proof.Outlets, p)
	}
	return proof, readings, nil
}

// faceTerminal is the terminal a half's hot slot hangs on.
func faceTerminal(v *circuit.Device, half circuit.Half) string {
	if v.Kind == circuit.GFCI || half == circuit.Bottom {
		return v.Second(circuit.Hot)
	}
	return v.First(circuit.Hot)
}

func predict(condition *tester.Condition, v *circuit.Device, o circuit.Outlet, grounded bool) ([]tester.Reading, error) {
	tools := []tester.Tool{tester.Plug, tester.PlugButton, tester.Meter, tester.Sensor}
	switch {
	case !o.HasGround:
		tools = tools[2:]
	case !grounded:
		// The tester's button leaks to the ground slot, and none arrives there: it can trip
		// nothing, and proves nothing.
		tools = []tester.Tool{tester.Plug, tester.Meter, tester.Sensor}
	}
	if v.Kind == circuit.GFCI && o.Half == circuit.Top {
		tools = append(tools, tester.DeviceButton)
	}
	var all []tester.Reading
	for _, tool := range tools {
		mode := tester.Mode("")
		if tool == tester.Meter {
			mode = tester.HighZ
		}
		r, err := condition.Read(o, tool, mode)
		if err != nil {
			return nil, err
		}
		r.Round()
		all = append(all, r)
	}
	return all, nil
}

// wantsOf says what is wanted of a device: by the code here, by the cable that
// leads to it elsewhere.
func (l *look) wantsOf(c *circuit.Circuit, v *circuit.Device, box *circuit.Box, load []*Cable) wants {
	w := wants{grounded: l.grounded && c.GroundArrives(box.ID)}
	w.marked = !w.grounded
	if box.ID == l.b.ID {
		verdict, _ := l.book.Verdict(nec.GroundFault, l.b.Place)
		w.protected = verdict.Required && len(l.b.Place.Room) > 0
		return w
	}
	via := l.through(c, box.ID)
	if via == nil {
		return w
	}
	asked, _ := l.requiredAt(via)
	stays := via.mustStay()
	// What must not go off gets a GFCI of its own where protection is asked: a finding says so.
	w.protected = !stays && (via.Protect == ProtectYes || asked)
	w.stays = stays
	return w
}

// through is the cable of the box that leads to another box.
func (l *look) through(c *circuit.Circuit, to string) *Cable {
	for to != circuit.Panel {
		cable := c.LineCable(to)
		if cable == nil {
			return nil
		}
		if cable.From == l.b.ID {
			i := slices.IndexFunc(l.b.Cables, func(in Cable) bool { return in.ID == cable.ID })
			if i < 0 {
				return nil
			}
			return &l.b.Cables[i]
		}
		to = cable.From
	}
	return nil
}

func (l *look) outletProblems(condition *tester.Condition, o circuit.Outlet, protected []string, w wants) []string {
	problems := []string{}
	add := func(is bool, what string) {
		if is {
			problems = append(problems, what)
		}
	}
	volts := func(name int) float64 { return condition.MeterVolts(o, name, tester.HighZ) }
	hotNeutral, hotEarth, neutralEarth := volts(0), volts(3), volts(4)
	add(hotNeutral < leastLine, Dead)
	exchanged := hotNeutral >= leastLine && (neutralEarth >= mostTouch || hotEarth < mostTouch)
	add(exchanged, Reversed)
	if o.HasGround && hotNeutral >= leastLine && !exchanged {
		bad := volts(1) < leastLine || volts(2) > mostTouch
		add(bad && !(w.marked && len(protected) > 0), NoGround)
	}
	add(condition.LiveYoke(o), LivePin)
	add(w.protected && len(protected) == 0, Unprotected)
	add(
		w.stays && slices.ContainsFunc(protected, func(name string) bool { return name != circuit.Panel && l.own(name) }),
		GoesOff,
	)
	return problems
}

// oneHalf reports a single receptacle of the box: the circuit model has every device as a
// duplex.
func (l *look) oneHalf(device string) bool {
	return slices.ContainsFunc(l.b.devices(), func(v *Device) bool { return v.ID == device && v.Kind == "single" })
}

// own reports whether the GFCI is in the opened box.
func (l *look) own(name string) bool {
	return slices.ContainsFunc(l.b.devices(), func(v *Device) bool { return v.ID == name })
}

// proofFinding says what a proven plan, or what is there now, leaves wrong.
func proofFinding(p *Proof) (string, bool) {
	if p == nil || p.Good {
		return "", false
	}
	var parts []string
	for i, o := range p.Outlets {
		said := strings.Join(o.Problems, ", ")
		if said == "" {
			continue
		}
		other := i - 1
		if o.Half == circuit.Top {
			other = i + 1
		}
		if other >= 0 && other < len(p.Outlets) && p.Outlets[other].At == o.At &&
			strings.Join(p.Outlets[other].Problems, ", ") == said {
			if o.Half == circuit.Top {
				parts = append(parts, fmt.Sprintf("%s, both halves: %s", o.Label, said))
			}
			continue
		}
		parts = append(parts, fmt.Sprintf("%s, %s: %s", o.Label, o.Half, said))
	}
	return strings.Join(parts, "; "), true
}
