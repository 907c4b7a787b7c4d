package server

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"

	corecall "elvat/core/call"
	"elvat/core/price"
	"elvat/internal/api"
	"elvat/internal/desk"
	"elvat/internal/report"
	"elvat/internal/store"
)

// pricesSetting is the name under which it is kept what the shop charges.
const pricesSetting = "prices"

// priceList is what the shop charges; what is usual until it says so.
func (s *calls) priceList(ctx context.Context) (price.List, error) {
	kept, err := s.store.Setting(ctx, pricesSetting)
	if err != nil || kept == nil {
		l := price.Usual()
		l.Seller.Name = s.Shop
		return l, err
	}
	l, err := price.Parse(kept)
	if err != nil {
		return price.List{}, err
	}
	return *l, nil
}

// GetPrices shows it.
func (s *calls) GetPrices(ctx context.Context, _ api.GetPricesRequestObject) (api.GetPricesResponseObject, error) {
	l, err := s.priceList(ctx)
	return api.GetPrices200JSONResponse(l), err
}

// SetPrices sets it.
func (s *calls) SetPrices(ctx context.Context, r api.SetPricesRequestObject) (api.SetPricesResponseObject, error) {
	if err := r.Body.Check(); err != nil {
		return nil, badInput{err}
	}
	kept, err := json.Marshal(r.Body)
	if err != nil {
		return nil, err
	}
	return api.SetPrices200JSONResponse(*r.Body), s.store.Set(ctx, pricesSetting, kept)
}

// charged is what the call comes to, with the list and whom it is for.
func (s *calls) charged(ctx context.Context, id int64) (v *desk.State, c corecall.Charged, l price.List, about price.About, err error) {
	if v, err = s.Load(ctx, id); err != nil {
		return v, c, l, about, err
	}
	shop, err := s.House(ctx)
	if err != nil {
		return v, c, l, about, err
	}
	if c, err = v.Record.Charged(v.View, shop, v.Minutes.Usual); err != nil {
		return v, c, l, about, err
	}
	if l, err = s.priceList(ctx); err != nil {
		return v, c, l, about, err
	}
	about = price.About{At: s.now(), Call: id, Subject: v.Record.Title, Customer: price.Party{Name: v.Call.SiteName}}
	if v.Record.Complaint != "" {
		about.Subject += ": " + v.Record.Complaint
	}
	if v.Call.Site > 0 {
		house, err := s.store.Site(ctx, v.Call.Site)
		if err != nil {
			return v, c, l, about, err
		}
		about.Customer = price.Party{Name: house.Name, Address: house.Address}
	}
	return v, c, l, about, nil
}

// chosen is the work with what somebody said of it.
func chosen(work price.Work, choice api.PriceChoice) (price.Work, error) {
	work.Minutes, work.Tasks, work.ByHand = desk.Or(choice.Minutes, work.Minutes), desk.Or(choice.Tasks, nil), choice.Minutes != nil
	if !(work.Minutes >= 0 && work.Minutes <= mostMinutes) {
		return work, badInput{fmt.Errorf("minutes: %g is out of bounds, 0 to %d", work.Minutes, mostMinutes)}
	}
	return work, nil
}

// mostMinutes that are charged: 1,600 hours. Assumption.
const mostMinutes = 100_000

// quoteOf is a quote of the call as it is planned now.
func quoteOf(v *desk.State, c corecall.Charged, l *price.List, about price.About, choice api.PriceChoice) (*price.Document, error) {
	about.Discount = desk.Or(choice.Discount, "")
	work, err := chosen(c.Planned, choice)
	if err != nil {
		return nil, err
	}
	minutes := v.Minutes
	if minutes.Usual > 0 { // the range goes with what somebody says of the minutes
		minutes = minutes.Times(work.Minutes / minutes.Usual)
	}
	q, err := l.QuoteFor(about, work, minutes.Least, minutes.Most, c.Cases...)
	if err != nil {
		return nil, badInput{err}
	}
	return q, nil
}

// invoiceOf is an invoice of what was done and used.
func invoiceOf(c corecall.Charged, l *price.List, about price.About, choice api.PriceChoice) (*price.Document, error) {
	about.Discount = desk.Or(choice.Discount, "")
	work, err := chosen(c.Done, choice)
	if err != nil {
		return nil, err
	}
	d, err := l.InvoiceFor(about, work)
	if err != nil {
		return nil, badInput{err}
	}
	return d, nil
}

// callPrice has what it would come to with what is chosen.
func (s *calls) callPrice(ctx context.Context, id int64, choice api.PriceChoice) (now api.CallPrice, err error) {
	v, c, l, about, err := s.charged(ctx, id)
	if err != nil {
		return now, err
	}
	now.List, now.Quote = l, v.Record.Quote
	q, err := quoteOf(v, c, &l, about, choice)
	if err != nil {
		return now, err
	}
	now.Now = *q
	if d, err := invoiceOf(c, &l, about, choice); err == nil {
		now.Invoice = d
	} else {
		why := err.Error()
		now.Nothing = &why
	}
	issued, err := s.store.InvoicesOfCall(ctx, id)
	now.Issued = shownIssued(issued)
	return now, err
}

func shownIssued(issued []store.Issued) []api.IssuedPaper {
	all := []api.IssuedPaper{}
	credited := map[int64]bool{}
	for _, i := range issued {
		credited[i.Of] = i.Of != 0
	}
	for _, i := range issued {
		one := api.IssuedPaper{Number: i.Number, Document: *i.Document, Credited: new(credited[i.Number])}
		if i.Of != 0 {
			one.Of = &i.Of
		}
		all = append(all, one)
	}
	return all
}

// GetCallPrice shows the quote of a call, what it would come to now, and its invoices.
func (s *calls) GetCallPrice(ctx context.Context, r api.GetCallPriceRequestObject) (api.GetCallPriceResponseObject, error) {
	p := r.Params
	now, err := s.callPrice(ctx, r.Call, api.PriceChoice(p))
	return api.GetCallPrice200JSONResponse(now), err
}

// MakeQuote keeps a quote of the call as it is planned now.
func (s *calls) MakeQuote(ctx context.Context, r api.MakeQuoteRequestObject) (api.MakeQuoteResponseObject, error) {
	v, c, l, about, err := s.charged(ctx, r.Call)
	if err != nil {
		return nil, err
	}
	q, err := quoteOf(v, c, &l, about, *r.Body)
	if err != nil {
		return nil, err
	}
	document, err := json.Marshal(q)
	if err != nil {
		return nil, err
	}
	if _, err := s.Do(ctx, r.Call, s.Command(ctx, &corecall.KeepQuote{Document: document}), nil); err != nil {
		return nil, err
	}
	now, err := s.callPrice(ctx, r.Call, api.PriceChoice{})
	return api.MakeQuote200JSONResponse(now), err
}

// AcceptQuote keeps that the customer accepted it.
func (s *calls) AcceptQuote(ctx context.Context, r api.AcceptQuoteRequestObject) (api.AcceptQuoteResponseObject, error) {
	do := &corecall.AcceptQuote{By: r.Body.By, Signature: desk.Or(r.Body.Signature, "")}
	if _, err := s.Do(ctx, r.Call, s.Command(ctx, do), nil); err != nil {
		return nil, err
	}
	now, err := s.callPrice(ctx, r.Call, api.PriceChoice{})
	return api.AcceptQuote200JSONResponse(now), err
}

// IssueInvoice issues an invoice of what was done and used.
func (s *calls) IssueInvoice(ctx context.Context, r api.IssueInvoiceRequestObject) (api.IssueInvoiceResponseObject, error) {
	_, c, l, about, err := s.charged(ctx, r.Call)
	if err != nil {
		return nil, err
	}
	d, err := invoiceOf(c, &l, about, *r.Body)
	if err != nil {
		return nil, err
	}
	command, err := s.named(ctx)
	if err != nil {
		return nil, err
	}
	if _, err := s.store.Issue(ctx, command, r.Call, 0, s.now(), numbered(d, l.Number)); err != nil {
		return nil, err
	}
	now, err := s.callPrice(ctx, r.Call, api.PriceChoice{})
	return api.IssueInvoice200JSONResponse(now), err
}

// named is the name of what is asked for: an invoice is issued once, however often it is sent.
func (s *calls) named(ctx context.Context) (string, error) {
	by := s.Command(ctx, nil)
	if by.ID == "" {
		by.ID = s.NewID()
	}
	return by.ID, nil
}

// numbered has the document carry its number.
func numbered(d *price.Document, prefix string) func(int64) (*price.Document, error) {
	return func(number int64) (*price.Document, error) {
		d.Number = fmt.Sprintf("%s%04d", prefix, number)
		return d, nil
	}
}

// CreditInvoice takes an invoice back by a credit note.
func (s *calls) CreditInvoice(ctx context.Context, r api.CreditInvoiceRequestObject) (api.CreditInvoiceResponseObject, error) {
	i, err := s.store.Invoice(ctx, r.Invoice)
	if err != nil {
		return nil, err
	}
	d, err := price.CreditFor(i.Document, r.Body.Why, s.now())
	if err != nil {
		return nil, badInput{err}
	}
	l, err := s.priceList(ctx)
	if err != nil {
		return nil, err
	}
	command, err := s.named(ctx)
	if err != nil {
		return nil, err
	}
	_, err = s.store.Issue(ctx, command, i.Document.Call, i.Number, s.now(), numbered(d, l.Number))
	if errors.Is(err, store.ErrCredited) {
		return nil, badInput{err}
	}
	if err != nil {
		return nil, err
	}
	now, err := s.callPrice(ctx, i.Document.Call, api.PriceChoice{})
	return api.CreditInvoice200JSONResponse(now), err
}

// ListInvoices lists invoices and credit notes, newest first.
func (s *calls) ListInvoices(ctx context.Context, r api.ListInvoicesRequestObject) (api.ListInvoicesResponseObject, error) {
	issued, err := s.store.Invoices(ctx, desk.Or(r.Params.Before, 0), mostListed)
	return api.ListInvoices200JSONResponse(shownIssued(issued)), err
}

// GetQuotePaper is the quote as a paper: the one that is kept, else as it is planned now.
func (s *calls) GetQuotePaper(ctx context.Context, r api.GetQuotePaperRequestObject) (api.GetQuotePaperResponseObject, error) {
	v, c, l, about, err := s.charged(ctx, r.Call)
	if err != nil {
		return nil, err
	}
	q := v.Record.Quote
	if q == nil {
		if q, err = quoteOf(v, c, &l, about, api.PriceChoice{}); err != nil {
			return nil, err
		}
	}
	var out bytes.Buffer
	if err := s.paper(ctx, &out, q); err != nil {
		return nil, err
	}
	return api.GetQuotePaper200ApplicationpdfResponse{Body: &out, ContentLength: int64(out.Len())}, nil
}

func (s *calls) paper(ctx context.Context, out io.Writer, d *price.Document) error {
	zone, err := s.zone(ctx)
	if err != nil {
		return err
	}
	return report.Price(out, d, zone)
}

// GetInvoiceFile is an invoice or credit note as a paper, as UBL, or as rows.
func (s *calls) GetInvoiceFile(ctx context.Context, r api.GetInvoiceFileRequestObject) (api.GetInvoiceFileResponseObject, error) {
	i, err := s.store.Invoice(ctx, r.Invoice)
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	name := string(r.File)
	media := map[string]string{"invoice.pdf": "application/pdf", "invoice.xml": "application/xml", "invoice.csv": "text/csv; charset=utf-8"}[name]
	switch name {
	case "invoice.pdf":
		err = s.paper(ctx, &out, i.Document)
	case "invoice.xml":
		err = report.UBL(&out, i.Document)
	case "invoice.csv":
		err = report.PriceCSV(&out, i.Document)
	default:
		return nil, store.ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	file := strings.TrimPrefix(name, "invoice")
	return api.GetInvoiceFile200ApplicationoctetStreamResponse{
		Body: &out, ContentLength: int64(out.Len()),
		Headers: api.GetInvoiceFile200ResponseHeaders{ContentType: &media, ContentDisposition: new(fmt.Sprintf(`inline; filename="%s-%s%s"`, i.Document.Paper, i.Document.Number, file))},
	}, nil
}
