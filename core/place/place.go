// Package place computes landings: where one layer of a background lands in one
// box at one window. It is the one calculation that fit, proof, cut, paint and
// css share.
//
// See the package's example, redone on paper.
//
// Lengths are CSS px, y down, in the coordinates that Area and Paint are given
// in; nothing is rounded. Device gives the same landing as a browser snaps it to
// device pixels.
package place

import (
	"math"

	"tourmaline/core/css"
	"tourmaline/core/layout"
	"tourmaline/core/plan"
)

// Natural is the size that an image has by itself, in CSS px; 0 where it has none.
// Ratio is width / height, 0 where there is none. Gradients have nothing.
// Source: CSS Images 3, natural dimensions (https://www.w3.org/TR/css-images-3/#natural-dimensions).
type Natural struct {
	W, H, Ratio float64
	Vector      bool // sharp at any size
}

// Input is all that a landing depends on.
type Input struct {
	Layer   *css.Layer
	Env     *css.Env
	Natural Natural
	Pixels  float64     // picture pixels per CSS px of its natural size; 1 but for image-set
	Area    layout.Rect // positioning area
	Paint   layout.Rect // painting area
	Bound   layout.Rect // border box, widths of its borders, and which of them hide
	Edge    [4]float64  // what is behind; only Device uses these
	Opaque  [4]bool
	Keep    *plan.Region
	Focus   *plan.Point
	Scrolls float64 // how far the page scrolls on: a box passes over a fixed layer, CSS px
}

// Point is a pair for the two axes.
type Point struct{ X, Y float64 }

// Sides are the four edges.
type Sides struct{ Left, Top, Right, Bottom float64 }

// Landing is where a layer lands.
type Landing struct {
	Size    Point       // drawn size of the picture, or of one tile
	Origin  Point       // top left corner of the positioned picture
	Step    Point       // from tile to tile; 0 on an axis without repeat
	Area    layout.Rect // positioning area
	Paint   layout.Rect // painting area
	Painted layout.Rect // bounds of what the image paints in the painting area
	Crop    Sides       // share of the picture that the box cuts off at each side, 0..1
	Bare    float64     // share of what can be seen of the painting area that has no image, 0..1
	Scale   Point       // drawn px per natural px; 0 where there is no natural size
	Sharp   float64     // picture px per device px drawn, the smaller axis; +Inf for vectors and gradients
	InView  float64     // share of keep that is visible, 0..1; 1 where there is none
	KeepOut float64     // how much of keep is out of view, CSS px, on the axis that lacks more
	Focus   Point       // where the focus lands in the painting area, 0..1 inside it
	Repeats Point       // tiles across the painting area
}

// Stretch is how much wider the picture is drawn than its shape wants: 1 is
// undistorted, 1.2 is 20% too wide.
func (l *Landing) Stretch() float64 {
	if l.Scale.X == 0 || l.Scale.Y == 0 {
		return 1
	}
	return l.Scale.X / l.Scale.Y
}

// Land computes a landing. It does not allocate.
// Source: CSS Backgrounds 3, background-size, -position and -repeat
// (https://www.w3.org/TR/css-backgrounds-3/#the-background-size).
func Land(in *Input) (l Landing) {
	l.land(in)
	return l
}

func (l *Landing) land(in *Input) {
	area := Point{in.Area.W, in.Area.H}
	size := roundTiles(in.Layer, area, tileSize(in, sizing{area: area, snapped: area, k: 1}))
	x := axis{area: in.Area.X, length: in.Area.W, paint: in.Paint.X, painted: in.Paint.W, tile: size.X}
	y := axis{area: in.Area.Y, length: in.Area.H, paint: in.Paint.Y, painted: in.Paint.H, tile: size.Y}
	x.land(in.Layer.Repeat.X, &in.Layer.Position.X, in.Env)
	y.land(in.Layer.Repeat.Y, &in.Layer.Position.Y, in.Env)
	*l = Landing{
		Size: size, Origin: Point{x.origin, y.origin}, Step: Point{x.step, y.step},
		Area: in.Area, Paint: in.Paint,
		Painted: layout.Rect{X: x.lo, Y: y.lo, W: x.hi - x.lo, H: y.hi - y.lo},
		Sharp:   math.Inf(1), InView: 1,
		Repeats: Point{x.count, y.count},
	}
	if bare := in.Paint.W*in.Paint.H - x.covered*y.covered; bare >= 1e-9 {
		l.Bare = in.bare(x, y)
	}
	if in.Layer.Attachment == css.Fixed { // what the box shows of it in passing
		r := in.seen()
		x.paint, x.painted, y.paint, y.painted = r.X, r.W, r.Y, r.H
		x.cover()
		y.cover()
		l.Repeats = Point{x.count, y.count}
	}
	if size.X > 0 && size.Y > 0 {
		l.Crop.Left, l.Crop.Right = x.crop()
		l.Crop.Top, l.Crop.Bottom = y.crop()
	}
	if n := in.Natural; n.W > 0 && n.H > 0 {
		l.Scale = Point{size.X / n.W, size.Y / n.H}
		if !n.Vector && size.X > 0 && size.Y > 0 {
			l.Sharp = in.Pixels / (max(l.Scale.X, l.Scale.Y) * in.Env.Density)
		}
	}
	if k := in.Keep; k != nil {
		across, down := x.visible(k.X, k.W), y.visible(k.Y, k.H)
		l.InView = across * down
		l.KeepOut = max((1-across)*k.W*size.X, (1-down)*k.H*size.Y)
	}
	if in.Paint.W > 0 && in.Paint.H > 0 {
		f := in.focus()
		l.Focus = Point{(x.origin + f.X*size.X - in.Paint.X) / in.Paint.W,
			(y.origin + f.Y*size.Y - in.Paint.Y) / in.Paint.H}
	}
}

// seen is the part of the painting area that can be seen without image: not what lies under
// an opaque border; and of a fixed layer what the box passes over in the window.
func (in *Input) seen() layout.Rect {
	r := in.Paint
	if in.Layer.Attachment == css.Fixed {
		r.Y, r.H = r.Y-in.Scrolls, r.H+in.Scrolls
		return r.Intersect(in.Area)
	}
	if in.Opaque == [4]bool{} {
		return r
	}
	var under [4]float64
	for i := range under {
		if in.Opaque[i] {
			under[i] = in.Edge[i]
		}
	}
	return r.Intersect(in.Bound.Inset(under))
}

// bare is the share of what can be seen of the painting area that has no image.
func (in *Input) bare(x, y axis) float64 {
	r := in.seen()
	if r.W <= 0 || r.H <= 0 {
		return 0
	}
	x.paint, x.painted, y.paint, y.painted = r.X, r.W, r.Y, r.H
	x.covered, y.covered = 0, 0
	x.cover()
	y.cover()
	if bare := r.W*r.H - x.covered*y.covered; bare >= 1e-9 {
		return bare / (r.W * r.H)
	}
	return 0
}

// focus is the point that should be near the middle: the middle of keep, or of the
// picture, where none is named.
func (in *Input) focus() plan.Point {
	switch {
	case in.Focus != nil:
		return *in.Focus
	case in.Keep != nil:
		return plan.Point{X: in.Keep.X + in.Keep.W/2, Y: in.Keep.Y + in.Keep.H/2}
	}
	return plan.Point{X: 0.5, Y: 0.5}
}

// sizing is what a drawn size is reckoned in: the positioning area, the same snapped to
// device px (equal to it in exact geometry), and units per CSS px; device asks for the
// rounding of contain.
type sizing struct {
	area, snapped Point
	k             float64
	device        bool
}

// tileSize is the drawn size of the image before rounding of round. Percentages of
// images without a natural size, cover and contain are of the snapped area, as browsers
// do.
func tileSize(in *Input, z sizing) Point {
	n := in.Natural
	if n.W == 0 && n.H == 0 && n.Ratio == 0 {
		z.area = z.snapped
	}
	if in.Layer.Size.Kind != css.SizeLengths {
		return z.filling(in.Layer.Size.Kind, n.Ratio)
	}
	return z.lengths(in, n.W*z.k, n.H*z.k)
}

// filling is the size of cover and contain: the area itself where there is no ratio.
func (z *sizing) filling(kind css.SizeKind, ratio float64) Point {
	sw, sh := z.snapped.X, z.snapped.Y
	if ratio == 0 {
		return z.snapped
	}
	out := Point{sh * ratio, sh}
	wide := sw > sh*ratio // the area is wider than the picture
	if wide == (kind == css.Cover) {
		out = Point{sw, sw / ratio}
	}
	if kind == css.Contain && z.device {
		out = Point{max(math.Floor(out.X+0.5), 1), max(math.Floor(out.Y+0.5), 1)}
	}
	return out
}

// lengths is the size of lengths, percentages and auto, of an image of nw x nh units.
func (z *sizing) lengths(in *Input, nw, nh float64) Point {
	s, ratio := &in.Layer.Size, in.Natural.Ratio
	aw, ah := z.area.X, z.area.Y
	var w, h float64
	if !s.AutoW {
		w = max(s.W.Resolve(in.Env, aw/z.k)*z.k, 0)
	}
	if !s.AutoH {
		h = max(s.H.Resolve(in.Env, ah/z.k)*z.k, 0)
	}
	switch {
	case s.AutoW && s.AutoH:
		switch {
		case nw > 0 && nh > 0:
			return Point{nw, nh}
		case ratio > 0 && nw > 0:
			return Point{nw, nw / ratio}
		case ratio > 0 && nh > 0:
			return Point{nh * ratio, nh}
		case ratio > 0: // as contain
			if aw > ah*ratio {
				return Point{ah * ratio, ah}
			}
			return Point{aw, aw / ratio}
		}
		if w = nw; w == 0 {
			w = aw
		}
		if h = nh; h == 0 {
			h = ah
		}
	case s.AutoW:
		switch {
		case ratio > 0:
			w = h * ratio
		case nw > 0:
			w = nw
		default:
			w = aw
		}
	case s.AutoH:
		switch {
		case ratio > 0:
			h = w / ratio
		case nh > 0:
			h = nh
		default:
			h = ah
		}
	}
	return Point{w, h}
}

// roundTiles applies round: a whole number of tiles fills the area, and an auto
// side keeps the ratio unless it is rounded itself. Differs: the standard says so of auto
// alone; browsers do it with cover and contain too.
// Source: CSS Backgrounds 3 (https://www.w3.org/TR/css-backgrounds-3/#background-size, last paragraph).
func roundTiles(l *css.Layer, area, size Point) Point {
	rx := l.Repeat.X == css.Round && size.X > 0 && area.X > 0
	ry := l.Repeat.Y == css.Round && size.Y > 0 && area.Y > 0
	fits := l.Size.Kind != css.SizeLengths
	out := size
	if rx {
		out.X = area.X / max(1, math.Floor(area.X/size.X+0.5))
		if (fits || l.Size.AutoH) && l.Repeat.Y != css.Round {
			out.Y = size.Y * out.X / size.X
		}
	}
	if ry {
		out.Y = area.Y / max(1, math.Floor(area.Y/size.Y+0.5))
		if (fits || l.Size.AutoW) && l.Repeat.X != css.Round {
			out.X = size.X * out.Y / size.Y
		}
	}
	return out
}

// axis is a landing on one axis: CSS px.
type axis struct {
	area, length   float64 // where the positioning area begins, and how long it is
	paint, painted float64 // the same of the painting area
	tile           float64

	origin, step float64
	lo, hi       float64 // bounds of what is painted
	covered      float64 // length of the painting area that has image
	count        float64
}

func (a *axis) land(repeat css.Repeat, pos *css.Edge, env *css.Env) {
	a.origin, a.lo, a.hi = a.area+pos.ResolveEdge(env, a.length-a.tile), a.paint, a.paint
	if a.tile <= 0 || a.painted <= 0 {
		return
	}
	switch repeat {
	case css.Tile, css.Round:
		a.step = a.tile
	case css.SpaceTiles:
		// Fewer than two whole tiles: one, placed by position as without repeat.
		if n := math.Floor(a.length/a.tile + 1e-9); n >= 2 {
			a.origin = a.area
			a.step = a.tile + (a.length-n*a.tile)/(n-1)
		}
	}
	a.cover()
}

// cover fills in what is covered by the tiles from the origin on.
func (a *axis) cover() {
	a.lo, a.hi = a.paint, a.paint+a.painted
	if a.tile <= 0 || a.painted <= 0 {
		return
	}
	if a.step == 0 {
		a.single()
	} else {
		a.repeated()
	}
}

// single fills in what one tile covers.
func (a *axis) single() {
	a.lo, a.hi = max(a.origin, a.paint), min(a.origin+a.tile, a.paint+a.painted)
	if a.hi <= a.lo {
		a.lo, a.hi = a.paint, a.paint
		return
	}
	a.covered = a.hi - a.lo
	a.count = a.covered / a.tile
}

// repeated fills in what tiles cover; bounds leave out gaps at the ends.
func (a *axis) repeated() {
	end := a.paint + a.painted
	a.count = a.painted / a.step
	a.covered = a.coveredTo(end-a.origin) - a.coveredTo(a.paint-a.origin)
	a.lo, a.hi = a.paint, end
	if a.step-a.tile <= 1e-9 {
		return
	}
	if m := mod(a.paint-a.origin, a.step); m > a.tile {
		a.lo = a.paint + a.step - m
	}
	if m := mod(end-a.origin, a.step); m > a.tile {
		a.hi = end - (m - a.tile)
	}
}

// coveredTo is the covered length from the origin to x, negative to the left.
func (a *axis) coveredTo(x float64) float64 {
	n := math.Floor(x / a.step)
	return n*a.tile + min(x-n*a.step, a.tile)
}

// mod is a modulo b in 0 <= v < b.
func mod(a, b float64) float64 {
	m := a - math.Floor(a/b)*b
	if m >= b { // the division was rounded up
		return 0
	}
	return m
}

// crop is the share of the positioned tile that the painting area cuts off at the near
// and the far side. Where it repeats whole beside the cut, nothing is lost.
func (a *axis) crop() (near, far float64) {
	if a.step > 0 && a.painted >= a.step+a.tile {
		return 0, 0
	}
	near = min(max(a.paint-a.origin, 0), a.tile) / a.tile
	far = min(max(a.origin+a.tile-a.paint-a.painted, 0), a.tile) / a.tile
	return near, far
}

// visible is the share of a part of the picture (where it begins and how long it is, of
// the picture) that the painting area shows in the tile that shows most of it.
func (a *axis) visible(from, length float64) float64 {
	length *= a.tile
	if length <= 0 {
		return 0
	}
	end := a.paint + a.painted
	see := func(at float64) float64 { return max(min(at+length, end)-max(at, a.paint), 0) / length }
	at := a.origin + from*a.tile
	best := see(at)
	if a.step > 0 {
		n := math.Ceil((a.paint - at) / a.step) // the first copy that begins inside
		best = max(best, see(at+n*a.step), see(at+(n-1)*a.step))
	}
	return min(best, 1)
}
