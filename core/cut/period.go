package cut

import (
	"image"
	"math"

	"tourmaline/core/css"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/texture"
)

// laid is how a layer lays a picture along one axis: what decides whether fewer of the repeats that the picture
// holds lie just as all of them do.
type laid struct {
	ok   bool    // copies follow each other plainly
	size float64 // of a copy, CSS px
	at   float64 // the per cent of the free space that lie before it, 0..1
}

// same reports whether one of k parts of the picture, laid in its place, puts every px where it was: the parts are
// whole CSS px, so that browsers snap them alike, and the first copy begins at one of them.
func (l laid) same(k int) bool {
	whole := func(v float64) bool { return math.Abs(v-math.Round(v)) < 1e-6 }
	return k == 1 || l.ok && whole(l.size/float64(k)) && whole(l.at*float64(k-1))
}

// laidOf reads it of a layer, by axis.
func laidOf(p *place.Placed) (out [2]laid) {
	w, h := float64(p.File.Width), float64(p.File.Height)
	l := p.Layer
	if p.File.Vector != nil || w == 0 || h == 0 || l.Size.Kind != css.SizeLengths || l.Image.Set != nil {
		return out
	}
	s := (&Rung{Part: picture.Part{W: w, H: h}}).Size(l, p.File)
	px := func(n css.Num, auto bool) bool { return !auto && !n.IsCalc() && n.Unit == css.Px }
	out[0] = laid{l.Repeat.X == css.Tile && px(s.W, s.AutoW), s.W.Val, percent(l.Position.X)}
	out[1] = laid{l.Repeat.Y == css.Tile && px(s.H, s.AutoH), s.H.Val, percent(l.Position.Y)}
	return out
}

// What a picture's repeats may differ by and still be the same, levels: noise, and light over 8 x 8 px.
const (
	repeatOff   = 1.8
	repeatLight = 2
	leastPart   = 24 // px: smaller tiles cost more to lay than they save
)

// findRepeats takes the fewest whole repeats of a texture, where all layers that show it lay them as they lay the
// whole picture.
func (l *Ladder) findRepeats(how [2][]laid) error {
	l.repeats = [2]int{1, 1}
	if !l.Tiled || l.Copy || l.Chosen || l.exact {
		return nil
	}
	sides := [2]int{l.File.Width, l.File.Height}
	ways := [2][]int{} // numbers of parts of which one lies as all of them do, the most first
	for axis, side := range sides {
		for k := side / leastPart; k > 1; k-- {
			if side%k == 0 && may(how[axis], k) {
				ways[axis] = append(ways[axis], k)
			}
		}
	}
	if len(ways[0])+len(ways[1]) == 0 {
		return nil
	}
	img, err := l.File.Pixels()
	if err != nil {
		return err
	}
	same := func(axis, most int) int {
		for _, k := range ways[axis] {
			if k <= most && repeatsBy(img, axis, sides[axis]/k) {
				return k
			}
		}
		return 1
	}
	if same(0, sides[0]) == 1 && same(1, sides[1]) == 1 {
		return nil // mostly: a lattice takes far longer to find
	}
	lattice, ok := texture.FindLattice(img)
	if !ok {
		return nil
	}
	for axis, side := range sides {
		most := side
		if p := lattice.Period[axis]; p > 0 {
			most = int(math.Round(float64(side) / p))
		}
		l.repeats[axis] = same(axis, most)
	}
	return nil
}

// may reports whether all layers allow one of k parts.
func may(how []laid, k int) bool {
	for _, l := range how {
		if !l.same(k) {
			return false
		}
	}
	return len(how) > 0
}

// repeatsBy reports whether a picture is the same again every so many px of an axis.
func repeatsBy(img *image.RGBA, axis, period int) bool {
	const block = 8
	w, h := img.Rect.Dx(), img.Rect.Dy()
	sums := make([][4]float64, ((w+block-1)/block)*((h+block-1)/block))
	counts := make([]float64, len(sums))
	total := 0.0
	for y := range h {
		for x := range w {
			fx, fy := x, y // in the first of them
			if axis == 0 {
				fx %= period
			} else {
				fy %= period
			}
			p, q := img.Pix[y*img.Stride+4*x:][:4], img.Pix[fy*img.Stride+4*fx:][:4]
			at := y/block*((w+block-1)/block) + x/block
			counts[at]++
			most := 0.0
			for c := range 4 {
				d := float64(p[c]) - float64(q[c])
				most = max(most, math.Abs(d))
				sums[at][c] += d
			}
			total += most
		}
		if total > repeatOff*float64(w*h) {
			return false
		}
	}
	for i, s := range sums {
		for c := range 4 {
			if math.Abs(s[c]) > repeatLight*counts[i] {
				return false
			}
		}
	}
	return true
}
