package call

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"elvat/core/day"
	"elvat/core/forecast"
	"elvat/core/job"
	"elvat/core/practice"
	"elvat/core/safety"
	"elvat/core/visit"
)

// An Appointment is when and by whom the call is gone to, and when it really was.
type Appointment struct {
	Van  string     `json:"van,omitempty"`
	Date string     `json:"date,omitempty"` // 2026-05-04, by the shop's clocks
	From *day.Clock `json:"from,omitempty"` // the window that was promised
	To   *day.Clock `json:"to,omitempty"`
	// Urgent is what was said of it when it came in: a sign of danger; empty: none.
	Urgent    visit.Sign `json:"urgent,omitempty"`
	Telephone string     `json:"telephone,omitempty"`
	Travel    *float64   `json:"travel,omitempty"` // minutes of the drive there, as somebody said
	// Place is its place among the calls of its van and day where somebody put it there; zero:
	// where the plan puts it.
	Place int `json:"place,omitempty"`

	ArrivedAt *time.Time `json:"arrivedAt,omitempty"`
	FoundAt   *time.Time `json:"foundAt,omitempty"`
	DoneAt    *time.Time `json:"doneAt,omitempty"`
	// Expected is what it was expected to take when somebody arrived.
	Expected *forecast.Minutes `json:"expected,omitempty"`
}

// check reports what cannot be, naming the place.
func (a *Appointment) check() error {
	if a.Date != "" {
		if _, err := time.Parse(time.DateOnly, a.Date); err != nil {
			return fmt.Errorf("date: %q is no day: 2026-05-04", a.Date)
		}
	}
	switch {
	case a.From != nil && a.To != nil && *a.To < *a.From:
		return fmt.Errorf("to: %s is before %s, when the window opens", *a.To, *a.From)
	case a.Urgent != "" && !slices.Contains(visit.Signs, a.Urgent):
		return fmt.Errorf("urgent: %q is none of %v", a.Urgent, visit.Signs)
	case a.Travel != nil && !(*a.Travel >= 0 && *a.Travel <= 600):
		return fmt.Errorf("travel: %g minutes is out of bounds, 0 to 600", *a.Travel)
	case a.Place < 0 || a.Place > 1000:
		return fmt.Errorf("place: %d is out of bounds", a.Place)
	case len(a.Van) > 60 || len(a.Telephone) > 60:
		return fmt.Errorf("van, telephone: longer than 60 characters")
	}
	return nil
}

func checkAppointment(data []byte) error {
	var a Appointment
	if err := json.Unmarshal(data, &a); err != nil {
		return err
	}
	return a.check()
}

// SetAppointment sets what is given of the appointment; what is absent stays, what is empty is
// taken away.
type SetAppointment struct {
	Van       *string  `json:"van,omitempty"`
	Date      *string  `json:"date,omitempty"`
	From      *string  `json:"from,omitempty"` // 08:30
	To        *string  `json:"to,omitempty"`
	Urgent    *string  `json:"urgent,omitempty"`
	Telephone *string  `json:"telephone,omitempty"`
	Travel    *float64 `json:"travel,omitempty"` // negative: nobody said
	Place     *int     `json:"place,omitempty"`
}

func (*SetAppointment) what(*Record) string { return "appointment" }

func (c *SetAppointment) decide(d *draft) error {
	if c.Urgent != nil {
		if sign := visit.Sign(strings.TrimSpace(*c.Urgent)); slices.Contains(visit.Signs, sign) && sign != d.r.Appointment.Urgent {
			if err := d.toldHazard(sign, safety.Office); err != nil {
				return err
			}
		}
	}
	var wrong error
	err := d.mergeAppointment(func(a *Appointment) {
		for _, f := range []struct{ from, to *string }{{c.Van, &a.Van}, {c.Date, &a.Date}, {c.Telephone, &a.Telephone}, {c.Urgent, (*string)(&a.Urgent)}} {
			if f.from != nil {
				*f.to = strings.TrimSpace(*f.from)
			}
		}
		for _, f := range []struct {
			name string
			from *string
			to   **day.Clock
		}{{"from", c.From, &a.From}, {"to", c.To, &a.To}} {
			switch {
			case f.from == nil:
			case strings.TrimSpace(*f.from) == "":
				*f.to = nil
			default:
				var at day.Clock
				if err := at.UnmarshalText([]byte(strings.TrimSpace(*f.from))); err != nil && wrong == nil {
					wrong = bad("%s: %w", f.name, err)
				}
				*f.to = &at
			}
		}
		if c.Travel != nil {
			a.Travel = c.Travel
			if *c.Travel < 0 {
				a.Travel = nil
			}
		}
		if c.Place != nil {
			a.Place = *c.Place
		}
		if err := a.check(); err != nil && wrong == nil {
			wrong = BadInput{err}
		}
	})
	if wrong != nil {
		return wrong
	}
	return err
}

// mergeAppointment sets something of the appointment as its screen had it, joined with what
// others set since.
func (d *draft) mergeAppointment(set func(*Appointment)) error {
	return mergePart(d, Key{Kind: TheAppointment}, checkAppointment, set)
}

// Stop is the appointment as a van's day is planned by it, by the clocks of a zone.
func (a *Appointment) Stop(date string, zone *time.Location) day.Stop {
	s := day.Stop{From: a.From, To: a.To, Travel: a.Travel, Arrived: day.ClockOn(date, a.ArrivedAt, zone)}
	if s.Arrived != nil {
		s.Done = day.ClockOn(date, a.DoneAt, zone)
	}
	return s
}

// A Mark is a moment of a call.
type Mark string

// Marks of the clock.
const (
	Arrived Mark = "arrived"
	Found   Mark = "found"
	Done    Mark = "done"
)

// MarkClock says that the moment is now, or takes it back.
type MarkClock struct {
	Mark Mark `json:"mark"`
	Off  bool `json:"off,omitempty"` // it was not
}

func (c *MarkClock) what(*Record) string { return "clock: " + string(c.Mark) }

func (c *MarkClock) decide(d *draft) error {
	if !slices.Contains([]Mark{Arrived, Found, Done}, c.Mark) {
		return bad("mark: %q is none of %v", c.Mark, []Mark{Arrived, Found, Done})
	}
	var expected *forecast.Minutes
	if c.Mark == Arrived && !c.Off && d.house.Expected != nil {
		m, err := d.house.Expected()
		if err != nil {
			return err
		}
		expected = &m
	}
	return d.mergeAppointment(func(a *Appointment) {
		at := &d.c.At
		if c.Off {
			at = nil
		}
		switch c.Mark {
		case Arrived:
			a.ArrivedAt = at
			a.Expected = expected
		case Found:
			a.FoundAt = at
		case Done:
			a.DoneAt = at
		}
	})
}

// Urgent reports heat, smell or water, as it was said on the telephone or through the
// customer's link.
func (r *Record) Urgent() bool {
	return r.Appointment.Urgent != "" || len(r.Standing()) > 0
}

// Took is how many minutes were spent on the call; zero where the clock does not say.
func (a *Appointment) Took() float64 {
	if a.ArrivedAt == nil || a.DoneAt == nil || a.DoneAt.Before(*a.ArrivedAt) {
		return 0
	}
	return a.DoneAt.Sub(*a.ArrivedAt).Minutes()
}

// found reports that eyes, or words, said of some box what was wrong in it.
func (r *Record) found() bool {
	for i := range r.Circuit.Boxes {
		if r.FoundIn(r.Circuit.Boxes[i].ID) != "" {
			return true
		}
	}
	return false
}

// Left is what is still to do on the call.
func (r *Record) Left(v *View, shop practice.Shop) forecast.Left {
	l := forecast.Left{Arrived: r.Appointment.ArrivedAt != nil, Done: r.HandedOver() || r.Appointment.DoneAt != nil}
	made := 0
	for i := range r.Boxes {
		if r.Boxes[i].MadeAt != nil {
			made++
		}
	}
	found := r.Appointment.FoundAt != nil || made > 0 || r.found()
	if !found {
		told := forecast.Of(v.Result)
		l.Told = &told
	}
	if made == 0 {
		l.Boxes = 1
	}
	for _, k := range v.Checks {
		if k.Status != job.Agrees {
			l.Outlets++
		}
	}
	l.Outlets = max(l.Outlets, l.Boxes)
	for i := range r.NewRuns {
		n := &r.NewRuns[i]
		if n.LaidAt != nil {
			continue
		}
		if p, err := r.PlanOf(n.Order, shop); err == nil {
			l.Planned = append(l.Planned, forecast.Minutes{Usual: p.Minutes.Usual, Least: p.Minutes.Least, Most: p.Minutes.Most})
		}
	}
	if len(l.Planned) > 0 && len(r.Circuit.Boxes) == 0 {
		l.Told, l.Boxes, l.Outlets = nil, 0, 0 // nothing but the new circuit
	}
	return l
}
