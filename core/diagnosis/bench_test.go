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

// loft is a run of three outlets in line: Hall, Sofa, Window.
func loft(t testing.TB, change func(*circuit.Circuit)) *circuit.Circuit {
	c := circuit.New("loft darkroom")
	for _, stop := range []circuit.NewStop{
		{After: circuit.Panel, Label: "Hall", Feet: 35, Ground: true}, {After: "B1", Label: "Sofa", Feet: 14, Ground: true}, {After: "B2", Label: "Window", Feet: 11, Ground: true},
	} {
		require.NoError(t, c.AddStop(stop))
	}
	if change != nil {
		change(c)
	}
	return c
}

func volts(at string, hn, hg, ng float64) tester.Reading {
	return tester.Reading{
		At:    at,
		Half:  circuit.Top,
		Tool:  tester.Meter,
		Mode:  tester.HighZ,
		Volts: &tester.Volts{HotNeutral: &hn, HotGround: &hg, NeutralGround: &ng},
	}
}

func bottom(r tester.Reading) tester.Reading {
	r.Half = circuit.Bottom
	return r
}

func act(name tester.ActName) tester.Reading { return tester.Reading{Tool: tester.Act, Act: name} }

func button(tool tester.Tool, at string, tripped ...string) tester.Reading {
	r := tester.Reading{At: at, Tool: tool, Tripped: append([]string{}, tripped...)}
	if tool == tester.PlugButton {
		r.Half = circuit.Top
	}
	return r
}

// TestBenchSituations: what the trade answers on the bench (trade facts, common
// practice, no source): the true cause first, and the right next act.
func TestBenchSituations(t *testing.T) {
	gfciAt := func(box string) func(*circuit.Circuit) {
		yes := true
		return func(c *circuit.Circuit) { require.NoError(t, c.ChangeStop(box, circuit.StopChange{GFCI: &yes})) }
	}
	ungrounded := func(c *circuit.Circuit) {
		for i := range c.Cables {
			c.Cables[i].Conductors = []circuit.Conductor{circuit.Hot, circuit.Neutral}
		}
	}
	metal := func(c *circuit.Circuit) {
		ungrounded(c)
		for i := range c.Boxes {
			c.Boxes[i].Material = circuit.Metal
		}
	}
	two := func(c *circuit.Circuit) {
		c.Breaker.Poles = 2
		for i := range c.Cables {
			c.Cables[i].Conductors = []circuit.Conductor{circuit.Hot, circuit.Hot2, circuit.Neutral, circuit.Ground}
		}
		sofa := c.Box("B2") // on the second leg
		sofa.Makeup = ""
		for _, k := range []string{"hot", "hot2", "neutral", "ground"} {
			sofa.Wiring = append(sofa.Wiring, [2]string{"W2@B2." + k, "splice:" + k}, [2]string{"W3@B2." + k, "splice:" + k})
		}
		sofa.Wiring = append(
			sofa.Wiring,
			[2]string{"splice:hot2", "R2.hot.1"},
			[2]string{"splice:neutral", "R2.neutral.1"},
			[2]string{"splice:ground", "R2.ground"},
		)
		require.NoError(t, c.Check())
	}
	half := 0.5
	okOhms, total := 0.1, 0.75
	for _, row := range []struct {
		name     string
		change   func(*circuit.Circuit)
		known    diagnosis.Conditions
		readings []tester.Reading
		tools    []tester.Tool
		suspect  string // of the first suspect: its name, or what goes with it
		next     string // do, and act, tool or site
		say      string // part of what is said first
	}{
		{name: "a lamp behind the sofa on an open neutral", readings: []tester.Reading{
			lamps("R1", lit, lit, dark), lamps("R2", dark, lit, lit), lamps("R3", dark, lit, lit),
		}, suspect: "open neutral", next: "act unplug-all", say: "unplug everything"},
		{name: "the same once all is unplugged", readings: []tester.Reading{
			lamps("R1", lit, lit, dark), lamps("R2", dark, lit, lit), lamps("R3", dark, lit, lit), act(tester.UnplugAll), lamps("R2", dark, lit, dark),
		}, suspect: "open neutral"},
		{name: "one half of a duplex dead, a switch off", known: diagnosis.Conditions{Complaint: diagnosis.HalfDead}, readings: []tester.Reading{
			lamps("R2", lit, lit, dark), bottom(lamps("R2", dark, dark, dark)),
		}, suspect: "wall switch off", next: "act switches-on", say: "every switch in the room"},
		{name: "two rooms dead, the GFCI in the bath", known: diagnosis.Conditions{Complaint: diagnosis.PartDead}, readings: []tester.Reading{
			lamps("R1", dark, dark, dark), lamps("R2", dark, dark, dark), lamps("R3", dark, dark, dark), {Tool: tester.Told, Asked: tester.CycleBreaker, Answer: tester.NothingChanged},
		}, suspect: "tripped GFCI elsewhere", next: "act reset-gfcis", say: "bathroom"},
		{name: "a tripped GFCI on the run is reset before a box is opened", change: gfciAt("B1"), readings: []tester.Reading{
			lamps("R1", dark, dark, dark), lamps("R2", dark, dark, dark),
		}, suspect: "tripped GFCI", next: "act reset", say: "Press reset"},
		{name: "lamps right in conduit", change: metal, readings: []tester.Reading{
			lamps("R1", lit, lit, dark), lamps("R2", lit, lit, dark), lamps("R3", lit, lit, dark),
		}, known: diagnosis.Conditions{Ground: diagnosis.GroundUnknown}, suspect: "grounded by conduit", next: "reading sensor"},
		{name: "lamps right at one old two-wire outlet", change: ungrounded, readings: []tester.Reading{
			lamps("R1", lit, dark, dark), lamps("R2", lit, lit, dark),
		}, suspect: "bootleg ground", next: "reading sensor", say: "Sofa"},
		{name: "the pin may be live: no plug tester, the sensor first", change: ungrounded, readings: []tester.Reading{
			lamps("R2", lit, dark, lit),
		}, next: "reading sensor", say: "Sofa"},
		{name: "reverse bootleg, the ground not known", change: ungrounded, known: diagnosis.Conditions{Ground: diagnosis.GroundUnknown}, readings: []tester.Reading{
			lamps("R2", lit, lit, dark),
			{At: "R2", Half: circuit.Top, Tool: tester.Sensor, Slots: &tester.Slots{Hot: tester.Strong, Neutral: tester.Strong, Ground: tester.Strong}},
		}, suspect: "reverse bootleg", next: "power-off"},
		{name: "half an ohm in a hot", tools: tester.AtOutlets, readings: []tester.Reading{
			lamps("R3", lit, lit, dark),
			{At: "R3", Half: circuit.Top, Tool: tester.Analyzer, Wiring: tester.WiringCorrect, Ohms: &tester.AnalyzedOhms{Hot: sumOf(okOhms, half), Neutral: &okOhms, Ground: &okOhms, HotNeutral: &total}},
		}, suspect: "loose hot"},
		{name: "150 V", readings: []tester.Reading{volts("R1", 150, 150, 0.2)}, suspect: "supply high", next: "power-off", say: "Main off"},
		{name: "217 and 22 V", change: two, readings: []tester.Reading{volts("R1", 217, 120, 97), volts("R2", 22, 120, 98)}, suspect: "open neutral", next: "power-off", say: "Both breakers off"},
		{name: "92 V at every outlet", readings: []tester.Reading{volts("R1", 92, 92, 0.1), volts("R3", 92, 92, 0.1)}, suspect: "supply low"},
		// The tester's leak comes back by the neutral: what looks like a ground there is one.
		{name: "own button trips, the tester's does not, ground present", change: gfciAt("B1"), readings: []tester.Reading{
			lamps("R1", lit, lit, dark), button(tester.DeviceButton, "R1", "R1"), lamps("R2", lit, lit, dark), button(tester.PlugButton, "R2"),
		}, suspect: "neutral and ground exchanged"},
		{name: "own button trips, the tester's does not, no ground", change: func(c *circuit.Circuit) { gfciAt("B1")(c); ungrounded(c) }, readings: []tester.Reading{
			lamps("R1", lit, dark, dark), button(tester.DeviceButton, "R1", "R1"), button(tester.PlugButton, "R1"),
		}, suspect: "nothing wrong"},
		{name: "a GFCI whose own button does not trip it", change: gfciAt("B1"), readings: []tester.Reading{
			lamps("R1", lit, lit, dark), button(tester.DeviceButton, "R1"),
		}, suspect: "GFCI that cannot trip"},
		{name: "found is put right", readings: []tester.Reading{
			lamps("R2", dark, lit, dark), {Tool: tester.Eyes, Site: "B2", Found: &tester.Found{Faults: []circuit.Fault{{Kind: circuit.Open, At: "W2@B2.neutral"}}}},
		}, suspect: "open neutral", next: "fix B2", say: "Put right"},
	} {
		t.Run(row.name, func(t *testing.T) {
			c := loft(t, row.change)
			settings := diagnosis.Defaults()
			settings.Conditions = row.known
			if row.tools != nil {
				settings.Tools = row.tools
			}
			e, err := diagnosis.NewEngine(c, settings)
			require.NoError(t, err)
			for i := range row.readings {
				require.NoError(t, row.readings[i].Check(c))
			}
			got, err := e.Diagnose(row.readings)
			require.NoError(t, err)
			require.NotEmpty(t, got.Suspects)
			require.NotEmpty(t, got.Next)
			first, next := got.Suspects[0], got.Next[0]
			says := strings.Join(
				slices.DeleteFunc(
					[]string{next.Do, string(next.Act), string(next.Tool), next.Site},
					func(s string) bool { return s == "" },
				),
				" ",
			)
			t.Logf("%s (%.2f); %s: %s", first.Name+" "+first.Place, first.Probability, says, next.Say)
			for _, s := range got.Suspects[:min(4, len(got.Suspects))] {
				t.Logf("    %.3f %s %s", s.Probability, s.Name, s.Place)
			}
			if row.suspect != "" {
				assert.Equal(t, row.suspect, first.Name)
			}
			assert.True(t, strings.HasPrefix(says, row.next), says)
			assert.Contains(t, next.Say, row.say)
		})
	}
}

func sumOf(a, b float64) *float64 {
	v := a + b
	return &v
}
