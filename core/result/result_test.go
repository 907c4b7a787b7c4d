package result

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/job"
	"elvat/core/makeup"
	"elvat/core/tester"
	"elvat/core/words"
)

// aviary is a run of three outlets, the first of them a GFCI that holds the two behind it.
func aviary(t *testing.T) *circuit.Circuit {
	c := circuit.New("Aviary")
	for i, label := range []string{"Seed store", "Finch flight", "Incubator"} {
		after := circuit.Panel
		if i > 0 {
			after = []string{"", "B1", "B2"}[i]
		}
		require.NoError(t, c.AddStop(circuit.NewStop{After: after, Label: label, Ground: true, GFCI: i == 0}))
	}
	return c
}

func lamps(hn, hg, ng tester.Lit) tester.Delta {
	r := tester.Reading{Tool: tester.Plug, Lamps: &tester.Lamps{HotNeutral: hn, HotGround: hg, NeutralGround: ng}}
	return r.Delta(tester.Default)
}

// TestOf: what a customer sees follows from the report, the evidence and its weights apart.
func TestOf(t *testing.T) {
	const lit, dark = tester.IsLit, tester.IsDark
	seen := lamps(lit, lit, dark)
	page := Of(job.Report{
		Title: "Aviary", By: "A. Reyes", Standing: "Proven.",
		Cause: []string{"Finch flight: a broken hot", "   fits all readings"},
		AsFound: []job.OutletRow{
			{Label: "Seed store", Half: circuit.Top, Delta: seen},
			{Label: "Finch flight", Half: circuit.Top, Delta: lamps(dark, dark, dark)},
		},
		Proven:       []job.ProvenRow{{Label: "Finch flight", Half: circuit.Top, Seen: &seen}},
		OpenFindings: []makeup.Finding{{Text: "The box is too small.", Fix: "Put in a larger one."}},
		Overrides:    []string{"Gate passed"},
	}, aviary(t))
	assert.Equal(t, []string{"Finch flight: a broken hot"}, page.Wrong)
	assert.Equal(t, []string{"why.dead"}, page.Why)
	assert.Equal(t, "Finch flight", page.Outlets[0].Label, "what was wrong stands first")
	assert.Equal(t, seen, *page.Outlets[0].After)
	assert.Nil(t, page.Outlets[1].After, "not read again")
	assert.Equal(t, []string{"The box is too small. Put in a larger one.", "Gate passed"}, page.Left)
	require.Len(t, page.Guards, 1)
	assert.Equal(t, Guard{"G1", "Seed store", []string{"Seed store", "Finch flight", "Incubator"}}, page.Guards[0])
}

// TestWhyItMattered: each of the six classic patterns (circuit-model), over-voltage and a
// pin that was found live says why it mattered, in every language; a sound one does not.
func TestWhyItMattered(t *testing.T) {
	const lit, dark = tester.IsLit, tester.IsDark
	live := lamps(lit, lit, dark)
	live.Live = []string{"hot", "ground"}
	for _, row := range []struct {
		name string
		is   tester.Delta
		why  string
	}{
		{"as it should be", lamps(lit, lit, dark), ""},
		{"nothing read", tester.Delta{}, ""},
		{"open ground", lamps(lit, dark, dark), "why.openGround"},
		{"open neutral", lamps(dark, lit, dark), "why.openNeutral"},
		{"open hot", lamps(dark, dark, dark), "why.dead"},
		{"hot and neutral reversed", lamps(lit, dark, lit), "why.reversed"},
		{"hot and ground, or a load behind", lamps(dark, lit, lit), "why.openNeutral"},
		{"the ground pin is live", live, "why.live"},
		{"too much", tester.Delta{HotNeutral: tester.SideOver, HotGround: tester.SideLine}, "why.over"},
	} {
		assert.Equal(t, row.why, whyItMattered(row.is), row.name)
		for _, tag := range []string{"en", "es"} {
			if row.why != "" {
				assert.NotEqual(t, row.why, words.For(tag).Say(row.why), "%s in %s", row.name, tag)
			}
		}
	}
}

// TestGuards: what a GFCI breaker holds is the whole run; without a GFCI there is none.
func TestGuards(t *testing.T) {
	c := aviary(t)
	c.Boxes[0].Devices[0].Kind = circuit.Receptacle
	assert.Empty(t, Guards(c))
	c.Breaker.Label, c.Breaker.Protection = "11", circuit.GFCIBreaker
	g := Guards(c)
	require.Len(t, g, 1)
	assert.Equal(t, "the panel, breaker 11", g[0].Label)
	assert.Len(t, g[0].Holds, 3)
}
