package makeup_test

import (
	"fmt"

	"elvat/core/circuit"
	"elvat/core/makeup"
	"elvat/core/practice"
)

// From an opened box to what lands where: the plan is proven on the model before it is
// given out.
func ExampleMake() {
	box, err := makeup.Parse([]byte(`{
		"format": "elvat-box/1", "id": "B1",
		"breaker": { "amps": 15 }, "box": { "volumeIn3": 20 },
		"cables": [
			{ "id": "W1", "role": "line", "awg": 14, "conductors": ["hot", "neutral", "ground"] },
			{ "id": "W2", "role": "outgoing", "awg": 14, "conductors": ["hot", "neutral", "ground"] }
		],
		"device": { "id": "R1", "kind": "receptacle", "amps": 15 }
	}`))
	if err != nil {
		fmt.Println(err)
		return
	}
	plan, err := makeup.Make(box, practice.Shop{}, nil)
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, pair := range plan.Wiring {
		if pair[0] == "W1@B1."+string(circuit.Hot) || pair[0] == "W2@B1."+string(circuit.Hot) {
			fmt.Println(pair[0], "to", pair[1])
		}
	}
	// Output:
	// W1@B1.hot to R1.hot.1
	// W2@B1.hot to R1.hot.2
}
