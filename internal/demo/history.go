package demo

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"time"

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

// A written is a past call as it goes into a store, but for its time.
type written struct {
	circuit  []byte
	name     string
	readings [][]byte // as found up to found, the repair, and as left
	found    int
	journal  []job.Entry
}

// write works out what was read on the call: with the fault, and after it was
// put right as the run predicts.
func (p *pastCall) write() (w written, err error) {
	c, err := Circuit(p.file)
	if err != nil {
		return w, err
	}
	c.Faults = nil
	if w.circuit, err = compact(c); err != nil {
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
	add := func(r tester.Reading) error {
		data, err := json.Marshal(r)
		w.readings = append(w.readings, data)
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
	w.found = len(w.readings)
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
	w.journal = proof(touched[0], p.note)
	return w, nil
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

func compact(c *circuit.Circuit) ([]byte, error) { return json.Marshal(c) }

// store keeps the call on the run as of the given time; handed over or still in hand.
func (w *written) store(ctx context.Context, s *store.Store, run int64, p *pastCall, at time.Time, name string, over bool) error {
	cautions := at.Add(5 * time.Minute)
	id, err := s.AddCall(ctx, store.Call{Title: w.name, Complaint: p.complaint, CreatedAt: at, CautionsReadAt: &cautions, Run: run}, w.circuit)
	if err != nil {
		return err
	}
	documents := w.readings
	if !over {
		documents = documents[:w.found/2]
	}
	readings := make([]store.Reading, len(documents))
	for i, document := range documents {
		minutes := 10 + i
		if i >= w.found {
			minutes += 60
		}
		readings[i] = store.Reading{ID: fmt.Sprintf("%s-%03d", name, i+1), TakenAt: at.Add(time.Duration(minutes) * time.Minute), Document: document}
	}
	if err := s.AddReadings(ctx, id, readings); err != nil || !over {
		return err
	}
	for i, e := range w.journal {
		data, err := json.Marshal(e)
		if err != nil {
			return err
		}
		minutes := time.Duration(12+w.found+5*i) * time.Minute
		if e.Kind == job.HandedOver {
			minutes += 2 * time.Hour
		}
		if err := s.AddEntry(ctx, id, store.Entry{ID: fmt.Sprintf("%s-j%02d", name, i+1), At: at.Add(minutes), Document: data}); err != nil {
			return err
		}
	}
	return nil
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
	houseOf = []string{"Marten", "Quill", "Sorrel", "Tannery", "Weir", "Juniper", "Cinder", "Lantern", "Heron", "Oriel", "Thistle", "Kiln"}
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
				if err := all[i].store(ctx, s, run, p, at, fmt.Sprintf("past-%d-%d", years, n), n < total-stillOpen); err != nil {
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
	site, err := s.AddSite(ctx, store.Site{Name: name, Address: name + " (made up)", Notes: "The " + keptBy[random.IntN(len(keptBy))] + "'s.", CreatedAt: at})
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
