package cascade

import (
	"slices"
	"strings"
)

// could reports whether a compound may select an element once scripts or people have changed its classes, attributes
// or state. What it asks for beyond these the element has: its type, its ids, and at least one of its classes, an id or
// its type where a class lacks, so that a class that stands alone is not taken for one that every element may get; html
// and body around an element that a selector names by an id or a class get any.
func (m *Matcher) could(c *compound, e *Element) bool {
	if c.tag != "" && c.tag != e.Tag || slices.ContainsFunc(c.ids, func(id string) bool { return !m.same(id, e.ID) }) {
		return false
	}
	known, lacks := len(c.ids) > 0, false
	for _, class := range c.classes {
		if slices.ContainsFunc(e.Classes, func(has string) bool { return m.same(class, has) }) {
			known = true
		} else {
			lacks = true
		}
	}
	if e == m.subject {
		if m.named = known; !known && c.tag == "" {
			return false
		}
	} else if m.named && (e.Parent == nil || e.Tag == "body") {
		known = true
	}
	if lacks && !known && (c.tag == "" || e != m.subject) {
		return false
	}
	for i := range c.attrs {
		if !c.attrs[i].matches(e) && !known && c.tag == "" {
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

// Later are the declarations of rules that do not select an element, or a pseudo-element of it, as the page is loaded,
// but may once scripts or people have set a class, an attribute or a state, such as .is-small or :hover: those of some
// longhands that would then win over all that the element always has.
func (p *Page) Later(e *Element, pseudo string, longhands []string) (out []*Candidate) {
	now := p.own(e).rules
	m := &p.matcher
	m.scope, m.live, m.later, m.subject = nil, true, true, e
	defer func() { m.live, m.later, m.subject = false, false, nil }()
	for _, b := range p.Rules {
		if b.Agent || b.Scope != nil || b.Selector.Pseudo != pseudo || slices.Contains(now, b) ||
			!slices.ContainsFunc(b.Rule.Declarations, func(d Declaration) bool { return concernsAny(&d, longhands) }) ||
			m.complex(b.Selector.parts, e, nil) != matched {
			continue
		}
		for i := range b.Rule.Declarations {
			d := &b.Rule.Declarations[i]
			c := &Candidate{Declaration: d, Bound: b, order: i}
			if concernsAny(d, longhands) && p.valid(d) == nil && p.overtakes(c, e, pseudo) {
				out = append(out, c)
			}
		}
	}
	return out
}

func concernsAny(d *Declaration, longhands []string) bool {
	return slices.ContainsFunc(longhands, func(n string) bool { return concerns(d, n) })
}

// overtakes reports whether a declaration would win over all of its longhands that an element has whatever the window.
func (p *Page) overtakes(c *Candidate, e *Element, pseudo string) bool {
	o := p.own(e)
	for _, b := range o.rules {
		if b.Selector.Pseudo != pseudo || len(b.Conditions) > 0 {
			continue
		}
		for i := range b.Rule.Declarations {
			have := &Candidate{Declaration: &b.Rule.Declarations[i], Bound: b, order: i}
			if share(c.Declaration, have.Declaration) && p.valid(have.Declaration) == nil {
				if d, _ := compare(c, have); d < 0 {
					return false
				}
			}
		}
	}
	for i := range o.style {
		have := &Candidate{Declaration: &o.style[i], order: i}
		if pseudo == "" && share(c.Declaration, have.Declaration) {
			if d, _ := compare(c, have); d < 0 {
				return false
			}
		}
	}
	return true
}

// share reports whether two declarations are of a longhand in common.
func share(a, b *Declaration) bool {
	if strings.HasPrefix(a.Property, "--") || strings.HasPrefix(b.Property, "--") {
		return a.Property == b.Property
	}
	return concernsAny(b, PartsOf(a.Property))
}

// Beats reports whether a declaration wins over another where both are for an element.
func (c *Candidate) Beats(o *Candidate) bool {
	d, _ := compare(c, o)
	return d > 0
}

// Owned are the declarations that an element, or a pseudo-element of it, has in any window, of the longhands of
// another.
func (p *Page) Owned(e *Element, pseudo string, of *Declaration) (out []*Candidate) {
	for _, b := range p.own(e).rules {
		for i := range b.Rule.Declarations {
			if d := &b.Rule.Declarations[i]; b.Selector.Pseudo == pseudo && share(of, d) {
				out = append(out, &Candidate{Declaration: d, Bound: b, order: i})
			}
		}
	}
	return out
}
