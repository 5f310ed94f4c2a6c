// Package contrast measures how well text can be read on pixels.
//
//	contrast.Ratio(contrast.Luminance(255, 255, 255), contrast.Luminance(0, 0, 0)) // 21
//	s := contrast.Text{Color: text, Backdrop: backdrop, Need: 4.5}.Under(img, rect)
package contrast

import (
	"image"
	"math"

	"tourmaline/core/css"
	"tourmaline/core/picture"
)

// Luminance is the relative luminance of an opaque sRGB colour, 0..1, with the
// threshold of sRGB, 0.04045, as the errata of WCAG have it.
// Source: WCAG 2.2, relative luminance (https://www.w3.org/TR/WCAG22/#dfn-relative-luminance).
func Luminance(r, g, b uint8) float64 { return light[0][r] + light[1][g] + light[2][b] }

// light is what each value of a channel adds to the luminance.
var light = func() (t [3][256]float64) {
	for c, share := range [3]float64{0.2126, 0.7152, 0.0722} {
		for v := range t[c] {
			t[c][v] = share * picture.Linear(uint8(v))
		}
	}
	return t
}()

// Ratio is the contrast ratio of two luminances, 1 to 21.
// Source: WCAG 2.2, contrast ratio (https://www.w3.org/TR/WCAG22/#dfn-contrast-ratio).
func Ratio(a, b float64) float64 {
	if a < b {
		a, b = b, a
	}
	return (a + 0.05) / (b + 0.05)
}

// OfColors is the ratio of a text colour, which may be see-through, on an opaque
// background.
func OfColors(text css.RGBA, back [3]uint8) float64 {
	return Ratio(onPixel(text, back), Luminance(back[0], back[1], back[2]))
}

// onPixel is the luminance of text over a pixel: alpha is mixed in sRGB, as
// browsers do.
func onPixel(t css.RGBA, p [3]uint8) float64 {
	mix := func(c float64, v uint8) uint8 {
		c = min(max(c, 0), 1)
		return uint8(math.Round(c*255*t.A + float64(v)*(1-t.A)))
	}
	return Luminance(mix(t.R, p[0]), mix(t.G, p[1]), mix(t.B, p[2]))
}

// Spread is the contrast of text over an area.
type Spread struct {
	Worst  float64 // of any pixel
	Low    float64 // 5% of the pixels have less
	Below  float64 // share of the pixels under the needed ratio, 0..1
	Pixels int
}

// Best is the ratio of black and white, the largest.
const Best = 21

// steps is how finely ratios are counted for the percentile.
const steps = 2100

// Text is what is read: its colour, what is behind see-through pixels, and the ratio that
// it needs.
type Text struct {
	Color    css.RGBA
	Backdrop [3]uint8
	Need     float64
}

// Under measures the text over the pixels of rect (device px of img, premultiplied).
// Without pixels every ratio is 21.
func (x Text) Under(img *image.RGBA, rect image.Rectangle) Spread {
	text, backdrop, need := x.Color, x.Backdrop, x.Need
	rect = rect.Intersect(img.Rect)
	s := Spread{Worst: Best, Low: Best, Pixels: rect.Dx() * rect.Dy()}
	if s.Pixels == 0 {
		return s
	}
	solid, lum := text.A >= 1, onPixel(text, [3]uint8{})
	var counts [steps + 1]int
	below := 0
	for y := rect.Min.Y; y < rect.Max.Y; y++ {
		row := img.Pix[img.PixOffset(rect.Min.X, y):][:4*rect.Dx()]
		for ; len(row) >= 4; row = row[4:] {
			t, p := lum, [3]uint8{row[0], row[1], row[2]}
			if a := row[3]; a != 255 {
				p = over(p, a, backdrop)
			}
			if !solid {
				t = onPixel(text, p)
			}
			r := Ratio(t, light[0][p[0]]+light[1][p[1]]+light[2][p[2]])
			if r < s.Worst {
				s.Worst = r
			}
			if r < need {
				below++
			}
			counts[min(int(r*100), steps)]++
		}
	}
	s.Below = float64(below) / float64(s.Pixels)
	for r, n := 0, 0; r <= steps; r++ {
		if n += counts[r]; float64(n) > 0.05*float64(s.Pixels) {
			s.Low = max(float64(r)/100, s.Worst)
			break
		}
	}
	return s
}

// over lays a premultiplied px on an opaque colour.
func over(p [3]uint8, a uint8, back [3]uint8) [3]uint8 {
	for c := range p {
		p[c] = uint8(min(uint32(p[c])+(uint32(back[c])*(255-uint32(a))+127)/255, 255))
	}
	return p
}
