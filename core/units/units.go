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
	"regexp"
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

// A number as the trade writes it: 14, 20.3, 1/4, 2 1/2.
const number = `(?:\d+/\d+|\d+(?:[.,]\d+)?(?: \d+/\d+)?)`

// Numbers of one unit may stand together: 14 to 18, 9 + 4.5 = 13.5, 18.5 of 14.
var said = regexp.MustCompile(
	`(` + number + `(?: (?:to|a|of|\+|=) ` + number + `)*)` +
		Join + `(ft|pies|pie|in³|pulg³|in|pulg|lbf[ ` + Join + `](?:in|pulg))`,
)

var oneNumber = regexp.MustCompile(`\d+ \d+/\d+|\d+/\d+|\d+(?:[.,]\d+)?`)

// named are the words for the units in the languages of the program.
func named(word string) string {
	switch {
	case strings.HasPrefix(word, "lbf"):
		return Torque
	case word == "in³" || word == "pulg³":
		return CubicInch
	case word == "ft" || strings.HasPrefix(word, "pie"):
		return Foot
	}
	return Inch
}

// Say turns the quantities of a sentence into the system's. A torque keeps the US figure,
// since drivers are marked in it, and has newton metres beside.
func (s System) Say(text string) string {
	if s != Metric || !strings.Contains(text, Join) {
		return text
	}
	return said.ReplaceAllStringFunc(text, func(q string) string {
		parts := said.FindStringSubmatch(q)
		unit := named(parts[2])
		name := unit
		numbers := oneNumber.ReplaceAllStringFunc(parts[1], func(n string) string {
			var v float64
			v, name = InMetric(valueOf(n), unit)
			return strconv.FormatFloat(Shown(v, name), 'f', -1, 64)
		})
		metric := numbers + Join + name
		if unit == Torque {
			return q + " (" + metric + ")"
		}
		return metric
	})
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
