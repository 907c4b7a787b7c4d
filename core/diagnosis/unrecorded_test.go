package diagnosis_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/tester"
)

func under(t testing.TB, c *circuit.Circuit, known diagnosis.Conditions, readings ...tester.Reading) *diagnosis.Result {
	settings := diagnosis.Defaults()
	settings.Conditions = known
	e, err := diagnosis.NewEngine(c, settings)
	require.NoError(t, err)
	for i := range readings {
		require.NoError(t, readings[i].Check(c))
	}
	got, err := e.Diagnose(readings)
	require.NoError(t, err)
	return got
}

// TestComplaintsCount: what was said on the phone raises what it speaks of, and
// nothing has to be read for it (common practice, no source).
func TestComplaintsCount(t *testing.T) {
	yes := true
	gfci := func(c *circuit.Circuit) { require.NoError(t, c.ChangeStop("B1", circuit.StopChange{GFCI: &yes})) }
	dead := []tester.Reading{lamps("R1", dark, dark, dark), lamps("R2", dark, dark, dark)}
	half := []tester.Reading{lamps("R2", lit, lit, dark), bottom(lamps("R2", dark, dark, dark))}
	for _, row := range []struct {
		name     string
		change   func(*circuit.Circuit)
		known    diagnosis.Conditions
		readings []tester.Reading
		raised   string
	}{
		{"one half is dead", nil, diagnosis.Conditions{Complaint: diagnosis.HalfDead}, half, "wall switch off"},
		{"half of the room is dead", nil, diagnosis.Conditions{Complaint: diagnosis.PartDead}, dead, "tripped GFCI elsewhere"},
		{"a freezer went off unnoticed", nil, diagnosis.Conditions{Complaint: diagnosis.OffUnnoticed}, dead, "tripped GFCI elsewhere"},
		{"since the storm", gfci, diagnosis.Conditions{Since: diagnosis.SinceStorm}, dead, "dead GFCI"},
		{"since the painter", nil, diagnosis.Conditions{Since: diagnosis.SincePainter}, []tester.Reading{lamps("R1", lit, lit, dark), lamps("R2", lit, lit, dark), lamps("R3", lit, dark, lit)}, "reversed polarity"},
		{"old wiring, ground not known", nil, diagnosis.Conditions{Ground: diagnosis.GroundUnknown}, []tester.Reading{lamps("R1", lit, dark, dark)}, "no ground wire"},
	} {
		t.Run(row.name, func(t *testing.T) {
			c := loft(t, row.change)
			before, after := under(t, c, diagnosis.Conditions{}, row.readings...), under(t, c, row.known, row.readings...)
			matching := func(r *diagnosis.Result) (p float64) {
				for _, s := range r.Suspects {
					if strings.Contains(s.Name, row.raised) {
						p += s.Probability
					}
				}
				return p
			}
			for _, s := range after.Suspects[:min(3, len(after.Suspects))] {
				t.Logf("%.3f %s", s.Probability, s.Name)
			}
			assert.Greater(t, matching(after), matching(before), row.raised)
		})
	}
}

// TestGroundsByWhatIsKnown: where the ground is known nothing else is supposed of
// it, and where it is not, a right-looking outlet is no proof.
func TestGroundsByWhatIsKnown(t *testing.T) {
	ungrounded := loft(t, func(c *circuit.Circuit) {
		for i := range c.Cables {
			c.Cables[i].Conductors = []circuit.Conductor{circuit.Hot, circuit.Neutral}
		}
		for i := range c.Boxes {
			c.Boxes[i].Material = circuit.Metal
		}
	})
	right := []tester.Reading{lamps("R1", lit, lit, dark), lamps("R2", lit, lit, dark), lamps("R3", lit, lit, dark)}
	for _, row := range []struct {
		ground  diagnosis.Ground
		conduit bool // still a suspect
	}{
		{diagnosis.GroundAsDrawn, true}, {diagnosis.GroundUnknown, true}, {diagnosis.GroundNone, false},
	} {
		got := under(t, ungrounded, diagnosis.Conditions{Ground: row.ground}, right...)
		assert.Equal(t, row.conduit, named(got, "grounded by conduit") > 0, "%q", row.ground)
	}
	conduit := under(t, ungrounded, diagnosis.Conditions{Ground: diagnosis.GroundByConduit}, right...)
	none := under(t, ungrounded, diagnosis.Conditions{Ground: diagnosis.GroundNone}, right...)
	wired := under(t, loft(t, nil), diagnosis.Conditions{}, right...)
	assert.InDelta(t, wired.Sound, conduit.Sound, 0.1, "in conduit it looks as with a wire")
	assert.Less(t, none.Sound, 0.01, "with no ground something is faked")
	assert.Contains(t, none.Suspects[0].Name, "bootleg")
}

// TestOverVoltage: what is too much is a danger at once, and nothing live is
// proposed while it stands; what is merely high is not.
func TestOverVoltage(t *testing.T) {
	for _, row := range []struct {
		name   string
		read   []tester.Reading
		danger bool
	}{
		{"120 V", []tester.Reading{volts("R1", 120, 120, 0.1)}, false},
		{"126 V, the end of the usual range", []tester.Reading{volts("R1", 126, 126, 0.1)}, false},
		{"131 V", []tester.Reading{volts("R1", 131, 131, 0.1)}, false},
		{"134 V", []tester.Reading{volts("R1", 134, 134, 0.1)}, true},
		{"150 V at the second outlet", []tester.Reading{volts("R1", 119, 119, 0.1), volts("R2", 150, 150, 0.2)}, true},
		{"208 V", []tester.Reading{volts("R3", 208, 208, 0.2)}, true},
		{"150 V between hot and ground only", []tester.Reading{volts("R1", 120, 150, 30)}, false},
	} {
		t.Run(row.name, func(t *testing.T) {
			got := under(t, loft(t, nil), diagnosis.Conditions{}, row.read...)
			i := slices.IndexFunc(got.Hidden, func(d diagnosis.Danger) bool { return d.Name == diagnosis.OverVoltage })
			assert.Equal(t, row.danger, i >= 0)
			require.NotEmpty(t, got.Next)
			if !row.danger {
				return
			}
			assert.True(t, got.Hidden[i].Urgent)
			assert.Contains(t, got.Hidden[i].Do, "utility")
			assert.Equal(t, diagnosis.DoPowerOff, got.Next[0].Do)
			for _, next := range got.Next {
				assert.NotEqual(t, diagnosis.DoReading, next.Do, "no live test: %s", next.Say)
			}
		})
	}
}

// TestNotSettledTooSoon: two faults are never settled on the word of one
// tool, nor an end of a cable that nothing told from the other.
func TestNotSettledTooSoon(t *testing.T) {
	c := bindery(t)
	both := []circuit.Fault{{Kind: circuit.Open, At: "W3@B3.neutral"}, {Kind: circuit.Open, At: "R1.ground"}}
	one := diagnose(t, c, taken(t, c, both, plug, "R1", "R2", "R3", "R4", "R5"))
	assert.False(t, one.Settled, "two faults by lamps alone")

	for _, at := range []string{"W3@B2.neutral", "W3@B3.neutral", "W3@B2.hot", "W3@B3.hot"} {
		open := []circuit.Fault{{Kind: circuit.Open, At: at}}
		got := diagnose(
			t,
			c,
			taken(t, c, open, []tester.Tool{tester.Plug, tester.Sensor, tester.Meter}, "R1", "R2", "R3", "R4", "R5"),
		)
		assert.False(t, got.Settled, "%s: either end", at)
		first := got.Suspects[0]
		assert.Contains(t, []string{"B2", "B3"}, first.Site, at)
		var cable float64
		for _, w := range got.Weights {
			if w.Site == "W3" || w.Site == "B2" || w.Site == "B3" {
				cable += w.Probability
			}
		}
		assert.Greater(t, cable, 0.85, "%s: the cable carries it", at)
	}

	// A supply off its nominal explains all of these, and is one cause.
	low := under(t, loft(t, nil), diagnosis.Conditions{}, volts("R1", 92, 92, 0.1), volts("R2", 91.8, 91.8, 0.1))
	assert.Contains(t, low.Suspects[0].Name, "supply")
	assert.False(t, low.Settled && low.Suspects[0].Site != circuit.Panel && low.Suspects[0].Site != diagnosis.Elsewhere)
}

// TestWeightsAreOneDistribution, whatever was read.
func TestWeightsAreOneDistribution(t *testing.T) {
	c := bindery(t)
	for _, faults := range [][]circuit.Fault{
		nil,
		{{Kind: circuit.Open, At: "W3@B3.neutral"}},
		{{Kind: circuit.Open, At: "W1@panel.hot"}},
		{{Kind: circuit.Swapped, At: "R4", Pair: circuit.HotNeutral}},
		{{Kind: circuit.Open, At: "W3@B2.hot"}, {Kind: circuit.Open, At: "R5.ground"}},
	} {
		var readings []tester.Reading
		for _, device := range []string{"R1", "R2", "R3", "R4", "R5"} {
			readings = append(readings, taken(t, c, faults, plug, device)...)
			got := diagnose(t, c, readings)
			sum := got.Sound + got.Unexplained
			seen := map[string]bool{}
			for _, w := range got.Weights {
				assert.Greater(t, w.Probability, 0.0)
				assert.False(t, seen[w.Site], "%s once", w.Site)
				seen[w.Site] = true
				sum += w.Probability
			}
			assert.InDelta(t, 1, sum, 0.05, "with %v after %s", faults, device)
		}
	}
}

// TestResetsBeforeScrewdrivers: where a trip would explain it, its reset comes
// before any cover, and after it held nothing of it is left to open.
func TestResetsBeforeScrewdrivers(t *testing.T) {
	yes, no := true, false
	c := loft(t, func(c *circuit.Circuit) { require.NoError(t, c.ChangeStop("B1", circuit.StopChange{GFCI: &yes})) })
	dead := []tester.Reading{lamps("R1", dark, dark, dark), lamps("R2", dark, dark, dark), lamps("R3", dark, dark, dark)}
	first := under(t, c, diagnosis.Conditions{}, dead...).Next[0]
	assert.Equal(t, diagnosis.DoAct, first.Do)
	assert.Less(t, first.Minutes, 3.0)
	assert.NotEmpty(t, first.Outcomes, "what each outcome would mean")

	refused := under(
		t,
		c,
		diagnosis.Conditions{},
		append(slices.Clone(dead), tester.Reading{Tool: tester.Act, Act: tester.Reset, At: "R1", Held: &no})...)
	assert.Zero(t, named(refused, "tripped GFCI"))
	held := under(
		t,
		c,
		diagnosis.Conditions{},
		append(slices.Clone(dead), tester.Reading{Tool: tester.Act, Act: tester.Reset, At: "R1", Held: &yes},
			lamps("R1", lit, lit, dark), lamps("R2", lit, lit, dark), lamps("R3", lit, lit, dark))...)
	assert.NotEqual(t, diagnosis.DoOpen, held.Next[0].Do, held.Next[0].Say)
}

// TestLivePlate: a sensor that answers at the closed plate of a dead outlet says
// that the hot arrives there; on metal it says less.
func TestLivePlate(t *testing.T) {
	readings := []tester.Reading{lamps("R1", lit, lit, dark), lamps("R2", dark, dark, dark), lamps("R3", dark, dark, dark)}
	yes, no := true, false
	share := func(metal bool, answer *bool) float64 {
		c := loft(t, func(c *circuit.Circuit) {
			if metal {
				c.Boxes[1].Material = circuit.Metal
			}
		})
		all := slices.Clone(readings)
		if answer != nil {
			all = append(all, tester.Reading{Tool: tester.Hint, Hint: tester.LivePlate, Site: "B2", Yes: answer})
		}
		p, whole := 0.0, 0.0
		for _, s := range under(t, c, diagnosis.Conditions{}, all...).Suspects {
			if s.Name == "open hot" && (s.Site == "B1" || s.Site == "B2") {
				whole += s.Probability
				if s.Site == "B2" {
					p += s.Probability
				}
			}
		}
		return p / whole
	}
	before := share(false, nil)
	assert.Greater(t, share(false, &yes), before+0.2, "it ends in the second box")
	assert.Less(t, share(false, &no), before-0.1)
	assert.Greater(t, share(true, &no), share(false, &no), "silence says less on metal")
}

// TestIsCause: what is plugged in, or that conduit is the ground, is no cause by itself.
func TestIsCause(t *testing.T) {
	for _, row := range []struct {
		s    diagnosis.Suspect
		want bool
	}{
		{diagnosis.Suspect{}, false},
		{diagnosis.Suspect{Faults: []circuit.Fault{{Kind: circuit.Open, At: "R1.hot.1"}}}, true},
		{diagnosis.Suspect{Beside: []diagnosis.Unrecorded{{Kind: diagnosis.UnrecordedLoad, At: "R1", Watts: 60}}}, false},
		{diagnosis.Suspect{Beside: []diagnosis.Unrecorded{{Kind: diagnosis.GroundKind, State: diagnosis.StateConduit}}}, false},
		{diagnosis.Suspect{Beside: []diagnosis.Unrecorded{{Kind: diagnosis.GroundKind, State: diagnosis.StateNone}}}, true},
		{diagnosis.Suspect{Beside: []diagnosis.Unrecorded{{Kind: diagnosis.UnrecordedLoad}, {Kind: diagnosis.Switched, At: "R1"}}}, true},
	} {
		assert.Equal(t, row.want, row.s.IsCause(), "%+v", row.s)
	}
}

// TestLights: a GFCI's light tells what its own sheet says of it, and nothing where
// nobody looked it up (trade.md: lights mean different things by device).
func TestLights(t *testing.T) {
	yes := true
	gfci := func(c *circuit.Circuit) { require.NoError(t, c.ChangeStop("B1", circuit.StopChange{GFCI: &yes})) }
	light := func(shows tester.Shows, means tester.Meaning) tester.Reading {
		r := tester.Reading{At: "R1", Tool: tester.Indicator, Light: &tester.Light{Shows: shows, Means: means, Kind: "white, one light"}}
		if shows != tester.LightOff {
			r.Light.Colour = "red"
		}
		return r
	}
	dead := []tester.Reading{lamps("R1", dark, dark, dark), lamps("R2", dark, dark, dark)}
	for _, row := range []struct {
		means  tester.Meaning
		shows  tester.Shows
		raised string
		odds   float64 // times
	}{
		{tester.MeansTripped, tester.LightOn, "tripped", 5},
		{tester.MeansFailed, tester.LightBlinking, "dead GFCI", 20},
		{tester.MeansNoPower, tester.LightOff, "", 0},
	} {
		c := loft(t, gfci)
		before, unsaid := under(t, c, diagnosis.Conditions{}, dead...), under(t, c, diagnosis.Conditions{}, append(slices.Clone(dead), light(row.shows, ""))...)
		after := under(t, c, diagnosis.Conditions{}, append(slices.Clone(dead), light(row.shows, row.means))...)
		of := func(r *diagnosis.Result, match func(s diagnosis.Suspect) bool) (p float64) {
			for _, s := range r.Suspects {
				if match(s) {
					p += s.Probability
				}
			}
			return p
		}
		named := func(s diagnosis.Suspect) bool { return strings.Contains(s.Name, row.raised) && s.Site == "B1" }
		if row.raised == "" { // ahead of the device
			named = func(s diagnosis.Suspect) bool { return strings.Contains(s.Name, "GFCI") && s.Site == "B1" }
			assert.Less(t, of(after, named), of(before, named)/4)
		} else {
			odds := func(p float64) float64 { return p / (1 - p) }
			assert.Greater(t, odds(of(after, named)), row.odds*odds(of(before, named)), row.raised)
		}
		assert.InDelta(t, of(before, named), of(unsaid, named), 1e-6, "what was not said tells nothing")
	}
}
