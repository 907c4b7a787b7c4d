// Package fault is the catalogue of what can be wrong with a circuit: what
// each fault does to the terminations, what the trade calls it, and what
// danger it is.
package fault

import (
	"fmt"
	"strings"

	"elvat/core/circuit"
)

// Wire expands the circuit and applies the faults given, not those of the
// file, and the state the file describes.
func Wire(c *circuit.Circuit, faults []circuit.Fault) (*circuit.Wired, error) {
	w, err := circuit.Wire(c)
	if err != nil {
		return nil, err
	}
	return w, Apply(w, faults)
}

// Apply does the faults to the circuit: swaps and moves in the order given,
// then opens and resistances, then the ends taken off for a test, then what
// an open terminal does not undo.
func Apply(w *circuit.Wired, faults []circuit.Fault) error {
	for _, stage := range []func(*circuit.Wired, circuit.Fault) error{rearrange, interrupt} {
		for _, f := range faults {
			if err := stage(w, f); err != nil {
				return fmt.Errorf("%s at %s: %w", f.Kind, f.At, err)
			}
		}
	}
	if err := separate(w); err != nil {
		return err
	}
	for _, f := range faults {
		if err := bridge(w, f); err != nil {
			return fmt.Errorf("%s at %s: %w", f.Kind, f.At, err)
		}
	}
	return join(w)
}

// rearrange does what lands a wire elsewhere.
func rearrange(w *circuit.Wired, f circuit.Fault) error {
	switch {
	case f.Kind == circuit.Swapped && strings.Contains(f.At, "@"):
		return swapAtEnd(w, f)
	case f.Kind == circuit.Swapped:
		return swapAtDevice(w, f)
	case f.Kind == circuit.Moved:
		return move(w, f)
	case f.Kind == circuit.GFCIFault && f.State == "line-load-swapped":
		v, _ := w.Circuit.Device(f.At)
		if v == nil {
			return nil // at the panel there is nothing to exchange
		}
		for _, k := range []circuit.Conductor{circuit.Hot, circuit.Neutral} {
			relabel(w, map[string]string{v.First(k): v.Second(k), v.Second(k): v.First(k)})
		}
	}
	return nil
}

// relabel lands every termination on one of the keys on the key's value instead.
func relabel(w *circuit.Wired, to map[string]string) {
	ids := map[circuit.PointID]circuit.PointID{}
	for a, b := range to {
		ids[w.ID(a)] = w.ID(b)
	}
	for i := range w.Joints {
		j := &w.Joints[i]
		if j.Kind != circuit.Termination {
			continue
		}
		if id, ok := ids[j.A]; ok {
			j.A = id
		}
		if id, ok := ids[j.B]; ok {
			j.B = id
		}
	}
}

// swapAtDevice interchanges all that lands on two kinds of terminal. First
// goes to first and second to second, so what feeds on through stays right;
// the one ground terminal exchanges with the first.
func swapAtDevice(w *circuit.Wired, f circuit.Fault) error {
	v, _ := w.Circuit.Device(f.At)
	a, b := f.Pair.Ends()
	to := map[string]string{
		v.Second(a): v.Second(b), v.Second(b): v.Second(a),
	}
	to[v.First(a)], to[v.First(b)] = v.First(b), v.First(a)
	relabel(w, to)
	return nil
}

func swapAtEnd(w *circuit.Wired, f circuit.Fault) error {
	a, b := f.Pair.Ends()
	one, other := f.At+"."+string(a), f.At+"."+string(b)
	relabel(w, map[string]string{one: other, other: one})
	return nil
}

// move lands a conductor end on another point of its box: the first of its
// terminations moves, any other it had is undone with it.
func move(w *circuit.Wired, f circuit.Fault) error {
	from, err := w.Circuit.ParsePoint(f.At, "")
	if err != nil {
		return err
	}
	end := w.ID(from.String())
	to, err := w.Lookup(f.To, from.At)
	if err != nil {
		return err
	}
	at := w.TerminationsAt(end)
	if len(at) == 0 {
		return fmt.Errorf("the conductor lands nowhere, so it cannot move")
	}
	for n, i := range at {
		j := &w.Joints[i]
		if n > 0 {
			j.Open = true
			continue
		}
		j.A, j.B = end, to
	}
	return nil
}

// interrupt does what opens a joint or adds resistance to it.
func interrupt(w *circuit.Wired, f circuit.Fault) error {
	switch f.Kind {
	case circuit.Open, circuit.Resistive:
		joints, err := w.JointsAt(f.At)
		if err != nil {
			return err
		}
		for _, i := range joints {
			if f.Kind == circuit.Open {
				w.Joints[i].Open = true
			} else {
				w.Joints[i].Ohms += f.Ohms
			}
		}
	case circuit.BreakerAt:
		if f.State == "tripped" && w.Circuit.State.TrippedKnown {
			return nil // what was seen when the reading was taken goes over it
		}
		for _, i := range w.Breaker {
			w.Joints[i].Open = true
		}
	case circuit.GFCIFault:
		return gfci(w, f)
	}
	return nil
}

func gfci(w *circuit.Wired, f circuit.Fault) error {
	for i := range w.Guards {
		g := &w.Guards[i]
		if g.Name != f.At {
			continue
		}
		switch f.State {
		case "no-trip":
			g.NoTrip = true
		case "dead":
			g.Dead = true
		case "tripped":
			g.Tripped = g.Tripped || !w.Circuit.State.TrippedKnown
		case "line-load-swapped":
			// A current-production device locks out when fed on its load
			// terminals, its face too; one made earlier does not know.
			if v, _ := w.Circuit.Device(f.At); v != nil && v.Generation != circuit.Legacy {
				g.Dead = true
				for _, slot := range g.Face {
					w.Joints[slot].Open = true
				}
			}
		}
		for _, pole := range g.Poles {
			w.Joints[pole].Open = w.Joints[pole].Open || g.Tripped || g.Dead
		}
		return nil
	}
	return fmt.Errorf("no such GFCI")
}

// separate takes off the cable ends that the state says are capped.
func separate(w *circuit.Wired) error {
	for _, end := range w.Circuit.State.Separated {
		for _, k := range circuit.Conductors {
			id, ok := w.Find(end + "." + string(k))
			if !ok {
				continue
			}
			for _, i := range w.TerminationsAt(id) {
				w.Joints[i].Open = true
			}
		}
	}
	return nil
}

// bridge does what joins metal that should be apart.
func bridge(w *circuit.Wired, f circuit.Fault) error {
	var v *circuit.Device
	a, b := f.Pair.Ends()
	side := (*circuit.Device).First
	switch f.Kind {
	case circuit.Bonded:
		id, onLoad := strings.CutSuffix(f.At, ".load")
		v, _ = w.Circuit.Device(id)
		if onLoad {
			side = (*circuit.Device).Second
		}
	case circuit.Touching:
		v = &w.Circuit.Box(f.At).Devices[0]
	case circuit.Leak:
		v, _ = w.Circuit.Device(f.At)
		a, b = circuit.Hot, circuit.Ground
		if v != nil && v.Kind == circuit.GFCI {
			side = (*circuit.Device).Second
		}
	default:
		return nil
	}
	if v == nil {
		return fmt.Errorf("no such device")
	}
	w.Bridges = append(w.Bridges, circuit.Bridge{A: w.ID(side(v, a)), B: w.ID(side(v, b)), Ohms: f.Ohms})
	return nil
}

// joinOhms is a clip or twist made for a continuity test. Assumption.
const joinOhms = 0.001

func join(w *circuit.Wired) error {
	for _, pair := range w.Circuit.State.Joined {
		a, err := w.Lookup(pair[0], "")
		if err != nil {
			return err
		}
		b, err := w.Lookup(pair[1], "")
		if err != nil {
			return err
		}
		w.Bridges = append(w.Bridges, circuit.Bridge{A: a, B: b, Ohms: joinOhms})
	}
	return nil
}
