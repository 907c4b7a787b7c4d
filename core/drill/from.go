package drill

import (
	"errors"
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"slices"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/fault"
	"elvat/core/runs"
	"elvat/core/tester"
)

// From makes a scene from a run and what is to be hidden on it. Names of rooms and of people are
// taken out: the place is one of those made up here, the same for the same run.
func From(c *circuit.Circuit, conditions diagnosis.Conditions, order runs.Map, hide []circuit.Fault) (*Scene, error) {
	if len(hide) == 0 {
		return nil, errors.New("hidden: nothing was found on that call, and nothing is said to be hidden")
	}
	s := &Scene{Format: Format, Circuit: c.Clone(), Conditions: conditions, Map: order, Level: lastLevel}
	s.Circuit.Faults, s.Circuit.State = nil, circuit.State{}
	document, err := s.Circuit.Encode()
	if err != nil {
		return nil, err
	}
	h := fnv.New64a()
	h.Write(document)
	r := rand.New(rand.NewPCG(h.Sum64(), 85))
	where := some(r, places)
	s.Name, s.Circuit.Name = where.name, where.name
	names := r.Perm(len(where.stops))
	for i := range s.Circuit.Boxes {
		label := where.stops[names[i%len(names)]]
		if i >= len(names) {
			label = fmt.Sprintf("%s %d", label, 1+i/len(names))
		}
		s.Circuit.Boxes[i].Label = label
	}
	for _, f := range hide {
		if err := s.Circuit.CheckFault(f); err != nil {
			return nil, fmt.Errorf("hidden: %w", err)
		}
		site := fault.Site(s.Circuit, []circuit.Fault{f})
		if s.Circuit.Box(site) == nil {
			return nil, fmt.Errorf("hidden: %s at %s: only what is in a box is wired by hand", f.Kind, s.Circuit.Say(f.At))
		}
		at := slices.IndexFunc(s.Hidden, func(h Hidden) bool { return slices.Contains(h.Sites, site) })
		if at >= 0 {
			s.Hidden[at].Faults = append(s.Hidden[at].Faults, f)
			continue
		}
		s.Hidden = append(s.Hidden, hidden(s.Circuit, f))
	}
	truth, err := s.Truth()
	if err != nil {
		return nil, err
	}
	l, err := see(truth)
	if err != nil {
		return nil, err
	}
	shows := lamps(l)
	if len(shows) == 0 {
		shows = meter(l)
	}
	if len(shows) == 0 {
		return nil, errors.New("hidden: no tester shows it anywhere: there is nothing to look for")
	}
	o := l.outlets[shows[len(shows)-1]]
	s.Complaint = Complaint{At: o.Device, Half: o.Half, Tool: tester.Plug, Words: s.complained(l, shows[len(shows)-1])}
	if !o.HasGround {
		s.Complaint.Tool = tester.Lamp
	}
	return s, s.Check()
}
