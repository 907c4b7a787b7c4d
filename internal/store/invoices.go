package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"elvat/core/day"
	"elvat/core/price"
	"elvat/internal/store/db"
)

// ErrCredited means that the invoice was credited before.
var ErrCredited = errors.New("the invoice is credited already: what is right is invoiced anew")

// Issue gives the document the next number and keeps it for good: document is worked out with
// the number in the same transaction. The same command issues one document. of is the number
// of the invoice that is credited; 0: it is an invoice.
func (s *Store) Issue(ctx context.Context, command string, call, of int64, at time.Time, document func(number int64) (*price.Document, error)) (*price.Document, error) {
	var d *price.Document
	err := s.InTransaction(ctx, func(ctx context.Context) error {
		was, err := s.q(ctx).InvoiceBy(ctx, command)
		if err == nil {
			d, err = price.ParseDocument([]byte(was.Document))
			return err
		}
		if !errors.Is(err, sql.ErrNoRows) {
			return err
		}
		row := db.AddInvoiceParams{Paper: string(price.Invoice), CallID: call, Command: command, At: stamp(at)}
		if of != 0 {
			if _, err := s.q(ctx).CreditOf(ctx, &of); err == nil {
				return ErrCredited
			} else if !errors.Is(err, sql.ErrNoRows) {
				return err
			}
			row.Paper, row.Of = string(price.Credit), &of
		}
		last, err := s.q(ctx).LastInvoice(ctx)
		if err != nil {
			return err
		}
		row.Number = last + 1
		if d, err = document(row.Number); err != nil {
			return err
		}
		if err := d.Check(); err != nil {
			return err
		}
		text, err := json.Marshal(d)
		if err != nil {
			return err
		}
		row.Document = string(text)
		return s.q(ctx).AddInvoice(ctx, row)
	})
	if err != nil {
		return nil, err
	}
	return d, nil
}

// An Issued paper is one with its number.
type Issued struct {
	Number   int64
	Of       int64 // the invoice that it credits; 0: none
	Document *price.Document
}

func issuedOf(r db.Invoice) (Issued, error) {
	d, err := price.ParseDocument([]byte(r.Document))
	if err != nil {
		return Issued{}, fmt.Errorf("invoice %d, stored: %w", r.Number, err)
	}
	i := Issued{Number: r.Number, Document: d}
	if r.Of != nil {
		i.Of = *r.Of
	}
	return i, nil
}

func issuedAll(rows []db.Invoice, err error) ([]Issued, error) {
	if err != nil {
		return nil, err
	}
	all := []Issued{}
	for _, r := range rows {
		i, err := issuedOf(r)
		if err != nil {
			return nil, err
		}
		all = append(all, i)
	}
	return all, nil
}

// Invoice is one of the papers.
func (s *Store) Invoice(ctx context.Context, number int64) (Issued, error) {
	r, err := s.q(ctx).Invoice(ctx, number)
	if err != nil {
		return Issued{}, found(err)
	}
	return issuedOf(r)
}

// InvoicesOfCall are those of a call, in their order.
func (s *Store) InvoicesOfCall(ctx context.Context, call int64) ([]Issued, error) {
	return issuedAll(s.q(ctx).InvoicesOfCall(ctx, call))
}

// Invoices are the newest, before the given one where that is not 0.
func (s *Store) Invoices(ctx context.Context, before int64, most int) ([]Issued, error) {
	return issuedAll(s.q(ctx).Invoices(ctx, db.InvoicesParams{Before: before, Most: int64(most)}))
}

// SetFeed has a van's calendar read by the token, and by no other any more.
func (s *Store) SetFeed(ctx context.Context, van, token string, at time.Time) error {
	return s.q(ctx).SetFeed(ctx, db.SetFeedParams{Van: van, Token: hashed(token), MadeAt: stamp(at)})
}

// EndFeed closes a van's calendar.
func (s *Store) EndFeed(ctx context.Context, van string) error { return s.q(ctx).RemoveFeed(ctx, van) }

// FeedOf is the van whose calendar the token opens.
func (s *Store) FeedOf(ctx context.Context, token string) (string, error) {
	van, err := s.q(ctx).FeedOf(ctx, hashed(token))
	return van, found(err)
}

// Feeds are the vans with a calendar that can be read.
func (s *Store) Feeds(ctx context.Context) (map[string]time.Time, error) {
	rows, err := s.q(ctx).Feeds(ctx)
	all := map[string]time.Time{}
	for _, r := range rows {
		all[r.Van] = instant(r.MadeAt)
	}
	return all, err
}

// A DueNear is a GFCI whose test is due, in a house that is on the map.
type DueNear struct {
	Run     int64
	Device  string
	Label   string
	Due     time.Time
	Site    int64
	House   string
	Address string
	At      day.Point
}

// DueOnMap are the GFCIs in houses on the map whose test is due by the time.
func (s *Store) DueOnMap(ctx context.Context, by time.Time, most int) ([]DueNear, error) {
	rows, err := s.q(ctx).DueOnMap(ctx, db.DueOnMapParams{DueAt: stamp(by), Limit: int64(most)})
	return each(rows, err, func(r db.DueOnMapRow) DueNear {
		n := DueNear{Run: r.RunID, Device: r.Device, Label: r.Label, Due: instant(r.DueAt), Site: r.SiteID, House: r.SiteName, Address: r.Address}
		if r.Lat != nil && r.Lon != nil {
			n.At = day.Point{Lat: *r.Lat, Lon: *r.Lon}
		}
		return n
	})
}
