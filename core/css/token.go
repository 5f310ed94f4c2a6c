package css

import (
	"io"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/tdewolff/parse/v2"
	lex "github.com/tdewolff/parse/v2/css"

	"tourmaline/core/source"
)

type kind uint8

const (
	kEOF kind = iota
	kIdent
	kFunc // name with the bracket after it; text is the name
	kNumber
	kPercent
	kDim
	kString
	kURL
	kHash
	kComma
	kOpen  // ( [ or {
	kClose // ) ] or }
	kDelim
)

// token is one token of a value. Whitespace is kept as a fact of the token
// after it, since only + and - care.
type token struct {
	kind  kind
	text  string // unescaped: name, string contents, unit (lower case), delimiter
	num   float64
	off   int
	end   int
	space bool // white space stands before it
}

// maxValue bounds the text of one value: nobody writes more, and it keeps the
// work on hostile input small.
const maxValue = 1 << 16

// maxDepth bounds nesting of brackets.
const maxDepth = 32

func tokenize(text string) ([]token, error) {
	if len(text) > maxValue {
		return nil, &source.LimitError{Msg: "the value is longer than 65536 bytes"}
	}
	var toks []token
	l := lex.NewLexer(parse.NewInputString(text))
	off, space, depth := 0, false, 0
	for {
		tt, data := l.Next()
		if tt == lex.ErrorToken {
			if err := l.Err(); err != nil && err != io.EOF {
				return nil, &source.SyntaxError{Msg: err.Error(), Off: off}
			}
			break
		}
		t := token{off: off, end: off + len(data), space: space}
		s := string(data)
		off, space = off+len(data), false
		switch tt {
		case lex.WhitespaceToken, lex.CommentToken:
			space = true
			continue
		case lex.IdentToken, lex.CustomPropertyNameToken:
			t.kind, t.text = kIdent, Unescape(s)
		case lex.FunctionToken:
			t.kind, t.text = kFunc, strings.ToLower(Unescape(s[:len(s)-1]))
			depth++
		case lex.NumberToken:
			t.kind, t.text = kNumber, s
			t.num, _ = strconv.ParseFloat(s, 64)
		case lex.PercentageToken:
			t.kind, t.text = kPercent, s
			t.num, _ = strconv.ParseFloat(s[:len(s)-1], 64)
		case lex.DimensionToken:
			n := numberPrefix(s)
			t.kind, t.text = kDim, strings.ToLower(Unescape(s[n:]))
			t.num, _ = strconv.ParseFloat(s[:n], 64)
		case lex.StringToken:
			if len(s) < 2 || s[len(s)-1] != s[0] || endsEscaped(s) {
				return nil, &source.SyntaxError{Text: s, Msg: "the string " + strconv.Quote(s) + " is not closed",
					Off: t.off}
			}
			t.kind, t.text = kString, Unescape(s[1:len(s)-1])
		case lex.URLToken:
			inner := strings.TrimSuffix(s[strings.IndexByte(s, '(')+1:], ")")
			if !strings.HasSuffix(s, ")") {
				return nil, &source.SyntaxError{Text: s, Msg: "url( is not closed", Off: t.off}
			}
			inner = strings.Trim(inner, " \t\r\n\f")
			if len(inner) >= 2 && (inner[0] == '"' || inner[0] == '\'') && inner[len(inner)-1] == inner[0] {
				inner = inner[1 : len(inner)-1]
			}
			t.kind, t.text = kURL, Unescape(inner)
		case lex.BadURLToken, lex.BadStringToken:
			return nil, &source.SyntaxError{Text: s, Want: "a whole url or string", Hint: "put quotes around it",
				Off: t.off}
		case lex.HashToken:
			t.kind, t.text = kHash, Unescape(s[1:])
		case lex.CommaToken:
			t.kind, t.text = kComma, ","
		case lex.LeftParenthesisToken, lex.LeftBracketToken, lex.LeftBraceToken:
			t.kind, t.text = kOpen, s
			depth++
		case lex.RightParenthesisToken, lex.RightBracketToken, lex.RightBraceToken:
			t.kind, t.text = kClose, s
			depth--
		case lex.UnicodeRangeToken:
			// u+26 in a value is never a unicode range here.
			return nil, &source.SyntaxError{Text: s, Want: "a value", Off: t.off}
		default:
			t.kind, t.text = kDelim, s
		}
		if depth > maxDepth {
			return nil, &source.LimitError{Msg: "brackets are nested more than 32 deep"}
		}
		toks = append(toks, t)
	}
	toks = append(toks, token{kind: kEOF, off: len(text), end: len(text), space: space})
	return toks, nil
}

func endsEscaped(s string) bool {
	n := 0
	for i := len(s) - 2; i > 0 && s[i] == '\\'; i-- {
		n++
	}
	return n%2 == 1
}

// numberPrefix is the length of the number at the start of a dimension.
func numberPrefix(s string) int {
	i := 0
	if i < len(s) && (s[i] == '+' || s[i] == '-') {
		i++
	}
	for i < len(s) && (isDigit(s[i]) || s[i] == '.' && i+1 < len(s) && isDigit(s[i+1])) {
		i++
	}
	if i < len(s) && (s[i] == 'e' || s[i] == 'E') {
		j := i + 1
		if j < len(s) && (s[j] == '+' || s[j] == '-') {
			j++
		}
		if j < len(s) && isDigit(s[j]) {
			for j < len(s) && isDigit(s[j]) {
				j++
			}
			i = j
		}
	}
	return i
}

func isDigit(c byte) bool { return '0' <= c && c <= '9' }

// Unescape resolves CSS escapes.
// Source: CSS Syntax 3, consume an escaped code point
// (https://www.w3.org/TR/css-syntax-3/#consume-escaped-code-point).
func Unescape(s string) string {
	s = strings.ToValidUTF8(strings.ReplaceAll(s, "\x00", "\uFFFD"), "\uFFFD") // as preprocessing has it
	if strings.IndexByte(s, '\\') < 0 {
		return s
	}
	var b strings.Builder
	for i := 0; i < len(s); {
		if s[i] != '\\' {
			b.WriteByte(s[i])
			i++
			continue
		}
		i++
		if i >= len(s) {
			b.WriteRune(utf8.RuneError)
			break
		}
		if s[i] == '\n' || s[i] == '\r' || s[i] == '\f' {
			if s[i] == '\r' && i+1 < len(s) && s[i+1] == '\n' {
				i++
			}
			i++
			continue
		}
		j, r := i, rune(0)
		for j < len(s) && j-i < 6 && hexDigit(s[j]) >= 0 {
			r = r<<4 | rune(hexDigit(s[j]))
			j++
		}
		if j == i {
			_, n := utf8.DecodeRuneInString(s[i:])
			b.WriteString(s[i : i+n])
			i += n
			continue
		}
		if r == 0 || r > utf8.MaxRune || 0xD800 <= r && r <= 0xDFFF {
			r = utf8.RuneError
		}
		b.WriteRune(r)
		i = j
		if i < len(s) && strings.IndexByte(" \t\n\r\f", s[i]) >= 0 {
			if s[i] == '\r' && i+1 < len(s) && s[i+1] == '\n' {
				i++
			}
			i++
		}
	}
	return b.String()
}

func hexDigit(c byte) int {
	switch {
	case '0' <= c && c <= '9':
		return int(c - '0')
	case 'a' <= c && c <= 'f':
		return int(c-'a') + 10
	case 'A' <= c && c <= 'F':
		return int(c-'A') + 10
	}
	return -1
}

// parser walks over the tokens of one value.
type parser struct {
	text string
	toks []token
	i    int
	in   string // property name, for errors
	// known: of media queries the features that browsers know are taken, and what they do not know.
	known bool
}

func newParser(property, text string) (*parser, error) {
	toks, err := tokenize(text)
	if err != nil {
		return nil, inProperty(err, property)
	}
	return &parser{text: text, toks: toks, in: property}, nil
}

func inProperty(err error, property string) error {
	switch e := err.(type) {
	case *source.SyntaxError:
		if e.In == "" {
			e.In = property
		}
	case *source.UnsupportedError:
		if e.In == "" {
			e.In = property
		}
	case *source.LimitError:
		if e.In == "" {
			e.In = property
		}
	}
	return err
}

func (p *parser) peek() token { return p.toks[p.i] }

func (p *parser) next() token {
	t := p.toks[p.i]
	if t.kind != kEOF {
		p.i++
	}
	return t
}

// raw is the source text of a token.
func (p *parser) raw(t token) string { return p.text[t.off:t.end] }

// fail is an error at the next token: it is not what was wanted.
func (p *parser) fail(want string) error { return p.failAt(p.peek(), want) }

func (p *parser) failAt(t token, want string) error {
	if t.kind == kEOF {
		return &source.SyntaxError{In: p.in, Msg: "the value ends where " + want + " was expected", Off: t.off}
	}
	text := p.raw(t)
	if t.kind == kFunc {
		text += "…)"
	}
	return &source.SyntaxError{In: p.in, Text: text, Want: want, Off: t.off}
}

func (p *parser) failHint(t token, want string, known []string) error {
	err := p.failAt(t, want)
	if e, ok := err.(*source.SyntaxError); ok && t.kind == kIdent {
		if near := source.Nearest(t.text, known); near != "" {
			e.Hint = "did you mean \"" + near + "\"?"
		}
	}
	return err
}

func (p *parser) atEnd() bool { return p.peek().kind == kEOF }

func (p *parser) expectEnd() error {
	if !p.atEnd() {
		return p.fail("expected here: the value should end before it")
	}
	return nil
}

// ident takes an identifier out of words (any case) and returns it in lower case.
func (p *parser) ident(words ...string) (string, bool) {
	t := p.peek()
	if t.kind != kIdent {
		return "", false
	}
	for _, w := range words {
		if strings.EqualFold(t.text, w) {
			p.i++
			return w, true
		}
	}
	return "", false
}

func (p *parser) peekIdent(words ...string) bool {
	i := p.i
	_, ok := p.ident(words...)
	p.i = i
	return ok
}

func (p *parser) comma() bool {
	if p.peek().kind == kComma {
		p.i++
		return true
	}
	return false
}

func (p *parser) delim(s string) bool {
	if t := p.peek(); t.kind == kDelim && t.text == s {
		p.i++
		return true
	}
	return false
}

// close takes the closing bracket of a function or group.
func (p *parser) close() error {
	if t := p.peek(); t.kind == kClose && t.text == ")" {
		p.i++
		return nil
	}
	return p.fail(`")"`)
}

// closed reports whether the next token closes the function.
func (p *parser) closed() bool {
	t := p.peek()
	return t.kind == kClose || t.kind == kEOF
}

// list parses items divided by commas up to the end of the value.
func list[T any](p *parser, item func() (T, error)) ([]T, error) {
	var out []T
	for {
		v, err := item()
		if err != nil {
			return nil, err
		}
		out = append(out, v)
		if len(out) > maxLayers {
			return nil, &source.LimitError{In: p.in, Msg: "more than 64 layers"}
		}
		if p.comma() {
			continue
		}
		return out, p.expectEnd()
	}
}

// maxLayers bounds the layers of one box.
const maxLayers = 64

// serializeIdent and quote print names and strings so that they parse back.
func quote(s string) string {
	var b strings.Builder
	b.WriteByte('"')
	for _, r := range s {
		switch {
		case r == '"' || r == '\\':
			b.WriteByte('\\')
			b.WriteRune(r)
		case r < 0x20 || r == 0x7f:
			b.WriteString("\\" + strconv.FormatInt(int64(r), 16) + " ")
		default:
			b.WriteRune(r)
		}
	}
	b.WriteByte('"')
	return b.String()
}

// number prints v in the shortest form that reads back the same.
func number(v float64) string {
	if v == 0 {
		return "0" // also for -0, which no property tells apart
	}
	s := strconv.FormatFloat(v, 'f', -1, 64)
	if len(s) > 24 {
		s = strconv.FormatFloat(v, 'e', -1, 64)
	}
	return s
}
