package call

import (
	"encoding/json"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"elvat/core/job"
)

// Erased is what the title of a call says whose customer's data were erased.
const Erased = "Erased"

// staysOfEntry are the kinds of entry whose text is about the work and not about people: what
// was found, what was live, what was used and marked.
var staysOfEntry = []job.Kind{job.WasFound, job.SecondSource, job.Accepted, job.Marking, job.Part, job.MadeUp, job.DeadTest}

// Erase is the record without what it says of its customer: name, complaint, labels of rooms,
// what the customer answered, photographs, the signature and to whom it was handed over,
// notes, the quote, and the panel's directory. What was measured, found, done, passed and by which
// electrician stays: that is what warranty and law ask for.
func (r *Record) Erase() ([]Part, error) {
	var all []Part
	rooms := r.rooms()
	for _, p := range r.all {
		var err error
		switch p.Kind {
		case APicture, AnAnswer, AConflict, TheDirectory, TheQuote:
			continue
		case TheCall:
			p.Document, err = json.Marshal(head{Title: Erased, CautionsReadAt: r.CautionsReadAt})
		case TheRun:
			c := r.Circuit.Clone()
			c.Name, c.Breaker.Label = "", ""
			for i := range c.Boxes {
				c.Boxes[i].Label = ""
			}
			p.Document, err = c.Encode()
		case AnEntry:
			p.Document, err = eraseEntry(p.Document, rooms)
		case TheAppointment:
			a := r.Appointment
			a.Telephone = ""
			p.Document, err = json.Marshal(a)
		case ABox:
			p.Document, err = eraseWithin(p.Document, "makeup")
		case ANewRun:
			p.Document, err = eraseWithin(p.Document, "order")
		case AHazard:
			p.Document, err = eraseHazard(p.Document)
		}
		if err != nil {
			return nil, fmt.Errorf("%s %s: %w", p.Kind, p.ID, err)
		}
		all = append(all, p)
	}
	if _, err := Open(r.ID, all, nil); err != nil {
		return nil, err
	}
	return all, nil
}

// rooms puts the names of boxes in the place of what people call them, in what was written
// about the work: whole words only, so that a room called "Ada" leaves an adapter alone.
type rooms struct {
	named *regexp.Regexp // nil where no box has a label
	boxes map[string]string
}

func (r *Record) rooms() rooms {
	all := rooms{boxes: map[string]string{}}
	var labels []string
	for i := range r.Circuit.Boxes {
		b := &r.Circuit.Boxes[i]
		if label := strings.TrimSpace(b.Label); label != "" {
			all.boxes[label] = b.ID
			labels = append(labels, regexp.QuoteMeta(label))
		}
	}
	if len(labels) > 0 {
		slices.SortFunc(labels, func(a, b string) int { return len(b) - len(a) }) // the longest first
		all.named = regexp.MustCompile("(^|" + noWord + ")(" + strings.Join(labels, "|") + ")($|" + noWord + ")")
	}
	return all
}

// noWord is what words end at.
const noWord = `[^\pL\pN]`

func (r rooms) erased(text string) string {
	if r.named == nil {
		return text
	}
	// Twice: of two that stand side by side the one takes the space that the other begins with.
	for range 2 {
		text = r.named.ReplaceAllStringFunc(text, func(found string) string {
			part := r.named.FindStringSubmatch(found)
			return part[1] + r.boxes[part[2]] + part[3]
		})
	}
	return text
}

func eraseEntry(document json.RawMessage, rooms rooms) (json.RawMessage, error) {
	var e job.Entry
	if err := json.Unmarshal(document, &e); err != nil {
		return nil, err
	}
	switch {
	case e.Kind == job.Note:
		e.Text = Erased
	case slices.Contains(staysOfEntry, e.Kind):
		e.Text = rooms.erased(e.Text)
	default:
		e.Text = ""
	}
	e.Reason = rooms.erased(e.Reason)
	// What spoke for the cause stands in the readings, without the names of rooms.
	e.To, e.Signature, e.Hidden, e.Source, e.Evidence = "", "", "", "", nil
	return json.Marshal(e)
}

// eraseWithin takes out what people call things in the document that a part holds.
func eraseWithin(document json.RawMessage, key string) (json.RawMessage, error) {
	var k map[string]json.RawMessage
	if err := json.Unmarshal(document, &k); err != nil {
		return nil, err
	}
	var held any
	if err := json.Unmarshal(k[key], &held); err != nil {
		return nil, err
	}
	blank(held)
	var err error
	if k[key], err = json.Marshal(held); err != nil {
		return nil, err
	}
	return json.Marshal(k)
}

// blank takes out what people call things.
func blank(v any) {
	switch v := v.(type) {
	case []any:
		for _, one := range v {
			blank(one)
		}
	case map[string]any:
		for key, one := range v {
			switch key {
			case "label", "name", "serves", "what":
				if _, text := one.(string); text {
					delete(v, key)
					continue
				}
			}
			blank(one)
		}
	}
}
