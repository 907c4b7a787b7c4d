package call

import (
	"encoding/json"
	"slices"
	"strings"

	"elvat/core/diagnosis"
	"elvat/core/merge"
	"elvat/core/visit"
)

// Undo takes back the last thing done on the call that is in force, whoever did it:
// what it set and nothing else. What others set since stays, as does what a
// customer said and what was learned of the house.
type Undo struct{}

// Redo brings back what was taken back last, unless something was done since.
type Redo struct{}

func (*Undo) what(*Record) string { return "" } // it says itself what it takes back
func (*Redo) what(*Record) string { return "" }

func (*Undo) decide(d *draft) error {
	last, _ := d.r.Undoable()
	if last == nil {
		return ErrNothingLeft
	}
	d.action.What = "Took back: " + last.What
	return d.takeBack(last)
}

func (*Redo) decide(d *draft) error {
	_, back := d.r.Undoable()
	if back == nil {
		return ErrNothingLeft
	}
	d.action.What = "Brought back: " + strings.TrimPrefix(back.What, "Took back: ")
	return d.takeBack(back)
}

// Undoable is the action that Undo would take back, and the taking back that Redo
// would reverse; nil where there is none.
func (r *Record) Undoable() (last, back *Action) {
	undone := map[string]bool{}
	for i := len(r.Log) - 1; i >= 0; i-- {
		a := &r.Log[i]
		if a.Undoes != "" {
			undone[a.Undoes] = undone[a.Undoes] || !undone[a.Command]
		}
	}
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
		case undone[a.Command] || a.Elsewhere || a.Device == Customer || a.Changed == 0 && a.Undoes == "" || a.Do == beginning || bringing[a.Command]:
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
