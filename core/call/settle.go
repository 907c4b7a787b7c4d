package call

import (
	"encoding/json"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/job"
	"elvat/core/merge"
	"elvat/core/runs"
	"elvat/core/strict"
	"elvat/core/tester"
	"elvat/core/visit"
)

// SettleConflict keeps the value in force, or takes the other.
type SettleConflict struct {
	ID   string `json:"id"`
	Take string `json:"take"` // mine: what is in force; theirs
}

func (*SettleConflict) what(*Record) string { return "chose between two values" }

func (c *SettleConflict) decide(d *draft) error {
	if c.Take != "mine" && c.Take != "theirs" {
		return bad("take: %q is neither mine nor theirs", c.Take)
	}
	i := slices.IndexFunc(d.r.Conflicts, func(k Conflict) bool { return k.ID == c.ID && k.SettledAt == nil })
	if i < 0 {
		return ErrNotFound
	}
	k := d.r.Conflicts[i]
	if c.Take == "theirs" {
		out := k.Theirs
		if k.Path != "" {
			var err error
			if out, err = merge.Set(d.doc(k.Of), k.Path, k.Theirs); err != nil {
				return BadInput{err}
			}
		}
		if err := d.r.checkPart(k.Of, out); err != nil {
			return BadInput{err}
		}
		d.put(k.Of, out)
	}
	k.SettledAt = &d.c.At
	return d.set(Key{AConflict, c.ID}, k)
}

// checkPart reports what cannot be in a part that was set by hand.
func (r *Record) checkPart(k Key, document json.RawMessage) error {
	switch k.Kind {
	case TheRun:
		_, err := circuit.Reopen(document)
		return err
	case TheState:
		_, err := tester.ParseState(document, r.Circuit)
		return err
	case TheConditions:
		var c diagnosis.Conditions
		if err := strict.Unmarshal(document, &c); err != nil {
			return err
		}
		return c.Check(r.Circuit)
	case TheOrder:
		var m runs.Map
		if err := strict.Unmarshal(document, &m); err != nil {
			return err
		}
		return m.Check(r.Circuit)
	case TheDirectory:
		return checkDirectory(document)
	case ABox:
		return checkBox(document)
	case ANewRun:
		return checkNewRun(document)
	case TheAppointment:
		return checkAppointment(document)
	}
	return nil
}

// names are what people call the parts that two can set.
var names = map[Kind]string{
	TheState: "state of the circuit", TheConditions: "place", TheOrder: "order of the boxes", TheRun: "run", TheDirectory: "panel directory", TheCall: "call", ANewRun: "new run", TheAppointment: "appointment", TheQuote: "quote",
}

// Words say what the conflict is about.
func (k *Conflict) Words(c *circuit.Circuit) string {
	words, path := names[k.Of.Kind], k.Path
	if k.Of.Kind == ABox {
		words, path = c.LabelOf(k.Of.ID), strings.TrimPrefix(strings.TrimPrefix(path, "makeup"), ".")
	}
	if path == "" {
		return words
	}
	fields := strings.FieldsFunc(path, func(r rune) bool { return strings.ContainsRune(`.[]"`, r) })
	for i, f := range fields {
		if c.Box(f) != nil {
			fields[i] = c.LabelOf(f)
		}
	}
	return words + ": " + strings.Join(fields, " ")
}

// GiveAnswer keeps what the customer says, and what follows from it.
type GiveAnswer struct {
	ID     string       `json:"id"`
	Answer visit.Answer `json:"answer"`
}

// mostAnswers bounds what one call takes. Assumption.
const mostAnswers = 300

// errOver is said to a customer once the call was handed over: what the report says stands.
var errOver = bad("the work is done, and this link has ended: call the shop")

// HandedOver reports whether the call was handed over.
func (r *Record) HandedOver() bool {
	return slices.ContainsFunc(r.Journal, func(e job.Entry) bool { return e.Kind == job.HandedOver && !e.Withdrawn })
}

func (*GiveAnswer) what(*Record) string { return "answer of the customer" }

func (c *GiveAnswer) decide(d *draft) error {
	if err := CheckID(c.ID); err != nil {
		return BadInput{err}
	}
	k := Key{AnAnswer, c.ID}
	if d.doc(k) != nil {
		return nil // it was sent before
	}
	if d.r.HandedOver() {
		return errOver
	}
	if err := c.Answer.Check(d.r.Circuit, d.house.Guards); err != nil {
		return BadInput{err}
	}
	if err := visit.Allowed(d.r.said(), c.Answer); err != nil {
		return BadInput{err}
	}
	if len(d.r.Answers) >= mostAnswers {
		return bad("that is all this link can take: call the shop")
	}
	if err := d.set(k, answerPart{d.c.At, c.Answer}); err != nil {
		return err
	}
	return d.followAnswers(append(slices.Clone(d.r.Answers), c.Answer))
}

// followAnswers enters the answers as evidence: readings for what was said of
// outlets and resets, the latest of each in force, and conditions of the place.
func (d *draft) followAnswers(answers []visit.Answer) error {
	known := d.r.Conditions
	before, err := json.Marshal(known)
	if err != nil {
		return err
	}
	conditions, err := json.Marshal(visit.Conditions(known, answers))
	if err != nil {
		return err
	}
	if string(before) != string(conditions) {
		d.put(Key{Kind: TheConditions}, conditions)
	}
	kept := make([]visit.Kept, len(d.r.Readings))
	for i, r := range d.r.Readings {
		kept[i] = visit.Kept{ID: r.ID, Document: string(r.Document), Withdrawn: r.Overtaken}
	}
	enter, withdraw, err := visit.Follow(d.r.ID, visit.Readings(d.house.Guards, answers), kept)
	if err != nil {
		return err
	}
	yes := true
	for _, id := range withdraw {
		if err := d.mark(Key{AReading, id}, "overtaken", &yes); err != nil {
			return err
		}
	}
	for _, w := range enter {
		document, err := json.Marshal(w.Reading)
		if err != nil {
			return err
		}
		if err := d.addReading(w.ID, document); err != nil {
			return err
		}
	}
	return nil
}
