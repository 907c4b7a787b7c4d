package server

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/job"
	"elvat/core/visit"
	"elvat/internal/api"
	"elvat/internal/store"
)

// visitFor is how long a customer's link is in force. Assumption.
const visitFor = 7 * 24 * time.Hour

// Bounds of what one link can bring in. Assumption.
const (
	mostAnswers       = 300
	mostVisitPictures = 12
)

// MakeVisit makes a link for the customer.
func (s *calls) MakeVisit(ctx context.Context, r api.MakeVisitRequestObject) (api.MakeVisitResponseObject, error) {
	if _, err := s.store.Call(ctx, r.Call); err != nil {
		return nil, err
	}
	token := rand.Text() + rand.Text() // 260 bits: nobody guesses it
	v := store.Visit{Call: r.Call, MadeAt: s.now(), ExpiresAt: s.now().Add(visitFor)}
	if err := s.store.AddVisit(ctx, token, v); err != nil {
		return nil, err
	}
	return api.MakeVisit201JSONResponse{Path: "/visit/" + token, ExpiresAt: v.ExpiresAt}, nil
}

// EndVisit ends the customer's link.
func (s *calls) EndVisit(ctx context.Context, r api.EndVisitRequestObject) (api.EndVisitResponseObject, error) {
	if err := s.store.EndVisits(ctx, r.Call); err != nil {
		return nil, err
	}
	now, err := s.callNow(ctx, r.Call)
	return api.EndVisit200JSONResponse{CallNowJSONResponse: now}, err
}

// A visiting is a customer's page with what it is worked out from. Nothing else
// of the shop is read for it.
type visiting struct {
	link    store.Visit
	call    store.Call
	circuit *circuit.Circuit
	guards  []visit.Guard
	answers []visit.Answer
}

var errNoVisit = errors.New("this link is not in force: it may have run out. Ask the shop for another")

func (s *calls) visiting(ctx context.Context, token string) (v visiting, err error) {
	if v.link, err = s.store.Visit(ctx, token, s.now()); err != nil {
		if errors.Is(err, store.ErrNotFound) {
			return v, errNoVisit
		}
		return v, err
	}
	if v.call, err = s.store.Call(ctx, v.link.Call); err != nil {
		return v, err
	}
	if v.circuit, err = s.circuit(ctx, v.call.ID); err != nil {
		return v, err
	}
	kept, err := s.store.Answers(ctx, v.call.ID)
	if err != nil {
		return v, err
	}
	for _, k := range kept {
		var a visit.Answer
		if err := json.Unmarshal(k.Document, &a); err != nil {
			return v, err
		}
		v.answers = append(v.answers, a)
	}
	v.guards, err = s.guardsOf(ctx, v.call, v.circuit)
	return v, err
}

// guardsOf are the GFCIs that the site book knows in the house: those of the
// call's own run first.
func (s *calls) guardsOf(ctx context.Context, call store.Call, c *circuit.Circuit) ([]visit.Guard, error) {
	panel, err := s.store.PanelOfRun(ctx, call.Run)
	if err != nil {
		return nil, err
	}
	known, err := s.store.GFCIsOfSite(ctx, panel.Site)
	if err != nil {
		return nil, err
	}
	var own, others []visit.Guard
	for i := range c.Boxes { // as the run is now, should the register lag behind
		for _, d := range c.Boxes[i].Devices {
			if d.Kind == circuit.GFCI {
				own = append(own, visit.Guard{Key: fmt.Sprintf("%d.%s", call.Run, d.ID), Label: c.LabelOf(c.Boxes[i].ID), Of: call.Title, Own: true})
			}
		}
	}
	for _, g := range known {
		if g.Run != call.Run && g.Device != circuit.Panel {
			others = append(others, visit.Guard{Key: fmt.Sprintf("%d.%s", g.Run, g.Device), Label: g.Label, Of: g.RunName})
		}
	}
	return append(own, others...), nil
}

func (s *calls) visitNow(ctx context.Context, token string) (api.VisitNowJSONResponse, error) {
	v, err := s.visiting(ctx, token)
	if err != nil {
		return api.VisitNowJSONResponse{}, err
	}
	page := visit.Walk(v.guards, v.answers)
	now := api.VisitNowJSONResponse{
		Shop: s.shop, Title: v.call.Title, ExpiresAt: v.link.ExpiresAt, Stage: api.VisitStage(page.Stage), Say: page.Say, Next: page.Next,
		Answers: append([]visit.Answer{}, v.answers...),
	}
	for _, sign := range visit.Signs {
		now.Signs = append(now.Signs, string(sign))
	}
	// Through JSON: the contract spells the same shapes out.
	outlets := []map[string]string{}
	for _, box := range v.circuit.Order() {
		for _, d := range v.circuit.Box(box).Devices {
			outlets = append(outlets, map[string]string{"box": box, "device": d.ID, "label": v.circuit.LabelOf(box)})
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
	pictures, err := s.store.Pictures(ctx, v.call.ID)
	for _, p := range pictures {
		if p.Phase == string(job.Complaint) {
			now.Pictures++
		}
	}
	return now, err
}

// GetVisit shows the customer's page.
func (s *calls) GetVisit(ctx context.Context, r api.GetVisitRequestObject) (api.GetVisitResponseObject, error) {
	now, err := s.visitNow(ctx, r.Token)
	return api.GetVisit200JSONResponse{VisitNowJSONResponse: now}, err
}

// AnswerVisit keeps what the customer says, and what follows from it.
func (s *calls) AnswerVisit(ctx context.Context, r api.AnswerVisitRequestObject) (api.AnswerVisitResponseObject, error) {
	if err := idOf(r.Body.Id); err != nil {
		return nil, err
	}
	v, err := s.visiting(ctx, r.Token)
	if err != nil {
		return nil, err
	}
	ctx = context.WithValue(ctx, callerKey{}, caller{device: store.Customer, person: "the customer"})
	err = s.act(ctx, v.call.ID, "answer of the customer", func(ctx context.Context) error {
		v, err := s.visiting(ctx, r.Token)
		if err != nil {
			return err
		}
		a := r.Body.Answer
		if err := a.Check(v.circuit, v.guards); err != nil {
			return badInput{err}
		}
		if err := visit.Allowed(v.answers, a); err != nil {
			return badInput{err}
		}
		if len(v.answers) >= mostAnswers {
			return badInput{errors.New("that is all this link can take: call the shop")}
		}
		document, err := json.Marshal(a)
		if err != nil {
			return err
		}
		id := fmt.Sprintf("visit-%d-%s", v.call.ID, r.Body.Id)
		if err := s.store.AddAnswer(ctx, v.call.ID, store.Entry{ID: id, At: s.now(), Document: document}); err != nil {
			return err
		}
		return s.followAnswers(ctx, v.call, v.circuit, v.guards, append(slices.Clone(v.answers), a))
	})
	if err != nil {
		return nil, err
	}
	now, err := s.visitNow(ctx, r.Token)
	return api.AnswerVisit201JSONResponse{VisitNowJSONResponse: now}, err
}

// followAnswers enters the answers as evidence: readings for what was said of
// outlets and resets, the latest of each in force, and conditions of the place.
func (s *calls) followAnswers(ctx context.Context, call store.Call, c *circuit.Circuit, guards []visit.Guard, answers []visit.Answer) error {
	var known diagnosis.Conditions
	if call.Conditions != nil {
		if err := json.Unmarshal(call.Conditions, &known); err != nil {
			return err
		}
	}
	conditions, err := json.Marshal(visit.Conditions(known, answers))
	if err != nil {
		return err
	}
	if before, err := json.Marshal(known); err != nil || string(before) != string(conditions) {
		if err := errors.Join(err, s.store.SetConditions(ctx, call.ID, conditions)); err != nil {
			return err
		}
	}
	stored, err := s.store.Readings(ctx, call.ID)
	if err != nil {
		return err
	}
	kept := make([]visit.Kept, len(stored))
	for i, r := range stored {
		kept[i] = visit.Kept{ID: r.ID, Document: string(r.Document), Withdrawn: r.Withdrawn}
	}
	enter, withdraw, err := visit.Follow(call.ID, visit.Readings(c, guards, answers), kept)
	if err != nil {
		return err
	}
	for _, id := range withdraw {
		if err := s.store.WithdrawReading(ctx, call.ID, id, true); err != nil {
			return err
		}
	}
	for _, w := range enter {
		document, err := json.Marshal(w.Reading)
		if err != nil {
			return err
		}
		if err := s.store.AddReading(ctx, call.ID, store.Reading{ID: w.ID, TakenAt: s.now(), Document: document}); err != nil {
			return err
		}
	}
	return nil
}

// PicturesOfVisit keeps a photograph of the customer's.
func (s *calls) PicturesOfVisit(ctx context.Context, r api.PicturesOfVisitRequestObject) (api.PicturesOfVisitResponseObject, error) {
	if err := idOf(r.Params.Id); err != nil {
		return nil, err
	}
	now, err := s.visitNow(ctx, r.Token)
	if err != nil {
		return nil, err
	}
	switch {
	case now.Stage == api.VisitStageStayAway || now.Stage == api.VisitStageDanger:
		return nil, badInput{errors.New("no photographs now: leave it off and stay away")}
	case now.Pictures >= mostVisitPictures:
		return nil, badInput{fmt.Errorf("at most %d photographs: call the shop", mostVisitPictures)}
	}
	clean, err := photograph(r.Body)
	if err != nil {
		return nil, err
	}
	v, err := s.visiting(ctx, r.Token)
	if err != nil {
		return nil, err
	}
	p := store.Picture{SentAs: fmt.Sprintf("visit-%d-%s", v.call.ID, r.Params.Id), Phase: string(job.Complaint), TakenAt: s.now()}
	ctx = context.WithValue(ctx, callerKey{}, caller{device: store.Customer, person: "the customer"})
	if err := s.act(ctx, v.call.ID, "photograph of the customer", func(ctx context.Context) error {
		_, err := s.store.AddPicture(ctx, v.call.ID, p, clean)
		return err
	}); err != nil {
		return nil, err
	}
	now, err = s.visitNow(ctx, r.Token)
	return api.PicturesOfVisit201JSONResponse{VisitNowJSONResponse: now}, err
}
