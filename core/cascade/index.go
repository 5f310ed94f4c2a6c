package cascade

import "slices"

// index finds the rules that an element may match by what their last compound asks.
type index struct {
	ids, classes, tags map[string][]*Bound
	rest               []*Bound
}

func newIndex(rules []*Bound) index {
	x := index{ids: map[string][]*Bound{}, classes: map[string][]*Bound{}, tags: map[string][]*Bound{}}
	for _, b := range rules {
		last := &b.Selector.parts[len(b.Selector.parts)-1]
		switch {
		case len(last.ids) > 0:
			x.ids[last.ids[0]] = append(x.ids[last.ids[0]], b)
		case len(last.classes) > 0:
			x.classes[last.classes[0]] = append(x.classes[last.classes[0]], b)
		case last.tag != "":
			x.tags[last.tag] = append(x.tags[last.tag], b)
		default:
			x.rest = append(x.rest, b)
		}
	}
	return x
}

// Matching are the rules whose selectors select an element, or its pseudo-element, in the page's order.
// Whether their conditions hold is not asked.
func (s *Styles) Matching(m *Matcher, e *Element) (out []*Bound) {
	try := func(list []*Bound) {
		for _, b := range list {
			if m.Exhausted() {
				return
			}
			if b.matches(m, e) {
				out = append(out, b)
			}
		}
	}
	x := &s.index
	if m.Quirks {
		try(s.Rules)
		return out
	}
	if e.ID != "" {
		try(x.ids[e.ID])
	}
	for i, class := range e.Classes {
		if !slices.Contains(e.Classes[:i], class) {
			try(x.classes[class])
		}
	}
	try(x.tags[e.Tag])
	try(x.rest)
	slices.SortFunc(out, func(a, b *Bound) int { return a.Order - b.Order })
	return out
}

func (b *Bound) matches(m *Matcher, e *Element) bool {
	if b.Scope == nil {
		return m.Matches(b.Selector, e, nil)
	}
	return b.Scope.around(m, e, func(root *Element) bool { return m.Matches(b.Selector, e, root) })
}

// around reports whether f holds for a root of the scope that an element stands in, or is.
func (c *Scope) around(m *Matcher, e *Element, f func(root *Element) bool) bool {
	for root := e; root != nil; root = root.Parent {
		if c.Root != nil && !m.any(c.Root, root) || c.Root == nil && (c.within == nil && root.Parent != nil ||
			c.within != nil && root != c.within) {
			continue
		}
		if !c.ended(m, e, root) && f(root) {
			return true
		}
	}
	return false
}

// ended reports whether a limit of the scope stands between its root and an element, or is it.
func (c *Scope) ended(m *Matcher, e, root *Element) bool {
	m.scope = root
	for a := e; a != nil; a = a.Parent {
		if m.any(c.End, a) {
			return true
		}
		if a == root {
			return false
		}
	}
	return false
}

// Away is how many elements a rule's scope root is above an element: fewer win. Rules without a scope
// are furthest.
func (b *Bound) Away(m *Matcher, e *Element) int {
	const none = 1 << 30
	if b.Scope == nil {
		return none
	}
	away, best := 0, none
	for root := e; root != nil && best == none; root = root.Parent {
		at := root
		if b.Scope.around(m, e, func(r *Element) bool { return r == at && m.Matches(b.Selector, e, r) }) {
			best = away
		}
		away++
	}
	return best
}
