// Package demo fills a store with a made-up shop's calls. What was read on them
// is computed from made-up circuits with their hidden faults, and the stored
// runs are those circuits without the faults.
package demo

import (
	"context"
	"embed"
	"encoding/json"
	"fmt"
	"time"

	"elvat/core/call"
	"elvat/core/circuit"
	"elvat/core/job"
	"elvat/core/parts"
	"elvat/core/price"
	"elvat/core/tester"
	"elvat/internal/store"
)

// Shop is the made-up shop.
const Shop = "Lamplight Electric (demo)"

// MeterOn is the circuit that the demo's simulated meter is put on.
const MeterOn = "bindery"

//go:embed circuits/*.json
var circuits embed.FS

//go:embed boxes/*.json
var boxes embed.FS

// a visit is one call of the demo, with what was read so far.
type visit struct {
	file, complaint string
	ago             time.Duration // before now: when the call came in
	cautions        bool
	opened          string // a box that was opened
	readings        []taken
	appointment     *call.SetAppointment // on the day of the demo; nil: none yet
}

type taken struct {
	at   string
	half circuit.Half
	tool tester.Tool
}

const (
	top    = circuit.Top
	bottom = circuit.Bottom
)

// visits are in the order in which they came in: the last stands on top.
var visits = []visit{
	{file: "porch", opened: "B2", appointment: &call.SetAppointment{Van: new("Van 1"), From: new("13:00"), To: new("15:00"), Telephone: new("555 0143")}, complaint: "Inspector's list: no ground in the old part. Birds are indoors until it is safe.", ago: 3 * time.Hour},
	{file: "darkroom", opened: "B3", complaint: "Red lamp housing tingles when the enlarger is on.", ago: 2 * time.Hour, cautions: true, readings: []taken{
		{"G2", top, tester.Plug}, {"G2", bottom, tester.Plug}, {"G2", top, tester.DeviceButton}, {"R3", top, tester.Plug}, {"R3", bottom, tester.Plug},
		{"R4", top, tester.Plug}, {"R4", bottom, tester.Plug}, {"R3", top, tester.Meter}, {"R3", top, tester.Sensor}, {"R3", bottom, tester.Sensor},
		{"R1", top, tester.Plug}, {"R5", top, tester.Plug}, {"R6", top, tester.Plug},
	}},
	{file: "bindery", opened: "B3", appointment: &call.SetAppointment{Van: new("Van 1"), From: new("09:00"), To: new("11:00"), Telephone: new("555 0143")}, complaint: "Standing press and everything past it dead since Monday. The glue pot is left plugged in.", ago: 40 * time.Minute, cautions: true, readings: []taken{
		{"R1", top, tester.Plug}, {"R1", bottom, tester.Plug}, {"R2", top, tester.Plug}, {"R2", bottom, tester.Plug}, {"R3", top, tester.Plug},
		{"R6", top, tester.Plug},
	}},
}

// Panel is the directory as the made-up house's panel has it: in part wrong, in
// part blank.
var Panel = job.Directory{
	{Breaker: "1", Amps: 20, Serves: "Guillotine motor"}, {Breaker: "2", Amps: 20, Serves: "spare"}, {Breaker: "4", Amps: 15, Serves: "loft"},
	{Breaker: "6", Amps: 20, Serves: "glue kettle"}, {Breaker: "7", Amps: 15, Serves: ""}, {Breaker: "9", Amps: 20, Serves: "upper lights ?"},
	{Breaker: "11", Amps: 20, Serves: ""}, {Breaker: "12", Amps: 15, Serves: "stair"},
}

// Circuit is a circuit of the demo with its hidden fault: bindery, darkroom or porch.
func Circuit(name string) (*circuit.Circuit, error) {
	data, err := circuits.ReadFile("circuits/" + name + ".json")
	if err != nil {
		return nil, err
	}
	c, err := circuit.Parse(data)
	if err != nil {
		return nil, fmt.Errorf("demo circuit %s: %w", name, err)
	}
	return c, nil
}

// Box is an opened box of the demo, elvat-box/1.
func Box(name, box string) ([]byte, error) {
	return boxes.ReadFile("boxes/" + name + "-" + box + ".json")
}

// House is the made-up house that all calls of the demo are at.
const House = "Tannery Yard 3"

// earlier are calls at the house before: which, and how long ago.
var earlier = []struct {
	past int // of pastCalls
	ago  time.Duration
}{{4, 430 * 24 * time.Hour}, {1, 190 * 24 * time.Hour}, {0, 75 * 24 * time.Hour}}

// prices are what the demo's shop charges.
var prices = price.List{
	Seller: price.Party{Name: Shop, Address: "1 Tannery Yard (made up)", Country: "US"}, Currency: "USD", CallOut: 8500, Hour: 11500, By: price.ByMinute, Step: 15,
	Markup: map[parts.Group]price.Basis{"": 3000, parts.Device: 4000, parts.Wire: 2500}, Tax: map[price.Kind]price.Basis{price.Part: 700},
	Tasks:     []price.Fixed{{Code: "gfci-test", Words: "All GFCIs of the house tested, with labels", Cents: 9500}},
	Discounts: []price.Discount{{Name: "Yard tenants", Basis: 1000}}, Days: 30, Number: "L-",
}

// stock is what the demo's vans carry.
var stock = []store.Move{
	{Van: "Van 1", Item: "15 A duplex receptacle, tamper-resistant", Count: 14}, {Van: "Van 1", Item: "lever, 3-wire", Count: 60}, {Van: "Van 1", Item: "lever, 5-wire", Count: 20},
	{Van: "Van 1", Item: "20 A GFCI receptacle, tamper-resistant", Count: 2}, {Van: "Van 1", Item: "wall plate", Count: 12}, {Van: "Van 1", Item: "marking label", Count: 40},
	{Van: "Van 1", Item: "12 AWG black", Unit: "ft", Count: 30}, {Van: "Van 1", Item: "12 AWG white", Unit: "ft", Count: 30}, {Van: "Van 1", Item: "12 AWG green", Unit: "ft", Count: 20}, {Van: "Van 1", Item: "ground screw, 10-32", Count: 25},
	{Van: "Van 2", Item: "15 A duplex receptacle, tamper-resistant", Count: 6}, {Van: "Van 2", Item: "lever, 3-wire", Count: 35},
}

// Fill stores the demo's calls, as if it were now.
func Fill(ctx context.Context, s *store.Store, now time.Time) error {
	site, err := s.AddSite(
		ctx,
		store.Site{
			Name:      House,
			Address:   "Tannery Yard 3 (made up)",
			Notes:     "Ring at the yard gate. The birds are let out at noon.",
			CreatedAt: now.Add(-earlier[0].ago),
		},
	)
	if err != nil {
		return err
	}
	panel, err := addPanel(ctx, s, site)
	if err != nil {
		return err
	}
	runs := map[string]int64{}
	for _, v := range visits {
		if runs[v.file], err = v.fill(ctx, s, panel, now, "demo"); err != nil {
			return fmt.Errorf("demo call %s: %w", v.file, err)
		}
	}
	for i, e := range earlier {
		p := &pastCalls[e.past]
		w, err := p.write()
		if err != nil {
			return fmt.Errorf("demo call before, %s: %w", p.file, err)
		}
		if err := w.store(ctx, s, runs[p.file], now.Add(-e.ago), fmt.Sprintf("demo-before-%d", i), true); err != nil {
			return err
		}
	}
	list, err := json.Marshal(prices)
	if err != nil {
		return err
	}
	if err := s.Set(ctx, "prices", list); err != nil {
		return err
	}
	for i, m := range stock {
		m.ID, m.At = fmt.Sprintf("demo-stock-%d", i), now
		if err := s.AddMove(ctx, m); err != nil {
			return err
		}
	}
	if err := drills(ctx, s, now); err != nil {
		return err
	}
	installed := now.Add(-earlier[0].ago)
	return s.SetInstalled(ctx, runs["darkroom"], "G2", &installed)
}

// addPanel gives a house its panel.
func addPanel(ctx context.Context, s *store.Store, site int64) (int64, error) {
	directory, err := json.Marshal(Panel)
	if err != nil {
		return 0, err
	}
	return s.AddPanel(ctx, store.Panel{Site: site, Name: "Main panel", Directory: directory})
}

// fill stores the visit on a run of its own and returns that; its readings are called by name.
func (v *visit) fill(ctx context.Context, s *store.Store, panel int64, now time.Time, name string) (run int64, err error) {
	faulty, err := Circuit(v.file)
	if err != nil {
		return 0, err
	}
	readings, err := v.read(faulty)
	if err != nil {
		return 0, err
	}
	asKnown := faulty.Clone()
	asKnown.Faults = nil
	document, err := asKnown.Encode()
	if err != nil {
		return 0, err
	}
	if run, err = s.AddRun(ctx, panel, faulty.Name); err != nil {
		return 0, err
	}
	came := now.Add(-v.ago)
	do := func(minutes int, do call.Doing) call.Command {
		return call.Command{At: came.Add(time.Duration(minutes) * time.Minute), Do: do}
	}
	opened, err := Box(v.file, v.opened)
	if err != nil {
		return 0, err
	}
	commands := []call.Command{do(8, &call.SetBox{Box: v.opened, Makeup: opened})}
	if v.cautions {
		commands = append(commands, do(5, &call.ReadCautions{}))
	}
	for i, r := range readings {
		data, err := json.Marshal(r)
		if err != nil {
			return 0, err
		}
		commands = append(commands, do(10+2*i, &call.AddReading{ID: fmt.Sprintf("%s-%s-%03d", name, v.file, i+1), Reading: data}))
	}
	first := &call.Begin{Title: faulty.Name, Complaint: v.complaint, Circuit: document}
	if v.appointment != nil {
		agreed := *v.appointment
		agreed.Date = new(now.Format(time.DateOnly))
		first.Appointment = &agreed
	}
	begin := do(0, first)
	return run, carryOut(ctx, s, run, begin, commands)
}

// carryOut begins a call on the run and does all of it.
func carryOut(ctx context.Context, s *store.Store, run int64, begin call.Command, commands []call.Command) error {
	id, err := s.Begin(
		ctx,
		begin,
		begin.At,
		func(context.Context) (int64, *call.Begin, error) { return run, begin.Do.(*call.Begin), nil },
	)
	if err != nil {
		return err
	}
	at, err := s.Load(ctx, id)
	if err != nil {
		return err
	}
	for _, c := range commands {
		next, a, err := at.Record.Decide(c, call.House{})
		if err != nil {
			return fmt.Errorf("%s: %w", call.Name(c.Do), err)
		}
		a.ArrivedAt = c.At
		if at, err = s.Keep(ctx, at, next, a, nil); err != nil {
			return err
		}
	}
	return nil
}

// read takes the visit's readings on the circuit with its faults.
func (v *visit) read(c *circuit.Circuit) ([]tester.Reading, error) {
	bench, err := tester.NewBench(c)
	if err != nil {
		return nil, err
	}
	condition, err := bench.Try(c.Faults)
	if err != nil {
		return nil, err
	}
	var readings []tester.Reading
	for _, t := range v.readings {
		outlet, ok := bench.Outlet(t.at, t.half)
		if !ok {
			return nil, fmt.Errorf("no outlet %s %s", t.at, t.half)
		}
		mode := tester.Mode("")
		if t.tool == tester.Meter {
			mode = tester.HighZ
		}
		r, err := condition.Read(outlet, t.tool, mode)
		if err != nil {
			return nil, err
		}
		r.Round()
		readings = append(readings, r)
	}
	return readings, nil
}

// ExampleHouse is what the house of the example is called.
const ExampleHouse = "Example house"

// Example stores one house with one call, half read, to try things on; it returns the house.
func Example(ctx context.Context, s *store.Store, now time.Time) (site int64, err error) {
	err = s.InTransaction(ctx, func(ctx context.Context) error {
		if site, err = s.AddSite(ctx, store.Site{Name: ExampleHouse, Notes: "Made up, to try things on.", CreatedAt: now}); err != nil {
			return err
		}
		panel, err := addPanel(ctx, s, site)
		if err != nil {
			return err
		}
		bindery := visits[len(visits)-1]
		bindery.ago, bindery.appointment = 0, nil
		_, err = bindery.fill(ctx, s, panel, now, fmt.Sprintf("example-%d", now.UnixMilli()))
		return err
	})
	return site, err
}
