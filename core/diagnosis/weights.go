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
	Common     Standing = "common practice, no source"
	Assumption Standing = "assumption"
)

// A Weight is the prior weight of one kind of fault at one place, relative to
// an open termination, with its reason.
type Weight struct {
	Value    float64
	Standing Standing
	Why      string
}

// Weights is the table of prior weights. Those of faults are relative to an open
// termination; factors multiply them. It can be set; DefaultWeights holds the
// usual one.
type Weights struct {
	NothingWrong    Weight `json:"nothingWrong" words:"Nothing wrong" group:"fault"`
	OpenEnd         Weight `json:"openEnd" words:"A conductor off its terminal or splice" group:"fault"`
	OpenJumper      Weight `json:"openJumper" words:"A jumper off its terminal" group:"fault"`
	OpenSplice      Weight `json:"openSplice" words:"All wires of a splice apart" group:"fault"`
	OpenCable       Weight `json:"openCable" words:"A conductor broken between boxes" group:"fault"`
	OpenSlot        Weight `json:"openSlot" words:"A slot that no longer grips" group:"fault"`
	OpenTab         Weight `json:"openTab" words:"A tab broken between the halves" group:"fault"`
	SwapDevice      Weight `json:"swapDevice" words:"Reversed at a device" group:"fault"`
	SwapCableEnd    Weight `json:"swapCableEnd" words:"Reversed at a cable's end" group:"fault"`
	Bootleg         Weight `json:"bootleg" words:"Ground faked where one arrives" group:"fault"`
	BootlegNoGround Weight `json:"bootlegNoGround" words:"Ground faked where none arrives" group:"fault"`
	Short           Weight `json:"short" words:"A short" group:"fault"`
	Moved           Weight `json:"moved" words:"A wire in the wrong splice or on the wrong terminal" group:"fault"`
	BreakerTripped  Weight `json:"breakerTripped" words:"Breaker tripped" group:"fault"`
	BreakerOff      Weight `json:"breakerOff" words:"Breaker off" group:"fault"`
	GFCITripped     Weight `json:"gfciTripped" words:"GFCI tripped" group:"fault"`
	GFCIDead        Weight `json:"gfciDead" words:"GFCI dead" group:"fault"`
	GFCINoTrip      Weight `json:"gfciNoTrip" words:"GFCI that cannot trip" group:"fault"`
	LineLoadSwapped Weight `json:"lineLoadSwapped" words:"GFCI fed on its load side" group:"fault"`
	Leak            Weight `json:"leak" words:"A leak that something would trip on" group:"fault"`
	Touching        Weight `json:"touching" words:"Bare wires touching in a box" group:"fault"`

	SwitchedHalf    Weight `json:"switchedHalf" words:"A wall switch off ahead of one half" group:"unrecorded"`
	SwitchedOutlet  Weight `json:"switchedOutlet" words:"A wall switch off ahead of an outlet" group:"unrecorded"`
	SwitchedRun     Weight `json:"switchedRun" words:"A wall switch off ahead of the run" group:"unrecorded"`
	Elsewhere       Weight `json:"elsewhere" words:"A tripped GFCI elsewhere, ahead of the run" group:"unrecorded"`
	ElsewhereMidRun Weight `json:"elsewhereMidRun" words:"A tripped GFCI elsewhere, ahead of part of the run" group:"unrecorded"`
	ElsewhereDead   Weight `json:"elsewhereDead" words:"A dead GFCI elsewhere" group:"unrecorded"`
	BoxUndrawn      Weight `json:"boxUndrawn" words:"A conductor off in a box that nobody drew" group:"unrecorded"`
	GroundNotWire   Weight `json:"groundNotWire" words:"No ground wire, though one is drawn" group:"unrecorded"`
	GroundUnknown   Weight `json:"groundUnknown" words:"No ground wire, where it is not known" group:"unrecorded"`

	PluggedIn       Weight `json:"pluggedIn" words:"A lamp plugged in at an outlet, not recorded" group:"odds"`
	HeaterPluggedIn Weight `json:"heaterPluggedIn" words:"A heavy load plugged in at an outlet, not recorded" group:"odds"`
	PluggedBeyond   Weight `json:"pluggedBeyond" words:"Something plugged in at an outlet beyond a break, not recorded" group:"odds"`
	FewWatts        Weight `json:"fewWatts" words:"Electronics of a few watts, of what is plugged in" group:"odds"`
	LampWatts       Weight `json:"lampWatts" words:"A lamp or more, of what is plugged in" group:"odds"`
	GroundConduit   Weight `json:"groundConduit" words:"Metal conduit is the ground where none is drawn" group:"odds"`
	PlasticConduit  Weight `json:"plasticConduit" words:"The same where all boxes are plastic" group:"odds"`
	ConduitUnknown  Weight `json:"conduitUnknown" words:"The same where the ground is not known" group:"odds"`
	SupplyOff       Weight `json:"supplyOff" words:"The supply off its nominal, for each level read" group:"odds"`
	LegendWrong     Weight `json:"legendWrong" words:"The plug tester's legend read wrongly throughout" group:"odds"`

	LooseOf        Weight `json:"looseOf" words:"Loose instead of open, for each resistance tried" group:"factor"`
	SwapGround     Weight `json:"swapGround" words:"The ground among those exchanged" group:"factor"`
	ReverseBootleg Weight `json:"reverseBootleg" words:"A faked ground on a reversed outlet" group:"factor"`
	GroundOpenToo  Weight `json:"groundOpenToo" words:"The same where a ground should arrive" group:"factor"`

	DrawingUnsure Weight `json:"drawingUnsure" words:"A switch, a GFCI or a box that nobody drew, where not even the ground is known" group:"condition"`
	OldGround     Weight `json:"oldGround" words:"No ground wire in a house of thirty years or more" group:"condition"`
	CarriesOn     Weight `json:"carriesOn" words:"A termination that feeds a cable through its device" group:"condition"`
	PushIn        Weight `json:"pushIn" words:"A push-in termination" group:"condition"`
	HeavyLoads    Weight `json:"heavyLoads" words:"A termination under heavy plug-in loads" group:"condition"`
	WarmBox       Weight `json:"warmBox" words:"A termination in a warm or scorched box" group:"condition"`
	Corrosion     Weight `json:"corrosion" words:"A termination outdoors or in the damp" group:"condition"`
	WorkedEnds    Weight `json:"workedEnds" words:"A termination where work was done lately" group:"condition"`
	WorkedSlips   Weight `json:"workedSlips" words:"A wiring mistake where work was done lately" group:"condition"`
	Age           Weight `json:"age" words:"A termination or GFCI of thirty years or more" group:"condition"`
	WornSlots     Weight `json:"wornSlots" words:"A slot where plugs sit loose" group:"condition"`
	OutdoorsGFCI  Weight `json:"outdoorsGFCI" words:"A failed GFCI outdoors or in the damp" group:"condition"`
	SwitchedKnown Weight `json:"switchedKnown" words:"A wall switch off ahead of a half known to hang on one" group:"condition"`
	OutdoorsLeak  Weight `json:"outdoorsLeak" words:"A leak outdoors or in the damp" group:"condition"`
	Storm         Weight `json:"storm" words:"A failed GFCI since a storm" group:"condition"`
	Complaint     Weight `json:"complaint" words:"What the complaint points at" group:"condition"`

	TwoFaults   Weight `json:"twoFaults" words:"Two faults at once" group:"share"`
	ThreeFaults Weight `json:"threeFaults" words:"Three faults at once, where asked for" group:"share"`
	Unexplained Weight `json:"unexplained" words:"None of these" group:"share"`
}

// DefaultWeights are weighed by common practice: terminations fail far more
// often than wire inside walls, and those that carry the rest of a run most.
var DefaultWeights = Weights{
	NothingWrong:    Weight{5, Assumption, "some complaints are the appliance's"},
	OpenEnd:         Weight{1, Common, "a wire that let go is the commonest fault"},
	OpenJumper:      Weight{0.6, Common, "a jumper that let go takes only its device"},
	OpenSplice:      Weight{0.15, Assumption, "a splice seldom lets go of all its wires"},
	OpenCable:       Weight{0.03, Common, "faults sit in boxes far more often than inside walls"},
	OpenSlot:        Weight{0.15, Common, "worn contacts"},
	OpenTab:         Weight{0.05, Assumption, "a broken tab"},
	SwapDevice:      Weight{0.8, Common, "reversed at the device, a slip when it was fitted"},
	SwapCableEnd:    Weight{0.1, Assumption, "reversed at the cable, so all beyond it is"},
	Bootleg:         Weight{0.1, Common, "a ground faked from the neutral"},
	BootlegNoGround: Weight{1.5, Common, "no ground arrives, and a three-slot face tempts to fake one"},
	Short:           Weight{0.05, Assumption, "a short trips the breaker"},
	Moved:           Weight{0.01, Assumption, "a wire in the wrong splice or on the wrong terminal"},
	BreakerTripped:  Weight{3, Common, "look at the breaker first"},
	BreakerOff:      Weight{1, Common, "look at the breaker first"},
	GFCITripped:     Weight{8, Common, "a tripped GFCI, often in another room, is looked for first"},
	GFCIDead:        Weight{0.6, Common, "surges and lightning kill them"},
	GFCINoTrip:      Weight{0.4, Common, "they wear, and fail without a sign"},
	LineLoadSwapped: Weight{0.3, Common, "line and load are easily exchanged"},
	Leak:            Weight{0.15, Common, "moisture or a worn appliance"},
	Touching:        Weight{0.03, Assumption, "bare wire by a screw"},

	SwitchedHalf:   Weight{0.4, Common, "half of a duplex often hangs on a wall switch"},
	SwitchedOutlet: Weight{0.1, Common, "an outlet can hang on a wall switch"},
	SwitchedRun:    Weight{0.15, Assumption, "a switch ahead of a whole run"},
	Elsewhere: Weight{
		3,
		Common,
		"a tripped GFCI in another room is the commonest reason for a dead outlet; earlier hands like to borrow its LOAD screws",
	},
	ElsewhereMidRun: Weight{1.5, Assumption, "a GFCI that nobody drew may sit ahead of part of the run"},
	ElsewhereDead:   Weight{0.02, Assumption, "a dead GFCI that nobody drew"},
	BoxUndrawn:      Weight{0.02, Assumption, "an outlet behind furniture or under a blank plate is left off a drawing"},
	GroundNotWire:   Weight{0.1, Assumption, "what was drawn as a ground wire may be none"},
	GroundUnknown:   Weight{4, Assumption, "nobody knows what the ground is"},

	PluggedIn:       Weight{0.1, Assumption, "lamps behind a sofa are forgotten"},
	HeaterPluggedIn: Weight{0.02, Assumption, "a heater is seldom forgotten"},
	PluggedBeyond:   Weight{0.15, Assumption, "something plugged in beyond the break pulls the neutral up"},
	FewWatts:        Weight{0.3, Assumption, "chargers and clocks"},
	LampWatts:       Weight{0.7, Assumption, "lamps and more"},
	GroundConduit:   Weight{0.05, Assumption, "metal conduit may itself be the ground"},
	PlasticConduit:  Weight{0.1, Common, "a plastic box does not carry a conduit's ground on"},
	ConduitUnknown:  Weight{0.5, Assumption, "nobody knows what the ground is; metal conduit may be it"},
	SupplyOff:       Weight{0.002, Assumption, "the supply is seldom off its nominal, and then all of it"},
	LegendWrong:     Weight{0.002, Assumption, "a legend read wrongly is wrong everywhere"},

	LooseOf:        Weight{0.25, Assumption, "loose before it lets go"},
	SwapGround:     Weight{0.04, Common, "bare wire is seldom mistaken"},
	ReverseBootleg: Weight{0.1, Common, "a faked ground on a reversed outlet puts its metal at line voltage"},
	GroundOpenToo:  Weight{0.01, Assumption, "only where the ground is open as well"},

	DrawingUnsure: Weight{3, Assumption, "not even its ground is known, so its drawing is not to be trusted"},
	OldGround:     Weight{4, Common, "old cable often has no ground wire"},
	CarriesOn:     Weight{2, Common, "it carries the rest of the run"},
	PushIn:        Weight{5, Common, "push-ins let go"},
	HeavyLoads:    Weight{3, Common, "heavy loads heat the contact"},
	WarmBox:       Weight{8, Common, "warm or scorched: a loose termination"},
	Corrosion:     Weight{2, Common, "damp corrodes contacts"},
	WorkedEnds:    Weight{3, Common, "work was done there lately"},
	WorkedSlips:   Weight{8, Common, "work was done there lately"},
	Age:           Weight{1.5, Common, "old"},
	WornSlots:     Weight{8, Common, "plugs sit loose in it"},
	OutdoorsGFCI:  Weight{3, Common, "moisture kills them"},
	SwitchedKnown: Weight{10, Common, "the switch is there, and switches are found off"},
	OutdoorsLeak:  Weight{6, Common, "moisture leaks"},
	Storm:         Weight{6, Common, "surges and lightning kill them"},
	Complaint:     Weight{3, Common, "the complaint points at it"},

	TwoFaults:   Weight{0.2, Assumption, "four calls in five have one fault"},
	ThreeFaults: Weight{0.03, Assumption, "three at once are rare, and looked for only where asked"},
	Unexplained: Weight{0.02, Assumption, "three faults at once, or something not in the catalogue"},
}

// looseOhms are the resistances tried for a loose connection before any
// reading tells one: those that warm under load, and one that is nearly open.
// What a reading tells is tried as well. Assumption.
var looseOhms = []float64{1, 120}

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
	Act        float64 // share of acts whose outcome is taken wrongly
	FoundBox   float64 // share of cables along which a box that nobody drew is found
	MissedBox  float64 // share of such boxes that are not found when looked for
	IdleGFCI   float64 // share of houses with a GFCI that has tripped for a reason of its own
	Eyes       float64 // share of faults in an opened box that are overlooked
	ToldOutlet float64 // share of outlets of which a customer says the wrong thing
	Told       float64 // share of a customer's other answers that are wrong
	Light      float64 // share of a GFCI's lights that are read, or looked up, wrongly
	Doubtful   float64 // share of readings marked doubtful that are anything at all
	Level      float64 // spread of the supply's own level about nominal
}

// DefaultErrors is the error model of the product. Assumption.
var DefaultErrors = Errors{
	Lamp: 0.01, Glow: 0.01, Slot: 0.05, FaintBlurs: 0.2,
	VoltsShare: 0.015, VoltsPlus: 1, GhostShare: 0.8, GhostPlus: 20, VoltsWild: 0.01, Level: 0.03,
	ToldOutlet: 0.05, Told: 0.15, Light: 0.05, Doubtful: 0.7,
	Act: 0.03, IdleGFCI: 0.05, FoundBox: 0.05, MissedBox: 0.3, Eyes: 0.02, Trip: 0.005, OhmsShare: 0.2, OhmsPlus: 0.02, AmpsShare: 0.05, AmpsPlus: 0.02,
}

// Minutes is what a test costs. All are assumptions and can be set.
type Minutes struct {
	Tool    map[tester.Tool]float64
	Walk    float64 // to another box
	Open    float64 // a box: dead, opened, looked into, closed
	ToPanel float64
	// Separate is taking a cable's end apart, capping it, and putting it back.
	Separate float64
	// Dead and Look are the two parts of Open where several boxes share one dead
	// session: breaker off and dead proof once, then each box.
	Dead, Look float64
	Reset      float64 // one GFCI, once there
	GFCIs      float64 // all of the house
	Switches   float64 // of the room
	Unplug     float64 // everything on the run
	Hint       float64 // a look or a feel from outside
	FindBox    float64 // looking along a cable for a box that nobody drew
}

// DefaultMinutes are the usual costs.
var DefaultMinutes = Minutes{
	Tool: map[tester.Tool]float64{
		tester.Plug:         0.5,
		tester.Sensor:       0.5,
		tester.Lamp:         0.5,
		tester.Meter:        1,
		tester.PlugButton:   0.5,
		tester.DeviceButton: 0.3,
		tester.Analyzer:     1,
	},
	Walk: 0.5, Open: 8, ToPanel: 3, Separate: 6,
	Dead: 5, Look: 3, Reset: 0.3, GFCIs: 2, Switches: 0.5, Unplug: 1, Hint: 0.5, FindBox: 3,
}
