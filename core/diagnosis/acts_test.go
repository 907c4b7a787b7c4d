package diagnosis_test

import (
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/draw"
	"elvat/core/tester"
	"math/rand/v2"
)

func named(r *diagnosis.Result, name string) float64 {
	p := 0.0
	for _, s := range r.Suspects {
		if s.Name == name {
			p += s.Probability
		}
	}
	return p
}

// TestActsSettle: what an act settles is no suspect any more, and holds for all
// that is read after it.
func TestActsSettle(t *testing.T) {
	yes, no := true, false
	gfci := loft(t, func(c *circuit.Circuit) { require.NoError(t, c.ChangeStop("B1", circuit.StopChange{GFCI: &yes})) })
	dead := []tester.Reading{lamps("R1", dark, dark, dark), lamps("R2", dark, dark, dark)}
	for _, row := range []struct {
		name  string
		c     *circuit.Circuit
		first []tester.Reading
		act   tester.Reading
		gone  string
	}{
		{"every switch on", loft(t, nil), []tester.Reading{lamps("R2", lit, lit, dark), bottom(lamps("R2", dark, dark, dark))}, act(tester.SwitchesOn), "wall switch off"},
		{"all GFCIs reset", loft(t, nil), dead, tester.Reading{Tool: tester.Act, Act: tester.AllGFCIs, Found: &tester.Found{Names: []string{}}}, "tripped GFCI elsewhere"},
		{"the one on the run reset", gfci, dead, tester.Reading{Tool: tester.Act, Act: tester.Reset, At: "R1", Held: &yes}, "tripped GFCI"},
		{"the breaker off and on", loft(t, nil), dead, tester.Reading{Tool: tester.Act, Act: tester.ResetBreaker, Held: &no}, "breaker tripped"},
	} {
		t.Run(row.name, func(t *testing.T) {
			require.NoError(t, row.act.Check(row.c))
			before := diagnose(t, row.c, row.first)
			assert.Greater(t, named(before, row.gone), 0.01)
			after := diagnose(t, row.c, append(slices.Clone(row.first), row.act))
			assert.Zero(t, named(after, row.gone))
			for _, next := range after.Next {
				assert.False(
					t,
					next.Do == diagnosis.DoAct && next.Act == row.act.Act && next.At == row.act.At,
					"it is not proposed again",
				)
			}
		})
	}
}

// TestARepeatTellsNothingNew: the same tester on the same outlet errs the same
// way twice; what is read differently the second time stands in its place.
func TestARepeatTellsNothingNew(t *testing.T) {
	c := bindery(t)
	open := []circuit.Fault{{Kind: circuit.Open, At: "W3@B2.neutral"}}
	readings := taken(t, c, open, plug, "R1", "R2", "R3")
	once := diagnose(t, c, readings)
	again := diagnose(t, c, append(slices.Clone(readings), readings...))
	assert.Equal(t, once.Suspects, again.Suspects)

	wrong := lamps("R3", lit, lit, dark)
	corrected := append([]tester.Reading{wrong}, readings...)
	assert.Equal(t, once.Sites, diagnose(t, c, corrected).Sites, "the second reading of R3 stands")
	asked := func(r *diagnosis.Result, of tester.Reading) bool {
		return slices.ContainsFunc(r.Next, func(n diagnosis.Test) bool {
			return n.At == of.At && n.Half == of.Half && n.Tool == of.Tool && !n.Again
		})
	}
	for _, r := range readings {
		assert.False(t, asked(once, r), "%s was read there", r.At)
	}
}

// TestWhatAnActMayBringBack: the outlets that read dead last, at either half.
func TestWhatAnActMayBringBack(t *testing.T) {
	got := under(
		t,
		loft(t, nil),
		diagnosis.Conditions{Complaint: diagnosis.PartDead},
		lamps(
			"R1",
			dark,
			dark,
			dark,
		),
		lamps("R1", lit, lit, dark),
		lamps("R2", dark, dark, dark),
		bottom(lamps("R3", dark, dark, dark)),
	)
	i := slices.IndexFunc(got.Next, func(n diagnosis.Test) bool { return n.Act == tester.AllGFCIs })
	require.GreaterOrEqual(t, i, 0)
	assert.Equal(t, []string{"R2", "R3"}, got.Next[i].Dead)
}

// TestSkippedIsNotAskedAgain: what cannot be reached says nothing and is not
// proposed again.
func TestSkippedIsNotAskedAgain(t *testing.T) {
	c := bindery(t)
	readings := taken(t, c, []circuit.Fault{{Kind: circuit.Open, At: "W3@B2.hot"}}, plug, "R4")[:1]
	before := diagnose(t, c, readings)
	first := before.Next[0]
	skip := tester.Reading{Tool: first.Tool, At: first.At, Half: first.Half, Mode: first.Mode, Skipped: true}
	require.NoError(t, skip.Check(c))
	after := diagnose(t, c, append(slices.Clone(readings), skip))
	assert.Equal(t, before.Suspects, after.Suspects)
	for _, next := range after.Next {
		assert.False(t, next.At == first.At && next.Half == first.Half && next.Tool == first.Tool && next.Mode == first.Mode)
	}
}

// TestFoundIsCertain: once something was found, what else is wrong is looked for
// as if it stood alone, by what was read before and since.
func TestFoundIsCertain(t *testing.T) {
	c := bindery(t)
	first, second := circuit.Fault{
		Kind: circuit.Open,
		At:   "W3@B3.neutral",
	}, circuit.Fault{
		Kind: circuit.Open,
		At:   "W5@B2.hot",
	}
	both := []circuit.Fault{first, second}
	readings := taken(t, c, both, plug, "R2", "R3", "R5")
	found := append(readings, tester.Reading{Tool: tester.Eyes, Site: "B3", Found: &tester.Found{Faults: both[:1]}})
	got := diagnose(t, c, found)
	assert.True(t, got.Settled)
	assert.Equal(t, diagnosis.DoFix, got.Next[0].Do)
	assert.Equal(t, []circuit.Fault{first}, got.Next[0].Faults)
	after := diagnose(t, c, append(found, tester.Reading{Tool: tester.Fixed, Faults: both[:1]}))
	assert.Equal(t, "open hot", after.Suspects[0].Name)
	assert.Contains(t, []string{"B2", "B5"}, after.Suspects[0].Site)
	assert.Greater(t, named(after, "open hot"), 0.7)
}

// TestLooseJointsOfAnyResistance: whatever the ohms, a load tester's reading
// finds the conductor, names the ohms within a fifth, and says the heat.
func TestLooseJointsOfAnyResistance(t *testing.T) {
	c := bindery(t)
	for _, ohms := range []float64{0.1, 0.2, 0.35, 0.5, 0.9, 1.7, 3, 6, 12, 25, 60, 120, 300} {
		loose := []circuit.Fault{{Kind: circuit.Resistive, At: "W3@B3.hot", Ohms: ohms}}
		readings := taken(t, c, loose, []tester.Tool{tester.Plug, tester.Analyzer}, "R2", "R3", "R4")
		got := diagnose(t, c, readings)
		first := got.Suspects[0]
		require.Equal(t, "loose hot", first.Name, "%g ohm", ohms)
		assert.Contains(t, []string{"B2", "B3"}, first.Site, "%g ohm", ohms)
		assert.InEpsilon(t, ohms, first.Ohms, 0.2, "%g ohm", ohms)
		assert.Zero(t, named(got, "nothing wrong"), "%g ohm", ohms)
		warm := slices.ContainsFunc(got.Hidden, func(d diagnosis.Danger) bool { return d.Name == diagnosis.WarmJoint })
		// By hand: 1,440 W is 10 ohm at 120 V, so I = 120 / (10 + R) and P = I^2 R.
		amps := 120 / (10 + ohms)
		assert.InDelta(t, amps*amps*first.Ohms, first.Heat, 0.2*amps*amps*ohms+0.5, "%g ohm", ohms)
		assert.Equal(t, first.Heat >= 5, warm, "%g ohm", ohms)
		assert.Equal(t, warm, first.Warm, "%g ohm", ohms)
	}
}

// TestNeverEmptyNeverForever: following what is proposed, answered as a circuit
// with one or two faults would, comes to an end, and there is always something.
func TestNeverEmptyNeverForever(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 15))
	for round := range 15 {
		c := draw.Circuit(r, draw.Options{Boxes: 2 + r.IntN(4), Plain: true})
		e := engine(t, c)
		readings := []tester.Reading{}
		ended := false
		for range 80 {
			got, err := e.Diagnose(readings)
			require.NoError(t, err)
			require.NotEmpty(t, got.Next, "round %d", round)
			sum := got.Sound + got.Unexplained
			for _, w := range got.Weights {
				sum += w.Probability
			}
			assert.InDelta(t, 1, sum, 0.05, "weights are one distribution (what is too little to show is cut off)")
			next := got.Next[0]
			if next.Do == diagnosis.DoDone {
				ended = true
				break
			}
			switch {
			case next.Do == diagnosis.DoAct:
				readings = append(readings, idle(next))
			case next.Do == diagnosis.DoReading && next.Between != nil:
				readings = append(readings, tester.Reading{Tool: next.Tool, Between: next.Between, Skipped: true})
			case next.Hint != "":
				readings = append(readings, tester.Reading{Tool: tester.Hint, Hint: next.Hint, Site: next.Site, Skipped: true})
			case next.Do == diagnosis.DoReading:
				got := taken(t, c, nil, []tester.Tool{next.Tool}, next.At)
				for _, reading := range got {
					if (reading.Half == next.Half || next.Tool == tester.DeviceButton) && reading.Mode == next.Mode {
						readings = append(readings, reading)
						break
					}
				}
			case next.Do == diagnosis.DoOpen:
				readings = append(readings, tester.Reading{Tool: tester.Eyes, Site: next.Site, Found: &tester.Found{}})
			default:
				require.Failf(t, "no danger and no find on a sound circuit", "%s", next.Say)
			}
		}
		assert.True(t, ended, "round %d: a sound circuit is handed over", round)
	}
}

// TestALegendReadWronglyIsWrongEverywhere: two lamps taken for each other at
// every outlet are one mistake, not many.
func TestALegendReadWronglyIsWrongEverywhere(t *testing.T) {
	c := bindery(t)
	var readings []tester.Reading
	for _, at := range []string{"R1", "R2", "R3", "R4", "R5"} {
		readings = append(
			readings,
			lamps(at, lit, dark, lit),
		) // what a sound outlet shows with the second and third exchanged
	}
	settings := diagnosis.Defaults()
	p := map[float64]float64{}
	for _, q := range []float64{1e-9, 0.05} {
		settings.Weights.LegendWrong.Value = q
		e, err := diagnosis.NewEngine(c, settings)
		require.NoError(t, err)
		got, err := e.Diagnose(readings)
		require.NoError(t, err)
		p[q] = named(got, "nothing wrong")
	}
	assert.Less(t, p[1e-9], 0.01)
	assert.Greater(t, p[0.05], p[1e-9])
	assert.False(t, math.IsNaN(p[0.05]))
}

// TestABoxNobodyDrew: where both ends of a cable were looked at and are sound, a
// box that nobody drew is looked for before a wall is opened; none found, it is
// little suspected; found, it is to be drawn in.
func TestABoxNobodyDrew(t *testing.T) {
	c := loft(t, nil)
	seen := func(site string) tester.Reading {
		return tester.Reading{Tool: tester.Eyes, Site: site, Found: &tester.Found{Faults: []circuit.Fault{}}}
	}
	look := func(found ...string) tester.Reading {
		return tester.Reading{
			Tool:  tester.Act,
			Act:   tester.FindBox,
			At:    "W2",
			Found: &tester.Found{Names: append([]string{}, found...)},
		}
	}
	finds := func(r *diagnosis.Result) int {
		return slices.IndexFunc(r.Next, func(n diagnosis.Test) bool { return n.Act == tester.FindBox && n.At == "W2" })
	}
	undrawn := func(r *diagnosis.Result) float64 {
		p := 0.0
		for _, s := range r.Suspects {
			for _, u := range s.Beside {
				if u.Kind == diagnosis.BoxUndrawn && u.At == "W2" {
					p += s.Probability
				}
			}
		}
		return p
	}
	for _, conductor := range []struct {
		name   string
		beyond tester.Reading
		extra  []tester.Reading
	}{
		{"neutral", lamps("R2", dark, lit, dark), []tester.Reading{lamps("R3", dark, lit, dark), bottom(lamps("R2", dark, lit, dark))}},
		{"ground", lamps("R2", lit, dark, dark), []tester.Reading{lamps("R3", lit, dark, dark), bottom(lamps("R2", lit, dark, dark)), volts("R1", 120, 120, 0)}},
	} {
		t.Run(conductor.name, func(t *testing.T) {
			readings := append([]tester.Reading{lamps("R1", lit, lit, dark), conductor.beyond}, conductor.extra...)
			readings = append(readings, seen("B1"), seen("B2"))
			before := diagnose(t, c, readings)
			opened := slices.IndexFunc(before.Next, func(n diagnosis.Test) bool { return n.Do == diagnosis.DoOpen })
			at := finds(before)
			require.GreaterOrEqual(t, at, 0)
			assert.True(t, opened < 0 || at < opened, "before another box is opened")
			assert.Contains(t, before.Next[at].Say, "nobody drew between Hall and Sofa")
			none := look()
			require.NoError(t, none.Check(c))
			after := diagnose(t, c, append(slices.Clone(readings), none))
			assert.Less(t, undrawn(after), undrawn(before))
			assert.Negative(t, finds(after), "not proposed again")
			found := diagnose(t, c, append(slices.Clone(readings), look("behind the enlarger")))
			assert.Greater(t, undrawn(found), undrawn(before))
			require.GreaterOrEqual(t, finds(found), 0)
			assert.Contains(t, found.Next[finds(found)].Say, "Draw what you found between Hall and Sofa")
			skipped := none
			skipped.Found, skipped.Skipped = nil, true
			require.NoError(t, skipped.Check(c))
			assert.Negative(t, finds(diagnose(t, c, append(slices.Clone(readings), skipped))), "nor where it was skipped")
		})
	}
}

// TestOhmsAlongTheDeadRun: with a shorting plug at the end of the dead run, ohms
// from outlet to outlet tell on which side of each a loose joint is.
func TestOhmsAlongTheDeadRun(t *testing.T) {
	c := bindery(t)
	off := false
	state := &tester.State{BreakerOn: &off, Joined: [][2]string{{"R5.top.hot", "R5.top.neutral"}}}
	shorted, err := state.On(c)
	require.NoError(t, err)
	bench, err := tester.NewBench(shorted)
	require.NoError(t, err)
	for _, at := range []string{"W3@B3.hot", "W4@B4.neutral"} {
		k, err := bench.Try([]circuit.Fault{{Kind: circuit.Resistive, At: at, Ohms: 0.8}})
		require.NoError(t, err)
		var readings []tester.Reading
		for _, v := range []string{"R1", "R2", "R3", "R4"} {
			r, err := k.ReadPoints(tester.Ohms, "", v+".top.hot", v+".top.neutral")
			require.NoError(t, err)
			r.Round()
			r.State = state
			require.NoError(t, r.Check(c))
			readings = append(readings, r)
		}
		got := diagnose(t, c, readings)
		cable, _, _ := strings.Cut(at, "@")
		box := c.Cable(cable)
		assert.Contains(t, got.Suspects[0].Name, "loose", at)
		assert.Contains(t, []string{box.From, box.To}, got.Suspects[0].Site, at)
		assert.InDelta(t, 0.8, got.Suspects[0].Ohms, 0.2, at)
	}
}
