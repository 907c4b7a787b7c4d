package call

import (
	"encoding/json"
	"slices"
	"strings"

	"elvat/core/diagnosis"
	"elvat/core/merge"
	"elvat/core/visit"
)

// Undo takes back the last thing that who asks did on the call and that is in force: what it
// set and nothing else. What others set since stays, as does what a customer said and what
// was learned of the house. Of names its command, so that it is that and no other wherever
// the undoing arrives later; none: what is the last by then.
type Undo struct {
	Of string `json:"of,omitempty"`
}

// Redo brings back what was taken back last, unless something was done since; Of as in Undo.
type Redo struct {
	Of string `json:"of,omitempty"`
}

func (*Undo) what(*Record) string { return "" } // it says itself what it takes back
func (*Redo) what(*Record) string { return "" }

func (c *Undo) decide(d *draft) error {
	if d.r.Drill != nil {
		return BadInput{errDone}
	}
	last, _ := d.r.Undoable(d.c.Device, d.c.Person)
	if last = d.named(c.Of, last, false); last == nil {
		return ErrNothingLeft
	}
	d.action.What = "Took back: " + last.What
	return d.takeBack(last)
}

func (c *Redo) decide(d *draft) error {
	_, back := d.r.Undoable(d.c.Device, d.c.Person)
	if back = d.named(c.Of, back, true); back == nil {
		return ErrNothingLeft
	}
	d.action.What = "Brought back: " + strings.TrimPrefix(back.What, "Took back: ")
	return d.takeBack(back)
}

// named is the action of that command where it is the asker's own and still in force; otherwise
// where none is named.
func (d *draft) named(command string, otherwise *Action, undoing bool) *Action {
	if command == "" || otherwise != nil && otherwise.Command == command {
		return otherwise
	}
	undone := d.r.undone()
	for i := range d.r.Log {
		a := &d.r.Log[i]
		if a.Command == command && a.own(d.c.Device, d.c.Person) && !undone[command] && (a.Undoes != "") == undoing && a.Do != beginning && !a.Elsewhere {
			return a
		}
	}
	return nil
}

// own reports whether who asks did it: from the same device, or the same person signed in. A
// program that names no device may take back anything but what the customer said.
func (a *Action) own(device, person string) bool {
	return a.Device != Customer && (device == "" || a.Device == device || person != "" && a.Person == person)
}

// undone are the commands that were taken back.
func (r *Record) undone() map[string]bool {
	undone := map[string]bool{}
	for i := len(r.Log) - 1; i >= 0; i-- {
		a := &r.Log[i]
		if a.Undoes != "" {
			undone[a.Undoes] = undone[a.Undoes] || !undone[a.Command]
		}
	}
	return undone
}

// Undoable is the action that Undo would take back for who asks, and the taking back that
// Redo would reverse; nil where there is none.
func (r *Record) Undoable(device, person string) (last, back *Action) {
	undone := r.undone()
	bringing := map[string]bool{} // back: what undoes an undoing
	byID := map[string]*Action{}
	for i := range r.Log {
		a := &r.Log[i]
		if by := byID[a.Undoes]; by != nil && by.Undoes != "" {
			bringing[a.Command] = true
		}
		byID[a.Command] = a
	}
	for i := len(r.Log) - 1; i >= 0 && last == nil; i-- {
		a := &r.Log[i]
		switch {
		case undone[a.Command] || a.Elsewhere || !a.own(device, person) || a.Changed == 0 && a.Undoes == "" || a.Do == beginning || bringing[a.Command]:
		case a.Undoes == "":
			last = a
		case back == nil:
			back = a
		}
	}
	return last, back
}

// beginning is the name of Begin: with it the call would be gone.
const beginning = "begin"

// takeBack sets the parts that the action changed to what they would be without it.
func (d *draft) takeBack(a *Action) error {
	d.action.Undoes = a.Command
	var keys []Key
	for _, c := range slices.Backward(a.Changes) {
		if c.Kind.undoable() && !slices.Contains(keys, c.Key) {
			keys = append(keys, c.Key)
		}
	}
	for _, k := range keys {
		states, actions, err := d.r.history(k)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(actions, func(other *Action) bool { return other.Command == a.Command })
		now := d.doc(k)
		if states[i] == nil && k.Kind.stays() {
			if now == nil {
				continue
			}
			out, err := merge.Set(now, "withdrawn", json.RawMessage("true"))
			if err != nil {
				return err
			}
			d.put(k, out)
			continue
		}
		out, err := merge.TakeBack(states[i], states[i+1], now)
		if err != nil {
			return err
		}
		if k.Kind == TheConditions && a.Undoes == "" {
			if out, err = d.r.keepSaid(out); err != nil {
				return err
			}
		}
		d.put(k, out)
	}
	return nil
}

// keepSaid is what is known of the place with what stands there now and the customer
// said too: it rests on that also when somebody of the shop had entered it first.
func (r *Record) keepSaid(document json.RawMessage) (json.RawMessage, error) {
	var k diagnosis.Conditions
	if document != nil {
		if err := json.Unmarshal(document, &k); err != nil {
			return nil, err
		}
	}
	said := visit.Conditions(diagnosis.Conditions{}, r.Answers)
	added := false
	for box, all := range said.Boxes {
		for _, c := range all {
			if slices.Contains(r.Conditions.Boxes[box], c) && !slices.Contains(k.Boxes[box], c) {
				k, added = k.With(box, c), true
			}
		}
	}
	if !added {
		return document, nil
	}
	return json.Marshal(k)
}
