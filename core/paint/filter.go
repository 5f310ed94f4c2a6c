package paint

import (
	"image"
	"math"

	"tourmaline/core/css"
	"tourmaline/core/work"
)

// applyFilters changes a picture by a list of CSS filter functions, in order.
// img is premultiplied sRGB; k is device px per CSS px. Outside the picture all
// is transparent, so that blur fades at its edges.
// Source: Filter Effects 1 (https://www.w3.org/TR/filter-effects-1/#supported-filter-functions).
func applyFilters(img *image.RGBA, filters css.Filters, env *css.Env, k float64) *image.RGBA {
	for i := range filters {
		f := &filters[i]
		if f.Name == "blur" {
			img = gaussian(img, f.Factor(env)*k)
			continue
		}
		if m, ok := colourMatrix(f, env); ok {
			img = recolour(img, m)
		}
	}
	return img
}

// transform is a 3x3 matrix on straight sRGB 0..1, an offset, and a factor on alpha.
type transform struct {
	m     [3][3]float64
	add   float64
	alpha float64
}

func colourMatrix(f *css.Filter, env *css.Env) (transform, bool) {
	v := f.Factor(env)
	id := [3][3]float64{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}
	scaled := func(s float64) [3][3]float64 { return [3][3]float64{{s, 0, 0}, {0, s, 0}, {0, 0, s}} }
	unit := min(v, 1)
	switch f.Name {
	case "brightness":
		return transform{scaled(v), 0, 1}, true
	case "contrast":
		return transform{scaled(v), 0.5 - 0.5*v, 1}, true
	case "invert":
		return transform{scaled(1 - 2*unit), unit, 1}, true
	case "opacity":
		return transform{id, 0, unit}, true
	case "saturate":
		return transform{saturation(v), 0, 1}, true
	case "grayscale":
		// saturate() with other luminance weights: those of the standard's table.
		g := 1 - unit
		return transform{[3][3]float64{
			{0.2126 + 0.7874*g, 0.7152 - 0.7152*g, 0.0722 - 0.0722*g},
			{0.2126 - 0.2126*g, 0.7152 + 0.2848*g, 0.0722 - 0.0722*g},
			{0.2126 - 0.2126*g, 0.7152 - 0.7152*g, 0.0722 + 0.9278*g}}, 0, 1}, true
	case "sepia":
		g := 1 - unit
		return transform{[3][3]float64{
			{0.393 + 0.607*g, 0.769 - 0.769*g, 0.189 - 0.189*g},
			{0.349 - 0.349*g, 0.686 + 0.314*g, 0.168 - 0.168*g},
			{0.272 - 0.272*g, 0.534 - 0.534*g, 0.131 + 0.869*g}}, 0, 1}, true
	case "hue-rotate":
		sin, cos := math.Sincos(v * math.Pi / 180)
		return transform{[3][3]float64{
			{0.213 + cos*0.787 - sin*0.213, 0.715 - cos*0.715 - sin*0.715, 0.072 - cos*0.072 + sin*0.928},
			{0.213 - cos*0.213 + sin*0.143, 0.715 + cos*0.285 + sin*0.140, 0.072 - cos*0.072 - sin*0.283},
			{0.213 - cos*0.213 - sin*0.787, 0.715 - cos*0.715 + sin*0.715, 0.072 + cos*0.928 + sin*0.072}}, 0, 1}, true
	}
	return transform{}, false
}

func saturation(s float64) [3][3]float64 {
	return [3][3]float64{
		{0.213 + 0.787*s, 0.715 - 0.715*s, 0.072 - 0.072*s},
		{0.213 - 0.213*s, 0.715 + 0.285*s, 0.072 - 0.072*s},
		{0.213 - 0.213*s, 0.715 - 0.715*s, 0.072 + 0.928*s}}
}

func recolour(img *image.RGBA, t transform) *image.RGBA {
	out := image.NewRGBA(img.Rect)
	w := img.Rect.Dx()
	work.Rows(img.Rect.Dy(), w, func(y0, y1 int) {
		for i := y0 * img.Stride; i < y1*img.Stride; i += 4 {
			a := float64(img.Pix[i+3])
			if a == 0 {
				continue
			}
			c := [3]float64{float64(img.Pix[i]) / a, float64(img.Pix[i+1]) / a, float64(img.Pix[i+2]) / a}
			oa := a * t.alpha
			for n := range 3 {
				v := t.m[n][0]*c[0] + t.m[n][1]*c[1] + t.m[n][2]*c[2] + t.add
				out.Pix[i+n] = uint8(min(max(v, 0), 1)*oa + 0.5)
			}
			out.Pix[i+3] = uint8(oa + 0.5)
		}
	})
	return out
}

// gaussian blurs by a standard deviation in px, first across, then down.
func gaussian(img *image.RGBA, sigma float64) *image.RGBA {
	if sigma < 0.01 {
		return img
	}
	reach := int(math.Ceil(3 * sigma))
	kernel := make([]float32, 2*reach+1)
	var total float32
	for i := range kernel {
		d := float64(i - reach)
		kernel[i] = float32(math.Exp(-d * d / (2 * sigma * sigma)))
		total += kernel[i]
	}
	for i := range kernel {
		kernel[i] /= total
	}
	pass := func(src *image.RGBA, dx, dy int) *image.RGBA {
		out := image.NewRGBA(src.Rect)
		w, h := src.Rect.Dx(), src.Rect.Dy()
		work.Rows(h, w*reach, func(y0, y1 int) {
			for y := y0; y < y1; y++ {
				for x := range w {
					var acc [4]float32
					for n, f := range kernel {
						sx, sy := x+(n-reach)*dx, y+(n-reach)*dy
						if sx < 0 || sy < 0 || sx >= w || sy >= h {
							continue
						}
						p := src.Pix[sy*src.Stride+4*sx:]
						acc[0] += f * float32(p[0])
						acc[1] += f * float32(p[1])
						acc[2] += f * float32(p[2])
						acc[3] += f * float32(p[3])
					}
					store(out.Pix[y*out.Stride+4*x:], acc)
				}
			}
		})
		return out
	}
	return pass(pass(img, 1, 0), 0, 1)
}
