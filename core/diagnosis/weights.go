// Package diagnosis goes from readings to suspects, hidden dangers and the next
// test: it keeps every way the circuit could be wrong, weighs each by how well
// what it predicts agrees with what was read, and picks the test that parts
// what is left best for the minutes it costs.
package diagnosis

import "elvat/core/tester"

// Standing says where a value comes from.
type Standing string

// Standings.
const (
	Practice   Standing = "common practice, no source"
	Assumption Standing = "assumption"
)

// A Weight is the prior weight of one kind of fault at one place, relative to
// an open termination, with its reason.
type Weight struct {
	Value    float64
	Standing Standing
	Why      string
}

// Weights is the table of prior weights. It can be set; DefaultWeights holds
// the usual one.
type Weights struct {
	NothingWrong    Weight
	OpenEnd         Weight // a conductor end: a wire that let go of its terminal or splice
	OpenJumper      Weight // a terminal fed by a jumper
	OpenSplice      Weight // all wires of a splice apart
	OpenCable       Weight // a conductor broken between boxes
	OpenSlot        Weight
	OpenTab         Weight
	LooseOf         Weight // times the weight of the same place open, for each resistance tried
	SwapDevice      Weight
	SwapGround      Weight // any exchange that involves the ground, times the other
	SwapCableEnd    Weight
	Bootleg         Weight
	BootlegNoGround Weight // where no ground arrives at a three-slot face
	Short           Weight
	Moved           Weight
	BreakerTripped  Weight
	BreakerOff      Weight
	ReverseBootleg  Weight // times the bootleg's
	GFCITripped     Weight
	GFCIDead        Weight
	GFCINoTrip      Weight
	LineLoadSwapped Weight
	Leak            Weight // where something would trip on it
	Touching        Weight
	GroundOpenToo   Weight // times, for a reverse bootleg where a ground should arrive
	CarriesOn       Weight // factor: the termination carries the rest of the run
	TwoFaults       Weight // share of calls with two faults at once
	Unexplained     Weight // share of calls that no hypothesis kept here explains
}

// DefaultWeights are weighed by common practice: terminations fail far more
// often than wire inside walls, and those that carry the rest of a run most.
var DefaultWeights = Weights{
	NothingWrong:    Weight{5, Assumption, "some complaints are the appliance's"},
	OpenEnd:         Weight{1, Practice, "a wire that let go is the commonest fault"},
	OpenJumper:      Weight{0.6, Practice, "a jumper that let go takes only its device"},
	OpenSplice:      Weight{0.15, Assumption, "a splice seldom lets go of all its wires"},
	OpenCable:       Weight{0.03, Practice, "faults sit in boxes far more often than inside walls"},
	OpenSlot:        Weight{0.15, Practice, "worn contacts"},
	OpenTab:         Weight{0.05, Assumption, "a broken tab"},
	LooseOf:         Weight{0.25, Assumption, "loose before it lets go"},
	SwapDevice:      Weight{0.8, Practice, "reversed at the device, a slip when it was fitted"},
	SwapGround:      Weight{0.04, Practice, "bare wire is seldom mistaken"},
	SwapCableEnd:    Weight{0.1, Assumption, "reversed at the cable, so all beyond it is"},
	Bootleg:         Weight{0.1, Practice, "a ground faked from the neutral"},
	BootlegNoGround: Weight{1.5, Practice, "no ground arrives, and a three-slot face tempts to fake one"},
	Short:           Weight{0.05, Assumption, "a short trips the breaker"},
	Moved:           Weight{0.01, Assumption, "a wire in the wrong splice or on the wrong terminal"},
	BreakerTripped:  Weight{3, Practice, "look at the breaker first"},
	BreakerOff:      Weight{1, Practice, "look at the breaker first"},
	ReverseBootleg:  Weight{0.1, Practice, "a faked ground on a reversed outlet puts its metal at line voltage"},
	GFCITripped:     Weight{4, Practice, "a tripped GFCI, often in another room, is looked for first"},
	GFCIDead:        Weight{0.6, Practice, "surges and lightning kill them"},
	GFCINoTrip:      Weight{0.4, Practice, "they wear, and fail without a sign"},
	LineLoadSwapped: Weight{0.3, Practice, "line and load are easily exchanged"},
	Leak:            Weight{0.15, Practice, "moisture or a worn appliance"},
	Touching:        Weight{0.03, Assumption, "bare wire by a screw"},
	GroundOpenToo:   Weight{0.01, Assumption, "only where the ground is open as well"},
	CarriesOn:       Weight{2, Practice, "it carries the rest of the run"},
	TwoFaults:       Weight{0.2, Assumption, "four calls in five have one fault"},
	Unexplained:     Weight{0.02, Assumption, "three faults at once, or something not in the catalogue"},
}

// looseOhms are the resistances tried for a loose connection: one that gets
// warm under load, and one that is nearly open. Assumption.
var looseOhms = []float64{2, 200}

// Errors is how often, and by how much, testers and people misread.
type Errors struct {
	Lamp       float64 // share of lamps misread
	Glow       float64 // share of test lamps misread
	Slot       float64 // share of sensor slots misread
	FaintBlurs float64 // share of faint answers taken for each neighbour
	VoltsShare float64 // a meter is within this share ...
	VoltsPlus  float64 // ... plus this many volts
	GhostShare float64 // the same for a voltage with no power behind it
	GhostPlus  float64
	VoltsWild  float64 // share of meter values that are anything at all
	Trip       float64 // share of trips misread
	OhmsShare  float64 // ohms are within this share ...
	OhmsPlus   float64 // ... plus this many
	AmpsShare  float64 // the same for a clamp
	AmpsPlus   float64
	Eyes       float64 // share of faults in an opened box that are overlooked
	Level      float64 // spread of the supply's own level about nominal
}

// DefaultErrors is the error model of the product. Assumption.
var DefaultErrors = Errors{
	Lamp: 0.01, Glow: 0.01, Slot: 0.05, FaintBlurs: 0.2,
	VoltsShare: 0.015, VoltsPlus: 1, GhostShare: 0.8, GhostPlus: 20, VoltsWild: 0.01, Level: 0.03,
	Eyes: 0.02, Trip: 0.005, OhmsShare: 0.2, OhmsPlus: 0.02, AmpsShare: 0.05, AmpsPlus: 0.02,
}

// Minutes is what a test costs. All are assumptions and can be set.
type Minutes struct {
	Tool    map[tester.Tool]float64
	Walk    float64 // to another box
	Open    float64 // a box: dead, opened, looked into, closed
	ToPanel float64
}

// DefaultMinutes are the usual costs.
var DefaultMinutes = Minutes{
	Tool: map[tester.Tool]float64{tester.Plug: 0.5, tester.Sensor: 0.5, tester.Lamp: 0.5, tester.Meter: 1, tester.PlugButton: 0.5, tester.DeviceButton: 0.3, tester.Analyzer: 1},
	Walk: 0.5, Open: 8, ToPanel: 3,
}
