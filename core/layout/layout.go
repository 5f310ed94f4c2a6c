// Package layout places the boxes of a plan on the page at one window: border,
// padding and content rectangles, in CSS px, y down, from the page's top left.
//
//	pg := layout.At(p, plan.Viewport{Width: 390, Height: 844, Density: 3}, layout.Exact)
//	f := pg.Frame(p.Boxes[0].ID)
//	f.Border // the border box
//
// Boxes are blocks that follow each other on the page column: widths default to
// all there is, margins collapse as in CSS 2.2, 8.3.1.
package layout

import (
	"math"
	"slices"

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
	Values *plan.Values
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

// Guessed reports whether the height is a guess at the content's: a table, or lengths that
// the window's height does not enter; not a ratio, and not the canvas.
func (f *Frame) Guessed() bool {
	if f.Box.Role == plan.Canvas {
		return false
	}
	if steps := f.Values.Steps; steps != nil { // one that bends with the window was measured to do so
		return !slices.ContainsFunc(steps, func(s plan.Step) bool { return s.Bends != nil })
	}
	tied := func(d plan.Dimension) bool {
		z := f.Values.Size(d)
		return z != nil && !z.Auto && z.Len.OfWindowHeight()
	}
	if z := f.Values.Size(plan.Height); (z == nil || z.Auto) && f.Values.Ratio > 0 {
		return false
	}
	return !tied(plan.Height) && !tied(plan.MinHeight)
}

// Page is all boxes at one window.
type Page struct {
	Viewport plan.Viewport
	Frames   []Frame // by BoxID
	Height   float64 // of the document, CSS px
}

// Frame returns the frame of a box.
func (p *Page) Frame(id plan.BoxID) *Frame { return &p.Frames[id] }

// lengths resolves lengths at one window.
type lengths struct {
	grid   float64 // steps per CSS px, 0 for exact
	env    css.Env
	root   float64 // font size of the root, CSS px
	values *plan.Resolver
}

func (s *lengths) q(v float64) float64 {
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
	if b.Style == css.NoBorder || b.Style == css.Hidden {
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

// Pages lays a plan out at one window after another. It is safe in parallel.
type Pages struct {
	plan   *plan.Plan
	values *plan.Resolver
}

// Of is for the windows of a plan.
func Of(p *plan.Plan) *Pages { return &Pages{p, plan.NewResolver(p)} }

// At lays the boxes out at a window.
func (ps *Pages) At(v plan.Viewport, mode Mode) *Page { return ps.Room().At(v, mode) }

// Values are what holds of a box at a window; they are one where the same rules hold.
func (ps *Pages) Values(box plan.BoxID, v plan.Viewport) *plan.Values {
	e := v.Env()
	return ps.values.At(box, &e)
}

// Room is memory that layouts are made in, one after another, by one goroutine.
func (ps *Pages) Room() *Room {
	return &Room{pages: ps, page: Page{Frames: make([]Frame, len(ps.plan.All()))}}
}

// Room is memory that layouts of one plan are made in: see Pages.Room.
type Room struct {
	pages *Pages
	page  Page
}

// At lays a plan's boxes out at one window. Use Pages for many windows.
func At(p *plan.Plan, v plan.Viewport, mode Mode) *Page { return Of(p).At(v, mode) }

// At lays the boxes out at a window. The result holds until the next call.
func (r *Room) At(v plan.Viewport, mode Mode) *Page {
	p := r.pages.plan
	s := lengths{env: v.Env(), values: r.pages.values}
	if mode == Device {
		s.grid = 64 * v.Density
	}
	pg := &r.page
	pg.Viewport = v
	s.rootFont(p)
	col := column{lengths: &s, font: s.root, width: v.Width}
	if p.Page != nil {
		col.open(&pg.Frames[p.Page.ID], p.Page, v)
	}
	for _, b := range p.Boxes {
		col.add(&pg.Frames[b.ID], b)
	}
	pg.Height = col.close()
	if p.Canvas != nil {
		f := &pg.Frames[p.Canvas.ID]
		s.frame(f, p.Canvas, s.root)
		f.Border = Rect{0, 0, v.Width, max(pg.Height, s.least(f))}
		pg.Height = f.Border.H
	}
	return pg
}

// rootFont finds what rem is: the font size that page: gives, else the 16px of browsers.
func (s *lengths) rootFont(p *plan.Plan) {
	s.root = 16
	if p.Page == nil {
		return
	}
	if n := s.values.At(p.Page.ID, &s.env).Style.FontSize; n != nil {
		s.root = n.Resolve(&s.env, 16)
	}
}

// least is the least height of the canvas: the root fills the window unless the plan says
// otherwise.
func (s *lengths) least(canvas *Frame) float64 {
	m := canvas.Values.Size(plan.MinHeight)
	switch {
	case m == nil:
		return s.env.Height
	case m.Auto:
		return 0
	}
	return s.q(m.Len.Resolve(&canvas.Env, s.env.Height))
}

// column puts boxes one below the other on the page column.
type column struct {
	*lengths
	page    *Frame // nil: the window itself
	sizes   boxSizes
	font    float64
	left    float64 // of the content
	width   float64
	inner   float64  // height percentages refer to: the page's, where it is definite
	margin  collapse // what collapses so far
	y       float64
	started bool // something separates the page's top margin from the next
}

// open begins the column in the content box of the page.
func (c *column) open(page *Frame, box *plan.Box, v plan.Viewport) {
	c.frame(page, box, c.root)
	page.Env.Em = c.root // its font size is the root's
	c.page, c.font = page, c.root
	c.sizes = c.lengths.sizes(page, v.Width, v.Height)
	page.Border = Rect{c.sizes.left, 0, c.sizes.width, 0}
	c.left = page.ContentBox().X
	c.width = c.sizes.width - page.Edge[1] - page.Edge[3] - page.Pad[1] - page.Pad[3]
	c.margin.add(c.sizes.marginTop)
	if page.Edge[0] != 0 || page.Pad[0] != 0 { // margins do not go through it
		c.y = c.margin.take()
		page.Border.Y = c.y
		c.y += page.Edge[0] + page.Pad[0]
		c.started = true
	}
	if c.sizes.heightDefinite {
		c.inner = max(c.sizes.height-page.Edge[0]-page.Edge[2]-page.Pad[0]-page.Pad[2], 0)
	}
}

// add puts a box below what is there.
func (c *column) add(f *Frame, b *plan.Box) {
	c.frame(f, b, c.font)
	if f.Values.Style.FontSize == nil {
		f.Env.Em = c.font
	}
	z := c.lengths.sizes(f, c.width, c.inner)
	c.margin.add(z.marginTop)
	c.y += c.margin.take()
	if !c.started && c.page != nil {
		c.page.Border.Y = c.y
	}
	c.started = true
	f.Border = Rect{c.left + z.left, c.y, z.width, z.height}
	if o := f.Values.Offset; o != nil {
		e := &c.lengths.env
		f.Border.X, f.Border.Y = c.q(plan.StepAt(o.Left, e.Width, e.Height)), c.q(plan.StepAt(o.Top, e.Width, e.Height))
		c.y = max(c.y, f.Border.Y) // what follows lies below it
	}
	c.y += z.height
	c.margin.add(z.marginBottom)
}

// close ends the column and returns the height of the document.
func (c *column) close() float64 {
	if page := c.page; page != nil {
		if !c.started {
			c.y += c.margin.take()
			page.Border.Y = c.y
		}
		if page.Edge[2] != 0 || page.Pad[2] != 0 || c.sizes.heightDefinite || c.sizes.minHeight != 0 {
			c.y += c.margin.take()
		}
		h := c.y - page.Border.Y + page.Edge[2] + page.Pad[2]
		if c.sizes.heightDefinite {
			h = c.sizes.height
		}
		page.Border.H = c.sizes.clampHeight(h)
		c.y = page.Border.Bottom()
		c.margin.add(c.sizes.marginBottom)
	}
	return max(c.y+c.margin.take(), 0)
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

// frame fills in all of a frame but its rectangle and paddings.
func (s *lengths) frame(f *Frame, b *plan.Box, parentFont float64) {
	*f = Frame{Box: b, Values: s.values.At(b.ID, &s.env), Env: s.env}
	f.Env.Em, f.Env.Rem = parentFont, s.root
	st := &f.Values.Style
	if n := st.FontSize; n != nil {
		f.Env.Em = n.Resolve(&f.Env, parentFont)
	}
	black := css.RGBA{A: 1}
	f.Env.Current = black
	if st.ColorSet {
		f.Env.Current = st.Color.Resolve(black)
	}
	if f.Values.Bare {
		return
	}
	for i := range 4 {
		f.Edge[i] = BorderWidth(&st.Borders[i], &f.Env)
	}
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
func (s *lengths) sizes(f *Frame, cw, ch float64) boxSizes {
	st := &f.Values.Style
	var m [4]float64
	for i := range 4 {
		if f.Values.Bare {
			break
		}
		f.Pad[i] = s.q(max(st.Padding[i].Resolve(&f.Env, cw), 0))
		if !st.Margin[i].Auto {
			m[i] = s.q(st.Margin[i].Resolve(&f.Env, cw))
		}
	}
	get := func(name plan.Dimension, base float64) (float64, bool) {
		z := f.Values.Size(name)
		if z == nil || z.Auto || base == 0 && z.Len.HasPercent() {
			return 0, false
		}
		return s.q(max(z.Len.Resolve(&f.Env, base), 0)), true
	}
	frameW := f.Edge[1] + f.Edge[3] + f.Pad[1] + f.Pad[3]
	frameH := f.Edge[0] + f.Edge[2] + f.Pad[0] + f.Pad[2]
	z := boxSizes{marginTop: m[0], marginBottom: m[2], maxHeight: math.Inf(1)}
	width, definite := get(plan.Width, cw)
	if f.Values.Widths != nil {
		width, definite = s.q(plan.StepAt(f.Values.Widths, s.env.Width, s.env.Height)), true
	}
	if !definite {
		width = max(cw-m[1]-m[3], 0)
		if f.Values.Ratio > 0 {
			if h, ok := get(plan.Height, ch); ok {
				width, definite = s.q(h*f.Values.Ratio), true
			}
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
	if f.Values.Steps != nil {
		z.height, z.heightDefinite = s.q(plan.StepAt(f.Values.Steps, s.env.Width, s.env.Height)), true
	} else if h, ok := get(plan.Height, ch); ok {
		z.height, z.heightDefinite = h, true
	} else if f.Values.Ratio > 0 {
		z.height, z.heightDefinite = s.q(z.width/f.Values.Ratio), true
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
	if len(t.Places) > 0 {
		x, y, w, h := t.Place(f.Env.Width, f.Env.Height, in.W-f.Pad[1])
		return Rect{in.X + x, in.Y + y, w, h}
	}
	get := func(e plan.TextEdge, base float64) (float64, bool) {
		n := t.Edges[e]
		if n == nil {
			return 0, false
		}
		return n.Resolve(&f.Env, base), true
	}
	axis := func(start, end, size plan.TextEdge, length float64) (float64, float64) {
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
	x, w := axis(plan.EdgeLeft, plan.EdgeRight, plan.EdgeWidth, in.W)
	y, h := axis(plan.EdgeTop, plan.EdgeBottom, plan.EdgeHeight, in.H)
	return Rect{in.X + x, in.Y + y, max(w, 0), max(h, 0)}
}
