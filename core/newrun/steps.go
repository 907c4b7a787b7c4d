package newrun

import (
	"fmt"
	"strings"

	"elvat/core/circuit"
	"elvat/core/makeup"
	"elvat/core/nec"
	"elvat/core/parts"
	"elvat/core/wire"
)

// A Part of the work: the steps of one stand together.
type Part string

// Parts of the work.
const (
	Before   Part = "before"
	Start    Part = "start" // the box that a run is extended from
	Boxes    Part = "boxes"
	WayTo    Part = "way"
	MakeUp   Part = "make-up"
	Check    Part = "check"
	PanelJob Part = "panel"
	Prove    Part = "prove"
	Removing Part = "remove"
	Last     Part = "last"
)

// Parts in their order.
var Parts = []Part{Before, Start, Boxes, WayTo, MakeUp, Check, PanelJob, Prove, Removing, Last}

// PartWords name the parts.
var PartWords = map[Part]string{
	Before: "Before anything is opened", Start: "Where it begins", Boxes: "Set the boxes", WayTo: "Lay the way", MakeUp: "Make up the boxes", Check: "Before the panel",
	PanelJob: "In the panel, by a licensed person only", Prove: "Energise and prove", Removing: "What serves nothing more", Last: "Write it down",
}

// A Step is one thing to do.
type Step struct {
	Code     string `json:"code"`
	Part     Part   `json:"part"`
	Outlet   string `json:"outlet,omitempty"`
	Do       string `json:"do"`
	Detail   string `json:"detail,omitempty"`
	Section  string `json:"section,omitempty"`
	Licensed bool   `json:"licensed,omitempty"` // for a licensed person; nobody else does it by this list
	// Gate is what has to be so before it: dead (main off and proven dead), checked (the run
	// was measured and is clear), or none.
	Gate string `json:"gate"`
	// Caution is what can hurt at this step.
	Caution string `json:"caution,omitempty"`
}

// CheckStep is the code of the step that measures the run before it is connected.
const CheckStep = "check"

// StartStep is the code of the step that makes up the box which a run is extended from.
const StartStep = "start"

// LicensedStep reports whether the code is of a step in the panel, which is a licensed
// person's.
func LicensedStep(code string) bool { return strings.HasPrefix(code, "panel-") }

// ToLay reports whether the step is done before the run counts as laid.
func (s *Step) ToLay() bool { return s.Part != Prove && s.Part != Removing && s.Part != Last }

// NeedsCheck reports whether the step comes after the run was measured.
func (s *Step) NeedsCheck() bool { return s.Gate == gateChecked }

type list struct {
	p   *planner
	all []Step
}

func (l *list) add(code string, part Part, do, detail string, more ...func(*Step)) {
	s := Step{Code: code, Part: part, Do: do, Detail: detail, Gate: makeup.GateNone}
	for _, m := range more {
		m(&s)
	}
	l.all = append(l.all, s)
}

func at(outlet string) func(*Step)     { return func(s *Step) { s.Outlet = outlet } }
func gate(name string) func(*Step)     { return func(s *Step) { s.Gate = name } }
func caution(words string) func(*Step) { return func(s *Step) { s.Caution = words } }
func licensed(s *Step)                 { s.Licensed = true }

func (l *list) section(topic nec.Topic) func(*Step) {
	return func(s *Step) { s.Section = l.p.book.Cite(topic).Section }
}

// gateChecked is that of energising: the run was measured, and nothing in it touches.
const gateChecked = "checked"

// steps are the order of work.
func (p *planner) steps() {
	l := &list{p: p}
	b := &p.plan.Breaker
	l.add("permit", Before, "Ask what the authority having jurisdiction wants", "A new circuit or an extension usually wants a permit and an inspection before it is closed up.")
	l.add("look", Before, "Look for what is in the way", "Pipes, ducts, other cables: a sensor and a small hole first, where a wall is closed. Walls of old houses may hold lead paint or asbestos: then nobody cuts before it is known.",
		caution("What is behind the wall is live until it is proven otherwise."))
	if p.o.Extends() {
		l.add("dead", Start, fmt.Sprintf("Breaker %s off, locked, and the box at %s proven dead", b.Label, p.run.LabelOf(p.o.From)),
			"Tester proven on a live source, dead on all pairs of both halves and to a proven ground, tester proven again.", at(p.o.From), caution("A second circuit in the box stays live."))
		l.add(StartStep, Start, fmt.Sprintf("Make up the box at %s with the new cable", p.run.LabelOf(p.o.From)), "By the steps of its own plan, after the new run is laid and made up.", at(p.o.From), gate(makeup.GateDead))
	}
	l.boxes()
	for i := range p.plan.Stretches {
		l.way(&p.plan.Stretches[i])
	}
	for i := range p.plan.Boxes {
		m := &p.plan.Boxes[i]
		l.add("make-up:"+m.Outlet, MakeUp, fmt.Sprintf("Make up %s: %s", m.Label, m.Box.Device.Words()),
			fmt.Sprintf("By the steps of its own plan; %d of them. The far end of the run is not connected yet.", len(m.Plan.Steps)), at(m.Outlet))
	}
	l.add(CheckStep, Check, "Measure the run before it is connected", "Nothing plugged in, every GFCI reset: ohms between hot and neutral, hot and ground, neutral and ground, all open. Then the far ends joined, one pair at a time: below an ohm there and back.")
	if b.New {
		l.panel()
	} else {
		l.add("energise", Prove, fmt.Sprintf("Breaker %s on", b.Label), "Nothing plugged in. Stand to one side.", gate(gateChecked))
	}
	l.add("prove", Prove, "Prove every outlet against what is predicted", "Both halves: plug tester, meter, sensor; the GFCI by its own button, then by the tester at the last outlet it protects. What differs leads back to the box before it.", gate(gateChecked))
	l.removing()
	l.last()
	p.plan.Steps = l.all
}

func (l *list) boxes() {
	for i := range l.p.plan.Boxes {
		m := &l.p.plan.Boxes[i]
		v := &l.p.o.Outlets[i]
		detail := "Its front flush with the face of the wall."
		switch m.Set.Wall {
		case Finished:
			detail = "Draw round it, cut, and keep the gap under 1/8 in all round; its ears hold it to the wallboard. " + detail
		case OpenFrame:
			detail = "Nailed to the stud at the marked depth, so that it comes flush with the finished wall."
		case OnMasonry:
			detail = "On masonry anchors, level; the cover raised."
		case OnOutdoors:
			detail = "Sealed at the siding above and at the sides, open below; an in-use cover."
		case OnSurface:
			detail = "Screwed to framing or anchors, never to wallboard alone."
		}
		l.add("set:"+v.ID, Boxes, fmt.Sprintf("Set the box for %s: %s", m.Label, m.Set.Words), detail, at(v.ID), l.section(nec.BoxSupport))
	}
}

func (l *list) way(s *Stretch) {
	name := l.p.nameOf(s.Outlet)
	for i := range s.Legs {
		leg := &s.Legs[i]
		more := []func(*Step){at(s.Outlet)}
		switch {
		case leg.Pipe != nil && leg.Pipe.Kind == wire.EMT:
			more = append(more, l.section(nec.EMTSupport))
		case leg.Pipe != nil:
			more = append(more, l.section(nec.PVCSupport))
		case leg.Holes > 0:
			more = append(more, l.section(nec.BoredHoles))
		case leg.By == Attic:
			more = append(more, l.section(nec.InAttic))
		default:
			more = append(more, l.section(nec.CableSupport))
		}
		if leg.By == CrawlSpace || leg.By == Attic {
			more = append(more, caution("Somebody knows that one is in there."))
		}
		l.add(fmt.Sprintf("way:%s:%d", s.Outlet, i), WayTo, fmt.Sprintf("To %s: %s", name, lowerFirst(leg.Words)), strings.Join(leg.Do, " "), more...)
		if leg.Pipe == nil {
			continue
		}
		for k := range leg.Pipe.Bent {
			bent := &leg.Pipe.Bent[k]
			marks := make([]string, len(bent.Marks))
			for n, m := range bent.Marks {
				marks[n] = fmt.Sprintf("%s at %s\u00a0in", m.Words, sixteenth(m.AtIn))
			}
			l.add(fmt.Sprintf("bend:%s:%d:%d", s.Outlet, i, k), WayTo, fmt.Sprintf("To %s: %s", name, lowerFirst(bent.Name)), "Mark: "+strings.Join(marks, ", ")+". "+bent.How, at(s.Outlet), l.section(nec.ConduitBends))
		}
	}
	l.add("pull:"+s.Outlet, WayTo, fmt.Sprintf("To %s: cut %s\u00a0ft and pull", name, figure(s.BuyFeet)),
		fmt.Sprintf("%s. Leave %s\u00a0in from the sheath in each box, 3\u00a0in past its face at least; 1/4\u00a0in of sheath inside. Label both ends.", s.Method.words(l.p.plan.Conductor.AWG), sixteenth(s.FreeIn)),
		at(s.Outlet), l.section(nec.FreeConductor))
}

// panel is a licensed person's list, and no more than that.
func (l *list) panel() {
	b := &l.p.plan.Breaker
	job := func(code, do, detail string, more ...func(*Step)) {
		l.add(code, PanelJob, do, detail, append([]func(*Step){licensed}, more...)...)
	}
	job("panel-room", "Room before the panel, and in it", "30 in wide and 36 in deep are free and dry; a free space that the panel's label lists for this breaker; the sum of the service's load is made.", l.section(nec.WorkingSpace))
	job("panel-main", "Main breaker off, locked and tagged", "What must not go off was told of it, and computers are down.", caution("The service lugs and the wires to them stay live with the main off. Nothing is reached over them, and no metal comes near."))
	job("panel-dead", "Cover off, bars and branch breakers proven dead", "Tester proven on a live source, both legs to neutral and to each other, tester proven again.", gate(makeup.GateDead), caution("The line side of the main is live."))
	entry := "A listed connector in a knockout, the cable's sheath 1/4 in inside it."
	if l.p.o.Panel.Flush {
		entry = "The panel is flush in a finished wall: the cable is fished to a knockout of its top or bottom, with a listed connector."
	}
	job("panel-enter", "Bring the cable in", entry+" No knockout stays open.", gate(makeup.GateDead))
	job("panel-ground", "Ground to the ground bar", "One wire to a hole, unless it is listed for more. Where the panel is not the service, grounds and neutrals lie on bars of their own.", gate(makeup.GateDead))
	if b.Protection == circuit.NoProtection || b.Protection == "" {
		job("panel-neutral", "Neutral to the neutral bar", "One wire to a hole, always.", gate(makeup.GateDead))
	} else {
		job("panel-neutral", "This circuit's neutral to the breaker, not to the bar", "The breaker compares it with the hot. Its own white lead, or the plug-on contact, goes to the neutral bar. Joined with any other circuit's neutral it trips.", gate(makeup.GateDead), l.section(nec.NeutralOfGFCI))
	}
	job("panel-breaker", fmt.Sprintf("Fit the breaker: %s", breakerWords(b)), "One that the panel's label lists, in its space, off. Hot under its screw; every screw to the torque on its label, with a torque driver.", gate(makeup.GateDead), l.section(nec.BreakerListed))
	job("panel-close", "Cover on, then the main on, then this breaker", "Branch breakers off before the main, on one by one after it. Stand to one side, nothing plugged in.", gate(gateChecked), caution("A breaker that trips is left off: the run is measured again."))
	if b.Protection != circuit.NoProtection && b.Protection != "" {
		job("panel-button", "Press the breaker's own test button", "It goes off, and is reset. Once a month from then on.", gate(gateChecked))
	}
}

func (l *list) removing() {
	for i, r := range l.p.o.Remove {
		code := fmt.Sprintf("remove:%d", i)
		do := fmt.Sprintf("%s, from %s to %s: taken out", r.Cable, r.From, r.To)
		detail := "Breaker off and both ends proven dead; loosened at both ends, staples drawn, pulled out. Empty boxes get a blank plate, or go and the wall is closed."
		if r.How == LeftDead {
			do = fmt.Sprintf("%s, from %s to %s: left in, made safe", r.Cable, r.From, r.To)
			detail = "Breaker off and both ends proven dead. Loosened at both ends, so that nothing can feed it; every wire capped by itself, ends in boxes that stay accessible behind a blank plate, and labelled: not connected, both ends."
		}
		l.add(code, Removing, do, detail, gate(makeup.GateDead), l.section(nec.UnusedCable), caution("Capped at one end only it is a live end that somebody will find."))
	}
}

func (l *list) last() {
	row := &l.p.plan.Directory
	name := row.Breaker
	if name == "" {
		name = "the new breaker"
	}
	l.add("directory", Last, fmt.Sprintf("Directory: %s, %g A, %s", name, row.Amps, row.Serves), "So that somebody who does not know the house finds it.", l.section(nec.Directory))
	l.add("inspection", Last, "Call for the inspection, where there is one", "Before walls are closed over it.")
}

func lowerFirst(s string) string {
	if len(s) > 1 && s[1] >= 'a' && s[1] <= 'z' {
		return strings.ToLower(s[:1]) + s[1:]
	}
	return s
}

// protects are the trade's letters for what a breaker protects from.
var protects = map[circuit.Protection]string{circuit.GFCIBreaker: "GFCI", circuit.AFCIBreaker: "AFCI", circuit.DualBreaker: "AFCI and GFCI"}

func breakerWords(b *Breaker) string {
	return parts.NewBreaker(b.Amps, max(1, b.Poles), protects[b.Protection]).Words
}
