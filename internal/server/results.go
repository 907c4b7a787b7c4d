package server

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base32"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	corecall "elvat/core/call"
	"elvat/core/result"
	"elvat/internal/api"
	"elvat/internal/desk"
	"elvat/internal/store"
)

// resultFor is how long a customer's link to the result is in force. Assumption.
const resultFor = 60 * 24 * time.Hour

// MakeResult makes a link to what came of the call.
func (s *calls) MakeResult(ctx context.Context, r api.MakeResultRequestObject) (api.MakeResultResponseObject, error) {
	at, err := s.store.Load(ctx, r.Call)
	if err != nil {
		return nil, err
	}
	if !at.Record.HandedOver() {
		return nil, badInput{errors.New("the call is not handed over yet: there is no result to show")}
	}
	token := rand.Text() + rand.Text() // 260 bits: nobody guesses it
	v := store.Visit{Call: r.Call, MadeAt: s.now(), ExpiresAt: s.now().Add(resultFor)}
	if err := s.store.AddVisit(ctx, token, store.OfResult, v); err != nil {
		return nil, err
	}
	made(ctx, "/results/%s", token)
	return api.MakeResult201JSONResponse{Path: "/result/" + token, ExpiresAt: v.ExpiresAt}, nil
}

// EndResult ends that link.
func (s *calls) EndResult(ctx context.Context, r api.EndResultRequestObject) (api.EndResultResponseObject, error) {
	if err := s.store.EndVisits(ctx, r.Call, store.OfResult); err != nil {
		return nil, err
	}
	now, err := s.callNow(ctx, r.Call)
	return api.EndResult200JSONResponse{CallNowJSONResponse: now}, err
}

// ofResult is the link with the token, and the call it opens.
func (s *calls) ofResult(ctx context.Context, token string) (store.Visit, *desk.State, error) {
	link, err := s.store.Visit(ctx, token, store.OfResult, s.now())
	if errors.Is(err, store.ErrNotFound) {
		return link, nil, errNoVisit
	}
	if err != nil {
		return link, nil, err
	}
	v, err := s.Load(ctx, link.Call)
	return link, v, err
}

// GetResult shows what came of the call.
func (s *calls) GetResult(ctx context.Context, r api.GetResultRequestObject) (api.GetResultResponseObject, error) {
	link, v, err := s.ofResult(ctx, r.Token)
	if err != nil {
		return nil, err
	}
	src, err := s.Source(ctx, v)
	if err != nil {
		return nil, err
	}
	page := api.GetResult200JSONResponse{ExpiresAt: link.ExpiresAt, Result: result.Of(src.Report(), v.Circuit)}
	page.Pictures = make([]struct {
		Caption string `json:"caption"`
		Id      string `json:"id"`
	}, 0)
	for _, p := range v.Record.Pictures {
		if p.Withdrawn {
			continue
		}
		page.Pictures = append(page.Pictures, struct {
			Caption string `json:"caption"`
			Id      string `json:"id"`
		}{v.Caption(p), p.ID})
	}
	return page, nil
}

// GetResultPicture is one picture of that page.
func (s *calls) GetResultPicture(
	ctx context.Context,
	r api.GetResultPictureRequestObject,
) (api.GetResultPictureResponseObject, error) {
	link, v, err := s.ofResult(ctx, r.Token)
	if err != nil {
		return nil, err
	}
	if !slices.ContainsFunc(v.Record.Pictures, func(p corecall.Picture) bool { return p.ID == r.Picture && !p.Withdrawn }) {
		return nil, store.ErrNotFound
	}
	picture, err := s.store.Image(ctx, link.Call, r.Picture)
	if err != nil {
		return nil, err
	}
	return api.GetResultPicture200ImagejpegResponse{Body: bytes.NewReader(picture), ContentLength: int64(len(picture))}, nil
}

// labelKey is the name under which the key of the labels' codes is kept.
const labelKey = "label-key"

// codes is the key that makes the codes of labels; made once, so that what was printed
// goes on opening its page.
func (s *calls) codes(ctx context.Context) (key []byte, err error) {
	if key, err = s.store.Setting(ctx, labelKey); err != nil || key != nil {
		return key, err
	}
	err = s.store.InTransaction(ctx, func(ctx context.Context) error {
		if key, err = s.store.Setting(ctx, labelKey); err != nil || key != nil {
			return err
		}
		key = []byte(rand.Text() + rand.Text())
		return s.store.Set(ctx, labelKey, key)
	})
	return key, err
}

// code is that of a GFCI, for its label.
func (s *calls) code(ctx context.Context, run int64, device string) (string, error) {
	key, err := s.codes(ctx)
	return codeOf(key, run, device), err
}

// codeOf names a GFCI of a run so that nobody who has one code can make another: the
// name, and the first 80 bits of its HMAC-SHA-256.
func codeOf(key []byte, run int64, device string) string {
	name := fmt.Sprintf("%d.%s", run, device)
	sum := hmac.New(sha256.New, key)
	sum.Write([]byte(name))
	return letters.EncodeToString([]byte(name)) + "-" + letters.EncodeToString(sum.Sum(nil)[:10])
}

var letters = base32.StdEncoding.WithPadding(base32.NoPadding)

var errNoCode = refused{http.StatusNotFound, errors.New("this code opens nothing here: ask the shop whose label it is")}

// GetGuard shows what hangs on a GFCI, by the code of its label.
func (s *calls) GetGuard(ctx context.Context, r api.GetGuardRequestObject) (api.GetGuardResponseObject, error) {
	key, err := s.codes(ctx)
	if err != nil {
		return nil, err
	}
	coded, _, _ := strings.Cut(r.Token, "-")
	name, err := letters.DecodeString(coded)
	if err != nil {
		return nil, errNoCode
	}
	number, device, _ := strings.Cut(string(name), ".")
	run, err := strconv.ParseInt(number, 10, 64)
	if err != nil || !hmac.Equal([]byte(codeOf(key, run, device)), []byte(r.Token)) {
		return nil, errNoCode
	}
	calls, err := s.store.CallsOfRun(ctx, run, 0, 1)
	if err != nil {
		return nil, err
	}
	if len(calls) == 0 {
		return nil, errNoCode
	}
	c, err := s.Circuit(ctx, calls[0])
	if err != nil {
		return nil, err
	}
	for _, g := range result.Guards(c) {
		if g.Device == device {
			return api.GetGuard200JSONResponse(g), nil
		}
	}
	return nil, errNoCode
}

// address is how the one who asks reaches this server.
func address(ctx context.Context) string {
	r := askingOf(ctx).request
	if r == nil {
		return ""
	}
	scheme := "http"
	if r.TLS != nil || askingOf(ctx).proxied {
		scheme = "https" // who stands before this server ends TLS
	}
	return scheme + "://" + r.Host
}
