package safety_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	. "elvat/core/safety"
	"elvat/core/tester"
)

const run = `{"format":"elvat-circuit/1","name":"Kiln shed","breaker":{"label":"7","amps":20},
"cables":[{"id":"W1","from":"panel","to":"B1","awg":12,"feet":30,"conductors":["hot","neutral","ground"]},
{"id":"W2","from":"B1","to":"B2","awg":12,"feet":15,"conductors":["hot","neutral","ground"]},
{"id":"W3","from":"B1","to":"B3","awg":12,"feet":15,"conductors":["hot","neutral","ground"]}],
"boxes":[{"id":"B1","label":"Door","material":"plastic","makeup":"pigtail","devices":[{"id":"R1","kind":"receptacle","amps":15}]},
{"id":"B2","label":"Kiln","material":"plastic","makeup":"feed-through","devices":[{"id":"R2","kind":"receptacle","amps":15}]},
{"id":"B3","label":"Bench","material":"plastic","makeup":"feed-through","devices":[{"id":"R3","kind":"receptacle","amps":15}]}]}`

func kiln(t *testing.T) *circuit.Circuit {
	c, err := circuit.Parse([]byte(run))
	require.NoError(t, err)
	return c
}

// TestForbids: common practice, no source, but for what stands beside Forbids.
func TestForbids(t *testing.T) {
	at := func(place string) []Hazard {
		return []Hazard{{ID: "h", Signs: []Sign{Scorch}, Place: place, By: Customer}}
	}
	for _, row := range []struct {
		name  string
		place string
		act   Act
		want  bool
	}{
		{"a reset at the place", "B2", Act{Kind: Energize, At: "B2"}, true},
		{"a reset ahead of the place", "B2", Act{Kind: Energize, At: "B1"}, true},
		{"a reset on another branch, by the same breaker", "B2", Act{Kind: Energize, At: "B3"}, true},
		{"the breaker on", "B2", Act{Kind: Energize, At: circuit.Panel}, true},
		{"a plug tester", "B2", Act{Kind: Read, At: "B3", Tool: tester.Plug}, true},
		{"a GFCI's own button", "B2", Act{Kind: PressTest, At: "B1"}, true},
		{"the place opened dead", "B2", Act{Kind: OpenDead, At: "B2"}, false},
		{"another box first", "B2", Act{Kind: OpenDead, At: "B3"}, true},
		{"any box, where nobody said where", "", Act{Kind: OpenDead, At: "B3"}, false},
		{"opened, with the panel itself the place", circuit.Panel, Act{Kind: OpenDead, At: circuit.Panel}, true},
		{"a look from outside", "B2", Act{Kind: Look, At: "B2"}, false},
	} {
		assert.Equal(t, row.want, Forbids(at(row.place), row.act) != nil, row.name)
	}
	looked := at("B2")
	looked[0].Looked = &Looked{By: "Ada", Found: "a burnt splice", Done: "made up anew"}
	assert.Nil(t, Forbids(Standing(looked), Act{Kind: Energize, At: "B2"}), "it ends when somebody looked")
	both := append(at("B2"), at("B3")...)
	assert.NotNil(t, Forbids(Standing(both), Act{Kind: Energize, At: circuit.Panel}), "the breaker stays off while one stands")
}

func TestThroughWarm(t *testing.T) {
	c := kiln(t)
	for _, row := range []struct {
		name, warm string
		act        Act
		want       string
	}{
		{"load tester there", "B1", Act{Kind: Read, At: "B1", Tool: tester.Analyzer}, "B1"},
		{"test lamp beyond it", "B1", Act{Kind: Read, At: "B2", Tool: tester.Lamp}, "B1"},
		{"low impedance beyond it", "B1", Act{Kind: Read, At: "B3", Tool: tester.Meter, Mode: tester.LowZ}, "B1"},
		{"plug tester, which draws next to nothing", "B1", Act{Kind: Read, At: "B1", Tool: tester.Plug}, ""},
		{"high impedance", "B1", Act{Kind: Read, At: "B2", Tool: tester.Meter, Mode: tester.HighZ}, ""},
		{"load tester ahead of it", "B2", Act{Kind: Read, At: "B1", Tool: tester.Analyzer}, ""},
		{"load tester on another branch", "B2", Act{Kind: Read, At: "B3", Tool: tester.Analyzer}, ""},
		{"breaker", "B2", Act{Kind: Energize, At: circuit.Panel}, "B2"},
		{"reset ahead of it", "B2", Act{Kind: Energize, At: "B1"}, "B2"},
		{"reset there", "B2", Act{Kind: Energize, At: "B2"}, "B2"},
		{"reset on another branch", "B2", Act{Kind: Energize, At: "B3"}, ""},
	} {
		assert.Equal(t, row.want, ThroughWarm(c, []string{row.warm}, row.act), row.name)
	}
}

func TestHazardCheck(t *testing.T) {
	c := kiln(t)
	for place, h := range map[string]Hazard{
		"signs": {By: Office}, "none of": {Signs: []Sign{"fog"}, By: Office}, "place": {Signs: []Sign{Heat}, Place: "B9", By: Office}, "by": {Signs: []Sign{Heat}, By: "a bird"},
	} {
		assert.ErrorContains(t, h.Check(c), place)
	}
	h := Hazard{Signs: []Sign{Scorch, Sparks}, Place: "B2", By: Customer}
	require.NoError(t, h.Check(c))
	assert.Equal(t, "scorching, sparks at Kiln", h.Words(c))
	assert.Contains(t, h.FirstMove(c), "lock it out")
	assert.Error(t, (&Looked{Found: "dry"}).Check())
}
