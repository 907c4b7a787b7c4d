package server

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"time"

	corecall "elvat/core/call"
	"elvat/core/circuit"
	"elvat/core/job"
	"elvat/internal/api"
	"elvat/internal/store"
)

// A caller is who a request comes from.
type caller struct {
	device string // which browser, as it names itself; "" where it does not
	seen   int64  // version of the call that was on its screen; 0: not said
	strict bool   // and nothing is to be done on another
	person string // signed in; "" where nobody has to
	// command is the id of what is asked for, made by the browser; "" where it
	// names none. made is when it was done there, by this machine's clock.
	command string
	made    time.Time
	role    job.Role
	program bool                               // by a token that a person gave it
	sent    func(time.Time) (time.Time, error) // a time of the device's clock, by this machine's
}

type callerKey struct{}

func callerOf(ctx context.Context) caller {
	c, _ := ctx.Value(callerKey{}).(caller)
	return c
}

// command is what is asked for, as the core has it.
func (s *calls) command(ctx context.Context, do corecall.Doing) corecall.Command {
	by := callerOf(ctx)
	return corecall.Command{
		ID:     by.command,
		At:     s.at(ctx),
		Seen:   by.seen,
		Device: by.device,
		Person: by.person,
		Role:   by.role,
		Do:     do,
	}
}

// action is what is done on no call, once.
func (s *calls) action(ctx context.Context, do string) corecall.Action {
	by := callerOf(ctx)
	return corecall.Action{
		Command:   by.command,
		Do:        do,
		What:      do,
		Device:    by.device,
		Person:    by.person,
		At:        s.at(ctx),
		ArrivedAt: s.now(),
	}
}

// at is when what is asked for was done: offline that may be long before it arrives.
func (s *calls) at(ctx context.Context) time.Time {
	if made := callerOf(ctx).made; !made.IsZero() {
		return made
	}
	return s.now()
}

// mostTries bounds how often a command is worked out anew because another came
// between. Assumption.
const mostTries = 20

// errOther means that who asks wanted another version than there is.
var errOther = errors.New("the call has changed since that version: get it again")

// do carries a command out on a call: it is worked out on the record as it is, beside
// the database, and written down if that is still so; else worked out anew.
func (s *calls) do(ctx context.Context, id int64, c corecall.Command, image []byte) (*store.Snapshot, error) {
	if c.ID == "" {
		c.ID = rand.Text()
	}
	for range mostTries {
		at, err := s.store.Load(ctx, id)
		if err != nil {
			return nil, err
		}
		if by := callerOf(ctx); by.strict && by.seen != 0 && by.seen != at.Record.Version {
			return nil, errOther
		}
		house, err := s.houseOf(ctx, at, c.Do)
		if err != nil {
			return nil, err
		}
		next, a, err := at.Record.Decide(c, house)
		if err != nil {
			return nil, errors.Join(s.store.UsedElsewhere(ctx, c.ID, id), err)
		}
		if a == nil {
			return at, nil // it was done before, or there is nothing to do
		}
		a.ArrivedAt = s.now()
		after, err := s.store.Keep(ctx, at, next, a, image)
		if errors.Is(err, store.ErrMoved) {
			continue
		}
		if err == nil {
			s.freshener.ask()
		}
		return after, err
	}
	return nil, store.ErrMoved
}

// houseOf is what the command needs to know beside the record.
func (s *calls) houseOf(ctx context.Context, at *store.Snapshot, do corecall.Doing) (h corecall.House, err error) {
	switch do.(type) {
	case *corecall.MakeUp:
		h.Cause = func() (string, []string, error) {
			v, err := s.see(ctx, at)
			if err != nil {
				return "", nil, err
			}
			words, evidence := s.cause(v)
			return words, evidence, nil
		}
	case *corecall.GiveAnswer, *corecall.AddPicture:
		if h.Guards, err = s.guardsOf(ctx, at); err != nil {
			return h, err
		}
	}
	switch do.(type) {
	case *corecall.MakeUp, *corecall.UsePart:
		kept, err := s.store.Stock(ctx)
		if err != nil {
			return h, err
		}
		h.Stock = stocked(kept)
	}
	h.Shop, err = s.house(ctx)
	return h, err
}

// change does something on a call and shows the call.
func (s *calls) change(ctx context.Context, call int64, do corecall.Doing) (api.CallNowJSONResponse, error) {
	at, err := s.do(ctx, call, s.command(ctx, do), nil)
	if err != nil {
		return api.CallNowJSONResponse{}, err
	}
	now, err := s.wholeAt(ctx, at)
	return api.CallNowJSONResponse(now), err
}

// changeWork does something on a call and shows its work.
func (s *calls) changeWork(
	ctx context.Context,
	call int64,
	do corecall.Doing,
	image []byte,
) (api.WorkNowJSONResponse, error) {
	at, err := s.do(ctx, call, s.command(ctx, do), image)
	if err != nil {
		return api.WorkNowJSONResponse{}, err
	}
	return s.workAt(ctx, at)
}

// changeBox does something on a call and shows one of its boxes.
func (s *calls) changeBox(
	ctx context.Context,
	call int64,
	box string,
	do corecall.Doing,
) (api.BoxNowJSONResponse, error) {
	at, err := s.do(ctx, call, s.command(ctx, do), nil)
	if err != nil {
		return api.BoxNowJSONResponse{}, err
	}
	return s.boxAt(ctx, at, box)
}

// DoCommands does several things, each with a result of its own.
func (s *calls) DoCommands(ctx context.Context, r api.DoCommandsRequestObject) (api.DoCommandsResponseObject, error) {
	by := callerOf(ctx)
	if _, err := s.store.Call(ctx, r.Call); err != nil {
		return nil, err
	}
	out := api.CommandResults{}
	for _, sent := range r.Body.Commands {
		err := s.doOne(ctx, by, r.Call, sent)
		result := struct {
			Detail *string `json:"detail,omitempty"`
			Done   bool    `json:"done"`
			Id     string  `json:"id"`
			Status *int    `json:"status,omitempty"`
			Title  *string `json:"title,omitempty"`
		}{Id: sent.Id, Done: err == nil}
		if err != nil {
			p := problem(err)
			if p == nil {
				return nil, err // nothing that who asks could mend: all that is left is sent again
			}
			result.Status, result.Title, result.Detail = &p.Status, &p.Title, &p.Detail
		}
		out.Results = append(out.Results, result)
	}
	now, err := s.callNow(ctx, r.Call)
	out.Call = api.Call(now)
	return api.DoCommands200JSONResponse(out), err
}

func (s *calls) doOne(ctx context.Context, by caller, call int64, sent api.Command) error {
	if err := idOf(sent.Id); err != nil {
		return err
	}
	do, err := corecall.ParseDoing(sent.Doing)
	if err != nil {
		return badInput{err}
	}
	switch do.(type) {
	case *corecall.Begin, *corecall.GiveAnswer, *corecall.AddPicture:
		return badInput{errors.New("do: this has a request of its own")}
	}
	by.command, by.made = sent.Id, time.Time{}
	if sent.Seen != nil {
		by.seen = *sent.Seen
	}
	if sent.MadeAt != nil {
		if by.made, err = by.sent(*sent.MadeAt); err != nil {
			return err
		}
	}
	_, err = s.do(ctx, call, s.command(context.WithValue(ctx, callerKey{}, by), do), nil)
	return err
}

// SettleConflict keeps the value in force, or takes the other.
func (s *calls) SettleConflict(
	ctx context.Context,
	r api.SettleConflictRequestObject,
) (api.SettleConflictResponseObject, error) {
	now, err := s.change(ctx, r.Call, &corecall.SettleConflict{ID: r.Conflict, Take: string(r.Body.Take)})
	return api.SettleConflict200JSONResponse{CallNowJSONResponse: now}, err
}

// conflicts are those of the call that wait to be settled, in words.
func conflicts(r *corecall.Record) []api.DataConflict {
	all := []api.DataConflict{}
	for _, k := range r.Conflicts {
		if k.SettledAt == nil {
			all = append(
				all,
				api.DataConflict{
					Id:        k.ID,
					At:        k.At,
					Words:     k.Words(r.Circuit),
					Theirs:    said(k.Theirs),
					Mine:      said(k.Mine),
					TheirName: k.TheirName,
					MyName:    k.MyName,
				},
			)
		}
	}
	return all
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
	now, err := s.change(ctx, r.Call, &corecall.Undo{})
	return api.UndoCall200JSONResponse{CallNowJSONResponse: now}, err
}

// RedoCall brings back what was taken back last.
func (s *calls) RedoCall(ctx context.Context, r api.RedoCallRequestObject) (api.RedoCallResponseObject, error) {
	now, err := s.change(ctx, r.Call, &corecall.Redo{})
	return api.RedoCall200JSONResponse{CallNowJSONResponse: now}, err
}

// done is an action as it is offered to be taken back.
func done(a *corecall.Action) *api.Done {
	if a == nil {
		return nil
	}
	by := ""
	if a.Person != "" || a.Device != "" {
		by = a.Name()
	}
	return &api.Done{What: a.What, At: a.At, By: by}
}

// idOf checks the id that who sends something made for it.
func idOf(id string) error {
	if err := corecall.CheckID(id); err != nil {
		return badInput{err}
	}
	return nil
}

// circuit is the call's run as it is now.
func (s *calls) circuit(ctx context.Context, call int64) (*circuit.Circuit, error) {
	at, err := s.store.Load(ctx, call)
	if err != nil {
		return nil, err
	}
	return at.Record.Circuit, nil
}
