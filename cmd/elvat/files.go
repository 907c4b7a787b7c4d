package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"github.com/spf13/cobra"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/network"
	"elvat/core/tester"
)

// readOptions narrow what the read command prints.
type readOptions struct {
	at, half, tool, state string
	mode, point           string
	between               []string
}

func readCommand() *cobra.Command {
	var o readOptions
	cmd := &cobra.Command{
		Use:   "read FILE",
		Short: "Print what the testers show on a circuit with its faults",
		Long: "Print what the testers show on a circuit with the faults its file names, as an elvat-readings/1 document: " +
			"every tester at every outlet, or narrowed. With --point or --between a tester is put on named points of an opened box instead. " +
			"FILE may be - for standard input.",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := loadCircuit(cmd, args[0])
			if err != nil {
				return err
			}
			readings, err := o.read(c)
			if err != nil {
				return err
			}
			return printJSON(cmd, tester.Document(readings))
		},
	}
	f := cmd.Flags()
	f.StringVar(&o.at, "at", "", "only this device")
	f.StringVar(&o.half, "half", "", "only this half: top or bottom")
	f.StringVar(&o.tool, "tool", "", "only this tool: plug, plug-button, device-button, meter, sensor, lamp, analyzer, ohms or clamp")
	f.StringVar(&o.state, "state", "", `the state to read in, such as '{ "breakerOn": false, "loadsOn": [], "tripped": [], "separated": ["W2@B1"] }'`)
	f.StringVar(&o.point, "point", "", "sensor or clamp on this conductor's end, clamp on this cable's end")
	f.StringSliceVar(&o.between, "between", nil, "meter or ohms between these two points: A,B")
	f.StringVar(&o.mode, "mode", string(tester.HighZ), "of a meter between points: high-z or low-z")
	return cmd
}

func (o *readOptions) read(c *circuit.Circuit) ([]tester.Reading, error) {
	if v, _ := c.Device(o.at); o.at != "" && v == nil {
		return nil, fmt.Errorf("--at %s: no such device on this circuit", o.at)
	}
	if o.half != "" && !slices.Contains(circuit.Halves, circuit.Half(o.half)) {
		return nil, fmt.Errorf("--half %s: want top or bottom", o.half)
	}
	if o.tool != "" && !slices.Contains(tester.Tools, tester.Tool(o.tool)) {
		return nil, fmt.Errorf("--tool %s is not known; use one of %v", o.tool, tester.Tools)
	}
	state, err := tester.ParseState([]byte(o.state), c)
	if err != nil {
		return nil, fmt.Errorf("--state: %w", err)
	}
	in, err := state.On(c)
	if err != nil {
		return nil, fmt.Errorf("--state: %w", err)
	}
	bench, err := tester.NewBench(in)
	if err != nil {
		return nil, err
	}
	condition, err := bench.Try(c.Faults)
	if err != nil {
		return nil, err
	}
	var readings []tester.Reading
	if o.point != "" || o.between != nil {
		readings, err = o.onPoints(condition)
	} else {
		readings, err = o.atOutlets(condition)
	}
	for i := range readings {
		readings[i].State = state
	}
	return readings, err
}

func (o *readOptions) atOutlets(c *tester.Condition) ([]tester.Reading, error) {
	var tools []tester.Tool
	if o.tool != "" {
		tools = []tester.Tool{tester.Tool(o.tool)}
		if !slices.Contains(tester.AtOutlets, tools[0]) {
			return nil, fmt.Errorf("--tool %s is put on points: say --point or --between", o.tool)
		}
	}
	return c.ReadAll(o.at, circuit.Half(o.half), tools)
}

func (o *readOptions) onPoints(c *tester.Condition) ([]tester.Reading, error) {
	tool, points := tester.Tool(o.tool), o.between
	switch {
	case o.point != "" && o.between != nil:
		return nil, errors.New("--point and --between: say one of them")
	case o.point != "":
		points = []string{o.point}
		if tool == "" {
			tool = tester.Sensor
		}
	case tool == "":
		tool = tester.Meter
	}
	if mode := tester.Mode(o.mode); mode != tester.HighZ && mode != tester.LowZ {
		return nil, fmt.Errorf("--mode %s: want high-z or low-z", o.mode)
	}
	r, err := c.ReadPoints(tool, tester.Mode(o.mode), points...)
	if err != nil {
		return nil, err
	}
	return []tester.Reading{r}, nil
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
