package store

import (
	"context"
	"time"

	"elvat/internal/store/db"
)

// A Token is what a person gave a program to sign in with; it itself is kept as a
// hash only.
type Token struct {
	ID        int64
	Name      string // of the program
	Role      string // bounds what may be done with it, beside what the person may
	CreatedAt time.Time
	UsedAt    *time.Time
}

// AddToken keeps one of the person's.
func (s *Store) AddToken(ctx context.Context, person int64, t Token, token string) error {
	_, err := s.q(ctx).
		AddToken(ctx, db.AddTokenParams{PersonID: person, Name: t.Name, Role: t.Role, Token: hashed(token), CreatedAt: stamp(t.CreatedAt)})
	return err
}

// Tokens lists those of the person that are in force.
func (s *Store) Tokens(ctx context.Context, person int64) ([]Token, error) {
	rows, err := s.q(ctx).Tokens(ctx, person)
	return each(rows, err, func(r db.TokensRow) Token {
		return Token{r.ID, r.Name, r.Role, instant(r.CreatedAt), instantOrNil(r.UsedAt)}
	})
}

// TokenOf is whose the token is, and what is known of it; ErrNotFound where it is
// nobody's.
func (s *Store) TokenOf(ctx context.Context, token string) (Person, Token, error) {
	r, err := s.q(ctx).TokenOf(ctx, hashed(token))
	p := Person{r.ID, r.Name, r.Role, r.Passphrase, instant(r.CreatedAt), r.Withdrawn != 0}
	return p, Token{ID: r.TokenID, Role: r.TokenRole, UsedAt: instantOrNil(r.UsedAt)}, found(err)
}

// TokenUsed keeps that it was used.
func (s *Store) TokenUsed(ctx context.Context, id int64, at time.Time) error {
	return s.q(ctx).TokenUsed(ctx, db.TokenUsedParams{UsedAt: new(stamp(at)), ID: id})
}

// WithdrawToken takes one of the person's out of force.
func (s *Store) WithdrawToken(ctx context.Context, person, id int64) error {
	return changed(s.q(ctx).WithdrawToken(ctx, db.WithdrawTokenParams{ID: id, PersonID: person}))
}
