package paint

import (
	"math"

	"tourmaline/core/css"
)

// blendRow lays src over dst, both premultiplied. cover, where not nil, is how
// much of each px the clip lets through.
// Source: Compositing and Blending 1 (https://www.w3.org/TR/compositing-1/#generalformula).
func blendRow(dst, src, cover []uint8, mode css.Blend) {
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
	if mode == css.BlendNormal {
		over(dst, src)
		return
	}
	for i := 0; i+4 <= len(src); i += 4 {
		blendPixel(dst[i:i+4], src[i:i+4], mode)
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

// blendPixel mixes one px: Cs' = (1-ab)*Cs + ab*B(Cb,Cs), then source over.
func blendPixel(d, s []uint8, mode css.Blend) {
	as, ab := float64(s[3])/255, float64(d[3])/255
	if as == 0 {
		return
	}
	var cs, cb, b [3]float64
	for i := range 3 {
		cs[i] = float64(s[i]) / 255 / as
		if ab > 0 {
			cb[i] = float64(d[i]) / 255 / ab
		}
	}
	if mode >= css.BlendHue {
		b = blendNonSeparable(cb, cs, mode)
	} else {
		for i := range 3 {
			b[i] = blendChannel(cb[i], cs[i], mode)
		}
	}
	for i := range 3 {
		v := (1-as)*ab*cb[i] + as*((1-ab)*cs[i]+ab*b[i])
		d[i] = uint8(min(max(v, 0), 1)*255 + 0.5)
	}
	d[3] = uint8((as+ab-as*ab)*255 + 0.5)
}

func blendChannel(b, s float64, mode css.Blend) float64 {
	switch mode {
	case css.BlendMultiply:
		return b * s
	case css.BlendScreen:
		return b + s - b*s
	case css.BlendOverlay:
		return hardLight(s, b)
	case css.BlendDarken:
		return min(b, s)
	case css.BlendLighten:
		return max(b, s)
	case css.BlendColorDodge:
		switch {
		case b <= 0:
			return 0
		case s >= 1:
			return 1
		}
		return min(1, b/(1-s))
	case css.BlendColorBurn:
		switch {
		case b >= 1:
			return 1
		case s <= 0:
			return 0
		}
		return 1 - min(1, (1-b)/s)
	case css.BlendHardLight:
		return hardLight(b, s)
	case css.BlendSoftLight:
		if s <= 0.5 {
			return b - (1-2*s)*b*(1-b)
		}
		d := math.Sqrt(b)
		if b <= 0.25 {
			d = ((16*b-12)*b + 4) * b
		}
		return b + (2*s-1)*(d-b)
	case css.BlendDifference:
		return math.Abs(b - s)
	case css.BlendExclusion:
		return b + s - 2*b*s
	}
	return s
}

func hardLight(b, s float64) float64 {
	if s <= 0.5 {
		return b * 2 * s
	}
	t := 2*s - 1
	return b + t - b*t
}

func lum(c [3]float64) float64 { return 0.3*c[0] + 0.59*c[1] + 0.11*c[2] }

func sat(c [3]float64) float64 { return max(c[0], c[1], c[2]) - min(c[0], c[1], c[2]) }

func setLum(c [3]float64, l float64) [3]float64 {
	d := l - lum(c)
	for i := range c {
		c[i] += d
	}
	l = lum(c)
	lo, hi := min(c[0], c[1], c[2]), max(c[0], c[1], c[2])
	for i := range c {
		if lo < 0 {
			c[i] = l + (c[i]-l)*l/(l-lo)
		}
		if hi > 1 {
			c[i] = l + (c[i]-l)*(1-l)/(hi-l)
		}
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

func blendNonSeparable(b, s [3]float64, mode css.Blend) [3]float64 {
	switch mode {
	case css.BlendHue:
		return setLum(setSat(s, sat(b)), lum(b))
	case css.BlendSaturation:
		return setLum(setSat(b, sat(s)), lum(b))
	case css.BlendColor:
		return setLum(s, lum(b))
	}
	return setLum(b, lum(s))
}
