package diagnosis_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/tester"
)

func within(t *testing.T, c *circuit.Circuit, known diagnosis.Conditions, readings []tester.Reading) *diagnosis.Result {
	settings := diagnosis.Defaults()
	settings.Conditions = known
	e, err := diagnosis.NewEngine(c, settings)
	require.NoError(t, err)
	r, err := e.Diagnose(readings)
	require.NoError(t, err)
	return r
}

// TestConditionsByHand: a push-in at one end of a cable makes that end five
// times as likely as without (the product's own weight), all else equal.
func TestConditionsByHand(t *testing.T) {
	c := bindery(t)
	readings := taken(t, c, []circuit.Fault{{Kind: circuit.Open, At: "W3@B3.neutral"}}, plug, "R2", "R3", "R5")
	odds := func(known diagnosis.Conditions) float64 {
		by := map[string]float64{}
		for _, s := range within(t, c, known, readings).Suspects {
			if len(s.Faults) == 1 && s.Faults[0].Kind == circuit.Open {
				by[s.Faults[0].At] += s.Probability
			}
		}
		return by["W3@B3.neutral"] / by["W3@B2.neutral"]
	}
	pushIn := diagnosis.Conditions{Boxes: map[string][]diagnosis.Condition{"B3": {diagnosis.PushIn}}}
	assert.InEpsilon(t, 5, odds(pushIn)/odds(diagnosis.Conditions{}), 0.02)
	heavyToo := diagnosis.Conditions{Boxes: map[string][]diagnosis.Condition{"B3": {diagnosis.PushIn, diagnosis.Heavy}}}
	assert.InEpsilon(t, 15, odds(heavyToo)/odds(diagnosis.Conditions{}), 0.02)
}

// TestConditionsRaise: what is known of the place, or complained of, makes its
// own faults likelier (common practice, no source).
func TestConditionsRaise(t *testing.T) {
	c := bindery(t)
	gfci := true
	require.NoError(t, c.ChangeStop("B2", circuit.StopChange{GFCI: &gfci}))
	at := func(box string, k diagnosis.Condition) diagnosis.Conditions {
		return diagnosis.Conditions{Boxes: map[string][]diagnosis.Condition{box: {k}}}
	}
	for _, row := range []struct {
		known diagnosis.Conditions
		name  string
	}{
		{at("B4", diagnosis.Worked), "reversed polarity"},
		{at("B2", diagnosis.Outdoors), "dead GFCI"},
		{diagnosis.Conditions{Old: true}, "dead GFCI"},
		{diagnosis.Conditions{Complaint: diagnosis.PartDead}, "tripped GFCI"},
		{diagnosis.Conditions{Complaint: diagnosis.DoesNotTrip}, "GFCI that cannot trip"},
		{diagnosis.Conditions{Complaint: diagnosis.WarmOrScorched}, "loose hot"},
		{diagnosis.Conditions{Complaint: diagnosis.TesterSays}, "reversed polarity"},
	} {
		of := func(known diagnosis.Conditions) float64 {
			sum := 0.0
			for _, s := range within(t, c, known, nil).Suspects {
				if s.Name == row.name {
					sum += s.Probability
				}
			}
			return sum
		}
		assert.Greater(t, of(row.known), of(diagnosis.Conditions{}), "%v: %s", row.known, row.name)
	}
}

func TestConditionsFile(t *testing.T) {
	c := bindery(t)
	known, err := diagnosis.ParseConditions(
		[]byte(`{"format":"elvat-conditions/1","complaint":"dead","boxes":{"B2":["push-in"]}}`),
		c,
	)
	require.NoError(t, err)
	assert.Equal(t, diagnosis.OneDead, known.Complaint)
	for text, want := range map[string]string{
		`{"format":"elvat-conditions/9"}`:                            "format",
		`{"format":"elvat-conditions/1","complaint":"odd"}`:          `complaint: "odd"`,
		`{"format":"elvat-conditions/1","boxes":{"B9":["push-in"]}}`: `no box "B9"`,
		`{"format":"elvat-conditions/1","boxes":{"B1":["haunted"]}}`: `boxes.B1: "haunted"`,
		`{"format":"elvat-conditions/1","smell":true}`:               "smell",
	} {
		_, err := diagnosis.ParseConditions([]byte(text), c)
		assert.ErrorContains(t, err, want)
	}
}

// TestPhone: from the complaint alone, what to ask; each answer is evidence.
func TestPhone(t *testing.T) {
	c := bindery(t)
	got := diagnose(t, c, nil)
	require.NotEmpty(t, got.Phone)
	assert.Equal(t, "danger", got.Phone[0].Key, "what can hurt comes first")
	keys := map[string]bool{}
	for _, q := range got.Phone {
		keys[q.Key] = true
		assert.NotEmpty(t, q.Say)
		assert.NotEmpty(t, q.Why)
	}
	for _, want := range []string{"work", "plugged", "reset-gfcis", "cycle-breaker", "R4.top"} {
		assert.True(t, keys[want], "%s among %v", want, keys)
	}
	of := func(r *diagnosis.Result, name string) float64 {
		for _, s := range r.Suspects {
			if s.Name == name {
				return s.Probability
			}
		}
		return 0
	}
	answer := func(a tester.Answer) tester.Reading {
		return tester.Reading{Tool: tester.Told, Asked: tester.CycleBreaker, Answer: a}
	}
	dead := tester.Reading{Tool: tester.Told, At: "R4", Half: circuit.Top, Works: &no}
	told := diagnose(t, c, []tester.Reading{dead})
	assert.Less(t, of(told, "nothing wrong"), of(got, "nothing wrong"))
	stays := diagnose(t, c, []tester.Reading{dead, answer(tester.NothingChanged)})
	assert.Less(t, of(stays, "breaker tripped"), of(told, "breaker tripped"))
	back := diagnose(t, c, []tester.Reading{dead, answer(tester.CameBack)})
	assert.Greater(t, back.Sound, told.Sound, "that was it: nothing is left to look for")
	assert.Empty(t, diagnose(t, c, taken(t, c, nil, plug, "R1")).Phone, "once on site one reads")
}

func TestPractice(t *testing.T) {
	p := diagnosis.Practice{
		Weights:   map[string]float64{"openEnd": 2},
		Minutes:   map[string]float64{"open": 20, "plug": 2},
		Tools:     []tester.Tool{tester.Plug},
		Qualified: true,
	}
	s, err := p.Settings()
	require.NoError(t, err)
	assert.InDelta(t, 2, s.Weights.OpenEnd.Value, 0)
	assert.InDelta(t, 20, s.Minutes.Open, 0)
	assert.InDelta(t, 2, s.Minutes.Tool[tester.Plug], 0)
	assert.InDelta(t, 0.5, diagnosis.DefaultMinutes.Tool[tester.Plug], 0, "the usual ones stay as they are")
	sheet, err := p.Sheet(nil)
	require.NoError(t, err)
	for _, row := range sheet.Weights {
		assert.NotEmpty(t, row.Words, row.Key)
		assert.NotEmpty(t, row.Why, row.Key)
		assert.NotEmpty(t, row.Standing, row.Key)
		assert.Equal(t, row.Key != "openEnd", row.Value == row.Usual, row.Key)
	}
	for _, bad := range []diagnosis.Practice{
		{Weights: map[string]float64{"openEnd": 0}}, {Weights: map[string]float64{"twoFaults": 1}}, {Weights: map[string]float64{"nonsense": 1}},
		{Minutes: map[string]float64{"open": -1}}, {Minutes: map[string]float64{"nonsense": 1}}, {Tools: []tester.Tool{tester.Ohms}}, {Tools: []tester.Tool{}},
	} {
		_, err := bad.Settings()
		assert.Error(t, err, "%+v", bad)
	}
}
