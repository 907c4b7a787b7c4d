package report

import (
	"bytes"
	"encoding/csv"
	"encoding/xml"
	"image"
	"image/jpeg"
	"image/png"
	"io"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/apognu/gocal"
	"github.com/makiuchi-d/gozxing"
	qr "github.com/makiuchi-d/gozxing/qrcode"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"elvat/core/circuit"
	"elvat/core/draw"
	"elvat/core/job"
	"elvat/core/makeup"
	"elvat/core/sitebook"
	"elvat/core/tester"
	"elvat/core/units"
)

var noon = time.Date(2026, 5, 4, 12, 0, 0, 0, time.UTC)

func paper() job.Report {
	v := 119.8
	sound := tester.Delta{
		HotNeutral:    tester.SideLine,
		HotGround:     tester.SideLine,
		NeutralGround: tester.SideNone,
		Live:          []string{"hot"},
	}
	lost := tester.Delta{
		HotNeutral:    tester.SideNone,
		HotGround:     tester.SideLine,
		NeutralGround: tester.SideGhost,
		Volts:         &tester.Volts{HotGround: &v},
	}
	r := job.Report{
		Shop: "Lamplight Electric", Title: "Bindery, upper floor", Complaint: "Press dead (since Monday)", Breaker: "breaker 11, 20 A", CalledAt: noon, FinishedAt: noon.Add(3 * time.Hour),
		By: "A. Reyes", To: "the tenant", Standing: "Proven: every reading is as predicted.", Cause: []string{"Sewing frame: found: open neutral", "   plug tester at R3: hot to ground alone"},
		Markings: []string{
			"R2: No Equipment Ground",
		}, Parts: []string{"2 lever, 3-wire"}, Overrides: []string{`Gate "open" at Sewing frame passed by A. Reyes (licence 4711): utility cut the drop`},
		Cautions: []string{"Local code and the authority having jurisdiction win."},
		Due: []job.Due{
			{What: "Press the test button of the GFCI at Wash sink", When: noon.AddDate(0, 1, 0), Key: "G2"},
		},
		Done: []job.ReportLine{{At: noon, Words: "Breaker off, secured: locked"}},
		FixedFindings: []makeup.Finding{
			{Text: "Press: two wires under the lower brass screw", Fix: "A splice.", Section: "110.14(A)", Edition: 2023},
		},
		OpenFindings: []makeup.Finding{
			{Text: "Press: the box is too full, 18.5 of 14\u00a0in³", Fix: "A ring.", Section: "314.16(B)", Edition: 2023},
			{Text: "Press: worn", Fix: "Replace.", Practice: "common practice, no source"},
		},
	}
	for range 12 {
		r.AsFound = append(
			r.AsFound,
			job.OutletRow{Label: "Standing press", Half: circuit.Top, Delta: lost, Words: []string{"hot to ground lit"}},
		)
		r.Proven = append(
			r.Proven,
			job.ProvenRow{
				Label:    "Standing press",
				Half:     circuit.Top,
				Why:      "both halves",
				Expected: &sound,
				Seen:     &sound,
				Says:     "as sound",
				SaysSeen: "as sound",
				Status:   job.Agrees,
			},
		)
	}
	r.Proven = append(
		r.Proven,
		job.ProvenRow{Label: "Wash sink", Why: "its own button", Expected: &sound, Says: "trips G2", Status: job.NotRead},
	)
	return r
}

func picture(t *testing.T) Picture {
	var out bytes.Buffer
	require.NoError(t, jpeg.Encode(&out, image.NewRGBA(image.Rect(0, 0, 60, 40)), nil))
	return Picture{"The pulled device, Standing press", out.Bytes()}
}

// TestPDFByAnotherReader: poppler reads the text and draws the pages.
func TestPDFByAnotherReader(t *testing.T) {
	var out, again bytes.Buffer
	require.NoError(t, PDF(&out, paper(), []Picture{picture(t)}))
	require.NoError(t, PDF(&again, paper(), []Picture{picture(t)}))
	assert.Equal(t, out.Bytes(), again.Bytes(), "the same data, the same bytes")
	file := filepath.Join(t.TempDir(), "report.pdf")
	require.NoError(t, os.WriteFile(file, out.Bytes(), 0o600))

	text, err := exec.CommandContext(t.Context(), "pdftotext", "-layout", file, "-").CombinedOutput()
	require.NoError(t, err, string(text))
	flat := strings.Join(strings.Fields(string(text)), " ")
	for _, want := range []string{
		"Bindery, upper floor", "Lamplight Electric", "Complaint: Press dead (since Monday)", "Proven: every reading is as predicted.", "Handed over by A. Reyes to the tenant, 2026-05-04 15:00 UTC",
		"Cause", "As found, before anything was loosened", "predicted and measured", "Wash sink: not read", "NEC 314.16(B), 2023. Check what is adopted here.", "common practice, no source",
		"Findings left open", "put right", "No Equipment Ground", "2 lever, 3-wire", "passed by A. Reyes (licence 4711)", "2026-06-04: Press the test button", "Cautions", "The pulled device", "page 1 of",
	} {
		assert.Contains(t, flat, want)
	}
	assert.Less(t, strings.Index(flat, "Cause"), strings.Index(flat, "As found"))
	assert.Less(t, strings.Index(flat, "As found"), strings.Index(flat, "What was done"))

	pages := filepath.Join(t.TempDir(), "p")
	drawn, err := exec.CommandContext(t.Context(), "pdftoppm", "-r", "40", "-png", file, pages).CombinedOutput()
	require.NoError(t, err, string(drawn))
	all, err := filepath.Glob(pages + "*.png")
	require.NoError(t, err)
	assert.GreaterOrEqual(t, len(all), 3)
	for _, p := range all {
		f, err := os.Open(p)
		require.NoError(t, err)
		img, _, err := image.Decode(f)
		require.NoError(t, err)
		f.Close()
		dark := 0
		for y := img.Bounds().Min.Y; y < img.Bounds().Max.Y; y++ {
			for x := img.Bounds().Min.X; x < img.Bounds().Max.X; x++ {
				if r, _, _, _ := img.At(x, y).RGBA(); r < 0x8000 {
					dark++
				}
			}
		}
		assert.Greater(t, dark, 40, "no page is empty: %s", p)
	}
}

func TestLabelsByAnotherReader(t *testing.T) {
	c := circuit.New("run")
	c.Breaker.Label = "11"
	for i, after := range []string{circuit.Panel, "B1", "B2"} {
		require.NoError(
			t,
			c.AddStop(
				circuit.NewStop{
					After:  after,
					Label:  []string{"Wash sink", "Enlarger", "Print dryer"}[i],
					Ground: true,
					GFCI:   i == 0,
				},
			),
		)
	}
	labels := job.Labels(c, []string{"R1: No Equipment Ground"})
	require.Len(t, labels, 3)
	assert.Equal(t, []string{"Breaker 11", "Resets here"}, labels[0].Text)
	assert.Equal(t, []string{"Breaker 11", "Resets at Wash sink", "No Equipment Ground"}, labels[1].Text)
	labels[0].Code = "https://shop.example/gfci/GEXFEMI-ABCDEFGHIJKLMNOP"
	labels[2].At = "Φωτογραφείο, Фотолаборатория" // names are not all English
	var out bytes.Buffer
	require.NoError(
		t,
		Labels(
			&out,
			"Loft",
			job.Directory{{Breaker: "11", Amps: 20, Serves: "Loft", Checked: true}, {Breaker: "12", Serves: "spare"}},
			labels,
			noon,
		),
	)
	file := filepath.Join(t.TempDir(), "labels.pdf")
	require.NoError(t, os.WriteFile(file, out.Bytes(), 0o600))
	text, err := exec.CommandContext(t.Context(), "pdftotext", "-layout", file, "-").CombinedOutput()
	require.NoError(t, err, string(text))
	for _, want := range []string{"Panel directory", "20 A", "(found)", "spare", "Resets at Wash", "No Equipment Ground", "Φωτογραφείο", "Фото"} {
		assert.Contains(t, string(text), want)
	}
	// The printed code is read back by another library, off the page as it is drawn.
	picture, err := exec.CommandContext(t.Context(), "pdftoppm", "-png", "-r", "200", "-f", "1", "-l", "1", file).Output()
	require.NoError(t, err)
	drawn, err := png.Decode(bytes.NewReader(picture))
	require.NoError(t, err)
	bits, err := gozxing.NewBinaryBitmapFromImage(drawn)
	require.NoError(t, err)
	read, err := qr.NewQRCodeReader().Decode(bits, map[gozxing.DecodeHintType]any{gozxing.DecodeHintType_TRY_HARDER: true})
	require.NoError(t, err)
	assert.Equal(t, labels[0].Code, read.GetText())
}

// TestSignature: what was drawn by finger is on the paper, and nothing else passes for one.
func TestSignature(t *testing.T) {
	dark := func(signature string) int {
		r := paper()
		r.Signature = signature
		var out bytes.Buffer
		require.NoError(t, PDF(&out, r, nil))
		return out.Len()
	}
	assert.Greater(t, dark("M 10 10 L 300 150 L 590 20"), dark(""))
}

// TestCalendarByAnotherReader: a second library reads the events.
func TestCalendarByAnotherReader(t *testing.T) {
	var out bytes.Buffer
	require.NoError(t, Calendar(&out, "Loft, north", paper().Due, noon))
	start, end := noon, noon.AddDate(0, 3, 0)
	cal := gocal.NewParser(bytes.NewReader(out.Bytes()))
	cal.Start, cal.End = &start, &end
	require.NoError(t, cal.Parse())
	require.NotEmpty(t, cal.Events)
	assert.Equal(t, "Press the test button of the GFCI at Wash sink", cal.Events[0].Summary)
	assert.Equal(t, "2026-06-04", cal.Events[0].Start.Format("2006-01-02"))
	assert.Greater(t, len(cal.Events), 1, "and every month from then on")
	assert.Contains(t, cal.Events[0].Description, "Loft, north")
}

// TestCSVByOtherReaders: encoding/csv and a spreadsheet read the same rows, and
// nothing in them is taken for a formula.
func TestCSVByOtherReaders(t *testing.T) {
	c := circuit.New("run")
	require.NoError(t, c.AddStop(circuit.NewStop{After: circuit.Panel, Label: "=1+1, \"press\"", Ground: true}))
	v := 119.75
	readings := []sitebook.Taken{
		{At: noon, AsFound: true, Reading: tester.Reading{At: "R1", Half: circuit.Top, Tool: tester.Meter, Mode: tester.HighZ, Volts: &tester.Volts{HotNeutral: &v}}},
		{At: noon.Add(time.Minute), Reading: tester.Reading{At: "R1", Half: circuit.Bottom, Tool: tester.Plug, Doubtful: true, Lamps: &tester.Lamps{HotNeutral: tester.IsLit, HotGround: tester.IsLit, NeutralGround: tester.IsDark}, Tripped: []string{"G1", "panel"}}},
	}
	var out bytes.Buffer
	require.NoError(t, CSV(&out, c, readings))
	rows, err := csv.NewReader(bytes.NewReader(out.Bytes())).ReadAll()
	require.NoError(t, err)
	require.Len(t, rows, 3)
	assert.Equal(t, CSVHead, rows[0])
	assert.Equal(
		t,
		[]string{"2026-05-04T12:00:00Z", "yes", "", "'=1+1, \"press\"", "R1", "top", "meter", "high-z", "119.75"},
		rows[1][:9],
	)
	assert.Equal(t, "yes", rows[2][2])
	assert.Equal(t, "G1; the panel", rows[2][14])

	book := excelize.NewFile()
	for i, row := range rows {
		cell, err := excelize.CoordinatesToCellName(1, i+1)
		require.NoError(t, err)
		require.NoError(t, book.SetSheetRow("Sheet1", cell, &row))
	}
	var saved bytes.Buffer
	require.NoError(t, book.Write(&saved))
	read, err := excelize.OpenReader(&saved)
	require.NoError(t, err)
	again, err := read.GetRows("Sheet1")
	require.NoError(t, err)
	require.Len(t, again, 3)
	assert.Equal(t, rows[1][:9], again[1][:9])
	formula, err := read.GetCellFormula("Sheet1", "D2")
	require.NoError(t, err)
	assert.Empty(t, formula)
}

// TestPapersInMetric: sentences and lengths, once each.
func TestPapersInMetric(t *testing.T) {
	r := paper()
	for system, want := range map[units.System][2]string{units.US: {"18.5 of 14 in³", "42 ft, 12 AWG"}, units.Metric: {"303 of 229 cm³", "12.8 m, 12 AWG"}} {
		r.Units = system
		var out, drawn bytes.Buffer
		require.NoError(t, PDF(&out, r, nil))
		file := filepath.Join(t.TempDir(), "report.pdf")
		require.NoError(t, os.WriteFile(file, out.Bytes(), 0o600))
		text, err := exec.CommandContext(t.Context(), "pdftotext", "-layout", file, "-").CombinedOutput()
		require.NoError(t, err, string(text))
		assert.Contains(t, strings.Join(strings.Fields(string(text)), " "), want[0])
		c := draw.Circuit(rand.New(rand.NewPCG(1, 3)), draw.Options{})
		c.LineCable(c.Boxes[0].ID).Feet, c.LineCable(c.Boxes[0].ID).AWG = 42, 12
		require.NoError(t, Run(&drawn, c, nil, system))
		assert.Contains(t, strings.ReplaceAll(drawn.String(), units.Join, " "), want[1])
	}
}

// TestRunAsSVG: well-formed, whatever the run, with every stop's name on it once.
func TestRunAsSVG(t *testing.T) {
	for seed := range uint64(40) {
		c := draw.Circuit(rand.New(rand.NewPCG(seed, 3)), draw.Options{})
		c.Boxes[0].Label = `Loft & <north> "room"`
		found := map[string]tester.Delta{
			c.Boxes[0].Devices[0].ID: {
				HotNeutral:    tester.SideLine,
				HotGround:     tester.SideGhost,
				NeutralGround: tester.SideOver,
				Live:          []string{"hot"},
			},
		}
		var out, again bytes.Buffer
		require.NoError(t, Run(&out, c, found, units.US))
		require.NoError(t, Run(&again, c, found, units.US))
		assert.Equal(t, out.String(), again.String())
		texts := map[string]int{}
		for d := xml.NewDecoder(&out); ; {
			token, err := d.Token()
			if err == io.EOF {
				break
			}
			require.NoError(t, err)
			if text, ok := token.(xml.CharData); ok {
				texts[string(text)]++
			}
		}
		for _, box := range c.Boxes {
			assert.Equal(t, 1, texts[c.LabelOf(box.ID)], c.LabelOf(box.ID))
		}
	}
}

// TestPapersOfAnyRun: whatever the run and what was read on it, every paper is
// written, and the same twice.
func TestPapersOfAnyRun(t *testing.T) {
	for seed := range uint64(25) {
		r := rand.New(rand.NewPCG(seed, 4))
		c := draw.Circuit(r, draw.Options{})
		bench, err := tester.NewBench(c)
		require.NoError(t, err)
		condition, err := bench.Try(draw.Faults(r, c, 1, circuit.Open, circuit.Swapped, circuit.Bonded))
		require.NoError(t, err)
		readings, err := condition.ReadAll(
			"",
			"",
			[]tester.Tool{tester.Plug, tester.Meter, tester.Sensor, tester.DeviceButton},
		)
		require.NoError(t, err)
		src := job.Source{Title: "Run", CreatedAt: noon, Circuit: c}
		for _, reading := range readings {
			src.Readings = append(src.Readings, sitebook.Taken{At: noon, Reading: reading, AsFound: true})
		}
		src.Checks, err = job.Checks(c, nil, nil, readings)
		require.NoError(t, err)
		paper := src.Report()
		for name, write := range map[string]func(io.Writer) error{
			"report":   func(w io.Writer) error { return PDF(w, paper, nil) },
			"labels":   func(w io.Writer) error { return Labels(w, "Run", nil, job.Labels(c, nil), noon) },
			"readings": func(w io.Writer) error { return CSV(w, c, src.Readings) },
			"tests":    func(w io.Writer) error { return Calendar(w, "Run", paper.Due, noon) },
		} {
			var one, two bytes.Buffer
			require.NoError(t, write(&one), "%s, run %d", name, seed)
			require.NoError(t, write(&two))
			assert.Equal(t, one.Bytes(), two.Bytes(), "%s, run %d", name, seed)
			assert.NotZero(t, one.Len())
		}
		var table bytes.Buffer
		require.NoError(t, CSV(&table, c, src.Readings))
		rows, err := csv.NewReader(&table).ReadAll()
		require.NoError(t, err)
		assert.Len(t, rows, 1+len(readings))
	}
}
