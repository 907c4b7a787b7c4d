package job

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
)

func run(t *testing.T, gfciFirst bool) *circuit.Circuit {
	c := circuit.New("run")
	for i, after := range []string{circuit.Panel, "B1", "B2"} {
		require.NoError(t, c.AddStop(circuit.NewStop{After: after, Ground: true, GFCI: gfciFirst && i == 0}))
	}
	return c
}

func v(x float64) *float64 { return &x }

var (
	off    = Entry{Kind: BreakerOff, Secured: "lock"}
	proven = Entry{Kind: Proven, Tester: "meter", Source: "hall outlet", Volts: v(121)}
)

func dead(stage Stage, volts float64) Entry {
	pairs := PairVolts{v(volts), v(0), v(0)}
	return Entry{
		Kind:  DeadTest,
		Box:   "B1",
		Stage: stage,
		Dead:  &DeadVolts{Top: pairs, Bottom: pairs, TopToEarth: v(0), BottomToEarth: v(0), SensorSilent: true},
	}
}

func override(box string) Entry {
	return Entry{
		Kind:     Override,
		Gate:     ToOpen,
		Box:      box,
		Who:      "A. Reyes",
		Standing: "licence 4711",
		Reason:   "meter pulled by the utility",
	}
}

// TestLiveDeadLive: the order of proof, against NFPA 70E 120.5 (120.6 in its
// 2024 edition; from memory): disconnect and secure, test the tester on a known
// live source, test every pair and to ground, test the tester again.
func TestLiveDeadLive(t *testing.T) {
	c := run(t, false)
	of := func(es ...Entry) Journal { return es }
	cover := of(off, proven, dead(Installed, 0), proven)
	after := func(es ...Entry) Journal { return append(append(Journal{}, cover...), es...) }
	other := Entry{Kind: Proven, Tester: "two-pole tester", Source: "hall outlet", Volts: v(121)}
	back := func(e Entry) Entry { e.Withdrawn = true; return e }
	takenBack := proven
	takenBack.Withdrawn = true
	for _, row := range []struct {
		name             string
		journal          Journal
		open, conductors bool
		missing          string
	}{
		{"nothing", nil, false, false, "breaker off and secured"},
		{"only switched off", of(off), false, false, "testers proven on a live source"},
		{"tester proven before the breaker went off counts", of(proven, off, dead(Installed, 0), proven), true, false, "no voltage at the wires"},
		{"another tester proven after", of(off, proven, dead(Installed, 0), other), false, false, "no voltage on all pairs"},
		{"another tester, and the test again with it", of(off, proven, other, dead(Installed, 0), other), true, false, "no voltage at the wires"},
		{"the breaker on again, taken back", after(back(Entry{Kind: BreakerOn})), false, false, "breaker off and secured"},
		{"a second source, taken back", after(back(Entry{Kind: SecondSource, Box: "B1", Text: "red"})), false, false, "breaker off and secured"},
		{"a live reading, taken back", after(back(dead(DeviceOut, 118))), false, false, "breaker off and secured"},
		{"proven again after that", append(after(back(Entry{Kind: BreakerOn})), off, proven, dead(Installed, 0), proven), true, false, "no voltage at the wires"},
		{"dead before the tester was proven does not count", of(off, dead(Installed, 0), proven), false, false, "no voltage on all pairs"},
		{"not proven again", of(off, proven, dead(Installed, 0)), false, false, "testers proven again"},
		{"at the slots", cover, true, false, "no voltage at the wires"},
		{"at the wires before the box was opened does not count", of(off, proven, dead(DeviceOut, 0)), false, false, "no voltage on all pairs"},
		{"at the wires, not proven again", after(dead(DeviceOut, 0)), true, false, "testers proven again after that"},
		{"all of it", after(dead(DeviceOut, 0), proven), true, true, ""},
		{"something live at the slots", of(off, proven, dead(Installed, 118)), false, false, "top hot to neutral: 118 V"},
		{"something live at the wires", after(dead(DeviceOut, 118), proven), false, false, "something is live"},
		{"more than a volt is a sign of voltage", of(off, proven, dead(Installed, 2), proven), false, false, "something is live"},
		{"a second source closes it again", after(Entry{Kind: SecondSource, Box: "B1", Text: "red is live"}), false, false, "a second source was found: red is live"},
		{"a second source elsewhere does not", after(Entry{Kind: SecondSource, Box: "B2", Text: "x"}), true, false, ""},
		{"the breaker on again closes it", after(Entry{Kind: BreakerOn}), false, false, "breaker off and secured"},
		{"what was taken back does not count", of(off, proven, dead(Installed, 0), takenBack), false, false, "testers proven again"},
		{"overridden", of(override("B1")), true, false, ""},
		{"the override of another box", of(override("B2")), false, false, ""},
		{"an override does not outlive a second source", of(override("B1"), Entry{Kind: SecondSource, Box: "B1", Text: "z"}), false, false, "second source"},
	} {
		for _, e := range row.journal {
			require.NoError(t, e.Check(c), row.name)
		}
		g := row.journal.BoxGates(c, "B1")
		assert.Equal(t, row.open, g[0].Open, "%s: %v", row.name, g[0])
		assert.Equal(t, row.conductors, g[1].Open, "%s: %v", row.name, g[1])
		assert.Contains(t, strings.Join(append(g[0].Missing, g[1].Missing...), "; "), row.missing, row.name)
		if g[0].By != nil {
			assert.NotEmpty(t, g[0].Missing, "what is missing stays in sight behind an override")
		}
	}
	assert.False(t, cover.BoxGates(c, "B2")[0].Open, "each box is proven by itself")
}

// TestEachDeviceIsProven: a box of two devices is not dead after one test on one of them, and a
// two-slot device drops no pair of the other.
func TestEachDeviceIsProven(t *testing.T) {
	c := run(t, false)
	two := 2
	require.NoError(t, c.ChangeStop("B1", circuit.StopChange{Devices: &two}))
	first, second := c.Box("B1").Devices[0].ID, c.Box("B1").Devices[1].ID
	c.Box("B1").Devices[0].Slots = 2
	at := func(device string) Entry {
		e := dead(Installed, 0)
		e.Device = device
		require.NoError(t, e.Check(c))
		return e
	}
	none := dead(Installed, 0)
	assert.ErrorContains(t, none.Check(c), "device: which of the 2")
	none.Device = "R9"
	assert.ErrorContains(t, none.Check(c), "not in this box")
	short := at(second)
	short.Dead.Top.HotGround = nil
	assert.ErrorContains(t, short.Check(c), "top hot to ground")
	one := Journal{off, proven, at(first), proven}.BoxGates(c, "B1")[0]
	assert.False(t, one.Open)
	assert.Equal(t, second, one.Device)
	assert.Contains(t, one.Missing[0], "device 2 of 2")
	assert.True(t, Journal{off, proven, at(first), at(second), proven}.BoxGates(c, "B1")[0].Open)
	e := at(second)
	assert.Contains(t, e.Words(c.LabelOf), "device 2 tested")
}

// TestWhatADeadTestNeeds: every pair; a sensor alone is no proof, and a loud one
// is the contrary; a two-slot face has fewer pairs.
func TestWhatADeadTestNeeds(t *testing.T) {
	c := run(t, false)
	loud := dead(Installed, 0)
	loud.Dead.SensorSilent = false
	g := Journal{off, proven, loud, proven}.BoxGates(c, "B1")
	assert.Contains(t, g[0].Missing[0], "sensor is not silent")
	for _, row := range []struct {
		change func(*Entry)
		says   string
	}{
		{func(e *Entry) { e.Dead = nil }, "the volts are missing"},
		{func(e *Entry) { e.Stage = "later" }, "stage"},
		{func(e *Entry) { e.Box = "" }, "box"},
		{func(e *Entry) { e.Box = "B9" }, "B9"},
		{func(e *Entry) { e.Dead.Bottom.HotGround = nil }, "bottom hot to ground was not measured"},
		{func(e *Entry) { e.Dead.TopToEarth = nil }, "top hot to an independent ground"},
		{func(e *Entry) { e.Dead.Top.HotNeutral = v(-3) }, "out of bounds"},
	} {
		e := dead(Installed, 0)
		row.change(&e)
		assert.ErrorContains(t, e.Check(c), row.says)
	}
	c.Box("B1").Devices[0].Slots = 2
	two := dead(Installed, 0)
	for _, half := range []*PairVolts{&two.Dead.Top, &two.Dead.Bottom} {
		half.HotGround, half.NeutralGround = nil, nil
	}
	assert.NoError(t, two.Check(c), "a two-slot face has no ground to measure to")
	two.Dead.BottomToEarth = nil
	assert.ErrorContains(t, two.Check(c), "independent ground")
}

func TestEntriesThatAreRefused(t *testing.T) {
	c := run(t, false)
	for _, row := range []struct {
		e    Entry
		says string
	}{
		{Entry{Kind: "dance"}, "no such kind"},
		{Entry{Kind: BreakerOff}, "secured"},
		{Entry{Kind: BreakerOff, Secured: "string"}, `"string"`},
		{Entry{Kind: Proven, Tester: "m"}, "source"},
		{Entry{Kind: Proven, Tester: "m", Source: "s"}, "volts"},
		{Entry{Kind: Proven, Tester: "m", Source: "s", Volts: v(30)}, "proves no tester"},
		{Entry{Kind: Proven, Tester: "m", Source: "s", Volts: v(107)}, "shows 108 to 132 V, or 216 to 264 V"},
		{Entry{Kind: Proven, Tester: "m", Source: "s", Volts: v(150)}, "proves no tester"}, {Entry{Kind: Proven, Tester: "m", Source: "s", Volts: v(300)}, "proves no tester"},
		{Entry{Kind: Override, Gate: "door", Box: "B1"}, `"door"`},
		{Entry{Kind: Override, Gate: ToOpen, Box: "B1", Who: "A", Standing: "b"}, "reason"},
		{Entry{Kind: Override, Gate: ToOpen}, "box"},
		{Entry{Kind: Override, Gate: ToHandOver, Who: " ", Standing: "b", Reason: "c"}, "who"},
		{Entry{Kind: Traced, Breaker: "9"}, "way"},
		{Entry{Kind: Died}, "which went dead"},
		{Entry{Kind: Died, Outlets: []string{"R9"}}, "R9"},
		{Entry{Kind: Died, Outlets: make([]string, 300)}, "300"},
		{Entry{Kind: Note}, "text"},
		{Entry{Kind: SecondSource, Box: "B1"}, "text"},
		{Entry{Kind: HandedOver, Who: "A"}, "to"},
		{Entry{Kind: Note, Text: strings.Repeat("x", 5000)}, "too long"},
	} {
		assert.ErrorContains(t, row.e.Check(c), row.says, "%v", row.e.Kind)
	}
	assert.NoError(t, (&Entry{Kind: BreakerOn}).Check(c))
}

func TestWords(t *testing.T) {
	label := func(box string) string { return "the " + box }
	for _, row := range []struct {
		e    Entry
		want string
	}{
		{off, "Breaker off, secured: locked"},
		{Entry{Kind: BreakerOn}, "Breaker on"},
		{proven, "Meter proven on hall outlet: 121 V"},
		{dead(DeviceOut, 0), "the B1 tested for voltage at the wires, device out: all pairs of both halves, and each hot to an independent ground"},
		{Entry{Kind: SecondSource, Box: "B1", Text: "red"}, "Second source in the B1: red"},
		{override("B1"), `Gate "open" at the B1 passed by A. Reyes (licence 4711): meter pulled by the utility`},
		{Entry{Kind: Traced, Breaker: "9", Way: "tracer"}, "Breaker 9 found by tracer"},
		{Entry{Kind: Died, Outlets: []string{"R1"}, Hidden: "the range"}, "Went dead with the breaker: 1 outlet, and the range"},
		{Entry{Kind: Marking, Text: "x"}, "Marked: x"},
		{Entry{Kind: Part, Text: "lever", Count: 2}, "Used: 2 x lever"},
		{Entry{Kind: Part, Text: "tape"}, "Used: tape"},
		{Entry{Kind: HandedOver, Who: "A", To: "B"}, "Handed over by A to B"},
		{Entry{Kind: Note, Text: "a note"}, "a note"},
	} {
		assert.Equal(t, row.want, row.e.Words(label))
	}
}

// TestNextTask: what moves the proof on is named, not read out of words.
func TestNextTask(t *testing.T) {
	c := run(t, false)
	steps := []struct {
		e    Entry
		gate int
		want Task
	}{
		{off, 0, ProveTester}, {proven, 0, TestSlots}, {dead(Installed, 0), 0, ProveTester}, {proven, 1, TestWires}, {dead(DeviceOut, 0), 1, ProveTester}, {proven, 1, ""},
		{Entry{Kind: SecondSource, Box: "B1", Text: "red"}, 0, Stop}, {Entry{Kind: BreakerOn}, 0, SwitchOff},
	}
	var j Journal
	assert.Equal(t, SwitchOff, j.BoxGates(c, "B1")[0].Next)
	for _, s := range steps {
		j = append(j, s.e)
		assert.Equal(t, s.want, j.BoxGates(c, "B1")[s.gate].Next, "after %s", s.e.Kind)
	}
}
