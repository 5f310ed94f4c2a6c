package picture

import (
	"cmp"
	"image"
	"image/color"
	"math"
	"slices"
)

// palette returns the picture with a palette when it has at most 256 colours.
func palette(img *image.RGBA) (*image.Paletted, bool) {
	index := map[[4]uint8]uint8{}
	var pal color.Palette
	out := image.NewPaletted(img.Rect, nil)
	for i := 0; i < len(img.Pix); i += 4 {
		c := [4]uint8(img.Pix[i : i+4])
		n, ok := index[c]
		if !ok {
			if len(pal) == 256 {
				return nil, false
			}
			n = uint8(len(pal))
			index[c] = n
			pal = append(pal, color.RGBA{c[0], c[1], c[2], c[3]})
		}
		out.Pix[i/4] = n
	}
	out.Palette = pal
	return out, true
}

// Swatch is a colour of a picture and the share of it that has about this colour.
type Swatch struct {
	R, G, B uint8
	Share   float64
}

// linear light of a byte, 0..1.
var linear = func() (t [256]float64) {
	for i := range t {
		t[i] = light(float64(i) / 255)
	}
	return
}()

func light(v float64) float64 {
	if v <= 0.04045 {
		return v / 12.92
	}
	return math.Pow((v+0.055)/1.055, 2.4)
}

// Linear is the light of an sRGB byte, 0..1, and FromLinear the byte of a light.
// Source: CSS Color 4, sample code for sRGB (https://www.w3.org/TR/css-color-4/#color-conversion-code).
func Linear(b uint8) float64 { return linear[b] }

// FromLinear is the inverse of Linear, rounded; light outside 0..1 is clipped.
func FromLinear(v float64) uint8 { return gammaByte(v) }

// gammaByte is FromLinear, exact and slow.
func gammaByte(v float64) uint8 {
	if v <= 0.0031308 {
		v *= 12.92
	} else {
		v = 1.055*math.Pow(v, 1/2.4) - 0.055
	}
	return uint8(min(max(v, 0), 1)*255 + 0.5)
}

// mean adds up colours in linear light, by their alpha.
type mean struct{ r, g, b, w float64 }

func (m *mean) add(p []uint8, weight float64) {
	a := float64(p[3]) / 255
	if a == 0 {
		return
	}
	straight := func(v uint8) float64 { return linear[uint8(min(float64(v)/a, 255))] }
	m.r += straight(p[0]) * a * weight
	m.g += straight(p[1]) * a * weight
	m.b += straight(p[2]) * a * weight
	m.w += a * weight
}

func (m *mean) swatch(total float64) Swatch {
	if m.w == 0 {
		return Swatch{}
	}
	return Swatch{gammaByte(m.r / m.w), gammaByte(m.g / m.w), gammaByte(m.b / m.w), m.w / total}
}

// EdgeColours are the average colours along the top, right, bottom and left edge.
type EdgeColours [4]Swatch

// clearEdge is how opaque an edge may be that nothing touches, of its length: a few soft
// px of a motif may.
const clearEdge = 0.05

// ClearX reports whether left and right edge are clear, as around a motif that stands alone.
func (e EdgeColours) ClearX() bool { return e[1].Share < clearEdge && e[3].Share < clearEdge }

// ClearY is the same of the top and bottom edge.
func (e EdgeColours) ClearY() bool { return e[0].Share < clearEdge && e[2].Share < clearEdge }

// Edges returns the average colour along the top, right, bottom and left edge
// (linear light, by alpha). Share is how opaque the edge is, 0..1.
func Edges(img *image.RGBA) EdgeColours {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	var m [4]mean
	px := func(x, y int) []uint8 { return img.Pix[y*img.Stride+4*x:][:4] }
	for x := range w {
		m[0].add(px(x, 0), 1)
		m[2].add(px(x, h-1), 1)
	}
	for y := range h {
		m[1].add(px(w-1, y), 1)
		m[3].add(px(0, y), 1)
	}
	return EdgeColours{m[0].swatch(float64(w)), m[1].swatch(float64(h)), m[2].swatch(float64(w)),
		m[3].swatch(float64(h))}
}

// MainColours returns up to n colours that the picture mostly is, by share.
// Pixels are counted in cells of 5 bits a channel, then near cells are merged
// into the fullest one, so that noise does not count as many colours.
func MainColours(img *image.RGBA, n int) []Swatch {
	var cells [1 << 15]mean
	var total float64
	// a quarter million samples tell enough
	step := max(1, int(math.Sqrt(float64(img.Rect.Dx()*img.Rect.Dy())/250_000)))
	for y := 0; y < img.Rect.Dy(); y += step {
		for x := 0; x < img.Rect.Dx(); x += step {
			p := img.Pix[y*img.Stride+4*x:][:4]
			if p[3] < 16 {
				total++
				continue
			}
			cells[int(p[0]>>3)<<10|int(p[1]>>3)<<5|int(p[2]>>3)].add(p, 1)
			total++
		}
	}
	var order []int
	for i := range cells {
		if cells[i].w > 0 {
			order = append(order, i)
		}
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(cells[b].w, cells[a].w) })
	type group struct {
		seed [3]float64
		mean
	}
	var groups []group
	const near = 40 // levels between a cell and the group's seed
	for _, i := range order {
		c := [3]float64{float64(i>>10&31) * 8, float64(i>>5&31) * 8, float64(i&31) * 8}
		found := -1
		best := math.Inf(1)
		for g := range groups {
			d := math.Sqrt(sq(c[0]-groups[g].seed[0])*0.3 + sq(c[1]-groups[g].seed[1])*0.59 +
				sq(c[2]-groups[g].seed[2])*0.11)
			if d < best {
				found, best = g, d
			}
		}
		if best > near && len(groups) < 4*n {
			groups = append(groups, group{seed: c})
			found = len(groups) - 1
		}
		g := &groups[found]
		g.r, g.g, g.b, g.w = g.r+cells[i].r, g.g+cells[i].g, g.b+cells[i].b, g.w+cells[i].w
	}
	slices.SortStableFunc(groups, func(a, b group) int { return cmp.Compare(b.w, a.w) })
	var out []Swatch
	for _, g := range groups[:min(n, len(groups))] {
		if s := g.swatch(total); s.Share >= 0.01 {
			out = append(out, s)
		}
	}
	return out
}

func sq(v float64) float64 { return v * v }
