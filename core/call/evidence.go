package call

import (
	"fmt"
	"slices"
	"time"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/sitebook"
	"elvat/core/strict"
	"elvat/core/tester"
)

// A Line is a reading as it stands on the call.
type Line struct {
	Kept
	Reading tester.Reading
	Delta   tester.Delta
	Problem string // why it is no evidence; empty where it is, or was withdrawn
}

// Evidence is what was read, and what of it counts.
type Evidence struct {
	Lines   []Line           // all that was entered, in that order
	InForce []tester.Reading // what counts
	Skipped []tester.Reading // asked for, and not taken
	Made    string           // the box made up last; "" for none
	MadeAt  time.Time
	// Begun is when the circuit was first changed on the call: a box made up, or
	// something put right. Zero while it is as it was found.
	Begun time.Time
}

// Evidence works out what of the readings counts: what was not withdrawn, what
// the run still has a place for, and what was taken since a box was last made up,
// for what was read before is of the run as it was.
func (r *Record) Evidence() (*Evidence, error) {
	e := &Evidence{}
	for i := range r.Boxes {
		if at := r.Boxes[i].MadeAt; at != nil && (e.Made == "" || at.After(e.MadeAt)) {
			e.Made, e.MadeAt = r.Boxes[i].ID, *at
		}
	}
	for _, k := range r.inOrder() {
		line := Line{Kept: k}
		reading, err := tester.ParseOne(k.Document, r.Circuit)
		if err != nil {
			line.Problem = err.Error()
			if err := strict.Reread(k.Document, &reading); err != nil {
				return nil, fmt.Errorf("reading %s: %w", k.ID, err)
			}
		}
		if line.Problem == "" && e.Made != "" && k.At.Before(e.MadeAt) {
			line.Problem = fmt.Sprintf("as found, before %s was made up anew", r.Circuit.LabelOf(e.Made))
		}
		reading.Doubtful = reading.Doubtful || k.Doubtful
		line.Reading, line.Delta = reading, reading.Delta(tester.Default)
		e.Lines = append(e.Lines, line)
		switch {
		case k.Withdrawn || line.Problem != "":
		case reading.Skipped:
			e.Skipped = append(e.Skipped, reading)
		default:
			e.InForce = append(e.InForce, reading)
		}
	}
	e.Begun = r.begun(e.Lines)
	return e, nil
}

// inOrder are the readings by when they were taken; as entered where that is the same.
func (r *Record) inOrder() []Kept {
	all := slices.Clone(r.Readings)
	slices.SortStableFunc(all, func(a, b Kept) int { return a.At.Compare(b.At) })
	return all
}

// begun is when the circuit was first changed; zero where it was not.
func (r *Record) begun(lines []Line) time.Time {
	var all []time.Time
	for i := range r.Boxes {
		if at := r.Boxes[i].MadeAt; at != nil {
			all = append(all, *at)
		}
	}
	for i := range lines {
		if l := &lines[i]; l.Reading.Tool == tester.Fixed && !l.Withdrawn {
			all = append(all, l.At)
		}
	}
	if len(all) == 0 {
		return time.Time{}
	}
	return slices.MinFunc(all, time.Time.Compare)
}

// AsFound reports whether what was read then is of the circuit as it was found on
// the call.
func (e *Evidence) AsFound(at time.Time) bool { return e.Begun.IsZero() || at.Before(e.Begun) }

// Touched are the boxes made up as planned, and those where something was put
// right; the first of the run where that was at the panel, for everything hangs on it.
func (r *Record) Touched(e *Evidence) []string {
	var all []string
	for i := range r.Boxes {
		if r.Boxes[i].MadeAt != nil && r.Circuit.Box(r.Boxes[i].ID) != nil {
			all = append(all, r.Boxes[i].ID)
		}
	}
	for _, site := range diagnosis.PutRight(r.Circuit, e.InForce) {
		if r.Circuit.Box(site) == nil {
			return r.Circuit.Order()[:1]
		}
		if !slices.Contains(all, site) {
			all = append(all, site)
		}
	}
	return all
}

// sinceFixed are the readings since something was last put right.
func (e *Evidence) sinceFixed() []tester.Reading {
	from := 0
	for i, r := range e.InForce {
		if r.Tool == tester.Fixed {
			from = i + 1
		}
	}
	return e.InForce[from:]
}

// A Half is what is known of one half of a device.
type Half struct {
	Device string
	Half   circuit.Half
	Delta  tester.Delta
}

// Halves is what is known of each half that was read, later readings over
// earlier ones.
func (e *Evidence) Halves() []Half {
	found := []Half{}
	for _, r := range e.InForce {
		d := r.Delta(tester.Default)
		if r.At == "" || d.Blank() {
			continue // of an opened box, or of a button
		}
		i := slices.IndexFunc(found, func(h Half) bool { return h.Device == r.At && h.Half == r.Half })
		if i < 0 {
			i = len(found)
			found = append(found, Half{Device: r.At, Half: r.Half})
		}
		found[i].Delta = found[i].Delta.Merge(d)
	}
	return found
}

// taken are the readings that were not withdrawn, as the history of a run keeps
// them, whatever has become of the run since.
func (r *Record) taken() ([]sitebook.Taken, error) {
	var lines []Line
	for _, k := range r.inOrder() {
		line := Line{Kept: k}
		if err := strict.Reread(k.Document, &line.Reading); err != nil {
			return nil, fmt.Errorf("reading %s: %w", k.ID, err)
		}
		lines = append(lines, line)
	}
	e := &Evidence{Begun: r.begun(lines)}
	var all []sitebook.Taken
	for _, l := range lines {
		if !l.Withdrawn {
			all = append(all, sitebook.Taken{At: l.At, Reading: l.Reading, AsFound: e.AsFound(l.At)})
		}
	}
	return all, nil
}

// Past is the call as the history of its run has it; id, title and when it was
// made are the caller's to add.
func (r *Record) Past() (sitebook.Call, error) {
	past := sitebook.Call{MadeUp: map[string]time.Time{}, New: map[string]string{}}
	for i := range r.Boxes {
		b := &r.Boxes[i]
		if b.MadeAt == nil {
			continue
		}
		past.MadeUp[b.ID] = *b.MadeAt
		if b.Makeup == nil {
			continue
		}
		for device, kind := range sitebook.NewDevices(b.Makeup) {
			past.New[device] = kind
		}
	}
	var err error
	past.Readings, err = r.taken()
	return past, err
}
