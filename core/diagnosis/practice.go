package diagnosis

import (
	"fmt"
	"maps"
	"reflect"
	"slices"

	"elvat/core/tester"
)

// A Practice is what a shop has set of a diagnosis; what is absent is as usual.
type Practice struct {
	Weights   map[string]float64 `json:"weights,omitempty"` // by the key of their row
	Minutes   map[string]float64 `json:"minutes,omitempty"`
	Tools     []tester.Tool      `json:"tools,omitempty"`
	Qualified bool               `json:"qualified,omitempty"`
	Three     bool               `json:"three,omitempty"` // faults at once
}

// A WeightRow is one weight of the table, as it is shown.
type WeightRow struct {
	Key      string   `json:"key"`
	Words    string   `json:"words"`
	Group    string   `json:"group"` // fault, factor, condition, share
	Value    float64  `json:"value"`
	Usual    float64  `json:"usual"`
	Standing Standing `json:"standing"`
	Why      string   `json:"why"`
	// Learned is what opened boxes make of it, where there are enough of them;
	// Found and Expected what it comes from.
	Learned  float64 `json:"learned,omitempty"`
	Found    float64 `json:"found,omitempty"`
	Expected float64 `json:"expected,omitempty"`
}

// A MinutesRow is what one test costs.
type MinutesRow struct {
	Key   string  `json:"key"`
	Words string  `json:"words"`
	Value float64 `json:"value"`
	Usual float64 `json:"usual"`
}

// A PracticeSheet is a practice with all its rows.
type PracticeSheet struct {
	Weights   []WeightRow   `json:"weights"`
	Minutes   []MinutesRow  `json:"minutes"`
	Tools     []tester.Tool `json:"tools"` // carried
	Qualified bool          `json:"qualified"`
	Three     bool          `json:"three"`
	Learning  Learning      `json:"learning"`
}

// Bounds of what can be set. A weight of zero would rule a fault out for good.
const (
	leastWeight = 1e-6
	mostWeight  = 1e6
	mostMinutes = 600
)

// each calls do with every weight of the table.
func (w *Weights) each(do func(key, words, group string, weight *Weight)) {
	v := reflect.ValueOf(w).Elem()
	for i := range v.NumField() {
		tag := v.Type().Field(i).Tag
		do(tag.Get("json"), tag.Get("words"), tag.Get("group"), v.Field(i).Addr().Interface().(*Weight))
	}
}

// clone is a copy whose tools can be changed.
func (m Minutes) clone() Minutes {
	m.Tool = maps.Clone(m.Tool)
	return m
}

// each calls do with every figure: the others, then the tools' in their order.
func (m *Minutes) each(do func(key, words string, get float64, set func(float64))) {
	for _, row := range []struct {
		key, words string
		at         *float64
	}{
		{"walk", "Going to another box", &m.Walk}, {"open", "Opening a box dead, looking and closing", &m.Open},
		{"toPanel", "A trip to the panel", &m.ToPanel}, {"separate", "Taking a cable's end apart for a live test", &m.Separate},
		{"dead", "Breaker off and dead proof, for all boxes of one session", &m.Dead}, {"look", "Each box opened in that session", &m.Look},
		{"reset", "Resetting one GFCI, once there", &m.Reset}, {"gfcis", "Resetting every GFCI of the house", &m.GFCIs},
		{"switches", "Flipping every switch of the room", &m.Switches}, {"unplug", "Unplugging everything on the run", &m.Unplug},
		{"hint", "A look or a feel from outside", &m.Hint},
	} {
		do(row.key, row.words, *row.at, func(v float64) { *row.at = v })
	}
	for _, tool := range tester.AtOutlets {
		do(string(tool), "Reading: "+tool.Name(), m.Tool[tool], func(v float64) { m.Tool[tool] = v })
	}
}

// Settings are the usual ones with what the practice sets.
func (p Practice) Settings() (Settings, error) {
	s := Defaults()
	s.Minutes = s.Minutes.clone()
	s.Qualified, s.Three = p.Qualified, p.Three
	known := map[string]bool{}
	var problem error
	s.Weights.each(func(key, words, group string, weight *Weight) {
		known[key] = true
		v, set := p.Weights[key]
		switch {
		case !set:
		case v < leastWeight || v > mostWeight || group == "share" && v >= 1:
			problem = fmt.Errorf("weights: %s: %g is out of bounds", words, v)
		default:
			weight.Value = v
		}
	})
	s.Minutes.each(func(key, words string, _ float64, set func(float64)) {
		known["minutes "+key] = true
		v, given := p.Minutes[key]
		switch {
		case !given:
		case v <= 0 || v > mostMinutes:
			problem = fmt.Errorf("minutes: %s: %g is out of bounds", words, v)
		default:
			set(v)
		}
	})
	for _, key := range slices.Sorted(maps.Keys(p.Weights)) {
		if !known[key] {
			problem = fmt.Errorf("weights: no row %q", key)
		}
	}
	for _, key := range slices.Sorted(maps.Keys(p.Minutes)) {
		if !known["minutes "+key] {
			problem = fmt.Errorf("minutes: no row %q", key)
		}
	}
	if p.Tools != nil {
		s.Tools = p.Tools
	}
	for _, tool := range s.Tools {
		if !slices.Contains(tester.AtOutlets, tool) {
			problem = fmt.Errorf("tools: %q is none of %q", tool, tester.AtOutlets)
		}
	}
	if len(s.Tools) == 0 {
		problem = fmt.Errorf("tools: none carried leaves nothing to propose")
	}
	return s, problem
}

// Sheet lists what is set beside what is usual, and what was learned.
func (p Practice) Sheet(l *Learned) (PracticeSheet, error) {
	s, err := p.Settings()
	if err != nil {
		return PracticeSheet{}, err
	}
	if l == nil {
		l = &Learned{}
	}
	sheet := PracticeSheet{
		Tools:     s.Tools,
		Qualified: s.Qualified,
		Three:     s.Three,
		Learning:  Learning{Boxes: l.Boxes, Least: learnFrom, Used: l.Boxes >= learnFrom},
	}
	usual := Defaults()
	s.Weights.each(func(key, words, group string, w *Weight) {
		sheet.Weights = append(
			sheet.Weights,
			WeightRow{Key: key, Words: words, Group: group, Value: w.Value, Standing: w.Standing, Why: w.Why},
		)
		row := &sheet.Weights[len(sheet.Weights)-1]
		row.Found, row.Expected = l.Found[key], rounded(l.Expected[key])
		if factor := l.factor(key); factor != 1 {
			if _, set := p.Weights[key]; !set {
				row.Learned = rounded(w.Value * factor)
			}
		}
	})
	i := 0
	usual.Weights.each(func(_, _, _ string, w *Weight) { sheet.Weights[i].Usual = w.Value; i++ })
	s.Minutes.each(func(key, words string, v float64, _ func(float64)) {
		sheet.Minutes = append(sheet.Minutes, MinutesRow{Key: key, Words: words, Value: v})
	})
	i = 0
	usual.Minutes.each(func(_, _ string, v float64, _ func(float64)) { sheet.Minutes[i].Usual = v; i++ })
	return sheet, nil
}
