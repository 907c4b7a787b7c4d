package nec

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"elvat/core/wire"
)

func is(v bool) *bool         { return &v }
func feet(v float64) *float64 { return &v }

// TestGroundFaultByRoom against NEC 210.8(A), 2017, 2020 and 2023 (from memory).
func TestGroundFaultByRoom(t *testing.T) {
	for _, row := range []struct {
		name                string
		place               Place
		y2017, y2020, y2023 bool
		section             string // in 2023
	}{
		{"bathroom", Place{Room: Bathroom}, true, true, true, "210.8(A)(1)"},
		{"garage", Place{Room: Garage}, true, true, true, "210.8(A)(2)"},
		{"accessory building", Place{Room: Accessory}, true, true, true, "210.8(A)(2)"},
		{"outdoors", Place{Room: Outdoors}, true, true, true, "210.8(A)(3)"},
		{"a porch, said to be outdoors", Place{Room: OtherRoom, Outdoors: is(true)}, true, true, true, "210.8(A)(3)"},
		{"crawl space", Place{Room: Crawl}, true, true, true, "210.8(A)(4)"},
		{"basement, unfinished", Place{Room: Basement, Finished: is(false)}, true, true, true, "210.8(A)(5)"},
		{"basement, finished", Place{Room: Basement, Finished: is(true)}, false, true, true, "210.8(A)(5)"},
		{"kitchen countertop", Place{Room: Kitchen, Countertop: is(true)}, true, true, true, "210.8(A)(6)"},
		{"kitchen, not a countertop", Place{Room: Kitchen, Countertop: is(false)}, false, false, true, "210.8(A)(6)"},
		{"by a sink", Place{Room: Workshop, FeetToSink: feet(6)}, true, true, true, "210.8(A)(8)"},
		{"away from a sink", Place{Room: Workshop, FeetToSink: feet(6.1)}, false, false, false, "210.8(A)"},
		{"by a tub", Place{Room: Bedroom, FeetToTub: feet(5)}, true, true, true, "210.8(A)(10)"},
		{"laundry area", Place{Room: Laundry}, true, true, true, "210.8(A)(11)"},
		{"indoors, damp", Place{Room: OtherRoom, Exposure: Damp}, false, true, true, "210.8(A)(12)"},
		{"bedroom", Place{Room: Bedroom}, false, false, false, "210.8(A)"},
		{"living room", Place{Room: Living}, false, false, false, "210.8(A)"},
		{"hall", Place{Room: Hall}, false, false, false, "210.8(A)"},
		{"closet", Place{Room: Closet}, false, false, false, "210.8(A)"},
		{"attic", Place{Room: Attic}, false, false, false, "210.8(A)"},
	} {
		for i, want := range []bool{row.y2017, row.y2020, row.y2023} {
			e := Editions[i]
			v, asks := Book{Edition: e}.Verdict(GroundFault, row.place)
			assert.Equal(t, want, v.Required, "%s, %d", row.name, e)
			assert.Empty(t, asks, row.name)
			assert.Equal(t, e, v.Edition)
			assert.Equal(t, Adopted, v.Check)
			assert.NotEmpty(t, v.Why)
			if e == 2023 {
				assert.Equal(t, row.section, v.Section, row.name)
			}
		}
	}
}

// TestOtherVerdicts against NEC 210.12, 406.9 and 406.12 (from memory).
func TestOtherVerdicts(t *testing.T) {
	for _, row := range []struct {
		topic   Topic
		place   Place
		edition Edition
		want    bool
		kind    string
	}{
		{ArcFault, Place{Room: Bedroom}, 2017, true, ""},
		{ArcFault, Place{Room: Kitchen}, 2023, true, ""},
		{ArcFault, Place{Room: Bathroom}, 2023, false, ""},
		{ArcFault, Place{Room: Garage}, 2020, false, ""},
		{ArcFault, Place{Room: Basement, Finished: is(true)}, 2023, true, ""},
		{ArcFault, Place{Room: Basement, Finished: is(false)}, 2023, false, ""},
		{TamperResistant, Place{Room: Living}, 2017, true, ""},
		{TamperResistant, Place{Room: Attic}, 2017, false, ""},
		{TamperResistant, Place{Room: Attic}, 2020, true, ""},
		{TamperResistant, Place{Room: Living, FeetUp: feet(6)}, 2023, false, ""},
		{WeatherResistant, Place{Room: Living, Exposure: Dry}, 2023, false, ""},
		{WeatherResistant, Place{Room: Outdoors}, 2023, true, ""},
		{WeatherResistant, Place{Room: OtherRoom, Exposure: Damp}, 2017, true, ""},
		{Cover, Place{Room: Outdoors, Exposure: Wet}, 2020, true, "in-use"},
		{Cover, Place{Room: Outdoors, Exposure: Damp}, 2020, true, "closing"},
		{Cover, Place{Room: Hall, Exposure: Dry}, 2020, false, ""},
	} {
		v, _ := Book{Edition: row.edition}.Verdict(row.topic, row.place)
		assert.Equal(t, row.want, v.Required, "%v", row)
		assert.Equal(t, row.kind, v.Kind, "%v", row)
	}
}

func TestWhatIsNotKnownIsAskedFor(t *testing.T) {
	for _, row := range []struct {
		place   Place
		edition Edition
		field   string
	}{
		{Place{}, 2023, "place.room"},
		{Place{Room: Basement}, 2017, "place.finished"},
		{Place{Room: Kitchen}, 2020, "place.countertop"},
	} {
		v, asks := Book{Edition: row.edition}.Verdict(GroundFault, row.place)
		assert.True(t, v.Required, "not known counts as required")
		assert.Contains(t, v.Why, "not known")
		assert.True(t, slices.ContainsFunc(asks, func(a Ask) bool { return a.Field == row.field }), "%v", asks)
	}
}

func TestLocalAmendments(t *testing.T) {
	b := Shopped(2023)
	v, _ := b.Verdict(GroundFault, Place{Room: Hall})
	assert.True(t, v.Required)
	assert.True(t, v.Local)
	assert.Contains(t, v.Why, "local amendment")
	v, _ = b.Verdict(GroundFault, Place{Room: Laundry})
	assert.False(t, v.Required, "an amendment can lift a requirement")
	assert.True(t, v.Local)

	good := Rule{Topic: GroundFault, Section: "Town code 12", Text: "halls"}
	assert.NoError(t, CheckAmendment(good))
	for _, row := range []struct {
		change func(*Rule)
		says   string
	}{
		{func(r *Rule) { r.Section = "" }, "section"}, {func(r *Rule) { r.Text = "" }, "what it asks"}, {func(r *Rule) { r.Topic = "colour" }, "colour"},
		{func(r *Rule) { r.When.Rooms = []Room{"moon"} }, "moon"}, {func(r *Rule) { r.When.Exposures = []Exposure{"icy"} }, "icy"},
	} {
		r := good
		row.change(&r)
		assert.ErrorContains(t, CheckAmendment(r), row.says)
	}
}

// Shopped is a book with two amendments.
func Shopped(e Edition) Book {
	return Book{Edition: e, Amendments: []Rule{
		{Topic: GroundFault, Section: "Town code 12", Text: "halls", When: Condition{Rooms: []Room{Hall}}, Local: true},
		{Topic: GroundFault, Section: "Town code 13", Text: "laundry areas are exempt", When: Condition{Rooms: []Room{Laundry}}, Lifts: true, Local: true},
	}}
}

// TestFill against sums of the NEC handbook's kind from table 314.16(B)(1)
// (table from memory; the sums are our own but for the first, which is widely
// shown).
func TestFill(t *testing.T) {
	many := func(g wire.Gauge, n int) []wire.Gauge { return slices.Repeat([]wire.Gauge{g}, n) }
	for _, row := range []struct {
		name    string
		edition Edition
		in      Contents
		want    float64
	}{
		{"three 12-2 and a GFCI", 2023, Contents{Insulated: many(12, 6), Grounds: many(12, 3), Devices: many(12, 1)}, 20.25},
		{"one 14-2 and a receptacle: 4 + 4 + 2", 2023, Contents{Insulated: many(14, 2), Grounds: many(14, 1), Devices: many(14, 1)}, 10},
		{"two 14-2 in a clamped metal box: 8 + 2 + 4 + 2", 2020, Contents{Insulated: many(14, 4), Grounds: many(14, 2), Devices: many(14, 1), Clamps: true}, 16},
		{"two 12-2 and a 14-2: 9 + 4 + 4.5 + 2.25", 2020, Contents{Insulated: append(many(12, 4), many(14, 2)...), Grounds: []wire.Gauge{12, 12, 14}, Devices: many(12, 1)}, 19.75},
		{"five 12-2 in 2020: 22.5 + 4.5 + 2.25 + 0.5625", 2020, Contents{Insulated: many(12, 10), Grounds: many(12, 5), Devices: many(12, 1)}, 29.8125},
		{"the same in 2017: no quarter", 2017, Contents{Insulated: many(12, 10), Grounds: many(12, 5), Devices: many(12, 1)}, 29.25},
		{"14-3 and 14-2 with two devices: 10 + 8 + 2", 2023, Contents{Insulated: many(14, 5), Grounds: many(14, 2), Devices: many(14, 2)}, 20},
		{"two 10-2 on a stud: 10 + 2.5 + 5 + 2.5", 2023, Contents{Insulated: many(10, 4), Grounds: many(10, 2), Devices: many(10, 1), Fittings: 1}, 20},
		{"four 14 AWG passing through: 8", 2023, Contents{Passing: many(14, 4)}, 8},
		{"nothing", 2023, Contents{}, 0},
	} {
		items, total := Book{Edition: row.edition}.Fill(row.in)
		assert.InDelta(t, row.want, float64(total), 1e-9, row.name)
		sum := wire.CubicInches(0)
		for _, item := range items {
			sum += item.In3
			assert.InDelta(t, item.Count*float64(item.Each), float64(item.In3), 1e-9)
		}
		assert.InDelta(t, float64(total), float64(sum), 1e-9)
	}
}

// TestRatings against NEC 210.21(B) and its table (B)(3) (from memory).
func TestRatings(t *testing.T) {
	for _, row := range []struct {
		breaker     float64
		alone       bool
		least, most float64
	}{{15, false, 15, 15}, {20, false, 15, 20}, {20, true, 20, 20}, {15, true, 15, 15}, {30, false, 30, 30}, {40, false, 40, 50}} {
		least, most := Book{Edition: 2023}.Ratings(row.breaker, row.alone)
		assert.Equal(t, row.least, least.Required, "%v", row)
		assert.Equal(t, row.most, most.Required, "%v", row)
	}
}

func TestEveryTopicIsCitedInEveryEdition(t *testing.T) {
	for _, r := range Rules {
		for _, e := range Editions {
			b := Book{Edition: e}
			assert.NotEqual(t, "no section", b.Cite(r.Topic).Section, "%s in %d", r.Topic, e)
		}
	}
	assert.Equal(t, "no section", Book{Edition: 2023}.Cite("nothing").Section)
	assert.Error(t, Edition(1999).Check())
	assert.ErrorContains(t, Place{Room: "moon"}.Check(), "room")
	assert.ErrorContains(t, Place{Exposure: "icy"}.Check(), "exposure")
	assert.ErrorContains(t, Place{FeetToSink: feet(-1)}.Check(), "feetToSink")
}

// TestArcFaultByRoom against NEC 210.12 (from memory): living areas, kitchens,
// laundry areas, halls, closets; not where people do not live.
func TestArcFaultByRoom(t *testing.T) {
	asked := []Room{Kitchen, Laundry, Bedroom, Living, Hall, Closet}
	for _, room := range Rooms {
		for _, e := range Editions {
			v, _ := Book{Edition: e}.Verdict(ArcFault, Place{Room: room, Finished: is(false)})
			assert.Equal(t, slices.Contains(asked, room), v.Required, "%s, %d", room, e)
			section := "210.12(A)"
			if e == 2023 {
				section = "210.12(B)"
			}
			if v.Required {
				assert.Equal(t, section, v.Section)
			}
		}
	}
	for _, room := range []Room{Workshop, OtherRoom} {
		v, _ := Book{Edition: 2023}.Verdict(ArcFault, Place{Room: room})
		assert.Contains(t, v.Why, "an authority may count", "what is open to judgement says so")
	}
}

// TestTamperResistantByRoom against NEC 406.12 (from memory): the areas of
// 210.52 in 2017, all of the dwelling from 2020.
func TestTamperResistantByRoom(t *testing.T) {
	for _, room := range Rooms {
		for _, e := range Editions {
			v, _ := Book{Edition: e}.Verdict(TamperResistant, Place{Room: room})
			want := e >= 2020 || room != Attic && room != Crawl
			assert.Equal(t, want, v.Required, "%s, %d", room, e)
		}
	}
}

// TestSectionsMoveBetweenEditions: the same thing stands elsewhere.
func TestSectionsMoveBetweenEditions(t *testing.T) {
	for _, row := range []struct {
		place    Place
		sections map[Edition]string
	}{
		{Place{Room: Hall, FeetToSink: feet(3)}, map[Edition]string{2017: "210.8(A)(7)", 2020: "210.8(A)(7)", 2023: "210.8(A)(8)"}},
		{Place{Room: Hall, FeetToTub: feet(3)}, map[Edition]string{2017: "210.8(A)(9)", 2020: "210.8(A)(9)", 2023: "210.8(A)(10)"}},
		{Place{Room: Laundry}, map[Edition]string{2017: "210.8(A)(10)", 2020: "210.8(A)(10)", 2023: "210.8(A)(11)"}},
		{Place{Room: Hall, Exposure: Wet}, map[Edition]string{2020: "210.8(A)(11)", 2023: "210.8(A)(12)"}},
	} {
		for e, section := range row.sections {
			v, _ := Book{Edition: e}.Verdict(GroundFault, row.place)
			assert.Equal(t, section, v.Section, "%v in %d", row.place, e)
		}
	}
}

// TestRowsAreWellFormed: each has a section and a text of its own, an edition
// range that holds, and rooms there are.
func TestRowsAreWellFormed(t *testing.T) {
	for _, r := range Rules {
		assert.NotEmpty(t, r.Section, r.Topic)
		assert.NotEmpty(t, r.Text, r.Topic)
		assert.False(t, r.From != 0 && r.To != 0 && r.From > r.To, "%s %s", r.Topic, r.Section)
		for _, room := range r.When.Rooms {
			assert.Contains(t, Rooms, room)
		}
		for _, e := range []Edition{r.From, r.To} {
			if e != 0 {
				assert.NoError(t, e.Check())
			}
		}
		assert.False(t, r.Local || r.Lifts, "only a shop's rows are local")
	}
}
