package similar

import "tourmaline/core/work"

// levels are the scales that a channel is taken apart into: detail of 1 px, 2 px and so on, and
// what is left.
const levels = 5

// bands takes a plane apart, the finest detail first; the last is what is left, at 1/2^(n-1) of
// the size. It is the Laplacian pyramid (Burt and Adelson, 1983). The plane's values are lost.
func (p plane) bands(n int) []plane {
	out := make([]plane, 0, n)
	for len(out) < n-1 && p.w > 1 && p.h > 1 {
		q := p.reduced()
		p.takeOff(q)
		out = append(out, p)
		p = q
	}
	return append(out, p)
}

// reduced is the plane at half size: each px of the result is five of each axis, weighed
// 1 4 6 4 1.
func (p plane) reduced() plane {
	q := p.from.plane((p.w+1)/2, (p.h+1)/2)
	work.Rows(q.h, 2*p.w, func(from, to int) {
		column := make([]float32, p.w+4)
		sum := column[2 : p.w+2]
		for y := from; y < to; y++ {
			at := func(i int) []float32 { return p.row(min(max(2*y+i, 0), p.h-1)) }
			a, b, c, d, e := at(-2), at(-1), at(0), at(1), at(2)
			a, b, c, d, e = a[:len(sum)], b[:len(sum)], c[:len(sum)], d[:len(sum)], e[:len(sum)]
			for x := range sum {
				sum[x] = a[x] + e[x] + 4*(b[x]+d[x]) + 6*c[x]
			}
			column[0], column[1] = sum[0], sum[0]
			column[p.w+2], column[p.w+3] = sum[p.w-1], sum[p.w-1]
			out := q.row(y)
			for x := range out {
				s := column[2*x : 2*x+5 : 2*x+5]
				out[x] = (s[0] + s[4] + 4*(s[1]+s[3]) + 6*s[2]) / 256
			}
		}
	})
	return q
}

// takeOff subtracts the plane of half size, enlarged.
func (p plane) takeOff(q plane) {
	work.Rows(p.h, p.w, func(from, to int) {
		column := make([]float32, q.w+2)
		sum := column[1 : q.w+1]
		for y := from; y < to; y++ {
			b := q.row(y / 2)
			a, c := q.row(max(y/2-1, 0)), q.row(min(y/2+1, q.h-1))
			a, b, c = a[:len(sum)], b[:len(sum)], c[:len(sum)]
			if y%2 == 0 {
				for x := range sum {
					sum[x] = (a[x] + 6*b[x] + c[x]) / 8
				}
			} else {
				for x := range sum {
					sum[x] = (b[x] + c[x]) / 2
				}
			}
			column[0], column[q.w+1] = sum[0], sum[q.w-1]
			out := p.row(y)
			for i := range len(out) / 2 {
				s, o := column[i:i+3:i+3], out[2*i:2*i+2:2*i+2]
				o[0] -= (s[0] + 6*s[1] + s[2]) / 8
				o[1] -= (s[1] + s[2]) / 2
			}
			if last := len(out) - 1; last%2 == 0 {
				s := column[last/2 : last/2+3]
				out[last] -= (s[0] + 6*s[1] + s[2]) / 8
			}
		}
	})
}
