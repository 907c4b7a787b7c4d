package server

import (
	"context"

	"elvat/internal/api"
	"elvat/internal/desk"
	"elvat/internal/kept"
)

// BeginDrill begins a call to learn on, apart from all others.
func (s *calls) BeginDrill(ctx context.Context, r api.BeginDrillRequestObject) (api.BeginDrillResponseObject, error) {
	begin, err := s.Desk.BeginDrill(ctx, *r.Body)
	if err != nil {
		return nil, err
	}
	id, err := s.begin(ctx, begin, kept.Place{})
	if err != nil {
		return nil, err
	}
	made(ctx, "/calls/%d", id)
	now, err := s.callNow(ctx, id)
	return api.BeginDrill201JSONResponse(now), err
}

// MakeScene is a scene as a file.
func (s *calls) MakeScene(ctx context.Context, r api.MakeSceneRequestObject) (api.MakeSceneResponseObject, error) {
	file, err := s.SceneFile(ctx, *r.Body)
	return api.MakeScene200JSONResponse(file), err
}

// GetDrills is what ships, what to train next, and what one did.
func (s *calls) GetDrills(ctx context.Context, _ api.GetDrillsRequestObject) (api.GetDrillsResponseObject, error) {
	sheet, err := s.Drills(ctx)
	return api.GetDrills200JSONResponse(sheet), err
}

// mostOfPeople bounds how many drills the shop's page looks through. Assumption.
const mostOfPeople = 2000

// GetDrillsOfPeople is what the people of the shop trained.
func (s *calls) GetDrillsOfPeople(
	ctx context.Context,
	_ api.GetDrillsOfPeopleRequestObject,
) (api.GetDrillsOfPeopleResponseObject, error) {
	all, err := s.store.Drills(ctx, mostOfPeople)
	if err != nil {
		return nil, err
	}
	people, err := s.DrillsOfPeople(ctx, all)
	return api.GetDrillsOfPeople200JSONResponse(people), err
}

// GetSchool is a lesson of the tester's school.
func (s *calls) GetSchool(_ context.Context, r api.GetSchoolRequestObject) (api.GetSchoolResponseObject, error) {
	class, err := desk.Class(r.Params.Lesson, r.Params.Load)
	return api.GetSchool200JSONResponse(class), err
}

// GetDrillScore is what the drill came to so far.
func (s *calls) GetDrillScore(
	ctx context.Context,
	r api.GetDrillScoreRequestObject,
) (api.GetDrillScoreResponseObject, error) {
	score, err := s.Score(ctx, r.Call)
	if err != nil {
		return nil, err
	}
	return api.GetDrillScore200JSONResponse(*score), nil
}

// DoInDrill asks for advice, wires a box by hand, or gives up.
func (s *calls) DoInDrill(ctx context.Context, r api.DoInDrillRequestObject) (api.DoInDrillResponseObject, error) {
	now, err := s.change(ctx, r.Call, desk.DoingInDrill(*r.Body))
	return api.DoInDrill200JSONResponse{CallNowJSONResponse: now}, err
}

// GetDrillBox is an opened box of the drill.
func (s *calls) GetDrillBox(ctx context.Context, r api.GetDrillBoxRequestObject) (api.GetDrillBoxResponseObject, error) {
	box, err := s.DrillBox(ctx, r.Call, r.Box)
	if err != nil {
		return nil, err
	}
	return api.GetDrillBox200JSONResponse(*box), nil
}
