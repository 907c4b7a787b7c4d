package job

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
)

// A Search is how far finding the breaker of an outlet has come by switching breakers off
// in halves and looking whether the outlet goes dead. What must not go off is asked first.
type Search struct {
	// Asked reports that it was said what must not go off.
	Asked bool `json:"asked"`
	// Stay are the breakers that must not go off; none of them is proposed.
	Stay []string `json:"stay"`
	// Left are the breakers that may still be it, the likeliest first.
	Left []string `json:"left"`
	// Off are to be off for the next look, all others on; empty where there is nothing to ask.
	Off []string `json:"off"`
	Why string   `json:"why"`
	// Found is the breaker it is; "" while more than one may be.
	Found string `json:"found,omitempty"`
}

// Weights of a breaker in the search. Assumption: the run's own label is right more often
// than not, a directory that names a room of the run is a hint, and a blank row says nothing.
const (
	asTheRunSays   = 8.0
	asWrittenThere = 4.0
	blankRow       = 2.0
	otherRow       = 1.0
)

// SearchBreaker says which breakers to switch off next to find the one that feeds the run.
// Run is the label that the run says, rooms what its outlets are called.
func (j Journal) SearchBreaker(d Directory, run string, rooms []string) Search {
	s := Search{Stay: []string{}, Left: []string{}, Off: []string{}}
	weight := map[string]float64{}
	for _, row := range d {
		s.Left = append(s.Left, row.Breaker)
		weight[row.Breaker] = weighRow(row, run, rooms)
	}
	looks := 0
	for _, e := range j.standing() {
		switch {
		case e.Kind == MustStay:
			s.Asked, s.Stay = true, append(s.Stay, e.Breakers...)
		case e.Kind == Halved && e.WentDead != nil:
			looks++
			s.Left = slices.DeleteFunc(s.Left, func(b string) bool { return slices.Contains(e.Breakers, b) != *e.WentDead })
		}
	}
	slices.SortStableFunc(s.Left, func(a, b string) int { return cmp.Compare(weight[b], weight[a]) })
	may := slices.DeleteFunc(slices.Clone(s.Left), func(b string) bool { return slices.Contains(s.Stay, b) })
	switch {
	case len(s.Left) == 1 && looks > 0:
		s.Found = s.Left[0]
		s.Why = fmt.Sprintf("Breaker %s is the one: with it off the outlet is dead. Prove it so.", s.Found)
	case len(s.Left) == 0:
		s.Why = "None of the breakers here: another panel, a subpanel, or an answer that was wrong. Take one back, or begin again."
	case len(may) == 0:
		s.Why = fmt.Sprintf("Only what must not go off is left: breaker %s. Ask who it serves before it is switched off.", strings.Join(s.Left, ", "))
	case !s.Asked:
		s.Why = "First what must not go off: a medical device, an alarm, a sump pump, a freezer, a computer at work, somebody on the stairs."
	default:
		s.Off = half(may, s.Left, weight)
		s.Why = why(s.Off, s.Left, run)
	}
	return s
}

func weighRow(row DirectoryRow, run string, rooms []string) float64 {
	serves := strings.ToLower(strings.TrimSpace(row.Serves))
	switch {
	case row.Breaker == run && run != "":
		return asTheRunSays
	case serves == "":
		return blankRow
	case slices.ContainsFunc(rooms, func(room string) bool { return sharesWord(serves, strings.ToLower(room)) }):
		return asWrittenThere
	}
	return otherRow
}

// sharesWord reports whether both name the same room or thing: a word of four letters or more.
func sharesWord(one, other string) bool {
	for _, w := range strings.FieldsFunc(one, notLetter) {
		if len([]rune(w)) >= 4 && slices.Contains(strings.FieldsFunc(other, notLetter), w) {
			return true
		}
	}
	return false
}

func notLetter(r rune) bool { return strings.ContainsRune(" ,.;:/-()&", r) }

// half are the likeliest of those that may go off, until they weigh as much as the rest.
func half(may, left []string, weight map[string]float64) []string {
	whole := 0.0
	for _, b := range left {
		whole += weight[b]
	}
	var off []string
	sum := 0.0
	for _, b := range may {
		if len(off) > 0 && (sum+weight[b] > whole/2 && sum >= whole/4 || len(off)+1 >= len(left)) {
			break
		}
		off, sum = append(off, b), sum+weight[b]
	}
	slices.SortFunc(off, byNumber)
	return off
}

func why(off, left []string, run string) string {
	if len(off) == 1 {
		if off[0] == run {
			return fmt.Sprintf("The run says breaker %s: off alone it settles that at once.", run)
		}
		return fmt.Sprintf("%d may be it, and this one is the likeliest.", len(left))
	}
	return fmt.Sprintf("%d may be it. With these %d off the outlet is dead, or it is none of them: either way the rest is out.", len(left), len(off))
}
