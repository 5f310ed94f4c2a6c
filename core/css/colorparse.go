package css

import (
	"math"
	"slices"
	"strconv"
	"strings"

	"golang.org/x/image/colornames"

	"tourmaline/core/source"
)

// Source: CSS Color 4, system colours (https://www.w3.org/TR/css-color-4/#css-system-colors);
// the values are the light scheme's of the browser we compare with.
var systemColors = map[string]uint32{
	"accentcolor": 0x0075ff, "accentcolortext": 0xffffff, "activetext": 0xff0000, "buttonborder": 0x000000,
	"buttonface": 0xefefef, "buttontext": 0x000000, "canvas": 0xffffff, "canvastext": 0x000000, "field": 0xffffff,
	"fieldtext": 0x000000, "graytext": 0x808080, "highlight": 0xb5d5ff, "highlighttext": 0x000000,
	"linktext": 0x0000ee, "mark": 0xffff00, "marktext": 0x000000, "selecteditem": 0x0075ff,
	"selecteditemtext": 0xffffff, "visitedtext": 0x551a8b,
}

var colorFuncs = []string{"light-dark", "rgb", "rgba", "hsl", "hsla", "hwb", "lab", "lch", "oklab", "oklch", "color",
	"color-mix"}

func namedColor(name string) (Color, bool) {
	name = strings.ToLower(name)
	switch name {
	case "transparent":
		return Transparent, true
	case "currentcolor":
		return Color{Current: true}, true
	case "rebeccapurple":
		return FromRGB8(0x66, 0x33, 0x99), true
	}
	if c, ok := colornames.Map[name]; ok {
		return FromRGB8(c.R, c.G, c.B), true
	}
	if v, ok := systemColors[name]; ok {
		return FromRGB8(uint8(v>>16), uint8(v>>8), uint8(v)), true
	}
	return Color{}, false
}

// startsColor reports whether the next token begins a colour.
func (p *parser) startsColor() bool {
	t := p.peek()
	switch t.kind {
	case kHash:
		return true
	case kIdent:
		_, ok := namedColor(t.text)
		return ok
	case kFunc:
		return slices.Contains(colorFuncs, t.text)
	}
	return false
}

func (p *parser) color() (Color, error) {
	t := p.peek()
	switch t.kind {
	case kHash:
		c, ok := hexColor(t.text)
		if !ok {
			e := p.fail("a colour").(*source.SyntaxError)
			e.Hint = "hex colours have 3, 4, 6 or 8 digits"
			return c, e
		}
		p.i++
		return c, nil
	case kIdent:
		if c, ok := namedColor(t.text); ok {
			p.i++
			return c, nil
		}
		return Color{}, p.failHint(t, "a colour", colornames.Names)
	case kFunc:
		if !slices.Contains(colorFuncs, t.text) {
			break
		}
		p.i++
		switch t.text {
		case "color-mix":
			return p.colorMix()
		case "color":
			return p.colorFunction()
		case "light-dark":
			return p.lightDark()
		}
		return p.colorParts(t.text)
	}
	return Color{}, p.fail("a colour")
}

func hexColor(s string) (Color, bool) {
	for i := range len(s) {
		if hexDigit(s[i]) < 0 {
			return Color{}, false
		}
	}
	if len(s) == 3 || len(s) == 4 {
		var d strings.Builder
		for i := range len(s) {
			d.WriteByte(s[i])
			d.WriteByte(s[i])
		}
		s = d.String()
	}
	if len(s) == 6 {
		s += "ff"
	}
	if len(s) != 8 {
		return Color{}, false
	}
	v, err := strconv.ParseUint(s, 16, 32)
	if err != nil {
		return Color{}, false
	}
	c := FromRGB8(uint8(v>>24), uint8(v>>16), uint8(v>>8))
	c.A = float64(uint8(v)) / 255
	return c, true
}

var noEnv Env

// component parses one channel: a number times scale, or a percentage of full;
// none is allowed unless legacy commas are seen.
type component struct {
	v    float64
	none bool
	pct  bool
}

func (p *parser) component(k numKind, full float64) (component, error) {
	if _, ok := p.ident("none"); ok {
		return component{none: true}, nil
	}
	n, err := p.num(k)
	if err != nil {
		return component{}, err
	}
	return component{v: n.Resolve(&noEnv, full), pct: n.HasPercent()}, nil
}

// takeAlpha parses the part after / or the fourth comma, 1 where it is left out,
// and the closing bracket.
func (p *parser) takeAlpha(c *Color, legacy bool) error {
	c.A = 1
	sep := p.delim("/")
	if legacy {
		sep = p.comma()
	}
	if sep {
		a, err := p.component(kindNumPct, 1)
		if err != nil {
			return err
		}
		c.A = min(max(a.v, 0), 1)
		if a.none {
			c.Missing |= 8
		}
	}
	return p.close()
}

// lightDark parses the rest of light-dark(; the light scheme's colour counts.
func (p *parser) lightDark() (Color, error) {
	light, err := p.color()
	if err != nil {
		return light, err
	}
	if !p.comma() {
		return light, p.fail(`","`)
	}
	if _, err := p.color(); err != nil {
		return light, err
	}
	return light, p.close()
}

// colorParts parses the functions that have three channels and an alpha.
func (p *parser) colorParts(name string) (Color, error) {
	type channel struct {
		kind numKind
		full float64 // what 100% stands for
	}
	pct := func(full float64) channel { return channel{kindNumPct, full} }
	hue := channel{kindHue, 0}
	var space Space
	var ch [3]channel
	legacyAllowed := false
	switch name {
	case "rgb", "rgba":
		space, ch, legacyAllowed = Legacy, [3]channel{pct(255), pct(255), pct(255)}, true
	case "hsl", "hsla":
		space, ch, legacyAllowed = HSL, [3]channel{hue, pct(100), pct(100)}, true
	case "hwb":
		space, ch = HWB, [3]channel{hue, pct(100), pct(100)}
	case "lab":
		space, ch = Lab, [3]channel{pct(100), pct(125), pct(125)}
	case "lch":
		space, ch = Lch, [3]channel{pct(100), pct(150), hue}
	case "oklab":
		space, ch = Oklab, [3]channel{pct(1), pct(0.4), pct(0.4)}
	case "oklch":
		space, ch = Oklch, [3]channel{pct(1), pct(0.4), hue}
	}
	c := Color{Space: space}
	if p.peekIdent("from") {
		return c, &source.UnsupportedError{In: p.in, Msg: "relative colours (from …) are not read here",
			Off:  p.peek().off,
			Hint: "write the colour that results, or color-mix()"}
	}
	legacy := false
	var parts [3]component
	for i := range ch {
		at := p.peek()
		v, err := p.component(ch[i].kind, ch[i].full)
		if err != nil {
			return c, err
		}
		parts[i] = v
		if i == 0 && legacyAllowed && p.peek().kind == kComma {
			legacy = true
		}
		if legacy && v.none {
			return c, p.failAt(at, "allowed in the syntax with commas")
		}
		if legacy && name[0] == 'h' && i > 0 && !v.pct {
			return c, p.failAt(at, "a percentage, which the syntax with commas wants")
		}
		if legacy && name[0] == 'r' && v.pct != parts[0].pct {
			return c, p.failAt(at, "of the same kind (number or percentage) as the channel before it")
		}
		if legacy && i < 2 && !p.comma() {
			return c, p.fail(`","`)
		}
		c.C[i] = v.v
		if v.none {
			c.Missing |= 1 << i
		}
	}
	err := p.takeAlpha(&c, legacy)
	return c.normalize(), err
}

// normalize brings parsed channels into the terms of Color.C and clamps what the
// standard clamps at parse time. Old spaces without none become 8-bit sRGB.
func (c Color) normalize() Color {
	unit := func(v float64) float64 { return min(max(v, 0), 1) }
	switch c.Space {
	case Legacy:
		for i := range c.C {
			c.C[i] = unit(math.Round(c.C[i]) / 255)
		}
	case HSL, HWB:
		c.C[1], c.C[2] = max(c.C[1], 0)/100, c.C[2]/100
		if c.Space == HSL {
			c.C[1], c.C[2] = unit(c.C[1]), unit(c.C[2])
		} else {
			c.C[2] = max(c.C[2], 0)
		}
		if c.Missing == 0 {
			rgb := convert(c.Space, SRGB, c.C)
			c.Space = Legacy
			for i := range rgb {
				c.C[i] = unit(math.Round(rgb[i]*255) / 255)
			}
		}
	case Lab:
		c.C[0] = min(max(c.C[0], 0), 100)
	case Lch:
		c.C[0], c.C[1] = min(max(c.C[0], 0), 100), max(c.C[1], 0)
	case Oklab:
		c.C[0] = unit(c.C[0])
	case Oklch:
		c.C[0], c.C[1] = unit(c.C[0]), max(c.C[1], 0)
	}
	return c
}

var colorFunctionSpaces = map[string]Space{"srgb": SRGB, "srgb-linear": SRGBLinear, "display-p3": DisplayP3,
	"a98-rgb": A98RGB, "prophoto-rgb": ProPhotoRGB, "rec2020": Rec2020, "xyz": XYZD65, "xyz-d65": XYZD65,
	"xyz-d50": XYZD50}

// colorFunction parses color(space a b c / alpha); the name is taken.
func (p *parser) colorFunction() (Color, error) {
	t := p.next()
	space, ok := colorFunctionSpaces[strings.ToLower(t.text)]
	if t.kind != kIdent || !ok {
		return Color{}, p.failHint(t, "a colour space", sortedKeys(colorFunctionSpaces))
	}
	c := Color{Space: space}
	for i := range 3 {
		v, err := p.component(kindNumPct, 1)
		if err != nil {
			return c, err
		}
		c.C[i] = v.v
		if v.none {
			c.Missing |= 1 << i
		}
	}
	return c, p.takeAlpha(&c, false)
}

var mixSpaces = map[string]Space{"srgb": SRGB, "srgb-linear": SRGBLinear, "display-p3": DisplayP3, "a98-rgb": A98RGB,
	"prophoto-rgb": ProPhotoRGB, "rec2020": Rec2020, "lab": Lab, "oklab": Oklab, "xyz": XYZD65, "xyz-d65": XYZD65,
	"xyz-d50": XYZD50, "hsl": HSL, "hwb": HWB, "lch": Lch, "oklch": Oklch}

// interpolation parses "in <space> [<method> hue]"; in is next.
func (p *parser) interpolation() (Interpolation, error) {
	if _, ok := p.ident("in"); !ok {
		return Interpolation{}, p.fail(`"in"`)
	}
	t := p.next()
	space, ok := mixSpaces[strings.ToLower(t.text)]
	if t.kind != kIdent || !ok {
		return Interpolation{}, p.failHint(t, "a colour space", sortedKeys(mixSpaces))
	}
	in := Interpolation{Space: space, Given: true}
	if m, ok := p.ident("shorter", "longer", "increasing", "decreasing"); ok {
		if space.hueAt() < 0 {
			p.i--
			return in, p.fail("allowed: " + space.String() + " has no hue")
		}
		in.Hue = m
		if _, ok := p.ident("hue"); !ok {
			return in, p.fail(`"hue"`)
		}
	}
	return in, nil
}

// colorMix parses the rest of color-mix(; the name is taken.
func (p *parser) colorMix() (Color, error) {
	m := &colorMix{in: Interpolation{Space: Oklab, Given: true}}
	if p.peekIdent("in") {
		in, err := p.interpolation()
		if err != nil {
			return Color{}, err
		}
		m.in = in
		if !p.comma() {
			return Color{}, p.fail(`","`)
		}
	}
	for i := range 2 {
		share := math.NaN()
		take := func() error {
			if !math.IsNaN(share) || !p.startsNum() {
				return nil
			}
			at := p.peek()
			n, err := p.num(kindPercent)
			if err != nil {
				return err
			}
			share = n.Resolve(&noEnv, 100)
			if share < 0 || share > 100 {
				return p.failAt(at, "between 0% and 100%")
			}
			return nil
		}
		if err := take(); err != nil {
			return Color{}, err
		}
		c, err := p.color()
		if err != nil {
			return Color{}, err
		}
		if err := take(); err != nil {
			return Color{}, err
		}
		m.colors[i], m.share[i] = c, share
		if i == 0 && !p.comma() {
			return Color{}, p.fail(`","`)
		}
	}
	if m.share[0]+m.share[1] == 0 {
		return Color{}, &source.SyntaxError{In: p.in, Msg: "both shares of color-mix() are 0%", Off: p.peek().off}
	}
	return Color{mix: m}, p.close()
}

// ParseColor reads one colour.
func ParseColor(property, text string) (Color, error) {
	return parseWhole(property, text, (*parser).color)
}

func sortedKeys[V any](m map[string]V) []string {
	keys := make([]string, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	return keys
}
