package merge

import (
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"
)

// A Change is one place of a document that was set, with what it was set from.
type Change struct {
	Path string          `json:"path,omitempty"` // as in Conflict; "" for the whole
	Next string          `json:"next,omitempty"` // in a list: before which element it stands; "" for the end
	Was  json.RawMessage `json:"was,omitempty"`  // nil: it was not there
	Is   json.RawMessage `json:"is,omitempty"`   // nil: it is there no more
}

// Inverse sets the place back.
func (c Change) Inverse() Change { return Change{c.Path, c.Next, c.Is, c.Was} }

// Inverses are what takes all of them back, in the order in which to do it.
func Inverses(changes []Change) []Change {
	all := make([]Change, 0, len(changes))
	for _, c := range slices.Backward(changes) {
		all = append(all, c.Inverse())
	}
	return all
}

// Diff lists the places at which after differs from before; either is empty where
// there is nothing. Apply puts them on before to give after, and their Inverses on
// after to give before. An error means that a document is not JSON.
func Diff(before, after []byte) ([]Change, error) {
	was, err := decodeOr(before)
	if err != nil {
		return nil, err
	}
	is, err := decodeOr(after)
	if err != nil {
		return nil, err
	}
	if was == absent || is == absent {
		if was == is {
			return nil, nil
		}
		return []Change{{Was: raw(was), Is: raw(is)}}, nil
	}
	d := differ{}
	d.diff("", was, is)
	return d.changes, nil
}

// Apply puts the changes on a document, which is empty where there is none yet; it
// returns nil where none is left.
func Apply(document []byte, changes []Change) ([]byte, error) {
	doc, err := decodeOr(document)
	if err != nil {
		return nil, err
	}
	for _, c := range changes {
		to, err := decodeOr(c.Is)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", c.Path, err)
		}
		if doc, err = set(doc, steps(c.Path), to, c.Next); err != nil {
			return nil, fmt.Errorf("%s: %w", c.Path, err)
		}
	}
	if doc == absent {
		return nil, nil
	}
	return encode(doc)
}

// TakeBack is a document without what turned was into set: what others made of it
// since stays. It is nil where nothing is left.
func TakeBack(was, set, now []byte) ([]byte, error) {
	var parts [3]any
	for i, data := range [][]byte{set, was, now} {
		var err error
		if parts[i], err = decodeOr(data); err != nil {
			return nil, err
		}
	}
	// What both changed is theirs: they come last, and so stand.
	out := (&merger{fill: true}).three("", parts[0], parts[1], parts[2])
	if out == absent {
		return nil, nil
	}
	return encode(out)
}

// empty is the document of the same kind in which nothing is set.
func empty(like any) any {
	switch like.(type) {
	case map[string]any:
		return map[string]any{}
	case []any:
		return []any{}
	}
	return absent
}

func decodeOr(data []byte) (any, error) {
	if len(data) == 0 {
		return absent, nil
	}
	return decode(data)
}

type differ struct{ changes []Change }

func (d *differ) diff(path string, was, is any) {
	if reflect.DeepEqual(was, is) {
		return
	}
	if a, ok := was.(map[string]any); ok {
		if b, ok := is.(map[string]any); ok && plainKeys(a) && plainKeys(b) {
			for _, key := range keysOf(a, b) {
				d.diff(within(path, key), get(a, key), get(b, key))
			}
			return
		}
	}
	if a, ok := was.([]any); ok {
		if b, ok := is.([]any); ok && d.lists(path, a, b) {
			return
		}
	}
	d.changes = append(d.changes, Change{Path: path, Was: raw(was), Is: raw(is)})
}

// lists compares lists whose elements can be told apart and stand in the same
// order; false for others.
func (d *differ) lists(path string, was, is []any) bool {
	a, okWas := byName(was)
	b, okIs := byName(is)
	if !okWas || !okIs || !slices.Equal(common(was, b), common(is, a)) {
		return false
	}
	// Those that are gone from the first to the last, those that came from the last
	// to the first: so what each stands before is there whenever one is put in.
	for i, v := range was {
		if name, _ := nameOf(v); get(b, name) == absent {
			d.changes = append(d.changes, Change{Path: path + "[" + name + "]", Next: nextIn(was, i), Was: raw(v)})
		}
	}
	for _, v := range was {
		if name, _ := nameOf(v); get(b, name) != absent {
			d.diff(path+"["+name+"]", v, b[name])
		}
	}
	for i, v := range slices.Backward(is) {
		if name, _ := nameOf(v); get(a, name) == absent {
			d.changes = append(d.changes, Change{Path: path + "[" + name + "]", Next: nextIn(is, i), Is: raw(v)})
		}
	}
	return true
}

// common are the names of the list's elements that the other has too.
func common(list []any, other map[string]any) []string {
	var all []string
	for _, v := range list {
		if name, _ := nameOf(v); get(other, name) != absent {
			all = append(all, name)
		}
	}
	return all
}

func nextIn(list []any, i int) string {
	if i+1 == len(list) {
		return ""
	}
	name, _ := nameOf(list[i+1])
	return name
}

// plainKeys reports whether the keys can stand in a path.
func plainKeys(object map[string]any) bool {
	for key := range object {
		if key == "" || strings.ContainsAny(key, "[].") {
			return false
		}
	}
	return true
}
