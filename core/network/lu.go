package network

import (
	"errors"
	"math/cmplx"
)

// errSingular means that a node hangs on nothing; LeakOhms prevents it.
var errSingular = errors.New("network: the equations have no unique solution")

// pivotThreshold is how much smaller than the largest of its column a pivot
// may be when it saves fill-in.
const pivotThreshold = 0.1

type entry struct {
	col   int
	value complex128
}

// factors is a sparse LU factorisation: for each step the pivot, what the
// pivot row takes from the rows below, and the rest of the pivot row.
type factors struct {
	size  int
	steps []step
}

type step struct {
	row, col int
	pivot    complex128
	lower    []entry // rows below: col holds the row, value the multiplier
	upper    []entry // the pivot row without the pivot
}

// factor eliminates the rows in place: a sparse LU, ordered by degree (Markowitz,
// Management Science 3, 1957; from memory). Columns with the fewest entries go
// first, and of those the rows with the fewest: circuits are trees, so there
// is hardly any fill-in.
func factor(rows [][]entry) (*factors, error) {
	n := len(rows)
	f := &factors{size: n, steps: make([]step, 0, n)}
	inCol := make([][]int, n) // rows that have, or had, an entry in the column
	count := make([]int, n)
	for i, row := range rows {
		for _, e := range row {
			inCol[e.col] = append(inCol[e.col], i)
			count[e.col]++
		}
	}
	rowDone, colDone := make([]bool, n), make([]bool, n)
	at := make([]int, n) // position of a column in the row being changed, plus one
	for range n {
		col := -1
		for c := range n {
			if !colDone[c] && (col < 0 || count[c] < count[col]) {
				col = c
				if count[c] <= 1 {
					break
				}
			}
		}
		row := pickRow(rows, inCol[col], rowDone, col)
		if row < 0 {
			return nil, errSingular
		}
		rowDone[row], colDone[col] = true, true
		s := step{row: row, col: col}
		for _, e := range rows[row] {
			count[e.col]--
			if e.col == col {
				s.pivot = e.value
			} else {
				s.upper = append(s.upper, e)
			}
		}
		for _, i := range inCol[col] {
			if rowDone[i] {
				continue
			}
			value, ok := remove(&rows[i], col)
			if !ok {
				continue
			}
			m := value / s.pivot
			s.lower = append(s.lower, entry{i, m})
			for k, e := range rows[i] {
				at[e.col] = k + 1
			}
			for _, e := range s.upper {
				if k := at[e.col]; k > 0 {
					rows[i][k-1].value -= m * e.value
					continue
				}
				rows[i] = append(rows[i], entry{e.col, -m * e.value})
				inCol[e.col] = append(inCol[e.col], i)
				count[e.col]++
			}
			for _, e := range rows[i] {
				at[e.col] = 0
			}
			dropZeros(&rows[i], count)
		}
		f.steps = append(f.steps, s)
	}
	return f, nil
}

// pickRow chooses the shortest row whose entry in the column is large enough.
func pickRow(rows [][]entry, candidates []int, done []bool, col int) int {
	largest := 0.0
	for _, i := range candidates {
		if !done[i] {
			largest = max(largest, cmplx.Abs(find(rows[i], col)))
		}
	}
	best := -1
	for _, i := range candidates {
		if done[i] {
			continue
		}
		if a := cmplx.Abs(find(rows[i], col)); a > 0 && a >= pivotThreshold*largest &&
			(best < 0 || len(rows[i]) < len(rows[best])) {
			best = i
		}
	}
	return best
}

func find(row []entry, col int) complex128 {
	for _, e := range row {
		if e.col == col {
			return e.value
		}
	}
	return 0
}

func remove(row *[]entry, col int) (complex128, bool) {
	r := *row
	for k, e := range r {
		if e.col == col {
			r[k] = r[len(r)-1]
			*row = r[:len(r)-1]
			return e.value, true
		}
	}
	return 0, false
}

// dropZeros removes entries that cancelled exactly, as the ones of a
// conductor's two ends do.
func dropZeros(row *[]entry, count []int) {
	r := (*row)[:0]
	for _, e := range *row {
		if e.value == 0 {
			count[e.col]--
			continue
		}
		r = append(r, e)
	}
	*row = r
}

// solve overwrites b with the work of the forward pass and puts the solution in x.
func (f *factors) solve(b, x []complex128) {
	for i := range f.steps {
		s := &f.steps[i]
		if v := b[s.row]; v != 0 {
			for _, e := range s.lower {
				b[e.col] -= e.value * v
			}
		}
	}
	for i := len(f.steps) - 1; i >= 0; i-- {
		s := &f.steps[i]
		v := b[s.row]
		for _, e := range s.upper {
			v -= e.value * x[e.col]
		}
		x[s.col] = v / s.pivot
	}
}
