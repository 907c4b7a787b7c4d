package wire

import "fmt"

// SquareInches is an area, as conduit and wire are tabled by.
type SquareInches float64

// Tubing is a kind of conduit.
type Tubing string

// Kinds of conduit that branch circuits of dwellings are laid in.
const (
	EMT Tubing = "emt" // electrical metallic tubing
	PVC Tubing = "pvc" // rigid, schedule 40
)

// Tubings in the order in which they are offered.
var Tubings = []Tubing{EMT, PVC}

// A TradeSize is a conduit as it is asked for: its name, its inner area, and what a hand
// bender takes up in a 90-degree bend.
type TradeSize struct {
	Name   string       `json:"name"`
	Inside SquareInches `json:"insideIn2"`
	TakeUp Inches       `json:"takeUpIn,omitempty"` // of hand benders for EMT; the bender's own is marked on it. Zero: none is bent by hand
}

// sizes, least first.
// Source: NEC chapter 9 table 4, EMT and rigid PVC schedule 40, total area; take-up as it is
// usual on hand benders (all from memory).
var sizes = map[Tubing][]TradeSize{
	EMT: {{"1/2", 0.304, 5}, {"3/4", 0.533, 6}, {"1", 0.864, 8}, {"1 1/4", 1.496, 11}, {"1 1/2", 2.036, 0}, {"2", 3.356, 0}},
	PVC: {{"1/2", 0.285, 0}, {"3/4", 0.508, 0}, {"1", 0.832, 0}, {"1 1/4", 1.453, 0}, {"1 1/2", 1.986, 0}, {"2", 3.291, 0}},
}

// Sizes are the trade sizes of the kind, least first.
func (t Tubing) Sizes() []TradeSize { return sizes[t] }

// insulated are the areas of wires with their insulation.
// Source: NEC chapter 9 table 5, THHN, THWN, THWN-2 (from memory).
var insulated = map[Gauge]SquareInches{14: 0.0097, 12: 0.0133, 10: 0.0211, 8: 0.0366, 6: 0.0507}

// Insulated is the area of a wire of the gauge with thin insulation (THHN, THWN-2); zero
// for a gauge the table does not have.
// Source: NEC chapter 9 table 5 (from memory).
func (g Gauge) Insulated() SquareInches { return insulated[g] }

// MostFill is the share of a conduit's inside that so many wires or cables may take.
// Source: NEC chapter 9 table 1 (from memory).
func MostFill(wires int) float64 {
	switch {
	case wires <= 1:
		return 0.53
	case wires == 2:
		return 0.31
	default:
		return 0.40
	}
}

// Least is the least trade size of the kind that takes wires of these areas, and how much of
// its inside they fill; an error where none does.
func (t Tubing) Least(areas []SquareInches) (TradeSize, float64, error) {
	var sum SquareInches
	for _, a := range areas {
		sum += a
	}
	for _, s := range t.Sizes() {
		if fill := float64(sum / s.Inside); fill <= MostFill(len(areas))+1e-9 {
			return s, fill, nil
		}
	}
	return TradeSize{}, 0, fmt.Errorf("%d wires of %.3f in² together: no %s up to 2 in takes them", len(areas), float64(sum), t)
}

// widths are the wider diameters of flat two-wire cable with ground, in inches.
// Usual figures of the trade, from memory: the cable in hand is measured.
var widths = map[string]map[Gauge]Inches{
	"NM": {14: 0.36, 12: 0.42, 10: 0.50, 8: 0.61, 6: 0.70},
	"UF": {14: 0.40, 12: 0.46, 10: 0.54, 8: 0.66, 6: 0.75},
}

// CableArea is what a flat cable counts as in a conduit: a circle of its wider diameter.
// Source: NEC chapter 9, note 9 (from memory); zero for a cable the table does not have.
func CableArea(kind string, g Gauge) SquareInches {
	d := float64(widths[kind][g])
	return SquareInches(3.141592653589793 / 4 * d * d)
}
