// Package place computes landings: where one layer of a background lands in one
// box at one window. It is the one calculation that fit, proof, cut, paint and
// css share.
//
// A 1600x900 picture covers a box of 400x400 from the middle:
//
//	in := place.Input{Layer: &layer, Env: &env, Natural: place.Natural{W: 1600, H: 900, Ratio: 16.0 / 9},
//		Area: layout.Rect{W: 400, H: 400}, Paint: layout.Rect{W: 400, H: 400}, Pixels: 1}
//	l := place.Land(&in)
//	// scale is max(400/1600, 400/900) = 0.444…, drawn 711.11 x 400,
//	// origin (400-711.11)/2 = -155.56, so 155.56/711.11 = 21.9% is cut at each side
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
	Crop    Sides       // per cent of the picture that the box cuts off
	Bare    float64     // CSS px² of the painting area without image
	Scale   Point       // drawn px per natural px; 0 where there is no natural size
	Sharp   float64     // picture px per device px drawn, the smaller axis; +Inf for vectors and gradients
	Keep    float64     // share of keep that is visible, 0..1; 1 where there is none
	Focus   Point       // where the focus lands in the painting area, 0..1 inside it
	Repeats Point       // tiles across the painting area
}

// BareShare is the bare part of the painting area, 0..1.
func (l *Landing) BareShare() float64 {
	if a := l.Paint.W * l.Paint.H; a > 0 {
		return l.Bare / a
	}
	return 0
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
func Land(in *Input) Landing {
	w, h := tileSize(in.Layer, in.Env, in.Natural, in.Area.W, in.Area.H, in.Area.W, in.Area.H, 1, false)
	w, h = roundTiles(in.Layer, in.Area.W, in.Area.H, w, h)
	x := onAxis(in.Layer.Repeat.X, &in.Layer.Position.X, in.Env, in.Area.X, in.Area.W, in.Paint.X, in.Paint.W, w)
	y := onAxis(in.Layer.Repeat.Y, &in.Layer.Position.Y, in.Env, in.Area.Y, in.Area.H, in.Paint.Y, in.Paint.H, h)
	l := Landing{
		Size: Point{w, h}, Origin: Point{x.origin, y.origin}, Step: Point{x.step, y.step},
		Area: in.Area, Paint: in.Paint,
		Painted: layout.Rect{X: x.lo, Y: y.lo, W: x.hi - x.lo, H: y.hi - y.lo},
		Bare:    in.Paint.W*in.Paint.H - x.covered*y.covered,
		Sharp:   math.Inf(1), Keep: 1,
		Repeats: Point{x.count, y.count},
	}
	if l.Bare < 1e-9 {
		l.Bare = 0
	}
	if w > 0 && h > 0 {
		l.Crop.Left, l.Crop.Right = x.crop(in.Paint.X, in.Paint.W, w)
		l.Crop.Top, l.Crop.Bottom = y.crop(in.Paint.Y, in.Paint.H, h)
	}
	if n := in.Natural; n.W > 0 && n.H > 0 {
		l.Scale = Point{w / n.W, h / n.H}
		if !n.Vector && w > 0 && h > 0 {
			l.Sharp = in.Pixels / (max(l.Scale.X, l.Scale.Y) * in.Env.Density)
		}
	}
	if k := in.Keep; k != nil {
		l.Keep = x.visible(k.X*w, k.W*w, in.Paint.X, in.Paint.W) * y.visible(k.Y*h, k.H*h, in.Paint.Y, in.Paint.H)
	}
	focus := plan.Point{X: 0.5, Y: 0.5}
	switch {
	case in.Focus != nil:
		focus = *in.Focus
	case in.Keep != nil:
		focus = plan.Point{X: in.Keep.X + in.Keep.W/2, Y: in.Keep.Y + in.Keep.H/2}
	}
	if in.Paint.W > 0 && in.Paint.H > 0 {
		l.Focus = Point{(x.origin + focus.X*w - in.Paint.X) / in.Paint.W, (y.origin + focus.Y*h - in.Paint.Y) / in.Paint.H}
	}
	return l
}

// tileSize is the drawn size of the image before rounding of round. aw, ah are
// the positioning area, sw, sh the same snapped to device px (equal to it in
// exact geometry); k is units per CSS px; device asks for the rounding of contain.
// Percentages of images without a natural size, cover and contain are of the
// snapped area, as browsers do.
func tileSize(l *css.Layer, env *css.Env, n Natural, aw, ah, sw, sh, k float64, device bool) (w, h float64) {
	ratio := n.Ratio
	nw, nh := n.W*k, n.H*k
	if nw == 0 && nh == 0 && ratio == 0 {
		aw, ah = sw, sh
	}
	s := &l.Size
	if s.Kind != css.SizeLengths {
		if ratio == 0 {
			return sw, sh
		}
		wide := sw > sh*ratio // the area is wider than the picture
		if wide == (s.Kind == css.Cover) {
			w, h = sw, sw/ratio
		} else {
			w, h = sh*ratio, sh
		}
		if s.Kind == css.Contain && device {
			w, h = max(math.Floor(w+0.5), 1), max(math.Floor(h+0.5), 1)
		}
		return w, h
	}
	if !s.AutoW {
		w = max(s.W.Resolve(env, aw/k)*k, 0)
	}
	if !s.AutoH {
		h = max(s.H.Resolve(env, ah/k)*k, 0)
	}
	switch {
	case s.AutoW && s.AutoH:
		switch {
		case nw > 0 && nh > 0:
			return nw, nh
		case ratio > 0 && nw > 0:
			return nw, nw / ratio
		case ratio > 0 && nh > 0:
			return nh * ratio, nh
		case ratio > 0: // as contain
			if aw > ah*ratio {
				return ah * ratio, ah
			}
			return aw, aw / ratio
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
	return w, h
}

// roundTiles applies round: a whole number of tiles fills the area, and an auto
// side keeps the ratio unless it is rounded itself.
// Source: CSS Backgrounds 3 (https://www.w3.org/TR/css-backgrounds-3/#background-size, last paragraph).
func roundTiles(l *css.Layer, aw, ah, w, h float64) (float64, float64) {
	rx, ry := l.Repeat.X == css.Round && w > 0 && aw > 0, l.Repeat.Y == css.Round && h > 0 && ah > 0
	lengths := l.Size.Kind == css.SizeLengths
	w0, h0 := w, h
	if rx {
		w = aw / max(1, math.Floor(aw/w0+0.5))
		if lengths && l.Size.AutoH && l.Repeat.Y != css.Round {
			h = h0 * w / w0
		}
	}
	if ry {
		h = ah / max(1, math.Floor(ah/h0+0.5))
		if lengths && l.Size.AutoW && l.Repeat.X != css.Round {
			w = w0 * h / h0
		}
	}
	return w, h
}

// axis is a landing on one axis.
type axis struct {
	origin, step float64
	lo, hi       float64 // bounds of what is painted
	covered      float64 // length of the painting area that has image
	count        float64
}

func onAxis(r css.Repeat, pos *css.Edge, env *css.Env, area, length, paint, plen, tile float64) axis {
	a := axis{origin: area + pos.ResolveEdge(env, length-tile), lo: paint, hi: paint}
	if tile <= 0 || plen <= 0 {
		return a
	}
	switch r {
	case css.Tile, css.Round:
		a.step = tile
	case css.SpaceTiles:
		// Fewer than two whole tiles: one, placed by position as without repeat.
		if n := math.Floor(length/tile + 1e-9); n >= 2 {
			a.origin = area
			a.step = tile + (length-n*tile)/(n-1)
		}
	}
	if a.step == 0 {
		a.lo, a.hi = max(a.origin, paint), min(a.origin+tile, paint+plen)
		if a.hi <= a.lo {
			a.lo, a.hi = paint, paint
			return a
		}
		a.covered = a.hi - a.lo
		a.count = a.covered / tile
		return a
	}
	a.count = plen / a.step
	a.covered = coveredBy(paint+plen-a.origin, a.step, tile) - coveredBy(paint-a.origin, a.step, tile)
	a.lo, a.hi = paint, paint+plen
	if gap := a.step - tile; gap > 1e-9 { // bounds leave out gaps at the ends
		if m := mod(paint-a.origin, a.step); m > tile {
			a.lo = paint + a.step - m
		}
		if m := mod(paint+plen-a.origin, a.step); m > tile {
			a.hi = paint + plen - (m - tile)
		}
	}
	return a
}

// coveredBy is the covered length from the origin to x, negative to the left.
func coveredBy(x, step, tile float64) float64 {
	n := math.Floor(x / step)
	return n*tile + min(x-n*step, tile)
}

// mod is a modulo b in 0 <= v < b.
func mod(a, b float64) float64 {
	m := a - math.Floor(a/b)*b
	if m >= b { // the division was rounded up
		return 0
	}
	return m
}

// crop is what the painting area cuts off the positioned tile, per cent, at the
// near and the far side. Where it repeats whole beside the cut, nothing is lost.
func (a *axis) crop(paint, plen, tile float64) (near, far float64) {
	if a.step > 0 && plen >= a.step+tile {
		return 0, 0
	}
	near = min(max(paint-a.origin, 0), tile) / tile * 100
	far = min(max(a.origin+tile-paint-plen, 0), tile) / tile * 100
	return near, far
}

// visible is the share of a piece of the picture (offset and length in drawn px)
// that the painting area shows in the tile that shows most of it.
func (a *axis) visible(off, length, paint, plen float64) float64 {
	if length <= 0 {
		return 0
	}
	see := func(at float64) float64 {
		return max(min(at+length, paint+plen)-max(at, paint), 0) / length
	}
	at := a.origin + off
	best := see(at)
	if a.step > 0 {
		n := math.Ceil((paint - at) / a.step) // the first copy that begins inside
		best = max(best, see(at+n*a.step), see(at+(n-1)*a.step))
	}
	return min(best, 1)
}
