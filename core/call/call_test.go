package call

import (
	"encoding/json"
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/job"
	"elvat/core/makeup"
	"elvat/core/tester"
	"elvat/core/visit"
)

var noon = time.Date(2026, 3, 2, 12, 0, 0, 0, time.UTC)

func at(minute int) time.Time { return noon.Add(time.Duration(minute) * time.Minute) }

func when(minute int) *time.Time {
	t := at(minute)
	return &t
}

// loft is a run of three outlets in line.
func loft(t *testing.T) *circuit.Circuit {
	c := circuit.New("Print loft")
	for i, label := range []string{"Press", "Drying rack", "Paper store"} {
		after := circuit.Panel
		if i > 0 {
			after = fmt.Sprint("B", i)
		}
		require.NoError(t, c.AddStop(circuit.NewStop{After: after, Label: label, Ground: true}))
	}
	return c
}

func kept(t *testing.T, id string, minute int, r tester.Reading) Kept {
	document, err := json.Marshal(r)
	require.NoError(t, err)
	return Kept{ID: id, At: at(minute), Document: document}
}

func plug(device string, half circuit.Half, hn, hg, ng tester.Lit) tester.Reading {
	return tester.Reading{
		At:    device,
		Half:  half,
		Tool:  tester.Plug,
		Lamps: &tester.Lamps{HotNeutral: hn, HotGround: hg, NeutralGround: ng},
	}
}

var (
	right = []tester.Lit{tester.IsLit, tester.IsLit, tester.IsDark}
	dark  = []tester.Lit{tester.IsDark, tester.IsDark, tester.IsDark}
	open  = circuit.Fault{Kind: circuit.Open, At: "W2@B2.hot"}
	found = tester.Reading{Tool: tester.Eyes, Site: "B2", Found: &tester.Found{Faults: []circuit.Fault{open}}}
	fixed = tester.Reading{Tool: tester.Fixed, Faults: []circuit.Fault{open}}
)

func lamps(device string, l []tester.Lit) tester.Reading {
	return plug(device, circuit.Top, l[0], l[1], l[2])
}

// TestEvidence: what counts, what does not and why, and where as found ends.
func TestEvidence(t *testing.T) {
	first, second := kept(t, "a", 1, lamps("R1", right)), kept(t, "b", 2, lamps("R2", dark))
	withdrawn := second
	withdrawn.Withdrawn = true
	doubtful := second
	doubtful.Doubtful = true
	skipped := lamps("R3", right)
	skipped.Lamps, skipped.Skipped = nil, true
	for _, row := range []struct {
		name     string
		readings []Kept
		boxes    []Box
		counts   int
		problems map[string]string
		asFound  []bool // at minutes 1, 2, 5
	}{
		{"nothing yet", nil, nil, 0, nil, []bool{true, true, true}},
		{"two readings", []Kept{first, second}, nil, 2, nil, []bool{true, true, true}},
		{"one withdrawn", []Kept{first, withdrawn}, nil, 1, nil, []bool{true, true, true}},
		{"one doubtful counts, as such", []Kept{first, doubtful}, nil, 2, nil, []bool{true, true, true}},
		{"one skipped is none", []Kept{first, kept(t, "s", 2, skipped)}, nil, 1, nil, []bool{true, true, true}},
		{"one at a stop that is gone", []Kept{first, kept(t, "g", 2, lamps("R9", dark))}, nil, 1, map[string]string{"g": "no such device"}, []bool{true, true, true}},
		{"put right without a make-up", []Kept{first, second, kept(t, "f", 3, found), kept(t, "x", 4, fixed), kept(t, "y", 5, lamps("R2", right))}, nil, 5, nil, []bool{true, true, false}},
		{"made up between", []Kept{first, kept(t, "b", 5, lamps("R2", right))}, []Box{{ID: "B2", MadeAt: when(3)}}, 1, map[string]string{"a": "as found, before Drying rack was made up anew"}, []bool{true, true, false}},
		{"two made up: as found ends with the first", []Kept{first, second, kept(t, "c", 5, lamps("R2", right))}, []Box{{ID: "B2", MadeAt: when(2)}, {ID: "B3", MadeAt: when(4)}}, 1,
			map[string]string{"a": "before Paper store", "b": "before Paper store"}, []bool{true, false, false}},
		{"come in late, taken before the make-up", []Kept{kept(t, "b", 5, lamps("R2", right)), first}, []Box{{ID: "B2", MadeAt: when(3)}}, 1, map[string]string{"a": "as found, before Drying rack"}, []bool{true, true, false}},
		{"recorded and not made up", []Kept{first, second}, []Box{{ID: "B2"}}, 2, nil, []bool{true, true, true}},
	} {
		t.Run(row.name, func(t *testing.T) {
			r := &Record{Circuit: loft(t), Readings: row.readings, Boxes: row.boxes}
			e, err := r.Evidence()
			require.NoError(t, err)
			assert.Len(t, e.InForce, row.counts)
			assert.Len(t, e.Lines, len(row.readings), "nothing that was entered is lost")
			for _, l := range e.Lines {
				if want := row.problems[l.ID]; want == "" {
					assert.Empty(t, l.Problem, l.ID)
				} else {
					assert.Contains(t, l.Problem, want)
				}
			}
			for i, minute := range []int{1, 2, 5} {
				assert.Equal(t, row.asFound[i], e.AsFound(at(minute)), "minute %d", minute)
			}
		})
	}
	late := &Record{
		Circuit:  loft(t),
		Readings: []Kept{kept(t, "b", 5, lamps("R2", right)), kept(t, "c", 5, lamps("R3", right)), first},
	}
	e, err := late.Evidence()
	require.NoError(t, err)
	assert.Equal(
		t,
		[]string{"a", "b", "c"},
		[]string{e.Lines[0].ID, e.Lines[1].ID, e.Lines[2].ID},
		"by when they were taken, else as they came in",
	)
	_, err = (&Record{Circuit: loft(t), Readings: []Kept{{ID: "z", Document: []byte(`{`)}}}).Evidence()
	assert.ErrorContains(t, err, "reading z")
}

// TestTaken: the history of a run draws the same line, whatever has become of the run.
func TestTaken(t *testing.T) {
	r := &Record{
		Readings: []Kept{kept(t, "a", 1, lamps("R77", dark)), kept(t, "x", 2, fixed), kept(t, "b", 3, lamps("R77", right))},
	}
	taken, err := r.taken()
	require.NoError(t, err)
	require.Len(t, taken, 3)
	assert.Equal(t, []bool{true, false, false}, []bool{taken[0].AsFound, taken[1].AsFound, taken[2].AsFound})
	r.Readings[1].Withdrawn = true
	taken, err = r.taken()
	require.NoError(t, err)
	require.Len(t, taken, 2)
	assert.True(t, taken[1].AsFound, "taken back: as found goes on")
}

// TestPast: which boxes were made up, and what was put in by that.
func TestPast(t *testing.T) {
	r := &Record{
		Boxes: []Box{
			{ID: "B1", Makeup: &makeup.Box{Device: &makeup.Device{ID: "G1", Kind: "gfci"}}, MadeAt: when(4)},
			{ID: "B2", Makeup: &makeup.Box{Device: &makeup.Device{ID: "R2", Kind: "receptacle"}}},
		},
		Readings: []Kept{kept(t, "a", 1, lamps("R1", right))},
	}
	past, err := r.Past()
	require.NoError(t, err)
	assert.Equal(t, map[string]time.Time{"B1": at(4)}, past.MadeUp)
	assert.Equal(t, map[string]string{"G1": "gfci"}, past.New, "only where it was made up so")
	require.Len(t, past.Readings, 1)
	assert.True(t, past.Readings[0].AsFound)
}

// TestTouched: made up, or put right there; at the panel it is the first box.
func TestTouched(t *testing.T) {
	panel := fixed
	panel.Faults = []circuit.Fault{{Kind: circuit.Open, At: "W1@panel.hot"}}
	for _, row := range []struct {
		readings []Kept
		boxes    []Box
		want     []string
	}{
		{nil, nil, nil}, {nil, []Box{{ID: "B1"}}, nil}, {nil, []Box{{ID: "B3", MadeAt: when(1)}}, []string{"B3"}},
		{nil, []Box{{ID: "B9", MadeAt: when(1)}}, nil},
		{[]Kept{kept(t, "x", 2, fixed)}, []Box{{ID: "B3", MadeAt: when(1)}}, []string{"B3", "B2"}},
		{[]Kept{kept(t, "x", 2, fixed)}, []Box{{ID: "B2", MadeAt: when(1)}}, []string{"B2"}},
		{[]Kept{kept(t, "x", 2, panel)}, nil, []string{"B1"}},
	} {
		r := &Record{Circuit: loft(t), Readings: row.readings, Boxes: row.boxes}
		e, err := r.Evidence()
		require.NoError(t, err)
		assert.Equal(t, row.want, r.Touched(e))
	}
}

func now(t *testing.T, r *Record) *View {
	e, err := r.Evidence()
	require.NoError(t, err)
	engine, err := diagnosis.NewEngine(r.Circuit, diagnosis.Defaults())
	require.NoError(t, err)
	result, err := engine.Diagnose(slices.Concat(e.InForce, e.Skipped))
	require.NoError(t, err)
	v, err := r.Now(e, result)
	require.NoError(t, err)
	return v
}

// TestNow follows a call from the complaint to the hand-over.
func TestNow(t *testing.T) {
	r := &Record{Circuit: loft(t)}
	v := now(t, r)
	assert.Equal(t, job.Complaint, v.Facts.Now(), "cautions first")
	assert.Equal(t, 6, v.Facts.Halves)
	assert.Empty(t, v.Checks)
	r.CautionsReadAt = when(0)
	r.Readings = []Kept{
		kept(t, "a", 1, lamps("R1", right)),
		kept(t, "b", 2, lamps("R2", dark)),
		kept(t, "c", 3, lamps("R3", dark)),
	}
	v = now(t, r)
	assert.Equal(t, job.AsFound, v.Facts.Now())
	assert.Len(t, v.Halves(), 3)
	assert.Contains(t, v.Cause().Words, "is not recorded; the readings point at ")
	assert.NotEmpty(t, v.Cause().Faults)
	assert.Contains(t, v.Leading(), "open hot")
	assert.Equal(t, v.Result.Sites[0].Site, v.WorkBox, "the likeliest")

	r.Readings = append(r.Readings, kept(t, "d", 4, found))
	v = now(t, r)
	assert.Equal(t, "found: open hot at Drying rack, end of the cable from Press", v.Cause().Words)
	assert.Equal(t, []circuit.Fault{open}, v.Cause().Faults)

	r.Readings = append(r.Readings, kept(t, "e", 5, fixed))
	v = now(t, r)
	assert.Equal(t, "The fault", v.Facts.MadeUp)
	assert.Equal(t, job.Prove, v.Facts.Now())
	assert.NotEmpty(t, v.Checks)
	assert.Equal(t, len(v.Checks), v.Facts.Left)
	assert.True(t, v.AsFound(at(3)), "what was read before stays as found")
	assert.False(t, v.AsFound(at(6)))

	made := &Record{
		Circuit:        r.Circuit,
		CautionsReadAt: when(0),
		Readings:       r.Readings[:3],
		Boxes:          []Box{{ID: "B2", MadeAt: when(7)}},
	}
	v = now(t, made)
	assert.Equal(t, "B2", v.WorkBox)
	assert.Equal(t, "Drying rack", v.Facts.MadeUp)
	assert.Empty(t, v.Leading(), "it was made up")
	assert.Empty(t, v.InForce)

	over := &Record{
		Circuit:        r.Circuit,
		CautionsReadAt: when(0),
		Journal:        job.Journal{{Kind: job.HandedOver, At: at(9)}},
		Answers:        []visit.Answer{{Kind: visit.Danger, Signs: []visit.Sign{visit.Heat}, Box: "B1"}},
	}
	v = now(t, over)
	assert.True(t, v.Facts.HandedOver)
	assert.Equal(t, "heat at Press", v.Facts.Reported)
	over.Journal[0].Withdrawn = true
	assert.False(t, now(t, over).Facts.HandedOver)
}

// TestSaidLast: of a box the last that was said counts, in words or by eyes; what was not
// reached is no answer.
// TestUndoOnlyOnesOwn: an undoing takes back what its maker did and meant, however late it
// arrives, and never what another device did.
func TestUndoOnlyOnesOwn(t *testing.T) {
	r := begun(t)
	n := 0
	do := func(device, person string, d Doing) error {
		n++
		next, a, err := r.Decide(Command{ID: fmt.Sprint("command-", n), At: noon.Add(time.Duration(n) * time.Minute), Seen: r.Version, Device: device, Person: person, Do: d}, theHouse)
		if err == nil {
			require.NotNil(t, a)
			next.keptAs(int64(len(next.Log)))
			r = next
		}
		return err
	}
	require.NoError(t, do("phone", "Ada", &AddLoad{At: "R1", Half: circuit.Top, Watts: 60})) // command-1
	require.NoError(t, do("office", "Bo", &Rename{Complaint: new("hums")}))                  // command-2
	require.ErrorIs(t, do("tablet", "", &Undo{}), ErrNothingLeft, "the tablet did nothing")
	require.ErrorIs(t, do("tablet", "", &Undo{Of: "command-1"}), ErrNothingLeft, "and may not name another's")
	late := Command{ID: "late", At: noon, Device: "phone", Do: &Undo{}}
	Fix(&late, r)
	require.Equal(t, &Undo{Of: "command-1"}, late.Do)
	require.NoError(t, do("phone", "Ada", &AddLoad{At: "R2", Half: circuit.Top, Watts: 70}))
	require.NoError(t, do("phone", "Ada", late.Do), "it arrives after the next")
	require.Len(t, r.Circuit.Loads, 1)
	assert.Equal(t, "R2", r.Circuit.Loads[0].At)
	assert.Equal(t, "hums", r.Complaint)
	require.ErrorIs(t, do("phone", "Ada", &Undo{Of: "command-1"}), ErrNothingLeft, "it was taken back")
	require.NoError(t, do("laptop", "Ada", &Undo{}), "the same person, elsewhere")
	assert.Empty(t, r.Circuit.Loads)
	require.NoError(t, do("phone", "Ada", &Redo{}))
	assert.Len(t, r.Circuit.Loads, 1)
}

func TestSaidLast(t *testing.T) {
	nothing := tester.Reading{Tool: tester.Eyes, Site: "B2", Skipped: true}
	words := func(minute int, text string) job.Entry {
		return job.Entry{Kind: job.WasFound, Box: "B2", Text: text, At: at(minute)}
	}
	for _, row := range []struct {
		name     string
		readings []Kept
		journal  job.Journal
		found    string
		cause    string
	}{
		{"not reached", []Kept{kept(t, "s", 1, nothing)}, nil, "", ""},
		{"words", nil, job.Journal{words(1, "a loose hot")}, "a loose hot", "found: a loose hot at Drying rack"},
		{"words anew", nil, job.Journal{words(1, "a loose hot"), words(2, "scorched")}, "scorched", "found: scorched at Drying rack"},
		{"eyes, then words", []Kept{kept(t, "e", 1, found)}, job.Journal{words(2, "scorched")}, "scorched", "found: scorched at Drying rack"},
		{"words, then eyes", []Kept{kept(t, "e", 2, found)}, job.Journal{words(1, "scorched")}, "open hot at Drying rack, end of the cable from Press", "found: open hot at Drying rack, end of the cable from Press"},
	} {
		r := &Record{Circuit: loft(t), CautionsReadAt: when(0), Readings: row.readings, Journal: row.journal}
		assert.Equal(t, row.found, r.FoundIn("B2"), row.name)
		if row.cause != "" {
			assert.Equal(t, row.cause, now(t, r).Cause().Words, row.name)
		}
	}
}

// TestNeverCertain: no probability is said to be more than 99 %.
func TestNeverCertain(t *testing.T) {
	v := &View{
		Evidence: &Evidence{},
		Result: &diagnosis.Result{
			Suspects: []diagnosis.Suspect{
				{Name: "open hot", Place: "at Press", Probability: 0.99999, Faults: []circuit.Fault{open}},
			},
		},
		circuit: loft(t),
	}
	assert.Contains(t, v.Leading(), "(99 %)")
	assert.Contains(t, v.Cause().Words, "is not recorded; the readings point at open hot")
	v.Result.Suspects[0].Faults, v.Result.Suspects[0].Beside = nil, []diagnosis.Unrecorded{
		{Kind: diagnosis.Switched, At: "R1"},
	}
	assert.NotEmpty(t, v.Cause().Words, "a switch that is off is a cause")
	v.Result.Suspects[0].Beside[0].Kind = diagnosis.UnrecordedLoad
	assert.Empty(t, v.Cause().Words, "what is plugged in is none")
}

// TestMove: who only ever makes the next move does the job in its order; a danger that is
// not excluded comes before all else while the power is on.
func TestMove(t *testing.T) {
	off, on := false, true
	read := []Kept{kept(t, "a", 1, lamps("R1", right)), kept(t, "b", 2, lamps("R2", dark)), kept(t, "c", 3, lamps("R3", dark))}
	whole := append(slices.Clone(read),
		kept(t, "d", 3, plug("R1", circuit.Bottom, right[0], right[1], right[2])), kept(t, "e", 3, plug("R2", circuit.Bottom, dark[0], dark[1], dark[2])))
	livePin := append(slices.Clone(read), kept(t, "live", 4, tester.Reading{
		At: "R1", Half: circuit.Top, Tool: tester.Plug,
		Lamps: &tester.Lamps{HotNeutral: tester.IsLit, HotGround: tester.IsDark, NeutralGround: tester.IsLit},
	}))
	zero, live := 0.0, 121.0
	pair := job.PairVolts{HotNeutral: &zero, HotGround: &zero, NeutralGround: &zero}
	proven := job.Entry{Kind: job.Proven, Tester: "meter", Source: "hall", Volts: &live, At: at(5)}
	dead := func(stage job.Stage) job.Entry {
		return job.Entry{Kind: job.DeadTest, Box: "B2", Stage: stage, At: at(5), Dead: &job.DeadVolts{
			Top: pair, Bottom: pair, TopToEarth: &zero, BottomToEarth: &zero, SensorSilent: true,
		}}
	}
	begun := job.Journal{{Kind: job.BreakerOff, Secured: "lock", At: at(5)}, proven, dead(job.Installed), proven}
	open := append(slices.Clone(begun), dead(job.DeviceOut), proven)
	said := append(slices.Clone(open), job.Entry{Kind: job.WasFound, Box: "B2", Text: "a loose hot", At: at(6)})
	for _, row := range []struct {
		name   string
		change func(*Record)
		kind   MoveKind
		screen MoveScreen
	}{
		{"nothing yet", func(r *Record) { r.CautionsReadAt = nil }, CautionsNext, OnCall},
		{"no run", func(r *Record) { r.Circuit = circuit.New("x") }, DrawRun, OnCall},
		{"nothing read", func(*Record) {}, Diagnose, OnCall},
		{"half read", func(r *Record) { r.Readings = read }, Diagnose, OnCall},
		{"a live pin is not excluded", func(r *Record) { r.Readings = livePin }, Exclude, OnCall},
		{"150 V are shown: off, whatever else is not excluded", func(r *Record) {
			high := 150.0
			r.Readings = append(slices.Clone(livePin), kept(t, "high", 5, tester.Reading{At: "R2", Half: circuit.Top, Tool: tester.Meter, Mode: tester.HighZ, Volts: &tester.Volts{HotNeutral: &high}}))
		}, SwitchOff, OnDead},
		{"nor can it be", func(r *Record) {
			r.Readings = append(slices.Clone(livePin), kept(t, "cannot", 5, tester.Reading{At: "R1", Half: circuit.Top, Tool: tester.Sensor, Skipped: true}))
		}, Diagnose, OnCall},
		{"and the power is off", func(r *Record) { r.Readings, r.Said = livePin, &tester.State{BreakerOn: &off} }, ProveDead, OnDead},
		{"off, not proven", func(r *Record) { r.Readings, r.Said = whole, &tester.State{BreakerOn: &off} }, ProveDead, OnDead},
		{"opened", func(r *Record) { r.Journal, r.Said = begun, &tester.State{BreakerOn: &off} }, ProveDead, OnDead},
		{"the wires are dead", func(r *Record) { r.Journal, r.Said = open, &tester.State{BreakerOn: &off} }, LookIn, OnBox},
		{"what it was is said", func(r *Record) { r.Journal, r.Said = said, &tester.State{BreakerOn: &off} }, MakeItUp, OnBox},
		{"made up, off", func(r *Record) { r.Boxes, r.Said = []Box{{ID: "B2", MadeAt: when(7)}}, &tester.State{BreakerOn: &off} }, SwitchOn, OnProve},
		{"made up, on", func(r *Record) { r.Boxes, r.Said = []Box{{ID: "B2", MadeAt: when(7)}}, &tester.State{BreakerOn: &on} }, ProveWork, OnProve},
		{"handed over", func(r *Record) { r.Journal = job.Journal{{Kind: job.HandedOver, At: at(9)}} }, NextCall, OnDay},
	} {
		r := &Record{Circuit: loft(t), CautionsReadAt: when(0)}
		row.change(r)
		m := r.Move(now(t, r))
		assert.Equal(t, row.kind, m.Kind, "%s: %v", row.name, m)
		assert.Equal(t, row.screen, m.Screen, row.name)
		assert.NotEmpty(t, m.Words, row.name)
		assert.False(t, m.At == "R1" && m.Tool == tester.Plug && row.name == "nor can it be", "no plug tester at a pin that may be live")
		if m.Kind == Exclude {
			assert.Regexp(t, "^(Press|Drying rack|Paper store): ", m.Words, "it says where")
			assert.NotEmpty(t, m.Why, "and why")
			assert.NotEmpty(t, m.Half, "and at which half")
		}
	}
}

// TestNearest: the way on is the outlet that is the shortest walk along the cables from the
// last reading, and none that a plug tester must not go into or that cannot be reached.
func TestNearest(t *testing.T) {
	both := func(id string) []Kept {
		return []Kept{
			kept(t, id+"t", 1, plug(id, circuit.Top, right[0], right[1], right[2])),
			kept(t, id+"b", 1, plug(id, circuit.Bottom, right[0], right[1], right[2])),
		}
	}
	skip := kept(t, "skip", 2, tester.Reading{At: "R2", Half: circuit.Top, Tool: tester.Plug, Skipped: true})
	live := kept(t, "live", 2, tester.Reading{
		At: "R2", Half: circuit.Top, Tool: tester.Plug,
		Lamps: &tester.Lamps{HotNeutral: tester.IsLit, HotGround: tester.IsDark, NeutralGround: tester.IsLit},
	})
	for _, row := range []struct {
		name string
		read []Kept
		at   string
		half circuit.Half
	}{
		{"nothing read: nearest the panel", nil, "R1", circuit.Top},
		{"half of one: its other half", both("R1")[:1], "R1", circuit.Bottom},
		{"one read: the next along the run", both("R1"), "R2", circuit.Top},
		{"from the far end back", both("R3"), "R2", circuit.Top},
		{"one cannot be reached", append(both("R1"), skip), "R3", circuit.Top},
		{"one may have a live pin", append(both("R1"), live), "R3", circuit.Top},
		{"all are read", slices.Concat(both("R1"), both("R2"), both("R3")), "", ""},
	} {
		r := &Record{Circuit: loft(t), CautionsReadAt: when(0), Readings: row.read}
		near := r.Nearest(now(t, r))
		if row.at == "" {
			assert.Nil(t, near, row.name)
			continue
		}
		require.NotNil(t, near, row.name)
		assert.Equal(t, row.at, near.At, row.name)
		assert.Equal(t, row.half, near.Half, row.name)
	}
}
