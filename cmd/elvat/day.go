package main

import (
	"github.com/spf13/cobra"

	"elvat/core/day"
)

func dayCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "day DAY.json",
		Short: "Put the calls of a van into an order: what is urgent first, what was promised, little driving",
		Long: "Put the stops of DAY.json (elvat-day/1) into an order and print an elvat-day-sheet/1 document: when the van is where, what is late or may be, " +
			"how much slack there is, and the gaps. With \"keep\": true the order given is held against the clock as it is. DAY.json may be - for standard input.",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			data, err := input(cmd, args[0])
			if err != nil {
				return err
			}
			d, err := day.Parse(data)
			if err != nil {
				return err
			}
			return printJSON(cmd, d.Plan())
		},
	}
}
