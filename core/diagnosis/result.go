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
	// Weights are one distribution over where it is to be put right: boxes, the
	// panel, "elsewhere", and cables whose two ends nothing read so far tells
	// apart, or that are broken inside. With Sound and Unexplained it sums to one.
	Weights []Site  `json:"weights"`
	Sound   float64 `json:"sound"` // the probability that nothing (more) is wrong
	Next    []Test  `json:"next"`
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

// NotYet is what stands for a result until it is worked out.
func NotYet() *Result {
	return &Result{
		Format: Format, Suspects: []Suspect{}, Sites: []Site{}, Weights: []Site{}, Next: []Test{}, Here: []Test{}, BeforeOff: []Test{},
		Hidden: []Danger{}, Phone: []Phoned{},
	}
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
	// Beside is what nobody recorded and goes with it; alone, it is the cause.
	Beside []Unrecorded `json:"beside,omitempty"`
	// Ohms of a loose joint as near as the readings tell it, and the heat in it,
	// in watts, under the loads of the place.
	Ohms float64 `json:"ohms,omitempty"`
	Heat float64 `json:"heat,omitempty"`
	// Warm: that heat is a danger.
	Warm bool `json:"warm,omitempty"`
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

// weighed is the posterior of an engine after some readings: by Bayes, prior times the
// likelihood of each reading under the hypothesis, normalised; readings independent
// given the hypothesis, but for what errors common to the whole call add.
type weighed struct {
	e           *Engine
	line        timeline
	readings    []tester.Reading // the evidence
	judged      []*judged        // of each
	place       []int            // of each of them among all that was entered
	state       *tester.State    // the circuit is in now
	now         *stage           // what the next reading is taken on
	order       []int            // the hypotheses that matter
	priors      []float64        // of all
	likelihood  []float64        // log, by place in order: of all readings at the likeliest level
	probability []float64        // by hypothesis; zero for those that do not matter
	unexplained float64
	level       float64 // of the supply, most likely
	low, high   float64 // the probability that the supply is off its nominal with nothing else wrong
	evidence    float64 // log likelihood of all readings over all hypotheses
	all         []Test  // everything that could be done, once next has run
	allCauses   []cause
	causeList   []cause  // kept: they are asked for again and again
	before      int      // how many of the readings were taken before something was last put right
	trips       *float64 // the probability that a GFCI trips by itself; once asked
	foreseen    []int    // what tests are simulated under before they are proposed
}

// Diagnose weighs all hypotheses by the readings. What is to be read next is
// judged with the circuit as its file says.
func (e *Engine) Diagnose(readings []tester.Reading) (*Result, error) {
	return e.DiagnoseNow(readings, nil)
}

// DiagnoseNow is Diagnose with the circuit now in the given state: that is the
// one the next reading will be taken in.
func (e *Engine) DiagnoseNow(readings []tester.Reading, now *tester.State) (*Result, error) {
	_, next, err := e.Suspects(readings, now)
	if err != nil {
		return nil, err
	}
	return next(), nil
}

// Suspects is the first half of DiagnoseNow, which somebody who waits may see before the
// second: who is suspect and what is dangerous, without what to do next. next works that out
// and gives the whole; it holds until the engine is asked something else.
func (e *Engine) Suspects(readings []tester.Reading, now *tester.State) (first *Result, next func() *Result, err error) {
	w, err := e.weigh(readings)
	if err != nil {
		return nil, nil, err
	}
	if err := w.stand(now); err != nil {
		return nil, nil, err
	}
	r := &Result{Format: Format, Unexplained: rounded(w.unexplained)}
	r.Suspects = w.suspects()
	r.Sites = listed(w.bySite())
	r.Weights, r.Sound = w.weights()
	w.see(w.now, w.worthReading(w.now))
	r.Hidden = w.hidden()
	r.Conflict = w.conflict()
	r.Settled = w.settled(r)
	return r.first(), func() *Result {
		r.Next = w.safe(w.next(r))
		r.Here, r.BeforeOff = w.batches(r.Next)
		r.Here, r.BeforeOff = w.kept(r.Here), w.kept(r.BeforeOff)
		r.Phone = w.phone()
		r.strip()
		return r
	}, nil
}

// first is the result as it is before what to do next is worked out.
func (r *Result) first() *Result {
	shown := *r
	shown.Next, shown.Here, shown.BeforeOff, shown.Phone = []Test{}, []Test{}, []Test{}, []Phoned{}
	return &shown
}

// stand sets what the next reading is taken on.
func (w *weighed) stand(now *tester.State) (err error) {
	w.state = now
	w.now, err = w.e.stageOf(now, w.line.now.loadsOff, w.line.now.known)
	return err
}

// strip lets go of what the tests were worked out from.
func (r *Result) strip() {
	for _, tests := range [][]Test{r.Next, r.Here, r.BeforeOff} {
		for i := range tests {
			tests[i].seen, tests[i].stage, tests[i].mapWords = nil, nil, nil
		}
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
	line := e.timelineOf(readings)
	if grid := levelsFor(e.circuit, line.all); !slices.Equal(grid, e.levels) {
		e.levels = grid
		clear(e.judged)
	}
	loose, err := e.joinLoose(line.all)
	if err != nil {
		return nil, err
	}
	prior := e.levelPrior()
	all, err := e.judgeAll(&line, prior)
	if err != nil {
		return nil, err
	}
	order, err := e.universe(all, &line, loose)
	if err != nil {
		return nil, err
	}
	// Once more, for the pairs that joined.
	if all, err = e.judgeAll(&line, prior); err != nil {
		return nil, err
	}
	return e.weighed(line, all, prior, order), nil
}

// rounded cuts off what depends on the order of a sum.
func rounded(x float64) float64 { return math.Round(x*1e9) / 1e9 }

// judgeAll judges the evidence in its order; what acts settled on the way is
// gone for what follows.
func (e *Engine) judgeAll(line *timeline, prior []float64) ([]*judged, error) {
	if err := e.predictAll(line); err != nil {
		return nil, err
	}
	all := make([]*judged, 0, len(line.all))
	for i := range line.all {
		v := &line.all[i]
		j, err := e.judge(v, prior)
		if err != nil {
			return nil, fmt.Errorf("readings[%d]: %w", v.place, err)
		}
		j = j.after(e.leftOf(v.gone), len(e.levels))
		if v.reading.Doubtful {
			j = j.doubted(e.settings.Errors.Doubtful)
		}
		all = append(all, j)
	}
	return all, nil
}

// predictAll works out together what is shown wherever something was read.
func (e *Engine) predictAll(line *timeline) error {
	outlets := map[*stage][]int{}
	for i := range line.all {
		v := &line.all[i]
		if !keptByOutlet(v.reading) {
			continue
		}
		s, err := e.stageOf(v.reading.State, v.loadsOff, v.known)
		if err != nil {
			return fmt.Errorf("readings[%d]: %w", v.place, err)
		}
		if o := s.outlet(v.reading.At, v.reading.Half); o >= 0 && !slices.Contains(outlets[s], o) {
			outlets[s] = append(outlets[s], o)
		}
	}
	all := make([]int, len(e.hypotheses))
	for h := range all {
		all[h] = h
	}
	for s, at := range outlets {
		s.predict(at, all)
	}
	return nil
}

// weighed puts priors and readings together.
func (e *Engine) weighed(line timeline, all []*judged, prior []float64, order []int) *weighed {
	w := &weighed{
		e: e, line: line, judged: all, level: 1, order: order, priors: e.priors(&line),
		probability: make([]float64, len(e.hypotheses)), before: line.before,
	}
	for _, v := range line.all {
		w.readings, w.place = append(w.readings, *v.reading), append(w.place, v.place)
	}
	k := len(e.levels)
	logs := make([]float64, len(order)*k) // in that order
	for n, h := range order {
		shared := w.shared(h)
		for l := range k {
			v := w.priors[h] + prior[l] + shared
			for _, j := range all {
				v += j.logs[h*k+l]
			}
			logs[n*k+l] = v
		}
	}
	// What fits no hypothesis is judged as if each reading alone were drawn
	// from all of them: strange readings together speak for it.
	other := math.Log(e.settings.Weights.Unexplained.Value) + logSum(prior)
	for _, j := range all {
		other += j.overall
	}
	w.normalise(logs, other)
	w.collapse(e.leftOf(line.now.gone))
	return w
}

// shared is what errors common to the whole call add to the log likelihood of
// the hypothesis: how far ghosts come up, and a legend read wrongly throughout.
func (w *weighed) shared(h int) float64 {
	v := 0.0
	if ghosts := total(w.judged, h, len(ghostScales), func(j *judged) []float64 { return j.ghosts }); ghosts != nil {
		for g := range ghosts {
			ghosts[g] += math.Log(ghostScales[g].share)
		}
		v += logSum(ghosts)
	}
	if wrong := total(w.judged, h, len(legends), func(j *judged) []float64 { return j.legends }); wrong != nil {
		q := w.e.settings.Weights.LegendWrong.Value
		all := []float64{math.Log(1 - q)}
		for _, log := range wrong {
			all = append(all, log+math.Log(q/float64(len(legends))))
		}
		v += logSum(all)
	}
	return v
}

// total adds up the rows of the hypothesis over all readings; nil where none has any.
func total(all []*judged, h, wide int, of func(*judged) []float64) []float64 {
	var sums []float64
	for _, j := range all {
		rows := of(j)
		if len(rows) < (h+1)*wide {
			continue
		}
		if sums == nil {
			sums = make([]float64, wide)
		}
		for i := range sums {
			sums[i] += rows[h*wide+i]
		}
	}
	return sums
}

// collapse turns what was so into what is still so.
func (w *weighed) collapse(left []int) {
	if left == nil {
		return
	}
	still := make([]float64, len(w.probability))
	for _, h := range w.order {
		still[left[h]] += w.probability[h]
	}
	w.probability = still
	listed := make([]bool, len(still))
	for _, h := range w.order {
		listed[h] = true
	}
	for _, h := range w.order {
		if l := left[h]; !listed[l] {
			listed[l] = true
			w.order = append(w.order, l)
		}
	}
}

func (w *weighed) normalise(logs []float64, other float64) {
	n, k := len(w.order), len(w.e.levels)
	explained := math.Log(1 - w.e.settings.Weights.Unexplained.Value)
	byHypothesis := make([]float64, n+1)
	for h := range n {
		byHypothesis[h] = logSum(logs[h*k:(h+1)*k]) + explained
	}
	byHypothesis[n] = other
	total := logSum(byHypothesis)
	w.evidence = total
	w.likelihood = make([]float64, n)
	for i, h := range w.order {
		w.probability[h] = math.Exp(byHypothesis[i] - total)
		w.likelihood[i] = byHypothesis[i] - w.priors[h]
		if !w.e.hypotheses[h].sound() {
			continue
		}
		for l := len(levels); l < k; l++ {
			p := math.Exp(logs[i*k+l] + explained - total)
			if off(w.e.levels[l]) == StateLow {
				w.low += p
			} else {
				w.high += p
			}
		}
	}
	w.unexplained = math.Exp(other - total)

	best := math.Inf(-1)
	for l := range k {
		at := make([]float64, n)
		for h := range n {
			at[h] = logs[h*k+l]
		}
		if v := logSum(at); v > best {
			best, w.level = v, w.e.levels[l]
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
// probable first. What was found and is not put right yet belongs to each.
func (w *weighed) suspects() []Suspect {
	type group struct {
		Suspect
		signature string
		best      int
		words     string // name and place
	}
	groups := map[string]*group{}
	var order []*group
	sound := w.signature(healthy)
	for _, h := range w.order {
		if w.probability[h] < least/100 {
			continue
		}
		hyp := &w.e.hypotheses[h]
		signature := w.signature(h)
		if hyp.sound() && signature == sound {
			hyp = &w.e.hypotheses[healthy] // what goes with it changes nothing that was read
		}
		key := hyp.name + "\x00" + strings.Join(hyp.sites, " ") + "\x00" + signature
		g := groups[key]
		if g == nil {
			g = &group{signature: signature, best: h}
			if hyp == &w.e.hypotheses[healthy] {
				g.best = healthy
			}
			groups[key] = g
			order = append(order, g)
		}
		g.Probability += w.probability[h]
		if w.probability[h] > w.probability[g.best] && hyp.name == w.e.hypotheses[h].name {
			g.best = h
		}
	}
	slices.SortStableFunc(
		order,
		func(a, b *group) int { return cmp.Compare(rounded(b.Probability), rounded(a.Probability)) },
	)
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
		w.fill(&s, g.best)
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
	return w.supplied(suspects)
}

// fill says what the hypothesis is.
func (w *weighed) fill(s *Suspect, h int) {
	hyp := &w.e.hypotheses[h]
	s.Name, s.Site, s.Faults, s.Beside = hyp.name, hyp.site, hyp.faults, hyp.beside
	s.Place = w.e.placeOf(hyp.faults)
	if len(hyp.faults) > 0 {
		s.Place += besideWords(w.e.circuit, hyp.beside)
	} else if len(hyp.beside) > 0 {
		s.Place = hyp.beside[0].where(w.e.circuit)
	}
	if found := w.line.found; len(found) > 0 {
		s.Faults = slices.Concat(found, hyp.faults)
		s.Name = fault.Name(w.e.circuit, found)
		s.Place = w.e.placeOf(found) + ", found"
		if len(hyp.faults) > 0 {
			s.Name += " and " + hyp.name
			s.Place += ", and " + w.e.placeOf(hyp.faults)
		}
		s.Site = fault.Site(w.e.circuit, found)
	}
	if s.Faults == nil {
		s.Faults = []circuit.Fault{}
	}
	for _, f := range s.Faults {
		if f.Kind == circuit.Resistive {
			s.Ohms = f.Ohms
			watts, _ := w.e.heat(f.Ohms)
			s.Heat, s.Warm = rounded(watts), watts >= warmWatts
			s.Place += fmt.Sprintf(", about %s ohm", strings.TrimSuffix(fmt.Sprintf("%.2g", f.Ohms), ".0"))
		}
	}
	// With a complaint standing it is never "nothing wrong".
	if hyp.sound() && len(s.Faults) == 0 && w.e.settings.Conditions.Complaint != NoComplaint && len(w.line.putRight) == 0 {
		s.Name, s.Place = "the appliance", strings.TrimSuffix("not the wiring, "+s.Place, ", ")
	}
	s.Why = w.why(h)
}

// supplied splits off what of "nothing wrong" is a supply off its nominal.
func (w *weighed) supplied(suspects []Suspect) []Suspect {
	add := func(p float64, state string) {
		if p < least {
			return
		}
		u := Unrecorded{Kind: SupplyLevel, State: state}
		for i := range suspects {
			if s := &suspects[i]; len(s.Faults) == 0 && s.Site == "" {
				s.Probability = rounded(max(s.Probability-p, 0))
				break
			}
		}
		place := fmt.Sprintf(
			"about %.0f V where %.0f V should be",
			w.level*w.e.circuit.Supply.Volts,
			w.e.circuit.Supply.Volts,
		)
		suspects = append(suspects, Suspect{
			Name: u.name(), Place: place, Site: Elsewhere, Faults: []circuit.Fault{}, Probability: rounded(p), Beside: []Unrecorded{u},
			Alike: [][]circuit.Fault{}, AlikePlaces: []string{}, Why: w.e.settings.Weights.SupplyOff.Why,
		})
	}
	add(w.low, StateLow)
	add(w.high, StateHigh)
	suspects = slices.DeleteFunc(suspects, func(s Suspect) bool { return s.Probability < least })
	slices.SortStableFunc(suspects, func(a, b Suspect) int { return cmp.Compare(b.Probability, a.Probability) })
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

// readingWords names a reading in a sentence.
func (e *Engine) readingWords(r *tester.Reading) string {
	switch {
	case r.Tool == tester.Act && r.Act == tester.Reset:
		return "the reset at " + e.place(r.At)
	case r.Tool == tester.Act && r.Act == tester.ResetBreaker:
		return "the breaker's reset"
	case r.Tool == tester.Act && r.Act == tester.FindBox:
		return "the look for a box that nobody drew"
	case r.Tool == tester.Act:
		return "the resets of the GFCIs"
	case r.Tool == tester.Hint:
		return "the look from outside at " + e.circuit.LabelOf(r.Site)
	case r.Tool == tester.Told && r.Asked == tester.ResetGFCIs:
		return "the customer's word on the GFCIs"
	case r.Tool == tester.Told && r.Asked == tester.CycleBreaker:
		return "the customer's word on the breaker"
	case r.Tool == tester.Eyes:
		return "the look into " + e.circuit.LabelOf(r.Site)
	case r.Point != "":
		return fmt.Sprintf("the %s on %s", r.Tool.Name(), r.Point)
	case r.Between != nil:
		return fmt.Sprintf("the %s between %s and %s", r.Tool.Name(), r.Between[0], r.Between[1])
	case r.Half == "":
		return fmt.Sprintf("the %s at %s", r.Tool.Name(), e.place(r.At))
	default:
		return fmt.Sprintf("the %s at %s, %s half", r.Tool.Name(), e.place(r.At), r.Half)
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

// bySite adds the probabilities up by box, cable and panel: that something is
// wrong there. What was found there is certain, as far as eyes are.
func (w *weighed) bySite() map[string]float64 {
	sum := map[string]float64{}
	for _, h := range w.order {
		for _, site := range w.e.hypotheses[h].sites {
			sum[site] += w.probability[h]
		}
	}
	if p := w.low + w.high; p >= least {
		sum[Elsewhere] += p
	}
	for i := range w.line.found {
		if site := fault.Site(w.e.circuit, w.line.found[i:]); site != "" {
			sum[site] = seenAt
		}
	}
	return sum
}

// seenAt is the probability of what eyes have found: nothing is ever certain.
const seenAt = 0.99

// weights part all probability over where it is to be put right. The two ends
// of a cable that nothing read so far tells apart are shown as the cable.
func (w *weighed) weights() ([]Site, float64) {
	sum := map[string]float64{}
	sound := 0.0
	ends := map[string][2]float64{} // by cable and what it predicts: at its two ends
	for _, h := range w.order {
		p := w.probability[h]
		hyp := &w.e.hypotheses[h]
		switch {
		case hyp.sound():
			sound += p
			continue
		case p < negligible || len(hyp.sites) != 1:
			for _, site := range hyp.sites {
				sum[site] += p / float64(len(hyp.sites))
			}
			continue
		}
		cable, end := w.e.endOf(hyp)
		if cable == "" {
			sum[hyp.sites[0]] += p
			continue
		}
		key := cable + "\x00" + hyp.name + "\x00" + w.signature(h)
		both := ends[key]
		both[end] += p
		ends[key] = both
	}
	for key, both := range ends {
		cable := w.e.circuit.Cable(key[:strings.IndexByte(key, 0)])
		if low, high := min(both[0], both[1]), max(both[0], both[1]); high < apartEnds*low {
			sum[cable.ID] += low + high
			continue
		}
		sum[cable.From] += both[0]
		sum[cable.To] += both[1]
	}
	supply := w.low + w.high
	if supply >= least {
		sum[Elsewhere] += supply
		sound = max(sound-supply, 0)
	}
	return listed(sum), rounded(sound)
}

// apartEnds is how many times likelier one end of a cable must be than the
// other to be shown by itself. Assumption.
const apartEnds = 6

// endOf is the cable, and which end of it, that a single fault sits at: 0
// nearer the panel.
func (e *Engine) endOf(hyp *hypothesis) (string, int) {
	if len(hyp.faults) != 1 {
		return "", 0
	}
	p, err := e.circuit.ParsePoint(hyp.faults[0].At, "")
	if err != nil {
		if p, err = e.circuit.ParseCableEnd(hyp.faults[0].At); err != nil {
			return "", 0
		}
	}
	if p.Kind != circuit.CableEndPoint {
		return "", 0
	}
	if cable := e.circuit.Cable(p.Owner); cable.To == p.At {
		return cable.ID, 1
	}
	return p.Owner, 0
}

// siteOf is the box of one of a hypothesis' faults.
func (e *Engine) siteOf(h *hypothesis, i int) string { return fault.Site(e.circuit, h.faults[i:]) }

// remediesOf are those of remedies, kept.
func (e *Engine) remediesOf(h int) []string {
	all, ok := e.remedy[h]
	if !ok {
		all = e.remedies(&e.hypotheses[h])
		e.remedy[h] = all
	}
	return all
}

// Settled asks that no other single cause explains the readings within this
// factor.
const apartCauses = 20

// settled tells whether the search is over: something was found and waits to be
// put right; or one site holds nearly all, no other single cause explains the
// readings nearly as well, and no danger is open elsewhere. Never for two faults
// on the word of one tool.
func (w *weighed) settled(r *Result) bool {
	if len(w.line.found) > 0 {
		return true
	}
	if len(r.Sites) == 0 || r.Sites[0].Probability < settledAt || len(w.readings) == 0 {
		return false
	}
	site := r.Sites[0].Site
	open := func(d Danger) bool {
		return d.Site != site && d.Urgent || d.Site == site && (d.Name == LiveGroundPin || d.Urgent) && !d.Shown
	}
	if slices.ContainsFunc(r.Hidden, open) {
		return false
	}
	best, other, two := math.Inf(-1), math.Inf(-1), 0.0
	for n, h := range w.order[:len(w.likelihood)] {
		hyp := &w.e.hypotheses[h]
		switch {
		case slices.Contains(hyp.sites, site) && len(hyp.sites) == 1:
			best = max(best, w.likelihood[n])
		case len(hyp.sites) < 2 && !math.IsInf(w.priors[h], -1):
			other = max(other, w.likelihood[n])
		}
		if len(hyp.faults) > 1 && len(hyp.sites) > 1 {
			two += w.probability[h]
		}
	}
	if other > best-math.Log(apartCauses) {
		return false
	}
	tools := map[tester.Tool]bool{}
	for i := range w.readings {
		tools[w.readings[i].Tool] = true
	}
	return two < 0.5 || len(tools) > 1
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
