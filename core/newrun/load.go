package newrun

import (
	"fmt"
	"math"
	"slices"

	"elvat/core/circuit"
	"elvat/core/makeup"
	"elvat/core/nec"
	"elvat/core/practice"
	"elvat/core/wire"
)

// use is what is usual for a kind of use.
type use struct {
	words string
	// watts at 120 V where none are told. Assumption; the nameplate wins.
	watts float64
	motor bool
	// amps that its circuit has at least, by the code's rule on circuits of their own, or as
	// is usual for it.
	amps float64
	own  string // what may hang on its circuit beside it: "" anything, "alone" nothing, "kind" the same kind only
	// single: one outlet for one thing.
	single bool
	load   makeup.Load
	topic  nec.Topic // of the rule on a circuit of its own; empty: none
	room   nec.Room
}

var uses = map[Kind]use{
	Laundry:      {"laundry", 1200, true, 20, "kind", false, makeup.OtherLoad, nec.Dedicated, nec.Laundry},
	Refrigerator: {"refrigerator", 700, true, 15, "alone", true, makeup.Refrigerator, nec.OwnCircuit, ""},
	Freezer:      {"freezer", 600, true, 15, "alone", true, makeup.Freezer, nec.OwnCircuit, ""},
	SumpPump:     {"sump pump", 1180, true, 15, "alone", true, makeup.SumpPump, nec.OwnCircuit, ""},
	Bathroom:     {"bathroom", 0, false, 20, "kind", false, makeup.OtherLoad, nec.Dedicated, nec.Bathroom},
	Workshop:     {"workshop", 0, false, 20, "", false, makeup.OtherLoad, "", ""},
	Countertop:   {"countertop", 0, false, 20, "kind", false, makeup.OtherLoad, nec.Dedicated, nec.Kitchen},
	Garage:       {"garage", 0, false, 20, "kind", false, makeup.OtherLoad, nec.Dedicated, nec.Garage},
	Appliance:    {"appliance", 0, false, 15, "", true, makeup.OtherLoad, "", ""},
	General:      {"general use", 0, false, 15, "", false, makeup.OtherLoad, "", ""},
}

// Words are the kind as people say it.
func (k Kind) Words() string { return uses[k].words }

// volts is what branch circuits of receptacles are at.
const volts = 120

// Shares of a circuit.
// Source: NEC 210.20(A), 210.23 (from memory).
const (
	continuous   = 1.25 // of a continuous load is what the breaker is sized by
	cordAndPlug  = 0.8  // of the circuit for one thing that is plugged in
	fixedInPlace = 0.5  // of the circuit for what is fastened in place, where others hang on it too
	ofMotor      = 1.25 // of the largest motor; 430.24
)

// A Share is what one outlet draws.
type Share struct {
	Outlet     string  `json:"outlet"`
	Words      string  `json:"words"`
	Watts      float64 `json:"watts"`
	Amps       float64 `json:"amps"`
	Continuous bool    `json:"continuous,omitempty"`
	Assumed    bool    `json:"assumed,omitempty"` // nobody has read its nameplate
}

// A Load is what hangs on the run, and what its breaker has to carry for it.
type Load struct {
	Shares []Share `json:"shares"`
	Amps   float64 `json:"amps"`
	// Needed is what the breaker is sized by, and Working how it comes to that.
	Needed  float64 `json:"needed"`
	Working string  `json:"working"`
	// There is what hangs on the run that is extended already.
	There float64 `json:"there,omitempty"`
}

// load sums up what hangs on the run.
func (p *planner) load() {
	l := Load{Shares: []Share{}, There: p.there}
	var lasting, motor, plugged, fixed float64
	l.Amps = p.there
	for i := range p.o.Outlets {
		v := &p.o.Outlets[i]
		u := uses[v.For]
		s := Share{Outlet: v.ID, Words: v.name(), Watts: v.Watts, Continuous: v.Continuous}
		if s.Watts == 0 && u.watts > 0 {
			s.Watts, s.Assumed = u.watts, true
			p.ask("outlets."+v.ID+".watts", fmt.Sprintf("What does the nameplate of the %s say? %g W are taken.", u.words, u.watts))
		}
		s.Amps = s.Watts / volts
		if s.Watts > 0 {
			l.Shares = append(l.Shares, s)
		}
		l.Amps += s.Amps
		if v.Continuous {
			lasting += s.Amps
		}
		if v.Motor || u.motor {
			motor = max(motor, s.Amps)
		}
		if v.Fixed {
			fixed += s.Amps
		} else {
			plugged = max(plugged, s.Amps)
		}
	}
	l.Needed = l.Amps + (continuous-1)*lasting
	l.Working = fmt.Sprintf("%s A", figure(l.Amps))
	if lasting > 0 {
		l.Working += fmt.Sprintf(" + 25 %% of %s A that run for three hours or more", figure(lasting))
	}
	if extra := (ofMotor - 1) * motor; motor > 0 && l.Amps+extra > l.Needed {
		l.Needed = l.Amps + extra
		l.Working = fmt.Sprintf("%s A + 25 %% of the largest motor, %s A", figure(l.Amps), figure(motor))
	}
	for _, row := range []struct {
		amps, share float64
		words       string
		when        bool
	}{
		{plugged, cordAndPlug, "one thing that is plugged in takes at most 80 % of its circuit", true},
		{fixed, fixedInPlace, "what is fastened in place takes at most half of a circuit that serves other things too", fixed > 0 && plugged+p.there > 0},
	} {
		if needs := row.amps / row.share; row.when && needs > l.Needed+1e-9 {
			l.Needed = needs
			l.Working = fmt.Sprintf("%s A / %g = %s A: %s", figure(row.amps), row.share, figure(needs), row.words)
		}
	}
	p.plan.Load = l
}

// A Reason is why something was chosen: a section, or the house or the trade.
type Reason struct {
	Text     string      `json:"text"`
	Section  string      `json:"section,omitempty"`
	Edition  nec.Edition `json:"edition,omitempty"`
	Check    string      `json:"check,omitempty"`
	Practice string      `json:"practice,omitempty"`
}

// A Breaker is the one that the run hangs on.
type Breaker struct {
	Label      string             `json:"label"`
	Amps       float64            `json:"amps"`
	Poles      int                `json:"poles"`
	Protection circuit.Protection `json:"protection"`
	Words      string             `json:"words"`
	Why        []Reason           `json:"why"`
	// New is false for that of a run that is extended.
	New bool `json:"new"`
}

// breakerSizes are those that feed receptacles of 120 V in dwellings.
var breakerSizes = []float64{15, 20, 30}

// breaker sizes it.
func (p *planner) breaker() error {
	b := Breaker{Label: p.o.Panel.Breaker, Poles: 1, Protection: circuit.NoProtection, New: !p.o.Extends(), Why: []Reason{}}
	needed := p.plan.Load.Needed
	if p.o.Extends() {
		there := p.run.Breaker
		b.Label, b.Amps, b.Poles, b.Protection = there.Label, there.Amps, there.Poles, there.Protection
		if needed > b.Amps+1e-9 {
			p.code(nec.BranchLoad, makeup.Finding{
				Code: "overloaded", Severity: makeup.Must, At: []string{circuit.Panel},
				Text: fmt.Sprintf("What hangs on breaker %s then asks for %s A, and it is %g A: %s.", b.Label, figure(needed), b.Amps, p.plan.Load.Working),
				Fix:  "A circuit of its own from the panel.",
			})
		}
		p.plan.Breaker = b
		return nil
	}
	least := 0.0
	for i := range p.o.Outlets {
		v := &p.o.Outlets[i]
		u := uses[v.For]
		if u.amps > least {
			least = u.amps
			if u.topic == nec.Dedicated {
				b.Why = append(b.Why, p.dedicated(u.room))
			}
		}
	}
	for _, amps := range breakerSizes {
		if amps >= least && amps >= needed-1e-9 {
			b.Amps = amps
			break
		}
	}
	if b.Amps == 0 {
		return fmt.Errorf(
			"outlets: together they ask for %s A at 120 V, more than the largest receptacle circuit, 30 A (%s): two circuits, or 240 V, which is not planned here",
			figure(needed), p.plan.Load.Working,
		)
	}
	if b.Amps == 15 && p.house.Circuit == practice.Always20 {
		b.Amps = 20
		b.Why = append(b.Why, Reason{Text: p.house.Says("circuit"), Practice: trade})
	}
	if b.Amps == 30 && len(p.o.Outlets) > 1 {
		p.code(nec.Rating, makeup.Finding{
			Code: "thirty-amps", Severity: makeup.Must, At: []string{circuit.Panel},
			Text: "A 30 A circuit feeds 30 A receptacles only: nothing else of the house plugs into them.",
			Fix:  "A circuit of its own for the heavy appliance, and another for the rest.",
		})
	}
	b.Why = append(b.Why, p.because(nec.BranchLoad, fmt.Sprintf("%s asks for %s A: %s", upper(p.what()), figure(needed), p.plan.Load.Working)))
	p.plan.Breaker = b
	return nil
}

// dedicated is the rule on the room's own circuit.
func (p *planner) dedicated(room nec.Room) Reason {
	yes := true
	v, _ := p.book.Verdict(nec.Dedicated, nec.Place{Room: room, Countertop: &yes})
	return Reason{Text: v.Why, Section: v.Section, Edition: p.book.Edition, Check: nec.Adopted}
}

// A Drop is a sum of voltage drop.
type Drop struct {
	Outlet  string  `json:"outlet"` // the one farthest, by drop
	Feet    float64 `json:"feet"`   // one way
	Amps    float64 `json:"amps"`
	Volts   float64 `json:"volts"`
	Percent float64 `json:"percent"`
	Working string  `json:"working"`
}

// A Conductor is what the run is wired with.
type Conductor struct {
	AWG wire.Gauge `json:"awg"`
	// Ampacity after derating, and how it comes to that.
	Ampacity float64  `json:"ampacity"`
	Derated  string   `json:"derated"`
	Drop     Drop     `json:"drop"`
	Why      []Reason `json:"why"`
}

// mostDrop is what is aimed at on a branch circuit, in percent.
// Source: NEC 210.19(A), informational note (from memory).
const mostDrop = 3

// conductor chooses the gauge: by the breaker, by ampacity, by drop.
func (p *planner) conductor() error {
	amps := p.plan.Breaker.Amps
	least := wire.For(amps)
	if p.o.Extends() {
		if line := p.run.LineCable(p.o.From); line != nil && line.AWG < least {
			least = line.AWG // as the run is
		}
	}
	c := Conductor{Why: []Reason{p.because(nec.ConductorBreaker, fmt.Sprintf("%d AWG copper is the least on %g A", least, amps))}}
	byAmpacity, byDrop := wire.Gauge(0), wire.Gauge(0)
	for _, g := range wire.Gauges {
		if g > least || c.AWG != 0 {
			continue
		}
		carries, _ := p.ampacity(g)
		if carries < p.plan.Load.Needed-1e-9 || carries+1e-9 < amps {
			byAmpacity = g
			continue
		}
		if p.drop(g).Percent > mostDrop+1e-9 {
			byDrop = g
			continue
		}
		c.AWG = g
	}
	if c.AWG == 0 {
		c.AWG = wire.Gauges[len(wire.Gauges)-1]
		carries, how := p.ampacity(c.AWG)
		f := makeup.Finding{
			Code: "drop", Severity: makeup.Should, At: []string{p.drop(c.AWG).Outlet},
			Text: fmt.Sprintf("Even %d AWG drops %s %%, more than the %d %% aimed at: %s.", c.AWG, figure(p.drop(c.AWG).Percent), mostDrop, p.drop(c.AWG).Working),
			Fix:  "A subpanel nearer to what is served, or the load on two circuits.",
		}
		if carries+1e-9 < amps {
			f = makeup.Finding{
				Code: "ampacity", Severity: makeup.Must, At: []string{circuit.Panel},
				Text: fmt.Sprintf("Even %d AWG carries less than its %g A breaker on this way: %s.", c.AWG, amps, how), Fix: "Another way: cooler, or with fewer cables together.",
			}
			p.code(nec.Ampacity, f)
		} else {
			p.trade(f)
		}
	}
	c.Ampacity, c.Derated = p.ampacity(c.AWG)
	c.Drop = p.drop(c.AWG)
	if byAmpacity != 0 {
		_, how := p.ampacity(byAmpacity)
		c.Why = append(c.Why, p.because(nec.Ampacity, fmt.Sprintf("%d AWG carries too little on this way: %s", byAmpacity, how)))
	}
	if byDrop != 0 {
		d := p.drop(byDrop)
		c.Why = append(c.Why, p.because(nec.VoltageDrop, fmt.Sprintf("%d AWG drops %s %% to %s: %s", byDrop, figure(d.Percent), p.nameOf(d.Outlet), d.Working)))
	}
	if c.AWG < 10 {
		p.trade(makeup.Finding{
			Code: "thick-at-device", Severity: makeup.Must, At: []string{circuit.Panel},
			Text: fmt.Sprintf("%d AWG lands under no 15 or 20 A receptacle.", c.AWG),
			Fix:  "In each box it is spliced to 10 AWG or 12 AWG jumpers, with connectors listed for both; the box is sized for it.", Cured: true,
		})
	}
	p.plan.Conductor = c
	return nil
}

// ampacity is what the gauge carries on the worst of the way: from the 90 C column, for
// heat and for bundling, and never more than the 60 C column that cable is held to.
// Source: NEC 310.15(B), (C)(1), 334.80, 110.14(C) (from memory).
func (p *planner) ampacity(g wire.Gauge) (float64, string) {
	worst, factor, how := g.Ampacity(wire.At60), 1.0, fmt.Sprintf("%g A, 60 °C column", g.Ampacity(wire.At60))
	for i := range p.o.Outlets {
		for _, leg := range p.o.Outlets[i].Way {
			air := leg.air()
			wires := 2 * max(1, leg.Bundled)
			f := wire.AmbientFactor(air) * wire.BundleFactor(wires)
			if f >= factor {
				continue
			}
			factor = f
			left := g.Ampacity(wire.At90) * f
			if left < worst-1e-9 {
				worst = left
			}
			how = fmt.Sprintf(
				"%g A, 90 °C column, x %.2f for %g °C x %.2f for %d wires together = %s A; at most %g A, 60 °C column",
				g.Ampacity(wire.At90), wire.AmbientFactor(air), float64(air), wire.BundleFactor(wires), wires, figure(left), g.Ampacity(wire.At60),
			)
		}
	}
	return worst, how
}

// Air where none is told, in degrees Celsius. Assumption; the table's own is 30.
const (
	usualAir wire.Celsius = 30
	atticAir wire.Celsius = 50
)

func (l *Leg) air() wire.Celsius {
	switch {
	case l.AirC != 0:
		return l.AirC
	case l.By == Attic:
		return atticAir
	default:
		return usualAir
	}
}

// tabled are the resistances of the published table, in ohms per 1000 ft.
// Source: NEC chapter 9 table 8, uncoated solid copper, 75 C (from memory). The stranded
// wire that 8 and 6 AWG come as has about two percent more.
var tabled = map[wire.Gauge]float64{14: 3.07, 12: 1.93, 10: 1.21, 8: 0.764, 6: 0.491}

// drop is the largest there is, with all of the load at the outlet: more than it comes to
// where the outlets share it.
func (p *planner) drop(g wire.Gauge) Drop {
	amps := p.plan.Load.Amps
	told := slices.ContainsFunc(p.plan.Load.Shares, func(s Share) bool { return !s.Assumed }) && !p.anyUse()
	if !told {
		// Nobody knows what is plugged in: as much as may be, for one thing. Assumption.
		amps = max(amps, cordAndPlug*p.plan.Breaker.Amps)
	}
	amps = min(amps, p.plan.Breaker.Amps)
	var worst Drop
	for i := range p.o.Outlets {
		d := Drop{Outlet: p.o.Outlets[i].ID, Amps: amps}
		ohms := 0.0
		for id := p.o.Outlets[i].ID; id != p.o.From; {
			at := p.index(id)
			d.Feet += p.o.Outlets[at].feet()
			ohms += p.o.Outlets[at].feet() * tabled[g] / 1000
			id = p.o.after(at)
		}
		working := fmt.Sprintf("2 x %s ft x %g ohm / 1000 ft x %s A", figure(d.Feet), tabled[g], figure(amps))
		if p.o.Extends() {
			there := 0.0
			for _, box := range p.run.Upstream(p.o.From) {
				cable := p.run.LineCable(box)
				there += cable.Feet
				ohms += cable.Feet * tabled[cable.AWG] / 1000
			}
			d.Feet += there
			working = fmt.Sprintf("%s ft there and %s ft new, both ways, at %s A", figure(there), figure(d.Feet-there), figure(amps))
		}
		d.Volts = 2 * ohms * amps
		d.Percent = 100 * d.Volts / volts
		d.Working = fmt.Sprintf("%s = %s V", working, figure(d.Volts))
		if d.Percent > worst.Percent {
			worst = d
		}
	}
	return worst
}

// anyUse reports an outlet at which anything can be plugged in.
func (p *planner) anyUse() bool {
	return slices.ContainsFunc(p.o.Outlets, func(v Outlet) bool { return !uses[v.For].single && v.Watts == 0 })
}

// figure is a number as it is said: three figures are enough for what is sized here.
func figure(v float64) string {
	switch {
	case math.Abs(v) >= 100:
		return fmt.Sprintf("%.0f", v)
	case math.Abs(v-math.Round(v)) < 0.005:
		return fmt.Sprintf("%.0f", v)
	case math.Abs(v) >= 10:
		return fmt.Sprintf("%.1f", v)
	default:
		return fmt.Sprintf("%.2f", v)
	}
}

// KindFor is what an outlet is for, by its place and what is plugged in there.
func KindFor(p nec.Place) Kind {
	switch makeup.LoadIn(p.Serves) {
	case makeup.Freezer:
		return Freezer
	case makeup.Refrigerator:
		return Refrigerator
	case makeup.SumpPump:
		return SumpPump
	}
	if p.Countertop != nil && *p.Countertop && p.Room == nec.Kitchen {
		return Countertop
	}
	for _, k := range []struct {
		room nec.Room
		kind Kind
	}{{nec.Laundry, Laundry}, {nec.Bathroom, Bathroom}, {nec.Workshop, Workshop}, {nec.Garage, Garage}} {
		if p.Room == k.room {
			return k.kind
		}
	}
	return General
}
