package call

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/diagnosis"
	"elvat/core/tester"
)

// TestJoined: what is set as a whole is joined with what was set since the screen was
// looked at: by others, and by the same device a moment before. Only what others set
// to something else is a conflict.
func TestJoined(t *testing.T) {
	off, on := new(false), new(true)
	for _, row := range []struct {
		name      string
		first     string // device
		set       tester.State
		then      tester.State // by the phone, from what it saw before
		want      tester.State
		conflicts int
	}{
		{"another, another field", "tablet", tester.State{BreakerOn: off}, tester.State{Tripped: []string{"R1"}}, tester.State{BreakerOn: off, Tripped: []string{"R1"}}, 0},
		{"another, the same field", "tablet", tester.State{BreakerOn: off}, tester.State{BreakerOn: on}, tester.State{BreakerOn: on}, 1},
		{"the same, another field", "phone", tester.State{BreakerOn: off}, tester.State{Tripped: []string{"R1"}}, tester.State{BreakerOn: off, Tripped: []string{"R1"}}, 0},
		{"the same, the same field", "phone", tester.State{BreakerOn: off}, tester.State{BreakerOn: on}, tester.State{BreakerOn: on}, 0},
		{"the same, twice the same", "phone", tester.State{BreakerOn: off}, tester.State{BreakerOn: off}, tester.State{BreakerOn: off}, 0},
	} {
		t.Run(row.name, func(t *testing.T) {
			r := begun(t)
			c := loft(t)
			c.Boxes[0].Devices[0].Kind = "gfci"
			document, err := c.Encode()
			require.NoError(t, err)
			seen := int64(0)
			for i, k := range []Command{
				{Device: "phone", Do: &ReplaceRun{document}}, {Device: row.first, Do: &SetState{&row.set}}, {Device: "phone", Do: &SetState{&row.then}},
			} {
				k.ID, k.At, k.Seen = fmt.Sprintf("joined-%04d", i), noon, max(seen, 1)
				next, a, err := r.Decide(k, House{})
				require.NoError(t, err)
				if a == nil {
					continue
				}
				next.keptAs(int64(len(next.Log)))
				r = next
				if i == 0 {
					seen = r.Version // both of the others were made on this screen
				}
			}
			assert.Equal(t, &row.want, r.Said)
			assert.Len(t, r.Conflicts, row.conflicts)
		})
	}
	r := begun(t)
	for i, box := range []string{"B1", "B2"} {
		next, _, err := r.Decide(Command{ID: fmt.Sprintf("quick-%04d", i), At: noon, Seen: 1, Device: "phone", Do: &SetConditions{
			diagnosis.Conditions{Boxes: map[string][]diagnosis.Condition{box: {diagnosis.Warm}}},
		}}, House{})
		require.NoError(t, err)
		next.keptAs(int64(len(next.Log)))
		r = next
	}
	assert.Len(t, r.Conditions.Boxes, 2, "two quick taps on one screen are both kept")
}
