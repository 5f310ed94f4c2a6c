package sheet

import (
	"fmt"
	"slices"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/cut"
	"tourmaline/core/plan"
	"tourmaline/core/source"
	"tourmaline/core/window"
)

// writer is what the rules of one box are written from.
type boxWriter struct {
	*plan.Box
	plan    *plan.Plan
	opt     Options
	cut     bool // the plan's files were made: pictures without files are not seen
	video   bool // the box has one in some window: an element of the page takes the place of ::before
	ladders map[string]*cut.Ladder
}

// look is what a box needs in some windows, by layer.
type look struct {
	*boxWriter
	at     *plan.Values
	layers []css.Layer
	plans  []*plan.Layer // what the plan says of each
	under  []bool        // placeholders, each below its picture
	touch  []plan.Touch  // what becomes of each on touch screens
	behind bool          // touch screens: their fixed layers lie on elements of their own
	parts  [3][]int      // the layers of the box and its two pseudo-elements
}

// look is what the box needs where certain of its rules hold, on touch screens or others. Errors are
// *source.UnsupportedError for what CSS cannot say.
func (b *boxWriter) look(at *plan.Values, modes window.Modes) (*look, error) {
	c := &look{boxWriter: b, at: at, behind: modes&window.Touch != 0}
	for _, l := range at.Layers() {
		c.layers, c.plans, c.under = append(c.layers, l.Layer), append(c.plans, l.Plan), append(c.under, false)
		c.touch = append(c.touch, b.Touch(&l))
		text := b.opt.Placeholders[l.Image.URL]
		lad := b.ladders[l.Image.URL]
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
	var err error
	c.parts, err = c.split()
	return c, err
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
func (c *look) split() ([3][]int, error) {
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
func (c *look) tooMany(i int) error {
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

// entry is what an element needs of one property. A property may be declared twice, for browsers that do not
// know the second value.
type entry struct {
	name    string
	values  []string
	initial bool // it is what an element has that nothing is said of
	// varies: files and their sizes are other ones by the size of the window: values tell them from others.
	varies bool
}

// Elements of a box: itself, its two pseudo-elements, and the video in the element that takes the place of ::before.
const (
	onVideo  = onAfter + 1
	elements = onVideo + 1
)

// needs are all that each element needs, in the order in which it is written; nil: the element is not there.
func (c *look) needs() (out [elements][]entry) {
	for e := range out {
		list := c.element(e)
		for i := range list {
			for k := range list[i].values {
				if c.at.Style.Important(list[i].name) {
					list[i].values[k] += " !important"
				}
			}
		}
		out[e] = list
	}
	return out
}

func (c *look) element(e int) []entry {
	if e == onVideo {
		return c.videoEntries()
	}
	layers := c.parts[e]
	if len(layers) == 0 && e != onBox {
		return nil
	}
	var d []entry
	st := &c.at.Style
	if e == onBox {
		d = append(d, entry{name: "background-color", values: []string{st.Background.Color.String()}})
	}
	if len(layers) == 0 || len(layers) == 1 && c.layers[layers[0]].Image.IsNone() {
		if e == onBox { // the colour is clipped as the bottom layer is
			clip := c.layers[len(c.layers)-1].Clip
			d = append(d, entry{name: "background-image", values: []string{"none"}, initial: true},
				entry{name: "background-clip", values: []string{clip.String()}, initial: clip == css.BorderBox})
		}
	} else {
		d = append(d, c.background(e, layers)...)
	}
	if e == onBox {
		d = append(d, entriesOf(frameDeclarations(st))...)
		d = append(d, entriesOf(needed(st, d))...)
		if len(c.parts[onBefore])+len(c.parts[onAfter]) > 0 && c.Role != plan.Canvas && !c.onlyFixed(c.parts) {
			d = append(d, entriesOf([]decl{{"position", "relative"}, {"isolation", "isolate"}})...)
		}
		return d
	}
	for _, i := range layers {
		if f := c.plans[i].Filters; len(f) > 0 {
			d = append(d, entry{name: "filter", values: []string{f.String()}})
			break
		}
	}
	return append(d, entriesOf(c.place(e, layers))...)
}

// place lays an element over the box.
func (c *look) place(e int, layers []int) []decl {
	switch {
	case e == onBefore && c.video:
		return videoElement
	case c.fixedElement(layers):
		return []decl{{"content", `""`}, {"position", "fixed"}, {"inset", "0 0 auto"}, {"height", "100vh"},
			{"height", "100lvh"}, {"z-index", "-1"}, {"pointer-events", "none"}}
	}
	return []decl{{"content", `""`}, {"position", "absolute"}, {"inset", "0"}, {"z-index", "-1"},
		{"border-radius", "inherit"}, {"pointer-events", "none"}}
}

// entriesOf are declarations as entries, those of one property together.
func entriesOf(decls []decl) (out []entry) {
	for _, d := range decls {
		if n := len(out); n > 0 && out[n-1].name == d.name {
			out[n-1].values = append(out[n-1].values, d.value)
			continue
		}
		out = append(out, entry{name: d.name, values: []string{d.value}})
	}
	return out
}

// background are the longhands of an element that shows images.
func (c *look) background(e int, layers []int) []entry {
	init := css.InitialLayer()
	list := func(name, initial string, value func(l *css.Layer) string) entry {
		v := joined(layers, func(i int) string { return value(&c.layers[i]) })
		return entry{name: name, values: []string{v}, initial: v == initial}
	}
	images, size := c.filesOf(layers)
	fixed := c.fixedElement(layers)
	d := []entry{images,
		list("background-position", init.Position.String(), func(l *css.Layer) string { return l.Position.String() }),
		size,
		list("background-repeat", init.Repeat.String(), func(l *css.Layer) string { return l.Repeat.String() }),
		list("background-origin", init.Origin.String(), func(l *css.Layer) string { return l.Origin.String() }),
		list("background-clip", init.Clip.String(), func(l *css.Layer) string { return l.Clip.String() }),
	}
	attachments := joined(layers, func(i int) string {
		if fixed || c.behind && c.touch[i] == plan.TouchScroll { // the element is fixed, or the layer scrolls with it
			return css.Scroll.String()
		}
		return c.layers[i].Attachment.String()
	})
	d = append(d, entry{name: "background-attachment", values: []string{attachments},
		initial: attachments == init.Attachment.String()})
	if bottom := c.layers[layers[len(layers)-1]].Blend; e != onBox && bottom != css.BlendNormal {
		return append(d, entry{name: "mix-blend-mode", values: []string{bottom.String()}})
	}
	return append(d, list("background-blend-mode", "normal", func(l *css.Layer) string { return l.Blend.String() }))
}

// filesOf are the images of an element and their sizes. Where the files are chosen by the size of the window, the
// values tell which they are, and those that are written are of steps.
func (c *look) filesOf(layers []int) (images, size entry) {
	of := func(i int) string {
		l := &c.layers[i]
		return fmt.Sprint(l.Image, c.under[i])
	}
	init := css.InitialLayer()
	cut := slices.ContainsFunc(layers, func(i int) bool { return len(c.urls(i)) > 0 })
	if !cut {
		list, s := c.files(layers, spot{height: 1})
		images = entriesOf(list)[0]
		return images, entry{name: "background-size", values: []string{s.value}, initial: s.value == init.Size.String()}
	}
	var names, sizes []string
	for _, i := range layers {
		names, sizes = append(names, of(i)), append(sizes, c.layers[i].Size.String())
	}
	images = entry{name: "background-image", values: []string{strings.Join(names, "\n")}, varies: true}
	if one, ok := c.oneSize(layers); ok {
		return images, entry{name: "background-size", values: []string{one}, initial: one == init.Size.String()}
	}
	return images, entry{name: "background-size", values: []string{strings.Join(append(names, sizes...), "\n")},
		varies: true}
}

// fixedElement reports whether the layers lie on an element that is fixed to the window.
func (c *look) fixedElement(layers []int) bool {
	return c.behind && len(layers) > 0 && c.touch[layers[0]] == plan.TouchFixedLayer
}
