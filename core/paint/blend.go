package paint

import (
	"math"

	"tourmaline/core/css"
)

// blendRow lays src over dst, both premultiplied; src is changed. cover, where not nil, is how
// much of each px the clip lets through.
// Source: Compositing and Blending 1 (https://www.w3.org/TR/compositing-1/#generalformula).
func blendRow(dst, src, cover []uint8) {
	if cover != nil {
		for i, c := range cover[:len(src)/4] {
			if c == 255 {
				continue
			}
			p := src[4*i : 4*i+4]
			for ch := range p {
				p[ch] = mul(uint32(p[ch]), uint32(c))
			}
		}
	}
	over(dst, src)
}

// blendRowF mixes a row of exact colours into dst with a blend mode. cover, where
// not nil, is how much of each px the clip lets through.
func blendRowF(dst []uint8, src [][4]float32, cover []uint8, mode css.Blend) {
	for i := range src {
		d := dst[4*i : 4*i+4]
		s := src[i]
		if s[3] <= 0 {
			continue
		}
		for c := range 3 { // colours outside sRGB are clipped first
			s[c] = min(max(s[c], 0), s[3])
		}
		out := blendPixel(d, s, mode)
		f := float32(1)
		if cover != nil {
			f = float32(cover[i]) / 255
		}
		for c := range 4 {
			v := float32(d[c]) + (out[c]-float32(d[c]))*f
			d[c] = uint8(min(max(v, 0), 255) + 0.5)
		}
	}
}

func mul(a, b uint32) uint8 {
	p := a*b + 128
	return uint8((p + p>>8) >> 8)
}

func over(dst, src []uint8) {
	for i := 0; i+4 <= len(src); i += 4 {
		s, d := src[i:i+4:i+4], dst[i:i+4:i+4]
		switch a := uint32(s[3]); a {
		case 0:
		case 255:
			copy(d, s)
		default:
			n := 255 - a
			d[0] = s[0] + mul(uint32(d[0]), n)
			d[1] = s[1] + mul(uint32(d[1]), n)
			d[2] = s[2] + mul(uint32(d[2]), n)
			d[3] = s[3] + mul(uint32(d[3]), n)
		}
	}
}

// blendPixel mixes one px; colours are premultiplied, 0..255, and so is the
// result. With alphas as, ab it is (1-ab)*s + (1-as)*d + as*ab*B(d/ab, s/as), each
// mode written so that nothing is divided by an alpha.
func blendPixel(dst []uint8, src [4]float32, mode css.Blend) [4]float32 {
	var s, d [4]float64
	for i := range 4 {
		s[i], d[i] = float64(src[i])/255, float64(dst[i])/255
	}
	sa, da := s[3], d[3]
	var out [4]float32
	if mode >= css.BlendHue {
		b := blendNonSeparable([3]float64(s[:3]), [3]float64(d[:3]), sa, da, mode)
		for i := range 3 {
			out[i] = float32(255 * (s[i]*(1-da) + d[i]*(1-sa) + b[i]))
		}
	} else {
		for i := range 3 {
			out[i] = float32(255 * (s[i]*(1-da) + d[i]*(1-sa) + blendChannel(s[i], d[i], sa, da, mode)))
		}
	}
	out[3] = float32(255 * (sa + da - sa*da))
	return out
}

// blendChannel is as*ab*B for one channel of premultiplied colours.
func blendChannel(s, d, sa, da float64, mode css.Blend) float64 {
	switch mode {
	case css.BlendMultiply:
		return s * d
	case css.BlendScreen:
		return s*da + d*sa - s*d
	case css.BlendOverlay:
		return hardLight(d, s, da, sa)
	case css.BlendDarken:
		return min(s*da, d*sa)
	case css.BlendLighten:
		return max(s*da, d*sa)
	case css.BlendColorDodge:
		switch {
		case d <= 0:
			return 0
		case s >= sa:
			return sa * da
		}
		return sa * min(da, d*sa/(sa-s))
	case css.BlendColorBurn:
		switch {
		case d >= da:
			return sa * da
		case s <= 0:
			return 0
		}
		return sa * (da - min(da, (da-d)*sa/s))
	case css.BlendHardLight:
		return hardLight(s, d, sa, da)
	case css.BlendSoftLight:
		if da <= 0 {
			return 0
		}
		m := d / da
		if 2*s <= sa {
			return d*sa + d*(2*s-sa)*(1-m)
		}
		curve := math.Sqrt(m)
		if m <= 0.25 {
			curve = ((16*m-12)*m + 4) * m
		}
		return d*sa + da*(2*s-sa)*(curve-m)
	case css.BlendDifference:
		return math.Abs(s*da - d*sa)
	case css.BlendExclusion:
		return s*da + d*sa - 2*s*d
	}
	return s * da
}

func hardLight(s, d, sa, da float64) float64 {
	if 2*s <= sa {
		return 2 * s * d
	}
	return sa*da - 2*(da-d)*(sa-s)
}

func lum(c [3]float64) float64 { return 0.3*c[0] + 0.59*c[1] + 0.11*c[2] }

func sat(c [3]float64) float64 { return max(c[0], c[1], c[2]) - min(c[0], c[1], c[2]) }

// setLum moves c to a luminosity and clips it to 0..alpha around it.
func setLum(c [3]float64, l, alpha float64) [3]float64 {
	d := l - lum(c)
	for i := range c {
		c[i] += d
	}
	l = lum(c)
	lo, hi := min(c[0], c[1], c[2]), max(c[0], c[1], c[2])
	for i := range c {
		if lo < 0 && l != lo {
			c[i] = l + (c[i]-l)*l/(l-lo)
		}
		if hi > alpha && l != hi {
			c[i] = l + (c[i]-l)*(alpha-l)/(hi-l)
		}
		c[i] = max(c[i], 0)
	}
	return c
}

func setSat(c [3]float64, s float64) [3]float64 {
	lo, span := min(c[0], c[1], c[2]), sat(c)
	for i := range c {
		if span > 0 {
			c[i] = (c[i] - lo) * s / span
		} else {
			c[i] = 0
		}
	}
	return c
}

// blendNonSeparable is as*ab*B for premultiplied colours.
func blendNonSeparable(s, d [3]float64, sa, da float64, mode css.Blend) [3]float64 {
	times := func(c [3]float64, f float64) [3]float64 { return [3]float64{c[0] * f, c[1] * f, c[2] * f} }
	switch mode {
	case css.BlendHue:
		return setLum(setSat(times(s, sa), sat(d)*sa), lum(d)*sa, sa*da)
	case css.BlendSaturation:
		return setLum(setSat(times(d, sa), sat(s)*da), lum(d)*sa, sa*da)
	case css.BlendColor:
		return setLum(times(s, da), lum(d)*sa, sa*da)
	}
	return setLum(times(d, sa), lum(s)*da, sa*da)
}
