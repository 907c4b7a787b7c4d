package server

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"image"
	"image/jpeg"
	_ "image/png" // a picture may be one
	"io"
	"strings"
	"sync"

	corecall "elvat/core/call"
	"elvat/internal/api"
	"elvat/internal/desk"
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

// Bounds of a picture: browsers shrink theirs to far below them before they
// send. Assumption.
const (
	mostPixels  = 24 << 20
	jpegQuality = 85
)

// drawing holds back all pictures but one: decoded they are large.
var drawing sync.Mutex

// photograph is the picture that was sent, drawn anew: where and by whom it was
// taken stays behind.
func photograph(body io.Reader) ([]byte, error) {
	data, err := io.ReadAll(body)
	if err != nil {
		return nil, err
	}
	clean, err := redrawn(data)
	if err != nil {
		return nil, badInput{fmt.Errorf("photograph: %w", err)}
	}
	return clean, nil
}

// redrawn is the picture as JPEG, with nothing in it but the picture.
func redrawn(data []byte) ([]byte, error) {
	drawing.Lock()
	defer drawing.Unlock()
	size, _, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return nil, errors.New("not a JPEG or PNG picture")
	}
	if size.Width <= 0 || size.Height <= 0 || size.Width > mostPixels/size.Height {
		return nil, fmt.Errorf("%d by %d pixels are too many", size.Width, size.Height)
	}
	picture, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, fmt.Errorf("the picture is damaged: %w", err)
	}
	var out bytes.Buffer
	if err := jpeg.Encode(&out, picture, &jpeg.Options{Quality: jpegQuality}); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
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
	picture, err := s.store.Image(ctx, r.Call, k.ID)
	if err != nil {
		return nil, err
	}
	return api.GetPhotograph200ImagejpegResponse{Body: bytes.NewReader(picture), ContentLength: int64(len(picture))}, nil
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
