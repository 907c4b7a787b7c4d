package server

import (
	"cmp"
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/go-webauthn/webauthn/protocol"
	"github.com/go-webauthn/webauthn/webauthn"
	"github.com/pquerna/otp"
	"github.com/pquerna/otp/totp"
	"github.com/skip2/go-qrcode"

	"elvat/core/job"
	"elvat/core/strict"
	"elvat/internal/api"
	"elvat/internal/desk"
	"elvat/internal/store"
)

// A half1 is what stands between two requests of one person: a sign-in that waits for its
// second factor, or a factor that is being set up. It is gone when the program ends.
type half1 struct {
	person int64
	until  time.Time
	tries  int
	key    string                // of one-time codes, being set up
	asked  *webauthn.SessionData // of a passkey
	making bool                  // a factor is being set up
}

// Bounds of what waits for its second half. Assumption.
const (
	halfFor    = 5 * time.Minute
	mostTries  = 5
	mostHalves = 4096
)

// halves are those by their tickets.
type halves struct {
	mu  sync.Mutex
	all map[string]*half1
}

func newHalves() *halves { return &halves{all: map[string]*half1{}} }

// add keeps one and returns its ticket.
func (h *halves) add(one half1) string {
	ticket := rand.Text() + rand.Text()
	h.mu.Lock()
	defer h.mu.Unlock()
	if len(h.all) >= mostHalves {
		clear(h.all) // they sign in again
	}
	h.all[ticket] = &one
	return ticket
}

// try counts a try of the ticket and returns what it stands for; ok is false where it has run
// out.
func (h *halves) try(ticket string, now time.Time) (one half1, ok bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	kept := h.all[ticket]
	if kept == nil {
		return one, false
	}
	kept.tries++
	if now.After(kept.until) || kept.tries > mostTries {
		delete(h.all, ticket)
		return one, false
	}
	return *kept, true
}

// set changes what the ticket stands for, as long as it does.
func (h *halves) set(ticket string, change func(*half1)) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if kept := h.all[ticket]; kept != nil {
		change(kept)
	}
}

// end takes the ticket out of force.
func (h *halves) end(ticket string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	delete(h.all, ticket)
}

var (
	errTicket = refused{http.StatusUnauthorized, errors.New("that took too long, or too many tries: sign in anew")}
	errFactor = refused{http.StatusUnauthorized, errors.New("that is not it: a code is good for half a minute, and once")}
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

// needsFactor reports an electrician without a second factor, where the shop asks for one.
func (a *access) needsFactor(ctx context.Context, person int64, role job.Role) (bool, error) {
	if role != job.Electrician || person == 0 {
		return false, nil
	}
	rules, err := a.doorRules(ctx)
	if err != nil || !rules.SecondFactor {
		return false, err
	}
	kinds, err := a.factorsOf(ctx, person)
	return len(kinds) == 0, err
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
	half, ok := s.access.halves.try(r.Body.Ticket, s.now())
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
	s.access.halves.end(r.Body.Ticket)
	if with == store.Recovery {
		if err := s.access.noteOf(ctx, store.Event{What: "recovery-used", Person: p.Name}); err != nil {
			return nil, err
		}
	}
	now, cookie, err := s.signedInAs(ctx, p)
	return api.FinishSignIn200JSONResponse{Body: now, Headers: api.FinishSignIn200ResponseHeaders{SetCookie: &cookie}}, err
}

// shown is the kind of second factor that was shown; errFactor where none was.
func (s *calls) shown(ctx context.Context, p *store.Person, half half1, body *api.FinishSignInJSONRequestBody) (store.FactorKind, error) {
	all, err := s.store.Factors(ctx, p.ID)
	if err != nil {
		return "", err
	}
	switch {
	case body.Recovery != nil:
		err := s.store.UseRecovery(ctx, p.ID, recoveryForm(*body.Recovery), s.now())
		if errors.Is(err, store.ErrNotFound) {
			err = errFactor
		}
		return store.Recovery, err
	case body.Code != nil:
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
		return store.Passkey, s.passkey(ctx, p, all, half.asked, *body.Passkey)
	}
	return "", errFactor
}

// holder is a person as the library for passkeys has it.
type holder struct {
	person *store.Person
	keys   []webauthn.Credential
}

func (h *holder) WebAuthnID() []byte                         { return binary.BigEndian.AppendUint64(nil, uint64(h.person.ID)) }
func (h *holder) WebAuthnName() string                       { return h.person.Name }
func (h *holder) WebAuthnDisplayName() string                { return h.person.Name }
func (h *holder) WebAuthnCredentials() []webauthn.Credential { return h.keys }

func holderOf(p *store.Person, all []store.Factor) (*holder, error) {
	h := &holder{person: p}
	for _, f := range all {
		if f.Kind != store.Passkey {
			continue
		}
		var key webauthn.Credential
		if err := json.Unmarshal([]byte(f.Secret), &key); err != nil {
			return nil, fmt.Errorf("passkey %d: %w", f.ID, err)
		}
		h.keys = append(h.keys, key)
	}
	return h, nil
}

// passkeys is the library, for the name under which this server is asked: a passkey is good
// for one name.
func (s *calls) passkeys(ctx context.Context) (*webauthn.WebAuthn, error) {
	at := address(ctx)
	_, host, _ := strings.Cut(at, "://")
	if name, _, err := net.SplitHostPort(host); err == nil {
		host = name
	}
	if net.ParseIP(strings.Trim(host, "[]")) != nil {
		return nil, badInput{errors.New("passkeys need a name: reach this machine by its name instead of a number, or use one-time codes")}
	}
	return webauthn.New(&webauthn.Config{RPID: host, RPDisplayName: cmp.Or(s.Shop, "Elvat"), RPOrigins: []string{at}})
}

// AskPasskey is what the browser asks a passkey for.
func (s *calls) AskPasskey(ctx context.Context, r api.AskPasskeyRequestObject) (api.AskPasskeyResponseObject, error) {
	half, ok := s.access.halves.try(r.Body.Ticket, s.now())
	if !ok || half.making {
		return nil, errTicket
	}
	p, err := s.store.Person(ctx, half.person)
	if err != nil {
		return nil, err
	}
	all, err := s.store.Factors(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	h, err := holderOf(&p, all)
	if err != nil {
		return nil, err
	}
	if len(h.keys) == 0 {
		return nil, badInput{errors.New("passkey: there is none yet")}
	}
	keys, err := s.passkeys(ctx)
	if err != nil {
		return nil, err
	}
	options, asked, err := keys.BeginLogin(h)
	if err != nil {
		return nil, badInput{err}
	}
	s.access.halves.set(r.Body.Ticket, func(half *half1) { half.asked = asked })
	out, err := json.Marshal(options)
	return api.AskPasskey200JSONResponse{Options: out}, err
}

// passkey checks what a passkey answered, and keeps its counter.
func (s *calls) passkey(ctx context.Context, p *store.Person, all []store.Factor, asked *webauthn.SessionData, answer json.RawMessage) error {
	h, err := holderOf(p, all)
	if err != nil {
		return err
	}
	keys, err := s.passkeys(ctx)
	if err != nil {
		return err
	}
	parsed, err := protocol.ParseCredentialRequestResponseBytes(answer)
	if err != nil {
		return errFactor
	}
	used, err := keys.ValidateLogin(h, *asked, parsed)
	if err != nil || used.Authenticator.CloneWarning {
		return errFactor
	}
	n := 0
	for _, f := range all {
		if f.Kind != store.Passkey {
			continue
		}
		if string(h.keys[n].ID) == string(used.ID) {
			secret, err := json.Marshal(used)
			if err != nil {
				return err
			}
			f.Secret, f.UsedAt = string(secret), new(s.now())
			return s.store.KeepFactor(ctx, p.ID, f)
		}
		n++
	}
	return errFactor
}

func (s *calls) factorsNow(ctx context.Context, person int64) (now api.FactorsNowJSONResponse, err error) {
	now.All = []struct {
		CreatedAt time.Time          `json:"createdAt"`
		Id        int64              `json:"id"`
		Kind      api.FactorsAllKind `json:"kind"`
		Name      string             `json:"name"`
		UsedAt    *time.Time         `json:"usedAt,omitempty"`
	}{}
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
		now.All = slices.Grow(now.All, 1)[:len(now.All)+1]
		one := &now.All[len(now.All)-1]
		one.Id, one.Kind, one.Name, one.CreatedAt, one.UsedAt = f.ID, api.FactorsAllKind(f.Kind), f.Name, f.CreatedAt, f.UsedAt
	}
	rules, err := s.access.doorRules(ctx)
	now.Wanted = rules.SecondFactor && desk.CallerOf(ctx).Role == job.Electrician
	return now, err
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
		Ticket: s.access.halves.add(half1{person: p.ID, until: s.now().Add(2 * halfFor), key: key.Secret(), making: true}),
		Key:    key.Secret(), Address: key.URL(), Picture: "data:image/png;base64," + base64.StdEncoding.EncodeToString(picture),
	}, nil
}

// making is what is being set up under the ticket by who asks.
func (s *calls) making(ctx context.Context, ticket string) (store.Person, half1, error) {
	p, err := s.self(ctx)
	if err != nil {
		return p, half1{}, err
	}
	half, ok := s.access.halves.try(ticket, s.now())
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
	s.access.halves.end(r.Body.Ticket)
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

// BeginPasskey is what the browser asks for a new passkey.
func (s *calls) BeginPasskey(ctx context.Context, _ api.BeginPasskeyRequestObject) (api.BeginPasskeyResponseObject, error) {
	p, err := s.self(ctx)
	if err != nil {
		return nil, err
	}
	all, err := s.store.Factors(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	h, err := holderOf(&p, all)
	if err != nil {
		return nil, err
	}
	keys, err := s.passkeys(ctx)
	if err != nil {
		return nil, err
	}
	var there []protocol.CredentialDescriptor
	for i := range h.keys {
		there = append(there, h.keys[i].Descriptor())
	}
	options, asked, err := keys.BeginRegistration(h, webauthn.WithExclusions(there))
	if err != nil {
		return nil, err
	}
	out, err := json.Marshal(options)
	return api.BeginPasskey200JSONResponse{
		Ticket:  s.access.halves.add(half1{person: p.ID, until: s.now().Add(halfFor), asked: asked, making: true}),
		Options: out,
	}, err
}

// AddPasskey keeps the passkey that was made.
func (s *calls) AddPasskey(ctx context.Context, r api.AddPasskeyRequestObject) (api.AddPasskeyResponseObject, error) {
	p, half, err := s.making(ctx, r.Body.Ticket)
	if err != nil {
		return nil, err
	}
	name, err := s.nameOfFactor(ctx, p.ID, r.Body.Name)
	if err != nil {
		return nil, err
	}
	if half.asked == nil {
		return nil, badInput{errors.New("ticket: begin anew")}
	}
	keys, err := s.passkeys(ctx)
	if err != nil {
		return nil, err
	}
	parsed, err := protocol.ParseCredentialCreationResponseBytes(r.Body.Passkey)
	if err != nil {
		return nil, badInput{errors.New("passkey: the browser answered something else")}
	}
	key, err := keys.CreateCredential(&holder{person: &p}, *half.asked, parsed)
	if err != nil {
		return nil, badInput{errors.New("passkey: it does not hold: try again")}
	}
	s.access.halves.end(r.Body.Ticket)
	secret, err := json.Marshal(key)
	if err != nil {
		return nil, err
	}
	if _, err := s.store.AddFactor(ctx, p.ID, store.Factor{Kind: store.Passkey, Name: name, Secret: string(secret), CreatedAt: s.now()}); err != nil {
		return nil, err
	}
	about(ctx, "passkey, %s", name)
	now, err := s.factorsNow(ctx, p.ID)
	return api.AddPasskey200JSONResponse{FactorsNowJSONResponse: now}, err
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
