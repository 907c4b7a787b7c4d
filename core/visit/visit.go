// Package visit is what a customer is asked before the electrician drives: first
// what can hurt, and where anything is said of that, nothing more; then what
// is dead, and one reset of every GFCI. It tells nobody to open, unscrew or
// touch anything but a button, and each button once.
package visit

import (
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/safety"
	"elvat/core/tester"
)

// A Kind says what an answer is about.
type Kind string

// Kinds of answer, in the order in which they are asked.
const (
	Danger  Kind = "danger"  // heat, smell, water and the like: none, or which
	Outlet  Kind = "outlet"  // whether one works
	Plugged Kind = "plugged" // what was in it
	Storm   Kind = "storm"
	Work    Kind = "work" // done on the wiring lately, by anyone
	Reset   Kind = "reset"
	Breaker Kind = "breaker"
	Note    Kind = "note"
)

// A Sign is one of what can hurt.
type Sign = safety.Sign

// The signs.
const (
	Heat   = safety.Heat
	Smell  = safety.Smell
	Scorch = safety.Scorch
	Sparks = safety.Sparks
	Water  = safety.Water
	Shock  = safety.Shock
)

// Signs lists them in the order in which they are asked.
var Signs = safety.Signs

// An Answer is one thing the customer said.
type Answer struct {
	Kind   Kind          `json:"kind"`
	Signs  []Sign        `json:"signs,omitempty"`  // danger; none: nothing of it
	Box    string        `json:"box,omitempty"`    // danger, work, plugged: where
	Device string        `json:"device,omitempty"` // outlet
	Half   circuit.Half  `json:"half,omitempty"`   // outlet; "": both
	Works  *bool         `json:"works,omitempty"`  // outlet
	Heavy  bool          `json:"heavy,omitempty"`  // plugged: a heater or the like
	Yes    *bool         `json:"yes,omitempty"`    // storm, work
	Guard  string        `json:"guard,omitempty"`  // reset: key of the GFCI
	Result tester.Answer `json:"result,omitempty"` // reset, breaker
	Text   string        `json:"text,omitempty"`
}

// mostText bounds what a customer can type at once. Assumption.
const mostText = 2000

// own are the fields that an answer of a kind has, beside its kind.
var own = map[Kind]func(a, from *Answer){
	Danger:  func(a, from *Answer) { a.Signs, a.Box = from.Signs, from.Box },
	Outlet:  func(a, from *Answer) { a.Device, a.Half, a.Works = from.Device, from.Half, from.Works },
	Plugged: func(a, from *Answer) { a.Text, a.Heavy, a.Box = from.Text, from.Heavy, from.Box },
	Storm:   func(a, from *Answer) { a.Yes = from.Yes },
	Work:    func(a, from *Answer) { a.Yes, a.Box = from.Yes, from.Box },
	Reset:   func(a, from *Answer) { a.Guard, a.Result = from.Guard, from.Result },
	Breaker: func(a, from *Answer) { a.Result = from.Result },
	Note:    func(a, from *Answer) { a.Text = from.Text },
}

// checkOwn refuses fields that an answer of its kind does not have: nothing is kept that
// nobody looks at.
func (a *Answer) checkOwn() error {
	take, ok := own[a.Kind]
	if !ok {
		return fmt.Errorf("kind: %q is not asked here", a.Kind)
	}
	only := Answer{Kind: a.Kind}
	take(&only, a)
	if !reflect.DeepEqual(*a, only) {
		return fmt.Errorf("kind: an answer of kind %s says nothing else than what is asked there", a.Kind)
	}
	return nil
}

// Check reports what an answer lacks, or has beyond what is asked. guards are the keys of the
// GFCIs asked for.
func (a *Answer) Check(c *circuit.Circuit, guards []Guard) error {
	if err := a.checkOwn(); err != nil {
		return err
	}
	if len(a.Text) > mostText {
		return fmt.Errorf("text: at most %d characters", mostText)
	}
	if len(a.Signs) > len(Signs) {
		return fmt.Errorf("signs: %d of them", len(a.Signs))
	}
	if a.Box != "" && c.Box(a.Box) == nil {
		return fmt.Errorf("box %q: not one of the outlets shown", a.Box)
	}
	switch a.Kind {
	case Danger:
		for _, s := range a.Signs {
			if !slices.Contains(Signs, s) {
				return fmt.Errorf("signs: %q is none of %q", s, Signs)
			}
		}
	case Outlet:
		if v, _ := c.Device(a.Device); v == nil {
			return fmt.Errorf("device %q: not one of the outlets shown", a.Device)
		}
		if a.Half != "" && !slices.Contains(circuit.Halves, a.Half) {
			return fmt.Errorf("half: %q is neither top nor bottom", a.Half)
		}
		if a.Works == nil {
			return fmt.Errorf("works: does it, or not?")
		}
	case Storm, Work:
		if a.Yes == nil {
			return fmt.Errorf("yes: was there, or not?")
		}
	case Plugged, Note:
		if strings.TrimSpace(a.Text) == "" {
			return fmt.Errorf("text: is missing")
		}
	case Reset:
		if !slices.ContainsFunc(guards, func(g Guard) bool { return g.Key == a.Guard }) {
			return fmt.Errorf("guard %q: not one of those shown", a.Guard)
		}
		return checkResult(a.Result)
	case Breaker:
		return checkResult(a.Result)
	}
	return nil
}

// NotReached is said of a button that was not found, or cannot be got at. It is
// no evidence: what is behind it may be tripped.
const NotReached tester.Answer = "not-reached"

func checkResult(r tester.Answer) error {
	if all := append([]tester.Answer{NotReached}, tester.Answers...); !slices.Contains(all, r) {
		return fmt.Errorf("result: %q is none of %q", r, all)
	}
	return nil
}

// A Guard is a GFCI the customer is led to.
type Guard struct {
	Key   string        `json:"key"`
	Label string        `json:"label"`
	Of    string        `json:"of"` // the run it protects
	Own   bool          `json:"own"`
	Said  tester.Answer `json:"said,omitempty"`
}

// Elsewhere stands for every other GFCI that the customer can find at home. The page names
// none of them: in a house with several tenants they are others'.
const Elsewhere = "elsewhere"

// A Stage is where the page stands.
type Stage string

// Stages of the page.
const (
	AskDanger  Stage = "danger"
	StayAway   Stage = "stay-away" // something was said: nothing else is asked
	AskOutlets Stage = "outlets"
	AskResets  Stage = "resets"
	AskBreaker Stage = "breaker"
	Done       Stage = "done"
)

// SayAway is what is said once something dangerous was answered, by its codes.
func SayAway() []string { return sayAway }

// A Page is what the customer sees.
type Page struct {
	Stage  Stage    `json:"stage"`
	Say    []string `json:"say"`    // codes of core/words
	Guards []Guard  `json:"guards"` // with what was said of each
	Next   string   `json:"next"`   // key of the GFCI to go to; "" for none
}

// What the page says, as codes of core/words.
var (
	sayDanger  = []string{"visit.danger.1", "visit.danger.2"}
	sayAway    = []string{"visit.away.1", "visit.away.2", "visit.away.3", "visit.away.4"}
	sayOutlets = []string{"visit.outlets.1"}
	sayResets  = []string{"visit.resets.1", "visit.resets.2"}
	sayBreaker = []string{"visit.breaker.1", "visit.breaker.2"}
	sayDone    = []string{"visit.done.1"}
)

// Walk is the page after the answers so far, the latest of each counting.
func Walk(guards []Guard, answers []Answer) Page {
	p := Page{Guards: slices.Clone(guards)}
	if p.Guards == nil {
		p.Guards = []Guard{}
	}
	signs, asked := danger(answers)
	outlets, breaker := false, tester.Answer("")
	for _, a := range answers {
		switch a.Kind {
		case Outlet, Plugged, Storm, Work:
			outlets = true
		case Breaker:
			breaker = a.Result
		case Reset:
			for i := range p.Guards {
				if p.Guards[i].Key == a.Guard {
					p.Guards[i].Said = a.Result
				}
			}
		}
	}
	back := slices.ContainsFunc(p.Guards, func(g Guard) bool { return g.Said == tester.CameBack })
	held := !slices.ContainsFunc(p.Guards, func(g Guard) bool { return g.Said == tester.WillNotHold })
	next := slices.IndexFunc(p.Guards, func(g Guard) bool { return g.Said == "" })
	switch {
	case !asked:
		p.Stage, p.Say = AskDanger, sayDanger
	case len(signs) > 0:
		p.Stage, p.Say = StayAway, sayAway
	case !outlets:
		p.Stage, p.Say = AskOutlets, sayOutlets
	case next >= 0 && !back:
		p.Stage, p.Say, p.Next = AskResets, sayResets, p.Guards[next].Key
	case !back && held && breaker == "":
		p.Stage, p.Say = AskBreaker, sayBreaker
	default:
		p.Stage, p.Say = Done, sayDone
	}
	return p
}

// Allowed reports whether the answer may be given now: once anything that can
// hurt was said, and before it was asked for, only that and notes.
func Allowed(answers []Answer, a Answer) error {
	signs, asked := danger(answers)
	if a.Kind == Danger || a.Kind == Note {
		return nil
	}
	if !asked {
		return fmt.Errorf("first: is there any heat, smell, scorching, sparks, water or a shock?")
	}
	if len(signs) > 0 {
		return fmt.Errorf("leave it off and stay away: nothing is reset or tried where there is %s", signs[0])
	}
	return nil
}

// danger is what was said last of what can hurt, and whether it was asked.
func danger(answers []Answer) (signs []Sign, asked bool) {
	for _, a := range answers {
		if a.Kind == Danger {
			signs, asked = a.Signs, true
		}
	}
	return signs, asked
}

// A Told is a reading that follows from answers, with a name that stays the same.
type Told struct {
	Name    string
	Reading tester.Reading
}

// Readings are what the answers are worth as evidence: which outlets work, and
// what the resets and the breaker brought, once the walk has come to its end or
// something came back. What was said of an outlet stands also while it is off the run.
func Readings(guards []Guard, answers []Answer) []Told {
	var all []Told
	put := func(name string, r tester.Reading) {
		r.Tool = tester.Told
		if i := slices.IndexFunc(all, func(t Told) bool { return t.Name == name }); i >= 0 {
			all[i].Reading = r
			return
		}
		all = append(all, Told{name, r})
	}
	for _, a := range answers {
		switch a.Kind {
		case Outlet:
			halves := circuit.Halves
			if a.Half != "" {
				halves = []circuit.Half{a.Half}
			}
			for _, half := range halves {
				put("outlet-"+a.Device+"-"+string(half), tester.Reading{At: a.Device, Half: half, Works: a.Works})
			}
		case Breaker:
			all = slices.DeleteFunc(all, func(t Told) bool { return t.Name == "breaker" })
			if a.Result == NotReached {
				continue
			}
			put("breaker", tester.Reading{Asked: tester.CycleBreaker, Answer: a.Result})
		}
	}
	if result := resets(Walk(guards, answers).Guards); result != "" {
		put("resets", tester.Reading{Asked: tester.ResetGFCIs, Answer: result})
	}
	return all
}

// A Kept reading is one that stands on the call.
type Kept struct {
	ID        string
	Document  string
	Withdrawn bool // by Follow, before
}

// A Worth is a reading that is to be entered.
type Worth struct {
	ID      string
	Reading tester.Reading
}

// is reports whether the reading is that; the order of its fields does not matter.
func (k *Kept) is(reading tester.Reading) (bool, error) {
	if k.Document == "" {
		return false, nil
	}
	var was tester.Reading
	if err := json.Unmarshal([]byte(k.Document), &was); err != nil {
		return false, fmt.Errorf("reading %s: %w", k.ID, err)
	}
	before, err := json.Marshal(was)
	if err != nil {
		return false, err
	}
	document, err := json.Marshal(reading)
	return string(before) == string(document), err
}

// Follow brings the readings of a call in line with what the answers are worth:
// which to enter, and which that followed from earlier answers to withdraw.
func Follow(call int64, told []Told, kept []Kept) (enter []Worth, withdraw []string, err error) {
	all := fmt.Sprintf("visit-%d-", call)
	in := map[string]bool{} // the ones that stay as they are
	for _, t := range told {
		// The latest counts: one that somebody on the call withdrew is not brought
		// back by the same word said again.
		prefix, n, last := all+t.Name+"-", 0, Kept{}
		for _, k := range kept {
			if strings.HasPrefix(k.ID, prefix) {
				n, last = n+1, k
			}
		}
		same, err := last.is(t.Reading)
		if err != nil {
			return nil, nil, err
		}
		if same {
			in[last.ID] = true
		} else {
			enter = append(enter, Worth{fmt.Sprint(prefix, n+1), t.Reading})
		}
	}
	for _, k := range kept {
		if strings.HasPrefix(k.ID, all) && !in[k.ID] && !k.Withdrawn {
			withdraw = append(withdraw, k.ID)
		}
	}
	return enter, withdraw, nil
}

// resets is what all of them together brought; "" while some are left, or where
// one could not be reached and the others tell nothing of it.
func resets(guards []Guard) tester.Answer {
	result := tester.NothingChanged
	left, unknown := len(guards) == 0, false
	for _, g := range guards {
		switch g.Said {
		case tester.CameBack:
			return tester.CameBack
		case tester.WillNotHold:
			result = tester.WillNotHold
		case "":
			left = true
		case NotReached:
			unknown = true
		}
	}
	if left || unknown && result == tester.NothingChanged {
		return ""
	}
	return result
}

// Conditions adds what the answers say of the place to what is known.
func Conditions(known diagnosis.Conditions, answers []Answer) diagnosis.Conditions {
	for _, a := range answers {
		if a.Box == "" {
			continue
		}
		switch {
		case a.Kind == Danger && slices.ContainsFunc(a.Signs, func(s Sign) bool { return s != Water && s != Shock }):
			known = known.With(a.Box, diagnosis.Warm)
		case a.Kind == Work && a.Yes != nil && *a.Yes:
			known = known.With(a.Box, diagnosis.Worked)
		case a.Kind == Plugged && a.Heavy:
			known = known.With(a.Box, diagnosis.Heavy)
		}
	}
	return known
}

// Words say an answer as it stands on the call.
func (a *Answer) Words(labelOf func(string) string, guards []Guard) string {
	at := ""
	if a.Box != "" {
		at = " at " + labelOf(a.Box)
	}
	if a.Text != "" {
		at += ": " + a.Text
	}
	yes := map[bool]string{true: "yes", false: "no"}
	result := map[tester.Answer]string{tester.NothingChanged: "nothing changed", tester.CameBack: "power came back", tester.WillNotHold: "does not stay in", NotReached: "could not be reached"}[a.Result]
	switch a.Kind {
	case Danger:
		if len(a.Signs) == 0 {
			return "No heat, smell, scorching, sparks, water or shock"
		}
		words := make([]string, len(a.Signs))
		for i, s := range a.Signs {
			words[i] = string(s)
		}
		return strings.ToUpper(words[0][:1]) + strings.Join(words, ", ")[1:] + at
	case Outlet:
		half := ""
		if a.Half != "" {
			half = ", " + string(a.Half)
		}
		return labelOf(a.Device) + half + map[bool]string{true: ": works", false: ": dead"}[a.Works != nil && *a.Works]
	case Plugged:
		return "Plugged in" + at
	case Storm:
		return "Storm lately: " + yes[a.Yes != nil && *a.Yes] + at
	case Work:
		return "Work on the wiring lately: " + yes[a.Yes != nil && *a.Yes] + at
	case Reset:
		label := a.Guard
		if i := slices.IndexFunc(guards, func(g Guard) bool { return g.Key == a.Guard }); i >= 0 {
			label = guards[i].Label
		}
		if a.Guard == Elsewhere {
			label = "any other that was found"
		}
		return "Reset pressed at " + label + ": " + result
	case Breaker:
		return "Breaker off and on once: " + result
	}
	return a.Text
}
