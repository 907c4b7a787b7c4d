package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"time"
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

// AddPerson stores a person.
func (s *Store) AddPerson(ctx context.Context, p Person) (int64, error) {
	var id int64
	err := s.on(ctx).QueryRowContext(ctx, "INSERT INTO people (name, role, passphrase, created_at) VALUES (?, ?, ?, ?) ON CONFLICT DO NOTHING RETURNING id",
		p.Name, p.Role, p.Passphrase, stamp(p.CreatedAt)).Scan(&id)
	if errors.Is(err, sql.ErrNoRows) {
		return 0, ErrTaken
	}
	return id, err
}

// ErrTaken means that someone has that name already.
var ErrTaken = errors.New("someone has that name already")

// UpdatePerson stores role, passphrase and whether the person may sign in. Who
// got another passphrase or role is signed out everywhere.
func (s *Store) UpdatePerson(ctx context.Context, p Person) error {
	return s.inTransaction(ctx, func(ctx context.Context) error {
		if err := s.mustChange(s.on(ctx).ExecContext(ctx, "UPDATE people SET role = ?, passphrase = ?, withdrawn = ? WHERE id = ?", p.Role, p.Passphrase, p.Withdrawn, p.ID)); err != nil {
			return err
		}
		return s.SignOutEverywhere(ctx, p.ID)
	})
}

// SignOutEverywhere ends all sessions of a person.
func (s *Store) SignOutEverywhere(ctx context.Context, person int64) error {
	_, err := s.on(ctx).ExecContext(ctx, "DELETE FROM sessions WHERE person_id = ?", person)
	return err
}

const personColumns = "p.id, p.name, p.role, p.passphrase, p.created_at, p.withdrawn"

func scanPerson(row interface{ Scan(...any) error }, more ...any) (Person, error) {
	var p Person
	var at string
	err := row.Scan(append([]any{&p.ID, &p.Name, &p.Role, &p.Passphrase, &at, &p.Withdrawn}, more...)...)
	if errors.Is(err, sql.ErrNoRows) {
		return p, ErrNotFound
	}
	if err == nil {
		p.CreatedAt, err = time.Parse(time.RFC3339Nano, at)
	}
	return p, err
}

// Person is one person by number.
func (s *Store) Person(ctx context.Context, id int64) (Person, error) {
	return scanPerson(s.on(ctx).QueryRowContext(ctx, "SELECT "+personColumns+" FROM people p WHERE id = ?", id))
}

// PersonNamed is one person by name.
func (s *Store) PersonNamed(ctx context.Context, name string) (Person, error) {
	return scanPerson(s.on(ctx).QueryRowContext(ctx, "SELECT "+personColumns+" FROM people p WHERE name = ?", name))
}

// People lists everybody.
func (s *Store) People(ctx context.Context) ([]Person, error) {
	rows, err := s.on(ctx).QueryContext(ctx, "SELECT "+personColumns+" FROM people p ORDER BY withdrawn, name COLLATE NOCASE")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []Person
	for rows.Next() {
		p, err := scanPerson(rows)
		if err != nil {
			return nil, err
		}
		all = append(all, p)
	}
	return all, rows.Err()
}

// hashed is how a token is kept. Tokens are long and random, so a plain hash
// keeps them from being found out.
func hashed(token string) string {
	sum := sha256.Sum256([]byte(token))
	return hex.EncodeToString(sum[:])
}

// SignIn starts a session under the token.
func (s *Store) SignIn(ctx context.Context, token string, person int64, at time.Time) error {
	_, err := s.on(ctx).ExecContext(ctx, "INSERT INTO sessions (token, person_id, created_at, seen_at) VALUES (?, ?, ?, ?)", hashed(token), person, stamp(at), stamp(at))
	return err
}

// SignedIn is whose session the token is, and when it began and was last used.
// ErrNotFound where it is nobody's.
func (s *Store) SignedIn(ctx context.Context, token string) (p Person, began, seen time.Time, err error) {
	var at, last string
	p, err = scanPerson(s.on(ctx).QueryRowContext(ctx, "SELECT "+personColumns+", s.created_at, s.seen_at FROM sessions s JOIN people p ON p.id = s.person_id WHERE s.token = ? AND NOT p.withdrawn", hashed(token)), &at, &last)
	if err != nil {
		return p, began, seen, err
	}
	if began, err = time.Parse(time.RFC3339Nano, at); err == nil {
		seen, err = time.Parse(time.RFC3339Nano, last)
	}
	return p, began, seen, err
}

// Seen keeps that a session was used.
func (s *Store) Seen(ctx context.Context, token string, at time.Time) error {
	_, err := s.on(ctx).ExecContext(ctx, "UPDATE sessions SET seen_at = ? WHERE token = ?", stamp(at), hashed(token))
	return err
}

// SignOut ends the session.
func (s *Store) SignOut(ctx context.Context, token string) error {
	_, err := s.on(ctx).ExecContext(ctx, "DELETE FROM sessions WHERE token = ?", hashed(token))
	return err
}

// Sessions counts a person's sessions.
func (s *Store) Sessions(ctx context.Context, person int64) (n int, err error) {
	err = s.on(ctx).QueryRowContext(ctx, "SELECT count(*) FROM sessions WHERE person_id = ?", person).Scan(&n)
	return n, err
}

// Failed keeps that somebody failed to sign in under the name, and lets go of
// what is older than since.
func (s *Store) Failed(ctx context.Context, name string, at, since time.Time) error {
	return s.inTransaction(ctx, func(ctx context.Context) error {
		if _, err := s.on(ctx).ExecContext(ctx, "DELETE FROM failures WHERE at < ?", stamp(since)); err != nil {
			return err
		}
		_, err := s.on(ctx).ExecContext(ctx, "INSERT INTO failures (name, at) VALUES (?, ?)", name, stamp(at))
		return err
	})
}

// Failures counts how often somebody failed to sign in under the name since.
func (s *Store) Failures(ctx context.Context, name string, since time.Time) (n int, err error) {
	err = s.on(ctx).QueryRowContext(ctx, "SELECT count(*) FROM failures WHERE name = ? AND at >= ?", name, stamp(since)).Scan(&n)
	return n, err
}

// ClearFailures forgets them after a right passphrase.
func (s *Store) ClearFailures(ctx context.Context, name string) error {
	_, err := s.on(ctx).ExecContext(ctx, "DELETE FROM failures WHERE name = ?", name)
	return err
}
