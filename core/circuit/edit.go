package circuit

import (
	"fmt"
	"slices"
	"strings"

	"elvat/core/wire"
)

// A Stop is one box as it is met walking the run: what feeds it, and from where.
type Stop struct {
	Box     string   `json:"box"`
	Label   string   `json:"label"`
	From    string   `json:"from"` // the panel or the box before
	Cable   Cable    `json:"cable"`
	Ends    int      `json:"ends"`    // cables in the box
	Ground  bool     `json:"ground"`  // a ground arrives here all the way from the panel
	Makeup  Makeup   `json:"makeup"`  // empty where the wiring is spelled out
	Devices []Device `json:"devices"` // in the order of the file
	// Protected names the GFCIs, or "panel" for the breaker, that the cable
	// feeding the stop hangs on.
	Protected []string `json:"protected"`
	// Split lists the devices whose halves are fed apart: a removed tab, or
	// two circuits.
	Split []string `json:"split"`
	// Points are the conductor ends and terminals of the opened box.
	Points []NamedPoint `json:"points"`
}

// Stops is the run in the order of Order.
func (c *Circuit) Stops() []Stop {
	stops := []Stop{}
	wired, err := Wire(c)
	if err != nil {
		return stops // a circuit that passed Check can be wired
	}
	feeds := wired.Feeds()
	for _, id := range c.Order() {
		box, line := c.Box(id), c.LineCable(id)
		devices := box.Devices
		if devices == nil {
			devices = []Device{}
		}
		stops = append(stops, Stop{
			Box: id, Label: c.LabelOf(id), From: line.From, Cable: *line,
			Ends: 1 + len(c.Outgoing(id)), Ground: c.GroundArrives(id), Makeup: box.Makeup, Devices: devices,
			Protected: append([]string{}, feeds.Guards(endOf(line, box, Hot))...), Split: feeds.split(devices),
			Points: c.pointsAt(box),
		})
	}
	return stops
}

// A NamedPoint is a point with what people call it.
type NamedPoint struct {
	Name  string `json:"name"`
	Words string `json:"words"`
	Cable string `json:"cable,omitempty"` // of a conductor's end: the cable's end, such as W2@B1
}

// pointsAt lists where probes can be put in the opened box.
func (c *Circuit) pointsAt(box *Box) []NamedPoint {
	var points []NamedPoint
	for _, cable := range c.Cables {
		other := cable.From
		switch box.ID {
		case cable.To:
		case cable.From:
			other = cable.To
		default:
			continue
		}
		toward := "to"
		if cable.To == box.ID {
			toward = "from"
		}
		for _, k := range cable.Conductors {
			points = append(points, NamedPoint{
				Name: endOf(
					&cable,
					box,
					k,
				),
				Words: fmt.Sprintf("%s of the cable %s %s", k, toward, c.LabelOf(other)), Cable: cable.ID + "@" + box.ID,
			})
		}
	}
	for i := range box.Devices {
		v := &box.Devices[i]
		for _, t := range v.Terminals() {
			points = append(points, NamedPoint{Name: v.ID + "." + t.Name, Words: Stem(v.ID) + ", " + terminalName(t.Name)})
		}
	}
	return points
}

// terminalName says which terminal, in words.
func terminalName(name string) string {
	part, rest, _ := strings.Cut(name, ".")
	switch {
	case name == "ground":
		return "ground screw"
	case rest == "1":
		return "first " + part + " terminal"
	case rest == "2":
		return "second " + part + " terminal"
	default:
		return rest + " terminal, " + part + " side"
	}
}

// split lists the devices of which one half can be dead while the other is live.
func (f *Feeds) split(devices []Device) []string {
	apart := []string{}
	for _, v := range devices {
		if v.Tab != (Tabs{}) || f.Leg(v.First(Hot)) != f.Leg(v.Second(Hot)) {
			apart = append(apart, v.ID)
		}
	}
	return apart
}

// NewStop says what an electrician sees of the next outlet along the run.
type NewStop struct {
	After  string     // "panel" or a box
	Into   string     // a cable that it turned out to sit in; After, AWG, Feet and Ground are then those of that cable
	Label  string     // what people call it
	AWG    wire.Gauge // of the cable that feeds it; zero: as the breaker asks
	Feet   float64    // of that cable, roughly; zero: assumed
	Ground bool       // the cable has a ground wire
	Slots  int        // 3, or 2 without a ground slot; zero: 3
	GFCI   bool       // the device is a GFCI that feeds what follows
	// Devices is how many hang in the box: nil: one; zero: a junction behind a blank plate,
	// or behind the wall; two side by side.
	Devices *int
	Names   Names // of what is added; what has none gets the next that is free
}

// Names are those that whoever adds something made for it: two who add at the same time, apart,
// make two things. Each begins with the letter of its kind: W3, B3, R3, G3, L3.
type Names []string

// take is the name for what is added next: a given one of the kind, else the next that is free.
func (n *Names) take(c *Circuit, prefix string) (string, error) {
	for i, name := range *n {
		rest, is := strings.CutPrefix(name, prefix)
		if !is || rest == "" || rest[0] < '0' || rest[0] > '9' {
			continue
		}
		*n = slices.Delete(slices.Clone(*n), i, i+1)
		if c.taken()[name] {
			return "", fmt.Errorf("names: %s is taken", name)
		}
		return name, nil
	}
	return c.freeName(prefix), nil
}

// BranchAmps are the usual ratings of a breaker that feeds receptacles.
var BranchAmps = []float64{15, 20}

// AssumedFeet is the length taken for a cable nobody has paced off. Assumption.
const AssumedFeet = 15

// AddStop adds a box with one duplex receptacle after the panel or a box, or
// into a cable that is already drawn, about half way along it.
func (c *Circuit) AddStop(n NewStop) error {
	if n.Into != "" {
		return c.addInto(n)
	}
	if n.After != Panel && c.Box(n.After) == nil {
		return fmt.Errorf("after %q: no such box on this circuit", n.After)
	}
	cable := Cable{From: n.After, AWG: n.AWG, Feet: n.Feet, Conductors: conductors(n.Ground)}
	var err error
	if cable.ID, err = n.Names.take(c, "W"); err != nil {
		return err
	}
	box, err := c.newBox(n)
	if err != nil {
		return err
	}
	cable.To = box.ID
	if cable.AWG == 0 {
		if cable.AWG = wire.For(c.Breaker.Amps); cable.AWG == 0 {
			return fmt.Errorf("awg: no gauge of %v carries a breaker of %g A: is its rating right?", wire.Gauges, c.Breaker.Amps)
		}
	}
	if cable.Feet == 0 {
		cable.Feet = AssumedFeet
	}
	c.Cables, c.Boxes = append(c.Cables, cable), append(c.Boxes, box)
	return c.Check()
}

func (c *Circuit) newBox(n NewStop) (box Box, err error) {
	if n.Slots == 0 {
		n.Slots = 3
	}
	box = Box{Label: strings.TrimSpace(n.Label), Material: Plastic, Makeup: FeedThrough}
	if box.ID, err = n.Names.take(c, "B"); err != nil {
		return box, err
	}
	first := Device{Kind: Receptacle, Amps: 15, Slots: n.Slots}
	prefix := "R"
	if n.GFCI {
		first, prefix = Device{Kind: GFCI, Amps: 20, Slots: 3}, "G"
	}
	if first.ID, err = n.Names.take(c, prefix); err != nil {
		return box, err
	}
	box.Devices = []Device{first}
	if n.Devices != nil {
		err = c.hang(&box, *n.Devices, n.Slots, n.Names)
	}
	return box, err
}

// mostDevices hang in one box of a run. Assumption.
const mostDevices = 4

// hang makes it so many devices: what hangs there stays, receptacles are added, the last go.
func (c *Circuit) hang(box *Box, count, slots int, names Names) error {
	if count < len(box.Devices) {
		box.Devices = box.Devices[:max(count, 0)]
	}
	// The box may not be on the circuit yet: its names are taken as those there are.
	as := *c
	for len(box.Devices) < min(count, mostDevices) {
		as.Boxes = append(slices.Clone(c.Boxes), *box)
		id, err := names.take(&as, "R")
		if err != nil {
			return err
		}
		box.Devices = append(box.Devices, Device{ID: id, Kind: Receptacle, Amps: 15, Slots: slots})
	}
	return nil
}

// addInto splits a cable: it keeps its name up to the new box, and what goes on
// from there has a new one.
func (c *Circuit) addInto(n NewStop) error {
	cable := c.Cable(n.Into)
	if cable == nil {
		return fmt.Errorf("into %q: no such cable on this circuit", n.Into)
	}
	if n.After != "" && n.After != cable.From {
		return fmt.Errorf("into %s: it comes from %s, not from %q", cable.ID, cable.From, n.After)
	}
	box, err := c.newBox(n)
	if err != nil {
		return err
	}
	on := *cable
	if on.ID, err = n.Names.take(c, "W"); err != nil {
		return err
	}
	on.From, on.Feet, on.Conductors = box.ID, cable.Feet/2, slices.Clone(cable.Conductors)
	cable.To, cable.Feet = box.ID, cable.Feet/2
	end := func(id string) string { return id + "@" + on.To + "." }
	for i := range c.Boxes {
		for j := range c.Boxes[i].Wiring {
			for k, name := range c.Boxes[i].Wiring[j] {
				if rest, is := strings.CutPrefix(name, end(cable.ID)); is {
					c.Boxes[i].Wiring[j][k] = end(on.ID) + rest
				}
			}
		}
	}
	c.Cables, c.Boxes = append(c.Cables, on), append(c.Boxes, box)
	return c.Check()
}

func conductors(ground bool) []Conductor {
	if ground {
		return []Conductor{Hot, Neutral, Ground}
	}
	return []Conductor{Hot, Neutral}
}

// taken are the names of all that the circuit has.
func (c *Circuit) taken() map[string]bool {
	taken := map[string]bool{}
	for _, cable := range c.Cables {
		taken[cable.ID] = true
	}
	for _, box := range c.Boxes {
		taken[box.ID] = true
		for _, v := range box.Devices {
			taken[v.ID] = true
		}
	}
	for _, load := range c.Loads {
		taken[load.ID] = true
	}
	return taken
}

// freeName is the prefix with the lowest number nothing in the circuit has, marked or not.
func (c *Circuit) freeName(prefix string) string {
	taken := map[string]bool{}
	for name := range c.taken() {
		taken[Stem(name)] = true
	}
	for n := 1; ; n++ {
		if name := fmt.Sprint(prefix, n); !taken[name] {
			return name
		}
	}
}

// Stem is the name without the mark of who made it: B3 for B3kqx.
func Stem(name string) string {
	if name == "" || !strings.ContainsRune("WBRGL", rune(name[0])) {
		return name
	}
	stem := strings.TrimRight(name, "abcdefghijklmnopqrstuvwxyz")
	if len(stem) < 2 || strings.Trim(stem[1:], "0123456789") != "" {
		return name
	}
	return stem
}

// Made are the names that the other circuit has beyond this one's, each with the mark.
func (c *Circuit) Made(other *Circuit, mark string) Names {
	var made Names
	before := c.taken()
	for name := range other.taken() {
		if !before[name] {
			made = append(made, name+mark)
		}
	}
	slices.Sort(made)
	return made
}

// A StopChange corrects what is known of a stop; nil leaves a thing as it is.
type StopChange struct {
	Label  *string
	AWG    *wire.Gauge
	Feet   *float64
	Ground *bool
	Slots  *int
	Makeup *Makeup
	GFCI   *bool // the first device is one
	// Devices is how many hang in the box; zero: a junction.
	Devices *int
	Names   Names // of devices that are added
}

// ChangeStop corrects the box and the cable that feeds it.
func (c *Circuit) ChangeStop(id string, change StopChange) error {
	box, cable := c.Box(id), c.LineCable(id)
	if box == nil || cable == nil {
		return fmt.Errorf("box %s: not on this circuit", id)
	}
	if change.Label != nil {
		box.Label = strings.TrimSpace(*change.Label)
	}
	if change.AWG != nil {
		cable.AWG = *change.AWG
	}
	if change.Feet != nil {
		cable.Feet = *change.Feet
	}
	if change.Ground != nil && *change.Ground != cable.Has(Ground) {
		if *change.Ground {
			cable.Conductors = append(cable.Conductors, Ground)
		} else {
			cable.Conductors = slices.DeleteFunc(cable.Conductors, func(k Conductor) bool { return k == Ground })
		}
	}
	if change.Slots != nil {
		for i := range box.Devices {
			if box.Devices[i].Kind == Receptacle {
				box.Devices[i].Slots = *change.Slots
			}
		}
	}
	if change.Makeup != nil {
		if box.Wiring != nil {
			return fmt.Errorf("box %s: its wiring is spelled out, so it has no makeup to change", id)
		}
		box.Makeup = *change.Makeup
	}
	if change.Devices != nil && *change.Devices != len(box.Devices) {
		if err := c.changeDevices(box, *change.Devices, change.Names); err != nil {
			return err
		}
	}
	if change.GFCI != nil && len(box.Devices) > 0 {
		if box.Wiring != nil {
			return fmt.Errorf("box %s: its wiring is spelled out and names the device's terminals", id)
		}
		v := &box.Devices[0]
		if *change.GFCI {
			v.Kind, v.Slots, v.Tab = GFCI, 3, Tabs{}
		} else {
			v.Kind, v.Tripped, v.Generation = Receptacle, false, Current
			box.Load = nil
		}
	}
	return c.Check()
}

// changeDevices makes it so many devices in a box; what was plugged into one that goes
// goes with it.
func (c *Circuit) changeDevices(box *Box, count int, names Names) error {
	if box.Wiring != nil {
		return fmt.Errorf("box %s: its wiring is spelled out and names the devices' terminals", box.ID)
	}
	if count < 0 || count > mostDevices {
		return fmt.Errorf("devices: %d of them; at most %d", count, mostDevices)
	}
	slots := 3
	if len(box.Devices) > 0 && box.Devices[0].Slots == 2 {
		slots = 2
	}
	if err := c.hang(box, count, slots, names); err != nil {
		return err
	}
	if !slices.ContainsFunc(box.Devices, func(v Device) bool { return v.Kind == GFCI }) {
		box.Load = nil
	}
	c.Loads = slices.DeleteFunc(c.Loads, func(l Load) bool { v, _ := c.Device(l.At); return v == nil })
	return nil
}

// AddLoad plugs an appliance in, switched on.
func (c *Circuit) AddLoad(at string, half Half, watts float64, names ...string) error {
	given := Names(names)
	id, err := given.take(c, "L")
	if err != nil {
		return err
	}
	c.Loads = append(c.Loads, Load{ID: id, At: at, Half: half, Watts: watts, On: true})
	return c.Check()
}

// RemoveLoad unplugs an appliance.
func (c *Circuit) RemoveLoad(id string) error {
	i := slices.IndexFunc(c.Loads, func(l Load) bool { return l.ID == id })
	if i < 0 {
		return fmt.Errorf("load %s: not on this circuit", id)
	}
	c.Loads = slices.Delete(c.Loads, i, i+1)
	return nil
}

// RemoveStop takes a box off the run. What it fed is fed from the box before
// it, by the same cable, longer by the one that goes.
func (c *Circuit) RemoveStop(id string) error {
	line := c.LineCable(id)
	if c.Box(id) == nil || line == nil {
		return fmt.Errorf("box %s: not on this circuit", id)
	}
	gone := *line
	if up := c.Box(gone.From); up != nil && up.Wiring != nil {
		return fmt.Errorf("box %s: the wiring of %s is spelled out and names cable %s", id, up.ID, gone.ID)
	}
	for i := range c.Cables {
		if c.Cables[i].From == id {
			c.Cables[i].From = gone.From
			c.Cables[i].Feet += gone.Feet
		}
	}
	c.Cables = slices.DeleteFunc(c.Cables, func(cable Cable) bool { return cable.ID == gone.ID })
	c.Boxes = slices.DeleteFunc(c.Boxes, func(b Box) bool { return b.ID == id })
	c.Loads = slices.DeleteFunc(c.Loads, func(l Load) bool { v, _ := c.Device(l.At); return v == nil })
	for i := range c.Boxes {
		c.Boxes[i].Load = slices.DeleteFunc(c.Boxes[i].Load, func(cable string) bool { return cable == gone.ID })
	}
	return c.Check()
}
