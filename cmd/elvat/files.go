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
	"elvat/core/runs"
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
	f.StringVar(
		&o.tool,
		"tool",
		"",
		"only this tool: plug, plug-button, device-button, meter, sensor, lamp, analyzer, ohms or clamp",
	)
	f.StringVar(
		&o.state,
		"state",
		"",
		`the state to read in, such as '{ "breakerOn": false, "loadsOn": [], "tripped": [], "separated": ["W2@B1"] }'`,
	)
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
	var from diagnoseFiles
	cmd := &cobra.Command{
		Use:   "diagnose FILE --readings FILE [--conditions FILE] [--map FILE] [--why]",
		Short: "Weigh what could be wrong by what was read, and say what to test next",
		Long: "Weigh what could be wrong with a circuit by an elvat-readings/1 document, and print an elvat-diagnosis/1 document. " +
			"Faults that the circuit file names are left out of account: they are what is looked for. One of the files may be - for standard input.",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			from.circuit = args[0]
			return from.diagnose(cmd)
		},
	}
	cmd.Flags().StringVar(&from.readings, "readings", "", "the readings taken, elvat-readings/1")
	cmd.Flags().StringVar(&from.conditions, "conditions", "", "what is known of the place, elvat-conditions/1")
	cmd.Flags().StringVar(&from.order, "map", "", "what is known of the order of the boxes, elvat-map/1")
	cmd.Flags().BoolVar(&from.why, "why", false, "add what each reading says of each of the likeliest suspects")
	cmd.Flags().
		StringSliceVar(&from.tools, "tools", nil, "the testers carried, of plug, plug-button, device-button, meter, sensor, lamp, analyzer; all where not said")
	cmd.Flags().IntVar(&from.faults, "faults", 2, "how many faults at once are looked for: 2 or 3")
	_ = cmd.MarkFlagRequired("readings")
	return cmd
}

// diagnoseFiles are what a diagnosis is asked to work from.
type diagnoseFiles struct {
	circuit, readings, conditions, order string
	tools                                []string
	why                                  bool
	faults                               int
}

// whySuspects is how many suspects the readings are held against one by one.
const whySuspects = 5

func (f *diagnoseFiles) diagnose(cmd *cobra.Command) error {
	standard := 0
	for _, name := range []string{f.circuit, f.readings, f.conditions, f.order} {
		if name == "-" {
			standard++
		}
	}
	if standard > 1 {
		return errors.New("only one of the files can be standard input")
	}
	if f.faults != 2 && f.faults != 3 {
		return errors.New("--faults: 2 or 3")
	}
	c, err := loadCircuit(cmd, f.circuit)
	if err != nil {
		return err
	}
	readings, err := parsed(cmd, f.readings, c, tester.Parse)
	if err != nil {
		return err
	}
	settings := diagnosis.Defaults()
	settings.Three = f.faults == 3
	settings.Tools = tester.AtOutlets // nobody said what is carried
	if f.tools != nil {
		settings.Tools = nil
	}
	for _, name := range f.tools {
		tool := tester.Tool(name)
		if !slices.Contains(tester.AtOutlets, tool) {
			return fmt.Errorf("--tools: %q is none of %q", name, tester.AtOutlets)
		}
		settings.Tools = append(settings.Tools, tool)
	}
	if settings.Conditions, err = parsed(cmd, f.conditions, c, diagnosis.ParseConditions); err != nil {
		return err
	}
	order, err := parsed(cmd, f.order, c, runs.Parse)
	if err != nil {
		return err
	}
	engine, err := diagnosis.NewEnsemble(c, order, settings)
	if err != nil {
		return err
	}
	result, err := engine.Diagnose(readings)
	if err != nil {
		return fmt.Errorf("%s: %w", f.readings, err)
	}
	if !f.why {
		return printJSON(cmd, result)
	}
	answer := explained{Result: result}
	for _, s := range result.Suspects[:min(len(result.Suspects), whySuspects)] {
		faults := s.Faults
		if len(faults) == 0 {
			faults = nil
		}
		evidence, err := engine.Why(readings, faults, s.Beside)
		if err != nil {
			return err
		}
		answer.Evidence = append(answer.Evidence, held{Suspect: s.Name, Place: s.Place, Readings: evidence})
	}
	return printJSON(cmd, answer)
}

// explained is a diagnosis with the readings held against its first suspects.
type explained struct {
	*diagnosis.Result
	Evidence []held `json:"evidence"`
}

type held struct {
	Suspect  string               `json:"suspect"`
	Place    string               `json:"place"`
	Readings []diagnosis.Evidence `json:"readings"`
}

// parsed reads a file about the circuit; the zero value where none is named.
func parsed[T any](
	cmd *cobra.Command,
	name string,
	c *circuit.Circuit,
	parse func([]byte, *circuit.Circuit) (T, error),
) (T, error) {
	var none T
	if name == "" {
		return none, nil
	}
	data, err := input(cmd, name)
	if err != nil {
		return none, err
	}
	value, err := parse(data, c)
	if err != nil {
		return none, fmt.Errorf("%s: %w", name, err)
	}
	return value, nil
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
