package picture

import (
	"cmp"
	"image"
	"image/color"
	"math"
	"slices"
)

// Indexed is a picture in at most n colours, those that lie nearest to its own: boxes of colours are halved where
// they differ most, and what comes of it is moved to the means of the colours that are nearest.
// With diffuse what each px lacks goes on to its neighbours, across the edges too, so that a tile still meets itself.
// Colours are premultiplied, and weighed by how bright they are seen.
//
// Sources: Wu, Efficient statistical computations for optimal color quantization, 1991 (where boxes are halved);
// Lloyd, Least squares quantization in PCM, 1982; Floyd and Steinberg, An adaptive algorithm for spatial greyscale,
// 1976.
func Indexed(img *image.RGBA, n int, diffuse bool) *image.RGBA {
	colours := histogram(img)
	if len(colours) <= n {
		return img
	}
	pal := halved(colours, n)
	for range 4 {
		pal = moved(colours, pal)
	}
	return inColours(img, pal, diffuse)
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

// halved are n colours: the crowd that errs most is halved until there are as many.
func halved(colours []shade, n int) []colour {
	crowds := []crowd{crowdOf(slices.Clone(colours))}
	for len(crowds) < n {
		at := -1
		for i := range crowds {
			if len(crowds[i].of) > 1 && (at < 0 || crowds[i].error > crowds[at].error) {
				at = i
			}
		}
		if at < 0 {
			break
		}
		k := crowds[at]
		slices.SortStableFunc(k.of, func(a, b shade) int { return cmp.Compare(a.colour[k.axis], b.colour[k.axis]) })
		cut := slices.IndexFunc(k.of, func(c shade) bool { return c.colour[k.axis] > k.mean[k.axis] })
		cut = min(max(cut, 1), len(k.of)-1)
		crowds[at] = crowdOf(k.of[:cut])
		crowds = append(crowds, crowdOf(k.of[cut:]))
	}
	out := make([]colour, len(crowds))
	for i := range crowds {
		out[i] = crowds[i].mean
	}
	return out
}

func nearest(pal []colour, c *colour) int {
	best, at := float32(math.Inf(1)), 0
	for i := range pal {
		if d := pal[i].far(c); d < best {
			best, at = d, i
		}
	}
	return at
}

// moved are the means of the colours that are nearest to each.
func moved(colours []shade, pal []colour) []colour {
	sums, counts := make([][4]float64, len(pal)), make([]float64, len(pal))
	for i := range colours {
		at := nearest(pal, &colours[i].colour)
		counts[at] += float64(colours[i].n)
		for c, v := range colours[i].colour {
			sums[at][c] += float64(colours[i].n) * float64(v)
		}
	}
	out := slices.Clone(pal)
	for i, n := range counts {
		for c := range 4 {
			if n > 0 {
				out[i][c] = float32(sums[i][c] / n)
			}
		}
	}
	return out
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
func inColours(img *image.RGBA, pal []colour, diffuse bool) *image.RGBA {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	out := image.NewRGBA(image.Rect(0, 0, w, h))
	levels := make([][4]uint8, len(pal))
	for i := range pal {
		levels[i] = pal[i].whole()
		for c := range 4 {
			pal[i][c] = float32(levels[i][c])
		}
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
						n = nearest(pal, &colour{float32(p[0]), float32(p[1]), float32(p[2]), float32(p[3])})
						known[key] = n
					}
					at = n
				} else {
					e := &owed[y*w+x]
					want := *e
					for c := range want {
						want[c] += float32(p[c])
					}
					at = nearest(pal, &want)
					*e = colour{}
					for c := range want { // what is far off is not gone after for ever
						want[c] = min(max(want[c]-pal[at][c], -mostOwed), mostOwed)
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
