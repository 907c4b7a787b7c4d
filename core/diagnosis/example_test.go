package diagnosis_test

import (
	"fmt"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/tester"
)

// From readings to what is likely wrong, and what to do next.
func ExampleEngine_Diagnose() {
	c := circuit.New("Weaving loft")
	for i, label := range []string{"Loom", "Warping frame", "Stair"} {
		after := circuit.Panel
		if i > 0 {
			after = fmt.Sprint("B", i)
		}
		if err := c.AddStop(circuit.NewStop{After: after, Label: label, Ground: true}); err != nil {
			fmt.Println(err)
			return
		}
	}
	engine, err := diagnosis.NewEngine(c, diagnosis.Defaults())
	if err != nil {
		fmt.Println(err)
		return
	}
	lit, dark := tester.IsLit, tester.IsDark
	result, err := engine.Diagnose([]tester.Reading{
		{At: "R1", Half: circuit.Top, Tool: tester.Plug, Lamps: &tester.Lamps{HotNeutral: lit, HotGround: lit, NeutralGround: dark}},
		{At: "R2", Half: circuit.Top, Tool: tester.Plug, Lamps: &tester.Lamps{HotNeutral: dark, HotGround: lit, NeutralGround: dark}},
		{At: "R3", Half: circuit.Top, Tool: tester.Plug, Lamps: &tester.Lamps{HotNeutral: dark, HotGround: lit, NeutralGround: dark}},
	})
	if err != nil {
		fmt.Println(err)
		return
	}
	first := result.Suspects[0]
	fmt.Println(first.Name, first.Place)
	fmt.Println("settled:", result.Settled)
	// Output:
	// open neutral at Loom, end of the cable to Warping frame
	// settled: false
}
