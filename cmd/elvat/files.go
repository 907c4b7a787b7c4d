package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"github.com/spf13/cobra"

	"elvat/core/diagnosis"
	"elvat/core/network"
	"elvat/core/tester"
)

func readCommand() *cobra.Command {
	var at, tool string
	cmd := &cobra.Command{
		Use:   "read FILE",
		Short: "Print what the testers show on a circuit with its faults",
		Long:  "Print what the testers show on a circuit with the faults its file names, as an elvat-readings/1 document. FILE may be - for standard input.",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := loadCircuit(cmd, args[0])
			if err != nil {
				return err
			}
			if v, _ := c.Device(at); at != "" && v == nil {
				return fmt.Errorf("--at %s: no such device on this circuit", at)
			}
			var tools []tester.Tool
			if tool != "" {
				if !slices.Contains(tester.Tools, tester.Tool(tool)) {
					return fmt.Errorf("--tool %s is not known; use one of %v", tool, tester.Tools)
				}
				tools = []tester.Tool{tester.Tool(tool)}
			}
			bench, err := tester.NewBench(c)
			if err != nil {
				return err
			}
			condition, err := bench.Try(c.Faults)
			if err != nil {
				return err
			}
			readings, err := condition.ReadAll(at, "", tools)
			if err != nil {
				return err
			}
			return printJSON(cmd, tester.Document(readings))
		},
	}
	cmd.Flags().StringVar(&at, "at", "", "only this device")
	cmd.Flags().StringVar(&tool, "tool", "", "only this tool: plug, meter, sensor or lamp")
	return cmd
}

func diagnoseCommand() *cobra.Command {
	var file string
	cmd := &cobra.Command{
		Use:   "diagnose FILE --readings FILE",
		Short: "Weigh what could be wrong by what was read, and say what to test next",
		Long: "Weigh what could be wrong with a circuit by an elvat-readings/1 document, and print an elvat-diagnosis/1 document. " +
			"Faults that the circuit file names are left out of account: they are what is looked for. One of the files may be - for standard input.",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if args[0] == "-" && file == "-" {
				return errors.New("only one of the two files can be standard input")
			}
			c, err := loadCircuit(cmd, args[0])
			if err != nil {
				return err
			}
			data, err := input(cmd, file)
			if err != nil {
				return err
			}
			readings, err := tester.Parse(data, c)
			if err != nil {
				return fmt.Errorf("%s: %w", file, err)
			}
			engine, err := diagnosis.NewEngine(c, diagnosis.Defaults())
			if err != nil {
				return err
			}
			result, err := engine.Diagnose(readings)
			if err != nil {
				return fmt.Errorf("%s: %w", file, err)
			}
			return printJSON(cmd, result)
		},
	}
	cmd.Flags().StringVar(&file, "readings", "", "the readings taken, elvat-readings/1")
	_ = cmd.MarkFlagRequired("readings")
	return cmd
}

func netlistCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "netlist FILE",
		Short: "Print the circuit with its faults as a SPICE deck for ngspice",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := loadCircuit(cmd, args[0])
			if err != nil {
				return err
			}
			plan, err := network.Settled(c, network.Default)
			if err != nil {
				return err
			}
			return plan.WriteSPICE(cmd.OutOrStdout(), c.Name)
		},
	}
}

func printJSON(cmd *cobra.Command, v any) error {
	encoder := json.NewEncoder(cmd.OutOrStdout())
	encoder.SetIndent("", "  ")
	encoder.SetEscapeHTML(false)
	return encoder.Encode(v)
}
