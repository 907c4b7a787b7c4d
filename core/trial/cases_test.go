package trial

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/tester"
)

// TestBadCaseFiles: what cannot be played says in which file, or which case, and
// what in it.
func TestBadCaseFiles(t *testing.T) {
	data, err := os.ReadFile("testdata/cases/05.json")
	require.NoError(t, err)
	var good map[string]json.RawMessage
	require.NoError(t, json.Unmarshal(data, &good))
	id := strings.Trim(string(good["id"]), `"`)
	for _, row := range []struct{ key, value, want string }{
		{"circuit", `{ "format": "other" }`, "case " + id + ": circuit: "},
		{"truth", `{ "format": "other" }`, "case " + id + ": truth: "},
		{"sites", `[]`, "groups with the sites of 0"},
		{"readings", `[ { "at": "R1", "tool": "crystal ball" } ]`, "case " + id + ": readings[0]: "},
		{"readings", `[ { "at": "R99", "tool": "plug", "lamps": { "hotNeutral": "lit" } } ]`, `"R99"`},
		{"hidden", `[ { "kind": "open", "at": "nowhere" } ]`, "case " + id + ": hidden: "},
		{"complaint", `{ "at": "R99", "half": "top", "tool": "plug" }`, `complaint: at "R99"`},
	} {
		t.Run(row.key, func(t *testing.T) {
			bad := map[string]json.RawMessage{}
			for key, value := range good {
				bad[key] = value
			}
			bad[row.key] = json.RawMessage(row.value)
			written, err := json.Marshal(bad)
			require.NoError(t, err)
			dir := t.TempDir()
			require.NoError(t, os.WriteFile(filepath.Join(dir, "one.json"), written, 0o600))
			files, err := ReadCases(dir)
			require.NoError(t, err)
			require.Len(t, files, 1)
			_, err = files[0].Play()
			assert.ErrorContains(t, err, row.want)
		})
	}
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "broken.json"), []byte(`{ "id": 5`), 0o600))
	_, err = ReadCases(dir)
	assert.ErrorContains(t, err, "broken.json: ")
	_, err = ReadCases(filepath.Join(dir, "none"))
	assert.ErrorContains(t, err, "none")
}

// TestCasesAreReadInOrder of their names, and nothing else of the folder.
func TestCasesAreReadInOrder(t *testing.T) {
	dir := t.TempDir()
	for _, name := range []string{"b.json", "a.json", "README.md", "c.json.old"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(`{ "id": "`+name+`" }`), 0o600))
	}
	files, err := ReadCases(dir)
	require.NoError(t, err)
	var ids []string
	for _, f := range files {
		ids = append(ids, f.ID)
	}
	assert.Equal(t, []string{"a.json", "b.json"}, ids)
}

// TestRoughCasesAreTheSameAgain: by their seed, whatever was drawn before.
func TestRoughCasesAreTheSameAgain(t *testing.T) {
	for seed := range uint64(12) {
		once, err := DrawRough(seed)
		require.NoError(t, err)
		_, err = DrawRough(seed + 1000)
		require.NoError(t, err)
		again, err := DrawRough(seed)
		require.NoError(t, err)
		assert.Equal(t, once, again)
		assert.NotEmpty(t, once.Wrong, "something shows")
		assert.NotEmpty(t, once.Complaint.Device)
		assert.Empty(t, once.Belief.Faults, "nobody knows of a fault")
		for _, h := range once.Hidden {
			require.NotEmpty(t, h.Sites)
			for _, site := range h.Sites {
				assert.True(t, site == circuit.Panel || once.Truth.Box(site) != nil, site)
			}
		}
	}
}

// TestWhatAnActCosts and does, in the trial's account: the electrician's
// minutes are the product's own assumptions.
func TestWhatAnActCosts(t *testing.T) {
	minutes := diagnosis.Defaults().Minutes
	for _, row := range []struct {
		act  tester.ActName
		want float64
	}{
		{tester.UnplugAll, 1}, {tester.SwitchesOn, 0.5}, {tester.AllGFCIs, 2}, {tester.Reset, 0.3},
	} {
		got := map[tester.ActName]float64{
			tester.UnplugAll: minutes.Unplug, tester.SwitchesOn: minutes.Switches, tester.AllGFCIs: minutes.GFCIs, tester.Reset: minutes.Reset,
		}[row.act]
		assert.InDelta(t, row.want, got, 1e-9, row.act)
	}
	// A switch that is off, on a run of three: what is proposed is followed to the
	// end without a box, in minutes.
	s := atWork(t, "W3@B3.neutral")
	s.left, s.switched = nil, []circuit.Fault{
		{Kind: circuit.Open, At: "R3.top.hot"},
		{Kind: circuit.Open, At: "R3.bottom.hot"},
	}
	s.source, s.noHints = Simulated, true
	s.at = "B3"
	out, err := s.run([]string{"B3"})
	require.NoError(t, err)
	assert.True(t, out.Solved)
	assert.Zero(t, out.Boxes, "flipped, not unscrewed")
	assert.Less(t, out.Minutes, out.Walk)
	assert.InDelta(t, out.Minutes, out.Spent.Readings+out.Spent.Walking+out.Spent.Acts+out.Spent.Right+out.Spent.OtherEnd+out.Spent.Elsewhere+out.Spent.CalledBack, 1e-6,
		"every minute goes somewhere")
}

// TestEveryMinuteGoesSomewhere: the account of where minutes go adds up, in
// every drawn case.
func TestEveryMinuteGoesSomewhere(t *testing.T) {
	for seed := range uint64(6) {
		k, err := Draw(seedOf(11, int(seed)))
		require.NoError(t, err)
		out, err := k.Solve(seed)
		require.NoError(t, err)
		spent := out.Spent
		assert.InDelta(
			t,
			out.Minutes,
			spent.Readings+spent.Walking+spent.Acts+spent.Right+spent.OtherEnd+spent.Elsewhere+spent.CalledBack,
			1e-6,
		)
		assert.LessOrEqual(t, out.Sessions, out.Minutes+5, "a shared dead session costs no more")
		assert.GreaterOrEqual(t, out.Boxes, 1)
		if out.FirstRight {
			assert.True(t, out.FirstNear, "right is near")
		}
	}
}
