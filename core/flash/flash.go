// Package flash finds flashes in a film: changes of light or of red that can cause seizures.
//
//	worst := flash.Look(film, 40, 40) // a px of the film is seen 40 x 40 CSS px large
//	worst.Times                       // 4: more than three in a second must not be
//
// Source: WCAG 2.2, general flash and red flash thresholds, with its estimate for the web: a quarter of any 341 x 256
// px
// (https://www.w3.org/TR/WCAG22/#dfn-general-flash-and-red-flash-thresholds).
package flash

import (
	"image"
	"math"

	"tourmaline/core/contrast"
	"tourmaline/core/picture"
)

// Film is frames of one size with their times, in order.
type Film struct {
	Frames []*image.RGBA
	Times  []float64 // s, one for each
	Length float64   // s, until the first comes again
}

// Most flashes in one second, and what an eye takes in at once, CSS px.
const (
	Most       = 3
	fieldW     = 341.0
	fieldH     = 256.0
	ofField    = 0.25
	lightStep  = 0.1 // of the greatest relative luminance
	lightest   = 0.8 // the darker of the two must be below
	redStep    = 20  // of 320
	redShare   = 0.8 // of what is called a saturated red
	atOnce     = 0.1 // s: changes so close are one
	oneSecond  = 1 - 1e-6
	inEach     = 2 // changes there and back
	fullRed    = 320
	bothRounds = 2
)

// Worst is the second with the most flashes.
type Worst struct {
	Times int     // pairs of changes there and back
	From  float64 // s, when the second begins
	Red   bool    // of a saturated red; else of light
}

// Dangerous reports whether they are more than may be.
func (w Worst) Dangerous() bool { return w.Times > Most }

// Look finds the second with the most flashes; w and h are how large a px of the film is seen, CSS px.
func Look(f Film, w, h float64) (out Worst) {
	if len(f.Frames) < 2 || len(f.Times) != len(f.Frames) || !(f.Length > 0) || !(w > 0) || !(h > 0) {
		return out
	}
	for _, red := range []bool{false, true} {
		if n, from := f.most(f.changes(red), w, h); n/inEach > out.Times {
			out = Worst{n / inEach, from, red}
		}
	}
	return out
}

// changes are, for each frame of two rounds, where it becomes lighter (1) or darker (-1).
func (f Film) changes(red bool) [][]int8 {
	n, px := len(f.Frames), len(f.Frames[0].Pix)/4
	out := make([][]int8, bothRounds*n)
	for k := range out {
		out[k] = make([]int8, px)
	}
	value, full := make([]float64, n), make([]bool, n)
	step, ok := lightStep, func(from, to int) bool { return min(value[from%n], value[to%n]) < lightest }
	if red {
		step, ok = redStep, func(from, to int) bool { return full[from%n] || full[to%n] }
	}
	for i := range px {
		for k, img := range f.Frames {
			p := img.Pix[4*i:]
			if !red {
				value[k] = contrast.Luminance(p[0], p[1], p[2])
				continue
			}
			value[k], full[k] = redness(p[0], p[1], p[2])
		}
		turns(value, step, ok, func(k int, up int8) { out[k][i] = up })
	}
	return out
}

// redness is how much more red than other light there is, of 320, and whether it is saturated.
// Source: WCAG 2.1, general flash and red flash thresholds, the working definition of its note.
func redness(r, g, b uint8) (v float64, full bool) {
	lr, lg, lb := picture.Linear(r), picture.Linear(g), picture.Linear(b)
	sum := lr + lg + lb
	return max(lr-lg-lb, 0) * fullRed, sum > 0 && lr/sum >= redShare
}

// turns calls found where a row of values, gone through twice, has risen or fallen by a step since it last turned. A
// round before finds out whether it rises or falls when the first begins.
func turns(value []float64, step float64, ok func(from, to int) bool, found func(k int, up int8)) {
	n := len(value)
	lo, hi, dir := 0, 0, int8(0)
	at := func(k int) float64 { return value[k%n] }
	tell := func(k int, up int8) {
		if k >= n {
			found(k-n, up)
		}
	}
	for k := 1; k < (1+bothRounds)*n; k++ {
		v := at(k)
		switch {
		case dir >= 0 && v > at(hi):
			hi = k
		case dir >= 0 && at(hi)-v >= step && ok(hi, k):
			tell(k, -1)
			dir, lo = -1, k
			continue
		}
		switch {
		case dir <= 0 && v < at(lo):
			lo = k
		case dir <= 0 && v-at(lo) >= step && ok(lo, k):
			tell(k, 1)
			dir, hi = 1, k
		}
	}
}

// most counts the changes, there and back by turns, of a quarter of what an eye takes in, in the worst second.
func (f Film) most(changes [][]int8, w, h float64) (most int, from float64) {
	size := f.Frames[0].Rect.Size()
	// An eye takes in so many px of the film, at least one, and no more than there are.
	fw := min(max(int(math.Round(fieldW/w)), 1), size.X)
	fh := min(max(int(math.Round(fieldH/h)), 1), size.Y)
	need := ofField * fieldW * fieldH / (min(w, fieldW) * min(h, fieldH))
	cols, rows := size.X-fw+1, size.Y-fh+1
	dir := make([]int8, cols*rows)
	when := make([][]float64, cols*rows)
	last, to := make([]float64, size.X*size.Y), make([]int8, size.X*size.Y) // the last change of each px
	sums := make([]int, (size.X+1)*(size.Y+1))
	for k := range changes {
		t := f.at(k)
		for i, c := range changes[k] {
			if c != 0 {
				last[i], to[i] = t, c
			}
		}
		for _, up := range []int8{-1, 1} {
			total := addUp(sums, size, func(i int) bool { return to[i] == up && t-last[i] <= atOnce })
			if float64(total) <= need {
				continue
			}
			for y := range rows {
				for x := range cols {
					i := y*cols + x
					if dir[i] == up || float64(within(sums, size.X, image.Rect(x, y, x+fw, y+fh))) <= need {
						continue
					}
					dir[i] = up
					when[i] = append(when[i], t)
					for len(when[i]) > 0 && t-when[i][0] >= oneSecond {
						when[i] = when[i][1:]
					}
					if len(when[i]) > most {
						most, from = len(when[i]), when[i][0]
					}
				}
			}
		}
	}
	if from >= f.Length {
		from -= f.Length
	}
	return most, from
}

// at is when a frame of the two rounds is shown.
func (f Film) at(k int) float64 {
	n := len(f.Times)
	return f.Times[k%n] + f.Length*float64(k/n)
}

// addUp makes a table of sums of px that are, and returns how many are.
func addUp(sums []int, size image.Point, is func(i int) bool) int {
	stride := size.X + 1
	for y := range size.Y {
		row := 0
		for x := range size.X {
			if is(y*size.X + x) {
				row++
			}
			sums[(y+1)*stride+x+1] = sums[y*stride+x+1] + row
		}
	}
	return sums[len(sums)-1]
}

func within(sums []int, w int, r image.Rectangle) int {
	s := w + 1
	return sums[r.Max.Y*s+r.Max.X] - sums[r.Min.Y*s+r.Max.X] - sums[r.Max.Y*s+r.Min.X] + sums[r.Min.Y*s+r.Min.X]
}
