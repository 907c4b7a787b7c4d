package server

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"elvat/core/circuit"
	"elvat/core/job"
	"elvat/core/makeup"
	"elvat/core/merge"
	"elvat/core/runs"
	"elvat/core/strict"
	"elvat/core/tester"
	"elvat/internal/api"
	"elvat/internal/store"
)

// A caller is who a request comes from.
type caller struct {
	device string // which browser, as it names itself; "" where it does not
	seen   int64  // version of the call that was on its screen; 0: not said
	person string // signed in; "" where nobody has to
	// command is the id of what is asked for, made by the browser; "" where it
	// names none. made is when it was done there, by this machine's clock.
	command string
	made    time.Time
	role    job.Role
}

type callerKey struct{}

func callerOf(ctx context.Context) caller {
	c, _ := ctx.Value(callerKey{}).(caller)
	return c
}

// name is how the caller's changes are told from another's.
func (c caller) name() string {
	switch {
	case c.person != "":
		return c.person
	case c.device != "":
		return "device " + c.device[:min(len(c.device), 4)]
	}
	return "another device"
}

// act does something on a call as one action, which can be taken back.
func (s *calls) act(ctx context.Context, call int64, what string, do func(context.Context) error) error {
	if err := s.store.Do(ctx, s.action(ctx, call, what), do); err != nil {
		return err
	}
	s.freshener.ask()
	return nil
}

func (s *calls) action(ctx context.Context, call int64, what string) store.Action {
	by := callerOf(ctx)
	a := store.Action{Call: call, What: what, Device: by.device, Person: by.person, At: s.now()}
	if call != 0 {
		a.Command = by.command
	}
	return a
}

// at is when what is asked for was done: offline that may be long before it arrives.
func (s *calls) at(ctx context.Context) time.Time {
	if made := callerOf(ctx).made; !made.IsZero() {
		return made
	}
	return s.now()
}

// change does something on a call and shows the call.
func (s *calls) change(ctx context.Context, call int64, what string, do func(context.Context) error) (api.CallNowJSONResponse, error) {
	if err := s.act(ctx, call, what, do); err != nil {
		return api.CallNowJSONResponse{}, err
	}
	return s.callNow(ctx, call)
}

// changeWork does something on a call and shows its work.
func (s *calls) changeWork(ctx context.Context, call int64, what string, do func(context.Context) error) (api.WorkNowJSONResponse, error) {
	if err := s.act(ctx, call, what, do); err != nil {
		return api.WorkNowJSONResponse{}, err
	}
	return s.workNow(ctx, call)
}

// changeBox does something on a call and shows one of its boxes.
func (s *calls) changeBox(ctx context.Context, call int64, box, what string, do func(context.Context) error) (api.BoxNowJSONResponse, error) {
	if err := s.act(ctx, call, what, do); err != nil {
		return api.BoxNowJSONResponse{}, err
	}
	return s.boxNow(ctx, call, box)
}

// A document is something that is set as a whole, and merged where two devices
// set it.
type document struct {
	call   int64
	kind   string // table
	key    []any
	column string
	words  string // what people call it
	check  func([]byte) error
}

// merged is mine joined with what other devices set since the caller looked;
// what both set is kept as a conflict, with mine in force. Where the two do not
// go together, mine stands as a whole.
func (s *calls) merged(ctx context.Context, d document, theirs, mine []byte) ([]byte, error) {
	by := callerOf(ctx)
	if by.seen == 0 {
		return mine, nil
	}
	base, since, err := s.store.AsOf(ctx, d.kind, d.key, d.column, by.seen, by.device)
	if err != nil || since == nil {
		return mine, err
	}
	out, conflicts, err := merge.Three(base, theirs, mine)
	if err != nil {
		return nil, err
	}
	if err := d.check(out); err != nil {
		out, conflicts = mine, []merge.Conflict{{Theirs: theirs, Mine: mine}}
	}
	return out, s.keepConflicts(ctx, d.call, d.words, since, conflicts)
}

func (s *calls) keepConflicts(ctx context.Context, call int64, words string, since *store.Action, conflicts []merge.Conflict) error {
	for _, c := range conflicts {
		kept := store.Conflict{
			Call: call, At: s.now(), Document: words, Path: c.Path, Theirs: c.Theirs, Mine: c.Mine,
			TheirName: caller{device: since.Device, person: since.Person}.name(), MyName: callerOf(ctx).name(),
		}
		if err := s.store.AddConflict(ctx, kept); err != nil {
			return err
		}
	}
	return nil
}

// runConflicts finds what of the run both the caller and another device set
// since the caller looked. Changes of the run are made on it as it is now, so
// different ones need no merging.
func (s *calls) runConflicts(ctx context.Context, call int64, before, after []byte, change func(*circuit.Circuit) error) error {
	by := callerOf(ctx)
	if by.seen == 0 {
		return nil
	}
	base, since, err := s.store.CircuitAsOf(ctx, call, by.seen, by.device)
	if err != nil || since == nil || base == nil {
		return err
	}
	c, err := circuit.Parse(base)
	if err != nil {
		return nil // it can be read no more: there is nothing to hold the change against
	}
	if err := change(c); err != nil {
		return nil // what was changed was not there then: nobody else can have set it
	}
	mine, err := c.Encode()
	if err != nil {
		return err
	}
	_, conflicts, err := merge.Three(base, before, mine)
	if err != nil {
		return err
	}
	return s.keepConflicts(ctx, call, "run", since, conflicts)
}

// The documents that can be merged, by what people call them.
const (
	theState      = "state of the circuit"
	theConditions = "place"
	theOrder      = "order of the boxes"
	theRun        = "run"
	theDirectory  = "panel directory"
	theCall       = "call"
	aBox          = "box "
)

func (s *calls) documentOf(c *circuit.Circuit, call store.Call, words string) document {
	d := document{call: call.ID, kind: "calls", key: []any{call.ID}, words: words}
	switch words {
	case theState:
		d.column, d.check = "state", func(data []byte) error {
			state, err := tester.ParseState(data, c)
			if err == nil && state != nil {
				_, err = state.On(c)
			}
			return err
		}
	case theConditions:
		d.column, d.check = "conditions", func(data []byte) error {
			var k api.Conditions
			if err := strict.Unmarshal(data, &k); err != nil {
				return err
			}
			return k.Check(c)
		}
	case theOrder:
		d.column, d.check = "map", func(data []byte) error {
			var m runs.Map
			if err := strict.Unmarshal(data, &m); err != nil {
				return err
			}
			return m.Check(c)
		}
	}
	return d
}

// boxDocument is a recorded box.
func boxDocument(call int64, box string) document {
	return document{call: call, kind: "boxes", key: []any{call, box}, column: "document", words: aBox + box, check: func(data []byte) error {
		_, err := makeup.Parse(data)
		return err
	}}
}

// directoryDocument is the directory of a panel.
func directoryDocument(call, panel int64) document {
	return document{call: call, kind: "panels", key: []any{panel}, column: "directory", words: theDirectory, check: func(data []byte) error {
		var d job.Directory
		if err := strict.Unmarshal(data, &d); err != nil {
			return err
		}
		return d.Check()
	}}
}

// SettleConflict keeps the value in force, or takes the other.
func (s *calls) SettleConflict(ctx context.Context, r api.SettleConflictRequestObject) (api.SettleConflictResponseObject, error) {
	if !r.Body.Take.Valid() {
		return nil, badInput{fmt.Errorf("take: %q is neither mine nor theirs", r.Body.Take)}
	}
	err := s.act(ctx, r.Call, "chose between two values", func(ctx context.Context) error {
		all, err := s.store.Conflicts(ctx, r.Call)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(all, func(c store.Conflict) bool { return c.ID == r.Conflict })
		if i < 0 {
			return store.ErrNotFound
		}
		if r.Body.Take == api.Theirs {
			if err := s.takeTheirs(ctx, all[i]); err != nil {
				return err
			}
		}
		return s.store.SettleConflict(ctx, r.Call, r.Conflict, s.now())
	})
	if err != nil {
		return nil, err
	}
	now, err := s.callNow(ctx, r.Call)
	return api.SettleConflict200JSONResponse{CallNowJSONResponse: now}, err
}

// takeTheirs puts the other value in force.
func (s *calls) takeTheirs(ctx context.Context, k store.Conflict) error {
	c, err := s.circuit(ctx, k.Call)
	if err != nil {
		return err
	}
	call, err := s.store.Call(ctx, k.Call)
	if err != nil {
		return err
	}
	put := func(now []byte) ([]byte, error) {
		out, err := merge.Set(now, k.Path, k.Theirs)
		if err != nil {
			return nil, badInput{err}
		}
		return out, nil
	}
	switch {
	case k.Document == theRun:
		revision, err := s.store.Circuit(ctx, k.Call)
		if err != nil {
			return err
		}
		out, err := put(revision.Document)
		if err != nil {
			return err
		}
		if _, err := circuit.Parse(out); err != nil {
			return badInput{err}
		}
		return s.store.AddCircuit(ctx, k.Call, out, s.at(ctx))
	case k.Document == theDirectory:
		panel, err := s.store.PanelOfRun(ctx, call.Run)
		if err != nil {
			return err
		}
		out, err := put(panel.Directory)
		if err != nil {
			return err
		}
		return s.store.SetDirectory(ctx, panel.ID, out)
	case k.Document == theCall:
		var text string
		if err := json.Unmarshal(k.Theirs, &text); err != nil {
			return err
		}
		if k.Path == "title" {
			call.Title = text
		} else {
			call.Complaint = text
		}
		return s.store.UpdateCall(ctx, call)
	case strings.HasPrefix(k.Document, aBox):
		box := strings.TrimPrefix(k.Document, aBox)
		kept, err := s.store.Box(ctx, k.Call, box)
		if err != nil {
			return err
		}
		out, err := put(kept.Document)
		if err != nil {
			return err
		}
		if err := boxDocument(k.Call, box).check(out); err != nil {
			return badInput{err}
		}
		return s.store.SetBox(ctx, k.Call, box, out)
	}
	now, set := call.State, s.store.SetState
	switch k.Document {
	case theConditions:
		now, set = call.Conditions, s.store.SetConditions
	case theOrder:
		now, set = call.Map, s.store.SetMap
	}
	out, err := put(now)
	if err != nil {
		return err
	}
	if err := s.documentOf(c, call, k.Document).check(out); err != nil {
		return badInput{err}
	}
	return set(ctx, k.Call, out)
}

// conflicts are those of the call that wait to be settled, in words.
func (s *calls) conflicts(ctx context.Context, c *circuit.Circuit, call int64) ([]api.DataConflict, error) {
	kept, err := s.store.Conflicts(ctx, call)
	all := []api.DataConflict{}
	for _, k := range kept {
		words := k.Document
		if box, ok := strings.CutPrefix(words, aBox); ok {
			words = c.LabelOf(box)
		}
		if k.Path != "" {
			words += ": " + pathWords(c, k.Path)
		}
		all = append(all, api.DataConflict{Id: k.ID, At: k.At, Words: words, Theirs: said(k.Theirs), Mine: said(k.Mine), TheirName: k.TheirName, MyName: k.MyName})
	}
	return all, err
}

// pathWords is a place in a document as people say it: boxes are called by their label.
func pathWords(c *circuit.Circuit, path string) string {
	fields := strings.FieldsFunc(path, func(r rune) bool { return strings.ContainsRune(`.[]"`, r) })
	for i, f := range fields {
		if c.Box(f) != nil {
			fields[i] = c.LabelOf(f)
		}
	}
	return strings.Join(fields, " ")
}

// said is a value as people write it.
func said(value []byte) string {
	var text string
	if value == nil {
		return "taken away"
	}
	if json.Unmarshal(value, &text) == nil {
		return text
	}
	return string(value)
}

// UndoCall takes back the last thing done on the call.
func (s *calls) UndoCall(ctx context.Context, r api.UndoCallRequestObject) (api.UndoCallResponseObject, error) {
	now, err := s.goBack(ctx, r.Call, s.store.Undo)
	return api.UndoCall200JSONResponse{CallNowJSONResponse: now}, err
}

// RedoCall brings back what was taken back last.
func (s *calls) RedoCall(ctx context.Context, r api.RedoCallRequestObject) (api.RedoCallResponseObject, error) {
	now, err := s.goBack(ctx, r.Call, s.store.Redo)
	return api.RedoCall200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) goBack(ctx context.Context, call int64, way func(context.Context, store.Action) error) (api.CallNowJSONResponse, error) {
	if _, err := s.store.Call(ctx, call); err != nil {
		return api.CallNowJSONResponse{}, err
	}
	if err := way(ctx, s.action(ctx, call, "")); err != nil {
		return api.CallNowJSONResponse{}, err
	}
	s.freshener.ask()
	return s.callNow(ctx, call)
}

// done is an action as it is offered to be taken back.
func done(a *store.Action) *api.Done {
	if a == nil {
		return nil
	}
	by := ""
	if a.Person != "" || a.Device != "" {
		by = caller{device: a.Device, person: a.Person}.name()
	}
	return &api.Done{What: a.What, At: a.At, By: by}
}

// idOf checks the id that who sends something made for it.
func idOf(id string) error {
	if n := len(id); n < 8 || n > 64 || strings.ContainsFunc(id, func(r rune) bool { return r < ' ' || r > '~' }) {
		return badInput{errors.New("id: between 8 and 64 plain characters, made anew for each entry")}
	}
	return nil
}
