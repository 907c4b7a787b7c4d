package merge

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// drawn is a document of objects, named lists and plain values at random.
func drawn(r *rand.Rand, depth int) any {
	switch n := r.IntN(6); {
	case depth > 0 && n < 3:
		object := map[string]any{}
		for range r.IntN(4) {
			object[string(rune('a'+r.IntN(5)))] = drawn(r, depth-1)
		}
		return object
	case depth > 0 && n == 3:
		var list []any
		for _, i := range r.Perm(4)[:r.IntN(4)] {
			list = append(list, map[string]any{"id": fmt.Sprint("W", i), "v": drawn(r, depth-1)})
		}
		return list
	case n == 4:
		return r.IntN(3) == 0
	}
	return r.IntN(4)
}

// changed is the document with something in it drawn anew.
func changed(r *rand.Rand, v any, depth int) any {
	object, ok := v.(map[string]any)
	if !ok || len(object) == 0 || r.IntN(4) == 0 {
		return drawn(r, depth)
	}
	out := map[string]any{}
	keys := []string{}
	for key, value := range object {
		out[key] = value
		keys = append(keys, key)
	}
	key := keys[r.IntN(len(keys))]
	if r.IntN(4) == 0 {
		delete(out, key)
	} else {
		out[key] = changed(r, out[key], depth-1)
	}
	return out
}

// unordered is the document with its named lists in the order of their names:
// which side's order is kept is nobody's loss.
func unordered(t *testing.T, data []byte) any {
	v, err := decode(data)
	require.NoError(t, err)
	var sorted func(v any) any
	sorted = func(v any) any {
		switch v := v.(type) {
		case map[string]any:
			for key := range v {
				v[key] = sorted(v[key])
			}
		case []any:
			for i := range v {
				v[i] = sorted(v[i])
			}
			slices.SortFunc(v, func(a, b any) int {
				x, _ := nameOf(a)
				y, _ := nameOf(b)
				return strings.Compare(x, y)
			})
		}
		return v
	}
	return sorted(v)
}

// TestWhateverIsMerged: nothing that only one side did is lost, nothing is in
// force that neither wanted, and both sides come to the same where they do not
// contradict each other.
func TestWhateverIsMerged(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 5))
	text := func(v any) []byte {
		data, err := json.Marshal(v)
		require.NoError(t, err)
		return data
	}
	contradicted := 0
	for range 5000 {
		start := map[string]any{"x": drawn(r, 3), "y": drawn(r, 3), "z": drawn(r, 2)}
		base, theirs, mine := text(start), text(changed(r, start, 3)), text(changed(r, start, 3))
		merged, conflicts, err := Three(base, theirs, mine)
		require.NoError(t, err)
		other, back, err := Three(base, mine, theirs)
		require.NoError(t, err)
		require.Equal(t, len(conflicts), len(back), "seen from either side: %s / %s / %s", base, theirs, mine)
		if len(conflicts) == 0 {
			require.Equal(t, unordered(t, merged), unordered(t, other))
		} else {
			contradicted++
		}
		// One side alone is taken over as it is.
		alone, none, err := Three(base, base, mine)
		require.NoError(t, err)
		assert.JSONEq(t, string(mine), string(alone))
		assert.Empty(t, none)
		// Both at once change nothing more.
		again, none, err := Three(base, merged, merged)
		require.NoError(t, err)
		assert.JSONEq(t, string(merged), string(again))
		assert.Empty(t, none)
		// Choosing theirs everywhere settles everything.
		for _, c := range conflicts {
			if merged, err = Set(merged, c.Path, c.Theirs); err != nil {
				t.Fatalf("%s: %v", c.Path, err)
			}
		}
	}
	assert.Greater(t, contradicted, 100, "hardly any contradicted each other")
}
