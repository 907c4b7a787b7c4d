package call

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/job"
	"elvat/core/strict"
)

// onLoft is a call as several people work on it, one after the other.
type onLoft struct {
	t *testing.T
	r *Record
	n int
}

func (o *onLoft) do(role job.Role, device string, d Doing) error {
	o.n++
	next, a, err := o.r.Decide(Command{ID: fmt.Sprint("command-", o.n), At: at(o.n), Device: device, Person: "The " + string(role), Role: role, Do: d}, theHouse)
	if err == nil && a != nil {
		next.keptAs(int64(len(next.Log)))
		o.r = next
	}
	return err
}

func (o *onLoft) enter(role job.Role, id string, e job.Entry) error {
	return o.do(role, string(role), &AddEntry{ID: id, Entry: e})
}

func (o *onLoft) must(err error) { o.t.Helper(); require.NoError(o.t, err) }

// TestGateOnSomebodysWord: a gate that an electrician opened on their word and that was shut
// again stays shut for a helper, by whatever way its override would come into force.
func TestGateOnSomebodysWord(t *testing.T) {
	const e, h = job.Electrician, job.Helper
	passed := job.Entry{Kind: job.Override, Gate: job.ToOpen, Box: "B1", Who: "Ada", Standing: "licensed", Reason: "meter pulled"}
	second := job.Entry{Kind: job.SecondSource, Box: "B1", Text: "red is live"}
	yes, no := true, false
	for _, row := range []struct {
		name  string
		shut  func(o *onLoft) // what shut it after the override "override-1" was entered
		again Doing           // what the helper does
		as    string          // from which device
		stays bool            // a sign of voltage was seen: taking that back opens nothing, whoever does it
	}{
		{"marked", func(o *onLoft) { o.must(o.do(e, "desk", &MarkEntry{ID: "override-1", Withdrawn: &yes})) }, &MarkEntry{ID: "override-1", Withdrawn: &no}, "phone", false},
		{"undone on the electrician's own device", func(o *onLoft) { o.must(o.do(e, "desk", &MarkEntry{ID: "override-1", Withdrawn: &yes})) }, &Undo{}, "desk", false},
		{"brought back there", func(o *onLoft) { o.must(o.do(e, "electrician", &Undo{})) }, &Redo{}, "electrician", false},
		{"by a program that names no device", func(o *onLoft) { o.must(o.do(e, "desk", &MarkEntry{ID: "override-1", Withdrawn: &yes})) }, &Undo{}, "", false},
		{"what had shut it marked", func(o *onLoft) { o.must(o.enter(e, "second-01", second)) }, &MarkEntry{ID: "second-01", Withdrawn: &yes}, "phone", true},
		{"what had shut it undone", func(o *onLoft) { o.must(o.enter(h, "second-01", second)) }, &Undo{}, "helper", true},
		{"the breaker on again taken back", func(o *onLoft) { o.must(o.enter(h, "live-0001", job.Entry{Kind: job.BreakerOn})) }, &Undo{}, "helper", true},
	} {
		t.Run(row.name, func(t *testing.T) {
			o := &onLoft{t: t, r: begun(t)}
			o.must(o.enter(e, "override-1", passed))
			require.True(t, o.r.Journal.BoxGates(o.r.Circuit, "B1")[0].Open)
			row.shut(o)
			require.False(t, o.r.Journal.BoxGates(o.r.Circuit, "B1")[0].Open)
			before := o.r.Version
			if err := o.do(h, row.as, row.again); !row.stays {
				require.ErrorIs(t, err, NotAllowed{h, job.Pass, false})
				assert.Equal(t, before, o.r.Version, "nothing was set")
			}
			assert.False(t, o.r.Journal.BoxGates(o.r.Circuit, "B1")[0].Open)
			if !row.stays {
				o.must(o.do(e, row.as, row.again))
			}
			assert.Equal(t, !row.stays, o.r.Journal.BoxGates(o.r.Circuit, "B1")[0].Open, "who may pass it can")
		})
	}
}

// TestNoTextWithoutBound: whatever is set on a call has the length its kind of text may have,
// one by one by every way in; what is shorter passes.
func TestNoTextWithoutBound(t *testing.T) {
	long := func(n int) string { return strings.Repeat("é", n) }
	named := func(n int) json.RawMessage {
		c := circuit.New("x")
		require.NoError(t, c.AddStop(circuit.NewStop{After: circuit.Panel, Ground: true}))
		c.Boxes[0].Label = long(n)
		document, err := json.Marshal(c)
		require.NoError(t, err)
		return document
	}
	for _, row := range []struct {
		name string
		most int
		do   func(n int) Doing
		says string
	}{
		{"title", strict.MostName, func(n int) Doing { return &Rename{Title: new(long(n))} }, "title"},
		{"complaint", strict.MostText, func(n int) Doing { return &Rename{Complaint: new(long(n))} }, "complaint"},
		{"label of a stop", strict.MostName, func(n int) Doing { return &AddStop{After: "B3", Label: long(n)} }, "label"},
		{"label changed", strict.MostName, func(n int) Doing { return &ChangeStop{Box: "B1", Label: new(long(n))} }, "label"},
		{"breaker", strict.MostName, func(n int) Doing { return &SetBreaker{Label: long(n), Amps: 20} }, "label"},
		{"file", strict.MostName, func(n int) Doing { return &ReplaceRun{Circuit: named(n)} }, "boxes[0].label"},
		{"note", strict.MostText, func(n int) Doing { return &AddEntry{ID: "entry-0001", Entry: job.Entry{Kind: job.Note, Text: long(n)}} }, "text"},
		{"part", strict.MostText, func(n int) Doing { return &UsePart{ID: "part-0001", Item: long(n), Count: 1} }, "item"},
		{"directory", strict.MostText, func(n int) Doing {
			return &SetDirectory{job.Directory{{Breaker: "7", Amps: 20, Serves: long(n)}}}
		}, "serves"},
		{"steps", strict.MostText, func(n int) Doing { return &SetSteps{Box: "B1", Done: []string{long(n)}} }, "done"},
	} {
		r := begun(t)
		decide := func(n int) error {
			_, _, err := r.Decide(Command{ID: "command-1", At: noon, Do: row.do(n)}, theHouse)
			return err
		}
		err := decide(row.most + 1)
		require.ErrorAs(t, err, &BadInput{}, row.name)
		assert.Contains(t, err.Error(), row.says, row.name)
		assert.Less(t, len(err.Error()), 300, "what is too long is not said back")
		if row.name == "note" || row.name == "part" || row.name == "steps" || row.name == "directory" {
			continue // bounded in bytes before, or by what is there
		}
		assert.NoError(t, decide(row.most), row.name)
	}
}

// TestNoListWithoutBound: a reading or a box that says the same thing a hundred thousand times.
func TestNoListWithoutBound(t *testing.T) {
	many := strings.Repeat(`"R1",`, 100_000) + `"R1"`
	r := begun(t)
	for _, do := range []Doing{
		&AddReading{ID: "reading-0001", Reading: json.RawMessage(`{"at":"R1","tool":"lamp","glow":"off","tripped":[` + many + `]}`)},
		&SetSteps{Box: "B1", Done: strings.Split(strings.Repeat("step ", 60_000), " ")},
	} {
		_, _, err := r.Decide(Command{ID: "command-1", At: noon, Do: do}, theHouse)
		require.ErrorAs(t, err, &BadInput{})
	}
}

// TestWhatWasLongBefore: a call with a title from a time without bounds is read, worked on
// and mended.
func TestWhatWasLongBefore(t *testing.T) {
	was := begun(t)
	parts := was.Parts()
	for i := range parts {
		switch parts[i].Kind {
		case TheCall:
			parts[i].Document = json.RawMessage(`{"title":"` + strings.Repeat("x", 900) + `","complaint":""}`)
		case TheRun:
			c := was.Circuit.Clone()
			c.Name = strings.Repeat("x", 900)
			document, err := c.Encode()
			require.NoError(t, err)
			parts[i].Document = document
		}
	}
	r, err := Open(1, parts, was.Log)
	require.NoError(t, err)
	for i, do := range []Doing{&ReadCautions{}, &AddStop{After: "B3", Label: "Sink", Ground: new(true)}, &Rename{Title: new("Print loft")}} {
		next, _, err := r.Decide(Command{ID: fmt.Sprint("command-", i), At: noon, Do: do}, theHouse)
		require.NoError(t, err)
		next.keptAs(int64(len(next.Log)))
		r = next
	}
	_, _, err = r.Decide(Command{ID: "command-9", At: noon, Do: &Rename{Title: new(strings.Repeat("x", 900))}}, theHouse)
	assert.ErrorContains(t, err, "900 characters are too many")
}

// TestAFullCall: a call takes so many things and no more; handed over it can be all the same.
func TestAFullCall(t *testing.T) {
	was := begun(t)
	parts := was.Parts()
	for i := len(parts); i < MostParts; i++ {
		parts = append(parts, Part{Key{AnEntry, fmt.Sprintf("note-%06d", i)}, i, json.RawMessage(`{"kind":"note","text":"x"}`)})
	}
	r, err := Open(1, parts, was.Log)
	require.NoError(t, err)
	enter := func(e job.Entry) error {
		_, _, err := r.Decide(Command{ID: "command-1", At: noon, Do: &AddEntry{ID: "entry-0001", Entry: e}}, theHouse)
		return err
	}
	require.ErrorContains(t, enter(job.Entry{Kind: job.Note, Text: "one more"}), "takes no more")
	_, _, err = r.Decide(Command{ID: "command-2", At: noon, Do: &Rename{Complaint: new("hums")}}, theHouse)
	require.NoError(t, err, "what is there can be corrected")
	err = enter(job.Entry{Kind: job.HandedOver, Who: "Ada", To: "Bo"})
	assert.NotContains(t, fmt.Sprint(err), "takes no more")
}
