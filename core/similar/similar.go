// Package similar tells how a picture looks beside the ideal, both as they are shown: how much
// people see on the whole, and where it is worst.
//
//	ref := similar.To(ideal, 2)      // shown at two device px per CSS px
//	look := ref.Look(coded)
//	look.Worst <= similar.Unseen.Worst // no place where a difference is seen
//
// Both pictures are answered as the eye answers to light, in brightness and two colours, and taken
// apart by the size of detail (bands.go). In cells of 4 x 4 px the difference is summed by kinds:
// by size, along lines (edges, rings, blocks, thin strings), and detail that was lost whatever its
// phase (grain). Detail that came out stronger than it was, or at less than about half, counts more
// than detail that is a little softer. What is busy hides a share; a calm cell beside it hides none,
// so that rings round a kite in the sky and steps of a sky count in full. Cells are pooled by their
// cube and sixth power over all, and by their cube over the worst 64 px.
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
	"slices"

	"tourmaline/core/work"
)

// Reference is an ideal picture, taken apart. Its methods are safe in parallel.
type Reference struct {
	w, h  int
	ideal seen
	fine  [3]plane // the finest bands of its brightness
	// energies of the first, over 3 x 3 cells
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
// where neighbours differ by about this much, coarse ones sooner. The busiest detail leaves a share.
var hides = [2]float64{1.2, 0.6}

const leaves = 1. / 3

// To takes the ideal picture, as it is shown at density device px per CSS px.
// Alpha is not looked at: give what is seen.
func To(ideal *image.RGBA, density float64, care ...Care) *Reference {
	r := &Reference{w: ideal.Rect.Dx(), h: ideal.Rect.Dy(), ideal: look(ideal, nil), weights: weightsAt(density)}
	b := plane{r.w, r.h, slices.Clone(r.ideal.bright.v), nil}.bands(len(r.fine) + 1)
	var own *scratch
	busy := own.cells(r.w, r.h)
	for i := range min(len(b)-1, len(r.fine)) {
		r.fine[i] = b[i]
		if i == len(r.detail) {
			break
		}
		e := own.cells(r.w, r.h).energy(b[i], i)
		r.detail[i] = e.spread()
		for k, v := range e.v {
			busy.v[k] += v
		}
	}
	// The calmest neighbour tells: an edge hides little of what lies beside it.
	busy = busy.least().spread()
	r.shows = [2]cells{own.cells(r.w, r.h), own.cells(r.w, r.h)}
	for k, v := range busy.v {
		m := math.Sqrt(float64(v))
		for i, h := range hides {
			s := leaves + (1-leaves)/(1+m/h)
			r.shows[i].v[k] = float32(s * s)
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
	Wide  float64 // the part of Mean that hangs on all of the picture, not on its worst places
}

// Look tells how a picture of the same size looks. One of another size looks infinitely bad.
func (r *Reference) Look(img *image.RGBA) Look {
	return Joined([]Pool{r.Pool(img)}, []int{1})
}

// Pool is what is seen of a part of a picture, to be joined with other parts.
type Pool struct {
	cubes, sixths float64 // means over its cells
	worst         float64
}

// Pool tells what is seen of a picture of the same size.
func (r *Reference) Pool(img *image.RGBA) Pool {
	if img.Rect.Dx() != r.w || img.Rect.Dy() != r.h {
		return Pool{math.Inf(1), math.Inf(1), math.Inf(1)}
	}
	p, _ := r.pooled(img)
	return p
}

// PoolPlaces is Pool, and the places of a picture as Places has them.
func (r *Reference) PoolPlaces(img *image.RGBA) (Pool, []Place) {
	if img.Rect.Dx() != r.w || img.Rect.Dy() != r.h {
		return r.Pool(img), nil
	}
	p, out := r.pooled(img)
	for i := range out {
		out[i].At = out[i].At.Intersect(image.Rect(0, 0, r.w, r.h))
	}
	return p, out
}

func (r *Reference) pooled(img *image.RGBA) (p Pool, at []Place) {
	scratched(func(s *scratch) { p, at = pool(r.differences(img, s)) })
	return p, at
}

// Joined is the look of several parts of a picture together: sizes are their px. Its mean is that of
// the third and the sixth root of the means of such powers, so that a few bad places tell.
func Joined(pools []Pool, sizes []int) Look {
	var cubes, sixths, worst float64
	px := 0
	for i, o := range pools {
		cubes, sixths, px = cubes+o.cubes*float64(sizes[i]), sixths+o.sixths*float64(sizes[i]), px+sizes[i]
		worst = max(worst, o.worst)
	}
	n := float64(max(px, 1))
	wide := math.Cbrt(cubes / n)
	return Look{(wide + math.Sqrt(math.Cbrt(sixths/n))) / 2, worst, wide}
}

// differences are those of each cell, squared; what lies within three cells is seen as one.
func (r *Reference) differences(img *image.RGBA, s *scratch) cells {
	kinds := r.kinds(img, s)
	out := s.cells(r.w, r.h)
	work.Rows(out.h, parts*out.w, func(from, to int) {
		from, to = from*out.w, to*out.w
		sums := [2][]float32{out.v[from:to], make([]float32, to-from)} // of fine and of coarse ones
		for k := range kinds {
			if kinds[k].v == nil {
				continue
			}
			sum, weight := sums[coarse[k]], r.weights[k]
			for i, v := range kinds[k].v[from:to] {
				sum[i] += weight * v
			}
		}
		fine, coarse := r.shows[0].v[from:to], r.shows[1].v[from:to]
		of, also := sums[0], sums[1][:len(sums[0])]
		for i, v := range of {
			of[i] = v*fine[i] + also[i]*coarse[i]
		}
	})
	return out.spread()
}

// Unweighed are the differences of a picture of the same size by kind, before they are weighed: of
// each cell of 4 x 4 px the squares of all kinds, in rows of cells, as far as busy places show them.
// It is what weights are fitted to.
func (r *Reference) Unweighed(img *image.RGBA) (kinds [][]float32) {
	for k, c := range r.kinds(img, nil) {
		out := make([]float32, len(r.shows[0].v))
		for i, v := range c.v {
			out[i] = v * r.shows[coarse[k]].v[i]
		}
		kinds = append(kinds, out)
	}
	return kinds
}

// block is the side of the places of which the worst is sought, in cells.
const block = 64 / side

// Place is 64 x 64 px, or less at the edge, and how great the difference is there.
type Place struct {
	At         image.Rectangle
	Difference float64
}

// Places are the whole places of a picture, which overlap by half, in rows.
func (r *Reference) Places(img *image.RGBA) []Place {
	_, out := r.PoolPlaces(img)
	return out
}

// places are those of squares of differences, and the means of their cubes and sixth powers.
func places(squares cells) (all Pool, out []Place) {
	// Sums of half blocks, of which four make a block.
	const half = block / 2
	w, h := (squares.w+half-1)/half, (squares.h+half-1)/half
	sums, counts := make([]float64, w*h), make([]int, w*h)
	for y := range squares.h {
		for x, v := range squares.v[y*squares.w:][:squares.w] {
			v := float64(v)
			cube := v * math.Sqrt(v)
			sums[y/half*w+x/half] += cube
			counts[y/half*w+x/half]++
			all.cubes, all.sixths = all.cubes+cube, all.sixths+cube*cube
		}
	}
	n := float64(max(len(squares.v), 1))
	all.cubes, all.sixths = all.cubes/n, all.sixths/n
	least := min(block, squares.w) * min(block, squares.h) // only whole ones, which other measures look at, too
	for y := range max(h-1, 1) {
		for x := range max(w-1, 1) {
			s, n := 0.0, 0
			for j := y; j < min(y+2, h); j++ {
				for i := x; i < min(x+2, w); i++ {
					s, n = s+sums[j*w+i], n+counts[j*w+i]
				}
			}
			if n >= least {
				at := image.Rect(x, y, x+2, y+2)
				at.Min, at.Max = at.Min.Mul(half*side), at.Max.Mul(half*side)
				out = append(out, Place{at, math.Cbrt(s / float64(n))})
			}
		}
	}
	return all, out
}

// pool is the means over all cells, and the greatest of the places that lie side by side, the last ones at the edge.
func pool(squares cells) (p Pool, at []Place) {
	p, at = places(squares)
	p.worst = math.Cbrt(p.cubes)
	for _, a := range at {
		if a.At.Min.X%(block*side) == 0 && a.At.Min.Y%(block*side) == 0 {
			p.worst = max(p.worst, a.Difference)
		}
	}
	if squares.w < block || squares.h < block {
		return p, at
	}
	right, bottom := squares.w-block, squares.h-block
	if right%block != 0 {
		for y := 0; y <= bottom; y += block {
			p.worst = max(p.worst, squares.cube(right, y))
		}
	}
	if bottom%block != 0 {
		for x := 0; x <= right; x += block {
			p.worst = max(p.worst, squares.cube(x, bottom))
		}
		p.worst = max(p.worst, squares.cube(right, bottom))
	}
	return p, at
}

// cube is the third root of the mean cube of the differences in a whole place from x, y on, cells.
func (c cells) cube(x, y int) float64 {
	sum := 0.0
	for j := y; j < y+block; j++ {
		for _, v := range c.v[j*c.w+x:][:block] {
			sum += float64(v) * math.Sqrt(float64(v))
		}
	}
	return math.Cbrt(sum / (block * block))
}

// kinds are the differences of each cell, by kind.
func (r *Reference) kinds(img *image.RGBA, s *scratch) (out [parts]cells) {
	d := look(img, s).minus(r.ideal)
	d.bright.rimless(rim)
	d.red.rimless(rim)
	d.blue.rimless(rim / 2)
	for l, p := range d.bright.bands(levels) {
		told := p
		if l < len(r.fine) && r.fine[l].v != nil {
			told = p.against(r.fine[l])
		}
		out[bright0+l] = s.cells(r.w, r.h).energy(told, l)
		if l == 1 || l == 2 {
			out[line1+l-1] = s.cells(r.w, r.h).energy(told.lines(), l)
		}
		if l < len(r.detail) && r.fine[l].v != nil {
			is := p.v[:len(r.fine[l].v)]
			for i, v := range r.fine[l].v {
				is[i] += v
			}
			out[lost0+l] = lost(r.detail[l], s.cells(r.w, r.h).energy(p, l).spread())
		}
	}
	for l, p := range d.red.bands(levels) {
		out[red0+l] = s.cells(r.w, r.h).energy(p, l)
	}
	for l, p := range d.blue.bands(levels - 1) {
		out[blue1+l] = s.cells(r.w, r.h).energy(p, l+1)
	}
	return out
}

// Detail of which less than tooLittle is left, or that is more than tooMuch of what it was, is seen as what it is
// beside those once more.
const (
	tooLittle = 0.55
	tooMuch   = 1.05
)

// against is a plane of differences from was as they are seen: those that make detail stronger, or that take most of
// it away, count more.
func (p plane) against(was plane) plane {
	out := p.from.plane(p.w, p.h)
	work.Rows(p.h, p.w, func(from, to int) {
		is, of := p.v[from*p.w:to*p.w], out.v[from*p.w:to*p.w]
		of = of[:len(is)]
		had := was.v[from*p.w:][:len(is)]
		for i, d := range is {
			a := had[i]
			// No branches: differences go up and down as noise does. Where a is below 0 all is told upside down.
			const sign = 1 << 31
			upside := math.Float32bits(a) & sign
			more := math.Float32bits(a+d-tooMuch*a) ^ upside
			less := math.Float32bits(a+d-tooLittle*a) ^ upside
			too := more &^ uint32(int32(more)>>31) // where it is above 0, or else
			too |= less & uint32(int32(less)>>31)  // where that is below 0
			of[i] = d + math.Float32frombits(too^upside)
		}
	})
	return out
}

// lost is how much less detail there is than there was.
func lost(was, is cells) cells {
	out := cells{was.w, was.h, is.from.floats(len(was.v)), is.from}
	for i := range was.v {
		v := max(float32(math.Sqrt(float64(was.v[i]))-math.Sqrt(float64(is.v[i]))), 0)
		out.v[i] = v * v
	}
	return out
}
