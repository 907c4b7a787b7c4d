package diagnosis

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/fault"
	"elvat/core/runs"
	"elvat/core/tester"
)

// Format is the name and version of the result.
const Format = "elvat-diagnosis/1"

// A Result is what the readings say.
type Result struct {
	Format   string    `json:"format"`
	Suspects []Suspect `json:"suspects"`
	Sites    []Site    `json:"sites"`
	Next     []Test    `json:"next"`
	// Here is what else is worth reading at the stop of the first of Next before
	// walking on; BeforeOff is what is worth reading before the power goes off.
	Here      []Test   `json:"here"`
	BeforeOff []Test   `json:"beforeOff"`
	Hidden    []Danger `json:"hidden"`
	// Unexplained is the probability that none of the hypotheses is true: three
	// faults at once, or something that is not in the catalogue.
	Unexplained float64 `json:"unexplained"`
	Settled     bool    `json:"settled"`
	// Phone is what to ask the customer before driving; empty once something was read.
	Phone []Phoned `json:"phone"`
	// Places is how sure it is what feeds each box, where the order of some is
	// not known; empty otherwise.
	Places []runs.Place `json:"places,omitempty"`
	// Conflict is set where readings contradict each other, or one shows what
	// nothing in the catalogue could.
	Conflict *Conflict `json:"conflict,omitempty"`
}

// A Suspect is one name of fault at one site.
type Suspect struct {
	Name        string            `json:"name"`
	Place       string            `json:"place"`
	Faults      []circuit.Fault   `json:"faults"`
	Site        string            `json:"site"`
	Probability float64           `json:"probability"`
	Alike       [][]circuit.Fault `json:"alike"` // what no reading so far tells apart from this
	AlikePlaces []string          `json:"alikePlaces"`
	AlikeCount  int               `json:"alikeCount"` // of them, where the lists are cut short
	Why         string            `json:"why"`
}

// A Site is a box, a cable or the panel with the probability that what is
// wrong is there.
type Site struct {
	Site        string  `json:"site"`
	Probability float64 `json:"probability"`
}

const (
	// least is the probability below which a suspect is not listed.
	least = 0.002
	// settledAt is the probability one site must hold for the search to be over.
	settledAt = 0.95
)

// inQuestion is the probability from which a site is worth naming to someone.
const inQuestion = 0.1

// Leading names the sites that are in question, in people's words, most
// probable first.
func (r *Result) Leading(c *circuit.Circuit) []string {
	names := []string{}
	for _, s := range r.Sites {
		if s.Probability < inQuestion {
			break
		}
		name := c.LabelOf(s.Site)
		if cable := c.Cable(s.Site); cable != nil {
			name = fmt.Sprintf("the cable from %s to %s", c.LabelOf(cable.From), c.LabelOf(cable.To))
		}
		names = append(names, name)
	}
	return names
}

// weighed is the posterior of an engine after some readings.
type weighed struct {
	e           *Engine
	readings    []tester.Reading
	judged      []*judged // of each reading
	place       []int     // of each of them among all that was entered
	now         *stage    // what the next reading is taken on
	order       []int     // the hypotheses that matter
	probability []float64 // by hypothesis; zero for those that do not
	unexplained float64
	level       float64 // of the supply, most likely
	evidence    float64 // log likelihood of all readings over all hypotheses
	all         []Test  // everything that could be done, once next has run
	allCauses   []cause
	causeList   []cause // kept: they are asked for again and again
	before      int     // how many of the readings were taken before something was last put right
}

// Diagnose weighs all hypotheses by the readings. What is to be read next is
// judged with the circuit as its file says.
func (e *Engine) Diagnose(readings []tester.Reading) (*Result, error) {
	return e.DiagnoseNow(readings, nil)
}

// DiagnoseNow is Diagnose with the circuit now in the given state: that is the
// one the next reading will be taken in.
func (e *Engine) DiagnoseNow(readings []tester.Reading, now *tester.State) (*Result, error) {
	w, err := e.weigh(readings)
	if err != nil {
		return nil, err
	}
	if w.now, err = e.stageOf(now); err != nil {
		return nil, err
	}
	r := &Result{Format: Format, Unexplained: rounded(w.unexplained)}
	r.Suspects = w.suspects()
	r.Sites = listed(w.bySite())
	r.Hidden = w.hidden()
	r.Conflict = w.conflict()
	r.settle()
	r.Next = w.next(r.Settled, r.leadingSite())
	r.Here, r.BeforeOff = w.batches(r.Next)
	r.Phone = w.phone()
	r.strip()
	return r, nil
}

// strip lets go of what the tests were worked out from.
func (r *Result) strip() {
	for _, tests := range [][]Test{r.Next, r.Here, r.BeforeOff} {
		for i := range tests {
			tests[i].seen, tests[i].stage, tests[i].mapWords = nil, nil, nil
		}
	}
}

// settle tells whether the search is over: one site holds nearly all, and no
// danger is open there.
func (r *Result) settle() {
	if len(r.Sites) > 0 && r.Sites[0].Probability >= settledAt {
		r.Settled = !slices.ContainsFunc(r.Hidden, func(d Danger) bool {
			return d.Site == r.Sites[0].Site && (d.Name == LiveGroundPin || !d.Shown)
		})
	}
}

func (r *Result) leadingSite() string {
	if len(r.Sites) == 0 {
		return ""
	}
	return r.Sites[0].Site
}

func (e *Engine) weigh(readings []tester.Reading) (*weighed, error) {
	e.forget()
	prior := e.settings.Errors.levelPrior()
	all, err := e.judgeAll(readings, prior)
	if err != nil {
		return nil, err
	}
	order, err := e.universe(all)
	if err != nil {
		return nil, err
	}
	// Once more, for the pairs that joined.
	if all, err = e.judgeAll(readings, prior); err != nil {
		return nil, err
	}
	return e.weighed(readings, all, prior, order), nil
}

// rounded cuts off what depends on the order of a sum.
func rounded(x float64) float64 { return math.Round(x*1e9) / 1e9 }

// judgeAll judges the readings in their order; what was put right on the way
// is gone for those that follow.
func (e *Engine) judgeAll(readings []tester.Reading, prior []float64) ([]*judged, error) {
	all := make([]*judged, 0, len(readings))
	var fixed []circuit.Fault
	for i := range readings {
		r := &readings[i]
		if r.Tool == tester.Fixed {
			fixed = append(fixed, r.Faults...)
			continue
		}
		j, err := e.judge(r, prior)
		if err != nil {
			return nil, fmt.Errorf("readings[%d]: %w", i, err)
		}
		j = j.after(e.without(fixed))
		if r.Doubtful {
			j = j.doubted(e.settings.Errors.Doubtful)
		}
		all = append(all, j)
	}
	return all, nil
}

// weighed puts priors and readings together.
func (e *Engine) weighed(readings []tester.Reading, all []*judged, prior []float64, order []int) *weighed {
	w := &weighed{e: e, readings: seen(readings), judged: all, level: 1, order: order, probability: make([]float64, len(e.hypotheses))}
	k := len(levels)
	logs := make([]float64, len(order)*k) // in that order
	for n, h := range order {
		for l := range k {
			logs[n*k+l] = e.prior[h] + prior[l]
			for _, j := range all {
				logs[n*k+l] += j.logs[h*k+l]
			}
		}
	}
	// What fits no hypothesis is judged as if each reading alone were drawn
	// from all of them: strange readings together speak for it.
	other := math.Log(e.settings.Weights.Unexplained.Value) + logSum(prior)
	for _, j := range all {
		other += j.overall
	}
	w.normalise(logs, other)
	w.now = e.states[stateKey(nil)]
	w.collapse(e.without(fixedIn(readings)))
	for i, r := range readings {
		if r.Tool == tester.Fixed {
			w.before = len(w.place)
		} else {
			w.place = append(w.place, i)
		}
	}
	return w
}

// collapse turns what was wrong into what is still wrong.
func (w *weighed) collapse(without []int) {
	if without == nil {
		return
	}
	still := make([]float64, len(w.probability))
	for _, h := range w.order {
		still[without[h]] += w.probability[h]
	}
	w.probability = still
}

func (w *weighed) normalise(logs []float64, other float64) {
	n, k := len(w.order), len(levels)
	explained := math.Log(1 - w.e.settings.Weights.Unexplained.Value)
	byHypothesis := make([]float64, n+1)
	for h := range n {
		byHypothesis[h] = logSum(logs[h*k:(h+1)*k]) + explained
	}
	byHypothesis[n] = other
	total := logSum(byHypothesis)
	w.evidence = total
	for i, h := range w.order {
		w.probability[h] = math.Exp(byHypothesis[i] - total)
	}
	w.unexplained = math.Exp(other - total)

	best := math.Inf(-1)
	for l := range k {
		at := make([]float64, n)
		for h := range n {
			at[h] = logs[h*k+l]
		}
		if v := logSum(at); v > best {
			best, w.level = v, levels[l]
		}
	}
}

// signature is what a hypothesis predicts for the readings so far, as far as
// testers can show it: hypotheses with the same one are alike.
func (w *weighed) signature(h int) string {
	var b strings.Builder
	for _, j := range w.judged {
		b.WriteString(j.codes[h])
		b.WriteByte('/')
	}
	return b.String()
}

// suspects groups the hypotheses by name, site and what they predict, most
// probable first.
func (w *weighed) suspects() []Suspect {
	type group struct {
		Suspect
		signature string
		best      int
		words     string // name and place
	}
	groups := map[string]*group{}
	var order []*group
	for _, h := range w.order {
		hyp := &w.e.hypotheses[h]
		signature := w.signature(h)
		key := hyp.name + "\x00" + strings.Join(hyp.sites, " ") + "\x00" + signature
		g := groups[key]
		if g == nil {
			g = &group{signature: signature, best: h}
			groups[key] = g
			order = append(order, g)
		}
		g.Probability += w.probability[h]
		if w.probability[h] > w.probability[g.best] {
			g.best = h
		}
	}
	slices.SortStableFunc(order, func(a, b *group) int { return cmp.Compare(rounded(b.Probability), rounded(a.Probability)) })
	// What is too unlikely to be listed is no alternative to name either.
	for i, g := range order {
		if g.Probability < least {
			order = order[:i]
			break
		}
		best := w.e.hypotheses[g.best]
		g.words = strings.TrimSpace(best.name + " " + w.e.placeOf(best.faults))
	}
	suspects := []Suspect{}
	for _, g := range order {
		hyp := w.e.hypotheses[g.best]
		s := g.Suspect
		s.Probability = rounded(s.Probability)
		s.Name, s.Site, s.Faults = hyp.name, hyp.site, hyp.faults
		if s.Faults == nil {
			s.Faults = []circuit.Fault{}
		}
		s.Place = w.e.placeOf(hyp.faults)
		s.Why = w.why(g.best)
		s.Alike, s.AlikePlaces = [][]circuit.Fault{}, []string{}
		for _, other := range order {
			o := w.e.hypotheses[other.best]
			if other == g || other.signature != g.signature || within(hyp.faults, o.faults) {
				continue // the same with something more that shows nowhere is no other suspect
			}
			faults := o.faults
			if faults == nil {
				faults = []circuit.Fault{}
			}
			s.Alike = append(s.Alike, faults)
			s.AlikePlaces = append(s.AlikePlaces, other.words)
		}
		s.AlikeCount = len(s.Alike)
		suspects = append(suspects, s)
	}
	return suspects
}

// Short is the result with at most so many of those alike listed for each
// suspect: together they grow with the square of the suspects.
func (r Result) Short(alike int) Result {
	r.Suspects = slices.Clone(r.Suspects)
	for i := range r.Suspects {
		s := &r.Suspects[i]
		s.Alike, s.AlikePlaces = s.Alike[:min(alike, len(s.Alike))], s.AlikePlaces[:min(alike, len(s.AlikePlaces))]
	}
	return r
}

// within reports whether all of some faults, at least one, are among others.
func within(some, others []circuit.Fault) bool {
	return len(some) > 0 && !slices.ContainsFunc(some, func(f circuit.Fault) bool { return !slices.Contains(others, f) })
}

// why says how well the hypothesis fits and what its weight rests on.
func (w *weighed) why(h int) string {
	var misfits []string
	for i := range w.readings {
		r := &w.readings[i]
		if !w.judged[i].fits(h, w.level) {
			misfits = append(misfits, w.e.readingWords(r))
		}
	}
	reason := strings.Join(w.e.hypotheses[h].why, "; ")
	switch n := len(w.readings); {
	case n == 0:
		return "no reading yet; " + reason
	case len(misfits) == 0 && n == 1:
		return "fits the one reading; " + reason
	case len(misfits) == 0:
		return fmt.Sprintf("fits all %d readings; %s", n, reason)
	case len(misfits) == n:
		return fmt.Sprintf("fits none of %d readings; %s", n, reason)
	default:
		return fmt.Sprintf("fits %d of %d readings, not %s; %s", n-len(misfits), n, strings.Join(misfits, " nor "), reason)
	}
}

var toolName = map[tester.Tool]string{
	tester.Plug: "plug tester", tester.PlugButton: "plug tester's button", tester.DeviceButton: "device's own button",
	tester.Meter: "meter", tester.Sensor: "sensor", tester.Lamp: "test lamp", tester.Analyzer: "load tester",
	tester.Ohms: "ohms", tester.Clamp: "clamp", tester.Told: "customer's word",
}

// readingWords names a reading in a sentence.
func (e *Engine) readingWords(r *tester.Reading) string {
	switch {
	case r.Tool == tester.Told && r.Asked == tester.ResetGFCIs:
		return "the customer's word on the GFCIs"
	case r.Tool == tester.Told && r.Asked == tester.CycleBreaker:
		return "the customer's word on the breaker"
	case r.Tool == tester.Eyes:
		return "the look into " + e.circuit.LabelOf(r.Site)
	case r.Point != "":
		return fmt.Sprintf("the %s on %s", toolName[r.Tool], r.Point)
	case r.Between != nil:
		return fmt.Sprintf("the %s between %s and %s", toolName[r.Tool], r.Between[0], r.Between[1])
	case r.Half == "":
		return fmt.Sprintf("the %s at %s", toolName[r.Tool], e.place(r.At))
	default:
		return fmt.Sprintf("the %s at %s, %s half", toolName[r.Tool], e.place(r.At), r.Half)
	}
}

// placeOf says where the faults are; the named compositions have one place.
func (e *Engine) placeOf(faults []circuit.Fault) string {
	if len(faults) != 2 || fault.Site(e.circuit, faults) == fault.Site(e.circuit, faults[1:]) {
		return fault.Place(e.circuit, faults)
	}
	return fault.Place(e.circuit, faults) + ", and " + fault.Place(e.circuit, faults[1:])
}

// place is what people call the box a device is in.
func (e *Engine) place(device string) string {
	if _, box := e.circuit.Device(device); box != nil {
		return e.circuit.LabelOf(box.ID)
	}
	return device
}

// bySite adds the probabilities up by box, cable and panel.
func (w *weighed) bySite() map[string]float64 {
	sum := map[string]float64{}
	for _, h := range w.order {
		for _, site := range w.e.hypotheses[h].sites {
			sum[site] += w.probability[h]
		}
	}
	return sum
}

// listed are the sites with what adds up there, most probable first.
func listed(bySite map[string]float64) []Site {
	sites := []Site{}
	for site, p := range bySite {
		if p >= least {
			sites = append(sites, Site{site, rounded(p)})
		}
	}
	slices.SortFunc(sites, func(a, b Site) int {
		return cmp.Or(cmp.Compare(b.Probability, a.Probability), cmp.Compare(a.Site, b.Site))
	})
	return sites
}
