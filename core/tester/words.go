package tester

import (
	"fmt"
	"strings"
)

// pairWords are the pairs of slots in words, in the order of VoltNames.
var pairWords = [6]string{
	"hot to neutral", "hot to ground", "neutral to ground", "hot to known ground", "neutral to known ground", "ground to known ground",
}

// Words says what the tester showed, without where.
func (r *Reading) Words() string {
	var parts []string
	say := func(format string, args ...any) { parts = append(parts, fmt.Sprintf(format, args...)) }
	switch {
	case r.Skipped:
		return "not taken"
	case r.Tool == Act:
		return r.actWords()
	case r.Tool == Hint && *r.Yes:
		return map[HintName]string{LivePlate: "the sensor answers at the closed plate", WarmPlate: "the plate is warm", Wiggle: "the lamp flickers when the plug is moved"}[r.Hint]
	case r.Tool == Hint:
		return map[HintName]string{LivePlate: "the sensor is silent at the closed plate", WarmPlate: "the plate is cool", Wiggle: "the lamp burns steadily when the plug is moved"}[r.Hint]
	case r.Tool == Told && r.Asked != "":
		return map[Answer]string{NothingChanged: "nothing came back", CameBack: "it came back", WillNotHold: "it will not hold"}[r.Answer]
	case r.Tool == Told && *r.Works:
		return "works"
	case r.Tool == Told:
		return "dead"
	case r.Tool == Eyes && len(r.Found.Faults) == 0:
		return "all sound in there"
	case r.Tool == Eyes:
		return "something found"
	case r.Reads != nil && r.Reads.Open:
		return "open"
	case r.Reads != nil && r.Tool == Ohms:
		return fmt.Sprintf("%.3g ohms", r.Reads.Value)
	case r.Reads != nil:
		return fmt.Sprintf("%.1f V", r.Reads.Value)
	case r.Level != "":
		return string(r.Level)
	case r.Amps != nil:
		return fmt.Sprintf("%.3g A", *r.Amps)
	}
	if r.Lamps != nil && r.Tool == Plug {
		lit, dark := []string{}, []string{}
		for i, l := range r.Lamps.All() {
			switch l {
			case IsLit:
				lit = append(lit, pairWords[i])
			case IsDark:
				dark = append(dark, pairWords[i])
			}
		}
		switch {
		case len(lit) == 0 && len(dark) == 3:
			return "all lamps dark"
		case len(lit) > 0:
			say("%s lit", strings.Join(lit, ", "))
		}
		if len(dark) > 0 {
			say("%s dark", strings.Join(dark, ", "))
		}
	}
	if r.Volts != nil {
		for i, v := range r.Volts.All() {
			if v != nil {
				say("%s %.0f V", pairWords[i], *v)
			}
		}
		if r.Volts.Unloaded != nil && r.Volts.Unloaded.Value != nil {
			say("%.1f V", *r.Volts.Unloaded.Value)
		}
	}
	if r.Slots != nil {
		for i, level := range r.Slots.All() {
			if level != "" {
				say("%s slot %s", slotNames[i], level)
			}
		}
	}
	if r.Glow != "" {
		say("lamp %s", r.Glow)
	}
	if r.Wiring != "" {
		say("verdict %s", strings.ReplaceAll(string(r.Wiring), "-", " "))
	}
	if r.DropPercent != nil && r.DropPercent.Value != nil {
		say("%.1f %% drop at 15 A", *r.DropPercent.Value)
	}
	if r.Tripped != nil {
		if len(r.Tripped) == 0 {
			say("nothing tripped")
		} else {
			say("%s tripped", strings.Join(r.Tripped, ", "))
		}
	}
	return strings.Join(parts, "; ")
}
