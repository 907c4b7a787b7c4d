package wire

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// CubicInches is a volume, as boxes are marked with.
type CubicInches float64

// fillPerConductor is the room one conductor needs in a box.
// Source: NEC table 314.16(B)(1) (from memory).
var fillPerConductor = map[Gauge]CubicInches{18: 1.50, 16: 1.75, 14: 2.00, 12: 2.25, 10: 2.50, 8: 3.00, 6: 5.00}

// Fill is the room one conductor of the gauge needs in a box; zero for a
// gauge the table does not have.
// Source: NEC table 314.16(B)(1) (from memory).
func (g Gauge) Fill() CubicInches { return fillPerConductor[g] }

// MostAmps is the largest breaker a copper conductor of the gauge may hang on
// in a dwelling's branch circuits; zero where the rule does not speak of it.
// Source: NEC 240.4(D)(1) to (7) (from memory).
func (g Gauge) MostAmps() float64 {
	return map[Gauge]float64{18: 7, 16: 10, 14: 15, 12: 20, 10: 30}[g]
}

// MostAmpsAluminum is the same of aluminium or copper-clad aluminium, which is not
// made thinner than 12 AWG.
// Source: NEC 240.4(D)(4), (6) (from memory).
func (g Gauge) MostAmpsAluminum() float64 {
	return map[Gauge]float64{12: 15, 10: 25}[g]
}

// For is the least gauge of copper that a breaker of the amperes may feed; zero
// where none of Gauges carries it.
// Source: NEC 240.4(D) up to 10 AWG; the 60 C column of table 310.16, which
// nonmetallic-sheathed cable is held to (334.80), beyond (from memory).
func For(amps float64) Gauge {
	for _, row := range []struct {
		g    Gauge
		most float64
	}{{14, Gauge(14).MostAmps()}, {12, Gauge(12).MostAmps()}, {10, Gauge(10).MostAmps()}, {8, 40}, {6, 55}} {
		if amps <= row.most {
			return row.g
		}
	}
	return 0
}

// A MetalBox is a box of standard size. Plastic ones have their volume moulded in.
type MetalBox struct {
	Size   string      `json:"size"` // inches, as in the table
	Volume CubicInches `json:"volumeIn3"`
}

// MetalBoxes are the standard sizes.
// Source: NEC table 314.16(A) (from memory).
var MetalBoxes = []MetalBox{
	{"3 x 2 x 1 1/2", 7.5}, {"3 x 2 x 2", 10.0}, {"3 x 2 x 2 1/4", 10.5}, {"3 x 2 x 2 1/2", 12.5}, {"3 x 2 x 2 3/4", 14.0}, {"3 x 2 x 3 1/2", 18.0},
	{"4 x 2 1/8 x 1 1/2", 10.3}, {"4 x 2 1/8 x 1 7/8", 13.0}, {"4 x 2 1/8 x 2 1/8", 14.5},
	{"4 square x 1 1/4", 18.0}, {"4 square x 1 1/2", 21.0}, {"4 square x 2 1/8", 30.3},
	{"4 11/16 square x 1 1/4", 25.5}, {"4 11/16 square x 1 1/2", 29.5}, {"4 11/16 square x 2 1/8", 42.0},
}

// VolumeOf is the volume of a metal box of that size, however it is written:
// 3 x 2 x 2 3/4, 3x2x2-3/4, 3 by 2 by 2.75, 4" sq. x 1-1/2".
func VolumeOf(size string) (CubicInches, error) {
	want, ok := sidesOf(size)
	if ok {
		for _, b := range MetalBoxes {
			if have, _ := sidesOf(b.Size); have == want {
				return b.Volume, nil
			}
		}
	}
	return 0, fmt.Errorf("size %q: not among the standard metal boxes; give the volume that is marked in it", size)
}

// DepthOf is the depth of a box whose size is written like a standard one's.
func DepthOf(size string) (Inches, bool) {
	s, ok := sidesOf(size)
	return Inches(s[2]) / 16, ok
}

// sides are width, height and depth in sixteenths of an inch.
type sides [3]int

// spelled takes apart what people write together: vulgar fractions, marks of inches, what
// stands between the sides, and the hyphen before a fraction.
var spelled = strings.NewReplacer(
	"½", " 1/2", "¼", " 1/4", "¾", " 3/4", "⅛", " 1/8", "⅜", " 3/8", "⅝", " 5/8", "⅞", " 7/8", "⁄", "/",
	`"`, " ", "”", " ", "″", " ", "'", " ", ",", " ", "-", " ", "x", " x ", "×", " x ", "*", " x ", "by", " x ",
)

// sidesOf reads a size as people write it; a square box has its side once or twice.
func sidesOf(size string) (s sides, ok bool) {
	for i, r := range size { // a hyphen stands before a fraction only
		if r == '-' && (i == 0 || !strings.ContainsAny(size[i-1:i], "0123456789 ")) {
			return s, false
		}
	}
	isSquare := false
	parts := [][]string{nil}
	for _, word := range strings.Fields(spelled.Replace(strings.ToLower(size))) {
		switch strings.TrimSuffix(word, ".") {
		case "in", "inch", "inches":
		case "sq", "square":
			isSquare = true
		case "x":
			parts = append(parts, nil)
		default:
			parts[len(parts)-1] = append(parts[len(parts)-1], word)
		}
	}
	if isSquare && len(parts) == 2 {
		parts = [][]string{parts[0], parts[0], parts[1]}
	}
	if len(parts) != len(s) {
		return s, false
	}
	for i, part := range parts {
		if s[i], ok = sixteenths(part); !ok {
			return s, false
		}
	}
	return s, true
}

// sixteenths are those of an inch in 2, 2 3/4, 3/4, 2.75 or .75.
func sixteenths(words []string) (n int, ok bool) {
	for i, word := range words {
		over, under, fraction := strings.Cut(word, "/")
		if strings.ContainsAny(word, "+e") || i > 0 && !fraction || i > 1 {
			return 0, false
		}
		a, err := strconv.ParseFloat(over, 64)
		b := 1.0
		if err == nil && fraction {
			b, err = strconv.ParseFloat(under, 64)
		}
		if err != nil || b <= 0 || a < 0 || a > 1000 {
			return 0, false
		}
		n += int(math.Round(16 * a / b))
	}
	return n, len(words) > 0
}
