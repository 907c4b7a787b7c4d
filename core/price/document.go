package price

import (
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"

	"elvat/core/strict"
)

// Format is the name and version of quotes, invoices and credit notes.
const Format = "elvat-quote/1"

// A Paper is what a document is.
type Paper string

// Papers.
const (
	Quote   Paper = "quote"
	Invoice Paper = "invoice"
	Credit  Paper = "credit-note"
)

// An Option is what it would come to if that is what is wrong: the diagnosis is still open.
type Option struct {
	Words       string  `json:"words"`       // open neutral in the box at the window bench
	Probability float64 `json:"probability"` // as it is weighed now; never certain
	Lines       []Line  `json:"lines"`       // beside those that come in any case
	Totals      Totals  `json:"totals"`      // with them
}

// Accepted is what a customer signed.
type Accepted struct {
	By        string    `json:"by"`
	At        time.Time `json:"at"`
	Signature string    `json:"signature,omitempty"` // a path, as on the hand-over
}

// A Document is a quote, an invoice or a credit note.
type Document struct {
	Format   string     `json:"format"`
	Paper    Paper      `json:"paper"`
	Number   string     `json:"number,omitempty"` // of an invoice or credit note
	Of       string     `json:"of,omitempty"`     // the invoice that a credit note corrects
	Why      string     `json:"why,omitempty"`    // it was wrong
	At       time.Time  `json:"at"`
	Until    *time.Time `json:"until,omitempty"` // a quote holds
	Call     int64      `json:"call,omitempty"`
	Subject  string     `json:"subject"`
	Seller   Party      `json:"seller"`
	Customer Party      `json:"customer"`
	Currency string     `json:"currency"`
	Lines    []Line     `json:"lines"`
	Options  []Option   `json:"options,omitempty"`
	Discount *Discount  `json:"discount,omitempty"`
	Totals   Totals     `json:"totals"`
	// Least and Most are what a quote lies between, tax and all.
	Least    Cents     `json:"least,omitempty"`
	Most     Cents     `json:"most,omitempty"`
	Accepted *Accepted `json:"accepted,omitempty"`
}

// What a document is made for.
type About struct {
	At       time.Time
	Call     int64
	Subject  string
	Customer Party
	Discount string // by its name on the list; empty: none
}

func (l *List) document(paper Paper, a About) (*Document, error) {
	d := &Document{Format: Format, Paper: paper, At: a.At, Call: a.Call, Subject: a.Subject, Seller: l.Seller, Customer: a.Customer, Currency: l.Currency, Lines: []Line{}}
	if d.Currency == "" {
		d.Currency = "USD"
	}
	if a.Discount != "" {
		i := slices.IndexFunc(l.Discounts, func(x Discount) bool { return x.Name == a.Discount })
		if i < 0 {
			return nil, fmt.Errorf("discount: %q is not on the price list", a.Discount)
		}
		d.Discount = &l.Discounts[i]
	}
	return d, nil
}

func (d *Document) discount() Basis {
	if d.Discount == nil {
		return 0
	}
	return d.Discount.Basis
}

// A Case is work that comes only if that is what is wrong.
type Case struct {
	Words       string
	Probability float64
	Work        Work
}

// usualDays is how long a quote holds where the list does not say.
const usualDays = 30

// QuoteFor is a quote: what comes in any case, and what comes if it is this or that. least and
// most are the minutes that eight of ten such calls lie between; the range is worked with them.
func (l *List) QuoteFor(a About, work Work, least, most float64, cases ...Case) (*Document, error) {
	d, err := l.document(Quote, a)
	if err != nil {
		return nil, err
	}
	days := l.Days
	if days == 0 {
		days = usualDays
	}
	until := a.At.AddDate(0, 0, days)
	d.Until = &until
	if d.Lines, err = l.Lines(work); err != nil {
		return nil, err
	}
	d.Totals = Sum(d.Lines, d.discount())
	d.Least, d.Most = d.Totals.Gross, d.Totals.Gross
	for i, minutes := range []float64{least, most} {
		w := work
		w.Minutes = minutes
		lines, err := l.Lines(w)
		if err != nil {
			return nil, err
		}
		if gross := Sum(lines, d.discount()).Gross; i == 0 {
			d.Least = min(d.Least, gross)
		} else {
			d.Most = max(d.Most, gross)
		}
	}
	below, above := d.Totals.Gross-d.Least, d.Most-d.Totals.Gross
	for i, c := range cases {
		lines, err := l.Lines(c.Work)
		if err != nil {
			return nil, err
		}
		o := Option{Words: c.Words, Probability: c.Probability, Lines: lines, Totals: Sum(append(slices.Clone(d.Lines), lines...), d.discount())}
		d.Options = append(d.Options, o)
		if i == 0 {
			d.Least, d.Most = o.Totals.Gross-below, o.Totals.Gross+above
		}
		d.Least, d.Most = min(d.Least, o.Totals.Gross-below), max(d.Most, o.Totals.Gross+above)
	}
	return d, nil
}

// InvoiceFor is an invoice of what was done and used. It gets its number when it is issued.
func (l *List) InvoiceFor(a About, work Work) (*Document, error) {
	d, err := l.document(Invoice, a)
	if err != nil {
		return nil, err
	}
	if d.Lines, err = l.Lines(work); err != nil {
		return nil, err
	}
	if len(d.Lines) == 0 {
		return nil, fmt.Errorf("lines: nothing was done or used that could be invoiced")
	}
	d.Totals = Sum(d.Lines, d.discount())
	return d, nil
}

// CreditFor takes an invoice back, all of it: what is right is invoiced anew. That is the only
// way in which one is corrected.
func CreditFor(invoice *Document, why string, at time.Time) (*Document, error) {
	switch {
	case invoice.Paper != Invoice || invoice.Number == "":
		return nil, fmt.Errorf("of: only an issued invoice is credited")
	case strings.TrimSpace(why) == "":
		return nil, fmt.Errorf("why: what was wrong with %s?", invoice.Number)
	}
	d := *invoice
	d.Paper, d.Of, d.Number, d.Why, d.At, d.Accepted, d.Options = Credit, invoice.Number, "", strings.TrimSpace(why), at, nil, nil
	return &d, nil
}

// Encode writes the document.
func (d *Document) Encode() ([]byte, error) {
	data, err := json.MarshalIndent(d, "", "  ")
	return append(data, '\n'), err
}

// ParseDocument reads a document, and holds its sums against its lines.
func ParseDocument(data []byte) (*Document, error) {
	d := &Document{}
	if err := strict.Reread(data, d); err != nil {
		return nil, fmt.Errorf("paper: %w", err)
	}
	if err := d.Check(); err != nil {
		return nil, fmt.Errorf("paper: %w", err)
	}
	return d, nil
}

// Check reports the first thing that does not add up, naming the place.
func (d *Document) Check() error {
	switch {
	case d.Format != Format:
		return fmt.Errorf("format: want %q, have %q", Format, d.Format)
	case !slices.Contains([]Paper{Quote, Invoice, Credit}, d.Paper):
		return fmt.Errorf("paper: %q is none of %v", d.Paper, []Paper{Quote, Invoice, Credit})
	case d.Paper == Credit && d.Of == "":
		return fmt.Errorf("of: a credit note is of an invoice")
	}
	for i := range d.Lines {
		n := &d.Lines[i]
		if !slices.Contains(Kinds, n.Kind) {
			return fmt.Errorf("lines[%d].kind: %q is none of %v", i, n.Kind, Kinds)
		}
		if n.Net != n.net() {
			return fmt.Errorf("lines[%d].net: %s, and %g x %s is %s", i, n.Net, n.Count, n.Each, n.net())
		}
	}
	if want := Sum(d.Lines, d.discount()); !reflect.DeepEqual(want, d.Totals) {
		return fmt.Errorf("totals: %s with tax, and the lines come to %s", d.Totals.Gross, want.Gross)
	}
	for i, o := range d.Options {
		if want := Sum(append(slices.Clone(d.Lines), o.Lines...), d.discount()); want.Gross != o.Totals.Gross {
			return fmt.Errorf("options[%d].totals: %s, and the lines come to %s", i, o.Totals.Gross, want.Gross)
		}
	}
	return nil
}
