package server

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"elvat/core/makeup"
	"elvat/core/supply"
	"elvat/internal/api"
	"elvat/internal/store"
)

// firstVan is whose stock is used where the shop has named no van.
const firstVan = "Van 1"

// supplies are what to take along on the call, and what it used up.
func (s *calls) supplies(ctx context.Context, v *state, now *api.Call) error {
	stock, err := s.store.Stock(ctx, "")
	if err != nil {
		return err
	}
	now.Vans = vans(stock)
	have := map[string]float64{}
	for _, h := range stock {
		if h.Van == now.Vans[0] {
			have[h.Item] += h.Count
		}
	}
	now.Picks = []supply.Pick{}
	if !v.Facts.HandedOver {
		now.Picks = supply.Against(supply.List(v.circuit, v.Result, v.place), have)
	}
	used, err := s.store.Used(ctx, v.call.ID)
	now.Used = haves(used)
	return err
}

// vans are those that carry anything, in their order; the first where none does.
func vans(stock []store.Have) []string {
	all := []string{}
	for _, h := range stock {
		if !slices.Contains(all, h.Van) {
			all = append(all, h.Van)
		}
	}
	if len(all) == 0 {
		all = []string{firstVan}
	}
	return all
}

func haves(kept []store.Have) []api.Have {
	all := make([]api.Have, len(kept))
	for i, h := range kept {
		all[i] = api.Have{Van: h.Van, Item: h.Item, Unit: h.Unit, Count: h.Count}
	}
	return all
}

// takeFromVan keeps what a make-up used up.
func (s *calls) takeFromVan(ctx context.Context, call int64, box, id string, materials []makeup.Material) error {
	stock, err := s.store.Stock(ctx, "")
	if err != nil {
		return err
	}
	van := vans(stock)[0]
	for i, m := range materials {
		move := store.Move{ID: fmt.Sprintf("%s-%d", id, i), Call: call, Box: box, Van: van, Item: m.Item, Unit: m.Unit, Count: -m.Count, At: s.now()}
		if err := s.store.AddMove(ctx, move); err != nil {
			return err
		}
	}
	return nil
}

// move checks what is put on a van or used up.
func (s *calls) move(body *api.Move) (store.Move, error) {
	m := store.Move{ID: body.Id, Van: strings.TrimSpace(body.Van), Item: strings.TrimSpace(body.Item), Unit: strings.TrimSpace(body.Unit), Count: body.Count, At: s.now()}
	if err := idOf(m.ID); err != nil {
		return m, err
	}
	switch {
	case m.Van == "" || m.Item == "":
		return m, badInput{errors.New("van and item: which?")}
	case len(m.Van)+len(m.Item)+len(m.Unit) > mostText:
		return m, badInput{errors.New("item: its name is too long")}
	case m.Count == 0 || m.Count > 10000 || m.Count < -10000:
		return m, badInput{fmt.Errorf("count: %g is out of bounds", m.Count)}
	}
	return m, nil
}

// UsePart keeps that a part was used up on the call.
func (s *calls) UsePart(ctx context.Context, r api.UsePartRequestObject) (api.UsePartResponseObject, error) {
	m, err := s.move(r.Body)
	if err != nil {
		return nil, err
	}
	m.Call, m.Count = r.Call, -m.Count
	now, err := s.change(ctx, r.Call, "used "+m.Item, func(ctx context.Context) error { return s.store.AddMove(ctx, m) })
	return api.UsePart201JSONResponse{CallNowJSONResponse: now}, err
}

// GetStock shows what the vans have.
func (s *calls) GetStock(ctx context.Context, _ api.GetStockRequestObject) (api.GetStockResponseObject, error) {
	stock, err := s.store.Stock(ctx, "")
	return api.GetStock200JSONResponse(haves(stock)), err
}

// AddStock keeps that parts were put on a van.
func (s *calls) AddStock(ctx context.Context, r api.AddStockRequestObject) (api.AddStockResponseObject, error) {
	m, err := s.move(r.Body)
	if err != nil {
		return nil, err
	}
	if err := s.store.Do(ctx, s.action(ctx, 0, "stock"), func(ctx context.Context) error { return s.store.AddMove(ctx, m) }); err != nil {
		return nil, err
	}
	stock, err := s.store.Stock(ctx, "")
	return api.AddStock201JSONResponse(haves(stock)), err
}
