package call

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"elvat/core/diagnosis"
	"elvat/core/safety"
	"elvat/core/strict"
	"elvat/core/tester"
	"elvat/core/visit"
)

// AHazard is the kind of the parts that hold a hazard, or how one ended.
const AHazard Kind = "hazard"

// TellHazard tells of heat, smell, scorching, sparks, water or a shock.
type TellHazard struct {
	ID    string        `json:"id"`
	Signs []safety.Sign `json:"signs"`
	Place string        `json:"place,omitempty"` // a box, "panel", or "" where nobody knows
	By    safety.Teller `json:"by,omitempty"`    // "": the electrician
	Text  string        `json:"text,omitempty"`
}

func (c *TellHazard) what(r *Record) string {
	h := safety.Hazard{Signs: c.Signs, Place: c.Place}
	return "hazard: " + h.Words(r.Circuit)
}

func (c *TellHazard) decide(d *draft) error {
	if err := CheckID(c.ID); err != nil {
		return BadInput{err}
	}
	if d.r.Drill != nil {
		return bad("hazard: a drill has those of its scene")
	}
	k := Key{AHazard, c.ID}
	if d.doc(k) != nil {
		return nil // it was sent before
	}
	h := safety.Hazard{ID: c.ID, Signs: c.Signs, Place: c.Place, By: c.By, Name: d.c.Person, At: d.c.At, Text: strings.TrimSpace(c.Text)}
	if h.By == "" {
		h.By = safety.Electrician
	}
	if len(h.Text) > strict.MostText {
		return bad("text: is too long")
	}
	run, err := d.run()
	if err != nil {
		return err
	}
	if err := h.Check(run); err != nil {
		return BadInput{err}
	}
	return d.set(k, h)
}

// LookedAt ends a hazard: somebody looked at its place with the power off.
type LookedAt struct {
	Hazard string `json:"hazard"`
	Found  string `json:"found"`
	Done   string `json:"done"`
	Who    string `json:"who,omitempty"` // "": who is signed in
}

func (c *LookedAt) what(r *Record) string {
	for _, h := range r.Hazards() {
		if h.ID == c.Hazard {
			return "looked at: " + h.Words(r.Circuit)
		}
	}
	return "looked at a hazard"
}

func (c *LookedAt) decide(d *draft) error {
	i := slices.IndexFunc(d.r.Hazards(), func(h safety.Hazard) bool { return h.ID == c.Hazard })
	if i < 0 {
		return ErrNotFound
	}
	h := d.r.Hazards()[i]
	if h.Looked != nil {
		return nil
	}
	if state, _ := d.r.State(); state == nil || state.BreakerOn == nil || *state.BreakerOn {
		return bad("breaker: turn it off and lock it out before the place is looked at")
	}
	h.Looked = &safety.Looked{By: strings.TrimSpace(c.Who), At: d.c.At, Found: strings.TrimSpace(c.Found), Done: strings.TrimSpace(c.Done)}
	if h.Looked.By == "" {
		h.Looked.By = nameOf(d.c.Device, d.c.Person)
	}
	if len(h.Looked.By)+len(h.Looked.Found)+len(h.Looked.Done) > strict.MostText {
		return bad("found, done: longer than %d characters", strict.MostText)
	}
	if err := h.Looked.Check(); err != nil {
		return BadInput{err}
	}
	return d.set(Key{AHazard, c.Hazard}, h)
}

// Hazards returns all that were told of on the call, in the order in which they were told: by a
// command, by the customer's answers, when the call came in, and by what a reading shows. One that
// stands is ended by LookedAt alone: a later answer does not end it.
func (r *Record) Hazards() []safety.Hazard {
	all := slices.Clone(r.told)
	add := func(h safety.Hazard) {
		if !slices.ContainsFunc(all, func(other safety.Hazard) bool { return other.ID == h.ID }) {
			all = append(all, h)
		}
	}
	for i := range r.Answers {
		if a := &r.Answers[i]; a.Kind == visit.Danger && len(a.Signs) > 0 {
			h := safety.Hazard{ID: fmt.Sprintf("answer-%d", i+1), Signs: a.Signs, Place: a.Box, By: safety.Customer, Text: a.Text}
			if i < len(r.AnsweredAt) {
				h.At = r.AnsweredAt[i]
			}
			add(h)
		}
	}
	for _, k := range r.Readings {
		var reading tester.Reading
		if k.Withdrawn || strict.Reread(k.Document, &reading) != nil {
			continue
		}
		if reading.Tool == tester.Hint && reading.Hint == tester.WarmPlate && reading.Yes != nil && *reading.Yes && !reading.Doubtful {
			add(safety.Hazard{ID: "reading-" + k.ID, Signs: []safety.Sign{safety.Heat}, Place: reading.Site, By: safety.Reading, At: k.At})
		}
	}
	for i := range all {
		if all[i].Place != "" && r.Circuit.LabelOf(all[i].Place) == "" {
			all[i].Place = "" // of a stop that was taken off: somewhere on the run
		}
	}
	slices.SortStableFunc(all, func(a, b safety.Hazard) int { return a.At.Compare(b.At) })
	return all
}

// Standing returns the hazards that nobody has looked at.
func (r *Record) Standing() []safety.Hazard { return safety.Standing(r.Hazards()) }

// toldHazard keeps a hazard that came with something else, such as the call itself.
func (d *draft) toldHazard(sign safety.Sign, by safety.Teller) error {
	id := "hazard-" + d.c.ID
	return d.set(Key{AHazard, id}, safety.Hazard{ID: id, Signs: []safety.Sign{sign}, By: by, Name: d.c.Person, At: d.c.At})
}

// said is what the customer's page goes by: their answers, and that a hazard stands where somebody
// else told of it.
func (r *Record) said() []visit.Answer {
	standing := r.Standing()
	if len(standing) == 0 {
		return r.Answers
	}
	return append(slices.Clone(r.Answers), visit.Answer{Kind: visit.Danger, Signs: standing[0].Signs, Box: standing[0].Place})
}

// Page returns the customer's page.
func (r *Record) Page(guards []visit.Guard) visit.Page { return visit.Walk(guards, r.said()) }

// reported names the standing hazards in words; "" for none.
func (r *Record) reported() string {
	var all []string
	for _, h := range r.Standing() {
		if words := h.Words(r.Circuit); !slices.Contains(all, words) {
			all = append(all, words)
		}
	}
	return strings.Join(all, "; ")
}

// withHazards returns what is known of the place with the hazards that stand on the run.
func (r *Record) withHazards(k diagnosis.Conditions) diagnosis.Conditions {
	k.Hazards = nil
	for _, h := range r.Standing() {
		h.At, h.Name, h.Text = time.Time{}, "", "" // what does not bear on the diagnosis
		k.Hazards = append(k.Hazards, h)
		hot := slices.ContainsFunc(h.Signs, func(s safety.Sign) bool { return s != safety.Water && s != safety.Shock })
		if hot && r.Circuit.Box(h.Place) != nil {
			k = k.With(h.Place, diagnosis.Warm)
		}
	}
	return k
}

func eraseHazard(document json.RawMessage) (json.RawMessage, error) {
	var h safety.Hazard
	if err := json.Unmarshal(document, &h); err != nil {
		return nil, err
	}
	h.Name, h.Text = "", ""
	if h.Looked != nil {
		h.Looked.By = ""
	}
	return json.Marshal(h)
}
