package makeup

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/nec"
	"elvat/core/practice"
	"elvat/core/wire"
)

func is(v bool) *bool                   { return &v }
func inches(v wire.Inches) *wire.Inches { return &v }

var (
	twoWire   = []circuit.Conductor{circuit.Hot, circuit.Neutral, circuit.Ground}
	threeWire = []circuit.Conductor{circuit.Hot, circuit.Hot2, circuit.Neutral, circuit.Ground}
	noGround  = []circuit.Conductor{circuit.Hot, circuit.Neutral}
)

// sound is a box with nothing wrong: a feed, a branch, and a receptacle for it.
func sound() *Box {
	return &Box{
		Format: BoxFormat, ID: "B1", Edition: 2023, Place: nec.Place{Room: nec.Living, Exposure: nec.Dry, Accessible: is(true), Finished: is(true)},
		Breaker: Breaker{Amps: 20, Protection: circuit.AFCIBreaker, OtherOutlets: is(true)},
		Box: Enclosure{
			VolumeIn3: 22.5,
			Mount:     "screwed",
			Loose:     is(false),
			SetbackIn: inches(0),
			Wall:      "gypsum",
			GapIn:     inches(0),
		},
		Cables: []Cable{
			{ID: "W1", Role: Line, AWG: 12, Conductors: twoWire, Condition: "sound", Insulation: map[circuit.Conductor]string{circuit.Hot: "black", circuit.Neutral: "white", circuit.Ground: "bare"}},
			{ID: "W2", Role: Outgoing, AWG: 12, Conductors: twoWire, Condition: "sound", Protect: ProtectUnknown},
		},
		Device: &Device{ID: "R1", Kind: "receptacle", Amps: 15, Terminals: "screw", TamperResistant: is(true)},
	}
}

func gfci(b *Box) {
	b.Device = &Device{
		ID:               "R1",
		Kind:             "gfci",
		Amps:             20,
		Terminals:        "clamp",
		WiresPerTerminal: 2,
		TamperResistant:  is(true),
	}
}

func ungrounded(b *Box) {
	for i := range b.Cables {
		b.Cables[i].Conductors = noGround
	}
	b.Cables[0].Insulation = nil
}

func made(t *testing.T, change func(*Box)) *Plan {
	t.Helper()
	b := sound()
	change(b)
	require.NoError(t, b.Check())
	p, err := Make(b, practice.Shop{}, nil)
	require.NoError(t, err)
	return p
}

func at(room nec.Room) *nec.Place { return &nec.Place{Room: room} }

func find(p *Plan, code string) *Finding {
	for i := range p.Findings {
		if p.Findings[i].Code == code {
			return &p.Findings[i]
		}
	}
	return nil
}

func TestASoundBoxHasNothingToSay(t *testing.T) {
	p := made(t, func(*Box) {})
	assert.Empty(t, p.Findings)
	assert.True(t, p.Issued)
	assert.Equal(t, [][2]string{
		{"W1@B1.ground", "splice:ground"}, {"W2@B1.ground", "splice:ground"}, {"splice:ground", "R1.ground"},
		{"W1@B1.neutral", "R1.neutral.1"}, {"W2@B1.neutral", "R1.neutral.2"}, {"W1@B1.hot", "R1.hot.1"}, {"W2@B1.hot", "R1.hot.2"},
	}, p.Wiring)
	assert.Equal(t, "Breaker off, secured, and prove the box dead", p.Steps[0].Do)
	assert.Equal(t, GateProven, p.Steps[len(p.Steps)-1].Gate)
}

// TestFindings: each thing that an opened box can show, with how much it weighs
// and whether it stops the plan. Sections from memory; the rest is common
// practice, no source.
func TestFindings(t *testing.T) {
	wired := func(e Existing, pairs ...[2]string) func(*Box) {
		return func(b *Box) { e.Wiring = pairs; b.Existing = &e }
	}
	duplex := Existing{ID: "X", Kind: circuit.Receptacle}
	rest := func(pairs ...[2]string) [][2]string { return pairs }
	straight := rest(
		[2]string{"W1@B1.hot", "X.hot.1"},
		[2]string{"W1@B1.neutral", "X.neutral.1"},
		[2]string{"W1@B1.ground", "splice:g"},
		[2]string{
			"W2@B1.ground",
			"splice:g",
		},
		[2]string{"splice:g", "X.ground"},
		[2]string{"W2@B1.hot", "X.hot.2"},
		[2]string{"W2@B1.neutral", "X.neutral.2"},
	)
	changed := func(from, to string) [][2]string {
		pairs := slices.Clone(straight)
		for i := range pairs {
			if pairs[i][0] == from {
				pairs[i][1] = to
			}
		}
		return pairs
	}
	for _, row := range []struct {
		code     string
		severity Severity
		stops    bool
		change   func(*Box)
	}{
		{"line-unknown", Must, true, func(b *Box) { b.Cables[0].Role = Unknown }},
		{"line-unknown", Must, true, func(b *Box) { b.Cables[1].Role = Unknown }},
		{"two-circuits", Danger, true, func(b *Box) { b.Cables[1].Role = Line }},
		{"feed-incomplete", Must, true, func(b *Box) {
			b.Cables[0].Conductors = []circuit.Conductor{circuit.Hot, circuit.Ground}
			b.Cables[0].Insulation = nil
		}},
		{"conductor-breaker", Must, false, func(b *Box) { b.Cables[1].AWG = 14 }},
		{"receptacle-rating", Must, false, func(b *Box) { b.Breaker.Amps, b.Device.Amps = 15, 20 }},
		{"receptacle-rating", Must, false, func(b *Box) { b.Device.Kind, b.Breaker.OtherOutlets = "single", is(false) }},
		{"aluminum", Danger, true, func(b *Box) { b.Cables[1].Material = "aluminum" }},
		{"aluminum", Danger, false, func(b *Box) { b.Cables[1].Material, b.Device.Aluminum = "aluminum", true }},
		{"insulation-damaged", Danger, true, func(b *Box) { b.Cables[0].Condition = "scorched" }},
		{"insulation-damaged", Must, false, func(b *Box) { b.Cables[0].Condition = "nicked" }},
		{"insulation-damaged", Must, false, func(b *Box) { b.Cables[0].Condition = "cloth" }},
		{"short-conductor", Must, false, func(b *Box) { b.Cables[1].FromSheathIn = inches(5) }},
		{"short-conductor", Must, false, func(b *Box) { b.Cables[1].PastFaceIn = inches(2) }},
		{"box-overfull", Must, false, func(b *Box) { b.Box.VolumeIn3 = 14 }},
		{"box-overfull", Must, false, func(b *Box) {
			b.Box.VolumeIn3, b.Box.Size, b.Box.Material, b.Box.Bonded = 0, "3 x 2 x 2 1/2", circuit.Metal, is(true)
		}},
		{"box-loose", Must, false, func(b *Box) { b.Box.Loose = is(true) }},
		{"box-recessed", Must, false, func(b *Box) { b.Box.SetbackIn = inches(0.375) }},
		{"box-recessed", Must, false, func(b *Box) { b.Box.SetbackIn, b.Box.Wall = inches(0.0625), "wood" }},
		{"wall-gap", Must, false, func(b *Box) { b.Box.GapIn = inches(0.25) }},
		{"box-unbonded", Must, false, func(b *Box) { b.Box.Material, b.Box.Bonded = circuit.Metal, is(false) }},
		{"box-unbonded", Danger, false, func(b *Box) { ungrounded(b); gfci(b); b.Box.Material, b.Box.Bonded = circuit.Metal, is(false) }},
		{"ground-missing", Danger, true, ungrounded},
		{"ground-missing", Must, false, func(b *Box) { ungrounded(b); gfci(b) }},
		{"ground-missing", Must, false, func(b *Box) { ungrounded(b); b.Breaker.Protection = circuit.DualBreaker }},
		{"ground-missing", Note, false, func(b *Box) { ungrounded(b); b.Box.Material, b.Cables[0].Type = circuit.Metal, "conduit" }},
		{"real-ground-needed", Must, false, func(b *Box) { ungrounded(b); gfci(b); b.Place.Serves = "chest freezer" }},
		{"colour-misleads", Should, false, func(b *Box) { b.Cables[0].Insulation[circuit.Hot] = "white" }},
		{"colour-misleads", Must, false, func(b *Box) { b.Cables[0].Insulation[circuit.Hot] = "green" }},
		{"shared-neutral", Must, false, func(b *Box) { b.Cables[0].Conductors, b.Breaker.Poles = threeWire, 2 }},
		{"stranded", Should, false, func(b *Box) { b.Cables[1].Stranded = true }},
		{"push-in-gauge", Must, false, func(b *Box) { b.Device.Terminals = "push-in" }},
		{"push-in", Note, false, func(b *Box) {
			b.Device.Terminals, b.Breaker.Amps = "push-in", 15
			b.Cables[0].AWG, b.Cables[1].AWG = 14, 14
		}},
		{"gfci-required", Must, false, func(b *Box) { b.Place.Room = nec.Garage }},
		{"gfci-required", Should, false, func(b *Box) { gfci(b); b.Cables[1].Protect, b.Practice.Load = ProtectYes, practice.LoadOwn }},
		{"afci-required", Must, false, func(b *Box) { b.Breaker.Protection = circuit.NoProtection }},
		{"tamper-resistant", Must, false, func(b *Box) { b.Device.TamperResistant = is(false) }},
		{"weather-resistant", Must, false, func(b *Box) {
			gfci(b)
			b.Place.Room, b.Place.Exposure, b.Device.WeatherResistant = nec.Outdoors, nec.Wet, is(false)
		}},
		{"cover", Must, false, func(b *Box) { gfci(b); b.Place.Room, b.Place.Exposure = nec.Outdoors, nec.Damp }},
		{"gfci-not-accessible", Must, false, func(b *Box) { gfci(b); b.Place.Accessible = is(false) }},
		{"second-gfci", Should, false, func(b *Box) { gfci(b); b.Breaker.Protection = circuit.DualBreaker }},
		{"must-not-go-off", Note, false, func(b *Box) { gfci(b); b.Cables[1].Protect = ProtectNo }},
		{"must-not-go-off", Must, false, func(b *Box) { gfci(b); b.Cables[1].Protect, b.Cables[1].ServesPlace = ProtectNo, at(nec.Garage) }},
		{"must-not-go-off", Should, false, func(b *Box) { b.Cables[1].Protect, b.Breaker.Protection = ProtectNo, circuit.DualBreaker }},
		{"device-defect", Must, false, wired(Existing{Kind: circuit.Receptacle, Seen: []string{"scorched"}})},
		{"bare-copper", Must, false, wired(Existing{Kind: circuit.Receptacle, Seen: []string{"bare-copper"}})},
		{"bare-copper", Danger, false, wired(Existing{Kind: circuit.Receptacle, Seen: []string{"ground-near-hot"}})},
		{"push-in", Should, false, wired(Existing{Kind: circuit.Receptacle, Terminals: "push-in"})},
		{"tab-removed", Must, false, wired(Existing{Kind: circuit.Receptacle, Tab: circuit.Tabs{Hot: circuit.TabRemoved}})},
		{"reversed", Danger, false, wired(duplex, append(changed("W1@B1.hot", "X.neutral.1")[:1], changed("W1@B1.neutral", "X.hot.1")[1:]...)...)},
		{"bootleg", Danger, false, wired(duplex, append(slices.Clone(straight[:2]), [2]string{"X.neutral.1", "X.ground"})...)},
		{"two-under-screw", Must, false, wired(duplex, changed("W2@B1.hot", "X.hot.1")...)},
		{"ground-through-device", Must, false, wired(duplex, [2]string{"W1@B1.ground", "X.ground"}, [2]string{"W2@B1.ground", "X.ground"})},
		{"neutral-through-device", Note, false, wired(duplex, straight...)},
		{"line-load-swapped", Danger, false, wired(Existing{ID: "X", Kind: circuit.GFCI}, [2]string{"W1@B1.hot", "X.load.hot"}, [2]string{"W1@B1.neutral", "X.load.neutral"})},
		{"not-recorded", Note, false, wired(duplex, straight[:2]...)},
		{"two-circuits", Danger, true, func(b *Box) {
			b.Cables[1].Insulation = map[circuit.Conductor]string{circuit.Hot: "red"}
			wired(duplex, [2]string{"W1@B1.hot", "X.hot.1"}, [2]string{"W2@B1.hot", "X.hot.2"})(b)
		}},
		{"two-circuits", Danger, true, func(b *Box) {
			b.Breaker.Poles, b.Cables[0].Conductors = 2, threeWire
			wired(duplex, [2]string{"W1@B1.hot", "X.hot.1"}, [2]string{"W1@B1.hot2", "X.hot.2"})(b)
		}},
	} {
		p := made(t, row.change)
		var f *Finding
		for i := range p.Findings {
			if p.Findings[i].Code == row.code && p.Findings[i].Severity == row.severity {
				f = &p.Findings[i]
			}
		}
		if !assert.NotNil(t, f, "%s %s: %v", row.code, row.severity, p.Findings) {
			continue
		}
		assert.NotEmpty(t, f.Text+f.Fix)
		assert.True(
			t,
			f.Section != "" && f.Check == nec.Adopted && f.Edition == 2023 || f.Practice != "",
			"%s stands on a section or on practice",
			row.code,
		)
		assert.Equal(t, row.stops, p.Stopped != "", "%s: %s", row.code, p.Stopped)
		if row.stops {
			assert.Nil(t, p.Proof)
			assert.False(t, p.Issued)
		}
	}
}

// TestWiring: what lands where, school by school.
func TestWiring(t *testing.T) {
	third := func(b *Box) {
		b.Cables = append(b.Cables, Cable{ID: "W3", Role: Outgoing, AWG: 12, Conductors: twoWire, Protect: ProtectUnknown})
	}
	for _, row := range []struct {
		name   string
		change func(*Box)
		want   []string // pairs that have to be there
		not    []string
	}{
		{"three cables: jumpers", third, []string{"W1@B1.hot splice:hot", "splice:hot R1.hot.1", "W3@B1.neutral splice:neutral"}, []string{"R1.hot.2"}},
		{"three cables through the device do not fit one screw", func(b *Box) { third(b); b.Practice.Device = practice.FeedThrough }, []string{"splice:hot R1.hot.1"}, nil},
		{"through clamps marked for two", func(b *Box) {
			third(b)
			b.Practice.Device, b.Device.Terminals = practice.FeedThrough, "clamp"
		}, []string{"W2@B1.hot R1.hot.2", "W3@B1.hot R1.hot.2"}, []string{"splice:hot"}},
		{"jumpers always", func(b *Box) { b.Practice.Device = practice.AlwaysPigtail }, []string{"splice:hot R1.hot.1"}, nil},
		{"USB: one wire to a terminal", func(b *Box) { b.Device.Kind, b.Device.WiresPerTerminal = "usb", 1 }, []string{"splice:hot R1.hot.1", "splice:neutral R1.neutral.1"}, nil},
		{"GFCI: a branch to protect on LOAD", func(b *Box) { gfci(b); b.Cables[1].Protect = ProtectYes }, []string{"W1@B1.hot R1.line.hot", "W2@B1.hot R1.load.hot", "W2@B1.neutral R1.load.neutral"}, nil},
		{"GFCI: not known, so with the feed", gfci, []string{"W2@B1.hot R1.line.hot"}, []string{"R1.load"}},
		{"GFCI: everything downstream, by the house", func(b *Box) { gfci(b); b.Practice.Load = practice.LoadAll }, []string{"W2@B1.hot R1.load.hot"}, nil},
		{"GFCI: nothing on LOAD, by the house", func(b *Box) { gfci(b); b.Practice.Load = practice.LoadOwn; b.Cables[1].Protect = ProtectYes }, []string{"W2@B1.hot R1.line.hot"}, []string{"R1.load"}},
		{"GFCI: must not go off", func(b *Box) { gfci(b); b.Cables[1].Protect = ProtectNo }, []string{"W2@B1.hot R1.line.hot"}, []string{"R1.load"}},
		{"GFCI: must not go off, and has to be protected: a GFCI of its own there", func(b *Box) { gfci(b); b.Cables[1].Protect, b.Cables[1].ServesPlace = ProtectNo, at(nec.Garage) }, []string{"W2@B1.hot R1.line.hot"}, []string{"R1.load"}},
		{"two devices", func(b *Box) { b.Others = []Device{{ID: "R2", Kind: "receptacle", Amps: 15}} }, []string{"splice:hot R1.hot.1", "splice:hot R2.hot.1", "splice:ground R2.ground"}, nil},
		{"a receptacle beside a GFCI hangs on its LOAD", func(b *Box) { gfci(b); b.Others = []Device{{ID: "R2", Kind: "receptacle", Amps: 15}} }, []string{"R1.load.hot R2.hot.1", "R1.load.neutral R2.neutral.1"}, nil},
		{"shared neutral: never through the device", func(b *Box) {
			b.Breaker.Poles = 2
			b.Cables[0].Conductors, b.Cables[0].Hot2 = threeWire, OtherLeg
			b.Cables[1].Conductors, b.Cables[1].Hot2 = threeWire, OtherLeg
		}, []string{"splice:neutral R1.neutral.1", "W1@B1.hot2 splice:hot2", "W2@B1.hot2 splice:hot2"}, []string{"R1.neutral.2"}},
		{"switched half", func(b *Box) {
			b.Cables[0].Conductors, b.Cables[0].Hot2, b.Device.Tab.Hot = threeWire, SwitchLeg, circuit.TabRemoved
		}, []string{"W1@B1.hot2 R1.hot.2", "splice:hot R1.hot.1"}, nil},
		{"metal box: a jumper to the box", func(b *Box) { b.Box.Material, b.Box.Bonded = circuit.Metal, is(true) }, []string{"splice:ground B1.box", "splice:ground R1.ground"}, nil},
		{"metal box: listed yoke contacts", func(b *Box) {
			b.Box.Material, b.Box.Bonded, b.Practice.MetalBox, b.Device.SelfGrounding = circuit.Metal, is(true), practice.Yoke, true
		}, []string{"splice:ground B1.box"}, []string{"R1.ground"}},
		{"conduit as the ground", func(b *Box) { ungrounded(b); b.Box.Material, b.Cables[0].Type = circuit.Metal, "conduit" }, []string{"R1.ground B1.box"}, nil},
		{"no ground: none is carried on", func(b *Box) { ungrounded(b); gfci(b); b.Cables[1].Conductors = twoWire }, []string{"W2@B1.ground splice:W2-ground"}, []string{"R1.ground"}},
		{"short: lengthened before a terminal", func(b *Box) { b.Cables[1].FromSheathIn = inches(4) }, []string{"W2@B1.hot splice:W2-hot", "splice:W2-hot R1.hot.2"}, nil},
		{"line unknown: the grounds alone", func(b *Box) { b.Cables[0].Role = Unknown }, []string{"W1@B1.ground splice:ground"}, []string{"hot", "neutral"}},
	} {
		p := made(t, row.change)
		var pairs []string
		for _, pair := range p.Wiring {
			pairs = append(pairs, pair[0]+" "+pair[1])
		}
		for _, want := range row.want {
			assert.Contains(t, pairs, want, row.name)
		}
		for _, not := range row.not {
			assert.NotContains(t, strings.Join(pairs, "\n"), not, row.name)
		}
		if p.Stopped == "" {
			left := row.name == "GFCI: nothing on LOAD, by the house" || row.name == "no ground: none is carried on"
			assert.Equal(t, left, find(p, "not-proven") != nil, "%s: %v", row.name, p.Findings)
			assert.Equal(t, !left, p.Issued, row.name)
		}
	}
}

func TestLineUnknownBringsTheProcedure(t *testing.T) {
	p := made(t, func(b *Box) { b.Cables[0].Role, b.Cables[1].Role = Unknown, Unknown })
	live := slices.IndexFunc(p.Steps, func(s Step) bool { return s.Live })
	require.Positive(t, live)
	assert.Contains(t, p.Steps[live].Detail, "qualified person")
	assert.Contains(t, p.Steps[live-1].Do, "with the power off", "the dead way comes first")
	assert.Contains(t, p.Steps[live].Do, "Only where no far end can be reached")
	assert.Contains(t, p.Steps[live+1].Do, "label both wires of that cable LINE")
	two := made(t, func(b *Box) { b.Cables[0].Role, b.Cables[0].Conductors = Unknown, threeWire })
	assert.False(
		t,
		slices.ContainsFunc(two.Steps, func(s Step) bool { return s.Live }),
		"never where a shared neutral is possible",
	)
}

// TestUngrounded: the ways on and which is best (NEC 406.4(D)(2), 250.130(C)
// from memory; the new cable where the way is open, common practice, no source).
func TestUngrounded(t *testing.T) {
	run := func(feet float64, open bool, serves string) func(*Box) {
		return func(b *Box) {
			ungrounded(b)
			gfci(b)
			b.Place.RunFeet, b.Place.OpenAccess, b.Place.Serves = &feet, &open, serves
		}
	}
	for _, row := range []struct {
		name    string
		change  func(*Box)
		best    string
		refused []string
	}{
		{"open and short", run(25, true, ""), "new-cable", nil},
		{"closed walls", run(25, false, ""), "gfci", nil},
		{"open and long", run(120, true, ""), "gfci", nil},
		{"a freezer needs a ground", run(120, false, "freezer"), "new-cable", []string{"gfci", "fed-from-gfci", "gfci-breaker", "two-slot"}},
		{"where a GFCI is required", func(b *Box) { run(60, false, "")(b); b.Place.Room = nec.Garage }, "gfci", []string{"two-slot"}},
		{"behind a GFCI breaker", func(b *Box) { run(60, false, "")(b); b.Breaker.Protection = circuit.DualBreaker }, "fed-from-gfci", nil},
	} {
		ways := made(t, row.change).Requires.Ungrounded
		require.NotEmpty(t, ways, row.name)
		assert.Equal(t, row.best, ways[0].Key, row.name)
		assert.NotEmpty(t, ways[0].Why, row.name)
		for i, w := range ways {
			assert.Equal(t, i == 0, w.Recommended)
			assert.Equal(t, !slices.Contains(row.refused, w.Key), w.Permitted, "%s: %s", row.name, w.Key)
			assert.NotEmpty(t, w.Section+w.Text)
			assert.NotEmpty(t, w.Gives)
			assert.Positive(t, w.Cost)
			assert.Positive(t, w.Minutes)
		}
	}
	assert.Empty(t, made(t, func(*Box) {}).Requires.Ungrounded, "a ground arrives")
	marked := made(t, func(b *Box) { ungrounded(b); gfci(b); b.Cables[1].Protect = ProtectYes })
	assert.Contains(t, marked.Markings, "R1: No Equipment Ground")
	assert.Contains(t, strings.Join(marked.Markings, "; "), "on W2: GFCI Protected")
	assert.True(t, marked.Issued)
}

// TestWhatIsThereNowIsSolved: the record of the old wiring, by pairs or by taps
// on the photograph, on the circuit model.
func TestWhatIsThereNowIsSolved(t *testing.T) {
	p := made(t, func(b *Box) {
		b.Existing = &Existing{ID: "X", Kind: circuit.Receptacle, Taps: []Tap{
			{0.2, 0.3, "W1@B1.hot", "X.neutral.1"}, {0.8, 0.3, "W1@B1.neutral", "X.hot.1"}, {0.5, 0.9, "W1@B1.ground", "splice:g"}, {0.5, 0.9, "splice:g", "X.ground"},
			{0.2, 0.6, "W2@B1.neutral", "X.hot.2"}, {0.8, 0.6, "W2@B1.hot", "X.neutral.2"}, {0.5, 0.9, "W2@B1.ground", "splice:g"},
		}}
	})
	require.NotNil(t, p.AsFound)
	byPlace := map[string]string{}
	for _, o := range p.AsFound.Outlets {
		byPlace[o.At] = o.Says
	}
	assert.Equal(t, Reversed, byPlace["X"])
	assert.Equal(t, "As it should be", byPlace["outlet-W2"], "what is fed on through it stays right")
	assert.NotNil(t, find(p, "reversed"))
	assert.True(t, p.Issued, "and the plan puts it right")
}

// TestOnTheRun: the plan in the call's circuit.
func TestOnTheRun(t *testing.T) {
	c := circuit.New("run")
	for _, after := range []string{circuit.Panel, "B1", "B2"} {
		require.NoError(t, c.AddStop(circuit.NewStop{After: after, Ground: true}))
	}
	b := sound()
	require.NoError(t, b.Check())
	gfci(b)
	b.Device.ID, b.Device.Slots = "G1", 3
	b.Cables[1].Protect = ProtectYes
	p, err := Make(b, practice.Shop{}, c)
	require.NoError(t, err)
	require.Len(t, p.Proof.Outlets, 6, "both halves of three devices")
	assert.Equal(t, []string{"G1"}, p.Proof.Outlets[5].Protected)
	require.NoError(t, b.Apply(c, p))
	v, _ := c.Device("G1")
	require.NotNil(t, v)
	assert.Equal(t, p.Wiring, c.Box("B1").Wiring)

	b.Cables[1].ID = "W9"
	_, err = Make(b, practice.Shop{}, c)
	assert.ErrorContains(t, err, "W2")
	b.ID = "B7"
	_, err = Make(b, practice.Shop{}, c)
	assert.ErrorContains(t, err, "B7: not on the run")
}

func TestSectionsFollowTheShop(t *testing.T) {
	b := sound()
	b.Edition, b.Place.Room = 0, nec.Hall
	require.NoError(t, b.Check())
	shop := practice.Shop{
		Edition: 2017,
		Amendments: []nec.Rule{
			{Topic: nec.GroundFault, Section: "Town code 12", Text: "halls", When: nec.Condition{Rooms: []nec.Room{nec.Hall}}},
		},
	}
	p, err := Make(b, shop, nil)
	require.NoError(t, err)
	assert.Equal(t, nec.Edition(2017), p.Edition)
	assert.Equal(t, "Town code 12", p.Requires.GFCI.Section)
	assert.True(t, p.Requires.GFCI.Local)
	assert.Equal(t, "Town code 12", find(p, "gfci-required").Section)
}

func TestBadBoxes(t *testing.T) {
	for _, row := range []struct {
		change func(*Box)
		says   string
	}{
		{func(b *Box) { b.Format = "x" }, "format"}, {func(b *Box) { b.ID = "a b" }, "id"}, {func(b *Box) { b.Edition = 1990 }, "1990"},
		{func(b *Box) { b.Place.Room = "moon" }, "place.room"}, {func(b *Box) { b.Breaker.Amps = 0 }, "breaker.amps"}, {func(b *Box) { b.Breaker.Poles = 3 }, "breaker.poles"},
		{func(b *Box) { b.Box.Wall = "ice" }, "box.wall"}, {func(b *Box) { b.Box.Size = "round" }, "box.size"}, {func(b *Box) { b.Box.GapIn = inches(-1) }, "box.gapIn"},
		{func(b *Box) { b.Cables[1].ID = "W1" }, "W1: the name is used twice"}, {func(b *Box) { b.Cables[1].AWG = 13 }, "cable W2: awg"},
		{func(b *Box) { b.Cables[1].Conductors = nil }, "cable W2: conductors"}, {func(b *Box) { b.Cables[1].Role = "up" }, "cable W2: role"},
		{func(b *Box) { b.Cables[1].Insulation = map[circuit.Conductor]string{circuit.Hot2: "red"} }, "cable W2: insulation"},
		{func(b *Box) { b.Device.Kind = "lamp" }, "device.kind"}, {func(b *Box) { b.Device.ID = "W1" }, "device.id"}, {func(b *Box) { b.Practice.Splice = "glue" }, "splice"},
		{func(b *Box) { gfci(b); b.Device.Slots = 2 }, "three slots"}, {func(b *Box) { b.Others = make([]Device, 9) }, "others"},
		{func(b *Box) { b.Existing = &Existing{Wiring: [][2]string{{"W9@B1.hot", "X.hot.1"}}} }, "existing.wiring[0]: W9@B1.hot"},
		{func(b *Box) { b.Existing = &Existing{Wiring: [][2]string{{"W1@panel.hot", "X.hot.1"}}} }, "no point inside"},
		{func(b *Box) { b.Existing = &Existing{Seen: []string{"ghosts"}} }, "existing.seen"},
		{func(b *Box) { b.Existing = &Existing{Taps: []Tap{{X: 2}}} }, "not on the picture"},
	} {
		b := sound()
		row.change(b)
		assert.ErrorContains(t, b.Check(), row.says)
	}
	_, err := Parse([]byte(`{ "format": "elvat-box/1", "id": "B1", "colour": 3 }`))
	assert.ErrorContains(t, err, `unknown key "colour"`)
}

func TestPlatesAndSpacers(t *testing.T) {
	// Plate sizes from memory; a layer of 1/16 in is an assumption.
	for _, row := range []struct {
		gap  wire.Inches
		name string
		fits bool
	}{{0.125, "standard", true}, {0.25, "standard", true}, {0.375, "medium", true}, {0.5, "large", true}, {1, "", false}} {
		p, fits := PlateFor(row.gap)
		assert.Equal(t, row.fits, fits, "%v", row.gap)
		assert.Equal(t, row.name, p.Name, "%v", row.gap)
	}
	for setback, layers := range map[wire.Inches]int{0: 0, 0.0625: 1, 0.1: 2, 0.125: 2, 0.25: 4} {
		assert.Equal(t, layers, Layers(setback), "%v", setback)
	}
	for in, words := range map[float64]string{6: "6", 0.4375: "7/16", 0.625: "5/8", 0.75: "3/4", 1.5: "1 1/2"} {
		assert.Equal(t, words, Fraction(in))
	}
}

// TestMustStayOn: what hangs beyond on cables that must not go off unseen.
func TestMustStayOn(t *testing.T) {
	c := circuit.New("run")
	for _, after := range []string{circuit.Panel, "B1", "B2", "B1"} {
		require.NoError(t, c.AddStop(circuit.NewStop{After: after, Ground: true}))
	}
	b, err := FromRun(c, "B1", true)
	require.NoError(t, err)
	assert.Empty(t, b.MustStayOn(c), "no GFCI here, nothing to hang on")
	gfci(b)
	b.Device.Slots = 3
	b.Cables[1].Protect, b.Cables[2].Protect = ProtectNo, ProtectYes
	b.Place.Room = nec.Living
	p, err := Make(b, practice.Shop{}, c)
	require.NoError(t, err)
	require.NoError(t, b.Apply(c, p))
	assert.Equal(t, []Stay{{"R2", "R1"}, {"R3", "R1"}}, b.MustStayOn(c), "all that hangs on that cable")

	b.Cables[1].ServesPlace = at(nec.Garage) // there it has to be protected: by a GFCI of its own
	p, err = Make(b, practice.Shop{}, c)
	require.NoError(t, err)
	assert.Equal(t, Must, find(p, "must-not-go-off").Severity)
	require.NoError(t, b.Apply(c, p))
	assert.Len(t, b.MustStayOn(c), 2)
}

// TestBoxAndRunAgree: a box that does not fit the run is refused by name.
func TestBoxAndRunAgree(t *testing.T) {
	c := circuit.New("run")
	for _, after := range []string{circuit.Panel, "B1"} {
		require.NoError(t, c.AddStop(circuit.NewStop{After: after, Ground: true}))
	}
	for _, row := range []struct {
		change func(*Box)
		says   string
	}{
		{func(*Box) {}, ""},
		{func(b *Box) { b.Cables[0].Role, b.Cables[1].Role = Unknown, Unknown }, ""},
		{func(b *Box) { b.Cables[0].Role, b.Cables[1].Role = Outgoing, Line }, "on the run it is the feed of B1"},
		{func(b *Box) { b.Cables = b.Cables[:1] }, "cable W2: on the run it ends in B1"},
		{func(b *Box) {
			b.Cables = append(b.Cables, Cable{ID: "W7", Role: Outgoing, AWG: 12, Conductors: twoWire})
		}, "cable W7: on the run it does not come to B1"},
	} {
		b, err := FromRun(c, "B1", true)
		require.NoError(t, err)
		row.change(b)
		err = b.Agrees(c)
		if row.says == "" {
			assert.NoError(t, err)
			continue
		}
		assert.ErrorContains(t, err, row.says)
		p, err := Make(b, practice.Shop{}, nil)
		require.NoError(t, err)
		p.Disagrees(b.Agrees(c))
		assert.Equal(t, "run-disagrees", p.Findings[0].Code)
		assert.False(t, p.Issued)
	}
}

// TestTheWorkedExample: a 20 A workshop box with a feed, bench outlets to
// protect and a freezer that must not go off.
func TestTheWorkedExample(t *testing.T) {
	b, err := Parse([]byte(`{ "format": "elvat-box/1", "id": "B2", "edition": 2023,
	  "place": { "room": "workshop", "finished": true, "outdoors": false, "exposure": "dry", "feetToSink": 4, "feetToTub": null, "countertop": false, "accessible": true },
	  "breaker": { "amps": 20, "poles": 1, "protection": "none", "otherOutlets": true },
	  "box": { "material": "plastic", "volumeIn3": 18, "size": "", "clamps": 0, "fittings": 0, "bonded": false, "mount": "nailed", "loose": false, "setbackIn": 0.125, "wall": "gypsum", "gapIn": 0, "layersOut": 0 },
	  "cables": [
	    { "id": "W2", "role": "line", "awg": 12, "conductors": ["hot", "neutral", "ground"], "insulation": { "hot": "black", "neutral": "white", "ground": "bare" }, "type": "NM", "fromSheathIn": 7, "pastFaceIn": 4, "condition": "sound", "material": "copper", "stranded": false },
	    { "id": "W3", "role": "outgoing", "awg": 12, "conductors": ["hot", "neutral", "ground"], "protect": "yes", "serves": "bench outlets" },
	    { "id": "W4", "role": "outgoing", "awg": 12, "conductors": ["hot", "neutral", "ground"], "protect": "no", "serves": "freezer" } ],
	  "existing": { "kind": "receptacle", "slots": 3, "tab": { "hot": "intact", "neutral": "intact" }, "marking": "", "wiring": [ ["W2@B2.hot", "R2.hot.1"] ] },
	  "device": { "id": "G2", "kind": "gfci", "amps": 20, "terminals": "clamp", "wiresPerTerminal": 2, "stripIn": 0.625, "tamperResistant": true, "weatherResistant": false },
	  "practice": { "splice": "lever", "device": "pigtail-at-3" } }`))
	require.NoError(t, err)
	p, err := Make(b, practice.Shop{}, nil)
	require.NoError(t, err)
	assert.True(t, p.Issued)
	assert.True(t, p.Requires.GFCI.Required, "within 6 ft of a sink")
	assert.Equal(t, 20.25, float64(p.Fill.RequiredIn3))
	assert.False(t, p.Fill.OK)
	assert.Equal(t, [][2]string{
		{"W2@B2.ground", "splice:ground"}, {"W3@B2.ground", "splice:ground"}, {"W4@B2.ground", "splice:ground"}, {"splice:ground", "G2.ground"},
		{"W2@B2.neutral", "splice:neutral"}, {"W4@B2.neutral", "splice:neutral"}, {"splice:neutral", "G2.line.neutral"}, {"W3@B2.neutral", "G2.load.neutral"},
		{"W2@B2.hot", "splice:hot"}, {"W4@B2.hot", "splice:hot"}, {"splice:hot", "G2.line.hot"}, {"W3@B2.hot", "G2.load.hot"},
	}, p.Wiring)
	for _, s := range p.Splices {
		assert.Contains(t, []string{"lever, 3-wire", "lever, 5-wire"}, s.Connector)
		assert.EqualValues(t, 12, s.AWG)
	}
	for _, j := range p.Jumpers {
		assert.GreaterOrEqual(t, float64(j.Inches), 6.0)
		assert.EqualValues(t, 12, j.AWG)
	}
	behind := map[string][]string{}
	for _, o := range p.Proof.Outlets {
		behind[o.At] = o.Protected
	}
	assert.Equal(t, map[string][]string{"G2": {"G2"}, "outlet-W3": {"G2"}, "outlet-W4": {}}, behind)
	assert.Contains(t, string(p.Predicted), `"format":"elvat-readings/1"`)
}

// TestPlaces: where a wire can be said to land, and the jumper a splice of its
// kind usually has.
func TestPlaces(t *testing.T) {
	words := func(change func(*Box)) map[string]LandingPlace {
		b := sound()
		b.Existing = &Existing{ID: "X", Kind: circuit.Receptacle}
		change(b)
		require.NoError(t, b.Check())
		all := map[string]LandingPlace{}
		for _, p := range b.Places() {
			all[p.Point] = p
		}
		return all
	}
	duplex := words(func(*Box) {})
	assert.Equal(t, "upper brass screw", duplex["X.hot.1"].Words)
	assert.Equal(t, "X.hot.1", duplex["splice:hot"].Jumper)
	assert.Equal(t, "X.ground", duplex["splice:ground"].Jumper)
	assert.Empty(t, duplex["splice:other"].Jumper)
	assert.NotContains(t, duplex, "B1.box")
	old := words(func(b *Box) { b.Existing.Kind, b.Box.Material = circuit.GFCI, circuit.Metal })
	assert.Equal(t, "LOAD silver terminal", old["X.load.neutral"].Words)
	assert.Equal(t, "X.line.hot", old["splice:hot"].Jumper, "never to LOAD")
	assert.Contains(t, old, "B1.box")
	assert.Empty(t, words(func(b *Box) { b.Existing = nil }))
}
