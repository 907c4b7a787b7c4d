package strict

import (
	"bytes"
	"fmt"
	"unicode/utf8"

	"github.com/go-json-experiment/json/jsontext"
)

// How long a text may be, in characters, wherever it comes from: one rule for every
// document. Assumption; the longest that people write by hand are a tenth of it.
const (
	MostName = 200    // what somebody or something is called
	MostText = 4000   // anything else that is written
	MostLine = 30_000 // a signature, which is drawn
)

// names are the keys whose text is a name; everything else is a text.
var names = map[string]bool{"title": true, "label": true, "name": true}

// most is how long the text of a key may be.
func most(key string) int {
	switch {
	case names[key]:
		return MostName
	case key == "signature":
		return MostLine
	}
	return MostText
}

// Name reports that what something is called is too long; the place is named.
func Name(place, text string) error { return bounded(place, text, MostName) }

// Text reports that what is written is too long.
func Text(place, text string) error { return bounded(place, text, MostText) }

func bounded(place, text string, most int) error {
	if len(text) <= most {
		return nil
	}
	if n := utf8.RuneCountInString(text); n > most {
		return tooLong(place, n, most)
	}
	return nil
}

func tooLong(place string, n, most int) error {
	return fmt.Errorf("%s: %d characters are too many; at most %d", place, n, most)
}

// Bounded reports the first text of a JSON document that is longer than its key allows,
// keys themselves included, naming its place.
func Bounded(data []byte) error { return within(data, most) }

// Sound reports a text of a JSON document that is longer than any there can be, whatever it
// was when documents had no bounds.
func Sound(data []byte) error { return within(data, func(string) int { return MostLine }) }

func within(data []byte, most func(key string) int) error {
	if !mayBeLong(data) {
		return nil
	}
	d := jsontext.NewDecoder(bytes.NewReader(data))
	for {
		token, err := d.ReadToken()
		switch {
		case err != nil:
			return nil // at its end, or no JSON: for who reads it to say
		case token.Kind() != '"':
			continue
		}
		text := token.String()
		if len(text) <= MostName {
			continue // its place is worked out where it matters: that takes time in deep documents
		}
		at := d.StackPointer()
		limit := most(at.LastToken())
		if in, n := d.StackIndex(d.StackDepth()); in == '{' && n%2 == 1 {
			limit, at = most("name"), at.Parent() // the key itself
		}
		if n := utf8.RuneCountInString(text); n > limit {
			return tooLong(Path(at), n, limit)
		}
	}
}

// mayBeLong reports whether anything between two quotation marks is longer than the least
// bound. Most documents hold nothing of the kind, and are read often.
func mayBeLong(data []byte) bool {
	for len(data) > MostName {
		i := bytes.IndexByte(data, '"')
		if i < 0 || i > MostName {
			return true
		}
		data = data[i+1:]
	}
	return false
}
