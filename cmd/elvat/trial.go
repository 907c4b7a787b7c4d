package main

import (
	"errors"
	"fmt"
	"runtime"
	"strings"

	"github.com/spf13/cobra"

	"elvat/core/trial"
)

func trialCommand() *cobra.Command {
	var circuits int
	var seed uint64
	cmd := &cobra.Command{
		Use:   "trial",
		Short: "Measure the diagnosis against the trade's plain rule on drawn circuits",
		Long: "Draw circuits and faults, let a simulated electrician follow what is proposed until all that is wrong is found, and print the minutes " +
			"against the plain rule (open the last box that shows something, go upstream box by box) and against the bound (only the right boxes, at once).",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if circuits < 1 {
				return errors.New("--circuits: at least 1")
			}
			report, err := trial.Run(circuits, seed, runtime.NumCPU(), func(done int) {
				const wide = 40
				filled := wide * done / circuits
				fmt.Fprintf(cmd.ErrOrStderr(), "\r%s%s %d of %d", strings.Repeat("#", filled), strings.Repeat(".", wide-filled), done, circuits)
			})
			fmt.Fprintln(cmd.ErrOrStderr())
			if err != nil {
				return err
			}
			report.Write(cmd.OutOrStdout())
			return nil
		},
	}
	cmd.Flags().IntVar(&circuits, "circuits", 500, "how many to draw")
	cmd.Flags().Uint64Var(&seed, "seed", 1, "names the circuits drawn")
	return cmd
}
