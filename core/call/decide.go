package call

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"elvat/core/circuit"
	"elvat/core/forecast"
	"elvat/core/job"
	"elvat/core/merge"
	"elvat/core/practice"
	"elvat/core/strict"
	"elvat/core/supply"
	"elvat/core/visit"
)

// A House is what lies beside the record, and what some commands need of it.
type House struct {
	Shop  practice.Shop
	Stock []supply.Stocked // of the vans
	// Guards are the GFCIs that the site book knows in the house, those of the run first.
	Guards []visit.Guard
	// Cause is what the call says was wrong, with what speaks for it. It is asked
	// only for what is made up: it takes a diagnosis.
	Cause func() (words string, evidence []string, err error)
	// Expected is how long the call is expected to take. It is asked only when somebody arrives.
	Expected func() (forecast.Minutes, error)
}

// Decide works out what a command sets on the record, and the record as it is
// afterwards; r itself is not changed. The action is nil, and the record the same,
// where the command was carried out before, or sets nothing. A refusal is a
// BadInput, a GateShut, a NotAllowed, ErrNothingLeft, ErrUsedElsewhere or ErrNotFound.
func (r *Record) Decide(c Command, h House) (*Record, *Action, error) {
	a, err := r.decide(c, h)
	if err != nil || a == nil {
		return r, nil, err
	}
	next, err := r.With(*a)
	if err != nil {
		// What is set does not go with what others set: it cannot be.
		return r, nil, BadInput{err}
	}
	if err := next.maySet(r, &c); err != nil {
		return r, nil, err
	}
	if err := next.bounded(r, a); err != nil && !handsOver(c.Do) {
		return r, nil, BadInput{err}
	}
	return next, a, nil
}

// Bounds of what lies on one call: a long one has some hundred parts. Assumption.
const (
	MostParts   = 5000
	MostActions = 10_000
	MostBytes   = 16 << 20 // of all its documents
	MostRun     = 2 << 20  // of its run
	MostPart    = 256 << 10
)

// bounded reports what the action made too long or too many. What was so before stays as
// it is until it is set anew.
func (r *Record) bounded(before *Record, a *Action) error {
	switch {
	case len(r.all) > MostParts && len(r.all) > len(before.all):
		return fmt.Errorf("this call holds %d things, and takes no more: hand it over and begin another", len(before.all))
	case len(r.Log) > MostActions:
		return fmt.Errorf("%d things were done on this call, and it takes no more: hand it over and begin another", len(before.Log))
	}
	var touched []Key
	for _, c := range a.Changes {
		if slices.Contains(touched, c.Key) {
			continue
		}
		touched = append(touched, c.Key)
		document := r.parts[c.Key].Document
		if document == nil || strict.Bounded(before.parts[c.Key].Document) != nil {
			continue
		}
		if err := strict.Bounded(document); err != nil {
			return err
		}
		most := MostPart
		if c.Kind == TheRun {
			most = MostRun
		}
		if len(document) > most && len(document) > len(before.parts[c.Key].Document) {
			return fmt.Errorf("%s %s: %d kB are too many; at most %d", c.Kind, c.ID, len(document)>>10, most>>10)
		}
	}
	if now := r.bytes(); now > MostBytes && now > before.bytes() {
		return fmt.Errorf("what lies on this call comes to %d MB, and it takes no more: hand it over and begin another", MostBytes>>20)
	}
	return nil
}

func (r *Record) bytes() int {
	n := 0
	for i := range r.all {
		n += len(r.all[i].Document)
	}
	return n
}

// handsOver reports that a call is ended, which a full one can be too.
func handsOver(do Doing) bool {
	entry, ok := do.(*AddEntry)
	return ok && entry.Entry.Kind == job.HandedOver
}

// decide is what the command sets; nil where that is nothing.
func (r *Record) decide(c Command, h House) (*Action, error) {
	name := Name(c.Do)
	if name == "" {
		return nil, bad("do: nothing is to be done")
	}
	for i := range r.Log {
		if c.ID == "" || r.Log[i].Command != c.ID {
			continue
		}
		if r.Log[i].Do != name || r.Log[i].Elsewhere {
			return nil, ErrUsedElsewhere
		}
		return nil, nil
	}
	d := &draft{r: r, c: &c, house: &h, docs: map[Key]json.RawMessage{}}
	a := &Action{Command: c.ID, Do: name, Device: c.Device, Person: c.Person, At: c.At}
	d.action = a
	if err := c.Do.decide(d); err != nil {
		return nil, err
	}
	if a.What == "" {
		a.What = c.Do.what(r)
	}
	var err error
	if a.Changes, err = d.changes(); err != nil {
		return nil, err
	}
	a.Changed = len(a.Changes)
	if a.Changed == 0 && a.Undoes == "" {
		return nil, nil
	}
	return a, nil
}

// maySet refuses what the person may not bring about, by whatever command and however it
// comes: an entry that is in force now and was not, what a qualified person says of a new run,
// and a gate that stands open on
// somebody's word now and was shut, as when what had shut it is taken back.
func (r *Record) maySet(before *Record, c *Command) error {
	if c.Role == "" {
		return nil
	}
	if !c.Role.May(job.Pass) && r.passed(before) {
		return NotAllowed{c.Role, job.Pass, c.Program}
	}
	for i := range r.NewRuns {
		if n := &r.NewRuns[i]; !c.Role.May(job.Pass) && n.tookOn(before.NewRun(n.ID)) {
			return NotAllowed{c.Role, job.Pass, c.Program}
		}
	}
	inForce := map[string]bool{}
	for i, e := range before.Journal {
		inForce[before.EntryIDs[i]] = !e.Withdrawn
	}
	for i := range r.Journal {
		e := &r.Journal[i]
		if needs := e.Needs(); !e.Withdrawn && !inForce[r.EntryIDs[i]] && !c.Role.May(needs) {
			return NotAllowed{c.Role, needs, c.Program}
		}
	}
	return nil
}

// passed reports a gate of a box that an override opens now and did not before.
func (r *Record) passed(before *Record) bool {
	var seen []string
	for i := range r.Journal {
		e := &r.Journal[i]
		if e.Kind != job.Override || e.Withdrawn || e.Box == "" || slices.Contains(seen, e.Box) {
			continue
		}
		seen = append(seen, e.Box)
		was, now := before.Journal.BoxGates(before.Circuit, e.Box), r.Journal.BoxGates(r.Circuit, e.Box)
		for k := range now {
			if now[k].Open && now[k].By != nil && !was[k].Open {
				return true
			}
		}
	}
	return false
}

// With is the record after the action.
func (r *Record) With(a Action) (*Record, error) {
	docs := map[Key]json.RawMessage{}
	parts := slices.Clone(r.all)
	n := 0
	for _, p := range parts {
		docs[p.Key] = p.Document
		n = max(n, p.N)
	}
	var touched []Key
	for _, c := range a.Changes {
		if !slices.Contains(touched, c.Key) {
			touched = append(touched, c.Key)
		}
		doc, err := merge.Apply(docs[c.Key], []merge.Change{c.Change})
		if err != nil {
			return nil, fmt.Errorf("%s %s: %w", c.Kind, c.ID, err)
		}
		docs[c.Key] = doc
	}
	for _, k := range touched {
		i := slices.IndexFunc(parts, func(p Part) bool { return p.Key == k })
		switch {
		case docs[k] == nil && i >= 0:
			parts = slices.Delete(parts, i, i+1)
		case docs[k] == nil:
		case i >= 0:
			parts[i].Document = docs[k]
		default:
			n++
			parts = append(parts, Part{k, n, docs[k]})
		}
	}
	next, err := Open(r.ID, parts, append(slices.Clip(r.Log), a))
	if err != nil {
		return nil, err
	}
	if next.Circuit == nil {
		return nil, errors.New("run: there is none")
	}
	return next, nil
}

// A draft is a record on which a command is worked out.
type draft struct {
	r      *Record
	c      *Command
	house  *House
	action *Action
	docs   map[Key]json.RawMessage // that were set; nil: taken away
	order  []Key                   // in which they were set
}

// doc is a part as it is now; nil where there is none.
func (d *draft) doc(k Key) json.RawMessage {
	if doc, ok := d.docs[k]; ok {
		return doc
	}
	return d.r.parts[k].Document
}

// put sets a part; nil takes it away.
func (d *draft) put(k Key, doc json.RawMessage) {
	if _, ok := d.docs[k]; !ok {
		d.order = append(d.order, k)
	}
	d.docs[k] = doc
}

func (d *draft) set(k Key, v any) error {
	doc, err := json.Marshal(v)
	if err == nil {
		d.put(k, doc)
	}
	return err
}

// changes are what the draft sets, place by place.
func (d *draft) changes() ([]Change, error) {
	var all []Change
	for _, k := range d.order {
		places, err := merge.Diff(d.r.parts[k].Document, d.docs[k])
		if err != nil {
			return nil, fmt.Errorf("%s %s: %w", k.Kind, k.ID, err)
		}
		for _, p := range places {
			all = append(all, Change{k, p})
		}
	}
	return all, nil
}

// run is the run as the draft has it.
func (d *draft) run() (*circuit.Circuit, error) {
	if _, set := d.docs[Key{Kind: TheRun}]; !set {
		return d.r.Circuit, nil
	}
	return circuit.Reopen(d.docs[Key{Kind: TheRun}])
}

// holds checks a fact against the run as it is, or else as its maker had it before them: it is
// one still, though the outlet was taken off meanwhile.
func (d *draft) holds(check func(*circuit.Circuit) error) error {
	now, err := d.run()
	if err != nil {
		return err
	}
	wrong := check(now)
	if wrong == nil {
		return nil
	}
	seen, since, err := d.r.asSeen(Key{Kind: TheRun}, d.c)
	if err != nil {
		return err
	}
	if since != nil {
		then, err := circuit.Reopen(seen)
		if err != nil {
			return err
		}
		if check(then) == nil {
			return nil
		}
	}
	return BadInput{wrong}
}

// edit changes the run as it is now; what others set differently meanwhile is
// noted as a conflict.
func (d *draft) edit(change func(*circuit.Circuit) error) error {
	k := Key{Kind: TheRun}
	before := d.doc(k)
	c, err := circuit.Reopen(before)
	if err != nil {
		return err
	}
	if err := change(c); err != nil {
		return BadInput{err}
	}
	after, err := c.Encode()
	if err != nil {
		return err
	}
	d.put(k, after)
	base, since, err := d.r.asSeen(k, d.c)
	if err != nil || since == nil {
		return err
	}
	mine, err := circuit.Reopen(base)
	if err != nil {
		return nil // it can be read no more: there is nothing to hold the change against
	}
	if err := change(mine); err != nil {
		return nil // what was changed was not there then: nobody else can have set it
	}
	document, err := mine.Encode()
	if err != nil {
		return err
	}
	_, conflicts, err := merge.Three(base, before, document)
	if err != nil {
		return err
	}
	return d.disagree(k, since, conflicts)
}

// mergePart sets something in a part as its screen had it, joined with what others set since.
func mergePart[T any](d *draft, k Key, check func([]byte) error, set func(*T)) error {
	base, since, err := d.r.asSeen(k, d.c)
	if err != nil {
		return err
	}
	if since == nil {
		base = d.doc(k)
	}
	var mine T
	if len(base) > 0 {
		if err := json.Unmarshal(base, &mine); err != nil {
			return err
		}
	}
	set(&mine)
	document, err := json.Marshal(mine)
	if err != nil {
		return err
	}
	return d.merge(k, document, check)
}

// merge sets a part as a whole: joined with what others set since the screen was
// looked at. What both set is kept as a conflict, with mine in force; where the two
// do not go together, mine stands as a whole.
func (d *draft) merge(k Key, mine json.RawMessage, check func([]byte) error) error {
	theirs := d.doc(k)
	shown, err := d.r.shown(k, d.c)
	if err != nil {
		return err
	}
	out := mine
	if d.c.Seen != 0 {
		// Also what the same device set in between: the screen did not show it yet.
		if out, _, err = merge.Three(shown, theirs, mine); err != nil {
			return BadInput{err}
		}
	}
	base, since, err := d.r.asSeen(k, d.c)
	if err != nil {
		return err
	}
	var conflicts []merge.Conflict
	if since != nil {
		if _, conflicts, err = merge.Three(base, theirs, mine); err != nil {
			return BadInput{err}
		}
	}
	if err := check(out); err != nil {
		out = mine
		if since != nil {
			conflicts = []merge.Conflict{{Theirs: theirs, Mine: mine}}
		}
	}
	d.put(k, out)
	return d.disagree(k, since, conflicts)
}

// shown is a part as it was at the version that was on the command's screen.
func (r *Record) shown(k Key, c *Command) ([]byte, error) {
	states, actions, err := r.history(k)
	if err != nil {
		return nil, err
	}
	for i, a := range actions {
		if a.ID > c.Seen || a.ID == 0 {
			return states[i], nil
		}
	}
	return states[len(states)-1], nil
}

// disagree keeps conflicts to be settled.
func (d *draft) disagree(k Key, since *Action, conflicts []merge.Conflict) error {
	for _, c := range conflicts {
		kept := Conflict{
			Of:        k,
			Path:      c.Path,
			Theirs:    c.Theirs,
			Mine:      c.Mine,
			TheirName: since.Name(),
			MyName:    nameOf(d.c.Device, d.c.Person),
			At:        d.c.At,
		}
		if err := d.set(Key{AConflict, fmt.Sprintf("%s-%d", d.c.ID, len(d.order))}, kept); err != nil {
			return err
		}
	}
	return nil
}

// asSeen is a part as the command's maker had it before them: as it is now,
// without what other devices set since; and which of them changed it last, nil
// where none did.
func (r *Record) asSeen(k Key, c *Command) (doc []byte, since *Action, err error) {
	if c.Seen == 0 {
		return nil, nil, nil
	}
	states, actions, err := r.history(k)
	if err != nil {
		return nil, nil, err
	}
	doc = r.parts[k].Document
	for i := len(actions) - 1; i >= 0; i-- {
		a := actions[i]
		if a.ID <= c.Seen && a.ID != 0 || a.Device == c.Device {
			continue
		}
		if since == nil {
			since = a
		}
		if doc, err = merge.TakeBack(states[i], states[i+1], doc); err != nil {
			return nil, nil, err
		}
	}
	return doc, since, nil
}

// history is a part before each of the actions that changed it, and as it is now.
func (r *Record) history(k Key) (states [][]byte, actions []*Action, err error) {
	states = [][]byte{r.parts[k].Document}
	for i := len(r.Log) - 1; i >= 0; i-- {
		a := &r.Log[i]
		var places []merge.Change
		for _, c := range a.Changes {
			if c.Key == k {
				places = append(places, c.Change)
			}
		}
		if len(places) == 0 {
			continue
		}
		before, err := merge.Apply(states[0], merge.Inverses(places))
		if err != nil {
			return nil, nil, err
		}
		states, actions = slices.Insert(states, 0, before), slices.Insert(actions, 0, a)
	}
	return states, actions, nil
}

// gates of a box that are shut.
func (r *Record) shut(box string) []job.Gate {
	var all []job.Gate
	for _, g := range r.Journal.BoxGates(r.Circuit, box) {
		if !g.Open {
			all = append(all, g)
		}
	}
	return all
}
