package trial

import (
	"math"
	"math/rand/v2"
	"slices"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/draw"
	"elvat/core/fault"
	"elvat/core/tester"
)

// How rough cases are drawn. The generator shares no table with the diagnosis.
// Assumption.
const (
	roughFactor    = 4.0 // each kind's weight, and each box's, is off by up to this
	roughLength    = 0.3 // cable lengths are off by up to this share
	roughLoads     = 0.3 // of cases with something plugged in that nobody recorded
	roughSwitch    = 0.1 // of cases with a wall switch off
	roughElsewhere = 0.1 // of cases with a tripped GFCI that is not on the run
	roughGround    = 0.5 // of cases whose kind of ground is not known
	roughErring    = 0.1 // of a customer's words that are wrong
	roughTwo       = 0.2
	// roughOutside is the period of the cases whose readings come from outside.
	roughOutside = 10
)

// A Rough case is one of which not everything is known: what is recorded and
// what is there differ.
type Rough struct {
	Belief, Truth     *circuit.Circuit
	Conditions        diagnosis.Conditions
	Hidden            []Hidden
	Switched, Tripped []circuit.Fault
	Complaint         circuit.Outlet
	Wrong             []string
}

// roughKinds are the faults that are drawn: of what share, before the factor.
var roughKinds = []struct {
	share float64
	draw  func(r *rand.Rand, c *circuit.Circuit, box *circuit.Box, v *circuit.Device) []circuit.Fault
}{
	{24, openEnd(circuit.Hot)},
	{22, openEnd(circuit.Neutral)},
	{12, openEnd(circuit.Ground)},
	{9, func(r *rand.Rand, _ *circuit.Circuit, _ *circuit.Box, v *circuit.Device) []circuit.Fault {
		t := v.Terminals()
		return one(circuit.Fault{Kind: circuit.Open, At: v.ID + "." + t[r.IntN(len(t))].Name})
	}},
	{8, func(_ *rand.Rand, _ *circuit.Circuit, _ *circuit.Box, v *circuit.Device) []circuit.Fault {
		return one(circuit.Fault{Kind: circuit.Swapped, At: v.ID, Pair: circuit.HotNeutral})
	}},
	{3, func(r *rand.Rand, c *circuit.Circuit, box *circuit.Box, _ *circuit.Device) []circuit.Fault {
		return one(
			circuit.Fault{Kind: circuit.Swapped, At: roughCable(r, c, box).ID + "@" + box.ID, Pair: circuit.HotNeutral},
		)
	}},
	{6, func(r *rand.Rand, _ *circuit.Circuit, _ *circuit.Box, v *circuit.Device) []circuit.Fault {
		slot := []string{"top.hot", "bottom.hot", "top.neutral", "bottom.neutral"}[r.IntN(4)]
		return one(circuit.Fault{Kind: circuit.Open, At: v.ID + "." + slot})
	}},
	{5, func(r *rand.Rand, c *circuit.Circuit, box *circuit.Box, _ *circuit.Device) []circuit.Fault {
		k := []circuit.Conductor{circuit.Hot, circuit.Neutral}[r.IntN(2)]
		// From 0.1 to 300 ohms, as many in each factor of ten.
		ohms := math.Round(100*math.Exp(math.Log(0.1)+r.Float64()*math.Log(3000))) / 100
		return one(
			circuit.Fault{Kind: circuit.Resistive, At: roughCable(r, c, box).ID + "@" + box.ID + "." + string(k), Ohms: ohms},
		)
	}},
	{3, func(_ *rand.Rand, _ *circuit.Circuit, _ *circuit.Box, v *circuit.Device) []circuit.Fault {
		return one(circuit.Fault{Kind: circuit.Bonded, At: v.ID, Pair: circuit.NeutralGround, Ohms: 0.02})
	}},
	{8, func(r *rand.Rand, c *circuit.Circuit, box *circuit.Box, v *circuit.Device) []circuit.Fault {
		if v.Kind != circuit.GFCI {
			return nil
		}
		return one(
			circuit.Fault{Kind: circuit.GFCIFault, At: v.ID, State: []string{"tripped", "dead", "line-load-swapped"}[r.IntN(3)]},
		)
	}},
}

func one(f circuit.Fault) []circuit.Fault { return []circuit.Fault{f} }

func openEnd(k circuit.Conductor) func(*rand.Rand, *circuit.Circuit, *circuit.Box, *circuit.Device) []circuit.Fault {
	return func(r *rand.Rand, c *circuit.Circuit, box *circuit.Box, _ *circuit.Device) []circuit.Fault {
		return one(circuit.Fault{Kind: circuit.Open, At: roughCable(r, c, box).ID + "@" + box.ID + "." + string(k)})
	}
}

func roughCable(r *rand.Rand, c *circuit.Circuit, box *circuit.Box) *circuit.Cable {
	all := append([]*circuit.Cable{c.LineCable(box.ID)}, c.Outgoing(box.ID)...)
	return c.Cable(all[r.IntN(len(all))].ID)
}

// skew is a random factor of up to four either way.
func skew(r *rand.Rand) float64 { return math.Pow(roughFactor, 2*r.Float64()-1) }

// DrawRough draws one whose complaint shows by the tester that it is noticed by.
func DrawRough(seed uint64) (*Rough, error) {
	r := rand.New(rand.NewPCG(seed, 81))
	for {
		k, err := drawRough(r)
		if err != nil || k != nil {
			return k, err
		}
	}
}

func drawRough(r *rand.Rand) (*Rough, error) {
	k := &Rough{Truth: draw.Circuit(r, draw.Options{Boxes: 3 + r.IntN(8), Plain: true})}
	k.Belief = k.Truth.Clone()
	k.Truth.Supply.Volts = []float64{116, 118, 120, 120, 122, 124}[r.IntN(6)]
	for i := range k.Belief.Cables {
		k.Belief.Cables[i].Feet = math.Max(1, math.Round(k.Truth.Cables[i].Feet*(1+roughLength*(2*r.Float64()-1))))
	}
	if r.Float64() < roughLoads {
		for range 1 + r.IntN(2) {
			box := k.Truth.Boxes[r.IntN(len(k.Truth.Boxes))]
			watts := []float64{5, 15, 40, 60, 100, 300, 600, 1000, 1500}[r.IntN(9)]
			if err := k.Truth.AddLoad(box.Devices[0].ID, circuit.Halves[r.IntN(2)], watts); err != nil {
				return nil, nil //nolint:nilerr // there is no room for it: drawn anew
			}
		}
	}
	k.Conditions = conditions(r, k.Belief)
	if r.Float64() < roughGround {
		k.Conditions.Ground = diagnosis.GroundUnknown
	}
	k.hide(r)
	faults := k.faults()
	if len(k.Hidden)+len(k.Switched)+len(k.Tripped) == 0 {
		return nil, nil
	}
	return k.complain(r, faults)
}

// hide draws what is wrong.
func (k *Rough) hide(r *rand.Rand) {
	c := k.Truth
	n := 1
	if r.Float64() < roughTwo {
		n = 2
	}
	switch u := r.Float64(); {
	case u < roughSwitch:
		box := c.Boxes[r.IntN(len(c.Boxes))]
		half := circuit.Halves[r.IntN(2)]
		k.Switched = (diagnosis.Unrecorded{Kind: diagnosis.Switched, At: box.Devices[0].ID, Half: half}).Opens(c)
		n = 0
	case u < roughSwitch+roughElsewhere:
		cable := c.Cables[0]
		if r.IntN(3) == 0 {
			cable = c.Cables[r.IntN(len(c.Cables))]
		}
		k.Tripped = (diagnosis.Unrecorded{Kind: diagnosis.GFCIElsewhere, At: cable.ID, State: diagnosis.StateTripped}).Opens(
			c,
		)
		n = 0
	}
	weights := make([]float64, len(roughKinds))
	boxes := boxWeights(c, k.Conditions)
	for i, kind := range roughKinds {
		weights[i] = kind.share * skew(r)
	}
	for i := range boxes {
		boxes[i] *= skew(r)
	}
	for tries := 0; len(k.Hidden) < n && tries < 100; tries++ {
		box := &c.Boxes[pick(r, boxes)]
		faults := roughKinds[pick(r, weights)].draw(r, c, box, &box.Devices[r.IntN(len(box.Devices))])
		if len(faults) == 0 || c.CheckFault(faults[0]) != nil || !draw.Lands(c, faults[0]) {
			continue
		}
		site := fault.Site(c, faults)
		if slices.ContainsFunc(k.Hidden, func(h Hidden) bool { return h.Sites[0] == site }) {
			continue
		}
		k.Hidden = append(k.Hidden, Hidden{Faults: faults, Sites: []string{site}})
	}
}

func pick(r *rand.Rand, weights []float64) int {
	total := 0.0
	for _, w := range weights {
		total += w
	}
	u := r.Float64() * total
	for i, w := range weights {
		if u -= w; u < 0 {
			return i
		}
	}
	return len(weights) - 1
}

func (k *Rough) faults() []circuit.Fault {
	var all []circuit.Fault
	for _, h := range k.Hidden {
		all = append(all, h.Faults...)
	}
	return slices.Concat(all, k.Switched, k.Tripped)
}

// complain finds where something reads wrong; nil where a fault would not be
// complained of by anybody with a plug tester.
func (k *Rough) complain(r *rand.Rand, faults []circuit.Fault) (*Rough, error) {
	of := &Case{Circuit: k.Truth, Faults: faults}
	shown, err := of.symptoms()
	if err != nil || len(shown) == 0 {
		return nil, err
	}
	for i := range k.Hidden {
		alone := &Case{Circuit: k.Truth, Faults: k.Hidden[i].Faults}
		own, err := alone.symptoms()
		if err != nil {
			return nil, err
		}
		if !slices.ContainsFunc(own, func(o circuit.Outlet) bool { return slices.Contains(shown, o) }) {
			return nil, nil
		}
	}
	for _, o := range shown {
		if _, box := k.Truth.Device(o.Device); !slices.Contains(k.Wrong, box.ID) {
			k.Wrong = append(k.Wrong, box.ID)
		}
	}
	k.Complaint = shown[r.IntN(len(shown))]
	return k, nil
}

// Solve lets a simulated electrician follow what is proposed, who knows what is
// recorded.
func (k *Rough) Solve(seed uint64, source Source) (Outcome, error) {
	if source == nil {
		source = Simulated
	}
	settings := diagnosis.Defaults()
	settings.Conditions = k.Conditions
	settings.Errors.ToldOutlet = diagnosis.DefaultErrors.ToldOutlet
	s := &electrician{
		belief: k.Belief, truth: k.Truth, left: slices.Clone(k.Hidden), switched: k.Switched, tripped: k.Tripped, source: source, settings: settings,
		r: rand.New(rand.NewPCG(seed, 82)), misreads: true, erring: roughErring,
	}
	// What is worst for one meter is so for the whole call.
	s.gain = 1 + 0.01*s.r.NormFloat64()
	if err := s.phone([]circuit.Outlet{k.Complaint}); err != nil {
		return Outcome{}, err
	}
	reading, err := s.reading(
		"complaint",
		k.Complaint,
		diagnosis.Test{At: k.Complaint.Device, Half: k.Complaint.Half, Tool: toolFor(k.Complaint)},
	)
	if err != nil {
		return Outcome{}, err
	}
	s.readings = append(s.readings, reading)
	s.note(reading)
	s.at = s.boxOf(k.Complaint.Device)
	if err := s.watch(&Case{Circuit: k.Truth, Faults: k.faults()}); err != nil {
		return Outcome{}, err
	}
	return s.run(k.Wrong)
}

// toolFor is the tester that goes into the outlet.
func toolFor(o circuit.Outlet) tester.Tool {
	if o.HasGround {
		return tester.Plug
	}
	return tester.Lamp
}
