package merge

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestDiff(t *testing.T) {
	for _, row := range []struct {
		name, before, after string
		want                []string
	}{
		{"the same", `{"a":1}`, `{ "a": 1 }`, nil},
		{"nothing, twice", ``, ``, nil},
		{"new", ``, `{"a":1}`, []string{":  > {\"a\":1}"}},
		{"gone", `[1]`, ``, []string{": [1] > "}},
		{"a field", `{"a":1,"b":1}`, `{"a":2,"b":1}`, []string{"a: 1 > 2"}},
		{"to null", `{"a":1}`, `{"a":null}`, []string{"a: 1 > null"}},
		{"deep", `{"x":{"a":1}}`, `{"x":{"a":1,"b":2}}`, []string{"x.b:  > 2"}},
		{"in a list", `[{"id":"W1","awg":14},{"id":"W2","awg":14}]`, `[{"id":"W1","awg":14},{"id":"W2","awg":12}]`, []string{"[W2].awg: 14 > 12"}},
		{"out of the middle", `["a","b","c"]`, `["a","c"]`, []string{`["b"]: "b" > `}},
		{"turned round", `["a","b"]`, `["b","a"]`, []string{`: ["a","b"] > ["b","a"]`}},
		{"cannot be told apart", `{"p":[[1,2]]}`, `{"p":[[1,3]]}`, []string{`p: [[1,2]] > [[1,3]]`}},
		{"a key that no path can name", `{"p":{"W8@B8.hot":1}}`, `{"p":{"W8@B8.hot":2}}`, []string{`p: {"W8@B8.hot":1} > {"W8@B8.hot":2}`}},
		{"another kind of thing", `{"p":[1]}`, `{"p":{"a":1}}`, []string{`p: [1] > {"a":1}`}},
	} {
		t.Run(row.name, func(t *testing.T) {
			changes, err := Diff([]byte(row.before), []byte(row.after))
			require.NoError(t, err)
			var says []string
			for _, c := range changes {
				says = append(says, fmt.Sprintf("%s: %s > %s", c.Path, c.Was, c.Is))
			}
			assert.Equal(t, row.want, says)
			thereAndBack(t, row.before, row.after)
		})
	}
	_, err := Diff([]byte(`{`), []byte(`1`))
	assert.Error(t, err)
	_, err = Diff([]byte(`1`), []byte(`{`))
	assert.Error(t, err)
	_, err = Apply([]byte(`{"a":1}`), []Change{{Path: "a.b", Is: []byte(`1`)}})
	assert.ErrorContains(t, err, "a.b")
	_, err = Apply([]byte(`{"a":1}`), []Change{{Path: "b", Is: []byte(`{`)}})
	assert.ErrorContains(t, err, "b: ")
}

func thereAndBack(t *testing.T, before, after string) {
	t.Helper()
	changes, err := Diff([]byte(before), []byte(after))
	require.NoError(t, err)
	for _, row := range []struct {
		from, to string
		changes  []Change
	}{{before, after, changes}, {after, before, Inverses(changes)}} {
		got, err := Apply([]byte(row.from), row.changes)
		require.NoError(t, err)
		if row.to == "" {
			assert.Empty(t, got)
		} else {
			assert.JSONEq(t, row.to, string(got))
		}
	}
}

// document is one drawn at random: the same few names, so that two have much in common.
func document(r *rand.Rand, deep int) string {
	switch n := r.IntN(5); {
	case deep == 0 || n == 0:
		return fmt.Sprint(r.IntN(3))
	case n == 1:
		out := "["
		for i, id := range r.Perm(4)[:r.IntN(4)] {
			if i > 0 {
				out += ","
			}
			out += fmt.Sprintf(`{"id":"W%d","x":%s}`, id, document(r, deep-1))
		}
		return out + "]"
	case n == 2:
		out := "["
		for i, word := range r.Perm(4)[:r.IntN(4)] {
			if i > 0 {
				out += ","
			}
			out += fmt.Sprintf(`"w%d"`, word)
		}
		return out + "]"
	}
	out := "{"
	for i, key := range r.Perm(3)[:r.IntN(4)] {
		if i > 0 {
			out += ","
		}
		out += fmt.Sprintf(`"k%d":%s`, key, document(r, deep-1))
	}
	return out + "}"
}

// TestThereAndBack: any two documents, the changes between them lead from either to
// the other, with the lists in their order.
func TestThereAndBack(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 13))
	for range 3000 {
		before, after := document(r, 4), document(r, 4)
		thereAndBack(t, before, after)
		if t.Failed() {
			t.Log(before, after)
			return
		}
	}
}

func TestTakeBack(t *testing.T) {
	for _, row := range []struct{ name, was, set, now, want string }{
		{"nobody since", `{"a":1}`, `{"a":2}`, `{"a":2}`, `{"a":1}`},
		{"another field since", `{"a":1}`, `{"a":2}`, `{"a":2,"b":3}`, `{"a":1,"b":3}`},
		{"the same field since", `{"a":1}`, `{"a":2}`, `{"a":3}`, `{"a":3}`},
		{"was not there", ``, `{"a":2}`, `{"a":2}`, ``},
		{"was not there, and has more now", ``, `{"a":2}`, `{"a":2,"b":1}`, `{"b":1}`},
		{"was taken away", `{"a":1}`, ``, ``, `{"a":1}`},
		{"was taken away, and made anew", `{"a":1}`, ``, `{"a":5}`, `{"a":5}`},
		{"of a list", `["x"]`, `["x","y"]`, `["x","y","z"]`, `["x","z"]`},
	} {
		t.Run(row.name, func(t *testing.T) {
			got, err := TakeBack([]byte(row.was), []byte(row.set), []byte(row.now))
			require.NoError(t, err)
			assert.Equal(t, row.want, string(got))
		})
	}
	_, err := TakeBack([]byte(`{`), nil, nil)
	assert.Error(t, err)
}
