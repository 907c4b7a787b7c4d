// Package merge joins what two people changed in one JSON document without
// having seen each other's change.
package merge

import (
	"bytes"
	"encoding/json"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strconv"
	"strings"
)

// A Conflict is a place that both changed, each to something else.
type Conflict struct {
	Path   string          // such as cables[W2].awg; "" for the whole
	Theirs json.RawMessage // nil: taken away
	Mine   json.RawMessage // nil: taken away; in force
}

// Three merges theirs and mine, both made from base, which is empty where there
// was nothing. What only one of them changed is taken over; where both changed
// the same to something else, mine stands and the conflict is reported. Objects
// are merged by key, lists of plain values as sets, lists of objects by their id
// (or breaker); any other list is taken whole. An error means that a document is
// not JSON.
func Three(base, theirs, mine []byte) (merged []byte, conflicts []Conflict, err error) {
	var parts [3]any
	for i, data := range [][]byte{base, theirs, mine} {
		if len(bytes.TrimSpace(data)) == 0 {
			parts[i] = absent
			continue
		}
		if parts[i], err = decode(data); err != nil {
			return nil, nil, err
		}
	}
	m := merger{}
	out := m.three("", parts[0], parts[1], parts[2])
	if out == absent {
		return nil, m.conflicts, nil
	}
	merged, err = encode(out)
	return merged, m.conflicts, err
}

// Set is the document with the value at the path, or without it where the value
// is nil. Paths are those that Three reports.
func Set(document []byte, path string, value json.RawMessage) ([]byte, error) {
	doc, err := decode(document)
	if err != nil {
		return nil, err
	}
	to := any(absent)
	if value != nil {
		if to, err = decode(value); err != nil {
			return nil, err
		}
	}
	if doc, err = set(doc, steps(path), to, ""); err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return encode(doc)
}

// absent stands for what is not there; null is a value.
var absent = &struct{ string }{"absent"}

type merger struct {
	conflicts []Conflict
	// fill: where theirs is gone and mine was changed within, only what mine had
	// before goes; an element of a list goes as a whole.
	fill bool
}

func (m *merger) three(path string, base, theirs, mine any) any {
	switch {
	case reflect.DeepEqual(theirs, mine), reflect.DeepEqual(base, theirs):
		return mine
	case reflect.DeepEqual(base, mine):
		return theirs
	}
	if m.fill && theirs == absent {
		theirs = empty(mine)
	}
	if t, ok := theirs.(map[string]any); ok {
		if me, ok := mine.(map[string]any); ok {
			b, _ := base.(map[string]any)
			return m.objects(path, b, t, me)
		}
	}
	if t, ok := theirs.([]any); ok {
		if me, ok := mine.([]any); ok {
			b, _ := base.([]any)
			if out, ok := m.lists(path, b, t, me); ok {
				return out
			}
		}
	}
	m.conflicts = append(m.conflicts, Conflict{Path: path, Theirs: raw(theirs), Mine: raw(mine)})
	return mine
}

func (m *merger) objects(path string, base, theirs, mine map[string]any) any {
	out := map[string]any{}
	for _, key := range keysOf(base, theirs, mine) {
		if v := m.three(within(path, key), get(base, key), get(theirs, key), get(mine, key)); v != absent {
			out[key] = v
		}
	}
	return out
}

// keysOf are the keys of all the objects, in their order.
func keysOf(objects ...map[string]any) []string {
	keys := map[string]bool{}
	for _, object := range objects {
		for key := range object {
			keys[key] = true
		}
	}
	return slices.Sorted(maps.Keys(keys))
}

// within is the path of a key of the object at the path.
func within(path, key string) string {
	if path == "" {
		return key
	}
	return path + "." + key
}

func get(from map[string]any, key string) any {
	if v, ok := from[key]; ok {
		return v
	}
	return absent
}

// lists merges lists whose elements can be told apart; ok is false for others.
func (m *merger) lists(path string, base, theirs, mine []any) (out []any, ok bool) {
	b, okBase := byName(base)
	t, okTheirs := byName(theirs)
	me, okMine := byName(mine)
	if !okBase || !okTheirs || !okMine {
		return nil, false
	}
	out = []any{}
	take := func(name string) {
		if m.fill && get(t, name) == absent && get(b, name) != absent {
			return // what was added goes as a whole: half of it would be nothing
		}
		if v := m.three(path+"["+name+"]", get(b, name), get(t, name), get(me, name)); v != absent {
			out = append(out, v)
		}
	}
	for _, v := range mine {
		name, _ := nameOf(v)
		take(name)
	}
	for _, v := range theirs {
		if name, _ := nameOf(v); get(me, name) == absent {
			take(name)
		}
	}
	return out, true
}

func byName(list []any) (map[string]any, bool) {
	named := map[string]any{}
	for _, v := range list {
		name, ok := nameOf(v)
		if _, twice := named[name]; !ok || twice {
			return nil, false
		}
		named[name] = v
	}
	return named, true
}

// nameOf is what tells an element of a list apart from the others.
func nameOf(v any) (string, bool) {
	switch v := v.(type) {
	case map[string]any:
		for _, key := range []string{"id", "breaker"} {
			if name, ok := v[key].(string); ok && !strings.ContainsAny(name, "[].") {
				return name, true
			}
		}
		return "", false
	case string:
		return strconv.Quote(v), !strings.ContainsAny(v, "[]")
	case json.Number:
		return v.String(), true
	}
	return "", false
}

// A step leads into an object by key, or into a list by name.
type step struct {
	name string
	list bool
}

func steps(path string) []step {
	var all []step
	for path != "" {
		if path[0] == '[' {
			name, rest, _ := strings.Cut(path[1:], "]")
			all = append(all, step{name, true})
			path = strings.TrimPrefix(rest, ".")
			continue
		}
		end := strings.IndexAny(path, ".[")
		if end < 0 {
			end = len(path)
		}
		all = append(all, step{path[:end], false})
		path = strings.TrimPrefix(path[end:], ".")
	}
	return all
}

// set puts a value at the path; a new element of a list before the one named next,
// or at the end where that is not there.
func set(in any, path []step, to any, next string) (any, error) {
	if len(path) == 0 {
		return to, nil
	}
	here := path[0]
	if here.list {
		list, _ := in.([]any)
		i := indexOf(list, here.name)
		old := any(absent)
		if i >= 0 {
			old = list[i]
		}
		v, err := set(old, path[1:], to, next)
		switch {
		case err != nil:
			return nil, err
		case v == absent && i >= 0:
			return slices.Delete(slices.Clone(list), i, i+1), nil
		case v == absent:
			return list, nil
		case i >= 0:
			list = slices.Clone(list)
			list[i] = v
			return list, nil
		}
		at := len(list)
		if i := indexOf(list, next); i >= 0 {
			at = i
		}
		return slices.Insert(slices.Clone(list), at, v), nil
	}
	object, ok := in.(map[string]any)
	if !ok && in != absent {
		return nil, fmt.Errorf("%s: nothing can stand there any more", here.name)
	}
	object = maps.Clone(object)
	if object == nil {
		object = map[string]any{}
	}
	v, err := set(get(object, here.name), path[1:], to, next)
	if err != nil {
		return nil, err
	}
	if delete(object, here.name); v != absent {
		object[here.name] = v
	}
	return object, nil
}

func indexOf(list []any, name string) int {
	return slices.IndexFunc(list, func(v any) bool { n, ok := nameOf(v); return ok && n == name })
}

func decode(data []byte) (any, error) {
	d := json.NewDecoder(bytes.NewReader(data))
	d.UseNumber()
	var v any
	return v, d.Decode(&v)
}

func encode(v any) ([]byte, error) {
	var out bytes.Buffer
	e := json.NewEncoder(&out)
	e.SetEscapeHTML(false)
	err := e.Encode(v)
	return bytes.TrimSpace(out.Bytes()), err
}

func raw(v any) json.RawMessage {
	if v == absent {
		return nil
	}
	out, _ := encode(v) // it was decoded before
	return out
}
