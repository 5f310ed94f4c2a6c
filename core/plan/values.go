package plan

import (
	"slices"
	"sort"
	"sync"
	"sync/atomic"

	"tourmaline/core/css"
	"tourmaline/core/source"
	"tourmaline/core/window"
)

// Painted is one layer as it is painted where certain rules hold.
type Painted struct {
	css.Layer
	ID   LayerID
	Plan *Layer // what the plan says of it beyond CSS; never nil
	// Scrolled is the layer on touch screens where it scrolls there although it is fixed
	// elsewhere; nil where it is the same.
	Scrolled *css.Layer
}

// On is the layer as it is in windows with some modes.
func (l *Painted) On(modes window.Modes) *css.Layer {
	if modes&window.Touch != 0 && l.Scrolled != nil {
		return l.Scrolled
	}
	return &l.Layer
}

// Values are a box's values where a certain set of its rules holds. They are shared: do
// not write to them.
type Values struct {
	Steps  []Step  // height as a table
	Widths []Step  // width that was measured; nil: none
	Offset *Offset // where it was measured to lie; nil: below the box before it
	Ratio  float64 // 0: none
	Style  css.Style
	Text   []TextArea
	Bare   bool   // it has no padding, margin or border
	Images RuleID // the block that declares the images

	layers []Painted
	mask   uint64 // the rules that hold
	sizes  [Dimensions]*Size
}

// Size returns a declared size, or nil.
func (c *Values) Size(d Dimension) *Size { return c.sizes[d] }

// Layers returns the layers that are painted, top first. A colour at the bottom is the
// style's background colour, not among them.
func (c *Values) Layers() []Painted { return c.layers }

// Sized returns the values with other sizes of layers: f gives those of layer i.
func (c *Values) Sized(f func(i int) css.Size) *Values {
	out := *c
	out.layers = slices.Clone(c.layers)
	for i := range out.layers {
		out.layers[i].Size = f(i)
	}
	return &out
}

// Drawn returns the values with layer i declared otherwise, on touch screens too.
func (c *Values) Drawn(i int, as css.Layer) *Values {
	out := *c
	out.layers = slices.Clone(c.layers)
	out.layers[i].Layer, out.layers[i].Scrolled = as, nil
	return &out
}

// Under returns the values with layer i and those beneath it alone, layer i without its filters and blended normally.
func (c *Values) Under(i int) *Values {
	out := *c
	out.layers = slices.Clone(c.layers[i:])
	top, p := &out.layers[0], *out.layers[0].Plan
	p.Filters = nil
	top.Plan, top.Blend = &p, css.BlendNormal
	if top.Scrolled != nil {
		l := *top.Scrolled
		l.Blend = css.BlendNormal
		top.Scrolled = &l
	}
	return &out
}

// Find returns where a layer stands in Layers, or -1 where it is not painted.
func (c *Values) Find(id LayerID) int {
	return slices.IndexFunc(c.layers, func(l Painted) bool { return l.ID == id })
}

// Resolver computes what the boxes of a plan are like at one window after another, and
// keeps what it computed. It is safe in parallel.
type Resolver struct {
	plan  *Plan
	boxes []memo
}

// memo is what was computed of one box.
type memo struct {
	last  atomic.Pointer[Values] // windows come in order
	mu    sync.Mutex
	known map[uint64]*Values
}

// NewResolver is for the boxes of a plan.
func NewResolver(p *Plan) *Resolver { return &Resolver{plan: p, boxes: make([]memo, len(p.all))} }

// At returns a box's values at a window. It does not allocate once a set of rules was seen.
func (r *Resolver) At(id BoxID, e *css.Env) *Values {
	b, m := r.plan.all[id], &r.boxes[id]
	var mask uint64
	for i := range b.Rules {
		if b.Rules[i].Media.Holds(&e.Window) {
			mask |= 1 << i
		}
	}
	if c := m.last.Load(); c != nil && c.mask == mask {
		return c
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.known == nil {
		m.known = map[uint64]*Values{}
		for _, x := range b.Combinations() {
			m.known[x.Rules] = x.Values
		}
	}
	c := m.known[mask]
	if c == nil { // a window of fractions of px
		c = b.must(mask)
		m.known[mask] = c
	}
	m.last.Store(c)
	return c
}

// must computes the values of a box whose rules were all computed when it was read.
func (b *Box) must(mask uint64) *Values {
	c, err := b.values(mask)
	if err != nil {
		panic("plan: " + err.Error())
	}
	return c
}

// At returns the box's values at one window. Use a Resolver for many windows.
func (b *Box) At(e *css.Env) *Values {
	var mask uint64
	for i := range b.Rules {
		if b.Rules[i].Media.Holds(&e.Window) {
			mask |= 1 << i
		}
	}
	for _, c := range b.Combinations() {
		if c.Rules == mask {
			return c.Values
		}
	}
	return b.must(mask) // a window of fractions of px
}

// Base returns the values where no when block holds.
func (b *Box) Base() *Values { return b.must(1) }

// list is the layers: of the rule that holds last, and what of them is painted.
type list struct {
	rule    *Rule
	own     []Layer
	painted []Painted
}

// values computes the box where the rules of a mask hold.
func (b *Box) values(mask uint64) (*Values, error) {
	c := &Values{Style: css.NewStyle(), mask: mask}
	var l list          // what layers: declare
	images := RuleID(0) // the block that declares the images
	for i := range b.Rules {
		r := &b.Rules[i]
		if mask&(1<<i) == 0 {
			continue
		}
		c.takeSizes(r)
		if r.Text != nil {
			c.Text = r.Text
		}
		if r.Layers != nil {
			l, images = b.listOf(r, r.Layers), r.ID
			setLayers(&c.Style.Background, l.painted)
		}
		if r.hides != "" && l.rule != nil {
			l.painted = slices.DeleteFunc(l.painted, func(x Painted) bool { return x.Plan.hides(r.hides) })
			setLayers(&c.Style.Background, l.painted)
		}
		if r.shift != nil && l.rule == &b.Rules[0] {
			own := slices.Clone(l.own)
			for n, to := range r.shift {
				to(&own[n])
			}
			l = b.listOf(l.rule, own)
			setLayers(&c.Style.Background, l.painted)
		}
		for _, d := range r.declared {
			if err := c.Style.Apply(d.Declaration, nil); err != nil {
				return nil, source.Locate(err, d.text)
			}
			if d.Property == "background" || d.Property == "background-image" {
				l, images = list{}, r.ID
			}
		}
	}
	c.Images = images
	c.number(b, &l, images)
	c.Bare = c.bare()
	return c, nil
}

func (c *Values) bare() bool {
	zero, none := css.NewStyle(), css.Pxs(0)
	for i := range 4 {
		m := c.Style.Margin[i]
		if c.Style.Padding[i] != none || m.Auto || m.Num != none || c.Style.Borders[i] != zero.Borders[i] {
			return false
		}
	}
	return true
}

// number gives the layers of the style their identities, and what the plan says of them.
func (c *Values) number(b *Box, l *list, images RuleID) {
	layers := c.Style.Layers()
	c.layers = make([]Painted, len(layers))
	plain := &Layer{Span: b.Span}
	for i := range layers {
		x := &c.layers[i]
		*x = Painted{Layer: layers[i], ID: LayerID{b.ID, images, i + 1}, Plan: plain}
		if l.rule != nil && i < len(l.painted) {
			x.ID, x.Plan = l.painted[i].ID, l.painted[i].Plan
		}
		if b.Touch(x) == TouchScroll {
			s := x.Layer
			s.Attachment = css.Scroll
			x.Scrolled = &s
		}
	}
}

// Place is where a measured text lies in a window: it begins on straight lines between what is known, and is
// as wide and as tall as the larger of both, as far as there is room: right is where that ends, since a text
// wraps there.
func (t *TextArea) Place(width, height, right float64) (x, y, w, h float64) {
	i := sort.Search(len(t.Places), func(i int) bool { return t.Places[i].Width >= width })
	a, b := &t.Places[max(i-1, 0)], &t.Places[min(i, len(t.Places)-1)]
	if b.Width == width {
		a = b
	}
	at := func(p *TextPlace) (r [4]float64) {
		k := 0.0
		if d := p.Between[1] - p.Between[0]; d > 0 {
			k = min(max((height-p.Between[0])/d, 0), 1)
		}
		for i := range r {
			r[i] = p.Low[i] + (p.High[i]-p.Low[i])*k
		}
		return r
	}
	p, q, k := at(a), at(b), 0.0
	if d := b.Width - a.Width; d > 0 {
		k = min(max((width-a.Width)/d, 0), 1)
	}
	x, y = p[0]+(q[0]-p[0])*k, p[1]+(q[1]-p[1])*k
	if w = max(p[2], q[2]); a != b {
		w = min(w, max(right-x, min(p[2], q[2])))
	}
	return x, y, w, max(p[3], q[3])
}

func (c *Values) takeSizes(r *Rule) {
	for d, z := range r.Sizes {
		if z != nil {
			c.sizes[d] = z
			switch Dimension(d) {
			case Height:
				c.Steps = nil
			case Width:
				c.Widths = nil
			}
		}
	}
	if r.Steps != nil {
		c.Steps, c.sizes[Height] = r.Steps, nil
	}
	if r.Widths != nil {
		c.Widths, c.sizes[Width] = r.Widths, nil
	}
	if r.Offset != nil {
		c.Offset = r.Offset
	}
	if r.Ratio != nil {
		c.Ratio = *r.Ratio
	}
}

// listOf leaves out scrims that are clear: ones that are open, or not needed.
func (b *Box) listOf(r *Rule, own []Layer) list {
	out := list{rule: r, own: own}
	for i := range own {
		if l := &own[i]; l.Color == nil || len(l.Open) == 0 || !l.Color.IsTransparent() {
			out.painted = append(out.painted, Painted{Layer: l.CSS, ID: LayerID{b.ID, r.ID, i + 1}, Plan: l})
		}
	}
	return out
}

// setLayers turns layers into longhands: a colour at the bottom is the
// background colour, any other is a gradient from it to itself.
func setLayers(bg *css.Background, layers []Painted) {
	*bg = css.Background{}
	var list []css.Layer
	var bottom css.Color
	for i, l := range layers {
		color := l.Plan.Color
		if color == nil {
			list = append(list, l.Layer)
			continue
		}
		if i == len(layers)-1 {
			bottom = *color
			break
		}
		cl := l.Layer
		g := css.Gradient{At: css.Center, Angle: css.Num{Unit: css.Deg, Val: 180}, From: css.Num{Unit: css.Deg},
			Stops: []css.Stop{{Color: *color}, {Color: *color}}}
		cl.Image = css.Image{Gradient: &g}
		list = append(list, cl)
	}
	bg.SetLayers(list)
	bg.Color = bottom
}

// Declared is a CSS declaration of a box as it was written.
type Declared struct {
	css.Declaration
	Rule RuleID
	Span source.Span
}

// Declared returns the box's CSS declarations in their order.
func (b *Box) Declared() []Declared {
	var out []Declared
	for i := range b.Rules {
		for _, d := range b.Rules[i].declared {
			out = append(out, Declared{d.Declaration, b.Rules[i].ID, d.text.Span(d.Off, d.Off+len(d.Property))})
		}
	}
	return out
}

// StepAt is the length of a table in a window: straight lines between its rows, level outside them. Where rows
// bend with the window's height as often, their bends move on straight lines too.
func StepAt(steps []Step, width, height float64) float64 {
	i := sort.Search(len(steps), func(i int) bool { return steps[i].Width > width })
	switch i {
	case 0:
		return steps[0].at(height)
	case len(steps):
		return steps[i-1].at(height)
	}
	a, b := &steps[i-1], &steps[i]
	k := (width - a.Width) / (b.Width - a.Width)
	if len(a.Bends) == 0 && len(b.Bends) == 0 || len(a.Bends) != len(b.Bends) {
		p, q := a.at(height), b.at(height)
		return p + (q-p)*k
	}
	return bentAt(len(a.Bends), height, func(i int) Bend {
		p, q := a.Bends[i], b.Bends[i]
		return Bend{p.Window + (q.Window-p.Window)*k, p.Length + (q.Length-p.Length)*k}
	})
}

// at is a row's length in windows of a height.
func (s *Step) at(height float64) float64 {
	if len(s.Bends) == 0 {
		return s.Length
	}
	return bentAt(len(s.Bends), height, func(i int) Bend { return s.Bends[i] })
}

// bentAt is on the straight lines between n bends; the first and the last line go on.
func bentAt(n int, height float64, bend func(int) Bend) float64 {
	if n == 1 {
		return bend(0).Length
	}
	i := 1
	for i < n-1 && bend(i).Window < height {
		i++
	}
	a, b := bend(i-1), bend(i)
	if b.Window == a.Window {
		return b.Length
	}
	return a.Length + (b.Length-a.Length)*(height-a.Window)/(b.Window-a.Window)
}
