package call

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/drill"
	"elvat/core/job"
	"elvat/core/makeup"
	"elvat/core/newrun"
	"elvat/core/price"
	"elvat/core/runs"
	"elvat/core/safety"
	"elvat/core/supply"
	"elvat/core/tester"
	"elvat/core/visit"
	"elvat/core/wire"
)

// A history is a call on which three devices and a customer work at once, each from
// what it saw last, and what they want arrives in any order.
type history struct {
	r        *rand.Rand
	record   *Record
	start    *Record
	n        int
	accepted map[string]int // by the names of doings
	sent     []Command      // all that were accepted
	entered  map[Key]bool   // what was acknowledged
	prefix   string         // of ids, where several draw
}

var theHouse = House{
	Stock:  []supply.Stocked{{Van: "Van 1", Item: "wall plate", Count: 4}},
	Guards: []visit.Guard{{Key: "1.R1", Label: "Press", Of: "loft", Own: true}},
	Cause:  func() (string, []string, error) { return "found: hot let go", []string{"R2 dark"}, nil },
}

func begun(t testing.TB) *Record {
	c := circuit.New("Print loft")
	for i, label := range []string{"Press", "Drying rack", "Paper store"} {
		after := circuit.Panel
		if i > 0 {
			after = fmt.Sprint("B", i)
		}
		require.NoError(t, c.AddStop(circuit.NewStop{After: after, Label: label, Ground: true}))
	}
	document, err := c.Encode()
	require.NoError(t, err)
	empty, err := Open(7, []Part{{Key: Key{TheDirectory, "3"}, Document: json.RawMessage(`[]`)}}, nil)
	require.NoError(t, err)
	r, a, err := empty.Decide(
		Command{ID: "beginning-1", At: noon, Do: &Begin{Title: "Print loft", Complaint: "dead", Circuit: document}},
		House{},
	)
	require.NoError(t, err)
	require.NotNil(t, a)
	r.keptAs(1)
	return r
}

// keptAs is what the store does: the last action gets its number.
func (r *Record) keptAs(id int64) {
	r.Log[len(r.Log)-1].ID = id
	r.Version = id
}

func newHistory(t testing.TB, seed uint64) *history {
	r := begun(t)
	return &history{
		r:        rand.New(rand.NewPCG(seed, 77)),
		record:   r,
		start:    r,
		accepted: map[string]int{},
		entered:  map[Key]bool{},
	}
}

func (h *history) id() string { h.n++; return fmt.Sprintf("command%s-%05d", h.prefix, h.n) }

func pick[T any](r *rand.Rand, among ...T) T { return among[r.IntN(len(among))] }

func (h *history) maybe() *bool {
	return pick(h.r, nil, new(true), new(false))
}

func (h *history) raw(v any) json.RawMessage {
	data, err := json.Marshal(v)
	if err != nil {
		panic(err)
	}
	return data
}

// A Drawer draws what somebody may want done on a record as they see it.
type Drawer struct{ h *history }

// NewDrawer is one for the seed, with the call as it begins.
func NewDrawer(t testing.TB, seed uint64) (*Drawer, *Record) {
	h := newHistory(t, seed)
	return &Drawer{h}, h.record
}

// Draw is of any kind but what a customer answers.
func (d *Drawer) Draw(as *Record, prefix string) Doing {
	d.h.record, d.h.prefix = as, prefix
	return d.h.drawn()
}

// TheHouse is what lies beside the record in these histories.
var TheHouse = &theHouse

// drawn is something that a device of the shop may want done.
func (h *history) drawn() Doing {
	r := h.r
	stop := fmt.Sprint("B", 1+r.IntN(4))
	device := fmt.Sprint("R", 1+r.IntN(4))
	half := pick(r, circuit.Top, circuit.Bottom)
	if boxes := h.record.Circuit.Boxes; h.prefix != "" && len(boxes) > 0 && r.IntN(4) > 0 {
		box := pick(r, boxes...) // named where it was made
		stop = box.ID
		if len(box.Devices) > 0 {
			device = box.Devices[0].ID
		}
	}
	if r.IntN(10) == 0 {
		return h.towardsMakeUp(stop) // it takes several in a row
	}
	switch name := pick(r, Names()...); name {
	case "rename":
		return &Rename{Title: pick(r, nil, new("Loft"), new("Press room")), Complaint: new(fmt.Sprint("dead ", r.IntN(3)))}
	case "read-cautions":
		return &ReadCautions{}
	case "replace-run":
		if r.IntN(4) > 0 {
			return &ReadCautions{}
		}
		c := h.record.Circuit.Clone()
		c.Name = fmt.Sprint("from a file ", r.IntN(3))
		return &ReplaceRun{h.raw(c)}
	case "set-breaker":
		return &SetBreaker{Label: fmt.Sprint(1 + r.IntN(9)), Amps: pick(r, 15.0, 20)}
	case "add-stop":
		return &AddStop{After: pick(r, circuit.Panel, stop), Label: "added", Feet: float64(r.IntN(40)), Ground: h.maybe()}
	case "change-stop":
		return &ChangeStop{
			Box:   stop,
			Label: pick(r, nil, new("Rack"), new("Shelf")),
			Feet:  new(float64(1 + r.IntN(60))),
			AWG:   pick(r, nil, new(wire.Gauge(14)), new(wire.Gauge(12))),
		}
	case "tell-hazard":
		return &TellHazard{ID: h.id(), Signs: []safety.Sign{pick(r, safety.Signs...)}, Place: pick(r, stop, circuit.Panel, "")}
	case "looked-at":
		return &LookedAt{Hazard: h.someID(AHazard), Found: "a burnt splice", Done: "made up anew", Who: "Ada"}
	case "remove-stop":
		return &RemoveStop{stop}
	case "add-load":
		return &AddLoad{At: device, Half: half, Watts: float64(100 * (1 + r.IntN(9)))}
	case "remove-load":
		return &RemoveLoad{fmt.Sprint("L", 1+r.IntN(3))}
	case "add-reading":
		return &AddReading{
			h.id(),
			h.raw(tester.Reading{At: device, Half: half, Tool: tester.Lamp, Glow: pick(r, tester.Bright, tester.Off)}),
		}
	case "mark-reading":
		return &MarkReading{h.someID(AReading), h.maybe(), h.maybe()}
	case "set-state":
		return &SetState{pick(r, nil, &tester.State{BreakerOn: h.maybe()}, &tester.State{Separated: []string{device}})}
	case "set-conditions":
		return &SetConditions{
			diagnosis.Conditions{
				Old:   r.IntN(2) == 0,
				Since: pick(r, diagnosis.Sinces...),
				Boxes: map[string][]diagnosis.Condition{fmt.Sprint("B", 1+r.IntN(3)): {pick(r, diagnosis.Warm, diagnosis.Worked)}},
			},
		}
	case "set-order":
		return &SetOrder{runs.Map{Unsure: []string{stop}}}
	case "set-changed":
		return &SetChanged{device, r.IntN(2) == 0}
	case "set-box":
		return h.box(stop)
	case "set-steps":
		return &SetSteps{stop, []string{pick(r, "a", "b"), "c"}[:1+r.IntN(2)]}
	case "make-up":
		return h.towardsMakeUp(stop)
	case "add-entry":
		return &AddEntry{h.id(), pick(
			r,
			job.Entry{
				Kind: job.Note,
				Text: "rang",
			},
			job.Entry{Kind: job.BreakerOff, Secured: "lock"},
			job.Entry{Kind: job.BreakerOn},
			job.Entry{Kind: job.Traced, Way: "tracer", Breaker: fmt.Sprint(r.IntN(9))},
			job.Entry{Kind: job.Override, Box: stop, Gate: job.ToOpen, Who: "Ada", Standing: "licensed", Reason: "main pulled"},
			job.Entry{
				Kind:     job.Override,
				Box:      stop,
				Gate:     job.ToConductors,
				Who:      "Ada",
				Standing: "licensed",
				Reason:   "main pulled",
			},
		)}
	case "mark-entry":
		return &MarkEntry{h.someID(AnEntry), h.maybe()}
	case "set-directory":
		return &SetDirectory{job.Directory{{Breaker: fmt.Sprint(1 + r.IntN(9)), Amps: 20, Serves: pick(r, "loft", "press")}}}
	case "add-picture":
		return &AddPicture{h.id(), pick(r, "", stop), pick(r, Pulled, string(job.Complaint))}
	case "mark-picture":
		return &MarkPicture{h.someID(APicture), h.maybe()}
	case "use-part":
		return &UsePart{ID: h.id(), Item: pick(r, "wall plate", "lever, 3-wire"), Count: float64(1 + r.IntN(3))}
	case "settle-conflict":
		return &SettleConflict{h.someID(AConflict), pick(r, "mine", "theirs")}
	case "set-appointment":
		return &SetAppointment{Van: pick(r, nil, new("Van 1"), new("Van 2")), From: pick(r, nil, new("08:00"), new("")), To: pick(r, nil, new("11:30"), new("")), Place: pick(r, nil, new(r.IntN(4)))}
	case "keep-quote":
		l := price.Usual()
		q, err := l.QuoteFor(price.About{At: noon, Subject: "loft"}, price.Work{CallOut: h.maybe() != nil, Minutes: float64(10 * (1 + r.IntN(6)))}, 10, 90)
		if err != nil {
			panic(err)
		}
		return &KeepQuote{h.raw(q)}
	case "accept-quote":
		return &AcceptQuote{By: "B. Okafor"}
	case "mark-clock":
		return &MarkClock{pick(r, Arrived, Found, Done), r.IntN(3) == 0}
	case "set-new-run", "remove-new-run", "set-new-run-steps", "accept-in-new-run", "lay-run":
		return h.towardsNewRun(name, stop)
	case "redo":
		return &Redo{}
	default:
		return &Undo{}
	}
}

// towardsMakeUp is what a box lacks to be made up, or to do so.
func (h *history) towardsMakeUp(stop string) Doing {
	if shut := h.record.shut(stop); len(shut) > 0 {
		return &AddEntry{
			h.id(),
			job.Entry{
				Kind:     job.Override,
				Box:      stop,
				Gate:     shut[0].Gate,
				Who:      "Ada",
				Standing: "licensed",
				Reason:   "main pulled",
			},
		}
	}
	if b := h.record.box(stop); b == nil || b.Makeup.Device == nil {
		return h.box(stop)
	}
	p, err := h.record.Planned(stop, theHouse.Shop)
	if err != nil {
		return &MakeUp{stop}
	}
	if gate := h.record.Journal.MakeUp(stop, p.Plan.Open(p.Done)); !gate.Open {
		accepted := h.record.Journal.Accepted(stop)
		for _, f := range p.Plan.Open(p.Done) {
			if !slices.Contains(accepted, f.Key) {
				return &AddEntry{h.id(), job.Entry{
					Kind: job.Accepted, Box: stop, Finding: f.Key, Text: f.Text, Who: "Ada", Standing: "licensed", Reason: "until Friday",
				}}
			}
		}
	}
	return &MakeUp{stop}
}

// towardsNewRun is what may be wanted of a new run, and what it lacks to be laid.
func (h *history) towardsNewRun(name, stop string) Doing {
	r := h.r
	run := pick(r, "N1", "N2")
	n := h.record.NewRun(run)
	switch {
	case name == "remove-new-run" && r.IntN(3) == 0:
		return &RemoveNewRun{run}
	case n == nil || name == "set-new-run":
		o := &newrun.Order{Format: newrun.Format, ID: run, Name: pick(r, "Kiln", "Loom"), From: pick(r, circuit.Panel, stop), Outlets: []newrun.Outlet{{
			ID: "X" + run, For: pick(r, newrun.Workshop, newrun.General), Way: []newrun.Leg{{By: newrun.OpenJoists, Feet: float64(5 + r.IntN(30))}},
		}}}
		return &SetNewRun{h.raw(o)}
	case name == "lay-run":
		return &LayRun{Run: run}
	}
	p, err := h.record.PlanOf(n.Order, theHouse.Shop)
	if err != nil {
		return &RemoveNewRun{run}
	}
	if open := n.Open(p); len(open) > 0 && name == "accept-in-new-run" {
		return &AcceptInRun{run, open[0], "Ada", "until Friday"}
	}
	var all []string
	for i := range p.Steps {
		if p.Steps[i].ToLay() || r.IntN(3) == 0 {
			all = append(all, p.Steps[i].Code)
		}
	}
	return &SetNewRunSteps{run, all}
}

// someID is that of a part there is, if any.
func (h *history) someID(kind Kind) string {
	var all []string
	for _, p := range h.record.Parts() {
		if p.Kind == kind {
			all = append(all, p.ID)
		}
	}
	return pick(h.r, append(all, "no such one")...)
}

func (h *history) box(id string) Doing {
	b, err := makeup.FromRun(h.record.Circuit, id, true)
	if err != nil {
		return &SetBox{id, json.RawMessage(`{}`)}
	}
	b.Box.Mount, b.Box.Wall = pick(h.r, "", "ears", "nailed"), pick(h.r, "", "wood", "gypsum")
	b.Device = pick(h.r, nil, &makeup.Device{Kind: "receptacle", Amps: 15})
	document, err := b.Encode()
	if err != nil {
		panic(err)
	}
	return &SetBox{id, document}
}

func (h *history) said() Doing {
	r := h.r
	stop := fmt.Sprint("B", 1+r.IntN(3))
	return &GiveAnswer{h.id(), pick(
		r,
		visit.Answer{Kind: visit.Danger},
		visit.Answer{Kind: visit.Danger, Signs: []visit.Sign{visit.Heat}, Box: stop},
		visit.Answer{
			Kind:   visit.Outlet,
			Device: fmt.Sprint("R", 1+r.IntN(3)),
			Works:  new(r.IntN(2) == 0),
		},
		visit.Answer{Kind: visit.Plugged, Box: stop, Heavy: true},
		visit.Answer{Kind: visit.Work, Box: stop, Yes: new(true)},
		visit.Answer{Kind: visit.Note, Text: "it hums"},
	)}
}

// play has n commands made and arrive in any order; some arrive twice.
func (h *history) play(t testing.TB, n int) {
	var waiting []Command
	seen := map[string]int64{}
	for i := range n {
		device := pick(h.r, "phone", "tablet", "office", Customer)
		if h.r.IntN(3) > 0 {
			seen[device] = h.record.Version
		}
		c := Command{ID: h.id(), At: noon.Add(time.Duration(i) * time.Minute), Seen: seen[device], Device: device}
		if device == Customer {
			c.Do = h.said()
		} else {
			c.Do = h.drawn()
		}
		// All that is taken back in the order of the log leaves nothing; out of that order, what
		// stood before an overwritten value may come back. So here it is the last, whoever did it.
		if n := Name(c.Do); n == "undo" || n == "redo" {
			c.Device = ""
		}
		waiting = append(waiting, c)
		for len(waiting) > 0 && h.r.IntN(3) > 0 {
			at := h.r.IntN(len(waiting))
			h.arrive(t, waiting[at])
			if h.r.IntN(6) > 0 {
				waiting = slices.Delete(waiting, at, at+1)
			}
		}
	}
	for _, c := range waiting {
		h.arrive(t, c)
	}
}

func (h *history) arrive(t testing.TB, c Command) {
	before := h.record
	next, a, err := before.Decide(c, theHouse)
	var gate GateShut
	var wrong BadInput
	if err != nil {
		require.True(
			t,
			errors.As(err, &gate) || errors.As(err, &wrong) || errors.Is(err, ErrNothingLeft) || errors.Is(err, ErrNotFound),
			"%s: %v",
			Name(c.Do),
			err,
		)
		require.Same(t, before, next)
		return
	}
	if a == nil {
		return
	}
	require.False(
		t,
		slices.ContainsFunc(h.sent, func(other Command) bool { return other.ID == c.ID }),
		"%s was carried out twice",
		c.ID,
	)
	next.keptAs(int64(len(next.Log)))
	h.record, h.sent = next, append(h.sent, c)
	h.accepted[Name(c.Do)]++
	for _, p := range next.Parts() {
		if p.Kind.stays() || p.Kind == AnAnswer || p.Kind == AHazard {
			h.entered[p.Key] = true
		}
	}
}

// stands is all of a record that is in force, in an order of its own.
func stands(t testing.TB, r *Record) string {
	var all []Part
	for _, p := range r.Parts() {
		var k struct {
			Withdrawn bool            `json:"withdrawn"`
			Overtaken bool            `json:"overtaken"`
			SettledAt json.RawMessage `json:"settledAt"`
		}
		if p.Kind.stays() {
			require.NoError(t, json.Unmarshal(p.Document, &k))
		}
		if !k.Withdrawn && !k.Overtaken {
			all = append(all, Part{Key: p.Key, Document: p.Document})
		}
	}
	slices.SortFunc(all, func(a, b Part) int { return cmp.Or(cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.ID, b.ID)) })
	data, err := json.MarshalIndent(all, "", " ")
	require.NoError(t, err)
	return string(data)
}

// TestHistories: whatever three devices and a customer do on a call, in any order,
// nothing that was acknowledged is lost, the log leads back to the start place by
// place, all undone leaves what may not be undone, and all brought back is as before.
func TestHistories(t *testing.T) {
	accepted := map[string]int{}
	for seed := range uint64(32) {
		h := newHistory(t, seed)
		h.play(t, 90)
		for name, n := range h.accepted {
			accepted[name] += n
		}
		there := map[Key]bool{}
		for _, p := range h.record.Parts() {
			there[p.Key] = true
		}
		for k := range h.entered {
			require.True(t, there[k], "seed %d: %s %s was acknowledged, and is gone", seed, k.Kind, k.ID)
		}
		h.leadsBack(t, seed)
		again, err := Open(h.record.ID, h.record.Parts(), h.record.Log)
		require.NoError(t, err)
		require.Equal(t, stands(t, h.record), stands(t, again), "seed %d: as it is kept", seed)
		h.allUndone(t, seed)
		if t.Failed() {
			return
		}
	}
	for _, name := range Names() {
		if name != beginning && name != "do-in-drill" { // which no call takes
			assert.NotZero(t, accepted[name], "%s was never carried out", name)
		}
	}
}

// leadsBack goes through the log from its end to the start.
func (h *history) leadsBack(t *testing.T, seed uint64) {
	for _, p := range append(h.record.Parts(), h.start.Parts()...) {
		states, actions, err := h.record.history(p.Key)
		require.NoError(t, err)
		for i, a := range actions {
			var forward Action
			for _, c := range a.Changes {
				if c.Key == p.Key {
					forward.Changes = append(forward.Changes, c)
				}
			}
			at := &Record{
				Circuit: h.record.Circuit,
				all:     []Part{{Key: Key{Kind: TheRun}, Document: h.record.parts[Key{Kind: TheRun}].Document}},
			}
			if states[i] != nil && p.Kind != TheRun {
				at.all = append(at.all, Part{Key: p.Key, N: 1, Document: states[i]})
			} else if states[i] != nil {
				at.all = []Part{{Key: p.Key, Document: states[i]}}
			}
			if p.Kind == TheRun && states[i] == nil {
				at.all = nil
			}
			next, err := at.With(forward)
			require.NoError(t, err)
			if want := states[i+1]; want == nil {
				assert.Nil(t, next.parts[p.Key].Document)
			} else {
				assert.JSONEq(t, string(want), string(next.parts[p.Key].Document), "seed %d: %s", seed, p.Key)
			}
		}
	}
}

// allUndone takes everything back, and brings it back again.
func (h *history) allUndone(t *testing.T, seed uint64) {
	before := stands(t, h.record)
	office := func(do Doing) error {
		next, a, err := h.record.Decide(
			Command{ID: h.id(), At: noon.Add(24 * time.Hour), Seen: h.record.Version, Do: do}, // of no device: whoever did it
			theHouse,
		)
		if err == nil {
			require.NotNil(t, a)
			next.keptAs(int64(len(next.Log)))
			h.record = next
		}
		return err
	}
	last, waits := h.record.Undoable("", "")
	steps := 0
	for last != nil {
		require.NoError(t, office(&Undo{}), "seed %d: taking back %s", seed, last.What)
		steps++
		last, _ = h.record.Undoable("", "")
	}
	require.ErrorIs(t, office(&Undo{}), ErrNothingLeft)

	// What may not be undone: what the customer said, on the run as it was; and the
	// directory of the house.
	want := h.start
	for _, c := range h.sent {
		if c.Device == Customer {
			next, a, err := want.Decide(c, theHouse)
			require.NoError(t, err)
			if a != nil {
				next.keptAs(int64(len(next.Log)))
			}
			want = next
		}
	}
	got, expected := standing(t, h.record), standing(t, want)
	assert.Equal(t, expected, got, "seed %d: all taken back", seed)
	for range steps {
		require.NoError(t, office(&Redo{}), "seed %d", seed)
	}
	assert.Equal(t, before, stands(t, h.record), "seed %d: all brought back", seed)
	if waits == nil {
		require.ErrorIs(t, office(&Redo{}), ErrNothingLeft)
	}
}

// standing is what stands of a record but the directory, in words that do not tell
// nothing from an empty document.
func standing(t testing.TB, r *Record) map[string]string {
	all := map[string]string{}
	var parts []Part
	require.NoError(t, json.Unmarshal([]byte(stands(t, r)), &parts))
	for _, p := range parts {
		if p.Kind == TheDirectory || p.Kind == AHazard { // a hazard ends when somebody has looked
			continue
		}
		var document any
		require.NoError(t, json.Unmarshal(p.Document, &document))
		if p.Kind == TheConditions {
			boxes, _ := document.(map[string]any)["boxes"].(map[string]any)
			for _, conditions := range boxes { // sets
				slices.SortFunc(conditions.([]any), func(a, b any) int { return cmp.Compare(a.(string), b.(string)) })
			}
		}
		if text, _ := json.Marshal(document); string(text) != "{}" {
			all[string(p.Kind)+" "+p.ID] = string(text)
		}
	}
	return all
}

// TestDoingsAsSent: every doing can be sent, and says the same when it is read.
func TestDoingsAsSent(t *testing.T) {
	h := newHistory(t, 5)
	seen := map[string]bool{beginning: true}
	for range 1000 {
		d := h.drawn()
		switch h.r.IntN(9) {
		case 0:
			d = h.said()
		case 1:
			d = pick[Doing](h.r, &MakeUp{"B2"}, &DoInDrill{What: "wire", Box: "B1", Wired: &drill.Wired{Pairs: [][2]string{{"W1@B1.hot", "R1.hot.1"}}}}, &AcceptInRun{"N1", "no-space", "Ada", "until Friday"}, &LayRun{"N1", "Van 1"}, &SetNewRunSteps{"N1", []string{"check"}})
		}
		seen[Name(d)] = true
		data, err := FormatDoing(d)
		require.NoError(t, err)
		again, err := ParseDoing(data)
		require.NoError(t, err, "%s", data)
		assert.Equal(t, h.raw(d), h.raw(again))
	}
	for _, name := range Names() {
		assert.True(t, seen[name], name)
	}
	for _, row := range []struct{ name, sent, says string }{
		{"no JSON", `{`, ""},
		{"not said what", `{}`, `do: one of ["accept-in-new-run" "accept-quote" "add-entry"`},
		{"no such thing", `{ "do": "dance" }`, `do: "dance" is none of`},
		{"a field too many", `{ "do": "make-up", "box": "B1", "colour": "red" }`, "colour"},
		{"a field of another kind", `{ "do": "make-up", "box": 1 }`, "box"},
	} {
		_, err := ParseDoing([]byte(row.sent))
		assert.ErrorContains(t, err, row.says, "%s", row.name)
	}
}
