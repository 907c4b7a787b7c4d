package report

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/beevik/etree"
	ical "github.com/emersion/go-ical"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/parts"
	"elvat/core/price"
)

func invoice(t *testing.T, discount string) *price.Document {
	t.Helper()
	l := price.List{
		Seller: price.Party{Name: "Lamplight & Sons (demo)", Address: "4 Tannery Yard", TaxID: "D-77", Country: "US"}, Currency: "USD", CallOut: 8500, Hour: 12000, Step: 15,
		Markup: map[parts.Group]price.Basis{"": 3000}, Tax: map[price.Kind]price.Basis{price.Part: 825, price.Labour: 400}, Discounts: []price.Discount{{Name: "Neighbour", Basis: 1000}},
	}
	require.NoError(t, l.Check())
	d, err := l.InvoiceFor(price.About{At: time.Date(2026, 5, 4, 12, 0, 0, 0, time.UTC), Call: 3, Subject: "Bindery <upper floor>", Customer: price.Party{Name: "Ó Briain"}, Discount: discount}, price.Work{
		CallOut: true, Minutes: 76, Parts: []price.Used{{Code: "receptacle-15-tr", Words: "15 A duplex receptacle", Group: parts.Device, Count: 2, Cost: 4}, {Code: "cable-nm-12-2", Words: "NM cable", Unit: "ft", Group: parts.Wire, Count: 37.5, Cost: 1}},
	})
	require.NoError(t, err)
	d.Number = "26-0001"
	return d
}

// TestUBL reads the document with another XML reader, and holds it against the rules on sums
// that such documents follow (EN 16931, BR-CO-10 to BR-CO-17, from memory).
func TestUBL(t *testing.T) {
	for _, discount := range []string{"", "Neighbour"} {
		d := invoice(t, discount)
		credit, err := price.CreditFor(d, "wrong house", d.At)
		require.NoError(t, err)
		credit.Number = "26-0002"
		for _, paper := range []*price.Document{d, credit} {
			t.Run(fmt.Sprintf("%s %s", paper.Paper, discount), func(t *testing.T) {
				var out bytes.Buffer
				require.NoError(t, UBL(&out, paper))
				doc := etree.NewDocument()
				require.NoError(t, doc.ReadFromBytes(out.Bytes()))
				root := doc.Root()
				assert.Equal(t, map[price.Paper]string{price.Invoice: "Invoice", price.Credit: "CreditNote"}[paper.Paper], root.Tag)
				cents := func(e *etree.Element, path string) price.Cents {
					found := e.FindElement(path)
					require.NotNil(t, found, path)
					assert.Equal(t, "USD", found.SelectAttrValue("currencyID", ""))
					v, err := strconv.ParseFloat(found.Text(), 64)
					require.NoError(t, err)
					return price.Dollars(v)
				}
				sum := func(path string) (all price.Cents) {
					for _, e := range root.FindElements(path) {
						v, err := strconv.ParseFloat(e.Text(), 64)
						require.NoError(t, err)
						all += price.Dollars(v)
					}
					return all
				}
				line := root.Tag + "Line"
				totals := "./LegalMonetaryTotal/"
				lines, exclusive, inclusive := cents(root, totals+"LineExtensionAmount"), cents(root, totals+"TaxExclusiveAmount"), cents(root, totals+"TaxInclusiveAmount")
				assert.Equal(t, sum("./"+line+"/LineExtensionAmount"), lines, "BR-CO-10: the sum of the lines")
				assert.Equal(t, lines-sum("./AllowanceCharge/Amount"), exclusive, "BR-CO-13: less the allowances")
				assert.Equal(t, exclusive+cents(root, "./TaxTotal/TaxAmount"), inclusive, "BR-CO-15: with tax")
				assert.Equal(t, sum("./TaxTotal/TaxSubtotal/TaxAmount"), cents(root, "./TaxTotal/TaxAmount"), "BR-CO-14: the sum of the subtotals")
				assert.Equal(t, inclusive, cents(root, totals+"PayableAmount"), "BR-CO-16: nothing is paid before")
				assert.Equal(t, exclusive, sum("./TaxTotal/TaxSubtotal/TaxableAmount"))
				for _, s := range root.FindElements("./TaxTotal/TaxSubtotal") {
					percent, err := strconv.ParseFloat(s.FindElement("./TaxCategory/Percent").Text(), 64)
					require.NoError(t, err)
					assert.Equal(t, price.Basis(percent*100+0.5).Of(cents(s, "./TaxableAmount")), cents(s, "./TaxAmount"), "BR-CO-17: tax is the base times the rate")
				}
				assert.Equal(t, paper.Number, root.FindElement("./ID").Text())
				assert.Equal(t, "2026-05-04", root.FindElement("./IssueDate").Text())
				assert.Equal(t, "Ó Briain", root.FindElement("./AccountingCustomerParty/Party/PartyName/Name").Text())
				if paper.Paper == price.Credit {
					assert.Equal(t, "26-0001", root.FindElement("./BillingReference/InvoiceDocumentReference/ID").Text())
				}
			})
		}
	}
	d := invoice(t, "")
	d.Paper = price.Quote
	assert.ErrorContains(t, UBL(&bytes.Buffer{}, d), "a quote is no invoice")
}

func TestPricePapers(t *testing.T) {
	d := invoice(t, "Neighbour")
	var out bytes.Buffer
	require.NoError(t, Price(&out, d, time.UTC))
	text := textOf(t, out.Bytes())
	for _, words := range []string{"Invoice 26-0001", "Ó Briain", "NM cable", "37.5 ft", "120.00 an hour", "Neighbour, 10 % off", "Tax 8.25 % of", d.Totals.Gross.String()} {
		assert.Contains(t, text, words)
	}
	out.Reset()
	require.NoError(t, PriceCSV(&out, d))
	rows, err := csv.NewReader(&out).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, "total", rows[len(rows)-1][4])
	assert.Equal(t, strings.ReplaceAll(d.Totals.Gross.String(), ",", ""), rows[len(rows)-1][10])
	l := price.Usual()
	q, err := l.QuoteFor(price.About{At: d.At, Subject: "Loft"}, price.Work{CallOut: true, Minutes: 60}, 40, 120, price.Case{Words: "open neutral, box at the hatch", Probability: 0.6})
	require.NoError(t, err)
	q.Accepted = &price.Accepted{By: "B. Okafor", At: d.At, Signature: "M1 1L40 30L60 10"}
	out.Reset()
	require.NoError(t, Price(&out, q, time.UTC))
	text = textOf(t, out.Bytes())
	for _, words := range []string{"If it is open neutral, box at the hatch (60 % as it is weighed now)", "Holds until 2026-06-03", "Accepted by B. Okafor", "Between USD"} {
		assert.Contains(t, text, words)
	}
}

// TestVanCalendar is read by another library than the one that writes it.
func TestVanCalendar(t *testing.T) {
	at := time.Date(2026, 5, 4, 9, 30, 0, 0, time.UTC)
	var out bytes.Buffer
	require.NoError(t, VanCalendar(&out, "Van 1", []Event{
		{Key: "call-3", Title: "Bindery; upper, floor", Text: "dead\nhalf of it", Where: "4 Tannery Yard", Path: "/calls/3", Starts: at, Ends: at.Add(90 * time.Minute)},
		{Key: "call-4", Title: "Loft", Starts: at.Add(3 * time.Hour), Ends: at.Add(4 * time.Hour)},
	}, "https://shop.lan", at))
	cal, err := ical.NewDecoder(&out).Decode()
	require.NoError(t, err)
	events := cal.Events()
	require.Len(t, events, 2)
	for i, want := range []string{"Bindery; upper, floor", "Loft"} {
		summary, err := events[i].Props.Text(ical.PropSummary)
		require.NoError(t, err)
		assert.Equal(t, want, summary)
	}
	starts, err := events[0].DateTimeStart(time.UTC)
	require.NoError(t, err)
	ends, err := events[0].DateTimeEnd(time.UTC)
	require.NoError(t, err)
	assert.True(t, starts.Equal(at))
	assert.Equal(t, 90*time.Minute, ends.Sub(starts))
	uid, err := events[0].Props.Text(ical.PropUID)
	require.NoError(t, err)
	assert.Equal(t, "call-3@elvat", uid)
}

// textOf is what a PDF says, white space aside.
func textOf(t *testing.T, pdf []byte) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "paper.pdf")
	require.NoError(t, os.WriteFile(file, pdf, 0o600))
	text, err := exec.CommandContext(t.Context(), "pdftotext", "-layout", file, "-").CombinedOutput()
	require.NoError(t, err, string(text))
	return strings.Join(strings.Fields(string(text)), " ")
}
