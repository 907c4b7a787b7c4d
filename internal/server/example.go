package server

import (
	"context"
	"encoding/json"

	"elvat/internal/api"
	"elvat/internal/demo"
	"elvat/internal/desk"
)

// example is the example house, 0 where it is not there.
func (s *calls) example(ctx context.Context) (site int64, err error) {
	kept, err := s.store.Setting(ctx, desk.ExampleSetting)
	if err != nil || kept == nil {
		return 0, err
	}
	return site, json.Unmarshal(kept, &site)
}

func (s *calls) setExample(ctx context.Context, site int64) error {
	kept, err := json.Marshal(site)
	if err != nil {
		return err
	}
	return s.store.Set(ctx, desk.ExampleSetting, kept)
}

// AddExample adds the example house.
func (s *calls) AddExample(ctx context.Context, _ api.AddExampleRequestObject) (api.AddExampleResponseObject, error) {
	err := s.store.InTransaction(ctx, func(ctx context.Context) error {
		site, err := s.example(ctx)
		if err != nil || site != 0 {
			return err
		}
		if site, err = demo.Example(ctx, s.store, s.now()); err != nil {
			return err
		}
		return s.setExample(ctx, site)
	})
	s.freshener.ask()
	return api.AddExample201JSONResponse{There: true}, err
}

// RemoveExample takes it out again, and nothing else.
func (s *calls) RemoveExample(
	ctx context.Context,
	_ api.RemoveExampleRequestObject,
) (api.RemoveExampleResponseObject, error) {
	err := s.store.InTransaction(ctx, func(ctx context.Context) error {
		site, err := s.example(ctx)
		if err != nil || site == 0 {
			return err
		}
		if err := s.store.RemoveSite(ctx, site); err != nil {
			return err
		}
		return s.setExample(ctx, 0)
	})
	return api.RemoveExample200JSONResponse{There: false}, err
}
