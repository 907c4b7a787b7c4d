package tester

import (
	"strconv"
	"strings"

	"elvat/core/circuit"
	"elvat/core/fault"
)

// Line says the reading in one line of a list: with what, between what, and what it
// showed. Where it was taken stands beside it. Things are named as on the circuit; by
// their bare names where it is nil.
func (r *Reading) Line(c *circuit.Circuit) string {
	lowZ := ""
	if r.Mode == LowZ {
		lowZ = ", low-z"
	}
	switch {
	case r.Skipped:
		return "Asked for, not taken: cannot reach it"
	case r.Tool == Act:
		return upper(r.actWords(c))
	case r.Tool == Hint:
		return "From outside: " + r.Words(c)
	case r.Tool == Told && r.Asked != "":
		return map[Question]string{ResetGFCIs: "GFCIs reset: ", CycleBreaker: "Breaker off and on: "}[r.Asked] + r.Words(c)
	case r.Tool == Told:
		return "Customer: " + r.Words(c)
	case r.Tool == Eyes && len(r.Found.Faults) > 0:
		return "Opened: found " + faultWords(c, r.Found.Faults)
	case r.Tool == Eyes:
		return "Opened: all sound"
	case r.Tool == Fixed:
		return "Put right: " + faultWords(c, r.Faults)
	case r.Between != nil:
		return upper(r.Tool.Name()) + lowZ + ", " + strings.Join(c.SayAll(r.Between[:]), " to ") + ": " + r.Words(c)
	case r.Point != "":
		return upper(r.Tool.Name()) + " on " + c.Say(r.Point) + ": " + r.Words(c)
	case r.Tool == Meter:
		return "Meter" + lowZ + ": " + r.Volts.line()
	}
	return upper(r.Tool.Name()) + ": " + r.Words(c)
}

// line is the voltages as short as they are written down: hot to neutral, hot to
// ground, neutral to ground.
func (v *Volts) line() string {
	all := v.All()
	var parts []string
	for i, before := range []string{"", "to known ground "} {
		three, some := make([]string, 3), false
		for j, x := range all[3*i : 3*i+3] {
			three[j] = "·"
			if x != nil {
				three[j], some = volts(*x), true
			}
		}
		if some {
			parts = append(parts, before+strings.Join(three, " / ")+" V")
		}
	}
	return strings.Join(parts, ", ")
}

// volts are written with a decimal below 10 V, as a meter shows them.
func volts(v float64) string {
	if v < 10 {
		return strconv.FormatFloat(v, 'f', 1, 64)
	}
	return strconv.FormatFloat(v, 'f', 0, 64)
}

// Words says the state a reading was taken in; empty where it was as usual.
func (s *State) Words(c *circuit.Circuit) string {
	if s == nil {
		return ""
	}
	var parts []string
	if s.BreakerOn != nil && !*s.BreakerOn {
		parts = append(parts, "breaker off")
	}
	switch {
	case len(s.LoadsOn) > 0:
		parts = append(parts, "on: "+strings.Join(c.SayAll(s.LoadsOn), ", "))
	case s.LoadsOn != nil:
		parts = append(parts, "nothing switched on")
	}
	if len(s.Tripped) > 0 {
		parts = append(parts, guards(c, s.Tripped)+" tripped")
	}
	if len(s.Separated) > 0 {
		parts = append(parts, strings.Join(c.SayAll(s.Separated), ", ")+" taken off")
	}
	for _, j := range s.Joined {
		parts = append(parts, c.Say(j[0])+" and "+c.Say(j[1])+" joined")
	}
	return strings.Join(parts, "; ")
}

func upper(words string) string { return strings.ToUpper(words[:1]) + words[1:] }

// guards are GFCIs by where they are.
func guards(c *circuit.Circuit, names []string) string {
	all := c.SayAll(names)
	for i := range all {
		switch {
		case names[i] == circuit.Panel:
			all[i] = "the breaker"
		case c != nil:
			all[i] = "the GFCI at " + all[i]
		}
	}
	return strings.Join(all, ", ")
}

func faultWords(c *circuit.Circuit, faults []circuit.Fault) string {
	all := make([]string, len(faults))
	for i, f := range faults {
		if c == nil {
			all[i] = string(f.Kind) + " at " + f.At
			continue
		}
		one := []circuit.Fault{f}
		all[i] = fault.Name(c, one) + " " + fault.Place(c, one)
	}
	return strings.Join(all, ", ")
}
