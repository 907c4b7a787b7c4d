package diagnosis_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/safety"
	"elvat/core/tester"
)

const guarded = `{"format":"elvat-circuit/1","name":"Aviary porch","breaker":{"label":"7","amps":20},
"cables":[{"id":"W1","from":"panel","to":"B1","awg":12,"feet":30,"conductors":["hot","neutral","ground"]},
{"id":"W2","from":"B1","to":"B2","awg":12,"feet":15,"conductors":["hot","neutral","ground"]},
{"id":"W3","from":"B2","to":"B3","awg":12,"feet":15,"conductors":["hot","neutral","ground"]}],
"boxes":[{"id":"B1","label":"Seed bin","material":"metal","makeup":"feed-through","devices":[{"id":"G1","kind":"gfci","amps":20}]},
{"id":"B2","label":"Perch","material":"plastic","makeup":"feed-through","devices":[{"id":"R2","kind":"receptacle","amps":15}]},
{"id":"B3","label":"Heat lamp","material":"plastic","makeup":"feed-through","devices":[{"id":"R3","kind":"receptacle","amps":15}]}]}`

// lamps is a plug tester's reading of one half, by the letters of its three lamps: l lit, d dark.
func lampsAt(device, pattern string) tester.Reading {
	lit := map[byte]tester.Lit{'l': tester.IsLit, 'd': tester.IsDark}
	return tester.Reading{At: device, Half: circuit.Top, Tool: tester.Plug, Lamps: &tester.Lamps{
		HotNeutral: lit[pattern[0]], HotGround: lit[pattern[1]], NeutralGround: lit[pattern[2]],
	}}
}

// TestNothingHurts: situations in which advice has been wrong, each with what must be proposed and
// what must not. Trade facts: common practice, no source; NEC 110.12(B) (from memory).
func TestNothingHurts(t *testing.T) {
	dead := []tester.Reading{lampsAt("R2", "ddd"), lampsAt("R3", "ddd")}
	warm := func(box string) diagnosis.Conditions {
		return diagnosis.Conditions{Boxes: map[string][]diagnosis.Condition{box: {diagnosis.Warm}}}
	}
	loads := func(n diagnosis.Test) bool { return n.Do == diagnosis.DoReading && safety.Loads(n.Tool, n.Mode) }
	resets := func(n diagnosis.Test) bool {
		return n.Act == tester.Reset || n.Act == tester.AllGFCIs || n.Act == tester.ResetBreaker || n.Asked != ""
	}
	for _, row := range []struct {
		name     string
		place    diagnosis.Conditions
		readings []tester.Reading
		first    func(diagnosis.Test) bool // nil: whatever
		never    func(diagnosis.Test) bool
	}{
		{
			"scorching told at a dead outlet behind a GFCI",
			diagnosis.Conditions{Hazards: []safety.Hazard{{Signs: []safety.Sign{safety.Scorch}, Place: "B2", By: safety.Customer}}}, dead,
			func(n diagnosis.Test) bool { return n.Do == diagnosis.DoPowerOff }, func(n diagnosis.Test) bool {
				return resets(n) || n.Do == diagnosis.DoReading && n.Tool != tester.Ohms && n.Tool != tester.Hint
			},
		},
		{"all dead, one box warm", warm("B2"), dead, func(n diagnosis.Test) bool { return n.Do == diagnosis.DoPowerOff }, resets},
		{"a warm place, lamps right", warm("B2"), []tester.Reading{lampsAt("R2", "lld")}, nil, func(n diagnosis.Test) bool {
			return loads(n) && (n.At == "R2" || n.At == "R3") || n.Act == tester.Reset || n.Act == tester.ResetBreaker
		}},
		{"an old house, its ground unknown, lamps right", diagnosis.Conditions{Old: true, Ground: diagnosis.GroundUnknown}, []tester.Reading{lampsAt("R2", "lld")},
			func(n diagnosis.Test) bool { return n.Tool == tester.Sensor && n.At == "R2" }, func(n diagnosis.Test) bool { return n.Tool == tester.PlugButton }},
	} {
		c, err := circuit.Parse([]byte(guarded))
		require.NoError(t, err)
		settings := diagnosis.Defaults()
		settings.Conditions, settings.Tools = row.place, append(settings.Tools, tester.Analyzer)
		e, err := diagnosis.NewEngine(c, settings)
		require.NoError(t, err)
		r, err := e.Diagnose(row.readings)
		require.NoError(t, err)
		require.NotEmpty(t, r.Next, row.name)
		if row.first != nil {
			assert.True(t, row.first(r.Next[0]), "%s: first %s", row.name, r.Next[0].Say)
		}
		for _, n := range append(append(r.Next, r.Here...), r.BeforeOff...) {
			assert.False(t, row.never(n), "%s: %s", row.name, n.Say)
		}
	}
}

// TestWhatIsListed: dangers as they must be listed, or not.
func TestWhatIsListed(t *testing.T) {
	c, err := circuit.Parse([]byte(guarded))
	require.NoError(t, err)
	listed := func(place diagnosis.Conditions, readings ...tester.Reading) map[string]diagnosis.Danger {
		settings := diagnosis.Defaults()
		settings.Conditions = place
		e, err := diagnosis.NewEngine(c, settings)
		require.NoError(t, err)
		r, err := e.Diagnose(readings)
		require.NoError(t, err)
		all := map[string]diagnosis.Danger{}
		for _, d := range r.Hidden {
			all[d.Name+" "+d.At] = d
		}
		if r.Conflict != nil {
			all["conflict"] = diagnosis.Danger{Why: r.Conflict.Why}
		}
		return all
	}
	trip := tester.Reading{At: "R3", Half: circuit.Top, Tool: tester.PlugButton, Tripped: []string{"G1"}}
	button := tester.Reading{At: "G1", Tool: tester.DeviceButton, Tripped: []string{}}
	pressed := tester.Reading{At: "G1", Tool: tester.DeviceButton, Tripped: []string{"G1"}}
	d, ok := listed(diagnosis.Conditions{}, trip, button)["GFCI that cannot trip G1"]
	assert.True(t, ok && d.Shown, "its own button does nothing now, whatever a tester tripped before")
	_, ok = listed(diagnosis.Conditions{}, button, pressed)["GFCI that cannot trip G1"]
	assert.False(t, ok, "it trips now")

	volts := 120.0
	sound := tester.Reading{At: "R3", Half: circuit.Top, Tool: tester.Meter, Mode: tester.HighZ, Volts: &tester.Volts{HotNeutral: &volts}}
	for name := range listed(diagnosis.Conditions{}, lampsAt("R2", "lld"), sound) {
		assert.NotContains(t, name, diagnosis.WarmJoint, "no reading points to one")
	}

	metal := listed(diagnosis.Conditions{})["ungrounded metal G1"]
	assert.Equal(t, tester.Ohms, metal.Tool, "dead: a box that floats would carry a low impedance's current")
	assert.Contains(t, metal.Do, "Power off")

	sensor := tester.Reading{At: "R2", Half: circuit.Top, Tool: tester.Sensor, Slots: &tester.Slots{Hot: tester.Strong, Neutral: tester.Strong, Ground: tester.Strong}}
	live := listed(diagnosis.Conditions{Old: true, Ground: diagnosis.GroundUnknown}, lampsAt("R2", "lld"), sensor)
	assert.True(t, live["live ground pin R2"].Shown)
	assert.NotContains(t, live["conflict"].Why, "sensor", "the sensor is believed")
}
