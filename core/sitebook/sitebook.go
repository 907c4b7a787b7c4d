// Package sitebook is what a shop knows of a house over the years: what each
// outlet showed on each call, when its GFCIs were tested, and what a new call
// there starts from.
package sitebook

import (
	"slices"
	"strings"
	"time"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/makeup"
	"elvat/core/tester"
)

// A Taken is a reading with when it was taken.
type Taken struct {
	At      time.Time
	Reading tester.Reading
	AsFound bool // before anything was made up or put right on its call
}

// A Call is a past call about a run.
type Call struct {
	ID       int64
	Title    string
	At       time.Time
	Readings []Taken              // in force, in the order of entry
	MadeUp   map[string]time.Time // boxes made up as planned
	New      map[string]string    // devices put in by that, by id: their kind
}

// A Line is what one half of an outlet showed on one call.
type Line struct {
	Call  int64         `json:"call"`
	Title string        `json:"title"`
	At    time.Time     `json:"at"`
	Half  circuit.Half  `json:"half"`
	Found *tester.Delta `json:"found,omitempty"`
	Left  *tester.Delta `json:"left,omitempty"` // after work was done; nil where none was
	Done  string        `json:"done,omitempty"` // what was done in its box
}

// History is what a device showed over the calls, in their order. box is where
// it hangs.
func History(calls []Call, device, box string) []Line {
	lines := []Line{}
	for _, call := range calls {
		done := ""
		if _, ok := call.MadeUp[box]; ok {
			done = "made up anew"
		}
		for _, half := range circuit.Halves {
			line := Line{Call: call.ID, Title: call.Title, At: call.At, Half: half, Done: done}
			for _, t := range call.Readings {
				if t.Reading.At != device || t.Reading.Half != half {
					continue
				}
				d := t.Reading.Delta(tester.Default)
				if d.Blank() {
					continue
				}
				into := &line.Left
				if t.AsFound {
					into = &line.Found
				}
				if *into != nil {
					d = (*into).Merge(d)
				}
				*into = &d
			}
			if line.Found != nil || line.Left != nil {
				lines = append(lines, line)
			}
		}
	}
	return lines
}

// A LastRead is what was read last of one half, and on which call.
type LastRead struct {
	Device string       `json:"device"`
	Half   circuit.Half `json:"half"`
	Delta  tester.Delta `json:"delta"`
	Call   int64        `json:"call"`
	At     time.Time    `json:"at"`
}

// Last is what the calls read last of each half that the run still has: as left,
// or as found where nothing was done.
func Last(c *circuit.Circuit, calls []Call) []LastRead {
	all := []LastRead{}
	for i := range c.Boxes {
		for _, v := range c.Boxes[i].Devices {
			latest := map[circuit.Half]Line{}
			for _, l := range History(calls, v.ID, c.Boxes[i].ID) {
				latest[l.Half] = l
			}
			for _, half := range circuit.Halves {
				l, ok := latest[half]
				if !ok {
					continue
				}
				d := l.Left
				if d == nil {
					d = l.Found
				}
				all = append(all, LastRead{v.ID, half, *d, l.Call, l.At})
			}
		}
	}
	return all
}

// A Guard is a GFCI in the register.
type Guard struct {
	Device      string // or "panel"
	Label       string // of its box
	Serves      int    // outlets it protects, halves not counted apart
	InstalledAt *time.Time
	TestedAt    *time.Time
	Held        *bool // it tripped when it was tested last
	DueAt       time.Time
}

// Every is how long after a test the next is due: a month.
// Source: UL 943 asks the maker to say so on the device (from memory).
func Every(tested time.Time) time.Time { return tested.AddDate(0, 1, 0) }

// Next is when its next test is due: a month after the last, at once where none
// is known.
func (g *Guard) Next(now time.Time) time.Time {
	if g.TestedAt == nil {
		return now
	}
	return Every(*g.TestedAt)
}

// Register lists the GFCIs of the run as it now is, with their last test and
// when the next is due: at once where none is known. calls are in their order.
func Register(c *circuit.Circuit, calls []Call, now time.Time) ([]Guard, error) {
	w, err := circuit.Wire(c)
	if err != nil {
		return nil, err
	}
	feeds := w.Feeds()
	serves := map[string]int{}
	guards := []Guard{}
	if c.Breaker.Protection.SeesGroundFaults() {
		guards = append(guards, Guard{Device: circuit.Panel, Label: "breaker " + c.Breaker.Label})
	}
	for i := range c.Boxes {
		for _, v := range c.Boxes[i].Devices {
			if v.Kind == circuit.GFCI {
				guards = append(guards, Guard{Device: v.ID, Label: c.LabelOf(c.Boxes[i].ID)})
			}
			for _, name := range feeds.Guards(v.Second(circuit.Hot)) {
				serves[name]++
			}
		}
	}
	for i := range guards {
		g := &guards[i]
		g.Serves = serves[g.Device]
		for _, call := range calls {
			if _, ok := call.New[g.Device]; ok {
				_, box := c.Device(g.Device)
				if at, ok := call.MadeUp[box.ID]; ok {
					g.InstalledAt, g.TestedAt, g.Held = &at, nil, nil // what was tested before is another one
				}
			}
			for _, t := range call.Readings {
				if g.InstalledAt != nil && t.At.Before(*g.InstalledAt) {
					continue
				}
				tripped := slices.Contains(t.Reading.Tripped, g.Device)
				if t.Reading.Tool == tester.DeviceButton && t.Reading.At == g.Device ||
					t.Reading.Tool == tester.PlugButton && tripped {
					g.TestedAt, g.Held = &t.At, &tripped
				}
			}
		}
		g.DueAt = g.Next(now)
	}
	return guards, nil
}

// NewDevices are the devices that a made-up box put in, by id: their kind.
func NewDevices(b *makeup.Box) map[string]string {
	all := map[string]string{}
	if b.Device != nil {
		all[b.Device.ID] = b.Device.Kind
	}
	for _, v := range b.Others {
		all[v.ID] = v.Kind
	}
	return all
}

// workedFor is how long work done at a box counts as done lately. Assumption.
const workedFor = 180 * 24 * time.Hour

// Carry is what of the last call's circuit and conditions a new call on the same
// run starts from: the run as it was left, nothing tripped, switched or plugged
// in; what stays true of the place; and boxes made up lately as worked on. What
// was complained of and what was warm belongs to the call it was said on.
func Carry(
	c *circuit.Circuit,
	k diagnosis.Conditions,
	last Call,
	now time.Time,
) (*circuit.Circuit, diagnosis.Conditions) {
	out := c.Clone()
	out.Faults, out.Loads, out.State = nil, nil, circuit.State{}
	out.Breaker.On = true
	for i := range out.Boxes {
		for j := range out.Boxes[i].Devices {
			out.Boxes[i].Devices[j].Tripped = false
		}
	}
	carried := diagnosis.Conditions{Old: k.Old}
	for box, all := range k.Boxes {
		_, made := last.MadeUp[box]
		for _, condition := range all {
			switch {
			case condition == diagnosis.Outdoors, condition == diagnosis.Heavy,
				(condition == diagnosis.PushIn || condition == diagnosis.Worn) && !made:
				carried = carried.With(box, condition)
			}
		}
	}
	for box, at := range last.MadeUp {
		if now.Sub(at) < workedFor {
			carried = carried.With(box, diagnosis.Worked)
		}
	}
	return out, carried.On(out)
}

// Words is all that a call can be found by: its outlets, what was done and what
// was said of it.
func Words(c *circuit.Circuit, lines ...string) string {
	words := []string{c.Name, c.Breaker.Label}
	for i := range c.Boxes {
		words = append(words, c.Boxes[i].Label)
	}
	return strings.Join(append(words, lines...), " ")
}

// Years is the age of something put in at the given time, in whole years.
func Years(installed, now time.Time) int {
	years := now.Year() - installed.Year()
	if now.YearDay() < installed.YearDay() {
		years--
	}
	return max(years, 0)
}
