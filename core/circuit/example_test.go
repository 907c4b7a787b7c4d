package circuit_test

import (
	"fmt"

	"elvat/core/circuit"
)

// A run is drawn stop by stop, as it is walked.
func ExampleCircuit_AddStop() {
	c := circuit.New("Weaving loft")
	for _, stop := range []circuit.NewStop{
		{After: circuit.Panel, Label: "Loom", Ground: true},
		{After: "B1", Label: "Warping frame", Feet: 22, Ground: true},
		{After: "B1", Label: "Stair"},
	} {
		if err := c.AddStop(stop); err != nil {
			fmt.Println(err)
		}
	}
	for _, s := range c.Stops() {
		fmt.Println(s.Box, s.Label, "fed from", s.From)
	}
	fmt.Println(c.AddStop(circuit.NewStop{After: "B9"}))
	// Output:
	// B1 Loom fed from panel
	// B2 Warping frame fed from B1
	// B3 Stair fed from B1
	// after "B9": no such box on this circuit
}
