package tester_test

import (
	"fmt"

	"elvat/core/circuit"
	"elvat/core/tester"
)

// What the testers show where the neutral has let go: the three-lamp tester names it,
// a high-impedance meter finds next to nothing between hot and neutral.
func ExampleBench_Try() {
	c := circuit.New("Weaving loft")
	if err := c.AddStop(circuit.NewStop{After: circuit.Panel, Label: "Loom", Ground: true}); err != nil {
		fmt.Println(err)
		return
	}
	bench, err := tester.NewBench(c)
	if err != nil {
		fmt.Println(err)
		return
	}
	condition, err := bench.Try([]circuit.Fault{{Kind: circuit.Open, At: "W1@B1.neutral"}})
	if err != nil {
		fmt.Println(err)
		return
	}
	outlet, _ := bench.Outlet("R1", circuit.Top)
	lamps, err := condition.Read(outlet, tester.Plug, "")
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println(lamps.Words(nil))
	fmt.Printf("hot to ground %.0f V\n", condition.MeterVolts(outlet, 1, tester.HighZ))
	// Output:
	// hot to ground lit; hot to neutral, neutral to ground dark
	// hot to ground 120 V
}
