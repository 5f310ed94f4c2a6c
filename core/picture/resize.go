package picture

import (
	"image"
	"math"

	"tourmaline/core/work"
)

// Part is a part of a picture in px, not rounded: what a file is made from.
type Part struct{ X, Y, W, H float64 }

// Whole is the window of all of a picture.
func Whole(img *image.RGBA) Part {
	return Part{0, 0, float64(img.Rect.Dx()), float64(img.Rect.Dy())}
}

// Scaling says how Scale makes a picture smaller. The zero value is for a picture
// that stands alone and is not sharpened.
type Scaling struct {
	Wrap    bool    // it repeats: filtering goes on across its edges, so that they go on matching
	Sharpen float64 // 0 to 1: how much of the detail finer than a px's neighbours is added again
}

// Scale returns a part of a picture at a size in px, filtered in linear light with
// alpha premultiplied, so that fine bright detail keeps its brightness and no
// colour of transparent px shows. The filter is the Catmull-Rom cubic, as wide as
// the step between new px. At the picture's own size it returns img itself.
// See docs/RATIONALE.md, "Why is scaling done in linear light?".
func Scale(img *image.RGBA, win Part, size image.Point, o Scaling) *image.RGBA {
	w, h := size.X, size.Y
	sw, sh := img.Rect.Dx(), img.Rect.Dy()
	if win == Whole(img) && sw == w && sh == h {
		return img
	}
	dst := image.NewRGBA(image.Rect(0, 0, w, h))
	opaque := !HasAlpha(img)
	cols := columns{taps(win.X, win.W, w, sw, o.Wrap), o.Wrap, opaque}
	rows := taps(win.Y, win.H, h, sh, o.Wrap)
	store := storeRow
	if opaque {
		store = storeOpaque
	}
	work.Rows(h, 4*w, func(y0, y1 int) {
		line := make([][4]float32, sw)
		kept := map[int][][4]float32{} // source rows, scaled across
		var free [][][4]float32        // rows that are needed no more
		sum := make([][4]float32, w)
		for y := y0; y < y1; y++ {
			r := &rows[y]
			clear(sum)
			for i, k := range r.weight {
				at := r.at(i, sh, o.Wrap)
				row := kept[at]
				if row == nil {
					if n := len(free); n > 0 {
						row, free = free[n-1], free[:n-1]
					} else {
						row = make([][4]float32, w)
					}
					lightRow(line, img.Pix[at*img.Stride:][:4*sw])
					cols.across(row, line)
					kept[at] = row
				}
				row = row[:len(sum)]
				if opaque {
					for x := range sum {
						s, d := &row[x], &sum[x]
						d[0] += k * s[0]
						d[1] += k * s[1]
						d[2] += k * s[2]
					}
					continue
				}
				for x := range sum {
					s, d := &row[x], &sum[x]
					d[0] += k * s[0]
					d[1] += k * s[1]
					d[2] += k * s[2]
					d[3] += k * s[3]
				}
			}
			store(dst.Pix[y*dst.Stride:][:4*w], sum)
			if y+1 < y1 && !o.Wrap {
				for at, row := range kept {
					if at < rows[y+1].from {
						free = append(free, row)
						delete(kept, at)
					}
				}
			}
		}
	})
	if o.Sharpen > 0 {
		return sharpen(dst, o.Sharpen)
	}
	return dst
}

// tap is the source px of one new px: consecutive ones from from, with weights that
// add up to 1.
type tap struct {
	from   int
	weight []float32
}

func (t *tap) at(i, n int, wrap bool) int {
	p := t.from + i
	if wrap {
		if p %= n; p < 0 {
			p += n
		}
		return p
	}
	return min(max(p, 0), n-1)
}

// taps of n new px over length source px from start, of all source px there are.
func taps(start, length float64, n, all int, wrap bool) []tap {
	out := make([]tap, n)
	step := length / float64(n)
	width := max(step, 1) // of the filter's unit; never enlarged in practice
	for i := range out {
		centre := start + (float64(i)+0.5)*step - 0.5
		from, to := int(math.Ceil(centre-2*width)), int(math.Floor(centre+2*width))
		if !wrap {
			// Weights of px beyond the edge go to the px at the edge.
			from, to = min(max(from, 0), all-1), max(min(to, all-1), 0)
		}
		t := tap{from: from, weight: make([]float32, to-from+1)}
		total := 0.0
		for p := int(math.Ceil(centre - 2*width)); p <= int(math.Floor(centre+2*width)); p++ {
			k := cubic((float64(p) - centre) / width)
			total += k
			t.weight[min(max(p, from), to)-from] += float32(k)
		}
		for j := range t.weight {
			t.weight[j] /= float32(total)
		}
		out[i] = t
	}
	return out
}

// cubic is the Catmull-Rom spline, 0 from 2 on.
func cubic(x float64) float64 {
	x = math.Abs(x)
	switch {
	case x < 1:
		return (1.5*x-2.5)*x*x + 1
	case x < 2:
		return ((-0.5*x+2.5)*x-4)*x + 2
	}
	return 0
}

// columns are the taps of a row.
type columns struct {
	taps         []tap
	wrap, opaque bool
}

// across scales one row of light; of an opaque one alpha is left as it is.
func (c *columns) across(dst, src [][4]float32) {
	for x := range dst {
		t := &c.taps[x]
		var r, g, b, a float32
		if !c.wrap || t.from >= 0 && t.from+len(t.weight) <= len(src) {
			part := src[t.from:][:len(t.weight)]
			if c.opaque {
				for i, k := range t.weight {
					p := &part[i]
					r += k * p[0]
					g += k * p[1]
					b += k * p[2]
				}
				dst[x][0], dst[x][1], dst[x][2] = r, g, b
				continue
			}
			for i, k := range t.weight {
				p := &part[i]
				r += k * p[0]
				g += k * p[1]
				b += k * p[2]
				a += k * p[3]
			}
		} else {
			for i, k := range t.weight {
				p := &src[t.at(i, len(src), true)]
				r += k * p[0]
				g += k * p[1]
				b += k * p[2]
				a += k * p[3]
			}
		}
		dst[x] = [4]float32{r, g, b, a}
	}
}

var lightOf = func() (t [256]float32) {
	for i := range t {
		t[i] = float32(linear[i])
	}
	return
}()

// byteOf is the sRGB byte of light in 65535ths: finer than a byte everywhere.
var byteOf = func() *[65536]uint8 {
	var t [65536]uint8
	at := 0
	for b := range 256 { // up to the light halfway to the next byte
		end := 65536
		if v := (float64(b) + 0.5) / 255; b < 255 {
			end = int(math.Ceil(light(v) * 65535))
		}
		for ; at < end; at++ {
			t[at] = uint8(b)
		}
	}
	return &t
}()

func fromLight(v float32) uint8 {
	i := int32(v*65535 + 0.5)
	if uint32(i) > 65535 { // the filter overshoots
		i = min(max(i, 0), 65535)
	}
	return byteOf[i&65535]
}

// lightRow is a row of premultiplied sRGB as premultiplied light, all 0..1.
func lightRow(dst [][4]float32, src []uint8) {
	for x := range dst {
		p := src[4*x : 4*x+4]
		switch a := p[3]; a {
		case 255:
			dst[x] = [4]float32{lightOf[p[0]], lightOf[p[1]], lightOf[p[2]], 1}
		case 0:
			dst[x] = [4]float32{}
		default:
			k := float32(a) / 255
			s := func(v uint8) float32 { return lightOf[min((int(v)*255+int(a)/2)/int(a), 255)] * k }
			dst[x] = [4]float32{s(p[0]), s(p[1]), s(p[2]), k}
		}
	}
}

func storeRow(dst []uint8, src [][4]float32) {
	for x := range src {
		p, d := &src[x], dst[4*x:4*x+4]
		a := min(max(p[3], 0), 1)
		switch {
		case a >= 1-1.0/512:
			d[0], d[1], d[2], d[3] = fromLight(p[0]), fromLight(p[1]), fromLight(p[2]), 255
		case a < 1.0/512:
			d[0], d[1], d[2], d[3] = 0, 0, 0, 0
		default:
			ab := uint32(a*255 + 0.5)
			for c := range 3 {
				d[c] = MulDiv255(uint32(fromLight(p[c]/a)), ab)
			}
			d[3] = uint8(ab)
		}
	}
}

func storeOpaque(dst []uint8, src [][4]float32) {
	for x := range src {
		p, d := &src[x], dst[4*x:4*x+4:4*x+4]
		d[0], d[1], d[2], d[3] = fromLight(p[0]), fromLight(p[1]), fromLight(p[2]), 255
	}
}

// sharpen adds back what a 3 x 3 blur (1-2-1) takes away. It may go no further than
// the brightest and darkest neighbour by an eighth of their difference, so that no
// halo is seen.
func sharpen(src *image.RGBA, amount float64) *image.RGBA {
	w, h := src.Rect.Dx(), src.Rect.Dy()
	dst := image.NewRGBA(src.Rect)
	k := int(amount*256 + 0.5)
	work.Rows(h, w, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			rows := [3][]uint8{src.Pix[max(y-1, 0)*src.Stride:], src.Pix[y*src.Stride:],
				src.Pix[min(y+1, h-1)*src.Stride:]}
			for x := range w {
				xs := [3]int{4 * max(x-1, 0), 4 * x, 4 * min(x+1, w-1)}
				d := dst.Pix[y*dst.Stride+4*x:][:4]
				alpha := rows[1][xs[1]+3]
				for c := range 3 {
					blur, lo, hi := 0, 255, 0
					for j, row := range rows {
						for i, at := range xs {
							v := int(row[at+c])
							blur += v * (2 - max(j-1, 1-j)) * (2 - max(i-1, 1-i))
							lo, hi = min(lo, v), max(hi, v)
						}
					}
					v := int(rows[1][xs[1]+c])
					v += (k*(16*v-blur) + 2048) >> 12
					over := (hi - lo) / 8
					d[c] = uint8(min(max(v, lo-over, 0), hi+over, int(alpha)))
				}
				d[3] = alpha
			}
		}
	})
	return dst
}
