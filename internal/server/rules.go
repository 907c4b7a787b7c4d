package server

import (
	"context"
	"encoding/json"
	"fmt"

	"elvat/internal/api"
)

// doorSetting is the name under which is kept what the shop asks of who signs in.
const doorSetting = "door"

// DoorRules are what the shop asks of who signs in, and how long it keeps its customers' data.
func (a *access) doorRules(ctx context.Context) (rules api.DoorRules, err error) {
	kept, err := a.store.Setting(ctx, doorSetting)
	if err != nil || kept == nil {
		return rules, err
	}
	return rules, json.Unmarshal(kept, &rules)
}

// mostKeepYears bounds how long customers' data are kept by a setting. Assumption.
const mostKeepYears = 100

// GetDoor shows what is set.
func (s *calls) GetDoor(ctx context.Context, _ api.GetDoorRequestObject) (api.GetDoorResponseObject, error) {
	rules, err := s.access.doorRules(ctx)
	return api.GetDoor200JSONResponse(rules), err
}

// SetDoor sets it.
func (s *calls) SetDoor(ctx context.Context, r api.SetDoorRequestObject) (api.SetDoorResponseObject, error) {
	if y := r.Body.KeepYears; y < 0 || y > mostKeepYears {
		return nil, badInput{fmt.Errorf("keepYears: %d is out of bounds", y)}
	}
	kept, err := json.Marshal(r.Body)
	if err != nil {
		return nil, err
	}
	about(ctx, "second factor %t, customers' data for %d years", r.Body.SecondFactor, r.Body.KeepYears)
	return api.SetDoor200JSONResponse(*r.Body), s.store.Set(ctx, doorSetting, kept)
}
