package network

import "elvat/core/wire"

// Constants are the values of the circuit model that no table gives. All are
// modelling assumptions and can be set; Default holds the usual ones.
type Constants struct {
	SourceOhms             float64 // transformer and service hot
	ServiceNeutralOhms     float64 // transformer neutral to the panel's neutral bar
	TransformerEarthOhms   float64
	MainBondingJumperOhms  float64 // neutral bar to panel ground
	ElectrodeOhms          float64 // panel ground to earth
	BreakerContactOhms     float64
	BreakerTripMultiple    float64 // instantaneous trip, times the rating
	TerminationOhms        float64
	SlotContactOhms        float64
	TabOhms                float64
	PoleOhms               float64 // one pole of a GFCI
	YokeScrewOhms          float64 // a yoke on a metal box
	LeakOhms               float64 // every node to earth, so that a floating one has an answer
	HotNeutralFarads       float64 // per foot of cable, as the next three
	ToGroundFarads         float64
	ToEarthFarads          float64
	Conductor              wire.Celsius
	LoadVolts              float64 // at which a load draws its watts
	GFCIBurdenOhms         float64 // its electronics, line hot to line neutral
	GFCITripAmps           float64 // Class A: 4 to 6 mA (UL 943, from memory)
	GFCISupplyVolts        float64 // below this its electronics cannot trip it
	GFCIGroundedNeutralOhm float64 // load neutral to line neutral, poles open
}

// Default are the values every part of the product uses unless told otherwise.
var Default = Constants{
	SourceOhms:             0.02,
	ServiceNeutralOhms:     0.02,
	TransformerEarthOhms:   5,
	MainBondingJumperOhms:  0.001,
	ElectrodeOhms:          25,
	BreakerContactOhms:     0.003,
	BreakerTripMultiple:    5,
	TerminationOhms:        0.001,
	SlotContactOhms:        0.002,
	TabOhms:                0.0005,
	PoleOhms:               0.003,
	YokeScrewOhms:          0.1,
	LeakOhms:               10e9,
	HotNeutralFarads:       10e-12,
	ToGroundFarads:         20e-12,
	ToEarthFarads:          10e-12,
	Conductor:              wire.AsMeasured,
	LoadVolts:              120,
	GFCIBurdenOhms:         40e3,
	GFCITripAmps:           0.005,
	GFCISupplyVolts:        85,
	GFCIGroundedNeutralOhm: 4,
}
