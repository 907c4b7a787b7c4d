package desk

import (
	"context"
	"encoding/json"
	"errors"
	"math/rand/v2"
	"slices"

	corecall "elvat/core/call"
	"elvat/core/circuit"
	"elvat/core/drill"
	"elvat/core/runs"
	"elvat/core/tester"
	"elvat/internal/api"
	"elvat/internal/kept"
)

// Scene is the scene that is asked for.
func (d *Desk) Scene(ctx context.Context, n api.NewDrill) (*drill.Scene, error) {
	switch {
	case n.Scene != nil:
		s, err := drill.Parse([]byte(*n.Scene))
		if err != nil {
			return nil, bad(err)
		}
		return s, nil
	case n.Call != nil:
		return d.sceneOf(ctx, *n.Call, n.Hidden)
	}
	seed := uint64(rand.Uint32())
	if n.Seed != nil {
		seed = uint64(*n.Seed)
	}
	s, err := drill.Draw(drill.Theme(Or(n.Theme, string(drill.Patterns))), Or(n.Level, 1), seed)
	if err != nil {
		return nil, bad(err)
	}
	return s, nil
}

// sceneOf makes one from a call: what was found on it is hidden, unless something else is said to be.
func (d *Desk) sceneOf(ctx context.Context, call int64, said *[]circuit.Fault) (*drill.Scene, error) {
	at, err := d.Book.Load(ctx, call)
	if err != nil {
		return nil, err
	}
	r := at.Record
	if r.Drill != nil {
		return r.Drill.Scene, nil
	}
	var hide []circuit.Fault
	if said != nil {
		hide = *said
	} else {
		evidence, err := r.Evidence()
		if err != nil {
			return nil, err
		}
		for _, reading := range evidence.InForce {
			if reading.Tool != tester.Eyes || reading.Found == nil {
				continue
			}
			for _, f := range reading.Found.Faults {
				if !slices.Contains(hide, f) {
					hide = append(hide, f)
				}
			}
		}
	}
	order := runs.Map{}
	if r.Order != nil {
		order = *r.Order
	}
	s, err := drill.From(r.Circuit, r.Conditions, order, hide)
	if err != nil {
		return nil, bad(err)
	}
	return s, nil
}

// SceneFile is the scene that is asked for, as a file.
func (d *Desk) SceneFile(ctx context.Context, n api.NewDrill) (file map[string]json.RawMessage, err error) {
	s, err := d.Scene(ctx, n)
	if err != nil {
		return nil, err
	}
	data, err := s.Encode()
	if err != nil {
		return nil, err
	}
	return file, json.Unmarshal(data, &file)
}

// BeginDrill is the command that begins it.
func (d *Desk) BeginDrill(ctx context.Context, n api.NewDrill) (begin corecall.Begin, err error) {
	s, err := d.Scene(ctx, n)
	if err != nil {
		return begin, err
	}
	begin.Title = s.Name
	begin.Scene, err = s.Encode()
	return begin, err
}

// DoingInDrill is what is asked for, as the core has it.
func DoingInDrill(b api.DrillDeed) corecall.Doing {
	return &corecall.DoInDrill{What: drill.Deed(b.What), Box: Or(b.Box, ""), Wired: b.Wired}
}

// drill is what the contract shows of the call being one; nil where it is none.
func (v *State) drill() *api.DrillInfo {
	d := v.Record.Drill
	if d == nil {
		return nil
	}
	s := d.Scene
	info := &api.DrillInfo{
		Name: s.Name, Words: s.Complaint.Words, At: s.Complaint.At, Half: api.Half(s.Complaint.Half), Tool: string(s.Complaint.Tool),
		Theme: string(s.Theme), Level: s.Level, Seed: int64(s.Seed), Advised: d.Advised(), Opened: v.Record.OpenedInDrill(), Steps: len(d.Steps),
	}
	last, over := d.Over()
	if info.Over = over; over {
		info.Stopped = last.Stop
	}
	for i := range slices.Backward(d.Steps) {
		if j := d.Steps[i].Judged; j != nil {
			info.Judged = &api.DrillJudgement{Box: d.Steps[i].Box, Right: j.Right, Wrong: append([]string{}, j.Wrong...), Shown: append([]drill.Shown{}, j.Shown...)}
			break
		}
	}
	return info
}

// errNoPapers: nothing that looks like the record of real work comes of a drill.
var errNoPapers = BadInput{errors.New("a drill has no papers: what it came to is its score")}

var errNoDrill = BadInput{errors.New("this is a call, and no drill")}

// drillOf is the drill of the call.
func (d *Desk) drillOf(ctx context.Context, call int64) (*drill.Drill, error) {
	at, err := d.Book.Load(ctx, call)
	if err != nil {
		return nil, err
	}
	if at.Record.Drill == nil {
		return nil, errNoDrill
	}
	return at.Record.Drill, nil
}

// Score is what the drill came to so far; once it is over, the result is kept with it.
func (d *Desk) Score(ctx context.Context, call int64) (*drill.Score, error) {
	of, err := d.drillOf(ctx, call)
	if err != nil {
		return nil, err
	}
	y, err := of.Scene.Measure()
	if err != nil {
		return nil, err
	}
	score, err := of.Score(y)
	if err != nil || !score.Over {
		return score, err
	}
	result, err := json.Marshal(of.Result(score))
	if err != nil {
		return nil, err
	}
	return score, d.Book.SetDrillResult(ctx, call, result)
}

// DrillBox is an opened box of the drill.
func (d *Desk) DrillBox(ctx context.Context, call int64, box string) (*drill.Opened, error) {
	of, err := d.drillOf(ctx, call)
	if err != nil {
		return nil, err
	}
	opened, err := of.Open(box)
	if err != nil {
		return nil, bad(err)
	}
	return opened, nil
}

// mostDrills bounds how many are looked through. Assumption.
const mostDrills = 500

// Drills is what ships, what to train next, and what one did.
func (d *Desk) Drills(ctx context.Context) (api.DrillSheet, error) {
	sheet := api.DrillSheet{Shipped: drill.Shipped(), Mine: []api.DrillLine{}}
	all, err := d.Book.DrillsOf(ctx, CallerOf(ctx).Person, mostDrills)
	if err != nil {
		return sheet, err
	}
	results, err := d.resultsOf(ctx, all)
	if err != nil {
		return sheet, err
	}
	for i := range all {
		line := api.DrillLine{Call: all[i].ID, BegunAt: all[i].BegunAt, Result: results[i]}
		if results[i] == nil {
			of, err := d.drillOf(ctx, all[i].ID)
			if err != nil {
				return sheet, err
			}
			line.Name = &of.Scene.Name
		}
		sheet.Mine = append(sheet.Mine, line)
	}
	got := got(results)
	sheet.Next, sheet.Mistakes = drill.Plan(got, d.Now()), drill.Tallies(got)
	return sheet, nil
}

// resultsOf are those of drills that are over; one that nobody has looked at yet is scored.
func (d *Desk) resultsOf(ctx context.Context, all []kept.Drill) ([]*drill.Result, error) {
	out := make([]*drill.Result, len(all))
	for i := range all {
		data := all[i].Result
		if data == nil {
			of, err := d.drillOf(ctx, all[i].ID)
			if err != nil {
				return nil, err
			}
			if _, over := of.Over(); !over {
				continue
			}
			score, err := d.Score(ctx, all[i].ID)
			if err != nil {
				return nil, err
			}
			result := of.Result(score)
			out[i] = &result
			continue
		}
		out[i] = &drill.Result{}
		if err := json.Unmarshal(data, out[i]); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func got(results []*drill.Result) []drill.Result {
	var all []drill.Result
	for _, r := range results {
		if r != nil {
			all = append(all, *r)
		}
	}
	return all
}

// DrillsOfPeople is what the people of the shop trained, from their newest drills.
func (d *Desk) DrillsOfPeople(ctx context.Context, all []kept.Drill) ([]api.DrillPerson, error) {
	people := []api.DrillPerson{}
	by := map[string][]drill.Result{}
	var names []string
	results, err := d.resultsOf(ctx, all)
	if err != nil {
		return nil, err
	}
	for i := range all {
		if _, known := by[all[i].Person]; !known {
			names = append(names, all[i].Person)
			by[all[i].Person] = nil
		}
		if results[i] != nil {
			by[all[i].Person] = append(by[all[i].Person], *results[i])
		}
	}
	for _, name := range names {
		people = append(people, api.DrillPerson{
			Person: name, Drills: len(by[name]), Next: drill.Plan(by[name], d.Now()), Mistakes: drill.Tallies(by[name]), Results: append([]drill.Result{}, by[name]...),
		})
	}
	return people, nil
}

// Class is a lesson of the tester's school.
func Class(lesson string, load float64) (api.SchoolClass, error) {
	c, err := drill.Teach(lesson, load)
	if err != nil {
		return api.SchoolClass{}, bad(err)
	}
	return api.SchoolClass{
		Lesson: c.Lesson, Load: c.Load, Seen: c.Seen, Volts: c.Volts[:], Yoke: c.Yoke, Live: c.Live, Lessons: drill.Lessons, Loads: drill.SchoolLoads,
	}, nil
}
