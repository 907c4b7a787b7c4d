// Package trial is the yardstick of the diagnosis: it draws circuits and
// faults, lets a simulated electrician follow what is proposed until all that
// is wrong is found, and compares the minutes with the trade's plain rule.
package trial

import (
	"math/rand/v2"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/draw"
	"elvat/core/fault"
	"elvat/core/tester"
)

// Shares of the cases: with two faults, and drawn without regard to the
// weights. Assumption.
const (
	shareOfTwo   = 0.2
	shareOfApart = 0.2
)

// maxSteps ends a case that does not come to an end; it counts as the walk.
const maxSteps = 80

// A Case is one circuit with what is wrong with it.
type Case struct {
	Circuit *circuit.Circuit
	// Conditions of the place, which the electrician knows.
	Conditions diagnosis.Conditions
	Faults     []circuit.Fault
	// Hidden is a faked ground on a reversed outlet where no ground arrives: live
	// metal that lamps show as correct, and nobody complains of.
	Hidden []circuit.Fault
	Start  []circuit.Outlet // complained of: one for each fault
}

// How often the conditions of the place are met. Assumption.
const (
	oldHouses    = 0.4
	pushInHouses = 0.5
	pushInBoxes  = 0.6 // of such a house
	outdoorBoxes = 0.12
	heavyBoxes   = 0.25
	workedBoxes  = 0.07
	warmBoxes    = 0.04 // felt, or seen at the plate, before anything is opened
	wornBoxes    = 0.06
)

// shareOfHidden is how many of the circuits with an outlet where no ground
// arrives have live metal there. Assumption: far more than in the trade, so that
// the trial has enough of them.
const shareOfHidden = 0.15

// hide draws a hidden danger away from the faults that are complained of.
func (k *Case) hide(r *rand.Rand) {
	var at []string
	for _, box := range k.Circuit.Boxes {
		v := box.Devices[0]
		faulty := func(f circuit.Fault) bool { return strings.Contains(f.At, v.ID) || strings.Contains(f.At, "@"+box.ID) }
		if v.HasGroundSlot() && !k.Circuit.GroundArrives(box.ID) && !slices.ContainsFunc(k.Faults, faulty) {
			at = append(at, v.ID)
		}
	}
	if r.Float64() >= shareOfHidden || len(at) == 0 {
		return
	}
	device := at[r.IntN(len(at))]
	k.Hidden = []circuit.Fault{
		{Kind: circuit.Swapped, At: device, Pair: circuit.HotNeutral},
		{Kind: circuit.Bonded, At: device, Pair: circuit.NeutralGround, Ohms: 0.02},
	}
}

// conditions draws what is known of the place.
func conditions(r *rand.Rand, c *circuit.Circuit) diagnosis.Conditions {
	k := diagnosis.Conditions{Old: r.Float64() < oldHouses, Boxes: map[string][]diagnosis.Condition{}}
	pushIns := r.Float64() < pushInHouses
	for _, box := range c.Boxes {
		for _, row := range []struct {
			condition diagnosis.Condition
			share     float64
		}{{diagnosis.PushIn, pushInBoxes}, {diagnosis.Outdoors, outdoorBoxes}, {diagnosis.Heavy, heavyBoxes}, {diagnosis.Worked, workedBoxes},
			{diagnosis.Warm, warmBoxes}, {diagnosis.Worn, wornBoxes}} {
			if r.Float64() < row.share && (pushIns || row.condition != diagnosis.PushIn) {
				k.Boxes[box.ID] = append(k.Boxes[box.ID], row.condition)
			}
		}
	}
	return k
}

// Draw draws a case whose faults a plug tester would show somewhere.
func Draw(seed uint64) (*Case, error) {
	r := rand.New(rand.NewPCG(seed, 77))
	return draws(r, r.Float64() < shareOfApart)
}

// DrawApart draws one without regard to the diagnosis' own weights.
func DrawApart(seed uint64) (*Case, error) {
	return draws(rand.New(rand.NewPCG(seed, 79)), true)
}

func draws(r *rand.Rand, apartFromWeights bool) (*Case, error) {
	n := 1
	if r.Float64() < shareOfTwo {
		n = 2
	}
	for {
		k := &Case{Circuit: draw.Circuit(r, draw.Options{Boxes: 3 + r.IntN(7), Plain: true})}
		k.Conditions = conditions(r, k.Circuit)
		if apartFromWeights {
			k.Faults = drawApart(r, k.Circuit, k.Conditions, n)
		} else {
			population, err := diagnosis.NewPopulation(k.Circuit, k.Conditions)
			if err != nil {
				return nil, err
			}
			for range n {
				k.Faults = append(k.Faults, population.Sample(r.Float64())...)
			}
		}
		if !k.inBoxes() {
			continue
		}
		complaints, err := k.complaints()
		if err != nil {
			return nil, err
		}
		for _, shown := range complaints {
			k.Start = append(k.Start, shown[r.IntN(len(shown))])
		}
		if len(k.Start) > 0 {
			k.hide(r)
			return k, nil
		}
	}
}

// settings are the usual ones, with the conditions of the place.
func (k *Case) settings() diagnosis.Settings {
	settings := diagnosis.Defaults()
	settings.Conditions = k.Conditions
	return settings
}

// complaints lists for each fault the outlets at which it shows by itself and
// with all the others; nothing where one of them would not be complained of.
func (k *Case) complaints() ([][]circuit.Outlet, error) {
	all, err := k.symptoms()
	if err != nil {
		return nil, err
	}
	var complaints [][]circuit.Outlet
	for i := range k.Faults {
		alone := &Case{Circuit: k.Circuit, Faults: k.Faults[i : i+1]}
		shown, err := alone.symptoms()
		if err != nil {
			return nil, err
		}
		shown = slices.DeleteFunc(shown, func(o circuit.Outlet) bool { return !slices.Contains(all, o) })
		if len(shown) == 0 {
			return nil, nil
		}
		complaints = append(complaints, shown)
	}
	return complaints, nil
}

// inBoxes leaves out what no open box shows, and the same box twice at one place.
func (k *Case) inBoxes() bool {
	for i := range k.Faults {
		// Nor what the phone call would have mended.
		if k.Circuit.Cable(k.site(i)) != nil || k.Faults[i].Kind == circuit.BreakerAt {
			return false
		}
	}
	return len(k.Faults) < 2 || k.Faults[0].At != k.Faults[1].At
}

func (k *Case) site(i int) string { return fault.Site(k.Circuit, k.Faults[i:]) }

// symptoms lists the outlets at which lamps differ from a sound circuit's.
func (k *Case) symptoms() ([]circuit.Outlet, error) {
	bench, err := tester.NewBench(k.Circuit)
	if err != nil {
		return nil, err
	}
	show := func(faults []circuit.Fault) (map[circuit.Outlet]tester.Lamps, error) {
		condition, err := bench.Try(faults)
		if err != nil {
			return nil, err
		}
		shown := map[circuit.Outlet]tester.Lamps{}
		for _, o := range bench.Outlets() {
			if r, err := condition.Read(o, tester.Plug, ""); err == nil {
				shown[o] = *r.Lamps
			}
		}
		return shown, nil
	}
	sound, err := show(nil)
	if err != nil {
		return nil, err
	}
	is, err := show(k.Faults)
	if err != nil {
		return nil, err
	}
	var outlets []circuit.Outlet
	for _, o := range bench.Outlets() {
		if is[o] != sound[o] {
			outlets = append(outlets, o)
		}
	}
	return outlets, nil
}

// A Source shows what a tester shows on the circuit with the faults it names.
type Source func(c *circuit.Circuit, o circuit.Outlet, tool tester.Tool, mode tester.Mode, between *[2]string) (tester.Reading, error)

// Simulated is the product's own source.
func Simulated(
	c *circuit.Circuit,
	o circuit.Outlet,
	tool tester.Tool,
	mode tester.Mode,
	between *[2]string,
) (tester.Reading, error) {
	bench, err := tester.NewBench(c)
	if err != nil {
		return tester.Reading{}, err
	}
	condition, err := bench.Try(c.Faults)
	if err != nil {
		return tester.Reading{}, err
	}
	if between != nil {
		return condition.ReadPoints(tool, mode, between[:]...)
	}
	return condition.Read(o, tool, mode)
}

// Solve lets a simulated electrician follow what is proposed. Readings are
// misread as the error model says.
func (k *Case) Solve(seed uint64) (Outcome, error) { return k.SolveWith(seed, Simulated) }

// SolveWith is Solve with readings from another source.
func (k *Case) SolveWith(seed uint64, source Source) (Outcome, error) {
	return k.solve(seed, source, k.settings())
}

func (k *Case) solve(seed uint64, source Source, settings diagnosis.Settings) (Outcome, error) {
	left := make([]Hidden, len(k.Faults))
	for i, f := range k.Faults {
		left[i] = Hidden{Faults: []circuit.Fault{f}, Sites: []string{k.site(i)}}
	}
	s := &electrician{
		belief: k.Circuit, truth: k.Circuit, always: k.Hidden, left: left, source: source, settings: settings,
		r: rand.New(rand.NewPCG(seed, 78)), misreads: true,
	}
	if err := s.phone(k.Start); err != nil {
		return Outcome{}, err
	}
	if err := s.watch(k); err != nil {
		return Outcome{}, err
	}
	shown, _ := k.symptoms() // solved when the case was drawn
	var wrong []string
	for _, o := range shown {
		if _, box := k.Circuit.Device(o.Device); !slices.Contains(wrong, box.ID) {
			wrong = append(wrong, box.ID)
		}
	}
	return s.run(wrong)
}

// watch keeps in mind which metal is live in truth, until it is listed.
func (s *electrician) watch(truth *Case) error {
	live, err := truth.liveYokes()
	s.live = live
	s.out.LiveYokes, s.out.Unlisted = len(live), len(live)
	return err
}

// liveYokes lists the devices whose metal the faults make live.
func (k *Case) liveYokes() ([]string, error) {
	bench, err := tester.NewBench(k.Circuit)
	if err != nil {
		return nil, err
	}
	condition, err := bench.Try(slices.Concat(k.Faults, k.Hidden))
	if err != nil {
		return nil, err
	}
	var live []string
	for _, o := range bench.Outlets() {
		if o.Half == circuit.Top && condition.LiveYoke(o) {
			live = append(live, o.Device)
		}
	}
	return live, nil
}
