package sitebook

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/makeup"
	"elvat/core/tester"
)

var noon = time.Date(2026, 5, 4, 12, 0, 0, 0, time.UTC)

func day(n int) time.Time { return noon.AddDate(0, 0, n) }

func run(t *testing.T) *circuit.Circuit {
	c := circuit.New("Kiln room")
	for _, stop := range []circuit.NewStop{{After: circuit.Panel, Label: "Wheel", GFCI: true, Ground: true}, {After: "B1", Label: "Kiln shelf", Ground: true}} {
		require.NoError(t, c.AddStop(stop))
	}
	c.Boxes[0].Devices[0].ID, c.Boxes[1].Devices[0].ID = "G1", "R2"
	return c
}

func plug(at string, half circuit.Half, lit tester.Lit) tester.Reading {
	return tester.Reading{
		Tool:  tester.Plug,
		At:    at,
		Half:  half,
		Lamps: &tester.Lamps{HotNeutral: lit, HotGround: lit, NeutralGround: tester.IsDark},
	}
}

func button(at string, tripped ...string) tester.Reading {
	return tester.Reading{Tool: tester.DeviceButton, At: at, Tripped: tripped}
}

// TestHistory: as found and as left, half by half, call by call.
func TestHistory(t *testing.T) {
	calls := []Call{
		{ID: 1, Title: "first", At: day(0), Readings: []Taken{{day(0), plug("R2", circuit.Top, tester.IsLit), true}, {day(0), button("R2"), true}}},
		{ID: 2, Title: "second", At: day(30), MadeUp: map[string]time.Time{"B2": day(30)}, Readings: []Taken{
			{day(30), plug("R2", circuit.Top, tester.IsDark), true}, {day(30), plug("R2", circuit.Top, tester.IsLit), false}, {day(30), plug("R1", circuit.Top, tester.IsLit), true}}},
	}
	lines := History(calls, "R2", "B2")
	require.Len(t, lines, 2)
	assert.Equal(t, []int64{1, 2}, []int64{lines[0].Call, lines[1].Call})
	assert.Equal(t, tester.SideLine, lines[0].Found.HotNeutral)
	assert.Nil(t, lines[0].Left, "no work was done")
	assert.Equal(t, tester.SideNone, lines[1].Found.HotNeutral)
	assert.Equal(t, tester.SideLine, lines[1].Left.HotNeutral)
	assert.Equal(t, "made up anew", lines[1].Done)
	assert.Empty(t, History(calls, "R9", "B9"))

	last := Last(run(t), calls)
	require.Len(t, last, 1, "the halves that were read, of devices that are on the run")
	assert.Equal(t, LastRead{"R2", circuit.Top, *lines[1].Left, 2, day(30)}, last[0], "as left, on the later call")
}

// TestRegister: the last test counts, a new device was never tested, and the next
// is due a month after the last. Monthly: printed on the device (UL 943, from memory).
func TestRegister(t *testing.T) {
	c := run(t)
	guard := func(calls ...Call) Guard {
		all, err := Register(c, calls, day(100))
		require.NoError(t, err)
		require.Len(t, all, 1)
		return all[0]
	}
	never := guard()
	assert.Equal(t, Guard{Device: "G1", Label: "Wheel", Serves: 2, DueAt: day(100)}, never, "due at once")
	tested := guard(
		Call{At: day(0), Readings: []Taken{{At: day(0), Reading: button("G1", "G1")}}},
		Call{At: day(40), Readings: []Taken{{At: day(40), Reading: button("G1")}}},
	)
	require.NotNil(t, tested.TestedAt)
	assert.Equal(t, day(40), *tested.TestedAt)
	assert.False(t, *tested.Held, "the later test did not trip it")
	assert.Equal(t, day(40).AddDate(0, 1, 0), tested.DueAt)
	byPlug := tester.Reading{Tool: tester.PlugButton, At: "R2", Half: circuit.Top, Tripped: []string{"G1"}}
	assert.True(
		t,
		*guard(Call{At: day(0), Readings: []Taken{{At: day(0), Reading: byPlug}}}).Held,
		"from the last outlet behind it",
	)
	replaced := guard(Call{At: day(0), Readings: []Taken{{At: day(0), Reading: button("G1", "G1")}}},
		Call{At: day(50), MadeUp: map[string]time.Time{"B1": day(50)}, New: map[string]string{"G1": "gfci"}})
	assert.Equal(t, day(50), *replaced.InstalledAt)
	assert.Nil(t, replaced.TestedAt, "what was tested before is another one")

	c.Breaker.Protection = circuit.GFCIBreaker
	all, err := Register(c, nil, day(0))
	require.NoError(t, err)
	assert.Equal(t, circuit.Panel, all[0].Device, "a breaker that compares stands in the register too")
}

// TestCarry: a new call starts from the run as it was left and from what stays
// true of the place.
func TestCarry(t *testing.T) {
	c := run(t)
	c.Faults = []circuit.Fault{{Kind: circuit.Open, At: "W2@B2.hot"}}
	c.Loads = []circuit.Load{{ID: "L1", At: "R2", Half: circuit.Top, Watts: 100, On: true}}
	c.Boxes[0].Devices[0].Tripped, c.Breaker.On = true, false
	k := diagnosis.Conditions{Old: true, Complaint: diagnosis.OneDead, Boxes: map[string][]diagnosis.Condition{
		"B1": {diagnosis.PushIn, diagnosis.Outdoors, diagnosis.Warm}, "B2": {diagnosis.PushIn, diagnosis.Worked, diagnosis.Worn}, "B7": {diagnosis.Outdoors}}}
	last := Call{MadeUp: map[string]time.Time{"B1": day(0)}}
	out, carried := Carry(c, k, last, day(30))
	assert.Empty(t, out.Faults)
	assert.Empty(t, out.Loads)
	assert.True(t, out.Breaker.On)
	assert.False(t, out.Boxes[0].Devices[0].Tripped)
	assert.Len(t, c.Loads, 1, "what it was made from stays")
	assert.Equal(t, diagnosis.Conditions{Old: true, Boxes: map[string][]diagnosis.Condition{
		"B1": {diagnosis.Outdoors, diagnosis.Worked}, "B2": {diagnosis.PushIn, diagnosis.Worn}}}, carried)
	_, carried = Carry(c, k, last, day(400))
	assert.NotContains(t, carried.Boxes["B1"], diagnosis.Worked, "that is not lately any more")
}

func TestSmallThings(t *testing.T) {
	for _, row := range []struct {
		at    time.Time
		years int
	}{{day(-3), 0}, {noon.AddDate(-1, 0, 1), 0}, {noon.AddDate(-1, 0, 0), 1}, {noon.AddDate(-12, -3, 0), 12}, {day(5), 0}} {
		assert.Equal(t, row.years, Years(row.at, noon), row.at)
	}
	assert.Equal(
		t,
		map[string]string{"G1": "gfci", "R9": "usb"},
		NewDevices(
			&makeup.Box{Device: &makeup.Device{ID: "G1", Kind: "gfci"}, Others: []makeup.Device{{ID: "R9", Kind: "usb"}}},
		),
	)
	words := Words(run(t), "smell of fish")
	for _, word := range []string{"Kiln room", "Wheel", "Kiln shelf", "smell of fish"} {
		assert.Contains(t, words, word)
	}
}
