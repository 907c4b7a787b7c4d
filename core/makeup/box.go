// Package makeup goes from an opened box, and the device chosen for it, to a
// plan that can be worked from: what is wrong in the box, what the rules ask,
// what lands where, in which order, and what the testers will show when it is
// done. The plan is proven on the circuit model before it is handed out.
package makeup

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	jsonv2 "github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"elvat/core/circuit"
	"elvat/core/nec"
	"elvat/core/practice"
	"elvat/core/strict"
	"elvat/core/wire"
)

// BoxFormat is the name and version of the box file.
const BoxFormat = "elvat-box/1"

// A Box is an opened box as found, with the device chosen for it. What is
// empty or nil is not known.
type Box struct {
	Format   string      `json:"format"`
	ID       string      `json:"id"`
	Edition  nec.Edition `json:"edition,omitempty"` // zero: the shop's
	Place    nec.Place   `json:"place,omitzero"`
	Breaker  Breaker     `json:"breaker"`
	Box      Enclosure   `json:"box"`
	Cables   []Cable     `json:"cables"`
	Existing *Existing   `json:"existing,omitempty"`
	Device   *Device     `json:"device,omitempty"` // chosen; nil: none yet
	Others   []Device    `json:"others,omitempty"` // further devices in the same box
	Switches []Switch    `json:"switches,omitempty"`
	Flooded  bool        `json:"flooded,omitempty"`
	// Mended are the keys of findings that somebody put right and said so.
	Mended   []string       `json:"mended,omitempty"`
	Practice practice.House `json:"practice,omitzero"`
}

// Breaker is the circuit's overcurrent device.
type Breaker struct {
	Amps         float64            `json:"amps"`
	Poles        int                `json:"poles,omitempty"` // zero: one
	Protection   circuit.Protection `json:"protection,omitempty"`
	OtherOutlets *bool              `json:"otherOutlets,omitempty"`
}

// ProtectionUnknown is that of a breaker nobody has looked at; empty means the same.
const ProtectionUnknown = circuit.UnknownProtection

// protectionKnown reports whether somebody has looked at the breaker.
func (b *Box) protectionKnown() bool {
	return b.Breaker.Protection != "" && b.Breaker.Protection != ProtectionUnknown
}

// Enclosure is the box itself.
type Enclosure struct {
	Material  circuit.Material `json:"material,omitempty"`
	VolumeIn3 wire.CubicInches `json:"volumeIn3,omitempty"` // marked in it
	Size      string           `json:"size,omitempty"`      // of a standard metal box
	Clamps    int              `json:"clamps,omitempty"`    // inside
	Fittings  int              `json:"fittings,omitempty"`  // studs and hickeys
	Bonded    *bool            `json:"bonded,omitempty"`
	Mount     string           `json:"mount,omitempty"` // nailed, ears, screwed
	Loose     *bool            `json:"loose,omitempty"`
	SetbackIn *wire.Inches     `json:"setbackIn,omitempty"` // behind the wall's face
	Wall      string           `json:"wall,omitempty"`      // gypsum, plaster, tile, wood, masonry
	GapIn     *wire.Inches     `json:"gapIn,omitempty"`     // round the box
	LayersOut int              `json:"layersOut,omitempty"` // spacer layers already under the yoke
	DepthIn   *wire.Inches     `json:"depthIn,omitempty"`   // inside, from the front edge to the back
	Gangs     int              `json:"gangs,omitempty"`     // that it has room for; zero: one, or as many as yokes
	Passing   []Passing        `json:"passing,omitempty"`   // conductors that go through unbroken
	// AluminumConnectors says that connectors listed for aluminium with copper are at hand.
	AluminumConnectors bool `json:"aluminumConnectors,omitempty"`
}

// Passing are conductors that go through the box unbroken. One that has a loop of twice
// the free length or more counts twice: it is entered as two.
type Passing struct {
	AWG   wire.Gauge `json:"awg"`
	Count int        `json:"count"`
}

// A Role says where a cable leads.
type Role string

// Roles of a cable.
const (
	Line     Role = "line"
	Outgoing Role = "outgoing"
	Unknown  Role = "unknown"
)

// Protect says whether what a cable serves is to hang on the GFCI.
type Protect string

// Kinds of Protect.
const (
	ProtectYes     Protect = "yes"
	ProtectNo      Protect = "no" // it must not go off unseen
	ProtectUnknown Protect = "unknown"
)

// A Second says what the second hot of a 3-wire cable is.
type Second string

// Kinds of second hot.
const (
	SecondUnknown Second = "unknown"
	OtherLeg      Second = "leg"      // of a shared neutral
	SwitchLeg     Second = "switched" // the half a wall switch feeds
)

// A Cable is one as it enters the box.
type Cable struct {
	ID           string                       `json:"id"`
	Role         Role                         `json:"role,omitempty"`
	AWG          wire.Gauge                   `json:"awg"`
	Conductors   []circuit.Conductor          `json:"conductors"`
	Insulation   map[circuit.Conductor]string `json:"insulation,omitempty"` // colours as they are
	Type         string                       `json:"type,omitempty"`       // NM, UF, AC, MC, BX, conduit
	FromSheathIn *wire.Inches                 `json:"fromSheathIn,omitempty"`
	PastFaceIn   *wire.Inches                 `json:"pastFaceIn,omitempty"`
	Condition    string                       `json:"condition,omitempty"` // sound, nicked, brittle, cloth, scorched
	Material     string                       `json:"material,omitempty"`  // copper, aluminum
	Stranded     bool                         `json:"stranded,omitempty"`
	Protect      Protect                      `json:"protect,omitempty"`
	Serves       string                       `json:"serves,omitempty"`      // in words
	ServesPlace  *nec.Place                   `json:"servesPlace,omitempty"` // nil: not known
	ServesLoad   Load                         `json:"servesLoad,omitempty"`
	Hot2         Second                       `json:"hot2,omitempty"`
}

// Has reports whether the cable carries the conductor.
func (c *Cable) Has(k circuit.Conductor) bool { return slices.Contains(c.Conductors, k) }

// Existing is what hangs in the box now.
type Existing struct {
	ID         string             `json:"id,omitempty"` // empty: as its wiring names it
	Kind       circuit.DeviceKind `json:"kind"`
	Slots      int                `json:"slots,omitempty"`
	Tab        circuit.Tabs       `json:"tab,omitzero"`
	Marking    string             `json:"marking,omitempty"`
	Generation circuit.Generation `json:"generation,omitempty"`
	Terminals  string             `json:"terminals,omitempty"`
	Takes      int                `json:"wiresPerTerminal,omitempty"`
	Wiring     [][2]string        `json:"wiring,omitempty"`
	Makeup     circuit.Makeup     `json:"makeup,omitempty"` // in short, where nothing is spelled out
	Taps       []Tap              `json:"taps,omitempty"`   // on the photograph of the pulled device
	Seen       []string           `json:"seen,omitempty"`   // bare-copper, scorched, cracked, loose-terminal, worn-contacts
	// Switched is the half that hangs on a wall switch; empty: none, or not known.
	Switched circuit.Half `json:"switched,omitempty"`
	Plate    string       `json:"plate,omitempty"` // painted, snap-on
}

// A Tap is a wire pointed at on the photograph of the pulled device.
type Tap struct {
	X    float64 `json:"x"` // of the picture's width, from the left
	Y    float64 `json:"y"` // of its height, from the top
	Wire string  `json:"wire"`
	To   string  `json:"to"` // the terminal or splice it lands on
}

// Device is one chosen for the box.
type Device struct {
	ID               string             `json:"id"`
	Kind             string             `json:"kind"` // one of DeviceKinds
	Amps             float64            `json:"amps"`
	Terminals        string             `json:"terminals,omitempty"` // screw, clamp, push-in, lever
	WiresPerTerminal int                `json:"wiresPerTerminal,omitempty"`
	StripIn          wire.Inches        `json:"stripIn,omitempty"`
	TamperResistant  *bool              `json:"tamperResistant,omitempty"`
	WeatherResistant *bool              `json:"weatherResistant,omitempty"`
	Slots            int                `json:"slots,omitempty"`
	Tab              circuit.Tabs       `json:"tab,omitzero"`
	LineAt           string             `json:"lineAt,omitempty"` // top or bottom, as it hangs
	Aluminum         bool               `json:"aluminum,omitempty"`
	SelfGrounding    bool               `json:"selfGrounding,omitempty"` // listed yoke contacts
	TorqueLbfIn      float64            `json:"torqueLbfIn,omitempty"`
	Generation       circuit.Generation `json:"generation,omitempty"`
	Tripped          bool               `json:"tripped,omitempty"`
	// Whole says that its tab stays, whatever the old one's state: "intact" written out.
	Whole   bool        `json:"whole,omitempty"`
	Gangs   int         `json:"gangs,omitempty"` // it is as wide as; zero: one
	Grade   string      `json:"grade,omitempty"` // residential, heavy
	DepthIn wire.Inches `json:"depthIn,omitempty"`
	// Defects were seen when the new device was looked over.
	Defects []string `json:"defects,omitempty"`
	// DefectDone is what was done about them.
	DefectDone string `json:"defectDone,omitempty"`
}

// DeviceKinds are the kinds of device that can be chosen.
var DeviceKinds = []string{"receptacle", "gfci", "single", "usb", "smart", arcAndGround}

// arcAndGround is a receptacle that trips on arcs and on ground faults.
const arcAndGround = "afci-gfci"

// Words of the file with what they can be; the first is taken where none is given.
var (
	mounts     = []string{"", "nailed", "ears", "screwed"}
	walls      = []string{"", "gypsum", "plaster", "tile", "wood", "masonry"}
	roles      = []Role{Line, Outgoing, Unknown}
	protects   = []Protect{ProtectYes, ProtectNo, ProtectUnknown}
	conditions = []string{"", "sound", "nicked", "brittle", "cloth", "scorched"}
	materials  = []string{"", "copper", aluminum}
	seconds    = []Second{"", SecondUnknown, OtherLeg, SwitchLeg}
	terminals  = []string{"", screw, clamp, pushIn, lever}
	sights     = []string{
		"bare-copper",
		"scorched",
		"cracked",
		"loose-terminal",
		"worn-contacts",
		"push-in",
		"ground-near-hot",
	}
	tabStates = []circuit.TabState{circuit.TabIntact, circuit.TabRemoved}
	halves    = []circuit.Half{"", circuit.Top, circuit.Bottom}
	plates    = []string{"", "screwed", "painted", "snap-on"}
	grades    = []string{"", "residential", "heavy"}
	defects   = []string{"ground-slot-blocked", "terminals-alike", "screw-loose", "cracked", "contacts-loose"}
)

// Kinds of terminal.
const (
	screw  = "screw"
	clamp  = "clamp"
	pushIn = "push-in"
	lever  = "lever"
)

// aluminum is a cable's material where it is not copper.
const aluminum = "aluminum"

// Bounds of what one file can ask. Assumption.
const (
	mostCables = 12
	mostOthers = 3
	mostAmps   = 60
)

// Parse reads a box file. Errors name the place and what is wrong there.
func Parse(data []byte) (*Box, error) { return parse(data, strict.Unmarshal) }

// Reopen is Parse of a box that was kept: its texts may be longer than is allowed now.
func Reopen(data []byte) (*Box, error) { return parse(data, strict.Reread) }

func parse(data []byte, read func([]byte, any) error) (*Box, error) {
	b := &Box{}
	if err := read(data, b); err != nil {
		return nil, fmt.Errorf("box: %w", err)
	}
	if err := b.Check(); err != nil {
		return nil, fmt.Errorf("box: %w", err)
	}
	return b, nil
}

// Encode writes the box file.
func (b *Box) Encode() ([]byte, error) {
	data, err := json.MarshalIndent(b, "", "  ")
	if err != nil {
		return nil, err
	}
	return append(data, '\n'), nil
}

// UnmarshalJSONFrom reads the tabs of the device that is there, where "intact"
// and "unknown" may be written out.
func (e *Existing) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Existing
	var p plain
	if err := jsonv2.UnmarshalDecode(d, &p); err != nil {
		return err
	}
	*e = Existing(p)
	e.Tab = named(e.Tab)
	return nil
}

// UnmarshalJSONFrom does the same for a chosen device.
func (v *Device) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Device
	var p plain
	if err := jsonv2.UnmarshalDecode(d, &p); err != nil {
		return err
	}
	*v = Device(p)
	v.Whole = v.Whole || v.Tab.Hot == "intact"
	v.Tab = named(v.Tab)
	return nil
}

// UnmarshalJSONFrom reads a cable; what it serves used to be called its place.
func (c *Cable) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Cable
	var p struct {
		plain
		Place *nec.Place `json:"place"`
	}
	if err := jsonv2.UnmarshalDecode(d, &p); err != nil {
		return err
	}
	*c = Cable(p.plain)
	if c.ServesPlace == nil {
		c.ServesPlace = p.Place
	}
	return nil
}

func named(t circuit.Tabs) circuit.Tabs {
	for _, tab := range []*circuit.TabState{&t.Hot, &t.Neutral} {
		if *tab == "intact" || *tab == "unknown" {
			*tab = circuit.TabIntact
		}
	}
	return t
}

func oneOf[T comparable](place string, value T, among []T) error {
	if slices.Contains(among, value) {
		return nil
	}
	return fmt.Errorf("%s: %v is none of %v", place, value, among)
}

func between[T ~float64 | ~int](place string, value, least, most T) error {
	if value >= least && value <= most {
		return nil
	}
	return fmt.Errorf("%s: %v is out of bounds, %v to %v", place, value, least, most)
}

func betweenIf[T ~float64](place string, value *T, least, most T) error {
	if value == nil {
		return nil
	}
	return between(place, *value, least, most)
}

func first(errs ...error) error {
	for _, err := range errs {
		if err != nil {
			return err
		}
	}
	return nil
}

// Check reports the first thing that is wrong with the box, naming the place.
func (b *Box) Check() error {
	if b.Format != BoxFormat {
		return fmt.Errorf("format: want %q, have %q", BoxFormat, b.Format)
	}
	if err := checkName("id", b.ID); err != nil {
		return err
	}
	if b.Edition != 0 {
		if err := b.Edition.Check(); err != nil {
			return err
		}
	}
	if err := b.Place.Check(); err != nil {
		return fmt.Errorf("place.%w", err)
	}
	if err := first(b.checkBreaker(), b.checkEnclosure(), b.checkCables(), b.checkDevices(), b.checkSwitches(), b.checkExisting()); err != nil {
		return err
	}
	return b.Practice.Check()
}

func checkName(place, name string) error {
	if name == "" || len(name) > 40 || strings.ContainsAny(name, ".@: \t\n") || name == circuit.Panel {
		return fmt.Errorf("%s: %q is no name: letters, digits and dashes", place, name)
	}
	return nil
}

func (b *Box) checkBreaker() error {
	if b.Breaker.Poles == 0 {
		b.Breaker.Poles = 1
	}
	return first(
		between("breaker.amps", b.Breaker.Amps, 1, mostAmps),
		between("breaker.poles", b.Breaker.Poles, 1, 2),
		oneOf(
			"breaker.protection",
			b.Breaker.Protection,
			[]circuit.Protection{
				"", ProtectionUnknown, circuit.NoProtection, circuit.GFCIBreaker, circuit.AFCIBreaker, circuit.DualBreaker,
			},
		),
	)
}

func (b *Box) checkEnclosure() error {
	e := &b.Box
	if e.Material == "" {
		e.Material = circuit.Plastic
	}
	if e.Size != "" {
		if _, err := wire.VolumeOf(e.Size); err != nil {
			return fmt.Errorf("box.%w", err)
		}
	}
	return first(
		oneOf("box.material", e.Material, []circuit.Material{circuit.Plastic, circuit.Metal}),
		between("box.volumeIn3", e.VolumeIn3, 0, 500),
		oneOf("box.mount", e.Mount, mounts),
		oneOf("box.wall", e.Wall, walls),
		between(
			"box.clamps",
			e.Clamps,
			0,
			20,
		),
		between("box.fittings", e.Fittings, 0, 20),
		between("box.layersOut", e.LayersOut, 0, 40),
		betweenIf("box.setbackIn", e.SetbackIn, -2, 6),
		betweenIf("box.gapIn", e.GapIn, 0, 6),
		betweenIf("box.depthIn", e.DepthIn, 0.5, 12),
		between("box.gangs", e.Gangs, 0, 8),
		e.checkPassing(),
	)
}

func (e *Enclosure) checkPassing() error {
	for i, p := range e.Passing {
		place := fmt.Sprintf("box.passing[%d]", i)
		if err := p.AWG.Check(); err != nil {
			return fmt.Errorf("%s.awg: %w", place, err)
		}
		if err := between(place+".count", p.Count, 1, 40); err != nil {
			return err
		}
	}
	return nil
}

func (b *Box) checkCables() error {
	if len(b.Cables) > mostCables {
		return fmt.Errorf("cables: %d of them; at most %d", len(b.Cables), mostCables)
	}
	seen := map[string]bool{b.ID: true}
	for i := range b.Cables {
		c := &b.Cables[i]
		place := fmt.Sprintf("cables[%d]", i)
		if err := checkName(place+".id", c.ID); err != nil {
			return err
		}
		place = "cable " + c.ID
		if seen[c.ID] {
			return fmt.Errorf("%s: the name is used twice", place)
		}
		seen[c.ID] = true
		if c.Role == "" {
			c.Role = Unknown
		}
		if c.Protect == "" {
			c.Protect = ProtectUnknown
		}
		if err := c.AWG.Check(); err != nil {
			return fmt.Errorf("%s: awg: %w", place, err)
		}
		err := first(
			oneOf(
				place+": role",
				c.Role,
				roles,
			),
			oneOf(place+": protect", c.Protect, protects),
			oneOf(place+": condition", c.Condition, conditions),
			oneOf(place+": material", c.Material, materials),
			oneOf(place+": hot2", c.Hot2, seconds),
			oneOf(place+": servesLoad", c.ServesLoad, append([]Load{""}, Loads...)),
			betweenIf(place+": fromSheathIn", c.FromSheathIn, 0, 200),
			betweenIf(place+": pastFaceIn", c.PastFaceIn, 0, 200),
		)
		if err != nil {
			return err
		}
		if len(c.Conductors) == 0 {
			return fmt.Errorf("%s: conductors: none given", place)
		}
		for j, k := range c.Conductors {
			if err := oneOf(place+": conductors", k, circuit.Conductors); err != nil {
				return err
			}
			if slices.Contains(c.Conductors[:j], k) {
				return fmt.Errorf("%s: conductors: %s is named twice", place, k)
			}
		}
		for k := range c.Insulation {
			if !c.Has(k) {
				return fmt.Errorf("%s: insulation: it has no %s", place, k)
			}
		}
		if c.ServesPlace != nil {
			if err := c.ServesPlace.Check(); err != nil {
				return fmt.Errorf("%s: servesPlace.%w", place, err)
			}
		}
	}
	return nil
}

func (b *Box) checkDevices() error {
	if len(b.Others) > mostOthers {
		return fmt.Errorf("others: %d of them; at most %d", len(b.Others), mostOthers)
	}
	seen := map[string]bool{b.ID: true}
	for _, c := range b.Cables {
		seen[c.ID] = true
	}
	for i, v := range b.devices() {
		place := "device"
		if i > 0 || b.Device == nil {
			place = fmt.Sprintf("others[%d]", len(b.Others)-len(b.devices())+i)
		}
		if err := checkName(place+".id", v.ID); err != nil {
			return err
		}
		if seen[v.ID] {
			return fmt.Errorf("%s.id: %s is used twice", place, v.ID)
		}
		seen[v.ID] = true
		if v.Slots == 0 {
			v.Slots = 3
		}
		err := first(
			oneOf(
				place+".kind",
				v.Kind,
				DeviceKinds,
			),
			oneOf(place+".terminals", v.Terminals, terminals),
			oneOf(place+".slots", v.Slots, []int{2, 3}),
			between(
				place+".amps",
				v.Amps,
				1,
				mostAmps,
			),
			between(place+".wiresPerTerminal", v.WiresPerTerminal, 0, 4),
			between(place+".stripIn", v.StripIn, 0, 2),
			oneOf(
				place+".lineAt",
				v.LineAt,
				[]string{"", "top", "bottom"},
			),
			oneOf(place+".tab.hot", v.Tab.Hot, tabStates),
			oneOf(place+".tab.neutral", v.Tab.Neutral, tabStates),
			oneOf(
				place+".generation",
				v.Generation,
				[]circuit.Generation{circuit.Current, circuit.Legacy},
			),
			between(place+".torqueLbfIn", v.TorqueLbfIn, 0, 100),
			between(place+".gangs", v.Gangs, 0, 4),
			between(place+".depthIn", v.DepthIn, 0, 6),
			oneOf(place+".grade", v.Grade, grades),
		)
		for _, d := range v.Defects {
			err = first(err, oneOf(place+".defects", d, defects))
		}
		if err != nil {
			return err
		}
		if v.IsGFCI() && (v.Tab != circuit.Tabs{} || v.Slots == 2) {
			return fmt.Errorf("%s: a GFCI has three slots and no tab", place)
		}
	}
	return nil
}

func (b *Box) checkExisting() error {
	e := b.Existing
	if e == nil {
		return nil
	}
	if e.Kind == "" {
		e.Kind = circuit.Receptacle
	}
	if e.Slots == 0 {
		e.Slots = 3
	}
	err := first(
		oneOf(
			"existing.kind",
			e.Kind,
			[]circuit.DeviceKind{circuit.Receptacle, circuit.GFCI},
		),
		oneOf("existing.slots", e.Slots, []int{2, 3}),
		oneOf(
			"existing.terminals",
			e.Terminals,
			terminals,
		),
		oneOf("existing.tab.hot", e.Tab.Hot, tabStates),
		oneOf("existing.tab.neutral", e.Tab.Neutral, tabStates),
		oneOf(
			"existing.makeup",
			e.Makeup,
			[]circuit.Makeup{"", circuit.FeedThrough, circuit.Pigtail},
		),
		oneOf("existing.generation", e.Generation, []circuit.Generation{circuit.Current, circuit.Legacy}),
		oneOf("existing.switched", e.Switched, halves),
		oneOf("existing.plate", e.Plate, plates),
	)
	if err != nil {
		return err
	}
	for _, s := range e.Seen {
		if err := oneOf("existing.seen", s, sights); err != nil {
			return err
		}
	}
	for i, tap := range e.Taps {
		if tap.X < 0 || tap.X > 1 || tap.Y < 0 || tap.Y > 1 {
			return fmt.Errorf("existing.taps[%d]: not on the picture", i)
		}
	}
	return b.checkWiring()
}

// devices are all yokes of the finished box, the chosen one first.
func (b *Box) devices() []*Device {
	var all []*Device
	if b.Device != nil {
		all = append(all, b.Device)
	}
	for i := range b.Others {
		all = append(all, &b.Others[i])
	}
	return all
}

// IsGFCI reports whether the device is a GFCI receptacle, whatever else it trips on.
func (v *Device) IsGFCI() bool { return v.Kind == string(circuit.GFCI) || v.Kind == arcAndGround }

// onePole reports whether the device has a single terminal for each conductor,
// so that nothing is fed on through it.
func (v *Device) onePole() bool { return v.Kind == "single" || v.Kind == "usb" || v.Kind == "smart" }

// takes is how many wires a terminal takes: as marked on it, else two under a
// clamp plate and one elsewhere.
func (v *Device) takes() int {
	switch {
	case v.WiresPerTerminal > 0:
		return v.WiresPerTerminal
	case v.Terminals == clamp:
		return 2
	default:
		return 1
	}
}

// asBuilt is the device as the circuit model knows it.
func (v *Device) asBuilt() circuit.Device {
	d := circuit.Device{
		ID:         v.ID,
		Kind:       circuit.Receptacle,
		Amps:       v.Amps,
		Slots:      v.Slots,
		Tab:        v.Tab,
		Generation: v.Generation,
		Tripped:    v.Tripped,
	}
	if v.IsGFCI() {
		d.Kind = circuit.GFCI
	}
	return d
}
