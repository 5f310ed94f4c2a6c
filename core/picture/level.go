package picture

import (
	"image"
	"math"

	"tourmaline/core/work"
)

// halve returns half of a picture, rounded down but at least 1, as the mean of
// 2x2 px, or with weights 1-2-1 across an odd side.
func halve(src *image.RGBA) *image.RGBA {
	w, h := src.Rect.Dx(), src.Rect.Dy()
	dw, dh := max(w/2, 1), max(h/2, 1)
	dst := image.NewRGBA(image.Rect(0, 0, dw, dh))
	wx, wy := halfWeights(w), halfWeights(h)
	shift := uint(0)
	for n := sum(wx) * sum(wy); n > 1; n >>= 1 {
		shift++
	}
	work.Rows(dh, dw, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			d := dst.Pix[y*dst.Stride:]
			for x := range dw {
				var acc [4]uint32
				for j, vy := range wy {
					s := src.Pix[min(2*y+j, h-1)*src.Stride:]
					for i, vx := range wx {
						p := s[4*min(2*x+i, w-1):][:4]
						f := vx * vy
						acc[0] += uint32(p[0]) * f
						acc[1] += uint32(p[1]) * f
						acc[2] += uint32(p[2]) * f
						acc[3] += uint32(p[3]) * f
					}
				}
				o := d[4*x : 4*x+4]
				o[0], o[1], o[2], o[3] = uint8(acc[0]>>shift), uint8(acc[1]>>shift), uint8(acc[2]>>shift),
					uint8(acc[3]>>shift)
			}
		}
	})
	return dst
}

func halfWeights(n int) []uint32 {
	switch {
	case n == 1:
		return []uint32{1}
	case n%2 == 0:
		return []uint32{1, 1}
	}
	return []uint32{1, 2, 1}
}

func sum(v []uint32) (n uint32) {
	for _, x := range v {
		n += x
	}
	return n
}

// blended returns src at dw x dh px, blended linearly in 16 steps.
func blended(src *image.RGBA, dw, dh int) *image.RGBA {
	w, h := src.Rect.Dx(), src.Rect.Dy()
	if w == dw && h == dh {
		return src
	}
	dst := image.NewRGBA(image.Rect(0, 0, dw, dh))
	cols := make([]blend, dw)
	for x := range cols {
		cols[x] = blendAt(x, w, dw)
	}
	work.Rows(dh, dw, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			v := blendAt(y, h, dh)
			ra, rb := src.Pix[v.a*src.Stride:], src.Pix[v.b*src.Stride:]
			d := dst.Pix[y*dst.Stride:]
			for x := range cols {
				c := &cols[x]
				w11 := c.w * v.w
				w01, w10 := c.w<<4-w11, v.w<<4-w11
				w00 := 256 - w01 - w10 - w11
				p, q := ra[4*c.a:4*c.a+4], ra[4*c.b:4*c.b+4]
				s, t := rb[4*c.a:4*c.a+4], rb[4*c.b:4*c.b+4]
				o := d[4*x : 4*x+4]
				o[0] = uint8((uint32(p[0])*w00 + uint32(q[0])*w01 + uint32(s[0])*w10 + uint32(t[0])*w11) >> 8)
				o[1] = uint8((uint32(p[1])*w00 + uint32(q[1])*w01 + uint32(s[1])*w10 + uint32(t[1])*w11) >> 8)
				o[2] = uint8((uint32(p[2])*w00 + uint32(q[2])*w01 + uint32(s[2])*w10 + uint32(t[2])*w11) >> 8)
				o[3] = uint8((uint32(p[3])*w00 + uint32(q[3])*w01 + uint32(s[3])*w10 + uint32(t[3])*w11) >> 8)
			}
		}
	})
	return dst
}

// blend is a pair of px and the weight of the second, in 1/16.
type blend struct {
	a, b int
	w    uint32
}

func blendAt(i, from, to int) blend {
	q := int(math.Floor(float64(float32(i)+0.5)*float64(float32(from)/float32(to))*65536)) - 1<<15
	a := q >> 16
	return blend{min(max(a, 0), from-1), min(max(a+1, 0), from-1), uint32(q >> 12 & 15)}
}

// Level returns the smallest half-size level of the decoded picture that is still
// at least w x h px, which is what browsers scale down from. Levels are made once
// and shared: do not write to them.
//
// A level is not made from the one above it: the rasterizer keeps a chain of
// halves, takes the one half a level before the wanted size (log2 of the mean
// scale, less 0.5, rounded down) and blends that to the size. For even sides it
// is all the same. See docs/RATIONALE.md, "How was scaling matched?".
func (f *File) Level(w, h float64) (*image.RGBA, error) {
	img, err := f.Pixels()
	if err != nil {
		return nil, err
	}
	f.lmu.Lock()
	defer f.lmu.Unlock()
	n, lw, lh := 0, img.Rect.Dx(), img.Rect.Dy()
	for lw > 1 || lh > 1 {
		nw, nh := max(lw/2, 1), max(lh/2, 1)
		if float64(nw) < w || float64(nh) < h {
			break
		}
		n, lw, lh = n+1, nw, nh
	}
	if n == 0 {
		return img, nil
	}
	if l, ok := f.levels[n]; ok {
		return l, nil
	}
	half := f.half(img, float64(lw)/float64(img.Rect.Dx()), float64(lh)/float64(img.Rect.Dy()))
	if f.levels == nil {
		f.levels = map[int]*image.RGBA{}
	}
	f.levels[n] = blended(half, lw, lh)
	return f.levels[n], nil
}

// Half returns the picture of the chain of halves that a rasterizer takes to draw
// at a scale (below 1 is smaller): what pictures inside patterns, and turned ones,
// are drawn from. It is shared: do not write to it.
func (f *File) Half(sx, sy float64) (*image.RGBA, error) {
	img, err := f.Pixels()
	if err != nil {
		return nil, err
	}
	f.lmu.Lock()
	defer f.lmu.Unlock()
	return f.half(img, sx, sy), nil
}

// half is Half of the decoded picture, with the lock held.
func (f *File) half(img *image.RGBA, sx, sy float64) *image.RGBA {
	if !(sx > 0) || !(sy > 0) {
		return img
	}
	n := int(math.Floor(-math.Log2(math.Sqrt(sx*sy)) - 0.5))
	for i := range max(n, 0) {
		if img.Rect.Dx() == 1 && img.Rect.Dy() == 1 {
			break
		}
		if i == len(f.halves) {
			f.halves = append(f.halves, halve(img))
		}
		img = f.halves[i]
	}
	return img
}
