package merge

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestThree(t *testing.T) {
	for _, row := range []struct {
		name, base, theirs, mine, want string
		conflicts                      []string
	}{
		{"only mine", `{"a":1}`, `{"a":1}`, `{"a":2}`, `{"a":2}`, nil},
		{"only theirs", `{"a":1}`, `{"a":3}`, `{"a":1}`, `{"a":3}`, nil},
		{"different keys", `{"a":1,"b":1}`, `{"a":2,"b":1}`, `{"a":1,"b":2}`, `{"a":2,"b":2}`, nil},
		{"both the same", `{"a":1}`, `{"a":2}`, `{"a":2}`, `{"a":2}`, nil},
		{"both differently", `{"a":1}`, `{"a":2}`, `{"a":3}`, `{"a":3}`, []string{"a: 2 / 3"}},
		{"deep", `{"x":{"a":1,"b":1}}`, `{"x":{"a":2,"b":1}}`, `{"x":{"a":3,"b":2}}`, `{"x":{"a":3,"b":2}}`, []string{"x.a: 2 / 3"}},
		{"one takes away", `{"a":1,"b":1}`, `{"b":1}`, `{"a":1,"b":2}`, `{"b":2}`, nil},
		{"taken away and changed", `{"a":1}`, `{}`, `{"a":2}`, `{"a":2}`, []string{"a:  / 2"}},
		{"both add", `{}`, `{"a":1}`, `{"b":1}`, `{"a":1,"b":1}`, nil},
		{"nothing before", ``, `{"a":1}`, `{"b":1}`, `{"a":1,"b":1}`, nil},
		{"null is a value", `{"a":null}`, `{"a":1}`, `{"a":null}`, `{"a":1}`, nil},
		{"sets", `["x","y"]`, `["x","y","z"]`, `["w","y"]`, `["w","y","z"]`, nil},
		{"numbers keep their digits", `{"a":1.50}`, `{"a":1.50}`, `{"a":1.50,"b":120.10}`, `{"a":1.50,"b":120.10}`, nil},
		{"by id", `{"c":[{"id":"W1","awg":14},{"id":"W2","awg":14}]}`, `{"c":[{"id":"W1","awg":12},{"id":"W2","awg":14}]}`,
			`{"c":[{"id":"W2","awg":10},{"id":"W1","awg":14},{"id":"W3"}]}`, `{"c":[{"awg":10,"id":"W2"},{"awg":12,"id":"W1"},{"id":"W3"}]}`, nil},
		{"by id, both", `[{"id":"W1","awg":14}]`, `[{"id":"W1","awg":12}]`, `[{"id":"W1","awg":10}]`, `[{"awg":10,"id":"W1"}]`, []string{"[W1].awg: 12 / 10"}},
		{"by breaker", `[{"breaker":"9","serves":""}]`, `[{"breaker":"9","serves":"loft"}]`, `[{"breaker":"9","serves":""},{"breaker":"11","serves":"stair"}]`,
			`[{"breaker":"9","serves":"loft"},{"breaker":"11","serves":"stair"}]`, nil},
		{"lists that cannot be told apart", `[["a","b"]]`, `[["a","c"]]`, `[["a","d"]]`, `[["a","d"]]`, []string{`: [["a","c"]] / [["a","d"]]`}},
		{"< stays <", `{"t":"a"}`, `{"t":"a"}`, `{"t":"a<b>&"}`, `{"t":"a<b>&"}`, nil},
	} {
		t.Run(row.name, func(t *testing.T) {
			merged, conflicts, err := Three([]byte(row.base), []byte(row.theirs), []byte(row.mine))
			require.NoError(t, err)
			assert.Equal(t, row.want, string(merged))
			var says []string
			for _, c := range conflicts {
				says = append(says, c.Path+": "+string(c.Theirs)+" / "+string(c.Mine))
			}
			assert.Equal(t, row.conflicts, says)
			// Taking their value over puts the document where they wanted it.
			for _, c := range conflicts {
				merged, err = Set(merged, c.Path, c.Theirs)
				require.NoError(t, err, c.Path)
			}
			_, again, err := Three([]byte(row.base), []byte(row.theirs), merged)
			require.NoError(t, err)
			assert.Empty(t, again, "nothing is left to settle")
		})
	}
	for i := range 3 {
		docs := [3][]byte{[]byte(`{}`), []byte(`{}`), []byte(`{}`)}
		docs[i] = []byte(`{"a":`)
		_, _, err := Three(docs[0], docs[1], docs[2])
		assert.Error(t, err)
	}
}

func TestSet(t *testing.T) {
	for _, row := range []struct{ document, path, value, want string }{
		{`{"a":1}`, "a", `2`, `{"a":2}`}, {`{"a":1,"b":2}`, "a", ``, `{"b":2}`}, {`{}`, "x.y", `1`, `{"x":{"y":1}}`},
		{`{"c":[{"id":"W1"}]}`, "c[W1].awg", `12`, `{"c":[{"awg":12,"id":"W1"}]}`}, {`{"c":["x"]}`, `c["x"]`, ``, `{"c":[]}`},
		{`{"c":[]}`, `c["x"]`, `"x"`, `{"c":["x"]}`}, {`{"a":1}`, "", `[1]`, `[1]`}, {`{"c":[]}`, "c[W9]", ``, `{"c":[]}`},
	} {
		var value json.RawMessage
		if row.value != "" {
			value = json.RawMessage(row.value)
		}
		got, err := Set([]byte(row.document), row.path, value)
		require.NoError(t, err, row)
		assert.Equal(t, row.want, string(got))
	}
	for _, row := range [][3]string{{`{"a":1}`, "a.b", `1`}, {`{`, "a", `1`}, {`{}`, "a", `{`}} {
		_, err := Set([]byte(row[0]), row[1], json.RawMessage(row[2]))
		assert.Error(t, err, row)
	}
}
