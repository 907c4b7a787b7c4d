package circuit_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
)

// sample is a circuit of two boxes that passes; the rows below break it.
const sample = `{
  "format": "elvat-circuit/1", "name": "Bindery",
  "breaker": { "label": "9", "amps": 20 },
  "cables": [
    { "id": "W1", "from": "panel", "to": "B1", "awg": 12, "feet": 42, "conductors": ["hot", "neutral", "ground"] },
    { "id": "W2", "from": "B1", "to": "B2", "awg": 12, "feet": 12, "conductors": ["hot", "neutral", "ground"] }
  ],
  "boxes": [
    { "id": "B1", "label": "Press", "devices": [ { "id": "R1", "kind": "receptacle", "amps": 15 } ] },
    { "id": "B2", "label": "Bench", "devices": [ { "id": "R2", "kind": "receptacle", "amps": 15 } ] }
  ],
  "loads": [ { "id": "L1", "at": "R1", "watts": 60 } ],
  "faults": [ { "kind": "open", "at": "W2@B1.neutral" } ]
}`

func TestDefaults(t *testing.T) {
	c, err := circuit.Parse([]byte(sample))
	require.NoError(t, err)
	assert.Equal(t, circuit.Supply{Volts: 120, Hz: 60}, c.Supply)
	assert.Equal(t, circuit.Breaker{Label: "9", Amps: 20, Poles: 1, Protection: circuit.NoProtection, On: true}, c.Breaker)
	assert.Equal(t, circuit.Plastic, c.Boxes[0].Material)
	assert.Equal(t, circuit.FeedThrough, c.Boxes[0].Makeup)
	assert.Equal(t, circuit.Top, c.Loads[0].Half)
	assert.True(t, c.Loads[0].On)
	assert.Equal(t, 3, c.Boxes[0].Devices[0].Slots)
}

func TestWhatIsWritten(t *testing.T) {
	c, err := circuit.Parse([]byte(sample))
	require.NoError(t, err)
	data, err := c.Encode()
	require.NoError(t, err)
	again, err := circuit.Parse(data)
	require.NoError(t, err)
	assert.Equal(t, c, again)
}

func TestErrorsNameThePlace(t *testing.T) {
	for _, row := range []struct{ name, old, new, want string }{
		{"unknown key at the top", `"name": "Bindery"`, `"nmae": "Bindery"`, `unknown key "nmae"`},
		{"unknown key deep down", `"label": "Press"`, `"labl": "Press"`, `boxes[0]: unknown key "labl"`},
		{"unknown key in a device", `"id": "R2",`, `"id": "R2", "brand": "x",`, `boxes[1].devices[0]: unknown key "brand"`},
		{"unknown key in a fault", `"kind": "open",`, `"kind": "open", "where": "x",`, `faults[0]: unknown key "where"`},
		{"not JSON", `"feet": 42,`, `"feet": 42`, "not valid JSON"},
		{"the line of bad JSON", `"feet": 42,`, `"feet": 42`, "line 5"},
		{"text for a number", `"feet": 42`, `"feet": "42"`, "cables[0].feet"},
		{"a key twice", `"name": "Bindery",`, `"name": "Bindery", "name": "x",`, "name"},
		{"wrong format", `elvat-circuit/1`, `elvat-circuit/9`, `format: "elvat-circuit/9"`},
		{"cycle", `"from": "panel", "to": "B1"`, `"from": "B2", "to": "B1"`, "run in a circle: W1, W2"},
		{"second parent", `"from": "B1", "to": "B2"`, `"from": "panel", "to": "B1"`, "cable W2: box B1 is already fed by cable W1"},
		{"orphan box", `"loads": [`, `"state": {}, "loads": [`, ""},
		{"reference to no box", `"from": "B1", "to": "B2"`, `"from": "B9", "to": "B2"`, "cable W2: comes from B9, which is not in the file"},
		{"cable to no box", `"to": "B2"`, `"to": "B7"`, "cable W2: goes to B7"},
		{"cable to the panel", `"to": "B2"`, `"to": "panel"`, "cable W2: goes to the panel"},
		{"duplicate name", `"id": "R2"`, `"id": "R1"`, "boxes[1].devices[0]: the name R1 is used twice, first by boxes[0].devices[0]"},
		{"no name", `"id": "W2"`, `"id": ""`, "cables[1]: has no id"},
		{"a name that points would not parse", `"id": "R2"`, `"id": "R.2"`, `the name "R.2"`},
		{"no such gauge", `"awg": 12, "feet": 12`, `"awg": 13, "feet": 12`, "cable W2: 13 AWG is no building wire"},
		{"negative feet", `"feet": 12`, `"feet": -12`, "cable W2: feet: -12 is impossible"},
		{"no feet", `"feet": 12`, `"feet": 0`, "cable W2: feet: 0 is impossible"},
		{"impossible amps", `"amps": 20`, `"amps": 0`, "breaker.amps: 0 is impossible"},
		{"three poles", `"amps": 20`, `"amps": 20, "poles": 3`, "breaker.poles: 3, want 1 or 2"},
		{"unknown protection", `"amps": 20`, `"amps": 20, "protection": "x"`, `breaker.protection: "x" is not known`},
		{"unknown conductor", `"feet": 12, "conductors": ["hot",`, `"feet": 12, "conductors": ["red",`, `cable W2: "red" is no conductor`},
		{"conductor twice", `"feet": 12, "conductors": ["hot",`, `"feet": 12, "conductors": ["neutral",`, "cable W2: names its neutral twice"},
		{"unknown material", `"label": "Bench"`, `"label": "Bench", "material": "wood"`, `box B2: material: "wood" is not known; use plastic, metal`},
		{"unknown make-up", `"label": "Bench"`, `"label": "Bench", "makeup": "twist"`, `box B2: makeup: "twist"`},
		{"make-up and wiring", `"label": "Bench"`, `"label": "Bench", "makeup": "pigtail", "wiring": []`, "box B2: has both makeup and wiring"},
		{"wiring in another box", `"label": "Bench"`, `"label": "Bench", "wiring": [["W1@B1.hot", "R2.hot.1"]]`, "box B2: wiring[0]: W1@B1.hot is not in this box"},
		{"wiring to nothing", `"label": "Bench"`, `"label": "Bench", "wiring": [["W2@B2.hot", "R2.hot.3"]]`, "box B2: wiring[0]: R2.hot.3: receptacle R2 has no such point"},
		{"wiring to itself", `"label": "Bench"`, `"label": "Bench", "wiring": [["R2.hot.1", "R2.hot.1"]]`, "joins R2.hot.1 to itself"},
		{"bonded plastic", `"label": "Bench"`, `"label": "Bench", "bonded": true`, "box B2: bonded: only a metal box"},
		{"load terminals of a receptacle", `"label": "Press"`, `"label": "Press", "load": ["W2"]`, "box B1: load: names cables for the load terminals, but the box has no GFCI"},
		{"tripped receptacle", `"id": "R2",`, `"id": "R2", "tripped": true,`, "box B2: device R2: tripped: only a GFCI trips"},
		{"slots", `"id": "R2",`, `"id": "R2", "slots": 4,`, "slots: 4, want 2 or 3"},
		{"unknown device", `"id": "R2", "kind": "receptacle"`, `"id": "R2", "kind": "toaster"`, `device R2: kind: "toaster"`},
		{"load at nothing", `"at": "R1"`, `"at": "R8"`, "load L1: plugged in at R8"},
		{"load of no watts", `"watts": 60`, `"watts": 0`, "load L1: watts: 0 is impossible"},
		{"fault at no point", `W2@B1.neutral`, `W2@B3.neutral`, "faults[0]: open: W2@B3.neutral: cable W2 has no end at B3"},
		{"fault at a conductor the cable lacks", `W2@B1.neutral`, `W2@B1.hot2`, "cable W2 has no hot2"},
		{"unknown fault", `"kind": "open"`, `"kind": "gremlin"`, `faults[0]: kind "gremlin" is not known`},
		{"fault without a place", `"at": "W2@B1.neutral"`, `"at": ""`, "faults[0]: open: has no place"},
		{"fault key of another kind", `"at": "W2@B1.neutral"`, `"at": "W2@B1.neutral", "ohms": 3`, "has no ohms"},
		{"resistive without ohms", `"kind": "open"`, `"kind": "resistive"`, "ohms: 0 is impossible"},
		{"swap without pair", `{ "kind": "open", "at": "W2@B1.neutral" }`, `{ "kind": "swapped", "at": "R1" }`, `pair ""`},
		{"swap at nothing", `{ "kind": "open", "at": "W2@B1.neutral" }`, `{ "kind": "swapped", "at": "R9", "pair": "hot-neutral" }`, "R9 is neither a device nor a cable end"},
		{"move to another box", `{ "kind": "open", "at": "W2@B1.neutral" }`, `{ "kind": "moved", "at": "W2@B1.neutral", "to": "R2.hot.1" }`, "which is in another box"},
		{"touching where nothing is", `{ "kind": "open", "at": "W2@B1.neutral" }`, `{ "kind": "touching", "at": "B9", "pair": "hot-ground" }`, "B9 is no box"},
		{"gfci fault without a GFCI", `{ "kind": "open", "at": "W2@B1.neutral" }`, `{ "kind": "gfci", "at": "R1", "state": "dead" }`, "R1 is no GFCI"},
		{"breaker state", `{ "kind": "open", "at": "W2@B1.neutral" }`, `{ "kind": "breaker", "at": "panel", "state": "sleepy" }`, `state: "sleepy" is not known; use off, tripped`},
		{"separated at no end", `"loads": [`, `"state": { "separated": ["W2@B9"] }, "loads": [`, "state.separated[0]: W2@B9: cable W2 has no end at B9"},
		{"joined at no point", `"loads": [`, `"state": { "joined": [["W2@B1.hot", "Q"]] }, "loads": [`, "state.joined[0]"},
	} {
		t.Run(row.name, func(t *testing.T) {
			require.Contains(t, sample, row.old)
			_, err := circuit.Parse([]byte(strings.Replace(sample, row.old, row.new, 1)))
			if row.want == "" {
				assert.NoError(t, err)
				return
			}
			require.Error(t, err)
			assert.Contains(t, err.Error(), row.want)
			assert.NotContains(t, err.Error(), "\n", "one line")
		})
	}
}

func TestOrphan(t *testing.T) {
	c, err := circuit.Parse([]byte(sample))
	require.NoError(t, err)
	c.Cables = c.Cables[:1]
	c.Faults = nil
	assert.EqualError(t, c.Check(), "box B2: no cable reaches it")
	c.Cables = []circuit.Cable{
		{ID: "W2", From: "B1", To: "B2", AWG: 12, Feet: 5, Conductors: []circuit.Conductor{circuit.Hot}},
	}
	assert.EqualError(t, c.Check(), "box B1: no cable reaches it")
}

func TestMakeUps(t *testing.T) {
	build := func(change func(*circuit.Circuit)) *circuit.Circuit {
		c, err := circuit.Parse([]byte(sample))
		require.NoError(t, err)
		change(c)
		require.NoError(t, c.Check())
		return c
	}
	for _, row := range []struct {
		name   string
		box    string
		change func(*circuit.Circuit)
		want   [][2]string
	}{
		{"end of run: every conductor straight on the terminal", "B2", func(*circuit.Circuit) {}, [][2]string{
			{"W2@B2.hot", "R2.hot.1"}, {"W2@B2.neutral", "R2.neutral.1"}, {"W2@B2.ground", "R2.ground"},
		}},
		{"feed-through: line on the first, outgoing on the second, grounds spliced", "B1", func(*circuit.Circuit) {}, [][2]string{
			{"W1@B1.hot", "R1.hot.1"}, {"W2@B1.hot", "R1.hot.2"}, {"W1@B1.neutral", "R1.neutral.1"}, {"W2@B1.neutral", "R1.neutral.2"},
			{"W1@B1.ground", "splice:ground"}, {"W2@B1.ground", "splice:ground"}, {"splice:ground", "R1.ground"},
		}},
		{"pigtail: a splice per conductor, a jumper to the first terminal", "B1", func(c *circuit.Circuit) { c.Boxes[0].Makeup = circuit.Pigtail }, [][2]string{
			{"W1@B1.hot", "splice:hot"}, {"W2@B1.hot", "splice:hot"}, {"splice:hot", "R1.hot.1"},
			{"W1@B1.neutral", "splice:neutral"}, {"W2@B1.neutral", "splice:neutral"}, {"splice:neutral", "R1.neutral.1"},
			{"W1@B1.ground", "splice:ground"}, {"W2@B1.ground", "splice:ground"}, {"splice:ground", "R1.ground"},
		}},
		{"one cable and one device: the same whatever the make-up", "B2", func(c *circuit.Circuit) { c.Boxes[1].Makeup = circuit.Pigtail }, [][2]string{
			{"W2@B2.hot", "R2.hot.1"}, {"W2@B2.neutral", "R2.neutral.1"}, {"W2@B2.ground", "R2.ground"},
		}},
		{"two devices: pigtails even where it says feed-through", "B2", func(c *circuit.Circuit) {
			c.Boxes[1].Devices = append(c.Boxes[1].Devices, circuit.Device{ID: "R3", Kind: circuit.Receptacle, Amps: 15, Slots: 3})
		}, [][2]string{
			{"W2@B2.hot", "splice:hot"}, {"splice:hot", "R2.hot.1"}, {"splice:hot", "R3.hot.1"},
			{"W2@B2.neutral", "splice:neutral"}, {"splice:neutral", "R2.neutral.1"}, {"splice:neutral", "R3.neutral.1"},
			{"W2@B2.ground", "splice:ground"}, {"splice:ground", "R2.ground"}, {"splice:ground", "R3.ground"},
		}},
		{"no ground in the cable", "B2", func(c *circuit.Circuit) { c.Cables[1].Conductors = c.Cables[1].Conductors[:2] }, [][2]string{
			{"W2@B2.hot", "R2.hot.1"}, {"W2@B2.neutral", "R2.neutral.1"},
		}},
		{"bonded metal box", "B2", func(c *circuit.Circuit) { c.Boxes[1].Material, c.Boxes[1].Bonded = circuit.Metal, true }, [][2]string{
			{"W2@B2.hot", "R2.hot.1"}, {"W2@B2.neutral", "R2.neutral.1"},
			{"W2@B2.ground", "splice:ground"}, {"splice:ground", "R2.ground"}, {"splice:ground", "B2.box"},
		}},
		{"GFCI fed through", "B1", func(c *circuit.Circuit) { c.Boxes[0].Devices[0].Kind = circuit.GFCI }, [][2]string{
			{"W1@B1.hot", "R1.line.hot"}, {"W2@B1.hot", "R1.load.hot"}, {"W1@B1.neutral", "R1.line.neutral"}, {"W2@B1.neutral", "R1.load.neutral"},
			{"W1@B1.ground", "splice:ground"}, {"W2@B1.ground", "splice:ground"}, {"splice:ground", "R1.ground"},
		}},
		{"GFCI on pigtails with a cable on its load terminals", "B1", func(c *circuit.Circuit) {
			c.Boxes[0].Devices[0].Kind, c.Boxes[0].Makeup, c.Boxes[0].Load = circuit.GFCI, circuit.Pigtail, []string{"W2"}
		}, [][2]string{
			{"W2@B1.hot", "R1.load.hot"}, {"W1@B1.hot", "splice:hot"}, {"splice:hot", "R1.line.hot"},
			{"W2@B1.neutral", "R1.load.neutral"}, {"W1@B1.neutral", "splice:neutral"}, {"splice:neutral", "R1.line.neutral"},
			{"W1@B1.ground", "splice:ground"}, {"W2@B1.ground", "splice:ground"}, {"splice:ground", "R1.ground"},
		}},
	} {
		t.Run(row.name, func(t *testing.T) {
			c := build(row.change)
			assert.Equal(t, row.want, c.Pairs(c.Box(row.box)))
		})
	}
}

func TestBuildingARun(t *testing.T) {
	c := circuit.New("new")
	c.Breaker.Amps = 15
	require.NoError(t, c.AddStop(circuit.NewStop{After: circuit.Panel, Label: " Door ", Ground: true}))
	require.NoError(t, c.AddStop(circuit.NewStop{After: "B1", Feet: 9, Ground: true}))
	require.NoError(t, c.AddStop(circuit.NewStop{After: "B1", AWG: 12, Slots: 2}))
	assert.Equal(t, []string{"B1", "B2", "B3"}, c.Order())
	assert.Equal(t, "Door", c.Box("B1").Label)
	assert.EqualValues(t, 14, c.Cable("W1").AWG, "14 AWG on 15 A: NEC 240.4(D) (from memory)")
	assert.EqualValues(t, circuit.AssumedFeet, c.Cable("W1").Feet)
	assert.False(t, c.GroundArrives("B3"))
	assert.ErrorContains(t, c.AddStop(circuit.NewStop{After: "B9"}), "no such box")

	stops := c.Stops()
	require.Len(t, stops, 3)
	assert.Equal(t, 3, stops[0].Ends, "feed and two branches")
	assert.Equal(t, "B1", stops[2].From)

	ground, feet := true, 22.0
	require.NoError(t, c.ChangeStop("B3", circuit.StopChange{Ground: &ground, Feet: &feet}))
	assert.True(t, c.GroundArrives("B3"))
	assert.ErrorContains(t, c.ChangeStop("B9", circuit.StopChange{}), "not on this circuit")
	negative := -3.0
	assert.ErrorContains(t, c.Clone().ChangeStop("B3", circuit.StopChange{Feet: &negative}), "impossible")

	require.NoError(t, c.RemoveStop("B1"))
	assert.Equal(t, []string{"B2", "B3"}, c.Order(), "what it fed is fed from before it")
	assert.EqualValues(t, 9+circuit.AssumedFeet, c.Cable("W2").Feet)
	require.NoError(t, c.AddStop(circuit.NewStop{After: "B3", Ground: true}))
	assert.NotNil(t, c.Box("B1"), "the lowest free name is used again")
}

// TestDevicesInABox: a junction has none, two hang side by side and are fed from splices;
// what is plugged into one that goes goes with it, and a GFCI stays the first.
func TestDevicesInABox(t *testing.T) {
	none, two, many := 0, 2, 9
	c := circuit.New("loft")
	require.NoError(t, c.AddStop(circuit.NewStop{After: circuit.Panel, GFCI: true, Devices: &two, Ground: true}))
	require.NoError(t, c.AddStop(circuit.NewStop{After: "B1", Devices: &none, Ground: true}))
	require.NoError(t, c.AddStop(circuit.NewStop{After: "B2", Ground: true}))
	first := c.Box("B1").Devices
	require.Len(t, first, 2)
	assert.Equal(t, circuit.GFCI, first[0].Kind)
	assert.Empty(t, c.Box("B2").Devices)
	assert.Contains(t, c.Pairs(c.Box("B2")), [2]string{"W3@B2.hot", "splice:hot"}, "what goes on from a junction is fed")
	require.NoError(t, c.AddLoad(first[1].ID, circuit.Top, 60))
	require.NoError(t, c.ChangeStop("B1", circuit.StopChange{Devices: new(int)}))
	assert.Empty(t, c.Loads, "nothing is plugged into what is not there")
	require.NoError(t, c.ChangeStop("B1", circuit.StopChange{Devices: &two}))
	assert.NotEqual(t, c.Box("B1").Devices[0].ID, c.Box("B1").Devices[1].ID)
	assert.ErrorContains(t, c.ChangeStop("B1", circuit.StopChange{Devices: &many}), "at most 4")
}

// TestFeetBetween: along the cables, not through the air.
func TestFeetBetween(t *testing.T) {
	c := circuit.New("loft")
	for i, after := range []string{circuit.Panel, "B1", "B1", "B3"} {
		require.NoError(t, c.AddStop(circuit.NewStop{After: after, Feet: float64(10 * (i + 1)), Ground: true}))
	}
	for _, row := range []struct {
		from, to string
		feet     float64
	}{{"B1", "B1", 0}, {circuit.Panel, "B4", 80}, {"B2", "B4", 90}, {"B4", "B2", 90}, {"B2", circuit.Panel, 30}} {
		assert.Equal(t, row.feet, c.FeetBetween(row.from, row.to), "%s to %s", row.from, row.to)
	}
}

// TestSay: names are said as people call the thing; a name that is none stands as it is.
func TestSay(t *testing.T) {
	c := circuit.New("loft")
	require.NoError(t, c.AddStop(circuit.NewStop{After: circuit.Panel, Label: "Press", Ground: true}))
	require.NoError(t, c.AddStop(circuit.NewStop{After: "B1", Label: "Paper store", Ground: true}))
	require.NoError(t, c.AddLoad("R2", circuit.Top, 60))
	for name, want := range map[string]string{
		"B1": "Press", "R2": "Paper store", circuit.Panel: "the panel", "L1": "60 W at Paper store",
		"W2": "the cable from Press to Paper store", "W2@B1": "the cable to Paper store, at Press",
		"W2@B2.hot": "the hot of the cable from Press, at Paper store", "W2.neutral": "the neutral of the cable from Press to Paper store",
		"R1.hot.1": "the hot terminal at Press", "B1.splice:hot": "the hot splice at Press", "nobody": "nobody",
	} {
		assert.Equal(t, want, c.Say(name), name)
	}
	assert.Equal(t, "R1", (*circuit.Circuit)(nil).Say("R1"), "where no circuit is known")
}

// TestABoxFoundAlongACable: it goes in between; what the cable fed is fed from
// it, by what is left of the cable.
func TestABoxFoundAlongACable(t *testing.T) {
	c := circuit.New("loft")
	require.NoError(t, c.AddStop(circuit.NewStop{After: circuit.Panel, Feet: 30, Ground: true}))
	require.NoError(t, c.AddStop(circuit.NewStop{After: "B1", Feet: 20, AWG: 12}))
	b2 := c.Box("B2")
	b2.Makeup, b2.Wiring = "", [][2]string{{"W2@B2.hot", "R2.hot.1"}, {"W2@B2.neutral", "R2.neutral.1"}}
	require.NoError(t, c.Check())
	require.NoError(t, c.AddStop(circuit.NewStop{Into: "W2", Label: "Behind the press", Ground: true}))
	assert.Equal(t, []string{"B1", "B3", "B2"}, c.Order())
	assert.Equal(t, "Behind the press", c.Box("B3").Label)
	assert.Equal(
		t,
		circuit.Cable{
			ID:         "W2",
			From:       "B1",
			To:         "B3",
			AWG:        12,
			Feet:       10,
			Conductors: []circuit.Conductor{circuit.Hot, circuit.Neutral},
		},
		*c.Cable("W2"),
	)
	assert.Equal(
		t,
		circuit.Cable{
			ID:         "W3",
			From:       "B3",
			To:         "B2",
			AWG:        12,
			Feet:       10,
			Conductors: []circuit.Conductor{circuit.Hot, circuit.Neutral},
		},
		*c.Cable("W3"),
	)
	assert.Equal(t, [][2]string{{"W3@B2.hot", "R2.hot.1"}, {"W3@B2.neutral", "R2.neutral.1"}}, c.Box("B2").Wiring)
	w, err := circuit.Wire(c)
	require.NoError(t, err)
	assert.Len(t, w.Outlets, 6)
	assert.ErrorContains(t, c.AddStop(circuit.NewStop{Into: "W9"}), "no such cable")
	assert.ErrorContains(t, c.AddStop(circuit.NewStop{Into: "W3", After: "B1"}), `it comes from B3, not from "B1"`)
}
