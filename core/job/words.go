package job

import (
	"strconv"
	"strings"
)

func count(n int) string { return strconv.Itoa(n) }

func plural(n int, what string) string {
	switch {
	case n == 1:
		return "1 " + what
	case what == "half":
		return count(n) + " halves"
	default:
		return count(n) + " " + what + "s"
	}
}

// either joins the names of places between which it is not settled.
func either(names []string) string {
	if len(names) == 1 {
		return names[0]
	}
	last := len(names) - 1
	return strings.Join(names[:last], ", ") + " or " + names[last]
}

func upper(words string) string {
	if words == "" {
		return ""
	}
	return strings.ToUpper(words[:1]) + words[1:]
}
