package makeup

import (
	"elvat/core/circuit"
)

// A LandingPlace is where a wire can land in a box as it is recorded.
type LandingPlace struct {
	Point string `json:"point"`
	Words string `json:"words"`
	// Jumper is the terminal that a splice of this kind is usually joined to, so
	// that recording the splice records its jumper; empty for none.
	Jumper string `json:"jumper,omitempty"`
}

// Places lists where wires can land in the box as it is now.
func (b *Box) Places() []LandingPlace {
	places := []LandingPlace{}
	if b.Existing == nil {
		return places
	}
	v := b.oldDevice()
	for _, t := range v.Terminals() {
		places = append(places, LandingPlace{Point: v.ID + "." + t.Name, Words: oldTerminal[t.Name]})
	}
	for _, k := range []circuit.Conductor{circuit.Hot, circuit.Neutral, circuit.Ground} {
		places = append(places, LandingPlace{Point: splice(string(k)), Words: "splice, " + string(k), Jumper: v.First(k)})
	}
	places = append(places, LandingPlace{Point: splice("other"), Words: "splice, another"})
	if b.Box.Material == circuit.Metal {
		places = append(places, LandingPlace{Point: b.ID + ".box", Words: "the metal box"})
	}
	return places
}
