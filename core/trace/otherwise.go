package trace

import (
	"fmt"
	"slices"
	"strings"

	"tourmaline/core/cascade"
	"tourmaline/core/css"
	"tourmaline/core/window"
)

// Change is what an element has in windows that are not as those that were asked for in more than width:
// of another height or density, or with a mode on.
type Change struct {
	When     string
	From, To int
	Values   map[string]string // those that differ
	Range    *Range
}

// variant are windows that differ from those asked for in one thing.
type variant struct {
	when  string
	env   css.Env
	spans []cascade.Span
}

// Heights that windows are tried at, CSS px, and how many of their ranges are told.
const (
	lowest      = 200
	highest     = 2400
	mostHeights = 6
)

// mentions reports whether any of some conditions speaks of a thing.
func mentions(conditions []string, words ...string) bool {
	return slices.ContainsFunc(conditions, func(c string) bool {
		c = strings.ToLower(c)
		return slices.ContainsFunc(words, func(w string) bool { return strings.Contains(c, w) })
	})
}

// words of media features that speak of more than the width.
var (
	ofHeight  = []string{"height"}
	ofShape   = []string{"orientation", "aspect-ratio"}
	ofDensity = []string{"resolution", "pixel-ratio"}
)

// variants are the windows in which some conditions answer otherwise, whatever the width, and those with some modes
// on.
func (r *Result) variants(all []string, modes window.Modes) []variant {
	key := strings.Join(append(all, modes.String()), "\n")
	if v, ok := r.other[key]; ok {
		return v
	}
	var out []variant
	base := r.Options.Env
	add := func(when string, change func(*css.Env)) {
		v := variant{when: when, env: base}
		if change(&v.env); v.env != base {
			v.spans = r.spansAt(v.env)
			out = append(out, v)
		}
	}
	if mentions(all, ofHeight...) {
		r.heights(all, add)
	}
	if mentions(all, ofDensity...) {
		r.densities(all, add)
	}
	for _, m := range modes.Each() {
		add(m.In, func(e *css.Env) { e.Modes |= m.Bit })
	}
	if r.other == nil {
		r.other = map[string][]variant{}
	}
	r.other[key] = out
	return out
}

// spansAt are the page's spans in windows that are otherwise.
func (r *Result) spansAt(env css.Env) []cascade.Span {
	s, ok := r.elsewhere[env]
	if !ok {
		if r.elsewhere == nil {
			r.elsewhere = map[css.Env][]cascade.Span{}
		}
		s = r.Page.Spans(env, r.Options.Widths[0], r.Options.Widths[1])
		r.elsewhere[env] = s
	}
	return s
}

// answers are those of the conditions of some that speak of a thing, at some widths.
func (r *Result) answers(of []string, env css.Env, words []string) string {
	low, high := float64(r.Options.Widths[0]), float64(r.Options.Widths[1])
	var b []byte
	for i := range r.Page.Conditions {
		c := &r.Page.Conditions[i]
		if c.Container || !slices.Contains(of, c.Text) || !mentions([]string{c.Text}, words...) {
			continue
		}
		for _, env.Width = range []float64{low, (low + high) / 2, high} {
			if c.Media.Holds(&env.Window) {
				b = append(b, '1')
			} else {
				b = append(b, '0')
			}
		}
	}
	return string(b)
}

// densities adds a variant for each run of usual densities at which the conditions answer alike.
func (r *Result) densities(of []string, add func(string, func(*css.Env))) {
	usual := []float64{1, 1.5, 2, 3, 4}
	at := func(d float64) string {
		env := r.Options.Env
		env.Density = d
		return r.answers(of, env, ofDensity)
	}
	mine := at(r.Options.Env.Density)
	for i := 0; i < len(usual); i++ {
		from, answer := usual[i], at(usual[i])
		for i+1 < len(usual) && at(usual[i+1]) == answer {
			i++
		}
		when := fmt.Sprintf("at density %g", from)
		switch to := usual[i]; {
		case i == len(usual)-1:
			when = fmt.Sprintf("from density %g on", from)
		case to != from:
			when = fmt.Sprintf("at densities %g to %g", from, to)
		}
		if answer != mine {
			add(when, func(e *css.Env) { e.Density = from })
		}
	}
}

// heights adds a variant for each range of heights in which the conditions on heights alone answer alike.
func (r *Result) heights(of []string, add func(string, func(*css.Env))) {
	at := func(h int) string {
		if h > highest {
			return ""
		}
		env := r.Options.Env
		env.Height = float64(h)
		return r.answers(of, env, ofHeight)
	}
	mine := r.answers(of, r.Options.Env, ofHeight)
	told := 0
	from, last := lowest, at(lowest)
	for h := lowest + 1; h <= highest+1; h++ {
		now := at(h)
		if h <= highest && now == last {
			continue
		}
		if last != mine && told < mostHeights {
			told++
			when := fmt.Sprintf("in windows %d-%d px high", from, h-1)
			switch {
			case from == lowest:
				when = fmt.Sprintf("in windows up to %d px high", h-1)
			case h > highest:
				when = fmt.Sprintf("in windows from %d px high on", from)
			}
			height := float64(from)
			add(when, func(e *css.Env) { e.Height = height })
		}
		from, last = h, now
	}
}

// Shape is a condition on the shape of the window, of width and height together, that rules of the element
// stand under; "" where there is none. What differs by height is not told then.
func (e *Element) Shape() string {
	for _, c := range e.result.Page.Under(e.Element, e.Pseudo) {
		if mentions([]string{c}, ofShape...) {
			return c
		}
	}
	return ""
}

// Otherwise is what differs in other windows: only where rules of the element stand under such conditions.
func (e *Element) Otherwise() (out []Change) {
	r := e.result
	if r.Options.Windows != nil {
		return nil
	}
	under := r.Page.Under(e.Element, e.Pseudo)
	modes := r.Page.Modes(e.Element)
	if !mentions(under, slices.Concat(ofHeight, ofDensity)...) && modes == 0 {
		return nil
	}
	for _, v := range r.variants(under, modes) {
		if v.env.Height != r.Options.Env.Height && e.Shape() != "" {
			continue
		}
		other := &Element{Element: e.Element, Pseudo: e.Pseudo, result: r}
		for _, p := range cascade.Parts(v.spans, e.Element, e.Pseudo) {
			other.add(other.at(p.From, p.Window, p.Computed), p.To)
		}
		out = append(out, e.against(v.when, other.Ranges)...)
	}
	return out
}

// against are the ranges in which others differ from the element's own.
func (e *Element) against(when string, others []Range) (out []Change) {
	for i := range others {
		o := &others[i]
		for k := range e.Ranges {
			g := &e.Ranges[k]
			c := Change{When: when, From: max(o.From, g.From), To: min(o.To, g.To), Values: map[string]string{},
				Range: o}
			if c.From > c.To {
				continue
			}
			for name, v := range o.Values {
				if g.Values[name] != v {
					c.Values[name] = v
				}
			}
			if len(c.Values) == 0 {
				continue
			}
			if n := len(out); n > 0 && out[n-1].To == c.From-1 && fmt.Sprint(out[n-1].Values) == fmt.Sprint(c.Values) {
				out[n-1].To = c.To
				continue
			}
			out = append(out, c)
		}
	}
	return out
}
