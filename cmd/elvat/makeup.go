package main

import (
	"github.com/spf13/cobra"

	"elvat/core/circuit"
	"elvat/core/makeup"
	"elvat/core/practice"
)

func makeupCommand() *cobra.Command {
	var run string
	cmd := &cobra.Command{
		Use:   "makeup BOX.json [--circuit FILE]",
		Short: "Plan an opened box: what lands where, in which order, and what will be measured",
		Long: "Plan an opened box (elvat-box/1) for the device chosen, prove the plan on the circuit model, and print an elvat-makeup/1 document. " +
			"With --circuit the plan is put into that run, and every outlet beyond the box is predicted. BOX.json may be - for standard input.",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			box, err := loadBox(cmd, args[0])
			if err != nil {
				return err
			}
			var c *circuit.Circuit
			if run != "" {
				if c, err = loadCircuit(cmd, run); err != nil {
					return err
				}
			}
			plan, err := makeup.Make(box, practice.Shop{}, c)
			if err != nil {
				return err
			}
			return printJSON(cmd, plan)
		},
	}
	cmd.Flags().StringVar(&run, "circuit", "", "the run the box is on, elvat-circuit/1")
	return cmd
}

func rulesCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "rules BOX.json",
		Short: "Print what the code asks at the place of a box",
		Long:  "Print what the edition of the code asks at the place of an opened box (elvat-box/1): the requires part of its plan. BOX.json may be - for standard input.",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			box, err := loadBox(cmd, args[0])
			if err != nil {
				return err
			}
			return printJSON(cmd, makeup.Rules(box, practice.Shop{}))
		},
	}
}

func loadBox(cmd *cobra.Command, path string) (*makeup.Box, error) {
	data, err := input(cmd, path)
	if err != nil {
		return nil, err
	}
	return makeup.Parse(data)
}
