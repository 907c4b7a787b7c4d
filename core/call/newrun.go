package call

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"elvat/core/circuit"
	"elvat/core/job"
	"elvat/core/makeup"
	"elvat/core/newrun"
	"elvat/core/practice"
	"elvat/core/words"
)

// newRunPart is the document of ANewRun: what is ordered, how far it is, and when it was laid.
type newRunPart struct {
	Order    json.RawMessage `json:"order"` // elvat-newrun/1
	Done     []string        `json:"done,omitempty"`
	Accepted []Accepted      `json:"accepted,omitempty"`
	LaidAt   *time.Time      `json:"laidAt,omitempty"`
}

// Accepted is a finding of a new run that a named qualified person took on.
type Accepted struct {
	Key string    `json:"key"`
	By  string    `json:"by"`
	Why string    `json:"why"`
	At  time.Time `json:"at"`
}

// A NewRun is one that is planned on the call: a circuit of its own, or the way on of the run.
type NewRun struct {
	ID       string
	Order    *newrun.Order
	Done     []string // steps of its plan
	Accepted []Accepted
	LaidAt   *time.Time
}

func (r *Record) openNewRun(p Part) error {
	var k newRunPart
	if err := json.Unmarshal(p.Document, &k); err != nil {
		return err
	}
	o, err := newrun.Reopen(k.Order)
	r.NewRuns = append(r.NewRuns, NewRun{ID: p.ID, Order: o, Done: k.Done, Accepted: k.Accepted, LaidAt: k.LaidAt})
	return err
}

// NewRun is the one that is planned under the name; nil where there is none.
func (r *Record) NewRun(id string) *NewRun {
	if i := slices.IndexFunc(r.NewRuns, func(n NewRun) bool { return n.ID == id }); i >= 0 {
		return &r.NewRuns[i]
	}
	return nil
}

// PlanOf plans a new run on the call's own run as it is.
func (r *Record) PlanOf(o *newrun.Order, shop practice.Shop) (*newrun.Plan, error) {
	if !o.Extends() {
		return newrun.Make(o, shop, nil)
	}
	var opened []*makeup.Box
	for i := range r.Boxes {
		if r.Boxes[i].Makeup != nil {
			opened = append(opened, r.Boxes[i].Makeup)
		}
	}
	run := r.Circuit
	if run.Box(o.Outlets[0].ID) != nil { // it was laid: it is planned as on the run before
		var ours []string
		for _, v := range o.Outlets {
			ours = append(ours, v.ID)
		}
		run = without(run, ours)
	}
	return newrun.Make(o, shop, run, opened...)
}

// without is the run without boxes that nothing else hangs on.
func without(run *circuit.Circuit, boxes []string) *circuit.Circuit {
	c := run.Clone()
	ours := func(box string) bool { return slices.Contains(boxes, box) }
	var gone []string
	c.Cables = slices.DeleteFunc(c.Cables, func(x circuit.Cable) bool {
		if ours(x.To) {
			gone = append(gone, x.ID)
		}
		return ours(x.To)
	})
	c.Boxes = slices.DeleteFunc(c.Boxes, func(b circuit.Box) bool { return ours(b.ID) })
	c.Loads = slices.DeleteFunc(c.Loads, func(l circuit.Load) bool { v, _ := c.Device(l.At); return v == nil })
	for i := range c.Boxes {
		c.Boxes[i].Wiring = slices.DeleteFunc(c.Boxes[i].Wiring, func(pair [2]string) bool {
			return slices.ContainsFunc(gone, func(id string) bool {
				return strings.HasPrefix(pair[0], id+"@") || strings.HasPrefix(pair[1], id+"@")
			})
		})
		c.Boxes[i].Load = slices.DeleteFunc(c.Boxes[i].Load, func(id string) bool { return slices.Contains(gone, id) })
	}
	return c
}

// tookOn reports whether the new run has something that a qualified person says, and had it
// not before: a finding taken on, or a step of the panel's list done.
func (n *NewRun) tookOn(before *NewRun) bool {
	var was NewRun
	if before != nil {
		was = *before
	}
	for _, a := range n.Accepted {
		if !slices.Contains(was.Accepted, a) {
			return true
		}
	}
	for _, code := range n.Done {
		if newrun.LicensedStep(code) && !slices.Contains(was.Done, code) {
			return true
		}
	}
	return false
}

// Open are the keys of what has to be mended or accepted before the new run is laid.
func (n *NewRun) Open(p *newrun.Plan) []string {
	open := []string{}
	for _, f := range p.Open() {
		if !slices.ContainsFunc(n.Accepted, func(a Accepted) bool { return a.Key == f.Key }) {
			open = append(open, f.Key)
		}
	}
	return open
}

// Gate stands before a new run counts as laid: nothing open, and every step before the
// proof done.
func (n *NewRun) Gate(p *newrun.Plan) job.Gate {
	g := job.Gate{Gate: job.ToLay, Missing: []string{}, SaidMissing: []words.Said{}}
	open := n.Open(p)
	for _, f := range p.Findings {
		if slices.Contains(open, f.Key) {
			g.Missing = append(g.Missing, strings.TrimSuffix(f.Text, "."))
		}
	}
	for _, s := range p.Steps {
		if s.ToLay() && !slices.Contains(n.Done, s.Code) {
			g.Missing = append(g.Missing, s.Do)
		}
	}
	g.Open = len(g.Missing) == 0
	for _, m := range g.Missing {
		g.SaidMissing = append(g.SaidMissing, words.Said{Text: m})
	}
	return g
}

// SetNewRun keeps what is ordered.
type SetNewRun struct {
	Order json.RawMessage `json:"order"` // elvat-newrun/1
}

func (*SetNewRun) what(*Record) string { return "new run" }

// mostNewRuns are planned on one call. Assumption.
const mostNewRuns = 10

func (c *SetNewRun) decide(d *draft) error {
	o, err := newrun.Parse(c.Order)
	if err != nil {
		return BadInput{err}
	}
	if there := d.r.NewRun(o.ID); there == nil && len(d.r.NewRuns) >= mostNewRuns {
		return bad("new run: %d are planned on this call, and it takes no more", mostNewRuns)
	} else if there != nil && there.LaidAt != nil {
		return bad("new run %s: it is laid; what is changed now is another one", o.ID)
	}
	if o.Extends() && d.r.Circuit.Box(o.From) == nil {
		return bad("new run: from: %q is no box of the run", o.From)
	}
	for i := range o.Outlets {
		if o.Extends() && d.r.Circuit.Box(o.Outlets[i].ID) != nil {
			return bad("new run: outlets[%d].id: %q is a box of the run already", i, o.Outlets[i].ID)
		}
	}
	document, err := json.Marshal(o)
	if err != nil {
		return err
	}
	return d.mergeNewRun(o.ID, func(k *newRunPart) { k.Order = document })
}

// mergeNewRun sets something in a new run's part as its screen had it, joined with what
// others set since.
func (d *draft) mergeNewRun(id string, set func(*newRunPart)) error {
	return mergePart(d, Key{ANewRun, id}, checkNewRun, set)
}

func checkNewRun(data []byte) error {
	var k newRunPart
	if err := json.Unmarshal(data, &k); err != nil {
		return err
	}
	_, err := newrun.Reopen(k.Order)
	return err
}

// RemoveNewRun drops a plan that was not laid.
type RemoveNewRun struct {
	Run string `json:"run"`
}

func (*RemoveNewRun) what(*Record) string { return "dropped a new run" }

func (c *RemoveNewRun) decide(d *draft) error {
	n := d.r.NewRun(c.Run)
	if n == nil {
		return ErrNotFound
	}
	if n.LaidAt != nil {
		return bad("new run %s: it is laid", c.Run)
	}
	d.put(Key{ANewRun, c.Run}, nil)
	return nil
}

// SetNewRunSteps records which steps of its plan are done.
type SetNewRunSteps struct {
	Run  string   `json:"run"`
	Done []string `json:"done"`
}

func (*SetNewRunSteps) what(*Record) string { return "steps of the new run" }

// mostNewRunSteps is more than a plan has. Assumption.
const mostNewRunSteps = 600

func (c *SetNewRunSteps) decide(d *draft) error {
	if len(c.Done) > mostNewRunSteps {
		return bad("done: more steps than a plan has")
	}
	n := d.r.NewRun(c.Run)
	if n == nil {
		return ErrNotFound
	}
	p, err := d.r.PlanOf(n.Order, d.house.Shop)
	if err != nil {
		return BadInput{err}
	}
	var now []string
	for _, s := range p.Steps {
		if slices.Contains(c.Done, s.Code) {
			now = append(now, s.Code)
		}
	}
	for _, s := range p.Steps {
		if s.NeedsCheck() && slices.Contains(now, s.Code) && !slices.Contains(now, newrun.CheckStep) {
			return GateShut{job.Gate{Gate: job.ToLay, Missing: []string{"measure the run before it is connected"}, SaidMissing: []words.Said{}}, p.Name}
		}
	}
	if slices.Contains(now, newrun.StartStep) && !slices.Contains(n.Done, newrun.StartStep) {
		if err := d.startDead(n.Order); err != nil {
			return err
		}
	}
	return d.mergeNewRun(c.Run, func(k *newRunPart) { k.Done = now })
}

// startDead refuses where the box that a run is extended from is not proven dead.
func (d *draft) startDead(o *newrun.Order) error {
	if shut := d.r.shut(o.From); o.Extends() && len(shut) > 0 {
		return GateShut{shut[0], d.r.Circuit.LabelOf(o.From)}
	}
	return nil
}

// AcceptInRun takes a finding of a new run on, by name and with a reason.
type AcceptInRun struct {
	Run string `json:"run"`
	Key string `json:"key"`
	By  string `json:"by"`
	Why string `json:"why"`
}

func (*AcceptInRun) what(*Record) string { return "took a finding on" }

func (c *AcceptInRun) decide(d *draft) error {
	n := d.r.NewRun(c.Run)
	if n == nil {
		return ErrNotFound
	}
	a := Accepted{Key: c.Key, By: strings.TrimSpace(c.By), Why: strings.TrimSpace(c.Why), At: d.c.At}
	if a.By == "" || a.Why == "" {
		return bad("by, why: who takes it on, and why")
	}
	p, err := d.r.PlanOf(n.Order, d.house.Shop)
	if err != nil {
		return BadInput{err}
	}
	if !slices.Contains(n.Open(p), c.Key) {
		return bad("key: %q is not open on this run", c.Key)
	}
	return d.mergeNewRun(c.Run, func(k *newRunPart) { k.Accepted = append(k.Accepted, a) })
}

// LayRun says that a new run is laid. The way on of the call's run becomes part of it, its
// boxes made up; a circuit of its own gets a call of its own, on which it is proven. What was
// used up goes off the van.
type LayRun struct {
	Run string `json:"run"`
	Van string `json:"van,omitempty"`
}

func (*LayRun) what(*Record) string { return "laid a new run" }

func (c *LayRun) decide(d *draft) error {
	n := d.r.NewRun(c.Run)
	if n == nil {
		return ErrNotFound
	}
	if n.LaidAt != nil {
		return nil
	}
	p, err := d.r.PlanOf(n.Order, d.house.Shop)
	if err != nil {
		return BadInput{err}
	}
	if gate := n.Gate(p); !gate.Open {
		return GateShut{gate, p.Name}
	}
	if err := d.startDead(n.Order); err != nil {
		return err
	}
	if err := d.mergeNewRun(c.Run, func(k *newRunPart) { k.LaidAt = &d.c.At }); err != nil {
		return err
	}
	var used []material
	for _, m := range p.Materials {
		if m.UsedUp() {
			used = append(used, m)
		}
	}
	if err := d.use("laid-"+d.c.ID, c.Run, c.Van, used); err != nil {
		return err
	}
	if err := d.edit(func(run *circuit.Circuit) error {
		replaced(run, n.Order)
		if n.Order.Extends() {
			return extend(run, p)
		}
		return run.Check()
	}); err != nil {
		return err
	}
	if !n.Order.Extends() {
		return d.inDirectory(p)
	}
	boxes := p.Boxes
	if p.There != nil {
		boxes = append([]newrun.Made{*p.There}, boxes...)
	}
	for _, m := range boxes {
		document, err := m.Box.Encode()
		if err != nil {
			return err
		}
		if err := d.made(m.Outlet, document, nil); err != nil {
			return err
		}
	}
	return nil
}

// made keeps a box as made up, with its entry in the journal.
func (d *draft) made(box string, document json.RawMessage, done []string) error {
	if err := d.set(Key{ABox, box}, boxPart{Makeup: document, Done: done, MadeAt: &d.c.At}); err != nil {
		return err
	}
	return d.set(Key{AnEntry, "laid-" + box + "-" + d.c.ID}, job.Entry{Kind: job.MadeUp, Box: box, At: d.c.At})
}

// replaced takes off the run what the new outlets took the place of. What feeds others stays
// where it is: its old cable cannot go.
func replaced(run *circuit.Circuit, o *newrun.Order) {
	for _, v := range o.Outlets {
		if v.Replaces != "" && run.Box(v.Replaces) != nil && len(run.Outgoing(v.Replaces)) == 0 && len(run.Boxes) > 1 {
			*run = *without(run, []string{v.Replaces})
		}
	}
}

// extend puts what is planned into the run as it is now.
func extend(run *circuit.Circuit, p *newrun.Plan) error {
	for _, b := range p.Circuit.Boxes {
		if there := run.Box(b.ID); there == nil {
			run.Boxes = append(run.Boxes, b)
		} else if p.There != nil && b.ID == p.There.Outlet {
			*there = b
		}
	}
	for _, c := range p.Circuit.Cables {
		if run.Cable(c.ID) == nil {
			run.Cables = append(run.Cables, c)
		}
	}
	return run.Check()
}

// inDirectory writes the new circuit into the panel's directory.
func (d *draft) inDirectory(p *newrun.Plan) error {
	row := p.Directory
	if row.Breaker == "" || d.r.Panel == "" {
		return nil
	}
	for _, there := range d.r.Directory {
		if there.Breaker == row.Breaker && there.Serves != "" && there.Serves != row.Serves {
			return bad("panel.breaker: %s stands in the directory already, for %s: which one does the new circuit get?", row.Breaker, there.Serves)
		}
	}
	directory := slices.Clone(d.r.Directory).With(row.Breaker, row.Amps, row.Serves)
	if err := directory.Check(); err != nil {
		return BadInput{err}
	}
	return d.set(Key{TheDirectory, d.r.Panel}, directory)
}

// Suggest is what is known on the call of a new run: to the box that wants it, or on from one
// of the run. grounded begins it at the nearest box where a ground arrives, else at the panel.
// What is known of the place is taken over, and the old cable is a dead end.
func (r *Record) Suggest(box, from string, grounded bool, shop practice.Shop) *newrun.Order {
	o := &newrun.Order{Format: newrun.Format, ID: r.freeRun(), From: circuit.Panel, Outlets: []newrun.Outlet{}}
	if from != "" && r.Circuit.Box(from) != nil {
		o.From = from
	}
	if grounded {
		o.From = r.nearestGround(box)
	}
	v := newrun.Outlet{ID: r.freeOutlet(o), For: newrun.General, Way: []newrun.Leg{{By: newrun.FinishedWall, Feet: circuit.AssumedFeet}}}
	if r.Circuit.Box(box) == nil {
		o.Outlets = append(o.Outlets, v)
		return o
	}
	v.Label, v.Replaces = r.Circuit.LabelOf(box), box
	if p, err := r.Planned(box, shop); err == nil {
		o.Edition, v.Place = p.Makeup.Edition, p.Makeup.Place
		v.What = v.Place.Serves
		v.For = newrun.KindFor(v.Place)
		if open := v.Place.OpenAccess; open != nil && *open {
			v.Way[0].By = newrun.OpenJoists
		}
		if feet := v.Place.RunFeet; feet != nil && *feet > 0 {
			v.Way[0].Feet = *feet
		} else if o.From == circuit.Panel {
			v.Way[0].Feet = max(r.Circuit.FeetBetween(circuit.Panel, box), circuit.AssumedFeet)
		}
	}
	for _, l := range r.Circuit.Loads {
		if _, at := r.Circuit.Device(l.At); at != nil && at.ID == box {
			v.Watts = max(v.Watts, l.Watts)
		}
	}
	o.Name = v.Label
	if line := r.Circuit.LineCable(box); line != nil && len(r.Circuit.Outgoing(box)) == 0 {
		o.Remove = append(o.Remove, newrun.Removal{Cable: "the old cable " + line.ID, From: r.Circuit.LabelOf(line.From), To: v.Label, How: newrun.LeftDead})
	}
	o.Outlets = append(o.Outlets, v)
	return o
}

// nearestGround is the box nearest along the run at which a ground arrives; the panel where
// none does.
func (r *Record) nearestGround(box string) string {
	best, feet := circuit.Panel, 0.0
	for i := range r.Circuit.Boxes {
		id := r.Circuit.Boxes[i].ID
		if id == box || !r.Circuit.GroundArrives(id) || len(r.Circuit.Boxes[i].Devices) == 0 {
			continue
		}
		if far := r.Circuit.FeetBetween(id, box); best == circuit.Panel || far < feet {
			best, feet = id, far
		}
	}
	return best
}

// freeRun is a name that no new run of the call has.
func (r *Record) freeRun() string {
	for n := 1; ; n++ {
		if id := fmt.Sprint("N", n); r.NewRun(id) == nil {
			return id
		}
	}
}

// freeOutlet is a name that no box of the run and no outlet that is planned has.
func (r *Record) freeOutlet(o *newrun.Order) string {
	taken := func(id string) bool {
		if r.Circuit.Box(id) != nil {
			return true
		}
		return slices.ContainsFunc(r.NewRuns, func(n NewRun) bool {
			return slices.ContainsFunc(n.Order.Outlets, func(v newrun.Outlet) bool { return v.ID == id })
		})
	}
	for n := 1; ; n++ {
		if id := fmt.Sprintf("%s-%d", o.ID, n); !taken(id) {
			return id
		}
	}
}
