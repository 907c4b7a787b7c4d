package diagnosis_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/tester"
	"elvat/core/words"
)

var (
	lit, dark = tester.IsLit, tester.IsDark
	no        = false
)

func lamps(at string, hn, hg, ng tester.Lit) tester.Reading {
	return tester.Reading{
		At:    at,
		Half:  circuit.Top,
		Tool:  tester.Plug,
		Lamps: &tester.Lamps{HotNeutral: hn, HotGround: hg, NeutralGround: ng},
	}
}

// twoWire is an old run without a ground, with three-slot faces.
func twoWire(t testing.TB) *circuit.Circuit {
	c := circuit.New("aviary")
	for _, after := range []string{circuit.Panel, "B1", "B2"} {
		require.NoError(t, c.AddStop(circuit.NewStop{After: after, Slots: 3}))
	}
	return c
}

// withLoad has a lamp plugged in at the end of the run.
func withLoad(t testing.TB) *circuit.Circuit {
	c := bindery(t)
	require.NoError(t, c.AddLoad("R4", circuit.Top, 60))
	return c
}

// TestWhatTestersHide: what each false or masked reading of a three-lamp tester
// hides is among the suspects, and the reading that shows it is named or
// proposed (common practice, no source).
func TestWhatTestersHide(t *testing.T) {
	reversal := func(at string) circuit.Fault {
		return circuit.Fault{Kind: circuit.Swapped, At: at, Pair: circuit.HotNeutral}
	}
	open := func(at string) circuit.Fault { return circuit.Fault{Kind: circuit.Open, At: at} }
	bootleg := func(at string) circuit.Fault {
		return circuit.Fault{Kind: circuit.Bonded, At: at, Pair: circuit.NeutralGround, Ohms: 0.02}
	}
	for _, row := range []struct {
		name    string
		circuit *circuit.Circuit
		truth   []circuit.Fault
		at      string
		shows   [3]tester.Lit
		hidden  string // a danger that must be listed there
		then    []tester.Tool
		suspect string // named first once those are read
	}{
		{"an open ground hides a reversal", bindery(t), []circuit.Fault{open("W4@B4.ground"), reversal("R4")}, "R4", [3]tester.Lit{lit, dark, dark},
			diagnosis.ReversedUnderneath, []tester.Tool{tester.Sensor}, "reversed polarity"},
		{"an open neutral with a load on downstream looks like hot and ground reversed", withLoad(t), []circuit.Fault{open("W4@B3.neutral")}, "R4", [3]tester.Lit{dark, lit, lit},
			diagnosis.LiveGroundPin, []tester.Tool{tester.Sensor, tester.Meter}, "open neutral"},
		{"a bootleg ground shows correct", twoWire(t), []circuit.Fault{bootleg("R3")}, "R3", [3]tester.Lit{lit, lit, dark},
			diagnosis.LiveGroundPin, []tester.Tool{tester.Sensor}, "bootleg ground"},
		{"so does a reverse bootleg, and its metal is live", twoWire(t), []circuit.Fault{reversal("R3"), bootleg("R3")}, "R3", [3]tester.Lit{lit, lit, dark},
			diagnosis.LiveGroundPin, []tester.Tool{tester.Sensor}, "reverse bootleg"},
		{"neutral and ground exchanged shows correct", bindery(t), []circuit.Fault{{Kind: circuit.Swapped, At: "R4", Pair: circuit.NeutralGround}}, "R4", [3]tester.Lit{lit, lit, dark},
			"", []tester.Tool{tester.Analyzer, tester.Meter}, ""},
		{"a loose neutral shows correct", bindery(t), []circuit.Fault{{Kind: circuit.Resistive, At: "W4@B4.neutral", Ohms: 2}}, "R4", [3]tester.Lit{lit, lit, dark},
			"", []tester.Tool{tester.Analyzer}, "loose neutral"},
	} {
		t.Run(row.name, func(t *testing.T) {
			first := taken(t, row.circuit, row.truth, plug, row.at)[:1]
			assert.Equal(t, lamps(row.at, row.shows[0], row.shows[1], row.shows[2]).Lamps, first[0].Lamps, "what the lamps show")
			got := diagnose(t, row.circuit, first)
			if row.hidden != "" {
				listed := false
				for _, d := range got.Hidden {
					assert.Equal(t, d.Why+d.Do, words.English.Render(d.SaidWhy)+words.English.Render(d.SaidDo))
					assert.NotRegexp(t, `danger\.|%!`, d.Why+d.Do+words.Spanish.Render(d.SaidWhy)+words.Spanish.Render(d.SaidDo))
					if d.Name == row.hidden && d.At == row.at {
						listed = true
						assert.NotEmpty(t, d.Do)
						assert.Equal(t, tester.Sensor, d.Tool, "the sensor excludes it")
					}
				}
				assert.True(t, listed, "%v", got.Hidden)
			}
			if row.then == nil {
				return
			}
			more := append(
				taken(t, row.circuit, row.truth, plug, row.at, "R2"),
				taken(t, row.circuit, row.truth, row.then, row.at)...)
			told := diagnose(t, row.circuit, more)
			among := false
			for _, s := range told.Suspects {
				among = among || strings.Contains(s.Name, row.suspect) || holds(s, row.truth)
			}
			assert.True(t, among, "%s among %v", row.suspect, told.Suspects)
		})
	}
}

// TestTheButtonNeedsAGround: a GFCI that the plug tester's button does not trip
// where no ground arrives is no bad GFCI; its own button decides.
func TestTheButtonNeedsAGround(t *testing.T) {
	c := twoWire(t)
	gfci := true
	require.NoError(t, c.ChangeStop("B1", circuit.StopChange{GFCI: &gfci}))
	pressed := []tester.Reading{{At: "R3", Half: circuit.Top, Tool: tester.PlugButton, Tripped: []string{}}}
	before, after := diagnose(t, c, nil), diagnose(t, c, pressed)
	of := func(r *diagnosis.Result) float64 {
		for _, s := range r.Suspects {
			if s.Name == "GFCI that cannot trip" {
				return s.Probability
			}
		}
		return 0
	}
	assert.InDelta(t, of(before), of(after), 0.2*of(before)+0.01, "it proves nothing")
	trips := append(pressed, tester.Reading{At: "R1", Tool: tester.DeviceButton, Tripped: []string{"R1"}})
	for _, d := range diagnose(t, c, trips).Hidden {
		assert.NotEqual(t, diagnosis.CannotTrip, d.Name, "its own button excludes it")
	}
}

// TestDangers: each stands until the one reading that excludes it.
func TestDangers(t *testing.T) {
	gfci := bindery(t)
	yes := true
	require.NoError(t, gfci.ChangeStop("B2", circuit.StopChange{GFCI: &yes}))
	metal := bindery(t)
	metal.Box("B3").Material, metal.Box("B3").Bonded = circuit.Metal, true
	shared := bindery(t)
	shared.Breaker.Poles = 2
	shared.Cables[0].Conductors = []circuit.Conductor{circuit.Hot, circuit.Hot2, circuit.Neutral, circuit.Ground}
	none := 0.0
	for _, row := range []struct {
		name     string
		circuit  *circuit.Circuit
		readings []tester.Reading
		at       string
		excludes tester.Reading
	}{
		{diagnosis.CannotTrip, gfci, nil, "R2", tester.Reading{At: "R2", Tool: tester.DeviceButton, Tripped: []string{"R2"}}},
		{diagnosis.LostNeutral, gfci, []tester.Reading{lamps("R2", dark, lit, dark)}, "R2", tester.Reading{At: "R2", Tool: tester.DeviceButton, Tripped: []string{"R2"}}},
		{diagnosis.ReversedUnderneath, bindery(t), []tester.Reading{lamps("R3", lit, dark, dark)}, "R3",
			tester.Reading{At: "R3", Half: circuit.Top, Tool: tester.Sensor, Slots: &tester.Slots{Hot: tester.Strong, Neutral: tester.None}}},
		{diagnosis.UngroundedMetal, metal, nil, "R3",
			tester.Reading{Tool: tester.Meter, Mode: tester.LowZ, Between: &[2]string{"R3.top.hot", "B3.box"}, Reads: &tester.Reads{Value: 119.8}}},
		{diagnosis.SharedNeutral, shared, nil, "R1",
			tester.Reading{Tool: tester.Clamp, Point: "W1@B1.neutral", Amps: &none, State: &tester.State{BreakerOn: &no}}},
	} {
		t.Run(row.name, func(t *testing.T) {
			require.NoError(t, row.circuit.Check())
			has := func(readings []tester.Reading) bool {
				for i := range readings {
					require.NoError(t, readings[i].Check(row.circuit))
				}
				for _, d := range diagnose(t, row.circuit, readings).Hidden {
					if d.Name == row.name && d.At == row.at {
						assert.NotEmpty(t, d.Why)
						assert.NotEmpty(t, d.Do)
						return true
					}
				}
				return false
			}
			assert.True(t, has(row.readings), "stands")
			assert.False(t, has(append(row.readings, row.excludes)), "excluded by the one reading")
		})
	}
}

// TestContradictions: readings that do not go together are said to, with the
// one most likely wrong; doubted, it no longer leads astray.
func TestContradictions(t *testing.T) {
	c := bindery(t)
	sound := taken(t, c, nil, []tester.Tool{tester.Plug, tester.Lamp}, "R1", "R2", "R3", "R4", "R5")
	assert.Nil(t, diagnose(t, c, sound).Conflict)
	wrong := append(sound, lamps("R1", lit, lit, dark), lamps("R1", dark, lit, dark))
	got := diagnose(t, c, wrong)
	require.NotNil(t, got.Conflict)
	assert.Equal(t, len(wrong)-1, got.Conflict.Reading)
	assert.Contains(t, got.Conflict.Why, "take it again")
	wrong[len(wrong)-1].Doubtful = true
	doubted := diagnose(t, c, wrong)
	assert.Equal(t, diagnose(t, c, sound).Suspects[0].Name, doubted.Suspects[0].Name)
	assert.Nil(t, doubted.Conflict)

	impossible := diagnose(t, c, []tester.Reading{lamps("R3", lit, lit, lit)}).Conflict
	require.NotNil(t, impossible, "three lamps lit on one leg")
	assert.Zero(t, impossible.Reading)
}

// TestWhy: each reading is held against a suspect, with what it predicts.
func TestWhy(t *testing.T) {
	c := bindery(t)
	fault := []circuit.Fault{{Kind: circuit.Open, At: "W3@B2.neutral"}}
	readings := taken(t, c, fault, plug, "R2", "R3")
	e := engine(t, c)
	right, err := e.Why(readings, fault, nil)
	require.NoError(t, err)
	require.Len(t, right, len(readings))
	for _, v := range right {
		assert.True(t, v.Fits, v.Words)
		assert.Equal(t, v.Seen, v.Predicted)
	}
	sound, err := e.Why(readings, nil, nil)
	require.NoError(t, err)
	last := sound[len(sound)-1]
	assert.False(t, last.Fits)
	assert.Negative(t, last.Bits)
	assert.Contains(t, last.Words, "against")
	assert.NotEqual(t, last.Seen, last.Predicted)
	undrawn, err := e.Why(readings, nil, []diagnosis.Unrecorded{{Kind: diagnosis.BoxUndrawn, At: "W3", State: "neutral"}})
	require.NoError(t, err)
	assert.True(t, undrawn[len(undrawn)-1].Fits, "what nobody recorded is held against them as itself")
	_, err = e.Why(readings, []circuit.Fault{{Kind: circuit.Open, At: "W9@B9.hot"}}, nil)
	assert.Error(t, err)
}

// TestOutcomes: of every test proposed each outcome is told, with what it would mean.
func TestOutcomes(t *testing.T) {
	c := bindery(t)
	got := diagnose(t, c, taken(t, c, []circuit.Fault{{Kind: circuit.Open, At: "W3@B2.hot"}}, plug, "R4")[:1])
	for _, next := range got.Next {
		require.NotEmpty(t, next.Outcomes, next.Say)
		sum := 0.0
		for _, o := range next.Outcomes {
			assert.NotEmpty(t, o.Words)
			assert.NotEmpty(t, o.Then)
			sum += o.Probability
		}
		assert.InDelta(t, 1, sum, 0.15, next.Say)
	}
	for _, t2 := range got.Here {
		assert.Equal(t, got.Next[0].At[1:], t2.At[1:], "a batch is taken where one stands")
	}
}

// TestAShortIsFoundByOhms: with the breaker tripped nothing is to be read live;
// an ohmmeter on dead outlets leads to the short.
func TestAShortIsFoundByOhms(t *testing.T) {
	c := bindery(t)
	short := []circuit.Fault{{Kind: circuit.Bonded, At: "R4", Pair: circuit.HotNeutral, Ohms: 0.02}}
	readings := append(
		taken(t, c, short, plug, "R1", "R4"),
		tester.Reading{Tool: tester.Told, Asked: tester.CycleBreaker, Answer: tester.WillNotHold},
	)
	got := diagnose(t, c, readings)
	ohms := false
	for _, next := range got.Next {
		ohms = ohms || next.Tool == tester.Ohms
	}
	require.True(t, ohms, "%v", got.Next)
	bench, err := tester.NewBench(c)
	require.NoError(t, err)
	k, err := bench.Try(short)
	require.NoError(t, err)
	for _, device := range []string{"R1", "R3", "R4", "R5"} {
		r, err := k.ReadPoints(tester.Ohms, "", device+".top.hot", device+".top.neutral")
		require.NoError(t, err)
		readings = append(readings, r)
	}
	assert.Equal(t, "B4", diagnose(t, c, readings).Sites[0].Site)
}

// TestSeparating: only for a qualified person, and only where something trips.
func TestSeparating(t *testing.T) {
	c := bindery(t)
	off := []circuit.Fault{{Kind: circuit.BreakerAt, At: circuit.Panel, State: "tripped"}}
	trips := append(
		taken(t, c, off, plug, "R1", "R4"),
		tester.Reading{Tool: tester.Told, Asked: tester.CycleBreaker, Answer: tester.WillNotHold},
	)
	for _, qualified := range []bool{false, true} {
		settings := diagnosis.Defaults()
		settings.Qualified = qualified
		settings.Tools = []tester.Tool{tester.Sensor} // nothing safer helps
		e, err := diagnosis.NewEngine(c, settings)
		require.NoError(t, err)
		got, err := e.Diagnose(append(trips, tester.Reading{Tool: tester.Eyes, Site: "B2", Found: &tester.Found{}}))
		require.NoError(t, err)
		separates := false
		for _, next := range got.Next {
			separates = separates || next.Do == diagnosis.DoSeparate && next.Separated != ""
		}
		assert.Equal(t, qualified, separates)
	}
}
