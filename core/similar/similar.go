// Package similar tells how a picture looks beside the ideal, both as they are shown: how much
// people see on the whole, and where it is worst.
//
//	ref := similar.To(ideal, 2)      // shown at two device px per CSS px
//	look := ref.Look(coded)
//	look.Worst <= similar.Unseen.Worst // no place where a difference is seen
//
// Both pictures are answered as the eye answers to light, in brightness and two colours, and taken
// apart by the size of detail (bands.go). In cells of 4 x 4 px the difference is summed by kinds:
// by size, along lines (edges, rings, blocks, thin strings), and detail that was lost or came new
// whatever its phase (grain). What is busy hides a share; a calm cell beside it hides none, so that
// rings round a kite in the sky and steps of a sky count in full. Cells are pooled by their cube
// over all, and over the worst 64 px.
//
// What each kind weighs was fitted to two public measures on codings of photographs: see
// docs/SIMILARITY.md for the figures and docs/RATIONALE.md, "How is quality judged?", for reasons.
// Sources: Watson and Solomon, Model of visual contrast gain control and pattern masking, 1997
// (bands, masking by neighbours, pooling by powers); Alakuijala and others, Guetzli:
// Perceptually guided JPEG encoder, 2017 (what codings do to pictures, and the unit: 1 is where
// most people just see it).
package similar

import (
	"image"
	"math"

	"tourmaline/core/work"
)

// Reference is an ideal picture, taken apart. Its methods are safe in parallel.
type Reference struct {
	w, h  int
	ideal seen
	fine  [2]plane // the finest bands of its brightness
	// energies of those, over 3 x 3 cells
	detail [2]cells
	// what a cell shows of fine and of coarse differences, 0..1, where people look most more
	shows   [2]cells
	weights [parts]float32
}

// Care is a part of the picture, px, that people look at more: differences count Weight times.
type Care struct {
	At     image.Rectangle
	Weight float64
}

// Differences are hidden by detail of the same strength, which is that of the answer: fine ones
// where neighbours differ by about this much, coarse ones a little sooner.
const (
	hidesFine   = 3.45
	hidesCoarse = 1.77
)

// To takes the ideal picture, as it is shown at density device px per CSS px.
// Alpha is not looked at: give what is seen.
func To(ideal *image.RGBA, density float64, care ...Care) *Reference {
	r := &Reference{w: ideal.Rect.Dx(), h: ideal.Rect.Dy(), ideal: look(ideal), weights: weightsAt(density)}
	b := plane{r.w, r.h, append([]float32(nil), r.ideal.bright.v...)}.bands(3)
	busy := newCells(r.w, r.h)
	for i := range min(len(b), 2) {
		r.fine[i] = b[i]
		e := newCells(r.w, r.h).energy(b[i], i)
		r.detail[i] = e.spread()
		for k, v := range e.v {
			busy.v[k] += v
		}
	}
	// The calmest neighbour tells: an edge hides little of what lies beside it.
	busy = busy.least().spread()
	r.shows = [2]cells{newCells(r.w, r.h), newCells(r.w, r.h)}
	for k, v := range busy.v {
		m := float32(math.Sqrt(float64(v)))
		for i, hides := range [2]float32{hidesFine, hidesCoarse} {
			s := 1 / (1 + m/hides)
			r.shows[i].v[k] = s * s
		}
	}
	r.heed(care)
	return r
}

// heed makes differences count more where people look most; where cares overlap, the greatest.
func (r *Reference) heed(care []Care) {
	if len(care) == 0 {
		return
	}
	c := r.shows[0]
	for y := range c.h {
		for x := range c.w {
			weight := 1.0
			for _, a := range care {
				if image.Rect(x*side, y*side, (x+1)*side, (y+1)*side).Overlaps(a.At) {
					weight = max(weight, a.Weight)
				}
			}
			for i := range r.shows {
				r.shows[i].v[y*c.w+x] *= float32(weight * weight)
			}
		}
	}
}

// Look is how a picture looks beside the ideal. 1 is where most people just see a difference;
// 0 is none.
type Look struct {
	Mean  float64 // over the whole picture
	Worst float64 // over the 64 px where it is greatest
}

// Look tells how a picture of the same size looks. One of another size looks infinitely bad.
func (r *Reference) Look(img *image.RGBA) Look {
	if img.Rect.Dx() != r.w || img.Rect.Dy() != r.h {
		return Look{math.Inf(1), math.Inf(1)}
	}
	return pool(r.differences(img, nil))
}

// Blue tells how a picture of the same size looks, and the share of blue in what is seen of that, 0..1.
func (r *Reference) Blue(img *image.RGBA) (Look, float64) {
	blue := newCells(r.w, r.h)
	cubes := r.differences(img, blue.v)
	some, all := 0.0, 0.0
	for i, v := range cubes.v {
		some, all = some+float64(v*blue.v[i]), all+float64(v)
	}
	if all > 0 {
		some /= all
	}
	return pool(cubes), some
}

// differences are those of each cell, cubed; blue takes the share of blue in each where it is not nil.
func (r *Reference) differences(img *image.RGBA, blue []float32) cells {
	kinds := r.kinds(img)
	out := newCells(r.w, r.h)
	work.Rows(out.h, parts*out.w, func(from, to int) {
		for i := from * out.w; i < to*out.w; i++ {
			var sum [2]float32
			for k := range kinds {
				if kinds[k].v != nil {
					sum[coarse[k]] += r.weights[k] * kinds[k].v[i]
				}
			}
			all := sum[0]*r.shows[0].v[i] + sum[1]*r.shows[1].v[i]
			d := math.Sqrt(float64(all))
			out.v[i] = float32(d * d * d)
			if blue == nil || all == 0 {
				continue
			}
			for k := blue1; k <= blue4; k++ {
				if kinds[k].v != nil {
					blue[i] += r.weights[k] * kinds[k].v[i] * r.shows[coarse[k]].v[i] / all
				}
			}
		}
	})
	return out
}

// block is the side of the places of which the worst is sought, in cells.
const block = 64 / side

// Place is 64 x 64 px, or less at the edge, and how great the difference is there.
type Place struct {
	At         image.Rectangle
	Difference float64
}

// Places are the places of a picture, which overlap by half, in rows.
func (r *Reference) Places(img *image.RGBA) []Place {
	if img.Rect.Dx() != r.w || img.Rect.Dy() != r.h {
		return nil
	}
	_, out := places(r.differences(img, nil))
	for i := range out {
		out[i].At = out[i].At.Intersect(image.Rect(0, 0, r.w, r.h))
	}
	return out
}

// places are the means of blocks, and the sum of all.
func places(cubes cells) (total float64, out []Place) {
	// Sums of half blocks, of which four make a block.
	const half = block / 2
	w, h := (cubes.w+half-1)/half, (cubes.h+half-1)/half
	sums, counts := make([]float64, w*h), make([]int, w*h)
	for y := range cubes.h {
		for x, v := range cubes.v[y*cubes.w:][:cubes.w] {
			sums[y/half*w+x/half] += float64(v)
			counts[y/half*w+x/half]++
		}
	}
	for _, s := range sums {
		total += s
	}
	for y := range max(h-1, 1) {
		for x := range max(w-1, 1) {
			s, n := 0.0, 0
			for j := y; j < min(y+2, h); j++ {
				for i := x; i < min(x+2, w); i++ {
					s, n = s+sums[j*w+i], n+counts[j*w+i]
				}
			}
			if n >= block*block/2 || n == len(cubes.v) { // a sliver at the edge is no place of its own
				at := image.Rect(x, y, x+2, y+2)
				at.Min, at.Max = at.Min.Mul(half*side), at.Max.Mul(half*side)
				out = append(out, Place{at, math.Cbrt(s / float64(n))})
			}
		}
	}
	return total, out
}

// pool is the mean of all cells and the greatest of the places.
func pool(cubes cells) Look {
	total, at := places(cubes)
	mean := math.Cbrt(total / float64(max(len(cubes.v), 1)))
	l := Look{mean, mean}
	for _, p := range at {
		l.Worst = max(l.Worst, p.Difference)
	}
	return l
}

// kinds are the differences of each cell, by kind.
func (r *Reference) kinds(img *image.RGBA) (out [parts]cells) {
	d := look(img).minus(r.ideal)
	for l, p := range d.bright.bands(levels) {
		out[bright0+l] = newCells(r.w, r.h).energy(p, l)
		if l < 3 {
			out[line0+l] = newCells(r.w, r.h).energy(p.lines(), l)
		}
		if l < len(r.fine) && r.fine[l].v != nil {
			for i, v := range r.fine[l].v {
				p.v[i] += v
			}
			out[lost0+l], out[new0+l] = changed(r.detail[l], newCells(r.w, r.h).energy(p, l).spread())
		}
	}
	for l, p := range d.red.bands(levels) {
		out[red0+l] = newCells(r.w, r.h).energy(p, l)
	}
	for l, p := range d.blue.bands(levels - 1) {
		out[blue1+l] = newCells(r.w, r.h).energy(p, l+1)
	}
	return out
}

// changed is how much less and how much more detail there is than there was.
func changed(was, is cells) (lost, more cells) {
	lost, more = cells{was.w, was.h, make([]float32, len(was.v))}, cells{was.w, was.h, make([]float32, len(was.v))}
	for i := range was.v {
		v := float32(math.Sqrt(float64(was.v[i])) - math.Sqrt(float64(is.v[i])))
		if v > 0 {
			lost.v[i] = v * v
		} else {
			more.v[i] = v * v
		}
	}
	return lost, more
}
