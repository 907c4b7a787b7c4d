package diagnosis

import (
	"cmp"
	"fmt"
	"slices"

	"elvat/core/circuit"
	"elvat/core/tester"
	"elvat/core/words"
)

// ask weighs having something done that needs no tester: by the customer on
// the phone, or on the spot.
func (w *weighed) ask(question tester.Question, causes []cause) (Test, bool) {
	asked := func(r tester.Reading) bool { return r.Asked == question }
	if slices.ContainsFunc(w.since(), asked) ||
		w.line.acts[map[tester.Question]tester.ActName{tester.ResetGFCIs: tester.AllGFCIs, tester.CycleBreaker: tester.ResetBreaker}[question]] {
		return Test{}, false
	}
	minutes := w.e.settings.Minutes
	t := Test{Do: DoAsk, Tool: tester.Told, Asked: question}
	switch question {
	case tester.ResetGFCIs:
		var places []string
		for i := range w.e.circuit.Boxes {
			for _, v := range w.e.circuit.Boxes[i].Devices {
				if v.Kind == circuit.GFCI {
					places = append(places, w.e.circuit.LabelOf(w.e.circuit.Boxes[i].ID))
				}
			}
		}
		if len(places) == 0 {
			return t, false // those of other circuits are asked for on the phone
		}
		t.Minutes = float64(len(places)) * (minutes.Tool[tester.DeviceButton] + minutes.Walk)
		t.Say = fmt.Sprintf("Press reset once on the GFCI at %s", inWords(places))
	case tester.CycleBreaker:
		t.Minutes = minutes.ToPanel
		t.Say = "Look at the breaker: fully off, then on, once"
	}
	w.expect(&t, w.now, 0, causes)
	return t, true
}

func inWords(names []string) string {
	if len(names) == 1 {
		return names[0]
	}
	text := ""
	for _, name := range names[:len(names)-1] {
		text += name + ", "
	}
	return text[:len(text)-2] + " and at " + names[len(names)-1]
}

// A Phoned is something to ask the customer before driving.
type Phoned struct {
	Key      string          `json:"key"`
	Say      string          `json:"say"`
	Why      string          `json:"why"`
	Asked    tester.Question `json:"asked,omitempty"` // answered with came-back and so on
	At       string          `json:"at,omitempty"`    // answered with works or dead
	Half     circuit.Half    `json:"half,omitempty"`
	GainBits float64         `json:"gainBits"`
}

// mostPhoned is how many outlets one asks a customer for. Assumption.
const mostPhoned = 4

// phone lists what to ask the customer while nothing was read yet: first what
// can hurt, then what each answer is expected to tell.
func (w *weighed) phone() []Phoned {
	if slices.ContainsFunc(w.readings, func(r tester.Reading) bool { return r.Tool != tester.Told }) {
		return []Phoned{}
	}
	all := []Phoned{
		{Key: "danger", Say: words.English.Say("phone.danger"), Why: "Then nothing is reset: breaker off, stay away, we come."},
		{Key: "work", Say: words.English.Say("phone.work"), Why: "A wiring mistake is likelier where work was done. Mark it at the stop."},
		{Key: "plugged", Say: words.English.Say("phone.plugged"), Why: "Heavy loads heat a poor contact. Mark it at the stop."},
	}
	warm, dead := w.warmBoxes()
	if len(w.standing(dead)) > 0 { // nothing is reset, and nobody is asked to try
		return all
	}
	var asked []Phoned
	causes := w.causes()
	reset := false
	for _, question := range tester.Questions {
		if t, ok := w.ask(question, causes); ok && (len(warm) == 0 || question != tester.CycleBreaker) {
			p := Phoned{
				Key:      string(question),
				Say:      words.English.Say("phone." + string(question)),
				Why:      t.Why,
				Asked:    question,
				GainBits: t.GainBits,
			}
			reset = reset || question == tester.ResetGFCIs
			asked = append(asked, p)
		}
	}
	told := slices.ContainsFunc(w.readings, func(r tester.Reading) bool { return r.Asked == tester.ResetGFCIs })
	if !reset && !told {
		asked = append(asked, Phoned{
			Key: string(tester.ResetGFCIs), Asked: tester.ResetGFCIs,
			Say: words.English.Say("phone." + string(tester.ResetGFCIs)),
			Why: "A tripped GFCI elsewhere, not on this run as it is drawn, is the commonest reason for a dead outlet.",
		})
	}
	asked = append(asked, w.phonedOutlets(causes)...)
	return append(all, asked...)
}

// phonedOutlets are the outlets of which it tells most whether they work.
func (w *weighed) phonedOutlets(causes []cause) []Phoned {
	var outlets []Phoned
	for o, outlet := range w.now.bench.Outlets() {
		said := func(r tester.Reading) bool { return r.At == outlet.Device && r.Half == outlet.Half }
		if slices.ContainsFunc(w.readings, said) {
			continue
		}
		t := Test{Do: DoAsk, At: outlet.Device, Half: outlet.Half, Tool: tester.Told}
		w.expect(&t, w.now, o, causes)
		if t.GainBits >= worthBits {
			outlets = append(
				outlets,
				Phoned{
					Key:      outlet.Device + "." + string(outlet.Half),
					Say:      t.Say,
					Why:      t.Why,
					At:       outlet.Device,
					Half:     outlet.Half,
					GainBits: t.GainBits,
				},
			)
		}
	}
	slices.SortStableFunc(outlets, func(a, b Phoned) int { return cmp.Compare(b.GainBits, a.GainBits) })
	return outlets[:min(len(outlets), mostPhoned)]
}
