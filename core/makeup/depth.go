package makeup

import (
	"fmt"
	"slices"

	"elvat/core/nec"
	"elvat/core/wire"
)

// Surfaces of a wall that burn, and those that the rule on gaps speaks of.
// Source: NEC 314.20, 314.21 (from memory).
var (
	burns    = []string{"wood"}
	repaired = []string{"gypsum", "plaster"}
)

// recessed reports whether the box sits deeper behind the face than it may; it is then
// brought flush by an extender, and no spacer is wanted.
func (b *Box) recessed() bool {
	e := &b.Box
	if e.SetbackIn == nil {
		return false
	}
	return *e.SetbackIn > nec.MostSetback || slices.Contains(burns, e.Wall) && *e.SetbackIn > 0
}

// spacers is how many spacers bring the yoke out to the face: where an extender brings
// the box flush, none.
func (b *Box) spacers() int {
	if b.Box.SetbackIn == nil || *b.Box.SetbackIn <= 0 || b.recessed() {
		return 0
	}
	return max(0, Layers(*b.Box.SetbackIn)-b.Box.LayersOut)
}

// depth holds the box's front edge against the face of the wall, and what is chosen
// against the room behind it.
func (l *look) depth() {
	e := &l.b.Box
	if e.SetbackIn != nil && *e.SetbackIn > 0 && e.Wall == "" {
		l.ask("box.wall", "What is the wall's surface: gypsum, plaster, tile, wood, masonry? In wood the box is flush.")
	}
	if l.b.recessed() {
		l.code(nec.Setback, Finding{
			Code: "box-recessed", Severity: Must, At: []string{l.b.ID},
			Text: fmt.Sprintf("The box sits %g\u00a0in behind the %s face.", *e.SetbackIn, nameOfWall(e.Wall)),
			Fix:  "A box extender brings it flush; the yoke then bears on it, and takes no spacers.",
		})
	}
	for _, v := range l.b.devices() {
		l.behindYoke(v)
	}
}

// DeviceDepth is how far a device of the kind reaches behind its yoke, in inches, where
// its own is not told. Assumption: usual ones.
func DeviceDepth(kind string) wire.Inches {
	switch kind {
	case "gfci", "smart", arcAndGround:
		return 1.5
	case "usb":
		return 1.7
	default:
		return 1.0
	}
}

// foldIn is the room that folded wires want behind a device. Assumption.
const foldIn wire.Inches = 0.75

// behindYoke computes the room behind a device.
func (l *look) behindYoke(v *Device) {
	e := &l.b.Box
	var deep wire.Inches
	switch {
	case e.DepthIn != nil:
		deep = *e.DepthIn
	case e.Size != "":
		var ok bool
		if deep, ok = wire.DepthOf(e.Size); !ok {
			return
		}
	default:
		return
	}
	if e.SetbackIn != nil && *e.SetbackIn > 0 {
		deep += *e.SetbackIn // the extender, or the air that the spacers bridge
	}
	needs := v.DepthIn
	if needs == 0 {
		needs = DeviceDepth(v.Kind)
	}
	room := deep - needs
	if room >= foldIn {
		return
	}
	f := Finding{
		Code: "box-shallow", Severity: Should, At: []string{v.ID},
		Text: fmt.Sprintf("Behind the %s %.2g\u00a0in of %.2g\u00a0in are left for the wires; they want %.2g\u00a0in.", v.Words(), max(room, 0), deep, foldIn),
		Fix:  "A low-profile GFCI or a shallow device, or a deeper box.",
	}
	if room < 0 {
		f.Severity = Must
		f.Text = fmt.Sprintf("The %s is %.2g\u00a0in deep behind its yoke, and the box has %.2g\u00a0in.", v.Words(), needs, deep)
	}
	l.trade(f)
}

// gap is what stands open round the box.
func (l *look) gap() {
	e := &l.b.Box
	if e.GapIn == nil || *e.GapIn <= nec.MostGap {
		return
	}
	plate, fits := PlateFor(*e.GapIn)
	covers := "; no plate covers it."
	if fits {
		covers = fmt.Sprintf("; a %s plate covers what is left.", plate.Name)
	}
	f := Finding{
		Code: "wall-gap", At: []string{l.b.ID},
		Text: fmt.Sprintf("A gap of %g\u00a0in is open round the box.", *e.GapIn),
	}
	if e.Wall == "" {
		l.ask("box.wall", "What is the wall's surface: gypsum, plaster, tile, wood, masonry? The rule on gaps is of plaster, drywall and plasterboard.")
	}
	if e.Wall == "" || slices.Contains(repaired, e.Wall) {
		f.Severity, f.Fix = Must, "Fill it with patching compound"+covers
		l.code(nec.Gap, f)
		return
	}
	f.Severity = Should
	f.Fix = "Grout or a non-shrinking filler round it" + covers
	if slices.Contains(burns, e.Wall) {
		f.Fix = "No rule on gaps in panelling: let in a strip of the panelling, or set a box or extender that fills the cut, so that nothing that burns stands open to the wires" + covers
	}
	l.trade(f)
}

func nameOfWall(wall string) string {
	if wall == "" {
		return "wall's"
	}
	return wall
}

// A Plate is a size of wall plate for one device.
type Plate struct {
	Name   string      `json:"name"`
	Width  wire.Inches `json:"widthIn"`
	Height wire.Inches `json:"heightIn"`
}

// Plates are the usual sizes, smallest first. Values from memory.
var Plates = []Plate{{"standard", 2.75, 4.5}, {"medium", 3.125, 4.875}, {"large", 3.5, 5.25}}

// openingWidth and openingHeight are of a single box's opening. Assumption.
const (
	openingWidth  wire.Inches = 2.25
	openingHeight wire.Inches = 3.75
)

// PlateFor is the smallest plate that covers a gap all round a single box.
func PlateFor(gap wire.Inches) (Plate, bool) {
	for _, p := range Plates {
		if openingWidth+2*gap <= p.Width && openingHeight+2*gap <= p.Height {
			return p, true
		}
	}
	return Plate{}, false
}

// layerIn is the thickness of one spacer. Assumption.
const layerIn wire.Inches = 1.0 / 16

// Layers is how many spacers bring a yoke out by the setback.
func Layers(setback wire.Inches) int {
	n := 0
	for wire.Inches(n)*layerIn < setback-1e-9 {
		n++
	}
	return n
}
