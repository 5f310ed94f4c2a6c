package texture

import (
	"image"
	"math"
	"slices"

	"tourmaline/core/contrast"
	"tourmaline/core/css"
)

// StepSeen is how far two colours are apart that lie beside each other and are just told apart, in Oklab times 100.
const StepSeen = 2

// Beside is how a texture goes with what lies beside it and on it.
type Beside struct {
	Mean   [3]uint8 // its mean colour over the page's
	Step   float64  // how far that is from the page's colour, in Oklab times 100: StepSeen is just seen
	Darker bool     // than the page
}

// BesideOf looks at a texture on a page of one colour, which shows through it.
func BesideOf(img *image.RGBA, page [3]uint8) Beside {
	var sum [3]float64
	for i := 0; i+4 <= len(img.Pix); i += 4 {
		p := over(img.Pix[i:i+4], page)
		for c := range 3 {
			sum[c] += float64(p[c])
		}
	}
	var b Beside
	n := float64(max(len(img.Pix)/4, 1))
	mean := css.Color{A: 1}
	for c := range 3 {
		b.Mean[c] = uint8(sum[c]/n + 0.5)
		mean.C[c] = sum[c] / n / 255
	}
	p := css.FromRGB8(page[0], page[1], page[2])
	x, y := mean.In(css.Oklab, css.RGBA{}).C, p.In(css.Oklab, css.RGBA{}).C
	b.Step = 100 * math.Sqrt((x[0]-y[0])*(x[0]-y[0])+(x[1]-y[1])*(x[1]-y[1])+(x[2]-y[2])*(x[2]-y[2]))
	b.Darker = x[0] < y[0]
	return b
}

// over is a premultiplied px on a page, levels.
func over(p []uint8, page [3]uint8) (out [3]uint8) {
	for c := range out {
		out[c] = uint8(min(uint32(p[c])+(uint32(page[c])*(255-uint32(p[3]))+127)/255, 255))
	}
	return out
}

// Extremes are the contrast ratios of a text colour over the darkest and the lightest places of a texture on a page: a
// twentieth of it each.
func Extremes(img *image.RGBA, page [3]uint8, text css.RGBA) (dark, light float64) {
	type place struct {
		p   [3]uint8
		lum float64
	}
	all := make([]place, 0, len(img.Pix)/4)
	for i := 0; i+4 <= len(img.Pix); i += 4 {
		p := over(img.Pix[i:i+4], page)
		all = append(all, place{p, contrast.Luminance(p[0], p[1], p[2])})
	}
	if len(all) == 0 {
		return 21, 21
	}
	slices.SortFunc(all, func(a, b place) int {
		switch {
		case a.lum < b.lum:
			return -1
		case a.lum > b.lum:
			return 1
		}
		return 0
	})
	of := func(some []place) float64 {
		var sum [3]float64
		for _, s := range some {
			for c := range sum {
				sum[c] += float64(s.p[c])
			}
		}
		var mean [3]uint8
		for c := range mean {
			mean[c] = uint8(sum[c]/float64(len(some)) + 0.5)
		}
		return contrast.OfColors(text, mean)
	}
	n := max(len(all)/20, 1)
	return of(all[:n]), of(all[len(all)-n:])
}

// Lightness, and the share of the colour that is kept, of a texture on a dark or a light page.
const (
	darkTone, lightTone = 0.24, 0.93
	toneColour          = 0.5
)

// Dark and Light are the mean colours of a texture's variants for dark and light pages: its own hue, quieter.
func Dark(img *image.RGBA) css.Color { return variant(img, darkTone) }

// Light is Dark's counterpart.
func Light(img *image.RGBA) css.Color { return variant(img, lightTone) }

func variant(img *image.RGBA, lightness float64) css.Color {
	m := meanColour(img)
	c := m.In(css.Oklab, css.RGBA{})
	c.C[0], c.C[1], c.C[2] = lightness, c.C[1]*toneColour, c.C[2]*toneColour
	return c
}

// meanColour is that of the opaque and half opaque px.
func meanColour(img *image.RGBA) css.Color {
	var sum [3]float64
	alpha := 0.0
	for i := 0; i+4 <= len(img.Pix); i += 4 {
		for c := range sum {
			sum[c] += float64(img.Pix[i+c])
		}
		alpha += float64(img.Pix[i+3])
	}
	out := css.Color{A: 1}
	for c := range sum {
		out.C[c] = sum[c] / max(alpha, 1)
	}
	return out
}

// Toned is a texture whose mean colour is another one: what stands out of the mean stands out as much, as people see
// lightness and colour, so that grain stays. Near black and white, where there is no room, it is flatter.
func Toned(img *image.RGBA, to css.Color) *image.RGBA {
	want := to.In(css.Oklab, css.RGBA{}).C
	own := meanColour(img)
	from := own.In(css.Oklab, css.RGBA{}).C
	shift := [3]float64{want[0] - from[0], want[1] - from[1], want[2] - from[2]}
	goal := to.In(css.SRGB, css.RGBA{})
	var best *image.RGBA
	least := math.Inf(1)
	for range 4 { // means are of levels, shifts of lightness: they meet after a few steps
		out := moved(img, shift)
		got := meanColour(out)
		off := 0.0
		for c := range 3 {
			off = max(off, math.Abs(got.C[c]-min(max(goal.C[c], 0), 1)))
		}
		if off < least {
			best, least = out, off
		}
		if off < 0.2/255 {
			break
		}
		is := got.In(css.Oklab, css.RGBA{}).C
		for c := range shift {
			shift[c] += want[c] - is[c]
		}
	}
	return best
}

// moved adds to all colours of a picture in Oklab.
func moved(img *image.RGBA, by [3]float64) *image.RGBA {
	out := image.NewRGBA(image.Rect(0, 0, img.Rect.Dx(), img.Rect.Dy()))
	known := map[[4]uint8][4]uint8{}
	for y := range out.Rect.Dy() {
		row, to := img.Pix[y*img.Stride:], out.Pix[y*out.Stride:]
		for i := 0; i < 4*out.Rect.Dx(); i += 4 {
			p := [4]uint8(row[i : i+4])
			q, ok := known[p]
			if !ok && p[3] > 0 {
				c := css.Color{A: 1}
				for k := range 3 {
					c.C[k] = min(float64(p[k])/float64(p[3]), 1)
				}
				c = c.In(css.Oklab, css.RGBA{})
				for k := range by {
					c.C[k] += by[k]
				}
				c.C[0] = min(max(c.C[0], 0), 1)
				r := c.Resolve(css.RGBA{})
				for k, v := range [3]float64{r.R, r.G, r.B} {
					q[k] = uint8(min(max(v, 0), 1)*float64(p[3]) + 0.5)
				}
				q[3] = p[3]
				known[p] = q
			}
			copy(to[i:i+4], q[:])
		}
	}
	return out
}
