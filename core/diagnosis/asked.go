package diagnosis

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"elvat/core/tester"
)

// What is asked of every hypothesis anew: what eyes saw, acts, hints, buttons, a load
// tester, and what is measured on points of an opened box.

func (e *Engine) answer(r *tester.Reading, h int, s *stage) (answer, error) {
	errors := e.settings.Errors
	switch r.Tool {
	case tester.Eyes:
		return e.eyes(r, &e.hypotheses[h], s.known), nil
	case tester.Act:
		return e.acted(r, h, s), nil
	case tester.Hint:
		p := hinted(e.hints(r.Hint, r.Site, h, s), *r.Yes)
		return flat(fmt.Sprint(p > 0.5), p, p > 0.5), nil
	case tester.Told:
		return errors.told(r, e.wouldAnswer(r.Asked, h, s)), nil
	}
	c := s.settled(h)
	switch {
	case r.Tool == tester.PlugButton:
		o, ok := c.Outlet(r.At, r.Half)
		if !ok {
			return answer{}, errNoDevice(r.At)
		}
		return errors.tripped(c.PlugButton(o), r.Tripped), nil
	case r.Tool == tester.Indicator:
		return errors.indicated(c.Indicates(r.At), r.Light.Means), nil
	case r.Tool == tester.DeviceButton:
		return errors.tripped(c.DeviceButton(r.At), r.Tripped), nil
	case r.Tool == tester.Analyzer:
		o, ok := c.Outlet(r.At, r.Half)
		if !ok {
			return answer{}, errNoDevice(r.At)
		}
		return errors.analyzed(c.Analyze(o), r), nil
	case r.Tool == tester.Sensor:
		v, err := c.PointVolts(r.Point)
		is := tester.Default.Level(v)
		return flat(string(is), errors.levelLikelihood(is, r.Level), is == r.Level), err
	case r.Tool == tester.Clamp:
		v, err := c.AmpsAt(r.Point)
		bound := errors.AmpsShare*v + errors.AmpsPlus
		return flat(digits(v), errors.near(v, *r.Amps, bound), math.Abs(v-*r.Amps) <= 1.5*bound), err
	case r.Tool == tester.Meter:
		v, err := c.VoltsBetween(r.Between[0], r.Between[1], r.Mode)
		bound := errors.VoltsShare*v + errors.VoltsPlus
		return answer{
			digits(v),
			func(level float64) float64 { return errors.near(v*level, r.Reads.Value, bound) },
			math.Abs(v-r.Reads.Value) <= 3*bound,
		}, err
	default:
		is, err := c.OhmsBetween(r.Between[0], r.Between[1])
		return errors.ohms(is, *r.Reads), err
	}
}

// told judges an answer of the customer's by what would have happened.
func (e Errors) told(r *tester.Reading, is tester.Answer) answer {
	return flat(string(is), e.toldLikelihood(is, r.Answer), is == r.Answer)
}

// indicated judges what a light was said to mean; where nobody said, it is no evidence.
func (e Errors) indicated(holds []tester.Meaning, said tester.Meaning) answer {
	names := make([]string, len(holds))
	for i, m := range holds {
		names[i] = m.Words()
	}
	code := strings.Join(names, ", or ")
	if slices.Contains(holds, said) {
		return flat(code, 1-e.Light, true)
	}
	return flat(code, e.Light/float64(len(tester.Meanings)-1), false)
}
