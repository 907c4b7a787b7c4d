package newrun

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/nec"
	"elvat/core/parts"
	"elvat/core/practice"
	"elvat/core/tester"
	"elvat/core/wire"
)

// order is one outlet at the end of open joists, changed by the tests.
func order(change ...func(*Order)) *Order {
	o := &Order{Format: Format, ID: "N1", Outlets: []Outlet{{
		ID: "A", Label: "Kiln shed", For: General, Place: nec.Place{Room: nec.Workshop, Exposure: nec.Dry}, Way: []Leg{{By: OpenJoists, Feet: 40}},
	}}}
	for _, c := range change {
		c(o)
	}
	return o
}

func planned(t *testing.T, o *Order) *Plan {
	t.Helper()
	require.NoError(t, o.Check())
	p, err := Make(o, practice.Shop{}, nil)
	require.NoError(t, err)
	return p
}

func codes(p *Plan) []string {
	all := []string{}
	for _, f := range p.Findings {
		all = append(all, f.Code)
	}
	return all
}

func served(kind Kind, watts float64, room nec.Room) func(*Order) {
	return func(o *Order) {
		o.Outlets[0].For, o.Outlets[0].Watts, o.Outlets[0].Place.Room = kind, watts, room
		o.Outlets[0].What = string(kind)
	}
}

func TestBreaker(t *testing.T) {
	continuous := func(o *Order) { o.Outlets[0].Continuous = true }
	asAsked := func(o *Order) { o.House.Circuit = practice.AsAsked }
	for _, row := range []struct {
		name       string
		order      *Order
		amps       float64
		protection circuit.Protection
		device     string
		source     string
	}{
		{"laundry", order(served(Laundry, 0, nec.Laundry)), 20, circuit.DualBreaker, "receptacle", "210.11(C)(2), 210.8(A), 210.12 (from memory): a circuit that wants both gets one breaker that does both"},
		{"bathroom", order(served(Bathroom, 0, nec.Bathroom)), 20, circuit.NoProtection, "gfci", "210.11(C)(3), 210.8(A)(1): no arc-fault in bathrooms"},
		{"countertop", order(served(Countertop, 0, nec.Kitchen)), 20, circuit.DualBreaker, "receptacle", "210.11(C)(1)"},
		{"refrigerator, 2023", order(served(Refrigerator, 0, nec.Kitchen)), 20, circuit.DualBreaker, "single", "210.8(A)(6) since 2023: every kitchen receptacle"},
		{"refrigerator, 2020", order(served(Refrigerator, 0, nec.Kitchen), func(o *Order) {
			o.Edition = 2020
			no := false
			o.Outlets[0].Place.Countertop = &no
		}), 20, circuit.AFCIBreaker, "single", "210.8(A)(6) before 2023: countertops only"},
		{"workshop", order(), 20, circuit.NoProtection, "receptacle", "210.12 does not name workshops"},
		{"bedroom", order(served(General, 0, nec.Bedroom)), 20, circuit.AFCIBreaker, "receptacle", "210.12"},
		{"1500 W for a short time", order(served(Appliance, 1500, nec.Workshop), asAsked), 20, circuit.NoProtection, "single", "12.5 A / 0.8 = 15.6 A, 210.23: above a 15 A circuit"},
		{"1440 W for a short time", order(served(Appliance, 1440, nec.Workshop), asAsked), 15, circuit.NoProtection, "single", "12 A / 0.8 = 15 A, 210.23"},
		{"1900 W for hours", order(served(Appliance, 1900, nec.Workshop), continuous), 20, circuit.NoProtection, "single", "15.8 A x 1.25 = 19.8 A, 210.20(A)"},
		{"2000 W for hours", order(served(Appliance, 2000, nec.Workshop), continuous), 30, circuit.NoProtection, "single", "16.7 A x 1.25 = 20.8 A, 210.20(A)"},
		{"the house lets the load decide", order(asAsked), 15, circuit.NoProtection, "receptacle", "14 AWG on 15 A, 240.4(D)"},
	} {
		t.Run(row.name, func(t *testing.T) {
			p := planned(t, row.order)
			assert.Equal(t, row.amps, p.Breaker.Amps, row.source)
			assert.Equal(t, row.protection, p.Breaker.Protection, row.source)
			assert.Equal(t, row.device, p.Boxes[0].Box.Device.Kind, row.source)
			assert.True(t, p.Issued, "proven on the model: %v", codes(p))
			assert.GreaterOrEqual(t, p.Conductor.AWG.MostAmps(), row.amps, "240.4(D) (from memory)")
		})
	}
	o := order(served(Appliance, 3000, nec.Workshop), continuous)
	require.NoError(t, o.Check())
	_, err := Make(o, practice.Shop{}, nil)
	assert.ErrorContains(t, err, "more than the largest receptacle circuit", "31 A at 120 V")
}

func TestConductor(t *testing.T) {
	for _, row := range []struct {
		name   string
		leg    Leg
		watts  float64
		awg    wire.Gauge
		volts  float64
		source string
	}{
		{"short", Leg{By: OpenJoists, Feet: 40}, 1200, 12, 1.54, "2 x 40 x 1.93 / 1000 x 10, chapter 9 table 8 (from memory)"},
		{"3.6 V and no more", Leg{By: OpenJoists, Feet: 93}, 1200, 12, 3.59, "2 x 93 x 1.93 / 1000 x 10 = 3.59 V = 2.99 %"},
		{"past 3 %", Leg{By: OpenJoists, Feet: 94}, 1200, 10, 2.27, "12 AWG: 3.63 V; 10 AWG: 2 x 94 x 1.21 / 1000 x 10"},
		{"hot attic", Leg{By: Attic, Feet: 40}, 1200, 12, 1.54, "12 AWG: 30 A x 0.82 at 50 C = 24.6 A, tables 310.16 and 310.15(B)(1) (from memory)"},
		{"hot attic, four cables together", Leg{By: Attic, Feet: 40, Bundled: 4}, 1200, 10, 0.97, "12 AWG: 30 x 0.82 x 0.70 = 17.2 A, under its 20 A breaker; 10 AWG: 40 x 0.82 x 0.70 = 23 A"},
	} {
		t.Run(row.name, func(t *testing.T) {
			p := planned(t, order(served(Appliance, row.watts, nec.Workshop), func(o *Order) { o.Outlets[0].Way = []Leg{row.leg} }))
			assert.Equal(t, row.awg, p.Conductor.AWG, row.source)
			assert.InDelta(t, row.volts, p.Conductor.Drop.Volts, 0.01, row.source)
			assert.LessOrEqual(t, p.Conductor.Drop.Percent, 3.0)
		})
	}
}

// TestConduitFill holds the areas of chapter 9 against annex C of the code, which counts out
// how many wires go in (both from memory).
func TestConduitFill(t *testing.T) {
	for _, row := range []struct {
		kind   wire.Tubing
		size   int
		counts map[wire.Gauge]int
	}{
		{wire.EMT, 0, map[wire.Gauge]int{14: 12, 12: 9, 10: 5, 8: 3}},
		{wire.EMT, 1, map[wire.Gauge]int{14: 22, 12: 16, 10: 10, 8: 6}},
		{wire.EMT, 2, map[wire.Gauge]int{14: 35, 12: 26, 10: 16, 8: 9}},
		{wire.PVC, 0, map[wire.Gauge]int{14: 11, 12: 8, 10: 5, 8: 3}},
		{wire.PVC, 1, map[wire.Gauge]int{14: 21, 12: 15, 10: 9, 8: 5}},
	} {
		size := row.kind.Sizes()[row.size]
		for g, count := range row.counts {
			n := int(math.Floor(0.4*float64(size.Inside)/float64(g.Insulated()) + 0.2)) // annex C rounds up from 0.8
			assert.Equal(t, count, n, "%d AWG in %s %s", g, row.kind, size.Name)
			least, fill, err := row.kind.Least(slices.Repeat([]wire.SquareInches{g.Insulated()}, 3))
			require.NoError(t, err)
			assert.LessOrEqual(t, fill, 0.4, "three in %s", least.Name)
		}
	}
	_, _, err := wire.EMT.Least(slices.Repeat([]wire.SquareInches{wire.Gauge(6).Insulated()}, 40))
	assert.ErrorContains(t, err, "40 wires")
}

// TestBends holds the sums by trigonometry against what is printed on benders and in
// handbooks (from memory), which round.
func TestBends(t *testing.T) {
	for _, row := range []struct{ angle, multiplier, shrink float64 }{
		{10, 6, 1.0 / 16}, {22.5, 2.6, 3.0 / 16}, {30, 2, 1.0 / 4}, {45, 1.4, 3.0 / 8}, {60, 1.2, 1.0 / 2},
	} {
		assert.InDelta(t, row.multiplier, Multiplier(row.angle), 0.25)
		assert.InDelta(t, row.shrink, float64(Shrink(1, row.angle)), 0.08)
		assert.InDelta(t, 1/math.Sin(row.angle*math.Pi/180), Multiplier(row.angle), 1e-12, "the cosecant")
	}
	size := wire.EMT.Sizes()[0]
	for _, row := range []struct {
		bend   Bend
		marks  []float64
		source string
	}{
		{Bend{Shape: Offset, HeightIn: 6, DistanceIn: 40}, []float64{29.61, 41.61}, "6 in at 30 degrees: 40 + 6 x 0.268; 12 in apart"},
		{Bend{Shape: Offset, HeightIn: 4, DistanceIn: 30, AngleDeg: 45}, []float64{26.0, 31.66}, "4 x 1.414 apart; shrink 4 x 0.414"},
		{Bend{Shape: Ninety, HeightIn: 12}, []float64{7}, "12 in less a take-up of 5 in, 1/2 in EMT (from memory)"},
		{Bend{Shape: BackToBack, DistanceIn: 48}, []float64{48}, "the star at the distance"},
		{Bend{Shape: BoxOffset, HeightIn: 0.5}, []float64{4, 6.88}, "1/2 in x 5.76"},
	} {
		b := row.bend.Work(size)
		require.Len(t, b.Marks, len(row.marks))
		for i, at := range row.marks {
			assert.InDelta(t, at, float64(b.Marks[i].AtIn), 0.01, row.source)
		}
		if b.Multiplier > 0 { // what is drawn is as long as what is marked
			slope := math.Hypot(b.Path[2].X-b.Path[1].X, b.Path[2].Y-b.Path[1].Y)
			assert.InDelta(t, float64(b.Marks[1].AtIn-b.Marks[0].AtIn), slope, 1e-9)
			assert.InDelta(t, float64(b.ShrinkIn), slope-(b.Path[2].X-b.Path[1].X), 1e-9, "the slope is longer than its way along the wall by the shrink")
			assert.InDelta(t, float64(b.HeightIn), b.Path[2].Y, 1e-9)
		}
	}
}

func TestWay(t *testing.T) {
	for _, row := range []struct {
		name   string
		legs   []Leg
		method Method
		says   []string
		codes  []string
	}{
		{"across joists", []Leg{{By: OpenJoists, Feet: 32, Across: true}}, NM, []string{"24 holes"}, nil},
		{"along joists", []Leg{{By: OpenJoists, Feet: 32}}, NM, []string{"stapled every 4 1/2\u00a0ft"}, nil},
		{"across thin studs", []Leg{{By: OpenJoists, Feet: 8, Across: true, DepthIn: 2.5}}, NM, []string{"12 steel plates"}, nil},
		{"across joists too thin to bore", []Leg{{By: OpenJoists, Feet: 8, Across: true, DepthIn: 2}}, NM, nil, []string{"joist-too-shallow"}},
		{"attic", []Leg{{By: Attic, Feet: 30, Across: true}}, NM, []string{"guard strips"}, []string{"way-hurts"}},
		{"damp crawl space", []Leg{{By: CrawlSpace, Feet: 30, Exposure: nec.Damp}}, UF, nil, []string{"way-hurts"}},
		{"finished wall", []Leg{{By: FinishedWall, Feet: 12, Plates: 2}}, NM, []string{"Bore 2 plates", "needs no staples"}, nil},
		{"on masonry", []Leg{{By: Masonry, Feet: 12}}, Conduit, []string{"masonry anchors", "EMT 1/2\u00a0in"}, nil},
		{"on the surface, wet", []Leg{{By: Surface, Feet: 12, Exposure: nec.Wet, Conduit: wire.PVC}}, Conduit, []string{"raintight", "every 3\u00a0ft"}, nil},
		{"cable, and down a wall in conduit", []Leg{{By: OpenJoists, Feet: 20}, {By: Surface, Feet: 6}}, NM, []string{"as it is"}, nil},
		{"five quarter bends", []Leg{{By: Surface, Feet: 30, Bends: slices.Repeat([]Bend{{Shape: Ninety, HeightIn: 20}}, 5)}}, Conduit, nil, []string{"too-many-bends"}},
		{"four quarter bends", []Leg{{By: Surface, Feet: 30, Bends: slices.Repeat([]Bend{{Shape: Ninety, HeightIn: 20}}, 4)}}, Conduit, nil, nil},
	} {
		t.Run(row.name, func(t *testing.T) {
			p := planned(t, order(func(o *Order) { o.Outlets[0].Way = row.legs }))
			s := p.Stretches[0]
			assert.Equal(t, row.method, s.Method)
			said := ""
			for _, leg := range s.Legs {
				said += strings.Join(leg.Do, " ")
			}
			for _, words := range row.says {
				assert.Contains(t, said, words)
			}
			assert.Subset(t, append(codes(p), ""), append(row.codes, ""))
			assert.Equal(t, slices.Contains(row.codes, "too-many-bends"), slices.Contains(codes(p), "too-many-bends"))
		})
	}
}

// TestSpaced holds the places of straps and staples against the rule they follow.
func TestSpaced(t *testing.T) {
	for feet := 0.5; feet < 130; feet += 0.37 {
		for _, row := range []struct{ end, every wire.Inches }{{cableEnd, cableEvery}, {pipeEnd, emtEvery}, {pipeEnd, pvcEvery}} {
			all := spaced(feet, row.end, row.every)
			require.NotEmpty(t, all)
			length := wire.Inches(feet * 12)
			assert.LessOrEqual(t, all[0], row.end+1e-9)
			assert.LessOrEqual(t, length-all[len(all)-1], row.end+1e-9)
			for i := 1; i < len(all); i++ {
				assert.LessOrEqual(t, all[i]-all[i-1], row.every+1e-9)
			}
		}
	}
}

func TestPanel(t *testing.T) {
	none, no, three := 0, false, 3
	yes := true
	p := planned(t, order(func(o *Order) { o.Panel = PanelFacts{Free: &none, Room: &no} }))
	assert.Subset(t, codes(p), []string{"no-space", "service-load"})
	assert.Len(t, p.Open(), 2)
	p = planned(t, order(served(General, 0, nec.Bedroom), func(o *Order) { o.Panel = PanelFacts{Free: &three, Room: &yes, Breaker: "14"} }))
	assert.Empty(t, p.Open())
	assert.Equal(t, Row{"14", 20, "Kiln shed"}, p.Directory)
	first, last := -1, -1
	for i, s := range p.Steps {
		if s.Part == PanelJob {
			if first < 0 {
				first = i
			}
			last = i
			assert.True(t, s.Licensed, s.Code)
		} else {
			assert.False(t, s.Licensed, s.Code)
		}
	}
	says := ""
	for _, s := range p.Steps[first : last+1] {
		says += s.Do + " " + s.Detail + " " + s.Caution + "\n"
	}
	for _, words := range []string{"Main breaker off", "lugs", "stay live with the main off", "neutral to the breaker, not to the bar", "torque", "proven dead"} {
		assert.Contains(t, says, words)
	}
	// Nothing in the panel before the run was measured, and nothing proven before that.
	check := slices.IndexFunc(p.Steps, func(s Step) bool { return s.Code == "check" })
	prove := slices.IndexFunc(p.Steps, func(s Step) bool { return s.Code == "prove" })
	assert.Less(t, check, first)
	assert.Less(t, last, prove)
	for _, s := range p.Steps {
		assert.NotContains(t, strings.ToLower(s.Do+s.Detail), "work live")
	}
}

func TestMixedAndRemoved(t *testing.T) {
	second := func(kind Kind, room nec.Room) func(*Order) {
		return func(o *Order) {
			o.Outlets = append(o.Outlets, Outlet{ID: "B", For: kind, Place: nec.Place{Room: room}, Way: []Leg{{By: FinishedWall, Feet: 8}}})
		}
	}
	for _, row := range []struct {
		name  string
		order *Order
		code  string
	}{
		{"laundry and hall", order(served(Laundry, 0, nec.Laundry), second(General, nec.Hall)), "mixed-circuit"},
		{"freezer and workshop", order(served(Freezer, 0, nec.Workshop), second(Workshop, nec.Workshop)), "mixed-circuit"},
		{"two at a countertop", order(served(Countertop, 0, nec.Kitchen), second(Countertop, nec.Kitchen)), ""},
		{"a freezer in a garage", order(served(Freezer, 0, nec.Garage)), "must-not-go-off"},
	} {
		all := codes(planned(t, row.order))
		if row.code == "" {
			assert.NotContains(t, all, "mixed-circuit", row.name)
			continue
		}
		assert.Contains(t, all, row.code, row.name)
	}
	p := planned(t, order(func(o *Order) {
		o.Remove = []Removal{{"old cable", "hall", "shed", LeftDead}, {"lamp cord", "hall", "attic", TakenOut}}
	}))
	steps := ""
	for _, s := range p.Steps {
		if s.Part == Removing {
			assert.Equal(t, "dead", s.Gate)
			steps += s.Do + s.Detail
		}
	}
	for _, words := range []string{"made safe", "both ends", "capped", "taken out", "blank plate"} {
		assert.Contains(t, steps, words)
	}
}

func TestExtension(t *testing.T) {
	run := circuit.New("Hall run")
	run.Breaker.Label = "7"
	require.NoError(t, run.AddStop(circuit.NewStop{After: circuit.Panel, Label: "Hall", Feet: 30, Ground: true}))
	require.NoError(t, run.AddStop(circuit.NewStop{After: "B1", Label: "Landing", Feet: 20, Ground: true}))
	o := order(func(o *Order) { o.From = "B2"; o.Outlets[0].Place.Room = nec.Hall })
	require.NoError(t, o.Check())
	p, err := Make(o, practice.Shop{}, run)
	require.NoError(t, err)
	require.NotNil(t, p.There)
	assert.Equal(t, "B2", p.There.Outlet)
	assert.Len(t, p.There.Box.Cables, 2)
	assert.Equal(t, 90.0, p.Conductor.Drop.Feet)
	assert.Contains(t, codes(p), "afci-required", "210.12(E) in 2023 (from memory)")
	assert.False(t, slices.ContainsFunc(p.Steps, func(s Step) bool { return s.Part == PanelJob }))
	assert.NotNil(t, p.Circuit.Box("A"))
	assert.Nil(t, run.Box("A"), "the run that it was asked of stays as it is")
	readings, err := tester.Parse(p.Predicted, p.Circuit)
	require.NoError(t, err)
	require.NotEmpty(t, readings)
	assert.Equal(t, tester.IsLit, readings[0].Lamps.HotGround)

	ungrounded := run.Clone()
	ungrounded.Cables[0].Conductors = ungrounded.Cables[0].Conductors[:2]
	p, err = Make(o, practice.Shop{}, ungrounded)
	require.NoError(t, err)
	assert.Contains(t, codes(p), "ground-missing")

	require.NoError(t, run.AddLoad("R1", circuit.Top, 1800))
	o.Outlets[0].Watts = 1200
	p, err = Make(o, practice.Shop{}, run)
	require.NoError(t, err)
	assert.Contains(t, codes(p), "overloaded", "15 A there and 10 A more on 20 A")

	_, err = Make(o, practice.Shop{}, nil)
	assert.ErrorContains(t, err, `from: "B2" is no box`)
}

func TestBadOrders(t *testing.T) {
	good, err := os.ReadFile("testdata/guillotine.json")
	require.NoError(t, err)
	for _, row := range []struct{ from, to, says string }{
		{`"elvat-newrun/1"`, `"elvat-newrun/9"`, `new run: format: want "elvat-newrun/1"`},
		{`"feet": 32`, `"feet": -2`, "outlets[0].way[0].feet: -2 is out of bounds"},
		{`"by": "open-joists"`, `"by": "tunnel"`, `outlets[0].way[0].by: "tunnel" is none of`},
		{`"for": "appliance"`, `"for": "kiln"`, `outlets[0].for: "kiln" is none of`},
		{`"watts": 1400, `, ``, "outlets[0].watts: an appliance is planned by its watts"},
		{`"heightIn": 4, "distanceIn": 30`, `"heightIn": 4`, "outlets[1].way[0].bends[1].distanceIn: how far is it?"},
		{`"id": "PR"`, `"id": "GU"`, `outlets[1].id: "GU" is there already`},
		{`"how": "left"`, `"how": "burnt"`, `remove[0].how: "burnt" is none of`},
		{`"watts": 1400`, `"wats": 1400`, "wats"},
		{`"edition": 2023`, `"edition": 1999`, "edition: 1999"},
	} {
		bad := strings.Replace(string(good), row.from, row.to, 1)
		require.NotEqual(t, string(good), bad, row.from)
		_, err := Parse([]byte(bad))
		assert.ErrorContains(t, err, row.says)
	}
	// What one leg cannot take is said with its place too.
	o := order(func(o *Order) { o.Outlets[0].Way[0].Bends = []Bend{{Shape: Ninety, HeightIn: 10}} })
	require.NoError(t, o.Check())
	_, err = Make(o, practice.Shop{}, nil)
	assert.ErrorContains(t, err, "outlets[0].way[0]: bends: they are of conduit")
}

// TestAnyOrder draws orders and holds each plan against what must hold of every one.
func TestAnyOrder(t *testing.T) {
	const orders = 250
	catalogue := map[string]bool{}
	for _, i := range parts.Catalogue() {
		catalogue[i.Code] = true
	}
	issued := 0
	for seed := range uint64(orders) {
		r := rand.New(rand.NewPCG(seed, 18))
		o := drawn(r)
		require.NoError(t, o.Check(), "seed %d", seed)
		p, err := Make(o, practice.Shop{}, nil)
		if err != nil {
			assert.True(t, strings.Contains(err.Error(), "30 A"), "seed %d: %v", seed, err)
			continue
		}
		say := func(what string, args ...any) string {
			return fmt.Sprintf("seed %d: %s", seed, fmt.Sprintf(what, args...))
		}
		assert.GreaterOrEqual(t, p.Breaker.Amps, p.Load.Needed-1e-9, say("breaker"))
		if p.Conductor.AWG >= 10 {
			assert.GreaterOrEqual(t, p.Conductor.AWG.MostAmps(), p.Breaker.Amps, say("240.4(D)"))
		}
		assert.True(t, p.Conductor.Ampacity >= p.Load.Needed-1e-9 || slices.Contains(codes(p), "ampacity"), say("ampacity"))
		require.NoError(t, p.Circuit.Check(), say("circuit"))
		w, err := circuit.Wire(p.Circuit)
		require.NoError(t, err)
		feeds := w.Feeds()
		for i, g := range p.Guarded {
			device, box := p.Circuit.Device(p.Boxes[i].Box.Device.ID)
			guards := feeds.Guards(device.Second(circuit.Hot))
			if g.needs {
				assert.NotEmpty(t, guards, say("%s asks for a GFCI", box.ID))
			}
			if g.Stays && !g.needs && len(guards) > 0 {
				assert.Contains(t, codes(p), "must-not-go-off", say("%s", box.ID))
			}
			assert.Equal(t, g.By != "", len(guards) > 0, say("%s: what is said of it and what the model says", box.ID))
		}
		for _, m := range p.Boxes {
			assert.True(t, m.Plan.Fill.OK || slices.Contains(codes(p), "box-overfull"), say("fill of %s: %g of %g", m.Outlet, m.Plan.Fill.RequiredIn3, m.Set.Volume))
			issued++
		}
		if p.Issued {
			readings, err := tester.Parse(p.Predicted, p.Circuit)
			require.NoError(t, err)
			for _, reading := range readings {
				if reading.Tool == tester.Plug {
					assert.Equal(t, tester.IsLit, reading.Lamps.HotNeutral, say("%s", reading.At))
					assert.Equal(t, tester.IsDark, reading.Lamps.NeutralGround, say("%s", reading.At))
				}
			}
		} else {
			assert.NotEmpty(t, p.Open(), say("what is not issued says why"))
		}
		codesOfSteps := map[string]bool{}
		for _, s := range p.Steps {
			codesOfSteps[s.Code] = true
		}
		for _, m := range p.Materials {
			assert.NotEmpty(t, m.Code, say("%s", m.Item))
			if slices.Contains([]parts.Group{parts.Hardware, parts.Marking}, m.Group) {
				sized := strings.HasPrefix(m.Code, "screw-") || strings.Contains(m.Code, "-emt-") || strings.Contains(m.Code, "-pvc-")
				assert.True(t, catalogue[m.Code] || sized, say("%s is in no catalogue", m.Code))
			}
			for _, step := range m.Steps {
				assert.True(t, codesOfSteps[step], say("%s is used by %s, which is no step", m.Item, step))
			}
		}
		again, err := json.Marshal(o)
		require.NoError(t, err)
		_, err = Parse(again)
		require.NoError(t, err, say("what was planned can be read again"))
	}
	assert.Greater(t, issued, orders)
}

func pick[T any](r *rand.Rand, all ...T) T { return all[r.IntN(len(all))] }

func drawn(r *rand.Rand) *Order {
	o := &Order{Format: Format, ID: "N1", Edition: pick(r, nec.Editions...)}
	o.House.GFCIAt = pick(r, "", practice.AtBreaker, practice.AtFirst)
	o.House.Exposed = pick(r, "", practice.ExposedPipe)
	o.House.Circuit = pick(r, "", practice.AsAsked)
	for i := range 1 + r.IntN(4) {
		v := Outlet{ID: fmt.Sprintf("O%d", i+1), For: pick(r, Kinds...), Wall: pick(r, append([]Wall{"", "", ""}, Walls...)...)}
		if i > 1 && r.IntN(3) == 0 {
			v.After = "O1"
		}
		v.Watts = pick(r, 0.0, 0, 600, 1400)
		if v.For == Appliance {
			v.Watts = pick(r, 300.0, 1200, 1800)
		}
		v.Place.Room, v.Place.Exposure = pick(r, nec.Rooms...), pick(r, nec.Exposures...)
		v.Continuous, v.Fixed = r.IntN(4) == 0, r.IntN(6) == 0
		if r.IntN(4) == 0 {
			reach := false
			v.Place.Accessible = &reach
		}
		for range 1 + r.IntN(3) {
			leg := Leg{By: pick(r, Bys...), Feet: 2 + r.Float64()*60, Exposure: pick(r, "", nec.Dry, nec.Damp, nec.Wet), Across: r.IntN(2) == 0, Bundled: pick(r, 0, 0, 2, 4)}
			if leg.By == Surface || leg.By == Masonry {
				leg.Conduit = pick(r, "", wire.EMT, wire.PVC)
				for range r.IntN(4) {
					leg.Bends = append(leg.Bends, Bend{Shape: pick(r, Shapes...), HeightIn: 4 + wire.Inches(r.IntN(20)), DistanceIn: 20 + wire.Inches(r.IntN(60))})
				}
			}
			v.Way = append(v.Way, leg)
		}
		o.Outlets = append(o.Outlets, v)
	}
	return o
}

func FuzzOrder(f *testing.F) {
	for _, name := range []string{"testdata/guillotine.json", "testdata/freezer.json"} {
		data, err := os.ReadFile(name)
		if err != nil {
			f.Fatal(err)
		}
		f.Add(data)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		o, err := Parse(data)
		if err != nil {
			return
		}
		p, err := Make(o, practice.Shop{}, nil)
		if err == nil && p.Conductor.AWG == 0 {
			t.Fatal("a plan without a conductor")
		}
	})
}

func BenchmarkMake(b *testing.B) {
	data, err := os.ReadFile("testdata/guillotine.json")
	if err != nil {
		b.Fatal(err)
	}
	o, err := Parse(data)
	if err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		if _, err := Make(o, practice.Shop{}, nil); err != nil {
			b.Fatal(err)
		}
	}
}
