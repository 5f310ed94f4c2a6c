package css

import (
	"fmt"
	"math"
	"strings"
)

// RGBA is a resolved colour: sRGB with its transfer curve, straight alpha, 0..1.
// Channels outside sRGB stay outside until they are painted.
type RGBA struct{ R, G, B, A float64 }

// Color is a colour value as written.
// Source: CSS Color 4 (https://www.w3.org/TR/css-color-4/).
type Color struct {
	Space Space
	// C are the components in the space's own terms: RGB and XYZ 0..1; lab L 0..100;
	// oklab L 0..1; hues in degrees; hsl and hwb shares 0..1. A is 0..1.
	C       vec
	A       float64
	Missing uint8 // bit i: component i is none; bit 3: alpha
	Current bool  // currentcolor
	mix     *colorMix
}

type colorMix struct {
	in     Interpolation
	colors [2]Color
	share  [2]float64 // per cent, or NaN where left out
}

// Interpolation is the space and hue method of a gradient or a mix.
type Interpolation struct {
	Space Space
	Hue   string // shorter, longer, increasing, decreasing; "" is shorter
	Given bool   // written with in; otherwise the default of the place
}

func (in Interpolation) String() string {
	s := "in " + in.Space.String()
	if in.Space == Legacy {
		s = "in srgb"
	}
	if in.Hue != "" && in.Hue != "shorter" {
		s += " " + in.Hue + " hue"
	}
	return s
}

// Transparent is the keyword transparent and the initial background colour.
var Transparent = Color{}

// FromRGB8 returns an opaque legacy colour.
func FromRGB8(r, g, b uint8) Color {
	return Color{C: vec{float64(r) / 255, float64(g) / 255, float64(b) / 255}, A: 1}
}

// IsLegacy reports whether the colour lets a gradient fall back to sRGB.
func (c *Color) IsLegacy() bool {
	if c.mix != nil {
		return false
	}
	return c.Current || c.Space == Legacy
}

// Resolve returns the colour in sRGB; missing components count as 0.
// current is what currentcolor stands for.
func (c *Color) Resolve(current RGBA) RGBA {
	if c.Current {
		return current
	}
	if c.mix != nil {
		r := c.mix.resolve(current)
		return r.Resolve(current)
	}
	v := convert(c.Space, SRGB, c.C)
	return RGBA{v[0], v[1], v[2], c.A}
}

// IsOpaque reports whether the colour surely covers what is behind it.
func (c *Color) IsOpaque() bool { return !c.Current && c.mix == nil && c.A >= 1 && c.Missing&8 == 0 }

// IsTransparent reports whether the colour surely shows nothing.
func (c *Color) IsTransparent() bool { return !c.Current && c.mix == nil && c.A <= 0 }

// plain resolves mixes and currentcolor to components in some space.
func (c *Color) plain(current RGBA) Color {
	switch {
	case c.Current:
		return Color{Space: Legacy, C: vec{current.R, current.G, current.B}, A: current.A}
	case c.mix != nil:
		return c.mix.resolve(current)
	}
	return *c
}

// In returns the components in a space, carrying missing ones forward to their
// analogues, and marking a powerless hue as missing.
// Source: CSS Color 4, interpolation (https://www.w3.org/TR/css-color-4/#interpolation-missing).
func (c *Color) In(to Space, current RGBA) Color {
	p := c.plain(current)
	out := Color{Space: to, C: convert(p.Space, to, p.C), A: p.A, Missing: p.Missing & 8}
	if p.Space == to {
		out.Missing = p.Missing
		return out
	}
	for i := range 3 {
		if p.Missing&(1<<i) == 0 {
			continue
		}
		if j := analogous(p.Space, i, to); j >= 0 {
			out.Missing |= 1 << j
		}
	}
	if h := to.hueAt(); h >= 0 && p.Space != to {
		if chroma(to, out.C) < Powerless(to) {
			out.Missing |= 1 << h
		}
	}
	return out
}

func chroma(s Space, c vec) float64 {
	switch s {
	case Lch, Oklch, HSL:
		return math.Abs(c[1])
	}
	return 1 - c[1] - c[2]
}

// RGB reports whether a space is made of red, green and blue of sRGB.
func (s Space) RGB() bool { return s == Legacy || s == SRGB || s == HSL || s == HWB }

// Powerless is the chroma, or saturation, below which a hue means nothing.
func Powerless(s Space) float64 {
	switch s {
	case Lch:
		return 0.0015
	case Oklch:
		return 0.000004
	case HSL:
		return 0.00001
	}
	return 0.00001
}

// category of a component, for carrying none forward: r, g, b, lightness,
// colourfulness, hue, opponent a and b.
func category(s Space, i int) byte {
	switch s {
	case Lab, Oklab:
		return "Lab"[i]
	case Lch, Oklch:
		return "LCH"[i]
	case HSL:
		return "HCL"[i]
	case HWB:
		return "Hwk"[i]
	case XYZD50, XYZD65:
		return "RGB"[i] // x, y, z are analogous to r, g, b
	}
	return "RGB"[i]
}

func analogous(from Space, i int, to Space) int {
	cat := category(from, i)
	for j := range 3 {
		if category(to, j) == cat {
			return j
		}
	}
	return -1
}

// mixPair interpolates two colours that are already in the same space, t from
// 0 to 1, premultiplied. Missing components take the other's value.
// Source: CSS Color 4 (https://www.w3.org/TR/css-color-4/#interpolation).
func mixPair(a, b Color, t float64, hue string) Color {
	a, b = FixPair(a, b, hue)
	return Lerp(a, b, t)
}

// FixPair fills missing components of either colour from the other and sets the
// hues as the method wants, so that straight interpolation is right after it.
func FixPair(a, b Color, hue string) (Color, Color) {
	for i := range 3 {
		am, bm := a.Missing&(1<<i) != 0, b.Missing&(1<<i) != 0
		switch {
		case am && !bm:
			a.C[i] = b.C[i]
		case bm && !am:
			b.C[i] = a.C[i]
		case am && bm:
			a.C[i], b.C[i] = 0, 0
		}
	}
	switch am, bm := a.Missing&8 != 0, b.Missing&8 != 0; {
	case am && !bm:
		a.A = b.A
	case bm && !am:
		b.A = a.A
	case am && bm:
		a.A, b.A = 1, 1
	}
	if h := a.Space.hueAt(); h >= 0 {
		a.C[h], b.C[h] = fixHues(a.C[h], b.C[h], hue)
	}
	return a, b
}

func fixHues(a, b float64, method string) (float64, float64) {
	a, b = turn(a), turn(b)
	d := b - a
	switch method {
	case "longer":
		if 0 < d && d < 180 {
			a += 360
		} else if -180 < d && d <= 0 {
			b += 360
		}
	case "increasing":
		if b < a {
			b += 360
		}
	case "decreasing":
		if a < b {
			a += 360
		}
	default:
		if d > 180 {
			a += 360
		} else if d < -180 {
			b += 360
		}
	}
	return a, b
}

func turn(h float64) float64 {
	h = math.Mod(h, 360)
	if h < 0 {
		h += 360
	}
	return h
}

// Lerp interpolates two colours of one space that FixPair has prepared, t from 0
// to 1, with premultiplied alpha (a hue is not multiplied).
func Lerp(a, b Color, t float64) Color {
	out := Color{Space: a.Space, A: a.A + (b.A-a.A)*t, Missing: a.Missing & b.Missing}
	h := a.Space.hueAt()
	for i := range 3 {
		if i == h {
			out.C[i] = a.C[i] + (b.C[i]-a.C[i])*t
			continue
		}
		v := a.C[i]*a.A + (b.C[i]*b.A-a.C[i]*a.A)*t
		if out.A != 0 {
			v /= out.A
		}
		out.C[i] = v
	}
	return out
}

// shares returns the normalised share of the second colour and a factor on alpha.
// Source: CSS Color 5 (https://www.w3.org/TR/css-color-5/#color-mix-percent-norm).
func (m *colorMix) shares() (t, alpha float64) {
	p, q := m.share[0], m.share[1]
	switch {
	case math.IsNaN(p) && math.IsNaN(q):
		p, q = 50, 50
	case math.IsNaN(p):
		p = 100 - q
	case math.IsNaN(q):
		q = 100 - p
	}
	alpha = 1
	if sum := p + q; sum < 100 {
		alpha = sum / 100
	}
	if p+q == 0 {
		return 0, 0
	}
	return q / (p + q), alpha
}

func (m *colorMix) resolve(current RGBA) Color {
	t, alpha := m.shares()
	a, b := m.colors[0].In(m.in.Space, current), m.colors[1].In(m.in.Space, current)
	c := mixPair(a, b, t, m.in.Hue)
	c.A *= alpha
	return c
}

// String prints the colour: hex where it is exact, otherwise the modern syntax.
func (c Color) String() string {
	switch {
	case c.Current:
		return "currentcolor"
	case c.mix != nil:
		var parts []string
		for i, m := range c.mix.colors {
			s := m.String()
			if v := c.mix.share[i]; !math.IsNaN(v) {
				s += " " + number(v) + "%"
			}
			parts = append(parts, s)
		}
		return "color-mix(" + c.mix.in.String() + ", " + strings.Join(parts, ", ") + ")"
	}
	if c.Space == Legacy && c.Missing == 0 {
		r, g, b := c.C[0]*255, c.C[1]*255, c.C[2]*255
		if c.A == 0 && r == 0 && g == 0 && b == 0 {
			return "transparent"
		}
		if c.A == 1 {
			s := fmt.Sprintf("#%02x%02x%02x", byteOf(c.C[0]), byteOf(c.C[1]), byteOf(c.C[2]))
			if s[1] == s[2] && s[3] == s[4] && s[5] == s[6] {
				s = "#" + s[1:2] + s[3:4] + s[5:6]
			}
			return s
		}
		return fmt.Sprintf("rgb(%s %s %s / %s)", number(math.Round(r)), number(math.Round(g)), number(math.Round(b)),
			number(c.A))
	}
	part := func(i int, scale float64, unit string) string {
		if c.Missing&(1<<i) != 0 {
			return "none"
		}
		return number(c.C[i]*scale) + unit
	}
	var s string
	switch c.Space {
	case Legacy:
		s = "rgb(" + part(0, 255, "") + " " + part(1, 255, "") + " " + part(2, 255, "")
	case HSL, HWB:
		s = c.Space.String() + "(" + part(0, 1, "") + " " + part(1, 100, "%") + " " + part(2, 100, "%")
	case Lab, Lch, Oklab, Oklch:
		s = c.Space.String() + "(" + part(0, 1, "") + " " + part(1, 1, "") + " " + part(2, 1, "")
	default:
		s = "color(" + c.Space.String() + " " + part(0, 1, "") + " " + part(1, 1, "") + " " + part(2, 1, "")
	}
	switch {
	case c.Missing&8 != 0:
		s += " / none"
	case c.A != 1:
		s += " / " + number(c.A)
	}
	return s + ")"
}

func byteOf(v float64) uint8 { return uint8(min(max(math.Round(v*255), 0), 255)) }
