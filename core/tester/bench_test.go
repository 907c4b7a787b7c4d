package tester_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/tester"
)

// threeOutlets is a 20 A run with a ground: B1 and B2 in line, B3 behind B2.
func threeOutlets(t testing.TB) *circuit.Circuit {
	c := circuit.New("three outlets")
	for _, after := range []string{circuit.Panel, "B1", "B2"} {
		require.NoError(t, c.AddStop(circuit.NewStop{After: after, Feet: 30, Ground: true}))
	}
	return c
}

// twoWire is the same run of old cable, with three-slot faces.
func twoWire(t testing.TB) *circuit.Circuit {
	c := threeOutlets(t)
	for i := range c.Cables {
		c.Cables[i].Conductors = []circuit.Conductor{circuit.Hot, circuit.Neutral}
	}
	return c
}

func withLoad(c *circuit.Circuit, at string) *circuit.Circuit {
	c.Loads = append(c.Loads, circuit.Load{ID: "L1", At: at, Half: circuit.Bottom, Watts: 100, On: true})
	return c
}

func condition(t testing.TB, c *circuit.Circuit, faults ...circuit.Fault) *tester.Condition {
	for _, f := range faults {
		require.NoError(t, c.CheckFault(f))
	}
	bench, err := tester.NewBench(c)
	require.NoError(t, err)
	k, err := bench.Try(faults)
	require.NoError(t, err)
	return k
}

func read(t testing.TB, k *tester.Condition, at string, tool tester.Tool, mode tester.Mode) tester.Reading {
	all, err := k.ReadAll(at, circuit.Top, []tester.Tool{tool})
	require.NoError(t, err)
	for _, r := range all {
		if r.Mode == mode {
			return r
		}
	}
	require.Fail(t, "no such reading")
	return tester.Reading{}
}

func lamps(hn, hg, ng tester.Lit) tester.Lamps {
	return tester.Lamps{HotNeutral: hn, HotGround: hg, NeutralGround: ng}
}

const lit, dark = tester.IsLit, tester.IsDark

func open(at string) circuit.Fault { return circuit.Fault{Kind: circuit.Open, At: at} }

func swapped(at string, pair circuit.Pair) circuit.Fault {
	return circuit.Fault{Kind: circuit.Swapped, At: at, Pair: pair}
}

func bootleg(at string) circuit.Fault {
	return circuit.Fault{Kind: circuit.Bonded, At: at, Pair: circuit.NeutralGround, Ohms: 0.02}
}

// TestLampPatterns is the plug tester at R2 on the three-outlet run: the six
// patterns every such tester's legend has, and what they hide (common
// practice, no source).
func TestLampPatterns(t *testing.T) {
	for _, row := range []struct {
		name    string
		circuit *circuit.Circuit
		faults  []circuit.Fault
		want    tester.Lamps
	}{
		{"correct", threeOutlets(t), nil, lamps(lit, lit, dark)},
		{"open ground", threeOutlets(t), []circuit.Fault{open("W2@B2.ground")}, lamps(lit, dark, dark)},
		{"open neutral", threeOutlets(t), []circuit.Fault{open("W2@B2.neutral")}, lamps(dark, lit, dark)},
		{"open hot", threeOutlets(t), []circuit.Fault{open("W2@B2.hot")}, lamps(dark, dark, dark)},
		{"hot and ground reversed", threeOutlets(t), []circuit.Fault{swapped("R2", circuit.HotGround)}, lamps(dark, lit, lit)},
		{"hot and neutral reversed", threeOutlets(t), []circuit.Fault{swapped("R2", circuit.HotNeutral)}, lamps(lit, dark, lit)},

		{"an open ground hides a reversal", twoWire(t), []circuit.Fault{swapped("R2", circuit.HotNeutral)}, lamps(lit, dark, dark)},
		{"an open neutral with a load on downstream looks like hot and ground reversed", withLoad(threeOutlets(t), "R3"), []circuit.Fault{open("W2@B1.neutral")}, lamps(dark, lit, lit)},
		{"the same with the load on this device", withLoad(threeOutlets(t), "R2"), []circuit.Fault{open("W2@B1.neutral")}, lamps(dark, lit, lit)},
		{"all three wires rotated looks like it too", threeOutlets(t), []circuit.Fault{swapped("R2", circuit.HotGround), swapped("R2", circuit.HotNeutral)}, lamps(dark, lit, lit)},
		{"a bootleg ground shows correct", twoWire(t), []circuit.Fault{bootleg("R2")}, lamps(lit, lit, dark)},
		{"so does a reverse bootleg", twoWire(t), []circuit.Fault{swapped("R2", circuit.HotNeutral), bootleg("R2")}, lamps(lit, lit, dark)},
		{"neutral and ground exchanged shows correct", threeOutlets(t), []circuit.Fault{swapped("R2", circuit.NeutralGround)}, lamps(lit, lit, dark)},
		{"a loose connection shows correct", threeOutlets(t), []circuit.Fault{{Kind: circuit.Resistive, At: "W2@B2.hot", Ohms: 20}}, lamps(lit, lit, dark)},
		{"breaker off", threeOutlets(t), []circuit.Fault{{Kind: circuit.BreakerAt, At: circuit.Panel, State: "off"}}, lamps(dark, dark, dark)},
		{"the hot moved to the neutral's terminal beside it trips the breaker", threeOutlets(t), []circuit.Fault{{Kind: circuit.Moved, At: "W2@B2.hot", To: "R2.neutral.1"}}, lamps(dark, dark, dark)},
	} {
		t.Run(row.name, func(t *testing.T) {
			got := read(t, condition(t, row.circuit, row.faults...), "R2", tester.Plug, "")
			assert.Equal(t, row.want, *got.Lamps)
		})
	}
}

func TestReverseBootlegBySensorAndLongLead(t *testing.T) {
	k := condition(t, twoWire(t), swapped("R2", circuit.HotNeutral), bootleg("R2"))
	sensor := read(t, k, "R2", tester.Sensor, "")
	assert.Equal(
		t,
		tester.Slots{Hot: tester.Strong, Neutral: tester.Strong, Ground: tester.Strong},
		*sensor.Slots,
		"a live yoke sets it off at every slot",
	)
	meter := read(t, k, "R2", tester.Meter, tester.HighZ)
	assert.InDelta(t, 120, *meter.Volts.GroundEarth, 1, "the metal of what is plugged in stands at line voltage")
	assert.InDelta(t, 120, *meter.Volts.HotGround, 1, "while the slots look right")
	o, _ := bench(t, twoWire(t)).Outlet("R2", circuit.Top)
	assert.True(t, k.LiveYoke(o))
}

func bench(t testing.TB, c *circuit.Circuit) *tester.Bench {
	b, err := tester.NewBench(c)
	require.NoError(t, err)
	return b
}

func TestGhostVoltage(t *testing.T) {
	// A conductor that goes nowhere beside a live one: a high-impedance meter
	// shows tens of volts, a low-impedance one nearly none (common practice,
	// no source).
	k := condition(t, threeOutlets(t), open("W1@panel.ground"), open("W2@B1.neutral"))
	for _, name := range []struct {
		words string
		at    func(*tester.Volts) *float64
	}{
		{"floating ground to the known ground", func(v *tester.Volts) *float64 { return v.GroundEarth }},
		{"hot to the floating neutral", func(v *tester.Volts) *float64 { return v.HotNeutral }},
	} {
		high := name.at(read(t, k, "R3", tester.Meter, tester.HighZ).Volts)
		low := name.at(read(t, k, "R3", tester.Meter, tester.LowZ).Volts)
		assert.Greater(t, *high, 10.0, name.words)
		assert.Less(t, *high, 110.0, name.words)
		assert.Less(t, *low, 2.0, name.words)
	}
}

func TestTestLamp(t *testing.T) {
	for _, row := range []struct {
		name   string
		faults []circuit.Fault
		want   tester.Glow
	}{
		{"sound", nil, tester.Bright},
		{"open neutral: no ghost lights a lamp", []circuit.Fault{open("W2@B2.neutral")}, tester.Off},
		{"loose: dim under its own load", []circuit.Fault{{Kind: circuit.Resistive, At: "W2@B2.hot", Ohms: 200}}, tester.Dim},
	} {
		assert.Equal(t, row.want, read(t, condition(t, threeOutlets(t), row.faults...), "R2", tester.Lamp, "").Glow, row.name)
	}
}

// TestLoadedDropByHand: a 1,200 W heater at the end of 90 ft of 12 AWG. Two
// conductors of 90 ft at 25 C are 2 x 90 x 1.588 x 1.01965 / 1000 = 0.2915 ohm
// (10.371 / 6530 cmil per foot, ASTM B258); the heater is 12 ohm. Terminations,
// breaker and source add some 0.06 ohm, which the bound allows for.
func TestLoadedDropByHand(t *testing.T) {
	c := threeOutlets(t)
	c.Loads = []circuit.Load{{ID: "L1", At: "R3", Half: circuit.Bottom, Watts: 1200, On: true}}
	got := read(t, condition(t, c), "R3", tester.Meter, tester.HighZ)
	byHand := 120 * 12 / (12 + 0.2915 + 0.06)
	assert.InDelta(t, byHand, *got.Volts.HotNeutral, 0.2)
	assert.InDelta(t, 10*0.2915/2, *got.Volts.NeutralGround, 0.3, "half the drop, between neutral and the idle ground")
}

func TestTwoSlotDevices(t *testing.T) {
	c := twoWire(t)
	c.Boxes[1].Devices[0].Slots = 2
	k := condition(t, c)
	all, err := k.ReadAll("", "", []tester.Tool{tester.Plug})
	require.NoError(t, err)
	assert.Len(t, all, 4, "no plug tester goes into R2")
	_, err = k.ReadAll("R2", "", []tester.Tool{tester.Plug})
	assert.ErrorContains(t, err, "R2: a plug tester does not go into a two-slot device")
	meter := read(t, k, "R2", tester.Meter, tester.HighZ)
	assert.Nil(t, meter.Volts.HotGround)
	assert.NotNil(t, meter.Volts.HotEarth)
	assert.Empty(t, read(t, k, "R2", tester.Sensor, "").Slots.Ground)
}

func TestDeltas(t *testing.T) {
	v := func(x float64) *float64 { return &x }
	for _, row := range []struct {
		name    string
		reading tester.Reading
		want    tester.Delta
	}{
		{"lamps", tester.Reading{Tool: tester.Plug, Lamps: &tester.Lamps{HotNeutral: lit, NeutralGround: dark}},
			tester.Delta{HotNeutral: tester.SideLine, NeutralGround: tester.SideNone}},
		{"a ghost, nothing and over-voltage", tester.Reading{Tool: tester.Meter, Volts: &tester.Volts{HotNeutral: v(142), HotGround: v(61), NeutralGround: v(0.4)}},
			tester.Delta{HotNeutral: tester.SideOver, HotGround: tester.SideGhost, NeutralGround: tester.SideNone}},
		{"live corner by long lead", tester.Reading{Tool: tester.Meter, Volts: &tester.Volts{HotEarth: v(119), GroundEarth: v(118)}},
			tester.Delta{Live: []string{"hot", "ground"}}},
		{"sensor", tester.Reading{Tool: tester.Sensor, Slots: &tester.Slots{Hot: tester.Strong, Neutral: tester.Faint}}, tester.Delta{Live: []string{"hot"}}},
		{"load tester", tester.Reading{Tool: tester.Analyzer, Wiring: tester.WiringHotNeutralReversed},
			tester.Delta{HotNeutral: tester.SideLine, HotGround: tester.SideNone, NeutralGround: tester.SideLine}},
		{"a button draws nothing", tester.Reading{Tool: tester.PlugButton, Tripped: []string{"G1"}}, tester.Delta{}},
		{"dim lamp", tester.Reading{Tool: tester.Lamp, Glow: tester.Dim}, tester.Delta{HotNeutral: tester.SideGhost}},
	} {
		got := row.reading.Delta(tester.Default)
		got.Volts = nil
		assert.Equal(t, row.want, got, row.name)
	}
}

func TestMergedDelta(t *testing.T) {
	older := tester.Delta{HotNeutral: tester.SideLine, HotGround: tester.SideNone, Live: []string{"hot"}}
	got := older.Merge(tester.Delta{HotGround: tester.SideLine})
	assert.Equal(t, tester.Delta{HotNeutral: tester.SideLine, HotGround: tester.SideLine, Live: []string{"hot"}}, got)
}

// TestGroundPin: which readings raise or exclude a live ground pin.
func TestGroundPin(t *testing.T) {
	v := func(x float64) *float64 { return &x }
	for _, row := range []struct {
		name    string
		reading tester.Reading
		want    tester.GroundPin
	}{
		{"lamps correct say nothing of it", tester.Reading{Tool: tester.Plug, Lamps: &tester.Lamps{HotNeutral: lit, HotGround: lit, NeutralGround: dark}}, tester.PinNotShown},
		{"neutral to ground lit", tester.Reading{Tool: tester.Plug, Lamps: &tester.Lamps{HotNeutral: dark, HotGround: lit, NeutralGround: lit}}, tester.PinMayBeLive},
		{"meter neutral to ground 119", tester.Reading{Tool: tester.Meter, Volts: &tester.Volts{NeutralGround: v(119)}}, tester.PinMayBeLive},
		{"long lead 119", tester.Reading{Tool: tester.Meter, Volts: &tester.Volts{GroundEarth: v(119)}}, tester.PinLive},
		{"long lead 0.2", tester.Reading{Tool: tester.Meter, Volts: &tester.Volts{GroundEarth: v(0.2), NeutralGround: v(119)}}, tester.PinDead},
		{"sensor strong at ground", tester.Reading{Tool: tester.Sensor, Slots: &tester.Slots{Ground: tester.Strong}}, tester.PinLive},
		{"sensor silent at ground", tester.Reading{Tool: tester.Sensor, Slots: &tester.Slots{Ground: tester.None}}, tester.PinDead},
		{"sensor strong at neutral", tester.Reading{Tool: tester.Sensor, Slots: &tester.Slots{Neutral: tester.Strong}}, tester.PinMayBeLive},
	} {
		assert.Equal(t, row.want, row.reading.GroundPin(tester.Default), row.name)
	}
}
