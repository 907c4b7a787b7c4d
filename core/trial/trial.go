// Package trial is the yardstick of the diagnosis: it draws circuits and
// faults, lets a simulated electrician follow what is proposed until all that
// is wrong is found, and compares the minutes with the trade's plain rule.
package trial

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/draw"
	"elvat/core/fault"
	"elvat/core/tester"
)

// Shares of the cases: with two faults, and drawn without regard to the
// weights. Assumption.
const (
	shareOfTwo   = 0.2
	shareOfApart = 0.2
)

// maxSteps ends a case that does not come to an end; it counts as the walk.
const maxSteps = 80

// A Case is one circuit with what is wrong with it.
type Case struct {
	Circuit *circuit.Circuit
	// Conditions of the place, which the electrician knows.
	Conditions diagnosis.Conditions
	Faults     []circuit.Fault
	// Hidden is a faked ground on a reversed outlet where no ground arrives: live
	// metal that lamps show as correct, and nobody complains of.
	Hidden []circuit.Fault
	Start  []circuit.Outlet // complained of: one for each fault
}

// How often the conditions of the place are met. Assumption.
const (
	oldHouses    = 0.4
	pushInHouses = 0.5
	pushInBoxes  = 0.6 // of such a house
	outdoorBoxes = 0.12
	heavyBoxes   = 0.25
	workedBoxes  = 0.07
	warmBoxes    = 0.04 // felt, or seen at the plate, before anything is opened
	wornBoxes    = 0.06
)

// shareOfHidden is how many of the circuits with an outlet where no ground
// arrives have live metal there. Assumption: far more than in the trade, so that
// the trial has enough of them.
const shareOfHidden = 0.15

// hide draws a hidden danger away from the faults that are complained of.
func (k *Case) hide(r *rand.Rand) {
	var at []string
	for _, box := range k.Circuit.Boxes {
		v := box.Devices[0]
		faulty := func(f circuit.Fault) bool { return strings.Contains(f.At, v.ID) || strings.Contains(f.At, "@"+box.ID) }
		if v.HasGroundSlot() && !k.Circuit.GroundArrives(box.ID) && !slices.ContainsFunc(k.Faults, faulty) {
			at = append(at, v.ID)
		}
	}
	if r.Float64() >= shareOfHidden || len(at) == 0 {
		return
	}
	device := at[r.IntN(len(at))]
	k.Hidden = []circuit.Fault{
		{Kind: circuit.Swapped, At: device, Pair: circuit.HotNeutral},
		{Kind: circuit.Bonded, At: device, Pair: circuit.NeutralGround, Ohms: 0.02},
	}
}

// conditions draws what is known of the place.
func conditions(r *rand.Rand, c *circuit.Circuit) diagnosis.Conditions {
	k := diagnosis.Conditions{Old: r.Float64() < oldHouses, Boxes: map[string][]diagnosis.Condition{}}
	pushIns := r.Float64() < pushInHouses
	for _, box := range c.Boxes {
		for _, row := range []struct {
			condition diagnosis.Condition
			share     float64
		}{{diagnosis.PushIn, pushInBoxes}, {diagnosis.Outdoors, outdoorBoxes}, {diagnosis.Heavy, heavyBoxes}, {diagnosis.Worked, workedBoxes},
			{diagnosis.Warm, warmBoxes}, {diagnosis.Worn, wornBoxes}} {
			if r.Float64() < row.share && (pushIns || row.condition != diagnosis.PushIn) {
				k.Boxes[box.ID] = append(k.Boxes[box.ID], row.condition)
			}
		}
	}
	return k
}

// Draw draws a case whose faults a plug tester would show somewhere.
func Draw(seed uint64) (*Case, error) {
	r := rand.New(rand.NewPCG(seed, 77))
	return draws(r, r.Float64() < shareOfApart)
}

// DrawApart draws one without regard to the diagnosis' own weights.
func DrawApart(seed uint64) (*Case, error) {
	return draws(rand.New(rand.NewPCG(seed, 79)), true)
}

func draws(r *rand.Rand, apartFromWeights bool) (*Case, error) {
	n := 1
	if r.Float64() < shareOfTwo {
		n = 2
	}
	for {
		k := &Case{Circuit: draw.Circuit(r, draw.Options{Boxes: 3 + r.IntN(7), Plain: true})}
		k.Conditions = conditions(r, k.Circuit)
		if apartFromWeights {
			k.Faults = drawApart(r, k.Circuit, k.Conditions, n)
		} else {
			engine, err := diagnosis.NewEngine(k.Circuit, k.settings())
			if err != nil {
				return nil, err
			}
			for range n {
				k.Faults = append(k.Faults, engine.Sample(r.Float64())...)
			}
		}
		if !k.inBoxes() {
			continue
		}
		complaints, err := k.complaints()
		if err != nil {
			return nil, err
		}
		for _, shown := range complaints {
			k.Start = append(k.Start, shown[r.IntN(len(shown))])
		}
		if len(k.Start) > 0 {
			k.hide(r)
			return k, nil
		}
	}
}

// settings are the usual ones, with the conditions of the place.
func (k *Case) settings() diagnosis.Settings {
	settings := diagnosis.Defaults()
	settings.Conditions = k.Conditions
	return settings
}

// complaints lists for each fault the outlets at which it shows by itself and
// with all the others; nothing where one of them would not be complained of.
func (k *Case) complaints() ([][]circuit.Outlet, error) {
	all, err := k.symptoms()
	if err != nil {
		return nil, err
	}
	var complaints [][]circuit.Outlet
	for i := range k.Faults {
		alone := &Case{Circuit: k.Circuit, Faults: k.Faults[i : i+1]}
		shown, err := alone.symptoms()
		if err != nil {
			return nil, err
		}
		shown = slices.DeleteFunc(shown, func(o circuit.Outlet) bool { return !slices.Contains(all, o) })
		if len(shown) == 0 {
			return nil, nil
		}
		complaints = append(complaints, shown)
	}
	return complaints, nil
}

// inBoxes leaves out what no open box shows, and the same box twice at one place.
func (k *Case) inBoxes() bool {
	for i := range k.Faults {
		// Nor what the phone call would have mended.
		if k.Circuit.Cable(k.site(i)) != nil || k.Faults[i].Kind == circuit.BreakerAt {
			return false
		}
	}
	return len(k.Faults) < 2 || k.Faults[0].At != k.Faults[1].At
}

func (k *Case) site(i int) string { return fault.Site(k.Circuit, k.Faults[i:]) }

// symptoms lists the outlets at which lamps differ from a sound circuit's.
func (k *Case) symptoms() ([]circuit.Outlet, error) {
	bench, err := tester.NewBench(k.Circuit)
	if err != nil {
		return nil, err
	}
	show := func(faults []circuit.Fault) (map[circuit.Outlet]tester.Lamps, error) {
		condition, err := bench.Try(faults)
		if err != nil {
			return nil, err
		}
		shown := map[circuit.Outlet]tester.Lamps{}
		for _, o := range bench.Outlets() {
			if r, err := condition.Read(o, tester.Plug, ""); err == nil {
				shown[o] = *r.Lamps
			}
		}
		return shown, nil
	}
	sound, err := show(nil)
	if err != nil {
		return nil, err
	}
	is, err := show(k.Faults)
	if err != nil {
		return nil, err
	}
	var outlets []circuit.Outlet
	for _, o := range bench.Outlets() {
		if is[o] != sound[o] {
			outlets = append(outlets, o)
		}
	}
	return outlets, nil
}

// A Call is the probability that a box to be opened was given, and whether
// something was wrong there.
type Call struct {
	Probability float64
	Right       bool
}

// An Outcome is how one case went.
type Outcome struct {
	Minutes, Walk, Bound float64
	Boxes, WalkBoxes     int
	FirstRight           bool // the first box opened was a faulty one
	FirstNear            bool // or the other end of a faulty cable
	LiveYokes            int  // devices whose metal was live
	Unlisted             int  // of those, never listed as a danger
	Calls                []Call
}

// A Source shows what a tester shows on the circuit with the faults it names.
type Source func(c *circuit.Circuit, o circuit.Outlet, tool tester.Tool, mode tester.Mode, between *[2]string) (tester.Reading, error)

// simulated is the product's own source.
func simulated(c *circuit.Circuit, o circuit.Outlet, tool tester.Tool, mode tester.Mode, between *[2]string) (tester.Reading, error) {
	bench, err := tester.NewBench(c)
	if err != nil {
		return tester.Reading{}, err
	}
	condition, err := bench.Try(c.Faults)
	if err != nil {
		return tester.Reading{}, err
	}
	if between != nil {
		return condition.ReadPoints(tool, mode, between[:]...)
	}
	return condition.Read(o, tool, mode)
}

// Solve lets a simulated electrician follow what is proposed. Readings are
// misread as the error model says.
func (k *Case) Solve(seed uint64) (Outcome, error) { return k.SolveWith(seed, simulated) }

// SolveWith is Solve with readings from another source.
func (k *Case) SolveWith(seed uint64, source Source) (Outcome, error) {
	settings := k.settings()
	engine, err := diagnosis.NewEngine(k.Circuit, settings)
	if err != nil {
		return Outcome{}, err
	}
	out := k.byTheRule(settings.Minutes)
	s := electrician{k: k, source: source, settings: settings, r: rand.New(rand.NewPCG(seed, 78)), left: slices.Clone(k.Faults)}
	if err := s.phone(); err != nil {
		return Outcome{}, err
	}
	live, err := k.liveYokes()
	if err != nil {
		return Outcome{}, err
	}
	out.LiveYokes, out.Unlisted = len(live), len(live)
	for range maxSteps {
		result, err := engine.Diagnose(s.readings)
		if err != nil {
			return Outcome{}, err
		}
		live = slices.DeleteFunc(live, func(device string) bool {
			return slices.ContainsFunc(result.Hidden, func(d diagnosis.Danger) bool { return d.Name == diagnosis.LiveGroundPin && d.At == device })
		})
		out.Unlisted = len(live)
		if handsOver(result) {
			if len(s.left) > 0 {
				out.Minutes = s.minutes + comeBack + k.restByTheRule(s.left, settings.Minutes)
			}
			return out, nil
		}
		next, ok := s.choose(result)
		if !ok {
			break
		}
		if next.Do == diagnosis.DoReading {
			err = s.take(next)
		} else {
			s.open(next, result, &out)
		}
		if err != nil {
			return Outcome{}, err
		}
		if len(s.left) == 0 && out.Minutes == 0 {
			out.Minutes = s.minutes // what is done to make sure is on the rule's bill as well, so on neither's
		}
	}
	if len(s.left) > 0 {
		out.Minutes = s.minutes + k.restByTheRule(s.left, settings.Minutes) // it did not come to an end
	}
	return out, nil
}

// liveYokes lists the devices whose metal the faults make live.
func (k *Case) liveYokes() ([]string, error) {
	bench, err := tester.NewBench(k.Circuit)
	if err != nil {
		return nil, err
	}
	condition, err := bench.Try(slices.Concat(k.Faults, k.Hidden))
	if err != nil {
		return nil, err
	}
	var live []string
	for _, o := range bench.Outlets() {
		if o.Half == circuit.Top && condition.LiveYoke(o) {
			live = append(live, o.Device)
		}
	}
	return live, nil
}

// convinced is the probability that nothing is wrong any more at which the
// electrician hands over, once all that was wrong is read again; comeBack is
// what it costs, in minutes, when something is. Assumption.
const (
	convinced = 0.9
	comeBack  = 45
)

func handsOver(r *diagnosis.Result) bool {
	if len(r.Next) > 0 && r.Next[0].Again {
		return false
	}
	return slices.ContainsFunc(r.Suspects, func(s diagnosis.Suspect) bool { return len(s.Faults) == 0 && s.Probability >= convinced })
}

// restByTheRule is what finding the rest by the plain rule takes.
func (k *Case) restByTheRule(left []circuit.Fault, m diagnosis.Minutes) float64 {
	rest := &Case{Circuit: k.Circuit, Faults: left}
	return rest.byTheRule(m).Walk
}

// electrician is the simulated one.
type electrician struct {
	k        *Case
	source   Source
	settings diagnosis.Settings
	r        *rand.Rand
	readings []tester.Reading
	left     []circuit.Fault // still wrong
	opened   []string
	minutes  float64
}

// known is the share of outlets of which the customer can say, beside those
// complained of, whether they work. Assumption.
const known = 1.0 / 3

// phone asks the customer before driving: the breaker off and on, and which
// outlets are dead; what an inspector's tester showed comes with the complaint. The rule it is compared with knows all outlets that show
// something.
func (s *electrician) phone() error {
	bench, err := tester.NewBench(s.k.Circuit)
	if err != nil {
		return err
	}
	condition, err := bench.Try(s.left)
	if err != nil {
		return err
	}
	answer := tester.NothingChanged
	if slices.Contains(condition.Tripped, circuit.Panel) {
		answer = tester.WillNotHold
	}
	s.readings = append(s.readings, tester.Reading{Tool: tester.Told, Asked: tester.CycleBreaker, Answer: answer})
	for _, o := range bench.Outlets() {
		if s.r.Float64() >= known && !slices.Contains(s.k.Start, o) {
			continue
		}
		lamp, err := s.source(s.now(), o, tester.Lamp, "", nil)
		if err != nil {
			return err
		}
		runs := lamp.Glow == tester.Bright || lamp.Glow == tester.Over
		if runs && slices.Contains(s.k.Start, o) && o.HasGround {
			// Nobody complains of an outlet that works unless someone has put a tester on it.
			shown, err := s.source(s.now(), o, tester.Plug, "", nil)
			if err != nil {
				return err
			}
			s.misread(&shown)
			s.readings = append(s.readings, shown)
			continue
		}
		works := runs != (s.r.Float64() < s.settings.Errors.ToldOutlet)
		s.readings = append(s.readings, tester.Reading{Tool: tester.Told, At: o.Device, Half: o.Half, Works: &works})
	}
	return nil
}

// choose takes what is proposed first, and opens no box a third time.
func (s *electrician) choose(result *diagnosis.Result) (diagnosis.Test, bool) {
	for _, t := range result.Next {
		if t.Do == diagnosis.DoReading || t.Do == diagnosis.DoOpen && strings.Count(strings.Join(s.opened, " ")+" ", t.Site+" ") < 2 {
			return t, true
		}
	}
	for _, site := range result.Sites {
		if !slices.Contains(s.opened, site.Site) && s.k.Circuit.Cable(site.Site) == nil {
			return diagnosis.Test{Do: diagnosis.DoOpen, Site: site.Site, Minutes: s.settings.Minutes.Open + s.settings.Minutes.Walk}, true
		}
	}
	return diagnosis.Test{}, false
}

func (s *electrician) take(t diagnosis.Test) error {
	o, ok := outlet(s.k.Circuit, t.At, t.Half)
	if !ok {
		return fmt.Errorf("%s, %s half: no such outlet", t.At, t.Half)
	}
	if t.Tool == tester.Plug && !o.HasGround {
		t.Tool, t.Mode = tester.Meter, tester.HighZ
	}
	reading, err := s.source(s.now(), o, t.Tool, t.Mode, t.Between)
	if err != nil {
		return err
	}
	reading.Tripped = nil
	s.misread(&reading)
	s.minutes += t.Minutes
	s.readings = append(s.readings, reading)
	return nil
}

// now is the circuit with what is still wrong.
func (s *electrician) now() *circuit.Circuit {
	c := s.k.Circuit.Clone()
	c.Faults = slices.Concat(s.left, s.k.Hidden)
	return c
}

func outlet(c *circuit.Circuit, device string, half circuit.Half) (circuit.Outlet, bool) {
	w, err := circuit.Wire(c)
	if err != nil {
		return circuit.Outlet{}, false
	}
	return w.Outlet(device, half)
}

// misread blurs the reading as the error model says.
func (s *electrician) misread(r *tester.Reading) {
	e := s.settings.Errors
	switch r.Tool {
	case tester.Plug:
		for _, lamp := range []*tester.Lit{&r.Lamps.HotNeutral, &r.Lamps.HotGround, &r.Lamps.NeutralGround} {
			if s.r.Float64() < e.Lamp {
				*lamp = map[tester.Lit]tester.Lit{tester.IsLit: tester.IsDark, tester.IsDark: tester.IsLit}[*lamp]
			}
		}
	case tester.Ohms:
		if !r.Reads.Open {
			r.Reads.Value = math.Max(0, r.Reads.Value+s.r.NormFloat64()*(e.OhmsShare*r.Reads.Value+e.OhmsPlus)/2)
		}
	case tester.Meter:
		for _, v := range r.Volts.All() {
			if v != nil {
				*v = math.Max(0, *v+s.r.NormFloat64()*(e.VoltsShare**v+e.VoltsPlus)/2)
			}
		}
	case tester.Sensor:
		for _, level := range []*tester.Level{&r.Slots.Hot, &r.Slots.Neutral, &r.Slots.Ground} {
			if *level != "" && s.r.Float64() < e.Slot {
				*level = tester.Faint
			}
		}
	}
}

// open looks into a box, dead, and puts right what is wrong there.
func (s *electrician) open(t diagnosis.Test, result *diagnosis.Result, out *Outcome) {
	s.minutes += t.Minutes
	s.opened = append(s.opened, t.Site)
	out.Boxes++
	var here, rest []circuit.Fault
	for i, f := range s.left {
		if fault.Site(s.k.Circuit, s.left[i:]) == t.Site {
			here = append(here, f)
		} else {
			rest = append(rest, f)
		}
	}
	if out.Boxes == 1 {
		out.FirstRight = len(here) > 0
		out.FirstNear = out.FirstRight || s.k.otherEnd(t.Site)
	}
	i := slices.IndexFunc(result.Sites, func(site diagnosis.Site) bool { return site.Site == t.Site })
	if i >= 0 {
		out.Calls = append(out.Calls, Call{result.Sites[i].Probability, len(here) > 0})
	}
	s.readings = append(s.readings, tester.Reading{Tool: tester.Eyes, Site: t.Site, Found: &tester.Found{Faults: here}})
	if len(here) > 0 {
		s.readings = append(s.readings, tester.Reading{Tool: tester.Fixed, Faults: here})
	}
	s.left = rest
}

// otherEnd reports whether the site is at the other end of a cable at whose
// end something is wrong.
func (k *Case) otherEnd(site string) bool {
	for i, f := range k.Faults {
		id, _, atEnd := strings.Cut(f.At, "@")
		cable := k.Circuit.Cable(id)
		if !atEnd || cable == nil {
			// On a device's own terminal or in a splice: the feed's other end looks the same.
			cable = k.Circuit.LineCable(k.site(i))
		}
		if cable != nil && (cable.From == site || cable.To == site) {
			return true
		}
	}
	return false
}

// byTheRule is the trade's plain rule on the case: open the last box that shows
// something, then box by box upstream to the panel; what is left is looked for
// from the next such box. Finding out which boxes those are is not counted,
// which favours the rule. The bound opens only the right boxes, at once.
func (k *Case) byTheRule(m diagnosis.Minutes) Outcome {
	var out Outcome
	cost := func(site string) float64 {
		if site == circuit.Panel {
			return m.Open + m.ToPanel
		}
		return m.Open + m.Walk
	}
	wrong := map[string]bool{}
	for i := range k.Faults {
		if !wrong[k.site(i)] {
			wrong[k.site(i)] = true
			out.Bound += cost(k.site(i))
		}
	}
	shown, _ := k.symptoms() // solved when the case was drawn
	at := func(v circuit.Device) bool {
		return slices.ContainsFunc(shown, func(o circuit.Outlet) bool { return o.Device == v.ID })
	}
	order := k.Circuit.Order()
	var starts []string
	for _, id := range slices.Backward(order) {
		if slices.ContainsFunc(k.Circuit.Box(id).Devices, at) {
			starts = append(starts, id)
		}
	}
	var route []string
	for _, start := range append(starts, order...) {
		route = append(route, k.Circuit.Upstream(start)...)
		route = append(route, circuit.Panel)
	}
	opened := map[string]bool{}
	for _, site := range route {
		if opened[site] {
			continue
		}
		opened[site] = true
		out.Walk += cost(site)
		out.WalkBoxes++
		if delete(wrong, site); len(wrong) == 0 {
			break
		}
	}
	return out
}
