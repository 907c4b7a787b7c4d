package server

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	corecall "elvat/core/call"
	"elvat/core/job"
	"elvat/core/visit"
	"elvat/core/words"
	"elvat/internal/api"
	"elvat/internal/desk"
	"elvat/internal/picture"
	"elvat/internal/store"
)

// visitFor is how long a customer's link is in force. Assumption.
const visitFor = 7 * 24 * time.Hour

// GetWords are the sentences of a language.
func (s *calls) GetWords(_ context.Context, r api.GetWordsRequestObject) (api.GetWordsResponseObject, error) {
	return api.GetWords200JSONResponse(words.For(r.Language).Whole()), nil
}

// MakeVisit makes a link for the customer.
func (s *calls) MakeVisit(ctx context.Context, r api.MakeVisitRequestObject) (api.MakeVisitResponseObject, error) {
	if _, err := s.store.Call(ctx, r.Call); err != nil {
		return nil, err
	}
	token := rand.Text() + rand.Text() // 260 bits: nobody guesses it
	v := store.Visit{Call: r.Call, MadeAt: s.now(), ExpiresAt: s.now().Add(visitFor)}
	if err := s.store.AddVisit(ctx, token, store.BeforeVisit, v); err != nil {
		return nil, err
	}
	made(ctx, "/visits/%s", token)
	return api.MakeVisit201JSONResponse{Path: "/visit/" + token, ExpiresAt: v.ExpiresAt}, nil
}

// EndVisit ends the customer's link.
func (s *calls) EndVisit(ctx context.Context, r api.EndVisitRequestObject) (api.EndVisitResponseObject, error) {
	if err := s.store.EndVisits(ctx, r.Call, store.BeforeVisit); err != nil {
		return nil, err
	}
	now, err := s.callNow(ctx, r.Call)
	return api.EndVisit200JSONResponse{CallNowJSONResponse: now}, err
}

// A visiting is a customer's page with what it is worked out from. Nothing else
// of the shop is read for it.
type visiting struct {
	link   store.Visit
	at     *store.Snapshot
	guards []visit.Guard
}

var errNoVisit = errors.New("this link is not in force: it may have run out. Ask the shop for another")

func (s *calls) visiting(ctx context.Context, token string) (v visiting, err error) {
	if v.link, err = s.store.Visit(ctx, token, store.BeforeVisit, s.now()); err != nil {
		if errors.Is(err, store.ErrNotFound) {
			return v, errNoVisit
		}
		return v, err
	}
	if v.at, err = s.store.Load(ctx, v.link.Call); err != nil {
		return v, err
	}
	if v.at.Record.HandedOver() {
		return v, errNoVisit // what the report says stands
	}
	v.guards, err = s.GuardsOf(ctx, v.at)
	return v, err
}

func (s *calls) visitNow(ctx context.Context, token string) (api.VisitNowJSONResponse, error) {
	v, err := s.visiting(ctx, token)
	if err != nil {
		return api.VisitNowJSONResponse{}, err
	}
	r := v.at.Record
	page := r.Page(v.guards)
	now := api.VisitNowJSONResponse{
		Shop: s.Shop, Title: r.Title, ExpiresAt: v.link.ExpiresAt, Stage: api.VisitStage(page.Stage), Say: page.Say, Away: visit.SayAway(), Next: page.Next,
		Answers: append([]visit.Answer{}, r.Answers...),
	}
	for _, sign := range visit.Signs {
		now.Signs = append(now.Signs, string(sign))
	}
	// Through JSON: the contract spells the same shapes out.
	outlets := []map[string]string{}
	for _, box := range r.Circuit.Order() {
		for _, d := range r.Circuit.Box(box).Devices {
			outlets = append(outlets, map[string]string{"box": box, "device": d.ID, "label": r.Circuit.LabelOf(box)})
		}
	}
	for _, part := range []struct{ from, to any }{{page.Guards, &now.Guards}, {outlets, &now.Outlets}} {
		data, err := json.Marshal(part.from)
		if err != nil {
			return now, err
		}
		if err := json.Unmarshal(data, part.to); err != nil {
			return now, err
		}
	}
	for _, p := range r.Pictures {
		if p.Phase == string(job.Complaint) && !p.Withdrawn {
			now.Pictures++
		}
	}
	return now, nil
}

// GetVisit shows the customer's page.
func (s *calls) GetVisit(ctx context.Context, r api.GetVisitRequestObject) (api.GetVisitResponseObject, error) {
	now, err := s.visitNow(ctx, r.Token)
	return api.GetVisit200JSONResponse{VisitNowJSONResponse: now}, err
}

// ofCustomer is a command of who answers through the link, by the id sent with it.
func (s *calls) ofCustomer(id string, do corecall.Doing) corecall.Command {
	return corecall.Command{ID: id, At: s.now(), Device: corecall.Customer, Person: "the customer", Do: do}
}

// AnswerVisit keeps what the customer says, and what follows from it.
func (s *calls) AnswerVisit(
	ctx context.Context,
	r api.AnswerVisitRequestObject,
) (api.AnswerVisitResponseObject, error) {
	if err := desk.CheckID(r.Body.Id); err != nil {
		return nil, err
	}
	v, err := s.visiting(ctx, r.Token)
	if err != nil {
		return nil, err
	}
	id := fmt.Sprintf("visit-%d-%s", v.at.ID, r.Body.Id)
	if _, err := s.Do(ctx, v.at.ID, s.ofCustomer(id, &corecall.GiveAnswer{ID: id, Answer: r.Body.Answer}), nil); err != nil {
		return nil, err
	}
	now, err := s.visitNow(ctx, r.Token)
	made(ctx, "/visits/%s", r.Token)
	return api.AnswerVisit201JSONResponse{VisitNowJSONResponse: now}, err
}

// PicturesOfVisit keeps a photograph of the customer's.
func (s *calls) PicturesOfVisit(
	ctx context.Context,
	r api.PicturesOfVisitRequestObject,
) (api.PicturesOfVisitResponseObject, error) {
	if err := desk.CheckID(r.Params.Id); err != nil {
		return nil, err
	}
	v, err := s.visiting(ctx, r.Token)
	if err != nil {
		return nil, err
	}
	// Before the picture is looked at; and again when it is kept.
	id := fmt.Sprintf("visit-%d-%s", v.at.ID, r.Params.Id)
	c := s.ofCustomer(id, &corecall.AddPicture{ID: id, Phase: string(job.Complaint)})
	if _, _, err := v.at.Record.Decide(c, corecall.House{Guards: v.guards}); err != nil {
		return nil, err
	}
	clean, err := photograph(r.Body, picture.OfCustomers)
	if err != nil {
		return nil, err
	}
	if _, err := s.Do(ctx, v.at.ID, c, clean); err != nil {
		return nil, err
	}
	now, err := s.visitNow(ctx, r.Token)
	made(ctx, "/visits/%s", r.Token)
	return api.PicturesOfVisit201JSONResponse{VisitNowJSONResponse: now}, err
}
