package diagnosis

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/fault"
	"elvat/core/tester"
)

// Things a test can be.
const (
	DoReading = "reading"
	DoOpen    = "open" // a box, dead
	// DoSeparate takes a cable's end apart and caps it, then reads with power on:
	// only for a qualified person, and only where nothing safer helps.
	DoSeparate = "separate"
	// DoAsk is a question to the customer.
	DoAsk = "ask"
	// DoAct is something done that settles what nobody recorded, or resets a trip.
	DoAct = "act"
	// DoFix is putting right what was found.
	DoFix = "fix"
	// DoPowerOff is the breaker, or the main, off now: something may be live that
	// people touch, or the voltage is too high.
	DoPowerOff = "power-off"
	// DoDone: nothing is left to look for; hand over, with what stays unexcluded.
	DoDone = "done"
)

// A Test is something to do next.
type Test struct {
	Do    string          `json:"do"`
	At    string          `json:"at,omitempty"` // a device
	Half  circuit.Half    `json:"half,omitempty"`
	Tool  tester.Tool     `json:"tool,omitempty"`
	Mode  tester.Mode     `json:"mode,omitempty"`
	Site  string          `json:"site,omitempty"`
	Asked tester.Question `json:"asked,omitempty"`
	// Act is what is done; At and Half then say where it is read again.
	Act tester.ActName `json:"act,omitempty"`
	// Hint is a look from outside at the box of Site.
	Hint tester.HintName `json:"hint,omitempty"`
	// Faults are what is to be put right at Site.
	Faults []circuit.Fault `json:"faults,omitempty"`
	// Pairs are those to measure, of tester.VoltNames; all where there are none.
	Pairs []string `json:"pairs,omitempty"`
	// Dead are the devices that read dead and that an act may bring back.
	Dead []string `json:"dead,omitempty"`
	// Trips names the GFCIs that taking it is likely to trip.
	Trips []string `json:"trips,omitempty"`
	// Caution is what can hurt while it is taken, as far as the model knows; empty
	// where nothing can.
	Caution string `json:"caution,omitempty"`
	// Grave: what may be wrong makes it likely enough to stand out.
	Grave bool `json:"grave,omitempty"`
	// Separated is the cable end taken apart for the reading.
	Separated string `json:"separated,omitempty"`
	// Between are the points a dead ohmmeter is put on.
	Between  *[2]string `json:"between,omitempty"`
	GainBits float64    `json:"gainBits"`
	Minutes  float64    `json:"minutes"`
	Say      string     `json:"say"` // what to do, in words
	Why      string     `json:"why"`
	// Finds is what could be found in a box that is opened, likeliest first.
	Finds []Find `json:"finds,omitempty"`

	// Outcomes are what it can turn out as, likeliest first, and what each would mean.
	Outcomes []Outcome `json:"outcomes,omitempty"`
	// Again: it was wrong before something was put right, and was not read since.
	Again bool `json:"again,omitempty"`
	// Ahead is how many minutes are expected to be spent on top of opening the
	// faulty box itself when this is done next.
	Ahead float64 `json:"ahead"`

	remedy    string      // where something is put right by it: a box, the panel, or an act
	unplugged bool        // taken with everything unplugged
	here      float64     // the probability that it is put right there
	sure      bool        // it is rather there than not, however little is learned by looking
	mapWords  []string    // of a test of the order: what can be seen
	stage     *stage      // of a reading: what it is taken on
	seen      [][]float64 // of a reading: by cause, the probability of it and of each thing that can be seen
}

const (
	// worthBits is the least a test must be expected to tell. Assumption.
	worthBits = 0.01
	// keepTests bounds the list.
	keepTests = 12
	// negligible hypotheses do not decide what to test.
	negligible = 1e-4
)

// cause is what a test should part: a name of fault at a site, whatever the
// particular resistance or contact.
type cause struct {
	name, site string
	sites      []string
	remedies   []string
	members    []int
	p          float64
	way        int // which of the ways the circuit could run
}

// decides reports whether the hypothesis is likely enough to decide what to
// test; for a pair, that is also to be worth working out everywhere.
func (w *weighed) decides(h int) bool {
	if h >= w.e.singles {
		return w.probability[h] >= likelyPair
	}
	return w.probability[h] >= negligible
}

// alive is the probability from which a hypothesis is worth predicting. Assumption.
const alive = 1e-5

// at is what the hypotheses that are alive show at the outlet.
func (w *weighed) at(s *stage, outlet int) []shown {
	w.see(s, []int{outlet})
	return s.shown[outlet]
}

// seeLeft works out what is left of those that are alive shows at the outlet.
func (w *weighed) seeLeft(s *stage, outlet int, left []int) {
	var all []int
	for _, h := range w.order {
		if w.probability[h] >= alive {
			all = append(all, left[h])
		}
	}
	s.extend(len(w.e.hypotheses))
	s.predict([]int{outlet}, all)
}

// see works out what those that are alive show at the outlets.
func (w *weighed) see(s *stage, outlets []int) {
	s.extend(len(w.e.hypotheses))
	var all []int
	for _, h := range w.order {
		if w.counts(h) {
			all = append(all, h)
		}
	}
	s.predict(outlets, all)
}

// counts reports whether the hypothesis is alive: what was predicted of others,
// for another question, must not matter.
func (w *weighed) counts(h int) bool {
	return h < len(w.probability) && w.probability[h] >= alive && (h < w.e.singles || w.decides(h))
}

func (w *weighed) causes() []cause {
	if w.causeList == nil {
		w.causeList = w.listCauses()
	}
	return w.causeList
}

func (w *weighed) listCauses() []cause {
	index := map[[2]string]int{}
	var all []cause
	for _, h := range w.order {
		hyp := &w.e.hypotheses[h]
		if !w.decides(h) {
			continue
		}
		if hyp.sound() {
			hyp = &w.e.hypotheses[healthy]
		}
		key := [2]string{hyp.name, strings.Join(hyp.sites, " ")}
		i, ok := index[key]
		if !ok {
			i = len(all)
			index[key] = i
			all = append(all, cause{name: hyp.name, site: hyp.site, sites: hyp.sites, remedies: w.e.remediesOf(h)})
		}
		all[i].members = append(all[i].members, h)
		all[i].p += w.probability[h]
	}
	slices.SortStableFunc(all, func(a, b cause) int { return cmp.Compare(b.p, a.p) })
	for i := range all {
		if all[i].p < likelyCause && i > 0 {
			return all[:i]
		}
	}
	return all
}

// next lists what to do, first what is to be done first. It is never empty:
// what was found is put right, a danger comes before all else, and where nothing
// is left to look for it says so.
func (w *weighed) next(r *Result) []Test {
	off := w.powerOff(r.Hidden)
	if fixes := w.fixes(); len(fixes) > 0 {
		return append(off, fixes...)
	}
	if len(off) > 0 {
		// No live test is proposed: what follows is done dead.
		dead := w.rank(w.openings(), w.causes(), w.shows)
		if len(dead) == 0 {
			dead = w.lastResort(r)
		}
		live := func(t Test) bool { return t.Do == DoReading && t.Tool != tester.Ohms }
		return append(off, slices.DeleteFunc(dead, live)...)
	}
	tests, causes := w.candidates()
	if w.e.settings.Qualified && !w.readingHelps(tests, causes) {
		tests = append(tests, w.separations(causes)...)
	}
	tests = w.rank(tests, causes, w.shows)
	if r.Settled {
		tests = w.atSite(tests, r.leadingSite())
	}
	return w.finish(w.front(tests, causes, r), r)
}

// atSite keeps what puts right what is at the site, where anything does.
func (w *weighed) atSite(tests []Test, site string) []Test {
	helps := map[string]bool{site: true}
	for _, h := range w.order {
		if w.probability[h] >= likelyCause && slices.Contains(w.e.hypotheses[h].sites, site) {
			for _, remedy := range w.e.remediesOf(h) {
				helps[remedy] = true
			}
		}
	}
	at := slices.DeleteFunc(slices.Clone(tests), func(t Test) bool { return t.remedy == "" || !helps[t.remedy] })
	if len(at) == 0 {
		return tests
	}
	return at
}

// unplugFirst is the probability of something plugged in that nobody recorded
// from which all is unplugged before anything else. Assumption.
const unplugFirst = 0.2

// likelyPlugged is the probability from which unplugging comes even before the
// sensor: then it alone is what makes the pin look live. Assumption.
const likelyPlugged = 0.5

// front puts before all others what the trade does first: exclude a danger that
// a reading points at, and unplug everything where that alone may explain it.
func (w *weighed) front(tests []Test, causes []cause, r *Result) []Test {
	if !w.powered() {
		return tests
	}
	var first []Test
	for _, d := range r.Hidden {
		if d.Name == LiveGroundPin && d.Urgent && !d.Shown {
			if t, ok := w.exclude(d, causes); ok {
				first = append(first, t)
			}
			break
		}
	}
	if plugged := w.plugged(); plugged >= unplugFirst && len(w.readings) > 0 {
		if t, ok := w.unplug(causes); ok && t.GainBits >= batchBits {
			w.tellOutcomes(&t, causes, w.shows)
			if len(first) > 0 {
				t.Grave = true
				t.Caution = "A ground pin may be live: pull plugs by their insulated body, touch no metal case and no plate."
			}
			if plugged >= likelyPlugged {
				first = append([]Test{t}, first...)
			} else {
				first = append(first, t)
			}
		}
	}
	if len(first) == 0 {
		if live := w.uncleared(tester.Sensor); len(live) > 0 {
			first = live
		}
	}
	tests = w.resetsFirst(tests)
	return append(first, except(tests, first)...)
}

// except are the tests but those that are named already.
func except(tests, named []Test) []Test {
	return slices.DeleteFunc(slices.Clone(tests), func(t Test) bool {
		return slices.ContainsFunc(named, func(n Test) bool { return n.key() == t.key() })
	})
}

// beforeBoxes are the probabilities from which an act that opens nothing comes
// before any box is opened, by its cost: a reset, a switch, all GFCIs of the
// house. Assumption.
var beforeBoxes = map[tester.ActName]float64{
	tester.Reset:        0.03,
	tester.SwitchesOn:   0.04,
	tester.ResetBreaker: 0.1,
	tester.AllGFCIs:     0.13,
}

// resetsFirst puts resets and switches before screwdrivers: where a box would be
// opened next, or looked at from outside to choose the box, what may settle it
// without opening any comes before.
func (w *weighed) resetsFirst(tests []Test) []Test {
	if len(tests) == 0 || tests[0].Do != DoOpen && tests[0].Hint == "" {
		return tests
	}
	before := func(t Test) bool {
		from, is := beforeBoxes[t.Act]
		return t.Do == DoAct && t.remedy != "" && is && t.here >= from
	}
	acts := slices.DeleteFunc(slices.Clone(tests), func(t Test) bool { return !before(t) })
	return append(acts, slices.DeleteFunc(slices.Clone(tests), before)...)
}

// exclude is the reading that excludes a danger.
func (w *weighed) exclude(d Danger, causes []cause) (Test, bool) {
	o := w.now.outlet(d.At, circuit.Top)
	if o < 0 || d.Tool == "" || d.Between != nil {
		return Test{}, false
	}
	t := Test{Do: DoReading, At: d.At, Half: circuit.Top, Tool: d.Tool, Mode: ""}
	if d.Tool == tester.Meter {
		t.Mode = tester.HighZ
	}
	if w.skipped(&t) || w.taken(&t) {
		return Test{}, false
	}
	t.Minutes = w.minutesOf(&t) + w.walk(d.At)
	w.expect(&t, w.now, o, causes)
	t.Why = "It excludes a live ground pin there, or shows it: plug nothing in before. " + t.Why
	w.tellOutcomes(&t, causes, w.shows)
	return t, true
}

// powerOff comes first where a reading shows metal that people touch live, or a
// voltage that is too high.
func (w *weighed) powerOff(dangers []Danger) []Test {
	for _, d := range dangers {
		if !d.Shown || d.Name != LiveGroundPin && d.Name != OverVoltage {
			continue
		}
		t := Test{
			Do:      DoPowerOff,
			At:      d.At,
			Site:    circuit.Panel,
			Minutes: w.e.settings.Minutes.ToPanel,
			Why:     d.Why,
			Caution: d.Why,
		}
		t.Say = "Breaker off now, and keep everybody away from what is plugged in and from plates"
		if d.Name == OverVoltage {
			t.Say = d.Do
		}
		return []Test{t}
	}
	return nil
}

// fixes are what was found and waits to be put right.
func (w *weighed) fixes() []Test {
	var tests []Test
	bySite := map[string]int{}
	for i, f := range w.line.found {
		site := fault.Site(w.e.circuit, w.line.found[i:])
		n, known := bySite[site]
		if !known {
			n = len(tests)
			bySite[site] = n
			tests = append(tests, Test{Do: DoFix, Site: site, remedy: site})
		}
		tests[n].Faults = append(tests[n].Faults, f)
	}
	for i := range tests {
		t := &tests[i]
		what := fault.Name(w.e.circuit, t.Faults) + " " + w.e.placeOf(t.Faults)
		t.Say = "Put right: " + what
		t.Why = "It was found there. Make up the box, then read again what was wrong."
	}
	return tests
}

// skipped reports whether the test was asked for and not taken.
func (w *weighed) skipped(t *Test) bool {
	return slices.ContainsFunc(w.line.skipped, func(r tester.Reading) bool {
		switch {
		case t.Do == DoOpen:
			return r.Tool == tester.Eyes && r.Site == t.Site
		case t.Act != "":
			return r.Tool == tester.Act && r.Act == t.Act && (t.Act != tester.Reset && t.Act != tester.FindBox || r.At == t.At)
		case t.Hint != "":
			return r.Tool == tester.Hint && r.Hint == t.Hint && r.Site == t.Site
		default:
			if t.Between != nil || r.Between != nil {
				return r.Tool == t.Tool && t.Between != nil && r.Between != nil && *t.Between == *r.Between
			}
			return r.Tool == t.Tool && r.At == t.At && r.Mode == t.Mode && (r.Half == t.Half || r.Half == "") && r.Tool != ""
		}
	})
}

// taken reports whether the reading was taken in this state already, with
// everything that is asked for.
func (w *weighed) taken(t *Test) bool {
	return slices.ContainsFunc(w.line.all, func(v evidence) bool {
		r := v.reading
		if t.Between != nil || r.Between != nil {
			return v.epoch == w.line.epoch && t.Tool == r.Tool && t.Between != nil && r.Between != nil &&
				*t.Between == *r.Between &&
				!r.Doubtful
		}
		if v.epoch != w.line.epoch && v.epoch != -1-w.line.fixes || r.Tool != t.Tool || r.At != t.At || r.Mode != t.Mode ||
			r.Hint != t.Hint ||
			r.Site != t.Site ||
			r.Doubtful {
			return false
		}
		if t.Tool != tester.DeviceButton && r.Half != t.Half {
			return false
		}
		if r.Tool == tester.Sensor && r.Slots != nil {
			return r.Slots.Hot != "" && r.Slots.Neutral != ""
		}
		if r.Tool == tester.Plug && r.Lamps != nil {
			return !slices.Contains(slices.Collect(lampValues(*r.Lamps)), "")
		}
		if r.Tool == tester.Meter && r.Volts != nil {
			return len(t.Pairs) > 0 || r.Volts.HotNeutral != nil && (r.Volts.HotGround != nil || r.Volts.HotEarth != nil)
		}
		return true
	})
}

func lampValues(l tester.Lamps) func(func(tester.Lit) bool) {
	return func(yield func(tester.Lit) bool) {
		for _, lit := range l.All() {
			if !yield(lit) {
				return
			}
		}
	}
}

// powered reports whether the breaker is on as things stand.
func (w *weighed) powered() bool { return w.now.bench.Model.Wired.Circuit.Breaker.On }

// tools are those carried, and those that were used already.
func (w *weighed) tools() []tester.Tool {
	all := slices.Clone(w.e.settings.Tools)
	for i := range w.readings {
		if tool := w.readings[i].Tool; slices.Contains(tester.AtOutlets, tool) && !slices.Contains(all, tool) {
			all = append(all, tool)
		}
	}
	return all
}

// candidates lists what can be done, with what each is expected to show of the
// causes that are left.
func (w *weighed) candidates() ([]Test, []cause) {
	causes, stage := w.causes(), w.now
	tests := []Test{}
	var kept, at []int // those whose predictions are kept; the outlet of each
	outlets := w.worthReading(stage)
	w.see(stage, outlets)
	if !w.powered() {
		return append(tests, w.openings()...), causes // nothing is to be read on a dead circuit
	}
	for _, o := range outlets {
		outlet := stage.bench.Outlets()[o]
		for _, tool := range w.tools() {
			if !w.permitted(stage, o, tool) || tool == tester.Analyzer && !w.pointsToHeat() {
				continue
			}
			modes := []tester.Mode{""}
			if tool == tester.Meter {
				modes = []tester.Mode{tester.HighZ, tester.LowZ}
			}
			for _, mode := range modes {
				t := Test{Do: DoReading, At: outlet.Device, Half: outlet.Half, Tool: tool, Mode: mode}
				if mode == tester.LowZ {
					t.Pairs = tester.VoltNames[:1] // it draws 40 mA: none of that to ground
				}
				if w.taken(&t) || w.skipped(&t) || loads(tool, mode) && !w.felt(outlet.Device) {
					continue
				}
				t.Minutes = w.minutesOf(&t) + w.walk(outlet.Device)
				if !keptAtOutlet(tool) {
					w.expect(&t, stage, o, causes) // it puts the tester on anew
				} else {
					w.outcomes(&t, stage, o)
					kept = append(kept, len(tests))
				}
				at = append(at, o)
				tests = append(tests, t)
			}
		}
		dead := w.dead(stage, o, causes)
		tests = append(tests, dead...)
		at = append(at, make([]int, len(dead))...)
	}
	inParallel(len(kept), func() func(i int) {
		return func(i int) { w.expect(&tests[kept[i]], stage, at[kept[i]], causes) }
	})
	tests = append(tests, w.actTests()...)
	if t, ok := w.unplug(causes); ok {
		tests = append(tests, t)
	}
	tests = append(tests, w.hintTests(causes)...)
	return append(tests, w.openings()...), causes
}

// keptAtOutlet reports whether what the tester shows is kept by outlet.
func keptAtOutlet(tool tester.Tool) bool {
	return tool == tester.Plug || tool == tester.Meter || tool == tester.Sensor || tool == tester.Lamp
}

// loads reports whether the tester draws more than a person should feel, were
// the metal there joined to what it loads.
func loads(tool tester.Tool, mode tester.Mode) bool {
	return tool == tester.Lamp || tool == tester.Meter && mode == tester.LowZ
}

// felt reports whether a tester that draws next to nothing was put on the device
// before, or a ground is drawn to arrive there: where none may, a test lamp or a
// low impedance is never the first, for a neutral that is lost and joined to the
// metal would carry its current.
func (w *weighed) felt(device string) bool {
	if g := w.e.settings.Conditions.Ground; w.e.circuit.GroundArrives(w.boxOf(device)) && g != GroundUnknown &&
		g != GroundNone {
		return true
	}
	return slices.ContainsFunc(w.readings, func(r tester.Reading) bool {
		return r.At == device &&
			(r.Tool == tester.Plug || r.Tool == tester.Sensor || r.Tool == tester.Meter && r.Mode == tester.HighZ)
	})
}

// leastOfHalf is the probability of something that tells the halves of a device
// apart from which the second is worth reading. Assumption.
const leastOfHalf = 0.003

// worthReading are the outlets that a reading may be proposed at: of each device
// the first half, and the second where something may tell them apart.
func (w *weighed) worthReading(s *stage) []int {
	apart := map[string]float64{}
	for _, h := range w.order {
		p := w.probability[h]
		if p < alive {
			continue
		}
		for _, f := range w.e.hypotheses[h].faults {
			if device, rest, ok := strings.Cut(f.At, "."); ok &&
				(strings.HasPrefix(rest, "top.") || strings.HasPrefix(rest, "bottom.") || strings.HasPrefix(rest, "tab.") || strings.HasSuffix(rest, ".2")) {
				apart[device] += p
			}
		}
		for _, u := range w.e.hypotheses[h].beside {
			if u.Kind == Switched && u.Half != "" {
				apart[u.At] += p
			}
		}
	}
	var outlets []int
	for o, outlet := range s.bench.Outlets() {
		v, _ := w.e.circuit.Device(outlet.Device)
		removed := v.Tab.Hot == circuit.TabRemoved || v.Tab.Neutral == circuit.TabRemoved
		if outlet.Half == circuit.Top || removed || apart[outlet.Device] >= leastOfHalf {
			outlets = append(outlets, o)
		}
	}
	return outlets
}

// rank orders the tests by the minutes expected in the end, and says of the
// first of them what each outcome would mean, what it trips and what can hurt.
// Find looks up a hypothesis that shows a certain thing.
func (w *weighed) rank(tests []Test, causes []cause, find finder) []Test {
	again := w.again()
	for i := range tests {
		tests[i].Again = tests[i].Do == DoReading && again[asTaken(tests[i])]
	}
	tests = slices.DeleteFunc(tests, func(t Test) bool { return t.GainBits < worthBits && !t.Again && !t.sure })
	w.lookAhead(tests, causes)
	w.all, w.allCauses = tests, causes
	slices.SortStableFunc(tests, func(a, b Test) int {
		return cmp.Or(first(a.Again, b.Again), cmp.Compare(a.Ahead, b.Ahead))
	})
	tests = slices.Clone(tests[:min(len(tests), keepTests)])
	for i := range tests {
		w.tellOutcomes(&tests[i], causes, find)
		w.foresee(&tests[i])
	}
	return tests
}

// A taken is a tester on one half of a device.
type taken struct {
	at   string
	half circuit.Half
	tool tester.Tool
}

func asTaken(t Test) taken { return taken{t.At, t.Half, t.Tool} }

// again lists the readings that were wrong before something was put right and
// were not taken since: each is taken again before anything is said to be mended.
func (w *weighed) again() map[taken]bool {
	wrong := map[taken]bool{}
	for i := range w.readings {
		r := &w.readings[i]
		k := taken{r.At, r.Half, r.Tool}
		switch {
		case r.At == "":
		case i >= w.line.mendedAt:
			for other := range wrong {
				if other.at == k.at && other.half == k.half {
					delete(wrong, other)
				}
			}
		case !w.judged[i].fits(healthy, w.level):
			wrong[k] = true
		}
	}
	return wrong
}

// first orders what is so before what is not.
func first(a, b bool) int {
	switch {
	case a == b:
		return 0
	case a:
		return -1
	default:
		return 1
	}
}

// worthDead is the probability of a short from which an ohmmeter is thought of. Assumption.
const worthDead = 0.03

// dead proposes an ohmmeter between the slots of a dead outlet where there may
// be a short: the fewer ohms, the nearer it is.
func (w *weighed) dead(s *stage, outlet int, causes []cause) []Test {
	o := s.bench.Outlets()[outlet]
	if o.Half != circuit.Top || !slices.Contains(w.e.settings.Tools, tester.Meter) {
		return nil
	}
	short, leaks := 0.0, w.tripping()
	for h, seen := range w.at(s, outlet) {
		if w.counts(h) && seen.short {
			short += w.probability[h]
		}
	}
	if short < worthDead && leaks < worthDead {
		return nil
	}
	var tests []Test
	for _, pair := range circuit.Pairs {
		one, other := pair.Ends()
		if other == circuit.Ground && !o.HasGround || short < worthDead && other != circuit.Ground ||
			leaks < worthDead && one != circuit.Hot {
			continue
		}
		slot := o.Device + "." + string(o.Half) + "."
		t := Test{
			Do:      DoReading,
			At:      o.Device,
			Half:    o.Half,
			Tool:    tester.Ohms,
			Between: &[2]string{slot + string(one), slot + string(other)},
		}
		if w.taken(&t) || w.skipped(&t) {
			continue
		}
		t.Minutes = w.minutesOf(&t) + w.walk(o.Device)
		w.expect(&t, s, outlet, causes)
		tests = append(tests, t)
	}
	return tests
}

// tripping is the probability that something trips a GFCI by itself.
func (w *weighed) tripping() float64 {
	if w.trips == nil {
		p := 0.0
		for _, h := range w.likeliestFirst() {
			if c := w.now.settled(h); len(c.Tripped) > 0 && !slices.Contains(c.Tripped, circuit.Panel) {
				p += w.probability[h]
			}
		}
		w.trips = &p
	}
	return *w.trips
}

// minutesOf is how long a reading takes once there. The first with an ohmmeter
// takes going to the panel, to see the breaker off.
func (w *weighed) minutesOf(t *Test) float64 {
	if t.Do == DoSeparate {
		minutes := w.e.settings.Minutes.Separate + w.e.settings.Minutes.Tool[t.Tool]
		opened := func(r tester.Reading) bool { return r.Tool == tester.Eyes && r.Site == w.boxOf(t.At) }
		if !slices.ContainsFunc(w.readings, opened) {
			minutes += w.e.settings.Minutes.Open
		}
		return minutes
	}
	if t.Tool != tester.Ohms {
		return w.e.settings.Minutes.Tool[t.Tool]
	}
	minutes := w.e.settings.Minutes.Tool[tester.Meter]
	if !slices.ContainsFunc(w.readings, func(r tester.Reading) bool { return r.Tool == tester.Ohms }) {
		minutes += w.e.settings.Minutes.ToPanel
	}
	return minutes
}

// mostOpenGround is the probability of a missing ground up to which a plug
// tester's button may be pressed. Assumption.
const mostOpenGround = 0.02

// permitted reports whether the tool can be put on the outlet, and may be: with
// an open ground a plug tester's button puts over 100 V on all metal joined to
// the ground pin, and a device's own button is one per device.
func (w *weighed) permitted(s *stage, outlet int, tool tester.Tool) bool {
	o := s.bench.Outlets()[outlet]
	v, _ := w.e.circuit.Device(o.Device)
	switch tool {
	case tester.Plug:
		return o.HasGround && w.pin(o.Device) < tester.PinMayBeLive
	case tester.Analyzer:
		// Its second pulse goes to the ground: never where that may be open.
		return o.HasGround && w.pin(o.Device) < tester.PinMayBeLive && w.openGround(s, outlet) < mostOpenGround
	case tester.DeviceButton:
		return v.Kind == circuit.GFCI && o.Half == circuit.Top
	case tester.PlugButton:
		if !o.HasGround || !hasGuards(w.e.circuit) || w.pin(o.Device) >= tester.PinMayBeLive {
			return false
		}
		return w.openGround(s, outlet) < mostOpenGround
	default:
		return true
	}
}

// openGround is the probability that no ground arrives at the outlet.
func (w *weighed) openGround(s *stage, outlet int) float64 {
	open := w.unexplained
	for h, seen := range w.at(s, outlet) {
		if w.counts(h) && seen.low[hotGround] < grounded*seen.low[hotNeutral] {
			open += w.probability[h]
		}
	}
	return open
}

// pin is the worst that readings say of the ground pin there, unless one has
// excluded it since.
func (w *weighed) pin(device string) tester.GroundPin {
	verdict := tester.PinNotShown
	for _, r := range w.latest(device) {
		switch pin := r.GroundPin(tester.Default); pin {
		case tester.PinDead:
			return pin
		default:
			verdict = max(verdict, pin)
		}
	}
	return verdict
}

// latest are the readings at the device since something was last put right, of
// each tester on each half the last one.
func (w *weighed) latest(device string) []tester.Reading {
	var all []tester.Reading
	for _, r := range slices.Backward(w.since()) {
		later := func(l tester.Reading) bool {
			return l.Tool == r.Tool && l.Half == r.Half && l.Mode == r.Mode && !l.OnPoints()
		}
		if r.At == device && !r.Doubtful && !r.OnPoints() && !slices.ContainsFunc(all, later) {
			all = append(all, r)
		}
	}
	return all
}

// Places in tester.VoltNames, and the share of hot to neutral that hot to
// ground must reach for the ground to be there. Assumption.
const (
	hotNeutral    = 0
	hotGround     = 1
	neutralGround = 2
	grounded      = 0.9
)

// walk is what it costs to get there from where the last reading was taken.
func (w *weighed) walk(device string) float64 {
	if at := w.standsAt(); at != "" && at == w.boxOf(device) {
		return 0
	}
	return w.e.settings.Minutes.Walk
}

// expect fills in what the reading is expected to tell about the causes.
func (w *weighed) expect(t *Test, s *stage, outlet int, causes []cause) {
	// After an act, what is left of a hypothesis is what shows.
	var left []int
	if t.unplugged {
		left = w.e.leftOf(gone{loads: true})
		w.seeLeft(s, outlet, left)
	}
	kinds := w.outcomes(t, s, outlet)
	if left != nil {
		kinds = kinds.through(left)
	}
	kinds = kinds.among(causes)
	joint := make([][]float64, len(causes))
	predicted := make([]float64, kinds.count)
	for c := range causes {
		clear(predicted)
		for _, h := range causes[c].members {
			predicted[kinds.of(h)] += w.probability[h]
		}
		joint[c] = kinds.blurred(predicted)
	}
	t.GainBits = rounded(information(joint))
	t.seen, t.stage = joint, s
	t.Why = w.parts(joint, causes)
	if t.Asked != "" || t.Tool == tester.Hint || t.unplugged {
		return
	}
	t.Say = fmt.Sprintf("%s at %s, %s half", t.toolWords(), w.e.place(t.At), t.Half)
	switch t.Tool {
	case tester.Ohms:
		slot := func(i int) string { return t.Between[i][strings.LastIndex(t.Between[i], ".")+1:] }
		t.Say = fmt.Sprintf(
			"Breaker off, proven dead, nothing plugged in: ohmmeter from %s to %s slot at %s",
			slot(0),
			slot(1),
			w.e.place(t.At),
		)
	case tester.DeviceButton:
		t.Say = fmt.Sprintf("%s at %s", t.toolWords(), w.e.place(t.At))
	case tester.Told:
		t.Say = fmt.Sprintf("Does it work at %s, %s half?", w.e.place(t.At), t.Half)
	}
}

// information is the mutual information, in bits, of rows and columns of a
// joint distribution that need not sum to one.
func information(joint [][]float64) float64 {
	total := 0.0
	for _, row := range joint {
		for _, p := range row {
			total += p
		}
	}
	if total == 0 {
		return 0
	}
	columns := make([]float64, len(joint[0]))
	for _, row := range joint {
		for o, p := range row {
			columns[o] += p / total
		}
	}
	bits := 0.0
	for _, row := range joint {
		sum := 0.0
		for _, p := range row {
			sum += p / total
		}
		for o, p := range row {
			if p > 0 {
				bits += p / total * math.Log2(p/total/(sum*columns[o]))
			}
		}
	}
	return max(bits, 0)
}

// parts says in words which of the leading causes the test tells apart.
func (w *weighed) parts(joint [][]float64, causes []cause) string {
	if len(causes) == 0 {
		return ""
	}
	likeliest := func(c int) int { return slices.Index(joint[c], slices.Max(joint[c])) }
	first := likeliest(0)
	for c := range causes {
		if likeliest(c) != first {
			return fmt.Sprintf("Tells %s from %s.", w.words(causes[0]), w.words(causes[c]))
		}
	}
	return fmt.Sprintf("Makes sure of %s.", w.words(causes[0]))
}

func (w *weighed) words(c cause) string {
	switch cable := w.e.circuit.Cable(c.site); {
	case c.site == "":
		return c.name
	case c.site == circuit.Panel:
		return c.name + " in the panel"
	case cable != nil:
		return fmt.Sprintf(
			"%s in the cable from %s to %s",
			c.name,
			w.e.circuit.LabelOf(cable.From),
			w.e.circuit.LabelOf(cable.To),
		)
	default:
		return c.name + " at " + w.e.circuit.LabelOf(c.site)
	}
}

// entropy is the information, in bits, of learning whether something of
// probability p is so.
func entropy(p float64) float64 {
	if p <= 0 || p >= 1 {
		return 0
	}
	return -p*math.Log2(p) - (1-p)*math.Log2(1-p)
}

// percent says a probability in words; none is ever certain.
func percent(p float64) string {
	switch {
	case p > 0.99:
		return "over 99 %"
	case p < 0.01:
		return "under 1 %"
	default:
		return fmt.Sprintf("%.0f %%", 100*p)
	}
}

// openings weighs looking into each box: what is wrong is there, or it is not.
// One that was looked into since something was last put right is left out.
func (w *weighed) openings() []Test {
	suspicion := map[string]float64{}
	for _, h := range w.order {
		for _, remedy := range w.e.remediesOf(h) {
			suspicion[remedy] += w.probability[h]
		}
	}
	tests, finds := []Test{}, w.finds()
	for _, site := range append(w.e.circuit.Order(), circuit.Panel) {
		t := w.opening(site, suspicion[site])
		if suspicion[site] < least || slices.Contains(w.line.looked, site) || w.skipped(&t) {
			continue
		}
		t.Finds = finds[site]
		tests = append(tests, t)
	}
	return tests
}

// opening is looking into the box, or at the panel.
func (w *weighed) opening(site string, here float64) Test {
	minutes := w.e.settings.Minutes
	t := Test{
		Do:       DoOpen,
		Site:     site,
		remedy:   site,
		GainBits: rounded(entropy(min(here, 1))),
		Minutes:  w.openMinutes() + minutes.Walk,
		here:     here,
		sure:     here >= 0.5,
	}
	t.Say = fmt.Sprintf("Open %s, dead", w.e.circuit.LabelOf(site))
	t.Why = fmt.Sprintf("Something is wrong there with %s. Breaker off, proven dead, then the cover.", percent(here))
	if site == circuit.Panel {
		t.Minutes = minutes.Open + minutes.ToPanel
		t.Say = "Look at the panel: the breaker first"
		t.Why = fmt.Sprintf(
			"Something is wrong there with %s. Its service lugs stay live with the main off: behind the cover is for the licensed.",
			percent(here),
		)
	}
	return t
}

// openMinutes is what opening one box costs now: in a dead session that is
// under way the breaker and the dead proof are paid already.
func (w *weighed) openMinutes() float64 {
	m := w.e.settings.Minutes
	switch {
	case !w.e.settings.Sessions:
		return m.Open
	case w.line.sessions:
		return m.Look
	default:
		return m.Dead + m.Look
	}
}
