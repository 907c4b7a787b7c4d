package server

import (
	"cmp"
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"errors"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/pquerna/otp"
	"github.com/pquerna/otp/totp"
	"github.com/skip2/go-qrcode"

	"elvat/core/job"
	"elvat/core/strict"
	"elvat/internal/api"
	"elvat/internal/desk"
	"elvat/internal/store"
)

var (
	errTicket = refused{http.StatusUnauthorized, errors.New("that took too long, or too many tries: sign in anew")}
	errFactor = refused{http.StatusUnauthorized, errors.New("that is not it: a code is good for half a minute, and once")}
)

// factorsOf are the kinds of second factor that the person has; none where they have only
// recovery codes, or nothing.
func (a *access) factorsOf(ctx context.Context, person int64) (kinds []string, err error) {
	all, err := a.store.Factors(ctx, person)
	own := false
	for _, f := range all {
		if f.Kind == store.Recovery && f.UsedAt != nil {
			continue
		}
		own = own || f.Kind != store.Recovery
		if !slices.Contains(kinds, string(f.Kind)) {
			kinds = append(kinds, string(f.Kind))
		}
	}
	if !own {
		return nil, err
	}
	return kinds, err
}

// wantsFactor reports whether the shop asks somebody of that role for a second factor.
func wantsFactor(rules api.DoorRules, role job.Role) bool {
	return rules.SecondFactor && role == job.Electrician
}

// needsFactor reports who is asked for a second factor and has none.
func (a *access) needsFactor(ctx context.Context, rules api.DoorRules, person int64, role job.Role) (bool, error) {
	if !wantsFactor(rules, role) {
		return false, nil
	}
	kinds, err := a.factorsOf(ctx, person)
	return len(kinds) == 0, err
}

// stepSeconds is how long one one-time code is good. Source: RFC 6238, 5.2.
const stepSeconds = 30

// codeAt is the step of the code, which may be one early or late; 0 where it is wrong.
func codeAt(key, code string, now time.Time) int64 {
	code = strings.ReplaceAll(code, " ", "")
	for _, skew := range []int64{0, -1, 1} {
		step := now.Unix()/stepSeconds + skew
		want, err := totp.GenerateCodeCustom(key, time.Unix(step*stepSeconds, 0), totp.ValidateOpts{
			Period: stepSeconds, Digits: otp.DigitsSix, Algorithm: otp.AlgorithmSHA1,
		})
		if err == nil && subtle.ConstantTimeCompare([]byte(want), []byte(code)) == 1 {
			return step
		}
	}
	return 0
}

// recoveryForm is a recovery code as it is kept, however it was typed.
func recoveryForm(code string) string {
	return strings.ToUpper(strings.NewReplacer("-", "", " ", "").Replace(code))
}

// FinishSignIn takes the second factor of a sign-in.
func (s *calls) FinishSignIn(ctx context.Context, r api.FinishSignInRequestObject) (api.FinishSignInResponseObject, error) {
	half, ok := s.access.pendings.try(r.Body.Ticket, s.now())
	if !ok || half.making || !s.access.tries.allow(askingOf(ctx).place, s.now()) {
		return nil, errTicket
	}
	p, err := s.store.Person(ctx, half.person)
	if err != nil || p.Withdrawn {
		return nil, errors.Join(err, errTicket)
	}
	browser, err := s.access.known(ctx, p.Name)
	if err != nil {
		return nil, err
	}
	since := s.now().Add(-failuresWithin)
	failures, err := s.store.Failures(ctx, "second "+p.Name, browser, since)
	if err != nil {
		return nil, err
	}
	if failures >= mostFailures {
		return nil, errTooMany
	}
	with, err := s.shown(ctx, &p, half, r.Body)
	if err != nil {
		if errors.Is(err, errFactor) {
			err = errors.Join(
				err, s.store.Failed(ctx, "second "+p.Name, browser, s.now(), s.now().Add(-24*time.Hour)),
				s.access.noteOf(ctx, store.Event{What: "second-factor-failed", About: p.Name}),
			)
		}
		return nil, err
	}
	s.access.pendings.end(r.Body.Ticket)
	if with == store.Recovery {
		if err := s.access.noteOf(ctx, store.Event{What: "recovery-used", Person: p.Name}); err != nil {
			return nil, err
		}
	}
	now, cookie, err := s.signedInAs(ctx, p)
	return api.FinishSignIn200JSONResponse{Body: now, Headers: api.FinishSignIn200ResponseHeaders{SetCookie: &cookie}}, err
}

// shown is the kind of second factor that was shown; errFactor where none was.
func (s *calls) shown(ctx context.Context, p *store.Person, half pending, body *api.FinishSignInJSONRequestBody) (store.FactorKind, error) {
	switch {
	case body.Recovery != nil:
		err := s.store.UseRecovery(ctx, p.ID, recoveryForm(*body.Recovery), s.now())
		if errors.Is(err, store.ErrNotFound) {
			err = errFactor
		}
		return store.Recovery, err
	case body.Code != nil:
		all, err := s.store.Factors(ctx, p.ID)
		if err != nil {
			return "", err
		}
		for _, f := range all {
			if f.Kind != store.OneTime {
				continue
			}
			if step := codeAt(f.Secret, *body.Code, s.now()); step != 0 {
				err := s.store.UseCode(ctx, f.ID, step, s.now())
				if errors.Is(err, store.ErrNotFound) { // it was shown before
					err = errFactor
				}
				return store.OneTime, err
			}
		}
		return "", errFactor
	case body.Passkey != nil && half.asked != nil:
		return store.Passkey, s.passkey(ctx, p, half.asked, *body.Passkey)
	}
	return "", errFactor
}

func (s *calls) factorsNow(ctx context.Context, person int64) (now api.FactorsNowJSONResponse, err error) {
	now.All = []api.Factor{}
	all, err := s.store.Factors(ctx, person)
	if err != nil {
		return now, err
	}
	for _, f := range all {
		if f.Kind == store.Recovery {
			if f.UsedAt == nil {
				now.Recovery++
			}
			continue
		}
		now.All = append(now.All, api.Factor{Id: f.ID, Kind: api.FactorKind(f.Kind), Name: f.Name, CreatedAt: f.CreatedAt, UsedAt: f.UsedAt})
	}
	now.Wanted = wantsFactor(askingOf(ctx).rules, desk.CallerOf(ctx).Role)
	return now, nil
}

// ListFactors lists one's own.
func (s *calls) ListFactors(ctx context.Context, _ api.ListFactorsRequestObject) (api.ListFactorsResponseObject, error) {
	p, err := s.self(ctx)
	if err != nil {
		return nil, err
	}
	now, err := s.factorsNow(ctx, p.ID)
	return api.ListFactors200JSONResponse{FactorsNowJSONResponse: now}, err
}

// mostFactors bounds those of one person. Assumption.
const mostFactors = 20

// nameOfFactor is what a new one is called.
func (s *calls) nameOfFactor(ctx context.Context, person int64, said string) (string, error) {
	name := strings.TrimSpace(said)
	if name == "" {
		return "", badInput{errors.New("name: what is it kept on?")}
	}
	if err := strict.Name("name", name); err != nil {
		return "", badInput{err}
	}
	all, err := s.store.Factors(ctx, person)
	all = slices.DeleteFunc(all, func(f store.Factor) bool { return f.Kind == store.Recovery })
	if err == nil && len(all) >= mostFactors {
		err = badInput{errors.New("name: there are too many: take one away first")}
	}
	return name, err
}

// BeginCode makes a key for one-time codes. It counts once a code of it was given.
func (s *calls) BeginCode(ctx context.Context, _ api.BeginCodeRequestObject) (api.BeginCodeResponseObject, error) {
	p, err := s.self(ctx)
	if err != nil {
		return nil, err
	}
	key, err := totp.Generate(totp.GenerateOpts{Issuer: cmp.Or(s.Shop, "Elvat"), AccountName: p.Name})
	if err != nil {
		return nil, err
	}
	picture, err := qrcode.Encode(key.URL(), qrcode.Medium, 256)
	if err != nil {
		return nil, err
	}
	return api.BeginCode200JSONResponse{
		Ticket: s.access.pendings.add(pending{person: p.ID, until: s.now().Add(2 * pendingFor), key: key.Secret(), making: true}),
		Key:    key.Secret(), Address: key.URL(), Picture: "data:image/png;base64," + base64.StdEncoding.EncodeToString(picture),
	}, nil
}

// making is what is being set up under the ticket by who asks.
func (s *calls) making(ctx context.Context, ticket string) (store.Person, pending, error) {
	p, err := s.self(ctx)
	if err != nil {
		return p, pending{}, err
	}
	half, ok := s.access.pendings.try(ticket, s.now())
	if !ok || !half.making || half.person != p.ID {
		return p, half, badInput{errors.New("ticket: that took too long, or too many tries: begin anew")}
	}
	return p, half, nil
}

// AddCode keeps the key whose first code was given.
func (s *calls) AddCode(ctx context.Context, r api.AddCodeRequestObject) (api.AddCodeResponseObject, error) {
	p, half, err := s.making(ctx, r.Body.Ticket)
	if err != nil {
		return nil, err
	}
	name, err := s.nameOfFactor(ctx, p.ID, r.Body.Name)
	if err != nil {
		return nil, err
	}
	step := codeAt(half.key, r.Body.Code, s.now())
	if half.key == "" || step == 0 {
		return nil, badInput{errors.New("code: that is not the one it shows now: is the phone's clock right?")}
	}
	s.access.pendings.end(r.Body.Ticket)
	err = s.store.InTransaction(ctx, func(ctx context.Context) error {
		id, err := s.store.AddFactor(ctx, p.ID, store.Factor{Kind: store.OneTime, Name: name, Secret: half.key, CreatedAt: s.now()})
		if err != nil {
			return err
		}
		return s.store.UseCode(ctx, id, step, s.now())
	})
	if err != nil {
		return nil, err
	}
	about(ctx, "one-time codes, %s", name)
	now, err := s.factorsNow(ctx, p.ID)
	return api.AddCode200JSONResponse{FactorsNowJSONResponse: now}, err
}

// RemoveFactor takes one away.
func (s *calls) RemoveFactor(ctx context.Context, r api.RemoveFactorRequestObject) (api.RemoveFactorResponseObject, error) {
	p, err := s.self(ctx)
	if err != nil {
		return nil, err
	}
	if err := s.store.RemoveFactor(ctx, p.ID, r.Factor); err != nil {
		return nil, err
	}
	now, err := s.factorsNow(ctx, p.ID)
	return api.RemoveFactor200JSONResponse{FactorsNowJSONResponse: now}, err
}

// recoveryCodes is how many there are. Assumption. Each is of 120 bits. Source: OWASP ASVS
// 4.0.3, 2.6.2 (from memory) asks for 112.
const (
	recoveryCodes  = 8
	recoveryLength = 24
	recoveryGroup  = 6
)

// MakeRecovery makes codes that each open once, in the place of all there were.
func (s *calls) MakeRecovery(ctx context.Context, _ api.MakeRecoveryRequestObject) (api.MakeRecoveryResponseObject, error) {
	p, err := s.self(ctx)
	if err != nil {
		return nil, err
	}
	kinds, err := s.access.factorsOf(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	if len(kinds) == 0 {
		return nil, badInput{errors.New("set up a second factor first: a recovery code stands in for it")}
	}
	shown, kept := make([]string, recoveryCodes), make([]string, recoveryCodes)
	for i := range shown {
		kept[i] = rand.Text()[:recoveryLength]
		var groups []string
		for group := range slices.Chunk([]byte(kept[i]), recoveryGroup) {
			groups = append(groups, string(group))
		}
		shown[i] = strings.Join(groups, "-")
	}
	made(ctx, "/factors")
	return api.MakeRecovery201JSONResponse{Codes: shown}, s.store.SetRecovery(ctx, p.ID, kept, s.now())
}
