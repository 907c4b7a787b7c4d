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
	kept, err := s.store.Stock(ctx, "")
	if err != nil {
		return err
	}
	used, err := s.store.Used(ctx, v.call.ID)
	if err != nil {
		return err
	}
	now.Used, now.Picks, now.Vans = haves(used), []supply.Pick{}, vans(kept)
	needs := []supply.Need{}
	if !v.Facts.HandedOver {
		needs = supply.List(v.circuit, v.Result, v.place)
	}
	van := supply.VanFor(supply.Materials(needs), stocked(kept), vansOf(used))
	if i := slices.Index(now.Vans, van); i > 0 { // it stands first
		now.Vans = append([]string{van}, slices.Delete(now.Vans, i, i+1)...)
	}
	have := map[string]float64{}
	for _, h := range kept {
		if h.Van == now.Vans[0] {
			have[h.Item] += h.Count
		}
	}
	now.Picks = supply.Against(needs, have)
	return nil
}

func stocked(kept []store.Have) []supply.Stocked {
	all := make([]supply.Stocked, len(kept))
	for i, h := range kept {
		all[i] = supply.Stocked{Van: h.Van, Item: h.Item, Count: h.Count}
	}
	return all
}

func vansOf(used []store.Have) []string {
	all := make([]string, len(used))
	for i, h := range used {
		all[i] = h.Van
	}
	return all
}

// vans are those that carry anything, in their order; the first where none does.
func vans(stock []store.Have) []string {
	all := []string{}
	for _, h := range stock {
		if h.Van != "" && !slices.Contains(all, h.Van) {
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

// takeFromVan keeps what was used up: by a make-up, or as somebody said.
func (s *calls) takeFromVan(ctx context.Context, call int64, box, id, van string, materials []makeup.Material) error {
	if again, err := s.store.Moved(ctx, id+"-0"); err != nil || again {
		return err // it was sent before
	}
	kept, err := s.store.Stock(ctx, "")
	if err != nil {
		return err
	}
	before, err := s.store.Used(ctx, call)
	if err != nil {
		return err
	}
	for i, t := range supply.Take(materials, stocked(kept), van, vansOf(before)) {
		move := store.Move{ID: fmt.Sprintf("%s-%d", id, i), Call: call, Box: box, Van: t.Van, Item: t.Item, Unit: t.Unit, Count: -t.Count, At: s.at(ctx)}
		if err := s.store.AddMove(ctx, move); err != nil {
			return err
		}
	}
	return nil
}

// move checks what is put on a van, or used up from whichever.
func (s *calls) move(body *api.Move, anyVan bool) (store.Move, error) {
	m := store.Move{ID: body.Id, Van: strings.TrimSpace(body.Van), Item: strings.TrimSpace(body.Item), Unit: strings.TrimSpace(body.Unit), Count: body.Count, At: s.now()}
	if err := idOf(m.ID); err != nil {
		return m, err
	}
	switch {
	case m.Van == "" && !anyVan || m.Item == "":
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
	m, err := s.move(r.Body, true)
	if err != nil {
		return nil, err
	}
	if m.Count < 0 {
		return nil, badInput{errors.New("count: how many were used?")}
	}
	used := []makeup.Material{{Item: m.Item, Count: m.Count, Unit: m.Unit}}
	now, err := s.change(ctx, r.Call, "used "+m.Item, func(ctx context.Context) error { return s.takeFromVan(ctx, r.Call, "", m.ID, m.Van, used) })
	return api.UsePart201JSONResponse{CallNowJSONResponse: now}, err
}

// onVans is what the vans have; not what came from nowhere that is counted.
func (s *calls) onVans(ctx context.Context) ([]store.Have, error) {
	stock, err := s.store.Stock(ctx, "")
	return slices.DeleteFunc(stock, func(h store.Have) bool { return h.Van == "" }), err
}

// GetStock shows what the vans have.
func (s *calls) GetStock(ctx context.Context, _ api.GetStockRequestObject) (api.GetStockResponseObject, error) {
	stock, err := s.onVans(ctx)
	return api.GetStock200JSONResponse(haves(stock)), err
}

// AddStock keeps that parts were put on a van.
func (s *calls) AddStock(ctx context.Context, r api.AddStockRequestObject) (api.AddStockResponseObject, error) {
	m, err := s.move(r.Body, false)
	if err != nil {
		return nil, err
	}
	if err := s.store.Do(ctx, s.action(ctx, 0, "stock"), func(ctx context.Context) error { return s.store.AddMove(ctx, m) }); err != nil {
		return nil, err
	}
	stock, err := s.onVans(ctx)
	return api.AddStock201JSONResponse(haves(stock)), err
}
