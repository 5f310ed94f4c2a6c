package texture

import (
	"image"
	"math"
)

// Visible says how well a seam and a patch are seen: 1 is just seen.
type Visible struct {
	X, Y  float64 // the seams where tiles meet beside, and below each other
	Patch float64
}

// Seam is the better seen of the two.
func (v Visible) Seam() float64 { return max(v.X, v.Y) }

// See looks at a tile as it is seen laid beside itself.
func See(img *image.RGBA) Visible {
	return Visible{seen(SeamX(img), linesOf(img, true)), seen(SeamY(img), linesOf(img, false)), FindPatch(img).Seen()}
}

// Seen is how well a patch is seen: 1 is just seen.
func (p Patch) Seen() float64 {
	v := min(p.Levels/16, p.Levels/max(4*p.Usual, 1e-9))
	if p.Share > 0.15 {
		v *= 0.15 / p.Share
	}
	return v
}

// Spots that are looked at, CSS px: smaller ones than the first are finer than the eye, at arm's length a sixtieth of a
// degree; those of the second are half a wave of what it sees best, 8 to a degree. Of tiles wider than mostShown no
// window shows three in a row.
//
// Sources: CSS Values 4, the reference pixel (https://www.w3.org/TR/css-values-4/#reference-pixel), 47 to a degree;
// Mannos and Sakrison, The effects of a visual fidelity criterion on the encoding of images, 1974.
const (
	finestSpot = 1
	bestSpot   = 3
	mostShown  = 640
)

// Shown are the widths of a tile, CSS px, from and up to which its patch shows as a grid, and the one at which it does
// most; 0 where it shows at none.
func (p Patch) Shown() (from, most, to float64) {
	if p.Seen() < 1 || p.Share <= 0 {
		return 0, 0, 0
	}
	at := func(spot float64) float64 { return math.Ceil(min(spot/math.Sqrt(p.Share), mostShown)) }
	return at(finestSpot), at(bestSpot), mostShown
}

// seen joins what shows at a seam: the step from line to line, the worst place along it and how many places stand out
// there, the step from band to band, and lines that break there.
//
// The factors were fitted to 56 textures of a game that tile and 45 parts of them that do not, labelled by eye: see
// docs/RATIONALE.md, "How is a seam measured?".
func seen(s Seam, l *lines) float64 {
	band := min(s.BandEdge/bandSeen, s.BandEdge/max(bandMore*s.BandInner, 1e-9))
	step := min(s.Edge/stepSeen, s.Edge/max(stepMore*s.Inner, 1e-9))
	o := l.standOut()
	if far := l.beyond(); o.steady > lineSteady && s.BandInner > 0 && far < lineBand*s.Edge &&
		min(far/bandSeen, far/max(bandMore*s.BandInner, 1e-9)) < 1 {
		// A joint or a bevel: a line along the whole edge, with the same on both sides of it.
		step, band = min(step, drawnLine), min(band, drawnLine)
	} else {
		step = min(max(step, l.worst()), o.tenth/tenthSeen)
		if o.most {
			step = max(step, o.twentieth/twentiethSeen)
		}
	}
	return max(step, band, l.broken())
}

// What a seam shows by places that stand out, and what makes a drawn line of it.
const (
	tenthSeen, twentiethSeen = 3, 4.5
	lineSteady, lineBand     = 0.8, 0.5
	drawnLine                = 0.9 // what it counts at most
)

// beyond is how much bands on both sides of the seam differ that begin where a line along it has ended.
func (l *lines) beyond() float64 {
	const line = 4 // px
	if l.n < 2*(line+band) {
		return math.Inf(1)
	}
	sum := 0.0
	for i := range l.m {
		d := 0.0
		for k := line; k < line+band; k++ {
			d += l.line(k)[i] - l.line(-1 - k)[i]
		}
		sum += math.Abs(d) / band
	}
	return sum / float64(l.m)
}

// standing is how many of the places along a seam stand out of those inside.
type standing struct {
	tenth     float64 // times as many are above what a tenth of the places inside are above
	twentieth float64
	most      bool    // they go both ways, as hardly any line inside with steps as large does, above 3 levels
	steady    float64 // 0..1: the step goes one way along the whole edge
}

// standOut compares the steps at a seam with all steps inside, each with the nearest of three px, so that what goes on
// at a slant is no step.
func (l *lines) standOut() (o standing) {
	const fine = 10 // to a level
	if l.n < 4 || l.m < 4 {
		return o
	}
	steps := func(a int, f func(d float64)) {
		p, q := l.line(a-1), l.line(a)
		for i := range p {
			before, after := (i+l.m-1)%l.m, (i+1)%l.m
			d := min(math.Abs(p[i]-q[i]), math.Abs(p[i]-q[before]), math.Abs(p[i]-q[after]))
			f(min(d, math.Abs(p[before]-q[i]), math.Abs(p[after]-q[i])))
		}
	}
	var counts [256*fine + 1]int
	means, steady := make([]float64, l.n), make([]float64, l.n) // at 0 the edge
	for a := range l.n {
		signed, whole := 0.0, 0.0
		p, q := l.line(a-1), l.line(a)
		for i := range p {
			signed, whole = signed+p[i]-q[i], whole+math.Abs(p[i]-q[i])
		}
		steady[a] = math.Abs(signed) / max(whole, 1e-9)
		steps(a, func(d float64) {
			means[a] += d / float64(l.m)
			if a > 0 {
				counts[min(int(d*fine), len(counts)-1)]++
			}
		})
	}
	above := func(share float64) float64 { // what that share of the places is above
		left := share * float64((l.n-1)*l.m)
		for k := len(counts) - 1; k > 0; k-- {
			if left -= float64(counts[k]); left < 0 {
				return max(float64(k+1)/fine, 1)
			}
		}
		return 1
	}
	tenth, twentieth := above(0.1), above(0.05)
	steps(0, func(d float64) {
		if d > tenth {
			o.tenth += 10 / float64(l.m)
		}
		if d > twentieth {
			o.twentieth += 20 / float64(l.m)
		}
	})
	o.steady, o.most = steady[0], means[0] >= 3 && steady[0] < 0.6
	for a := 1; a < l.n; a++ {
		o.most = o.most && (means[a] < 0.9*means[0] || steady[a] > steady[0]+0.2)
	}
	return o
}

// lines are the lines of a tile that run along a seam: n of them with m places each, as lightness.
type lines struct {
	n, m int
	v    []float64
}

// linesOf are the columns of a tile, or its rows.
func linesOf(img *image.RGBA, columns bool) *lines {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	l := &lines{n: h, m: w}
	if columns {
		l.n, l.m = w, h
	}
	skip := max(1, l.m/sampled)
	count := (l.m + skip - 1) / skip
	l.v = make([]float64, 0, l.n*count)
	for a := range l.n {
		for i := 0; i < l.m; i += skip {
			x, y := i, a
			if columns {
				x, y = a, i
			}
			p := img.Pix[y*img.Stride+4*x:][:4]
			l.v = append(l.v, 0.299*float64(p[0])+0.587*float64(p[1])+0.114*float64(p[2])+float64(255-p[3])/2)
		}
	}
	l.m = count
	return l
}

func (l *lines) line(a int) []float64 { return l.v[(a+l.n)%l.n*l.m:][:l.m] }

// window is how many places of a line are looked at together, for the worst of them.
const window = 20

// worst is how much larger the step across the seam is at its worst place than at any place inside.
func (l *lines) worst() float64 {
	if l.n < 4 || l.m < window {
		return 0
	}
	most := func(a int) float64 {
		p, q := l.line(a-1), l.line(a)
		sum, out := 0.0, 0.0
		for i := range l.m {
			sum += math.Abs(p[i] - q[i])
			if i >= window {
				sum -= math.Abs(p[i-window] - q[i-window])
			}
			if i >= window-1 {
				out = max(out, sum/window)
			}
		}
		return out
	}
	inner := 0.0
	for a := 1; a < l.n; a++ {
		inner = max(inner, most(a))
	}
	edge := most(0)
	return min(edge/(2.5*stepSeen), edge/max(1.15*inner, 1e-9))
}

// broken is how much less what lies on both sides of the seam has in common than neighbours inside have at their
// least: lines that do not go on. Textures whose neighbours have nothing in common have nothing that could break.
func (l *lines) broken() float64 {
	if l.n < 8 || l.m < 16 {
		return 0
	}
	// Pairs of lines on both sides: a line that goes on at a slant is met in the second.
	pair := func(a int) []float64 {
		p, q, out := l.line(a), l.line(a+1), make([]float64, l.m)
		for i := range out {
			out[i] = (p[i] + q[i]) / 2
		}
		return out
	}
	apart := func(a int) (less, spread float64) {
		p, q := pair(a-2), pair(a)
		var mp, mq, pp, qq, pq float64
		for i := range p {
			mp, mq = mp+p[i], mq+q[i]
		}
		mp, mq = mp/float64(l.m), mq/float64(l.m)
		for i := range p {
			x, y := p[i]-mp, q[i]-mq
			pp, qq, pq = pp+x*x, qq+y*y, pq+x*y
		}
		spread = math.Sqrt(min(pp, qq) / float64(l.m))
		return 1 - pq/math.Sqrt(max(pp*qq, 1e-9)), spread
	}
	most, sum, n := 0.0, 0.0, 0
	for a := 2; a <= l.n-2; a++ {
		d, spread := apart(a)
		if spread < 2 {
			continue
		}
		most, sum, n = max(most, d), sum+d, n+1
	}
	edge, spread := apart(0)
	if spread < 2 || n < l.n/4 {
		return 0
	}
	mean := sum / float64(n)
	return min((edge-mean)/0.22, edge/max(1.25*most, 1e-9), spread/2.5)
}

// breaks are how well it is seen that the picture does not end with a whole repeat: that much less the copies beside,
// and below, are alike than what repeats in it. 1 is just seen; 0 where it ends with one.
func breaks(img *image.RGBA, l *Lattice) (x, y float64) {
	det := l.A[0]*l.B[1] - l.A[1]*l.B[0]
	if math.Abs(det) < 0.5 || l.Sure < leastAlike {
		return 0, 0
	}
	if max(img.Rect.Dx(), img.Rect.Dy()) > mostSide {
		return 0, 0 // its ends lie far from where its repeats were measured
	}
	f := fieldOf(img).soft()
	at := func(v [2]float64) float64 {
		i, k := math.Round((v[0]*l.B[1]-v[1]*l.B[0])/det), math.Round((v[1]*l.A[0]-v[0]*l.A[1])/det)
		e := [2]float64{v[0] - i*l.A[0] - k*l.B[0], v[1] - i*l.A[1] - k*l.B[1]}
		// A shift along which all is the same is none; far from the picture's start a repeat is not known to a px.
		if math.Hypot(e[0], e[1]) < 0.75+0.004*math.Hypot(v[0], v[1]) {
			return 0
		}
		return max(1-f.shifted(int(math.Round(e[0])), int(math.Round(e[1])))/l.Sure, 0) / breakSeen
	}
	if !l.Once[0] {
		x = at([2]float64{float64(f.w), 0})
	}
	if !l.Once[1] {
		y = at([2]float64{0, float64(f.h)})
	}
	return x, y
}

// AsTile looks at a picture as it is seen laid beside itself, as See does, and at what repeats in it as well, which
// must end with a whole repeat. The lattice is nil where nothing repeats.
func AsTile(img *image.RGBA) (Visible, *Lattice) {
	v := See(img)
	l, ok := FindLattice(img)
	if !ok {
		return v, nil
	}
	x, y := breaks(img, &l)
	v.X, v.Y = max(v.X, x), max(v.Y, y)
	return v, &l
}

// breakSeen is by which share likeness falls where a break is just seen.
const breakSeen = 0.3
