// Package practice is the house practice: what a shop chooses where good
// electricians differ, each with the usual choice and its reason, and its
// prices.
package practice

import (
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"

	"elvat/core/parts"
)

// A House is a shop's choices by matter; an empty one is as usual.
type House struct {
	PushIn      string `json:"pushIn,omitempty"`
	Device      string `json:"device,omitempty"`
	Splice      string `json:"splice,omitempty"`
	Hook        string `json:"hook,omitempty"`
	OldHooks    string `json:"oldHooks,omitempty"`
	Tape        string `json:"tape,omitempty"`
	Load        string `json:"load,omitempty"`
	SecondRound string `json:"secondRound,omitempty"`
	MetalBox    string `json:"metalBox,omitempty"`
	Driver      string `json:"driver,omitempty"`
	DeadTest    string `json:"deadTest,omitempty"`
	PlateScrews string `json:"plateScrews,omitempty"`
	Proving     string `json:"proving,omitempty"`
	Circuit     string `json:"circuit,omitempty"`
	GFCIAt      string `json:"gfciAt,omitempty"`
	Exposed     string `json:"exposed,omitempty"`
}

// Choices, named where rules turn on them.
const (
	NeverPushIn   = "never"
	PushInOn14    = "14-only"
	PigtailAt3    = "pigtail-at-3"
	AlwaysPigtail = "always"
	FeedThrough   = "feed-through"
	Lever         = "lever"
	Twisted       = "twisted"
	PushInSplice  = "push-in"
	Clamp         = "clamp"
	Hook          = "hook"
	CutAfresh     = "fresh"
	ReuseHooks    = "reuse"
	TapeInMetal   = "metal-only"
	TapeAlways    = "always"
	TapeNever     = "never"
	LoadKnown     = "known-branches"
	LoadOwn       = "own-outlet"
	LoadAll       = "all-downstream"
	SameTorque    = "same-torque"
	NoSecondRound = "none"
	Jumpers       = "jumpers"
	Yoke          = "yoke"
	SquareDriver  = "square"
	FlatDriver    = "flat"
	MeterSensor   = "meter-and-sensor"
	AddsLamp      = "adds-lamp"
	Vertical      = "vertical"
	Horizontal    = "horizontal"
	NearFirst     = "near-first"
	FarFirst      = "far-first"
	Always20      = "20"
	AsAsked       = "as-asked"
	AtFirst       = "first-outlet"
	AtBreaker     = "breaker"
	ExposedCable  = "cable"
	ExposedPipe   = "conduit"
)

// An Option is one school.
type Option struct {
	Value string `json:"value"`
	Words string `json:"words"`
}

// A School is a matter in which good people differ; the first option is usual.
type School struct {
	Key     string   `json:"key"`
	Words   string   `json:"words"`
	Options []Option `json:"options"`
	Why     string   `json:"why"` // the usual one
	Value   string   `json:"value"`
}

// schools are the matters in the order in which they come up in a box. The
// reasons are common practice, no source.
var schools = []School{
	{Key: "device", Words: "Hots and neutrals that go on", Options: []Option{{PigtailAt3, "Jumpers at three cables or more"}, {AlwaysPigtail, "Jumpers always"}, {FeedThrough, "Through the device"}},
		Why: "With three cables the device would carry two branches, and its failure takes both; with two, the screws do."},
	{Key: "splice", Words: "Splices", Options: []Option{{Lever, "Lever connectors"}, {Twisted, "Twisted connectors"}, {PushInSplice, "Push-in splices"}},
		Why: "The end of each wire can be seen, and it opens again without cutting."},
	{Key: "pushIn", Words: "Push-in holes of a device", Options: []Option{{NeverPushIn, "Never"}, {PushInOn14, "On 14 AWG solid copper"}},
		Why: "The contact is tiny, warms and lets go; it is behind many a loose neutral."},
	{Key: "hook", Words: "Wires on terminals", Options: []Option{{Clamp, "Under the clamp plate where there is one"}, {Hook, "A hook round the screw"}},
		Why: "A clamp holds a straight end flat, and cannot squeeze it out."},
	{Key: "oldHooks", Words: "Hooks of the old device", Options: []Option{{CutAfresh, "Cut off and strip afresh, if length allows"}, {ReuseHooks, "Use again"}},
		Why: "A wire bent twice at one place breaks there."},
	{Key: "metalBox", Words: "Device in a metal box", Options: []Option{{Jumpers, "Ground jumpers to box and device"}, {Yoke, "Listed yoke contacts; conduit as ground"}},
		Why: "A jumper stays when screws loosen, and can be seen."},
	{Key: "tape", Words: "Tape round the device", Options: []Option{{TapeInMetal, "In metal boxes"}, {TapeAlways, "Always"}, {TapeNever, "Never"}},
		Why: "Metal is near the screws there; elsewhere tape only hides and gums."},
	{Key: "load", Words: "LOAD of a GFCI", Options: []Option{{LoadKnown, "Branches known to want it"}, {LoadOwn, "Nothing: its own outlet only"}, {LoadAll, "Everything downstream"}},
		Why: "What nobody knows may be a freezer that must not go off unseen."},
	{Key: "secondRound", Words: "Second round of the screws", Options: []Option{{SameTorque, "After some minutes, to the same torque"}, {NoSecondRound, "None"}},
		Why: "Copper settles. To the same torque, never another turn."},
	{Key: "driver", Words: "Driver", Options: []Option{{SquareDriver, "Square no. 1 or combination"}, {FlatDriver, "Flat blade"}},
		Why: "It fits the screw and does not cam out."},
	{Key: "deadTest", Words: "Proving dead", Options: []Option{{MeterSensor, "Contact meter and sensor"}, {AddsLamp, "Test lamp as well"}},
		Why: "The meter gives the number, the sensor finds what has no return path."},
	{Key: "plateScrews", Words: "Plate screws", Options: []Option{{Vertical, "Slots vertical"}, {Horizontal, "Slots horizontal"}},
		Why: "Dust does not lie in them, and one that moved shows."},
	{Key: "proving", Words: "Order of proving", Options: []Option{{NearFirst, "This outlet first, then outward"}, {FarFirst, "The last outlet first"}},
		Why: "A fault at the device just made up shows at once."},
	{Key: "circuit", Words: "A new circuit", Options: []Option{{Always20, "20 A and 12 AWG, whatever it serves"}, {AsAsked, "As the load asks"}},
		Why: "What is plugged in next is heavier, and the thicker cable costs little more."},
	{Key: "gfciAt", Words: "GFCI of a new circuit", Options: []Option{{AtFirst, "At the first outlet that asks for it"}, {AtBreaker, "In the breaker"}},
		Why: "It is reset where it tripped, and what lies ahead of it stays on."},
	{Key: "exposed", Words: "A new run in the open, in unfinished rooms", Options: []Option{{ExposedCable, "Cable, through bored holes or on boards"}, {ExposedPipe, "Conduit"}},
		Why: "Through bored holes nothing hangs on it and nothing knocks against it; conduit costs three times the work."},
}

// each calls do with every choice.
func (h *House) each(do func(key string, value *string)) {
	v := reflect.ValueOf(h).Elem()
	for i := range v.NumField() {
		key := v.Type().Field(i).Tag.Get("json")
		do(key[:len(key)-len(",omitempty")], v.Field(i).Addr().Interface().(*string))
	}
}

// Check reports a choice that no school makes.
func (h House) Check() error {
	var problem error
	h.each(func(key string, value *string) {
		s := school(key)
		if *value != "" && problem == nil &&
			!slices.ContainsFunc(s.Options, func(o Option) bool { return o.Value == *value }) {
			values := []string{}
			for _, o := range s.Options {
				values = append(values, o.Value)
			}
			problem = fmt.Errorf("practice: %s: %q is none of %v", key, *value, values)
		}
	})
	return problem
}

// Whole fills what is empty from the others in turn, and then as usual.
func (h House) Whole(others ...House) House {
	for _, o := range others {
		h.fill(func(key string) string { return o.get(key) })
	}
	h.fill(func(key string) string { return school(key).Options[0].Value })
	return h
}

func (h *House) fill(from func(key string) string) {
	h.each(func(key string, value *string) {
		if *value == "" {
			*value = from(key)
		}
	})
}

func (h House) get(key string) (value string) {
	h.each(func(k string, v *string) {
		if k == key {
			value = *v
		}
	})
	return value
}

// Schools are the matters with what the house has chosen.
func (h House) Schools() []School {
	all := slices.Clone(schools)
	for i := range all {
		all[i].Value = h.Whole().get(all[i].Key)
	}
	return all
}

func school(key string) School {
	return schools[slices.IndexFunc(schools, func(s School) bool { return s.Key == key })]
}

// Says is what the choice is and why it is the usual one, or that it is the
// house's own, for a plan that turns on it.
func (h House) Says(key string) string {
	s, value := school(key), h.Whole().get(key)
	for i, o := range s.Options {
		if o.Value == value && i > 0 {
			return fmt.Sprintf("%s: %s, as the house has chosen.", s.Words, lower(o.Words))
		}
	}
	return fmt.Sprintf("%s: %s. %s", s.Words, lower(s.Options[0].Words), s.Why)
}

func lower(words string) string {
	if len(words) > 1 && words[1] >= 'A' && words[1] <= 'Z' {
		return words // an abbreviation
	}
	return string(words[0]|0x20) + words[1:]
}

// A Price is what a part or an hour costs.
type Price struct {
	Key   string  `json:"key"`
	Words string  `json:"words"`
	Unit  string  `json:"unit"`
	Usual float64 `json:"usual"`
	Value float64 `json:"value"`
	// Group is the shelf of a thing in the catalogue; empty for a row that stands for a kind.
	Group parts.Group `json:"group,omitempty"`
}

// prices are the parts of a make-up, in dollars. Assumption, all of them: a
// shop sets its own.
var prices = []Price{
	{Key: "hour", Words: "Labour", Unit: "hour", Usual: 120},
	{Key: "receptacle", Words: "Receptacle, three-slot, tamper-resistant", Unit: "each", Usual: 4},
	{Key: "two-slot", Words: "Receptacle, two-slot", Unit: "each", Usual: 5},
	{Key: "weather-receptacle", Words: "Receptacle, weather-resistant", Unit: "each", Usual: 8},
	{Key: "usb", Words: "Receptacle with USB", Unit: "each", Usual: 28},
	{Key: "smart", Words: "Smart receptacle", Unit: "each", Usual: 35},
	{Key: "gfci", Words: "GFCI receptacle", Unit: "each", Usual: 24},
	{Key: "gfci-breaker", Words: "GFCI breaker", Unit: "each", Usual: 55},
	{Key: "cable-foot", Words: "NM cable with ground", Unit: "ft", Usual: 1},
	{Key: "ground-foot", Words: "Green or bare wire", Unit: "ft", Usual: 0.4},
	{Key: "connector", Words: "Connector", Unit: "each", Usual: 0.6},
	{Key: "box", Words: "Box", Unit: "each", Usual: 6},
	{Key: "extender", Words: "Box extender", Unit: "each", Usual: 5},
	{Key: "cover", Words: "In-use cover", Unit: "each", Usual: 16},
	{Key: "plate", Words: "Wall plate", Unit: "each", Usual: 1.5},
	{Key: "labels", Words: "Marking labels", Unit: "sheet", Usual: 0.5},
}

// mostPrice is a slip of the finger. Assumption.
const mostPrice = 10000

// Prices are a shop's own by key; what is absent is as usual.
type Prices map[string]float64

// Of is the price of a part.
func (p Prices) Of(key string) float64 {
	if v, ok := p[key]; ok {
		return v
	}
	return prices[slices.IndexFunc(prices, func(row Price) bool { return row.Key == key })].Usual
}

// pricedAs are the rows that stand for all of a kind, by how the codes of that kind begin
// and what is in them: the first that fits.
var pricedAs = []struct{ code, has, key string }{
	{"gfci-", "", "gfci"}, {"usb-", "", "usb"}, {"smart-", "", "smart"}, {"receptacle-", "two-slot", "two-slot"},
	{"receptacle-", "-wr", "weather-receptacle"}, {"receptacle-", "", "receptacle"}, {"box-", "", "box"}, {"extender-", "", "extender"},
	{"cover-in-use-", "", "cover"}, {"plate-", "", "plate"}, {"lever-", "", "connector"}, {"cable-", "", "cable-foot"},
	{"marking-label", "", "labels"},
}

// OfItem is the price of a unit of something in the catalogue: the shop's own for it, else
// the shop's own for its kind, else the usual one. What is made to measure, a box of so
// many cubic inches, has no row of its own.
func (p Prices) OfItem(i parts.Item) float64 {
	if v, ok := p[i.Code]; ok {
		return v
	}
	for _, row := range pricedAs {
		if !strings.HasPrefix(i.Code, row.code) || !strings.Contains(i.Code, row.has) {
			continue
		}
		if v, ok := p[row.key]; ok {
			return v
		}
		break
	}
	return i.Usual
}

// Rows are all prices: of the ways on, then of the catalogue.
func (p Prices) Rows() []Price {
	rows := slices.Clone(prices)
	for i := range rows {
		rows[i].Value = p.Of(rows[i].Key)
	}
	for _, i := range parts.Catalogue() {
		unit := i.Unit
		if unit == "" {
			unit = "each"
		}
		rows = append(rows, Price{Key: i.Code, Words: i.Words, Unit: unit, Usual: i.Usual, Value: p.OfItem(i), Group: i.Group})
	}
	return rows
}

// Check reports a price that is no price.
func (p Prices) Check() error {
	for _, key := range slices.Sorted(maps.Keys(p)) {
		if !slices.ContainsFunc(p.Rows(), func(row Price) bool { return row.Key == key }) {
			return fmt.Errorf("prices: no row %q", key)
		}
		if v := p[key]; v < 0 || v > mostPrice {
			return fmt.Errorf("prices: %s: %g is out of bounds", key, v)
		}
	}
	return nil
}
