package server

import (
	"context"

	"elvat/internal/api"
)

// ListSums shows the sums with what each asks.
func (s *calls) ListSums(ctx context.Context, _ api.ListSumsRequestObject) (api.ListSumsResponseObject, error) {
	all, err := s.Sums(ctx)
	return api.ListSums200JSONResponse(all), err
}

// WorkSum says what one comes to.
func (s *calls) WorkSum(ctx context.Context, r api.WorkSumRequestObject) (api.WorkSumResponseObject, error) {
	answer, err := s.Desk.WorkSum(ctx, r.Sum, r.Body.Values)
	return api.WorkSum200JSONResponse(answer), err
}
