package main

import (
	"bufio"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/drill"
	"elvat/core/job"
	"elvat/core/tester"
)

func drillPlayCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "play FILE",
		Short: "Play a scene at the terminal, a line for each thing done",
		Long: "Play a scene (elvat-drill/1) at the terminal. A line is a command, such as: " +
			"plug R3 bottom; sensor R3; meter R3 top low; lamp R3; load R3; button R3; unplug; reset R1; off; dead B3; open B3; " +
			"wires B3; take W2@B3.hot R3.neutral.1; put W2@B3.hot R3.hot.1; strip 0.75; connector splice:hot 3; new; close B3; on; advice; done; give-up. " +
			"help lists them. The drill ends with done or give-up, or with an act that would have hurt; then its score is printed.",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			in := bufio.NewScanner(cmd.InOrStdin())
			data, err := os.ReadFile(args[0])
			if err != nil {
				return err
			}
			scene, err := drill.Parse(data)
			if err != nil {
				return err
			}
			return play(&terminal{d: &drill.Drill{Scene: scene}, out: cmd.OutOrStdout(), now: time.Now}, in)
		},
	}
}

// terminal is a drill at the terminal.
type terminal struct {
	d       *drill.Drill
	out     io.Writer
	now     func() time.Time
	journal job.Journal
	wired   *drill.Wired
	box     string // in hand
}

func (t *terminal) say(format string, args ...any) { fmt.Fprintf(t.out, format+"\n", args...) }

// play reads commands until the drill is over or the input is.
func play(t *terminal, in *bufio.Scanner) error {
	s := t.d.Scene
	t.say("%s. %s", s.Name, s.Complaint.Words)
	t.say("A drill: testers are simulated, nothing here is live.")
	for _, stop := range s.Circuit.Stops() {
		for _, v := range stop.Devices {
			t.say("  %-4s %-4s %s, from %s", stop.Box, v.ID, stop.Label, s.Circuit.LabelOf(stop.From))
		}
	}
	for in.Scan() {
		words := strings.Fields(in.Text())
		if len(words) == 0 || strings.HasPrefix(words[0], "#") {
			continue
		}
		if err := t.do(words); err != nil {
			t.say("? %v", err)
		}
		last, over := t.d.Over()
		if !over {
			continue
		}
		if last.Stop != nil {
			t.say("STOPPED. %s\n%s\n%s", last.Stop.Did, last.Stop.Would, last.Stop.Rule)
		}
		return t.score()
	}
	return in.Err()
}

// tools by what is typed.
var typedTools = map[string]tester.Tool{
	"plug": tester.Plug, "meter": tester.Meter, "sensor": tester.Sensor, "lamp": tester.Lamp, "load": tester.Analyzer,
	"button": tester.PlugButton, "own-button": tester.DeviceButton,
}

var typedActs = map[string]tester.ActName{
	"unplug": tester.UnplugAll, "switches": tester.SwitchesOn, "gfcis": tester.AllGFCIs, "reset-breaker": tester.ResetBreaker, "reset": tester.Reset,
}

func (t *terminal) do(words []string) error {
	word := func(i int) string {
		if i < len(words) {
			return words[i]
		}
		return ""
	}
	if tool, ok := typedTools[words[0]]; ok {
		r := tester.Reading{Tool: tool, At: word(1), Half: circuit.Top}
		if slices.Contains(words, "bottom") {
			r.Half = circuit.Bottom
		}
		if tool == tester.Meter {
			r.Mode = tester.HighZ
			if slices.Contains(words, "low") {
				r.Mode = tester.LowZ
			}
		}
		return t.put(r)
	}
	if act, ok := typedActs[words[0]]; ok {
		return t.put(tester.Reading{Tool: tester.Act, Act: act, At: word(1)})
	}
	switch words[0] {
	case "ohms":
		return t.put(tester.Reading{Tool: tester.Ohms, Between: &[2]string{word(1), word(2)}})
	case "plate":
		return t.put(tester.Reading{Tool: tester.Hint, Hint: tester.LivePlate, Site: word(1)})
	case "off", "on":
		deed, kind := drill.Off, job.BreakerOff
		if words[0] == "on" {
			deed, kind = drill.On, job.BreakerOn
		}
		t.journal = append(t.journal, job.Entry{Kind: kind, Secured: "lock"})
		return t.take(t.d.Do(deed))
	case "dead":
		return t.dead(word(1))
	case "open":
		return t.put(tester.Reading{Tool: tester.Eyes, Site: word(1)})
	case "advice":
		if err := t.take(t.d.Do(drill.Advice)); err != nil {
			return err
		}
		return t.advice()
	case "done":
		return t.take(t.d.HandItOver())
	case "give-up":
		return t.take(t.d.Do(drill.GiveUp))
	case "help":
		t.say("plug meter sensor lamp load button own-button DEVICE [bottom] [low]; ohms POINT POINT; plate BOX; unplug switches gfcis reset-breaker; reset DEVICE; " +
			"off on; dead BOX; open BOX; wires BOX; put POINT POINT; take POINT POINT; strip INCHES; connector SPLICE WIRES; new; close BOX; advice; done; give-up")
		return nil
	}
	return t.wire(words[0], word(1), word(2))
}

// put puts something on and says what it shows.
func (t *terminal) put(r tester.Reading) error {
	step, err := t.d.Put(r, drill.ProofOf(t.journal, t.d.Scene.Circuit))
	if err := t.take(step, err); err != nil || step.Stop != nil {
		return err
	}
	t.say("%s", step.Reading.Line(t.d.Scene.Circuit))
	return nil
}

func (t *terminal) take(step *drill.Step, err error) error {
	if err != nil {
		return err
	}
	step.At = t.now()
	t.d.Steps = append(t.d.Steps, *step)
	return nil
}

// dead is live, dead, live at the slots and at the wires.
func (t *terminal) dead(box string) error {
	volts := 120.0
	proven := job.Entry{Kind: job.Proven, Tester: "meter", Source: "a live outlet", Volts: &volts}
	for _, stage := range []job.Stage{job.Installed, job.DeviceOut} {
		t.journal = append(t.journal, proven)
		shown, step, err := t.d.Dead(box)
		if err := t.take(step, err); err != nil {
			return err
		}
		e := job.Entry{Kind: job.DeadTest, Box: box, Stage: stage, Dead: shown}
		t.journal = append(t.journal, e)
		if live := e.Live(t.d.Scene.Circuit); live != "" {
			t.say("Not dead: %s", live)
			return nil
		}
	}
	t.journal = append(t.journal, proven)
	t.say("Live, dead, live at the slots and at the wires of %s.", t.d.Scene.Circuit.LabelOf(box))
	return nil
}

// wire is done in an opened box.
func (t *terminal) wire(what, one, other string) error {
	if what == "wires" {
		o, err := t.d.Open(one)
		if err != nil {
			return err
		}
		t.box, t.wired = one, &o.Wired
		for _, words := range o.Seen {
			t.say("Seen: %s", words)
		}
		for _, p := range append(slices.Clone(o.Wires), o.Places...) {
			t.say("  %-18s %s", p.Name, p.Words)
		}
		for _, p := range o.Wired.Pairs {
			t.say("  joined: %s %s", p[0], p[1])
		}
		return nil
	}
	if t.wired == nil {
		return fmt.Errorf("%q: no such command, or no box in hand: wires BOX first; help lists them", what)
	}
	w := t.wired
	pair := func(p [2]string) bool {
		return p == [2]string{one, other} || p == [2]string{other, one}
	}
	switch what {
	case "put":
		w.Pairs, w.Remade = append(w.Pairs, [2]string{one, other}), append(w.Remade, one, other)
	case "take":
		n := len(w.Pairs)
		if w.Pairs = slices.DeleteFunc(w.Pairs, pair); len(w.Pairs) == n {
			return fmt.Errorf("%s and %s are not joined", one, other)
		}
	case "strip":
		inches, err := strconv.ParseFloat(one, 64)
		if err != nil {
			return fmt.Errorf("strip: %q is no length in inches", one)
		}
		w.StripIn = drill.Inches(inches)
	case "connector":
		n, err := strconv.Atoi(other)
		if err != nil {
			return fmt.Errorf("connector: for how many wires?")
		}
		if w.Connectors == nil {
			w.Connectors = map[string]int{}
		}
		w.Connectors[one] = n
	case "new":
		w.New = true
	case "mark":
		w.Marked = append(w.Marked, one)
	case "close":
		step, err := t.d.Judge(t.box, w)
		if err := t.take(step, err); err != nil {
			return err
		}
		if step.Judged.Right {
			t.say("It is right: every wire has its place.")
			return nil
		}
		for _, wrong := range step.Judged.Wrong {
			t.say("Wrong: %s", wrong)
		}
		for _, s := range step.Judged.Shown {
			t.say("Wrong: at %s, %s, a tester would show %s; it should show %s", s.Label, s.Half, s.Shows, s.Should)
		}
	default:
		return fmt.Errorf("%q: no such command; help lists them", what)
	}
	return nil
}

// advice is what is advised on what was read so far.
func (t *terminal) advice() error {
	engine, err := diagnosis.NewEnsemble(t.d.Scene.Circuit, t.d.Scene.Map, t.d.Scene.Settings())
	if err != nil {
		return err
	}
	result, err := engine.Diagnose(t.d.Readings())
	if err != nil {
		return err
	}
	for i, s := range result.Suspects {
		if i < 3 {
			t.say("%3.0f %%  %s at %s", 100*s.Probability, s.Name, t.d.Scene.Circuit.LabelOf(s.Site))
		}
	}
	if len(result.Next) > 0 {
		t.say("%s. %s", result.Next[0].Say, result.Next[0].Why)
	}
	return nil
}

func (t *terminal) score() error {
	y, err := t.d.Scene.Measure()
	if err != nil {
		return err
	}
	s, err := t.d.Score(y)
	if err != nil {
		return err
	}
	t.say("\n%d of 100. %.1f min, boxes opened %d; the best path %.1f min and %d, box by box upstream %.1f min and %d.", s.Points, s.Minutes, s.Boxes, s.Best, s.BestBoxes, s.Walk, s.WalkBoxes)
	t.say("It was: %s", strings.Join(s.Was, "; "))
	for i, r := range s.Replay {
		t.say("%2d  %s (%.1f min, %.1f bits)", i+1, r.Words, r.Minutes, r.Told)
		for _, m := range r.Mistakes {
			t.say("      %s", m.Words())
		}
		if r.Better != "" {
			t.say("      worth more then: %s", r.Better)
		}
	}
	return nil
}
