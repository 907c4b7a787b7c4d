// Package call decides what a call is and what follows from it: what counts as
// evidence, where as found ends, which boxes were touched, which gates stand, what
// proves the work, what the cause is. It is pure: no clock, no database, no
// network. The same record gives the same view everywhere.
package call

import (
	"time"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/drill"
	"elvat/core/job"
	"elvat/core/makeup"
	"elvat/core/price"
	"elvat/core/runs"
	"elvat/core/safety"
	"elvat/core/tester"
	"elvat/core/visit"
)

// A Record is the plain data of a call, as it is kept and as it is sent.
type Record struct {
	ID      int64
	Version int64 // the last action on it

	Title          string
	Complaint      string
	CautionsReadAt *time.Time
	Circuit        *circuit.Circuit     // the run as it is drawn now
	Said           *tester.State        // of the circuit's state; nil: as its file says
	Conditions     diagnosis.Conditions // of the place
	Order          *runs.Map            // of the boxes, as far as it is known; nil: all of it
	Changed        []string             // devices known to have been changed lately
	Readings       []Kept               // as they came in
	Boxes          []Box                // those that are recorded
	NewRuns        []NewRun             // that are planned on the call
	Appointment    Appointment
	Quote          *price.Document // that was kept; nil: none
	Journal        job.Journal     // as it was done
	EntryIDs       []string        // of its entries
	Pictures       []Picture
	Used           []Used
	Answers        []visit.Answer // of the customer, in their order
	AnsweredAt     []time.Time
	Conflicts      []Conflict
	Panel          string // id of the panel
	Directory      job.Directory
	Drill          *drill.Drill // it is one to learn on; nil: a call

	Log []Action // what was done, in its order

	told  []safety.Hazard // by commands; Hazards has all
	all   []Part
	parts map[Key]Part
}

// A Kept reading is an elvat-readings/1 reading as it was entered.
type Kept struct {
	ID        string
	At        time.Time // when it was taken
	Document  []byte
	Withdrawn bool
	Overtaken bool // withdrawn by what the customer said later
	Doubtful  bool
}

// A Box is a recorded box.
type Box struct {
	ID     string
	Makeup *makeup.Box // nil where nobody needs its plan
	Done   []string    // steps of the plan
	MadeAt *time.Time  // when it was made up as planned; nil: it was not
}

// box is the recorded box, nil where there is none.
func (r *Record) box(id string) *Box {
	for i := range r.Boxes {
		if r.Boxes[i].ID == id {
			return &r.Boxes[i]
		}
	}
	return nil
}
