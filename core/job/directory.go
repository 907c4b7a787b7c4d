package job

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"

	"elvat/core/strict"
)

// A DirectoryRow is one line of a panel's directory.
type DirectoryRow struct {
	Breaker string  `json:"breaker"`
	Amps    float64 `json:"amps,omitempty"`
	Serves  string  `json:"serves"`
	Checked bool    `json:"checked,omitempty"` // found on a call, not only written there
}

// Directory is a panel's directory. What is written in panels is often wrong: a
// row counts as checked only once its breaker was found.
// Source: NEC 408.4(A) asks for every circuit to be named (from memory).
type Directory []DirectoryRow

// mostRows bounds a panel. Assumption.
const mostRows = 120

// Check reports what is wrong with the directory.
func (d Directory) Check() error {
	if len(d) > mostRows {
		return fmt.Errorf("directory: %d rows; at most %d", len(d), mostRows)
	}
	seen := map[string]bool{}
	for i, r := range d {
		switch {
		case strings.TrimSpace(r.Breaker) == "":
			return fmt.Errorf("directory[%d]: breaker is missing", i)
		case seen[r.Breaker]:
			return fmt.Errorf("directory[%d]: breaker %s stands there twice", i, r.Breaker)
		case r.Amps < 0 || r.Amps > 400:
			return fmt.Errorf("directory[%d]: %g A is out of bounds", i, r.Amps)
		}
		if err := strict.Name(fmt.Sprintf("directory[%d]: breaker", i), r.Breaker); err != nil {
			return err
		}
		if err := strict.Text(fmt.Sprintf("directory[%d]: serves", i), r.Serves); err != nil {
			return err
		}
		seen[r.Breaker] = true
	}
	return nil
}

// With is the directory with a breaker found to serve something.
func (d Directory) With(breaker string, amps float64, serves string) Directory {
	row := DirectoryRow{Breaker: breaker, Amps: amps, Serves: serves, Checked: true}
	all := slices.Clone(d)
	if i := slices.IndexFunc(all, func(r DirectoryRow) bool { return r.Breaker == breaker }); i >= 0 {
		all[i] = row
	} else {
		all = append(all, row)
	}
	slices.SortStableFunc(all, func(a, b DirectoryRow) int { return byNumber(a.Breaker, b.Breaker) })
	return all
}

// byNumber orders breakers as they are counted, words after numbers.
func byNumber(a, b string) int {
	x, errX := strconv.Atoi(a)
	y, errY := strconv.Atoi(b)
	switch {
	case errX == nil && errY == nil:
		return x - y
	case errX == nil:
		return -1
	case errY == nil:
		return 1
	}
	return cmp.Compare(a, b)
}

// A Strength is what a receiver shows over one breaker, 0 to 10.
type Strength struct {
	Breaker string `json:"breaker"`
	Level   int    `json:"level"`
}

// Trace is what a receiver shows over the breakers while its transmitter is
// plugged into an outlet of the given one. The first pass teaches it the panel:
// it answers over many. Only the second counts. Common practice, no source; the
// levels are a simulation.
func Trace(d Directory, breaker string, pass int, r *rand.Rand) []Strength {
	own := slices.IndexFunc(d, func(row DirectoryRow) bool { return row.Breaker == breaker })
	all := make([]Strength, 0, len(d))
	for i, row := range d {
		far := max(i-own, own-i)
		level := 0
		switch {
		case own < 0:
		case pass < 2:
			level = max(0, 9-far+r.IntN(4)-2)
		case far == 0:
			level = 10
		case far <= 2:
			level = r.IntN(4)
		}
		all = append(all, Strength{row.Breaker, min(level, 10)})
	}
	return all
}
