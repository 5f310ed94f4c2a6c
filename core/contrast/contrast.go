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
func Luminance(r, g, b uint8) float64 {
	return 0.2126*picture.Linear(r) + 0.7152*picture.Linear(g) + 0.0722*picture.Linear(b)
}

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
	s := Spread{Worst: 21, Low: 21, Pixels: rect.Dx() * rect.Dy()}
	if s.Pixels == 0 {
		return s
	}
	opaque := text.A >= 1
	lum := onPixel(text, [3]uint8{})
	var counts [steps + 1]int
	below := 0
	for y := rect.Min.Y; y < rect.Max.Y; y++ {
		row := img.Pix[img.PixOffset(rect.Min.X, y):][:4*rect.Dx()]
		for i := 0; i < len(row); i += 4 {
			p := [3]uint8{row[i], row[i+1], row[i+2]}
			if a := uint32(row[i+3]); a != 255 {
				for c := range 3 {
					p[c] = uint8(min(uint32(p[c])+(uint32(backdrop[c])*(255-a)+127)/255, 255))
				}
			}
			t := lum
			if !opaque {
				t = onPixel(text, p)
			}
			r := Ratio(t, Luminance(p[0], p[1], p[2]))
			s.Worst = min(s.Worst, r)
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
