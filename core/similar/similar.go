// Package similar tells how alike two pictures look: the coded one and the ideal,
// both as they are shown.
//
//	ref := similar.To(ideal, 2)        // shown at two device px per CSS px
//	ref.Score(coded)                   // 100: no difference; 95: none that is found by looking
//
// It is structural similarity (Wang and others, Image Quality Assessment, 2004, and
// its multi-scale form, 2003) on brightness and, with less weight, on the two colour
// differences, in windows of 8 x 8 px that overlap by half, at four scales. It differs
// in three points: a shift of a window's mean counts by its size in levels, not by its
// ratio, which would not see lost colour or blocks in a bright sky; scales are weighed by how
// large their detail is in CSS px, not in
// device px, since three device px to a CSS px hide what one shows; and windows are
// pooled by the root of their mean squared loss, so that one damaged part is not
// hidden by a large calm sky. See docs/RATIONALE.md, "How is quality judged?".
package similar

import (
	"image"
	"math"

	"tourmaline/core/work"
)

const scales = 4

// Reference is an ideal picture, taken apart. Its methods are safe in parallel.
type Reference struct {
	w, h    int
	density float64
	luma    [scales]plane
	blue    [scales - 1]plane // from half size on
	red     [scales - 1]plane
}

// plane is one channel at one scale, 0..255.
type plane struct {
	w, h int
	v    []float32
}

// To takes the ideal picture, as it is shown at density device px per CSS px.
// Alpha is not looked at: give what is seen.
func To(ideal *image.RGBA, density float64) *Reference {
	r := &Reference{w: ideal.Rect.Dx(), h: ideal.Rect.Dy(), density: density}
	r.luma, r.blue, r.red = apart(ideal)
	return r
}

// apart makes the planes of a picture. Colour differences are those of JFIF, which
// every codec here uses.
func apart(img *image.RGBA) (luma [scales]plane, blue, red [scales - 1]plane) {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	hw, hh := max(w/2, 1), max(h/2, 1)
	y0 := plane{w, h, make([]float32, w*h)}
	b0, r0 := plane{hw, hh, make([]float32, hw*hh)}, plane{hw, hh, make([]float32, hw*hh)}
	work.Rows((h+1)/2, 2*w, func(from, to int) {
		for half := from; half < to; half++ {
			for y := 2 * half; y < min(2*half+2, h); y++ {
				row := img.Pix[y*img.Stride:][:4*w]
				out := y0.v[y*w:][:w]
				for x := range out {
					p := row[4*x : 4*x+3]
					out[x] = 0.299*float32(p[0]) + 0.587*float32(p[1]) + 0.114*float32(p[2])
				}
			}
			if half >= hh {
				continue
			}
			for x := range hw {
				var s [3]float32
				for j := range 2 {
					for i := range 2 {
						p := img.Pix[min(2*half+j, h-1)*img.Stride+4*min(2*x+i, w-1):][:3]
						s[0] += float32(p[0])
						s[1] += float32(p[1])
						s[2] += float32(p[2])
					}
				}
				s[0], s[1], s[2] = s[0]/4, s[1]/4, s[2]/4
				b0.v[half*hw+x] = 128 - 0.168736*s[0] - 0.331264*s[1] + 0.5*s[2]
				r0.v[half*hw+x] = 128 + 0.5*s[0] - 0.418688*s[1] - 0.081312*s[2]
			}
		}
	})
	luma[0], blue[0], red[0] = y0, b0, r0
	for i := 1; i < scales; i++ {
		luma[i] = luma[i-1].half()
		if i < scales-1 {
			blue[i], red[i] = blue[i-1].half(), red[i-1].half()
		}
	}
	return
}

// half is the plane with 2 x 2 px to one.
func (p plane) half() plane {
	q := plane{w: max(p.w/2, 1), h: max(p.h/2, 1)}
	q.v = make([]float32, q.w*q.h)
	for y := range q.h {
		a, b := p.v[2*y*p.w:][:p.w], p.v[min(2*y+1, p.h-1)*p.w:][:p.w]
		for x := range q.w {
			i, j := 2*x, min(2*x+1, p.w-1)
			q.v[y*q.w+x] = (a[i] + a[j] + b[i] + b[j]) / 4
		}
	}
	return q
}

// weight of a scale whose px are size CSS px large: detail of about a CSS px counts
// most, finer detail soon nothing, coarser detail less and less.
func weight(size float64) float64 {
	u := math.Log2(size)
	if u < 0 {
		return math.Pow(0.4, -u)
	}
	return math.Pow(0.7, u)
}

// spread makes the scores that matter lie between 80 and 100.
const spread = 5

// colourShare is what the colour differences count against brightness.
const colourShare = 0.25

// Score tells how alike a picture of the same size looks, up to 100; it falls without
// end for what is worse than unrelated. Pictures of other sizes give 0.
func (r *Reference) Score(img *image.RGBA) float64 {
	if img.Rect.Dx() != r.w || img.Rect.Dy() != r.h {
		return 0
	}
	luma, blue, red := apart(img)
	loss, total := 0.0, 0.0
	for i := range scales {
		size := math.Pow(2, float64(i)) / r.density
		w, f := weight(size), floor(size)
		loss += w * r.luma[i].loss(luma[i], f)
		total += w
		if i > 0 {
			loss += w * colourShare * (r.blue[i-1].loss(blue[i-1], f) + r.red[i-1].loss(red[i-1], f)) / 2
			total += w * colourShare
		}
	}
	return 100 - spread*100*loss/total
}

// floor is the variance, of values 0..255, that is not seen in px that are size CSS
// px large. It is the constant that keeps structural similarity from dividing by
// nothing, (0.03 * 255)², and grows for px smaller than two: grain that fine is seen
// only when it is strong.
func floor(size float64) float64 { return 58.5225 * max(1, 2/size) }

// cell is the sums over 4 x 4 px of a pair of planes.
type cell struct{ n, a, b, aa, bb, ab float32 }

// loss is the root of the mean of (1 - SSIM)² over all windows.
func (p plane) loss(q plane, floor float64) float64 {
	across, down := (p.w+3)/4, (p.h+3)/4
	if across == 0 || down == 0 {
		return 0
	}
	cells := make([]cell, across*down)
	work.Rows(down, 16*across, func(from, to int) {
		for y := from; y < to; y++ {
			for py := 4 * y; py < min(4*y+4, p.h); py++ {
				ra, rb := p.v[py*p.w:][:p.w], q.v[py*p.w:][:p.w]
				for x := range across {
					c := &cells[y*across+x]
					end := min(4*x+4, p.w)
					for i := 4 * x; i < end; i++ {
						// Around the middle: sums of squares stay exact.
						a, b := ra[i]-128, rb[i]-128
						c.a += a
						c.b += b
						c.aa += a * a
						c.bb += b * b
						c.ab += a * b
					}
					c.n += float32(end - 4*x)
				}
			}
		}
	})
	total, windows := 0.0, 0
	for y := range max(down-1, 1) {
		for x := range max(across-1, 1) {
			var s cell
			for j := y; j <= min(y+1, down-1); j++ {
				for i := x; i <= min(x+1, across-1); i++ {
					c := &cells[j*across+i]
					s.n += c.n
					s.a += c.a
					s.b += c.b
					s.aa += c.aa
					s.bb += c.bb
					s.ab += c.ab
				}
			}
			n := float64(s.n)
			ma, mb := float64(s.a)/n, float64(s.b)/n
			va, vb := max(float64(s.aa)/n-ma*ma, 0), max(float64(s.bb)/n-mb*mb, 0)
			cov := float64(s.ab)/n - ma*mb
			ssim := floor / ((ma-mb)*(ma-mb) + floor) * (2*cov + floor) / (va + vb + floor)
			total += (1 - ssim) * (1 - ssim)
			windows++
		}
	}
	return math.Sqrt(total / float64(windows))
}
