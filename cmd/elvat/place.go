package main

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"elvat/internal/place"
)

// placeCommand is about which shop is on which cluster.
func placeCommand() *cobra.Command {
	top := &cobra.Command{Use: "place", Short: "Which shop is on which cluster: a file that a proxy or a name server reads (elvat-directory/1)"}
	prints := func(use, short string, what func(*place.Directory) string) *cobra.Command {
		return &cobra.Command{
			Use: use + " FILE", Short: short, Args: cobra.ExactArgs(1),
			RunE: func(cmd *cobra.Command, args []string) error {
				d, err := readDirectory(args[0])
				if err != nil {
					return err
				}
				_, err = fmt.Fprint(cmd.OutOrStdout(), what(d))
				return err
			},
		}
	}
	var hosts []string
	var megabytes int
	add := &cobra.Command{
		Use: "add FILE SHOP", Short: "Place a new shop where there is most room, and note it", Args: cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			return changeDirectory(args[0], func(d *place.Directory) error {
				cluster, err := d.Add(args[1], hosts, megabytes)
				if err != nil {
					return err
				}
				_, err = fmt.Fprintln(cmd.OutOrStdout(), cluster)
				return err
			})
		},
	}
	add.Flags().StringSliceVar(&hosts, "host", nil, "name it is reached by; may be given more than once")
	add.Flags().IntVar(&megabytes, "megabytes", 1, "how large its database is")
	plan := &cobra.Command{
		Use: "plan FILE", Short: "Which shops are to be moved so that no cluster is too full", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			d, err := readDirectory(args[0])
			if err != nil {
				return err
			}
			moves, err := d.Plan()
			for _, m := range moves {
				fmt.Fprintf(cmd.OutOrStdout(), "%s from %s to %s (%d MB)\n", m.Shop, m.From, m.To, m.Megabytes)
			}
			return err
		},
	}
	moved := &cobra.Command{
		Use: "moved FILE SHOP CLUSTER", Short: "Note that a shop was moved (elvat shops move)", Args: cobra.ExactArgs(3),
		RunE: func(_ *cobra.Command, args []string) error {
			return changeDirectory(args[0], func(d *place.Directory) error { return d.Carry(args[1], args[2]) })
		},
	}
	top.AddCommand(
		prints("map", "A line for each host name with the machines that serve it, for a proxy", (*place.Directory).Map),
		prints("zone", "Records for a name server (RFC 1035)", (*place.Directory).Zone),
		add, plan, moved, simulatePlaces(),
	)
	return top
}

func simulatePlaces() *cobra.Command {
	var shops, years, megabytes int
	var seed uint64
	cmd := &cobra.Command{
		Use: "simulate", Short: "Place shops that come and grow over years, and say how many clusters and moves that takes", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if shops < 1 || years < 1 || megabytes < 100 {
				return errors.New("shops, years: at least one; megabytes: at least 100")
			}
			s, err := place.Simulate(shops, years, megabytes, seed)
			if err != nil {
				return err
			}
			_, err = fmt.Fprintf(
				cmd.OutOrStdout(), "%d shops with %d vans after %d years: %.1f TB of databases on %d clusters of %d MB, %.0f%% to %.0f%% full\n"+
					"%d shops were moved, %.1f TB; busiest hour of the busiest cluster: %.1f writes a second; placed in %v\n",
				s.Shops, s.Vans, years, float64(s.Megabytes)/1e6, s.Clusters, megabytes, 100*s.Emptiest, 100*s.Fullest,
				s.Moved, float64(s.MovedMegabytes)/1e6, s.BusiestHour, s.TookPlacing.Round(time.Millisecond),
			)
			return err
		},
	}
	cmd.Flags().IntVar(&shops, "shops", 100_000, "how many, coming evenly over the years")
	cmd.Flags().IntVar(&years, "years", 5, "over how many years")
	cmd.Flags().IntVar(&megabytes, "megabytes", 24_000, "of databases that a cluster may hold")
	cmd.Flags().Uint64Var(&seed, "seed", 1, "the same seed draws the same shops")
	return cmd
}

func readDirectory(path string) (*place.Directory, error) {
	data, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	d, err := place.Parse(data)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return d, nil
}

// changeDirectory has the file be there whole or not at all: others read it at any moment.
func changeDirectory(path string, change func(*place.Directory) error) error {
	d, err := readDirectory(path)
	if err != nil {
		return err
	}
	if err := change(d); err != nil {
		return err
	}
	data, err := d.Encode()
	if err != nil {
		return err
	}
	part, err := os.CreateTemp(filepath.Dir(path), ".directory-*")
	if err != nil {
		return err
	}
	_, err = part.Write(data)
	if err := errors.Join(err, part.Sync(), part.Close()); err != nil {
		return errors.Join(err, os.Remove(part.Name()))
	}
	return os.Rename(part.Name(), path)
}
