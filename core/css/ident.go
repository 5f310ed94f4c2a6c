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

// Plain is a text of a stylesheet on one line and without comments: what stands in a place where a comment may
// say anything. Strings stay as they are.
// Source: CSS Syntax 3, 4.3.2 (https://www.w3.org/TR/css-syntax-3/#consume-comment).
func Plain(s string) string {
	var b strings.Builder
	space := false
	put := func(c string) {
		if space && b.Len() > 0 {
			b.WriteByte(' ')
		}
		space = false
		b.WriteString(c)
	}
	for i := 0; i < len(s); {
		switch c := s[i]; {
		case strings.HasPrefix(s[i:], "/*"):
			n := strings.Index(s[i+2:], "*/")
			if n < 0 {
				return b.String()
			}
			i, space = i+n+4, true
		case strings.IndexByte(" \t\n\r\f", c) >= 0:
			i, space = i+1, true
		case c == '\\' && i+1 < len(s):
			put(s[i : i+2])
			i += 2
		case c == '"' || c == '\'':
			end := i + 1
			for end < len(s) && s[end] != c {
				if s[end] == '\\' {
					end++
				}
				end++
			}
			end = min(end+1, len(s))
			put(s[i:end])
			i = end
		default:
			put(s[i : i+1])
			i++
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
