package makeup

import (
	"fmt"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/nec"
	"elvat/core/wire"
)

// Severity says how much a finding weighs.
type Severity string

// Severities, the heaviest first.
const (
	Danger Severity = "danger"
	Must   Severity = "must"
	Should Severity = "should"
	Note   Severity = "note"
)

// Severities in the order in which findings stand.
var Severities = []Severity{Danger, Must, Should, Note}

// A Finding is something in the box, or in the choice of device, that someone
// has to know or mend.
type Finding struct {
	Code     string      `json:"code"`
	Severity Severity    `json:"severity"`
	Text     string      `json:"text"`
	At       []string    `json:"at,omitempty"` // points, cables or devices it is pinned to
	Section  string      `json:"section,omitempty"`
	Edition  nec.Edition `json:"edition,omitempty"`
	Check    string      `json:"check,omitempty"`
	Practice string      `json:"practice,omitempty"`
	Fix      string      `json:"fix"`
	Cured    bool        `json:"cured,omitempty"` // the plan puts it right
	Stop     bool        `json:"stop,omitempty"`  // nothing is planned until it is settled
	// Key names the finding in its box: it is mended or accepted by it.
	Key    string `json:"key"`
	Mend   string `json:"mend,omitempty"`   // what is said once it is mended
	Mended bool   `json:"mended,omitempty"` // and was
}

// Open reports whether the finding has to be mended, or accepted, before the box is made
// up.
func (f *Finding) Open() bool {
	return (f.Severity == Danger || f.Severity == Must) && !f.Cured && !f.Mended
}

// The trade's own reasons, where no section stands behind a finding.
const commonPractice = "common practice, no source"

// look goes through a box and gathers what there is to say.
type look struct {
	b        *Box
	book     nec.Book
	line     *Cable
	grounded bool     // a ground arrives with the line, by wire or by raceway
	raceway  bool     // by conduit or listed armour, on a metal box
	ahead    []string // GFCIs between the panel and the box, where the run is known
	run      *circuit.Circuit
	findings []Finding
	asks     []nec.Ask
}

func (l *look) add(f Finding) { l.findings = append(l.findings, f) }

// code adds a finding that a section stands behind.
func (l *look) code(topic nec.Topic, f Finding) {
	f.Section, f.Edition, f.Check = l.book.Cite(topic).Section, l.book.Edition, nec.Adopted
	l.add(f)
}

// trade adds a finding of the trade.
func (l *look) trade(f Finding) {
	f.Practice = commonPractice
	l.add(f)
}

func (l *look) ask(field, words string) {
	a := nec.Ask{Field: field, Words: words}
	if !slices.Contains(l.asks, a) {
		l.asks = append(l.asks, a)
	}
}

func (l *look) stopped() bool {
	return slices.ContainsFunc(l.findings, func(f Finding) bool { return f.Stop })
}

// raceways are the cable types whose metal is a ground of its own, and plainArmour those
// that look like it and are not: old armour without a bonding strip, and interlocked
// armour that is not listed as a ground.
// Source: NEC 250.118 (from memory).
var (
	raceways    = []string{"conduit", "emt", "rmc", "imc", "ac", "mc-ap"}
	plainArmour = []string{"bx", "mc", "armour", "armor"}
)

// toldApart are the cables with those that go to the same place told apart by their number.
func toldApart(cables []Cable) []Cable {
	all := slices.Clone(cables)
	for i := range cables {
		same := func(c Cable) bool { return c.Role != Line && c.Serves == cables[i].Serves }
		if n := slices.IndexFunc(cables, same); cables[i].Serves != "" && same(cables[i]) && (n != i || slices.ContainsFunc(cables[i+1:], same)) {
			all[i].Serves += " (" + cables[i].ID + ")"
		}
	}
	return all
}

func newLook(b *Box, book nec.Book) *look {
	b = b.settled()
	b.Cables = toldApart(b.Cables)
	l := &look{b: b, book: book}
	lines := 0
	for i := range b.Cables {
		if b.Cables[i].Role == Line {
			lines++
			l.line = &b.Cables[i]
		}
	}
	if lines != 1 {
		l.line = nil
	}
	if l.line != nil {
		l.raceway = b.Box.Material == circuit.Metal && !l.line.Has(circuit.Ground) &&
			slices.Contains(raceways, strings.ToLower(l.line.Type))
		l.grounded = l.line.Has(circuit.Ground) || l.raceway
	}
	return l
}

// guarded reports whether something ahead of the box trips on a ground fault.
func (l *look) guarded() bool {
	return l.b.Breaker.Protection.SeesGroundFaults() || len(l.ahead) > 0
}

// guard names it.
func (l *look) guard() string {
	if n := len(l.ahead); n > 0 && l.ahead[n-1] != circuit.Panel {
		return l.labelOf(l.ahead[n-1])
	}
	return "the breaker"
}

// box finds what is wrong with the box and its cables, whatever is to hang in it.
func (l *look) box() {
	l.feeds()
	for i := range l.b.Cables {
		l.cable(&l.b.Cables[i])
	}
	l.enclosure()
}

func (l *look) feeds() {
	var lines, unknowns, named []string
	for i := range l.b.Cables {
		c := &l.b.Cables[i]
		switch c.Role {
		case Line:
			lines = append(lines, c.ID)
		case Unknown:
			unknowns = append(unknowns, c.ID)
		}
		named = append(named, c.ID)
	}
	onOne := nec.Disconnect
	if l.oneYoke(lines) {
		onOne = nec.TwoOnYoke
	}
	switch {
	case len(lines) > 1:
		l.code(onOne, Finding{
			Code: "two-circuits", Severity: Danger, At: lines, Stop: true,
			Text: fmt.Sprintf(
				"Two feeds in one box: %s. Switching off one breaker leaves the other live.",
				strings.Join(lines, " and "),
			),
			Fix: "Find both breakers, switch both off, prove both dead. Nothing is joined before it is known why two feeds meet here.",
		})
	case len(unknowns) > 0 || len(lines) == 0:
		l.trade(Finding{
			Code: "line-unknown", Severity: Must, At: named, Stop: true,
			Text: "Which cable brings the power is not known. LINE, LOAD and every terminal hang on it.",
			Fix:  "Find it first; the steps say how. Then say which cable it is.",
		})
	case !l.line.Has(circuit.Hot) || !l.line.Has(circuit.Neutral):
		l.trade(Finding{
			Code: "feed-incomplete", Severity: Must, At: lines, Stop: true, Text: "What is called the feed has not both a hot and a neutral: it is a switch leg, or not the feed.",
			Fix: "Find the cable that brings both.",
		})
	}
}

// oneYoke reports whether the feeds land on one device, by what is recorded.
func (l *look) oneYoke(lines []string) bool {
	if l.b.Existing == nil {
		return false
	}
	old, on := l.b.oldName(), 0
	joined := newNets(l.b.landings())
	device := l.b.oldDevice()
	for _, id := range lines {
		if slices.ContainsFunc(device.Terminals(), func(t circuit.Terminal) bool {
			return t.Takes == circuit.Hot && joined.same(id+"@"+l.b.ID+".hot", old+"."+t.Name)
		}) {
			on++
		}
	}
	return on > 1
}

// mostAmps is the largest breaker that the cable may hang on; zero where no rule speaks
// of it.
func (c *Cable) mostAmps() float64 {
	if c.Material == aluminum {
		return c.AWG.MostAmpsAluminum()
	}
	return c.AWG.MostAmps()
}

// breakerFix is what brings a cable and its breaker together.
func (l *look) breakerFix(most float64) string {
	if g := wire.For(l.b.Breaker.Amps); g != 0 {
		return fmt.Sprintf("A %g A breaker, or %d AWG all the way.", most, g)
	}
	return fmt.Sprintf("A %g A breaker.", most)
}

func (l *look) cable(c *Cable) {
	at := []string{c.ID}
	if most := c.mostAmps(); most > 0 && l.b.Breaker.Amps > most {
		metal := ""
		if c.Material == aluminum {
			metal = " aluminium"
		}
		l.code(nec.ConductorBreaker, Finding{
			Code: "conductor-breaker", Severity: Must, At: at,
			Text: fmt.Sprintf("%s is %d AWG%s on a %g A breaker: it carries %g A.", c.name(), c.AWG, metal, l.b.Breaker.Amps, most),
			Fix:  l.breakerFix(most),
		})
	}
	if c.Material == aluminum {
		l.aluminum(c)
	}
	switch c.Condition {
	case "scorched":
		l.code(nec.Damaged, Finding{
			Code: "insulation-damaged", Severity: Danger, At: at, Stop: true,
			Text: fmt.Sprintf(
				"The insulation of %s is scorched. What heated it is not gone, and how far the damage goes is not known.",
				c.name(),
			),
			Fix: "Leave it off. Find what heated it; cut back to sound copper, or replace the cable.",
		})
	case "nicked":
		l.code(nec.Damaged, Finding{
			Code: "insulation-damaged", Severity: Must, At: at,
			Text: fmt.Sprintf(
				"A wire of %s is nicked.",
				c.name(),
			),
			Fix: "Cut back to sound wire and strip afresh; extend it where it gets short.",
		})
	case "brittle", "cloth":
		l.trade(Finding{
			Code: "insulation-damaged", Severity: Must, At: at,
			Text: fmt.Sprintf(
				"The insulation of %s is %s: it cracks when it is moved.",
				c.name(),
				c.Condition,
			),
			Fix: "Move it little; sleeve each wire; a new cable is the lasting answer.",
		})
	}
	if c.FromSheathIn != nil && *c.FromSheathIn < nec.LeastFromSheath ||
		c.PastFaceIn != nil && *c.PastFaceIn < nec.LeastPastFace {
		l.code(nec.FreeConductor, Finding{
			Code: "short-conductor", Severity: Must, At: at,
			Text: fmt.Sprintf("The wires of %s are short: %s.", c.name(), lengths(c)),
			Fix:  fmt.Sprintf("Extend each by a splice with 6\u00a0in of %d AWG.", c.AWG), Cured: len(l.b.devices()) > 0,
		})
	}
	l.colours(c)
	if c.Has(circuit.Hot2) {
		l.second(c)
	}
	if c.Role == Line && !c.Has(circuit.Ground) {
		l.noGround(c)
	}
	if c.Stranded && slices.ContainsFunc(l.b.devices(), func(v *Device) bool { return v.Terminals == screw || v.Terminals == "" }) {
		l.trade(Finding{
			Code: "stranded", Severity: Should, At: at, Cured: true,
			Text: fmt.Sprintf("%s is stranded: under the hook of a plain screw its strands spread.", c.name()),
			Fix:  "A clamp terminal or a crimped end; the plan splices it to a solid jumper.",
		})
	}
}

// aluminum stops the plan, unless the device, or connectors that are at hand, are listed
// for it.
func (l *look) aluminum(c *Cable) {
	device := l.b.Device != nil && l.b.Device.Aluminum
	listed := device || l.b.Box.AluminumConnectors
	f := Finding{
		Code: "aluminum", Severity: Danger, At: []string{c.ID}, Stop: !listed, Cured: listed,
		Text: fmt.Sprintf("%s is aluminium. It creeps and oxidises under ordinary screws, and burns there.", c.name()),
		Fix:  "Only devices and connectors listed for aluminium, made up as they are listed. Without them, close the box dead.",
	}
	switch {
	case !listed:
		l.ask("box.aluminumConnectors", "Are connectors listed for aluminium with copper at hand, or is the device listed for aluminium?")
	case device:
		f.Fix = "On the device, which is listed for it; with copper only in a connector listed for both."
	default:
		f.Fix = "Each aluminium wire to a copper jumper in a connector listed for both; none on the device itself."
	}
	l.code(nec.Splicing, f)
}

func lengths(c *Cable) string {
	var parts []string
	if c.FromSheathIn != nil {
		parts = append(parts, fmt.Sprintf("%g\u00a0in from the sheath, 6 wanted", *c.FromSheathIn))
	}
	if c.PastFaceIn != nil {
		parts = append(parts, fmt.Sprintf("%g\u00a0in past the face, 3 wanted", *c.PastFaceIn))
	}
	return strings.Join(parts, "; ")
}

// groundColours and neutralColours are what those conductors alone may be.
var (
	groundColours  = []string{"bare", "green", "green-yellow"}
	neutralColours = []string{"white", "gray", "grey"}
)

func (l *look) colours(c *Cable) {
	for _, k := range circuit.Conductors {
		colour, ok := c.Insulation[k]
		if !ok || colour == "" || colour == "unknown" {
			continue
		}
		misleads := false
		switch k {
		case circuit.Hot, circuit.Hot2:
			misleads = slices.Contains(groundColours, colour) || slices.Contains(neutralColours, colour)
		case circuit.Neutral:
			misleads = !slices.Contains(neutralColours, colour)
		case circuit.Ground:
			misleads = !slices.Contains(groundColours, colour)
		}
		if misleads {
			severity, topic := Should, nec.Reidentify
			switch {
			case slices.Contains(groundColours, colour) || k == circuit.Ground:
				// A green or bare wire that carries current, or a ground that looks like one.
				severity, topic = Must, nec.GroundColour
			case k == circuit.Neutral:
				topic = nec.NeutralColour
			}
			l.code(topic, Finding{
				Code: "colour-misleads", Severity: severity, At: []string{c.ID + "@" + l.b.ID + "." + string(k)},
				Text: fmt.Sprintf(
					"The %s of %s is %s. Its colour is a hint, never proof.",
					k,
					c.name(),
					colour,
				),
				Fix: "Prove what it is with a meter, then re-mark it where it shows.",
			})
		}
	}
}

// second is what a 3-wire cable means.
func (l *look) second(c *Cable) {
	at := []string{c.ID + "@" + l.b.ID + ".hot2"}
	switch {
	case c.Hot2 == SwitchLeg:
		l.trade(Finding{
			Code: "switched-half", Severity: Note, At: at, Text: fmt.Sprintf("The second hot of %s comes from a wall switch.", c.name()),
			Fix: "It feeds one half alone: the tab on the hot side is broken off, the neutral side stays whole.",
		})
	case c.Has(circuit.Neutral):
		text := fmt.Sprintf(
			"%s may be a shared neutral: two hots on one neutral, up to 240 V on the lighter side when it opens.",
			c.ID,
		)
		if c.Hot2 == OtherLeg {
			text = fmt.Sprintf("%s is a shared neutral: opened under load it puts up to 240 V on the lighter side.", c.name())
		}
		l.code(nec.SharedNeutral, Finding{
			Code: "shared-neutral", Severity: Must, At: at, Text: text, Cured: true,
			Fix: "Both breakers off together (NEC 210.4(B)), prove all hots dead. The neutral is spliced with a jumper, never carried through the device.",
		})
		if c.Hot2 != OtherLeg {
			l.ask(
				"cables."+c.ID+".hot2",
				"Is the second hot of "+c.ID+" the other leg of a shared neutral, or a switched half? 240 V between the hots means opposite legs; about 0 V proves nothing.",
			)
		}
	}
}

func (l *look) noGround(c *Cable) {
	switch {
	case l.raceway:
		l.code(nec.GroundPath, Finding{
			Code: "ground-missing", Severity: Note, At: []string{c.ID}, Text: fmt.Sprintf("%s brings no ground wire; its %s may be the ground.", c.name(), c.Type),
			Fix: "Prove it: ohms from the box to a known ground, and a load tester. Old armour without a bonding strip is no ground.",
		})
	default:
		text, topic := fmt.Sprintf("No ground arrives: %s has no ground wire.", c.name()), nec.TwoSlot
		if slices.Contains(plainArmour, strings.ToLower(c.Type)) {
			topic = nec.GroundPath
			text = fmt.Sprintf("No ground arrives: %s has no ground wire, and plain interlocked armour is no ground.", c.name())
		}
		l.code(topic, Finding{
			Code: "ground-missing", Severity: Must, At: []string{c.ID}, Text: text,
			Fix:   "One of the ways on that stand below. A plain three-slot device, or a faked ground, is never an answer.",
			Cured: len(l.b.devices()) > 0 && !slices.ContainsFunc(l.b.devices(), func(v *Device) bool { return !l.answered(v) }),
		})
	}
}

func (l *look) enclosure() {
	e := &l.b.Box
	here := []string{l.b.ID}
	if e.Loose != nil && *e.Loose {
		fix := "Tighten it; if it does not hold, a box screwed to the stud from inside."
		switch e.Mount {
		case "nailed":
			fix = "Cut its nails, take it out, and screw a new box to the stud from inside."
		case "ears":
			fix = "Tighten its ears against the wallboard."
		}
		l.code(
			nec.BoxSupport,
			Finding{
				Code:     "box-loose",
				Severity: Must,
				At:       here,
				Text:     "The box is loose: every plug pulled works its wires.",
				Fix:      fix,
			},
		)
	}
	l.depth()
	l.gap()
	if e.Material == circuit.Metal && (e.Bonded == nil || !*e.Bonded) {
		if e.Bonded == nil {
			l.ask("box.bonded", "Is the metal box joined to the ground wires by a screw of its own?")
		}
		f := Finding{
			Code: "box-unbonded", Severity: Must, At: []string{l.b.ID + ".box"}, Text: "The metal box is not joined to a ground: a loose hot makes box and plate live.",
			Fix: "A 10-32 ground screw in the box (tap a hole if there is none), and a jumper to the ground splice.", Cured: l.grounded,
		}
		if l.line != nil && !l.grounded {
			f.Severity, f.Fix = Danger, "There is no ground here to bond it to: bring one, or a new cable."
		}
		l.code(nec.BoxBond, f)
	}
}
