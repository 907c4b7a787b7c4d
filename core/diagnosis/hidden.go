package diagnosis

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"elvat/core/circuit"
	"elvat/core/fault"
	"elvat/core/tester"
)

// A Danger is a condition that can hurt someone and that the readings so far
// do not exclude.
type Danger struct {
	Name   string `json:"name"`
	At     string `json:"at"`   // a device, or "panel"
	Site   string `json:"site"` // its box, or "panel"
	Why    string `json:"why"`
	Do     string `json:"do"`     // the one reading that would exclude it
	Urgent bool   `json:"urgent"` // a reading points at it: it stands at the top of the call
	Shown  bool   `json:"shown"`  // a reading shows it

	// How that reading is taken: the tool, on an outlet or between points.
	Tool    tester.Tool `json:"tool,omitempty"`
	Between *[2]string  `json:"between,omitempty"`
}

// Names of dangers.
const (
	LiveGroundPin      = "live ground pin"
	ReversedUnderneath = "reversed under an open ground"
	UngroundedMetal    = "ungrounded metal"
	CannotTrip         = "GFCI that cannot trip"
	LostNeutral        = "lost neutral above a GFCI"
	SharedNeutral      = "shared neutral"
	OverVoltage        = "over-voltage"
	WarmJoint          = "warm joint"
)

// Probabilities from which a live yoke is listed, and from which it stands at
// the top of the call; and from which other dangers are listed without a
// reading that points at them. Assumption.
const (
	listYoke   = 1e-4
	urgentYoke = 0.01
	listOther  = 0.001
)

// hidden lists what could hurt and is not excluded, what a reading points at
// first. Nothing less than the reading named takes one off, whatever its
// probability.
func (w *weighed) hidden() []Danger {
	dangers := []Danger{}
	add := func(d Danger, ok bool) {
		if ok {
			dangers = append(dangers, d)
		}
	}
	for i := range w.e.circuit.Boxes {
		box := &w.e.circuit.Boxes[i]
		for j := range box.Devices {
			v := &box.Devices[j]
			add(w.liveYoke(box, v))
			add(w.reversedUnderneath(box, v))
			if v.Kind == circuit.GFCI {
				add(w.lostNeutral(box, v))
				add(w.cannotTrip(v.ID, box.ID))
			}
		}
		add(w.ungroundedMetal(box))
		add(w.sharedNeutral(box))
	}
	if w.e.circuit.Breaker.Protection.SeesGroundFaults() {
		add(w.cannotTrip(circuit.Panel, circuit.Panel))
	}
	add(w.overVoltage())
	dangers = append(dangers, w.warmJoints()...)
	rank := func(d Danger) int {
		switch {
		case d.Shown && d.Urgent:
			return 0
		case d.Urgent:
			return 1
		case d.Shown:
			return 2
		default:
			return 3
		}
	}
	slices.SortStableFunc(dangers, func(a, b Danger) int { return cmp.Compare(rank(a), rank(b)) })
	return dangers
}

// since are the readings that show the circuit as it is: those since something
// was last put right.
func (w *weighed) since() []tester.Reading { return w.readings[w.before:] }

func (w *weighed) liveYoke(box *circuit.Box, v *circuit.Device) (Danger, bool) {
	verdict, excluded := tester.PinNotShown, false
	for _, r := range w.latest(v.ID) {
		pin := r.GroundPin(tester.Default)
		excluded = excluded || pin == tester.PinDead
		verdict = max(verdict, pin)
	}
	place := w.e.circuit.LabelOf(box.ID)
	d := Danger{Name: LiveGroundPin, At: v.ID, Site: box.ID, Do: "Sensor on its ground slot", Tool: tester.Sensor}
	if !v.HasGroundSlot() {
		d.Do, d.Tool = "Meter from its yoke or plate screw to a known ground", tester.Meter
	}
	switch {
	case verdict == tester.PinLive:
		d.Urgent, d.Shown = true, true
		d.Why = fmt.Sprintf("The ground pin at %s is live. Breaker off now: plug nothing in, touch no plate or plugged-in metal. A reading shows it.", place)
		d.Do = "Breaker off, then prove it dead"
		return d, true
	case excluded:
		return d, false
	case verdict == tester.PinMayBeLive:
		d.Urgent = true
		d.Why = fmt.Sprintf("A live ground pin is not excluded at %s. Plug nothing in, touch no plate. A reading shows voltage between its neutral and ground, and not which of them is live.", place)
		return d, true
	}
	p := w.shownProbability(v.ID, func(s *shown) bool { return s.yoke })
	// Where no ground arrives a three-slot face tempts to fake one, and all metal
	// joined to it is live: that is listed whatever its probability.
	tempts := !w.e.circuit.GroundArrives(box.ID)
	if !tempts && (p < listYoke || p < listOther && !w.wasRead(v.ID) && !w.likelyDead(v.ID)) {
		return d, false
	}
	d.Urgent = p >= urgentYoke && w.wasRead(v.ID)
	d.Why = fmt.Sprintf("A live ground pin is not excluded at %s. Plug nothing in, touch no plate. Lamps show a faked ground on a reversed outlet as correct.", place)
	if !w.e.circuit.GroundArrives(box.ID) {
		d.Why = fmt.Sprintf("A live ground pin is not excluded at %s. Plug nothing in, touch no plate. No ground arrives there, and lamps show a faked one on a reversed outlet as correct.", place)
	}
	return d, true
}

func (w *weighed) wasRead(device string) bool {
	return slices.ContainsFunc(w.readings, func(r tester.Reading) bool { return r.At == device && r.Tool != tester.Told && r.Tool != tester.Act })
}

// likelyDead reports whether nothing probably runs at the outlet. That may be a
// hot and ground exchanged above it, which makes every ground pin beyond live.
func (w *weighed) likelyDead(device string) bool {
	return w.shownProbability(device, func(s *shown) bool { return s.low[hotNeutral] < tester.Default.LitVolts }) >= 0.5
}

// reversedUnderneath: lamps that show an open ground cannot show that hot and
// neutral are exchanged as well.
func (w *weighed) reversedUnderneath(box *circuit.Box, v *circuit.Device) (Danger, bool) {
	open := false
	for _, r := range w.since() {
		if r.At != v.ID || r.Doubtful {
			continue
		}
		switch {
		case r.Tool == tester.Plug:
			open = open || r.Lamps.HotNeutral == tester.IsLit && r.Lamps.HotGround == tester.IsDark && r.Lamps.NeutralGround == tester.IsDark
		case r.Tool == tester.Sensor && r.Slots.Hot == tester.Strong && r.Slots.Neutral == tester.None,
			r.Tool == tester.Sensor && r.Slots.Hot == tester.None && r.Slots.Neutral == tester.Strong, // shown: no longer hidden
			r.Tool == tester.Meter && r.Volts.NeutralEarth != nil && *r.Volts.NeutralEarth < pinSafe:
			return Danger{}, false
		}
	}
	return Danger{
		Name: ReversedUnderneath, At: v.ID, Site: box.ID, Tool: tester.Sensor, Do: "Sensor on its hot and neutral slots",
		Why: fmt.Sprintf("Hot and neutral could be exchanged at %s. Take its large slot for live. Lamps show the open ground alone and hide it.", w.e.circuit.LabelOf(box.ID)),
	}, open
}

// pinSafe is the voltage to a known ground below which a slot is no hot.
const pinSafe = 50

// ungroundedMetal: a metal box that no wire is known to bond.
func (w *weighed) ungroundedMetal(box *circuit.Box) (Danger, bool) {
	if box.Material != circuit.Metal {
		return Danger{}, false
	}
	metal := box.ID + ".box"
	slot := box.Devices[0].ID + ".top.hot"
	for _, r := range w.since() {
		if r.Between == nil || !slices.Contains(r.Between[:], metal) || r.Reads == nil || r.Doubtful {
			continue
		}
		if r.Tool == tester.Meter && r.Reads.Value >= boxVolts || r.Tool == tester.Ohms && !r.Reads.Open && r.Reads.Value <= boxOhms {
			return Danger{}, false
		}
		return Danger{
			Name: UngroundedMetal, At: box.Devices[0].ID, Site: box.ID, Shown: true, Do: "Bond the box",
			Why: fmt.Sprintf("The metal box at %s has no ground. A loose hot wire would make it and its plate live. A reading shows it.", w.e.circuit.LabelOf(box.ID)),
		}, true
	}
	return Danger{
		Name: UngroundedMetal, At: box.Devices[0].ID, Site: box.ID, Tool: tester.Meter, Between: &[2]string{slot, metal},
		Do:  "Meter on low-z from the hot slot to the plate screw",
		Why: fmt.Sprintf("The metal box at %s may have no ground. A loose hot wire would make it and its plate live. No tester in the slots shows the box.", w.e.circuit.LabelOf(box.ID)),
	}, true
}

// Least volts from hot to a box, and most ohms from a ground to it, that show
// it bonded. Assumption; a ground above 1 ohm is poor (common practice, no source).
const (
	boxVolts = 100
	boxOhms  = 1
)

// cannotTrip: a GFCI passes power all the same when it can no longer trip.
func (w *weighed) cannotTrip(guard, site string) (Danger, bool) {
	d := Danger{
		Name: CannotTrip, At: guard, Site: site, Tool: tester.DeviceButton, Do: "Its own test button",
		Why: fmt.Sprintf("The GFCI at %s may be unable to trip. Trust no protection behind it. It passes power all the same; only its button shows.", w.e.circuit.LabelOf(site)),
	}
	if guard == circuit.Panel {
		d.Why = "The GFCI breaker may be unable to trip. Trust no protection behind it. It passes power all the same; only its button shows."
	}
	for _, r := range w.since() {
		if r.Doubtful {
			continue
		}
		if slices.Contains(r.Tripped, guard) {
			return Danger{}, false
		}
		if r.Tool == tester.DeviceButton && r.At == guard {
			d.Shown, d.Do, d.Tool = true, "Replace it, or find what takes its power", ""
			d.Why = fmt.Sprintf("The GFCI at %s did not trip by its own button. Nothing behind it is protected. A reading shows it.", w.e.circuit.LabelOf(site))
		}
	}
	return d, true
}

// lostNeutral: without a neutral above it a GFCI cannot trip, and its hot is
// live all the same.
func (w *weighed) lostNeutral(box *circuit.Box, v *circuit.Device) (Danger, bool) {
	seen, dark := false, false
	for _, r := range w.since() {
		switch {
		case r.Doubtful:
		case r.Tool == tester.DeviceButton && slices.Contains(r.Tripped, v.ID):
			return Danger{}, false
		case r.At != v.ID:
		case r.Tool == tester.Plug:
			dark = dark || r.Lamps.HotNeutral == tester.IsDark
			seen = seen || r.Lamps.HotNeutral == tester.IsDark && r.Lamps.HotGround == tester.IsLit
		case r.Tool == tester.Sensor:
			seen = seen || dark && r.Slots.Hot == tester.Strong
		case r.Tool == tester.Meter && r.Volts.HotNeutral != nil && r.Mode == tester.LowZ && *r.Volts.HotNeutral >= boxVolts:
			return Danger{}, false
		}
	}
	p := w.shownProbability(v.ID, func(s *shown) bool {
		return s.low[hotNeutral] < tester.Default.LitVolts && s.sensor[0] >= tester.Default.StrongVolts
	})
	d := Danger{
		Name: LostNeutral, At: v.ID, Site: box.ID, Tool: tester.DeviceButton, Do: "Its own test button: it trips only with a neutral",
		Urgent: seen, Shown: seen,
		Why: fmt.Sprintf("The neutral above the GFCI at %s may be lost. Its slots may be live though nothing runs. It cannot trip without a neutral.", w.e.circuit.LabelOf(box.ID)),
	}
	if seen {
		d.Why = fmt.Sprintf("The neutral above the GFCI at %s is lost. Its hot is live though nothing runs, and it cannot trip. A reading shows it.", w.e.circuit.LabelOf(box.ID))
		d.Do = "Breaker off, then prove it dead"
		d.Tool = tester.Meter
	}
	return d, seen || p >= listOther
}

// sharedNeutral: two hots on one neutral. Opened under load it puts up to
// twice the voltage on the lighter side.
func (w *weighed) sharedNeutral(box *circuit.Box) (Danger, bool) {
	cable := w.e.circuit.LineCable(box.ID)
	if cable == nil || !cable.Has(circuit.Hot2) || !cable.Has(circuit.Neutral) {
		return Danger{}, false
	}
	neutral := cable.ID + "@" + box.ID + ".neutral"
	for _, r := range w.since() {
		off := r.State != nil && r.State.BreakerOn != nil && !*r.State.BreakerOn || !w.e.circuit.Breaker.On
		if r.Tool == tester.Clamp && r.Point == neutral && off && *r.Amps < noAmps && !r.Doubtful {
			return Danger{}, false
		}
	}
	return Danger{
		Name: SharedNeutral, At: box.Devices[0].ID, Site: box.ID, Tool: tester.Clamp, Between: nil,
		Do:  "Both breakers off together, then a clamp on the neutral: no current",
		Why: fmt.Sprintf("Two hots share the neutral at %s. Never open that neutral under load: up to 240 V on the lighter side. Both breakers off together.", w.e.circuit.LabelOf(box.ID)),
	}, true
}

// Volts from which a single-pole run has too much, and the share of nominal that
// one leg must be above, and the other below, to be a lost neutral. Range A of
// ANSI C84.1 ends at 126 V (from memory); 10 % over nominal is no reading error
// (assumption).
const (
	overVolts = 132
	legApart  = 0.1
)

// overVoltage: a shared or a service neutral is lost. What is plugged in burns,
// and nothing live is tested any more.
func (w *weighed) overVoltage() (Danger, bool) {
	nominal := w.e.circuit.Supply.Volts
	high, low, at := 0.0, math.Inf(1), ""
	for _, r := range w.since() {
		var v *float64
		switch {
		case r.Doubtful || r.Volts == nil:
		case r.Volts.Unloaded != nil:
			v = r.Volts.Unloaded.Value
		default:
			v = r.Volts.HotNeutral
		}
		if v == nil {
			continue
		}
		low = min(low, *v)
		if *v > high {
			high, at = *v, r.At
		}
	}
	two := w.e.circuit.Breaker.Poles == 2
	if high <= overVolts && !(two && high > nominal*(1+legApart) && low < nominal*(1-legApart)) {
		return Danger{}, false
	}
	d := Danger{Name: OverVoltage, At: at, Site: w.boxOf(at), Urgent: true, Shown: true, Do: "Main off now, and call the utility: the service neutral may be lost"}
	d.Why = fmt.Sprintf("%.0f V at %s where %.0f V should be: a shared or the service neutral is lost. What is plugged in burns. Unplug nothing by hand, switch off first.", high, w.e.place(at), nominal)
	if two {
		d.Do = "Both breakers off now: the shared neutral is lost. If other circuits are high too, main off and call the utility"
	}
	return d, true
}

// leastWarm is the probability from which a loose joint is said to be warm. Assumption.
const leastWarm = 0.1

// warmJoints: a loose joint turns current into heat.
func (w *weighed) warmJoints() []Danger {
	type joint struct{ p, ohms, watts, amps float64 }
	bySite := map[string]*joint{}
	add := func(site string, ohms, p float64) {
		watts, amps := w.e.heat(ohms)
		if watts < warmWatts || w.e.circuit.Box(site) == nil {
			return
		}
		if bySite[site] == nil {
			bySite[site] = &joint{}
		}
		j := bySite[site]
		if j.p += p; watts > j.watts {
			j.ohms, j.watts, j.amps = ohms, watts, amps
		}
	}
	for i, f := range w.line.found {
		if f.Kind == circuit.Resistive {
			add(fault.Site(w.e.circuit, w.line.found[i:]), f.Ohms, 1)
		}
	}
	for _, h := range w.order {
		hyp := &w.e.hypotheses[h]
		for i, f := range hyp.faults {
			if f.Kind == circuit.Resistive && w.probability[h] >= negligible {
				add(w.e.siteOf(hyp, i), f.Ohms, w.probability[h])
			}
		}
	}
	var dangers []Danger
	for _, box := range w.e.circuit.Boxes {
		j := bySite[box.ID]
		if j == nil || j.p < leastWarm || !w.measured() {
			continue
		}
		dangers = append(dangers, Danger{
			Name: WarmJoint, At: box.Devices[0].ID, Site: box.ID, Urgent: j.p >= 0.5, Do: "Stop using it; breaker off, then open it",
			Why: fmt.Sprintf("A loose joint at %s with %s: up to %.2g ohm, which at %.0f A is %.0f W of heat in one point. Warm under load now; stop using it.", box.Label, percent(j.p), j.ohms, j.amps, j.watts),
		})
	}
	return dangers
}

// measured reports whether a number was read that a loose joint shows in.
func (w *weighed) measured() bool {
	return slices.ContainsFunc(w.since(), func(r tester.Reading) bool {
		return r.Tool == tester.Analyzer || r.Tool == tester.Ohms || r.Tool == tester.Meter || r.Tool == tester.Hint || r.Tool == tester.Lamp
	}) || len(w.line.found) > 0
}

// noAmps is the current below which a neutral carries none. Assumption.
const noAmps = 0.05

// shownProbability is that of all hypotheses under which the outlet is as asked.
func (w *weighed) shownProbability(device string, is func(*shown) bool) float64 {
	all := w.at(w.now, w.now.outlet(device, circuit.Top))
	p := 0.0
	for h := range all {
		if w.counts(h) && is(&all[h]) {
			p += w.probability[h]
		}
	}
	return p
}
