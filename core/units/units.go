// Package units says lengths, volumes and torques in US units, and says the same in
// metric ones for a shop that works so.
//
// Everything is reckoned and kept in feet, inches, cubic inches and pound-force inches. A
// quantity that is said joins its number to its unit by a no-break space; nothing else
// does. So a sentence is turned into metric where it leaves the program, once, and what
// people typed is left as it is. Wire stays in AWG, and the names of parts are names.
package units

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// A System is what a shop's screens and papers measure in.
type System string

// The systems. US units are the usual ones: the trade's tables, rules and parts are in them.
const (
	US     System = ""
	Metric System = "metric"
)

// Check reports a system that is none of them.
func (s System) Check() error {
	if s != US && s != Metric {
		return fmt.Errorf("units: %q is neither metric nor, empty, US", s)
	}
	return nil
}

// Join is the no-break space between a number and its unit.
const Join = "\u00a0"

// Of says so much of a unit.
func Of(value float64, unit string) string {
	return strconv.FormatFloat(value, 'g', 6, 64) + Join + unit
}

// The units as they are said.
const (
	Foot      = "ft"
	Inch      = "in"
	CubicInch = "in³"
	Torque    = "lbf in" // its own space may be either kind
)

// What a US unit is in metric ones, by definition: the inch is 25.4 mm, the pound-force
// 4.4482216152605 N (NIST SP 811, appendix B).
const (
	metresInFoot      = 0.3048
	mmInInch          = 25.4
	cm3InCubicInch    = mmInInch * mmInInch * mmInInch / 1000
	newtonMetresInLbf = 4.4482216152605 * 0.0254
)

// InMetric is the metric value of so much of a US unit, with the unit's name; of another unit, itself.
func InMetric(value float64, unit string) (float64, string) {
	switch unit {
	case Foot:
		return value * metresInFoot, "m"
	case Inch:
		return value * mmInInch, "mm"
	case CubicInch:
		return value * cm3InCubicInch, "cm³"
	case Torque:
		return value * newtonMetresInLbf, "N·m"
	}
	return value, unit
}

// Shown rounds a metric value as it is written: metres to a tenth, millimetres and cubic
// centimetres to a whole one, small ones to a tenth (as the metric columns of NEC tables
// 314.16(A) and (B) do), newton metres to a tenth.
func Shown(value float64, unit string) float64 {
	step := 0.1
	switch {
	case unit == "mm" && math.Abs(value) >= 10, unit == "cm³" && math.Abs(value) >= 100:
		step = 1
	case unit == "m" && math.Abs(value) < 1, unit == "N·m" && math.Abs(value) < 1:
		step = 0.01
	}
	rounded := math.Round(value/step+1e-9) * step
	return math.Round(rounded*1000) / 1000
}

// said are the words for the units in the languages of the program, the longest first.
var said = []struct{ word, unit string }{
	{"pulg³", CubicInch}, {"in³", CubicInch}, {"lbf pulg", Torque}, {"lbf in", Torque}, {"pies", Foot}, {"pie", Foot}, {"pulg", Inch}, {"ft", Foot}, {"in", Inch},
}

// between are the words that may stand between numbers of one unit: 14 to 18, 9 + 4.5 = 13.5, 18.5 of 14.
var between = []string{"to", "a", "of", "+", "="}

// Say turns the quantities of a sentence into the system's. A torque keeps the US figure,
// since drivers are marked in it, and has newton metres beside.
func (s System) Say(text string) string {
	if s != Metric {
		return text
	}
	var out strings.Builder
	for {
		before, after, found := strings.Cut(text, Join)
		word, unit := unitOf(after)
		if !found || word == "" {
			if out.WriteString(before); !found {
				return out.String()
			}
			out.WriteString(Join)
			text = after
			continue
		}
		text = after[len(word):]
		at := numbersAt(before)
		if at == len(before) { // no number: it is left as it is
			out.WriteString(before + Join + word)
			continue
		}
		numbers, name := metric(before[at:], unit)
		out.WriteString(before[:at])
		if unit == Torque {
			out.WriteString(before[at:] + Join + word + " (" + numbers + Join + name + ")")
		} else {
			out.WriteString(numbers + Join + name)
		}
	}
}

// unitOf is the unit that the text begins with, and how it is written; "" for none.
func unitOf(text string) (word, unit string) {
	for _, s := range said {
		rest, ok := strings.CutPrefix(strings.Replace(text, Join, " ", 1), s.word)
		if !ok || rest != "" && isLetter(rest[0]) {
			continue
		}
		// The space within a torque may be of either kind.
		if n := strings.IndexByte(s.word, ' '); n >= 0 && strings.HasPrefix(text[n:], Join) {
			return text[:len(s.word)+len(Join)-1], s.unit
		}
		if strings.HasPrefix(text, s.word) {
			return s.word, s.unit
		}
	}
	return "", ""
}

func isLetter(b byte) bool { return b >= 'a' && b <= 'z' || b >= 'A' && b <= 'Z' || b >= 0x80 }

// numbersAt is where the numbers of one unit begin that the text ends with; its end where
// there is none.
func numbersAt(text string) int {
	at := numberAt(text, len(text))
	if at == len(text) {
		return at
	}
	for {
		rest, found := text[:at], false
		for _, word := range between {
			if head, ok := strings.CutSuffix(rest, " "+word+" "); ok {
				if n := numberAt(text, len(head)); n < len(head) {
					at, found = n, true
					break
				}
			}
		}
		if !found {
			return at
		}
	}
}

// numberAt is where a number begins that ends at the place: 14, 20.3, 1/4, 2 1/2.
func numberAt(text string, end int) int {
	digits := func(from int) int {
		for from > 0 && text[from-1] >= '0' && text[from-1] <= '9' {
			from--
		}
		return from
	}
	at := digits(end)
	if at == end || at == 0 {
		return at
	}
	switch text[at-1] {
	case '.', ',':
		if n := digits(at - 1); n < at-1 {
			return n
		}
	case '/':
		n := digits(at - 1)
		if n == at-1 {
			return end
		}
		if n > 0 && text[n-1] == ' ' { // 2 1/2
			if whole := digits(n - 1); whole < n-1 {
				return whole
			}
		}
		return n
	}
	return at
}

// metric is the row of numbers in the metric unit that stands for theirs.
func metric(numbers, unit string) (text, name string) {
	for numbers != "" {
		at := numberAt(numbers, len(numbers))
		var v float64
		v, name = InMetric(valueOf(numbers[at:]), unit)
		text = strconv.FormatFloat(Shown(v, name), 'f', -1, 64) + text
		numbers = numbers[:at]
		for _, word := range between {
			if head, ok := strings.CutSuffix(numbers, " "+word+" "); ok {
				text, numbers = " "+word+" "+text, head
				break
			}
		}
	}
	return text, name
}

// valueOf reads a number that said found; it cannot fail.
func valueOf(n string) float64 {
	whole, fraction, mixed := strings.Cut(n, " ")
	if !mixed {
		if !strings.Contains(n, "/") {
			v, _ := strconv.ParseFloat(strings.Replace(n, ",", ".", 1), 64)
			return v
		}
		whole, fraction = "0", n
	}
	a, b, _ := strings.Cut(fraction, "/")
	w, _ := strconv.ParseFloat(whole, 64)
	over, _ := strconv.ParseFloat(a, 64)
	under, _ := strconv.ParseFloat(b, 64)
	if under == 0 {
		return w
	}
	return w + over/under
}
