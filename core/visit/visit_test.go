package visit

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/tester"
)

func run(t *testing.T) *circuit.Circuit {
	c := circuit.New("Weaving loft")
	for _, stop := range []circuit.NewStop{{After: circuit.Panel, Label: "Loom", GFCI: true, Ground: true}, {After: "B1", Label: "Yarn wall", Ground: true}} {
		require.NoError(t, c.AddStop(stop))
	}
	c.Boxes[1].Devices[0].ID = "R2"
	return c
}

var (
	yes, no = true, false
	guards  = []Guard{{Key: "1.G1", Label: "Loom", Own: true}, {Key: "2.G4", Label: "Dye sink"}}
	calm    = Answer{Kind: Danger}
	dead    = Answer{Kind: Outlet, Device: "R2", Works: &no}
)

func reset(guard string, result tester.Answer) Answer {
	return Answer{Kind: Reset, Guard: guard, Result: result}
}

// TestWalk: what can hurt is asked first and ends everything; then what is dead,
// one reset each, the breaker once. The order is trade practice, no source.
func TestWalk(t *testing.T) {
	smell := Answer{Kind: Danger, Signs: []Sign{Smell}}
	for _, row := range []struct {
		name    string
		answers []Answer
		stage   Stage
		next    string
	}{
		{"at first", nil, AskDanger, ""},
		{"a note changes nothing", []Answer{{Kind: Note, Text: "ring twice"}}, AskDanger, ""},
		{"nothing that hurts", []Answer{calm}, AskOutlets, ""},
		{"a smell", []Answer{smell}, StayAway, ""},
		{"a smell later on", []Answer{calm, dead, smell}, StayAway, ""},
		{"taken back", []Answer{smell, calm}, AskOutlets, ""},
		{"one dead", []Answer{calm, dead}, AskResets, "1.G1"},
		{"the next one", []Answer{calm, dead, reset("1.G1", tester.NothingChanged)}, AskResets, "2.G4"},
		{"it came back", []Answer{calm, dead, reset("1.G1", tester.CameBack)}, Done, ""},
		{"nothing came back", []Answer{calm, dead, reset("1.G1", tester.NothingChanged), reset("2.G4", tester.NothingChanged)}, AskBreaker, ""},
		{"one does not hold: the breaker is left", []Answer{calm, dead, reset("1.G1", tester.WillNotHold), reset("2.G4", tester.NothingChanged)}, Done, ""},
		{"and the breaker", []Answer{calm, dead, reset("1.G1", tester.NothingChanged), reset("2.G4", tester.NothingChanged), {Kind: Breaker, Result: tester.NothingChanged}}, Done, ""},
	} {
		p := Walk(guards, row.answers)
		assert.Equal(t, row.stage, p.Stage, row.name)
		assert.Equal(t, row.next, p.Next, row.name)
		assert.NotEmpty(t, p.Say, row.name)
	}
	assert.Equal(t, AskBreaker, Walk(nil, []Answer{calm, dead}).Stage, "no GFCI is known")
}

func TestAllowed(t *testing.T) {
	wet := Answer{Kind: Danger, Signs: []Sign{Water}}
	for _, row := range []struct {
		name    string
		before  []Answer
		a       Answer
		allowed bool
	}{
		{"danger, always", nil, wet, true}, {"a note, always", []Answer{wet}, Answer{Kind: Note, Text: "x"}, true},
		{"nothing before it was asked", nil, dead, false}, {"no reset before it was asked", nil, reset("1.G1", tester.CameBack), false},
		{"then it may", []Answer{calm}, dead, true}, {"no reset where it is wet", []Answer{calm, wet}, reset("1.G1", tester.CameBack), false},
		{"no breaker where it is wet", []Answer{wet}, Answer{Kind: Breaker, Result: tester.CameBack}, false},
	} {
		err := Allowed(row.before, row.a)
		assert.Equal(t, row.allowed, err == nil, "%s: %v", row.name, err)
	}
}

func TestCheck(t *testing.T) {
	c := run(t)
	for _, row := range []struct {
		a    Answer
		says string
	}{
		{Answer{Kind: "wave"}, "is not asked here"}, {Answer{Kind: Danger, Signs: []Sign{"ghosts"}}, `"ghosts"`}, {Answer{Kind: Danger, Box: "B9"}, "B9"},
		{Answer{Kind: Outlet, Device: "R9", Works: &no}, "R9"}, {Answer{Kind: Outlet, Device: "R2"}, "works"}, {Answer{Kind: Outlet, Device: "R2", Works: &no, Half: "left"}, "left"},
		{Answer{Kind: Storm}, "yes"}, {Answer{Kind: Work}, "yes"}, {Answer{Kind: Plugged, Text: " "}, "text"}, {Answer{Kind: Note, Text: string(make([]byte, 3000))}, "2000"},
		{reset("9.G9", tester.CameBack), "9.G9"}, {reset("1.G1", "maybe"), "maybe"}, {Answer{Kind: Breaker}, "result"},
	} {
		assert.ErrorContains(t, row.a.Check(c, guards), row.says)
	}
	for _, a := range []Answer{calm, dead, reset("2.G4", tester.WillNotHold), {Kind: Storm, Yes: &yes}, {Kind: Plugged, Text: "iron", Box: "B2", Heavy: true}, {Kind: Note, Text: "gate"}} {
		assert.NoError(t, a.Check(c, guards))
		assert.NotEmpty(t, a.Words(c.LabelOf, guards))
	}
}

// TestWorthAsEvidence: each answer becomes the reading it is worth, resets once
// all are walked or one came back, and what is known of the place.
func TestWorthAsEvidence(t *testing.T) {
	c := run(t)
	told := Readings(
		guards,
		[]Answer{
			calm,
			dead,
			{Kind: Outlet, Device: "R2", Half: circuit.Top, Works: &yes},
			reset("1.G1", tester.NothingChanged),
		},
	)
	require.Len(t, told, 2, "both halves, the later word on one of them; not every GFCI was walked to")
	assert.Equal(t, tester.Reading{Tool: tester.Told, At: "R2", Half: circuit.Top, Works: &yes}, told[0].Reading)
	assert.Equal(t, tester.Reading{Tool: tester.Told, At: "R2", Half: circuit.Bottom, Works: &no}, told[1].Reading)
	for _, row := range []struct {
		first, second tester.Answer
		want          tester.Answer
	}{
		{tester.NothingChanged, tester.NothingChanged, tester.NothingChanged}, {tester.NothingChanged, tester.CameBack, tester.CameBack},
		{tester.WillNotHold, tester.NothingChanged, tester.WillNotHold}, {tester.CameBack, "", tester.CameBack},
		{NotReached, tester.CameBack, tester.CameBack}, {tester.WillNotHold, NotReached, tester.WillNotHold},
	} {
		answers := []Answer{reset("1.G1", row.first)}
		if row.second != "" {
			answers = append(answers, reset("2.G4", row.second))
		}
		told := Readings(guards, answers)
		require.Len(t, told, 1)
		assert.Equal(t, tester.Reading{Tool: tester.Told, Asked: tester.ResetGFCIs, Answer: row.want}, told[0].Reading)
	}
	for _, unknown := range [][]Answer{
		{reset("1.G1", NotReached), reset("2.G4", tester.NothingChanged)}, {reset("1.G1", NotReached), reset("2.G4", NotReached)},
		{{Kind: Breaker, Result: NotReached}}, {{Kind: Breaker, Result: tester.NothingChanged}, {Kind: Breaker, Result: NotReached}},
	} {
		assert.Empty(t, Readings(guards, unknown), "what was not reached may be tripped")
		for _, a := range unknown {
			require.NoError(t, a.Check(c, guards))
		}
	}
	assert.Equal(
		t,
		AskBreaker,
		Walk(guards, []Answer{calm, dead, reset("1.G1", NotReached), reset("2.G4", NotReached)}).Stage,
		"the walk goes on",
	)
	assert.Contains(
		t,
		(&Answer{Kind: Reset, Guard: "1.G1", Result: NotReached}).Words(c.LabelOf, guards),
		"could not be reached",
	)
	breaker := Readings(guards, []Answer{{Kind: Breaker, Result: tester.WillNotHold}})
	require.Len(t, breaker, 1)
	assert.Equal(t, tester.CycleBreaker, breaker[0].Reading.Asked)
	k := Conditions(
		diagnosis.Conditions{Old: true},
		[]Answer{
			{Kind: Danger, Signs: []Sign{Heat}, Box: "B1"},
			{Kind: Work, Yes: &yes, Box: "B2"},
			{Kind: Plugged, Text: "iron", Box: "B2", Heavy: true},
			{Kind: Danger, Signs: []Sign{Water}, Box: "B2"},
		},
	)
	assert.Equal(
		t,
		diagnosis.Conditions{
			Old:   true,
			Boxes: map[string][]diagnosis.Condition{"B1": {diagnosis.Warm}, "B2": {diagnosis.Worked, diagnosis.Heavy}},
		},
		k,
	)
}

// TestFollow: a later word takes the place of the earlier one, and what no answer
// says any more is withdrawn; what others entered is left alone.
func TestFollow(t *testing.T) {
	breaker := func(result tester.Answer) []Told {
		return Readings(guards, []Answer{{Kind: Breaker, Result: result}})
	}
	first, gone, err := Follow(7, breaker(tester.NothingChanged), []Kept{{ID: "reading-1", Document: "{}"}})
	require.NoError(t, err)
	require.Len(t, first, 1)
	assert.Equal(t, "visit-7-breaker-1", first[0].ID)
	assert.Empty(t, gone)
	document, err := json.Marshal(first[0].Reading)
	require.NoError(t, err)
	kept := []Kept{
		{ID: "reading-1", Document: "{}"},
		{ID: "visit-7-breaker-1", Document: string(document)},
		{ID: "visit-70-breaker-1", Document: "{}"},
	}
	again, gone, err := Follow(7, breaker(tester.NothingChanged), kept)
	require.NoError(t, err)
	assert.Empty(t, again, "said twice, it is one")
	assert.Empty(t, gone)
	other, gone, err := Follow(7, breaker(tester.WillNotHold), kept)
	require.NoError(t, err)
	assert.Equal(t, "visit-7-breaker-2", other[0].ID)
	assert.Equal(t, []string{"visit-7-breaker-1"}, gone)
	back, gone, err := Follow(
		7,
		breaker(tester.NothingChanged),
		append(
			[]Kept{{ID: "visit-7-breaker-1", Document: string(document), Withdrawn: true}},
			Kept{ID: "visit-7-breaker-2", Document: "{}"},
		),
	)
	require.NoError(t, err)
	assert.Equal(t, "visit-7-breaker-3", back[0].ID, "the first word again")
	assert.Equal(t, []string{"visit-7-breaker-2"}, gone)
	none, gone, err := Follow(7, breaker(NotReached), kept)
	require.NoError(t, err)
	assert.Empty(t, none)
	assert.Equal(t, []string{"visit-7-breaker-1"}, gone)
}
