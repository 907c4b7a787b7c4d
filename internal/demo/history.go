package demo

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"regexp"
	"slices"
	"strings"
	"time"

	"elvat/core/call"
	"elvat/core/circuit"
	"elvat/core/fault"
	"elvat/core/job"
	"elvat/core/tester"
	"elvat/internal/store"
)

// A pastCall is a call that was handed over: what was wrong, and what was said.
type pastCall struct {
	file, complaint, note string
	fault                 circuit.Fault
}

// pastCalls are what a made-up shop was called to before.
var pastCalls = []pastCall{
	{"bindery", "Gilding lamp dark since the shelves were moved.", "Wire had let go of a push-in behind the shelf.", circuit.Fault{Kind: circuit.Open, At: "W8@B8.hot"}},
	{"darkroom", "Print dryer trips nothing, tester says no ground.", "Ground twisted, not joined.", circuit.Fault{Kind: circuit.Open, At: "W4@B4.ground"}},
	{"bindery", "Inspector's list: reversed at the loft stair.", "Reversed by whoever changed it last.", circuit.Fault{Kind: circuit.Swapped, At: "R6", Pair: circuit.HotNeutral}},
	{"porch", "Incubator went cold overnight.", "Hot was under the screw by its insulation.", circuit.Fault{Kind: circuit.Open, At: "W4@B4.hot"}},
	{"darkroom", "Wash sink outlet does not trip on the tester.", "GFCI worn out: replaced.", circuit.Fault{Kind: circuit.GFCIFault, At: "G2", State: "no-trip"}},
	{"bindery", "Half the upper floor dead.", "Neutral loose in the splice, warm.", circuit.Fault{Kind: circuit.Open, At: "W6@B6.neutral"}},
	{"porch", "Seed store light flickers, then nothing.", "Neutral let go at the seed store.", circuit.Fault{Kind: circuit.Open, At: "W2@B2.neutral"}},
	{"bindery", "Glue shelf dead, glue pot ruined.", "Hot open at the glue shelf.", circuit.Fault{Kind: circuit.Open, At: "W9@B9.hot"}},
}

// A written is a past call as it was carried out at a time that stands for any: its
// record when it was handed over, and when it was half read.
type written struct {
	name       string
	over, hand *call.Record
}

// anyTime stands for when the call came in.
var anyTime = time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)

// A step is what was done, so many minutes after the call came in.
type step struct {
	minutes int
	do      call.Doing
}

// write carries the call out: what was read with the fault, and after it was put
// right as the run predicts.
func (p *pastCall) write() (w written, err error) {
	c, err := Circuit(p.file)
	if err != nil {
		return w, err
	}
	c.Faults = nil
	document, err := c.Encode()
	if err != nil {
		return w, err
	}
	w.name = c.Name
	bench, err := tester.NewBench(c)
	if err != nil {
		return w, err
	}
	faults := []circuit.Fault{p.fault}
	condition, err := bench.Try(faults)
	if err != nil {
		return w, err
	}
	steps := []step{{0, &call.Begin{Title: c.Name, Complaint: p.complaint, Circuit: document}}, {5, &call.ReadCautions{}}}
	read, later := 0, 0
	add := func(r tester.Reading) error {
		data, err := json.Marshal(r)
		steps = append(
			steps,
			step{10 + read + later, &call.AddReading{ID: fmt.Sprintf("%s-%03d", anyName, read+1), Reading: data}},
		)
		read++
		return err
	}
	for _, o := range bench.Outlets() {
		tools := []tester.Tool{tester.Plug, tester.Meter}
		if !o.HasGround {
			tools = tools[1:] // no plug tester goes into it
		}
		if o.Half == circuit.Top {
			tools = append(tools, tester.Sensor)
		}
		if v, _ := c.Device(o.Device); v.Kind == circuit.GFCI && o.Half == circuit.Top {
			tools = append(tools, tester.DeviceButton)
		}
		for _, tool := range tools {
			mode := tester.Mode("")
			if tool == tester.Meter {
				mode = tester.HighZ
			}
			r, err := condition.Read(o, tool, mode)
			if err != nil {
				return w, err
			}
			r.Round()
			if err := add(r); err != nil {
				return w, err
			}
		}
	}
	found, half := read, len(steps)-read+read/2
	later = 60
	site := fault.Site(c, faults)
	for _, r := range []tester.Reading{{Tool: tester.Eyes, Site: site, Found: &tester.Found{Faults: faults}}, {Tool: tester.Fixed, Faults: faults}} {
		if err := add(r); err != nil {
			return w, err
		}
	}
	touched := []string{site}
	if c.Box(site) == nil {
		touched = c.Order()[:1]
	}
	checks, err := job.Checks(c, touched, nil, nil)
	if err != nil {
		return w, err
	}
	for _, k := range checks {
		if err := add(k.Predicted); err != nil {
			return w, err
		}
	}
	if w.hand, err = carriedOut(steps[:half]); err != nil {
		return w, err
	}
	for i, e := range proof(touched[0], p.note) {
		minutes := 12 + found + 5*i
		if e.Kind == job.HandedOver {
			minutes += 120
		}
		steps = append(steps, step{minutes, &call.AddEntry{ID: fmt.Sprintf("%s-j%02d", anyName, i+1), Entry: e}})
	}
	slices.SortStableFunc(steps, func(a, b step) int { return a.minutes - b.minutes })
	w.over, err = carriedOut(steps)
	return w, err
}

// anyName stands for the call's in the ids of what was entered.
const anyName = "any-call"

// carriedOut is the record of a call on which all of that was done.
func carriedOut(steps []step) (*call.Record, error) {
	r, err := call.Open(0, []call.Part{{Key: call.Key{Kind: call.TheDirectory}, Document: []byte("[]")}}, nil)
	if err != nil {
		return nil, err
	}
	for i, st := range steps {
		at := anyTime.Add(time.Duration(st.minutes) * time.Minute)
		next, a, err := r.Decide(
			call.Command{ID: fmt.Sprintf("%s-c%03d", anyName, i+1), At: at, Device: "phone", Do: st.do},
			call.House{},
		)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", call.Name(st.do), err)
		}
		if a != nil {
			r = next
		}
	}
	return r, nil
}

// proof is a journal from the dead proof of a box to the handing over.
func proof(box, note string) []job.Entry {
	zero, live := 0.0, 121.0
	pairs := job.PairVolts{HotNeutral: &zero, HotGround: &zero, NeutralGround: &zero}
	dead := job.DeadVolts{Top: pairs, Bottom: pairs, TopToEarth: &zero, BottomToEarth: &zero, SensorSilent: true}
	proven := job.Entry{Kind: job.Proven, Tester: "contact meter", Source: "outlet of another circuit", Volts: &live}
	return []job.Entry{
		{Kind: job.BreakerOff, Secured: "lock"}, proven, {Kind: job.DeadTest, Box: box, Stage: job.Installed, Dead: &dead}, proven,
		{Kind: job.DeadTest, Box: box, Stage: job.DeviceOut, Dead: &dead}, proven, {Kind: job.Note, Text: note}, {Kind: job.BreakerOn},
		{Kind: job.HandedOver, Who: "the made-up electrician", To: "the made-up customer"},
	}
}

// store keeps the call on the run as of the given time; handed over or still in hand.
func (w *written) store(ctx context.Context, s *store.Store, run int64, at time.Time, name string, over bool) error {
	r := w.hand
	if over {
		r = w.over
	}
	shift := at.Sub(anyTime)
	parts := r.Parts()[:0]
	for _, p := range r.Parts() {
		if p.Kind == call.TheDirectory {
			continue // of the house
		}
		p.ID = strings.Replace(p.ID, anyName, name, 1)
		p.Document = moved(p.Document, shift)
		parts = append(parts, p)
	}
	log := slices.Clone(r.Log)
	for i := range log {
		a := &log[i]
		a.Command, a.At = strings.Replace(a.Command, anyName, name, 1), a.At.Add(shift)
		a.ArrivedAt = a.At
		a.Changes = slices.Clone(a.Changes)
		for j := range a.Changes {
			c := &a.Changes[j]
			c.ID, c.Is = strings.Replace(c.ID, anyName, name, 1), moved(c.Is, shift)
		}
	}
	return s.AddRecord(ctx, run, w.name, at, parts, log)
}

// stood are the times that stand in what was carried out at any time.
var stood = regexp.MustCompile(`"2000-01-0\dT[0-9:]+Z"`)

// moved is a document with its times as they are for the call.
func moved(document json.RawMessage, by time.Duration) json.RawMessage {
	return stood.ReplaceAllFunc(document, func(text []byte) []byte {
		at, err := time.Parse(`"`+time.RFC3339+`"`, string(text))
		if err != nil {
			return text
		}
		return at.Add(by).AppendFormat(nil, `"`+time.RFC3339Nano+`"`)
	})
}

// CallsAYear is what a shop with five vans is called to. Assumption.
const CallsAYear = 2500

// How many calls are still in hand, and how many are stored at once.
const (
	stillOpen = 12
	batch     = 1000
)

// Words of made-up houses; none is meant to be anywhere.
var (
	houseOf = []string{
		"Marten",
		"Quill",
		"Sorrel",
		"Tannery",
		"Weir",
		"Juniper",
		"Cinder",
		"Lantern",
		"Heron",
		"Oriel",
		"Thistle",
		"Kiln",
	}
	houseIs = []string{"Row", "Yard", "Loft", "Court", "Mews", "Steps", "Passage", "End"}
	keptBy  = []string{"bookbinder", "bird keeper", "printer", "luthier", "weaver", "glazier", "potter", "clockmaker"}
)

// History stores the made-up past of a shop: so many calls over so many years,
// those that came in last still in hand. It is the same for the same numbers and time.
func History(ctx context.Context, s *store.Store, now time.Time, years, total int) error {
	all := make([]written, len(pastCalls))
	for i := range pastCalls {
		var err error
		if all[i], err = pastCalls[i].write(); err != nil {
			return fmt.Errorf("past call %d: %w", i, err)
		}
	}
	random := rand.New(rand.NewPCG(uint64(years), 1))
	runs := map[string][]int64{} // known to the shop, by circuit
	start := now.AddDate(-years, 0, 0)
	for first := 0; first < total; first += batch {
		err := s.InTransaction(ctx, func(ctx context.Context) error {
			for n := first; n < min(first+batch, total); n++ {
				i := random.IntN(len(pastCalls))
				p := &pastCalls[i]
				at := start.Add(time.Duration(float64(now.Sub(start)) * float64(n) / float64(total)))
				known := runs[p.file]
				var run int64
				if len(known) > 0 && random.Float64() < 0.7 {
					run = known[random.IntN(len(known))]
				} else {
					var err error
					if run, err = house(ctx, s, random, n, at, all[i].name); err != nil {
						return err
					}
					runs[p.file] = append(known, run)
				}
				if err := all[i].store(ctx, s, run, at, fmt.Sprintf("past-%d-%d", years, n), n < total-stillOpen); err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// house is a new site with a panel and a run.
func house(ctx context.Context, s *store.Store, random *rand.Rand, n int, at time.Time, run string) (int64, error) {
	name := fmt.Sprintf("%s %s %d", houseOf[random.IntN(len(houseOf))], houseIs[random.IntN(len(houseIs))], 1+n/7)
	site, err := s.AddSite(
		ctx,
		store.Site{
			Name:      name,
			Address:   name + " (made up)",
			Notes:     "The " + keptBy[random.IntN(len(keptBy))] + "'s.",
			CreatedAt: at,
		},
	)
	if err != nil {
		return 0, err
	}
	directory, err := json.Marshal(Panel)
	if err != nil {
		return 0, err
	}
	panel, err := s.AddPanel(ctx, store.Panel{Site: site, Name: "Main panel", Directory: directory})
	if err != nil {
		return 0, err
	}
	return s.AddRun(ctx, panel, run)
}
