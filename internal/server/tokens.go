package server

import (
	"context"
	"crypto/rand"
	"errors"
	"net/http"
	"strings"

	"elvat/core/job"
	"elvat/internal/api"
	"elvat/internal/desk"
	"elvat/internal/store"
)

// tokenPrefix begins every token, so that one that was left in a file is found.
const tokenPrefix = "elvat_"

// mostTokens bounds those of one person. Assumption.
const mostTokens = 50

// byToken is who the request's token belongs to, and the least of what the person and
// the token may; false where the request has none.
func (a *access) byToken(r *http.Request, by *desk.Caller) (bool, error) {
	token, ok := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer ")
	if !ok {
		return false, nil
	}
	p, t, err := a.store.TokenOf(r.Context(), strings.TrimSpace(token))
	if errors.Is(err, store.ErrNotFound) {
		return true, refused{http.StatusUnauthorized, errors.New("this token opens nothing: it may have been withdrawn")}
	}
	if err != nil {
		return true, err
	}
	by.Person, by.Role, by.Program = p.Name, job.Role(p.Role).With(job.Role(t.Role)), true
	if now := a.now(); t.UsedAt == nil || now.Sub(*t.UsedAt) > seenEvery {
		return true, a.store.TokenUsed(r.Context(), t.ID, now)
	}
	return true, nil
}

// self is the person who is signed in at the browser that asks.
func (s *calls) self(ctx context.Context) (store.Person, error) {
	by := desk.CallerOf(ctx)
	if by.Person == "" {
		return store.Person{}, badInput{errors.New("nobody has to sign in on this machine, programs neither")}
	}
	return s.store.PersonNamed(ctx, by.Person)
}

func (s *calls) tokensOf(ctx context.Context, person int64) ([]api.AccessToken, error) {
	kept, err := s.store.Tokens(ctx, person)
	all := make([]api.AccessToken, len(kept))
	for i, t := range kept {
		all[i] = api.AccessToken{Id: t.ID, Name: t.Name, Role: api.Role(t.Role), CreatedAt: t.CreatedAt, UsedAt: t.UsedAt}
	}
	return all, err
}

// ListTokens lists what one gave programs to sign in with.
func (s *calls) ListTokens(ctx context.Context, _ api.ListTokensRequestObject) (api.ListTokensResponseObject, error) {
	p, err := s.self(ctx)
	if err != nil {
		return nil, err
	}
	all, err := s.tokensOf(ctx, p.ID)
	return api.ListTokens200JSONResponse(all), err
}

// AddToken makes one more.
func (s *calls) AddToken(ctx context.Context, r api.AddTokenRequestObject) (api.AddTokenResponseObject, error) {
	p, err := s.self(ctx)
	if err != nil {
		return nil, err
	}
	t := store.Token{Name: strings.TrimSpace(r.Body.Name), Role: string(r.Body.Role), CreatedAt: s.now()}
	if t.Name == "" || len(t.Name) > 100 || strings.ContainsFunc(t.Name, func(r rune) bool { return r < ' ' }) {
		return nil, badInput{errors.New("name: which program is it for?")}
	}
	if err := job.Role(t.Role).Check(); err != nil {
		return nil, badInput{err}
	}
	before, err := s.store.Tokens(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	if len(before) >= mostTokens {
		return nil, badInput{errors.New("name: there are too many: withdraw one first")}
	}
	token := tokenPrefix + rand.Text() + rand.Text() // 260 bits: nobody guesses it
	if err := s.store.AddToken(ctx, p.ID, t, token); err != nil {
		return nil, err
	}
	about(ctx, "%s, %s", t.Name, t.Role)
	made(ctx, "/tokens")
	all, err := s.tokensOf(ctx, p.ID)
	return api.AddToken201JSONResponse{Token: token, Tokens: all}, err
}

// WithdrawToken takes one out of force, at once.
func (s *calls) WithdrawToken(
	ctx context.Context,
	r api.WithdrawTokenRequestObject,
) (api.WithdrawTokenResponseObject, error) {
	p, err := s.self(ctx)
	if err != nil {
		return nil, err
	}
	if err := s.store.WithdrawToken(ctx, p.ID, r.AccessToken); err != nil {
		return nil, err
	}
	all, err := s.tokensOf(ctx, p.ID)
	return api.WithdrawToken200JSONResponse(all), err
}
