// Package drill makes scenes to learn on: a circuit with something hidden in it, whose testers
// are simulated, so that nobody is hurt by a wrong test. A scene is drawn by theme and level
// from a seed, or read from a file that somebody made.
package drill

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/fault"
	"elvat/core/runs"
	"elvat/core/strict"
	"elvat/core/tester"
)

// Format is the name and version of a scene's file.
const Format = "elvat-drill/1"

// A Complaint is what the call came in by.
type Complaint struct {
	At    string       `json:"at"`
	Half  circuit.Half `json:"half"`
	Tool  tester.Tool  `json:"tool"` // that it was noticed by
	Words string       `json:"words"`
}

// Hidden is one thing that is wrong.
type Hidden struct {
	Faults []circuit.Fault `json:"faults"`
	Sites  []string        `json:"sites"` // the boxes, cables or the panel in which it can be found
}

// A Plugged thing draws current where nobody wrote it down.
type Plugged struct {
	At    string       `json:"at"`
	Half  circuit.Half `json:"half"`
	Watts float64      `json:"watts"`
}

// A Scene is a call to learn on. The circuit is what the learner knows.
type Scene struct {
	Format     string               `json:"format"`
	Name       string               `json:"name"`
	Theme      Theme                `json:"theme,omitempty"`
	Level      int                  `json:"level,omitempty"` // 1 to 4
	Seed       uint64               `json:"seed,omitempty"`  // that it was drawn from
	Complaint  Complaint            `json:"complaint"`
	Conditions diagnosis.Conditions `json:"conditions"`
	Map        runs.Map             `json:"map"`
	Document   json.RawMessage      `json:"circuit"` // elvat-circuit/1
	Hidden     []Hidden             `json:"hidden"`
	Plugged    []Plugged            `json:"plugged,omitempty"`

	// Circuit is the document's.
	Circuit *circuit.Circuit `json:"-"`
}

// Bounds. Assumption.
const (
	mostHidden  = 4
	mostPlugged = 8
	lastLevel   = 4
)

// Parse reads a scene. Errors name the place and what is wrong there.
func Parse(data []byte) (*Scene, error) {
	s := &Scene{}
	if err := strict.Unmarshal(data, s); err != nil {
		return nil, fmt.Errorf("drill: %w", err)
	}
	var err error
	if s.Circuit, err = circuit.Parse(s.Document); err != nil {
		return nil, fmt.Errorf("drill: circuit: %w", err)
	}
	if err := s.Check(); err != nil {
		return nil, fmt.Errorf("drill: %w", err)
	}
	return s, nil
}

// Check reports the first thing that cannot be, naming the place.
func (s *Scene) Check() error {
	switch {
	case s.Format != Format:
		return fmt.Errorf("format: %q, want %q", s.Format, Format)
	case strings.TrimSpace(s.Name) == "":
		return fmt.Errorf("name: what place is it?")
	case s.Theme != "" && !slices.Contains(Themes, s.Theme):
		return fmt.Errorf("theme: %q is none of %v", s.Theme, Themes)
	case s.Level < 0 || s.Level > lastLevel:
		return fmt.Errorf("level: %d is out of bounds, 1 to %d", s.Level, lastLevel)
	case len(s.Circuit.Faults) > 0:
		return fmt.Errorf("circuit.faults: what is wrong stands under hidden")
	case len(s.Hidden) == 0 || len(s.Hidden) > mostHidden:
		return fmt.Errorf("hidden: %d things; 1 to %d", len(s.Hidden), mostHidden)
	case len(s.Plugged) > mostPlugged:
		return fmt.Errorf("plugged: %d things; at most %d", len(s.Plugged), mostPlugged)
	}
	if v, _ := s.Circuit.Device(s.Complaint.At); v == nil || !slices.Contains(circuit.Halves, s.Complaint.Half) {
		return fmt.Errorf("complaint.at: %q, %s half: the circuit has no such outlet", s.Complaint.At, s.Complaint.Half)
	}
	if err := s.Conditions.Check(s.Circuit); err != nil {
		return fmt.Errorf("conditions: %w", err)
	}
	if err := s.Map.Check(s.Circuit); err != nil {
		return fmt.Errorf("map: %w", err)
	}
	for i, h := range s.Hidden {
		if len(h.Faults) == 0 || len(h.Sites) == 0 {
			return fmt.Errorf("hidden[%d]: faults and sites are needed", i)
		}
		for k, f := range h.Faults {
			if err := s.Circuit.CheckFault(f); err != nil {
				return fmt.Errorf("hidden[%d].faults[%d]: %w", i, k, err)
			}
		}
		for k, site := range h.Sites {
			if site != circuit.Panel && s.Circuit.Box(site) == nil && s.Circuit.Cable(site) == nil {
				return fmt.Errorf("hidden[%d].sites[%d]: %q is no box and no cable", i, k, site)
			}
		}
	}
	_, err := s.Truth()
	return err
}

// Truth is the circuit as it is, with what nobody knows.
func (s *Scene) Truth() (*circuit.Circuit, error) {
	c := s.Circuit.Clone()
	for i, p := range s.Plugged {
		if err := c.AddLoad(p.At, p.Half, p.Watts); err != nil {
			return nil, fmt.Errorf("plugged[%d]: %w", i, err)
		}
	}
	c.Faults = s.faults()
	return c, c.Check()
}

func (s *Scene) faults() []circuit.Fault {
	var all []circuit.Fault
	for _, h := range s.Hidden {
		all = append(all, h.Faults...)
	}
	return all
}

// Encode writes it as a file.
func (s *Scene) Encode() ([]byte, error) {
	document, err := s.Circuit.Encode()
	if err != nil {
		return nil, err
	}
	out := *s
	out.Document = document
	return json.MarshalIndent(out, "", "  ")
}

// hidden is one thing that is wrong, with where it is found.
func hidden(c *circuit.Circuit, faults ...circuit.Fault) Hidden {
	return Hidden{Faults: faults, Sites: []string{fault.Site(c, faults)}}
}
