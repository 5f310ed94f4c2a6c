package cascade

import (
	"strings"

	lex "github.com/tdewolff/parse/v2/css"

	"tourmaline/core/css"
)

// customs are the custom properties of an element; what is not in it is its parent's.
type customs struct {
	parent *customs
	values map[string]customValue
	page   *Page
}

type customValue struct {
	text  string
	valid bool
}

// maxSubstituted is the most bytes that a value may grow to, and maxVars how deep they may stand in each
// other: hostile ones grow by powers.
const (
	maxSubstituted = 1 << 16
	maxVars        = 100
)

// customs computes an element's custom properties.
// Source: CSS Variables 1, 2 (https://www.w3.org/TR/css-variables-1/#defining-variables).
func (c *Computed) customs(w *Window, parent *Computed, by map[string][]*Candidate) {
	c.custom = &customs{page: w.Page}
	if parent.custom != nil {
		c.custom.parent = parent.custom
	}
	var declared map[string][]*Candidate
	for name, list := range by {
		if strings.HasPrefix(name, "--") {
			if declared == nil {
				declared = map[string][]*Candidate{}
			}
			declared[name] = list
		}
	}
	if declared == nil {
		return
	}
	c.custom.values = map[string]customValue{}
	r := resolver{customs: c.custom, declared: declared, state: map[string]int{}}
	for name := range declared {
		r.resolve(name)
	}
}

// resolver resolves custom properties that name each other.
type resolver struct {
	*customs
	declared map[string][]*Candidate
	state    map[string]int // 1: at work, 2: done, 3: in a cycle
	stack    []string
}

func (r *resolver) resolve(name string) customValue {
	list, ok := r.declared[name]
	switch {
	case !ok:
		return r.parent.get(name, r.page)
	case r.state[name] == 2 || r.state[name] == 3:
		return r.values[name]
	case r.state[name] == 1: // all from there on are in a cycle
		for i := len(r.stack) - 1; i >= 0; i-- {
			r.state[r.stack[i]] = 3
			if r.stack[i] == name {
				break
			}
		}
		return customValue{}
	}
	r.state[name] = 1
	r.stack = append(r.stack, name)
	v := r.value(name, list)
	r.stack = r.stack[:len(r.stack)-1]
	if r.state[name] == 3 {
		v = customValue{}
	}
	if r.state[name] == 1 {
		r.state[name] = 2
	}
	r.values[name] = v
	return v
}

func (r *resolver) value(name string, list []*Candidate) customValue {
	inherited := func() customValue {
		if g, ok := r.page.Registered[name]; ok && !g.Inherits {
			return customValue{g.Initial, g.Initial != ""}
		}
		return r.parent.get(name, r.page)
	}
	for len(list) > 0 {
		text := list[0].Declaration.Value
		switch strings.ToLower(text) {
		case "revert", "revert-layer":
			list = rolledBack(list, strings.EqualFold(text, "revert"))
			continue
		case "initial":
			g := r.page.Registered[name]
			return customValue{g.Initial, g.Initial != ""}
		case "inherit":
			return r.parent.get(name, r.page)
		case "unset":
			return inherited()
		}
		if !hasVar(text) {
			return customValue{text, true}
		}
		s := substitution{get: r.resolve}
		out, ok := s.replace(text, 0)
		if !ok {
			if _, registered := r.page.Registered[name]; registered {
				return inherited()
			}
			return customValue{}
		}
		return customValue{out, true}
	}
	return inherited()
}

// get is the value of a custom property.
func (c *customs) get(name string, p *Page) customValue {
	g, registered := p.Registered[name]
	for own := true; c != nil; c, own = c.parent, false {
		if registered && !g.Inherits && !own {
			break
		}
		if v, ok := c.values[name]; ok {
			return v
		}
	}
	if registered && g.Initial != "" {
		return customValue{g.Initial, true}
	}
	return customValue{}
}

// substitute puts values in place of var(); false where the whole is invalid at computed-value time.
func (c *customs) substitute(text string) (string, bool) {
	s := substitution{get: func(name string) customValue { return c.get(name, c.page) }}
	return s.replace(text, 0)
}

// hasVar reports whether a value holds var().
func hasVar(text string) bool {
	for i := 0; ; {
		k := strings.IndexByte(text[i:], '(')
		if k < 0 {
			return false
		}
		if i += k; i >= 3 && strings.EqualFold(text[i-3:i], "var") {
			return true
		}
		i++
	}
}

// substitution replaces var() in values, up to a size.
type substitution struct {
	get  func(name string) customValue
	size int
}

// replace puts values in place of var(), fallbacks too.
// Source: CSS Variables 1, 3 (https://www.w3.org/TR/css-variables-1/#using-variables).
func (s *substitution) replace(text string, depth int) (string, bool) {
	if depth > maxVars {
		return "", false
	}
	p := newPrelude(text)
	var out strings.Builder
	at := 0
	for p.kind() != lex.ErrorToken {
		if p.kind() != lex.FunctionToken || !strings.EqualFold(css.Unescape(p.word()), "var(") {
			p.i++
			continue
		}
		out.WriteString(text[at:p.toks[p.i].off])
		inner := p.brackets()
		at = int(p.toks[p.i].off)
		if p.i > 0 {
			at = p.ends[p.i-1]
		}
		v, ok := s.one(inner, depth)
		if !ok {
			return "", false
		}
		if s.size += len(v); s.size > maxSubstituted {
			return "", false
		}
		out.WriteString(v)
	}
	out.WriteString(text[at:])
	return out.String(), true
}

// one is the value of what stands in the brackets of a var().
func (s *substitution) one(inner string, depth int) (string, bool) {
	name, fallback, has := strings.Cut(inner, ",")
	name = css.Unescape(strings.TrimSpace(name))
	if !strings.HasPrefix(name, "--") {
		return "", false
	}
	if v := s.get(name); v.valid {
		return v.text, true
	}
	if !has {
		return "", false
	}
	if !hasVar(fallback) {
		return fallback, true
	}
	return s.replace(fallback, depth+1)
}
