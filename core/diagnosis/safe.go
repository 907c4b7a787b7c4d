package diagnosis

import (
	"fmt"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/safety"
	"elvat/core/tester"
)

// ReportedHazard is the name of the danger that a hazard nobody has looked at is listed as.
const ReportedHazard = "reported hazard"

// reported lists the reported hazards as dangers: nothing is plugged in on the run while one stands.
func (w *weighed) reported() []Danger {
	var all []Danger
	for i := range w.e.settings.Conditions.Hazards {
		h := &w.e.settings.Conditions.Hazards[i]
		if h.Looked != nil {
			continue
		}
		d := Danger{Name: ReportedHazard, At: circuit.Panel, Site: h.Place, Urgent: true, Shown: true, Holds: true}
		if box := w.e.circuit.Box(h.Place); box != nil && len(box.Devices) > 0 {
			d.At = box.Devices[0].ID
		}
		where := "the run"
		switch {
		case h.Place == circuit.Panel:
			where = "the panel"
		case h.Place != "":
			where = w.e.circuit.LabelOf(h.Place)
		}
		d.because("hazard", h.Words(w.e.circuit), where)
		d.does("breakerOff")
		all = append(all, d)
	}
	return all
}

// warmBoxes lists the boxes that are warm and not looked into, and those of them whose outlets are
// dead: what feeds them has let go in heat, and nothing brings it back.
func (w *weighed) warmBoxes() (warm, dead []string) {
	for _, box := range w.e.circuit.Boxes {
		if !w.e.settings.Conditions.has(box.ID, Warm) || slices.Contains(w.line.looked, box.ID) {
			continue
		}
		warm = append(warm, box.ID)
		if len(box.Devices) > 0 && w.readOrTold(box.ID) && w.likelyDead(box.Devices[0].ID) {
			dead = append(dead, box.ID)
		}
	}
	return warm, dead
}

// readOrTold reports whether a reading or the customer's word speaks of a device of the box.
func (w *weighed) readOrTold(box string) bool {
	return slices.ContainsFunc(w.readings, func(r tester.Reading) bool { return r.At != "" && w.boxOf(r.At) == box })
}

// standing lists the hazards that forbid acts now: the reported ones, and boxes that are warm and
// whose outlets are dead.
func (w *weighed) standing(dead []string) []safety.Hazard {
	all := safety.Standing(w.e.settings.Conditions.Hazards)
	for _, box := range dead {
		if !slices.ContainsFunc(all, func(h safety.Hazard) bool { return h.Place == box }) {
			all = append(all, safety.Hazard{Signs: []safety.Sign{safety.Heat}, Place: box, By: safety.Electrician})
		}
	}
	return all
}

// actOf is the test as an act that safety judges.
func (w *weighed) actOf(t *Test) safety.Act {
	a := safety.Act{Kind: safety.Read, At: w.boxOf(t.At), Tool: t.Tool, Mode: t.Mode}
	switch {
	case t.Do == DoOpen, t.Do == DoFix:
		a.Kind, a.At = safety.OpenDead, t.Site
	case t.Do == DoPowerOff, t.Do == DoDone, t.Tool == tester.Hint && t.Hint != tester.Wiggle, t.Act == tester.FindBox, t.Act == tester.UnplugAll:
		a.Kind = safety.Look
	case t.Act == tester.ResetBreaker, t.Asked == tester.CycleBreaker:
		a.Kind, a.At = safety.Energize, circuit.Panel
	case t.Do == DoAct, t.Asked != "":
		a.Kind = safety.Energize
	case t.Do == DoAsk:
		a.Kind = safety.Look
	case t.Tool == tester.Ohms:
		a.Kind = safety.ReadDead
	case t.Tool == tester.DeviceButton:
		a.Kind = safety.PressTest
	}
	return a
}

// kept leaves out of a batch what is not safe now.
func (w *weighed) kept(tests []Test) []Test {
	warm, dead := w.warmBoxes()
	standing := w.standing(dead)
	return slices.DeleteFunc(tests, func(t Test) bool {
		act := w.actOf(&t)
		return safety.Forbids(standing, act) != nil || safety.ThroughWarm(w.e.circuit, warm, act) != ""
	})
}

// safe leaves out what may hurt while a hazard stands or a joint is warm, and puts first what the
// hazard asks for.
func (w *weighed) safe(tests []Test) []Test {
	warm, dead := w.warmBoxes()
	standing := w.standing(dead)
	forbidden := func(t Test) bool { return len(w.kept([]Test{t})) == 0 }
	if len(standing) == 0 {
		if len(warm) == 0 {
			return tests
		}
		left := slices.DeleteFunc(slices.Clone(tests), forbidden)
		if len(left) == 0 { // the warm box is what is left to open
			left = []Test{w.opening(warm[0], w.bySite()[warm[0]])}
		}
		return left
	}
	var first []Test
	h := &standing[0]
	off := Test{
		Do: DoPowerOff, At: circuit.Panel, Site: h.Place, Minutes: w.e.settings.Minutes.ToPanel,
		Say: h.FirstMove(w.e.circuit), Why: h.Why(w.e.circuit), Caution: h.Why(w.e.circuit), Grave: true,
	}
	if w.powered() && !slices.ContainsFunc(tests, func(t Test) bool { return t.Do == DoPowerOff }) {
		first = append(first, off)
	}
	if box := w.e.circuit.Box(h.Place); box != nil {
		t := w.opening(h.Place, w.bySite()[h.Place])
		t.Why = fmt.Sprintf("%s Breaker off and locked out, proven dead, then the cover.", capitalized(h.Words(w.e.circuit))+".")
		first = append(first, t)
	}
	named := func(t Test) bool {
		return slices.ContainsFunc(first, func(n Test) bool { return n.Do == t.Do && n.Site == t.Site && t.Do == DoOpen })
	}
	left := slices.DeleteFunc(slices.Clone(tests), func(t Test) bool { return t.Do == DoDone || named(t) || forbidden(t) })
	if len(first)+len(left) == 0 {
		first = []Test{off}
	}
	offs := slices.DeleteFunc(slices.Clone(left), func(t Test) bool { return t.Do != DoPowerOff })
	left = slices.DeleteFunc(left, func(t Test) bool { return t.Do == DoPowerOff })
	return slices.Concat(offs, first, left)
}

func capitalized(words string) string { return strings.ToUpper(words[:1]) + words[1:] }
