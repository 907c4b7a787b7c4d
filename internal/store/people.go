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

// UpdatePerson stores role, passphrase and whether the person may sign in. Who
// got another passphrase or role is signed out everywhere.
func (s *Store) UpdatePerson(ctx context.Context, p Person) error {
	return s.InTransaction(ctx, func(ctx context.Context) error {
		if err := changed(s.q(ctx).UpdatePerson(ctx, db.UpdatePersonParams{Role: p.Role, Passphrase: p.Passphrase, Withdrawn: bit(p.Withdrawn), ID: p.ID})); err != nil {
			return err
		}
		if p.Withdrawn {
			// Their sessions hold no more, and stay: by them a phone is told to keep nothing.
			return nil
		}
		return s.SignOutEverywhere(ctx, p.ID)
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

// SignIn starts a session under the token.
func (s *Store) SignIn(ctx context.Context, token string, person int64, at time.Time) error {
	return s.q(ctx).
		SignIn(ctx, db.SignInParams{Token: hashed(token), PersonID: person, CreatedAt: stamp(at), SeenAt: stamp(at)})
}

// SignedIn is whose session the token is, and when it began and was last used.
// ErrNotFound where it is nobody's.
func (s *Store) SignedIn(ctx context.Context, token string) (p Person, began, seen time.Time, err error) {
	r, err := s.q(ctx).SignedIn(ctx, hashed(token))
	p = Person{r.ID, r.Name, r.Role, r.Passphrase, instant(r.CreatedAt), r.Withdrawn != 0}
	return p, instant(r.BeganAt), instant(r.SeenAt), found(err)
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

// Failed keeps that somebody failed to sign in under the name, and lets go of
// what is older than since.
func (s *Store) Failed(ctx context.Context, name string, at, since time.Time) error {
	return s.InTransaction(ctx, func(ctx context.Context) error {
		if err := s.q(ctx).ForgetFailures(ctx, stamp(since)); err != nil {
			return err
		}
		return s.q(ctx).Failed(ctx, db.FailedParams{Name: name, At: stamp(at)})
	})
}

// Failures counts how often somebody failed to sign in under the name since.
func (s *Store) Failures(ctx context.Context, name string, since time.Time) (int, error) {
	n, err := s.q(ctx).Failures(ctx, db.FailuresParams{Name: name, At: stamp(since)})
	return int(n), err
}

// ClearFailures forgets them after a right passphrase.
func (s *Store) ClearFailures(ctx context.Context, name string) error {
	return s.q(ctx).ClearFailures(ctx, name)
}
