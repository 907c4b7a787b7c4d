// Package report writes the papers of a call: the report and the labels as PDF,
// readings as CSV, GFCI tests as a calendar, the run as SVG. The same data makes
// the same bytes.
package report

import (
	"bytes"
	"fmt"
	"io"
	"strings"
	"time"

	"codeberg.org/go-pdf/fpdf"
	"github.com/skip2/go-qrcode"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"

	"elvat/core/job"
	"elvat/core/makeup"
	"elvat/core/tester"
	"elvat/core/units"
)

// A Picture is a photograph with where it was taken.
type Picture struct {
	Caption string
	JPEG    []byte
}

// Paper sizes, in millimetres: US letter.
const (
	margin    = 18.0
	pageWidth = 215.9
	textWidth = pageWidth - 2*margin
)

// face is the name of the fonts in the file.
const face = "Go"

// page is a PDF being written.
type page struct {
	pdf sheet
}

// sheet writes its text in the units.
type sheet struct {
	*fpdf.Fpdf
	units units.System
}

// MultiCell is the library's, in the units.
func (p sheet) MultiCell(w, h float64, text, border, align string, fill bool) {
	p.Fpdf.MultiCell(w, h, p.units.Say(text), border, align, fill)
}

// CellFormat is the library's, in the units.
func (p sheet) CellFormat(w, h float64, text, border string, ln int, align string, fill bool, link int, address string) {
	p.Fpdf.CellFormat(w, h, p.units.Say(text), border, ln, align, fill, link, address)
}

func newPage(title string, at time.Time) *page {
	pdf := fpdf.New("P", "mm", "Letter", "")
	// Nothing in the file may depend on when or where it was written.
	pdf.SetCreationDate(at.UTC())
	pdf.SetModificationDate(at.UTC())
	pdf.SetCatalogSort(true)
	pdf.SetTitle(title, true)
	pdf.SetCreator("Elvat", true)
	pdf.SetMargins(margin, margin, margin)
	pdf.SetAutoPageBreak(true, 20)
	p := &page{sheet{Fpdf: pdf}}
	// The Go fonts: Latin, Greek and Cyrillic. Names are not all English.
	pdf.AddUTF8FontFromBytes(face, "", goregular.TTF)
	pdf.AddUTF8FontFromBytes(face, "B", gobold.TTF)
	pdf.SetFooterFunc(func() {
		pdf.SetY(-14)
		pdf.SetFont(face, "", 8)
		pdf.CellFormat(textWidth/2, 5, title, "", 0, "L", false, 0, "")
		pdf.CellFormat(textWidth/2, 5, fmt.Sprintf("page %d of {nb}", pdf.PageNo()), "", 0, "R", false, 0, "")
	})
	pdf.AliasNbPages("")
	pdf.AddPage()
	return p
}

func (p *page) font(style string, size float64) { p.pdf.SetFont(face, style, size) }

func (p *page) para(style string, size float64, text string) {
	p.font(style, size)
	p.pdf.MultiCell(textWidth, size*0.45, text, "", "L", false)
}

// section starts a part; it does not start at the foot of a page.
func (p *page) section(title string) {
	if _, height := p.pdf.GetPageSize(); p.pdf.GetY() > height-45 {
		p.pdf.AddPage()
	}
	p.pdf.Ln(3)
	p.para("B", 12, title)
	y := p.pdf.GetY() + 0.6
	p.pdf.SetLineWidth(0.5)
	p.pdf.Line(margin, y, pageWidth-margin, y)
	p.pdf.Ln(2)
}

// row leaves room for so many millimetres, on the next page where this one is full.
func (p *page) row(height float64) float64 {
	if _, tall := p.pdf.GetPageSize(); p.pdf.GetY()+height > tall-20 {
		p.pdf.AddPage()
	}
	return p.pdf.GetY()
}

// Stamp is how a time is written, with its zone.
const Stamp = "2006-01-02 15:04 MST"

// PDF writes the report.
func PDF(w io.Writer, r job.Report, pictures []Picture) error {
	p := newPage("Service report, "+r.Title, r.FinishedAt)
	p.pdf.units = r.Units
	p.para("B", 18, r.Title)
	head := strings.ToUpper(r.Breaker[:1]) + r.Breaker[1:] + ". Called " + r.CalledAt.Format(Stamp)
	if r.Shop != "" {
		head = r.Shop + ". " + head
	}
	p.para("", 10, head+".")
	if r.Complaint != "" {
		p.para("", 10, "Complaint: "+r.Complaint)
	}
	p.pdf.Ln(2)
	p.para("B", 12, r.Standing)
	if r.By != "" {
		p.para("", 10, fmt.Sprintf("Handed over by %s to %s, %s.", r.By, r.To, r.FinishedAt.Format(Stamp)))
	}
	p.list("Cause", r.Cause)
	p.asFound(r.AsFound)
	p.proven(r.Proven)
	p.done(r)
	p.findings("Code and trade findings put right", r.FixedFindings)
	p.findings("Findings left open", r.OpenFindings)
	p.list("Markings applied", r.Markings)
	p.list("Parts", r.Parts)
	var due []string
	for _, d := range r.Due {
		due = append(due, fmt.Sprintf("%s: %s, then every month", d.When.Format("2006-01-02"), d.What))
	}
	p.list("Next tests due", due)
	p.list("Cautions", r.Cautions)
	p.signatures(r)
	for i, picture := range pictures {
		p.picture(i, picture)
	}
	return p.pdf.Output(w)
}

// signatures leaves room for those who hand over and receive.
func (p *page) signatures(r job.Report) {
	y := p.row(24) + 16
	p.pdf.SetLineWidth(0.3)
	for i, who := range []string{"handed over", "received"} {
		x := margin + float64(i)*(textWidth/2+4)
		p.pdf.Line(x, y, x+textWidth/2-4, y)
		p.pdf.SetXY(x, y+1)
		p.font("", 8)
		name := ", name and date"
		if r.To != "" {
			name = " by " + []string{r.By, r.To}[i]
		}
		p.pdf.CellFormat(textWidth/2-4, 4, who+name, "", 0, "L", false, 0, "")
	}
	if strokes, err := job.Strokes(r.Signature); err == nil { // one that was kept passed its check
		const scale = 15.0 / job.SignatureTall // millimetres a unit
		x, top := margin+textWidth/2+4, y-15
		p.pdf.SetLineWidth(0.5)
		for _, s := range strokes {
			for i := 1; i < len(s); i++ {
				p.pdf.Line(x+s[i-1][0]*scale, top+s[i-1][1]*scale, x+s[i][0]*scale, top+s[i][1]*scale)
			}
		}
	}
	p.pdf.SetY(y + 8)
}

func (p *page) list(title string, lines []string) {
	if len(lines) == 0 {
		return
	}
	p.section(title)
	for _, line := range lines {
		p.para("", 10, line)
		p.pdf.Ln(0.8)
	}
}

func (p *page) asFound(rows []job.OutletRow) {
	if len(rows) == 0 {
		return
	}
	p.section("As found, before anything was loosened")
	for _, o := range rows {
		y := p.row(15)
		p.delta(margin+6, y+8, &o.Delta, false)
		p.pdf.SetXY(margin+16, y+1)
		p.font("B", 10)
		p.pdf.CellFormat(60, 5, where(o.Label, string(o.Half)), "", 1, "L", false, 0, "")
		p.pdf.SetX(margin + 16)
		p.font("", 9)
		p.pdf.MultiCell(textWidth-16, 4, join(o.Words), "", "L", false)
		p.pdf.SetY(max(p.pdf.GetY(), y+14))
	}
}

func where(label, half string) string {
	if half == "" {
		return label
	}
	return label + ", " + half
}

func join(words []string) string {
	text := ""
	for i, w := range words {
		if i > 0 {
			text += "; "
		}
		text += w
	}
	return text
}

var statusWords = map[job.Status]string{job.Agrees: "as predicted", job.Differs: "DIFFERS", job.NotRead: "not read"}

func (p *page) proven(rows []job.ProvenRow) {
	if len(rows) == 0 {
		return
	}
	p.section("After the work: predicted and measured")
	for _, o := range rows {
		y := p.row(15)
		p.delta(margin+6, y+8, o.Expected, true)
		p.delta(margin+22, y+8, o.Seen, false)
		p.pdf.SetXY(margin+32, y+1)
		p.font("B", 10)
		p.pdf.CellFormat(
			textWidth-32,
			5,
			where(o.Label, string(o.Half))+": "+statusWords[o.Status],
			"",
			1,
			"L",
			false,
			0,
			"",
		)
		p.pdf.SetX(margin + 32)
		p.font("", 9)
		text := "Predicted: " + o.Says
		if o.SaysSeen != "" {
			text += ". Measured: " + o.SaysSeen
		}
		p.pdf.MultiCell(textWidth-32, 4, text+" ("+o.Why+")", "", "L", false)
		p.pdf.SetY(max(p.pdf.GetY(), y+14))
	}
}

func (p *page) done(r job.Report) {
	if len(r.Hazards) > 0 {
		p.section("Reported hazards")
		for _, h := range r.Hazards {
			p.para("B", 10, h)
		}
	}
	if len(r.Done)+len(r.Overrides) == 0 {
		return
	}
	p.section("What was done")
	for _, line := range r.Done {
		p.para("", 10, line.At.Format(Stamp)+"  "+line.Words)
	}
	for _, o := range r.Overrides {
		p.pdf.Ln(1)
		p.para("B", 10, o)
	}
}

func (p *page) findings(title string, all []makeup.Finding) {
	if len(all) == 0 {
		return
	}
	p.section(title)
	for _, f := range all {
		p.para("B", 10, f.Text)
		p.para("", 9, f.Fix+" "+job.Cite(f))
		p.pdf.Ln(1)
	}
}

// picture puts one on the paper, as wide as half the text.
func (p *page) picture(i int, picture Picture) {
	if i == 0 {
		p.section("Photographs")
	}
	name := fmt.Sprintf("picture-%d", i)
	info := p.pdf.RegisterImageOptionsReader(name, fpdf.ImageOptions{ImageType: "JPEG"}, bytes.NewReader(picture.JPEG))
	if info == nil || info.Width() == 0 {
		return
	}
	width := textWidth / 2
	height := width * info.Height() / info.Width()
	if most := 110.0; height > most {
		width, height = width*most/height, most
	}
	y := p.row(height + 8)
	p.pdf.ImageOptions(name, margin, y, width, height, false, fpdf.ImageOptions{ImageType: "JPEG"}, 0, "")
	p.pdf.SetY(y + height + 1)
	p.para("", 9, picture.Caption)
	p.pdf.Ln(2)
}

// delta draws a reading of an outlet: hot above, neutral left, ground right; a
// prediction is thinner than what was measured.
func (p *page) delta(x, y float64, d *tester.Delta, predicted bool) {
	if d == nil || d.Blank() {
		return // of a button
	}
	const r = 5.5
	at := map[string][2]float64{"hot": {x, y - r}, "neutral": {x - r, y + 0.75*r}, "ground": {x + r, y + 0.75*r}}
	heavy := 1.3
	if predicted {
		heavy = 0.5
	}
	side := func(is tester.Side, a, b string) {
		p.pdf.SetDashPattern(nil, 0)
		switch is {
		case tester.SideLine:
			p.pdf.SetLineWidth(heavy)
		case tester.SideGhost:
			p.pdf.SetLineWidth(0.35)
			p.pdf.SetDashPattern([]float64{1, 0.8}, 0)
		case tester.SideOver:
			p.pdf.SetLineWidth(heavy)
			p.pdf.SetDashPattern([]float64{0.6, 0.4}, 0)
		default:
			return
		}
		p.pdf.Line(at[a][0], at[a][1], at[b][0], at[b][1])
		p.pdf.SetDashPattern(nil, 0)
	}
	side(d.HotNeutral, "hot", "neutral")
	side(d.HotGround, "hot", "ground")
	side(d.NeutralGround, "neutral", "ground")
	p.pdf.SetLineWidth(0.3)
	for _, name := range []string{"hot", "neutral", "ground"} {
		p.pdf.Circle(at[name][0], at[name][1], 0.7, "F")
	}
	for _, name := range d.Live {
		p.pdf.Circle(at[name][0], at[name][1], 1.4, "D")
	}
}

// code draws the QR code (ISO/IEC 18004) of an address, its modules as squares, with the
// quiet zone that it asks for.
func (p *page) code(x, y, size float64, address string) error {
	q, err := qrcode.New(address, qrcode.Medium)
	if err != nil {
		return fmt.Errorf("code of a label: %w", err)
	}
	rows := q.Bitmap()
	side := size / float64(len(rows))
	p.pdf.SetFillColor(0, 0, 0)
	for i, row := range rows {
		for k, dark := range row {
			if dark {
				p.pdf.Rect(x+float64(k)*side, y+float64(i)*side, side*1.02, side*1.02, "F")
			}
		}
	}
	return nil
}

// Labels writes the panel's directory and a label for every outlet.
func Labels(w io.Writer, title string, directory job.Directory, labels []job.Label, at time.Time) error {
	p := newPage("Directory and labels, "+title, at)
	p.para("B", 16, "Panel directory")
	p.font("", 11)
	for _, row := range directory {
		amps := ""
		if row.Amps > 0 {
			amps = fmt.Sprintf("%g A", row.Amps)
		}
		serves := row.Serves
		if row.Checked {
			serves += "  (found)"
		}
		p.row(8)
		p.font("B", 12)
		p.pdf.CellFormat(22, 8, row.Breaker, "1", 0, "C", false, 0, "")
		p.font("", 11)
		p.pdf.CellFormat(22, 8, amps, "1", 0, "C", false, 0, "")
		p.pdf.CellFormat(textWidth-44, 8, serves, "1", 1, "L", false, 0, "")
	}
	p.section("Labels for the outlets")
	const wide, tall, code = 56.0, 28.0, 21.0
	for i, l := range labels {
		if i%3 == 0 {
			p.row(tall + 4)
		}
		x, y := margin+float64(i%3)*(wide+5), p.pdf.GetY()
		p.pdf.SetLineWidth(0.3)
		p.pdf.Rect(x, y, wide, tall, "D")
		p.pdf.SetXY(x+2, y+2)
		room := wide - 4
		if l.Code != "" {
			room -= code
			if err := p.code(x+wide-code-1.5, y+2, code, l.Code); err != nil {
				return err
			}
		}
		p.font("B", 10)
		p.pdf.MultiCell(room, 4.6, l.At, "", "L", false)
		p.font("", 9)
		for _, text := range l.Text {
			p.pdf.SetX(x + 2)
			p.pdf.MultiCell(room, 4.2, text, "", "L", false)
		}
		p.pdf.SetY(y)
		if i%3 == 2 || i == len(labels)-1 {
			p.pdf.SetY(y + tall + 4)
		}
	}
	return p.pdf.Output(w)
}
