package drill

import (
	"fmt"
	"math"
	"slices"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/fault"
	"elvat/core/tester"
	"elvat/core/trial"
)

// What a step costs beside what the diagnosis says of a tester, in minutes. Assumption.
const (
	adviceMinutes = 2.0 // of somebody who is asked on the telephone
	againMinutes  = 4.0 // a box that is wired once more
)

// A Yardstick is what a scene takes.
type Yardstick struct {
	Best      float64 `json:"best"` // minutes of who follows the advice, misreading nothing
	BestBoxes int     `json:"bestBoxes"`
	Walk      float64 `json:"walk"` // of who opens box by box upstream
	WalkBoxes int     `json:"walkBoxes"`
}

// Measure works out what the scene takes: the trial's own electrician follows the advice on it,
// and the trade's plain rule is walked.
func (s *Scene) Measure() (Yardstick, error) {
	truth, err := s.Truth()
	if err != nil {
		return Yardstick{}, err
	}
	l, err := see(truth)
	if err != nil {
		return Yardstick{}, err
	}
	k := trial.Scene{Belief: s.Circuit, Conditions: s.Conditions, Order: s.Map, At: s.Complaint.At, Half: s.Complaint.Half, Tool: s.Complaint.Tool}
	truth.Faults = nil
	k.Truth = truth
	for _, h := range s.Hidden {
		k.Hidden = append(k.Hidden, trial.Hidden(h))
	}
	for i, o := range l.outlets {
		if _, box := truth.Device(o.Device); (l.lampsDiffer(i) || l.differs(i)) && !slices.Contains(k.Wrong, box.ID) {
			k.Wrong = append(k.Wrong, box.ID)
		}
	}
	out, err := k.Follow()
	return Yardstick{Best: out.Minutes, BestBoxes: out.Boxes, Walk: out.Walk, WalkBoxes: out.WalkBoxes}, err
}

// A Mistake is a kind of thing done worse than it could have been.
type Mistake string

// The mistakes.
const (
	Dangerous  Mistake = "dangerous"  // an act that hurts
	WrongBox   Mistake = "wrong-box"  // opened, and sound
	Repeated   Mistake = "repeated"   // read before, nothing changed since
	LittleTold Mistake = "little"     // a test that could tell little, where another told much
	TooEarly   Mistake = "too-early"  // a box opened where a reading was worth more
	WiredWrong Mistake = "wired"      // judged, and not right
	LeftWrong  Mistake = "left-wrong" // handed over, and something is wrong still
	AskedHelp  Mistake = "asked"
)

// Mistakes lists them with what they are called, the gravest first.
var Mistakes = []struct {
	Kind  Mistake
	Words string
}{
	{Dangerous, "An act that would have hurt"},
	{LeftWrong, "Handed over with something wrong still"},
	{WiredWrong, "Wired, and not right"},
	{WrongBox, "A sound box opened"},
	{TooEarly, "A box opened where a reading was worth more"},
	{LittleTold, "A test that could tell little"},
	{Repeated, "Read again, nothing changed"},
	{AskedHelp, "Advice asked for"},
}

// Words are what people call it.
func (m Mistake) Words() string {
	for _, row := range Mistakes {
		if row.Kind == m {
			return row.Words
		}
	}
	return string(m)
}

// A Replay is a step with what was known before it.
type Replay struct {
	Words   string  `json:"words"` // what was done, and what it showed
	Minutes float64 `json:"minutes"`
	// Could is what it could have told on average, Told what it told, in bits of where the fault is.
	Could float64 `json:"could"`
	Told  float64 `json:"told"`
	// Knew are the likeliest sites before it, in words with their probability.
	Knew []string `json:"knew,omitempty"`
	// Better is what was worth more then, and Why; "" where nothing was.
	Better     string    `json:"better,omitempty"`
	Why        string    `json:"why,omitempty"`
	BetterBits float64   `json:"betterBits,omitempty"`
	Mistakes   []Mistake `json:"mistakes,omitempty"`
}

// A Score is what came of a drill.
type Score struct {
	Yardstick
	Minutes float64        `json:"minutes"` // until nothing was wrong any more, or the end
	Boxes   int            `json:"boxes"`
	Solved  bool           `json:"solved"`
	Over    bool           `json:"over"`
	Stop    *Stop          `json:"stop,omitempty"`
	Points  int            `json:"points"` // of 100; none without safety
	Counted map[string]int `json:"mistakes"`
	Replay  []Replay       `json:"replay"`
	// Was is what was wrong, in words; once the drill is over.
	Was []string `json:"was,omitempty"`
}

// Settings are those that every drill is scored with: no shop's own weights.
func (s *Scene) Settings() diagnosis.Settings {
	settings := diagnosis.Defaults()
	settings.Conditions = s.Conditions
	return settings
}

// Score replays the drill: each step with what was known then.
func (d *Drill) Score(y Yardstick) (*Score, error) {
	out := &Score{Yardstick: y, Counted: map[string]int{}, Replay: []Replay{}}
	engine, err := diagnosis.NewEnsemble(d.Scene.Circuit, d.Scene.Map, d.Scene.Settings())
	if err != nil {
		return nil, err
	}
	c := &counting{d: d, s: d.fresh(), m: d.Scene.Settings().Minutes, engine: engine}
	if _, box := d.Scene.Circuit.Device(d.Scene.Complaint.At); box != nil {
		c.at = box.ID
	}
	if c.result, err = engine.Diagnose(nil); err != nil {
		return nil, err
	}
	for i := range d.Steps {
		r, err := c.step(&d.Steps[i])
		if err != nil {
			return nil, err
		}
		if r == nil {
			continue
		}
		out.Minutes += r.Minutes
		for _, m := range r.Mistakes {
			out.Counted[string(m)]++
		}
		out.Replay = append(out.Replay, *r)
	}
	out.Boxes, out.Solved = len(c.boxes), len(c.s.left) == 0
	if last, over := d.Over(); over {
		out.Over, out.Stop = true, last.Stop
		for _, h := range d.Scene.Hidden {
			for _, f := range h.Faults {
				one := []circuit.Fault{f}
				out.Was = append(out.Was, fmt.Sprintf("%s at %s", fault.Name(d.Scene.Circuit, one), d.Scene.Circuit.LabelOf(fault.Site(d.Scene.Circuit, one))))
			}
		}
	}
	out.Points = out.points()
	return out, nil
}

// points are those of the pace, where it was safe and all is right; less for what a call-back
// costs, and none at all for what hurts.
func (s *Score) points() int {
	switch {
	case s.Stop != nil || !s.Solved || s.Minutes == 0:
		return 0
	case s.Best == 0:
		return 100
	}
	pace := math.Min(1, s.Best/s.Minutes)
	return int(math.Round(100 * pace))
}

type counting struct {
	d      *Drill
	s      *state
	m      diagnosis.Minutes
	engine *diagnosis.Ensemble
	result *diagnosis.Result

	readings []tester.Reading
	at       string
	ohms     bool
	boxes    []string
	done     []string // what was read since anything changed
}

// step is one replayed; nil for what belongs to another, or comes when all is right.
func (c *counting) step(step *Step) (*Replay, error) {
	right := len(c.s.left) == 0
	r := &Replay{}
	switch step.Do {
	case Off, On, DeadTest:
		c.s.take(step)
		return nil, nil
	case Advice:
		r.Words, r.Minutes, r.Mistakes = "Asked for advice", adviceMinutes, []Mistake{AskedHelp}
	case Wire:
		r.Words = "Wired " + c.d.Scene.Circuit.LabelOf(step.Box) + " by hand: right"
		if !step.Judged.Right {
			r.Words, r.Minutes, r.Mistakes = "Wired "+c.d.Scene.Circuit.LabelOf(step.Box)+" by hand: not right", againMinutes, []Mistake{WiredWrong}
		} else if was := here(c.s, step.Box); len(was) > 0 {
			c.readings = append(c.readings, tester.Reading{Tool: tester.Fixed, Faults: was})
			c.done = nil
		}
	case HandOver:
		r.Words = "Handed over"
		if !right && step.Stop == nil {
			r.Mistakes = []Mistake{LeftWrong}
		}
	case GiveUp:
		r.Words = "Given up"
		r.Mistakes = []Mistake{LeftWrong}
	case PutOn:
		c.put(step.Reading, r)
	}
	if step.Stop != nil {
		r.Words, r.Mistakes = step.Stop.Did, []Mistake{Dangerous}
	}
	c.s.take(step)
	before := c.result
	if step.Do == PutOn && step.Stop == nil {
		c.readings = append(c.readings, *step.Reading)
	}
	var err error
	if step.Do == PutOn || step.Do == Wire {
		if c.result, err = c.engine.Diagnose(c.readings); err != nil {
			return nil, err
		}
	}
	if right && step.Stop == nil {
		r.Minutes, r.Mistakes = 0, nil // what makes sure is on nobody's bill
		return r, nil
	}
	if step.Do == PutOn && step.Stop == nil {
		c.judge(step.Reading, before, r)
	}
	return r, nil
}

// put counts what putting it on takes.
func (c *counting) put(reading *tester.Reading, r *Replay) {
	circuitOf := c.d.Scene.Circuit
	r.Words = reading.Line(circuitOf)
	box := ""
	if _, b := circuitOf.Device(reading.At); b != nil {
		box = b.ID
	}
	switch reading.Tool {
	case tester.Eyes:
		r.Words = circuitOf.LabelOf(reading.Site) + ". " + r.Words
		r.Minutes = c.m.Open + c.m.Walk
		if reading.Site == circuit.Panel {
			r.Minutes = c.m.Open + c.m.ToPanel
		}
		c.at = reading.Site
		c.boxes = append(c.boxes, reading.Site)
		if len(reading.Found.Faults) == 0 {
			r.Mistakes = append(r.Mistakes, WrongBox)
		}
		return
	case tester.Act:
		r.Minutes = map[tester.ActName]float64{
			tester.UnplugAll: c.m.Unplug, tester.SwitchesOn: c.m.Switches, tester.AllGFCIs: c.m.GFCIs, tester.Reset: c.m.Reset,
			tester.ResetBreaker: c.m.ToPanel, tester.FindBox: c.m.FindBox,
		}[reading.Act]
		if reading.Act == tester.Reset {
			r.Minutes += c.walk(box)
		}
		c.done = nil
		return
	case tester.Hint:
		r.Minutes = c.m.Hint + c.walk(reading.Site)
		return
	case tester.Told:
		return
	}
	if box != "" {
		r.Words = circuitOf.LabelOf(box) + ", " + string(reading.Half) + ". " + r.Words
	}
	r.Minutes = c.walk(box) + c.m.Tool[reading.Tool]
	if reading.Tool == tester.Ohms {
		r.Minutes += c.m.Tool[tester.Meter]
		if !c.ohms {
			r.Minutes += c.m.ToPanel
		}
		c.ohms = true
	}
	key := fmt.Sprint(reading.At, reading.Half, reading.Tool, reading.Mode, reading.Point, reading.Between)
	if slices.Contains(c.done, key) {
		r.Mistakes = append(r.Mistakes, Repeated)
	}
	c.done = append(c.done, key)
}

func (c *counting) walk(box string) float64 {
	if box == "" || box == c.at {
		return 0
	}
	c.at = box
	return c.m.Walk
}

// Where a test told little, and another much more. Assumption.
const (
	littleBits = 0.05
	muchBits   = 0.25
)

// judge holds what was done against what was known.
func (c *counting) judge(reading *tester.Reading, before *diagnosis.Result, r *Replay) {
	r.Told = bits(before) - bits(c.result)
	for _, site := range before.Sites[:min(3, len(before.Sites))] {
		r.Knew = append(r.Knew, fmt.Sprintf("%s %.0f %%", c.d.Scene.Circuit.LabelOf(site.Site), 100*site.Probability))
	}
	for _, t := range before.Next {
		if t.At == reading.At && t.Half == reading.Half && t.Tool == reading.Tool && t.Mode == reading.Mode && t.Do == diagnosis.DoReading ||
			t.Site != "" && t.Site == reading.Site || t.Act != "" && t.Act == reading.Act {
			r.Could = max(r.Could, t.GainBits)
		}
	}
	if len(before.Next) == 0 {
		return
	}
	best := before.Next[0]
	same := best.Do == diagnosis.DoReading && best.At == reading.At && best.Tool == reading.Tool || best.Site != "" && best.Site == reading.Site || best.Act != "" && best.Act == reading.Act
	if same || best.Do == diagnosis.DoDone {
		return
	}
	r.Better, r.Why, r.BetterBits = best.Say, best.Why, best.GainBits
	switch {
	case reading.Tool == tester.Eyes && len(reading.Found.Faults) == 0 && best.Do == diagnosis.DoReading:
		r.Mistakes = append(r.Mistakes, TooEarly)
	case r.Could < littleBits && math.Abs(r.Told) < littleBits && best.GainBits > muchBits && reading.Tool != tester.Eyes:
		r.Mistakes = append(r.Mistakes, LittleTold)
	}
}

// bits is how much is not known of where it is to be put right.
func bits(r *diagnosis.Result) float64 {
	sum := 0.0
	for _, p := range append(slices.Collect(func(yield func(float64) bool) {
		for _, w := range r.Weights {
			if !yield(w.Probability) {
				return
			}
		}
	}), r.Sound, r.Unexplained) {
		if p > 0 {
			sum -= p * math.Log2(p)
		}
	}
	return sum
}
