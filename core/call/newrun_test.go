package call

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/job"
	"elvat/core/newrun"
	"elvat/core/practice"
)

// ordered is a new run of one outlet.
func ordered(from string, change ...func(*newrun.Order)) *newrun.Order {
	free, yes := 4, true
	o := &newrun.Order{Format: newrun.Format, ID: "N1", Name: "Kiln", From: from, Panel: newrun.PanelFacts{Breaker: "16", Free: &free, Room: &yes}, Outlets: []newrun.Outlet{{
		ID: "K1", Label: "Kiln shelf", For: newrun.Workshop, Way: []newrun.Leg{{By: newrun.OpenJoists, Feet: 20, Across: true}},
	}}}
	for _, c := range change {
		c(o)
	}
	return o
}

func (o *onLoft) order(n *newrun.Order) error {
	document, err := json.Marshal(n)
	require.NoError(o.t, err)
	return o.do(job.Electrician, "van", &SetNewRun{document})
}

// TestNewRun goes from the order to the run that is laid.
func TestNewRun(t *testing.T) {
	o := &onLoft{t: t, r: begun(t)}
	o.must(o.order(ordered(circuit.Panel)))
	n := o.r.NewRun("N1")
	require.NotNil(t, n)
	p, err := o.r.PlanOf(n.Order, practice.Shop{})
	require.NoError(t, err)
	assert.Empty(t, n.Open(p))

	var gate GateShut
	require.ErrorAs(t, o.do(job.Electrician, "van", &LayRun{Run: "N1"}), &gate)
	assert.Equal(t, job.ToLay, gate.Gate.Gate)

	all, panel, before := []string{}, []string{}, []string{}
	for i := range p.Steps {
		if s := &p.Steps[i]; s.ToLay() {
			all = append(all, s.Code)
			if newrun.LicensedStep(s.Code) {
				panel = append(panel, s.Code)
			} else if !s.NeedsCheck() && s.Code != newrun.CheckStep {
				before = append(before, s.Code)
			}
		}
	}
	require.NotEmpty(t, panel)
	o.must(o.do(job.Helper, "phone", &SetNewRunSteps{"N1", before}))
	assert.ErrorAs(t, o.do(job.Helper, "phone", &SetNewRunSteps{"N1", all}), &NotAllowed{}, "the panel is no helper's")
	require.ErrorAs(t, o.do(job.Electrician, "van", &SetNewRunSteps{"N1", append(before, "panel-close")}), &gate, "nothing is energised before it is measured")
	o.must(o.do(job.Electrician, "van", &SetNewRunSteps{"N1", all}))
	o.must(o.do(job.Electrician, "van", &LayRun{Run: "N1", Van: "Van 1"}))
	assert.NotNil(t, o.r.NewRun("N1").LaidAt)
	assert.Contains(t, o.r.Directory, job.DirectoryRow{Breaker: "16", Amps: 20, Serves: "Kiln shelf", Checked: true})
	assert.NotEmpty(t, o.r.Used)
	assert.ErrorContains(t, o.order(ordered(circuit.Panel)), "it is laid")
	assert.ErrorContains(t, o.do(job.Electrician, "van", &RemoveNewRun{"N1"}), "it is laid")

	// The circuit gets a call of its own, on which it is proven.
	begin := &Begin{Title: "Kiln"}
	begin.Circuit, err = p.Circuit.Encode()
	require.NoError(t, err)
	for _, m := range p.Boxes {
		box, err := m.Box.Encode()
		require.NoError(t, err)
		begin.Made = append(begin.Made, box)
	}
	empty, err := Open(2, nil, nil)
	require.NoError(t, err)
	child, _, err := empty.Decide(Command{ID: "child-00001", At: noon, Do: begin}, House{})
	require.NoError(t, err)
	v := now(t, child)
	assert.NotEmpty(t, v.Checks, "what is to be proven stands there at once")
	for _, k := range v.Checks {
		assert.Equal(t, job.NotRead, k.Status)
	}
}

// TestExtended lays the way on of the call's run.
func TestExtended(t *testing.T) {
	o := &onLoft{t: t, r: begun(t)}
	before := len(o.r.Circuit.Boxes)
	o.must(o.order(ordered("B2", func(n *newrun.Order) { n.Panel = newrun.PanelFacts{} })))
	assert.ErrorContains(t, o.order(ordered("B9", func(n *newrun.Order) { n.ID = "N2" })), `"B9" is no box of the run`)
	n := o.r.NewRun("N1")
	p, err := o.r.PlanOf(n.Order, practice.Shop{})
	require.NoError(t, err)
	for _, key := range n.Open(p) {
		assert.ErrorAs(t, o.do(job.Helper, "phone", &AcceptInRun{"N1", key, "Ada", "the owner waits"}), &NotAllowed{})
		assert.ErrorContains(t, o.do(job.Electrician, "van", &AcceptInRun{Run: "N1", Key: key}), "who takes it on")
		o.must(o.do(job.Electrician, "van", &AcceptInRun{"N1", key, "Ada", "the owner waits"}))
	}
	var all []string
	for i := range p.Steps {
		if p.Steps[i].ToLay() {
			all = append(all, p.Steps[i].Code)
		}
	}
	var gate GateShut
	require.ErrorAs(t, o.do(job.Electrician, "van", &SetNewRunSteps{"N1", all}), &gate, "the box it begins at is not proven dead")
	assert.Equal(t, job.ToOpen, gate.Gate.Gate)
	for _, name := range []job.GateName{job.ToOpen, job.ToConductors} {
		o.must(o.enter(job.Electrician, "passed-"+string(name), job.Entry{Kind: job.Override, Gate: name, Box: "B2", Who: "Ada", Standing: "licensed", Reason: "main pulled"}))
	}
	o.must(o.do(job.Electrician, "van", &SetNewRunSteps{"N1", all}))
	o.must(o.do(job.Electrician, "van", &LayRun{Run: "N1"}))
	assert.Len(t, o.r.Circuit.Boxes, before+1)
	require.NoError(t, o.r.Circuit.Check())
	v := now(t, o.r)
	assert.NotEmpty(t, v.Checks)
	again, err := o.r.PlanOf(n.Order, practice.Shop{})
	require.NoError(t, err, "what was laid can still be looked at")
	assert.Equal(t, p.Conductor, again.Conductor)
	o.must(o.do(job.Electrician, "van", &Undo{}))
	assert.Len(t, o.r.Circuit.Boxes, before)
	assert.Nil(t, o.r.NewRun("N1").LaidAt)
}
