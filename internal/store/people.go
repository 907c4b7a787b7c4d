package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"time"

	"elvat/internal/store/db"
)

// A Person works in the shop.
type Person struct {
	ID         int64
	Name       string
	Role       string
	Passphrase string // its argon2id hash
	CreatedAt  time.Time
	Withdrawn  bool // may not sign in any more
}

// A PersonChange is what is changed of a person; nil and "" leave what is there.
type PersonChange struct {
	Role       *string
	Passphrase string // its argon2id hash
	Was        string // the hash that it takes the place of; ErrMoved where there is another by now
	Withdrawn  *bool
	// NoFactors takes their second factors away, as when the phone with them is lost.
	NoFactors bool
}

// ErrTaken means that someone has that name already.
var ErrTaken = errors.New("someone has that name already")

// AddPerson stores a person.
func (s *Store) AddPerson(ctx context.Context, p Person) (int64, error) {
	id, err := s.q(ctx).
		AddPerson(ctx, db.AddPersonParams{Name: p.Name, Role: p.Role, Passphrase: p.Passphrase, CreatedAt: stamp(p.CreatedAt)})
	if errors.Is(err, sql.ErrNoRows) {
		return 0, ErrTaken
	}
	return id, err
}

// ChangePerson sets what is changed and nothing else, whatever others change meanwhile; check
// is asked about everybody as they are then, and what it refuses is not set. Who got another
// passphrase or role is signed out everywhere.
func (s *Store) ChangePerson(ctx context.Context, id int64, c PersonChange, check func([]Person) error) error {
	return s.InTransaction(ctx, func(ctx context.Context) error {
		q := s.q(ctx)
		if c.Was != "" {
			if p, err := s.Person(ctx, id); err != nil || p.Passphrase != c.Was {
				return errors.Join(err, ErrMoved)
			}
		}
		if c.Role != nil {
			if err := changed(q.SetRole(ctx, db.SetRoleParams{Role: *c.Role, ID: id})); err != nil {
				return err
			}
		}
		if c.Passphrase != "" {
			if err := changed(q.SetPassphrase(ctx, db.SetPassphraseParams{Passphrase: c.Passphrase, ID: id})); err != nil {
				return err
			}
		}
		if c.Withdrawn != nil {
			if err := changed(q.SetWithdrawn(ctx, db.SetWithdrawnParams{Withdrawn: bit(*c.Withdrawn), ID: id})); err != nil {
				return err
			}
		}
		if c.NoFactors {
			if err := q.RemoveFactors(ctx, id); err != nil {
				return err
			}
		}
		p, err := s.Person(ctx, id)
		if err != nil {
			return err
		}
		if check != nil {
			all, err := s.People(ctx)
			if err != nil {
				return err
			}
			if err := check(all); err != nil {
				return err
			}
		}
		if p.Withdrawn {
			// Their sessions hold no more, and stay: by them a phone is told to keep nothing.
			return nil
		}
		return s.SignOutEverywhere(ctx, id)
	})
}

// Withdrawn reports whether the session is of somebody whose access was withdrawn.
func (s *Store) Withdrawn(ctx context.Context, token string) (bool, error) {
	is, err := s.q(ctx).WithdrawnBy(ctx, hashed(token))
	if errors.Is(err, sql.ErrNoRows) {
		return false, nil
	}
	return is != 0, err
}

// SignOutEverywhere ends all sessions of a person.
func (s *Store) SignOutEverywhere(ctx context.Context, person int64) error {
	return s.q(ctx).SignOutEverywhere(ctx, person)
}

func personOf(p db.Person) Person {
	return Person{p.ID, p.Name, p.Role, p.Passphrase, instant(p.CreatedAt), p.Withdrawn != 0}
}

// Person is one person by number.
func (s *Store) Person(ctx context.Context, id int64) (Person, error) {
	p, err := s.q(ctx).Person(ctx, id)
	return personOf(p), found(err)
}

// PersonNamed is one person by name.
func (s *Store) PersonNamed(ctx context.Context, name string) (Person, error) {
	p, err := s.q(ctx).PersonNamed(ctx, name)
	return personOf(p), found(err)
}

// People lists everybody.
func (s *Store) People(ctx context.Context) ([]Person, error) {
	rows, err := s.q(ctx).People(ctx)
	return each(rows, err, personOf)
}

// hashed is how a token is kept. Tokens are long and random, so a plain hash
// keeps them from being found out.
func hashed(token string) string {
	sum := sha256.Sum256([]byte(token))
	return hex.EncodeToString(sum[:])
}

// A Session is a browser that somebody signed in with.
type Session struct {
	ID        int64
	CreatedAt time.Time
	SeenAt    time.Time
	FreshAt   time.Time // when the passphrase was last given in it
	Place     string    // where from
	Browser   string    // as it calls itself
	// Carried is the session that it was carried from, at another address of the shop; nil: none.
	Carried *int64
}

// SignIn starts a session of the person under the token.
func (s *Store) SignIn(ctx context.Context, token string, person int64, n Session) error {
	return s.q(ctx).SignIn(ctx, db.SignInParams{
		Token: hashed(token), PersonID: person, CreatedAt: stamp(n.CreatedAt), SeenAt: stamp(n.CreatedAt), FreshAt: stamp(n.FreshAt),
		Place: n.Place, Browser: n.Browser, Carried: n.Carried,
	})
}

// EndCarried ends the session of the token if it was carried from another address, and not that.
func (s *Store) EndCarried(ctx context.Context, token string) error {
	return s.q(ctx).EndCarried(ctx, hashed(token))
}

// SignedIn is whose session the token is. ErrNotFound where it is nobody's.
func (s *Store) SignedIn(ctx context.Context, token string) (p Person, n Session, err error) {
	r, err := s.q(ctx).SignedIn(ctx, hashed(token))
	p = Person{r.ID, r.Name, r.Role, r.Passphrase, instant(r.CreatedAt), r.Withdrawn != 0}
	return p, Session{ID: r.SessionID, CreatedAt: instant(r.BeganAt), SeenAt: instant(r.SeenAt), FreshAt: instant(r.FreshAt)}, found(err)
}

// AddTicket keeps a ticket for the session; those that have run out go.
func (s *Store) AddTicket(ctx context.Context, token string, session int64, now, until time.Time) error {
	return s.InTransaction(ctx, func(ctx context.Context) error {
		if err := s.q(ctx).EndTickets(ctx, stamp(now)); err != nil {
			return err
		}
		return s.q(ctx).AddTicket(ctx, db.AddTicketParams{Token: hashed(token), SessionID: session, Until: stamp(until)})
	})
}

// UseTicket is whose session the ticket is of, and that session; it is used up. ErrNotFound where
// there is none in force.
func (s *Store) UseTicket(ctx context.Context, token string, now time.Time) (p Person, n Session, err error) {
	err = s.InTransaction(ctx, func(ctx context.Context) error {
		r, err := s.q(ctx).TicketOf(ctx, db.TicketOfParams{Token: hashed(token), Now: stamp(now)})
		if err != nil {
			return found(err)
		}
		p = Person{r.ID, r.Name, r.Role, r.Passphrase, instant(r.CreatedAt), r.Withdrawn != 0}
		n = Session{CreatedAt: instant(r.BeganAt), FreshAt: instant(r.FreshAt), Carried: &r.SessionID}
		return changed(s.q(ctx).EndTicket(ctx, hashed(token)))
	})
	return p, n, err
}

// Refresh keeps that the passphrase was given in the session.
func (s *Store) Refresh(ctx context.Context, session int64, at time.Time) error {
	return s.q(ctx).Refresh(ctx, db.RefreshParams{FreshAt: stamp(at), ID: session})
}

// SessionsOf lists a person's sessions, the one used last first.
func (s *Store) SessionsOf(ctx context.Context, person int64) ([]Session, error) {
	rows, err := s.q(ctx).SessionsOf(ctx, person)
	return each(rows, err, func(r db.SessionsOfRow) Session {
		return Session{ID: r.ID, CreatedAt: instant(r.CreatedAt), SeenAt: instant(r.SeenAt), Place: r.Place, Browser: r.Browser}
	})
}

// EndSession ends one of a person's; ErrNotFound where it is none of theirs.
func (s *Store) EndSession(ctx context.Context, person, session int64) error {
	return changed(s.q(ctx).EndSession(ctx, db.EndSessionParams{ID: session, PersonID: person}))
}

// EndSessions ends those that were not used since.
func (s *Store) EndSessions(ctx context.Context, since time.Time) error {
	return s.q(ctx).EndSessions(ctx, stamp(since))
}

// Seen keeps that a session was used.
func (s *Store) Seen(ctx context.Context, token string, at time.Time) error {
	return s.q(ctx).Seen(ctx, db.SeenParams{SeenAt: stamp(at), Token: hashed(token)})
}

// SignOut ends the session.
func (s *Store) SignOut(ctx context.Context, token string) error {
	return s.q(ctx).SignOut(ctx, hashed(token))
}

// Sessions counts a person's sessions.
func (s *Store) Sessions(ctx context.Context, person int64) (int, error) {
	n, err := s.q(ctx).Sessions(ctx, person)
	return int(n), err
}

// Failed keeps that somebody failed to sign in under the name, from a known browser or from
// any other where that is empty, and lets go of what is older than since.
func (s *Store) Failed(ctx context.Context, name, browser string, at, since time.Time) error {
	return s.InTransaction(ctx, func(ctx context.Context) error {
		if err := s.q(ctx).ForgetFailures(ctx, stamp(since)); err != nil {
			return err
		}
		return s.q(ctx).Failed(ctx, db.FailedParams{Name: name, Browser: known(browser), At: stamp(at)})
	})
}

// Failures counts how often somebody failed to sign in under the name, from there, since.
func (s *Store) Failures(ctx context.Context, name, browser string, since time.Time) (int, error) {
	n, err := s.q(ctx).Failures(ctx, db.FailuresParams{Name: name, Browser: known(browser), At: stamp(since)})
	return int(n), err
}

// known is how the token of a known browser is kept; "" for any other.
func known(browser string) string {
	if browser == "" {
		return ""
	}
	return hashed(browser)
}

// ClearFailures forgets them all, as when an electrician sets another passphrase.
func (s *Store) ClearFailures(ctx context.Context, name string) error {
	return s.q(ctx).ClearFailures(ctx, name)
}

// ClearFailuresFrom forgets those from there, after a right passphrase.
func (s *Store) ClearFailuresFrom(ctx context.Context, name, browser string) error {
	return s.q(ctx).ClearFailuresOf(ctx, db.ClearFailuresOfParams{Name: name, Browser: known(browser)})
}

// KnowBrowser keeps that the person signed in with the browser of that token, and forgets
// those that nobody signed in with since.
func (s *Store) KnowBrowser(ctx context.Context, token string, person int64, at, since time.Time) error {
	return s.InTransaction(ctx, func(ctx context.Context) error {
		if err := s.q(ctx).ForgetBrowsers(ctx, stamp(since)); err != nil {
			return err
		}
		return s.q(ctx).KnowBrowser(ctx, db.KnowBrowserParams{Token: hashed(token), PersonID: person, SeenAt: stamp(at)})
	})
}

// KnownBrowser reports whether the person of that name signed in with the browser since.
func (s *Store) KnownBrowser(ctx context.Context, token, name string, since time.Time) (bool, error) {
	is, err := s.q(ctx).BrowserOf(ctx, db.BrowserOfParams{Token: hashed(token), Name: name, SeenAt: stamp(since)})
	return is != 0, err
}
