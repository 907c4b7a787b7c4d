package trial

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/tester"
)

// A File is a case that no part of the product made: belief and truth differ,
// as on a call.
type File struct {
	ID        string            `json:"id"`
	Circuit   json.RawMessage   `json:"circuit"` // what the electrician knows
	Truth     json.RawMessage   `json:"truth"`   // what is there, without what is wrong
	Hidden    []circuit.Fault   `json:"hidden"`
	Groups    [][]circuit.Fault `json:"groups"` // of the faults, those found together
	Sites     [][]string        `json:"sites"`  // where each group can be found
	Complaint struct {
		At   string       `json:"at"`
		Half circuit.Half `json:"half"`
		Tool tester.Tool  `json:"tool"`
	} `json:"complaint"`
	WrongBoxes []string          `json:"wrongBoxes"`
	Readings   []json.RawMessage `json:"readings"` // what every tester shows at every outlet
}

// ReadCases reads all case files of a folder, in the order of their names.
func ReadCases(dir string) ([]File, error) {
	names, err := filepath.Glob(filepath.Join(dir, "*.json"))
	if err != nil {
		return nil, err
	}
	if len(names) == 0 {
		return nil, fmt.Errorf("%s: no case files in it", dir)
	}
	slices.Sort(names)
	var all []File
	for _, name := range names {
		data, err := os.ReadFile(name)
		if err != nil {
			return nil, err
		}
		var f File
		if err := json.Unmarshal(data, &f); err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		all = append(all, f)
	}
	return all, nil
}

// Play lets a simulated electrician follow what is proposed on the case: first
// the plug tester at the outlet complained of, then the tester that it was
// noticed by.
func (f *File) Play() (Outcome, error) {
	belief, err := circuit.Parse(f.Circuit)
	if err != nil {
		return Outcome{}, fmt.Errorf("case %s: circuit: %w", f.ID, err)
	}
	truth, err := circuit.Parse(f.Truth)
	if err != nil {
		return Outcome{}, fmt.Errorf("case %s: truth: %w", f.ID, err)
	}
	if len(f.Groups) != len(f.Sites) {
		return Outcome{}, fmt.Errorf("case %s: %d groups with the sites of %d", f.ID, len(f.Groups), len(f.Sites))
	}
	if v, _ := belief.Device(f.Complaint.At); v == nil {
		return Outcome{}, fmt.Errorf("case %s: complaint: at %q: no such device on its circuit", f.ID, f.Complaint.At)
	}
	s := &electrician{
		belief:   belief,
		truth:    truth,
		source:   Simulated,
		settings: diagnosis.Defaults(),
		r:        rand.New(rand.NewPCG(1, 80)),
		noHints:  true,
	}
	s.settings.Tools = tester.AtOutlets
	for i := range f.Groups {
		s.left = append(s.left, Hidden{Faults: f.Groups[i], Sites: f.Sites[i]})
	}
	for i, raw := range f.Readings {
		r, err := tester.ParseOne(raw, belief)
		if r.Tool == tester.Analyzer && err != nil {
			continue // it shows nothing there
		}
		if err != nil {
			return Outcome{}, fmt.Errorf("case %s: readings[%d]: %w", f.ID, i, err)
		}
		s.given = append(s.given, r)
	}
	for _, tool := range []tester.Tool{tester.Plug, f.Complaint.Tool} {
		i := slices.IndexFunc(s.given, func(r tester.Reading) bool {
			return r.Tool == tool && r.At == f.Complaint.At && (r.Half == f.Complaint.Half || tool == tester.DeviceButton)
		})
		if i >= 0 && !slices.ContainsFunc(s.readings, func(r tester.Reading) bool { return r.Tool == tool }) {
			s.readings = append(s.readings, s.given[i])
			s.note(s.given[i])
		}
	}
	s.at = s.boxOf(f.Complaint.At)
	if err := s.watch(&Case{Circuit: truth, Faults: f.Hidden}); err != nil {
		return Outcome{}, fmt.Errorf("case %s: hidden: %w", f.ID, err)
	}
	return s.run(f.WrongBoxes)
}

// note remembers a reading as taken.
func (s *electrician) note(r tester.Reading) {
	if s.misread == nil {
		s.misread = map[string]tester.Reading{}
	}
	s.misread[s.key(r.At, r.Half, r.Tool, r.Mode, nil)] = r
}
