package picture

import (
	"encoding/binary"
	"image"
	"image/draw"
)

// toRGBA converts a decoded picture to premultiplied RGBA with its corner at 0,0.
func toRGBA(img image.Image) *image.RGBA {
	b := img.Bounds()
	switch m := img.(type) {
	case *image.RGBA:
		if b.Min == (image.Point{}) {
			return m
		}
	case *image.YCbCr:
		return FromYCbCr(m)
	case *image.NRGBA:
		return fromNRGBA(m)
	}
	dst := image.NewRGBA(image.Rect(0, 0, b.Dx(), b.Dy()))
	draw.Draw(dst, dst.Rect, img, b.Min, draw.Src)
	return dst
}

// fromNRGBA premultiplies with rounding, as browsers do; image/draw truncates. An opaque picture keeps its px.
func fromNRGBA(m *image.NRGBA) *image.RGBA {
	w, h := m.Rect.Dx(), m.Rect.Dy()
	if as := (&image.RGBA{Pix: m.Pix, Stride: m.Stride, Rect: m.Rect}); m.Rect.Min == (image.Point{}) &&
		m.Stride == 4*w && !HasAlpha(as) {
		return as
	}
	dst := image.NewRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		s, d := m.Pix[y*m.Stride:][:4*w], dst.Pix[y*dst.Stride:][:4*w]
		for i := 0; i < len(s); i += 4 {
			a := uint32(s[i+3])
			if a == 255 {
				copy(d[i:i+4], s[i:i+4])
				continue
			}
			for c := range 3 {
				d[i+c] = MulDiv255(uint32(s[i+c]), a)
			}
			d[i+3] = uint8(a)
		}
	}
	return dst
}

// MulDiv255 is a*b/255 rounded to nearest, for a and b up to 255.
func MulDiv255(a, b uint32) uint8 {
	p := a*b + 128
	return uint8((p + p>>8) >> 8)
}

// FromYCbCr converts with smooth chroma: samples are interpolated with weights
// 3:1 towards the nearer one, as the common JPEG library and so every browser
// does; image/color repeats them, which is up to dozens of levels off at edges.
func FromYCbCr(m *image.YCbCr) *image.RGBA {
	w, h := m.Rect.Dx(), m.Rect.Dy()
	dst := image.NewRGBA(image.Rect(0, 0, w, h))
	halfX := m.SubsampleRatio == image.YCbCrSubsampleRatio420 || m.SubsampleRatio == image.YCbCrSubsampleRatio422
	halfY := m.SubsampleRatio == image.YCbCrSubsampleRatio420
	smooth := halfX && m.Rect.Min == (image.Point{})
	cw, ch := (w+1)/2, h
	if halfY {
		ch = (h + 1) / 2
	}
	cb, cr := make([]int32, w), make([]int32, w)
	colB, colR := make([]int32, cw+2), make([]int32, cw+2)
	if w == 0 || h == 0 {
		return dst
	}
	for y := range h {
		yRow := m.Y[y*m.YStride:][:w]
		if !smooth {
			for x := range w {
				o := m.COffset(x+m.Rect.Min.X, y+m.Rect.Min.Y)
				cb[x], cr[x] = int32(m.Cb[o]), int32(m.Cr[o])
			}
		} else {
			near, far := y, y
			if halfY {
				near = y / 2
				far = near - 1 + 2*(y&1)
				far = min(max(far, 0), ch-1)
			}
			vertical := int32(1)
			for x := range cw {
				colB[x], colR[x] = int32(m.Cb[near*m.CStride+x]), int32(m.Cr[near*m.CStride+x])
				if halfY {
					vertical = 4
					colB[x] = 3*colB[x] + int32(m.Cb[far*m.CStride+x])
					colR[x] = 3*colR[x] + int32(m.Cr[far*m.CStride+x])
				}
			}
			spread(cb, colB[:cw], vertical)
			spread(cr, colR[:cw], vertical)
		}
		d := dst.Pix[y*dst.Stride:][:4*w]
		reds, blues := cr[:len(yRow)], cb[:len(yRow)]
		for x, light := range yRow {
			r, g, b := ycc(int32(light), blues[x], reds[x])
			binary.LittleEndian.PutUint32(d[4*x:4*x+4:4*x+4], uint32(r)|uint32(g)<<8|uint32(b)<<16|255<<24)
		}
	}
	return dst
}

// spread doubles a row of chroma; values carry the factor unit (1 or 4). The
// rounding alternates as in the JPEG library, so that it does not drift.
func spread(dst, src []int32, unit int32) {
	n := len(src)
	shift := uint(2)
	even, odd := int32(1), int32(2)
	if unit == 4 {
		shift, even, odd = 4, 8, 7
	}
	before := src[0]
	for i := range len(dst) / 2 {
		near, after := src[i], src[min(i+1, n-1)]
		to := dst[2*i : 2*i+2 : 2*i+2]
		to[0], to[1] = (3*near+before+even)>>shift, (3*near+after+odd)>>shift
		before = near
	}
	if len(dst)%2 == 1 {
		dst[len(dst)-1] = (3*src[n-1] + before + even) >> shift
	}
}

// ycc is the JFIF conversion in 16-bit fixed point.
func ycc(y, cb, cr int32) (r, g, b uint8) {
	y = y<<16 + 1<<15
	return clamped((y + 91881*(cr-128)) >> 16), clamped((y - 22554*(cb-128) - 46802*(cr-128)) >> 16),
		clamped((y + 116130*(cb-128)) >> 16)
}

func clamped(v int32) uint8 {
	if uint32(v) > 255 {
		return uint8(^(v >> 31)) // 0 below, 255 above
	}
	return uint8(v)
}
