package report

import (
	"encoding/csv"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	ics "github.com/arran4/golang-ical"

	"elvat/core/cells"
	"elvat/core/circuit"
	"elvat/core/job"
	"elvat/core/sitebook"
	"elvat/core/tester"
	"elvat/core/units"
)

// CSVHead are the columns of the readings' table.
var CSVHead = []string{
	"taken", "as found", "doubtful", "box", "outlet", "half", "tool", "mode", "hot-neutral V", "hot-ground V", "neutral-ground V",
	"hot-earth V", "neutral-earth V", "ground-earth V", "tripped", "in words",
}

// CSV writes all readings, one a row.
func CSV(w io.Writer, c *circuit.Circuit, readings []sitebook.Taken) error {
	out := csv.NewWriter(w)
	if err := out.Write(CSVHead); err != nil {
		return err
	}
	for _, t := range readings {
		r := t.Reading
		box := ""
		if _, b := c.Device(r.At); b != nil {
			box = c.LabelOf(b.ID)
		}
		row := []string{
			t.At.UTC().
				Format(time.RFC3339),
			yes(t.AsFound), yes(r.Doubtful), box, r.At, string(r.Half), string(r.Tool), string(r.Mode),
		}
		values := make([]string, 6)
		if r.Volts != nil {
			for i, v := range r.Volts.All() {
				if v != nil {
					values[i] = strconv.FormatFloat(*v, 'g', -1, 64)
				}
			}
		}
		row = append(row, values...)
		row = append(row, strings.Join(c.SayAll(r.Tripped), "; "), r.Words(c))
		if err := out.Write(cells.Row(row...)); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}

func yes(is bool) string {
	if is {
		return "yes"
	}
	return ""
}

// Calendar writes the tests to come, each every month from its day on.
func Calendar(w io.Writer, title string, due []job.Due, made time.Time) error {
	cal := ics.NewCalendar()
	cal.SetProductId("-//Elvat//service report//EN")
	cal.SetMethod(ics.MethodPublish)
	for _, d := range due {
		e := cal.AddEvent(fmt.Sprintf("%s-%d@elvat", d.Key, d.When.Unix()))
		e.SetDtStampTime(made.UTC())
		e.SetAllDayStartAt(d.When)
		e.SetAllDayEndAt(d.When.AddDate(0, 0, 1))
		e.SetSummary(d.What)
		e.SetDescription(title + ". If it does not trip, stop using what hangs on it and call.")
		e.AddRrule("FREQ=MONTHLY")
	}
	_, err := io.WriteString(w, cal.Serialize())
	return err
}

// An Event is a call in a van's calendar.
type Event struct {
	Key, Title, Text, Where, Path string
	Starts, Ends                  time.Time
}

// VanCalendar writes the calls that a van is planned for, RFC 5545. address is where the
// application is reached.
func VanCalendar(w io.Writer, van string, events []Event, address string, made time.Time) error {
	cal := ics.NewCalendar()
	cal.SetProductId("-//Elvat//day sheet//EN")
	cal.SetMethod(ics.MethodPublish)
	cal.SetName(van)
	cal.SetXWRCalName(van)
	cal.SetRefreshInterval("PT30M")
	for _, v := range events {
		e := cal.AddEvent(v.Key + "@elvat")
		e.SetDtStampTime(made.UTC())
		e.SetStartAt(v.Starts)
		e.SetEndAt(v.Ends)
		e.SetSummary(v.Title)
		e.SetDescription(v.Text)
		if v.Where != "" {
			e.SetLocation(v.Where)
		}
		if address != "" {
			e.SetURL(address + v.Path)
		}
	}
	_, err := io.WriteString(w, cal.Serialize())
	return err
}

// Sizes of the run's drawing.
const (
	step     = 150
	rowTall  = 120
	leftEdge = 90
	topEdge  = 70
)

// Run draws the run as SVG: the panel left, stops to the right, branches below,
// each with its reading where one was taken, lengths in the units.
func Run(w io.Writer, c *circuit.Circuit, found map[string]tester.Delta, in units.System) error {
	place := map[string][2]int{circuit.Panel: {0, 0}}
	rows, columns := 1, 0
	var walk func(box string)
	walk = func(box string) {
		for i, cable := range c.Outgoing(box) {
			at := place[box]
			row := at[1]
			if i > 0 {
				row = rows
				rows++
			}
			place[cable.To] = [2]int{at[0] + 1, row}
			columns = max(columns, at[0]+1)
			walk(cable.To)
		}
	}
	walk(circuit.Panel)
	x := func(box string) int { return leftEdge + step*place[box][0] }
	y := func(box string) int { return topEdge + rowTall*place[box][1] }
	var b strings.Builder
	fmt.Fprintf(
		&b,
		`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %d %d" font-family="sans-serif" font-size="13">`+"\n",
		leftEdge+step*(columns+1),
		topEdge+rowTall*rows,
	)
	fmt.Fprintf(
		&b,
		`<rect x="%d" y="%d" width="60" height="44" fill="none" stroke="#000" stroke-width="2"/><text x="%d" y="%d" text-anchor="middle">breaker %s</text>`+"\n",
		leftEdge-60,
		topEdge-22,
		leftEdge-30,
		topEdge+40,
		escape(c.Breaker.Label),
	)
	for _, id := range c.Order() {
		cable := c.LineCable(id)
		from, to := cable.From, id
		dash := ""
		if !cable.Has(circuit.Ground) {
			dash = ` stroke-dasharray="2 4"`
		}
		fmt.Fprintf(
			&b,
			`<path d="M%d %dV%dH%d" fill="none" stroke="#000" stroke-width="4"%s/>`+"\n",
			x(from),
			y(from),
			y(to),
			x(to),
			dash,
		)
		fmt.Fprintf(
			&b,
			`<text x="%d" y="%d" text-anchor="middle" font-size="11">%s, %d AWG</text>`+"\n",
			x(to)-step/2,
			y(to)-8,
			in.Say(units.Of(cable.Feet, units.Foot)),
			cable.AWG,
		)
	}
	for _, id := range c.Order() {
		fmt.Fprintf(
			&b,
			`<circle cx="%d" cy="%d" r="9" fill="#fff" stroke="#000" stroke-width="3"/><text x="%d" y="%d" text-anchor="middle" font-weight="bold">%s</text>`+"\n",
			x(id),
			y(id),
			x(id),
			y(id)-24,
			escape(c.LabelOf(id)),
		)
		for _, v := range c.Box(id).Devices {
			if d, ok := found[v.ID]; ok {
				delta(&b, float64(x(id)), float64(y(id)+40), d)
			}
			if v.Kind == circuit.GFCI {
				fmt.Fprintf(&b, `<text x="%d" y="%d" text-anchor="middle" font-size="11">GFCI</text>`+"\n", x(id), y(id)+68)
			}
		}
	}
	b.WriteString("</svg>\n")
	_, err := io.WriteString(w, b.String())
	return err
}

// delta is the reading of an outlet, as on the screen.
func delta(b *strings.Builder, x, y float64, d tester.Delta) {
	const r = 15
	at := map[string][2]float64{"hot": {x, y - r}, "neutral": {x - r, y + 0.75*r}, "ground": {x + r, y + 0.75*r}}
	for _, s := range []struct {
		is   tester.Side
		a, b string
	}{{d.HotNeutral, "hot", "neutral"}, {d.HotGround, "hot", "ground"}, {d.NeutralGround, "neutral", "ground"}} {
		look := map[tester.Side]string{tester.SideLine: `stroke-width="4"`, tester.SideOver: `stroke-width="4" stroke-dasharray="3 2"`, tester.SideGhost: `stroke-width="1.5" stroke-dasharray="4 3"`}[s.is]
		if look != "" {
			fmt.Fprintf(
				b,
				`<line x1="%g" y1="%g" x2="%g" y2="%g" stroke="#000" %s/>`+"\n",
				at[s.a][0],
				at[s.a][1],
				at[s.b][0],
				at[s.b][1],
				look,
			)
		}
	}
	for _, name := range []string{"hot", "neutral", "ground"} {
		fmt.Fprintf(b, `<circle cx="%g" cy="%g" r="2.5"/>`, at[name][0], at[name][1])
	}
	for _, name := range d.Live {
		fmt.Fprintf(b, `<circle cx="%g" cy="%g" r="5" fill="none" stroke="#000" stroke-width="2"/>`, at[name][0], at[name][1])
	}
	b.WriteString("\n")
}

func escape(text string) string {
	return strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;", `"`, "&quot;").Replace(text)
}
