package store

import (
	"context"
	"time"

	"elvat/internal/store/db"
)

// A FactorKind is what a second factor is.
type FactorKind string

// Kinds of second factor.
const (
	Passkey  FactorKind = "passkey"  // of WebAuthn; its secret is the credential as JSON
	OneTime  FactorKind = "code"     // by RFC 6238; its secret is the key in base32
	Recovery FactorKind = "recovery" // a code on paper, good once
)

// A Factor is what somebody shows beside their passphrase.
type Factor struct {
	ID        int64
	Kind      FactorKind
	Name      string
	Secret    string
	CreatedAt time.Time
	UsedAt    *time.Time
	Last      int64 // of one-time codes: the step of the last that was taken
}

// AddFactor keeps one of the person's. The secret of a recovery code is kept as a hash.
func (s *Store) AddFactor(ctx context.Context, person int64, f Factor) (int64, error) {
	if f.Kind == Recovery {
		f.Secret = hashed(f.Secret)
	}
	return s.q(ctx).AddFactor(ctx, db.AddFactorParams{
		PersonID: person, Kind: string(f.Kind), Name: f.Name, Secret: f.Secret, CreatedAt: stamp(f.CreatedAt),
	})
}

// Factors lists those of the person.
func (s *Store) Factors(ctx context.Context, person int64) ([]Factor, error) {
	rows, err := s.q(ctx).Factors(ctx, person)
	return each(rows, err, func(r db.Factor) Factor {
		return Factor{r.ID, FactorKind(r.Kind), r.Name, r.Secret, instant(r.CreatedAt), instantOrNil(r.UsedAt), r.Last}
	})
}

// KeepFactor keeps a passkey as it is after it was used.
func (s *Store) KeepFactor(ctx context.Context, person int64, f Factor) error {
	return changed(s.q(ctx).SetFactor(ctx, db.SetFactorParams{Secret: f.Secret, UsedAt: stampOrNull(f.UsedAt), Last: f.Last, ID: f.ID, PersonID: person}))
}

// UseCode takes a one-time code of the step; ErrNotFound where that or a later one was taken.
func (s *Store) UseCode(ctx context.Context, factor, step int64, at time.Time) error {
	return changed(s.q(ctx).UseCode(ctx, db.UseCodeParams{UsedAt: new(stamp(at)), Step: step, ID: factor}))
}

// UseRecovery takes a recovery code; ErrNotFound where it is none, or was taken.
func (s *Store) UseRecovery(ctx context.Context, person int64, code string, at time.Time) error {
	return changed(s.q(ctx).UseRecovery(ctx, db.UseRecoveryParams{UsedAt: new(stamp(at)), PersonID: person, Secret: hashed(code)}))
}

// RemoveFactor takes one of the person's away; with the last one their recovery codes go.
func (s *Store) RemoveFactor(ctx context.Context, person, factor int64) error {
	return s.InTransaction(ctx, func(ctx context.Context) error {
		if err := changed(s.q(ctx).RemoveFactor(ctx, db.RemoveFactorParams{ID: factor, PersonID: person})); err != nil {
			return err
		}
		left, err := s.Factors(ctx, person)
		if err != nil {
			return err
		}
		for _, f := range left {
			if f.Kind != Recovery {
				return nil
			}
		}
		return s.q(ctx).RemoveRecovery(ctx, person)
	})
}

// SetRecovery puts new recovery codes in the place of all there were.
func (s *Store) SetRecovery(ctx context.Context, person int64, codes []string, at time.Time) error {
	return s.InTransaction(ctx, func(ctx context.Context) error {
		if err := s.q(ctx).RemoveRecovery(ctx, person); err != nil {
			return err
		}
		for _, code := range codes {
			if _, err := s.AddFactor(ctx, person, Factor{Kind: Recovery, Secret: code, CreatedAt: at}); err != nil {
				return err
			}
		}
		return nil
	})
}

// WithFactor are the numbers of those who have a second factor.
func (s *Store) WithFactor(ctx context.Context) (map[int64]bool, error) {
	ids, err := s.q(ctx).WithFactor(ctx)
	all := map[int64]bool{}
	for _, id := range ids {
		all[id] = true
	}
	return all, err
}
