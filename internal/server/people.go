package server

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"strings"
	"time"

	"elvat/core/job"
	"elvat/internal/api"
	"elvat/internal/desk"
	"elvat/internal/store"
)

// sessionNow is who asks, as the screens need it.
func (s *calls) sessionNow(ctx context.Context) (api.Session, error) {
	by, who := desk.CallerOf(ctx), askingOf(ctx)
	if who.session.ID == 0 {
		return s.access.sessionOf(by.Person, by.Role), nil
	}
	return s.sessionOf(ctx, store.Person{ID: who.id, Name: by.Person, Role: string(by.Role)}, who.rules, who.session.FreshAt)
}

// sessionOf is a session of the person in which the passphrase was given then.
func (s *calls) sessionOf(ctx context.Context, p store.Person, rules api.DoorRules, fresh time.Time) (api.Session, error) {
	now := s.access.sessionOf(p.Name, job.Role(p.Role))
	now.FreshUntil = new(fresh.Add(freshFor))
	needs, err := s.access.needsFactor(ctx, rules, p.ID, job.Role(p.Role))
	if needs {
		now.NeedsFactor, now.May = &needs, []string{string(job.SignedIn)}
	}
	return now, err
}

// GetSession shows who is signed in.
func (s *calls) GetSession(ctx context.Context, _ api.GetSessionRequestObject) (api.GetSessionResponseObject, error) {
	now, err := s.sessionNow(ctx)
	return api.GetSession200JSONResponse{SessionNowJSONResponse: api.SessionNowJSONResponse(now)}, err
}

// SignIn signs somebody in, or asks for their second factor.
func (s *calls) SignIn(ctx context.Context, r api.SignInRequestObject) (api.SignInResponseObject, error) {
	if !s.access.required {
		return nil, badInput{errors.New("nobody has to sign in on this machine")}
	}
	p, err := s.access.verify(ctx, r.Body.Name, r.Body.Passphrase)
	if err != nil {
		return nil, err
	}
	kinds, err := s.access.factorsOf(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	if len(kinds) > 0 {
		half := s.access.sessionOf("", "")
		half.Factors = &kinds
		half.Ticket = new(s.access.pendings.add(pending{person: p.ID, until: s.now().Add(pendingFor)}))
		return api.SignIn200JSONResponse{Body: half}, nil
	}
	now, cookie, err := s.signedInAs(ctx, p)
	return api.SignIn200JSONResponse{Body: now, Headers: api.SignIn200ResponseHeaders{SetCookie: &cookie}}, err
}

// signedInAs begins a session of the person, as the screens need it, with its cookie.
func (s *calls) signedInAs(ctx context.Context, p store.Person) (api.Session, string, error) {
	cookie, err := s.access.begin(ctx, &p)
	if err != nil {
		return api.Session{}, "", err
	}
	rules, err := s.access.doorRules(ctx)
	if err != nil {
		return api.Session{}, "", err
	}
	now, err := s.sessionOf(ctx, p, rules, s.now())
	return now, cookie, errors.Join(err, s.access.noteOf(ctx, store.Event{What: "signed-in", Person: p.Name}))
}

// ticketFor is how long a ticket holds. Assumption.
const ticketFor = time.Minute

// MakeTicket is a ticket by which the browser is signed in at another address of the shop.
func (s *calls) MakeTicket(ctx context.Context, _ api.MakeTicketRequestObject) (api.MakeTicketResponseObject, error) {
	who, ticket := askingOf(ctx), rand.Text()+rand.Text()
	if who.session.ID == 0 {
		return nil, errSignIn
	}
	if err := s.store.AddTicket(ctx, ticket, who.session.ID, s.now(), s.now().Add(ticketFor)); err != nil {
		return nil, err
	}
	made(ctx, "/session")
	return api.MakeTicket201JSONResponse{Ticket: ticket}, nil
}

// CarrySession signs in by such a ticket. The session is as old as the one it comes from, so that
// no session lives longer for having been carried.
func (s *calls) CarrySession(ctx context.Context, r api.CarrySessionRequestObject) (api.CarrySessionResponseObject, error) {
	if !s.access.tries.allow(askingOf(ctx).place, s.now()) {
		return nil, errTooMany
	}
	p, session, err := s.store.UseTicket(ctx, r.Body.Ticket, s.now())
	if errors.Is(err, store.ErrNotFound) {
		return nil, badInput{errors.New("ticket: not in force: sign in here")}
	}
	if err != nil {
		return nil, err
	}
	cookie, err := s.access.beginAs(ctx, &p, session)
	if err != nil {
		return nil, err
	}
	rules, err := s.access.doorRules(ctx)
	if err != nil {
		return nil, err
	}
	now, err := s.sessionOf(ctx, p, rules, session.FreshAt)
	return api.CarrySession200JSONResponse{Body: now, Headers: api.CarrySession200ResponseHeaders{SetCookie: &cookie}}, err
}

// GetHealth reads something of the database.
func (s *calls) GetHealth(ctx context.Context, _ api.GetHealthRequestObject) (api.GetHealthResponseObject, error) {
	_, err := s.store.Setting(ctx, instanceSetting)
	return api.GetHealth200JSONResponse{Answers: err == nil}, err
}

// SignOut ends the session.
func (s *calls) SignOut(ctx context.Context, _ api.SignOutRequestObject) (api.SignOutResponseObject, error) {
	if at := s.access.cookie(askingOf(ctx).request, sessionCookie); at != "" {
		if err := s.store.SignOut(ctx, at); err != nil {
			return nil, err
		}
	}
	return api.SignOut200JSONResponse{
		Body:    s.access.sessionOf("", ""),
		Headers: api.SignOut200ResponseHeaders{SetCookie: s.access.setCookie(sessionCookie, "", -1), ClearSiteData: `"cache"`},
	}, nil
}

// Freshen takes the passphrase once more.
func (s *calls) Freshen(ctx context.Context, r api.FreshenRequestObject) (api.FreshenResponseObject, error) {
	by, who := desk.CallerOf(ctx), askingOf(ctx)
	if by.Person == "" {
		return nil, errNobodyHere
	}
	if _, err := s.access.verify(ctx, by.Person, r.Body.Passphrase); err != nil {
		return nil, mistaken(err, "passphrase")
	}
	if err := s.store.Refresh(ctx, who.session.ID, s.now()); err != nil {
		return nil, err
	}
	who.session.FreshAt = s.now()
	now, err := s.sessionNow(ctx)
	return api.Freshen200JSONResponse{SessionNowJSONResponse: api.SessionNowJSONResponse(now)}, err
}

var errNobodyHere = badInput{errors.New("nobody is signed in here")}

// mistaken is err, with a wrong passphrase of one's own as something to mend: the session
// goes on.
func mistaken(err error, field string) error {
	if errors.Is(err, errWrong) {
		return badInput{fmt.Errorf("%s: that is not your passphrase", field)}
	}
	return err
}

// ChangePassphrase changes one's own. Every session ends, and this one goes on under
// another token.
func (s *calls) ChangePassphrase(
	ctx context.Context,
	r api.ChangePassphraseRequestObject,
) (api.ChangePassphraseResponseObject, error) {
	by := desk.CallerOf(ctx)
	if by.Person == "" {
		return nil, errNobodyHere
	}
	p, err := s.access.verify(ctx, by.Person, r.Body.Old)
	if err != nil {
		return nil, mistaken(err, "old")
	}
	if err := CheckPassphrase(r.Body.New, p.Name); err != nil {
		return nil, badInput{err}
	}
	if err := s.store.ChangePerson(ctx, p.ID, store.PersonChange{Passphrase: Hash(r.Body.New), Was: p.Passphrase}, nil); err != nil {
		return nil, err
	}
	now, cookie, err := s.signedInAs(ctx, p)
	return api.ChangePassphrase200JSONResponse{Body: now, Headers: api.ChangePassphrase200ResponseHeaders{SetCookie: &cookie}}, err
}

// WeighPassphrase says how well one would hold.
func (s *calls) WeighPassphrase(ctx context.Context, r api.WeighPassphraseRequestObject) (api.WeighPassphraseResponseObject, error) {
	name := desk.Or(r.Body.Name, desk.CallerOf(ctx).Person)
	weight := api.WeighPassphrase200JSONResponse{Score: weigh(r.Body.Passphrase, name)}
	if err := CheckPassphrase(r.Body.Passphrase, name); err != nil {
		weight.Says = strings.TrimPrefix(err.Error(), "passphrase: ")
	}
	return weight, nil
}

func (s *calls) sessionsNow(ctx context.Context) ([]api.OwnSession, error) {
	p, err := s.self(ctx)
	if err != nil {
		return nil, err
	}
	sessions, err := s.store.SessionsOf(ctx, p.ID)
	all := []api.OwnSession{}
	for _, n := range sessions {
		if s.now().Sub(n.SeenAt) > sessionIdle || s.now().Sub(n.CreatedAt) > sessionLife {
			continue // it has ended by itself
		}
		all = append(all, api.OwnSession{
			Id: n.ID, CreatedAt: n.CreatedAt, SeenAt: n.SeenAt, Place: n.Place, Browser: n.Browser, This: n.ID == askingOf(ctx).session.ID,
		})
	}
	return all, err
}

// ListSessions lists the browsers one is signed in with.
func (s *calls) ListSessions(ctx context.Context, _ api.ListSessionsRequestObject) (api.ListSessionsResponseObject, error) {
	all, err := s.sessionsNow(ctx)
	return api.ListSessions200JSONResponse(all), err
}

// EndSession ends one of them.
func (s *calls) EndSession(ctx context.Context, r api.EndSessionRequestObject) (api.EndSessionResponseObject, error) {
	p, err := s.self(ctx)
	if err != nil {
		return nil, err
	}
	if err := s.store.EndSession(ctx, p.ID, r.Session); err != nil {
		return nil, err
	}
	all, err := s.sessionsNow(ctx)
	return api.EndSession200JSONResponse(all), err
}

func (s *calls) peopleNow(ctx context.Context) ([]api.Person, error) {
	people, err := s.store.People(ctx)
	if err != nil {
		return nil, err
	}
	with, err := s.store.WithFactor(ctx)
	if err != nil {
		return nil, err
	}
	all := []api.Person{}
	for _, p := range people {
		n, err := s.store.Sessions(ctx, p.ID)
		if err != nil {
			return nil, err
		}
		all = append(all, api.Person{
			Id: p.ID, Name: p.Name, Role: api.Role(p.Role), CreatedAt: p.CreatedAt, Withdrawn: p.Withdrawn, Sessions: n, Factor: with[p.ID],
		})
	}
	return all, nil
}

// ListPeople lists everybody.
func (s *calls) ListPeople(ctx context.Context, _ api.ListPeopleRequestObject) (api.ListPeopleResponseObject, error) {
	all, err := s.peopleNow(ctx)
	return api.ListPeople200JSONResponse(all), err
}

// NewPerson is somebody who may sign in, checked.
func NewPerson(name, role, passphrase string, at time.Time) (store.Person, error) {
	p := store.Person{Name: strings.TrimSpace(name), Role: role, CreatedAt: at}
	if p.Name == "" || len(p.Name) > 100 || strings.ContainsFunc(p.Name, func(r rune) bool { return r < ' ' }) {
		return p, errors.New("name: what is the person called?")
	}
	if err := job.Role(role).Check(); err != nil {
		return p, err
	}
	if err := CheckPassphrase(passphrase, p.Name); err != nil {
		return p, err
	}
	p.Passphrase = Hash(passphrase)
	return p, nil
}

// AddPerson adds somebody who may sign in.
func (s *calls) AddPerson(ctx context.Context, r api.AddPersonRequestObject) (api.AddPersonResponseObject, error) {
	p, err := NewPerson(r.Body.Name, string(r.Body.Role), r.Body.Passphrase, s.now())
	if err != nil {
		return nil, badInput{err}
	}
	if _, err := s.store.AddPerson(ctx, p); err != nil {
		if errors.Is(err, store.ErrTaken) {
			err = badInput{fmt.Errorf("name: %w", err)}
		}
		return nil, err
	}
	about(ctx, "%s, %s", p.Name, p.Role)
	all, err := s.peopleNow(ctx)
	made(ctx, "/people")
	return api.AddPerson201JSONResponse(all), err
}

// ChangePerson gives somebody another role or passphrase, or no access any more.
func (s *calls) ChangePerson(
	ctx context.Context,
	r api.ChangePersonRequestObject,
) (api.ChangePersonResponseObject, error) {
	p, err := s.store.Person(ctx, r.Person)
	if err != nil {
		return nil, err
	}
	c := store.PersonChange{Withdrawn: r.Body.Withdrawn, NoFactors: desk.Or(r.Body.NoFactors, false)}
	what := []string{}
	if r.Body.Role != nil {
		if err := job.Role(*r.Body.Role).Check(); err != nil {
			return nil, badInput{err}
		}
		c.Role = new(string(*r.Body.Role))
		what = append(what, "role "+*c.Role)
	}
	if r.Body.Passphrase != nil {
		if err := CheckPassphrase(*r.Body.Passphrase, p.Name); err != nil {
			return nil, badInput{err}
		}
		c.Passphrase = Hash(*r.Body.Passphrase)
		what = append(what, "another passphrase")
	}
	if c.Withdrawn != nil {
		what = append(what, map[bool]string{true: "access withdrawn", false: "access given again"}[*c.Withdrawn])
	}
	if c.NoFactors {
		what = append(what, "second factors taken away")
	}
	about(ctx, "%s: %s", p.Name, strings.Join(what, ", "))
	if err := s.store.ChangePerson(ctx, p.ID, c, someoneManages(p.Name)); err != nil {
		return nil, err
	}
	if err := s.store.ClearFailures(ctx, p.Name); err != nil {
		return nil, err
	}
	all, err := s.peopleNow(ctx)
	return api.ChangePerson200JSONResponse(all), err
}

// someoneManages refuses what leaves nobody who can let others in.
func someoneManages(changed string) func([]store.Person) error {
	return func(now []store.Person) error {
		for _, p := range now {
			if !p.Withdrawn && job.Role(p.Role).May(job.Manage) {
				return nil
			}
		}
		return badInput{fmt.Errorf("%s is the last electrician who can let others in: make somebody else one first", changed)}
	}
}
