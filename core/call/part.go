package call

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/job"
	"elvat/core/makeup"
	"elvat/core/merge"
	"elvat/core/price"
	"elvat/core/runs"
	"elvat/core/safety"
	"elvat/core/tester"
	"elvat/core/visit"
)

// A Kind is that of a part of a record.
type Kind string

// The kinds of parts. What has no id is there once.
const (
	TheCall       Kind = "call"       // title, complaint, when the cautions were read
	TheRun        Kind = "run"        // elvat-circuit/1
	TheState      Kind = "state"      // of the circuit now
	TheConditions Kind = "conditions" // of the place, elvat-conditions/1
	TheOrder      Kind = "order"      // of the boxes, elvat-map/1
	TheDirectory  Kind = "directory"  // of the panel; id is the panel's. It is the house's
	AChanged      Kind = "changed"    // a device known to have been changed lately
	AReading      Kind = "reading"
	AnEntry       Kind = "entry" // of the journal
	ABox          Kind = "box"   // an opened one
	APicture      Kind = "picture"
	AUsed         Kind = "used"   // a part used up
	AnAnswer      Kind = "answer" // of the customer
	AConflict     Kind = "conflict"
	ANewRun       Kind = "new-run" // that is planned on the call
	// TheAppointment says when and by whom the call is gone to, and when it really was.
	TheAppointment Kind = "appointment"
	TheQuote       Kind = "quote" // elvat-quote/1
	TheDrill       Kind = "drill" // it is one to learn on
)

// stays are the kinds that are struck out when they are taken back, and stay to be seen.
func (k Kind) stays() bool { return k == AReading || k == AnEntry || k == APicture || k == AUsed }

// undoable reports whether undo may touch it: what a customer said, and what is
// known of the house, is not this call's to take back; a hazard ends when somebody has looked.
func (k Kind) undoable() bool {
	return k != AnAnswer && k != AHazard && k != TheDirectory && k != TheDrill
}

// A Key names a part.
type Key struct {
	Kind Kind   `json:"kind"`
	ID   string `json:"id,omitempty"`
}

// A Part is one document of a record.
type Part struct {
	Key
	N        int             `json:"n"` // in the order in which they came to be
	Document json.RawMessage `json:"document"`
}

// A Change is one place of one part that was set.
type Change struct {
	Key
	merge.Change
}

// head is the document of TheCall.
type head struct {
	Title          string     `json:"title"`
	Complaint      string     `json:"complaint"`
	CautionsReadAt *time.Time `json:"cautionsReadAt,omitempty"`
}

type readingPart struct {
	At        time.Time       `json:"at"`
	Reading   json.RawMessage `json:"reading"`
	Doubtful  bool            `json:"doubtful,omitempty"`
	Withdrawn bool            `json:"withdrawn,omitempty"`
	// Overtaken by what the customer said later; apart from what the shop withdrew.
	Overtaken bool `json:"overtaken,omitempty"`
}

type boxPart struct {
	Makeup json.RawMessage `json:"makeup"`
	Done   []string        `json:"done,omitempty"`
	MadeAt *time.Time      `json:"madeAt,omitempty"`
}

// A Picture is a photograph without its image.
type Picture struct {
	ID        string    `json:"-"`
	Box       string    `json:"box,omitempty"` // "" where it is of none
	Phase     string    `json:"phase"`         // or Pulled
	At        time.Time `json:"at"`
	Withdrawn bool      `json:"withdrawn,omitempty"`
}

// Pulled is the phase of a picture of a pulled device: it is the record of what
// landed where in its box.
const Pulled = "pulled"

// A Used is a part that was used up on the call, and the van it came off; from
// nowhere that is counted where Van is empty.
type Used struct {
	ID        string    `json:"-"`
	Van       string    `json:"van,omitempty"`
	Item      string    `json:"item"`
	Unit      string    `json:"unit,omitempty"`
	Count     float64   `json:"count"`
	At        time.Time `json:"at"`
	Box       string    `json:"box,omitempty"`
	Withdrawn bool      `json:"withdrawn,omitempty"`
}

type answerPart struct {
	At     time.Time    `json:"at"`
	Answer visit.Answer `json:"answer"`
}

// A Conflict is a value that two devices set differently, neither having seen the
// other's.
type Conflict struct {
	ID        string          `json:"-"`
	Of        Key             `json:"of"`
	Path      string          `json:"path,omitempty"` // within it
	Theirs    json.RawMessage `json:"theirs,omitempty"`
	Mine      json.RawMessage `json:"mine,omitempty"` // in force
	TheirName string          `json:"theirName"`
	MyName    string          `json:"myName"`
	At        time.Time       `json:"at"`
	SettledAt *time.Time      `json:"settledAt,omitempty"`
}

// Open reads a record from its parts and what was done on it. Errors name the part.
func Open(id int64, parts []Part, log []Action) (*Record, error) {
	r := &Record{ID: id, Log: log, parts: map[Key]Part{}, Changed: []string{}, Directory: job.Directory{}}
	r.all = slices.SortedFunc(slices.Values(parts), func(a, b Part) int {
		if a.N != b.N {
			return a.N - b.N
		}
		return strings.Compare(string(a.Kind)+a.ID, string(b.Kind)+b.ID)
	})
	for _, p := range r.all {
		r.parts[p.Key] = p
		if err := r.open(p); err != nil {
			return nil, fmt.Errorf("%s: %w", strings.TrimSpace(string(p.Kind)+" "+p.ID), err)
		}
	}
	r.sortJournal()
	slices.Sort(r.Changed)
	for _, a := range log {
		r.Version = max(r.Version, a.ID)
	}
	return r, nil
}

// sortJournal puts the entries in the order in which they were made.
func (r *Record) sortJournal() {
	order := make([]int, len(r.Journal))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return r.Journal[a].At.Compare(r.Journal[b].At) })
	journal, ids := make(job.Journal, len(order)), make([]string, len(order))
	for to, from := range order {
		journal[to], ids[to] = r.Journal[from], r.EntryIDs[from]
	}
	r.Journal, r.EntryIDs = journal, ids
}

func (r *Record) open(p Part) (err error) {
	switch p.Kind {
	case TheCall:
		var h head
		err = json.Unmarshal(p.Document, &h)
		r.Title, r.Complaint, r.CautionsReadAt = h.Title, h.Complaint, h.CautionsReadAt
	case TheRun:
		r.Circuit, err = circuit.Reopen(p.Document)
	case TheState:
		r.Said, err = tester.ReadState(p.Document)
	case TheConditions:
		err = json.Unmarshal(p.Document, &r.Conditions)
	case TheOrder:
		r.Order = &runs.Map{}
		err = json.Unmarshal(p.Document, r.Order)
	case TheDirectory:
		r.Panel = p.ID
		err = json.Unmarshal(p.Document, &r.Directory)
	case AChanged:
		r.Changed = append(r.Changed, p.ID)
	case AReading:
		var k readingPart
		err = json.Unmarshal(p.Document, &k)
		r.Readings = append(r.Readings, Kept{p.ID, k.At, k.Reading, k.Withdrawn || k.Overtaken, k.Overtaken, k.Doubtful})
	case AnEntry:
		var e job.Entry
		err = json.Unmarshal(p.Document, &e)
		r.Journal, r.EntryIDs = append(r.Journal, e), append(r.EntryIDs, p.ID)
	case ABox:
		err = r.openBox(p)
	case ANewRun:
		err = r.openNewRun(p)
	case TheQuote:
		r.Quote, err = price.ParseDocument(p.Document)
	case TheDrill:
		err = r.openDrill(p)
	case TheAppointment:
		err = json.Unmarshal(p.Document, &r.Appointment)
	case APicture:
		k := Picture{ID: p.ID}
		err = json.Unmarshal(p.Document, &k)
		r.Pictures = append(r.Pictures, k)
	case AUsed:
		k := Used{ID: p.ID}
		err = json.Unmarshal(p.Document, &k)
		r.Used = append(r.Used, k)
	case AnAnswer:
		var k answerPart
		err = json.Unmarshal(p.Document, &k)
		r.Answers, r.AnsweredAt = append(r.Answers, k.Answer), append(r.AnsweredAt, k.At)
	case AHazard:
		var h safety.Hazard
		err = json.Unmarshal(p.Document, &h)
		h.ID = p.ID
		r.told = append(r.told, h)
	case AConflict:
		k := Conflict{ID: p.ID}
		err = json.Unmarshal(p.Document, &k)
		r.Conflicts = append(r.Conflicts, k)
	default:
		err = fmt.Errorf("there is no such part")
	}
	return err
}

func (r *Record) openBox(p Part) error {
	var k boxPart
	if err := json.Unmarshal(p.Document, &k); err != nil {
		return err
	}
	b, err := makeup.Reopen(k.Makeup)
	r.Boxes = append(r.Boxes, Box{ID: p.ID, Makeup: b, Done: k.Done, MadeAt: k.MadeAt})
	return err
}

// Parts are all parts in the order in which they came to be.
func (r *Record) Parts() []Part { return slices.Clone(r.all) }

// Part is one part; false where there is none.
func (r *Record) Part(k Key) (Part, bool) {
	p, ok := r.parts[k]
	return p, ok
}

// Place is what is known of the place, as far as the run still has room for it.
func (r *Record) Place() diagnosis.Conditions { return r.Conditions.On(r.Circuit) }

// Map is what is known of the order of the boxes, likewise.
func (r *Record) Map() runs.Map {
	if r.Order == nil {
		return runs.Map{}
	}
	return r.Order.On(r.Circuit)
}

// State is the state that the circuit is said to be in, and what of that cannot be.
func (r *Record) State() (now *tester.State, cannot []string) { return r.Said.Fit(r.Circuit) }

// PanelDirectory is that of the panel; where nobody wrote one, what is known of
// the run's own breaker.
func (r *Record) PanelDirectory() job.Directory {
	if b := r.Circuit.Breaker; len(r.Directory) == 0 && b.Label != "" {
		return job.Directory{{Breaker: b.Label, Amps: b.Amps, Serves: r.Title}}
	}
	return r.Directory
}

// Search is how far finding the breaker by halves has come.
func (r *Record) Search() job.Search {
	var rooms []string
	for i := range r.Circuit.Boxes {
		rooms = append(rooms, r.Circuit.LabelOf(r.Circuit.Boxes[i].ID))
	}
	return r.Journal.SearchBreaker(r.PanelDirectory(), r.Circuit.Breaker.Label, rooms)
}

// LabelOf is what people call a box, or that of a device.
func (r *Record) LabelOf(id string) string {
	if _, box := r.Circuit.Device(id); box != nil {
		return r.Circuit.LabelOf(box.ID)
	}
	return r.Circuit.LabelOf(id)
}

// Vans are those that parts of the call came off.
func (r *Record) Vans() []string {
	var all []string
	for _, u := range r.Used {
		if !u.Withdrawn {
			all = append(all, u.Van)
		}
	}
	return all
}

// Known is what the diagnosis is told of the place: what is known of it, and that
// somebody worked in the boxes whose devices were changed lately.
func (r *Record) Known() diagnosis.Conditions {
	k := r.Place()
	for _, device := range r.Changed {
		if _, box := r.Circuit.Device(device); box != nil {
			k = k.With(box.ID, diagnosis.Worked)
		}
	}
	return r.withHazards(k)
}

// PulledAt is the latest picture of the box's pulled device; false where there is none.
func (r *Record) PulledAt(box string) (Picture, bool) {
	for _, p := range slices.Backward(r.Pictures) {
		if p.Box == box && p.Phase == Pulled && !p.Withdrawn {
			return p, true
		}
	}
	return Picture{}, false
}
