package diagnosis

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"elvat/core/circuit"
	"elvat/core/tester"
)

// Things a test can be.
const (
	DoReading = "reading"
	DoOpen    = "open" // a box, dead
)

// A Test is something to do next.
type Test struct {
	Do       string       `json:"do"`
	At       string       `json:"at,omitempty"` // a device
	Half     circuit.Half `json:"half,omitempty"`
	Tool     tester.Tool  `json:"tool,omitempty"`
	Mode     tester.Mode  `json:"mode,omitempty"`
	Site     string       `json:"site,omitempty"`
	GainBits float64      `json:"gainBits"`
	Minutes  float64      `json:"minutes"`
	Say      string       `json:"say"` // what to do, in words
	Why      string       `json:"why"`
	// Finds is what could be found in a box that is opened, likeliest first.
	Finds []Find `json:"finds,omitempty"`

	here  float64 // of an opening: the probability that something is wrong there
	saves float64 // of a reading: minutes of opening sound boxes it is expected to save
}

// rank is bits per minute spent for nothing: the faulty box has to be opened
// anyway, so opening a box costs only as far as it is likely to be a sound one.
func (t *Test) rank() float64 {
	minutes := t.Minutes
	if t.Do == DoOpen {
		minutes *= 1 - min(t.here, 0.999)
	}
	return t.GainBits / minutes
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
	return all
}

// next ranks what can be done by what it is expected to tell per minute. Once
// the box is settled, opening it is all that is left.
func (w *weighed) next(settled bool, site string) []Test {
	if settled {
		return slices.DeleteFunc(w.openings(), func(t Test) bool { return t.Site != site })
	}
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
				t.Minutes = w.e.settings.Minutes.Tool[tool] + w.walk(outlet.Device)
				w.expect(&t, stage, o, causes)
				tests = append(tests, t)
			}
		}
	}
	tests = append(tests, w.openings()...)
	tests = slices.DeleteFunc(tests, func(t Test) bool { return t.GainBits < worthBits })
	slices.SortStableFunc(tests, func(a, b Test) int { return cmp.Compare(b.rank(), a.rank()) })
	if !slices.ContainsFunc(tests, func(t Test) bool { return t.saves > pays*t.Minutes }) {
		// No reading is worth its minutes any more: the likeliest box first.
		slices.SortStableFunc(tests, func(a, b Test) int { return cmp.Compare(b.here, a.here) })
	}
	return tests[:min(len(tests), keepTests)]
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
	if len(w.readings) == 0 {
		return w.e.settings.Minutes.Walk
	}
	last := w.readings[len(w.readings)-1]
	_, here := w.e.circuit.Device(last.At)
	if last.Tool == tester.Eyes {
		here = w.e.circuit.Box(last.Site)
	}
	if _, there := w.e.circuit.Device(device); here != nil && here == there {
		return 0
	}
	return w.e.settings.Minutes.Walk
}

// expect fills in what the reading is expected to tell about the causes.
func (w *weighed) expect(t *Test, s *stage, outlet int, causes []cause) {
	kinds := w.outcomes(t, s, outlet)
	for _, c := range causes {
		for _, h := range c.members {
			kinds.of(h) // so that all that can be seen is known
		}
	}
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
	t.saves = w.saves(joint, causes)
	t.Say = fmt.Sprintf("%s at %s, %s half", w.toolWords(t), w.e.place(t.At), t.Half)
	if t.Tool == tester.DeviceButton {
		t.Say = fmt.Sprintf("%s at %s", w.toolWords(t), w.e.place(t.At))
	}
	t.Why = w.parts(joint, causes)
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
	default:
		return "Meter on " + string(t.Mode)
	}
}

// outcomes are what a reading can turn out as, and how a prediction blurs into them.
type outcomes struct {
	count   int
	predict func(h int) int // what the hypothesis shows
	blur    func(predicted, seen int) float64
	kept    map[int]int
}

// of is the outcome that the hypothesis predicts.
func (o *outcomes) of(h int) int {
	kind, known := o.kept[h]
	if !known {
		kind = o.predict(h)
		o.kept[h] = kind
	}
	return kind
}

// blurred turns the probabilities of what is predicted into those of what is seen.
func (o *outcomes) blurred(predicted []float64) []float64 {
	row := make([]float64, o.count)
	for is, p := range predicted {
		if p == 0 {
			continue
		}
		for seen := range row {
			row[seen] += p * o.blur(is, seen)
		}
	}
	return row
}

// asked is a reading that can be taken on a stage.
type asked struct {
	outlet int
	tool   tester.Tool
	mode   tester.Mode
}

// outcomes of a reading. They do not depend on what was read before, so they
// are worked out once for each hypothesis.
func (w *weighed) outcomes(t *Test, s *stage, outlet int) *outcomes {
	w.at(s, outlet)
	key := asked{outlet, t.Tool, t.Mode}
	if s.kinds[key] == nil {
		s.kinds[key] = w.e.outcomesOf(t, s, outlet)
		s.kinds[key].kept = map[int]int{}
	}
	return s.kinds[key]
}

func (e *Engine) outcomesOf(t *Test, s *stage, outlet int) *outcomes {
	errors, k := e.settings.Errors, s.bench.Constants
	seen := func(h int) *shown { return &s.shown[outlet][h] }
	switch t.Tool {
	case tester.Plug:
		return &outcomes{count: 8, predict: func(h int) int {
			kind := 0
			for i := range 3 {
				if k.Lit(seen(h).lamps[i]) == tester.IsLit {
					kind |= 1 << i
				}
			}
			return kind
		}, blur: func(predicted, seen int) float64 {
			p := 1.0
			for i := range 3 {
				if (predicted^seen)>>i&1 == 1 {
					p *= errors.Lamp
				} else {
					p *= 1 - errors.Lamp
				}
			}
			return p
		}}
	case tester.Sensor:
		return &outcomes{count: 27, predict: func(h int) int {
			kind := 0
			for i, v := range seen(h).sensor {
				level := tester.None
				if !math.IsNaN(v) {
					level = k.Level(v)
				}
				kind += slices.Index(tester.Levels, level) * []int{1, 3, 9}[i]
			}
			return kind
		}, blur: func(predicted, seen int) float64 {
			p := 1.0
			for range 3 {
				p *= errors.levelLikelihood(tester.Levels[predicted%3], tester.Levels[seen%3])
				predicted, seen = predicted/3, seen/3
			}
			return p
		}}
	case tester.Lamp:
		return &outcomes{count: len(tester.Glows), predict: func(h int) int {
			return slices.Index(tester.Glows, k.Glow(seen(h).lamp))
		}, blur: func(predicted, seen int) float64 {
			return errors.glowLikelihood(tester.Glows[predicted], tester.Glows[seen])
		}}
	case tester.Meter:
		return distinct(errors.VoltsWild, func(h int) string {
			var key strings.Builder
			for i := range tester.VoltNames {
				key.WriteString(seen(h).bin(t.Mode, i))
			}
			return key.String()
		})
	default:
		o := s.bench.Outlets()[outlet]
		return distinct(errors.Trip, func(h int) string { return askedCode(t.Tool, s.bench.Settle(s.variations[h]), o) })
	}
}

// askedCode puts a tester on the outlet whose predictions are not kept.
func askedCode(tool tester.Tool, c *tester.Condition, o circuit.Outlet) string {
	switch tool {
	case tester.PlugButton:
		return strings.Join(c.PlugButton(o), "+")
	case tester.DeviceButton:
		return strings.Join(c.DeviceButton(o.Device), "+")
	}
	a := c.Analyze(o)
	code := string(a.Wiring)
	for _, x := range []*float64{a.Ohms.HotNeutral, a.Ohms.Neutral, a.Ohms.Ground} {
		if x == nil {
			code += " -"
		} else {
			code += " " + strconv.FormatFloat(*x, 'g', 1, 64)
		}
	}
	return code
}

// distinct takes the distinct predictions as what can be seen; each is taken
// for one of the others with the probability wrong.
func distinct(wrong float64, code func(h int) string) *outcomes {
	o := &outcomes{}
	index := map[string]int{}
	o.predict = func(h int) int {
		key := code(h)
		i, ok := index[key]
		if !ok {
			i = len(index)
			index[key] = i
			o.count = len(index)
		}
		return i
	}
	o.blur = func(predicted, seen int) float64 {
		switch {
		case o.count == 1:
			return 1
		case predicted == seen:
			return 1 - wrong
		default:
			return wrong / float64(o.count-1)
		}
	}
	return o
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

// pays is the share of a reading's minutes that it must be expected to save by
// itself; below one, since the next reading may save the rest. Assumption.
const pays = 0.1

// saves is how many minutes of opening sound boxes a reading is expected to
// save, when boxes are opened in the order of suspicion.
func (w *weighed) saves(joint [][]float64, causes []cause) float64 {
	outcomes := len(joint[0])
	wide := outcomes + 1 // by outcome, and whatever it shows
	index := map[string]int{}
	var bySite []float64
	for c := range causes {
		for _, site := range causes[c].sites {
			i, known := index[site]
			if !known {
				i = len(index)
				index[site] = i
				bySite = append(bySite, make([]float64, wide)...)
			}
			row := bySite[i*wide : (i+1)*wide]
			for o, p := range joint[c] {
				row[o] += p
				row[outcomes] += p
			}
		}
	}
	at := make([]float64, len(index))
	wasted := func(o int) float64 {
		for i := range at {
			at[i] = bySite[i*wide+o]
		}
		slices.Sort(at)
		sum := 0.0
		for i, p := range at {
			sum += float64(len(at)-1-i) * p // so many boxes are opened before
		}
		return sum * w.e.settings.Minutes.Open
	}
	saved := wasted(outcomes)
	for o := range outcomes {
		saved -= wasted(o)
	}
	return saved
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
		t := Test{Do: DoOpen, Site: site, GainBits: rounded(entropy(here)), Minutes: minutes.Open + minutes.Walk, here: min(here, 1)}
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
