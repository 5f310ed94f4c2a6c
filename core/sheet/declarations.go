package sheet

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"tourmaline/core/css"
)

// onlyFixed reports whether all pseudo-elements are fixed to the window, which asks nothing
// of the box.
func (c *look) onlyFixed(parts [3][]int) bool {
	return !slices.ContainsFunc(parts[onBefore:], func(layers []int) bool {
		return len(layers) > 0 && !c.fixedElement(layers)
	})
}

var (
	ofFont    = regexp.MustCompile(`[0-9.](em|ex|ch|cap|ic|lh)\b`)
	ofContent = regexp.MustCompile(`\bcontent-box\b`)
)

// needed are declarations of the plan that are no background, but without which what is
// written would look different: padding where a layer is placed in the content box, the
// text colour where it is used, and the font size where lengths are in it.
func needed(st *css.Style, written []entry) []decl {
	has := func(what func(string) bool) bool {
		return slices.ContainsFunc(written, func(n entry) bool { return slices.ContainsFunc(n.values, what) })
	}
	var out []decl
	if has(ofContent.MatchString) {
		var pad []string
		for i := range st.Padding {
			pad = append(pad, st.Padding[i].String())
		}
		out = append(out, decl{"padding", strings.Join(shortest(pad), " ")})
	}
	if st.ColorSet && has(func(s string) bool { return strings.Contains(s, "currentcolor") }) {
		out = append(out, decl{"color", st.Color.String()})
	}
	if st.FontSize != nil && has(ofFont.MatchString) {
		out = append(out, decl{"font-size", st.FontSize.String()})
	}
	return out
}

// joined is a list of values, or the one that all are.
func joined(layers []int, value func(i int) string) string {
	var vs []string
	for _, i := range layers {
		vs = append(vs, value(i))
	}
	if len(vs) > 0 && !slices.ContainsFunc(vs, func(v string) bool { return v != vs[0] }) {
		return vs[0]
	}
	return strings.Join(vs, ", ")
}

// frameDeclarations are border, corners and shadow, where the plan has them.
func frameDeclarations(st *css.Style) []decl {
	var d []decl
	b := st.Borders
	one := func(x css.Border) string { return x.Width.String() + " " + string(x.Style) + " " + x.Color.String() }
	if one(b[0]) == one(b[1]) && one(b[1]) == one(b[2]) && one(b[2]) == one(b[3]) {
		if b[0].Style != css.NoBorder {
			d = append(d, decl{"border", one(b[0])})
		}
	} else {
		for i, side := range []string{"top", "right", "bottom", "left"} {
			if b[i].Style != css.NoBorder {
				d = append(d, decl{"border-" + side, one(b[i])})
			}
		}
	}
	var h, v []string
	zero := true
	for _, r := range st.Radii {
		h, v = append(h, r.H.String()), append(v, r.V.String())
		zero = zero && r.H.IsZero() && r.V.IsZero()
	}
	if !zero {
		s := strings.Join(shortest(h), " ")
		if !slices.Equal(h, v) {
			s += " / " + strings.Join(shortest(v), " ")
		}
		d = append(d, decl{"border-radius", s})
	}
	if len(st.Shadows) > 0 {
		var parts []string
		for _, s := range st.Shadows {
			parts = append(parts, fmt.Sprintf("%s %s %s %s %s", s.X, s.Y, s.Blur, s.Spread, s.Color))
		}
		d = append(d, decl{"box-shadow", strings.Join(parts, ", ")})
	}
	return d
}

// shortest drops repeats of a four-value list, as CSS allows.
func shortest(v []string) []string {
	switch {
	case v[1] == v[3] && v[0] == v[2] && v[0] == v[1]:
		return v[:1]
	case v[1] == v[3] && v[0] == v[2]:
		return v[:2]
	case v[1] == v[3]:
		return v[:3]
	}
	return v
}
