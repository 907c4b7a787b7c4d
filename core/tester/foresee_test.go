package tester_test

import (
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/tester"
)

// TestForeseen: what a tester trips, and what it sends through somebody who
// touches metal, before it is put on. By hand: 3 kilohm from 120 V are 40 mA, 15
// kilohm 8 mA, two lamps of 100 kilohm over an open ground next to nothing.
func TestForeseen(t *testing.T) {
	behind := behindGFCI(t)
	for _, row := range []struct {
		name           string
		c              *circuit.Circuit
		faults         []circuit.Fault
		at             string
		tool           tester.Tool
		mode           tester.Mode
		justHotNeutral bool
		trips          []string
		atLeast, most  float64 // milliamperes through a person
	}{
		{"plug tester, all sound", threeOutlets(t), nil, "R2", tester.Plug, "", false, nil, 0, 0.1},
		{"low-z, ground sound", threeOutlets(t), nil, "R2", tester.Meter, tester.LowZ, false, nil, 0, 0.1},
		{"low-z to an open ground", threeOutlets(t), []circuit.Fault{open("R2.ground")}, "R2", tester.Meter, tester.LowZ, false, nil, 20, 45},
		{"the same, hot to neutral only", threeOutlets(t), []circuit.Fault{open("R2.ground")}, "R2", tester.Meter, tester.LowZ, true, nil, 0, 0.5},
		{"high-z to an open ground", threeOutlets(t), []circuit.Fault{open("R2.ground")}, "R2", tester.Meter, tester.HighZ, false, nil, 0, 0.5},
		{"the button on an open ground", threeOutlets(t), []circuit.Fault{open("R2.ground")}, "R2", tester.PlugButton, "", false, nil, 5, 9},
		{"sensor", threeOutlets(t), []circuit.Fault{open("R2.ground")}, "R2", tester.Sensor, "", false, nil, 0, 0.5},
		{"low-z behind a GFCI", behind, nil, "R2", tester.Meter, tester.LowZ, false, []string{"G1"}, 0, 0.1},
		{"low-z behind a GFCI, hot to neutral only", behind, nil, "R2", tester.Meter, tester.LowZ, true, nil, 0, 0.1},
		{"high-z behind a GFCI", behind, nil, "R2", tester.Meter, tester.HighZ, false, nil, 0, 0.1},
		{"plug tester behind a GFCI", behind, nil, "R2", tester.Plug, "", false, nil, 0, 0.1},
		{"test lamp behind a GFCI", behind, nil, "R2", tester.Lamp, "", false, nil, 0, 0.1},
		{"the button behind a GFCI", behind, nil, "R2", tester.PlugButton, "", false, []string{"G1"}, 0, 0.1},
		{"the button behind a GFCI that cannot trip", behind, []circuit.Fault{gfci("G1", "no-trip")}, "R2", tester.PlugButton, "", false, nil, 0, 0.1},
	} {
		t.Run(row.name, func(t *testing.T) {
			k := condition(t, row.c, row.faults...)
			o, ok := k.Outlet(row.at, circuit.Top)
			require.True(t, ok)
			trips, amps := k.Foresee(o, row.tool, row.mode, row.justHotNeutral)
			if row.trips == nil {
				assert.Empty(t, trips)
			} else {
				assert.Equal(t, row.trips, trips)
			}
			assert.GreaterOrEqual(t, 1000*amps, row.atLeast)
			assert.LessOrEqual(t, 1000*amps, row.most)
			before := read(t, condition(t, row.c, row.faults...), row.at, tester.Plug, "")
			assert.Equal(t, before, read(t, k, row.at, tester.Plug, ""), "what is foreseen is taken off again")
		})
	}
}

// TestOppositeLeg: of two poles, which halves hang on the second.
func TestOppositeLeg(t *testing.T) {
	two := condition(t, multiwire(t))
	for _, row := range []struct {
		half circuit.Half
		want bool
	}{{circuit.Top, false}, {circuit.Bottom, true}} {
		o, ok := two.Outlet("R1", row.half)
		require.True(t, ok)
		assert.Equal(t, row.want, two.OppositeLeg(o), row.half)
	}
	one := condition(t, threeOutlets(t))
	for _, device := range []string{"R1", "R2", "R3"} {
		o, ok := one.Outlet(device, circuit.Top)
		require.True(t, ok)
		assert.False(t, one.OppositeLeg(o), "one pole")
	}
}

// TestPowered: a GFCI has power to trip with where line hot and line neutral
// reach it, whatever else is wrong.
func TestPowered(t *testing.T) {
	for _, row := range []struct {
		faults []circuit.Fault
		want   bool
	}{
		{nil, true},
		{[]circuit.Fault{open("W1@panel.hot")}, false},
		{[]circuit.Fault{open("W1@panel.neutral")}, false},
		{[]circuit.Fault{open("W1@panel.ground")}, true},
		{[]circuit.Fault{open("W2@B2.hot")}, true},
		{[]circuit.Fault{gfci("G1", "tripped")}, true},
	} {
		assert.Equal(t, row.want, condition(t, behindGFCI(t), row.faults...).Powered("G1"), row.faults)
	}
	assert.True(t, condition(t, threeOutlets(t)).Powered("R1"), "what is no GFCI needs none")
}

// TestForkedBenchesAgree: several at once read what one after the other read.
func TestForkedBenchesAgree(t *testing.T) {
	b := bench(t, threeOutlets(t))
	faults := [][]circuit.Fault{
		nil,
		{open("W2@B2.neutral")},
		{open("R3.ground")},
		{swapped("R2", circuit.HotNeutral)},
		{open("W2@B1.hot"), open("W3@B3.neutral")},
	}
	want := make([][]tester.Reading, len(faults))
	all := func(b *tester.Bench, i int) []tester.Reading {
		k, err := b.Try(faults[i])
		if err != nil {
			return nil
		}
		var got []tester.Reading
		for _, device := range []string{"R1", "R2", "R3"} {
			readings, err := k.ReadAll(device, circuit.Top, tester.AtOutlets)
			if err != nil {
				return nil
			}
			got = append(got, readings...)
		}
		return got
	}
	for i := range faults {
		want[i] = all(b, i)
		require.NotEmpty(t, want[i])
	}
	var group sync.WaitGroup
	got := make([][]tester.Reading, 8*len(faults))
	for i := range got {
		group.Go(func() { got[i] = all(b.Fork(), i%len(faults)) })
	}
	group.Wait()
	for i := range got {
		assert.Equal(t, want[i%len(faults)], got[i])
	}
}

// TestLegendsExchanged: two lamps taken for each other, and all three.
func TestLegendsExchanged(t *testing.T) {
	shown := lamps(lit, dark, lit)
	for _, row := range []struct {
		by   [3]int
		want tester.Lamps
	}{
		{[3]int{0, 1, 2}, lamps(lit, dark, lit)},
		{[3]int{1, 0, 2}, lamps(dark, lit, lit)},
		{[3]int{2, 1, 0}, lamps(lit, dark, lit)},
		{[3]int{0, 2, 1}, lamps(lit, lit, dark)},
		{[3]int{1, 2, 0}, lamps(dark, lit, lit)},
	} {
		assert.Equal(t, row.want, *shown.Exchanged(row.by), row.by)
	}
}
