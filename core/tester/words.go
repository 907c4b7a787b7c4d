package tester

import (
	"fmt"
	"strings"

	"elvat/core/circuit"
)

// pairWords are the pairs of slots in words, in the order of VoltNames.
var pairWords = [6]string{
	"hot to neutral", "hot to ground", "neutral to ground", "hot to known ground", "neutral to known ground", "ground to known ground",
}

// Words says what the tester showed, without where it was taken. Things are named as on
// the circuit; by their bare names where it is nil.
func (r *Reading) Words(c *circuit.Circuit) string {
	var parts []string
	switch {
	case r.Skipped:
		return "not taken"
	case !r.valued():
		return ""
	case r.Tool == Act:
		return r.actWords(c)
	case r.Tool == Indicator:
		return r.Light.words()
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
	if i, ok := instruments[r.Tool]; ok {
		parts = i.words(r)
	}
	if r.Tripped != nil {
		if len(r.Tripped) == 0 {
			parts = append(parts, "nothing tripped")
		} else {
			parts = append(parts, guards(c, r.Tripped)+" tripped")
		}
	}
	return strings.Join(parts, "; ")
}

// valued reports whether the reading has the value that its kind cannot do without. A prediction
// can lack it, for not every kind is predicted.
func (r *Reading) valued() bool {
	switch r.Tool {
	case Act:
		switch r.Act {
		case Reset, ResetBreaker:
			return r.Held != nil
		case Plugged:
			return r.Watts != nil
		case FindBox:
			return r.Found != nil
		}
		return r.Act != ""
	case Indicator:
		return r.Light != nil
	case Hint:
		return r.Yes != nil
	case Told:
		return r.Answer != "" || r.Works != nil
	case Eyes:
		return r.Found != nil
	}
	if r.OnPoints() {
		return r.Reads != nil || r.Level != "" || r.Amps != nil
	}
	switch r.Tool {
	case Plug:
		return r.Lamps != nil
	case Meter:
		return r.Volts != nil
	case Sensor:
		return r.Slots != nil
	case Lamp:
		return r.Glow != ""
	}
	return true
}
