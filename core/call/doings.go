package call

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/job"
	"elvat/core/makeup"
	"elvat/core/runs"
	"elvat/core/strict"
	"elvat/core/tester"
	"elvat/core/visit"
	"elvat/core/wire"
)

// Begin starts a call on a run: from what is known of it, or on a new one.
type Begin struct {
	Title      string                `json:"title"`
	Complaint  string                `json:"complaint,omitempty"`
	Circuit    json.RawMessage       `json:"circuit"`
	Conditions *diagnosis.Conditions `json:"conditions,omitempty"`
	Order      *runs.Map             `json:"order,omitempty"`
	// Made are boxes of the run that are made up already, elvat-box/1: it was laid anew.
	Made []json.RawMessage `json:"made,omitempty"`
	// Appointment is what was agreed on the telephone.
	Appointment *SetAppointment `json:"appointment,omitempty"`
	// Scene makes it a drill, elvat-drill/1: all else is what the scene says.
	Scene json.RawMessage `json:"scene,omitempty"`
}

func (*Begin) what(*Record) string { return "new call" }

func (b *Begin) decide(d *draft) error {
	if d.r.Circuit != nil {
		return bad("do: the call has begun")
	}
	if b.Scene != nil {
		if err := b.drill(d); err != nil {
			return err
		}
	}
	h := head{Title: strings.TrimSpace(b.Title), Complaint: strings.TrimSpace(b.Complaint)}
	if h.Title == "" {
		return bad("title: a call needs a name, such as the room or the customer")
	}
	c, err := circuit.Parse(b.Circuit)
	if err != nil {
		return BadInput{err}
	}
	document, err := c.Encode()
	if err != nil {
		return err
	}
	d.put(Key{Kind: TheRun}, document)
	if b.Conditions != nil {
		if err := d.set(Key{Kind: TheConditions}, b.Conditions); err != nil {
			return err
		}
	}
	if b.Order != nil {
		if err := d.set(Key{Kind: TheOrder}, b.Order); err != nil {
			return err
		}
	}
	if b.Appointment != nil {
		if err := b.Appointment.decide(d); err != nil {
			return err
		}
	}
	for i, box := range b.Made {
		parsed, err := makeup.Parse(box)
		if err == nil {
			err = parsed.Agrees(c)
		}
		if err != nil {
			return bad("made[%d]: %w", i, err)
		}
		document, err := parsed.Encode()
		if err != nil {
			return err
		}
		if err := d.made(parsed.ID, document, nil); err != nil {
			return err
		}
	}
	return d.set(Key{Kind: TheCall}, h)
}

// Rename corrects the call's title or complaint.
type Rename struct {
	Title     *string `json:"title,omitempty"`
	Complaint *string `json:"complaint,omitempty"`
}

func (*Rename) what(*Record) string { return "name or complaint" }

func (c *Rename) decide(d *draft) error {
	k := Key{Kind: TheCall}
	base, since, err := d.r.asSeen(k, d.c)
	if err != nil {
		return err
	}
	if since == nil {
		base = d.doc(k)
	}
	var h head
	if err := json.Unmarshal(base, &h); err != nil {
		return err
	}
	for _, field := range []struct{ from, to *string }{{c.Title, &h.Title}, {c.Complaint, &h.Complaint}} {
		if field.from != nil {
			*field.to = strings.TrimSpace(*field.from)
		}
	}
	if h.Title == "" {
		return bad("title: a call needs a name")
	}
	document, err := json.Marshal(h)
	if err != nil {
		return err
	}
	return d.merge(k, document, func([]byte) error { return nil })
}

// ReadCautions keeps that somebody went through what can hurt.
type ReadCautions struct{}

func (*ReadCautions) what(*Record) string { return "went through what can hurt" }

func (*ReadCautions) decide(d *draft) error {
	if d.r.CautionsReadAt != nil {
		return nil
	}
	return d.set(Key{Kind: TheCall}, head{d.r.Title, d.r.Complaint, &d.c.At})
}

// ReplaceRun puts another circuit in the place of the run.
type ReplaceRun struct {
	Circuit json.RawMessage `json:"circuit"`
}

func (*ReplaceRun) what(*Record) string { return "another circuit file" }

func (c *ReplaceRun) decide(d *draft) error {
	run, err := circuit.Parse(c.Circuit)
	if err != nil {
		return BadInput{err}
	}
	document, err := run.Encode()
	d.put(Key{Kind: TheRun}, document)
	return err
}

// SetBreaker corrects the breaker.
type SetBreaker struct {
	Label string  `json:"label"`
	Amps  float64 `json:"amps"`
	// Protection is its kind; "" leaves what is there.
	Protection circuit.Protection `json:"protection,omitempty"`
}

func (*SetBreaker) what(*Record) string { return "breaker" }

func (c *SetBreaker) decide(d *draft) error {
	return d.edit(func(run *circuit.Circuit) error {
		run.Breaker.Label, run.Breaker.Amps = strings.TrimSpace(c.Label), c.Amps
		if c.Protection != "" {
			run.Breaker.Protection = c.Protection
		}
		return run.Check()
	})
}

// AddStop adds a box with one receptacle to the run.
type AddStop struct {
	After   string     `json:"after"`
	Into    string     `json:"into,omitempty"`
	Label   string     `json:"label,omitempty"`
	AWG     wire.Gauge `json:"awg,omitempty"`
	Feet    float64    `json:"feet,omitempty"`
	Ground  *bool      `json:"ground,omitempty"` // nil: there is one
	Slots   int        `json:"slots,omitempty"`
	GFCI    bool       `json:"gfci,omitempty"`
	Devices *int       `json:"devices,omitempty"` // nil: one; 0: a junction
	// Names of the cable, the box and its devices, where whoever adds it made them.
	Names circuit.Names `json:"names,omitempty"`
}

func (*AddStop) what(*Record) string { return "added a stop" }

func (c *AddStop) decide(d *draft) error {
	return d.edit(func(run *circuit.Circuit) error { return run.AddStop(c.stop()) })
}

func (c *AddStop) stop() circuit.NewStop {
	return circuit.NewStop{
		After: c.After, Into: c.Into, Label: c.Label, AWG: c.AWG, Feet: c.Feet, Ground: c.Ground == nil || *c.Ground,
		Slots: c.Slots, GFCI: c.GFCI, Devices: c.Devices, Names: c.Names,
	}
}

// ChangeStop corrects a box and the cable that feeds it; nil leaves what is there.
type ChangeStop struct {
	Box     string          `json:"box"`
	Label   *string         `json:"label,omitempty"`
	AWG     *wire.Gauge     `json:"awg,omitempty"`
	Feet    *float64        `json:"feet,omitempty"`
	Ground  *bool           `json:"ground,omitempty"`
	Slots   *int            `json:"slots,omitempty"`
	Makeup  *circuit.Makeup `json:"makeup,omitempty"`
	GFCI    *bool           `json:"gfci,omitempty"`
	Devices *int            `json:"devices,omitempty"`
	Names   circuit.Names   `json:"names,omitempty"` // of devices that are added
}

func (*ChangeStop) what(*Record) string { return "changed a stop" }

func (c *ChangeStop) decide(d *draft) error {
	return d.edit(func(run *circuit.Circuit) error { return run.ChangeStop(c.Box, c.change()) })
}

func (c *ChangeStop) change() circuit.StopChange {
	return circuit.StopChange{
		Label: c.Label, AWG: c.AWG, Feet: c.Feet, Ground: c.Ground, Slots: c.Slots, Makeup: c.Makeup,
		GFCI: c.GFCI, Devices: c.Devices, Names: c.Names,
	}
}

// RemoveStop takes a box off the run.
type RemoveStop struct {
	Box string `json:"box"`
}

func (*RemoveStop) what(*Record) string { return "took a stop off" }

func (c *RemoveStop) decide(d *draft) error {
	return d.edit(func(run *circuit.Circuit) error { return run.RemoveStop(c.Box) })
}

// AddLoad plugs something in.
type AddLoad struct {
	At    string        `json:"at"` // device
	Half  circuit.Half  `json:"half"`
	Watts float64       `json:"watts"`
	Names circuit.Names `json:"names,omitempty"` // its own, where whoever plugs it in made one
}

func (*AddLoad) what(*Record) string { return "plugged something in" }

func (c *AddLoad) decide(d *draft) error {
	return d.edit(func(run *circuit.Circuit) error { return run.AddLoad(c.At, c.Half, c.Watts, c.Names...) })
}

// RemoveLoad unplugs something.
type RemoveLoad struct {
	Load string `json:"load"`
}

func (*RemoveLoad) what(*Record) string { return "unplugged something" }

func (c *RemoveLoad) decide(d *draft) error {
	return d.edit(func(run *circuit.Circuit) error { return run.RemoveLoad(c.Load) })
}

// AddReading enters a reading.
type AddReading struct {
	ID      string          `json:"id"`
	Reading json.RawMessage `json:"reading"` // elvat-readings/1
}

func (c *AddReading) what(r *Record) string {
	var reading tester.Reading
	_ = strict.Unmarshal(c.Reading, &reading) // decide has read it
	tool := strings.ReplaceAll(string(reading.Tool), "-", " ")
	if _, box := r.Circuit.Device(reading.At); box != nil {
		tool += " at " + r.Circuit.LabelOf(box.ID)
	} else if reading.Site != "" {
		tool += " at " + r.Circuit.LabelOf(reading.Site)
	}
	return "reading, " + tool
}

func (c *AddReading) decide(d *draft) error {
	if err := CheckID(c.ID); err != nil {
		return BadInput{err}
	}
	if d.r.Drill != nil {
		return c.putOn(d)
	}
	err := d.holds(func(run *circuit.Circuit) error {
		_, err := tester.ParseOne(c.Reading, run)
		return err
	})
	if err != nil {
		return err
	}
	return d.addReading(c.ID, c.Reading)
}

func (d *draft) addReading(id string, reading json.RawMessage) error {
	k := Key{AReading, id}
	if there := d.doc(k); there != nil {
		var kept readingPart
		if err := json.Unmarshal(there, &kept); err != nil {
			return err
		}
		return sameAgain(kept.Reading, reading)
	}
	return d.set(k, readingPart{At: d.c.At, Reading: reading})
}

// sameAgain refuses what comes under an id that is there, unless it is the same.
func sameAgain(kept, again json.RawMessage) error {
	equal, err := same(kept, again)
	if err == nil && !equal {
		return ErrUsedElsewhere
	}
	return err
}

// MarkReading takes a reading back or puts it in force, doubts or trusts it.
type MarkReading struct {
	ID        string `json:"id"`
	Withdrawn *bool  `json:"withdrawn,omitempty"`
	Doubtful  *bool  `json:"doubtful,omitempty"`
}

func (*MarkReading) what(*Record) string { return "marked a reading" }

func (c *MarkReading) decide(d *draft) error {
	if d.r.Drill != nil && c.Withdrawn != nil {
		return BadInput{errDone}
	}
	k := Key{AReading, c.ID}
	if err := d.mark(k, "withdrawn", c.Withdrawn); err != nil {
		return err
	}
	if c.Withdrawn != nil && !*c.Withdrawn {
		if err := d.mark(k, "overtaken", c.Withdrawn); err != nil {
			return err
		}
	}
	return d.mark(k, "doubtful", c.Doubtful)
}

// SetState says in what state the circuit is now; null: as its file says.
type SetState struct {
	State *tester.State `json:"state"`
}

func (*SetState) what(*Record) string { return "state of the circuit" }

func (c *SetState) decide(d *draft) error {
	k := Key{Kind: TheState}
	if c.State == nil {
		d.put(k, nil)
		return nil
	}
	check := func(data []byte) error {
		state, err := tester.ParseState(data, d.r.Circuit)
		if err == nil && state != nil {
			_, err = state.On(d.r.Circuit)
		}
		return err
	}
	document, err := json.Marshal(c.State)
	if err != nil {
		return err
	}
	if err := check(document); err != nil {
		return BadInput{err}
	}
	return d.merge(k, document, check)
}

// SetConditions says what is known of the place beside its circuit.
type SetConditions struct {
	Conditions diagnosis.Conditions `json:"conditions"`
}

func (*SetConditions) what(*Record) string { return "place" }

func (c *SetConditions) decide(d *draft) error {
	if c.Conditions.Hazards != nil {
		return bad("hazards: each is told, and ended, by a command of its own")
	}
	if err := c.Conditions.Check(d.r.Circuit); err != nil {
		return BadInput{err}
	}
	document, err := json.Marshal(c.Conditions)
	if err != nil {
		return err
	}
	return d.merge(Key{Kind: TheConditions}, document, func(data []byte) error {
		var k diagnosis.Conditions
		if err := strict.Unmarshal(data, &k); err != nil {
			return err
		}
		return k.Check(d.r.Circuit)
	})
}

// SetOrder says what is known of the order of the boxes.
type SetOrder struct {
	Order runs.Map `json:"order"`
}

func (*SetOrder) what(*Record) string { return "order of the boxes" }

func (c *SetOrder) decide(d *draft) error {
	if err := c.Order.Check(d.r.Circuit); err != nil {
		return BadInput{err}
	}
	document, err := json.Marshal(c.Order)
	if err != nil {
		return err
	}
	return d.merge(Key{Kind: TheOrder}, document, func(data []byte) error {
		var m runs.Map
		if err := strict.Unmarshal(data, &m); err != nil {
			return err
		}
		return m.Check(d.r.Circuit)
	})
}

// SetChanged says that a device was changed lately, or that it was not.
type SetChanged struct {
	Device  string `json:"device"`
	Changed bool   `json:"changed"`
}

func (*SetChanged) what(*Record) string { return "device changed lately" }

func (c *SetChanged) decide(d *draft) error {
	if v, _ := d.r.Circuit.Device(c.Device); v == nil {
		return bad("device %s: not on this circuit", c.Device)
	}
	if c.Changed {
		return d.set(Key{AChanged, c.Device}, true)
	}
	d.put(Key{AChanged, c.Device}, nil)
	return nil
}

// AddEntry enters what was done. A breaker that is switched or found changes what
// is known of the run's breaker with it.
type AddEntry struct {
	ID    string    `json:"id"`
	Entry job.Entry `json:"entry"`
}

func (c *AddEntry) what(*Record) string { return strings.ReplaceAll(string(c.Entry.Kind), "-", " ") }

func (c *AddEntry) decide(d *draft) error {
	if err := CheckID(c.ID); err != nil {
		return BadInput{err}
	}
	e := c.Entry
	if d.r.Drill != nil && !slices.Contains(d.r.EntryIDs, c.ID) {
		if err := d.inDrill(&e); err != nil {
			return err
		}
	}
	if err := d.holds(e.Check); err != nil {
		return err
	}
	if e.Kind == job.MadeUp {
		return bad("made-up: a box is made up on its own screen")
	}
	e.At, e.Withdrawn = d.c.At, false
	d.takenOn(&e)
	if i := slices.Index(d.r.EntryIDs, c.ID); i >= 0 {
		return d.sentAgain(d.r.Journal[i], e)
	}
	if e.Kind == job.HandedOver && d.r.Drill == nil { // what a drill was is told by its score
		evidence, err := d.r.Evidence()
		if err != nil {
			return err
		}
		checks, _, err := d.r.checks(evidence)
		if err != nil {
			return err
		}
		open, err := d.r.Open(d.house.Shop)
		if err != nil {
			return err
		}
		if gate := d.r.Journal.HandOver(checks, open, len(d.r.Standing())); !gate.Open {
			return GateShut{Gate: gate}
		}
	}
	if err := d.follow(e); err != nil {
		return err
	}
	return d.set(Key{AnEntry, c.ID}, e)
}

func (d *draft) sentAgain(kept, again job.Entry) error {
	kept.At, kept.Withdrawn = again.At, false
	kept.EnteredBy, kept.TakenOnBy = again.EnteredBy, again.TakenOnBy
	var documents [2]json.RawMessage
	for i, e := range []job.Entry{kept, again} {
		var err error
		if documents[i], err = json.Marshal(e); err != nil {
			return err
		}
	}
	return sameAgain(documents[0], documents[1])
}

// takenOn names both who entered it and who took it on, where it waited for a decision.
func (d *draft) takenOn(e *job.Entry) {
	e.EnteredBy, e.TakenOnBy = "", ""
	if d.c.Decider != "" {
		e.EnteredBy, e.TakenOnBy = nameOf(d.c.Device, d.c.Person), d.c.Decider
	}
}

// follow does what an entry brings with it.
func (d *draft) follow(e job.Entry) error {
	switch e.Kind {
	case job.BreakerOff, job.BreakerOn:
		state := tester.State{}
		if now, _ := d.r.State(); now != nil {
			state = *now
		}
		on := e.Kind == job.BreakerOn
		state.BreakerOn = &on
		return d.set(Key{Kind: TheState}, state)
	case job.Died:
		if e.Breaker == "" {
			return nil
		}
		// The directory writes itself: what went dead is what the breaker serves.
		var serves []string
		for _, id := range e.Outlets {
			if _, box := d.r.Circuit.Device(id); box != nil {
				serves = append(serves, d.r.Circuit.LabelOf(box.ID))
			}
		}
		if e.Hidden != "" {
			serves = append(serves, e.Hidden)
		}
		if len(serves) == 0 {
			return nil
		}
		directory := d.r.PanelDirectory()
		amps := 0.0
		if i := slices.IndexFunc(directory, func(r job.DirectoryRow) bool { return r.Breaker == e.Breaker }); i >= 0 {
			amps = directory[i].Amps
		}
		return d.set(Key{TheDirectory, d.r.Panel}, directory.With(e.Breaker, amps, strings.Join(slices.Compact(serves), ", ")))
	case job.Traced:
		directory := d.r.PanelDirectory().With(e.Breaker, d.r.Circuit.Breaker.Amps, d.r.Title)
		if err := d.set(Key{TheDirectory, d.r.Panel}, directory); err != nil {
			return err
		}
		if d.r.Circuit.Breaker.Label == e.Breaker {
			return nil
		}
		return d.edit(func(c *circuit.Circuit) error {
			c.Breaker.Label = e.Breaker
			return c.Check()
		})
	}
	return nil
}

// MarkEntry takes an entry back, or puts it in force.
type MarkEntry struct {
	ID        string `json:"id"`
	Withdrawn *bool  `json:"withdrawn,omitempty"`
}

func (*MarkEntry) what(*Record) string { return "marked an entry" }

func (c *MarkEntry) decide(d *draft) error {
	if d.r.Drill != nil {
		return BadInput{errDone}
	}
	return d.mark(Key{AnEntry, c.ID}, "withdrawn", c.Withdrawn)
}

// mark sets a field that is true or not there.
func (d *draft) mark(k Key, field string, is *bool) error {
	now := d.doc(k)
	if now == nil {
		return ErrNotFound
	}
	if is == nil {
		return nil
	}
	out, err := markAs(now, field, *is)
	d.put(k, out)
	return err
}

// SetDirectory keeps the panel's directory. It belongs to the house.
type SetDirectory struct {
	Directory job.Directory `json:"directory"`
}

func (*SetDirectory) what(*Record) string { return "panel directory" }

func (c *SetDirectory) decide(d *draft) error {
	if err := c.Directory.Check(); err != nil {
		return BadInput{err}
	}
	document, err := json.Marshal(append(job.Directory{}, c.Directory...))
	if err != nil {
		return err
	}
	return d.merge(Key{TheDirectory, d.r.Panel}, document, checkDirectory)
}

func checkDirectory(data []byte) error {
	var d job.Directory
	if err := strict.Unmarshal(data, &d); err != nil {
		return err
	}
	return d.Check()
}

// AddPicture keeps that a photograph was taken; its image is kept beside the record.
type AddPicture struct {
	ID    string `json:"id"`
	Box   string `json:"box,omitempty"`
	Phase string `json:"phase"`
}

func (*AddPicture) what(*Record) string { return "photograph" }

// Check reports what is wrong with it before the image is looked at.
func (c *AddPicture) Check(r *Record) error {
	if err := CheckID(c.ID); err != nil {
		return BadInput{err}
	}
	switch {
	case c.Phase != Pulled && !slices.Contains(job.Phases, job.Phase(c.Phase)):
		return bad("phase: %q is neither %s nor any of %q", c.Phase, Pulled, job.Phases)
	case c.Box != "" && r.Circuit.Box(c.Box) == nil:
		return bad("box %s: not on the run", c.Box)
	case c.Phase == Pulled && c.Box == "":
		return bad("box: the pulled device is of which?")
	}
	return nil
}

func (c *AddPicture) decide(d *draft) error {
	if err := c.Check(d.r); err != nil {
		return err
	}
	k := Key{APicture, c.ID}
	if d.doc(k) != nil {
		return nil // it was sent before
	}
	if d.c.Device == Customer {
		if err := d.mayShow(); err != nil {
			return err
		}
	}
	if c.Phase == Pulled { // the wires pointed at on it hang on the box's record
		if _, err := d.keepBox(c.Box); err != nil {
			return err
		}
	}
	return d.set(k, Picture{Box: c.Box, Phase: c.Phase, At: d.c.At})
}

// mostOfCustomer bounds the photographs of a customer. Assumption.
const mostOfCustomer = 12

// mayShow refuses a customer's photograph where they are to stay away, and more than
// there is a use for.
func (d *draft) mayShow() error {
	if d.r.HandedOver() {
		return errOver
	}
	switch d.r.Page(d.house.Guards).Stage {
	case visit.StayAway, visit.AskDanger:
		return bad("no photographs now: leave it off and stay away")
	}
	shown := 0
	for _, p := range d.r.Pictures {
		if p.Phase == string(job.Complaint) && !p.Withdrawn {
			shown++
		}
	}
	if shown >= mostOfCustomer {
		return bad("at most %d photographs: call the shop", mostOfCustomer)
	}
	return nil
}

// MarkPicture takes a photograph back, or shows it again.
type MarkPicture struct {
	ID        string `json:"id"`
	Withdrawn *bool  `json:"withdrawn,omitempty"`
}

func (*MarkPicture) what(*Record) string { return "marked a photograph" }

func (c *MarkPicture) decide(d *draft) error {
	return d.mark(Key{APicture, c.ID}, "withdrawn", c.Withdrawn)
}

// UsePart keeps that a part was used up.
type UsePart struct {
	ID    string  `json:"id"`
	Van   string  `json:"van,omitempty"` // "": whichever it comes from
	Item  string  `json:"item"`
	Unit  string  `json:"unit,omitempty"`
	Count float64 `json:"count"`
}

func (c *UsePart) what(*Record) string { return "used " + strings.TrimSpace(c.Item) }

func (c *UsePart) decide(d *draft) error {
	if err := c.check(); err != nil {
		return BadInput{err}
	}
	return d.use(
		c.ID,
		"",
		strings.TrimSpace(c.Van),
		[]material{{Item: strings.TrimSpace(c.Item), Count: c.Count, Unit: strings.TrimSpace(c.Unit)}},
	)
}

func (c *UsePart) check() error {
	if err := CheckID(c.ID); err != nil {
		return err
	}
	switch {
	case strings.TrimSpace(c.Item) == "":
		return errors.New("van and item: which?")
	case len(c.Van)+len(c.Item)+len(c.Unit) > strict.MostText:
		return errors.New("item: its name is too long")
	case c.Count < 0:
		return errors.New("count: how many were used?")
	case c.Count == 0 || c.Count > 10000:
		return fmt.Errorf("count: %g is out of bounds", c.Count)
	}
	return nil
}
