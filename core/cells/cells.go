// Package cells writes texts into tables that a spreadsheet opens.
package cells

import "strings"

// Plain is the text as a cell that no spreadsheet takes for a formula: one that begins like
// one, whatever white space stands before it, gets an apostrophe.
// Source: OWASP, CSV Injection (from memory).
func Plain(text string) string {
	if text == "" {
		return text
	}
	begins := strings.TrimLeft(text, " \u00a0\u3000\ufeff")
	if strings.ContainsRune("\t\r\n\x00", rune(text[0])) || begins != "" && strings.ContainsRune("=+-@\t\r\n＝＋－＠", []rune(begins)[0]) {
		return "'" + text
	}
	return text
}

// Row is several cells.
func Row(texts ...string) []string {
	row := make([]string, len(texts))
	for i, text := range texts {
		row[i] = Plain(text)
	}
	return row
}
