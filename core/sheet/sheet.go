// Package sheet writes standard CSS for the boxes of a plan, and a page to look
// at them with.
//
//	out := sheet.CSS(p, ladders, sheet.Options{Folder: "pictures/"})
//
// A rule names every background longhand that is not initial, so that nothing a
// designer wrote before leaks in. Files are chosen by width with media queries that
// only ever raise the width, and by density and format with image-set(); a browser
// fetches what the last matching rule names, so each window fetches one file for each
// picture.
package sheet

import (
	"fmt"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/cut"
	"tourmaline/core/plan"
	"tourmaline/core/source"
)

// Options say how the stylesheet is written.
type Options struct {
	Folder       string // of the pictures, as seen from the stylesheet; ends in /
	Properties   bool   // custom properties in place of values that repeat
	Layer        string // put everything into this cascade layer
	Nesting      bool   // media queries inside the selectors
	Minify       bool   // no white space and no comments
	Placeholders map[string]string
	// Placeholders are gradients (CSS) by source, shown until the picture is there.
}

// CSS writes the stylesheet of all boxes. Ladders may be nil: then pictures keep
// their own names. Errors are *source.UnsupportedError for what CSS cannot say.
func CSS(p *plan.Plan, ladders []*cut.Ladder, opt Options) (string, error) {
	site := p.Site
	if site == "" {
		site = "this site"
	}
	head := fmt.Sprintf("Backgrounds of %s. Written by tourmaline from %s: change the plan, not this file.", site,
		path.Base(filepath.ToSlash(p.File)))
	var groups []group
	for _, b := range p.All() {
		if !b.Paints() {
			continue
		}
		g, err := sheets{p, ladders, opt}.rulesOf(b, b.Selector)
		if err != nil {
			return "", err
		}
		if opt.Properties {
			g.useProperties(b.Name)
		}
		groups = append(groups, g)
	}
	return print(head, groups, form{opt.Nesting, opt.Minify, opt.Layer}), nil
}

// context is a set of a box's rules for which a block is written.
type context struct {
	p      *plan.Plan
	at     *plan.Values
	layers []css.Layer
	plans  []*plan.Layer // what the plan says of each
	under  []bool        // placeholders, each below its picture
	cut    bool          // the plan's files were made: pictures without files are not seen
	// ownTouch: the box has rules for touch screens.
	ownTouch bool
	ladders  map[string]*cut.Ladder
	opt      Options
	base     *context    // what holds already; nil for the first block
	media    *css.Media  // of a when block
	after    []css.Media // of the blocks that are written later and name files
}

func newContext(p *plan.Plan, at *plan.Values, mine map[string]*cut.Ladder, opt Options) *context {
	c := &context{p: p, at: at, ladders: mine, opt: opt}
	for _, l := range at.Layers() {
		c.layers, c.plans, c.under = append(c.layers, l.Layer), append(c.plans, l.Plan), append(c.under, false)
		text := opt.Placeholders[l.Image.URL]
		lad := mine[l.Image.URL]
		if text == "" || !l.Image.IsURL || lad == nil || l.Size.Kind != css.Cover || l.Blend != css.BlendNormal {
			continue
		}
		if img, err := css.ParseImage(text); err == nil {
			under := css.InitialLayer()
			under.Image, under.Repeat = img, css.Repeats{X: css.NoRepeat, Y: css.NoRepeat}
			under.Origin, under.Clip, under.Attachment = l.Origin, l.Clip, l.Attachment
			c.layers, c.under = append(c.layers, under), append(c.under, true)
			c.plans = append(c.plans, &plan.Layer{Span: l.Plan.Span, Filters: l.Plan.Filters})
		}
	}
	return c
}

// sheets is what all rules are written from.
type sheets struct {
	plan    *plan.Plan
	ladders []*cut.Ladder
	opt     Options
}

func (s sheets) rulesOf(b *plan.Box, selector string) (group, error) {
	p, ladders, opt := s.plan, s.ladders, s.opt
	mine := map[string]*cut.Ladder{}
	for _, l := range ladders {
		if l.Box.ID == b.ID && len(l.Rungs) > 0 && len(l.Rungs[0].Files) > 0 {
			mine[l.Source] = l
		}
	}
	g := group{name: b.Name, selector: selector}
	values := b.EachRule()
	base := newContext(p, values[0], mine, opt)
	base.cut = ladders != nil
	all := []*context{base}
	for i := 1; i < len(b.Rules); i++ {
		c := newContext(p, values[i], mine, opt)
		c.base, c.media, c.cut = base, &b.Rules[i].Media, base.cut
		all = append(all, c)
	}
	// Comments name the windows that a rule really serves: not those for which a later
	// block names other files.
	for i := len(all) - 1; i >= 0; i-- {
		for k := i + 1; k < len(all); k++ {
			files, err := all[k].namesFiles()
			if err != nil {
				return g, err
			}
			if files {
				all[i].after = append(all[i].after, *all[k].media)
			}
		}
	}
	for _, c := range all {
		c.ownTouch = b.Asks(plan.TouchFeatures...)
		rules, err := c.block()
		if err != nil {
			return g, err
		}
		if c.media != nil {
			for i := range rules {
				rules[i].media = append([]string{c.media.String()}, rules[i].media...)
			}
		}
		g.rules = append(g.rules, rules...)
	}
	return g, nil
}

// place of a layer: the box itself, or one of its pseudo-elements.
const (
	onBox = iota
	onBefore
	onAfter
)

var pseudo = [...]string{"", "::before", "::after"}

// split says which layers go to the box and which to pseudo-elements, so that a
// filter touches one picture and not the text: a filtered layer is alone in its
// element, and what is painted over it lies in a later one.
func (c *context) split() ([3][]int, error) {
	var out [3][]int
	at := onBox
	filtered := [3]bool{}
	for i := len(c.layers) - 1; i >= 0; i-- { // from the bottom up
		has := len(c.plans[i].Filters) > 0
		if (has || filtered[at]) && !(i+1 < len(c.layers) && c.under[i+1]) {
			at++
		}
		if at > onAfter {
			return out, &source.UnsupportedError{Span: c.plans[i].Span, In: "filter",
				Msg:  "the layers with filters need more than the two pseudo-elements that a box has",
				Hint: "filter the picture file itself, or filter fewer layers"}
		}
		filtered[at] = filtered[at] || has
		out[at] = append([]int{i}, out[at]...)
	}
	return out, nil
}

// element returns the declarations of one of the three elements, with the files
// of the smallest windows. Initial values are left out of a first block only.
func (c *context) element(e int, layers []int, width float64) []decl {
	var d []decl
	st := &c.at.Style
	if e == onBox {
		d = append(d, decl{"background-color", st.Background.Color.String()})
	}
	if len(layers) == 0 && e != onBox {
		return nil
	}
	list := func(name, initial string, value func(l *css.Layer) string) {
		v := joined(layers, func(i int) string { return value(&c.layers[i]) })
		if v != "" && (v != initial || c.base != nil) {
			d = append(d, decl{name, v})
		}
	}
	if e == onBox && c.base != nil && c.base != c && (len(layers) == 0 || len(layers) == 1 &&
		c.layers[layers[0]].Image.IsNone()) {
		d = append(d, decl{"background-image", "none"}) // what holds otherwise is not even fetched
	}
	if len(layers) > 0 && !(len(layers) == 1 && c.layers[layers[0]].Image.IsNone()) {
		images, sizes := c.files(layers, width, 1, 0)
		if sized := c.statesAt(layers, width, 0); len(sized) > 1 && sized[1].tall == 0 {
			images, sizes = sized[0].decls[:len(sized[0].decls)-1], sized[0].decls[len(sized[0].decls)-1]
		}
		d = append(d, images...)
		init := css.InitialLayer()
		list("background-position", init.Position.String(), func(l *css.Layer) string { return l.Position.String() })
		if sizes.value != init.Size.String() || c.base != nil {
			d = append(d, sizes)
		}
		list("background-repeat", init.Repeat.String(), func(l *css.Layer) string { return l.Repeat.String() })
		list("background-origin", init.Origin.String(), func(l *css.Layer) string { return l.Origin.String() })
		list("background-clip", init.Clip.String(), func(l *css.Layer) string { return l.Clip.String() })
		list("background-attachment", init.Attachment.String(),
			func(l *css.Layer) string { return l.Attachment.String() })
		list("background-blend-mode", "normal", func(l *css.Layer) string { return l.Blend.String() })
	}
	if e == onBox {
		return append(d, frameDeclarations(st)...)
	}
	for _, i := range layers {
		if f := c.plans[i].Filters; len(f) > 0 {
			d = append(d, decl{"filter", f.String()})
			break
		}
	}
	return d
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

// start is the smallest width that the context holds at.
func (c *context) start() float64 {
	if c.media == nil {
		return 0
	}
	for w := c.p.Widths[0]; w <= c.p.Widths[1]; w++ {
		if c.holdsAt(float64(w), float64(w)) {
			return float64(w) - 1
		}
	}
	return 0
}

// holdsAt reports whether the context holds at any width from..to.
func (c *context) holdsAt(from, to float64) bool {
	return c.holds(from, to, float64(c.p.Heights[0]), float64(c.p.Heights[1]))
}

// holdsAbove reports whether it holds in windows taller than a height.
func (c *context) holdsAbove(height float64) bool {
	return c.holds(float64(c.p.Widths[0]), float64(c.p.Widths[1]), height+1, float64(c.p.Heights[1]))
}

// holds reports whether it holds at any width from..to and any of the heights.
func (c *context) holds(from, to float64, heights ...float64) bool {
	if c.media == nil {
		return true
	}
	for w := from; w <= to; w++ {
		for _, h := range heights {
			for _, d := range c.p.Density {
				for _, touch := range []bool{false, true} {
					if c.media.Matches(&css.Env{Width: w, Height: h, Density: d, Touch: touch}) {
						return true
					}
				}
			}
		}
	}
	return false
}

// block returns the rules of one context: all declarations, then the files for
// larger windows.
func (c *context) block() ([]rule, error) {
	parts, err := c.split()
	if err != nil {
		return nil, err
	}
	start := c.start()
	var out []rule
	all := c.allDeclarations(parts, start)
	var before [3][]decl
	if c.base != nil {
		b := *c.base
		b.base = c.base
		old, err := b.split()
		if err != nil {
			return nil, err
		}
		before = b.allDeclarations(old, start)
	}
	for e, d := range all {
		if len(d) == 0 && len(before[e]) > 0 {
			d = []decl{{"content", "none"}}
		}
		changed := map[string]bool{}
		for _, x := range d {
			if !slices.Contains(before[e], x) {
				changed[x.name] = true
			}
		}
		var lines []decl
		for _, x := range d {
			if changed[x.name] || c.base == nil {
				lines = append(lines, x)
			}
		}
		if len(lines) == 0 {
			continue
		}
		r := rule{pseudo: pseudo[e], decls: lines}
		files := c.base == nil || changed["background-image"] || changed["background-size"]
		var steps []rule
		if files {
			var first string
			first, steps = c.steps(pseudo[e], parts[e], start)
			r.comment = first
		}
		out = append(append(out, r), steps...)
		if c.base == nil || changed["background-attachment"] {
			out = append(out, c.touch(pseudo[e], parts[e])...)
		}
	}
	return out, nil
}

// touch lets fixed pictures scroll with their box on touch screens, which do not fix
// them to the window, or paint them anew at every step; a plan with a rule of its own
// for touch screens says it itself.
func (c *context) touch(pseudo string, layers []int) []rule {
	fixed := func(i int) bool { return c.layers[i].Attachment == css.Fixed && c.layers[i].Image.IsURL }
	if !slices.ContainsFunc(layers, fixed) || c.ownTouch {
		return nil
	}
	v := joined(layers, func(i int) string {
		if fixed(i) {
			return css.Scroll.String()
		}
		return c.layers[i].Attachment.String()
	})
	return []rule{{media: []string{"(hover: none) and (pointer: coarse)"}, pseudo: pseudo,
		comment: "touch screens scroll it with the box", decls: []decl{{"background-attachment", v}}}}
}

// namesFiles reports whether a when block says which files are fetched.
func (c *context) namesFiles() (bool, error) {
	rules, err := c.block()
	for _, r := range rules {
		for _, d := range r.decls {
			if d.name == "background-image" {
				return true, err
			}
		}
	}
	return false, err
}

// allDeclarations are those of the box and its two pseudo-elements.
func (c *context) allDeclarations(parts [3][]int, width float64) (out [3][]decl) {
	pseudos := len(parts[onBefore])+len(parts[onAfter]) > 0
	for e := range parts {
		d := c.element(e, parts[e], width)
		switch {
		case len(d) == 0:
		case e == onBox && pseudos:
			d = append(d, decl{"position", "relative"}, decl{"isolation", "isolate"})
		case e != onBox:
			d = append(d, decl{"content", `""`}, decl{"position", "absolute"}, decl{"inset", "0"},
				decl{"z-index", "-1"}, decl{"border-radius", "inherit"}, decl{"pointer-events", "none"})
		}
		out[e] = d
	}
	return out
}
