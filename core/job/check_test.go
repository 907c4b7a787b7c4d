package job

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/tester"
)

// TestChecks: predicted against measured, differences first; a difference keeps
// the call from being handed over.
func TestChecks(t *testing.T) {
	c := run(t, true) // a GFCI, and two receptacles on its load side
	checks, err := Checks(c, []string{"B1"}, nil, nil)
	require.NoError(t, err)
	tools := map[tester.Tool]int{}
	for _, k := range checks {
		tools[k.Tool]++
		assert.Equal(t, NotRead, k.Status)
		assert.NotEmpty(t, k.Why+k.Says)
	}
	assert.Equal(
		t,
		map[tester.Tool]int{tester.Plug: 6, tester.DeviceButton: 1, tester.PlugButton: 1},
		tools,
		"both halves of three devices, its own button, the last outlet behind it",
	)
	g := Journal{}.HandOver(checks, 0, 0)
	assert.False(t, g.Open)
	assert.Equal(t, []string{"8 readings not taken yet"}, g.Missing)

	var readings []tester.Reading
	for _, k := range checks {
		readings = append(readings, k.Predicted)
	}
	checks, err = Checks(c, []string{"B1"}, nil, readings)
	require.NoError(t, err)
	assert.True(t, Journal{}.HandOver(checks, 0, 0).Open, "%v", checks)

	wrong := readings[0]
	wrong.Lamps = &tester.Lamps{HotNeutral: tester.IsDark, HotGround: tester.IsLit, NeutralGround: tester.IsDark}
	checks, err = Checks(c, []string{"B1"}, nil, append(readings, wrong))
	require.NoError(t, err)
	assert.Equal(t, Differs, checks[0].Status, "differences stand first, and the later reading counts")
	assert.NotEmpty(t, checks[0].SaysSeen)
	g = Journal{}.HandOver(checks, 0, 0)
	assert.Equal(t, []string{"1 reading that differs from what is predicted"}, g.Missing)
	g = Journal{{Kind: Override, Gate: ToHandOver, Who: "A", Standing: "b", Reason: "c"}}.HandOver(checks, 0, 0)
	assert.True(t, g.Open)
	assert.NotEmpty(t, g.Missing)
	assert.Len(t, Journal{*g.By}.Overrides(), 1)
}

func with(r tester.Reading, change func(*tester.Reading)) tester.Reading {
	change(&r)
	return r
}

// TestWhatCounts: which readings stand for a check.
func TestWhatCounts(t *testing.T) {
	c := run(t, true)
	all, err := Checks(c, nil, nil, nil)
	require.NoError(t, err)
	at := func(checks []Check, device string, tool tester.Tool) Check {
		for _, k := range checks {
			if k.At == device && k.Tool == tool && k.Half != circuit.Bottom {
				return k
			}
		}
		return Check{}
	}
	plug := at(all, "R1", tester.Plug).Predicted
	button := at(all, "G1", tester.DeviceButton).Predicted
	offState := false
	for _, row := range []struct {
		name   string
		tool   tester.Tool
		device string
		r      tester.Reading
		want   Status
	}{
		{"as predicted", tester.Plug, "R1", plug, Agrees},
		{"doubtful", tester.Plug, "R1", with(plug, func(r *tester.Reading) { r.Doubtful = true }), NotRead},
		{"with the breaker off", tester.Plug, "R1", with(plug, func(r *tester.Reading) { r.State = &tester.State{BreakerOn: &offState} }), NotRead},
		{"while something is tripped", tester.Plug, "R1", with(plug, func(r *tester.Reading) { r.State = &tester.State{Tripped: []string{"G1"}} }), NotRead},
		{"the other half", tester.Plug, "R1", with(plug, func(r *tester.Reading) { r.Half = circuit.Bottom }), NotRead},
		{"it tripped something", tester.Plug, "R1", with(plug, func(r *tester.Reading) { r.Tripped = []string{"G1"} }), Differs},
		{"the button trips", tester.DeviceButton, "G1", button, Agrees},
		{"the button does nothing", tester.DeviceButton, "G1", with(button, func(r *tester.Reading) { r.Tripped = nil }), Differs},
		{"another one trips", tester.DeviceButton, "G1", with(button, func(r *tester.Reading) { r.Tripped = []string{"panel"} }), Differs},
	} {
		checks, err := Checks(c, nil, nil, []tester.Reading{row.r})
		require.NoError(t, err)
		assert.Equal(t, row.want, at(checks, row.device, row.tool).Status, row.name)
	}
}

// TestTheOddOnes: no plug tester goes into a two-slot face, so the meter does;
// and what must not go off is read while the GFCI is tripped.
func TestTheOddOnes(t *testing.T) {
	c := run(t, true)
	c.Boxes[0].Makeup = circuit.Pigtail // nothing on its load
	c.Boxes[1].Devices[0].Slots = 2
	require.NoError(t, c.Check())
	checks, err := Checks(c, nil, []Stays{{"R2", "G1"}}, nil)
	require.NoError(t, err)
	var meter, stays *Check
	for i := range checks {
		if checks[i].At == "R1" && checks[i].Tool == tester.Meter {
			meter = &checks[i]
		}
		if checks[i].Tool == tester.Lamp {
			stays = &checks[i]
		}
	}
	require.NotNil(t, meter)
	require.NotNil(t, stays)
	assert.Equal(t, tester.Bright, stays.Predicted.Glow, "spliced ahead, it stays on")
	r := meter.Predicted
	r.Volts = &tester.Volts{HotNeutral: v(117)}
	lamp := stays.Predicted
	lamp.State = &tester.State{Tripped: []string{"G1"}}
	checks, err = Checks(c, nil, []Stays{{"R2", "G1"}}, []tester.Reading{r, lamp})
	require.NoError(t, err)
	agreed := 0
	for _, k := range checks {
		if k.Status == Agrees {
			agreed++
		}
	}
	assert.Equal(t, 2, agreed, "one pair is enough where it is drawn as predicted")
	r.Volts = &tester.Volts{HotNeutral: v(61)}
	checks, err = Checks(c, nil, nil, []tester.Reading{r})
	require.NoError(t, err)
	assert.Equal(t, Differs, checks[0].Status)
}
