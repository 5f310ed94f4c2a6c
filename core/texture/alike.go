package texture

import (
	"image"
	"math"
	"slices"

	"gonum.org/v1/gonum/dsp/fourier"
)

// field is a picture as two planes of numbers, lightness and a colour difference, of mean zero and without a slope.
type field struct {
	w, h  int
	v     []complex128
	scale float64 // px of the picture for each of these
}

func fieldOf(img *image.RGBA) *field {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	f := &field{w: w, h: h, v: make([]complex128, w*h), scale: 1}
	for y := range h {
		row := img.Pix[y*img.Stride:]
		for x := range w {
			p := row[4*x : 4*x+4]
			// What is see-through stands on a grey.
			under := float64(255-p[3]) * 0.5
			r, g, b := float64(p[0])+under, float64(p[1])+under, float64(p[2])+under
			f.v[y*w+x] = complex(0.299*r+0.587*g+0.114*b, 0.5*(r-b))
		}
	}
	f.level()
	return f
}

// slopeSeen is the share of the power from which on a slope is one of light: textures that do not end with a whole
// repeat have some of their own.
const slopeSeen = 0.15

// level takes out the mean, and the slope where there is one.
func (f *field) level() {
	var sum, sx, sy complex128
	var xx, yy float64
	mx, my := float64(f.w-1)/2, float64(f.h-1)/2
	for y := range f.h {
		for x := range f.w {
			v, dx, dy := f.v[y*f.w+x], float64(x)-mx, float64(y)-my
			sum += v
			sx += v * complex(dx, 0)
			sy += v * complex(dy, 0)
			xx += dx * dx
			yy += dy * dy
		}
	}
	mean := sum / complex(float64(len(f.v)), 0)
	kx, ky := sx/complex(max(xx, 1), 0), sy/complex(max(yy, 1), 0)
	total := 0.0
	for _, v := range f.v {
		total += dot(v-mean, v-mean)
	}
	if dot(kx, kx)*xx+dot(ky, ky)*yy < slopeSeen*total {
		kx, ky = 0, 0
	}
	for y := range f.h {
		for x := range f.w {
			f.v[y*f.w+x] -= mean + kx*complex(float64(x)-mx, 0) + ky*complex(float64(y)-my, 0)
		}
	}
}

// power is the mean square.
func (f *field) power() float64 {
	sum := 0.0
	for _, v := range f.v {
		sum += real(v)*real(v) + imag(v)*imag(v)
	}
	return sum / float64(max(len(f.v), 1))
}

// flat reports a picture of one colour, but for the rounding of its levels.
func (f *field) flat() bool { return f.power() < 0.3 }

// middle is the middle of the picture, n px a side at most.
func (f *field) middle(n int) *field {
	w, h := min(f.w, n), min(f.h, n)
	x0, y0 := (f.w-w)/2, (f.h-h)/2
	out := &field{w: w, h: h, v: make([]complex128, 0, w*h), scale: f.scale}
	for y := range h {
		out.v = append(out.v, f.v[(y0+y)*f.w+x0:][:w]...)
	}
	out.level()
	return out
}

// smaller is the picture with k x k px made one.
func (f *field) smaller(k int) *field {
	w, h := max(f.w/k, 1), max(f.h/k, 1)
	out := &field{w: w, h: h, v: make([]complex128, w*h), scale: f.scale * float64(k)}
	for y := range h {
		for x := range w {
			var sum complex128
			for j := range k {
				for i := range k {
					sum += f.v[min(y*k+j, f.h-1)*f.w+min(x*k+i, f.w-1)]
				}
			}
			out.v[y*w+x] = sum / complex(float64(k*k), 0)
		}
	}
	return out
}

// soft blurs a little (1 2 1 on both axes): repeats that are no whole px long are alike then, and noise is less.
func (f *field) soft() *field {
	tmp := make([]complex128, len(f.v))
	out := &field{w: f.w, h: f.h, v: make([]complex128, len(f.v)), scale: f.scale}
	for y := range f.h {
		for x := range f.w {
			l, r := max(x-1, 0), min(x+1, f.w-1)
			tmp[y*f.w+x] = (f.v[y*f.w+l] + 2*f.v[y*f.w+x] + f.v[y*f.w+r]) / 4
		}
	}
	for y := range f.h {
		up, down := max(y-1, 0), min(y+1, f.h-1)
		for x := range f.w {
			out.v[y*f.w+x] = (tmp[up*f.w+x] + 2*tmp[y*f.w+x] + tmp[down*f.w+x]) / 4
		}
	}
	return out
}

// likeness is how a picture correlates with itself, shifted: for shifts down, and to both sides.
type likeness struct {
	f      *field
	mx, my int // the largest shifts
	v      []float64
	wide   float64
}

// correlate computes the likeness at all shifts at once, over what the shifted copies have in common.
// Source: J. P. Lewis, Fast Normalized Cross-Correlation (Vision Interface 1995).
func correlate(f *field) *likeness {
	m := &likeness{f: f, mx: int(mostShift * float64(f.w)), my: int(mostShift * float64(f.h)), wide: -1}
	nx, ny := smooth(f.w+m.mx+1), smooth(f.h+m.my+1)
	grid := make([]complex128, nx*ny)
	for y := range f.h {
		copy(grid[y*nx:], f.v[y*f.w:][:f.w])
	}
	transform(grid, nx, ny, false)
	for i, v := range grid {
		grid[i] = complex(real(v)*real(v)+imag(v)*imag(v), 0)
	}
	transform(grid, nx, ny, true)
	sums := f.energies()
	m.v = make([]float64, (2*m.mx+1)*(m.my+1))
	for dy := 0; dy <= m.my; dy++ {
		for dx := -m.mx; dx <= m.mx; dx++ {
			both := real(grid[dy*nx+(dx+nx)%nx]) / float64(nx*ny)
			x0, x1 := max(0, -dx), min(f.w, f.w-dx)
			a := sums.of(x0, 0, x1, f.h-dy)
			b := sums.of(x0+dx, dy, x1+dx, f.h)
			if e := math.Sqrt(a * b); e > 1e-9 {
				m.v[dy*(2*m.mx+1)+dx+m.mx] = both / e
			}
		}
	}
	return m
}

// smooth is the next number that has no prime factor above 5.
func smooth(n int) int {
	for ; ; n++ {
		k := n
		for _, p := range []int{2, 3, 5} {
			for k%p == 0 {
				k /= p
			}
		}
		if k == 1 {
			return n
		}
	}
}

// transform is the two-dimensional Fourier transform in place.
func transform(grid []complex128, nx, ny int, back bool) {
	rows, cols := fourier.NewCmplxFFT(nx), fourier.NewCmplxFFT(ny)
	run := func(t *fourier.CmplxFFT, line []complex128) {
		if back {
			t.Sequence(line, line)
		} else {
			t.Coefficients(line, line)
		}
	}
	for y := range ny {
		run(rows, grid[y*nx:][:nx])
	}
	const block = 16 // columns at once: memory is read in rows
	buf := make([]complex128, block*ny)
	for x0 := 0; x0 < nx; x0 += block {
		n := min(block, nx-x0)
		for y := range ny {
			for i := range n {
				buf[i*ny+y] = grid[y*nx+x0+i]
			}
		}
		for i := range n {
			run(cols, buf[i*ny:][:ny])
		}
		for y := range ny {
			for i := range n {
				grid[y*nx+x0+i] = buf[i*ny+y]
			}
		}
	}
}

// table is sums over rectangles.
type table struct {
	w int
	v []float64
}

func (f *field) energies() *table {
	t := &table{f.w + 1, make([]float64, (f.w+1)*(f.h+1))}
	for y := range f.h {
		row := 0.0
		for x := range f.w {
			v := f.v[y*f.w+x]
			row += real(v)*real(v) + imag(v)*imag(v)
			t.v[(y+1)*t.w+x+1] = t.v[y*t.w+x+1] + row
		}
	}
	return t
}

func (t *table) of(x0, y0, x1, y1 int) float64 {
	return t.v[y1*t.w+x1] - t.v[y0*t.w+x1] - t.v[y1*t.w+x0] + t.v[y0*t.w+x0]
}

// at is the likeness at a whole shift; inside is false beyond the largest.
func (m *likeness) at(dx, dy int) (v float64, inside bool) {
	if dy < 0 || dy == 0 && dx < 0 {
		dx, dy = -dx, -dy
	}
	if dy > m.my || dx > m.mx || dx < -m.mx {
		return 0, false
	}
	return m.v[dy*(2*m.mx+1)+dx+m.mx], true
}

// near is the largest likeness within some px of a shift, between whole px too where it is looked for.
func (m *likeness) near(at [2]float64, reach int) (best float64, inside bool) {
	x, y := int(math.Round(at[0])), int(math.Round(at[1]))
	best = math.Inf(-1)
	bx, by := x, y
	for dy := -reach; dy <= reach; dy++ {
		for dx := -reach; dx <= reach; dx++ {
			v, ok := m.at(x+dx, y+dy)
			if !ok {
				return 0, false
			}
			if v > best {
				best, bx, by = v, x+dx, y+dy
			}
		}
	}
	if reach > 0 {
		best = m.height(bx, by, best)
	}
	return best, true
}

// height is that of the hill whose top lies near a whole shift.
func (m *likeness) height(x, y int, v float64) float64 {
	l, ok1 := m.at(x-1, y)
	r, ok2 := m.at(x+1, y)
	u, ok3 := m.at(x, y-1)
	d, ok4 := m.at(x, y+1)
	out := v
	for _, n := range [][2]float64{{l, r}, {u, d}} {
		if t := vertex(n[0], v, n[1]); ok1 && ok2 && ok3 && ok4 {
			out -= (n[0] - n[1]) * t / 4
		}
	}
	return min(max(out, v), 1)
}

// peaks are the shifts at which the likeness is larger than at all neighbours, beyond the hill around none.
func (m *likeness) peaks() (out []peak) {
	hill := m.hill()
	for dy := 0; dy < m.my; dy++ {
		for dx := -m.mx + 1; dx < m.mx; dx++ {
			if dy == 0 && dx <= 0 || math.Hypot(float64(dx), float64(dy)) < hill {
				continue
			}
			v, _ := m.at(dx, dy)
			if v < leastAlike*0.7 || !m.top(dx, dy, v) {
				continue
			}
			l, _ := m.at(dx-1, dy)
			r, _ := m.at(dx+1, dy)
			u, _ := m.at(dx, dy-1)
			d, _ := m.at(dx, dy+1)
			out = append(out, peak{[2]float64{float64(dx) + vertex(l, v, r), float64(dy) + vertex(u, v, d)},
				m.height(dx, dy, v)})
		}
	}
	return out
}

func (m *likeness) top(dx, dy int, v float64) bool {
	for j := -1; j <= 1; j++ {
		for i := -1; i <= 1; i++ {
			if o, ok := m.at(dx+i, dy+j); (i != 0 || j != 0) && (!ok || o > v) {
				return false
			}
		}
	}
	return true
}

// hill is how far the likeness falls from no shift on, on the axis on which it falls sooner: nothing within is a
// repeat.
func (m *likeness) hill() float64 {
	reach := func(dx, dy int) float64 {
		last := 1.0
		for i := 1; ; i++ {
			v, ok := m.at(i*dx, i*dy)
			if !ok || v >= last {
				return float64(i - 1)
			}
			last = v
		}
	}
	return max(min(reach(1, 0), reach(0, 1), reach(1, 1), reach(-1, 1)), 1.5)
}

// spread is the likeness that shifts have by chance: the middle of the distances from zero.
func (m *likeness) spread() float64 {
	if m.wide < 0 {
		var all []float64
		for i := 0; i < len(m.v); i += 7 {
			all = append(all, math.Abs(m.v[i]))
		}
		slices.Sort(all)
		m.wide = all[len(all)/2] * 0.25
	}
	return m.wide
}

// refine measures the basis on the whole picture, at ever farther multiples, to a fraction of a px.
func (l *Lattice) refine(f *field) {
	for n, v := range []*[2]float64{&l.A, &l.B} {
		if l.Once[n] || math.Abs(v[n]) == f.scale && v[1-n] == 0 { // not measured: a side, or any shift
			continue
		}
		v[0], v[1] = v[0]/f.scale, v[1]/f.scale
		for k := 1; ; k *= 2 {
			at := [2]float64{float64(k) * v[0], float64(k) * v[1]}
			if math.Abs(at[0]) > mostShift*float64(f.w) || math.Abs(at[1]) > mostShift*float64(f.h) {
				break
			}
			best := f.climb(at)
			if math.Hypot(best[0]-at[0], best[1]-at[1]) > 0.35*math.Hypot(v[0], v[1]) {
				break // another repeat
			}
			v[0], v[1] = best[0]/float64(k), best[1]/float64(k)
		}
		for i := range v {
			v[i] *= f.scale
			if r := math.Round(v[i]); math.Abs(v[i]-r) < 0.04 {
				v[i] = r
			}
		}
	}
}

// climb finds the shift near one at which the picture is most alike.
func (f *field) climb(at [2]float64) (best [2]float64) {
	x, y := int(math.Round(at[0])), int(math.Round(at[1]))
	known := map[[2]int]float64{}
	of := func(i, k int) float64 {
		key := [2]int{i, k}
		if _, ok := known[key]; !ok {
			known[key] = f.shifted(i, k)
		}
		return known[key]
	}
	for range 6 {
		bx, by := x, y
		for dy := -1; dy <= 1; dy++ {
			for dx := -1; dx <= 1; dx++ {
				if of(x+dx, y+dy) > of(bx, by) {
					bx, by = x+dx, y+dy
				}
			}
		}
		if bx == x && by == y {
			break
		}
		x, y = bx, by
	}
	dx, dy := f.between(x, y)
	return [2]float64{float64(x) + dx, float64(y) + dy}
}

// between is how far from a whole shift the copies lie best upon each other, px: where their differences are such as
// their slopes make of a small shift.
// Source: B. D. Lucas, T. Kanade, An Iterative Image Registration Technique (IJCAI 1981).
func (f *field) between(dx, dy int) (x, y float64) {
	x0, x1, y0, y1 := max(0, -dx)+1, min(f.w, f.w-dx)-1, max(0, -dy)+1, min(f.h, f.h-dy)-1
	if x1-x0 < 2 || y1-y0 < 2 {
		return 0, 0
	}
	const most = 120_000
	step := max(1, int(math.Sqrt(float64((x1-x0)*(y1-y0))/most)))
	var xx, xy, yy, ex, ey float64
	for r := y0; r < y1; r += step {
		for c := x0 + r*7%step; c < x1; c += step {
			i, k := r*f.w+c, (r+dy)*f.w+c+dx
			e := f.v[i] - f.v[k]
			gx := (f.v[i+1] - f.v[i-1] + f.v[k+1] - f.v[k-1]) / 4
			gy := (f.v[i+f.w] - f.v[i-f.w] + f.v[k+f.w] - f.v[k-f.w]) / 4
			xx += dot(gx, gx)
			xy += dot(gx, gy)
			yy += dot(gy, gy)
			ex += dot(e, gx)
			ey += dot(e, gy)
		}
	}
	// Where all slopes point one way, the other axis says nothing: a little of the matrix's trace keeps it at rest.
	little := 1e-3 * (xx + yy)
	xx, yy = xx+little, yy+little
	det := xx*yy - xy*xy
	if det <= 0 {
		return 0, 0
	}
	x, y = (yy*ex-xy*ey)/det, (xx*ey-xy*ex)/det
	return min(max(x, -0.75), 0.75), min(max(y, -0.75), 0.75)
}

func dot(a, b complex128) float64 { return real(a)*real(b) + imag(a)*imag(b) }

// shifted is the likeness at one whole shift, of px that are spread over the picture.
func (f *field) shifted(dx, dy int) float64 {
	x0, x1, y0, y1 := max(0, -dx), min(f.w, f.w-dx), max(0, -dy), min(f.h, f.h-dy)
	if x1-x0 < 2 || y1-y0 < 2 {
		return -1
	}
	const most = 60_000
	step := max(1, int(math.Sqrt(float64((x1-x0)*(y1-y0))/most)))
	var both, a, b float64
	for y := y0; y < y1; y += step {
		// Rows begin at different columns, so that no pattern is met in one phase alone.
		for x := x0 + y*7%step; x < x1; x += step {
			p, q := f.v[y*f.w+x], f.v[(y+dy)*f.w+x+dx]
			both += real(p)*real(q) + imag(p)*imag(q)
			a += real(p)*real(p) + imag(p)*imag(p)
			b += real(q)*real(q) + imag(q)*imag(q)
		}
	}
	if a*b < 1e-9 {
		return -1
	}
	return both / math.Sqrt(a*b)
}
