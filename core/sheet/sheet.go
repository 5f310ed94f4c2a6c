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

	"tourmaline/core/css"
	"tourmaline/core/cut"
	"tourmaline/core/plan"
	"tourmaline/core/source"
)

// Options say how the stylesheet is written.
type Options struct {
	Folder     string     // of the pictures, as seen from the stylesheet; ends in /
	Properties bool       // custom properties in place of values that repeat
	Layer      string     // put everything into this cascade layer
	Nesting    bool       // media queries inside the selectors
	Minify     bool       // no white space and no comments
	Clips      []cut.Clip // the videos, for the page
	FromPage   string     // the stylesheet's folder as seen from the page, for preload links; "" or ends in /
	// Draft gives the address of a source as seen from the stylesheet: the sources themselves are
	// shown, and nothing needs to be cut.
	Draft        func(source string) string
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
	if opt.Draft != nil {
		head = fmt.Sprintf(
			"A draft of the backgrounds of %s: it shows the sources as they are. tourmaline build cuts them.",
			site,
		)
	}
	groups, err := groupsOf(p, ladders, opt)
	if err != nil {
		return "", err
	}
	return print(head, groups, form{opt.Nesting, opt.Minify, opt.Layer}), nil
}

// groupsOf are the rules of all boxes.
func groupsOf(p *plan.Plan, ladders []*cut.Ladder, opt Options) (groups []group, err error) {
	for _, b := range p.All() {
		if !b.Paints() {
			continue
		}
		g, err := sheets{p, ladders, opt}.rulesOf(b, b.Selector)
		if err != nil {
			return nil, err
		}
		if opt.Properties {
			g.useProperties(b.Name)
		}
		if root, ok := rootOf(b); ok {
			groups = append(groups, root)
		}
		groups = append(groups, g)
	}
	if slices.ContainsFunc(p.All(), (*plan.Box).HasVideo) {
		groups = append(groups, pauseRules())
	}
	return groups, nil
}

// rootOf makes the root as tall as the plan says, the window where it is silent: the
// background of body is painted on the canvas, but sized for the root.
// Source: CSS Backgrounds 3 (https://www.w3.org/TR/css-backgrounds-3/#special-backgrounds).
func rootOf(b *plan.Box) (group, bool) {
	if b.Role != plan.Canvas || !b.ShowsImages() {
		return group{}, false
	}
	decls := []decl{{"min-height", "100%"}}
	switch m := b.Base().Size(plan.MinHeight); {
	case m != nil && m.Auto:
		decls = nil
	case m != nil:
		decls[0].value = m.Len.String()
	}
	if decls = append(decls, rootHolds(b)...); len(decls) == 0 {
		return group{}, false
	}
	return group{name: b.Name + ": its pictures are sized for the whole window, also on short pages", selector: "html",
		rules: []rule{{decls: decls}}}, true
}

// rootHolds lets the root hold the elements that layers of the canvas lie on: body may be
// shorter than the page.
func rootHolds(b *plan.Box) []decl {
	for _, c := range b.EachRule() {
		for _, l := range c.Layers() {
			if len(l.Plan.Filters) > 0 || b.Touch(&l) == plan.TouchFixedLayer && len(c.Layers()) > 1 {
				return []decl{{"position", "relative"}}
			}
		}
	}
	return nil
}

// scene is a set of a box's rules for which a block is written.
type scene struct {
	p      *plan.Plan
	at     *plan.Values
	layers []css.Layer
	plans  []*plan.Layer // what the plan says of each
	under  []bool        // placeholders, each below its picture
	cut    bool          // the plan's files were made: pictures without files are not seen
	touch  []plan.Touch  // what becomes of each on touch screens
	canvas bool          // its elements lie in the root, which is as tall as the page
	video  bool          // the box has one in some window: an element of the page takes the place of ::before
	// behind: this is what touch screens are told, whose fixed layers lie on elements of
	// their own. was is the block that told them so before.
	behind  bool
	was     *scene
	ladders map[string]*cut.Ladder
	opt     Options
	base    *scene      // what holds already; nil for the first block
	media   *css.Media  // of a when block
	after   []css.Media // of the blocks that are written later and name files
}

// touchScreens is the media query of what is written for them.
const touchScreens = plan.TouchScreens

// onTouch is the block for touch screens, where they need layers on other elements.
func (c *scene) onTouch(was *scene) *scene {
	if !slices.Contains(c.touch, plan.TouchFixedLayer) && (was == nil || !was.behind) {
		return nil
	}
	t := *c
	t.base, t.behind, t.was = c, true, was
	return &t
}

func (s sheets) scene(b *plan.Box, at *plan.Values, mine map[string]*cut.Ladder) *scene {
	opt := s.opt
	c := &scene{p: s.plan, at: at, canvas: b.Role == plan.Canvas, video: b.HasVideo(), ladders: mine, opt: opt,
		cut: s.ladders != nil}
	for _, l := range at.Layers() {
		c.layers, c.plans, c.under = append(c.layers, l.Layer), append(c.plans, l.Plan), append(c.under, false)
		c.touch = append(c.touch, b.Touch(&l))
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
			c.touch = append(c.touch, b.Touch(&l))
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
	if err := oneVideo(b); err != nil {
		return group{}, err
	}
	mine := map[string]*cut.Ladder{}
	for _, l := range s.ladders {
		if l.Box.ID == b.ID && len(l.Rungs) > 0 && len(l.Rungs[0].Files) > 0 {
			mine[l.Source] = l
		}
	}
	g := group{name: b.Name, selector: selector}
	values := b.EachRule()
	base := s.scene(b, values[0], mine)
	all := []*scene{base}
	for i := 1; i < len(b.Rules); i++ {
		c := s.scene(b, values[i], mine)
		c.base, c.media = base, &b.Rules[i].Media
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
	var touched *scene // what touch screens were told first
	for _, c := range all {
		rules, err := c.rules()
		if err != nil {
			return g, err
		}
		g.rules = append(g.rules, rules...)
		t := c.onTouch(touched)
		if t == nil || c.base != nil && len(rules) == 0 {
			continue
		}
		if rules, err = t.rules(); err != nil {
			return g, err
		}
		g.rules = append(g.rules, rules...)
		if touched == nil {
			touched = t
		}
	}
	return g, nil
}

// rules are those of the block, in its media queries.
func (c *scene) rules() ([]rule, error) {
	rules, err := c.block()
	var in []string
	if c.media != nil {
		in = append(in, c.media.String())
	}
	if c.behind {
		in = append(in, touchScreens)
	}
	for i := range rules {
		rules[i].media = append(slices.Clone(in), rules[i].media...)
	}
	return rules, err
}

// place of a layer: the box itself, or one of its pseudo-elements.
const (
	onBox = iota
	onBefore
	onAfter
)

var pseudo = [...]string{"", "::before", "::after"}

// split says which layers go to the box and which to pseudo-elements. A filtered layer is
// alone in its element, so that the filter touches one picture and not the text; so is one
// that blends with what lies in elements below; and on touch screens fixed layers lie on
// elements that are fixed. What is painted over an element's layers lies in a later one.
func (c *scene) split() ([3][]int, error) {
	if c.video {
		return c.splitVideo()
	}
	var out [3][]int
	at := onBox
	alone, fixed := false, false              // of the element's layers so far
	for i := len(c.layers) - 1; i >= 0; i-- { // from the bottom up
		l := &c.layers[i]
		blends := l.Blend != css.BlendNormal
		own := len(c.plans[i].Filters) > 0 || blends && (at != onBox || alone || fixed)
		fix := c.behind && c.touch[i] == plan.TouchFixedLayer
		if (own || alone || fix != fixed) && !(i+1 < len(c.layers) && c.under[i+1]) {
			own = own || blends // what it blends with is below
			at++
		}
		if at > onAfter {
			return out, c.tooMany(i)
		}
		alone, fixed = alone && len(out[at]) > 0 || own, fix
		out[at] = append([]int{i}, out[at]...)
	}
	return out, nil
}

// tooMany is the error for layers that a box has too few pseudo-elements for.
func (c *scene) tooMany(i int) error {
	if c.behind {
		return &source.UnsupportedError{Span: c.plans[i].Span, In: "attachment",
			Msg:  "the fixed layers of touch screens need more than the two pseudo-elements that a box has",
			Hint: "write touch: scroll or touch: none for them"}
	}
	return &source.UnsupportedError{Span: c.plans[i].Span, In: "filter",
		Msg: "layers with a filter, and layers that blend with them, need more than the two pseudo-elements that " +
			"a box has",
		Hint: "filter the picture file itself, or filter and blend fewer layers"}
}

// element returns the declarations of one of the three elements, with the files
// of the smallest windows. Initial values are left out of a first block only.
func (c *scene) element(e int, layers []int, width float64) []decl {
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
	none := len(layers) == 0 || len(layers) == 1 && c.layers[layers[0]].Image.IsNone()
	if e == onBox && none {
		if c.base != nil && c.base != c {
			d = append(d, decl{"background-image", "none"}) // what holds otherwise is not even fetched
		}
		// The colour is clipped as the bottom layer is.
		if clip := c.layers[len(c.layers)-1].Clip; clip != css.BorderBox || c.base != nil {
			d = append(d, decl{"background-clip", clip.String()})
		}
	}
	if !none {
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
		fixed := c.fixedElement(layers)
		list("background-attachment", init.Attachment.String(), func(l *css.Layer) string {
			if fixed {
				return css.Scroll.String() // the element is fixed
			}
			return l.Attachment.String()
		})
		if bottom := c.layers[layers[len(layers)-1]].Blend; e != onBox && bottom != css.BlendNormal {
			d = append(d, decl{"mix-blend-mode", bottom.String()})
		} else {
			list("background-blend-mode", "normal", func(l *css.Layer) string { return l.Blend.String() })
		}
	}
	if e == onBox {
		d = append(d, frameDeclarations(st)...)
		return append(d, needed(st, d)...)
	}
	for _, i := range layers {
		if f := c.plans[i].Filters; len(f) > 0 {
			d = append(d, decl{"filter", f.String()})
			break
		}
	}
	return d
}

// fixedElement reports whether the layers lie on an element that is fixed to the window.
func (c *scene) fixedElement(layers []int) bool {
	return c.behind && len(layers) > 0 && c.touch[layers[0]] == plan.TouchFixedLayer
}

// start is the smallest width that the scene holds at.
func (c *scene) start() float64 {
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

// holdsAt reports whether the scene holds at any width from..to.
func (c *scene) holdsAt(from, to float64) bool {
	return c.holds(from, to, float64(c.p.Heights[0]), float64(c.p.Heights[1]))
}

// holdsAbove reports whether it holds in windows taller than a height.
func (c *scene) holdsAbove(height float64) bool {
	return c.holds(float64(c.p.Widths[0]), float64(c.p.Widths[1]), height+1, float64(c.p.Heights[1]))
}

// holds reports whether it holds at any width from..to and any of the heights.
func (c *scene) holds(from, to float64, heights ...float64) bool {
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

// block returns the rules of one scene: all declarations, then the files for
// larger windows.
func (c *scene) block() ([]rule, error) {
	parts, err := c.split()
	if err != nil {
		return nil, err
	}
	start := c.start()
	var out []rule
	all := c.allDeclarations(parts, start)
	var before [3][]decl
	if c.base != nil {
		if before, err = c.base.alone(start); err != nil {
			return nil, err
		}
	}
	if c.was != nil { // the box's own elements are as the block says, the others as they were told
		was, err := c.was.alone(start)
		if err != nil {
			return nil, err
		}
		before[onBefore], before[onAfter] = was[onBefore], was[onAfter]
	}
	for e, d := range all {
		if len(d) == 0 && len(before[e]) > 0 {
			d = c.noElement(e)
		} else if e == onBox {
			d = append(gone(before[e], d), d...)
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
		r := rule{pseudo: c.pseudo(e), decls: lines}
		files := c.base == nil || changed["background-image"] || changed["background-size"]
		var steps []rule
		if files {
			var first string
			first, steps = c.steps(c.pseudo(e), parts[e], start)
			r.comment = first
		}
		out = append(append(out, r), steps...)
		if (c.base == nil || changed["background-attachment"]) && !c.behind {
			out = append(out, c.scrolls(c.pseudo(e), parts[e])...)
		}
	}
	if out = append(out, c.videoRules(parts)...); len(out) > 0 {
		c.mark(out)
	}
	return out, nil
}

// alone are all declarations of a block, initial values too.
func (c *scene) alone(width float64) (out [3][]decl, err error) {
	b := *c
	b.base = c
	parts, err := b.split()
	if err != nil {
		return out, err
	}
	return b.allDeclarations(parts, width), nil
}

// gone are the initial values of what held before and does not any more.
func gone(before, now []decl) []decl {
	initial := map[string]string{"border": "none", "border-top": "none", "border-right": "none",
		"border-bottom": "none", "border-left": "none", "border-radius": "0", "box-shadow": "none"}
	var out []decl
	for _, b := range before {
		v, ok := initial[b.name]
		if ok && !slices.ContainsFunc(now, func(d decl) bool { return d.name == b.name }) {
			out = append(out, decl{b.name, v})
		}
	}
	return out
}

// mark makes important what the plan says is.
func (c *scene) mark(rules []rule) {
	for _, r := range rules {
		for i := range r.decls {
			if d := &r.decls[i]; c.at.Style.Important(d.name) {
				d.value += " !important"
			}
		}
	}
}

// scrolls lets fixed layers scroll with their box on touch screens, which do not fix them
// to the window, or paint them anew at every step, where the plan wants that.
func (c *scene) scrolls(pseudo string, layers []int) []rule {
	scrolls := func(i int) bool { return c.touch[i] == plan.TouchScroll }
	if !slices.ContainsFunc(layers, scrolls) {
		return nil
	}
	v := joined(layers, func(i int) string {
		if scrolls(i) {
			return css.Scroll.String()
		}
		return c.layers[i].Attachment.String()
	})
	return []rule{{media: []string{touchScreens}, pseudo: pseudo,
		comment: "touch screens scroll it with the box", decls: []decl{{"background-attachment", v}}}}
}

// namesFiles reports whether a when block says which files are fetched.
func (c *scene) namesFiles() (bool, error) {
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
func (c *scene) allDeclarations(parts [3][]int, width float64) (out [3][]decl) {
	pseudos := len(parts[onBefore])+len(parts[onAfter]) > 0
	for e := range parts {
		d := c.element(e, parts[e], width)
		switch {
		case e == onBefore && c.video && len(parts[e]) > 0:
			d = append(d, videoElement...)
		case len(d) == 0:
		case e == onBox && pseudos && !c.canvas && !c.onlyFixed(parts):
			d = append(d, decl{"position", "relative"}, decl{"isolation", "isolate"})
		case e != onBox && c.fixedElement(parts[e]):
			d = append(
				d,
				decl{"content", `""`},
				decl{"position", "fixed"},
				decl{"inset", "0 0 auto"},
				decl{
					"height",
					"100vh",
				},
				decl{"height", "100lvh"},
				decl{"z-index", "-1"},
				decl{"pointer-events", "none"},
			)
		case e != onBox:
			d = append(d, decl{"content", `""`}, decl{"position", "absolute"}, decl{"inset", "0"},
				decl{"z-index", "-1"}, decl{"border-radius", "inherit"}, decl{"pointer-events", "none"})
		}
		out[e] = d
	}
	return out
}
