package css

import (
	"fmt"
	"strings"
)

// Ident is a name written as an identifier, escaped where it must be.
// Source: CSSOM, serialize an identifier (https://www.w3.org/TR/cssom-1/#serialize-an-identifier).
func Ident(name string) string {
	var b strings.Builder
	for i, c := range name {
		digit := c >= '0' && c <= '9'
		switch {
		case c == 0:
			b.WriteRune('\ufffd')
		case c < 0x20 || c == 0x7f, digit && (i == 0 || i == 1 && name[0] == '-'):
			fmt.Fprintf(&b, "\\%x ", c)
		case c == '-' && len(name) == 1:
			b.WriteString(`\-`)
		case c >= 0x80 || c == '-' || c == '_' || digit || c|0x20 >= 'a' && c|0x20 <= 'z':
			b.WriteRune(c)
		default:
			b.WriteByte('\\')
			b.WriteRune(c)
		}
	}
	return b.String()
}

// SplitList cuts a value at the commas that are in no parentheses or quotes.
func SplitList(s string) []string {
	var out []string
	depth, from := 0, 0
	quote := byte(0)
	for i := range len(s) {
		switch c := s[i]; {
		case quote != 0:
			if c == quote && s[i-1] != '\\' {
				quote = 0
			}
		case c == '"' || c == '\'':
			quote = c
		case c == '(':
			depth++
		case c == ')':
			depth--
		case c == ',' && depth == 0:
			out = append(out, strings.TrimSpace(s[from:i]))
			from = i + 1
		}
	}
	return append(out, strings.TrimSpace(s[from:]))
}
