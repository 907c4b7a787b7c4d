// Package strict reads the JSON documents of Elvat: unknown keys, keys given
// twice, wrong types and texts that are too long are errors that name the place.
package strict

import (
	"errors"
	"fmt"
	"strconv"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
)

// Unmarshal reads data into v. Keys that v does not have are errors, and texts longer than
// Bounded allows.
func Unmarshal(data []byte, v any) error {
	if err := Reread(data, v); err != nil {
		return err
	}
	return Bounded(data)
}

// Reread is Unmarshal of what was kept, which may be from a time when texts had no bounds.
func Reread(data []byte, v any) error {
	err := json.Unmarshal(data, v, json.RejectUnknownMembers(true))
	if err == nil {
		return nil
	}
	var syntax *jsontext.SyntacticError
	var semantic *json.SemanticError
	switch {
	case errors.As(err, &syntax):
		return placed(data, syntax.JSONPointer, syntax.ByteOffset, "not valid JSON: "+cause(syntax.Err, syntax))
	case errors.As(err, &semantic):
		if errors.Is(semantic.Err, json.ErrUnknownName) {
			parent, key := splitPointer(semantic.JSONPointer)
			return placed(data, parent, -1, "unknown key "+strconv.Quote(shortened(key)))
		}
		if semantic.Err == nil && semantic.GoType != nil {
			return placed(
				data,
				semantic.JSONPointer,
				-1,
				fmt.Sprintf(
					"%s cannot stand here, %s is wanted",
					kindName(semantic.JSONKind),
					typeName(semantic.GoType.Kind().String()),
				),
			)
		}
		return placed(data, semantic.JSONPointer, -1, cause(semantic.Err, semantic))
	}
	return err
}

// Path turns a JSON pointer into the way people write places: boxes[0].label.
func Path(p jsontext.Pointer) string {
	var b strings.Builder
	for token := range p.Tokens() {
		if _, err := strconv.Atoi(token); err == nil {
			b.WriteString("[" + token + "]")
			continue
		}
		if b.Len() > 0 {
			b.WriteByte('.')
		}
		b.WriteString(shown(token))
	}
	return b.String()
}

func shortened(key string) string {
	if len(key) > mostShown {
		return strings.ToValidUTF8(key[:mostShown], "") + "…"
	}
	return key
}

// mostShown is how much of a key that a file makes up is said back. Assumption.
const mostShown = 60

// shown is a key in one line, and not all of it where it is long.
func shown(key string) string {
	key = shortened(key)
	if strings.ContainsFunc(key, func(r rune) bool { return r < ' ' || r == 0x7f }) {
		return strconv.Quote(key)
	}
	return key
}

func placed(data []byte, p jsontext.Pointer, offset int64, text string) error {
	path := Path(p)
	if offset >= 0 && offset <= int64(len(data)) {
		line := 1 + strings.Count(string(data[:offset]), "\n")
		text += fmt.Sprintf(" (line %d)", line)
	}
	if path == "" {
		return errors.New(text)
	}
	return errors.New(path + ": " + text)
}

func splitPointer(p jsontext.Pointer) (parent jsontext.Pointer, key string) {
	return p.Parent(), p.LastToken()
}

func cause(inner, outer error) string {
	if inner == nil {
		inner = outer
	}
	return strings.TrimPrefix(inner.Error(), "jsontext: ")
}

func kindName(k jsontext.Kind) string {
	switch k {
	case 'n':
		return "null"
	case 't', 'f':
		return "true or false"
	case '"':
		return "text"
	case '0':
		return "a number"
	case '{':
		return "an object"
	default:
		return "a list"
	}
}

func typeName(goKind string) string {
	switch goKind {
	case "string":
		return "text"
	case "bool":
		return "true or false"
	case "struct", "map":
		return "an object"
	case "slice", "array":
		return "a list"
	default:
		return "a number"
	}
}
