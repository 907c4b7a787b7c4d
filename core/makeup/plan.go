package makeup

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/nec"
	"elvat/core/practice"
	"elvat/core/tester"
)

// PlanFormat is the name and version of the plan.
const PlanFormat = "elvat-makeup/1"

// Requires is what the rules ask at the place.
type Requires struct {
	GFCI             nec.Verdict `json:"gfci"`
	AFCI             nec.Verdict `json:"afci"`
	TamperResistant  nec.Verdict `json:"tamperResistant"`
	WeatherResistant nec.Verdict `json:"weatherResistant"`
	Cover            nec.Verdict `json:"cover"`
	MinAmps          nec.Amps    `json:"minAmps"`
	MaxAmps          nec.Amps    `json:"maxAmps"`
	Ungrounded       []Way       `json:"ungrounded"` // empty where a ground arrives
}

// A Plan is what to do in the box, from the first look to the last reading.
type Plan struct {
	Format    string      `json:"format"`
	ID        string      `json:"id"`
	Edition   nec.Edition `json:"edition"`
	Requires  Requires    `json:"requires"`
	Wiring    [][2]string `json:"wiring"`
	Splices   []Splice    `json:"splices"`
	Jumpers   []Jumper    `json:"jumpers"`
	Strip     []Strip     `json:"strip"`
	Markings  []string    `json:"markings"`
	Fill      Fill        `json:"fill"`
	Findings  []Finding   `json:"findings"`
	Asks      []nec.Ask   `json:"asks"`
	Steps     []Step      `json:"steps"`
	Materials []Material  `json:"materials"`
	Choices   []string    `json:"choices"` // of the house practice the plan turned on, with reasons
	// Stopped says why nothing is planned; empty where there is a plan.
	Stopped string `json:"stopped,omitempty"`
	// Issued says that the plan is proven: no outlet is left reversed, dead,
	// unprotected or unbonded.
	Issued    bool            `json:"issued"`
	Proof     *Proof          `json:"proof,omitempty"`
	AsFound   *Proof          `json:"asFound,omitempty"` // of the wiring that is there now
	Predicted json.RawMessage `json:"predicted"`         // elvat-readings/1
}

// Codes are the steps named, by their codes: they used to be kept by what they say.
func (p *Plan) Codes(steps []string) []string {
	all := make([]string, 0, len(steps))
	for _, name := range steps {
		i := slices.IndexFunc(p.Steps, func(s Step) bool { return s.Do == name })
		if i >= 0 {
			name = p.Steps[i].Code
		}
		if !slices.Contains(all, name) {
			all = append(all, name)
		}
	}
	return all
}

// Make plans the box by the shop's practice. run is the call's circuit, nil
// where only the box is known. The error names what in the box does not agree
// with the run.
func Make(b *Box, shop practice.Shop, run *circuit.Circuit) (*Plan, error) {
	l := newLook(b, shop.Book(b.Edition))
	house := b.Practice.Whole(shop.House)
	if err := l.onRunAhead(run); err != nil {
		return nil, err
	}
	b = l.b
	p := &Plan{Format: PlanFormat, ID: b.ID, Edition: l.book.Edition}
	p.Requires = l.requires(shop.Prices)
	l.box()
	l.device()
	l.halves()
	l.realGround()
	l.existing(b.Device != nil)

	w := &wiring{l: l, house: house}
	switch {
	case l.onlyLineUnknown():
		w.grounds() // they do not hang on it
	case !l.stopped():
		w.plan()
	}
	p.Fill = l.fill(w)
	p.Wiring = append([][2]string{}, w.pairs...)
	p.Splices, p.Jumpers, p.Strip = w.parts()
	p.Markings = w.markings()
	if err := l.proofs(p, w, run); err != nil {
		return nil, err
	}
	p.Stopped = l.why()
	p.Findings = l.sorted()
	p.Asks = append([]nec.Ask{}, l.asks...)
	p.Steps = w.steps(p)
	p.Materials = w.materials(p, shop.Prices)
	p.Choices = append([]string{}, w.said...)
	return p, nil
}

// onRunAhead learns from the run which GFCIs stand between the panel and the box.
func (l *look) onRunAhead(run *circuit.Circuit) error {
	l.run = run
	if run == nil || l.line == nil {
		return nil
	}
	w, err := circuit.Wire(run)
	if err != nil {
		return err
	}
	l.ahead = w.Feeds().Guards(l.line.ID + "@" + l.b.ID + ".hot")
	return nil
}

// labelOf names a GFCI by the place where it hangs.
func (l *look) labelOf(guard string) string {
	if guard == circuit.Panel {
		return "the GFCI breaker"
	}
	if l.b.Device != nil && guard == l.b.Device.ID {
		return "the GFCI here"
	}
	if l.run != nil {
		if _, box := l.run.Device(guard); box != nil {
			return "the GFCI at " + l.run.LabelOf(box.ID)
		}
	}
	return "the GFCI ahead"
}

// Rules are what is asked at the box's place.
func Rules(b *Box, shop practice.Shop) Requires {
	l := newLook(b, shop.Book(b.Edition))
	return l.requires(shop.Prices)
}

func (l *look) requires(prices practice.Prices) Requires {
	verdict := func(topic nec.Topic) nec.Verdict {
		v, asks := l.book.Verdict(topic, l.b.Place)
		for _, a := range asks {
			l.ask(a.Field, a.Words)
		}
		return v
	}
	r := Requires{
		GFCI: verdict(nec.GroundFault), AFCI: verdict(nec.ArcFault), TamperResistant: verdict(nec.TamperResistant),
		WeatherResistant: verdict(nec.WeatherResistant), Cover: verdict(nec.Cover), Ungrounded: []Way{},
	}
	if l.b.Existing != nil {
		for _, row := range []struct {
			v     *nec.Verdict
			topic nec.Topic
		}{{&r.GFCI, nec.ReplaceGFCI}, {&r.AFCI, nec.ReplaceAFCI}} {
			if row.v.Required {
				rule := l.book.Cite(row.topic)
				row.v.Why += "; " + rule.Text + " (" + rule.Section + ")"
			}
		}
	}
	v := l.b.Device
	alone := v != nil && v.Kind == "single" && l.b.Breaker.OtherOutlets != nil && !*l.b.Breaker.OtherOutlets
	if v != nil && v.Kind == "single" && l.b.Breaker.OtherOutlets == nil {
		l.ask("breaker.otherOutlets", "Does anything else hang on this breaker?")
	}
	r.MinAmps, r.MaxAmps = l.book.Ratings(l.b.Breaker.Amps, alone)
	if l.line != nil && !l.grounded {
		r.Ungrounded = l.ways(prices)
	}
	return r
}

// device holds the chosen devices against what the rules ask.
func (l *look) device() {
	r := l.requires(nil)
	for _, v := range l.b.devices() {
		l.oneDevice(v, &r)
	}
	if !l.b.protectionKnown() && (r.AFCI.Required || r.GFCI.Required) {
		l.ask("breaker.protection", "What is the breaker: plain, GFCI, AFCI, or both in one?")
	}
	// A replacement may bring it itself: 406.4(D)(4) (from memory).
	brought := slices.ContainsFunc(l.b.devices(), func(v *Device) bool { return v.Kind == arcAndGround })
	if r.AFCI.Required && !brought && (l.b.Breaker.Protection == circuit.NoProtection || l.b.Breaker.Protection == circuit.GFCIBreaker) {
		l.add(Finding{
			Code: "afci-required", Severity: Must, At: []string{circuit.Panel}, Text: "Arc-fault protection is asked for here, and the breaker has none: " + r.AFCI.Why + ".",
			Section: r.AFCI.Section, Edition: r.AFCI.Edition, Check: nec.Adopted, Fix: "An arc-fault breaker, an arc-fault receptacle at the first outlet, or one fed from such a device.",
		})
	}
	if r.Cover.Required && len(l.b.devices()) > 0 {
		l.verdict(Finding{Code: "cover", Severity: Must, At: []string{l.b.ID}, Text: r.Cover.Why + ".", Fix: map[string]string{
			"in-use": "An in-use cover listed for extra duty, sealed at the siding: water also comes in behind.", "closing": "A cover that closes over the outlet.",
		}[r.Cover.Kind]}, r.Cover)
	}
	if r.GFCI.Required && l.b.Place.Room != "" && !l.guarded() && len(l.b.devices()) > 0 &&
		!slices.ContainsFunc(l.b.devices(), (*Device).IsGFCI) {
		l.verdict(Finding{
			Code: "gfci-required", Severity: Must, At: []string{l.b.ID}, Text: "Ground-fault protection is asked for here, and nothing gives it: " + r.GFCI.Why + ".",
			Fix: "A GFCI receptacle here, one ahead of it with this box on its LOAD, or a GFCI breaker.",
		}, r.GFCI)
	}
	l.places()
	l.switches()
	if l.b.boxHasTwoHots() && l.b.Breaker.Poles == 1 {
		l.ask("breaker.poles", "Two hots come into this box: does one two-pole breaker, or a handle tie, switch both off?")
	}
}

// places are what the place itself forbids or tells, whatever hangs there.
func (l *look) places() {
	if zone, _ := l.book.Verdict(nec.TubZone, l.b.Place); zone.Required {
		l.verdict(Finding{
			Code: "tub-zone", Severity: Must, At: []string{l.b.ID}, Text: "The outlet lies in the zone of a tub or shower: " + zone.Why + ".",
			Fix: "Move it out of the zone, or close the box with a blank plate.",
		}, zone)
	}
	// Kept to what is told: what is not known of the place is asked elsewhere.
	if own, asks := l.book.Verdict(nec.Dedicated, l.b.Place); own.Required && len(asks) == 0 && l.b.Place.Room != "" && l.b.Breaker.Amps < 20 {
		l.verdict(Finding{
			Code: "dedicated-circuit", Severity: Note, At: []string{circuit.Panel}, Text: fmt.Sprintf("A new circuit here would be 20 A: %s. This one is %g A.", own.Why, l.b.Breaker.Amps),
			Fix: "Nothing, where one receptacle is replaced; it is told to the customer.",
		}, own)
	}
	if l.b.Flooded {
		l.code(nec.Flooded, Finding{
			Code: "flooded", Severity: Must, At: []string{l.b.ID}, Text: "The box was under water. Cable, device and breaker that were in it are not dried and used again.",
			Fix: "New cable as far as it was wet, a new device, and a new breaker where the panel was reached; the metal box cleaned, or a new one.",
		})
	}
}

// verdict adds a finding that a verdict stands behind.
func (l *look) verdict(f Finding, v nec.Verdict) {
	f.Section, f.Edition, f.Check = v.Section, v.Edition, v.Check
	l.add(f)
}

func (l *look) oneDevice(v *Device, r *Requires) {
	at := []string{v.ID}
	if v.Amps < r.MinAmps.Required || v.Amps > r.MaxAmps.Required {
		why := r.MinAmps.Why
		if v.Amps > r.MaxAmps.Required {
			why = r.MaxAmps.Why
		}
		l.code(nec.Rating, Finding{
			Code: "receptacle-rating", Severity: Must, At: at, Text: fmt.Sprintf("A %g A receptacle on a %g A breaker. %s.", v.Amps, l.b.Breaker.Amps, why),
			Fix: fmt.Sprintf("One rated %g A.", r.MinAmps.Required),
		})
	}
	if r.TamperResistant.Required && v.Slots == 3 {
		l.listed(v.TamperResistant, "tamper-resistant", "device.tamperResistant", v, r.TamperResistant)
	}
	if r.WeatherResistant.Required {
		l.listed(v.WeatherResistant, "weather-resistant", "device.weatherResistant", v, r.WeatherResistant)
	}
	if v.Slots == 2 && l.grounded {
		l.code(nec.GroundingType, Finding{
			Code: "grounding-type", Severity: Must, At: at, Text: "A two-slot device where a ground arrives.", Fix: "A three-slot device, its ground joined.",
		})
	}
	l.defects(v)
	l.grade(v)
	if v.Terminals == pushIn {
		l.newPushIn(v)
	}
	if v.IsGFCI() {
		if l.b.Place.Accessible != nil && !*l.b.Place.Accessible {
			l.code(nec.Accessible, Finding{
				Code: "gfci-not-accessible", Severity: Must, At: at, Text: "A GFCI behind an appliance cannot be tested or reset.", Fix: "The GFCI at an outlet ahead that can be reached, or a GFCI breaker; a plain receptacle here.",
			})
		}
		if l.guarded() {
			l.trade(Finding{
				Code: "second-gfci", Severity: Should, At: at, Text: upper(l.guard()) + " protects this box already: two in a row confuse whoever has to reset them.", Fix: "A plain receptacle.",
			})
		}
	}
	if l.line != nil && !l.grounded && !l.answered(v) {
		l.code(nec.FedFromGFCI, Finding{
			Code: "ground-missing", Severity: Danger, At: at, Stop: true, Text: "A plain three-slot device with no ground behind it promises what is not there.",
			Fix: "Choose one of the ways on that stand below.",
		})
	}
}

// defects are what was seen of a new device when it was looked over.
func (l *look) defects(v *Device) {
	for _, d := range v.Defects {
		f := Finding{
			Code: "device-defect", Severity: Must, At: []string{v.ID + "." + d}, Text: fmt.Sprintf("The new device: %s.", strings.ReplaceAll(d, "-", " ")),
			Fix: "It goes back. Another one, looked over in its turn.", Mend: "another one taken",
		}
		if v.DefectDone != "" {
			f.Severity, f.Cured, f.Fix = Note, true, "What was done: "+v.DefectDone+"."
		}
		l.trade(f)
	}
}

// heavyLoads are what draws much and is plugged in and out, by words people use. Common
// practice, no source.
var heavyLoads = []string{
	"heater", "compressor", "vacuum", "kiln", "press", "saw", "welder", "air condition", "microwave", "toaster", "kettle", "iron", "tools",
}

// grade asks for a device that stands what is plugged in.
func (l *look) grade(v *Device) {
	if v.Grade == "heavy" || !mentions(l.b.Place.Serves, heavyLoads) {
		return
	}
	l.trade(Finding{
		Code: "device-grade", Severity: Should, At: []string{v.ID}, Text: fmt.Sprintf("What is plugged in here (%s) draws much: plain contacts wear and warm.", l.b.Place.Serves),
		Fix: "A heavy-duty grade.",
	})
}

// listed holds a device's listing against what is asked.
func (l *look) listed(is *bool, code, field string, v *Device, verdict nec.Verdict) {
	switch {
	case is == nil:
		l.ask(field, fmt.Sprintf("Is the %s marked %s?", v.Words(), strings.ToUpper(code[:1])+code[1:]))
	case !*is:
		l.verdict(
			Finding{
				Code:     code,
				Severity: Must,
				At:       []string{v.ID},
				Text:     fmt.Sprintf("The device is not listed as %s. %s.", code, verdict.Why),
				Fix:      "One that is marked so.",
			},
			verdict,
		)
	}
}

func (l *look) newPushIn(v *Device) {
	for i := range l.b.Cables {
		if c := &l.b.Cables[i]; c.AWG != 14 || c.Stranded || c.Material == aluminum {
			l.trade(Finding{
				Code: "push-in-gauge", Severity: Must, At: []string{v.ID}, Text: fmt.Sprintf("The push-in holes of the device take 14 AWG solid copper only; %s is not.", c.name()),
				Fix: "Its side screws, with hooks. A device without them is not for this box.", Cured: true,
			})
			return
		}
	}
	l.trade(
		Finding{
			Code:     "push-in",
			Severity: Note,
			At:       []string{v.ID},
			Text:     "The device has push-in holes: allowed by listing on 14 AWG, disliked by most.",
			Fix:      "Its side screws, unless the house allows the holes.",
			Cured:    true,
		},
	)
}

// onlyLineUnknown reports that nothing else stops the plan: the grounds, which
// do not hang on it, are planned.
func (l *look) onlyLineUnknown() bool {
	stops := 0
	open := false
	for _, f := range l.findings {
		if f.Stop {
			stops++
			open = open || f.Code == "line-unknown"
		}
	}
	return open && stops == 1
}

// why is the first finding that stops the plan.
func (l *look) why() string {
	for _, f := range l.findings {
		if f.Stop {
			return f.Text
		}
	}
	if len(l.b.devices()) == 0 {
		return "No device is chosen yet."
	}
	return ""
}

// proofs solves the plan, and what is there now, on the circuit model.
func (l *look) proofs(p *Plan, w *wiring, run *circuit.Circuit) error {
	p.Predicted = document(nil)
	if run != nil && l.line != nil {
		// A box that does not fit the run is an error, whether or not there is a plan.
		if _, err := l.b.onRun(run, l.built(), p.Wiring, l.raceway); err != nil {
			return err
		}
	}
	if err := l.proveExisting(p, run); err != nil {
		return err
	}
	if l.stopped() || len(l.b.devices()) == 0 || l.line == nil {
		return nil
	}
	c, err := l.b.onRun(run, l.built(), p.Wiring, l.raceway)
	if err != nil {
		return err
	}
	proof, readings, err := l.prove(c, w.load)
	if err != nil {
		return err
	}
	p.Proof, p.Predicted = proof, document(readings)
	broken := Verify(l.b, p.Wiring, p.Strip)
	p.Issued = proof.Good && len(broken) == 0
	if text, wrong := proofFinding(proof); wrong {
		l.trade(
			Finding{
				Code:     "not-proven",
				Severity: Must,
				At:       []string{l.b.ID},
				Text:     "The plan leaves something wrong: " + text + ".",
				Fix:      "Change the device or the plan; issued as it is, this stands on the paper.",
			},
		)
	}
	if len(broken) > 0 {
		l.trade(
			Finding{
				Code:     "not-proven",
				Severity: Danger,
				At:       []string{l.b.ID},
				Text:     "The plan breaks a rule of terminations: " + strings.Join(broken, "; ") + ".",
				Fix:      "Do not use it.",
			},
		)
	}
	return nil
}

// proveExisting reads the wiring that is there now, where all of the feed is
// recorded.
func (l *look) proveExisting(p *Plan, run *circuit.Circuit) error {
	e := l.b.Existing
	if e == nil || l.line == nil || len(l.b.landings()) == 0 {
		return nil
	}
	joined := newNets(l.b.landings())
	for _, k := range l.line.Conductors {
		if k != circuit.Hot2 && !joined.has(l.line.ID+"@"+l.b.ID+"."+string(k)) {
			return nil
		}
	}
	c, err := l.b.onRun(run, []circuit.Device{l.b.oldDevice()}, l.b.landings(), l.raceway)
	if err != nil {
		return err
	}
	proof, _, err := l.prove(c, nil)
	if err != nil {
		return err
	}
	p.AsFound = proof
	if text, wrong := proofFinding(proof); wrong {
		l.trade(
			Finding{
				Code:     "as-found-wrong",
				Severity: Should,
				At:       []string{l.b.ID},
				Text:     "As it is wired now: " + text + ".",
				Fix:      "The plan shows what it will be.",
				Cured:    l.b.Device != nil,
			},
		)
	}
	return nil
}

func (l *look) built() []circuit.Device {
	var all []circuit.Device
	for _, v := range l.b.devices() {
		all = append(all, v.asBuilt())
	}
	return all
}

func document(readings []tester.Reading) json.RawMessage {
	if readings == nil {
		readings = []tester.Reading{}
	}
	data, err := json.Marshal(tester.Document(readings))
	if err != nil {
		panic(err) // readings are made here of finite numbers
	}
	return data
}

// mendWords are what is said once a finding is mended.
var mendWords = map[string]string{
	"conductor-breaker": "breaker changed", "cover": "cover fitted", "box-overfull": "larger box or extension set", "box-loose": "box made fast",
	"box-recessed": "extender set", "wall-gap": "gap closed", "insulation-damaged": "cut back and mended", "afci-required": "arc-fault protection provided",
	"gfci-required": "protected elsewhere", "box-unbonded": "box bonded", "colour-misleads": "proven and re-marked", "tub-zone": "moved out of the zone",
	"flooded": "all of it replaced", "receptacle-rating": "device changed", "tamper-resistant": "device changed", "weather-resistant": "device changed",
}

// Open are the findings that have to be mended, or accepted by a named person, before
// the box is made up. done are the codes of the steps that were ticked: a step that
// mends one has mended it.
func (p *Plan) Open(done []string) []Finding {
	open := []Finding{}
	for _, f := range p.Findings {
		if f.Open() && !p.Settled(f, done) {
			open = append(open, f)
		}
	}
	return open
}

// Settled reports whether the finding was mended: said so, or its step is done.
func (*Plan) Settled(f Finding, done []string) bool {
	return f.Mended || slices.Contains(done, "mend-"+f.Code) || slices.Contains(done, "mend-wires:"+strings.Join(f.At, ","))
}

// sorted are the findings, the heaviest first; what the plan cures after what
// it does not.
func (l *look) sorted() []Finding {
	all := append([]Finding{}, l.findings...)
	for i := range all {
		f := &all[i]
		f.Key = f.Code + ":" + strings.Join(f.At, ",")
		if f.Mend == "" && f.Severity != Note && f.Severity != Should && !f.Stop && f.Code != "switched-half-lost" {
			f.Mend = "put right"
			if words := mendWords[f.Code]; words != "" {
				f.Mend = words
			}
		}
		f.Mended = f.Mend != "" && slices.Contains(l.b.Mended, f.Key)
	}
	slices.SortStableFunc(all, func(a, b Finding) int {
		if d := slices.Index(Severities, a.Severity) - slices.Index(Severities, b.Severity); d != 0 {
			return d
		}
		switch {
		case a.Cured == b.Cured:
			return 0
		case a.Cured:
			return 1
		default:
			return -1
		}
	})
	return all
}

// Apply puts the plan's devices and wiring into the run's box.
func (b *Box) Apply(run *circuit.Circuit, p *Plan) error {
	if p.Proof == nil {
		return fmt.Errorf("box %s: there is no plan to make up: %s", b.ID, p.Stopped)
	}
	l := newLook(b, nec.Book{Edition: p.Edition})
	c, err := l.b.onRun(run, l.built(), p.Wiring, l.raceway)
	if err != nil {
		return err
	}
	c.Faults, c.State = run.Faults, run.State
	c.Breaker.On = run.Breaker.On
	*run = *c
	return run.Check()
}

// Disagrees notes on a plan made without the run why it was.
func (p *Plan) Disagrees(reason error) {
	p.Findings = append([]Finding{{
		Code: "run-disagrees", Severity: Must, At: []string{p.ID}, Text: "The box and the run do not agree: " + reason.Error() + ".", Practice: commonPractice,
		Fix: "Correct the one that is wrong. Until then the plan does not know what lies beyond this box.",
	}}, p.Findings...)
	p.Issued = false
}

// A Stay is a device that must not go off unseen, and the GFCI of its box that
// it must not hang on.
type Stay struct {
	Device string
	GFCI   string
}

// MustStayOn lists what hangs beyond the box on cables that must not go off
// unseen, and is off its GFCI's LOAD.
func (b *Box) MustStayOn(run *circuit.Circuit) []Stay {
	var all []Stay
	if b.Device == nil || !b.Device.IsGFCI() {
		return nil
	}
	w, err := circuit.Wire(run)
	if err != nil {
		return nil // a run that passed Check can be wired
	}
	feeds := w.Feeds()
	for _, c := range b.Cables {
		if !c.mustStay() {
			continue
		}
		for i := range run.Boxes {
			box := &run.Boxes[i]
			for up := box.ID; up != circuit.Panel && up != b.ID; {
				cable := run.LineCable(up)
				if cable == nil {
					break
				}
				if cable.ID == c.ID {
					for _, v := range box.Devices {
						if !slices.Contains(feeds.Guards(v.First(circuit.Hot)), b.Device.ID) {
							all = append(all, Stay{v.ID, b.Device.ID})
						}
					}
				}
				up = cable.From
			}
		}
	}
	return all
}
