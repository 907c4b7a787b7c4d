package diagnosis

import (
	"slices"

	"elvat/core/circuit"
	"elvat/core/tester"
)

// Learned counts what opened boxes showed against what the table of weights had
// expected there: by row of the table, each kind of fault and each condition
// that raises some.
type Learned struct {
	Boxes    int                `json:"boxes"` // in which something was found
	Found    map[string]float64 `json:"found"`
	Expected map[string]float64 `json:"expected"`
}

// Learning tells how far the shop's own boxes have come.
type Learning struct {
	Boxes int    `json:"boxes"`
	Least int    `json:"least"` // fewer change nothing
	Used  bool   `json:"used"`
	Since string `json:"since"` // when counting began anew; empty: from the start
}

// Fewer boxes than learnFrom change no weight; the table itself counts as
// learnPrior finds of each row; and no weight moves by more than learnMost
// either way. Assumption.
const (
	learnFrom  = 20
	learnPrior = 6
	learnMost  = 5
)

// Add counts what was found in one opened box of the circuit. What the table
// does not list is left out.
func (l *Learned) Add(c *circuit.Circuit, conditions Conditions, found []circuit.Fault) error {
	bench, err := tester.NewBench(c)
	if err != nil {
		return err
	}
	table := DefaultWeights
	keys := map[Weight]string{}
	table.each(func(key, _, group string, w *Weight) {
		if group != "share" && group != "odds" {
			keys[*w] = key
		}
	})
	k := &catalogue{c: c, w: bench.Model.Wired, table: &table, conditions: conditions, ohms: looseOhms, keys: keys}
	k.faults()
	all := k.all[1:] // what was found is not nothing
	if l.Found == nil {
		l.Found, l.Expected = map[string]float64{}, map[string]float64{}
	}
	counted := false
	for _, f := range found {
		i := slices.IndexFunc(all, func(h hypothesis) bool { return len(h.faults) == 1 && same(h.faults[0], f) })
		if i < 0 {
			continue
		}
		counted = true
		for _, key := range all[i].keys {
			l.Found[key]++
		}
		total := 0.0
		for n := range all {
			total += all[n].weight
		}
		for n := range all {
			for _, key := range all[n].keys {
				l.Expected[key] += all[n].weight / total
			}
		}
	}
	if counted {
		l.Boxes++
	}
	return nil
}

// factor is what the row's weight is multiplied by: the finds against what the
// table expects, both begun with as many as the table counts for (the mean of a
// gamma posterior with the table as its prior).
func (l *Learned) factor(key string) float64 {
	if l == nil || l.Boxes < learnFrom || l.Expected[key] == 0 {
		return 1
	}
	return min(max((l.Found[key]+learnPrior)/(l.Expected[key]+learnPrior), 1.0/learnMost), learnMost)
}

// Learn corrects the weights that the practice has not set itself.
func (s *Settings) Learn(l *Learned, p Practice) {
	s.Weights.each(func(key, _, group string, w *Weight) {
		if _, set := p.Weights[key]; !set && group != "share" && group != "odds" {
			w.Value *= l.factor(key)
		}
	})
}
