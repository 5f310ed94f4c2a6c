package cascade

import (
	"slices"
	"strings"

	"tourmaline/core/css"
)

// AtLeast is a selector that selects the same of some elements as s does, with at least so much
// specificity. of are the elements that it is for.
func (s *Selector) AtLeast(need Specificity, of []*Element) *Selector {
	text := s.Text
	for range 64 { // each turn adds to one part
		list, err := ParseSelectors(text, nil)
		if err != nil || len(list) != 1 {
			return s
		}
		s = list[0]
		have := s.Specificity
		if have.Compare(need) >= 0 {
			return s
		}
		last := &s.parts[len(s.parts)-1]
		switch {
		case have[0] < need[0]:
			text = oneID(text, last, of)
		case have[1] < need[1]:
			text = oneClass(text, last, of)
		default:
			text = oneType(s, need, of)
		}
	}
	return s
}

// Weaker is a selector of the same elements without any specificity.
func (s *Selector) Weaker() *Selector {
	list, err := ParseSelectors(":where("+s.Text+")", nil)
	if err != nil || len(list) != 1 {
		return s
	}
	return list[0]
}

// oneID adds an id: that of an element around them all, their own, else one that nothing has.
func oneID(text string, last *compound, of []*Element) string {
	own := func(e *Element) []string { return []string{e.ID} }
	if id := common(of, own); len(id) == 1 && id[0] != "" && !slices.Contains(last.ids, id[0]) {
		return text + "#" + css.Ident(id[0])
	}
	around := common(of, func(e *Element) (ids []string) {
		for e = e.Parent; e != nil; e = e.Parent {
			if e.ID != "" {
				ids = append(ids, e.ID)
			}
		}
		return ids
	})
	for _, id := range around {
		if name := "#" + css.Ident(id); !strings.Contains(text, name) {
			return name + " " + text
		}
	}
	return text + ":not(#tourmaline)"
}

// oneClass adds a class that all elements have, else names one again, else the root.
func oneClass(text string, last *compound, of []*Element) string {
	for _, class := range common(of, func(e *Element) []string { return e.Classes }) {
		if !slices.Contains(last.classes, class) && plainName(class) {
			return text + "." + css.Ident(class)
		}
	}
	if len(last.classes) > 0 {
		return text + "." + css.Ident(last.classes[len(last.classes)-1])
	}
	if slices.ContainsFunc(of, func(e *Element) bool { return e.Parent == nil }) {
		return text + ":root"
	}
	return ":root " + text
}

// oneType names html and body before it, where it does not yet begin there, else a class.
func oneType(s *Selector, need Specificity, of []*Element) string {
	deep := !slices.ContainsFunc(of, func(e *Element) bool { return e.Parent == nil || e.Parent.Parent == nil })
	has := func(tag string) bool {
		return slices.ContainsFunc(s.parts, func(c compound) bool { return c.tag == tag })
	}
	switch {
	case deep && !has("body") && !has("html"):
		return "body " + s.Text
	case !has("html") && !slices.ContainsFunc(of, func(e *Element) bool { return e.Parent == nil }):
		return "html " + s.Text
	}
	return oneClass(s.Text, &s.parts[len(s.parts)-1], of)
}

// common are the names that all elements have.
func common(of []*Element, names func(*Element) []string) []string {
	if len(of) == 0 {
		return nil
	}
	out := slices.Clone(names(of[0]))
	for _, e := range of[1:] {
		out = slices.DeleteFunc(out, func(n string) bool { return !slices.Contains(names(e), n) })
	}
	return out
}

// plainName reports whether a class is a word that people would write: not one of utilities such as
// md:w-1/2.
func plainName(s string) bool {
	return s != "" && css.Ident(s) == s && !strings.ContainsAny(s, "0123456789")
}

// Tough is what stands in the way of a new rule.
type Tough struct {
	// Need is the specificity that its selector must have at least, placed after all others and in no layer.
	Need Specificity
	// After is the last of those that are as specific; nil: it may stand anywhere.
	After *Candidate
	// Blocked are declarations over which no selector wins: important ones, and those of the style attribute.
	Blocked []*Candidate
}

// Toughest says what stands in the way of a new rule's normal declarations of some longhands of an
// element, in whatever window. file is the stylesheet at the end of which it will stand: what comes later
// in the page must be less specific; "" the last.
func (p *Page) Toughest(e *Element, pseudo string, longhands []string, file string) (t Tough) {
	end, known := p.ends[file]
	meet := func(c *Candidate) {
		if p.valid(c.Declaration) != nil || !slices.ContainsFunc(longhands, func(n string) bool {
			return concerns(c.Declaration, n)
		}) {
			return
		}
		switch {
		case c.Declaration.Important, c.Bound == nil:
			t.Blocked = append(t.Blocked, c)
		case c.agent(), c.Bound.Layer.Name != "":
		default:
			s := c.specificity()
			if known && c.Bound.Order >= end {
				s[2]++
			}
			if s.Compare(t.Need) >= 0 {
				t.Need, t.After = s, c
			}
		}
	}
	o := p.own(e)
	for _, b := range o.rules {
		for i := range b.Rule.Declarations {
			if b.Selector.Pseudo == pseudo {
				meet(&Candidate{Declaration: &b.Rule.Declarations[i], Bound: b, order: i})
			}
		}
	}
	for i := range o.style {
		if pseudo == "" {
			meet(&Candidate{Declaration: &o.style[i], order: i})
		}
	}
	return t
}

// Final reports whether not even an important declaration of a rule in no layer wins over this one.
func (c *Candidate) Final() bool {
	return c.Declaration.Important && (c.Bound == nil || c.agent() || c.Bound.Layer.Name != "")
}

// InLayers reports whether any rule in a layer declares a longhand for an element.
func (p *Page) InLayers(e *Element, pseudo, longhand string) bool {
	for _, b := range p.own(e).rules {
		if b.Selector.Pseudo == pseudo && b.Layer.Name != "" && slices.ContainsFunc(b.Rule.Declarations,
			func(d Declaration) bool { return concerns(&d, longhand) }) {
			return true
		}
	}
	return false
}

// Dynamic are the rules that would concern an element if people did what they ask, as with :hover.
func (p *Page) Dynamic(e *Element) (out []*Bound) {
	for _, b := range p.dynamics {
		if p.matcher.Would(b.Selector, e) {
			out = append(out, b)
		}
	}
	return out
}

// Select are the elements that a list of selectors selects, of some.
func (p *Page) Select(list Selectors, of []*Element) (out []*Element) {
	for _, e := range of {
		if slices.ContainsFunc(list, func(s *Selector) bool { return p.matcher.Matches(s, e, nil) }) {
			out = append(out, e)
		}
	}
	return out
}
