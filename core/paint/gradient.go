package paint

import (
	"encoding/binary"
	"math"
	"sort"

	"tourmaline/core/css"
)

// ramp is the colour line of a gradient: piecewise linear in premultiplied sRGB
// over t. Positions rise; two nodes at one t are a hard stop.
type ramp struct {
	t      []float64
	c      [][4]float32 // premultiplied r, g, b, a, 0..255
	repeat bool
	span   float64 // t of the last node less the first, for repeats
	mean   [4]float32
	wide   bool // some colours lie outside sRGB
	// table holds painted colours at equal steps; nil where there is no extent.
	table         []uint32
	before, after uint32
	perStep       float64
	index         []int32 // node before t, in equal steps, to find segments quickly
}

// pieces is how many straight pieces stand for a segment that is curved in sRGB.
// Dark ends of linear-light spaces and hues that leave sRGB bend sharply: at 48
// the browser's picture was up to 8 levels away, at 256 it is not.
const pieces = 256

// newRamp resolves the stops of g on a gradient line of length px (or 360 for
// conic gradients, whose stops are angles).
// Source: CSS Images 4, color stop fix-up (https://www.w3.org/TR/css-images-4/#color-stop-fixup).
func newRamp(g *css.Gradient, env *css.Env, length float64) *ramp {
	stops := fixStops(g, env, length)
	space := g.In.Space
	if !g.In.Given {
		space = css.SRGB
		for _, s := range stops {
			if !s.legacy {
				space = css.Oklab
			}
		}
	}
	for i := range stops {
		if !stops[i].hint {
			stops[i].color = stops[i].raw.In(space, env.Current)
		}
	}
	stops = replaceHints(stops, g.In, env)
	mean := meanColour(stops, env)
	r := &ramp{repeat: g.Repeating, mean: mean}
	straight := space == css.SRGB || space == css.Legacy
	for i, s := range stops {
		if i == 0 {
			r.add(s.at, s.color)
		}
		if i+1 == len(stops) {
			if len(stops) > 1 {
				break
			}
			continue
		}
		next := stops[i+1]
		a, b := css.FixPair(drift(&s, &next), drift(&next, &s), g.In.Hue)
		if i > 0 {
			r.add(s.at, a)
		} else {
			r.c[0] = premultiply(a)
		}
		if !straight && next.at > s.at {
			for k := 1; k < pieces; k++ {
				f := float64(k) / pieces
				r.add(s.at+(next.at-s.at)*f, css.Lerp(a, b, f))
			}
		}
		r.add(next.at, b)
	}
	r.span = r.t[len(r.t)-1] - r.t[0]
	r.buildIndex()
	return r
}

type stop struct {
	at     float64
	raw    *css.Color
	color  css.Color
	hint   bool
	legacy bool
}

// fixStops gives every stop a position in 0..1 of the line, never falling.
func fixStops(g *css.Gradient, env *css.Env, length float64) []stop {
	var out []stop
	var given []bool
	for i := range g.Stops {
		s := &g.Stops[i]
		add := func(has bool, at float64) {
			out = append(out, stop{at: at, raw: &s.Color, hint: s.Hint, legacy: s.Hint || s.Color.IsLegacy()})
			given = append(given, has)
		}
		if len(s.At) == 0 {
			add(false, 0)
		}
		for k := range s.At {
			v := 0.0 // on a line without length, lengths count as 0
			if n := &s.At[k]; length > 0 {
				v = n.Resolve(env, length) / length
			} else if n.HasPercent() && !n.IsCalc() {
				v = n.Val / 100
			}
			add(true, v)
		}
	}
	n := len(out)
	if !given[0] {
		out[0].at, given[0] = 0, true
	}
	if !given[n-1] {
		out[n-1].at, given[n-1] = 1, true
	}
	high := math.Inf(-1)
	for i := range out {
		if given[i] {
			high = max(high, out[i].at)
			out[i].at = high
		}
	}
	for i := 1; i < n; i++ {
		if given[i] {
			continue
		}
		j := i
		for !given[j] {
			j++
		}
		a, b := out[i-1].at, out[j].at
		for k := i; k < j; k++ {
			out[k].at = a + (b-a)*float64(k-i+1)/float64(j-i+1)
			given[k] = true
		}
	}
	return out
}

// Stop is a colour stop where it lies on the gradient line, 0 at its start and 1
// at its end.
type Stop struct {
	At    float64
	Color *css.Color
	Hint  bool
}

// Line returns the length of a gradient's line in a box of w x h, CSS px (radial:
// the horizontal radius; conic: 0), and its stops after fix-up: none lies before
// the one in front of it.
// Source: CSS Images 4, color stop fix-up (https://www.w3.org/TR/css-images-4/#color-stop-fixup).
func Line(g *css.Gradient, env *css.Env, w, h float64) (length float64, stops []Stop) {
	scale := 0.0
	switch g.Kind {
	case css.Linear:
		sx, sy, ex, ey := linearEnds(g, env, w, h)
		length = math.Hypot(ex-sx, ey-sy)
		scale = length
	case css.Radial:
		length, _ = radii(g, env, w, h)
		scale = length
	case css.Conic:
		scale = 360
	}
	for _, s := range fixStops(g, env, scale) {
		stops = append(stops, Stop{s.at, s.raw, s.hint})
	}
	return length, stops
}

// replaceHints turns each hint into the stops that browsers draw for it: nine
// points of the standard's power curve, joined by straight lines.
// Differs: CSS Images 4 wants the curve itself; up to 18 levels apart.
func replaceHints(stops []stop, in css.Interpolation, env *css.Env) []stop {
	var out []stop
	for i, s := range stops {
		if !s.hint {
			out = append(out, s)
			continue
		}
		a, b := stops[i-1], stops[i+1]
		left, right := s.at-a.at, b.at-s.at
		total := left + right
		const near = 1e-6
		switch {
		case math.Abs(left-right) < near:
			continue
		case left < near:
			s.color, s.hint = b.color, false
			out = append(out, s)
			continue
		case right < near:
			s.color, s.hint = a.color, false
			out = append(out, s)
			continue
		}
		var at [9]float64
		if left > right {
			for y := range 7 {
				at[y] = a.at + left*(7+float64(y))/13
			}
			at[7], at[8] = s.at+right/3, s.at+right*2/3
		} else {
			at[0], at[1] = a.at+left/3, a.at+left*2/3
			for y := range 7 {
				at[y+2] = s.at + right*float64(y)/13
			}
		}
		space := a.color.Space
		if !in.Given { // hints are mixed in sRGB even where the gradient is not
			space = css.SRGB
		}
		fa, fb := css.FixPair(a.color.In(space, env.Current), b.color.In(space, env.Current), in.Hue)
		for _, t := range at {
			f := math.Pow((t-a.at)/total, math.Log(0.5)/math.Log(left/total))
			c := css.Lerp(fa, fb, f)
			out = append(out, stop{at: t, color: c.In(a.color.Space, env.Current), legacy: true})
		}
	}
	return out
}

// drift returns the colour of a grey stop with the hue that browsers give it
// beside another in lch and oklch. By the standard it has none and takes the
// other's. Browsers hand it on as a very small chroma of that hue; the rasterizer
// converts it with an error of the same size, and reads the hue of the sum. Both
// constants of each space were fitted to 24 hues on three greys.
func drift(s, other *stop) css.Color {
	c := s.color
	var angle, small, limit float64 // of the error; the small chroma in its units; what is read as no hue
	switch c.Space {
	case css.Lch:
		angle, small, limit = 179, 1.14, 0.7/math.Sqrt(max(c.C[0], 1e-9)/100)
	case css.Oklch:
		angle, small, limit = 203.5, 1, 0.05/math.Sqrt(max(c.C[0], 1e-9))
	default:
		return c
	}
	if limit := css.Powerless(c.Space); s.raw == nil || c.C[0] <= 0 || math.Abs(c.C[1]) >= limit ||
		math.Abs(other.color.C[1]) < limit {
		return c
	}
	if !s.raw.Space.RGB() {
		small = 0 // its chroma is exactly 0
	}
	const rad = math.Pi / 180
	x := math.Cos(angle*rad) + small*math.Cos(other.color.C[2]*rad)
	y := math.Sin(angle*rad) + small*math.Sin(other.color.C[2]*rad)
	if math.Hypot(x, y) < limit {
		return c
	}
	c.C[2] = math.Mod(math.Atan2(y, x)/rad+360, 360)
	c.Missing &^= 4
	return c
}

func premultiply(c css.Color) [4]float32 {
	v := c.Resolve(css.RGBA{})
	a := min(max(v.A, 0), 1)
	ch := func(x float64) float32 { return float32(x * a * 255) } // clipped when it is painted
	return [4]float32{ch(v.R), ch(v.G), ch(v.B), float32(a * 255)}
}

func (r *ramp) add(t float64, c css.Color) {
	p := premultiply(c)
	r.t, r.c = append(r.t, t), append(r.c, p)
	for i := range 3 {
		r.wide = r.wide || p[i] < 0 || p[i] > p[3]+0.001
	}
}

// opaque reports whether every colour of the ramp is.
func (r *ramp) opaque() bool {
	for _, c := range r.c {
		if c[3] < 254.99 {
			return false
		}
	}
	return true
}

const indexSize = 256

func (r *ramp) buildIndex() {
	r.index = make([]int32, indexSize)
	if !(r.span > 0) || math.IsInf(r.span, 1) {
		return
	}
	for i := range r.index {
		t := r.t[0] + r.span*float64(i)/indexSize
		r.index[i] = int32(max(sort.Search(len(r.t), func(k int) bool { return r.t[k] > t })-1, 0))
	}
}

// segment returns the node at or before t; t is inside the ramp.
func (r *ramp) segment(t float64) int {
	i := int((t - r.t[0]) / r.span * indexSize)
	k := int(r.index[min(max(i, 0), indexSize-1)])
	for k+1 < len(r.t) && r.t[k+1] <= t {
		k++
	}
	return k
}

// at returns the colour at t as premultiplied floats 0..255.
func (r *ramp) at(t float64) [4]float32 {
	first, last := r.t[0], r.t[len(r.t)-1]
	if math.IsNaN(t) {
		return r.c[len(r.c)-1]
	}
	if r.repeat && r.span > 0 {
		t -= math.Floor((t-first)/r.span) * r.span
	}
	switch {
	case r.span <= 0 || math.IsInf(r.span, 1):
		if t < first {
			return r.c[0]
		}
		return r.c[len(r.c)-1]
	case t < first:
		return r.c[0]
	case t >= last:
		return r.c[len(r.c)-1]
	}
	k := r.segment(t)
	if k+1 >= len(r.t) {
		return r.c[k]
	}
	f := float32((t - r.t[k]) / (r.t[k+1] - r.t[k]))
	a, b := &r.c[k], &r.c[k+1]
	return [4]float32{a[0] + (b[0]-a[0])*f, a[1] + (b[1]-a[1])*f, a[2] + (b[2]-a[2])*f, a[3] + (b[3]-a[3])*f}
}

// tableSize is the number of colours that quick tells apart. One step is a
// quarter of a px at a radius of 1000 px, and less than a level.
const tableSize = 4096

// buildTable prepares quick.
func (r *ramp) buildTable() {
	if !(r.span > 0) || math.IsInf(r.span, 1) {
		return
	}
	r.table = make([]uint32, tableSize)
	var px [4]uint8
	for i := range r.table {
		store(px[:], r.at(r.t[0]+r.span*(float64(i)+0.5)/tableSize))
		r.table[i] = binary.LittleEndian.Uint32(px[:])
	}
	store(px[:], r.c[0])
	r.before = binary.LittleEndian.Uint32(px[:])
	store(px[:], r.c[len(r.c)-1])
	r.after = binary.LittleEndian.Uint32(px[:])
	r.perStep = tableSize / r.span
}

// quick is the painted colour at t, from the table.
func (r *ramp) quick(t float64) uint32 {
	if r.table == nil {
		var px [4]uint8
		store(px[:], r.at(t))
		return binary.LittleEndian.Uint32(px[:])
	}
	i := (t - r.t[0]) * r.perStep
	if i >= 0 && i < tableSize {
		return r.table[int(i)]
	}
	switch {
	case r.repeat:
		i -= math.Floor(i/tableSize) * tableSize
		return r.table[min(int(i), tableSize-1)]
	case i < 0:
		return r.before
	}
	return r.after
}

// turns is atan2(x, y) as a share of a turn, to within 1/100000 of one.
func turns(x, y float64) float64 {
	ax, ay := math.Abs(x), math.Abs(y)
	lo, hi := ax, ay
	if lo > hi {
		lo, hi = hi, lo
	}
	if hi == 0 {
		return 0
	}
	q := lo / hi
	z := q * q
	// Minimax polynomial of atan(q)/(2 pi) on 0..1 (Abramowitz and Stegun, 4.4.49).
	const k = 0.15915494309189535
	a := q * (k + z*(-0.33329945*k+z*(0.19946557*k+z*(-0.13908534*k+
		z*(0.09642004*k+z*(-0.05590986*k+z*(0.02186123*k+z*(-0.00405406*k))))))))
	if ax > ay {
		a = 0.25 - a
	}
	if y < 0 {
		a = 0.5 - a
	}
	if x < 0 {
		a = -a
	}
	return a
}

func store(out []uint8, c [4]float32) {
	_ = out[3]
	a := c[3]
	clip := func(v float32) uint8 { return uint8(min(max(v, 0), a) + 0.5) }
	out[0], out[1], out[2], out[3] = clip(c[0]), clip(c[1]), clip(c[2]), uint8(a+0.5)
}

// gradientShader paints a gradient over a box of w x h device px whose corner is
// at x, y.
type gradientShader struct {
	r    *ramp
	kind css.GradientKind
	x, y float64
	// linear: t = (px*dx + py*dy) + t0
	dx, dy, t0 float64
	// radial: centre and radii; conic: centre and start in turns
	cx, cy, rx, ry, from float64
	kx, ky               float64 // gradient px per device px; 0 is 1
	flat                 bool    // one colour, the last
}

// room is where a gradient is painted: a box of w x h px at x, y; k is px per CSS px.
type room struct{ k, x, y, w, h float64 }

// newGradient prepares g for a room.
// Source: CSS Images 4 (https://www.w3.org/TR/css-images-4/#gradients).
func newGradient(g *css.Gradient, env *css.Env, in room) *gradientShader {
	s := &gradientShader{kind: g.Kind, x: in.x, y: in.y}
	k := in.k
	// All lengths of the gradient are resolved in CSS px, then scaled.
	bw, bh := in.w/k, in.h/k
	centre := func() {
		s.cx = g.At.X.ResolveEdge(env, bw) * k
		s.cy = g.At.Y.ResolveEdge(env, bh) * k
	}
	switch g.Kind {
	case css.Linear:
		sx, sy, ex, ey := linearEnds(g, env, bw, bh)
		vx, vy := ex-sx, ey-sy
		length := math.Hypot(vx, vy)
		s.r = newRamp(g, env, length)
		if length == 0 {
			s.flat = true
			return s
		}
		s.dx, s.dy = vx/(length*length)/k, vy/(length*length)/k
		s.t0 = -(sx*vx + sy*vy) / (length * length)
	case css.Radial:
		centre()
		rx, ry := radii(g, env, bw, bh)
		s.r = newRamp(g, env, rx)
		s.rx, s.ry = rx*k, ry*k
		s.r.buildTable()
		s.flat = rx <= 0 || ry <= 0
		if math.IsInf(rx, 1) || math.IsInf(ry, 1) {
			s.flat = true
		}
	case css.Conic:
		centre()
		s.from = g.From.Resolve(env, 0) / 360
		s.r = newRamp(g, env, 360)
		s.r.buildTable()
	}
	if g.Repeating && s.r.span <= 0 {
		s.flat = true
	}
	return s
}

// stretch scales the picture of the gradient about its corner.
func (s *gradientShader) stretch(kx, ky float64) {
	s.kx, s.ky = 1/kx, 1/ky
}

// linearEnds returns the start and end of the gradient line.
func linearEnds(g *css.Gradient, env *css.Env, w, h float64) (sx, sy, ex, ey float64) {
	var angle float64
	switch {
	case g.ToX != 0 && g.ToY != 0:
		// The 50% line joins the two neighbouring corners: the line runs along the
		// other diagonal of the box with its sides swapped.
		angle = math.Atan2(float64(g.ToX)*h, -float64(g.ToY)*w)
	case g.ToX != 0:
		angle = float64(g.ToX) * math.Pi / 2
	case g.ToY > 0:
		angle = math.Pi
	case g.ToY < 0:
		angle = 0
	default:
		angle = math.Mod(g.Angle.Resolve(env, 0), 360) * math.Pi / 180
	}
	sin, cos := math.Sincos(angle)
	half := (math.Abs(w*sin) + math.Abs(h*cos)) / 2
	cx, cy := w/2, h/2
	return cx - sin*half, cy + cos*half, cx + sin*half, cy - cos*half
}

// radii returns the ending shape of a radial gradient in a box of w x h CSS px.
func radii(g *css.Gradient, env *css.Env, w, h float64) (rx, ry float64) {
	cx, cy := g.At.X.ResolveEdge(env, w), g.At.Y.ResolveEdge(env, h)
	if g.Sized {
		rx = max(g.Radius[0].Resolve(env, w), 0)
		ry = rx
		if !g.Circle {
			ry = max(g.Radius[1].Resolve(env, h), 0)
		}
		return rx, ry
	}
	left, right, top, bottom := math.Abs(cx), math.Abs(w-cx), math.Abs(cy), math.Abs(h-cy)
	near, far := math.Min, math.Max
	switch g.Extent {
	case css.ClosestSide, css.FarthestSide:
		pick := near
		if g.Extent == css.FarthestSide {
			pick = far
		}
		rx, ry = pick(left, right), pick(top, bottom)
		if g.Circle {
			rx = pick(rx, ry)
			ry = rx
		}
		return rx, ry
	}
	// Corners: distances decide which; an ellipse keeps the ratio of the sides.
	corners := [4][2]float64{{cx, cy}, {w - cx, cy}, {cx, h - cy}, {w - cx, h - cy}}
	best := corners[0]
	for _, c := range corners[1:] {
		d, b := math.Hypot(c[0], c[1]), math.Hypot(best[0], best[1])
		if g.Extent == css.FarthestCorner && d > b || g.Extent == css.ClosestCorner && d < b {
			best = c
		}
	}
	if g.Circle {
		rx = math.Hypot(best[0], best[1])
		return rx, rx
	}
	pick := far
	if g.Extent == css.ClosestCorner {
		pick = near
	}
	sx, sy := pick(left, right), pick(top, bottom)
	if sx == 0 || sy == 0 {
		return sx, sy
	}
	ratio := sx / sy
	dx, dy := math.Abs(best[0]), math.Abs(best[1])
	rx = math.Hypot(dx, dy*ratio)
	return rx, rx / ratio
}

func (s *gradientShader) opaque() bool { return s.r.opaque() }

func (s *gradientShader) row(y, x0, x1 int, out []uint8) {
	if s.flat {
		fillRow(out[:4*(x1-x0)], s.flatColour())
		return
	}
	kx, ky := s.kx, s.ky
	if kx == 0 {
		kx, ky = 1, 1
	}
	py := (float64(y) + 0.5 - s.y) * ky
	px := (float64(x0) + 0.5 - s.x) * kx
	n := x1 - x0
	switch s.kind {
	case css.Linear:
		s.linearRow(px, py, kx, n, out)
	case css.Radial:
		fx, fy := 1/s.rx, (py-s.cy)/s.ry
		fy *= fy
		for i := range n {
			u := (px + float64(i)*kx - s.cx) * fx
			binary.LittleEndian.PutUint32(out[4*i:], s.r.quick(math.Sqrt(u*u+fy)))
		}
	case css.Conic:
		dy := py - s.cy
		for i := range n {
			t := turns(px+float64(i)*kx-s.cx, -dy) - s.from
			t -= math.Floor(t)
			binary.LittleEndian.PutUint32(out[4*i:], s.r.quick(t))
		}
	}
}

// flatColour is what a gradient without extent shows: its last colour, or, where
// it repeats, the mean of one period.
func (s *gradientShader) flatColour() [4]float32 {
	r := s.r
	if !r.repeat || r.span <= 0 || s.kind != css.Radial {
		return r.c[len(r.c)-1]
	}
	return r.mean
}

// meanColour is the mean of the stops' colours in sRGB over one period: straight,
// as the browser takes it, and premultiplied only then.
func meanColour(stops []stop, env *css.Env) [4]float32 {
	var sum css.RGBA
	add := func(c css.RGBA, w float64) {
		sum.R, sum.G, sum.B, sum.A = sum.R+c.R*w, sum.G+c.G*w, sum.B+c.B*w, sum.A+c.A*w
	}
	span := stops[len(stops)-1].at - stops[0].at
	if !(span > 0) || math.IsInf(span, 1) {
		return premultiply(stops[len(stops)-1].color)
	}
	for i := 1; i < len(stops); i++ {
		w := (stops[i].at - stops[i-1].at) / span / 2
		add(stops[i-1].color.Resolve(env.Current), w)
		add(stops[i].color.Resolve(env.Current), w)
	}
	return premultiply(css.Color{Space: css.SRGB, C: [3]float64{sum.R, sum.G, sum.B}, A: sum.A})
}

// rowF is row in floats 0..255, not rounded.
func (s *gradientShader) rowF(y, x0, x1 int, out [][4]float32) {
	kx, ky := s.kx, s.ky
	if kx == 0 {
		kx, ky = 1, 1
	}
	py := (float64(y) + 0.5 - s.y) * ky
	for i := range out[:x1-x0] {
		px := (float64(x0+i) + 0.5 - s.x) * kx
		out[i] = s.colour(px, py)
	}
}

// colour is the colour at a point of the gradient's box.
func (s *gradientShader) colour(px, py float64) [4]float32 {
	switch {
	case s.flat:
		return s.flatColour()
	case s.kind == css.Radial:
		return s.r.at(math.Hypot((px-s.cx)/s.rx, (py-s.cy)/s.ry))
	case s.kind == css.Conic:
		t := math.Atan2(px-s.cx, s.cy-py)/(2*math.Pi) - s.from
		return s.r.at(t - math.Floor(t))
	}
	return s.r.at(px*s.dx + py*s.dy + s.t0)
}

func fillRow(out []uint8, c [4]float32) {
	if len(out) < 4 {
		return
	}
	store(out, c)
	for n := 4; n < len(out); n *= 2 {
		copy(out[n:], out[:n])
	}
}

// linearRow walks along the ramp segment by segment, adding a constant step in
// 32.32 fixed point, so that a pixel costs four additions.
func (s *gradientShader) linearRow(px, py, kx float64, n int, out []uint8) {
	r := s.r
	t := px*s.dx + py*s.dy + s.t0
	dx := s.dx * kx
	if math.Abs(dx)*float64(n) < 1e-12 {
		fillRow(out[:4*n], r.at(t))
		return
	}
	for i := 0; i < n; {
		ti := t + float64(i)*dx
		c := r.at(ti)
		count := n - i
		base, lo, hi, k := 0.0, math.Inf(-1), math.Inf(1), -1
		if r.repeat && r.span > 0 {
			base = math.Floor((ti-r.t[0])/r.span) * r.span
		}
		u := ti - base
		switch {
		case !r.repeat && u < r.t[0]:
			hi = r.t[0]
		case !r.repeat && u >= r.t[len(r.t)-1]:
			lo = r.t[len(r.t)-1]
		case r.span > 0:
			k = r.segment(u)
			if k+1 >= len(r.t) {
				k = len(r.t) - 2
			}
			lo, hi = r.t[k], r.t[k+1]
		}
		// pixels that stay inside lo <= u < hi
		if dx > 0 && !math.IsInf(hi, 1) {
			count = min(count, int(math.Ceil((hi-u)/dx)))
		} else if dx < 0 && !math.IsInf(lo, -1) {
			count = min(count, int(math.Floor((lo-u)/dx))+1)
		}
		count = max(count, 1)
		row := out[4*i : 4*(i+count)]
		if k < 0 || count < 4 || r.wide {
			if k < 0 {
				fillRow(row, c)
			} else {
				for j := range count {
					store(row[4*j:], r.at(t+float64(i+j)*dx))
				}
			}
			i += count
			continue
		}
		f := dx / (hi - lo) * (1 << 23)
		a, b := &r.c[k], &r.c[k+1]
		var v, d [4]int32
		for ch := range 4 {
			v[ch] = int32(c[ch]*(1<<23)) + 1<<22
			d[ch] = int32(float64(b[ch]-a[ch]) * f)
		}
		fixedRun(row, v, d)
		i += count
	}
}

// fixedRun writes v, v+d, … as bytes; values carry 23 fractional bits and are
// used as unsigned, so that 255.5 still fits.
func fixedRun(row []uint8, v, d [4]int32) {
	v0, v1, v2, v3 := uint32(v[0]), uint32(v[1]), uint32(v[2]), uint32(v[3])
	d0, d1, d2, d3 := uint32(d[0]), uint32(d[1]), uint32(d[2]), uint32(d[3])
	for len(row) >= 4 {
		row[0], row[1], row[2], row[3] = uint8(v0>>23), uint8(v1>>23), uint8(v2>>23), uint8(v3>>23)
		v0, v1, v2, v3 = v0+d0, v1+d1, v2+d2, v3+d3
		row = row[4:]
	}
}
