package similar

import (
	"math"

	"tourmaline/core/work"
)

// side is the px of a cell, the smallest place that is looked at.
const side = 4

// parts are the kinds of difference that are told apart in each cell.
const (
	bright0 = iota // brightness, by scale
	bright1
	bright2
	bright3
	bright4
	line1 // the same, where it lies along a line: edges, rings, blocks
	line2
	lost0 // detail of which less is left, whatever its phase
	lost1
	red0
	red1
	red2
	red3
	red4
	blue1
	blue2
	blue3
	blue4
	parts
)

// cells is a value for each cell of a picture.
type cells struct {
	w, h int
	v    []float32
	from *scratch // who lent v, and lends what is made of it
}

// energy adds the mean square of a band, of the scale 2^level px, to the cells.
func (c cells) energy(p plane, level int) cells {
	n := side >> level // px of the band in a cell
	work.Rows(c.h, c.w*n*n, func(from, to int) {
		for cy := from; cy < to; cy++ {
			out := c.v[cy*c.w:][:c.w]
			if n < 1 {
				row := p.row(min(cy>>(level-2), p.h-1))
				for cx := range out {
					v := row[min(cx>>(level-2), p.w-1)]
					out[cx] = v * v
				}
				continue
			}
			y0, y1 := cy*n, min(cy*n+n, p.h)
			for y := y0; y < y1; y++ {
				row := p.row(y)
				for cx := addSquares(out, row, n); cx < len(out); cx++ {
					s := float32(0)
					for _, v := range row[min(cx*n, p.w):min(cx*n+n, p.w)] {
						s += v * v
					}
					out[cx] += s
				}
			}
			for cx := range out {
				if k := (y1 - y0) * (min(cx*n+n, p.w) - cx*n); k > 0 {
					out[cx] /= float32(k)
				}
			}
		}
	})
	return c
}

// addSquares adds the squares of n px of a row to each cell, as many cells as have all of them: it returns how many.
func addSquares(out, row []float32, n int) int {
	whole := min(len(row)/n, len(out))
	out = out[:whole]
	switch n {
	case 4:
		for i := range out {
			v := row[4*i : 4*i+4 : 4*i+4]
			out[i] += v[0]*v[0] + v[1]*v[1] + v[2]*v[2] + v[3]*v[3]
		}
	case 2:
		for i := range out {
			v := row[2*i : 2*i+2 : 2*i+2]
			out[i] += v[0]*v[0] + v[1]*v[1]
		}
	default:
		for i, v := range row[:whole] {
			out[i] += v * v
		}
	}
	return whole
}

// lines is the plane of what lies along a line: the sum over five px, in the one of four
// directions where it is greatest.
func (p plane) lines() plane {
	q := p.from.plane(p.w, p.h)
	clear(q.v)
	if p.w < 5 || p.h < 5 {
		return q
	}
	work.Rows(p.h-4, 5*p.w, func(from, to int) {
		for y := from + 2; y < to+2; y++ {
			a, b, c, d, e := p.row(y-2), p.row(y-1), p.row(y), p.row(y+1), p.row(y+2)
			out := q.row(y)
			for x := 2; x < p.w-2; x++ {
				m := c[x]
				s := c[x-2] + c[x-1] + m + c[x+1] + c[x+2]
				best := s * s
				s = a[x] + b[x] + m + d[x] + e[x]
				best = max(best, s*s)
				s = a[x-2] + b[x-1] + m + d[x+1] + e[x+2]
				best = max(best, s*s)
				s = a[x+2] + b[x+1] + m + d[x-1] + e[x-2]
				out[x] = max(best, s*s) / 5
			}
		}
	})
	for i, v := range q.v {
		q.v[i] = float32(math.Sqrt(float64(v)))
	}
	return q
}

// spread is the mean over 3 x 3 cells.
func (c cells) spread() cells {
	out := cells{c.w, c.h, c.from.floats(len(c.v)), c.from}
	work.Rows(c.h, 9*c.w, func(from, to int) {
		column := make([]float32, c.w)
		for y := from; y < to; y++ {
			y0, y1 := max(y-1, 0), min(y+1, c.h-1)
			copy(column, c.v[y0*c.w:][:c.w])
			for j := y0 + 1; j <= y1; j++ {
				for x, v := range c.v[j*c.w:][:c.w] {
					column[x] += v
				}
			}
			row := out.v[y*c.w:][:c.w]
			for x := range row {
				x0, x1 := max(x-1, 0), min(x+1, c.w-1)
				s := column[x0]
				for i := x0 + 1; i <= x1; i++ {
					s += column[i]
				}
				row[x] = s / float32((x1-x0+1)*(y1-y0+1))
			}
		}
	})
	return out
}

// least is the least of 3 x 3 cells.
func (c cells) least() cells {
	out := cells{c.w, c.h, c.from.floats(len(c.v)), c.from}
	for y := range c.h {
		for x := range c.w {
			s := c.v[y*c.w+x]
			for j := max(y-1, 0); j <= min(y+1, c.h-1); j++ {
				for i := max(x-1, 0); i <= min(x+1, c.w-1); i++ {
					s = min(s, c.v[j*c.w+i])
				}
			}
			out.v[y*c.w+x] = s
		}
	}
	return out
}
