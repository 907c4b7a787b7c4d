package wire

// A Rating is a temperature rating of insulation or terminals, in degrees Celsius.
type Rating int

// The columns of the ampacity table that building wire is judged by.
const (
	At60 Rating = 60 // nonmetallic-sheathed cable is held to it (334.80), and most terminals up to 100 A (110.14(C))
	At75 Rating = 75
	At90 Rating = 90 // where derating starts from
)

// ampacities are of copper, not more than three current-carrying conductors in raceway or
// cable, at 30 C.
// Source: NEC table 310.16 (from memory).
var ampacities = map[Gauge]map[Rating]float64{
	14: {At60: 15, At75: 20, At90: 25},
	12: {At60: 20, At75: 25, At90: 30},
	10: {At60: 30, At75: 35, At90: 40},
	8:  {At60: 40, At75: 50, At90: 55},
	6:  {At60: 55, At75: 65, At90: 75},
}

// Ampacity is what a copper conductor of the gauge carries at the rating, in amperes; zero
// for a gauge the table does not have.
// Source: NEC table 310.16 (from memory).
func (g Gauge) Ampacity(at Rating) float64 { return ampacities[g][at] }

// AmbientFactor is what is left of a 90 C ampacity where the air is at that temperature;
// zero where the table ends.
// Source: NEC table 310.15(B)(1)(1), 90 C column (from memory).
func AmbientFactor(air Celsius) float64 {
	for _, row := range []struct {
		most   Celsius
		factor float64
	}{
		{10, 1.15}, {15, 1.12}, {20, 1.08}, {25, 1.04}, {30, 1}, {35, 0.96}, {40, 0.91}, {45, 0.87}, {50, 0.82}, {55, 0.76}, {60, 0.71}, {65, 0.65},
		{70, 0.58}, {75, 0.50}, {80, 0.41}, {85, 0.29},
	} {
		if air <= row.most {
			return row.factor
		}
	}
	return 0
}

// BundleFactor is what is left where so many current-carrying conductors lie together for
// more than 24 in.
// Source: NEC table 310.15(C)(1) (from memory).
func BundleFactor(conductors int) float64 {
	for _, row := range []struct {
		most   int
		factor float64
	}{{3, 1}, {6, 0.8}, {9, 0.7}, {20, 0.5}, {30, 0.45}, {40, 0.4}} {
		if conductors <= row.most {
			return row.factor
		}
	}
	return 0.35
}
