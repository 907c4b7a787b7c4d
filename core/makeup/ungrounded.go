package makeup

import (
	"fmt"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/nec"
	"elvat/core/practice"
)

// A Way is a permitted, or refused, way on where no ground is present.
type Way struct {
	Key         string      `json:"key"`
	Name        string      `json:"name"`
	Permitted   bool        `json:"permitted"`
	Section     string      `json:"section"`
	Edition     nec.Edition `json:"edition"`
	Text        string      `json:"text"` // of the rule, in our words
	Gives       []string    `json:"gives"`
	Lacks       []string    `json:"lacks"`
	Markings    []string    `json:"markings"`
	Parts       []string    `json:"parts"`
	Minutes     float64     `json:"minutes"`
	Cost        float64     `json:"cost"` // parts and labour, in the shop's prices
	Recommended bool        `json:"recommended"`
	Why         string      `json:"why"` // why it is best, or why it is not to be
	Check       string      `json:"check"`
}

// Markings on plates. Source: NEC 406.4(D)(2) (from memory).
const (
	NoEquipmentGround = "No Equipment Ground"
	GFCIProtected     = "GFCI Protected"
)

// What a way gives and lacks. Common practice, no source.
const (
	shock     = "shock protection"
	faultPath = "a path for fault current: the breaker opens"
	surge     = "surge protectors that work"
	blessing  = "nothing for an inspector to mark"
	plugs     = "three-pin plugs go in"
)

// Minutes of work. Assumption.
const (
	minutesDevice    = 15
	minutesBreaker   = 20
	minutesAhead     = 25
	minutesPanel     = 50  // a new breaker with all that belongs to it
	minutesOpenCable = 30  // to begin with, where the way is open
	minutesShutCable = 120 // where walls are closed
	minutesPerFoot   = 0.8
	minutesShutFoot  = 3.5
	shortRun         = 40.0 // feet
	usualRun         = 50.0 // feet, where nobody has said
)

// ways lists the ways on for an outlet without a ground, best first.
func (l *look) ways(prices practice.Prices) []Way {
	required, _ := l.book.Verdict(nec.GroundFault, l.b.Place)
	needs := required.Required && l.b.Place.Room != ""
	real := l.needsRealGround()
	run, open := usualRun, l.b.Place.OpenAccess != nil && *l.b.Place.OpenAccess
	if l.b.Place.RunFeet != nil {
		run = *l.b.Place.RunFeet
	} else {
		l.ask("place.runFeet", "How long would a new cable be, to the panel or the next grounded box?")
	}
	if l.b.Place.OpenAccess == nil {
		l.ask("place.openAccess", "Can a new cable be run in the open: bare framing, attic, crawl space?")
	}
	cableMinutes := minutesShutCable + minutesShutFoot*run
	if open {
		cableMinutes = minutesOpenCable + minutesPerFoot*run
	}
	cost := func(parts float64, minutes float64) float64 { return parts + prices.Of("hour")*minutes/60 }
	way := func(key, name string, topic nec.Topic, minutes, parts float64, items ...string) Way {
		rule := l.book.Cite(topic)
		return Way{
			Key: key, Name: name, Permitted: true, Section: rule.Section, Edition: l.book.Edition, Text: rule.Text, Parts: items, Minutes: minutes,
			Cost: cost(parts, minutes), Markings: []string{}, Check: nec.Adopted,
		}
	}

	cable := way(
		"new-cable",
		"New cable with a ground",
		nec.NewCable,
		cableMinutes,
		prices.Of("receptacle")+run*prices.Of("cable-foot"),
		"three-slot receptacle",
		fmt.Sprintf("%g\u00a0ft of cable", run),
	)
	cable.Gives, cable.Lacks = []string{faultPath, surge, blessing, plugs}, []string{}
	own := way(
		"new-circuit",
		"A new circuit, from the panel",
		nec.OwnCircuit,
		cableMinutes+minutesPanel,
		prices.Of("receptacle")+run*prices.Of("cable-foot")+prices.Of("gfci-breaker"),
		"three-slot receptacle",
		fmt.Sprintf("%g\u00a0ft of cable", run),
		"breaker",
	)
	own.Gives, own.Lacks = []string{faultPath, surge, blessing, plugs, "nothing else goes off with it"}, []string{}
	if mentions(l.b.Place.Serves, heavyLoads) {
		own.Why = "What is plugged in here (" + l.b.Place.Serves + ") draws much: a circuit of its own may be the better answer."
	}
	ground := way(
		"bring-ground",
		"Bring a ground wire",
		nec.BringGround,
		cableMinutes,
		prices.Of("receptacle")+run*prices.Of("ground-foot"),
		"three-slot receptacle",
		fmt.Sprintf("%g\u00a0ft of green or bare wire", run),
	)
	ground.Gives, ground.Lacks = []string{
		faultPath,
		surge,
		plugs,
	}, []string{
		"new wire for hot and neutral: the old insulation stays",
	}
	gfci := way(
		"gfci",
		"GFCI receptacle, marked",
		nec.MarkedGFCI,
		minutesDevice,
		prices.Of("gfci")+prices.Of("labels"),
		"GFCI receptacle",
		"marking label",
	)
	gfci.Gives, gfci.Lacks = []string{shock, plugs}, []string{faultPath, surge}
	gfci.Markings = []string{NoEquipmentGround}
	fed := way(
		"fed-from-gfci",
		"Three-slot receptacle behind a GFCI, marked",
		nec.FedFromGFCI,
		minutesAhead,
		prices.Of("receptacle")+prices.Of("gfci")+prices.Of("labels"),
		"GFCI at the first outlet ahead",
		"three-slot receptacle",
		"marking labels",
	)
	if l.guarded() {
		fed.Name, fed.Minutes, fed.Parts = "Three-slot receptacle behind "+l.guard()+", marked", minutesDevice, []string{
			"three-slot receptacle",
			"marking labels",
		}
		fed.Cost = cost(prices.Of("receptacle")+prices.Of("labels"), minutesDevice)
	}
	fed.Gives, fed.Lacks = []string{shock, plugs}, []string{faultPath, surge}
	fed.Markings = []string{GFCIProtected, NoEquipmentGround}
	breaker := way(
		"gfci-breaker",
		"GFCI breaker, three-slot receptacle, marked",
		nec.FedFromGFCI,
		minutesBreaker,
		prices.Of("gfci-breaker")+prices.Of("receptacle")+prices.Of("labels"),
		"GFCI breaker",
		"three-slot receptacle",
		"marking labels",
	)
	breaker.Gives, breaker.Lacks = []string{
		shock + " of the whole circuit",
		plugs,
	}, []string{
		faultPath,
		surge,
		"what must not go off hangs on it too",
	}
	breaker.Markings = []string{GFCIProtected, NoEquipmentGround}
	two := way(
		"two-slot",
		"Another two-slot receptacle",
		nec.TwoSlot,
		minutesDevice,
		prices.Of("two-slot"),
		"two-slot receptacle",
	)
	two.Gives, two.Lacks = []string{"what was there before"}, []string{shock, faultPath, surge, plugs}

	if needs && !l.guarded() {
		two.Permitted, two.Why = false, "Ground-fault protection is required here: "+required.Why+"."
		for _, w := range []*Way{&cable, &ground, &own} {
			w.Parts = append(w.Parts, "GFCI protection, which is required here as well")
			w.Cost += prices.Of("gfci") - prices.Of("receptacle")
		}
	}
	if real != "" {
		for _, w := range []*Way{&two, &gfci, &fed, &breaker} {
			w.Permitted, w.Why = false, real+" needs a real ground."
		}
	}
	ways := []Way{gfci, cable, own, ground, fed, breaker, two}
	if l.guarded() {
		ways = []Way{fed, cable, own, ground, gfci, two}
	}
	best := 0
	switch {
	case real != "":
		best = 1
		ways[1].Why = real + " needs a real ground: a new cable gives one, and new insulation with it."
	case open && run <= shortRun:
		best = 1
		ways[1].Why = "The way is open and the run short: the new cable is the better job for little more."
	case l.guarded():
		ways[0].Why = upper(l.guard()) + " protects already: only the receptacle and its markings are needed."
	default:
		ways[0].Why = "Shock protection in a quarter of an hour; a ground needs walls opened or a long run."
		if !open && l.b.Place.OpenAccess == nil {
			ways[0].Why = "Shock protection in a quarter of an hour. With open access and a short run the new cable is the better job."
		}
	}
	ways[best].Recommended = true
	sorted := []Way{ways[best]}
	for i, w := range ways {
		if i != best && w.Permitted {
			sorted = append(sorted, w)
		}
	}
	for i, w := range ways {
		if i != best && !w.Permitted {
			sorted = append(sorted, w)
		}
	}
	return sorted
}

// answered reports whether the chosen device is a permitted answer where no
// ground is present.
func (l *look) answered(v *Device) bool {
	return v.Slots == 2 || v.IsGFCI() || l.guarded()
}

// groundedAppliances are what has to be grounded when it is not double
// insulated, by words people use. Computers, ranges and dryers are not among them.
// Source: NEC 250.114(3) (from memory).
var groundedAppliances = []string{
	"refrigerator",
	"fridge",
	"freezer",
	"washer",
	"washing",
	"sump",
	"air condition",
	"dishwasher",
	"dish-wash",
	"disposer",
	"disposal",
	"aquarium",
	"power tool",
	"mower",
	"hedge trimmer",
	"snow blower",
	"hand lamp",
	"work light",
}

// groundedLoads are the same among what a cable is said to serve.
var groundedLoads = []Load{Freezer, Refrigerator, SumpPump}

// needsRealGround names what is served here and has to be grounded.
func (l *look) needsRealGround() string {
	if l.b.Place.Serves != "" && mentions(l.b.Place.Serves, groundedAppliances) {
		return "What is plugged in here (" + l.b.Place.Serves + ")"
	}
	return ""
}

// realGround says which outlets need a ground and get none.
func (l *look) realGround() {
	if l.grounded || l.line == nil {
		return
	}
	say := func(at, what string) {
		l.code(nec.NeedsGround, Finding{
			Code: "real-ground-needed", Severity: Must, At: []string{at}, Text: what + " needs a real ground, and none arrives.", Fix: "A new cable; an outlet marked \"No Equipment Ground\" does not serve it.",
		})
	}
	if what := l.needsRealGround(); what != "" {
		say(l.b.ID, what)
	}
	for i := range l.b.Cables {
		c := &l.b.Cables[i]
		if c.Role == Outgoing && (mentions(c.Serves, groundedAppliances) || slices.Contains(groundedLoads, c.load())) {
			what := c.name()
			if c.Serves == "" {
				what = fmt.Sprintf("%s (%s)", c.ID, c.load().words())
			}
			say(c.ID, what)
		}
	}
}

// markings are the words for the plates of this box and of what follows.
func (w *wiring) markings() []string {
	all := []string{}
	b := w.l.b
	if w.l.line == nil {
		return all
	}
	for _, v := range b.devices() {
		switch {
		case w.l.grounded, v.Slots == 2:
		case v.IsGFCI():
			all = append(all, v.ID+": "+NoEquipmentGround)
		default:
			all = append(all, v.ID+": "+GFCIProtected, v.ID+": "+NoEquipmentGround)
		}
	}
	behind := w.load
	if w.l.guarded() {
		behind = nil
		for i := range b.Cables {
			if b.Cables[i].Role == Outgoing {
				behind = append(behind, &b.Cables[i])
			}
		}
	}
	for _, c := range behind {
		if w.l.grounded && c.Has(circuit.Ground) || c.switchLoop() {
			continue // a ground goes on to its outlets
		}
		all = append(
			all,
			fmt.Sprintf("three-slot outlets on %s: %s", c.name(), GFCIProtected),
			fmt.Sprintf("three-slot outlets on %s: %s", c.name(), NoEquipmentGround),
		)
	}
	return all
}

// boxHasTwoHots reports a second hot, which needs a second breaker off.
func (b *Box) boxHasTwoHots() bool {
	for i := range b.Cables {
		if b.Cables[i].Has(circuit.Hot2) && b.Cables[i].Hot2 != SwitchLeg {
			return true
		}
	}
	return false
}

// mentions reports whether the words name one of the things.
func mentions(words string, things []string) bool {
	words = strings.ToLower(words)
	return slices.ContainsFunc(things, func(thing string) bool { return strings.Contains(words, thing) })
}
