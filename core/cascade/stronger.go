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

// Toughest is the specificity that a selector needs so that its normal declarations of some longhands,
// placed after all others and in no layer, win for an element in every window. Where none does, the
// declaration is given that stands in the way: one that is important, or of the style attribute. after
// is the last of those that are just as specific; nil: it may stand anywhere.
func (p *Page) Toughest(e *Element, pseudo string, longhands []string) (need Specificity, after, blocked *Candidate) {
	o := p.own(e)
	meet := func(c *Candidate) {
		if p.valid(c.Declaration) != nil || !slices.ContainsFunc(longhands, func(n string) bool {
			return concerns(c.Declaration, n)
		}) {
			return
		}
		switch {
		case c.agent():
			if c.Declaration.Important {
				blocked = c
			}
		case c.Declaration.Important, c.Bound == nil:
			if blocked == nil || c.Declaration.Important && !blocked.Declaration.Important {
				blocked = c
			}
		case c.Bound.Layer.Name != "":
		default:
			if d := c.specificity().Compare(need); d > 0 || d == 0 {
				need, after = c.specificity(), c
			}
		}
	}
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
	return need, after, blocked
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
