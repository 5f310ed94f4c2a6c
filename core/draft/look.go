package draft

import (
	"fmt"
	"iter"
	"slices"
	"strings"

	"tourmaline/core/cascade"
	"tourmaline/core/trace"
	"tourmaline/core/window"
)

// part is an element, or a pseudo-element of it.
type part struct {
	e      *cascade.Element
	pseudo string
}

// look is what an element, or a pseudo-element, has over some widths.
type look struct {
	kind
	cascade.Part
}

// in are the page's spans in windows of a kind.
func (d *drafter) in(k kind) []cascade.Span {
	s, ok := d.spans[k]
	if !ok {
		s = d.page.SpansBy(k.at, d.Widths[0], d.Widths[1])
		d.spans[k] = s
	}
	return s
}

// looks are what an element or a pseudo-element of it has over the widths: first with no mode on, then in each other
// shape, then with each mode that may change it, alone. Where no rule makes a pseudo-element there are none, nor in
// the head.
func (d *drafter) looks(e *cascade.Element, pseudo string) []look {
	if d.page == nil || pseudo != "" && !d.page.HasRules(e, pseudo) {
		return nil
	}
	out, ok := d.known[part{e, pseudo}]
	if ok {
		return out
	}
	for a := e; a != nil; a = a.Parent {
		if a.Tag == "head" {
			return nil
		}
	}
	shapes, _ := d.shapes(e)
	kinds := []kind{}
	for _, s := range shapes {
		kinds = append(kinds, kind{0, s})
	}
	for _, m := range d.page.Modes(e).Each() {
		kinds = append(kinds, kind{m.Bit, shapes[0]})
	}
	for _, k := range kinds {
		for _, p := range cascade.Parts(d.in(k), e, pseudo) {
			out = append(out, look{k, p})
		}
	}
	d.known[part{e, pseudo}] = out
	return out
}

// shows is what an element is seen to show, in a word; "" nothing, or it is not seen.
func (d *drafter) shows(l *look, e *cascade.Element) string {
	if trace.Hidden(l.Window, e, l.Computed) != nil {
		return ""
	}
	values := map[string]string{}
	for _, name := range []string{"background-image", "background-color"} {
		values[name] = trace.Value(d.page, l.Computed, l.Window, name)
	}
	return trace.Shows(values)
}

// face is what an element is like over the widths in windows of a kind, the narrowest first.
type face struct {
	kind
	states []state
}

// each gives all states of some faces, to be changed.
func each(faces []face) iter.Seq[*state] {
	return func(yield func(*state) bool) {
		for i := range faces {
			for k := range faces[i].states {
				if !yield(&faces[i].states[k]) {
					return
				}
			}
		}
	}
}

// states are what an element is like over the widths with no mode on.
func (d *drafter) states(e *cascade.Element) []state {
	shapes, _ := d.shapes(e)
	return d.over(kind{0, shapes[0]}, e)
}

// over are what an element is like over the widths in windows of a kind; neighbours that are alike are one.
func (d *drafter) over(in kind, e *cascade.Element) (out []state) {
	parts := cascade.Parts(d.in(in), e, "")
	text := wording(e)
	var key strings.Builder // parts of the same values, whose text has the same, make the same states
	for _, p := range parts {
		fmt.Fprintf(&key, "%d %d %p ", p.From, p.To, p.Computed)
		if text != nil {
			fmt.Fprintf(&key, "%p ", p.Window.Of(text, ""))
		}
	}
	k := key.String()
	if known, ok := d.made[k]; ok {
		return cloned(known)
	}
	for _, p := range parts {
		s := d.state(e, p)
		if n := len(out); n > 0 && out[n-1].same(&s) {
			out[n-1].to = s.to
			continue
		}
		out = append(out, s)
	}
	d.made[k] = cloned(out)
	return out
}

// cloned are states that may be changed.
func cloned(list []state) []state {
	out := slices.Clone(list)
	for i := range out {
		out[i].keys, out[i].notes = slices.Clone(out[i].keys), slices.Clone(out[i].notes)
	}
	return out
}

// mostFaces are how many combinations of modes are all tried.
const mostFaces = 64

// faces are those of an element: first as the box itself is, then in other shapes, then with each mode, then with more
// together. Of many modes those together are tried that change it each by itself, and all pairs.
func (d *drafter) faces(e *cascade.Element) (out []face) {
	shapes, _ := d.shapes(e)
	for _, s := range shapes {
		k := kind{0, s}
		out = append(out, face{k, d.over(k, e)})
	}
	all := d.page.Modes(e).Subsets()[1:]
	var apart window.Modes // modes that change it, each by itself
	for _, m := range all {
		n := len(m.Each())
		if len(all) > mostFaces && n > 2 && m&^apart != 0 {
			continue
		}
		for i, s := range shapes {
			k := kind{m, s}
			f := face{k, d.over(k, e)}
			if n == 1 && !slices.EqualFunc(f.states, out[i].states, func(a, b state) bool {
				return a.from == b.from && a.to == b.to && a.same(&b)
			}) {
				apart |= m
			}
			out = append(out, f)
		}
	}
	return out
}
