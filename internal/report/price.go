package report

import (
	"encoding/csv"
	"encoding/xml"
	"fmt"
	"io"
	"strconv"
	"time"

	"elvat/core/cells"
	"elvat/core/job"
	"elvat/core/price"
)

var paperNames = map[price.Paper]string{price.Quote: "Quote", price.Invoice: "Invoice", price.Credit: "Credit note"}

// Price writes a quote, an invoice or a credit note in the look of the report. Dates are by
// clocks in the zone.
func Price(w io.Writer, d *price.Document, zone *time.Location) error {
	name := paperNames[d.Paper]
	if d.Number != "" {
		name += " " + d.Number
	}
	p := newPage(name, d.At)
	p.para("B", 18, name)
	p.para("", 10, d.At.In(zone).Format("2006-01-02")+". "+d.Subject)
	switch {
	case d.Paper == price.Credit:
		p.para("B", 11, fmt.Sprintf("Takes back invoice %s: %s.", d.Of, d.Why))
	case d.Until != nil:
		p.para("", 10, "Holds until "+d.Until.In(zone).Format("2006-01-02")+".")
	}
	p.pdf.Ln(2)
	p.parties(d)
	p.lines("What it comes to", d.Lines, d.Currency)
	p.totals(d.Totals, d.Discount, d.Currency)
	for _, o := range d.Options {
		p.lines(fmt.Sprintf("If it is %s (%.0f %% as it is weighed now)", o.Words, 100*o.Probability), o.Lines, d.Currency)
		p.para("B", 10, fmt.Sprintf("Then all of it: %s %s, tax and all.", d.Currency, o.Totals.Gross))
	}
	if d.Paper == price.Quote {
		p.pdf.Ln(2)
		p.para("B", 12, fmt.Sprintf("Between %s %s and %s, tax and all.", d.Currency, d.Least, d.Most))
		p.para("", 9, "Of ten such calls eight lie between. What is found may be something else: nothing is done beyond this without being asked for first.")
	}
	if d.Accepted != nil {
		p.pdf.Ln(2)
		p.para("", 10, fmt.Sprintf("Accepted by %s, %s.", d.Accepted.By, d.Accepted.At.In(zone).Format(Stamp)))
		if d.Accepted.Signature != "" {
			p.stroke(d.Accepted.Signature)
		}
	}
	return p.pdf.Output(w)
}

func (p *page) parties(d *price.Document) {
	for _, row := range []struct {
		words string
		party price.Party
	}{{"From", d.Seller}, {"To", d.Customer}} {
		text := row.words + ": " + row.party.Name
		if row.party.Address != "" {
			text += ", " + row.party.Address
		}
		if row.party.TaxID != "" {
			text += ", tax number " + row.party.TaxID
		}
		p.para("", 10, text)
	}
}

// Columns of a price's table, in millimetres.
const (
	amountWide = 28.0
	countWide  = 26.0
)

func (p *page) lines(title string, lines []price.Line, currency string) {
	p.section(title)
	wide := textWidth - countWide - 2*amountWide
	p.font("B", 9)
	p.pdf.CellFormat(wide, 5, "", "B", 0, "L", false, 0, "")
	p.pdf.CellFormat(countWide, 5, "count", "B", 0, "R", false, 0, "")
	p.pdf.CellFormat(amountWide, 5, "each", "B", 0, "R", false, 0, "")
	p.pdf.CellFormat(amountWide, 5, currency, "B", 1, "R", false, 0, "")
	for _, n := range lines {
		p.row(6)
		p.font("", 9)
		count := strconv.FormatFloat(n.Count, 'f', -1, 64)
		each := n.Each.String()
		if n.Unit != "" {
			count += " " + n.Unit
		}
		if n.Unit == "min" {
			each += " an hour"
		}
		y := p.pdf.GetY()
		p.pdf.MultiCell(wide, 5, n.Words, "", "L", false)
		after := p.pdf.GetY()
		p.pdf.SetXY(margin+wide, y)
		p.pdf.CellFormat(countWide, 5, count, "", 0, "R", false, 0, "")
		p.pdf.CellFormat(amountWide, 5, each, "", 0, "R", false, 0, "")
		p.pdf.CellFormat(amountWide, 5, n.Net.String(), "", 1, "R", false, 0, "")
		p.pdf.SetXY(margin, max(after, y+5))
	}
}

func (p *page) totals(t price.Totals, discount *price.Discount, currency string) {
	row := func(style, words string, c price.Cents) {
		p.row(6)
		p.font(style, 10)
		p.pdf.CellFormat(textWidth-amountWide, 5.5, words, "", 0, "R", false, 0, "")
		p.pdf.CellFormat(amountWide, 5.5, c.String(), "", 1, "R", false, 0, "")
	}
	p.pdf.Ln(1)
	row("", "Sum", t.Net)
	if discount != nil {
		row("", fmt.Sprintf("%s, %s off", discount.Name, discount.Basis), -t.Discount)
	}
	for _, x := range t.Taxes {
		if x.Rate != 0 {
			row("", fmt.Sprintf("Tax %s of %s", x.Rate, x.Base), x.Tax)
		}
	}
	row("B", "All of it, "+currency, t.Gross)
}

// stroke draws a signature.
func (p *page) stroke(path string) {
	strokes, err := job.Strokes(path)
	if err != nil {
		return // it was checked when it was kept
	}
	const tall = 15.0
	y := p.row(tall)
	scale := tall / job.SignatureTall // millimetres a unit
	p.pdf.SetLineWidth(0.4)
	for _, s := range strokes {
		for i := 1; i < len(s); i++ {
			p.pdf.Line(margin+s[i-1][0]*scale, y+s[i-1][1]*scale, margin+s[i][0]*scale, y+s[i][1]*scale)
		}
	}
	p.pdf.SetY(y + tall)
}

// PriceCSV writes the lines, and the sums under them, for bookkeeping.
func PriceCSV(w io.Writer, d *price.Document) error {
	out := csv.NewWriter(w)
	rows := [][]string{{"paper", "number", "of", "date", "kind", "code", "words", "count", "unit", "each", "net", "tax percent", "currency"}}
	sign := price.Cents(1)
	if d.Paper == price.Credit {
		sign = -1
	}
	head := []string{string(d.Paper), d.Number, d.Of, d.At.UTC().Format(time.DateOnly)}
	percent := func(b price.Basis) string { return strconv.FormatFloat(float64(b)/100, 'f', -1, 64) }
	plain := func(c price.Cents) string { return amount(sign * c) }
	for _, n := range d.Lines {
		rows = append(rows, append(append([]string{}, head...), string(n.Kind), n.Code, n.Words, strconv.FormatFloat(n.Count, 'f', -1, 64), n.Unit, amount(n.Each), plain(n.Net), percent(n.Tax), d.Currency))
	}
	if d.Totals.Discount != 0 {
		rows = append(rows, append(append([]string{}, head...), "discount", "", d.Discount.Name, "", "", "", plain(-d.Totals.Discount), "", d.Currency))
	}
	for _, x := range d.Totals.Taxes {
		rows = append(rows, append(append([]string{}, head...), "tax", "", "", "", "", plain(x.Base), plain(x.Tax), percent(x.Rate), d.Currency))
	}
	rows = append(rows, append(append([]string{}, head...), "total", "", "", "", "", "", plain(d.Totals.Gross), "", d.Currency))
	for _, row := range rows {
		if err := out.Write(cells.Row(row...)); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}

// amount is money as machines read it: 1234.50.
func amount(c price.Cents) string {
	sign := ""
	if c < 0 {
		sign, c = "-", -c
	}
	return fmt.Sprintf("%s%d.%02d", sign, int64(c)/100, int64(c)%100)
}

// Namespaces of UBL 2.1 (from memory).
const (
	ublInvoice = "urn:oasis:names:specification:ubl:schema:xsd:Invoice-2"
	ublCredit  = "urn:oasis:names:specification:ubl:schema:xsd:CreditNote-2"
	ublCAC     = "urn:oasis:names:specification:ubl:schema:xsd:CommonAggregateComponents-2"
	ublCBC     = "urn:oasis:names:specification:ubl:schema:xsd:CommonBasicComponents-2"
)

type (
	ublMoney struct {
		Currency string `xml:"currencyID,attr"`
		Value    string `xml:",chardata"`
	}
	ublCount struct {
		Unit  string `xml:"unitCode,attr"`
		Value string `xml:",chardata"`
	}
	ublScheme struct {
		ID string `xml:"cbc:ID"`
	}
	ublCategory struct {
		ID      string    `xml:"cbc:ID"`
		Percent string    `xml:"cbc:Percent"`
		Scheme  ublScheme `xml:"cac:TaxScheme"`
	}
	ublSubtotal struct {
		Base     ublMoney    `xml:"cbc:TaxableAmount"`
		Tax      ublMoney    `xml:"cbc:TaxAmount"`
		Category ublCategory `xml:"cac:TaxCategory"`
	}
	ublTax struct {
		Sum       ublMoney      `xml:"cbc:TaxAmount"`
		Subtotals []ublSubtotal `xml:"cac:TaxSubtotal"`
	}
	ublAllowance struct {
		Charge   bool        `xml:"cbc:ChargeIndicator"`
		Reason   string      `xml:"cbc:AllowanceChargeReason"`
		Amount   ublMoney    `xml:"cbc:Amount"`
		Category ublCategory `xml:"cac:TaxCategory"`
	}
	ublSums struct {
		Lines     ublMoney  `xml:"cbc:LineExtensionAmount"`
		Exclusive ublMoney  `xml:"cbc:TaxExclusiveAmount"`
		Inclusive ublMoney  `xml:"cbc:TaxInclusiveAmount"`
		Allowance *ublMoney `xml:"cbc:AllowanceTotalAmount,omitempty"`
		Payable   ublMoney  `xml:"cbc:PayableAmount"`
	}
	ublPrice struct {
		Each ublMoney  `xml:"cbc:PriceAmount"`
		Base *ublCount `xml:"cbc:BaseQuantity,omitempty"`
	}
	ublItem struct {
		Name     string      `xml:"cbc:Name"`
		Seller   *ublCode    `xml:"cac:SellersItemIdentification,omitempty"`
		Category ublCategory `xml:"cac:ClassifiedTaxCategory"`
	}
	ublCode struct {
		ID string `xml:"cbc:ID"`
	}
	ublLine struct {
		ID       int       `xml:"cbc:ID"`
		Invoiced *ublCount `xml:"cbc:InvoicedQuantity,omitempty"`
		Credited *ublCount `xml:"cbc:CreditedQuantity,omitempty"`
		Net      ublMoney  `xml:"cbc:LineExtensionAmount"`
		Item     ublItem   `xml:"cac:Item"`
		Price    ublPrice  `xml:"cac:Price"`
	}
	ublParty struct {
		Name    string      `xml:"cac:Party>cac:PartyName>cbc:Name"`
		Street  string      `xml:"cac:Party>cac:PostalAddress>cac:AddressLine>cbc:Line,omitempty"`
		Country string      `xml:"cac:Party>cac:PostalAddress>cac:Country>cbc:IdentificationCode,omitempty"`
		Tax     *ublTaxName `xml:"cac:Party>cac:PartyTaxScheme,omitempty"`
	}
	ublTaxName struct {
		ID     string    `xml:"cbc:CompanyID"`
		Scheme ublScheme `xml:"cac:TaxScheme"`
	}
	ublRef struct {
		ID string `xml:"cac:InvoiceDocumentReference>cbc:ID"`
	}
	ublDocument struct {
		XMLName     xml.Name
		CAC         string         `xml:"xmlns:cac,attr"`
		CBC         string         `xml:"xmlns:cbc,attr"`
		Version     string         `xml:"cbc:UBLVersionID"`
		ID          string         `xml:"cbc:ID"`
		Date        string         `xml:"cbc:IssueDate"`
		InvoiceType string         `xml:"cbc:InvoiceTypeCode,omitempty"`
		CreditType  string         `xml:"cbc:CreditNoteTypeCode,omitempty"`
		Note        string         `xml:"cbc:Note,omitempty"`
		Currency    string         `xml:"cbc:DocumentCurrencyCode"`
		Of          *ublRef        `xml:"cac:BillingReference,omitempty"`
		Seller      ublParty       `xml:"cac:AccountingSupplierParty"`
		Customer    ublParty       `xml:"cac:AccountingCustomerParty"`
		Allowances  []ublAllowance `xml:"cac:AllowanceCharge"`
		Tax         ublTax         `xml:"cac:TaxTotal"`
		Sums        ublSums        `xml:"cac:LegalMonetaryTotal"`
		Invoiced    []ublLine      `xml:"cac:InvoiceLine"`
		Credited    []ublLine      `xml:"cac:CreditNoteLine"`
	}
)

// Codes of UBL (from memory): UNCL 1001 for the kind of document, UN/ECE Rec 20 for units.
const (
	ublIsInvoice = "380"
	ublIsCredit  = "381"
)

var ublUnits = map[string]string{"": "C62", "ft": "FOT", "min": "MIN"}

// UBL writes an invoice or a credit note as UBL 2.1.
func UBL(w io.Writer, d *price.Document) error {
	if d.Paper == price.Quote {
		return fmt.Errorf("a quote is no invoice: there is no such document of it")
	}
	money := func(c price.Cents) ublMoney { return ublMoney{d.Currency, amount(c)} }
	category := func(rate price.Basis) ublCategory {
		id := "S"
		if rate == 0 {
			id = "Z"
		}
		return ublCategory{id, strconv.FormatFloat(float64(rate)/100, 'f', 2, 64), ublScheme{"VAT"}}
	}
	party := func(p price.Party) ublParty {
		u := ublParty{Name: p.Name, Street: p.Address, Country: p.Country}
		if p.TaxID != "" {
			u.Tax = &ublTaxName{p.TaxID, ublScheme{"VAT"}}
		}
		return u
	}
	u := ublDocument{
		XMLName: xml.Name{Space: ublInvoice, Local: "Invoice"}, CAC: ublCAC, CBC: ublCBC, Version: "2.1", ID: d.Number, Date: d.At.UTC().Format(time.DateOnly),
		InvoiceType: ublIsInvoice, Note: d.Subject, Currency: d.Currency, Seller: party(d.Seller), Customer: party(d.Customer),
	}
	if d.Paper == price.Credit {
		u.XMLName, u.InvoiceType, u.CreditType, u.Of, u.Note = xml.Name{Space: ublCredit, Local: "CreditNote"}, "", ublIsCredit, &ublRef{d.Of}, d.Why
	}
	byRate := map[price.Basis]price.Cents{}
	for i, n := range d.Lines {
		byRate[n.Tax] += n.Net
		count := &ublCount{ublUnits[n.Unit], strconv.FormatFloat(n.Count, 'f', -1, 64)}
		line := ublLine{ID: i + 1, Net: money(n.Net), Item: ublItem{Name: n.Words, Category: category(n.Tax)}, Price: ublPrice{Each: money(n.Each)}}
		if n.Code != "" {
			line.Item.Seller = &ublCode{n.Code}
		}
		if n.Unit == "min" {
			line.Price.Base = &ublCount{"MIN", "60"}
		}
		if d.Paper == price.Credit {
			line.Credited = count
			u.Credited = append(u.Credited, line)
		} else {
			line.Invoiced = count
			u.Invoiced = append(u.Invoiced, line)
		}
	}
	u.Tax.Sum = money(d.Totals.Tax)
	for _, x := range d.Totals.Taxes {
		u.Tax.Subtotals = append(u.Tax.Subtotals, ublSubtotal{money(x.Base), money(x.Tax), category(x.Rate)})
		if off := byRate[x.Rate] - x.Base; off != 0 {
			u.Allowances = append(u.Allowances, ublAllowance{false, d.Discount.Name, money(off), category(x.Rate)})
		}
	}
	exclusive := d.Totals.Net - d.Totals.Discount
	u.Sums = ublSums{Lines: money(d.Totals.Net), Exclusive: money(exclusive), Inclusive: money(d.Totals.Gross), Payable: money(d.Totals.Gross)}
	if d.Totals.Discount != 0 {
		off := money(d.Totals.Discount)
		u.Sums.Allowance = &off
	}
	if _, err := io.WriteString(w, xml.Header); err != nil {
		return err
	}
	out := xml.NewEncoder(w)
	out.Indent("", "  ")
	if err := out.Encode(u); err != nil {
		return err
	}
	_, err := io.WriteString(w, "\n")
	return err
}
