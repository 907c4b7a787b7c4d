package main

import (
	"fmt"
	"math/rand/v2"

	"github.com/spf13/cobra"

	"elvat/core/drill"
)

func drillCommand() *cobra.Command {
	var theme string
	var level int
	var seed uint64
	cmd := &cobra.Command{
		Use:   "drill [--theme NAME] [--level N] [--seed N]",
		Short: "Draw a scene to learn on: a circuit with something hidden in it",
		Long: "Draw a scene and print it (elvat-drill/1): what the learner knows of the circuit, what the call came in by, and what is hidden. " +
			"The same theme, level and seed give the same scene. Without a seed one is drawn.",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if !cmd.Flags().Changed("seed") {
				seed = rand.Uint64N(1 << 32)
			}
			s, err := drill.Draw(drill.Theme(theme), level, seed)
			if err != nil {
				return err
			}
			data, err := s.Encode()
			if err != nil {
				return err
			}
			_, err = fmt.Fprintf(cmd.OutOrStdout(), "%s\n", data)
			return err
		},
	}
	cmd.Flags().StringVar(&theme, "theme", string(drill.Patterns), fmt.Sprintf("one of %v", drill.Themes))
	cmd.Flags().IntVar(&level, "level", 1, "1 to 4")
	cmd.Flags().Uint64Var(&seed, "seed", 0, "which of them")
	cmd.AddCommand(drillPlayCommand())
	return cmd
}
