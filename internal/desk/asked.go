package desk

import (
	corecall "elvat/core/call"
	"elvat/core/circuit"
	"elvat/core/wire"
	"elvat/internal/api"
)

// What a request of the contract asks to have done, where the two differ in shape. The server
// and the phone ask through the same.

// SetBreaker is what sets the breaker.
func SetBreaker(b api.BreakerChange) *corecall.SetBreaker {
	return &corecall.SetBreaker{Label: b.Label, Amps: b.Amps, Protection: circuit.Protection(Or(b.Protection, ""))}
}

// AddStop is what adds a stop.
func AddStop(b api.NewStop) *corecall.AddStop {
	return &corecall.AddStop{
		After: b.After, Into: Or(b.Into, ""), Label: Or(b.Label, ""), AWG: wire.Gauge(Or(b.Awg, 0)), Feet: Or(b.Feet, 0), Ground: b.Ground,
		Slots: int(Or(b.Slots, 0)), GFCI: Or(b.Gfci, false), Devices: as[int](b.Devices),
	}
}

// ChangeStop is what changes one.
func ChangeStop(box string, b api.StopChange) *corecall.ChangeStop {
	return &corecall.ChangeStop{
		Box: box, Label: b.Label, Feet: b.Feet, Ground: b.Ground,
		AWG: as[wire.Gauge](b.Awg), Slots: as[int](b.Slots), Makeup: (*circuit.Makeup)(b.Makeup),
		GFCI: b.Gfci, Devices: as[int](b.Devices),
	}
}

// AddLoad is what plugs something in.
func AddLoad(b api.NewLoad) *corecall.AddLoad {
	return &corecall.AddLoad{At: b.At, Half: circuit.Half(b.Half), Watts: b.Watts}
}

// UsePart is what uses a part up.
func UsePart(b api.Move) *corecall.UsePart {
	return &corecall.UsePart{ID: b.Id, Van: b.Van, Item: b.Item, Unit: b.Unit, Count: b.Count}
}

// Or is what is said, or what holds where nothing is.
func Or[T any](said *T, unsaid T) T {
	if said == nil {
		return unsaid
	}
	return *said
}

// as is the number of another integer type, nil for nil.
func as[T, F ~int](from *F) *T {
	if from == nil {
		return nil
	}
	to := T(*from)
	return &to
}
