package place

import (
	"math"

	"tourmaline/core/css"
	"tourmaline/core/layout"
)

// Snapped is a landing in device px as a browser paints it: the rectangle that is
// painted has whole edges, tiles keep fractional sizes.
//
// On an axis with repeats, tile edges lie at Dest.X - Phase.X + n*(Tile.X + Space.X).
// Without, the piece of the tile that starts at Phase and is Part long is drawn
// into Dest.
type Snapped struct {
	Dest  [4]int // x0, y0, x1, y1, half-open
	Tile  Point
	Phase Point
	Space Point
	Part  Point
	One   bool // a single draw of the tile fills Dest
}

// SnapRect rounds the edges of a rectangle in CSS px to device px, each by itself.
func SnapRect(r layout.Rect, k float64) (x0, y0, x1, y1 int) {
	return snap(r.X * k), snap(r.Y * k), snap(r.Right() * k), snap(r.Bottom() * k)
}

// snap rounds half up, on the 1/64 px grid that browsers lay out on.
func snap(v float64) int { return int(math.Floor(grid(v) + 0.5)) }

// grid rounds down to 1/64; what misses a step by float noise counts as on it.
func grid(v float64) float64 { return math.Floor(v*64+1e-6) / 64 }

// Device returns the landing as it is painted at k device px per CSS px. Rules
// are the ones docs/RATIONALE.md lists under "Why do tiles and single pictures
// snap differently?".
func Device(in *Input, k float64) Snapped {
	ax0, ay0, ax1, ay1 := SnapRect(in.Area, k)
	px0, py0, px1, py1 := SnapRect(in.Paint, k)
	sw, sh := float64(ax1-ax0), float64(ay1-ay0)
	aw, ah := grid(in.Area.W*k), grid(in.Area.H*k)
	w, h := tileSize(in.Layer, in.Env, in.Natural, aw, ah, sw, sh, k, true)
	w0, h0 := grid(w), grid(h)
	w, h = roundTiles(in.Layer, sw, sh, w0, h0)
	w, h = grid(w), grid(h)
	x := snapAxis(in.Layer.Repeat.X, &in.Layer.Position.X, in.Env, k, aw, sw, w, w0, in.Area.X*k, in.Paint.X*k, in.Paint.W*k, ax0, px0, px1)
	y := snapAxis(in.Layer.Repeat.Y, &in.Layer.Position.Y, in.Env, k, ah, sh, h, h0, in.Area.Y*k, in.Paint.Y*k, in.Paint.H*k, ay0, py0, py1)
	s := Snapped{Dest: [4]int{x.d0, y.d0, x.d1, y.d1}, Tile: Point{w, h}, Phase: Point{x.phase, y.phase},
		Space: Point{x.space, y.space}, Part: Point{x.part, y.part}}
	if w <= 0 || h <= 0 {
		s.Dest = [4]int{px0, py0, px0, py0}
		return s
	}
	s.One = s.Space == Point{} && x.phase+x.part <= w+1e-9 && y.phase+y.part <= h+1e-9
	return s
}

type deviceAxis struct {
	d0, d1             int
	phase, space, part float64
}

// snapAxis is one axis in device px: un- and snapped positioning length, tile,
// where the positioning and painting areas begin, and both snapped. unrounded is
// the tile before round: positions are of the space that it would leave.
func snapAxis(r css.Repeat, pos *css.Edge, env *css.Env, k, area, snapped, tile, unrounded, areaAt, paintAt, paintLen float64, a0, p0, p1 int) deviceAxis {
	d := deviceAxis{d0: p0, d1: p1, part: float64(p1 - p0)}
	if tile <= 0 {
		return d
	}
	offset := func(free float64) float64 { return grid(pos.ResolveEdge(env, free/k) * k) }
	box := grid(areaAt) - grid(paintAt) // of the positioning area from the painting area
	snappedBox := float64(a0 - p0)
	if r == css.SpaceTiles {
		n := math.Floor(snapped / tile)
		if n > 1 {
			d.space = grid((snapped - n*tile) / (n - 1))
			d.phase = mod(-box, tile+d.space)
			return d
		}
		r = css.NoRepeat
	}
	if r != css.NoRepeat {
		free := area - unrounded
		if r == css.Round {
			free = snapped - unrounded
		}
		d.phase = mod(-(box + offset(free)), tile)
		if tile-d.phase < 1.0/128 {
			d.phase = 0
		}
		return d
	}
	at := box + offset(area-unrounded)
	snappedAt := snappedBox + offset(snapped-unrounded)
	if at > 0 {
		d.d0 = max(snap(grid(paintAt)+at), p0)
		d.d1 = d.d0 + int(math.Floor(tile+0.5))
		d.part = min(tile, grid(paintLen)-at)
	} else {
		d.phase = -at
		d.part = min(tile+at, grid(paintLen))
		d.d1 = p0 + int(math.Floor(tile+snappedAt+0.5))
	}
	// What the painting area cuts off is cut from both, each in its own measure.
	d.d1 = max(min(d.d1, p1), d.d0)
	return d
}
