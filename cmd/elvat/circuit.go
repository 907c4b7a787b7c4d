package main

import (
	"github.com/spf13/cobra"

	"elvat/core/circuit"
	"elvat/core/newrun"
	"elvat/core/practice"
)

func circuitCommand() *cobra.Command {
	var run string
	cmd := &cobra.Command{
		Use:   "circuit PLAN.json [--run FILE]",
		Short: "Plan a new circuit, or the way on of one that is there: breaker, wire, way, boxes, panel, parts, readings",
		Long: "Plan what is ordered in PLAN.json (elvat-newrun/1): what is to be served, where, and how one gets there. Prints an elvat-newrun-plan/1 document: " +
			"load, breaker, conductor with its drop, holes, supports, conduit and bends, boxes with their make-up, the panel's steps for a licensed person, parts, minutes, and what the testers will show. " +
			"Where the order goes on from a box, --run is the circuit that it hangs on. PLAN.json may be - for standard input.",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			data, err := input(cmd, args[0])
			if err != nil {
				return err
			}
			order, err := newrun.Parse(data)
			if err != nil {
				return err
			}
			var c *circuit.Circuit
			if run != "" {
				if c, err = loadCircuit(cmd, run); err != nil {
					return err
				}
			}
			plan, err := newrun.Make(order, practice.Shop{}, c)
			if err != nil {
				return err
			}
			return printJSON(cmd, plan)
		},
	}
	cmd.Flags().StringVar(&run, "run", "", "the circuit that is extended, elvat-circuit/1")
	return cmd
}
