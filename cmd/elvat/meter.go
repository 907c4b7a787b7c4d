package main

import (
	"context"
	"fmt"
	"math/rand/v2"
	"net"
	"time"

	"github.com/spf13/cobra"

	"elvat/core/circuit"
	"elvat/internal/meterlink"
)

func meterCommand() *cobra.Command {
	var file, at, address string
	cmd := &cobra.Command{
		Use:   "meter --circuit FILE --at DEVICE",
		Short: "Start a simulated meter that speaks SCPI over TCP",
		Long: "Start a simulated meter on a circuit with the faults its file names. It answers *IDN?, MEAS:VOLT:AC?, MEAS:RES?, CONF, READ? and SYST:ERR? " +
			"from the circuit model, with a little noise. Its probes are moved by PROBe DEVICE,HALF,PAIR.",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := loadCircuit(cmd, file)
			if err != nil {
				return err
			}
			listening, err := startMeter(cmd.Context(), c, at, address)
			if err != nil {
				return err
			}
			fmt.Fprintf(cmd.OutOrStdout(), "The simulated meter is at %s\n", listening)
			<-cmd.Context().Done()
			return nil
		},
	}
	cmd.Flags().StringVar(&file, "circuit", "", "the circuit it is put on, elvat-circuit/1; - for standard input")
	cmd.Flags().StringVar(&at, "at", "", "the device its probes are at first")
	cmd.Flags().StringVar(&address, "listen", "127.0.0.1:5025", "address to listen on; port 0 picks a free one")
	_ = cmd.MarkFlagRequired("circuit")
	_ = cmd.MarkFlagRequired("at")
	return cmd
}

// startMeter serves a simulated meter until the context ends, and returns
// where it listens.
func startMeter(ctx context.Context, c *circuit.Circuit, at, address string) (string, error) {
	seed := uint64(time.Now().UnixNano())
	meter, err := meterlink.NewSimulated(c, at, rand.New(rand.NewPCG(seed, seed)))
	if err != nil {
		return "", err
	}
	l, err := net.Listen("tcp", address)
	if err != nil {
		return "", err
	}
	go meter.Serve(ctx, l) // it ends with the context, or with its listener
	return l.Addr().String(), nil
}
