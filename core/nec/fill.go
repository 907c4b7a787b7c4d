package nec

import (
	"fmt"
	"slices"

	"elvat/core/wire"
)

// FillItem is one line of a box-fill sum.
type FillItem struct {
	What  string           `json:"what"`
	Count float64          `json:"count"`
	Each  wire.CubicInches `json:"each"`
	In3   wire.CubicInches `json:"in3"`
}

// Contents are what counts in a box.
type Contents struct {
	Insulated []wire.Gauge // each conductor that ends or is spliced in the box
	Passing   []wire.Gauge // each that passes through unbroken
	Grounds   []wire.Gauge
	Clamps    bool         // any internal cable clamps
	Fittings  int          // studs and hickeys
	Devices   []wire.Gauge // for each yoke the largest conductor on it
}

// Fill is the room the contents need.
// Source: NEC 314.16(B) (from memory).
func (b Book) Fill(c Contents) (items []FillItem, total wire.CubicInches) {
	add := func(what string, count float64, each wire.CubicInches) {
		if count > 0 {
			items = append(items, FillItem{what, count, each, wire.CubicInches(count) * each})
			total += wire.CubicInches(count) * each
		}
	}
	count := func(all []wire.Gauge, g wire.Gauge) (n float64) {
		for _, have := range all {
			if have == g {
				n++
			}
		}
		return n
	}
	for _, g := range wire.Gauges {
		add(fmt.Sprintf("%d AWG conductors", g), count(c.Insulated, g), g.Fill())
		add(fmt.Sprintf("%d AWG conductors passing through", g), count(c.Passing, g), g.Fill())
	}
	largest := Largest(slices.Concat(c.Insulated, c.Passing, c.Grounds))
	if c.Clamps {
		add("clamps inside, all together", 1, largest.Fill())
	}
	add("studs and hickeys", float64(c.Fittings), largest.Fill())
	for _, g := range wire.Gauges {
		add(fmt.Sprintf("devices, two %d AWG conductors each", g), 2*count(c.Devices, g), g.Fill())
	}
	if n := len(c.Grounds); n > 0 {
		g := Largest(c.Grounds)
		add("ground wires, all together", 1, g.Fill())
		if b.Edition >= 2020 && n > groundsInOne {
			add("ground wires beyond four, a quarter each", float64(n-groundsInOne), g.Fill()/4)
		}
	}
	return items, total
}

// groundsInOne is how many ground wires count as one from 2020 on.
// Source: NEC 314.16(B)(5), 2020 (from memory).
const groundsInOne = 4

// Largest is the thickest of the gauges; zero for none.
func Largest(all []wire.Gauge) wire.Gauge {
	if len(all) == 0 {
		return 0
	}
	return slices.Min(all)
}

// Limits of the opening and of what comes out of it.
// Source: NEC 300.14, 314.20, 314.21 (from memory).
const (
	LeastFromSheath wire.Inches = 6
	LeastPastFace   wire.Inches = 3
	MostSetback     wire.Inches = 0.25  // in a wall that does not burn
	MostGap         wire.Inches = 0.125 // round the box
)
