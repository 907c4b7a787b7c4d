package makeup

import (
	"fmt"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/nec"
)

// oldDevice is the device that hangs in the box now, as the circuit model knows it.
func (b *Box) oldDevice() circuit.Device {
	e := b.Existing
	return circuit.Device{ID: b.oldName(), Kind: e.Kind, Amps: 15, Slots: e.Slots, Tab: e.Tab, Generation: e.Generation}
}

// oldName is what the wiring calls the device that is there now.
func (b *Box) oldName() string {
	if b.Existing.ID != "" {
		return b.Existing.ID
	}
	for _, pair := range b.landings() {
		for _, name := range pair {
			owner, _, ok := strings.Cut(name, ".")
			if ok && owner != b.ID && !strings.ContainsAny(owner, "@:") {
				return owner
			}
		}
	}
	if b.Existing.Kind == circuit.GFCI {
		return "old-gfci"
	}
	return "old"
}

// landings are the terminations that were recorded: spelled out, or pointed at
// on the photograph.
func (b *Box) landings() [][2]string {
	if b.Existing.Wiring != nil {
		return b.Existing.Wiring
	}
	var pairs [][2]string
	for _, tap := range b.Existing.Taps {
		pairs = append(pairs, [2]string{tap.Wire, tap.To})
	}
	if pairs == nil && b.Existing.Makeup != "" {
		e := b.Existing
		old := circuit.Device{ID: e.ID, Kind: e.Kind, Slots: e.Slots, Tab: e.Tab}
		if old.ID == "" {
			old.ID = "old"
		}
		c := b.model([]circuit.Device{old}, nil)
		box := c.Box(b.ID)
		box.Wiring, box.Makeup = nil, e.Makeup
		box.Bonded = b.Box.Bonded != nil && *b.Box.Bonded && b.Box.Material == circuit.Metal
		pairs = c.Pairs(box)
	}
	return pairs
}

// Landings are the terminations recorded of what is there now.
func (b *Box) Landings() [][2]string {
	if b.Existing == nil {
		return nil
	}
	return b.landings()
}

// checkWiring reports a recorded termination that names nothing in the box.
func (b *Box) checkWiring() error {
	c := b.model([]circuit.Device{b.oldDevice()}, nil)
	for i, pair := range b.landings() {
		for _, name := range pair {
			p, err := c.ParsePoint(name, b.ID)
			if err != nil {
				return fmt.Errorf("existing.wiring[%d]: %w", i, err)
			}
			inside := p.Kind == circuit.TerminalPoint || p.Kind == circuit.MetalPoint && p.Owner == b.ID ||
				p.Kind == circuit.SplicePoint && p.Owner == b.ID || p.Kind == circuit.CableEndPoint && p.At == b.ID
			if !inside {
				return fmt.Errorf("existing.wiring[%d]: %s is no point inside the box", i, name)
			}
		}
	}
	return nil
}

// existing judges what hangs in the box now by how it is wired and by what was
// seen. What the plan puts right is marked so.
func (l *look) existing(planned bool) {
	e := l.b.Existing
	if e == nil {
		return
	}
	first := len(l.findings)
	l.seen(e)
	pairs := l.b.landings()
	if len(pairs) > 0 {
		l.terminals(e, pairs)
		l.nets(e, pairs)
	}
	if e.Tab.Hot == circuit.TabRemoved || e.Tab.Neutral == circuit.TabRemoved {
		l.brokenTab(e)
	}
	for i := first; i < len(l.findings); i++ {
		f := &l.findings[i]
		f.Cured = f.Cured || planned && !f.Stop && f.Mend == ""
	}
}

// Judge are the findings about what hangs in the box now, as Make tells them, without a plan.
func Judge(b *Box, book nec.Book) []Finding {
	l := newLook(b, book)
	l.existing(false)
	return l.findings
}

func (l *look) seen(e *Existing) {
	old := []string{l.b.oldName()}
	for _, what := range e.Seen {
		switch what {
		case "bare-copper":
			l.trade(
				Finding{
					Code:     "bare-copper",
					Severity: Must,
					At:       old,
					Text:     "Bare copper shows at a terminal.",
					Fix:      "Cut back and strip to the gauge: nothing bare past the screw.",
				},
			)
		case "ground-near-hot":
			l.trade(
				Finding{
					Code:     "bare-copper",
					Severity: Danger,
					At:       old,
					Text:     "The bare ground lies by a hot screw.",
					Fix:      "Fold grounds away from the terminals first; tape the device in a metal box.",
				},
			)
		case "push-in":
			l.pushedIn(old)
		default:
			l.code(nec.Damaged, Finding{
				Code: "device-defect", Severity: Must, At: old, Text: fmt.Sprintf("The old device: %s.", strings.ReplaceAll(what, "-", " ")),
				Fix: "Do not use it again. Look at the wires that were on it, and cut back what is discoloured.",
			})
		}
	}
	if e.Terminals == pushIn && !slices.Contains(e.Seen, "push-in") {
		l.pushedIn(old)
	}
}

func (l *look) pushedIn(old []string) {
	l.trade(
		Finding{
			Code:     "push-in",
			Severity: Should,
			At:       old,
			Text:     "Wires sit in push-in holes of the old device.",
			Fix:      "Release or cut them, strip afresh, and use the screws.",
		},
	)
}

// terminals counts what lands on each.
func (l *look) terminals(e *Existing, pairs [][2]string) {
	on := map[string][]string{}
	old := l.b.oldName()
	for _, pair := range pairs {
		for i, name := range pair {
			if strings.HasPrefix(name, old+".") {
				on[name] = append(on[name], pair[1-i])
			}
		}
	}
	takes := (&Device{Terminals: e.Terminals, WiresPerTerminal: e.Takes}).takes()
	device := l.b.oldDevice()
	for _, t := range device.Terminals() {
		name := old + "." + t.Name
		wires := on[name]
		switch {
		case t.Takes == circuit.Ground && len(wires) > 1:
			l.code(nec.GroundJoint, Finding{
				Code: "ground-through-device", Severity: Must, At: []string{name}, Text: "The grounds are joined only at the device's ground screw: taking it out opens the ground of all that follows.",
				Fix: "Join the grounds in a splice, with a jumper to the device.",
			})
			fallthrough
		case len(wires) > takes || t.Takes == circuit.Ground && len(wires) > 1:
			l.code(nec.OneWire, Finding{
				Code: "two-under-screw", Severity: Must, At: []string{name}, Text: fmt.Sprintf("%s sit under the %s of the old device, which takes %d.", howMany(len(wires)), oldTerminal[t.Name], oneIfGround(t, takes)),
				Fix: "A splice and a jumper, or a clamp terminal marked for two.",
			})
		case t.Takes == circuit.Neutral && strings.HasSuffix(t.Name, ".2") && len(wires) > 0 && len(on[old+".neutral.1"]) > 0:
			shared := slices.ContainsFunc(l.b.Cables, func(c Cable) bool { return c.Has(circuit.Hot2) && c.Hot2 != SwitchLeg })
			f := Finding{
				Code: "neutral-through-device", Severity: Note, At: []string{name}, Text: "The neutral of what follows runs through the old device.", Fix: "With a jumper from a splice the device carries its own load alone.",
			}
			if shared {
				f.Severity, f.Text = Must, "A shared neutral runs through the old device: pulled under load it puts up to 240 V on the lighter side."
				l.code(nec.SharedNeutral, f)
				continue
			}
			l.trade(f)
		}
	}
}

// oldTerminal names the terminals as one looks at the device from the front.
var oldTerminal = map[string]string{
	"hot.1": "upper brass screw", "hot.2": "lower brass screw", "neutral.1": "upper silver screw", "neutral.2": "lower silver screw", "ground": "green screw",
	"line.hot": "LINE brass terminal", "line.neutral": "LINE silver terminal", "load.hot": "LOAD brass terminal", "load.neutral": "LOAD silver terminal",
}

// Screw is what people call a terminal of a device, as one looks at it from the front; "" where
// no device has it.
func Screw(terminal string) string { return oldTerminal[terminal] }

func oneIfGround(t circuit.Terminal, takes int) int {
	if t.Takes == circuit.Ground {
		return 1
	}
	return takes
}

func howMany(n int) string {
	if n == 2 {
		return "Two wires"
	}
	return fmt.Sprintf("%d wires", n)
}

// nets looks at what is joined with what inside the box.
func (l *look) nets(e *Existing, pairs [][2]string) {
	old := l.b.oldName()
	joined := newNets(pairs)
	device := l.b.oldDevice()
	if e.Tab.Hot != circuit.TabRemoved && e.Kind == circuit.Receptacle {
		joined.join(old+".hot.1", old+".hot.2")
	}
	if e.Tab.Neutral != circuit.TabRemoved && e.Kind == circuit.Receptacle {
		joined.join(old+".neutral.1", old+".neutral.2")
	}
	end := func(c *Cable, k circuit.Conductor) string { return c.ID + "@" + l.b.ID + "." + string(k) }

	// A faked ground: the device's ground with a neutral and no ground of a cable,
	// or a neutral and a ground joined anywhere in the box.
	ground := old + ".ground"
	for i := range l.b.Cables {
		c := &l.b.Cables[i]
		if c.Has(circuit.Neutral) && joined.same(ground, end(c, circuit.Neutral)) || joined.same(ground, old+".neutral.1") {
			l.code(nec.NoBootleg, Finding{
				Code: "bootleg", Severity: Danger, At: []string{ground},
				Text: "The device's ground is joined to a neutral: a faked ground. When that neutral opens, or hot and neutral are exchanged, everything metal that is plugged in is live.",
				Fix:  "Take the joint out. Ground it really, or take one of the ways on without a ground.",
			})
			break
		}
	}
	if l.line != nil {
		l.polarity(e, joined, end, device)
	}
	l.mixedColours(joined, end)
	if e.Kind == circuit.GFCI {
		l.loadNeutral(joined, end)
	}
	l.unrecorded(joined, end)
}

// polarity finds what is exchanged at the device, and a GFCI fed from behind.
func (l *look) polarity(e *Existing, joined *nets, end func(*Cable, circuit.Conductor) string, device circuit.Device) {
	old := l.b.oldName()
	hot, neutral := end(l.line, circuit.Hot), end(l.line, circuit.Neutral)
	for _, t := range device.Terminals() {
		name := old + "." + t.Name
		switch {
		case t.Takes == circuit.Neutral && joined.same(name, hot) || t.Takes == circuit.Hot && joined.same(name, neutral):
			l.code(nec.Polarity, Finding{
				Code: "reversed", Severity: Danger, At: []string{name}, Text: "Hot and neutral are exchanged at the old device: shells and elements stay live with the switch off.",
				Fix: "Hot to brass, neutral to silver: prove which is hot, whatever the colours.",
			})
			return
		case t.Takes == circuit.Ground && joined.same(name, hot):
			l.code(nec.Polarity, Finding{
				Code: "reversed", Severity: Danger, At: []string{name}, Text: "The hot lands on the ground screw: all metal there is live.", Fix: "Breaker off, prove dead. Hot to brass.",
			})
			return
		}
	}
	if e.Kind == circuit.GFCI && (joined.same(hot, old+".load.hot") || joined.same(neutral, old+".load.neutral")) {
		text := "The feed is on LOAD: the device locks out, and everything on it is dead."
		if e.Generation == circuit.Legacy {
			text = "The feed is on LOAD of an old device: its face stays live when it trips."
		}
		l.trade(
			Finding{
				Code:     "line-load-swapped",
				Severity: Danger,
				At:       []string{old + ".load.hot"},
				Text:     text,
				Fix:      "The feed on LINE, what it protects on LOAD.",
			},
		)
	}
}

// loadNeutral finds a cable whose hot and neutral hang on different sides of the old GFCI:
// it trips with the first lamp, and is blamed for it.
func (l *look) loadNeutral(joined *nets, end func(*Cable, circuit.Conductor) string) {
	old := l.b.oldName()
	for i := range l.b.Cables {
		c := &l.b.Cables[i]
		hot, neutral := end(c, circuit.Hot), end(c, circuit.Neutral)
		if c.Role == Line || !joined.has(hot) || !joined.has(neutral) {
			continue
		}
		onLoad := joined.same(hot, old+".load.hot")
		if onLoad == joined.same(neutral, old+".load.neutral") {
			continue
		}
		which := [2]string{"neutral", "hot"}
		if onLoad {
			which = [2]string{"hot", "neutral"}
		}
		l.trade(Finding{
			Code: "load-neutral", Severity: Must, At: []string{hot, neutral},
			Text: fmt.Sprintf("The %s of %s is on LOAD and its %s with the feed: the first lamp that is switched on there trips the GFCI.", which[0], c.name(), which[1]),
			Fix:  "Both on LOAD, or both with the feed.",
		})
	}
}

// mixedColours finds a red and a black, or the two hots of a 3-wire cable, on one side.
func (l *look) mixedColours(joined *nets, end func(*Cable, circuit.Conductor) string) {
	var red, second, black, hots []string
	for i := range l.b.Cables {
		c := &l.b.Cables[i]
		if c.Has(circuit.Hot2) && c.Hot2 != SwitchLeg {
			second = append(second, end(c, circuit.Hot2))
		}
		if c.Has(circuit.Hot2) && c.Hot2 == SwitchLeg && c.Has(circuit.Hot) && joined.same(end(c, circuit.Hot2), end(c, circuit.Hot)) {
			l.trade(Finding{
				Code: "switch-bypassed", Severity: Should, At: []string{end(c, circuit.Hot2)}, Text: fmt.Sprintf("The switched hot of %s is joined to the steady one: the wall switch does nothing.", c.name()),
				Fix: "Part them; the switched one feeds its half alone, behind a broken tab.",
			})
		}
		if !c.Has(circuit.Hot) {
			continue
		}
		hots = append(hots, end(c, circuit.Hot))
		switch c.Insulation[circuit.Hot] {
		case "red":
			red = append(red, end(c, circuit.Hot))
		case "black":
			black = append(black, end(c, circuit.Hot))
		}
	}
	for _, sides := range [][2][]string{{second, hots}, {red, black}} {
		for _, r := range sides[0] {
			for _, k := range sides[1] {
				if joined.same(r, k) {
					l.code(nec.Disconnect, Finding{
						Code: "two-circuits", Severity: Danger, At: []string{r, k}, Stop: true,
						Text: "Red and black are joined on one side: two circuits, or a switch leg. Joined, one breaker feeds the other's wires.",
						Fix:  "Both breakers off, prove dead. Part them and find what each is before anything is joined; look at the tab.",
					})
					return
				}
			}
		}
	}
}

// unrecorded says which ends of cables have no place in the record.
func (l *look) unrecorded(joined *nets, end func(*Cable, circuit.Conductor) string) {
	var missing []string
	for i := range l.b.Cables {
		for _, k := range l.b.Cables[i].Conductors {
			if name := end(&l.b.Cables[i], k); !joined.has(name) {
				missing = append(missing, name)
			}
		}
	}
	if len(missing) > 0 {
		l.trade(Finding{
			Code: "not-recorded", Severity: Note, At: missing, Text: "Where these landed is not recorded: " + strings.Join(missing, ", ") + ".",
			Fix: "Look at the photograph or the old device before it goes.",
		})
	}
}

func (l *look) brokenTab(e *Existing) {
	side := "hot"
	if e.Tab.Hot != circuit.TabRemoved {
		side = "neutral"
	}
	f := Finding{
		Code: "tab-removed", Severity: Must, At: []string{l.b.oldName() + "." + side + ".2"}, Text: fmt.Sprintf("The tab on the %s side of the old device is broken off: its halves are fed apart.", side),
		Fix: "Break the same tab on the new device, or find out what fed the other half before leaving it whole.",
	}
	if side == "hot" && l.b.Device != nil && !l.tabExplained() {
		l.ask("existing.switched", "What fed the other half of the old device: a wall switch, a second circuit, or the same feed?")
		f.Mend = "both halves hang on this feed"
		l.trade(f)
		return
	}
	if v := l.b.Device; v != nil && v.IsGFCI() {
		f.Fix = "A GFCI has no tab: both halves hang on one feed, and the other hot is capped."
	}
	l.trade(f)
}

// tabExplained reports whether it is known what fed the other half: a second hot that is
// in the box, or both halves on one splice.
func (l *look) tabExplained() bool {
	for i := range l.b.Cables {
		if l.b.Cables[i].Has(circuit.Hot2) {
			return true
		}
	}
	old := l.b.oldName()
	return newNets(l.b.landings()).same(old+".hot.1", old+".hot.2")
}

// nets are points joined with one another.
type nets struct{ up map[string]string }

func newNets(pairs [][2]string) *nets {
	n := &nets{up: map[string]string{}}
	for _, pair := range pairs {
		n.join(pair[0], pair[1])
	}
	return n
}

func (n *nets) root(name string) string {
	for n.up[name] != "" && n.up[name] != name {
		name = n.up[name]
	}
	return name
}

func (n *nets) join(a, b string) {
	for _, name := range []string{a, b} {
		if n.up[name] == "" {
			n.up[name] = name
		}
	}
	n.up[n.root(a)] = n.root(b)
}

func (n *nets) has(name string) bool  { return n.up[name] != "" }
func (n *nets) same(a, b string) bool { return n.has(a) && n.has(b) && n.root(a) == n.root(b) }
func (n *nets) byRoot() map[string][]string {
	all := map[string][]string{}
	for name := range n.up {
		all[n.root(name)] = append(all[n.root(name)], name)
	}
	for _, names := range all {
		slices.Sort(names)
	}
	return all
}
