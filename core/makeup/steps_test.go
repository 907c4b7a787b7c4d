package makeup

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/nec"
	"elvat/core/practice"
	"elvat/core/words"
)

func third(b *Box) {
	b.Cables = append(b.Cables, Cable{ID: "W3", Role: Outgoing, AWG: 12, Conductors: twoWire, Protect: ProtectUnknown})
}

// TestOrderOfWork: dead before anything is touched, ground before neutral before
// hot, and power only when the plate is on (common practice, no source).
func TestOrderOfWork(t *testing.T) {
	for _, change := range []func(*Box){
		func(*Box) {}, third, gfci, func(b *Box) { gfci(b); third(b); b.Cables[1].Protect = ProtectYes },
		func(b *Box) { b.Box.Material, b.Box.Bonded = circuit.Metal, is(false) }, func(b *Box) { ungrounded(b); gfci(b) },
	} {
		p := made(t, change)
		place := func(part string) int {
			return slices.IndexFunc(p.Steps, func(s Step) bool { return strings.Contains(strings.ToLower(s.Do), part) })
		}
		assert.Zero(t, place("prove the box dead"))
		assert.Less(t, place("pull the device"), place("dead again with the device out"))
		last := -1
		for _, k := range []string{"ground", "neutral", "hot"} {
			for i, s := range p.Steps {
				if s.Gate == GateDead &&
					(strings.HasPrefix(s.Do, "Join the "+k) || strings.HasPrefix(s.Do, strings.ToUpper(k[:1])+k[1:]+" of")) {
					assert.Greater(t, i, last, "%s after what comes before it: %s", k, s.Do)
					last = i
				}
			}
		}
		assert.Less(t, last, place("tighten"))
		assert.Less(t, place("plate on"), place("breaker on"))
		for i, s := range p.Steps {
			assert.Equal(t, i == len(p.Steps)-1, s.Gate == GateProven, "only the last step has power on: %s", s.Do)
			assert.False(t, s.Live)
			assert.NotEmpty(t, s.Points, s.Do)
		}
	}
}

// TestStepsSay: what each choice of the house, and each state of the box, puts
// into the steps.
func TestStepsSay(t *testing.T) {
	for _, row := range []struct {
		name   string
		change func(*Box)
		says   string
	}{
		{"test lamp", func(b *Box) { b.Practice.DeadTest = practice.AddsLamp }, "The test lamp as well"},
		{"two hots, two breakers", func(b *Box) { b.Cables[0].Conductors, b.Breaker.Poles = threeWire, 2 }, "Both breakers off together"},
		{"old hooks cut", func(b *Box) { b.Existing = &Existing{} }, "Cut the old ends off"},
		{"old hooks used", func(b *Box) { b.Practice.OldHooks = practice.ReuseHooks }, "Old hooks are used again"},
		{"tape in metal", func(b *Box) { b.Box.Material, b.Box.Bonded = circuit.Metal, is(true) }, "Tape round the device first"},
		{"tape always", func(b *Box) { b.Practice.Tape = practice.TapeAlways }, "Tape round the device first"},
		{"plate screws", func(b *Box) { b.Practice.PlateScrews = practice.Horizontal }, "Screw slots horizontal"},
		{"far first", func(b *Box) { b.Practice.Proving = practice.FarFirst }, "The last outlet first"},
		{"second round", func(*Box) {}, "Once more after some minutes, to the same torque"},
		{"the maker's torque", func(b *Box) { b.Device.TorqueLbfIn = 16 }, "16\u00a0lbf in with a torque driver"},
		{"spacers", func(b *Box) { b.Box.SetbackIn = inches(0.1875) }, "Spacers of 1/16\u00a0in under the yoke until it bears hard: 3."},
		{"spacers that are there count", func(b *Box) { b.Box.SetbackIn, b.Box.LayersOut = inches(0.1875), 1 }, "bears hard: 2."},
		{"nailed and loose", func(b *Box) { b.Box.Loose, b.Box.Mount = is(true), "nailed" }, "Cut its nails"},
		{"ears and loose", func(b *Box) { b.Box.Loose, b.Box.Mount = is(true), "ears" }, "Tighten its ears"},
		{"recessed", func(b *Box) { b.Box.SetbackIn = inches(0.5) }, "A box extender"},
		{"too full", func(b *Box) { b.Box.VolumeIn3 = 10 }, "An extension ring"},
		{"tab", func(b *Box) {
			b.Device.Tab.Hot, b.Cables[0].Conductors, b.Cables[0].Hot2 = circuit.TabRemoved, threeWire, SwitchLeg
		}, "Break the tab on the brass side"},
		{"GFCI", gfci, "It comes out of the box tripped"},
		{"LINE may be anywhere", gfci, "LINE may be above or below"},
		{"twisted", func(b *Box) { third(b); b.Practice.Splice = practice.Twisted }, "By a twisted connector for 4 wires of 12 AWG"},
		{"push-in splice", func(b *Box) { third(b); b.Practice.Splice = practice.PushInSplice }, "By a 4-wire push-in splice"},
		{"lever", third, "By a 5-wire lever connector"},
		{"a hook is 3/4 in", func(*Box) {}, "3/4\u00a0in, hook round the screw, clockwise"},
		{"a clamp by the device's gauge", func(b *Box) { gfci(b); b.Device.StripIn = 0.5 }, "1/2\u00a0in, straight under the clamp plate"},
		{"hooks by the house", func(b *Box) { gfci(b); b.Practice.Hook = practice.Hook }, "3/4\u00a0in, hook round the screw"},
		{"a push-in hole, 14 AWG, allowed by the house", func(b *Box) {
			b.Device.Terminals, b.Breaker.Amps, b.Practice.PushIn = "push-in", 15, practice.PushInOn14
			b.Cables[0].AWG, b.Cables[1].AWG = 14, 14
		}, "straight into the push-in hole"},
		{"lengthened", func(b *Box) { b.Cables[1].FromSheathIn = inches(4) }, "Lengthen the hot of W2, jumper to the second brass screw"},
		{"capped by itself", func(b *Box) { ungrounded(b); gfci(b); b.Cables[1].Conductors = twoWire }, "Cap the ground of W2 by itself"},
		{"markings", func(b *Box) { ungrounded(b); gfci(b) }, "Markings: No Equipment Ground"},
		{"two devices are told apart", func(b *Box) { b.Others = []Device{{ID: "R2", Kind: "receptacle", Amps: 15}} }, "the first brass screw of device 2"},
		{"stopped", func(b *Box) { b.Cables[0].Material = "aluminum" }, "Close the box dead"},
	} {
		p := made(t, row.change)
		var all []string
		for _, s := range p.Steps {
			all = append(all, s.Do, s.Detail)
		}
		assert.Contains(t, strings.Join(all, "\n"), row.says, row.name)
	}
}

// TestConnectors: what joins so many wires (ports of lever connectors 2, 3, 5 and
// of push-in splices 2, 3, 4, 6, 8: common practice, no source).
func TestConnectors(t *testing.T) {
	w := func(splice string) *wiring {
		return &wiring{l: &look{b: sound()}, house: practice.House{Splice: splice}.Whole()}
	}
	for _, row := range []struct {
		splice string
		wires  int
		want   string
	}{
		{practice.Lever, 1, "cap"}, {practice.Lever, 2, "lever, 2-wire"}, {practice.Lever, 3, "lever, 3-wire"}, {practice.Lever, 4, "lever, 5-wire"},
		{practice.Lever, 5, "lever, 5-wire"}, {practice.Lever, 6, "2 x lever, 5-wire, linked"}, {practice.Lever, 8, "2 x lever, 5-wire, linked"},
		{practice.Lever, 9, "3 x lever, 5-wire, linked"}, {practice.PushInSplice, 5, "push-in splice, 6-wire"}, {practice.PushInSplice, 7, "push-in splice, 8-wire"},
		{practice.Twisted, 3, "twisted, listed for 3 wires of 12 AWG"}, {practice.Twisted, 1, "cap"},
	} {
		item, n := w(row.splice).connector(&Splice{Conductors: make([]string, row.wires), AWG: 12})
		got := item.Words
		if n > 1 {
			got = fmt.Sprintf("%d x %s, linked", n, got)
		}
		assert.Equal(t, row.want, got)
	}
}

// TestMaterials: what a make-up uses up.
func TestMaterials(t *testing.T) {
	count := func(p *Plan, item string) float64 {
		for _, m := range p.Materials {
			if m.Item == item {
				return m.Count
			}
		}
		return 0
	}
	p := made(t, func(b *Box) { third(b); b.Box.Material, b.Box.Bonded = circuit.Metal, is(false) })
	assert.Equal(t, 1.0, count(p, "15 A duplex receptacle, tamper-resistant"))
	assert.Equal(t, 3.0, count(p, "lever, 5-wire"), "hot and neutral of four wires, grounds of five")
	assert.Equal(t, 0.5, count(p, "12 AWG black"))
	assert.Equal(t, 0.5, count(p, "12 AWG bare"), "the jumper to the box")
	assert.Equal(t, 1.0, count(p, "ground screw, 10-32"))
	marked := made(t, func(b *Box) { ungrounded(b); gfci(b); b.Cables[1].Protect = ProtectYes })
	assert.Equal(t, 3.0, count(marked, "marking label"))
	for _, v := range []struct {
		device Device
		want   string
	}{
		{Device{Kind: "usb", Amps: 15, Slots: 3}, "15 A receptacle with USB"}, {Device{Kind: "smart", Amps: 15, Slots: 3}, "15 A smart receptacle"},
		{Device{Kind: "single", Amps: 20, Slots: 3}, "20 A single receptacle"}, {Device{Kind: "receptacle", Amps: 15, Slots: 2}, "15 A duplex receptacle, two-slot"},
		{Device{Kind: "gfci", Amps: 20, Slots: 3, WeatherResistant: is(true)}, "20 A GFCI receptacle, weather-resistant"},
	} {
		assert.Equal(t, v.want, v.device.Words())
	}
}

// TestAsks: what is not known and decides is asked for.
func TestAsks(t *testing.T) {
	for _, row := range []struct {
		field  string
		change func(*Box)
	}{
		{"place.room", func(b *Box) { b.Place.Room = "" }},
		{"place.finished", func(b *Box) { b.Place.Room, b.Place.Finished = nec.Basement, nil }},
		{"place.countertop", func(b *Box) { b.Edition, b.Place.Room = 2020, nec.Kitchen }},
		{"box.volumeIn3", func(b *Box) { b.Box.VolumeIn3 = 0 }},
		{"box.bonded", func(b *Box) { b.Box.Material = circuit.Metal }},
		{"box.wall", func(b *Box) { b.Box.Wall, b.Box.SetbackIn = "", inches(0.5) }},
		{"breaker.otherOutlets", func(b *Box) { b.Breaker.OtherOutlets, b.Device.Kind = nil, "single" }},
		{"breaker.poles", func(b *Box) { b.Cables[0].Conductors = threeWire }},
		{"device.tamperResistant", func(b *Box) { b.Device.TamperResistant = nil }},
		{"device.weatherResistant", func(b *Box) { gfci(b); b.Place.Exposure = nec.Wet }},
		{"cables.W2.servesLoad", gfci},
		{"cables.W1.hot2", func(b *Box) { b.Cables[0].Conductors = threeWire }},
		{"place.openAccess", func(b *Box) { ungrounded(b); gfci(b) }},
		{"place.runFeet", func(b *Box) { ungrounded(b); gfci(b) }},
	} {
		p := made(t, row.change)
		assert.True(t, slices.ContainsFunc(p.Asks, func(a nec.Ask) bool {
			return a.Field == row.field && strings.HasSuffix(a.Words, "?") || a.Field == row.field
		}), "%s: %v", row.field, p.Asks)
	}
	assert.Empty(t, made(t, func(*Box) {}).Asks)
}

// TestFromRun: what a run knows of a box nobody has looked into.
func TestFromRun(t *testing.T) {
	c := circuit.New("run")
	for _, after := range []string{circuit.Panel, "B1", "B1"} {
		require.NoError(
			t,
			c.AddStop(circuit.NewStop{After: after, Ground: after == circuit.Panel, GFCI: after == circuit.Panel}),
		)
	}
	b, err := FromRun(c, "B1", true)
	require.NoError(t, err)
	assert.Equal(t, []Role{Line, Outgoing, Outgoing}, []Role{b.Cables[0].Role, b.Cables[1].Role, b.Cables[2].Role})
	assert.Equal(t, circuit.GFCI, b.Existing.Kind)
	assert.Equal(t, "gfci", b.Device.Kind)
	assert.False(t, b.Cables[1].Has(circuit.Ground))
	assert.True(t, *b.Breaker.OtherOutlets)
	open, err := FromRun(c, "B1", false)
	require.NoError(t, err)
	p, err := Make(open, practice.Shop{}, c)
	require.NoError(t, err)
	assert.NotNil(t, find(p, "line-unknown"), "where the order is open the feed is too")
	_, err = FromRun(c, "B9", true)
	assert.ErrorContains(t, err, "B9")
	c.Box("B2").Wiring = c.Pairs(c.Box("B2"))
	c.Box("B2").Makeup = ""
	spelled, err := FromRun(c, "B2", true)
	require.NoError(t, err)
	assert.NotEmpty(t, spelled.Landings(), "what is spelled out is known")
}

// TestProtectedAhead: a GFCI ahead on the run protects the box, and a second one is too many.
func TestProtectedAhead(t *testing.T) {
	c := circuit.New("run")
	for i, after := range []string{circuit.Panel, "B1", "B2"} {
		require.NoError(t, c.AddStop(circuit.NewStop{After: after, Ground: true, GFCI: i == 0}))
	}
	b, err := FromRun(c, "B2", true)
	require.NoError(t, err)
	b.Place.Room, b.Device.TamperResistant = nec.Garage, is(true)
	p, err := Make(b, practice.Shop{}, c)
	require.NoError(t, err)
	assert.Nil(t, find(p, "gfci-required"))
	assert.True(t, p.Issued, "%v", p.Findings)
	gfci(b)
	b.Device.Slots = 3
	p, err = Make(b, practice.Shop{}, c)
	require.NoError(t, err)
	second := find(p, "second-gfci")
	require.NotNil(t, second)
	assert.Contains(t, second.Text, "The GFCI at B1 protects this box already")
	alone, err := Make(b, practice.Shop{}, nil)
	require.NoError(t, err)
	assert.Nil(t, find(alone, "second-gfci"), "without the run nobody knows")
}

// TestStepCodes: whatever the box, each step has a code of its own, and what was kept
// by what it says is found by it.
func TestStepCodes(t *testing.T) {
	for _, change := range []func(*Box){
		func(*Box) {}, third, gfci, func(b *Box) { gfci(b); third(b); b.Cables[1].Protect = ProtectYes }, func(b *Box) { b.Cables[0].Role = "" },
		func(b *Box) { b.Box.Material, b.Box.Bonded, b.Box.Loose = circuit.Metal, is(false), is(true) }, func(b *Box) { ungrounded(b); gfci(b) },
		func(b *Box) { b.Device = nil },
	} {
		p := made(t, change)
		seen := map[string]bool{}
		var said, codes []string
		for _, s := range p.Steps {
			assert.NotEmpty(t, s.Code, s.Do)
			assert.False(t, seen[s.Code], "%s: %s is another's", s.Do, s.Code)
			seen[s.Code] = true
			said, codes = append(said, s.Do), append(codes, s.Code)
		}
		assert.Equal(t, codes, p.Codes(said))
		assert.Equal(t, codes, p.Codes(append(codes, said...)))
	}
	for seed := range uint64(200) {
		b := drawBox(rand.New(rand.NewPCG(seed, 5)))
		if b.Check() != nil {
			continue // some are drawn wrong on purpose
		}
		p, err := Make(b, practice.Shop{}, nil)
		require.NoError(t, err)
		seen := map[string]bool{}
		for _, s := range p.Steps {
			assert.False(t, seen[s.Code], "box %d, %s: %s is another's", seed, s.Do, s.Code)
			seen[s.Code] = true
			assert.Equal(t, s.Do, words.English.All(s.SaidDo, ""), "box %d", seed)
			spanish := words.Spanish.All(slices.Concat(s.SaidDo, s.SaidDetail), " ")
			assert.NotRegexp(t, `(step|terminal|list)\.|%!|%\[`, s.Do+s.Detail+spanish, "box %d: a code without its sentence", seed)
		}
	}
	assert.Equal(t, []string{"of another plan"}, (&Plan{}).Codes([]string{"of another plan"}))
}
