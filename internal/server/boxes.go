package server

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"strings"

	corecall "elvat/core/call"
	"elvat/internal/api"
	"elvat/internal/desk"
	"elvat/internal/picture"
	"elvat/internal/store"
)

// GetBox shows an opened box with its plan.
func (s *calls) GetBox(ctx context.Context, r api.GetBoxRequestObject) (api.GetBoxResponseObject, error) {
	now, err := boxed(ctx)(s.Box(ctx, r.Call, r.Box))
	return api.GetBox200JSONResponse{BoxNowJSONResponse: now}, err
}

// SetBox records what is in the box and what is to go in.
func (s *calls) SetBox(ctx context.Context, r api.SetBoxRequestObject) (api.SetBoxResponseObject, error) {
	now, err := s.changeBox(ctx, r.Call, r.Box, &corecall.SetBox{Box: r.Box, Makeup: *r.Body})
	return api.SetBox200JSONResponse{BoxNowJSONResponse: now}, err
}

// SetSteps records which steps of the plan are done.
func (s *calls) SetSteps(ctx context.Context, r api.SetStepsRequestObject) (api.SetStepsResponseObject, error) {
	now, err := s.changeBox(ctx, r.Call, r.Box, &corecall.SetSteps{Box: r.Box, Done: r.Body.Done})
	return api.SetSteps200JSONResponse{BoxNowJSONResponse: now}, err
}

// MakeUpBox puts the plan into the run.
func (s *calls) MakeUpBox(ctx context.Context, r api.MakeUpBoxRequestObject) (api.MakeUpBoxResponseObject, error) {
	now, err := s.change(ctx, r.Call, &corecall.MakeUp{Box: r.Box})
	return api.MakeUpBox200JSONResponse{CallNowJSONResponse: now}, err
}

// photograph is the picture that was sent, drawn anew.
func photograph(body io.Reader, most picture.Bound) ([]byte, error) {
	data, err := wholly(body)
	if err != nil {
		return nil, err
	}
	clean, err := picture.Redraw(data, most)
	if err != nil {
		return nil, badInput{fmt.Errorf("photograph: %w", err)}
	}
	return clean, nil
}

// GetPhotograph is the picture of the pulled device.
func (s *calls) GetPhotograph(
	ctx context.Context,
	r api.GetPhotographRequestObject,
) (api.GetPhotographResponseObject, error) {
	at, err := s.store.Load(ctx, r.Call)
	if err != nil {
		return nil, err
	}
	k, ok := at.Record.PulledAt(r.Box)
	if !ok {
		return nil, store.ErrNotFound
	}
	image, err := s.store.Image(ctx, r.Call, k.ID)
	if err != nil {
		return nil, err
	}
	return api.GetPhotograph200ImagejpegResponse{Body: bytes.NewReader(image), ContentLength: int64(len(image))}, nil
}

// GetHouse shows the house practice with all there is to set.
func (s *calls) GetHouse(ctx context.Context, _ api.GetHouseRequestObject) (api.GetHouseResponseObject, error) {
	shop, err := s.House(ctx)
	return api.GetHouse200JSONResponse(shop.Sheet()), err
}

// SetHouse keeps what the shop sets; what is absent is as usual again.
func (s *calls) SetHouse(ctx context.Context, r api.SetHouseRequestObject) (api.SetHouseResponseObject, error) {
	for i := range r.Body.Amendments {
		a := &r.Body.Amendments[i]
		a.Section, a.Text = strings.TrimSpace(a.Section), strings.TrimSpace(a.Text)
	}
	if err := r.Body.Check(); err != nil {
		return nil, badInput{err}
	}
	if _, err := desk.ZoneOf(*r.Body); err != nil {
		return nil, badInput{err}
	}
	kept, err := json.Marshal(r.Body)
	if err != nil {
		return nil, err
	}
	if err := s.store.Set(ctx, desk.HouseSetting, kept); err != nil {
		return nil, err
	}
	if err := s.store.SetStale(ctx); err != nil {
		return nil, err
	}
	return api.SetHouse200JSONResponse(r.Body.Sheet()), nil
}
