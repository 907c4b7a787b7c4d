package price

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/parts"
)

var noon = time.Date(2026, 5, 4, 12, 0, 0, 0, time.UTC)

func shop() *List {
	return &List{
		Seller: Party{Name: "Lamplight Electric (demo)"}, Currency: "USD", CallOut: 8500, Hour: 12000, Step: 15,
		Markup: map[parts.Group]Basis{"": 3000, parts.Breaker: 1500}, Tax: map[Kind]Basis{Part: 825, Labour: 0, CallOut: 0},
		Tasks: []Fixed{{"gfci", "GFCI receptacle, fitted and proven", 18500}}, Discounts: []Discount{{"Neighbour", 1000}}, Number: "26-",
	}
}

func TestCents(t *testing.T) {
	for _, row := range []struct {
		c    Cents
		want string
	}{{0, "0.00"}, {5, "0.05"}, {123450, "1,234.50"}, {-99, "-0.99"}, {-123456789, "-1,234,567.89"}, {100000, "1,000.00"}} {
		assert.Equal(t, row.want, row.c.String())
	}
	for _, row := range []struct {
		b    Basis
		of   Cents
		want Cents
		says string
	}{
		{825, 10000, 825, "8.25 %"}, {825, 1, 0, "8.25 %"}, {5000, 1, 1, "50 %"}, {5000, -1, -1, "50 %"}, {1000, 12345, 1235, "10 %"}, {0, 500, 0, "0 %"},
		{850, 117, 10, "8.5 %"}, // 9.945 cents
	} {
		assert.Equal(t, row.want, row.b.Of(row.of), "%s of %s", row.b, row.of)
		assert.Equal(t, row.says, row.b.String())
	}
}

// TestByHand is a call worked out on paper.
func TestByHand(t *testing.T) {
	l := shop()
	require.NoError(t, l.Check())
	work := Work{CallOut: true, Minutes: 76, Parts: []Used{
		{"receptacle-15-tr", "15 A duplex receptacle", "", parts.Device, 2, 4},
		{"cable-nm-12-2", "NM cable 12-2 with ground", "ft", parts.Wire, 30, 1},
		{"cable-nm-12-2", "NM cable 12-2 with ground", "ft", parts.Wire, 7.5, 1}, // of another box: one line
		{"breaker-20-1-afci", "20 A AFCI breaker", "", parts.Breaker, 1, 55},
	}}
	d, err := l.InvoiceFor(About{At: noon, Call: 3, Subject: "Bindery"}, work)
	require.NoError(t, err)
	// 76 minutes are 90: 180.00. Parts with their markup: 2 x 5.20, 37.5 x 1.30, 63.25.
	nets := []Cents{}
	for _, n := range d.Lines {
		nets = append(nets, n.Net)
	}
	assert.Equal(t, []Cents{8500, 18000, 1040, 4875, 6325}, nets)
	// Taxed are the parts: 122.40 x 8.25 % = 10.098.
	assert.Equal(t, Totals{
		Net: 38740, Taxes: []TaxSum{{0, 26500, 0}, {825, 12240, 1010}}, Tax: 1010, Gross: 39750,
	}, d.Totals)
	require.NoError(t, d.Check())

	// A tenth off: 38.74, of the parts' base 12.24; 110.16 x 8.25 % = 9.088.
	d, err = l.InvoiceFor(About{At: noon, Discount: "Neighbour"}, work)
	require.NoError(t, err)
	assert.Equal(t, Totals{Net: 38740, Discount: 3874, Taxes: []TaxSum{{0, 23850, 0}, {825, 11016, 909}}, Tax: 909, Gross: 35775}, d.Totals)

	// By task the minutes are within the task's price, unless somebody said them.
	fitted := Work{Minutes: 50, Tasks: []string{"gfci"}}
	for _, row := range []struct {
		by     string
		byHand bool
		want   Cents
	}{{ByMinute, false, 12000 + 18500}, {ByTask, false, 18500}, {ByTask, true, 12000 + 18500}} {
		l.By, fitted.ByHand = row.by, row.byHand
		d, err = l.InvoiceFor(About{At: noon}, fitted)
		require.NoError(t, err)
		assert.Equal(t, row.want, d.Totals.Gross, "%s, by hand %v", row.by, row.byHand)
	}

	_, err = l.InvoiceFor(About{Discount: "Cousin"}, work)
	assert.ErrorContains(t, err, `"Cousin" is not on the price list`)
	_, err = l.InvoiceFor(About{}, Work{Tasks: []string{"roof"}})
	assert.ErrorContains(t, err, `"roof" is not on the price list`)
	_, err = l.InvoiceFor(About{}, Work{})
	assert.ErrorContains(t, err, "nothing was done")
}

func TestQuote(t *testing.T) {
	l := shop()
	d, err := l.QuoteFor(About{At: noon, Subject: "Half of the loft is dead"}, Work{CallOut: true, Minutes: 60}, 40, 100,
		Case{"an open neutral at the hatch", 0.6, Work{Parts: []Used{{"lever-3", "lever, 3-wire", "", parts.Splice, 1, 0.6}}}},
		Case{"a failed GFCI at the sink", 0.3, Work{Tasks: []string{"gfci"}}},
	)
	require.NoError(t, err)
	require.NoError(t, d.Check())
	assert.Equal(t, Cents(20500), d.Totals.Gross)
	require.Len(t, d.Options, 2)
	assert.Equal(t, Cents(20500+78+6), d.Options[0].Totals.Gross, "0.78 and 8.25 % of it")
	assert.Equal(t, Cents(39000), d.Options[1].Totals.Gross)
	assert.Equal(t, Cents(20584-3000), d.Least, "45 minutes, not 60")
	assert.Equal(t, Cents(39000+9000), d.Most, "105 minutes, not 60")
	assert.Equal(t, noon.AddDate(0, 0, 30), *d.Until)
}

func TestCredit(t *testing.T) {
	l := shop()
	d, err := l.InvoiceFor(About{At: noon}, Work{Minutes: 30})
	require.NoError(t, err)
	_, err = CreditFor(d, "wrong house", noon)
	assert.ErrorContains(t, err, "only an issued invoice")
	d.Number = "26-0007"
	_, err = CreditFor(d, " ", noon)
	assert.ErrorContains(t, err, "what was wrong with 26-0007")
	c, err := CreditFor(d, "wrong house", noon)
	require.NoError(t, err)
	assert.Equal(t, "26-0007", c.Of)
	assert.Equal(t, d.Totals, c.Totals)
	require.NoError(t, c.Check())
	_, err = CreditFor(c, "again", noon)
	assert.Error(t, err, "a credit note is not credited")
}

// TestSumsHold: whatever is on a paper, its sums are those of its lines, and nothing is lost by
// sharing out a discount.
func TestSumsHold(t *testing.T) {
	r := rand.New(rand.NewPCG(18, 4))
	for range 2000 {
		l := shop()
		l.Tax = map[Kind]Basis{Part: Basis(r.IntN(2500)), Labour: Basis(r.IntN(2500)), CallOut: Basis(r.IntN(3) * 700)}
		var lines []Line
		for range 1 + r.IntN(8) {
			kind := Kinds[r.IntN(len(Kinds))]
			unit := []string{"", "ft", "min"}[r.IntN(3)]
			lines = append(lines, l.line(kind, "x", "x", float64(r.IntN(10000))/100, unit, Cents(r.IntN(100000))))
		}
		discount := Basis(r.IntN(3000))
		s := Sum(lines, discount)
		var net, base, tax Cents
		for _, n := range lines {
			net += n.Net
		}
		for _, x := range s.Taxes {
			base += x.Base
			tax += x.Tax
			assert.Equal(t, x.Rate.Of(x.Base), x.Tax)
		}
		assert.Equal(t, net, s.Net)
		assert.Equal(t, net-s.Discount, base)
		assert.Equal(t, tax, s.Tax)
		assert.Equal(t, base+tax, s.Gross)
		d := Document{Format: Format, Paper: Invoice, Lines: lines, Totals: s, Discount: &Discount{"x", discount}}
		require.NoError(t, d.Check())
		data, err := d.Encode()
		require.NoError(t, err)
		_, err = ParseDocument(data)
		require.NoError(t, err)
		d.Totals.Gross++
		assert.ErrorContains(t, d.Check(), "totals:")
	}
}

func TestBadLists(t *testing.T) {
	for _, row := range []struct{ file, says string }{
		{`{"seller":{"name":"x"},"callOut":-1,"hour":0}`, "prices: callOut: -0.01 is out of bounds"},
		{`{"seller":{"name":"x"},"callOut":0,"hour":0,"currency":"dollars"}`, "currency:"},
		{`{"seller":{"name":"x"},"callOut":0,"hour":0,"by":"heart"}`, `by: "heart"`},
		{`{"seller":{"name":"x"},"callOut":0,"hour":0,"tax":{"tea":5}}`, `tax: "tea" is none of`},
		{`{"seller":{"name":"x"},"callOut":0,"hour":0,"tax":{"part":20000}}`, "tax.part: 200 % is out of bounds"},
		{`{"seller":{"name":"x"},"callOut":0,"hour":0,"tasks":[{"code":"a","words":"","cents":5}]}`, "tasks[0]:"},
		{`{"seller":{"name":"x"},"callOut":0,"hour":0,"discounts":[{"name":"","basis":5}]}`, "discounts[0].name"},
		{`{"seller":{"name":"x"},"callOut":0.5,"hour":0}`, "callOut"},
	} {
		_, err := Parse([]byte(row.file))
		assert.ErrorContains(t, err, row.says)
	}
	usual := Usual()
	require.NoError(t, usual.Check())
}

func ExampleCents() {
	fmt.Println(Dollars(1234.5), Basis(825).Of(12240))
	// Output: 1,234.50 10.10
}
