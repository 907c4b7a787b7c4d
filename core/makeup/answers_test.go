package makeup

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/nec"
	"elvat/core/practice"
	"elvat/core/wire"
)

// joins reports whether the plan lands the two on one another.
func joins(p *Plan, from, to string) bool { return newNets(p.Wiring).same(from, to) }

// TestServed: what a cable serves decides where it goes, and is asked where it is not
// told. Sections from memory; what must not go off is common practice, no source.
func TestServed(t *testing.T) {
	const line, load = "R1.line.hot", "R1.load.hot"
	for _, row := range []struct {
		name     string
		change   func(*Cable)
		on       string
		severity Severity // of must-not-go-off, or of gfci-required; empty: neither
		asks     string
	}{
		{"nothing told", func(*Cable) {}, line, "", "servesLoad"},
		{"nothing told, and its room is asked", func(*Cable) {}, line, "", "servesPlace"},
		{"a freezer behind a bathroom's GFCI, in a bedroom", func(c *Cable) { c.ServesLoad, c.ServesPlace = Freezer, at(nec.Bedroom) }, line, Note, ""},
		{"a freezer in the garage", func(c *Cable) { c.ServesLoad, c.ServesPlace = Freezer, at(nec.Garage) }, line, Must, ""},
		{"a freezer, in words", func(c *Cable) { c.Serves, c.ServesPlace = "Deep Freeze downstairs", at(nec.Garage) }, line, Must, ""},
		{"a freezer put on LOAD by choice", func(c *Cable) { c.ServesLoad, c.Protect = Freezer, ProtectYes }, load, Must, ""},
		{"a sump pump put on LOAD by choice", func(c *Cable) { c.Serves, c.Protect = "sump", ProtectYes }, load, Must, ""},
		{"a second bathroom", func(c *Cable) { c.ServesLoad, c.ServesPlace = OtherLoad, at(nec.Bathroom) }, load, "", ""},
		{"a bathroom, and what hangs there is not told", func(c *Cable) { c.ServesPlace = at(nec.Bathroom) }, line, Must, "servesLoad"},
		{"a hall", func(c *Cable) { c.ServesLoad, c.ServesPlace = NoLoad, at(nec.Hall) }, line, "", ""},
		{"said to be protected", func(c *Cable) { c.Protect = ProtectYes }, load, "", ""},
	} {
		p := made(t, func(b *Box) { gfci(b); b.Place.Room = nec.Bathroom; row.change(&b.Cables[1]) })
		assert.True(t, joins(p, "W2@B1.hot", row.on), "%s: %v", row.name, p.Wiring)
		got := Severity("")
		for _, code := range []string{"must-not-go-off", "gfci-required"} {
			if f := find(p, code); f != nil {
				got = f.Severity
			}
		}
		assert.Equal(t, row.severity, got, "%s: %v", row.name, p.Findings)
		asked := false
		for _, a := range p.Asks {
			asked = asked || row.asks != "" && strings.HasSuffix(a.Field, "W2."+row.asks)
		}
		assert.Equal(t, row.asks != "", asked, "%s: %v", row.name, p.Asks)
	}
	for words, load := range map[string]Load{
		"CPAP by the bed": Medical, "wine fridge": Refrigerator, "router shelf": Computer, "Boiler room": Heating, "smoke alarms": Alarm,
		"ejector pump": SumpPump, "bench": UnknownLoad, "": UnknownLoad,
	} {
		assert.Equal(t, load, LoadIn(words), words)
	}
	old, err := Parse([]byte(`{ "format": "elvat-box/1", "id": "B1", "breaker": { "amps": 20 }, "box": {}, "cables": [
		{ "id": "W1", "role": "line", "awg": 12, "conductors": ["hot", "neutral"], "place": { "room": "garage" } } ] }`))
	require.NoError(t, err)
	assert.Equal(t, nec.Garage, old.Cables[0].ServesPlace.Room, "as it used to be written")
}

// TestSwitchBeside: a switch in the same box is fed with the device, and only what it
// controls hangs on it; behind a GFCI it and its neutral are both on LOAD. The proof has it
// on. Fill: each yoke counts twice (NEC 314.16(B)(4), from memory).
func TestSwitchBeside(t *testing.T) {
	beside := func(b *Box) { b.Switches = []Switch{{"S1", "W2"}} }
	for _, row := range []struct {
		name        string
		change      func(*Box)
		fed, beyond string // what the switch and its cable's neutral hang on
	}{
		{"beside a duplex", beside, "R1.hot.1", "R1.neutral.2"},
		{"beside a GFCI, unprotected", func(b *Box) { gfci(b); beside(b) }, "R1.line.hot", "R1.line.neutral"},
		{"beside a GFCI, protected", func(b *Box) { gfci(b); b.Cables[1].Protect = ProtectYes; beside(b) }, "R1.load.hot", "R1.load.neutral"},
	} {
		p := made(t, row.change)
		assert.True(t, p.Issued, "%s: %v", row.name, p.Findings)
		assert.True(t, joins(p, "S1.hot.1", row.fed), "%s: %v", row.name, p.Wiring)
		assert.True(t, joins(p, "W2@B1.hot", "S1.hot.2"), row.name)
		assert.True(t, joins(p, "W2@B1.neutral", row.beyond), "%s: %v", row.name, p.Wiring)
		assert.False(t, joins(p, "S1.hot.1", "S1.hot.2"), row.name)
		assert.True(t, joins(p, "S1.ground", "R1.ground"), row.name)
		assert.NotNil(t, find(p, "on-a-switch"), row.name)
	}
	with, without := made(t, beside), made(t, func(*Box) {})
	assert.InDelta(t, 4.5, float64(with.Fill.RequiredIn3-without.Fill.RequiredIn3), 1e-9, "two of 12 AWG")
	for _, row := range []struct{ controls, says string }{
		{"W1", "switches[0].controls: W1 cannot hang on a switch here"}, {"W9", "no cable W9"}, {"", "no cable"},
	} {
		b := sound()
		b.Switches = []Switch{{"S1", row.controls}}
		assert.ErrorContains(t, b.Check(), row.says)
	}
	b := sound()
	b.Switches = []Switch{{"S1", "W2"}, {"S2", "W2"}}
	assert.ErrorContains(t, b.Check(), "hangs on another switch already")
	b.Switches = []Switch{{"R1", "W2"}}
	assert.ErrorContains(t, b.Check(), "used twice")
}

// TestHalves: what hung on a wall switch still does, or its loss is said.
func TestHalves(t *testing.T) {
	loop := func(b *Box) {
		b.Cables = append(b.Cables, Cable{
			ID: "W3", Role: Outgoing, AWG: 12, Conductors: []circuit.Conductor{circuit.Hot, circuit.Hot2, circuit.Ground}, Hot2: SwitchLeg, Condition: "sound",
		})
	}
	red := func(b *Box) { b.Cables[0].Conductors, b.Cables[0].Hot2 = threeWire, SwitchLeg }
	old := func(e Existing) func(*Box) {
		return func(b *Box) { e.Kind = circuit.Receptacle; b.Existing = &e }
	}
	broken := Existing{Tab: circuit.Tabs{Hot: circuit.TabRemoved}, Switched: circuit.Bottom}
	top := broken
	top.Switched = circuit.Top
	for _, row := range []struct {
		name    string
		changes []func(*Box)
		half    string // the terminal that the switched hot lands on; empty: lost
		lost    bool
	}{
		{"red from the feed, lower half", []func(*Box){red, old(broken)}, "W1@B1.hot2 R1.hot.2", false},
		{"red from the feed, upper half", []func(*Box){red, old(top)}, "W1@B1.hot2 R1.hot.1", false},
		{"a switch loop", []func(*Box){loop, old(broken)}, "W3@B1.hot2 R1.hot.2", false},
		{"a switch loop, nothing told of the old device", []func(*Box){loop}, "W3@B1.hot2 R1.hot.2", false},
		{"a GFCI in its place", []func(*Box){red, old(broken), gfci}, "", true},
		{"left whole", []func(*Box){red, old(broken), func(b *Box) { b.Device.Whole = true }}, "", true},
		{"which wire comes from the switch is not told", []func(*Box){old(broken)}, "", true},
	} {
		p := made(t, func(b *Box) {
			for _, change := range row.changes {
				change(b)
			}
		})
		if row.half != "" {
			from, to, _ := strings.Cut(row.half, " ")
			assert.True(t, joins(p, from, to), "%s: %v", row.name, p.Wiring)
			steady := map[string]string{"R1.hot.1": "R1.hot.2", "R1.hot.2": "R1.hot.1"}[to]
			assert.True(t, joins(p, "W1@B1.hot", steady), "%s: %v", row.name, p.Wiring)
			assert.False(t, joins(p, from, steady), row.name)
			assert.True(t, p.Issued, "%s: %v", row.name, p.Findings)
			assert.Contains(t, codesOf(p), "break-tab", row.name)
		}
		assert.Equal(t, row.lost, find(p, "switched-half-lost") != nil, "%s: %v", row.name, p.Findings)
		if row.lost {
			assert.True(t, find(p, "switched-half-lost").Open(), row.name)
		}
		assert.Nil(t, find(p, "two-circuits"), row.name)
		assert.NotContains(t, p.Steps[0].Do, "Both breakers", "a switch leg is no second circuit")
		for _, a := range p.Asks {
			assert.NotEqual(t, "breaker.poles", a.Field, row.name)
		}
	}
	p := made(t, func(b *Box) { old(Existing{Tab: circuit.Tabs{Hot: circuit.TabRemoved}})(b) })
	assert.True(t, find(p, "tab-removed").Open(), "nothing told of what fed the other half")
}

func codesOf(p *Plan) []string {
	var all []string
	for _, s := range p.Steps {
		all = append(all, s.Code)
	}
	return all
}

// TestDepth: what is brought out once is not brought out twice, and the rule on gaps
// speaks of some walls. NEC 314.20, 314.21 (from memory).
func TestDepth(t *testing.T) {
	for _, row := range []struct {
		setback           wire.Inches
		wall              string
		recessed, spacers bool
		asks              bool
	}{
		{0.5, "gypsum", true, false, false}, {0.25, "gypsum", false, true, false}, {0.125, "tile", false, true, false},
		{0.125, "wood", true, false, false}, {0, "wood", false, false, false}, {0.125, "", false, true, true}, {0.5, "", true, false, true}, {0, "", false, false, false},
	} {
		p := made(t, func(b *Box) { b.Box.SetbackIn, b.Box.Wall = inches(row.setback), row.wall })
		assert.Equal(t, row.recessed, find(p, "box-recessed") != nil, row)
		spaced, asked := false, false
		for _, s := range p.Steps {
			spaced = spaced || strings.Contains(s.Detail, "Spacers")
		}
		for _, a := range p.Asks {
			asked = asked || a.Field == "box.wall"
		}
		assert.Equal(t, row.spacers, spaced, row)
		assert.Equal(t, row.asks, asked, row)
	}
	for wall, want := range map[string]string{"gypsum": "314.21", "plaster": "314.21", "": "314.21", "wood": "", "tile": "", "masonry": ""} {
		p := made(t, func(b *Box) { b.Box.GapIn, b.Box.Wall = inches(0.25), wall })
		assert.Equal(t, want, find(p, "wall-gap").Section, wall)
	}
	shallow := made(t, func(b *Box) {
		gfci(b)
		b.Box.VolumeIn3, b.Box.Size, b.Box.Material, b.Box.Bonded = 0, "3x2x1-1/2", circuit.Metal, is(true)
	})
	assert.Contains(t, find(shallow, "box-shallow").Fix, "low-profile")
}

// TestCodeAnswers: what the code says, row by row. All from memory.
func TestCodeAnswers(t *testing.T) {
	plain := func(b *Box) { b.Breaker.Protection = circuit.NoProtection }
	for _, row := range []struct {
		rule    string
		change  func(*Box)
		code    string // of the finding; with "no " before it, there is none
		section string
		text    string // in its text or its fix
	}{
		{"240.4(D): aluminium, 12 AWG, 15 A", func(b *Box) { b.Cables[1].Material = aluminum }, "conductor-breaker", "240.4(D)", "carries 15 A"},
		{"240.4(D): aluminium, 10 AWG, 25 A", func(b *Box) {
			b.Cables[0].AWG, b.Cables[1].Material, b.Cables[1].AWG, b.Breaker.Amps = 10, aluminum, 10, 30
		}, "conductor-breaker", "240.4(D)", "carries 25 A"},
		{"240.4(D): aluminium, 10 AWG on 20 A", func(b *Box) { b.Cables[1].Material, b.Cables[1].AWG = aluminum, 10 }, "no conductor-breaker", "", ""},
		{"240.4(D)(1): 18 AWG, 7 A", func(b *Box) { b.Cables[1].AWG = 18 }, "conductor-breaker", "240.4(D)", "carries 7 A"},
		{"240.4(D)(2): 16 AWG, 10 A", func(b *Box) { b.Cables[1].AWG, b.Breaker.Amps = 16, 15 }, "conductor-breaker", "240.4(D)", "carries 10 A"},
		{"110.14(B): aluminium", func(b *Box) { b.Cables[1].Material = aluminum }, "aluminum", "110.14(B)", "close the box dead"},
		{"250.118: plain interlocked armour", func(b *Box) { ungrounded(b); gfci(b); b.Box.Material, b.Cables[0].Type = circuit.Metal, "MC" }, "ground-missing", "250.118", "no ground"},
		{"250.118: old armour without a strip", func(b *Box) { ungrounded(b); gfci(b); b.Box.Material, b.Cables[0].Type = circuit.Metal, "BX" }, "ground-missing", "250.118", "No ground arrives"},
		{"406.4(D)(1): two slots where a ground arrives", func(b *Box) { b.Device.Slots = 2 }, "grounding-type", "406.4(D)(1)", "three-slot"},
		{"406.9(B): outdoors, exposure not told, is wet", func(b *Box) { b.Place = nec.Place{Room: nec.Outdoors} }, "cover", "406.9(B)(1)", "in-use"},
		{"406.9(A): under a roof", func(b *Box) { b.Place = nec.Place{Room: nec.Outdoors, Exposure: nec.Damp} }, "cover", "406.9(A)", "closes"},
		{"250.114(3): a freezer", func(b *Box) { ungrounded(b); gfci(b); b.Place.Serves = "freezer" }, "real-ground-needed", "250.114(3)", "freezer"},
		{"250.114(3): not a computer", func(b *Box) { ungrounded(b); gfci(b); b.Place.Serves = "computer" }, "no real-ground-needed", "", ""},
		{"300.13(B): not of a neutral of its own", func(b *Box) {
			b.Existing = &Existing{ID: "X", Kind: circuit.Receptacle, Makeup: circuit.FeedThrough}
		}, "neutral-through-device", "", "jumper"},
		{"210.7: two circuits on one yoke", func(b *Box) {
			b.Cables[1].Role = Line
			b.Existing = &Existing{ID: "X", Kind: circuit.Receptacle, Wiring: [][2]string{{"W1@B1.hot", "X.hot.1"}, {"W2@B1.hot", "X.hot.2"}}}
		}, "two-circuits", "210.7", "one breaker"},
		{"250.119: a black ground", func(b *Box) { b.Cables[0].Insulation[circuit.Ground] = "black" }, "colour-misleads", "250.119", "black"},
		{"200.7(C): a white hot", func(b *Box) { b.Cables[0].Insulation[circuit.Hot] = "white" }, "colour-misleads", "200.7(C)", "white"},
		{"200.6(A): a black neutral", func(b *Box) { b.Cables[0].Insulation[circuit.Neutral] = "black" }, "colour-misleads", "200.6(A)", "black"},
		{"210.12: a breaker that is plain", plain, "afci-required", "210.12(B)", "the breaker has none"},
		{"210.12: a breaker nobody has looked at is asked for", func(b *Box) { b.Breaker.Protection = ProtectionUnknown }, "no afci-required", "", ""},
		{"210.11(C)(3): a bathroom on 15 A", func(b *Box) { b.Place.Room, b.Breaker.Amps = nec.Bathroom, 15 }, "dedicated-circuit", "210.11(C)(3)", "20 A"},
		{"210.11(C)(4): a garage on 15 A", func(b *Box) { b.Place.Room, b.Breaker.Amps = nec.Garage, 15 }, "dedicated-circuit", "210.11(C)(4)", "20 A"},
		{"406.9(C), 2023: 2 ft from the tub", func(b *Box) { two := 2.0; b.Place.FeetToTub = &two }, "tub-zone", "406.9(C)", "out of the zone"},
		{"406.9(C), 2017: 2 ft from the tub", func(b *Box) { two := 2.0; b.Place.FeetToTub, b.Edition = &two, 2017 }, "no tub-zone", "", ""},
		{"110.11: after a flood", func(b *Box) { b.Flooded = true }, "flooded", "110.11", "New cable"},
		{"stranded under a hook: spliced to solid", func(b *Box) { b.Cables[1].Stranded = true }, "stranded", "", "solid jumper"},
		{"a new device's defect", func(b *Box) { b.Device.Defects = []string{"ground-slot-blocked"} }, "device-defect", "", "ground slot blocked"},
		{"a heavy load wants a heavy grade", func(b *Box) { b.Place.Serves = "space heater" }, "device-grade", "", "heavy-duty"},
		{"LOAD hot with a neutral of the feed", func(b *Box) {
			b.Existing = &Existing{ID: "X", Kind: circuit.GFCI, Wiring: [][2]string{
				{"W1@B1.hot", "X.line.hot"}, {"W1@B1.neutral", "X.line.neutral"}, {"W2@B1.hot", "X.load.hot"}, {"W2@B1.neutral", "X.line.neutral"},
			}}
		}, "load-neutral", "", "first lamp"},
	} {
		p := made(t, row.change)
		if code, none := strings.CutPrefix(row.code, "no "); none {
			assert.Nil(t, find(p, code), row.rule)
			continue
		}
		f := find(p, row.code)
		require.NotNil(t, f, "%s: %v", row.rule, p.Findings)
		assert.Equal(t, row.section, f.Section, row.rule)
		assert.Contains(t, f.Text+" "+f.Fix, row.text, row.rule)
	}
}

// TestAluminum: with connectors listed for both, each aluminium wire ends in one, with a
// copper jumper to the device. NEC 110.14(B) (from memory).
func TestAluminum(t *testing.T) {
	p := made(t, func(b *Box) {
		b.Breaker.Amps, b.Box.AluminumConnectors = 15, true
		for i := range b.Cables {
			b.Cables[i].Material, b.Cables[i].Insulation = aluminum, nil
		}
	})
	assert.Empty(t, p.Stopped)
	assert.False(t, find(p, "aluminum").Open())
	for _, s := range p.Splices {
		assert.True(t, strings.HasPrefix(s.Connector, "connector listed for aluminium"), s.Connector)
	}
	for _, pair := range p.Wiring {
		assert.False(t, strings.Contains(pair[0], "@") && strings.HasPrefix(pair[1], "R1."), "%v", pair)
	}
	assert.Contains(t, Verify(sound(), [][2]string{}, nil)[0], "has no place")
}

// TestFillOfDevices: two conductors of the largest on the device, for each gang; wires
// that pass through unbroken; studs. NEC 314.16(B)(1), (3), (4) (from memory).
func TestFillOfDevices(t *testing.T) {
	for _, row := range []struct {
		name   string
		change func(*Box)
		in3    wire.CubicInches
	}{
		{"two cables, one device, grounds", func(*Box) {}, 4*2.25 + 2*2.25 + 2.25},
		{"a 10 AWG cable spliced through: the device counts at its 12 AWG jumpers", func(b *Box) {
			b.Cables[1].AWG, b.Practice.Device = 10, practice.AlwaysPigtail
		}, 2*2.25 + 2*2.5 + 2*2.25 + 2.5},
		{"two wires pass through", func(b *Box) { b.Box.Passing = []Passing{{14, 2}} }, 4*2.25 + 2*2 + 2*2.25 + 2.25},
		{"a stud", func(b *Box) { b.Box.Fittings = 1 }, 4*2.25 + 2.25 + 2*2.25 + 2.25},
		{"a device two gangs wide", func(b *Box) { b.Device.Gangs = 2 }, 4*2.25 + 4*2.25 + 2.25},
	} {
		assert.InDelta(t, float64(row.in3), float64(made(t, row.change).Fill.RequiredIn3), 1e-9, row.name)
	}
}

// TestNoGroundNoTesterButton: where no ground arrives the tester's button trips nothing,
// and is asked for nowhere.
func TestNoGroundNoTesterButton(t *testing.T) {
	p := made(t, func(b *Box) { ungrounded(b); gfci(b); b.Cables[1].Protect = ProtectYes })
	require.Empty(t, p.Stopped)
	assert.NotContains(t, string(p.Predicted), "plug-button")
	assert.Contains(t, string(p.Predicted), "device-button")
	for _, s := range p.Steps {
		assert.NotContains(t, s.Detail, "the tester's at the last", s.Do)
	}
	assert.Contains(t, string(made(t, gfci).Predicted), "plug-button")

	marked := made(t, func(b *Box) { gfci(b); b.Cables[1].Protect, b.Cables[1].Conductors = ProtectYes, noGround })
	assert.Len(t, marked.Markings, 2, "406.4(D)(2)(c): both, on the outlets of a two-wire branch (from memory)")
	single := made(t, func(b *Box) { b.Device.Kind = "single" })
	for _, o := range single.Proof.Outlets {
		assert.False(t, o.At == "R1" && o.Half == circuit.Bottom, "a single receptacle has one half")
	}
}

// TestOpenFindings: what must be mended stays open until it is said to be, or its step is
// ticked.
func TestOpenFindings(t *testing.T) {
	full := func(b *Box) { b.Box.VolumeIn3 = 12 }
	p := made(t, full)
	open := p.Open(nil)
	require.Len(t, open, 1)
	assert.Equal(t, "box-overfull:B1", open[0].Key)
	assert.Equal(t, "larger box or extension set", open[0].Mend)
	assert.Empty(t, p.Open([]string{"mend-box-overfull"}))
	p = made(t, func(b *Box) { full(b); b.Mended = []string{"box-overfull:B1"} })
	assert.True(t, find(p, "box-overfull").Mended)
	assert.Empty(t, p.Open(nil))
	p = made(t, func(b *Box) { b.Cables[1].Condition = "nicked" })
	assert.Len(t, p.Open(nil), 1)
	assert.Empty(t, p.Open([]string{"mend-wires:W2"}))
}
