package diagnosis

import (
	"math"
	"slices"
	"strconv"

	"elvat/core/circuit"
	"elvat/core/fault"
	"elvat/core/network"
	"elvat/core/tester"
)

// Ohms between which a leak is one that could trip something. Assumption.
const (
	leastLeak = 300
	mostLeak  = 200e3
)

// What a reading tells of a loose joint: it is tried at every place with the
// ohms that the reading has too many. Bounds of what is tried, how near two
// values are one, and how many are kept. Assumption.
const (
	leastLoose = 0.04
	mostLoose  = 1000
	sameLoose  = 1.25
	looseKept  = 4
	// fromLoad is the current from which a drop tells ohms, in amperes.
	fromLoad = 0.4
)

// joinLoose adds loose joints with the ohms that the readings tell: by a load
// tester for each conductor, by the drop under a known load, by an ohmmeter on
// the dead circuit.
func (e *Engine) joinLoose(all []evidence) ([]int, error) {
	ohms := map[circuit.Conductor][]float64{}
	add := func(k circuit.Conductor, v float64) {
		if v < leastLoose || v > mostLoose || len(ohms[k]) >= looseKept {
			return
		}
		v = math.Round(v*100) / 100
		if !slices.ContainsFunc(ohms[k], func(w float64) bool { return v < w*sameLoose && w < v*sameLoose }) {
			ohms[k] = append(ohms[k], v)
		}
	}
	var leaks []float64
	for i := range all {
		if err := e.excess(&all[i], add); err != nil {
			return nil, err
		}
		if r := all[i].reading; r.Tool == tester.Ohms && !r.Reads.Open && r.Reads.Value >= leastLeak &&
			r.Reads.Value <= mostLeak &&
			len(leaks) < looseKept {
			v, _ := strconv.ParseFloat(strconv.FormatFloat(r.Reads.Value, 'g', 2, 64), 64)
			leaks = append(leaks, v)
		}
	}
	joined := e.joinShared(all)
	for _, v := range leaks {
		for _, box := range e.circuit.Boxes {
			for _, d := range box.Devices {
				like := circuit.Fault{Kind: circuit.Leak, At: d.ID, Ohms: leakOhms}
				if _, known := e.index[elementsKey(one(like), nil)]; known {
					joined = append(joined, e.addLike(circuit.Fault{Kind: circuit.Leak, At: d.ID, Ohms: v}, like))
				}
			}
		}
	}
	for _, k := range []circuit.Conductor{circuit.Hot, circuit.Neutral, circuit.Ground} {
		for _, v := range ohms[k] {
			for _, place := range e.places {
				f := circuit.Fault{Kind: circuit.Resistive, At: place.at, Ohms: v}
				if openedConductor(e.circuit, f) != k {
					continue
				}
				joined = append(joined, e.addLike(f, circuit.Fault{Kind: circuit.Resistive, At: f.At, Ohms: looseOhms[0]}))
			}
		}
	}
	return joined, nil
}

// How far the two legs' volts together may be from the whole, and one from its
// own, to be a lost shared neutral. Assumption.
const (
	legsTogether = 0.08
	sharedWatts  = 100
)

// joinShared adds, where two legs read high and low, a shared neutral lost at
// each place with what is plugged in on the legs: the loads part the voltage of
// both legs between them, so what was read tells how they stand to each other.
func (e *Engine) joinShared(all []evidence) []int {
	if e.circuit.Breaker.Poles != 2 {
		return nil
	}
	s, err := e.stageOf(nil, false, known{})
	if err != nil {
		return nil
	}
	nominal := e.circuit.Supply.Volts
	type leg struct {
		at    circuit.Outlet
		volts float64
	}
	var legs [2]*leg
	for i := range all {
		r := all[i].reading
		if r.Tool != tester.Meter || r.Volts == nil || r.Volts.HotNeutral == nil || r.At == "" {
			continue
		}
		if o := s.outlet(r.At, r.Half); o >= 0 {
			n := 0
			if s.opposite[o] {
				n = 1
			}
			legs[n] = &leg{s.bench.Outlets()[o], *r.Volts.HotNeutral}
		}
	}
	if legs[0] == nil || legs[1] == nil || math.Abs(legs[0].volts+legs[1].volts-2*nominal) > 2*nominal*legsTogether ||
		math.Abs(legs[0].volts-nominal) < nominal*legApart || min(legs[0].volts, legs[1].volts) < 1 {
		return nil
	}
	var joined []int
	for h := range e.hypotheses[:e.singles] {
		faults := e.hypotheses[h].faults
		if len(faults) != 1 || len(e.hypotheses[h].beside) > 0 || faults[0].Kind != circuit.Open ||
			openedConductor(e.circuit, faults[0]) != circuit.Neutral {
			continue
		}
		lost := e.hypotheses[h]
		lost.beside = nil
		for n, l := range legs {
			watts := sharedWatts * legs[1-n].volts / l.volts // the lighter load takes the higher voltage
			lost.beside = append(
				lost.beside,
				Unrecorded{
					Kind:  UnrecordedLoad,
					At:    l.at.Device,
					Half:  other(l.at.Half),
					Watts: math.Round(min(watts, 100*sharedWatts)),
				},
			)
		}
		at, known := e.index[elementsKey(lost.faults, lost.beside)]
		if !known {
			e.prior, e.priorFound = append(e.prior, e.prior[h]), append(e.priorFound, e.priorFound[h])
			at = e.addHypothesis(lost)
		}
		joined = append(joined, at)
	}
	return joined
}

func other(half circuit.Half) circuit.Half {
	if half == circuit.Top {
		return circuit.Bottom
	}
	return circuit.Top
}

// addLike adds a fault that weighs what another of its kind there weighs.
func (e *Engine) addLike(f, like circuit.Fault) int {
	if h, known := e.index[elementsKey(one(f), nil)]; known {
		return h
	}
	h := hypothesis{faults: one(f), name: fault.Name(e.circuit, one(f)), site: fault.Site(e.circuit, one(f)), weight: 1}
	if h.site != "" {
		h.sites = []string{h.site}
	}
	prior, found := math.Inf(-1), math.Inf(-1)
	if at, ok := e.index[elementsKey(one(like), nil)]; ok {
		h.weight, h.why = e.hypotheses[at].weight, e.hypotheses[at].why
		prior, found = e.prior[at], e.priorFound[at]
	}
	e.prior, e.priorFound = append(e.prior, prior), append(e.priorFound, found)
	return e.addHypothesis(h)
}

// excess calls add with the ohms that the reading shows beyond those of the
// circuit as known.
func (e *Engine) excess(v *evidence, add func(circuit.Conductor, float64)) error {
	r := v.reading
	meter := r.Tool == tester.Meter && r.Volts != nil && r.Volts.HotNeutral != nil
	if r.Tool != tester.Analyzer && r.Tool != tester.Ohms && !meter {
		return nil
	}
	s, err := e.stageOf(r.State, v.loadsOff, v.known)
	if err != nil {
		return err
	}
	c := s.settled(healthy)
	beyond := func(k circuit.Conductor, seen, is *float64) {
		if seen != nil && is != nil {
			add(k, *seen-*is)
		}
	}
	switch {
	case r.Tool == tester.Analyzer && r.Ohms != nil:
		o, ok := c.Outlet(r.At, r.Half)
		if !ok {
			return nil
		}
		is := c.Analyze(o).Ohms
		beyond(circuit.Hot, r.Ohms.Hot, is.Hot)
		beyond(circuit.Neutral, r.Ohms.Neutral, is.Neutral)
		beyond(circuit.Ground, r.Ohms.Ground, is.Ground)
		if r.Ohms.Hot == nil {
			beyond(circuit.Hot, r.Ohms.HotNeutral, is.HotNeutral)
			beyond(circuit.Neutral, r.Ohms.HotNeutral, is.HotNeutral)
		}
	case r.Tool == tester.Analyzer && r.DropPercent != nil && r.DropPercent.Value != nil:
		o, ok := c.Outlet(r.At, r.Half)
		if is := c.Analyze(o); ok && is.DropPercent != nil && is.Volts != nil {
			more := (*r.DropPercent.Value - *is.DropPercent) / 100 * *is.Volts / tester.Default.AnalyzerDropAmps
			add(circuit.Hot, more)
			add(circuit.Neutral, more)
		}
	case r.Tool == tester.Ohms && !r.Reads.Open:
		if is, err := c.OhmsBetween(r.Between[0], r.Between[1]); err == nil && !is.Open {
			for _, k := range []circuit.Conductor{circuit.Hot, circuit.Neutral, circuit.Ground} {
				add(k, r.Reads.Value-is.Value)
			}
		}
	case meter:
		// The loads that are known to run, as one: what a joint ahead of them takes.
		watts := runsAt(e.circuit, r.State)
		amps := watts / network.Default.LoadVolts
		if v.loadsOff || amps < fromLoad {
			return nil
		}
		o := s.outlet(r.At, r.Half)
		if o < 0 {
			return nil
		}
		s.predict([]int{o}, []int{healthy})
		is, seen := s.shown[o][healthy].high[hotNeutral], *r.Volts.HotNeutral
		if seen > 1 && is > seen*1.03 {
			load := network.Default.LoadVolts / amps
			add(circuit.Hot, load*(is/seen-1))
			add(circuit.Neutral, load*(is/seen-1))
		}
	}
	return nil
}

// heat is what the loose joint turns into heat, in watts, under the loads that
// are known there or that are usual at the place.
func (e *Engine) heat(ohms float64) (watts, amps float64) {
	amps = max(runsAt(e.circuit, nil), usualWatts) / network.Default.LoadVolts
	// The joint itself holds the current down.
	load := network.Default.LoadVolts / amps
	amps = network.Default.LoadVolts / (load + ohms)
	return amps * amps * ohms, amps
}

// usualWatts is a heater, the usual heavy load of a plug-in outlet. Assumption.
const usualWatts = 1440

// warmWatts is the heat from which a joint is a danger: too hot to hold a
// finger on. Assumption.
const warmWatts = 5
