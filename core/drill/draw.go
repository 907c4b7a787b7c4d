package drill

import (
	"fmt"
	"math/rand/v2"
	"slices"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/draw"
	"elvat/core/tester"
)

// A place is where scenes of the drawing are; all of them are made up.
type place struct {
	name  string
	stops []string
}

var places = []place{
	{"Bell founder's loft", []string{"Core bench", "Wax shelf", "Tuning stand", "Window lathe", "Pattern rack", "Clapper rail", "Sand bin", "Hatch", "Stair head", "Drawing desk", "Model case", "Back wall"}},
	{"Aviary porch", []string{"Finch flight", "Seed store", "Heat plate", "Quail run", "Nest wall", "Mist pump", "Perch bench", "Door post", "Mealworm shelf", "Night lamp", "Scale table", "Gutter end"}},
	{"Map archive", []string{"Plan chest", "Light table", "Globe corner", "Deed press", "Scanner", "Gallery rail", "Reading niche", "Ladder foot", "Parchment box", "Index drawer", "Vault door", "Copy stand"}},
	{"Puppet theatre", []string{"Bridge left", "Bridge right", "Prompt box", "Dye vat", "Carving bench", "Curtain winch", "Ticket hatch", "Paint shelf", "Store rack", "Lamp bar", "Wig block", "Rear door"}},
	{"Cider loft", []string{"Press", "Pump", "Racking bench", "Cap table", "Label desk", "Yeast fridge", "Cask row", "Hoist", "Wash trough", "Stair", "Sample shelf", "Yard door"}},
	{"Clock tower room", []string{"Winding motor", "Oil bench", "Dial lamp", "Bell relay", "Louvre", "Ladder top", "Spare wheel", "Logbook desk", "Heater shelf", "Pendulum case", "Parts drawer", "Trap door"}},
	{"Felt maker's shed", []string{"Carder", "Steam table", "Block rack", "Dye pot", "Shear bench", "Drying line", "Wool bin", "Sewing corner", "Hot plate", "Brim press", "Packing table", "Gate wall"}},
	{"Orchid house", []string{"Mist line", "Seedling tray", "Grow lamp", "Fan wall", "Flask bench", "Humidifier", "Repotting table", "Vent motor", "Fern corner", "Stock shelf", "Office nook", "Far end"}},
}

// mostTries is how often a scene is drawn anew until it is one of its theme.
const mostTries = 4000

// Draw draws the scene of a theme, a level and a seed: the same ones give the same scene.
func Draw(theme Theme, level int, seed uint64) (*Scene, error) {
	at := slices.Index(Themes, theme)
	if at < 0 {
		return nil, fmt.Errorf("theme: %q is none of %v", theme, Themes)
	}
	if level < 1 || level > lastLevel {
		return nil, fmt.Errorf("level: %d is out of bounds, 1 to %d", level, lastLevel)
	}
	r := rand.New(rand.NewPCG(seed, uint64(100*at+level)))
	for range mostTries {
		s, err := draws(r, waysOf[theme], level)
		if err != nil {
			return nil, err
		}
		if s == nil {
			continue
		}
		s.Theme, s.Level, s.Seed = theme, level, seed
		if theme == UnknownOrder {
			for _, box := range s.Circuit.Boxes[1:] {
				if len(s.Map.Unsure) <= level && r.IntN(2) == 0 {
					s.Map.Unsure = append(s.Map.Unsure, box.ID)
				}
			}
			if len(s.Map.Unsure) == 0 {
				continue
			}
		}
		return s, s.Check()
	}
	return nil, fmt.Errorf("%s, level %d, seed %d: none was found in %d tries", theme, level, seed, mostTries)
}

// draws draws one; nil where it is not one of the theme.
func draws(r *rand.Rand, w way, level int) (*Scene, error) {
	s := &Scene{Format: Format, Circuit: w.circuit(r, level), Conditions: diagnosis.Conditions{}}
	where := some(r, places)
	s.Name = where.name
	s.Circuit.Name = where.name
	names := r.Perm(len(where.stops))
	for i := range s.Circuit.Boxes {
		s.Circuit.Boxes[i].Label = where.stops[names[i%len(names)]]
	}
	s.Hidden = w.hide(r, s.Circuit, level)
	if len(s.Hidden) == 0 {
		return nil, nil
	}
	for _, f := range s.faults() {
		if s.Circuit.CheckFault(f) != nil || !draw.Lands(s.Circuit, f) {
			return nil, nil
		}
	}
	if !s.plug(r, level) {
		return nil, nil
	}
	truth, err := s.Truth()
	if err != nil {
		return nil, nil //nolint:nilerr // what was drawn cannot be: drawn anew
	}
	l, err := see(truth)
	if err != nil {
		return nil, err
	}
	if slices.ContainsFunc(l.sound, func(f tester.Face) bool { return f.Lamp < weakBelow }) {
		return nil, nil // what trips by itself, or was dead before anything was wrong
	}
	for _, h := range s.Hidden {
		for _, site := range h.Sites {
			if s.Circuit.Box(site) == nil {
				return nil, nil // the panel, or inside a wall: no box that is wired by hand
			}
		}
	}
	noticed := w.noticed(l)
	if len(noticed) == 0 || !s.eachShows(l) {
		return nil, nil
	}
	i := some(r, noticed)
	o := l.outlets[i]
	s.Complaint = Complaint{At: o.Device, Half: o.Half, Tool: tester.Plug, Words: s.complained(l, i)}
	if !o.HasGround {
		s.Complaint.Tool = tester.Lamp
	}
	return s, nil
}

// plug plugs in what nobody wrote down, from the third level on.
func (s *Scene) plug(r *rand.Rand, level int) bool {
	for range max(0, level-2) {
		box := some(r, s.Circuit.Boxes)
		p := Plugged{box.Devices[0].ID, some(r, circuit.Halves), some(r, []float64{5, 40, 60, 300, 1000})}
		taken := func(l circuit.Load) bool { return l.At == p.At && l.Half == p.Half }
		if slices.ContainsFunc(s.Circuit.Loads, taken) || slices.ContainsFunc(s.Plugged, func(q Plugged) bool { return q.At == p.At && q.Half == p.Half }) {
			return false
		}
		s.Plugged = append(s.Plugged, p)
	}
	return true
}

// eachShows reports whether each thing that is wrong shows somewhere while the others are wrong
// too: what no tester shows is nothing to look for.
func (s *Scene) eachShows(all *look) bool {
	for i := range s.Hidden {
		rest := *s
		rest.Hidden = slices.Delete(slices.Clone(s.Hidden), i, i+1)
		without, err := rest.Truth()
		if err != nil {
			return false
		}
		others, err := see(without)
		if err != nil {
			return false
		}
		if len(meter(&look{all.outlets, others.is, all.is})) == 0 {
			return false
		}
	}
	return true
}

// complained is what somebody would say of the outlet.
func (s *Scene) complained(l *look, i int) string {
	_, box := s.Circuit.Device(l.outlets[i].Device)
	at, is := box.Label, l.is[i]
	switch {
	case is.Lamp < deadBelow && l.sound[i].Lamp > weakBelow:
		return fmt.Sprintf("%s is dead.", at)
	case is.High[0] > overAbove:
		return fmt.Sprintf("What is plugged in at %s burns out.", at)
	case is.Lamp < weakBelow && l.sound[i].Lamp > weakBelow:
		return fmt.Sprintf("What is plugged in at %s is weak.", at)
	case is.Yoke > tingles:
		return fmt.Sprintf("Somebody felt something at %s.", at)
	case l.lampsDiffer(i) && !l.taken(i):
		return fmt.Sprintf("A tester showed something odd at %s.", at)
	default:
		return fmt.Sprintf("%s is to be looked at before a new machine is plugged in.", at)
	}
}
