package circuit

import "fmt"

// A PointID numbers a point of a Wired circuit.
type PointID int

// A JointKind says what kind of contact a joint is, and so its resistance.
type JointKind uint8

// Kinds of joint.
const (
	Termination    JointKind = iota // a wire on a terminal, in a splice or on a bar
	SlotContact                     // the contact of a slot with its terminal
	Tab                             // the link between a duplex's halves
	Pole                            // one pole of a GFCI
	YokeScrews                      // a device's yoke on a metal box
	WholeConductor                  // the conductor of a cable between its ends
	BreakerContact                  // a pole of the breaker
)

// A Joint is one contact or conductor between two points.
type Joint struct {
	Kind  JointKind
	A, B  PointID
	Ohms  float64 // what a fault adds in series to the joint's own resistance
	Open  bool
	Cable int       // whole conductors: index of the cable
	Of    Conductor // whole conductors: which; breaker contacts: the pole
}

// A Bridge joins two points that should not be joined, or that a test joins.
type Bridge struct {
	A, B PointID
	Ohms float64
}

// A Guard is a device that compares the currents of its poles: a GFCI
// receptacle, or a GFCI breaker under the name "panel".
type Guard struct {
	Name                  string
	Poles                 []int // joints; the neutral pole is the last
	LineHot, LineNeutral  PointID
	LoadHot, LoadNeutral  PointID
	Face                  []int // joints of a receptacle's slots, hot and neutral
	Tripped, Dead, NoTrip bool
}

// Outlet are the points of one half of a device that a tester reaches.
type Outlet struct {
	Device               string
	Half                 Half
	Hot, Neutral, Ground PointID // slots
	Yoke                 PointID // the ground terminal
	HasGround            bool    // a ground slot to plug into
}

// Wired is a circuit expanded into single points and joints, with nothing
// wrong unless a fault was applied to it.
type Wired struct {
	Circuit *Circuit
	Names   []string // canonical name of each point
	Joints  []Joint
	Bridges []Bridge
	Guards  []Guard
	Outlets []Outlet
	Breaker []int // joints: the breaker's contacts, hot before hot2

	ids   map[string]PointID
	slots map[string]int // joints of slot contacts, tabs and whole conductors by name
}

// Names of points inside the panel that the file has no word for.
const (
	PanelLine  = "panel.line.hot"     // hot behind the breaker contact, before a GFCI breaker's pole
	PanelLine2 = "panel.line.hot2"    // the same of the second pole
	PanelBar   = "panel.line.neutral" // the neutral bar, where the main bonding jumper is
)

// Wire expands the circuit. The circuit must have passed Check.
func Wire(c *Circuit) (*Wired, error) {
	w := &Wired{Circuit: c, ids: map[string]PointID{}, slots: map[string]int{}}
	w.wirePanel()
	for i := range c.Cables {
		w.wireCable(i)
	}
	for i := range c.Boxes {
		if err := w.wireBox(&c.Boxes[i]); err != nil {
			return nil, err
		}
	}
	return w, w.reserve()
}

// reserve numbers the points that joins and moves name, so that copies of w
// agree on them whatever is applied to each.
func (w *Wired) reserve() error {
	for _, pair := range w.Circuit.State.Joined {
		for _, name := range pair {
			if _, err := w.Resolve(name, ""); err != nil {
				return err
			}
		}
	}
	for _, f := range w.Circuit.Faults {
		if f.Kind != Moved {
			continue
		}
		from, err := w.Circuit.ParsePoint(f.At, "")
		if err != nil {
			return err
		}
		if _, err := w.Resolve(f.To, from.At); err != nil {
			return err
		}
	}
	return nil
}

// ID is the number of the point with that canonical name, a new one where none
// has it yet.
func (w *Wired) ID(name string) PointID {
	if id, ok := w.ids[name]; ok {
		return id
	}
	id := PointID(len(w.Names))
	w.Names = append(w.Names, name)
	w.ids[name] = id
	return id
}

// Find is the number of an existing point.
func (w *Wired) Find(name string) (PointID, bool) {
	id, ok := w.ids[name]
	return id, ok
}

// Lookup is the number of an existing point that a file calls name; box as in
// ParsePoint.
func (w *Wired) Lookup(name, box string) (PointID, error) {
	p, err := w.Circuit.ParsePoint(name, box)
	if err != nil {
		return 0, err
	}
	id, ok := w.Find(p.String())
	if !ok {
		return 0, fmt.Errorf("%s: nothing lands there in this circuit", name)
	}
	return id, nil
}

// Resolve is Lookup that makes the point where it does not exist yet.
func (w *Wired) Resolve(name, box string) (PointID, error) {
	p, err := w.Circuit.ParsePoint(name, box)
	if err != nil {
		return 0, err
	}
	return w.ID(p.String()), nil
}

func (w *Wired) add(j Joint) int {
	w.Joints = append(w.Joints, j)
	return len(w.Joints) - 1
}

func (w *Wired) named(name string, j Joint) int {
	w.slots[name] = w.add(j)
	return w.slots[name]
}

func (w *Wired) wirePanel() {
	b := w.Circuit.Breaker
	hots := []struct {
		k    Conductor
		line string
	}{{Hot, PanelLine}, {Hot2, PanelLine2}}[:b.Poles]
	for _, k := range Conductors {
		w.ID("panel." + string(k))
	}
	guard := Guard{Name: Panel, Tripped: b.Tripped}
	for _, h := range hots {
		to := w.ID("panel." + string(h.k))
		if b.Protection.SeesGroundFaults() {
			line := w.ID(h.line)
			guard.Poles = append(guard.Poles, w.add(Joint{Kind: Pole, A: line, B: to}))
			to = line
		}
		w.Breaker = append(w.Breaker, w.add(Joint{
			Kind: BreakerContact, A: w.ID("leg." + string(h.k)), B: to, Of: h.k, Open: !b.On || b.Tripped,
		}))
	}
	if !b.Protection.SeesGroundFaults() {
		return
	}
	guard.LineHot, guard.LineNeutral = w.ID(PanelLine), w.ID(PanelBar)
	guard.LoadHot, guard.LoadNeutral = w.ID("panel.hot"), w.ID("panel.neutral")
	guard.Poles = append(guard.Poles, w.add(Joint{Kind: Pole, A: guard.LineNeutral, B: guard.LoadNeutral}))
	w.addGuard(guard)
}

func (w *Wired) addGuard(g Guard) {
	for _, pole := range g.Poles {
		w.Joints[pole].Open = g.Tripped || g.Dead
	}
	w.Guards = append(w.Guards, g)
}

// Bar is the point of the panel's neutral bar.
func (w *Wired) Bar() PointID {
	if w.Circuit.Breaker.Protection.SeesGroundFaults() {
		return w.ID(PanelBar)
	}
	return w.ID("panel.neutral")
}

func (w *Wired) wireCable(i int) {
	cable := &w.Circuit.Cables[i]
	for _, k := range Conductors {
		if !cable.Has(k) {
			continue
		}
		from := w.ID(Point{Kind: CableEndPoint, Owner: cable.ID, At: cable.From, Conductor: k}.String())
		to := w.ID(Point{Kind: CableEndPoint, Owner: cable.ID, At: cable.To, Conductor: k}.String())
		w.named(cable.ID+"."+string(k), Joint{Kind: WholeConductor, A: from, B: to, Cable: i, Of: k})
		if cable.From == Panel {
			w.add(Joint{Kind: Termination, A: from, B: w.ID("panel." + string(k))})
		}
	}
}

func (w *Wired) wireBox(box *Box) error {
	for i := range box.Devices {
		v := &box.Devices[i]
		w.wireDevice(v)
		if box.Material == Metal {
			w.add(Joint{Kind: YokeScrews, A: w.ID(v.First(Ground)), B: w.ID(box.ID + ".box")})
		}
	}
	for _, pair := range w.Circuit.Pairs(box) {
		a, err := w.Resolve(pair[0], box.ID)
		if err != nil {
			return fmt.Errorf("box %s: %w", box.ID, err)
		}
		b, err := w.Resolve(pair[1], box.ID)
		if err != nil {
			return fmt.Errorf("box %s: %w", box.ID, err)
		}
		w.add(Joint{Kind: Termination, A: a, B: b})
	}
	return nil
}

func (w *Wired) wireDevice(v *Device) {
	for _, t := range v.Terminals() {
		w.ID(v.ID + "." + t.Name)
	}
	face := map[Half]func(Conductor) string{Top: v.First, Bottom: v.Second}
	if v.Kind == GFCI {
		face[Top] = v.Second // the face hangs on the load side
		g := Guard{
			Name: v.ID, Tripped: v.Tripped,
			LineHot: w.ID(v.First(Hot)), LineNeutral: w.ID(v.First(Neutral)),
			LoadHot: w.ID(v.Second(Hot)), LoadNeutral: w.ID(v.Second(Neutral)),
		}
		for _, k := range []Conductor{Hot, Neutral} {
			g.Poles = append(g.Poles, w.add(Joint{Kind: Pole, A: w.ID(v.First(k)), B: w.ID(v.Second(k))}))
		}
		w.addGuard(g)
	} else {
		for _, k := range []Conductor{Hot, Neutral} {
			removed := k == Hot && v.Tab.Hot == TabRemoved || k == Neutral && v.Tab.Neutral == TabRemoved
			w.named(v.ID+".tab."+string(k), Joint{Kind: Tab, A: w.ID(v.First(k)), B: w.ID(v.Second(k)), Open: removed})
		}
	}
	for _, half := range Halves {
		slot := func(k Conductor) PointID {
			name := Point{Kind: SlotPoint, Owner: v.ID, Name: string(half), Conductor: k}.String()
			id := w.ID(name)
			joint := w.named(name, Joint{Kind: SlotContact, A: w.ID(face[half](k)), B: id})
			if v.Kind == GFCI && k != Ground {
				g := &w.Guards[len(w.Guards)-1]
				g.Face = append(g.Face, joint)
			}
			return id
		}
		o := Outlet{
			Device:    v.ID,
			Half:      half,
			Hot:       slot(Hot),
			Neutral:   slot(Neutral),
			Yoke:      w.ID(v.First(Ground)),
			HasGround: v.HasGroundSlot(),
		}
		o.Ground = o.Yoke
		if o.HasGround {
			o.Ground = slot(Ground)
		}
		w.Outlets = append(w.Outlets, o)
	}
}

// JointsAt lists the joints a fault at the point acts on: every termination
// there, or the slot contact, tab or whole conductor itself.
func (w *Wired) JointsAt(name string) ([]int, error) {
	p, err := w.Circuit.ParsePoint(name, "")
	if err != nil {
		return nil, err
	}
	if joint, ok := w.slots[p.String()]; ok {
		return []int{joint}, nil
	}
	id, ok := w.Find(p.String())
	if !ok {
		return nil, fmt.Errorf("%s: nothing lands there in this circuit", name)
	}
	return w.TerminationsAt(id), nil
}

// TerminationsAt lists the terminations with the point on one side.
func (w *Wired) TerminationsAt(id PointID) []int {
	var at []int
	for i, j := range w.Joints {
		if j.Kind == Termination && (j.A == id || j.B == id) {
			at = append(at, i)
		}
	}
	return at
}

// Outlet finds one half of a device.
func (w *Wired) Outlet(device string, half Half) (Outlet, bool) {
	for _, o := range w.Outlets {
		if o.Device == device && o.Half == half {
			return o, true
		}
	}
	return Outlet{}, false
}

// Copy shares the names of the points and copies what faults change.
func (w *Wired) Copy() *Wired { return w.CopyOn(nil) }

// CopyOn is Copy that uses the room of a copy nobody needs any more, but for its
// guards; nil is none.
func (w *Wired) CopyOn(old *Wired) *Wired {
	d := *w
	if old == nil {
		old = &Wired{}
	}
	d.Joints = append(old.Joints[:0], w.Joints...)
	d.Bridges = append(old.Bridges[:0], w.Bridges...)
	d.Guards = append([]Guard(nil), w.Guards...)
	return &d
}

// Trip opens what has one of the names: a GFCI's poles, or the breaker for
// "panel" (its contacts, and its poles where it is a GFCI breaker).
func (w *Wired) Trip(names []string) {
	for _, name := range names {
		for i := range w.Guards {
			if g := &w.Guards[i]; g.Name == name {
				g.Tripped = true
				for _, pole := range g.Poles {
					w.Joints[pole].Open = true
				}
			}
		}
		if name == Panel {
			for _, i := range w.Breaker {
				w.Joints[i].Open = true
			}
		}
	}
}
