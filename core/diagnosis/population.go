package diagnosis

import (
	"elvat/core/circuit"
	"elvat/core/tester"
)

// A Population is the single faults that can be on a circuit with the usual
// weights: what trial cases are drawn from. It does not change when the diagnosis
// is set otherwise or tries other resistances, so that cases drawn from a seed
// stay the same.
type Population struct {
	faults  [][]circuit.Fault
	weights []float64
}

// drawnOhms are the resistances of loose connections that are drawn, each of
// drawnLoose times the weight of an open. Assumption.
var drawnOhms = []float64{2, 200}

const drawnLoose = 0.25

// NewPopulation lists the faults that can be on the circuit under the conditions.
func NewPopulation(c *circuit.Circuit, conditions Conditions) (*Population, error) {
	bench, err := tester.NewBench(c)
	if err != nil {
		return nil, err
	}
	table := DefaultWeights
	table.LooseOf.Value = drawnLoose
	k := &catalogue{c: c, w: bench.Model.Wired, table: &table, conditions: conditions, ohms: drawnOhms}
	k.faults()
	p := &Population{}
	seen := map[string]bool{}
	for _, h := range k.all {
		v, err := bench.Model.Vary(h.faults)
		if err != nil {
			return nil, err
		}
		effect := effectOf(v)
		if len(h.faults) > 0 && !seen[effect] {
			p.faults, p.weights = append(p.faults, h.faults), append(p.weights, h.weight)
		}
		seen[effect] = true
	}
	return p, nil
}

// Sample draws one of them by weight. U is uniform between 0 and 1.
func (p *Population) Sample(u float64) []circuit.Fault {
	u *= sum(p.weights)
	for i, w := range p.weights {
		if u -= w; u <= 0 {
			return p.faults[i]
		}
	}
	return p.faults[len(p.faults)-1]
}
