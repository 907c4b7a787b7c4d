package practice

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"elvat/core/nec"

	"elvat/core/parts"
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

// TestOfItem: a shop's own price for a thing, else for its kind, else what is usual.
func TestOfItem(t *testing.T) {
	gfci := parts.Outlet{Kind: "gfci", Amps: 20, Tamper: true}.Item()
	for _, row := range []struct {
		own  Prices
		item parts.Item
		want float64
	}{
		{nil, gfci, 24}, {Prices{"gfci": 31}, gfci, 31}, {Prices{"gfci": 31, "gfci-20-tr": 29}, gfci, 29},
		{Prices{"box": 9}, parts.NewBox(30.3, "metal"), 9}, {Prices{"connector": 1}, parts.Lever(5), 1}, {Prices{"cap": 0.3}, parts.Cap, 0.3},
		{Prices{"receptacle": 6}, parts.Outlet{Kind: "receptacle", Amps: 15, TwoSlot: true}.Item(), 5},
		{Prices{"receptacle": 6}, parts.Outlet{Kind: "receptacle", Amps: 15, Tamper: true, Weather: true}.Item(), 8},
	} {
		assert.InDelta(t, row.want, row.own.OfItem(row.item), 1e-9, "%s with %v", row.item.Code, row.own)
	}
	keys := map[string]bool{}
	for _, row := range (Prices{}).Rows() {
		assert.False(t, keys[row.Key], "%s has two rows", row.Key)
		keys[row.Key] = true
	}
}

// TestItems: a shop's own things are kept beside the catalogue, and none stands for another.
func TestItems(t *testing.T) {
	own := parts.Item{Code: "own-clip", Words: "cable clip", Group: parts.Hardware, Usual: 0.05}
	sheet := Shop{Items: []parts.Item{own}}.Sheet()
	assert.Equal(t, []parts.Item{own}, sheet.Items)
	for _, row := range []struct {
		change func(*parts.Item)
		says   string
	}{
		{func(*parts.Item) {}, ""}, {func(i *parts.Item) { i.Code = "" }, "items[0].code"}, {func(i *parts.Item) { i.Code = "cap" }, "items[0].code"},
		{func(i *parts.Item) { i.Words = "lever, 3-wire" }, "items[0].words"}, {func(i *parts.Item) { i.Words = " " }, "items[0].words"},
		{func(i *parts.Item) { i.Group = "shelf" }, "items[0].group"}, {func(i *parts.Item) { i.Usual = -1 }, "items[0].usual"},
		{func(i *parts.Item) { i.Unit = "m" }, "items[0].unit"},
	} {
		i := own
		row.change(&i)
		err := Shop{Items: []parts.Item{i}}.Check()
		if row.says == "" {
			assert.NoError(t, err)
			continue
		}
		assert.ErrorContains(t, err, row.says)
	}
	assert.ErrorContains(t, Shop{Items: []parts.Item{own, own}}.Check(), "items[1].code")
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
