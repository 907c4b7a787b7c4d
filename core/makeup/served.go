package makeup

import (
	"fmt"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/nec"
	"elvat/core/practice"
	"elvat/core/words"
)

// A Load is what hangs at the end of a cable, where it matters whether it goes off.
type Load string

// Loads. The first seven must not go off unseen.
const (
	Freezer      Load = "freezer"
	Refrigerator Load = "refrigerator"
	SumpPump     Load = "sump-pump"
	Medical      Load = "medical"
	Computer     Load = "computer"
	Alarm        Load = "alarm"
	Heating      Load = "heating" // the control of a boiler or furnace
	OtherLoad    Load = "other"
	NoLoad       Load = "none"
	UnknownLoad  Load = "unknown"
)

// Loads in the order in which they are offered.
var Loads = []Load{
	Freezer, Refrigerator, SumpPump, Medical, Computer, Alarm, Heating, OtherLoad, NoLoad, UnknownLoad,
}

type stays struct {
	load  Load
	words []string
}

// staysOn are the loads that must not go off unseen, by what people call them. Common
// practice, no source.
var staysOn = []stays{
	{Freezer, []string{"freezer", "deep-freeze", "deep freeze", "ice chest", "ice maker"}},
	{Refrigerator, []string{"refrigerator", "fridge", "wine cooler", "milk cooler"}},
	{SumpPump, []string{"sump", "sewage pump", "ejector pump", "ejector", "septic pump", "well pump"}},
	{Medical, []string{
		"medical", "oxygen", "cpap", "apnea", "apnoea", "ventilator", "dialysis", "nebulizer", "insulin", "hospital bed", "stair lift", "stairlift",
	}},
	{Computer, []string{"computer", "server", "router", "modem", "network rack"}},
	{Alarm, []string{"alarm", "smoke", "carbon monoxide", "security panel", "co detector"}},
	{Heating, []string{"boiler", "furnace", "heating control", "thermostat", "circulator"}},
}

// words are the load as it is said.
func (l Load) words() string {
	if l == Heating {
		return "boiler control"
	}
	return strings.ReplaceAll(string(l), "-", " ")
}

// LoadIn is the load that words speak of; UnknownLoad where they speak of none.
func LoadIn(words string) Load {
	for _, row := range staysOn {
		if mentions(words, row.words) {
			return row.load
		}
	}
	return UnknownLoad
}

// load is what hangs on the cable: as told, else as its words say.
func (c *Cable) load() Load {
	if c.ServesLoad != "" && c.ServesLoad != UnknownLoad {
		return c.ServesLoad
	}
	return LoadIn(c.Serves)
}

// mustStay reports whether what the cable serves must not go off unseen: said so, or a
// load of that kind and nobody said otherwise.
func (c *Cable) mustStay() bool {
	if c.Protect != ProtectUnknown && c.Protect != "" {
		return c.Protect == ProtectNo
	}
	return c.load().staysOn()
}

// told reports whether it is known what hangs on the cable, as far as it decides.
func (c *Cable) told() bool {
	return c.Protect == ProtectYes || c.Protect == ProtectNo || c.mustStay() || c.ServesLoad == NoLoad || c.ServesLoad == OtherLoad
}

// askServed asks what decides whether a cable may hang on LOAD.
func (l *look) askServed(c *Cable) {
	if c.ServesPlace == nil || c.ServesPlace.Room == "" {
		l.ask(
			"cables."+c.ID+".servesPlace",
			fmt.Sprintf("Which room does %s serve? Protection is asked of that room, not of this one.", c.name()),
		)
	}
	if !c.told() {
		l.ask(
			"cables."+c.ID+".servesLoad",
			fmt.Sprintf(
				"Does a freezer, refrigerator, sump pump, medical equipment, computer, alarm or boiler control hang on %s? Until known it stays on LINE.",
				c.name(),
			),
		)
	}
}

// name is the cable as people speak of it.
func (c *Cable) name() string { return words.English.Render(c.said()) }

func (c *Cable) said() words.Said {
	switch {
	case c.Role == Line:
		return words.Of("cable.feed")
	case c.Serves != "":
		return words.Of("cable.to", c.Serves)
	}
	return text(c.ID)
}

// requiredAt reports whether the code asks for ground-fault protection at the place the
// cable serves; not where that place is not known: it is asked for.
func (l *look) requiredAt(c *Cable) (bool, string) {
	if c.ServesPlace == nil || c.ServesPlace.Room == "" {
		return false, ""
	}
	v, _ := l.book.Verdict(nec.GroundFault, *c.ServesPlace)
	return v.Required, v.Why
}

// sides decides which cables go on the LOAD of a GFCI.
func (w *wiring) sides() {
	b := w.l.b
	v := b.Device
	for i := range b.Cables {
		c := &b.Cables[i]
		if c.Role != Outgoing || c.switchLoop() {
			continue
		}
		if v == nil || !v.IsGFCI() {
			w.l.withoutLoad(c)
			continue
		}
		w.says("load")
		if w.onLoadSide(c) {
			w.load = append(w.load, c)
		}
	}
}

// onLoadSide decides for one cable, and says why.
func (w *wiring) onLoadSide(c *Cable) bool {
	on := []string{c.ID}
	asked, why := w.l.requiredAt(c)
	shared := c.Has(circuit.Hot2) && c.Hot2 != SwitchLeg
	ownGFCI := "A GFCI of its own at that outlet, with an alarm that tells when it is off; or another circuit."
	switch {
	case shared && (c.Protect == ProtectYes || asked):
		w.l.code(nec.GroundFault, Finding{
			Code: "gfci-required", Severity: Must, At: on, Text: fmt.Sprintf("%s shares a neutral and cannot hang on this GFCI: it would trip at once.", c.name()),
			Fix:  "A two-pole GFCI breaker, or a GFCI at the first outlet of each hot after the neutral parts.",
			Mend: "protected elsewhere",
		})
		return false
	case shared:
		return false
	case c.mustStay() && asked:
		w.l.code(nec.GroundFault, Finding{
			Code: "must-not-go-off", Severity: Must, At: on, Text: fmt.Sprintf("%s must not go off unseen, and the code asks for protection where it serves: %s. It stays on LINE here, unprotected by this GFCI.", c.name(), why),
			Fix: ownGFCI, Mend: "a GFCI of its own is fitted there",
		})
		return false
	case c.mustStay():
		w.l.trade(Finding{
			Code: "must-not-go-off", Severity: Note, At: on, Cured: true, Text: fmt.Sprintf("%s stays off LOAD, so that a trip of this GFCI cannot switch it off unseen.%s", c.name(), w.l.notAsked(c)),
			Fix: "It is spliced with the feed.",
		})
		w.l.askServed(c)
		return false
	case c.Protect == ProtectYes && c.load().staysOn():
		w.l.trade(Finding{
			Code: "must-not-go-off", Severity: Must, At: on, Text: fmt.Sprintf("%s is put on LOAD by choice: a trip of this GFCI switches the %s off unseen.", c.name(), c.load().words()),
			Fix: ownGFCI, Mend: "an alarm tells when it is off",
		})
		return true
	case c.Protect == ProtectYes && w.house.Load == practice.LoadOwn && !asked:
		w.l.add(Finding{
			Code: "gfci-required", Severity: Should, At: on, Text: fmt.Sprintf("%s is to be protected, and the house keeps LOAD empty.", c.name()),
			Practice: "house practice", Fix: "A GFCI at its first outlet, or LOAD used for it all the same.",
		})
		return false
	case c.Protect == ProtectYes:
		return true
	case asked && c.told():
		return true
	case asked:
		// Protection is asked there; what hangs there could be what must not go off.
		w.l.askServed(c)
		w.l.code(nec.GroundFault, Finding{
			Code: "gfci-required", Severity: Must, At: on, Text: fmt.Sprintf("%s serves a place that asks for protection (%s), and what hangs there is not told. Until it is, it stays on LINE.", c.name(), why),
			Fix: "Say what hangs there: then it goes on LOAD, or gets a GFCI of its own.", Mend: "protected elsewhere",
		})
		return false
	case w.house.Load == practice.LoadAll:
		w.l.askServed(c)
		w.l.trade(Finding{
			Code: "must-not-go-off", Severity: Should, At: on, Text: fmt.Sprintf("What %s serves is not known; on LOAD it goes off with this GFCI.", c.name()),
			Fix: "Find out whether a freezer, a pump, an alarm or medical equipment hangs on it.",
		})
		return true
	}
	w.l.askServed(c)
	return false
}

// staysOn reports whether the load must not go off unseen.
func (l Load) staysOn() bool {
	return slices.ContainsFunc(staysOn, func(row stays) bool { return row.load == l })
}

// notAsked says that no protection is asked where the cable serves, where that is known.
func (l *look) notAsked(c *Cable) string {
	if c.ServesPlace == nil || c.ServesPlace.Room == "" {
		return ""
	}
	return " No row of the edition asks for protection there."
}

// withoutLoad says what a device without LOAD leaves unprotected, or what a GFCI
// breaker can switch off unseen.
func (l *look) withoutLoad(c *Cable) {
	on, guarded := []string{c.ID}, l.guarded()
	asked, why := l.requiredAt(c)
	switch {
	case c.mustStay() && guarded:
		l.trade(Finding{
			Code: "must-not-go-off", Severity: Should, At: on, Text: fmt.Sprintf("%s must not go off unseen, and hangs on %s, which trips on a ground fault.", c.name(), l.guard()),
			Fix: "An alarm that tells when it is off, or another circuit.",
		})
	case c.Protect == ProtectYes && !guarded, asked && !guarded:
		f := Finding{
			Code: "gfci-required", Severity: Must, At: on, Text: fmt.Sprintf("%s is to be protected, and nothing here protects it.", c.name()),
			Fix: "A GFCI here with it on LOAD, a GFCI at its first outlet, or a GFCI breaker.", Mend: "protected elsewhere",
		}
		if asked {
			f.Text += " " + why + "."
		}
		l.code(nec.GroundFault, f)
	}
}
