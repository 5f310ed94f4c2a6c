// Package layout places the boxes of a plan on the page at one window: border,
// padding and content rectangles, in CSS px, y down, from the page's top left.
//
//	pg := layout.At(p, plan.Viewport{Width: 390, Height: 844, Density: 3}, layout.Exact)
//	f := pg.Frame("hero")
//	f.Border // the border box
//
// Boxes are blocks that follow each other on the page column: widths default to
// all there is, margins collapse as in CSS 2.2, 8.3.1.
package layout

import (
	"math"

	"tourmaline/core/css"
	"tourmaline/core/plan"
)

// Rect is an axis-aligned rectangle.
type Rect struct{ X, Y, W, H float64 }

// Right and Bottom are the far edges.
func (r Rect) Right() float64 { return r.X + r.W }

// Bottom is the lower edge.
func (r Rect) Bottom() float64 { return r.Y + r.H }

// Inset returns r less the sides top, right, bottom, left; never negative.
func (r Rect) Inset(s [4]float64) Rect {
	return Rect{r.X + s[3], r.Y + s[0], max(r.W-s[1]-s[3], 0), max(r.H-s[0]-s[2], 0)}
}

// Intersect returns the common part; it has no area where there is none.
func (r Rect) Intersect(o Rect) Rect {
	x, y := max(r.X, o.X), max(r.Y, o.Y)
	return Rect{x, y, max(min(r.Right(), o.Right())-x, 0), max(min(r.Bottom(), o.Bottom())-y, 0)}
}

// Move returns r moved by dx, dy.
func (r Rect) Move(dx, dy float64) Rect { return Rect{r.X + dx, r.Y + dy, r.W, r.H} }

// Mode says how lengths are rounded.
type Mode uint8

// Exact keeps lengths as they are. Device rounds down to 1/64 device px, the
// step of browsers' layout, so that painting rounds to the same device pixel.
const (
	Exact Mode = iota
	Device
)

// Frame is one box at one window.
type Frame struct {
	Box    *plan.Box
	At     *plan.Computed
	Env    css.Env
	Border Rect       // border box on the page
	Edge   [4]float64 // border widths: top, right, bottom, left
	Pad    [4]float64
}

// PaddingBox is the border box less its borders.
func (f *Frame) PaddingBox() Rect { return f.Border.Inset(f.Edge) }

// ContentBox is the padding box less its padding.
func (f *Frame) ContentBox() Rect { return f.PaddingBox().Inset(f.Pad) }

// Area returns the rectangle an origin or clip names.
func (f *Frame) Area(b css.Box) Rect {
	switch b {
	case css.BorderBox, css.TextClip:
		return f.Border
	case css.ContentBox:
		return f.ContentBox()
	}
	return f.PaddingBox()
}

// PageLayout is all boxes at one window.
type PageLayout struct {
	Viewport plan.Viewport
	Frames   []Frame // canvas and page where the plan declares them, then the boxes
	Height   float64 // of the document, CSS px
}

// Frame returns the frame of the box of that name, or nil.
func (p *PageLayout) Frame(name string) *Frame {
	for i := range p.Frames {
		if p.Frames[i].Box.Name == name {
			return &p.Frames[i]
		}
	}
	return nil
}

// solver resolves lengths at one window.
type solver struct {
	grid float64 // steps per CSS px, 0 for exact
	env  css.Env
}

func (s *solver) q(v float64) float64 {
	if s.grid == 0 {
		return v
	}
	return math.Trunc(v*s.grid+1e-7) / s.grid
}

// BorderWidth is the used width of a border: whole device px, rounded down, but
// at least one where there is any.
// Source: CSS Backgrounds 3 (https://www.w3.org/TR/css-backgrounds-3/#border-width) as engines
// snap it: "computed value: absolute length, snapped as a border width" in CSS Backgrounds 4.
func BorderWidth(b *css.Border, env *css.Env) float64 {
	if b.Style == "none" || b.Style == "hidden" {
		return 0
	}
	d := env.Density
	if d == 0 {
		d = 1
	}
	w := b.Width.Resolve(env, 0) * d
	if w <= 0 {
		return 0
	}
	return max(math.Floor(w+1e-6), 1) / d
}

// Room is memory that layouts of one plan are made in, one after another. The
// zero value is ready.
type Room struct {
	frames []Frame
	page   PageLayout
}

// At lays the plan's boxes out at a window.
func At(p *plan.Plan, v plan.Viewport, mode Mode) *PageLayout {
	var r Room
	return r.At(p, v, mode)
}

// At is the function of that name in the room's memory: the result holds until
// the next call.
func (r *Room) At(p *plan.Plan, v plan.Viewport, mode Mode) *PageLayout {
	s := solver{env: v.Env()}
	if mode == Device {
		s.grid = 64 * v.Density
	}
	r.page = PageLayout{Viewport: v}
	out := &r.page
	var canvas, page *Frame
	if r.frames == nil {
		r.frames = make([]Frame, 0, len(p.Boxes)+2)
	}
	frames := r.frames[:0]
	if p.Canvas != nil {
		frames = append(frames, s.frame(p.Canvas, 16))
		canvas = &frames[len(frames)-1]
	}
	font := 16.0
	column := Rect{0, 0, v.Width, 0}
	var sizes boxSizes
	if p.Page != nil {
		frames = append(frames, s.frame(p.Page, 16))
		page = &frames[len(frames)-1]
		font = page.Env.Em
		sizes = s.sizes(page, v.Width, v.Height)
		page.Border = Rect{sizes.left, 0, sizes.width, 0}
		column = page.ContentBox()
		column.W = sizes.width - page.Edge[1] - page.Edge[3] - page.Pad[1] - page.Pad[3]
	}
	// margin holds what collapses so far: the largest positive and negative.
	var margin collapse
	y, started := 0.0, false
	topOpen := page == nil || page.Edge[0] == 0 && page.Pad[0] == 0
	if page != nil {
		margin.add(sizes.marginTop)
		if !topOpen {
			y = margin.take()
			page.Border.Y = y
			y += page.Edge[0] + page.Pad[0]
			started = true
		}
	}
	inner := 0.0 // height percentages refer to: the page's, where it is definite
	if page != nil && sizes.heightDefinite {
		inner = max(sizes.height-page.Edge[0]-page.Edge[2]-page.Pad[0]-page.Pad[2], 0)
	}
	for _, b := range p.Boxes {
		f := s.frame(b, font)
		if f.At.Style.FontSize == nil {
			f.Env.Em = font
		}
		z := s.sizes(&f, column.W, inner)
		margin.add(z.marginTop)
		y += margin.take()
		if !started && page != nil {
			page.Border.Y = y
		}
		started = true
		f.Border = Rect{column.X + z.left, y, z.width, z.height}
		y += z.height
		margin.add(z.marginBottom)
		frames = append(frames, f)
	}
	if page != nil {
		if !started {
			y += margin.take()
			page.Border.Y = y
		}
		bottomOpen := page.Edge[2] == 0 && page.Pad[2] == 0 && !sizes.heightDefinite && sizes.minHeight == 0
		if !bottomOpen {
			y += margin.take()
		}
		h := y - page.Border.Y + page.Edge[2] + page.Pad[2]
		if sizes.heightDefinite {
			h = sizes.height
		}
		page.Border.H = sizes.clampHeight(h)
		y = page.Border.Bottom()
		margin.add(sizes.marginBottom)
	}
	y += margin.take()
	out.Height = max(y, 0)
	if p.Canvas != nil {
		canvas = &frames[0]
		min := v.Height // the root fills the window unless the plan says otherwise
		if m := canvas.At.Size(plan.MinHeight); m != nil && !m.Auto {
			min = s.q(m.Len.Resolve(&canvas.Env, v.Height))
		} else if m != nil {
			min = 0
		}
		canvas.Border = Rect{0, 0, v.Width, max(out.Height, min)}
		out.Height = canvas.Border.H
	}
	out.Frames = frames
	return out
}

// collapse adds up adjoining vertical margins.
type collapse struct{ pos, neg float64 }

func (c *collapse) add(v float64) {
	c.pos, c.neg = max(c.pos, v), min(c.neg, v)
}

func (c *collapse) take() float64 {
	v := c.pos + c.neg
	*c = collapse{}
	return v
}

func (s *solver) frame(b *plan.Box, parentFont float64) Frame {
	at := b.At(&s.env)
	f := Frame{Box: b, At: at, Env: s.env}
	f.Env.Em, f.Env.Rem = parentFont, 16
	if n := at.Style.FontSize; n != nil {
		f.Env.Em = n.Resolve(&f.Env, parentFont)
	}
	black := css.RGBA{A: 1}
	f.Env.Current = black
	if at.Style.ColorSet {
		f.Env.Current = at.Style.Color.Resolve(black)
	}
	for i := range 4 {
		f.Edge[i] = BorderWidth(&at.Style.Borders[i], &f.Env)
	}
	return f
}

// boxSizes are the used sizes of a border box and its margins.
type boxSizes struct {
	width, height           float64
	left                    float64 // from the containing block's left edge
	marginTop, marginBottom float64
	heightDefinite          bool
	minHeight, maxHeight    float64
}

func (z *boxSizes) clampHeight(h float64) float64 { return max(min(h, z.maxHeight), z.minHeight) }

// sizes resolves a box in a containing block. cw is its width, ch its height
// where that is definite, else 0. Widths and heights are of the border box.
// Source: CSS 2.2, 10.3.3 and 10.7 (https://www.w3.org/TR/CSS22/visudet.html#blockwidth).
func (s *solver) sizes(f *Frame, cw, ch float64) boxSizes {
	st := &f.At.Style
	for i := range 4 {
		f.Pad[i] = s.q(max(st.Padding[i].Resolve(&f.Env, cw), 0))
	}
	var m [4]float64
	for i := range 4 {
		if !st.Margin[i].Auto {
			m[i] = s.q(st.Margin[i].Resolve(&f.Env, cw))
		}
	}
	get := func(name plan.Dimension, base float64) (float64, bool) {
		z := f.At.Size(name)
		if z == nil || z.Auto || base == 0 && z.Len.HasPercent() {
			return 0, false
		}
		return s.q(max(z.Len.Resolve(&f.Env, base), 0)), true
	}
	frameW := f.Edge[1] + f.Edge[3] + f.Pad[1] + f.Pad[3]
	frameH := f.Edge[0] + f.Edge[2] + f.Pad[0] + f.Pad[2]
	z := boxSizes{marginTop: m[0], marginBottom: m[2], maxHeight: math.Inf(1)}
	width, definite := get(plan.Width, cw)
	if !definite {
		width = max(cw-m[1]-m[3], 0)
		if h, ok := get(plan.Height, ch); ok && f.At.Ratio > 0 {
			width = s.q(h * f.At.Ratio)
			definite = true
		}
	}
	if v, ok := get(plan.MaxWidth, cw); ok && width > v {
		width, definite = v, true
	}
	if v, ok := get(plan.MinWidth, cw); ok && width < v {
		width, definite = v, true
	}
	z.width = max(width, frameW)
	free := cw - z.width - m[1] - m[3]
	z.left = m[3]
	if definite && free > 0 {
		switch l, r := st.Margin[3].Auto, st.Margin[1].Auto; {
		case l && r:
			z.left = s.q(free / 2)
		case l:
			z.left = free
		}
	}
	if f.At.Steps != nil {
		z.height, z.heightDefinite = s.q(plan.StepHeight(f.At.Steps, s.env.Width)), true
	} else if h, ok := get(plan.Height, ch); ok {
		z.height, z.heightDefinite = h, true
	} else if f.At.Ratio > 0 {
		z.height, z.heightDefinite = s.q(z.width/f.At.Ratio), true
	}
	if v, ok := get(plan.MaxHeight, ch); ok {
		z.maxHeight = v
	}
	if v, ok := get(plan.MinHeight, ch); ok {
		z.minHeight = v
	}
	z.height = max(z.clampHeight(z.height), frameH)
	return z
}

// TextRect returns where a text area lies on the page: its edges are of the
// padding box, as those of an absolutely positioned element.
func (f *Frame) TextRect(t *plan.TextArea) Rect {
	in := f.PaddingBox()
	get := func(name string, base float64) (float64, bool) {
		n, ok := t.Edges[name]
		if !ok {
			return 0, false
		}
		return n.Resolve(&f.Env, base), true
	}
	axis := func(start, end, size string, length float64) (float64, float64) {
		a, hasA := get(start, length)
		b, hasB := get(end, length)
		n, hasN := get(size, length)
		switch {
		case hasN && !hasA && hasB:
			return length - b - n, n
		case hasN:
			return a, n
		}
		return a, length - a - b
	}
	x, w := axis("left", "right", "width", in.W)
	y, h := axis("top", "bottom", "height", in.H)
	return Rect{in.X + x, in.Y + y, max(w, 0), max(h, 0)}
}
