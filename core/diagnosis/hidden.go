package diagnosis

import (
	"cmp"
	"fmt"
	"slices"

	"elvat/core/circuit"
	"elvat/core/tester"
)

// A Danger is a condition that can hurt someone and that the readings so far
// do not exclude.
type Danger struct {
	Name   string `json:"name"`
	At     string `json:"at"` // a device
	Why    string `json:"why"`
	Do     string `json:"do"`     // the one reading that would exclude it
	Urgent bool   `json:"urgent"` // a reading points at it: it stands at the top of the call
	Shown  bool   `json:"shown"`  // a reading shows it
}

// Probabilities from which a live yoke is listed where an outlet was read, and
// from which it stands at the top of the call. Assumption.
const (
	listYoke   = 0.001
	urgentYoke = 0.01
)

// hidden lists the devices whose metal could be live, those a reading points
// at first. A reading of the ground slot itself, and nothing less, takes a
// device off.
func (w *weighed) hidden() []Danger {
	dangers := []Danger{}
	for i := range w.e.circuit.Boxes {
		for _, v := range w.e.circuit.Boxes[i].Devices {
			if d, ok := w.liveYoke(v.ID); ok {
				dangers = append(dangers, d)
			}
		}
	}
	rank := func(d Danger) int {
		switch {
		case d.Shown:
			return 0
		case d.Urgent:
			return 1
		default:
			return 2
		}
	}
	slices.SortStableFunc(dangers, func(a, b Danger) int { return cmp.Compare(rank(a), rank(b)) })
	return dangers
}

func (w *weighed) liveYoke(device string) (Danger, bool) {
	verdict, excluded, read := tester.PinNotShown, false, false
	for i := range w.readings {
		if w.readings[i].At != device {
			continue
		}
		read = true
		pin := w.readings[i].GroundPin(tester.Default)
		excluded = excluded || pin == tester.PinDead
		verdict = max(verdict, pin)
	}
	place := w.e.place(device)
	d := Danger{
		Name: "live ground pin", At: device,
		Do: "Sensor on its ground slot",
	}
	switch {
	case verdict == tester.PinLive:
		d.Urgent, d.Shown = true, true
		d.Why = fmt.Sprintf("The ground pin at %s is live. Breaker off now: plug nothing in, touch no plate or plugged-in metal. A reading shows it.", place)
		d.Do = "Breaker off, then prove it dead"
		return d, true
	case excluded || !read:
		return d, false
	case verdict == tester.PinMayBeLive:
		d.Urgent = true
		d.Why = fmt.Sprintf("A live ground pin is not excluded at %s. Plug nothing in, touch no plate. A reading shows voltage between its neutral and ground, and not which of them is live.", place)
		return d, true
	}
	p := w.yokeProbability(device)
	if p < listYoke {
		return d, false
	}
	d.Urgent = p >= urgentYoke
	d.Why = fmt.Sprintf("A live ground pin is not excluded at %s. Plug nothing in, touch no plate. Lamps show a faked ground on a reversed outlet as correct.", place)
	if _, box := w.e.circuit.Device(device); !w.e.circuit.GroundArrives(box.ID) {
		d.Why = fmt.Sprintf("A live ground pin is not excluded at %s. Plug nothing in, touch no plate. No ground arrives there, and lamps show a faked one on a reversed outlet as correct.", place)
	}
	return d, true
}

// yokeProbability is that of all hypotheses under which the device's metal is
// dangerous to touch.
func (w *weighed) yokeProbability(device string) float64 {
	stage := w.e.states[stateKey(nil)]
	outlet := stage.outlet(device, circuit.Top)
	p := 0.0
	for h, s := range w.at(stage, outlet) {
		if s.known && s.yoke {
			p += w.probability[h]
		}
	}
	return p
}
