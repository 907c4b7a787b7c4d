package drill

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/makeup"
	"elvat/core/nec"
	"elvat/core/tester"
	"elvat/core/wire"
)

// Wired is a box as the learner has wired it.
type Wired struct {
	// Pairs is what is joined with what: ends of cables, terminals, splices.
	Pairs [][2]string `json:"pairs"`
	// New: a new device hangs in the place of the old one.
	New bool `json:"new,omitempty"`
	// Remade are ends that were cut back, stripped and landed afresh.
	Remade []string `json:"remade,omitempty"`
	// StripIn is how much insulation was taken off for the device's terminals.
	StripIn wire.Inches `json:"stripIn,omitempty"`
	// Connectors are how many wires the one on each splice takes.
	Connectors map[string]int `json:"connectors,omitempty"`
	// Marked are white wires that were marked as hot.
	Marked []string `json:"marked,omitempty"`
}

// Inches is a strip length.
type Inches = wire.Inches

// A Judgement is what came of it.
type Judgement struct {
	Right bool     `json:"right"`
	Wrong []string `json:"wrong,omitempty"` // rules of terminations that it breaks, in words
	Shown []Shown  `json:"shown,omitempty"` // what a tester would show that it should not
}

// Shown is what a tester would show at an outlet, and what it should.
type Shown struct {
	At     string       `json:"at"`
	Half   circuit.Half `json:"half"`
	Label  string       `json:"label"`
	Shows  string       `json:"shows"`
	Should string       `json:"should"`
}

// Opened is a box as it is found, with all that its wires can be put on.
type Opened struct {
	Box    string   `json:"box"`
	Seen   []string `json:"seen"` // what eyes see of it that is wrong, in words
	Wires  []Named  `json:"wires"`
	Places []Named  `json:"places"`
	Wired  Wired    `json:"wired"` // as found
	// Strips are the lengths that can be chosen, and Takes what connectors there are.
	Strips []wire.Inches `json:"strips"`
	Takes  []int         `json:"takes"`
}

// Named is a point with what people call it.
type Named struct {
	Name  string `json:"name"`
	Words string `json:"words"`
	// Of is the conductor that it is, or is made for; empty for splices.
	Of circuit.Conductor `json:"of,omitempty"`
	// Device of a terminal; empty for others.
	Device string `json:"device,omitempty"`
}

// splices of a box that is wired by hand.
var splices = []Named{
	{Name: "splice:hot2", Words: "splice of second hots"}, // before the one that its name begins with
	{Name: "splice:hot", Words: "splice of hots"},
	{Name: "splice:neutral", Words: "splice of neutrals"},
	{Name: "splice:ground", Words: "splice of grounds"},
	{Name: "splice:spare", Words: "a cap of its own"},
}

// conductors are what people call them.
var conductors = map[circuit.Conductor]string{circuit.Hot: "hot", circuit.Hot2: "second hot", circuit.Neutral: "neutral", circuit.Ground: "ground"}

// stripLengths and connectors that the learner chooses from. 3/4 in for a screw hook, with a
// quarter of it to spare; a connector for two to five wires. Common practice, no source.
var (
	stripLengths = []wire.Inches{0.375, 0.5, 0.625, 0.75, 1}
	connectors   = []int{2, 3, 4, 5}
)

const hookIn, hookLeast, hookMost wire.Inches = 0.75, 0.625, 0.75

// Open is the box as it is now. It may be opened only where that was no danger: see Put.
func (d *Drill) Open(box string) (*Opened, error) {
	s := d.state()
	if !slices.Contains(s.opened, box) {
		return nil, errors.New("the box is closed")
	}
	there := d.Scene.Circuit.Box(box)
	if there == nil {
		return nil, fmt.Errorf("%s: %w", box, ErrUnknown)
	}
	c := d.Scene.Circuit
	o := &Opened{Box: box, Seen: []string{}, Strips: stripLengths, Takes: connectors, Wired: d.asFound(s, there)}
	for _, f := range here(s, box) {
		words := strings.Replace(seen(c, f), ", at "+c.LabelOf(box), "", 1)
		o.Seen = append(o.Seen, strings.ToUpper(words[:1])+words[1:])
	}
	second := false
	for _, cable := range c.Cables {
		if cable.From != box && cable.To != box {
			continue
		}
		for _, k := range cable.Conductors {
			way := "to " + c.LabelOf(cable.To)
			if cable.To == box {
				way = "from " + c.LabelOf(cable.From)
			}
			second = second || k == circuit.Hot2
			o.Wires = append(o.Wires, Named{Name: cable.ID + "@" + box + "." + string(k), Words: conductors[k] + ", " + way, Of: k})
		}
	}
	for i := range there.Devices {
		v := &there.Devices[i]
		for _, t := range v.Terminals() {
			name := v.ID + "." + t.Name
			o.Places = append(o.Places, Named{Name: name, Words: makeup.Screw(t.Name), Of: t.Takes, Device: v.ID})
		}
	}
	for _, p := range splices {
		if p.Name != "splice:hot2" || second {
			o.Places = append(o.Places, p)
		}
	}
	if there.Material == circuit.Metal {
		o.Places = append(o.Places, Named{Name: box + ".box", Words: "the metal box", Of: circuit.Ground})
	}
	return o, nil
}

// Found are the faults that lie open in the box.
func (d *Drill) Found(box string) []circuit.Fault { return here(d.state(), box) }

// here are the faults that are found in the box.
func here(s *state, box string) []circuit.Fault {
	var all []circuit.Fault
	for _, h := range s.left {
		if slices.Contains(h.Sites, box) {
			all = append(all, h.Faults...)
		}
	}
	return all
}

// seen is a fault as eyes see it.
func seen(c *circuit.Circuit, f circuit.Fault) string {
	at := c.Say(f.At)
	switch f.Kind {
	case circuit.Open:
		if worn(f) {
			return at + ": the contact is worn out"
		}
		return at + " hangs loose"
	case circuit.Resistive:
		return at + " turns in its place, discoloured"
	case circuit.Bonded:
		return at + ": a bare jumper joins " + strings.ReplaceAll(string(f.Pair), "-", " and ")
	case circuit.Moved:
		return at + " sits where it does not belong"
	case circuit.GFCIFault:
		return at + ": " + map[string]string{"dead": "nothing happens at its buttons", "tripped": "it has tripped", "line-load-swapped": "the feed sits on LOAD"}[f.State]
	}
	return at + ": look where each wire sits"
}

// worn reports a fault inside the device, which no wiring puts right.
func worn(f circuit.Fault) bool {
	return f.Kind == circuit.Open && (strings.Contains(f.At, ".top.") || strings.Contains(f.At, ".bottom."))
}

// asFound are the terminations of the box as somebody sees them.
func (d *Drill) asFound(s *state, box *circuit.Box) Wired {
	pairs := slices.Clone(d.Scene.Circuit.Pairs(box))
	for i := len(d.Steps) - 1; i >= 0; i-- { // as it was left last
		if step := &d.Steps[i]; step.Do == Wire && step.Box == box.ID {
			return *step.Wired
		}
	}
	for _, f := range here(s, box.ID) {
		pairs = d.misplaced(pairs, f)
	}
	return Wired{Pairs: pairs}
}

// misplaced does to the terminations what the fault does, as far as it can be seen.
func (d *Drill) misplaced(pairs [][2]string, f circuit.Fault) [][2]string {
	exchange := func(names map[string]string) {
		for i := range pairs {
			for k, name := range pairs[i] {
				if to, ok := names[name]; ok {
					pairs[i][k] = to
				}
			}
		}
	}
	switch {
	case f.Kind == circuit.Open && !worn(f):
		return slices.DeleteFunc(pairs, func(p [2]string) bool { return p[0] == f.At || p[1] == f.At })
	case f.Kind == circuit.Swapped:
		a, b := f.Pair.Ends()
		if strings.Contains(f.At, "@") {
			exchange(map[string]string{f.At + "." + string(a): f.At + "." + string(b), f.At + "." + string(b): f.At + "." + string(a)})
			return pairs
		}
		if v, _ := d.Scene.Circuit.Device(f.At); v != nil {
			exchange(map[string]string{v.Second(a): v.Second(b), v.Second(b): v.Second(a), v.First(a): v.First(b), v.First(b): v.First(a)})
		}
	case f.Kind == circuit.Moved:
		for i := range pairs {
			for k, name := range pairs[i] {
				if name == f.At {
					pairs[i][1-k] = f.To
					return pairs
				}
			}
		}
	case f.Kind == circuit.Bonded:
		if v, _ := d.Scene.Circuit.Device(f.At); v != nil {
			a, b := f.Pair.Ends()
			return append(pairs, [2]string{v.First(a), v.First(b)})
		}
	case f.Kind == circuit.GFCIFault && f.State == "line-load-swapped":
		if v, _ := d.Scene.Circuit.Device(f.At); v != nil {
			for _, k := range []circuit.Conductor{circuit.Hot, circuit.Neutral} {
				exchange(map[string]string{v.First(k): v.Second(k), v.Second(k): v.First(k)})
			}
		}
	}
	return pairs
}

// uncured are the faults of the box that the wiring leaves as they are: a loose joint that was
// not made afresh, a worn contact or a dead device that still hangs there.
func uncured(all []circuit.Fault, w *Wired) []circuit.Fault {
	var left []circuit.Fault
	for _, f := range all {
		ofDevice := worn(f) || f.Kind == circuit.GFCIFault && f.State != "line-load-swapped"
		switch {
		case ofDevice && !w.New, f.Kind == circuit.Resistive && !w.New && !slices.Contains(w.Remade, f.At):
			left = append(left, f)
		}
	}
	return left
}

// most is how many terminations of a box are looked at. Assumption.
const mostPairs = 60

// Judge solves the box as it is wired and holds it against a sound one. Nothing else counts as
// wrong meanwhile: what is elsewhere is elsewhere.
func (d *Drill) Judge(box string, w *Wired) (*Step, error) {
	if _, over := d.Over(); over {
		return nil, ErrOver
	}
	s := d.state()
	if !slices.Contains(s.opened, box) {
		return nil, errors.New("the box is closed: open it first, proven dead")
	}
	if len(w.Pairs) > mostPairs {
		return nil, fmt.Errorf("pairs: %d; at most %d", len(w.Pairs), mostPairs)
	}
	c := d.Scene.Circuit.Clone()
	there := c.Box(box)
	if there == nil {
		return nil, fmt.Errorf("%s: %w", box, ErrUnknown)
	}
	there.Makeup, there.Load, there.Bonded, there.Wiring = "", nil, false, slices.Clone(w.Pairs)
	if there.Wiring == nil {
		there.Wiring = [][2]string{}
	}
	if err := c.Check(); err != nil {
		return nil, fmt.Errorf("pairs: %w", err)
	}
	c.Faults = uncured(here(s, box), w)
	j := &Judgement{}
	if err := j.shown(d.Scene.Circuit, c); err != nil {
		return nil, err
	}
	j.guarded(d.Scene.Circuit, c)
	if err := j.rules(d.Scene.Circuit, box, w); err != nil {
		return nil, err
	}
	j.Right = len(j.Wrong)+len(j.Shown) == 0
	return &Step{Do: Wire, Box: box, Wired: w, Judged: j}, nil
}

// shown finds what a tester would show otherwise than on the sound circuit.
func (j *Judgement) shown(sound, is *circuit.Circuit) error {
	read := func(c *circuit.Circuit) ([]circuit.Outlet, []tester.Face, []tester.Reading, error) {
		bench, k, err := onBench(c)
		if err != nil {
			return nil, nil, nil, err
		}
		var faces []tester.Face
		var words []tester.Reading
		for _, o := range bench.Outlets() {
			tool := tester.Plug
			if !o.HasGround {
				tool = tester.Meter
			}
			r, err := k.Read(o, tool, "")
			if err != nil {
				return nil, nil, nil, err
			}
			r.Round()
			words, faces = append(words, r), append(faces, k.Face(o))
		}
		return bench.Outlets(), faces, words, nil
	}
	outlets, ought, should, err := read(sound)
	if err != nil {
		return err
	}
	_, faces, shows, err := read(is)
	if err != nil {
		return err
	}
	l := &look{outlets, ought, faces}
	for i, o := range outlets {
		if !l.loaded(i) && !l.drops(i) && ought[i].LiveYoke() == faces[i].LiveYoke() {
			continue
		}
		_, box := is.Device(o.Device)
		at := Shown{At: o.Device, Half: o.Half, Label: is.LabelOf(box.ID), Shows: shows[i].Words(is), Should: should[i].Words(sound)}
		if at.Shows == at.Should { // the lamps hide it: the meter, and a load
			at.Shows, at.Should = fmt.Sprintf("%.0f V hot to neutral under a load", faces[i].Lamp), fmt.Sprintf("%.0f V", ought[i].Lamp)
			if l.loaded(i) {
				at.Shows, at.Should = meterWords(faces[i]), meterWords(ought[i])
			}
		}
		j.Shown = append(j.Shown, at)
	}
	return nil
}

// guarded finds outlets that hang on a GFCI no more.
func (j *Judgement) guarded(sound, is *circuit.Circuit) {
	now := is.Stops()
	for i, stop := range sound.Stops() {
		for _, guard := range stop.Protected {
			if !slices.Contains(now[i].Protected, guard) {
				j.Wrong = append(j.Wrong, fmt.Sprintf("%s does not hang on the GFCI of %s any more", stop.Label, sound.Say(guard)))
			}
		}
	}
}

func meterWords(f tester.Face) string {
	return fmt.Sprintf("low-impedance meter %.0f, %.0f, %.0f V; to a known ground %.0f, %.0f, %.0f V", f.Low[0], f.Low[1], f.Low[2], f.Low[3], f.Low[4], f.Low[5])
}

// loaded reports whether a meter that loads what it measures shows something else: what an open
// wire picks up is gone then.
func (l *look) loaded(i int) bool {
	for k := range l.is[i].Low {
		if math.Abs(l.is[i].Low[k]-l.sound[i].Low[k]) > 10 {
			return true
		}
	}
	return false
}

// drops reports whether the outlet carries a load worse than it should.
func (l *look) drops(i int) bool { return l.sound[i].Lamp-l.is[i].Lamp > 3 }

// rules holds the terminations against what a device, a connector and a wire take.
func (j *Judgement) rules(c *circuit.Circuit, box string, w *Wired) error {
	b, err := makeup.FromRun(c, box, true)
	if err != nil {
		return err
	}
	for _, problem := range makeup.Verify(b, w.Pairs, nil) {
		j.Wrong = append(j.Wrong, inWords(c, problem))
	}
	if e := b.Existing; e != nil && len(b.Others) == 0 {
		e.Wiring = w.Pairs
		for _, f := range makeup.Judge(b, nec.Book{}) {
			if f.Severity == makeup.Danger || f.Severity == makeup.Must {
				j.Wrong = append(j.Wrong, f.Text+" "+f.Fix)
			}
		}
	}
	onDevice, wires := false, map[string]int{}
	for _, pair := range w.Pairs {
		for _, name := range pair {
			wires[name]++
			owner, _, _ := strings.Cut(name, ".")
			if v, _ := c.Device(owner); v != nil {
				onDevice = true
			}
		}
	}
	if onDevice && w.StripIn != 0 && (w.StripIn < hookLeast || w.StripIn > hookMost) {
		what := "too short: insulation gets under the screw"
		if w.StripIn > hookMost {
			what = "too long: bare copper shows past the screw"
		}
		j.Wrong = append(j.Wrong, fmt.Sprintf("%g in stripped is %s; %g in makes the hook", float64(w.StripIn), what, float64(hookIn)))
	}
	for _, p := range splices {
		n, takes := wires[p.Name], w.Connectors[p.Name]
		if takes != 0 && n > takes {
			j.Wrong = append(j.Wrong, fmt.Sprintf("%s: %d wires in a connector for %d", p.Words, n, takes))
		}
	}
	for _, name := range w.Marked { // colours are as they should be in every scene
		j.Wrong = append(j.Wrong, c.Say(name)+" is marked as hot, and is the neutral: whoever opens the box next is misled")
	}
	return nil
}

// inWords says points of the circuit as people call them.
func inWords(c *circuit.Circuit, text string) string {
	all := strings.FieldsFunc(text, func(r rune) bool { return r == ' ' || r == ',' })
	for _, name := range all {
		name = strings.TrimRight(name, ":")
		if !strings.ContainsAny(name, ".@") {
			continue
		}
		if words := c.Say(name); words != name {
			text = strings.Replace(text, name, words, 1)
		}
	}
	for _, p := range splices {
		text = strings.ReplaceAll(text, p.Name, p.Words)
	}
	return text
}
