package server

import (
	"context"

	"elvat/core/sums"
	"elvat/internal/api"
)

// ListSums shows the sums with what each asks.
func (s *calls) ListSums(context.Context, api.ListSumsRequestObject) (api.ListSumsResponseObject, error) {
	return api.ListSums200JSONResponse(sums.All()), nil
}

// WorkSum says what one comes to.
func (s *calls) WorkSum(_ context.Context, r api.WorkSumRequestObject) (api.WorkSumResponseObject, error) {
	sum, err := sums.Find(r.Sum)
	if err != nil {
		return nil, badInput{err}
	}
	answer, err := sum.Work(r.Body.Values)
	if err != nil {
		return nil, badInput{err}
	}
	return api.WorkSum200JSONResponse(answer), nil
}
