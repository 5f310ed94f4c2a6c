// Package cascade says which declaration gives an element of a page a value, at which widths, and
// why the others lose.
//
// A Sheet is what a stylesheet says, with places; selectors are matched with Elements, which the
// caller takes from whatever document it has.
//
// Source: CSS Syntax 3, CSS Cascade 5 and 6, Selectors 4, CSS Nesting 1.
package cascade

import (
	"fmt"
	"math"
	"strings"

	"github.com/tdewolff/parse/v2"
	lex "github.com/tdewolff/parse/v2/css"

	"tourmaline/core/css"
	"tourmaline/core/source"
)

// Sheet is a stylesheet as it is written: rules in their order.
type Sheet struct {
	File  *source.File
	Rules []Rule
	// Notes are of what browsers drop, and why.
	Notes []Note
	// Within is the element that holds the style element of the sheet: @scope without selectors is it.
	// nil: the root.
	Within *Element
}

// Note is a remark about a place.
type Note struct {
	At  source.Span
	Msg string
}

// Rule is a style rule, an at-rule, or the declarations of a style rule that stand after a rule nested
// in it, which count where they stand.
type Rule struct {
	At      string      // name of an at-rule, lower case, without @; "" of others
	Prelude source.Span // selectors, or what stands after the at-rule's name
	// Span is a rule with a block, from its selectors or its @ to its closing brace.
	Span source.Span
	// More: declarations of the rule around it.
	More         bool
	Block        bool // it has one, in braces
	Declarations []Declaration
	Rules        []Rule
}

// Declaration is one property with its value.
type Declaration struct {
	Property  string // lower case, but for custom properties
	Value     string // without comments, white space around it, and !important
	Important bool
	Span      source.Span
}

// MaxSheet is the most bytes of a stylesheet.
const MaxSheet = 16 << 20

// What a sheet holds at most: the largest frameworks have a tenth of it.
const (
	maxBlocks = 150_000
	maxEnds   = 400_000
)

// maxNested is how deep rules may stand in each other.
const maxNested = 64

// ParseSheet reads a stylesheet as browsers do: what is wrong is dropped, up to the next rule or
// declaration, and noted. Only too much of it is an error.
// Source: CSS Syntax 3, 5 Parsing (https://www.w3.org/TR/css-syntax-3/#parsing).
func ParseSheet(f *source.File) (*Sheet, error) {
	const mark = "\ufeff" // of byte order, which is no part of the sheet
	p, err := newReader(f, len(f.Text)-len(strings.TrimPrefix(f.Text, mark)), len(f.Text))
	if err != nil {
		return nil, err
	}
	s := &Sheet{File: f}
	p.sheet = s
	s.Rules = p.rules(0)
	return s, nil
}

// ParseStyle reads the declarations of a style attribute: span is its value.
func ParseStyle(at source.Span) ([]Declaration, error) {
	p, err := newReader(at.File, at.From, at.To)
	if err != nil {
		return nil, err
	}
	p.sheet = &Sheet{File: at.File}
	r := Rule{}
	p.block(&r, 0)
	return r.Declarations, nil
}

// tok is where a token begins; it ends where the next begins.
type tok struct {
	kind lex.TokenType
	off  uint32
}

// reader reads the tokens of a text.
type reader struct {
	file  *source.File
	toks  []tok // ends with an ErrorToken
	i     int
	sheet *Sheet
}

func newReader(f *source.File, from, to int) (*reader, error) {
	if to-from > MaxSheet || to > math.MaxUint32 {
		return nil, &source.LimitError{Span: f.Whole(), Msg: fmt.Sprintf("a stylesheet of more than %d MB is not read",
			MaxSheet>>20)}
	}
	p := &reader{file: f}
	l := lex.NewLexer(parse.NewInputString(f.Text[from:to]))
	off, blocks, ends := from, 0, 0
	for {
		kind, data := l.Next()
		if kind == lex.ErrorToken {
			break
		}
		p.toks = append(p.toks, tok{kind, uint32(off)})
		off += len(data)
		switch kind {
		case lex.LeftBraceToken:
			blocks++
		case lex.SemicolonToken:
			ends++
		}
		if blocks > maxBlocks || ends > maxEnds {
			return nil, &source.LimitError{Span: f.Whole(), Msg: fmt.Sprintf("a stylesheet of more than %d "+
				"rules, or %d "+
				"declarations, is not read", maxBlocks, maxEnds)}
		}
	}
	p.toks = append(p.toks, tok{lex.ErrorToken, uint32(to)})
	return p, nil
}

func (p *reader) kind() lex.TokenType { return p.toks[p.i].kind }
func (p *reader) end() bool           { return p.kind() == lex.ErrorToken }

// text is what is written from one token up to another.
func (p *reader) text(from, to int) string { return p.file.Text[p.toks[from].off:p.toks[to].off] }

// span is that of the tokens from..to without white space and comments around them.
func (p *reader) span(from, to int) source.Span {
	for from < to && blank(p.toks[from].kind) {
		from++
	}
	for to > from && blank(p.toks[to-1].kind) {
		to--
	}
	return p.file.Span(int(p.toks[from].off), int(p.toks[to].off))
}

func blank(k lex.TokenType) bool { return k == lex.WhitespaceToken || k == lex.CommentToken }

func (p *reader) skipBlank() {
	for blank(p.kind()) {
		p.i++
	}
}

func (p *reader) note(from, to int, msg string) {
	const most = 200 // of a sheet
	if len(p.sheet.Notes) < most {
		p.sheet.Notes = append(p.sheet.Notes, Note{p.span(from, to), msg})
	}
}

// component passes one component value: a token, or a block in brackets up to its end.
func (p *reader) component() {
	var open []lex.TokenType
	for {
		switch k := p.kind(); k {
		case lex.ErrorToken:
			return
		case lex.LeftBraceToken:
			open = append(open, lex.RightBraceToken)
		case lex.LeftBracketToken:
			open = append(open, lex.RightBracketToken)
		case lex.LeftParenthesisToken, lex.FunctionToken:
			open = append(open, lex.RightParenthesisToken)
		default:
			if n := len(open); n > 0 && k == open[n-1] {
				open = open[:n-1]
			}
		}
		if p.i++; len(open) == 0 {
			return
		}
	}
}

// rules reads the rules of a sheet or of a block of rules, up to its end.
func (p *reader) rules(depth int) (out []Rule) {
	for {
		switch p.kind() {
		case lex.WhitespaceToken, lex.CommentToken, lex.CDOToken, lex.CDCToken:
			p.i++
		case lex.ErrorToken:
			return out
		case lex.RightBraceToken:
			if depth > 0 {
				return out
			}
			out = p.qualified(out, depth)
		case lex.AtKeywordToken:
			out = p.atRule(out, depth, false)
		default:
			out = p.qualified(out, depth)
		}
	}
}

// qualified reads a style rule of a list of rules.
func (p *reader) qualified(out []Rule, depth int) []Rule {
	from := p.i
	for !p.end() && p.kind() != lex.LeftBraceToken {
		if p.kind() == lex.RightBraceToken && depth > 0 {
			p.note(from, p.i, "a rule has no block in braces")
			return out
		}
		p.component()
	}
	if p.end() {
		p.note(from, p.i, "a rule has no block in braces")
		return out
	}
	return p.braces(out, Rule{Prelude: p.span(from, p.i)}, depth)
}

// braces reads the block of a style rule, from its brace on.
func (p *reader) braces(out []Rule, r Rule, depth int) []Rule {
	if depth >= maxNested {
		from := p.i
		p.component()
		p.note(from, p.i, fmt.Sprintf("rules more than %d deep in each other are not read", maxNested))
		return out
	}
	r.Block = true
	p.i++
	p.block(&r, depth+1)
	if p.kind() == lex.RightBraceToken {
		p.i++
	}
	r.Span = p.file.Span(r.Prelude.From, int(p.toks[p.i].off))
	return append(out, r)
}

// grouping are the at-rules whose block holds rules.
var grouping = map[string]bool{"media": true, "supports": true, "layer": true, "scope": true, "container": true,
	"starting-style": true}

// declaring are those whose block holds declarations that are read.
var declaring = map[string]bool{"property": true}

// atRule reads an at-rule; nested: in the block of a style rule, where declarations may stand in it.
func (p *reader) atRule(out []Rule, depth int, nested bool) []Rule {
	at := p.i
	r := Rule{At: strings.ToLower(css.Unescape(p.text(p.i, p.i+1)[1:]))}
	p.i++
	from := p.i
	for {
		switch k := p.kind(); {
		case k == lex.ErrorToken || k == lex.SemicolonToken || k == lex.RightBraceToken && depth > 0:
			r.Prelude = p.span(from, p.i)
			if k == lex.SemicolonToken {
				p.i++
			}
			return append(out, r)
		case k != lex.LeftBraceToken:
			p.component()
			continue
		}
		break
	}
	r.Prelude = p.span(from, p.i)
	switch {
	case declaring[r.At]:
		return p.braces(out, r, depth)
	case !grouping[r.At]:
		p.component()
		r.Block = true
		return append(out, r)
	case depth >= maxNested || nested:
		return p.braces(out, r, depth)
	}
	p.i++
	r.Block = true
	r.Rules = p.rules(depth + 1)
	if p.kind() == lex.RightBraceToken {
		p.i++
	}
	r.Span = p.file.Span(int(p.toks[at].off), int(p.toks[p.i].off))
	return append(out, r)
}

// block reads the declarations and nested rules of a style rule, up to its end.
// Source: CSS Syntax 3, consume a block's contents.
func (p *reader) block(r *Rule, depth int) {
	put := func(d Declaration) {
		if len(r.Rules) == 0 {
			r.Declarations = append(r.Declarations, d)
			return
		}
		last := &r.Rules[len(r.Rules)-1]
		if !last.More {
			r.Rules = append(r.Rules, Rule{More: true, Prelude: r.Prelude})
			last = &r.Rules[len(r.Rules)-1]
		}
		last.Declarations = append(last.Declarations, d)
	}
	for {
		switch p.kind() {
		case lex.WhitespaceToken, lex.CommentToken, lex.SemicolonToken:
			p.i++
		case lex.ErrorToken:
			return
		case lex.RightBraceToken:
			if depth > 0 {
				return
			}
			p.i++
		case lex.AtKeywordToken:
			r.Rules = p.atRule(r.Rules, depth, true)
		default:
			from := p.i
			if d, ok := p.declaration(); ok {
				put(d)
				continue
			}
			p.i = from
			r.Rules = p.nestedRule(r.Rules, depth)
		}
	}
}

// nestedRule reads what is no declaration: a rule, or what is wrong up to the next semicolon.
func (p *reader) nestedRule(out []Rule, depth int) []Rule {
	from := p.i
	for {
		switch k := p.kind(); {
		case k == lex.ErrorToken || k == lex.RightBraceToken || k == lex.SemicolonToken:
			p.note(from, p.i, "neither a declaration nor a rule: browsers skip it")
			if k == lex.RightBraceToken && depth == 0 {
				p.i++
			}
			return out
		case k == lex.LeftBraceToken:
			return p.braces(out, Rule{Prelude: p.span(from, p.i)}, depth)
		}
		p.component()
	}
}

// declaration reads one declaration and what ends it; false where there is none.
func (p *reader) declaration() (d Declaration, ok bool) {
	from := p.i
	name := p.text(p.i, p.i+1)
	custom := p.kind() == lex.CustomPropertyNameToken
	if p.kind() != lex.IdentToken && !custom {
		return d, false
	}
	if d.Property = css.Unescape(name); !custom {
		d.Property = strings.ToLower(d.Property)
	}
	p.i++
	p.skipBlank()
	if p.kind() != lex.ColonToken {
		return d, false
	}
	p.i++
	start, braces := p.i, false
	for !p.end() && p.kind() != lex.SemicolonToken && p.kind() != lex.RightBraceToken {
		braces = braces || p.kind() == lex.LeftBraceToken
		p.component()
	}
	if !custom && braces {
		return d, false
	}
	return p.valued(d, from, start, p.i)
}

// valued gives a declaration its value, the tokens start..end.
func (p *reader) valued(d Declaration, from, start, end int) (Declaration, bool) {
	d.Span = p.span(from, end)
	value := p.uncommented(start, end)
	if i := strings.LastIndexByte(value, '!'); i >= 0 &&
		strings.EqualFold(strings.Trim(value[i+1:], " \t\r\n\f"), "important") {
		value, d.Important = value[:i], true
	}
	d.Value = strings.Trim(value, " \t\r\n\f")
	return d, d.Value != "" || strings.HasPrefix(d.Property, "--")
}

// uncommented is the text of tokens without comments: a space stands in their place.
func (p *reader) uncommented(from, to int) string {
	text := p.text(from, to)
	if !strings.Contains(text, "/*") {
		return text
	}
	var b strings.Builder
	for i := from; i < to; i++ {
		if p.toks[i].kind == lex.CommentToken {
			b.WriteByte(' ')
			continue
		}
		b.WriteString(p.text(i, i+1))
	}
	return b.String()
}
