package main

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/drill"
	"elvat/core/tester"
	"elvat/internal/demo"
	"elvat/internal/meterlink"
)

// TestMain lets the test binary stand in for the command itself.
func TestMain(m *testing.M) {
	if os.Getenv("ELVAT_AS_COMMAND") != "" {
		main()
		return
	}
	os.Exit(m.Run())
}

func command(t testing.TB, args ...string) *exec.Cmd {
	cmd := exec.CommandContext(t.Context(), os.Args[0], args...)
	cmd.Env = append(os.Environ(), "ELVAT_AS_COMMAND=1")
	return cmd
}

// run is what the command prints, what it complains of, and its exit code.
func run(t *testing.T, input string, args ...string) (string, string, int) {
	cmd := command(t, args...)
	var out, complaint bytes.Buffer
	cmd.Stdin, cmd.Stdout, cmd.Stderr = strings.NewReader(input), &out, &complaint
	err := cmd.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		require.NoError(t, err)
	}
	return out.String(), complaint.String(), cmd.ProcessState.ExitCode()
}

// binderyFile is the demo's bindery with its fault, as a file.
func binderyFile(t *testing.T) (string, *circuit.Circuit) {
	c, err := demo.Circuit("bindery")
	require.NoError(t, err)
	data, err := c.Encode()
	require.NoError(t, err)
	path := filepath.Join(t.TempDir(), "bindery.json")
	require.NoError(t, os.WriteFile(path, data, 0o600))
	return path, c
}

func TestReadThenDiagnose(t *testing.T) {
	file, c := binderyFile(t)
	out, complaint, code := run(t, "", "read", file, "--tool", "plug")
	require.Zero(t, code, complaint)
	readings, err := tester.Parse([]byte(out), c)
	require.NoError(t, err)
	assert.Len(t, readings, 18)

	out, complaint, code = run(t, out, "diagnose", file, "--readings", "-")
	require.Zero(t, code, complaint)
	var result diagnosis.Result
	require.NoError(t, json.Unmarshal([]byte(out), &result))
	assert.Equal(t, "elvat-diagnosis/1", result.Format)
	assert.Equal(t, "open neutral", result.Suspects[0].Name)
	assert.Contains(t, []string{"B2", "B3"}, result.Suspects[0].Site)
}

// TestDiagnoseWithAll: conditions and order beside the readings, three faults,
// and the readings held against the first suspects.
func TestDiagnoseWithAll(t *testing.T) {
	file, _ := binderyFile(t)
	out, _, _ := run(t, "", "read", file, "--tool", "plug")
	dir := t.TempDir()
	conditions, order := filepath.Join(dir, "conditions.json"), filepath.Join(dir, "map.json")
	require.NoError(
		t,
		os.WriteFile(
			conditions,
			[]byte(`{ "format": "elvat-conditions/1", "complaint": "part-dead", "boxes": { "B3": ["worked"] } }`),
			0o600,
		),
	)
	require.NoError(t, os.WriteFile(order, []byte(`{ "format": "elvat-map/1", "unsure": ["B7"] }`), 0o600))
	out, complaint, code := run(
		t,
		out,
		"diagnose",
		file,
		"--readings",
		"-",
		"--conditions",
		conditions,
		"--map",
		order,
		"--faults",
		"3",
		"--why",
	)
	require.Zero(t, code, complaint)
	var result struct {
		diagnosis.Result
		Evidence []struct{ Readings []diagnosis.Evidence }
	}
	require.NoError(t, json.Unmarshal([]byte(out), &result))
	assert.Equal(t, "open neutral", result.Suspects[0].Name)
	assert.NotEmpty(t, result.Places)
	require.NotEmpty(t, result.Evidence)
	assert.Len(t, result.Evidence[0].Readings, 18)
}

func TestReadNarrowed(t *testing.T) {
	file, c := binderyFile(t)
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	all, complaint, code := run(t, string(data), "read", "-", "--at", "R3")
	require.Zero(t, code, complaint)
	readings, err := tester.Parse([]byte(all), c)
	require.NoError(t, err)
	seen := map[tester.Tool]int{}
	for _, r := range readings {
		assert.Equal(t, "R3", r.At)
		seen[r.Tool]++
	}
	assert.Equal(t, map[tester.Tool]int{
		tester.Plug: 2, tester.PlugButton: 2, tester.Meter: 4, tester.Sensor: 2, tester.Lamp: 2, tester.Analyzer: 2,
	}, seen, "both halves, the meter in both modes")
	for _, row := range []struct {
		args []string
		want string
	}{
		{[]string{"--at", "R3", "--half", "bottom", "--tool", "lamp"}, `"glow": "off"`},
		{[]string{"--at", "R1", "--half", "top", "--tool", "lamp", "--state", `{ "breakerOn": false }`}, `"glow": "off"`},
		{[]string{"--at", "R1", "--half", "top", "--tool", "lamp"}, `"glow": "bright"`},
		{[]string{"--point", "W3@B2.hot"}, `"level": "strong"`},
		{[]string{"--point", "W3@B2", "--tool", "clamp"}, `"amps"`},
		{[]string{"--between", "W3@B2.hot,W3@B2.ground", "--mode", "low-z"}, `"mode": "low-z"`},
		{[]string{"--between", "W3@B3.neutral,panel.neutral", "--tool", "ohms", "--state", `{ "loadsOn": [] }`}, `"reads": "open"`},
	} {
		out, complaint, code := run(t, "", append([]string{"read", file}, row.args...)...)
		require.Zero(t, code, complaint)
		assert.Contains(t, out, row.want, row.args)
		_, err := tester.Parse([]byte(out), c)
		assert.NoError(t, err, row.args)
	}
}

func TestNetlistRunsInNgspice(t *testing.T) {
	file, _ := binderyFile(t)
	deck, complaint, code := run(t, "", "netlist", file)
	require.Zero(t, code, complaint)
	assert.Contains(t, deck, "= W3@B2.neutral", "nodes are named")
	cmd := exec.CommandContext(t.Context(), "ngspice", "-b")
	cmd.Stdin = strings.NewReader(deck)
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, string(out))
	assert.Contains(t, string(out), "v(1) =")
}

func TestBadInput(t *testing.T) {
	file, _ := binderyFile(t)
	broken := filepath.Join(t.TempDir(), "broken.json")
	require.NoError(
		t,
		os.WriteFile(
			broken,
			[]byte(
				`{ "format": "elvat-circuit/1", "breaker": { "amps": 20 }, "cables": [ { "id": "W4", "from": "B9", "to": "panel", "awg": 12, "feet": 3, "conductors": ["hot"] } ] }`,
			),
			0o600,
		),
	)
	noReadings := filepath.Join(t.TempDir(), "none.json")
	require.NoError(t, os.WriteFile(noReadings, []byte(`{ "format": "elvat-readings/1", "readings": [] }`), 0o600))
	for _, row := range []struct {
		args []string
		want string
	}{
		{[]string{"read", broken}, "cable W4: comes from B9, which is not in the file"},
		{[]string{"netlist", broken}, "cable W4"},
		{[]string{"diagnose", broken, "--readings", "-"}, "cable W4"},
		{[]string{"read", "nowhere.json"}, "nowhere.json"},
		{[]string{"read", file, "--at", "R77"}, "--at R77: no such device"},
		{[]string{"read", file, "--tool", "crystal"}, "--tool crystal is not known"},
		{[]string{"read", file, "--half", "left"}, "--half left: want top or bottom"},
		{[]string{"read", file, "--tool", "ohms"}, "--tool ohms is put on points"},
		{[]string{"read", file, "--point", "W99@B1.hot"}, "no cable W99"},
		{[]string{"read", file, "--between", "W3@B2.hot"}, "one point for sensor and clamp, two for meter and ohms"},
		{[]string{"read", file, "--state", `{ "loadsOn": ["L9"] }`}, "--state: loadsOn: no load L9"},
		{[]string{"read", file, "--state", `{ "lodesOn": [] }`}, `--state: unknown key "lodesOn"`},
		{[]string{"read"}, "accepts 1 arg"},
		{[]string{"diagnose", file}, `"readings" not set`},
		{[]string{"diagnose", file, "--readings", broken}, `unknown key`},
		{[]string{"diagnose", "-", "--readings", "-"}, "only one of the files"},
		{[]string{"diagnose", file, "--readings", file, "--faults", "9"}, "--faults: 2 or 3"},
		{[]string{"diagnose", file, "--readings", noReadings, "--map", file}, `unknown key`},
		{[]string{"diagnose", file, "--readings", noReadings, "--conditions", file}, `unknown key`},
		{[]string{"serve", "--db", "/nowhere/at/all.db"}, "/nowhere/at/all.db"},
		{[]string{"serve", "--db", filepath.Join(t.TempDir(), "x.db"), "--listen", "127.0.0.1:999999"}, "999999"},
		{[]string{"serve", "--db", filepath.Join(t.TempDir(), "x.db"), "--listen", "everywhere"}, "--listen everywhere"},
		{[]string{"serve", "--db", filepath.Join(t.TempDir(), "x.db"), "--listen", "0.0.0.0:0"}, "nobody can sign in yet"},
		{[]string{"meter", "--circuit", file, "--at", "R77"}, `at "R77": no such device`},
		{[]string{"meter", "--circuit", broken, "--at", "R1"}, "cable W4"},
		{[]string{"meter", "--at", "R1"}, `"circuit" not set`},
		{[]string{"circuit", file}, `new run: unknown key "supply"`},
		{[]string{"circuit", "nowhere.json"}, "nowhere.json"},
		{[]string{"day", noReadings}, "day: "},
		{[]string{"day"}, "accepts 1 arg"},
		{[]string{"trial", "--circuits", "0"}, "--circuits: at least 1"},
		{[]string{"trial", "--rough", "--cases", "somewhere"}, "--rough and --cases do not go together"},
		{[]string{"trial", "--cases", t.TempDir()}, "no case files in it"},
		{[]string{"diagnose", file, "--readings", noReadings, "--tools", "plug,spoon"}, `"spoon" is none of`},
		{[]string{"sing"}, `unknown command "sing"`},
	} {
		out, complaint, code := run(t, "", row.args...)
		assert.Equal(t, 1, code, row.args)
		assert.Empty(t, out, row.args)
		assert.Contains(t, complaint, row.want, row.args)
		assert.Equal(t, 1, strings.Count(strings.TrimSpace(complaint), "\n")+1, "one clear line: %s", complaint)
	}
}

func TestTrial(t *testing.T) {
	out, progress, code := run(t, "", "trial", "--circuits", "3", "--seed", "5")
	require.Zero(t, code, progress)
	assert.Contains(t, out, "3 cases")
	assert.Contains(t, progress, "3 of 3")
	out, progress, code = run(t, "", "trial", "--rough", "--circuits", "3")
	require.Zero(t, code, progress)
	assert.Contains(t, out, "belief and truth differ")
	out, progress, code = run(t, "", "trial", "--cases", "../../core/trial/testdata/cases")
	require.Zero(t, code, progress)
	assert.Contains(t, out, "solved                                     100.0 %")
}

// TestDiagnoseActs: acts, skips and what may come next, as files say them.
func TestDiagnoseActs(t *testing.T) {
	file, _ := binderyFile(t)
	acts := `{ "format": "elvat-readings/1", "readings": [
		{ "at": "R3", "tool": "plug", "lamps": { "hotNeutral": "dark", "hotGround": "lit", "neutralGround": "dark" } },
		{ "tool": "act", "act": "unplug-all" },
		{ "tool": "act", "act": "switches-on" },
		{ "tool": "act", "act": "reset-gfcis", "found": ["kitchen counter"], "cameBack": ["R3"] },
		{ "tool": "act", "act": "reset-breaker", "held": true },
		{ "at": "R2", "tool": "plug", "skipped": true } ] }`
	out, complaint, code := run(t, acts, "diagnose", file, "--readings", "-", "--tools", "plug,sensor")
	require.Zero(t, code, complaint)
	var got struct {
		Next []struct{ Do, At, Tool string }
	}
	require.NoError(t, json.Unmarshal([]byte(out), &got))
	require.NotEmpty(t, got.Next)
	for _, next := range got.Next {
		assert.NotEqual(t, "meter", next.Tool, "only what is carried is proposed")
		assert.False(t, next.At == "R2" && next.Tool == "plug", "what was skipped is not asked for again")
	}
}

// TestMeterCommand: the simulated meter answers on the wire until it is told to end.
func TestMeterCommand(t *testing.T) {
	file, _ := binderyFile(t)
	cmd := command(t, "meter", "--circuit", file, "--at", "R4", "--listen", "127.0.0.1:0")
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	line, err := bufio.NewReader(out).ReadString('\n')
	require.NoError(t, err)
	meter := &meterlink.Meter{Address: strings.TrimSpace(line[strings.LastIndex(line, " ")+1:])}
	defer meter.Close()
	volts, err := meter.Measure(t.Context(), meterlink.VoltsAC)
	require.NoError(t, err)
	assert.Less(t, volts, 5.0, "behind the open neutral, with the glue pot on")
	require.NoError(t, cmd.Process.Signal(syscall.SIGTERM))
	assert.NoError(t, cmd.Wait())
}

// TestServe: it prints its address, answers on the loopback alone, and ends
// cleanly when told to.
func TestServe(t *testing.T) {
	for _, name := range []string{"serve", "demo"} {
		cmd := command(t, name, "--listen", "127.0.0.1:0", "--db", filepath.Join(t.TempDir(), "shop.db"))
		out, err := cmd.StdoutPipe()
		require.NoError(t, err)
		require.NoError(t, cmd.Start())
		line, err := bufio.NewReader(out).ReadString('\n')
		require.NoError(t, err)
		address := line[strings.Index(line, "http"):]
		assert.Contains(t, address, "http://127.0.0.1:")
		response, err := http.Get(strings.TrimSpace(address) + "/api/v1/calls")
		require.NoError(t, err)
		var calls []any
		require.NoError(t, json.NewDecoder(response.Body).Decode(&calls))
		require.NoError(t, response.Body.Close())
		assert.Len(t, calls, map[string]int{"serve": 0, "demo": 6}[name])
		require.NoError(t, cmd.Process.Signal(syscall.SIGTERM))
		assert.NoError(t, cmd.Wait(), "exit code 0")
	}
	assert.True(t, strings.HasPrefix(defaultAddress, "127.0.0.1:"), "on this machine alone unless told otherwise")
}

// TestMakeupAndRules: an opened box planned from the command line, by itself and
// on its run, and what is wrong in the file named.
func TestMakeupAndRules(t *testing.T) {
	const box = `{ "format": "elvat-box/1", "id": "B1", "edition": 2023, "place": { "room": "garage" },
		"breaker": { "amps": 20 }, "box": { "volumeIn3": 18 },
		"cables": [ { "id": "W1", "role": "line", "awg": 12, "conductors": ["hot", "neutral", "ground"] } ],
		"device": { "id": "G1", "kind": "gfci", "amps": 20, "terminals": "clamp" } }`
	const run1 = `{ "format": "elvat-circuit/1", "name": "shed", "supply": { "volts": 120, "hz": 60 }, "breaker": { "label": "1", "amps": 20 },
		"cables": [ { "id": "W1", "from": "panel", "to": "B1", "awg": 12, "feet": 30, "conductors": ["hot", "neutral", "ground"] } ],
		"boxes": [ { "id": "B1", "label": "Shed", "devices": [ { "id": "R1", "kind": "receptacle", "amps": 15 } ] } ] }`
	out, _, code := run(t, box, "makeup", "-")
	require.Zero(t, code)
	assert.Contains(t, out, `"G1.line.hot"`)
	assert.Contains(t, out, `"issued": true`)
	file := filepath.Join(t.TempDir(), "run.json")
	require.NoError(t, os.WriteFile(file, []byte(run1), 0o600))
	out, _, code = run(t, box, "makeup", "-", "--circuit", file)
	require.Zero(t, code)
	assert.Contains(t, out, `"label": "Shed"`)
	out, _, code = run(t, box, "rules", "-")
	require.Zero(t, code)
	assert.Contains(t, out, "210.8(A)(2)")
	_, problem, code := run(t, strings.Replace(box, "garage", "moon", 1), "rules", "-")
	assert.NotZero(t, code)
	assert.Contains(t, problem, "place.room")
}

// TestCircuitCommand: an ordered circuit is planned, one that goes on from a box needs the run
// that it hangs on, and what is wrong in the order is named.
func TestCircuitCommand(t *testing.T) {
	order, err := os.ReadFile("../../core/newrun/testdata/freezer.json")
	require.NoError(t, err)
	out, _, code := run(t, string(order), "circuit", "-")
	require.Zero(t, code)
	assert.Contains(t, out, `"format": "elvat-newrun-plan/1"`)
	assert.Contains(t, out, `"awg": 12`)
	for _, row := range []struct{ old, new, says string }{
		{`"feet": `, `"feet": -`, "feet"},
		{`"edition": `, `"editor": 1, "edition": `, `unknown key "editor"`},
		{`"by": "`, `"by": "air-`, "by"},
	} {
		_, problem, code := run(t, strings.Replace(string(order), row.old, row.new, 1), "circuit", "-")
		assert.NotZero(t, code, row.new)
		assert.Contains(t, problem, row.says)
	}
	file, _ := binderyFile(t)
	more := `{ "format": "elvat-newrun/1", "id": "N1", "edition": 2023, "from": "B2", "outlets": [ { "id": "PR", "label": "Press", "for": "workshop",
		"place": { "room": "workshop", "finished": true, "exposure": "dry" }, "way": [ { "by": "open-joists", "feet": 14 } ] } ] }`
	_, problem, code := run(t, more, "circuit", "-")
	assert.NotZero(t, code)
	assert.Contains(t, problem, `"B2" is no box of the run that it is to hang on`)
	out, _, code = run(t, more, "circuit", "-", "--run", file)
	require.Zero(t, code)
	assert.Contains(t, out, `"Press"`)
}

// TestDayCommand: a day is put into order, with its times.
func TestDayCommand(t *testing.T) {
	const day = `{ "format": "elvat-day/1", "date": "2026-05-04", "van": "Van 1", "starts": "08:00", "ends": "16:00", "stops": [
		{ "id": "porch", "minutes": { "usual": 60, "least": 40, "most": 90 } },
		{ "id": "loft", "minutes": { "usual": 60, "least": 40, "most": 90 }, "from": "08:00", "to": "08:30" } ] }`
	out, _, code := run(t, day, "day", "-")
	require.Zero(t, code)
	assert.Less(t, strings.Index(out, `"loft"`), strings.Index(out, `"porch"`))
	_, problem, code := run(t, strings.Replace(day, "08:30", "8.30", 1), "day", "-")
	assert.NotZero(t, code)
	assert.Contains(t, problem, "8.30")
}

// TestDrillCommand: a scene is the same for the same seed, and hides what is wrong apart from
// what the learner knows.
func TestDrillCommand(t *testing.T) {
	one, _, code := run(t, "", "drill", "--theme", "gfci", "--level", "2", "--seed", "5")
	require.Zero(t, code)
	two, _, _ := run(t, "", "drill", "--theme", "gfci", "--level", "2", "--seed", "5")
	assert.Equal(t, one, two)
	s, err := drill.Parse([]byte(one))
	require.NoError(t, err)
	assert.Empty(t, s.Circuit.Faults)
	assert.NotEmpty(t, s.Hidden)
	_, problem, code := run(t, "", "drill", "--theme", "magic")
	assert.NotZero(t, code)
	assert.Contains(t, problem, `theme: "magic" is none of`)
}

// TestDrillPlayed at the terminal, a line for each thing done: to its end, and into a danger.
func TestDrillPlayed(t *testing.T) {
	scene, _, code := run(t, "", "drill", "--theme", "patterns", "--level", "1", "--seed", "1")
	require.Zero(t, code)
	file := filepath.Join(t.TempDir(), "scene.json")
	require.NoError(t, os.WriteFile(file, []byte(scene), 0o600))
	for _, row := range []struct {
		name, lines string
		says        []string
	}{
		{
			"to its end",
			"sensor R3 bottom\nplug R3 bottom\nadvice\noff\ndead B3\nopen B3\nwires B3\ntake W3@B3.hot R3.neutral.1\ntake W3@B3.neutral R3.hot.1\n" +
				"put W3@B3.hot R3.hot.1\nclose B3\nput W3@B3.neutral R3.neutral.1\nstrip 0.75\nclose B3\non\nplug R3 bottom\ndone\n",
			[]string{
				"hot to neutral, neutral to ground lit", "reversed polarity at Scanner", "Live, dead, live", "has no place", "It is right: every wire has its place",
				// By hand: 0.5 + 0.5 + 2 for advice + 8.5 for the box + 4 for wiring it once more.
				"68 of 100. 15.5 min, boxes opened 1; the best path 10.5 min", "Advice asked for",
			},
		},
		{"into a danger", "open B3\nplug R3\n", []string{"STOPPED. Opened Scanner, and it was not proven dead", "0 of 100"}},
		{"what cannot be", "plug R9\nput a b\ntorch\nstrip long\ngive-up\n", []string{"R9, top half: in this drill there is no such place", "wires BOX first", "0 of 100", "It was: reversed polarity at Scanner"}},
	} {
		out, problem, code := run(t, row.lines, "drill", "play", file)
		require.Zero(t, code, problem)
		for _, says := range row.says {
			assert.Contains(t, out, says, row.name)
		}
	}
	_, problem, code := run(t, "", "drill", "play", filepath.Join(t.TempDir(), "none.json"))
	assert.NotZero(t, code)
	assert.Contains(t, problem, "none.json")
}
