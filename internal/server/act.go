package server

import (
	"context"
	"fmt"

	corecall "elvat/core/call"
	"elvat/internal/api"
	"elvat/internal/desk"
)

// action is what is done on no call, once.
func (s *calls) action(ctx context.Context, do string) corecall.Action {
	by := desk.CallerOf(ctx)
	return corecall.Action{
		Command:   by.Command,
		Do:        do,
		What:      do,
		Device:    by.Device,
		Person:    by.Person,
		At:        s.At(ctx),
		ArrivedAt: s.now(),
	}
}

// change does something on a call and shows the call.
func (s *calls) change(ctx context.Context, call int64, do corecall.Doing) (api.CallNowJSONResponse, error) {
	at, err := s.Do(ctx, call, s.Command(ctx, do), nil)
	if err != nil {
		return api.CallNowJSONResponse{}, err
	}
	return shown(ctx)(s.CallAt(ctx, at))
}

// shown notes the version of the call that is answered with.
func shown(ctx context.Context) func(api.Call, error) (api.CallNowJSONResponse, error) {
	return func(now api.Call, err error) (api.CallNowJSONResponse, error) {
		if err == nil {
			shows(ctx, now.Version)
		}
		return api.CallNowJSONResponse(now), err
	}
}

// callNow is the call as it is now.
func (s *calls) callNow(ctx context.Context, id int64) (api.CallNowJSONResponse, error) {
	return shown(ctx)(s.Call(ctx, id))
}

// workNow is the work of the call as it is now.
func (s *calls) workNow(ctx context.Context, id int64) (api.WorkNowJSONResponse, error) {
	return working(ctx)(s.Work(ctx, id))
}

func working(ctx context.Context) func(api.Work, error) (api.WorkNowJSONResponse, error) {
	return func(now api.Work, err error) (api.WorkNowJSONResponse, error) {
		if err == nil {
			shows(ctx, now.Version)
		}
		return api.WorkNowJSONResponse(now), err
	}
}

func boxed(ctx context.Context) func(api.OpenedBox, error) (api.BoxNowJSONResponse, error) {
	return func(now api.OpenedBox, err error) (api.BoxNowJSONResponse, error) {
		if err == nil {
			shows(ctx, now.Version)
		}
		return api.BoxNowJSONResponse(now), err
	}
}

// changeWork does something on a call and shows its work.
func (s *calls) changeWork(
	ctx context.Context,
	call int64,
	do corecall.Doing,
	image []byte,
) (api.WorkNowJSONResponse, error) {
	at, err := s.Do(ctx, call, s.Command(ctx, do), image)
	if err != nil {
		return api.WorkNowJSONResponse{}, err
	}
	return working(ctx)(s.WorkAt(ctx, at))
}

// changeBox does something on a call and shows one of its boxes.
func (s *calls) changeBox(
	ctx context.Context,
	call int64,
	box string,
	do corecall.Doing,
) (api.BoxNowJSONResponse, error) {
	at, err := s.Do(ctx, call, s.Command(ctx, do), nil)
	if err != nil {
		return api.BoxNowJSONResponse{}, err
	}
	return boxed(ctx)(s.BoxAt(ctx, at, box))
}

// mostCommands bounds what is done in one request; a phone's own is mostBrought. Assumption.
const (
	mostCommands = 500
	mostBrought  = 3000
)

// DoCommands does several things, each with a result of its own.
func (s *calls) DoCommands(ctx context.Context, r api.DoCommandsRequestObject) (api.DoCommandsResponseObject, error) {
	by := desk.CallerOf(ctx)
	if _, err := s.store.Call(ctx, r.Call); err != nil {
		return nil, err
	}
	if len(r.Body.Commands) > mostCommands {
		return nil, badInput{fmt.Errorf("commands: %d at once; at most %d", len(r.Body.Commands), mostCommands)}
	}
	out := api.CommandResults{}
	for _, sent := range r.Body.Commands {
		err := s.DoOne(ctx, by, r.Call, sent)
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

// SettleConflict keeps the value in force, or takes the other.
func (s *calls) SettleConflict(
	ctx context.Context,
	r api.SettleConflictRequestObject,
) (api.SettleConflictResponseObject, error) {
	now, err := s.change(ctx, r.Call, &corecall.SettleConflict{ID: r.Conflict, Take: string(r.Body.Take)})
	return api.SettleConflict200JSONResponse{CallNowJSONResponse: now}, err
}

// UndoCall takes back the last thing done on the call.
func (s *calls) UndoCall(ctx context.Context, r api.UndoCallRequestObject) (api.UndoCallResponseObject, error) {
	now, err := s.change(ctx, r.Call, &corecall.Undo{Of: value(r.Params.Of)})
	return api.UndoCall200JSONResponse{CallNowJSONResponse: now}, err
}

// RedoCall brings back what was taken back last.
func (s *calls) RedoCall(ctx context.Context, r api.RedoCallRequestObject) (api.RedoCallResponseObject, error) {
	now, err := s.change(ctx, r.Call, &corecall.Redo{Of: value(r.Params.Of)})
	return api.RedoCall200JSONResponse{CallNowJSONResponse: now}, err
}

// value is what was given; the zero value where nothing was.
func value[T any](given *T) (v T) {
	if given != nil {
		v = *given
	}
	return v
}
