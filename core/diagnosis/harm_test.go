package diagnosis_test

import (
	"math/rand/v2"
	"os"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/draw"
	"elvat/core/tester"
)

// TestProposedTestsHurtNobody draws circuits, what is wrong with them and what
// was read so far, and looks at every test that is proposed: it leaves at most
// half a milliampere to flow through a person at any metal the model knows
// (1,000 ohm to earth: common practice, no source), unless the call says the
// danger and the test says what not to touch.
func TestProposedTestsHurtNobody(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 14))
	states, silent := 0, 0
	enough := 1500
	if os.Getenv("ELVAT_DRAWN") != "" { // make drawn
		enough = 10000
	}
	for states < enough {
		c := draw.Circuit(r, draw.Options{Boxes: 2 + r.IntN(4), Plain: true})
		faults := draw.Faults(r, c, 1+r.IntN(2), circuit.Open, circuit.Swapped, circuit.Bonded, circuit.Resistive)
		bench, err := tester.NewBench(c)
		require.NoError(t, err)
		if _, err := bench.Try(faults); err != nil {
			continue
		}
		e, err := diagnosis.NewEngine(c, diagnosis.Defaults())
		require.NoError(t, err)
		var readings []tester.Reading
		for range 10 {
			got, err := e.Diagnose(readings)
			require.NoError(t, err)
			require.NotEmpty(t, got.Next)
			live := live(t, bench, faults)
			said := slices.ContainsFunc(
				got.Hidden,
				func(d diagnosis.Danger) bool { return d.Name == diagnosis.LiveGroundPin && slices.Contains(live, d.At) },
			)
			for _, test := range got.Next {
				if test.Do != diagnosis.DoReading || test.At == "" || test.Between != nil {
					continue
				}
				states++
				k, err := bench.Try(faults)
				require.NoError(t, err)
				o, ok := k.Outlet(test.At, test.Half)
				require.True(t, ok)
				_, amps := k.Foresee(o, test.Tool, test.Mode, len(test.Pairs) > 0)
				if len(live) > 0 { // live whether the tester is on or not: said, or not known to anybody yet
					assert.True(t, said || test.Tool == tester.Plug || test.Tool == tester.Lamp || test.Tool == tester.Meter || test.Tool == tester.Sensor,
						"%s with %v", test.Say, faults)
					continue
				}
				k, err = bench.Try(faults)
				require.NoError(t, err)
				_, without := k.Foresee(o, "", "", true)
				if amps <= max(0.0005, 1.1*without) {
					continue // nothing to feel, or it flows without the tester
				}
				silent++
				assert.NotEmpty(t, test.Caution, "%s puts %.2f mA on metal, with %v", test.Say, 1000*amps, faults)
				assert.False(
					t,
					amps > 0.01 && !c.GroundArrives(boxOf(c, test.At)) && !felt(readings, test.At),
					"%s puts %.0f mA on metal, and nothing was read there before, with %v",
					test.Say,
					1000*amps,
					faults,
				)
				assert.NotEqual(t, tester.PlugButton, test.Tool, "the button of a plug tester, with %v", faults)
				assert.NotEqual(t, tester.Analyzer, test.Tool, "a load tester's pulse, with %v", faults)
				assert.False(
					t,
					test.Tool == tester.Meter && test.Mode == tester.LowZ && len(test.Pairs) == 0,
					"low-z to an open ground, with %v",
					faults,
				)
			}
			next := got.Next[0]
			if next.Do != diagnosis.DoReading || next.At == "" || next.Between != nil {
				break
			}
			k, err := bench.Try(faults)
			require.NoError(t, err)
			o, _ := k.Outlet(next.At, next.Half)
			reading, err := k.Read(o, next.Tool, next.Mode)
			require.NoError(t, err)
			readings = append(readings, reading)
		}
	}
	t.Logf("%d tests looked at, %d of them put more than 0.5 mA on metal and said so", states, silent)
}

func boxOf(c *circuit.Circuit, device string) string {
	_, box := c.Device(device)
	return box.ID
}

func felt(readings []tester.Reading, device string) bool {
	return slices.ContainsFunc(readings, func(r tester.Reading) bool { return r.At == device })
}

// live lists the devices whose yoke is dangerous to touch as things are.
func live(t *testing.T, bench *tester.Bench, faults []circuit.Fault) []string {
	k, err := bench.Try(faults)
	require.NoError(t, err)
	var all []string
	for _, o := range bench.Outlets() {
		if o.Half == circuit.Top && k.LiveYoke(o) {
			all = append(all, o.Device)
		}
	}
	return all
}

// TestWhatItTripsIsSaid: a low-impedance reading behind a GFCI is asked from hot
// to neutral only, and a button's trip is announced.
func TestWhatItTripsIsSaid(t *testing.T) {
	yes := true
	c := loft(t, func(c *circuit.Circuit) { require.NoError(t, c.ChangeStop("B1", circuit.StopChange{GFCI: &yes})) })
	got := diagnose(t, c, []tester.Reading{lamps("R1", lit, lit, dark), lamps("R3", dark, lit, dark)})
	for _, test := range got.Next {
		if test.Mode == tester.LowZ {
			assert.Equal(t, []string{"hotNeutral"}, test.Pairs, test.Say)
			assert.Empty(t, test.Trips, test.Say)
		}
		if test.Tool == tester.DeviceButton {
			assert.Equal(t, []string{"R1"}, test.Trips, test.Say)
		}
	}
}
