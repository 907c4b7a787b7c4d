package makeup

import (
	"fmt"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/parts"
	"elvat/core/practice"
	"elvat/core/wire"
	"elvat/core/words"
)

// A Step is one thing to do, in its order.
type Step struct {
	// Code names the step for good: what it is, and where there are several of its kind
	// what it touches. Which are done is kept by it, however they are worded.
	Code string `json:"code"`
	// Do and Detail say it in English; SaidDo and SaidDetail are the same as codes, from
	// which any language says it.
	Do         string       `json:"do"`
	Detail     string       `json:"detail,omitempty"`
	SaidDo     []words.Said `json:"saidDo"`
	SaidDetail []words.Said `json:"saidDetail"`
	Points     []string     `json:"points"` // what it touches
	Gate       string       `json:"gate"`   // what has to be so before it: dead, proven, or none
	// Needs is the gate of the call that stands before it: "open" the box, touch
	// "conductors"; empty for none.
	Needs string `json:"needs,omitempty"`
	// Live says that bare parts can be live: for a qualified person only.
	Live bool `json:"live,omitempty"`
}

// Gates of a step.
const (
	GateNone   = "none"
	GateDead   = "dead"   // the box is proven dead
	GateProven = "proven" // the make-up was looked over, and nothing bare shows
)

type steps struct{ all []Step }

// several are the kinds of which a plan can have more than one.
var several = []string{"mend-wires", "join", "land", "jumper"}

func (s *steps) add(code, gate string, do, detail []words.Said, points ...string) {
	if points == nil {
		points = []string{}
	}
	needs := ""
	if gate != GateNone {
		needs = "conductors"
	}
	if slices.Contains(several, code) {
		code += ":" + strings.Join(points, ",")
	}
	s.all = append(s.all, Step{
		Code: code, Do: words.English.All(do, ""), Detail: words.English.All(detail, " "), SaidDo: do, SaidDetail: detail,
		Points: points, Gate: gate, Needs: needs,
	})
}

// said is sentences that have no values.
func said(codes ...string) []words.Said {
	all := make([]words.Said, len(codes))
	for i, code := range codes {
		all[i] = words.Of(code)
	}
	return all
}

// text is a sentence that stands as it is, in English.
func text(sentence string) words.Said { return words.Said{Text: sentence} }

// steps are the order of work of the plan.
func (w *wiring) steps(p *Plan) []Step {
	s := &steps{}
	b := w.l.b
	s.dead(w)
	if w.l.stopped() {
		if w.l.onlyLineUnknown() {
			w.findLine(s)
		} else {
			s.add("stop", GateDead, said("step.stop"), []words.Said{text(p.Stopped), words.Of("step.stop.close")}, b.ID)
		}
		return s.all
	}
	if len(b.devices()) == 0 {
		return s.all
	}
	w.mendBox(s)
	w.prepare(s)
	w.makeUp(s, p)
	w.close(s, p)
	return s.all
}

func (s *steps) dead(w *wiring) {
	b := w.l.b
	off, how := said("step.dead"), said("step.dead.how")
	if b.boxHasTwoHots() {
		off = said("step.dead.both")
	}
	if w.house.DeadTest == practice.AddsLamp {
		how = append(how, words.Of("step.dead.lamp"))
	}
	s.add("dead", GateNone, off, how, b.ID)
	pull := said("step.pull.how")
	if b.Existing != nil {
		switch b.Existing.Plate {
		case "painted":
			pull = said("step.pull.painted", "step.pull.how")
		case "snap-on":
			pull = said("step.pull.snapOn", "step.pull.how")
		}
	}
	s.add("pull", GateDead, said("step.pull"), pull, b.ID)
	s.add(
		"dead-again",
		GateDead,
		said("step.deadAgain"),
		said("step.deadAgain.how"),
		b.ID,
	)
	s.all[1].Needs, s.all[2].Needs = "open", "open"
}

// findLine is the procedure where nobody knows which cable brings the power.
func (w *wiring) findLine(s *steps) {
	b := w.l.b
	var hots, all []string
	for i := range b.Cables {
		for _, k := range b.Cables[i].Conductors {
			point := w.end(&b.Cables[i], k)
			if k != circuit.Ground {
				all = append(all, point)
			}
			if k == circuit.Hot || k == circuit.Hot2 {
				hots = append(hots, point)
			}
		}
	}
	if two := b.boxHasTwoHots(); two {
		s.add(
			"find-stay-off",
			GateDead,
			said("step.stayOff"),
			said("step.stayOff.how"),
			all...)
		return
	}
	s.add(
		"find-part",
		GateDead,
		said("step.part"),
		said("step.part.how"),
		all...)
	s.add(
		"find-dead",
		GateDead,
		said("step.findDead"),
		said("step.findDead.how"),
		all...)
	s.add(
		"find-live",
		GateDead,
		said("step.findLive"),
		said("step.findLive.how"),
		hots...)
	s.all[len(s.all)-1].Live = true
	s.add(
		"find-label",
		GateNone,
		said("step.label"),
		said("step.label.how"),
		hots...)
}

// mendBox is what is done to the box before the wires.
func (w *wiring) mendBox(s *steps) {
	for _, f := range w.l.findings {
		switch f.Code {
		case "conductor-breaker", "afci-required":
			if !slices.ContainsFunc(s.all, func(x Step) bool { return x.Code == "mend-"+f.Code }) {
				s.add("mend-"+f.Code, GateDead, said("step.mend."+f.Code), []words.Said{text(f.Fix)}, circuit.Panel)
			}
		case "box-loose", "box-recessed", "wall-gap", "box-overfull", "flooded":
			s.add("mend-"+f.Code, GateDead, said("step.mend."+f.Code), []words.Said{text(f.Fix)}, w.l.b.ID)
		case "insulation-damaged":
			do := words.Of("step.mendWires", w.wiresSaid(f.At))
			s.add("mend-wires", GateDead, []words.Said{do}, []words.Said{text(f.Fix)}, f.At...)
		}
	}
}

func (w *wiring) prepare(s *steps) {
	v := w.l.b.devices()[0]
	detail := said("step.lookOver.how")
	if v.IsGFCI() {
		detail = said("step.lookOver.gfci", "step.lookOver.how")
	}
	s.add("look-over", GateNone, said("step.lookOver"), detail, v.ID)
	if v.Tab.Neutral == circuit.TabRemoved {
		s.add("break-tab-neutral", GateNone, said("step.breakTab.neutral"), said("step.breakTab.neutral.how"), v.ID+".neutral.1", v.ID+".neutral.2")
	}
	if v.Tab.Hot == circuit.TabRemoved {
		s.add(
			"break-tab",
			GateNone,
			said("step.breakTab"),
			w.whyBroken(),
			v.ID+".hot.1",
			v.ID+".hot.2",
		)
	}
	old := "step.strip.afresh"
	if w.house.OldHooks == practice.ReuseHooks {
		old = "step.strip.reuse"
	}
	if w.l.b.Existing != nil {
		w.says("oldHooks")
	}
	var ends []string
	for i := range w.l.b.Cables {
		for _, k := range w.l.b.Cables[i].Conductors {
			ends = append(ends, w.end(&w.l.b.Cables[i], k))
		}
	}
	s.add("strip", GateDead, said("step.strip"), said(old, "step.strip.colour"), ends...)
}

// whyBroken says which half the broken tab parts from the feed.
func (w *wiring) whyBroken() []words.Said {
	leg := w.l.b.switchLeg()
	if leg == nil {
		return said("step.breakTab.how")
	}
	half := "step.breakTab.bottom"
	if w.l.b.switched() == circuit.Top {
		half = "step.breakTab.top"
	}
	return []words.Said{words.Of(half, leg.said()), words.Of("step.breakTab.how")}
}

// makeUp goes through the wires: ground, then neutral, then hot; splices before
// what hangs on them; line then load.
func (w *wiring) makeUp(s *steps, p *Plan) {
	stripOf := func(point string) words.Said {
		for _, strip := range p.Strip {
			if strip.Point == point {
				return words.Of("step.land.strip", Fraction(float64(strip.Inches)), words.Of(strip.code))
			}
		}
		return words.Of("step.land.pull")
	}
	for _, k := range []circuit.Conductor{circuit.Ground, circuit.Neutral, circuit.Hot, circuit.Hot2} {
		for _, sp := range p.Splices {
			if sp.Conductor != k {
				continue
			}
			points := []string{sp.Name}
			var ends, jumpers []words.Said
			for _, c := range sp.Conductors {
				points = append(points, c)
				if strings.Contains(c, "@") {
					ends = append(ends, w.cableSaid(c))
				} else {
					jumpers = append(jumpers, w.terminalSaid(c))
				}
			}
			do := []words.Said{words.Of("step.join."+string(k), ends)}
			switch {
			case len(sp.Conductors) == 1:
				do[0] = words.Of("step.cap."+string(k), ends)
			case len(ends) == 0:
				do[0] = words.Of("step.joinJumpers." + string(k))
			case len(ends) == 1 && len(jumpers) == 1:
				do[0] = words.Of("step.lengthen."+string(k), ends[0])
			}
			detail := []words.Said{words.Of("step.join.how", sp.said)}
			if len(jumpers) > 0 {
				do = append(do, words.Of("step.jumperTo", jumpers))
				detail = append(detail, words.Of(
					"step.jumperOf", fmt.Sprint(w.l.b.jumperGauge()), Fraction(float64(jumperIn)), Fraction(float64(w.inSplice("").Inches)),
					Fraction(float64(w.atDevice(p, sp.Name))),
				))
			}
			if !w.l.grounded && k == circuit.Ground && len(sp.Conductors) == 1 && w.l.line != nil {
				detail = said("step.noGround")
			}
			s.add("join", GateDead, do, detail, points...)
		}
		for _, pair := range p.Wiring {
			if w.carries(pair) != k || strings.HasPrefix(pair[0], "splice:") || strings.HasPrefix(pair[1], "splice:") {
				continue
			}
			if strings.Contains(pair[0], "@") {
				do := words.Of("step.land."+string(k), w.cableSaid(pair[0]), w.terminalSaid(pair[1]))
				s.add("land", GateDead, []words.Said{do}, []words.Said{stripOf(pair[0])}, pair[0], pair[1])
				continue
			}
			do := words.Of("step.jumper", w.terminalSaid(pair[0]), w.terminalSaid(pair[1]))
			how := words.Of("step.jumper.how", fmt.Sprint(w.l.b.jumperGauge()), Fraction(float64(jumperIn)))
			s.add("jumper", GateDead, []words.Said{do}, []words.Said{how}, pair[0], pair[1])
		}
	}
}

// atDevice is how far the jumpers of a splice are bared where they land.
func (w *wiring) atDevice(p *Plan, name string) wire.Inches {
	var most wire.Inches
	for _, j := range p.Jumpers {
		for _, s := range p.Strip {
			if (j.From == name || j.To == name) && (s.Point == j.From || s.Point == j.To) {
				most = max(most, s.Inches)
			}
		}
	}
	return most
}

func upper(phrase string) string { return strings.ToUpper(phrase[:1]) + phrase[1:] }

// terminalSaid names a terminal as it is looked for on the device.
func (w *wiring) terminalSaid(point string) words.Said {
	owner, name, _ := strings.Cut(point, ".")
	if name == "box" {
		return words.Of("terminal.box")
	}
	if s := w.l.b.switchAt(point); s != nil {
		return w.switchSaid(s, name)
	}
	if !slices.Contains(namedTerminals, name) {
		return text(point)
	}
	terminal := words.Of("terminal." + name)
	if all := w.l.b.devices(); len(all) > 1 {
		n := slices.IndexFunc(all, func(v *Device) bool { return v.ID == owner })
		return words.Of("terminal.of", terminal, fmt.Sprint(n+1))
	}
	return terminal
}

// markingWords are the markings as the steps say them: by the device's number where there
// are several, without any where there is one.
func (w *wiring) markingWords(markings []string) []string {
	all := slices.Clone(markings)
	for i, m := range all {
		for n, v := range w.l.b.devices() {
			if words, ok := strings.CutPrefix(m, v.ID+": "); ok {
				all[i] = words
				if len(w.l.b.devices()) > 1 {
					all[i] = fmt.Sprintf("device %d: %s", n+1, words)
				}
			}
		}
	}
	return all
}

// cableSaid names the cable of a wire's end, or of a cable, as people speak of it.
func (w *wiring) cableSaid(end string) words.Said {
	id, _, _ := strings.Cut(end, "@")
	if c := w.l.b.cable(id); c != nil {
		return c.said()
	}
	return text(id)
}

// wiresSaid names the ends of wires, or cables.
func (w *wiring) wiresSaid(at []string) []words.Said {
	all := []words.Said{}
	for _, end := range at {
		cable := w.cableSaid(end)
		if i := strings.LastIndex(end, "."); strings.Contains(end, "@") && i > 0 {
			cable = words.Of("wire."+end[i+1:], cable)
		}
		if !slices.ContainsFunc(all, func(s words.Said) bool { return words.English.Render(s) == words.English.Render(cable) }) {
			all = append(all, cable)
		}
	}
	return all
}

// namedTerminals are those that have a name of their own.
var namedTerminals = []string{
	"line.hot", "line.neutral", "load.hot", "load.neutral", "ground", "hot.1", "hot.2", "neutral.1", "neutral.2",
}

// Fraction writes inches as they stand on a rule.
func Fraction(inches float64) string { return parts.Fraction(inches) }

func (w *wiring) close(s *steps, p *Plan) {
	b := w.l.b
	v := b.devices()[0]
	torque := said("step.torque.usual")
	if v.TorqueLbfIn > 0 {
		torque = []words.Said{words.Of("step.torque.of", fmt.Sprintf("%g", v.TorqueLbfIn))}
	}
	w.says("driver")
	if w.house.SecondRound == practice.SameTorque {
		torque = append(torque, words.Of("step.torque.again"))
	}
	w.says("secondRound")
	s.add("torque", GateDead, said("step.torque"), torque, v.ID)
	fold := said("step.fold.how")
	w.says("tape")
	if w.house.Tape == practice.TapeAlways || w.house.Tape == practice.TapeInMetal && b.Box.Material == circuit.Metal {
		fold = said("step.fold.tape", "step.fold.how")
	}
	s.add("fold", GateDead, said("step.fold"), append(fold, spacers(b)...), b.ID)
	w.says("plateScrews")
	plate := said("step.plate.vertical")
	if w.house.PlateScrews == practice.Horizontal {
		plate = said("step.plate.horizontal")
	}
	if len(p.Markings) > 0 {
		plate = append(plate, words.Of("step.plate.markings", strings.Join(w.markingWords(p.Markings), "; ")))
	}
	s.add("plate", GateDead, said("step.plate"), plate, b.ID)
	w.says("proving")
	order := "step.power.nearFirst"
	if w.house.Proving == practice.FarFirst {
		order = "step.power.farFirst"
	}
	do, how := said("step.power"), said("step.power.how", order)
	switch {
	case v.IsGFCI() && w.l.grounded:
		do, how = said("step.power.gfci"), said("step.power.how", "step.power.tripped", order)
	case v.IsGFCI():
		do, how = said("step.power.gfci"), said("step.power.how", "step.power.ownButton", order)
	}
	s.add("power", GateProven, do, how, b.ID)
}

// spacers says how many go under the yoke of a box that is a little behind.
func spacers(b *Box) []words.Said {
	n := b.spacers()
	if n == 0 {
		return nil
	}
	return []words.Said{words.Of("step.spacers", fmt.Sprint(n))}
}
