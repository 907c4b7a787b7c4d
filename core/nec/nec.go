// Package nec holds the rules of the National Electrical Code that bear on
// replacing a receptacle, as rows by edition: section, condition, what it asks
// in our own words. All of them are from memory. What is adopted where the work
// is done, with its amendments, wins.
package nec

import (
	"fmt"
	"slices"

	"elvat/core/strict"
)

// An Edition is the year of a code edition.
type Edition int

// Editions the rows know, oldest first.
var Editions = []Edition{2017, 2020, 2023}

// Usual is the edition taken where none is named.
const Usual Edition = 2023

// Check reports an edition there are no rows for.
func (e Edition) Check() error {
	if slices.Contains(Editions, e) {
		return nil
	}
	return fmt.Errorf("edition: %d is none of %v", e, Editions)
}

// Adopted stands beside every verdict.
const Adopted = "Check what is adopted here."

// A Room is the kind of room an outlet is in.
type Room string

// Rooms an outlet can be in.
const (
	Bathroom  Room = "bathroom"
	Kitchen   Room = "kitchen"
	Garage    Room = "garage"
	Accessory Room = "accessory" // building
	Outdoors  Room = "outdoors"
	Crawl     Room = "crawl"
	Basement  Room = "basement"
	Laundry   Room = "laundry"
	Bedroom   Room = "bedroom"
	Living    Room = "living"
	Hall      Room = "hall"
	Workshop  Room = "workshop"
	Closet    Room = "closet"
	Attic     Room = "attic"
	OtherRoom Room = "other"
)

// Rooms in the order in which they are offered.
var Rooms = []Room{
	Bathroom,
	Kitchen,
	Garage,
	Accessory,
	Outdoors,
	Crawl,
	Basement,
	Laundry,
	Bedroom,
	Living,
	Hall,
	Workshop,
	Closet,
	Attic,
	OtherRoom,
}

// An Exposure is how wet a place gets.
type Exposure string

// Exposures.
const (
	Dry  Exposure = "dry"
	Damp Exposure = "damp"
	Wet  Exposure = "wet"
)

// Exposures, driest first.
var Exposures = []Exposure{Dry, Damp, Wet}

// A Place is where an outlet is. What is nil or empty is not known.
type Place struct {
	Room       Room     `json:"room,omitempty"`
	Finished   *bool    `json:"finished,omitempty"`
	Outdoors   *bool    `json:"outdoors,omitempty"`
	Exposure   Exposure `json:"exposure,omitempty"`
	FeetToSink *float64 `json:"feetToSink,omitempty"` // to the edge of the bowl; nil: none near
	FeetToTub  *float64 `json:"feetToTub,omitempty"`  // tub or shower; nil: none near
	Countertop *bool    `json:"countertop,omitempty"` // serves one
	Accessible *bool    `json:"accessible,omitempty"` // readily, without moving an appliance
	FeetUp     *float64 `json:"feetUp,omitempty"`     // above the floor; nil: in reach
	OpenAccess *bool    `json:"openAccess,omitempty"` // to the cable's way: open framing, attic or crawl space
	RunFeet    *float64 `json:"runFeet,omitempty"`    // of a new cable, to the panel or the next grounded box
	Serves     string   `json:"serves,omitempty"`     // what is plugged in
}

// Check reports what is not among what a place can be.
func (p Place) Check() error {
	if p.Room != "" && !slices.Contains(Rooms, p.Room) {
		return fmt.Errorf("room: %q is none of %v", p.Room, Rooms)
	}
	if p.Exposure != "" && !slices.Contains(Exposures, p.Exposure) {
		return fmt.Errorf("exposure: %q is none of %v", p.Exposure, Exposures)
	}
	for _, row := range []struct {
		key  string
		feet *float64
	}{{"feetToSink", p.FeetToSink}, {"feetToTub", p.FeetToTub}, {"feetUp", p.FeetUp}, {"runFeet", p.RunFeet}} {
		if row.feet != nil && (*row.feet < 0 || *row.feet > 1000) {
			return fmt.Errorf("%s: %g feet is out of bounds", row.key, *row.feet)
		}
	}
	return nil
}

// IsOutdoors reports whether the outlet is outdoors, by its room or by word.
func (p Place) IsOutdoors() bool { return p.Room == Outdoors || p.Outdoors != nil && *p.Outdoors }

// A Topic is what a rule is about.
type Topic string

// Topics that depend on the place.
const (
	GroundFault      Topic = "gfci"
	ArcFault         Topic = "afci"
	TamperResistant  Topic = "tamperResistant"
	WeatherResistant Topic = "weatherResistant"
	Cover            Topic = "cover"
	TubZone          Topic = "tubZone"
	Dedicated        Topic = "dedicated"
)

// Topics that hold wherever the work is.
const (
	Rating           Topic = "rating"
	ConductorBreaker Topic = "conductor-breaker"
	ReplaceGFCI      Topic = "replace-gfci"
	ReplaceAFCI      Topic = "replace-afci"
	TwoSlot          Topic = "ungrounded-two-slot"
	MarkedGFCI       Topic = "ungrounded-gfci"
	FedFromGFCI      Topic = "ungrounded-fed-from-gfci"
	BringGround      Topic = "bring-ground"
	NewCable         Topic = "new-cable"
	NeedsGround      Topic = "needs-ground"
	BoxFill          Topic = "box-fill"
	GroundFill       Topic = "box-fill-grounds"
	FreeConductor    Topic = "free-conductor"
	Setback          Topic = "setback"
	Gap              Topic = "gap"
	BoxBond          Topic = "box-bond"
	GroundJoint      Topic = "ground-joint"
	DeviceBond       Topic = "device-bond"
	SharedNeutral    Topic = "shared-neutral"
	Disconnect       Topic = "simultaneous-disconnect"
	Directory        Topic = "directory"
	OneWire          Topic = "one-wire"
	Torque           Topic = "torque"
	Reidentify       Topic = "reidentify"
	Polarity         Topic = "polarity"
	Accessible       Topic = "readily-accessible"
	BoxSupport       Topic = "box-support"
	GroundPath       Topic = "ground-path"
	Aluminum         Topic = "aluminum"
	NoBootleg        Topic = "no-bootleg"
	Damaged          Topic = "damaged"
	TwoOnYoke        Topic = "two-on-yoke"
	GroundColour     Topic = "ground-colour"
	NeutralColour    Topic = "neutral-colour"
	Splicing         Topic = "splicing"
	GroundingType    Topic = "grounding-type"
	Flooded          Topic = "flooded"
	Yoke             Topic = "box-fill-yoke"
)

// Topics of a new run.
const (
	OwnCircuit    Topic = "own-circuit"
	BranchLoad    Topic = "branch-load"
	Ampacity      Topic = "ampacity"
	VoltageDrop   Topic = "voltage-drop"
	ExtendAFCI    Topic = "extend-afci"
	BoredHoles    Topic = "bored-holes"
	CableSupport  Topic = "cable-support"
	UFSupport     Topic = "uf-support"
	SmallBoxCable Topic = "small-box-cable"
	AcrossJoists  Topic = "across-joists"
	InAttic       Topic = "in-attic"
	NotForCable   Topic = "not-for-cable"
	EMTSupport    Topic = "emt-support"
	PVCSupport    Topic = "pvc-support"
	ConduitFill   Topic = "conduit-fill"
	ConduitBends  Topic = "conduit-bends"
	WetRaceway    Topic = "wet-raceway"
	EMTAsGround   Topic = "emt-ground"
	FireSeal      Topic = "fire-seal"
	BreakerListed Topic = "breaker-listed"
	PanelSpace    Topic = "panel-space"
	ServiceLoad   Topic = "service-load"
	MixedKinds    Topic = "mixed-kinds"
	AccessibleBox Topic = "accessible-box"
	NeutralOfGFCI Topic = "neutral-of-gfci"
	WorkingSpace  Topic = "working-space"
	UnusedCable   Topic = "unused-cable"
)

// A Condition says of which places a rule speaks; zero: of all.
type Condition struct {
	Rooms      []Room     `json:"rooms,omitempty"`
	Finished   *bool      `json:"finished,omitempty"`
	Countertop bool       `json:"countertop,omitempty"`
	SinkFeet   float64    `json:"sinkFeet,omitempty"` // within
	TubFeet    float64    `json:"tubFeet,omitempty"`  // within
	OverTub    bool       `json:"overTub,omitempty"`  // within or directly over it
	Exposures  []Exposure `json:"exposures,omitempty"`
	Outdoors   bool       `json:"outdoors,omitempty"`
	Indoors    bool       `json:"indoors,omitempty"`
}

// A Rule is one row.
type Rule struct {
	Topic   Topic     `json:"topic"`
	Section string    `json:"section"`
	From    Edition   `json:"from,omitempty"` // zero: all
	To      Edition   `json:"to,omitempty"`   // zero: on
	When    Condition `json:"when,omitzero"`
	Text    string    `json:"text"`
	Lifts   bool      `json:"lifts,omitempty"` // it takes a requirement away
	Local   bool      `json:"local,omitempty"` // a local amendment, entered by the shop
}

// In reports whether the rule is in the edition.
func (r Rule) In(e Edition) bool { return (r.From == 0 || e >= r.From) && (r.To == 0 || e <= r.To) }

// A Book is an edition with the shop's local amendments.
type Book struct {
	Edition    Edition
	Amendments []Rule
}

// rules are those of the edition that are about the topic, amendments first.
func (b Book) rules(topic Topic) []Rule {
	var found []Rule
	for _, r := range slices.Concat(b.Amendments, Rules) {
		if r.Topic == topic && r.In(b.Edition) {
			found = append(found, r)
		}
	}
	return found
}

// Cite is the rule on a topic that holds wherever the work is.
func (b Book) Cite(topic Topic) Rule {
	if found := b.rules(topic); len(found) > 0 {
		return found[0]
	}
	return Rule{Topic: topic, Section: "no section", Text: "No row on this in the edition."}
}

// CheckAmendment reports what is wrong with a row the shop entered.
func CheckAmendment(r Rule) error {
	switch {
	case r.Section == "":
		return fmt.Errorf("amendment: the section it changes is missing")
	case r.Text == "":
		return fmt.Errorf("amendment %s: what it asks is missing", r.Section)
	case !slices.Contains(PlaceTopics, r.Topic):
		return fmt.Errorf("amendment %s: topic %q is none of %v", r.Section, r.Topic, PlaceTopics)
	}
	if err := strict.Text("amendment: text", r.Text); err != nil {
		return err
	}
	if err := strict.Name("amendment: section", r.Section); err != nil {
		return err
	}
	if n := len(r.When.Rooms) + len(r.When.Exposures); n > len(Rooms)+len(Exposures) {
		return fmt.Errorf("amendment %s: %d rooms and exposures; there are no more than %d", r.Section, n, len(Rooms)+len(Exposures))
	}
	for _, room := range r.When.Rooms {
		if !slices.Contains(Rooms, room) {
			return fmt.Errorf("amendment %s: room %q is none of %v", r.Section, room, Rooms)
		}
	}
	for _, e := range r.When.Exposures {
		if !slices.Contains(Exposures, e) {
			return fmt.Errorf("amendment %s: exposure %q is none of %v", r.Section, e, Exposures)
		}
	}
	return nil
}

// PlaceTopics are those a local amendment can change.
var PlaceTopics = []Topic{GroundFault, ArcFault, TamperResistant, WeatherResistant, Cover}
