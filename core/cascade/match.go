package cascade

import (
	"slices"
	"strings"

	"tourmaline/core/source"
)

// Element is an element of a page, as selectors see it.
type Element struct {
	Tag     string // lower case
	ID      string
	Classes []string
	Attrs   []Attr
	Parent  *Element
	// Children are the elements in it, in their order, each with its place in Index.
	Children []*Element
	Index    int
	Text     bool   // it has text beside elements, even if white space
	Words    string // the first of that text, without white space around it
	Foreign  bool   // it is of SVG or MathML

	At    source.Span // its start tag; zero where the document only implies it
	Style source.Span // the value of its style attribute; zero where it has none
}

// Attr is an attribute: its name in lower case.
type Attr struct{ Name, Value string }

// Attr is the value of an attribute.
func (e *Element) Attr(name string) (value string, ok bool) {
	for i := range e.Attrs {
		if e.Attrs[i].Name == name {
			return e.Attrs[i].Value, true
		}
	}
	return "", false
}

// Matcher matches selectors with elements. It is not safe in parallel.
type Matcher struct {
	// Quirks: ids and classes are compared without letter case, as in pages without a doctype.
	Quirks bool
	// Work is how many steps are left; at 0 nothing matches any more, and Exhausted is told.
	Work  int
	scope *Element
	live  bool // people do what dynamic pseudo-classes ask
	later bool // elements have other classes and attributes, too: see could
	// subject is the element that later is asked for, and named: the selector names it by an id or a class that it has.
	subject *Element
	named   bool
	types   map[*Element][][2]int // by parent, of each child: its place among those of its type, and their number
}

// ofType is an element's place among its siblings of its type, from 1, and how many those are.
func (m *Matcher) ofType(e *Element) (at, all int) {
	if e.Parent == nil {
		return 1, 1
	}
	list, ok := m.types[e.Parent]
	if !ok {
		list = make([][2]int, len(e.Parent.Children))
		count := map[string]int{}
		for i, s := range e.Parent.Children {
			count[s.Tag]++
			list[i][0] = count[s.Tag]
		}
		for i, s := range e.Parent.Children {
			list[i][1] = count[s.Tag]
		}
		if m.types == nil {
			m.types = map[*Element][][2]int{}
		}
		m.types[e.Parent] = list
	}
	return list[e.Index][0], list[e.Index][1]
}

// Exhausted reports whether matching was given up.
func (m *Matcher) Exhausted() bool { return m.Work <= 0 }

// Matches reports whether a selector selects an element, or its pseudo-element. scope is what :scope
// stands for; nil: the root.
func (m *Matcher) Matches(s *Selector, e, scope *Element) bool {
	m.scope = scope
	return s.Dynamic == "" && m.complex(s.parts, e, nil) == matched
}

// Would reports whether a selector would select an element if people did what its dynamic
// pseudo-class asks, as with :hover.
func (m *Matcher) Would(s *Selector, e *Element) bool {
	m.scope, m.live = nil, true
	defer func() { m.live = false }()
	return s.Dynamic != "" && m.complex(s.parts, e, nil) == matched
}

// outcome tells how a selector failed, so that ancestors are not searched in vain.
type outcome int

const (
	matched    outcome = iota
	failsHere          // another element of the last search may do
	failsLevel         // no other sibling will do
	failsWhole         // no other ancestor will do either
)

// complex matches parts with an element, from the right. anchor is what the first part's relation
// begins at, of :has; else nil.
func (m *Matcher) complex(parts []compound, e, anchor *Element) outcome {
	if m.Work--; m.Work <= 0 {
		return failsWhole
	}
	last := &parts[len(parts)-1]
	if !m.compound(last, e) {
		return failsHere
	}
	rest := parts[:len(parts)-1]
	if len(rest) == 0 {
		if anchor == nil || related(last.relation, e, anchor) {
			return matched
		}
		return failsHere
	}
	switch last.relation {
	case '>':
		if e.Parent == nil {
			return failsWhole
		}
		if r := m.complex(rest, e.Parent, anchor); r == matched || r == failsWhole {
			return r
		}
		return failsLevel
	case '+':
		if e.Parent == nil || e.Index == 0 {
			return failsLevel
		}
		return m.complex(rest, e.Parent.Children[e.Index-1], anchor)
	case '~':
		if e.Parent != nil {
			for i := e.Index - 1; i >= 0; i-- {
				if r := m.complex(rest, e.Parent.Children[i], anchor); r != failsHere {
					return r
				}
			}
		}
		return failsLevel
	}
	for a := e.Parent; a != nil; a = a.Parent {
		if r := m.complex(rest, a, anchor); r == matched || r == failsWhole {
			return r
		}
	}
	return failsWhole
}

// related reports whether an element stands in a relation to an anchor.
func related(relation byte, e, anchor *Element) bool {
	switch relation {
	case '>':
		return e.Parent == anchor
	case '+':
		return e.Parent == anchor.Parent && e.Index == anchor.Index+1
	case '~':
		return e.Parent == anchor.Parent && e.Index > anchor.Index
	}
	for a := e.Parent; a != nil; a = a.Parent {
		if a == anchor {
			return true
		}
	}
	return false
}

// any reports whether one of some selectors matches.
func (m *Matcher) any(l Selectors, e *Element) bool {
	for _, s := range l {
		if s.Dynamic == "" && s.Pseudo == "" && m.complex(s.parts, e, nil) == matched {
			return true
		}
	}
	return false
}

func (m *Matcher) same(a, b string) bool { return a == b || m.Quirks && strings.EqualFold(a, b) }

func (m *Matcher) compound(c *compound, e *Element) bool {
	if m.later {
		return m.could(c, e)
	}
	if c.tag != "" && c.tag != e.Tag {
		return false
	}
	for _, id := range c.ids {
		if e.ID == "" || !m.same(id, e.ID) {
			return false
		}
	}
	for _, class := range c.classes {
		if !slices.ContainsFunc(e.Classes, func(has string) bool { return m.same(class, has) }) {
			return false
		}
	}
	for i := range c.attrs {
		if !c.attrs[i].matches(e) {
			return false
		}
	}
	for i := range c.pseudos {
		if !m.pseudo(&c.pseudos[i], e) {
			return false
		}
	}
	return true
}

func (a *attribute) matches(e *Element) bool {
	has, ok := e.Attr(a.name)
	if !ok || a.op == 0 {
		return ok
	}
	want := a.value
	if a.fold {
		has, want = strings.ToLower(has), strings.ToLower(want)
	}
	switch a.op {
	case '~':
		return want != "" && slices.Contains(strings.Fields(has), want)
	case '|':
		return has == want || strings.HasPrefix(has, want+"-")
	case '^':
		return want != "" && strings.HasPrefix(has, want)
	case '$':
		return want != "" && strings.HasSuffix(has, want)
	case '*':
		return want != "" && strings.Contains(has, want)
	}
	return has == want
}

// siblings are the element and those beside it.
func (e *Element) siblings() []*Element {
	if e.Parent == nil {
		return []*Element{e}
	}
	return e.Parent.Children
}

// place is the element's place among its siblings that count, from 1, and how many those are.
func (e *Element) place(counts func(*Element) bool) (at, all int) {
	for _, s := range e.siblings() {
		if s == e || counts(s) {
			all++
			if s.Index == e.Index {
				at = all
			}
		}
	}
	return at, all
}

// step reports whether a place is one of An+B.
func (p *pseudo) step(place int) bool {
	d := place - p.b
	if p.a == 0 {
		return d == 0
	}
	return d%p.a == 0 && d/p.a >= 0
}

func (m *Matcher) pseudo(p *pseudo, e *Element) bool {
	if m.Work--; m.Work <= 0 {
		return false
	}
	switch p.name {
	case "&":
		if p.args == nil {
			return e.Parent == nil
		}
		return m.any(p.args, e)
	case "is":
		return m.any(p.args, e)
	case "not":
		for _, s := range p.args { // what depends on people does not match, nor does its opposite
			if s.Dynamic == "" && m.complex(s.parts, e, nil) == matched {
				return false
			}
		}
		return true
	case "has":
		return slices.ContainsFunc(p.args, func(s *Selector) bool { return s.Dynamic == "" && m.has(s.parts, e) })
	case "scope":
		return e == m.scope || m.scope == nil && e.Parent == nil
	case "root":
		return e.Parent == nil
	case "empty":
		return len(e.Children) == 0 && !e.Text
	case "first-child":
		return e.Index == 0
	case "last-child":
		return e.Index == len(e.siblings())-1
	case "only-child":
		return len(e.siblings()) == 1
	case "nth-child", "nth-last-child":
		if p.args == nil {
			return p.counted(e.Index+1, len(e.siblings()))
		}
		if !m.any(p.args, e) {
			return false
		}
		m.Work -= len(e.siblings())
		return p.counted(e.place(func(s *Element) bool { return m.any(p.args, s) }))
	case "nth-of-type", "nth-last-of-type":
		return p.counted(m.ofType(e))
	case "first-of-type", "last-of-type", "only-of-type":
		at, n := m.ofType(e)
		return (at == 1 || p.name == "last-of-type") && (at == n || p.name == "first-of-type")
	}
	return m.state(p, e)
}

func (p *pseudo) counted(at, n int) bool {
	if strings.HasPrefix(p.name, "nth-last") {
		at = n + 1 - at
	}
	return p.step(at)
}

// has searches below or beside an element for what stands in that relation to it.
func (m *Matcher) has(parts []compound, e *Element) bool {
	var search func(s *Element) bool
	search = func(s *Element) bool {
		if m.Exhausted() {
			return false
		}
		if m.complex(parts, s, e) == matched {
			return true
		}
		return slices.ContainsFunc(s.Children, search)
	}
	if r := parts[0].relation; r != '+' && r != '~' {
		return slices.ContainsFunc(e.Children, search)
	}
	return e.Parent != nil && slices.ContainsFunc(e.Parent.Children[e.Index+1:], search)
}

// state matches what the attributes of forms, links and languages say, as the page is loaded.
// Source: HTML, 4.16.3 Pseudo-classes.
func (m *Matcher) state(p *pseudo, e *Element) bool {
	has := func(name string) bool { _, ok := e.Attr(name); return ok }
	kind, _ := e.Attr("type")
	kind = strings.ToLower(kind)
	switch p.name {
	case "link", "any-link", "-webkit-any-link":
		return (e.Tag == "a" || e.Tag == "area") && has("href")
	case "checked":
		return e.Tag == "input" && (kind == "checkbox" || kind == "radio") && has("checked") ||
			e.Tag == "option" && has("selected")
	case "default":
		return e.Tag == "input" && (kind == "checkbox" || kind == "radio") && has("checked") ||
			e.Tag == "option" && has("selected")
	case "disabled":
		return e.disabled()
	case "enabled":
		return e.control() && !e.disabled()
	case "required":
		return e.input() && has("required")
	case "optional":
		return e.input() && !has("required")
	case "read-write":
		return e.writable()
	case "read-only":
		return !e.Foreign && !e.writable()
	case "placeholder-shown":
		v, _ := e.Attr("value")
		return has("placeholder") && (e.Tag == "input" && v == "" || e.Tag == "textarea" && !e.Text)
	case "defined":
		return !strings.Contains(e.Tag, "-")
	case "lang":
		for a := e; a != nil; a = a.Parent {
			if v, ok := a.Attr("lang"); ok {
				v = strings.ToLower(v)
				return v == p.word || strings.HasPrefix(v, p.word+"-")
			}
		}
	case "dir":
		for a := e; a != nil; a = a.Parent {
			if v, ok := a.Attr("dir"); ok && (strings.EqualFold(v, "rtl") || strings.EqualFold(v, "ltr")) {
				return strings.EqualFold(v, p.word)
			}
		}
		return p.word == "ltr"
	}
	// Others are of values that are typed in: not as the page is loaded.
	return m.live && slices.Contains(dynamic, p.name)
}

func (e *Element) input() bool { return e.Tag == "input" || e.Tag == "select" || e.Tag == "textarea" }

func (e *Element) control() bool {
	return e.input() || e.Tag == "button" || e.Tag == "option" || e.Tag == "optgroup" || e.Tag == "fieldset"
}

func (e *Element) disabled() bool {
	if !e.control() {
		return false
	}
	if _, ok := e.Attr("disabled"); ok {
		return true
	}
	if e.Tag == "option" {
		if p := e.Parent; p != nil && p.Tag == "optgroup" {
			return p.disabled()
		}
		return false
	}
	for child, a := e, e.Parent; a != nil; child, a = a, a.Parent {
		if _, ok := a.Attr("disabled"); ok && a.Tag == "fieldset" {
			legend := child.Tag == "legend"
			for _, s := range a.Children[:child.Index] {
				legend = legend && s.Tag != "legend"
			}
			return !legend
		}
	}
	return false
}

// texts are the kinds of input that are written in.
var texts = []string{"", "text", "search", "url", "tel", "email", "password", "date", "month", "week", "time",
	"datetime-local", "number"}

func (e *Element) writable() bool {
	_, fixed := e.Attr("readonly")
	kind, _ := e.Attr("type")
	switch {
	case e.Tag == "textarea", e.Tag == "input" && slices.Contains(texts, strings.ToLower(kind)):
		return !fixed && !e.disabled()
	}
	for a := e; a != nil; a = a.Parent {
		if v, ok := a.Attr("contenteditable"); ok {
			return !strings.EqualFold(v, "false")
		}
	}
	return false
}
