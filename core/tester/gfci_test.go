package tester_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/network"
	"elvat/core/tester"
)

// behindGFCI is a GFCI at B1 that feeds R2 and R3 through its load terminals.
func behindGFCI(t testing.TB, change ...func(*circuit.Circuit)) *circuit.Circuit {
	c := threeOutlets(t)
	c.Boxes[0].Devices[0] = circuit.Device{ID: "G1", Kind: circuit.GFCI, Amps: 20, Slots: 3}
	for _, f := range change {
		f(c)
	}
	require.NoError(t, c.Check())
	return c
}

func legacy(c *circuit.Circuit) { c.Boxes[0].Devices[0].Generation = circuit.Legacy }
func noGround(c *circuit.Circuit) {
	for i := range c.Cables {
		c.Cables[i].Conductors = []circuit.Conductor{circuit.Hot, circuit.Neutral}
	}
}
func heaterAtR3(c *circuit.Circuit) {
	c.Loads = append(c.Loads, circuit.Load{ID: "L1", At: "R3", Half: circuit.Bottom, Watts: 600, On: true})
}
func gfciBreaker(c *circuit.Circuit) {
	c.Boxes[0].Devices[0] = circuit.Device{ID: "R1", Kind: circuit.Receptacle, Amps: 15, Slots: 3}
	c.Breaker.Protection = circuit.GFCIBreaker
}

func gfci(at, state string) circuit.Fault {
	return circuit.Fault{Kind: circuit.GFCIFault, At: at, State: state}
}

// TestWhatTrips by itself, by the plug tester's button at R3, and by the
// GFCI's own button: facts of the trade (common practice, no source).
func TestWhatTrips(t *testing.T) {
	none, g1, panel := []string{}, []string{"G1"}, []string{"panel"}
	for _, row := range []struct {
		name                string
		circuit             *circuit.Circuit
		faults              []circuit.Fault
		itself, button, own []string
	}{
		{"sound", behindGFCI(t), nil, nil, g1, g1},
		{"no ground: the plug tester's button proves nothing, its own works", behindGFCI(t, noGround), nil, nil, none, g1},
		{"failed closed", behindGFCI(t), []circuit.Fault{gfci("G1", "no-trip")}, nil, none, none},
		{"failed open", behindGFCI(t), []circuit.Fault{gfci("G1", "dead")}, nil, none, none},
		{"leak of 8 mA behind it", behindGFCI(t), []circuit.Fault{{Kind: circuit.Leak, At: "R3", Ohms: 15e3}}, g1, none, none},
		{"leak of 4 mA behind it", behindGFCI(t), []circuit.Fault{{Kind: circuit.Leak, At: "R3", Ohms: 30e3}}, nil, g1, g1},
		{"grounded neutral behind it, nothing on", behindGFCI(t), []circuit.Fault{bootleg("R3")}, g1, none, none},
		{"neutral moved past it: holds unloaded", behindGFCI(t, pigtailed), []circuit.Fault{{Kind: circuit.Moved, At: "W2@B1.neutral", To: "splice:neutral"}}, nil, g1, g1},
		{"neutral moved past it: trips under load", behindGFCI(t, pigtailed, heaterAtR3), []circuit.Fault{{Kind: circuit.Moved, At: "W2@B1.neutral", To: "splice:neutral"}}, g1, none, none},
		{"neutral lost above it: its electronics are dead, the hot is live", behindGFCI(t), []circuit.Fault{open("W1@panel.neutral")}, nil, none, none},
		{"line and load exchanged, current: locked out", behindGFCI(t), []circuit.Fault{gfci("G1", "line-load-swapped")}, nil, none, none},
		{"GFCI breaker", behindGFCI(t, gfciBreaker), nil, nil, panel, nil},
		{"GFCI breaker, leak", behindGFCI(t, gfciBreaker), []circuit.Fault{{Kind: circuit.Leak, At: "R2", Ohms: 15e3}}, panel, none, nil},
		{"GFCI breaker, grounded neutral", behindGFCI(t, gfciBreaker), []circuit.Fault{bootleg("R2")}, panel, none, nil},
	} {
		t.Run(row.name, func(t *testing.T) {
			k := condition(t, row.circuit, row.faults...)
			assert.Equal(t, row.itself, k.Tripped, "by itself")
			assert.ElementsMatch(
				t,
				row.button,
				read(t, k, "R3", tester.PlugButton, "").Tripped,
				"by the plug tester's button at R3",
			)
			if row.own != nil {
				assert.ElementsMatch(t, row.own, read(t, k, "G1", tester.DeviceButton, "").Tripped, "by its own button")
			}
		})
	}
}

func pigtailed(c *circuit.Circuit) {
	c.Boxes[0].Makeup, c.Boxes[0].Load = circuit.Pigtail, []string{"W2"}
}

// TestFaceAndLoadSide: what is live where, as the circuit model says.
func TestFaceAndLoadSide(t *testing.T) {
	sound, dead := lamps(lit, lit, dark), lamps(dark, dark, dark)
	tripped := func(c *circuit.Circuit) { c.Boxes[0].Devices[0].Tripped = true }
	for _, row := range []struct {
		name       string
		circuit    *circuit.Circuit
		faults     []circuit.Fault
		face, load tester.Lamps
	}{
		{"sound", behindGFCI(t), nil, sound, sound},
		{"tripped", behindGFCI(t, tripped), nil, dead, dead},
		{"line and load exchanged, current: all dead", behindGFCI(t), []circuit.Fault{gfci("G1", "line-load-swapped")}, dead, dead},
		{"the same on an old one: live", behindGFCI(t, legacy), []circuit.Fault{gfci("G1", "line-load-swapped")}, sound, sound},
		{"an old one tripped: the face stays live, what hangs on its line terminals dies", behindGFCI(t, legacy, tripped), []circuit.Fault{gfci("G1", "line-load-swapped")}, sound, dead},
		{"lost neutral above it: the hot stays live", behindGFCI(t), []circuit.Fault{open("W1@panel.neutral")}, lamps(dark, lit, lit), lamps(dark, lit, lit)},
	} {
		t.Run(row.name, func(t *testing.T) {
			k := condition(t, row.circuit, row.faults...)
			assert.Equal(t, row.face, *read(t, k, "G1", tester.Plug, "").Lamps, "face")
			assert.Equal(t, row.load, *read(t, k, "R3", tester.Plug, "").Lamps, "load side")
		})
	}
}

// TestLowImpedanceMeterTrips: 3 kilohm from hot to ground draw 40 mA.
func TestLowImpedanceMeterTrips(t *testing.T) {
	k := condition(t, behindGFCI(t))
	assert.Equal(t, []string{"G1"}, read(t, k, "R2", tester.Meter, tester.LowZ).Tripped)
	assert.Empty(t, read(t, k, "R2", tester.Meter, tester.HighZ).Tripped)
}

// TestTwoInARow: the one the button is nearer to and the one above it both see
// the leak.
func TestTwoInARow(t *testing.T) {
	c := behindGFCI(t, func(c *circuit.Circuit) {
		c.Boxes[1].Devices[0] = circuit.Device{ID: "G2", Kind: circuit.GFCI, Amps: 20, Slots: 3}
	})
	assert.ElementsMatch(t, []string{"G1", "G2"}, read(t, condition(t, c), "R3", tester.PlugButton, "").Tripped)
}

// multiwire is a two-pole circuit that shares its neutral: the top half of R1
// on one leg, the bottom half on the other.
func multiwire(t testing.TB) *circuit.Circuit {
	c, err := circuit.Parse([]byte(`{
  "format": "elvat-circuit/1", "name": "multiwire", "breaker": { "label": "1/3", "amps": 20, "poles": 2 },
  "cables": [ { "id": "W1", "from": "panel", "to": "B1", "awg": 12, "feet": 30, "conductors": ["hot", "hot2", "neutral", "ground"] } ],
  "boxes": [ { "id": "B1", "label": "Both", "devices": [ { "id": "R1", "kind": "receptacle", "amps": 15, "tab": { "hot": "removed" } } ],
    "wiring": [ ["W1@B1.hot", "R1.hot.1"], ["W1@B1.hot2", "R1.hot.2"], ["W1@B1.neutral", "R1.neutral.1"], ["W1@B1.ground", "R1.ground"] ] } ],
  "loads": [ { "id": "L1", "at": "R1", "half": "top", "watts": 1200 }, { "id": "L2", "at": "R1", "half": "bottom", "watts": 300 } ] }`))
	require.NoError(t, err)
	return c
}

// TestSharedNeutralLost by hand: 240 V over 12 ohm (1,200 W) and 48 ohm (300 W)
// in series divide into 48 and 192 V (two-resistor divider).
func TestSharedNeutralLost(t *testing.T) {
	k := condition(t, multiwire(t), open("W1@B1.neutral"))
	all, err := k.ReadAll("R1", "", []tester.Tool{tester.Meter})
	require.NoError(t, err)
	for _, r := range all {
		byHand := 240 * 12 / (12 + 48.0)
		if r.Half == circuit.Bottom {
			byHand = 240 * 48 / (12 + 48.0)
		}
		assert.InEpsilon(t, byHand, *r.Volts.HotNeutral, 0.02, r.Half)
	}
	lamp, err := k.ReadAll("R1", circuit.Bottom, []tester.Tool{tester.Lamp})
	require.NoError(t, err)
	assert.Equal(t, tester.Over, lamp[0].Glow, "a test lamp on the lighter side burns too bright")
}

func TestSharedNeutralSound(t *testing.T) {
	k := condition(t, multiwire(t))
	legs, err := k.ReadPoints(tester.Meter, tester.HighZ, "W1@B1.hot", "W1@B1.hot2")
	require.NoError(t, err)
	assert.InDelta(t, 238, legs.Reads.Value, 3, "opposite legs")
	amps, err := k.AmpsAt("W1@B1.neutral")
	require.NoError(t, err)
	assert.InDelta(t, 10-2.5, amps, 0.15, "the neutral carries the difference of the two loads")
	sum, err := k.AmpsAt("W1@B1")
	require.NoError(t, err)
	assert.InDelta(t, 0, sum, 0.001, "and all conductors of the cable together nothing")
}

// TestAnalyzerAgainstTheRun: 90 ft of 12 AWG, the ohms the run's length
// predicts (trade figure: 50 ft of 12 AWG is about 0.09 with the way back,
// 0.08 each way at 75 C by NEC chapter 9 table 8 (from memory)).
func TestAnalyzerAgainstTheRun(t *testing.T) {
	r := read(t, condition(t, threeOutlets(t)), "R3", tester.Analyzer, "")
	assert.Equal(t, tester.WiringCorrect, r.Wiring)
	each := 90 * 1.588 * 1.01965 / 1000
	assert.InDelta(t, each, *r.Ohms.Neutral, 0.03)
	assert.InDelta(t, each, *r.Ohms.Ground, 0.03)
	assert.InDelta(t, each, *r.Ohms.Hot, 0.06, "with source and breaker")
	assert.InDelta(t, 1500*(*r.Ohms.Hot+*r.Ohms.Neutral)/120, *r.DropPercent.Value, 0.05)
}

// TestAnalyzerHints: what trade practice reads from a load tester.
func TestAnalyzerHints(t *testing.T) {
	fake := read(t, condition(t, twoWire(t), bootleg("R3")), "R3", tester.Analyzer, "")
	assert.Equal(t, tester.WiringCorrect, fake.Wiring)
	assert.Less(t, *fake.Ohms.Ground+0.05, *fake.Ohms.Hot+*fake.Ohms.Neutral, "neutral and ground one path")
	reverse := read(
		t,
		condition(t, twoWire(t), swapped("R3", circuit.HotNeutral), bootleg("R3")),
		"R3",
		tester.Analyzer,
		"",
	)
	assert.Equal(t, tester.WiringCorrect, reverse.Wiring, "even a costly load tester calls a reverse bootleg correct")
	loose := read(
		t,
		condition(t, threeOutlets(t), circuit.Fault{Kind: circuit.Resistive, At: "W3@B3.hot", Ohms: 1}),
		"R3",
		tester.Analyzer,
		"",
	)
	assert.Greater(t, *loose.DropPercent.Value, 5.0, "more than 5 % at 15 A deserves a look")
	none := read(t, condition(t, threeOutlets(t), open("W3@B3.ground")), "R3", tester.Analyzer, "")
	assert.Equal(t, tester.WiringOpenGround, none.Wiring)
	assert.Nil(t, none.Ohms.Ground)
	assert.NotNil(t, none.Ohms.HotNeutral, "the loop is still told")
	off := read(t, condition(t, threeOutlets(t), open("W3@B3.hot")), "R3", tester.Analyzer, "")
	assert.Nil(t, off.DropPercent.Value)
	assert.Equal(t, tester.AnalyzedOhms{}, *off.Ohms)
}

// TestVoltageDropByHandbook: the usual field sum, 2 x K x I x L / cmil with K
// 12.9 for copper at 75 C (electricians' handbooks, from memory): 16 A over
// 75 ft of 12 AWG (6,530 cmil) is 4.74 V.
func TestVoltageDropByHandbook(t *testing.T) {
	c := circuit.New("drop")
	require.NoError(t, c.AddStop(circuit.NewStop{After: circuit.Panel, AWG: 12, Feet: 75, Ground: true}))
	k := network.Default
	k.Conductor = 75
	m, err := network.NewModel(c, k)
	require.NoError(t, err)
	x := m.Base.NewCase()
	hot, _ := m.Wired.Find("W1@B1.hot")
	neutral, _ := m.Wired.Find("W1@B1.neutral")
	start, _ := m.Wired.Find("W1@panel.hot")
	back, _ := m.Wired.Find("W1@panel.neutral")
	x.Connect(network.Node(hot), network.Node(neutral), 7.2)
	x.Solve()
	amps := x.Volts(network.Node(hot), network.Node(neutral)) / 7.2
	drop := x.Volts(network.Node(start), network.Node(hot)) + x.Volts(network.Node(neutral), network.Node(back))
	assert.InDelta(t, 16, amps, 0.8)
	assert.InEpsilon(t, 2*12.9*amps*75/6530, drop, 0.03)
}

// TestOhms on a dead circuit: continuity with one end shorted finds the far
// end of a branch (common practice, no source).
func TestOhms(t *testing.T) {
	c := threeOutlets(t)
	c.State.Separated = []string{"W3@B2"}
	open, err := condition(t, c).OhmsBetween("W3@B2.hot", "W3@B2.neutral")
	require.NoError(t, err)
	assert.True(t, open.Open, "nothing plugged in")
	c.State.Joined = [][2]string{{"W3@B3.hot", "W3@B3.neutral"}}
	shorted, err := condition(t, c).OhmsBetween("W3@B2.hot", "W3@B2.neutral")
	require.NoError(t, err)
	assert.InDelta(t, 2*30*1.588*1.01965/1000, shorted.Value, 0.01)
	through, err := condition(t, threeOutlets(t)).OhmsBetween("R3.ground", "panel.ground")
	require.NoError(t, err)
	assert.InDelta(t, 90*1.588*1.01965/1000, through.Value, 0.02)
}

// TestFindingTheLine: power on, every conductor separated and capped, one is
// hot (common practice, no source; for a qualified person).
func TestFindingTheLine(t *testing.T) {
	c := threeOutlets(t)
	c.State.Separated = []string{"W1@B1", "W2@B1"}
	k := condition(t, c)
	for point, want := range map[string]tester.Level{"W1@B1.hot": tester.Strong, "W1@B1.neutral": tester.None, "W2@B1.hot": tester.None} {
		r, err := k.ReadPoints(tester.Sensor, "", point)
		require.NoError(t, err)
		assert.Equal(t, want, r.Level, point)
	}
	volts, err := k.ReadPoints(tester.Meter, tester.LowZ, "W1@B1.hot", "W1@B1.neutral")
	require.NoError(t, err)
	assert.InDelta(t, 120, volts.Reads.Value, 0.5)
}

// TestConduitAsGround: the conduit's conductor lands on the metal box, and
// reaches the device through its yoke screws alone.
func TestConduitAsGround(t *testing.T) {
	c := circuit.New("conduit")
	require.NoError(t, c.AddStop(circuit.NewStop{After: circuit.Panel, Feet: 20, Ground: true}))
	box := &c.Boxes[0]
	box.Material, box.Makeup = circuit.Metal, ""
	box.Wiring = [][2]string{{"W1@B1.hot", "R1.hot.1"}, {"W1@B1.neutral", "R1.neutral.1"}, {"W1@B1.ground", "B1.box"}}
	require.NoError(t, c.Check())
	k := condition(t, c)
	assert.Equal(t, lamps(lit, lit, dark), *read(t, k, "R1", tester.Plug, "").Lamps)
	ohms, err := k.OhmsBetween("R1.ground", "panel.ground")
	require.NoError(t, err)
	assert.InDelta(t, 0.1+20*1.619/1000, ohms.Value, 0.01, "the yoke screws are 0.1")
	assert.Equal(t, lamps(lit, dark, dark), *read(t, condition(t, c, open("B1.box")), "R1", tester.Plug, "").Lamps)
}
