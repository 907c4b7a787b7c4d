package call_test

import (
	"fmt"
	"time"

	"elvat/core/call"
	"elvat/core/circuit"
)

// A call is begun, changed and a change taken back, each by a command.
func ExampleRecord_Decide() {
	run, err := circuit.New("Weaving loft").Encode()
	if err != nil {
		fmt.Println(err)
		return
	}
	record, err := call.Open(1, nil, nil)
	if err != nil {
		fmt.Println(err)
		return
	}
	for i, do := range []call.Doing{
		&call.Begin{Title: "Weaving loft", Complaint: "Half of it is dead.", Circuit: run},
		&call.AddStop{After: circuit.Panel, Label: "Loom"},
		&call.SetBreaker{Label: "9", Amps: 15},
		&call.Undo{},
		&call.AddStop{After: "B7"},
	} {
		command := call.Command{
			ID: fmt.Sprintf("command-%d", i), At: time.Date(2026, 5, 4, 12, i, 0, 0, time.UTC), Device: "phone", Do: do,
		}
		next, action, err := record.Decide(command, call.House{})
		if err != nil {
			fmt.Println("refused:", err)
			continue
		}
		record = next
		fmt.Printf("%s: %d places\n", action.What, action.Changed)
	}
	fmt.Println(len(record.Circuit.Boxes), "box, breaker", record.Circuit.Breaker.Amps, "A")
	// Output:
	// new call: 2 places
	// added a stop: 2 places
	// breaker: 2 places
	// Took back: breaker: 2 places
	// refused: after "B7": no such box on this circuit
	// 1 box, breaker 20 A
}
