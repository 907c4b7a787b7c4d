package server

import (
	"context"

	"elvat/core/sums"
	"elvat/internal/api"
)

// ListSums shows the sums with what each asks.
func (s *calls) ListSums(ctx context.Context, _ api.ListSumsRequestObject) (api.ListSumsResponseObject, error) {
	shop, err := s.House(ctx)
	if err != nil {
		return nil, err
	}
	all := sums.All()
	for i := range all {
		all[i] = all[i].In(shop.Units)
	}
	return api.ListSums200JSONResponse(all), nil
}

// WorkSum says what one comes to.
func (s *calls) WorkSum(ctx context.Context, r api.WorkSumRequestObject) (api.WorkSumResponseObject, error) {
	sum, err := sums.Find(r.Sum)
	if err != nil {
		return nil, badInput{err}
	}
	shop, err := s.House(ctx)
	if err != nil {
		return nil, err
	}
	answer, err := sum.In(shop.Units).Work(r.Body.Values)
	if err != nil {
		return nil, badInput{err}
	}
	return api.WorkSum200JSONResponse(answer), nil
}
