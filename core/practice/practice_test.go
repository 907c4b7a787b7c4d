package practice

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"elvat/core/nec"
)

func TestHouse(t *testing.T) {
	usual := House{}.Whole()
	assert.Equal(t, PigtailAt3, usual.Device)
	assert.Equal(t, NeverPushIn, usual.PushIn)
	mixed := House{Splice: Twisted}.Whole(House{Splice: Lever, Load: LoadAll})
	assert.Equal(t, Twisted, mixed.Splice, "the box's own choice wins")
	assert.Equal(t, LoadAll, mixed.Load, "then the shop's")
	assert.Equal(t, Clamp, mixed.Hook, "then the usual one")
	assert.NoError(t, mixed.Check())
	assert.ErrorContains(t, House{Splice: "glue"}.Check(), `splice: "glue"`)
	for _, s := range mixed.Schools() {
		assert.NotEmpty(t, s.Why, s.Key)
		assert.GreaterOrEqual(t, len(s.Options), 2, s.Key)
		if s.Key == "splice" {
			assert.Equal(t, Twisted, s.Value)
		}
	}
	assert.Contains(t, House{}.Says("splice"), "can be seen", "the usual choice says why")
	assert.Contains(t, mixed.Says("splice"), "as the house has chosen")
	assert.Contains(t, House{}.Says("load"), "LOAD of a GFCI: branches")
}

func TestShop(t *testing.T) {
	assert.Equal(t, nec.Usual, Shop{}.Book(0).Edition)
	shop := Shop{
		Edition:    2017,
		Prices:     Prices{"gfci": 30},
		Amendments: []nec.Rule{{Topic: nec.GroundFault, Section: "Town code 12", Text: "halls"}},
	}
	assert.NoError(t, shop.Check())
	assert.Equal(t, nec.Edition(2017), shop.Book(0).Edition)
	assert.Equal(t, nec.Edition(2020), shop.Book(2020).Edition, "a box's own edition wins")
	assert.True(t, shop.Book(0).Amendments[0].Local)
	sheet := shop.Sheet()
	assert.Equal(t, 30.0, shop.Prices.Of("gfci"))
	assert.NotEmpty(t, sheet.Prices)
	for _, r := range sheet.Rules {
		assert.True(t, r.In(2017))
	}
	for _, row := range []struct {
		shop Shop
		says string
	}{
		{Shop{Edition: 1999}, "1999"}, {Shop{Prices: Prices{"gold": 1}}, "gold"}, {Shop{Prices: Prices{"gfci": -1}}, "gfci"},
		{Shop{House: House{Tape: "blue"}}, "tape"}, {Shop{Amendments: []nec.Rule{{}}}, "section"}, {Shop{Amendments: make([]nec.Rule, 300)}, "300"},
	} {
		assert.ErrorContains(t, row.shop.Check(), row.says)
	}
}
