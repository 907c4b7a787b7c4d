package circuit

import "slices"

// Feeds tells, for each point that a hot reaches as the circuit is built, what
// compares currents on its way from the panel, and which leg it hangs on.
type Feeds struct {
	w      *Wired
	guards [][]string
	leg    []Conductor // "" where no hot reaches
}

// Feeds follows the hots outward. Faults play no part in it, nor does what is
// tripped or switched off.
func (w *Wired) Feeds() *Feeds {
	f := &Feeds{w: w, guards: make([][]string, len(w.Names)), leg: make([]Conductor, len(w.Names))}
	poleOf := map[int]string{}
	for _, g := range w.Guards {
		for _, p := range g.Poles[:len(g.Poles)-1] {
			poleOf[p] = g.Name
		}
	}
	joints := make([][]int, len(w.Names))
	for i, j := range w.Joints {
		if j.Open && j.Kind != Pole && j.Kind != BreakerContact {
			continue
		}
		joints[j.A], joints[j.B] = append(joints[j.A], i), append(joints[j.B], i)
	}
	for _, contact := range w.Breaker {
		start := w.Joints[contact].A
		f.leg[start] = w.Joints[contact].Of
		for queue := []PointID{start}; len(queue) > 0; queue = queue[1:] {
			at := queue[0]
			for _, i := range joints[at] {
				next := w.Joints[i].A
				if next == at {
					next = w.Joints[i].B
				}
				if f.leg[next] != "" {
					continue
				}
				f.leg[next], f.guards[next] = f.leg[at], f.guards[at]
				if name, ok := poleOf[i]; ok {
					f.guards[next] = append(slices.Clone(f.guards[at]), name)
				}
				queue = append(queue, next)
			}
		}
	}
	return f
}

// Guards lists what compares currents between the panel and the point, nearest
// the panel first.
func (f *Feeds) Guards(point string) []string {
	if id, ok := f.w.Find(point); ok {
		return f.guards[id]
	}
	return nil
}

// Leg is the hot the point hangs on, "" for none.
func (f *Feeds) Leg(point string) Conductor {
	if id, ok := f.w.Find(point); ok {
		return f.leg[id]
	}
	return ""
}
