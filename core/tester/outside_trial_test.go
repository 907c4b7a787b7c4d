package tester_test

import (
	"bytes"
	"fmt"
	"math/cmplx"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/tester"
	"elvat/core/trial"
)

// fromNgspice shows what a tester shows, solved by ngspice on the deck that is
// written independently of the product.
func fromNgspice(t *testing.T) trial.Source {
	return func(c *circuit.Circuit, o circuit.Outlet, tool tester.Tool, mode tester.Mode, between *[2]string) (tester.Reading, error) {
		bare := &item{c: c}
		follow(t, []*item{bare})
		slot := func(wire string) string { return o.Device + "." + string(o.Half) + "." + wire }
		h, n, g := slot("hot"), slot("neutral"), slot("ground")
		var d deck
		on := func(probe ...contact) *again { return d.add(c, setting{tripped: bare.tripped, probe: probe}) }
		r := tester.Reading{At: o.Device, Half: o.Half, Tool: tool, Mode: mode}
		k := tester.Default
		switch tool {
		case tester.Plug:
			copyOf := on(contact{a: h, b: n, ohms: 100e3}, contact{a: h, b: g, ohms: 100e3}, contact{a: n, b: g, ohms: 100e3})
			at := [3]int{d.volts(copyOf, h, n), d.volts(copyOf, h, g), d.volts(copyOf, n, g)}
			v := d.solve(t)
			lit := func(i int) tester.Lit { return k.Lit(cmplx.Abs(v[at[i]])) }
			r.Lamps = &tester.Lamps{HotNeutral: lit(0), HotGround: lit(1), NeutralGround: lit(2)}
		case tester.Lamp:
			at := d.volts(on(contact{a: h, b: n, ohms: 240}), h, n)
			r.Glow = k.Glow(cmplx.Abs(d.solve(t)[at]))
		case tester.Sensor:
			copyOf := on()
			at := [4]int{d.volts(copyOf, h, "0"), d.volts(copyOf, n, "0"), d.volts(copyOf, o.Device+".ground", "0")}
			if o.HasGround {
				at[3] = d.volts(copyOf, g, "0")
			}
			v := d.solve(t)
			level := func(i int) tester.Level { return k.Level(max(cmplx.Abs(v[at[i]]), cmplx.Abs(v[at[2]]))) }
			r.Slots = &tester.Slots{Hot: level(0), Neutral: level(1)}
			if o.HasGround {
				r.Slots.Ground = level(3)
			}
		case tester.Meter:
			ohms := map[tester.Mode]float64{tester.HighZ: 10e6, tester.LowZ: 3e3}[mode]
			pairs := [6][2]string{{h, n}, {h, g}, {n, g}, {h, "panel.ground"}, {n, "panel.ground"}, {g, "panel.ground"}}
			at := map[int]int{}
			for i, p := range pairs {
				if o.HasGround || p[0] != g && p[1] != g {
					at[i] = d.volts(on(contact{a: p[0], b: p[1], ohms: ohms}), p[0], p[1])
				}
			}
			v := d.solve(t)
			r.Volts = &tester.Volts{}
			for i := range pairs {
				if place, asked := at[i]; asked {
					r.Volts.Set(i, cmplx.Abs(v[place]))
				}
			}
		case tester.Ohms:
			r = tester.Reading{Tool: tool, Between: between, Reads: &tester.Reads{}}
			copyOf := d.add(c, setting{tripped: bare.tripped, between: between, dc: true})
			at := d.volts(copyOf, between[0], between[1])
			r.Reads.Value = cmplx.Abs(d.solve(t)[at])
			if r.Reads.Value > 1e6 {
				*r.Reads = tester.Reads{Open: true}
			}
		default:
			return r, fmt.Errorf("%s: not read from ngspice", tool)
		}
		return r, nil
	}
}

// TestTrialAgainstNgspice: cases drawn without regard to the diagnosis' weights,
// their readings from ngspice: the faults are found, in fewer minutes than by
// the plain rule.
func TestTrialAgainstNgspice(t *testing.T) {
	const cases = 12
	var report trial.Report
	for seed := range uint64(cases) {
		k, err := trial.DrawApart(seed)
		require.NoError(t, err)
		got, err := k.SolveWith(seed, fromNgspice(t))
		require.NoError(t, err)
		own, err := k.Solve(seed)
		require.NoError(t, err)
		assert.InDelta(
			t,
			own.Minutes,
			got.Minutes,
			1e-6,
			"seed %d: the same readings lead the same way; faults %v",
			seed,
			k.Faults,
		)
		report.Add(got)
	}
	assert.Less(t, report.Minutes, report.Walk)
	assert.GreaterOrEqual(t, report.Minutes, report.Bound)
	assert.Zero(t, report.Unlisted, "a live yoke that was never listed")
	var out bytes.Buffer
	report.Write(&out)
	t.Logf("readings from ngspice\n%s", out.String())
}

// TestRoughTrialAgainstNgspice: of cases in which belief and truth differ, every
// tenth takes its readings from ngspice as far as it is put on slots (a button
// and a load tester are the product's own); all come to their end.
func TestRoughTrialAgainstNgspice(t *testing.T) {
	outside := fromNgspice(t)
	asked := 0
	source := func(c *circuit.Circuit, o circuit.Outlet, tool tester.Tool, mode tester.Mode, between *[2]string) (tester.Reading, error) {
		switch tool {
		case tester.PlugButton, tester.DeviceButton, tester.Analyzer:
			return trial.Simulated(c, o, tool, mode, between)
		}
		asked++
		got, err := outside(c, o, tool, mode, between)
		require.NoError(t, err)
		own, err := trial.Simulated(c, o, tool, mode, between)
		require.NoError(t, err)
		assert.Equal(t, own.Lamps, got.Lamps)
		assert.Equal(t, own.Slots, got.Slots)
		assert.Equal(t, own.Glow, got.Glow)
		return got, nil
	}
	r, err := trial.RunRough(20, 7, 2, source, func(int) {})
	require.NoError(t, err)
	assert.Greater(t, asked, 4)
	assert.GreaterOrEqual(t, r.Solved, r.Cases-1)
	assert.Less(t, r.Minutes, r.Walk)
	t.Logf("%d readings from ngspice", asked)
}
