package strict

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

type box struct {
	ID     string   `json:"id"`
	Feet   float64  `json:"feet"`
	Bonded bool     `json:"bonded"`
	Names  []string `json:"names"`
}

type file struct {
	Name  string         `json:"name"`
	Boxes []box          `json:"boxes"`
	Notes map[string]int `json:"notes"`
}

func TestUnmarshal(t *testing.T) {
	var f file
	require.NoError(
		t,
		Unmarshal([]byte(`{ "name": "x", "boxes": [ { "id": "B1", "feet": 2.5, "bonded": true, "names": ["a"] } ] }`), &f),
	)
	assert.Equal(t, file{Name: "x", Boxes: []box{{"B1", 2.5, true, []string{"a"}}}}, f)
}

func TestErrorsSayWhereAndWhat(t *testing.T) {
	for _, row := range []struct{ data, want string }{
		{`{ "nam": "x" }`, `unknown key "nam"`},
		{`{ "boxes": [ {}, { "idd": "x" } ] }`, `boxes[1]: unknown key "idd"`},
		{`{ "Name": "x" }`, `unknown key "Name"`},
		{`{ "` + strings.Repeat("k", 9000) + `": 1 }`, `unknown key "` + strings.Repeat("k", 60) + `…"`},
		{`{ "notes": { "a\nb": "x" } }`, `notes."a\nb": text cannot stand here`},
		{`{ "name": 7 }`, `name: a number cannot stand here, text is wanted`},
		{`{ "name": null, "boxes": {} }`, `boxes: an object cannot stand here, a list is wanted`},
		{`{ "boxes": [ { "feet": "3" } ] }`, `boxes[0].feet: text cannot stand here, a number is wanted`},
		{`{ "boxes": [ { "bonded": 1 } ] }`, `boxes[0].bonded: a number cannot stand here, true or false is wanted`},
		{`{ "boxes": [ { "names": ["a", 3] } ] }`, `boxes[0].names[1]: a number cannot stand here, text is wanted`},
		{`{ "boxes": [ true ] }`, `boxes[0]: true or false cannot stand here, an object is wanted`},
		{`{ "notes": [] }`, `notes: a list cannot stand here, an object is wanted`},
		{`{ "boxes": [ { "feet": 1e999 } ] }`, `boxes[0].feet`},
		{"{\n\"name\": \"x\"\n\"boxes\": []}", "line 3"},
		{`{ "name": "x" `, "not valid JSON"},
		{``, "not valid JSON"},
		{`{ "name": "x" } trailing`, "not valid JSON"},
		{`{ "name": "x", "name": "y" }`, "name"},
		{"{ \"name\": \"\xff\" }", "not valid JSON"},
	} {
		var f file
		err := Unmarshal([]byte(row.data), &f)
		require.Error(t, err, row.data)
		assert.Contains(t, err.Error(), row.want, row.data)
		assert.NotContains(t, err.Error(), "\n", row.data)
		assert.NotContains(t, err.Error(), "jsontext", row.data)
	}
}

// TestHostile: depth and size that would exhaust a careless reader.
func TestHostile(t *testing.T) {
	for _, data := range []string{
		strings.Repeat("[", 1<<20),
		`{ "boxes": ` + strings.Repeat(`[`, 500000),
		`{ "name": "` + strings.Repeat("x", 1<<20),
		`{ ` + strings.Repeat(`"name": "x", `, 50000) + ` }`,
	} {
		var f file
		assert.Error(t, Unmarshal([]byte(data), &f))
	}
}

// TestTextsHaveBounds: a text, a list of texts and a key that are too long are named by their
// place, in characters and not in bytes; what was kept is read all the same.
func TestTextsHaveBounds(t *testing.T) {
	long := func(n int) string { return strings.Repeat("ü", n) }
	for _, row := range []struct{ data, want string }{
		{`{ "name": "` + long(MostName) + `" }`, ""},
		{`{ "name": "` + long(MostName+1) + `" }`, "name: 201 characters are too many; at most 200"},
		{`{ "boxes": [ {}, { "id": "` + long(MostText+1) + `" } ] }`, "boxes[1].id: 4001 characters"},
		{`{ "boxes": [ { "names": ["a", "` + long(MostText+1) + `"] } ] }`, "boxes[0].names[1]: 4001"},
		{`{ "boxes": [ { "names": ["a", "` + long(MostText) + `"] } ] }`, ""},
		{`{ "notes": { "` + long(MostName+1) + `": 1 } }`, "notes: 201 characters"},
		{`{ "name": "` + strings.Repeat(`\u00fc`, MostName) + `" }`, ""},
	} {
		var f file
		err := Unmarshal([]byte(row.data), &f)
		require.NoError(t, Reread([]byte(row.data), &f))
		if row.want == "" {
			assert.NoError(t, err)
			continue
		}
		assert.ErrorContains(t, err, row.want)
	}
}
