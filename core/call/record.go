// Package call decides what a call is and what follows from it: what counts as
// evidence, where as found ends, which boxes were touched, which gates stand, what
// proves the work, what the cause is. It is pure: no clock, no database, no
// network. The same record gives the same view everywhere.
package call

import (
	"time"

	"elvat/core/circuit"
	"elvat/core/job"
	"elvat/core/makeup"
	"elvat/core/visit"
)

// A Record is the plain data of a call, as it is kept.
type Record struct {
	Circuit      *circuit.Circuit // the run as it is drawn now
	Readings     []Kept           // as they came in
	Boxes        []Box            // those that are recorded
	Journal      job.Journal
	Answers      []visit.Answer // of the customer, in their order
	CautionsRead bool
}

// A Kept reading is an elvat-readings/1 reading as it was entered.
type Kept struct {
	ID        string
	At        time.Time // when it was taken
	Document  []byte
	Withdrawn bool
	Doubtful  bool
}

// A Box is a recorded box.
type Box struct {
	ID     string
	Makeup *makeup.Box // nil where nobody needs its plan
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
