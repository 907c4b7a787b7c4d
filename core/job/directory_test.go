package job

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
)

var panel = Directory{
	{Breaker: "1", Amps: 20, Serves: "kitchen"},
	{Breaker: "4", Amps: 15, Serves: "lights"},
	{Breaker: "9", Amps: 20, Serves: "?"},
	{Breaker: "11", Amps: 20},
	{Breaker: "main"},
}

func TestDirectory(t *testing.T) {
	assert.NoError(t, panel.Check())
	found := panel.With("9", 20, "Bindery")
	assert.Equal(t, DirectoryRow{"9", 20, "Bindery", true}, found[2])
	assert.Equal(t, "?", panel[2].Serves, "the one it was made from stays")
	added := panel.With("7", 15, "Porch")
	var order []string
	for _, r := range added {
		order = append(order, r.Breaker)
	}
	assert.Equal(t, []string{"1", "4", "7", "9", "11", "main"}, order, "as breakers are counted")
	for _, row := range []struct {
		d    Directory
		says string
	}{
		{Directory{{Breaker: " "}}, "directory[0]: breaker is missing"}, {Directory{{Breaker: "1"}, {Breaker: "1"}}, "twice"},
		{Directory{{Breaker: "1", Amps: -1}}, "-1 A"}, {make(Directory, 200), "200 rows"},
	} {
		assert.ErrorContains(t, row.d.Check(), row.says)
	}
}

// TestTrace: the first pass answers over many breakers, the second over the one.
func TestTrace(t *testing.T) {
	for seed := range uint64(50) {
		r := rand.New(rand.NewPCG(seed, 1))
		strong := func(pass int) (over []string) {
			for _, s := range Trace(panel, "9", pass, r) {
				assert.LessOrEqual(t, s.Level, 10)
				if s.Level >= 6 {
					over = append(over, s.Breaker)
				}
			}
			return over
		}
		assert.Greater(t, len(strong(1)), 1, "the first pass only teaches it the panel")
		assert.Equal(t, []string{"9"}, strong(2))
	}
	for _, s := range Trace(panel, "99", 2, rand.New(rand.NewPCG(1, 1))) {
		assert.Zero(t, s.Level, "nothing of another panel is heard")
	}
}
