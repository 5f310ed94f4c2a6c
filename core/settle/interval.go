package settle

import (
	"math"

	"tourmaline/core/fit"
)

// interval is a closed range of a position, 0..1.
type interval struct{ lo, hi float64 }

// set is intervals in rising order that do not touch.
type set []interval

var whole = set{{0, 1}}

// slack is how far ends may miss each other through rounding.
const slack = 1e-9

func (s set) and(o set) set {
	var out set
	for i, k := 0, 0; i < len(s) && k < len(o); {
		lo, hi := max(s[i].lo, o[k].lo), min(s[i].hi, o[k].hi)
		if lo <= hi+slack {
			out = append(out, interval{lo, max(lo, hi)})
		}
		if s[i].hi < o[k].hi {
			i++
		} else {
			k++
		}
	}
	return out
}

// less takes the open range lo..hi out.
func (s set) less(lo, hi float64) set {
	if hi <= lo {
		return s
	}
	var out set
	for _, i := range s {
		if hi <= i.lo || lo >= i.hi {
			out = append(out, i)
			continue
		}
		if i.lo <= lo {
			out = append(out, interval{i.lo, lo})
		}
		if i.hi >= hi {
			out = append(out, interval{hi, i.hi})
		}
	}
	return out
}

func (s set) has(v float64) bool {
	for _, i := range s {
		if v >= i.lo-slack && v <= i.hi+slack {
			return true
		}
	}
	return false
}

// miss is how far v lies from the set; +Inf where that is empty.
func (s set) miss(v float64) float64 {
	far := math.Inf(1)
	for _, i := range s {
		far = min(far, max(i.lo-v, v-i.hi, 0))
	}
	return far
}

// line is how far from the wished place a point lands, as a share of the box, at
// the position p: |c + m*p|.
type line struct{ c, m float64 }

// worstOf is the largest distance at p.
func worstOf(lines []line, p float64) float64 {
	worst := 0.0
	for _, l := range lines {
		worst = max(worst, math.Abs(l.c+l.m*p))
	}
	return worst
}

// best returns the position of the set with the smallest largest distance. The
// largest of convex functions is convex, so thirds of each interval are enough.
func best(s set, lines []line) float64 {
	at, value := 0.0, math.Inf(1)
	for _, i := range s {
		lo, hi := i.lo, i.hi
		for range 60 {
			a, b := lo+(hi-lo)/3, hi-(hi-lo)/3
			if worstOf(lines, a) <= worstOf(lines, b) {
				hi = b
			} else {
				lo = a
			}
		}
		for _, p := range []float64{(lo + hi) / 2, i.lo, i.hi} {
			if v := worstOf(lines, p); v < value-1e-12 {
				at, value = p, v
			}
		}
	}
	return at
}

// round returns p in whole per cents where such a one lies in the set near it, or misses it by less than a px: free is
// the most room that the position shares out, CSS px. Else it has as few decimals as do.
func round(p float64, s set, lines []line, free float64) float64 {
	if a, b := math.Floor(p*100)/100, math.Ceil(p*100)/100; !s.has(a) && !s.has(b) {
		if s.miss(b) < s.miss(a) {
			a = b
		}
		if s.miss(a)*free < fit.KeepTrim/2.0 {
			return a
		}
	}
	for _, step := range []float64{100, 1000, 10000} {
		a, b := math.Floor(p*step)/step, math.Ceil(p*step)/step
		okA, okB := s.has(a), s.has(b)
		switch {
		case okA && okB && worstOf(lines, b) < worstOf(lines, a)-1e-12, okB && !okA:
			return b
		case okA:
			return a
		}
	}
	return p
}
