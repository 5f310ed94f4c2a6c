package css

import (
	"slices"
	"strings"

	"tourmaline/core/source"
)

// Declaration is one property and its value as written. Off and ValueOff are
// byte offsets in the text that was parsed.
type Declaration struct {
	Property  string
	Value     string
	Important bool
	Off       int
	ValueOff  int
}

// ParseDeclarations divides the text of a declaration block (without braces).
// Errors are *source.SyntaxError with the offset of what is wrong.
// Source: CSS Syntax 3 (https://www.w3.org/TR/css-syntax-3/#consume-declaration).
func ParseDeclarations(text string) ([]Declaration, error) {
	toks, err := tokenize(text)
	if err != nil {
		return nil, err
	}
	var out []Declaration
	for i := 0; toks[i].kind != kEOF; {
		t := toks[i]
		if t.kind == kDelim && t.text == ";" || rawIs(text, t, ";") {
			i++
			continue
		}
		if t.kind != kIdent {
			return nil, &source.SyntaxError{Text: text[t.off:t.end], Want: "a property name", Off: t.off}
		}
		d := Declaration{Property: t.text, Off: t.off}
		if !strings.HasPrefix(d.Property, "--") {
			d.Property = strings.ToLower(d.Property)
		}
		i++
		if !rawIs(text, toks[i], ":") {
			return nil, &source.SyntaxError{Text: d.Property, Want: "followed by a colon", Off: t.off}
		}
		i++
		start, depth := i, 0
		for ; toks[i].kind != kEOF; i++ {
			if depth == 0 && rawIs(text, toks[i], ";") {
				break
			}
			switch toks[i].kind {
			case kFunc, kOpen:
				depth++
			case kClose:
				depth--
			}
		}
		end := i
		if n := end; n-2 >= start && toks[n-1].kind == kIdent && strings.EqualFold(toks[n-1].text, "important") &&
			rawIs(text, toks[n-2], "!") {
			d.Important = true
			end -= 2
		}
		if end == start {
			return nil, &source.SyntaxError{In: d.Property, Msg: "the value is empty", Off: toks[start].off}
		}
		d.ValueOff = toks[start].off
		d.Value = text[d.ValueOff:toks[end-1].end]
		if i+1 < len(toks) && i > start && missingSemicolon(text, toks[start:end]) {
			return nil, &source.SyntaxError{In: d.Property, Text: d.Value,
				Msg: "a semicolon is missing between two declarations", Off: d.ValueOff}
		}
		out = append(out, d)
	}
	return out, nil
}

// missingSemicolon sees "name:" on a later line inside a value.
func missingSemicolon(text string, toks []token) bool {
	for i := 1; i+1 < len(toks); i++ {
		if toks[i].kind == kIdent && rawIs(text, toks[i+1], ":") {
			return true
		}
	}
	return false
}

func rawIs(text string, t token, s string) bool { return text[t.off:t.end] == s }

// Side indexes top, right, bottom, left, as in CSS.
type Side int

// Sides.
const (
	Top Side = iota
	Right
	Bottom
	Left
)

var sideNames = [...]string{"top", "right", "bottom", "left"}

// BorderStyle is how a border is drawn.
type BorderStyle string

// Border styles.
const (
	NoBorder BorderStyle = "none"
	Hidden   BorderStyle = "hidden"
	Solid    BorderStyle = "solid"
	Dashed   BorderStyle = "dashed"
	Dotted   BorderStyle = "dotted"
	Double   BorderStyle = "double"
	Groove   BorderStyle = "groove"
	Ridge    BorderStyle = "ridge"
	Inset    BorderStyle = "inset"
	Outset   BorderStyle = "outset"
)

// Border is one side's border. Style none and hidden have no width.
type Border struct {
	Width Num
	Style BorderStyle
	Color Color
}

// Radius is a corner radius, horizontal and vertical.
type Radius struct{ H, V Num }

// Shadow is one layer of box-shadow.
type Shadow struct {
	X, Y, Blur, Spread Num
	Color              Color
}

// Margin is a margin length or auto.
type Margin struct {
	Auto bool
	Num
}

// Style holds the declared values that decide how a box's background is painted.
type Style struct {
	Background
	Color     Color // text colour, which currentcolor refers to
	ColorSet  bool
	FontSize  *Num
	Padding   [4]Num
	Margin    [4]Margin
	Borders   [4]Border
	Radii     [4]Radius // top-left, top-right, bottom-right, bottom-left
	Shadows   []Shadow
	important map[string]bool
}

// NewStyle returns the initial style.
func NewStyle() Style {
	var s Style
	for i := range s.Borders {
		s.Borders[i] = initialBorder
	}
	for i := range s.Padding {
		s.Padding[i], s.Margin[i].Num = Pxs(0), Pxs(0)
	}
	for i := range s.Radii {
		s.Radii[i] = Radius{Pxs(0), Pxs(0)}
	}
	return s
}

var initialBorder = Border{Width: Pxs(3), Style: "none", Color: Color{Current: true}}

// Clone returns a copy that Apply may change without touching s.
func (s *Style) Clone() Style {
	c := *s
	c.important = make(map[string]bool, len(s.important))
	for k, v := range s.important {
		c.important[k] = v
	}
	return c
}

type property struct {
	parse func(p *parser, s *Style) error
	take  func(dst, from *Style) // copies the property from another style
	// parts are the longhands a declaration of this one sets, for !important.
	parts    []string
	inherits bool
}

var properties map[string]property

// PropertyNames lists the properties that a box may declare, sorted.
func PropertyNames() []string { return sortedKeys(properties) }

func bg[T any](item func(*parser) (T, error), get func(*Background) *[]T) property {
	return property{
		parse: func(p *parser, s *Style) error {
			v, err := list(p, func() (T, error) { return item(p) })
			if err == nil {
				*get(&s.Background) = v
			}
			return err
		},
		take: func(dst, from *Style) { *get(&dst.Background) = *get(&from.Background) },
	}
}

func one[T any](parse func(*parser) (T, error), at func(*Style) *T) property {
	return property{
		parse: func(p *parser, s *Style) error {
			v, err := parse(p)
			if err == nil {
				*at(s) = v
				err = p.expectEnd()
			}
			return err
		},
		take: func(dst, from *Style) { *at(dst) = *at(from) },
	}
}

// four makes a shorthand over the sides top, right, bottom, left.
func four[T any](parse func(*parser) (T, error), at func(*Style, int) *T, parts func(i int) string) property {
	prop := property{
		parse: func(p *parser, s *Style) error {
			var vs []T
			for len(vs) < 4 && !p.atEnd() {
				v, err := parse(p)
				if err != nil {
					return err
				}
				vs = append(vs, v)
			}
			if len(vs) == 0 {
				return p.fail("a value")
			}
			for i, n := range [][4]int{{0, 0, 0, 0}, {0, 1, 0, 1}, {0, 1, 2, 1}, {0, 1, 2, 3}}[len(vs)-1] {
				*at(s, i) = vs[n]
			}
			return p.expectEnd()
		},
		take: func(dst, from *Style) {
			for i := range 4 {
				*at(dst, i) = *at(from, i)
			}
		},
	}
	for i := range 4 {
		prop.parts = append(prop.parts, parts(i))
	}
	return prop
}

func nonNegative(k numKind) func(*parser) (Num, error) {
	return func(p *parser) (Num, error) {
		t := p.peek()
		n, err := p.num(k)
		if err == nil && n.calc == nil && n.Val < 0 {
			err = p.failAt(t, k.want+" that is not negative")
		}
		return n, err
	}
}

func (p *parser) margin() (Margin, error) {
	if _, ok := p.ident("auto"); ok {
		return Margin{Auto: true, Num: Pxs(0)}, nil
	}
	n, err := p.num(kindLengthPct)
	return Margin{Num: n}, err
}

var borderStyles = []string{"none", "hidden", "solid", "dashed", "dotted", "double", "groove", "ridge", "inset",
	"outset"}

func (p *parser) borderStyle() (BorderStyle, error) {
	w, ok := p.ident(borderStyles...)
	if !ok {
		return "", p.failHint(p.peek(), "a border style", borderStyles)
	}
	return BorderStyle(w), nil
}

func (p *parser) borderWidth() (Num, error) {
	if w, ok := p.ident("thin", "medium", "thick"); ok {
		return Pxs(map[string]float64{"thin": 1, "medium": 3, "thick": 5}[w]), nil
	}
	return nonNegative(kindLength)(p)
}

// border parses the width, style and colour of a border shorthand.
func (p *parser) border() (Border, error) {
	b := initialBorder
	var w, s, c bool
	for !p.atEnd() {
		var err error
		switch {
		case !w && (p.startsNum() || p.peekIdent("thin", "medium", "thick")):
			w = true
			b.Width, err = p.borderWidth()
		case !s && p.peekIdent(borderStyles...):
			s = true
			b.Style, err = p.borderStyle()
		case !c && p.startsColor():
			c = true
			b.Color, err = p.color()
		default:
			err = p.failHint(p.peek(), "a border width, style or colour", borderStyles)
		}
		if err != nil {
			return b, err
		}
	}
	if !w && !s && !c {
		return b, p.fail("a border width, style or colour")
	}
	return b, nil
}

// radii parses border-radius: up to four horizontal radii, then after / the
// vertical ones.
func (p *parser) radii(s *Style) error {
	var h, v []Num
	dst := &h
	for !p.atEnd() {
		if len(h) > 0 && v == nil && p.delim("/") {
			v = []Num{}
			dst = &v
			continue
		}
		n, err := nonNegative(kindLengthPct)(p)
		if err != nil {
			return err
		}
		if *dst = append(*dst, n); len(*dst) > 4 {
			return p.fail("the end of the radii: there are four at most")
		}
	}
	if len(h) == 0 || v != nil && len(v) == 0 {
		return p.fail("a radius")
	}
	if v == nil {
		v = h
	}
	order := [][4]int{{0, 0, 0, 0}, {0, 1, 0, 1}, {0, 1, 2, 1}, {0, 1, 2, 3}}
	for i := range 4 {
		s.Radii[i] = Radius{h[order[len(h)-1][i]], v[order[len(v)-1][i]]}
	}
	return nil
}

func (p *parser) shadow() (Shadow, error) {
	sh := Shadow{X: Pxs(0), Y: Pxs(0), Blur: Pxs(0), Spread: Pxs(0), Color: Color{Current: true}}
	var color, lengths bool
	for p.peek().kind != kComma && !p.atEnd() {
		var err error
		switch {
		case p.peekIdent("inset"):
			return sh, &source.UnsupportedError{In: p.in, Off: p.peek().off, Msg: "inset shadows are not painted here",
				Hint: "lay a gradient over the background instead"}
		case !lengths && p.startsNum():
			lengths = true
			n := 0
			for _, dst := range []*Num{&sh.X, &sh.Y, &sh.Blur, &sh.Spread} {
				if !p.startsNum() {
					break
				}
				if dst == &sh.Blur {
					*dst, err = nonNegative(kindLength)(p)
				} else {
					*dst, err = p.num(kindLength)
				}
				if err != nil {
					return sh, err
				}
				n++
			}
			if n < 2 {
				err = p.fail("the vertical offset of a shadow")
			}
		case !color && p.startsColor():
			color = true
			sh.Color, err = p.color()
		default:
			err = p.fail("a part of a shadow")
		}
		if err != nil {
			return sh, err
		}
	}
	if !lengths {
		return sh, p.fail("the offsets of a shadow")
	}
	return sh, nil
}

func init() {
	properties = map[string]property{
		"background-color":      one((*parser).color, func(s *Style) *Color { return &s.Background.Color }),
		"background-image":      bg((*parser).image, func(b *Background) *[]Image { return &b.Images }),
		"background-size":       bg((*parser).size, func(b *Background) *[]Size { return &b.Sizes }),
		"background-repeat":     bg((*parser).repeats, func(b *Background) *[]Repeats { return &b.Repeats }),
		"background-attachment": bg((*parser).attachment, func(b *Background) *[]Attachment { return &b.Attachments }),
		"background-blend-mode": bg((*parser).blend, func(b *Background) *[]Blend { return &b.Blends }),
		"background-origin": bg(func(p *parser) (Box, error) { return p.box(false) },
			func(b *Background) *[]Box { return &b.Origins }),
		"background-clip": bg(func(p *parser) (Box, error) { return p.box(true) },
			func(b *Background) *[]Box { return &b.Clips }),
		"background-position-x": bg(func(p *parser) (Edge, error) { return p.axisPosition("left", "right") },
			func(b *Background) *[]Edge { return &b.X }),
		"background-position-y": bg(func(p *parser) (Edge, error) { return p.axisPosition("top", "bottom") },
			func(b *Background) *[]Edge { return &b.Y }),
		"background-position": {
			parse: func(p *parser, s *Style) error {
				list, err := list(p, func() (Position, error) { return p.position(true) })
				if err != nil {
					return err
				}
				s.X, s.Y = nil, nil
				for _, v := range list {
					s.X, s.Y = append(s.X, v.X), append(s.Y, v.Y)
				}
				return nil
			},
			take:  func(dst, from *Style) { dst.X, dst.Y = from.X, from.Y },
			parts: []string{"background-position-x", "background-position-y"},
		},
		"background": {
			parse: func(p *parser, s *Style) error {
				b, err := p.shorthand()
				if err == nil {
					b.Blends = s.Blends // Differs: Compositing 1 resets it; browsers do not
					s.Background = b
				}
				return err
			},
			take: func(dst, from *Style) {
				blends := dst.Blends
				dst.Background = from.Background
				dst.Blends = blends
			},
			parts: []string{"background-color", "background-image", "background-size", "background-repeat",
				"background-attachment",
				"background-origin", "background-clip", "background-position-x", "background-position-y"},
		},
		"color": {
			parse: func(p *parser, s *Style) error {
				c, err := p.color()
				if err == nil {
					s.Color, s.ColorSet = c, true
					err = p.expectEnd()
				}
				return err
			},
			take:     func(dst, from *Style) { dst.Color, dst.ColorSet = from.Color, from.ColorSet },
			inherits: true,
		},
		"font-size": {
			parse: func(p *parser, s *Style) error {
				n, err := nonNegative(kindLengthPct)(p)
				if err == nil {
					s.FontSize = &n
					err = p.expectEnd()
				}
				return err
			},
			take:     func(dst, from *Style) { dst.FontSize = from.FontSize },
			inherits: true,
		},
		"border-radius": {
			parse: func(p *parser, s *Style) error { return p.radii(s) },
			take:  func(dst, from *Style) { dst.Radii = from.Radii },
			parts: []string{"border-top-left-radius", "border-top-right-radius", "border-bottom-right-radius",
				"border-bottom-left-radius"},
		},
		"box-shadow": {
			parse: func(p *parser, s *Style) error {
				if _, ok := p.ident("none"); ok {
					s.Shadows = nil
					return p.expectEnd()
				}
				v, err := list(p, p.shadow)
				if err == nil {
					s.Shadows = v
				}
				return err
			},
			take: func(dst, from *Style) { dst.Shadows = from.Shadows },
		},
		"padding": four(nonNegative(kindLengthPct), func(s *Style, i int) *Num { return &s.Padding[i] },
			func(i int) string { return "padding-" + sideNames[i] }),
		"margin": four((*parser).margin, func(s *Style, i int) *Margin { return &s.Margin[i] },
			func(i int) string { return "margin-" + sideNames[i] }),
		"border-width": four((*parser).borderWidth, func(s *Style, i int) *Num { return &s.Borders[i].Width },
			func(i int) string { return "border-" + sideNames[i] + "-width" }),
		"border-style": four((*parser).borderStyle, func(s *Style, i int) *BorderStyle { return &s.Borders[i].Style },
			func(i int) string { return "border-" + sideNames[i] + "-style" }),
		"border-color": four((*parser).color, func(s *Style, i int) *Color { return &s.Borders[i].Color },
			func(i int) string { return "border-" + sideNames[i] + "-color" }),
	}
	border := property{
		parse: func(p *parser, s *Style) error {
			b, err := p.border()
			if err == nil {
				s.Borders = [4]Border{b, b, b, b}
			}
			return err
		},
		take: func(dst, from *Style) { dst.Borders = from.Borders },
	}
	for i, side := range sideNames {
		at := i
		properties["padding-"+side] = one(nonNegative(kindLengthPct), func(s *Style) *Num { return &s.Padding[at] })
		properties["margin-"+side] = one((*parser).margin, func(s *Style) *Margin { return &s.Margin[at] })
		properties["border-"+side+"-width"] = one((*parser).borderWidth,
			func(s *Style) *Num { return &s.Borders[at].Width })
		properties["border-"+side+"-style"] = one((*parser).borderStyle,
			func(s *Style) *BorderStyle { return &s.Borders[at].Style })
		properties["border-"+side+"-color"] = one((*parser).color,
			func(s *Style) *Color { return &s.Borders[at].Color })
		b := one((*parser).border, func(s *Style) *Border { return &s.Borders[at] })
		for _, part := range []string{"width", "style", "color"} {
			b.parts = append(b.parts, "border-"+side+"-"+part)
		}
		border.parts = append(border.parts, b.parts...)
		properties["border-"+side] = b
	}
	properties["border"] = border
	for i, corner := range []string{"top-left", "top-right", "bottom-right", "bottom-left"} {
		at := i
		properties["border-"+corner+"-radius"] = property{
			parse: func(p *parser, s *Style) error {
				h, err := nonNegative(kindLengthPct)(p)
				if err != nil {
					return err
				}
				v := h
				if !p.atEnd() {
					if v, err = nonNegative(kindLengthPct)(p); err != nil {
						return err
					}
				}
				s.Radii[at] = Radius{h, v}
				return p.expectEnd()
			},
			take: func(dst, from *Style) { dst.Radii[at] = from.Radii[at] },
		}
	}
}

// Apply sets what a declaration says. parent gives inherited values; nil is the
// initial style. Later declarations win, important ones over others.
func (s *Style) Apply(d Declaration, parent *Style) error {
	prop, ok := properties[d.Property]
	if !ok {
		if strings.HasPrefix(d.Property, "--") || strings.HasPrefix(d.Property, "-") {
			return &source.UnsupportedError{In: d.Property, Msg: "custom and prefixed properties are not read here",
				Off: d.Off}
		}
		return &source.SyntaxError{Text: d.Property, Want: "a property that a box takes here", Off: d.Off,
			Hint: propertyHint(d.Property)}
	}
	if s.important == nil {
		s.important = map[string]bool{}
	}
	parts := prop.parts
	if parts == nil {
		parts = []string{d.Property}
	}
	before := s.Clone()
	p, err := newParser(d.Property, d.Value)
	if err == nil {
		err = s.set(p, prop, parent)
	}
	if err != nil {
		*s = before
		return shift(err, d.ValueOff)
	}
	for _, part := range parts {
		if before.important[part] && !d.Important {
			properties[part].take(s, &before) // what was important stays
			continue
		}
		if d.Important {
			s.important[part] = true
		}
	}
	return nil
}

func (s *Style) set(p *parser, prop property, parent *Style) error {
	initial := NewStyle()
	if parent == nil {
		parent = &initial
	}
	if w, ok := p.ident("initial", "inherit", "unset", "revert", "revert-layer"); ok {
		from := &initial
		if w == "inherit" || prop.inherits && w != "initial" {
			from = parent
		}
		prop.take(s, from)
		return p.expectEnd()
	}
	return prop.parse(p, s)
}

// Important reports whether a property, or any part of it, was declared important.
func (s *Style) Important(name string) bool {
	if s.important[name] {
		return true
	}
	return slices.ContainsFunc(properties[name].parts, func(part string) bool { return s.important[part] })
}

func propertyHint(name string) string {
	if slices.Contains([]string{"width", "height", "min-width", "max-width", "min-height", "max-height",
		"aspect-ratio"}, name) {
		return "write " + name + " as a key of the box, beside css"
	}
	if near := source.Nearest(name, PropertyNames()); near != "" {
		return "did you mean " + near + "?"
	}
	return "background, padding, border, border-radius, box-shadow, margin, color and font-size are read"
}

// shift moves an error's offset by n bytes, as the value stands in a longer text.
func shift(err error, n int) error {
	switch e := err.(type) {
	case *source.SyntaxError:
		e.Off += n
	case *source.UnsupportedError:
		e.Off += n
	}
	return err
}

// ApplyText parses declarations and applies them in order.
func (s *Style) ApplyText(text string, parent *Style) error {
	decls, err := ParseDeclarations(text)
	if err != nil {
		return err
	}
	for _, d := range decls {
		if err := s.Apply(d, parent); err != nil {
			return err
		}
	}
	return nil
}

// Set applies one property's value; offsets in errors count from the value.
func (s *Style) Set(name, value string, parent *Style) error {
	return s.Apply(Declaration{Property: name, Value: value}, parent)
}

// Known reports whether a property is one that a Style holds.
func Known(name string) bool { _, ok := properties[name]; return ok }

// Take copies a longhand's value from another style.
func (s *Style) Take(name string, from *Style) { properties[name].take(s, from) }

// Parts are the longhands that a property sets: itself where it is one.
func Parts(name string) []string {
	if p, ok := properties[name]; ok && p.parts != nil {
		return p.parts
	}
	return []string{name}
}

// Inherits reports whether a longhand takes its parent's value where nothing is declared.
func Inherits(name string) bool { return properties[name].inherits }
