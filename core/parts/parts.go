// Package parts is the one catalogue of what a make-up uses up and what has to be carried
// for it: van stock, what to take along, what was used and what the report says all name
// the same things.
package parts

import (
	"fmt"
	"slices"
	"strings"

	"elvat/core/wire"
)

// A Group is a kind of part.
type Group string

// Groups in the order in which they are listed.
const (
	Device   Group = "device"
	Breaker  Group = "breaker"
	Box      Group = "box"
	Plate    Group = "plate"
	Splice   Group = "splice"
	Wire     Group = "wire"
	Hardware Group = "hardware"
	Marking  Group = "marking"
	Tool     Group = "tool" // carried, not used up
)

// Groups lists them.
var Groups = []Group{Device, Breaker, Box, Plate, Splice, Wire, Hardware, Marking, Tool}

// An Item is one thing, as it is asked for over a counter. Its code stays, however it is
// worded.
type Item struct {
	Code  string  `json:"code"`
	Words string  `json:"words"`
	Unit  string  `json:"unit"` // "", or ft
	Group Group   `json:"group"`
	Usual float64 `json:"usual"` // dollars a unit. Assumption, all of them
}

// Lever, PushInSplice, Twisted and BothMetals are connectors by the wires they take.
func Lever(wires int) Item {
	return Item{fmt.Sprintf("lever-%d", wires), fmt.Sprintf("lever, %d-wire", wires), "", Splice, 0.6}
}

// PushInSplice takes solid wires without a tool.
func PushInSplice(wires int) Item {
	return Item{fmt.Sprintf("push-in-splice-%d", wires), fmt.Sprintf("push-in splice, %d-wire", wires), "", Splice, 0.3}
}

// Twisted is turned on over wires of the gauge: how many of which it takes is on its listing.
func Twisted(wires int, gauge wire.Gauge) Item {
	return Item{
		fmt.Sprintf("twisted-%d-awg%d", wires, gauge), fmt.Sprintf("twisted, listed for %d wires of %d AWG", wires, gauge), "", Splice, 0.2,
	}
}

// BothMetals may join aluminium with copper.
// Source: NEC 110.14(B) (from memory).
func BothMetals(wires int) Item {
	return Item{
		fmt.Sprintf("aluminium-copper-%d", wires), fmt.Sprintf("connector listed for aluminium with copper, %d-wire", wires), "", Splice, 4,
	}
}

// Cap closes one wire's end.
var Cap = Item{"cap", "cap", "", Splice, 0.2}

// Jumper is single wire by gauge and colour.
func Jumper(g wire.Gauge, colour string) Item {
	return Item{fmt.Sprintf("wire-%d-%s", g, colour), fmt.Sprintf("%d AWG %s", g, colour), "ft", Wire, 0.4}
}

// Cable is bought by the foot; wires counts what is not the ground.
func Cable(kind string, g wire.Gauge, wires int) Item {
	return Item{
		fmt.Sprintf("cable-%s-%d-%d", strings.ToLower(kind), g, wires), fmt.Sprintf("%s cable %d-%d with ground", kind, g, wires), "ft", Wire, 1,
	}
}

// A Face is what a plate has to leave open.
type Face string

// Faces of devices.
const (
	Duplex      Face = "duplex"
	Rectangular Face = "rectangular"
	Single      Face = "single"
	Toggle      Face = "toggle"
)

// WallPlate is by gangs, faces and size: standard, medium, large.
func WallPlate(faces []Face, size string) Item {
	if len(faces) == 1 && faces[0] == Duplex && size == "standard" {
		return Item{"plate-1-duplex-standard", "wall plate", "", Plate, 1.5} // what is meant where nothing is said
	}
	seen := slices.Compact(slices.Sorted(slices.Values(faces)))
	names := make([]string, len(seen))
	for i, f := range seen {
		names[i] = string(f)
	}
	return Item{
		fmt.Sprintf("plate-%d-%s-%s", len(faces), strings.Join(names, "-"), size),
		fmt.Sprintf("wall plate, %d-gang, %s, %s", len(faces), strings.Join(names, " and "), size), "", Plate, 1.5 * float64(len(faces)),
	}
}

// Cover goes over an outlet in a damp or a wet place.
func Cover(kind string, gangs int) Item {
	words := "weatherproof cover that closes"
	if kind == "in-use" {
		words = "in-use cover, extra duty"
	}
	return Item{fmt.Sprintf("cover-%s-%d", kind, gangs), fmt.Sprintf("%s, %d-gang", words, gangs), "", Plate, 16}
}

// NewBox is one with room enough.
func NewBox(in3 wire.CubicInches, material string) Item {
	return Item{fmt.Sprintf("box-%s-%g", material, in3), fmt.Sprintf("%s box, %g\u00a0in³ or more", material, in3), "", Box, 6}
}

// Extension adds room in front of a box.
func Extension(in3 wire.CubicInches) Item {
	return Item{fmt.Sprintf("extension-%g", in3), fmt.Sprintf("extension ring or surface box that adds %g\u00a0in³", in3), "", Box, 6}
}

// Extender brings a box flush with the wall's face.
func Extender(gangs int) Item {
	return Item{fmt.Sprintf("extender-%d", gangs), fmt.Sprintf("box extender, %d-gang", gangs), "", Box, 5}
}

// screwLengths are those that 6-32 device screws are sold in, in inches. From memory.
var screwLengths = []wire.Inches{0.75, 1, 1.25, 1.5, 2, 2.5, 3}

// inBox is the thread that a device screw wants in the box, and what yoke and plate take of
// it. Assumption.
const inBox wire.Inches = 0.75

// DeviceScrew is long enough to reach a box that sits so far behind; false where none is.
func DeviceScrew(behind wire.Inches) (Item, bool) {
	for _, in := range screwLengths {
		if in >= behind+inBox-1e-9 {
			return Item{fmt.Sprintf("screw-6-32-%g", in), fmt.Sprintf("device screw 6-32 x %s\u00a0in", Fraction(float64(in))), "", Hardware, 0.1}, true
		}
	}
	return Item{}, false
}

// What has no sizes.
var (
	GroundScrew = Item{"ground-screw", "ground screw, 10-32", "", Hardware, 0.2}
	Spacer      = Item{"spacer", "spacer, 1/16\u00a0in", "", Hardware, 0.1}
	BoxScrew    = Item{"box-screw", "screw for the box, into the stud", "", Hardware, 0.1}
	Compound    = Item{"compound", "patching compound", "", Hardware, 4}
	Filler      = Item{"filler", "non-shrinking filler or grout", "", Hardware, 6}
	Sleeve      = Item{"sleeve", "insulating sleeve", "ft", Hardware, 0.5}
	Tape        = Item{"tape", "insulating tape", "", Hardware, 1}
	Label       = Item{"marking-label", "marking label", "", Marking, 0.5}
	WireLabel   = Item{"wire-label", "label for a wire", "", Marking, 0.1}
	ColourTape  = Item{"colour-tape", "tape to re-mark colours", "", Marking, 1}

	Testers     = Item{"testers", "plug tester, meter and non-contact sensor", "", Tool, 0}
	Lock        = Item{"lock", "breaker lock and tag", "", Tool, 0}
	TestLamp    = Item{"test-lamp", "test lamp", "", Tool, 0}
	Screwdriver = Item{"screwdriver", "screwdrivers", "", Tool, 0}
	Knife       = Item{"knife", "knife to score paint", "", Tool, 0}
	Pliers      = Item{"pliers", "pliers", "", Tool, 0}
	Stripper    = Item{"stripper", "wire stripper", "", Tool, 0}
	Torque      = Item{"torque-driver", "torque driver", "", Tool, 0}
	Camera      = Item{"camera", "camera", "", Tool, 0}
	Ohmmeter    = Item{"ohmmeter", "ohmmeter with a long lead", "", Tool, 0}
	Tap         = Item{"tap-10-32", "10-32 tap", "", Tool, 0}
	Driver      = Item{"level", "small level", "", Tool, 0}
)

// Conduit is bought by the foot, in sticks of ten; what belongs to it goes by its size.
func Conduit(kind wire.Tubing, size string) Item {
	return Item{conduit("conduit", kind, size), fmt.Sprintf("%s %s\u00a0in", tubing[kind], size), "ft", Wire, 0.9}
}

// ConduitPart is a connector, coupling, strap, elbow, bushing or body of conduit.
func ConduitPart(what string, kind wire.Tubing, size string) Item {
	usual := map[string]float64{"connector": 0.8, "coupling": 0.7, "strap": 0.4, "elbow": 2, "body": 7, "bushing": 0.5}[what]
	if what == "body" {
		return Item{conduit(what, kind, size), fmt.Sprintf("conduit body, %s %s\u00a0in", tubing[kind], size), "", Hardware, usual}
	}
	return Item{conduit(what, kind, size), fmt.Sprintf("%s, %s %s\u00a0in", what, tubing[kind], size), "", Hardware, usual}
}

var tubing = map[wire.Tubing]string{wire.EMT: "EMT", wire.PVC: "PVC conduit"}

func conduit(what string, kind wire.Tubing, size string) string {
	return fmt.Sprintf("%s-%s-%s", what, kind, strings.NewReplacer("/", "-", " ", "-").Replace(size))
}

// What a new run is fastened and closed with.
var (
	Staple         = Item{"staple", "insulated cable staple", "", Hardware, 0.1}
	SteelPlate     = Item{"steel-plate", "steel plate to guard a cable, 1/16\u00a0in", "", Hardware, 0.6}
	PanelConnector = Item{"panel-connector", "cable connector for a knockout", "", Hardware, 0.8}
	Anchor         = Item{"anchor", "screw and masonry anchor", "", Hardware, 0.3}
	RunningBoard   = Item{"running-board", "running board or guard strip", "ft", Hardware, 1.2}
	RaisedCover    = Item{"raised-cover", "raised cover for a square metal box, for its device", "", Plate, 3}
	BlankPlate     = Item{"blank-plate", "blank plate", "", Plate, 1.5}
	DirectoryLabel = Item{"directory-label", "label for the panel", "", Marking, 0.2}
	Sealant        = Item{"sealant", "sealant for the siding", "", Hardware, 6}
	FireSealant    = Item{"fire-sealant", "fire-rated sealant for bored plates", "", Hardware, 9}

	Drill     = Item{"drill", "drill and bits for the framing", "", Tool, 0}
	FishTape  = Item{"fish-tape", "fish tape and rods", "", Tool, 0}
	Bender    = Item{"bender", "hand bender", "", Tool, 0}
	Saw       = Item{"saw", "saw for the wall or the conduit", "", Tool, 0}
	HammerBit = Item{"hammer-drill", "hammer drill and masonry bits", "", Tool, 0}
)

// An Outlet is a receptacle as it is bought: by kind (receptacle, gfci, single, usb,
// smart, afci-gfci), amperes, slots, grade and what it is listed for.
type Outlet struct {
	Kind     string
	Amps     float64
	TwoSlot  bool
	Heavy    bool
	Tamper   bool
	Weather  bool
	Aluminum bool
}

var outlets = map[string]struct {
	words string
	usual float64
}{
	"gfci": {"GFCI receptacle", 24}, "receptacle": {"duplex receptacle", 4}, "single": {"single receptacle", 5},
	"usb": {"receptacle with USB", 28}, "smart": {"smart receptacle", 35},
	"afci-gfci": {"AFCI/GFCI receptacle", 45},
}

// Item is the outlet with its code and words.
func (o Outlet) Item() Item {
	code := fmt.Sprintf("%s-%s", o.Kind, strings.ReplaceAll(Fraction(o.Amps), " ", "-"))
	words := fmt.Sprintf("%g A %s", o.Amps, outlets[o.Kind].words)
	for _, row := range []struct {
		is          bool
		code, words string
	}{
		{o.Heavy, "heavy", "heavy-duty"}, {o.TwoSlot, "two-slot", "two-slot"}, {o.Tamper, "tr", "tamper-resistant"}, {o.Weather, "wr", "weather-resistant"},
		{o.Aluminum, "al", "listed for aluminium"},
	} {
		if row.is {
			code, words = code+"-"+row.code, words+", "+row.words
		}
	}
	usual := outlets[o.Kind].usual
	switch {
	case o.TwoSlot:
		usual++
	case o.Weather:
		usual += 4
	}
	return Item{code, words, "", Device, usual}
}

// NewBreaker is one by amperes, poles and what it protects from.
func NewBreaker(amps float64, poles int, protects string) Item {
	code, words, price := fmt.Sprintf("breaker-%g-%d", amps, poles), "", 12.0
	if protects != "" {
		code += "-" + strings.ToLower(strings.ReplaceAll(protects, " and ", "-"))
		words, price = protects+" ", 55
	}
	return Item{code, fmt.Sprintf("%g A %d-pole %sbreaker, as the panel's label lists it", amps, poles, words), "", Breaker, price}
}

// Fraction writes inches as they stand on a rule.
func Fraction(inches float64) string {
	whole, rest := int(inches), int(inches*16+0.5)%16
	if inches*16+0.5 >= float64(16*(whole+1)) {
		whole, rest = whole+1, 0
	}
	of := 16
	for rest > 0 && rest%2 == 0 {
		rest, of = rest/2, of/2
	}
	switch {
	case rest == 0:
		return fmt.Sprint(whole)
	case whole == 0:
		return fmt.Sprintf("%d/%d", rest, of)
	default:
		return fmt.Sprintf("%d %d/%d", whole, rest, of)
	}
}

// Catalogue lists what a shop usually carries and can put a price on, by group. What is
// made to measure, a box of so many cubic inches, is priced as its kind.
func Catalogue() []Item {
	all := []Item{
		Cap, GroundScrew, Spacer, BoxScrew, Compound, Filler, Sleeve, Tape, Label, WireLabel, ColourTape,
		WallPlate([]Face{Duplex}, "standard"), WallPlate([]Face{Rectangular}, "standard"), WallPlate([]Face{Rectangular}, "large"),
		Cover("in-use", 1), Cover("closing", 1), Extender(1), Extender(2), NewBox(22.5, "plastic"),
		NewBreaker(15, 1, ""), NewBreaker(20, 1, ""), NewBreaker(15, 1, "AFCI"), NewBreaker(20, 1, "AFCI"), NewBreaker(20, 1, "GFCI"),
		Cable("NM", 14, 2), Cable("NM", 12, 2), Cable("NM", 12, 3),
	}
	for _, amps := range []float64{15, 20} {
		for _, kind := range []string{"receptacle", "gfci"} {
			o := Outlet{Kind: kind, Amps: amps, Tamper: true}
			all = append(all, o.Item())
			o.Weather = true
			all = append(all, o.Item())
		}
		heavy := Outlet{Kind: "receptacle", Amps: amps, Tamper: true, Heavy: true}
		all = append(all, heavy.Item(), Outlet{Kind: "afci-gfci", Amps: amps, Tamper: true}.Item(), Outlet{Kind: "single", Amps: amps, Tamper: true}.Item())
	}
	all = append(all,
		Outlet{Kind: "receptacle", Amps: 15, TwoSlot: true}.Item(), Outlet{Kind: "usb", Amps: 20, Tamper: true}.Item(),
		Outlet{Kind: "smart", Amps: 15, Tamper: true}.Item(),
	)
	for _, n := range []int{2, 3, 5} {
		all = append(all, Lever(n), PushInSplice(n), BothMetals(n))
	}
	for _, g := range []wire.Gauge{14, 12} {
		for _, colour := range []string{"black", "red", "white", "green", "bare"} {
			all = append(all, Jumper(g, colour))
		}
		all = append(all, Twisted(2, g), Twisted(3, g), Twisted(4, g))
	}
	for _, in := range []wire.Inches{0, 0.5, 1} {
		if s, ok := DeviceScrew(in); ok {
			all = append(all, s)
		}
	}
	all = append(all, Staple, SteelPlate, PanelConnector, Anchor, RunningBoard, RaisedCover, BlankPlate, DirectoryLabel, Sealant, FireSealant)
	for _, kind := range wire.Tubings {
		all = append(all, Conduit(kind, "1/2"), Conduit(kind, "3/4"))
		for _, what := range []string{"connector", "coupling", "strap", "bushing", "body"} {
			all = append(all, ConduitPart(what, kind, "1/2"), ConduitPart(what, kind, "3/4"))
		}
	}
	all = append(all, ConduitPart("elbow", wire.PVC, "1/2"), ConduitPart("elbow", wire.PVC, "3/4"))
	all = append(all, NewBreaker(15, 1, "AFCI and GFCI"), NewBreaker(20, 1, "AFCI and GFCI"), Cable("NM", 10, 2), Cable("UF", 12, 2))
	slices.SortStableFunc(all, func(a, b Item) int { return slices.Index(Groups, a.Group) - slices.Index(Groups, b.Group) })
	return all
}
