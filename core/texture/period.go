package texture

import (
	"cmp"
	"image"
	"math"
	"slices"
)

// Lattice is how a picture repeats: the shifts that leave it the same are the whole sums of A and B, px.
type Lattice struct {
	A, B [2]float64 // a shortest basis
	// Period is the smallest rectangle that tiles the picture, px: 0 on an axis on which any shift does.
	Period [2]float64
	// Offset: rows or columns are shifted against each other, as in a brick wall; the rectangle holds more than one.
	Offset bool
	Sure   float64 // how alike shifted copies are, 0..1: 1 is the same
	Once   [2]bool // the picture does not repeat on the axis: its whole side is the period

	slanted bool // stripes at an angle: any shift along A does
}

// What counts as the same. Shifted copies of a texture with noise are as alike as the noise lets them be: what counts
// is that all shifts of a lattice are equally so, and others are not.
const (
	leastAlike = 0.30  // correlation of shifted copies: less is chance, or not worth cutting for
	asAlike    = 0.965 // of the best shift that a shift of the lattice has at least, each by itself
	allAlike   = 0.92  // and all that the basis makes
	asFine     = 0.93  // of what a lattice has, that shifts between have to be of it too
	asNear     = 0.93  // of px that are neighbours: what repeats is as alike as they are
	mostShift  = 0.62  // of a side that copies are shifted by: the rest must overlap
	smallSide  = 512   // px that are looked at at once; larger pictures in their middle, and made smaller
)

// FindLattice finds how a picture repeats within itself: at least twice on an axis. ok is false where it does not.
func FindLattice(img *image.RGBA) (l Lattice, ok bool) {
	f := fieldOf(middleOf(img))
	if f.flat() {
		return Lattice{A: [2]float64{1, 0}, B: [2]float64{0, 1}, Sure: 1}, true
	}
	k := (max(f.w, f.h) + smallSide - 1) / smallSide
	if k <= 1 {
		soft := f.soft()
		return find(soft, soft)
	}
	// Fine patterns are seen in the middle, large ones in a smaller picture: the fine one must hold for the whole.
	part := f.middle(2 * smallSide).soft()
	fine, ok1 := find(f.middle(smallSide).soft(), part)
	if ok1 && fine.Sure >= 0.9 && f.far(&fine) {
		fine.rectangle(f)
		return fine, true
	}
	half := f
	if k > 2 {
		half = f.smaller(2)
	}
	coarse, ok2 := find(f.smaller(k), half.soft())
	switch {
	case ok1 && (!ok2 || fine.Sure >= asAlike*coarse.Sure) && f.far(&fine):
		l, ok = fine, true
	case ok2:
		l, ok = coarse, true
	}
	if ok {
		l.rectangle(f)
		ok = l.Period[0] <= float64(f.w) && l.Period[1] <= float64(f.h)
	}
	return l, ok
}

// far reports whether a lattice that was found in the middle of a picture holds from side to side of it.
func (f *field) far(l *Lattice) bool {
	for _, v := range [][2]float64{l.A, l.B} {
		if math.Abs(v[0])+math.Abs(v[1]) < 1.5 { // any shift does
			continue
		}
		k := math.Floor(min(0.5*float64(f.w)/max(math.Abs(v[0]), 1e-9), 0.5*float64(f.h)/max(math.Abs(v[1]), 1e-9)))
		x, y := int(math.Round(k*v[0])), int(math.Round(k*v[1]))
		best := -1.0
		for dy := -1; dy <= 1; dy++ {
			for dx := -1; dx <= 1; dx++ {
				best = max(best, f.shifted(x+dx, y+dy))
			}
		}
		if k >= 1 && best < 0.5*l.Sure {
			return false
		}
	}
	return true
}

// mostSide is how many px a side are looked at, and made a tile of: larger ones are no textures for a page.
const mostSide = 3000

// middleOf is the middle of a picture that is too large to be looked at as a whole.
func middleOf(img *image.RGBA) *image.RGBA {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	if max(w, h) <= mostSide {
		return img
	}
	r := image.Rect(0, 0, min(w, mostSide), min(h, mostSide)).Add(image.Pt((w-min(w, mostSide))/2, (h-min(h,
		mostSide))/2))
	sub := img.SubImage(r.Add(img.Rect.Min)).(*image.RGBA)
	out := *sub
	out.Rect = image.Rect(0, 0, r.Dx(), r.Dy()) // px count from the corner everywhere here
	return &out
}

// find looks for a lattice in a part of a picture, or in one made smaller, and measures it on a larger one.
func find(f, whole *field) (Lattice, bool) {
	m := correlate(f)
	l, ok := m.lattice()
	if !ok {
		return l, false
	}
	for _, v := range []*[2]float64{&l.A, &l.B} {
		v[0], v[1] = v[0]*f.scale, v[1]*f.scale
	}
	l.Sure = min(l.Sure, 1)
	if l.slanted {
		l.straighten(whole)
	}
	if !l.slanted {
		l.refine(whole)
	}
	if l.Sure < leastAlike {
		return l, false
	}
	l.rectangle(whole)
	return l, l.Period[0] <= float64(whole.w)*whole.scale && l.Period[1] <= float64(whole.h)*whole.scale
}

// peak is a shift at which a picture is like itself.
type peak struct {
	at    [2]float64
	alike float64
}

func (p *peak) length() float64 { return math.Hypot(p.at[0], p.at[1]) }

// lattice finds the basis in the map of a picture's likeness with itself.
func (m *likeness) lattice() (Lattice, bool) {
	for axis := range 2 {
		if s, ok := m.free(axis); ok {
			return m.stripes(axis, s)
		}
	}
	if l, ok := m.slanted(); ok {
		return l, true
	}
	peaks := m.peaks()
	if len(peaks) == 0 {
		return Lattice{}, false
	}
	top := peaks[0].alike
	for _, p := range peaks {
		top = max(top, p.alike)
	}
	near := 0.0
	for _, d := range [][2]int{{3, 0}, {0, 3}} {
		if v, ok := m.at(d[0], d[1]); ok {
			near = max(near, v)
		}
	}
	if top < leastAlike || top < asNear*near {
		return Lattice{}, false
	}
	peaks = slices.DeleteFunc(peaks, func(p peak) bool { return p.alike < asAlike*top })
	slices.SortStableFunc(peaks, func(a, b peak) int { return cmp.Compare(a.length(), b.length()) })
	const tried = 14
	for i := 0; i < min(len(peaks), tried); i++ {
		a := peaks[i].at
		for k := i + 1; k < min(len(peaks), 4*tried); k++ {
			b := peaks[k].at
			if cross(a, b) < 0.15*peaks[i].length()*peaks[k].length() {
				continue
			}
			l := Lattice{A: a, B: b}
			l.reduce()
			if s, ok := m.holds(&l, top); ok {
				l.Sure = s
				m.finer(&l)
				return l, true
			}
		}
		if s, ok := m.along(a, top); ok { // it repeats on one axis alone
			if l, ok := m.once(a, s); ok {
				return l, true
			}
		}
	}
	return Lattice{}, false
}

func cross(a, b [2]float64) float64 { return math.Abs(a[0]*b[1] - a[1]*b[0]) }

// reduce makes the basis a shortest one (Lagrange and Gauss), the first vector the more level one, both pointing
// right or down.
func (l *Lattice) reduce() {
	a, b := l.A, l.B
	for range 50 {
		if math.Hypot(b[0], b[1]) < math.Hypot(a[0], a[1]) {
			a, b = b, a
		}
		k := math.Round((a[0]*b[0] + a[1]*b[1]) / (a[0]*a[0] + a[1]*a[1]))
		if k == 0 {
			break
		}
		b[0], b[1] = b[0]-k*a[0], b[1]-k*a[1]
	}
	for _, v := range []*[2]float64{&a, &b} {
		if v[1] < -1e-9 || math.Abs(v[1]) <= 1e-9 && v[0] < 0 {
			v[0], v[1] = -v[0], -v[1]
		}
	}
	if math.Abs(a[1])*math.Abs(b[0]) > math.Abs(b[1])*math.Abs(a[0]) {
		a, b = b, a
	}
	l.A, l.B = a, b
}

// holds reports whether all shifts that a basis makes leave the picture alike, and how alike at the mean. Halfway
// between them it must be less so: else the likeness is of something broad.
func (m *likeness) holds(l *Lattice, top float64) (mean float64, ok bool) {
	sum, n, less, between := 0.0, 0, 0.0, 0
	for i := -4; i <= 4; i++ {
		for k := 0; k <= 4; k++ {
			if i == 0 && k == 0 || k == 0 && i < 0 {
				continue
			}
			at := [2]float64{float64(i)*l.A[0] + float64(k)*l.B[0], float64(i)*l.A[1] + float64(k)*l.B[1]}
			if v, inside := m.near(at, 1); inside {
				sum += v
				n++
				if v < allAlike*top {
					return 0, false
				}
			}
			for _, half := range [][2]float64{{0.5, 0}, {0, 0.5}, {0.5, 0.5}} {
				x := [2]float64{at[0] - half[0]*l.A[0] - half[1]*l.B[0], at[1] - half[0]*l.A[1] - half[1]*l.B[1]}
				if v, inside := m.near(x, 0); inside {
					less += v
					between++
				}
			}
		}
	}
	if n == 0 || between == 0 {
		return 0, false
	}
	mean = sum / float64(n)
	return mean, mean >= leastAlike && mean-less/float64(between) > 0.25*mean && m.stands(mean, n)
}

// finer takes shifts into a lattice that lie between its own and are as good: peaks may be too broad, or lie too much
// between px, to have been met by themselves.
func (m *likeness) finer(l *Lattice) {
	for range 4 {
		best := Lattice{}
		for _, part := range []float64{2, 3} {
			for i := range int(part) {
				for k := range int(part) {
					if i == 0 && k == 0 {
						continue
					}
					u, v := float64(i)/part, float64(k)/part
					at := [2]float64{u*l.A[0] + v*l.B[0], u*l.A[1] + v*l.B[1]}
					if x, inside := m.near(at, 1); !inside || x < asFine*l.Sure || math.Hypot(at[0], at[1]) < 2.5 {
						continue
					}
					t := Lattice{A: at, B: l.A, Sure: l.Sure}
					if cross(at, l.A) < cross(at, l.B) {
						t.B = l.B
					}
					t.reduce()
					if s, ok := m.holds(&t, l.Sure*asFine/allAlike); ok && best.Sure == 0 {
						best = t
						best.Sure = s
					}
				}
			}
		}
		if best.Sure == 0 {
			return
		}
		*l = best
	}
}

// stands reports whether a likeness stands out from what shifts have by chance: noise needs more shifts that agree.
func (m *likeness) stands(mean float64, n int) bool {
	need := 0.62
	switch {
	case n >= 6:
		need = leastAlike
	case n >= 3:
		need = 0.42
	}
	return mean >= need && mean > 4*m.spread()
}

// along reports whether the multiples of a shift leave the picture alike.
func (m *likeness) along(a [2]float64, top float64) (mean float64, ok bool) {
	sum, n := 0.0, 0
	for i := 1; i <= 8; i++ {
		v, inside := m.near([2]float64{float64(i) * a[0], float64(i) * a[1]}, 1)
		if !inside {
			break
		}
		if v < allAlike*top {
			return 0, false
		}
		sum += v
		n++
	}
	half, inside := m.near([2]float64{a[0] / 2, a[1] / 2}, 0)
	mean = sum / float64(max(n, 1))
	return mean, n > 0 && inside && mean-half > 0.25*mean && mean >= 0.62 && mean > 4*m.spread()
}

// once is the lattice of a picture that repeats on one axis, and on the other is there once.
func (m *likeness) once(a [2]float64, sure float64) (Lattice, bool) {
	w, h := float64(m.f.w), float64(m.f.h)
	switch {
	case math.Abs(a[1]) <= 1:
		return Lattice{A: [2]float64{a[0], 0}, B: [2]float64{0, h}, Sure: sure, Once: [2]bool{false, true}}, true
	case math.Abs(a[0]) <= 1:
		return Lattice{A: [2]float64{w, 0}, B: [2]float64{0, a[1]}, Sure: sure, Once: [2]bool{true, false}}, true
	}
	return Lattice{}, false
}

// free reports whether any shift on an axis leaves the picture alike, and how alike.
func (m *likeness) free(axis int) (alike float64, ok bool) {
	least, sum, n := math.Inf(1), 0.0, 0
	for i := 2; ; i++ {
		at := [2]float64{}
		at[axis] = float64(i)
		v, inside := m.near(at, 0)
		if !inside {
			break
		}
		least, sum, n = min(least, v), sum+v, n+1
	}
	if n < 4 {
		return 0, false
	}
	return sum / float64(n), least > 0.96*sum/float64(n) && least > leastAlike
}

// stripes is the lattice of a picture that is the same along an axis.
func (m *likeness) stripes(axis int, alike float64) (Lattice, bool) {
	l := Lattice{A: [2]float64{1, 0}, B: [2]float64{0, 1}, Sure: alike}
	across := 1 - axis
	if _, both := m.free(across); both {
		return l, true
	}
	line := func(i int) (float64, bool) {
		at := [2]float64{}
		at[across] = float64(i)
		return m.near(at, 0)
	}
	var found []peak
	for i := 2; ; i++ {
		v, ok := line(i)
		before, _ := line(i - 1)
		after, inside := line(i + 1)
		if !ok || !inside {
			break
		}
		if v >= before && v > after && v > leastAlike {
			at := [2]float64{}
			at[across] = float64(i) + vertex(before, v, after)
			found = append(found, peak{at, v})
		}
	}
	if len(found) == 0 {
		l.Once[across] = true
		if across == 0 {
			l.A[0] = float64(m.f.w)
		} else {
			l.B[1] = float64(m.f.h)
		}
		return l, false // nothing repeats: it is the same all along
	}
	top := slices.MaxFunc(found, func(a, b peak) int { return cmp.Compare(a.alike, b.alike) }).alike
	for _, p := range found {
		if p.alike < asAlike*top {
			continue
		}
		if s, ok := m.along(p.at, top); ok || s >= leastAlike && ok {
			if across == 0 {
				l.A = p.at
			} else {
				l.B = p.at
			}
			l.Sure = s
			return l, true
		}
	}
	return l, false
}

// slanted is the lattice of stripes at an angle: of a picture that is the same along a line. A is a step of a px along
// it, B leads to the next stripe.
func (m *likeness) slanted() (Lattice, bool) {
	const tries = 360
	reach := 0.9 * float64(min(m.mx, m.my))
	if reach < 8 {
		return Lattice{}, false
	}
	best, angle := 0.0, 0.0
	for i := range tries {
		a := math.Pi * float64(i) / tries
		least := 1.0
		for t := 3.0; t <= reach && least > best; t += max(reach/40, 1) {
			least = min(least, m.smoothAt(t*math.Cos(a), t*math.Sin(a)))
		}
		if least > best {
			best, angle = least, a
		}
	}
	cos, sin := math.Cos(angle), math.Sin(angle)
	if best < 0.8 || math.Abs(cos) < 0.05 || math.Abs(sin) < 0.05 {
		return Lattice{}, false
	}
	// Across the stripes: the first top that is as high as the highest.
	var tops []peak
	for t := 2.0; t < reach; t += 0.25 {
		v := m.smoothAt(-t*sin, t*cos)
		if v > m.smoothAt(-(t-0.25)*sin, (t-0.25)*cos) && v >= m.smoothAt(-(t+0.25)*sin, (t+0.25)*cos) {
			tops = append(tops, peak{[2]float64{-t * sin, t * cos}, v})
		}
	}
	if len(tops) == 0 {
		return Lattice{}, false
	}
	high := slices.MaxFunc(tops, func(a, b peak) int { return cmp.Compare(a.alike, b.alike) }).alike
	for _, p := range tops {
		if half := m.smoothAt(p.at[0]/2, p.at[1]/2); p.alike >= asFine*high && high-half > 0.25*high && high >= 0.62 {
			return Lattice{A: [2]float64{cos, sin}, B: p.at, Sure: p.alike, slanted: true}, true
		}
	}
	return Lattice{}, false
}

// smoothAt is the likeness between whole shifts.
func (m *likeness) smoothAt(x, y float64) float64 {
	if y < 0 {
		x, y = -x, -y
	}
	i, j := math.Floor(x), math.Floor(y)
	a, ok1 := m.at(int(i), int(j))
	b, ok2 := m.at(int(i)+1, int(j))
	c, ok3 := m.at(int(i), int(j)+1)
	d, ok4 := m.at(int(i)+1, int(j)+1)
	if !ok1 || !ok2 || !ok3 || !ok4 {
		return -1
	}
	x, y = x-i, y-j
	return (a*(1-x)+b*x)*(1-y) + (c*(1-x)+d*x)*y
}

// vertex is where the parabola through three neighbours has its top, from the middle one.
func vertex(a, b, c float64) float64 {
	if d := a - 2*b + c; d < -1e-12 {
		return min(max((a-c)/(2*d), -0.5), 0.5)
	}
	return 0
}

// straighten measures stripes at an angle on both axes, where shifts leave them the same too.
func (l *Lattice) straighten(f *field) {
	n := math.Hypot(l.B[0], l.B[1])
	var side [2]float64
	for i := range side {
		c := math.Abs(l.B[i]) / n
		t := Lattice{A: [2]float64{}, B: [2]float64{}, Once: [2]bool{i != 0, i != 1}}
		v := [2]float64{}
		v[i] = n / c
		if i == 0 {
			t.A = v
		} else {
			t.B = v
		}
		t.refine(f)
		side[i] = max(math.Abs(t.A[i]), math.Abs(t.B[i]))
	}
	apart := side[0] * side[1] / math.Hypot(side[0], side[1])
	along := [2]float64{side[0] / math.Hypot(side[0], side[1]), side[1] / math.Hypot(side[0], side[1])}
	if l.A[0]*l.A[1] < 0 {
		along[0] = -along[0]
	}
	l.A, l.B = along, [2]float64{-along[1] * apart, along[0] * apart}
	if l.B[1] < 0 {
		l.B = [2]float64{-l.B[0], -l.B[1]}
	}
	l.Period = side
}

// rectangle finds the smallest one that tiles the picture, within some repeats.
func (l *Lattice) rectangle(f *field) {
	if l.slanted {
		return
	}
	const most = 12
	sides := [2]float64{float64(f.w) * f.scale, float64(f.h) * f.scale}
	for axis := range 2 {
		best := math.Inf(1)
		for i := -most; i <= most; i++ {
			for k := -most; k <= most; k++ {
				x := float64(i)*l.A[axis] + float64(k)*l.B[axis]
				y := float64(i)*l.A[1-axis] + float64(k)*l.B[1-axis]
				// A repeat may miss the line by what cannot be measured.
				if x > 0.5 && x < best && math.Abs(y) < 0.25+0.012*x {
					best = x
				}
			}
		}
		l.Period[axis] = best
		if math.IsInf(best, 1) || best > sides[axis]+0.5 {
			l.Period[axis] = math.Inf(1)
		}
	}
	area := math.Abs(l.A[0]*l.B[1] - l.A[1]*l.B[0])
	l.Offset = l.Period[0]*l.Period[1] > 1.4*area
	for axis, v := range [][2]float64{l.A, l.B} { // any shift does
		if math.Abs(v[axis]-1) < 1e-9 && math.Abs(v[1-axis]) < 1e-9 {
			l.Period[axis] = 0
		}
	}
	if l.Period[0] == 0 || l.Period[1] == 0 {
		l.Offset = false
	}
}
