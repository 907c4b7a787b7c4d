package words

import "strings"

// A Said is a sentence as it is kept: its code with its values, each of which may be
// said itself. What stands as it is, a name or a figure, is text.
type Said struct {
	Code   string `json:"code,omitempty"`
	Values []Said `json:"values,omitempty"`
	Text   string `json:"text,omitempty"`
}

// Of is the sentence of a code; values are Said, text, or lists of either, which are
// joined by "and".
func Of(code string, values ...any) Said {
	s := Said{Code: code}
	for _, v := range values {
		s.Values = append(s.Values, of(v))
	}
	return s
}

// listed is the code of a list.
const listed = "list.and"

func of(v any) Said {
	switch v := v.(type) {
	case Said:
		return v
	case []Said:
		return Said{Code: listed, Values: v}
	case []string:
		all := Said{Code: listed}
		for _, text := range v {
			all.Values = append(all.Values, Said{Text: text})
		}
		return all
	case string:
		return Said{Text: v}
	}
	panic("words: a value is said, or text, or a list of them")
}

// Render says it.
func (c *Catalogue) Render(s Said) string {
	if s.Code == "" {
		return s.Text
	}
	values := make([]any, len(s.Values))
	for i, v := range s.Values {
		values[i] = c.Render(v)
	}
	if s.Code != listed {
		return c.Say(s.Code, values...)
	}
	text := make([]string, len(values))
	for i, v := range values {
		text[i], _ = v.(string)
	}
	if len(text) < 2 {
		return strings.Join(text, "")
	}
	return c.Say(listed, strings.Join(text[:len(text)-1], ", "), text[len(text)-1])
}

// All says several, one after the other, with what stands between them.
func (c *Catalogue) All(said []Said, between string) string {
	all := make([]string, len(said))
	for i, s := range said {
		all[i] = c.Render(s)
	}
	return strings.Join(all, between)
}
