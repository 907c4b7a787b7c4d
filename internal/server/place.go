package server

import (
	"context"
	"encoding/json"

	corecall "elvat/core/call"
	"elvat/internal/api"
	"elvat/internal/desk"
)

// SetConditions keeps what is known of the place beside its circuit.
func (s *calls) SetConditions(
	ctx context.Context,
	r api.SetConditionsRequestObject,
) (api.SetConditionsResponseObject, error) {
	now, err := s.change(ctx, r.Call, &corecall.SetConditions{Conditions: *r.Body})
	return api.SetConditions200JSONResponse{CallNowJSONResponse: now}, err
}

// SetMap keeps what is known of the order of the boxes.
func (s *calls) SetMap(ctx context.Context, r api.SetMapRequestObject) (api.SetMapResponseObject, error) {
	now, err := s.change(ctx, r.Call, &corecall.SetOrder{Order: *r.Body})
	return api.SetMap200JSONResponse{CallNowJSONResponse: now}, err
}

// AskWhy holds the readings one by one against a suspect.
func (s *calls) AskWhy(ctx context.Context, r api.AskWhyRequestObject) (api.AskWhyResponseObject, error) {
	evidence, err := s.Why(ctx, r.Call, r.Body.Faults, r.Body.Beside)
	return api.AskWhy200JSONResponse(evidence), err
}

// GetPractice shows what the shop has set, beside what is usual.
func (s *calls) GetPractice(
	ctx context.Context,
	_ api.GetPracticeRequestObject,
) (api.GetPracticeResponseObject, error) {
	p, err := s.Practice(ctx)
	if err != nil {
		return nil, err
	}
	k, err := s.learn(ctx)
	if err != nil {
		return nil, err
	}
	sheet, err := k.Sheet(p)
	return api.GetPractice200JSONResponse(sheet), err
}

// SetPractice keeps what the shop sets; what is absent is as usual again.
func (s *calls) SetPractice(
	ctx context.Context,
	r api.SetPracticeRequestObject,
) (api.SetPracticeResponseObject, error) {
	k, err := s.learn(ctx)
	if err != nil {
		return nil, err
	}
	sheet, err := k.Sheet(*r.Body)
	if err != nil {
		return nil, badInput{err}
	}
	kept, err := json.Marshal(r.Body)
	if err != nil {
		return nil, err
	}
	if err := s.store.Set(ctx, desk.PracticeSetting, kept); err != nil {
		return nil, err
	}
	if err := s.store.SetStale(ctx); err != nil {
		return nil, err
	}
	return api.SetPractice200JSONResponse(sheet), nil
}
