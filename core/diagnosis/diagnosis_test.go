package diagnosis_test

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/draw"
	"elvat/core/tester"
)

// bindery is a 20 A run of four outlets in line with a branch at the second.
func bindery(t testing.TB) *circuit.Circuit {
	c := circuit.New("bindery")
	for _, stop := range []circuit.NewStop{
		{After: circuit.Panel, Label: "Door", Feet: 40, Ground: true}, {After: "B1", Label: "Bench", Feet: 12, Ground: true},
		{After: "B2", Label: "Press", Feet: 15, Ground: true}, {After: "B3", Label: "Gilding", Feet: 9, Ground: true},
		{After: "B2", Label: "Stair", Feet: 20, Ground: true},
	} {
		require.NoError(t, c.AddStop(stop))
	}
	return c
}

func engine(t testing.TB, c *circuit.Circuit) *diagnosis.Engine {
	e, err := diagnosis.NewEngine(c, diagnosis.Defaults())
	require.NoError(t, err)
	return e
}

// taken is what the tools show at the devices with the faults in place.
func taken(
	t testing.TB,
	c *circuit.Circuit,
	faults []circuit.Fault,
	tools []tester.Tool,
	devices ...string,
) []tester.Reading {
	bench, err := tester.NewBench(c)
	require.NoError(t, err)
	k, err := bench.Try(faults)
	require.NoError(t, err)
	var all []tester.Reading
	for _, at := range devices {
		got, err := k.ReadAll(at, "", tools)
		require.NoError(t, err)
		all = append(all, got...)
	}
	return all
}

func diagnose(t testing.TB, c *circuit.Circuit, readings []tester.Reading) *diagnosis.Result {
	r, err := engine(t, c).Diagnose(readings)
	require.NoError(t, err)
	return r
}

func holds(s diagnosis.Suspect, faults []circuit.Fault) bool {
	return reflect.DeepEqual(s.Faults, faults) ||
		slices.ContainsFunc(s.Alike, func(other []circuit.Fault) bool { return reflect.DeepEqual(other, faults) })
}

var plug = []tester.Tool{tester.Plug}

// TestSingleFaultsAreFound: each fault, seen by every tester at every outlet,
// leaves its own name at its own place (or an end nothing at an outlet can
// tell from it) first.
func TestSingleFaultsAreFound(t *testing.T) {
	c := bindery(t)
	devices := []string{"R1", "R2", "R3", "R4", "R5"}
	e := engine(t, c)
	for _, row := range []struct {
		fault circuit.Fault
		name  string
		sites []string // where it is, or looks just as much to be
	}{
		{circuit.Fault{Kind: circuit.Open, At: "W3@B2.neutral"}, "open neutral", []string{"B2", "B3"}},
		{circuit.Fault{Kind: circuit.Open, At: "W3@B3.hot"}, "open hot", []string{"B2", "B3"}},
		{circuit.Fault{Kind: circuit.Open, At: "W1@B1.ground"}, "open ground", []string{"B1", "panel"}},
		{circuit.Fault{Kind: circuit.Open, At: "R5.ground"}, "open ground", []string{"B5", "B2"}},
		{circuit.Fault{Kind: circuit.Swapped, At: "R2", Pair: circuit.HotNeutral}, "reversed polarity", []string{"B2"}},
		{circuit.Fault{Kind: circuit.Swapped, At: "W3@B2", Pair: circuit.HotNeutral}, "reversed polarity", []string{"B2", "B3"}},
		// A slot that does not grip and a half on a switched-off wall switch read alike.
		{circuit.Fault{Kind: circuit.Open, At: "R3.top.hot"}, "wall switch off", []string{"B3", diagnosis.Elsewhere}},
		{circuit.Fault{Kind: circuit.Swapped, At: "R4", Pair: circuit.HotGround}, "hot and ground reversed", []string{"B4"}},
		{circuit.Fault{Kind: circuit.BreakerAt, At: circuit.Panel, State: "tripped"}, "breaker tripped", []string{"panel", "B1", "B2", diagnosis.Elsewhere}},
	} {
		t.Run(fmt.Sprint(row.fault.Kind, " ", row.fault.At), func(t *testing.T) {
			got, err := e.Diagnose(taken(t, c, []circuit.Fault{row.fault}, tester.Tools, devices...))
			require.NoError(t, err)
			first := got.Suspects[0]
			assert.Equal(t, row.name, first.Name)
			assert.Contains(t, row.sites, first.Site)
			assert.Contains(t, first.Why, "fits all")
			sum := 0.0
			for _, s := range got.Sites {
				if slices.Contains(row.sites, s.Site) {
					sum += s.Probability
				}
			}
			assert.Greater(t, sum, 0.9, "%v", got.Sites)
		})
	}
}

// TestSuspectsSumToOne, with what is cut off and what nothing explains.
func TestSuspectsSumToOne(t *testing.T) {
	c := bindery(t)
	for _, readings := range [][]tester.Reading{nil, taken(t, c, nil, plug, "R1"), taken(t, c, []circuit.Fault{{Kind: circuit.Open, At: "W2.hot"}}, plug, "R2", "R3")} {
		got := diagnose(t, c, readings)
		sum := got.Unexplained
		for i, s := range got.Suspects {
			sum += s.Probability
			if i > 0 {
				assert.LessOrEqual(t, s.Probability, got.Suspects[i-1].Probability)
			}
		}
		assert.LessOrEqual(t, sum, 1.0000001)
		assert.Greater(t, sum, 0.9)
	}
}

// TestAlike: with lamps alone, no reading tells the two ends of a cable apart.
func TestAlike(t *testing.T) {
	c := bindery(t)
	open := []circuit.Fault{{Kind: circuit.Open, At: "W3@B2.neutral"}}
	other := []circuit.Fault{{Kind: circuit.Open, At: "W3@B3.neutral"}}
	got := diagnose(t, c, taken(t, c, open, plug, "R1", "R2", "R3", "R4", "R5"))
	assert.True(t, holds(got.Suspects[0], open), "%+v", got.Suspects[0])
	assert.True(t, holds(got.Suspects[0], other), "%+v", got.Suspects[0])
	assert.False(t, got.Settled, "two boxes are left")
}

// TestBayesByHand: one outlet, three lamps, a lamp misread 1 in 10. "Correct"
// against "open ground", one lamp apart, shifts the odds by 0.9 / 0.1 = 9.
func TestBayesByHand(t *testing.T) {
	c := circuit.New("one")
	require.NoError(t, c.AddStop(circuit.NewStop{After: circuit.Panel, Ground: true}))
	settings := diagnosis.Defaults()
	settings.Errors.Lamp = 0.1
	settings.Weights.LegendWrong.Value = 0
	e, err := diagnosis.NewEngine(c, settings)
	require.NoError(t, err)
	odds := func(readings []tester.Reading) float64 {
		r, err := e.Diagnose(readings)
		require.NoError(t, err)
		right, open := 0.0, 0.0
		for _, s := range r.Suspects {
			switch {
			case s.Name == "nothing wrong":
				right += s.Probability
			case s.Name == "open ground" && s.Site == circuit.Panel:
				open += s.Probability
			}
		}
		return right / open
	}
	assert.InEpsilon(t, 9, odds(taken(t, c, nil, plug, "R1")[:1])/odds(nil), 0.001)
}

// TestNext: with two thirds of a run dead, the first thing to do costs little
// and parts the boxes; opening a box comes up once readings have no more to say.
func TestNext(t *testing.T) {
	c := bindery(t)
	dead := []circuit.Fault{{Kind: circuit.Open, At: "W3@B2.hot"}}
	first := diagnose(t, c, taken(t, c, dead, plug, "R4")[:1]).Next
	require.NotEmpty(t, first)
	assert.Equal(t, diagnosis.DoReading, first[0].Do)
	assert.NotEmpty(t, first[0].Say)
	assert.NotEmpty(t, first[0].Why)
	for i := 1; i < len(first); i++ {
		assert.GreaterOrEqual(t, first[i].Ahead, first[i-1].Ahead, "ranked by the minutes expected")
	}
	all := diagnose(t, c, taken(t, c, dead, tester.Tools, "R1", "R2", "R3", "R4", "R5")).Next
	require.NotEmpty(t, all)
	opening := slices.IndexFunc(all, func(t diagnosis.Test) bool { return t.Do == diagnosis.DoOpen })
	require.GreaterOrEqual(t, opening, 0)
	for _, before := range all[:opening] {
		assert.NotEmpty(t, string(before.Hint)+string(before.Act), "nothing is left to read: %s", before.Say)
	}
	assert.Contains(t, []string{"B2", "B3"}, all[opening].Site)

	reversed := []circuit.Fault{{Kind: circuit.Swapped, At: "R1", Pair: circuit.HotNeutral}}
	settled := diagnose(t, c, taken(t, c, reversed, tester.Tools, "R1", "R2", "R3", "R4", "R5"))
	assert.True(t, settled.Settled)
	require.Len(t, settled.Next, 1, "once settled, opening the box is all that is left")
	assert.Equal(t, "B1", settled.Next[0].Site)
}

// idle is an act that brings nothing back.
func idle(t diagnosis.Test) tester.Reading {
	held := true
	r := tester.Reading{Tool: tester.Act, Act: t.Act, At: t.At}
	switch t.Act {
	case tester.Reset:
		r.Held = &held
	case tester.ResetBreaker:
		r.At, r.Held = "", &held
	case tester.AllGFCIs:
		r.At, r.Found = "", &tester.Found{Names: []string{}}
	default:
		r.At = ""
	}
	return r
}

// TestFollowingNext: doing what is proposed first, reading after reading, ends
// at the faulty box or at the other end of its cable.
func TestFollowingNext(t *testing.T) {
	c := bindery(t)
	e := engine(t, c)
	r := rand.New(rand.NewPCG(7, 7))
	right := 0
	const rounds = 40
	for range rounds {
		faults := draw.Faults(r, c, 1, circuit.Open, circuit.Open, circuit.Swapped)
		var readings []tester.Reading
		for range 40 {
			got, err := e.Diagnose(readings)
			require.NoError(t, err)
			require.NotEmpty(t, got.Next, "%v", faults)
			do := got.Next[0]
			if do.Do == diagnosis.DoDone {
				t.Log("done with", faults)
				break
			}
			if do.Do == diagnosis.DoPowerOff { // a danger is shown: it is looked for dead
				require.Greater(t, len(got.Next), 1)
				do = got.Next[1]
			}
			if do.Do == diagnosis.DoOpen {
				if near(c, faults[0], do.Site) {
					right++
				}
				break
			}
			if do.Do == diagnosis.DoAct {
				readings = append(readings, idle(do))
				continue
			}
			if do.Hint != "" {
				readings = append(readings, tester.Reading{Tool: tester.Hint, Hint: do.Hint, Site: do.Site, Skipped: true})
				continue
			}
			for _, reading := range taken(t, c, faults, []tester.Tool{do.Tool}, do.At) {
				if reading.Half == do.Half && reading.Mode == do.Mode {
					readings = append(readings, reading)
				}
			}
		}
	}
	t.Logf("the box first proposed to open was the faulty one or the other end of its cable in %d of %d", right, rounds)
	assert.GreaterOrEqual(t, right, rounds*8/10)
}

// near reports whether the site is where the fault is, or at the other end of
// the cable it is on.
func near(c *circuit.Circuit, f circuit.Fault, site string) bool {
	for _, cable := range c.Cables {
		if len(f.At) > len(cable.ID) && f.At[:len(cable.ID)] == cable.ID &&
			(f.At[len(cable.ID)] == '@' || f.At[len(cable.ID)] == '.') {
			return site == cable.From || site == cable.To
		}
	}
	box := c.Box(site)
	if box == nil {
		return false
	}
	if len(f.At) >= len(site) && f.At[:len(site)] == site {
		return true
	}
	// An open ground terminal and the like show the same as the feed's end.
	return f.At[:2] == box.Devices[0].ID ||
		slices.ContainsFunc(
			c.Outgoing(site),
			func(cable *circuit.Cable) bool { return f.At[:2] == c.Box(cable.To).Devices[0].ID },
		)
}

// TestLiveGroundPin: what raises the danger, and what alone takes it off.
func TestLiveGroundPin(t *testing.T) {
	sound, old := bindery(t), bindery(t)
	for i := range old.Cables {
		old.Cables[i].Conductors = []circuit.Conductor{circuit.Hot, circuit.Neutral}
	}
	reverse := []circuit.Fault{
		{Kind: circuit.Swapped, At: "R3", Pair: circuit.HotNeutral}, {Kind: circuit.Bonded, At: "R3", Pair: circuit.NeutralGround, Ohms: 0.02},
	}
	sensor := []tester.Tool{tester.Sensor}
	for _, row := range []struct {
		name                  string
		circuit               *circuit.Circuit
		readings              []tester.Reading
		listed, urgent, shown bool
	}{
		{"nothing read", sound, nil, false, false, false},
		{"lamps correct on grounded cable", sound, taken(t, sound, nil, plug, "R3"), false, false, false},
		{"lamps correct where no ground arrives", old, taken(t, old, reverse, plug, "R3"), true, true, false},
		{"then the sensor finds it", old, append(taken(t, old, reverse, plug, "R3"), taken(t, old, reverse, sensor, "R3")...), true, true, true},
		{"or excludes it", old, append(taken(t, old, reverse[1:], plug, "R3"), taken(t, old, reverse[1:], sensor, "R3")...), false, false, false},
		{"lamps with neutral to ground lit", sound, taken(t, sound, []circuit.Fault{{Kind: circuit.Swapped, At: "R3", Pair: circuit.HotGround}}, plug, "R3"), true, true, false},
	} {
		t.Run(row.name, func(t *testing.T) {
			got := diagnose(t, row.circuit, row.readings).Hidden
			i := slices.IndexFunc(got, func(d diagnosis.Danger) bool { return d.At == "R3" })
			require.Equal(t, row.listed, i >= 0, "%+v", got)
			if row.listed {
				assert.Equal(t, row.urgent, got[i].Urgent)
				assert.Equal(t, row.shown, got[i].Shown)
				assert.Contains(t, got[i].Why, "Press")
				assert.NotEmpty(t, got[i].Do)
			}
		})
	}
}

// TestStates: with the breaker off everything is dead, and that says nothing
// against a sound circuit.
func TestStates(t *testing.T) {
	c := bindery(t)
	off := false
	dark := tester.Reading{
		At:    "R2",
		Half:  circuit.Top,
		Tool:  tester.Plug,
		Lamps: &tester.Lamps{HotNeutral: tester.IsDark, HotGround: tester.IsDark, NeutralGround: tester.IsDark},
	}
	right := func(readings ...tester.Reading) float64 {
		for _, s := range diagnose(t, c, readings).Suspects {
			if s.Name == "nothing wrong" {
				return s.Probability
			}
		}
		return 0
	}
	before := right()
	assert.Less(t, right(dark), before/50, "dark with the breaker on")
	dark.State = &tester.State{BreakerOn: &off}
	assert.InEpsilon(t, before, right(dark), 0.3, "dark with it off")
}

// TestSupplyLevel: a whole circuit at 113 V is a low supply, not a fault.
func TestSupplyLevel(t *testing.T) {
	c := bindery(t)
	c.Supply.Volts = 113
	readings := taken(t, c, nil, []tester.Tool{tester.Meter}, "R1", "R2", "R3")
	assert.Equal(t, "nothing wrong", diagnose(t, bindery(t), readings).Suspects[0].Name)
}

func TestReadingOfNoDevice(t *testing.T) {
	_, err := engine(t, bindery(t)).Diagnose([]tester.Reading{{At: "R9", Tool: tester.Lamp, Glow: tester.Dim}})
	assert.ErrorContains(t, err, `readings[0]: at "R9": no such device`)
}

// twelve is the run that figures are given for.
func twelve(b *testing.B) (*circuit.Circuit, []tester.Reading) {
	c := draw.Circuit(rand.New(rand.NewPCG(12, 12)), draw.Options{Boxes: 12, Plain: true})
	var devices []string
	for _, box := range c.Boxes {
		devices = append(devices, box.Devices[0].ID)
	}
	return c, taken(b, c, draw.Faults(rand.New(rand.NewPCG(5, 5)), c, 1, circuit.Open), []tester.Tool{tester.Plug, tester.Sensor}, devices...)[:12]
}

func BenchmarkDiagnoseTwelveBoxesFromNothing(b *testing.B) {
	c, readings := twelve(b)
	for b.Loop() {
		if _, err := engine(b, c).Diagnose(readings); err != nil {
			b.Fatal(err)
		}
	}
}

func BenchmarkDiagnoseTwelveBoxesOneReadingMore(b *testing.B) {
	c, readings := twelve(b)
	e := engine(b, c)
	if _, err := e.Diagnose(readings[1:]); err != nil { // what was entered before
		b.Fatal(err)
	}
	for b.Loop() {
		if _, err := e.Diagnose(readings); err != nil {
			b.Fatal(err)
		}
	}
}

// BenchmarkFortyBoxes is a long run with 20 readings, from nothing: engine,
// one and two faults, and what to do next.
func BenchmarkFortyBoxes(b *testing.B) {
	r := rand.New(rand.NewPCG(40, 1))
	c := draw.Circuit(r, draw.Options{Boxes: 40, Plain: true})
	c.Faults = nil
	fault := []circuit.Fault{{Kind: circuit.Open, At: "W20@B20.neutral"}}
	var devices []string
	for _, box := range c.Boxes[15:25] {
		devices = append(devices, box.Devices[0].ID)
	}
	readings := taken(b, c, fault, []tester.Tool{tester.Lamp}, devices...)
	for b.Loop() {
		if _, err := engine(b, c).Diagnose(readings); err != nil {
			b.Fatal(err)
		}
	}
}
