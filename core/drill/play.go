package drill

import (
	"errors"
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"slices"
	"time"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/fault"
	"elvat/core/job"
	"elvat/core/tester"
	"elvat/core/trial"
)

// A Drill is a scene with what was done on it so far.
type Drill struct {
	Scene *Scene
	Steps []Step

	// Exact: the testers err in nothing.
	Exact bool
}

// A Deed is one kind of thing that is done in a drill.
type Deed string

// The deeds.
const (
	PutOn    Deed = "put-on" // a tester, a look, a question, or an act: it stands in the reading
	Off      Deed = "breaker-off"
	On       Deed = "breaker-on"
	DeadTest Deed = "dead"
	Advice   Deed = "advice" // was asked for
	Wire     Deed = "wire"   // a box by hand
	HandOver Deed = "hand-over"
	GiveUp   Deed = "give-up"
)

// A Step is one thing done.
type Step struct {
	At      time.Time       `json:"at"`
	Do      Deed            `json:"do"`
	Reading *tester.Reading `json:"reading,omitempty"` // as it was shown
	Box     string          `json:"box,omitempty"`
	Wired   *Wired          `json:"wired,omitempty"`
	Judged  *Judgement      `json:"judged,omitempty"`
	Stop    *Stop           `json:"stop,omitempty"`
}

// A Danger is a kind of act that ends a drill at once.
type Danger string

// The dangers.
const (
	Touched  Danger = "touched"   // before live, dead, live
	Button   Danger = "button"    // pressed on an open ground
	LiveYoke Danger = "live-yoke" // plugged into one
	OhmsLive Danger = "ohms-live" // a resistance range on a live conductor
	Bootleg  Danger = "bootleg"   // believed: handed over with it
)

// A Stop is a dangerous act, and what would have happened.
type Stop struct {
	Danger Danger  `json:"danger"`
	At     string  `json:"at"`             // a device or a box
	Did    string  `json:"did"`            // in words
	Would  string  `json:"would"`          // have happened
	Amps   float64 `json:"amps,omitempty"` // through a body of 1,000 ohms
	Rule   string  `json:"rule"`
}

// Errors of a drill.
var (
	ErrOver    = errors.New("the drill is over: draw another, or the same once more")
	ErrByHand  = errors.New("in a drill nothing is put right by saying so: open the box and wire it")
	ErrUnknown = errors.New("in this drill there is no such place")
)

// feltAmps is the most that may flow through a person before a drill stops: what a class A GFCI
// trips at is 4 to 6 mA (UL 943, from memory); below it a hand lets go.
const feltAmps = 0.004

// Over reports whether the drill has ended, and by what.
func (d *Drill) Over() (*Step, bool) {
	if len(d.Steps) == 0 {
		return nil, false
	}
	last := &d.Steps[len(d.Steps)-1]
	return last, last.Stop != nil || last.Do == HandOver || last.Do == GiveUp
}

// Advised reports whether advice was asked for since anything else was done.
func (d *Drill) Advised() bool {
	return len(d.Steps) > 0 && d.Steps[len(d.Steps)-1].Do == Advice
}

// Readings are what was read so far, and what was put right.
func (d *Drill) Readings() []tester.Reading {
	var all []tester.Reading
	s := d.fresh()
	for i := range d.Steps {
		step := &d.Steps[i]
		switch {
		case step.Do == PutOn && step.Stop == nil:
			all = append(all, *step.Reading)
		case step.Do == Wire && step.Judged.Right:
			if was := here(s, step.Box); len(was) > 0 {
				all = append(all, tester.Reading{Tool: tester.Fixed, Faults: was})
			}
		}
		s.take(step)
	}
	return all
}

// state is what the steps have made of the scene.
type state struct {
	left     []Hidden // still wrong
	loadsOff bool
	off      bool // the breaker
	acts     int
	felt     []string // devices whose metal was felt with the sensor, or measured
	opened   []string
}

// fresh is the scene before anything was done.
func (d *Drill) fresh() *state { return &state{left: slices.Clone(d.Scene.Hidden)} }

func (d *Drill) state() *state {
	s := d.fresh()
	for i := range d.Steps {
		s.take(&d.Steps[i])
	}
	return s
}

func (s *state) take(step *Step) {
	switch step.Do {
	case Off:
		s.off = true
	case On:
		s.off = false
	case Wire:
		if step.Judged != nil && step.Judged.Right {
			s.left = slices.DeleteFunc(s.left, func(h Hidden) bool { return slices.Contains(h.Sites, step.Box) })
		}
	case PutOn:
		switch r := step.Reading; {
		case r.Skipped:
		case r.Tool == tester.Eyes:
			s.opened = append(s.opened, r.Site)
		case r.Tool == tester.Sensor || r.Tool == tester.Meter:
			s.felt = append(s.felt, r.At)
		case r.Tool == tester.Act:
			s.acts++
			s.act(r.Act, r.At)
		}
	}
}

// act does what resets, and takes the loads off.
func (s *state) act(act tester.ActName, at string) {
	is := func(circuit.Fault) bool { return false }
	tripped := func(f circuit.Fault) bool { return f.Kind == circuit.GFCIFault && f.State == "tripped" }
	switch act {
	case tester.UnplugAll:
		s.loadsOff = true
	case tester.Reset:
		is = func(f circuit.Fault) bool { return tripped(f) && f.At == at }
	case tester.AllGFCIs:
		is = func(f circuit.Fault) bool { return tripped(f) && f.At != circuit.Panel }
	case tester.ResetBreaker:
		is = func(f circuit.Fault) bool {
			return f.Kind == circuit.BreakerAt || tripped(f) && f.At == circuit.Panel
		}
	}
	s.left = slices.DeleteFunc(s.left, func(h Hidden) bool {
		return !slices.ContainsFunc(h.Faults, func(f circuit.Fault) bool { return !is(f) })
	})
}

// circuit is the scene's as it is now.
func (d *Drill) circuit(s *state) (*circuit.Circuit, error) {
	c, err := d.Scene.Truth()
	if err != nil {
		return nil, err
	}
	c.Faults = nil
	for _, h := range s.left {
		c.Faults = append(c.Faults, h.Faults...)
	}
	for i := range c.Loads {
		c.Loads[i].On = c.Loads[i].On && !s.loadsOff
	}
	c.Breaker.On = c.Breaker.On && !s.off
	return c, nil
}

// onBench is the circuit with what is wrong with it on a bench.
func onBench(c *circuit.Circuit) (*tester.Bench, *tester.Condition, error) {
	bench, err := tester.NewBench(c)
	if err != nil {
		return nil, nil, err
	}
	k, err := bench.Try(c.Faults)
	return bench, k, err
}

// A Proof says what is missing before a box is opened, or its wires are touched.
type Proof func(box string, gate job.GateName) []string

// ProofOf is what the journal proves, by its facts alone: nobody passes a gate by name in a drill.
func ProofOf(j job.Journal, c *circuit.Circuit) Proof {
	return func(box string, gate job.GateName) []string {
		for _, g := range j.BoxGates(c, box) {
			if g.Gate == gate {
				return g.Missing
			}
		}
		return nil
	}
}

// Put puts on what is asked for: the reading comes back with what it shows. A dangerous one comes
// back with a stop.
func (d *Drill) Put(ask tester.Reading, proof Proof) (*Step, error) {
	if _, over := d.Over(); over {
		return nil, ErrOver
	}
	step := &Step{Do: PutOn, Reading: &ask}
	if ask.Skipped {
		return step, nil
	}
	s := d.state()
	c, err := d.circuit(s)
	if err != nil {
		return nil, err
	}
	if ask.State != nil {
		if c, err = ask.State.On(c); err != nil {
			return nil, err
		}
		for i := range c.Loads { // what nobody wrote down, nobody can switch off by saying so
			l := &c.Loads[i]
			known := slices.ContainsFunc(d.Scene.Circuit.Loads, func(k circuit.Load) bool { return k.ID == l.ID })
			l.On = (l.On || !known) && !s.loadsOff
		}
		c.Breaker.On = c.Breaker.On && !s.off
		ask.State.BreakerOn = &c.Breaker.On
	} else if s.off {
		no := false
		ask.State = &tester.State{BreakerOn: &no}
	}
	bench, k, err := onBench(c)
	if err != nil {
		return nil, err
	}
	p := &putting{d: d, s: s, c: c, k: k, r: d.chance(s, &ask)}
	switch ask.Tool {
	case tester.Fixed:
		return nil, ErrByHand
	case tester.Eyes:
		step.Stop, err = p.look(&ask, proof)
	case tester.Act:
		err = p.act(&ask, bench)
	case tester.Told:
		err = p.told(&ask)
	case tester.Hint:
		err = p.hint(&ask)
	case tester.Indicator:
		return nil, errors.New("the light of a GFCI is no part of a drill: see what reset does")
	case tester.Clamp:
		var amps float64
		amps, err = k.AmpsAt(ask.Point)
		ask.Amps = &amps
	default:
		if ask.OnPoints() {
			step.Stop, err = p.points(&ask, proof)
		} else {
			step.Stop, err = p.outlet(&ask)
		}
	}
	return step, err
}

// chance draws what testers and people get wrong: the same again where nothing has changed.
func (d *Drill) chance(s *state, r *tester.Reading) *rand.Rand {
	between := [2]string{}
	if r.Between != nil {
		between = *r.Between
	}
	h := fnv.New64a()
	fmt.Fprint(h, r.At, r.Half, r.Tool, r.Mode, r.Site, r.Point, between, len(s.left), s.acts, s.off)
	return rand.New(rand.NewPCG(d.Scene.Seed^h.Sum64(), 83))
}

// putting is one thing put on the circuit as it is.
type putting struct {
	d *Drill
	s *state
	c *circuit.Circuit
	k *tester.Condition
	r *rand.Rand
}

// goesIn are the testers that a plug holds: whoever pushes them in has a hand at the plate.
var goesIn = []tester.Tool{tester.Plug, tester.PlugButton, tester.Analyzer, tester.Lamp}

// leaks are those that put a current on the ground.
var leaks = []tester.Tool{tester.PlugButton, tester.Analyzer}

func (p *putting) outlet(ask *tester.Reading) (*Stop, error) {
	if ask.Half == "" {
		ask.Half = circuit.Top
	}
	o, ok := p.k.Outlet(ask.At, ask.Half)
	if !ok {
		return nil, fmt.Errorf("%s, %s half: %w", ask.At, ask.Half, ErrUnknown)
	}
	at := p.d.label(ask.At)
	if slices.Contains(goesIn, ask.Tool) && p.k.LiveYoke(o) && !slices.Contains(p.s.felt, ask.At) {
		volts := p.k.TouchVolts(o)
		return &Stop{
			Danger: LiveYoke, At: ask.At, Amps: volts / bodyOhms,
			Did:   fmt.Sprintf("Plugged a tester into %s without the sensor at its plate before.", at),
			Would: fmt.Sprintf("The yoke, the plate screw and all metal joined to them stand at %.0f V: the hand that pushes the plug in and a grounded one would have carried %.0f mA.", volts, 1000*volts/bodyOhms),
			Rule:  "The sensor at the plate comes before anything that is plugged in, where no ground is proven.",
		}, nil
	}
	mode, state := ask.Mode, ask.State
	if slices.Contains(leaks, ask.Tool) {
		_, without := p.k.Foresee(o, "", "", true)
		if _, amps := p.k.Foresee(o, ask.Tool, mode, false); amps > max(feltAmps, 1.5*without) {
			return &Stop{
				Danger: Button, At: ask.At, Amps: amps,
				Did:   fmt.Sprintf("%s at %s, where the ground is open.", map[tester.Tool]string{tester.PlugButton: "Pressed the tester's button", tester.Analyzer: "Put the load tester's pulse on"}[ask.Tool], at),
				Would: fmt.Sprintf("The current that it sends into the ground has no way back: it stands on the metal of all that hangs on that ground. Somebody who holds a case there would have carried %.0f mA.", 1000*amps),
				Rule:  "Prove that a ground arrives before anything is sent into it; the GFCI's own button needs none.",
			}, nil
		}
	}
	shown, err := p.k.Read(o, ask.Tool, mode)
	if err != nil {
		return nil, err
	}
	if ask.Tool != tester.PlugButton && ask.Tool != tester.DeviceButton {
		shown.Tripped = nil
	}
	shown.State, shown.Doubtful = state, ask.Doubtful
	p.blur(&shown)
	*ask = shown
	return nil, nil
}

// blur is what the tester gets wrong.
func (p *putting) blur(r *tester.Reading) {
	if !p.d.Exact {
		trial.Blur(r, diagnosis.Defaults().Errors, 0, p.r)
	}
	r.Round()
}

func (p *putting) points(ask *tester.Reading, proof Proof) (*Stop, error) {
	points := []string{ask.Point}
	if ask.Between != nil {
		points = ask.Between[:]
	}
	if ask.Tool == tester.Ohms && p.c.Breaker.On {
		return &Stop{
			Danger: OhmsLive, At: points[0], Did: "Put the resistance range on with the breaker on.",
			Would: "The meter's fuse goes, and the arc with it; where the range has no fuse, it goes in the hand.",
			Rule:  "Resistance is measured dead: off, locked, proven.",
		}, nil
	}
	for _, name := range points {
		if point, err := p.c.ParsePoint(name, ""); err == nil && ask.Tool != tester.Ohms {
			if stop := p.touched(point.At, proof); stop != nil {
				return stop, nil
			}
		}
	}
	shown, err := p.k.ReadPoints(ask.Tool, ask.Mode, points...)
	if err != nil {
		return nil, err
	}
	shown.State = ask.State
	p.blur(&shown)
	*ask = shown
	return nil, nil
}

// bodyOhms is a body from hand to hand. Common practice, no source.
const bodyOhms = 1000

// touched stops who opens a box, or handles its wires, before it is proven dead; nil where it is.
func (p *putting) touched(box string, proof Proof) *Stop {
	if p.c.Box(box) == nil {
		return nil // the panel is looked into, not touched
	}
	missing := proof(box, job.ToOpen)
	if len(missing) == 0 {
		return nil
	}
	most, where := 0.0, ""
	for _, cable := range p.c.Cables {
		for _, k := range cable.Conductors {
			if cable.From != box && cable.To != box {
				continue
			}
			end := cable.ID + "@" + box + "." + string(k)
			if v, err := p.k.PointVolts(end); err == nil && v > most {
				most, where = v, end
			}
		}
	}
	s := &Stop{
		Danger: Touched, At: box, Did: fmt.Sprintf("Opened %s, and it was not proven dead: %s.", p.c.LabelOf(box), missing[0]),
		Would: "This time it was dead. Nobody could have known.",
		Rule:  "Live, dead, live: the tester on a live source, on all pairs in the box, and on the live source again.",
	}
	if most > 30 {
		s.Amps = most / bodyOhms
		s.Would = fmt.Sprintf("%s stands at %.0f V: from hand to hand that is %.0f mA, and from some 50 mA on the heart can lose its beat.", p.c.Say(where), most, 1000*s.Amps)
	}
	return s
}

func (p *putting) look(ask *tester.Reading, proof Proof) (*Stop, error) {
	if ask.Site != circuit.Panel && p.c.Box(ask.Site) == nil {
		return nil, fmt.Errorf("%s: %w", ask.Site, ErrUnknown)
	}
	if stop := p.touched(ask.Site, proof); stop != nil {
		ask.Found = &tester.Found{}
		return stop, nil
	}
	ask.Found = &tester.Found{Faults: append([]circuit.Fault{}, here(p.s, ask.Site)...)}
	return nil, nil
}

func (p *putting) act(ask *tester.Reading, bench *tester.Bench) error {
	works := map[string]bool{}
	for _, o := range bench.Outlets() {
		works[o.Device] = works[o.Device] || p.k.Works(o)
	}
	after := &state{left: slices.Clone(p.s.left), loadsOff: p.s.loadsOff, off: p.s.off}
	after.act(ask.Act, ask.At)
	c, err := p.d.circuit(after)
	if err != nil {
		return err
	}
	then, k, err := onBench(c)
	if err != nil {
		return err
	}
	ask.Held, ask.Found, ask.CameBack = nil, nil, nil
	switch ask.Act {
	case tester.Reset, tester.ResetBreaker:
		name := ask.At
		if ask.Act == tester.ResetBreaker {
			name = circuit.Panel
		}
		held := !slices.Contains(k.Tripped, name) && (name == circuit.Panel || k.Powered(name))
		for _, f := range c.Faults {
			if f.Kind == circuit.GFCIFault && f.At == name {
				held = false
			}
		}
		ask.Held = &held
	case tester.AllGFCIs:
		ask.Found = &tester.Found{Names: []string{}}
		for _, h := range p.s.left {
			for _, f := range h.Faults {
				if f.Kind == circuit.GFCIFault && f.State == "tripped" && f.At != circuit.Panel {
					ask.Found.Names = append(ask.Found.Names, f.At)
				}
			}
		}
	case tester.FindBox:
		ask.Found = &tester.Found{Names: []string{}}
	case tester.Plugged:
		return errors.New("in a drill what is plugged in is found by unplugging all")
	}
	if ask.Act == tester.UnplugAll || ask.Act == tester.SwitchesOn {
		for _, o := range then.Outlets() {
			if k.Works(o) && !works[o.Device] && !slices.Contains(ask.CameBack, o.Device) {
				ask.CameBack = append(ask.CameBack, o.Device)
			}
		}
	}
	return nil
}

func (p *putting) told(ask *tester.Reading) error {
	if ask.At == "" {
		if ask.Asked != tester.CycleBreaker {
			return errors.New("in a drill nobody can say that")
		}
		ask.Answer = tester.NothingChanged
		if slices.Contains(p.k.Tripped, circuit.Panel) {
			ask.Answer = tester.WillNotHold
		}
		return nil
	}
	o, ok := p.k.Outlet(ask.At, ask.Half)
	if !ok {
		return fmt.Errorf("%s: %w", ask.At, ErrUnknown)
	}
	works := p.k.Works(o)
	ask.Works = &works
	return nil
}

func (p *putting) hint(ask *tester.Reading) error {
	if p.c.Box(ask.Site) == nil {
		return fmt.Errorf("%s: %w", ask.Site, ErrUnknown)
	}
	if ask.Hint != tester.LivePlate {
		no := false
		ask.Yes = &no
		return nil
	}
	yes, err := trial.LivePlate(p.c, ask.Site, p.r)
	ask.Yes = &yes
	return err
}

// Dead is what the meter shows in the box with the power as it is.
func (d *Drill) Dead(box string) (*job.DeadVolts, *Step, error) {
	if _, over := d.Over(); over {
		return nil, nil, ErrOver
	}
	s := d.state()
	c, err := d.circuit(s)
	if err != nil {
		return nil, nil, err
	}
	there := c.Box(box)
	if there == nil {
		return nil, nil, fmt.Errorf("%s: %w", box, ErrUnknown)
	}
	_, k, err := onBench(c)
	if err != nil {
		return nil, nil, err
	}
	all := &job.DeadVolts{SensorSilent: true}
	for _, v := range there.Devices {
		for _, half := range circuit.Halves {
			o, ok := k.Outlet(v.ID, half)
			if !ok {
				continue
			}
			pairs, earth := &all.Top, &all.TopToEarth
			if half == circuit.Bottom {
				pairs, earth = &all.Bottom, &all.BottomToEarth
			}
			for name, to := range []**float64{&pairs.HotNeutral, &pairs.HotGround, &pairs.NeutralGround, earth} {
				volts := k.MeterVolts(o, name, tester.HighZ)
				if name > 0 && name < 3 && !o.HasGround || *to != nil && **to > volts {
					continue
				}
				volts = float64(int(volts*10+0.5)) / 10
				*to = &volts
			}
			for _, volts := range k.SensorVolts(o) {
				all.SensorSilent = all.SensorSilent && !(volts >= tester.Default.FaintVolts)
			}
		}
	}
	return all, &Step{Do: DeadTest, Box: box}, nil
}

// Do is a step that shows nothing: the breaker, advice, giving up.
func (d *Drill) Do(deed Deed) (*Step, error) {
	if _, over := d.Over(); over {
		return nil, ErrOver
	}
	if !slices.Contains([]Deed{Off, On, Advice, GiveUp}, deed) {
		return nil, fmt.Errorf("do: %q is none of %v", deed, []Deed{Off, On, Advice, GiveUp})
	}
	return &Step{Do: deed}, nil
}

// HandItOver ends the drill. Whoever hands over live metal, or a ground that is none, has believed it.
func (d *Drill) HandItOver() (*Step, error) {
	if _, over := d.Over(); over {
		return nil, ErrOver
	}
	step := &Step{Do: HandOver}
	s := d.state()
	s.off = false
	for _, h := range s.left {
		for _, f := range h.Faults {
			if f.Kind == circuit.Bonded && f.Pair == circuit.NeutralGround {
				at := d.Scene.Circuit.LabelOf(fault.Site(d.Scene.Circuit, []circuit.Fault{f}))
				step.Stop = &Stop{
					Danger: Bootleg, At: f.At, Amps: 120.0 / bodyOhms,
					Did:   fmt.Sprintf("Handed it over with the ground of %s joined to the neutral: the lamps show it as correct.", at),
					Would: "When that neutral lets go, the case of whatever is plugged in stands at line voltage: 120 mA through who touches it and something grounded.",
					Rule:  "A ground is believed when it is measured against another, or seen: three lamps cannot tell it from a neutral.",
				}
				return step, nil
			}
		}
	}
	c, err := d.circuit(s)
	if err != nil {
		return nil, err
	}
	bench, k, err := onBench(c)
	if err != nil {
		return nil, err
	}
	for _, o := range bench.Outlets() {
		if k.LiveYoke(o) {
			volts := k.TouchVolts(o)
			step.Stop = &Stop{
				Danger: Bootleg, At: o.Device, Amps: volts / bodyOhms,
				Did:   fmt.Sprintf("Handed it over with live metal at %s.", d.label(o.Device)),
				Would: fmt.Sprintf("The yoke stands at %.0f V: %.0f mA through who touches a case plugged in there and something grounded.", volts, 1000*volts/bodyOhms),
				Rule:  "The sensor at every plate, and the ground measured against one that is proven, before it is handed over.",
			}
			return step, nil
		}
	}
	return step, nil
}

func (d *Drill) label(device string) string {
	if _, box := d.Scene.Circuit.Device(device); box != nil {
		return d.Scene.Circuit.LabelOf(box.ID)
	}
	return device
}

// Left reports whether anything is wrong still.
func (d *Drill) Left() []Hidden { return d.state().left }
