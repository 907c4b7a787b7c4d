// Package words makes sentences of codes and values, in one catalogue for each
// language: what is kept and compared are codes, so that rewording breaks nothing.
package words

import (
	"fmt"
	"maps"
	"strings"

	"elvat/core/words/en"
	"elvat/core/words/es"
)

// A Catalogue is one language.
type Catalogue struct {
	Tag  string `json:"tag"`  // BCP 47
	Name string `json:"name"` // in the language itself
	// Reviewed by somebody who speaks it and knows the trade. Where it was not, who
	// reads it is told.
	Reviewed bool              `json:"reviewed"`
	Note     string            `json:"note,omitempty"` // what they are told
	Words    map[string]string `json:"words"`          // by code; %[1]s and so on stand for values
}

// English is the language that everything is said in. Spanish is machine-made.
var (
	English = &Catalogue{Tag: "en", Name: "English", Reviewed: true, Words: en.Words}
	Spanish = &Catalogue{Tag: "es", Name: "Español", Note: es.Note, Words: es.Words}
)

// Catalogues lists them.
var Catalogues = []*Catalogue{English, Spanish}

// For is the catalogue of a language tag, such as es or es-MX; English where there is
// none.
func For(tag string) *Catalogue {
	language, _, _ := strings.Cut(strings.ToLower(tag), "-")
	for _, c := range Catalogues {
		if c.Tag == language {
			return c
		}
	}
	return English
}

// Say is the sentence of a code with its values; in English where the language lacks
// it, and the code itself where that lacks it too.
func (c *Catalogue) Say(code string, values ...any) string {
	text, ok := c.Words[code]
	if !ok {
		if text, ok = English.Words[code]; !ok {
			return code
		}
	}
	if len(values) == 0 {
		return text
	}
	return fmt.Sprintf(text, values...)
}

// Whole is the catalogue with what it lacks in English.
func (c *Catalogue) Whole() Catalogue {
	whole := *c
	whole.Words = maps.Clone(English.Words)
	maps.Copy(whole.Words, c.Words)
	return whole
}
