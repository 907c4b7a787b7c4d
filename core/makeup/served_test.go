package makeup

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestToldApart: cables are called by where they go, never by a number, unless two go to
// the same place.
func TestToldApart(t *testing.T) {
	all := toldApart([]Cable{
		{ID: "W1", Role: Line, Serves: "shelves"},
		{ID: "W2", Role: Outgoing, Serves: "the fridge"},
		{ID: "W3", Role: Outgoing, Serves: "the fridge"},
		{ID: "W4", Role: Outgoing, Serves: "shelves"},
		{ID: "W5", Role: Outgoing},
	})
	var names []string
	for i := range all {
		names = append(names, all[i].name())
	}
	assert.Equal(t, []string{"the feed", "the cable to the fridge (W2)", "the cable to the fridge (W3)", "the cable to shelves", "W5"}, names)
}
