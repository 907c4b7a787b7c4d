package tester

import (
	"strconv"
	"strings"

	"elvat/core/circuit"
)

// Line says the reading in one line of a list: with what, between what, and what it
// showed. Where it was taken stands beside it.
func (r *Reading) Line() string {
	lowZ := ""
	if r.Mode == LowZ {
		lowZ = ", low-z"
	}
	switch {
	case r.Skipped:
		return "Asked for, not taken: cannot reach it"
	case r.Tool == Act:
		return upper(r.actWords())
	case r.Tool == Hint:
		return "From outside: " + r.Words()
	case r.Tool == Told && r.Asked != "":
		return map[Question]string{ResetGFCIs: "GFCIs reset: ", CycleBreaker: "Breaker off and on: "}[r.Asked] + r.Words()
	case r.Tool == Told:
		return "Customer: " + r.Words()
	case r.Tool == Eyes && len(r.Found.Faults) > 0:
		return "Opened: found " + faultWords(r.Found.Faults)
	case r.Tool == Eyes:
		return "Opened: all sound"
	case r.Tool == Fixed:
		return "Put right: " + faultWords(r.Faults)
	case r.Between != nil:
		return upper(r.Tool.Name()) + lowZ + ", " + strings.Join(r.Between[:], " to ") + ": " + r.Words()
	case r.Point != "":
		return upper(r.Tool.Name()) + " on " + r.Point + ": " + r.Words()
	case r.Tool == Meter:
		return "Meter" + lowZ + ": " + r.Volts.line()
	}
	return upper(r.Tool.Name()) + ": " + r.Words()
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
func (s *State) Words() string {
	if s == nil {
		return ""
	}
	var parts []string
	if s.BreakerOn != nil && !*s.BreakerOn {
		parts = append(parts, "breaker off")
	}
	switch {
	case len(s.LoadsOn) > 0:
		parts = append(parts, "on: "+strings.Join(s.LoadsOn, ", "))
	case s.LoadsOn != nil:
		parts = append(parts, "nothing switched on")
	}
	if len(s.Tripped) > 0 {
		parts = append(parts, strings.Join(s.Tripped, ", ")+" tripped")
	}
	if len(s.Separated) > 0 {
		parts = append(parts, strings.Join(s.Separated, ", ")+" taken off")
	}
	for _, j := range s.Joined {
		parts = append(parts, j[0]+" and "+j[1]+" joined")
	}
	return strings.Join(parts, "; ")
}

func upper(words string) string { return strings.ToUpper(words[:1]) + words[1:] }

func faultWords(faults []circuit.Fault) string {
	all := make([]string, len(faults))
	for i, f := range faults {
		all[i] = string(f.Kind) + " at " + f.At
	}
	return strings.Join(all, ", ")
}
