package diagnosis

import (
	"fmt"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/tester"
)

// Where something is put right other than in an opened box: at a reset, a
// switch, the breaker, a GFCI in another room. Each has the act that does it.
const (
	atReset    = "reset:"
	atSwitches = "switches"
	atGFCIs    = "gfcis"
	atBreaker  = "breaker"
	atUndrawn  = "undrawn:" // an outlet or junction along a cable
)

// remedies are the places at which any one of what the hypothesis has wrong
// would be found: boxes to open, the panel, and acts. A conductor broken in a
// cable is found from either end.
func (e *Engine) remedies(h *hypothesis) []string {
	var all []string
	add := func(key string) {
		if key != "" && !slices.Contains(all, key) {
			all = append(all, key)
		}
	}
	for i, f := range h.faults {
		site := h.site
		if len(h.faults) > 1 {
			site = e.siteOf(h, i)
		}
		switch cable := e.circuit.Cable(site); {
		case f.Kind == circuit.BreakerAt:
			add(atBreaker)
		case f.Kind == circuit.GFCIFault && f.State == StateTripped && f.At == circuit.Panel:
			add(atBreaker)
		case f.Kind == circuit.GFCIFault && f.State == StateTripped:
			add(atReset + f.At)
			add(site)
		case cable != nil:
			add(cable.From)
			add(cable.To)
		default:
			add(site)
		}
	}
	for _, u := range h.beside {
		switch {
		case u.Kind == Switched:
			add(atSwitches)
		case u.Kind == GFCIElsewhere:
			add(atGFCIs)
		case u.Kind == BoxUndrawn:
			add(atUndrawn + u.At)
		case u.Kind == GroundKind && u.State == StateNone:
			add(h.site)
		}
	}
	return all
}

// actMinutes is what the act costs at the remedy, walking to it included.
func (w *weighed) actMinutes(remedy string) float64 {
	m := w.e.settings.Minutes
	switch remedy {
	case atSwitches:
		return m.Switches + m.Tool[tester.Plug] // and a look at what came of it
	case atGFCIs:
		return m.GFCIs
	case atBreaker:
		return m.ToPanel
	}
	if strings.HasPrefix(remedy, atUndrawn) {
		return m.FindBox
	}
	return m.Reset + w.walk(strings.TrimPrefix(remedy, atReset))
}

// actTests are the remedies that need no box opened, as far as any is likely.
func (w *weighed) actTests() []Test {
	var tests []Test
	found := map[string]float64{}
	for _, h := range w.order {
		for _, remedy := range w.e.remediesOf(h) {
			found[remedy] += w.probability[h]
		}
	}
	add := func(remedy, say, why string, t Test) {
		p := found[remedy]
		if p < leastAct || w.skipped(&t) {
			return
		}
		t.Do, t.remedy, t.here, t.sure, t.GainBits = DoAct, remedy, p, p >= 0.5, rounded(entropy(min(p, 1)))
		t.Minutes, t.Say = w.actMinutes(remedy), say
		t.Why = fmt.Sprintf(why, percent(p))
		tests = append(tests, t)
	}
	line := w.line
	if !line.now.gone.switches {
		add(
			atSwitches,
			"Flip every switch in the room, then see whether it works",
			"A switched outlet, or half of one, is dead with its switch off: %s. No box needs opening for it.",
			Test{Act: tester.SwitchesOn},
		)
	}
	if !line.now.gone.gfcis {
		add(
			atGFCIs,
			"Reset every GFCI of the house: bathroom, kitchen, garage and outside first",
			"A tripped GFCI ahead that is not on this run: %s. No box needs opening for it.",
			Test{Act: tester.AllGFCIs, Dead: w.readDead()},
		)
	}
	if !line.now.gone.breaker {
		add(
			atBreaker,
			"The breaker fully off, then on, once",
			"It has tripped or is off: %s. No box needs opening for it.",
			Test{Act: tester.ResetBreaker},
		)
	}
	for i := range w.e.circuit.Boxes {
		for _, v := range w.e.circuit.Boxes[i].Devices {
			if v.Kind == circuit.GFCI && !slices.Contains(line.now.gone.guards, v.ID) && !line.now.gone.gfcis {
				add(
					atReset+v.ID,
					"Press reset on the GFCI at "+w.e.place(v.ID),
					"It has tripped: %s. A reset comes before any screwdriver.",
					Test{Act: tester.Reset, At: v.ID},
				)
			}
		}
	}
	for i := range w.e.circuit.Cables {
		cable := &w.e.circuit.Cables[i]
		between := w.e.circuit.LabelOf(cable.From) + " and " + w.e.circuit.LabelOf(cable.To)
		t := Test{Act: tester.FindBox, At: cable.ID}
		switch looked, found := w.lookedFor(cable.ID); {
		case !looked && w.lookedInto(cable.From) && w.lookedInto(cable.To):
			add(
				atUndrawn+cable.ID,
				"Look for an outlet or junction that nobody drew between "+between+": behind furniture, under blank plates, on the wall's other side",
				"A conductor may have let go in it: %s. Nothing is opened to look for it.",
				t,
			)
		case found:
			add(
				atUndrawn+cable.ID,
				"Draw what you found between "+between+" into the run: then it is read and opened like any other",
				"What is wrong may be in it: %s.",
				t,
			)
		}
	}
	return tests
}

// lookedInto reports whether the box was opened since something was last put
// right. A box that nobody drew is looked for only once those that are drawn at
// both ends of the cable are sound.
func (w *weighed) lookedInto(box string) bool {
	return box == circuit.Panel || slices.Contains(w.line.looked, box)
}

// lookedFor reports whether a box that nobody drew was looked for along the
// cable, and whether one was found.
func (w *weighed) lookedFor(cable string) (looked, found bool) {
	for i := range w.readings {
		if r := &w.readings[i]; r.Act == tester.FindBox && r.At == cable {
			looked, found = true, len(r.Found.Names) > 0
		}
	}
	return looked, found
}

// readDead are the devices at a half of which nothing stood between hot and
// neutral when it was read last.
func (w *weighed) readDead() []string {
	last := map[circuit.Half]map[string]tester.Side{circuit.Top: {}, circuit.Bottom: {}}
	for _, r := range w.since() {
		if !keptByOutlet(&r) || r.Doubtful {
			continue
		}
		if side := r.Delta(w.now.bench.Constants).HotNeutral; side != tester.SideUnread {
			last[r.Half][r.At] = side
		}
	}
	var dead []string
	for _, box := range w.e.circuit.Order() {
		for _, v := range w.e.circuit.Box(box).Devices {
			if last[circuit.Top][v.ID] == tester.SideNone || last[circuit.Bottom][v.ID] == tester.SideNone {
				dead = append(dead, v.ID)
			}
		}
	}
	return dead
}

// leastAct is the probability from which an act is thought of. Assumption.
const leastAct = 0.004

// unplug is unplugging all and reading again where it tells most.
func (w *weighed) unplug(causes []cause) (Test, bool) {
	if w.line.now.loadsOff || !w.mayBePlugged() {
		return Test{}, false
	}
	s, err := w.e.stageOf(w.state, true, w.line.now.known)
	if err != nil {
		return Test{}, false
	}
	best := Test{GainBits: -1}
	for n, i := range w.changedByLoads() {
		r := &w.readings[i]
		if n >= mostAgain {
			break
		}
		o := s.outlet(r.At, r.Half)
		if r.Tool != tester.Plug && r.Tool != tester.Lamp && r.Tool != tester.Meter || o < 0 || i < w.before {
			continue
		}
		t := Test{Do: DoAct, Act: tester.UnplugAll, At: r.At, Half: r.Half, Tool: r.Tool, Mode: r.Mode}
		t.unplugged = true
		w.expect(&t, s, o, causes)
		if t.GainBits > best.GainBits {
			best = t
		}
	}
	if best.GainBits < 0 || w.skipped(&Test{Do: DoAct, Act: tester.UnplugAll}) {
		return Test{}, false
	}
	m := w.e.settings.Minutes
	best.Minutes = m.Unplug + m.Tool[best.Tool]
	best.Say = "Switch off or unplug everything on the run, then read again at " + w.e.place(best.At)
	best.Why = fmt.Sprintf(
		"Something plugged in that nobody recorded would explain it: %s. Through it a lost neutral comes up to the hot's voltage, and lamps then show hot and ground exchanged.",
		percent(w.plugged()),
	)
	return best, true
}

// mostAgain is at how many of the readings that a load changes another one is
// thought of. Assumption.
const mostAgain = 3

// changedByLoads are the readings that something plugged in would have changed,
// newest first.
func (w *weighed) changedByLoads() []int {
	left := w.e.leftOf(gone{loads: true})
	var all []int
	for i := len(w.readings) - 1; i >= w.before; i-- {
		codes := w.judged[i].codes
		if slices.ContainsFunc(
			w.order,
			func(h int) bool { return w.probability[h] >= negligible && codes[h] != codes[left[h]] },
		) {
			all = append(all, i)
		}
	}
	return all
}

// plugged is the probability that something nobody recorded is plugged in and
// that it matters: that it changes what was read.
func (w *weighed) plugged() float64 {
	p := 0.0
	left := w.e.leftOf(gone{loads: true})
	for _, h := range w.order {
		if w.probability[h] < negligible {
			continue
		}
		loaded := slices.ContainsFunc(w.e.hypotheses[h].beside, func(u Unrecorded) bool { return u.Kind == UnrecordedLoad })
		if loaded && w.signature(h) != w.signature(left[h]) {
			p += w.probability[h]
		}
	}
	return p
}

// mayBePlugged reports whether anything may be plugged in that a test would miss.
func (w *weighed) mayBePlugged() bool {
	return w.plugged() >= leastAct || runsAt(w.e.circuit, w.state) > 0
}

// acted is what an act brought about, held against what it would have.
func (e *Engine) acted(r *tester.Reading, h int, s *stage) answer {
	wrong := e.settings.Errors.Act
	say := func(is bool, seen bool) answer {
		if is == seen {
			return flat(fmt.Sprint(is), 1-wrong, true)
		}
		return flat(fmt.Sprint(is), wrong, false)
	}
	if r.Act == tester.FindBox {
		is := e.undrawn(h, r.At)
		p := e.settings.Errors.FoundBox
		if is {
			p = 1 - e.settings.Errors.MissedBox
		}
		if len(r.Found.Names) > 0 {
			return flat("found", p, is)
		}
		return flat("none", 1-p, !is)
	}
	if r.Act == tester.AllGFCIs {
		is := e.tripsToReset(h)
		seen := r.Found != nil && len(r.Found.Names) > 0 || len(r.CameBack) > 0
		if seen && len(r.CameBack) == 0 && !is {
			return flat("false", e.settings.Errors.IdleGFCI, true) // it had tripped for a reason of its own
		}
		return say(is, seen)
	}
	// Reset or breaker: does it hold?
	holds := e.wouldHold(r, h, s)
	if holds && !e.settledBy(r, h) {
		// Nothing was tripped: it may be said to hold, or to do nothing.
		if *r.Held {
			return flat("true", 0.8, true)
		}
		return flat("true", 0.2, false)
	}
	return say(holds, *r.Held)
}

// undrawn reports whether the hypothesis has a box along the cable that nobody drew.
func (e *Engine) undrawn(h int, cable string) bool {
	return slices.ContainsFunc(e.hypotheses[h].beside, func(u Unrecorded) bool { return u.Kind == BoxUndrawn && u.At == cable })
}

// tripsToReset reports whether a GFCI is tripped, here or elsewhere.
func (e *Engine) tripsToReset(h int) bool {
	all := gone{gfcis: true}
	hyp := &e.hypotheses[h]
	return slices.ContainsFunc(hyp.faults, all.fault) ||
		slices.ContainsFunc(hyp.beside, func(u Unrecorded) bool { return u.Kind == GFCIElsewhere && all.unrecorded(u) })
}

// settledBy reports whether the reset puts something of the hypothesis right.
func (e *Engine) settledBy(r *tester.Reading, h int) bool {
	return slices.ContainsFunc(e.hypotheses[h].faults, gone{}.after(r).fault)
}

// wouldHold reports whether what is reset stays so: it does not where it is
// dead, where something trips it again, or where no power arrives.
func (e *Engine) wouldHold(r *tester.Reading, h int, s *stage) bool {
	at := r.At
	if r.Act == tester.ResetBreaker {
		at = circuit.Panel
	}
	for _, f := range slices.Concat(s.known.faults, e.hypotheses[h].faults) {
		if f.Kind == circuit.GFCIFault && f.At == at && (f.State == StateDead || f.State == "line-load-swapped") {
			return false
		}
	}
	left := h
	if l := e.leftOf(gone{}.after(r)); l != nil {
		left = l[h]
	}
	s.extend(len(e.hypotheses))
	c := s.settled(left)
	if slices.Contains(c.Tripped, at) {
		return false
	}
	return at == circuit.Panel || c.Powered(at)
}

// wouldAnswer is what doing as asked brings about.
func (e *Engine) wouldAnswer(asked tester.Question, h int, s *stage) tester.Answer {
	hyp := &e.hypotheses[h]
	c := s.settled(h)
	for _, name := range c.Tripped { // by what is wrong: it trips again
		guard := slices.ContainsFunc(c.Variation.Guards, func(g circuit.Guard) bool { return g.Name == name })
		if asked == tester.CycleBreaker && name == circuit.Panel || asked == tester.ResetGFCIs && guard {
			return tester.WillNotHold
		}
	}
	is := tester.NothingChanged
	for _, f := range slices.Concat(s.known.faults, hyp.faults) {
		switch {
		case asked == tester.CycleBreaker && f.Kind == circuit.BreakerAt,
			asked == tester.ResetGFCIs && f.Kind == circuit.GFCIFault && f.State == StateTripped:
			is = tester.CameBack
		case asked == tester.ResetGFCIs && f.Kind == circuit.GFCIFault && f.State != "no-trip":
			is = tester.WillNotHold
		}
	}
	for _, u := range hyp.beside {
		if asked == tester.ResetGFCIs && u.Kind == GFCIElsewhere {
			is = map[string]tester.Answer{StateTripped: tester.CameBack, StateDead: tester.WillNotHold}[u.State]
		}
	}
	return is
}
