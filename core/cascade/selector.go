package cascade

import (
	"fmt"
	"slices"
	"strings"

	"github.com/tdewolff/parse/v2"
	lex "github.com/tdewolff/parse/v2/css"

	"tourmaline/core/css"
	"tourmaline/core/source"
)

// Specificity counts ids, then classes, attributes and pseudo-classes, then types and pseudo-elements.
// Source: Selectors 4, 17 (https://www.w3.org/TR/selectors-4/#specificity-rules).
type Specificity [3]int

// Compare is below 0 where s is less specific than o.
func (s Specificity) Compare(o Specificity) int { return slices.Compare(s[:], o[:]) }

// String is as it is usually written: 0-1-1.
func (s Specificity) String() string { return fmt.Sprintf("%d-%d-%d", s[0], s[1], s[2]) }

func (s Specificity) add(o Specificity) Specificity {
	return Specificity{s[0] + o[0], s[1] + o[1], s[2] + o[2]}
}

// Selectors is a list of selectors, of which any may match.
type Selectors []*Selector

// Selector is one complex selector.
type Selector struct {
	Text        string
	Specificity Specificity
	// Pseudo is the pseudo-element that it selects, without colons; "" the element itself.
	Pseudo string
	// Dynamic is a pseudo-class that depends on what people do, such as :hover, or "": with it the
	// selector is taken as not matching.
	Dynamic string
	parts   []compound // from left to right
}

// compound is simple selectors that must all match one element.
type compound struct {
	relation byte // to the compound before it: ' ', '>', '+', '~'; 0 the first
	tag      string
	ids      []string
	classes  []string
	attrs    []attribute
	pseudos  []pseudo
}

type attribute struct {
	name, value string
	op          byte // 0: it is there; '=', '~', '|', '^', '$', '*'
	fold        bool // letter case does not count
}

// pseudo is a pseudo-class.
type pseudo struct {
	name string
	args Selectors // of is, not, has, and of nth-child(… of …)
	a, b int       // An+B
	word string    // of lang and dir
}

// maxSelector is the most bytes of a list of selectors, and maxInner how deep they may stand in each other.
const (
	maxSelector = 1 << 16
	maxInner    = 16
	maxParts    = 256 // compounds of a selector
)

// ParseSelectors reads a list of selectors. parent are those of the rule around it, or nil. An error
// says why browsers drop the whole rule.
// Source: Selectors 4; CSS Nesting 1, 3.
func ParseSelectors(text string, parent Selectors) (Selectors, error) {
	p, err := newSelectorReader(text)
	if err != nil {
		return nil, err
	}
	p.parent = parent
	out, err := p.list(parent != nil, false)
	if err == nil && !p.end() {
		err = p.fail("a selector")
	}
	return out, err
}

type selectorReader struct {
	text   string
	toks   []tok
	i      int
	depth  int
	within bool // :has()
	parent Selectors
}

func newSelectorReader(text string) (*selectorReader, error) {
	if len(text) > maxSelector {
		return nil, &source.LimitError{Msg: "the selectors are longer than 65536 bytes"}
	}
	p := &selectorReader{text: text}
	l := lex.NewLexer(parse.NewInputString(text))
	off := 0
	for {
		kind, data := l.Next()
		if kind == lex.ErrorToken {
			break
		}
		if kind != lex.CommentToken {
			p.toks = append(p.toks, tok{kind, uint32(off)})
		}
		off += len(data)
	}
	p.toks = append(p.toks, tok{lex.ErrorToken, uint32(len(text))})
	return p, nil
}

func (p *selectorReader) kind() lex.TokenType { return p.toks[p.i].kind }
func (p *selectorReader) end() bool           { return p.kind() == lex.ErrorToken }

// word is the text of the token at i; comments after it are left out.
func (p *selectorReader) word(i int) string {
	w := p.text[p.toks[i].off:p.toks[min(i+1, len(p.toks)-1)].off]
	if c := strings.Index(w, "/*"); c > 0 && p.toks[i].kind != lex.StringToken {
		w = w[:c]
	}
	return w
}

func (p *selectorReader) is(kind lex.TokenType, word string) bool {
	return p.kind() == kind && p.word(p.i) == word
}

func (p *selectorReader) space() (found bool) {
	for p.kind() == lex.WhitespaceToken {
		p.i++
		found = true
	}
	return found
}

func (p *selectorReader) fail(want string) error {
	if p.end() {
		return &source.SyntaxError{Want: want, Off: len(p.text)}
	}
	return &source.SyntaxError{Text: p.word(p.i), Want: want, Off: int(p.toks[p.i].off)}
}

// list reads selectors up to a bracket that closes them, or the end. relative: they may begin with a
// combinator; forgiving: what is wrong is left out.
func (p *selectorReader) list(relative, forgiving bool) (out Selectors, err error) {
	if p.depth++; p.depth > maxInner {
		return nil, &source.LimitError{Msg: fmt.Sprintf("selectors stand more than %d deep in each other", maxInner)}
	}
	defer func() { p.depth-- }()
	for {
		p.space()
		from := p.i
		s, err := p.complex(relative)
		if err == nil && !p.end() && p.kind() != lex.CommaToken && p.kind() != lex.RightParenthesisToken {
			err = p.fail("a selector")
		}
		switch {
		case err == nil:
			s.Text = strings.TrimSpace(p.text[p.toks[from].off:p.toks[p.i].off])
			out = append(out, s)
		case !forgiving:
			return nil, err
		default:
			p.i = from
			p.skipSelector()
		}
		if p.kind() != lex.CommaToken {
			return out, nil
		}
		p.i++
	}
}

// skipSelector passes what is wrong, up to a comma or the bracket that closes the list.
func (p *selectorReader) skipSelector() {
	open := 0
	for ; !p.end(); p.i++ {
		switch p.kind() {
		case lex.FunctionToken, lex.LeftParenthesisToken, lex.LeftBracketToken, lex.LeftBraceToken:
			open++
		case lex.RightParenthesisToken, lex.RightBracketToken, lex.RightBraceToken:
			if open == 0 {
				return
			}
			open--
		case lex.CommaToken:
			if open == 0 {
				return
			}
		}
	}
}

// complex reads one selector. Nested in a rule, one that names no & stands below the rule's.
func (p *selectorReader) complex(relative bool) (*Selector, error) {
	s := &Selector{}
	relation := p.combinator()
	if relation != 0 && !relative {
		return nil, p.fail("a selector")
	}
	nests := false
	for {
		from := p.i
		c, err := p.compound(s)
		if err != nil {
			return nil, err
		}
		if p.i == from {
			return nil, p.fail("a selector")
		}
		c.relation = relation
		s.parts = append(s.parts, c)
		nests = nests || slices.ContainsFunc(c.pseudos, nesting)
		if len(s.parts) > maxParts {
			return nil, &source.LimitError{Msg: "a selector has more than 256 parts"}
		}
		spaced := p.space()
		if relation = p.combinator(); relation == 0 {
			if !spaced || p.end() || p.kind() == lex.CommaToken || p.kind() == lex.RightParenthesisToken {
				break
			}
			relation = ' '
		}
		if s.Pseudo != "" {
			return nil, p.fail("anything that may stand after a pseudo-element")
		}
	}
	scoped := len(p.parent) == 1 && p.parent[0] == scopeSelf[0] // there only combinators stand for something
	if relative && p.parent != nil && p.depth == 1 && (s.parts[0].relation != 0 || !nests && !scoped) {
		if s.parts[0].relation == 0 {
			s.parts[0].relation = ' '
		}
		s.parts = slices.Insert(s.parts, 0, compound{pseudos: []pseudo{p.nest()}})
		s.Specificity = s.Specificity.add(most(p.parent))
	}
	return s, nil
}

// nest is the & of a rule: what the rule around it selects.
func (p *selectorReader) nest() pseudo { return pseudo{name: "&", args: p.parent} }

// nesting reports whether a pseudo-class names the rule around it.
func nesting(p pseudo) bool {
	return p.name == "&" || slices.ContainsFunc(p.args, func(s *Selector) bool {
		return slices.ContainsFunc(s.parts, func(c compound) bool { return slices.ContainsFunc(c.pseudos, nesting) })
	}) && p.name != "&"
}

// combinator reads >, + or ~ and the white space around it; 0 where there is none.
func (p *selectorReader) combinator() byte {
	for _, c := range []byte{'>', '+', '~'} {
		if p.is(lex.DelimToken, string(c)) {
			p.i++
			p.space()
			return c
		}
	}
	return 0
}

// compound reads simple selectors; none where nothing of the kind stands.
func (p *selectorReader) compound(s *Selector) (c compound, err error) {
	if tag, ok, err := p.tag(); err != nil {
		return c, err
	} else if ok && tag != "*" {
		c.tag = strings.ToLower(tag)
		s.Specificity[2]++
	}
	for err == nil {
		switch k := p.kind(); {
		case s.Pseudo != "" && k != lex.ColonToken && !p.end() && k != lex.WhitespaceToken && k != lex.CommaToken &&
			k != lex.RightParenthesisToken:
			return c, p.fail("anything that may stand after a pseudo-element")
		case k == lex.HashToken && startsName(p.word(p.i)[1:]):
			c.ids = append(c.ids, css.Unescape(p.word(p.i)[1:]))
			s.Specificity[0]++
			p.i++
		case p.is(lex.DelimToken, ".") && p.name(p.i+1):
			c.classes = append(c.classes, css.Unescape(p.word(p.i+1)))
			s.Specificity[1]++
			p.i += 2
		case p.is(lex.DelimToken, "&"):
			p.i++
			c.pseudos = append(c.pseudos, p.nest())
			s.Specificity = s.Specificity.add(most(p.parent))
		case k == lex.LeftBracketToken:
			err = p.attribute(&c)
			s.Specificity[1]++
		case k == lex.ColonToken:
			err = p.pseudo(&c, s)
		default:
			return c, nil
		}
	}
	return c, err
}

// startsName reports whether a hash is one of an id: a name, no number.
// Source: CSS Syntax 3, 4.3.9.
func startsName(s string) bool {
	rest := strings.TrimPrefix(s, "-")
	return rest != "" && (rest[0] < '0' || rest[0] > '9')
}

// name reports whether the token at i is a name.
func (p *selectorReader) name(i int) bool {
	return p.toks[i].kind == lex.IdentToken || p.toks[i].kind == lex.CustomPropertyNameToken
}

// tag reads a type selector, with a namespace that must be any.
func (p *selectorReader) tag() (tag string, ok bool, err error) {
	any := p.is(lex.DelimToken, "*")
	if p.is(lex.DelimToken, "|") && p.toks[p.i+1].kind == lex.IdentToken { // of no namespace: no element of HTML
		tag = p.word(p.i) + p.word(p.i+1)
		p.i += 2
		return tag, true, nil
	}
	if !any && p.kind() != lex.IdentToken {
		return "", false, nil
	}
	tag = css.Unescape(p.word(p.i))
	p.i++
	if !p.is(lex.DelimToken, "|") {
		return tag, true, nil
	}
	if !any {
		return "", false, p.fail("a selector without a namespace")
	}
	p.i++
	if p.is(lex.DelimToken, "*") || p.kind() == lex.IdentToken {
		tag = css.Unescape(p.word(p.i))
		p.i++
		return tag, true, nil
	}
	return "", false, p.fail("a type")
}

// foldedAttributes are those of HTML whose values are compared without letter case.
// Source: HTML, 4.16.2 Case-sensitivity of selectors.
var foldedAttributes = map[string]bool{"accept": true, "accept-charset": true, "align": true, "alink": true,
	"axis": true, "bgcolor": true, "charset": true, "checked": true, "clear": true, "codetype": true, "color": true,
	"compact": true, "declare": true, "defer": true, "dir": true, "direction": true, "disabled": true,
	"enctype": true, "face": true, "frame": true, "hreflang": true, "http-equiv": true, "lang": true,
	"language": true, "link": true, "media": true, "method": true, "multiple": true, "nohref": true,
	"noresize": true, "noshade": true, "nowrap": true, "readonly": true, "rel": true, "rev": true, "rules": true,
	"scope": true, "scrolling": true, "selected": true, "shape": true, "target": true, "text": true, "type": true,
	"valign": true, "valuetype": true, "vlink": true}

var matchers = map[lex.TokenType]byte{lex.IncludeMatchToken: '~', lex.DashMatchToken: '|', lex.PrefixMatchToken: '^',
	lex.SuffixMatchToken: '$', lex.SubstringMatchToken: '*'}

func (p *selectorReader) attribute(c *compound) error {
	p.i++
	p.space()
	if p.is(lex.DelimToken, "*") || p.is(lex.DelimToken, "|") { // any namespace, or none
		if p.is(lex.DelimToken, "*") {
			p.i++
		}
		if !p.is(lex.DelimToken, "|") {
			return p.fail("an attribute")
		}
		p.i++
	}
	if !p.name(p.i) {
		return p.fail("an attribute")
	}
	a := attribute{name: strings.ToLower(css.Unescape(p.word(p.i)))}
	p.i++
	p.space()
	switch op := matchers[p.kind()]; {
	case op != 0:
		a.op = op
	case p.is(lex.DelimToken, "="):
		a.op = '='
	}
	if a.op != 0 {
		p.i++
		p.space()
		w := p.word(p.i)
		switch {
		case p.kind() == lex.StringToken && len(w) >= 2 && w[len(w)-1] == w[0]:
			a.value = css.Unescape(w[1 : len(w)-1])
		case p.name(p.i):
			a.value = css.Unescape(w)
		default:
			return p.fail("a value: put quotes around it")
		}
		p.i++
		p.space()
		a.fold = foldedAttributes[a.name]
		if p.kind() == lex.IdentToken {
			switch strings.ToLower(p.word(p.i)) {
			case "i":
				a.fold = true
			case "s":
				a.fold = false
			default:
				return p.fail(`"i" or "s"`)
			}
			p.i++
			p.space()
		}
	}
	if p.kind() != lex.RightBracketToken && !p.end() {
		return p.fail(`"]"`)
	}
	if !p.end() {
		p.i++
	}
	c.attrs = append(c.attrs, a)
	return nil
}
