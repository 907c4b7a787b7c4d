package diagnosis

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"elvat/core/circuit"
	"elvat/core/fault"
	"elvat/core/tester"
	"elvat/core/words"
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
	Holds  bool   `json:"holds"`  // nothing is plugged in there until it is excluded, a tester neither

	// SaidWhy and SaidDo are Why and Do as codes, from which any language says them.
	SaidWhy words.Said `json:"saidWhy"`
	SaidDo  words.Said `json:"saidDo"`

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

// because says why the danger is not excluded.
func (d *Danger) because(code string, values ...any) {
	d.SaidWhy = words.Of("danger."+code, values...)
	d.Why = words.English.Render(d.SaidWhy)
}

// does says the one reading that would exclude it.
func (d *Danger) does(code string) {
	d.SaidDo = words.Of("danger.do." + code)
	d.Do = words.English.Render(d.SaidDo)
}

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
	dangers = append(dangers, w.reported()...)
	dangers = append(dangers, w.warmJoints()...)
	for i := range dangers {
		d := &dangers[i]
		d.Holds = d.Holds || d.Urgent && (d.Name == LiveGroundPin || d.Name == OverVoltage)
	}
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
	d := Danger{Name: LiveGroundPin, At: v.ID, Site: box.ID, Tool: tester.Sensor}
	d.does("sensorGround")
	if !v.HasGroundSlot() {
		d.Tool = tester.Meter
		d.does("meterYoke")
	}
	switch {
	case verdict == tester.PinLive:
		d.Urgent, d.Shown = true, true
		d.because("livePin.shown", place)
		d.does("breakerOff")
		return d, true
	case excluded:
		return d, false
	case verdict == tester.PinMayBeLive:
		d.Urgent = true
		d.because("livePin.maybe", place)
		return d, true
	}
	p := w.shownProbability(v.ID, func(s *shown) bool { return s.yoke })
	// Where no ground arrives a three-slot face tempts to fake one, and all metal
	// joined to it is live: that is listed whatever its probability.
	tempts := w.groundDoubted(box.ID)
	if !tempts && (p < listYoke || p < listOther && !w.wasRead(v.ID) && !w.likelyDead(v.ID)) {
		return d, false
	}
	// An old house whose ground nobody knows, and lamps that show one: before all else.
	d.Urgent = p >= urgentYoke && w.wasRead(v.ID) || w.oldAndUnknown() && w.readsGround(v.ID)
	d.because("livePin.unread", place)
	if tempts {
		d.because("livePin.noGround", place)
	}
	return d, true
}

// groundDoubted reports whether no ground is drawn to arrive in the box, or the one drawn is not
// known to be there in an old house.
func (w *weighed) groundDoubted(box string) bool {
	return !w.e.circuit.GroundArrives(box) || w.oldAndUnknown()
}

func (w *weighed) oldAndUnknown() bool {
	k := w.e.settings.Conditions
	return (k.Old || k.Complaint == TwoSlots) && (k.Ground == GroundUnknown || k.Ground == GroundNone)
}

func (w *weighed) wasRead(device string) bool {
	return slices.ContainsFunc(
		w.readings,
		func(r tester.Reading) bool {
			return r.At == device && r.Tool != tester.Told && r.Tool != tester.Act && r.Tool != tester.Indicator
		},
	)
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
			open = open ||
				r.Lamps.HotNeutral == tester.IsLit && r.Lamps.HotGround == tester.IsDark && r.Lamps.NeutralGround == tester.IsDark
		case r.Tool == tester.Sensor && r.Slots.Hot == tester.Strong && r.Slots.Neutral == tester.None,
			r.Tool == tester.Sensor && r.Slots.Hot == tester.None && r.Slots.Neutral == tester.Strong, // shown: no longer hidden
			r.Tool == tester.Meter && r.Volts.NeutralEarth != nil && *r.Volts.NeutralEarth < pinSafe:
			return Danger{}, false
		}
	}
	d := Danger{Name: ReversedUnderneath, At: v.ID, Site: box.ID, Tool: tester.Sensor}
	d.because("reversed", w.e.circuit.LabelOf(box.ID))
	d.does("sensorSlots")
	return d, open
}

// pinSafe is the voltage to a known ground below which a slot is no hot.
const pinSafe = 50

// ungroundedMetal: a metal box that no wire is known to bond.
func (w *weighed) ungroundedMetal(box *circuit.Box) (Danger, bool) {
	if box.Material != circuit.Metal {
		return Danger{}, false
	}
	metal := box.ID + ".box"
	for _, r := range w.since() {
		if r.Between == nil || !slices.Contains(r.Between[:], metal) || r.Reads == nil || r.Doubtful {
			continue
		}
		if r.Tool == tester.Meter && r.Reads.Value >= boxVolts ||
			r.Tool == tester.Ohms && !r.Reads.Open && r.Reads.Value <= boxOhms {
			return Danger{}, false
		}
		d := Danger{Name: UngroundedMetal, At: box.Devices[0].ID, Site: box.ID, Shown: true}
		d.because("metal.shown", w.e.circuit.LabelOf(box.ID))
		d.does("bond")
		return d, true
	}
	d := Danger{
		Name: UngroundedMetal, At: box.Devices[0].ID, Site: box.ID, Tool: tester.Ohms, Between: &[2]string{metal, circuit.Panel + ".ground"},
	}
	d.because("metal.unread", w.e.circuit.LabelOf(box.ID))
	d.does("ohmsPlate") // dead: through a meter of low impedance some 40 mA would go to a box that floats
	return d, true
}

// Least volts from hot to a box, and most ohms from a ground to it, that show
// it bonded. Assumption; a ground above 1 ohm is poor (common practice, no source).
const (
	boxVolts = 100
	boxOhms  = 1
)

// cannotTrip: a GFCI passes power all the same when it can no longer trip.
func (w *weighed) cannotTrip(guard, site string) (Danger, bool) {
	d := Danger{Name: CannotTrip, At: guard, Site: site, Tool: tester.DeviceButton}
	d.because("cannotTrip", w.e.circuit.LabelOf(site))
	d.does("ownButton")
	if guard == circuit.Panel {
		d.because("cannotTrip.breaker")
	}
	trips, cannot := false, false
	for _, r := range w.since() {
		if r.Doubtful {
			continue
		}
		switch { // the newest counts: one that tripped for a tester before may not trip any more
		case slices.Contains(r.Tripped, guard):
			trips, cannot = true, false
		case r.Tool == tester.DeviceButton && r.At == guard:
			trips, cannot = false, true
		}
	}
	if cannot {
		d.Shown, d.Tool = true, ""
		d.because("cannotTrip.shown", w.e.circuit.LabelOf(site))
		d.does("replace")
	}
	return d, !trips
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
	d := Danger{Name: LostNeutral, At: v.ID, Site: box.ID, Tool: tester.DeviceButton, Urgent: seen, Shown: seen}
	d.because("lostNeutral", w.e.circuit.LabelOf(box.ID))
	d.does("ownButton.neutral")
	if seen {
		d.Tool = tester.Meter
		d.because("lostNeutral.shown", w.e.circuit.LabelOf(box.ID))
		d.does("breakerOff")
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
	d := Danger{Name: SharedNeutral, At: box.Devices[0].ID, Site: box.ID, Tool: tester.Clamp}
	d.because("sharedNeutral", w.e.circuit.LabelOf(box.ID))
	d.does("clamp")
	return d, true
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
	d := Danger{Name: OverVoltage, At: at, Site: w.boxOf(at), Urgent: true, Shown: true}
	d.because("overVoltage", fmt.Sprintf("%.0f", high), w.e.place(at), fmt.Sprintf("%.0f", nominal))
	d.does("mainOff")
	if two {
		d.does("bothOff")
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
		if j == nil || j.p < leastWarm || !w.measured() || !w.pointsAnywhere() {
			continue
		}
		d := Danger{Name: WarmJoint, At: box.Devices[0].ID, Site: box.ID, Urgent: j.p >= 0.5}
		d.because(
			"warm", box.Label, percent(j.p), fmt.Sprintf("%.2g", j.ohms), fmt.Sprintf("%.0f", j.amps), fmt.Sprintf("%.0f", j.watts),
		)
		d.does("stopUsing")
		dangers = append(dangers, d)
	}
	return dangers
}

// pointsAnywhere reports whether anything but its weight speaks for a loose joint: a reading that a
// sound circuit would not show, a warm box, or what was found.
func (w *weighed) pointsAnywhere() bool {
	if len(w.line.found) > 0 || w.e.settings.Conditions.Complaint == WarmOrScorched || w.e.settings.Conditions.Complaint == Dimming {
		return true
	}
	for _, all := range w.e.settings.Conditions.Boxes {
		if slices.Contains(all, Warm) {
			return true
		}
	}
	for i := w.before; i < len(w.judged); i++ {
		if !w.judged[i].fits(healthy, w.level) {
			return true
		}
	}
	return false
}

// measured reports whether a number was read that a loose joint shows in.
func (w *weighed) measured() bool {
	return slices.ContainsFunc(w.since(), func(r tester.Reading) bool {
		return r.Tool == tester.Analyzer || r.Tool == tester.Ohms || r.Tool == tester.Meter || r.Tool == tester.Hint ||
			r.Tool == tester.Lamp
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
