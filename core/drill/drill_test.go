package drill

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestDraw: every theme has scenes at every level; the same seed gives the same one, which is
// read back as it was written, and what it shows is what its theme is about.
func TestDraw(t *testing.T) {
	for _, theme := range Themes {
		for level := 1; level <= lastLevel; level++ {
			for seed := range uint64(2) {
				s, err := Draw(theme, level, seed)
				require.NoError(t, err)
				data, err := s.Encode()
				require.NoError(t, err)
				again, err := Draw(theme, level, seed)
				require.NoError(t, err)
				other, err := again.Encode()
				require.NoError(t, err)
				assert.True(t, bytes.Equal(data, other), "%s %d %d", theme, level, seed)
				read, err := Parse(data)
				require.NoError(t, err)
				assert.Equal(t, s.Complaint, read.Complaint)
				assert.Empty(t, read.Circuit.Faults, "nothing of it stands in what the learner knows")
				truth, err := read.Truth()
				require.NoError(t, err)
				l, err := see(truth)
				require.NoError(t, err)
				if theme == Masking || theme == Bootlegs {
					assert.NotContains(t, s.Complaint.Words, "A tester showed", "no lamp tells")
				}
				assert.NotEmpty(t, waysOf[theme].noticed(l), "%s %d %d", theme, level, seed)
			}
		}
	}
	one, err := Draw(Patterns, 1, 1)
	require.NoError(t, err)
	two, err := Draw(Patterns, 1, 2)
	require.NoError(t, err)
	assert.NotEqual(t, one.Circuit, two.Circuit)
}

func TestBadScenes(t *testing.T) {
	s, err := Draw(Patterns, 3, 7)
	require.NoError(t, err)
	data, err := s.Encode()
	require.NoError(t, err)
	for _, row := range []struct{ old, new, says string }{
		{`"elvat-drill/1"`, `"elvat-drill/9"`, `format: "elvat-drill/9"`},
		{`"name": "` + s.Name, `"name": " `, "name: what place is it?"},
		{`"theme": "patterns"`, `"theme": "magic"`, `theme: "magic" is none of`},
		{`"level": 3`, `"level": 9`, "level: 9 is out of bounds"},
		{`"at": "` + s.Complaint.At + `"`, `"at": "R99"`, `complaint.at: "R99"`},
		{`"sites": [
        "`, `"sites": [
        "X`, "hidden[0].sites[0]"},
		{`"plugged": [`, `"plugged": [ { "at": "R77", "half": "top", "watts": 40 },`, "plugged[0]"},
		{`"complaint": {`, `"hint": 1, "complaint": {`, `unknown key "hint"`},
	} {
		require.Contains(t, string(data), row.old)
		_, err := Parse([]byte(strings.Replace(string(data), row.old, row.new, 1)))
		assert.ErrorContains(t, err, row.says)
	}
	_, err = Draw("magic", 1, 1)
	assert.ErrorContains(t, err, "theme:")
	_, err = Draw(Patterns, 5, 1)
	assert.ErrorContains(t, err, "level:")
}

func BenchmarkDraw(b *testing.B) {
	for _, theme := range Themes {
		b.Run(string(theme), func(b *testing.B) {
			seed := uint64(0)
			for b.Loop() {
				seed++
				if _, err := Draw(theme, 1+int(seed%lastLevel), seed); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
