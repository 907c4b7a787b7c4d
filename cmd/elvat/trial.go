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
	var rough bool
	var dir string
	cmd := &cobra.Command{
		Use:   "trial",
		Short: "Measure the diagnosis against the trade's plain rule on drawn circuits",
		Long: "Draw circuits and faults, let a simulated electrician follow what is proposed until all that is wrong is found, and print the minutes " +
			"against the plain rule (open the last box that shows something, go upstream box by box) and against the bound (only the right boxes, at once). " +
			"With --rough what is recorded and what is there differ: lengths, what is plugged in, switches, a GFCI elsewhere, the ground, the supply, and a customer who errs. " +
			"With --cases the cases are the files of a folder.",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if circuits < 1 {
				return errors.New("--circuits: at least 1")
			}
			if rough && dir != "" {
				return errors.New("--rough and --cases do not go together")
			}
			var files []trial.File
			if dir != "" {
				var err error
				if files, err = trial.ReadCases(dir); err != nil {
					return err
				}
				circuits = len(files)
			}
			progress := func(done int) {
				const wide = 40
				filled := wide * done / circuits
				fmt.Fprintf(
					cmd.ErrOrStderr(),
					"\r%s%s %d of %d",
					strings.Repeat("#", filled),
					strings.Repeat(".", wide-filled),
					done,
					circuits,
				)
			}
			var report *trial.Report
			var err error
			switch {
			case dir != "":
				report, err = trial.RunFiles(files, runtime.NumCPU(), progress)
			case rough:
				report, err = trial.RunRough(circuits, seed, runtime.NumCPU(), nil, progress)
			default:
				report, err = trial.Run(circuits, seed, runtime.NumCPU(), progress)
			}
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
	cmd.Flags().BoolVar(&rough, "rough", false, "cases of which not everything is known")
	cmd.Flags().StringVar(&dir, "cases", "", "a folder of case files instead")
	return cmd
}
