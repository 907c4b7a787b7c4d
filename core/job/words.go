package job

import "strconv"

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
