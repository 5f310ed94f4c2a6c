// Package plan reads the plan file (tourmaline.yaml): the viewports and boxes of a
// site and the backgrounds that fill them.
//
//	p, err := plan.Parse("tourmaline.yaml", data)
//	for _, b := range p.Boxes {
//		at := b.At(&css.Env{Width: 390, Height: 844, Density: 3})
//		_ = at.Style.Layers()
//	}
//
// Reading is strict: unknown keys, wrong units and wrong types are
// *source.SyntaxError with line and column. The plan is untrusted: its size and
// what its aliases expand to are bounded, and no file is opened here.
package plan

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"

	"tourmaline/core/css"
	"tourmaline/core/source"
)

// MaxWindow is the largest window side in CSS px.
const MaxWindow = 16384

// Version is the plan format that is read.
const Version = "1"

// Viewport is a window: CSS px and device px per CSS px.
type Viewport struct {
	Name    string // "" when it was given as a size
	Width   float64
	Height  float64
	Density float64
	Share   float64 // 0..1 of the visitors; 0 where not given
	Pos     source.Pos
}

// String is the size as 390x844@3.
func (v Viewport) String() string {
	f := func(x float64) string { return strconv.FormatFloat(x, 'f', -1, 64) }
	return f(v.Width) + "x" + f(v.Height) + "@" + f(v.Density)
}

// Label is the name with the size, or the size.
func (v Viewport) Label() string {
	if v.Name == "" {
		return v.String()
	}
	return v.Name + " " + v.String()
}

// Env returns what lengths at this viewport are resolved against.
func (v Viewport) Env() css.Env {
	return css.Env{Width: v.Width, Height: v.Height, Density: v.Density}
}

// ParseViewport reads 390x844@3; the density may be left out (1).
func ParseViewport(s string) (Viewport, error) {
	bad := func() (Viewport, error) {
		return Viewport{}, &source.SyntaxError{Text: s, Want: "a viewport such as 390x844@3 (CSS width x height @ density)"}
	}
	size, dens, hasDens := strings.Cut(s, "@")
	ws, hs, ok := strings.Cut(size, "x")
	if !ok {
		return bad()
	}
	w, err1 := strconv.ParseFloat(strings.TrimSpace(ws), 64)
	h, err2 := strconv.ParseFloat(strings.TrimSpace(hs), 64)
	d := 1.0
	var err3 error
	if hasDens {
		d, err3 = strconv.ParseFloat(strings.TrimSuffix(strings.TrimSpace(dens), "x"), 64)
	}
	if err1 != nil || err2 != nil || err3 != nil || !(w >= 1 && w <= MaxWindow && h >= 1 && h <= MaxWindow && d >= 0.1 && d <= 10) {
		return bad()
	}
	return Viewport{Width: w, Height: h, Density: d}, nil
}

// Plan is a whole plan.
type Plan struct {
	File     string
	Site     string
	Pictures string // folder, as written; "" is the plan's own
	Output   string // folder, as written; "" is dist
	Widths   [2]int
	Heights  [2]int
	Density  []float64
	Spans    [][2]int // one a density: the widths that it is seen at
	Named    []Viewport
	Canvas   *Box // the whole window; nil when the plan has none
	Page     *Box // the column the boxes lie on; nil: as wide as the window
	Boxes    []*Box
	Budget   map[string]float64 // bytes by viewport name
	Accept   []Accept
	Files    Files
}

// Accept says that a finding is known and meant.
type Accept struct {
	Pos    source.Pos
	Check  string
	Box    string // "" is every box
	Widths [2]int // where; zero is everywhere
	Reason string
}

// All returns canvas, page (where declared) and the boxes, in painting order.
func (p *Plan) All() []*Box {
	var out []*Box
	for _, b := range []*Box{p.Canvas, p.Page} {
		if b != nil {
			out = append(out, b)
		}
	}
	return append(out, p.Boxes...)
}

// Box finds a box by name; the error lists the names there are.
func (p *Plan) Box(name string) (*Box, error) {
	var names []string
	for _, b := range p.All() {
		if b.Name == name {
			return b, nil
		}
		names = append(names, b.Name)
	}
	return nil, &source.SyntaxError{In: p.File, Text: name, Want: "a box of the plan", Hint: source.DidYouMean(name, names)}
}

// Viewport finds a named viewport, or reads a size such as 390x844@3.
func (p *Plan) Viewport(s string) (Viewport, error) {
	var names []string
	for _, v := range p.Named {
		if v.Name == s {
			return v, nil
		}
		names = append(names, v.Name)
	}
	v, err := ParseViewport(s)
	if err != nil {
		err.(*source.SyntaxError).Hint = "the plan names " + strings.Join(names, ", ")
	}
	return v, err
}

// Role tells the canvas and the page column from the boxes that lie on it.
type Role uint8

// Roles.
const (
	Row Role = iota
	Canvas
	Page
)

// Box is a rectangle of the page with a background. Its values depend on the
// window through when blocks: see At.
type Box struct {
	Name     string
	Selector string
	Role     Role
	Pos      source.Pos
	Rules    []Rule // the first is unconditional

	last  atomic.Pointer[Computed] // what At returned last: windows come in order
	mu    sync.Mutex
	cache map[uint64]*Computed
}

// Rule is a set of values that holds where its media query does. Nil fields are
// not declared by it.
type Rule struct {
	Media  css.Media
	Pos    source.Pos
	Sizes  map[string]Size
	Steps  []Step // height as a table of window widths
	Ratio  *float64
	decls  []placed
	Layers []Layer
	Text   []TextArea

	shift map[int]css.Position // of the layers of the first rule: what settle found for a range of widths
}

// Size is a width or height, or one of its limits: a length, auto or none.
type Size struct {
	Auto bool // also none
	Len  css.Num
	Pos  source.Pos
}

// Step is one row of a height table: CSS px.
type Step struct{ Width, Height float64 }

// placed is a declaration with the place of its text.
type placed struct {
	css.Declaration
	pos    source.Pos
	text   string // what offsets count in
	indent int
}

// Layer is one entry of layers.
type Layer struct {
	Pos     source.Pos
	CSS     css.Layer
	Color   *css.Color // a colour layer
	Auto    bool       // position: auto
	Keep    *Region
	Focus   *Point
	Filters css.Filters
	Open    []Open // what is left to settle, or was
	shifts  []shift
	Texture bool       // it was written as texture:
	Subject [2]float64 // the share of the box that keep should take; zero: any
	Avoid   bool       // keep is to stay out from under text areas
	Tells   string     // what it shows, where it carries meaning
	Quality float64    // of its files; 0 is the plan's
}

// OpenKind is what is left to settle.
type OpenKind uint8

// Kinds, with how they are written: position: auto, color: auto scrim, color: auto,
// size: near 33px, repeat: auto, and gradient: auto from dome.jpg or auto linear-gradient(…). A settled value stands behind them after =.
const (
	OpenPosition OpenKind = iota
	OpenScrim
	OpenColor
	OpenSize
	OpenGradient
	OpenRepeat
)

func (k OpenKind) String() string {
	return [...]string{"position", "scrim", "color", "size", "gradient", "repeat"}[k]
}

// Open is a value that the designer leaves to settle.
type Open struct {
	Kind    OpenKind
	Pos     source.Pos // where the value begins, with its quote
	Text    string     // the whole value as it is in the plan
	Wish    string     // what was written, without what was settled
	Settled string     // "" while it is open
}

// Region is a part of a picture, 0..1 of its width and height.
type Region struct{ X, Y, W, H float64 }

// Point is a place in a picture, 0..1.
type Point struct{ X, Y float64 }

// TextArea says where text lies in a box.
type TextArea struct {
	Pos      source.Pos
	Edges    map[string]css.Num // left, right, top, bottom, width, height
	Color    css.Color
	Contrast float64
	Sample   string
}

// Notes is what a plan says of a layer beyond CSS.
type Notes struct {
	Pos     source.Pos
	Keep    *Region
	Focus   *Point
	Auto    bool
	Filters css.Filters
	Texture bool
	Tells   string
	Color   bool // the layer is a colour, painted as a gradient
	Quality float64
}

// Computed is a box's values where a certain set of its rules holds.
type Computed struct {
	Sizes map[string]Size
	Steps []Step
	Ratio float64 // 0: none
	Style css.Style
	Notes []Notes // one a layer of Style.Layers()
	Text  []TextArea

	layers []css.Layer
	mask   uint64 // the rules that hold
	sizes  [6]*Size
}

// Dimension names a size for Size: faster than its name in Sizes.
type Dimension uint8

// Dimensions, as in SizeNames.
const (
	Width Dimension = iota
	Height
	MinWidth
	MaxWidth
	MinHeight
	MaxHeight
)

// SizeNames are the keys of Sizes.
var SizeNames = [...]string{"width", "height", "min-width", "max-width", "min-height", "max-height"}

// Size returns a declared size, or nil.
func (c *Computed) Size(d Dimension) *Size { return c.sizes[d] }

// Layers returns the layers, computed once. Do not write to them.
func (c *Computed) Layers() []css.Layer { return c.layers }

// At returns the box's values at a window. Results are shared: do not write to
// them. It is safe in parallel and does not allocate once a set of rules was seen.
func (b *Box) At(e *css.Env) *Computed {
	var mask uint64
	for i := range b.Rules {
		if b.Rules[i].Media.Matches(e) {
			mask |= 1 << i
		}
	}
	if c := b.last.Load(); c != nil && c.mask == mask {
		return c
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	if c, ok := b.cache[mask]; ok {
		b.last.Store(c)
		return c
	}
	c, err := b.compute(mask)
	if err != nil {
		panic("plan: " + err.Error()) // validate has computed every rule before
	}
	if b.cache == nil {
		b.cache = map[uint64]*Computed{}
	}
	b.cache[mask] = c
	return c
}

// Asks reports whether a media query of the box asks for any of the features, such as
// hover or height; min- and max- forms count as the feature.
func (b *Box) Asks(features ...string) bool {
	return slices.ContainsFunc(b.Rules, func(r Rule) bool {
		return slices.ContainsFunc(features, func(f string) bool { return strings.Contains(r.Media.String(), f) })
	})
}

// TouchFeatures are what tells touch screens from others.
var TouchFeatures = []string{"hover", "pointer"}

// Forget drops what At has computed, after Rules were changed. It is not safe in
// parallel with At.
func (b *Box) Forget() {
	b.last.Store(nil)
	b.cache = nil
}

func (b *Box) compute(mask uint64) (*Computed, error) {
	c := &Computed{Sizes: map[string]Size{}, Style: css.NewStyle()}
	var own, layers []Layer // of the rule that has them, and what of these is painted
	fromLayers := false
	first := false // the layers are those of the first rule
	for i := range b.Rules {
		r := &b.Rules[i]
		if mask&(1<<i) == 0 {
			continue
		}
		for k, v := range r.Sizes {
			c.Sizes[k] = v
			if k == "height" {
				c.Steps = nil
			}
		}
		if r.Steps != nil {
			c.Steps = r.Steps
			delete(c.Sizes, "height")
		}
		if r.Ratio != nil {
			c.Ratio = *r.Ratio
		}
		if r.Text != nil {
			c.Text = r.Text
		}
		if r.Layers != nil {
			own = r.Layers
			layers, fromLayers = painted(own), true
			setLayers(&c.Style.Background, layers)
			first = i == 0
		}
		if r.shift != nil && first {
			own = slices.Clone(own)
			for n, pos := range r.shift {
				own[n].CSS.Position = pos
			}
			layers = painted(own)
			setLayers(&c.Style.Background, layers)
		}
		for _, d := range r.decls {
			if err := c.Style.Apply(d.Declaration, nil); err != nil {
				return nil, source.At(err, d.pos, d.text, d.indent)
			}
			if d.Property == "background" || d.Property == "background-image" {
				fromLayers = false
			}
		}
	}
	for d, name := range SizeNames {
		if z, ok := c.Sizes[name]; ok {
			c.sizes[d] = &z
		}
	}
	c.mask = mask
	c.layers = c.Style.Layers()
	c.Notes = make([]Notes, len(c.layers))
	if fromLayers {
		n := 0
		for i, l := range layers {
			if i == len(layers)-1 && l.Color != nil {
				break
			}
			c.Notes[n] = Notes{Pos: l.Pos, Keep: l.Keep, Focus: l.Focus, Auto: l.Auto, Filters: l.Filters,
				Texture: l.Texture, Tells: l.Tells, Color: l.Color != nil, Quality: l.Quality}
			n++
		}
	} else {
		for i := range c.Notes {
			c.Notes[i].Pos = b.Pos
		}
	}
	return c, nil
}

// painted leaves out scrims that are clear: ones that are open, or not needed.
func painted(layers []Layer) []Layer {
	clear := func(l Layer) bool { return l.Color != nil && len(l.Open) > 0 && l.Color.IsTransparent() }
	if !slices.ContainsFunc(layers, clear) {
		return layers
	}
	return slices.DeleteFunc(slices.Clone(layers), clear)
}

// setLayers turns layers into longhands: a colour at the bottom is the
// background colour, any other is a gradient from it to itself.
func setLayers(bg *css.Background, layers []Layer) {
	*bg = css.Background{}
	var list []css.Layer
	for i, l := range layers {
		if l.Color == nil {
			list = append(list, l.CSS)
			continue
		}
		if i == len(layers)-1 {
			bg.Color = *l.Color
			break
		}
		cl := l.CSS
		g := css.Gradient{At: css.Center, Angle: css.Num{Unit: css.Deg, Val: 180}, From: css.Num{Unit: css.Deg},
			Stops: []css.Stop{{Color: *l.Color}, {Color: *l.Color}}}
		cl.Image = css.Image{Gradient: &g}
		list = append(list, cl)
	}
	color := bg.Color
	bg.SetLayers(list)
	bg.Color = color
}

// Declared is a CSS declaration of a box as it was written.
type Declared struct {
	css.Declaration
	Rule int
	Pos  source.Pos
}

// Declared returns the box's CSS declarations in their order.
func (b *Box) Declared() []Declared {
	var out []Declared
	for i := range b.Rules {
		for _, d := range b.Rules[i].decls {
			out = append(out, Declared{d.Declaration, i, d.pos.In(d.text, d.Off, d.indent)})
		}
	}
	return out
}

// maxRules is what fits the set of rules that hold.
const maxRules = 63

// validate computes each rule alone and all together, so that errors come while
// reading, and checks names.
func (p *Plan) validate() error {
	p.spans()
	seen := map[string]bool{}
	for _, b := range p.All() {
		if seen[b.Name] {
			return &source.SyntaxError{Pos: b.Pos, In: "name", Text: b.Name, Msg: fmt.Sprintf("two boxes are called %q", b.Name)}
		}
		seen[b.Name] = true
		if len(b.Rules) > maxRules {
			return &source.LimitError{Pos: b.Pos, Msg: fmt.Sprintf("the box has more than %d when blocks", maxRules-1)}
		}
		for i := range b.Rules {
			c, err := b.compute(1 | 1<<i)
			if err != nil {
				return err
			}
			if b.Role == Row {
				if err := b.zero(&b.Rules[i], c); err != nil {
					return err
				}
			}
		}
	}
	names := map[string]bool{}
	for _, v := range p.Named {
		names[v.Name] = true
	}
	for name := range p.Budget {
		if !names[name] {
			keys := make([]string, 0, len(names))
			for k := range names {
				keys = append(keys, k)
			}
			slices.Sort(keys)
			return &source.SyntaxError{Pos: source.Pos{File: p.File}, In: "budget", Text: name, Want: "a named viewport", Hint: source.DidYouMean(name, keys)}
		}
	}
	return nil
}

// spans gives each density the whole range where the plan does not say.
func (p *Plan) spans() {
	for len(p.Spans) < len(p.Density) {
		p.Spans = append(p.Spans, p.Widths)
	}
	for i := range p.Spans {
		if p.Spans[i] == [2]int{} {
			p.Spans[i] = p.Widths
		}
	}
}

// zero refuses boxes that can have no height or width at all.
func (b *Box) zero(r *Rule, c *Computed) error {
	h, has := c.Sizes["height"]
	min, hasMin := c.Sizes["min-height"]
	plainZero := func(s Size) bool { return s.Auto || s.Len.IsZero() }
	pos := b.Pos
	if h.Pos.Line != 0 {
		pos = h.Pos
	}
	noBorder := true
	for i := range 4 {
		if !c.Style.Padding[i].IsZero() || c.Style.Borders[i].Style != "none" {
			noBorder = false
		}
	}
	if (!has || plainZero(h)) && c.Steps == nil && c.Ratio == 0 && (!hasMin || plainZero(min)) && noBorder {
		return &source.SyntaxError{Pos: pos, In: "height", Msg: fmt.Sprintf("the box %q has no height", b.Name),
			Hint: "give height, min-height, aspect-ratio, or a table such as {320: 900px, 1440: 480px}"}
	}
	if w, ok := c.Sizes["width"]; ok && !w.Auto && w.Len.IsZero() {
		return &source.SyntaxError{Pos: w.Pos, In: "width", Msg: fmt.Sprintf("the box %q has no width", b.Name)}
	}
	return nil
}

// StepHeight is the height of a table at a window width: straight lines between
// its rows, level outside them.
func StepHeight(steps []Step, width float64) float64 {
	i := 0
	for i < len(steps) && steps[i].Width <= width {
		i++
	}
	switch i {
	case 0:
		return steps[0].Height
	case len(steps):
		return steps[i-1].Height
	}
	a, b := steps[i-1], steps[i]
	return a.Height + (b.Height-a.Height)*(width-a.Width)/(b.Width-a.Width)
}

// Compute returns the values where only the first rule and rule i hold.
func (b *Box) Compute(i int) *Computed {
	c, err := b.compute(1 | 1<<i)
	if err != nil {
		panic("plan: " + err.Error()) // validate has computed every rule before
	}
	return c
}

// Quick makes a plan of one picture in one box, to try values without a file.
// Texts are CSS; empty ones are left out. Errors name the option.
func Quick(picture, width, height, size, position, repeat string) (*Plan, error) {
	l := Layer{CSS: css.InitialLayer()}
	l.CSS.Image = css.Image{URL: picture, IsURL: true}
	p := &Plan{File: picture, Widths: [2]int{320, 2560}, Heights: [2]int{600, 1400}, Density: []float64{1, 2, 3}, Named: DefaultViewports()}
	p.spans()
	r := Rule{Sizes: map[string]Size{}, Layers: []Layer{l}}
	for _, o := range []struct {
		option, text string
		set          func(string) error
	}{
		{"--box width", width, func(s string) error { return r.setLength("width", s) }},
		{"--box height", height, func(s string) error { return r.setLength("height", s) }},
		{"--size", size, func(s string) (err error) { r.Layers[0].CSS.Size, err = css.ParseSize(s); return }},
		{"--position", position, func(s string) (err error) { r.Layers[0].CSS.Position, err = css.ParsePosition(s); return }},
		{"--repeat", repeat, func(s string) (err error) { r.Layers[0].CSS.Repeat, err = css.ParseRepeat(s); return }},
	} {
		if o.text == "" {
			continue
		}
		if err := o.set(o.text); err != nil {
			return nil, fmt.Errorf("%s: %w", o.option, err)
		}
	}
	b := &Box{Name: "box", Selector: ".box", Rules: []Rule{r}}
	p.Boxes = []*Box{b}
	return p, p.validate()
}

func (r *Rule) setLength(key, text string) error {
	v, err := css.ParseLength(key, text)
	if err == nil {
		r.Sizes[key] = Size{Len: v}
	}
	return err
}

// Paints reports whether the box paints anything at any window: a page column
// that only holds the boxes together does not.
func (b *Box) Paints() bool {
	for i := range b.Rules {
		c := b.Compute(i)
		if !c.Style.Background.Color.IsTransparent() || len(c.Style.Shadows) > 0 {
			return true
		}
		for n := range c.layers {
			if !c.layers[n].Image.IsNone() {
				return true
			}
		}
		for _, e := range c.Style.Borders {
			if e.Style != "none" {
				return true
			}
		}
	}
	return b.Role == Row
}
