package makeup

import (
	"fmt"
	"strings"

	"elvat/core/circuit"
	"elvat/core/words"
)

// A Switch is a wall switch in the same box, beside the device: the steady hot goes to
// it, and what it controls hangs on it. It stays as it is.
type Switch struct {
	ID       string `json:"id"`
	Controls string `json:"controls"` // the cable whose hot it switches
}

// Terminals of a switch: which screw is fed does not matter to it.
const (
	switchFed    = ".hot.1"
	switchGoesOn = ".hot.2"
)

// mostSwitches is more than a box has. Assumption.
const mostSwitches = 3

func (b *Box) checkSwitches() error {
	if len(b.Switches) > mostSwitches {
		return fmt.Errorf("switches: %d of them; at most %d", len(b.Switches), mostSwitches)
	}
	taken := map[string]bool{b.ID: true}
	for i := range b.Cables {
		taken[b.Cables[i].ID] = true
	}
	for _, v := range b.devices() {
		taken[v.ID] = true
	}
	controlled := map[string]bool{}
	for i := range b.Switches {
		s, place := &b.Switches[i], fmt.Sprintf("switches[%d]", i)
		if err := checkName(place+".id", s.ID); err != nil {
			return err
		}
		if taken[s.ID] {
			return fmt.Errorf("%s.id: %s is used twice", place, s.ID)
		}
		taken[s.ID] = true
		c := b.cable(s.Controls)
		switch {
		case c == nil:
			return fmt.Errorf("%s.controls: there is no cable %s in the box", place, s.Controls)
		case c.Role == Line || c.Has(circuit.Hot2) || !c.Has(circuit.Hot):
			return fmt.Errorf("%s.controls: %s cannot hang on a switch here: it wants one hot, and not to be the feed", place, s.Controls)
		case controlled[s.Controls]:
			return fmt.Errorf("%s.controls: %s hangs on another switch already", place, s.Controls)
		}
		controlled[s.Controls] = true
	}
	return nil
}

func (b *Box) cable(id string) *Cable {
	for i := range b.Cables {
		if b.Cables[i].ID == id {
			return &b.Cables[i]
		}
	}
	return nil
}

// switchOf is the switch in this box that the cable hangs on; nil for none.
func (b *Box) switchOf(c *Cable) *Switch {
	for i := range b.Switches {
		if b.Switches[i].Controls == c.ID {
			return &b.Switches[i]
		}
	}
	return nil
}

// switchAt is the switch whose screw the point is.
func (b *Box) switchAt(point string) *Switch {
	owner, _, _ := strings.Cut(point, ".")
	for i := range b.Switches {
		if b.Switches[i].ID == owner {
			return &b.Switches[i]
		}
	}
	return nil
}

// yokes counts what is screwed to the box.
func (b *Box) yokes() int { return len(b.devices()) + len(b.Switches) }

// closed is the wiring with every switch on, as the circuit model takes it: both hot screws
// are one point, and the ground of its yoke is left out.
func (b *Box) closed(pairs [][2]string) [][2]string {
	if len(b.Switches) == 0 {
		return pairs
	}
	all := [][2]string{}
	for _, pair := range pairs {
		keep := true
		for i, point := range pair {
			s := b.switchAt(point)
			if s == nil {
				continue
			}
			keep = keep && !strings.HasSuffix(point, ".ground")
			pair[i] = splice(s.ID)
		}
		if keep {
			all = append(all, pair)
		}
	}
	return all
}

// switched hangs a cable on its switch, which is fed from the point.
func (w *wiring) switched(c *Cable, from string) {
	s := w.l.b.switchOf(c)
	w.join(from, s.ID+switchFed)
	w.land(c, circuit.Hot, s.ID+switchGoesOn)
}

// switches says what hangs on a switch in the box.
func (l *look) switches() {
	for i := range l.b.Switches {
		c := l.b.cable(l.b.Switches[i].Controls)
		l.trade(Finding{
			Code: "on-a-switch", Severity: Note, At: []string{c.ID}, Text: fmt.Sprintf("%s hangs on the switch in this box: the plan and its proof have it on.", c.name()),
			Fix: "Read what hangs there with the switch on.",
		})
	}
}

// switchSaid names a screw of a switch.
func (w *wiring) switchSaid(s *Switch, terminal string) words.Said {
	if "."+terminal == switchGoesOn { // only what it controls lands there
		return words.Of("terminal.switch.hot.2")
	}
	return words.Of("terminal.switch."+terminal, w.cableSaid(s.Controls))
}

// switches reports a switch with more than a wire under a screw, or whose screws are joined.
func (v *verifier) switches() {
	for i := range v.b.Switches {
		id := v.b.Switches[i].ID
		for _, t := range []string{switchFed, switchGoesOn, ".ground"} {
			if v.wires[id+t] > 1 {
				v.say("%s: %d wires under a screw", id+t, v.wires[id+t])
			}
		}
		if v.joined.same(id+switchFed, id+switchGoesOn) {
			v.say("%s: what it switches is on all the time", id)
		}
		if v.wires[id+switchFed] == 0 || v.wires[id+switchGoesOn] == 0 {
			v.say("%s has nothing on a screw", id)
		}
	}
}
