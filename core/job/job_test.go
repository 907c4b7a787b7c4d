package job

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestPhaseFollowsFromFacts(t *testing.T) {
	for _, row := range []struct {
		name   string
		facts  Facts
		now    Phase
		holdUp string
		detail map[Phase]string
	}{
		{"nothing yet", Facts{}, Complaint, "No run yet: breaker and outlets", map[Phase]string{Complaint: "no run yet"}},
		{"a run, cautions not read", Facts{Outlets: 4, Halves: 8}, Complaint, "Standing cautions not read", map[Phase]string{Complaint: "cautions not read"}},
		{"nothing read", Facts{CautionsRead: true, Outlets: 1, Halves: 2}, AsFound, "Nothing read yet", map[Phase]string{Complaint: "1 outlet", AsFound: "nothing read"}},
		{"two boxes in question", Facts{CautionsRead: true, Outlets: 4, Halves: 8, Read: 3, Leading: []string{"Bench", "Press"}}, AsFound,
			"Not settled: Bench or Press", map[Phase]string{AsFound: "3 of 8 halves", OpenBox: "2 places in question"}},
		{"three", Facts{CautionsRead: true, Outlets: 4, Read: 1, Leading: []string{"A", "B", "C"}}, AsFound, "Not settled: A, B or C", nil},
		{"one, not sure enough", Facts{CautionsRead: true, Outlets: 4, Read: 1, Leading: []string{"A"}}, AsFound, "Not settled: A", map[Phase]string{OpenBox: "no box named"}},
		{"all sound", Facts{CautionsRead: true, Outlets: 4, Halves: 8, Read: 8}, AsFound, "Nothing found wrong so far", nil},
		{"settled", Facts{CautionsRead: true, Outlets: 4, Halves: 8, Read: 6, Settled: true, Box: "Bench", Leading: []string{"Bench"}}, Dead,
			"Open Bench: prove it dead first", map[Phase]string{Dead: "not proven", OpenBox: "Bench"}},
		{"proven at the slots", Facts{CautionsRead: true, Outlets: 4, Settled: true, Box: "Bench", Read: 6, Working: "Bench", DeadMissing: "no voltage at the wires with the device out"}, OpenBox,
			"Bench may be opened: no voltage at the wires with the device out", map[Phase]string{Dead: "Bench proven", OpenBox: "Bench"}},
		{"proven at the wires", Facts{CautionsRead: true, Outlets: 4, Settled: true, Box: "Bench", Read: 6, Working: "Bench", Conductors: true}, MakeUp,
			"Bench is open and dead: make it up", map[Phase]string{MakeUp: "Bench"}},
		{"the proof has begun", Facts{CautionsRead: true, Outlets: 4, Settled: true, Box: "Bench", Read: 6, DeadMissing: "testers proven again"}, Dead,
			"Open Bench: prove it dead first", map[Phase]string{Dead: "testers proven again"}},
		{"made up, to be read again", Facts{CautionsRead: true, Outlets: 4, Halves: 8, Read: 2, MadeUp: "Bench", Left: 6}, Prove,
			"Bench made up: 6 readings left to prove it", map[Phase]string{MakeUp: "Bench", Prove: "6 readings left", Dead: "not recorded"}},
		{"made up, and something differs", Facts{CautionsRead: true, Outlets: 4, Halves: 8, Read: 8, MadeUp: "Bench", DeadRecorded: true, Differ: 1}, Prove,
			"Bench made up: 1 difference to what is predicted", map[Phase]string{Prove: "1 difference", Dead: "recorded"}},
		{"proven", Facts{CautionsRead: true, Outlets: 4, Halves: 8, Read: 8, MadeUp: "Bench"}, HandOver, "Proven: hand it over", map[Phase]string{Prove: "all as predicted"}},
		{"handed over", Facts{CautionsRead: true, Outlets: 4, Halves: 8, Read: 8, MadeUp: "Bench", HandedOver: true}, HandOver, "Handed over", map[Phase]string{HandOver: "done"}},
		{"a danger goes first", Facts{CautionsRead: true, Outlets: 4, Read: 6, Settled: true, Box: "Bench", LiveGround: "Sink"}, Dead,
			"A live ground pin is not excluded at Sink", nil},
	} {
		t.Run(row.name, func(t *testing.T) {
			assert.Equal(t, row.now, row.facts.Now())
			assert.Equal(t, row.holdUp, row.facts.HoldUp())
			strip := row.facts.Strip()
			assert.Len(t, strip, len(Phases))
			past := true
			for _, p := range strip {
				switch {
				case p.Phase == row.now:
					assert.Equal(t, Now, p.State)
					past = false
				case past:
					assert.Equal(t, Done, p.State, p.Phase)
				default:
					assert.Equal(t, Ahead, p.State, p.Phase)
				}
				if want, ok := row.detail[p.Phase]; ok {
					assert.Equal(t, want, p.Detail, p.Phase)
				}
			}
		})
	}
}

// TestCautions: what the trade puts before everything else is there (common
// practice, no source).
func TestCautions(t *testing.T) {
	all := strings.ToLower(strings.Join(Cautions, " "))
	for _, words := range []string{"known to be live", "breaker is off", "proven dead", "local code", "authority having jurisdiction", "licensed", "independent ground", "service lugs"} {
		assert.Contains(t, all, words)
	}
}
