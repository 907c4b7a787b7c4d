package diagnosis

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/runs"
	"elvat/core/tester"
)

// DoMap is a test of the order of the boxes.
const DoMap = "map"

// mostRuns is how many ways the circuit could run stand for all. Assumption.
const mostRuns = 6

// unlikelyRun is the probability below which a way is left out of account.
const unlikelyRun = 1e-3

// mapTools are those whose answers mean the same in every way the circuit could run.
var mapTools = []tester.Tool{tester.Plug, tester.Sensor, tester.Lamp}

// An Ensemble diagnoses a circuit of which the order of some boxes is not
// known: one engine for each way it could run, and the answers averaged.
type Ensemble struct {
	circuit *circuit.Circuit
	known   runs.Map
	ways    []way
	all     []runs.Run // all of them, by what was seen of the order alone
	single  *Engine    // where the order is known
}

type way struct {
	run    runs.Run
	engine *Engine
}

// NewEnsemble prepares a diagnosis. Without anything unsure in the map it is
// that of one Engine.
func NewEnsemble(c *circuit.Circuit, m runs.Map, settings Settings) (*Ensemble, error) {
	if len(m.Unsure) == 0 {
		engine, err := NewEngine(c, settings)
		return &Ensemble{circuit: c, single: engine}, err
	}
	all, err := runs.Possible(c, m)
	if err != nil {
		return nil, err
	}
	x := &Ensemble{circuit: c, known: m, all: all}
	for _, run := range runs.Sample(all, mostRuns) {
		as, err := run.On(c)
		if err != nil {
			continue // it cannot be made up that way
		}
		settings.Tools = slices.DeleteFunc(
			slices.Clone(settings.Tools),
			func(t tester.Tool) bool { return !slices.Contains(mapTools, t) },
		)
		engine, err := NewEngine(as, settings)
		if err != nil {
			return nil, err
		}
		x.ways = append(x.ways, way{run, engine})
	}
	if len(x.ways) == 0 {
		return nil, errors.New("map: the circuit cannot run in any of the ways left")
	}
	return x, nil
}

// Diagnose is DiagnoseNow with the circuit as its file says.
func (x *Ensemble) Diagnose(readings []tester.Reading) (*Result, error) {
	return x.DiagnoseNow(readings, nil)
}

// DiagnoseNow weighs all hypotheses in every way the circuit could run. How
// well a way explains the readings is evidence of the order itself.
func (x *Ensemble) DiagnoseNow(readings []tester.Reading, now *tester.State) (*Result, error) {
	_, next, err := x.Suspects(readings, now)
	if err != nil {
		return nil, err
	}
	return next(), nil
}

// Suspects is the first half of DiagnoseNow, as an Engine's.
func (x *Ensemble) Suspects(readings []tester.Reading, now *tester.State) (first *Result, next func() *Result, err error) {
	if x.single != nil {
		return x.single.Suspects(readings, now)
	}
	a, err := x.weigh(readings, now)
	if err != nil {
		return nil, nil, err
	}
	best := a.of[0].w
	r := &Result{
		Format:    Format,
		Hidden:    best.hidden(),
		Conflict:  best.conflict(),
		Here:      []Test{},
		BeforeOff: []Test{},
		Phone:     []Phoned{},
	}
	bySite := map[string]float64{}
	for _, v := range a.of {
		r.Unexplained += v.share * v.w.unexplained
		for site, p := range v.w.bySite() {
			bySite[site] += v.share * p
		}
	}
	r.Unexplained = rounded(r.Unexplained)
	r.Sites, r.Suspects = listed(bySite), a.suspects()
	r.Places = x.places(a)
	r.Weights, r.Sound = best.weights()
	r.Settled = len(best.line.found) > 0 || len(r.Sites) > 0 && r.Sites[0].Probability >= settledAt && best.settled(r)
	return r.first(), func() *Result { return x.next(a, r) }, nil
}

// next completes the result with what to do.
func (x *Ensemble) next(a *averaged, r *Result) *Result {
	best := a.of[0].w
	off := best.powerOff(r.Hidden)
	if fixes := best.fixes(); len(fixes) > 0 {
		r.Next = append(off, fixes...)
		return r
	}
	tests, causes := a.candidates(x)
	tests = best.rank(tests, causes, a.shows)
	switch {
	case len(off) > 0:
		r.Next = append(off, slices.DeleteFunc(tests, func(t Test) bool { return t.Do != DoOpen })...)
	case r.Settled:
		r.Next = best.atSite(tests, r.leadingSite())
	default:
		r.Next = best.finish(best.front(tests, a.own, r), r) // what comes first is of the likeliest way alone
	}
	r.Next = best.safe(r.Next)
	r.Here, r.BeforeOff = best.batches(r.Next)
	r.Here, r.BeforeOff = best.kept(r.Here), best.kept(r.BeforeOff)
	r.Phone = best.phone()
	r.strip()
	return r
}

// Why is that of the likeliest way which has the suspect.
func (x *Ensemble) Why(readings []tester.Reading, faults []circuit.Fault, beside []Unrecorded) ([]Evidence, error) {
	if x.single != nil {
		return x.single.Why(readings, faults, beside)
	}
	a, err := x.weigh(readings, nil)
	if err != nil {
		return nil, err
	}
	var evidence []Evidence
	for _, v := range a.of {
		if evidence, err = v.w.e.Why(readings, faults, beside); err == nil {
			break
		}
	}
	return evidence, err
}

// averaged are the ways that are left, likeliest first.
type averaged struct {
	of  []viewed
	own []cause // of the likeliest way alone
}

type viewed struct {
	w     *weighed
	run   runs.Run
	share float64 // of all ways left together 1
}

func (x *Ensemble) weigh(readings []tester.Reading, now *tester.State) (*averaged, error) {
	a := &averaged{}
	var logs []float64
	var problem error
	for _, way := range x.ways {
		w, err := way.engine.weigh(readings)
		if err == nil {
			err = w.stand(now)
		}
		if err != nil {
			problem = err // a reading of something that this way does not have rules it out
			continue
		}
		a.of = append(a.of, viewed{w: w, run: way.run})
		logs = append(logs, math.Log(way.run.Weight)+w.evidence)
	}
	if len(a.of) == 0 {
		return nil, problem
	}
	total := logSum(logs)
	for i := range a.of {
		a.of[i].share = rounded(math.Exp(logs[i] - total))
	}
	a.of = slices.DeleteFunc(a.of, func(v viewed) bool { return v.share < unlikelyRun })
	slices.SortStableFunc(a.of, func(v, u viewed) int { return cmp.Compare(u.share, v.share) })
	return a, nil
}

// places joins what was seen of the order with what the readings say of it:
// those weigh the ways that stand for all.
func (x *Ensemble) places(a *averaged) []runs.Place {
	weighed := make([]runs.Run, 0, len(a.of))
	for _, v := range a.of {
		weighed = append(weighed, runs.Run{From: v.run.From, Weight: v.share})
	}
	if len(weighed) == len(x.ways) && len(a.of[0].w.readings) == 0 {
		weighed = x.all // nothing was read: all of them, not only those that stand for them
	}
	return runs.Places(x.circuit, weighed)
}

// suspects adds up those of the same name and place.
func (a *averaged) suspects() []Suspect {
	index := map[string]int{}
	var out []Suspect
	for _, v := range a.of {
		for _, s := range v.w.suspects() {
			key := s.Name + "\x00" + s.Site + "\x00" + s.Place
			i, known := index[key]
			if !known {
				i = len(out)
				index[key] = i
				s.Probability *= v.share
				out = append(out, s)
				continue
			}
			out[i].Probability += v.share * s.Probability
		}
	}
	for i := range out {
		out[i].Probability = rounded(out[i].Probability)
	}
	out = slices.DeleteFunc(out, func(s Suspect) bool { return s.Probability < least })
	slices.SortStableFunc(out, func(s, t Suspect) int { return cmp.Compare(t.Probability, s.Probability) })
	return out
}

func (t *Test) key() string {
	return strings.Join(
		[]string{
			t.Do,
			t.At,
			string(t.Half),
			string(t.Tool),
			string(t.Mode),
			t.Site,
			string(t.Asked),
			string(t.Act),
			string(t.Hint),
		},
		"\x00",
	)
}

// candidates joins what can be done in every way left. A cause in one way is
// another cause than the same in another: telling the ways apart is told as well.
func (a *averaged) candidates(x *Ensemble) ([]Test, []cause) {
	var causes []cause
	var tests []Test
	index := map[string]int{}
	found := map[string]float64{}
	rows := map[string][][]float64{}
	for n, v := range a.of {
		mine, own := v.w.candidates()
		if n == 0 {
			a.own = slices.Clone(own)
		}
		before := len(causes)
		for _, c := range own {
			c.p *= v.share
			c.way = n
			causes = append(causes, c)
		}
		for _, t := range mine {
			key := t.key()
			if _, known := index[key]; !known && n == 0 || !known && t.remedy != "" {
				index[key] = len(tests)
				tests = append(tests, t)
			}
			if t.remedy != "" {
				continue
			}
			if len(rows[key]) != before {
				continue // not possible in a way before
			}
			for _, row := range t.seen {
				scaled := make([]float64, len(row))
				for o := range row {
					scaled[o] = row[o] * v.share
				}
				rows[key] = append(rows[key], scaled)
			}
		}
		for site, p := range v.w.bySite() {
			found[site] += v.share * p
		}
	}
	joined := []Test{}
	for _, t := range tests {
		switch {
		case t.Do == DoOpen:
			t.GainBits = rounded(entropy(min(found[t.Site], 1)))
			t.Why = fmt.Sprintf(
				"Something is wrong there with %s, over all ways the circuit could run. Breaker off, proven dead, then the cover; count its cables.",
				percent(found[t.Site]),
			)
			joined = append(joined, t)
		case t.remedy != "":
			joined = append(joined, t)
		case len(rows[t.key()]) == len(causes):
			t.seen = rows[t.key()]
			t.GainBits = rounded(information(t.seen))
			joined = append(joined, t)
		}
	}
	return append(joined, a.mapping(x, causes)...), causes
}

// mapping proposes tests of the order: what dies with a GFCI, and how many
// cables a box has.
func (a *averaged) mapping(x *Ensemble, causes []cause) []Test {
	best := a.of[0].w
	minutes := best.e.settings.Minutes
	add := func(t Test, shows func(v *viewed) string) (Test, bool) {
		t.Do = DoMap
		seen := map[string]int{}
		is := make([]int, len(a.of))
		for n := range a.of {
			what := shows(&a.of[n])
			if _, known := seen[what]; !known {
				seen[what] = len(seen)
				t.mapWords = append(t.mapWords, what)
			}
			is[n] = seen[what]
		}
		if len(seen) < 2 {
			return t, false
		}
		wrong := best.e.settings.Errors.Trip
		for _, c := range causes {
			row := make([]float64, len(seen))
			for o := range row {
				row[o] = c.p * wrong / float64(len(seen)-1)
			}
			row[is[c.way]] = c.p * (1 - wrong)
			t.seen = append(t.seen, row)
		}
		t.GainBits = rounded(information(t.seen))
		return t, true
	}
	var tests []Test
	for _, box := range x.circuit.Boxes {
		for _, v := range box.Devices {
			if v.Kind != circuit.GFCI {
				continue
			}
			t := Test{
				At: v.ID, Minutes: minutes.Tool[tester.DeviceButton] + float64(len(x.known.Unsure))*(minutes.Tool[tester.Plug]+minutes.Walk),
				Say: fmt.Sprintf("Trip the GFCI at %s by its button and see which stops go dead", x.circuit.LabelOf(box.ID)),
				Why: "Tells what hangs on its load side.",
			}
			if t, ok := add(t, func(v *viewed) string { return x.dead(v.run, box.ID) }); ok {
				tests = append(tests, t)
			}
		}
		t := Test{
			Site: box.ID, Minutes: minutes.Open + minutes.Walk,
			Say: fmt.Sprintf("Open %s, dead, and count its cables", x.circuit.LabelOf(box.ID)),
			Why: "One cable: end of the run. Two: power passes through. Three or more: a branch.",
		}
		if t, ok := add(t, func(v *viewed) string { return counted(v.run, box.ID) }); ok {
			tests = append(tests, t)
		}
		t = Test{
			Site: box.ID, Minutes: minutes.Open + minutes.Walk + minutes.Separate + float64(len(x.known.Unsure))*(minutes.Tool[tester.Plug]+minutes.Walk),
			Say: fmt.Sprintf(
				"Open %s, dead, cap what leaves it, close up, power on, and see which stops stay dead",
				x.circuit.LabelOf(box.ID),
			),
			Why: "What stays dead is fed from there. For a qualified person.",
		}
		if best.e.settings.Qualified {
			if t, ok := add(t, func(v *viewed) string { return x.dead(v.run, box.ID) }); ok {
				tests = append(tests, t)
			}
		}
	}
	return tests
}

// dead names the unsure stops that power reaches through the box.
func (x *Ensemble) dead(run runs.Run, box string) string {
	var names []string
	for _, id := range x.known.Unsure {
		for at := run.From[id]; at != circuit.Panel; at = run.From[at] {
			if at == box {
				names = append(names, x.circuit.LabelOf(id))
				break
			}
		}
	}
	if len(names) == 0 {
		return "none of the unsure stops goes dead"
	}
	return strings.Join(names, ", ") + " go dead"
}

func counted(run runs.Run, box string) string {
	n := 1
	for _, from := range run.From {
		if from == box {
			n++
		}
	}
	if n == 1 {
		return "one cable"
	}
	return fmt.Sprintf("%d cables", n)
}

// shows words what is seen by whichever way has a hypothesis that shows it.
func (a *averaged) shows(t *Test, o int) (tester.Delta, string, bool) {
	if t.Do == DoMap {
		return tester.Delta{}, t.mapWords[o], true
	}
	for _, v := range a.of {
		own := *t
		if own.stage = v.w.now; t.unplugged {
			continue
		}
		if d, words, ok := v.w.shows(&own, o); ok {
			return d, words, true
		}
	}
	return tester.Delta{}, "", false
}
