package picture

import (
	"image"

	"tourmaline/core/work"
)

// halve returns the next level of a picture: half the size, rounded down but at
// least 1, as the mean of 2x2 px, or 1-2-1 weights across an odd side.
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
				o[0], o[1], o[2], o[3] = uint8(acc[0]>>shift), uint8(acc[1]>>shift), uint8(acc[2]>>shift), uint8(acc[3]>>shift)
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

// Level returns the smallest half-size level of the decoded picture that is still
// at least w x h px, which is what browsers scale down from. Levels are made once
// and shared: do not write to them.
func (f *File) Level(w, h float64) (*image.RGBA, error) {
	img, err := f.Pixels()
	if err != nil {
		return nil, err
	}
	f.lmu.Lock()
	defer f.lmu.Unlock()
	for n := 0; ; n++ {
		nw, nh := max(img.Rect.Dx()/2, 1), max(img.Rect.Dy()/2, 1)
		if float64(nw) < w || float64(nh) < h || img.Rect.Dx() == 1 && img.Rect.Dy() == 1 {
			return img, nil
		}
		if n == len(f.levels) {
			f.levels = append(f.levels, halve(img))
		}
		img = f.levels[n]
	}
}
