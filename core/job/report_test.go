package job

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/makeup"
	"elvat/core/nec"
	"elvat/core/sitebook"
	"elvat/core/tester"
)

var noon = time.Date(2026, 5, 4, 12, 0, 0, 0, time.UTC)

func source(t *testing.T) *Source {
	c := run(t, true)
	c.Breaker.Label = "11"
	lost := tester.Lamps{HotNeutral: tester.IsDark, HotGround: tester.IsLit, NeutralGround: tester.IsDark}
	plan := &makeup.Plan{
		Findings: []makeup.Finding{
			{Code: "two-under-screw", Severity: makeup.Must, Text: "Two wires under one screw.", Fix: "A splice.", Section: "110.14(A)", Edition: 2023, Cured: true},
			{Code: "box-overfull", Severity: makeup.Must, Text: "Too full.", Fix: "A ring.", Section: "314.16(B)", Edition: 2023},
			{Code: "not-recorded", Severity: makeup.Note, Text: "A note.", Fix: "x"},
		},
		Materials: []makeup.Material{{Item: "lever, 3-wire", Count: 2}, {Item: "12 AWG black", Count: 0.5, Unit: "ft"}},
		Markings:  []string{"R1: No Equipment Ground"},
	}
	return &Source{
		Shop: "Shop", Title: "Loft", Complaint: "dead", CreatedAt: noon, Circuit: c,
		Readings: []sitebook.Taken{
			{At: noon, AsFound: true, Reading: tester.Reading{At: "R1", Half: circuit.Top, Tool: tester.Plug, Lamps: &lost}},
			{At: noon, AsFound: true, Reading: tester.Reading{At: "R1", Half: circuit.Top, Tool: tester.Sensor, Slots: &tester.Slots{Hot: tester.Strong, Neutral: tester.None, Ground: tester.None}}},
			{At: noon, Reading: tester.Reading{At: "R2", Half: circuit.Top, Tool: tester.Plug, Lamps: &lost}},
			{At: noon, AsFound: true, Reading: tester.Reading{At: "gone", Half: circuit.Top, Tool: tester.Plug, Lamps: &lost}},
		},
		Boxes:   []MadeBox{{"B2", "Press", plan, true, nil}, {"B3", "Shelf", plan, false, nil}},
		Leading: "open neutral Press (61 %)",
		Guards:  []sitebook.Guard{{Device: "R1", Label: "B1"}},
	}
}

func TestReport(t *testing.T) {
	s := source(t)
	r := s.Report()
	assert.Equal(t, "Nothing was made up or put right on this call yet.", r.Standing)
	assert.Equal(t, []string{"The readings point at: open neutral Press (61 %)"}, r.Cause)
	require.Len(t, r.AsFound, 1, "as found alone, and only what is still on the run")
	assert.Len(t, r.AsFound[0].Words, 2)
	assert.Equal(t, []string{"hot"}, r.AsFound[0].Delta.Live, "later readings over earlier ones")
	assert.Equal(t, "breaker 11, 20 A", r.Breaker)

	require.Len(t, r.FixedFindings, 1, "what the plan cures, where it was made up")
	assert.Equal(t, "Press: Two wires under one screw.", r.FixedFindings[0].Text)
	require.Len(t, r.OpenFindings, 3, "the other box's stay open; notes are left out")
	assert.Equal(t, []string{"2 lever, 3-wire", "0.5 ft 12 AWG black"}, r.Parts)
	assert.Equal(t, []string{"Press: No Equipment Ground"}, r.Markings)
	require.Len(t, r.Due, 1)
	assert.Contains(t, r.Due[0].What, "Press the test button of the GFCI at B1")
	assert.Equal(t, noon, r.Due[0].When, "never tested that anybody knows of: at once")
	tested := noon.Add(time.Minute)
	s.Guards[0].TestedAt = &tested
	assert.Equal(t, tested.AddDate(0, 1, 0), s.Report().Due[0].When, "a month after its test, as the register has it")

	at := func(minutes int, e Entry) Entry { e.At = noon.Add(time.Duration(minutes) * time.Minute); return e }
	s.Journal = Journal{
		at(1, off), at(2, proven), at(3, override("B2")),
		at(4, Entry{Kind: MadeUp, Box: "B2", Text: "found: open neutral", Evidence: []string{"plug tester at R1"}}),
		at(5, Entry{Kind: Marking, Text: "number on breaker 11"}), at(6, Entry{Kind: Part, Text: "tape", Count: 1}),
		at(
			7,
			Entry{Kind: Note, Text: "a slip", Withdrawn: true},
		), at(8, Entry{Kind: HandedOver, Who: "A. Reyes", To: "the tenant"}),
	}
	var err error
	s.Checks, err = Checks(s.Circuit, []string{"B2"}, nil, nil)
	require.NoError(t, err)
	r = s.Report()
	assert.True(t, strings.HasPrefix(r.Standing, "Not proven: "), r.Standing)
	assert.Equal(t, []string{"B2: found: open neutral", "   plug tester at R1"}, r.Cause)
	assert.Len(t, r.Proven, len(s.Checks))
	assert.Len(t, r.Overrides, 1)
	assert.Len(t, r.Done, 4, "what was taken back, marked or used up stands elsewhere: %v", r.Done)
	assert.Equal(t, "A. Reyes", r.By)
	assert.Equal(t, noon.Add(8*time.Minute), r.FinishedAt)
	assert.Contains(t, r.Markings, "number on breaker 11")
	assert.Contains(t, r.Parts, "1 x tape")
	assert.Equal(t, r, s.Report(), "the same data, the same report")

	var readings []tester.Reading
	for _, k := range s.Checks {
		readings = append(readings, k.Predicted)
	}
	s.Checks, err = Checks(s.Circuit, []string{"B2"}, nil, readings)
	require.NoError(t, err)
	assert.Equal(t, "Not proven: 2 findings that must be mended, or accepted by a named qualified person.", s.Report().Standing)
	s.Boxes[0].Done = []string{"mend-box-overfull"}
	s.Journal = append(s.Journal, Entry{Kind: Accepted, Box: "B3", Finding: "box-overfull:B3", Text: "Too full.", Who: "A", Standing: "b", Reason: "c"})
	s.Boxes[1].Plan.Findings[1].Key = "box-overfull:B3"
	assert.Contains(t, s.Report().Standing, "Proven: every reading that was asked for is as predicted.")
	assert.Contains(t, s.Report().Overrides[len(s.Report().Overrides)-1], "Left as it is at")

	s.Circuit.Breaker.Protection, s.Circuit.Breaker.Label = circuit.DualBreaker, ""
	s.Guards = append(s.Guards, sitebook.Guard{Device: circuit.Panel})
	r = s.Report()
	assert.Contains(t, r.Due[1].What, "GFCI breaker")
	assert.Len(t, r.Due, 2, "a GFCI breaker has a button too")
	assert.Equal(t, "breaker not known, 20 A", r.Breaker)
}

func TestCite(t *testing.T) {
	assert.Equal(t, "NEC 110.14(A), 2023. "+nec.Adopted, Cite(makeup.Finding{Section: "110.14(A)", Edition: 2023}))
	assert.Equal(t, "common practice, no source", Cite(makeup.Finding{Practice: "common practice, no source"}))
}

// TestLabels: where an outlet resets stands on its plate.
func TestLabels(t *testing.T) {
	c := run(t, true)
	c.Breaker.Label = "9"
	labels := Labels(c, []string{"R1: GFCI Protected", "R1: No Equipment Ground", "R9: x"})
	require.Len(t, labels, 3)
	for i, want := range [][]string{
		{"Breaker 9", "Resets here"}, {"Breaker 9", "Resets at B1", "GFCI Protected", "No Equipment Ground"}, {"Breaker 9", "Resets at B1"},
	} {
		assert.Equal(t, want, labels[i].Text)
	}
	c.Breaker.Protection = circuit.GFCIBreaker
	assert.Equal(t, []string{"Breaker 9", "Resets at the panel", "Resets here"}, Labels(c, nil)[0].Text)
}

// TestFoundIsTheCause: what was found is the cause, said once, never beside a percentage;
// what was mended counts as put right, by word or by step.
func TestFoundIsTheCause(t *testing.T) {
	found := Entry{Kind: WasFound, Box: "B2", At: noon, Text: "one screw loose"}
	for _, row := range []struct {
		name    string
		journal Journal
		cause   []string
	}{
		{"nobody said, nothing made up", nil, []string{"The readings point at: open neutral Press (61 %)"}},
		{"said", Journal{found}, []string{"B2: found: one screw loose"}},
		{"said, and made up since", Journal{found, {Kind: MadeUp, Box: "B2", At: noon, Text: "found: one screw loose at B2"}}, []string{"B2: found: one screw loose at B2"}},
		{"taken back", Journal{{Kind: WasFound, Box: "B2", At: noon, Text: "one screw loose", Withdrawn: true}}, []string{"The readings point at: open neutral Press (61 %)"}},
	} {
		s := source(t)
		s.Journal = row.journal
		assert.Equal(t, row.cause, s.Report().Cause, row.name)
	}
	for _, mend := range []func(*MadeBox){
		func(b *MadeBox) { b.Plan.Findings[1].Mended = true }, func(b *MadeBox) { b.Done = []string{"mend-box-overfull"} },
	} {
		s := source(t)
		mend(&s.Boxes[0])
		s.Boxes = s.Boxes[:1]
		r := s.Report()
		assert.Len(t, r.FixedFindings, 2)
		assert.Empty(t, r.OpenFindings)
	}
}
