package diagnosis

import (
	"fmt"
	"slices"

	"elvat/core/circuit"
	"elvat/core/network"
	"elvat/core/tester"
)

// A Need is an outlet that a plug tester's lamps cannot clear, with the one
// reading it still needs.
type Need struct {
	At   string      `json:"at"` // a device
	Why  string      `json:"why"`
	Tool tester.Tool `json:"tool"`
	Say  string      `json:"say"`
}

// A Sweep is how far the outlets of a circuit have been gone through with a
// plug tester.
type Sweep struct {
	Left  []string `json:"left"`  // devices with a half not read yet, in the order of the run
	Needs []Need   `json:"needs"` // of those read, what lamps cannot clear
	// Held are of those left the ones that no plug tester goes into: a danger there is not
	// excluded. They stand last.
	Held []string `json:"held"`
}

// Hold puts the devices with an urgent danger last, and names them.
func (s Sweep) Hold(dangers []Danger) Sweep {
	s.Held = []string{}
	free := []string{}
	for _, at := range s.Left {
		if slices.ContainsFunc(dangers, func(d Danger) bool { return d.Holds && (d.At == at || d.Name == ReportedHazard) }) {
			s.Held = append(s.Held, at)
		} else {
			free = append(free, at)
		}
	}
	s.Left = append(free, s.Held...)
	return s
}

// nearZero is the share of what the run's length predicts below which an
// analyzer's neutral ohms smell of a bootleg. Common practice, no source; the
// figure is an assumption.
const nearZero = 0.5

// SweepOf tells what is left and what lamps cannot clear. Changed names the
// devices known to have been changed lately.
func SweepOf(c *circuit.Circuit, readings []tester.Reading, changed []string) Sweep {
	readings = slices.DeleteFunc(slices.Clone(readings), func(r tester.Reading) bool { return r.Skipped })
	s := Sweep{Left: []string{}, Needs: []Need{}, Held: []string{}}
	for _, box := range c.Order() {
		for _, v := range c.Box(box).Devices {
			if v.HasGroundSlot() && !swept(readings, v.ID) {
				s.Left = append(s.Left, v.ID)
				continue
			}
			if why := unclear(c, box, &v, readings, slices.Contains(changed, v.ID)); why != "" {
				s.Needs = append(s.Needs, need(c, box, &v, why))
			}
		}
	}
	return s
}

func swept(readings []tester.Reading, device string) bool {
	read := map[circuit.Half]bool{}
	for _, r := range readings {
		if r.At == device && r.Tool == tester.Plug {
			read[r.Half] = true
		}
	}
	return len(read) == len(circuit.Halves)
}

// unclear is why lamps cannot clear the outlet, "" where they can or where the
// ground pin has been looked at.
func unclear(c *circuit.Circuit, box string, v *circuit.Device, readings []tester.Reading, changed bool) string {
	correct := false
	suspicious := false
	for _, r := range readings {
		if r.At != v.ID {
			continue
		}
		if pin := r.GroundPin(tester.Default); pin == tester.PinDead || pin == tester.PinLive {
			return ""
		}
		if !v.HasGroundSlot() && (r.Tool == tester.Meter || r.Tool == tester.Sensor) {
			return "" // all that can be read of a two-slot face
		}
		correct = correct || r.Tool == tester.Plug && r.Lamps.HotGround == tester.IsLit
		suspicious = suspicious || r.Tool == tester.Analyzer && r.Ohms != nil && r.Ohms.Neutral != nil &&
			*r.Ohms.Neutral < nearZero*predictedOhms(c, box)
	}
	switch {
	case !v.HasGroundSlot():
		return "old two-wire cable: a plug tester does not go into its face"
	case correct && !c.GroundArrives(box):
		return "no ground is expected there, and yet the lamps show one"
	case suspicious:
		return "neutral and ground ohms are near zero against what the run's length predicts"
	case changed:
		return "the device was changed: lamps do not see neutral and ground exchanged, nor a faked ground"
	default:
		return ""
	}
}

// predictedOhms is one conductor's resistance from the panel to the box.
func predictedOhms(c *circuit.Circuit, box string) float64 {
	ohms := 0.0
	for _, at := range c.Upstream(box) {
		if cable := c.LineCable(at); cable != nil {
			ohms += cable.Feet * cable.AWG.OhmsPerFoot(network.Default.Conductor)
		}
	}
	return ohms
}

func need(c *circuit.Circuit, box string, v *circuit.Device, why string) Need {
	n := Need{At: v.ID, Why: why, Tool: tester.Sensor, Say: fmt.Sprintf("Sensor on the ground slot at %s", c.LabelOf(box))}
	if !v.HasGroundSlot() {
		n.Tool, n.Say = tester.Meter, fmt.Sprintf("Meter from both slots to a known ground at %s", c.LabelOf(box))
	}
	return n
}
