package job

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"elvat/core/circuit"
	"elvat/core/makeup"
	"elvat/core/nec"
	"elvat/core/safety"
	"elvat/core/sitebook"
	"elvat/core/tester"
	"elvat/core/units"
)

// A MadeBox is a box with its plan, and whether it was made up so.
type MadeBox struct {
	Box   string
	Label string
	Plan  *makeup.Plan
	Made  bool
	Done  []string // steps
}

// A Source is what a report is made from.
type Source struct {
	Shop, Title, Complaint string
	CreatedAt              time.Time
	Circuit                *circuit.Circuit
	Readings               []sitebook.Taken
	Boxes                  []MadeBox
	Journal                Journal
	Checks                 []Check
	Leading                string           // what the readings point at, where nothing was made up
	Guards                 []sitebook.Guard // the GFCIs of the run, with their last test
	Hazards                []safety.Hazard  // that were reported
}

// hazards says of each what was reported, and how it ended.
func (s *Source) hazards() []string {
	lines := []string{}
	for i := range s.Hazards {
		h := &s.Hazards[i]
		line := fmt.Sprintf("%s, reported by %s.", upper(h.Words(s.Circuit)), tellers[h.By])
		if l := h.Looked; l == nil {
			line += " Nobody has looked at it: leave the breaker off."
		} else {
			line += fmt.Sprintf(" Looked at by %s: %s; %s.", l.By, strings.TrimSuffix(l.Found, "."), strings.TrimSuffix(l.Done, "."))
		}
		lines = append(lines, line)
	}
	return lines
}

var tellers = map[safety.Teller]string{
	safety.Customer: "the customer", safety.Office: "the office", safety.Electrician: "the electrician", safety.Reading: "a reading", safety.Box: "what was seen in the box",
}

// An OutletRow is an outlet as it was read.
type OutletRow struct {
	Label string       `json:"label"`
	Half  circuit.Half `json:"half"`
	Delta tester.Delta `json:"delta"`
	Words []string     `json:"words"`
}

// A ProvenRow is an outlet after the work: predicted and measured.
type ProvenRow struct {
	Label    string        `json:"label"`
	Why      string        `json:"why"`
	Half     circuit.Half  `json:"half"`
	Expected *tester.Delta `json:"expected,omitempty"`
	Seen     *tester.Delta `json:"seen,omitempty"`
	Says     string        `json:"says"`
	SaysSeen string        `json:"saysSeen"`
	Status   Status        `json:"status"`
}

// A ReportLine is one thing done, with when.
type ReportLine struct {
	At    time.Time `json:"at"`
	Words string    `json:"words"`
}

// A Due is a test that is to come.
type Due struct {
	What string    `json:"what"`
	When time.Time `json:"when"`
	Key  string    `json:"key"` // of the thing tested
}

// A Report is the paper a customer and an inspector get. It is the same for the
// same data.
type Report struct {
	Shop          string           `json:"shop"`
	Title         string           `json:"title"`
	Complaint     string           `json:"complaint"`
	Breaker       string           `json:"breaker"`
	CalledAt      time.Time        `json:"calledAt"`
	FinishedAt    time.Time        `json:"finishedAt"`
	By            string           `json:"by,omitempty"`
	To            string           `json:"to,omitempty"`
	Signature     string           `json:"signature,omitempty"` // of who it was handed to, as an SVG path
	Standing      string           `json:"standing"`            // proven, or what is open
	Units         units.System     `json:"-"`                   // what it measures in on paper
	Cause         []string         `json:"cause"`
	AsFound       []OutletRow      `json:"asFound"`
	Proven        []ProvenRow      `json:"proven"`
	Done          []ReportLine     `json:"done"`
	FixedFindings []makeup.Finding `json:"fixedFindings"`
	OpenFindings  []makeup.Finding `json:"openFindings"`
	Markings      []string         `json:"markings"`
	Parts         []string         `json:"parts"`
	Overrides     []string         `json:"overrides"`
	Hazards       []string         `json:"hazards"` // reported, each with how it ended
	Due           []Due            `json:"due"`
	Cautions      []string         `json:"cautions"`
}

// Report makes the paper.
func (s *Source) Report() Report {
	c := s.Circuit
	r := Report{
		Shop: s.Shop, Title: s.Title, Complaint: s.Complaint, CalledAt: s.CreatedAt, FinishedAt: s.CreatedAt,
		Breaker: fmt.Sprintf("breaker %s, %g A", orUnknown(c.Breaker.Label), c.Breaker.Amps),
		Hazards: s.hazards(),
	}
	s.done(&r)
	s.found(&r)
	for _, k := range s.Checks {
		row := ProvenRow{
			Label:    k.Label,
			Why:      k.Why,
			Half:     k.Half,
			Expected: &k.Expected,
			Seen:     k.Seen,
			Says:     k.Says,
			SaysSeen: k.SaysSeen,
			Status:   k.Status,
		}
		r.Proven = append(r.Proven, row)
	}
	gate := s.Journal.HandOver(s.Checks, s.open(), len(safety.Standing(s.Hazards)))
	switch {
	case len(s.Checks) == 0:
		r.Standing = "Nothing was made up or put right on this call yet."
	case len(gate.Missing) == 0:
		r.Standing = "Proven: every reading that was asked for is as predicted. What no reading shows, a joint that holds for now among it, is not proven."
	default:
		r.Standing = "Not proven: " + strings.Join(gate.Missing, "; ") + "."
	}
	s.findings(&r)
	s.parts(&r)
	for i := range s.Guards {
		g := &s.Guards[i]
		due := Due{
			What: "Press the test button of the GFCI at " + g.Label + ", then reset it",
			When: g.Next(r.FinishedAt),
			Key:  g.Device,
		}
		if g.Device == circuit.Panel {
			due.What = "Press the test button of the GFCI breaker " + c.Breaker.Label + ", then switch it on again"
		}
		r.Due = append(r.Due, due)
	}
	r.Cautions = []string{
		"Local code and the authority having jurisdiction win over anything in this report. Sections are named from memory; check what is adopted here.",
		"An outlet marked \"No Equipment Ground\" has no path for fault current; surge protectors do not work on it, and appliances that need a ground are not for it.",
		"Heat, smell, buzzing or a mark on a plate: stop using it, breaker off, call.",
		"What was predicted was worked out by a model of the circuit. It does not see inside walls.",
	}
	return r
}

// In is the report with its times as clocks in the zone show them.
func (r Report) In(zone *time.Location) Report {
	r.CalledAt, r.FinishedAt = r.CalledAt.In(zone), r.FinishedAt.In(zone)
	r.Done, r.Due = slices.Clone(r.Done), slices.Clone(r.Due)
	for i := range r.Done {
		r.Done[i].At = r.Done[i].At.In(zone)
	}
	for i := range r.Due {
		r.Due[i].When = r.Due[i].When.In(zone)
	}
	return r
}

// open counts what must be mended and is neither mended nor accepted.
func (s *Source) open() int {
	n := 0
	for _, b := range s.Boxes {
		n += len(s.Journal.MakeUp(b.Box, b.Plan.Open(b.Done)).Missing)
	}
	return n
}

func orUnknown(label string) string {
	if label == "" {
		return "not known"
	}
	return label
}

// done lists what was done, who did it, and what gates were passed by a person.
func (s *Source) done(r *Report) {
	label := s.Circuit.LabelOf
	var found []Entry
	for _, e := range s.Journal.standing() {
		r.FinishedAt = e.At
		switch e.Kind {
		case MadeUp:
			if e.Text != "" {
				r.Cause = append(r.Cause, label(e.Box)+": "+e.Text)
			}
			for _, line := range e.Evidence {
				r.Cause = append(r.Cause, "   "+line)
			}
		case HandedOver:
			r.By, r.To, r.Signature = e.Who, e.To, e.Signature
		case WasFound:
			found = append(found, e)
		case Override, Accepted:
			r.Overrides = append(r.Overrides, e.Words(label))
			continue
		case Marking:
			r.Markings = append(r.Markings, e.Text)
			continue
		case Part:
			continue
		}
		r.Done = append(r.Done, ReportLine{e.At, e.Words(label)})
	}
	for _, e := range found {
		// Where the box was made up since, the cause that stands there says it.
		if !slices.ContainsFunc(r.Cause, func(line string) bool { return strings.Contains(line, e.Text) }) {
			r.Cause = append(r.Cause, label(e.Box)+": found: "+e.Text)
		}
	}
	if len(r.Cause) == 0 && s.Leading != "" {
		r.Cause = []string{"The readings point at: " + s.Leading}
	}
}

// found is every half as it was before the work, later readings over earlier.
func (s *Source) found(r *Report) {
	for _, t := range s.Readings {
		if !t.AsFound || t.Reading.At == "" {
			continue
		}
		d := t.Reading.Delta(tester.Default)
		_, box := s.Circuit.Device(t.Reading.At)
		if box == nil {
			continue
		}
		label := s.Circuit.LabelOf(box.ID)
		i := slices.IndexFunc(r.AsFound, func(o OutletRow) bool { return o.Label == label && o.Half == t.Reading.Half })
		if i < 0 {
			r.AsFound = append(r.AsFound, OutletRow{Label: label, Half: t.Reading.Half})
			i = len(r.AsFound) - 1
		}
		r.AsFound[i].Delta = r.AsFound[i].Delta.Merge(d)
		r.AsFound[i].Words = append(r.AsFound[i].Words, t.Reading.Words(s.Circuit))
	}
}

// findings are those the plans put right, where they were made up, and those
// left open.
func (s *Source) findings(r *Report) {
	for _, b := range s.Boxes {
		for _, f := range b.Plan.Findings {
			if f.Severity == makeup.Note {
				continue
			}
			f.Text = b.Label + ": " + f.Text
			if b.Made && (f.Cured || b.Plan.Settled(f, b.Done)) {
				r.FixedFindings = append(r.FixedFindings, f)
			} else {
				r.OpenFindings = append(r.OpenFindings, f)
			}
		}
	}
}

func (s *Source) parts(r *Report) {
	for _, b := range s.Boxes {
		if !b.Made {
			continue
		}
		for _, m := range b.Plan.UsedUp() {
			unit := m.Unit
			if unit != "" {
				unit = " " + unit
			}
			r.Parts = append(r.Parts, fmt.Sprintf("%.4g%s %s", m.Count, unit, m.Item))
		}
		for _, m := range b.Plan.Markings {
			// Of a device: said by the place where it hangs.
			if device, words, ok := strings.Cut(m, ": "); ok && !strings.Contains(device, " ") {
				m = b.Label + ": " + words
			}
			if !slices.Contains(r.Markings, m) {
				r.Markings = append(r.Markings, m)
			}
		}
	}
	for _, e := range s.Journal.standing() {
		if e.Kind == Part {
			r.Parts = append(r.Parts, strings.TrimPrefix(e.Words(nil), "Used: "))
		}
	}
}

// Cite is where a finding stands.
func Cite(f makeup.Finding) string {
	if f.Section == "" {
		return f.Practice
	}
	return fmt.Sprintf("NEC %s, %d. %s", f.Section, f.Edition, nec.Adopted)
}

// A Label is put on a plate.
type Label struct {
	Device string
	Kind   circuit.DeviceKind
	At     string
	Text   []string
	Code   string // the address that its code opens; "" for none
}

// Labels are those for the outlets of a run: which breaker, where it resets, and
// what it has to be marked.
func Labels(c *circuit.Circuit, markings []string) []Label {
	w, err := circuit.Wire(c)
	if err != nil {
		return nil // a circuit that passed Check can be wired
	}
	feeds := w.Feeds()
	var all []Label
	for _, id := range c.Order() {
		for _, v := range c.Box(id).Devices {
			l := Label{Device: v.ID, Kind: v.Kind, At: c.LabelOf(id), Text: []string{"Breaker " + orUnknown(c.Breaker.Label)}}
			for _, name := range feeds.Guards(v.Second(circuit.Hot)) {
				switch {
				case name == v.ID:
					l.Text = append(l.Text, "Resets here")
				case name == circuit.Panel:
					l.Text = append(l.Text, "Resets at the panel")
				default:
					_, box := c.Device(name)
					l.Text = append(l.Text, "Resets at "+c.LabelOf(box.ID))
				}
			}
			for _, m := range markings {
				if rest, ok := strings.CutPrefix(m, v.ID+": "); ok {
					l.Text = append(l.Text, rest)
				}
			}
			all = append(all, l)
		}
	}
	return all
}
