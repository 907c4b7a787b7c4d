// Package price works out what a call costs the customer: a quote before the work, an invoice
// after it, a credit note where an invoice was wrong. Money is in integer cents, and every sum
// is of figures that stand on the paper. There are no payments here.
package price

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"elvat/core/parts"
	"elvat/core/strict"
)

// Cents are hundredths of the currency's unit.
type Cents int64

// String writes them as money is written: 1,234.50, without the currency.
func (c Cents) String() string {
	sign := ""
	if c < 0 {
		sign, c = "-", -c
	}
	whole := fmt.Sprint(int64(c) / 100)
	for i := len(whole) - 3; i > 0; i -= 3 {
		whole = whole[:i] + "," + whole[i:]
	}
	return fmt.Sprintf("%s%s.%02d", sign, whole, int64(c)%100)
}

// Dollars are the cents of an amount in dollars, to the nearest.
func Dollars(d float64) Cents { return Cents(math.Round(d * 100)) }

// Basis is a share in hundredths of a percent: 825 is 8.25 %.
type Basis int64

// String writes it as a percentage.
func (b Basis) String() string {
	text := strings.TrimRight(fmt.Sprintf("%d.%02d", int64(b)/100, abs(int64(b)%100)), "0")
	return strings.TrimSuffix(text, ".") + " %"
}

func abs(v int64) int64 {
	if v < 0 {
		return -v
	}
	return v
}

// Of is the share of an amount, half a cent rounded away from zero.
func (b Basis) Of(c Cents) Cents {
	p := int64(c) * int64(b)
	if p < 0 {
		return -Cents((-p + 5000) / 10000)
	}
	return Cents((p + 5000) / 10000)
}

// A Kind is what a line is for; tax is by it.
type Kind string

// Kinds of line.
const (
	Part    Kind = "part"
	Labour  Kind = "labour"
	Task    Kind = "task" // labour at a price of its own
	CallOut Kind = "call-out"
)

// Kinds in the order in which they stand on a paper.
var Kinds = []Kind{CallOut, Labour, Task, Part}

// A Party is who sells, or who buys.
type Party struct {
	Name    string `json:"name"`
	Address string `json:"address,omitempty"`
	TaxID   string `json:"taxId,omitempty"`
	Country string `json:"country,omitempty"` // ISO 3166, two letters
}

// A Fixed price is of a task, whatever time it takes.
type Fixed struct {
	Code  string `json:"code"`
	Words string `json:"words"`
	Cents Cents  `json:"cents"`
}

// A Discount is one that is given by name.
type Discount struct {
	Name  string `json:"name"`
	Basis Basis  `json:"basis"`
}

// How labour is charged.
const (
	ByMinute = "minute"
	ByTask   = "task" // what has a price of its own by that, the rest by the minute
)

// A List is what a shop charges.
type List struct {
	Seller   Party  `json:"seller"`
	Currency string `json:"currency,omitempty"` // ISO 4217; empty: USD
	CallOut  Cents  `json:"callOut"`
	Hour     Cents  `json:"hour"`
	By       string `json:"by,omitempty"` // empty: by the minute
	// Step is what minutes are rounded up to; zero: one.
	Step int `json:"step,omitempty"`
	// Markup is what is put on the cost of parts, by their group; "" stands for all others.
	Markup map[parts.Group]Basis `json:"markup,omitempty"`
	// Tax is by kind of line; what is absent is not taxed.
	Tax       map[Kind]Basis `json:"tax,omitempty"`
	Tasks     []Fixed        `json:"tasks,omitempty"`
	Discounts []Discount     `json:"discounts,omitempty"`
	// Days is how long a quote holds; zero: 30.
	Days int `json:"days,omitempty"`
	// Number stands before those of invoices.
	Number string `json:"number,omitempty"`
}

// Usual is what a shop charges until it says so itself. Assumption, all of it.
func Usual() List {
	return List{
		Currency: "USD", CallOut: 8500, Hour: 12000, By: ByMinute, Step: 15, Markup: map[parts.Group]Basis{"": 3000},
		Tax: map[Kind]Basis{}, Days: 30,
	}
}

// Bounds. Assumption.
const (
	mostCents = 10_000_000_00
	mostTasks = 300
)

// Check reports the first thing that cannot be, naming the place.
func (l *List) Check() error {
	money := func(place string, c Cents) error {
		if c < 0 || c > mostCents {
			return fmt.Errorf("%s: %s is out of bounds", place, c)
		}
		return nil
	}
	share := func(place string, b Basis, most Basis) error {
		if b < 0 || b > most {
			return fmt.Errorf("%s: %s is out of bounds, 0 to %s", place, b, most)
		}
		return nil
	}
	if l.Currency == "" {
		l.Currency = "USD"
	}
	if len(l.Currency) != 3 || strings.ToUpper(l.Currency) != l.Currency {
		return fmt.Errorf("currency: %q is no code of three letters", l.Currency)
	}
	switch {
	case l.By != "" && l.By != ByMinute && l.By != ByTask:
		return fmt.Errorf("by: %q is neither %s nor %s", l.By, ByMinute, ByTask)
	case l.Step < 0 || l.Step > 60:
		return fmt.Errorf("step: %d minutes is out of bounds, 0 to 60", l.Step)
	case l.Days < 0 || l.Days > 365:
		return fmt.Errorf("days: %d is out of bounds, 0 to 365", l.Days)
	case len(l.Tasks) > mostTasks || len(l.Discounts) > mostTasks:
		return fmt.Errorf("tasks, discounts: at most %d", mostTasks)
	case len(l.Number) > 20:
		return fmt.Errorf("number: %q is longer than 20 characters", l.Number)
	case l.Seller.Country != "" && len(l.Seller.Country) != 2:
		return fmt.Errorf("seller.country: %q is no code of two letters", l.Seller.Country)
	}
	for _, row := range []struct {
		place string
		c     Cents
	}{{"callOut", l.CallOut}, {"hour", l.Hour}} {
		if err := money(row.place, row.c); err != nil {
			return err
		}
	}
	for group, b := range l.Markup {
		if group != "" && !slices.Contains(parts.Groups, group) {
			return fmt.Errorf("markup: there is no shelf %q", group)
		}
		if err := share("markup."+string(group), b, 100_000); err != nil {
			return err
		}
	}
	for kind, b := range l.Tax {
		if !slices.Contains(Kinds, kind) {
			return fmt.Errorf("tax: %q is none of %v", kind, Kinds)
		}
		if err := share("tax."+string(kind), b, 10_000); err != nil {
			return err
		}
	}
	seen := map[string]bool{}
	for i, t := range l.Tasks {
		if t.Code == "" || seen[t.Code] || strings.TrimSpace(t.Words) == "" {
			return fmt.Errorf("tasks[%d]: code and words are needed, each code once", i)
		}
		seen[t.Code] = true
		if err := money(fmt.Sprintf("tasks[%d].cents", i), t.Cents); err != nil {
			return err
		}
	}
	for i, d := range l.Discounts {
		if strings.TrimSpace(d.Name) == "" {
			return fmt.Errorf("discounts[%d].name: it is given by its name", i)
		}
		if err := share(fmt.Sprintf("discounts[%d].basis", i), d.Basis, 10_000); err != nil {
			return err
		}
	}
	return nil
}

// Parse reads a price list.
func Parse(data []byte) (*List, error) {
	l := &List{}
	if err := strict.Unmarshal(data, l); err != nil {
		return nil, fmt.Errorf("prices: %w", err)
	}
	if err := l.Check(); err != nil {
		return nil, fmt.Errorf("prices: %w", err)
	}
	return l, nil
}

func (l *List) markup(g parts.Group) Basis {
	if b, ok := l.Markup[g]; ok {
		return b
	}
	return l.Markup[""]
}

// A Line is one of a paper.
type Line struct {
	Kind  Kind    `json:"kind"`
	Code  string  `json:"code,omitempty"`
	Words string  `json:"words"`
	Count float64 `json:"count"`
	Unit  string  `json:"unit,omitempty"` // "", ft, min
	Each  Cents   `json:"each"`
	Net   Cents   `json:"net"`
	Tax   Basis   `json:"tax"`
}

// net is the count times what each costs; a count is taken to the hundredth. Labour is each
// hour's, counted in minutes.
func (n *Line) net() Cents {
	hundredths := int64(math.Round(n.Count * 100))
	over := int64(100)
	if n.Unit == "min" {
		over *= 60
	}
	p := int64(n.Each) * hundredths
	if p < 0 {
		return -Cents((-2*p + over) / (2 * over))
	}
	return Cents((2*p + over) / (2 * over))
}

func (l *List) line(kind Kind, code, words string, count float64, unit string, each Cents) Line {
	n := Line{Kind: kind, Code: code, Words: words, Count: math.Round(count*100) / 100, Unit: unit, Each: each, Tax: l.Tax[kind]}
	n.Net = n.net()
	return n
}

// A Used part is what goes into the wall, at what it costs the shop, in dollars each.
type Used struct {
	Code, Words, Unit string
	Group             parts.Group
	Count, Cost       float64
}

// Work is what is charged for.
type Work struct {
	Minutes float64
	ByHand  bool   // the minutes are those that somebody said: they are charged beside tasks too
	Words   string // what the minutes are for
	Parts   []Used
	Tasks   []string // codes, of the list
	CallOut bool
}

// Lines are those of the work.
func (l *List) Lines(w Work) ([]Line, error) {
	lines := []Line{}
	if w.CallOut && l.CallOut > 0 {
		lines = append(lines, l.line(CallOut, "", "Call-out", 1, "", l.CallOut))
	}
	within := l.By == ByTask && len(w.Tasks) > 0 && !w.ByHand // the tasks' prices hold the time they take
	if w.Minutes > 0 && !within {
		step := float64(max(1, l.Step))
		words := w.Words
		if words == "" {
			words = "Labour"
		}
		lines = append(lines, l.line(Labour, "", words, math.Ceil(w.Minutes/step-1e-9)*step, "min", l.Hour))
	}
	for _, code := range w.Tasks {
		i := slices.IndexFunc(l.Tasks, func(t Fixed) bool { return t.Code == code })
		if i < 0 {
			return nil, fmt.Errorf("tasks: %q is not on the price list", code)
		}
		lines = append(lines, l.line(Task, code, l.Tasks[i].Words, 1, "", l.Tasks[i].Cents))
	}
	for _, p := range together(w.Parts) {
		each := Dollars(p.Cost)
		each += l.markup(p.Group).Of(each)
		lines = append(lines, l.line(Part, p.Code, p.Words, p.Count, p.Unit, each))
	}
	return lines, nil
}

// together has each thing once, in the order in which they come: what goes into two boxes is
// one line.
func together(all []Used) []Used {
	var sum []Used
	for _, p := range all {
		if p.Count <= 0 {
			continue
		}
		i := slices.IndexFunc(sum, func(s Used) bool {
			return s.Code == p.Code && s.Words == p.Words && s.Unit == p.Unit && s.Cost == p.Cost
		})
		if i < 0 {
			sum = append(sum, p)
		} else {
			sum[i].Count += p.Count
		}
	}
	return sum
}

// A TaxSum is the tax at one rate: of the sum of what is taxed so, not line by line.
type TaxSum struct {
	Rate Basis `json:"rate"`
	Base Cents `json:"base"`
	Tax  Cents `json:"tax"`
}

// Totals are the sums of a paper.
type Totals struct {
	Net      Cents    `json:"net"`      // of the lines
	Discount Cents    `json:"discount"` // taken off, shared out over the rates
	Taxes    []TaxSum `json:"taxes"`
	Tax      Cents    `json:"tax"`
	Gross    Cents    `json:"gross"`
}

// Sum sums lines up, less a discount. The discount is shared out over the rates of tax by their
// bases; what rounding leaves goes to the largest.
func Sum(lines []Line, discount Basis) Totals {
	t := Totals{Taxes: []TaxSum{}}
	for i := range lines {
		n := &lines[i]
		t.Net += n.Net
		k := slices.IndexFunc(t.Taxes, func(s TaxSum) bool { return s.Rate == n.Tax })
		if k < 0 {
			k = len(t.Taxes)
			t.Taxes = append(t.Taxes, TaxSum{Rate: n.Tax})
		}
		t.Taxes[k].Base += n.Net
	}
	slices.SortFunc(t.Taxes, func(a, b TaxSum) int { return int(a.Rate - b.Rate) })
	t.Discount = discount.Of(t.Net)
	left, largest := t.Discount, 0
	for i := range t.Taxes {
		share := discount.Of(t.Taxes[i].Base)
		t.Taxes[i].Base -= share
		left -= share
		if t.Taxes[i].Base > t.Taxes[largest].Base {
			largest = i
		}
	}
	if len(t.Taxes) > 0 {
		t.Taxes[largest].Base -= left
	}
	for i := range t.Taxes {
		t.Taxes[i].Tax = t.Taxes[i].Rate.Of(t.Taxes[i].Base)
		t.Tax += t.Taxes[i].Tax
	}
	t.Gross = t.Net - t.Discount + t.Tax
	return t
}
