package server

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"net"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/labstack/echo/v5"
	"golang.org/x/time/rate"

	contract "elvat/api"
	corecall "elvat/core/call"
	"elvat/core/job"
	"elvat/internal/api"
	"elvat/internal/desk"
	"elvat/internal/store"
)

// Sessions end by themselves: after three days without use, or a month.
// Source: OWASP ASVS 4.0.3, 3.3.2 (from memory) asks for 30 days at most.
const (
	sessionIdle = 3 * 24 * time.Hour
	sessionLife = 30 * 24 * time.Hour
	// seenEvery keeps the use of a session from being written on each request.
	seenEvery = 10 * time.Minute
)

// Guessing is held back by name and by address: a name is closed for a while
// after five wrong passphrases. Source: OWASP ASVS 4.0.3, 2.2.1 (from memory)
// allows 100 an hour at most. Assumption.
const (
	mostFailures   = 5
	failuresWithin = 15 * time.Minute
	signInEvery    = 2 * time.Second // of one address, after signInBurst at once
	signInBurst    = 10
	mostAddresses  = 4096
)

// sessionCookie is bound to this server alone by its name (the __Host- prefix of
// RFC 6265bis): secure, for the whole path, of no domain.
const sessionCookie = "__Host-elvat"

// access says who may do what, and who is who.
type access struct {
	store    *store.Store
	now      func() time.Time
	required bool // whoever comes has to sign in
	routes   map[string]job.Access

	trying sync.Mutex // one passphrase is tried at a time
	mu     sync.Mutex
	limits map[string]*rate.Limiter // of sign-ins, by address
}

func newAccess(s *store.Store, now func() time.Time, required bool) (*access, error) {
	operations, err := contract.Operations()
	if err != nil {
		return nil, err
	}
	a := &access{
		store:    s,
		now:      now,
		required: required,
		routes:   map[string]job.Access{},
		limits:   map[string]*rate.Limiter{},
	}
	for _, o := range operations {
		a.routes[o.Method+" "+o.Route()] = o.Access
	}
	return a, nil
}

// refused is what somebody may not do.
type refused struct {
	status int
	error
}

// code is the refusal's stable code.
func (r refused) code() string {
	return strings.ReplaceAll(strings.ToLower(http.StatusText(r.status)), " ", "-")
}

var (
	errSignIn = refused{http.StatusUnauthorized, errors.New("sign in first")}
	// Said to a phone, which then keeps nothing of the shop.
	errWithdrawn = refused{http.StatusGone, errors.New("access was withdrawn: nothing of the shop stays on this device")}
	errWrong     = refused{http.StatusUnauthorized, errors.New("name or passphrase is wrong")}
	errTooMany   = refused{
		http.StatusTooManyRequests,
		errors.New("too many tries: wait a quarter of an hour, or have an electrician of the shop set a new passphrase"),
	}
)

// allows reports nil where the caller has the access.
func (a *access) allows(ctx context.Context, needs job.Access) error {
	role := desk.CallerOf(ctx).Role
	switch {
	case needs == job.SignedIn && desk.CallerOf(ctx).Program:
		return refused{
			http.StatusForbidden,
			errors.New("a program has no session of its own: sign in with a browser for that"),
		}
	case !a.required && role == "" || role.May(needs):
		return nil
	case role == "":
		return errSignIn
	case needs == job.Pass:
		return refused{http.StatusForbidden, fmt.Errorf("a gate is passed by a qualified person only: not as %s", role)}
	}
	return refused{http.StatusForbidden, fmt.Errorf("not as %s: ask an electrician of the shop", role)}
}

// oldest is how long ago something may have been done that arrives only now. Assumption.
const oldest = 90 * 24 * time.Hour

// A clock tells a device's time from this machine's.
type clock struct {
	ahead time.Duration // the device's
	now   time.Time     // this machine's
}

// clockOf is the clock of who asks: Elvat-Sent-At is what it showed when the request
// was sent. Where that is not said, it is taken to be right.
func clockOf(h http.Header, now time.Time) (clock, error) {
	sent := h.Get("Elvat-Sent-At")
	if sent == "" {
		return clock{now: now}, nil
	}
	at, err := time.Parse(time.RFC3339Nano, sent)
	if err != nil {
		return clock{}, badInput{fmt.Errorf("Elvat-Sent-At: %q is no time as in RFC 3339", sent)}
	}
	return clock{at.Sub(now), now}, nil
}

// here is a time that the device said, by this machine's clock.
func (c clock) here(made time.Time) (time.Time, error) {
	at := made.Add(-c.ahead)
	switch {
	case at.After(c.now):
		return c.now, nil
	case c.now.Sub(at) > oldest:
		return at, badInput{
			fmt.Errorf("Elvat-Made-At: %s is too long ago: is the device's clock right?", made.Format(time.RFC3339)),
		}
	}
	return at.UTC().Truncate(time.Millisecond), nil
}

// madeAt is when what is asked for was done: Elvat-Made-At, by the device's clock.
// Zero where it is not said.
func (c clock) madeAt(h http.Header) (time.Time, error) {
	said := h.Get("Elvat-Made-At")
	if said == "" {
		return time.Time{}, nil
	}
	made, err := time.Parse(time.RFC3339Nano, said)
	if err != nil {
		return made, badInput{fmt.Errorf("Elvat-Made-At: %q is no time as in RFC 3339", said)}
	}
	return c.here(made)
}

// quoted is a header's value without the quotation marks that it may stand in.
func quoted(value string) string {
	return strings.TrimSuffix(strings.TrimPrefix(strings.TrimPrefix(value, "W/"), `"`), `"`)
}

// check finds out who calls, and refuses what they may not do, before anything
// of the request is read.
func (a *access) check(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		needs, ok := a.routes[r.Method+" "+c.Path()]
		if !ok {
			return next(c) // the front end, or no route at all
		}
		c.Response().Header().Set("Cache-Control", "no-store")
		by := desk.Caller{Device: r.Header.Get("Elvat-Device")}
		if by.Device == corecall.Customer || len(by.Device) > 64 ||
			strings.ContainsFunc(by.Device, func(r rune) bool { return r <= ' ' || r > '~' }) {
			by.Device = ""
		}
		by.Seen, _ = strconv.ParseInt(quoted(r.Header.Get("If-Match")), 10, 64) // anything else is: not said
		by.Strict = strings.Contains(r.Header.Get("Prefer"), "handling=strict")
		if by.Command = quoted(r.Header.Get("Idempotency-Key")); by.Command != "" {
			if err := corecall.CheckID(by.Command); err != nil {
				return badInput{fmt.Errorf("Idempotency-Key: %w", err)}
			}
		}
		clock, err := clockOf(r.Header, a.now())
		if err != nil {
			return err
		}
		if by.Made, err = clock.madeAt(r.Header); err != nil {
			return err
		}
		by.Sent = clock.here
		if a.required {
			if err := a.identify(r, &by); err != nil {
				return err
			}
		}
		ctx := by.In(r.Context())
		if err := a.allows(ctx, needs); err != nil {
			return err
		}
		ctx = context.WithValue(ctx, requestKey{}, r)
		answer := &answer{}
		ctx = context.WithValue(ctx, answerKey{}, answer)
		c.SetRequest(r.WithContext(ctx))
		if w, err := echo.UnwrapResponse(c.Response()); err == nil {
			w.Before(func() { answer.write(w) })
		}
		return next(c)
	}
}

// An answer is what stands beside the body of what is answered.
type answer struct {
	etag     string // version of what is shown
	location string // of what was made
}

type answerKey struct{}

// write puts it into the headers of an answer that is none of a refusal.
func (a *answer) write(w *echo.Response) {
	if w.Status >= http.StatusMultipleChoices {
		return
	}
	if a.etag != "" {
		w.Header().Set("ETag", a.etag)
	}
	if w.Status == http.StatusCreated && a.location != "" {
		w.Header().Set("Location", a.location)
	}
}

// shows notes the version of what is answered with.
func shows(ctx context.Context, version int64) {
	if a, ok := ctx.Value(answerKey{}).(*answer); ok {
		a.etag = fmt.Sprintf(`"%d"`, version)
	}
}

// made notes where to find what was made.
func made(ctx context.Context, format string, args ...any) {
	if a, ok := ctx.Value(answerKey{}).(*answer); ok {
		a.location = base + fmt.Sprintf(format, args...)
	}
}

// base is what all paths of the contract begin with.
const base = "/api/v1"

// identify finds out who asks: a program by its token, or a browser by its session.
func (a *access) identify(r *http.Request, by *desk.Caller) error {
	if is, err := a.byToken(r, by); is || err != nil {
		return err
	}
	p, err := a.signedIn(r)
	by.Person, by.Role = p.Name, job.Role(p.Role)
	return err
}

// requestKey leads sign-ins to the request itself: its address and its cookie.
type requestKey struct{}

func token(r *http.Request) string {
	if cookie, err := r.Cookie(sessionCookie); err == nil {
		return cookie.Value
	}
	return ""
}

// signedIn is who the request's cookie belongs to; nobody where it has none.
func (a *access) signedIn(r *http.Request) (store.Person, error) {
	at := token(r)
	if at == "" {
		return store.Person{}, nil
	}
	p, began, seen, err := a.store.SignedIn(r.Context(), at)
	if errors.Is(err, store.ErrNotFound) {
		gone, err := a.store.Withdrawn(r.Context(), at)
		if gone && r.Method == http.MethodPost && r.URL.Path == base+"/sync" {
			return store.Person{}, errWithdrawn
		}
		return store.Person{}, err
	}
	if err != nil {
		return p, err
	}
	now := a.now()
	if now.Sub(seen) > sessionIdle || now.Sub(began) > sessionLife {
		return store.Person{}, a.store.SignOut(r.Context(), at)
	}
	if now.Sub(seen) > seenEvery {
		err = a.store.Seen(r.Context(), at, now)
	}
	return p, err
}

// slow reports whether an address has tried too often of late.
func (a *access) slow(r *http.Request) bool {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		host = r.RemoteAddr
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	if len(a.limits) > mostAddresses {
		clear(a.limits) // names stay closed all the same
	}
	l := a.limits[host]
	if l == nil {
		l = rate.NewLimiter(rate.Every(signInEvery), signInBurst)
		a.limits[host] = l
	}
	return !l.AllowN(a.now(), 1)
}

// verify is the person whose name and passphrase these are. One is tried at a
// time: many sent at once would otherwise all be let through before the first
// has failed.
func (a *access) verify(ctx context.Context, name, passphrase string) (store.Person, error) {
	r, _ := ctx.Value(requestKey{}).(*http.Request)
	name = strings.TrimSpace(name)
	if len(name) > 200 || len(passphrase) > 4*mostPassphrase {
		return store.Person{}, errWrong
	}
	if a.slow(r) {
		return store.Person{}, errTooMany
	}
	a.trying.Lock()
	defer a.trying.Unlock()
	now := a.now()
	failures, err := a.store.Failures(ctx, name, now.Add(-failuresWithin))
	if err != nil {
		return store.Person{}, err
	}
	if failures >= mostFailures {
		return store.Person{}, errTooMany
	}
	p, err := a.store.PersonNamed(ctx, name)
	known := err == nil && !p.Withdrawn
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return p, err
	}
	hash := nobody
	if known {
		hash = p.Passphrase
	}
	if !matches(passphrase, hash) || !known {
		return store.Person{}, errors.Join(errWrong, a.store.Failed(ctx, name, now, now.Add(-24*time.Hour)))
	}
	return p, a.store.ClearFailures(ctx, name)
}

// signIn starts a session and returns its cookie.
func (a *access) signIn(ctx context.Context, name, passphrase string) (store.Person, string, error) {
	p, err := a.verify(ctx, name, passphrase)
	if err != nil {
		return p, "", err
	}
	cookie, err := a.session(ctx, p.ID)
	return p, cookie, err
}

// session starts one and returns its cookie. Whatever session the browser had
// before ends.
func (a *access) session(ctx context.Context, person int64) (string, error) {
	if r, ok := ctx.Value(requestKey{}).(*http.Request); ok && token(r) != "" {
		if err := a.store.SignOut(ctx, token(r)); err != nil {
			return "", err
		}
	}
	at := rand.Text() + rand.Text()
	if err := a.store.SignIn(ctx, at, person, a.now()); err != nil {
		return "", err
	}
	return cookie(at, int(sessionLife.Seconds())), nil
}

func cookie(value string, seconds int) string {
	return (&http.Cookie{Name: sessionCookie, Value: value, Path: "/", MaxAge: seconds, Secure: true, HttpOnly: true, SameSite: http.SameSiteStrictMode}).String()
}

// sessionOf is who is signed in as the screens need it.
func (a *access) sessionOf(name string, role job.Role) api.Session {
	s := api.Session{Required: a.required, Name: name, Role: string(role), May: []string{}}
	for _, needs := range job.Accesses {
		if !a.required || role.May(needs) {
			s.May = append(s.May, string(needs))
		}
	}
	return s
}

// GetSession shows who is signed in.
func (s *calls) GetSession(ctx context.Context, _ api.GetSessionRequestObject) (api.GetSessionResponseObject, error) {
	by := desk.CallerOf(ctx)
	return api.GetSession200JSONResponse{
		SessionNowJSONResponse: api.SessionNowJSONResponse(s.access.sessionOf(by.Person, by.Role)),
	}, nil
}

// SignIn signs somebody in.
func (s *calls) SignIn(ctx context.Context, r api.SignInRequestObject) (api.SignInResponseObject, error) {
	if !s.access.required {
		return nil, badInput{errors.New("nobody has to sign in on this machine")}
	}
	p, cookie, err := s.access.signIn(ctx, r.Body.Name, r.Body.Passphrase)
	if err != nil {
		return nil, err
	}
	return api.SignIn200JSONResponse{
		Body:    s.access.sessionOf(p.Name, job.Role(p.Role)),
		Headers: api.SignIn200ResponseHeaders{SetCookie: cookie},
	}, nil
}

// SignOut ends the session.
func (s *calls) SignOut(ctx context.Context, _ api.SignOutRequestObject) (api.SignOutResponseObject, error) {
	if r, ok := ctx.Value(requestKey{}).(*http.Request); ok && token(r) != "" {
		if err := s.store.SignOut(ctx, token(r)); err != nil {
			return nil, err
		}
	}
	return api.SignOut200JSONResponse{
		Body:    s.access.sessionOf("", ""),
		Headers: api.SignOut200ResponseHeaders{SetCookie: cookie("", -1), ClearSiteData: `"cache"`},
	}, nil
}

// ChangePassphrase changes one's own; other sessions end.
func (s *calls) ChangePassphrase(
	ctx context.Context,
	r api.ChangePassphraseRequestObject,
) (api.ChangePassphraseResponseObject, error) {
	by := desk.CallerOf(ctx)
	if by.Person == "" {
		return nil, badInput{errors.New("nobody is signed in here")}
	}
	p, err := s.access.verify(ctx, by.Person, r.Body.Old)
	if errors.Is(err, errWrong) {
		return nil, badInput{errors.New("old: that is not your passphrase")}
	}
	if err != nil {
		return nil, err
	}
	if err := CheckPassphrase(r.Body.New, p.Name); err != nil {
		return nil, badInput{err}
	}
	p.Passphrase = Hash(r.Body.New)
	if err := s.store.UpdatePerson(ctx, p); err != nil {
		return nil, err
	}
	// This session goes on.
	if at := token(ctx.Value(requestKey{}).(*http.Request)); at != "" {
		if err := s.store.SignIn(ctx, at, p.ID, s.now()); err != nil {
			return nil, err
		}
	}
	return api.ChangePassphrase200JSONResponse{
		SessionNowJSONResponse: api.SessionNowJSONResponse(s.access.sessionOf(by.Person, by.Role)),
	}, nil
}

func (s *calls) peopleNow(ctx context.Context) ([]api.Person, error) {
	people, err := s.store.People(ctx)
	if err != nil {
		return nil, err
	}
	all := []api.Person{}
	for _, p := range people {
		n, err := s.store.Sessions(ctx, p.ID)
		if err != nil {
			return nil, err
		}
		all = append(
			all,
			api.Person{
				Id:        p.ID,
				Name:      p.Name,
				Role:      api.Role(p.Role),
				CreatedAt: p.CreatedAt,
				Withdrawn: p.Withdrawn,
				Sessions:  n,
			},
		)
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
	if r.Body.Role != nil {
		p.Role = string(*r.Body.Role)
		if err := job.Role(p.Role).Check(); err != nil {
			return nil, badInput{err}
		}
	}
	if r.Body.Passphrase != nil {
		if err := CheckPassphrase(*r.Body.Passphrase, p.Name); err != nil {
			return nil, badInput{err}
		}
		p.Passphrase = Hash(*r.Body.Passphrase)
	}
	if r.Body.Withdrawn != nil {
		p.Withdrawn = *r.Body.Withdrawn
	}
	if err := s.someoneManages(ctx, p); err != nil {
		return nil, err
	}
	if err := s.store.UpdatePerson(ctx, p); err != nil {
		return nil, err
	}
	if err := s.store.ClearFailures(ctx, p.Name); err != nil {
		return nil, err
	}
	all, err := s.peopleNow(ctx)
	return api.ChangePerson200JSONResponse(all), err
}

// someoneManages refuses to take access from the last who can give it.
func (s *calls) someoneManages(ctx context.Context, changed store.Person) error {
	people, err := s.store.People(ctx)
	if err != nil {
		return err
	}
	before, left := 0, 0
	for _, p := range people {
		if !p.Withdrawn && job.Role(p.Role).May(job.Manage) {
			before++
		}
		if p.ID == changed.ID {
			p = changed
		}
		if !p.Withdrawn && job.Role(p.Role).May(job.Manage) {
			left++
		}
	}
	if before > 0 && left == 0 {
		return badInput{
			fmt.Errorf("%s is the last electrician who can let others in: make somebody else one first", changed.Name),
		}
	}
	return nil
}
