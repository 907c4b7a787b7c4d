package makeup

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"runtime"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/nec"
	"elvat/core/parts"
	"elvat/core/practice"
	"elvat/core/tester"
	"elvat/core/wire"
)

func pick[T any](r *rand.Rand, from ...T) T { return from[r.IntN(len(from))] }

func maybe[T any](r *rand.Rand, from ...T) *T {
	if r.IntN(4) == 0 {
		return nil
	}
	v := pick(r, from...)
	return &v
}

// drawBox makes up a box of any kind: one to five cables, old and new, sound and
// not, any device, any house.
func drawBox(r *rand.Rand) *Box {
	b := &Box{Format: BoxFormat, ID: "B1", Edition: pick(r, nec.Editions...)}
	b.Place = nec.Place{
		Room: pick(
			r,
			append(
				slices.Clone(nec.Rooms),
				"",
			)...), Finished: maybe(r, true, false), Exposure: pick(r, nec.Dry, nec.Dry, nec.Damp, nec.Wet, ""),
		FeetToSink: maybe(
			r,
			2.0,
			5.9,
			20,
		),
		Countertop: maybe(r, true, false), Accessible: maybe(r, true, true, false), OpenAccess: maybe(r, true, false),
	}
	b.Breaker = Breaker{
		Amps:  pick(r, 15.0, 20),
		Poles: 1,
		Protection: pick(
			r,
			circuit.NoProtection,
			circuit.NoProtection,
			circuit.GFCIBreaker,
			circuit.AFCIBreaker,
			circuit.DualBreaker,
		),
	}
	b.Box = Enclosure{
		Material: pick(
			r,
			circuit.Plastic,
			circuit.Plastic,
			circuit.Metal,
		),
		VolumeIn3: pick(r, wire.CubicInches(0), 14, 18, 22.5), Clamps: r.IntN(3),
		Bonded: maybe(
			r,
			true,
			false,
		),
		Loose: maybe(r, true, false), SetbackIn: maybe(r, wire.Inches(0), 0.125, 0.5), Wall: pick(r, "gypsum", "wood", ""), GapIn: maybe(r, wire.Inches(0), 0.2),
	}
	n := 1 + r.IntN(5)
	line := r.IntN(n)
	grounds := r.IntN(4) > 0
	for i := range n {
		c := Cable{
			ID:      fmt.Sprintf("W%d", i+1),
			Role:    Outgoing,
			AWG:     pick(r, wire.Gauge(14), 12, 12),
			Protect: pick(r, ProtectYes, ProtectNo, ProtectUnknown),
		}
		c.Conductors = []circuit.Conductor{circuit.Hot, circuit.Neutral}
		if i == line {
			c.Role = Line
		}
		if r.IntN(25) == 0 {
			c.Role = Unknown
		}
		if r.IntN(8) == 0 {
			c.Conductors, c.Hot2, b.Breaker.Poles = append(
				c.Conductors,
				circuit.Hot2,
			), pick(
				r,
				SecondUnknown,
				OtherLeg,
				SwitchLeg,
			), 2
		}
		if grounds != (r.IntN(10) == 0) {
			c.Conductors = append(c.Conductors, circuit.Ground)
		}
		c.FromSheathIn = maybe(r, wire.Inches(8), 8, 8, 4)
		c.Type = pick(r, "NM", "NM", "conduit", "BX")
		c.Condition = pick(r, "sound", "sound", "sound", "sound", "nicked", "cloth", "brittle", "scorched")
		if r.IntN(30) == 0 {
			c.Material = "aluminum"
		}
		c.Stranded = r.IntN(12) == 0
		if r.IntN(2) == 0 {
			c.ServesPlace = &nec.Place{Room: pick(r, nec.Rooms...)}
		}
		c.ServesLoad = pick(r, append(slices.Clone(Loads), "", "", "")...)
		c.Serves = pick(r, "", "", "shelves", "deep freeze", "the fridge", "sump", "router shelf")
		if c.Role == Outgoing && r.IntN(20) == 0 { // to a wall switch and back
			c.Conductors, c.Hot2 = []circuit.Conductor{circuit.Hot, circuit.Hot2, circuit.Ground}, SwitchLeg
		}
		b.Cables = append(b.Cables, c)
	}
	b.Device = drawDevice(r, "D1")
	b.Box.AluminumConnectors = r.IntN(3) > 0
	b.Box.Size = pick(r, "", "", "3x2x2 1/2", "4 sq x 1-1/2")
	b.Flooded = r.IntN(40) == 0
	if r.IntN(3) == 0 {
		b.Existing = &Existing{Kind: circuit.Receptacle, Switched: pick(r, halves...), Plate: pick(r, plates...)}
		b.Existing.Tab.Hot = pick(r, tabStates...)
	}
	for i := range max(0, r.IntN(5)-3) {
		b.Others = append(b.Others, *drawDevice(r, fmt.Sprintf("E%d", i+1)))
	}
	for i := range b.Cables {
		c := &b.Cables[i]
		if c.Role == Outgoing && !c.Has(circuit.Hot2) && c.Has(circuit.Hot) && len(b.Switches) < 2 && r.IntN(8) == 0 {
			b.Switches = append(b.Switches, Switch{fmt.Sprintf("S%d", len(b.Switches)+1), c.ID})
		}
	}
	b.Practice = practice.House{
		PushIn: pick(
			r,
			"",
			practice.NeverPushIn,
			practice.PushInOn14,
		),
		Device: pick(r, "", practice.PigtailAt3, practice.AlwaysPigtail, practice.FeedThrough),
		Splice: pick(
			r,
			"",
			practice.Lever,
			practice.Twisted,
			practice.PushInSplice,
		),
		Hook: pick(r, "", practice.Clamp, practice.Hook),
		Load: pick(
			r,
			"",
			practice.LoadKnown,
			practice.LoadOwn,
			practice.LoadAll,
		),
		MetalBox: pick(r, "", practice.Jumpers, practice.Yoke),
	}
	return b
}

func drawDevice(r *rand.Rand, id string) *Device {
	v := &Device{
		ID:              id,
		Kind:            pick(r, DeviceKinds...),
		Amps:            pick(r, 15.0, 15, 20),
		Terminals:       pick(r, terminals...),
		TamperResistant: maybe(r, true, false),
		SelfGrounding:   r.IntN(3) == 0,
		Aluminum:        r.IntN(6) == 0,
		Whole:           r.IntN(8) == 0,
		Grade:           pick(r, grades...),
	}
	v.WiresPerTerminal = pick(r, 0, 0, 1, 2)
	if v.Kind == "receptacle" && r.IntN(6) == 0 {
		v.Tab.Hot = circuit.TabRemoved
	}
	if !v.IsGFCI() && r.IntN(8) == 0 {
		v.Slots = 2
	}
	return v
}

// TestNoPlanBreaksARule: what must hold of every plan, over boxes drawn at
// random. The finished plan is looked at through the circuit model and by
// counting, not by how it was made.
func TestNoPlanBreaksARule(t *testing.T) {
	boxes := 2000
	if os.Getenv("ELVAT_DRAWN") != "" { // make drawn
		boxes = 10000
	}
	var all sync.WaitGroup
	var mu sync.Mutex
	issued, stopped, said := 0, 0, 0
	workers := runtime.NumCPU()
	for worker := range workers {
		all.Go(func() {
			for seed := worker; seed < boxes; seed += workers {
				b := drawBox(rand.New(rand.NewPCG(uint64(seed), 5)))
				data, err := b.Encode()
				if !assert.NoError(t, err) {
					return
				}
				parsed, err := Parse(data)
				if !assert.NoError(t, err, string(data)) {
					return
				}
				p, err := Make(parsed, practice.Shop{}, nil)
				if !assert.NoError(t, err, string(data)) {
					return
				}
				for _, problem := range broken(parsed, p) {
					assert.Fail(t, problem, "box %d: %s\n%v", seed, data, p.Wiring)
				}
				mu.Lock()
				switch {
				case p.Stopped != "":
					stopped++
				case p.Issued:
					issued++
				default:
					said++
				}
				mu.Unlock()
			}
		})
	}
	all.Wait()
	t.Logf("%d boxes: %d plans issued, %d stopped, %d issued with what is left wrong said", boxes, issued, stopped, said)
	assert.Greater(t, issued, boxes/4)
	assert.Greater(t, stopped, boxes/20)
	assert.Greater(t, said, boxes/50)
}

// broken lists what a plan breaks of what must hold.
func broken(b *Box, p *Plan) (problems []string) {
	say := func(format string, args ...any) { problems = append(problems, fmt.Sprintf(format, args...)) }
	b = b.settled()
	has := func(code string, about ...string) bool {
		return slices.ContainsFunc(p.Findings, func(f Finding) bool {
			return f.Code == code && (len(about) == 0 || slices.Contains(f.At, about[0]))
		})
	}
	for _, stop := range []struct {
		is   bool
		code string
	}{
		{
			!b.Device.Aluminum && !b.Box.AluminumConnectors && slices.ContainsFunc(b.Cables, func(c Cable) bool { return c.Material == aluminum }),
			"aluminum",
		},
		{slices.ContainsFunc(b.Cables, func(c Cable) bool { return c.Condition == "scorched" }), "insulation-damaged"},
	} {
		if stop.is && (len(p.Wiring) > 0 || !has(stop.code) || p.Stopped == "") {
			say("%s does not stop the plan", stop.code)
		}
	}
	if p.Stopped != "" {
		for _, pair := range p.Wiring {
			if !strings.HasSuffix(pair[0], ".ground") && !strings.HasSuffix(pair[1], ".ground") &&
				!strings.HasSuffix(pair[1], ".box") {
				say("stopped, and yet %v is planned", pair)
			}
		}
		return problems
	}
	problems = append(problems, counted(b, p)...)
	problems = append(problems, solved(b, p)...)

	for i := range b.Cables {
		c := &b.Cables[i]
		onLoad := reaches(b.closed(p.Wiring), c.ID+"@B1.hot", "D1.load.hot")
		if (c.Protect == ProtectNo || c.load().staysOn()) && onLoad && !has("must-not-go-off", c.ID) {
			say("%s must not go off, is on LOAD, and nothing says so", c.ID)
		}
		if onLoad && c.Protect != ProtectYes && !c.told() && !has("must-not-go-off", c.ID) {
			say("nobody told what %s serves, and it is on LOAD", c.ID)
		}
		if c.Protect == ProtectNo && onLoad {
			say("%s was said to stay off LOAD", c.ID)
		}
	}
	if b.hangsOnSwitch() && !has("switched-half-lost") {
		leg := b.switchLeg()
		if leg == nil || !reaches(p.Wiring, leg.ID+"@B1.hot2", "D1.hot.1") && !reaches(p.Wiring, leg.ID+"@B1.hot2", "D1.hot.2") {
			say("a switched half is lost, and nothing says so")
		}
	}
	extends := slices.ContainsFunc(p.Steps, func(s Step) bool { return s.Code == "mend-box-recessed" })
	if spaced := slices.ContainsFunc(p.Steps, func(s Step) bool { return strings.Contains(s.Detail, "Spacers") }); extends && spaced {
		say("an extender and spacers for one gap")
	}
	for i := range p.Splices {
		metals := map[string]bool{}
		for _, end := range p.Splices[i].Conductors {
			owner, _, isCable := strings.Cut(end, "@")
			at := slices.IndexFunc(b.Cables, func(c Cable) bool { return isCable && c.ID == owner && c.Material == aluminum })
			metals[map[bool]string{true: aluminum, false: "copper"}[at >= 0]] = true
		}
		if metals[aluminum] && !strings.HasPrefix(p.Splices[i].Connector, "connector listed for aluminium") {
			say("aluminium in a %s", p.Splices[i].Connector)
		}
	}
	for _, s := range p.Strip {
		if !strings.Contains(s.How, "push-in hole") {
			continue
		}
		for _, c := range b.Cables {
			if strings.HasPrefix(s.Point, c.ID+"@") && (c.AWG != 14 || c.Stranded) {
				say("%s: push-in", s.Point)
			}
		}
	}
	return problems
}

// reaches follows pairs and splices, not through devices.
func reaches(pairs [][2]string, from, to string) bool {
	seen := map[string]bool{from: true}
	for queue := []string{from}; len(queue) > 0; queue = queue[1:] {
		for _, pair := range pairs {
			for i, name := range pair {
				if name == queue[0] && !seen[pair[1-i]] {
					seen[pair[1-i]] = true
					queue = append(queue, pair[1-i])
				}
			}
		}
	}
	return seen[to]
}

// counted looks at ends and terminals one by one.
func counted(b *Box, p *Plan) (problems []string) {
	wires := map[string]int{}
	for _, pair := range p.Wiring {
		wires[pair[0]]++
		wires[pair[1]]++
	}
	for _, c := range b.Cables {
		for _, k := range c.Conductors {
			end := fmt.Sprintf("%s@B1.%s", c.ID, k)
			if wires[end] != 1 {
				problems = append(problems, fmt.Sprintf("%s has %d places", end, wires[end]))
			}
			for _, other := range []circuit.Conductor{circuit.Hot, circuit.Hot2, circuit.Neutral, circuit.Ground} {
				for _, d := range b.Cables {
					if other != k && d.Has(other) && reaches(p.Wiring, end, fmt.Sprintf("%s@B1.%s", d.ID, other)) {
						problems = append(problems, fmt.Sprintf("%s meets %s of %s", end, other, d.ID))
					}
				}
			}
		}
		if c.Role == Line &&
			(reaches(p.Wiring, c.ID+"@B1.hot", "D1.load.hot") || reaches(p.Wiring, c.ID+"@B1.neutral", "D1.load.neutral")) {
			problems = append(problems, "the feed is on LOAD")
		}
	}
	for _, v := range append([]Device{*b.Device}, b.Others...) {
		takes := 1
		switch {
		case v.WiresPerTerminal > 0:
			takes = v.WiresPerTerminal
		case v.Terminals == "clamp":
			takes = 2
		}
		for _, name := range []string{"hot.1", "hot.2", "neutral.1", "neutral.2", "line.hot", "line.neutral", "load.hot", "load.neutral"} {
			if n := wires[v.ID+"."+name]; n > takes {
				problems = append(problems, fmt.Sprintf("%d wires on %s.%s", n, v.ID, name))
			}
		}
		if n := wires[v.ID+".ground"]; n > 1 {
			problems = append(problems, fmt.Sprintf("%d wires on the ground screw of %s", n, v.ID))
		}
	}
	return problems
}

// solved puts the wiring into a circuit file of its own, reads it back and puts
// a meter on every outlet: none may be dead, reversed or live at its metal, nor
// unbonded or unprotected without the plan's saying so.
func solved(b *Box, p *Plan) (problems []string) {
	type object = map[string]any
	line := slices.IndexFunc(b.Cables, func(c Cable) bool { return c.Role == Line })
	l := newLook(b, nec.Book{Edition: p.Edition})
	if l.raceway {
		return nil // needs a conductor that the file does not name; the plan's own proof covers it
	}
	var cables, boxes, devices []object
	joined := [][2]string{} // by wall switches that are on
	protection, poles := b.Breaker.Protection, b.Breaker.Poles
	if !b.protectionKnown() {
		protection = circuit.NoProtection
	}
	if !b.boxHasTwoHots() {
		poles = 1
	}
	for _, v := range append([]Device{*b.Device}, b.Others...) {
		kind := "receptacle"
		if v.IsGFCI() {
			kind = "gfci"
		}
		d := object{"id": v.ID, "kind": kind, "amps": v.Amps, "slots": v.Slots}
		if v.Tab.Hot != "" {
			d["tab"] = object{"hot": v.Tab.Hot}
		}
		devices = append(devices, d)
	}
	boxes = append(
		boxes,
		object{"id": "B1", "label": "opened", "material": b.Box.Material, "wiring": b.closed(p.Wiring), "devices": devices},
	)
	for i, c := range b.Cables {
		cable := object{"id": c.ID, "from": "panel", "to": "B1", "awg": c.AWG, "feet": 20, "conductors": c.Conductors}
		if i != line {
			cable["from"], cable["to"] = "B1", "F"+c.ID
			slots := 2
			if c.Has(circuit.Ground) {
				slots = 3
			}
			far := object{"id": "F" + c.ID, "label": "far", "devices": []object{{"id": "R" + c.ID, "kind": "receptacle", "amps": 15, "slots": slots}}}
			if c.switchLoop() {
				far["devices"], far["wiring"] = []object{}, [][2]string{}
			}
			if leg := b.switchLeg(); leg != nil && leg.ID == c.ID {
				joined = append(joined, [2]string{c.ID + "@F" + c.ID + ".hot", c.ID + "@F" + c.ID + ".hot2"})
			}
			boxes = append(boxes, far)
		} else if c.Has(circuit.Hot2) && c.Hot2 == SwitchLeg {
			poles = 1
			joined = append(joined, [2]string{"panel.hot", "panel.hot2"})
		}
		cables = append(cables, cable)
	}
	data, _ := json.Marshal(object{
		"format": circuit.Format, "name": "property", "supply": object{"volts": 120, "hz": 60},
		"breaker": object{"label": "1", "amps": b.Breaker.Amps, "poles": poles, "protection": protection, "on": true}, "cables": cables, "boxes": boxes,
		"state": object{"joined": joined},
	})
	c, err := circuit.Parse(data)
	if err != nil {
		return []string{err.Error()}
	}
	bench, err := tester.NewBench(c)
	if err != nil {
		return []string{err.Error()}
	}
	condition, err := bench.Try(nil)
	if err != nil {
		return []string{err.Error()}
	}
	if len(condition.Tripped) > 0 {
		problems = append(problems, fmt.Sprintf("%v trips by itself", condition.Tripped))
	}
	left := slices.ContainsFunc(p.Findings, func(f Finding) bool { return f.Code == "not-proven" })
	for _, o := range bench.Outlets() {
		volts := func(i int) float64 { return condition.MeterVolts(o, i, tester.HighZ) }
		switch {
		case volts(0) < 100:
			problems = append(problems, fmt.Sprintf("%s %s is dead", o.Device, o.Half))
		case volts(3) < 100 || volts(4) > 10:
			problems = append(problems, fmt.Sprintf("%s %s is reversed", o.Device, o.Half))
		case condition.LiveYoke(o):
			problems = append(problems, fmt.Sprintf("%s: live yoke", o.Device))
		}
		grounded := o.HasGround && volts(1) >= 100
		guarded := len(condition.PlugButton(o)) > 0
		marked := slices.ContainsFunc(p.Markings, func(m string) bool { return strings.Contains(m, NoEquipmentGround) })
		if o.HasGround && !grounded && !marked && !left {
			problems = append(problems, fmt.Sprintf("%s has no ground, no marking, and the plan is issued", o.Device))
		}
		verdict, _ := l.book.Verdict(nec.GroundFault, b.Place)
		_, box := c.Device(o.Device)
		needs := verdict.Required && b.Place.Room != "" && box.ID == "B1"
		if needs && grounded && !guarded && !left {
			problems = append(problems, fmt.Sprintf("%s is not protected, and the plan is issued", o.Device))
		}
	}
	return problems
}

// TestVerifyRefuses: each rule, broken by hand.
func TestVerifyRefuses(t *testing.T) {
	good := [][2]string{
		{"W1@B1.ground", "splice:ground"}, {"W2@B1.ground", "splice:ground"}, {"splice:ground", "G1.ground"},
		{"W1@B1.neutral", "G1.line.neutral"}, {"W2@B1.neutral", "G1.load.neutral"}, {"W1@B1.hot", "G1.line.hot"}, {"W2@B1.hot", "G1.load.hot"},
	}
	b := &Box{ID: "B1", Device: &Device{ID: "G1", Kind: "gfci", Terminals: "screw"}, Cables: []Cable{
		{ID: "W1", Role: Line, AWG: 12, Conductors: []circuit.Conductor{circuit.Hot, circuit.Neutral, circuit.Ground}},
		{ID: "W2", Role: Outgoing, AWG: 12, Conductors: []circuit.Conductor{circuit.Hot, circuit.Neutral, circuit.Ground}},
	}}
	require.Empty(t, Verify(b, good, nil))
	change := func(from, to string) [][2]string {
		pairs := slices.Clone(good)
		for i := range pairs {
			if pairs[i][0] == from {
				pairs[i][1] = to
			}
		}
		return pairs
	}
	for _, row := range []struct {
		name  string
		pairs [][2]string
		strip []Strip
		says  string
	}{
		{"hot on neutral", change("W2@B1.hot", "G1.load.neutral"), nil, "joins"},
		{"neutral on ground", change("W2@B1.neutral", "splice:ground"), nil, "joins"},
		{"fed on LOAD", change("W1@B1.hot", "G1.load.hot"), nil, "fed on LOAD"},
		{"no place", good[1:], nil, "has no place"},
		{"two under a screw", change("W2@B1.hot", "G1.line.hot"), nil, "2 wires"},
		{"two grounds on one screw", change("W2@B1.ground", "G1.ground"), nil, "G1.ground: 2 wires"},
		{"push-in on 12 AWG", good, []Strip{stripped("W1@B1.hot", 0.5, howPushIn)}, "push-in"},
	} {
		assert.Contains(t, strings.Join(Verify(b, row.pairs, row.strip), "; "), row.says, row.name)
	}
}

// TestPartsOfSteps: every verb of a plan has its item and every item its verb, over 200
// plans of boxes drawn at random.
func TestPartsOfSteps(t *testing.T) {
	needs := map[string][]parts.Group{ // of which at least one of each is listed for it
		"dead": {parts.Tool}, "dead-again": {parts.Tool}, "pull": {parts.Tool, parts.Marking}, "look-over": {parts.Device}, "strip": {parts.Tool},
		"join": {parts.Splice}, "land": {parts.Tool}, "jumper": {parts.Wire}, "torque": {parts.Tool}, "fold": {parts.Tool}, "plate": {parts.Plate, parts.Tool},
		"power": {parts.Tool}, "break-tab": {parts.Tool}, "break-tab-neutral": {parts.Tool}, "mend-box-loose": {parts.Hardware}, "mend-box-recessed": {parts.Box},
		"mend-wall-gap": {parts.Hardware}, "mend-box-overfull": {parts.Box}, "mend-wires": {parts.Hardware}, "mend-flooded": {parts.Wire, parts.Breaker},
		"mend-conductor-breaker": {parts.Breaker}, "mend-afci-required": {parts.Breaker}, "find-part": {parts.Splice}, "find-dead": {parts.Tool},
		"find-live": {parts.Tool}, "find-label": {parts.Marking}, "find-stay-off": {parts.Tool}, "stop": nil,
	}
	sold := map[string]bool{}
	for _, i := range parts.Catalogue() {
		kind, _, _ := strings.Cut(i.Code, "-")
		sold[kind] = true
	}
	whole, seen := 0, map[string]bool{}
	for seed := uint64(0); whole < 200; seed++ {
		b := drawBox(rand.New(rand.NewPCG(seed, 7)))
		if b.Check() != nil {
			continue
		}
		p, err := Make(b, practice.Shop{}, nil)
		require.NoError(t, err)
		if len(p.Steps) < 3 {
			continue // stopped
		}
		whole++
		codes := map[string]bool{}
		for _, s := range p.Steps {
			codes[s.Code] = true
			kind, _, _ := strings.Cut(s.Code, ":")
			require.Contains(t, needs, kind, "nothing says what it needs")
			seen[kind] = true
			for _, g := range needs[kind] {
				assert.True(t, slices.ContainsFunc(p.Materials, func(m Material) bool {
					return m.Group == g && m.Count > 0 && slices.Contains(m.Steps, s.Code)
				}), "box %d: %s uses no %s", seed, s.Code, g)
			}
		}
		listed := map[string]bool{}
		for _, m := range p.Materials {
			assert.False(t, listed[m.Code], "box %d: %s twice", seed, m.Code)
			listed[m.Code] = true
			assert.NotEmpty(t, m.Item)
			for _, s := range m.Steps {
				assert.True(t, codes[s], "box %d: %s is for %s, which is no step", seed, m.Item, s)
			}
			assert.NotEmpty(t, m.Steps, "box %d: %s is for no step", seed, m.Item)
			// What is made to measure is of a kind that the catalogue has.
			kind, _, _ := strings.Cut(m.Code, "-")
			assert.True(t, m.Group == parts.Tool || sold[kind], "box %d: %s is in no catalogue", seed, m.Code)
		}
		jumpers := 0.0
		for _, m := range p.Materials {
			if m.Group == parts.Wire && strings.Contains(m.Code, "wire-") {
				jumpers += m.Count
			}
		}
		if p.Stopped != "" {
			continue // the line is looked for, and nothing is joined yet
		}
		assert.InDelta(t, float64(len(p.Jumpers))*float64(jumperIn)/12, jumpers, 1e-9, "box %d: each jumper once", seed)
	}
	for kind := range needs {
		if kind != "break-tab-neutral" && kind != "find-live" && kind != "find-dead" {
			assert.True(t, seen[kind], "%s was never planned", kind)
		}
	}
}
