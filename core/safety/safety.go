// Package safety says what may hurt somebody while a hazard that was reported stands, and what an
// act may do then. The hazards are told by the customer, the office, the electrician or a reading;
// each ends only when somebody has looked at its place with the power off.
//
// It leaves to core/diagnosis what the readings make likely, and to core/call where hazards are told
// and kept.
package safety

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"elvat/core/circuit"
	"elvat/core/tester"
)

// A Sign is one of what can hurt.
type Sign string

// The signs.
const (
	Heat   Sign = "heat"
	Smell  Sign = "smell"
	Scorch Sign = "scorching"
	Sparks Sign = "sparks"
	Water  Sign = "water"
	Shock  Sign = "shock"
)

// Signs lists them in the order in which they are asked.
var Signs = []Sign{Heat, Smell, Scorch, Sparks, Water, Shock}

// A Teller is who told of a hazard.
type Teller string

// The tellers.
const (
	Customer    Teller = "customer"
	Office      Teller = "office"
	Electrician Teller = "electrician"
	Reading     Teller = "reading"
	Box         Teller = "box" // seen in an opened box
)

// Tellers lists them.
var Tellers = []Teller{Customer, Office, Electrician, Reading, Box}

// A Hazard is heat, smell, scorching, sparks, water or a shock at a place. It stands until somebody
// has looked at the place.
type Hazard struct {
	ID    string    `json:"id"`
	Signs []Sign    `json:"signs"`
	Place string    `json:"place,omitempty"` // a box, circuit.Panel, or "" where nobody said
	By    Teller    `json:"by"`
	Name  string    `json:"name,omitempty"` // of who told of it
	At    time.Time `json:"at"`
	Text  string    `json:"text,omitempty"`
	// Looked is how it ended; nil while it stands.
	Looked *Looked `json:"looked,omitempty"`
}

// Looked is what somebody found at the place of a hazard, with the power off, and did about it.
type Looked struct {
	By    string    `json:"by"`
	At    time.Time `json:"at"`
	Found string    `json:"found"`
	Done  string    `json:"done"`
}

// Check reports what a hazard lacks, or what cannot be on the circuit.
func (h *Hazard) Check(c *circuit.Circuit) error {
	if len(h.Signs) == 0 {
		return fmt.Errorf("signs: at least one of %q", Signs)
	}
	for _, s := range h.Signs {
		if !slices.Contains(Signs, s) {
			return fmt.Errorf("signs: %q is none of %q", s, Signs)
		}
	}
	if h.Place != "" && h.Place != circuit.Panel && c.Box(h.Place) == nil {
		return fmt.Errorf("place: %q is neither a box of this circuit nor the panel", h.Place)
	}
	if !slices.Contains(Tellers, h.By) {
		return fmt.Errorf("by: %q is none of %q", h.By, Tellers)
	}
	return nil
}

// Check reports what is missing.
func (l *Looked) Check() error {
	if strings.TrimSpace(l.Found) == "" || strings.TrimSpace(l.Done) == "" {
		return errors.New("found, done: what was found there, and what was done about it?")
	}
	return nil
}

// Words names the signs and the place, as "scorching, sparks at Sewing frame".
func (h *Hazard) Words(c *circuit.Circuit) string {
	names := make([]string, len(h.Signs))
	for i, s := range h.Signs {
		names[i] = string(s)
	}
	words := strings.Join(names, ", ")
	switch {
	case h.Place == circuit.Panel:
		words += " at the panel"
	case h.Place != "":
		words += " at " + c.LabelOf(h.Place)
	}
	return words
}

// Standing returns the hazards that nobody has looked at.
func Standing(all []Hazard) []Hazard {
	return slices.DeleteFunc(slices.Clone(all), func(h Hazard) bool { return h.Looked != nil })
}

// An Act is something that somebody is to do on the run.
type Act struct {
	Kind ActKind
	At   string      // the box, or circuit.Panel
	Tool tester.Tool // of a reading
	Mode tester.Mode
}

// An ActKind says what kind of act it is.
type ActKind string

// The kinds of acts.
const (
	Read      ActKind = "read"      // a tester on an outlet with the power on
	Energize  ActKind = "energize"  // a reset, the breaker on, a switch on
	PressTest ActKind = "press"     // a GFCI's own button
	OpenDead  ActKind = "open-dead" // a box opened with the breaker off and locked out
	ReadDead  ActKind = "read-dead" // an ohmmeter with the breaker off
	Look      ActKind = "look"      // from outside, touching nothing
)

// Forbids returns the standing hazard that forbids the act, nil where none does.
//
// Nothing energizes or loads what a hazard can reach. The breaker feeds the whole run, so that
// every reading with the power on, every reset and every button is forbidden on it, whatever the
// place; nothing is opened at the panel, and nobody stands in water to reach it. What stays is
// looking from outside, and opening the place dead. Common practice, no source; damaged and wet
// equipment: NEC 110.3(B), 110.12(B) (from memory).
func Forbids(standing []Hazard, act Act) *Hazard {
	for i := range standing {
		h := &standing[i]
		switch act.Kind {
		case Look:
			continue
		case OpenDead, ReadDead:
			// The panel is for the utility and the licensed; the place of a hazard comes before other boxes.
			if h.Place != circuit.Panel && (h.Place == "" || h.Place == act.At) {
				continue
			}
		}
		return h
	}
	return nil
}

// Loads reports whether the tester draws enough through a joint to heat it: a test lamp, a load
// tester, a meter of low impedance, and a plug tester's button.
func Loads(tool tester.Tool, mode tester.Mode) bool {
	return tool == tester.Lamp || tool == tester.Analyzer || tool == tester.PlugButton || tool == tester.Meter && mode == tester.LowZ
}

// ThroughWarm returns the box of those that are warm whose joints the act would load or energize at
// the box; "" where it would none. What is plugged in beyond a warm joint draws through it.
func ThroughWarm(c *circuit.Circuit, warm []string, act Act) string {
	if act.Kind != Energize && !(act.Kind == Read && Loads(act.Tool, act.Mode)) {
		return ""
	}
	for _, box := range warm {
		if c.Box(box) == nil {
			continue
		}
		switch {
		case act.Kind == Energize && (act.At == circuit.Panel || act.At == "" || slices.Contains(c.Upstream(box), act.At)):
			return box // the box hangs on what is switched on
		case act.At == box || slices.Contains(c.Upstream(act.At), box):
			return box // what draws there draws through the box
		}
	}
	return ""
}

// FirstMove says what comes first while the hazard stands: verb, object, place.
func (h *Hazard) FirstMove(c *circuit.Circuit) string {
	switch h.Place {
	case circuit.Panel:
		return "Stay away from the panel: have the utility, or the main from a safe place, cut the power"
	case "":
		return "Turn the breaker off and lock it out. Touch nothing on the run"
	}
	return "Turn the breaker off and lock it out. Touch nothing at " + c.LabelOf(h.Place)
}

// Why gives the reason in two sentences.
func (h *Hazard) Why(c *circuit.Circuit) string {
	who := map[Teller]string{
		Customer: "The customer reports", Office: "The office was told of", Electrician: "Reported on the call:", Reading: "A reading shows", Box: "Seen in the box:",
	}[h.By]
	why := who + " " + h.Words(c) + ". "
	if slices.Contains(h.Signs, Water) {
		why += "Do not stand in water to reach the breaker. "
	}
	return why + "Reset nothing and plug nothing in until the place is opened dead and looked at."
}
