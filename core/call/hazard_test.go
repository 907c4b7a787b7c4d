package call

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/diagnosis"
	"elvat/core/job"
	"elvat/core/safety"
	"elvat/core/tester"
	"elvat/core/visit"
)

// stands works out where the call stands, with the diagnosis that follows from its record.
func (o *onLoft) stands() *View {
	e, err := o.r.Evidence()
	require.NoError(o.t, err)
	settings := diagnosis.Defaults()
	settings.Conditions = o.r.Known()
	engine, err := diagnosis.NewEngine(o.r.Circuit, settings)
	require.NoError(o.t, err)
	now, _ := o.r.State()
	result, err := engine.DiagnoseNow(e.InForce, now)
	require.NoError(o.t, err)
	v, err := o.r.Now(e, result)
	require.NoError(o.t, err)
	return v
}

// TestHazard: told anywhere, a hazard is known on the day, in the next move, on the customer's page,
// at the hand-over and on paper, and ends only when somebody has looked, the power off.
func TestHazard(t *testing.T) {
	const e = job.Electrician
	for name, tell := range map[string]struct {
		do    Doing
		place string
		by    safety.Teller
	}{
		"on a screen":         {&TellHazard{ID: "hazard-0001", Signs: []safety.Sign{safety.Sparks}, Place: "B2"}, "B2", safety.Electrician},
		"as the call came in": {&SetAppointment{Urgent: new("scorching")}, "", safety.Office},
		"on their page":       {&GiveAnswer{ID: "answer-0001", Answer: visit.Answer{Kind: visit.Danger, Signs: []visit.Sign{visit.Scorch, visit.Sparks}, Box: "B2"}}, "B2", safety.Customer},
		"water, on theirs":    {&GiveAnswer{ID: "answer-0001", Answer: visit.Answer{Kind: visit.Danger, Signs: []visit.Sign{visit.Water}, Box: "B2"}}, "B2", safety.Customer},
		"at the panel":        {&TellHazard{ID: "hazard-0001", Signs: []safety.Sign{safety.Heat}, Place: "panel"}, "panel", safety.Electrician},
		"by a warm plate":     {&AddReading{ID: "reading-0001", Reading: []byte(`{"tool":"hint","hint":"warm-plate","site":"B2","yes":true}`)}, "B2", safety.Reading},
	} {
		o := &onLoft{t: t, r: begun(t)}
		o.must(o.do(e, "one", &ReadCautions{}))
		o.must(o.do(e, "one", tell.do))
		require.Len(t, o.r.Standing(), 1, name)
		h := o.r.Standing()[0]
		assert.Equal(t, tell.place, h.Place, name)
		assert.Equal(t, tell.by, h.By, name)
		v := o.stands()
		assert.NotEmpty(t, v.Facts.Reported, name)
		assert.True(t, o.r.Urgent(), name)
		assert.Contains(t, v.Facts.HoldUp(), "breaker off", name)
		m := o.r.Move(v)
		assert.Equal(t, SwitchOff, m.Kind, "%s: %s", name, m.Words)
		for _, next := range v.Result.Next {
			live := next.Do == diagnosis.DoReading && next.Tool != tester.Ohms && next.Tool != tester.Hint
			assert.False(t, live || next.Act == tester.Reset || next.Act == tester.ResetBreaker || next.Act == tester.AllGFCIs || next.Asked != "", "%s: %s", name, next.Say)
		}
		assert.Empty(t, v.Result.Here, name)
		for _, asked := range v.Result.Phone {
			assert.Empty(t, asked.Asked, "%s: nobody is asked to reset anything", name)
		}
		assert.Nil(t, o.r.Nearest(v), "%s: no plug tester goes in", name)
		assert.Equal(t, visit.StayAway, o.r.Page(nil).Stage, name)

		// A later word, or taking it back, does not end it; nor does looking with the power on.
		if tell.by != safety.Reading {
			_ = o.do(e, "one", &Undo{})
			_ = o.do(e, Customer, &GiveAnswer{ID: "answer-0002", Answer: visit.Answer{Kind: visit.Danger}})
			_ = o.do(e, "one", &SetAppointment{Urgent: new("")})
			require.Len(t, o.r.Standing(), 1, name)
		}
		assert.ErrorContains(t, o.do(e, "one", &LookedAt{Hazard: h.ID, Found: "f", Done: "d"}), "breaker", name)
		o.must(o.do(e, "one", &AddEntry{ID: "entry-0001", Entry: job.Entry{Kind: job.BreakerOff, Secured: "lock"}}))
		m = o.r.Move(o.stands())
		if tell.place == "B2" {
			assert.Equal(t, ProveDead, m.Kind, name)
			assert.Equal(t, "B2", m.Box, name)
		}
		assert.NotEqual(t, SwitchOn, m.Kind, name)
		assert.ErrorContains(t, o.do(e, "one", &LookedAt{Hazard: h.ID, Found: " ", Done: "d"}), "found", name)
		assert.ErrorIs(t, o.do(e, "one", &LookedAt{Hazard: "no such", Found: "f", Done: "d"}), ErrNotFound, name)
		gate := o.r.Journal.HandOver(nil, 0, len(o.r.Standing()))
		assert.Contains(t, fmt.Sprint(gate.Missing), "hazard", name)
		pass := job.Entry{Kind: job.Override, Gate: job.ToHandOver, Who: "A", Standing: "b", Reason: "c"}
		assert.False(t, job.Journal{pass}.HandOver(nil, 0, 1).Open, "%s: nobody's word ends a hazard", name)
		o.must(o.do(e, "one", &LookedAt{Hazard: h.ID, Found: "a burnt splice", Done: "made up anew", Who: "Ada"}))
		assert.Empty(t, o.r.Standing(), name)
		assert.Empty(t, o.stands().Facts.Reported, name)
		src, err := o.r.Source(o.stands(), noon, nil, theHouse.Shop)
		require.NoError(t, err)
		assert.Contains(t, fmt.Sprint(src.Report().Hazards), "Looked at by Ada: a burnt splice; made up anew.", name)
	}
	o := &onLoft{t: t, r: begun(t)}
	for field, do := range map[string]*TellHazard{
		"signs": {ID: "hazard-0001"}, "place": {ID: "hazard-0001", Signs: []safety.Sign{safety.Heat}, Place: "B77"}, "id": {ID: "x", Signs: []safety.Sign{safety.Heat}},
	} {
		assert.ErrorContains(t, o.do(e, "one", do), field)
	}
	assert.ErrorContains(t, o.do(e, "one", &SetConditions{Conditions: diagnosis.Conditions{Hazards: []safety.Hazard{{Signs: []safety.Sign{safety.Heat}, By: safety.Office}}}}), "hazards")
}
