package server_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	contract "elvat/api"
	"elvat/core/diagnosis"
	"elvat/internal/api"
)

// everyEntry is one of every kind of thing that can be entered as a reading: each tester, look,
// act, answer and repair, a predicted one of which may have no value.
var everyEntry = []string{
	`{"tool":"plug","at":"R2","half":"top","lamps":{"hotNeutral":"dark","hotGround":"dark","neutralGround":"dark"}}`,
	`{"tool":"plug-button","at":"R1","half":"top","tripped":[]}`,
	`{"tool":"device-button","at":"G1","tripped":["G1"]}`,
	`{"tool":"meter","at":"R2","half":"bottom","volts":{"hotNeutral":0.4}}`,
	`{"tool":"meter","mode":"low-z","at":"R1","half":"top","volts":{"hotNeutral":119}}`,
	`{"tool":"sensor","at":"R2","half":"top","slots":{"hot":"none","neutral":"none","ground":"none"}}`,
	`{"tool":"lamp","at":"R2","half":"top","glow":"off"}`,
	`{"tool":"analyzer","at":"R1","half":"top","volts":119.1,"dropPercent":2.1,"wiring":"correct","ohms":{"hot":0.1,"neutral":0.1,"ground":0.1,"hotNeutral":0.2}}`,
	`{"tool":"analyzer","at":"R2","half":"top","volts":null,"dropPercent":null,"wiring":"open-hot","ohms":null}`,
	`{"tool":"ohms","between":["W2@B2.hot","W2@B2.neutral"],"reads":"open"}`,
	`{"tool":"meter","between":["W2@B2.hot","W2@B2.ground"],"reads":0.2}`,
	`{"tool":"sensor","point":"W2@B2.hot","level":"none"}`,
	`{"tool":"clamp","point":"W2@B2.neutral","amps":0.01}`,
	`{"tool":"light","at":"G1","light":{"shows":"off"}}`,
	`{"tool":"light","at":"G1","light":{"shows":"on","colour":"green","means":"ready","kind":"white, one light"}}`,
	`{"tool":"hint","hint":"live-plate","site":"B2","yes":false}`,
	`{"tool":"hint","hint":"live-plate","site":"B1","yes":true}`,
	`{"tool":"hint","hint":"wiggle","site":"B2","yes":false}`,
	`{"tool":"hint","hint":"warm-plate","site":"B2","yes":false}`,
	`{"tool":"told","at":"R2","half":"top","works":false}`,
	`{"tool":"told","asked":"reset-gfcis","answer":"no-change"}`,
	`{"tool":"told","asked":"cycle-breaker","answer":"no-change"}`,
	`{"tool":"act","act":"unplug-all"}`,
	`{"tool":"act","act":"switches-on"}`,
	`{"tool":"act","act":"reset-gfcis","found":[],"cameBack":[]}`,
	`{"tool":"act","act":"reset-gfcis","found":["kiln room"],"cameBack":["R2"]}`,
	`{"tool":"act","act":"reset-breaker","held":true}`,
	`{"tool":"act","act":"reset","at":"G1","held":true}`,
	`{"tool":"act","act":"reset","at":"G1","held":false}`,
	`{"tool":"act","act":"plugged","at":"R1","half":"top","watts":60}`,
	`{"tool":"act","act":"find-box","at":"W2","found":[]}`,
	`{"tool":"act","act":"find-box","at":"W2","found":["behind the kiln"]}`,
	`{"tool":"act","act":"switches-on","skipped":true}`,
	`{"tool":"hint","hint":"live-plate","site":"B2","skipped":true}`,
	`{"tool":"eyes","site":"B2","found":false}`,
	`{"tool":"eyes","site":"B2","found":[{"kind":"open","at":"W2@B2.hot"}]}`,
	`{"tool":"fixed","faults":[{"kind":"open","at":"W2@B2.hot"}]}`,
}

const kilnCircuit = `{"format":"elvat-circuit/1","name":"Kiln shed","breaker":{"label":"7","amps":20},
"cables":[{"id":"W1","from":"panel","to":"B1","awg":12,"feet":30,"conductors":["hot","neutral","ground"]},
{"id":"W2","from":"B1","to":"B2","awg":12,"feet":15,"conductors":["hot","neutral","ground"]}],
"boxes":[{"id":"B1","label":"Door","material":"plastic","makeup":"pigtail","devices":[{"id":"G1","kind":"gfci","amps":20},{"id":"R1","kind":"receptacle","amps":15}]},
{"id":"B2","label":"Kiln","material":"metal","makeup":"feed-through","devices":[{"id":"R2","kind":"receptacle","amps":15}]}]}`

// TestEveryEntryInEveryView: whatever was entered, every view of the call is shown, and each
// suspect's reasons are told.
func TestEveryEntryInEveryView(t *testing.T) {
	s := newShop(t)
	operations, err := contract.Operations()
	require.NoError(t, err)
	looks := func(call int64, suspects []diagnosis.Suspect, of string) {
		for _, o := range operations {
			if o.Method != "GET" || !strings.HasPrefix(o.Path, "/api/v1/calls/{call}") {
				continue
			}
			path := strings.NewReplacer("{call}", fmt.Sprint(call), "{box}", "B2", "{pass}", "1", "{picture}", "none", "{newRun}", "none").Replace(o.Path)
			w := s.ask("GET", path, "")
			assert.Less(t, w.Code, 500, "%s after %s: %s", path, of, w.Body.String())
			assert.NotEmpty(t, w.Body.String(), "%s after %s", path, of)
		}
		for i, suspect := range suspects {
			if i == 3 {
				break
			}
			asked, err := json.Marshal(map[string]any{"faults": suspect.Faults, "beside": suspect.Beside})
			require.NoError(t, err)
			w := s.ask("POST", fmt.Sprintf("/api/v1/calls/%d/why", call), strings.ReplaceAll(string(asked), "null", "[]"))
			assert.Equal(t, 200, w.Code, "why, after %s: %s", of, w.Body.String())
			assert.NotContains(t, w.Body.String(), "make it true", "an inner code is no word")
		}
	}
	begin := func() api.Call {
		body, err := json.Marshal(map[string]string{"title": "Kiln shed", "circuit": kilnCircuit})
		require.NoError(t, err)
		c := s.call(201, "POST", "/api/v1/calls", string(body))
		return s.call(200, "POST", fmt.Sprintf("/api/v1/calls/%d/cautions", c.Id), "")
	}
	all := begin()
	for i, entry := range everyEntry {
		one := begin()
		for _, call := range []int64{one.Id, all.Id} {
			w := s.ask("POST", fmt.Sprintf("/api/v1/calls/%d/readings", call), fmt.Sprintf(`{"id":"entry-%d-%04d","reading":%s}`, call, i, entry))
			require.Equal(t, 201, w.Code, "%s: %s", entry, w.Body.String())
			var now struct{ Diagnosis diagnosis.Result } // readings of a load tester are read by the core only
			require.NoError(t, json.Unmarshal(w.Body.Bytes(), &now))
			if call == one.Id {
				looks(call, now.Diagnosis.Suspects, entry)
			} else if i%6 == 5 || i == len(everyEntry)-1 {
				looks(call, now.Diagnosis.Suspects, "all up to "+entry)
			}
		}
	}
}
