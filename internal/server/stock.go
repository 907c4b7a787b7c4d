package server

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"elvat/core/strict"
	"elvat/internal/api"
	"elvat/internal/desk"
	"elvat/internal/store"
)

// UsePart keeps that a part was used up on the call.
func (s *calls) UsePart(ctx context.Context, r api.UsePartRequestObject) (api.UsePartResponseObject, error) {
	now, err := s.change(ctx, r.Call, desk.UsePart(*r.Body))
	made(ctx, "/calls/%d", r.Call)
	return api.UsePart201JSONResponse{CallNowJSONResponse: now}, err
}

// onVans is what the vans have; not what came from nowhere that is counted.
func (s *calls) onVans(ctx context.Context) ([]store.Have, error) {
	stock, err := s.store.Stock(ctx)
	return slices.DeleteFunc(stock, func(h store.Have) bool { return h.Van == "" }), err
}

// GetStock shows what the vans have.
func (s *calls) GetStock(ctx context.Context, _ api.GetStockRequestObject) (api.GetStockResponseObject, error) {
	stock, err := s.onVans(ctx)
	return api.GetStock200JSONResponse(desk.Haves(stock)), err
}

// move checks what is put on a van.
func (s *calls) move(body *api.Move) (store.Move, error) {
	m := store.Move{
		ID:    body.Id,
		Van:   strings.TrimSpace(body.Van),
		Item:  strings.TrimSpace(body.Item),
		Unit:  strings.TrimSpace(body.Unit),
		Count: body.Count,
		At:    s.now(),
	}
	if err := desk.CheckID(m.ID); err != nil {
		return m, err
	}
	switch {
	case m.Van == "" || m.Item == "":
		return m, badInput{errors.New("van and item: which?")}
	case len(m.Van)+len(m.Item)+len(m.Unit) > strict.MostText:
		return m, badInput{errors.New("item: its name is too long")}
	case m.Count == 0 || m.Count > 10000 || m.Count < -10000:
		return m, badInput{fmt.Errorf("count: %g is out of bounds", m.Count)}
	}
	return m, nil
}

// AddStock keeps that parts were put on a van.
func (s *calls) AddStock(ctx context.Context, r api.AddStockRequestObject) (api.AddStockResponseObject, error) {
	m, err := s.move(r.Body)
	if err != nil {
		return nil, err
	}
	a := s.action(ctx, "stock")
	if a.Command == "" {
		a.Command = m.ID
	}
	if _, err := s.store.Do(ctx, a, func(ctx context.Context, _ int64) (int64, error) { return 0, s.store.AddMove(ctx, m) }); err != nil {
		return nil, err
	}
	stock, err := s.onVans(ctx)
	made(ctx, "/stock")
	return api.AddStock201JSONResponse(desk.Haves(stock)), err
}
