package job

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"elvat/core/circuit"
	"elvat/core/strict"
)

// A Kind says what was done.
type Kind string

// Kinds of entry in a call's journal.
const (
	BreakerOff   Kind = "breaker-off"   // switched off, and how it is secured
	BreakerOn    Kind = "breaker-on"    // everything is live again
	Proven       Kind = "tester-proven" // on a source known to be live
	DeadTest     Kind = "dead"          // no voltage found in a box
	SecondSource Kind = "second-source" // something in the box was live all the same
	Override     Kind = "override"      // a gate passed by a named qualified person
	Accepted     Kind = "accepted"      // a finding left as it is, taken on by a named qualified person
	WasFound     Kind = "found"         // what was wrong in an opened box, in words
	Traced       Kind = "traced"        // a breaker was found
	Died         Kind = "died"          // which outlets went dead with the breaker
	Thrown       Kind = "thrown"        // one breaker is off: who is at the outlets says what is dead
	MustStay     Kind = "must-stay"     // breakers that must not go off
	Halved       Kind = "halved"        // several breakers were off, and the outlet was dead or not
	Note         Kind = "note"
	Marking      Kind = "marking" // put on a plate or a breaker
	Part         Kind = "part"    // used up
	MadeUp       Kind = "made-up" // as planned; entered by the make-up itself
	HandedOver   Kind = "handed-over"
)

// Kinds of entry.
var Kinds = []Kind{
	BreakerOff,
	BreakerOn,
	Proven,
	DeadTest,
	SecondSource,
	Override,
	Accepted,
	WasFound,
	Traced,
	Died,
	Thrown,
	MustStay,
	Halved,
	Note,
	Marking,
	Part,
	MadeUp,
	HandedOver,
}

// A Stage is when a box was tested for voltage.
type Stage string

// Stages of a dead test.
const (
	Installed Stage = "installed"  // at the slots, cover on
	DeviceOut Stage = "device-out" // at the wires
)

// DeadVolts are the volts of a dead test. All have to be there: a pair that was not
// measured proves nothing.
type DeadVolts struct {
	Top           PairVolts `json:"top"`
	Bottom        PairVolts `json:"bottom"`
	TopToEarth    *float64  `json:"topToEarth"`    // hot slot to an independent, proven ground
	BottomToEarth *float64  `json:"bottomToEarth"` // the same of the bottom half
	SensorSilent  bool      `json:"sensorSilent"`
	// Below stands for every pair that is not given: each was measured, and was below so many volts.
	Below float64 `json:"below,omitempty"`
}

// mostBelow is what a pair may be said to be below without its volts being given. Assumption.
const mostBelow = 1

// PairVolts are the three pairs of one half.
type PairVolts struct {
	HotNeutral    *float64 `json:"hotNeutral"`
	HotGround     *float64 `json:"hotGround"` // null where there is no ground slot
	NeutralGround *float64 `json:"neutralGround"`
}

// An Entry is one thing done on a call.
type Entry struct {
	Kind      Kind       `json:"kind"`
	At        time.Time  `json:"at,omitzero"` // when it was entered
	Box       string     `json:"box,omitempty"`
	Stage     Stage      `json:"stage,omitempty"`
	Device    string     `json:"device,omitempty"` // dead: of which the slots were tested
	Number    int        `json:"number,omitempty"` // dead: of the device among several in its box
	Dead      *DeadVolts `json:"dead,omitempty"`
	Secured   string     `json:"secured,omitempty"` // lock, tag, in-sight
	Tester    string     `json:"tester,omitempty"`
	Source    string     `json:"source,omitempty"` // known to be live
	Volts     *float64   `json:"volts,omitempty"`
	Gate      GateName   `json:"gate,omitempty"`
	Who       string     `json:"who,omitempty"`
	Standing  string     `json:"standing,omitempty"` // by what they are qualified
	Reason    string     `json:"reason,omitempty"`
	Way       string     `json:"way,omitempty"` // traced: directory, tracer, lamp
	Breaker   string     `json:"breaker,omitempty"`
	Breakers  []string   `json:"breakers,omitempty"` // must-stay, halved
	WentDead  *bool      `json:"wentDead,omitempty"` // halved: the outlet
	Outlets   []string   `json:"outlets,omitempty"`  // died: devices of the run
	Hidden    string     `json:"hidden,omitempty"`   // died: and others, in words
	Text      string     `json:"text,omitempty"`
	Finding   string     `json:"finding,omitempty"` // accepted: its key in the box
	Count     float64    `json:"count,omitempty"`
	Evidence  []string   `json:"evidence,omitempty"`  // made up: what spoke for the cause
	To        string     `json:"to,omitempty"`        // handed over to
	Signature string     `json:"signature,omitempty"` // handed over: drawn by finger, as an SVG path
	Withdrawn bool       `json:"withdrawn,omitempty"`
	// EnteredBy and TakenOnBy name two people where what one entered waited for a decision, and
	// another took it on.
	EnteredBy string `json:"enteredBy,omitempty"`
	TakenOnBy string `json:"takenOnBy,omitempty"`
}

// Volts up to which a pair is taken for dead. More is a sign of voltage: a ghost is drained with a low
// impedance, dead it is not. Assumption.
const deadVolts = 1

// A LiveSource is what a tester shows on something known to be live, in volts.
type LiveSource struct {
	Least float64 `json:"least"`
	Most  float64 `json:"most"`
}

// ProvesOn are the sources that prove a tester: nominal 120 V, or 240 V between
// two legs, within a tenth. Range B of ANSI C84.1 ends at 127 V (from memory); the
// tenth is an assumption.
var ProvesOn = []LiveSource{{108, 132}, {216, 264}}

// sources names them in a sentence.
func sources() string {
	words := make([]string, len(ProvesOn))
	for i, s := range ProvesOn {
		words[i] = fmt.Sprintf("%g to %g V", s.Least, s.Most)
	}
	return strings.Join(words, ", or ")
}

// Bounds of what one entry can hold. Assumption.
const (
	mostText    = strict.MostText
	mostOutlets = 200
)

// Check reports what an entry lacks, naming it.
func (e *Entry) Check(c *circuit.Circuit) error {
	if err := e.check(c); err != nil {
		return fmt.Errorf("%s: %w", e.Kind, err)
	}
	return nil
}

func (e *Entry) check(c *circuit.Circuit) error {
	for _, text := range []string{e.Text, e.Reason, e.Who, e.Standing, e.Hidden, e.Source, e.Tester, e.To, e.Breaker, e.Finding} {
		if len(text) > mostText {
			return errors.New("a text is too long")
		}
	}
	k, ok := kinds[e.Kind]
	if !ok {
		return fmt.Errorf("no such kind; one of %v", Kinds)
	}
	if e.Box != "" && e.Box != circuit.Panel && c.Box(e.Box) == nil {
		return fmt.Errorf("box %q: not on this circuit", e.Box)
	}
	whole := e.Kind == Override && e.Gate == ToHandOver // it is about the whole call
	if k.ofBox && e.Box == "" && !whole {
		return errors.New("box: which one?")
	}
	if k.check == nil {
		return nil
	}
	return k.check(e, c)
}

// Words are the entry as one line; label is what people call a box.
func (e *Entry) Words(label func(box string) string) string {
	words := e.Text
	if k, ok := kinds[e.Kind]; ok && k.words != nil {
		words = k.words(e, label)
	}
	if e.TakenOnBy != "" {
		words = fmt.Sprintf("%s Entered by %s, taken on by %s.", strings.TrimSuffix(words, ".")+".", e.EnteredBy, e.TakenOnBy)
	}
	return words
}

// missing reports the first that is empty, in the order of names.
func missing(wanted map[string]string) error {
	var keys []string
	for key := range wanted {
		keys = append(keys, key)
	}
	slices.Sort(keys)
	for _, key := range keys {
		if strings.TrimSpace(wanted[key]) == "" {
			return fmt.Errorf("%s: is missing", key)
		}
	}
	return nil
}

func (e *Entry) checkProven() error {
	if err := missing(map[string]string{"tester": e.Tester, "source": e.Source}); err != nil {
		return err
	}
	if e.Volts == nil {
		return errors.New("volts: what does the tester show on the source?")
	}
	if !slices.ContainsFunc(ProvesOn, func(s LiveSource) bool { return *e.Volts >= s.Least && *e.Volts <= s.Most }) {
		return fmt.Errorf("volts: %g V proves no tester: a source known to be live shows %s", *e.Volts, sources())
	}
	return nil
}

func (e *Entry) checkDead(c *circuit.Circuit) error {
	if e.Stage != Installed && e.Stage != DeviceOut {
		return fmt.Errorf("stage: %q is neither installed nor device-out", e.Stage)
	}
	if e.Dead == nil {
		return errors.New("dead: the volts are missing")
	}
	if e.Dead.Below < 0 || e.Dead.Below > mostBelow {
		return fmt.Errorf("dead: below %g V: at most %d V is said without measuring each", e.Dead.Below, mostBelow)
	}
	e.Number = 0
	if b := c.Box(e.Box); b != nil && e.Stage == Installed {
		i := slices.IndexFunc(b.Devices, func(d circuit.Device) bool { return d.ID == e.Device })
		switch {
		case e.Device != "" && i < 0:
			return fmt.Errorf("device: %q is not in this box", e.Device)
		case e.Device == "" && len(b.Devices) > 1:
			return fmt.Errorf("device: which of the %d in this box? Each is proven dead by itself", len(b.Devices))
		case len(b.Devices) > 1:
			e.Number = i + 1
		}
	}
	for _, v := range e.Dead.values(e.hasGround(c)) {
		if v.volts == nil && e.Dead.Below > 0 {
			continue
		}
		if v.volts == nil {
			return fmt.Errorf("dead: %s was not measured", v.name)
		}
		if *v.volts < 0 || *v.volts > 1000 {
			return fmt.Errorf("dead: %s: %g V is out of bounds", v.name, *v.volts)
		}
	}
	return nil
}

// hasGround reports whether there is a ground to measure to: a ground slot of the device that was
// tested; at the wires, of any device of the box.
func (e *Entry) hasGround(c *circuit.Circuit) bool {
	b := c.Box(e.Box)
	if b == nil || len(b.Devices) == 0 {
		return true
	}
	return slices.ContainsFunc(b.Devices, func(d circuit.Device) bool {
		return d.HasGroundSlot() && (e.Device == "" || e.Device == d.ID)
	})
}

type named struct {
	name  string
	volts *float64
}

// values are all that has to be measured.
func (d *DeadVolts) values(ground bool) []named {
	var all []named
	for _, half := range []struct {
		name string
		v    PairVolts
	}{{"top", d.Top}, {"bottom", d.Bottom}} {
		all = append(all, named{half.name + " hot to neutral", half.v.HotNeutral})
		if ground {
			all = append(
				all,
				named{half.name + " hot to ground", half.v.HotGround},
				named{half.name + " neutral to ground", half.v.NeutralGround},
			)
		}
	}
	return append(
		all,
		named{"top hot to an independent ground", d.TopToEarth},
		named{"bottom hot to an independent ground", d.BottomToEarth},
	)
}

// Live names what was found live, empty where all is dead.
func (e *Entry) Live(c *circuit.Circuit) string {
	for _, v := range e.Dead.values(e.hasGround(c)) {
		if v.volts != nil && *v.volts > deadVolts {
			return fmt.Sprintf("%s: %.0f V", v.name, *v.volts)
		}
	}
	if !e.Dead.SensorSilent {
		return "the sensor is not silent"
	}
	return ""
}

func (e *Entry) checkOverride() error {
	if !slices.Contains(Gates, e.Gate) {
		return fmt.Errorf("gate: %q is none of %v", e.Gate, Gates)
	}
	return missing(map[string]string{"who": e.Who, "standing": e.Standing, "reason": e.Reason})
}

// Bounds of a signature: its path lies in a field so wide and tall. Assumption.
const (
	SignatureWide = 600
	SignatureTall = 200
	mostSignature = strict.MostLine
)

// checkSignature lets nothing but strokes pass: it is drawn again as it stands.
func checkSignature(path string) error {
	if len(path) > mostSignature {
		return errors.New("signature: too long")
	}
	_, err := Strokes(path)
	return err
}

// Strokes are the lines of a signature, each a row of points x, y.
func Strokes(path string) ([][][2]float64, error) {
	var all [][][2]float64
	for _, stroke := range strings.Split(path, "M") {
		if strings.TrimSpace(stroke) == "" {
			continue
		}
		var line [][2]float64
		for _, point := range strings.Split(stroke, "L") {
			var p [2]float64
			xy := strings.Fields(point)
			if len(xy) != 2 {
				return nil, errors.New("signature: no row of points")
			}
			for i, most := range [2]float64{SignatureWide, SignatureTall} {
				v, err := strconv.ParseFloat(xy[i], 64)
				if err != nil || !(v >= 0 && v <= most) {
					return nil, errors.New("signature: a point is none, or outside its field")
				}
				p[i] = v
			}
			line = append(line, p)
		}
		all = append(all, line)
	}
	return all, nil
}

// checkBreakers asks for breakers, where there have to be any.
func (e *Entry) checkBreakers() error {
	if len(e.Breakers) > mostRows {
		return fmt.Errorf("breakers: %d of them; at most %d", len(e.Breakers), mostRows)
	}
	for _, b := range e.Breakers {
		if strings.TrimSpace(b) == "" || len(b) > mostText {
			return errors.New("breakers: one has no name, or too long a one")
		}
	}
	return nil
}

func (e *Entry) checkDied(c *circuit.Circuit) error {
	if len(e.Outlets) > mostOutlets {
		return fmt.Errorf("outlets: %d of them", len(e.Outlets))
	}
	if len(e.Outlets) == 0 && e.Hidden == "" && e.Breaker == "" { // a breaker that took nothing along is a fact
		return errors.New("outlets: which went dead?")
	}
	for _, id := range e.Outlets {
		if v, _ := c.Device(id); v == nil {
			return fmt.Errorf("outlets: %s is not on this circuit", id)
		}
	}
	return nil
}
