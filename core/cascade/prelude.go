package cascade

import (
	"strings"

	"github.com/tdewolff/parse/v2"
	lex "github.com/tdewolff/parse/v2/css"

	"tourmaline/core/css"
	"tourmaline/core/source"
)

// prelude is the tokens of what stands after an at-rule's name, white space and comments apart.
type prelude struct {
	text string
	toks []tok
	ends []int
	i    int
}

func newPrelude(text string) *prelude {
	p := &prelude{text: text}
	l := lex.NewLexer(parse.NewInputString(text))
	off := 0
	for {
		kind, data := l.Next()
		if kind == lex.ErrorToken {
			p.toks, p.ends = append(p.toks, tok{kind, uint32(off)}), append(p.ends, off)
			return p
		}
		if !blank(kind) {
			p.toks, p.ends = append(p.toks, tok{kind, uint32(off)}), append(p.ends, off+len(data))
		}
		off += len(data)
	}
}

func (p *prelude) kind() lex.TokenType { return p.toks[p.i].kind }
func (p *prelude) word() string        { return p.text[p.toks[p.i].off:p.ends[p.i]] }

func (p *prelude) is(word string) bool {
	return p.kind() != lex.ErrorToken && strings.EqualFold(p.word(), word)
}

func (p *prelude) fail(want string) error {
	return &source.SyntaxError{Text: p.word(), Want: want, Off: int(p.toks[p.i].off)}
}

// brackets is the text in the brackets that the token opens, which it passes.
func (p *prelude) brackets() string {
	from := p.ends[p.i]
	depth := 0
	for ; p.kind() != lex.ErrorToken; p.i++ {
		switch p.kind() {
		case lex.FunctionToken, lex.LeftParenthesisToken, lex.LeftBracketToken, lex.LeftBraceToken:
			depth++
		case lex.RightParenthesisToken, lex.RightBracketToken, lex.RightBraceToken:
			if depth--; depth == 0 {
				to := int(p.toks[p.i].off)
				p.i++
				return p.text[from:to]
			}
		}
	}
	return p.text[min(from, len(p.text)):]
}

// words are the component values; at least one.
func (p *prelude) words() (out []string) {
	for p.kind() != lex.ErrorToken {
		from := p.toks[p.i].off
		if k := p.kind(); k == lex.FunctionToken || k == lex.LeftParenthesisToken {
			p.brackets()
		} else {
			p.i++
		}
		out = append(out, p.text[from:p.ends[p.i-1]])
	}
	if out == nil {
		out = []string{""}
	}
	return out
}

// rest is the text from the token on.
func (p *prelude) rest() string { return p.text[p.toks[p.i].off:] }

// importing is what an @import says.
type importing struct {
	href, layer, supports, media string
	layered                      bool
}

func parseImport(text string) (i importing, err error) {
	p := newPrelude(text)
	switch w := p.word(); p.kind() {
	case lex.StringToken:
		i.href = css.Unescape(strings.Trim(w, `"'`))
		p.i++
	case lex.URLToken:
		in := strings.TrimSpace(strings.TrimSuffix(w[strings.IndexByte(w, '(')+1:], ")"))
		i.href = css.Unescape(strings.Trim(in, `"'`))
		p.i++
	case lex.FunctionToken:
		if !strings.EqualFold(w, "url(") {
			return i, p.fail("an address")
		}
		i.href = css.Unescape(strings.Trim(strings.TrimSpace(p.brackets()), `"'`))
	default:
		return i, p.fail("an address")
	}
	switch {
	case p.is("layer"):
		i.layered = true
		p.i++
	case p.is("layer("):
		i.layered = true
		if i.layer = strings.TrimSpace(p.brackets()); !layerName(i.layer) {
			return i, &source.SyntaxError{Text: i.layer, Want: "the name of a layer"}
		}
	}
	if p.is("supports(") {
		in := strings.TrimSpace(p.brackets())
		if i.supports = in; !strings.HasPrefix(in, "(") {
			i.supports = "(" + in + ")"
		}
	}
	i.media = strings.TrimSpace(p.rest())
	return i, nil
}

// parseScope reads (root) to (end), each of which may be left out.
func parseScope(text string, parent Selectors) (root, end Selectors, err error) {
	p := newPrelude(text)
	if p.kind() == lex.LeftParenthesisToken {
		if root, err = scopeList(p.brackets(), parent); err != nil {
			return nil, nil, err
		}
	}
	if p.is("to") {
		p.i++
		if p.kind() != lex.LeftParenthesisToken {
			return nil, nil, p.fail(`"("`)
		}
		if end, err = scopeList(p.brackets(), scopeSelf); err != nil {
			return nil, nil, err
		}
	}
	if p.kind() != lex.ErrorToken {
		return nil, nil, p.fail("the end")
	}
	return root, end, nil
}

// scopeList reads selectors in the brackets of @scope, where & stands for those around it, but nothing is put
// before them.
func scopeList(text string, parent Selectors) (Selectors, error) {
	p, err := newSelectorReader(text)
	if err != nil {
		return nil, err
	}
	p.parent, p.depth = parent, 1
	out, err := p.list(false, false)
	if err == nil && !p.end() {
		err = p.fail("a selector")
	}
	return out, err
}

// Supports answers @supports: of the properties of backgrounds and boxes by reading the value, of
// others by what every browser of today does.
// Source: CSS Conditional 3, 6 (https://www.w3.org/TR/css-conditional-3/#at-supports).
func Supports(text string) bool {
	p := newPrelude(text)
	ok := p.condition(0)
	return ok && p.kind() == lex.ErrorToken
}

const maxSupports = 64 // deep

// condition reads terms with and or with or between them.
func (p *prelude) condition(depth int) bool {
	if depth > maxSupports {
		p.i = len(p.toks) - 1
		return false
	}
	if p.is("not") {
		p.i++
		return !p.term(depth)
	}
	ok := p.term(depth)
	for {
		switch {
		case p.is("and"):
			p.i++
			ok = p.term(depth) && ok
		case p.is("or"):
			p.i++
			ok = p.term(depth) || ok
		default:
			return ok
		}
	}
}

func (p *prelude) term(depth int) bool {
	switch p.kind() {
	case lex.FunctionToken:
		if !p.is("selector(") {
			p.brackets()
			return false
		}
		_, err := ParseSelectors(p.brackets(), nil)
		return err == nil
	case lex.LeftParenthesisToken:
		in := newPrelude(p.brackets())
		if k := in.kind(); k == lex.LeftParenthesisToken || in.is("not") || k == lex.FunctionToken {
			return in.condition(depth+1) && in.kind() == lex.ErrorToken
		}
		return in.declared()
	}
	p.i = len(p.toks) - 1
	return false
}

// declared reports whether browsers know a declaration.
func (p *prelude) declared() bool {
	if p.kind() == lex.ErrorToken {
		return false
	}
	name := strings.ToLower(css.Unescape(p.word()))
	if p.i++; p.kind() != lex.ColonToken {
		return false
	}
	p.i++
	value := strings.TrimSpace(p.rest())
	if strings.HasPrefix(name, "--") {
		return true
	}
	if css.Known(name) {
		s := css.NewStyle()
		return s.Set(name, value, nil) == nil
	}
	values, ok := widely[name]
	if !ok || len(values) == 0 {
		return ok
	}
	for _, v := range values {
		if strings.EqualFold(v, value) {
			return true
		}
	}
	return false
}

// widely are properties that every browser of today knows, with the values that it knows of them; none:
// all that are written.
var widely = map[string][]string{
	"display": {"block", "inline", "inline-block", "flex", "inline-flex", "grid", "inline-grid", "none", "contents",
		"flow-root", "table", "list-item"},
	"position": {"static", "relative", "absolute", "fixed", "sticky"},
	"gap":      nil, "row-gap": nil, "column-gap": nil, "aspect-ratio": nil, "backdrop-filter": nil,
	"object-fit": {"fill", "contain", "cover", "none", "scale-down"},
	"filter":     nil, "transform": nil, "width": nil, "height": nil, "min-height": nil, "max-height": nil,
	"min-width": nil, "max-width": nil, "opacity": nil, "mix-blend-mode": nil, "clip-path": nil, "inset": nil,
	"grid-template-columns": nil, "flex-wrap": nil, "scroll-snap-type": nil,
	"overflow":       {"visible", "hidden", "clip", "scroll", "auto"},
	"container-type": {"normal", "size", "inline-size"}, "accent-color": nil, "isolation": {"auto", "isolate"},
}
