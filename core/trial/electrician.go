package trial

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/fault"
	"elvat/core/forecast"
	"elvat/core/tester"
)

// Hidden is something that is wrong, with the sites at any of which it is found.
type Hidden struct {
	Faults []circuit.Fault
	Sites  []string
}

// A Call is the probability that a box to be opened was given, and whether
// something was wrong there.
type Call struct {
	Probability float64
	Right       bool
}

// Spent is where the minutes went.
type Spent struct {
	Readings, Walking, Acts, Right, OtherEnd, Elsewhere, CalledBack float64
}

// An Outcome is how one case went.
type Outcome struct {
	Kind                 string // of what was wrong first
	Minutes, Walk, Bound float64
	// The same with one dead session for boxes opened one after another.
	Sessions, WalkSessions float64
	Spent                  Spent
	Boxes, WalkBoxes       int
	FirstRight             bool // the first box opened was a faulty one, or none had to be
	FirstNear              bool // or the other end of a faulty cable
	Solved                 bool
	Readings, Repeated     int // taken; of them, taken before in the same state without doubt
	LiveYokes              int // devices whose metal was live
	Unlisted               int // of those, never listed as a danger
	Calls                  []Call
	// Stages are what could be told of the minutes ahead before each act.
	Stages []Stage
}

// A Stage is a moment of a case: what was expected to be spent then, and what was.
type Stage struct {
	Told  forecast.Told
	Spent float64 // until then
}

// An electrician is a simulated one, who does what is proposed first.
type electrician struct {
	belief   *circuit.Circuit // as recorded
	truth    *circuit.Circuit // as it is, without what is wrong
	left     []Hidden         // still wrong
	always   []circuit.Fault  // wrong, and nobody's complaint
	switched []circuit.Fault  // open while a wall switch is off
	tripped  []circuit.Fault  // open while a GFCI elsewhere is tripped
	source   Source
	given    []tester.Reading // what is known to be shown as things are
	settings diagnosis.Settings
	r        *rand.Rand
	misreads bool
	noHints  bool                      // nothing but testers and acts
	erring   float64                   // share of a customer's words that are wrong; as the error model says where zero
	gain     float64                   // of the meter, for the whole call; 1 where zero
	misread  map[string]tester.Reading // a reading repeated errs the same way

	readings []tester.Reading
	opened   []string
	at       string
	acts     int
	changed  bool // given does not hold any more
	loadsOff bool
	inDead   bool // a dead session is under way
	live     []string
	out      Outcome
}

// comeBack is what it costs, in minutes, to be called back when something is
// still wrong. Assumption.
const comeBack = 45

// run follows what is proposed until all that is wrong is found. Wrong are the
// boxes at which something reads wrong.
func (s *electrician) run(wrong []string) (Outcome, error) {
	engine, err := diagnosis.NewEngine(s.belief, s.settings)
	if err != nil {
		return s.out, err
	}
	return s.runWith(engine, wrong)
}

// runWith is run with the diagnosis given.
func (s *electrician) runWith(engine interface {
	Diagnose([]tester.Reading) (*diagnosis.Result, error)
}, wrong []string) (Outcome, error) {
	s.byTheRule(wrong)
	s.out.Kind = kindOf(s.belief, s.left)
	for range maxSteps {
		result, err := engine.Diagnose(s.readings)
		if err != nil {
			return s.out, err
		}
		s.live = slices.DeleteFunc(s.live, func(device string) bool {
			return slices.ContainsFunc(
				result.Hidden,
				func(d diagnosis.Danger) bool { return d.Name == diagnosis.LiveGroundPin && d.At == device },
			)
		})
		s.out.Unlisted = len(s.live)
		s.out.Stages = append(s.out.Stages, Stage{forecast.Of(result), s.out.Minutes})
		next, ok := s.choose(result)
		if !ok || next.Do == diagnosis.DoDone {
			break
		}
		if err := s.do(next, result); err != nil {
			return s.out, err
		}
		if len(s.left) == 0 && len(s.switched) == 0 && len(s.tripped) == 0 {
			s.out.Solved = true // what is done to make sure is on the rule's bill as well, so on neither's
			break
		}
	}
	if !s.out.Solved {
		rest := comeBack + s.restByTheRule(wrong)
		s.out.Minutes, s.out.Sessions, s.out.Spent.CalledBack = s.out.Minutes+rest, s.out.Sessions+rest, rest
	}
	return s.out, nil
}

// kindOf names what was wrong first, for the table of kinds.
func kindOf(c *circuit.Circuit, left []Hidden) string {
	if len(left) == 0 {
		return "switch or GFCI elsewhere"
	}
	f := left[0].Faults[0]
	switch {
	case len(left) > 1:
		return "two"
	case f.Kind == circuit.Open || f.Kind == circuit.Resistive:
		name := fault.Name(c, left[0].Faults[:1])
		return name
	case f.Kind == circuit.GFCIFault:
		return "gfci " + f.State
	default:
		return string(f.Kind)
	}
}

// choose takes what is proposed first and can be done.
func (s *electrician) choose(result *diagnosis.Result) (diagnosis.Test, bool) {
	for _, t := range result.Next {
		switch t.Do {
		case diagnosis.DoOpen:
			if strings.Count(" "+strings.Join(s.opened, " ")+" ", " "+t.Site+" ") > 1 {
				continue // not a third time
			}
			return t, true
		case diagnosis.DoReading, diagnosis.DoAct, diagnosis.DoDone:
			if s.noHints && t.Tool == tester.Hint {
				continue
			}
			return t, true
		}
	}
	return diagnosis.Test{}, false
}

func (s *electrician) do(t diagnosis.Test, result *diagnosis.Result) error {
	switch t.Do {
	case diagnosis.DoOpen:
		s.open(t, result)
		return nil
	case diagnosis.DoAct:
		return s.act(t)
	}
	return s.take(t)
}

// spend adds minutes to both bills.
func (s *electrician) spend(minutes float64, on *float64) {
	s.out.Minutes += minutes
	s.out.Sessions += minutes
	*on += minutes
}

// walk goes to the box.
func (s *electrician) walk(box string) {
	if box != s.at && box != "" {
		s.spend(s.settings.Minutes.Walk, &s.out.Spent.Walking)
		s.at = box
	}
}

func (s *electrician) boxOf(device string) string {
	if _, box := s.belief.Device(device); box != nil {
		return box.ID
	}
	return ""
}

func (s *electrician) take(t diagnosis.Test) error {
	s.inDead = false
	if t.Tool == tester.Hint {
		return s.hint(t)
	}
	o, ok := outlet(s.truth, t.At, t.Half)
	if !ok {
		return fmt.Errorf("%s, %s half: no such outlet", t.At, t.Half)
	}
	s.walk(s.boxOf(t.At))
	minutes := s.settings.Minutes.Tool[t.Tool]
	if t.Tool == tester.Ohms {
		minutes = s.settings.Minutes.Tool[tester.Meter]
		if !slices.ContainsFunc(s.readings, func(r tester.Reading) bool { return r.Tool == tester.Ohms }) {
			minutes += s.settings.Minutes.ToPanel
		}
	}
	s.spend(minutes, &s.out.Spent.Readings)
	s.out.Readings++
	key := s.key(t.At, t.Half, t.Tool, t.Mode, t.Between)
	if _, before := s.misread[key]; before && !t.Again {
		s.out.Repeated++
	}
	reading, err := s.reading(key, o, t)
	if err != nil {
		return err
	}
	s.readings = append(s.readings, reading)
	return nil
}

// key is the same of readings that are the same again: since something was put
// right, or done, they are not.
func (s *electrician) key(at string, half circuit.Half, tool tester.Tool, mode tester.Mode, between *[2]string) string {
	if between != nil {
		return fmt.Sprint(at, half, tool, mode, *between, len(s.left), s.acts)
	}
	return fmt.Sprint(at, half, tool, mode, len(s.left), s.acts)
}

// reading is what the tester shows, or is said to; the same when asked again.
func (s *electrician) reading(key string, o circuit.Outlet, t diagnosis.Test) (tester.Reading, error) {
	if r, before := s.misread[key]; before {
		return r, nil
	}
	if s.misread == nil {
		s.misread = map[string]tester.Reading{}
	}
	if !s.changed && t.Between == nil {
		for _, r := range s.given {
			if r.At == t.At && (r.Half == t.Half || t.Tool == tester.DeviceButton) && r.Tool == t.Tool && r.Mode == t.Mode {
				s.misread[key] = r
				return r, nil
			}
		}
	}
	r, err := s.source(s.now(), o, t.Tool, t.Mode, t.Between)
	if err != nil {
		return r, err
	}
	if t.Tool != tester.PlugButton && t.Tool != tester.DeviceButton {
		r.Tripped = nil
	}
	r.Round()
	if s.misreads {
		s.blur(&r)
	}
	s.misread[key] = r
	return r, nil
}

// hint looks from outside, with the odds of the assumption.
func (s *electrician) hint(t diagnosis.Test) error {
	s.walk(t.Site)
	s.spend(s.settings.Minutes.Hint, &s.out.Spent.Readings)
	yes, err := LivePlate(s.now(), t.Site, s.r)
	s.readings = append(s.readings, tester.Reading{Tool: tester.Hint, Hint: t.Hint, Site: t.Site, Yes: &yes})
	return err
}

// LivePlate is whether the sensor answers at the closed plate of the box, with the odds of the
// assumption: metal shields what is live behind it.
func LivePlate(c *circuit.Circuit, site string, r *rand.Rand) (bool, error) {
	bench, err := tester.NewBench(c)
	if err != nil {
		return false, err
	}
	now, err := bench.Try(c.Faults)
	if err != nil {
		return false, err
	}
	live := false
	for _, cable := range c.Cables {
		for _, k := range cable.Conductors {
			if cable.From != site && cable.To != site || k == circuit.Ground {
				continue
			}
			if v, err := now.PointVolts(cable.ID + "@" + site + "." + string(k)); err == nil && v >= tester.Default.StrongVolts {
				live = true
			}
		}
	}
	p := 0.05
	if live {
		p = 0.8
		if c.Box(site).Material == circuit.Metal {
			p = 0.4
		}
	}
	return r.Float64() < p, nil
}

// now is the circuit with what is still wrong.
func (s *electrician) now() *circuit.Circuit {
	c := s.truth.Clone()
	c.Faults = slices.Concat(s.faults(), s.always, s.switched, s.tripped)
	if s.loadsOff {
		for i := range c.Loads {
			c.Loads[i].On = false
		}
	}
	return c
}

func (s *electrician) faults() []circuit.Fault {
	var all []circuit.Fault
	for _, h := range s.left {
		all = append(all, h.Faults...)
	}
	return all
}

// act does what is proposed, and tells what came of it.
func (s *electrician) act(t diagnosis.Test) error {
	s.inDead = false
	s.acts++
	m := s.settings.Minutes
	r := tester.Reading{Tool: tester.Act, Act: t.Act}
	held := true
	switch t.Act {
	case tester.UnplugAll:
		s.spend(m.Unplug, &s.out.Spent.Acts)
		s.loadsOff, s.changed = true, true
	case tester.SwitchesOn:
		s.spend(m.Switches, &s.out.Spent.Acts)
		s.changed = s.changed || len(s.switched) > 0
		s.noBox(len(s.switched) > 0)
		s.switched = nil
	case tester.AllGFCIs:
		s.spend(m.GFCIs, &s.out.Spent.Acts)
		r.Found = &tester.Found{Names: []string{}}
		if len(s.tripped) > 0 {
			r.Found.Names, s.changed = []string{"bath"}, true
		}
		s.noBox(len(s.tripped) > 0)
		s.tripped = nil
		for i := range s.belief.Boxes {
			for _, v := range s.belief.Boxes[i].Devices {
				if v.Kind == circuit.GFCI && s.reset(v.ID) {
					r.Found.Names = append(r.Found.Names, v.ID)
				}
			}
		}
	case tester.Reset:
		s.walk(s.boxOf(t.At))
		s.spend(m.Reset, &s.out.Spent.Acts)
		r.At = t.At
		s.reset(t.At)
		held = s.holds(t.At)
		r.Held = &held
	case tester.ResetBreaker:
		s.spend(m.ToPanel, &s.out.Spent.Acts)
		s.resetBreaker()
		held = s.holds(circuit.Panel)
		r.Held = &held
	case tester.FindBox:
		s.spend(m.FindBox, &s.out.Spent.Acts)
		r.At, r.Found = t.At, &tester.Found{Names: []string{}}
	}
	s.readings = append(s.readings, r)
	return nil
}

// reset puts a trip right; false where it had not tripped.
func (s *electrician) reset(device string) bool {
	return s.settle(func(f circuit.Fault) bool {
		return f.Kind == circuit.GFCIFault && f.At == device && f.State == "tripped"
	})
}

func (s *electrician) resetBreaker() bool {
	return s.settle(func(f circuit.Fault) bool {
		return f.Kind == circuit.BreakerAt || f.Kind == circuit.GFCIFault && f.At == circuit.Panel && f.State == "tripped"
	})
}

func (s *electrician) settle(is func(circuit.Fault) bool) bool {
	n := len(s.left)
	s.left = slices.DeleteFunc(s.left, func(h Hidden) bool {
		return !slices.ContainsFunc(h.Faults, func(f circuit.Fault) bool { return !is(f) })
	})
	s.changed = s.changed || len(s.left) < n
	s.noBox(len(s.left) < n)
	return len(s.left) < n
}

// noBox notes that it was put right before any box was opened.
func (s *electrician) noBox(right bool) {
	if right && s.out.Boxes == 0 {
		s.out.FirstRight, s.out.FirstNear = true, true
	}
}

// holds reports whether what was reset stays so.
func (s *electrician) holds(name string) bool {
	for _, f := range s.faults() {
		if f.Kind == circuit.GFCIFault && f.At == name && (f.State == "dead" || f.State == "line-load-swapped") {
			return false
		}
	}
	now := s.now()
	bench, err := tester.NewBench(now)
	if err != nil {
		return true
	}
	c, err := bench.Try(now.Faults)
	return err != nil || !slices.Contains(c.Tripped, name) && (name == circuit.Panel || c.Powered(name))
}

// open looks into a box, dead, and puts right what is wrong there.
func (s *electrician) open(t diagnosis.Test, result *diagnosis.Result) {
	m := s.settings.Minutes
	s.opened = append(s.opened, t.Site)
	s.out.Boxes++
	var here []circuit.Fault
	var rest []Hidden
	for _, h := range s.left {
		if slices.Contains(h.Sites, t.Site) {
			here = append(here, h.Faults...)
		} else {
			rest = append(rest, h)
		}
	}
	right := len(here) > 0
	near := right || s.otherEnd(t.Site)
	if s.out.Boxes == 1 && !s.out.FirstRight {
		s.out.FirstRight, s.out.FirstNear = right, near
	}
	on := &s.out.Spent.Elsewhere
	switch {
	case right:
		on = &s.out.Spent.Right
	case near:
		on = &s.out.Spent.OtherEnd
	}
	way := m.Walk
	if t.Site == circuit.Panel {
		way = m.ToPanel
	}
	s.out.Minutes += m.Open + way
	*on += m.Open + way
	s.out.Sessions += m.Look + way
	if !s.inDead {
		s.out.Sessions += m.Dead
	}
	s.inDead, s.at = true, t.Site
	i := slices.IndexFunc(result.Sites, func(site diagnosis.Site) bool { return site.Site == t.Site })
	if i >= 0 {
		s.out.Calls = append(s.out.Calls, Call{result.Sites[i].Probability, right})
	}
	// What nobody complained of is found as well.
	s.always = slices.DeleteFunc(slices.Clone(s.always), func(f circuit.Fault) bool {
		found := fault.Site(s.belief, []circuit.Fault{f}) == t.Site
		if found {
			here = append(here, f)
		}
		return found
	})
	s.readings = append(s.readings, tester.Reading{Tool: tester.Eyes, Site: t.Site, Found: &tester.Found{Faults: here}})
	if len(here) > 0 {
		s.readings = append(s.readings, tester.Reading{Tool: tester.Fixed, Faults: here})
		s.changed = true
	}
	s.left = rest
}

// otherEnd reports whether the site is at the other end of a cable at whose
// end something is wrong.
func (s *electrician) otherEnd(site string) bool {
	for _, h := range s.left {
		for i, f := range h.Faults {
			id, _, atEnd := strings.Cut(f.At, "@")
			cable := s.belief.Cable(id)
			if !atEnd || cable == nil {
				// On a device's own terminal or in a splice: the feed's other end looks the same.
				cable = s.belief.LineCable(fault.Site(s.belief, h.Faults[i:]))
			}
			if cable != nil && (cable.From == site || cable.To == site) {
				return true
			}
			if strings.HasSuffix(f.At, ".2") || strings.Contains(f.At, ".load.") {
				// What carries on through the device: the other end of what it feeds.
				for _, out := range s.belief.Outgoing(fault.Site(s.belief, h.Faults[i:])) {
					if out.To == site {
						return true
					}
				}
			}
		}
	}
	return false
}

// byTheRule is the trade's plain rule on the case: open the last box that shows
// something, then box by box upstream to the panel; what is left is looked for
// from the next such box. Finding out which boxes those are is not counted,
// which favours the rule. The bound opens only the right boxes, at once.
func (s *electrician) byTheRule(wrong []string) {
	m := s.settings.Minutes
	cost := func(site string) float64 {
		if site == circuit.Panel {
			return m.Open + m.ToPanel
		}
		return m.Open + m.Walk
	}
	if len(s.left) == 0 {
		// No box is to be opened: the rule finds nothing on its way to the panel,
		// and does then what had to be done.
		act := m.Switches
		if len(s.tripped) > 0 {
			act = m.GFCIs
		}
		s.out.Bound = act
		for _, site := range s.toThePanel(wrong) {
			s.out.Walk += cost(site)
			s.out.WalkSessions += cost(site) - m.Open + m.Look
			s.out.WalkBoxes++
		}
		s.out.Walk, s.out.WalkSessions = s.out.Walk+act, s.out.WalkSessions+act+m.Dead
		return
	}
	var right []string
	for _, h := range s.left {
		if !slices.ContainsFunc(h.Sites, func(site string) bool { return slices.Contains(right, site) }) {
			right = append(right, h.Sites[0])
			s.out.Bound += cost(h.Sites[0])
		}
	}
	route := s.walked(wrong)
	for _, site := range route {
		s.out.Walk += cost(site)
		s.out.WalkSessions += cost(site) - m.Open + m.Look
	}
	s.out.WalkBoxes = len(route)
	if len(route) > 0 {
		s.out.WalkSessions += m.Dead // all in one
	}
}

// toThePanel is the way from the last box that shows something.
func (s *electrician) toThePanel(wrong []string) []string {
	for _, id := range slices.Backward(s.belief.Order()) {
		if slices.Contains(wrong, id) {
			return append(s.belief.Upstream(id), circuit.Panel)
		}
	}
	return []string{circuit.Panel}
}

// walked lists the boxes that the plain rule opens.
func (s *electrician) walked(wrong []string) []string {
	order := s.belief.Order()
	var route []string
	var starts []string
	for _, id := range slices.Backward(order) {
		if slices.Contains(wrong, id) {
			starts = append(starts, id)
		}
	}
	for _, start := range append(starts, order...) {
		route = append(route, s.belief.Upstream(start)...)
		route = append(route, circuit.Panel)
	}
	left := slices.Clone(s.left)
	var opened []string
	for _, site := range route {
		if len(left) == 0 {
			break
		}
		if slices.Contains(opened, site) {
			continue
		}
		opened = append(opened, site)
		left = slices.DeleteFunc(left, func(h Hidden) bool { return slices.Contains(h.Sites, site) })
	}
	return opened
}

// restByTheRule is what finding the rest by the plain rule takes.
func (s *electrician) restByTheRule(wrong []string) float64 {
	m := s.settings.Minutes
	cost := 0.0
	for range s.walked(wrong) {
		cost += m.Open + m.Walk
	}
	return cost
}

// known is the share of outlets of which the customer can say, beside those
// complained of, whether they work. Assumption.
const known = 1.0 / 3

// phone asks the customer before driving: the breaker off and on, and which
// outlets are dead; what an inspector's tester showed comes with the complaint. The rule it is compared with knows all outlets that show
// something.
func (s *electrician) phone(start []circuit.Outlet) error {
	bench, err := tester.NewBench(s.now())
	if err != nil {
		return err
	}
	faults := slices.Concat(s.faults(), s.switched, s.tripped)
	condition, err := bench.Try(faults)
	if err != nil {
		return err
	}
	answer := tester.NothingChanged
	if slices.Contains(condition.Tripped, circuit.Panel) {
		answer = tester.WillNotHold
	}
	s.readings = append(s.readings, tester.Reading{Tool: tester.Told, Asked: tester.CycleBreaker, Answer: answer})
	for _, o := range bench.Outlets() {
		if s.r.Float64() >= known && !slices.Contains(start, o) {
			continue
		}
		lamp, err := s.source(s.now(), o, tester.Lamp, "", nil)
		if err != nil {
			return err
		}
		runs := lamp.Glow == tester.Bright || lamp.Glow == tester.Over
		if runs && slices.Contains(start, o) && o.HasGround {
			// Nobody complains of an outlet that works unless someone has put a tester on it.
			shown, err := s.source(s.now(), o, tester.Plug, "", nil)
			if err != nil {
				return err
			}
			shown.Tripped = nil
			s.blur(&shown)
			s.readings = append(s.readings, shown)
			continue
		}
		wrong := s.settings.Errors.ToldOutlet
		if s.erring > 0 {
			wrong = s.erring
		}
		works := runs != (s.r.Float64() < wrong)
		s.readings = append(s.readings, tester.Reading{Tool: tester.Told, At: o.Device, Half: o.Half, Works: &works})
	}
	return nil
}

func outlet(c *circuit.Circuit, device string, half circuit.Half) (circuit.Outlet, bool) {
	w, err := circuit.Wire(c)
	if err != nil {
		return circuit.Outlet{}, false
	}
	return w.Outlet(device, half)
}

// blur misreads the reading as the error model says.
func (s *electrician) blur(r *tester.Reading) { Blur(r, s.settings.Errors, s.gain, s.r) }

// Blur misreads the reading as the error model says; gain is the meter's own, 0 for none.
func Blur(r *tester.Reading, e diagnosis.Errors, gain float64, by *rand.Rand) {
	switch r.Tool {
	case tester.Plug:
		for _, lamp := range []*tester.Lit{&r.Lamps.HotNeutral, &r.Lamps.HotGround, &r.Lamps.NeutralGround} {
			if by.Float64() < e.Lamp {
				*lamp = map[tester.Lit]tester.Lit{tester.IsLit: tester.IsDark, tester.IsDark: tester.IsLit}[*lamp]
			}
		}
	case tester.Ohms:
		if !r.Reads.Open {
			r.Reads.Value = math.Max(0, r.Reads.Value+by.NormFloat64()*(e.OhmsShare*r.Reads.Value+e.OhmsPlus)/2)
		}
	case tester.Meter:
		if r.Volts == nil {
			return
		}
		for _, v := range r.Volts.All() {
			if v != nil {
				if gain > 0 {
					*v *= gain
				}
				*v = math.Max(0, *v+by.NormFloat64()*(e.VoltsShare**v+e.VoltsPlus)/2)
			}
		}
	case tester.Sensor:
		if r.Slots == nil {
			return
		}
		for _, level := range []*tester.Level{&r.Slots.Hot, &r.Slots.Neutral, &r.Slots.Ground} {
			if *level != "" && by.Float64() < e.Slot {
				*level = tester.Faint
			}
		}
	}
}
