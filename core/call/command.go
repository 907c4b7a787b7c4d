package call

import (
	"encoding/json"
	"errors"
	"fmt"
	"hash/fnv"
	"slices"
	"strings"
	"time"

	"elvat/core/circuit"
	"elvat/core/job"
	"elvat/core/strict"
)

// A Command is something that somebody wants done on a call.
type Command struct {
	ID     string    // made anew for each by who asks; it is carried out once
	At     time.Time // when it was done, by the server's clock
	Seen   int64     // version of the record that was on the screen; 0: not said
	Device string    // which browser; "" where it does not say
	Person string    // signed in; "" where nobody has to
	Role   job.Role  // of the person; "" where nobody has to sign in
	// Program: a program does it, with a token of the person's. Decider took it on, where it waited
	// for a decision; "" where it did not.
	Program bool
	Decider string
	Do      Doing
}

// Customer is the device of who answers through a customer's link.
const Customer = "customer"

// A Doing is one kind of thing that can be done on a call: one type for each.
type Doing interface {
	// what says in a few words what is done.
	what(r *Record) string
	// decide works it out on the draft.
	decide(d *draft) error
}

// doings are all kinds by the names that commands and the log have for them.
var doings = map[string]func() Doing{
	"begin":             func() Doing { return &Begin{} },
	"rename":            func() Doing { return &Rename{} },
	"read-cautions":     func() Doing { return &ReadCautions{} },
	"replace-run":       func() Doing { return &ReplaceRun{} },
	"set-breaker":       func() Doing { return &SetBreaker{} },
	"add-stop":          func() Doing { return &AddStop{} },
	"change-stop":       func() Doing { return &ChangeStop{} },
	"remove-stop":       func() Doing { return &RemoveStop{} },
	"add-load":          func() Doing { return &AddLoad{} },
	"remove-load":       func() Doing { return &RemoveLoad{} },
	"add-reading":       func() Doing { return &AddReading{} },
	"mark-reading":      func() Doing { return &MarkReading{} },
	"set-state":         func() Doing { return &SetState{} },
	"set-conditions":    func() Doing { return &SetConditions{} },
	"set-order":         func() Doing { return &SetOrder{} },
	"set-changed":       func() Doing { return &SetChanged{} },
	"set-box":           func() Doing { return &SetBox{} },
	"set-steps":         func() Doing { return &SetSteps{} },
	"make-up":           func() Doing { return &MakeUp{} },
	"add-entry":         func() Doing { return &AddEntry{} },
	"mark-entry":        func() Doing { return &MarkEntry{} },
	"set-directory":     func() Doing { return &SetDirectory{} },
	"add-picture":       func() Doing { return &AddPicture{} },
	"mark-picture":      func() Doing { return &MarkPicture{} },
	"use-part":          func() Doing { return &UsePart{} },
	"answer":            func() Doing { return &GiveAnswer{} },
	"tell-hazard":       func() Doing { return &TellHazard{} },
	"looked-at":         func() Doing { return &LookedAt{} },
	"settle-conflict":   func() Doing { return &SettleConflict{} },
	"set-appointment":   func() Doing { return &SetAppointment{} },
	"keep-quote":        func() Doing { return &KeepQuote{} },
	"accept-quote":      func() Doing { return &AcceptQuote{} },
	"mark-clock":        func() Doing { return &MarkClock{} },
	"set-new-run":       func() Doing { return &SetNewRun{} },
	"remove-new-run":    func() Doing { return &RemoveNewRun{} },
	"set-new-run-steps": func() Doing { return &SetNewRunSteps{} },
	"accept-in-new-run": func() Doing { return &AcceptInRun{} },
	"lay-run":           func() Doing { return &LayRun{} },
	"do-in-drill":       func() Doing { return &DoInDrill{} },
	"undo":              func() Doing { return &Undo{} },
	"redo":              func() Doing { return &Redo{} },
}

// Name is what commands and the log call a doing.
func Name(d Doing) string {
	for name, make := range doings {
		if fmt.Sprintf("%T", make()) == fmt.Sprintf("%T", d) {
			return name
		}
	}
	return ""
}

// Fix makes a doing say by itself what it would otherwise find out when it is carried out:
// names for what it adds, with the mark of the device, and what it takes back. Carried out
// later, on a record that others have changed meanwhile, it is the same doing.
func Fix(c *Command, r *Record) {
	name := func(names *circuit.Names, add func(*circuit.Circuit) error) {
		if after := r.Circuit.Clone(); *names == nil && add(after) == nil {
			*names = r.Circuit.Made(after, mark(c.Device))
		}
	}
	last, back := r.Undoable(c.Device, c.Person)
	switch do := c.Do.(type) {
	case *AddStop:
		name(&do.Names, func(run *circuit.Circuit) error { return run.AddStop(do.stop()) })
	case *ChangeStop:
		name(&do.Names, func(run *circuit.Circuit) error { return run.ChangeStop(do.Box, do.change()) })
	case *AddLoad:
		name(&do.Names, func(run *circuit.Circuit) error { return run.AddLoad(do.At, do.Half, do.Watts) })
	case *Undo:
		if do.Of == "" && last != nil {
			do.Of = last.Command
		}
	case *Redo:
		if do.Of == "" && back != nil {
			do.Of = back.Command
		}
	}
}

// mark is what names made on a device end with: three letters.
func mark(device string) string {
	sum := fnv.New32a()
	sum.Write([]byte(device))
	n := sum.Sum32()
	return string([]byte{'a' + byte(n%26), 'a' + byte(n/26%26), 'a' + byte(n/676%26)})
}

// Words say in a few words what is done, on the record where it is to be done.
func Words(d Doing, r *Record) string { return d.what(r) }

// Names are those of all doings, in their order.
func Names() []string {
	var all []string
	for name := range doings {
		all = append(all, name)
	}
	slices.Sort(all)
	return all
}

// ParseDoing reads a doing as it is sent: its name under "do", and beside it what
// it needs. Errors name the field.
func ParseDoing(data []byte) (Doing, error) {
	var all map[string]json.RawMessage
	if err := strict.Unmarshal(data, &all); err != nil {
		return nil, err
	}
	var name string
	if err := json.Unmarshal(all["do"], &name); err != nil {
		return nil, fmt.Errorf("do: one of %q", Names())
	}
	make, ok := doings[name]
	if !ok {
		return nil, fmt.Errorf("do: %q is none of %q", name, Names())
	}
	delete(all, "do")
	rest, err := json.Marshal(all)
	if err != nil {
		return nil, err
	}
	doing := make()
	return doing, strict.Unmarshal(rest, doing)
}

// FormatDoing is the doing as ParseDoing reads it.
func FormatDoing(d Doing) ([]byte, error) {
	fields, err := json.Marshal(d)
	if err != nil {
		return nil, err
	}
	all := map[string]json.RawMessage{}
	if err := json.Unmarshal(fields, &all); err != nil {
		return nil, err
	}
	if all["do"], err = json.Marshal(Name(d)); err != nil {
		return nil, err
	}
	return json.Marshal(all)
}

// CheckID reports an id that cannot be a command's.
func CheckID(id string) error {
	if n := len(id); n < 8 || n > 64 || strings.ContainsFunc(id, func(r rune) bool { return r < ' ' || r > '~' }) {
		return errors.New("id: between 8 and 64 plain characters, made anew for each entry")
	}
	return nil
}

// An Action is a command that was carried out: what it set, and from what.
type Action struct {
	ID        int64     `json:"id"`      // given when it is kept, in the order of arrival; the version after it
	Command   string    `json:"command"` // its id
	Do        string    `json:"do"`      // its name
	What      string    `json:"what"`    // in a few words
	Device    string    `json:"device,omitempty"`
	Person    string    `json:"person,omitempty"`
	At        time.Time `json:"at"` // when it was done
	ArrivedAt time.Time `json:"arrivedAt,omitzero"`
	Undoes    string    `json:"undoes,omitempty"`    // a command's id
	Changed   int       `json:"changed"`             // how many places it set
	Elsewhere bool      `json:"elsewhere,omitempty"` // not on this call: it set the directory of the house
	Changes   []Change  `json:"changes,omitempty"`
}

// Name is what people call who did it.
func (a *Action) Name() string { return nameOf(a.Device, a.Person) }

func nameOf(device, person string) string {
	switch {
	case person != "":
		return person
	case device != "":
		return "device " + device[:min(len(device), 4)]
	}
	return "another device"
}

// Errors of Decide. A badInput is for who asks to mend; the place is named first.
var (
	ErrNothingLeft   = errors.New("there is nothing left to take back")
	ErrUsedElsewhere = errors.New("this id was used for something else: each thing that is done needs one of its own")
	ErrNotFound      = errors.New("there is no such thing on this call")
)

// BadInput is what cannot be right.
type BadInput struct{ error }

// Unwrap is what is wrong.
func (b BadInput) Unwrap() error { return b.error }

func bad(format string, args ...any) error { return BadInput{fmt.Errorf(format, args...)} }

// GateShut is refused because facts are missing.
type GateShut struct {
	Gate  job.Gate
	Label string // of the box; "" for the whole call
}

func (g GateShut) Error() string {
	where := g.Label
	if where != "" {
		where += ": "
	}
	text := where + "not yet"
	for i, m := range g.Gate.Missing {
		if i == 0 {
			text += ": "
		} else {
			text += "; "
		}
		text += m
	}
	return text + ". A named qualified person can pass the gate with a reason, which is recorded and printed."
}

// NotAllowed is refused because of who asks.
type NotAllowed struct {
	Role    job.Role
	Needs   job.Access
	Program bool
}

func (n NotAllowed) Error() string {
	if n.Needs == job.Pass && n.Program {
		return "a gate is passed by a qualified person only: not by a program, whoever gave it its token"
	}
	if n.Needs == job.Pass {
		return fmt.Sprintf("a gate is passed by a qualified person only: not as %s", n.Role)
	}
	return fmt.Sprintf("not as %s: ask an electrician of the shop", n.Role)
}
