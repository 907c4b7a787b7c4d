// Package wire holds what the published tables say of building wire: diameters
// and resistances of solid copper by gauge.
package wire

import (
	"fmt"
	"math"
	"slices"
)

// A Gauge is an American Wire Gauge number of a solid copper conductor.
type Gauge int

// Gauges are the sizes a dwelling's branch circuits are wired in, thinnest first.
var Gauges = []Gauge{18, 16, 14, 12, 10, 8, 6}

// Check reports a gauge that building wire is not made in.
func (g Gauge) Check() error {
	if slices.Contains(Gauges, g) {
		return nil
	}
	return fmt.Errorf("%d AWG is no building wire: use one of %v", int(g), Gauges)
}

// Inches is a length in inches.
type Inches float64

// Celsius is a temperature.
type Celsius float64

// Temperatures at which conductors are judged.
const (
	// AsMeasured is the temperature of a conductor at ordinary use, at which
	// readings are predicted. Assumption.
	AsMeasured Celsius = 25
	// AsTabled is the temperature of NEC chapter 9 table 8, used for
	// voltage-drop sums.
	AsTabled Celsius = 75
)

// Properties of annealed copper at 20 C, 100 % IACS (ASTM B258, B3; from memory).
const (
	ohmCircularMilPerFoot  = 10.371
	temperatureCoefficient = 0.00393 // per kelvin, at 20 C
)

// Diameter is the diameter of the bare conductor.
// Source: ASTM B258, 0.005 in x 92^((36-n)/39).
func (g Gauge) Diameter() Inches {
	return Inches(0.005 * math.Pow(92, float64(36-int(g))/39))
}

// CircularMils is the area of the conductor: the square of its diameter in
// thousandths of an inch.
func (g Gauge) CircularMils() float64 {
	mils := float64(g.Diameter()) * 1000
	return mils * mils
}

// OhmsPerFoot is the resistance of one foot of the conductor at the temperature t.
func (g Gauge) OhmsPerFoot(t Celsius) float64 {
	return ohmCircularMilPerFoot / g.CircularMils() * (1 + temperatureCoefficient*float64(t-20))
}
