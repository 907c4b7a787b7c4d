package call

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/job"
)

// FuzzDo: whatever is sent to be done on a call, as a helper, is refused with a reason or done:
// then the record opens again as it is, nothing on it is too long, no gate stands open on
// somebody's word, and taken back it is as before.
func FuzzDo(f *testing.F) {
	h := newHistory(f, 3)
	for range 120 {
		do := h.drawn()
		data, err := FormatDoing(do)
		require.NoError(f, err)
		f.Add(data)
	}
	f.Add([]byte(`{"do":"mark-entry","id":"override-1","withdrawn":false}`))
	f.Add([]byte(`{"do":"settle-conflict","id":"x","take":"theirs"}`))
	start := begun(f)
	passed := job.Entry{Kind: job.Override, Gate: job.ToOpen, Box: "B1", Who: "Ada", Standing: "licensed", Reason: "meter pulled"}
	for i, do := range []Doing{&AddEntry{ID: "override-1", Entry: passed}, &MarkEntry{ID: "override-1", Withdrawn: new(true)}} {
		next, _, err := start.Decide(Command{ID: []string{"command-1", "command-2"}[i], At: at(i), Device: "desk", Do: do}, theHouse)
		require.NoError(f, err)
		next.keptAs(int64(len(next.Log)))
		start = next
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		do, err := ParseDoing(data)
		if err != nil {
			assert.NotEmpty(t, err.Error())
			return
		}
		next, a, err := start.Decide(Command{ID: "command-9", At: at(9), Device: "phone", Role: job.Helper, Do: do}, theHouse)
		if err != nil || a == nil {
			return
		}
		next.keptAs(int64(len(next.Log)))
		_, err = Open(next.ID, next.Parts(), next.Log)
		require.NoError(t, err)
		require.NoError(t, next.bounded(start, a))
		if next.Circuit.Box("B1") != nil {
			assert.False(t, next.Journal.BoxGates(next.Circuit, "B1")[0].Open)
		}
		back, a, err := next.Decide(Command{ID: "command-10", At: at(10), Device: "phone", Role: job.Helper, Do: &Undo{}}, theHouse)
		if err != nil || a == nil {
			return // what belongs to the house or the customer is not taken back
		}
		was, err := json.Marshal(start.Circuit)
		require.NoError(t, err)
		is, err := json.Marshal(back.Circuit)
		require.NoError(t, err)
		assert.JSONEq(t, string(was), string(is))
	})
}
