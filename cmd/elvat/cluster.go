package main

import (
	"fmt"
	"text/tabwriter"
	"time"

	"github.com/spf13/cobra"

	"elvat/internal/cluster"
)

// clusterCommand is what is done with the machines of a cluster.
func clusterCommand() *cobra.Command {
	top := &cobra.Command{Use: "cluster", Short: "Machines that keep the shops' databases together (elvat serve --cluster)"}
	var node, to string
	at := func(cmd *cobra.Command, says string) *cobra.Command {
		cmd.Flags().StringVar(&node, "node", "", says)
		_ = cmd.MarkFlagRequired("node") // there is such a flag
		return cmd
	}
	mk := at(&cobra.Command{
		Use: "make FOLDER", Short: "Make the keys of a new cluster and of its first machine", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := cluster.MakeKeys(args[0], node, time.Now()); err != nil {
				return err
			}
			_, err := fmt.Fprintf(cmd.OutOrStdout(), "Made. Start it: elvat serve --cluster %s --node %s --listen ADDRESS\n", args[0], node)
			return err
		},
	}, "address at which the other machines reach this one, such as 10.0.0.1:9000")
	invite := at(&cobra.Command{
		Use: "invite FOLDER", Short: "Write the key of another machine, by the authority in the folder", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := cluster.Invite(args[0], node, to, time.Now()); err != nil {
				return err
			}
			_, err := fmt.Fprintf(
				cmd.OutOrStdout(), "%s is worth as much as the data: carry it to %s as FOLDER/node.pem, and start elvat serve --cluster FOLDER --node %s --join ADDRESS there\n",
				to, node, node,
			)
			return err
		},
	}, "address at which the others will reach it, such as 10.0.0.2:9000")
	invite.Flags().StringVar(&to, "to", "", "file that it is written to")
	_ = invite.MarkFlagRequired("to") // there is such a flag
	status := &cobra.Command{
		Use: "status FOLDER", Short: "The machines, what each does, and whether it answers", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			all, err := clusterMembers(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			w := tabwriter.NewWriter(cmd.OutOrStdout(), 0, 8, 2, ' ', 0)
			voters := 0
			for _, m := range all {
				role, answers := m.Role, "does not answer"
				if m.Leader {
					role += ", leads"
				}
				if m.Reached {
					answers = fmt.Sprintf("answers in %v", m.Took.Round(100*time.Microsecond))
				}
				if m.Role == "voter" {
					voters++
				}
				fmt.Fprintf(w, "%s\t%s\t%s\n", m.Address, role, answers)
			}
			if err := w.Flush(); err != nil {
				return err
			}
			_, err = fmt.Fprintf(cmd.OutOrStdout(), "%d voters; it goes on while %d of them answer\n", voters, voters/2+1)
			return err
		},
	}
	drain := at(&cobra.Command{
		Use: "drain FOLDER", Short: "Have a machine neither lead nor vote, before it is stopped for long or removed", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error { return drainMember(cmd.Context(), args[0], node) },
	}, "address of the machine")
	remove := at(&cobra.Command{
		Use: "remove FOLDER", Short: "Take a machine out of the cluster for good: one that was drained, or one that is lost", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error { return removeMember(cmd.Context(), args[0], node) },
	}, "address of the machine")
	compare := &cobra.Command{
		Use: "compare FOLDER", Short: "Look through every shop's database on every machine, and hold them against each other", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			return compareMembers(cmd.Context(), args[0], func(shop string, machines int) {
				fmt.Fprintf(cmd.OutOrStdout(), "%s: sound and the same on %d machines\n", shop, machines)
			})
		},
	}
	var from string
	restore := &cobra.Command{
		Use: "restore FOLDER", Short: "Make every shop anew from the newest backups of a node's folder, as of a cluster that is lost", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			return restoreAll(cmd, args[0], from, func(shop, backup string) {
				if backup == "" {
					fmt.Fprintf(cmd.OutOrStdout(), "%s is in the cluster already, and stays as it is\n", shop)
				} else {
					fmt.Fprintf(cmd.OutOrStdout(), "%s goes on with %s\n", shop, backup)
				}
			})
		},
	}
	restore.Flags().StringVar(&from, "from", "", "folder of a node, with the backups in it")
	_ = restore.MarkFlagRequired("from") // there is such a flag
	top.AddCommand(restore, mk, invite, status, compare, drain, remove, demoCluster())
	return top
}
