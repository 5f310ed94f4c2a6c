package cascade

import (
	"slices"
	"strconv"
	"strings"

	lex "github.com/tdewolff/parse/v2/css"

	"tourmaline/core/css"
	"tourmaline/core/source"
)

// dynamic are the pseudo-classes that depend on what people do, or on what a page has done.
var dynamic = []string{"hover", "active", "focus", "focus-visible", "focus-within", "target", "target-within",
	"visited", "local-link", "fullscreen", "modal", "popover-open", "picture-in-picture", "playing", "paused",
	"seeking", "buffering", "stalled", "muted", "volume-locked", "user-valid", "user-invalid", "autofill", "current",
	"past", "future", "open", "state", "active-view-transition", "-webkit-autofill", "-webkit-full-screen",
	"-webkit-full-screen-ancestor", "-webkit-drag", "target-current", "target-before", "target-after",
	"interest-source", "interest-target", "xr-overlay"}

// plain are the pseudo-classes that a document alone decides. :host, and those of scroll bars, select nothing of it.
var plain = []string{"host", "horizontal", "vertical", "increment", "decrement", "start", "end", "double-button",
	"single-button", "no-button", "corner-present", "window-inactive", "-webkit-any-link",
	"root", "scope", "empty", "first-child", "last-child", "only-child", "first-of-type",
	"last-of-type", "only-of-type", "link", "any-link", "enabled", "disabled", "checked", "indeterminate", "default",
	"required", "optional", "read-only", "read-write", "placeholder-shown", "valid", "invalid", "in-range",
	"out-of-range", "defined"}

// pseudoElements with one colon, as of old.
var oldPseudoElements = []string{"before", "after", "first-line", "first-letter"}

var pseudoElements = append([]string{"marker", "placeholder", "selection", "backdrop", "file-selector-button",
	"target-text", "spelling-error", "grammar-error", "details-content", "highlight", "part", "slotted", "cue",
	"view-transition", "view-transition-group", "view-transition-image-pair", "view-transition-old",
	"view-transition-new", "scroll-button", "scroll-marker", "scroll-marker-group", "column", "checkmark", "picker",
	"picker-icon", "search-text", "permission-icon"}, oldPseudoElements...)

func (p *selectorReader) pseudo(c *compound, s *Selector) error {
	at := p.i
	p.i++
	element := p.kind() == lex.ColonToken
	if element {
		p.i++
	}
	function := p.kind() == lex.FunctionToken
	if !function && p.kind() != lex.IdentToken {
		return p.fail("a pseudo-class")
	}
	name := strings.ToLower(css.Unescape(strings.TrimSuffix(p.word(p.i), "(")))
	p.i++
	if element || slices.Contains(oldPseudoElements, name) && !function {
		return p.pseudoElement(name, function, s)
	}
	q := pseudo{name: name}
	var err error
	switch {
	case function:
		if err = p.function(&q, s); err == nil && p.kind() == lex.RightParenthesisToken {
			p.i++
		} else if err == nil && !p.end() {
			err = p.fail(`")"`)
		}
	case slices.Contains(dynamic, name):
		s.Dynamic = ":" + name
		s.Specificity[1]++
	case slices.Contains(plain, name):
		s.Specificity[1]++
	default:
		p.i = at
		return &source.SyntaxError{Text: ":" + name, Want: "a pseudo-class that browsers know",
			Off: int(p.toks[at].off)}
	}
	c.pseudos = append(c.pseudos, q)
	return err
}

func (p *selectorReader) pseudoElement(name string, function bool, s *Selector) error {
	if !slices.Contains(pseudoElements, name) && !strings.HasPrefix(name, "-webkit-") {
		return &source.SyntaxError{Text: "::" + name, Want: "a pseudo-element that browsers know",
			Off: int(p.toks[p.i-1].off)}
	}
	if s.Pseudo != "" {
		name = s.Pseudo + "::" + name
	}
	s.Pseudo = name
	s.Specificity[2]++
	if function {
		p.skipSelector()
		for p.kind() == lex.CommaToken {
			p.i++
			p.skipSelector()
		}
		if !p.end() {
			p.i++
		}
	}
	return nil
}

// most is the greatest specificity of a list.
func most(l Selectors) (m Specificity) {
	for _, s := range l {
		if s.Specificity.Compare(m) > 0 {
			m = s.Specificity
		}
	}
	return m
}

// function reads what stands in the brackets of a pseudo-class.
func (p *selectorReader) function(q *pseudo, s *Selector) (err error) {
	switch q.name {
	case "is", "where", "matches", "-webkit-any":
		q.args, err = p.list(false, true)
		// Pseudo-elements are not allowed there.
		q.args = slices.DeleteFunc(q.args, func(a *Selector) bool { return a.Pseudo != "" })
		if q.name != "where" {
			s.Specificity = s.Specificity.add(most(q.args))
		}
		q.name = "is"
	case "not":
		q.args, err = p.list(false, false)
		s.Specificity = s.Specificity.add(most(q.args))
	case "has":
		if p.within {
			return p.fail("a selector without :has() in :has()")
		}
		p.within = true
		q.args, err = p.list(true, false)
		p.within = false
		s.Specificity = s.Specificity.add(most(q.args))
	case "nth-child", "nth-last-child", "nth-of-type", "nth-last-of-type":
		s.Specificity[1]++
		err = p.nth(q, s)
	case "lang", "dir":
		s.Specificity[1]++
		p.space()
		if !p.name(p.i) && p.kind() != lex.StringToken {
			return p.fail("a word")
		}
		q.word = strings.ToLower(strings.Trim(css.Unescape(p.word(p.i)), `"'`))
		p.i++
		p.space()
	case "host", "host-context", "state", "active-view-transition-type":
		s.Specificity[1]++
		s.Dynamic = ":" + q.name + "()"
		p.skipSelector()
	default:
		return &source.SyntaxError{Text: ":" + q.name + "()", Want: "a pseudo-class that browsers know",
			Off: int(p.toks[p.i-1].off)}
	}
	for _, a := range q.args {
		if a.Pseudo != "" {
			return &source.SyntaxError{Text: a.Text, Want: "a selector without a pseudo-element",
				Off: int(p.toks[p.i-1].off)}
		}
	}
	return err
}

// nth reads An+B, and of with selectors.
// Source: CSS Syntax 3, 6 (https://www.w3.org/TR/css-syntax-3/#anb).
func (p *selectorReader) nth(q *pseudo, s *Selector) error {
	p.space()
	from := p.i
	for !p.end() && p.kind() != lex.RightParenthesisToken && !(p.kind() == lex.IdentToken &&
		strings.EqualFold(p.word(p.i), "of")) {
		p.i++
	}
	var ok bool
	if q.a, q.b, ok = anb(p.text[p.toks[from].off:p.toks[p.i].off]); !ok {
		p.i = from
		return p.fail("a number, odd, even, or such as 2n+1")
	}
	if p.kind() == lex.IdentToken && strings.HasSuffix(q.name, "-child") {
		p.i++
		var err error
		if q.args, err = p.list(false, false); err != nil {
			return err
		}
		s.Specificity = s.Specificity.add(most(q.args))
	}
	return nil
}

// anb reads An+B.
func anb(text string) (a, b int, ok bool) {
	t := strings.ToLower(strings.TrimSpace(text))
	switch t {
	case "odd":
		return 2, 1, true
	case "even":
		return 2, 0, true
	}
	num := func(s string) (int, bool) {
		v, err := strconv.Atoi(s)
		return min(max(v, -1<<30), 1<<30), err == nil && !strings.ContainsAny(s[1:], "+-")
	}
	step, rest, n := strings.Cut(t, "n")
	if !n {
		b, ok = 0, t != ""
		if ok {
			b, ok = num(t)
		}
		return 0, b, ok
	}
	switch step {
	case "", "+":
		a = 1
	case "-":
		a = -1
	default:
		if a, ok = num(step); !ok {
			return 0, 0, false
		}
	}
	rest = strings.TrimSpace(rest)
	if rest == "" {
		return a, 0, true
	}
	sign := rest[:1]
	digits := strings.TrimSpace(rest[1:])
	if sign != "+" && sign != "-" || digits == "" || strings.ContainsAny(digits, "+- ") {
		return 0, 0, false
	}
	b, ok = num(sign + digits)
	return a, b, ok
}
