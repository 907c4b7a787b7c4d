package drill

import (
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/job"
	"elvat/core/runs"
	"elvat/core/tester"
)

func proven(string, job.GateName) []string { return nil }

func unproven(string, job.GateName) []string { return []string{"breaker off and secured"} }

// take takes a step as a call does.
func take(t *testing.T, d *Drill, step *Step, err error) *Step {
	t.Helper()
	require.NoError(t, err)
	d.Steps = append(d.Steps, *step)
	return step
}

func putOn(t *testing.T, d *Drill, r tester.Reading) *Step {
	t.Helper()
	step, err := d.Put(r, proven)
	return take(t, d, step, err)
}

// rightly is the box wired as it should be, everything made afresh.
func rightly(d *Drill, box string) *Wired {
	there := *d.Scene.Circuit.Box(box)
	w := &Wired{Pairs: d.Scene.Circuit.Pairs(&there), New: true, StripIn: hookIn}
	if step, err := d.Judge(box, w); err == nil && !step.Judged.Right && there.Wiring == nil { // two wires sat under one screw
		there.Makeup, there.Wiring = circuit.Pigtail, nil
		w.Pairs = d.Scene.Circuit.Pairs(&there)
	}
	return w
}

// advised plays a drill as the advice says until nothing is wrong any more.
func advised(t *testing.T, s *Scene) *Drill {
	t.Helper()
	d := &Drill{Scene: s, Exact: true}
	engine, err := diagnosis.NewEnsemble(s.Circuit, s.Map, s.Settings())
	require.NoError(t, err)
	// Nobody plugs in where nothing is known: the sensor at the plate first.
	first := putOn(t, d, tester.Reading{At: s.Complaint.At, Half: s.Complaint.Half, Tool: tester.Sensor})
	readings := []tester.Reading{*first.Reading}
	readings = append(readings, *putOn(t, d, tester.Reading{At: s.Complaint.At, Half: s.Complaint.Half, Tool: s.Complaint.Tool}).Reading)
	for range 60 {
		result, err := engine.Diagnose(readings)
		require.NoError(t, err)
		i := slices.IndexFunc(result.Next, func(n diagnosis.Test) bool {
			return n.Do == diagnosis.DoReading || n.Do == diagnosis.DoAct || n.Do == diagnosis.DoDone || n.Do == diagnosis.DoOpen
		})
		if i < 0 || result.Next[i].Do == diagnosis.DoDone {
			return d
		}
		switch next := result.Next[i]; next.Do {
		case diagnosis.DoOpen:
			step := putOn(t, d, tester.Reading{Tool: tester.Eyes, Site: next.Site})
			readings = append(readings, *step.Reading)
			if found := step.Reading.Found.Faults; len(found) > 0 {
				wired, err := d.Judge(next.Site, rightly(d, next.Site))
				take(t, d, wired, err)
				require.True(t, wired.Judged.Right, "%v at %s: %+v", found, next.Site, wired.Judged)
				readings = append(readings, tester.Reading{Tool: tester.Fixed, Faults: found})
			}
		case diagnosis.DoAct:
			at := next.At
			if next.Act != tester.Reset && next.Act != tester.FindBox {
				at = ""
			}
			readings = append(readings, *putOn(t, d, tester.Reading{Tool: tester.Act, Act: next.Act, At: at}).Reading)
		default:
			if slices.ContainsFunc(result.Hidden, func(k diagnosis.Danger) bool { return k.At == next.At }) && slices.Contains(goesIn, next.Tool) && !slices.Contains(d.state().felt, next.At) {
				next.Tool = tester.Sensor // it is in sight that its metal may be live
			}
			step := putOn(t, d, tester.Reading{At: next.At, Half: next.Half, Tool: next.Tool, Mode: next.Mode, Between: next.Between, Site: next.Site, Hint: next.Hint})
			if step.Stop != nil {
				return d
			}
			readings = append(readings, *step.Reading)
		}
		if len(d.Left()) == 0 {
			return d
		}
	}
	return d
}

// TestAdviceIsTheBestPath: a drill that is played as the advice says takes what the trial's own
// electrician takes on the same scene, within a tenth; and hurts nobody.
func TestAdviceIsTheBestPath(t *testing.T) {
	minutes, best, near := 0.0, 0.0, 0
	for i, theme := range Themes {
		s, err := Draw(theme, 1+i%lastLevel, 300)
		require.NoError(t, err)
		y, err := s.Measure()
		require.NoError(t, err)
		d := advised(t, s)
		score, err := d.Score(y)
		require.NoError(t, err)
		assert.True(t, score.Solved, theme)
		assert.Nil(t, score.Stop, theme)
		assert.Empty(t, score.Counted[string(AskedHelp)], theme)
		minutes, best = minutes+score.Minutes, best+y.Best
		if math.Abs(score.Minutes-y.Best) <= 0.1*y.Best {
			near++
		}
	}
	// The sensor that goes first costs half a minute, and now and then tells something.
	assert.InEpsilon(t, best, minutes, 0.1)
	assert.GreaterOrEqual(t, near, len(Themes)*3/4)
	t.Logf("%.0f min played, %.0f the best path; %d of %d within a tenth", minutes, best, near, len(Themes))
}

// walked plays a drill by the trade's plain rule: the last box that shows something first, then box
// by box upstream to the panel, and so on from the next such box.
func walked(t *testing.T, s *Scene) *Drill {
	t.Helper()
	d := &Drill{Scene: s, Exact: true}
	truth, err := s.Truth()
	require.NoError(t, err)
	l, err := see(truth)
	require.NoError(t, err)
	var route []string
	order := s.Circuit.Order()
	shows := func(id string) bool {
		for i, o := range l.outlets {
			if _, box := s.Circuit.Device(o.Device); box.ID == id && (l.lampsDiffer(i) || l.differs(i)) {
				return true
			}
		}
		return false
	}
	for _, id := range slices.Backward(order) {
		if shows(id) {
			route = append(append(route, s.Circuit.Upstream(id)...), circuit.Panel)
		}
	}
	for _, site := range append(route, order...) {
		if len(d.Left()) == 0 {
			break
		}
		if slices.ContainsFunc(d.Steps, func(k Step) bool { return k.Reading != nil && k.Reading.Site == site }) {
			continue
		}
		step := putOn(t, d, tester.Reading{Tool: tester.Eyes, Site: site})
		if len(step.Reading.Found.Faults) > 0 {
			wired, err := d.Judge(site, rightly(d, site))
			take(t, d, wired, err)
		}
	}
	return d
}

// TestWalkedIsTheWalk: a drill that is played by the plain rule takes what the trial says the rule
// takes.
func TestWalkedIsTheWalk(t *testing.T) {
	for i, theme := range Themes {
		s, err := Draw(theme, 1+i%lastLevel, 300)
		require.NoError(t, err)
		y, err := s.Measure()
		require.NoError(t, err)
		score, err := walked(t, s).Score(y)
		require.NoError(t, err)
		assert.True(t, score.Solved, theme)
		assert.InDelta(t, y.Walk, score.Minutes, 1e-6, theme)
		assert.Equal(t, y.WalkBoxes, score.Boxes, theme)
	}
}

// TestScoredByHand: a drill with a wrong box, a test that tells nothing new, and no advice; minutes
// are those of diagnosis.Defaults: a tester half a minute, the way to another box half, a box 8.
func TestScoredByHand(t *testing.T) {
	c := circuit.New("bench")
	require.NoError(t, c.AddStop(circuit.NewStop{After: circuit.Panel, Label: "near", AWG: 12, Feet: 20, Ground: true}))
	require.NoError(t, c.AddStop(circuit.NewStop{After: "B1", Label: "far", AWG: 12, Feet: 20, Ground: true}))
	s, err := From(c, diagnosis.Conditions{}, runs.Map{}, []circuit.Fault{{Kind: circuit.Open, At: "W2@B2.hot"}})
	require.NoError(t, err)
	assert.Equal(t, "R2", s.Complaint.At)
	d := &Drill{Scene: s, Exact: true}
	plug := tester.Reading{Tool: tester.Plug, At: "R2", Half: circuit.Top}
	putOn(t, d, plug)                                          // 0.5, where it was noticed
	putOn(t, d, plug)                                          // 0.5 once more
	putOn(t, d, tester.Reading{Tool: tester.Eyes, Site: "B1"}) // 8.5, and sound
	putOn(t, d, tester.Reading{Tool: tester.Eyes, Site: "B2"}) // 8.5
	step, err := d.Judge("B2", &Wired{Pairs: c.Pairs(c.Box("B2")), StripIn: 1, Marked: []string{"W2@B2.neutral"}})
	take(t, d, step, err) // 4: stripped too far, and marked
	assert.Len(t, step.Judged.Wrong, 2, "%v", step.Judged)
	step, err = d.Judge("B2", rightly(d, "B2"))
	take(t, d, step, err)
	putOn(t, d, plug) // what makes sure is on nobody's bill
	score, err := d.Score(Yardstick{Best: 11})
	require.NoError(t, err)
	assert.InDelta(t, 0.5+0.5+8.5+8.5+4, score.Minutes, 1e-9)
	assert.Equal(t, 50, score.Points, "11 of 22")
	assert.Equal(t, 2, score.Boxes)
	assert.Equal(t, map[string]int{"repeated": 1, "wrong-box": 1, "wired": 1}, without(score.Counted, "little", "too-early"))
}

func without(all map[string]int, kinds ...string) map[string]int {
	out := map[string]int{}
	for k, n := range all {
		if !slices.Contains(kinds, k) {
			out[k] = n
		}
	}
	return out
}

// TestRightIsRight: every box of every scene, wired as a sound one, is judged right.
func TestRightIsRight(t *testing.T) {
	for _, theme := range Themes {
		for seed := range uint64(1) {
			s, err := Draw(theme, 3, 100+seed)
			require.NoError(t, err)
			for _, box := range s.Circuit.Boxes {
				d := &Drill{Scene: s}
				putOn(t, d, tester.Reading{Tool: tester.Eyes, Site: box.ID})
				step, err := d.Judge(box.ID, rightly(d, box.ID))
				require.NoError(t, err)
				assert.True(t, step.Judged.Right, "%s %d %s: %+v", theme, seed, box.ID, step.Judged)
			}
		}
	}
}

// BenchmarkPutOn puts a tester on, step after step of a drill that grows.
func BenchmarkPutOn(b *testing.B) {
	for _, row := range []int{0, 30, 59} {
		s, err := Shipped()[row].Scene()
		require.NoError(b, err)
		b.Run(s.Name, func(b *testing.B) {
			d := &Drill{Scene: s}
			for i := range 40 {
				o := s.Circuit.Boxes[i%len(s.Circuit.Boxes)].Devices[0]
				step, err := d.Put(tester.Reading{Tool: tester.Sensor, At: o.ID, Half: circuit.Top}, proven)
				require.NoError(b, err)
				d.Steps = append(d.Steps, *step)
			}
			for b.Loop() {
				_, err := d.Put(tester.Reading{Tool: tester.Plug, At: s.Complaint.At, Half: s.Complaint.Half}, proven)
				require.NoError(b, err)
			}
		})
	}
}
