package picture

import (
	"cmp"
	"image"
	"image/color"
	"math"
	"slices"
)

// Palettes are palettes of a picture's colours: of any size, those that lie nearest to its own. Boxes of colours are
// halved where they differ most, and what comes of it is moved to the means of the colours that are nearest.
// Colours are premultiplied, and weighed by how bright they are seen.
//
// Sources: Wu, Efficient statistical computations for optimal color quantization, 1991 (where boxes are halved);
// Lloyd, Least squares quantization in PCM, 1982; Floyd and Steinberg, An adaptive algorithm for spatial greyscale,
// 1976.
type Palettes struct {
	img     *image.RGBA
	colours []shade
	crowds  []crowd
	halved  [][]colour // by how many there are, from 1
	moved   map[int]*colourMap
}

// NewPalettes counts the colours of a picture.
func NewPalettes(img *image.RGBA) *Palettes {
	return &Palettes{img: img, colours: histogram(img), moved: map[int]*colourMap{}}
}

// Indexed is the picture in at most n colours; itself where it has no more. With diffuse what each px lacks goes on to
// its neighbours, across the edges too, so that a tile still meets itself.
func (p *Palettes) Indexed(n int, diffuse bool) *image.RGBA {
	if len(p.colours) <= n {
		return p.img
	}
	if p.moved[n] == nil {
		pal := newColourMap(p.halve(n))
		for range 4 {
			pal = pal.moved(p.colours)
		}
		p.moved[n] = pal.whole()
	}
	return inColours(p.img, p.moved[n], diffuse)
}

// colour is a premultiplied colour, 0..255.
type colour [4]float32

// seenBy is how much each channel counts.
var seenBy = colour{0.30, 0.59, 0.11, 0.5}

func (c *colour) far(o *colour) (d float32) {
	for i := range c {
		e := c[i] - o[i]
		d += seenBy[i] * e * e
	}
	return d
}

// shade is a colour and how many px have it.
type shade struct {
	colour
	n float32
}

// mostColours is how many are told apart: of more, neighbours are taken together.
const mostColours = 1 << 14

// histogram is the colours of a picture in a fixed order.
func histogram(img *image.RGBA) []shade {
	for drop := 0; ; drop++ {
		type sum struct {
			c [4]int64
			n int64
		}
		by := map[uint32]*sum{}
		for y := range img.Rect.Dy() {
			row := img.Pix[y*img.Stride:][:4*img.Rect.Dx()]
			for i := 0; i+4 <= len(row); i += 4 {
				key := uint32(row[i]>>drop)<<24 | uint32(row[i+1]>>drop)<<16 | uint32(row[i+2]>>drop)<<8 |
					uint32(row[i+3]>>drop)
				s := by[key]
				if s == nil {
					s = &sum{}
					by[key] = s
				}
				for c := range 4 {
					s.c[c] += int64(row[i+c])
				}
				s.n++
			}
			if len(by) > mostColours {
				break
			}
		}
		if len(by) > mostColours {
			continue
		}
		keys := make([]uint32, 0, len(by))
		for k := range by {
			keys = append(keys, k)
		}
		slices.Sort(keys)
		out := make([]shade, len(keys))
		for i, k := range keys {
			s := by[k]
			for c := range 4 {
				out[i].colour[c] = float32(float64(s.c[c]) / float64(s.n))
			}
			out[i].n = float32(s.n)
		}
		return out
	}
}

// crowd is colours that share one of the palette.
type crowd struct {
	of    []shade
	mean  colour
	axis  int     // along which they differ most
	error float64 // that one colour for all makes
}

func crowdOf(of []shade) crowd {
	k := crowd{of: of}
	var sum, squares [4]float64
	n := 0.0
	for i := range of {
		n += float64(of[i].n)
		for c, v := range of[i].colour {
			sum[c] += float64(of[i].n) * float64(v)
			squares[c] += float64(of[i].n) * float64(v) * float64(v)
		}
	}
	most := -1.0
	for c := range 4 {
		k.mean[c] = float32(sum[c] / n)
		e := float64(seenBy[c]) * max(squares[c]-sum[c]*sum[c]/n, 0)
		if k.error += e; e > most {
			most, k.axis = e, c
		}
	}
	return k
}

// halves are those up to the mean along the axis, and those above.
func (k *crowd) halves() (low, high []shade) {
	above := make([]shade, 0, len(k.of))
	n := 0
	for _, c := range k.of {
		if c.colour[k.axis] > k.mean[k.axis] {
			above = append(above, c)
			continue
		}
		k.of[n] = c
		n++
	}
	copy(k.of[n:], above)
	if n == 0 || len(above) == 0 { // the mean was rounded
		slices.SortFunc(k.of, func(a, b shade) int { return cmp.Compare(a.colour[k.axis], b.colour[k.axis]) })
		n = min(max(n, 1), len(k.of)-1)
	}
	return k.of[:n], k.of[n:]
}

// halve gives n colours: the crowd that errs most is halved until there are as many.
func (p *Palettes) halve(n int) []colour {
	if p.crowds == nil {
		p.crowds = []crowd{crowdOf(slices.Clone(p.colours))}
		p.halved = [][]colour{{p.crowds[0].mean}}
	}
	for len(p.halved) < n {
		at := -1
		for i := range p.crowds {
			if len(p.crowds[i].of) > 1 && (at < 0 || p.crowds[i].error > p.crowds[at].error) {
				at = i
			}
		}
		if at < 0 {
			break
		}
		low, high := p.crowds[at].halves()
		p.crowds[at] = crowdOf(low)
		p.crowds = append(p.crowds, crowdOf(high))
		means := make([]colour, len(p.crowds))
		for i := range p.crowds {
			means[i] = p.crowds[i].mean
		}
		p.halved = append(p.halved, means)
	}
	return p.halved[min(n, len(p.halved))-1]
}

// colourMap is a palette in an order by which the nearest one is found soon: that of the channel that counts most.
type colourMap struct {
	colours []colour
	sorted  []entry
}

// entry is a colour and its place in the palette.
type entry struct {
	colour
	at int
}

const green = 1 // counts most: see seenBy

func newColourMap(colours []colour) *colourMap {
	p := &colourMap{colours, make([]entry, len(colours))}
	for i, c := range colours {
		p.sorted[i] = entry{c, i}
	}
	slices.SortFunc(p.sorted, func(a, b entry) int {
		return cmp.Or(cmp.Compare(a.colour[green], b.colour[green]), cmp.Compare(a.at, b.at))
	})
	return p
}

// nearest is the place of the colour that is nearest, the first of several: outwards from where the channel that
// counts most is the same, as long as that alone is no farther than the nearest so far.
func (p *colourMap) nearest(c *colour) int {
	lo, hi := 0, len(p.sorted)
	for lo < hi {
		if mid := (lo + hi) / 2; p.sorted[mid].colour[green] < c[green] {
			lo = mid + 1
		} else {
			hi = mid
		}
	}
	best, at := float32(math.Inf(1)), 0
	for lo--; ; {
		var e *entry
		switch {
		case lo < 0 && hi == len(p.sorted):
			return at
		case hi == len(p.sorted), lo >= 0 && c[green]-p.sorted[lo].colour[green] < p.sorted[hi].colour[green]-c[green]:
			e = &p.sorted[lo]
			lo--
		default:
			e = &p.sorted[hi]
			hi++
		}
		if d := c[green] - e.colour[green]; seenBy[green]*d*d > best {
			return at // those that are left are farther still
		}
		if d := e.far(c); d < best || d == best && e.at < at {
			best, at = d, e.at
		}
	}
}

// moved has the means of the colours that are nearest to each.
func (p *colourMap) moved(colours []shade) *colourMap {
	sums, counts := make([][4]float64, len(p.colours)), make([]float64, len(p.colours))
	for i := range colours {
		at := p.nearest(&colours[i].colour)
		counts[at] += float64(colours[i].n)
		for c, v := range colours[i].colour {
			sums[at][c] += float64(colours[i].n) * float64(v)
		}
	}
	out := slices.Clone(p.colours)
	for i, n := range counts {
		for c := range 4 {
			if n > 0 {
				out[i][c] = float32(sums[i][c] / n)
			}
		}
	}
	return newColourMap(out)
}

// whole has the colours in levels.
func (p *colourMap) whole() *colourMap {
	out := slices.Clone(p.colours)
	for i := range out {
		for c, v := range out[i].whole() {
			out[i][c] = float32(v)
		}
	}
	return newColourMap(out)
}

// whole is a colour in levels; alpha is never less than a channel.
func (c *colour) whole() (out [4]uint8) {
	for i := range 4 {
		out[i] = uint8(min(max(c[i]+0.5, 0), 255))
	}
	for i := range 3 {
		out[i] = min(out[i], out[3])
	}
	return out
}

// inColours draws a picture in the colours of a palette.
func inColours(img *image.RGBA, pal *colourMap, diffuse bool) *image.RGBA {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	out := image.NewRGBA(image.Rect(0, 0, w, h))
	levels := make([][4]uint8, len(pal.colours))
	for i := range levels {
		levels[i] = pal.colours[i].whole()
	}
	known := map[color.RGBA]int{}
	owed := make([]colour, w*h)
	passes := 1
	if diffuse {
		passes = 2 // the first tells what the last row owes the first one
	}
	for pass := range passes {
		for y := range h {
			row := img.Pix[y*img.Stride:][:4*w]
			for x := range w {
				p := row[4*x:][:4]
				var at int
				if !diffuse {
					key := color.RGBA{p[0], p[1], p[2], p[3]}
					n, ok := known[key]
					if !ok {
						n = pal.nearest(&colour{float32(p[0]), float32(p[1]), float32(p[2]), float32(p[3])})
						known[key] = n
					}
					at = n
				} else {
					e := &owed[y*w+x]
					want := *e
					for c := range want {
						want[c] += float32(p[c])
					}
					at = pal.nearest(&want)
					*e = colour{}
					for c := range want { // what is far off is not gone after for ever
						want[c] = min(max(want[c]-pal.colours[at][c], -mostOwed), mostOwed)
					}
					handOn(owed, image.Pt(w, h), image.Pt(x, y), want)
				}
				if pass == passes-1 {
					copy(out.Pix[y*out.Stride+4*x:][:4], levels[at][:])
				}
			}
		}
	}
	return out
}

// mostOwed is the most that a px hands on, levels.
const mostOwed = 24

// handOn gives what a px lacks to its neighbours, around the edges too.
func handOn(owed []colour, size, at image.Point, lack colour) {
	for i, to := range [4]struct {
		dx, dy int
		share  float32
	}{{1, 0, 7. / 16}, {-1, 1, 3. / 16}, {0, 1, 5. / 16}, {1, 1, 1. / 16}} {
		if i == 0 && at.X+1 == size.X { // its own row was begun: the next one takes it
			to.dy = 1
		}
		e := &owed[(at.Y+to.dy)%size.Y*size.X+(at.X+to.dx+size.X)%size.X]
		for c := range 4 {
			e[c] += to.share * lack[c]
		}
	}
}
