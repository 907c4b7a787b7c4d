package nec

import (
	"fmt"
	"slices"
	"strings"
)

// A Verdict is what the rules ask at a place.
type Verdict struct {
	Required bool    `json:"required"`
	Kind     string  `json:"kind,omitempty"` // of cover: in-use, closing
	Section  string  `json:"section"`
	Edition  Edition `json:"edition"`
	Why      string  `json:"why"`
	Local    bool    `json:"local,omitempty"`
	Check    string  `json:"check"`
}

// An Ask is what is not known of a place and decides.
type Ask struct {
	Field string `json:"field"` // of the file
	Words string `json:"words"`
}

// answer is whether a condition holds; unknown where the place does not say.
type answer int

const (
	holdsNot answer = iota
	holds
	unknown
)

func and(a, b answer) answer {
	switch {
	case a == holdsNot || b == holdsNot:
		return holdsNot
	case a == unknown || b == unknown:
		return unknown
	default:
		return holds
	}
}

func known(is bool) answer {
	if is {
		return holds
	}
	return holdsNot
}

// of tells whether the condition holds at the place, and what it would need to
// know.
func (k Condition) of(p Place) (answer, []Ask) {
	result := holds
	var asks []Ask
	take := func(a answer, field, words string) {
		result = and(result, a)
		if a == unknown {
			asks = append(asks, Ask{field, words})
		}
	}
	if k.Rooms != nil {
		if p.Room == "" {
			take(unknown, "place.room", "What kind of room is it?")
		} else {
			take(known(slices.Contains(k.Rooms, p.Room)), "", "")
		}
	}
	if k.Finished != nil {
		a := unknown
		if p.Finished != nil {
			a = known(*p.Finished == *k.Finished)
		}
		take(a, "place.finished", "Is that part finished?")
	}
	if k.Countertop {
		a := unknown
		if p.Countertop != nil {
			a = known(*p.Countertop)
		}
		take(a, "place.countertop", "Does it serve a countertop?")
	}
	if k.SinkFeet > 0 {
		take(known(p.FeetToSink != nil && *p.FeetToSink <= k.SinkFeet), "", "")
	}
	if k.TubFeet > 0 {
		take(known(p.FeetToTub != nil && *p.FeetToTub <= k.TubFeet), "", "")
	}
	if k.OverTub {
		take(known(p.FeetToTub != nil && *p.FeetToTub == 0), "", "")
	}
	if k.Outdoors {
		take(known(p.IsOutdoors()), "", "")
	}
	if k.Indoors {
		take(known(!p.IsOutdoors()), "", "")
	}
	if k.Exposures != nil {
		// A room nobody calls damp is dry; outdoors nothing is.
		take(known(slices.Contains(k.Exposures, p.Exposure)), "", "")
	}
	if result != unknown {
		asks = nil
	}
	return result, asks
}

// beyondReach is the height, in feet, from which a receptacle need not be
// tamper-resistant. Source: NEC 406.12, exception (from memory).
const beyondReach = 5.5

// Verdict is what the book asks at the place, and what it would need to know to
// be sure. What is not known counts as if it were required.
func (b Book) Verdict(topic Topic, p Place) (Verdict, []Ask) {
	v := Verdict{Edition: b.Edition, Check: Adopted}
	var open []Ask
	if p.IsOutdoors() && p.Exposure == "" && (topic == WeatherResistant || topic == Cover) {
		p.Exposure = Wet
		v, _ = b.Verdict(topic, p)
		v.Why += "; under a roof or open to the weather is not known here, so taken as wet"
		return v, []Ask{{"place.exposure", "Is it open to the weather (wet), or under a roof (damp)?"}}
	}
	var maybe *Rule
	for _, r := range b.rules(topic) {
		is, asks := r.When.of(p)
		switch is {
		case holds:
			v.Required, v.Section, v.Local = !r.Lifts, r.Section, r.Local
			v.Why = sentence(r)
			v.Kind = coverKind(topic, r, p)
			return b.exempted(topic, p, v), nil
		case unknown:
			open = append(open, asks...)
			if maybe == nil && !r.Lifts {
				maybe = &r
			}
		}
	}
	if maybe != nil {
		v.Required, v.Section, v.Local = true, maybe.Section, maybe.Local
		v.Why = fmt.Sprintf("%s; not known here, so taken as required", sentence(*maybe))
		return b.exempted(topic, p, v), distinct(open)
	}
	v.Section = map[Topic]string{
		GroundFault: "210.8(A)", ArcFault: "210.12", TamperResistant: "406.12", WeatherResistant: "406.9", Cover: "406.9",
	}[topic]
	v.Why = "No row of this edition asks for it here"
	if topic == ArcFault && (p.Room == Workshop || p.Room == OtherRoom) {
		v.Why = "Not among the rooms named; an authority may count a finished hobby room as similar to them"
	}
	return v, nil
}

func (b Book) exempted(topic Topic, p Place, v Verdict) Verdict {
	if topic == TamperResistant && v.Required && p.FeetUp != nil && *p.FeetUp > beyondReach {
		v.Required = false
		v.Why = "More than 5 1/2\u00a0ft above the floor"
	}
	return v
}

func sentence(r Rule) string {
	text := strings.ToUpper(r.Text[:1]) + r.Text[1:]
	if r.Local {
		return text + " (local amendment)"
	}
	return text
}

func coverKind(topic Topic, r Rule, p Place) string {
	switch {
	case topic != Cover || r.Lifts:
		return ""
	case p.Exposure == Wet:
		return "in-use"
	default:
		return "closing"
	}
}

func distinct(asks []Ask) []Ask {
	var out []Ask
	for _, a := range asks {
		if !slices.Contains(out, a) {
			out = append(out, a)
		}
	}
	return out
}

// Amps are the ratings of receptacle that a breaker may feed.
type Amps struct {
	Required float64 `json:"required"`
	Section  string  `json:"section"`
	Edition  Edition `json:"edition"`
	Why      string  `json:"why"`
	Check    string  `json:"check"`
}

// Ratings are the least and the most a receptacle's rating may be. A single
// receptacle that is alone on its circuit is not below the circuit.
// Source: NEC 210.21(B), table 210.21(B)(3) (from memory).
func (b Book) Ratings(breaker float64, aloneAndSingle bool) (least, most Amps) {
	r := b.Cite(Rating)
	least = Amps{Section: r.Section, Edition: b.Edition, Check: Adopted}
	most = least
	switch {
	case breaker <= 15:
		least.Required, most.Required = 15, 15
	case breaker <= 20:
		least.Required, most.Required = 15, 20
	case breaker <= 30:
		least.Required, most.Required = 30, 30
	default:
		least.Required, most.Required = 40, 50
	}
	least.Why = fmt.Sprintf("On a %g A circuit with two or more receptacles, a duplex being two", breaker)
	most.Why = fmt.Sprintf("A receptacle is not rated above its %g A circuit", breaker)
	if aloneAndSingle {
		least.Required = max(least.Required, min(breaker, 50))
		least.Why = fmt.Sprintf("A single receptacle alone on a %g A circuit is not below it", breaker)
	}
	return least, most
}
