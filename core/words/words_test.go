package words

import (
	"regexp"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestComplete: every language has every sentence, with the same values in it, and none
// is left as it is in English.
func TestComplete(t *testing.T) {
	values := regexp.MustCompile(`%\[\d\]s`)
	in := func(text string) []string { return slices.Sorted(slices.Values(values.FindAllString(text, -1))) }
	for _, c := range Catalogues {
		for code, text := range English.Words {
			said, ok := c.Words[code]
			assert.True(t, ok, "%s: %s", c.Tag, code)
			assert.NotEmpty(t, said, "%s: %s", c.Tag, code)
			assert.Equal(t, in(text), in(said), "%s: %s", c.Tag, code)
			same := said == text && code != "visit.no"
			assert.False(t, c != English && same, "%s: %s is English", c.Tag, code)
		}
		for code := range c.Words {
			assert.Contains(t, English.Words, code, "%s: nothing is said by it", c.Tag)
		}
		assert.Equal(t, c.Reviewed, c.Note == "", "%s: who reads it is told", c.Tag)
	}
}

// TestRender: a sentence kept as codes is said in any language, its values with it.
func TestRender(t *testing.T) {
	green := Of("terminal.ground")
	for _, row := range []struct {
		said   Said
		en, es string
	}{
		{Said{Text: "W2"}, "W2", "W2"},
		{Of("step.pull"), "Photograph the box, then pull the device", "Fotografíe la caja y luego saque el dispositivo"},
		{Of("step.land.ground", "W1", green), "Ground of W1 on the green screw", "Tierra de W1 en el tornillo verde"},
		{
			Of("step.land.hot", "W1", Of("terminal.of", Of("terminal.line.hot"), "2")),
			"Hot of W1 on LINE brass of device 2", "Vivo de W1 en el latón de LINE del dispositivo 2",
		},
		{Of("step.join.hot", []string{"W1"}), "Join the hots of W1", "Una los vivos de W1"},
		{Of("step.join.hot", []string{"W1", "W2", "W3"}), "Join the hots of W1, W2 and W3", "Una los vivos de W1, W2 y W3"},
		{Of("step.jumperTo", []Said{green, {Text: "X"}}), ", jumper to the green screw and X", ", puente a el tornillo verde y X"},
		{Of("step.join.hot", []string{}), "Join the hots of ", "Una los vivos de "},
	} {
		assert.Equal(t, row.en, English.Render(row.said))
		assert.Equal(t, row.es, Spanish.Render(row.said))
	}
	assert.Equal(t, "Plate on; Pull it.", English.All([]Said{Of("step.plate"), Of("step.land.pull")}, "; "))
	assert.Panics(t, func() { Of("step.plate", 3) }, "a number has no language")
}

func TestSay(t *testing.T) {
	for _, row := range []struct{ tag, code, want string }{
		{"en", "visit.yes", "yes"}, {"es", "visit.yes", "sí"}, {"es-MX", "visit.yes", "sí"}, {"ES", "visit.yes", "sí"},
		{"fr", "visit.yes", "yes"}, {"", "visit.yes", "yes"}, {"es", "nobody says this", "nobody says this"},
	} {
		assert.Equal(t, row.want, For(row.tag).Say(row.code), row)
	}
	assert.Equal(t, "2 de 5", Spanish.Say("visit.of", "2", "5"))
	lacking := &Catalogue{Tag: "xx", Words: map[string]string{"visit.yes": "ja"}}
	assert.Equal(t, "no", lacking.Say("visit.no"))
	assert.Equal(t, "ja", lacking.Whole().Words["visit.yes"])
	assert.Len(t, lacking.Whole().Words, len(English.Words))
}
