package drill

import (
	"cmp"
	"encoding/json"
	"flag"
	"os"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/tester"
)

var ship = flag.Bool("ship", false, "choose the scenes that ship anew, into shipped.json")

// fit reports whether a scene can ship, with what it takes: the advice played through comes to its
// end within a tenth of it, and hurts nobody.
func fit(t *testing.T, s *Scene) (Yardstick, *Drill, bool) {
	y, err := s.Measure()
	require.NoError(t, err)
	d := advised(t, s)
	score, err := d.Score(y)
	require.NoError(t, err)
	within := score.Minutes <= 1.1*y.Best && score.Minutes >= 0.9*y.Best
	return y, d, score.Solved && score.Stop == nil && within
}

// TestShip chooses the scenes that ship, where it is asked to: go test -run TestShip ./core/drill -ship.
func TestShip(t *testing.T) {
	if *ship {
		var all []Row
		add := func(theme Theme, level int) {
			for seed := uint64(1); ; seed++ {
				taken := func(r Row) bool { return r.Theme == theme && r.Level == level && r.Seed == seed }
				if slices.ContainsFunc(all, taken) {
					continue
				}
				s, err := Draw(theme, level, seed)
				require.NoError(t, err)
				y, _, ok := fit(t, s)
				twice := func(r Row) bool { return r.Name == s.Name && r.Words == s.Complaint.Words }
				if ok && !slices.ContainsFunc(all, twice) {
					all = append(all, Row{Theme: theme, Level: level, Seed: seed, Name: s.Name, Words: s.Complaint.Words, Yardstick: y})
					return
				}
			}
		}
		for _, theme := range Themes {
			for _, level := range []int{1, 2, 2, 3, 4} {
				add(theme, level)
			}
		}
		for _, theme := range []Theme{Masking, Loads, Bootlegs, SharedNeutral, TwoFaults} {
			add(theme, 3)
		}
		slices.SortStableFunc(all, func(a, b Row) int { return cmp.Compare(a.Best, b.Best) })
		for i := range all {
			all[i].N, all[i].Grade = i+1, 1+grades*i/len(all)
		}
		data, err := json.MarshalIndent(all, "", "\t")
		require.NoError(t, err)
		require.NoError(t, os.WriteFile("shipped.json", append(data, '\n'), 0o644))
		return
	}
	// Each is drawn as its row says, and no act on a live conductor is needed anywhere.
	seen := map[Theme]int{}
	require.Len(t, Shipped(), 60)
	for i, row := range Shipped() {
		s, err := row.Scene()
		require.NoError(t, err)
		assert.Equal(t, row.Name+row.Words, s.Name+s.Complaint.Words, "%d", row.N)
		seen[row.Theme]++
		if i > 0 {
			assert.GreaterOrEqual(t, row.Best, Shipped()[i-1].Best, "the easiest first")
		}
		if i%30 > 0 && os.Getenv("ELVAT_DRAWN") == "" { // make drawn
			continue
		}
		y, d, ok := fit(t, s)
		assert.True(t, ok, "%d, %s", row.N, row.Theme)
		assert.InDelta(t, row.Best, y.Best, 1e-6, "%d", row.N)
		assert.InDelta(t, row.Walk, y.Walk, 1e-6, "%d", row.N)
		for _, step := range d.Steps {
			assert.Nil(t, step.Stop)
			if step.Reading != nil && step.Reading.OnPoints() {
				assert.Equal(t, tester.Ohms, step.Reading.Tool, "nothing else is put on bare conductors")
				assert.False(t, *step.Reading.State.BreakerOn)
			}
		}
	}
	assert.Len(t, seen, len(Themes))
}
