package circuit

import (
	"fmt"
	"math"
	"slices"
	"strings"
)

// Bounds beyond which a number is a slip of the finger, not a circuit. Assumption.
const (
	maxFeet  = 5000
	maxWatts = 20000
	maxAmps  = 200
	maxOhms  = 1e9
)

// Bounds of what one file can ask to be worked on, far beyond any branch
// circuit. Assumption.
const (
	MaxBoxes   = 400
	maxDevices = 12 // in a box
	maxLoads   = 800
	maxFaults  = 64
	maxTouched = 64  // places of a state
	maxWiring  = 200 // terminations in a box
)

// checkSize refuses at once what would take long to refuse piece by piece.
func (c *Circuit) checkSize() error {
	type many struct {
		name      string
		are, most int
	}
	all := []many{
		{"boxes", len(c.Boxes), MaxBoxes}, {"cables", len(c.Cables), MaxBoxes}, {"loads", len(c.Loads), maxLoads},
		{"faults", len(c.Faults), maxFaults}, {"state.separated", len(c.State.Separated), maxTouched}, {"state.joined", len(c.State.Joined), maxTouched},
	}
	for i, box := range c.Boxes {
		all = append(
			all,
			many{fmt.Sprintf("boxes[%d].devices", i), len(box.Devices), maxDevices},
			many{fmt.Sprintf("boxes[%d].wiring", i), len(box.Wiring), maxWiring},
		)
	}
	for _, m := range all {
		if m.are > m.most {
			return fmt.Errorf("%s: %d of them; at most %d", m.name, m.are, m.most)
		}
	}
	return nil
}

// Check reports the first thing that is wrong with the circuit, naming the place.
func (c *Circuit) Check() error {
	for _, check := range []func() error{
		c.checkHead, c.checkSize, c.checkNames, c.checkCables, c.checkTree, c.checkBoxes, c.checkLoads, c.checkFaults, c.checkState,
	} {
		if err := check(); err != nil {
			return err
		}
	}
	return nil
}

func (c *Circuit) checkHead() error {
	b := c.Breaker
	switch {
	case c.Format != Format:
		return fmt.Errorf("format: %q, want %q", c.Format, Format)
	case !within(c.Supply.Volts, 1, 1000):
		return fmt.Errorf("supply.volts: %v is impossible", c.Supply.Volts)
	case !within(c.Supply.Hz, 1, 1000):
		return fmt.Errorf("supply.hz: %v is impossible", c.Supply.Hz)
	case !within(b.Amps, 1, maxAmps):
		return fmt.Errorf("breaker.amps: %v is impossible", b.Amps)
	case b.Poles != 1 && b.Poles != 2:
		return fmt.Errorf("breaker.poles: %d, want 1 or 2", b.Poles)
	}
	return oneOf("breaker.protection", b.Protection, NoProtection, GFCIBreaker, AFCIBreaker, DualBreaker, UnknownProtection)
}

func (c *Circuit) checkNames() error {
	seen := map[string]string{Panel: "the panel"}
	use := func(place, id string) error {
		if id == "" {
			return fmt.Errorf("%s: has no id", place)
		}
		if i := strings.IndexFunc(id, func(r rune) bool { return r <= ' ' || strings.ContainsRune(".@:", r) }); i >= 0 {
			return fmt.Errorf("%s: the name %q may not hold spaces, points, @ or colons", place, id)
		}
		if first, taken := seen[id]; taken {
			return fmt.Errorf("%s: the name %s is used twice, first by %s", place, id, first)
		}
		seen[id] = place
		return nil
	}
	for i, cable := range c.Cables {
		if err := use(fmt.Sprintf("cables[%d]", i), cable.ID); err != nil {
			return err
		}
	}
	for i, box := range c.Boxes {
		place := fmt.Sprintf("boxes[%d]", i)
		if err := use(place, box.ID); err != nil {
			return err
		}
		for j, device := range box.Devices {
			if err := use(fmt.Sprintf("%s.devices[%d]", place, j), device.ID); err != nil {
				return err
			}
		}
	}
	for i, load := range c.Loads {
		if err := use(fmt.Sprintf("loads[%d]", i), load.ID); err != nil {
			return err
		}
	}
	return nil
}

func (c *Circuit) checkCables() error {
	for _, cable := range c.Cables {
		place := "cable " + cable.ID
		switch {
		case cable.From != Panel && c.Box(cable.From) == nil:
			return fmt.Errorf("%s: comes from %s, which is not in the file", place, cable.From)
		case cable.To == Panel:
			return fmt.Errorf("%s: goes to the panel; from is the end nearer the panel", place)
		case c.Box(cable.To) == nil:
			return fmt.Errorf("%s: goes to %s, which is not in the file", place, cable.To)
		case !within(cable.Feet, 0, maxFeet) || cable.Feet == 0:
			return fmt.Errorf("%s: feet: %v is impossible", place, cable.Feet)
		case len(cable.Conductors) == 0:
			return fmt.Errorf("%s: has no conductors", place)
		}
		if err := cable.AWG.Check(); err != nil {
			return fmt.Errorf("%s: %w", place, err)
		}
		for i, k := range cable.Conductors {
			if !slices.Contains(Conductors, k) {
				return fmt.Errorf("%s: %q is no conductor; use hot, hot2, neutral, ground", place, string(k))
			}
			if slices.Contains(cable.Conductors[:i], k) {
				return fmt.Errorf("%s: names its %s twice", place, k)
			}
		}
	}
	return nil
}

// checkTree makes sure that each box is fed by just one cable and that all
// hang on the panel.
func (c *Circuit) checkTree() error {
	feeder := map[string]string{}
	for _, cable := range c.Cables {
		if first, fed := feeder[cable.To]; fed {
			return fmt.Errorf("cable %s: box %s is already fed by cable %s", cable.ID, cable.To, first)
		}
		feeder[cable.To] = cable.ID
	}
	reached := map[string]bool{Panel: true}
	for _, box := range c.Order() {
		reached[box] = true
	}
	for _, box := range c.Boxes {
		if reached[box.ID] {
			continue
		}
		if feeder[box.ID] == "" {
			return fmt.Errorf("box %s: no cable reaches it", box.ID)
		}
		return fmt.Errorf("box %s: %s", box.ID, c.whyUnreached(box.ID))
	}
	return nil
}

// whyUnreached follows the feeds upstream from a box that does not hang on the panel.
func (c *Circuit) whyUnreached(box string) string {
	var path []string
	for at := box; ; {
		cable := c.LineCable(at)
		if cable == nil {
			return fmt.Sprintf("fed from box %s, which no cable reaches", at)
		}
		if slices.Contains(path, cable.ID) {
			return "its cables run in a circle: " + strings.Join(path, ", ")
		}
		path = append(path, cable.ID)
		at = cable.From
	}
}

func (c *Circuit) checkBoxes() error {
	for i := range c.Boxes {
		box := &c.Boxes[i]
		if err := c.checkBox(box); err != nil {
			return fmt.Errorf("box %s: %w", box.ID, err)
		}
	}
	return nil
}

func (c *Circuit) checkBox(box *Box) error {
	if err := oneOf("material", box.Material, Plastic, Metal); err != nil {
		return err
	}
	if box.Bonded && box.Material != Metal {
		return fmt.Errorf("bonded: only a metal box can be bonded")
	}
	for _, v := range box.Devices {
		if err := v.check(); err != nil {
			return fmt.Errorf("device %s: %w", v.ID, err)
		}
	}
	if box.Wiring != nil {
		if box.Makeup != "" {
			return fmt.Errorf("has both makeup and wiring: give one")
		}
		if len(box.Load) > 0 {
			return fmt.Errorf("load: goes with makeup, not with wiring")
		}
		return c.checkWiring(box)
	}
	if err := oneOf("makeup", box.Makeup, FeedThrough, Pigtail); err != nil {
		return err
	}
	return c.checkLoadCables(box)
}

func (c *Circuit) checkLoadCables(box *Box) error {
	if len(box.Load) == 0 {
		return nil
	}
	if !slices.ContainsFunc(box.Devices, func(v Device) bool { return v.Kind == GFCI }) {
		return fmt.Errorf("load: names cables for the load terminals, but the box has no GFCI")
	}
	if box.Makeup == FeedThrough && len(box.Devices) == 1 {
		return fmt.Errorf("load: goes with makeup pigtail; in feed-through all outgoing cables are on the load terminals")
	}
	for i, id := range box.Load {
		if cable := c.Cable(id); cable == nil || cable.From != box.ID {
			return fmt.Errorf("load: %s is not an outgoing cable of this box", id)
		}
		if slices.Contains(box.Load[:i], id) {
			return fmt.Errorf("load: names %s twice", id)
		}
	}
	return nil
}

func (c *Circuit) checkWiring(box *Box) error {
	for i, pair := range box.Wiring {
		for _, name := range pair {
			p, err := c.ParsePoint(name, box.ID)
			if err != nil {
				return fmt.Errorf("wiring[%d]: %w", i, err)
			}
			if !c.inBox(p, box.ID) {
				return fmt.Errorf("wiring[%d]: %s is not in this box", i, name)
			}
			if !p.Lands() {
				return fmt.Errorf("wiring[%d]: %s is no place where a wire lands", i, name)
			}
		}
		if pair[0] == pair[1] {
			return fmt.Errorf("wiring[%d]: joins %s to itself", i, pair[0])
		}
	}
	return nil
}

// Lands reports whether a termination can be made at the point.
func (p Point) Lands() bool {
	switch p.Kind {
	case CableEndPoint, TerminalPoint, SplicePoint, MetalPoint, BarPoint:
		return true
	default:
		return false
	}
}

// inBox reports whether the point is inside the box (or the panel).
func (c *Circuit) inBox(p Point, box string) bool { return c.boxOf(p) == box }

// boxOf is the box a point is in; "" for a whole conductor.
func (c *Circuit) boxOf(p Point) string {
	switch p.Kind {
	case CableEndPoint:
		return p.At
	case SplicePoint, MetalPoint:
		return p.Owner
	case BarPoint:
		return Panel
	case ConductorPoint:
		return ""
	default:
		if _, box := c.Device(p.Owner); box != nil {
			return box.ID
		}
		return ""
	}
}

func (v Device) check() error {
	if err := oneOf("kind", v.Kind, Receptacle, GFCI); err != nil {
		return err
	}
	if err := oneOf("generation", v.Generation, Current, Legacy); err != nil {
		return err
	}
	if err := oneOf("tab.hot", v.Tab.Hot, TabIntact, TabRemoved); err != nil {
		return err
	}
	if err := oneOf("tab.neutral", v.Tab.Neutral, TabIntact, TabRemoved); err != nil {
		return err
	}
	switch {
	case !within(v.Amps, 1, maxAmps):
		return fmt.Errorf("amps: %v is impossible", v.Amps)
	case v.Slots != 2 && v.Slots != 3:
		return fmt.Errorf("slots: %d, want 2 or 3", v.Slots)
	case v.Kind == GFCI && v.Tab != (Tabs{}):
		return fmt.Errorf("tab: a GFCI has no tabs to remove")
	case v.Kind == GFCI && v.Slots != 3:
		return fmt.Errorf("slots: a GFCI has 3")
	case v.Kind != GFCI && v.Tripped:
		return fmt.Errorf("tripped: only a GFCI trips")
	case v.Kind != GFCI && v.Generation != Current:
		return fmt.Errorf("generation: only a GFCI has one")
	}
	return nil
}

func (c *Circuit) checkLoads() error {
	for _, load := range c.Loads {
		place := "load " + load.ID
		if v, _ := c.Device(load.At); v == nil {
			return fmt.Errorf("%s: plugged in at %s, which is no device of the file", place, load.At)
		}
		if err := oneOf(place+": half", load.Half, Top, Bottom); err != nil {
			return err
		}
		if !within(load.Watts, 0, maxWatts) || load.Watts == 0 {
			return fmt.Errorf("%s: watts: %v is impossible", place, load.Watts)
		}
	}
	return nil
}

func (c *Circuit) checkState() error {
	for i, end := range c.State.Separated {
		if _, err := c.ParseCableEnd(end); err != nil {
			return fmt.Errorf("state.separated[%d]: %w", i, err)
		}
	}
	for i, pair := range c.State.Joined {
		for _, name := range pair {
			p, err := c.ParsePoint(name, "")
			if err != nil {
				return fmt.Errorf("state.joined[%d]: %w", i, err)
			}
			if p.Kind == ConductorPoint || p.Kind == TabPoint {
				return fmt.Errorf("state.joined[%d]: %s is no single place", i, name)
			}
		}
	}
	return nil
}

// ParseCableEnd reads a cable end such as "W2@B1"; the point has no conductor.
func (c *Circuit) ParseCableEnd(name string) (Point, error) {
	id, at, ok := strings.Cut(name, "@")
	cable := c.Cable(id)
	switch {
	case !ok:
		return Point{}, fmt.Errorf("%q is not a cable end: write W2@B1", name)
	case cable == nil:
		return Point{}, fmt.Errorf("%s: no cable %s in the file", name, id)
	case at != cable.From && at != cable.To:
		return Point{}, fmt.Errorf("%s: cable %s has no end at %s", name, id, at)
	}
	return Point{Kind: CableEndPoint, Owner: id, At: at}, nil
}

func within(x, low, high float64) bool { return !math.IsNaN(x) && x >= low && x <= high }

func oneOf[T ~string](place string, got T, want ...T) error {
	if slices.Contains(want, got) {
		return nil
	}
	var names []string
	for _, w := range want {
		if w != "" {
			names = append(names, string(w))
		}
	}
	return fmt.Errorf("%s: %q is not known; use %s", place, string(got), strings.Join(names, ", "))
}
