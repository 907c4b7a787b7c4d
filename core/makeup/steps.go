package makeup

import (
	"fmt"
	"strings"

	"elvat/core/circuit"
	"elvat/core/practice"
)

// A Step is one thing to do, in its order.
type Step struct {
	Do     string   `json:"do"`
	Detail string   `json:"detail,omitempty"`
	Points []string `json:"points"` // what it touches
	Gate   string   `json:"gate"`   // what has to be so before it: dead, proven, or none
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

func (s *steps) add(gate, do, detail string, points ...string) {
	if points == nil {
		points = []string{}
	}
	needs := ""
	if gate != GateNone {
		needs = "conductors"
	}
	s.all = append(s.all, Step{Do: do, Detail: detail, Points: points, Gate: gate, Needs: needs})
}

// steps are the order of work of the plan.
func (w *wiring) steps(p *Plan) []Step {
	s := &steps{}
	b := w.l.b
	s.dead(w)
	if w.l.stopped() {
		if w.l.onlyLineUnknown() {
			w.findLine(s)
		} else {
			s.add(GateDead, "Stop here", p.Stopped+" Close the box dead; a licensed electrician or the authority decides.", b.ID)
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
	off := "Breaker off, secured, and prove the box dead"
	if b.boxHasTwoHots() {
		off = "Both breakers off together, secured, and prove the box dead"
	}
	how := "Testers proven on a live source; all three pairs of both halves; each hot slot to an independent ground; testers proven again."
	if w.house.DeadTest == practice.AddsLamp {
		how += " The test lamp as well."
	}
	s.add(GateNone, off, how, b.ID)
	s.add(GateDead, "Photograph the box, then pull the device", "Label the wires as they are. Pulling can let go a push-in: then the neighbours are read again.", b.ID)
	s.add(GateDead, "Prove it dead again with the device out", "Every wire end to every other and to ground: a second circuit shows here.", b.ID)
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
		s.add(GateDead, "Stay off: find the far ends by continuity", "Two hots come in: a shared neutral or a second circuit is possible, and nothing is energised with conductors apart. One end shorted, the ohmmeter finds the cable whose other end is at the panel.", all...)
		return
	}
	s.add(GateDead, "Take the device off, part every conductor, and cap each", "Cable by cable; tug each cap, they pop off. The grounds stay joined.", all...)
	s.add(GateDead, "Find it with the power off, where a far end can be reached", "Hot and neutral of one cable joined at its far end, the ohmmeter finds that cable here; joined at the panel by who may open it, it finds the feed. Found so, the next step falls away.", all...)
	s.add(GateDead, "Only where no far end can be reached: nobody near, breaker on; find the one hot conductor", "For a qualified person, and never where a shared neutral or a second circuit is possible; everyone else stops here. A meter from each capped end to ground, or a sensor proven before and after.", hots...)
	s.all[len(s.all)-1].Live = true
	s.add(GateNone, "Breaker off, prove dead, label both wires of that cable LINE", "Then say on the screen which cable it is.", hots...)
}

// mendBox is what is done to the box before the wires.
func (w *wiring) mendBox(s *steps) {
	for _, f := range w.l.findings {
		switch f.Code {
		case "box-loose", "box-recessed", "wall-gap", "box-overfull":
			s.add(GateDead, map[string]string{
				"box-loose": "Make the box fast", "box-recessed": "Bring the box flush", "wall-gap": "Close the gap round the box", "box-overfull": "Give the wires room",
			}[f.Code], f.Fix, w.l.b.ID)
		case "insulation-damaged":
			s.add(GateDead, "Mend the wires of "+strings.Join(f.At, ", "), f.Fix, f.At...)
		}
	}
}

func (w *wiring) prepare(s *steps) {
	v := w.l.b.devices()[0]
	detail := "Terminals told apart, ground screw sound, a plug with a ground pin enters both halves."
	if v.IsGFCI() {
		detail = "Read the print: LINE may be above or below. LOAD stays taped until something lands there. " + detail
	}
	s.add(GateNone, "Look the new device over", detail, v.ID)
	if v.Tab.Hot == circuit.TabRemoved {
		s.add(GateNone, "Break the tab on the brass side of the new device", "The silver side stays whole, unless two circuits feed it.", v.ID+".hot.1", v.ID+".hot.2")
	}
	old := "Cut the old ends off and strip afresh, to the gauge of what they go into."
	if w.house.OldHooks == practice.ReuseHooks {
		old = "Old hooks are used again where they are sound; other ends are stripped to the gauge of what they go into."
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
	s.add(GateDead, "Strip the ends", old+" Re-mark any colour that misleads.", ends...)
}

// makeUp goes through the wires: ground, then neutral, then hot; splices before
// what hangs on them; line then load.
func (w *wiring) makeUp(s *steps, p *Plan) {
	names := map[circuit.Conductor]string{circuit.Ground: "ground", circuit.Neutral: "neutral", circuit.Hot: "hot", circuit.Hot2: "second hot"}
	stripOf := func(point string) string {
		for _, strip := range p.Strip {
			if strip.Point == point {
				return fmt.Sprintf("%s: %s in, %s", point, Fraction(float64(strip.Inches)), strip.How)
			}
		}
		return ""
	}
	for _, k := range []circuit.Conductor{circuit.Ground, circuit.Neutral, circuit.Hot, circuit.Hot2} {
		for _, sp := range p.Splices {
			if sp.Conductor != k {
				continue
			}
			points := []string{sp.Name}
			var ends, jumpers []string
			for _, c := range sp.Conductors {
				points = append(points, c)
				if strings.Contains(c, "@") {
					ends = append(ends, strings.Split(c, "@")[0])
				} else {
					jumpers = append(jumpers, w.terminalWords(c))
				}
			}
			do := fmt.Sprintf("Join the %ss of %s", names[k], andList(ends))
			switch {
			case len(sp.Conductors) == 1:
				do = fmt.Sprintf("Cap the %s of %s by itself", names[k], andList(ends))
			case len(ends) == 0:
				do = fmt.Sprintf("Join the %s jumpers", names[k])
			case len(ends) == 1 && len(jumpers) == 1:
				do = fmt.Sprintf("Lengthen the %s of %s", names[k], ends[0])
			}
			detail := upper(sp.Connector) + "; same colour with same colour; pull each wire; no copper shows."
			if len(jumpers) > 0 {
				do += fmt.Sprintf(", jumper to %s", andList(jumpers))
				detail += fmt.Sprintf(" Jumper of %d AWG, at least %s in.", w.l.b.jumperGauge(), Fraction(float64(jumperIn)))
			}
			if !w.l.grounded && k == circuit.Ground && len(sp.Conductors) == 1 && w.l.line != nil {
				detail = "No ground arrives: none is carried on from here. Cap it by itself."
			}
			s.add(GateDead, do, detail, points...)
		}
		for _, pair := range p.Wiring {
			if w.carries(pair) != k || strings.HasPrefix(pair[0], "splice:") || strings.HasPrefix(pair[1], "splice:") {
				continue
			}
			if cable, _, ok := strings.Cut(pair[0], "@"); ok {
				s.add(GateDead, fmt.Sprintf("%s of %s on %s", upper(names[k]), cable, w.terminalWords(pair[1])), stripOf(pair[0])+"; pull it.", pair[0], pair[1])
			} else {
				s.add(GateDead, fmt.Sprintf("Jumper from %s to %s", w.terminalWords(pair[0]), w.terminalWords(pair[1])), fmt.Sprintf("%d AWG, %s in.", w.l.b.jumperGauge(), Fraction(float64(jumperIn))), pair[0], pair[1])
			}
		}
	}
}

func upper(words string) string { return strings.ToUpper(words[:1]) + words[1:] }

func andList(names []string) string {
	switch len(names) {
	case 0:
		return ""
	case 1:
		return names[0]
	}
	return strings.Join(names[:len(names)-1], ", ") + " and " + names[len(names)-1]
}

// terminalWords name a terminal as it is looked for on the device.
func (w *wiring) terminalWords(point string) string {
	owner, name, _ := strings.Cut(point, ".")
	if name == "box" {
		return "the box"
	}
	several := ""
	if len(w.l.b.devices()) > 1 {
		several = " of " + owner
	}
	words := map[string]string{
		"line.hot": "LINE brass", "line.neutral": "LINE silver", "load.hot": "LOAD brass", "load.neutral": "LOAD silver", "ground": "the green screw",
		"hot.1": "the first brass screw", "hot.2": "the second brass screw", "neutral.1": "the first silver screw", "neutral.2": "the second silver screw",
	}[name]
	if words == "" {
		return point
	}
	return words + several
}

// Fraction writes inches as they stand on a rule.
func Fraction(inches float64) string {
	const parts = 16
	n := int(inches*parts + 0.5)
	whole, rest, of := n/parts, n%parts, parts
	for rest > 0 && rest%2 == 0 {
		rest, of = rest/2, of/2
	}
	switch {
	case rest == 0:
		return fmt.Sprint(whole)
	case whole == 0:
		return fmt.Sprintf("%d/%d", rest, of)
	default:
		return fmt.Sprintf("%d %d/%d", whole, rest, of)
	}
}

func (w *wiring) close(s *steps, p *Plan) {
	b := w.l.b
	v := b.devices()[0]
	torque := "The maker's torque with a torque driver; 14 to 18 lbf in is usual on 15 and 20 A devices (value from memory)."
	if v.TorqueLbfIn > 0 {
		torque = fmt.Sprintf("%g lbf in with a torque driver.", v.TorqueLbfIn)
	}
	w.says("driver")
	if w.house.SecondRound == practice.SameTorque {
		torque += " Once more after some minutes, to the same torque."
	}
	w.says("secondRound")
	s.add(GateDead, "Tighten to torque, run in unused screws", torque, v.ID)
	fold := "Neutrals and grounds to one side, hots to the other, bare copper away from terminals; fold, do not ram."
	w.says("tape")
	if w.house.Tape == practice.TapeAlways || w.house.Tape == practice.TapeInMetal && b.Box.Material == circuit.Metal {
		fold = "Tape round the device first. " + fold
	}
	s.add(GateDead, "Fold the wires in and set the device plumb", fold+spacers(b), b.ID)
	w.says("plateScrews")
	plate := "Screw slots vertical."
	if w.house.PlateScrews == practice.Horizontal {
		plate = "Screw slots horizontal."
	}
	if len(p.Markings) > 0 {
		plate += " Markings: " + strings.Join(p.Markings, "; ") + "."
	}
	s.add(GateDead, "Plate on", plate, b.ID)
	w.says("proving")
	order := "This outlet first, then outward."
	if w.house.Proving == practice.FarFirst {
		order = "The last outlet first, then inward."
	}
	reset := "Breaker on, and prove"
	if v.IsGFCI() {
		reset = "Breaker on, reset the GFCI, and prove"
		order = "It comes out of the box tripped. Its own button, then the tester's at the last protected outlet. " + order
	}
	s.add(GateProven, reset, "Cover on before the breaker. Both halves of every outlet that was touched or is fed from here, against what is predicted. "+order, b.ID)
}

// spacers says how many go under the yoke of a box that is a little behind.
func spacers(b *Box) string {
	if b.Box.SetbackIn == nil || *b.Box.SetbackIn <= 0 {
		return ""
	}
	n := Layers(*b.Box.SetbackIn) - b.Box.LayersOut
	if n <= 0 {
		return ""
	}
	return fmt.Sprintf(" Spacers under the yoke until it bears hard: %d of 1/16 in.", n)
}
