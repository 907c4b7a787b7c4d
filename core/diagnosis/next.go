package diagnosis

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/tester"
)

// Things a test can be.
const (
	DoReading = "reading"
	DoOpen    = "open" // a box, dead
	// DoSeparate takes a cable's end apart and caps it, then reads with power on:
	// only for a qualified person, and only where nothing safer helps.
	DoSeparate = "separate"
	// DoAsk is a question to the customer, or the same done on the spot.
	DoAsk = "ask"
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

	mapWords []string    // of a test of the order: what can be seen
	stage    *stage      // of a reading: what it is taken on
	seen     [][]float64 // of a reading: by cause, the probability of it and of each thing that can be seen
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

// at is what the hypotheses show at the outlet that decide, and all single faults.
func (w *weighed) at(s *stage, outlet int) []shown {
	return s.predict(outlet, func(h int) bool { return h < w.e.singles || w.decides(h) })
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
		key := [2]string{hyp.name, strings.Join(hyp.sites, " ")}
		i, ok := index[key]
		if !ok {
			i = len(all)
			index[key] = i
			all = append(all, cause{name: hyp.name, site: hyp.site, sites: hyp.sites})
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

// next ranks what can be done by what it is expected to tell per minute. Once
// the box is settled, opening it is all that is left.
func (w *weighed) next(settled bool, site string) []Test {
	if settled {
		return slices.DeleteFunc(w.openings(), func(t Test) bool { return t.Site != site })
	}
	tests, causes := w.candidates()
	if w.e.settings.Qualified && !w.readingHelps(tests, causes) {
		tests = append(tests, w.separations(causes)...)
	}
	return w.rank(tests, causes, w.shows)
}

// candidates lists what can be done, with what each is expected to show of the
// causes that are left.
func (w *weighed) candidates() ([]Test, []cause) {
	causes, stage := w.causes(), w.now
	tests := []Test{}
	for o, outlet := range stage.bench.Outlets() {
		for _, tool := range w.e.settings.Tools {
			if !w.permitted(stage, o, tool) {
				continue
			}
			modes := []tester.Mode{""}
			if tool == tester.Meter {
				modes = []tester.Mode{tester.HighZ, tester.LowZ}
			}
			for _, mode := range modes {
				t := Test{Do: DoReading, At: outlet.Device, Half: outlet.Half, Tool: tool, Mode: mode}
				t.Minutes = w.minutesOf(&t) + w.walk(outlet.Device)
				w.expect(&t, stage, o, causes)
				tests = append(tests, t)
			}
		}
		tests = append(tests, w.dead(stage, o, causes)...)
	}
	for _, question := range tester.Questions {
		if t, ok := w.ask(question, causes); ok {
			tests = append(tests, t)
		}
	}
	return append(tests, w.openings()...), causes
}

// rank orders the tests by the minutes expected in the end, and says of the
// first of them what each outcome would mean. Find looks up a hypothesis that
// shows a certain thing.
func (w *weighed) rank(tests []Test, causes []cause, find finder) []Test {
	again := w.again()
	for i := range tests {
		tests[i].Again = again[asTaken(tests[i])]
	}
	tests = slices.DeleteFunc(tests, func(t Test) bool { return t.GainBits < worthBits && !t.Again })
	w.lookAhead(tests, causes)
	w.all, w.allCauses = tests, causes
	slices.SortStableFunc(tests, func(a, b Test) int {
		return cmp.Or(first(a.Again, b.Again), cmp.Compare(a.Ahead, b.Ahead))
	})
	tests = tests[:min(len(tests), keepTests)]
	for i := range tests {
		w.tellOutcomes(&tests[i], causes, find)
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
		case i >= w.before:
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
	short := 0.0
	for h, seen := range w.at(s, outlet) {
		if seen.known && seen.short {
			short += w.probability[h]
		}
	}
	if short < worthDead {
		return nil
	}
	var tests []Test
	for _, other := range []circuit.Conductor{circuit.Neutral, circuit.Ground} {
		if other == circuit.Ground && !o.HasGround {
			continue
		}
		slot := o.Device + "." + string(o.Half) + "."
		t := Test{Do: DoReading, At: o.Device, Half: o.Half, Tool: tester.Ohms, Between: &[2]string{slot + string(circuit.Hot), slot + string(other)}}
		t.Minutes = w.minutesOf(&t) + w.walk(o.Device)
		w.expect(&t, s, outlet, causes)
		tests = append(tests, t)
	}
	return tests
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
		return o.HasGround
	case tester.DeviceButton:
		return v.Kind == circuit.GFCI && o.Half == circuit.Top
	case tester.PlugButton:
		if !o.HasGround || !hasGuards(w.e.circuit) {
			return false
		}
		open := w.unexplained
		for h, seen := range w.at(s, outlet) {
			if !seen.known {
				continue
			}
			if seen.low[hotGround] < grounded*seen.low[hotNeutral] {
				open += w.probability[h]
			}
		}
		return open < mostOpenGround
	default:
		return true
	}
}

// Places in tester.VoltNames, and the share of hot to neutral that hot to
// ground must reach for the ground to be there. Assumption.
const (
	hotNeutral = 0
	hotGround  = 1
	grounded   = 0.9
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
	kinds := w.outcomes(t, s, outlet).among(causes)
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
	if t.Asked != "" {
		return
	}
	t.Say = fmt.Sprintf("%s at %s, %s half", w.toolWords(t), w.e.place(t.At), t.Half)
	switch t.Tool {
	case tester.Ohms:
		other := t.Between[1][strings.LastIndex(t.Between[1], ".")+1:]
		t.Say = fmt.Sprintf("Breaker off, proven dead, nothing plugged in: ohmmeter from hot to %s slot at %s", other, w.e.place(t.At))
	case tester.DeviceButton:
		t.Say = fmt.Sprintf("%s at %s", w.toolWords(t), w.e.place(t.At))
	case tester.Told:
		t.Say = fmt.Sprintf("Does it work at %s, %s half?", w.e.place(t.At), t.Half)
	}
}

func (w *weighed) toolWords(t *Test) string {
	switch t.Tool {
	case tester.Plug:
		return "Plug tester"
	case tester.Sensor:
		return "Sensor on the slots"
	case tester.Lamp:
		return "Test lamp"
	case tester.PlugButton:
		return "Plug tester's button"
	case tester.DeviceButton:
		return "The GFCI's own button"
	case tester.Analyzer:
		return "Load tester"
	case tester.Ohms:
		return "Ohmmeter"
	default:
		return "Meter on " + string(t.Mode)
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
			return fmt.Sprintf("Parts %s from %s.", w.words(causes[0]), w.words(causes[c]))
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
		return fmt.Sprintf("%s in the cable from %s to %s", c.name, w.e.circuit.LabelOf(cable.From), w.e.circuit.LabelOf(cable.To))
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
func (w *weighed) openings() []Test {
	suspicion := w.bySite()
	tests, finds := []Test{}, w.finds()
	minutes := w.e.settings.Minutes
	for _, site := range append(w.e.circuit.Order(), circuit.Panel) {
		here := suspicion[site]
		if here < least {
			continue
		}
		t := Test{Do: DoOpen, Site: site, GainBits: rounded(entropy(here)), Minutes: minutes.Open + minutes.Walk}
		t.Finds = finds[site]
		t.Say = fmt.Sprintf("Open %s, dead", w.e.circuit.LabelOf(site))
		t.Why = fmt.Sprintf("What is wrong is there with %s. Breaker off, proven dead, then the cover.", percent(here))
		if site == circuit.Panel {
			t.Minutes = minutes.Open + minutes.ToPanel
			t.Say = "Look at the panel: the breaker first"
			t.Why = fmt.Sprintf("What is wrong is there with %s. Its service lugs stay live with the main off: behind the cover is for the licensed.", percent(here))
		}
		tests = append(tests, t)
	}
	return tests
}
