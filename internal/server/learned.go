package server

import (
	"context"
	"encoding/json"

	"elvat/core/diagnosis"
	"elvat/core/strict"
	"elvat/core/tester"
	"elvat/internal/api"
	"elvat/internal/desk"
)

// mostLearned is how many opened boxes, the newest, the weights learn from.
const mostLearned = 500

// learn counts the opened boxes anew where any was added or taken back since.
func (s *calls) learn(ctx context.Context) (desk.KeptLearned, error) {
	k, err := s.Learned(ctx)
	if err != nil {
		return k, err
	}
	mark, err := s.store.LookedMark(ctx)
	if err != nil || mark == k.Mark {
		return k, err
	}
	looked, err := s.store.LookedInto(ctx, k.Since, mostLearned)
	if err != nil {
		return k, err
	}
	k.Mark, k.Learned = mark, diagnosis.Learned{}
	for _, l := range looked {
		var part struct {
			Reading json.RawMessage `json:"reading"`
		}
		if err := json.Unmarshal(l.Document, &part); err != nil {
			return k, err
		}
		var r tester.Reading
		if strict.Unmarshal(part.Reading, &r) != nil || r.Found == nil || len(r.Found.Faults) == 0 {
			continue
		}
		at, err := s.store.Load(ctx, l.Call)
		if err != nil {
			return k, err
		}
		if err := k.Learned.Add(at.Record.Circuit, at.Record.Place(), r.Found.Faults); err != nil {
			return k, err
		}
	}
	if err := s.keepLearned(ctx, k); err != nil {
		return k, err
	}
	return k, s.store.SetStale(ctx)
}

func (s *calls) keepLearned(ctx context.Context, k desk.KeptLearned) error {
	value, err := json.Marshal(k)
	if err != nil {
		return err
	}
	return s.store.Set(ctx, desk.LearnedSetting, value)
}

// GetLearned hands out the counts, for keeping.
func (s *calls) GetLearned(ctx context.Context, _ api.GetLearnedRequestObject) (api.GetLearnedResponseObject, error) {
	k, err := s.learn(ctx)
	return api.GetLearned200JSONResponse(k.Learned), err
}

// ForgetLearned counts anew from now on.
func (s *calls) ForgetLearned(
	ctx context.Context,
	_ api.ForgetLearnedRequestObject,
) (api.ForgetLearnedResponseObject, error) {
	p, err := s.Practice(ctx)
	if err != nil {
		return nil, err
	}
	k := desk.KeptLearned{Since: s.now()}
	if err := s.keepLearned(ctx, k); err != nil {
		return nil, err
	}
	if err := s.store.SetStale(ctx); err != nil {
		return nil, err
	}
	sheet, err := k.Sheet(p)
	return api.ForgetLearned200JSONResponse(sheet), err
}
