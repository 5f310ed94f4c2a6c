package texture

import (
	"errors"
	"image"
	"math"
)

// Tileable is a tile that was made of a picture.
type Tileable struct {
	Image    *image.RGBA
	From     image.Point // where in the picture its upper left corner was
	Repeats  bool        // the part is a whole number of the picture's own repeats
	Mirrored bool
	Levelled float64 // levels by which uneven light was evened at most
}

// least is how many px a side a picture has at least, for a tile to be made of it.
const least = 16

// ErrSmall is the error of pictures that no tile can be made of.
var ErrSmall = errors.New("the picture is too small: a tile is made of 16 x 16 px and more")

// Make makes a tile of the picture of a surface: uneven light is levelled, the part is chosen whose sides go together
// best, and what follows on it is joined over it along the least visible cut, across and down. Nothing is blurred: only
// the broad light is carried over from one side of a cut to the other. Of a picture that is larger than 3000 px the
// middle
// is used.
func Make(img *image.RGBA) (*Tileable, error) {
	img = middleOf(img)
	w, h := img.Rect.Dx(), img.Rect.Dy()
	if min(w, h) < least {
		return nil, ErrSmall
	}
	out := &Tileable{}
	p := planesOf(img)
	size := [2]int{w - overlapOf(w), h - overlapOf(h)}
	if l, ok := FindLattice(img); ok {
		out.Repeats = true
		for i, full := range [2]int{w, h} {
			size[i] = wholeRepeats(l.Period[i], full, size[i])
		}
		// The tile begins where the texture is calmest, not at an edge of what is in it.
		x := p.calmest(min(w-size[0]-overlapOf(w), size[0]))
		y := p.turned().calmest(min(h-size[1]-overlapOf(h), size[1]))
		p, out.From = p.from(x, y), image.Pt(x, y)
	} else {
		out.Levelled = p.even()
		size[0] = p.across(true, size[0])
		size[1] = p.across(false, size[1])
	}
	p = p.joined(size[0])
	p = p.turned().joined(size[1]).turned()
	out.Image = p.image()
	return out, nil
}

// Mirror makes a tile of a picture and its mirror images: nothing breaks at its edges, but it shows.
func Mirror(img *image.RGBA) *Tileable {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	out := image.NewRGBA(image.Rect(0, 0, 2*w, 2*h))
	for y := range 2 * h {
		for x := range 2 * w {
			sx, sy := x, y
			if sx >= w {
				sx = 2*w - 1 - sx
			}
			if sy >= h {
				sy = 2*h - 1 - sy
			}
			copy(out.Pix[y*out.Stride+4*x:][:4], img.Pix[sy*img.Stride+4*sx:][:4])
		}
	}
	return &Tileable{Image: out, Mirrored: true}
}

// overlapOf is how much of a side joins may use.
func overlapOf(n int) int { return min(max(n/5, 4), 160) }

// wholeRepeats is the largest length that is nearly a whole number of repeats and leaves room for the join; where none
// is nearly so, that which misses least.
func wholeRepeats(period float64, full, most int) int {
	if period == 0 || math.IsInf(period, 1) {
		return most
	}
	// One repeat is the lightest tile; where it is no whole px long more of them are.
	best, miss := most, math.Inf(1)
	for k := 1; float64(k)*period <= float64(full); k++ {
		n := math.Round(float64(k) * period)
		off := math.Abs(float64(k)*period - n)
		if off < miss-0.02 && int(n) >= 4 && int(n) <= full {
			best, miss = int(n), off
		}
		if miss < 0.06 {
			break
		}
	}
	return best
}

// planes is a picture as four planes of numbers, premultiplied levels.
type planes struct {
	w, h int
	v    [4][]float32
}

func planesOf(img *image.RGBA) *planes {
	p := newPlanes(img.Rect.Dx(), img.Rect.Dy())
	for y := range p.h {
		for x := range p.w {
			px := img.Pix[y*img.Stride+4*x:][:4]
			for c := range 4 {
				p.v[c][y*p.w+x] = float32(px[c])
			}
		}
	}
	return p
}

func newPlanes(w, h int) *planes {
	p := &planes{w: w, h: h}
	for c := range p.v {
		p.v[c] = make([]float32, w*h)
	}
	return p
}

func (p *planes) image() *image.RGBA {
	out := image.NewRGBA(image.Rect(0, 0, p.w, p.h))
	for i := range p.w * p.h {
		a := min(max(p.v[3][i], 0), 255)
		for c := range 3 {
			out.Pix[4*i+c] = uint8(min(max(p.v[c][i], 0), a) + 0.5)
		}
		out.Pix[4*i+3] = uint8(a + 0.5)
	}
	return out
}

// calmest is the column, of the first so many, before which the picture changes least.
func (p *planes) calmest(most int) int {
	best, value := 0, math.Inf(1)
	for x := 1; x <= most && x < p.w; x++ {
		sum := 0.0
		for y := range p.h {
			sum += p.unlike(y*p.w+x, y*p.w+x-1)
		}
		if sum < value*0.98 {
			best, value = x, sum
		}
	}
	return best
}

// from is what lies to the right of a place and below it.
func (p *planes) from(x, y int) *planes {
	out := newPlanes(p.w-x, p.h-y)
	for c := range p.v {
		for r := range out.h {
			copy(out.v[c][r*out.w:][:out.w], p.v[c][(y+r)*p.w+x:][:out.w])
		}
	}
	return out
}

// turned is the picture with rows for columns.
func (p *planes) turned() *planes {
	out := newPlanes(p.h, p.w)
	for c := range p.v {
		for y := range p.h {
			for x := range p.w {
				out.v[c][x*p.h+y] = p.v[c][y*p.w+x]
			}
		}
	}
	return out
}

// blurred is a plane under a wide blur: three box blurs are nearly a Gaussian one.
func blurred(v []float32, w, h, reach int) []float32 {
	out := append([]float32(nil), v...)
	line := make([]float32, max(w, h))
	run := func(at func(i int) *float32, n int) {
		r := min(reach, (n-1)/2)
		if r < 1 {
			return
		}
		sum, count := float32(0), 0
		for i := 0; i <= r && i < n; i++ {
			sum += *at(i)
			count++
		}
		for i := range n {
			line[i] = sum / float32(count)
			if k := i + r + 1; k < n {
				sum += *at(k)
				count++
			}
			if k := i - r; k >= 0 {
				sum -= *at(k)
				count--
			}
		}
		for i := range n {
			*at(i) = line[i]
		}
	}
	for range 3 {
		for y := range h {
			run(func(i int) *float32 { return &out[y*w+i] }, w)
		}
		for x := range w {
			run(func(i int) *float32 { return &out[i*w+x] }, h)
		}
	}
	return out
}

// even takes uneven light out: what is left of the picture under a blur as wide as half of it. It returns by how many
// levels at most. Means stay.
func (p *planes) even() (most float64) {
	k := max(min(p.w, p.h)/96, 1) // broad light is seen as well in a small picture
	w, h := (p.w+k-1)/k, (p.h+k-1)/k
	for c := range 3 {
		small, counts := make([]float32, w*h), make([]float32, w*h)
		for y := range p.h {
			for x := range p.w {
				small[y/k*w+x/k] += p.v[c][y*p.w+x]
				counts[y/k*w+x/k]++
			}
		}
		mean := float32(0)
		for i := range small {
			small[i] /= counts[i]
		}
		light := plane{w, h, blurred(small, w, h, min(w, h)/4)}
		for _, v := range light.v {
			mean += v / float32(len(light.v))
		}
		for y := range p.h {
			for x := range p.w {
				d := light.at((float32(x)+0.5)/float32(k)-0.5, (float32(y)+0.5)/float32(k)-0.5) - mean
				p.v[c][y*p.w+x] -= d
				most = max(most, math.Abs(float64(d)))
			}
		}
	}
	return most
}

// plane is one of numbers.
type plane struct {
	w, h int
	v    []float32
}

// at is the plane between four of its values.
func (p *plane) at(x, y float32) float32 {
	x, y = min(max(x, 0), float32(p.w-1)), min(max(y, 0), float32(p.h-1))
	i, j := int(x), int(y)
	a, b := min(i+1, p.w-1), min(j+1, p.h-1)
	x, y = x-float32(i), y-float32(j)
	top := p.v[j*p.w+i] + x*(p.v[j*p.w+a]-p.v[j*p.w+i])
	low := p.v[b*p.w+i] + x*(p.v[b*p.w+a]-p.v[b*p.w+i])
	return top + y*(low-top)
}

// across chooses how long the tile is: of lengths from 70% of the side to the most, that at which what follows is most
// like what it is joined to.
func (p *planes) across(columns bool, most int) int {
	q := p
	if !columns {
		q = p.turned()
	}
	over := overlapOf(q.w)
	best, value := most, math.Inf(1)
	for n := max(q.w*7/10, least/2); n <= most; n += max(1, q.w/128) {
		k := min(over, q.w-n)
		if k < 4 {
			break
		}
		sum, count := 0.0, 0
		for y := 0; y < q.h; y += max(1, q.h/96) {
			for x := 0; x < k; x += max(1, k/24) {
				sum += q.unlike(y*q.w+x, y*q.w+n+x)
				count++
			}
		}
		if v := sum / float64(count); v < value {
			best, value = n, v
		}
	}
	return best
}

// unlike is how far two px are apart.
func (p *planes) unlike(i, k int) float64 {
	sum := 0.0
	for c := range p.v {
		d := float64(p.v[c][i] - p.v[c][k])
		sum += d * d
	}
	return sum
}

// joined makes the first n columns such that the last goes on in the first: at the left what follows column n lies over
// the picture, up to the least visible cut. The cut ends where it begins, so that rows join as before.
func (p *planes) joined(n int) *planes {
	over := min(overlapOf(p.w), p.w-n, n)
	out := newPlanes(n, p.h)
	for c := range p.v {
		for y := range p.h {
			copy(out.v[c][y*n:][:n], p.v[c][y*p.w:][:n])
		}
	}
	if over < 2 {
		return out
	}
	cut := p.cut(n, over)
	reach := max(over/4, 2)
	pad := 3 * reach // what a blur sees beyond the overlap
	x0, x1 := max(n-pad, 0), min(n+over+pad, p.w)
	left, right := p.columns(0, min(over+pad, p.w)), p.columns(x0, x1)
	for c := range p.v {
		lowHere, lowThere := blurred(left.v[c], left.w, left.h, reach), blurred(right.v[c], right.w, right.h, reach)
		for y := range p.h {
			for x := range over {
				here, there := y*p.w+x, y*p.w+n+x
				a, b := lowHere[y*left.w+x], lowThere[y*right.w+n-x0+x]
				// The broad light goes over softly, what is fine is cut.
				t := smoothStep((float64(x) + 0.5) / float64(over))
				fine := p.v[c][here] - a
				if x < cut[y] {
					fine = p.v[c][there] - b
				}
				out.v[c][y*n+x] = b + float32(t)*(a-b) + fine
			}
		}
	}
	return out
}

// columns are some of a picture.
func (p *planes) columns(x0, x1 int) *planes {
	out := newPlanes(x1-x0, p.h)
	for c := range p.v {
		for y := range p.h {
			copy(out.v[c][y*out.w:][:out.w], p.v[c][y*p.w+x0:][:out.w])
		}
	}
	return out
}

func smoothStep(t float64) float64 { return t * t * (3 - 2*t) }

// cut is the least visible way down through an overlap: for each row, where it crosses. Its ends meet.
// Source: A. A. Efros, W. T. Freeman, Image Quilting (SIGGRAPH 2001), section 2.1.
func (p *planes) cut(n, over int) []int {
	cost := make([]float64, p.h*over)
	for y := range p.h {
		for x := range over {
			v := p.unlike(y*p.w+x, y*p.w+n+x)
			if x > 0 {
				v += p.unlike(y*p.w+x-1, y*p.w+n+x-1)
			}
			if d := min(x, over-1-x); d < 2 { // the ends of the overlap are no place to cut
				v += 1e5 * float64(2-d)
			}
			cost[y*over+x] = v
		}
	}
	// Twice round, so that the middle knows nothing of the ends; then from there to there.
	o := overlap{cost, over, p.h}
	return o.way(p.h, o.way(2*p.h, -1)[p.h])
}

// overlap is what a cut costs in each row of it.
type overlap struct {
	cost       []float64
	over, tall int
}

// way is the cheapest way down so many rows, which come again after the last; from and to a place, or from -1 anywhere.
func (o *overlap) way(rows, place int) []int {
	over := o.over
	sum := make([]float64, over)
	from := make([]int8, rows*over)
	for x := range over {
		sum[x] = o.cost[x]
		if place >= 0 && x != place {
			sum[x] = math.Inf(1)
		}
	}
	next := make([]float64, over)
	for y := 1; y < rows; y++ {
		row := o.cost[y%o.tall*over:][:over]
		for x := range over {
			best, step := sum[x], int8(0)
			if x > 0 && sum[x-1] < best {
				best, step = sum[x-1], -1
			}
			if x+1 < over && sum[x+1] < best {
				best, step = sum[x+1], 1
			}
			next[x], from[y*over+x] = best+row[x], step
		}
		sum, next = next, sum
	}
	at := place
	if place < 0 {
		at = 0
		for x := range over {
			if sum[x] < sum[at] {
				at = x
			}
		}
	}
	out := make([]int, rows)
	for y := rows - 1; y >= 0; y-- {
		out[y] = at
		at += int(from[y*over+at])
	}
	return out
}
