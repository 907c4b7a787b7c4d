package newrun

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/makeup"
	"elvat/core/nec"
	"elvat/core/practice"
	"elvat/core/tester"
)

// A Plan is what is done for an order, from the panel to the last reading.
type Plan struct {
	Format    string      `json:"format"`
	ID        string      `json:"id"`
	Name      string      `json:"name"`
	Edition   nec.Edition `json:"edition"`
	Load      Load        `json:"load"`
	Breaker   Breaker     `json:"breaker"`
	Conductor Conductor   `json:"conductor"`
	Guarded   []Guarded   `json:"guarded"`
	Stretches []Stretch   `json:"stretches"`
	Boxes     []Made      `json:"boxes"`
	// There is the box that a run is extended from, as it is then.
	There *Made `json:"there,omitempty"`
	// Circuit is the run as it will be, elvat-circuit/1.
	Circuit   *circuit.Circuit `json:"circuit"`
	Findings  []makeup.Finding `json:"findings"`
	Asks      []nec.Ask        `json:"asks"`
	Steps     []Step           `json:"steps"`
	Materials []Material       `json:"materials"`
	Minutes   Minutes          `json:"minutes"`
	// Parts and Labour are what it comes to in the shop's prices, in dollars, by the usual minutes.
	Parts  float64 `json:"parts"`
	Labour float64 `json:"labour"`
	// Issued says that every box's plan is proven on the circuit model.
	Issued    bool            `json:"issued"`
	Predicted json.RawMessage `json:"predicted"` // elvat-readings/1
	// Directory is the row that the panel's directory gets.
	Directory Row `json:"directory"`
}

// A Row is one of the panel's directory.
type Row struct {
	Breaker string  `json:"breaker"`
	Amps    float64 `json:"amps"`
	Serves  string  `json:"serves"`
}

// A Made box is one of the run: what is set, what hangs in it, and its make-up.
type Made struct {
	Outlet string       `json:"outlet"`
	Label  string       `json:"label"`
	Set    Enclosure    `json:"set"`
	Box    *makeup.Box  `json:"box"`
	Plan   *makeup.Plan `json:"plan"`
}

// trade is the reason of what no section asks.
const trade = "common practice, no source"

// A planner makes one plan.
type planner struct {
	o      *Order
	run    *circuit.Circuit // that is extended; nil: a new circuit
	shop   practice.Shop
	book   nec.Book
	house  practice.House
	plan   *Plan
	guards []Guarded
	there  float64 // amperes that hang on the run already
	hidden string  // the outlet at which a GFCI could not be reached
}

// Make plans the order by the shop's practice. run is the circuit that is extended, as it
// is; nil where the order is of a circuit of its own. opened are boxes of the run that
// somebody has looked into. The error names what cannot be planned.
func Make(o *Order, shop practice.Shop, run *circuit.Circuit, opened ...*makeup.Box) (*Plan, error) {
	p := &planner{o: o, run: run, shop: shop, book: shop.Book(o.Edition), house: o.House.Whole(shop.House)}
	p.plan = &Plan{Format: PlanFormat, ID: o.ID, Name: p.what(), Edition: p.book.Edition, Findings: []makeup.Finding{}, Asks: []nec.Ask{}, Stretches: []Stretch{}, Boxes: []Made{}}
	if o.Extends() {
		if run == nil || run.Box(o.From) == nil {
			return nil, fmt.Errorf("new run: from: %q is no box of the run that it is to hang on", o.From)
		}
		for _, l := range run.Loads {
			p.there += l.Watts / volts
		}
	}
	p.load()
	if err := p.breaker(); err != nil {
		return nil, fmt.Errorf("new run: %w", err)
	}
	p.mixed()
	p.protect()
	if err := p.conductor(); err != nil {
		return nil, fmt.Errorf("new run: %w", err)
	}
	p.plan.Guarded = p.guards
	if err := p.stretches(); err != nil {
		return nil, fmt.Errorf("new run: %w", err)
	}
	p.panel()
	if err := p.boxes(opened); err != nil {
		return nil, fmt.Errorf("new run: %w", err)
	}
	p.plan.Breaker.Words = breakerWords(&p.plan.Breaker)
	p.plan.Directory = Row{p.plan.Breaker.Label, p.plan.Breaker.Amps, p.serves()}
	p.steps()
	p.materials()
	p.minutes()
	p.sortFindings()
	return p.plan, nil
}

func (p *planner) find(f makeup.Finding) {
	if f.Key == "" {
		f.Key = f.Code
		for _, at := range f.At {
			f.Key += ":" + at
		}
	}
	if !slices.ContainsFunc(p.plan.Findings, func(have makeup.Finding) bool { return have.Key == f.Key && have.Text == f.Text }) {
		p.plan.Findings = append(p.plan.Findings, f)
	}
}

// code adds a finding that a section stands behind.
func (p *planner) code(topic nec.Topic, f makeup.Finding) {
	f.Section, f.Edition, f.Check = p.book.Cite(topic).Section, p.book.Edition, nec.Adopted
	p.find(f)
}

// trade adds a finding of the trade.
func (p *planner) trade(f makeup.Finding) {
	f.Practice = trade
	p.find(f)
}

// because is a reason that a section stands behind.
func (p *planner) because(topic nec.Topic, text string) Reason {
	return Reason{Text: text, Section: p.book.Cite(topic).Section, Edition: p.book.Edition, Check: nec.Adopted}
}

func (p *planner) ask(field, words string) {
	a := nec.Ask{Field: field, Words: words}
	if !slices.Contains(p.plan.Asks, a) {
		p.plan.Asks = append(p.plan.Asks, a)
	}
}

func (p *planner) asks(outlet string, all []nec.Ask) {
	for _, a := range all {
		p.ask("outlets."+outlet+"."+a.Field, a.Words)
	}
}

// index is where the outlet stands in the order; -1 where it is none of it.
func (p *planner) index(id string) int {
	return slices.IndexFunc(p.o.Outlets, func(v Outlet) bool { return v.ID == id })
}

func (p *planner) nameOf(id string) string {
	if i := p.index(id); i >= 0 {
		return p.o.Outlets[i].name()
	}
	if p.run != nil {
		return p.run.LabelOf(id)
	}
	return id
}

// what the run is, in words.
func (p *planner) what() string {
	switch {
	case p.o.Name != "":
		return p.o.Name
	case p.o.Extends():
		return "the run with what is new"
	default:
		return "the new circuit"
	}
}

// serves is what the directory says.
func (p *planner) serves() string {
	words := ""
	for i := range p.o.Outlets {
		name := p.o.Outlets[i].name()
		if words != "" {
			words += "; "
		}
		words += name
	}
	if len([]rune(words)) > 60 && p.o.Name != "" {
		return p.o.Name
	}
	return words
}

// mixed holds what the code keeps on circuits of their own apart from the rest.
func (p *planner) mixed() {
	for i := range p.o.Outlets {
		v := &p.o.Outlets[i]
		u := uses[v.For]
		for j := range p.o.Outlets {
			w := &p.o.Outlets[j]
			if i == j || u.own == "" || v.For == w.For && u.own == "kind" {
				continue
			}
			f := makeup.Finding{
				Code: "mixed-circuit", Severity: makeup.Must, At: []string{v.ID, w.ID},
				Text: fmt.Sprintf("%s (%s) and %s (%s) on one circuit.", upper(v.name()), u.words, w.name(), uses[w.For].words),
				Fix:  "A circuit for each.",
			}
			if u.own == "alone" {
				f.Severity = makeup.Should
				f.Text = fmt.Sprintf("%s would go off with whatever else trips this circuit: %s hangs on it too.", upper(v.name()), w.name())
				p.trade(f)
				continue
			}
			p.code(nec.MixedKinds, f)
		}
		if p.o.Extends() && u.topic == nec.Dedicated {
			p.code(nec.MixedKinds, makeup.Finding{
				Code: "mixed-circuit", Severity: makeup.Must, At: []string{v.ID},
				Text: fmt.Sprintf("Outlets for %s hang on circuits that serve nothing else. Whether breaker %s is one is not known here.", u.words, p.run.Breaker.Label),
				Fix:  "A circuit of its own, unless this one serves the same only.",
			})
		}
	}
}

// panel is what is known of it, and what is not.
func (p *planner) panel() {
	if !p.plan.Breaker.New {
		return
	}
	facts := p.o.Panel
	if facts.Breaker == "" {
		p.ask("panel.breaker", "Which number does the new breaker get?")
	}
	switch {
	case facts.Free == nil:
		p.ask("panel.free", "How many free spaces has the panel?")
	case *facts.Free == 0:
		p.code(nec.PanelSpace, makeup.Finding{
			Code: "no-space", Severity: makeup.Must, At: []string{circuit.Panel}, Text: "The panel has no free space.",
			Fix: "Tandem breakers where its label lists them, a circuit given up that serves nothing, or a subpanel. Two wires never go under one breaker that is not marked for two.",
		})
	}
	if facts.Room == nil {
		p.ask("panel.room", "Has a licensed person summed up whether the service carries the new load?")
	} else if !*facts.Room {
		p.code(nec.ServiceLoad, makeup.Finding{
			Code: "service-load", Severity: makeup.Must, At: []string{circuit.Panel}, Text: "Whether the service carries the new load is not summed up, or it does not.",
			Fix: "The sum by a licensed person before anything is laid; a larger service, or a load given up.",
		})
	}
}

// boxes builds the run on the circuit model, chooses every box, and plans its make-up.
func (p *planner) boxes(opened []*makeup.Box) error {
	c, err := p.build()
	if err != nil {
		return err
	}
	made := make([]Made, len(p.o.Outlets))
	// From the far end in: a box's plan is proven with what lies beyond it.
	for i := len(p.o.Outlets) - 1; i >= 0; i-- {
		if made[i], err = p.box(c, i); err != nil {
			return fmt.Errorf("outlets[%d]: %w", i, err)
		}
	}
	if p.o.Extends() {
		if err := p.startBox(c, opened); err != nil {
			return err
		}
	}
	p.plan.Issued = p.plan.There == nil || p.plan.There.Plan.Issued
	var all []tester.Reading
	for i := range made {
		m := &made[i]
		// Once more, with all of the run as it will be.
		if m.Plan, err = makeup.Make(m.Box, p.shop, c); err != nil {
			return fmt.Errorf("outlets[%d]: %w", i, err)
		}
		p.plan.Issued = p.plan.Issued && m.Plan.Issued
		p.take(m)
	}
	p.plan.Boxes = made
	for i := range made {
		own, err := readingsAt(made[i].Plan.Predicted, c, made[i].Outlet)
		if err != nil {
			return err
		}
		all = append(all, own...)
	}
	p.plan.Predicted, err = json.Marshal(tester.Document(all))
	p.plan.Circuit = c
	return err
}

// readingsAt are those of a plan's predictions that are of the box itself.
func readingsAt(document json.RawMessage, c *circuit.Circuit, box string) ([]tester.Reading, error) {
	all, err := tester.Parse(document, c)
	if err != nil {
		return nil, err
	}
	var own []tester.Reading
	for _, r := range all {
		if _, at := c.Device(r.At); at != nil && at.ID == box {
			own = append(own, r)
		}
	}
	return own, nil
}

// build is the run on the circuit model before its boxes are made up.
func (p *planner) build() (*circuit.Circuit, error) {
	c := circuit.New(p.plan.Name)
	if p.o.Extends() {
		c = p.run.Clone()
		c.Faults, c.State = nil, circuit.State{}
	} else {
		b := &p.plan.Breaker
		c.Breaker = circuit.Breaker{Label: b.Label, Amps: b.Amps, Poles: 1, Protection: b.Protection, On: true}
	}
	for i := range p.o.Outlets {
		v := &p.o.Outlets[i]
		device := circuit.Device{ID: deviceID(v.ID), Kind: circuit.Receptacle, Amps: 15, Slots: 3}
		c.Boxes = append(c.Boxes, circuit.Box{ID: v.ID, Label: v.Label, Material: circuit.Plastic, Makeup: circuit.FeedThrough, Devices: []circuit.Device{device}})
		if v.Label == "" {
			c.Boxes[len(c.Boxes)-1].Label = v.What
		}
		c.Cables = append(c.Cables, circuit.Cable{
			ID: cableID(v.ID), From: p.o.after(i), To: v.ID, AWG: p.plan.Conductor.AWG, Feet: v.feet(),
			Conductors: []circuit.Conductor{circuit.Hot, circuit.Neutral, circuit.Ground},
		})
	}
	if err := c.Check(); err != nil {
		return nil, err
	}
	return c, nil
}

// Names of what an outlet brings with it.
func deviceID(outlet string) string { return "R-" + outlet }
func cableID(outlet string) string  { return "W-" + outlet }

// take puts what a box's plan says among what the run's says.
func (p *planner) take(m *Made) {
	for _, f := range m.Plan.Findings {
		if f.Code == "dedicated-circuit" || m.Set.Words != "" && f.Cured {
			continue // that is what is planned
		}
		f.Text = upper(m.Label) + ": " + f.Text
		f.Key = m.Outlet + ":" + f.Key
		p.find(f)
	}
	for _, a := range m.Plan.Asks {
		if a.Field == "box.bonded" && m.Set.Words != "" {
			continue // it is new, and the plan bonds it
		}
		if strings.HasPrefix(a.Field, "place.") && p.index(m.Outlet) >= 0 {
			p.ask("outlets."+m.Outlet+"."+a.Field, a.Words) // the order says where it is
			continue
		}
		p.ask("boxes."+m.Outlet+"."+a.Field, a.Words)
	}
}

func (p *planner) sortFindings() {
	slices.SortStableFunc(p.plan.Findings, func(a, b makeup.Finding) int {
		return slices.Index(makeup.Severities, a.Severity) - slices.Index(makeup.Severities, b.Severity)
	})
}

// Open are the findings that have to be mended, or accepted, before the run is energised.
func (p *Plan) Open() []makeup.Finding {
	open := []makeup.Finding{}
	for i := range p.Findings {
		if p.Findings[i].Open() {
			open = append(open, p.Findings[i])
		}
	}
	return open
}
