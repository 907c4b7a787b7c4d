package server

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"hash/fnv"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/labstack/echo/v5"

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
	// Where the shop asks for short ones. Source: the same, level 2.
	shortIdle = 30 * time.Minute
	shortLife = 12 * time.Hour
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
)

// freshFor is for how long what asks for the passphrase once more is done without, after it
// was given. Assumption.
const freshFor = 10 * time.Minute

// knownFor is how long a browser is known that somebody signed in with. Assumption.
const knownFor = 180 * 24 * time.Hour

// Cookies are bound to this server alone by the beginning of their names (the __Host- prefix
// of RFC 6265bis): secure, for the whole path, of no domain. What follows is the database's
// own: another shop on the same machine, at another port, does not read or overwrite them.
const (
	sessionCookie = "__Host-elvat-"
	browserCookie = "__Host-elvat-known-"
)

// instanceSetting is the name under which the database's own name is kept.
const instanceSetting = "instance"

// instance is the database's own name, made once.
func instance(ctx context.Context, s *store.Store) (name string, err error) {
	err = s.InTransaction(ctx, func(ctx context.Context) error {
		kept, err := s.Setting(ctx, instanceSetting)
		if err != nil {
			return err
		}
		if name = string(kept); name != "" {
			return nil
		}
		name = strings.ToLower(rand.Text()[:8])
		return s.Set(ctx, instanceSetting, []byte(name))
	})
	return name, err
}

// access says who may do what, and who is who.
type access struct {
	store    *store.Store
	now      func() time.Time
	required bool // whoever comes has to sign in
	instance string
	door     *door
	// addresses are all that the shop is reached by, where there is more than one.
	addresses []string

	trying   [64]sync.Mutex // of one person, one passphrase is tried at a time
	tries    *limits        // of sign-ins, by where they come from
	pendings *pendings      // sign-ins that wait for their second factor
}

func newAccess(s *store.Store, now func() time.Time, required bool, door *door) (*access, error) {
	name, err := instance(context.Background(), s)
	return &access{
		store: s, now: now, required: required, instance: name, door: door,
		tries: newLimits(signInEvery, signInBurst), pendings: newPendings(),
	}, err
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
	errNeedsFactor = refused{
		http.StatusForbidden,
		errors.New("the shop asks electricians for a second factor: set one up first, on the page of your own"),
	}
)

// stale is refused until the passphrase is given once more.
type stale struct{ error }

var (
	errStale   = stale{errors.New("give your passphrase once more for this")}
	errProgram = refused{http.StatusForbidden, errors.New("this asks for a passphrase, which a program does not have")}
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
		op, ok := a.door.routes[r.Method+" "+c.Path()]
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
		who := &asking{request: r, from: a.door.from(r).String(), place: a.door.place(r), proxied: a.door.proxy != nil}
		c.Set(askingKey, who)
		if a.required {
			if err := a.identify(who, &by); err != nil {
				return err
			}
			who.person = by.Person
			if entered := enteredBy(r); entered != "" && entered != by.Person {
				return refused{http.StatusUnauthorized, fmt.Errorf("this was entered by %s, and waits until they sign in here", entered)}
			}
		}
		ctx := by.In(r.Context())
		if err := a.allows(ctx, op.Access); err != nil {
			return err
		}
		if err := a.ready(who, &by, op); err != nil {
			return err
		}
		ctx = context.WithValue(ctx, requestKey{}, who)
		answer := &answer{}
		ctx = context.WithValue(ctx, answerKey{}, answer)
		c.SetRequest(r.WithContext(ctx))
		if w, err := echo.UnwrapResponse(c.Response()); err == nil {
			w.Before(func() { answer.write(w) })
		}
		return next(c)
	}
}

// ready refuses who has to do something else first: set up a second factor, or give the
// passphrase once more.
func (a *access) ready(who *asking, by *desk.Caller, op contract.Operation) error {
	if !a.required || by.Person == "" {
		return nil
	}
	if op.Access != job.SignedIn && op.Access != job.Anybody && !by.Program {
		if needs, err := a.needsFactor(who.request.Context(), who.rules, who.id, by.Role); needs || err != nil {
			return errors.Join(err, errNeedsFactor)
		}
	}
	switch {
	case !op.Fresh:
	case by.Program:
		return errProgram
	case a.now().Sub(who.session.FreshAt) > freshFor:
		return errStale
	}
	return nil
}

// asking is where a request comes from, and as far as it is known, from whom.
type asking struct {
	request *http.Request
	from    string // network address
	place   string // the same, as far as one party has it to itself
	proxied bool   // through the proxy that stands before this server
	person  string
	id      int64 // of the person
	session store.Session
	rules   api.DoorRules // of the shop
}

// askingKey is the name under which the log finds it.
const askingKey = "asking"

type requestKey struct{}

// askingOf is where the request comes from that the context belongs to.
func askingOf(ctx context.Context) *asking {
	if who, ok := ctx.Value(requestKey{}).(*asking); ok {
		return who
	}
	return &asking{}
}

// An answer is what stands beside the body of what is answered.
type answer struct {
	etag     string   // version of what is shown
	location string   // of what was made
	cookies  []string // beside that of the session
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
	for _, cookie := range a.cookies {
		w.Header().Add("Set-Cookie", cookie)
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
func (a *access) identify(who *asking, by *desk.Caller) error {
	if is, err := a.byToken(who.request, by); is || err != nil {
		return err
	}
	p, err := a.signedIn(who)
	by.Person, by.Role, who.id = p.Name, job.Role(p.Role), p.ID
	return err
}

// enteredBy is who entered what a browser kept until now; "" where it does not say.
func enteredBy(r *http.Request) string {
	name, err := url.QueryUnescape(r.Header.Get("Elvat-Person"))
	if err != nil {
		return "somebody else"
	}
	return name
}

// cookie is the value of the request's cookie of that name; "" where it has none.
func (a *access) cookie(r *http.Request, name string) string {
	if r == nil {
		return ""
	}
	if cookie, err := r.Cookie(name + a.instance); err == nil {
		return cookie.Value
	}
	return ""
}

// setCookie is one of that name for so many seconds; below zero it is taken away.
func (a *access) setCookie(name, value string, seconds int) string {
	return (&http.Cookie{
		Name: name + a.instance, Value: value, Path: "/", MaxAge: seconds, Secure: true, HttpOnly: true, SameSite: http.SameSiteStrictMode,
	}).String()
}

// signedIn is who the request's cookie belongs to; nobody where it has none.
func (a *access) signedIn(who *asking) (store.Person, error) {
	r := who.request
	at := a.cookie(r, sessionCookie)
	if at == "" {
		return store.Person{}, nil
	}
	p, session, err := a.store.SignedIn(r.Context(), at)
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
	if who.rules, err = a.doorRules(r.Context()); err != nil {
		return store.Person{}, err
	}
	idle, life, every := sessionIdle, sessionLife, seenEvery
	if who.rules.ShortSessions {
		idle, life, every = shortIdle, shortLife, time.Minute
	}
	if now.Sub(session.SeenAt) > idle || now.Sub(session.CreatedAt) > life {
		return store.Person{}, a.store.SignOut(r.Context(), at)
	}
	if now.Sub(session.SeenAt) > every {
		err = a.store.Seen(r.Context(), at, now)
	}
	who.session = session
	return p, err
}

// verify is the person whose name and passphrase these are. Of one person one is tried at a
// time: many sent at once would otherwise all be let through before the first has failed. A
// browser that the person signed in with before is counted apart, so that nobody else can
// close their door.
func (a *access) verify(ctx context.Context, name, passphrase string) (store.Person, error) {
	who := askingOf(ctx)
	name = strings.TrimSpace(name)
	if len(name) > 200 || len(passphrase) > 4*mostPassphrase {
		return store.Person{}, errWrong
	}
	if !a.tries.allow(who.place, a.now()) {
		return store.Person{}, errTooMany
	}
	now := a.now()
	browser, err := a.known(ctx, name)
	if err != nil {
		return store.Person{}, err
	}
	one := &a.trying[striped(strings.ToLower(name)+browser)%uint32(len(a.trying))]
	one.Lock()
	defer one.Unlock()
	failures, err := a.store.Failures(ctx, name, browser, now.Add(-failuresWithin))
	if err != nil {
		return store.Person{}, err
	}
	if failures >= mostFailures {
		return store.Person{}, errTooMany
	}
	p, err := a.store.PersonNamed(ctx, name)
	known := err == nil && !p.Withdrawn && p.Passphrase != store.NoPassphrase
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return p, err
	}
	hash := nobody
	if known {
		hash = p.Passphrase
	}
	if !matches(passphrase, hash) || !known {
		return store.Person{}, errors.Join(
			errWrong, a.store.Failed(ctx, name, browser, now, now.Add(-24*time.Hour)),
			a.noteOf(ctx, store.Event{What: "sign-in-failed", About: name}),
		)
	}
	return p, a.store.ClearFailuresFrom(ctx, name, browser)
}

// striped is a number for a name.
func striped(name string) uint32 {
	sum := fnv.New32a()
	sum.Write([]byte(name))
	return sum.Sum32()
}

// known is the token of the browser that asks, where the person of that name signed in with it
// before; "" for any other.
func (a *access) known(ctx context.Context, name string) (string, error) {
	token := a.cookie(askingOf(ctx).request, browserCookie)
	if token == "" {
		return "", nil
	}
	is, err := a.store.KnownBrowser(ctx, token, name, a.now().Add(-knownFor))
	if !is {
		token = ""
	}
	return token, err
}

// begin starts a session and returns its cookie. Whatever session the browser had before
// ends, and the browser is known from now on.
func (a *access) begin(ctx context.Context, p *store.Person) (string, error) {
	now := a.now()
	return a.beginAs(ctx, p, store.Session{CreatedAt: now, FreshAt: now})
}

// beginAs is begin with a session that is as old as another.
func (a *access) beginAs(ctx context.Context, p *store.Person, session store.Session) (string, error) {
	who, now := askingOf(ctx), a.now()
	if old := a.cookie(who.request, sessionCookie); old != "" {
		end := a.store.SignOut
		if session.Carried != nil {
			end = a.store.EndCarried // the one that it comes from goes on
		}
		if err := end(ctx, old); err != nil {
			return "", err
		}
	}
	if err := a.store.EndSessions(ctx, now.Add(-sessionIdle)); err != nil {
		return "", err
	}
	at := rand.Text() + rand.Text()
	browser := ""
	if who.request != nil {
		browser = who.request.UserAgent()
	}
	session.Place, session.Browser = who.from, browser[:min(len(browser), 200)]
	if err := a.store.SignIn(ctx, at, p.ID, session); err != nil {
		return "", err
	}
	known := a.cookie(who.request, browserCookie)
	if len(known) != len(at) {
		known = rand.Text() + rand.Text()
	}
	if err := a.store.KnowBrowser(ctx, known, p.ID, now, now.Add(-knownFor)); err != nil {
		return "", err
	}
	if answer, ok := ctx.Value(answerKey{}).(*answer); ok {
		answer.cookies = append(answer.cookies, a.setCookie(browserCookie, known, int(knownFor.Seconds())))
	}
	return a.setCookie(sessionCookie, at, int(sessionLife.Seconds())), nil
}

// sessionOf is who is signed in as the screens need it.
func (a *access) sessionOf(name string, role job.Role) api.Session {
	s := api.Session{Required: a.required, Name: name, Role: string(role), May: []string{}}
	if len(a.addresses) > 0 {
		s.Addresses = &a.addresses
	}
	for _, needs := range job.Accesses {
		if !a.required || role.May(needs) {
			s.May = append(s.May, string(needs))
		}
	}
	return s
}
