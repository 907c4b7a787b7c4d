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
	// Conditions of the place raise and lower the weights.
	Conditions Conditions
}

// Defaults are the settings used where the shop has not set its own.
func Defaults() Settings {
	return Settings{Weights: DefaultWeights, Errors: DefaultErrors, Minutes: DefaultMinutes, Tools: usualTools}
}

// usualTools are carried by everyone who does this work. Common practice, no source.
var usualTools = []tester.Tool{tester.Plug, tester.PlugButton, tester.DeviceButton, tester.Meter, tester.Sensor, tester.Lamp}

// An Engine diagnoses one circuit. It remembers what every hypothesis shows at
// every outlet it was asked about, so each further reading costs little. It is
// not safe for concurrent use.
type Engine struct {
	circuit    *circuit.Circuit
	settings   Settings
	hypotheses []hypothesis // single faults, then the pairs that joined
	singles    int
	pairs      map[pair]int // their place among the hypotheses
	prior      []float64    // log, normalised over single faults
	pairPrior  float64      // log, beside the priors of a pair's two faults
	threePrior float64      // the same of three
	states     map[string]*stage
	judged     map[string]*judged // by the reading
	effects    map[string]int     // single faults by what they do
	names      map[circuit.Fault]circuit.Fault
}

// A stage is the circuit in one state, with what was predicted on it so far.
type stage struct {
	bench      *tester.Bench
	variations []*network.Variation
	shown      [][]shown // by outlet, then hypothesis; not all are worked out
	kinds      map[asked]*outcomes
}

// NewEngine prepares a diagnosis of the circuit. Faults that its file names
// are left out: they are what is looked for.
func NewEngine(c *circuit.Circuit, settings Settings) (*Engine, error) {
	clean := c.Clone()
	clean.Faults = nil
	e := &Engine{circuit: clean, settings: settings, states: map[string]*stage{}, judged: map[string]*judged{}, pairs: map[pair]int{}, names: map[circuit.Fault]circuit.Fault{}}
	s, err := e.newStage(clean, true)
	if err != nil {
		return nil, err
	}
	e.states[stateKey(nil)] = s
	e.singles = len(e.hypotheses)
	total := 0.0
	for _, h := range e.hypotheses {
		total += h.weight
	}
	two := settings.Weights.TwoFaults.Value
	faulty, squares := 0.0, 0.0 // of the faults' shares: what pairs are drawn from
	for i, h := range e.hypotheses {
		share := (1 - two) * h.weight / total
		e.prior = append(e.prior, math.Log(share))
		if i != healthy {
			faulty, squares = faulty+share, squares+share*share
		}
	}
	e.pairPrior = math.Log(two / ((faulty*faulty - squares) / 2))
	e.threePrior = math.Log(settings.Weights.ThreeFaults.Value * 6 / (faulty * faulty * faulty))
	return e, nil
}

// Sample draws one of the engine's single faults by their weights: a case as
// the weights expect it. U is uniform between 0 and 1.
func (e *Engine) Sample(u float64) []circuit.Fault {
	total := 0.0
	for h := 1; h < e.singles; h++ {
		total += e.hypotheses[h].weight
	}
	u *= total
	for h := 1; h < e.singles; h++ {
		if u -= e.hypotheses[h].weight; u <= 0 {
			return e.hypotheses[h].faults
		}
	}
	return e.hypotheses[e.singles-1].faults
}

func (e *Engine) newStage(c *circuit.Circuit, first bool) (*stage, error) {
	bench, err := tester.NewBench(c)
	if err != nil {
		return nil, err
	}
	s := &stage{bench: bench, shown: make([][]shown, len(bench.Outlets())), kinds: map[asked]*outcomes{}}
	if first {
		e.hypotheses, s.variations, e.effects, err = enumerate(bench.Model, &e.settings.Weights, e.settings.Conditions)
		return s, err
	}
	return s, s.extend(e.hypotheses)
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
	v, err := e.states[stateKey(nil)].bench.Model.Vary([]circuit.Fault{f})
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

func stateKey(state *tester.State) string {
	if state == nil {
		return ""
	}
	key, _ := json.Marshal(state) // a struct of strings and bools cannot fail
	return string(key)
}

// stageOf is the circuit in the state a reading was taken in.
func (e *Engine) stageOf(state *tester.State) (*stage, error) {
	key := stateKey(state)
	if s, ok := e.states[key]; ok {
		return s, nil
	}
	c, err := state.On(e.circuit)
	if err != nil {
		return nil, err
	}
	s, err := e.newStage(c, false)
	if err != nil {
		return nil, err
	}
	e.states[key] = s
	return s, nil
}

// at is what every hypothesis shows at the outlet.
func (s *stage) at(outlet int) []shown {
	return s.predict(outlet, func(int) bool { return true })
}

// predict works out what the wanted hypotheses show at the outlet, as far as
// that is still to do.
func (s *stage) predict(outlet int, wanted func(h int) bool) []shown {
	for h := len(s.shown[outlet]); h < len(s.variations); h++ {
		s.shown[outlet] = append(s.shown[outlet], shown{})
	}
	all := s.shown[outlet]
	for h := range all {
		if !all[h].known && wanted(h) {
			all[h] = look(s.bench.Settle(s.variations[h]), s.bench.Outlets()[outlet])
			all[h].known = true
		}
	}
	return all
}

// look puts every tester on the outlet.
func look(c *tester.Condition, o circuit.Outlet) (s shown) {
	f := c.Face(o)
	s.sensor, s.high, s.low, s.lamps, s.lamp = f.Sensor, f.High, f.Low, f.Lamps, f.Lamp
	s.yoke = f.LiveYoke()
	s.short = slices.Contains(c.Tripped, circuit.Panel)
	s.markGhosts()
	return s
}

func (s *stage) outlet(device string, half circuit.Half) int {
	return slices.IndexFunc(s.bench.Outlets(), func(o circuit.Outlet) bool { return o.Device == device && o.Half == half })
}
