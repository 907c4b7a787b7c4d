package job

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/words"
)

// A kind is all that there is to know of one kind of entry: what it has to say, how it
// moves the proof of a box on, what it reads as, and who may enter it. Adding one is
// adding a row of kinds, and its name to Kinds.
type kind struct {
	ofBox bool   // it is about one box, which has to be named
	needs Access // beside WorkOn
	// check reports what it lacks; nil where nothing has to be said.
	check func(e *Entry, c *circuit.Circuit) error
	// moves the proof of the box on; nil where it has nothing to do with it.
	moves func(p *progress, c *circuit.Circuit, e *Entry)
	// words are the line it reads as; nil where that is its text.
	words func(e *Entry, label func(box string) string) string
}

// saysText asks for a text and nothing else.
func saysText(e *Entry, _ *circuit.Circuit) error {
	return missing(map[string]string{"text": e.Text})
}

// securedWords are the ways to keep a breaker off, in words.
var securedWords = map[string]string{"lock": "locked", "tag": "tagged", "in-sight": "in sight of who works"}

// kinds of entry. Filled when the package starts: what they call looks at them again.
var kinds map[Kind]kind

func init() {
	kinds = map[Kind]kind{
		BreakerOff: {
			check: func(e *Entry, _ *circuit.Circuit) error {
				if securedWords[e.Secured] == "" {
					return fmt.Errorf("secured: %q is none of lock, tag, in-sight", e.Secured)
				}
				return nil
			},
			moves: func(p *progress, _ *circuit.Circuit, _ *Entry) { p.off = true },
			words: func(e *Entry, _ func(string) string) string {
				return "Breaker off, secured: " + securedWords[e.Secured]
			},
		},
		BreakerOn: {
			moves: func(p *progress, _ *circuit.Circuit, _ *Entry) { *p = progress{} },
			words: func(*Entry, func(string) string) string { return "Breaker on" },
		},
		Proven: {
			check: func(e *Entry, _ *circuit.Circuit) error { return e.checkProven() },
			moves: func(p *progress, _ *circuit.Circuit, e *Entry) { p.proves(e.Tester) },
			words: func(e *Entry, _ func(string) string) string {
				return fmt.Sprintf("%s proven on %s: %.0f V", upper(e.Tester), e.Source, *e.Volts)
			},
		},
		DeadTest: {
			ofBox: true,
			check: (*Entry).checkDead,
			moves: func(p *progress, c *circuit.Circuit, e *Entry) {
				if live := e.Live(c); live != "" {
					found := words.Of("gate.live", live)
					*p = progress{off: p.off, live: &found}
					return
				}
				switch {
				case e.Stage == Installed && p.off && p.before:
					p.deadAt(c, e)
				case e.Stage == DeviceOut && (p.after || p.open != nil):
					p.out = true
				}
			},
			words: func(e *Entry, label func(string) string) string {
				stage := "at the slots"
				if e.Stage == DeviceOut {
					stage = "at the wires, device out"
				}
				device := ""
				if e.Number > 0 {
					device = fmt.Sprintf(", device %d", e.Number)
				}
				all := label(e.Box) + device + " tested for voltage " + stage + ": all pairs of both halves, and each hot to an independent ground"
				if e.Dead.Below > 0 {
					all += fmt.Sprintf(", each below %g V", e.Dead.Below)
				}
				return all
			},
		},
		SecondSource: {
			ofBox: true,
			check: saysText,
			moves: func(p *progress, _ *circuit.Circuit, e *Entry) {
				found := words.Of("gate.second", e.Text)
				*p = progress{live: &found}
			},
			words: func(e *Entry, label func(string) string) string {
				return "Second source in " + label(e.Box) + ": " + e.Text
			},
		},
		Override: {
			ofBox: true,
			needs: Pass,
			check: func(e *Entry, _ *circuit.Circuit) error { return e.checkOverride() },
			moves: func(p *progress, _ *circuit.Circuit, e *Entry) {
				switch e.Gate {
				case ToOpen:
					p.open = e
				case ToConductors:
					p.conductors = e
				}
			},
			words: func(e *Entry, label func(string) string) string {
				where := ""
				if e.Box != "" {
					where = " at " + label(e.Box)
				}
				return fmt.Sprintf("Gate %q%s passed by %s (%s): %s", e.Gate, where, e.Who, e.Standing, e.Reason)
			},
		},
		Accepted: {
			ofBox: true,
			needs: Pass,
			check: func(e *Entry, _ *circuit.Circuit) error {
				return missing(map[string]string{
					"who": e.Who, "standing": e.Standing, "reason": e.Reason, "finding": e.Finding, "text": e.Text,
				})
			},
			words: func(e *Entry, label func(string) string) string {
				return fmt.Sprintf("Left as it is at %s, accepted by %s (%s): %s Reason: %s", label(e.Box), e.Who, e.Standing, e.Text, e.Reason)
			},
		},
		WasFound: {
			ofBox: true,
			check: saysText,
			words: func(e *Entry, label func(string) string) string { return "Found at " + label(e.Box) + ": " + e.Text },
		},
		Traced: {
			check: func(e *Entry, _ *circuit.Circuit) error {
				return missing(map[string]string{"breaker": e.Breaker, "way": e.Way})
			},
			words: func(e *Entry, _ func(string) string) string {
				return fmt.Sprintf("Breaker %s found by %s", e.Breaker, e.Way)
			},
		},
		Died: {
			check: (*Entry).checkDied,
			words: func(e *Entry, _ func(string) string) string {
				n := plural(len(e.Outlets), "outlet")
				if e.Hidden != "" {
					n += ", and " + e.Hidden
				}
				if e.Breaker != "" {
					return "Went dead with breaker " + e.Breaker + ": " + n
				}
				return "Went dead with the breaker: " + n
			},
		},
		Thrown: {
			check: func(e *Entry, _ *circuit.Circuit) error { return missing(map[string]string{"breaker": e.Breaker}) },
			words: func(e *Entry, _ func(string) string) string {
				return "Breaker " + e.Breaker + " off, to see what it feeds"
			},
		},
		MustStay: {
			check: func(e *Entry, _ *circuit.Circuit) error { return e.checkBreakers() },
			words: func(e *Entry, _ func(string) string) string {
				if len(e.Breakers) == 0 {
					return "Nothing here must stay on"
				}
				return "Must not go off: breaker " + strings.Join(e.Breakers, ", ")
			},
		},
		Halved: {
			check: func(e *Entry, _ *circuit.Circuit) error {
				if len(e.Breakers) == 0 || e.WentDead == nil {
					return errors.New("breakers, wentDead: which were off, and was the outlet dead?")
				}
				return e.checkBreakers()
			},
			words: func(e *Entry, _ func(string) string) string {
				if *e.WentDead {
					return "Dead with breaker " + strings.Join(e.Breakers, ", ") + " off"
				}
				return "Still live with breaker " + strings.Join(e.Breakers, ", ") + " off"
			},
		},
		Note: {check: saysText},
		Marking: {
			check: saysText,
			words: func(e *Entry, _ func(string) string) string { return "Marked: " + e.Text },
		},
		Part: {
			check: saysText,
			words: func(e *Entry, _ func(string) string) string {
				if e.Count > 0 {
					return fmt.Sprintf("Used: %g x %s", e.Count, e.Text)
				}
				return "Used: " + e.Text
			},
		},
		MadeUp: {
			words: func(e *Entry, label func(string) string) string { return label(e.Box) + " made up as planned" },
		},
		HandedOver: {
			check: func(e *Entry, _ *circuit.Circuit) error {
				if err := checkSignature(e.Signature); err != nil {
					return err
				}
				return missing(map[string]string{"who": e.Who, "to": e.To})
			},
			words: func(e *Entry, _ func(string) string) string {
				return fmt.Sprintf("Handed over by %s to %s", e.Who, e.To)
			},
		},
	}
	for k := range kinds {
		if !slices.Contains(Kinds, k) {
			panic("job: a kind of entry is not listed: " + string(k)) // found by any test
		}
	}
}
