package call

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/drill"
	"elvat/core/job"
	"elvat/core/tester"
)

// drilled is a drill as its commands leave it.
type drilled struct {
	t *testing.T
	r *Record
	n int
}

func aDrill(t *testing.T, theme drill.Theme, level int, seed uint64) *drilled {
	s, err := drill.Draw(theme, level, seed)
	require.NoError(t, err)
	scene, err := s.Encode()
	require.NoError(t, err)
	r, err := Open(1, nil, nil)
	require.NoError(t, err)
	d := &drilled{t: t, r: r}
	d.must(&Begin{Title: "of no account", Scene: scene})
	d.must(&ReadCautions{})
	return d
}

func (d *drilled) do(do Doing) error {
	d.n++
	at := time.Date(2026, 5, 4, 8, 0, d.n, 0, time.UTC)
	next, _, err := d.r.Decide(Command{ID: "command-" + at.Format("150405"), At: at, Device: "phone", Do: do}, House{})
	if err == nil {
		d.r = next
	}
	return err
}

func (d *drilled) must(do Doing) {
	d.t.Helper()
	require.NoError(d.t, d.do(do))
}

func (d *drilled) read(r tester.Reading) tester.Reading {
	d.t.Helper()
	document, err := json.Marshal(r)
	require.NoError(d.t, err)
	d.must(&AddReading{ID: "reading-" + time.Duration(d.n).String() + "-------", Reading: document})
	steps := d.r.Drill.Steps
	return *steps[len(steps)-1].Reading
}

func (d *drilled) enter(e job.Entry) {
	d.t.Helper()
	d.must(&AddEntry{ID: "entry-" + time.Duration(d.n).String() + "-------", Entry: e})
}

// dead proves the box dead, as on any call.
func (d *drilled) dead(box string) {
	d.t.Helper()
	d.enter(job.Entry{Kind: job.BreakerOff, Secured: "lock"})
	proven := job.Entry{Kind: job.Proven, Tester: "meter", Source: "hall"}
	for _, stage := range []job.Stage{job.Installed, job.DeviceOut} {
		d.enter(proven)
		d.enter(job.Entry{Kind: job.DeadTest, Box: box, Stage: stage, Dead: &job.DeadVolts{}})
	}
	d.enter(proven)
}

// TestADrillIsPlayed from the complaint to the hand-over by the commands of any call: what is
// entered as read is overwritten by what the testers show, and nothing is put right by saying so.
func TestADrillIsPlayed(t *testing.T) {
	d := aDrill(t, drill.Patterns, 1, 1)
	s := d.r.Drill.Scene
	box := s.Hidden[0].Sites[0]
	assert.Equal(t, s.Name, d.r.Title)
	assert.True(t, d.r.Silent())
	d.must(&DoInDrill{What: drill.Advice})
	assert.False(t, d.r.Silent(), "until something is done")
	lied := &tester.Lamps{HotNeutral: tester.IsLit, HotGround: tester.IsLit, NeutralGround: tester.IsDark}
	d.read(tester.Reading{At: s.Complaint.At, Half: s.Complaint.Half, Tool: tester.Sensor})
	shown := d.read(tester.Reading{At: s.Complaint.At, Half: s.Complaint.Half, Tool: tester.Plug, Lamps: lied})
	assert.NotEqual(t, lied, shown.Lamps, "it is not as it was said to be")
	assert.True(t, d.r.Silent())
	require.ErrorIs(t, d.do(&AddReading{ID: "fixed-by-saying", Reading: []byte(`{"tool":"fixed","faults":[]}`)}), drill.ErrByHand)
	require.ErrorIs(t, d.do(&MakeUp{Box: box}), drill.ErrByHand)
	require.ErrorContains(t, d.do(&DoInDrill{What: drill.Wire, Box: box, Wired: &drill.Wired{}}), "not proven dead")
	d.dead(box)
	found := d.read(tester.Reading{Tool: tester.Eyes, Site: box})
	require.Nil(t, d.r.Drill.Steps[len(d.r.Drill.Steps)-1].Stop)
	assert.Equal(t, s.Hidden[0].Faults, found.Found.Faults)
	there := *s.Circuit.Box(box)
	there.Makeup = circuit.Pigtail
	right := s.Circuit.Pairs(&there)
	d.must(&DoInDrill{What: drill.Wire, Box: box, Wired: &drill.Wired{Pairs: right[1:], New: true}})
	wrong := d.r.Drill.Steps[len(d.r.Drill.Steps)-1].Judged
	assert.False(t, wrong.Right)
	assert.NotEmpty(t, wrong.Shown, "and what a tester would show")
	d.must(&DoInDrill{What: drill.Wire, Box: box, Wired: &drill.Wired{Pairs: right, New: true}})
	assert.True(t, d.r.Drill.Steps[len(d.r.Drill.Steps)-1].Judged.Right)
	require.ErrorIs(t, d.do(&Undo{}), errDone)
	off := true
	require.ErrorIs(t, d.do(&MarkEntry{ID: d.r.EntryIDs[0], Withdrawn: &off}), errDone)
	d.enter(job.Entry{Kind: job.BreakerOn})
	after := d.read(tester.Reading{At: s.Complaint.At, Half: s.Complaint.Half, Tool: tester.Plug})
	assert.Equal(t, lied, after.Lamps, "now it is")
	d.enter(job.Entry{Kind: job.HandedOver, Who: "Ada", To: "nobody"})
	_, over := d.r.Drill.Over()
	assert.True(t, over)
	assert.False(t, d.r.Silent(), "the score tells what could have been known")
	require.ErrorIs(t, d.do(&DoInDrill{What: drill.GiveUp}), drill.ErrOver)

	y, err := s.Measure()
	require.NoError(t, err)
	score, err := d.r.Drill.Score(y)
	require.NoError(t, err)
	assert.True(t, score.Solved)
	assert.Equal(t, 1, score.Counted[string(drill.WiredWrong)])
	assert.Equal(t, 1, score.Counted[string(drill.AskedHelp)])
	// By hand: advice 2, sensor 0.5, lamps 0.5, the box 7.5 and the way there 1, wired once more 4.
	assert.InDelta(t, 2+0.5+0.5+8.5+4, score.Minutes, 1e-9)
	assert.InDelta(t, 100*y.Best/score.Minutes, score.Points, 0.51)
	again, err := Open(1, d.r.Parts(), d.r.Log)
	require.NoError(t, err)
	assert.Equal(t, len(d.r.Drill.Steps), len(again.Drill.Steps), "as it is kept")
}

// TestDangersEndIt: each dangerous act ends the drill at once and says what would have happened.
func TestDangersEndIt(t *testing.T) {
	last := func(d *drilled) *drill.Stop { return d.r.Drill.Steps[len(d.r.Drill.Steps)-1].Stop }
	for _, row := range []struct {
		name   string
		theme  drill.Theme
		danger drill.Danger
		do     func(d *drilled, s *drill.Scene)
	}{
		{"a box opened with the breaker on", drill.Patterns, drill.Touched, func(d *drilled, s *drill.Scene) {
			d.read(tester.Reading{Tool: tester.Eyes, Site: s.Circuit.Boxes[0].ID})
		}},
		{"off, and not proven dead", drill.Patterns, drill.Touched, func(d *drilled, s *drill.Scene) {
			d.enter(job.Entry{Kind: job.BreakerOff, Secured: "lock"})
			d.read(tester.Reading{Tool: tester.Eyes, Site: s.Circuit.Boxes[0].ID})
		}},
		{"a bootleg believed", drill.Bootlegs, drill.Bootleg, func(d *drilled, _ *drill.Scene) {
			d.enter(job.Entry{Kind: job.HandedOver, Who: "Ada", To: "nobody"})
		}},
		{"ohms with the breaker on", drill.Patterns, drill.OhmsLive, func(d *drilled, s *drill.Scene) {
			w := s.Circuit.Cables[0]
			d.read(tester.Reading{Tool: tester.Ohms, Between: &[2]string{w.ID + "@" + w.To + ".hot", w.ID + "@" + w.To + ".neutral"}})
		}},
	} {
		d := aDrill(t, row.theme, 1, 3)
		row.do(d, d.r.Drill.Scene)
		stop := last(d)
		require.NotNil(t, stop, row.name)
		assert.Equal(t, row.danger, stop.Danger, row.name)
		assert.NotEmpty(t, stop.Would, row.name)
		score, err := d.r.Drill.Score(drill.Yardstick{Best: 10})
		require.NoError(t, err)
		assert.Zero(t, score.Points, "%s: no points for speed without safety", row.name)
		assert.ErrorIs(t, d.do(&DoInDrill{What: drill.Advice}), drill.ErrOver, row.name)
	}
}

// TestNoDrillOnACall: what only a drill does is refused on a call.
func TestNoDrillOnACall(t *testing.T) {
	r, err := Open(1, nil, nil)
	require.NoError(t, err)
	d := &drilled{t: t, r: r}
	run, err := circuit.Unseen("porch").Encode()
	require.NoError(t, err)
	d.must(&Begin{Title: "Porch", Circuit: run})
	assert.ErrorContains(t, d.do(&DoInDrill{What: drill.Advice}), "this is a call, and no drill")
	assert.ErrorContains(t, (&drilled{t: t, r: mustOpen(t)}).do(&Begin{Scene: []byte(`{"format":"elvat-drill/9"}`)}), "drill: ")
}

func mustOpen(t *testing.T) *Record {
	r, err := Open(2, nil, nil)
	require.NoError(t, err)
	return r
}
