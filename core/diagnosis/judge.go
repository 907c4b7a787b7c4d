package diagnosis

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"

	"elvat/core/circuit"
	"elvat/core/tester"
)

// judged is a reading held against every hypothesis.
type judged struct {
	logs    []float64 // likelihood by hypothesis, then supply level
	overall float64   // and over all of them together
	codes   []string  // what each hypothesis predicts, as far as the tester shows it
	// By hypothesis, then scale of ghosts, or legend: the log likelihood against
	// that in logs; nil where the reading has none.
	ghosts  []float64
	legends []float64
	// fits reports whether the reading is what the hypothesis predicts, within
	// the tester's bounds at the supply level.
	fits  func(h int, level float64) bool
	asked []bool // of readings asked anew: whether each hypothesis fits
}

// judge works out what a reading says of every hypothesis, once however often
// it is asked: each further reading then costs its own only.
func (e *Engine) judge(v *evidence, prior []float64) (*judged, error) {
	r := v.reading
	key, _ := json.Marshal(r) // a struct of numbers and strings cannot fail
	s, err := e.stageOf(r.State, v.loadsOff, v.known)
	if err != nil {
		return nil, err
	}
	id := string(key) + "\x00" + v.known.key() + stateKey(nil, v.loadsOff)
	j := e.judged[id]
	n, k := len(e.hypotheses), len(e.levels)
	if j != nil && len(j.codes) == n {
		return j, nil
	}
	if j == nil {
		j = &judged{}
	}
	// What was judged before stays; hypotheses that joined since are added.
	from := len(j.codes)
	j.logs, j.codes = longer(j.logs, n*k), longer(j.codes, n)
	if keptByOutlet(r) {
		err = e.judgeShown(j, r, s, from)
	} else {
		err = e.judgeAsked(j, r, s, from)
	}
	if err != nil {
		return nil, err
	}
	if from == 0 {
		// Over the single faults: which pairs have joined by now must not matter.
		e.scratch = longer(e.scratch, e.singles*k)
		weighted := e.scratch[:e.singles*k]
		for h := range e.singles {
			for l := range k {
				weighted[h*k+l] = j.logs[h*k+l] + e.prior[h] + prior[l]
			}
		}
		j.overall = logSum(weighted) - logSum(prior)
	}
	e.judged[id] = j
	return j, nil
}

// doubted is the reading when a share of such readings is anything at all.
func (j *judged) doubted(share float64) *judged {
	d := &judged{logs: make([]float64, len(j.logs)), overall: j.overall, codes: j.codes, fits: j.fits, asked: j.asked}
	for i, log := range j.logs {
		d.logs[i] = logSum([]float64{log + math.Log(1-share), j.overall + math.Log(share)})
	}
	return d
}

// judgeShown judges a reading of a tester whose predictions are kept by outlet.
func (e *Engine) judgeShown(j *judged, r *tester.Reading, s *stage, from int) error {
	outlet := s.outlet(r.At, r.Half)
	if outlet < 0 {
		return errNoDevice(r.At)
	}
	all, k, at := s.at(outlet), len(e.levels), s.levelsAt(outlet)
	errors, by := e.settings.Errors, instruments[r.Tool]
	ghostly := j.ghosts
	switch r.Tool {
	case tester.Plug:
		j.legends = longer(j.legends, len(all)*len(legends))
	case tester.Meter:
		ghostly = longer(j.ghosts, len(all)*len(ghostScales))
	}
	var floats atomic.Bool // some hypothesis has a ghost there
	judge := func(h int) {
		logs := j.logs[h*k : (h+1)*k]
		by.likelihood(errors, r, &all[h], s.bench.Constants, at, logs)
		j.codes[h] = by.code(r, &all[h], s.bench.Constants)
		switch r.Tool {
		case tester.Meter:
			if ghosts := errors.ghosts(r, &all[h]); ghosts != nil {
				whole := make([]float64, len(ghosts))
				for g := range ghosts {
					whole[g] = ghosts[g] + math.Log(ghostScales[g].share)
				}
				mean := logSum(whole)
				for l := range logs {
					logs[l] += mean
				}
				for g := range ghosts {
					ghosts[g] -= mean
				}
				floats.Store(true)
				copy(ghostly[h*len(ghosts):], ghosts)
			}
		case tester.Plug:
			row := j.legends[h*len(legends) : (h+1)*len(legends)]
			for n, legend := range legends {
				taken := *r
				taken.Lamps = r.Lamps.Exchanged(legend)
				by.likelihood(errors, &taken, &all[h], s.bench.Constants, at[:1], row[n:n+1])
				row[n] -= logs[0]
			}
		}
	}
	const part = 64 // of the hypotheses to a worker at a time
	inParallel((len(all)-from+part-1)/part, func() func(int) {
		return func(i int) {
			for h := from + i*part; h < min(from+(i+1)*part, len(all)); h++ {
				judge(h)
			}
		}
	})
	if floats.Load() || j.ghosts != nil {
		j.ghosts = ghostly
	}
	j.fits = func(h int, level float64) bool {
		return by.fits(errors, r, &s.shown[outlet][h], s.levelAt(outlet, level), s.bench.Constants)
	}
	return nil
}

// levelAt is the supply's level as it is at the outlet: with a lost neutral,
// what one leg gains the other loses.
func (s *stage) levelAt(outlet int, level float64) float64 {
	if s.opposite != nil && s.opposite[outlet] && off(level) != "" {
		return max(2-level, 0)
	}
	return level
}

func (s *stage) levelsAt(outlet int) []float64 {
	if s.opposite == nil || !s.opposite[outlet] {
		return s.e.levels
	}
	at := make([]float64, len(s.e.levels))
	for l, level := range s.e.levels {
		at[l] = s.levelAt(outlet, level)
	}
	return at
}

// judgeAsked judges a reading that is asked of every hypothesis anew.
func (e *Engine) judgeAsked(j *judged, r *tester.Reading, s *stage, from int) error {
	k := len(e.levels)
	for h := from; h < len(s.variations); h++ {
		a, err := e.answer(r, h, s)
		if err != nil {
			return err
		}
		j.codes[h] = a.code
		for l, level := range e.levels {
			p := a.likelihood(level)
			j.logs[h*k+l] = math.Log(p)
		}
		j.asked = append(j.asked, a.fits)
	}
	j.fits = func(h int, _ float64) bool { return j.asked[h] }
	return nil
}

// An answer is what one hypothesis predicts for a reading that is asked anew.
type answer struct {
	code       string
	likelihood func(level float64) float64
	fits       bool
}

// flat is an answer that the supply's level does not change.
func flat(code string, p float64, fits bool) answer {
	return answer{code, func(float64) float64 { return p }, fits}
}

func (e Errors) toldLikelihood(is, said tester.Answer) float64 {
	if is == said {
		return 1 - e.Told
	}
	return e.Told / float64(len(tester.Answers)-1)
}

// digits rounds a prediction to what an electrician would call the same.
func digits(v float64) string { return strconv.FormatFloat(v, 'g', 2, 64) }

// near is the likelihood of a measured value about what is predicted.
func (e Errors) near(predicted, seen, bound float64) float64 {
	return e.voltsLikelihood(predicted, seen, bound)
}

// tripped compares which GFCIs tripped. Real devices in a row race, so any of
// those predicted agrees.
func (e Errors) tripped(predicted, seen []string) answer {
	agrees := (len(predicted) == 0) == (len(seen) == 0)
	for _, name := range seen {
		agrees = agrees && slices.Contains(predicted, name)
	}
	p := e.Trip
	if agrees {
		p = 1 - e.Trip
	}
	return flat(strings.Join(predicted, "+"), p, agrees)
}

func (e Errors) ohms(predicted, seen tester.Reads) answer {
	switch {
	case predicted.Open != seen.Open:
		return flat(fmt.Sprint(predicted.Open, digits(predicted.Value)), e.VoltsWild, false)
	case predicted.Open:
		return flat("open", 1-e.VoltsWild, true)
	}
	bound := e.OhmsShare*predicted.Value + e.OhmsPlus
	return flat(
		digits(predicted.Value),
		e.nearOhms(predicted.Value, seen.Value),
		math.Abs(predicted.Value-seen.Value) <= 1.5*bound,
	)
}

// nearOhms is the likelihood of measured ohms about what is predicted, as a
// density over their logarithm: they span nine powers of ten.
func (e Errors) nearOhms(predicted, seen float64) float64 {
	sigma := (e.OhmsShare*predicted + e.OhmsPlus) / 2 / (predicted + e.OhmsPlus)
	z := (math.Log(seen+e.OhmsPlus) - math.Log(predicted+e.OhmsPlus)) / sigma
	const anything = 20 // nepers
	return (1-e.VoltsWild)*math.Exp(-z*z/2)/(sigma*math.Sqrt(2*math.Pi)) + e.VoltsWild/anything
}

// analyzed compares what a load tester shows, value by value.
func (e Errors) analyzed(a tester.Analysis, r *tester.Reading) answer {
	p, fits := 1.0, true
	code := string(a.Wiring)
	if r.Wiring != "" {
		if r.Wiring == a.Wiring {
			p *= 1 - e.Lamp
		} else {
			p, fits = p*e.Lamp, false
		}
	}
	compare := func(predicted, seen *float64, share, plus float64) {
		if predicted != nil && seen != nil && plus == e.OhmsPlus {
			code += " " + digits(*predicted)
			p *= e.nearOhms(*predicted, *seen)
			fits = fits && math.Abs(*predicted-*seen) <= 1.5*(share**predicted+plus)
			return
		}
		switch {
		case seen == nil:
			return
		case predicted == nil:
			p, fits = p*e.VoltsWild, false
			return
		}
		bound := share**predicted + plus
		code += " " + digits(*predicted)
		p *= e.near(*predicted, *seen, bound)
		fits = fits && math.Abs(*predicted-*seen) <= 1.5*bound
	}
	if r.Ohms != nil {
		compare(a.Ohms.Hot, r.Ohms.Hot, e.OhmsShare, e.OhmsPlus)
		compare(a.Ohms.Neutral, r.Ohms.Neutral, e.OhmsShare, e.OhmsPlus)
		compare(a.Ohms.Ground, r.Ohms.Ground, e.OhmsShare, e.OhmsPlus)
		if r.Ohms.Hot == nil {
			compare(a.Ohms.HotNeutral, r.Ohms.HotNeutral, e.OhmsShare, e.OhmsPlus)
		}
	}
	if r.Ohms == nil && r.DropPercent != nil {
		compare(a.DropPercent, r.DropPercent.Value, e.OhmsShare, 100*e.OhmsPlus/8)
	}
	volts := func(float64) float64 { return 1 }
	if r.Volts != nil && r.Volts.Unloaded.Value != nil {
		seen := *r.Volts.Unloaded.Value
		switch {
		case a.Volts == nil:
			p, fits = p*e.VoltsWild, false
		default:
			bound := e.VoltsShare**a.Volts + e.VoltsPlus
			volts = func(level float64) float64 { return e.near(*a.Volts*level, seen, bound) }
		}
	}
	return answer{code, func(level float64) float64 { return p * volts(level) }, fits}
}

// hasGuards reports whether anything on the circuit compares currents.
func hasGuards(c *circuit.Circuit) bool {
	for i := range c.Boxes {
		for _, v := range c.Boxes[i].Devices {
			if v.Kind == circuit.GFCI {
				return true
			}
		}
	}
	return c.Breaker.Protection.SeesGroundFaults()
}
