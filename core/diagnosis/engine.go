package diagnosis

import (
	"encoding/json"
	"math"
	"slices"

	"elvat/core/circuit"
	"elvat/core/network"
	"elvat/core/tester"
)

// Settings are what a shop can set of a diagnosis.
type Settings struct {
	Weights Weights
	Errors  Errors
	Minutes Minutes
	Tools   []tester.Tool // carried
	// Three faults at once are looked for too; it takes longer.
	Three bool
	// Qualified: whoever does the work may test with a cable's end taken apart
	// and power on.
	Qualified bool
	// Sessions: several boxes opened one after another share one dead session:
	// the breaker and the dead proof are paid once.
	Sessions bool
	// Conditions of the place raise and lower the weights.
	Conditions Conditions
}

// Defaults are the settings used where the shop has not set its own.
func Defaults() Settings {
	return Settings{Weights: DefaultWeights, Errors: DefaultErrors, Minutes: DefaultMinutes, Tools: usualTools}
}

// usualTools are carried by everyone who does this work. Common practice, no source.
var usualTools = []tester.Tool{
	tester.Plug,
	tester.PlugButton,
	tester.DeviceButton,
	tester.Meter,
	tester.Sensor,
	tester.Lamp,
}

// An Engine diagnoses one circuit. It remembers what every hypothesis shows at
// every outlet it was asked about, so each further reading costs little. It is
// not safe for concurrent use.
type Engine struct {
	circuit    *circuit.Circuit
	settings   Settings
	hypotheses []hypothesis // those of the catalogue, then what joined
	singles    int
	index      map[string]int // hypotheses by what they say is so
	prior      []float64      // log, normalised over those of the catalogue
	priorFound []float64      // the same once a fault was found: of what else is wrong
	pairPrior  float64        // log, beside the priors of a pair's two faults
	threePrior float64        // the same of three
	benches    map[string]*tester.Bench
	states     map[string]*stage
	levels     []float64          // of the supply, that readings are held against
	judged     map[string]*judged // by the reading and its stage
	left       map[string][]int   // by what acts settled: what remains of each hypothesis
	effects    map[string]int     // single faults by what they do
	names      map[circuit.Fault]circuit.Fault
	places     []openPlace      // where a connection can be loose
	pairs      map[pair]int     // what joined, among the hypotheses
	remedy     map[int][]string // where each hypothesis is put right
	scratch    []float64
}

// A stage is the circuit in one state and with what is known to be wrong, with
// what was predicted on it so far.
type stage struct {
	e          *Engine
	bench      *tester.Bench
	known      known
	variations []*network.Variation // nil where not worked out yet
	shown      [][]shown            // by outlet, none where nothing was asked of it; then hypothesis; not all are worked out
	kinds      map[asked]*outcomes
	excluded   map[int]bool // hypotheses that what is known rules out
	opposite   []bool       // by outlet: fed from the second leg
}

// NewEngine prepares a diagnosis of the circuit. Faults that its file names
// are left out: they are what is looked for.
func NewEngine(c *circuit.Circuit, settings Settings) (*Engine, error) {
	clean := c.Clone()
	clean.Faults = nil
	e := &Engine{
		circuit: clean, settings: settings, index: map[string]int{}, benches: map[string]*tester.Bench{}, states: map[string]*stage{}, levels: levels,
		judged: map[string]*judged{}, left: map[string][]int{}, names: map[circuit.Fault]circuit.Fault{},
		pairs: map[pair]int{}, remedy: map[int][]string{},
	}
	bench, err := e.benchOf(nil, false)
	if err != nil {
		return nil, err
	}
	kept, variations, effects, places, err := enumerate(bench.Model, &e.settings.Weights, e.settings.Conditions)
	if err != nil {
		return nil, err
	}
	e.effects, e.places = effects, places
	for i := range kept {
		e.addHypothesis(kept[i])
	}
	s, err := e.stageOf(nil, false, known{beside: knownGround(settings.Conditions)})
	if err != nil {
		return nil, err
	}
	if len(s.known.beside) == 0 {
		copy(s.variations, variations)
	}
	e.loadsBeyond(s)
	s.extend(len(e.hypotheses))
	e.singles = len(e.hypotheses)
	e.weighCatalogue()
	return e, nil
}

// weighCatalogue turns the weights of the catalogue into priors.
func (e *Engine) weighCatalogue() {
	total := 0.0
	for _, h := range e.hypotheses {
		if !h.nuisance {
			total += h.weight
		}
	}
	two := e.settings.Weights.TwoFaults.Value
	faulty, squares := 0.0, 0.0 // of the faults' shares: what pairs are drawn from
	share := func(h *hypothesis) float64 {
		if h.nuisance {
			return (1 - two) * e.hypotheses[healthy].weight / total * h.weight
		}
		return (1 - two) * h.weight / total
	}
	for i := range e.hypotheses {
		h := &e.hypotheses[i]
		p := share(h)
		e.prior = append(e.prior, math.Log(p))
		if i != healthy && !h.nuisance {
			faulty, squares = faulty+p, squares+p*p
		}
	}
	for i := range e.hypotheses {
		h := &e.hypotheses[i]
		switch {
		case i == healthy:
			e.priorFound = append(e.priorFound, math.Log(1-two))
		case h.nuisance:
			e.priorFound = append(e.priorFound, math.Log((1-two)*h.weight))
		default:
			e.priorFound = append(e.priorFound, math.Log(two*share(h)/faulty))
		}
	}
	e.pairPrior = math.Log(two / ((faulty*faulty - squares) / 2))
	e.threePrior = math.Log(e.settings.Weights.ThreeFaults.Value * 6 / (faulty * faulty * faulty))
}

// addHypothesis keeps one more; its place among all.
func (e *Engine) addHypothesis(h hypothesis) int {
	e.index[elementsKey(h.faults, h.beside)] = len(e.hypotheses)
	e.hypotheses = append(e.hypotheses, h)
	return len(e.hypotheses) - 1
}

// known is the fault as the catalogue names it: faults by another name that do
// the same, as a wire off its terminal and that terminal open, are one.
func (e *Engine) known(f circuit.Fault) circuit.Fault {
	if g, ok := e.names[f]; ok {
		return g
	}
	g := e.nameOf(f)
	e.names[f] = g
	return g
}

func (e *Engine) nameOf(f circuit.Fault) circuit.Fault {
	if f.Kind == circuit.Resistive {
		f.Ohms = looseOhms[0] // how loose does not matter
	}
	bench, err := e.benchOf(nil, false)
	if err != nil {
		return f
	}
	v, err := bench.Model.Vary([]circuit.Fault{f})
	if err != nil {
		return f
	}
	if h, ok := e.effects[effectOf(v)]; ok && len(e.hypotheses[h].faults) == 1 {
		return e.hypotheses[h].faults[0]
	}
	return f
}

func (e *Engine) allKnown(faults []circuit.Fault) []circuit.Fault {
	out := make([]circuit.Fault, len(faults))
	for i, f := range faults {
		out[i] = e.known(f)
	}
	return out
}

func stateKey(state *tester.State, loadsOff bool) string {
	if state == nil && !loadsOff {
		return ""
	}
	key, _ := json.Marshal(state) // a struct of strings and bools cannot fail
	if loadsOff {
		return "unplugged " + string(key)
	}
	return string(key)
}

// benchOf is the circuit in the state a reading was taken in.
func (e *Engine) benchOf(state *tester.State, loadsOff bool) (*tester.Bench, error) {
	key := stateKey(state, loadsOff)
	if b, ok := e.benches[key]; ok {
		return b, nil
	}
	c, err := state.On(e.circuit)
	if err != nil {
		return nil, err
	}
	if loadsOff && (state == nil || state.LoadsOn == nil) {
		c = c.Clone()
		for i := range c.Loads {
			c.Loads[i].On = false
		}
	}
	b, err := tester.NewBench(c)
	if err == nil {
		e.benches[key] = b
	}
	return b, err
}

// stageOf is the circuit in the state, with what is known to be wrong.
func (e *Engine) stageOf(state *tester.State, loadsOff bool, k known) (*stage, error) {
	key := stateKey(state, loadsOff) + "\x00" + k.key()
	if s, ok := e.states[key]; ok {
		s.extend(len(e.hypotheses))
		return s, nil
	}
	bench, err := e.benchOf(state, loadsOff)
	if err != nil {
		return nil, err
	}
	s := &stage{
		e:        e,
		bench:    bench,
		known:    k,
		shown:    make([][]shown, len(bench.Outlets())),
		kinds:    map[asked]*outcomes{},
		excluded: map[int]bool{},
	}
	if bench.Model.Wired.Circuit.Breaker.Poles == 2 {
		sound := bench.Settle(&network.Variation{Guards: bench.Model.Wired.Guards})
		for _, o := range bench.Outlets() {
			s.opposite = append(s.opposite, sound.OppositeLeg(o))
		}
	}
	s.extend(len(e.hypotheses))
	e.states[key] = s
	return s, nil
}

// extend makes room for the hypotheses that joined.
func (s *stage) extend(n int) {
	s.variations = longer(s.variations, n)
	for o := range s.shown {
		if s.shown[o] != nil {
			s.shown[o] = longer(s.shown[o], n)
		}
	}
}

// longer is the slice with n elements, new ones zero. Where it has to move it
// leaves room for the pairs that join later.
func longer[T any](x []T, n int) []T {
	switch {
	case len(x) >= n:
		return x
	case cap(x) < n:
		x = append(make([]T, 0, n+n/4), x...)
	}
	return x[:n]
}

// variation is what the hypothesis changes here, on top of what is known.
func (s *stage) variation(h int) *network.Variation {
	if s.variations[h] != nil {
		return s.variations[h]
	}
	hyp := &s.e.hypotheses[h]
	faults, beside := hyp.faults, hyp.beside
	if len(s.known.faults) > 0 {
		faults = slices.Concat(s.known.faults, hyp.faults)
	}
	if len(s.known.beside) > 0 {
		beside = slices.Concat(s.known.beside, hyp.beside)
	}
	v, err := vary(s.bench.Model, faults, beside)
	if err != nil && len(hyp.faults) > 1 {
		// The first fault leaves the second nothing to act on: it is the first alone.
		v, err = vary(s.bench.Model, slices.Concat(s.known.faults, hyp.faults[:1]), beside)
	}
	if err != nil {
		v, err = vary(s.bench.Model, s.known.faults, beside)
	}
	if err != nil {
		v = &network.Variation{Guards: s.bench.Model.Wired.Guards}
	}
	s.variations[h] = v
	return v
}

// settled is the circuit under the hypothesis.
func (s *stage) settled(h int) *tester.Condition { return s.bench.Settle(s.variation(h)) }

// at is what every hypothesis shows at the outlet.
func (s *stage) at(outlet int) []shown {
	all := make([]int, len(s.variations))
	for h := range all {
		all[h] = h
	}
	s.predict([]int{outlet}, all)
	return s.shown[outlet]
}

// parallelFrom is how many predictions are worth a second worker.
const parallelFrom = 200

// predict works out what the hypotheses show at the outlets, as far as that is
// still to do, on as many workers as there are processors.
func (s *stage) predict(outlets, hypotheses []int) {
	for _, o := range outlets {
		s.shown[o] = longer(s.shown[o], len(s.variations))
	}
	var todo []int
	for _, h := range hypotheses {
		if slices.ContainsFunc(outlets, func(o int) bool { return !s.shown[o][h].known }) {
			todo = append(todo, h)
			s.variation(h)
		}
	}
	work := func(bench *tester.Bench, part []int) {
		for _, h := range part {
			c := bench.Settle(s.variations[h])
			for _, o := range outlets {
				if !s.shown[o][h].known {
					s.shown[o][h] = look(c, bench.Outlets()[o])
				}
			}
		}
	}
	if len(todo)*len(outlets) < parallelFrom {
		work(s.bench, todo)
		return
	}
	inParallel(len(todo), func() func(i int) {
		bench := s.bench.Fork()
		return func(i int) { work(bench, todo[i:i+1]) }
	})
}

// look puts every tester on the outlet.
func look(c *tester.Condition, o circuit.Outlet) (s shown) {
	f := c.Face(o)
	s.sensor, s.high, s.low, s.lamps, s.lamp = f.Sensor, f.High, f.Low, f.Lamps, f.Lamp
	s.yoke = f.LiveYoke()
	s.short = slices.Contains(c.Tripped, circuit.Panel)
	s.markGhosts()
	s.known = true
	return s
}

func (s *stage) outlet(device string, half circuit.Half) int {
	return slices.IndexFunc(s.bench.Outlets(), func(o circuit.Outlet) bool { return o.Device == device && o.Half == half })
}

// leftOf is what remains of each hypothesis once acts have settled some of it;
// nil where nothing is settled.
func (e *Engine) leftOf(g gone) []int {
	if g.nothing() {
		return nil
	}
	key := g.key()
	left := e.left[key]
	for h := len(left); h < len(e.hypotheses); h++ {
		left = append(left, e.stripped(h, g))
	}
	e.left[key] = left
	return left
}

func (e *Engine) stripped(h int, g gone) int {
	hyp := &e.hypotheses[h]
	faults := slices.DeleteFunc(slices.Clone(hyp.faults), g.fault)
	beside := slices.DeleteFunc(slices.Clone(hyp.beside), g.unrecorded)
	if len(faults) == len(hyp.faults) && len(beside) == len(hyp.beside) {
		return h
	}
	if left, ok := e.index[elementsKey(faults, beside)]; ok {
		return left
	}
	if left, ok := e.index[elementsKey(faults, nil)]; ok {
		return left
	}
	if len(faults) > 0 {
		if left, ok := e.index[elementsKey(faults[:1], nil)]; ok {
			return left
		}
	}
	return healthy
}
