package server

import (
	"context"

	corecall "elvat/core/call"
	"elvat/internal/api"
)

// GetDeviceKinds shows what could hang in a box instead.
func (s *calls) GetDeviceKinds(ctx context.Context, r api.GetDeviceKindsRequestObject) (api.GetDeviceKindsResponseObject, error) {
	all, err := s.Kinds(ctx, r.Call, r.Box)
	return api.GetDeviceKinds200JSONResponse(all), err
}

// ListNewRuns shows the new runs that are planned on the call.
func (s *calls) ListNewRuns(ctx context.Context, r api.ListNewRunsRequestObject) (api.ListNewRunsResponseObject, error) {
	all, err := s.NewRuns(ctx, r.Call)
	return api.ListNewRuns200JSONResponse(all), err
}

// SuggestNewRun is what is known of one, to start from.
func (s *calls) SuggestNewRun(ctx context.Context, r api.SuggestNewRunRequestObject) (api.SuggestNewRunResponseObject, error) {
	o, err := s.Desk.SuggestNewRun(ctx, r.Call, *r.Body)
	return api.SuggestNewRun200JSONResponse(o), err
}

// GetNewRun shows one with its plan.
func (s *calls) GetNewRun(ctx context.Context, r api.GetNewRunRequestObject) (api.GetNewRunResponseObject, error) {
	now, err := s.NewRun(ctx, r.Call, r.NewRun)
	return api.GetNewRun200JSONResponse{NewRunNowJSONResponse: api.NewRunNowJSONResponse(now)}, err
}

// SetNewRun keeps what is ordered.
func (s *calls) SetNewRun(ctx context.Context, r api.SetNewRunRequestObject) (api.SetNewRunResponseObject, error) {
	now, err := s.changeNewRun(ctx, r.Call, r.NewRun, &corecall.SetNewRun{Order: *r.Body})
	return api.SetNewRun200JSONResponse{NewRunNowJSONResponse: now}, err
}

// RemoveNewRun drops one that was not laid.
func (s *calls) RemoveNewRun(ctx context.Context, r api.RemoveNewRunRequestObject) (api.RemoveNewRunResponseObject, error) {
	now, err := s.change(ctx, r.Call, &corecall.RemoveNewRun{Run: r.NewRun})
	return api.RemoveNewRun200JSONResponse{CallNowJSONResponse: now}, err
}

// SetNewRunSteps records which steps of its plan are done.
func (s *calls) SetNewRunSteps(ctx context.Context, r api.SetNewRunStepsRequestObject) (api.SetNewRunStepsResponseObject, error) {
	now, err := s.changeNewRun(ctx, r.Call, r.NewRun, &corecall.SetNewRunSteps{Run: r.NewRun, Done: r.Body.Done})
	return api.SetNewRunSteps200JSONResponse{NewRunNowJSONResponse: now}, err
}

// AcceptInNewRun has a named qualified person take a finding on.
func (s *calls) AcceptInNewRun(ctx context.Context, r api.AcceptInNewRunRequestObject) (api.AcceptInNewRunResponseObject, error) {
	now, err := s.changeNewRun(ctx, r.Call, r.NewRun, &corecall.AcceptInRun{Run: r.NewRun, Key: r.Body.Key, By: r.Body.By, Why: r.Body.Why})
	return api.AcceptInNewRun200JSONResponse{NewRunNowJSONResponse: now}, err
}

// LayNewRun says that it is laid.
func (s *calls) LayNewRun(ctx context.Context, r api.LayNewRunRequestObject) (api.LayNewRunResponseObject, error) {
	do := &corecall.LayRun{Run: r.NewRun}
	if r.Body.Van != nil {
		do.Van = *r.Body.Van
	}
	now, err := s.changeNewRun(ctx, r.Call, r.NewRun, do)
	return api.LayNewRun200JSONResponse{NewRunNowJSONResponse: now}, err
}

// changeNewRun has something done on a new run, and shows it as it is after that.
func (s *calls) changeNewRun(ctx context.Context, call int64, id string, do corecall.Doing) (api.NewRunNowJSONResponse, error) {
	at, err := s.Do(ctx, call, s.Command(ctx, do), nil)
	if err != nil {
		return api.NewRunNowJSONResponse{}, err
	}
	now, err := s.NewRunAt(ctx, at, id)
	return api.NewRunNowJSONResponse(now), err
}
