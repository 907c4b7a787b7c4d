package diagnosis_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/tester"
)

// TestSweep: most outlets are cleared by lamps; the others are named with the
// one reading each still needs (common practice, no source).
func TestSweep(t *testing.T) {
	c := bindery(t)
	c.Cable("W5").Conductors = []circuit.Conductor{circuit.Hot, circuit.Neutral} // Stair, three slots
	require.NoError(t, c.AddStop(circuit.NewStop{After: "B5", Label: "Attic", Slots: 2}))
	fake := []circuit.Fault{{Kind: circuit.Bonded, At: "R5", Pair: circuit.NeutralGround, Ohms: 0.02}}

	start := diagnosis.SweepOf(c, nil, nil)
	assert.Equal(
		t,
		[]string{"R1", "R2", "R3", "R4", "R5"},
		start.Left,
		"in the order of the run; a two-slot face is not for lamps",
	)

	some := taken(t, c, fake, plug, "R1", "R2")
	assert.Equal(t, []string{"R3", "R4", "R5"}, diagnosis.SweepOf(c, some, nil).Left)
	assert.Equal(
		t,
		[]string{"R1", "R3", "R4", "R5"},
		diagnosis.SweepOf(c, some[1:], nil).Left,
		"both halves, or it is not done",
	)

	all := taken(t, c, fake, plug, "R1", "R2", "R3", "R4", "R5")
	end := diagnosis.SweepOf(c, all, []string{"R4"})
	assert.Empty(t, end.Left)
	whys := map[string]string{}
	for _, n := range end.Needs {
		whys[n.At] = n.Why
		assert.NotEmpty(t, n.Say)
	}
	assert.Len(t, whys, 3, "%v", whys)
	assert.Contains(t, whys["R5"], "no ground is expected")
	assert.Contains(t, whys["R4"], "changed")
	assert.Contains(t, whys["R6"], "two-wire")

	cleared := append(all, taken(t, c, fake, []tester.Tool{tester.Sensor}, "R4", "R5", "R6")...)
	assert.Empty(t, diagnosis.SweepOf(c, cleared, []string{"R4"}).Needs)
}

// TestSweepByOhms: a load tester's neutral ohms far below what the run's
// length predicts.
func TestSweepByOhms(t *testing.T) {
	c := bindery(t)
	fake := []circuit.Fault{
		{Kind: circuit.Bonded, At: "R4", Pair: circuit.NeutralGround, Ohms: 0.02},
		{Kind: circuit.Open, At: "W4@B4.ground"},
	}
	tools := []tester.Tool{tester.Plug, tester.Analyzer}
	readings := append(taken(t, c, fake, tools, "R1", "R2", "R3", "R4"), taken(t, c, fake, plug, "R5")...)
	got := diagnosis.SweepOf(c, readings, nil).Needs
	require.Len(t, got, 1)
	assert.Equal(t, "R4", got[0].At)
	assert.Contains(t, got[0].Why, "near zero")
}

// TestNextInTheState: with the breaker off nothing live is left to read, so
// no reading is worth taking.
func TestNextInTheState(t *testing.T) {
	off := false
	got, err := engine(t, bindery(t)).DiagnoseNow(nil, &tester.State{BreakerOn: &off})
	require.NoError(t, err)
	for _, next := range got.Next {
		assert.NotEqual(t, diagnosis.DoReading, next.Do, next.Say)
	}
}

// TestGFCIFaults: what a GFCI's own failures look like, and that its buttons
// are evidence.
func TestGFCIFaults(t *testing.T) {
	c := bindery(t)
	gfci := true
	require.NoError(t, c.ChangeStop("B2", circuit.StopChange{GFCI: &gfci}))
	at := "R2"
	devices := []string{"R1", "R2", "R3", "R4", "R5"}
	for _, row := range []struct {
		fault circuit.Fault
		tools []tester.Tool
		name  string
	}{
		{circuit.Fault{Kind: circuit.GFCIFault, At: at, State: "tripped"}, plug, "tripped GFCI"},
		{circuit.Fault{Kind: circuit.GFCIFault, At: at, State: "no-trip"}, []tester.Tool{tester.Plug, tester.DeviceButton}, "GFCI that cannot trip"},
		{circuit.Fault{Kind: circuit.GFCIFault, At: at, State: "no-trip"}, []tester.Tool{tester.Plug, tester.PlugButton}, "GFCI that cannot trip"},
	} {
		got := diagnose(t, c, taken(t, c, []circuit.Fault{row.fault}, row.tools, devices...))
		assert.Equal(t, row.name, got.Suspects[0].Name, "%v", row.tools)
		assert.Equal(t, "B2", got.Suspects[0].Site)
	}
	sound := diagnose(
		t,
		c,
		taken(t, c, nil, []tester.Tool{tester.Plug, tester.DeviceButton, tester.PlugButton, tester.Analyzer}, devices...),
	)
	assert.Equal(t, "nothing wrong", sound.Suspects[0].Name)
}

// TestPlugButtonIsNotProposedWithoutAGround: it would put over 100 V on the
// ground pin (trade practice, no source).
func TestPlugButtonIsNotProposedWithoutAGround(t *testing.T) {
	c := bindery(t)
	gfci := true
	require.NoError(t, c.ChangeStop("B2", circuit.StopChange{GFCI: &gfci}))
	open := []circuit.Fault{{Kind: circuit.Open, At: "W3@B3.ground"}}
	got := diagnose(t, c, taken(t, c, open, plug, "R3"))
	for _, next := range got.Next {
		assert.False(t, next.Tool == tester.PlugButton && (next.At == "R3" || next.At == "R4"), next.Say)
	}
}

// TestPointsAreEvidence: ohms, sensor, meter and clamp on an opened box.
func TestPointsAreEvidence(t *testing.T) {
	c := bindery(t)
	fault := []circuit.Fault{{Kind: circuit.Open, At: "W3@B3.neutral"}}
	bench, err := tester.NewBench(c)
	require.NoError(t, err)
	k, err := bench.Try(fault)
	require.NoError(t, err)
	ohms, err := k.ReadPoints(tester.Ohms, "", "W3@B3.neutral", "W3@B2.neutral")
	require.NoError(t, err)
	broken, err := k.ReadPoints(tester.Ohms, "", "W3@B3.neutral", "R3.neutral.1")
	require.NoError(t, err)
	assert.False(t, ohms.Reads.Open)
	readings := append(taken(t, c, fault, plug, "R2", "R3"), ohms, broken)
	got := diagnose(t, c, readings)
	assert.Equal(t, "B3", got.Suspects[0].Site, "the end is sound in the cable and off its terminal")
	assert.Greater(t, got.Suspects[0].Probability, 0.7)
}

// TestHold: no plug tester goes where a danger is not excluded; the rest is swept first.
func TestHold(t *testing.T) {
	left := diagnosis.Sweep{Left: []string{"R1", "R2", "R3"}}
	for _, row := range []struct {
		dangers    []diagnosis.Danger
		left, held []string
	}{
		{nil, []string{"R1", "R2", "R3"}, []string{}},
		{[]diagnosis.Danger{{At: "R2", Urgent: true, Holds: true}}, []string{"R1", "R3", "R2"}, []string{"R2"}},
		{[]diagnosis.Danger{{At: "R2", Urgent: true}, {At: "R9", Holds: true}}, []string{"R1", "R2", "R3"}, []string{}},
	} {
		s := left.Hold(row.dangers)
		assert.Equal(t, row.left, s.Left)
		assert.Equal(t, row.held, s.Held)
	}
}
