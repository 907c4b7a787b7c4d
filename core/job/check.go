package job

import (
	"fmt"
	"slices"

	"elvat/core/circuit"
	"elvat/core/tester"
)

// A Status says how a reading stands against its prediction.
type Status string

// States of a check.
const (
	NotRead Status = "not-read"
	Agrees  Status = "agrees"
	Differs Status = "differs"
)

// A Check is one reading that proves the finished work: what is predicted, and
// what was measured.
type Check struct {
	At        string          `json:"at"`
	Half      circuit.Half    `json:"half,omitempty"`
	Box       string          `json:"box"`
	Label     string          `json:"label"`
	Tool      tester.Tool     `json:"tool"`
	Why       string          `json:"why"`
	Tripped   []string        `json:"tripped,omitempty"` // what is tripped while it is taken
	Predicted tester.Reading  `json:"predicted"`
	Expected  tester.Delta    `json:"expected"`
	Says      string          `json:"says"` // the prediction in words
	Measured  *tester.Reading `json:"measured,omitempty"`
	Seen      *tester.Delta   `json:"seen,omitempty"`
	SaysSeen  string          `json:"saysSeen,omitempty"`
	Status    Status          `json:"status"`
}

// Stays names a device that must not go off unseen, and on which box's GFCI it
// must not hang.
type Stays struct {
	Device string
	GFCI   string
}

// Checks lists the readings that prove the work on the run: both halves of every
// outlet at the touched boxes and beyond, every GFCI by its own button, each
// protection again from the last outlet behind it, and what must stay on while
// a GFCI is tripped. touched is empty where any outlet could be; readings are
// those since the work was done.
func Checks(c *circuit.Circuit, touched []string, stays []Stays, readings []tester.Reading) ([]Check, error) {
	healthy := c.Clone()
	healthy.Faults, healthy.State = nil, circuit.State{}
	healthy.Breaker.On = true
	for i := range healthy.Boxes {
		for j := range healthy.Boxes[i].Devices {
			healthy.Boxes[i].Devices[j].Tripped = false
		}
	}
	bench, err := tester.NewBench(healthy)
	if err != nil {
		return nil, err
	}
	condition, err := bench.Try(nil)
	if err != nil {
		return nil, err
	}
	p := prover{c: healthy, condition: condition, touched: touched, readings: readings}
	if err := p.outlets(bench.Outlets()); err != nil {
		return nil, err
	}
	if err := p.guards(bench.Outlets()); err != nil {
		return nil, err
	}
	if err := p.staying(stays); err != nil {
		return nil, err
	}
	// Differences first, then what is not read yet.
	order := map[Status]int{Differs: 0, NotRead: 1, Agrees: 2}
	slices.SortStableFunc(p.checks, func(a, b Check) int { return order[a.Status] - order[b.Status] })
	return p.checks, nil
}

type prover struct {
	c         *circuit.Circuit
	condition *tester.Condition
	touched   []string
	readings  []tester.Reading
	checks    []Check
}

func (p *prover) concerns(box string) bool {
	if len(p.touched) == 0 {
		return true
	}
	return slices.ContainsFunc(p.c.Upstream(box), func(up string) bool { return slices.Contains(p.touched, up) })
}

// add takes a check in and looks for its reading, the latest first.
func (p *prover) add(k Check, predicted tester.Reading) {
	predicted.Round()
	k.Predicted, k.Expected, k.Says = predicted, predicted.Delta(tester.Default), predicted.Words(p.c)
	k.Status = NotRead
	for i := len(p.readings) - 1; i >= 0; i-- {
		r := p.readings[i]
		if r.At != k.At || r.Tool != k.Tool || k.Half != "" && r.Half != k.Half || r.Doubtful ||
			!sameState(r.State, k.Tripped) {
			continue
		}
		seen := r.Delta(tester.Default)
		k.Measured, k.Seen, k.SaysSeen, k.Status = &r, &seen, r.Words(p.c), Differs
		if r.Agrees(&predicted) {
			k.Status = Agrees
		}
		break
	}
	p.checks = append(p.checks, k)
}

// sameState reports whether a reading was taken with those GFCIs tripped.
func sameState(s *tester.State, tripped []string) bool {
	if s == nil {
		return len(tripped) == 0
	}
	if s.BreakerOn != nil && !*s.BreakerOn {
		return false
	}
	return slices.Equal(s.Tripped, tripped) || len(s.Tripped) == 0 && len(tripped) == 0
}

func (p *prover) outlets(outlets []circuit.Outlet) error {
	for _, o := range outlets {
		_, box := p.c.Device(o.Device)
		if !p.concerns(box.ID) {
			continue
		}
		tool, mode := tester.Plug, tester.Mode("")
		if !o.HasGround {
			tool, mode = tester.Meter, tester.HighZ
		}
		r, err := p.condition.Read(o, tool, mode)
		if err != nil {
			return err
		}
		why := "fed from what was touched"
		if len(p.touched) == 0 || slices.Contains(p.touched, box.ID) {
			why = "both halves of every device touched"
		}
		p.add(Check{At: o.Device, Half: o.Half, Box: box.ID, Label: p.c.LabelOf(box.ID), Tool: tool, Why: why}, r)
	}
	return nil
}

// guards asks for every GFCI's own button, and for a trip from the last outlet
// with a ground behind it.
func (p *prover) guards(outlets []circuit.Outlet) error {
	w, err := circuit.Wire(p.c)
	if err != nil {
		return err
	}
	feeds := w.Feeds()
	last := map[string]circuit.Outlet{}
	for _, o := range outlets {
		v, box := p.c.Device(o.Device)
		if !p.concerns(box.ID) || o.Half != circuit.Top {
			continue
		}
		if v.Kind == circuit.GFCI {
			r, err := p.condition.Read(o, tester.DeviceButton, "")
			if err != nil {
				return err
			}
			p.add(
				Check{
					At:    v.ID,
					Box:   box.ID,
					Label: p.c.LabelOf(box.ID),
					Tool:  tester.DeviceButton,
					Why:   "every GFCI by its own button",
				},
				r,
			)
		}
		if !o.HasGround || !p.c.GroundArrives(box.ID) {
			continue
		}
		for _, name := range feeds.Guards(v.Second(circuit.Hot)) {
			last[name] = o
		}
	}
	done := map[string]bool{}
	for _, o := range outlets {
		for name, at := range last {
			if at.Device != o.Device || at.Half != o.Half || done[o.Device] {
				continue
			}
			done[o.Device] = true
			r, err := p.condition.Read(o, tester.PlugButton, "")
			if err != nil {
				return err
			}
			_, box := p.c.Device(o.Device)
			who := name
			if name == circuit.Panel {
				who = "the breaker"
			}
			p.add(
				Check{
					At:    o.Device,
					Half:  o.Half,
					Box:   box.ID,
					Label: p.c.LabelOf(box.ID),
					Tool:  tester.PlugButton,
					Why:   "the last outlet behind " + who,
				},
				r,
			)
		}
	}
	return nil
}

// staying asks that what must not go off is on while the GFCI is tripped.
func (p *prover) staying(stays []Stays) error {
	for _, s := range stays {
		v, box := p.c.Device(s.Device)
		if v == nil || !p.concerns(box.ID) {
			continue
		}
		tripped := []string{s.GFCI}
		state := tester.State{Tripped: tripped}
		in, err := state.On(p.c)
		if err != nil {
			return fmt.Errorf("%s: %w", s.Device, err)
		}
		bench, err := tester.NewBench(in)
		if err != nil {
			return err
		}
		condition, err := bench.Try(nil)
		if err != nil {
			return err
		}
		o, _ := bench.Outlet(s.Device, circuit.Top)
		r, err := condition.Read(o, tester.Lamp, "")
		if err != nil {
			return err
		}
		p.add(
			Check{
				At:      s.Device,
				Half:    circuit.Top,
				Box:     box.ID,
				Label:   p.c.LabelOf(box.ID),
				Tool:    tester.Lamp,
				Tripped: tripped,
				Why:     "stays on while " + s.GFCI + " is tripped",
			},
			r,
		)
	}
	return nil
}
