package tester_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"elvat/core/tester"
)

// TestPatterns: what the pad offers are all eight that three lamps can show, each once, and
// the six that the circuit model makes of the wiring faults carry the trade's names
// (circuit-model, "What the six classic lamp patterns are").
func TestPatterns(t *testing.T) {
	seen := map[tester.Lamps]string{}
	for _, p := range tester.Patterns() {
		assert.NotContains(t, seen, p.Lamps, p.Name)
		seen[p.Lamps] = p.Name
	}
	assert.Len(t, seen, 8)
	lit, dark := tester.IsLit, tester.IsDark
	for name, lamps := range map[string]tester.Lamps{
		"as it should be":                  {HotNeutral: lit, HotGround: lit, NeutralGround: dark},
		"open ground":                      {HotNeutral: lit, HotGround: dark, NeutralGround: dark},
		"open neutral":                     {HotNeutral: dark, HotGround: lit, NeutralGround: dark},
		"open hot, dead":                   {HotNeutral: dark, HotGround: dark, NeutralGround: dark},
		"hot and ground, or a load behind": {HotNeutral: dark, HotGround: lit, NeutralGround: lit},
		"hot and neutral reversed":         {HotNeutral: lit, HotGround: dark, NeutralGround: lit},
	} {
		assert.Equal(t, name, seen[lamps])
	}
	assert.Equal(t, "as it should be", tester.Patterns()[0].Name, "the pad's large button is the first")
}
