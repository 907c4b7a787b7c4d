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

// TestRightIsRight: every box of every scene, wired as a sound one, is judged right.
func TestRightIsRight(t *testing.T) {
	for _, theme := range Themes {
		for seed := range uint64(2) {
			s, err := Draw(theme, 2+2*int(seed), 100+seed)
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
