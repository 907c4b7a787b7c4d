package server

import (
	"bytes"
	"cmp"
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"slices"
	"strings"

	"github.com/go-webauthn/webauthn/protocol"
	"github.com/go-webauthn/webauthn/webauthn"

	"elvat/internal/api"
	"elvat/internal/store"
)

// holder is a person as the library for passkeys has it.
type holder struct {
	person  *store.Person
	factors []store.Factor // their passkeys
	keys    []webauthn.Credential
}

func (h *holder) WebAuthnID() []byte                         { return binary.BigEndian.AppendUint64(nil, uint64(h.person.ID)) }
func (h *holder) WebAuthnName() string                       { return h.person.Name }
func (h *holder) WebAuthnDisplayName() string                { return h.person.Name }
func (h *holder) WebAuthnCredentials() []webauthn.Credential { return h.keys }

// holds is the person with their passkeys, and the library that asks them.
func (s *calls) holds(ctx context.Context, p *store.Person) (*holder, *webauthn.WebAuthn, error) {
	all, err := s.store.Factors(ctx, p.ID)
	if err != nil {
		return nil, nil, err
	}
	h := &holder{person: p}
	for _, f := range all {
		if f.Kind != store.Passkey {
			continue
		}
		var key webauthn.Credential
		if err := json.Unmarshal([]byte(f.Secret), &key); err != nil {
			return nil, nil, fmt.Errorf("passkey %d: %w", f.ID, err)
		}
		h.factors, h.keys = append(h.factors, f), append(h.keys, key)
	}
	keys, err := s.passkeys(ctx)
	return h, keys, err
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
	half, ok := s.access.pendings.try(r.Body.Ticket, s.now())
	if !ok || half.making {
		return nil, errTicket
	}
	p, err := s.store.Person(ctx, half.person)
	if err != nil {
		return nil, err
	}
	h, keys, err := s.holds(ctx, &p)
	if err != nil {
		return nil, err
	}
	if len(h.keys) == 0 {
		return nil, badInput{errors.New("passkey: there is none yet")}
	}
	options, asked, err := keys.BeginLogin(h)
	if err != nil {
		return nil, badInput{err}
	}
	s.access.pendings.set(r.Body.Ticket, func(half *pending) { half.asked = asked })
	out, err := json.Marshal(options)
	return api.AskPasskey200JSONResponse{Options: out}, err
}

// passkey checks what a passkey answered, and keeps its counter.
func (s *calls) passkey(ctx context.Context, p *store.Person, asked *webauthn.SessionData, answer json.RawMessage) error {
	h, keys, err := s.holds(ctx, p)
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
	i := slices.IndexFunc(h.keys, func(key webauthn.Credential) bool { return bytes.Equal(key.ID, used.ID) })
	if i < 0 {
		return errFactor
	}
	secret, err := json.Marshal(used)
	if err != nil {
		return err
	}
	f := h.factors[i]
	f.Secret, f.UsedAt = string(secret), new(s.now())
	return s.store.KeepFactor(ctx, p.ID, f)
}

// BeginPasskey is what the browser asks for a new passkey.
func (s *calls) BeginPasskey(ctx context.Context, _ api.BeginPasskeyRequestObject) (api.BeginPasskeyResponseObject, error) {
	p, err := s.self(ctx)
	if err != nil {
		return nil, err
	}
	h, keys, err := s.holds(ctx, &p)
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
		Ticket:  s.access.pendings.add(pending{person: p.ID, until: s.now().Add(pendingFor), asked: asked, making: true}),
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
	s.access.pendings.end(r.Body.Ticket)
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
