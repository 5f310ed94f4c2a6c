package picture

import (
	"image"
	"math"

	"tourmaline/core/work"
)

// This file codes a JPEG anew: with flatter quantisation tables than the standard's, and each
// coefficient rounded to what it is worth in bits in this very picture. Sources: ITU T.81 (JPEG),
// annexes A.3 (DCT) and K.1, K.2 (the tables they come from); rounding by rate and distortion
// after Crouse and Ramchandran, Joint thresholding and quantizer selection for transform image
// coding, 1997.

// standard are the tables of T.81, K.1 and K.2, row by row.
var standard = [2][64]float64{{
	16, 11, 10, 16, 24, 40, 51, 61, 12, 12, 14, 19, 26, 58, 60, 55, 14, 13, 16, 24, 40, 57, 69, 56,
	14, 17, 22, 29, 51, 87, 80, 62, 18, 22, 37, 56, 68, 109, 103, 77, 24, 35, 55, 64, 81, 104, 113, 92,
	49, 64, 78, 87, 103, 121, 120, 101, 72, 92, 95, 98, 112, 100, 103, 99,
}, {
	17, 18, 24, 47, 99, 99, 99, 99, 18, 21, 26, 66, 99, 99, 99, 99, 24, 26, 56, 99, 99, 99, 99, 99,
	47, 66, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99,
	99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99,
}}

// zigzag is where the coefficients of a file lie in a block, T.81, figure A.6.
var zigzag = [64]int{
	0, 1, 8, 16, 9, 2, 3, 10, 17, 24, 32, 25, 18, 11, 4, 5, 12, 19, 26, 33, 40, 48, 41, 34, 27, 20, 13, 6, 7, 14,
	21, 28, 35, 42, 49, 56, 57, 50, 43, 36, 29, 22, 15, 23, 30, 37, 44, 51, 58, 59, 52, 45, 38, 31, 39, 46, 53, 60,
	61, 54, 47, 55, 62, 63,
}

// scaled is the step of a table's entry at a quality, 1 to 100, as coders commonly count it.
func scaled(entry float64, quality int) float64 {
	k := 200 - 2*float64(quality)
	if quality < 50 {
		k = 5000 / float64(max(quality, 1))
	}
	return min(max(entry*k/100, 1), 255)
}

// coefficients are the transformed blocks of one channel.
type coefficients struct {
	stride, height int
	blocks         [][64]float32 // in the order of the file
}

// tables says what a JPEG's quantisation tables are like. The zero value is the standard's.
type tables struct {
	flat   float64 // 0 as the standard's, 1 the same step for all frequencies
	colour float64 // how much finer colours are coded than with the standard's: 0 alike, 1 twice
	full   bool    // colours keep their size: thin coloured lines stay sharp
	frugal float64 // how far values are rounded down where that saves bits: 0 not at all
}

// Tables that give the lightest files at an equal look: see docs/RATIONALE.md, "How is JPEG coded?".
var (
	halfColour = tables{flat: 0.6, colour: 0.6, frugal: 0.06}
	fullColour = tables{flat: 0.6, frugal: 0.1, full: true}
)

// table is the steps of brightness or of the colours at a quality, in the order of the file.
func (t *tables) table(which, quality int) (out [64]int) {
	for z, i := range zigzag {
		v := standard[which][i]
		v = v * math.Pow(standard[which][0]/v, t.flat)
		if which == 1 {
			v /= 1 + t.colour
		}
		out[z] = int(scaled(v, quality) + 0.5)
	}
	return out
}

// fitted codes an opaque picture as JPEG; plain is the same px in one scan, which are decoded sooner.
func fitted(img *image.RGBA, quality int, t *tables) (file, plain []byte) {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	j := &jpegFile{width: w, height: h}
	sub := 2
	if t.full {
		sub = 1
	}
	channels := []coefficients{transform(luma(img), 8*sub)}
	j.comps = []jpegComp{{id: 1, h: sub, v: sub}}
	if _, grey := gray(img); grey {
		channels[0] = transform(luma(img), 8)
		j.comps[0].h, j.comps[0].v = 1, 1
	} else {
		for i := range 2 {
			channels = append(channels, transform(chromaOf(img, i, sub), 8))
			j.comps = append(j.comps, jpegComp{id: i + 2, h: 1, v: 1, tq: 1})
		}
	}
	up := func(a, b int) int { return (a + b - 1) / b }
	for i := range channels {
		c, from := &j.comps[i], &channels[i]
		cw, ch := w, h
		if i > 0 {
			cw, ch = up(w, sub), up(h, sub)
		}
		c.across, c.down, c.stride, c.height = up(cw, 8), up(ch, 8), from.stride, from.height
	}
	// The colours share a table.
	for which := range min(len(channels), 2) {
		group := channels[:1]
		if which == 1 {
			group = channels[1:]
		}
		table := t.table(which, quality)
		body := make([]byte, 65)
		body[0] = byte(which)
		for z, q := range table {
			body[z+1] = byte(q)
		}
		j.quant = append(j.quant, body)
		var bits [64]costs
		if t.frugal > 0 {
			bits = costsOf(&table, group)
		}
		for i := range group {
			j.comps[which+i].blocks = group[i].rounded(&table, &bits, t.frugal)
		}
	}
	file, plain = j.write(j.progressive()), j.write(j.sequential())
	if len(file) < len(plain) {
		return file, plain
	}
	return plain, plain
}

// luma is the brightness of a picture, JFIF's Y less 128.
func luma(img *image.RGBA) samples {
	s := newSamples(img.Rect.Dx(), img.Rect.Dy())
	work.Rows(s.h, s.w, func(from, to int) {
		for y := from; y < to; y++ {
			p, out := img.Pix[y*img.Stride:], s.v[y*s.w:][:s.w]
			for x := range out {
				out[x] = 0.299*float32(p[4*x]) + 0.587*float32(p[4*x+1]) + 0.114*float32(p[4*x+2]) - 128
			}
		}
	})
	return s
}

// chromaOf is a colour difference, JFIF's Cb or Cr less 128, a mean over sub x sub px.
func chromaOf(img *image.RGBA, which, sub int) samples {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	k := [2][3]float32{{-0.168736, -0.331264, 0.5}, {0.5, -0.418688, -0.081312}}[which]
	s := newSamples((w+sub-1)/sub, (h+sub-1)/sub)
	work.Rows(s.h, s.w*sub*sub, func(from, to int) {
		for y := from; y < to; y++ {
			done := 0
			if sub == 2 && 2*y+1 < h {
				done = w / 2
				halfRow(s.v[y*s.w:][:done], img.Pix[2*y*img.Stride:], img.Pix[(2*y+1)*img.Stride:], &k)
			}
			for x := done; x < s.w; x++ {
				sum := float32(0)
				for j := range sub {
					for i := range sub {
						p := img.Pix[min(y*sub+j, h-1)*img.Stride+4*min(x*sub+i, w-1):][:3]
						sum += k[0]*float32(p[0]) + k[1]*float32(p[1]) + k[2]*float32(p[2])
					}
				}
				s.v[y*s.w+x] = sum / float32(sub*sub)
			}
		}
	})
	return s
}

// halfRow is a row of colour differences, each of four px of two rows.
func halfRow(out []float32, above, below []uint8, k *[3]float32) {
	above, below = above[:8*len(out)], below[:8*len(out)]
	for x := range out {
		a, b := above[8*x:8*x+8:8*x+8], below[8*x:8*x+8:8*x+8]
		sum := k[0]*float32(a[0]) + k[1]*float32(a[1]) + k[2]*float32(a[2])
		sum += k[0]*float32(a[4]) + k[1]*float32(a[5]) + k[2]*float32(a[6])
		sum += k[0]*float32(b[0]) + k[1]*float32(b[1]) + k[2]*float32(b[2])
		sum += k[0]*float32(b[4]) + k[1]*float32(b[5]) + k[2]*float32(b[6])
		out[x] = sum / 4
	}
}

type samples struct {
	w, h int
	v    []float32
}

func newSamples(w, h int) samples { return samples{w, h, make([]float32, w*h)} }

// cosines are those of the transform, T.81, A.3.3: cosines[u][x].
var cosines [8][8]float32

func init() {
	for u := range 8 {
		for x := range 8 {
			c := 0.5 * math.Cos(float64(2*x+1)*float64(u)*math.Pi/16)
			if u == 0 {
				c /= math.Sqrt2
			}
			cosines[u][x] = float32(c)
		}
	}
}

// transform cuts samples into blocks, whole units of so many px, and transforms them.
func transform(s samples, unit int) coefficients {
	c := coefficients{stride: (s.w + unit - 1) / unit * unit / 8, height: (s.h + unit - 1) / unit * unit / 8}
	c.blocks = make([][64]float32, c.stride*c.height)
	work.Rows(c.height, 64*c.stride, func(from, to int) {
		for by := from; by < to; by++ {
			for bx := range c.stride {
				var in [64]float32
				for y := range 8 {
					row := s.v[min(8*by+y, s.h-1)*s.w:][:s.w]
					if 8*bx+8 <= s.w {
						copy(in[8*y:8*y+8], row[8*bx:])
						continue
					}
					for x := range 8 {
						in[8*y+x] = row[min(8*bx+x, s.w-1)]
					}
				}
				c.blocks[by*c.stride+bx] = dct(&in)
			}
		}
	})
	return c
}

// dct transforms a block; the result is in the order of the file.
func dct(in *[64]float32) (out [64]float32) {
	var half [64]float32 // rows are transformed
	for y := range 8 {
		r := in[8*y : 8*y+8 : 8*y+8]
		// Even cosines meet the sums of opposite samples, odd ones the differences.
		var sum, dif [4]float32
		for x := range 4 {
			sum[x], dif[x] = r[x]+r[7-x], r[x]-r[7-x]
		}
		for u := range 8 {
			k, v := &cosines[u], &sum
			if u%2 == 1 {
				v = &dif
			}
			half[8*y+u] = k[0]*v[0] + k[1]*v[1] + k[2]*v[2] + k[3]*v[3]
		}
	}
	var flat [64]float32
	for u := range 8 {
		var sum, dif [4]float32
		for y := range 4 {
			a, b := half[8*y+u], half[8*(7-y)+u]
			sum[y], dif[y] = a+b, a-b
		}
		for v := range 8 {
			k, s := &cosines[v], &sum
			if v%2 == 1 {
				s = &dif
			}
			flat[8*v+u] = k[0]*s[0] + k[1]*s[1] + k[2]*s[2] + k[3]*s[3]
		}
	}
	for z, i := range zigzag {
		out[z] = flat[i]
	}
	return out
}

// mostCounted is the largest value that is counted by itself.
const mostCounted = 15

// costs are the bits of a frequency's values 0 to mostCounted, by how often they come; larger ones
// cost two more for each doubling.
type costs [mostCounted + 1]float64

func (c *costs) of(n int) float64 {
	if n <= mostCounted {
		return c[n]
	}
	return c[mostCounted] + 2*math.Log2(float64(n)/mostCounted)
}

// counted makes costs of how often each value came.
func counted(often *[mostCounted + 1]int) (c costs) {
	all := 0.5 * float64(len(often))
	for _, n := range often {
		all += float64(n)
	}
	for n := range often {
		c[n] = math.Log2(all / (float64(often[n]) + 0.5))
		if n > 0 {
			c[n]++ // its sign
		}
	}
	return c
}

// costsOf counts how often each value comes of each frequency, in some thousands of blocks.
func costsOf(table *[64]int, group []coefficients) (out [64]costs) {
	const enough = 4000
	var often [64][mostCounted + 1]int
	for _, c := range group {
		step := max(len(c.blocks)/enough, 1)
		for b := 0; b < len(c.blocks); b += step {
			for z, v := range c.blocks[b] {
				n := int(math.Abs(float64(v))/float64(table[z]) + 0.5)
				often[z][min(n, mostCounted)]++
			}
		}
	}
	for z := range out {
		out[z] = counted(&often[z])
	}
	return out
}

// rounded quantises blocks: what is nearer to a smaller value than its bits are worth, in squared
// steps, is given that value.
func (c *coefficients) rounded(table *[64]int, bits *[64]costs, worth float64) []block {
	out := make([]block, len(c.blocks))
	var nothing [64]float32 // less comes to 0
	for z, step := range table {
		nothing[z] = 0.49 * float32(step)
	}
	work.Rows(c.height, 64*c.stride, func(from, to int) {
		for b := from * c.stride; b < to*c.stride; b++ {
			for z, v := range &c.blocks[b] {
				if v < nothing[z] && v > -nothing[z] {
					continue
				}
				v := float64(v) / float64(table[z])
				n := int(math.Abs(v) + 0.5)
				if z > 0 && n > 0 && worth > 0 {
					far, near := math.Abs(v)-float64(n-1), math.Abs(v)-float64(n)
					if far*far-near*near < worth*(bits[z].of(n)-bits[z].of(n-1)) {
						n--
					}
				}
				if v < 0 {
					n = -n
				}
				out[b][z] = int16(n)
			}
		}
	})
	return out
}
