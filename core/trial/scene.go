package trial

import (
	"fmt"
	"math/rand/v2"
	"slices"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/runs"
	"elvat/core/tester"
)

// A Scene is a case that somebody else made: where it was noticed, and by what.
type Scene struct {
	Belief, Truth *circuit.Circuit // as recorded; as it is, without what is wrong
	Order         runs.Map
	Conditions    diagnosis.Conditions
	Hidden        []Hidden
	At            string // complained of
	Half          circuit.Half
	Tool          tester.Tool // that it was noticed by
	Wrong         []string    // boxes at which something reads wrong
}

// Follow lets the simulated electrician, who misreads nothing, follow what is proposed.
func (k *Scene) Follow() (Outcome, error) {
	settings := diagnosis.Defaults()
	settings.Conditions = k.Conditions
	s := &electrician{
		belief: k.Belief, truth: k.Truth, left: slices.Clone(k.Hidden), source: Simulated, settings: settings,
		r: rand.New(rand.NewPCG(1, 84)),
	}
	o, ok := outlet(k.Truth, k.At, k.Half)
	if !ok {
		return Outcome{}, fmt.Errorf("%s, %s half: no such outlet", k.At, k.Half)
	}
	reading, err := s.reading("complaint", o, diagnosis.Test{At: k.At, Half: k.Half, Tool: k.Tool})
	if err != nil {
		return Outcome{}, err
	}
	s.readings = append(s.readings, reading)
	s.note(reading)
	s.spend(settings.Minutes.Tool[k.Tool], &s.out.Spent.Readings) // nobody has put a tester on yet
	s.at = s.boxOf(k.At)
	var faults []circuit.Fault
	for _, h := range k.Hidden {
		faults = append(faults, h.Faults...)
	}
	if err := s.watch(&Case{Circuit: k.Truth, Faults: faults}); err != nil {
		return Outcome{}, err
	}
	engine, err := diagnosis.NewEnsemble(k.Belief, k.Order, settings)
	if err != nil {
		return Outcome{}, err
	}
	return s.runWith(engine, k.Wrong)
}
