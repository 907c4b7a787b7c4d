// Package job is the order of a service call: its phases, what each waits for,
// and the cautions that stand before everything else.
package job

import (
	"fmt"

	"elvat/core/words"
)

// A Phase is one stage of a call.
type Phase string

// The phases, in the order in which a call goes through them.
const (
	Complaint Phase = "complaint"
	AsFound   Phase = "as found"
	Dead      Phase = "dead"
	OpenBox   Phase = "open box"
	MakeUp    Phase = "make-up"
	Prove     Phase = "prove"
	HandOver  Phase = "hand over"
)

// Phases in their order.
var Phases = []Phase{Complaint, AsFound, Dead, OpenBox, MakeUp, Prove, HandOver}

// Facts are what a call's phase follows from.
type Facts struct {
	CautionsRead bool     // the standing cautions were gone through on this call
	Outlets      int      // on the run
	Read         int      // halves that were read at least once
	Halves       int      // halves there are
	Settled      bool     // the readings point at one box
	Box          string   // what people call that box
	Leading      []string // what people call the boxes in question, likeliest first
	MadeUp       string   // the box made up last as planned, or put right, "" for none
	Working      string   // the box that is proven dead or passed by override, "" for none
	Conductors   bool     // its wires may be touched
	DeadMissing  string   // what its proof lacks next, or the settled box's
	Left, Differ int      // readings that prove the work: not taken, and differing
	DeadRecorded bool     // before a box was made up
	HandedOver   bool
	LiveGround   string // where a live ground pin is shown or not excluded, "" nowhere
	Reported     string // what can hurt, as the customer said it; "" for nothing
}

// Progress is a phase with how far it is.
type Progress struct {
	Phase  Phase  `json:"phase"`
	State  string `json:"state"`  // "done", "now", "ahead"
	Detail string `json:"detail"` // what is missing, or what came of it
}

// States of progress.
const (
	Done  = "done"
	Now   = "now"
	Ahead = "ahead"
)

// Now is the phase the facts put the call in.
func (f Facts) Now() Phase {
	switch {
	case !f.CautionsRead || f.Outlets == 0:
		return Complaint
	case f.HandedOver, f.MadeUp != "" && f.Left == 0 && f.Differ == 0:
		return HandOver
	case f.MadeUp != "":
		return Prove
	case f.Working != "" && f.Conductors:
		return MakeUp
	case f.Working != "":
		return OpenBox
	case !f.Settled:
		return AsFound
	default:
		return Dead
	}
}

// Strip is all the phases with what each is waiting for.
func (f Facts) Strip() []Progress {
	now := f.Now()
	strip := make([]Progress, 0, len(Phases))
	state := Done
	for _, phase := range Phases {
		if phase == now {
			state = Now
		}
		strip = append(strip, Progress{Phase: phase, State: state, Detail: f.detail(phase)})
		if state == Now {
			state = Ahead
		}
	}
	return strip
}

func (f Facts) detail(phase Phase) string {
	switch phase {
	case Complaint:
		switch {
		case f.Outlets == 0:
			return "no run yet"
		case !f.CautionsRead:
			return "cautions not read"
		default:
			return plural(f.Outlets, "outlet")
		}
	case AsFound:
		if f.MadeUp != "" {
			return "read before"
		}
		if f.Read == 0 {
			return "nothing read"
		}
		return count(f.Read) + " of " + plural(f.Halves, "half")
	case Dead:
		switch {
		case f.Working != "":
			return f.Working + " proven"
		case f.MadeUp != "" && f.DeadRecorded:
			return "recorded"
		case f.MadeUp != "":
			return "not recorded"
		case f.DeadMissing != "":
			return f.DeadMissing
		}
		return "not proven"
	case MakeUp:
		if f.MadeUp == "" && f.Conductors {
			return f.Working
		}
		return f.MadeUp
	case Prove:
		if f.MadeUp == "" {
			return ""
		}
		if f.Differ > 0 {
			return plural(f.Differ, "difference")
		}
		if f.Left > 0 {
			return plural(f.Left, "reading") + " left"
		}
		return "all as predicted"
	case HandOver:
		if f.HandedOver {
			return "done"
		}
		return ""
	case OpenBox:
		switch {
		case f.MadeUp != "":
			return f.MadeUp
		case f.Working != "":
			return f.Working
		case f.Settled:
			return f.Box
		case len(f.Leading) > 1:
			return plural(len(f.Leading), "place") + " in question"
		default:
			return "no box named"
		}
	default:
		return ""
	}
}

// Danger reports whether something that can hurt is told of or not excluded.
func (f Facts) Danger() bool { return f.LiveGround != "" || f.Reported != "" }

// HoldUp says in a sentence what the call waits for.
func (f Facts) HoldUp() string {
	switch {
	case f.Reported != "" && !f.HandedOver:
		return "The customer reports " + f.Reported + ": breaker off, stay away"
	case f.LiveGround != "":
		return "A live ground pin is not excluded at " + f.LiveGround
	case f.Outlets == 0:
		return "No run yet: breaker and outlets"
	case !f.CautionsRead:
		return "Standing cautions not read"
	case f.HandedOver:
		return "Handed over"
	case f.MadeUp != "" && f.Differ > 0:
		return f.MadeUp + " made up: " + plural(f.Differ, "difference") + " to what is predicted"
	case f.MadeUp != "" && f.Left > 0:
		return f.MadeUp + " made up: " + plural(f.Left, "reading") + " left to prove it"
	case f.MadeUp != "":
		return "Proven: hand it over"
	case f.Working != "" && f.Conductors:
		return f.Working + " is open and dead: make it up"
	case f.Working != "":
		return f.Working + " may be opened: " + f.DeadMissing
	case f.Read == 0:
		return "Nothing read yet"
	case f.Settled:
		return "Open " + f.Box + ": prove it dead first"
	case len(f.Leading) > 0:
		return "Not settled: " + either(f.Leading)
	default:
		return "Nothing found wrong so far"
	}
}

// Cautions stand before anything else on every call. They are the usual ones
// of the trade; local code and the authority having jurisdiction win.
var Cautions = func() []string {
	all := make([]string, cautions)
	for i := range all {
		all[i] = words.English.Say(fmt.Sprintf("caution.%d", i+1))
	}
	return all
}()

// cautions is how many there are.
const cautions = 6
