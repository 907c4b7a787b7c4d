package newrun

import (
	"fmt"

	"elvat/core/circuit"
	"elvat/core/makeup"
	"elvat/core/nec"
	"elvat/core/practice"
)

// A Guarded outlet is what the code asks of it, and what gives that.
type Guarded struct {
	Outlet string      `json:"outlet"`
	GFCI   nec.Verdict `json:"gfci"`
	AFCI   nec.Verdict `json:"afci"`
	// By is what protects it from shock: "panel", the outlet whose GFCI does, or empty.
	By string `json:"by,omitempty"`
	// Device says that the GFCI hangs here.
	Device bool `json:"device,omitempty"`
	// Stays says that it must not go off unseen.
	Stays bool `json:"stays,omitempty"`

	needs bool // ground-fault protection, by its room
}

// protect decides where protection comes from: at the first outlet that asks for it and can
// be reached, or in the breaker.
func (p *planner) protect() {
	ahead := p.aheadOf()
	all := make([]Guarded, len(p.o.Outlets))
	arcs := false
	for i := range p.o.Outlets {
		v := &p.o.Outlets[i]
		g := &all[i]
		g.Outlet = v.ID
		var asks []nec.Ask
		place := p.placeOf(i)
		g.GFCI, asks = p.book.Verdict(nec.GroundFault, place)
		p.asks(v.ID, asks)
		g.AFCI, asks = p.book.Verdict(nec.ArcFault, place)
		p.asks(v.ID, asks)
		g.Stays = staysOn(v)
		g.needs = g.GFCI.Required && place.Room != ""
		arcs = arcs || g.AFCI.Required
	}
	p.guards = all
	b := &p.plan.Breaker
	inBreaker := p.house.GFCIAt == practice.AtBreaker
	if b.New {
		inBreaker = p.needsBreaker(inBreaker, arcs)
		gfci := p.anyGFCI()
		switch {
		case arcs && inBreaker && gfci:
			b.Protection = circuit.DualBreaker
		case arcs:
			b.Protection = circuit.AFCIBreaker
		case inBreaker && gfci:
			b.Protection = circuit.GFCIBreaker
		}
		p.whyProtected(inBreaker, arcs)
	}
	for i := range all {
		g := &all[i]
		above := ahead
		if j := p.index(p.o.after(i)); j >= 0 {
			above = all[j].By
			// What hangs on LOAD, and what is spliced with the line.
			if all[j].Device && !p.onLoad(i) {
				above = p.guardAbove(j, ahead)
			}
		}
		switch {
		case b.Protection.SeesGroundFaults():
			g.By = circuit.Panel
		case above != "":
			g.By = above
		case g.needs || p.chosenGFCI(i):
			g.By, g.Device = p.o.Outlets[i].ID, true
		}
	}
	if p.o.Extends() {
		p.extended(arcs)
	}
	p.staying()
}

// aheadOf is the GFCI that the run hangs on where it begins.
func (p *planner) aheadOf() string {
	if !p.o.Extends() {
		return ""
	}
	if w, err := circuit.Wire(p.run); err == nil {
		if line := p.run.LineCable(p.o.From); line != nil {
			if all := w.Feeds().Guards(line.ID + "@" + p.o.From + ".hot"); len(all) > 0 {
				return all[len(all)-1]
			}
		}
	}
	return ""
}

func (p *planner) chosenGFCI(i int) bool {
	d := p.o.Outlets[i].Device
	return d == "gfci" || d == "afci-gfci"
}

func (p *planner) anyGFCI() bool {
	for i := range p.guards {
		if p.guards[i].needs {
			return true
		}
	}
	return false
}

// needsBreaker decides whether ground-fault protection is the breaker's: by the house, where
// a GFCI cannot be reached, and where an arc-fault breaker is needed anyway and all of the
// run asks for both.
func (p *planner) needsBreaker(house, arcs bool) bool {
	if house {
		return true
	}
	every := len(p.guards) > 0
	for i := range p.guards {
		v := &p.o.Outlets[i]
		needs := p.guards[i].needs
		every = every && needs
		if needs && v.Place.Accessible != nil && !*v.Place.Accessible && !p.coveredAhead(i) {
			p.hidden = v.ID
			return true
		}
	}
	return every && arcs
}

// coveredAhead reports an outlet before this one that can hold the GFCI for it.
func (p *planner) coveredAhead(i int) bool {
	for j := p.index(p.o.after(i)); j >= 0; j = p.index(p.o.after(j)) {
		reach := p.o.Outlets[j].Place.Accessible
		if p.guards[j].needs && (reach == nil || *reach) && p.onLoad(i) {
			return true
		}
	}
	return false
}

// onLoad reports whether the outlet hangs on the LOAD of a GFCI ahead of it: what asks for
// protection does, with what lies beyond it; what must not go off and does not ask for it
// does not.
func (p *planner) onLoad(i int) bool {
	wants, stays := false, false
	for j := range p.o.Outlets {
		if !p.under(j, i) {
			continue
		}
		g := &p.guards[j]
		wants = wants || g.needs
		stays = stays || g.Stays && !g.needs
	}
	return wants && !stays
}

// under reports whether outlet j is i, or hangs beyond it.
func (p *planner) under(j, i int) bool {
	for ; j >= 0; j = p.index(p.o.after(j)) {
		if j == i {
			return true
		}
	}
	return false
}

// guardAbove is what protects the line that comes to outlet j.
func (p *planner) guardAbove(j int, ahead string) string {
	if k := p.index(p.o.after(j)); k >= 0 {
		if p.guards[k].Device && !p.onLoad(j) {
			return p.guardAbove(k, ahead)
		}
		return p.guards[k].By
	}
	return ahead
}

func staysOn(v *Outlet) bool {
	switch uses[v.For].load {
	case makeup.Freezer, makeup.Refrigerator, makeup.SumpPump:
		return true
	}
	load := makeup.LoadIn(v.What)
	return load != makeup.UnknownLoad
}

func (p *planner) whyProtected(inBreaker, arcs bool) {
	b := &p.plan.Breaker
	if arcs {
		for i := range p.guards {
			if g := &p.guards[i]; g.AFCI.Required {
				b.Why = append(b.Why, Reason{
					Text: fmt.Sprintf("Arc-fault protection for %s: %s", p.o.Outlets[i].name(), g.AFCI.Why), Section: g.AFCI.Section, Edition: g.AFCI.Edition, Check: nec.Adopted,
				})
				break
			}
		}
	}
	if !p.anyGFCI() {
		return
	}
	for i := range p.guards {
		if g := &p.guards[i]; g.needs {
			b.Why = append(b.Why, Reason{
				Text: fmt.Sprintf("Ground-fault protection for %s: %s", p.o.Outlets[i].name(), g.GFCI.Why), Section: g.GFCI.Section, Edition: g.GFCI.Edition, Check: nec.Adopted,
			})
			break
		}
	}
	switch {
	case p.hidden != "":
		b.Why = append(b.Why, p.because(nec.Accessible, fmt.Sprintf("In the breaker: at %s a GFCI could not be reached", p.nameOf(p.hidden))))
	case inBreaker && p.house.GFCIAt == practice.AtBreaker:
		b.Why = append(b.Why, Reason{Text: p.house.Says("gfciAt"), Practice: trade})
	case inBreaker:
		b.Why = append(b.Why, Reason{Text: "In the breaker: one that does both takes the place of a GFCI behind an arc-fault breaker, and all of the run asks for both", Practice: trade})
	default:
		b.Why = append(b.Why, Reason{Text: p.house.Says("gfciAt"), Practice: trade})
	}
}

// extended is what the code asks of a run that is extended.
func (p *planner) extended(arcs bool) {
	there := p.plan.Breaker.Protection
	if arcs && (there == circuit.NoProtection || there == circuit.GFCIBreaker) {
		p.code(nec.ExtendAFCI, makeup.Finding{
			Code: "afci-required", Severity: makeup.Must, At: []string{circuit.Panel},
			Text: "An extension of this run into a living area asks for arc-fault protection, and its breaker has none.",
			Fix:  "An arc-fault breaker, or an AFCI/GFCI receptacle at the first outlet of the circuit.",
		})
	}
	if there == circuit.UnknownProtection {
		p.ask("breaker.protection", "What is the breaker: plain, GFCI, AFCI, or both in one?")
	}
	if !p.run.GroundArrives(p.o.From) {
		p.code(nec.BringGround, makeup.Finding{
			Code: "ground-missing", Severity: makeup.Danger, At: []string{p.o.From}, Stop: true,
			Text: fmt.Sprintf("No ground arrives at %s: nothing is extended from there.", p.run.LabelOf(p.o.From)),
			Fix:  "A new circuit from the panel, or a start from a box whose ground is proven.",
		})
	}
}

// staying says what must not go off unseen and hangs on protection all the same.
func (p *planner) staying() {
	for i := range p.guards {
		g, v := &p.guards[i], &p.o.Outlets[i]
		if !g.Stays || g.By == "" {
			continue
		}
		if g.needs {
			p.find(makeup.Finding{
				Code: "must-not-go-off", Severity: makeup.Should, At: []string{v.ID}, Section: g.GFCI.Section, Edition: g.GFCI.Edition, Check: nec.Adopted,
				Text: fmt.Sprintf("%s must not go off unseen, and protection is asked for there all the same: %s.", upper(v.name()), g.GFCI.Why),
				Fix:  "Nothing else on the same GFCI, and an alarm that tells when it loses power.",
			})
			continue
		}
		p.trade(makeup.Finding{
			Code: "must-not-go-off", Severity: makeup.Must, At: []string{v.ID},
			Text: fmt.Sprintf("%s must not go off unseen, and hangs on a GFCI that other outlets ask for.", upper(v.name())),
			Fix:  "A circuit of its own.",
		})
	}
}

// placeOf is the outlet's place, with what its use says of it where the place does not.
func (p *planner) placeOf(i int) nec.Place {
	v := &p.o.Outlets[i]
	place := v.Place
	u := uses[v.For]
	if place.Room == "" {
		place.Room = u.room
		if v.For == Countertop {
			yes := true
			place.Countertop = &yes
		}
	}
	if v.For == Countertop && place.Countertop == nil {
		yes := true
		place.Countertop = &yes
	}
	if v.Wall == OnOutdoors && !place.IsOutdoors() {
		yes := true
		place.Outdoors = &yes
	}
	if place.Serves == "" {
		place.Serves = v.What
		if place.Serves == "" && uses[v.For].load != makeup.OtherLoad {
			place.Serves = u.words
		}
	}
	return place
}
