package demo

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"elvat/core/call"
	"elvat/core/circuit"
	"elvat/core/drill"
	"elvat/core/job"
	"elvat/core/tester"
	"elvat/internal/store"
)

// drilled are the demo's drills: which of the scenes that ship, how long ago, and whether it was
// played to its end or stopped by an act that would have hurt.
var drilled = []struct {
	row     int
	ago     time.Duration
	stopped bool
}{{7, 50 * time.Hour, true}, {22, 26 * time.Hour, false}}

// drills are what somebody has trained in the demo.
func drills(ctx context.Context, s *store.Store, now time.Time) error {
	for i, one := range drilled {
		scene, err := drill.Shipped()[one.row].Scene()
		if err != nil {
			return err
		}
		document, err := scene.Encode()
		if err != nil {
			return err
		}
		at := now.Add(-one.ago)
		begin := call.Command{ID: fmt.Sprintf("demo-drill-%d", i), At: at, Device: "demo"}
		id, err := s.BeginDrill(ctx, begin, at, &call.Begin{Title: scene.Name, Scene: document})
		if err != nil {
			return err
		}
		all := played(scene, one.stopped)
		snapshot, err := s.Load(ctx, id)
		if err != nil {
			return err
		}
		for k, do := range all {
			c := call.Command{ID: fmt.Sprintf("demo-drill-%d-%02d", i, k), At: at.Add(time.Duration(k+1) * time.Minute), Device: "demo", Do: do}
			next, a, err := snapshot.Record.Decide(c, call.House{})
			if err != nil {
				return fmt.Errorf("demo drill %d, %d: %w", i, k, err)
			}
			if snapshot, err = s.Keep(ctx, snapshot, next, a, nil); err != nil {
				return err
			}
		}
	}
	return nil
}

// played is a scene from the sensor where it was noticed to the hand-over; or to a look into the box
// before it is proven dead, which stops it.
func played(scene *drill.Scene, stopped bool) []call.Doing {
	n := 0
	read := func(r tester.Reading) call.Doing {
		n++
		document, _ := json.Marshal(r) // a reading of the demo's own
		return &call.AddReading{ID: fmt.Sprintf("demo-reading-%d", n), Reading: document}
	}
	enter := func(e job.Entry) call.Doing {
		n++
		return &call.AddEntry{ID: fmt.Sprintf("demo-entry-%d", n), Entry: e}
	}
	at, box := scene.Complaint, scene.Hidden[0].Sites[0]
	all := []call.Doing{
		&call.ReadCautions{},
		read(tester.Reading{Tool: tester.Sensor, At: at.At, Half: at.Half}),
	}
	look := read(tester.Reading{Tool: tester.Eyes, Site: box})
	proven := job.Entry{Kind: job.Proven, Tester: "meter and sensor", Source: "a live outlet"}
	dead := []call.Doing{enter(job.Entry{Kind: job.BreakerOff, Secured: "lock"})}
	for _, stage := range []job.Stage{job.Installed, job.DeviceOut} {
		dead = append(dead, enter(proven), enter(job.Entry{Kind: job.DeadTest, Box: box, Stage: stage, Dead: &job.DeadVolts{}}))
	}
	dead = append(dead, enter(proven))
	there := *scene.Circuit.Box(box)
	if there.Wiring == nil {
		there.Makeup = circuit.Pigtail
	}
	wired := &drill.Wired{Pairs: scene.Circuit.Pairs(&there), New: true, StripIn: 0.75}
	if stopped {
		return append(all, look)
	}
	return append(append(append(all, dead...), look),
		&call.DoInDrill{What: drill.Wire, Box: box, Wired: wired},
		enter(job.Entry{Kind: job.BreakerOn}),
		enter(job.Entry{Kind: job.HandedOver, Who: "the learner", To: "the drill"}),
	)
}
