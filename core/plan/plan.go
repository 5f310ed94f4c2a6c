// Package plan reads the plan file (tourmaline.yaml): the viewports and boxes of a
// site and the backgrounds that fill them.
//
// A plan does not change once it is read: what settles values, or tries them, makes a
// copy with Try, and Write puts settled values into the text. Boxes and layers have
// identities, BoxID and LayerID, that every stage and report uses. What a box is like at
// a window is computed by a Resolver: see the package's example.
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

	"tourmaline/core/css"
	"tourmaline/core/doc"
	"tourmaline/core/source"
	"tourmaline/core/window"
)

// Version is the plan format that is read.
const Version = "1"

// Plan is a whole plan.
type Plan struct {
	File     string // its name in messages
	Site     string
	Pictures string // folder, as written; "" is the plan's own
	Output   string // folder, as written; "" is dist
	Measured string // file of measured heights, as written
	Widths   [2]int
	Heights  [2]int
	Density  []float64
	Spans    [][2]int // one a density: the widths that it is seen at
	Named    []Viewport
	Modes    map[window.Modes]float64 // shares of the visitors who have a mode on, where the plan says; 0..1
	Canvas   *Box                     // the whole window; nil when the plan has none
	Page     *Box                     // the column the boxes lie on; nil: as wide as the window
	Boxes    []*Box
	Budget   map[string]float64 // bytes by viewport name
	Accept   []Accept
	Files    Files

	doc      *doc.Doc // nil for a plan that was not read from a file
	load     func(name string) (*MeasuredBoxes, error)
	measured *MeasuredBoxes
	all      []*Box
}

// Accept says that a finding is known and meant.
type Accept struct {
	Span   source.Span
	Check  string
	Box    string // "" is every box
	Widths [2]int // where; zero is everywhere
	Reason string
}

// All returns canvas, page (where declared) and the boxes, in painting order: the place
// of each is its BoxID. Do not write to it.
func (p *Plan) All() []*Box { return p.all }

// number gives the boxes their identities.
func (p *Plan) number() {
	p.all = nil
	for _, b := range append([]*Box{p.Canvas, p.Page}, p.Boxes...) {
		if b != nil {
			b.ID = BoxID(len(p.all))
			p.all = append(p.all, b)
		}
	}
}

// Layer returns a layer of layers: by its identity, or nil: the layers of css: blocks are
// not among them.
func (p *Plan) Layer(id LayerID) *Layer {
	for i := range p.all[id.Box].Rules {
		r := &p.all[id.Box].Rules[i]
		if r.ID == id.Rule && !r.derived() && id.N >= 1 && id.N <= len(r.Layers) {
			return &r.Layers[id.N-1]
		}
	}
	return nil
}

// Text is the plan as it is written.
func (p *Plan) Text() string {
	if p.doc == nil {
		return ""
	}
	return p.doc.Text()
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
	return nil, &source.SyntaxError{In: p.File, Text: name, Want: "a box of the plan",
		Hint: source.DidYouMean(name, names)}
}

// Viewport finds a named viewport, or reads a size such as 390x844@3.
func (p *Plan) Viewport(s string) (Viewport, error) {
	var names []string
	for _, v := range p.Named {
		if v.Name == s {
			return v, nil
		}
		if words, ok := strings.CutPrefix(s, v.Name+" "); ok && v.Name != "" {
			m, err := window.ParseModes(strings.Fields(words))
			if err == nil && !(v.Modes | m).Possible() {
				err = &source.SyntaxError{Text: s, Want: "modes that a window can have at once"}
			}
			return v.With(m), err
		}
		names = append(names, v.Name)
	}
	if _, err := strconv.Atoi(s); err == nil { // a width alone
		const usual = 800
		s = fmt.Sprintf("%sx%d", s, min(max(usual, p.Heights[0]), p.Heights[1]))
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

// BoxID tells a box from the others of its plan: its place in Plan.All. It is given when
// the plan is read, and stays when values of the plan are changed.
type BoxID int

// RuleID tells where a value is declared: 0 is the box itself, n its n-th when block.
type RuleID int

// LayerID tells a layer from all others of a plan: the box, the block that declares the
// images of the list it stands in, and its number there, from 1, top first, as written:
// none and colours count. The zero N is the box itself.
type LayerID struct {
	Box  BoxID
	Rule RuleID
	N    int
}

// Box is a rectangle of the page with a background. Its values depend on the window
// through when blocks: see Resolver. It does not change once it is read.
type Box struct {
	ID       BoxID
	Name     string
	Selector string
	Role     Role
	Span     source.Span
	// Rules hold one after another, later ones over earlier ones. The first is
	// unconditional; those of settled positions follow it, then the when blocks.
	Rules []Rule

	regions *regions
}

// Rule is a set of values that holds where its media query does. Nil fields are
// not declared by it.
type Rule struct {
	ID     RuleID
	Media  css.Media
	Span   source.Span
	Sizes  [Dimensions]*Size
	Steps  []Step  // height as a table of window widths
	Widths []Step  // width that was measured; nil: none
	Offset *Offset // where it was measured to lie; nil: below the box before it
	Ratio  *float64
	Layers []Layer
	Text   []TextArea

	texts    source.Span // of text: measured
	offset   source.Span // of offset: measured
	measured bool        // its height is measured
	declared []placed
	shift    map[int]change // of the layers of the first rule: what settle found for where the query holds
	hides    string         // the query in which it hides videos; "": it is another rule
}

// derived reports a rule that was not written, but stands for a settled position, or for hidden videos.
func (r *Rule) derived() bool { return r.shift != nil || r.hides != "" }

// Dimension is a width or height of a box, or one of its limits.
type Dimension uint8

// The dimensions.
const (
	Width Dimension = iota
	Height
	MinWidth
	MaxWidth
	MinHeight
	MaxHeight
	Dimensions // how many there are
)

var dimensions = [Dimensions]string{"width", "height", "min-width", "max-width", "min-height", "max-height"}

// String is the property.
func (d Dimension) String() string { return dimensions[d] }

// Size is a width or height, or one of its limits: a length, auto or none.
type Size struct {
	Auto     bool // also none
	Measured bool // while reading: it becomes a table
	Len      css.Num
	Span     source.Span
}

// Step is one row of a table of lengths by the window's width: CSS px. Bends say the length in windows of other
// heights, by height, rising; none: it is the same in all.
type Step struct {
	Width, Length float64
	Bends         []Bend
}

// Bend is a length in windows of a height: between bends it lies on straight lines.
type Bend struct{ Window, Length float64 }

// Measured says which sides of a box are measured: left, top, width, height.
func (b *Box) Measured() (out [4]bool) {
	for i := range b.Rules {
		r := &b.Rules[i]
		at := r.Offset != nil
		out[0], out[1] = out[0] || at, out[1] || at
		out[2], out[3] = out[2] || r.Widths != nil, out[3] || r.measured
	}
	return out
}

// Offset is where a measured box lies on the page, from its top left.
type Offset struct{ Left, Top []Step }

// placed is a declaration with the place of its text.
type placed struct {
	css.Declaration
	text source.Fragment // what offsets count in
}

// Layer is one entry of layers, or what stands for an image of a css: block.
type Layer struct {
	Span    source.Span
	CSS     css.Layer
	Color   *css.Color // a colour layer
	Auto    bool       // position: auto
	Keep    *Region
	Focus   *Point
	Filters css.Filters
	Open    []Open   // what is left to settle, or was
	Texture bool     // it was written as texture:
	Pattern string   // what is drawn as texture; "": a picture
	Subject Shares   // the share of the box that keep should take; zero: any
	Avoid   bool     // keep is to stay out from under text areas
	Tells   string   // what it shows, where it carries meaning
	Quality Quality  // of its files; zero is the plan's
	Touch   Touch    // what becomes of it on touch screens where it is fixed
	Path    doc.Path // where it is written; nil: it is not one of layers:
	Video   *Video   // its image is the poster of this; nil: it is no video

	shifts []shift
}

// Shares are a least and a most share, 0..1.
type Shares struct{ Least, Most float64 }

// OpenKind is what is left to settle.
type OpenKind uint8

// Kinds, with how they are written: position: auto, color: auto scrim, color: auto,
// size: near 33px, repeat: auto, gradient: auto from dome.jpg or auto linear-gradient(…), and
// texture: auto from stone.jpg and poster: auto. A settled value stands behind them after =.
const (
	OpenPosition OpenKind = iota
	OpenScrim
	OpenColor
	OpenSize
	OpenGradient
	OpenRepeat
	OpenTexture
	OpenPoster
)

func (k OpenKind) String() string {
	return [...]string{"position", "scrim", "color", "size", "gradient", "repeat", "texture", "poster"}[k]
}

// Open is a value that the designer leaves to settle.
type Open struct {
	Kind    OpenKind
	Span    source.Span // the value, with its quotes
	Path    doc.Path    // where it stands in the plan
	Wish    string      // what was written, without what was settled
	Settled string      // "" while it is open
}

// Touch is what becomes of a fixed layer on touch screens, whose browsers do not fix it to
// the window, or paint it anew at every step of scrolling.
type Touch uint8

// The ways.
const (
	TouchAuto       Touch = iota // the canvas has a fixed layer, boxes scroll theirs
	TouchFixedLayer              // it is painted on an element that stays behind the page
	TouchScroll                  // it scrolls with its box, and is sized for that
	TouchNone                    // nothing is written: browsers do what they do
)

var touches = [...]string{"auto", "fixed-layer", "scroll", "none"}

// String is how it is written.
func (t Touch) String() string { return touches[t] }

// Apart reports whether a layer stands in a pseudo-element of the box: it is filtered, or on touch screens lies on a
// fixed layer.
func (b *Box) Apart(l *Painted, modes window.Modes) bool {
	return len(l.Plan.Filters) > 0 || l.Plan.Video != nil || modes&window.Touch != 0 && b.Touch(l) == TouchFixedLayer
}

// Touch says what becomes of a layer of the box on touch screens; it is TouchNone for what
// is not fixed, and where the box has rules of its own for touch screens.
func (b *Box) Touch(l *Painted) Touch {
	switch {
	case l.Attachment != css.Fixed || l.Image.IsNone() || b.Mentions()&window.Touch != 0:
		return TouchNone
	case l.Plan.Touch != TouchAuto:
		return l.Plan.Touch
	case b.Role == Canvas:
		return TouchFixedLayer
	}
	return TouchScroll
}

// Region is a part of a picture, 0..1 of its width and height.
type Region struct{ X, Y, W, H float64 }

// Point is a place in a picture, 0..1.
type Point struct{ X, Y float64 }

// TextEdge is one of the lengths that place a text area in its box.
type TextEdge uint8

// The edges.
const (
	EdgeLeft TextEdge = iota
	EdgeRight
	EdgeTop
	EdgeBottom
	EdgeWidth
	EdgeHeight
	TextEdges // how many there are
)

var textEdges = [TextEdges]string{"left", "right", "top", "bottom", "width", "height"}

// String is the property.
func (e TextEdge) String() string { return textEdges[e] }

// TextArea says where text lies in a box.
type TextArea struct {
	Span     source.Span
	Path     doc.Path            // where it is written; nil: it was measured
	Edges    [TextEdges]*css.Num // nil where it is not given
	Color    css.Color
	Contrast float64
	Sample   string
	// Places are where it was measured, by window width, rising; nil where Edges say it.
	Places []TextPlace
}

// TextPlace is where a text lies at a window width, from the left and the top of the padding box, CSS px: in
// windows of the two heights of Between.
type TextPlace struct {
	Width     float64
	Low, High [4]float64 // left, top, width, height
	Between   [2]float64
}

// MaxRules is how many rules a box has at most, itself and its when blocks: what fits the set of rules that hold.
const MaxRules = 63

func (b *Box) tooManyRules() error {
	return &source.LimitError{Span: b.Span, Msg: fmt.Sprintf("the box has more than %d when blocks", MaxRules-1)}
}

// validate computes each rule alone and all together, so that errors come while
// reading, and checks names.
func (p *Plan) validate() error {
	p.spans()
	seen := map[string]bool{}
	for _, b := range p.All() {
		if seen[b.Name] {
			return &source.SyntaxError{Span: b.Span, In: "name", Text: b.Name,
				Msg: fmt.Sprintf("two boxes are called %q", b.Name)}
		}
		seen[b.Name] = true
		if len(b.Rules) > MaxRules {
			return b.tooManyRules()
		}
		b.regions = &regions{}
		for i := range b.Rules {
			c, err := b.values(1 | 1<<i)
			if err != nil {
				return err
			}
			if b.Role == Row && !b.Rules[i].derived() {
				if err := b.zero(c); err != nil {
					return err
				}
			}
		}
		if _, err := b.cut(); err != nil {
			return err
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
			return &source.SyntaxError{Span: p.whole(), In: "budget", Text: name, Want: "a named viewport",
				Hint: source.DidYouMean(name, keys)}
		}
	}
	return nil
}

// DefaultDensities are those that people have, with the widths they are seen at, CSS px: at
// density 3 there are phones, at 2 no window is wider than a laptop's.
func DefaultDensities() (densities []float64, seen [][2]int) {
	return []float64{1, 2, 3}, [][2]int{{320, 2560}, {320, 1920}, {320, 480}}
}

// usualDensities are the default ones at the plan's widths.
func (p *Plan) usualDensities() {
	densities, seen := DefaultDensities()
	p.Density, p.Spans = nil, nil
	for i, d := range densities {
		r := [2]int{max(seen[i][0], p.Widths[0]), min(seen[i][1], p.Widths[1])}
		if i == 0 { // every width is seen at density 1
			r = p.Widths
		}
		if r[0] <= r[1] {
			p.Density, p.Spans = append(p.Density, d), append(p.Spans, r)
		}
	}
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
func (b *Box) zero(c *Values) error {
	h := c.Size(Height)
	plainZero := func(s *Size) bool { return s == nil || s.Auto || s.Len.IsZero() }
	at := b.Span
	if h != nil && h.Span.InText() {
		at = h.Span
	}
	noBorder := true
	for i := range 4 {
		if !c.Style.Padding[i].IsZero() || c.Style.Borders[i].Style != css.NoBorder {
			noBorder = false
		}
	}
	if plainZero(h) && c.Steps == nil && c.Ratio == 0 && plainZero(c.Size(MinHeight)) && noBorder {
		return &source.SyntaxError{Span: at, In: "height", Msg: fmt.Sprintf("the box %q has no height", b.Name),
			Hint: "give height, min-height, aspect-ratio, or a table such as {320: 900px, 1440: 480px}"}
	}
	if w := c.Size(Width); w != nil && !w.Auto && w.Len.IsZero() {
		return &source.SyntaxError{Span: w.Span, In: "width", Msg: fmt.Sprintf("the box %q has no width", b.Name)}
	}
	return nil
}

// ShowsImages reports whether the box has a picture or gradient at any window.
func (b *Box) ShowsImages() bool {
	return slices.ContainsFunc(b.Looks(), func(c *Values) bool {
		return slices.ContainsFunc(c.layers, func(l Painted) bool { return !l.Image.IsNone() })
	})
}

// Paints reports whether the box paints anything at any window: a page column
// that only holds the boxes together does not.
func (b *Box) Paints() bool {
	for _, c := range b.Looks() {
		if !c.Style.Background.Color.IsTransparent() || len(c.Style.Shadows) > 0 {
			return true
		}
		for n := range c.layers {
			if !c.layers[n].Image.IsNone() {
				return true
			}
		}
		for _, e := range c.Style.Borders {
			if e.Style != css.NoBorder {
				return true
			}
		}
	}
	return b.Role == Row
}

// Asks reports whether a media query of the box asks for any of the numbers of the window.
func (b *Box) Asks(axes ...window.Axis) bool {
	return slices.ContainsFunc(b.Rules, func(r Rule) bool { return r.Media.Asks(axes...) })
}

// Mentions are the modes that media queries of the box ask for.
func (b *Box) Mentions() (m window.Modes) {
	for i := range b.Rules {
		m |= b.Rules[i].Media.Modes()
	}
	return m
}

// Modes are those in which the box may be painted in another way: that its rules mention, and touch where a layer
// scrolls there that is fixed elsewhere.
func (b *Box) Modes() window.Modes {
	m := b.Mentions()
	if slices.ContainsFunc(b.Looks(), func(c *Values) bool {
		return slices.ContainsFunc(c.layers, func(l Painted) bool { return l.Scrolled != nil })
	}) {
		m |= window.Touch
	}
	return m
}

// whole is the place of what concerns the plan as such.
func (p *Plan) whole() source.Span {
	if p.doc == nil {
		return source.NewFile(p.File, "").Whole()
	}
	return p.doc.Root().Span.File.Whole()
}
