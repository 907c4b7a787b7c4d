// Command elvat is the electrician's service-call companion: it predicts what
// testers show, diagnoses circuits from readings, and serves the application.
package main

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"os"
	"os/signal"
	"syscall"
	_ "time/tzdata" // a time zone has to be known on a machine without any

	"github.com/spf13/cobra"

	"elvat/core/circuit"
	"elvat/core/units"
)

func main() {
	keepPrivate()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	root := newRoot()
	root.SetOut(plainSpaces{os.Stdout})
	if err := root.ExecuteContext(ctx); err != nil {
		fmt.Fprintln(os.Stderr, "elvat:", err)
		os.Exit(1)
	}
}

// plainSpaces writes what is said with ordinary spaces: other programs search in it.
type plainSpaces struct{ to io.Writer }

func (w plainSpaces) Write(p []byte) (int, error) {
	if _, err := w.to.Write(bytes.ReplaceAll(p, []byte(units.Join), []byte(" "))); err != nil {
		return 0, err
	}
	return len(p), nil
}

func newRoot() *cobra.Command {
	root := &cobra.Command{
		Use:           "elvat",
		Short:         "Find the box to open: receptacle and GFCI service calls, simulated and diagnosed",
		SilenceUsage:  true,
		SilenceErrors: true,
	}
	root.AddCommand(
		readCommand(),
		diagnoseCommand(),
		netlistCommand(),
		serveCommand(),
		demoCommand(),
		meterCommand(),
		trialCommand(),
		makeupCommand(), circuitCommand(), dayCommand(), drillCommand(),
		rulesCommand(),
		backupCommand(),
		restoreCommand(),
		exportCommand(),
		importCommand(),
		checkCommand(),
		peopleCommand(),
		shopsCommand(), clusterCommand(), picturesCommand(), placeCommand(),
		tlsCommand(),
	)
	return root
}

// input reads the named file, or standard input for "-".
func input(cmd *cobra.Command, name string) ([]byte, error) {
	if name == "-" {
		return io.ReadAll(cmd.InOrStdin())
	}
	return os.ReadFile(name)
}

// loadCircuit reads and checks a circuit file; errors name the file.
func loadCircuit(cmd *cobra.Command, name string) (*circuit.Circuit, error) {
	data, err := input(cmd, name)
	if err != nil {
		return nil, err
	}
	c, err := circuit.Parse(data)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	return c, nil
}
