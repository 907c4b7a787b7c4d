package diagnosis

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/tester"
)

// An evidence is one reading as it counts: with what was known to be wrong when
// it was taken, and what acts had settled by then. What was read again in the
// same state is one evidence, with the values read last: the same tester on the
// same outlet errs the same way twice.
type evidence struct {
	reading  *tester.Reading
	place    int    // of the reading among all that was entered
	known    known  // present when it was taken
	gone     gone   // settled by then
	loadsOff bool   // nothing was plugged in
	key      string // of the tester, the place and the state
	epoch    int    // how often something was put right, reset or unplugged before
}

// known is what is certain of the circuit beside its file: faults that were
// found, and what turned out to be so.
type known struct {
	faults []circuit.Fault
	beside []Unrecorded
}

func (k known) key() string {
	if len(k.faults) == 0 && len(k.beside) == 0 {
		return ""
	}
	return elementsKey(k.faults, k.beside)
}

// gone is what acts have settled, whatever it was before.
type gone struct {
	loads    bool     // everything is unplugged
	switches bool     // every wall switch is on
	gfcis    bool     // every GFCI of the house was reset
	breaker  bool     // off and on
	guards   []string // GFCIs of the run that were reset
}

func (g gone) key() string {
	return fmt.Sprint(g.loads, g.switches, g.gfcis, g.breaker, g.guards)
}

func (g gone) nothing() bool {
	return !g.loads && !g.switches && !g.gfcis && !g.breaker && len(g.guards) == 0
}

// fault reports whether the fault is settled: a trip that was reset.
func (g gone) fault(f circuit.Fault) bool {
	switch {
	case f.Kind == circuit.BreakerAt:
		return g.breaker
	case f.Kind == circuit.GFCIFault && f.State == StateTripped:
		return g.gfcis || slices.Contains(g.guards, f.At) || g.breaker && f.At == circuit.Panel
	default:
		return false
	}
}

func (g gone) unrecorded(u Unrecorded) bool {
	switch u.Kind {
	case UnrecordedLoad:
		return g.loads
	case Switched:
		return g.switches
	case GFCIElsewhere:
		return g.gfcis && u.State == StateTripped
	default:
		return false
	}
}

// A timeline is the evidence in its order, and how things stand at its end.
type timeline struct {
	all      []evidence
	now      evidence        // as the next reading will be taken
	found    []circuit.Fault // and not put right
	putRight []circuit.Fault
	before   int    // how many of the evidence are from before something was last put right or reset
	mendedAt int    // the same since something was last put right
	lastAt   string // the box of what was entered last
	skipped  []tester.Reading
	looked   []string // boxes looked into since something was last put right
	sessions bool     // the last entry was a look into a box: the power is off
	acts     map[tester.ActName]bool
	repeated map[string]bool // by the key of the evidence: it was read again already
	epoch    int
	fixes    int // how often something was put right
}

// timelineOf reads what was entered in its order.
func (e *Engine) timelineOf(readings []tester.Reading) timeline {
	t := timeline{acts: map[tester.ActName]bool{}}
	until, found := presentUntil(readings)
	ground := knownGround(e.settings.Conditions)
	var loads []Unrecorded // until all is unplugged
	unplugged := len(readings)
	for i, r := range readings {
		switch {
		case r.Tool != tester.Act || r.Skipped:
		case r.Act == tester.UnplugAll:
			unplugged = min(unplugged, i)
		case r.Act == tester.Plugged && i < unplugged:
			loads = append(loads, Unrecorded{Kind: UnrecordedLoad, At: r.At, Half: r.Half, Watts: *r.Watts})
		}
	}
	knownAt := func(i int) known {
		k := known{beside: slices.Clone(ground)}
		for f, at := range until {
			if i < at {
				k.faults = append(k.faults, found[f])
			}
		}
		if i < unplugged {
			k.beside = append(k.beside, loads...)
		}
		return k
	}
	var settled gone
	index := map[string]int{}
	t.repeated = map[string]bool{}
	epoch, fixes := 0, 0
	for i := range readings {
		r := &readings[i]
		if r.Skipped {
			t.skipped = append(t.skipped, *r)
			continue
		}
		if r.Site != "" && r.Site != circuit.Panel {
			t.lastAt = r.Site
		} else if box := e.boxOf(r.At); box != "" {
			t.lastAt = box
		}
		v := evidence{reading: r, place: i, known: knownAt(i), gone: settled, loadsOff: i > unplugged}
		counts := true
		switch {
		case r.Tool == tester.Fixed:
			epoch++
			fixes++
			t.before, t.mendedAt, t.looked, counts = len(t.all), len(t.all), nil, false
		case r.Tool == tester.Act:
			t.acts[r.Act] = true
			counts = slices.Contains([]tester.ActName{tester.AllGFCIs, tester.Reset, tester.ResetBreaker, tester.FindBox}, r.Act)
			if r.Act != tester.Plugged && r.Act != tester.FindBox {
				epoch++
			}
			settled = settled.after(r)
		case r.Tool == tester.Told && r.Answer == tester.CameBack:
			settled = settled.after(
				&tester.Reading{
					Act: map[tester.Question]tester.ActName{tester.ResetGFCIs: tester.AllGFCIs, tester.CycleBreaker: tester.ResetBreaker}[r.Asked],
				},
			)
			epoch++
		case r.Tool == tester.Indicator && r.Light.Means == "":
			counts = false // nobody said what it means
		case r.Tool == tester.Eyes:
			t.looked = append(t.looked, r.Site)
		}
		t.sessions = r.Tool == tester.Eyes || r.Tool == tester.Fixed
		if !counts {
			continue
		}
		v.key, v.epoch = evidenceKey(r, epoch), epoch
		if r.Tool == tester.Hint { // what is unplugged or reset does not change it
			v.key, v.epoch = evidenceKey(r, fixes), -1-fixes
		}
		if r.Tool == tester.Act {
			v.key = fmt.Sprint("act ", i)
		}
		if at, again := index[v.key]; again && t.all[at].reading != nil {
			earlier := t.all[at].reading
			t.repeated[v.key] = true
			if r.Doubtful && !earlier.Doubtful {
				continue
			}
			if !earlier.Doubtful {
				v.reading = joined(earlier, r)
			}
			t.all[at].reading = nil // read again
		}
		index[v.key] = len(t.all)
		t.all = append(t.all, v)
		if r.Tool == tester.Act && r.Act != tester.FindBox &&
			(r.Held != nil && *r.Held || len(r.CameBack) > 0 || r.Found != nil && len(r.Found.Names) > 0) {
			t.before = len(t.all)
		}
	}
	left := func(n int) int { // without what was read again
		count := 0
		for i := range t.all[:n] {
			if t.all[i].reading != nil {
				count++
			}
		}
		return count
	}
	t.before, t.mendedAt = left(t.before), left(t.mendedAt)
	t.all = slices.DeleteFunc(t.all, func(v evidence) bool { return v.reading == nil })
	t.now = evidence{known: knownAt(len(readings)), gone: settled, loadsOff: unplugged < len(readings)}
	t.found, t.epoch, t.fixes = t.now.known.faults, epoch, fixes
	for f, at := range until {
		if at <= len(readings) {
			t.putRight = append(t.putRight, found[f])
		}
	}
	return t
}

// presentUntil lists the faults that were found or put right, with the place of
// the entry from which on each is gone.
func presentUntil(readings []tester.Reading) (until []int, found []circuit.Fault) {
	add := func(f circuit.Fault, at int) {
		for i, g := range found {
			if same(f, g) && until[i] >= len(readings) {
				until[i] = at
				return
			}
		}
		found, until = append(found, f), append(until, at)
	}
	for i, r := range readings {
		if r.Skipped {
			continue
		}
		if r.Found != nil && r.Tool == tester.Eyes {
			for _, f := range r.Found.Faults {
				if !slices.ContainsFunc(found, func(g circuit.Fault) bool { return same(f, g) }) {
					add(f, len(readings)+1)
				}
			}
		}
		for _, f := range r.Faults {
			add(f, i)
		}
	}
	return until, found
}

// after is what is settled once the act was done.
func (g gone) after(r *tester.Reading) gone {
	switch r.Act {
	case tester.UnplugAll:
		g.loads = true
	case tester.SwitchesOn:
		g.switches = true
	case tester.AllGFCIs:
		g.gfcis = true
	case tester.ResetBreaker:
		g.breaker = true
	case tester.Reset:
		g.guards = append(slices.Clip(g.guards), r.At)
		if r.At == circuit.Panel {
			g.breaker = true
		}
	}
	return g
}

// evidenceKey is the same of readings that err the same way.
func evidenceKey(r *tester.Reading, epoch int) string {
	between := ""
	if r.Between != nil {
		between = strings.Join(r.Between[:], "/")
	}
	state, _ := json.Marshal(r.State) // a struct of strings and bools cannot fail
	return fmt.Sprint(epoch, r.Tool, r.At, r.Half, r.Mode, r.Point, between, r.Site, r.Asked, r.Hint, string(state))
}

// joined is what was read, with the later values where both have one.
func joined(earlier, later *tester.Reading) *tester.Reading {
	r := *later
	if earlier.Lamps != nil && later.Lamps != nil {
		lamps := *later.Lamps
		for i, lamp := range []*tester.Lit{&lamps.HotNeutral, &lamps.HotGround, &lamps.NeutralGround} {
			if *lamp == "" {
				*lamp = earlier.Lamps.All()[i]
			}
		}
		r.Lamps = &lamps
	}
	if earlier.Slots != nil && later.Slots != nil {
		slots := *later.Slots
		for i, slot := range []*tester.Level{&slots.Hot, &slots.Neutral, &slots.Ground} {
			if *slot == "" {
				*slot = earlier.Slots.All()[i]
			}
		}
		r.Slots = &slots
	}
	if earlier.Volts != nil && later.Volts != nil && later.Volts.Unloaded == nil {
		volts := *later.Volts
		for i, v := range earlier.Volts.All() {
			if v != nil && volts.All()[i] == nil {
				volts.Set(i, *v)
			}
		}
		r.Volts = &volts
	}
	return &r
}

// elementsKey names faults and what nobody recorded, in whatever order.
func elementsKey(faults []circuit.Fault, beside []Unrecorded) string {
	parts := make([]string, 0, len(faults)+len(beside))
	for _, f := range faults {
		parts = append(parts, fmt.Sprint(f))
	}
	for _, u := range beside {
		parts = append(parts, fmt.Sprint(u))
	}
	slices.Sort(parts)
	return strings.Join(parts, "|")
}
